//! Two ways of asking tell one run, seen from the shell: each case once told another one, or was taken in silence.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Command, Stdio};

/// What came of a command.
pub(crate) struct Came {
    pub(crate) out: String,
    pub(crate) told: String,
    pub(crate) status: Option<i32>,
}

/// Runs `wendax` with words as a shell would have them, and this on standard input. What is shown goes among the output,
/// unless the words say where.
pub(crate) fn run(folder: &Path, words: &str, input: &str) -> Came {
    let mut arguments = shlex::split(words).expect("it is written as in a shell");
    let has = |arguments: &[String], option: &str| arguments.iter().any(|word| word == option);
    if has(&arguments, "--show") && !has(&arguments, "--shows") {
        arguments.splice(1..1, ["--shows".to_owned(), "-".to_owned()]);
    }
    let stdin = folder.join("stdin");
    std::fs::write(&stdin, input).expect("it is written");
    let output = Command::new(env!("CARGO_BIN_EXE_wendax"))
        .current_dir(folder)
        .args(arguments)
        .stdin(if input.is_empty() { Stdio::null() } else { std::fs::File::open(stdin).expect("it is there").into() })
        .output()
        .expect("it starts");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Came { out: text(&output.stdout), told: text(&output.stderr), status: output.status.code() }
}

/// A folder with these files.
pub(crate) fn folder(files: &[(&str, &str)]) -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    for (name, text) in files {
        std::fs::write(folder.path().join(name), text).expect("it is written");
    }
    folder
}

/// The steps at which a stop is met, told by `--each … --show step`.
pub(crate) fn steps(folder: &Path, program: &str, stop: &str) -> Vec<u64> {
    let stop = shlex::try_quote(stop).expect("no NUL");
    let came = run(folder, &format!("run {program} --each {stop} --show step --json --shows met.jsonl"), "");
    assert!(came.status != Some(101) && came.status != Some(110), "{stop}: {}", came.told);
    let shown = std::fs::read_to_string(folder.join("met.jsonl")).expect("it was written");
    let step = |line: &str| serde_json::from_str::<serde_json::Value>(line).expect("JSON")["step"].as_u64();
    shown.lines().filter_map(step).collect()
}

/// A timer that interrupts an idle loop.
const IDLE: &str = "\
start:  mov   r0, tick
        stw   [16], r0
        mov   r0, 10000
        stw   [0xFF22], r0
        mov   r0, 3
        stw   [0xFF24], r0
        ei
idle:   ldw   r1, [over]
        cmp   r1, 3
        jnz   idle
        halt
tick:   push  r0
        mov   r0, 7
        stw   [0xFF24], r0
        ldw   r0, [over]
        inc   r0
        stw   [over], r0
        pop   r0
        reti
        .data
over:   .word 0
";

/// Calls a routine eight times.
const CALLS: &str =
    "start:  mov r7, 8\nnext:   call f\n        djnz r7, next\n        halt\nf:      inc r1\n        ret\n";

/// Looks at the levers, and at the console.
const LOOKS: &str = "start:  mov r7, 100\na:      ldw r1, [0xFF32]\n        djnz r7, a\n        halt\n";
const KEYS: &str = "start:  mov r7, 100\na:      ldw r1, [0xFF10]\n        djnz r7, a\n        halt\n";

/// A wait that takes keys while a timer runs.
const TAKES: &str = "\
start:  mov   r0, 50000
        stw   [0xFF22], r0
        mov   r0, 1
        stw   [0xFF24], r0
loop:   ldw   r1, [0xFF12]
        cmp   r1, 'q'
        jnz   loop
        ldw   r0, [0xFF08]
        sys   put_uint
        halt
";

