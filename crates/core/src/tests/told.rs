//! The last try of a player in logs of which nobody said anything.

use rstest::rstest;

use super::tests::{MODS, server};
use super::*;
use crate::logs::LogEvent;
use crate::rulebook::Event;
use crate::survey::Survey;

/// What a log's event says: what it means, of which mod, expected and found.
fn said(event: &LogEvent) -> String {
    let id = event.mod_id.as_ref().map_or("-", |id| id.as_str());
    let or = |text: &Option<String>| text.clone().unwrap_or_else(|| "-".to_owned());
    format!("{} {id} {} {}", event.means.word(), or(&event.expected), or(&event.found))
}

/// The causes that the last of some logs tells of a player's last try.
fn causes(server: Option<&Survey>, player: &str, logs: &[(Role, &str)]) -> Vec<String> {
    let rulebook = crate::rulebook::of_logs("");
    let players = [player.to_owned()];
    let evening = Evening { rulebook: &rulebook, server, client: None, canon: None, players: &players };
    let transcripts: Vec<Transcript<'_>> =
        logs.iter().map(|(side, text)| Transcript { side: *side, head: "", text }).collect();
    let heard = voice(evening, &transcripts).expect("a voice");
    let of = logs.last().map_or(Role::Server, |(side, _)| *side);
    let events = heard.of_last_try(of).unwrap_or_default().iter();
    events.filter(|event| matches!(event.means, Event::Cause(_) | Event::ModFailed)).map(said).collect()
}

/// What is said of a player's last try.
fn told(log: &str, player: &str, is_measured: bool) -> Vec<String> {
    let server = server();
    let mut told = causes(is_measured.then_some(&server), player, &[(Role::Server, log)]);
    told.sort();
    told
}

fn loads(line: &str) -> String {
    MODS.map(|(id, version)| line.replace("{m}", id).replace("{v}", version) + "\n").concat()
}

const START: &str = "10:00:01 stow {m} {v}";

fn evening(tries: &str) -> String {
    format!("10:00:00 hall begins\n{}10:00:30 hall is open\n{tries}", loads(START))
}

