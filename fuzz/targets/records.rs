//! Bytes into `wendax_board::fuzzing::records`.
#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_board::fuzzing::records(data));