#[test]
fn a_wait_that_takes_keys_takes_each_of_them_once() {
    let folder = folder(&[("poll.asm", TAKES)]);
    let keys = "a".repeat(30_000) + "q";
    std::fs::write(folder.path().join("keys"), &keys).expect("it is written");
    let given = run(folder.path(), "run poll.asm --clock virtual --input keys --state s.json", "");
    let state: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(folder.path().join("s.json")).expect("a state")).expect("JSON");
    // Three steps a key, seven around them.
    assert_eq!(state["steps"].as_u64(), Some(3 * keys.len() as u64 + 7), "{}", given.told);
    let trail = run(folder.path(), "run poll.asm --clock virtual --input keys --trail t.txt", "");
    let rows = std::fs::read_to_string(folder.path().join("t.txt")).expect("a trail").lines().count();
    assert_eq!((trail.out, rows as u64), (given.out.clone(), 3 * keys.len() as u64 + 7));
    let tally = run(folder.path(), "run poll.asm --clock virtual --input keys --tally t.json", "");
    let tally_json: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(folder.path().join("t.json")).expect("a tally")).expect("JSON");
    assert_eq!((tally.out, tally_json["consumed"].as_u64()), (given.out.clone(), Some(keys.len() as u64)));
    // Redirected it is the same run from the first step on.
    assert_eq!(run(folder.path(), "run poll.asm --clock virtual", &keys).out, given.out);
}

#[test]
fn redirected_input_is_there_before_the_first_step() {
    let looks = "start:  mov r6, 0\n@l:     inc r6\n        ldw r0, [0xFF10]\n        tst r0, 1\n        jz @l\n\
                 \x20       mov r0, r6\n        sys put_uint\n        halt\n";
    let folder = folder(&[("looks.asm", looks)]);
    assert_eq!(run(folder.path(), "run looks.asm --clock virtual", "abc").out, "1");
    let state = "start: ldw r0, [0xFF10]\n sys put_uint\n halt\n";
    std::fs::write(folder.path().join("state.asm"), state).expect("it is written");
    assert_eq!(run(folder.path(), "run state.asm", "").out, "6", "ready, and ended");
    assert_eq!(run(folder.path(), "run state.asm", "x").out, "3", "ready, and a key waits");
}

#[test]
fn a_place_is_met_where_it_arrives_whatever_else_is_asked() {
    let folder = folder(&[("idle.asm", IDLE)]);
    let alone = steps(folder.path(), "idle.asm", "idle");
    assert_eq!(alone.len(), 4993);
    for same in ["idle.asm:8", "idle if 1", "in idle.asm:8 to idle.asm:8"] {
        assert_eq!(steps(folder.path(), "idle.asm", same), alone, "{same}");
    }
    let beside = run(
        folder.path(),
        "run idle.asm --each idle --show step --each 'when step % 1000 == 0' --show step --shows both.txt",
        "",
    );
    let both = std::fs::read_to_string(folder.path().join("both.txt")).expect("it was written");
    assert_eq!(both.matches("-- idle ·").count(), alone.len(), "{}", beside.told);
    let thousandth: Vec<u64> = alone.iter().copied().skip(999).step_by(1000).collect();
    assert_eq!(steps(folder.path(), "idle.asm", "idle every 1000"), thousandth);
    assert_eq!(steps(folder.path(), "idle.asm", "interrupt timer"), steps(folder.path(), "idle.asm", "interrupt"));
    // The line ran as often as the tally says.
    run(folder.path(), "run idle.asm --coverage c.info", "");
    let coverage = std::fs::read_to_string(folder.path().join("c.info")).expect("it was written");
    assert!(coverage.contains("\nDA:8,4993\n"), "{coverage}");
    assert!(coverage.contains("FN:1,start\n") && coverage.contains("FNDA:1,start\n"), "{coverage}");
    assert!(coverage.contains("BRDA:10,0,0,") && coverage.contains("BRDA:10,0,1,1\n"), "{coverage}");
}

