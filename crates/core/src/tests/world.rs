use super::*;
use crate::base::finding::Code;
use crate::base::ids::FoldedId;
use crate::canon::Canon;
use crate::config::{Edits, Extras};
use crate::delta::worlds::{Change, without_worlds};
use crate::delta::{CheckContext, Delta};
use crate::manifest::ModManifest;
use crate::rulebook;
use crate::rulebook::NeededOn;
use crate::survey::{InstallFacts, Survey, SurveyedFile, SurveyedMod};
use rstest::rstest;

fn rulebook(place: &str) -> Rulebook {
    let text = format!(
        "format = 'kanon-rulebook/1'\ngame = 'Tallowfen'\n[[shelf]]\nname = 'mods'\nholds = 'archives'\nin = {{ server = 'mods' }}\n\
         mod = {{ id = '$.id' }}\n[[world]]\nin = {{ server = '{place}' }}\n"
    );
    rulebook::parse("test", &text).expect("a rulebook").value
}

fn path(text: &str) -> InstallPath {
    InstallPath::new(text).expect("a path")
}

fn found(id: &str, bytes: &str, shapes_world: bool) -> SurveyedMod {
    let (at, blake3) = (path(&format!("mods/{id}")), Blake3::of(bytes.as_bytes()));
    SurveyedMod {
        manifest: ModManifest { id: id.into(), shapes_world, needed_on: NeededOn::Both, ..ModManifest::default() },
        shelf: "mods".into(),
        place: path("mods"),
        enabled: true,
        name: id.to_owned(),
        digest: blake3,
        files: vec![SurveyedFile::new(at.clone(), 1, blake3)],
        path: at,
        members: Vec::new(),
        members_total: 0,
        signatures: Vec::new(),
    }
}

fn survey(mods: Vec<SurveyedMod>, worlds: &[&str]) -> Survey {
    let install = InstallFacts {
        name: "fen".into(),
        role: Role::Server,
        game: "Tallowfen".to_owned(),
        game_version: None,
        loader_version: None,
        runtime_version: None,
    };
    Survey { mods, worlds: worlds.iter().map(|world| path(world)).collect(), ..Survey::empty(install) }
}

#[rstest]
#[case::comes(vec![], vec![found("peat", "1", true)], Some(Change::Added))]
#[case::goes(vec![found("peat", "1", true)], vec![], Some(Change::Removed))]
#[case::is_renewed(vec![found("peat", "1", true)], vec![found("peat", "2", true)], Some(Change::Replaced))]
#[case::begins_to_shape(vec![found("peat", "1", false)], vec![found("peat", "2", true)], Some(Change::Replaced))]
#[case::stays(vec![found("peat", "1", true)], vec![found("peat", "1", true)], None)]
#[case::shapes_nothing(vec![], vec![found("peat", "1", false)], None)]
fn a_change_of_a_mod_that_shapes_worlds_is_told(
    #[case] there: Vec<SurveyedMod>,
    #[case] wanted: Vec<SurveyedMod>,
    #[case] change: Option<Change>,
) {
    let canon = Canon::from_survey(&survey(wanted, &[]));
    let rulebook = rulebook("world");
    let measure =
        CheckContext { canon: &canon, rulebook: &rulebook, extras: Extras::Keep, edits: Edits::Ask, left: &[] };
    let with_world = survey(there.clone(), &["world"]);
    let delta = Delta::compute(measure, &with_world);
    let changes = delta.worlds.clone();
    assert_eq!(changes.first().map(|shaping| shaping.change), change);
    let wants = changes.iter().any(|shaping| shaping.change != Change::Replaced);
    let findings = delta.findings();
    let told = findings.iter().filter(|finding| finding.code == Code::WorldNeedsNew).count();
    assert_eq!(told, usize::from(wants));
    assert!(Delta::compute(measure, &survey(there, &[])).worlds.is_empty(), "no world, no question");
}

