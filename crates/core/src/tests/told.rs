//! The last try of a player in logs of which nobody said anything.

use rstest::rstest;

use super::tests::{MODS, server};
use super::*;
use crate::logs::LogEvent;
use crate::rulebook::Event;

/// What is said of a player's last try: what it means, of which mod, expected and found.
fn told(log: &str, player: &str, is_measured: bool) -> Vec<String> {
    let rulebook = crate::rulebook::of_logs("");
    let server = server();
    let players = [player.to_owned()];
    let server = is_measured.then_some(&server);
    let evening = Evening { rulebook: &rulebook, server, client: None, canon: None, players: &players };
    let heard = voice(evening, &[Transcript { side: Role::Server, head: "", text: log }]).expect("a voice");
    let text = |event: &LogEvent| {
        let id = event.mod_id.as_ref().map_or("-", |id| id.as_str());
        let or = |text: &Option<String>| text.clone().unwrap_or_else(|| "-".to_owned());
        format!("{} {id} {} {}", event.means.word(), or(&event.expected), or(&event.found))
    };
    let events = heard.of_last_try(Role::Server).unwrap_or_default();
    let mut causes: Vec<String> =
        events.iter().filter(|event| matches!(event.means, Event::Cause(_) | Event::ModFailed)).map(text).collect();
    causes.sort();
    causes
}

fn loads(line: &str) -> String {
    MODS.map(|(id, version)| line.replace("{m}", id).replace("{v}", version) + "\n").concat()
}

const START: &str = "10:00:01 stow {m} {v}";

fn evening(tries: &str) -> String {
    format!("10:00:00 hall begins\n{}10:00:30 hall is open\n{tries}", loads(START))
}

#[rstest]
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
#[case::another_language(
    "10:01:00 玩家 osier 请求加入\n10:01:02 玩家 osier 的模组 weir 内容不一致\n10:01:02 玩家 osier 缺少模组 skerry\n10:01:03 玩家 osier 被拒绝\n10:02:00 玩家 mallow 请求加入\n10:02:03 玩家 mallow 已加入\n",
    &["content-differs weir - -", "mod-missing skerry - -"]
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

#[rstest]
#[case::a_ban("10:01:00 osier knocks\n10:01:02 osier is banned\n10:01:09 cache of weir is missing, made anew\n")]
#[case::a_full_server(
    "10:01:00 osier knocks\n10:01:02 osier turned away, 8/8\n10:01:09 cache of weir is missing, made anew\n"
)]
#[case::what_goes_on_below_anothers_line(
    "10:01:00 osier knocks\n10:01:02 osier let in\n10:01:03 mallow refused\nCaused by: weir 1.0.7 is missing\n"
)]
#[case::another_players(
    "10:01:00 osier knocks\n10:01:02 osier let in\n10:02:00 mallow knocks\n10:02:01 mallow lacks weir 1.0.7\n10:02:02 mallow refused\n"
)]
#[case::before_he_got_in(
    "10:01:00 osier knocks\n10:01:01 osier lacks weir 1.0.7\n10:01:02 osier refused\n10:04:00 osier knocks\n10:04:02 osier let in\n"
)]
#[case::all_that_he_has(
    "10:01:00 osier knocks\n10:01:05 osier shows: eiderdown=1.4.0, skerry=0.9.2, lugworm=2.0.1, samphire=3.1.0, weir=1.0.7\n10:01:09 osier sent off, password\n"
)]
fn nobody_is_blamed_for(#[case] tries: &str) {
    assert_eq!(told(&evening(tries), "osier", true), [""; 0]);
}