#[test]
fn code_that_rewrites_itself_is_told_as_it_ran() {
    let folder = folder(&[]);
    // mov r1, 3125h; stw [0208h], r1; nop, which has become add r2, 5; add r3, 1; halt
    let words: [u16; 7] = [0x2010, 0x3125, 0x711F, 0x0208, 0x0001, 0x3131, 2];
    let bytes: Vec<u8> = words.iter().flat_map(|word| word.to_le_bytes()).collect();
    std::fs::write(folder.path().join("next.bin"), bytes).expect("it is written");
    let met = |stop: &str| steps(folder.path(), "next.bin --at 0x200", stop);
    assert_eq!((met("op add"), met("op nop")), (vec![2, 3], vec![]));
    let trail = run(folder.path(), "run next.bin --at 0x200 --trail -", "").out;
    assert!(trail.lines().nth(2).is_some_and(|row| row.contains("add r2, 5")), "{trail}");
    let last = run(folder.path(), "run next.bin --at 0x200 --until '3 steps' --show 'last 1'", "").out;
    assert!(last.contains("add r2, 5"), "{last}");
    // Add becomes subtract and back, at each round.
    let source = "start: mov r2, 4\n mov r4, 0x0200\nloop: add r1, 0\n ldw r3, [loop]\n xor r3, r4\n stw [loop], r3\n djnz r2, loop\n halt\n";
    std::fs::write(folder.path().join("turns.asm"), source).expect("it is written");
    run(folder.path(), "build turns.asm -o turns.bin", "");
    let met = |stop: &str| steps(folder.path(), "turns.bin --at 0x200", stop);
    let (adds, subtracts) = (met("op add"), met("op sub"));
    assert_eq!((adds.len(), subtracts.len()), (2, 2), "{adds:?} {subtracts:?}");
    let only = run(folder.path(), "run turns.bin --at 0x200 --trail - --trail-only 'op sub'", "").out;
    assert!(only.lines().count() == 2 && only.lines().all(|row| row.contains("sub r1, 0")), "{only}");
    run(folder.path(), "run turns.bin --at 0x200 --tally t.json", "");
    let tally = std::fs::read_to_string(folder.path().join("t.json")).expect("a tally");
    assert!(tally.contains("sub r1, 0") && tally.contains("add r1, 0"), "{tally}");
}

#[test]
fn what_comes_from_outside_meets_stops_and_its_step_tells_of_it() {
    let folder = folder(&[
        ("looks.asm", LOOKS),
        ("keys.asm", KEYS),
        ("levers.jsonl", "{\"step\": 50, \"lever\": 2, \"up\": true}\n{\"step\": 90, \"lever\": 2, \"up\": false}\n"),
        ("typed.jsonl", "{\"step\": 50, \"text\": \"k\"}\n{\"step\": 90, \"end\": true}\n"),
    ]);
    let met = |stop: &str| steps(folder.path(), "looks.asm --events levers.jsonl", stop);
    assert_eq!(met("when [levers] == 4"), [50]);
    assert_eq!(met("change levers"), [50, 90]);
    assert_eq!(met("a if [levers]").len(), 20);
    let met = |stop: &str| steps(folder.path(), "keys.asm --events typed.jsonl", stop);
    assert_eq!(met("when [console_state] == 3"), [51], "behind the step it came with");
    assert_eq!(met("change console_data"), [51]);
    let trail = run(folder.path(), "run looks.asm --events levers.jsonl --trail -", "").out;
    assert!(trail.lines().nth(50).is_some_and(|row| row.contains("lever 2 moved up")), "{trail}");
    let trail = run(folder.path(), "run keys.asm --events typed.jsonl --trail -", "").out;
    assert!(trail.lines().nth(50).is_some_and(|row| row.contains("console state 0x0002 → 0x0003")), "{trail}");
    let shown = run(folder.path(), "run keys.asm --events typed.jsonl --until '51 steps' --show 'last 1'", "").out;
    assert!(shown.contains("console data 0x0000 → 0x006B"), "{shown}");
}

