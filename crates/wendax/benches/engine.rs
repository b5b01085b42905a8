//! How fast programs run, by kind of work, beside the same work compiled natively in the same run.
//!
//! `cargo bench --bench engine` prints a table; `-- NAME` the rows whose name has that in it. Each figure is the median of
//! nine, taken in turn with its reference, since the speed of a processor that others use too drifts.

#![expect(clippy::cast_precision_loss, clippy::print_stdout, reason = "figures for people to read")]

use std::hint::black_box;
use std::ops::ControlFlow;
use std::time::Instant;
use wendax_machine::{Addr, Counting, Machine, Observer, Report, Run, Settings, StepNo};

/// A kind of work: a program that does it again and again from its label `again` on, and one round of it done natively.
struct Work {
    name: &'static str,
    text: &'static str,
    native: fn(&mut Store),
}

/// What the native work is done on.
struct Store {
    words: [u16; 4096],
    bytes: [u8; 4096],
    longs: [u32; 512],
    seed: u16,
    rounds: u32,
}

/// Sorts sixteen wagons by weight: loads, stores, comparisons, jumps, calls, pushes and pops in the mix of a usual program.
const SORT: &str = "\
start:  clr   r8
again:  mov   r6, wagons
        mov   r7, 16
        mov   r9, 40503
@fill:  mul   r8, r9
        add   r8, 12345
        stw   [r6], r8
        add   r6, 2
        djnz  r7, @fill
        mov   r6, 1
@next:  mov   r0, r6
        call  insert
        inc   r6
        cmp   r6, 16
        jltu  @next
        add   r10, 1          ; rounds, so that no state comes twice
        adc   r11, 0
        jmp   again

insert: push  r6-r7
        shl   r0, 1
        mov   r1, r0
        ldw   r2, [r1 + wagons]
@shift: cmp   r1, 0
        jeq   @place
        ldw   r3, [r1 + wagons - 2]
        cmp   r3, r2
        jleu  @place
        stw   [r1 + wagons], r3
        sub   r1, 2
        jmp   @shift
@place: stw   [r1 + wagons], r2
        pop   r6-r7
        ret
.data
wagons: .space 32
";

fn sort(store: &mut Store) {
    for at in 0..16 {
        store.seed = store.seed.wrapping_mul(40503).wrapping_add(12345);
        store.words[at] = store.seed;
    }
    for at in 1..16 {
        insert(&mut store.words, at);
    }
    store.rounds = store.rounds.wrapping_add(1);
}

#[inline(never)]
fn insert(wagons: &mut [u16; 4096], at: usize) {
    let weight = wagons[at];
    let mut place = at & 15;
    while place > 0 && wagons[place - 1] > weight {
        wagons[place] = wagons[place - 1];
        place -= 1;
    }
    wagons[place] = weight;
}

/// Adds one number to each of two thousand, and their sum to one of them.
const MEMORY: &str = "\
start:  clr   r8
again:  mov   r6, list
        mov   r7, 2000
        clr   r2
@next:  ldw   r1, [r6]
        add   r1, r8
        stw   [r6], r1
        add   r2, r1
        add   r6, 2
        djnz  r7, @next
        stw   [list], r2
        add   r8, 1
        adc   r9, 0
        adc   r10, 0
        jmp   again
.data
list:   .space 4000
";

fn memory(store: &mut Store) {
    let mut sum = 0u16;
    for word in &mut store.words[..2000] {
        *word = word.wrapping_add(store.seed);
        sum = sum.wrapping_add(*black_box(word));
    }
    store.words[0] = sum;
    store.seed = store.seed.wrapping_add(1);
}

/// Counts the leaves of a tree by calling itself for each half: the sixteenth of a row of numbers that each add two before.
const CALLS: &str = "\
start:  clr   r8
again:  mov   r0, 16
        call  leaves
        add   r8, r0
        add   r9, 1
        adc   r10, 0
        jmp   again
