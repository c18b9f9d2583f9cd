use super::*;
use crate::base::ids::FoldedId;
use crate::base::version::{Bare, Ranges, Scheme, Versions};
use crate::manifest::{ModManifest, Relation};
use crate::rulebook::{NeededOn, RelationKind};
use proptest::prelude::*;
use rstest::rstest;

/// A release in one line: `id version; needs x >=1; likes y <2; shuns z; also w; game >=1; on client; for Gantry`.
fn release(line: &str) -> ModManifest {
    let mut parts = line.split(';').map(str::trim);
    let (id, version) = parts.next().and_then(|head| head.split_once(' ')).expect("an id and a version");
    let mut manifest =
        ModManifest { id: id.to_owned().into(), version: Some(version.to_owned()), ..ModManifest::default() };
    for part in parts {
        let (verb, rest) = part.split_once(' ').expect("a verb and the rest");
        let kind = match verb {
            "needs" => RelationKind::Required,
            "likes" => RelationKind::Optional,
            "shuns" => RelationKind::Conflicting,
            "also" => {
                manifest.provides.push(rest.to_owned().into());
                continue;
            }
            "game" => {
                manifest.game_range = Some(rest.to_owned());
                continue;
            }
            "loader" => {
                manifest.loader_range = Some(rest.to_owned());
                continue;
            }
            "on" => {
                manifest.needed_on = NeededOn::of_word(rest).expect("a side");
                continue;
            }
            _ => {
                manifest.made_for = Some(rest.to_owned());
                continue;
            }
        };
        let (id, range) = rest.split_once(' ').map_or((rest, None), |(id, range)| (id, Some(range.to_owned())));
        manifest.relations.push(Relation { kind, id: id.to_owned().into(), range });
    }
    manifest
}

/// `id`, `id@REQ`, with `now V` behind it, and `not wanted`.
fn ask(text: &str) -> Ask {
    let (head, now) = text.split_once(" now ").map_or((text, None), |(head, now)| (head, Some(now.to_owned())));
    let (id, accepts) = head.split_once('@').map_or((head, None), |(id, req)| (id, Some(req.to_owned())));
    Ask { id: id.to_owned().into(), accepts, now, wanted: true, ..Ask::default() }
}

fn solved(asks: Vec<Ask>, lines: &[&str]) -> Result<String, NoFit> {
    let readings: Vec<ModManifest> = lines.iter().map(|line| release(line)).collect();
    let puzzle = puzzle(asks, &readings);
    solve(&puzzle).map(|set| told(&set)).map_err(|no_fit| *no_fit)
}

fn puzzle(asks: Vec<Ask>, readings: &[ModManifest]) -> Puzzle<'_> {
    let offer = |manifest| Offer { manifest, place: "shop", trust: SourceRank::Source, date: None };
    Puzzle {
        versions: Versions::default(),
        game_version: Some("1.5"),
        loader_version: Some("0.9"),
        runtime_version: None,
        asks,
        offers: readings.iter().map(offer).collect(),
        open: true,
    }
}

fn told(set: &FittingSet<'_>) -> String {
    let one = |chosen: &Chosen<'_>| {
        let manifest = chosen.offer.manifest;
        let brought_in = if chosen.brought_in { "+" } else { "" };
        format!("{brought_in}{} {}", manifest.id, manifest.version.as_deref().unwrap_or("-"))
    };
    set.chosen.values().map(one).collect::<Vec<_>>().join(", ")
}

const SHOP: [&str; 13] = [
    "core 1.0",
    "core 1.9",
    "core 2.0; game >=1.5",
    "core 2.1; game >=1.6",
    "lamps 1.0; needs core <2",
    "lamps 2.0; needs core >=2",
    "fog 1.0; needs core <2",
    "fog 1.1-rc1; needs core >=2",
    "horn 3.0; shuns lamps <2; likes fog >=2",
    "old-fog 1.0; also fog; also mist",
    "sky 1.0; needs mist",
    "maps 1.0; on server",
    "atlas 1.0; needs maps",
];

