//! Writes `docs/keys.md` anew from the table of bindings.

fn main() -> std::io::Result<()> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/keys.md");
    std::fs::write(path, wendax_tui::keys_document())
}
