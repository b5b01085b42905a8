//! Sources for RV32: every instruction comes back from its text, the shortest ways do what the forms say, and what the
//! open assembly manual has is read.

use proptest::prelude::*;
use std::fmt::Write;
use wendax_asm::{Assembler, Assembly, Inputs, assemble};
use wendax_image::{LineKind, SymbolKind};
use wendax_isa::Addr;
use wendax_isa::rv32::{Insn, Op, TARGET, decode, encode, rows, text};
use wendax_source::{FileId, MemoryFiles, Sources};

fn assembled(body: &str) -> Assembly {
    assemble(&Sources::single("a.asm", format!(".target rv32\n{body}")).0, FileId(0))
}

/// The words of the code, of a text that has no problem.
fn words(body: &str) -> Vec<u32> {
    let assembly = assembled(body);
    assert!(assembly.is_runnable(), "{body}\n{:?}", assembly.diagnostics);
    let code = assembly.image.segments.iter().find(|segment| segment.rights.execute).expect("code");
    code.bytes.chunks_exact(4).map(|word| u32::from_le_bytes([word[0], word[1], word[2], word[3]])).collect()
}

/// The messages of a text.
fn told(body: &str) -> Vec<String> {
    assembled(body).diagnostics.iter().map(|found| format!("{} {}", found.code, found.message)).collect()
}

/// What registers hold after code that only computes, from the standard alone: `lui`, `auipc`, `addi`, `jal`, `jalr` and
/// branches on registers that are equal. Where it goes in the end, and the registers.
fn run(words: &[u32], start: u32, from: u32, end: impl Fn(u32) -> bool) -> (u32, [u32; 32]) {
    let (mut at, mut registers) = (from, [0u32; 32]);
    for _ in 0..64 {
        if end(at) {
            break;
        }
        let word = words[((at - start) / 4) as usize];
        let (rd, rs1) = ((word >> 7 & 31) as usize, (word >> 15 & 31) as usize);
        let low = (word.cast_signed() >> 20).cast_unsigned();
        let mut next = at.wrapping_add(4);
        let written = match word & 0x7F {
            0x37 => word & 0xFFFF_F000,
            0x17 => at.wrapping_add(word & 0xFFFF_F000),
            0x13 => registers[rs1].wrapping_add(low),
            0x67 => {
                let way = next;
                next = registers[rs1].wrapping_add(low) & !1;
                way
            }
            0x6F => {
                let way = next;
                let sign = (word.cast_signed() >> 31).cast_unsigned() << 20;
                let distance = sign | word & 0xF_F000 | (word >> 20 & 1) << 11 | (word >> 21 & 0x3FF) << 1;
                next = at.wrapping_add(distance);
                way
            }
            0x63 => {
                let rs2 = (word >> 20 & 31) as usize;
                let sign = (word.cast_signed() >> 31).cast_unsigned() << 12;
                let distance = sign | (word >> 7 & 1) << 11 | (word >> 25 & 0x3F) << 5 | (word >> 8 & 15) << 1;
                let goes = match word >> 12 & 7 {
                    0 | 5 | 7 => registers[rs1] == registers[rs2],
                    _ => registers[rs1] != registers[rs2],
                };
                if goes {
                    next = at.wrapping_add(distance);
                }
                registers[0]
            }
            _ => panic!("{word:08X} at {at:08X}"),
        };
        if rd != 0 && word & 0x7F != 0x63 {
            registers[rd] = written;
        }
        at = next;
    }
    (at, registers)
}