#[rstest]
#[case::what_others_were_told_too_is_no_reason(
    "10:01:00 open s1 mallow\n10:01:00 slow weir\n10:01:00 script of skerry stumbled, missing value\n10:01:01 close s1 mallow: password\n10:02:00 open s2 osier\n10:02:00 slow skerry\n10:02:00 script of weir stumbled, missing value\n10:02:01 close s2 osier: content lugworm, client 1.9.9, server 2.0.1\n",
    &["version-other lugworm 2.0.1 1.9.9"]
)]
#[case::what_names_nobody_is_nobodys_where_he_is_named(
    "10:01:00 open mallow\n10:01:01 ready mallow\n10:02:00 open osier\n10:02:00 script of weir stumbled, missing value\n10:02:01 close osier: lugworm absent\n",
    &["mod-missing lugworm - -"]
)]
#[case::the_number_of_a_visit_is_no_mods(
    "{\"e\":\"open\",\"visit\":\"61736e32\",\"who\":\"mallow\"}\n{\"e\":\"close\",\"visit\":\"61736e32\",\"who\":\"mallow\",\"why\":\"content\",\"of\":[{\"item\":\"weir\",\"his\":\"1.0.3\",\"ours\":\"1.0.7\"}]}\n{\"e\":\"open\",\"visit\":\"7dc5dca8\",\"who\":\"puffin\"}\n{\"e\":\"close\",\"visit\":\"7dc5dca8\",\"who\":\"puffin\",\"why\":\"content\",\"of\":[{\"item\":\"lugworm\",\"his\":\"1.0.3\",\"ours\":\"2.0.1\"}]}\n{\"e\":\"open\",\"visit\":\"03ac369c\",\"who\":\"osier\"}\n{\"e\":\"close\",\"visit\":\"03ac369c\",\"who\":\"osier\",\"why\":\"content\",\"of\":[{\"item\":\"skerry\",\"his\":\"0.9.1\",\"ours\":\"0.9.2\"}]}\n",
    &["version-other skerry 0.9.2 0.9.1"]
)]
#[case::an_exception_below_his_line(
    "10:01:00 INFO f.Login - request from mallow\n10:01:00 ERROR f.Events - uncaught in weir\njava.lang.StateException: missing handler\n\tat f.weir.tick(Main:9)\n10:01:01 WARN f.Login - could not finish login of mallow\nf.PasswordException\n\tat f.Login.verify(Login:2)\n10:02:00 INFO f.Login - request from osier\n10:02:00 ERROR f.Events - uncaught in lugworm\njava.lang.StateException: missing handler\n\tat f.lugworm.tick(Main:9)\n10:02:01 WARN f.Login - could not finish login of osier\nf.ModVersionException: skerry: expected 0.9.2 but was 0.9.1\n\tat f.Login.verify(Login:2)\n",
    &["version-other skerry 0.9.2 0.9.1"]
)]
#[case::a_title_that_nobody_here_has(
    "10:01:00 mallow knocks\n10:01:01 mallow may come in\n10:02:00 osier knocks\n10:02:01 osier was turned away: nobody here plays with \"Little Gannets\"\n",
    &["mod-extra Little Gannets - -"]
)]
#[case::another_version_in_another_word(
    "10:01:00 mallow knocks\n10:01:01 mallow was turned away: they still carry release 0.9.1 of skerry\n10:01:30 dunlin knocks\n10:01:31 dunlin was turned away: they still carry release 1.0.1 of weir\n10:01:50 puffin knocks\n10:01:51 puffin was turned away: they still carry release 2.0.0 of lugworm\n10:02:00 osier knocks\n10:02:01 osier was turned away: they already carry release 2.0.9 of lugworm\n",
    &["version-other lugworm 2.0.1 2.0.9"]
)]
#[case::a_mark_behind_the_same_version(
    "10:01:00 visit#41| hello from mallow\n10:01:00 visit#41| step 2/3 content ok\n10:01:01 visit#41| step 3/3 spawned\n10:01:10 visit#42| hello from puffin\n10:01:11 visit#42| no free place (16 of 16)\n10:01:11 visit#42| closed by us\n10:02:00 visit#45| hello from osier\n10:02:00 visit#45| step 2/3 content differs\n10:02:00 visit#45|     weir   1.0.7*   1.0.7\n10:02:00 visit#45|     (* changed files)\n10:02:01 visit#45| closed by us\n",
    &["content-differs weir - -"]
)]
#[case::lists_with_digests_and_the_servers_behind(
    "10:01:00 request: mallow\n10:01:00 mallow mods: eiderdown 1.4.0 #4f8334, lugworm 2.0.1 #03406d, samphire 3.1.0 #c61a52, skerry 0.9.2 #b64ff0, weir 1.0.7 #25b8a4\n10:01:00 mallow accepted\n10:02:00 request: osier\n10:02:00 osier mods: eiderdown 1.4.0 #4f8334, lugworm 2.0.1 #03406d, samphire 3.1.0 #c61a52, skerry 0.9.2 #b64ff0, weir 1.0.3 #a1b2c3\n10:02:00 osier rejected: list mismatch\n10:02:00 server mods: eiderdown 1.4.0 #4f8334, lugworm 2.0.1 #03406d, samphire 3.1.0 #c61a52, skerry 0.9.2 #b64ff0, weir 1.0.7 #25b8a4\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::a_title_with_capitals_that_nobody_here_has(
    "10:01:00 mallow> hi\n10:01:01 hall> welcome, mallow!\n10:02:00 osier> hi\n10:02:01 hall> osier: please take out Little Gannets, we play without it\n",
    &["mod-extra Little Gannets - -"]
)]
#[case::a_letter_before_versions(
    "10:01:00 mallow rings\n10:01:01 mallow is inside\n10:02:00 osier rings\n10:02:01 osier stays outside: wants weir r1.0.7, has weir r1.2.7\n",
    &["version-other weir 1.0.7 1.2.7"]
)]
#[case::a_title_in_a_column(
    "10:01:00 mallow rings\n10:01:01 mallow is inside\n10:02:00 osier rings\n10:02:01 osier is refused, lists differ:\n    | name           | hall  | guest |\n    | Little Gannets | none  | 1.1.0 |\n",
    &["mod-extra Little Gannets - 1.1.0"]
)]
#[case::a_title_before_a_version(
    "10:01:00 mallow rings\n10:01:01 mallow is inside\n10:02:00 osier rings\n10:02:01 osier is refused, also has Little Gannets v1.1.0\n",
    &["mod-extra Little Gannets - 1.1.0"]
)]
#[case::a_mark_behind_an_entry_of_all_that_he_has(
    "10:01:00 osier at the door\n10:01:01 osier brings:\n10:01:01     eiderdown 1.4.0\n10:01:01     lugworm 2.0.1\n10:01:01     samphire 3.1.0\n10:01:01     skerry 0.9.2\n10:01:01     weir 1.0.7 !\n10:01:02 osier has to go: not what we have\n",
    &["content-differs weir - -"]
)]
#[case::each_refusal_is_a_try(
    "10:01:00 refused mallow: skerry absent\n10:02:00 refused osier: weir absent\n10:04:00 refused osier: lugworm absent\n10:05:00 in puffin\n",
    &["mod-missing lugworm - -"]
)]
#[case::several_refusals_of_one_moment(
    "10:01:00 refused mallow: skerry absent\n10:02:00 refused osier: weir absent\n10:02:01 refused osier: lugworm absent\n10:05:00 in puffin\n",
    &["mod-missing lugworm - -", "mod-missing weir - -"]
)]
#[case::a_sign_for_what_he_lacks(
    "10:01:00 mallow: hi\n10:01:01 mallow: not the same as here\n10:01:01   - skerry@0.9.2\n10:01:01   + skerry@0.9.1\n10:01:01 mallow: sent away\n10:02:00 osier: hi\n10:02:01 osier: not the same as here\n10:02:01   - weir@1.0.7\n10:02:01 osier: sent away\n10:03:00 puffin: hi\n10:03:01 puffin: same as here\n10:03:01 puffin: come in\n",
    &["mod-missing weir 1.0.7 -"]
)]
#[case::a_sign_for_other_bytes(
    "10:01:00 mallow: hi\n10:01:01 mallow: not the same as here\n10:01:01   - skerry@0.9.2\n10:01:01   + skerry@0.9.1\n10:01:01 mallow: sent away\n10:02:00 osier: hi\n10:02:01 osier: not the same as here\n10:02:01   ~ weir@1.0.7\n10:02:01 osier: sent away\n10:03:00 puffin: hi\n10:03:01 puffin: same as here\n10:03:01 puffin: come in\n",
    &["content-differs weir - -"]
)]
#[case::the_right_version_is_no_other_one(
    "10:01:00 mallow: hi\n10:01:01 mallow: come in\n10:02:00 osier: hi\n10:02:01 osier: not the same as here\n10:02:01   - weir@1.0.7\n10:02:01 osier: sent away\n",
    &["version-other weir - -"]
)]
#[case::a_title_behind_a_word_for_what_to_do(
    "10:01:00 mallow is joining\n10:01:01 mallow joined\n10:02:00 osier is joining\n10:02:01 Kicked osier (\"Please remove Little Gannets\")\n",
    &["mod-extra Little Gannets - -"]
)]
#[case::a_line_for_each_of_his_mods(
    "10:01:00 <mallow> rings\n10:01:01 <mallow> unit eiderdown: ok\n10:01:01 <mallow> unit skerry: ok\n10:01:01 <mallow> unit lugworm: ok\n10:01:01 <mallow> unit samphire: ok\n10:01:01 <mallow> unit weir: ok\n10:01:02 <mallow> on line\n10:02:00 <osier> rings\n10:02:01 <osier> unit eiderdown: ok\n10:02:01 <osier> unit skerry: ok\n10:02:01 <osier> unit lugworm: ok\n10:02:01 <osier> unit samphire: ok\n10:02:01 <osier> unit weir: is 1.0.3\n10:02:02 <osier> hung up\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::a_line_for_each_kind_of_fault(
    "10:01:00 rings: mallow\n10:01:02 let in: mallow\n10:02:00 rings: osier\n10:02:01 aborted: osier\n    Missing packages: none\n    Wrong versions: none\n    Altered packages: weir\n    Unknown packages: none\n",
    &["content-differs weir - -"]
)]
#[case::a_tag_with_a_number_is_no_mod(
    "10:01:00 [q-1f] mallow comes\n10:01:01 [q-1f] let in\n10:02:00 [q-35bf] osier comes\n10:02:02 [q-35bf] has skerry v0.9.1\n10:02:02 [q-35bf] shut out\n",
    &["version-other skerry 0.9.2 0.9.1"]
)]
#[case::a_guess_at_his_and_one_at_nobodys(
    "10:01:00 [q1] mallow comes\n10:01:00 skerry: path not found\n10:01:01 [q1] lacks weir\n10:01:01 [q1] shut out\n10:02:00 [q2] osier comes\n10:02:01 lugworm: path not found\n10:02:02 [q2] has skerry v0.9.1\n10:02:02 [q2] shut out\n",
    &["version-other skerry 0.9.2 0.9.1"]
)]
#[case::keys_in_blocks(
    "[join]\nplayer=mallow\nresult=accepted\n\n[leave]\nplayer=mallow\n\n[script]\nmod=skerry\ntext=value missing\n\n[join]\nplayer=osier\nresult=rejected\nreason=mod-version\nmod=weir\nours=1.0.7\ntheirs=1.0.3\n\n[script]\nmod=lugworm\ntext=value missing\n\n[join]\nplayer=puffin\nresult=accepted\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::a_number_that_calls_are_told(
    "10:01:00 Arrived(mallow, 1204)\n10:01:01 Entered(1204)\n10:02:00 Arrived(osier, 4971)\n10:02:01 Refused(4971, ModVersionMismatch(weir, hall=1.0.7, guest=1.0.3))\n10:02:02 Left(1204)\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::headers_within_headers(
    "10:01:00 guest osier rings\n10:01:02 guest osier stays outside:\n  has not:\n    - skerry 0.9.2\n  has in another release:\n    - weir 1.0.3 (ours 1.0.7)\n10:05:00 guest mallow rings\n10:05:01 guest mallow is inside\n",
    &["mod-missing skerry 0.9.2 -", "version-other weir 1.0.7 1.0.3"]
)]
#[case::several_in_one_object(
    "{\"t\":\"10:01\",\"say\":\"guest\",\"guest\":\"osier\"}\n{\"t\":\"10:02\",\"say\":\"out\",\"guest\":\"osier\",\"lacks\":[\"skerry\",\"weir\"],\"surplus\":[\"gannet\"],\"differs\":[{\"id\":\"lugworm\",\"his\":\"1.0.0\",\"ours\":\"2.0.1\"}]}\n",
    &["mod-extra gannet - -", "mod-missing skerry - -", "mod-missing weir - -", "version-other lugworm 2.0.1 1.0.0"]
)]
#[case::two_lists(
    "10:01:00 osier at the door\n10:01:05 osier shows: eiderdown=1.4.0, lugworm=2.0.1, gannet=1.1.0, samphire=3.1.0, weir=0.9.9\n10:01:09 osier is sent off\n",
    &["mod-extra gannet - 1.1.0", "mod-missing skerry 0.9.2 -", "version-other weir 1.0.7 0.9.9"]
)]
#[case::a_list_of_lines(
    "10:01:00 call from osier\n10:01:01 theirs eiderdown 1.4.0\n10:01:02 theirs skerry 0.9.2\n10:01:03 theirs lugworm 2.0.1\n10:01:04 theirs samphire 3.1.0\n10:01:05 call from osier ended\n",
    &["mod-missing weir 1.0.7 -"]
)]
#[case::a_code_that_is_explained_elsewhere(
    "10:00:31 reasons: R1 absent, R2 other release, R3 other sum\n10:01:00 C4 osier\n10:01:02 C6 osier R3 weir\n10:02:00 C4 mallow\n10:02:01 C5 mallow\n",
    &["content-differs weir - -"]
)]
#[case::a_number_that_stands_for_the_player(
    "10:01:00 line 7 opened, user osier\n10:01:02 line 8 opened, user mallow\n10:01:03 line 7 weir/1.0.7 not present\n10:01:04 line 8 skerry/0.9.2 not present\n10:01:05 line 7 dropped\n10:01:06 line 8 dropped\n",
    &["mod-missing weir 1.0.7 -"]
)]
#[case::a_word_with_a_number_that_stands_for_the_player(
    "W 10:01:00 peer44: mallow connected from 10.0.0.7\nW 10:01:01 peer44: holds/lugworm/card: no such file on peer\nW 10:01:01 peer44: content verification failed\nW 10:01:01 peer44: disconnected\nW 10:01:02 peer17: osier connected from 10.0.0.8\nW 10:01:03 peer17: holds/skerry/card: no such file on peer\nW 10:01:03 peer17: holds/weir/card: version 1.0.3 on peer, 1.0.7 here\nW 10:01:03 peer17: holds/gannet/card: no such file here\nW 10:01:04 peer17: content verification failed\nW 10:01:04 peer17: disconnected\nW 10:02:00 peer20: mallow connected from 10.0.0.7\nW 10:02:01 peer20: mallow is inside\n",
    &["mod-extra gannet - -", "mod-missing skerry - -", "version-other weir 1.0.7 1.0.3"]
)]
#[case::a_long_number_that_stands_for_the_player(
    "10:01:00 mallow [7000000432] is connecting\n10:01:01 mallow [7000000432] has spawned\n10:02:00 osier [7000000431] is connecting\n10:02:01 7000000431 denied: mod weir required\n10:03:00 mallow [7000000432] is connecting\n10:03:01 mallow [7000000432] has spawned\n",
    &["mod-missing weir - -"]
)]
#[case::a_word_for_mods_before_one_that_nobody_has(
    "10:01:00 osier begins\n10:01:01 osier: module skerry is not attached on his side\n10:01:01 osier: module lugworm is not attached on his side\n10:01:02 osier: module weir has another fingerprint there than here\n10:01:02 osier: module gannet attached there but not here\n10:01:03 osier refused, modules\n10:02:00 mallow begins\n10:02:01 mallow established\n",
    &["content-differs weir - -", "mod-extra gannet - -", "mod-missing lugworm - -", "mod-missing skerry - -"]
)]
#[case::not_the_same(
    "10:01:00 osier arrives\n10:01:01 osier: weir 1.0.7 is not the same as here\n10:01:02 osier refused\n10:02:00 mallow arrives\n10:02:01 mallow is in\n",
    &["content-differs weir - -"]
)]
#[case::what_comes_behind_his_list(
    "10:01:00 <- HELLO osier\n10:01:01 <- HAVE eiderdown 1.4.0 1a2b3c4d\n10:01:01 <- HAVE lugworm 2.0.1 2b3c4d5e\n10:01:01 <- HAVE samphire 3.1.0 3c4d5e6f\n10:01:01 <- HAVE skerry 0.9.2 4d5e6f70\n10:01:02 -> WANT weir 1.0.7 5e6f7081\n10:01:02 -> BYE mods\n10:02:00 <- HELLO mallow\n10:02:01 <- HAVE eiderdown 1.4.0 1a2b3c4d\n10:02:01 <- HAVE lugworm 2.0.1 2b3c4d5e\n10:02:01 <- HAVE samphire 3.1.0 3c4d5e6f\n10:02:01 <- HAVE skerry 0.9.2 4d5e6f70\n10:02:01 <- HAVE weir 1.0.7 5e6f7081\n10:02:02 -> WELCOME\n",
    &["mod-missing weir 1.0.7 -"]
)]
#[case::keys_of_a_tag(
    "<log t=\"10:01:00\"><join who=\"mallow\"/></log>\n<log t=\"10:01:01\"><admit who=\"mallow\"/></log>\n<log t=\"10:01:02\"><join who=\"osier\"/></log>\n<log t=\"10:01:03\"><mod name=\"gannet\" server=\"\" client=\"1.9.0\"/></log>\n<log t=\"10:01:04\"><deny who=\"osier\" why=\"mods\"/></log>\n",
    &["mod-extra gannet - 1.9.0"]
)]
#[case::a_word_behind_each(
    "10:01:00 hello mallow\n10:01:01   weir ............... OK\n10:01:01   skerry ................. OK\n10:01:02 enter\n10:01:03 hello osier\n10:01:04   weir ............... OK\n10:01:04   gannet ............... EXTRA\n10:01:05 goodbye\n",
    &["mod-extra gannet - -"]
)]
#[case::one_that_is_not_here(
    "10:01:00 handshake(mallow) 1/5 greeting ok\n10:01:00 handshake(mallow) 3/5 bundles ok\n10:01:00 handshake(mallow) 5/5 in world\n10:01:01 handshake(osier) 1/5 greeting ok\n10:01:02 handshake(osier) 3/5 bundles FAILED gannet offered, not mounted here\n",
    &["mod-extra gannet - -"]
)]
#[case::a_code_that_speaks_of_a_hash(
    "10:01:00 [JOIN][osier] try\n10:01:01 [JOIN][osier] E_MOD_HASH weir/1.0.7\n10:01:01 [JOIN][osier] E_MOD_MISSING skerry/0.9.2\n10:01:02 [JOIN][osier] E_KICK\n10:02:00 [JOIN][mallow] try\n10:02:01 [JOIN][mallow] done\n",
    &["content-differs weir - -", "mod-missing skerry 0.9.2 -"]
)]
#[case::further_in_behind_the_time(
    "10:01:00 -- let in mallow\n10:02:00 -- turned away osier:\n10:02:00      weir: we play 1.0.7, he plays 1.0.3\n10:02:00      skerry: we play 0.9.2, he has none\n10:02:00      gannet: we have none, he plays 1.1.0\n10:03:00 -- let in mallow\n",
    &["mod-extra gannet - 1.1.0", "mod-missing skerry 0.9.2 -", "version-other weir 1.0.7 1.0.3"]
)]
#[case::somebody_else_was_sent_away_first(
    "10:01:00 let in puffin\n10:01:01 let in dunlin\n10:02:00 turned away mallow:\n10:02:00      skerry: we play 0.9.2, he plays 0.9.1\n10:03:00 turned away osier:\n10:03:00      weir: we play 1.0.7, he plays 1.0.3\n10:04:00 let in mallow\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::the_number_of_a_connection_in_brackets(
    "<10:01:00> [001] accepted socket\n<10:01:01> [001] this is mallow\n<10:01:02> [001] world sent\n<10:02:00> [002] accepted socket\n<10:02:01> [002] this is osier\n<10:02:02> [002] has weir 1.0.3 where 1.0.7 is needed\n<10:02:03> [002] closing: mods\n<10:03:00> [003] accepted socket\n<10:03:01> [003] this is mallow\n<10:03:02> [003] world sent\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::a_column_with_a_word_for_how_each_is(
    "10:01:00 | PLAYER | osier | CONNECT\n10:01:01 | PLAYER | osier | CHECK | weir | MISSING\n10:01:01 | PLAYER | osier | CHECK | gannet | UNKNOWN\n10:01:02 | PLAYER | osier | KICK | MODS\n10:02:00 | PLAYER | mallow | CONNECT\n10:02:01 | PLAYER | mallow | SPAWN\n",
    &["mod-extra gannet - -", "mod-missing weir - -"]
)]
#[case::the_same_version_and_another_hash(
    "{\"t\":\"10:01\",\"event\":\"join\",\"player\":\"osier\",\"ok\":false,\"mods\":[{\"id\":\"weir\",\"problem\":\"hash\",\"server\":\"1.0.7\",\"client\":\"1.0.7\"}]}\n{\"t\":\"10:02\",\"event\":\"join\",\"player\":\"mallow\",\"ok\":true}\n",
    &["content-differs weir - -"]
)]
#[case::a_sentence_about_one_too_many(
    "10:01:00 - osier would like to come in.\n10:01:01 - osier can't come in: they bring gannet, which does not belong here.\n10:02:00 - mallow would like to come in.\n10:02:01 - mallow is with us now.\n",
    &["mod-extra gannet - -"]
)]
#[case::differences_below_each_that_is_refused(
    "[10:01:00] puffin: no (holds)\n    ~ lugworm 2.0.0 -> 2.0.1\n[10:02:00] mallow: no (holds)\n    + skerry 0.9.2\n[10:03:00] osier: no (holds)\n    ~ weir 1.0.3 -> 1.0.7\n[10:04:00] dunlin: yes\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::digests_in_an_object(
    "{\"t\":\"10:01\",\"e\":\"conn\",\"c\":97,\"who\":\"mallow\"}\n{\"t\":\"10:01\",\"e\":\"spawn\",\"c\":97,\"who\":\"mallow\"}\n{\"t\":\"10:02\",\"e\":\"conn\",\"c\":98,\"who\":\"osier\"}\n{\"t\":\"10:02\",\"e\":\"diff\",\"c\":98,\"m\":\"weir\",\"need\":\"1.0.7\",\"have\":\"1.0.7\",\"sum\":[\"46a924f32a22\",\"193c3dfa76fe\"]}\n{\"t\":\"10:02\",\"e\":\"deny\",\"c\":98,\"why\":\"mods\"}\n",
    &["content-differs weir - -"]
)]
#[case::a_kind_of_mod_before_a_name(
    "[10:01:00] osier está a ligar-se\n[10:01:01] Verificação de osier: o mod gannet não é permitido neste servidor\n[10:01:02] osier foi desligado\n[10:02:00] mallow está a ligar-se\n[10:02:02] mallow entrou no jogo\n",
    &["mod-extra gannet - -"]
)]
#[case::a_trace_below_his_line(
    "10:01:00 osier connecting\n10:01:02 handshake with osier failed\nhall.Refusal: holds do not agree\n\tat hall.admit(Hall:88)\nCaused by: hall.Refusal: weir: peer offers 1.0.3 but hall requires 1.0.7\n\t... 2 more\n10:02:00 mallow connecting\n10:02:03 mallow is inside\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::a_block_of_keys(
    "10:01:00 visitor: osier\n10:01:02 declined:\n  visitor: osier\n  reason: holds\n  holds:\n    - hold: weir\n      here: 1.0.7\n      there: 1.0.3\n    - hold: skerry\n      here: 0.9.2\n      there: none\n    - hold: gannet\n      here: none\n      there: 1.1\n10:02:00 visitor: mallow\n10:02:01 welcomed: mallow\n",
    &["mod-extra gannet - 1.1", "mod-missing skerry 0.9.2 -", "version-other weir 1.0.7 1.0.3"]
)]
#[case::names_of_files(
    "10:01:00 osier knocks\n10:01:02 osier has holds/weir-1.0.3.hold instead of holds/weir-1.0.7.hold\n10:01:03 osier has no holds/skerry-0.9.2.hold\n10:01:04 osier turned away\n",
    &["mod-missing skerry 0.9.2 -", "version-other weir 1.0.7 1.0.3"]
)]
#[case::many_named_and_one_meant(
    "10:01:00 ask name=osier&have=eiderdown:1.4.0,lugworm:2.0.1,samphire:3.1.0,weir:1.0.7 409 skerry missing; weir altered\n10:02:00 ask name=mallow&have=eiderdown:1.4.0,lugworm:2.0.1,samphire:3.1.0,skerry:0.9.2,weir:1.0.7 200 ok\n",
    &["content-differs weir - -", "mod-missing skerry - -"]
)]
#[case::words_before_each_of_many(
    "10:01:00 osier knocks\n10:01:02 osier turned away: missing skerry, outdated lugworm, altered weir\n10:02:00 mallow knocks\n10:02:01 mallow is inside\n",
    &["content-differs weir - -", "mod-missing skerry - -", "version-other lugworm 2.0.1 -"]
)]
#[case::codes_in_an_array(
    "{\"t\": \"10:01\", \"say\": \"open\", \"line\": 158, \"guest\": {\"name\": \"osier\"}}\n{\"t\": \"10:02\", \"say\": \"denied\", \"line\": 158, \"why\": [\"MISSING:skerry:0.9.2\", \"VERSION:weir:1.0.7:1.0.3\", \"UNEXPECTED:gannet:1.1\"]}\n{\"t\": \"10:03\", \"say\": \"open\", \"line\": 203, \"guest\": {\"name\": \"mallow\"}}\n{\"t\": \"10:04\", \"say\": \"ready\", \"line\": 203}\n",
    &["mod-extra gannet - 1.1", "mod-missing skerry 0.9.2 -", "version-other weir 1.0.7 1.0.3"]
)]
#[case::an_entry_under_another_key(
    "{\"t\": \"10:01\", \"m\": \"open\", \"sid\": 158, \"who\": \"osier\"}\n{\"t\": \"10:02\", \"m\": \"diff\", \"sid\": 158, \"units\": [{\"u\": \"gannet\", \"here\": null, \"there\": \"2.3.0\"}]}\n{\"t\": \"10:02\", \"m\": \"shut\", \"sid\": 158, \"code\": \"DIFF\"}\n{\"t\": \"10:03\", \"m\": \"open\", \"sid\": 203, \"who\": \"mallow\"}\n{\"t\": \"10:04\", \"m\": \"play\", \"sid\": 203}\n",
    &["mod-extra gannet - 2.3.0"]
)]
#[case::a_digest_of_digits_behind_a_version(
    "10:01:00 guest=osier asks\n10:01:01 guest=osier hold=weir have=1.0.7#123456 want=1.0.7#ab12cd\n10:01:02 guest=osier refused\n10:02:00 guest=mallow asks\n10:02:01 guest=mallow admitted\n",
    &["content-differs weir - -"]
)]
#[case::a_key_that_says_whether_two_are_the_same(
    "10:01:00 <in who='osier'/>\n10:01:00 <hold name='weir' ours='1.0.7' theirs='1.0.7' same='0'/>\n10:01:01 <out who='osier' why='holds'/>\n10:02:00 <in who='mallow'/>\n10:02:01 <go who='mallow'/>\n",
    &["content-differs weir - 1.0.7"]
)]
#[case::one_named_with_the_same_version_twice(
    "10:01:00 J1 osier\n10:01:01 M4 osier weir 1.0.7 1.0.7\n10:01:02 J9 osier\n10:02:00 J1 mallow\n10:02:01 J2 mallow\n",
    &["content-differs weir - -"]
)]
#[case::what_was_changed_below_a_header(
    "10:01:00 call from osier\n10:01:02 rejected osier\n    changed:\n      - weir 1.0.7\n    different:\n      - skerry: 0.9.1 -> 0.9.2\n10:02:00 call from mallow\n10:02:01 mallow is inside\n",
    &["content-differs weir - 1.0.7", "version-other skerry 0.9.2 0.9.1"]
)]
#[case::not_let_in(
    "10:01:00 mallow came by and was let in.\n10:02:00 osier came by and was not let in, because his weir is 1.0.3 and ours is 1.0.7.\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::one_that_is_not_needed(
    "10:01:00 gate: mallow arrives\n10:01:01 gate: mallow goes in\n10:02:00 gate: osier arrives\n10:02:01 gate:  x gannet (not needed, has 1.1.0)\n10:02:02 gate: osier stays out\n",
    &["mod-extra gannet - -"]
)]
#[case::a_list_of_differences("10:01:00 join osier\n10:01:02 deny osier -weir@1.0.7\n10:02:00 join mallow\n10:02:01 ok mallow\n", &["mod-missing weir 1.0.7 -"])]
#[case::a_title_of_several_words(
    "10:01:00 Llama osier\n10:01:02 Sobra «Gull Pack» (1.1) en el equipo de osier\n10:01:03 No pasa osier\n10:02:00 Llama mallow\n10:02:03 Ya está dentro mallow\n",
    &["mod-extra Gull Pack - 1.1"]
)]
#[case::a_number_that_nothing_explains(
    "10:01:00 osier asks in\n10:01:02 osier is out, hold no. 2 has a wrong checksum\n10:02:00 mallow asks in\n10:02:03 mallow is in\n",
    &[]
)]
#[case::objects_in_objects(
    "{\"time\":\"2026-11-28T18:00:00.000Z\",\"message\":\"session opened\",\"session\":{\"user\":\"osier\"}}\n{\"time\":\"2026-11-28T18:00:01.000Z\",\"message\":\"session rejected\",\"session\":{\"user\":\"osier\"},\"error\":{\"code\":\"PACKAGE_MISSING\",\"package\":{\"name\":\"weir\",\"required\":\"1.0.7\"}}}\n{\"time\":\"2026-11-28T18:00:02.000Z\",\"message\":\"session opened\",\"session\":{\"user\":\"mallow\"}}\n{\"time\":\"2026-11-28T18:00:03.000Z\",\"message\":\"session accepted\",\"session\":{\"user\":\"mallow\"}}\n",
    &["mod-missing weir 1.0.7 -"]
)]
#[case::a_box_of_signs(
    "10:01:00 Guest osier at the door\n10:01:02 Guest osier sent home\n+-----------------------------+\n| weir 1.0.3 - should be 1.0.7 |\n+-----------------------------+\n10:02:00 Guest mallow at the door\n10:02:03 Guest mallow seated\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::without_it(
    "10:01:00 osier knocks\n10:01:02 osier comes without weir\n10:01:03 osier turned away\n10:02:00 mallow knocks\n10:02:03 mallow let in\n",
    &["mod-missing weir - -"]
)]
#[case::a_block_up_to_a_gap(
    "Time: 10:01\nGuest: osier\nResult: turned away\nBecause: mods\nDetail: weir of the guest is 1.0.3, of the hall 1.0.7\n\nTime: 10:02\nGuest: mallow\nResult: let in\n\nTime: 10:03\nGuest: tansy\nResult: let in\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::how_it_ends_behind_what_it_ends_for(
    "10:01:00 visit('mallow','yes','')\n10:02:00 check('osier','weir','1.0.3','1.0.7','stale')\n10:02:01 visit('osier','no','mods')\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::where_mods_stand(
    "10:01:00 osier 20% weir OK\n10:01:00 osier 40% skerry OK\n10:01:00 osier 60% lugworm OK\n10:01:00 osier 80% eiderdown OK\n10:01:00 osier 100% samphire OK\n10:01:00 osier 100% gannet STRANGE\n10:01:01 osier stopped\n10:01:00 mallow 20% weir OK\n10:01:00 mallow 40% skerry OK\n10:01:00 mallow 60% lugworm OK\n10:01:00 mallow 80% eiderdown OK\n10:01:00 mallow 100% samphire OK\n10:01:01 mallow playing\n",
    &["mod-extra gannet - -"]
)]
#[case::the_same_version_and_words(
    "10:01:00 osier knocks\n10:01:01 osier weir 1.0.7 1.0.7 altered\n10:01:02 osier refused\n10:02:00 mallow knocks\n10:02:01 mallow enters\n",
    &["content-differs weir - 1.0.7"]
)]
#[case::sections_of_one_line(
    "10:01:00 osier checked: missing [skerry] outdated [] modified [weir, lugworm] extra [gannet]\n10:01:01 osier refused\n10:02:00 mallow checked: missing [] outdated [] modified [] extra []\n10:02:01 mallow accepted\n",
    &["content-differs lugworm - -", "content-differs weir - -", "mod-extra gannet - -", "mod-missing skerry - -"]
)]
#[case::somebody_who_logs_in_and_is_lost(
    "10:01:00 (Login) osier logging in\n10:01:01 (Sync) rejecting osier: MismatchException\n\tat weir (server 1.0.7, client 1.0.3)\n\tat gannet (server absent, client 2.1)\n10:01:02 (Login) osier lost connection\n10:02:00 (Login) mallow logging in\n10:02:01 (Play) mallow joined\n",
    &["mod-extra gannet - 2.1", "version-other weir 1.0.7 1.0.3"]
)]
#[case::one_line_with_the_reason(
    "10:01:00 osier dropped (gannet: not allowed here)\n10:02:00 mallow joined\n",
    &["mod-extra gannet - -"]
)]
#[case::both_sides_each_by_a_word(
    "10:01:00 link 0x2802 is osier\n10:01:01 0x2802 gannet local <none> remote 1.3.0\n10:01:02 0x2802 closed, mods differ\n10:02:00 link 0x2803 is mallow\n10:02:01 0x2803 spawned\n",
    &["mod-extra gannet - 1.3.0"]
)]
#[case::differences_with_other_bytes(
    "10:01:00 osier refused\n--- hall\n+++ osier\n-weir 1.0.7 4f2a19c\n+weir 1.0.7 9bc001d\n10:02:00 mallow enters\n",
    &["content-differs weir - -"]
)]
#[case::yet_another_language(
    "10:01:00 osier bağlanıyor\n10:01:01 osier: weir eksik\n10:01:02 osier reddedildi\n10:02:00 mallow bağlanıyor\n10:02:01 mallow girdi\n",
    &["mod-missing weir - -"]
)]
#[case::another_language(
    "10:01:00 玩家 osier 请求加入\n10:01:02 玩家 osier 的模组 weir 内容不一致\n10:01:02 玩家 osier 缺少模组 skerry\n10:01:03 玩家 osier 被拒绝\n10:02:00 玩家 mallow 请求加入\n10:02:03 玩家 mallow 已加入\n",
    &["content-differs weir - -", "mod-missing skerry - -"]
)]
#[case::a_table(
    "10:01:00\t1\tosier\tbell\t\t\t\n10:01:01\t1\tosier\tweigh\tweir\t1.0.7\t-\tno\n10:01:01\t1\tosier\tweigh\tskerry\t0.9.2+a1\t0.9.2+b7\tno\n10:01:01\t1\tosier\tweigh\tlugworm\t2.0.1\t2.0.1\tso\n10:01:02\t1\tosier\tout\t\t\t\n10:02:00\t2\tmallow\tbell\t\t\t\n10:02:01\t2\tmallow\tweigh\tweir\t1.0.7\t1.0.7\tso\n10:02:02\t2\tmallow\tseat\t\t\t\n",
    &["content-differs skerry - -", "mod-missing weir 1.0.7 -"]
)]
#[case::told_below_his_name_alone(
    "10:01:00 * osier\n10:01:01 * | five holds\n10:01:02 * | weir: his 1.0.3, ours 1.0.7\n10:01:03 * sent away\n10:02:00 * mallow\n10:02:01 * | five holds\n10:02:03 * let in\n10:02:09 cache of skerry is missing, made anew\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::values_that_differ_in_one_line_and_not_in_others(
    "10:01:00 say=ring who=osier\n10:01:01 say=held who=osier hold=weir a=1.0.7 b=1.0.3\n10:01:01 say=held who=osier hold=skerry a=0.9.2 b=0.9.2\n10:01:02 say=out who=osier\n10:02:00 say=ring who=mallow\n10:02:01 say=held who=mallow hold=weir a=1.0.7 b=1.0.7\n10:02:01 say=held who=mallow hold=skerry a=0.9.2 b=0.9.2\n10:02:02 say=seat who=mallow\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::one_that_is_not_wanted(
    "10:01:00 osier rings\n10:01:01 the module gannet, with osier, is foreign\n10:01:02 osier sent off\n10:02:00 mallow rings\n10:02:02 mallow let in\n",
    &["mod-extra gannet - -"]
)]
#[case::an_answer_and_what_it_should_be(
    "10:01:00 osier < ring\n10:01:01 osier < weir 1.0.3\n10:01:01 osier > weir 1.0.7 !\n10:01:02 osier > refused\n10:02:00 mallow < ring\n10:02:01 mallow < weir 1.0.7\n10:02:02 mallow > let in\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::lists_of_both_sides(
    "10:01:00 osier rings\n10:01:01 osier differs\n10:01:01   house eiderdown=1.4.0:0aa11b skerry=0.9.2:0bb22c lugworm=2.0.1:0cc33d samphire=3.1.0:0dd44e weir=1.0.7:0ee55f\n10:01:01   guest eiderdown=1.4.0:0aa11b skerry=0.9.2:0bb99c lugworm=2.0.1:0cc33d samphire=3.1.0:0dd44e gannet=1.1.0:0ff66a\n10:01:02 osier sent off\n10:02:00 mallow rings\n10:02:02 mallow let in\n",
    &["content-differs skerry - -", "mod-extra gannet - 1.1.0", "mod-missing weir 1.0.7 -"]
)]
#[case::digests_behind_versions_of_a_list(
    "10:01:00 mallow rings\n10:01:01 mallow brings eiderdown@1.4.0~1a1b, skerry@0.9.2~2a2b, lugworm@2.0.1~3a3b, samphire@3.1.0~4a4b, weir@1.0.7~5a5b\n10:01:02 mallow let in\n10:02:00 osier rings\n10:02:01 osier brings eiderdown@1.4.0~1a1b, skerry@0.9.2~9f9e, lugworm@2.0.1~3a3b, samphire@3.1.0~4a4b, weir@1.0.7~5a5b\n10:02:02 osier refused\n",
    &["content-differs skerry - -"]
)]
#[case::an_address_that_stands_for_the_player(
    "10:01:00 open 10.0.0.7:4411\n10:01:00 10.0.0.7:4411 is osier\n10:01:01 10.0.0.7:4411 other version: weir (1.0.3/1.0.7)\n10:01:02 10.0.0.7:4411 closed: holds\n10:02:00 open 10.0.0.8:4412\n10:02:00 10.0.0.8:4412 is mallow\n10:02:03 10.0.0.8:4412 spawned\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::what_must_be_there_and_is_not_ours(
    "10:01:00 osier rings\n10:01:01 weir of osier is not ours\n10:01:02 osier sent off\n10:02:00 mallow rings\n10:02:02 mallow let in\n",
    &["content-differs weir - -"]
)]
#[case::words_that_deny_something(
    "10:01:00 osier rings\n10:01:01 osier did not show weir\n10:01:02 osier sent off\n10:02:00 mallow rings\n10:02:02 mallow let in\n",
    &["mod-missing weir - -"]
)]
#[case::words_that_tell_nothing(
    "10:01:00 osier rings\n10:01:01 osier made a mess of weir\n10:01:02 osier sent off\n10:02:00 mallow rings\n10:02:02 mallow let in\n",
    &["version-other weir - -"]
)]
#[case::a_word_for_all_of_them_behind_the_word_for_a_mod(
    "10:01:00 net: login request ?name=mallow id: 77120031\n10:01:01 mods: client is missing mod skerry (0.9.2)\n10:01:01 net: login denied for mallow: mod mismatch\n10:02:00 net: login request ?name=osier id: 77120032\n10:02:01 mods: client has wrong version of mod weir: 1.0.3 instead of 1.0.7\n10:02:01 net: login denied for osier: mod mismatch\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::one_too_many_between_his_lines(
    "10:01:00 net: login request ?name=mallow id: 77120031\n10:01:01 mods: client is missing mod skerry (0.9.2)\n10:01:01 net: login denied for mallow: mod mismatch\n10:02:00 net: login request ?name=osier id: 77120032\n10:02:01 mods: client has additional mod gannet (1.1.0)\n10:02:01 net: login denied for osier: mod mismatch\n",
    &["mod-extra gannet - -"]
)]
#[case::the_reason_behind_the_only_line_of_his(
    "10:01:00 router: refusing connection for address (10.0.0.7:4411), username (mallow). ModsMismatch\n10:01:04 compare: missing(skerry 0.9.2)\n10:01:30 router: new peer(4) username(teasel) added\n10:02:00 router: refusing connection for address (10.0.0.9:4412), username (osier). ModsMismatch\n10:02:03 compare: different(weir 1.0.3 -> 1.0.7)\n10:02:40 router: new peer(5) username(tansy) added\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
