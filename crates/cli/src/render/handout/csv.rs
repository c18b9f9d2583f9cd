//! Every file of every mod as a table, for a spreadsheet.

use super::Sheet;
use crate::failure::Failure;
use crate::words::tongue::Tongue;

const COLUMNS: [&str; 11] =
    ["position", "id", "title", "version", "optional", "kind", "goes_to", "file", "bytes", "sha256", "blake3"];

/// The table; a mod without files has one row.
pub fn csv(sheet: &Sheet) -> Result<String, Failure> {
    // For programs too: the same words everywhere.
    let sheet = &Sheet { tongue: Tongue::of("en"), ..sheet.clone() };
    let failed = |error: csv::Error| Failure::plain("could not write the table").because(error);
    let mut table = csv::Writer::from_writer(Vec::new());
    table.write_record(COLUMNS).map_err(failed)?;
    for one in &sheet.facts.set.mods {
        let lead = [
            one.position.to_string(),
            one.id.to_string(),
            one.title.clone(),
            one.version.clone().unwrap_or_default(),
            one.optional.to_string(),
            sheet.kind(one),
            sheet.where_to(one),
        ];
        let lead = lead.map(|text| harmless(&text));
        let row = |rest: [String; 4]| lead.iter().cloned().chain(rest).collect::<Vec<_>>();
        if one.files.is_empty() {
            table
                .write_record(row([harmless(&one.file), String::new(), String::new(), String::new()]))
                .map_err(failed)?;
        }
        for file in &one.files {
            let sha256 = file.sha256.map(|sha256| sha256.to_string()).unwrap_or_default();
            let rest = [harmless(file.path.as_str()), file.size.to_string(), sha256, file.blake3.to_string()];
            table.write_record(row(rest)).map_err(failed)?;
        }
    }
    let bytes = table.into_inner().map_err(|error| Failure::plain("could not write the table").because(error))?;
    String::from_utf8(bytes).map_err(|error| Failure::plain("could not write the table").because(error))
}

/// A spreadsheet takes what begins like this for a formula and runs it.
fn harmless(text: &str) -> String {
    let is_formula = text.starts_with(['=', '+', '-', '@', '\t', '\r']);
    if is_formula { format!("'{text}") } else { text.to_owned() }
}