/// An instruction of every row of the table with operands out of `word`.
fn any_of(row: usize, word: u32) -> Insn {
    let row = &rows()[row];
    decode(row.fixed | word & !row.mask).expect("a row of the table")
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// All rows at once: what is shown of any instruction assembles to the same word.
    #[test]
    fn every_instruction_comes_back_from_its_text(operands in proptest::collection::vec(any::<u32>(), rows().len())) {
        let start = TARGET.map.code_start.0;
        let mut body = String::new();
        let mut wanted = Vec::new();
        for (row, operands) in operands.iter().enumerate() {
            let mut insn = any_of(row, *operands);
            let at = start + 4 * u32::try_from(row).expect("few");
            // A jump to where no instruction can lie is refused, and so is one below 0.
            if matches!(insn.op(), Op::Jal | Op::Beq | Op::Bne | Op::Blt | Op::Bge | Op::Bltu | Op::Bgeu) {
                let target = at.wrapping_add(insn.value) & !3;
                insn.value = if target < 1 << 30 { target.wrapping_sub(at) } else { 8 };
            }
            writeln!(body, "        {}", text(insn, Addr(at), &|_| None)).expect("memory");
            wanted.push(encode(insn));
        }
        let assembly = assembled(&body);
        prop_assert!(assembly.is_runnable(), "{body}\n{:?}", assembly.diagnostics);
        let bytes: Vec<u8> = wanted.iter().flat_map(|word| word.to_le_bytes()).collect();
        prop_assert_eq!(&assembly.image.segments[0].bytes, &bytes, "{}", body);
    }

    #[test]
    fn li_gives_every_word_by_as_few_instructions_as_can(value in prop_oneof![any::<u32>(), (0u32..32, 0u32..8).prop_map(|(bit, more)| (1u32 << bit).wrapping_sub(more))]) {
        let code = words(&format!(" li a0, {value}\n li a1, {}\n", value.cast_signed()));
        let half = code.len() / 2;
        prop_assert_eq!(code.len() % 2, 0, "both say the same");
        let end = 0x1_0000 + 4 * u32::try_from(code.len()).expect("few");
        let (_, registers) = run(&code, 0x1_0000, 0x1_0000, |at| at == end);
        prop_assert_eq!((registers[10], registers[11]), (value, value));
        let short = (-2048..=2047).contains(&value.cast_signed()) || value.is_multiple_of(0x1000);
        prop_assert_eq!(half, if short { 1 } else { 2 });
    }

    /// Wherever a label lies, and however far, what names it gets there or holds its address, in the shorter way where
    /// that reaches.
    #[test]
    fn addresses_are_reached_wherever_they_lie(gap in prop_oneof![0u32..3000, 1000u32..1100, 250_000u32..263_000, 1u32..600_000], behind: bool, branch in 0usize..6) {
        const BRANCHES: [(&str, bool); 6] = [("beq", true), ("bne", false), ("blt", false), ("bge", true), ("bltu", false), ("bgeu", true)];
        let (name, goes) = BRANCHES[branch];
        let uses = format!("use: la a0, there\n call there\n{name} zero, zero, there\n j after\nafter: nop\n nop\n");
        let room = format!(" .space {}, 0\n", 4 * gap);
        let body = if behind { format!("there: nop\n{room}{uses}") } else { format!("{uses}{room}there: nop\n") };
        let assembly = assembled(&body);
        if !assembly.is_runnable() {
            // A branch turned round reaches as far as the jump it goes over.
            let is_far = |found: &wendax_source::Diagnostic| found.message.contains("does not reach");
            prop_assert!(4 * gap > (1 << 20) - 64, "{:?}", assembly.diagnostics);
            prop_assert!(assembly.diagnostics.iter().all(is_far), "{:?}", assembly.diagnostics);
            return Ok(());
        }
        let address = |name: &str| assembly.image.symbols.iter().find(|known| known.name == name).and_then(wendax_image::Symbol::address).expect("defined").0;
        let (there, first) = (address("there"), address("use"));
        let code = assembly.image.segments.iter().find(|segment| segment.rights.execute).expect("code");
        let code: Vec<u32> = code.bytes.chunks_exact(4).map(|word| u32::from_le_bytes([word[0], word[1], word[2], word[3]])).collect();
        // The address, and the call of it.
        let (at, registers) = run(&code, 0x1_0000, first, |at| at == there);
        prop_assert_eq!((at, registers[10]), (there, there));
        let way_back = registers[1];
        let distance = i64::from(there) - i64::from(way_back - 4);
        let call_is_short = code[((way_back - 4 - 0x1_0000) / 4) as usize] & 0x7F == 0x6F;
        let reaches = |from: i64, bits: u32| (-(1i64 << bits)..1i64 << bits).contains(&from);
        prop_assert!(call_is_short || !reaches(distance, 20), "{distance}");
        // The branch.
        let (at, _) = run(&code, 0x1_0000, way_back, |at| at == there || at == address("after"));
        prop_assert_eq!(at, if goes { there } else { address("after") });
        let length = address("after") - 4 - way_back;
        prop_assert_eq!(length, if reaches(i64::from(there) - i64::from(way_back), 12) { 4 } else { 8 });
    }

    /// Whatever stands in a line, it is told and nothing panics; and the text of the other machine is no crash either.
    #[test]
    fn any_line_is_told(line in "[ a-z0-9,()%.$:#;\"'+*-]{0,40}") {
        let _ = told(&line);
        let _ = told(&format!("x: {line}\n .word x\n"));
    }
}

