//! Writes what was learned as a rulebook: one idea a line, each inference with its evidence above it.

use std::collections::BTreeSet;

use toml_edit::Value;

use super::around;
use super::clue::{Clue, Inferred};
use super::draft::{Answers, Ask, Draft, FORMAT, Fact, Learned};
use super::fields::Choice;
use super::leftovers::is_of_a_game;
use super::lines::{FactLine, fact_value};
use super::mentions::{FoundList, list_name};
use super::overlays::Laid;
use super::question::{Question, Shelves};
use super::shelves::{Facts, ForeignDocument, Shelf, document_value};
use crate::base::path::printable;
use crate::base::stated::Series;
use crate::rulebook::{Holds, NamePattern, Role};
use crate::text::page::{self, Page, inline, list, pattern, tall_list, text, texts};

/// Below this a line is marked to be looked at.
const DOUBT: f64 = 0.65;

/// The draft while it is written.
struct DraftWriter<'l> {
    learned: &'l Learned,
    page: Page,
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
        page: Page::default(),
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
        rulebook: pen.page.to_string(),
        page: pen.page,
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
    fn fact(&mut self, about: &str, value: &Value, confidence: f64, clues: &[Clue]) {
        let evidence = clues.iter().map(|clue| printable(&clue.to_string())).collect();
        self.facts.push(Fact { about: about.to_owned(), value: value.to_string(), confidence, evidence });
    }

    /// A line with its evidence above it, marked when it is doubtful.
    fn inferred(&mut self, about: &str, key: &str, value: Value, (confidence, clues): (f64, &[Clue])) {
        let mark = if confidence < DOUBT { "LOOK AT THIS: " } else { "" };
        if !clues.is_empty() {
            let told: Vec<String> = clues.iter().map(ToString::to_string).collect();
            self.page.comment(&format!("{mark}{} (sure to {:.0} %)", told.join("; "), confidence * 100.0));
        }
        self.fact(about, &value, confidence, clues);
        self.page.line(key, value);
    }

    fn chosen(&mut self, about: &str, key: &str, choice: &Choice) {
        self.inferred(about, key, fact_value(&choice.lines), (choice.confidence, &choice.clues));
    }

    fn head(&mut self, answers: &Answers) {
        self.page.line("format", text("kanon-rulebook/1"));
        self.page.comment("Drafted by kanon learn from what it saw. Above each line stands what speaks for it.");
        if answers.game.is_none() {
            self.page.comment("LOOK AT THIS: the name of the folder; write what the game is called");
            self.asks.push(Ask::Game);
            self.questions.push(Question::Game);
        }
        self.page.line("game", text(&self.learned.game));
        self.page.table(&["versions"]);
        let Learned { scheme, ranges, bare, .. } = self.learned;
        for (key, word) in [("scheme", Some(scheme)), ("ranges", Some(ranges)), ("bare", bare.as_ref())] {
            let Some(Inferred { value, confidence, clues }) = word else { continue };
            self.inferred(&format!("versions: {key}"), key, text(value), (*confidence, clues));
        }
    }

    fn platforms(&mut self) {
        let learned = self.learned;
        if learned.base.is_some() || !learned.base_ids.is_empty() {
            self.page.table(&["base"]);
            if !learned.base_ids.is_empty() {
                let evidence = [Clue::AskedForAndNoMod];
                self.inferred("the game: ids", "ids", texts(&learned.base_ids), (0.75, &evidence));
            }
            if let Some(stated) = &learned.base {
                let notation = stated.notation.map(|word| ("notation", text(word)));
                let pairs = [("file", text(stated.file.as_str())), ("at", text(&stated.at))];
                let evidence = [Clue::StandsThere(stated.version.clone())];
                let value = inline(pairs.into_iter().chain(notation));
                self.inferred("the game: version", "version", value, (0.7, &evidence));
            }
        }
        if let Some(id) = &learned.loader_id {
            self.page.table(&["loader"]);
            self.page.line("name", text(id));
            let evidence = [Clue::ManyAsk];
            self.inferred("the loader: ids", "ids", texts([id]), (0.7, &evidence));
            self.ask(Question::LoaderVersion, "version = { file-name = '(?<version>[0-9.]+)' }");
        }
        if let Some((named, ids)) = &learned.loader {
            self.page.table(&["loader"]);
            self.page.line("name", text(&named.name));
            if !ids.is_empty() {
                self.page.line("ids", texts(ids));
            }
            let (file, version, name) = (named.file.clone(), named.version.clone(), named.name.clone());
            let evidence = [Clue::FileTells { file, version, name }];
            let value = inline([("file-name", pattern(&named.pattern))]);
            self.inferred("the loader: version", "version", value, (0.8, &evidence));
        }
    }

    fn shelf(&mut self, shelf: &Shelf, facts: &Facts, strangers: &[ForeignDocument], answers: &Answers) {
        let about = |what: &str| format!("shelf {}: {what}", shelf.name);
        self.page.repeated(&["shelf"]);
        self.page.line("name", text(&shelf.name));
        let laid = self.learned.laid.get(&shelf.name);
        let holds = match shelf.holds {
            _ if laid.is_some() => text("overlays"),
            Holds::Folders => text("folders"),
            Holds::ArchivesOrFolders => texts(["archives", "folders"]),
            Holds::Files => text("files"),
            _ => text("archives"),
        };
        let evidence = [Clue::Alike(shelf.seen.len())];
        self.inferred(&about("holds"), "holds", holds, (0.85, &evidence));
        let (places, sure) = self.places(shelf);
        let evidence = self.place_evidence(shelf);
        self.inferred(&about("in"), "in", places, (sure, &evidence));
        if let Some((file, false)) = &self.learned.ids_from {
            let value = inline([("server", text(&self.list_of(file)))]);
            let evidence = [Clue::OnlyIds];
            self.inferred(&about("ids-from"), "ids-from", value, (0.75, &evidence));
        }
        self.names(shelf);
        if let Some(tastes) = self.learned.tastes.get(&shelf.name) {
            self.inferred(&about("settings"), "settings", texts(&tastes.value), (tastes.confidence, &tastes.clues));
            self.questions.push(Question::WhoseFiles(Series::of(&tastes.value)));
        }
        if let Some(laid) = laid {
            self.laid(shelf, laid);
        }
        self.page.table(&["shelf", "mod"]);
        self.mod_rule(shelf, facts, answers);
        if let Some((inner, _)) = &facts.nested {
            self.page.table(&["shelf", "mod", "nested"]);
            let evidence = [Clue::ArchivesInside];
            self.inferred(&about("nested"), "match", texts([inner]), (0.85, &evidence));
            self.page.line("depth", Value::from(2));
        }
        for stranger in strangers {
            self.stranger(shelf, stranger);
        }
        if let Some(signed) = self.learned.signed.get(&shelf.name) {
            self.page.table(&["shelf", "signed"]);
            let sure = if signed.is_sure { 0.85 } else { 0.5 };
            self.page.line("payload", text(&signed.payload));
            self.inferred(&about("signature"), "signature", text(&signed.signature), (0.85, &signed.clues));
            let key =
                self.learned.ring.as_ref().map_or_else(|| "keys/{key}.pub".to_owned(), |(ring, _)| ring.key.clone());
            self.page.line("key", text(&key));
            let evidence = [Clue::BySizeAlone];
            self.inferred(&about("signature scheme"), "scheme", text(signed.scheme), (sure, &evidence));
        }
    }

    fn laid(&mut self, shelf: &Shelf, laid: &Laid) {
        self.page.table(&["shelf", "laid-into"]);
        let about = format!("shelf {}: laid into", shelf.name);
        self.inferred(&about, "base", text(&laid.base), (0.85, &laid.clues));
        // A list that names the overlays gives their order.
        if let Some((list, _)) = self.learned.lists.iter().find(|(list, _)| list.strangers.is_empty()) {
            let name = self.unique_name(list);
            self.page.line("order", text(&name));
        }
        if !laid.strip.is_empty() {
            let each = laid.strip.iter().map(|(role, member)| (role.as_str(), text(member)));
            let evidence = [Clue::NoSuchMembers];
            let about = format!("shelf {}: strip", shelf.name);
            self.inferred(&about, "strip", inline(each), (0.6, &evidence));
        }
    }

    /// Where a shelf is; without a client the same place is assumed there.
    fn places(&mut self, shelf: &Shelf) -> (Value, f64) {
        let worlds = &self.learned.worlds;
        let value = |places: &[String]| {
            let each: BTreeSet<String> = places
                .iter()
                .map(|place| if place.is_empty() { ".".to_owned() } else { around::in_any_world(place, worlds) })
                .collect();
            match each.first().filter(|_| each.len() == 1) {
                Some(one) => text(one),
                None => texts(each),
            }
        };
        let (server, client) = (&shelf.places.server, &shelf.places.client);
        let in_world = server.iter().any(|place| around::in_any_world(place, worlds) != *place);
        let mut parts = Vec::new();
        if !server.is_empty() {
            parts.push(("server", value(server)));
        }
        if !client.is_empty() {
            parts.push(("client", value(client)));
        } else if !self.learned.has_client && !in_world {
            parts.push(("client", value(server)));
            self.about_shelf(Question::ClientPlace, shelf);
            return (inline(parts), 0.6);
        }
        (inline(parts), 0.9)
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
        let has_others = shelf.holds.folders() && !shelf.others.is_empty();
        let sign = common_sign(shelf).filter(|_| has_others);
        let endings = shelf.extensions.iter().map(|end| format!("*.{end}"));
        let fitting: Vec<String> = endings.chain(sign.map(|sign| format!("{sign}*"))).collect();
        if !fitting.is_empty() {
            self.page.line("match", texts(fitting));
        }
        if has_others && sign.is_none() {
            self.page.comment("folders beside the mods that are none");
            self.page.line("except", list(shelf.others.iter().filter_map(|other| pattern_of(other))));
        }
        if let Some(most) = shelf.beside.iter().map(|found| found.mods).max() {
            let each = texts(shelf.beside.iter().map(|found| &found.template));
            let read = shelf.beside.iter().any(|found| shelf.documents.contains(&found.template));
            let evidence = [if read { Clue::TellBeside(most) } else { Clue::LieBeside(most) }];
            let about = format!("shelf {}: beside", shelf.name);
            self.inferred(&about, "beside", each, (if read { 0.9 } else { 0.75 }, &evidence));
        }
        if !shelf.off.is_empty() {
            let evidence = [Clue::NamedOff];
            let about = format!("shelf {}: off", shelf.name);
            self.inferred(&about, "off", texts(&shelf.off), (0.8, &evidence));
        }
    }

    fn mod_rule(&mut self, shelf: &Shelf, facts: &Facts, answers: &Answers) {
        let about = |what: &str| format!("shelf {}: {what}", shelf.name);
        if let Some(document) = document_value(shelf) {
            let with =
                shelf.seen.iter().filter(|unit| shelf.documents.iter().any(|d| unit.documents.contains_key(d))).count();
            let evidence = [Clue::HaveIt { with, all: shelf.seen.len() }];
            self.inferred(&about("document"), "document", document, (0.9, &evidence));
        }
        if let Some(outside) = &shelf.outside {
            let key = outside.key.as_ref().map(|key| ("key", text(key)));
            let notation = outside.notation.map(|word| ("notation", text(word)));
            let pairs = [("file", text(outside.file.as_str())), ("each", text(&outside.each))];
            let value = inline(pairs.into_iter().chain(key).chain(notation));
            let evidence = [Clue::EntryForEach];
            self.inferred(&about("told-by"), "told-by", value, (0.85, &evidence));
            if !self.learned.has_client {
                self.questions.push(Question::ToldOnClient(outside.file.clone()));
            }
        }
        self.chosen(&about("id"), "id", &facts.id);
        match &facts.version {
            Some(version) => self.chosen(&about("version"), "version", version),
            None => {
                self.page.comment("FILL IN: where does a mod here state its version?");
                self.page.comment("version = \"$.\"");
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
            self.inferred(&about("provides"), "provides", text(path), (0.8, &evidence));
        }
    }

    /// A line to be filled in.
    fn ask(&mut self, question: Question, line: &str) {
        self.page.comment(&format!("FILL IN: {question}"));
        self.page.comment(line);
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
                return self.inferred(&about, "needed_on", inline([("is", text(side))]), (0.8, &evidence));
            }
            if !shelf.documents.is_empty() {
                self.page.comment(
                    "FILL IN: does a mod here say on which side it is needed? Until then each is taken for both.",
                );
                self.page.comment("needed_on = { at = \"$.\", means = { everywhere = \"both\" } }");
                self.about_shelf(Question::Side, shelf);
            }
            return;
        };
        let mut lines = choice.lines.clone();
        let (answered, open): (Vec<&String>, Vec<&String>) =
            unknown.iter().partition(|word| answers.sides.contains_key(*word));
        for line in &mut lines {
            let FactLine::Sides { means, .. } = line else { continue };
            means.extend(answered.iter().map(|word| ((*word).clone(), answers.sides[*word].clone())));
        }
        let about = format!("shelf {}: needed_on", shelf.name);
        self.inferred(&about, "needed_on", fact_value(&lines), (choice.confidence, &choice.clues));
        for word in open {
            self.asks.push(Ask::Side { word: word.clone(), shelf: shelf.name.clone().into() });
            let at = choice.path.clone().unwrap_or_default();
            self.questions.push(Question::SideWord { word: printable(word), at, shelf: shelf.name.clone().into() });
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
            let value = match same.as_slice() {
                [one] => one.line.value(),
                several => tall_list(several.iter().map(|relation| relation.line.value())),
            };
            let evidence: Vec<Clue> = same.iter().flat_map(|relation| relation.clues.clone()).collect();
            let confidence = same.iter().map(|relation| relation.confidence).fold(1.0, f64::min);
            self.inferred(&format!("shelf {}: {key}", shelf.name), key, value, (confidence, &evidence));
            self.questions.extend(same.iter().filter_map(|relation| relation.question.clone()));
        }
    }

    fn stranger(&mut self, shelf: &Shelf, stranger: &ForeignDocument) {
        self.page.repeated(&["shelf", "mod", "foreign"]);
        let shown: Vec<String> = stranger.names.iter().take(3).map(|name| printable(name)).collect();
        self.page.comment(&format!(
            "LOOK AT THIS: {} states itself in another document; perhaps for another loader",
            shown.join(", ")
        ));
        let loader = stranger.member.rsplit('/').next().and_then(|own| own.split('.').next()).unwrap_or("another");
        self.page.line("loader", text(loader));
        self.page.line("member", text(&stranger.member));
        if let Some(notation) = stranger.notation {
            self.page.line("notation", text(notation));
        }
        for (key, value) in [("id", &stranger.id), ("version", &stranger.version)] {
            if let Some(value) = value {
                self.page.line(key, text(value));
            }
        }
        let evidence = [Clue::LackDocument(stranger.names.len())];
        self.fact(&format!("shelf {}: foreign", shelf.name), &text(&stranger.member), 0.4, &evidence);
        self.questions.push(Question::ForeignLoader(stranger.member.clone()));
    }

    fn ids_alone(&mut self, file: &str) {
        self.page.repeated(&["shelf"]);
        self.page.line("name", text("mods"));
        let evidence = [Clue::OnlyListOfIds];
        self.inferred("shelf mods: holds", "holds", text("ids"), (0.6, &evidence));
        let name = self.list_of(file);
        self.page.line("ids-from", inline([("server", text(&name))]));
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
        let option = list.lines.option.as_ref().or(list.lines.each.as_ref());
        match (twins > 1, option.filter(|_| in_file.count() > 1)) {
            (true, Some(option)) => format!("{own} ({}, {option})", list.file),
            (true, None) => format!("{own} ({})", list.file),
            (false, _) => own,
        }
    }

    fn keyring(&mut self) {
        let Some((ring, role)) = &self.learned.ring else { return };
        self.page.table(&["keyring"]);
        let place = inline([(role.as_str(), text(&ring.place))]);
        self.inferred("the key ring", "in", place, (0.9, &ring.clues));
        if !ring.own.is_empty() {
            let own = list(ring.own.iter().filter_map(|own| pattern_of(own)));
            let evidence = [Clue::NoModBrings];
            self.inferred("the key ring: own", "own", own, (0.5, &evidence));
            let shown = Series::of(ring.own.iter().take(5).map(|own| printable(own)));
            self.questions.push(Question::OwnKeys(shown));
        }
    }

    fn list(&mut self, list: &FoundList, both: bool) {
        self.page.repeated(&["list"]);
        let name = self.unique_name(list);
        self.page.line("name", text(&name));
        if !both {
            self.page.line("of", text(list.role.as_str()));
        }
        let file = around::in_any_world(list.file.as_str(), &self.learned.worlds);
        let evidence = list.clues.clone();
        self.inferred(&format!("{name}: file"), "file", text(&file), (list.confidence, &evidence));
        for (key, value) in list.lines.lines() {
            self.fact(&format!("{name}: {key}"), &value, list.confidence, &[]);
            self.page.line(key, value);
        }
        self.shelves_of(list, &name);
        self.strangers(list, &name);
    }

    /// Of several shelves, a list may be about some: it is not to be filled with the mods of the others.
    fn shelves_of(&mut self, list: &FoundList, name: &str) {
        let names_any = |facts: &Facts| facts.id.values.iter().flatten().any(|id| list.named.contains(id));
        let all = self.learned.shelves.len();
        let with_any = self.learned.shelves.iter().filter(|(_, facts, _)| names_any(facts));
        let named: Vec<&String> = with_any.map(|(shelf, ..)| &shelf.name).collect();
        if !named.is_empty() && named.len() < all {
            let evidence = [Clue::NoOtherShelf];
            self.inferred(&format!("{name}: shelves"), "shelves", texts(named), (0.7, &evidence));
        }
    }

    /// Entries that name no mod: the game's own ids are known as such already.
    fn strangers(&mut self, list: &FoundList, name: &str) {
        if list.ids_alone || self.learned.ids_from.as_ref().is_some_and(|(file, _)| file == list.file.as_str()) {
            return;
        }
        let is_known = |text: &String| self.learned.base_ids.iter().any(|id| id.eq_ignore_ascii_case(text));
        // What lies among the mods and has not what they have is no game's because of that.
        let others = || self.learned.shelves.iter().flat_map(|(shelf, ..)| &shelf.others);
        let lies_there = |text: &String| others().any(|other| other.eq_ignore_ascii_case(text)) && !is_of_a_game(text);
        let is_kept = |text: &&String| !is_known(text) && !lies_there(text);
        let keep: Vec<String> = list.strangers.iter().filter(is_kept).take(20).cloned().collect();
        if keep.is_empty() {
            return;
        }
        let shown: Vec<Value> = keep.iter().filter_map(|text| pattern_of(text)).collect();
        if !shown.is_empty() {
            let evidence = [Clue::NoModFound];
            self.inferred(&format!("{name}: keep"), "keep", page::list(shown), (0.45, &evidence));
        }
        let entries = Series::of(keep.iter().take(5).map(|text| printable(text)));
        self.questions.push(Question::Entries { list: name.to_owned(), entries });
    }

    fn settings(&mut self) {
        for setting in &self.learned.settings {
            self.page.repeated(&["setting"]);
            self.page.comment(&setting.clue.to_string());
            self.page.line("name", text(&setting.name));
            if let Some(role) = setting.of {
                self.page.line("of", text(role.as_str()));
            }
            let file = around::in_any_world(setting.file.as_str(), &self.learned.worlds);
            self.page.line("file", text(&file));
            if let Some(notation) = setting.notation {
                self.page.line("notation", text(notation));
            }
            self.page.line("at", text(&setting.at));
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
            self.page.repeated(&["world"]);
            let evidence = [found.clue.clone()];
            let value = inline([(Role::Server.as_str(), text(&found.place))]);
            self.inferred("worlds", "in", value, (0.6, &evidence));
        }
    }

    fn running(&mut self) {
        let Some(port) = &self.learned.port else { return };
        self.page.table(&["running"]);
        self.inferred("running: port", "port", Value::from(i64::from(port.value)), (port.confidence, &port.clues));
    }

    fn logs(&mut self) {
        if self.learned.logs.is_empty() {
            return;
        }
        self.page.table(&["logs"]);
        for (role, found) in &self.learned.logs {
            let evidence = [found.clue.clone()];
            self.inferred(&format!("logs: {role}"), role.as_str(), text(&found.place), (0.7, &evidence));
        }
    }

    fn no_shelf(&mut self) {
        self.questions.push(Question::NoShelf);
        self.page.gap();
        self.page.comment("FILL IN: where are the mods?");
        for line in NO_SHELF {
            self.page.comment(line);
        }
    }
}

