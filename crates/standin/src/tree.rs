//! Folders described by one text: files, archives with their members, keys and signatures, for the demo's other games.
//!
//! `=== PATH` begins a file, and what follows is its text; in a path, `!` goes into an archive. `:= copy PATH` and
//! `:= copies FOLDER` repeat what was written before, `:= key NAME` is a public key, `:= signature of PATH by NAME` a
//! detached Ed25519 signature. `as crlf`, `as bom`, `as utf-16` and `as windows-1252` say how text is stored, and
//! `{sha1 PATH}` in a text is the digest of a file. Lines before the first `===` tell what it is about.

use std::collections::BTreeMap;
use std::io::{Cursor, Write};
use std::path::Path;

use ed25519_dalek::{Signer, SigningKey};
use sha1::Digest;
use zip::write::{SimpleFileOptions, ZipWriter};

use crate::error::StandinError;

/// Files by path, with `!` before the members of archives.
type Files = BTreeMap<String, Vec<u8>>;

/// Writes what a text describes below a folder.
///
/// # Errors
/// When the text has a mistake, or the folder can't be written.
pub fn build(text: &str, root: &Path) -> Result<(), StandinError> {
    for (path, bytes) in files(text)? {
        let target = root.join(&path);
        let made = target.parent().map_or(Ok(()), std::fs::create_dir_all);
        made.and_then(|()| std::fs::write(&target, bytes)).map_err(StandinError::io(target.display().to_string()))?;
    }
    Ok(())
}

/// The files that a text describes, archives packed.
///
/// # Errors
/// When the text has a mistake.
pub fn files(text: &str) -> Result<BTreeMap<String, Vec<u8>>, StandinError> {
    let mut files = Files::new();
    let mut sections = text.split("\n=== ");
    sections.next();
    for section in sections {
        let (head, body) = section.split_once('\n').unwrap_or((section, ""));
        add(head.trim(), &format!("{}\n", body.trim_end_matches('\n')), &mut files)?;
    }
    packed(files)
}

fn mistake(head: &str) -> StandinError {
    StandinError::io(head)(std::io::Error::other("the description of the demo's folders has a mistake here"))
}

fn add(head: &str, body: &str, files: &mut Files) -> Result<(), StandinError> {
    if let Some((path, made)) = head.split_once(" := ") {
        return derived(path, made, files).ok_or_else(|| mistake(head));
    }
    let (path, stored) = head.split_once(" as ").unwrap_or((head, ""));
    let text = with_digests(body, files).ok_or_else(|| mistake(head))?;
    let crlf = || text.replace('\n', "\r\n");
    let bytes = match stored {
        "" => text.into_bytes(),
        "crlf" => crlf().into_bytes(),
        "bom" => [b"\xef\xbb\xbf", text.as_bytes()].concat(),
        "utf-16" => [0xfeff].into_iter().chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect(),
        "windows-1252" => text.chars().map(|c| u8::try_from(u32::from(c)).unwrap_or(b'?')).collect(),
        _ => return Err(mistake(head)),
    };
    files.insert(path.to_owned(), bytes);
    Ok(())
}

