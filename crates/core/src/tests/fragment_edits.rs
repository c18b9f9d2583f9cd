use super::*;
use rstest::rstest;

fn rule(before: &str, identity: &str) -> FragmentRule {
    let text = format!(
        "format = \"kanon-rulebook/1\"\ngame = \"g\"\n[[shelf]]\nname = \"s\"\nholds = \"folders\"\nin = \"s\"\n[shelf.mod]\nid = \"$.id\"\n\
        [[fragment]]\nfrom = \"goods.xml\"\ninto = \"world/goods.xml\"\nbefore = '{before}'\nidentity = '{identity}'\n"
    );
    crate::rulebook::parse("rulebook", &text).expect("a rulebook").value.fragments.remove(0)
}

const GOODS: &str = "<?xml version=\"1.0\"?>\r\n<goods>\r\n\t<!-- the game's -->\r\n\t<good name='rope'><weight>2</weight></good>\r\n\t<good name=\"lamp\"/>\r\n</goods>\r\n";

fn wanted(key: &str, text: &str, replaces: bool) -> Wanted {
    Wanted { key: key.to_owned(), text: text.to_owned(), replaces }
}

fn merged(text: &str, wanted: &[Wanted], gone: &[&str]) -> Result<String, EditError> {
    let gone: Vec<String> = gone.iter().map(|key| (*key).to_owned()).collect();
    let bytes = merge(text.as_bytes(), &rule("</goods>", "name"), wanted, &gone)?;
    Ok(String::from_utf8(bytes).expect("text"))
}

#[test]
fn entries_go_in_once_in_order_and_out_again() {
    let bell = wanted("good bell", "<good name=\"bell\">\n    <weight>40</weight>\n  </good>", false);
    let net = wanted("good net", "<good name=\"net\"/>", false);
    let one = merged(GOODS, std::slice::from_ref(&net), &[]).expect("merged");
    assert_eq!(one, GOODS.replace("</goods>", "\t<good name=\"net\"/>\r\n</goods>"));
    let both = merged(&one, &[bell.clone(), net.clone()], &[]).expect("merged");
    let bell_text = "\t<good name=\"bell\">\r\n\t  <weight>40</weight>\r\n\t</good>\r\n";
    assert_eq!(both, one.replace("\t<good name=\"net\"/>", &format!("{bell_text}\t<good name=\"net\"/>")));
    assert_eq!(
        merged(&both, &[bell.clone(), net.clone()], &[]).expect("merged"),
        both,
        "a second time changes nothing"
    );
    assert_eq!(merged(&both, &[], &["good bell", "good net"]).expect("merged"), GOODS);
    let twice = both.replace("</goods>", &format!("{bell_text}</goods>"));
    assert_eq!(merged(&twice, &[bell, net], &[]).expect("merged"), both, "pasted twice, it stays once");
}

#[test]
fn an_entry_is_replaced_only_where_that_is_meant() {
    let lamp = |replaces| wanted("good lamp", "<good name=\"lamp\" bright=\"1\"/>", replaces);
    assert_eq!(merged(GOODS, &[lamp(false)], &[]).expect("merged"), GOODS);
    let replaced = GOODS.replace("<good name=\"lamp\"/>", "<good name=\"lamp\" bright=\"1\"/>");
    assert_eq!(merged(GOODS, &[lamp(true)], &[]).expect("merged"), replaced);
}

#[rstest]
#[case("</goods>", "name", "<goods><good name='a'/><good name='b'><x/></good></goods>", &["good a", "good b"])]
#[case("</goods>", "name", "<good name='a'/>\n<part><name> b </name></part>", &["good a", "part b"])]
#[case("</goods>", "name", "<goods/>", &[])]
#[case("</goods>", "@name", "<extra><good name='a &amp; b'/></extra>", &["good a & b"])]
fn a_mods_own_file_may_be_written_in_several_ways(
    #[case] before: &str,
    #[case] identity: &str,
    #[case] text: &str,
    #[case] keys: &[&str],
) {
    let found = brought(text, &rule(before, identity)).expect("read");
    assert_eq!(found.iter().map(|placing| placing.key.as_str()).collect::<Vec<_>>(), keys);
}

#[test]
fn blanks_and_comments_are_no_difference() {
    let rule = rule("</goods>", "name");
    let digest = |text: &str| brought(text, &rule).expect("read")[0].digest;
    let plain = digest("<goods><good name='a'><w>2</w></good></goods>");
    assert_eq!(digest("<goods>\n <good name=\"a\">\n  <!-- x --><w> 2 </w>\n </good></goods>"), plain);
    assert_ne!(digest("<goods><good name='a'><w>3</w></good></goods>"), plain);
}

#[test]
fn what_is_not_well_formed_is_told_with_its_place_and_not_touched() {
    let rule = rule("</goods>", "name");
    let told = |text: &str| anchored(text, &rule).expect_err("refused").to_string();
    assert!(
        told("<goods>\n  <good name='a'>\n</goods>").starts_with("line "),
        "{}",
        told("<goods>\n  <good name='a'>\n</goods>")
    );
    assert!(told("<other/>").contains("</goods>"));
    let twice = brought("<goods>\n<good/></goods>", &rule).expect_err("refused").to_string();
    assert!(twice.starts_with("line 2, column 1"), "{twice}");
    let bad = wanted("good x", "<good name='x'>", false);
    assert!(merged(GOODS, &[bad], &[]).is_err());
}

#[test]
fn an_anchor_may_be_any_text_and_the_entries_are_those_around_it() {
    let rule = rule("<!-- mods above -->", "name");
    let text = "<w>\n  <goods>\n    <good name=\"rope\"/>\n    <!-- mods above -->\n    <good name=\"end\"/>\n  </goods>\n</w>\n";
    let bell = wanted("good bell", "<good name=\"bell\"/>", false);
    let edited = merge(text.as_bytes(), &rule, &[bell], &[]).expect("merged");
    let expected = text.replace("    <!-- mods", "    <good name=\"bell\"/>\n    <!-- mods");
    assert_eq!(String::from_utf8(edited).expect("text"), expected);
}
