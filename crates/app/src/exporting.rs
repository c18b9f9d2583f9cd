//! One bad evening for whoever helps: surveys, logs around the join, the canon, the rulebook and what was made of it, in one file,
//! without what is nobody's business. And taking such a file in.

use std::collections::BTreeSet;
use std::path::Path;

use kanon_core::base::format::{self, NotOfFormat};
use kanon_core::base::ids::FoldedId;
use kanon_core::base::limits;
use kanon_core::base::names::PlayerName;
use kanon_core::canon::Canon;
use kanon_core::diagnose::Diagnosis;
use kanon_core::logs::masking::{Hidden, Mask};
use kanon_core::rulebook::Role;
use kanon_core::survey::Survey;
use kanon_io::error::During;
use kanon_io::evidence::{Parts, laid_out, packed, write};
use kanon_io::logs::{Text, transcript};
use kanon_io::open::read_bounded;
use kanon_io::unpack::{Sort, sort};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tempfile::TempDir;

use crate::diagnosing::{Asked, Evidence, diagnose};
use crate::error::{AppError, CanonError};
use crate::machine::Machine;
use crate::observer::Observer;
use crate::session::Session;

/// What the parts are called.
const ABOUT: &str = "evidence.json";
const CANON: &str = "canon.json";
const RULEBOOK: &str = "game.rulebook.toml";
const SERVER: &str = "server.survey.json";
const CLIENT: &str = "client.survey.json";
const SERVER_LOG: &str = "server.log";
const CLIENT_LOG: &str = "client.log";
const DIAGNOSIS: &str = "diagnosis.json";
/// The first field of what it says of itself.
const FORMAT: &str = "kanon-evidence/1";

/// What a piece of evidence says of itself.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct About {
    /// `kanon-evidence/1`.
    pub format: String,
    /// The program that made it.
    pub kanon: String,
    /// The system that it ran on.
    pub system: String,
    /// When it was made, as RFC 3339.
    pub made: String,
    /// What the set is called.
    pub name: Option<String>,
    /// The game.
    pub game: String,
    /// The player, where one was named.
    pub player: Option<PlayerName>,
    /// What the player saw, where that was said.
    pub message: Option<String>,
    /// What logs say of before was passed over.
    pub since: Option<String>,
}

/// What was exported.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Serialize)]
pub struct Exported {
    /// What it says of itself.
    #[serde(flatten)]
    pub about: About,
    /// Its parts, each with its bytes before they were packed.
    pub parts: Vec<(String, u64)>,
    /// Its own bytes.
    pub bytes: u64,
    /// How much was hidden.
    pub hidden: Hidden,
}

/// Writes the evidence of one evening. `version` is the program's, and `as_data` makes the diagnosis what it is as data.
///
/// # Errors
/// When there is nothing to go by, or something can't be read or written.
pub fn export(
    asked: &Asked,
    session: &mut Session<'_>,
    to: &Path,
    version: &str,
    as_data: impl Fn(&Diagnosis, &Evidence) -> Value,
) -> Result<Exported, AppError> {
    let (diagnosis, evidence) = diagnose(asked, session)?;
    let mut mask = mask(&evidence);
    let mut parts = Parts::new();
    parts.insert(RULEBOOK.to_owned(), session.loaded.text.clone().into_bytes());
    if let Some(canon) = &evidence.canon {
        let json = hidden_canon(canon, &mut mask).to_json().map_err(CanonError::AsJson)?;
        parts.insert(CANON.to_owned(), json.into_bytes());
    }
    for (name, survey) in [(SERVER, &evidence.server), (CLIENT, &evidence.client)] {
        let Some(survey) = survey else { continue };
        let survey = hidden_survey(survey, &mut mask);
        parts.insert(name.to_owned(), serde_json::to_vec_pretty(&survey).unwrap_or_default());
    }
    for (side, log) in &evidence.files {
        let name = if *side == Role::Server { SERVER_LOG } else { CLIENT_LOG };
        parts.insert(name.to_owned(), hidden_log(log, &mut mask)?);
    }
    let mut told = as_data(&diagnosis, &evidence);
    hide_texts(&mut told, &mut mask);
    parts.insert(DIAGNOSIS.to_owned(), serde_json::to_vec_pretty(&told).unwrap_or_default());
    let about = About {
        format: FORMAT.to_owned(),
        kanon: version.to_owned(),
        system: format!("{} {}", std::env::consts::OS, std::env::consts::ARCH),
        made: session.machine.now().timestamp().strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
        name: evidence.canon.as_ref().map(|canon| canon.name.clone()),
        game: session.loaded.rulebook.game.clone(),
        player: asked.player.clone(),
        message: asked.message.as_ref().map(|message| mask.text(message)),
        since: asked.since.clone(),
    };
    parts.insert(ABOUT.to_owned(), serde_json::to_vec_pretty(&about).unwrap_or_default());
    let path = session.machine.folder.join(to);
    let bytes = packed(&parts, &path)?;
    write(&path, &bytes)?;
    let sizes = parts.iter().map(|(name, bytes)| (name.clone(), bytes.len() as u64)).collect();
    Ok(Exported { about, parts: sizes, bytes: bytes.len() as u64, hidden: mask.hidden() })
}

