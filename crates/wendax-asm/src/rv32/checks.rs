//! What looks wrong in sources for RV32 that build.

use crate::codes;
use crate::emit::Emitted;
use crate::link::Program;
use crate::problems::diagnostic;
use crate::unit::{SectionKind, Unit};
use wendax_source::{FileId, Span};

/// Tells the program of it.
pub(crate) fn check(program: &mut Program<'_>, _emitted: &Emitted) {
    let code = |unit: &&Unit| unit.sections.iter().any(|s| s.kind == SectionKind::Code && !s.statements.is_empty());
    let mut found = Vec::new();
    if !program.units.is_empty() && !program.units.iter().any(code) {
        let file = program.units.first().map_or(FileId(0), |unit| unit.file);
        let none = diagnostic(codes::NO_CODE, Span::new(file, 0, 0), "there is no instruction to run yet");
        found.push((0, none.with_expected("_start:  li a0, 0, then sys exit")));
    }
    for index in 0..program.units.len() {
        found.extend(program.units[index].remarks.iter().map(|remark| (index, remark.clone())));
    }
    for (unit, diagnostic) in found {
        program.report(unit, diagnostic);
    }
}
