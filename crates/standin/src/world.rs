//! The demo's world: Longnight Station and its four players, built from the small sources that ship with the program.

use std::io::{Cursor, Write};
use std::path::{Path, PathBuf};

use include_dir::{Dir, include_dir};
use zip::write::{SimpleFileOptions, ZipWriter};

use crate::error::StandinError;
use crate::tree;

static SOURCES: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/../../demo/polarspur");

/// When every file of the demo was last changed: a month before the story, in seconds since 1970.
const LONG_AGO: i64 = 1_760_000_000;

/// What runs on the station, in the releases that work.
const STATION: [&str; 9] = [
    "aurora-core-1.4.0",
    "snowtrack-3.2.1",
    "halogen-lamps-2.0.4",
    "drift-radio-1.1.0",
    "lantern-grid-0.6.3",
    "sled-dogs-1.1.0",
    "night-watch-0.8.2",
    "logbook-2.0.0",
    "compass-hud-1.1.0",
];
/// Mods that only the station runs, and the one that only visitors do.
const STATION_ALONE: [&str; 2] = ["night-watch-0.8.2", "logbook-2.0.0"];
const VISITOR_ALONE: &str = "compass-hud-1.1.0";

/// The demo's other games, each by the name of its folder and the text that describes it.
pub const OTHER_GAMES: [(&str, &str); 3] = [
    ("ashmere", include_str!("../../../demo/ashmere/ashmere.tree")),
    ("railway", include_str!("../../../demo/tallowfen/railway.tree")),
    ("convoy", include_str!("../../../demo/tallowfen/convoy.tree")),
];

/// The demo's evening of an update: a hall, two players and a shop, and the rulebook of their game.
pub(crate) const EVENING: &str = include_str!("../../../demo/ashmere/evening.tree");
pub(crate) const EVENING_RULEBOOK: &str = include_str!("../../../demo/ashmere/evening.rulebook.toml");

/// The players, by the names of their folders.
pub const PLAYERS: [&str; 4] = ["mara", "oskar", "wren", "tove"];

/// The demo's folders.
#[derive(Debug, Clone)]
pub struct World {
    root: PathBuf,
}

