#![no_main]

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| plain_byte_fuzz::chips::run(bytes));
