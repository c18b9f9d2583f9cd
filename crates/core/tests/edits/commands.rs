//! Command lines: scripts that a real shell runs before and after, and files whose every part but one is known.

use std::path::PathBuf;
use std::process::Command;

use crate::case::{Case, Job};
use crate::dice::Dice;

const IDS: [&str; 9] =
    ["reed-lamps", "tideclock", "kelp_nets", "fogbell", "silt.engine", "mere", "oldpier", "2077", "eel+2"];

fn ids(dice: &mut Dice) -> (Vec<&'static str>, Vec<String>) {
    let mut pool = IDS.to_vec();
    dice.shuffle(&mut pool);
    let there = 1 + dice.below(4);
    let mut wanted: Vec<String> = Vec::new();
    for (at, id) in pool.iter().take(there + 2).enumerate() {
        if at < there && !dice.once_in(3) || at >= there && dice.once_in(2) {
            wanted.push((*id).to_owned());
        }
    }
    if wanted.is_empty() {
        wanted.push(pool[0].to_owned());
    }
    if dice.once_in(3) {
        dice.shuffle(&mut wanted);
    }
    (pool[..there].to_vec(), wanted)
}

/// What a script starts, by a shell that is real: each command that it runs, with its words.
fn started(script: &str) -> Result<Vec<Vec<String>>, String> {
    let folder = tempfile::tempdir().map_err(|error| error.to_string())?;
    let out = folder.path().join("out");
    let tools = folder.path().join("tools");
    std::fs::create_dir(&tools).map_err(|error| error.to_string())?;
    let stub = format!(
        "#!/bin/bash\nprintf '%s' \"${{0##*/}}\" >> '{0}'\nfor word in \"$@\"; do printf '\\x1f%s' \"$word\" >> '{0}'; done\nprintf '\\x1e' >> '{0}'\n",
        out.display()
    );
    // Those that run what they are given go on to run it.
    let runs =
        "while [ $# -gt 0 ]; do case $1 in -*|hall1) shift;; *) break;; esac; done\n[ $# -gt 0 ] && exec \"$@\"\n";
    let place = |name: &str, text: &str, at: &PathBuf| -> std::io::Result<()> {
        use std::os::unix::fs::PermissionsExt;
        let path = at.join(name);
        std::fs::write(&path, text)?;
        std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o755))
    };
    let root = folder.path().to_path_buf();
    let made = place("hall", &stub, &root)
        .and_then(|()| place("sleep", &stub, &tools))
        .and_then(|()| place("nohup", &format!("{stub}{runs}"), &tools))
        .and_then(|()| {
            place(
                "screen",
                &format!("{stub}while [ $# -gt 0 ]; do case $1 in sh|bash) break;; esac; shift; done\nexec \"$@\"\n"),
                &tools,
            )
        })
        .and_then(|()| place("start.sh", script, &root));
    made.map_err(|error| error.to_string())?;
    let syntax =
        Command::new("bash").arg("-n").arg("start.sh").current_dir(&root).output().map_err(|e| e.to_string())?;
    if !syntax.status.success() {
        return Err(format!("bash -n: {}", String::from_utf8_lossy(&syntax.stderr)));
    }
    let path = format!("{}:/usr/bin:/bin", tools.display());
    let ran = Command::new("timeout")
        .args(["5", "bash", "start.sh"])
        .env("PATH", path)
        .current_dir(&root)
        .output()
        .map_err(|error| error.to_string())?;
    let said = std::fs::read_to_string(&out).unwrap_or_default();
    let mut found: Vec<Vec<String>> = said
        .split('\u{1e}')
        .filter(|one| !one.is_empty())
        .map(|one| one.split('\u{1f}').map(str::to_owned).collect())
        .collect();
    // What runs side by side comes in any order.
    found.sort();
    found.push(vec![
        String::from_utf8_lossy(&ran.stdout).into_owned(),
        String::from_utf8_lossy(&ran.stderr).into_owned(),
    ]);
    Ok(found)
}

