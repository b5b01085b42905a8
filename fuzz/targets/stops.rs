//! Bytes into `wendax_session::fuzzing::stops`.
#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_session::fuzzing::stops(data));
