//! Bytes into `wendax_session::fuzzing::exercises`.
#![cfg_attr(fuzzing, no_main)]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_session::fuzzing::exercises(data));

/// Without the fuzzer it is only compiled.
#[cfg(not(fuzzing))]
fn main() {}
