//! What is kept of a run: moments thinned with age and within a budget, the depth of calls, what was printed.

use wendax_isa::{Reg, StepNo};
use wendax_machine::Settings;
use wendax_session::{Command, Progress, Ribbon, Session, Transcript};

/// Bytes of output that are kept at least.
const KEPT: usize = 4 << 20;

/// What the thinning of moments is judged by: one this many times the interval old may be twice as far from the next.
const AGE_PARTS: u64 = 512;

const INTERVAL: u64 = 7;

fn session(text: &str) -> Session {
    let (sources, file) = wendax_source::Sources::single("case", text);
    Session::new(wendax_asm::assemble(&sources, file).image, Settings::default())
}

fn to(session: &mut Session, step: u64) {
    session.begin(Command::Seek(StepNo(step)));
    while session.work(1_000_000) == Progress::Working {}
}

#[test]
fn thinning_keeps_the_first_and_never_lets_a_gap_grow_past_its_age() {
    // Rounds that are counted, so that no state comes twice.
    let mut session = session("start: add r1, 1\n adc r2, 0\n jmp start\n").keeping_moments_each(INTERVAL);
    to(&mut session, 280_000);
    let steps: Vec<StepNo> = session.kept_moments().collect();
    assert_eq!(steps[0], StepNo(0));
    assert!((200..4000).contains(&steps.len()), "{} are kept", steps.len());
    let newest = steps[steps.len() - 1];
    assert!(newest.0 + INTERVAL >= 280_000, "{newest}");
    for pair in steps.windows(2) {
        let age = newest - pair[0];
        // Two firsts of neighbouring buckets lie less than two buckets apart.
        assert!(pair[1] - pair[0] <= 2 * (age / AGE_PARTS).max(INTERVAL), "{pair:?} of {newest}");
    }
}

#[test]
fn a_budget_of_bytes_is_kept_and_the_newest_moment_stays() {
    // Writes all over the stack's area, so that each moment differs from the one before in many pages.
    let text =
        "start: mov r1, 0xEE00\n@next: inc r2\n stw [r1], r2\n add r1, 62\n cmp r1, 0xFC00\n jltu @next\n jmp start\n";
    let run = |budget: Option<usize>| {
        let session = session(text).keeping_moments_each(50);
        let mut session = match budget {
            Some(bytes) => session.with_budget(bytes),
            None => session,
        };
        to(&mut session, 40_000);
        session
    };
    let whole = run(None);
    let all = whole.memory_in_use();
    assert!(all > 300_000, "{all} bytes: there is something to leave out");
    let newest = whole.kept_moments().last();
    for budget in [all / 2, all / 10, all / 50] {
        let mut session = run(Some(budget));
        assert!(session.memory_in_use() <= budget, "{} of {budget}", session.memory_in_use());
        assert_eq!(session.kept_moments().last(), newest);
        // And what is kept leads to the same states.
        let oldest = session.oldest();
        to(&mut session, oldest.0 + 33);
        let mut other = run(None);
        to(&mut other, oldest.0 + 33);
        let state = |session: &Session| (1..3).map(|reg| session.machine().register(Reg(reg))).collect::<Vec<_>>();
        assert_eq!(state(&session), state(&other));
    }
}

#[test]
fn pieces_of_the_ribbon_merge_and_keep_the_deepest() {
    let mut ribbon = Ribbon::default();
    for step in 1..=5000 {
        ribbon.note(StepNo(step), if step == 3000 { 9 } else { 1 });
    }
    let columns = ribbon.columns(StepNo(5000), 50);
    assert_eq!(columns.iter().max(), Some(&9));
    let at = columns.iter().position(|&depth| depth == 9);
    assert!(matches!(at, Some(29 | 30)), "{at:?}");
    ribbon.truncate(StepNo(1000));
    assert_eq!(ribbon.columns(StepNo(1000), 10).iter().max(), Some(&1));
    assert_eq!(ribbon.columns(StepNo(0), 3), [1, 1, 1]);
    assert!(ribbon.columns(StepNo(10), 0).is_empty());
}

#[test]
fn repeated_output_is_kept_once_and_gaps_begin_anew() {
    let mut transcript = Transcript::default();
    transcript.record(0, b"abc");
    transcript.record(1, b"bcde");
    assert_eq!(transcript.up_to(4), (0, &b"abcd"[..]));
    transcript.truncate(2);
    assert_eq!(transcript.up_to(9), (0, &b"ab"[..]));
    transcript.record(10, b"xy");
    assert_eq!(transcript.up_to(11), (10, &b"x"[..]));
}

#[test]
fn looking_at_the_far_past_does_not_cost_what_is_kept_of_the_end() {
    let mut transcript = Transcript::default();
    let piece = vec![b'x'; 1 << 20];
    (0..40u64).for_each(|number| transcript.record(number << 20, &piece));
    let (base, kept) = transcript.up_to(40 << 20);
    let kept = kept.len();
    transcript.record(1 << 20, b"far back");
    assert_eq!(transcript.up_to((1 << 20) + 3), (1 << 20, &b"far"[..]));
    assert_eq!((transcript.up_to(40 << 20).0, transcript.up_to(40 << 20).1.len()), (base, kept));
    transcript.truncate((1 << 20) + 5);
    assert_eq!(transcript.up_to(9 << 20), (1 << 20, &b"far b"[..]));
}

#[test]
fn endless_output_keeps_its_last_part() {
    let mut transcript = Transcript::default();
    let mut position = 0;
    for _ in 0..40 {
        transcript.record(position, &vec![b'x'; 1 << 20]);
        position += 1 << 20;
    }
    let (base, bytes) = transcript.up_to(position);
    assert_eq!(base + bytes.len() as u64, position);
    assert!(bytes.len() >= KEPT && bytes.len() <= 2 * KEPT);
}
