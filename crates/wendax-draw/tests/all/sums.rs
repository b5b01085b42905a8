//! Sums in columns: results, carries and flags are those of the machine, for any numbers.

use proptest::prelude::*;
use wendax_draw::arithmetic;
use wendax_machine::{Computation, Event, Machine, Reg, Run, Settings, StepNo};
use wendax_session::Sum;

/// What the machine makes of it: the result, and the flags by their bits.
fn reckoned(name: &str, one: u16, other: u16) -> (u32, u32) {
    let (sources, file) = wendax_source::Sources::single("sum", format!("start: {name} r0, r1\n halt\n"));
    let mut machine = Machine::new(&wendax_asm::assemble(&sources, file).image, Settings::default());
    machine.feed(&Event::SetRegister(Reg(0), one.into()));
    machine.feed(&Event::SetRegister(Reg(1), other.into()));
    let computation = machine.computation_at(machine.pc()).expect("it is a sum");
    assert_eq!(
        (computation.1, computation.2),
        (one.into(), if name.starts_with("sh") { other & 15 } else { other }.into())
    );
    machine.run(Run::until(StepNo(1)));
    (machine.register(Reg(0)), machine.flags())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn results_and_flags_are_those_of_the_machine(one in any::<u16>(), other in any::<u16>(), by in 0u16..16) {
        let cases = [
            ("add", Computation::Add, other),
            ("sub", Computation::Subtract, other),
            ("shl", Computation::ShiftLeft, by),
            ("shr", Computation::ShiftRight, by),
        ];
        for (name, operation, other) in cases {
            let sum = Sum { one: one.into(), other: other.into(), operation, bits: 16 };
            let (result, flags) = reckoned(name, one, other);
            let told = sum.flags();
            prop_assert_eq!(sum.result(), result, "{} {} {}", name, one, other);
            let bit = |flag: u32| flags & flag != 0;
            // C, Z, N, V.
            if let Some(carry) = told.carry {
                prop_assert_eq!(carry, bit(1), "C of {} {} {}", name, one, other);
            }
            prop_assert_eq!((told.zero, told.negative, told.overflow), (bit(2), bit(4), bit(8)), "{} {} {}", name, one, other);
            let drawn = arithmetic(&sum);
            let areas: Vec<_> = drawn.items.iter().filter_map(wendax_draw::Item::text_area).collect();
            for (index, area) in areas.iter().enumerate() {
                prop_assert!(!areas[..index].iter().any(|other| other.meets(area)), "{} {} {}", name, one, other);
            }
        }
    }
}

#[test]
fn what_is_reckoned_is_read_or_told_why_not() {
    let read = |text| Sum::read(text, 16);
    assert_eq!(read("-2 >>> 1").map(|sum| sum.result()), Ok(0xFFFF));
    assert_eq!(read("0x8000 << 1").map(|sum| (sum.result(), sum.flags().carry)), Ok((0, Some(true))));
    assert_eq!(read("5 - 7").map(|sum| sum.result()), Ok(0xFFFE));
    assert!(read("5 plus 7").unwrap_err().contains("expected two numbers"));
    assert!(read("70000 + 1").unwrap_err().contains("has no room in 16 bits"));
    assert!(read("99999999999 - 1").unwrap_err().contains("`99999999999` has no room"));
    assert!(read("--9223372036854775808 + 1").unwrap_err().contains("is no number"));
    assert!(read("1 << 16").unwrap_err().contains("0 to 15"));
    assert!(read("x + 1").unwrap_err().contains("`x` is no number"));
}
