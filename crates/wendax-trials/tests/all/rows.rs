//! What comes of rows: programs and routines that are right, and such that are not, with the words for it.

use crate::common::{only, report, run, subject, words};
use wendax_trials::{Kind, Named, Programs, Table, Trials};

const DOUBLE: &str = "\
start:  sys get_int
        jc none
        mov r6, r0
        add r6, r6
        mov r0, r6
        sys put_int
        clr r0
        sys exit
none:   mov r0, 3
        sys exit
";

#[test]
fn what_was_printed_is_told_with_step_line_and_where_it_came_from() {
    assert!(only(DOUBLE, "typed = \"4\\n\"\nprints = \"8\"\nstatus = 0").is_passed());
    let typed = |row: &str| words(DOUBLE, &format!("typed = \"4\\n\"\n{row}"));
    let told = "`8` was printed where `5` was expected, at step 5 (line 6); r6 was last set on line 4";
    assert_eq!(typed("prints = \"5\""), told);
    assert_eq!(typed("prints = \"\""), told.replace("`5` was expected", "nothing was expected"));
    assert_eq!(typed("prints = \"8 9\""), "nothing more was printed where a blank was expected, at step 7 (line 8)");
    assert_eq!(
        typed("prints_trimmed = \"8\\n9\""),
        "nothing more was printed where `9` was expected, at step 7 (line 8)"
    );
    assert!(only(DOUBLE, "typed = \"4\\n\"\nprints_trimmed = \"8 \\n\\n\"").is_passed());
    assert!(only(DOUBLE, "typed = \"4\\n\"\nprints_like = \"^[0-9]$\"").is_passed());
    assert_eq!(
        typed("prints_like = \"^9\""),
        "nothing that was printed is like `^9`; the last line is `8`, at step 7 (line 8)"
    );
}

#[test]
fn status_and_end_are_held_against_what_is_expected() {
    assert!(only(DOUBLE, "status = 3").is_passed(), "the input of a row without any has ended");
    assert_eq!(words(DOUBLE, "status = 0"), "it ended with status 3 where 0 was expected, at step 3 (line 10)");
    assert_eq!(
        words(DOUBLE, "ends = \"circling\""),
        "it ended by itself, with status 3, and was expected to end circling, at step 3 (line 10)"
    );
    let fails = "start: ldw r0, [0xFFF0 + 2]\n jmp start\n";
    assert!(only("start: mov r1, 0\n mov r0, 4\n div r0, r1\n sys exit\n", "ends = \"fault 4\"").is_passed());
    assert!(!only(fails, "ends = \"fault 4\"").is_passed());
    assert!(only("start: jmp start\n", "ends = \"circling\"").is_passed());
    assert!(only("start: brk\n sys exit\n", "ends = \"brk\"").is_passed());
    assert!(words("start: jmp start\n", "").contains("it never ends: line 1 jumps to itself"));
    assert!(
        words("start: mov r1, 0\n mov r0, 4\n div r0, r1\n sys exit\n", "")
            .contains("r1 holds 0, set by `mov r1, 0` on line 1")
    );
}

#[test]
fn values_memory_and_the_board_are_held_against_what_is_expected() {
    let program = "start: mov r4, -2\n stw [total], r4\n mov r0, 5\n stw [0xFF30], r0\n stw [list + 2], r0\n cmp r0, 5\n clr r0\n sys exit\n\
        .data\ntotal: .space 2\nlist: .word 1, 2, 3\nname: .asciz \"gate\"\n.align 2\n";
    let all = "holds = { r4 = -2, \"[total]\" = 0xFFFE, Z = 1, \"list - total\" = 2 }\nlamps = 5\nleaves = { list = [1, 5, 3], name = \"gate\", \"list as bytes\" = [1, 0, 5] }";
    assert!(only(program, all).is_passed());
    let fails = |row: &str| words(program, row);
    assert_eq!(fails("holds = { r4 = 2 }"), "`r4` is -2 where 2 was expected, at step 0 (line 1)");
    assert_eq!(fails("holds = { \"[total]\" = 7 }"), "`[total]` is -2 where 7 was expected, at step 1 (line 2)");
    // What is more than a word is a number of its own.
    assert!(fails("holds = { \"[total] + 0x10000\" = -2 }").ends_with("is 131070 where -2 was expected"));
    assert_eq!(
        fails("leaves = { list = [1, 2, 3] }"),
        "number 2 of `list` is 5 where 2 was expected, at step 4 (line 5)"
    );
    assert_eq!(fails("leaves = { name = \"gates\" }"), "`name` is `gate` where `gates` was expected");
    assert_eq!(fails("lamps = 6"), "lamps lit: 0 2; expected: 1 2");
    assert_eq!(fails("holds = { nowhere = 1 }"), "`nowhere`: nothing here has the name `nowhere`");
    assert_eq!(fails("digits = [1]"), "digit 0 has the segments 0x00 where 0x01 was expected");
}