#[rstest]
#[case(&["lamps"], "+core 2.0, lamps 2.0")]
#[case(&["lamps@<2"], "+core 1.9, lamps 1.0")]
#[case(&["lamps", "fog"], "+core 1.9, fog 1.0, lamps 1.0")]
#[case(&["LAMPS", "Fog@>=1.1-rc1"], "+core 2.0, fog 1.1-rc1, lamps 2.0")]
#[case(&["horn", "lamps"], "+core 2.0, horn 3.0, lamps 2.0")]
#[case(&["sky"], "+old-fog 1.0, sky 1.0")]
#[case(&["lamps now 1.0"], "+core 1.9, lamps 1.0")]
#[case(&["core@1.0 now 1.0", "horn"], "core 1.0, horn 3.0")]
fn the_newest_set_that_fits(#[case] asks: &[&str], #[case] expected: &str) {
    assert_eq!(solved(asks.iter().map(|text| ask(text)).collect(), &SHOP).as_deref(), Ok(expected));
}

#[test]
fn an_update_takes_the_newest_and_goes_back_only_when_it_may() {
    let newest = |text, no_older| Ask { keep: Keep::Newest, no_older, ..ask(text) };
    assert_eq!(solved(vec![newest("lamps now 1.0", true)], &SHOP).as_deref(), Ok("+core 2.0, lamps 2.0"));
    let torn = |no_older| solved(vec![newest("core now 2.0", no_older), newest("fog now 1.0", no_older)], &SHOP);
    assert_eq!(torn(true).expect_err("fog needs an older core").clashes[0].ids, ["core", "fog"]);
    assert_eq!(torn(false).as_deref(), Ok("core 1.9, fog 1.0"));
}

fn in_words<T: ToString>(reasons: &[T]) -> Vec<String> {
    reasons.iter().map(ToString::to_string).collect()
}

#[test]
fn a_like_gives_way_and_is_told() {
    let readings: Vec<ModManifest> = SHOP.iter().map(|line| release(line)).collect();
    let puzzle = puzzle(vec![ask("horn"), ask("fog")], &readings);
    let set = solve(&puzzle).expect("a set");
    assert!(set.passed_over_likes, "horn likes fog from 2 on, and there is 1.0: {}", told(&set));
    assert_eq!(told(&set), "+core 1.9, fog 1.0, horn 3.0");
}

#[test]
fn a_side_must_be_there_for_what_needs_it() {
    let no_fit = solved(vec![ask("atlas")], &SHOP).expect_err("maps is on the server alone");
    assert_eq!(
        in_words(&no_fit.clashes[0].because),
        ["atlas 1.0 needs maps, and maps would not be on every side where it is needed"]
    );
    let both = Ask { needed_on: Some(NeededOn::Both), wanted: false, ..ask("maps") };
    assert_eq!(solved(vec![ask("atlas"), both], &SHOP).as_deref(), Ok("atlas 1.0, +maps 1.0"));
}

#[test]
fn a_held_release_stays_and_a_missing_one_is_told() {
    let held = |text| Ask { keep: Keep::Held, ..ask(text) };
    assert_eq!(solved(vec![held("core now 1.0"), ask("lamps")], &SHOP).as_deref(), Ok("core 1.0, lamps 1.0"));
    let no_fit = solved(vec![held("core now 1.0"), ask("lamps@2.0")], &SHOP).expect_err("core is held");
    assert_eq!(no_fit.clashes[0].ids, ["core", "lamps"]);
}

#[rstest]
#[case(&["lamps@>=2", "fog"], &["lamps >=2", "fog (any release)"],
    &["lamps 2.0 needs core >=2", "fog 1.0 needs core <2"], "lamps = 1.0 | without fog | without lamps")]
