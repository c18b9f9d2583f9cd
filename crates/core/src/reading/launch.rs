//! Launch lines: the value of an option in a start script, a service file or a file of arguments.

use std::ops::Range;

/// What is wrong with a launch line.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("line {line}, column {column}: the quote that is opened here is never closed")]
pub struct LaunchError {
    /// From one.
    pub line: usize,
    /// From one, in characters.
    pub column: usize,
}

/// The value of an option, where it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OptionValue {
    /// The value without its quotes.
    pub value: String,
    /// The bytes of the value in the text, without its quotes.
    pub span: Range<usize>,
    /// Option and value, with the quotes around either.
    pub whole: Range<usize>,
    /// The quote around the value, or around option and value.
    pub quote: Option<char>,
    /// From one.
    pub line: usize,
}

/// Every value that an option is given in a script; lines that are comments don't count.
///
/// The option is written as in the script, with the sign that ends it (`-mods=`, `--mod`, `set MODS=`). The value may
/// be quoted, or the whole of option and value may; without quotes it ends at a blank, a `\` before a sign is taken off.
///
/// Where blanks stand between entries, a value without quotes goes on to the next word that begins with `-`.
///
/// # Errors
/// When a quote before or around the value is not closed on its line.
pub fn option_values(text: &str, option: &str, between: Option<&str>) -> Result<Vec<OptionValue>, LaunchError> {
    let spread = between.is_some_and(|between| !between.is_empty() && between.trim().is_empty());
    let mut found = Vec::new();
    let mut start = 0;
    for (number, line) in text.split_inclusive('\n').enumerate() {
        if !is_comment(line) {
            values_in(line, (number + 1, start), (option, spread), &mut found)?;
        }
        start += line.len();
    }
    Ok(found)
}

/// An option of a script that is spelt nearly like one that no line gives: a slip of the pen, perhaps.
pub fn near_option(text: &str, option: &str) -> Option<String> {
    const SLIPS: usize = 2;
    let sign = option.ends_with('=');
    let head = |word: &str| match (sign, word.find('=')) {
        (true, at) => at.map(|at| word[..=at].to_owned()),
        (false, _) => Some(word.to_owned()),
    };
    let lines = text.lines().filter(|line| !is_comment(line));
    let words = lines.flat_map(|line| line.split([' ', '\t', '"', '\'']));
    let near = words
        .filter_map(head)
        .filter(|word| word.len() > SLIPS * 2 && *word != option)
        .map(|word| (strsim::damerau_levenshtein(&word.to_lowercase(), &option.to_lowercase()), word));
    let near: std::collections::BTreeSet<(usize, String)> = near.filter(|(slips, _)| *slips <= SLIPS).collect();
    let best = near.first()?;
    let is_alone = near.iter().filter(|(slips, _)| *slips == best.0).count() == 1;
    is_alone.then(|| best.1.clone())
}

/// Comments of batch files, shells, service files, Lua and files of arguments.
pub fn is_comment(line: &str) -> bool {
    let line = line.trim_start().trim_start_matches('@').to_ascii_lowercase();
    line.starts_with("::")
        || line.starts_with('#')
        || line.starts_with("//")
        || line.starts_with(';')
        || line.starts_with("-- ")
        || line.strip_prefix("rem").is_some_and(|rest| rest.is_empty() || rest.starts_with([' ', '\t', '\r', '\n']))
}

fn values_in(
    line: &str,
    (number, start): (usize, usize),
    (option, spread): (&str, bool),
    found: &mut Vec<OptionValue>,
) -> Result<(), LaunchError> {
    let line = line.trim_end_matches(['\r', '\n']);
    let mut at = 0;
    while let Some(offset) = line[at..].find(option) {
        let option_at = at + offset;
        at = option_at + option.len();
        let before = line[..option_at].chars().next_back();
        if before.is_some_and(|c| !c.is_whitespace() && !matches!(c, '"' | '\'')) {
            continue;
        }
        let bare = option.ends_with(|c: char| c.is_alphanumeric());
        let blanks = line[at..].len() - line[at..].trim_start_matches([' ', '\t']).len();
        if bare && blanks == 0 && at < line.len() {
            continue;
        }
        let value_at = if bare { at + blanks } else { at };
        let around = before.filter(|c| matches!(c, '"' | '\''));
        let inner = line[value_at..].chars().next().filter(|c| matches!(c, '"' | '\'') && around.is_none());
        let (value, span) = match (around, inner) {
            (Some(quote), _) => quoted(line, (value_at, option_at - 1), quote, number)?,
            (None, Some(quote)) => quoted(line, (value_at + 1, value_at), quote, number)?,
            (None, None) => plain(line, value_at, spread),
        };
        at = span.end;
        let quote = around.or(inner);
        found.push(OptionValue {
            value,
            whole: start + option_at - usize::from(around.is_some())..start + span.end + usize::from(quote.is_some()),
            quote,
            span: start + span.start..start + span.end,
            line: number,
        });
    }
    Ok(())
}

