//! Writes what was learned as a rulebook: one idea a line, each inference with its evidence above it.

use std::collections::BTreeSet;
use std::fmt::Write;

use super::around;
use super::clue::{Clue, Inferred};
use super::draft::{Answers, Ask, Draft, FORMAT, Fact, Learned};
use super::fields::{Choice, quoted};
use super::mentions::{FoundList, list_name};
use super::overlays::Laid;
use super::question::{Question, Shelves};
use super::shelves::{Facts, ForeignDocument, Shelf, document_line};
use crate::base::path::printable;
use crate::base::stated::Series;
use crate::rulebook::{Holds, NamePattern, Role};

/// Below this a line is marked to be looked at.
const DOUBT: f64 = 0.65;

/// The draft while it is written.
struct DraftWriter<'l> {
    learned: &'l Learned,
    text: String,
    facts: Vec<Fact>,
    questions: Vec<Question>,
    asks: Vec<Ask>,
    /// Questions that may come up for several shelves, with those.
    of_shelves: Vec<(OfShelves, Vec<String>)>,
}

/// A question, once it is known of which shelves it is.
type OfShelves = fn(Shelves) -> Question;

/// Writes the draft.
pub fn write(learned: &Learned, answers: &Answers) -> Draft {
    let mut pen = DraftWriter {
        learned,
        text: String::new(),
        facts: Vec::new(),
        questions: learned.questions.clone(),
        asks: learned.asks.clone(),
        of_shelves: Vec::new(),
    };
    pen.head(answers);
    pen.platforms();
    for (shelf, facts, strangers) in &learned.shelves {
        pen.shelf(shelf, facts, strangers, answers);
    }
    pen.ask_of_shelves();
    if let Some((file, true)) = &learned.ids_from {
        pen.ids_alone(file);
    }
    pen.keyring();
    for (list, both) in &learned.lists {
        pen.list(list, *both);
    }
    pen.settings();
    pen.worlds();
    pen.running();
    pen.logs();
    if learned.shelves.is_empty() && learned.ids_from.is_none() {
        pen.no_shelf();
    }
    Draft {
        format: FORMAT,
        rulebook: pen.text,
        facts: pen.facts,
        open_questions: pen.questions,
        asks: pen.asks,
        seen: learned.seen.clone(),
        unread: learned.unread.clone(),
        no_lists: learned.no_lists.clone(),
        several: learned.several.clone(),
    }
}

