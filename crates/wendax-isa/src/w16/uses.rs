//! Which registers and flags an instruction reads and writes, apart from what a trap or interrupt does.

use super::codec::Insn;
use super::table::{Cond, Op};
use super::{C, CALLS, FLAG_BITS, FlagRule, N, SP, V, Z};
use crate::RegisterUse;

const STACK: u32 = 1 << SP;

impl Insn {
    /// What it reads and writes.
    pub fn uses(&self) -> RegisterUse {
        let op = self.op();
        let (a, b) = (1 << self.a, if self.b <= SP { 1 << self.b } else { 0 });
        let reads = match op {
            Op::Nop | Op::Halt | Op::Ei | Op::Di | Op::Brk | Op::Jump(_) => 0,
            Op::Ret | Op::Reti | Op::PushFl | Op::PopFl | Op::Call | Op::Pop => STACK,
            Op::Push | Op::CallReg => a | STACK,
            Op::JmpReg | Op::Djnz | Op::Not | Op::Neg | Op::Swapb | Op::Extb | Op::Rlc | Op::Rrc => a,
            Op::Mov | Op::Ldw | Op::Ldb | Op::Ldsb | Op::Lea => b,
            Op::Add | Op::Adc | Op::Sub | Op::Sbc | Op::Cmp | Op::And | Op::Or | Op::Xor | Op::Tst => a | b,
            Op::Shl | Op::Shr | Op::Asr | Op::Mul | Op::Div | Op::Mod | Op::Mulh | Op::Mulhs => a | b,
            Op::Divs | Op::Mods | Op::Swap | Op::Stw | Op::Stb => a | b,
            Op::Sys => {
                let call = CALLS.iter().find(|call| call.number == u32::from(self.value));
                call.map_or(0, |call| call.takes.iter().map(|(register, _)| 1 << register.0).sum())
            }
        };
        let own = if op.writes_register() { a } else { 0 };
        let more = match op {
            Op::Ret | Op::Reti | Op::PushFl | Op::PopFl | Op::Push | Op::Pop | Op::Call | Op::CallReg => STACK,
            Op::Swap => b,
            Op::Sys => 1,
            _ => 0,
        };
        let flags_read = match op {
            Op::Adc | Op::Sbc | Op::Rlc | Op::Rrc => C,
            Op::PushFl => FLAG_BITS,
            Op::Jump(condition) => condition.reads(),
            _ => 0,
        };
        let flags_written = if op == Op::Sys { FlagRule::Call.touched() } else { self.row().flags.touched() };
        RegisterUse { reads, writes: own | more, flags_read: flags_read.into(), flags_written: flags_written.into() }
    }
}

impl Cond {
    /// The flags it hangs on.
    pub fn reads(self) -> u16 {
        match self {
            Self::Always => 0,
            Self::Eq | Self::Ne => Z,
            Self::Ltu | Self::Geu => C,
            Self::Neg | Self::NotNeg => N,
            Self::Overflow | Self::NoOverflow => V,
            Self::Gtu | Self::Leu => C | Z,
            Self::Lt | Self::Ge => N | V,
            Self::Gt | Self::Le => N | V | Z,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::w16::decode;

    #[test]
    fn conditions_hang_on_the_flags_they_say_and_no_others() {
        for condition in Cond::ALL {
            for flag in [C, Z, N, V] {
                let hangs = (0..16).any(|flags| condition.holds(flags) != condition.holds(flags ^ flag));
                assert_eq!(condition.reads() & flag != 0, hangs, "{condition:?} {flag}");
            }
        }
    }

    #[test]
    fn what_is_read_and_written_is_told() {
        let uses = |first, second| decode(first, second).expect("an instruction").uses();
        let told = |uses: RegisterUse| (uses.reads, uses.writes, uses.flags_read, uses.flags_written);
        // add r1, r2; mov r1, r2; push r3; stw [r2 + 4], r1; swap r1, r2; jgtu; sys put_text
        assert_eq!(told(uses(0x1112, 0)), (0b110, 0b10, 0, 15));
        assert_eq!(told(uses(0x1012, 0)), (0b100, 0b10, 0, 0));
        assert_eq!(told(uses(0x4630, 0)), (0b1000 | STACK, STACK, 0, 0));
        assert_eq!(told(uses(0x7112, 4)), (0b110, 0, 0, 0));
        assert_eq!(told(uses(0x5412, 0)), (0b110, 0b110, 0, 0));
        assert_eq!(told(uses(0x8902, 0)), (0, 0, 3, 0));
        assert_eq!(told(uses(0x0111, 0)), (1, 1, 0, 1));
    }
}
