#![no_main]

use kanon_core::text::Notation;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| kanon_fuzz::only_read(text, Notation::Headers));