#[test]
fn events_that_do_not_come_are_named_and_an_end_is_an_end() {
    let folder = folder(&[
        ("looks.asm", LOOKS),
        (
            "late.jsonl",
            "{\"step\": 5, \"levers\": 1}\n{\"step\": 5000, \"levers\": 2}\n{\"place\": \"a\", \"time\": 900, \"levers\": 0}\n",
        ),
        ("order.jsonl", "{\"cycle\": 101, \"levers\": 5}\n{\"cycle\": 100, \"levers\": 3}\n"),
        ("end.jsonl", "{\"cycle\": 500, \"end\": true}\n{\"cycle\": 600, \"text\": \"q\"}\n"),
        ("mixed.jsonl", "{\"cycle\": 50, \"end\": true}\n{\"step\": 60, \"text\": \"q\"}\n"),
        ("data.asm", "start: halt\n .data\nover: .word 0\n"),
        ("data.jsonl", "{\"place\": \"over\", \"levers\": 1}\n"),
    ]);
    let came = run(folder.path(), "run looks.asm --events late.jsonl", "");
    assert!(came.told.contains("note: 2 of 3 events did not come: lines 2, 3"), "{}", came.told);
    let came = run(folder.path(), "tally looks.asm --events late.jsonl", "");
    assert!(came.told.contains("2 of 3 events did not come"), "{}", came.told);
    let came = run(folder.path(), "run looks.asm --events end.jsonl", "");
    assert!(came.status == Some(110) && came.told.contains("line 2: nothing is typed behind the end"), "{}", came.told);
    let came = run(folder.path(), "run looks.asm --events mixed.jsonl", "");
    assert!(came.told.contains("note: 1 of 2 events did not come: line 2"), "{}", came.told);
    let came = run(folder.path(), "run data.asm --events data.jsonl", "");
    assert!(came.status == Some(110) && came.told.contains("no code stands there"), "{}", came.told);
    // In order of time, not of lines.
    let came = run(folder.path(), "run looks.asm --events order.jsonl --each 'change levers' --show '[levers]'", "");
    let values: Vec<&str> = came.out.lines().filter(|line| line.starts_with("[levers]")).collect();
    assert_eq!(values, ["[levers] = 3", "[levers] = 5"], "{}", came.out);
}

#[test]
fn counts_of_meetings_agree_with_each_other() {
    let folder = folder(&[("calls.asm", CALLS)]);
    let shown = |words: &str| run(folder.path(), &format!("run calls.asm {words}"), "").out;
    let met = |text: &str| -> Vec<u64> {
        text.lines().filter_map(|line| line.strip_prefix("met = ")?.parse().ok()).collect()
    };
    assert_eq!(met(&shown("--each f --show met")), (1..=8).collect::<Vec<_>>());
    assert_eq!(met(&shown("--each 'f from 4' --show met")), (4..=8).collect::<Vec<_>>());
    assert_eq!(met(&shown("--each 'enter f every 3' --show met")), [3, 6]);
    assert_eq!(met(&shown("--until f --show met --until f --show met --until f --show met")), [1, 2, 3]);
    // The very first moment, and the last step.
    assert_eq!(met(&shown("--until start --show met")), [1]);
    assert_eq!(steps(folder.path(), "calls.asm", "start"), [0]);
    assert_eq!(steps(folder.path(), "calls.asm", "op halt").len(), 1);
    let last = run(folder.path(), "run calls.asm --until '34 steps' --show pc", "");
    assert!(last.out.contains("-- 34 steps · step 34") && last.status == Some(0), "{}{}", last.out, last.told);
    // Of the trail the same steps.
    let trail = shown("--trail - --trail-only 'f every 2'");
    let rows: Vec<u64> = trail.lines().filter_map(|row| row.split_whitespace().next()?.parse().ok()).collect();
    assert_eq!(rows, steps(folder.path(), "calls.asm", "f every 2"));
    assert_eq!(shown("--trail - --trail-only 'f once'").lines().count(), 1);
}

