//! Bytes into `wendax_project::fuzzing::edits`.
#![cfg_attr(fuzzing, no_main)]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_project::fuzzing::edits(data));

/// Without the fuzzer it is only compiled.
#[cfg(not(fuzzing))]
fn main() {}