#[test]
fn what_a_row_gives_is_what_the_program_finds() {
    let program = "start: ldw r6, [list]\n add r6, r4\n clr r0\n mov r1, text\n mov r2, 8\n sys arg_copy\n mov r0, text\n sys put_text\n mov r0, r6\n sys exit\n\
        .data\nlist: .word 1\ntext: .space 8\n";
    let given = "set = { r4 = 5 }\nmemory = { list = 30 }\narguments = [\"yard\"]\nprints = \"yard\"\nstatus = 35";
    assert!(only(program, given).is_passed());
    assert!(words(program, "set = { r44 = 5 }").contains("there is no register `r44` on W16"));
    let reads = "start: mov r0, path\n clr r1\n sys file_open\n jc gone\n mov r6, r0\n mov r1, text\n mov r2, 4\n sys file_read\n\
         mov r0, text\n sys put_text\n clr r0\n sys exit\ngone: sys exit\n.data\npath: .asciz \"in/a.txt\"\ntext: .space 8\n";
    assert!(only(reads, "files = { \"in/a.txt\" = \"four\" }\nprints = \"four\"").is_passed());
    assert!(only(reads, "files = { \"b.txt\" = \"four\" }\nstatus = 3").is_passed(), "there is none of that name");
    let writes = "start: mov r0, path\n mov r1, 1\n sys file_open\n mov r6, r0\n mov r1, path\n mov r2, 3\n sys file_write\n mov r0, r6\n\
         sys file_close\n clr r0\n sys exit\n.data\npath: .asciz \"out\"\n";
    assert!(only(writes, "writes = { out = \"out\" }").is_passed());
    assert_eq!(words(writes, "writes = { out = \"oat\" }"), "file `out` has `out` where `oat` was expected, at byte 1");
    assert_eq!(words(writes, "writes = { other = \"\" }"), "file `other` was not written");
}

const ROUTINES: &str = "\
start:  clr r0
        sys exit
sum:    clr r2          ; r1 words at r0
@next:  ldw r3, [r0]
        add r2, r3
        add r0, 2
        djnz r1, @next
        mov r0, r2
        ret
slow:   push r6-r7
        mov r6, r0
        clr r0
@next:  ldw r7, [r6]
        add r0, r7
        add r6, 2
        djnz r1, @next
        pop r6-r7
        ret
greedy: mov r6, 7
        ret
leaks:  push r0
        sub sp, 2
        add sp, 4
        stw [spare], r0
        ret
lost:   add sp, 2
        pop r7
        jmp r7
ends:   clr r0
        sys exit
        .data
list:   .space 20
spare:  .word 0
";

#[test]
fn routines_are_called_and_what_they_must_give_back_is_looked_at() {
    let row = "call = \"sum\"\nmemory = { list = [3, 4, -5] }\nwith = [\"list\", 3]";
    assert!(only(ROUTINES, &format!("{row}\nreturns = 2")).is_passed());
    assert_eq!(
        words(ROUTINES, &format!("{row}\nreturns = 3")),
        "2 came back in `r0` where 3 was expected, at step 14 (line 8)"
    );
    assert_eq!(words(ROUTINES, "call = \"greedy\""), "`r6` was not given back: it holds 7, at step 1 (line 19)");
    assert!(
        words(ROUTINES, "call = \"leaks\"\nwith = [9]")
            .starts_with("it changed memory that is not its own, at 0x0314 (spare), at step 4 (line 24)")
    );
    assert!(only(ROUTINES, "call = \"leaks\"\nwith = [9]\ntouches = [\"spare\"]").is_passed());
    assert!(only(ROUTINES, "call = \"leaks\"\nwith = [9]\nleaves = { spare = 9 }").is_passed());
    assert_eq!(
        words(ROUTINES, "call = \"ends\""),
        "it ended by itself, with status 0, and was expected to come back, at step 2 (line 30)"
    );
    assert!(words(ROUTINES, "call = \"lost\"").starts_with("it failed, trap"));
    assert_eq!(words(ROUTINES, "call = \"sun\""), "there is no label `sun` in this program; did you mean `sum`?");
    assert_eq!(words(ROUTINES, "call = \"list\""), "`list` is no routine: no code stands there");
    assert!(words(ROUTINES, "call = \"sum\"\nwith = [1, 2, 3, 4, 5, 6, 7, 8, 9]").contains("`with` has 9 arguments"));
}