/// Pseudo-instructions and the words the open manual and the standard's formats give for them, put together by hand.
#[test]
fn pseudo_instructions_are_the_words_of_the_manual() {
    for (line, wanted) in [
        ("nop", &[0x0000_0013][..]),
        ("mv a0, a1", &[0x0005_8513]),
        ("not a0, a1", &[0xFFF5_C513]),
        ("neg a0, a1", &[0x40B0_0533]),
        ("seqz a0, a1", &[0x0015_B513]),
        ("snez a0, a1", &[0x00B0_3533]),
        ("sltz a0, a1", &[0x0005_A533]),
        ("sgtz a0, a1", &[0x00B0_2533]),
        ("sext.b a0, a1", &[0x0185_9513, 0x4185_5513]),
        ("sext.h a0, a1", &[0x0105_9513, 0x4105_5513]),
        ("zext.b a0, a1", &[0x0FF5_F513]),
        ("zext.h a0, a1", &[0x0105_9513, 0x0105_5513]),
        ("ret", &[0x0000_8067]),
        ("jr a0", &[0x0005_0067]),
        ("jr 8(a0)", &[0x0085_0067]),
        ("jalr a0", &[0x0005_00E7]),
        ("jalr t0, a0", &[0x0005_02E7]),
        ("jalr t0, a0, 8", &[0x0085_02E7]),
        ("jalr t0, 8(a0)", &[0x0085_02E7]),
        ("jalr t0, (a0)", &[0x0005_02E7]),
        ("fence", &[0x0FF0_000F]),
        ("fence rw, w", &[0x0310_000F]),
        ("fence.tso", &[0x8330_000F]),
        ("fence.i", &[0x0000_100F]),
        ("unimp", &[0xC000_1073]),
        ("csrr a0, mstatus", &[0x3000_2573]),
        ("csrw mtvec, a0", &[0x3055_1073]),
        ("csrwi mscratch, 5", &[0x3402_D073]),
        ("csrsi mstatus, 8", &[0x3004_6073]),
        ("csrrw a0, 0x340, a1", &[0x3405_9573]),
        ("csrrci zero, mie, 31", &[0x304F_F073]),
        ("rdcycle a0", &[0xC000_2573]),
        ("rdtimeh a0", &[0xC810_2573]),
        ("li a0, 0x12345678", &[0x1234_5537, 0x6785_0513]),
        ("li a0, 0xFFFFF800", &[0x8000_0513]),
        ("lui a0, 0xFFFFF", &[0xFFFF_F537]),
        ("addi a0, a0, 0xFFFFF800", &[0x8005_0513]),
        ("lw a0, -480(zero)", &[0xE200_2503]),
        ("lw a0, 0xFFFFFE20", &[0xE200_2503]),
        ("sw a0, 0xFFFFFE24, t0", &[0xE2A0_2223]),
        ("lw x10, 4(x2)", &[0x0041_2503]),
        ("sw fp, (sp)", &[0x0081_2023]),
        ("sys put_int", &[0x0000_18B7, 0x0128_8893, 0x0000_0073]),
        ("sys 0x12", &[0x0000_18B7, 0x0128_8893, 0x0000_0073]),
        ("sys exit", &[0x0000_18B7, 0x0000_0073]),
        ("LI A0, 5", &[0x0050_0513]),
    ] {
        assert_eq!(words(&format!(" {line}\n")), wanted, "{line}");
    }
}

#[test]
fn parts_of_addresses_are_those_of_the_psabi() {
    let code = words(
        " lui a0, %hi(x)\n addi a0, a0, %lo(x)\n1: auipc a1, %pcrel_hi(x)\n addi a1, a1, %pcrel_lo(1b)\n\
         \x20lui a2, %hi(x + 4)\n lw a3, %lo(x + 4)(a2)\n sw a3, %lo(x)(a0)\n.data\n .space 2044\nx: .word 1, 2\n",
    );
    // x is 000117FC: its low part is taken with its sign.
    let (_, registers) = run(&code[..4], 0x1_0000, 0x1_0000, |at| at == 0x1_0010);
    assert_eq!((registers[10], registers[11]), (0x117FC, 0x117FC));
    assert_eq!(code[4] & 0xFFFF_F000, 0x1_2000, "x + 4 needs the next one");
    assert_eq!(code[5] >> 20, 0x800);
}

