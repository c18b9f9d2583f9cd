//! `kanon demo`: the story of Longnight Station, told by this very program run on real files.
//!
//! Every command that is shown is run as a process of its own, as an administrator would run it; what it came to
//! is then judged by its JSON report, its exit code, or the simulated game's own opinion.

mod game;
mod stage;

use std::path::Path;

use kanon_standin::world::{PLAYERS, World};

use crate::Outcome;
use crate::arguments::Demo;
use crate::failure::Failure;
use crate::ui::Ui;
use game::{ShopOpen, Station};
use stage::{Stage, fingerprint};

/// What the server's console said when nobody could join.
const MORNING_LOG: &str = "this-morning.log";

/// What each install is off the canon in, worst first: mod and code.
const FAULTS: [(&str, &[(&str, &str)]); 5] = [
    ("station", &[("lantern-grid", "mod-disabled"), ("snowtrack", "version-older")]),
    ("mara", &[("map-sketch", "mod-extra")]),
    ("oskar", &[("aurora-core", "version-older"), ("drift-radio", "mod-missing"), ("snowtrack", "version-older")]),
    ("wren", &[("halogen-lamps", "content-differs")]),
    ("tove", &[("old-lantern", "mod-extra"), ("sled-dogs", "mod-duplicate")]),
];

/// Runs the demo.
pub fn run(arguments: Demo, ui: &Ui) -> Result<Outcome, Failure> {
    let Some(keep) = arguments.keep else {
        let temp =
            tempfile::tempdir().map_err(|error| Failure::plain("could not make a temporary folder").because(error))?;
        return tell(temp.path(), ui);
    };
    let empty = std::fs::read_dir(&keep).map_or(true, |mut entries| entries.next().is_none());
    if !empty {
        return Err(Failure::plain(format!("{} is not empty", keep.display())).hint("give --keep a new folder"));
    }
    std::fs::create_dir_all(&keep)
        .map_err(|error| Failure::plain(format!("could not make {}", keep.display())).because(error))?;
    let root = keep.canonicalize().map_err(|error| Failure::plain("could not find the folder again").because(error))?;
    let outcome = tell(&root, ui)?;
    ui.report(&format!("The demo's files are left in {}\n", keep.display()));
    Ok(outcome)
}

fn tell(root: &Path, ui: &Ui) -> Result<Outcome, Failure> {
    let world =
        World::build(root).map_err(|error| Failure::plain("could not build the demo's world").because(error))?;
    let mut stage = Stage::new(root, ui)?;
    a_month_ago(&mut stage, &world)?;
    this_morning(&mut stage, &world)?;
    what_is_wrong(&mut stage)?;
    mending(&mut stage, &world)?;
    taking_back(&mut stage, &world)?;
    in_the_night(&mut stage, &world)?;
    for_players(&mut stage, &world)?;
    in_the_attic(&mut stage, &world)?;
    an_update(&mut stage, &world)?;
    by_hand(&mut stage, &world)?;
    other_games(&mut stage, &world)?;
    Ok(Outcome::of(stage.conclude()))
}

fn a_month_ago(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "A month ago",
        "Longnight Station opens. Ines runs it; Mara, Oskar, Wren and Tove play. She writes down what is agreed.",
    );
    let mut init =
        vec!["init", "--name", "Longnight Station", "--rulebook", "polarspur.rulebook.toml", "--server", "station"];
    init.extend(PLAYERS.iter().flat_map(|player| ["--client", player]));
    stage.command(&init, 0)?;
    stage.command(&["adopt", "mara"], 0)?;
    stage.command(&["adopt", "station"], 0)?;
    stage.command(&["seal"], 0)?;
    stage.command(&["check"], 0)?;
    let station = Station::start(stage, world, "a-month-ago.log")?;
    for player in PLAYERS {
        station.join(stage, world, player, true)?;
    }
    Ok(())
}

fn this_morning(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "This morning",
        "Last night somebody changed the server by hand. Nobody can join, and the game does not say why.",
    );
    world.spoil().map_err(|error| Failure::plain("could not spoil the demo's world").because(error))?;
    let station = Station::start(stage, world, MORNING_LOG)?;
    for player in PLAYERS {
        station.join(stage, world, player, false)?;
    }
    Ok(())
}

