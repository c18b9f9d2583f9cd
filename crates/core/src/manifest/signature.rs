//! Public keys and detached signatures, as OpenSSL and most games make them: Ed25519 (RFC 8032), and RSA with PKCS#1 v1.5
//! over SHA-256 or SHA-1 (RFC 8017). Keys are PEM or DER, or for Ed25519 the 32 bytes themselves, also in hex.

use ed25519_dalek::pkcs8::DecodePublicKey as _;
use ed25519_dalek::{Signature, StreamVerifier, VerifyingKey};
use rsa::pkcs1::DecodeRsaPublicKey as _;
use rsa::traits::PublicKeyParts as _;
use rsa::{Pkcs1v15Sign, RsaPublicKey};
use sha1::Sha1;
use sha2::{Digest as _, Sha256};

use crate::rulebook::KeyScheme;

/// A key that signatures are checked with.
#[derive(Debug, Clone)]
pub enum PublicKey {
    /// For Ed25519.
    Ed25519(VerifyingKey),
    /// For RSA, with either digest.
    Rsa(RsaPublicKey),
}

/// Why bytes are no public key.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum KeyError {
    /// There are none.
    #[error("it is empty")]
    Empty,
    /// Keys of that scheme are only names.
    #[error("the scheme has no keys that can be read")]
    ByName,
    /// A key that is nobody else's business.
    #[error("it is a private key, which nobody else should ever see")]
    Private,
    /// A certificate.
    #[error("it is a certificate, not a public key")]
    Certificate,
    /// Something else.
    #[error("its {bytes} bytes are no public key for {scheme} (PEM, DER)")]
    NoKey {
        /// How many there are.
        bytes: usize,
        /// What kind of key was looked for.
        scheme: &'static str,
    },
}

/// Why bytes are no signature.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SignatureError {
    /// There are none.
    #[error("it is empty")]
    Empty,
    /// Their number is not that of an Ed25519 signature.
    #[error("its {0} bytes are no Ed25519 signature, which has 64")]
    NotEd25519Sized(usize),
    /// They are no point of the curve.
    #[error("it is no Ed25519 signature")]
    NotEd25519,
    /// Their number is not that of an RSA signature.
    #[error("its {0} bytes are no RSA signature")]
    NotRsaSized(usize),
}

impl PublicKey {
    /// Reads a key.
    ///
    /// # Errors
    /// Why it is no key of that scheme.
    pub fn read(bytes: &[u8], scheme: KeyScheme) -> Result<Self, KeyError> {
        if bytes.is_empty() {
            return Err(KeyError::Empty);
        }
        let text = std::str::from_utf8(bytes).ok().map(str::trim);
        match scheme {
            KeyScheme::Ed25519 => ed25519_key(bytes, text).map(Self::Ed25519),
            KeyScheme::RsaSha256 | KeyScheme::RsaSha1 => rsa_key(bytes, text).map(Self::Rsa),
            KeyScheme::ByName => Err(KeyError::ByName),
        }
    }
}

fn ed25519_key(bytes: &[u8], text: Option<&str>) -> Result<VerifyingKey, KeyError> {
    let raw = |bytes: &[u8]| <[u8; 32]>::try_from(bytes).ok().and_then(|raw| VerifyingKey::from_bytes(&raw).ok());
    if let Some(key) = raw(bytes) {
        return Ok(key);
    }
    if let Some(text) = text {
        if let Ok(key) = VerifyingKey::from_public_key_pem(text) {
            return Ok(key);
        }
        if let Some(key) = const_hex::decode(text).ok().and_then(|bytes| raw(&bytes)) {
            return Ok(key);
        }
    }
    VerifyingKey::from_public_key_der(bytes).map_err(|_| no_key(bytes, text, "Ed25519"))
}

fn rsa_key(bytes: &[u8], text: Option<&str>) -> Result<RsaPublicKey, KeyError> {
    let of_text = text.and_then(|text| {
        RsaPublicKey::from_public_key_pem(text).ok().or_else(|| RsaPublicKey::from_pkcs1_pem(text).ok())
    });
    let of_bytes =
        || RsaPublicKey::from_public_key_der(bytes).ok().or_else(|| RsaPublicKey::from_pkcs1_der(bytes).ok());
    of_text.or_else(of_bytes).ok_or_else(|| no_key(bytes, text, "RSA"))
}

fn no_key(bytes: &[u8], text: Option<&str>, scheme: &'static str) -> KeyError {
    match text {
        Some(text) if text.contains("PRIVATE KEY") => KeyError::Private,
        Some(text) if text.contains("CERTIFICATE") => KeyError::Certificate,
        _ => KeyError::NoKey { bytes: bytes.len(), scheme },
    }
}

/// A signature that is being checked while the bytes it was made over go by.
pub struct Verifier(Inner);

enum Inner {
    Ed25519(Box<StreamVerifier>),
    Sha256(RsaPublicKey, Sha256, Vec<u8>),
    Sha1(RsaPublicKey, Sha1, Vec<u8>),
}

impl Verifier {
    /// Begins.
    ///
    /// # Errors
    /// Why the bytes are no signature of that scheme.
    pub fn new(key: &PublicKey, scheme: KeyScheme, signature: &[u8]) -> Result<Self, SignatureError> {
        if signature.is_empty() {
            return Err(SignatureError::Empty);
        }
        match (key, scheme) {
            (PublicKey::Ed25519(key), _) => {
                let signature =
                    Signature::from_slice(signature).map_err(|_| SignatureError::NotEd25519Sized(signature.len()))?;
                let stream = key.verify_stream(&signature).map_err(|_| SignatureError::NotEd25519)?;
                Ok(Self(Inner::Ed25519(Box::new(stream))))
            }
            (PublicKey::Rsa(key), scheme) => {
                // One of another length is of a key of another length: it does not fit, and is a signature all the same.
                if signature.len() < 64 || signature.len() > 4096 {
                    return Err(SignatureError::NotRsaSized(signature.len()));
                }
                let (key, bytes) = (key.clone(), signature.to_vec());
                Ok(Self(match scheme {
                    KeyScheme::RsaSha1 => Inner::Sha1(key, Sha1::new(), bytes),
                    _ => Inner::Sha256(key, Sha256::new(), bytes),
                }))
            }
        }
    }

    /// Takes note of the next bytes.
    pub fn update(&mut self, bytes: &[u8]) {
        match &mut self.0 {
            Inner::Ed25519(stream) => stream.update(bytes),
            Inner::Sha256(_, digest, _) => digest.update(bytes),
            Inner::Sha1(_, digest, _) => digest.update(bytes),
        }
    }

    /// Whether the signature was made over the bytes that went by, with the key.
    pub fn fits(self) -> bool {
        match self.0 {
            Inner::Ed25519(stream) => stream.finalize_and_verify().is_ok(),
            Inner::Sha256(key, digest, signature) => {
                signature.len() == key.size()
                    && key.verify(Pkcs1v15Sign::new::<Sha256>(), &digest.finalize(), &signature).is_ok()
            }
            Inner::Sha1(key, digest, signature) => {
                signature.len() == key.size()
                    && key.verify(Pkcs1v15Sign::new::<Sha1>(), &digest.finalize(), &signature).is_ok()
            }
        }
    }
}

#[cfg(test)]
#[path = "../tests/signature.rs"]
mod tests;
