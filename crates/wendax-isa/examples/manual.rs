//! Writes the tables of `docs/instruction-set.md` anew from the code.
#![expect(clippy::disallowed_methods, reason = "an example, not the core: it writes a file")]

fn main() -> std::io::Result<()> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/instruction-set.md");
    let text = std::fs::read_to_string(path)?;
    std::fs::write(path, wendax_isa::w16::manual(&text))
}