#[test]
fn a_reference_is_compared_in_results_memory_and_output() {
    let row = |with: &str| {
        format!(
            "call = \"sum\"\nvary = {{ a = \"edges\", b = \"random 5\" }}\nmemory = {{ list = [\"{{a}}\", \"{{b}}\"] }}\nwith = [\"list\", {with}]\nlike = \"slow\""
        )
    };
    let outcome = only(ROUTINES, &row("2"));
    assert!(outcome.is_passed() && outcome.runs == 50, "{outcome:?}");
    assert!(outcome.reference.unwrap().least > outcome.cycles.unwrap().least, "it puts registers by");
    let wrong = ROUTINES.replacen("add r2, r3", "or  r2, r3", 1);
    assert!(words(&wrong, &row("2")).starts_with("with a = 1, b = "));
    assert!(words(&wrong, &row("2")).contains("where the reference gave"));
    assert!(
        words(ROUTINES, "call = \"sum\"\nwith = [\"list\", 1]\nlike = \"slaw\"")
            .contains("the reference: there is no label `slaw`")
    );
    assert!(
        words(ROUTINES, "call = \"sum\"\nwith = [\"list\", 1]\nlike = \"ends\"")
            .contains("the reference did not end well")
    );
    // What comes back is nobody's matter where it says so.
    let other = "call = \"sum\"\nmemory = { list = [3, 4] }\nwith = [\"list\", 2]\nlike = \"leaks\"";
    assert!(words(ROUTINES, other).contains("7 came back in `r0` where the reference gave"));
    assert!(only(ROUTINES, &format!("{other}\nreturns = \"any\"")).is_passed());
}

#[test]
fn a_program_for_the_other_machine_can_be_the_reference() {
    let other = ".target rv32\n_start: li a0, 0\n sys exit\nadds: li t0, 0\n1: lw t1, 0(a0)\n add t0, t0, t1\n sw t0, 0(a0)\n \
        addi a0, a0, 4\n addi a1, a1, -1\n bnez a1, 1b\n mv a0, t0\n ret\n.bss\nlist: .space 40\n";
    let own = "start: clr r0\n sys exit\nsums: clr r2\n@next: ldw r3, [r0]\n add r2, r3\n stw [r0], r2\n add r0, 2\n djnz r1, @next\n mov r0, r2\n ret\n\
        .data\nlist: .space 20\n";
    let table = "[[row]]\nname = \"it\"\ncall = \"sums\"\nwith = [\"list\", 3]\nvary = { a = \"-300..300 by 150\", b = \"random 5 from -99 to 99\" }\n\
        memory = { list = [\"{a}\", \"{b}\", 7] }\nlike = { program = \"other.asm\", call = \"adds\" }\n";
    let tried = |own: &str| {
        let programs = Programs {
            own: Some(subject(own)),
            references: Named::from([("other.asm".to_owned(), Ok(subject(other)))]),
            ..Programs::default()
        };
        let trials = Trials::new(Table::read(table).unwrap(), programs).unwrap();
        run(&trials, 2).outcomes.pop().unwrap()
    };
    let outcome = tried(own);
    assert!(outcome.is_passed() && outcome.runs == 25, "{:?}", outcome.why());
    let why = tried(&own.replace("stw [r0], r2", "stw [r0], r3")).why().unwrap();
    assert!(why.contains("number 2 of `list` is") && why.contains("where the reference left"), "{why}");
    let missing =
        Trials::new(Table::read(table).unwrap(), Programs { own: Some(subject(own)), ..Programs::default() }).unwrap();
    assert!(run(&missing, 1).outcomes[0].why().unwrap().contains("the reference other.asm was not read"));
}

