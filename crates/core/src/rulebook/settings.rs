//! Settings and memory: what a rulebook says of them, which values mean the same, and texts that quote other things.

use crate::base::path::InstallPath;
use crate::text::command::{Amount, amounts, unit_bytes};
use crate::text::{Dialect, Encoding, LaunchError, Notation};

use super::lists::{ListForm, ListRule};
use super::places::PlacePattern;
use super::sides::{ByRole, Role};

use serde_json_path::JsonPath;

/// A setting.
#[derive(Debug, Clone)]
pub struct SettingRule {
    /// What the rulebook calls it.
    pub name: String,
    /// Whose it is; both sides' when not said.
    pub of: Option<Role>,
    /// The file that holds it.
    pub file: PlacePattern,
    /// How the file is written.
    pub notation: Notation,
    /// How its text is stored.
    pub encoding: Encoding,
    /// Where in it the value is.
    pub at: JsonPath,
    /// The value it must have; what stands in braces is filled in, see [`filled`].
    pub is: Option<String>,
    /// The mods for which it must have that value; always, when none is named.
    pub with: Vec<String>,
    /// Values that mean the same, group by group.
    pub same: Vec<Vec<String>>,
    /// Whether values are numbers, so that `4.0` is `4`.
    pub is_number: bool,
    /// What to read before the licence that it accepts is accepted.
    pub licence: Option<String>,
    /// The list in the same file whose entries it counts.
    pub counts: Option<String>,
}

/// The words for on and off that a setting of `kind = "flag"` takes for the same.
pub const FLAG_WORDS: [[&str; 5]; 2] = [["true", "1", "on", "yes", "enabled"], ["false", "0", "off", "no", "disabled"]];

impl SettingRule {
    /// The number beside a list that says how many entries it has.
    pub fn count_of(list: &ListRule) -> Option<Self> {
        let ListForm::Document { notation, .. } = &list.form else { return None };
        let (file, at) = (list.file.clone()?, list.count.clone()?);
        Some(Self {
            name: format!("{} (count)", list.name),
            of: list.of,
            file,
            notation: *notation,
            encoding: list.encoding,
            at,
            is: None,
            with: Vec::new(),
            same: Vec::new(),
            is_number: true,
            licence: None,
            counts: Some(list.name.clone()),
        })
    }

    /// Whether two values mean the same.
    pub fn means_same(&self, a: &str, b: &str) -> bool {
        let (a, b) = (a.trim(), b.trim());
        let as_number = || Some((a.parse::<f64>().ok()?, b.parse::<f64>().ok()?)).filter(|_| self.is_number);
        a == b
            || self.group(a).is_some_and(|(group, _)| self.group(b).is_some_and(|(other, _)| group == other))
            || as_number().is_some_and(|(a, b)| a == b && a.is_finite())
    }

    /// A value in the words of another: where a file says `0`, on is `1` and not `true`.
    pub fn in_words_of(&self, value: &str, old: Option<&str>) -> String {
        let at = old.and_then(|old| self.group(old.trim())).map(|(_, at)| at);
        match (self.group(value.trim()), at) {
            (Some((group, _)), Some(at)) => self.same[group].get(at).cloned().unwrap_or_else(|| value.to_owned()),
            _ => value.to_owned(),
        }
    }

    fn group(&self, value: &str) -> Option<(usize, usize)> {
        let place = |group: &Vec<String>| group.iter().position(|word| word.eq_ignore_ascii_case(value));
        self.same.iter().enumerate().find_map(|(index, group)| Some((index, place(group)?)))
    }
}

/// How much memory a server is given, and how much it must have.
#[derive(Debug, Clone)]
pub struct MemoryRule {
    /// Whose it is; both sides' when not said.
    pub of: Option<Role>,
    /// The file of the launch line.
    pub file: PlacePattern,
    /// How its text is stored.
    pub encoding: Encoding,
    /// The option, before the number and its unit.
    pub option: String,
    /// How many bytes a number without a unit stands for.
    pub unit: u64,
    /// So many bytes at least.
    pub floor: u64,
    /// And so many for each mod of that side.
    pub each_mod: u64,
}