#[case(&["core@>=2.1"], &["core >=2.1"], &["core 2.1 fits game >=1.6, and the game is 1.5"], "core = 2.0 | without core")]
#[case(&["lapms"], &["lapms (any release)"], &["no release of lapms is in any source or install; did you mean lamps?"], "without lapms")]
#[case(&["lamps@7"], &["lamps 7"], &["there is lamps in every release (1.0 and 2.0)"], "lamps = 2.0 | without lamps")]
#[case(&["horn", "lamps@<2"], &["horn (any release)", "lamps <2"], &["horn 3.0 can't be used with lamps <2"],
    "lamps = 2.0 | without lamps | without horn")]
fn why_nothing_fits(#[case] asks: &[&str], #[case] wishes: &[&str], #[case] because: &[&str], #[case] ways: &str) {
    let no_fit = solved(asks.iter().map(|text| ask(text)).collect(), &SHOP).expect_err("no set");
    assert_eq!(no_fit.clashes.len(), 1, "{no_fit:#?}");
    assert_eq!(
        (in_words(&no_fit.clashes[0].wishes), in_words(&no_fit.clashes[0].because)),
        (in_words(wishes), in_words(because))
    );
    let way = |way: &WayOut| {
        let other = way.other.iter().map(|(id, version)| format!("{id} = {version}"));
        other.chain(way.without.iter().map(|id| format!("without {id}"))).collect::<Vec<_>>().join(" and ")
    };
    assert_eq!(no_fit.ways.iter().map(way).collect::<Vec<_>>().join(" | "), ways);
}

/// Doing without nearly everything is no way out; of a few, it is.
#[rstest]
#[case(30, 0, Some(31))]
#[case(30, 100, None)]
#[case(2, 0, None)]
fn a_set_that_gives_up_most_mods_is_not_offered(
    #[case] needing: usize,
    #[case] others: usize,
    #[case] given_up: Option<usize>,
) {
    let mut lines = vec!["core 1.0; game <1".to_owned()];
    lines.extend((0..needing).map(|n| format!("needy{n} 1.0; needs core >=1")));
    lines.extend((0..others).map(|n| format!("free{n} 1.0")));
    let ids: Vec<String> = lines.iter().filter_map(|line| Some(line.split_once(' ')?.0.to_owned())).collect();
    let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
    let no_fit = solved(ids.iter().map(|id| ask(id)).collect(), &lines).expect_err("no set");
    assert_eq!((no_fit.would_give_up, no_fit.ways.is_empty()), (given_up, given_up.is_some()), "{no_fit:?}");
}

#[test]
fn two_clashes_are_told_each_by_itself_and_a_way_out_settles_both() {
    let asks = ["lamps@>=2", "fog@<2", "sky", "gulls"].map(ask).to_vec();
    let no_fit = solved(asks, &SHOP).expect_err("no set");
    let ids: Vec<String> = no_fit.clashes.iter().map(|clash| FoldedId::joined(&clash.ids, " ")).collect();
    assert_eq!(ids, ["gulls", "lamps fog"]);
    assert_eq!(no_fit.ways[0].without, ["gulls"]);
    assert_eq!(no_fit.ways[0].other, [("lamps".into(), "1.0".to_owned())]);
}

#[test]
fn only_the_asked_may_come_in_where_the_wishes_are_all_there_is() {
    let readings: Vec<ModManifest> = SHOP.iter().map(|line| release(line)).collect();
    let closed = |asks: &[&str]| Puzzle { open: false, ..puzzle(asks.iter().map(|a| ask(a)).collect(), &readings) };
    assert!(solve(&closed(&["lamps"])).is_err());
    assert_eq!(solve(&closed(&["lamps", "core"])).map(|set| told(&set)).expect("a set"), "core 2.0, lamps 2.0");
}

