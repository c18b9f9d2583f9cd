//! The faults: what somebody did to one side, and which words are right for it.

use std::path::Path;

use ed25519_dalek::Signer;

use super::truth::{Dice, Truth};
use super::written::write;
use crate::error::StandinError;
use crate::{tree, world};

/// The demo's games.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Game {
    Polarspur,
    Ashmere,
    Tallowfen,
}

impl Game {
    pub const fn word(self) -> &'static str {
        match self {
            Self::Polarspur => "polarspur",
            Self::Ashmere => "ashmere",
            Self::Tallowfen => "tallowfen",
        }
    }

    pub fn of_word(word: &str) -> Option<Self> {
        [Self::Polarspur, Self::Ashmere, Self::Tallowfen].into_iter().find(|game| game.word() == word)
    }
}

/// One kind of fault.
pub struct Fault {
    pub game: Game,
    pub kind: &'static str,
    side: &'static str,
    codes: &'static [&'static str],
    told: &'static [&'static str],
    does: Deed,
}

/// What was done, to a side whose folder is given; it says which mod it is about, or nothing where it can't be done.
type Deed = fn(&mut Hand<'_>) -> Result<Option<Option<String>>, StandinError>;

/// Whoever does it.
pub struct Hand<'a> {
    side: std::path::PathBuf,
    /// Mods that something was done to already.
    taken: &'a [String],
    dice: &'a mut Dice,
}

impl Fault {
    /// Does it; nothing when it can't be done beside what was done already.
    pub fn lay(&self, root: &Path, taken: &[String], dice: &mut Dice) -> Result<Option<Option<String>>, StandinError> {
        (self.does)(&mut Hand { side: root.join(self.side), taken, dice })
    }

    pub fn truth(&self, mod_id: Option<String>) -> Truth {
        Truth { kind: self.kind, codes: self.codes, told: self.told, mod_id, side: self.side }
    }
}

/// What a fault is about: two of one topic would hide each other.
pub fn topic(kind: &str) -> &str {
    let end = kind.split_once(' ').map_or(kind, |(_, end)| end);
    match end {
        "line lacks a mod" | "line in another order" | "line with a slip" | "line names too much" => "line",
        "torn mod" | "mod twice" | "mod of another loader" | "still packed" => "stops",
        other => other,
    }
}

