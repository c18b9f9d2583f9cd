//! What an administrator reads, word for word: the reports of the demo's morning.

use crate::stage::Stage;

#[track_caller]
fn reads(stage: &Stage, words: &[&str], code: i32, expected: &str) {
    let said = stage.kanon(words.iter().copied()).ends_with(code);
    let text: String = said.out.lines().map(|line| line.trim_end().to_owned() + "\n").collect();
    let expected = expected.trim_start_matches('\n');
    assert_eq!(text, expected, "\n{text}");
}

fn morning() -> Stage {
    let stage = Stage::sealed();
    stage.world.spoil().unwrap();
    stage
}

#[test]
fn a_survey() {
    let expected = r"
tove, a client: 9 mods, 3.98 KiB; 9 files read now
Polarspur 1.4.2, Trellis 0.9.1

  mod            version  needed on  file
  aurora-core    1.4.0    both       mods/aurora-core-1.4.0.psm
  compass-hud    1.1.0    client     mods/compass-hud-1.1.0.psm
  drift-radio    1.1.0    both       mods/drift-radio-1.1.0.psm
  halogen-lamps  2.0.4    both       mods/halogen-lamps-2.0.4.psm
  lantern-grid   0.6.3    both       mods/lantern-grid-0.6.3.psm
  old-lantern    0.2      both       mods/old-lantern-0.2.psm  made for Gantry
  sled-dogs      1.0.0    both       mods/sled-dogs-1.0.0.psm
  sled-dogs      1.1.0    both       mods/sled-dogs-1.1.0.psm
  snowtrack      3.2.1    both       mods/snowtrack-3.2.1.psm
";
    reads(&morning(), &["survey", "tove"], 0, expected);
}

