//! Answers come late, in any order, among keys and files that change: what is shown is always what is so.

use crate::common::{Stage, hides, shows};
use proptest::prelude::*;
use wendax_source::MemoryFiles;
use wendax_tui::Message;

const MAIN: &str = "\
        .include \"b.inc\"
start:  mov   r1, WEIGHT
        mov   r6, 40
again:  add   r1, 3
        call  twice
        djnz  r6, again
        sys   get_int
        jc    done
        mov   r2, r0
        stw   [sum], r2
        mov   r0, 20
        sys   wait_ms
        jmp   start
done:   mov   r0, 0
        sys   exit
        .data
sum:    .word 0
";

const PART: &str = "\
        .equ WEIGHT, 5
twice:  add   r3, r1
        add   r3, r1
        ret
";

/// The same for RV32, with the same names.
const MAIN_RV32: &str = "\
        .target rv32
        .include \"b.inc\"
start:  li    a1, WEIGHT
        li    s6, 40
again:  addi  a1, a1, 3
        call  twice
        addi  s6, s6, -1
        bnez  s6, again
        sys   get_int
        bnez  a1, done
        sw    a0, sum, t0
        li    a0, 20
        sys   wait_ms
        j     start
done:   li    a0, 0
        sys   exit
        .data
sum:    .word 0
";

const PART_RV32: &str = "\
        .equ WEIGHT, 5
twice:  add   a3, a3, a1
        add   a3, a3, a1
        ret
";

fn yard() -> Stage {
    yard_of(false)
}

/// The yard for either machine.
fn yard_of(is_rv32: bool) -> Stage {
    let (main, part) = if is_rv32 { (MAIN_RV32, PART_RV32) } else { (MAIN, PART) };
    Stage::project(&["main.asm"], MemoryFiles::default().with("main.asm", main).with("b.inc", part))
}

/// A text for the machine: registers by the names they have there.
fn text_of(is_rv32: bool, text: &str) -> String {
    if is_rv32 { text.replace("r1", "a1") } else { text.to_owned() }
}

/// A run that is long under way, as it is in a slice of few steps.
fn slow() -> Stage {
    slow_of(false)
}

fn slow_of(is_rv32: bool) -> Stage {
    let mut stage = yard_of(is_rv32);
    stage.app = stage.app.clone().with_slice(7);
    stage.answers_late();
    stage
}

fn settle(stage: &mut Stage) {
    for _ in 0..2000 {
        stage.works();
        if !stage.arrives(0) && !stage.app.has_work() {
            return;
        }
    }
}

#[test]
fn an_edit_while_the_text_is_replayed_leaves_the_walk_an_older_text() {
    let mut stage = slow();
    stage.keys("l").text("9").keys("Enter b g");
    settle(&mut stage);
    stage.text("7\n").keys("Esc");
    settle(&mut stage);
    shows(&mut stage, "paused: breakpoint");
    // Two edits, one before and one on the way.
    stage.keys("l").text("3").keys("Enter e Home").text(" nop\n").keys("Esc");
    settle(&mut stage);
    stage.keys("r");
    shows(&mut stage, "replaying");
    stage.works();
    stage.keys("l").text("3").keys("Enter e Home").text(" nop\n nop\n").keys("Esc");
    settle(&mut stage);
    shows(&mut stage, "the walk shows an older text");
    shows(&mut stage, "the text was changed meanwhile");
    assert_eq!(stage.app.broken(), None);
    stage.keys("r");
    settle(&mut stage);
    hides(&mut stage, "older text");
    shows(&mut stage, "with the same input, at the same place");
    assert_eq!(stage.app.broken(), None);
}

#[test]
fn a_remark_while_the_text_is_replayed_leaves_it_the_present_one() {
    let mut stage = slow();
    stage.keys("Right Right Right e Ctrl-Home Down End").text("\n nop").keys("Esc");
    settle(&mut stage);
    stage.keys("r e Ctrl-Home").text("; a remark\n; and one more\n").keys("Esc");
    settle(&mut stage);
    hides(&mut stage, "older text");
    assert_eq!(stage.app.broken(), None);
}

