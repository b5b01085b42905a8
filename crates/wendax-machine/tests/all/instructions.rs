//! Every instruction of the contract: result, flags and cycles at its edges.
//!
//! Each case is one line: source, registers before, flags before, then registers after, flags after and
//! cycles of the one step. The last test holds that no row of the instruction table was forgotten.

use std::collections::BTreeSet;
use wendax_isa::w16::{TARGET, decode, rows};
use wendax_machine::{Addr, Reg};
use wendax_machine::{Event, Machine, Settings, Stop};

const C: u32 = 1;
const Z: u32 = 2;
const N: u32 = 4;
const V: u32 = 8;
const I: u32 = 16;

/// Source lines, `r1=5 f=C` before, the same after, cycles.
type Case = (&'static str, &'static str, &'static str, u64);

fn flags_of(text: &str) -> u32 {
    text.chars()
        .map(|c| match c {
            'C' => C,
            'Z' => Z,
            'N' => N,
            'V' => V,
            'I' => I,
            _ => 0,
        })
        .sum()
}

/// A machine before the instruction, set up as `before` says.
fn machine(line: &str, before: &str) -> Machine {
    let image = image_of(line);
    let mut machine = Machine::new(&image, Settings::default());
    for (name, value) in before.split_whitespace().filter_map(|part| part.split_once('=')) {
        match TARGET.register(name) {
            Some(register) => {
                machine.feed(&Event::SetRegister(register, number(&machine, &image, value)));
            }
            None if name == "f" => machine.feed(&Event::SetFlags(flags_of(value))),
            None => {
                let address = Addr(number(&machine, &image, name));
                let value = number(&machine, &image, value);
                machine.feed(&Event::SetByte(address, value & 0xFF));
                machine.feed(&Event::SetByte(address + 1, value >> 8));
            }
        }
    }
    machine
}

fn number(machine: &Machine, image: &wendax_image::Image, text: &str) -> u32 {
    if let Some(register) = TARGET.register(text) {
        return machine.register(register);
    }
    if let Some((left, right)) = text.split_once('+') {
        return number(machine, image, left) + number(machine, image, right);
    }
    if let Some(symbol) = image.symbol(text) {
        return u32::try_from(symbol.value).expect("an address");
    }
    u32::from_str_radix(text, 16).unwrap_or_else(|_| panic!("`{text}` is no number"))
}

fn check(cases: &[Case]) -> BTreeSet<&'static str> {
    let mut patterns = BTreeSet::new();
    for &(line, before, after, cycles) in cases {
        let mut machine = machine(line, before);
        let pc = machine.pc();
        let insn =
            decode(u16::try_from(machine.word(pc)).expect("a word"), 0).unwrap_or_else(|| panic!("{line} is illegal"));
        patterns.insert(insn.row().pattern);
        let kept: Vec<u32> = (0..14).map(|register| machine.register(Reg(register))).collect();
        let flags = machine.flags();
        let stop = machine.step();
        assert!(matches!(stop, Stop::Steps | Stop::Brk | Stop::Finished(0)), "{line}: {stop:?}");
        assert_eq!(machine.cycles(), cycles, "cycles of {line} with {before}");
        let mut wanted = kept;
        let mut wanted_flags = flags;
        let mut wanted_pc = pc + u32::from(insn.bytes());
        for (name, value) in after.split_whitespace().filter_map(|part| part.split_once('=')) {
            let value_of = |text: &str| number(&machine, &image_of(line), text);
            match TARGET.register(name) {
                Some(register) => wanted[register.index()] = value_of(value),
                None if name == "f" => wanted_flags = flags_of(value),
                None if name == "pc" => wanted_pc = Addr(value_of(value)),
                None => assert_eq!(
                    machine.word(Addr(value_of(name))),
                    value_of(value),
                    "memory {name} after {line} with {before}"
                ),
            }
        }
        for (register, wanted) in wanted.iter().enumerate() {
            assert_eq!(
                machine.register(Reg::at(register)),
                *wanted,
                "{} after {line} with {before}",
                TARGET.registers[register].name
            );
        }
        assert_eq!(machine.flags(), wanted_flags, "flags after {line} with {before}");
        assert_eq!(machine.pc(), wanted_pc, "pc after {line} with {before}");
    }
    patterns
}

/// A program with the instruction, data, and places to jump to.
fn image_of(line: &str) -> wendax_image::Image {
    let text = format!(
        ".code\nbefore: nop\nstart: {line}\nnear: nop\n halt\n.space 5000\nfar: nop\n halt\n\
         .data\ndata: .word 0x8899, 0x7F01\nlast: .byte 0x80\nodd: .byte 5\n.space 2\n.align 4\ntop:\n"
    );
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{line}: {:?}", assembly.diagnostics);
    assembly.image
}