/// Takes a piece of evidence in: a session with its rulebook and canon, and what there is to go by.
///
/// # Errors
/// When it can't be read, or is none.
pub fn take_in<'a>(
    machine: &'a Machine,
    observer: &'a dyn Observer,
    file: &Path,
) -> Result<(Session<'a>, Asked), AppError> {
    let path = machine.folder.join(file);
    let folder = TempDir::new().during("make a folder in", &std::env::temp_dir())?;
    let wanted = [ABOUT, CANON, RULEBOOK, SERVER, CLIENT, SERVER_LOG, CLIENT_LOG];
    let there = laid_out(&path, &wanted, folder.path())?;
    let none = |cause: String| AppError::NoEvidence { path: path.clone(), cause };
    let part = |name: &str, most: u64| match there.contains(name) {
        true => read_bounded(&folder.path().join(name), most).map_err(|error| none(format!("{name}: {error}"))),
        false => Err(none(format!("{name} is not in it"))),
    };
    let about = about_in(folder.path(), &there, &path)?;
    let text = String::from_utf8(part(RULEBOOK, limits::TOML_BYTES)?).map_err(|error| none(error.to_string()))?;
    let canon = match there.contains(CANON) {
        true => {
            let bytes = part(CANON, limits::SURVEY_BYTES)?;
            Some(Canon::from_json(&bytes).map_err(|error| none(error.to_string()))?)
        }
        false => None,
    };
    let mut session = Session::of_evidence(machine, observer, (text, canon))?;
    let place = |name: &str| there.contains(name).then(|| folder.path().join(name));
    let shown = |name: &str| place(name).map(|path| path.display().to_string());
    let asked = Asked {
        client: shown(CLIENT),
        server: shown(SERVER),
        server_log: place(SERVER_LOG),
        client_log: place(CLIENT_LOG),
        message: about.message,
        player: about.player,
        since: about.since,
        release: None,
    };
    session.keep_folder(folder);
    Ok((session, asked))
}

/// Takes in what a player has sent: where it is evidence, the client's survey and log in it, and what is said of the evening, stand for
/// the client. The canon and the rulebook stay those of whoever asks.
///
/// # Errors
/// When it is evidence and can't be read.
pub fn with_sent_client(asked: Asked, session: &mut Session<'_>) -> Result<Asked, AppError> {
    let Some(file) = asked.client.as_ref().map(|client| session.machine.folder.join(client)) else { return Ok(asked) };
    if !matches!(sort(&file), Ok(Sort::Zip)) {
        return Ok(asked);
    }
    let folder = session.temporary_folder()?;
    let there = laid_out(&file, &[ABOUT, CLIENT, CLIENT_LOG], &folder)?;
    let about = about_in(&folder, &there, &file)?;
    if !there.contains(CLIENT) {
        return Err(AppError::NoEvidence { path: file, cause: "no client's survey is in it".to_owned() });
    }
    let log = there.contains(CLIENT_LOG).then(|| folder.join(CLIENT_LOG));
    let client = Some(folder.join(CLIENT).display().to_string());
    let sent = Asked { client_log: log, message: about.message, player: about.player, ..Asked::default() };
    Ok(Asked { client, ..asked.or(sent) })
}

