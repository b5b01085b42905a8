//! The engine against a second, simpler machine: one function written straight from the contract, one
//! instruction at a time, without decoding ahead, slots, or shortcuts. On random programs both must agree
//! about every register, flag, byte and cycle after every step.

use proptest::prelude::*;
use wendax_isa::w16::{Insn, Op, Row, decode, encode, rows};
use wendax_machine::StepNo;
use wendax_machine::{Addr, Reg};
use wendax_machine::{Event, Machine, Run, Settings, Stop};

const C: u16 = 1;
const Z: u16 = 2;
const N: u16 = 4;
const V: u16 = 8;

/// What a machine is made of.
#[derive(Debug, Clone)]
struct Model {
    registers: [u16; 14],
    pc: u16,
    flags: u16,
    memory: Vec<u8>,
    /// Bytes that may be read, written, run.
    rights: Vec<(bool, bool, bool)>,
    cycles: u64,
}

/// An instruction that failed, with its trap number.
#[derive(Debug, PartialEq, Eq)]
struct Failed(u32);

/// What needs more than this model has: device registers.
const BEYOND: Failed = Failed(0);
const DEVICES: usize = 0xFF00;

type Done<T> = Result<T, Failed>;

impl Model {
    fn new(image: &wendax_image::Image) -> Self {
        let mut model = Self {
            registers: [0; 14],
            pc: u16::try_from(image.entry.0).expect("16 bits"),
            flags: 0,
            memory: vec![0; 0x1_0000],
            rights: vec![(false, false, false); 0x1_0000],
            cycles: 0,
        };
        model.registers[13] = 0xFE00;
        model.rights[0..0x20].fill((true, true, false));
        model.rights[0xEE00..0xFE00].fill((true, true, false));
        for segment in &image.segments {
            let range = segment.start.index()..segment.end().index();
            model.memory[range.clone()].copy_from_slice(&segment.bytes);
            model.rights[range].fill((segment.rights.read, segment.rights.write, segment.rights.execute));
        }
        model
    }

    fn load(&self, address: u16) -> Done<u8> {
        let at = usize::from(address);
        if at >= DEVICES {
            return Err(BEYOND);
        }
        if self.rights[at].0 { Ok(self.memory[at]) } else { Err(Failed(3)) }
    }

    fn load_word(&self, address: u16) -> Done<u16> {
        if !address.is_multiple_of(2) {
            return Err(Failed(2));
        }
        Ok(u16::from_le_bytes([self.load(address)?, self.load(address + 1)?]))
    }

    fn store(&mut self, address: u16, bytes: &[u8]) -> Done<()> {
        if bytes.len() == 2 && !address.is_multiple_of(2) {
            return Err(Failed(2));
        }
        let at = usize::from(address);
        if at >= DEVICES {
            return Err(BEYOND);
        }
        if !self.rights[at..at + bytes.len()].iter().all(|rights| rights.1) {
            return Err(Failed(3));
        }
        self.memory[at..at + bytes.len()].copy_from_slice(bytes);
        Ok(())
    }

    fn fetch(&self) -> Done<(Insn, u16)> {
        if !self.pc.is_multiple_of(2) {
            return Err(Failed(2));
        }
        let runs = |address: u16| self.rights[usize::from(address)].2 && self.rights[usize::from(address) + 1].2;
        if !runs(self.pc) {
            return Err(Failed(3));
        }
        let word = |address: u16| {
            u16::from_le_bytes([self.memory[usize::from(address)], self.memory[usize::from(address) + 1]])
        };
        let insn = decode(word(self.pc), word(self.pc.wrapping_add(2))).ok_or(Failed(1))?;
        if insn.bytes() == 4 && !runs(self.pc.wrapping_add(2)) {
            return Err(Failed(3));
        }
        Ok((insn, self.pc.wrapping_add(insn.bytes())))
    }

    fn set_flags(&mut self, result: u16, carry: bool, overflow: bool) {
        let bits = [(result == 0, Z), (result >= 0x8000, N), (carry, C), (overflow, V)];
        self.flags = bits.iter().filter(|(on, _)| *on).map(|(_, bit)| bit).sum();
    }

