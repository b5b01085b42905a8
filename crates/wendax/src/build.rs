//! `wendax build`.

use crate::cli::{Build, Format};
use crate::{Failure, files, program};
use std::io::Write;
use std::path::{Path, PathBuf};
use wendax_asm::assemble;
use wendax_source::{Sources, apply_edits};

pub(crate) fn build(options: &Build) -> Result<u8, Failure> {
    if options.fix {
        fix(&options.file)?;
    }
    let program = program::load(&options.file, None)?;
    let Some(source) = &program.source else {
        return Err(Failure::usage(format!("{}: build takes a source; this is an image", options.file.display())));
    };
    // Nobody is left to tell when standard error is gone.
    let _ = write!(std::io::stderr(), "{}", program.remarks);
    let extension = if options.format == Format::Bin { "bin" } else { "hex" };
    let output = options.output.clone().unwrap_or_else(|| options.file.with_extension(extension));
    if same_file(&output, &options.file) {
        return Err(Failure::usage(format!(
            "{}: this would overwrite the source; name another with -o",
            output.display()
        )));
    }
    let bytes = match options.format {
        Format::Bin => raw(&program.image),
        Format::Hex => wendax_asm::to_hex(&program.image).into_bytes(),
    };
    if let Some(listing) = &options.listing {
        files::write_to(listing, wendax_asm::listing(source, &program.image).as_bytes())?;
    }
    files::write_to(&output, &bytes)?;
    Ok(0)
}

/// Writes a source anew with all known fixes applied, as often as that brings up others that can be.
fn fix(path: &Path) -> Result<(), Failure> {
    const ROUNDS: usize = 8;
    let bytes = files::read(path)?;
    if program::kind_of(path, &bytes) != program::Kind::Source {
        // That an image cannot be built is told by who tries to.
        return Ok(());
    }
    let before = files::text_of(path, bytes)?;
    let mut text = before.clone();
    for _ in 0..ROUNDS {
        let (sources, file) = Sources::single(path.display().to_string(), text.clone());
        let problems = assemble(&sources, file).diagnostics;
        let fixes: Vec<_> = problems
            .iter()
            .filter_map(|problem| Some((sources.place(problem.primary.span), problem.fix.as_ref()?)))
            .collect();
        let edits: Vec<_> = fixes.iter().flat_map(|(_, fix)| fix.edits.clone()).collect();
        let mended = apply_edits(&text, &edits);
        if mended == text {
            break;
        }
        for (place, fix) in fixes {
            let _ =
                writeln!(std::io::stderr(), "{}:{}:{}  done: {}", path.display(), place.line, place.column, fix.title);
        }
        text = mended;
    }
    if text != before {
        files::write_to(path, text.as_bytes())?;
    }
    Ok(())
}

fn same_file(one: &PathBuf, other: &PathBuf) -> bool {
    match (std::fs::canonicalize(one), std::fs::canonicalize(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => one == other,
    }
}

/// Raw bytes say nothing of where they lie, so that is told where it is not the usual.
fn raw(image: &wendax_asm::Image) -> Vec<u8> {
    let (start, bytes) = wendax_asm::to_raw(image);
    let mut notes = Vec::new();
    if start != 0x0200 {
        notes.push(format!("this image lies at 0x{start:04X}: run it with --at 0x{start:04X}"));
    }
    if image.entry != start {
        notes.push(format!("its entry is 0x{:04X}, which raw bytes cannot say; --format hex can", image.entry));
    }
    for note in notes {
        let _ = writeln!(std::io::stderr(), "note: {note}");
    }
    bytes
}