fn what_is_wrong(stage: &mut Stage<'_>) -> Result<(), Failure> {
    stage.act(
        "What is wrong",
        "Ines looks at the server, asks why Mara was turned away, and holds everybody against the canon.",
    );
    stage.command(&["survey", "station"], 0)?;
    stage.command(&["diagnose", "--client", "mara", "--server-log", MORNING_LOG], 1)?;
    stage.command(&["diagnose", "--message", "teh station didnt open the dor"], 1)?;
    stage.command(
        &["diagnose", "--client", "oskar", "--server-log", MORNING_LOG, "--client-log", "oskar.log", "--reply"],
        1,
    )?;
    stage.command(&["check"], 1)?;
    for (name, expected) in FAULTS {
        let found = stage.findings(name)?;
        stage.expect(&format!("{name} is off in just this: {}", listed(expected)), found == owned(expected));
    }
    stage.command(&["compare", "canon", "station", "mara", "oskar", "wren", "tove"], 1)?;
    Ok(())
}

fn for_players(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "For players",
        "Ines is tired of sending archives around. She publishes the set, and posts one line. Oskar follows it, and so does Juno, who has just bought the game. A week later Snowtrack has a new release.",
    );
    let failed =
        |error: kanon_standin::StandinError| Failure::plain("could not change the demo's world").because(error);
    world.new_player("juno").map_err(failed)?;
    let site = world.folder("site");
    std::fs::create_dir_all(&site).map_err(|error| Failure::plain("could not make a folder").because(error))?;
    let web = ShopOpen::start(stage, &site)?;
    stage.command(&["publish", "site", "--address", &web.address()], 0)?;
    let invite = stage.invite()?;
    stage.command(&["follow", "--yes", &invite, "juno"], 0)?;
    stage.command(&["follow", "--yes", &invite, "oskar"], 0)?;
    world.next_snowtrack().map_err(failed)?;
    stage.command_in_brief(&["adopt", "station"], 0)?;
    stage.command_in_brief(&["seal"], 0)?;
    stage.command(&["publish"], 0)?;
    let station = Station::start(stage, world, "a-week-later.log")?;
    station.join(stage, world, "juno", false)?;
    stage.command(&["follow", "juno", "--check"], 1)?;
    for player in ["juno", "oskar"] {
        stage.command(&["follow", "--yes", player], 0)?;
        stage.command_in_brief(&["-C", player, "check"], 0)?;
        station.join(stage, world, player, true)?;
    }
    stage.command(&["handout"], 0)?;
    world.spoil_release("site").map_err(failed)?;
    let before = fingerprint(&world.folder("juno").join("mods"))?;
    stage.command(&["follow", "--yes", "juno"], 2)?;
    stage.expect(
        "what somebody put into the release is refused, and nothing of juno's is changed",
        fingerprint(&world.folder("juno").join("mods"))? == before,
    );
    Ok(())
}

fn in_the_attic(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "In the attic",
        "The next change is tried at home first, on a server in Ines's attic. It says that it is up, and goes on loading. One evening it does not come up at all, and does not say which mod it is.",
    );
    let failed =
        |error: kanon_standin::StandinError| Failure::plain("could not furnish the demo's attic").because(error);
    world.attic("thaws-ms = 300\nthaws-on-ms = 700\n").map_err(failed)?;
    stage.add_rehearsal("attic")?;
    stage.command(&["rehearse", "attic", "--yes", "--settle", "1", "--stage", "aurora-core,snowtrack"], 0)?;
    stage.command(&["health", "attic/console.log"], 0)?;
    world.attic("breaks-with = [\"drift-radio\", \"sled-dogs\"]\n").map_err(failed)?;
    stage.command(&["rehearse", "attic", "--yes", "--settle", "0.4"], 1)?;
    stage.command(&["isolate", "attic", "--yes", "--settle", "0.2"], 1)?;
    let is_found = stage.has_said("found: drift-radio, sled-dogs together");
    stage.expect("just the two that don't get on are found", is_found);
    stage.command_in_brief(&["check", "attic"], 0)?;
    Ok(())
}

/// What learning must find in each of the other games: mods on the server, on the client, and lists.
const LEARNED: [(&str, &str, [usize; 3]); 3] = [
    ("ashmere", "Ashmere Reach", [4, 4, 2]),
    ("railway", "Tallowfen", [7, 7, 2]),
    ("convoy", "Tallowfen in convoys", [3, 3, 1]),
];

