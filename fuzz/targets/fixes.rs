//! Bytes into `wendax_project::fuzzing::fixes`.
#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| wendax_project::fuzzing::fixes(data));