#[test]
fn the_copy_that_was_asked_for_counts() {
    let (one, other) = (release("tide 1.0"), release("tide 1.0; needs core"));
    let offer = |manifest, place, trust| Offer { manifest, place, trust, date: None };
    let mut puzzle = puzzle(vec![Ask { from: Some("station".to_owned()), ..ask("tide") }], &[]);
    puzzle.offers = vec![offer(&other, "shop", SourceRank::Source), offer(&one, "station", SourceRank::Server)];
    assert_eq!(solve(&puzzle).expect("a set").chosen[&"tide".into()].offer.place, "station");
}

#[test]
fn releases_without_an_order_go_by_date() {
    let readings = ["tide blue", "tide red", "tide green"].map(release);
    let dates = ["2026-03-01", "2026-05-01", "2026-04-01"];
    let mut puzzle = puzzle(vec![ask("tide")], &readings);
    puzzle.versions = Versions { scheme: Scheme::Opaque, ranges: Ranges::Exact, bare: Bare::Exact };
    puzzle.offers.iter_mut().zip(dates).for_each(|(offer, date)| offer.date = Some(date));
    assert_eq!(told(&solve(&puzzle).expect("a set")), "tide red");
}

#[test]
fn how_each_mod_stands() {
    let readings: Vec<ModManifest> = SHOP.iter().map(|line| release(line)).collect();
    let asks = ["lamps now 1.0", "fog now 1.0", "core@<=1.9 now 1.0", "gulls now 3"].map(ask).to_vec();
    let puzzle = puzzle(asks, &readings);
    let without_gulls = Puzzle { asks: puzzle.asks[..3].to_vec(), ..puzzle.clone() };
    let set = solve(&without_gulls).expect("a set");
    let line = |s: &Standing| {
        let text = |text: &Option<String>| text.clone().unwrap_or_else(|| "-".to_owned());
        let held_back = s.held_back.as_ref().map(ToString::to_string);
        format!("{}: {} {} {} ({})", s.id, text(&s.now), text(&s.fits), text(&s.newest), text(&held_back))
    };
    let lines: Vec<String> = standing(&puzzle, Some(&set)).iter().map(line).collect();
    assert_eq!(
        lines,
        [
            "core: 1.0 1.0 2.1 (fits game >=1.6, and the game is 1.5)",
            "fog: 1.0 1.0 1.0 (-)",
            "gulls: 3 - - (-)",
            "lamps: 1.0 1.0 2.0 (it needs core >=2)",
        ]
    );
    let on_old =
        Puzzle { game_version: Some("1.4"), asks: vec![ask("core@>=2"), ask("lamps@2.0"), ask("fog")], ..puzzle };
    let ready: Vec<bool> = standing(&on_old, None).iter().map(|standing| standing.alone.is_ok()).collect();
    assert_eq!(ready, [false, true, false], "core and lamps block the game, fog is ready");
    let blocked = standing(&on_old, None).into_iter().find(|standing| standing.id == "lamps").expect("lamps");
    assert_eq!(
        blocked.alone.map_err(|why| why.to_string()),
        Err("its newest, 2.0, needs core >=2, whose newest, 2.1, fits game >=1.6, and the game is 1.4".to_owned())
    );
}

#[test]
fn what_can_be_had_by_itself() {
    let readings: Vec<ModManifest> = SHOP.iter().map(|line| release(line)).collect();
    let puzzle = puzzle(["lamps", "atlas", "gulls"].map(ask).to_vec(), &readings);
    let told: Vec<String> =
        each_alone(&puzzle).into_iter().map(|alone| alone.unwrap_or_else(|why| why.to_string())).collect();
    assert_eq!(told[0], "2.0");
    assert!(told[1].starts_with("atlas 1.0 needs maps") && told[2].starts_with("no release of gulls"), "{told:?}");
}

/// What a mod may ask of another's version, known by its meaning alone: the oracle never reads a requirement.
#[derive(Debug, Clone, Copy)]
enum Want {
    Any,
    Just(Numbers),
    Not(Numbers),
    From(Numbers),
    After(Numbers),
    Below(Numbers),
    UpTo(Numbers),
    Between(Numbers, Numbers),
    Within(Numbers, Numbers),
    Either(Numbers, Numbers),
    Compatible(Numbers),
    Line(u8),
}