/// Two registers and constants of all sizes: every operation in its three encodings.
const ARITHMETIC: &[Case] = &[
    ("mov r1, r2", "r2=BEEF f=CZNV", "r1=BEEF", 1),
    ("mov r1, 15", "f=CZ", "r1=F", 1),
    ("mov r1, 16", "", "r1=10", 2),
    ("mov r1, -1", "", "r1=FFFF", 2),
    ("add r1, r2", "r1=FFFF r2=1", "r1=0 f=CZ", 1),
    ("add r1, r2", "r1=7FFF r2=1", "r1=8000 f=NV", 1),
    ("add r1, r2", "r1=8000 r2=8000", "r1=0 f=CZV", 1),
    ("add r1, 15", "r1=1 f=CZNV", "r1=10 f=", 1),
    ("add r1, 0xFFFF", "r1=1", "r1=0 f=CZ", 2),
    ("adc r1, r2", "r1=FFFF r2=0 f=C", "r1=0 f=CZ", 1),
    ("adc r1, r2", "r1=FFFF r2=FFFF f=C", "r1=FFFF f=CN", 1),
    ("adc r1, r2", "r1=7FFF r2=0 f=C", "r1=8000 f=NV", 1),
    ("adc r1, 3", "r1=4", "r1=7 f=", 1),
    ("adc r1, 0x100", "r1=4 f=C", "r1=105 f=", 2),
    ("sub r1, r2", "r1=0 r2=1", "r1=FFFF f=CN", 1),
    ("sub r1, r2", "r1=8000 r2=1", "r1=7FFF f=V", 1),
    ("sub r1, r1", "r1=5 f=C", "r1=0 f=Z", 1),
    ("sub r1, 1", "r1=1", "r1=0 f=Z", 1),
    ("sub r1, 0x8000", "r1=0", "r1=8000 f=CNV", 2),
    ("sbc r1, r2", "r1=5 r2=5 f=C", "r1=FFFF f=CN", 1),
    ("sbc r1, r2", "r1=0 r2=FFFF f=C", "r1=0 f=CZ", 1),
    ("sbc r1, r2", "r1=8000 r2=0 f=C", "r1=7FFF f=V", 1),
    ("sbc r1, 2", "r1=2", "r1=0 f=Z", 1),
    ("sbc r1, 0x20", "r1=22 f=C", "r1=1 f=", 2),
    ("cmp r1, r2", "r1=1 r2=2", "f=CN", 1),
    ("cmp r1, r2", "r1=8000 r2=7FFF", "f=V", 1),
    ("cmp r1, 5", "r1=5 f=CNV", "f=Z", 1),
    ("cmp r1, 560", "r1=231", "f=", 2),
    ("and r1, r2", "r1=F0F0 r2=8080 f=CV", "r1=8080 f=N", 1),
    ("and r1, 1", "r1=2 f=CV", "r1=0 f=Z", 1),
    ("and r1, 0xFF00", "r1=12FF", "r1=1200 f=", 2),
    ("or r1, r2", "r1=1 r2=8000 f=CV", "r1=8001 f=N", 1),
    ("or r1, 0", "r1=0", "r1=0 f=Z", 1),
    ("or r1, 0x100", "r1=1", "r1=101 f=", 2),
    ("xor r1, r1", "r1=5 f=CV", "r1=0 f=Z", 1),
    ("xor r1, 15", "r1=FFFF", "r1=FFF0 f=N", 1),
    ("xor r1, 0x7FFF", "r1=FFFF", "r1=8000 f=N", 2),
    ("tst r1, r2", "r1=8001 r2=8000 f=CV", "f=N", 1),
    ("tst r1, 2", "r1=5", "f=Z", 1),
    ("tst r1, 0xFF", "r1=5 f=CZV", "f=", 2),
    ("shl r1, r2", "r1=8001 r2=1", "r1=2 f=C", 1),
    ("shl r1, r2", "r1=8001 r2=10 f=CV", "r1=8001 f=CN", 1),
    ("shl r1, 15", "r1=3 f=C", "r1=8000 f=CN", 1),
    ("shl r1, 0x21", "r1=4000", "r1=8000 f=N", 2),
    ("shr r1, r2", "r1=8001 r2=1", "r1=4000 f=C", 1),
    ("shr r1, 15", "r1=C000", "r1=1 f=C", 1),
    ("shr r1, 0", "r1=0 f=CV", "r1=0 f=CZ", 1),
    ("shr r1, 0x11", "r1=2 f=C", "r1=1 f=", 2),
    ("asr r1, r2", "r1=8001 r2=1", "r1=C000 f=CN", 1),
    ("asr r1, 15", "r1=7FFF", "r1=0 f=CZ", 1),
    ("asr r1, 0xF4", "r1=8000 f=C", "r1=F800 f=N", 2),
    ("mul r1, r2", "r1=FF r2=101", "r1=FFFF f=N", 4),
    ("mul r1, r2", "r1=100 r2=100", "r1=0 f=CZV", 4),
    ("mul r1, 3", "r1=5555", "r1=FFFF f=N", 4),
    ("mul r1, 0x8000", "r1=3", "r1=8000 f=CNV", 5),
    ("div r1, r2", "r1=FFFF r2=2 f=CV", "r1=7FFF f=", 16),
    ("div r1, 15", "r1=E", "r1=0 f=Z", 16),
    ("div r1, 0x100", "r1=FFFF", "r1=FF f=", 17),
    ("mod r1, r2", "r1=FFFF r2=10 f=CV", "r1=F f=", 16),
    ("mod r1, 5", "r1=A", "r1=0 f=Z", 16),
    ("mod r1, 0x8001", "r1=8000", "r1=8000 f=N", 17),
    ("inc r1", "r1=FFFF", "r1=0 f=CZ", 1),
    ("dec r1", "r1=0", "r1=FFFF f=CN", 1),
    ("clr r1", "r1=7 f=CN", "r1=0", 1),
];

