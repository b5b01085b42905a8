//! Bytes into `wendax_trials::fuzzing::tables`, with its program.
#![cfg_attr(fuzzing, no_main)]
use wendax_trials::{Subject, fuzzing};

fn program() -> Subject {
    let (sources, file) = wendax_source::Sources::single("main.asm", fuzzing::PROGRAM);
    let assembly = wendax_asm::assemble(&sources, file);
    Subject::new(assembly.image, assembly.sources)
}

libfuzzer_sys::fuzz_target!(|data: &[u8]| fuzzing::tables(data, &program()));

/// Without the fuzzer it is only compiled.
#[cfg(not(fuzzing))]
fn main() {}