#[test]
fn numbered_labels_and_names_with_dots_are_found() {
    let code = words("1: j 1f\n1: j 1b\n j 1f\n.L_a$: j .L_a$\n1: .word 0\n j 1b\n0: j 0b\n");
    let distances: Vec<u32> = code.iter().map(|word| *word >> 21 & 0x3FF).collect();
    assert_eq!(distances[..4], [2, 0, 4, 0]);
    assert_eq!((distances[5], distances[6]), (0x3FE, 0));
    // They do not end the reach of private names, and are no names of the program.
    let assembly = assembled("one: j @x\n1: nop\n@x: j 1b\n ret\n");
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    assert!(assembly.image.symbols.iter().all(|symbol| symbol.name != "1"));
    assert_eq!(told(" j 2b\n j 3f\n").len(), 2);
    // Within a macro each unfolding has its own nearest one.
    words(".macro WAIT n\n li t0, {n}\n1: addi t0, t0, -1\n bnez t0, 1b\n.endmacro\n WAIT 3\n WAIT 5\n");
}

#[test]
fn directives_of_the_manual_are_read() {
    let body = ".text\n.globl main\n.type main, @function\nmain: ret\n.size main, .-main\n.section .rodata.str1.1,\"aMS\",@progbits,1\n\
                t: .string \"a\\000\\012b\"\n.p2align 2\n.word t, 0x12345678\n.half 0xABCD, -1\n.2byte 7\n.dword -2\n.quad 0x1\n\
                .zero 3\n.byte 9\n.uleb128 300, 5\n.sleb128 -2\n.align 3\n.long 1\n.balign 16, 0xFF\n.skip 2\n\
                .section .bss.room,\"aw\",@nobits\nroom: .zero 8\n.comm shared, 12, 4\n.data\n.4byte room, shared\n.set LIMIT, 5\n.8byte LIMIT\n\
                .section .debug_info,\"\",@progbits\n .4byte nowhere\n x y z\n.section \".note.GNU-stack\",\"\",@progbits\n.ident \"c\"\n\
                .attribute 4, 16\n.option norelax\n.cfi_startproc\n.text\n nop\n";
    let assembly = assembled(body);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let image = &assembly.image;
    let segment = |at: usize| &image.segments[at];
    let rights: Vec<(u32, bool, bool, bool)> =
        image.segments.iter().map(|s| (s.start.0, s.rights.write, s.rights.execute, s.reserved)).collect();
    // Code, what is only read, data, room: each on a new page.
    assert_eq!(rights[..2], [(0x1_0000, false, true, false), (0x1_1000, false, false, false)]);
    assert!(
        rights[2..].iter().all(|(start, write, execute, _)| !*execute && *write == (*start >= 0x1_2000)),
        "{rights:X?}"
    );
    let constants = &segment(1).bytes;
    let mut wanted = vec![b'a', 0, 10, b'b', 0, 0, 0, 0];
    wanted.extend([0x00, 0x10, 0x01, 0x00, 0x78, 0x56, 0x34, 0x12, 0xCD, 0xAB, 0xFF, 0xFF, 7, 0]);
    wanted.extend((-2i64).to_le_bytes());
    wanted.extend(1i64.to_le_bytes());
    wanted.extend([0, 0, 0, 9, 0xAC, 0x02, 5, 0x7E]);
    while wanted.len() % 8 != 0 {
        wanted.push(0);
    }
    wanted.extend([1, 0, 0, 0]);
    while wanted.len() % 16 != 0 {
        wanted.push(0xFF);
    }
    assert_eq!(constants[..wanted.len()], wanted);
    let address = |name: &str| image.best_symbol(name).and_then(wendax_image::Symbol::address).expect("defined");
    assert_eq!(address("room").0 % 0x1000, 0, "room begins a page");
    assert_eq!(image.bytes(address("t"), 1), b"a");
    assert_eq!(image.best_symbol("main").map(|symbol| symbol.kind), Some(SymbolKind::Code));
    assert_eq!(image.entry, address("main"));
    assert_eq!(image.heap_start.0 % 16, 0);
}

#[test]
fn where_a_program_begins_is_start_or_main() {
    for (body, wanted) in [
        ("main: nop\n_start: ret\n", 4),
        ("x: nop\nmain: nop\nstart: ret\n", 8),
        ("x: nop\nmain: ret\n", 4),
        ("x: nop\n.entry y\ny: ret\n_start: ret\n", 4),
        ("x: nop\n ret\n", 0),
    ] {
        assert_eq!(assembled(body).image.entry.0, 0x1_0000 + wanted, "{body}");
    }
}