leaves: cmp   r0, 2
        jltu  @leaf
        push  r6
        mov   r6, r0
        sub   r0, 1
        call  leaves
        push  r0
        mov   r0, r6
        sub   r0, 2
        call  leaves
        pop   r1
        add   r0, r1
        pop   r6
@leaf:  ret
";

#[inline(never)]
fn leaves(of: u16) -> u16 {
    if of < 2 {
        return of;
    }
    black_box(leaves(of - 1)).wrapping_add(black_box(leaves(of - 2)))
}

fn calls(store: &mut Store) {
    store.seed = store.seed.wrapping_add(leaves(black_box(16)));
}

/// Copies a text to its NUL with its letters made large, and counts those.
const BYTES: &str = "\
start:  clr   r8
again:  mov   r6, text
        mov   r7, copy
        clr   r2
@next:  ldb   r0, [r6]
        cmp   r0, 0
        jeq   @end
        cmp   r0, 'a'
        jltu  @same
        cmp   r0, 'z'
        jgtu  @same
        sub   r0, 32
        add   r2, 1
@same:  stb   [r7], r0
        add   r6, 1
        add   r7, 1
        jmp   @next
@end:   stb   [r7], r0
        add   r8, r2
        add   r9, 1
        adc   r10, 0
        jmp   again
.data
text:   .asciz \"Wagon 17 with grain for Ostheim, 2 axles, brakes checked; coupled behind no. 4 on track 11 at dawn.\"
copy:   .space 200
";

const TEXT: &[u8] =
    b"Wagon 17 with grain for Ostheim, 2 axles, brakes checked; coupled behind no. 4 on track 11 at dawn.\0";

fn bytes(store: &mut Store) {
    let (text, mut large, mut at) = (black_box(TEXT), 0u16, 0);
    loop {
        let mut sign = text[at];
        if sign == 0 {
            break;
        }
        if black_box(sign.is_ascii_lowercase()) {
            sign -= 32;
            large += 1;
        }
        store.bytes[at] = sign;
        at += 1;
    }
    store.bytes[at] = 0;
    store.seed = store.seed.wrapping_add(large);
}

/// The sort, with a timer that interrupts it every thousand cycles.
const TIMER: &str = "\
start:  mov   r0, tick
        stw   [16], r0
        mov   r0, 1000
        stw   [0xFF22], r0
        mov   r0, 3
        stw   [0xFF24], r0
        ei
        clr   r8
again:  mov   r6, wagons
        mov   r7, 16
        mov   r9, 40503
@fill:  mul   r8, r9
        add   r8, 12345
        stw   [r6], r8
        add   r6, 2
        djnz  r7, @fill
        mov   r6, 1
@next:  mov   r0, r6
        call  insert
        inc   r6
        cmp   r6, 16
        jltu  @next
        add   r10, 1
        adc   r11, 0
        jmp   again
insert: push  r6-r7
        shl   r0, 1
        mov   r1, r0
        ldw   r2, [r1 + wagons]
@shift: cmp   r1, 0
        jeq   @place
        ldw   r3, [r1 + wagons - 2]
        cmp   r3, r2
        jleu  @place
        stw   [r1 + wagons], r3
        sub   r1, 2
        jmp   @shift
@place: stw   [r1 + wagons], r2
        pop   r6-r7
        ret
tick:   push  r0
        mov   r0, 7
        stw   [0xFF24], r0
        pop   r0
        reti
.data
wagons: .space 32
";

/// The sort for RV32, as a compiler lays it out.
const SORT_RV32: &str = "\
.target rv32
_start: li    s8, 0
        li    s9, 40503
again:  la    s0, wagons
        li    s1, 16
1:      mul   s8, s8, s9
        li    t0, 12345
        add   s8, s8, t0
        slli  s8, s8, 16
        srli  s8, s8, 16
        sw    s8, 0(s0)
        addi  s0, s0, 4
        addi  s1, s1, -1
        bnez  s1, 1b
        li    s0, 1
