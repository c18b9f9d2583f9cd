#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| kanon_fuzz::command_line(text, "hall.args"));