impl World {
    /// Builds the world as it was a month ago, when everybody could join.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn build(root: &Path) -> Result<Self, StandinError> {
        let world = Self { root: root.to_owned() };
        world.write("polarspur.rulebook.toml", &source("polarspur.rulebook.toml"))?;
        world.install("station", &STATION.iter().copied().filter(|name| *name != VISITOR_ALONE).collect::<Vec<_>>())?;
        world.write("station/world/longnight.sav", b"thirty days of snow\n")?;
        let visitors: Vec<&str> = STATION.iter().copied().filter(|name| !STATION_ALONE.contains(name)).collect();
        for player in PLAYERS {
            world.install(player, &visitors)?;
        }
        world.settle()?;
        Ok(world)
    }

    /// The world in a folder, whatever is there.
    pub fn at(root: &Path) -> Self {
        Self { root: root.to_owned() }
    }

    /// Builds a server and one client of the station's game, as they should be.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn pair(root: &Path) -> Result<(), StandinError> {
        let world = Self { root: root.to_owned() };
        world.write("rulebook.toml", &source("polarspur.rulebook.toml"))?;
        world.install("server", &STATION.iter().copied().filter(|name| *name != VISITOR_ALONE).collect::<Vec<_>>())?;
        world.install(
            "client",
            &STATION.iter().copied().filter(|name| !STATION_ALONE.contains(name)).collect::<Vec<_>>(),
        )
    }

    /// Builds a server and a client of each of the other games, in folders of their names.
    ///
    /// # Errors
    /// When the folders can't be written.
    pub fn other_games(&self) -> Result<(), StandinError> {
        OTHER_GAMES.iter().try_for_each(|(name, text)| tree::build(text, &self.root.join(name)))
    }

    /// Builds a hall, two players and a shop with downloads in a folder, with the rulebook of their game.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn evening(&self, folder: &str) -> Result<(), StandinError> {
        tree::build(EVENING, &self.root.join(folder))?;
        self.write(&format!("{folder}/reach.rulebook.toml"), EVENING_RULEBOOK.as_bytes())
    }

    /// Somebody was at the hall of that folder by hand: an old key is back, the launch line has a slip of the pen, the goods of a mod
    /// were pasted in once more, and the passage is called as it once was.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn spoil_hall(&self, hall: &str) -> Result<(), StandinError> {
        let edit = |path: &str, from: &str, to: &str| {
            let file = self.root.join(hall).join(path);
            let text = std::fs::read_to_string(&file).map_err(StandinError::io(path))?;
            self.write(&format!("{hall}/{path}"), text.replacen(from, to, 1).as_bytes())
        };
        edit("start.bat", "\"-holds=#tide-gates", "\"-holds=#tide-gaets")?;
        edit("hall.cfg", "\"ashmere.low\"", "\"ashmere.high\"")?;
        let bell = "  <good name=\"bell-small\"><weight>40</weight></good>\r\n";
        edit("world/goods.xml", "</goods>", &format!("{bell}</goods>"))?;
        self.write(&format!("{hall}/keys/tidewright.pub"), &tree::signing_key("tidewright").verifying_key().to_bytes())
    }

    /// Somebody new has bought the game, and has not put a single mod into it.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn new_player(&self, name: &str) -> Result<(), StandinError> {
        self.install(name, &[])?;
        settle(&self.folder(name))
    }

    /// The station runs another release of a mod from now on.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn next_snowtrack(&self) -> Result<(), StandinError> {
        self.remove("station/mods/snowtrack-3.2.1.psm")?;
        self.put("station", "snowtrack-3.3.0", "snowtrack-3.3.0.psm")
    }

    /// A server at home, like the station in all but its world, with a temper as that text says.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn attic(&self, temper: &str) -> Result<(), StandinError> {
        for part in ["mods", "engine"] {
            let from = self.folder("station").join(part);
            for entry in std::fs::read_dir(&from).map_err(StandinError::io(part))? {
                let path = entry.map_err(StandinError::io(part))?.path();
                let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
                let bytes = std::fs::read(&path).map_err(StandinError::io(&name))?;
                self.write(&format!("attic/{part}/{name}"), &bytes)?;
            }
        }
        self.write("attic/engine/temper.toml", temper.as_bytes())
    }

    /// Somebody is at the station again: a mod is gone, and another one is edited.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn visited_again(&self) -> Result<(), StandinError> {
        self.remove("station/mods/drift-radio-1.1.0.psm")?;
        let edited = archive("halogen-lamps-2.0.4", &[("settings/lamps.json", source("edits/lamps.json"))])?;
        self.write("station/mods/halogen-lamps-2.0.4.psm", &edited)
    }

    /// Whoever keeps the web space sends a mod of their own, under a name that was published.
    ///
    /// # Errors
    /// When the folder can't be written.
    pub fn spoil_release(&self, site: &str) -> Result<(), StandinError> {
        let targets = self.root.join(site).join("targets");
        for entry in std::fs::read_dir(&targets).map_err(StandinError::io(site))? {
            let path = entry.map_err(StandinError::io(site))?.path();
            if path.to_string_lossy().ends_with(".canon.json") {
                let text = std::fs::read_to_string(&path).map_err(StandinError::io(site))?;
                std::fs::write(&path, text.replace("drift-radio", "drift-trick")).map_err(StandinError::io(site))?;
            }
        }
        Ok(())
    }

    /// Where an install is.
    pub fn folder(&self, name: &str) -> PathBuf {
        self.root.join(name)
    }

    /// What happened last night and last week: the server was changed by hand, three players are off, one has a
    /// helper of her own.
    ///
    /// # Errors
    /// When the folders can't be written.
    pub fn spoil(&self) -> Result<(), StandinError> {
        self.remove("station/mods/snowtrack-3.2.1.psm")?;
        self.put("station", "snowtrack-3.1.0", "snowtrack-3.1.0.psm")?;
        self.rename("station/mods/lantern-grid-0.6.3.psm", "station/mods/lantern-grid-0.6.3.psm.off")?;
        self.put("mara", "map-sketch-0.4.0", "map-sketch-0.4.0.psm")?;
        for (new, old) in [("aurora-core-1.4.0", "aurora-core-1.3.2"), ("snowtrack-3.2.1", "snowtrack-3.1.0")] {
            self.remove(&format!("oskar/mods/{new}.psm"))?;
            self.put("oskar", old, &format!("{old}.psm"))?;
        }
        self.remove("oskar/mods/drift-radio-1.1.0.psm")?;
        let edited = archive("halogen-lamps-2.0.4", &[("settings/lamps.json", source("edits/lamps.json"))])?;
        self.write("wren/mods/halogen-lamps-2.0.4.psm", &edited)?;
        self.put("tove", "old-lantern-0.2", "old-lantern-0.2.psm")?;
        self.put("tove", "sled-dogs-1.0.0", "sled-dogs-1.0.0.psm")?;
        self.settle()
    }

    fn install(&self, name: &str, mods: &[&str]) -> Result<(), StandinError> {
        self.write(&format!("{name}/engine/build.json"), &source("engine/build.json"))?;
        self.write(&format!("{name}/engine/trellis-0.9.1.psb"), b"Trellis 0.9.1\n")?;
        mods.iter().try_for_each(|source| self.put(name, source, &format!("{source}.psm")))
    }

    fn put(&self, install: &str, source: &str, name: &str) -> Result<(), StandinError> {
        self.write(&format!("{install}/mods/{name}"), &archive(source, &[])?)
    }

    fn write(&self, path: &str, bytes: &[u8]) -> Result<(), StandinError> {
        let path = self.root.join(path);
        let made = path.parent().map_or(Ok(()), std::fs::create_dir_all);
        made.and_then(|()| std::fs::write(&path, bytes)).map_err(StandinError::io(path.display().to_string()))
    }

    fn remove(&self, path: &str) -> Result<(), StandinError> {
        std::fs::remove_file(self.root.join(path)).map_err(StandinError::io(path))
    }

    fn rename(&self, from: &str, to: &str) -> Result<(), StandinError> {
        std::fs::rename(self.root.join(from), self.root.join(to)).map_err(StandinError::io(from))
    }

    /// Gives every file of the installs the time of long ago, so that nothing looks just written.
    fn settle(&self) -> Result<(), StandinError> {
        std::iter::once("station").chain(PLAYERS).try_for_each(|name| settle(&self.folder(name)))
    }
}