2:      mv    a0, s0
        call  insert
        addi  s0, s0, 1
        li    t0, 16
        bltu  s0, t0, 2b
        addi  s10, s10, 1     # rounds, so that no state comes twice
        j     again

insert: addi  sp, sp, -16
        sw    s0, 12(sp)
        sw    s1, 8(sp)
        slli  a0, a0, 2
        la    a1, wagons
        add   a1, a1, a0
        lw    a2, 0(a1)
1:      beqz  a0, 2f
        lw    a3, -4(a1)
        bleu  a3, a2, 2f
        sw    a3, 0(a1)
        addi  a1, a1, -4
        addi  a0, a0, -4
        j     1b
2:      sw    a2, 0(a1)
        lw    s1, 8(sp)
        lw    s0, 12(sp)
        addi  sp, sp, 16
        ret
        .bss
wagons: .space 64
";

/// A sum over a table of words and a checksum of bytes for RV32, as a compiler makes them of two loops.
const SUMS_RV32: &str = "\
.target rv32
_start: li    s11, 0
again:  la    a0, list
        li    a1, 500
        mv    a2, s11
        call  raise
        mv    s1, a0
        la    a0, list
        li    a1, 2000
        call  check
        xor   s2, s1, a0
        addi  s11, s11, 1
        j     again

raise:  slli  a1, a1, 2
        add   a1, a0, a1
        li    a5, 0
1:      lw    a4, 0(a0)
        add   a4, a4, a2
        add   a5, a5, a4
        sw    a4, 0(a0)
        addi  a0, a0, 4
        bne   a0, a1, 1b
        mv    a0, a5
        ret

check:  add   a1, a0, a1
        li    a5, 1
        li    a4, 0
        li    a6, 65521
1:      lbu   a3, 0(a0)
        addi  a0, a0, 1
        add   a5, a5, a3
        bltu  a5, a6, 2f
        sub   a5, a5, a6
2:      add   a4, a4, a5
        bltu  a4, a6, 3f
        sub   a4, a4, a6
3:      bne   a0, a1, 1b
        slli  a4, a4, 16
        or    a0, a4, a5
        ret
        .bss
list:   .space 2000
";

fn sums(store: &mut Store) {
    let mut sum = 0u32;
    for word in &mut store.longs[..500] {
        *word = word.wrapping_add(store.rounds);
        sum = sum.wrapping_add(*black_box(word));
    }
    let (mut low, mut high) = (1u32, 0u32);
    for word in &store.longs[..500] {
        for byte in word.to_le_bytes() {
            low += u32::from(black_box(byte));
            if low >= 65521 {
                low -= 65521;
            }
            high += low;
            if high >= 65521 {
                high -= 65521;
            }
        }
    }
    store.rounds = store.rounds.wrapping_add(1);
    black_box(sum ^ (high << 16 | low));
}

const WORKS: [Work; 7] = [
    Work { name: "sort", text: SORT, native: sort },
    Work { name: "memory", text: MEMORY, native: memory },
    Work { name: "calls", text: CALLS, native: calls },
    Work { name: "bytes", text: BYTES, native: bytes },
    Work { name: "timer", text: TIMER, native: sort },
    Work { name: "rv32 sort", text: SORT_RV32, native: sort },
    Work { name: "rv32 sums", text: SUMS_RV32, native: sums },
];