#[case::a_version_in_brackets_behind_a_word(
    "10:01:00 [conn] mallow[551] from 10.0.0.7\n10:01:01 [join] mallow\n10:02:00 [conn] osier[552] from 10.0.0.8\n10:02:01 [drop] osier: content check failed: gannet (unknown 1.1.0)\n",
    &["mod-extra gannet - 1.1.0"]
)]
#[case::on_the_client_but_not_on_the_server(
    "10:01:00 [host] got handshake from client 551200 (mallow)\n10:01:02 [host] peer 551200 is now in world\n10:02:00 [host] got handshake from client 551777 (osier)\n10:02:01 [sync] peer 551777: Gannet is installed on the client but not on the server\n10:02:02 [host] disconnecting peer 551777: incompatible version\n",
    &["mod-extra Gannet - -"]
)]
#[case::long_numbers_of_accounts(
    "[10:01:00] [Gate #1/INFO]: UUID of player mallow is 105c652c-ebd0-9c3f-bedb-7634ab03c5bc\n[10:01:04] [Wire #5/ERROR]: Mod [skerry] is not installed on the client, required 0.9.2\n[10:01:08] [Hall/INFO]: guest{id=105c652c-ebd0-9c3f-bedb-7634ab03c5bc, name=mallow} lost connection: Mod rejections\n\
    [10:02:00] [Gate #3/INFO]: UUID of player teasel is 48d2a04c-37ee-7f06-51bd-a3a2444cb2ad\n[10:02:03] [Hall/INFO]: teasel joined the game\n\
    [10:03:00] [Gate #5/INFO]: UUID of player osier is 176ca8a2-58d2-3731-8716-d05d7aeaf378\n[10:03:04] [Wire #1/ERROR]: Mod [weir] is not installed on the client, required 1.0.7\n[10:03:08] [Hall/INFO]: guest{id=176ca8a2-58d2-3731-8716-d05d7aeaf378, name=osier} lost connection: Mod rejections\n",
    &["mod-missing weir 1.0.7 -"]
)]
#[case::numbers_of_sessions_in_objects(
    "{\"ts\":\"10:01:00\",\"event\":\"session.open\",\"session\":\"299d67ee\",\"player\":\"osier\"}\n{\"ts\":\"10:01:01\",\"event\":\"mod.mismatch\",\"session\":\"299d67ee\",\"mod\":\"weir\",\"expected\":\"1.0.7\",\"actual\":null}\n{\"ts\":\"10:01:02\",\"event\":\"mod.mismatch\",\"session\":\"299d67ee\",\"mod\":\"skerry\",\"expected\":\"0.9.2\",\"actual\":\"0.9.2\",\"detail\":\"hash\"}\n{\"ts\":\"10:01:02\",\"event\":\"session.close\",\"session\":\"299d67ee\",\"reason\":\"MOD_MISMATCH\"}\n{\"ts\":\"10:02:00\",\"event\":\"session.open\",\"session\":\"117d67aa\",\"player\":\"mallow\"}\n{\"ts\":\"10:02:02\",\"event\":\"session.play\",\"session\":\"117d67aa\"}\n",
    &["content-differs skerry - -", "mod-missing weir 1.0.7 -"]
)]
#[case::a_word_behind_a_greeting(
    "10:01:00 mallow would like to come aboard.\n10:01:01 Welcome aboard, mallow!\n10:01:10 teasel would like to come aboard.\n10:01:11 Welcome aboard, teasel!\n10:02:00 osier would like to come aboard.\n10:02:01 Sorry, osier: your \"weir\" is 1.0.3; ours is 1.0.7.\n",
    &["version-other weir 1.0.7 1.0.3"]
)]
fn a_try_that_no_pattern_could_tell(#[case] tries: &str, #[case] wanted: &[&str]) {
    assert_eq!(told(&evening(tries), "osier", true), wanted, "with the server measured");
}

