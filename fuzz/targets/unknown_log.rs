#![no_main]

use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| kanon_fuzz::reading::unknown_log(text));