/// Scripts in which `@` is what the option is given.
const SCRIPTS: [&str; 22] = [
    "#!/bin/sh\n./hall -port=1 -loads=@ -quiet\n",
    "#!/bin/bash\nARGS=\"-port=1 -loads=@\"\n./hall $ARGS\n",
    "#!/bin/sh\nfor i in 1 2; do ./hall -loads=@; sleep 5; done\n",
    "#!/bin/sh\nsh -c './hall -loads=@; sleep 1' &\nwait\n",
    "#!/bin/sh\nscreen -dmS hall sh -c \"./hall -loads=@ -x\"\n",
    "#!/bin/sh\n./hall -port=1 \\\n  -loads=@ \\\n  -quiet\n",
    "#!/bin/sh\n(./hall -loads=@)\n",
    "#!/bin/sh\n./hall -loads=@>log.txt 2>&1\n",
    "#!/bin/sh\n./hall -loads=@ | cat\n",
    "#!/bin/sh\n./hall \"-loads=@\" -x # -loads=old,not this\n",
    "#!/bin/sh\n./hall '-loads=@' -x\n",
    "#!/bin/sh\nLOADS=@\n./hall -loads=$LOADS -x\n",
    "#!/bin/sh\nLOADS='@'\nPORT=1\n./hall -loads=\"$LOADS\" -port=\"$PORT\"\n",
    "#!/bin/sh\nexport LOADS=\"@\"; ./hall -loads=${LOADS}\n",
    "#!/bin/sh\ncat <<END\nhall -loads=old,not this\nEND\n./hall -loads=@\n",
    "#!/bin/sh\necho \"starting with -loads=old\"\n./hall -loads=@ && echo up\n",
    "#!/bin/sh\nif [ -n \"$1\" ]; then\n  ./hall -loads=@ -port=\"$1\"\nelse\n  ./hall -loads=@ -port=1\nfi\n",
    "#!/bin/sh\nstart() {\n  nohup ./hall -loads=@ -x &\n  wait\n}\nstart\n",
    "#!/bin/bash\nX=$(./hall -loads=@)\necho \"got $X\"\n",
    "#!/bin/bash\n./hall -loads=$'@' -name='don'\"'\"'t'\n",
    "#!/bin/sh\n# hall -loads=old\n: 'a -loads=quoted thing'\n./hall -loads=\"@\" -motd=\"say \\\"hi\\\" to \\$all; now\"\n",
    "#!/bin/sh\ncase \"x\" in\n  x) ./hall -loads=@ ;;\n  *) exit 1 ;;\nesac\n",
];

/// A start script, judged by a shell.
pub fn shell(dice: &mut Dice) -> Case {
    let (there, wanted) = ids(dice);
    let script = *dice.pick(&SCRIPTS);
    let text = script.replace('@', &there.join(","));
    let should = script.replace('@', &wanted.join(","));
    let judged = move |after: &str| {
        let (meant, found) = (started(&should)?, started(after)?);
        if meant == found { Ok(()) } else { Err(format!("it would start {found:?}\nin place of {meant:?}")) }
    };
    let keys = "file = \"start.sh\"\noption = \"-loads=\"\nbetween = \",\"\nordered = true".to_owned();
    Case { kind: "shell", text, job: Job::List { keys, wanted }, judge: Box::new(judged), any_ends: false }
}

/// Scripts in which the option is given once for each mod: `@` is all of them.
const EACH: [&str; 5] = [
    "#!/bin/sh\n./hall -port=1 @ -quiet\n",
    "#!/bin/sh\nif [ -n \"$1\" ]; then ./hall @ -a; else ./hall -b @; fi\n",
    "#!/bin/sh\n./hall \\\n  -port=1 \\\n  @ \\\n  -quiet\n",
    "#!/bin/bash\nARGS=\"-port=1 @\"\n./hall $ARGS\n",
    "#!/bin/sh\nsh -c './hall @; sleep 1'\n./hall @ >log.txt\n",
];