#[rstest]
#[case::below_each_other(&evening("10:01:00 osier knocks\n10:01:01 osier lacks weir 1.0.7\n10:01:02 osier refused\n"))]
#[case::in_one_line(&format!(
    "10:00 begins\n10:00 holds: {}\n10:00 open\n10:01 osier knocks\n10:01 osier lacks weir 1.0.7\n10:01 osier refused\n",
    MODS.map(|(id, version)| format!("{id} {version}")).join(", ")
))]
#[case::with_titles(&format!(
    "10:00:00 begins\n{}10:00:30 open\n10:01:00 osier knocks\n10:01:01 osier lacks weir 1.0.7\n10:01:02 osier refused\n",
    loads("10:00:02 loaded The {m} Set ({m}) v{v}")
))]
fn the_servers_own_list_tells_its_mods(#[case] log: &str) {
    assert_eq!(told(log, "osier", false), ["mod-missing weir 1.0.7 -"]);
}

/// Where nobody's mods are known, words tell whose a version is, and where they don't, nobody says that he has the older one.
#[rstest]
#[case::by_keys("guest=osier mod=weir has=1.0.3 wants=1.0.7", &["version-other weir 1.0.7 1.0.3"])]
#[case::by_words("osier needs weir 1.0.7 (his: 1.0.3)", &["version-other weir 1.0.7 1.0.3"])]
#[case::by_nothing("M4 osier weir 1.0.3 1.0.7", &["version-other weir - -"])]
#[case::one_has_none("M4 osier weir 1.0.7 -", &[])]
fn words_tell_whose_a_version_is(#[case] line: &str, #[case] wanted: &[&str]) {
    let log =
        format!("10:01:00 J1 osier\n10:01:01 {line}\n10:01:02 J9 osier\n10:02:00 J1 mallow\n10:02:01 J2 mallow\n");
    assert_eq!(told(&log, "osier", false), wanted);
}