fn other_games(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "Other games",
        "Friends of Ines run a drowned coast and a marsh railway, and nobody has written a rulebook for either. Kanon looks, and \
         drafts one.",
    );
    world.other_games().map_err(|error| Failure::plain("could not build the other games").because(error))?;
    for (folder, game, expected) in LEARNED {
        let (server, client) = (format!("{folder}/server"), format!("{folder}/client"));
        let (file, game) = (format!("{folder}.rulebook.toml"), ["--game", game]);
        let learn = ["learn", &server, "--client", &client, "-o", &file, game[0], game[1]];
        stage.command(&learn, 0)?;
        let found = stage.learned(&server, &client)?;
        stage.expect(
            &format!(
                "{folder}: {} mods on the server, {} on the client, lists: {}, all told",
                expected[0], expected[1], expected[2]
            ),
            found == (expected, true),
        );
    }
    stage.command(&["survey", "ashmere/server", "--rulebook", "ashmere.rulebook.toml", "--role", "server"], 0)?;
    stage.command(
        &["rulebook", "check", "railway.rulebook.toml", "--against", "railway/server", "--mod", "peat-works"],
        0,
    )?;
    Ok(())
}

fn an_update(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "An update",
        "Teal runs a hall on Ashmere Reach for Rowan and Alder. Their mods come from a shop: a folder of downloads on a web \
         server, with a catalogue that its keeper makes. Tide Gates has a new release, and a new game is announced.",
    );
    world.evening("reach").map_err(|error| Failure::plain("could not build the demo's reach").because(error))?;
    stage.command(&in_reach(&["catalogue", "shop", "--rulebook", "reach.rulebook.toml"]), 1)?;
    let shop = ShopOpen::start(stage, &world.folder("reach").join("shop"))?;
    let source = format!("shop={}", shop.address());
    let init = [
        "init",
        "--name",
        "Low Water",
        "--rulebook",
        "reach.rulebook.toml",
        "--server",
        "hall",
        "--client",
        "rowan",
        "--client",
        "alder",
    ];
    let mut init = in_reach(&init);
    init.extend(["--source", &source]);
    stage.command(&init, 0)?;
    stage.command(&in_reach(&["adopt", "hall"]), 0)?;
    stage.command(&in_reach(&["seal"]), 0)?;
    stage.command(&in_reach(&["renew", "--preview"]), 0)?;
    stage.command(&in_reach(&["renew", "--game", "2.40.0", "--preview"]), 1)?;
    stage.command(&in_reach(&["take", "--search", "reeds"]), 0)?;
    stage.command(&in_reach(&["take", "reed-beds", "tide-gates@1.6"]), 0)?;
    stage.command(&in_reach(&["why", "tide-gates"]), 0)?;
    stage.command(&in_reach(&["take", "lantern-fish@>=0.9.3", "tide-gates@<1.7"]), 1)?;
    stage.command(&in_reach(&["take", "tide-gates"]), 0)?;
    stage.command(&in_reach(&["renew"]), 0)?;
    stage.command(&in_reach(&["align", "hall", "--yes"]), 2)?;
    stage.command(&in_reach(&["seal", "--changes"]), 0)?;
    stage.command(&in_reach(&["seal"]), 0)?;
    stage.command(&in_reach(&["align", "hall", "--yes"]), 0)?;
    for player in ["rowan", "alder"] {
        stage.command_in_brief(&in_reach(&["align", player, "--yes"]), 0)?;
    }
    stage.command(&in_reach(&["check"]), 0)?;
    Ok(())
}

/// A command in the other workspace of the story.
fn in_reach<'w>(words: &[&'w str]) -> Vec<&'w str> {
    ["-C", "reach"].into_iter().chain(words.iter().copied()).collect()
}

/// What each thing that was changed by hand at the hall is told as.
const BY_HAND: [&str; 4] = ["fragment-differs", "key-changed", "launch-line-differs", "setting-differs"];

