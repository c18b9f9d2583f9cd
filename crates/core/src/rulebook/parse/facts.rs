//! Where the facts about a mod are found.

use toml::Spanned;
use toml::de::DeValue;

use super::values::{
    compiled, digest_kind, document, each, encoding, finish, inline, install_path, json_path, no_notation, parsed_path,
    patterns, regex_with_group, steps,
};
use crate::base::limits;
use crate::base::stated::Series;
use crate::rulebook::facts::{
    DocumentRule, FactRule, FactStep, KindWords, NestedRule, Origin, RelationForm, RelationPlace, RelationRule, ToldBy,
};
use crate::rulebook::mistake::{Mend, Mistake};
use crate::rulebook::model::*;
use crate::rulebook::section::{Section, Spot};
use crate::rulebook::sides::RelationKind;
use crate::text::{NOTATION_WORDS, Notation, list_parent};

const KINDS: [(&str, RelationKind); 5] = [
    ("required", RelationKind::Required),
    ("optional", RelationKind::Optional),
    ("conflicting", RelationKind::Conflicting),
    ("load-before", RelationKind::LoadBefore),
    ("load-after", RelationKind::LoadAfter),
];

pub(super) fn mod_rule(section: &Section<'_>) -> ModRule {
    let kinds = KINDS.into_iter().chain([("relations", RelationKind::Required)]);
    let relations = kinds.flat_map(|(key, kind)| {
        steps(section, key).into_iter().filter_map(|value| relation(section, value, (key, kind))).collect::<Vec<_>>()
    });
    ModRule {
        documents: steps(section, "document").into_iter().filter_map(|value| document_step(section, value)).collect(),
        told_by: steps(section, "told-by").into_iter().find_map(|value| told_by(section, value)),
        id: fact(section, "id"),
        version: fact(section, "version"),
        title: fact(section, "title"),
        needed_on: fact(section, "needed_on"),
        game: fact(section, "game"),
        loader: fact(section, "loader"),
        runtime: fact(section, "runtime"),
        made_for: fact(section, "made-for"),
        shapes_world: fact(section, "shapes-world"),
        relations: relations.collect(),
        all_need: section.texts("all-need").into_iter().map(|(id, _)| id.to_owned()).collect(),
        provides: json_path(section, "provides"),
        nested: section.section("nested").map(|inner| finish(inner, nested)),
        foreign: each(section.sections("foreign"), foreign).into_iter().flatten().collect(),
    }
}