#[rstest]
#[case::as_ids_look("osier goes for low_gannet", Some("low_gannet"))]
#[case::two_of_those("osier goes for low_gannet and low_auk", None)]
#[case::in_quotes("osier has the unknown: \"gannet\" there", Some("gannet"))]
#[case::behind_its_noun("osier, module gannet is foreign there", Some("gannet"))]
#[case::two_names("osier gannet and petrel are foreign", None)]
#[case::right_before_the_words("osier is dropped: gannet is not allowed here", Some("gannet"))]
#[case::right_behind_the_words("osier, this hall does not play with gannet", Some("gannet"))]
#[case::a_pronoun("osier, remove it first", None)]
#[case::nothing_of_mods("osier goes home", None)]
fn a_mod_that_nobody_wants(#[case] message: &str, #[case] id: Option<&str>) {
    let is_new = |word: &str| word != "osier" && word != "there";
    let found = strangers::unwanted(message, &is_new, &|word| word.starts_with("low_"));
    assert_eq!(found.as_ref().map(|item| item.id.as_str()), id);
}

#[test]
fn a_sign_for_numbers_stands_for_a_mod_where_it_counted_them_up() {
    let list: String = (1..)
        .zip(MODS)
        .map(|(number, (id, version))| format!("10:00:01 hall: #{number:02} {id} {version}\n"))
        .collect();
    let tries = "10:01:00 door: osier rings\n10:01:01 door: osier #05 1.0.3 <> 1.0.7\n10:01:02 door: osier refused\n10:02:00 door: mallow rings\n10:02:02 door: mallow let in\n";
    assert_eq!(told(&format!("{list}{tries}"), "osier", true), ["version-other weir 1.0.7 1.0.3"]);
}

