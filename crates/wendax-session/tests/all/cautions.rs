//! Cautions: each kind in its example and in no right program, and mistakes that were planted are found where they are.

#![expect(clippy::disallowed_methods, reason = "a test, not the core: it reads the demos")]

use crate::right::{Right, rights};
use wendax_language::{CAUTIONS, CautionKind as Kind};
use wendax_machine::{Event, Settings};
use wendax_session::{Cautions, Command, Progress, Session, State};
use wendax_source::Sources;

/// Steps that a program takes at most.
const STEPS: u64 = 100_000;

/// A program, run to its end.
fn run(name: &str, text: &str, typed: &str) -> Session {
    let (sources, file) = Sources::single(name, text);
    let assembly = wendax_asm::assemble(&sources, file);
    let problems: Vec<_> =
        assembly.diagnostics.iter().filter(|found| found.severity == wendax_source::Severity::Problem).collect();
    assert!(problems.is_empty(), "{name}: {problems:?}");
    let session = Session::new(assembly.image, Settings::default()).with_sources(assembly.sources);
    let mut session = session.stopping_when_idle().stopping_after_steps(wendax_isa::StepNo(STEPS));
    session.edit(Event::Typed(typed.as_bytes().to_vec()));
    session.edit(Event::InputEnds);
    session.begin(Command::Go);
    while session.work(10_000) == Progress::Working {}
    session
}

/// All that looks wrong in a run: code, line, words.
fn told(session: &Session) -> Vec<(Kind, String, String)> {
    let mut cautions = Cautions::new(session);
    while !cautions.work(session, 1_000) {}
    let list = cautions.list(session);
    list.map(|caution| {
        let began = caution.beginning(session).map_or(String::new(), |(.., words)| format!("; {words}"));
        (caution.kind, caution.line(session), format!("{}{began}", caution.words(session)))
    })
    .collect()
}

/// An example of the table, with what is typed to it.
fn example(text: &str) -> (String, String) {
    let (program, typed) = text.split_once("; typed: ").unwrap_or((text, ""));
    (program.to_owned(), format!("{typed}\n"))
}

