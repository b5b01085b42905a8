//! Writes `docs/problems.md` and `docs/cautions.md` anew from the tables of kinds of problems and cautions.
#![expect(clippy::disallowed_methods, reason = "an example, not the core: it writes files")]

fn main() -> std::io::Result<()> {
    let docs = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs");
    std::fs::write(format!("{docs}/problems.md"), wendax_language::problems_document())?;
    std::fs::write(format!("{docs}/cautions.md"), wendax_language::cautions_document())
}