#[test]
fn limits_and_ends_hold_with_every_way_of_asking() {
    let turns = "start: mov r2, 5\n@again: inc r1\n jmp @again\n";
    let folder = folder(&[("turns.asm", turns), ("calls.asm", CALLS)]);
    for words in ["--show step", "--each '@again' --show step", "--until 'when r9 == 1'", ""] {
        let came = run(folder.path(), &format!("run turns.asm --steps 50 {words}"), "");
        assert_eq!(came.status, Some(115), "{words}: {}", came.told);
        assert!(came.told.contains("stopped after 50 steps, before its end"), "{words}: {}", came.told);
    }
    // A trail in a file is no part of the program's output.
    let prints = "start: mov r0, 65\n sys put_char\n halt\n";
    std::fs::write(folder.path().join("prints.asm"), prints).expect("it is written");
    assert_eq!(run(folder.path(), "run prints.asm --trail t.csv", "").out, "A");
    // A passage does not end behind the end of the run.
    let spans = run(folder.path(), "run calls.asm --tally - --span 'calls.asm:4 to f'", "").out;
    let row = spans.lines().find(|line| line.contains("calls.asm:4 to f")).unwrap_or_default().to_owned();
    assert!(row.split_whitespace().any(|word| word == "0") || row.is_empty(), "{spans}");
}

#[test]
fn what_can_never_be_met_is_a_problem_with_what_is_meant() {
    let folder = folder(&[("calls.asm", &format!("{CALLS}        .data\nlevel:  .word 0\n")[..])]);
    for (stop, told) in [
        ("op foo", "no instruction is named `foo`"),
        ("op icn", "there is `inc`"),
        ("level == 2", "`when [level] == 2` stops"),
        ("r1 == 5", "`when r1 == 5` stops"),
        ("f if r1 = 5", "`r1 == 5` does"),
        ("when level = 5", "`[level] == 5` does"),
        ("call f", "`enter f` stops there"),
        ("call 300", "no number of a call"),
        ("trap 5", "no number of a trap; there are"),
        ("trap 99", "no number of a trap"),
        ("trap timer", "`interrupt timer`"),
        ("interrupt brk", "`trap brk`"),
        ("write 70000", "addresses go from 0 to 0xFFFF"),
        ("enter level", "no code of the program stands there"),
        ("f from 3 every 2", "of `from` and `every` one stands"),
        ("f once once", "was said already"),
        ("when here == 3", "`pc`"),
    ] {
        let words = format!("run calls.asm --each {} --show step", shlex::try_quote(stop).expect("no NUL"));
        let came = run(folder.path(), &words, "");
        assert!(came.status == Some(110) && came.told.contains(told), "{stop}: {}", came.told);
    }
    // Both conditions hold; what need not be looked at is not.
    assert_eq!(steps(folder.path(), "calls.asm", "f if r7 < 7 if r7 > 3").len(), 3);
    assert_eq!(steps(folder.path(), "calls.asm", "f if r9 == 0 || 100 / r9 > 3").len(), 8);
    assert_eq!(steps(folder.path(), "calls.asm", "op inc").len(), 8);
    assert_eq!(steps(folder.path(), "calls.asm", "op clr").len(), 0);
}

#[test]
fn a_loop_that_shows_the_same_again_is_circling_and_one_that_blinks_is_not() {
    let shows = "start: mov r2, 5\n@again: mov r1, 5\n@w: stw [0xFF30], r2\n dec r1\n jnz @w\n jmp @again\n";
    let waits = "start: mov r0, 500\n stw [0xFF22], r0\n mov r0, 1\n stw [0xFF24], r0\n ldw r0, [0xFF24]\n@again: tst r0, 4\n jz @again\n halt\n";
    let blinks = "start: xor r2, 1\n stw [0xFF30], r2\n jmp start\n";
    let folder = folder(&[("shows.asm", shows), ("waits.asm", waits), ("blinks.asm", blinks)]);
    for program in ["shows.asm", "waits.asm"] {
        let came = run(folder.path(), &format!("run {program} --clock virtual --state s.json"), "");
        assert!(came.status == Some(113) && came.told.contains("circling"), "{program}: {}", came.told);
        let state = std::fs::read_to_string(folder.path().join("s.json")).expect("a state");
        let state: serde_json::Value = serde_json::from_str(&state).expect("JSON");
        assert!(state["steps"].as_u64() < Some(1_700_000), "{program}: {state}");
    }
    let came = run(folder.path(), "run blinks.asm --steps 3000000", "");
    assert_eq!(came.status, Some(115), "{}", came.told);
}

