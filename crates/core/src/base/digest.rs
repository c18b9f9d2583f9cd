//! Digests as types, so that a BLAKE3 and a SHA-256 can't be mixed up and a bad one can't be made.

use std::fmt;
use std::str::FromStr;

use serde::de::Visitor;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use sha2::Digest as _;

/// Why a text is no digest.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{text}` is no digest: 64 hexadecimal digits were expected")]
pub struct DigestError {
    text: String,
}

macro_rules! digest_type {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name([u8; 32]);

        impl $name {
            /// Wraps the 32 bytes of a digest made elsewhere.
            pub const fn from_bytes(bytes: [u8; 32]) -> Self {
                Self(bytes)
            }

            /// The 32 bytes.
            pub const fn as_bytes(&self) -> &[u8; 32] {
                &self.0
            }

            /// The first twelve digits: enough for people to tell two apart.
            pub fn short(&self) -> String {
                const_hex::encode(&self.0[..6])
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(&const_hex::encode(self.0))
            }
        }

        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, "{}({})", stringify!($name), self.short())
            }
        }

        impl FromStr for $name {
            type Err = DigestError;

            fn from_str(text: &str) -> Result<Self, DigestError> {
                let mut bytes = [0; 32];
                const_hex::decode_to_slice(text, &mut bytes).map_err(|_| DigestError { text: text.chars().take(80).collect() })?;
                Ok(Self(bytes))
            }
        }

        impl Serialize for $name {
            fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                let mut digits = [0; 64];
                // 32 bytes are 64 digits, so this can't fail; if it could, the zeros would show it.
                let _ = const_hex::encode_to_slice(self.0, &mut digits);
                serializer.serialize_str(std::str::from_utf8(&digits).unwrap_or_default())
            }
        }

        // By hand, so that no text is made on the way: a survey holds many thousands of these.
        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
                struct Digits;

                impl Visitor<'_> for Digits {
                    type Value = $name;

                    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                        f.write_str("64 hexadecimal digits")
                    }

                    fn visit_str<E: serde::de::Error>(self, text: &str) -> Result<$name, E> {
                        text.parse().map_err(E::custom)
                    }
                }

                deserializer.deserialize_str(Digits)
            }
        }
    };
}

digest_type!(
    /// A BLAKE3 digest: what Kanon compares by.
    Blake3
);
digest_type!(
    /// A SHA-256 digest: what other programs compare by.
    Sha256
);

/// The digests by which games name what they load.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DigestKind {
    /// BLAKE3.
    Blake3,
    /// SHA-256.
    Sha256,
    /// SHA-1: broken as a proof, and still what some games name their content by.
    Sha1,
    /// MD5: as SHA-1.
    Md5,
}

/// The words for digests in a rulebook.
pub const DIGEST_WORDS: [(&str, DigestKind); 4] = [
    ("blake3", DigestKind::Blake3),
    ("sha256", DigestKind::Sha256),
    ("sha1", DigestKind::Sha1),
    ("md5", DigestKind::Md5),
];

impl DigestKind {
    /// The digest of what a reader yields, as hexadecimal digits.
    ///
    /// # Errors
    /// When the reader fails.
    pub fn of(self, reader: &mut dyn std::io::Read) -> std::io::Result<String> {
        match self {
            Self::Blake3 => {
                let mut hasher = blake3::Hasher::new();
                std::io::copy(reader, &mut hasher)?;
                Ok(hasher.finalize().to_string())
            }
            Self::Sha256 => hex_digest::<sha2::Sha256>(reader),
            Self::Sha1 => hex_digest::<sha1::Sha1>(reader),
            Self::Md5 => hex_digest::<md5::Md5>(reader),
        }
    }

    /// The digest of bytes in memory, as hexadecimal digits.
    pub fn of_bytes(self, bytes: &[u8]) -> String {
        self.of(&mut &bytes[..]).unwrap_or_default()
    }
}

fn hex_digest<D: sha2::Digest>(reader: &mut dyn std::io::Read) -> std::io::Result<String> {
    let mut hasher = D::new();
    let mut buffer = vec![0; 64 << 10];
    loop {
        match reader.read(&mut buffer)? {
            0 => return Ok(const_hex::encode(hasher.finalize())),
            read => hasher.update(&buffer[..read]),
        }
    }
}

impl Blake3 {
    /// The digest of bytes in memory.
    pub fn of(bytes: &[u8]) -> Self {
        Self(*blake3::hash(bytes).as_bytes())
    }

    /// One digest for several files: over each path, size and digest, in the order given.
    pub fn of_files<'a>(files: impl IntoIterator<Item = (&'a str, u64, Self)>) -> Self {
        let mut hasher = blake3::Hasher::new();
        for (path, size, digest) in files {
            hasher.update(path.as_bytes());
            hasher.update(&[0]);
            hasher.update(&size.to_le_bytes());
            hasher.update(&digest.0);
        }
        Self(*hasher.finalize().as_bytes())
    }
}

impl Sha256 {
    /// The digest of bytes in memory.
    pub fn of(bytes: &[u8]) -> Self {
        Self(sha2::Sha256::digest(bytes).into())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_and_back() {
        let digest = Blake3::of(b"ice");
        assert_eq!(digest.to_string().parse(), Ok(digest));
        assert!(digest.to_string().starts_with(&digest.short()));
        assert!("12".parse::<Blake3>().is_err());
        assert!("zz".repeat(32).parse::<Sha256>().is_err());
    }

    #[test]
    fn each_kind_is_the_digest_it_says() {
        let of = |kind: DigestKind| kind.of_bytes(b"abc");
        assert_eq!(of(DigestKind::Md5), "900150983cd24fb0d6963f7d28e17f72");
        assert_eq!(of(DigestKind::Sha1), "a9993e364706816aba3e25717850c26c9cd0d89d");
        assert_eq!(of(DigestKind::Sha256), Sha256::of(b"abc").to_string());
        assert_eq!(of(DigestKind::Blake3), Blake3::of(b"abc").to_string());
    }

    #[test]
    fn files_are_told_apart_by_name_size_and_bytes() {
        let (a, b) = (Blake3::of(b"a"), Blake3::of(b"b"));
        let one = Blake3::of_files([("x", 1, a)]);
        assert_ne!(one, Blake3::of_files([("y", 1, a)]));
        assert_ne!(one, Blake3::of_files([("x", 1, b)]));
        assert_ne!(one, Blake3::of_files([("x", 2, a)]));
        assert_eq!(one, Blake3::of_files([("x", 1, a)]));
    }
}
