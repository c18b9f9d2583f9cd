//! From wishes to the canon: which release of each mod counts, in which order, and whether all of it fits.

mod order;

use std::collections::{BTreeMap, BTreeSet, HashMap};

use crate::canon::{self, Canon, SealedMod};
use crate::check::{FitSet, Misfit, fit};
use crate::digest::Blake3;
use crate::finding::{Code, Finding, Severity};
use crate::problem::nearest;
use crate::rulebook::Rulebook;
use crate::survey::SurveyedMod;
use crate::version::{Bare, Versions};
use crate::wish::{ModWish, Wishes};
use order::load_order;

/// How far a place is trusted to hold what was meant, most first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Trust {
    /// A source of releases.
    Source,
    /// A server.
    Server,
    /// A client.
    Client,
}

/// A release that is at hand, and where.
#[derive(Debug, Clone)]
pub struct Candidate<'a> {
    /// The install or source that has it.
    pub place: &'a str,
    /// How far that place is trusted.
    pub trust: Trust,
    /// The release.
    pub found: &'a SurveyedMod,
}

/// A wish met: the sealed mod, without SHA-256 digests yet, and where its bytes were found.
#[derive(Debug, Clone, PartialEq)]
pub struct Pick {
    /// The mod as it will be sealed.
    pub sealed: SealedMod,
    /// The install or source whose copy was taken; none for one kept from the last canon.
    pub place: Option<String>,
}

/// What sealing came to.
#[derive(Debug, Clone, Default)]
pub struct Choice {
    /// The mods, in load order.
    pub picks: Vec<Pick>,
    /// What stands against it; the canon is written only when none of them blocks.
    pub findings: Vec<Finding>,
}

impl Choice {
    /// Whether a canon may be written.
    pub fn fits(&self) -> bool {
        self.findings.iter().all(|finding| finding.severity != Severity::Blocking)
    }
}

