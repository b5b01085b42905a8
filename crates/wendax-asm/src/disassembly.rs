//! An image without source, as text with a line for each instruction.
//!
//! What can be reached from the entry by running on, jumping and calling is code; everything else is shown
//! as data. Jumps through registers are not followed, so code reached only by them is data here.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use wendax_image::{Image, Line, LineKind, Symbol, SymbolKind};
use wendax_isa::Addr;
use wendax_isa::w16::{Cond, Insn, NumberStyle, Op, OperandKind, decode, disassemble};
use wendax_source::{FileId, Span};

/// Data bytes on a line.
const ROW: u32 = 8;

/// The text of an image, and the image with lines and names that belong to that text.
pub fn disassembly(image: &Image) -> (String, Image) {
    let (code, mut targets) = reachable(image);
    targets.extend(image.labels().filter_map(Symbol::address));
    for segment in &image.segments {
        drop_inner(&code, &mut targets, segment.start, segment.end());
    }
    let mut writer =
        Writer { image, code, targets, text: String::new(), lines: Vec::new(), symbols: Vec::new(), line: 1 };
    writer.say("; disassembled: what the entry leads to is code, the rest is data");
    for segment in &image.segments {
        writer.say("");
        writer.say(&format!(".org 0x{:04X}", segment.start));
        writer.segment(segment.start, segment.end());
    }
    let shown = Image { lines: writer.lines, symbols: writer.symbols, ..image.clone() };
    (writer.text, shown)
}

/// The instructions that a piece of code is, one after the other: address, bytes, text with the image's labels.
pub fn instructions(image: &Image, address: Addr, length: u32) -> Vec<(Addr, u32, String)> {
    let mut all = Vec::new();
    let mut at = address;
    while at < address + length {
        let Some(insn) = instruction(image, at) else { break };
        let named = |value: u16| image.label_at(value.into()).map(|symbol| symbol.name.clone());
        let jumps = matches!(insn.op(), Op::Jump(_) | Op::Djnz | Op::Call);
        let name = |value: u16| if jumps { named(value) } else { None };
        let text = disassemble(insn, u16::try_from(at.0).unwrap_or(0), NumberStyle::Decimal, &name);
        all.push((at, insn.bytes().into(), text));
        at += u32::from(insn.bytes());
    }
    all
}

/// The instruction at an address, if both the image and the instruction set have one there.
fn instruction(image: &Image, address: Addr) -> Option<Insn> {
    let bytes = image.bytes(address, 4);
    let word = |at: usize| Some(u16::from_le_bytes([*bytes.get(at)?, *bytes.get(at + 1)?]));
    let insn = decode(word(0)?, word(2).unwrap_or(0))?;
    (address.is_multiple_of(2) && bytes.len() >= usize::from(insn.bytes())).then_some(insn)
}

/// Instructions by address, and the addresses jumped to or called.
fn reachable(image: &Image) -> (BTreeMap<Addr, Insn>, BTreeSet<Addr>) {
    let mut code = BTreeMap::new();
    let mut targets = BTreeSet::from([image.entry]);
    let mut left = vec![image.entry];
    while let Some(address) = left.pop() {
        if code.contains_key(&address) {
            continue;
        }
        let Some(insn) = instruction(image, address) else { continue };
        code.insert(address, insn);
        let place = u16::try_from(address.0).unwrap_or(0);
        if matches!(insn.op(), Op::Jump(_) | Op::Djnz | Op::Call) {
            let target = insn.target(place).into();
            targets.insert(target);
            left.push(target);
        }
        let ends = matches!(insn.op(), Op::Jump(Cond::Always) | Op::JmpReg | Op::Ret | Op::Reti | Op::Halt)
            || insn.op() == Op::Sys && insn.value == 0;
        if !ends {
            left.push(address + u32::from(insn.bytes()));
        }
    }
    (code, targets)
}

/// Targets inside an instruction that will be shown whole have no line to stand on: they stay numbers.
fn drop_inner(code: &BTreeMap<Addr, Insn>, targets: &mut BTreeSet<Addr>, start: Addr, end: Addr) {
    let mut address = start;
    while address < end {
        let length = code.get(&address).map_or(1, |insn| insn.bytes().into());
        for inner in 1..length {
            targets.remove(&(address + inner));
        }
        address += length;
    }
}

struct Writer<'a> {
    image: &'a Image,
    code: BTreeMap<Addr, Insn>,
    targets: BTreeSet<Addr>,
    text: String,
    lines: Vec<Line>,
    symbols: Vec<Symbol>,
    line: u32,
}