    /// Adds or subtracts in 32 bits, where nothing is lost, and looks at what does not fit 16.
    fn arithmetic(&mut self, a: u16, b: u16, carry: u16, subtract: bool) -> u16 {
        let sign = if subtract { -1 } else { 1 };
        let unsigned = i32::from(a) + sign * (i32::from(b) + i32::from(carry));
        let signed = i32::from(a.cast_signed()) + sign * (i32::from(b.cast_signed()) + i32::from(carry));
        let result = u16::try_from(unsigned.rem_euclid(0x1_0000)).expect("a remainder");
        self.set_flags(result, !(0..0x1_0000).contains(&unsigned), !(-0x8000..0x8000).contains(&signed));
        result
    }

    /// Shifts one place at a time.
    fn shift(&mut self, op: Op, value: u16, count: u16) -> u16 {
        let mut carry = self.flags & C != 0;
        let mut value = value;
        for _ in 0..count & 15 {
            (value, carry) = match op {
                Op::Shl => (value.wrapping_mul(2), value >= 0x8000),
                Op::Shr => (value / 2, value % 2 == 1),
                _ => (value / 2 | value & 0x8000, value % 2 == 1),
            };
        }
        self.set_flags(value, carry, false);
        value
    }

    fn logic(&mut self, result: u16) -> u16 {
        self.set_flags(result, false, false);
        result
    }

    fn register(&self, code: u8) -> u16 {
        self.registers.get(usize::from(code)).copied().unwrap_or(0)
    }

    /// One instruction; nothing has changed when it fails. `None` for those that need more than this model.
    fn step(&mut self) -> Done<Option<()>> {
        let before = self.clone();
        let done = self.execute();
        if done.is_err() {
            *self = before;
        }
        done
    }

    fn execute(&mut self) -> Done<Option<()>> {
        let (insn, next) = self.fetch()?;
        let row: &Row = insn.row();
        let (d, b) = (self.register(insn.a), self.register(insn.b));
        let s = if row.has_word() || insn.b > 13 { insn.value.wrapping_add(b) } else { b };
        let address = b.wrapping_add(insn.value);
        let sp = self.registers[13];
        let carry = self.flags & C;
        let mut result = None;
        let mut target = next;
        let mut jumped = false;
        match insn.op() {
            Op::Nop => {}
            Op::Mov => result = Some(s),
            Op::Add => result = Some(self.arithmetic(d, s, 0, false)),
            Op::Adc => result = Some(self.arithmetic(d, s, carry, false)),
            Op::Sub => result = Some(self.arithmetic(d, s, 0, true)),
            Op::Sbc => result = Some(self.arithmetic(d, s, carry, true)),
            Op::Cmp => drop(self.arithmetic(d, s, 0, true)),
            Op::And => result = Some(self.logic(d & s)),
            Op::Or => result = Some(self.logic(d | s)),
            Op::Xor => result = Some(self.logic(d ^ s)),
            Op::Tst => drop(self.logic(d & s)),
            Op::Shl | Op::Shr | Op::Asr => result = Some(self.shift(insn.op(), d, s)),
            Op::Mul => {
                let product = u32::from(d) * u32::from(s);
                let low = u16::try_from(product % 0x1_0000).expect("a remainder");
                self.set_flags(low, product > 0xFFFF, product > 0xFFFF);
                result = Some(low);
            }
            Op::Mulh => {
                let high = u16::try_from(u32::from(d) * u32::from(s) / 0x1_0000).expect("16 bits");
                result = Some(self.logic(high));
            }
            Op::Mulhs => {
                let product = i32::from(d.cast_signed()) * i32::from(s.cast_signed());
                let high = i16::try_from(product.div_euclid(0x1_0000)).expect("16 bits").cast_unsigned();
                result = Some(self.logic(high));
            }
            Op::Div | Op::Mod | Op::Divs | Op::Mods if s == 0 => return Err(Failed(4)),
            Op::Div => result = Some(self.logic(d / s)),
            Op::Mod => result = Some(self.logic(d % s)),
            Op::Divs | Op::Mods => {
                let (a, b) = (i32::from(d.cast_signed()), i32::from(s.cast_signed()));
                let value = if insn.op() == Op::Divs { a / b } else { a % b };
                let value = u16::try_from(value.rem_euclid(0x1_0000)).expect("a remainder");
                self.set_flags(value, false, (a, b) == (-32768, -1));
                result = Some(value);
            }
            Op::Swap => {
                self.registers[usize::from(insn.b)] = d;
                result = Some(s);
            }
            Op::Not => result = Some(self.logic(0xFFFF - d)),
            Op::Neg => result = Some(self.arithmetic(0, d, 0, true)),
            Op::Swapb => result = Some(self.logic(d % 256 * 256 + d / 256)),
            Op::Extb => result = Some(self.logic(if d % 256 < 128 { d % 256 } else { d % 256 + 0xFF00 })),
            Op::Rlc => {
                let value = d.wrapping_mul(2) + carry;
                self.set_flags(value, d >= 0x8000, false);
                result = Some(value);
            }
            Op::Rrc => {
                let value = d / 2 + carry * 0x8000;
                self.set_flags(value, d % 2 == 1, false);
                result = Some(value);
            }
            Op::Push | Op::PushFl => {
                let value = if insn.op() == Op::Push { d } else { self.flags };
                self.store(sp.wrapping_sub(2), &value.to_le_bytes())?;
                self.registers[13] = sp.wrapping_sub(2);
            }
            Op::Pop => {
                result = Some(self.load_word(sp)?);
                self.registers[13] = sp.wrapping_add(2);
            }
            Op::Ldw => result = Some(self.load_word(address)?),
            Op::Ldb => result = Some(self.load(address)?.into()),
            Op::Ldsb => result = Some(i16::from(self.load(address)?.cast_signed()).cast_unsigned()),
            Op::Lea => result = Some(address),
            Op::Stw => self.store(address, &d.to_le_bytes())?,
            Op::Stb => self.store(address, &d.to_le_bytes()[..1])?,
            Op::Jump(cond) => jumped = cond.holds(self.flags),
            Op::Djnz => {
                result = Some(d.wrapping_sub(1));
                jumped = d != 1;
            }
            Op::JmpReg => (target, jumped) = (d, true),
            Op::Call | Op::CallReg => {
                self.store(sp.wrapping_sub(2), &next.to_le_bytes())?;
                self.registers[13] = sp.wrapping_sub(2);
                target = if insn.op() == Op::Call { insn.target(self.pc) } else { d };
            }
            Op::Ret => {
                target = self.load_word(sp)?;
                self.registers[13] = sp.wrapping_add(2);
            }
            Op::Halt | Op::Reti | Op::Ei | Op::Di | Op::Brk | Op::PopFl | Op::Sys => return Ok(None),
        }
        if jumped && insn.op() != Op::JmpReg {
            target = insn.target(self.pc);
        }
        if let Some(result) = result {
            self.registers[usize::from(insn.a)] = result;
        }
        self.cycles += u64::from(row.cycles) + u64::from(jumped);
        self.pc = target;
        Ok(Some(()))
    }
}

