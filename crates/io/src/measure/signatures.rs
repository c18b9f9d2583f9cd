//! Whether signatures fit: each payload goes by once, for the key that its signature names. What fits is a matter of three
//! digests, and so is remembered for good.

use std::collections::HashMap;
use std::io::{self, Read};

use displaydoc::Display;
use kanon_core::base::digest::Blake3;
use kanon_core::base::ids::{FoldedId, folded};
use kanon_core::base::limits;
use kanon_core::base::path::InstallPath;
use kanon_core::manifest::signature::{KeyError, PublicKey, SignatureError, Verifier};
use kanon_core::rulebook::{KeyScheme, Rulebook};
use kanon_core::survey::{SurveyedKey, SurveyedMod, SurveyedSignature, Verdict};
use rayon::prelude::*;

use crate::error::ReachError;
use crate::install::Install;
use crate::progress::Progress;
use crate::state::{Checked, State};

/// Bytes that go by at once.
const CHUNK: usize = 1 << 20;
/// Keys that are tried on a signature that names none of them.
const TRIED: usize = 16;

/// A signature that is to be looked at.
struct Pending<'k> {
    at: (usize, usize),
    scheme: KeyScheme,
    payload: (InstallPath, Blake3),
    file: InstallPath,
    signature: (Vec<u8>, Blake3),
    /// Keys that may have made it, each with what is known already.
    keys: Vec<(&'k Known, Option<bool>)>,
    /// Whether they bear the name that the signature names.
    named: bool,
}

/// Why a key is none.
#[derive(Debug, thiserror::Error)]
enum NoKey {
    #[error(transparent)]
    Io(#[from] io::Error),
    #[error(transparent)]
    Key(#[from] KeyError),
}

/// Why a signature is none, or nobody can tell.
#[derive(Debug, Display)]
enum NoSignature<'k> {
    /// its key {0} is no key: {1}
    Key(&'k str, &'k NoKey),
    /// {0}: {1}
    Signature(&'k str, SignatureError),
    /// the payload could not be read: {0}
    Payload(io::Error),
}

/// A key that was read.
struct Known {
    name: String,
    blake3: Blake3,
    of_mod: Option<FoldedId>,
    key: Result<PublicKey, NoKey>,
}

/// Looks at every signature of every mod on a shelf whose scheme is open.
///
/// # Errors
/// When the state database fails. What can't be read is told in the signature.
pub fn verify(
    install: &dyn Install,
    rulebook: &Rulebook,
    (mods, keys): (&mut [SurveyedMod], &mut [SurveyedKey]),
    state: &mut State,
    progress: &dyn Progress,
) -> Result<(), ReachError> {
    let schemes: HashMap<&str, KeyScheme> = rulebook
        .shelves
        .iter()
        .filter_map(|shelf| Some((shelf.name.as_str(), shelf.signed.as_ref()?.scheme)))
        .filter(|(_, scheme)| *scheme != KeyScheme::ByName)
        .collect();
    let Some(scheme) = schemes.values().next().copied() else { return Ok(()) };
    let known: Vec<Known> = keys.iter_mut().map(|key| read_key(install, key, scheme)).collect();
    let mut pending = Vec::new();
    for (at, found) in mods.iter_mut().enumerate() {
        let Some(scheme) = schemes.get(found.shelf.as_str()).copied() else { continue };
        for index in 0..found.signatures.len() {
            pending.extend(looked_at(install, found, (at, index), (scheme, &known), state)?);
        }
    }
    let unknown = |pending: &&Pending<'_>| pending.keys.iter().any(|(_, fits)| fits.is_none());
    let bytes = |pending: &Pending<'_>| {
        mods[pending.at.0].files.iter().find(|file| file.path == pending.payload.0).map_or(0, |file| file.size)
    };
    progress.ahead(pending.iter().filter(unknown).map(bytes).sum());
    let found: Vec<(Fits, Vec<Checked>)> =
        pending.par_iter().map(|pending| pending.verdict(install, progress)).collect();
    let new: Vec<Checked> = found.iter().flat_map(|(_, checked)| checked.clone()).collect();
    state.remember_checked(&new)?;
    for (pending, (fits, _)) in pending.iter().zip(found) {
        let made_over = match fits.verdict {
            Verdict::Bad => state.made_over(pending.signature.1, pending.payload.1)?,
            _ => None,
        };
        let own = &mut mods[pending.at.0].signatures[pending.at.1];
        (own.verdict, own.made_with, own.problem, own.made_over) =
            (Some(fits.verdict), fits.with, fits.problem, made_over);
    }
    Ok(())
}

fn read_key(install: &dyn Install, key: &mut SurveyedKey, scheme: KeyScheme) -> Known {
    let read = install.document(&key.path, limits::DOCUMENT_BYTES).map_err(NoKey::from);
    let read = read.and_then(|bytes| Ok(PublicKey::read(&bytes, scheme)?));
    // The game's own keys may be of any kind.
    key.problem = read.as_ref().err().filter(|_| !key.own).map(ToString::to_string);
    Known { name: folded(&key.name).into_owned(), blake3: key.blake3, of_mod: key.of_mod.clone(), key: read }
}

/// A signature with the keys that may have made it; nothing when there is none, or it can't be read.
fn looked_at<'k>(
    install: &dyn Install,
    found: &mut SurveyedMod,
    at: (usize, usize),
    (scheme, known): (KeyScheme, &'k [Known]),
    state: &State,
) -> Result<Option<Pending<'k>>, ReachError> {
    let id = found.manifest.id.clone();
    let digest = |path: &InstallPath| found.files.iter().find(|file| file.path == *path).map(|file| file.blake3);
    let own = &found.signatures[at.1];
    let (Some(payload), Some(file)) = (digest(&own.payload), own.signature.clone()) else { return Ok(None) };
    let payload = (own.payload.clone(), payload);
    let bytes = match install.document(&file, limits::DOCUMENT_BYTES) {
        Ok(bytes) => bytes,
        Err(error) => {
            let problem = Some(error.to_string());
            let own = &mut found.signatures[at.1];
            *own = SurveyedSignature { verdict: Some(Verdict::NoSignature), problem, ..own.clone() };
            return Ok(None);
        }
    };
    let signature = Blake3::of(&bytes);
    let name = own.key.as_ref().map(|name| folded(name).into_owned());
    // A mod's own key before those of the folder, each once.
    let mut of_name: Vec<&Known> =
        known.iter().filter(|key| name.as_ref().is_none_or(|name| key.name == *name)).collect();
    let named = !of_name.is_empty() && name.is_some();
    if of_name.is_empty() {
        of_name = known.iter().collect();
    }
    of_name.retain(|key| key.of_mod.as_ref().is_none_or(|of| *of == id));
    of_name.sort_by_key(|key| key.of_mod.is_none());
    let mut keys: Vec<(&Known, Option<bool>)> = Vec::new();
    for key in of_name {
        if keys.len() < TRIED && !keys.iter().any(|(other, _)| other.blake3 == key.blake3) {
            let checked = Checked { scheme: word(scheme), key: key.blake3, signature, payload: payload.1, fits: false };
            keys.push((key, state.checked(&checked)?));
        }
    }
    Ok(Some(Pending { at, scheme, payload, file, signature: (bytes, signature), keys, named }))
}