impl Hand<'_> {
    fn pick(&mut self, of: &[&'static str]) -> Option<&'static str> {
        let left: Vec<&&str> = of.iter().filter(|id| !self.taken.iter().any(|taken| taken == **id)).collect();
        (!left.is_empty()).then(|| **self.dice.pick(&left))
    }

    fn read(&self, path: &str) -> Result<Vec<u8>, StandinError> {
        std::fs::read(self.side.join(path)).map_err(StandinError::io(path))
    }

    fn write(&self, path: &str, bytes: &[u8]) -> Result<(), StandinError> {
        write(&self.side, path, bytes)
    }

    fn remove(&self, path: &str) -> Result<(), StandinError> {
        let path = self.side.join(path);
        let removed = if path.is_dir() { std::fs::remove_dir_all(&path) } else { std::fs::remove_file(&path) };
        removed.map_err(StandinError::io(path.display().to_string()))
    }

    fn rename(&self, from: &str, to: &str) -> Result<(), StandinError> {
        let to = self.side.join(to);
        let made = to.parent().map_or(Ok(()), std::fs::create_dir_all);
        made.and_then(|()| std::fs::rename(self.side.join(from), to)).map_err(StandinError::io(from))
    }

    /// Replaces a text once; nothing when it is not there.
    fn edit(&self, path: &str, from: &str, to: &str) -> Result<Option<()>, StandinError> {
        let text = String::from_utf8_lossy(&self.read(path)?).into_owned();
        if !text.contains(from) {
            return Ok(None);
        }
        self.write(path, text.replacen(from, to, 1).as_bytes()).map(Some)
    }
}

type Done = Result<Option<Option<String>>, StandinError>;

fn about(id: &str) -> Done {
    Ok(Some(Some(id.to_owned())))
}

const NOBODY: Done = Ok(None);

macro_rules! faults {
    ($($game:ident $side:literal $kind:literal [$($code:literal)*] [$($told:literal)*] $does:expr;)*) => {
        /// Every kind of fault.
        pub const FAULTS: &[Fault] = &[$(Fault {
            game: Game::$game, kind: $kind, side: $side, codes: &[$($code),*], told: &[$($told),*], does: $does,
        },)*];
    };
}

faults! {
    Polarspur "client" "p-client missing" ["mod-missing"] ["dependency-missing"] p_missing;
    Polarspur "client" "p-client older" ["version-older"] ["version-other"] p_older;
    Polarspur "client" "p-client newer" ["version-newer"] ["version-other"] p_newer;
    Polarspur "client" "p-client altered" ["content-differs"] [] p_altered;
    Polarspur "client" "p-client extra" ["mod-extra"] [] p_extra;
    Polarspur "client" "p-client mod twice" ["mod-duplicate"] [] p_twice;
    Polarspur "client" "p-client switched off" ["mod-disabled"] ["mod-missing" "dependency-missing"] p_off;
    Polarspur "client" "p-client torn mod" ["unreadable" "content-differs" "mod-missing"] ["unreadable"] p_torn;
    Polarspur "client" "p-client mod of another loader" ["mod-extra"] ["unreadable"] p_foreign;
    Polarspur "client" "p-client loader" ["loader-differs"] [] p_loader;
    Polarspur "client" "p-client game" ["game-differs"] [] p_game;
    Polarspur "client" "p-client wrong place" ["wrong-place"] ["mod-missing" "dependency-missing"] p_stray;
    Polarspur "client" "p-client still packed" ["still-packed"] ["unreadable"] p_packed;
    Polarspur "server" "p-server missing" ["mod-missing"] ["mod-extra" "dependency-missing"] p_missing;
    Polarspur "server" "p-server older" ["version-older"] ["version-other"] p_older;
    Polarspur "server" "p-server altered" ["content-differs"] [] p_altered;
    Polarspur "server" "p-server switched off" ["mod-disabled"] ["mod-extra" "dependency-missing"] p_off;
    Polarspur "server" "p-server mod twice" ["mod-duplicate"] [] p_twice;
    Polarspur "server" "p-server torn mod" ["unreadable" "content-differs" "mod-missing"] ["unreadable"] p_torn;
    Polarspur "server" "p-server extra" ["mod-extra"] ["mod-missing"] p_extra;
    Polarspur "server" "p-server loader" ["loader-differs"] [] p_loader;
    Polarspur "server" "p-server game" ["game-differs"] [] p_game;
    Polarspur "client" "p-client needs what is gone" ["mod-missing"] ["dependency-missing"] p_core_gone;
    Ashmere "client" "a-client missing" ["mod-missing"] ["launch-line-differs"] a_missing;
    Ashmere "client" "a-client older" ["version-older"] ["version-other" "content-differs"] a_older;
    Ashmere "client" "a-client altered" ["content-differs" "signature-bad"] [] a_altered;
    Ashmere "client" "a-client unsigned" ["signature-missing" "content-differs"] [] a_unsigned;
    Ashmere "client" "a-client signed by a stranger" ["signature-unknown-key" "content-differs"] [] a_stranger;
    Ashmere "client" "a-client wrong name" ["wrong-name"] ["launch-line-differs" "mod-missing"] a_wrong_name;
    Ashmere "client" "a-client line lacks a mod" ["launch-line-differs"] ["mod-missing"] a_client_line_lacks;
    Ashmere "client" "a-client line in another order" ["list-order"] [] a_client_line_order;
    Ashmere "client" "a-client line with a slip" ["launch-line-differs"] ["mod-missing"] a_client_line_slip;
    Ashmere "server" "a-server line with a slip" ["launch-line-differs"] ["mod-extra"] a_server_line_slip;
    Ashmere "server" "a-server line in another order" ["list-order"] [] a_server_line_order;
    Ashmere "server" "a-server key missing" ["key-missing"] ["signature-unknown-key"] a_key_missing;
    Ashmere "server" "a-server key changed" ["key-changed"] ["signature-bad"] a_key_changed;
    Ashmere "server" "a-server goods twice" ["fragment-left-over" "fragment-differs"] [] a_goods;
    Ashmere "server" "a-server passage" ["setting-differs"] [] a_passage;
    Ashmere "server" "a-server room" ["memory-low"] [] a_room;
    Ashmere "server" "a-server older" ["version-older"] ["version-other" "content-differs"] a_older;
    Tallowfen "client" "t-client switched off on the board" ["list-entry-off"] ["mod-disabled"] t_off;
    Tallowfen "client" "t-client not on the board" ["list-entry-missing"] ["mod-disabled" "mod-missing"] t_unlisted;
    Tallowfen "client" "t-client board names too much" ["list-entry-extra"] [] t_board_extra;
    Tallowfen "client" "t-client missing" ["mod-missing"] ["list-entry-extra"] t_missing;
    Tallowfen "client" "t-client older" ["version-older"] ["version-other"] t_older;
    Tallowfen "client" "t-client altered" ["content-differs"] [] t_altered;
    Tallowfen "client" "t-client torn mod" ["unreadable" "content-differs" "mod-missing"] ["unreadable" "list-entry-extra"] t_torn;
    Tallowfen "client" "t-client wagon missing" ["mod-missing"] [] t_wagon_missing;
    Tallowfen "client" "t-client wagon altered" ["content-differs" "version-other"] ["content-differs"] t_wagon_altered;
    Tallowfen "client" "t-client game" ["game-differs"] [] t_game;
    Tallowfen "server" "t-server switched off on the board" ["list-entry-off"] ["mod-disabled" "mod-extra"] t_off;
    Tallowfen "server" "t-server older" ["version-older"] ["version-other"] t_older;
    Tallowfen "server" "t-server wagon missing" ["mod-missing"] ["mod-extra"] t_wagon_missing;
    Tallowfen "server" "t-server game" ["game-differs"] [] t_game;
}

/// Mods of the station that both sides need and no other one leans on, with their releases.
const LEAVES: [(&str, &str); 4] =
    [("snowtrack", "3.2.1"), ("drift-radio", "1.1.0"), ("halogen-lamps", "2.0.4"), ("sled-dogs", "1.1.0")];
const OLD: [(&str, &str, &str); 2] = [("snowtrack", "3.2.1", "3.1.0"), ("sled-dogs", "1.1.0", "1.0.0")];

fn leaf(hand: &mut Hand<'_>) -> Option<(&'static str, String)> {
    let ids: Vec<&'static str> = LEAVES.iter().map(|(id, _)| *id).collect();
    let id = hand.pick(&ids)?;
    let version = LEAVES.iter().find(|(known, _)| *known == id)?.1;
    Some((id, format!("mods/{id}-{version}.psm")))
}

fn p_missing(hand: &mut Hand<'_>) -> Done {
    let Some((id, file)) = leaf(hand) else { return NOBODY };
    hand.remove(&file)?;
    about(id)
}

fn p_core_gone(hand: &mut Hand<'_>) -> Done {
    if hand.taken.iter().any(|id| id == "aurora-core") {
        return NOBODY;
    }
    hand.remove("mods/aurora-core-1.4.0.psm")?;
    about("aurora-core")
}

fn p_older(hand: &mut Hand<'_>) -> Done {
    let Some(id) = hand.pick(&OLD.map(|(id, ..)| id)) else { return NOBODY };
    let Some((_, new, old)) = OLD.into_iter().find(|(known, ..)| *known == id) else { return NOBODY };
    hand.remove(&format!("mods/{id}-{new}.psm"))?;
    hand.write(&format!("mods/{id}-{old}.psm"), &world::archive(&format!("{id}-{old}"), &[])?)?;
    about(id)
}

fn p_newer(hand: &mut Hand<'_>) -> Done {
    let Some(id) = hand.pick(&["snowtrack"]) else { return NOBODY };
    hand.remove("mods/snowtrack-3.2.1.psm")?;
    hand.write("mods/snowtrack-3.3.0.psm", &world::archive("snowtrack-3.3.0", &[])?)?;
    about(id)
}

fn p_altered(hand: &mut Hand<'_>) -> Done {
    let Some((id, file)) = leaf(hand) else { return NOBODY };
    let name = file.trim_start_matches("mods/").trim_end_matches(".psm").to_owned();
    let about_file = if id == "sled-dogs" { "about.toml" } else { "about.json" };
    let mut text = hand_source(&name, about_file)?;
    text.push(b'\n');
    hand.write(&file, &world::archive(&name, &[(about_file, text)])?)?;
    about(id)
}

fn hand_source(name: &str, member: &str) -> Result<Vec<u8>, StandinError> {
    use std::io::Read as _;
    let packed = world::archive(name, &[])?;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(packed))
        .map_err(std::io::Error::other)
        .map_err(StandinError::io(name))?;
    let mut bytes = Vec::new();
    let mut file = zip.by_name(member).map_err(std::io::Error::other).map_err(StandinError::io(name))?;
    file.read_to_end(&mut bytes).map_err(StandinError::io(name))?;
    Ok(bytes)
}

