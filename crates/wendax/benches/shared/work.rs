//! What the benchmarks have in common: the work of a usual program, and how times are taken.

use std::hint::black_box;
use std::ops::ControlFlow;
use std::time::Instant;
use wendax_machine::{Observer, Report};

/// Sorts sixteen wagons by weight: loads, stores, comparisons, jumps, calls, pushes and pops in the mix of a usual program.
pub(crate) const SORT: &str = "\
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

/// The sort for RV32, as a compiler lays it out.
pub(crate) const SORT_RV32: &str = "\
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

/// The sort with a timer that interrupts it every so many cycles, and more that is done before it and by other handlers.
pub(crate) fn interrupted(period: u32, before: &str, handlers: &str) -> String {
    let armed = format!(
        "start:  mov r0, tick\n stw [16], r0\n {before}mov r0, {period}\n stw [0xFF22], r0\n mov r0, 3\n \
         stw [0xFF24], r0\n ei\n clr r8"
    );
    let tick = "tick: push r0\n mov r0, 7\n stw [0xFF24], r0\n pop r0\n reti\n";
    SORT.replacen("start:  clr   r8", &armed, 1).replacen(".data\n", &format!("{tick}{handlers}.data\n"), 1)
}

pub(crate) fn image(text: &str) -> wendax_image::Image {
    let (sources, file) = wendax_source::Sources::single("work.asm", text);
    let assembly = wendax_asm::assemble(&sources, file);
    assert!(assembly.is_runnable(), "{:?}", assembly.diagnostics);
    assembly.image
}

pub(crate) fn seconds(work: impl FnOnce()) -> f64 {
    let begun = Instant::now();
    work();
    begun.elapsed().as_secs_f64()
}

/// The middle one.
pub(crate) fn middle(mut all: Vec<f64>) -> f64 {
    all.sort_by(f64::total_cmp);
    all[all.len() / 2]
}

/// Looks at each step and does nothing with it.
pub(crate) struct Nothing;

impl Observer for Nothing {
    const WRITES: bool = true;

    fn see(&mut self, report: &Report) -> ControlFlow<()> {
        black_box(report);
        ControlFlow::Continue(())
    }
}