/// Instructions that are written as one are lines of their own, with their text; data and single ones are not.
#[test]
fn what_stands_for_several_is_shown_as_those() {
    let assembly = assembled("_start: sys exit\n la a0, x\n nop\n li a0, 5\n.data\n .word 1, 2, 3\nx: .word 1\n");
    let shown: Vec<(u32, u32, Option<&str>)> = assembly
        .image
        .lines
        .iter()
        .map(|line| (line.line, line.length, line.unfolded.map(|span| assembly.sources.text_of(span))))
        .collect();
    assert_eq!(
        shown,
        [
            (2, 4, Some("lui a7, 0x1")),
            (2, 4, Some("ecall")),
            (3, 4, Some("auipc a0, 0x1")),
            (3, 4, Some("addi a0, a0, 4")),
            (4, 4, None),
            (5, 4, None),
            (7, 12, None),
            (8, 4, None),
        ]
    );
    assert!(assembly.image.lines.iter().all(|line| line.kind != LineKind::Code || line.length == 4));
}

#[test]
fn a_program_of_several_files_finds_names_without_being_told() {
    let main = ".target rv32\n_start: call weigh\n la a0, table\n sys exit\n";
    let other = "        .globl weigh, table\nweigh:  ret\n        .data\ntable:  .word 1\n";
    let inputs = Inputs { sources: vec!["main.asm".into(), "other.s".into()], ..Inputs::default() };
    let files = MemoryFiles::default().with("main.asm", main).with("other.s", other);
    let assembly = Assembler::default().assemble(&inputs, &files);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    // What another file keeps to itself, and what none has.
    let hidden = files.clone().with("other.s", other.replace("weigh, ", ""));
    let found = Assembler::default().assemble(&inputs, &hidden).diagnostics;
    assert!(found.len() == 1 && found[0].message.contains("another file") && found[0].fix.is_some(), "{found:?}");
    let missing = files.with("other.s", "        .globl table\n.data\ntable: .word 1\n");
    let found = Assembler::default().assemble(&inputs, &missing).diagnostics;
    assert!(found.len() == 1 && found[0].message.contains("`weigh` is defined nowhere"), "{found:?}");
    // A misspelt name is told as such, once for all its uses.
    let found = told("weigh: ret\n_start: call wiegh\n call wiegh\n");
    assert!(found.iter().any(|message| message.contains("wiegh")), "{found:?}");
}

#[test]
fn machines_that_disagree_are_told_with_both() {
    let sources = |main: &str, other: &str, target| {
        let inputs = Inputs { sources: vec!["main.asm".into(), "other.asm".into()], target, ..Inputs::default() };
        let files = MemoryFiles::default().with("main.asm", main).with("other.asm", other);
        let found = Assembler::default().assemble(&inputs, &files).diagnostics;
        found.iter().map(|found| found.message.clone()).collect::<Vec<_>>()
    };
    let right = "_start: sys exit\n";
    assert_eq!(
        sources(".target rv32\n_start: sys exit\n", ".target rv32\nx: j x\n .globl x\n", None),
        Vec::<String>::new()
    );
    let found = sources(&format!(".target rv32\n{right}"), ".target w16\nx: jmp x\n", None);
    assert!(found.iter().any(|message| message.contains("W16") && message.contains("RV32")), "{found:?}");
    let found = sources(&format!(".target w16\n{right}"), "", Some(&TARGET));
    assert!(found.iter().any(|message| message.contains("W16") && message.contains("RV32")), "{found:?}");
    assert_eq!(sources(right, "x: j x\n .globl x\n", Some(&TARGET)), Vec::<String>::new());
    for body in ["nop\n.target w16\n", ".target x86\n", ".target\n", ".target 5\n"] {
        assert!(!told(body).is_empty(), "{body}");
    }
}