/// Any instruction the model knows, with operands that often lead somewhere.
fn instruction() -> impl Strategy<Value = Vec<u16>> {
    let usable: Vec<&'static Row> = rows()
        .iter()
        .filter(|row| !matches!(row.op, Op::Halt | Op::Reti | Op::Ei | Op::Di | Op::Brk | Op::PopFl | Op::Sys))
        .collect();
    let value = prop_oneof![
        0u16..16,
        (0u16..40).prop_map(|n| 0x0200 + 2 * n),
        0x0300u16..0x0320,
        0xFDE0u16..0xFE00,
        any::<u16>()
    ];
    (0..usable.len(), 0u8..14, prop_oneof![0u8..14, Just(15u8)], value).prop_map(move |(row, a, b, value)| {
        let near = usable[row].pattern.ends_with('x');
        let value = if near { value % 32 * 2 } else { value };
        let b = if usable[row].form.contains("[b") { b } else { b.min(13) };
        let (first, second) = encode(Insn::new(usable[row], a, b, value));
        std::iter::once(first).chain(second).collect()
    })
}

#[track_caller]
fn agree(model: &Model, machine: &Machine, step: u32) -> Result<(), TestCaseError> {
    for (index, value) in model.registers.iter().enumerate() {
        prop_assert_eq!(machine.register(Reg::at(index)), u32::from(*value), "register {} after step {}", index, step);
    }
    prop_assert_eq!(machine.pc(), Addr::from(model.pc), "pc after step {}", step);
    prop_assert_eq!(machine.flags(), u32::from(model.flags), "flags after step {}", step);
    prop_assert_eq!(machine.cycles(), model.cycles, "cycles after step {}", step);
    let same = (0u32..0xFF00).zip(&model.memory).all(|(address, byte)| machine.byte(Addr(address)) == *byte);
    prop_assert!(same, "memory after step {}", step);
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn engine_and_model_agree_step_by_step(code in proptest::collection::vec(instruction(), 1..40), registers in proptest::array::uniform14(any::<u16>())) {
        let bytes: Vec<u8> = code.concat().iter().flat_map(|word| word.to_le_bytes()).collect();
        let image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(0x0200)).expect("it fits");
        let (mut model, mut machine) = (Model::new(&image), Machine::new(&image, Settings::default()));
        for (index, value) in registers.into_iter().enumerate() {
            // The stack pointer stays usable, so that pushes and calls are not all faults.
            let value = if index == 13 { 0xFD00 | value & 0xFE } else { value };
            model.registers[index] = value;
            machine.feed(&Event::SetRegister(Reg::at(index), value.into()));
        }
        for step in 1..200 {
            let stop = machine.step();
            if let Stop::Circling { .. } = stop {
                break;
            }
            match model.step() {
                Ok(Some(())) => prop_assert_eq!(stop, Stop::Steps, "at step {}", step),
                Ok(None) => break,
                Err(BEYOND) => break,
                // The program made itself a handler, somewhere.
                Err(Failed(trap)) if model.memory[2 * trap as usize..][..2] != [0, 0] => break,
                Err(Failed(trap)) => {
                    let Stop::Fault(fault) = stop else { return Err(TestCaseError::fail(format!("{stop:?} for trap {trap}"))) };
                    prop_assert_eq!(fault.trap, trap);
                    agree(&model, &machine, step)?;
                    break;
                }
            }
            agree(&model, &machine, step)?;
        }
    }

    /// One long run and many short ones, with breakpoints in the way, come to the same state.
    #[test]
    fn slices_and_breakpoints_change_nothing(code in proptest::collection::vec(instruction(), 1..40), cuts in proptest::collection::vec(1u64..40, 1..20), at in 0u32..40) {
        let bytes: Vec<u8> = code.concat().iter().flat_map(|word| word.to_le_bytes()).collect();
        let image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(0x0200)).expect("it fits");
        let mut whole = Machine::new(&image, Settings::default());
        let mut sliced = whole.clone();
        sliced.set_breakpoints(&[Addr(0x0200 + 2 * at), Addr(0x0204)]);
        let end: u64 = cuts.iter().sum();
        for cut in cuts {
            let until = sliced.steps() + cut;
            let mut rounds = 0;
            while sliced.steps() < until && rounds < 100 {
                sliced.run(Run::until(until));
                rounds += 1;
            }
        }
        for _ in 0..100 {
            whole.run(Run::until(StepNo(end.min(sliced.steps().0))));
        }
        sliced.set_breakpoints(&[]);
        prop_assert!(whole.same_state(&sliced), "{} and {}", whole.steps(), sliced.steps());
    }

    /// Any bytes at all as a program, with any input: it runs, stops or fails, and never panics.
    #[test]
    fn any_image_runs_without_panic(bytes in proptest::collection::vec(any::<u8>(), 1..400), at in 0u32..0xFD00, typed in "[ -~\n]{0,20}") {
        let image = wendax_image::from_raw(&wendax_isa::w16::TARGET, &bytes, Addr(at & !1)).expect("it fits");
        let mut machine = Machine::new(&image, Settings::default());
        machine.feed(&Event::Typed(typed.into_bytes()));
        machine.feed(&Event::InputEnds);
        for address in (0..0x20u32).step_by(2) {
            // Vectors into the program, so that traps and interrupts are taken too.
            machine.feed(&Event::SetByte(Addr(address), at & 0xFE));
            machine.feed(&Event::SetByte(Addr(address + 1), at >> 8));
        }
        for _ in 0..20 {
            let until = machine.steps() + 500;
            match machine.run(Run::until(until)) {
                Stop::Needs(_) => machine.feed(&Event::Clock(1)),
                Stop::Steps | Stop::Brk => {}
                _ => break,
            }
        }
        let snapshot = machine.snapshot();
        let kept = machine.clone();
        machine.run(Run::until(machine.steps() + 50));
        machine.restore(&snapshot);
        prop_assert!(machine.same_state(&kept));
    }
}