#[test]
fn an_answer_to_a_run_that_was_left_is_not_one_to_the_next() {
    let mut stage = slow();
    stage.keys("g");
    settle(&mut stage);
    stage.text("7\n");
    // On its way to the wait, and in it.
    for _ in 0..40 {
        stage.works();
    }
    stage.keys("Esc Ctrl-C R g");
    settle(&mut stage);
    shows(&mut stage, "waiting for input");
    assert_eq!(stage.app.broken(), None);
}

#[test]
fn touching_an_include_keeps_stops_and_undo_of_the_file_behind_it() {
    let mut stage = yard();
    stage.keys("f").text("b.inc").keys("Enter l").text("3").keys("Enter b e End").text("; marked").keys("Esc");
    shows(&mut stage, "◆");
    stage.keys("f").text("main").keys("Enter e Ctrl-Home End Backspace Backspace").text("x");
    stage.keys("Backspace").text("c\"").keys("Esc f").text("b.inc").keys("Enter");
    shows(&mut stage, "◆");
    stage.keys("g");
    shows(&mut stage, "paused: breakpoint");
    stage.keys("e Ctrl-Z Ctrl-Z Ctrl-Z Ctrl-Z Ctrl-Z Ctrl-Z Ctrl-Z Ctrl-Z Ctrl-Z");
    hides(&mut stage, "; marked");
}

#[test]
fn a_stop_comes_back_with_its_line() {
    let mut stage = yard();
    stage.keys("l").text("5").keys("Enter b e Ctrl-D");
    shows(&mut stage, "a stop is gone with its line");
    hides(&mut stage, "◆");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "◆ 5");
    // Also when the file is emptied and written anew, as some programs save.
    stage.keys("Esc");
    stage.message(Message::Changed("main.asm".into(), MAIN.into(), String::new()));
    hides(&mut stage, "◆");
    stage.message(Message::Changed("main.asm".into(), String::new(), MAIN.into()));
    shows(&mut stage, "◆ 5");
    stage.keys("g");
    shows(&mut stage, "paused: breakpoint");
}

#[test]
fn a_file_that_was_removed_and_written_anew_is_no_conflict() {
    let mut stage = yard();
    stage.message(Message::Gone("main.asm".into()));
    shows(&mut stage, "no longer on disk");
    let theirs = MAIN.replace("mov   r6, 40", "mov   r6, 4");
    stage.message(Message::Changed("main.asm".into(), String::new(), theirs.clone()));
    hides(&mut stage, "changed twice");
    hides(&mut stage, "unsaved");
    assert_eq!(stage.app.text_of("main.asm"), Some(theirs));
}

#[test]
fn no_question_opens_while_someone_writes() {
    let mut stage = yard();
    stage.keys("l").text("4").keys("Enter e End").text(" ; mine");
    stage.message(Message::Changed("main.asm".into(), MAIN.into(), MAIN.replace("add   r1, 3", "add   r1, 4")));
    stage.text(" kept to the end");
    let text = stage.app.text_of("main.asm").expect("it is open");
    assert!(text.contains("add   r1, 3 ; mine kept to the end"), "{text}");
    shows(&mut stage, "changed on disk too");
    stage.keys("Ctrl-S");
    shows(&mut stage, "again:  add   r1, 3 ; mine kept to the end");
    shows(&mut stage, "again:  add   r1, 4");
    // Left undecided, nothing is written.
    stage.keys("Esc");
    assert!(stage.saved.is_empty());
    stage.keys("Ctrl-S k Ctrl-S");
    assert!(stage.saved.iter().any(|(_, text)| text.contains("mine kept")), "{:?}", stage.saved);
}