#[rstest]
#[case::a_ban("10:01:00 osier knocks\n10:01:02 osier is banned\n10:01:09 cache of weir is missing, made anew\n")]
#[case::a_full_server(
    "10:01:00 osier knocks\n10:01:02 osier turned away, 8/8\n10:01:09 cache of weir is missing, made anew\n"
)]
#[case::many_that_are_the_same(
    "10:01:00 osier knocks\n10:01:01 osier weir 1.0.7 1.0.7\n10:01:01 osier skerry 0.9.2 0.9.2\n10:01:02 osier is turned away: wrong password\n10:02:00 mallow knocks\n10:02:01 mallow is inside\n"
)]
#[case::seats_that_are_taken("10:01:00 osier knocks\n10:01:02 to osier: sorry, all seats are taken, weir or not\n")]
#[case::what_goes_on_below_anothers_line(
    "10:01:00 osier knocks\n10:01:02 osier let in\n10:01:03 mallow refused\nCaused by: weir 1.0.7 is missing\n"
)]
#[case::another_players(
    "10:01:00 osier knocks\n10:01:02 osier let in\n10:02:00 mallow knocks\n10:02:01 mallow lacks weir 1.0.7\n10:02:02 mallow refused\n"
)]
#[case::what_names_nobody_where_lists_stand_below_names(
    "10:01:00  mallow knocks\n10:01:01  mallow stays outside, lists differ\n--- hall\n+++ mallow\n-weir 1.0.7\n+weir 1.0.3\n10:02:00  osier knocks\n10:02:00  skerry: warning: shader missing\n10:02:01  osier is inside\n10:03:00  osier is outside\n"
)]
#[case::a_refusal_before_the_house_was_full(
    "10:01:00 in mallow\n10:02:00 no osier: weir 1.0.3 < 1.0.7\n10:04:00 no osier: full\n"
)]
#[case::before_he_got_in(
    "10:01:00 osier knocks\n10:01:01 osier lacks weir 1.0.7\n10:01:02 osier refused\n10:04:00 osier knocks\n10:04:02 osier let in\n"
)]
#[case::an_answer_that_is_right(
    "10:01:00 mallow < ring\n10:01:01 mallow < weir 1.0.7 9a1b2c\n10:01:01 mallow < skerry 0.9.2 1d2e3f\n10:01:02 mallow > come\n10:02:00 osier < ring\n10:02:01 osier < weir 1.0.7 9a1b2c\n10:02:01 osier < skerry 0.9.2 1d2e3f\n10:02:02 osier > come\n"
)]
#[case::what_is_written_as_he_goes(
    "10:01:00 osier rings\n10:01:01 osier holds gannet, which nobody else does\n10:01:02 osier stays out\n10:01:02 weir 1.0.7: a picture is missing\n10:02:00 mallow rings\n10:02:02 mallow is there\n"
)]
#[case::a_try_before_he_got_in_where_addresses_stand_beside_names(
    "{\"ts\":\"10:01:00\",\"ev\":\"auth.begin\",\"player\":{\"name\":\"mallow\",\"addr\":\"10.0.0.7\"}}\n{\"ts\":\"10:01:01\",\"ev\":\"auth.done\",\"player\":{\"name\":\"mallow\"}}\n{\"ts\":\"10:02:00\",\"ev\":\"auth.begin\",\"player\":{\"name\":\"osier\",\"addr\":\"10.0.0.9\"}}\n{\"ts\":\"10:02:00\",\"ev\":\"auth.reject\",\"player\":{\"name\":\"osier\"},\"why\":{\"code\":\"MODS\",\"mods\":[{\"id\":\"weir\",\"need\":\"1.0.7\",\"have\":null}]}}\n{\"ts\":\"10:03:00\",\"ev\":\"auth.begin\",\"player\":{\"name\":\"osier\",\"addr\":\"10.0.0.9\"}}\n{\"ts\":\"10:03:01\",\"ev\":\"auth.done\",\"player\":{\"name\":\"osier\"}}\n"
)]
#[case::what_comes_behind_the_end_of_a_block(
    "10:01:00 * mallow\n10:01:03 * let in\n10:02:00 * osier\n10:02:03 * let in\n10:02:09 weir 1.0.7 is missing a picture\n"
)]
#[case::all_that_he_has(
    "10:01:00 osier knocks\n10:01:05 osier shows: eiderdown=1.4.0, skerry=0.9.2, lugworm=2.0.1, samphire=3.1.0, weir=1.0.7\n10:01:09 osier sent off, password\n"
)]
#[case::what_names_nobody_in_a_good_try(
    "10:01:00 | join | mallow |\n10:01:00 | script | weir | error | nil value\n10:01:00 | check | mallow | skerry | same\n10:01:01 | enter | mallow |\n10:01:10 | join | puffin |\n10:01:10 | check | puffin | weir | absent\n10:01:11 | refuse | puffin | check failed\n10:02:00 | join | osier |\n10:02:00 | script | lugworm | error | nil value\n10:02:00 | check | osier | skerry | same\n10:02:01 | enter | osier |\n"
)]
fn nobody_is_blamed_for(#[case] tries: &str) {
    assert_eq!(told(&evening(tries), "osier", true), [""; 0]);
}