/// What evidence that was laid out in a folder says of itself; `path` is where it came from.
fn about_in(folder: &Path, there: &BTreeSet<String>, path: &Path) -> Result<About, AppError> {
    let none = |cause: String| AppError::NoEvidence { path: path.to_owned(), cause };
    if !there.contains(ABOUT) {
        return Err(none(format!("{ABOUT} is not in it")));
    }
    let text = read_bounded(&folder.join(ABOUT), limits::TOML_BYTES);
    let text = text.map_err(|error| none(format!("{ABOUT}: {error}")))?;
    format::read(&text, FORMAT, |about: &About| &about.format).map_err(|why| match why {
        NotOfFormat::Other(found) => none(format!("it is of the format {found}")),
        NotOfFormat::Shape(why) => none(why),
    })
}

/// What mods are called, and their versions, stay.
fn mask(evidence: &Evidence) -> Mask {
    let of_canon = evidence.canon.iter().flat_map(|canon| &canon.mods).map(|sealed| &sealed.manifest);
    let surveys = [&evidence.server, &evidence.client].into_iter().flatten();
    let of_surveys = surveys.clone().flat_map(|survey| survey.mods.iter().chain(&survey.strays));
    let manifests = of_canon.chain(of_surveys.map(|found| &found.manifest));
    let words = manifests.flat_map(|manifest| {
        let provided = manifest.provides.iter().map(FoldedId::as_str);
        std::iter::once(manifest.id.as_str()).chain(manifest.version.as_deref()).chain(provided)
    });
    let canon = evidence.canon.as_ref();
    let platform =
        canon.into_iter().flat_map(|canon| [&canon.game_version, &canon.loader_version, &canon.runtime_version]);
    let measured = surveys.flat_map(|survey| {
        [&survey.install.game_version, &survey.install.loader_version, &survey.install.runtime_version]
    });
    let platform = platform.chain(measured).filter_map(|version| version.as_deref());
    Mask::keeping(words.chain(platform))
}

/// The values of settings that are secret by their names; both sides' in the same words, so that they still agree.
fn hidden_canon(canon: &Canon, mask: &mut Mask) -> Canon {
    let mut canon = canon.clone();
    for setting in &mut canon.settings {
        setting.is = hidden_value(&setting.name, &setting.is, mask);
    }
    canon
}

fn hidden_survey(survey: &Survey, mask: &mut Mask) -> Survey {
    let mut survey = survey.clone();
    for setting in &mut survey.settings {
        setting.value = setting.value.as_ref().map(|value| hidden_value(&setting.name, value, mask));
    }
    survey.install.name = mask.text(&survey.install.name).into();
    survey
}

fn hidden_value(name: &str, value: &str, mask: &mut Mask) -> String {
    match Mask::is_secret_name(name) && !value.is_empty() {
        true => mask.value(),
        false => mask.text(value),
    }
}

/// A log around the join: its end, and how it begins where it is longer than that, since programs say there what they load.
fn hidden_log(log: &Path, mask: &mut Mask) -> Result<Vec<u8>, AppError> {
    let Text { head, text, .. } = transcript(log)?;
    let whole = head.rfind('\n').map_or("", |last| &head[..=last]);
    let lines = whole.lines().chain(text.lines());
    Ok(lines.flat_map(|line| (mask.text(line) + "\n").into_bytes()).collect())
}

fn hide_texts(value: &mut Value, mask: &mut Mask) {
    match value {
        Value::String(text) => *text = mask.text(text),
        Value::Array(all) => all.iter_mut().for_each(|one| hide_texts(one, mask)),
        Value::Object(all) => all.values_mut().for_each(|one| hide_texts(one, mask)),
        _ => {}
    }
}