#[test]
fn the_walk_is_taken_up_where_it_was_left() {
    let mut stage = yard();
    stage.keys("g").text("7\n").keys("Esc = ").text("r5 = 99\n").keys("Left Left Left");
    let wanted = stage.screen();
    let there = wanted.lines().next().expect("a header").split("W16").nth(1).expect("numbers").to_owned();
    stage.again();
    shows(&mut stage, "Ctrl-Y takes it up again");
    shows(&mut stage, "step 0 of 0");
    // It waits on while it is not taken up, and when that was given up on the way.
    stage.again();
    stage.app = stage.app.clone().with_slice(7);
    stage.answers_late();
    stage.keys("Ctrl-Y");
    shows(&mut stage, "replaying: Esc leaves it");
    stage.keys("Esc");
    shows(&mut stage, "not replayed");
    assert!(stage.app.kept().walk.is_some());
    stage.app = stage.app.clone().with_slice(100_000);
    stage.keys("Ctrl-Y");
    for _ in 0..100 {
        stage.works();
    }
    shows(&mut stage, "the walk of last time, where it stood");
    shows(&mut stage, &there);
    stage.keys("End");
    shows(&mut stage, "r5  0063");
    stage.keys("Ctrl-Z");
    shows(&mut stage, "step 0 of 0");
    // Of another program it is none.
    stage.keys("Ctrl-Y l").text("3").keys("Enter e End").text("1").keys("Esc Ctrl-S");
    stage.again();
    hides(&mut stage, "takes it up again");
}

/// What happens next.
#[derive(Debug, Clone)]
enum Act {
    Key(usize),
    Text(usize),
    Arrives(usize),
    Work(u8),
    /// Another program writes a file.
    Disk(bool, u8),
    Removed(bool),
    /// The bench is left and opened again.
    Again,
}

const KEYS: [&str; 55] = [
    "Right",
    "Left",
    "Right",
    "Left",
    ">",
    "<",
    "]",
    "[",
    "g",
    "g",
    "G",
    "b",
    "b",
    "e",
    "e",
    "Esc",
    "Esc",
    "Enter",
    "Tab",
    "Up",
    "Down",
    "Home",
    "End",
    "Backspace",
    "Delete",
    "f",
    "r",
    "r",
    "R",
    "Ctrl-D",
    "Alt-Shift-Down",
    "Alt-Shift-Right",
    "Ctrl-Up",
    "Ctrl-Z",
    "Ctrl-Z",
    "Ctrl-Y",
    "Ctrl-Y",
    "Ctrl-S",
    "Ctrl-C",
    "Ctrl-X",
    "Ctrl-V",
    "Ctrl-K",
    "t",
    "X",
    "C",
    "s",
    "L",
    "3",
    "0",
    "k",
    "i",
    "Ctrl-T",
    "Ctrl-Home",
    "T",
    "h",
];

const TEXTS: [&str; 10] = [
    "7\n",
    " nop\n",
    "v r1\n",
    "= r1 = 7\n",
    "a again if r1 > 20\n",
    "t 5\n",
    "; remark",
    "v [sum]\n",
    "j 12 steps\n",
    "= [sum] = 3\n",
];

fn act() -> impl Strategy<Value = Act> {
    prop_oneof![
        10 => (0..KEYS.len()).prop_map(Act::Key),
        4 => (0..TEXTS.len()).prop_map(Act::Text),
        6 => (0usize..4).prop_map(Act::Arrives),
        6 => (1u8..30).prop_map(Act::Work),
        1 => (any::<bool>(), any::<u8>()).prop_map(|(part, number)| Act::Disk(part, number)),
        1 => any::<bool>().prop_map(Act::Removed),
        1 => Just(Act::Again),
    ]
}

/// How many runs are tried: more when asked for.
fn cases() -> u32 {
    std::env::var("WENDAX_PROGRAMS").ok().and_then(|count| count.parse().ok()).unwrap_or(32)
}