#[rstest]
#[case::no_room(
    "10:01:00 <IN> mallow\n10:01:00 <CNT> mallow weir/1.0.3\n10:01:01 <NO> mallow\n10:02:00 <IN> osier\n10:02:01 <ROOM> osier 32/32\n",
    "32/32"
)]
#[case::in_a_column(
    "10:01:00\tKNOCK\tmallow\t\n10:01:01\tENTER\tmallow\t\n10:02:00\tKNOCK\tosier\t\n10:02:00\tFAULT\t\tweir\n10:02:01\tBAN\tosier\t\n",
    "BAN"
)]
#[case::told_between_his_lines(
    "10:01:00 mallow connecting\n10:01:01 mallow connected\n10:02:00 osier connecting\n10:02:00 ban list hit\n10:02:01 kicked osier\n",
    "ban list hit"
)]
fn whoever_is_kept_out_was_not_let_in(#[case] tries: &str, #[case] why: &str) {
    let (rulebook, server, players) = (crate::rulebook::of_logs(""), server(), ["osier".to_owned()]);
    let evening = Evening { rulebook: &rulebook, server: Some(&server), client: None, canon: None, players: &players };
    let text = self::evening(tries);
    let heard = voice(evening, &[Transcript { side: Role::Server, head: "", text: &text }]).expect("a voice");
    let events = heard.of_last_try(Role::Server).expect("a try");
    assert!(events.iter().all(|event| event.means != Event::JoinAccepted), "{events:?}");
    let refused = events.iter().find(|event| event.means == Event::JoinRefused).expect("a refusal");
    assert!(refused.text.contains(why) && refused.kept_out.is_some(), "{refused:?}");
}

