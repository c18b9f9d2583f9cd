use super::*;
use crate::text::{EditError, spliced};
use proptest::prelude::*;
use rstest::rstest;

/// The value of each place in which the option is given.
fn values(dialect: Dialect, text: &str, option: &str, between: Option<&str>) -> Vec<String> {
    options(text, dialect, option, between).expect("read").into_iter().map(|one| one.value).collect()
}

#[rstest]
#[case(Dialect::Batch, "start hall.exe -holds=#tide;#reef -port=4100", "-holds=", &["#tide;#reef"])]
#[case(Dialect::Batch, "hall \"-holds=#tide light;#reef\" -x", "-holds=", &["#tide light;#reef"])]
#[case(Dialect::Shell, "hall -holds=\"#tide light;#reef\" -x", "-holds=", &["#tide light;#reef"])]
#[case(Dialect::Shell, "./hall --holds tide,reef --port 1", "--holds", &["tide,reef"])]
#[case(Dialect::Shell, "./hall --hold tide --hold 'reef light'", "--hold", &["tide", "reef light"])]
#[case(Dialect::Shell, "./hall -holds=tide\\;reef", "-holds=", &["tide;reef"])]
#[case(Dialect::Batch, "hall -holds=mods\\tide;mods\\reef", "-holds=", &["mods\\tide;mods\\reef"])]
#[case(Dialect::Batch, "rem hall -holds=old\r\n@REM -holds=old\n:: -holds=old\nhall -holds=new\r\n", "-holds=", &["new"])]
#[case(Dialect::Shell, "# hall -holds=old\nhall -holds=new # -holds=x\n", "-holds=", &["new"])]
#[case(Dialect::Batch, "set HOLDS=#tide;#reef\r\nstart hall -holds=%HOLDS%", "set HOLDS=", &["#tide;#reef"])]
#[case(Dialect::Batch, "set \"HOLDS=#tide;#reef\"\r\nstart hall -holds=%HOLDS%", "-holds=", &["#tide;#reef"])]
#[case(Dialect::Shell, "HOLDS=tide,reef\n./hall -holds=\"$HOLDS\"", "-holds=", &["tide,reef"])]
#[case(Dialect::Shell, "ARGS=\"-x -holds=tide,reef\"\n./hall $ARGS", "-holds=", &["tide,reef"])]
#[case(Dialect::Shell, "sh -c './hall -holds=tide,reef; sleep 1'", "-holds=", &["tide,reef"])]
#[case(Dialect::Shell, "while true; do ./hall -holds=tide,reef; done", "-holds=", &["tide,reef"])]
#[case(Dialect::Shell, "PID=$(./hall -holds=tide,reef)", "-holds=", &["tide,reef"])]
#[case(Dialect::Shell, "./hall -holds=tide,reef>log.txt 2>&1 &", "-holds=", &["tide,reef"])]
#[case(Dialect::Shell, "cat <<END\nhall -holds=old\nEND\nhall -holds=new\n", "-holds=", &["new"])]
#[case(Dialect::Shell, "echo \"hall -holds=old\"\nhall -holds=new\n", "-holds=", &["new"])]
#[case(Dialect::Shell, "/bin/echo -holds=old\nhall -holds=new\n", "-holds=", &["new"])]
#[case(Dialect::Shell, "screen -S x -X stuff \"./hall -holds=tide,reef^M\"", "-holds=", &["tide,reef"])]
#[case(Dialect::Batch, "hall -holds=%~dp0tide,reef", "-holds=", &["%~dp0tide,reef"])]
#[case(Dialect::Shell, "hall -holds=\"gone\",reed", "-holds=", &["gone,reed"])]
#[case(Dialect::Shell, "hall -holds=tide,\\\nreef \\\n  -x", "-holds=", &["tide,reef"])]
#[case(Dialect::Unit, "[Unit]\nDescription=hall -holds=x\n[Service]\nExecStart=/hall -holds=tide,reef\n", "-holds=", &["tide,reef"])]
#[case(Dialect::Unit, "[Service]\nEnvironment=\"A=-x -holds=tide,reef\" B=1\n", "-holds=", &["tide,reef"])]
#[case(Dialect::Arguments, "-port=1\n-holds=tide,reef\n", "-holds=", &["tide,reef"])]
#[case(Dialect::Shell, "hall -noholds=a -holds=b", "-holds=", &["b"])]
#[case(Dialect::Shell, "hall -holdsmore a -holds b", "-holds", &["b"])]
#[case(Dialect::Shell, "hall -holds= -x", "-holds=", &[""])]
fn options_are_found(#[case] dialect: Dialect, #[case] text: &str, #[case] option: &str, #[case] expected: &[&str]) {
    assert_eq!(values(dialect, text, option, None), expected);
}

