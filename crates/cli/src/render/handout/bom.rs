//! The handout as a CycloneDX bill of materials, version 1.5 of the standard.

use cyclonedx_bom::external_models::normalized_string::NormalizedString;
use cyclonedx_bom::models::bom::{Bom, SpecVersion, UrnUuid};
use cyclonedx_bom::models::component::{Classification, Component, Components, Scope};
use cyclonedx_bom::models::dependency::{Dependencies, Dependency};
use cyclonedx_bom::models::hash::{Hash, HashAlgorithm, HashValue, Hashes};
use cyclonedx_bom::models::metadata::Metadata;
use cyclonedx_bom::models::tool::{Tool, Tools};
use kanon_core::base::ids::{FoldedId, folded};
use kanon_core::canon::SealedFile;
use kanon_core::handout::HandoutMod;

use super::Sheet;
use crate::failure::Failure;

/// What the whole set is called among the references.
const SET: &str = "set";

/// The bill of materials; the same for the same set.
pub fn bom(sheet: &Sheet) -> Result<String, Failure> {
    let set = &sheet.set;
    let name = |text: &str| NormalizedString::new(text);
    let mut whole = Component::new(Classification::Application, &set.name, "", Some(SET.to_owned()));
    whole.version = sheet.number.map(|number| name(&number.to_string()));
    whole.description = Some(name(&format!("the mods of a player of {}", set.game)));
    let tool = Tool {
        vendor: None,
        name: Some(name("kanon")),
        version: Some(name(env!("CARGO_PKG_VERSION"))),
        hashes: None,
        external_references: None,
    };
    let metadata = Metadata { component: Some(whole), tools: Some(Tools::List(vec![tool])), ..Metadata::default() };
    let bom = Bom {
        serial_number: Some(serial(&sheet.digest.to_string())),
        metadata: Some(metadata),
        components: Some(Components(set.mods.iter().map(component).collect())),
        dependencies: Some(Dependencies(dependencies(&set.mods))),
        spec_version: SpecVersion::V1_5,
        ..Bom::default()
    };
    let failed =
        |error: &dyn std::error::Error| Failure::plain(format!("could not write the bill of materials: {error}"));
    let mut out = Vec::new();
    bom.output_as_json_v1_5(&mut out).map_err(|error| failed(&error))?;
    out.push(b'\n');
    String::from_utf8(out).map_err(|error| failed(&error))
}

/// A number that the set has by its digest (RFC 9562, version 8), so that nothing changes where the set does not.
fn serial(d: &str) -> UrnUuid {
    UrnUuid(format!("urn:uuid:{}-{}-8{}-8{}-{}", &d[..8], &d[8..12], &d[13..16], &d[17..20], &d[20..32]))
}

fn reference(id: &str) -> String {
    format!("mod:{}", folded(id))
}

fn component(one: &HandoutMod) -> Component {
    let version = one.version.as_deref().unwrap_or("");
    let mut component =
        Component::new(Classification::Library, one.id.as_str(), version, Some(reference(one.id.as_str())));
    if one.version.is_none() {
        component.version = None;
    }
    component.description = (one.title.as_str() != one.id.as_str()).then(|| NormalizedString::new(&one.title));
    component.scope = Some(if one.optional { Scope::Optional } else { Scope::Required });
    match one.files.as_slice() {
        [only] => component.hashes = Some(hashes(only)),
        [] => {}
        files => component.components = Some(Components(files.iter().map(|file| part(one, file)).collect())),
    }
    component
}

/// A file of a mod that is a folder.
fn part(one: &HandoutMod, file: &SealedFile) -> Component {
    let bom_ref = format!("{}/{}", reference(one.id.as_str()), file.path);
    let mut part = Component::new(Classification::File, file.path.as_str(), "", Some(bom_ref));
    part.version = None;
    part.hashes = Some(hashes(file));
    part
}

fn hashes(file: &SealedFile) -> Hashes {
    let sha256 = file.sha256.map(|sha256| Hash { alg: HashAlgorithm::SHA_256, content: HashValue(sha256.to_string()) });
    let blake3 = Hash { alg: HashAlgorithm::BLAKE3, content: HashValue(file.blake3.to_string()) };
    Hashes(sha256.into_iter().chain([blake3]).collect())
}

/// What each mod needs of the others; what is needed beside the set, such as the game, is no part of it.
fn dependencies(mods: &[HandoutMod]) -> Vec<Dependency> {
    let is_in_set = |id: &&FoldedId| mods.iter().any(|one| one.id == **id);
    let of_mod = |one: &HandoutMod| {
        let mut needs: Vec<String> = one.needs.iter().filter(is_in_set).map(|id| reference(id.as_str())).collect();
        needs.sort();
        needs.dedup();
        Dependency { dependency_ref: reference(one.id.as_str()), dependencies: needs }
    };
    let all = mods.iter().map(|one| reference(one.id.as_str())).collect();
    let whole = Dependency { dependency_ref: SET.to_owned(), dependencies: all };
    [whole].into_iter().chain(mods.iter().map(of_mod)).collect()
}