type Numbers = (u8, u8);

impl Want {
    fn admits(self, v: Numbers) -> bool {
        match self {
            Self::Any => true,
            Self::Just(w) => v == w,
            Self::Not(w) => v != w,
            Self::From(w) => v >= w,
            Self::After(w) => v > w,
            Self::Below(w) => v < w,
            Self::UpTo(w) => v <= w,
            Self::Between(a, b) => v >= a && v < b,
            Self::Within(a, b) => v >= a && v <= b,
            Self::Either(a, b) => v == a || v >= b,
            Self::Compatible(w) => v >= w && v.0 == w.0 && (w.0 > 0 || v.1 == w.1),
            Self::Line(major) => v.0 == major,
        }
    }
}

/// A scheme and a grammar, and how a game that has them writes versions and wants.
#[derive(Debug, Clone, Copy)]
enum Grammar {
    Comparators(Scheme, Bare),
    Intervals(Scheme),
    Exact(Scheme),
}

const GRAMMARS: [Grammar; 11] = [
    Grammar::Comparators(Scheme::Dotted, Bare::Exact),
    Grammar::Comparators(Scheme::Dotted, Bare::AtLeast),
    Grammar::Comparators(Scheme::Dotted, Bare::Compatible),
    Grammar::Comparators(Scheme::SemVer, Bare::Compatible),
    Grammar::Comparators(Scheme::SemVer, Bare::AtLeast),
    Grammar::Comparators(Scheme::Date, Bare::AtLeast),
    Grammar::Intervals(Scheme::Dotted),
    Grammar::Intervals(Scheme::SemVer),
    Grammar::Intervals(Scheme::Date),
    Grammar::Exact(Scheme::Dotted),
    Grammar::Exact(Scheme::Opaque),
];

impl Grammar {
    fn versions(self) -> Versions {
        match self {
            Self::Comparators(scheme, bare) => Versions { scheme, ranges: Ranges::Comparators, bare },
            Self::Intervals(scheme) => Versions { scheme, ranges: Ranges::Intervals, bare: Bare::Exact },
            Self::Exact(scheme) => Versions { scheme, ranges: Ranges::Exact, bare: Bare::Exact },
        }
    }

    fn version(self, (a, b): Numbers) -> String {
        match self.versions().scheme {
            Scheme::SemVer => format!("{a}.{b}.0"),
            Scheme::Dotted => format!("{a}.{b}"),
            Scheme::Date => format!("2026-0{}-0{}", a + 1, b + 1),
            Scheme::Opaque => format!("tide{a}-{b}"),
        }
    }