#[test]
fn what_does_not_fit_says_what_does() {
    for (body, wanted) in [
        (" addi a0, a1, 2048\n", "−2048 to 2047"),
        (" lw a0, 4096(a1)\n", "−2048 to 2047"),
        (" slli a0, a0, 32\n", "0 to 31"),
        (" lui a0, 0x100000\n", "0 to 1048575"),
        (" csrwi mscratch, 32\n", "0 to 31"),
        (" csrr a0, 4096\n", "4095"),
        (" j x\n.data\nx: .word 1\n", "data"),
        ("x: j x + 2\n", "multiple of 4"),
        ("x: j y\n .space 2000000, 0\ny: ret\n", "does not reach"),
        (" .byte 1\n nop\n", "multiple of 4"),
        (" .word 0x100000000\n", "word"),
        (" li a0, 0x100000000\n", "word"),
        (" .half 65536\n", "half word"),
        (" addi a0, a0, %pcrel_lo(x)\nx: nop\n", "auipc"),
        (" addi a0, a0, %hi(x)\nx: nop\n", "upper part"),
        (" lui a0, %lo(x)\nx: nop\n", "lower part"),
        (" lui a0, %high(x)\nx: nop\n", "part of a value"),
        (".option rvc\n nop\n", "compressed"),
        (" .align 32\n nop\n", "alignment"),
        (" .org 0x7FF00000\n nop\n", "stack"),
        (" .org 0xFFFFFE00\n nop\n", "device"),
    ] {
        let found = assembled(body).diagnostics;
        let words =
            found.iter().map(|one| format!("{} {:?} {:?}", one.message, one.expected, one.primary)).collect::<Vec<_>>();
        assert!(found.len() == 1 && words.concat().contains(wanted), "{body}: {found:#?}");
    }
}

/// A source for the other machine is told as that and as nothing else, with the line that says so.
#[test]
fn a_source_of_the_wrong_machine_is_told_once() {
    let rv32 = "# sum\n_start: li a0, 5\n addi sp, sp, -16\n sw ra, 12(sp)\n1: addi a0, a0, -1\n bnez a0, 1b\n la a1, x\n lw a2, %lo(x)(a1)\n ret\n .data\nx: .word 5\n";
    let (sources, file) = Sources::single("a.asm", rv32);
    let found = assemble(&sources, file).diagnostics;
    assert!(found.len() == 1 && found[0].message.contains("RV32"), "{found:#?}");
    let fix = found[0].fix.as_ref().expect("a fix");
    let (sources, file) = Sources::single("a.asm", wendax_source::apply_edits(rv32, &fix.edits));
    let mended = assemble(&sources, file);
    assert!(mended.is_runnable() && mended.image.target.name == "RV32", "{:#?}", mended.diagnostics);
    let w16 = "; sum\nstart: mov r0, 5\n push r1\n cmp r0, 3\n jeq @done\n call weigh\n@done: pop r1\n sys exit\nweigh: ret\n";
    let found = told(w16);
    assert!(found.len() == 1 && found[0].contains("W16"), "{found:?}");
    // A slip or two are slips.
    assert!(told("_start: mov a0, a1\n push ra\n add a0, a0, a1\n ret\n")[0].contains("`mov` is no instruction"));
}

