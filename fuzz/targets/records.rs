//! Bytes into `wendax_board::fuzzing::records`.
#![cfg_attr(fuzzing, no_main)]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_board::fuzzing::records(data));

/// Without the fuzzer it is only compiled.
#[cfg(not(fuzzing))]
fn main() {}