/// What is to be filled in where no shelf was found.
const NO_SHELF: [&str; 6] = [
    "[[shelf]]",
    "name  = \"mods\"",
    "holds = \"archives\"",
    "in    = { server = \"mods\", client = \"mods\" }",
    "[shelf.mod]",
    "id = { file-name = '^(?<id>.+)$' }",
];

/// A pattern that means just this name; none for what no pattern can mean.
fn pattern_of(name: &str) -> Option<Value> {
    let escape =
        |c: char| if matches!(c, '[' | ']' | '{' | '}' | '*' | '?') { format!("[{c}]") } else { c.to_string() };
    let escaped: String = name.chars().map(escape).collect();
    NamePattern::new(&escaped).ok().filter(|pattern| pattern.fits(name)).map(|_| text(&escaped))
}

/// A sign that all mods' names begin with and no other name does, such as `@`.
fn common_sign(shelf: &Shelf) -> Option<char> {
    let first =
        |name: &str| name.chars().next().filter(|c| !c.is_alphanumeric() && !matches!(c, '*' | '?' | '[' | '{' | '.'));
    let sign = first(&shelf.units.first()?.name)?;
    let all = shelf.units.iter().all(|unit| first(&unit.name) == Some(sign));
    (all && shelf.others.iter().all(|other| first(other) != Some(sign))).then_some(sign)
}