#[rstest]
#[case(Dialect::Shell, "./hall --holds tide reef --port 1\n", "tide reef")]
#[case(Dialect::Shell, "./hall --holds tide \\\n  reef; sleep 1\n", "tide reef")]
#[case(Dialect::Arguments, "--holds\ntide\nreef\n--port\n1\n", "tide reef")]
#[case(Dialect::Batch, "hall.exe --holds \"tide reef\" more 1", "tide reef")]
fn blanks_between_entries_go_on_to_the_next_option(#[case] dialect: Dialect, #[case] text: &str, #[case] value: &str) {
    assert_eq!(values(dialect, text, "--holds", Some(" ")), [value]);
}

#[rstest]
#[case("hall -hold=#a;#b -x", "-holds=", Some("-hold="))]
#[case("hall \"-Holds=#a\"", "-holds=", Some("-Holds="))]
#[case("rem -hold=#a\nhall -x=1", "-holds=", None)]
#[case("hall -hods=a -hold=b", "-holds=", None)]
#[case("hall --hlods a", "--holds", Some("--hlods"))]
fn an_option_with_a_slip_in_it_is_known(#[case] text: &str, #[case] option: &str, #[case] expected: Option<&str>) {
    assert_eq!(near_option(text, Dialect::Batch, option).as_deref(), expected);
}

#[test]
fn what_can_not_be_told_is_told_with_its_place() {
    let refused = |dialect, text: &str| options(text, dialect, "-holds=", Some(",")).expect_err("refused").to_string();
    let open = "the quote that is opened here is never closed";
    assert_eq!(refused(Dialect::Batch, "rem x\nhall \"-holds=a;b -x"), format!("line 2, column 6: {open}"));
    assert_eq!(refused(Dialect::Shell, "hall -holds='a"), format!("line 1, column 13: {open}"));
    assert!(refused(Dialect::Shell, "\nhall -holds=$1").starts_with("line 2: what the option is given is in `$1`"));
    assert!(refused(Dialect::Shell, "hall -holds=$BASE,reed").contains("put together from `$BASE`"));
    assert!(refused(Dialect::Shell, "A=x\nA+=,reed\nhall -holds=$A").contains("put together"));
    assert!(refused(Dialect::Shell, "A=x\nA=\"$A,reed\"\nhall -holds=$A").contains("put together"));
    assert!(refused(Dialect::Batch, "set A=x;\nhall -holds=%A%reed").contains("put together"));
}

#[rstest]
#[case("start.sh", "x", Dialect::Shell)]
#[case("START.BAT", "x", Dialect::Batch)]
#[case("hall.service", "x", Dialect::Unit)]
#[case("start", "#!/bin/sh\nx", Dialect::Shell)]
#[case("start", "@ECHO off\nx", Dialect::Batch)]
#[case("hall.txt", "[Service]\nExecStart=x", Dialect::Unit)]
#[case("hall.txt", "-x", Dialect::Arguments)]
fn a_dialect_is_known_by_name_or_by_what_is_said(#[case] name: &str, #[case] text: &str, #[case] dialect: Dialect) {
    assert_eq!(Dialect::of(name, text), dialect);
}

/// The text with other entries wherever the option is given.
fn rewrote(dialect: Dialect, text: &str, wanted: &[&str]) -> Result<String, EditError> {
    let given = options(text, dialect, "-m=", Some(",")).expect("read");
    let splices = given.iter().map(|one| {
        let part = |wanted: &&str| match one.entries.iter().position(|entry| entry == wanted) {
            Some(at) => Part::Kept(at),
            None => Part::New((*wanted).to_owned()),
        };
        rewritten(one, ",", &wanted.iter().map(part).collect::<Vec<_>>())
    });
    Ok(spliced(text, splices.collect::<Result<Vec<_>, _>>()?))
}

