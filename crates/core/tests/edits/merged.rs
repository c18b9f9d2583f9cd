//! Entries merged into a data file.

use crate::case::{Case, Job};
use crate::dice::Dice;

/// Some entries of mods there, some that come, some that go.
pub fn merged(dice: &mut Dice) -> Case {
    const GOODS: [&str; 5] = [
        "<good name=\"bell\"><w>4</w></good>",
        "<good name=\"net\"/>",
        "<good name=\"lamp\">\n  <text>\n    first line\n      second line\n  </text>\n</good>",
        "<good name=\"map\"><![CDATA[ <raw> ]]></good>",
        "<good name=\"oar\"><!-- ~own~ --><w>1</w></good>",
    ];
    let name = |good: &str| good.split('"').nth(1).unwrap_or_default().to_owned();
    let arounds = [
        "<?xml version=\"1.0\"?>\n<!-- ~a~ </goods> -->\n<goods>\n\t<good name='rope'><w>2</w></good> <!-- ~b~ -->\n@\t<!-- ~c~ -->\n</goods>\n<!-- </goods> ~d~ -->\n",
        "<all>\n  <other><good name='net'/></other>\n  <goods v='1'>\n@  </goods>\n</all>\n",
        "<goods><good name='rope'/>@</goods>\n",
    ];
    let around = *dice.pick(&arounds);
    let mut goods: Vec<&str> = GOODS.to_vec();
    dice.shuffle(&mut goods);
    let there = dice.below(4);
    let lined = around.contains("@\t") || around.contains("@  ");
    let inside: Vec<String> = goods[..there]
        .iter()
        .map(|good| {
            let behind = if dice.once_in(3) { " <!-- ~kept~ -->" } else { "" };
            if lined { format!("    {good}{behind}\n") } else { format!("{good}{behind}") }
        })
        .collect();
    let text = around.replace('@', &inside.concat());
    let mut gone = Vec::new();
    let mut wanted = Vec::new();
    for (at, good) in goods.iter().enumerate() {
        let key = format!("good {}", name(good));
        if at < there && dice.once_in(3) {
            gone.push(key);
        } else if at < there || dice.once_in(2) {
            wanted.push((key, (*good).to_owned(), false));
        }
    }
    let before = text.clone();
    let (names, lost): (Vec<String>, Vec<String>) = (
        wanted.iter().map(|(key, ..)| key[5..].to_owned()).collect(),
        gone.iter().map(|key| key[5..].to_owned()).collect(),
    );
    let judged = move |after: &str| {
        let document = roxmltree::Document::parse(after).map_err(|error| error.to_string())?;
        let goods = document.descendants().find(|node| node.has_tag_name("goods")).ok_or("no goods")?;
        let count = |name: &str| {
            goods.children().filter(|child| child.has_tag_name("good") && child.attribute("name") == Some(name)).count()
        };
        for name in &names {
            if count(name) != 1 {
                return Err(format!("{name} is there {} times", count(name)));
            }
        }
        if let Some(name) = lost.iter().find(|name| count(name) != 0) {
            return Err(format!("{name} is still there"));
        }
        let others = |text: &str| -> Result<usize, String> {
            let document = roxmltree::Document::parse(text).map_err(|error| error.to_string())?;
            let found = document
                .descendants()
                .filter(|node| node.has_tag_name("good") && node.attribute("name") == Some("rope"))
                .count();
            Ok(found + document.descendants().filter(|node| node.has_tag_name("other")).count())
        };
        if others(&before)? != others(after)? {
            return Err("the game's own are changed".to_owned());
        }
        for mark in ["~a~", "~b~", "~c~", "~d~", "~kept~"] {
            if before.matches(mark).count() != after.matches(mark).count() {
                return Err(format!("{mark} is lost"));
            }
        }
        let text_of = |text: &str| {
            let document = roxmltree::Document::parse(text).ok()?;
            let lamp = document.descendants().find(|node| node.attribute("name") == Some("lamp"))?;
            Some(
                lamp.descendants()
                    .filter_map(|node| node.text().filter(|_| node.is_text()))
                    .collect::<String>()
                    .trim()
                    .to_owned(),
            )
        };
        match text_of(after) {
            Some(text) if text != "first line\n      second line" => {
                Err(format!("the text of an entry is changed: {text:?}"))
            }
            _ => Ok(()),
        }
    };
    let job = Job::Merge { before: "</goods>".to_owned(), identity: "name".to_owned(), wanted, gone };
    Case { kind: "xml entries", text, job, judge: Box::new(judged), any_ends: true }
}