/// Right programs of many shapes: none of them is told of.
#[test]
fn what_is_right_is_not_told_of() {
    for right in [
        // A leaf that keeps the way back in a register; one that keeps it below, with a frame pointer.
        "_start: call f\n sys exit\nf: mv t0, ra\n addi a0, a0, 1\n jr t0\n",
        "_start: call f\n sys exit\nf: addi sp, sp, -16\n sw ra, 12(sp)\n sw s0, 8(sp)\n addi s0, sp, 16\n call print\n lw ra, -4(s0)\n lw s0, 8(sp)\n addi sp, sp, 16\n ret\n",
        // The stack pointer given back by way of the frame pointer.
        "_start: call f\n sys exit\nf: addi sp, sp, -32\n sw s0, 28(sp)\n sw ra, 24(sp)\n addi s0, sp, 32\n call print\n lw ra, -8(s0)\n addi sp, s0, -32\n lw s0, 28(sp)\n addi sp, sp, 32\n ret\n",
        // A large frame.
        "_start: call f\n sys exit\nf: li t0, 8192\n sub sp, sp, t0\n sw ra, 0(sp)\n call print\n lw ra, 0(sp)\n li t0, 8192\n add sp, sp, t0\n ret\n",
        // A way out early, before anything is put by.
        "_start: call f\n sys exit\nf: beqz a0, 1f\n addi sp, sp, -16\n sw ra, 12(sp)\n call print\n lw ra, 12(sp)\n addi sp, sp, 16\n1: ret\n",
        // A tail call, behind everything was given back; a recursion.
        "_start: call f\n sys exit\nf: addi sp, sp, -16\n sw ra, 12(sp)\n call print\n lw ra, 12(sp)\n addi sp, sp, 16\n tail print\n",
        "_start: li a0, 5\n call f\n sys exit\nf: addi sp, sp, -16\n sw ra, 12(sp)\n sw s0, 8(sp)\n mv s0, a0\n beqz a0, 1f\n addi a0, a0, -1\n call f\n add a0, a0, s0\n1: lw s0, 8(sp)\n lw ra, 12(sp)\n addi sp, sp, 16\n j print\n",
        // A table of places, and a routine whose address is handed on.
        "_start: li a0, 1\n call f\n la t0, f\n jalr t0\n sys exit\nf: slli a0, a0, 2\n la t0, places\n add t0, t0, a0\n lw t0, 0(t0)\n jr t0\none: li a0, 1\n ret\ntwo: li a0, 2\n ret\n .section .rodata\nplaces: .word one, two\n",
        // It ends in the routine, by number and by name; the text has its NUL.
        "_start: call f\n sys exit\nf: la a0, text\n sys put_text\n li a7, 93\n li a0, 0\n ecall\n .data\ntext: .asciz \"x\"\n",
        // A handler that puts by what it changes, itself or in what it calls.
        "_start: la t0, h\n csrw mtvec, t0\n li t0, 128\n csrw mie, t0\n csrsi mstatus, 8\n1: wfi\n call print\n j 1b\nh: addi sp, sp, -16\n sw ra, 12(sp)\n sw t0, 8(sp)\n call tick\n lw t0, 8(sp)\n lw ra, 12(sp)\n addi sp, sp, 16\n mret\ntick: li t0, -1\n sw t0, -372(zero)\n ret\n",
        // Registers exchanged with a word for handlers; a switch between two stacks.
        "_start: la t0, h\n csrw mtvec, t0\n li t0, 128\n csrw mie, t0\n1: wfi\n call print\n j 1b\nh: csrrw t0, mscratch, t0\n li t0, -1\n sw t0, -372(zero)\n csrrw t0, mscratch, t0\n mret\n",
        "_start: la a0, one\n la a1, one\n call change\n sys exit\nchange: sw sp, 0(a0)\n sw ra, 4(a0)\n sw s0, 8(a0)\n lw sp, 0(a1)\n lw ra, 4(a1)\n lw s0, 8(a1)\n ret\n .bss\none: .space 12\n",
        // Room in a register that is made 0 by itself.
        "_start: xor s1, s1, s1\n1: addi s1, s1, 1\n li t0, 9\n blt s1, t0, 1b\n sys exit\n",
    ] {
        let print = if right.contains("print\n") { " .text\nprint: sys put_int\n ret\n" } else { "" };
        let whole = format!("{right}{print}");
        assert_eq!(told(&whole), [] as [&str; 0], "{whole}");
    }
}