#[test]
fn long_texts_and_files_lie_beside_the_table() {
    // It prints what is typed, and copies a file by its bytes.
    let program = "start: sys get_char\n jc copy\n sys put_char\n jmp start\n\
        copy: mov r0, from\n clr r1\n sys file_open\n mov r1, room\n mov r2, 9\n sys file_read\n mov r6, r0\n\
        mov r0, to\n mov r1, 1\n sys file_open\n mov r7, r0\n mov r1, room\n mov r2, r6\n sys file_write\n mov r0, r7\n sys file_close\n\
        clr r0\n sys exit\n.data\nfrom: .asciz \"in.bin\"\nto: .asciz \"out.bin\"\nroom: .space 20\n";
    let row = |cells: &str| format!("[[row]]\nname = \"it\"\nvary = {{ a = [1, 2] }}\n{cells}\n");
    let text = row(
        "typed = { from = \"said.txt\" }\nfiles = { \"in.bin\" = { from = \"a/b.bin\" } }\nprints = { from = \"said.txt\" }\n\
        writes = { \"out.bin\" = { from = \"a/b.bin\" } }",
    );
    let table = Table::read(&text).unwrap();
    assert_eq!(table.beside(), ["a/b.bin", "said.txt"]);
    let tried = |text: &str, said: &[u8], bytes: &[u8]| {
        let beside = |bytes: &[u8]| Ok(std::sync::Arc::new(bytes.to_vec()));
        let beside = [("said.txt".to_owned(), beside(said)), ("a/b.bin".to_owned(), beside(bytes))].into();
        let programs = Programs { own: Some(subject(program)), beside, ..Programs::default() };
        run(&Trials::new(Table::read(text).unwrap(), programs).unwrap(), 1).outcomes.pop().unwrap()
    };
    // Byte by byte: braces and what is no text are as they are.
    let outcome = tried(&text, b"{a} } {{\n", &[0, 0xFF, b'{', 7]);
    assert!(outcome.is_passed() && outcome.runs == 2, "{:?}", outcome.why());
    let spoilt = text.replace("prints = { from = \"said.txt\" }", "prints = \"{a}\"");
    assert!(tried(&spoilt, b"2", &[1]).why().unwrap().contains("`2` was printed where `1` was expected"));
    let spoilt = text.replace("writes = { \"out.bin\" = { from = \"a/b.bin\" } }", "writes = { \"out.bin\" = \"ab\" }");
    let why = tried(&spoilt, b"", b"ax").why().unwrap();
    assert!(why.contains("file `out.bin` has `ax` where `ab` was expected, at byte 1"), "{why}");
    // What is not there is a problem of the table, with its line.
    let programs = Programs {
        own: Some(subject(program)),
        beside: [("said.txt".to_owned(), Err("there is no such file".to_owned()))].into(),
        ..Programs::default()
    };
    let problems = Trials::new(table, programs).unwrap_err();
    let told: Vec<String> = problems.iter().map(ToString::to_string).collect();
    assert_eq!(told.len(), 4, "{told:?}");
    assert_eq!(told[0], "line 4: `said.txt` cannot be read: there is no such file");
    assert!(told.iter().any(|told| told == "line 5: `a/b.bin` cannot be read: it was not read"), "{told:?}");
}

#[test]
fn a_file_that_is_too_large_is_so_for_a_row_as_for_a_run() {
    let program = "start: mov r0, path\n clr r1\n sys file_open\n mov r0, 0\n jnc done\n inc r0\ndone: sys exit\n.data\npath: .asciz \"in\"\n";
    for (bytes, status) in [(1 << 20, 0), ((1 << 20) + 1, 1)] {
        let table = format!("[[row]]\nname = \"it\"\nfiles = {{ in = {{ from = \"in\" }} }}\nstatus = {status}\n");
        let beside = [("in".to_owned(), Ok(std::sync::Arc::new(vec![b'x'; bytes])))].into();
        let programs = Programs { own: Some(subject(program)), beside, ..Programs::default() };
        let outcome = run(&Trials::new(Table::read(&table).unwrap(), programs).unwrap(), 1).outcomes.pop().unwrap();
        assert!(outcome.is_passed(), "{bytes}: {:?}", outcome.why());
    }
}