fn packed(members: &[(&str, &[u8])]) -> Result<Vec<u8>, StandinError> {
    use std::io::Write as _;
    let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, bytes) in members {
        let options = zip::write::SimpleFileOptions::default().last_modified_time(zip::DateTime::default());
        writer.start_file(*name, options).map_err(std::io::Error::other).map_err(StandinError::io(*name))?;
        writer.write_all(bytes).map_err(StandinError::io(*name))?;
    }
    let done = writer.finish().map_err(std::io::Error::other).map_err(StandinError::io("packing"))?;
    Ok(done.into_inner())
}

fn p_extra(hand: &mut Hand<'_>) -> Done {
    let Some(id) = hand.pick(&["fog-bank", "ice-saw", "tin-kettle"]) else { return NOBODY };
    let about_file =
        format!("{{\"id\": \"{id}\", \"version\": \"0.{}\", \"runs\": \"everywhere\"}}", hand.dice.roll(9));
    hand.write(&format!("mods/{id}.psm"), &packed(&[("about.json", about_file.as_bytes())])?)?;
    about(id)
}

fn p_twice(hand: &mut Hand<'_>) -> Done {
    let Some(id) = hand.pick(&OLD.map(|(id, ..)| id)) else { return NOBODY };
    let Some((_, _, old)) = OLD.into_iter().find(|(known, ..)| *known == id) else { return NOBODY };
    hand.write(&format!("mods/{id}-{old}.psm"), &world::archive(&format!("{id}-{old}"), &[])?)?;
    about(id)
}