#[test]
fn what_a_run_cost_counts_calls_that_have_not_ended_and_no_failure_that_cannot_be() {
    let fails = "start: clr r0\n sub r0, 1\n mov r0, 0\n sys exit\n";
    let divides = "start: mov r1, 5\n clr r2\n div r1, r2\n halt\n";
    let folder = folder(&[("calls.asm", CALLS), ("fails.asm", fails), ("divides.asm", divides)]);
    let tally = |words: &str| -> serde_json::Value {
        run(folder.path(), &format!("run {words} --tally t.json"), "");
        serde_json::from_str(&std::fs::read_to_string(folder.path().join("t.json")).expect("a tally")).expect("JSON")
    };
    assert_eq!(tally("fails.asm")["calls"][0]["failed"], 0);
    let open = tally("calls.asm --steps 3");
    let routines = open["routines"].as_array().expect("a list").iter();
    let routines: BTreeMap<&str, &serde_json::Value> =
        routines.map(|routine| (routine["name"].as_str().expect("a name"), routine)).collect();
    assert_eq!(routines["start"]["callees"][0]["cycles"], routines["f"]["all_cycles"]);
    assert_eq!(routines["f"]["dearest"]["cycles"], routines["f"]["all_cycles"]);
    // The instruction that failed was come to.
    run(folder.path(), "run divides.asm --coverage c.info", "");
    let coverage = std::fs::read_to_string(folder.path().join("c.info")).expect("it was written");
    assert!(coverage.contains("DA:3,1\nDA:4,0\n"), "{coverage}");
    assert_eq!(steps(folder.path(), "divides.asm", "divides.asm:3"), [2]);
}

/// Three additions that a repeat writes; what stands in its body has no code under its own line.
const REPEATS: &str = "\
start:  mov   r3, 0
; three of them
        .repeat 3, i
        add   r3, {i}
        .endrepeat
        push  r3
        halt
";

#[test]
fn a_line_that_became_no_instruction_is_not_another_line() {
    let folder = folder(&[("again.asm", REPEATS)]);
    assert_eq!(steps(folder.path(), "again.asm", "again.asm:2"), [1], "a comment stands for what follows it");
    let came = run(folder.path(), "run again.asm --each again.asm:4", "");
    assert_eq!(came.status, Some(110), "{}", came.told);
    assert!(came.told.contains("line 4 of again.asm became no instruction of its own"), "{}", came.told);
}

