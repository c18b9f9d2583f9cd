//! A text file as its bytes say: decoded, and encoded again just so.

use std::ops::Range;

use super::EditError;
use crate::document::{self, Encoding};

/// A text in place of a part of another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Splice {
    /// The part, in bytes of the text.
    pub at: Range<usize>,
    /// What comes in its place.
    pub with: String,
}

/// How the text of a file is stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Store {
    Utf8,
    Utf16Le,
    Utf16Be,
    Windows1252,
}

/// A text file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TextFile {
    /// Its text, without its byte-order mark.
    pub text: String,
    mark: Vec<u8>,
    store: Store,
}

impl TextFile {
    /// Reads a file.
    ///
    /// # Errors
    /// When it is too large, not text in its encoding, or would not come out again as it is.
    pub fn read(bytes: &[u8], encoding: Encoding) -> Result<Self, EditError> {
        let text = document::text(bytes, encoding)?.into_owned();
        let marked = encoding_rs::Encoding::for_bom(bytes);
        let store = match (marked, encoding) {
            (Some((found, _)), _) if found == encoding_rs::UTF_16LE => Store::Utf16Le,
            (Some((found, _)), _) if found == encoding_rs::UTF_16BE => Store::Utf16Be,
            (Some(_), _) | (None, Encoding::Utf8) => Store::Utf8,
            (None, Encoding::Utf16) => Store::Utf16Le,
            (None, Encoding::Windows1252) => Store::Windows1252,
        };
        let mark = bytes[..marked.map_or(0, |(_, length)| length)].to_vec();
        let file = Self { text, mark, store };
        if file.bytes(&file.text)? != bytes {
            return Err(EditError::Unsafe("some of its bytes are no text".to_owned()));
        }
        Ok(file)
    }

    /// Another text as the bytes of this file.
    ///
    /// # Errors
    /// When the encoding has no way to write it.
    pub fn bytes(&self, text: &str) -> Result<Vec<u8>, EditError> {
        let mut bytes = self.mark.clone();
        match self.store {
            Store::Utf8 => bytes.extend(text.as_bytes()),
            Store::Utf16Le => bytes.extend(text.encode_utf16().flat_map(u16::to_le_bytes)),
            Store::Utf16Be => bytes.extend(text.encode_utf16().flat_map(u16::to_be_bytes)),
            Store::Windows1252 => {
                for line in text.split_inclusive('\n') {
                    let (encoded, _, lossy) = encoding_rs::WINDOWS_1252.encode(line);
                    if lossy {
                        return Err(EditError::NotEncodable(line.trim().to_owned()));
                    }
                    bytes.extend(encoded.iter());
                }
            }
        }
        Ok(bytes)
    }
}

/// How lines end in a text.
pub fn line_end(text: &str) -> &'static str {
    if text.contains("\r\n") { "\r\n" } else { "\n" }
}

/// A text with its splices made; they may come in any order and don't overlap.
pub fn spliced(text: &str, mut splices: Vec<Splice>) -> String {
    splices.sort_by_key(|splice| (splice.at.start, splice.at.end));
    let mut out = String::with_capacity(text.len());
    let mut at = 0;
    for splice in splices {
        out.push_str(text.get(at..splice.at.start).unwrap_or_default());
        out.push_str(&splice.with);
        at = splice.at.end.max(at);
    }
    out.push_str(text.get(at..).unwrap_or_default());
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::plain(b"t\xc3\xbcre\r\n", Encoding::Utf8)]
    #[case::marked(b"\xef\xbb\xbft\xc3\xbcre", Encoding::Utf8)]
    #[case::code_page(b"t\xfcre \x80", Encoding::Windows1252)]
    #[case::wide(b"t\0\xfc\0r\0e\0", Encoding::Utf16)]
    #[case::wide_marked(b"\xff\xfet\0\xfc\0", Encoding::Utf8)]
    #[case::wide_turned(b"\xfe\xff\0t\0\xfc", Encoding::Utf8)]
    fn files_come_out_as_they_went_in(#[case] bytes: &[u8], #[case] encoding: Encoding) {
        let file = TextFile::read(bytes, encoding).expect("text");
        assert!(file.text.starts_with("tü"), "{:?}", file.text);
        assert_eq!(file.bytes(&file.text).expect("bytes"), bytes);
    }

    #[test]
    fn what_an_encoding_can_not_say_is_refused() {
        let file = TextFile::read(b"x", Encoding::Windows1252).expect("text");
        assert_eq!(file.bytes("x\n \u{2603} y\n"), Err(EditError::NotEncodable("\u{2603} y".to_owned())));
    }

    #[test]
    fn splices_are_made_in_any_order() {
        let splice = |at: Range<usize>, with: &str| Splice { at, with: with.to_owned() };
        assert_eq!(spliced("abcdef", vec![splice(4..5, "E"), splice(0..2, ""), splice(6..6, "!")]), "cdEf!");
    }
}
