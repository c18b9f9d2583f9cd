//! The wish: `kanon.toml`, read with every mistake told at its place, and edited without losing a comment.

mod begin;
mod edit;
mod mistake;
mod model;
mod parse;

pub use begin::{Beginning, SameName, begin};
pub use edit::{Edit, EditError, Edited, edit};
pub use mistake::SpanError;
pub use model::*;
pub use parse::{parse, span_of_time};

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::ids::FoldedId;
    use crate::base::problem::place;
    use crate::base::version::Versions;
    use crate::rulebook::Role;
    use rstest::rstest;

    const SMALL: &str = "# ours\nformat = \"kanon/1\"\nname = \"Longnight Station\"\nrulebook = \"p.rulebook.toml\"\n\n[policy]\nclient-extras = \"ask\"\n\n\
        [install.station]\nrole = \"server\"\nat = \"server\"\n\n[[mod]] # the heart\nid = \"tide\"\nversion = \"1.0\" # not 1.1!\n";

    fn wish(id: &str, version: &str) -> ModWish {
        ModWish { id: id.into(), version: Some(version.to_owned()), ..ModWish::default() }
    }

    #[test]
    fn reads() {
        let wishes = parse("kanon.toml", SMALL).expect("wishes").value;
        assert_eq!(wishes.install("station").map(|install| install.role), Some(Role::Server));
        assert_eq!((wishes.extras, wishes.mods.len()), (Extras::Ask, 1));
    }

    #[rstest]
    #[case("role = \"server\"", "role = \"sever\"", "line 10, column 8", "did you mean `server`?")]
    #[case("client-extras", "client-extra", "line 7, column 1", "did you mean `client-extras`?")]
    #[case("version = \"1.0\"", "from = \"staton\"", "line 13, column 1", "did you mean `station`?")]
    #[case("[[mod]]", "[[mod]]\nid = \"Tide\"\n[[mod]]", "line 15, column 1", "keep one of the two")]
    #[case("kanon/1", "kanon/2", "line 2, column 10", "")]
    #[case("at = \"server\"", "at = 3", "line 11, column 6", "")]
    fn a_mistake_is_told_with_its_place(
        #[case] right: &str,
        #[case] wrong: &str,
        #[case] at: &str,
        #[case] help: &str,
    ) {
        let text = SMALL.replacen(right, wrong, 1);
        let bad = parse("kanon.toml", &text).expect_err("a mistake");
        let told: Vec<_> =
            bad.problems.iter().map(|p| (place(&text, p.span.start), p.help.clone().unwrap_or_default())).collect();
        assert!(told.iter().any(|(place, h)| place == at && h.contains(help)), "{told:#?}");
    }

    /// What stands in the middle of the file goes where it belongs, if the others stand so; comments stay with what they are about.
    #[rstest]
    #[case::between("a c e", "d", "a c d e")]
    #[case::at_the_begin("b c", "a", "a b c")]
    #[case::at_the_end("a b", "c", "a b c")]
    #[case::in_no_order("c a b", "b2", "c a b b2")]
    #[case::case_is_no_order("a B c", "bb", "a B bb c")]
    #[case::several("b d", "c a e", "a b c d e")]
    fn a_new_mod_goes_where_it_belongs(#[case] there: &str, #[case] new: &str, #[case] expected: &str) {
        let block = |id: &str| format!("\n# about {id}\n[[mod]]\nid = \"{id}\"\nversion = \"1\"\n");
        let blocks: String = there.split(' ').map(block).collect();
        let head = "format = \"kanon/1\"\nname = \"n\"\nrulebook = \"r\"\n\n# All our mods.\n";
        let text = format!("{head}{blocks}\n[release]\ndays = 40\n");
        let new: Vec<ModWish> = new.split(' ').map(|id| wish(id, "1")).collect();
        let edited = adopt(&text, &new, [None; 3]).expect("edited").text;
        let ids: Vec<&str> = edited.lines().filter_map(|line| line.strip_prefix("id = ")).collect();
        let expected: Vec<String> = expected.split(' ').map(|id| format!("\"{id}\"")).collect();
        assert_eq!(ids, expected, "{edited}");
        assert!(edited.starts_with(head), "{edited}");
        assert!(edited.ends_with("\n[release]\ndays = 40\n"), "{edited}");
        for id in there.split(' ') {
            assert!(edited.contains(&block(id)), "{id} keeps its comment: {edited}");
        }
    }

    fn adopt(text: &str, put: &[ModWish], versions_found: [Option<&str>; 3]) -> Result<Edited, EditError> {
        edit(text, &Edit { put, versions_found, ..Edit::default() })
    }

    #[test]
    fn an_edit_keeps_comments_order_and_line_ends() {
        let edited = adopt(SMALL, &[wish("Tide", "1.1"), wish("fog", "3")], [Some("1.4"), None, None]).expect("edited");
        assert_eq!(edited.added, ["fog"]);
        assert_eq!(edited.changed, [("Tide".into(), "1.0".to_owned(), "1.1".to_owned())]);
        let expected = SMALL
            .replace("\"1.0\"", "\"1.1\"")
            .replace("p.rulebook.toml\"\n", "p.rulebook.toml\"\ngame-version = \"1.4\"\n")
            .replace("\n[[mod]]", "\n[[mod]]\nid = \"fog\"\nversion = \"3\"\n\n[[mod]]");
        assert_eq!(edited.text, expected);
        let windows = adopt(&SMALL.replace('\n', "\r\n"), &[wish("fog", "3")], [None; 3]).expect("edited").text;
        assert_eq!(windows.matches('\n').count(), windows.matches("\r\n").count());
        let marked = format!("\u{feff}{SMALL}");
        assert!(adopt(&marked, &[wish("fog", "3")], [None; 3]).expect("edited").text.starts_with("\u{feff}# ours"));
        assert_eq!(adopt(SMALL, &[wish("tide", "1.0")], [None; 3]).expect("edited").text, SMALL);
    }

    #[test]
    fn what_is_taken_out_takes_its_own_comment_with_it_and_no_other() {
        let text =
            format!("{SMALL}\n# for everybody\n\n# loud\n[[mod]]\nid = \"fog\"\n\n# quiet\n[[mod]]\nid = \"horn\"\n");
        let without = |ids: &[&str]| {
            let ids: Vec<FoldedId> = ids.iter().map(|id| (*id).into()).collect();
            edit(&text, &Edit { remove: &ids, ..Edit::default() }).expect("edited").text
        };
        assert_eq!(without(&["FOG"]), text.replace("\n# loud\n[[mod]]\nid = \"fog\"\n", ""));
        assert_eq!(without(&["horn"]), text.replace("\n# quiet\n[[mod]]\nid = \"horn\"\n", ""));
        assert!(without(&["fog", "horn"]).ends_with("# for everybody\n"), "{}", without(&["fog", "horn"]));
        assert_eq!(without(&["gone"]), text);
    }

    #[test]
    fn what_an_update_may_choose_is_written_and_taken_out() {
        let choosy = ModWish {
            accepts: Some("^1".to_owned()),
            prereleases: true,
            asked: false,
            version: Some("1.0".to_owned()),
            ..wish("tide", "")
        };
        let put = [choosy.clone()];
        let edited =
            edit(SMALL, &Edit { put: &put, game_version: Some("1.5"), ..Edit::default() }).expect("edited").text;
        assert!(edited.contains("version = \"1.0\" # not 1.1!\naccepts = \"^1\"\nprereleases = true\nasked = false\n"));
        let read = parse("kanon.toml", &edited).expect("wishes").value;
        assert_eq!(ModWish { span: 0..0, ..read.mods[0].clone() }, choosy);
        assert_eq!(read.game_version.as_deref(), Some("1.5"));
        let plain = [wish("tide", "1.0")];
        let again = edit(&edited, &Edit { put: &plain, ..Edit::default() }).expect("edited").text;
        assert_eq!(again.replace("game-version = \"1.5\"\n", ""), SMALL);
    }

    #[rstest]
    #[case("1.0", Some("1.0"))]
    #[case("=1.0", Some("1.0"))]
    #[case(">=1.0", None)]
    #[case("blue", Some("blue"))]
    fn a_wish_for_just_one_release_is_known(#[case] version: &str, #[case] pinned: Option<&str>) {
        assert_eq!(wish("tide", version).pinned(Versions::default()), pinned);
    }

    #[test]
    fn what_can_not_be_edited_is_refused() {
        assert!(adopt("mod = 3", &[wish("fog", "3")], [None; 3]).is_err());
        assert!(adopt("= 3", &[], [None; 3]).is_err());
    }
}
