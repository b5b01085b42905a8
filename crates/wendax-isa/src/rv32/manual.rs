//! The tables of the manual, as Markdown, from the tables of the code.

use super::csr::csrs;
use super::forms::{Way, forms};
use super::table::{Row, rows};
use super::{CALLS, INTERRUPT, REGISTERS, TARGET};
use std::fmt::Write;

/// The line in `docs/instruction-set-rv32.md` behind which everything is generated.
const GENERATED: &str =
    "<!-- From here on written by `cargo run -p wendax-isa --example manual`; a test holds it to the code. -->";

/// `text` with everything behind the line that marks generated tables written anew.
pub fn manual(text: &str) -> String {
    let kept = text.split(GENERATED).next().unwrap_or_default();
    format!("{kept}{GENERATED}\n\n{}", tables())
}

/// All tables: instructions, what is written for some of them, registers, control and status registers.
fn tables() -> String {
    let mut out = String::from("## Instructions\n\n| bits 31 to 0 | assembly | meaning |\n|---|---|---|\n");
    for row in rows() {
        // Writing to a String cannot fail.
        let _ = writeln!(out, "| `{}` | `{}` | {} |", bits(row).replace('|', "\\|"), written(row), row.meaning);
    }
    out.push_str("\n## Pseudo-instructions\n\nThe assembler takes the first way that holds; where an instruction has a shorter name, disassembly shows it.\n\n");
    out.push_str("| assembly | what it becomes | meaning |\n|---|---|---|\n");
    for form in forms().iter().filter(|form| form.is_pseudo) {
        let ways: Vec<String> = form.told_ways().map(way).collect();
        let _ = writeln!(out, "| `{}` | {} | {} |", form.text(), ways.join(", else "), form.meaning);
    }
    out.push_str("\nA branch farther away than 4 KiB is turned round, over a `jal` to its label.\n");
    out.push_str("\n## Registers\n\n| number | name | what for | a routine gives it back |\n|---|---|---|---|\n");
    for (number, register) in REGISTERS.iter().enumerate() {
        let kept = if register.kept { "yes" } else { "no" };
        let _ = writeln!(out, "| x{number} | `{}` | {} | {kept} |", register.name, register.role);
    }
    out.push_str("\n## Control and status registers\n\n| number | name | what it holds |\n|---|---|---|\n");
    for csr in csrs() {
        let _ = writeln!(out, "| {:03X} | `{}` | {} |", csr.number, csr.name, csr.meaning);
    }
    system(&mut out);
    out
}

/// Calls, traps, interrupts, devices.
fn system(out: &mut String) {
    out.push_str("\n## System calls\n\nThe number is in `a7`, the result in `a0`.\n\n");
    out.push_str("| nr | name | takes | gives | meaning |\n|---|---|---|---|---|\n");
    for call in CALLS {
        let takes = call.takes.iter().map(|(register, what)| format!("`{}` {what}", TARGET.register_name(*register)));
        let takes = takes.collect::<Vec<_>>().join(", ");
        let number = if call.is_own { format!("0x{:04X}", call.number) } else { call.number.to_string() };
        // Writing to a String cannot fail.
        let _ = writeln!(out, "| {number} | `{}` | {takes} | {} | {} |", call.name, call.gives, call.meaning);
    }
    out.push_str("\n## Traps and interrupts\n\n| `mcause` | what |\n|---|---|\n");
    for (number, name) in TARGET.entries(false) {
        let _ = writeln!(out, "| {number} | {name} |");
    }
    for (number, name) in TARGET.entries(true) {
        let _ = writeln!(out, "| 0x{:08X} | the interrupt {name} ({number}) |", INTERRUPT | number);
    }
    out.push_str("\n## Device registers\n\n| address | name | program may | meaning |\n|---|---|---|---|\n");
    for register in TARGET.devices {
        let may = if register.writable { "read, write" } else { "read" };
        let address = TARGET.hex_address(register.address);
        let _ = writeln!(out, "| {address} | {} | {may} | {} |", register.name, register.meaning);
    }
}

/// Machine instructions, and when they are taken.
fn way(way: &Way) -> String {
    format!("`{}` {}", way.text, way.when.words()).trim_end().to_owned()
}

/// The word of a row bit by bit, in the groups of its format: 0 and 1 stand for themselves.
fn bits(row: &Row) -> String {
    row.parts().into_iter().map(|(text, _)| text).collect::<Vec<_>>().join(" ")
}

/// How a row is written.
fn written(row: &Row) -> String {
    format!("{} {}", row.name, super::forms::written(row)).trim_end().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_document_holds_todays_tables() {
        let text = include_str!("../../../../docs/instruction-set-rv32.md");
        assert!(text == manual(text), "write it anew: cargo run -p wendax-isa --example manual");
    }

    #[test]
    fn each_row_of_bits_is_a_whole_word() {
        for row in rows() {
            let shown = bits(row);
            let fixed: String =
                shown.split(' ').filter(|part| part.bytes().all(|bit| matches!(bit, b'0' | b'1'))).collect();
            assert_eq!(u32::try_from(fixed.len()), Ok(row.mask.count_ones()), "{} {shown}", row.name);
        }
    }
}