const fn word(scheme: KeyScheme) -> &'static str {
    match scheme {
        KeyScheme::Ed25519 => "ed25519",
        KeyScheme::RsaSha256 => "rsa-sha256",
        KeyScheme::RsaSha1 => "rsa-sha1",
        KeyScheme::ByName => "by-name",
    }
}

/// What looking at a signature came to.
struct Fits {
    verdict: Verdict,
    with: Option<Blake3>,
    problem: Option<String>,
}

impl Fits {
    const fn plain(verdict: Verdict) -> Self {
        Self { verdict, with: None, problem: None }
    }

    const fn none(problem: String) -> Self {
        Self { verdict: Verdict::NoSignature, with: None, problem: Some(problem) }
    }
}

impl Pending<'_> {
    fn verdict(&self, install: &dyn Install, progress: &dyn Progress) -> (Fits, Vec<Checked>) {
        if let Some((key, _)) = self.keys.iter().find(|(_, fits)| *fits == Some(true)) {
            return (Fits { with: Some(key.blake3), ..Fits::plain(Verdict::Good) }, Vec::new());
        }
        let mut verifiers: Vec<(&Known, Verifier)> = Vec::new();
        let mut problem = None;
        for (key, _) in self.keys.iter().filter(|(_, fits)| fits.is_none()) {
            let begun = key.key.as_ref().map_err(|why| NoSignature::Key(&key.name, why));
            match begun.and_then(|key| {
                Verifier::new(key, self.scheme, &self.signature.0)
                    .map_err(|why| NoSignature::Signature(self.file.name(), why))
            }) {
                Ok(verifier) => verifiers.push((key, verifier)),
                Err(why) => problem = Some(why.to_string()),
            }
        }
        let any_tried = self.keys.iter().any(|(_, fits)| fits.is_some()) || !verifiers.is_empty();
        if !any_tried {
            let none = || Fits::plain(Verdict::UnknownKey);
            return (problem.map_or_else(none, Fits::none), Vec::new());
        }
        if let Err(error) = self.feed(install, &mut verifiers, progress) {
            return (Fits::none(NoSignature::Payload(error).to_string()), Vec::new());
        }
        let mut checked = Vec::new();
        let mut with = None;
        for (key, verifier) in verifiers {
            let fits = verifier.fits();
            with = with.or(fits.then_some(key.blake3));
            let (signature, payload) = (self.signature.1, self.payload.1);
            checked.push(Checked { scheme: word(self.scheme), key: key.blake3, signature, payload, fits });
        }
        let verdict = match (with, self.named) {
            (Some(_), _) => Verdict::Good,
            (None, true) => Verdict::Bad,
            (None, false) => Verdict::UnknownKey,
        };
        (Fits { with, ..Fits::plain(verdict) }, checked)
    }

    fn feed(
        &self,
        install: &dyn Install,
        verifiers: &mut [(&Known, Verifier)],
        progress: &dyn Progress,
    ) -> io::Result<()> {
        if verifiers.is_empty() {
            return Ok(());
        }
        let (mut file, _) = install.open_file(&self.payload.0)?;
        let mut buffer = vec![0; CHUNK];
        loop {
            match file.read(&mut buffer)? {
                0 => return Ok(()),
                n => {
                    verifiers.iter_mut().for_each(|(_, verifier)| verifier.update(&buffer[..n]));
                    progress.done(n as u64);
                }
            }
        }
    }
}
