//! What instructions compute: each operation is one function of values, which every loop uses.
//!
//! An operation tells its flags by what they come of, and they are worked out when someone looks: most are written over
//! before that. What a condition says of them is worked out without their bits where that is less work.

#![expect(clippy::inline_always, reason = "what is constant where one of these is used makes most of it disappear")]

use wendax_isa::w16::{C, Cond, N, V, Z};

/// What flags come of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u8)]
pub(super) enum How {
    /// `a` holds their bits.
    Bits,
    /// `a` less `b`.
    Difference,
    /// `a` and `b` together.
    Sum,
    /// `a` was shifted by `b` places, 1 to 15.
    Left,
    Right,
    SignedRight,
}

/// The flags C, Z, N and V, by what they come of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Flags {
    pub(super) a: u16,
    pub(super) b: u16,
    pub(super) how: How,
}

impl Flags {
    #[inline(always)]
    pub(super) fn of_bits(bits: u16) -> Self {
        Self { a: bits, b: 0, how: How::Bits }
    }

    #[inline(always)]
    fn difference(a: u16, b: u16) -> Self {
        Self { a, b, how: How::Difference }
    }

    /// Those of a result that can neither carry nor overflow.
    #[inline(always)]
    fn of_result(result: u16) -> Self {
        Self::difference(result, 0)
    }

    /// Their bits.
    #[inline(always)]
    pub(super) fn bits(self) -> u16 {
        let Self { a, b, how } = self;
        match how {
            How::Bits => a,
            How::Difference => difference_bits(a, b, 0),
            How::Sum => sum_bits(a, b, 0),
            How::Left => sign_and_zero(a << (b & 15)) | (a >> (16u16.wrapping_sub(b) & 15) & 1) * C,
            How::Right => sign_and_zero(a >> (b & 15)) | (a >> (b.wrapping_sub(1) & 15) & 1) * C,
            How::SignedRight => sign_and_zero(shifted(a, b)) | (shifted(a, b.wrapping_sub(1)) & 1) * C,
        }
    }

    /// C, as 0 or 1.
    #[inline(always)]
    pub(super) fn carry(self) -> u16 {
        self.bits() & C
    }

    /// A condition holds.
    #[inline(always)]
    pub(super) fn holds(self, cond: Cond) -> bool {
        let Self { a, b, how } = self;
        if how == How::Difference {
            let (x, y) = (a.cast_signed(), b.cast_signed());
            return match cond {
                Cond::Always => true,
                Cond::Eq => a == b,
                Cond::Ne => a != b,
                Cond::Ltu => a < b,
                Cond::Geu => a >= b,
                Cond::Gtu => a > b,
                Cond::Leu => a <= b,
                Cond::Lt => x < y,
                Cond::Ge => x >= y,
                Cond::Gt => x > y,
                Cond::Le => x <= y,
                Cond::Neg => x.wrapping_sub(y) < 0,
                Cond::NotNeg => x.wrapping_sub(y) >= 0,
                Cond::Overflow => x.checked_sub(y).is_none(),
                Cond::NoOverflow => x.checked_sub(y).is_some(),
            };
        }
        let is_zero = |result: u16| match cond {
            Cond::Eq => Some(result == 0),
            Cond::Ne => Some(result != 0),
            Cond::Neg => Some(result >> 15 != 0),
            Cond::NotNeg => Some(result >> 15 == 0),
            _ => None,
        };
        let told = match how {
            How::Sum => is_zero(a.wrapping_add(b)),
            How::Left => is_zero(a << (b & 15)),
            How::Right => is_zero(a >> (b & 15)),
            How::SignedRight => is_zero(shifted(a, b)),
            How::Bits | How::Difference => None,
        };
        told.unwrap_or_else(|| cond.holds(self.bits()))
    }
}

/// What an operation leaves: a value and flags.
pub(super) type Result = (u16, Flags);

/// The flags for a result, without C and V.
#[inline(always)]
fn sign_and_zero(result: u16) -> u16 {
    (if result == 0 { Z } else { 0 }) | (result >> 15) * N
}

#[inline(always)]
fn sum_bits(a: u16, b: u16, carry: u16) -> u16 {
    let wide = u32::from(a) + u32::from(b) + u32::from(carry);
    let result = a.wrapping_add(b).wrapping_add(carry);
    let overflow = (a ^ result) & (b ^ result);
    sign_and_zero(result) | (if wide > 0xFFFF { C } else { 0 }) | (overflow >> 15) * V
}

#[inline(always)]
fn difference_bits(a: u16, b: u16, borrow: u16) -> u16 {
    let result = a.wrapping_sub(b).wrapping_sub(borrow);
    let needed = u32::from(a) < u32::from(b) + u32::from(borrow);
    let overflow = (a ^ b) & (a ^ result);
    sign_and_zero(result) | (if needed { C } else { 0 }) | (overflow >> 15) * V
}

/// Shifted to the right, the sign kept.
#[inline(always)]
fn shifted(value: u16, count: u16) -> u16 {
    (value.cast_signed() >> (count & 15)).cast_unsigned()
}

/// Low and high word of a 32-bit product.
#[inline(always)]
fn words(product: u32) -> (u16, u16) {
    let [a, b, c, d] = product.to_le_bytes();
    (u16::from_le_bytes([a, b]), u16::from_le_bytes([c, d]))
}

#[inline(always)]
pub(super) fn add(d: u16, s: u16) -> Result {
    (d.wrapping_add(s), Flags { a: d, b: s, how: How::Sum })
}

