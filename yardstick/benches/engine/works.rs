//! What is done: programs, and the same work in Rust.

use crate::work::{SORT, SORT_RV32, interrupted};
use std::hint::black_box;

/// A kind of work: a program that does it again and again from its label `again` on.
pub(crate) struct Work {
    pub(crate) name: &'static str,
    pub(crate) text: String,
    /// One round of it done natively, and a number that shows that it was done.
    pub(crate) native: fn(&mut Store) -> u32,
    /// The routine of `works.wat` that does it.
    #[cfg_attr(not(feature = "interpreter"), expect(dead_code, reason = "the interpreter alone asks for it"))]
    pub(crate) portable: &'static str,
}

/// What the native work is done on.
pub(crate) struct Store {
    wagons: [u16; 16],
    words: [u16; 2000],
    bytes: [u8; 4096],
    longs: [u32; 512],
    seed: u16,
    rounds: u32,
}

impl Default for Store {
    fn default() -> Self {
        Self { wagons: [0; 16], words: [0; 2000], bytes: [0; 4096], longs: [0; 512], seed: 0, rounds: 0 }
    }
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

fn memory(store: &mut Store) -> u32 {
    let mut sum = 0u16;
    for word in &mut store.words {
        *word = word.wrapping_add(store.seed);
        sum = sum.wrapping_add(*black_box(word));
    }
    store.words[0] = sum;
    store.seed = store.seed.wrapping_add(1);
    sum.into()
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

fn calls(store: &mut Store) -> u32 {
    store.seed = store.seed.wrapping_add(leaves(black_box(16)));
    store.seed.into()
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

fn bytes(store: &mut Store) -> u32 {
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
    store.seed.into()
}

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

fn sums(store: &mut Store) -> u32 {
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
    black_box(sum ^ (high << 16 | low))
}

/// A round of the sort; each comparison is done, whatever the compiler knows.
fn sort(store: &mut Store) -> u32 {
    let Store { seed, wagons, .. } = store;
    for wagon in &mut *wagons {
        *seed = seed.wrapping_mul(40503).wrapping_add(12345);
        *wagon = *seed;
    }
    for at in 1..16 {
        let weight = wagons[at];
        let mut place = at;
        while place > 0 && black_box(wagons[place - 1]) > weight {
            wagons[place] = wagons[place - 1];
            place -= 1;
        }
        wagons[place] = weight;
    }
    black_box(wagons);
    (*seed).into()
}

pub(crate) fn works() -> [Work; 7] {
    let timer = interrupted(1000, "", "");
    let work = |name, text: &str, native, portable| Work { name, text: text.to_owned(), native, portable };
    [
        work("sort", SORT, sort, "sort"),
        work("memory", MEMORY, memory, "memory of words"),
        work("calls", CALLS, calls, "calls"),
        work("bytes", BYTES, bytes, "bytes"),
        work("timer", &timer, sort, "sort"),
        work("rv32 sort", SORT_RV32, sort, "sort"),
        work("rv32 sums", SUMS_RV32, sums, "sums"),
    ]
}