#[test]
fn a_survey_with_everything_that_can_be_wrong() {
    let stage = morning();
    stage.write("wren/mods/broken.psm", "no archive");
    stage.write("wren/mods/odd.psm", crate::stage::zip_of(&[("about.json", br#"{"id": "odd", "runs": "moon"}"#)]));
    std::fs::rename(stage.path("wren/mods/snowtrack-3.2.1.psm"), stage.path("wren/snowtrack-3.2.1.psm")).unwrap();
    let said = stage.kanon(["survey", "wren"]).ends_with(1);
    let end = said.out.split_once("snowtrack").map(|(before, _)| before.rsplit_once("\n\n").unwrap().1).unwrap();
    assert!(end.starts_with("Off its shelf, where the game does not look:\n"), "{}", said.out);
    said.says("  mods/broken.psm\n      it is no whole zip archive")
        .says("In doubt:\n  mods/odd.psm\n      says it is needed on `moon`");
}

#[test]
fn a_check() {
    let expected = r"
off: 4 of 5 installs against the canon of Longnight

station (server): off the canon, 2 blocking - 8 mods measured
  lantern-grid
    blocking mod-disabled  mods/lantern-grid-0.6.3.psm.off
      expected 0.6.3; found 0.6.3, switched off
  snowtrack
    blocking version-older  mods/snowtrack-3.1.0.psm
      expected 3.2.1; found 3.1.0
  do, for all of these: kanon align station

mara (client): in line, 1 note - 8 mods measured
  map-sketch
    note mod-extra  mods/map-sketch-0.4.0.psm
      expected not there; found 0.4.0, for the client alone
      do: nothing; the server does not mind it

oskar (client): off the canon, 3 blocking - 6 mods measured
  aurora-core
    blocking version-older  mods/aurora-core-1.3.2.psm
      expected 1.4.0; found 1.3.2
  drift-radio
    blocking mod-missing  mods/drift-radio-1.1.0.psm
      expected 1.1.0; found nothing
  snowtrack
    blocking version-older  mods/snowtrack-3.1.0.psm
      expected 3.2.1; found 3.1.0
  do, for all of these: kanon align oskar

wren (client): off the canon, 1 blocking - 7 mods measured
  halogen-lamps
    blocking content-differs  mods/halogen-lamps-2.0.4.psm
      expected 2.0.4; found 2.0.4 with other bytes
      inside: settings/lamps.json changed
      do: kanon align wren

tove (client): off the canon, 2 blocking - 9 mods measured
  old-lantern
    blocking mod-extra  mods/old-lantern-0.2.psm
      expected not there; found 0.2, made for the loader Gantry
  sled-dogs
    blocking mod-duplicate  mods/sled-dogs-1.1.0.psm
      expected 1.1.0; found also 1.0.0 in mods/sled-dogs-1.0.0.psm
  do, for all of these: kanon align tove
";
    reads(&morning(), &["check"], 1, expected);
}

#[test]
fn a_check_of_installs_that_are_in_line() {
    let expected = r"
in line: 5 installs with the canon of Longnight

station (server): in line - 8 mods measured
mara (client): in line - 7 mods measured
oskar (client): in line - 7 mods measured
wren (client): in line - 7 mods measured
tove (client): in line - 7 mods measured
";
    reads(&Stage::sealed(), &["check"], 0, expected);
}

#[test]
fn a_comparison() {
    let stage = morning();
    let expected = r"
different: 8 mods, compared with canon; 3 the same everywhere

  mod            canon       station      mara         oskar        wren          tove
  aurora-core    1.4.0       1.4.0        1.4.0        1.3.2 older  1.4.0         1.4.0
  drift-radio    1.1.0       1.1.0        1.1.0        missing      1.1.0         1.1.0
  halogen-lamps  2.0.4       2.0.4        2.0.4        2.0.4        2.0.4 edited  2.0.4
  lantern-grid   0.6.3       0.6.3 off    0.6.3        0.6.3        0.6.3         0.6.3
  map-sketch     -           -            0.4.0 extra  -            -             -
  old-lantern    -           -            -            -            -             0.2 foreign
  sled-dogs      1.1.0       1.1.0        1.1.0        1.1.0        1.1.0         1.0.0, 1.1.0 twice
  snowtrack      3.2.1       3.1.0 older  3.2.1        3.1.0 older  3.2.1         3.2.1
";
    reads(&stage, &["compare", "canon", "station", "mara", "oskar", "wren", "tove"], 1, expected);
    let same = "\nthe same: 9 mods in all of station, station\n";
    stage.kanon(["align", "station", "--yes"]).ends_with(0);
    reads(&stage, &["compare", "station", "station"], 0, &same.replace("9 mods", "8 mods"));
}

#[test]
fn a_diagnosis() {
    let stage = morning();
    let log = "08:00:01 gate: open on port 4100\n08:00:02 gate: mara is at the door\n\
        08:00:02 gate: mara has snowtrack 3.2.1, this station has 3.1.0\n08:00:02 gate: turned mara away\n";
    stage.write("console.log", log);
    let expected = r"
2 verdicts, most likely first
looked at: the server station, the client mara, the server's log console.log, the canon

1. version-older snowtrack - mend the server
   97 % sure, by survey and server-log
   survey: snowtrack: an older release than the canon's; the canon has 3.2.1, station has 3.1.0
     (mods/snowtrack-3.1.0.psm)
   server-log line 3: 08:00:02 gate: mara has snowtrack 3.2.1, this station has 3.1.0
   do: kanon align station  (administrator)

2. mod-disabled lantern-grid - mend the server
   88 % sure, by survey
   survey: lantern-grid: a mod of the canon is there but switched off; the canon has 0.6.3,
     station has 0.6.3, switched off (mods/lantern-grid-0.6.3.psm.off)
   do: kanon align station  (administrator)
";
    reads(&stage, &["diagnose", "--client", "mara", "--server-log", "console.log"], 1, expected);
}

#[test]
fn an_alignment_its_history_and_its_undo() {
    let stage = morning();
    let expected = r"
wren: 1 step, 570 B to write

   1. replace  mods/halogen-lamps-2.0.4.psm  570 B
      halogen-lamps 2.0.4 has other bytes here

done: alignment 1 of wren; copies of what was there are in .kanon/backups/1
take it back with: kanon undo wren
measured again: wren is in line with the canon
";
    reads(&stage, &["align", "wren", "--yes"], 0, expected);
    reads(&stage, &["undo", "wren"], 0, "taken back: alignment 1 of wren - 1 file put back, 0 files taken off again\n");
    reads(
        &stage,
        &["align", "mara", "--yes"],
        0,
        "in place: nothing to do for mara\nmeasured again: mara is in line with the canon\n",
    );
    stage
        .kanon(["history"])
        .ends_with(0)
        .says("1 alignment, newest first")
        .says("wren              1 step     taken back");
}

#[test]
fn a_seal_and_what_it_changes() {
    let stage = morning();
    let sealed = "sealed: Longnight, 9 mods (4.16 KiB), Polarspur 1.4.2, loader 0.9.1; nothing changed\n";
    std::fs::remove_dir_all(stage.path("station/mods")).unwrap();
    std::fs::create_dir(stage.path("station/mods")).unwrap();
    reads(&stage, &["seal"], 0, sealed);
    let wishes = stage
        .read("kanon.toml")
        .replace("id = \"logbook\"\nversion = \"2.0.0\"\nfrom = \"station\"", "id = \"map-sketch\"");
    stage.write("kanon.toml", wishes);
    let expected = r"
sealed: Longnight, 9 mods (4.17 KiB), Polarspur 1.4.2, loader 0.9.1
  gone    logbook 2.0.0
  new     map-sketch 0.4.0
to get: each client 1 mod (395 B)
";
    reads(&stage, &["seal"], 0, expected);
}