impl Writer<'_> {
    /// Writes a line; returns where it stands in the text.
    fn say(&mut self, text: &str) -> Span {
        let start = self.text.len();
        // Writing to a String cannot fail.
        let _ = writeln!(self.text, "{text}");
        self.line += 1;
        Span::new(FileId(0), start, start + text.len())
    }

    /// What a place is called: by the name the image has for it, if it can stand in a text.
    fn label(&self, address: Addr) -> String {
        let known = self.image.label_at(address).map(|symbol| symbol.name.as_str());
        known.filter(|name| !name.contains(['@', '.'])).map_or_else(|| name(address), str::to_owned)
    }

    fn segment(&mut self, start: Addr, end: Addr) {
        let mut address = start;
        while address < end {
            if self.targets.contains(&address) {
                let label = self.label(address);
                let span = self.say(&format!("{label}:"));
                self.symbols.push(Symbol {
                    name: label,
                    value: address.into(),
                    kind: SymbolKind::Code,
                    span,
                    is_global: false,
                });
            }
            address += match self.code.get(&address).copied() {
                Some(insn) => self.code_line(address, insn),
                None => self.data_line(address, end),
            };
        }
    }

    fn code_line(&mut self, address: Addr, insn: Insn) -> u32 {
        let jumps = insn
            .row()
            .operands
            .iter()
            .any(|kind| matches!(kind, OperandKind::Near8 | OperandKind::Near12 | OperandKind::Far));
        let named = |value: u16| (jumps && self.targets.contains(&value.into())).then(|| self.label(value.into()));
        let place = u16::try_from(address.0).unwrap_or(0);
        let text = disassemble(insn, place, NumberStyle::Hexadecimal, &named);
        let length = insn.bytes().into();
        self.statement(&format!("        {text}"), address, length, LineKind::Code);
        length
    }

    /// Bytes up to the next instruction, label or full row.
    fn data_line(&mut self, address: Addr, end: Addr) -> u32 {
        let code = self.code.range(address + 1..).next().map_or(end, |(at, _)| *at);
        let label = self.targets.range(address + 1..).next().copied().unwrap_or(end);
        let length = end.min(code).min(label).min(address + ROW) - address;
        let bytes: Vec<String> = self.image.bytes(address, length).iter().map(|byte| format!("0x{byte:02X}")).collect();
        self.statement(&format!("        .byte {}", bytes.join(", ")), address, length, LineKind::Data);
        length
    }

    fn statement(&mut self, text: &str, address: Addr, length: u32, kind: LineKind) {
        let line = self.line;
        let span = self.say(text);
        self.lines.push(Line { address, length, kind, span, line, unfolded: None });
    }
}

fn name(address: Addr) -> String {
    format!("at_{address:04X}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::assemble;
    use wendax_image::{from_raw, to_raw};
    use wendax_source::Sources;

    fn assembled(text: &str) -> Image {
        let (sources, file) = Sources::single("case", text);
        let assembly = assemble(&sources, file);
        assert!(assembly.is_runnable(), "{text}\n{:?}", assembly.diagnostics);
        assembly.image
    }

    #[test]
    fn code_is_followed_and_data_is_not_taken_for_it() {
        let image = assembled(
            "start: mov r1, 3\n@next: call sub\n djnz r1, @next\n sys exit\nsub: jz out\n nop\nout: ret\n.data\nx: .word 1, 2, 3, 4, 5\n",
        );
        let raw = from_raw(&to_raw(&image).1, Addr(0x0200)).expect("it fits");
        let (text, shown) = disassembly(&raw);
        let code: Vec<&str> = text.lines().take(14).collect();
        let wanted = [
            "; disassembled: what the entry leads to is code, the rest is data",
            "",
            ".org 0x0200",
            "at_0200:",
            "        mov r1, 3",
            "at_0202:",
            "        call at_0208",
            "        djnz r1, at_0202",
            "        sys exit",
            "at_0208:",
            "        jz at_020C",
            "        nop",
            "at_020C:",
            "        ret",
        ];
        assert_eq!(code, wanted);
        assert!(text.contains("0x01, 0x00, 0x02, 0x00"), "{text}");
        assert_eq!(shown.line_at(Addr(0x0206)).map(|line| (line.line, line.kind)), Some((9, LineKind::Code)));
        assert_eq!(
            shown.nearest_label(Addr(0x020A)).map(|(symbol, offset)| (symbol.name.clone(), offset)),
            Some(("at_0208".into(), 2))
        );
    }

    proptest::proptest! {
        /// Whatever the bytes, each of them is shown on one line, and every name that is used stands somewhere.
        #[test]
        fn every_byte_is_shown_once(bytes in proptest::collection::vec(proptest::prelude::any::<u8>(), 1..200)) {
            let image = from_raw(&bytes, Addr(0x0200)).expect("it fits");
            let (text, shown) = disassembly(&image);
            let told: u32 = shown.lines.iter().map(|line| line.length).sum();
            let overlapping = shown.lines.windows(2).any(|pair| pair[0].address + pair[0].length > pair[1].address);
            proptest::prop_assert!(!overlapping, "{}", text);
            proptest::prop_assert_eq!(told as usize, bytes.len());
            for used in text.split_whitespace().filter(|word| word.starts_with("at_") && !word.ends_with(':')) {
                let label = format!("{used}:");
                let stands = text.lines().any(|line| line == label);
                let outside = shown.line_at(Addr(u32::from_str_radix(&used[3..], 16).unwrap_or(0))).is_none();
                proptest::prop_assert!(stands || outside, "{} in\n{}", used, text);
            }
            for line in &shown.lines {
                let written = text.lines().nth(line.line as usize - 1).unwrap_or_default();
                proptest::prop_assert_eq!(&text[line.span.range()], written);
            }
        }
    }
}