fn plan() -> Plan {
    let action = Action::Put { blake3: Blake3::of(b"pack") };
    Plan {
        steps: vec![Step {
            action,
            path: path("worlds/fen/packs/a"),
            reasons: Vec::new(),
            bytes: 4,
            lines: Vec::new(),
        }],
    }
}

fn fen(at: &str) -> World {
    World { path: path(at), files: vec![(path(&format!("{at}/level")), 5), (path(&format!("{at}/region/0")), 7)] }
}

/// Steps as text: what is done, from where, to which path.
fn told(plan: &Plan) -> Vec<String> {
    let one = |step: &Step| match &step.action {
        Action::Rename { from } => format!("rename {from} {}", step.path),
        action => format!("{} {}", action.as_str(), step.path),
    };
    plan.steps.iter().map(one).collect()
}

fn decided(place: &str, world: &[World], changes: &[Shaping], choice: &Choice) -> Vec<String> {
    told(&decide(plan(), (world, changes), choice, (&rulebook(place), Role::Server)).expect("a plan"))
}

#[test]
fn a_world_that_is_touched_or_reshaped_is_copied_and_another_is_left_alone() {
    let put = "put worlds/fen/packs/a";
    let copied = ["back-up worlds/fen/level", "back-up worlds/fen/region/0", put];
    assert_eq!(decided("worlds/*", &[fen("worlds/fen")], &[], &Choice::Keep), copied);
    assert_eq!(decided("worlds/*", &[fen("worlds/moor")], &[], &Choice::Undecided), [put]);
    let changes = [Shaping { id: "peat".into(), change: Change::Replaced }];
    let all = ["back-up worlds/moor/level", "back-up worlds/moor/region/0", put];
    assert_eq!(decided("worlds/*", &[fen("worlds/moor")], &changes, &Choice::Keep), all);
}

#[rstest]
#[case::beside("world", "world", "world-T/level")]
#[case::out_of_the_pattern("worlds/*", "worlds/fen", "worlds-set-aside/fen-T/level")]
fn an_old_world_is_set_aside_where_the_game_takes_it_for_none(
    #[case] place: &str,
    #[case] at: &str,
    #[case] expected: &str,
) {
    let steps = decided(place, &[fen(at)], &[], &Choice::New("T".to_owned()));
    assert_eq!(steps[0], format!("rename {at}/level {expected}"));
    assert_eq!(steps.len(), 3);
}

#[test]
fn a_world_that_is_one_file_keeps_its_extension() {
    let world = World { path: path("saves/current.fen"), files: vec![(path("saves/current.fen"), 9)] };
    let steps = decided("saves/current.fen", &[world], &[], &Choice::New("T".to_owned()));
    assert_eq!(steps[0], "rename saves/current.fen saves/current-T.fen");
}

#[test]
fn a_prepared_world_takes_the_place_and_the_name_that_the_game_wants() {
    let files =
        |inner: Option<&str>| vec![PreparedFile { inner: inner.map(str::to_owned), size: 1, blake3: Blake3::of(b"w") }];
    let choice = |inner| Choice::Prepared { mark: "T".to_owned(), called: "made".to_owned(), files: files(inner) };
    let steps = decided("worlds/*", &[fen("worlds/fen")], &[], &choice(Some("level")));
    assert_eq!(steps.last().expect("a step"), "put worlds/fen/level");
    let steps = decided("worlds/*", &[], &[], &choice(Some("level")));
    assert_eq!(steps.last().expect("a step"), "put worlds/made/level");
    let steps = decided("saves/current.fen", &[], &[], &choice(None));
    assert_eq!(steps.last().expect("a step"), "put saves/current.fen");
}

#[test]
fn what_lies_in_a_world_goes_with_it() {
    let mut inside = found("pack", "1", false);
    inside.path = path("worlds/fen/packs/pack");
    let survey = survey(vec![inside, found("peat", "1", false)], &["worlds/fen"]);
    let left: Vec<FoldedId> = without_worlds(&survey).mods.into_iter().map(|found| found.manifest.id).collect();
    assert_eq!(left, ["peat"]);
}