#[test]
fn a_value_that_is_more_than_a_word_is_said_to_be_cut_and_records_keep_their_rows() {
    let folder = folder(&[("again.asm", REPEATS)]);
    let shows = "70000 as hex, 70000 as signed, 70000 as unsigned, -1 as hex, -40000 as binary";
    let came = run(folder.path(), &format!("run again.asm --show '{shows}'"), "");
    for line in [
        "70000 as hex = 1170 (the low word of 70000)",
        "70000 as signed = 4464 (the low word of 70000)",
        "70000 as unsigned = 4464 (the low word of 70000)",
        "-1 as hex = FFFF",
        "-40000 as binary = 0110 0011 1100 0000 (the low word of -40000)",
    ] {
        assert!(came.out.lines().any(|shown| shown == line), "{line}: {}{}", came.out, came.told);
    }
    let came = run(folder.path(), "run again.asm --json --show 'start as records 2 of word byte byte'", "");
    let shown: serde_json::Value = serde_json::from_str(&came.out).expect("JSON");
    let text = shown.to_string();
    assert!(text.contains(r#""records":[["#), "{text}");
}

/// More changes than are kept of what is followed.
const RESTLESS: &str = "\
start:  mov   r6, 0
outer:  mov   r5, 0
loop:   xor   r2, 1
        xor   r3, 1
        djnz  r5, loop
        djnz  r6, outer
        halt
";

#[test]
fn what_is_not_followed_to_the_end_is_told_in_the_file_and_beside_it() {
    let folder = folder(&[("restless.asm", RESTLESS)]);
    let followed = |out: &str, steps: u64| {
        let told = format!("draw run restless.asm --of r2 --of r3 --steps {steps} -o {out}");
        let came = run(folder.path(), &told, "");
        assert!(matches!(came.status, Some(0 | 115)), "{}", came.told);
        (came.told, std::fs::read_to_string(folder.path().join(out)).expect("it was written"))
    };
    let said = "too much changes: what is followed is not known behind step ";
    for out in ["out.vcd", "out.svg"] {
        let (told, written) = followed(out, 2_000_000);
        let behind = told.split(said).nth(1).unwrap_or_else(|| panic!("{out}: {told}"));
        let step = behind.lines().next().unwrap_or_default();
        let known: String = step.chars().filter(char::is_ascii_digit).collect();
        let known: u64 = known.parse().expect("a step");
        assert!((1_400_000..1_600_000).contains(&known), "{known}");
        assert!(written.contains(&format!("{said}{step}")), "{out} says so too");
        let (told, written) = followed(out, 20_000);
        assert!(!told.contains(said) && !written.contains(said), "{out}: {told}");
    }
}

/// A `brk` and a fault, each with a handler.
const ENTRIES: &str = "\
start:  mov   r1, pause
        stw   [12], r1
        mov   r1, after
        stw   [8], r1
        brk
        clr   r2
        div   r1, r2
        halt
pause:  reti
after:  halt
";

#[test]
fn the_entry_of_a_trap_reads_and_writes_the_same_whatever_led_to_it() {
    let folder = folder(&[("entries.asm", ENTRIES)]);
    let entries = steps(folder.path(), "entries.asm", "trap");
    assert_eq!(entries, [5, 8]);
    for stop in ["read Z", "read C", "read I", "write trap_number", "write sp"] {
        let met = steps(folder.path(), "entries.asm", stop);
        assert!(entries.iter().all(|step| met.contains(step)), "{stop}: {met:?}");
    }
    // The second entry leaves the same number there: it is written all the same, and does not change.
    let twice = ENTRIES.replace("clr   r2\n        div   r1, r2", "brk");
    std::fs::write(folder.path().join("entries.asm"), twice).expect("it is written");
    assert_eq!(steps(folder.path(), "entries.asm", "write trap_number").len(), 2);
    assert_eq!(steps(folder.path(), "entries.asm", "change trap_number").len(), 1);
}

#[test]
fn files_beside_a_run_leave_its_output_as_it_is() {
    let prints = "start: mov r0, 42\n sys put_uint\n clr r0\n sys exit\n";
    let folder = folder(&[("prints.asm", prints)]);
    let plain = run(folder.path(), "run prints.asm", "").out;
    assert_eq!(plain, "42");
    for beside in ["trail t.csv", "trail t.txt", "trail t.jsonl", "tally t.json", "state s.json", "coverage c.info"] {
        let came = run(folder.path(), &format!("run prints.asm --{beside}"), "");
        assert_eq!((came.out.as_str(), came.status), (plain.as_str(), Some(0)), "{beside}: {}", came.told);
    }
    assert_eq!(run(folder.path(), "run prints.asm --each prints.asm:2 --show r0 --shows s.txt", "").out, plain);
}

#[test]
fn the_trail_tells_what_was_never_set_as_registers_are_told() {
    let calls = "start: call f\n swap r1, r1\n mov r1, 7\n swap r1, r1\n halt\nf: mov r6, 300\n ret\n";
    let folder = folder(&[("calls.asm", calls)]);
    let trail = run(folder.path(), "run calls.asm --trail -", "").out;
    let row = |words: &str| trail.lines().find(|row| row.contains(words)).unwrap_or_else(|| panic!("{words}: {trail}"));
    let pushed = row("call f");
    assert!(pushed.contains("[FDFE] >0202"), "a cell never written has no value before: {pushed}");
    assert!(row("mov r6, 300").contains("r6 >012C"), "{trail}");
    let swaps: Vec<&str> = trail.lines().filter(|row| row.contains("swap r1, r1")).collect();
    let twice = |row: &&str| row.matches('>').count() > 1;
    assert!(swaps.len() == 2 && !swaps.iter().any(twice), "a register swapped with itself is told once: {swaps:#?}");
}