impl MemoryRule {
    /// The amounts that a launch line gives, each time that it gives one.
    ///
    /// # Errors
    /// When the line can't be read.
    pub fn amounts(&self, text: &str) -> Result<Vec<Amount>, LaunchError> {
        amounts(text, self.dialect(text), &self.option, self.unit)
    }

    /// What the launch line stands in.
    pub fn dialect(&self, text: &str) -> Dialect {
        Dialect::of(&self.file.to_string(), text)
    }

    /// At least so many bytes, written in a unit.
    pub fn written(&self, bytes: u64, unit: &str) -> String {
        let each = if unit.is_empty() { self.unit } else { unit_bytes(unit).unwrap_or(self.unit) };
        // A round number of a smaller unit says it more closely than the next of a large one.
        let (each, unit) = match (bytes % each, unit.chars().next()) {
            (0, _) | (_, None) => (each, unit.to_owned()),
            (_, Some(first)) if first.eq_ignore_ascii_case(&'g') => {
                let small = if first == 'g' { "m" } else { "M" };
                (1 << 20, format!("{small}{}", &unit[1..]))
            }
            _ => (each, unit.to_owned()),
        };
        format!("{}{unit}", bytes.div_ceil(each))
    }
}

/// The bytes of an amount such as `512MiB`, `2 GiB`, `6G`.
pub fn size(text: &str) -> Option<u64> {
    let digits = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let unit = text[digits..].trim();
    let known = ["k", "kb", "kib", "m", "mb", "mib", "g", "gb", "gib", "t", "tb", "tib", "b"];
    let each = known.contains(&unit.to_lowercase().as_str()).then(|| unit_bytes(unit))??;
    text[..digits].parse::<u64>().ok()?.checked_mul(each)
}

/// A file or folder that a mod brings for a place outside its shelf: a profile, a mission, a world.
#[derive(Debug, Clone)]
pub struct ExtraRule {
    /// The file or folder in the mod.
    pub from: InstallPath,
    /// Where it goes; a folder of the mod goes into it with what is in it.
    pub places: ByRole<Vec<InstallPath>>,
    /// Whether a file that is there already stays as it is: it is a beginning that people go on with.
    pub stays: bool,
}

/// A name in braces that nobody knows.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("nobody knows `{0}`")]
pub struct UnknownName(pub String);

/// A text with what stands in braces filled in. `{{` and `}}` are braces.
///
/// # Errors
/// The name that stands in braces and that nobody knows.
pub fn filled(text: &str, known: impl Fn(&str) -> Option<String>) -> Result<String, UnknownName> {
    let mut out = String::new();
    let mut rest = text;
    while let Some(at) = rest.find(['{', '}']) {
        out.push_str(&rest[..at]);
        let found = &rest[at..];
        if let Some(after) = found.strip_prefix("{{").or_else(|| found.strip_prefix("}}")) {
            out.push_str(&found[..1]);
            rest = after;
        } else if let Some(end) = found.find('}').filter(|_| found.starts_with('{')) {
            let name = found[1..end].trim();
            out.push_str(&known(name).ok_or_else(|| UnknownName(name.to_owned()))?);
            rest = &found[end + 1..];
        } else {
            out.push_str(&found[..1]);
            rest = &found[1..];
        }
    }
    out.push_str(rest);
    Ok(out)
}

