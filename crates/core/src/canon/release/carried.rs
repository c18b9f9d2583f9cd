//! A program that is an invite: one that carries, behind its own last byte, the invite that it is for.
//!
//! Both kinds of programs that players have (ELF and PE) are loaded by what their heads say, and what stands behind is left alone.

use super::invite::Invite;

/// What a program that carries an invite ends with.
const MARK: &[u8; 16] = b"\nkanon-invite-1\n";
/// Longer invites are none.
const LONGEST: usize = 4096;
/// So many bytes of a program's end are enough to find its invite.
pub const TAIL: usize = LONGEST + 4 + MARK.len();

/// What to write behind a program so that it carries an invite: the invite, its length in four bytes, and a mark. Nothing for one
/// that is longer than any that is used.
pub fn carrying(invite: &Invite) -> Option<Vec<u8>> {
    let text = invite.to_string().into_bytes();
    let length = u32::try_from(text.len()).ok().filter(|length| *length as usize <= LONGEST)?;
    Some([&text[..], &length.to_le_bytes(), MARK].concat())
}

/// The invite that a program carries, by its last bytes; nothing where it carries none, or one that is not whole.
pub fn carried(tail: &[u8]) -> Option<Invite> {
    let rest = tail.strip_suffix(MARK)?;
    let (rest, length) = rest.split_last_chunk::<4>()?;
    let length = usize::try_from(u32::from_le_bytes(*length)).ok().filter(|length| *length <= LONGEST)?;
    let text = rest.get(rest.len().checked_sub(length)?..)?;
    let invite = Invite::parse(std::str::from_utf8(text).ok()?).ok()?;
    // It is what was written, and nothing that reads alike.
    (invite.to_string().as_bytes() == text).then_some(invite)
}

/// Without the invite that it carries, if it carries one: how long a program is by itself.
pub fn length_alone(tail: &[u8], whole: u64) -> u64 {
    let added = carried(tail).and_then(|invite| carrying(&invite)).map_or(0, |added| added.len() as u64);
    whole.saturating_sub(added)
}

/// A system that programs are for.
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum System {
    /// Windows.
    Windows,
    /// Linux.
    Linux,
    /// macOS.
    Macos,
}

/// How programs and libraries begin: of Linux, Windows, macOS (five ways, the last of them Java's too).
const HEADS: [(System, &[u8]); 7] = [
    (System::Linux, b"\x7fELF"),
    (System::Windows, b"MZ"),
    (System::Macos, b"\xfe\xed\xfa\xce"),
    (System::Macos, b"\xfe\xed\xfa\xcf"),
    (System::Macos, b"\xce\xfa\xed\xfe"),
    (System::Macos, b"\xcf\xfa\xed\xfe"),
    (System::Macos, b"\xca\xfe\xba\xbe"),
];

impl System {
    /// The system that a program is for, by how it begins; nothing where it is none.
    pub fn of_program(head: &[u8]) -> Option<Self> {
        let begins = |(system, known): &(Self, &[u8])| head.starts_with(known).then_some(*system);
        HEADS.iter().find_map(begins)
    }

    /// What it is called.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Windows => "Windows",
            Self::Linux => "Linux",
            Self::Macos => "macOS",
        }
    }

    /// Where a release keeps the program for it.
    pub const fn file(self) -> &'static str {
        match self {
            Self::Windows => "ready/join.exe",
            Self::Linux => "ready/join-linux",
            Self::Macos => "ready/join-macos",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::digest::Blake3;
    use rstest::rstest;

    fn invite() -> Invite {
        Invite::new("https://mods.example/low-water", 3, Blake3::of(b"root"))
    }

    #[rstest]
    #[case(b"")]
    #[case(b"MZ a program")]
    #[case(b"MZ a program whose last words are kanon-invite-1")]
    fn what_is_written_behind_a_program_is_found_again(#[case] program: &[u8]) {
        let added = carrying(&invite()).expect("short");
        let whole = [program, &added].concat();
        assert_eq!(carried(&whole), Some(invite()));
        assert_eq!(length_alone(&whole, whole.len() as u64), program.len() as u64);
    }

    #[rstest]
    #[case::nothing(|_: Vec<u8>| Vec::new())]
    #[case::cut(|mut whole: Vec<u8>| { whole.pop(); whole })]
    #[case::cut_before(|whole: Vec<u8>| whole[whole.len() - 60..].to_vec())]
    #[case::more(|mut whole: Vec<u8>| { whole.push(b'x'); whole })]
    #[case::another_length(|mut whole: Vec<u8>| { let at = whole.len() - 20; whole[at] ^= 1; whole })]
    #[case::a_length_beyond_all(|mut whole: Vec<u8>| { let at = whole.len() - 17; whole[at] = 0xff; whole })]
    #[case::no_invite(|whole: Vec<u8>| [&b"no invite"[..], &9u32.to_le_bytes(), &whole[whole.len() - 16..]].concat())]
    fn what_is_not_whole_is_no_invite(#[case] spoil: fn(Vec<u8>) -> Vec<u8>) {
        let whole = [&b"MZ a program "[..], &carrying(&invite()).expect("short")].concat();
        assert_eq!(carried(&spoil(whole)), None);
    }

    #[test]
    fn an_invite_beyond_all_length_is_not_carried() {
        assert_eq!(
            carrying(&Invite::new(&format!("https://mods.example/{}", "a".repeat(5000)), 1, Blake3::of(b""))),
            None
        );
    }

    #[rstest]
    #[case(b"MZ\x90\0", Some(System::Windows))]
    #[case(b"\x7fELF\x02", Some(System::Linux))]
    #[case(&[0xcf, 0xfa, 0xed, 0xfe], Some(System::Macos))]
    #[case(b"#!/bin/sh", None)]
    #[case(b"M", None)]
    fn a_programs_system_is_known_by_its_head(#[case] head: &[u8], #[case] system: Option<System>) {
        assert_eq!(System::of_program(head), system);
    }
}