fn p_off(hand: &mut Hand<'_>) -> Done {
    let Some((id, file)) = leaf(hand) else { return NOBODY };
    hand.rename(&file, &format!("{file}.off"))?;
    about(id)
}

fn p_torn(hand: &mut Hand<'_>) -> Done {
    let Some((id, file)) = leaf(hand) else { return NOBODY };
    let bytes = hand.read(&file)?;
    hand.write(&file, &bytes[..bytes.len() / 2])?;
    about(id)
}

fn p_foreign(hand: &mut Hand<'_>) -> Done {
    hand.write("mods/old-lantern-0.2.psm", &world::archive("old-lantern-0.2", &[])?)?;
    about("old-lantern")
}

fn p_loader(hand: &mut Hand<'_>) -> Done {
    hand.rename("engine/trellis-0.9.1.psb", "engine/trellis-0.9.0.psb")?;
    Ok(Some(None))
}

fn p_game(hand: &mut Hand<'_>) -> Done {
    let text = String::from_utf8_lossy(&hand.read("engine/build.json")?).replace("1.4.2", "1.4.1");
    hand.write("engine/build.json", text.as_bytes())?;
    Ok(Some(None))
}

fn p_stray(hand: &mut Hand<'_>) -> Done {
    let Some((id, file)) = leaf(hand) else { return NOBODY };
    hand.rename(&file, &file.replace("mods/", "mods/new folder/"))?;
    about(id)
}

fn p_packed(hand: &mut Hand<'_>) -> Done {
    let Some((id, file)) = leaf(hand) else { return NOBODY };
    let bytes = hand.read(&file)?;
    let inner = file.trim_start_matches("mods/").to_owned();
    hand.write(&file, &packed(&[(inner.as_str(), &bytes), ("read me.txt", b"unpack this")])?)?;
    about(id)
}

const HOLDS: [(&str, &str, &str, &str); 4] = [
    ("tide-gates", "gates", "tidewright", "1.6"),
    ("lantern-fish", "fish", "tidewright", "0.9.2"),
    ("drowned-bells", "bells", "bellfounder", "2.0"),
    ("salt-maps", "maps", "bellfounder", "1.0"),
];

fn hold(hand: &mut Hand<'_>) -> Option<(&'static str, &'static str, &'static str, &'static str)> {
    let id = hand.pick(&HOLDS.map(|(id, ..)| id))?;
    HOLDS.into_iter().find(|(known, ..)| *known == id)
}