/// What stands in braces in a text.
pub fn quoted(text: &str) -> Vec<String> {
    let names = std::cell::RefCell::new(Vec::new());
    let _ = filled(text, |name| {
        names.borrow_mut().push(name.to_owned());
        Some(String::new())
    });
    names.into_inner()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn rule(option: &str, unit: u64) -> MemoryRule {
        MemoryRule {
            of: None,
            file: PlacePattern::new("start.sh").expect("a place"),
            encoding: Encoding::Utf8,
            option: option.to_owned(),
            unit,
            floor: 0,
            each_mod: 0,
        }
    }

    #[rstest]
    #[case("-room", "hall -room2G -x", &[(2 << 30, "G")])]
    #[case("-room=", "hall -room=512M", &[(512 << 20, "M")])]
    #[case("--room", "hall --room 3 -x", &[(3 << 20, "")])]
    #[case("-room=", "hall \"-room=4GiB\"", &[(4 << 30, "GiB")])]
    #[case("-room=", "# hall -room=1G\nhall -room=2G\nhall -room=1.5G; sleep 5", &[(2 << 30, "G"), (3 << 29, "G")])]
    #[case("-room=", "ROOM=2G\nhall -room=$ROOM -x", &[(2 << 30, "G")])]
    #[case("-room=", "ARGS='-port=1 -room=1G'\nhall $ARGS", &[(1 << 30, "G")])]
    #[case("-room=", "hall -broom=2G", &[])]
    #[case("-room", "hall -roommate=2G", &[])]
    fn amounts_are_found(#[case] option: &str, #[case] line: &str, #[case] expected: &[(u64, &str)]) {
        let found = rule(option, 1 << 20).amounts(line).expect("read");
        let found: Vec<(u64, &str)> =
            found.iter().map(|found| (found.bytes.expect("an amount"), found.unit.as_str())).collect();
        assert_eq!(found, expected);
    }

    #[test]
    fn what_is_no_amount_is_told() {
        let found = rule("-room=", 1 << 20).amounts("hall -room=much\n").expect("read");
        assert_eq!((found[0].bytes, found[0].text.as_str(), found[0].line), (None, "much", 1));
    }

    #[rstest]
    #[case(2 << 30, "G", "2G")]
    #[case((2 << 30) + (100 << 20), "G", "2148M")]
    #[case((512 << 20) + 1, "m", "513m")]
    #[case(3 << 20, "", "3")]
    fn amounts_are_written_in_the_unit_that_is_there(#[case] bytes: u64, #[case] unit: &str, #[case] expected: &str) {
        assert_eq!(rule("-room=", 1 << 20).written(bytes, unit), expected);
    }

    #[rstest]
    #[case("512MiB", Some(512 << 20))]
    #[case("2 G", Some(2 << 30))]
    #[case("7", None)]
    #[case("x", None)]
    #[case("99999999999999T", None)]
    fn sizes_are_read(#[case] text: &str, #[case] expected: Option<u64>) {
        assert_eq!(size(text), expected);
    }

    #[rstest]
    #[case("{port}", Ok("4100"))]
    #[case("x{{{port}}}y", Ok("x{4100}y"))]
    #[case("{ port }:{port}", Ok("4100:4100"))]
    #[case("{home}", Err("home"))]
    #[case("open {", Ok("open {"))]
    fn texts_are_filled(#[case] text: &str, #[case] expected: Result<&str, &str>) {
        let known = |name: &str| (name == "port").then(|| "4100".to_owned());
        assert_eq!(filled(text, known), expected.map(str::to_owned).map_err(|name| UnknownName(name.to_owned())));
    }

    #[test]
    fn values_mean_the_same_by_the_rulebooks_word() {
        let words =
            |groups: &[&[&str]]| groups.iter().map(|group| group.iter().map(|w| (*w).to_owned()).collect()).collect();
        let mut setting = SettingRule {
            name: "x".to_owned(),
            of: None,
            file: PlacePattern::new("a.cfg").expect("a place"),
            notation: Notation::KeyValue,
            encoding: Encoding::Utf8,
            at: JsonPath::parse("$.x").expect("a path"),
            is: None,
            with: Vec::new(),
            same: words(&[&["1", "true", "on"], &["0", "false", "off"]]),
            is_number: false,
            licence: None,
            counts: None,
        };
        assert!(setting.means_same("TRUE", "1") && !setting.means_same("0", "1"));
        assert!(!setting.means_same("1.10", "1.1") && !setting.means_same("a", "A"));
        setting.is_number = true;
        assert!(setting.means_same("4100", "4100.0"));
        assert_eq!(setting.in_words_of("true", Some("0")), "1");
        assert_eq!(setting.in_words_of("1", Some("off")), "on");
        assert_eq!(setting.in_words_of("1", None), "1");
        setting.same.clear();
        assert!(!setting.means_same("true", "1"));
        assert_eq!(quoted("{a} {b c}"), ["a", "b c"]);
    }
}