impl DraftWriter<'_> {
    fn line(&mut self, text: &str) {
        self.text.push_str(text);
        self.text.push('\n');
    }

    /// A comment; evidence holds words out of files, so that nothing but plain text may pass.
    fn comment(&mut self, text: &str) {
        let _ = writeln!(self.text, "# {}", printable(text));
    }

    fn fact(&mut self, about: &str, value: &str, confidence: f64, clues: &[Clue]) {
        let evidence = clues.iter().map(|clue| printable(&clue.to_string())).collect();
        self.facts.push(Fact { about: about.to_owned(), value: value.to_owned(), confidence, evidence });
    }

    /// A line with its evidence above it, marked when it is doubtful.
    fn inferred(&mut self, about: &str, key: &str, value: &str, (confidence, clues): (f64, &[Clue])) {
        let mark = if confidence < DOUBT { "LOOK AT THIS: " } else { "" };
        if !clues.is_empty() {
            let told: Vec<String> = clues.iter().map(ToString::to_string).collect();
            self.comment(&format!("{mark}{} (sure to {:.0} %)", told.join("; "), confidence * 100.0));
        }
        self.line(&format!("{key} = {value}"));
        self.fact(about, value, confidence, clues);
    }

    fn chosen(&mut self, about: &str, key: &str, choice: &Choice) {
        self.inferred(about, key, &choice.rule, (choice.confidence, &choice.clues));
    }

    fn head(&mut self, answers: &Answers) {
        self.line("format = \"kanon-rulebook/1\"");
        self.line("# Drafted by kanon learn from what it saw. Above each line stands what speaks for it.");
        if answers.game.is_none() {
            self.comment("LOOK AT THIS: the name of the folder; write what the game is called");
            self.asks.push(Ask::Game);
            self.questions.push(Question::Game);
        }
        self.line(&format!("game = {}", quoted(&self.learned.game)));
        self.line("\n[versions]");
        let Learned { scheme, ranges, bare, .. } = self.learned;
        for (key, word) in [("scheme", Some(scheme)), ("ranges", Some(ranges)), ("bare", bare.as_ref())] {
            let Some(Inferred { value, confidence, clues }) = word else { continue };
            self.inferred(&format!("versions: {key}"), key, &quoted(value), (*confidence, clues));
        }
    }

    fn platforms(&mut self) {
        let learned = self.learned;
        if learned.base.is_some() || !learned.base_ids.is_empty() {
            self.line("\n[base]");
            if !learned.base_ids.is_empty() {
                let ids: Vec<String> = learned.base_ids.iter().map(|id| quoted(id)).collect();
                let evidence = [Clue::AskedForAndNoMod];
                self.inferred("the game: ids", "ids", &format!("[{}]", ids.join(", ")), (0.75, &evidence));
            }
            if let Some(stated) = &learned.base {
                let notation = stated.notation.map_or_else(String::new, |word| format!(", notation = \"{word}\""));
                let value =
                    format!("{{ file = {}, at = {}{notation} }}", quoted(stated.file.as_str()), quoted(&stated.at));
                let evidence = [Clue::StandsThere(stated.version.clone())];
                self.inferred("the game: version", "version", &value, (0.7, &evidence));
            }
        }
        if let Some(id) = &learned.loader_id {
            self.line("\n[loader]");
            self.line(&format!("name = {}", quoted(id)));
            let evidence = [Clue::ManyAsk];
            self.inferred("the loader: ids", "ids", &format!("[{}]", quoted(id)), (0.7, &evidence));
            self.ask(Question::LoaderVersion, "version = { file-name = '(?<version>[0-9.]+)' }");
        }
        if let Some((named, ids)) = &learned.loader {
            self.line("\n[loader]");
            self.line(&format!("name = {}", quoted(&named.name)));
            if !ids.is_empty() {
                let ids: Vec<String> = ids.iter().map(|id| quoted(id)).collect();
                self.line(&format!("ids = [{}]", ids.join(", ")));
            }
            let (file, version, name) = (named.file.clone(), named.version.clone(), named.name.clone());
            let evidence = [Clue::FileTells { file, version, name }];
            let value = format!("{{ file-name = '{}' }}", named.pattern);
            self.inferred("the loader: version", "version", &value, (0.8, &evidence));
        }
    }

    fn shelf(&mut self, shelf: &Shelf, facts: &Facts, strangers: &[ForeignDocument], answers: &Answers) {
        let about = |what: &str| format!("shelf {}: {what}", shelf.name);
        self.line("\n[[shelf]]");
        self.line(&format!("name = {}", quoted(&shelf.name)));
        let laid = self.learned.laid.get(&shelf.name);
        let holds = match shelf.holds {
            _ if laid.is_some() => "\"overlays\"",
            Holds::Folders => "\"folders\"",
            Holds::ArchivesOrFolders => "[\"archives\", \"folders\"]",
            Holds::Files => "\"files\"",
            _ => "\"archives\"",
        };
        let evidence = [Clue::Alike(shelf.seen.len())];
        self.inferred(&about("holds"), "holds", holds, (0.85, &evidence));
        let (places, sure) = self.places(shelf);
        let evidence = self.place_evidence(shelf);
        self.inferred(&about("in"), "in", &places, (sure, &evidence));
        if let Some((file, false)) = &self.learned.ids_from {
            let value = format!("{{ server = {} }}", quoted(&self.list_of(file)));
            let evidence = [Clue::OnlyIds];
            self.inferred(&about("ids-from"), "ids-from", &value, (0.75, &evidence));
        }
        self.names(shelf);
        if let Some(tastes) = self.learned.tastes.get(&shelf.name) {
            let patterns: Vec<String> = tastes.value.iter().map(|pattern| quoted(pattern)).collect();
            let value = format!("[{}]", patterns.join(", "));
            self.inferred(&about("settings"), "settings", &value, (tastes.confidence, &tastes.clues));
            self.questions.push(Question::WhoseFiles(Series::of(&tastes.value)));
        }
        if let Some(laid) = laid {
            self.laid(shelf, laid);
        }
        self.line("\n[shelf.mod]");
        self.mod_rule(shelf, facts, answers);
        if let Some((pattern, _)) = &facts.nested {
            self.line("\n[shelf.mod.nested]");
            let evidence = [Clue::ArchivesInside];
            self.inferred(&about("nested"), "match", &format!("[{}]", quoted(pattern)), (0.85, &evidence));
            self.line("depth = 2");
        }
        for stranger in strangers {
            self.stranger(shelf, stranger);
        }
        if let Some(signed) = self.learned.signed.get(&shelf.name) {
            self.line("\n[shelf.signed]");
            let sure = if signed.is_sure { 0.85 } else { 0.5 };
            self.line(&format!("payload = {}", quoted(&signed.payload)));
            self.inferred(&about("signature"), "signature", &quoted(&signed.signature), (0.85, &signed.clues));
            let key =
                self.learned.ring.as_ref().map_or_else(|| "keys/{key}.pub".to_owned(), |(ring, _)| ring.key.clone());
            self.line(&format!("key = {}", quoted(&key)));
            let evidence = [Clue::BySizeAlone];
            self.inferred(&about("signature scheme"), "scheme", &quoted(signed.scheme), (sure, &evidence));
        }
    }

    fn laid(&mut self, shelf: &Shelf, laid: &Laid) {
        self.line("\n[shelf.laid-into]");
        let about = format!("shelf {}: laid into", shelf.name);
        self.inferred(&about, "base", &quoted(&laid.base), (0.85, &laid.clues));
        // A list that names the overlays gives their order.
        if let Some((list, _)) = self.learned.lists.iter().find(|(list, _)| list.strangers.is_empty()) {
            let name = self.unique_name(list);
            self.line(&format!("order = {}", quoted(&name)));
        }
        if !laid.strip.is_empty() {
            let each: Vec<String> =
                laid.strip.iter().map(|(role, pattern)| format!("{role} = {}", quoted(pattern))).collect();
            let evidence = [Clue::NoSuchMembers];
            let about = format!("shelf {}: strip", shelf.name);
            self.inferred(&about, "strip", &format!("{{ {} }}", each.join(", ")), (0.6, &evidence));
        }
    }

    /// Where a shelf is; without a client the same place is assumed there.
    fn places(&mut self, shelf: &Shelf) -> (String, f64) {
        let worlds = &self.learned.worlds;
        let list = |places: &[String]| {
            let each: BTreeSet<String> = places
                .iter()
                .map(|place| if place.is_empty() { ".".to_owned() } else { around::in_any_world(place, worlds) })
                .collect();
            let each: Vec<String> = each.iter().map(|place| quoted(place)).collect();
            if each.len() == 1 { each[0].clone() } else { format!("[{}]", each.join(", ")) }
        };
        let (server, client) = (&shelf.places.server, &shelf.places.client);
        let in_world = server.iter().any(|place| around::in_any_world(place, worlds) != *place);
        let mut parts = Vec::new();
        if !server.is_empty() {
            parts.push(format!("server = {}", list(server)));
        }
        if !client.is_empty() {
            parts.push(format!("client = {}", list(client)));
        } else if !self.learned.has_client && !in_world {
            parts.push(format!("client = {}", list(server)));
            self.about_shelf(Question::ClientPlace, shelf);
            return (format!("{{ {} }}", parts.join(", ")), 0.6);
        }
        (format!("{{ {} }}", parts.join(", ")), 0.9)
    }

    /// A question that may come up for several shelves is asked once, of all of them.
    fn about_shelf(&mut self, question: OfShelves, shelf: &Shelf) {
        let same = |asked: OfShelves| asked(Shelves(Vec::new())) == question(Shelves(Vec::new()));
        match self.of_shelves.iter_mut().find(|(asked, _)| same(*asked)) {
            Some((_, shelves)) => shelves.push(shelf.name.clone()),
            None => self.of_shelves.push((question, vec![shelf.name.clone()])),
        }
    }

    fn ask_of_shelves(&mut self) {
        for (question, shelves) in std::mem::take(&mut self.of_shelves) {
            self.questions.push(question(Shelves(shelves)));
        }
    }

    fn place_evidence(&self, shelf: &Shelf) -> Vec<Clue> {
        let mut clues = Vec::new();
        for (role, places) in [(Role::Server, &shelf.places.server), (Role::Client, &shelf.places.client)] {
            match places.len() {
                0 => {}
                1 => clues.push(Clue::SeenOn(role)),
                places => clues.push(Clue::InPlaces { role, places }),
            }
        }
        clues.extend((!self.learned.has_client).then_some(Clue::NoClient));
        clues
    }

    fn names(&mut self, shelf: &Shelf) {
        let patterns: Vec<String> = shelf.extensions.iter().map(|end| quoted(&format!("*.{end}"))).collect();
        if !patterns.is_empty() {
            self.line(&format!("match = [{}]", patterns.join(", ")));
        }
        if shelf.holds.folders() && !shelf.others.is_empty() {
            let prefix = common_sign(shelf);
            match prefix {
                Some(prefix) => self.line(&format!("match = [{}]", quoted(&format!("{prefix}*")))),
                None => {
                    let others: Vec<String> = shelf.others.iter().filter_map(|other| pattern_of(other)).collect();
                    self.comment("folders beside the mods that are none");
                    self.line(&format!("except = [{}]", others.join(", ")));
                }
            }
        }
        if let Some(most) = shelf.beside.iter().map(|found| found.mods).max() {
            let each: Vec<String> = shelf.beside.iter().map(|found| quoted(&found.template)).collect();
            let read = shelf.beside.iter().any(|found| shelf.documents.contains(&found.template));
            let evidence = [if read { Clue::TellBeside(most) } else { Clue::LieBeside(most) }];
            let about = format!("shelf {}: beside", shelf.name);
            self.inferred(
                &about,
                "beside",
                &format!("[{}]", each.join(", ")),
                (if read { 0.9 } else { 0.75 }, &evidence),
            );
        }
        let off: Vec<String> = shelf.off.iter().map(|off| quoted(off)).collect();
        if !off.is_empty() {
            let evidence = [Clue::NamedOff];
            let about = format!("shelf {}: off", shelf.name);
            self.inferred(&about, "off", &format!("[{}]", off.join(", ")), (0.8, &evidence));
        }
    }

    fn mod_rule(&mut self, shelf: &Shelf, facts: &Facts, answers: &Answers) {
        let about = |what: &str| format!("shelf {}: {what}", shelf.name);
        if let Some(document) = document_line(shelf) {
            let with =
                shelf.seen.iter().filter(|unit| shelf.documents.iter().any(|d| unit.documents.contains_key(d))).count();
            let evidence = [Clue::HaveIt { with, all: shelf.seen.len() }];
            self.inferred(&about("document"), "document", &document, (0.9, &evidence));
        }
        if let Some(outside) = &shelf.outside {
            let notation = outside.notation.map_or_else(String::new, |word| format!(", notation = \"{word}\""));
            let key = outside.key.as_ref().map_or_else(String::new, |key| format!(", key = {}", quoted(key)));
            let (file, each) = (quoted(outside.file.as_str()), quoted(&outside.each));
            let value = format!("{{ file = {file}, each = {each}{key}{notation} }}");
            let evidence = [Clue::EntryForEach];
            self.inferred(&about("told-by"), "told-by", &value, (0.85, &evidence));
        }
        self.chosen(&about("id"), "id", &facts.id);
        match &facts.version {
            Some(version) => self.chosen(&about("version"), "version", version),
            None => {
                self.comment("FILL IN: where does a mod here state its version?");
                self.comment("version = \"$.\"");
                self.about_shelf(Question::Version, shelf);
            }
        }
        if let Some(title) = &facts.title {
            self.chosen(&about("title"), "title", title);
        }
        self.side(shelf, facts, answers);
        if let Some(game) = self.learned.game_range.get(&shelf.name) {
            self.chosen(&about("game"), "game", game);
        }
        if let Some(loader) = self.learned.loader_range.get(&shelf.name) {
            self.chosen(&about("loader"), "loader", loader);
        }
        self.relations(shelf, facts);
        if let Some((path, ids)) = &facts.provides {
            let evidence = [Clue::KeySaysIds(ids.len())];
            self.inferred(&about("provides"), "provides", &quoted(path), (0.8, &evidence));
        }
    }

    /// A line to be filled in.
    fn ask(&mut self, question: Question, line: &str) {
        self.comment(&format!("FILL IN: {question}"));
        self.comment(line);
        self.questions.push(question);
    }

    fn side(&mut self, shelf: &Shelf, facts: &Facts, answers: &Answers) {
        let Some((choice, unknown)) = &facts.side else {
            let listed = self.learned.ids_from.is_some();
            let alone = match (shelf.places.server.is_empty(), shelf.places.client.is_empty()) {
                (false, true) => Some("server"),
                (true, false) if !listed => Some("client"),
                _ => None,
            };
            if let Some(side) = alone.filter(|_| self.learned.has_client) {
                let evidence = [Clue::OnSideAlone(side)];
                let about = format!("shelf {}: needed_on", shelf.name);
                return self.inferred(&about, "needed_on", &format!("{{ is = \"{side}\" }}"), (0.8, &evidence));
            }
            if !shelf.documents.is_empty() {
                self.comment(
                    "FILL IN: does a mod here say on which side it is needed? Until then each is taken for both.",
                );
                self.comment("needed_on = { at = \"$.\", means = { everywhere = \"both\" } }");
                self.about_shelf(Question::Side, shelf);
            }
            return;
        };
        let mut rule = choice.rule.clone();
        let mut open = Vec::new();
        for word in unknown {
            match answers.sides.get(word) {
                Some(side) => {
                    rule = rule.replacen("means = { ", &format!("means = {{ {} = \"{side}\", ", quoted(word)), 1);
                }
                None => open.push(word.clone()),
            }
        }
        let about = format!("shelf {}: needed_on", shelf.name);
        self.inferred(&about, "needed_on", &rule, (choice.confidence, &choice.clues));
        for word in open {
            self.asks.push(Ask::Side { word: word.clone(), shelf: shelf.name.clone() });
            let at = choice.path.clone().unwrap_or_default();
            self.questions.push(Question::SideWord { word: printable(&word), at, shelf: shelf.name.clone() });
        }
    }

    fn relations(&mut self, shelf: &Shelf, facts: &Facts) {
        let mut keys: Vec<&str> = Vec::new();
        for relation in &facts.relations {
            if !keys.contains(&relation.key) {
                keys.push(relation.key);
            }
        }
        for key in keys {
            let same: Vec<_> = facts.relations.iter().filter(|relation| relation.key == key).collect();
            let rules: Vec<&str> = same.iter().map(|relation| relation.rule.as_str()).collect();
            let value =
                if rules.len() == 1 { rules[0].to_owned() } else { format!("[\n    {},\n]", rules.join(",\n    ")) };
            let evidence: Vec<Clue> = same.iter().flat_map(|relation| relation.clues.clone()).collect();
            let confidence = same.iter().map(|relation| relation.confidence).fold(1.0, f64::min);
            self.inferred(&format!("shelf {}: {key}", shelf.name), key, &value, (confidence, &evidence));
            self.questions.extend(same.iter().filter_map(|relation| relation.question.clone()));
        }
    }

    fn stranger(&mut self, shelf: &Shelf, stranger: &ForeignDocument) {
        self.line("\n[[shelf.mod.foreign]]");
        let shown: Vec<String> = stranger.names.iter().take(3).map(|name| printable(name)).collect();
        self.comment(&format!(
            "LOOK AT THIS: {} states itself in another document; perhaps for another loader",
            shown.join(", ")
        ));
        let loader = stranger.member.rsplit('/').next().and_then(|own| own.split('.').next()).unwrap_or("another");
        self.line(&format!("loader = {}", quoted(loader)));
        self.line(&format!("member = {}", quoted(&stranger.member)));
        if let Some(notation) = stranger.notation {
            self.line(&format!("notation = {}", quoted(notation)));
        }
        for (key, value) in [("id", &stranger.id), ("version", &stranger.version)] {
            if let Some(value) = value {
                self.line(&format!("{key} = {}", quoted(value)));
            }
        }
        let evidence = [Clue::LackDocument(stranger.names.len())];
        self.fact(&format!("shelf {}: foreign", shelf.name), &stranger.member, 0.4, &evidence);
        self.questions.push(Question::ForeignLoader(stranger.member.clone()));
    }

    fn ids_alone(&mut self, file: &str) {
        self.line("\n[[shelf]]");
        self.line("name = \"mods\"");
        let evidence = [Clue::OnlyListOfIds];
        self.inferred("shelf mods: holds", "holds", "\"ids\"", (0.6, &evidence));
        let name = self.list_of(file);
        self.line(&format!("ids-from = {{ server = {} }}", quoted(&name)));
        self.questions.push(Question::OnlyIds);
    }

    fn list_of(&self, file: &str) -> String {
        let found = self.learned.lists.iter().find(|(list, _)| list.file.as_str() == file);
        found.map_or_else(|| "mods".to_owned(), |(list, _)| self.unique_name(list))
    }

    /// Two lists in files of one name bear their whole paths.
    fn unique_name(&self, list: &FoundList) -> String {
        let own = list_name(list);
        let twins = self.learned.lists.iter().filter(|(other, _)| list_name(other) == own).count();
        let in_file = self.learned.lists.iter().filter(|(other, _)| list_name(other) == own && other.file == list.file);
        let option = list.lines.iter().find(|(key, _)| key == "option" || key == "each").map(|(_, value)| value);
        match (twins > 1, option.filter(|_| in_file.count() > 1)) {
            (true, Some(option)) => format!("{own} ({}, {})", list.file, option.trim_matches(['"', '\''])),
            (true, None) => format!("{own} ({})", list.file),
            (false, _) => own,
        }
    }

    fn keyring(&mut self) {
        let Some((ring, role)) = &self.learned.ring else { return };
        self.line("\n[keyring]");
        let place = format!("{{ {role} = {} }}", quoted(&ring.place));
        self.inferred("the key ring", "in", &place, (0.9, &ring.clues));
        if !ring.own.is_empty() {
            let own: Vec<String> = ring.own.iter().filter_map(|own| pattern_of(own)).collect();
            let evidence = [Clue::NoModBrings];
            self.inferred("the key ring: own", "own", &format!("[{}]", own.join(", ")), (0.5, &evidence));
            let shown = Series::of(ring.own.iter().take(5).map(|own| printable(own)));
            self.questions.push(Question::OwnKeys(shown));
        }
    }

    fn list(&mut self, list: &FoundList, both: bool) {
        self.line("\n[[list]]");
        let name = self.unique_name(list);
        self.line(&format!("name = {}", quoted(&name)));
        if !both {
            self.line(&format!("of = \"{}\"", list.role));
        }
        let file = around::in_any_world(list.file.as_str(), &self.learned.worlds);
        let evidence = list.clues.clone();
        self.inferred(&format!("{name}: file"), "file", &quoted(&file), (list.confidence, &evidence));
        for (key, value) in &list.lines {
            self.line(&format!("{key} = {value}"));
            self.fact(&format!("{name}: {key}"), value, list.confidence, &[]);
        }
        self.shelves_of(list, &name);
        self.strangers(list, &name);
    }

    /// Of several shelves, a list may be about some: it is not to be filled with the mods of the others.
    fn shelves_of(&mut self, list: &FoundList, name: &str) {
        let names_any = |facts: &Facts| facts.id.values.iter().flatten().any(|id| list.named.contains(id));
        let all = self.learned.shelves.len();
        let named: Vec<String> = self
            .learned
            .shelves
            .iter()
            .filter(|(_, facts, _)| names_any(facts))
            .map(|(shelf, ..)| quoted(&shelf.name))
            .collect();
        if !named.is_empty() && named.len() < all {
            let evidence = [Clue::NoOtherShelf];
            self.inferred(&format!("{name}: shelves"), "shelves", &format!("[{}]", named.join(", ")), (0.7, &evidence));
        }
    }

    /// Entries that name no mod: the game's own ids are known as such already.
    fn strangers(&mut self, list: &FoundList, name: &str) {
        if list.ids_alone || self.learned.ids_from.as_ref().is_some_and(|(file, _)| file == list.file.as_str()) {
            return;
        }
        let is_game = |text: &&String| !self.learned.base_ids.iter().any(|id| id.eq_ignore_ascii_case(text));
        let keep: Vec<String> = list.strangers.iter().filter(is_game).take(20).cloned().collect();
        if keep.is_empty() {
            return;
        }
        let shown: Vec<String> = keep.iter().filter_map(|text| pattern_of(text)).collect();
        if !shown.is_empty() {
            let evidence = [Clue::NoModFound];
            let value = format!("[{}]", shown.join(", "));
            self.inferred(&format!("{name}: keep"), "keep", &value, (0.45, &evidence));
        }
        let entries = Series::of(keep.iter().take(5).map(|text| printable(text)));
        self.questions.push(Question::Entries { list: name.to_owned(), entries });
    }

    fn settings(&mut self) {
        for setting in &self.learned.settings {
            self.line("\n[[setting]]");
            self.comment(&setting.clue.to_string());
            self.line(&format!("name = {}", quoted(&setting.name)));
            if let Some(role) = setting.of {
                self.line(&format!("of = \"{role}\""));
            }
            let file = around::in_any_world(setting.file.as_str(), &self.learned.worlds);
            self.line(&format!("file = {}", quoted(&file)));
            if let Some(notation) = setting.notation {
                self.line(&format!("notation = {}", quoted(notation)));
            }
            self.line(&format!("at = {}", quoted(&setting.at)));
            self.facts.push(Fact {
                about: format!("setting {}", printable(&setting.name)),
                value: setting.at.clone(),
                confidence: 0.5,
                evidence: vec![printable(&setting.clue.to_string())],
            });
        }
    }

    fn worlds(&mut self) {
        for found in &self.learned.worlds {
            self.line("\n[[world]]");
            let evidence = [found.clue.clone()];
            let value = format!("{{ {} = {} }}", Role::Server, quoted(&found.place));
            self.inferred("worlds", "in", &value, (0.6, &evidence));
        }
    }

    fn running(&mut self) {
        let Some(port) = &self.learned.port else { return };
        self.line("\n[running]");
        self.inferred("running: port", "port", &port.value.to_string(), (port.confidence, &port.clues));
    }

    fn logs(&mut self) {
        if self.learned.logs.is_empty() {
            return;
        }
        self.line("\n[logs]");
        for (role, found) in &self.learned.logs {
            let evidence = [found.clue.clone()];
            self.inferred(&format!("logs: {role}"), role.as_str(), &quoted(&found.place), (0.7, &evidence));
        }
    }

    fn no_shelf(&mut self) {
        self.questions.push(Question::NoShelf);
        self.line("\n# FILL IN: where are the mods?");
        self.line("# [[shelf]]\n# name  = \"mods\"\n# holds = \"archives\"\n# in    = { server = \"mods\", client = \"mods\" }");
        self.line("# [shelf.mod]\n# id = { file-name = '^(?<id>.+)$' }");
    }
}

/// A pattern that means just this name, as TOML writes it; none for what no pattern can mean.
fn pattern_of(name: &str) -> Option<String> {
    let escape =
        |c: char| if matches!(c, '[' | ']' | '{' | '}' | '*' | '?') { format!("[{c}]") } else { c.to_string() };
    let text: String = name.chars().map(escape).collect();
    NamePattern::new(&text).ok().filter(|pattern| pattern.fits(name)).map(|_| quoted(&text))
}

/// A sign that all mods' names begin with and no other name does, such as `@`.
fn common_sign(shelf: &Shelf) -> Option<char> {
    let first =
        |name: &str| name.chars().next().filter(|c| !c.is_alphanumeric() && !matches!(c, '*' | '?' | '[' | '{' | '.'));
    let sign = first(&shelf.units.first()?.name)?;
    let all = shelf.units.iter().all(|unit| first(&unit.name) == Some(sign));
    (all && shelf.others.iter().all(|other| first(other) != Some(sign))).then_some(sign)
}
