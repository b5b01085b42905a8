//! The tables of the manual, as Markdown, from the tables of the code.

use super::{CALLS, DEVICES, ERRORS, TARGET, TRAPS, rows};
use std::fmt::Write;

/// The line in `docs/instruction-set.md` behind which everything is generated.
const GENERATED: &str =
    "<!-- From here on written by `cargo run -p wendax-isa --example manual`; a test holds it to the code. -->";

/// `text` with everything behind the line that marks generated tables written anew.
pub fn manual(text: &str) -> String {
    let kept = text.split(GENERATED).next().unwrap_or_default();
    format!("{kept}{GENERATED}\n\n{}", tables())
}

/// All tables: instructions, system calls, error codes, traps, device registers.
pub fn tables() -> String {
    let mut out = String::new();
    // Writing to a String cannot fail.
    let _ = instructions(&mut out).and_then(|()| system(&mut out));
    out
}

fn instructions(out: &mut String) -> std::fmt::Result {
    writeln!(out, "## Instructions\n")?;
    writeln!(out, "| code | assembly | meaning | flags | cycles |\n|---|---|---|---|---|")?;
    for row in rows() {
        let written: Vec<String> =
            row.names.iter().map(|name| format!("`{}`", format!("{name} {}", row.form).trim())).collect();
        let jumps = row.names[0].starts_with('j') || row.names[0] == "djnz";
        let cycles = match (jumps, row.names[0] == "jmp") {
            (true, true) => format!("{}", row.cycles + 1),
            (true, false) => format!("{}, taken {}", row.cycles, row.cycles + 1),
            (false, _) => row.cycles.to_string(),
        };
        let code = row.pattern.replace(" w", "` + w");
        let code = if row.has_word() { format!("`{code}") } else { format!("`{code}`") };
        writeln!(out, "| {code} | {} | {} | {} | {cycles} |", written.join(" "), row.meaning, row.flags.text())?;
    }
    Ok(())
}

fn system(out: &mut String) -> std::fmt::Result {
    writeln!(out, "\n## System calls\n\n| nr | name | takes | gives in `r0` | meaning |\n|---|---|---|---|---|")?;
    for call in CALLS {
        let takes: Vec<String> =
            call.takes.iter().map(|(register, what)| format!("`{}` {what}", TARGET.register_name(*register))).collect();
        writeln!(
            out,
            "| {:02X} | `{}` | {} | {} | {} |",
            call.number,
            call.name,
            takes.join(", "),
            call.gives,
            call.meaning
        )?;
    }
    writeln!(out, "\n## Error codes of calls\n\n| `r0` | meaning |\n|---|---|")?;
    for (code, text) in ERRORS {
        writeln!(out, "| {} | {text} |", code.number())?;
    }
    writeln!(out, "\n## Traps\n\n| nr | vector at | what |\n|---|---|---|")?;
    for (number, name) in TRAPS.iter().enumerate().filter(|(_, name)| !name.is_empty()) {
        writeln!(out, "| {number:X} | {:04X} | {name} |", 2 * number)?;
    }
    writeln!(out, "\n## Device registers\n\n| address | name | program may | meaning |\n|---|---|---|---|")?;
    for register in DEVICES {
        let may = if register.writable { "read, write" } else { "read" };
        writeln!(out, "| {:04X} | {} | {may} | {} |", register.address, register.name, register.meaning)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_document_holds_todays_tables() {
        let text = include_str!("../../../../docs/instruction-set.md");
        assert!(super::manual(text) == text, "run `cargo run -p wendax-isa --example manual`");
    }
}