fn a_missing(hand: &mut Hand<'_>) -> Done {
    let Some((id, ..)) = hold(hand) else { return NOBODY };
    hand.remove(&format!("holds/{id}"))?;
    about(id)
}

fn a_older(hand: &mut Hand<'_>) -> Done {
    let Some((id, _, _, version)) = hold(hand) else { return NOBODY };
    hand.edit(&format!("holds/{id}/hold.toml"), &format!("release = \"{version}\""), "release = \"0.1\"")?;
    about(id)
}

fn a_altered(hand: &mut Hand<'_>) -> Done {
    let Some((id, payload, ..)) = hold(hand) else { return NOBODY };
    let path = format!("holds/{id}/stock/{payload}.hold");
    let bytes = [hand.read(&path)?.as_slice(), b"and more"].concat();
    hand.write(&path, &bytes)?;
    about(id)
}

fn a_unsigned(hand: &mut Hand<'_>) -> Done {
    let Some((id, payload, key, _)) = hold(hand) else { return NOBODY };
    hand.remove(&format!("holds/{id}/stock/{payload}.hold.{key}.mark"))?;
    about(id)
}

fn a_stranger(hand: &mut Hand<'_>) -> Done {
    let Some((id, payload, key, _)) = hold(hand) else { return NOBODY };
    let bytes = hand.read(&format!("holds/{id}/stock/{payload}.hold"))?;
    hand.remove(&format!("holds/{id}/stock/{payload}.hold.{key}.mark"))?;
    let mark = tree::signing_key("stranger").sign(&bytes);
    hand.write(&format!("holds/{id}/stock/{payload}.hold.stranger.mark"), &mark.to_bytes())?;
    about(id)
}

fn a_wrong_name(hand: &mut Hand<'_>) -> Done {
    let Some((id, ..)) = hold(hand) else { return NOBODY };
    let mut name = id.to_owned();
    name[..1].make_ascii_uppercase();
    hand.rename(&format!("holds/{id}"), &format!("holds/{name}"))?;
    about(id)
}

fn line(hand: &mut Hand<'_>, file: &str, from: &str, to: &str) -> Done {
    Ok(hand.edit(file, from, to)?.map(|()| None))
}

fn a_client_line_lacks(hand: &mut Hand<'_>) -> Done {
    line(hand, "launch.txt", ";#salt-maps", "")
}

fn a_client_line_order(hand: &mut Hand<'_>) -> Done {
    line(hand, "launch.txt", "#tide-gates;#lantern-fish", "#lantern-fish;#tide-gates")
}

fn a_client_line_slip(hand: &mut Hand<'_>) -> Done {
    line(hand, "launch.txt", "#drowned-bells", "#drowned-bels")
}

fn a_server_line_slip(hand: &mut Hand<'_>) -> Done {
    line(
        hand,
        "start.bat",
        "-room=900M \"-holds=#tide-gates;#lantern-fish",
        "-room=900M \"-holds=#tide-gates;#lantern-fsh",
    )
}

fn a_server_line_order(hand: &mut Hand<'_>) -> Done {
    line(hand, "start.bat", "#drowned-bells;#salt-maps", "#salt-maps;#drowned-bells")
}

fn a_key_missing(hand: &mut Hand<'_>) -> Done {
    let key = *hand.dice.pick(&["tidewright", "bellfounder"]);
    hand.remove(&format!("keys/{key}.pub"))?;
    Ok(Some(None))
}

fn a_key_changed(hand: &mut Hand<'_>) -> Done {
    let key = *hand.dice.pick(&["tidewright", "bellfounder"]);
    hand.write(&format!("keys/{key}.pub"), &tree::signing_key("an old key").verifying_key().to_bytes())?;
    Ok(Some(None))
}

fn a_goods(hand: &mut Hand<'_>) -> Done {
    line(hand, "world/goods.xml", "</goods>", "  <good name=\"bell-small\"><weight>40</weight></good>\r\n</goods>")
}

fn a_passage(hand: &mut Hand<'_>) -> Done {
    line(hand, "hall.cfg", "\"ashmere.low\"", "\"ashmere.high\"")
}

fn a_room(hand: &mut Hand<'_>) -> Done {
    line(hand, "start.bat", "-room=900M", "-room=256M")
}

