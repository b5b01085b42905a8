//! Writes `docs/problems.md` anew from the table of kinds of problems.
#![expect(clippy::disallowed_methods, reason = "an example, not the core: it writes a file")]

fn main() -> std::io::Result<()> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/problems.md");
    std::fs::write(path, wendax_language::problems_document())
}