#[test]
fn each_wrong_example_has_its_caution_alone_and_each_right_one_has_none() {
    let mut wrong = Vec::new();
    let mut all = String::new();
    for info in CAUTIONS {
        let (text, typed) = example(info.wrong);
        let session = run("wrong.asm", &text, &typed);
        let found = told(&session);
        if found.len() != 1 || found[0].0 != info.kind {
            wrong.push(format!("{} wrong: {found:#?} {:?}", info.kind, session.state()));
        }
        for (kind, line, words) in &found {
            all += &format!("{kind} {line}: {words}\n");
        }
        let (text, typed) = example(info.right);
        let session = run("right.asm", &text, &typed);
        let found = told(&session);
        if !found.is_empty() || !matches!(session.state(), State::Finished(_)) {
            wrong.push(format!("{} right: {found:#?} {:?}", info.kind, session.state()));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    insta::assert_snapshot!(all);
}

#[test]
fn right_programs_have_no_caution() {
    let mut alarms = Vec::new();
    for Right { name, text, typed, .. } in rights() {
        let session = run(name, &text, &typed);
        alarms.extend(told(&session).into_iter().map(|found| format!("{name}: {found:?}")));
    }
    assert!(alarms.is_empty(), "{}", alarms.join("\n"));
}

/// Where each of the demos that go wrong does, and how that shows.
#[test]
fn derailed_programs_are_told_where_they_go_wrong() {
    for (name, kind, line) in [
        ("again", Kind::WayBack, 21),
        ("buffer", Kind::Room, 7),
        ("carry", Kind::Carry, 10),
        ("counter", Kind::Relied, 8),
        ("edge", Kind::Beyond, 6),
        ("flags", Kind::Overwritten, 10),
        ("handler", Kind::Handler, 35),
        ("kept", Kind::Kept, 20),
        ("leaf", Kind::WayBack, 18),
        ("nul", Kind::NoEnd, 5),
        ("past", Kind::Beyond, 7),
        ("pops", Kind::WayBack, 23),
        ("signed", Kind::Settled, 8),
        ("stack", Kind::Growing, 11),
        ("deaf", Kind::Unlooked, 6),
        ("empty", Kind::FromZero, 9),
        ("key", Kind::IntoData, 5),
        ("name", Kind::Address, 8),
        ("round", Kind::SetAnew, 11),
        ("slip", Kind::Uneven, 24),
        ("unset", Kind::NeverSet, 9),
        ("tail", Kind::RunsOn, 20),
        ("cold", Kind::Signs, 9),
        ("wide", Kind::Width, 8),
    ] {
        let path = format!("{}/../../demos/derailed/{name}.asm", env!("CARGO_MANIFEST_DIR"));
        let text = std::fs::read_to_string(path).expect("a demo");
        let found = told(&run(name, &text, "Penelope\n"));
        let first = found.first().map(|(kind, line, _)| (*kind, line.as_str()));
        assert_eq!(first, Some((kind, format!("line {line}").as_str())), "{name}: {found:#?}");
    }
}

/// Routines that are right, each with mistakes that may be planted in it. `{p}` is its own prefix, `{k}` and `{j}` are registers that
/// are kept, `{t}` one that is not, `{n}` a number from 2 to 9, `{m}` the next one. Behind `|` stand a mistake and the line that
/// stands there instead with it (nothing: none); behind `<` the mistakes that show at that line, behind `^` those that begin there. What stands behind `data` is data,
/// behind `typed` what is typed.
const W16: &[&str] = &[
    "{p}: push {k} |Kept ^WayBack
 mov {k}, {n} ^Kept
 add r0, {k}
 pop {k} |Kept |WayBack
 ret <Kept <WayBack",
    "{p}: push {k}
 push {j}
 mov {k}, {p}_list
 mov {j}, {n} |Beyond mov {j}, {m} |SetAnew mov {j}, {m}
 clr r5 |NeverSet
{p}_next: ldw r1, [{k}] |SetAnew mov {j}, {m} <Beyond
 add r5, r1 <NeverSet
 add {k}, 2 |SetAnew mov {k}, {p}_list ^Beyond
 djnz {j}, {p}_next <SetAnew
 mov r0, r5
 pop {j}
 pop {k}
 ret
data {p}_list: .space 2 * {n}
data {p}_more: .word 7, 8",
    "{p}: mov r0, {p}_text
 sys put_text <NoEnd
 ret
data {p}_text: .asciz \"gate {n}\" |NoEnd {p}_text: .ascii \"gate {n}\"
data {p}_sign: .byte 65, 66, 0",
    "{p}: mov r1, {n}
 mov {t}, 3
 cmp r1, {m}
 jeq {p}_on |Overwritten add {t}, r1 ^Overwritten
 jeq {p}_on <Overwritten
 inc r1
{p}_on: mov r0, r1
 ret",
    "{p}: sys get_int ^Unlooked
 jc {p}_none |Unlooked nop
 add r0, {n} <Unlooked
{p}_none: ret
typed x",
    "{p}: push {k}
 mov {k}, {n} |Relied mov {t}, {n}
{p}_next: call {p}_tell
 djnz {k}, {p}_next |Relied djnz {t}, {p}_next <Relied
 pop {k}
 ret
{p}_tell: mov {t}, 1 ^Relied
 mov r0, 1
 ret",
    "{p}: mov r0, {p}_name
 mov r1, sizeof({p}_name) |Room mov r1, sizeof({p}_name) + {n}
 sys get_line <Room
 jc {p}_none
 nop
{p}_none: ret
data {p}_name: .space 10
data {p}_behind: .word {n}
typed Ostrey",
    "{p}: ldw r0, [{p}_most] |Address mov r0, {p}_most
 sys put_uint <Address
 ret
data {p}_most: .word {n}",
    "{p}: mov r1, -{n}
 cmp r1, 0 ^Settled
 jge {p}_warm |Settled jgeu {p}_warm <Settled
 neg r1
{p}_warm: mov r0, r1
 ret",
    "{p}: mov {t}, {n}
 sub {t}, {n} - 1 |FromZero sub {t}, {n} ^FromZero
 mov r0, 9
{p}_next: cmp r0, 1
 jeq {p}_done
 dec r0
 djnz {t}, {p}_next <FromZero
{p}_done: ret",
    "{p}: ldw r0, [{p}_west]
 ldw r1, [{p}_west + 2]
 ldw r2, [{p}_east]
 ldw r3, [{p}_east + 2]
 add r0, r2 ^Carry
 adc r1, r3 |Carry add r1, r3 <Carry
 ret
data {p}_west: .word 60000, {n}
data {p}_east: .word 60000, {m}",
    "{p}: mov {t}, 150
{p}_next: push {t}
 pop r1 |Growing
 djnz {t}, {p}_next <Growing
 add sp, 0 |Growing add sp, 300
 ret",
    "{p}: push {k}
 mov {k}, {n}
 jmp {p}_on |IntoData nop
data-here .word 0x3111 <IntoData
{p}_on: mov r0, {k}
 pop {k}
 ret",
    "{p}: push {k}
 call {p}_most
 mov {k}, r0
 call {p}_twice
 pop {k}
 ret
{p}_twice: add r0, r0 ^RunsOn
 ret |RunsOn
{p}_most: mov r0, {n} <RunsOn
 ret",
    "{p}: ldw r1, [{p}_cold]
 ldw r2, [{p}_cold + 2]
 cmp r1, r2 ^Signs
 jlt {p}_on |Signs jltu {p}_on <Signs
 mov r1, r2
{p}_on: mov r0, r1
 ret
data .align 2
data {p}_cold: .word -{n}, {m}",
    "{p}: mov r1, {p}_axles
 mov r2, 4
 clr r3
{p}_next: ldb r0, [r1] |Width ldw r0, [r1] ^Width
 add r3, r0 <Width
 add r1, 1 |Width add r1, 2
 djnz r2, {p}_next
 mov r0, r3
 ret
data .align 2
data {p}_axles: .byte {n}, 3, {m}, 1, 1, 2, 3, 4",
    "{p}: mov r1, {p}_loads
 mov r2, 3
 clr r3
{p}_next: ldw r0, [r1] |Width ldb r0, [r1] ^Width
 add r3, r0 <Width
 add r1, 2
 djnz r2, {p}_next
 mov r0, r3
 ret
data .align 2
data {p}_loads: .word 300 + {n}, 300, 400",
];

/// The same for RV32: `{k}` and `{j}` are of s0 to s11.
const RV32: &[&str] = &[
    "{p}: addi sp, sp, -16
 sw {k}, 8(sp) |Kept
 li {k}, {n} ^Kept
 add a0, a0, {k}
 lw {k}, 8(sp) |Kept
 addi sp, sp, 16 |Uneven addi sp, sp, 12
 ret <Kept <Uneven",
    "{p}: addi sp, sp, -16
 sw ra, 12(sp) |WayBack
 sw {k}, 8(sp)
 li {k}, {n}
{p}_next: call {p}_tell
 addi {k}, {k}, -1
 bnez {k}, {p}_next
 lw {k}, 8(sp)
 lw ra, 12(sp) |WayBack
 addi sp, sp, 16
 ret <WayBack
{p}_tell: li a0, 1
 ret",
    "{p}: la t1, {p}_list
 li t2, {n} |Beyond li t2, {m}
 li t3, 0 |NeverSet
{p}_next: lw t4, 0(t1) <Beyond
 add t3, t3, t4 <NeverSet
 addi t1, t1, 4 ^Beyond
 addi t2, t2, -1
 bnez t2, {p}_next
 mv a0, t3
 ret
data .balign 4
data {p}_list: .space 4 * {n}
data {p}_more: .word 7, 8",
    "{p}: la a0, {p}_text
 sys put_text <NoEnd
 ret
data {p}_text: .asciz \"gate {n}\" |NoEnd {p}_text: .ascii \"gate {n}\"
data {p}_sign: .byte 65, 66, 0",
    "{p}: li t2, {n}
 addi t2, t2, 1 - {n} |FromZero addi t2, t2, -{n}
 li a0, 9
{p}_next: beqz a0, {p}_done
 addi a0, a0, -1
 addi t2, t2, -1
 bnez t2, {p}_next <FromZero
{p}_done: ret",
    "{p}: li t1, -{n}
 bgez t1, {p}_warm |Settled bgeu t1, zero, {p}_warm <Settled
 neg t1, t1
{p}_warm: mv a0, t1
 ret",
    "{p}: sys get_int ^Unlooked
 bnez a1, {p}_none |Unlooked li a1, 0
 addi a0, a0, {n} <Unlooked
{p}_none: ret
typed x",
    "{p}: la a0, {p}_name
 li a1, 10 |Room li a1, 10 + {n}
 sys get_line <Room
 bnez a1, {p}_none
 nop
{p}_none: ret
data {p}_name: .space 10
data .balign 4
data {p}_behind: .word {n}
typed Ostrey",
    "{p}: lw a0, {p}_most |Address la a0, {p}_most
 sys put_uint <Address
 ret
data .balign 4
data {p}_most: .word {n}",
    "{p}: lw t1, {p}_cold
 lw t2, {p}_cold + 4
 blt t1, t2, {p}_on |Signs bltu t1, t2, {p}_on <Signs
 mv t1, t2
{p}_on: mv a0, t1
 ret
data .balign 4
data {p}_cold: .word -{n}, {m}",
    "{p}: la t1, {p}_axles
 li t2, 4
 li t3, 0
{p}_next: lbu t4, 0(t1) |Width lw t4, 0(t1) ^Width
 add t3, t3, t4 <Width
 addi t1, t1, 1 |Width addi t1, t1, 4
 addi t2, t2, -1
 bnez t2, {p}_next
 mv a0, t3
 ret
data .balign 4
data {p}_axles: .byte {n}, 3, {m}, 1, 1, 2, 3, 4, 5, 6, 7, 8, 9, 1, 2, 3",
    "{p}: addi sp, sp, -16
 sw ra, 12(sp)
 call {p}_most
 call {p}_twice
 lw ra, 12(sp)
 addi sp, sp, 16
 ret
{p}_twice: add a0, a0, a0 ^RunsOn
 ret |RunsOn
{p}_most: li a0, {n} <RunsOn
 ret",
];

/// A mistake: its kind, the line at which it shows, and where it begins when that is said.
struct Shows {
    kind: String,
    line: usize,
    began: Option<usize>,
}

/// A program of some routines, with one mistake or none: its text, what is typed, and where the mistake shows.
fn planted(
    is_rv32: bool,
    routines: &[(usize, u8, u8, u8)],
    mistake: Option<(usize, usize)>,
) -> (String, String, Option<Shows>) {
    let patterns = if is_rv32 { RV32 } else { W16 };
    let (mut code, mut data, mut typed) = (Vec::new(), Vec::new(), String::new());
    let (mut shows, mut began): (Option<Shows>, Option<usize>) = (None, None);
    if is_rv32 {
        code.push(" .target rv32".to_owned());
        code.push("_start: li a0, 1".to_owned());
    } else {
        code.push("start: mov r0, 1".to_owned());
    }
    // Whoever calls has something in every register that is to be kept.
    for number in 0..6 {
        code.push(if is_rv32 { format!(" li s{number}, 77") } else { format!(" mov r{}, 77", 6 + number) });
    }
    for (at, _) in routines.iter().enumerate() {
        code.push(format!(" call f{at}"));
    }
    code.push(if is_rv32 { " li a0, 0".to_owned() } else { " clr r0".to_owned() });
    code.push(" sys exit".to_owned());
    for (at, &(pattern, kept, other, number)) in routines.iter().enumerate() {
        let pattern = patterns[pattern % patterns.len()];
        let kinds: Vec<&str> = pattern
            .match_indices('<')
            .map(|(at, _)| pattern[at + 1..].split([' ', '\n']).next().unwrap_or(""))
            .collect();
        let chosen =
            mistake.filter(|mistake| mistake.0 % routines.len() == at).map(|mistake| kinds[mistake.1 % kinds.len()]);
        let kept = [kept % 6, (kept + 1 + other % 5) % 6];
        let name = |index: usize| if is_rv32 { format!("s{}", kept[index]) } else { format!("r{}", 6 + kept[index]) };
        let number = 2 + number % 8;
        for line in pattern.lines() {
            let (line, begins) = line.split_once(" ^").unwrap_or((line, ""));
            let (line, found) = line.split_once(" <").unwrap_or((line, ""));
            let mut parts = line.split(" |");
            let mut text = parts.next().unwrap_or_default().to_owned();
            for part in parts {
                let (kind, instead) = part.split_once(' ').unwrap_or((part, ""));
                if Some(kind) == chosen {
                    text = if instead.contains(':') || instead.is_empty() {
                        instead.to_owned()
                    } else {
                        format!(" {instead}")
                    };
                    if line.starts_with("data ") && !text.is_empty() {
                        text = format!("data {text}");
                    }
                    // The label of what is left out stays.
                    if let Some((label, _)) =
                        line.split_once(": ").filter(|_| !line.starts_with("data ") && !text.contains(':'))
                    {
                        text = format!("{label}:{text}");
                    }
                }
            }
            let text = text
                .replace("{p}", &format!("f{at}"))
                .replace("{k}", &name(0))
                .replace("{j}", &name(1))
                .replace("{t}", "r4")
                .replace("{n}", &number.to_string())
                .replace("{m}", &(number + 1).to_string());
            if text.is_empty() {
                continue;
            }
            if let Some(said) = text.strip_prefix("typed ") {
                typed += said;
                typed.push('\n');
            } else if let Some(text) = text.strip_prefix("data ") {
                data.push(text.to_owned());
            } else {
                code.push(text.strip_prefix("data-here").map_or(text.clone(), str::to_owned));
                if begins.split(" ^").any(|kind| Some(kind) == chosen) {
                    began = Some(code.len());
                }
                if found.split(" <").any(|kind| Some(kind) == chosen) {
                    shows = chosen.map(|kind| Shows { kind: kind.to_owned(), line: code.len(), began: None });
                }
            }
        }
    }
    if let Some(shows) = &mut shows {
        shows.began = began;
    }
    code.push(" .data".to_owned());
    code.extend(
        data.into_iter().flat_map(|line| if is_rv32 { vec![line] } else { vec![" .align 2".to_owned(), line] }),
    );
    (code.join("\n") + "\n", typed, shows)
}

/// How well mistakes are found that were planted in right programs: the line and the kind, among what is told.
#[test]
fn planted_mistakes_are_found_where_they_are_and_right_programs_are_told_nothing() {
    let (mut count, mut begun, mut missed, mut kinds) = (0, 0, Vec::new(), std::collections::BTreeSet::new());
    let mut seed = 7u64;
    let mut next = |below: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(seed >> 33).expect("a number") % below
    };
    for round in 0..300 {
        let is_rv32 = round % 3 == 0;
        // Each pattern once: what one routine sets is set for the next.
        let all = if is_rv32 { RV32 } else { W16 }.len();
        let first = next(all);
        let many = 1 + next(4);
        let mut small = || u8::try_from(next(250)).expect("it is small");
        let routines: Vec<_> = (0..many).map(|at| ((first + 7 * at) % all, small(), small(), small())).collect();
        let (text, typed, _) = planted(is_rv32, &routines, None);
        let found = told(&run("right", &text, &typed));
        assert!(found.is_empty(), "{text}\n{found:#?}");
        let (text, typed, shows) = planted(is_rv32, &routines, Some((next(9), next(9))));
        let Shows { kind, line, began } = shows.unwrap_or_else(|| panic!("it shows somewhere\n{text}"));
        let found = told(&run("wrong", &text, &typed));
        let begins = |words: &str| began.is_none_or(|began| words.contains(&format!(" on line {began} at step")));
        let is_found = found
            .iter()
            .any(|found| format!("{:?}", found.0) == kind && found.1 == format!("line {line}") && begins(&found.2));
        begun += usize::from(began.is_some());
        kinds.insert(kind.clone());
        count += 1;
        if !is_found {
            missed.push(format!("{kind} at line {line}:\n{text}\n{found:#?}"));
        }
    }
    assert!(kinds.len() >= 18 && begun > 150, "{begun} {kinds:?}");
    assert!(missed.is_empty(), "{} of {count} missed: {}", missed.len(), missed.join("\n\n"));
}