pub fn each(dice: &mut Dice) -> Case {
    let (there, wanted) = ids(dice);
    let script = *dice.pick(&EACH);
    let (option, glue) = *dice.pick(&[("--load", " "), ("-load=", "")]);
    let gap = if script.contains("\\\n  @") { " \\\n  " } else { " " };
    let all = |ids: &[String]| ids.iter().map(|id| format!("{option}{glue}{id}")).collect::<Vec<_>>().join(gap);
    let there: Vec<String> = there.into_iter().map(str::to_owned).collect();
    let text = script.replace('@', &all(&there));
    let should = script.replace('@', &all(&wanted));
    let judged = move |after: &str| {
        let (meant, found) = (started(&should)?, started(after)?);
        if meant == found { Ok(()) } else { Err(format!("it would start {found:?}\nin place of {meant:?}")) }
    };
    let keys = format!("file = \"start.sh\"\noption = \"{option}\"\nordered = true");
    Case { kind: "shell", text, job: Job::List { keys, wanted }, judge: Box::new(judged), any_ends: false }
}

const ODD: [&str; 8] = ["Anna's boat", "tide clock", "reed", "50% off", "a;b", "Möwe", "back`tick", "x$y"];

/// Scripts in which there is room for quotes.
const ROOMY: [&str; 8] = [
    "#!/bin/sh\n./hall -port=1 -loads=reed -quiet\n",
    "#!/bin/sh\n./hall -loads=\"reed\" -quiet; sleep 1\n",
    "#!/bin/sh\n./hall '-loads=reed' -quiet\n",
    "#!/bin/sh\n./hall \"-loads=reed\" >log.txt 2>&1\n",
    "#!/bin/bash\n./hall -loads=$'reed' &\nwait\n",
    "#!/bin/sh\nsh -c './hall -loads=reed -x; sleep 1'\n",
    "#!/bin/sh\nsh -c \"./hall -loads=reed -x\"\n",
    "#!/bin/sh\nLOADS='reed'\n./hall -loads=\"$LOADS\"\n",
];

/// Names with blanks and signs that mean something to a shell.
pub fn odd(dice: &mut Dice) -> Case {
    let mut pool = ODD.to_vec();
    dice.shuffle(&mut pool);
    let script = *dice.pick(&ROOMY);
    let is_fit = |id: &&&str| !script.contains("sh -c") || !id.contains(['\'', '`', '$']);
    let count = 1 + dice.below(3);
    let wanted: Vec<String> = pool.iter().filter(is_fit).take(count).map(|id| (*id).to_owned()).collect();
    let (before, value) = (script.to_owned(), wanted.join("|"));
    let text = script.to_owned();
    let shown = text.clone();
    let judged = move |after: &str| {
        let halls = |script: &str| -> Result<Vec<Vec<String>>, String> {
            Ok(started(script)?.into_iter().filter(|words| words[0] == "hall").collect())
        };
        let mut meant = halls(&shown)?;
        for word in meant.iter_mut().flatten() {
            if *word == "-loads=reed" {
                *word = format!("-loads={value}");
            }
        }
        let found = halls(after)?;
        if meant == found { Ok(()) } else { Err(format!("it would start {found:?}\nin place of {meant:?}\n{before}")) }
    };
    let keys = "file = \"start.sh\"\noption = \"-loads=\"\nbetween = \"|\"\nordered = true".to_owned();
    Case { kind: "shell", text, job: Job::List { keys, wanted }, judge: Box::new(judged), any_ends: false }
}

/// Blanks between entries.
pub fn spread(dice: &mut Dice) -> Case {
    let (there, wanted) = ids(dice);
    let script = *dice.pick(&[
        "#!/bin/sh\n./hall --loads @ --port 1\n",
        "#!/bin/sh\n./hall --port 1 --loads @; sleep 1\n",
        "#!/bin/sh\n./hall --loads @ \\\n  --port 1 >log.txt 2>&1\n",
        "#!/bin/bash\nA=\"--loads @ --port 1\"\n./hall $A\n",
    ]);
    let text = script.replace('@', &there.join(" "));
    let should = script.replace('@', &wanted.join(" "));
    let judged = move |after: &str| {
        let (meant, found) = (started(&should)?, started(after)?);
        if meant == found { Ok(()) } else { Err(format!("it would start {found:?}\nin place of {meant:?}")) }
    };
    let keys = "file = \"start.sh\"\noption = \"--loads\"\nbetween = \" \"\nordered = true".to_owned();
    Case { kind: "shell", text, job: Job::List { keys, wanted }, judge: Box::new(judged), any_ends: false }
}