/// One mistake each, planted in what is right; the line it is told at.
#[test]
fn what_goes_wrong_later_is_told_while_writing() {
    for (wrong, code, line) in [
        // The way back is taken by a call; by one on one way only; by a far one.
        ("_start: call f\n sys exit\nf: call g\n ret\ng: li a0, 1\n ret\n", 91, 4),
        ("_start: call f\n sys exit\nf: beqz a0, 1f\n call g\n1: ret\ng: li a0, 1\n ret\n", 91, 5),
        ("_start: call f\n call g\n ret\nf: li a0, 1\n ret\ng: li a0, 1\n ret\n", 91, 3),
        // A kept register, by computing, as a counter, by loading; one of two given back; the other one's word.
        ("_start: call f\n sys exit\nf: li s1, 5\n mv a0, s1\n ret\n", 92, 5),
        ("_start: call f\n sys exit\nf: li s11, 5\n1: addi s11, s11, -1\n bnez s11, 1b\n ret\n", 92, 6),
        ("_start: call f\n sys exit\nf: lw s2, 0(a0)\n mv a0, s2\n ret\n", 92, 5),
        (
            "_start: call f\n sys exit\nf: addi sp, sp, -16\n sw s0, 0(sp)\n li s0, 1\n add a0, a0, s0\n beqz a0, 1f\n lw s0, 0(sp)\n1: addi sp, sp, 16\n ret\n",
            92,
            10,
        ),
        (
            "_start: call f\n sys exit\nf: addi sp, sp, -16\n sw s0, 0(sp)\n sw s1, 4(sp)\n lw s0, 4(sp)\n lw s1, 0(sp)\n addi sp, sp, 16\n ret\n",
            92,
            9,
        ),
        // The stack pointer: not given back, given back twice, by the wrong number, on one way out.
        ("_start: call f\n sys exit\nf: addi sp, sp, -16\n sw a0, 0(sp)\n ret\n", 80, 5),
        ("_start: call f\n sys exit\nf: addi sp, sp, -16\n addi sp, sp, 16\n addi sp, sp, 16\n ret\n", 80, 6),
        ("_start: call f\n sys exit\nf: addi sp, sp, -32\n addi sp, sp, 16\n ret\n", 80, 5),
        ("_start: call f\n sys exit\nf: addi sp, sp, -16\n beqz a0, 1f\n addi sp, sp, 16\n1: ret\n", 80, 6),
        // No multiple of 16 at a call.
        ("_start: addi sp, sp, -8\n call f\n sys exit\nf: li a0, 1\n ret\n", 90, 2),
        // A return where nothing called; code that runs on.
        ("_start: li a0, 1\n ret\n", 53, 2),
        ("_start: li a0, 1\n", 51, 1),
        ("_start: call f\n call g\n sys exit\nf: addi a0, a0, 1\ng: addi a0, a0, 2\n ret\n", 67, 4),
        ("_start: sys exit\nf: li a0, 1\n j f\n", 54, 2),
        // A handler that changes what it does not put by, itself and in what it calls.
        (
            "_start: la t0, h\n csrw mtvec, t0\n csrsi mie, 8\n1: wfi\n j 1b\nh: li t1, -1\n sw t1, -372(zero)\n mret\n",
            92,
            8,
        ),
        (
            "_start: la t0, h\n csrw mtvec, t0\n csrsi mie, 8\n1: wfi\n j 1b\nh: addi sp, sp, -16\n sw ra, 0(sp)\n call f\n lw ra, 0(sp)\n addi sp, sp, 16\n mret\nf: li t6, 1\n ret\n",
            92,
            11,
        ),
        // Single instructions.
        ("_start: div a0, a0, zero\n sys exit\n", 57, 1),
        ("_start: li t1, 0\n remu a0, a0, t1\n sys exit\n", 57, 2),
        ("_start: add zero, a0, a1\n sys exit\n", 93, 1),
        ("_start: mv tp, a0\n sys exit\n", 94, 1),
        ("_start: sw a0, x, t0\n sys exit\n .section .rodata\nx: .word 1\n", 81, 1),
        ("_start: la a0, x\n sys put_text\n sys exit\n .data\nx: .ascii \"open\"\n", 56, 2),
        ("_start: lw a0, x\n lw a1, y\n sys exit\n .data\ny: .byte 1\nx: .word 1\n", 55, 6),
        ("_start: lw a0, x\n sys exit\n .data\n .byte 1\nx: .half 1, 2\n", 55, 5),
        ("_start: sys exit\n .equ most, 5\n", 60, 2),
        ("_start: li t1, 5\n1: add s3, s3, t1\n addi t1, t1, -1\n bnez t1, 1b\n mv a0, s3\n sys exit\n", 84, 2),
        ("_start: li a0, 1\nret:\n sys exit\n", 83, 2),
    ] {
        let found = assembled(wrong).diagnostics;
        let text = format!(".target rv32\n{wrong}");
        let line_of = |at: u32| text[..at as usize].matches('\n').count();
        let lines: Vec<(u16, usize)> = found.iter().map(|one| (one.code.0, line_of(one.primary.span.start))).collect();
        assert_eq!(lines, [(code, line)], "{wrong}\n{found:#?}");
    }
}

/// Thousands of routines that run on into each other are not followed from each of them to the end: that took minutes.
#[test]
fn routines_that_share_all_of_their_code_are_told_apart_no_further_than_it_helps() {
    const ROUTINES: usize = 5000;
    let mut text = String::from("_start: \n");
    (0..ROUTINES).for_each(|routine| text.push_str(&format!(" call r{routine}\n")));
    text.push_str(" sys exit\n");
    for routine in 0..ROUTINES {
        let (near, far) = ((routine + 1) % ROUTINES, (routine * 7 + 3) % ROUTINES);
        text.push_str(&format!("r{routine}: addi a0, a0, 1\n bnez a0, r{near}\n j r{far}\n"));
    }
    assert_eq!(told(&text), [] as [&str; 0]);
}
