//! Bytes into `wendax_session::fuzzing::tallies`.
#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_session::fuzzing::tallies(data));
