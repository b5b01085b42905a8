//! Writes the tables of `docs/instruction-set.md` and `docs/instruction-set-rv32.md` anew from the code.
#![expect(clippy::disallowed_methods, reason = "an example, not the core: it writes a file")]

fn write(name: &str, manual: impl Fn(&str) -> String) -> std::io::Result<()> {
    let path = format!("{}/../../docs/{name}", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(&path)?;
    std::fs::write(path, manual(&text))
}

fn main() -> std::io::Result<()> {
    write("instruction-set.md", wendax_isa::w16::manual)?;
    write("instruction-set-rv32.md", wendax_isa::rv32::manual)
}
