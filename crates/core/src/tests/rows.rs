use super::*;
use crate::text::spliced;
use rstest::rstest;

fn row(text: &str, kept: Option<usize>) -> Row {
    match kept {
        Some(index) => Row::Kept { index, text: text.to_owned() },
        None => Row::New(text.to_owned()),
    }
}

#[rstest]
#[case("[a, b]", &[("b", Some(1)), ("a", Some(0))], "[b, a]")]
#[case("[a,b]", &[("a", Some(0)), ("c", None), ("b", Some(1))], "[a,c,b]")]
#[case("[ a ]", &[], "[]")]
#[case("[\n  a, // one\n  b // two\n]", &[("b", Some(1)), ("a", Some(0))], "[\n  b, // two\n  a // one\n]")]
#[case("[\n  a,\n  /* of b */ b,\n]", &[("b", Some(1)), ("c", None)], "[\n  /* of b */ b,\n  c,\n]")]
#[case("[\n  // of a, and more\n  a\n]", &[("a", Some(0)), ("c", None)], "[\n  // of a, and more\n  a,\n  c\n]")]
#[case("[\n a\n , b\n]", &[("a", Some(0))], "[\n a\n]")]
#[case("[\n  a, // 1\n  // 2\n  b // 3\n]", &[("a", Some(0))], "[\n  a // 1\n  // 2\n  // 3\n]")]
#[case("[a, /* of b */ b]", &[("b", Some(1))], "[ /* of b */ b]")]
#[case("[a, // one\n b]", &[("a", Some(0)), ("c", None), ("b", Some(1))], "[a, c, // one\n b]")]
fn rows_between_brackets(#[case] text: &str, #[case] rows: &[(&str, Option<usize>)], #[case] expected: &str) {
    let items: Vec<Range<usize>> = ["a", "b"]
        .iter()
        .filter_map(|name| {
            let bare = text.replace("// of a, and more", "                 ").replace("of b", "    ");
            let at = bare.find(name)?;
            Some(at..at + 1)
        })
        .collect();
    let rows: Vec<Row> = rows.iter().map(|(text, kept)| row(text, *kept)).collect();
    let mut comments = Vec::new();
    comments_in(Notation::Json, text, 0..text.len(), &mut comments);
    let edited = spliced(text, vec![bracketed(Notation::Json, text, (&(0..text.len()), &comments), &items, &rows)]);
    assert_eq!(edited, expected);
}

#[test]
fn blocks_take_their_comments_along_and_leave_them_behind() {
    let text = "a\n# of b\nb # too\n\n# alone\n\nc\n";
    let block = |part: &str| {
        let at = text.rfind(&format!("\n{part}")).map_or(0, |at| at + 1);
        Block::around(Notation::Yaml, text, &(at..at + 1)).expect("a block")
    };
    let blocks = [block("a"), block("b"), block("c")];
    let edit = |rows: &[(&str, Option<usize>)]| {
        let rows: Vec<Row> = rows.iter().map(|(text, kept)| row(text, *kept)).collect();
        spliced(text, by_blocks(text, &blocks, &rows, text.len()))
    };
    assert_eq!(edit(&[("c\n", Some(2)), ("a\n", Some(0))]), "c\n# of b\n# too\n\n# alone\n\na\n");
    assert_eq!(
        edit(&[("b # too\n", Some(1)), ("a\n", Some(0)), ("m", None), ("c\n", Some(2))]),
        "# of b\nb # too\na\nm\n\n# alone\n\nc\n"
    );
    assert_eq!(edit(&[]), "# of b\n# too\n\n# alone\n");
    assert_eq!(spliced("x\n", by_blocks("x\n", &[], &[row("n\n", None)], 2)), "x\nn\n");
    assert_eq!(spliced("x", by_blocks("x", &[], &[row("n", None)], 1)), "x\nn\n");
}
