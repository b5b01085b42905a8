//! System calls: what each one leaves in r0 and C, what it prints, and how it refuses.

use wendax_machine::{Addr, Reg, StepNo};
use wendax_machine::{Event, Machine, Need, Run, Settings, Stop};

/// Runs a program; returns its machine and what it printed.
fn run(text: &str, input: Option<&str>) -> (Machine, String) {
    let (sources, file) = wendax_source::Sources::single("case", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    let settings = Settings { arguments: vec![b"gate".to_vec(), b"two".to_vec()], seed: 11, ..Settings::default() };
    let mut machine = Machine::new(&assembly.image, settings);
    if let Some(input) = input {
        machine.feed(&Event::Typed(input.as_bytes().to_vec()));
        machine.feed(&Event::InputEnds);
    }
    let stop = machine.run(Run::until(StepNo(10_000)));
    assert_eq!(stop, Stop::Finished(machine.finished().unwrap_or(99)), "{text}");
    let output = String::from_utf8(machine.take_output()).expect("programs here print text");
    (machine, output)
}

/// r0 and C after the calls of a program.
fn outcome(body: &str, input: Option<&str>) -> (u32, bool) {
    let (machine, _) = run(&format!("{body}\n halt\n.data\nbuffer: .space 8\n.word 0x4242\n"), input);
    (machine.register(Reg(0)), machine.flags() & 1 != 0)
}

#[test]
fn printing() {
    let (machine, output) = run(
        "mov r0, text\n sys put_text\n mov r5, r0\n mov r0, -7\n sys put_int\n sys put_uint\n sys put_hex\n\
         mov r0, 0x1241\n sys put_char\n mov r0, 3\n sys exit\n.data\ntext: .asciz \"wagon ö: \"",
        None,
    );
    assert_eq!(output, "wagon ö: -765529FFF9A");
    assert_eq!((machine.register(Reg(5)), machine.finished()), (10, Some(3)));
}

#[test]
fn reading_lines_takes_what_fits_and_leaves_the_rest() {
    let body = "mov r0, buffer\n mov r1, 4\n sys get_line\n mov r6, r0\n mov r0, buffer\n mov r1, 8\n sys get_line\n mov r7, r0\n mov r0, buffer\n sys get_line";
    let (machine, _) = run(&format!("{body}\n halt\n.data\nbuffer: .space 8\n"), Some("abcdef\nx"));
    assert_eq!((machine.register(Reg(6)), machine.register(Reg(7)), machine.register(Reg(0))), (3, 3, 1));
    assert_eq!((machine.byte(Addr(0x0300)), machine.byte(Addr(0x0301))), (b'x', 0));
    assert_eq!(
        outcome("mov r0, buffer\n mov r1, 8\n sys get_line\n mov r0, buffer\n sys get_line", Some("\n")),
        (6, true)
    );
    assert_eq!(outcome("mov r0, buffer\n mov r1, 0\n sys get_line", Some("a\n")), (8, true));
    assert_eq!(outcome("mov r0, buffer\n mov r1, 1\n sys get_line", Some("a\n")), (0, false));
    assert_eq!(outcome("mov r0, 0x0200\n mov r1, 9\n sys get_line", Some("a\n")), (2, true), "code is no buffer");
    assert_eq!(outcome("mov r0, 0xFFFF\n mov r1, 9\n sys get_line", Some("abc\n")), (2, true));
}

#[test]
fn reading_numbers_and_characters() {
    assert_eq!(outcome("sys get_int", Some("-2\n")), (0xFFFE, false));
    assert_eq!(outcome("sys get_int", Some("0x1F")), (31, false));
    assert_eq!(outcome("sys get_int\n sys get_int", Some("heavy\n5\n")), (5, false));
    assert_eq!(outcome("sys get_int", Some("heavy\n")), (7, true));
    assert_eq!(outcome("sys get_int", Some("")), (6, true));
    assert_eq!(outcome("sys get_char", Some("a")), (97, false));
    assert_eq!(outcome("sys get_char", Some("")), (6, true));
}

#[test]
fn waiting_for_input_changes_nothing_until_it_comes() {
    let (sources, file) = wendax_source::Sources::single("case", "sys get_int\n halt");
    let mut machine = Machine::new(&wendax_asm::assemble(&sources, file).image, Settings::default());
    let run = Run::until(StepNo(10));
    assert_eq!(machine.run(run), Stop::Needs(Need::Input));
    machine.feed(&Event::Typed(b"12".to_vec()));
    assert_eq!(machine.run(run), Stop::Needs(Need::Input), "the line has no end yet");
    assert_eq!((machine.steps(), machine.cycles()), (StepNo(0), 0));
    machine.feed(&Event::Typed(b"3\n".to_vec()));
    assert_eq!(machine.run(run), Stop::Finished(0));
    assert_eq!(machine.register(Reg(0)), 123);
}

#[test]
fn arguments_heap_and_random_numbers() {
    assert_eq!(outcome("sys arg_count", None), (2, false));
    let (machine, _) =
        run("mov r0, 1\n mov r1, buffer\n mov r2, 4\n sys arg_copy\n halt\n.data\nbuffer: .space 4", None);
    assert_eq!((machine.register(Reg(0)), machine.word(Addr(0x0300)), machine.word(Addr(0x0302))), (3, 0x7774, 0x006F));
    assert_eq!(outcome("mov r0, 1\n mov r1, buffer\n mov r2, 3\n sys arg_copy", None), (8, true));
    assert_eq!(outcome("mov r0, 2\n mov r1, buffer\n mov r2, 8\n sys arg_copy", None), (3, true));
    // Data ends at 030A, and so the heap begins there.
    assert_eq!(
        outcome("mov r0, 16\n sys heap_grow\n mov r6, r0\n stw [r6 + 14], r6\n mov r0, 0\n sys heap_grow", None),
        (0x031A, false)
    );
    assert_eq!(outcome("mov r0, 0xF000\n sys heap_grow", None), (8, true));
    let (same, other) = (outcome("mov r0, 0\n sys random", None), outcome("mov r0, 0\n sys random", None));
    assert_eq!(same, other, "the same seed gives the same numbers");
    for bound in [1, 2, 7, 1000] {
        assert!(outcome(&format!("mov r0, {bound}\n sys random"), None).0 < bound);
    }
}

#[test]
fn what_is_not_there_is_refused_and_flags_are_kept() {
    assert_eq!(outcome("sys 0xEE", None), (1, true));
    for call in ["file_open", "file_close", "file_read", "file_write", "file_seek"] {
        assert_eq!(outcome(&format!("sys {call}"), None), (4, true), "{call}");
    }
    assert_eq!(outcome("mov r0, 0x9000\n sys put_text", None), (2, true));
    let (machine, _) = run("mov r1, 0x8000\n add r1, r1\n sys put_char\n halt", None);
    assert_eq!(machine.flags(), 2 + 8, "only C changes");
}