#[inline(always)]
pub(super) fn adc(d: u16, s: u16, carry: u16) -> Result {
    (d.wrapping_add(s).wrapping_add(carry), Flags::of_bits(sum_bits(d, s, carry)))
}

#[inline(always)]
pub(super) fn sub(d: u16, s: u16) -> Result {
    (d.wrapping_sub(s), Flags::difference(d, s))
}

#[inline(always)]
pub(super) fn sbc(d: u16, s: u16, borrow: u16) -> Result {
    (d.wrapping_sub(s).wrapping_sub(borrow), Flags::of_bits(difference_bits(d, s, borrow)))
}

#[inline(always)]
fn plain(result: u16) -> Result {
    (result, Flags::of_result(result))
}

#[inline(always)]
pub(super) fn and(d: u16, s: u16) -> Result {
    plain(d & s)
}

#[inline(always)]
pub(super) fn or(d: u16, s: u16) -> Result {
    plain(d | s)
}

#[inline(always)]
pub(super) fn xor(d: u16, s: u16) -> Result {
    plain(d ^ s)
}

/// Shifts by the low four bits of `s`, which are not all 0: a shift by 0 places leaves C to whoever wrote it, see [`unshifted`].
#[inline(always)]
pub(super) fn shl(d: u16, s: u16) -> Result {
    (d << (s & 15), Flags { a: d, b: s & 15, how: How::Left })
}

#[inline(always)]
pub(super) fn shr(d: u16, s: u16) -> Result {
    (d >> (s & 15), Flags { a: d, b: s & 15, how: How::Right })
}

#[inline(always)]
pub(super) fn asr(d: u16, s: u16) -> Result {
    (shifted(d, s), Flags { a: d, b: s & 15, how: How::SignedRight })
}

/// A shift by 0 places, with C as it was.
#[inline(always)]
pub(super) fn unshifted(d: u16, carry: u16) -> Result {
    (d, Flags::of_bits(sign_and_zero(d) | carry))
}

#[inline(always)]
pub(super) fn mul(d: u16, s: u16) -> Result {
    let (low, high) = words(u32::from(d) * u32::from(s));
    (low, Flags::of_bits(sign_and_zero(low) | if high == 0 { 0 } else { C | V }))
}

#[inline(always)]
pub(super) fn mulh(d: u16, s: u16) -> Result {
    plain(words(u32::from(d) * u32::from(s)).1)
}

#[inline(always)]
pub(super) fn mulhs(d: u16, s: u16) -> Result {
    plain(words((i32::from(d.cast_signed()) * i32::from(s.cast_signed())).cast_unsigned()).1)
}

/// `None` when `s` is 0, as for all divisions.
#[inline(always)]
pub(super) fn div(d: u16, s: u16) -> Option<Result> {
    d.checked_div(s).map(plain)
}

#[inline(always)]
pub(super) fn modulo(d: u16, s: u16) -> Option<Result> {
    d.checked_rem(s).map(plain)
}

/// V of a signed division.
#[inline(always)]
fn division(d: u16, s: u16, value: i16) -> Result {
    let overflow = if d == 0x8000 && s == 0xFFFF { V } else { 0 };
    let value = value.cast_unsigned();
    (value, Flags::of_bits(sign_and_zero(value) | overflow))
}

#[inline(always)]
pub(super) fn divs(d: u16, s: u16) -> Option<Result> {
    (s != 0).then(|| division(d, s, d.cast_signed().wrapping_div(s.cast_signed())))
}

#[inline(always)]
pub(super) fn mods(d: u16, s: u16) -> Option<Result> {
    (s != 0).then(|| division(d, s, d.cast_signed().wrapping_rem(s.cast_signed())))
}

#[inline(always)]
pub(super) fn not(d: u16) -> Result {
    plain(!d)
}

#[inline(always)]
pub(super) fn neg(d: u16) -> Result {
    sub(0, d)
}

#[inline(always)]
pub(super) fn swapb(d: u16) -> Result {
    plain(d.swap_bytes())
}

#[inline(always)]
pub(super) fn extb(d: u16) -> Result {
    plain(sign_extended(d.to_le_bytes()[0]))
}

/// A byte as a word, its sign kept.
#[inline(always)]
pub(super) fn sign_extended(byte: u8) -> u16 {
    i16::from(byte.cast_signed()).cast_unsigned()
}

#[inline(always)]
pub(super) fn rlc(d: u16, carry: u16) -> Result {
    let value = d << 1 | carry;
    (value, Flags::of_bits(sign_and_zero(value) | (d >> 15) * C))
}

#[inline(always)]
pub(super) fn rrc(d: u16, carry: u16) -> Result {
    let value = d >> 1 | carry << 15;
    (value, Flags::of_bits(sign_and_zero(value) | (d & 1) * C))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Values at which something changes, and others.
    fn value() -> impl Strategy<Value = u16> {
        prop_oneof![Just(0u16), Just(1), Just(0x7FFF), Just(0x8000), Just(0xFFFF), 0u16..20, any::<u16>()]
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4000))]

        /// What a condition says without bits is what it says of the bits.
        #[test]
        fn conditions_say_the_same_with_bits_and_without(a in value(), b in value(), how in 0usize..6) {
            let how = [How::Bits, How::Difference, How::Sum, How::Left, How::Right, How::SignedRight][how];
            let b = if matches!(how, How::Left | How::Right | How::SignedRight) { b % 15 + 1 } else { b };
            let flags = Flags { a: if how == How::Bits { a & 15 } else { a }, b, how };
            for cond in Cond::ALL {
                prop_assert_eq!(flags.holds(cond), cond.holds(flags.bits()), "{:?} {:?}", flags, cond);
            }
        }
    }
}
