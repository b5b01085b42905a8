//! An image without source, as text with a line for each instruction.
//!
//! What can be reached from the entry by running on, jumping and calling is code; everything else is shown
//! as data. Jumps through registers are not followed, so code reached only by them is data here.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use wendax_image::{Image, Line, LineKind, Symbol, SymbolKind};
use wendax_isa::{Addr, Leads};
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
        writer.say(&format!(".org {}", image.target.marked_address(segment.start)));
        writer.segment(segment.start, segment.end());
    }
    let shown = Image { lines: writer.lines, symbols: writer.symbols, ..image.clone() };
    (writer.text, shown)
}

/// The instructions that a piece of code is, one after the other: address, bytes, text with the image's labels.
pub fn instructions(image: &Image, address: Addr, length: u32) -> Vec<(Addr, u32, String)> {
    let target = image.target;
    let name = |place: Addr| image.label_at(place).map(|symbol| symbol.name.clone());
    let mut all = Vec::new();
    let mut at = address;
    while at < address + length {
        let code = image.bytes(at, target.longest_code);
        let known = (target.leads)(code, at).zip((target.text)(code, at, &name));
        let Some(((bytes, _), text)) = known.filter(|_| at.is_multiple_of(target.code_align)) else { break };
        all.push((at, bytes, text));
        at += bytes;
    }
    all
}

/// The length of an instruction, and where it leads.
type Known = (u32, Leads);

/// Where it leads by a label.
fn target_of(leads: Leads) -> Option<Addr> {
    match leads {
        Leads::To(target) | Leads::Either(target) | Leads::Call(Some(target)) => Some(target),
        Leads::On | Leads::Call(None) | Leads::Away => None,
    }
}

/// Instructions by address, and the addresses jumped to or called.
fn reachable(image: &Image) -> (BTreeMap<Addr, Known>, BTreeSet<Addr>) {
    let machine = image.target;
    let mut code = BTreeMap::new();
    let mut targets = BTreeSet::from([image.entry]);
    let mut left = vec![image.entry];
    // Compilers name what is only called by way of a register.
    left.extend(image.labels().filter(|label| label.kind == SymbolKind::Code).filter_map(Symbol::address));
    while let Some(address) = left.pop() {
        if code.contains_key(&address) || !address.is_multiple_of(machine.code_align) {
            continue;
        }
        let Some(known) = (machine.leads)(image.bytes(address, machine.longest_code), address) else { continue };
        code.insert(address, known);
        let (length, leads) = known;
        if let Some(target) = target_of(leads) {
            targets.insert(target);
            left.push(target);
        }
        if leads.goes_on() {
            left.push(address + length);
        }
    }
    (code, targets)
}

/// Targets inside an instruction that will be shown whole have no line to stand on: they stay numbers.
fn drop_inner(code: &BTreeMap<Addr, Known>, targets: &mut BTreeSet<Addr>, start: Addr, end: Addr) {
    let mut address = start;
    while address < end {
        let length = code.get(&address).map_or(1, |known| known.0);
        for inner in 1..length {
            targets.remove(&(address + inner));
        }
        address += length;
    }
}

struct Writer<'a> {
    image: &'a Image,
    code: BTreeMap<Addr, Known>,
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
        let numbered = || format!("at_{}", self.image.target.hex_address(address));
        known.filter(|name| !name.contains(['@', '.'])).map_or_else(numbered, str::to_owned)
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
                    bytes: 0,
                });
            }
            address += match self.code.get(&address).copied() {
                Some(known) => self.code_line(address, known),
                None => self.data_line(address, end),
            };
        }
    }

    fn code_line(&mut self, address: Addr, (length, leads): Known) -> u32 {
        let target = target_of(leads);
        let named = |place: Addr| {
            let is_shown = target == Some(place) && self.targets.contains(&place);
            is_shown.then(|| self.label(place))
        };
        let text = (self.image.target.text)(self.image.bytes(address, length), address, &named);
        self.statement(&format!("        {}", text.unwrap_or_default()), address, length, LineKind::Code);
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
        let raw = from_raw(&wendax_isa::w16::TARGET, &to_raw(&image).expect("it lies close").1, Addr(0x0200))
            .expect("it fits");
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
            let image = from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(0x0200)).expect("it fits");
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