/// Chooses a release for each wish and checks that they fit each other, the game and the loader.
pub fn choose(wishes: &Wishes, rulebook: &Rulebook, candidates: &[Candidate<'_>], last: Option<&Canon>) -> Choice {
    let versions = Versions { bare: Bare::Exact, ..rulebook.versions };
    let mut choice = Choice::default();
    let mut by_id: HashMap<String, Vec<&Candidate<'_>>> = HashMap::new();
    for candidate in candidates.iter().filter(|candidate| candidate.found.reading.made_for.is_none()) {
        by_id.entry(candidate.found.folded_id()).or_default().push(candidate);
    }
    for wish in &wishes.mods {
        let same_id = by_id.get(&wish.id.to_lowercase()).map_or(&[][..], Vec::as_slice);
        let pick = meet(wish, versions, same_id).or_else(|finding| kept(wish, versions, last).ok_or(finding));
        match pick {
            Ok(pick) => choice.picks.push(pick),
            Err(finding) => choice.findings.push(with_near_id(*finding, &by_id)),
        }
    }
    let unmet = unmet(&choice.findings, &by_id);
    choice.findings.extend(misfits(wishes, rulebook, &choice.picks, &unmet));
    match load_order(&choice.picks) {
        Ok(order) => choice.picks = order,
        Err(cycle) => choice.findings.push(impossible(&cycle)),
    }
    for (index, pick) in choice.picks.iter_mut().enumerate() {
        pick.sealed.position = index + 1;
    }
    choice.findings.sort_by(|a, b| (a.severity, &a.mod_id).cmp(&(b.severity, &b.mod_id)));
    choice
}

/// The canon made of a choice.
pub fn assemble(wishes: &Wishes, rulebook: &Rulebook, rulebook_digest: Blake3, mods: Vec<SealedMod>) -> Canon {
    Canon {
        format: canon::FORMAT.to_owned(),
        name: wishes.name.clone(),
        game: rulebook.game.clone(),
        rulebook: rulebook_digest,
        game_version: wishes.game_version.clone(),
        loader_version: wishes.loader_version.clone(),
        mods,
        keys: Vec::new(),
        lists: Vec::new(),
        settings: Vec::new(),
    }
}

/// A wish for an id that nothing has may be a slip of the pen.
fn with_near_id(finding: Finding, by_id: &HashMap<String, Vec<&Candidate<'_>>>) -> Finding {
    let id = finding.mod_id.clone().unwrap_or_default().to_lowercase();
    if by_id.contains_key(&id) {
        return finding;
    }
    let mut ids: Vec<&str> = by_id.keys().map(String::as_str).collect();
    ids.sort_unstable();
    match nearest(&id, ids) {
        Some(near) => Finding { remedy: format!("did you mean `{near}`?"), ..finding },
        None => finding,
    }
}

fn wanted(wish: &ModWish) -> String {
    format!("{} {}", wish.id, wish.version.as_deref().unwrap_or("(any release)"))
}

fn meet(wish: &ModWish, versions: Versions, same_id: &[&Candidate<'_>]) -> Result<Pick, Box<Finding>> {
    let from = |c: &&&Candidate<'_>| wish.from.as_deref().is_none_or(|from| from == c.place);
    let fitting: Vec<&Candidate<'_>> = same_id
        .iter()
        .filter(from)
        .filter(|c| admits(wish, c.found.reading.version.as_deref(), versions))
        .copied()
        .collect();
    let fitting = with_bytes(fitting, wish, versions, same_id);
    let Some(best) = best(&fitting, versions) else { return Err(Box::new(nothing_fits(wish, same_id))) };
    if let Some(rival) = rival(best, &fitting, versions) {
        return Err(Box::new(two_faces(wish, best, rival)));
    }
    let mut sealed = SealedMod::from_surveyed(best.found, 0);
    if let Some(side) = wish.needed_on {
        sealed.reading.needed_on = side;
    }
    Ok(Pick { sealed, place: Some(best.place.to_owned()) })
}

/// Where only ids were found, any release with bytes that bears the id, and the version if one was stated, will do.
fn with_bytes<'c>(
    fitting: Vec<&'c Candidate<'c>>,
    wish: &ModWish,
    versions: Versions,
    same_id: &[&'c Candidate<'c>],
) -> Vec<&'c Candidate<'c>> {
    if fitting.iter().any(|c| !c.found.is_id_alone()) {
        return fitting.into_iter().filter(|c| !c.found.is_id_alone()).collect();
    }
    let Some(alone) = fitting.first() else { return fitting };
    let stated = alone.found.reading.version.as_deref();
    let version = |c: &Candidate<'_>| c.found.reading.version.clone().unwrap_or_default();
    let same = |c: &&&Candidate<'_>| stated.is_none_or(|stated| versions.same(stated, &version(c)));
    let whole = same_id.iter().filter(|c| !c.found.is_id_alone()).filter(same).copied();
    let whole: Vec<_> = whole.filter(|c| admits(wish, c.found.reading.version.as_deref(), versions)).collect();
    if whole.is_empty() { fitting } else { whole }
}

/// What the last canon holds still meets the wish: its bytes are kept, wherever the copies have gone.
fn kept(wish: &ModWish, versions: Versions, last: Option<&Canon>) -> Option<Pick> {
    let sealed = last?.mods.iter().find(|sealed| sealed.folded_id() == wish.id.to_lowercase())?;
    if !admits(wish, sealed.reading.version.as_deref(), versions) {
        return None;
    }
    let mut sealed = sealed.clone();
    if let Some(side) = wish.needed_on {
        sealed.reading.needed_on = side;
    }
    Some(Pick { sealed, place: None })
}

fn admits(wish: &ModWish, version: Option<&str>, versions: Versions) -> bool {
    match (wish.version.as_deref(), version) {
        (None, _) => true,
        (Some(wanted), Some(version)) => wanted == version || versions.meets(version, wanted) == Some(true),
        (Some(_), None) => false,
    }
}

/// The newest release; of equals, the one at the most trusted place; of those, the first by name.
fn best<'c>(fitting: &[&'c Candidate<'c>], versions: Versions) -> Option<&'c Candidate<'c>> {
    let version = |c: &Candidate<'_>| c.found.reading.version.clone().unwrap_or_default();
    fitting.iter().copied().min_by(|a, b| {
        let newer = versions.scheme.compare(&version(b), &version(a)).unwrap_or_else(|| version(b).cmp(&version(a)));
        newer.then(a.trust.cmp(&b.trust)).then(a.place.cmp(b.place)).then(a.found.path.cmp(&b.found.path))
    })
}

