//! Bytes into `wendax_project::fuzzing::renames`.
#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_project::fuzzing::renames(data));