    /// How this game writes a want; some can't be written.
    fn write(self, want: Want) -> Option<String> {
        let v = |w| self.version(w);
        let numbers = !matches!(self.versions().scheme, Scheme::Date | Scheme::Opaque);
        Some(match (self, want) {
            (_, Want::Any) => "*".to_owned(),
            (Self::Exact(_), Want::Just(w)) => v(w),
            (Self::Exact(_), _) => return None,
            (Self::Intervals(_), Want::Just(w)) => format!("[{}]", v(w)),
            (Self::Intervals(_), Want::From(w)) => format!("[{},)", v(w)),
            (Self::Intervals(_), Want::After(w)) => format!("({},)", v(w)),
            (Self::Intervals(_), Want::Below(w)) => format!("(,{})", v(w)),
            (Self::Intervals(_), Want::UpTo(w)) => format!("(,{}]", v(w)),
            (Self::Intervals(_), Want::Between(a, b)) => format!("[{},{})", v(a), v(b)),
            (Self::Intervals(_), Want::Within(a, b)) => format!("[{},{}]", v(a), v(b)),
            (Self::Intervals(_), Want::Either(a, b)) => format!("[{}],[{},)", v(a), v(b)),
            (Self::Intervals(_), _) => return None,
            (Self::Comparators(_, Bare::AtLeast), Want::From(w)) if w.1 % 2 == 0 => v(w),
            (Self::Comparators(_, Bare::Compatible), Want::Compatible(w)) if w.1 % 2 == 0 => v(w),
            (Self::Comparators(_, Bare::Exact), Want::Just(w)) if w.1 % 2 == 0 => v(w),
            (_, Want::Just(w)) => format!("={}", v(w)),
            (_, Want::Not(w)) => format!("!={}", v(w)),
            (_, Want::From(w)) => format!(">={}", v(w)),
            (_, Want::After(w)) => format!("> {}", v(w)),
            (_, Want::Below(w)) => format!("<{}", v(w)),
            (_, Want::UpTo(w)) => format!("<={}", v(w)),
            (_, Want::Between(a, b)) => format!(">={} <{}", v(a), v(b)),
            (_, Want::Within(a, b)) => format!("{} - {}", v(a), v(b)),
            (_, Want::Either(a, b)) => format!("={} || >={}", v(a), v(b)),
            (_, Want::Compatible(w)) if numbers => format!("^{}", v(w)),
            (_, Want::Line(a)) if numbers => format!("{a}.*"),
            _ => return None,
        })
    }
}

/// Turns bytes into choices.
struct Dice<'b>(std::slice::Iter<'b, u8>);

impl Dice<'_> {
    fn roll(&mut self, sides: u8) -> u8 {
        self.0.next().map_or(0, |byte| byte % sides)
    }

    fn numbers(&mut self) -> Numbers {
        (self.roll(3), self.roll(3))
    }

    fn want(&mut self, grammar: Grammar) -> (Want, String) {
        let (a, b) = (self.numbers(), self.numbers());
        let want = match self.roll(14) {
            0 => Want::Just(a),
            1 => Want::Not(a),
            2 | 3 => Want::From(a),
            4 => Want::After(a),
            5 | 6 => Want::Below(a),
            7 => Want::UpTo(a),
            8 => Want::Between(a, b),
            9 => Want::Within(a, b),
            10 => Want::Either(a, b),
            11 => Want::Compatible(a),
            12 => Want::Line(a.0),
            _ => Want::Any,
        };
        match grammar.write(want) {
            Some(text) => (want, text),
            None => (Want::Any, "*".to_owned()),
        }
    }
}

/// A release as the oracle knows it.
#[derive(Debug, Clone)]
struct Small {
    version: Numbers,
    relations: Vec<(RelationKind, String, Want)>,
    game: Want,
    provides: Vec<String>,
    needed_on: NeededOn,
    foreign: bool,
}

/// A small world, twice: as the oracle knows it, and as it is written.
struct SmallWorld {
    game: Numbers,
    mods: Vec<(String, Vec<Small>)>,
    asks: Vec<(String, Want)>,
    readings: Vec<ModManifest>,
    written_asks: Vec<Ask>,
}

const IDS: [&str; 5] = ["ash", "elm", "fir", "oak", "yew"];
const SIDES: [NeededOn; 6] =
    [NeededOn::Both, NeededOn::Both, NeededOn::Both, NeededOn::Server, NeededOn::Client, NeededOn::Optional];

fn small_world(bytes: &[u8], grammar: Grammar) -> SmallWorld {
    let mut dice = Dice(bytes.iter());
    let mut world =
        SmallWorld { game: dice.numbers(), mods: vec![], asks: vec![], readings: vec![], written_asks: vec![] };
    for id in &IDS[..usize::from(dice.roll(3)) + 2] {
        let mut releases: Vec<Small> = Vec::new();
        for _ in 0..=dice.roll(3) {
            let (small, manifest) = small_release(id, &mut dice, grammar);
            if releases.iter().all(|known| known.version != small.version) {
                releases.push(small);
                world.readings.push(manifest);
            }
        }
        if dice.roll(2) == 0 {
            let (want, text) = Grammar::want_exact(&mut dice, grammar);
            world.asks.push(((*id).to_owned(), want));
            world.written_asks.push(Ask { id: (*id).into(), accepts: Some(text), wanted: true, ..Ask::default() });
        }
        world.mods.push(((*id).to_owned(), releases));
    }
    world
}

