//! Bytes into `wendax_trials::fuzzing::tables`.
#![cfg_attr(fuzzing, no_main)]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_trials::fuzzing::tables(data));

/// Without the fuzzer it is only compiled.
#[cfg(not(fuzzing))]
fn main() {}
