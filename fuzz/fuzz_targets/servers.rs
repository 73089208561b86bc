#![no_main]

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| plainbyte_command::hostile(bytes));