impl Grammar {
    /// The administrator's own requirement: a version without a sign is just that one.
    fn want_exact(dice: &mut Dice<'_>, grammar: Grammar) -> (Want, String) {
        match grammar {
            Self::Comparators(scheme, _) => dice.want(Self::Comparators(scheme, Bare::Exact)),
            other => dice.want(other),
        }
    }
}

fn small_release(id: &str, dice: &mut Dice<'_>, grammar: Grammar) -> (Small, ModManifest) {
    let version = dice.numbers();
    let (game, game_text) = if dice.roll(4) == 0 { dice.want(grammar) } else { (Want::Any, "*".to_owned()) };
    let mut small = Small {
        version,
        relations: vec![],
        game,
        provides: vec![],
        needed_on: SIDES[usize::from(dice.roll(6))],
        foreign: dice.roll(12) == 0,
    };
    let mut manifest = ModManifest {
        id: id.to_owned().into(),
        version: Some(grammar.version(version)),
        game_range: Some(game_text),
        needed_on: small.needed_on,
        made_for: small.foreign.then(|| "Gantry".to_owned()),
        ..ModManifest::default()
    };
    for _ in 0..dice.roll(3) {
        let kinds = [RelationKind::Required, RelationKind::Required, RelationKind::Optional, RelationKind::Conflicting];
        let kind = kinds[usize::from(dice.roll(4))];
        let other = IDS[usize::from(dice.roll(5))].to_owned();
        let (want, text) = dice.want(grammar);
        small.relations.push((kind, other.clone(), want));
        manifest.relations.push(Relation { kind, id: other.into(), range: Some(text) });
    }
    let other = IDS[usize::from(dice.roll(5))].to_owned();
    if dice.roll(5) == 0 && other != id {
        small.provides.push(other.clone());
        manifest.provides.push(other.into());
    }
    (small, manifest)
}

/// Every set there can be, tried one by one: whether one fits, with what mods merely like, and without.
fn brute_force(world: &SmallWorld) -> (bool, bool) {
    let mut found = (false, false);
    let sets: usize = world.mods.iter().map(|(_, releases)| releases.len() + 1).product();
    for mut number in 0..sets {
        let mut set: Vec<(&str, &Small)> = Vec::new();
        for (id, releases) in &world.mods {
            let place = number % (releases.len() + 1);
            number /= releases.len() + 1;
            if place > 0 {
                set.push((id, &releases[place - 1]));
            }
        }
        found.0 |= is_right(world, &set, true);
        found.1 |= is_right(world, &set, false);
    }
    found
}

