use super::*;
use crate::base::version::Versions;
use crate::manifest::{ModManifest, Relation};
use crate::resolve::solve::Offer;
use rstest::rstest;

/// `id version`, then `id range` for each mod that it needs.
fn release((head, needs): &(&str, &[&str])) -> ModManifest {
    let (id, version) = head.split_once(' ').expect("an id and a version");
    let relation = |text: &&str| {
        let (id, range) = text.split_once(' ').expect("an id and a range");
        Relation { kind: RelationKind::Required, id: id.to_owned().into(), range: Some(range.to_owned()) }
    };
    let relations = needs.iter().map(relation).collect();
    ModManifest { id: id.to_owned().into(), version: Some(version.to_owned()), relations, ..ModManifest::default() }
}

const SHOP: [(&str, &[&str]); 8] = [
    ("core 1.0", &[]),
    ("core 1.1", &[]),
    ("core 2.0", &[]),
    ("lamps 1.0", &["core >=1"]),
    ("lamps 2.0", &["core >=2"]),
    ("fog 1.0", &["core <2"]),
    ("fog 1.2", &["core <2"]),
    ("horn 1.0", &["fog >=1.2"]),
];

/// `id version`; `+` before what was brought in; ` accepts REQ` behind.
fn wish(text: &str) -> ModWish {
    let (text, accepts) = text.split_once(" accepts ").map_or((text, None), |(text, a)| (text, Some(a.to_owned())));
    let (id, version) = text.trim_start_matches('+').split_once(' ').expect("an id and a version");
    let from = Some("station".to_owned());
    ModWish {
        id: id.to_owned().into(),
        version: Some(version.to_owned()),
        accepts,
        from,
        asked: !text.starts_with('+'),
        ..ModWish::default()
    }
}

fn updated(wishes: &[&str], intent: &Intent) -> Result<Update, Box<NoFit>> {
    let readings: Vec<ModManifest> = SHOP.iter().map(release).collect();
    let offer = |manifest| Offer { manifest, place: "shop", trust: SourceRank::Source, date: None };
    let stock = Puzzle {
        versions: Versions::default(),
        game_version: None,
        loader_version: None,
        runtime_version: None,
        asks: Vec::new(),
        offers: readings.iter().map(offer).collect(),
        open: true,
    };
    let wishes = WorkspaceConfig { mods: wishes.iter().map(|text| wish(text)).collect(), ..WorkspaceConfig::default() };
    outlook(&wishes, intent, &stock).update
}

fn told(update: &Update) -> String {
    let version = |version: &Option<String>| version.clone().unwrap_or_else(|| "-".to_owned());
    let one = |m: &Move| {
        let by = if m.needed_by.is_empty() {
            String::new()
        } else {
            format!(" for {}", FoldedId::joined(&m.needed_by, " "))
        };
        format!("{} {} > {}{by}{}", m.id, version(&m.from), version(&m.to), if m.goes_back { " (back)" } else { "" })
    };
    update.moves.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn take(text: &str) -> Intent {
    let (id, accepts) = text.split_once('@').map_or((text, None), |(id, req)| (id, Some(req.to_owned())));
    Intent::Take(vec![Taken { id: id.to_owned().into(), accepts, prereleases: false }])
}

fn names(ids: &[&str]) -> Vec<FoldedId> {
    ids.iter().map(|id| (*id).into()).collect()
}

#[rstest]
#[case::a_new_mod_and_what_it_needs(&[], take("lamps"), "core - > 2.0 for lamps, lamps - > 2.0")]
#[case::what_is_there_stays(&["core 1.1"], take("lamps"), "lamps - > 1.0")]
#[case::others_move_on_when_they_must(&["core 1.1"], take("lamps@>=2"), "core 1.1 > 2.0, lamps - > 2.0")]
#[case::and_go_back_when_nothing_else_fits(&["core 2.0"], take("fog"), "core 2.0 > 1.1 (back), fog - > 1.2")]
#[case::an_older_one_by_name(&["lamps 2.0", "+core 2.0"], take("lamps@1.0"), "lamps 2.0 > 1.0 (back)")]
#[case::again_is_nothing_new(&["lamps 2.0", "+core 2.0"], take("lamps"), "")]
#[case::dropped_with_what_it_needed(&["lamps 2.0", "+core 2.0"], Intent::Drop(names(&["LAMPS"])), "core 2.0 > -, lamps 2.0 > -")]
#[case::dropped_and_still_asked_for(&["lamps 2.0", "core 2.0"], Intent::Drop(names(&["lamps"])), "lamps 2.0 > -")]
#[case::all_renewed(&["lamps 1.0", "+core 1.0"], Intent::Renew(vec![]), "core 1.0 > 2.0 for lamps, lamps 1.0 > 2.0")]
#[case::one_renewed(&["fog 1.0", "+core 1.0"], Intent::Renew(names(&["fog"])), "fog 1.0 > 1.2")]
#[case::within_what_is_accepted(&["core 1.0 accepts <1.1"], Intent::Renew(vec![]), "")]
#[case::a_range_by_hand_stays_a_range(&["core >=1"], Intent::Renew(vec![]), "")]
fn the_wishes_change(#[case] wishes: &[&str], #[case] intent: Intent, #[case] expected: &str) {
    assert_eq!(told(&updated(wishes, &intent).expect("a set fits")), expected);
}

#[test]
fn what_is_written_says_who_asked_and_from_where() {
    let update = updated(&["fog 1.0", "+core 1.0"], &take("horn@^1")).expect("a set fits");
    let written: Vec<String> = update
        .put
        .iter()
        .map(|wish| {
            let text = |text: &Option<String>| text.clone().unwrap_or_default();
            format!("{} {} {} {} {}", wish.id, text(&wish.version), text(&wish.accepts), wish.asked, text(&wish.from))
        })
        .collect();
    assert_eq!(written, ["fog 1.2  true shop", "horn 1.0 ^1 true shop"]);
    assert_eq!(update.remove, Vec::<String>::new());
}

#[test]
fn what_is_dropped_and_still_needed_stays_as_brought_in() {
    let update = updated(&["lamps 2.0", "core 2.0"], &Intent::Drop(names(&["core"]))).expect("a set fits");
    assert_eq!(update.still_needed, [("core".into(), names(&["lamps"]))]);
    assert_eq!((update.put.len(), update.put[0].asked, update.moves.len()), (1, false, 0));
}

#[test]
fn what_does_not_fit_is_explained() {
    let no_fit = updated(&["core 2.0 accepts >=2"], &take("fog")).expect_err("fog needs an older core");
    assert_eq!(no_fit.clashes[0].ids, ["core", "fog"]);
}
