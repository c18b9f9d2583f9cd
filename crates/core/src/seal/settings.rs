//! The settings of the canon: what the rulebook and `kanon.toml` ask for, with the facts filled in.

use crate::base::act::Act;
use crate::base::finding::{Code, Finding, Severity};
use crate::base::problem::nearest;
use crate::base::stated::Stated;
use crate::canon::{SealedMod, SealedSetting};
use crate::config::{SettingWish, WorkspaceConfig};
use crate::rulebook::{Rulebook, SettingRule, UnknownName, filled, quoted};

/// The settings that must have a value, by name; and what is wrong with those that were asked for.
pub fn seal(wishes: &WorkspaceConfig, rulebook: &Rulebook, mods: &[SealedMod]) -> (Vec<SealedSetting>, Vec<Finding>) {
    let mut sealed: Vec<SealedSetting> = Vec::new();
    let mut findings = Vec::new();
    let names: Vec<&str> = rulebook.settings.iter().map(|rule| rule.name.as_str()).collect();
    for wish in wishes.settings.iter().filter(|wish| !names.contains(&wish.name.as_str())) {
        findings.push(unknown_setting(wish, &names));
    }
    for rule in rulebook.settings.iter().filter(|rule| is_asked_for(rule, mods)) {
        let of_name: Vec<&SettingWish> = wishes.settings.iter().filter(|wish| wish.name == rule.name).collect();
        let asked: Vec<(Option<crate::rulebook::Role>, &str)> = match of_name.as_slice() {
            [] => rule.is.iter().map(|is| (rule.of, is.as_str())).collect(),
            several => several.iter().map(|wish| (wish.of.or(rule.of), wish.is.as_str())).collect(),
        };
        for (of, is) in asked {
            match with_facts(is, wishes, (&rule.name, &names)) {
                Ok(is) => sealed.push(SealedSetting { name: rule.name.clone(), of, is }),
                Err(UnknownName(fact)) => findings.push(unknown_fact(&rule.name, &fact, wishes)),
            }
        }
    }
    (sealed, findings)
}

/// A setting that goes with mods is asked for only where one of them is in the canon.
fn is_asked_for(rule: &SettingRule, mods: &[SealedMod]) -> bool {
    rule.with.is_empty() || mods.iter().any(|sealed| rule.with.iter().any(|id| *id == sealed.manifest.id))
}

/// Facts are filled in now; other settings and places are left for each install.
fn with_facts(is: &str, wishes: &WorkspaceConfig, (own, names): (&str, &[&str])) -> Result<String, UnknownName> {
    let later = |name: &str| (names.contains(&name) && name != own) || name.contains(['*', '?']);
    if let Some(unknown) = quoted(is).into_iter().find(|name| !later(name) && !wishes.facts.contains_key(name)) {
        return Err(UnknownName(unknown));
    }
    let escaped = |text: &str| text.replace('{', "{{").replace('}', "}}");
    let known = |name: &str| match wishes.facts.get(name) {
        Some(fact) => Some(escaped(fact)),
        None => Some(format!("{{{name}}}")),
    };
    // Braces that are meant stay doubled: the rest is filled in later.
    let marked = is.replace("{{", "\u{1}").replace("}}", "\u{2}");
    let text = filled(&marked, known)?;
    Ok(text.replace('\u{1}', "{{").replace('\u{2}', "}}"))
}

fn unknown_setting(wish: &SettingWish, names: &[&str]) -> Finding {
    let remedy = match nearest(&wish.name, names.iter().copied()) {
        Some(near) => Act::DidYouMean(near.to_owned()),
        None => Act::SayWhere,
    };
    Finding::new(Code::SettingMissing, remedy)
        .expected(Stated::KnownSetting)
        .found(&wish.name)
        .severity(Severity::Blocking)
}

fn unknown_fact(setting: &str, fact: &str, wishes: &WorkspaceConfig) -> Finding {
    let remedy = match nearest(fact, wishes.facts.keys().map(String::as_str)) {
        Some(near) => Act::DidYouMeanFact(near.to_owned()),
        None => Act::WriteFact(fact.to_owned()),
    };
    Finding::new(Code::SettingMissing, remedy)
        .expected(Stated::FactOf { fact: fact.to_owned(), setting: setting.to_owned() })
        .found(Stated::Nothing)
        .severity(Severity::Blocking)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rulebook::Role;

    fn rulebook() -> Rulebook {
        let text = "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"files\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n\
            [[setting]]\nname = \"port\"\nof = \"server\"\nfile = \"a.cfg\"\nat = \"$.port\"\nis = \"{port}\"\n\
            [[setting]]\nname = \"radio\"\nfile = \"r.cfg\"\nat = \"$.on\"\nis = \"1\"\nwith = \"drift-radio\"\n\
            [[setting]]\nname = \"template\"\nfile = \"a.cfg\"\nat = \"$.t\"\nis = \"{missions/*}-{port}-{{x}}-{radio}\"\n\
            [[setting]]\nname = \"only read\"\nfile = \"a.cfg\"\nat = \"$.x\"\n";
        crate::rulebook::parse("rulebook", text).expect("a rulebook").value
    }

    fn wishes(text: &str) -> WorkspaceConfig {
        let text = format!("format = \"kanon/1\"\nname = \"n\"\nrulebook = \"r\"\n{text}");
        crate::config::parse("kanon.toml", &text).expect("wishes").value
    }

    #[test]
    fn facts_are_filled_in_and_the_rest_is_left_for_the_install() {
        let (sealed, findings) = seal(&wishes("[facts]\nport = \"41{00}\"\n"), &rulebook(), &[]);
        assert_eq!(findings, []);
        let told: Vec<(&str, &str)> =
            sealed.iter().map(|setting| (setting.name.as_str(), setting.is.as_str())).collect();
        assert_eq!(told, [("port", "41{{00}}"), ("template", "{missions/*}-41{{00}}-{{x}}-{radio}")]);
        assert_eq!(sealed[0].of, Some(Role::Server));
    }

    #[test]
    fn a_wish_counts_before_the_rulebook_and_what_nobody_knows_is_told() {
        let text = "[facts]\nport = \"1\"\n[[setting]]\nname = \"only read\"\nis = \"2\"\nof = \"client\"\n[[setting]]\nname = \"prot\"\nis = \"3\"\n";
        let (sealed, findings) = seal(&wishes(text), &rulebook(), &[]);
        let own = sealed.iter().find(|setting| setting.name == "only read").expect("sealed");
        assert_eq!((own.is.as_str(), own.of), ("2", Some(Role::Client)));
        assert_eq!((findings.len(), findings[0].remedy.to_string().as_str()), (1, "did you mean `port`?"));
        let (_, findings) = seal(&wishes(""), &rulebook(), &[]);
        assert!(
            findings
                .iter()
                .all(|finding| matches!(&finding.expected, Some(Stated::FactOf { fact, .. }) if fact == "port"))
        );
        assert_eq!(findings.len(), 1, "the template may take the port as it is found");
    }
}