/// Another copy of the same release, just as trusted, with other bytes.
fn rival<'c>(best: &Candidate<'_>, fitting: &[&'c Candidate<'c>], versions: Versions) -> Option<&'c Candidate<'c>> {
    let version = |c: &Candidate<'_>| c.found.reading.version.clone().unwrap_or_default();
    fitting.iter().copied().find(|other| {
        other.trust == best.trust
            && other.found.digest != best.found.digest
            && versions.same(&version(other), &version(best))
    })
}

fn two_faces(wish: &ModWish, one: &Candidate<'_>, other: &Candidate<'_>) -> Finding {
    let face = |c: &Candidate<'_>| format!("{} in {} ({})", c.found.path, c.place, c.found.digest.short());
    let remedy = if one.place == other.place {
        format!("keep one of the two files in {}", one.place)
    } else {
        format!("say in kanon.toml which counts: from = \"{}\" or from = \"{}\"", one.place, other.place)
    };
    Finding::new(Code::ContentDiffers, remedy)
        .about(&wish.id)
        .expected(format!("one file for {} {}", wish.id, one.found.version_or_dash()))
        .found(format!("{} and {}", face(one), face(other)))
}

fn nothing_fits(wish: &ModWish, same_id: &[&Candidate<'_>]) -> Finding {
    let expected = match &wish.from {
        Some(from) => format!("{} from {from}", wanted(wish)),
        None => wanted(wish),
    };
    let remedy = "put its release into a source or an install";
    let finding = Finding::new(Code::ModMissing, remedy).about(&wish.id).expected(expected);
    if same_id.is_empty() {
        return finding.found("no release of it in any source or install");
    }
    let there: BTreeSet<String> =
        same_id.iter().map(|c| format!("{} in {}", c.found.version_or_dash(), c.place)).collect();
    let there = there.into_iter().collect::<Vec<_>>().join(", ");
    Finding {
        remedy: "change the wish in kanon.toml, or put that release where it is to come from".to_owned(),
        ..finding
    }
    .found(there)
}

/// The ids that wishes without a release would have brought: their own, and what their releases provide.
fn unmet(findings: &[Finding], by_id: &HashMap<String, Vec<&Candidate<'_>>>) -> BTreeSet<String> {
    let own: Vec<String> =
        findings.iter().filter_map(|finding| Some(finding.mod_id.as_ref()?.to_lowercase())).collect();
    let releases = own.iter().filter_map(|id| by_id.get(id)).flatten();
    let provided: Vec<String> = releases.flat_map(|c| &c.found.reading.provides).map(|id| id.to_lowercase()).collect();
    own.into_iter().chain(provided).collect()
}

/// What does not fit, but for what only follows from a wish that is not met: that is told already.
fn misfits(wishes: &Wishes, rulebook: &Rulebook, picks: &[Pick], unmet: &BTreeSet<String>) -> Vec<Finding> {
    let set = FitSet {
        mods: picks.iter().map(|pick| &pick.sealed.reading).collect(),
        role: None,
        game_version: wishes.game_version.as_deref(),
        loader_version: wishes.loader_version.as_deref(),
    };
    let follows = |misfit: &Misfit| unmet.contains(&misfit.object.to_lowercase());
    fit(&set, rulebook.versions).into_iter().filter(|misfit| !follows(misfit)).map(|misfit| misfit.finding).collect()
}

fn impossible(cycle: &[String]) -> Finding {
    Finding::new(Code::OrderImpossible, "drop one of them, or choose a release that asks for less")
        .about(&cycle[0])
        .expected("an order in which each comes after what it asks for")
        .found(cycle.join(" before "))
}

/// One line of what a new seal changes against the last.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SealChange {
    /// The mod is new in the canon.
    Added(String, String),
    /// The mod left the canon.
    Gone(String, String),
    /// Another release: from, to.
    Version(String, String, String),
    /// The same release with other bytes.
    Bytes(String, String),
}

