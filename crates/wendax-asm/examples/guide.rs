//! Writes `docs/guide.md` anew from the tables.
#![expect(clippy::disallowed_methods, reason = "an example, not the core: it writes a file")]

fn main() -> std::io::Result<()> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/guide.md");
    std::fs::write(path, wendax_asm::guide_document())
}
