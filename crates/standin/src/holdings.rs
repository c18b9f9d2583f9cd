//! What a game folder holds, as the simulated game itself reads it.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{Read, Seek};
use std::path::Path;

use serde::{Deserialize, Serialize};
use sha2::Digest as _;

use crate::error::StandinError;

/// One mod as the game knows it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Carried {
    pub id: String,
    pub version: String,
    pub runs: String,
    pub fingerprint: String,
}

/// Everything that matters to a join.
#[derive(Debug, Default)]
pub struct Holdings {
    pub build: String,
    pub trellis: String,
    pub mods: Vec<Carried>,
    /// Complaints of the loader; any of them stops the game.
    pub complaints: Vec<String>,
    /// What lies there and is switched off.
    pub passed_over: Vec<String>,
}

#[derive(Deserialize)]
struct About {
    id: String,
    version: String,
    runs: Option<String>,
    #[serde(default)]
    needs: BTreeMap<String, String>,
    #[serde(default)]
    also: Vec<String>,
}

/// Reads a game folder.
pub fn read(folder: &Path) -> Result<Holdings, StandinError> {
    let mut holdings = Holdings { build: build(folder)?, trellis: trellis(folder)?, ..Holdings::default() };
    let mods = folder.join("mods");
    let listing = std::fs::read_dir(&mods).map_err(StandinError::io(mods.display().to_string()))?;
    let mut names: Vec<String> = listing.filter_map(|entry| entry.ok()?.file_name().into_string().ok()).collect();
    names.sort();
    let (mut wants, mut also) = (Vec::new(), Vec::new());
    for name in names.iter().filter(|name| name.ends_with(".psm")) {
        match carried(&mods.join(name)) {
            Ok(Some((carried, _))) if holdings.mods.iter().any(|known| known.id == carried.id) => {
                holdings.complaints.push(format!("{} is here twice", carried.id));
            }
            Ok(Some((carried, about))) => {
                wants.push((carried.id.clone(), about.needs));
                also.extend(about.also);
                holdings.mods.push(carried);
            }
            Ok(None) | Err(_) => holdings.complaints.push(format!("could not open {name}")),
        }
    }
    let is_here = |id: &String| holdings.mods.iter().any(|known| known.id == *id) || also.contains(id);
    for (id, needs) in &wants {
        let missing = needs.keys().filter(|need| !["polarspur", "trellis"].contains(&need.as_str()) && !is_here(need));
        holdings.complaints.extend(missing.map(|need| format!("{id} needs {need}, which is not here")));
    }
    holdings.passed_over = names.iter().filter_map(|name| name.strip_suffix(".psm.off")).map(str::to_owned).collect();
    Ok(holdings)
}

fn build(folder: &Path) -> Result<String, StandinError> {
    let path = folder.join("engine/build.json");
    let text = std::fs::read_to_string(&path).map_err(StandinError::io(path.display().to_string()))?;
    let value: serde_json::Value = serde_json::from_str(&text).unwrap_or_default();
    Ok(value["build"]["version"].as_str().unwrap_or("unknown").to_owned())
}

fn trellis(folder: &Path) -> Result<String, StandinError> {
    let engine = folder.join("engine");
    let listing = std::fs::read_dir(&engine).map_err(StandinError::io(engine.display().to_string()))?;
    let names = listing.filter_map(|entry| entry.ok()?.file_name().into_string().ok());
    let version = names.filter_map(|name| Some(name.strip_prefix("trellis-")?.strip_suffix(".psb")?.to_owned())).max();
    Ok(version.unwrap_or_else(|| "none".to_owned()))
}

/// A mod, or nothing when the file is none of this game's.
fn carried(path: &Path) -> std::io::Result<Option<(Carried, About)>> {
    let mut file = File::open(path)?;
    let mut bytes = Vec::new();
    file.read_to_end(&mut bytes)?;
    file.rewind()?;
    let fingerprint = sha2::Sha256::digest(&bytes).iter().map(|byte| format!("{byte:02x}")).collect();
    let mut zip = zip::ZipArchive::new(file).map_err(std::io::Error::other)?;
    let about: Option<About> = match (member(&mut zip, "about.json"), member(&mut zip, "about.toml")) {
        (Some(text), _) => serde_json::from_str(&text).ok(),
        (None, Some(text)) => toml::from_str(&text).ok(),
        (None, None) => None,
    };
    Ok(about.map(|about| {
        let runs = about.runs.clone().unwrap_or_else(|| "everywhere".to_owned());
        (Carried { id: about.id.clone(), version: about.version.clone(), runs, fingerprint }, about)
    }))
}

fn member(zip: &mut zip::ZipArchive<File>, name: &str) -> Option<String> {
    let mut text = String::new();
    zip.by_name(name).ok()?.read_to_string(&mut text).ok()?;
    Some(text)
}