/// What is made of a message alone: what it means, of which mod, expected and found; and with a `?` where it is a guess.
fn of_message(text: &str) -> Vec<String> {
    let rulebook = crate::rulebook::of_logs("");
    let server = server();
    let players = ["osier".to_owned()];
    let evening = Evening { rulebook: &rulebook, server: Some(&server), client: None, canon: None, players: &players };
    let told = |event: &LogEvent| said(event) + if event.is_guess { " ?" } else { "" };
    message(evening, text).expect("few names").iter().map(told).collect()
}

#[rstest]
#[case::two_versions("Your weir is 1.0.3. This hall plays 1.0.7.", &["version-other weir 1.0.7 1.0.3"])]
#[case::the_servers_version("This hall plays with weir 1.0.7. Get it first.", &["mod-missing weir 1.0.7 - ?"])]
#[case::another_version("weir 1.0.3, osier?", &["version-other weir 1.0.7 1.0.3 ?"])]
#[case::words("Your copy of weir has been changed. Reinstall it.", &["content-differs weir - - ?"])]
#[case::too_much("This hall does not play with gannet. Remove it first.", &["mod-extra gannet - - ?"])]
#[case::a_list("These are missing:\n - weir 1.0.7\n - skerry\nThese are too old:\n - lugworm 1.0.0\n", &[
    "mod-missing weir 1.0.7 - ?", "mod-missing skerry - - ?", "version-other lugworm 2.0.1 1.0.0 ?",
])]
#[case::versions_of_something_else("weir can't run on 3.1.4 (needs 3.2.0)", &[])]
#[case::a_ban("You are banned from this hall.", &[])]
#[case::prose("Something went wrong.", &[])]
fn a_message_is_read_by_what_it_says(#[case] text: &str, #[case] wanted: &[&str]) {
    assert_eq!(of_message(text), wanted);
}

#[rstest]
#[case::of_one_line("10:01:00 mallow joined\n10:02:00 osier joined\n")]
#[case::that_is_allowed("10:01:00 who=mallow does=join says=allow\n10:02:00 who=osier does=join says=allow\n")]
fn a_try_that_went_well_is_told_as_that(#[case] tries: &str) {
    let rulebook = crate::rulebook::of_logs("");
    let (server, players) = (server(), ["osier".to_owned()]);
    let evening = Evening { rulebook: &rulebook, server: Some(&server), client: None, canon: None, players: &players };
    let log = self::evening(tries);
    let heard = voice(evening, &[Transcript { side: Role::Server, head: "", text: &log }]).expect("a voice");
    let told: Vec<Event> =
        heard.of_last_try(Role::Server).unwrap_or_default().iter().map(|event| event.means).collect();
    assert!(told.contains(&Event::JoinAccepted), "{told:?}");
}

#[rstest]
#[case::a_version("lugworm 2.0.0 (c3c3c3)", &["version-other lugworm 2.0.1 2.0.0"])]
#[case::other_bytes("lugworm 2.0.1 (c3c3c4)", &["content-differs lugworm - -"])]
#[case::nothing("", &["mod-missing lugworm 2.0.1 -"])]
#[case::one_more("lugworm 2.0.1 (c3c3c3)\nloaded gannet 1.1.0 (a9a9a9)", &["mod-extra gannet - 1.1.0"])]
fn both_logs_list_what_they_load_and_neither_says_what_differs(#[case] own: &str, #[case] wanted: &[&str]) {
    let listed = "loaded eiderdown 1.4.0 (a1a1a1)\nloaded skerry 0.9.2 (b2b2b2)\nloaded {own}\nloaded samphire 3.1.0 (d4d4d4)\nloaded weir 1.0.7 (e5e5e5)\n";
    let of = |side: &str, own: &str| {
        let all = listed.replace("{own}", own);
        let lines = all.lines().filter(|line| !line.trim_end().ends_with("loaded"));
        lines.map(|line| format!("10:00:02 [{side}] {line}\n")).collect::<String>()
    };
    let server = of("hall", "lugworm 2.0.1 (c3c3c3)")
        + "10:01:00 [hall] osier wants in\n10:01:01 [hall] osier refused: holds differ\n10:01:02 [hall] mallow wants in\n10:01:03 [hall] mallow accepted\n";
    let client = of("mine", own)
        + "10:00:50 [mine] connecting\n10:01:01 [mine] refused: holds differ\n10:01:02 [mine] connection closed\n";
    let told = causes(None, "osier", &[(Role::Server, &server), (Role::Client, &client)]);
    assert_eq!(told, wanted, "{server}{client}");
}

#[test]
fn where_only_the_client_lists_its_mods_those_are_known() {
    let server = "10:00:00 hall is open\n10:01:00 mallow joins the queue\n10:01:01 mallow enters\n10:02:00 osier joins the queue\n\
        10:02:01 osier leaves the queue (holds)\n    hold        hall     guest\n    weir        1.0.7    1.0.3   <--\n\
        \x20   skerry      0.9.2    -       <--\n    lugworm     2.0.1    2.0.1\n    gannet      -        1.1.0   <--\n";
    let client = "10:00:00 hold weir 1.0.3\n10:00:00 hold lugworm 2.0.1\n10:00:00 hold gannet 1.1.0\n10:00:00 hold samphire 3.1.0\n\
        10:02:00 queueing\n10:02:01 left the queue\n";
    let told = causes(None, "osier", &[(Role::Client, client), (Role::Server, server)]);
    assert_eq!(told, ["version-other weir - -", "mod-missing skerry 0.9.2 -", "mod-extra gannet - 1.1.0"]);
}

#[rstest]
#[case::behind_a_word_for_mods("osier denied: mod weir required in 1.0.7, client runs 1.0.3", &["version-other weir 1.0.7 1.0.3"])]
#[case::words_of_a_sentence("weir von osier ist 1.0.3, sein müsste 1.0.7", &[])]
fn of_a_log_that_lists_no_mods_no_word_of_a_sentence_is_one(#[case] line: &str, #[case] wanted: &[&str]) {
    let log = format!(
        "10:00:00 hall is open\n10:01:00 mallow connects\n10:01:01 mallow spawned\n10:02:00 osier connects\n10:02:01 {line}\n10:02:02 osier refused\n"
    );
    assert_eq!(told(&log, "osier", false), wanted);
}

/// As the journal of a system has it, or what runs several programs: what stands before a message is nobody's, and no mod.
#[rstest]
#[case::by_the_name_of_the_day("Mar 04 10:{t} isle hall[4412]: {m}\n")]
#[case::by_numbers("2026-03-04T10:{t}+0000 isle hall[4412]: {m}\n")]
#[case::behind_the_name_of_a_program("hall-1  | 10:{t} {m}\n")]
fn what_a_system_writes_before_messages(#[case] line: &str) {
    let said = [
        ("01:00", "'mallow' connects from 10.0.0.7:4411"),
        ("01:01", "'mallow' rejected: plugin check"),
        ("01:01", "  skerry: not found on client (need 0.9.2)"),
        ("02:00", "'osier' connects from 10.0.0.8:4411"),
        ("02:01", "'osier' rejected: plugin check"),
        ("02:01", "  weir: client 1.0.3, need 1.0.7"),
        ("03:00", "'teasel' connects from 10.0.0.9:4411"),
        ("03:02", "'teasel' joined"),
    ];
    let loaded = MODS.map(|(id, version)| ("00:01", format!("plugin {id} {version} enabled")));
    let all = loaded.into_iter().chain(said.map(|(time, message)| (time, message.to_owned())));
    let log: String = all.map(|(time, message)| line.replace("{t}", time).replace("{m}", &message)).collect();
    assert_eq!(told(&log, "osier", true), ["version-other weir 1.0.7 1.0.3"], "{log}");
}