fn is_right(world: &SmallWorld, set: &[(&str, &Small)], likes: bool) -> bool {
    let there = |id: &str| set.iter().find(|(own, _)| *own == id).map(|(_, small)| *small);
    let asked = world.asks.iter().all(|(id, want)| there(id).is_some_and(|small| want.admits(small.version)));
    let on = |other: &Small, side: NeededOn, own: &Small| {
        let has = |small: &Small| small.needed_on == NeededOn::Both || small.needed_on == side;
        !has(own) || has(other) || other.needed_on == NeededOn::Optional
    };
    let sides = |other: &Small, own: &Small| on(other, NeededOn::Server, own) && on(other, NeededOn::Client, own);
    asked
        && set.iter().all(|(id, small)| {
            let others = || set.iter().filter(|(other, _)| other != id).map(|(_, other)| *other);
            let provided = |wanted: &str| others().find(|other| other.provides.iter().any(|p| p == wanted));
            let any_provided =
                |wanted: &str| others().any(|o| o.provides.iter().any(|p| p == wanted) && sides(o, small));
            !small.foreign
                && small.game.admits(world.game)
                && small.relations.iter().filter(|(_, other, _)| other != id).all(|(kind, other, want)| match kind {
                    RelationKind::Required if small.provides.contains(other) => true,
                    RelationKind::Required => match there(other) {
                        Some(found) => want.admits(found.version) && sides(found, small),
                        None => any_provided(other),
                    },
                    RelationKind::Optional => !likes || there(other).is_none_or(|found| want.admits(found.version)),
                    _ => there(other).is_none_or(|found| !want.admits(found.version)) && provided(other).is_none(),
                })
        })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]

    /// The oracle knows versions as pairs of numbers and wants by their meaning; it tries every set.
    #[test]
    fn the_solver_finds_a_set_just_when_there_is_one(
        bytes in proptest::collection::vec(any::<u8>(), 160),
        grammar in proptest::sample::select(GRAMMARS.to_vec()),
    ) {
        let world = small_world(&bytes, grammar);
        let game = grammar.version(world.game);
        let mut puzzle = puzzle(world.written_asks.clone(), &world.readings);
        puzzle.versions = grammar.versions();
        puzzle.game_version = Some(&game);
        let (with_likes, without) = brute_force(&world);
        match solve(&puzzle) {
            Ok(set) => {
                let small = |chosen: &Chosen<'_>| -> (String, Numbers) {
                    let manifest = chosen.offer.manifest;
                    let known = world.mods.iter().find(|(id, _)| *id == manifest.id).expect("a known mod");
                    let version = |small: &&Small| Some(grammar.version(small.version)) == manifest.version;
                    (manifest.id.to_string(), known.1.iter().find(version).expect("a known release").version)
                };
                let named: Vec<(String, Numbers)> = set.chosen.values().map(small).collect();
                let found: Vec<(&str, &Small)> = named.iter().map(|(id, version)| {
                    let (id, releases) = world.mods.iter().find(|(own, _)| own == id).expect("a known mod");
                    (id.as_str(), releases.iter().find(|small| small.version == *version).expect("a known release"))
                }).collect();
                prop_assert_eq!(set.passed_over_likes, !with_likes);
                prop_assert!(is_right(&world, &found, !set.passed_over_likes), "{}", told(&set));
                let mut turned = puzzle.clone();
                turned.asks.reverse();
                turned.offers.reverse();
                prop_assert_eq!(solve(&turned).map(|set| told(&set)).ok(), Some(told(&set)), "another order, another set");
            }
            Err(no_fit) => {
                prop_assert!(!without, "there is a set, and none was found: {no_fit:?}");
                prop_assert!(!no_fit.clashes.is_empty());
                prop_assert!(no_fit.clashes.iter().all(|clash| !clash.because.is_empty()), "{no_fit:?}");
                prop_assert!(!no_fit.ways.is_empty() || no_fit.would_give_up.is_some(), "{no_fit:?}");
            }
        }
    }
}

/// Ten mods for nine places, no two of which go to one place: every way is wrong, and each has to be tried. The search says that it
/// gave up, and not that nothing fits.
#[test]
fn a_puzzle_that_can_not_be_searched_is_given_up_honestly() {
    const MODS: usize = 10;
    let lines: Vec<String> = (0..MODS)
        .flat_map(|own| {
            (1..MODS).map(move |place| {
                let others = (0..MODS).filter(|other| *other != own);
                let shuns: String = others.map(|other| format!("; shuns p{other} ={place}.0")).collect();
                format!("p{own} {place}.0{shuns}")
            })
        })
        .collect();
    let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
    let asks = (0..MODS).map(|own| ask(&format!("p{own}"))).collect();
    let no_fit = solved(asks, &lines).expect_err("there is none");
    assert!(no_fit.given_up && no_fit.clashes.is_empty() && no_fit.ways.is_empty(), "{no_fit:?}");
}
