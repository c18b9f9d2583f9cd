use super::*;
use crate::edit::spliced;
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
#[case("[\n a\n , b\n]", &[("a", Some(0))], "[\n a\n \n]")]
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
    let edited = spliced(text, vec![bracketed(text, &(0..text.len()), &items, &rows)]);
    assert_eq!(edited, expected);
}

#[test]
fn stretches_keep_what_stands_between_them() {
    let text = "a\n# x\nb\nc\n";
    let stretches = [0..2, 6..8, 8..10];
    let edit = |rows: &[(&str, Option<usize>)]| {
        let rows: Vec<Row> = rows.iter().map(|(text, kept)| row(text, *kept)).collect();
        spliced(text, stretched(text, &stretches, &rows, text.len()))
    };
    assert_eq!(edit(&[("c\n", Some(2)), ("a\n", Some(0))]), "c\n# x\na\n");
    assert_eq!(edit(&[("n\n", None), ("b\n", Some(1)), ("m\n", None)]), "# x\nn\nb\nm\n");
    assert_eq!(edit(&[("n\n", None)]), "n\n# x\n");
    assert_eq!(edit(&[]), "# x\n");
    assert_eq!(spliced("x\n", stretched("x\n", &[], &[row("n\n", None)], 2)), "x\nn\n");
}
