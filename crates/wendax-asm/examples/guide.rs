//! Writes `docs/guide.md` and `docs/guide-rv32.md` anew from the tables.
#![expect(clippy::disallowed_methods, reason = "an example, not the core: it writes files")]

use wendax_isa::{rv32, w16};

fn main() -> std::io::Result<()> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs");
    std::fs::write(format!("{folder}/guide.md"), wendax_language::guide_document(&w16::TARGET))?;
    std::fs::write(format!("{folder}/guide-rv32.md"), wendax_language::guide_document(&rv32::TARGET))
}