#[test]
fn what_was_put_off_is_not_asked_again_by_the_next_build() {
    let mut stage = Stage::new("start:  nop\n");
    let asks = |names: &[&str]| Message::AskReach(names.iter().map(Into::into).collect());
    stage.message(asks(&["/common"]));
    shows(&mut stage, "names what lies outside of its folder");
    stage.keys("Esc");
    shows(&mut stage, "the next start asks again");
    // A build that was under way tells of the same; the next key is no answer to a question that nobody expects.
    stage.message(asks(&["/common"]));
    hides(&mut stage, "names what lies outside of its folder");
    // Of two only the one that is new is asked about.
    stage.message(asks(&["/common", "/other"]));
    shows(&mut stage, "/other");
    hides(&mut stage, "/common");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(cases()))]
    /// Whatever is pressed, arrives late, changes on disk: what is shown is so, and nothing that was made is lost.
    #[test]
    fn what_is_shown_is_so_whenever_answers_come(
        is_rv32 in any::<bool>(), acts in proptest::collection::vec(act(), 1..90),
    ) {
        let mut stage = slow_of(is_rv32);
        let (main, part) = if is_rv32 { (MAIN_RV32, PART_RV32) } else { (MAIN, PART) };
        let mut disk: Vec<String> = vec![main.into(), part.into(), String::new()];
        settle(&mut stage);
        for act in acts {
            match &act {
                Act::Key(key) => _ = stage.keys(KEYS[*key]),
                Act::Text(text) => _ = stage.text(&text_of(is_rv32, TEXTS[*text])),
                Act::Arrives(nth) => _ = stage.arrives(*nth),
                Act::Work(times) => (0..*times).for_each(|_| stage.works()),
                Act::Disk(is_part, number) => {
                    let (name, text) = if *is_part { ("b.inc", part) } else { ("main.asm", main) };
                    let theirs = text.replace("add", ["add", "sub", "\n add", "; "][usize::from(*number % 4)]);
                    disk.push(theirs.clone());
                    let base = stage.app.open_files().into_iter().find(|file| file.name == name).and_then(|file| file.base);
                    stage.comes(Message::Changed(name.into(), base.as_deref().unwrap_or_default().into(), theirs));
                }
                Act::Removed(is_part) => stage.comes(Message::Gone(if *is_part { "b.inc" } else { "main.asm" }.into())),
                Act::Again => {
                    settle(&mut stage);
                    let before = stage.app.kept();
                    let is_current = stage.screen().contains("ready") || stage.screen().contains("paused");
                    stage.again();
                    stage.app = stage.app.clone().with_slice(7);
                    disk.extend(stage.app.open_files().into_iter().filter_map(|file| file.base).map(|base| base.to_string()));
                    let after = stage.app.kept();
                    prop_assert_eq!(&after.watches, &before.watches);
                    if is_current {
                        prop_assert_eq!(after.stops.len(), before.stops.len(), "{:?}\n{:?}", before.stops, after.stops);
                    }
                    stage.answers_late();
                }
            }
            let broken = stage.app.broken();
            prop_assert!(broken.is_none(), "after {act:?}: {}\n{}", broken.unwrap_or_default(), stage.screen());
            if let Err(lost) = stage.nothing_is_lost(&disk) {
                prop_assert!(false, "after {act:?}: {lost}");
            }
            if stage.ended {
                break;
            }
        }
        settle(&mut stage);
        prop_assert_eq!(stage.app.broken(), None);
    }

    /// Doing again is the mirror of taking back: after as many of each the walk is the same one, and so are the stops.
    #[test]
    fn as_often_taken_back_as_done_again_is_as_before(
        is_rv32 in any::<bool>(), deeds in proptest::collection::vec(0usize..12, 1..25), times in 1usize..30,
    ) {
        const DEEDS: [&str; 12] = [
            "Right", "Left", "g", "G", "End", "Home", "b", "X", "R", "= r1 = 7\n", "= [sum] = 3\n", "i 7\n",
        ];
        let mut stage = yard_of(is_rv32);
        for deed in deeds {
            match DEEDS[deed] {
                text if text.contains('\n') => _ = stage.keys("Esc").text(&text_of(is_rv32, text)).keys("Esc"),
                key => _ = stage.keys("Esc").keys(key),
            }
        }
        let state = |stage: &mut Stage| {
            let kept = stage.app.kept();
            let header = stage.screen().lines().next().and_then(|line| {
                let name = if is_rv32 { "RV32" } else { "W16" };
                line.split(name).nth(1).map(str::to_owned)
            });
            (kept.stops, kept.walk, header)
        };
        stage.keys("Esc");
        let before = state(&mut stage);
        (0..times).for_each(|_| _ = stage.keys("Ctrl-Z"));
        (0..times).for_each(|_| _ = stage.keys("Ctrl-Y"));
        prop_assert_eq!(state(&mut stage), before);
        prop_assert_eq!(stage.app.broken(), None);
    }
}
