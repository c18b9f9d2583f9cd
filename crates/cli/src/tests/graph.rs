use super::*;
use kanon_core::rulebook::NeededOn;
use rstest::rstest;

fn mods(number: usize) -> Vec<ModRow> {
    let one = |at: usize| ModRow {
        id: FoldedId::from(format!("mod-{at}").as_str()),
        title: None,
        version: Some("1.0".to_owned()),
        position: at + 1,
        shelf: "mods".into(),
        name: format!("mod-{at}.psm"),
        needed_on: NeededOn::Both,
        files: 1,
        bytes: 10,
        shapes_world: false,
    };
    (0..number).map(one).collect()
}

fn needs(from: usize, to: usize) -> Link {
    let id = |at: usize| FoldedId::from(format!("mod-{at}").as_str());
    Link { from: id(from), names: id(to), to: Some(id(to)), kind: RelationKind::Required, range: None }
}

/// The boxes of a drawing: left, top, width, by number of mod.
fn boxes(drawing: &str) -> BTreeMap<usize, (f64, f64, f64)> {
    let number = |text: &str, name: &str| -> f64 {
        let begin = text.find(&format!("{name}=\"")).expect("an attribute") + name.len() + 2;
        text[begin..].split('"').next().and_then(|value| value.parse().ok()).expect("a number")
    };
    let each = drawing.split("<a href").skip(1).map(|text| {
        let rect = &text[text.find("<rect").expect("a box")..];
        (number(text, "data-mod") as usize, (number(rect, " x"), number(rect, " y"), number(rect, "width")))
    });
    each.collect()
}

#[rstest]
#[case::a_row(5, &[(1, 0), (2, 1), (3, 2), (4, 3)])]
#[case::a_fan(40, &(1..40).map(|at| (at, 0)).collect::<Vec<_>>())]
#[case::two_parts(6, &[(1, 0), (2, 0), (4, 3), (5, 4)])]
#[case::a_circle(3, &[(0, 1), (1, 2), (2, 0)])]
#[case::with_gaps(9, &[(3, 1), (5, 1), (8, 5), (7, 3)])]
#[case::long_ways(6, &[(1, 0), (2, 1), (3, 2), (4, 3), (4, 0), (5, 0), (5, 4)])]
fn boxes_lie_beside_each_other_and_foundations_on_the_left(#[case] number: usize, #[case] needed: &[(usize, usize)]) {
    let links: Vec<Link> = needed.iter().map(|(from, to)| needs(*from, *to)).collect();
    let drawn = graph(&mods(number), &links, &BTreeMap::new());
    let drawing = drawn.drawing.expect("a drawing");
    let boxes = boxes(&drawing);
    let linked: BTreeSet<usize> = needed.iter().flat_map(|(from, to)| [*from, *to]).collect();
    assert_eq!((boxes.len(), drawing.matches("<path").count()), (linked.len(), needed.len()));
    for (one, (x, y, width)) in &boxes {
        assert!(*x >= 0.0 && *y >= 0.0);
        for (other, (to_x, to_y, _)) in boxes.iter().filter(|(other, _)| *other > one) {
            let apart = (x - to_x).abs() >= *width || (y - to_y).abs() >= HEIGHT;
            assert!(apart, "{one} lies on {other}: {boxes:?}");
        }
    }
    let goes_right = needed.iter().filter(|(from, to)| boxes[from].0 > boxes[to].0).count();
    let circles = usize::from(needed.contains(&(2, 0)) && needed.contains(&(0, 1)));
    assert_eq!(goes_right, needed.len() - circles, "{boxes:?}");
}

#[test]
fn what_stands_alone_is_named_and_what_others_wrote_is_no_markup() {
    let mut mods = mods(3);
    mods[0].id = FoldedId::from("<script>alert(1)</script>");
    let mut links = vec![needs(1, 0)];
    links[0].to = Some(mods[0].id.clone());
    let drawn = graph(&mods, &links, &BTreeMap::new());
    assert_eq!(drawn.alone, [FoldedId::from("mod-2")]);
    let drawing = drawn.drawing.expect("a drawing");
    assert!(!drawing.contains("<script") && drawing.contains("&lt;script&gt;"), "{drawing}");
    assert!(graph(&mods, &[], &BTreeMap::new()).drawing.is_none());
}