fn by_hand(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "Changed by hand",
        "The next day somebody helps out at the hall: an old key from a backup, a slip of the pen in the launch line, the bells' goods pasted in once more, a passage by its old name. Rowan can't land.",
    );
    let failed = |error: kanon_standin::StandinError| Failure::plain("could not spoil the demo's hall").because(error);
    let hall = Station::hall(stage, &world.folder("reach/hall"), "hall.log")?;
    hall.land(stage, &world.folder("reach/rowan"), "rowan", true)?;
    drop(hall);
    world.spoil_hall("reach/hall").map_err(failed)?;
    let hall = Station::hall(stage, &world.folder("reach/hall"), "spoilt-hall.log")?;
    hall.land(stage, &world.folder("reach/rowan"), "rowan", false)?;
    drop(hall);
    let told = [
        "diagnose",
        "--client",
        "rowan",
        "--player",
        "rowan",
        "--server-log",
        "../spoilt-hall.log",
        "--client-log",
        "../rowan.log",
    ];
    stage.command(&in_reach(&told), 1)?;
    stage.command(&in_reach(&["check", "hall"]), 1)?;
    let mut codes: Vec<String> = stage.findings_in("reach", "hall")?.into_iter().map(|(_, code)| code).collect();
    codes.sort();
    stage.expect(&format!("the hall is off in just this: {}", BY_HAND.join(", ")), codes == BY_HAND);
    stage.command(&in_reach(&["keys"]), 1)?;
    stage.command(&in_reach(&["line", "hall"]), 0)?;
    stage.command(&in_reach(&["align", "hall", "--yes"]), 0)?;
    let hall = Station::hall(stage, &world.folder("reach/hall"), "mended-hall.log")?;
    hall.land(stage, &world.folder("reach/rowan"), "rowan", true)?;
    hall.land(stage, &world.folder("reach/alder"), "alder", true)?;
    Ok(())
}

fn listed(faults: &[(&str, &str)]) -> String {
    faults.iter().map(|(id, code)| format!("{id} {code}")).collect::<Vec<_>>().join(", ")
}

fn owned(faults: &[(&str, &str)]) -> Vec<(String, String)> {
    faults.iter().map(|(id, code)| ((*id).to_owned(), (*code).to_owned())).collect()
}

fn mending(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act("Mending", "One command for each that is off. Copies of everything are kept.");
    stage.command(&["align", "tove", "--preview"], 1)?;
    for name in ["station", "oskar", "wren", "tove"] {
        stage.command(&["align", name, "--yes"], 0)?;
    }
    stage.command(&["check"], 0)?;
    let station = Station::start(stage, world, "mended.log")?;
    for player in PLAYERS {
        station.join(stage, world, player, true)?;
    }
    Ok(())
}

fn taking_back(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act("Taking back", "Not sure? Every alignment can be taken back, to the byte, times included.");
    stage.command(&["history"], 0)?;
    stage.command(&["undo", "tove"], 0)?;
    world_again(stage, world, "tove")?;
    stage.command(&["check", "tove"], 1)?;
    let before = fingerprint(&world.folder("tove"))?;
    stage.command(&["align", "tove", "--yes"], 0)?;
    stage.command(&["undo", "tove"], 0)?;
    stage.expect(
        "a second alignment taken back leaves tove's folder bit-identical, times included",
        fingerprint(&world.folder("tove"))? == before,
    );
    stage.command(&["align", "tove", "--yes"], 0)?;
    Ok(())
}

fn in_the_night(stage: &mut Stage<'_>, world: &World) -> Result<(), Failure> {
    stage.act(
        "In the night",
        "Ines would rather hear of it before her players do. She lets Kanon watch, and sleeps. Somebody is at the station again.",
    );
    stage.command(&["watch", "--once"], 0)?;
    stage.command_in_brief(&["watch", "--once"], 0)?;
    world.visited_again().map_err(|error| Failure::plain("could not change the demo's world").because(error))?;
    stage.command(&["watch", "--once"], 1)?;
    stage.command(&["export", "--server-log", "mended.log", "--player", "Mara"], 0)?;
    stage.command(&["diagnose", "--evidence", "evidence.zip"], 1)?;
    stage.command_in_brief(&["align", "station", "--yes"], 0)?;
    stage.command(&["watch", "--once"], 0)?;
    stage.command(&["report"], 0)?;
    Ok(())
}

/// Builds the same spoilt world once more beside it, and compares every byte and time.
fn world_again(stage: &mut Stage<'_>, world: &World, name: &str) -> Result<(), Failure> {
    let failed =
        |error: kanon_standin::StandinError| Failure::plain("could not build the demo's world again").because(error);
    let temp =
        tempfile::tempdir().map_err(|error| Failure::plain("could not make a temporary folder").because(error))?;
    let again = World::build(temp.path()).map_err(failed)?;
    again.spoil().map_err(failed)?;
    let same = fingerprint(&world.folder(name))? == fingerprint(&again.folder(name))?;
    stage.expect(&format!("{name}'s folder is bit-identical to what it was before, times included"), same);
    Ok(())
}
