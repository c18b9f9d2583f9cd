//! The handout as a CycloneDX bill of materials, version 1.5 of the standard, in JSON. What a handout needs of it is small; the tests
//! hold it against the standard's own schema.

use std::iter::once;

use kanon_core::base::ids::{FoldedId, folded};
use kanon_core::canon::SealedFile;
use kanon_core::handout::HandoutMod;
use serde::Serialize;

use super::Sheet;
use crate::failure::Failure;

/// What the whole set is called among the references.
const SET: &str = "set";

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Bom {
    bom_format: &'static str,
    spec_version: &'static str,
    version: u32,
    serial_number: String,
    metadata: Metadata,
    components: Vec<Component>,
    dependencies: Vec<Dependency>,
}

#[derive(Serialize)]
struct Metadata {
    tools: Vec<Tool>,
    component: Component,
}

#[derive(Serialize)]
struct Tool {
    name: &'static str,
    version: &'static str,
}

/// A mod, a file of one, or the whole set.
#[derive(Serialize, Default)]
struct Component {
    #[serde(rename = "type")]
    kind: &'static str,
    #[serde(rename = "bom-ref")]
    reference: String,
    name: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    version: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    description: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    scope: Option<&'static str>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    hashes: Vec<Hash>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    components: Vec<Component>,
}

#[derive(Serialize)]
struct Hash {
    alg: &'static str,
    content: String,
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Dependency {
    #[serde(rename = "ref")]
    reference: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    depends_on: Vec<String>,
}

/// The bill of materials; the same for the same set.
pub fn bom(sheet: &Sheet) -> Result<String, Failure> {
    let set = &sheet.facts.set;
    let whole = Component {
        kind: "application",
        reference: SET.to_owned(),
        name: set.name.clone(),
        version: sheet.facts.number.map(|number| number.to_string()),
        description: Some(format!("the mods of a player of {}", set.game)),
        ..Component::default()
    };
    let tool = Tool { name: "kanon", version: env!("CARGO_PKG_VERSION") };
    let bom = Bom {
        bom_format: "CycloneDX",
        spec_version: "1.5",
        version: 1,
        serial_number: serial(&sheet.facts.digest.to_string()),
        metadata: Metadata { tools: vec![tool], component: whole },
        components: set.mods.iter().map(component).collect(),
        dependencies: dependencies(&set.mods),
    };
    let text = serde_json::to_string_pretty(&bom)
        .map_err(|error| Failure::plain(format!("could not write the bill of materials: {error}")))?;
    Ok(text + "\n")
}

/// A number that the set has by its digest (RFC 9562, version 8), so that nothing changes where the set does not.
fn serial(d: &str) -> String {
    format!("urn:uuid:{}-{}-8{}-8{}-{}", &d[..8], &d[8..12], &d[13..16], &d[17..20], &d[20..32])
}

fn reference(id: &str) -> String {
    format!("mod:{}", folded(id))
}

fn component(one: &HandoutMod) -> Component {
    let mut component = Component {
        kind: "library",
        reference: reference(one.id.as_str()),
        name: one.id.to_string(),
        version: one.version.clone(),
        description: (one.title.as_str() != one.id.as_str()).then(|| one.title.clone()),
        scope: Some(if one.optional { "optional" } else { "required" }),
        ..Component::default()
    };
    match one.files.as_slice() {
        [only] => component.hashes = hashes(only),
        files => component.components = files.iter().map(|file| part(one, file)).collect(),
    }
    component
}

/// A file of a mod that is a folder.
fn part(one: &HandoutMod, file: &SealedFile) -> Component {
    Component {
        kind: "file",
        reference: format!("{}/{}", reference(one.id.as_str()), file.path),
        name: file.path.to_string(),
        hashes: hashes(file),
        ..Component::default()
    }
}

fn hashes(file: &SealedFile) -> Vec<Hash> {
    let sha256 = file.sha256.map(|sha256| Hash { alg: "SHA-256", content: sha256.to_string() });
    sha256.into_iter().chain(once(Hash { alg: "BLAKE3", content: file.blake3.to_string() })).collect()
}

/// What each mod needs of the others; what is needed beside the set, such as the game, is no part of it.
fn dependencies(mods: &[HandoutMod]) -> Vec<Dependency> {
    let is_in_set = |id: &&FoldedId| mods.iter().any(|one| one.id == **id);
    let of_mod = |one: &HandoutMod| {
        let mut needs: Vec<String> = one.needs.iter().filter(is_in_set).map(|id| reference(id.as_str())).collect();
        needs.sort();
        needs.dedup();
        Dependency { reference: reference(one.id.as_str()), depends_on: needs }
    };
    let all = mods.iter().map(|one| reference(one.id.as_str())).collect();
    let whole = Dependency { reference: SET.to_owned(), depends_on: all };
    once(whole).chain(mods.iter().map(of_mod)).collect()
}