#[test]
fn something_comes_at_every_step_of_a_stretch() {
    // A key interrupts; its handler spoils a register unless the program keeps interrupts away.
    let program = |guard: (&str, &str)| {
        format!(
            "start: mov r0, key\n stw [18], r0\n mov r0, 0x10\n stw [0xFF10], r0\n ei\nfrom: {}\n mov r6, 2\n add r6, 3\n {}\n\
             to: mov r0, r6\n sys exit\nkey: ldw r0, [0xFF12]\n mov r6, 9\n reti\n",
            guard.0, guard.1
        )
    };
    let row = "strike = { text = \"x\", from = \"from\", to = \"to\" }\nstatus = 5";
    let outcome = only(&program(("nop", "nop")), row);
    assert_eq!((outcome.runs, outcome.failed), (5, 3), "{outcome:?}");
    let told = outcome.failing.unwrap().words();
    assert!(told.starts_with("struck at step 7 (line 8): it ended with status 12 where 5 was expected"), "{told}");
    let guarded = only(&program(("di", "nop")), row);
    assert!(guarded.failed < outcome.failed, "{guarded:?}");
    assert!(words(&program(("nop", "nop")), &row.replace("\"to\"", "\"nowhere\"")).contains("`strike`: `nowhere`"));
    let lever = "strike = { lever = 30, up = true }";
    assert_eq!(words(DOUBLE, lever), "`strike`: \"lever\" is a whole number from 0 to 15");
}

#[test]
fn bounds_are_held_and_what_is_over_them_is_told() {
    assert!(only(DOUBLE, "typed = \"4\\n\"\ncycles = 60\nsteps = 8\ncode = 40").is_passed());
    let many = words(DOUBLE, "typed = \"4\\n\"\nsteps = 2\ncode = 4");
    assert!(many.contains("it took 8 steps where 2 at most were expected; and one thing more"), "{many}");
    let kind = only(DOUBLE, "typed = \"4\\n\"\ncycles = 1").failing.unwrap().differences[0].kind;
    assert_eq!(kind, Kind::Most);
}

#[test]
fn rules_are_about_the_words_of_the_text() {
    let text = "; mul is meant here\nstart: mov r1, 3   ; never call helper\n mul r1, r1\n mov r0, r1\n sys exit\n.equ LIMIT, 4\n";
    let table = |rules: &str| format!("[rules]\n{rules}\n[[row]]\nname = \"it\"\nstatus = 9\n");
    let told = |rules: &str| {
        let report = report(text, &table(rules), 1);
        let why = report.outcomes.iter().filter_map(wendax_trials::Outcome::why).collect::<Vec<_>>();
        why.join("; ")
    };
    assert_eq!(told("must = [\"instruction mul\", \"call exit\", \"name LIMIT\", \"directive .equ\"]"), "");
    assert_eq!(told("never = [\"instruction div\", \"call put_text\", \"name helper\", \"name limit\"]"), "");
    assert_eq!(told("must = [\"instruction div\"]"), "there is no instruction `div` in it");
    assert_eq!(told("never = [\"instruction mul\"]"), "there is instruction `mul` in it (main.asm:3)");
    assert_eq!(told("never = [\"call exit\"]"), "there is call `exit` in it (main.asm:5)");
}

#[test]
fn rows_of_the_other_machine_are_run_alike() {
    let program = ".target rv32\n_start: li a0, 0\n sys exit\ndouble: add a0, a0, a0\n ret\nspoils: li s3, 4\n ret\n\
        .bss\nlist: .space 8\n";
    assert!(
        only(program, "call = \"double\"\nwith = [\"{a}\"]\nvary = { a = \"edges\" }\nreturns = \"2 * {a}\"")
            .is_passed()
    );
    assert_eq!(words(program, "call = \"spoils\""), "`s3` was not given back: it holds 4, at step 2 (line 6)");
    assert!(
        words(program, "call = \"double\"\nwith = [4]\nreturns = 9")
            .contains("8 came back in `a0` where 9 was expected")
    );
}