const OTHER_ARITHMETIC: &[Case] = &[
    ("not r3", "r3=0 f=CV", "r3=FFFF f=N", 1),
    ("not r3", "r3=FFFF", "r3=0 f=Z", 1),
    ("neg r3", "r3=1", "r3=FFFF f=CN", 1),
    ("neg r3", "r3=0 f=C", "r3=0 f=Z", 1),
    ("neg r3", "r3=8000", "r3=8000 f=CNV", 1),
    ("swapb r3", "r3=12F4 f=CV", "r3=F412 f=N", 1),
    ("extb r3", "r3=1280 f=CV", "r3=FF80 f=N", 1),
    ("extb r3", "r3=FF00", "r3=0 f=Z", 1),
    ("rlc r3", "r3=8000 f=CV", "r3=1 f=C", 1),
    ("rlc r3", "r3=8000", "r3=0 f=CZ", 1),
    ("rrc r3", "r3=1 f=CV", "r3=8000 f=CN", 1),
    ("rrc r3", "r3=1", "r3=0 f=CZ", 1),
    ("mulh r1, r2", "r1=FFFF r2=FFFF f=CV", "r1=FFFE f=N", 4),
    ("mulh r1, r2", "r1=FF r2=FF", "r1=0 f=Z", 4),
    ("mulhs r1, r2", "r1=FFFF r2=FFFF f=CV", "r1=0 f=Z", 4),
    ("mulhs r1, r2", "r1=8000 r2=2", "r1=FFFF f=N", 4),
    ("divs r1, r2", "r1=FFF9 r2=2 f=CV", "r1=FFFD f=N", 16),
    ("divs r1, r2", "r1=8000 r2=FFFF", "r1=8000 f=NV", 16),
    ("mods r1, r2", "r1=FFF9 r2=2 f=C", "r1=FFFF f=N", 16),
    ("mods r1, r2", "r1=7 r2=FFFE", "r1=1 f=", 16),
    ("mods r1, r2", "r1=8000 r2=FFFF", "r1=0 f=ZV", 16),
    ("swap r1, r2", "r1=1 r2=2 f=CZ", "r1=2 r2=1", 1),
    ("swap r1, r1", "r1=1", "r1=1", 1),
];

const MEMORY: &[Case] = &[
    ("ldw r1, [r2]", "r2=data f=CZ", "r1=8899", 2),
    ("ldw r1, [data + 2]", "", "r1=7F01", 3),
    ("ldw r1, [r2 - 2]", "r2=data+2", "r1=8899", 3),
    ("ldb r1, [r2]", "r2=data", "r1=99", 2),
    ("ldb r1, [last]", "r1=FFFF", "r1=80", 3),
    ("ldsb r1, [r2]", "r2=odd", "r1=5", 2),
    ("ldsb r1, [last]", "", "r1=FF80", 3),
    ("lea r1, [r2]", "r2=FFFF", "r1=FFFF", 1),
    ("lea r1, [r2 + 3]", "r2=FFFF f=N", "r1=2", 2),
    ("stw [r2], r1", "r1=1234 r2=data f=CZ", "data=1234", 2),
    ("stw [data + 2], r1", "r1=FFFE", "data+2=FFFE", 3),
    ("stb [r2], r1", "r1=12AB r2=data", "data=88AB", 2),
    ("stb [r2 + 1], r1", "r1=12AB r2=data", "data=AB99", 3),
    ("push r1", "r1=BEEF f=CZ", "sp=FDFE FDFE=BEEF", 2),
    ("push sp", "", "sp=FDFE FDFE=FE00", 2),
    ("pop r1", "sp=FDFC FDFC=ABCD", "r1=ABCD sp=FDFE", 2),
    ("pop sp", "sp=FDFC FDFC=EE10", "sp=EE10", 2),
    ("push fl", "f=CNI", "sp=FDFE FDFE=15", 2),
    ("pop fl", "sp=FDFC FDFC=FFFF", "sp=FDFE f=CZNVI", 2),
];

