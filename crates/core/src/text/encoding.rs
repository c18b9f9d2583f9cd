//! How a text is stored: decoded, and encoded again just so.

use std::borrow::Cow;

use super::edit_error::{EditError, Unmeant};
use super::kinds::DocumentError;
use crate::base::limits;

/// How the text of a document is stored. A byte-order mark outranks it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Encoding {
    /// UTF-8.
    #[default]
    Utf8,
    /// UTF-16, little-endian unless a byte-order mark says otherwise.
    Utf16,
    /// Windows code page 1252, which holds Latin-1.
    Windows1252,
}

/// The words for encodings in a rulebook.
pub const ENCODING_WORDS: [(&str, Encoding); 3] =
    [("utf-8", Encoding::Utf8), ("utf-16", Encoding::Utf16), ("windows-1252", Encoding::Windows1252)];

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
        let text = text(bytes, encoding)?.into_owned();
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
            return Err(Unmeant::NotText.into());
        }
        Ok(file)
    }

    /// A text made of this one, without a line end at its end where this one has none.
    pub fn edited(&self, text: &str) -> String {
        if self.text.is_empty() || self.text.ends_with('\n') || !text.ends_with('\n') {
            return text.to_owned();
        }
        text.strip_suffix("\r\n").or_else(|| text.strip_suffix('\n')).unwrap_or(text).to_owned()
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

/// The text of a document, without its byte-order mark.
///
/// # Errors
/// When it is too large or not text in its encoding.
pub fn text(bytes: &[u8], encoding: Encoding) -> Result<Cow<'_, str>, DocumentError> {
    if bytes.len() as u64 > limits::DOCUMENT_BYTES {
        return Err(DocumentError::TooLarge);
    }
    let marked = encoding_rs::Encoding::for_bom(bytes);
    let (encoding, bytes) = match (marked, encoding) {
        (Some((encoding, length)), _) => (encoding, &bytes[length..]),
        (None, Encoding::Utf8) => (encoding_rs::UTF_8, bytes),
        (None, Encoding::Utf16) => (encoding_rs::UTF_16LE, bytes),
        (None, Encoding::Windows1252) => (encoding_rs::WINDOWS_1252, bytes),
    };
    if encoding == encoding_rs::UTF_8 {
        let text = std::str::from_utf8(bytes);
        return text.map(Cow::Borrowed).map_err(|error| DocumentError::NotUtf8 { offset: error.valid_up_to() });
    }
    let decoded = encoding.decode_without_bom_handling_and_without_replacement(bytes);
    decoded.ok_or(DocumentError::NotEncoded { encoding: encoding.name() })
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
}