/// What a new canon changes against the last.
pub fn changes(last: &Canon, new: &Canon) -> Vec<SealChange> {
    let of = |canon: &Canon| -> BTreeMap<String, (String, String, Blake3)> {
        let entry = |m: &SealedMod| (m.folded_id(), (m.reading.id.clone(), m.version_or_dash().to_owned(), m.digest));
        canon.mods.iter().map(entry).collect()
    };
    let (old, new) = (of(last), of(new));
    let mut changes = Vec::new();
    for (key, (id, version, digest)) in &new {
        match old.get(key) {
            None => changes.push(SealChange::Added(id.clone(), version.clone())),
            Some((_, before, _)) if before != version => {
                changes.push(SealChange::Version(id.clone(), before.clone(), version.clone()));
            }
            Some((_, _, before)) if before != digest => changes.push(SealChange::Bytes(id.clone(), version.clone())),
            Some(_) => {}
        }
    }
    changes.extend(
        old.iter()
            .filter(|(key, _)| !new.contains_key(*key))
            .map(|(_, (id, v, _))| SealChange::Gone(id.clone(), v.clone())),
    );
    changes
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::path::InstallPath;
    use crate::survey::{Reading, Relation, RelationKind};
    use rstest::rstest;

    fn release(id: &str, version: &str, bytes: &str) -> SurveyedMod {
        SurveyedMod {
            reading: Reading { id: id.to_owned(), version: Some(version.to_owned()), ..Reading::default() },
            shelf: "mods".to_owned(),
            place: InstallPath::new("mods").expect("a path"),
            enabled: true,
            path: InstallPath::new(&format!("mods/{id}.psm")).expect("a path"),
            name: format!("{id}.psm"),
            digest: Blake3::of(bytes.as_bytes()),
            files: Vec::new(),
            members: Vec::new(),
            members_total: 0,
            signatures: Vec::new(),
        }
    }

    fn rulebook() -> Rulebook {
        let text = include_str!("../../../../demo/polarspur/polarspur.rulebook.toml");
        crate::rulebook::parse("polarspur", text).expect("a rulebook").value
    }

    fn wish(id: &str, version: Option<&str>, from: Option<&str>) -> Wishes {
        let wish = ModWish {
            id: id.to_owned(),
            version: version.map(str::to_owned),
            from: from.map(str::to_owned),
            ..ModWish::default()
        };
        Wishes { mods: vec![wish], ..Wishes::default() }
    }

    #[rstest]
    #[case(Some("1.0"), None, Ok("1.0 downloads"))]
    #[case(Some(">=1"), None, Ok("1.2 mara"))]
    #[case(None, Some("station"), Ok("1.1 station"))]
    #[case(Some("1.1"), None, Ok("1.1 station"))]
    #[case(Some("3"), None, Err("1.0 in downloads, 1.1 in mara, 1.1 in station, 1.2 in mara"))]
    #[case(Some("1.2"), Some("station"), Err("1.0 in downloads, 1.1 in mara, 1.1 in station, 1.2 in mara"))]
    fn releases_are_chosen(
        #[case] version: Option<&str>,
        #[case] from: Option<&str>,
        #[case] expected: Result<&str, &str>,
    ) {
        let releases = [
            release("tide", "1.0", "a"),
            release("tide", "1.1", "b"),
            release("tide", "1.1", "edited"),
            release("tide", "1.2", "c"),
        ];
        let places = [
            ("downloads", Trust::Source),
            ("station", Trust::Server),
            ("mara", Trust::Client),
            ("mara", Trust::Client),
        ];
        let candidates: Vec<_> =
            releases.iter().zip(places).map(|(found, (place, trust))| Candidate { place, trust, found }).collect();
        let choice = choose(&wish("Tide", version, from), &rulebook(), &candidates, None);
        let told = match choice.picks.first() {
            Some(pick) => Ok(format!("{} {}", pick.sealed.version_or_dash(), pick.place.as_deref().unwrap_or("last"))),
            None => Err(choice.findings[0].found.clone().unwrap_or_default()),
        };
        assert_eq!(told.as_deref().map_err(String::as_str), expected);
    }

    #[test]
    fn two_files_of_one_release_are_a_question() {
        let (one, two) = (release("tide", "1.0", "a"), release("tide", "1.0", "b"));
        let candidate = |place, found| Candidate { place, trust: Trust::Client, found };
        let choice =
            choose(&wish("tide", None, None), &rulebook(), &[candidate("mara", &one), candidate("wren", &two)], None);
        assert!(!choice.fits());
        assert_eq!(choice.findings[0].code, Code::ContentDiffers);
        assert!(choice.findings[0].remedy.contains("from = \"mara\" or from = \"wren\""));
    }

    #[test]
    fn the_last_canon_keeps_what_is_gone() {
        let last = Canon { mods: vec![SealedMod::from_surveyed(&release("tide", "1.0", "a"), 1)], ..empty() };
        let choice = choose(&wish("tide", Some("1.0"), None), &rulebook(), &[], Some(&last));
        assert_eq!(choice.picks[0].place, None);
        assert!(!choose(&wish("tide", Some("2"), None), &rulebook(), &[], Some(&last)).fits());
        let typo = choose(
            &wish("tied", None, None),
            &rulebook(),
            &[Candidate { place: "x", trust: Trust::Source, found: &release("tide", "1", "a") }],
            None,
        );
        assert_eq!(typo.findings[0].remedy, "did you mean `tide`?");
    }

    fn empty() -> Canon {
        assemble(&Wishes::default(), &rulebook(), Blake3::of(b""), Vec::new())
    }

    fn pick(id: &str, relations: &[(RelationKind, &str)]) -> Pick {
        let mut found = release(id, "1", id);
        found.reading.relations =
            relations.iter().map(|(kind, id)| Relation { kind: *kind, id: (*id).to_owned(), range: None }).collect();
        Pick { sealed: SealedMod::from_surveyed(&found, 0), place: None }
    }

    #[test]
    fn dependencies_come_first_and_circles_are_named() {
        use RelationKind::{LoadAfter, LoadBefore, Required};
        let ids = |picks: &[Pick]| {
            load_order(picks)
                .map(|order| order.iter().map(|p| p.sealed.reading.id.clone()).collect::<Vec<_>>().join(" "))
        };
        assert_eq!(ids(&[pick("a", &[(Required, "z")]), pick("m", &[]), pick("z", &[])]), Ok("m z a".to_owned()));
        assert_eq!(ids(&[pick("a", &[(Required, "b")]), pick("b", &[(Required, "a")])]), Ok("a b".to_owned()));
        assert_eq!(ids(&[pick("a", &[]), pick("z", &[(LoadBefore, "A")])]), Ok("z a".to_owned()));
        let leaning = [pick("a", &[(Required, "b")]), pick("b", &[(Required, "c")]), pick("c", &[(Required, "b")])];
        assert_eq!(ids(&leaning), Ok("b c a".to_owned()), "what leans on a circle comes after it");
        let circle =
            ids(&[pick("a", &[(LoadAfter, "b")]), pick("b", &[(LoadAfter, "c")]), pick("c", &[(LoadAfter, "a")])]);
        assert_eq!(circle, Err(["a", "c", "b", "a"].map(str::to_owned).to_vec()));
    }

    #[test]
    fn changes_against_the_last_seal() {
        let canon = |mods: &[SurveyedMod]| Canon {
            mods: mods.iter().map(|m| SealedMod::from_surveyed(m, 1)).collect(),
            ..empty()
        };
        let last = canon(&[release("a", "1", "a"), release("b", "1", "b"), release("c", "1", "c")]);
        let new = canon(&[release("a", "2", "a2"), release("b", "1", "edited"), release("d", "1", "d")]);
        let text = |word: &str| word.to_owned();
        assert_eq!(
            changes(&last, &new),
            [
                SealChange::Version(text("a"), text("1"), text("2")),
                SealChange::Bytes(text("b"), text("1")),
                SealChange::Added(text("d"), text("1")),
                SealChange::Gone(text("c"), text("1")),
            ]
        );
        assert_eq!(changes(&new, &new), []);
    }
}