const FLOW: &[Case] = &[
    ("nop", "f=CZ", "", 1),
    ("halt", "", "", 1),
    ("brk", "", "", 1),
    ("ei", "f=C", "f=CI", 1),
    ("di", "f=CI", "f=C", 1),
    ("sys put_int", "f=CZN", "f=ZN", 11),
    ("sys 0x03", "f=Z", "f=CZ r0=1", 11),
    ("jmp near", "", "pc=near", 2),
    ("jmp far", "", "pc=far", 3),
    ("jmp r1", "r1=far", "pc=far", 2),
    ("call near", "", "sp=FDFE FDFE=near pc=near", 2),
    ("call far", "f=CZ", "sp=FDFE FDFE=near pc=far", 3),
    ("call r1", "r1=far", "sp=FDFE FDFE=near pc=far", 2),
    ("ret", "sp=FDFC FDFC=far", "sp=FDFE pc=far", 2),
    ("reti", "sp=FDFC FDFC=far FDFE=FFE5", "sp=FE00 pc=far f=CN", 3),
    ("djnz r1, near", "r1=2 f=CZ", "r1=1 pc=near", 2),
    ("djnz r1, near", "r1=1", "r1=0", 1),
    ("djnz r1, near", "r1=0", "r1=FFFF pc=near", 2),
    ("djnz r1, far", "r1=2", "r1=1 pc=far", 3),
    ("djnz r1, far", "r1=1", "r1=0", 2),
];

/// Each condition by its names: flags that take it, flags that do not.
const CONDITIONS: &[(&[&str], &str, &str)] = &[
    (&["jz", "jeq"], "Z", "CNV"),
    (&["jnz", "jne"], "CNV", "Z"),
    (&["jc", "jltu"], "C", "ZNV"),
    (&["jnc", "jgeu"], "ZNV", "C"),
    (&["jn"], "N", "CZV"),
    (&["jnn"], "CZV", "N"),
    (&["jv"], "V", "CZN"),
    (&["jnv"], "CZN", "V"),
    (&["jgtu"], "NV", "CNV"),
    (&["jleu"], "Z", "N"),
    (&["jlt"], "N", "NV"),
    (&["jge"], "NV", "V"),
    (&["jgt"], "CNV", "Z"),
    (&["jle"], "ZNV", "C"),
];

#[test]
fn arithmetic_in_every_encoding() {
    check(ARITHMETIC);
    check(OTHER_ARITHMETIC);
}

#[test]
fn memory_and_stack() {
    check(MEMORY);
}

#[test]
fn flow_and_system() {
    check(FLOW);
}

#[test]
fn conditional_jumps_near_and_far() {
    for (names, taken, not_taken) in CONDITIONS {
        for name in *names {
            for (place, words) in [("near", 1), ("far", 2)] {
                for (flags, jumps) in [(taken, true), (not_taken, false)] {
                    let line = format!("{name} {place}");
                    let mut machine = machine(&line, &format!("f={flags}"));
                    let (before, pc) = (machine.flags(), machine.pc());
                    machine.step();
                    let target = number(&machine, &image_of(&line), place);
                    let wanted = if jumps { target } else { (pc + 2 * words).0 };
                    assert_eq!(machine.pc(), Addr(wanted), "{line} with {flags}");
                    assert_eq!(machine.cycles(), u64::from(words) + u64::from(jumps), "{line} with {flags}");
                    assert_eq!(machine.flags(), before, "{line} changes no flags");
                }
            }
        }
    }
}

#[test]
fn no_row_of_the_table_is_without_a_case() {
    let mut seen: BTreeSet<&str> = [ARITHMETIC, OTHER_ARITHMETIC, MEMORY, FLOW].into_iter().flat_map(check).collect();
    for (code, _) in CONDITIONS.iter().enumerate() {
        // The conditional jumps are walked through by name above, each near and far.
        let name = CONDITIONS[code].0[0];
        seen.extend(rows().iter().filter(|row| row.names.contains(&name)).map(|row| row.pattern));
    }
    let missing: Vec<&str> = rows().iter().map(|row| row.pattern).filter(|pattern| !seen.contains(pattern)).collect();
    assert!(missing.is_empty(), "no case for {missing:?}");
}