const LOADS: [(&str, &str); 2] = [("reed-signals", "0.4.1"), ("peat-works", "2.0.3")];

fn load(hand: &mut Hand<'_>) -> Option<(&'static str, &'static str)> {
    let id = hand.pick(&LOADS.map(|(id, _)| id))?;
    LOADS.into_iter().find(|(known, _)| *known == id)
}

fn t_off(hand: &mut Hand<'_>) -> Done {
    let Some((id, _)) = load(hand) else { return NOBODY };
    let said = format!("{{ \"called\": \"{id}\", \"running\": true }}");
    let off = said.replace("true", "false");
    Ok(hand.edit("loads/board.json", &said, &off)?.map(|()| Some(id.to_owned())))
}

fn t_unlisted(hand: &mut Hand<'_>) -> Done {
    let Some((id, _)) = load(hand) else { return NOBODY };
    let said = format!("{{ \"called\": \"{id}\", \"running\": true }},\n    ");
    Ok(hand.edit("loads/board.json", &said, "")?.map(|()| Some(id.to_owned())))
}

fn t_board_extra(hand: &mut Hand<'_>) -> Done {
    let more = "\"loads\": [\n    { \"called\": \"night-mail\", \"running\": true },";
    Ok(hand.edit("loads/board.json", "\"loads\": [", more)?.map(|()| Some("night-mail".to_owned())))
}

fn t_missing(hand: &mut Hand<'_>) -> Done {
    let Some((id, version)) = load(hand) else { return NOBODY };
    hand.remove(&format!("loads/{id}_{version}.zip"))?;
    about(id)
}

fn t_repacked(
    hand: &Hand<'_>,
    (id, version): (&str, &str),
    change: impl Fn(String) -> String,
) -> Result<Vec<u8>, StandinError> {
    use std::io::Read as _;
    let bytes = hand.read(&format!("loads/{id}_{version}.zip"))?;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes))
        .map_err(std::io::Error::other)
        .map_err(StandinError::io(id))?;
    let member = format!("{id}_{version}/leaflet.json");
    let mut text = String::new();
    let mut file = zip.by_name(&member).map_err(std::io::Error::other).map_err(StandinError::io(id))?;
    file.read_to_string(&mut text).map_err(StandinError::io(id))?;
    packed(&[(member.as_str(), change(text).as_bytes())])
}

fn t_older(hand: &mut Hand<'_>) -> Done {
    let Some((id, version)) = load(hand) else { return NOBODY };
    let old = t_repacked(hand, (id, version), |text| text.replace(version, "0.2.0"))?;
    hand.remove(&format!("loads/{id}_{version}.zip"))?;
    hand.write(&format!("loads/{id}_0.2.0.zip"), &old)?;
    about(id)
}

fn t_altered(hand: &mut Hand<'_>) -> Done {
    let Some((id, version)) = load(hand) else { return NOBODY };
    let other = t_repacked(hand, (id, version), |text| text + " ")?;
    hand.write(&format!("loads/{id}_{version}.zip"), &other)?;
    about(id)
}

fn t_torn(hand: &mut Hand<'_>) -> Done {
    let Some((id, version)) = load(hand) else { return NOBODY };
    let path = format!("loads/{id}_{version}.zip");
    let bytes = hand.read(&path)?;
    hand.write(&path, &bytes[..bytes.len() / 2])?;
    about(id)
}

fn t_wagon_missing(hand: &mut Hand<'_>) -> Done {
    let Some(id) = hand.pick(&["heron", "tern"]) else { return NOBODY };
    hand.remove(if id == "heron" { "wagons/heron-2.1.bog" } else { "wagons/tern-1.0.4.bog" })?;
    about(id)
}

fn t_wagon_altered(hand: &mut Hand<'_>) -> Done {
    let Some(id) = hand.pick(&["heron", "bittern"]) else { return NOBODY };
    hand.write(if id == "heron" { "wagons/heron-2.1.bog" } else { "wagons/bittern.bog" }, b"another wagon\n")?;
    about(id)
}

fn t_game(hand: &mut Hand<'_>) -> Done {
    let text = String::from_utf8_lossy(&hand.read("fen/build.toml")?).replace("1.1.80", "1.1.79");
    hand.write("fen/build.toml", text.as_bytes())?;
    Ok(Some(None))
}