fn image(text: &str) -> wendax_image::Image {
    let (sources, file) = wendax_source::Sources::single("work.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    assembly.image
}

fn seconds(work: impl FnOnce()) -> f64 {
    let begun = Instant::now();
    work();
    begun.elapsed().as_secs_f64()
}

fn median(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    all[all.len() / 2]
}

/// How often a program comes to its label `again` in so many steps.
fn rounds(image: &wendax_image::Image, steps: u64) -> u64 {
    let again = image.symbol("again").and_then(|symbol| u32::try_from(symbol.value).ok()).expect("it has that label");
    let mut machine = Machine::new(image, Settings::default());
    machine.set_breakpoints(&[Addr(again)]);
    let mut rounds = 0;
    while machine.steps() < StepNo(steps) {
        machine.run(Run::until(StepNo(steps)));
        rounds += 1;
    }
    rounds
}

/// Looks at each step and does nothing with it.
struct Nothing;

impl Observer for Nothing {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        black_box(report);
        ControlFlow::Continue(())
    }
}

/// The times of a run that is told to an observer, and of one that is counted, beside that of a blind one.
fn looked_at() {
    const STEPS: u64 = 2_000_000;
    for work in [&WORKS[0], &WORKS[1], &WORKS[5]] {
        let image = image(work.text);
        let mut ratios = [const { Vec::new() }; 2];
        let mut rates = [const { Vec::new() }; 2];
        for _ in 0..9 {
            let time = |run: &mut dyn FnMut(&mut Machine)| {
                let mut machine = Machine::new(&image, Settings::default());
                seconds(|| run(&mut machine))
            };
            let blind = time(&mut |machine| {
                black_box(machine.run(Run::until(StepNo(STEPS))));
            });
            let told = time(&mut |machine| {
                black_box(machine.run_observed(Run::until(StepNo(STEPS)), &mut Nothing));
            });
            let counted = time(&mut |machine| {
                let mut counting = Counting::new(machine);
                black_box(machine.run_counted(Run::until(StepNo(STEPS)), &mut counting));
            });
            for (at, time) in [told, counted].into_iter().enumerate() {
                ratios[at].push(time / blind);
                rates[at].push(STEPS as f64 / time / 1e6);
            }
        }
        let [told, counted] = ratios.map(median);
        let [told_rate, counted_rate] = rates.map(median);
        println!(
            "{:<10} told {told_rate:>4.0} million steps a second, {told:.1} times the time of blind; counted {counted_rate:.0}, {counted:.1}",
            work.name
        );
    }
}

/// What the processor is called, where the system tells.
fn processor() -> String {
    let all = std::fs::read_to_string("/proc/cpuinfo").unwrap_or_default();
    let name = all.lines().find_map(|line| line.strip_prefix("model name"));
    name.map_or_else(|| "a processor without a name".to_owned(), |name| name.trim_matches([' ', '\t', ':']).to_owned())
}

fn main() {
    const STEPS: u64 = 50_000_000;
    let wanted = std::env::args().nth(1).filter(|word| !word.starts_with('-')).unwrap_or_default();
    let works: Vec<&Work> = WORKS.iter().filter(|work| work.name.contains(&wanted)).collect();
    if !works.is_empty() {
        println!("{}\n", processor());
        println!("| work | million steps a second | times native | from | to |\n|---|---|---|---|---|");
    }
    for work in works {
        let image = image(work.text);
        let rounds = rounds(&image, STEPS);
        let mut store = Box::new(Store { words: [0; 4096], bytes: [0; 4096], longs: [0; 512], seed: 0, rounds: 0 });
        let (mut ratios, mut rates) = (Vec::new(), Vec::new());
        for _ in 0..9 {
            let native = seconds(|| (0..rounds).for_each(|_| (work.native)(black_box(&mut store))));
            let mut machine = Machine::new(&image, Settings::default());
            let time = seconds(|| {
                black_box(machine.run(Run::until(StepNo(STEPS))));
            });
            assert_eq!(machine.steps(), StepNo(STEPS), "it runs on");
            ratios.push(time / native);
            rates.push(STEPS as f64 / time / 1e6);
        }
        ratios.sort_by(f64::total_cmp);
        println!("| {} | {:.0} | {:.1} | {:.1} | {:.1} |", work.name, median(rates), ratios[4], ratios[0], ratios[8]);
    }
    if "looked at".contains(&wanted) {
        looked_at();
    }
}
