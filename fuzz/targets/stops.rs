//! Bytes into `wendax_session::fuzzing::stops`.
#![cfg_attr(fuzzing, no_main)]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_session::fuzzing::stops(data));

/// Without the fuzzer it is only compiled.
#[cfg(not(fuzzing))]
fn main() {}