/// A text with the digests of files that come later in it is a mistake: they are written from top to bottom. A digest
/// that stands before its file is filled in at the end.
fn with_digests(body: &str, files: &Files) -> Option<String> {
    let mut text = body.to_owned();
    while let Some(start) = text.find("{sha1 ") {
        let end = start + text[start..].find('}')?;
        let path = text[start + 6..end].to_owned();
        let Some(bytes) = files.get(&path) else { return Some(text) };
        text.replace_range(start..=end, &hex(&sha1::Sha1::digest(bytes)));
    }
    Some(text)
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

fn derived(path: &str, made: &str, files: &mut Files) -> Option<()> {
    let (verb, rest) = made.split_once(' ')?;
    match verb {
        "copy" | "copies" => {
            let inside = |name: &str| {
                let rest = name.strip_prefix(rest)?;
                (rest.is_empty() || rest.starts_with(['/', '!'])).then(|| format!("{path}{rest}"))
            };
            let copies: Files = files.iter().filter_map(|(name, bytes)| Some((inside(name)?, bytes.clone()))).collect();
            if copies.is_empty() {
                return None;
            }
            files.extend(copies);
        }
        "key" => drop(files.insert(path.to_owned(), signing_key(rest).verifying_key().to_bytes().to_vec())),
        "signature" => {
            let (payload, name) = rest.strip_prefix("of ")?.rsplit_once(" by ")?;
            let signature = signing_key(name).sign(files.get(payload)?);
            files.insert(path.to_owned(), signature.to_bytes().to_vec());
        }
        _ => return None,
    }
    Some(())
}

/// A key that is the same every time: good for a demo, and for nothing else.
pub fn signing_key(name: &str) -> SigningKey {
    let mut seed = [0; 32];
    for (at, byte) in sha1::Sha1::digest(name).iter().chain(name.as_bytes()).take(32).enumerate() {
        seed[at] = *byte;
    }
    SigningKey::from_bytes(&seed)
}

/// Packs members into their archives, innermost first, and fills in digests of files that came later.
fn packed(mut files: Files) -> Result<Files, StandinError> {
    while let Some(archive) = files
        .keys()
        .filter_map(|path| path.rsplit_once('!'))
        .max_by_key(|(outer, _)| outer.matches('!').count())
        .map(|(outer, _)| outer.to_owned())
    {
        let prefix = format!("{archive}!");
        let members: Vec<(String, Vec<u8>)> = files
            .iter()
            .filter_map(|(path, bytes)| Some((path.strip_prefix(&prefix)?.to_owned(), bytes.clone())))
            .collect();
        files.retain(|path, _| !path.starts_with(&prefix));
        files.insert(archive.clone(), pack(&members).map_err(StandinError::io(archive))?);
    }
    let late: Vec<String> = files
        .iter()
        .filter(|(_, bytes)| bytes.windows(6).any(|w| w == b"{sha1 "))
        .map(|(path, _)| path.clone())
        .collect();
    for path in late {
        let text = String::from_utf8_lossy(&files[&path]).into_owned();
        let filled =
            with_digests(&text, &files).filter(|text| !text.contains("{sha1 ")).ok_or_else(|| mistake(&path))?;
        files.insert(path, filled.into_bytes());
    }
    Ok(files)
}

fn pack(members: &[(String, Vec<u8>)]) -> std::io::Result<Vec<u8>> {
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    for (member, bytes) in members {
        let options = SimpleFileOptions::default().last_modified_time(zip::DateTime::default());
        writer.start_file(member, options).map_err(std::io::Error::other)?;
        writer.write_all(bytes)?;
    }
    Ok(writer.finish().map_err(std::io::Error::other)?.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;
    use ed25519_dalek::Verifier;

    const TEXT: &str = "about it\n\n=== a.txt\none\n=== b/c.zip!in/d.txt\ntwo\n=== b/c.zip!e.zip!f\nthree\n\
        === g.ini as crlf\nx={sha1 a.txt}\n=== k.pub := key tern\n=== a.mark := signature of a.txt by tern\n=== h := copies b\n";

    #[test]
    fn files_archives_keys_and_signatures_are_made() {
        let files = files(TEXT).expect("files");
        let names: Vec<&str> = files.keys().map(String::as_str).collect();
        assert_eq!(names, ["a.mark", "a.txt", "b/c.zip", "g.ini", "h/c.zip", "k.pub"]);
        assert_eq!(files["a.txt"], b"one\n");
        assert_eq!(files["b/c.zip"], files["h/c.zip"]);
        let digest = hex(&sha1::Sha1::digest(b"one\n"));
        assert_eq!(files["g.ini"], format!("x={digest}\r\n").into_bytes());
        let mut outer = zip::ZipArchive::new(Cursor::new(files["b/c.zip"].clone())).expect("a zip");
        assert_eq!(std::io::read_to_string(outer.by_name("in/d.txt").expect("there")).expect("read"), "two\n");
        let mark: [u8; 64] = files["a.mark"].clone().try_into().expect("64 bytes");
        let signature = ed25519_dalek::Signature::from_bytes(&mark);
        assert!(signing_key("tern").verifying_key().verify(b"one\n", &signature).is_ok());
        assert!(signing_key("gull").verifying_key().verify(b"one\n", &signature).is_err());
    }

    #[test]
    fn mistakes_are_told() {
        for bad in [
            "\n=== a := copy gone\n",
            "\n=== a as ebcdic\nx\n",
            "\n=== a := signature of gone by x\n",
            "\n=== a\n{sha1 gone}\n",
        ] {
            assert!(files(bad).is_err(), "{bad}");
        }
    }
}