fn settle(path: &Path) -> Result<(), StandinError> {
    let shown = path.display().to_string();
    if path.is_dir() {
        for entry in std::fs::read_dir(path).map_err(StandinError::io(&shown))? {
            settle(&entry.map_err(StandinError::io(&shown))?.path())?;
        }
    }
    filetime::set_file_mtime(path, filetime::FileTime::from_unix_time(LONG_AGO, 123_456_789))
        .map_err(StandinError::io(shown))
}

fn source(path: &str) -> Vec<u8> {
    SOURCES.get_file(path).map(|file| file.contents().to_vec()).unwrap_or_default()
}

/// Packs the sources of a mod, the same bytes every time; some members may be other than the sources say.
///
/// # Errors
/// When there are no such sources.
pub fn archive(name: &str, other: &[(&str, Vec<u8>)]) -> Result<Vec<u8>, StandinError> {
    let missing = || std::io::Error::other("there are no such sources");
    let root = PathBuf::from("mods").join(name);
    let folder = SOURCES.get_dir(&root).ok_or_else(missing).map_err(StandinError::io(name))?;
    let mut files = Vec::new();
    collect(folder, &root, &mut files);
    files.sort();
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    for (member, bytes) in files {
        let bytes = other.iter().find(|(path, _)| *path == member).map_or(bytes, |(_, bytes)| bytes.clone());
        let options = SimpleFileOptions::default().last_modified_time(zip::DateTime::default());
        writer.start_file(member, options).map_err(std::io::Error::other).map_err(StandinError::io(name))?;
        writer.write_all(&bytes).map_err(StandinError::io(name))?;
    }
    let packed = writer.finish().map_err(std::io::Error::other).map_err(StandinError::io(name))?;
    Ok(packed.into_inner())
}

fn collect(folder: &Dir<'_>, root: &Path, files: &mut Vec<(String, Vec<u8>)>) {
    for file in folder.files() {
        if let Ok(member) = file.path().strip_prefix(root) {
            files.push((member.to_string_lossy().replace('\\', "/"), file.contents().to_vec()));
        }
    }
    folder.dirs().for_each(|below| collect(below, root, files));
}