/// Whether a service file is one to the program that starts services; nothing where that is not installed.
fn is_unit(text: &str) -> Option<bool> {
    let folder = tempfile::tempdir().ok()?;
    let file = folder.path().join("hall.service");
    std::fs::write(&file, text.replace("/opt/hall", "/bin/true")).ok()?;
    let verified = Command::new("systemd-analyze").arg("verify").arg(file).output().ok()?;
    Some(verified.status.success())
}

/// Files in which all is known but what the option is given; `¤` is that. Other quotes around it are as good.
pub fn other(dice: &mut Dice) -> Case {
    let files: &[(&'static str, &str, &str, &[&str])] = &[
        (
            "batch",
            "start.bat",
            ";",
            &[
                "@echo off\nrem hall -holds=#old\n:: -holds=#old\nstart \"\" hall.exe -port=1 \"-holds=¤\" -quiet\n",
                "@echo off\nset \"ARGS=-port=1 -holds=¤\"\nhall.exe %ARGS%\n",
                "@echo off\nset ARGS=-port=1 -holds=¤&set PORT=1\nhall.exe %ARGS% -p=%PORT%\n",
                "@echo off\nset HOLDS=¤\nhall.exe -holds=%HOLDS%\n",
                "@echo off\n:again\nhall.exe -port=1 ^\n  -holds=¤ ^\n  -quiet\ngoto again\n",
                "if exist x (\n  hall.exe \"-holds=¤\" & rem -holds=#old\n) else (\n  hall.exe -b \"-holds=¤\"\n)\n",
                "cmd /c \"hall.exe -holds=¤ -x\"\n",
                "@echo starting -holds=#none\nhall.exe -holds=¤>log.txt\n",
            ],
        ),
        (
            "service file",
            "hall.service",
            ",",
            &[
                "[Unit]\nDescription=Hall -holds=old\n[Service]\nExecStart=/opt/hall -port=1 -holds=¤ -quiet\nRestart=always\n",
                "[Service]\nEnvironment=\"ARGS=-port=1 -holds=¤\" X=1\nExecStart=/opt/hall $ARGS\n",
                "[Service]\nEnvironment=HOLDS=¤\nExecStart=/opt/hall -holds=${HOLDS}\n",
                "[Service]\n# -holds=old\nExecStart=/opt/hall \\\n  -holds=¤ \\\n  -port=1\n",
                "[Service]\nExecStart=/bin/sh -c '/opt/hall -holds=¤; sleep 1'\nUser=x\n",
                "[Service]\nExecStart=-/opt/hall \"-holds=¤\"\n",
            ],
        ),
        (
            "arguments",
            "hall.args",
            ",",
            &[
                "-port=1\n-holds=¤\n-quiet\n",
                "# -holds=old\n-holds=¤\n",
                "-port=1 -holds=¤ -quiet\n",
                "-holds=\"¤\"\n// -holds=old\n-x\n",
                "ARGS=\"-port=1 -holds=¤\"\nOTHER=1\n",
                "args = -port=1 -holds=¤;\nother = 1;\n",
                "{\n  \"args\": \"-port=1 -holds=¤ -x\",\n  \"other\": 1\n}\n",
                "command: [\"./hall\", \"-holds=¤\"] # -holds=old\n",
            ],
        ),
    ];
    let (kind, file, between, texts) = *dice.pick(files);
    let template = *dice.pick(texts);
    let (there, wanted) = ids(dice);
    let sign = if kind == "batch" { "#" } else { "" };
    let all = |ids: Vec<String>| ids.iter().map(|id| format!("{sign}{id}")).collect::<Vec<_>>().join(between);
    let text = template.replace('¤', &all(there.into_iter().map(str::to_owned).collect()));
    let value = all(wanted.clone());
    let before = text.clone();
    let judged = move |after: &str| {
        // Quotes around the value, or around option and value, are the same to the program that is started.
        let bare = |text: &str| {
            text.replace(&format!("\"-holds={value}\""), &format!("-holds={value}"))
                .replace(&format!("\"{value}\""), &value)
        };
        let lines_of = |text: &str| text.lines().map(str::to_owned).collect::<Vec<String>>();
        let (old, new) = (lines_of(&before), lines_of(&bare(after)));
        if old.len() != new.len() {
            return Err(format!("{} lines in place of {}", new.len(), old.len()));
        }
        let (mut changed, mut at_line) = (0, 0);
        for (was, is) in old.iter().zip(&new) {
            at_line += 1;
            let is_value = is.contains(&value);
            if was == is && !is_value {
                continue;
            }
            if !is_value {
                return Err(format!("line {at_line} is changed: {was:?} {is:?}"));
            }
            changed += 1;
            let (head, tail) = is.split_once(value.as_str()).unwrap_or((is, ""));
            let was = was.replace("\"-holds=", "-holds=").replace("-holds=\"", "-holds=");
            let tail_bare = tail.strip_prefix('"').unwrap_or(tail);
            let head_fits = was.starts_with(head) || was.replace('"', "").starts_with(&head.replace('"', ""));
            if !head_fits || !was.ends_with(tail_bare) {
                return Err(format!("around the value, line {at_line} is changed: {was:?} {is:?}"));
            }
        }
        if kind == "service file" && is_unit(&before) == Some(true) && is_unit(after) == Some(false) {
            return Err("the service would not start any more".to_owned());
        }
        let quotes = |text: &str| text.matches('"').count() % 2;
        if quotes(after) != 0 {
            return Err("a quote is left open".to_owned());
        }
        if changed == 0 { Err("nothing names what is wanted".to_owned()) } else { Ok(()) }
    };
    let entry = if kind == "batch" { "\nentry = \"#{id}\"" } else { "" };
    let keys = format!("file = \"{file}\"\noption = \"-holds=\"\nbetween = \"{between}\"\nordered = true{entry}");
    Case { kind, text, job: Job::List { keys, wanted }, judge: Box::new(judged), any_ends: kind == "batch" }
}

/// Scripts in which `@` is an amount of memory: low, or enough.
const ROOMS: [&str; 9] = [
    "#!/bin/sh\n./hall -room=@ -x\n",
    "#!/bin/sh\nif [ -n \"$1\" ]; then ./hall -room=@; else ./hall -b -room=@; fi\n",
    "#!/bin/sh\nARGS=\"-port=1 -room=@\"\n./hall $ARGS\n",
    "#!/bin/sh\nROOM=@\n./hall -room=$ROOM -x # -room=1M\n",
    "#!/bin/sh\nsh -c './hall -room=@; sleep 1'\n",
    "#!/bin/sh\n./hall -room=@>log.txt 2>&1\n",
    "#!/bin/sh\n./hall \"-room=@\" -broom=1M\n",
    "#!/bin/sh\necho \"with -room=1M\"\n./hall \\\n  -room=@ \\\n  -x\n",
    "#!/bin/bash\nX=$(./hall -room=@ | cat)\n",
];

pub fn memory(dice: &mut Dice) -> Case {
    let script = *dice.pick(&ROOMS);
    let (amount, enough) = *dice.pick(&[
        ("512M", "3072M"),
        ("1G", "3G"),
        ("1.5G", "3G"),
        ("4G", "4G"),
        ("3072m", "3072m"),
        ("900", "3072"),
        ("2GiB", "3GiB"),
        ("0.5g", "3g"),
    ]);
    let (text, should) = (script.replace('@', amount), script.replace('@', enough));
    let judged = move |after: &str| {
        let (meant, found) = (started(&should)?, started(after)?);
        if meant == found { Ok(()) } else { Err(format!("it would start {found:?}\nin place of {meant:?}")) }
    };
    let job = Job::Memory { file: "start.sh".to_owned(), option: "-room=".to_owned(), floor: 3072 };
    Case { kind: "memory", text, job, judge: Box::new(judged), any_ends: false }
}