#[rstest]
#[case(Dialect::Shell, "A=\"-p=1 -m=a,gone\"", &["a"], "A=\"-p=1 -m=a\"")]
#[case(Dialect::Shell, "while :; do h -m=a,gone; sleep 5; done", &["a", "b"], "while :; do h -m=a,b; sleep 5; done")]
#[case(Dialect::Shell, "(h -m=gone)>l.txt", &["a"], "(h -m=a)>l.txt")]
#[case(Dialect::Shell, "h -m=\"gone\",a", &["a"], "h -m=a")]
#[case(Dialect::Shell, "h -m=a,\\\ngone,c -x", &["a", "c"], "h -m=a,c -x")]
#[case(Dialect::Shell, "h -m=a \\\n -x", &["a", "b c"], "h -m=\"a,b c\" \\\n -x")]
#[case(Dialect::Shell, "sh -c 'h -m=a; x'", &["a", "b c"], "sh -c 'h -m=\"a,b c\"; x'")]
#[case(Dialect::Shell, "sh -c \"h -m=a; x\"", &["a", "b c"], "sh -c \"h -m='a,b c'; x\"")]
#[case(Dialect::Shell, "screen -S x sh -c \"h -m='a,b c'\"", &["b c"], "screen -S x sh -c \"h -m='b c'\"")]
#[case(Dialect::Shell, "h -m=$'a,gone'", &["a", "it's"], "h -m=$'a,it\\'s'")]
#[case(Dialect::Batch, "set \"A=-p=1 -m=a,gone\"", &["a"], "set \"A=-p=1 -m=a\"")]
#[case(Dialect::Batch, "set A=-m=a,gone&set P=1", &["b"], "set A=-m=b&set P=1")]
#[case(Dialect::Batch, "h -m=gone^\r\n -x", &["a"], "h -m=a^\r\n -x")]
#[case(Dialect::Batch, "if 1==1 (h -m=gone)", &["a"], "if 1==1 (h -m=a)")]
#[case(Dialect::Unit, "ExecStart=/h -m=gone \\\n  -x", &["a"], "ExecStart=/h -m=a \\\n  -x")]
#[case(Dialect::Unit, "ExecStart=/h -m=a", &["a", "b c"], "ExecStart=/h \"-m=a,b c\"")]
#[case(Dialect::Unit, "ExecStart=/bin/sh -c 'h -m=a; x'", &["b"], "ExecStart=/bin/sh -c 'h -m=b; x'")]
#[case(Dialect::Arguments, "-p=1\n-m=gone\n-x\n", &["a"], "-p=1\n-m=a\n-x\n")]
fn values_are_rewritten_where_they_stand(
    #[case] dialect: Dialect,
    #[case] text: &str,
    #[case] wanted: &[&str],
    #[case] expected: &str,
) {
    assert_eq!(rewrote(dialect, text, wanted).expect("rewritten"), expected);
}

#[test]
fn what_a_variable_is_parted_by_is_not_put_into_one() {
    assert!(rewrote(Dialect::Shell, "A=\"-m=a\"\nh $A", &["b c"]).is_err());
}

#[rstest]
#[case(Dialect::Shell, "h --m a --m gone -x\nh -y --m a --m gone\n", "h --m a -x\nh -y --m a\n", &["a"])]
#[case(Dialect::Arguments, "--m\ngone\n--m\na\n-x\n", "--m\na\n--m\nb\n-x\n", &["a", "b"])]
#[case(Dialect::Shell, "h \\\n  --m gone \\\n  -x", "h \\\n  --m a \\\n  -x", &["a"])]
fn an_option_is_given_once_for_each(
    #[case] dialect: Dialect,
    #[case] text: &str,
    #[case] expected: &str,
    #[case] wanted: &[&str],
) {
    let given = options(text, dialect, "--m", None).expect("read");
    let mut groups: Vec<Vec<&Given>> = Vec::new();
    for one in &given {
        match groups.last_mut() {
            Some(group) if group[0].group == one.group => group.push(one),
            _ => groups.push(vec![one]),
        }
    }
    let mut splices = Vec::new();
    for group in &groups {
        let part = |wanted: &&str| match group.iter().position(|one| one.value == **wanted) {
            Some(at) => Part::Kept(at),
            None => Part::New((*wanted).to_owned()),
        };
        splices.extend(each_once(group, &wanted.iter().map(part).collect::<Vec<_>>(), None).expect("written"));
    }
    assert_eq!(spliced(text, splices), expected);
}

proptest! {
    #[test]
    fn any_text_is_taken_calmly_and_places_are_in_it(text in "[-a-d =,;\"'$\\\\(){}&|<>^%#`!\n]{0,60}", option in "-[a-d]{1,2}=?") {
        for dialect in [Dialect::Shell, Dialect::Batch, Dialect::Unit, Dialect::Arguments] {
            for between in [None, Some(","), Some(" ")] {
                for found in options(&text, dialect, &option, between).unwrap_or_default() {
                    prop_assert!(text.get(found.at.clone()).is_some());
                    prop_assert!(text.get(found.option_at.clone()).is_some());
                    if let Ok(splice) = rewritten(&found, between.unwrap_or(","), &[Part::New("zz".to_owned())]) {
                        prop_assert!(text.get(splice.at.clone()).is_some());
                    }
                }
            }
        }
    }
}
