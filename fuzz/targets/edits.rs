//! Bytes into `wendax_project::fuzzing::edits`.
#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_project::fuzzing::edits(data));