fn told_by(outer: &Section<'_>, value: &Spanned<DeValue<'_>>) -> Option<ToldBy> {
    let section = inline(outer, value, ("told-by", r#"{ file = "mods.json", each = "$.mods[*]", key = "$.file" }"#))?;
    let file = section.required_text("file").and_then(|spot| install_path(&section, spot));
    let notation = section.one_of("notation", &NOTATION_WORDS);
    let notation = notation.or_else(|| Notation::of_name(file.as_ref()?.name()));
    if let (None, Some(file)) = (notation, &file) {
        no_notation(section.problems(), section.span(), file.as_str());
    }
    section.require("each");
    let (encoding, each, key) = (encoding(&section), json_path(&section, "each"), json_path(&section, "key"));
    section.finish();
    Some(ToldBy { file: file?, notation: notation?, encoding, each: each?, key })
}

fn document_step(outer: &Section<'_>, value: &Spanned<DeValue<'_>>) -> Option<DocumentRule> {
    let section = inline(outer, value, ("document", r#"{ member = "about.json" }"#))?;
    let document = document(&section);
    if document.is_none() {
        section.require("member");
    }
    section.finish();
    document
}

fn fact(section: &Section<'_>, key: &'static str) -> FactRule {
    FactRule(steps(section, key).into_iter().filter_map(|value| fact_step(section, value, key)).collect())
}

fn fact_step(outer: &Section<'_>, value: &Spanned<DeValue<'_>>, fact: &'static str) -> Option<FactStep> {
    if let Some(at) = value.get_ref().as_str() {
        let at = parsed_path(outer.problems(), (at, value.span()))?;
        let origin = Origin::Document { document: None, at };
        return Some(FactStep { origin, means: None, except: None, span: value.span() });
    }
    let section = inline(outer, value, (fact, &format!("{{ at = \"$.{fact}\" }}")))?;
    let origin = origin(&section, fact);
    let means = section.text_map("means");
    check_words(&section, fact, &means);
    let except = section.text("except").and_then(|spot| compiled(&section, spot));
    section.finish();
    let means = means.into_iter().map(|((from, _), (to, _))| (from.to_owned(), to.to_owned())).collect::<Vec<_>>();
    let means = (!means.is_empty()).then(|| means.into_iter().collect());
    Some(FactStep { origin: origin?, means, except, span: value.span() })
}

/// The facts that Kanon must understand have a fixed set of words.
fn check_words(section: &Section<'_>, fact: &str, means: &[(Spot<&str>, Spot<&str>)]) {
    let words: &[&str] = match fact {
        "needed_on" => &["both", "server", "client", "optional"],
        "shapes-world" => &["yes", "no"],
        _ => return,
    };
    for (_, spot) in means.iter().filter(|(_, (word, _))| !words.contains(word)) {
        wrong_meaning(section, fact, spot, words);
    }
}

fn origin(section: &Section<'_>, fact: &str) -> Option<Origin> {
    let at = json_path(section, "at");
    let name = section.text("file-name");
    let line = section.text("text");
    let is = section.optional_text("is");
    let digest = digest_kind(section);
    if let Some(spot) = name {
        return regex_with_group(section, spot, fact).map(Origin::Name);
    }
    if let Some(spot) = line {
        let line = regex_with_group(section, spot, fact)?;
        section.require("member");
        return section.optional_text("member").map(|member| Origin::Text {
            member,
            encoding: encoding(section),
            line,
        });
    }
    match (at, is, digest) {
        (Some(at), None, None) => Some(Origin::Document { document: document(section), at }),
        (None, Some(is), None) => Some(Origin::Is(is)),
        (None, None, Some(kind)) => Some(Origin::Digest(kind)),
        (None, None, None) if section.value("at").is_some() => None,
        _ => {
            section.problems().error_with_help(section.span(), Mistake::NoPlace(fact.to_owned()), Mend::FactPlaces);
            None
        }
    }
}

fn relation(
    outer: &Section<'_>,
    value: &Spanned<DeValue<'_>>,
    (key, kind): (&str, RelationKind),
) -> Option<RelationRule> {
    let section = inline(outer, value, (key, r#"{ each = "$.needs[*]" }"#))?;
    let place = relation_place(&section);
    let form = relation_form(&section);
    section.finish();
    Some(RelationRule { kind, place: place?, form: form?, span: value.span() })
}

fn relation_place(section: &Section<'_>) -> Option<RelationPlace> {
    let Some(spot) = section.text("lines") else {
        section.require("each");
        let each = json_path(section, "each");
        let (document, alone) = (document(section), each.as_ref().and_then(list_parent));
        return Some(RelationPlace::Document { document, each: each?, alone });
    };
    section.require("member");
    let (line, member) = (regex_with_group(section, spot, "entries"), section.optional_text("member"));
    Some(RelationPlace::Lines { member: member?, encoding: encoding(section), line: line? })
}

fn relation_form(section: &Section<'_>) -> Option<RelationForm> {
    let (id, range) = (json_path(section, "id"), json_path(section, "range"));
    let (kind, kinds) = (json_path(section, "kind"), kind_words(section, "kinds"));
    let (line, between) = (section.text("text"), section.optional_text("between"));
    let signs = kind_words(section, "signs");
    let forms = [("objects", 0), ("id-to-range", 1), ("ids", 2)];
    let form = section.one_of("form", &forms).unwrap_or(if id.is_some() { 0 } else { 2 });
    if let Some(spot) = line {
        let line = regex_with_group(section, spot, "id")?;
        return Some(RelationForm::Text { between, line, signs });
    }
    match (form, id) {
        (0, Some(id)) => Some(RelationForm::Objects { id, range, kind: kind.map(|at| (at, kinds)) }),
        (0, None) => {
            section.require("id");
            None
        }
        (1, _) => Some(RelationForm::IdToRange { range }),
        _ => Some(RelationForm::Ids),
    }
}

fn wrong_meaning(section: &Section<'_>, key: &str, (word, span): &Spot<&str>, right: &[&str]) {
    let help = Mend::nearest_or(word, right.iter().copied(), Mend::Nothing);
    let right = Series::of(right.iter().copied());
    let mistake = Mistake::WrongMeaning { key: key.to_owned(), word: (*word).to_owned(), right };
    section.problems().error_with_help(span.clone(), mistake, help);
}

/// Words or signs for kinds of relations.
fn kind_words(section: &Section<'_>, key: &'static str) -> KindWords {
    let right: Vec<&str> = KINDS.iter().map(|(word, _)| *word).chain(["none"]).collect();
    let mut words = KindWords::new();
    for ((sign, _), (word, span)) in section.text_map(key) {
        let kind = KINDS.iter().find(|(known, _)| *known == word).map(|(_, kind)| *kind);
        if kind.is_none() && word != "none" {
            wrong_meaning(section, key, &(word, span), &right);
        }
        words.insert(sign.to_owned(), kind);
    }
    words
}

fn nested(section: &Section<'_>) -> NestedRule {
    section.require("match");
    let depth = section.number("depth").unwrap_or(1).min(limits::NESTED_DEPTH);
    NestedRule { matches: patterns(section, "match"), depth: usize::try_from(depth).unwrap_or(1) }
}

fn foreign(section: &Section<'_>) -> Option<Foreign> {
    let loader = section.owned_text("loader");
    let document = document(section);
    if document.is_none() {
        section.require("member");
    }
    Some(Foreign { loader, document: document?, id: json_path(section, "id"), version: json_path(section, "version") })
}