fn quoted(
    line: &str,
    (value_at, quote_at): (usize, usize),
    quote: char,
    number: usize,
) -> Result<(String, Range<usize>), LaunchError> {
    let end = line[value_at..].find(quote).map(|offset| value_at + offset);
    let column = line[..quote_at].chars().count() + 1;
    let end = end.ok_or(LaunchError { line: number, column })?;
    Ok((line[value_at..end].to_owned(), value_at..end))
}

fn plain(line: &str, value_at: usize, spread: bool) -> (String, Range<usize>) {
    let rest = &line[value_at..];
    let next = if spread { rest.find(" -").or_else(|| rest.find("\t-")) } else { rest.find([' ', '\t']) };
    let end = next.map_or(line.len(), |offset| value_at + offset);
    let mut value = String::new();
    let mut chars = line[value_at..end].chars().peekable();
    while let Some(c) = chars.next() {
        // A shell's escape, such as `\;`; a `\` before a letter is a path's.
        if c == '\\' && chars.peek().is_some_and(|next| !next.is_alphanumeric() && !matches!(next, '.' | '@' | '_')) {
            continue;
        }
        value.push(c);
    }
    (value, value_at..end)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case("start hall.exe -holds=#tide;#reef -port=4100", "-holds=", &["#tide;#reef"])]
    #[case("hall \"-holds=#tide light;#reef\" -x", "-holds=", &["#tide light;#reef"])]
    #[case("hall -holds=\"#tide light;#reef\" -x", "-holds=", &["#tide light;#reef"])]
    #[case("./hall --holds tide,reef --port 1", "--holds", &["tide,reef"])]
    #[case("./hall --hold tide --hold 'reef light'", "--hold", &["tide", "reef light"])]
    #[case("./hall -holds=tide\\;reef", "-holds=", &["tide;reef"])]
    #[case("hall -holds=mods\\tide;mods\\reef", "-holds=", &["mods\\tide;mods\\reef"])]
    #[case("rem hall -holds=old\r\n@REM -holds=old\n:: -holds=old\n# -holds=old\nhall -holds=new\r\n", "-holds=", &["new"])]
    #[case("set HOLDS=#tide;#reef\r\nstart hall -holds=%HOLDS%", "set HOLDS=", &["#tide;#reef"])]
    #[case("hall -noholds=a -holds=b", "-holds=", &["b"])]
    #[case("hall -holdsmore a -holds b", "-holds", &["b"])]
    #[case("hall -holds= -x", "-holds=", &[""])]
    fn options_are_found(#[case] text: &str, #[case] option: &str, #[case] expected: &[&str]) {
        let found = option_values(text, option, None).expect("read");
        assert_eq!(found.iter().map(|found| found.value.as_str()).collect::<Vec<_>>(), expected);
    }

    #[test]
    fn blanks_between_entries_go_on_to_the_next_option() {
        let found = option_values("./hall --holds tide reef --port 1\n", "--holds", Some(" ")).expect("read");
        assert_eq!(found[0].value, "tide reef");
    }

    #[rstest]
    #[case("hall -hold=#a;#b -x", "-holds=", Some("-hold="))]
    #[case("hall \"-Holds=#a\"", "-holds=", Some("-Holds="))]
    #[case("rem -hold=#a\nhall -x=1", "-holds=", None)]
    #[case("hall -hods=a -hold=b", "-holds=", None)]
    #[case("hall --hlods a", "--holds", Some("--hlods"))]
    fn an_option_with_a_slip_in_it_is_known(#[case] text: &str, #[case] option: &str, #[case] expected: Option<&str>) {
        assert_eq!(near_option(text, option).as_deref(), expected);
    }

    #[test]
    fn an_open_quote_is_told_with_its_place() {
        let error = option_values("rem x\nhall \"-holds=a;b -x", "-holds=", None).expect_err("refused");
        assert_eq!((error.line, error.column), (2, 6));
        assert_eq!(option_values("hall -holds='a", "-holds=", None).expect_err("refused").column, 13);
    }

    proptest! {
        #[test]
        fn any_text_is_taken_calmly_and_spans_are_in_it(text in "\\PC{0,80}\n?\\PC{0,40}", option in "-[a-z]{1,4}=?") {
            for found in option_values(&text, &option, Some(" ")).unwrap_or_default() {
                prop_assert!(text.get(found.span.clone()).is_some());
            }
        }
    }
}
