//! What stands in memory as instructions: what they are, where they lead and what they touch, told before they run.

use super::Machine;
use super::steps::width;
use crate::instructions::{Access, AccessKind, Computation, Field, InsnInfo, Order, Sort, Uses, Way};
use crate::memory::EXECUTE;
use wendax_isa::rv32::{A0, DEVICE_START, Format, Insn, Op, RA, TARGET, decode, names, text};
use wendax_isa::{Addr, Leads, Reg};

/// Number of the register that holds the number of a call.
pub(super) const A7: usize = 17;

/// Every mnemonic an instruction can be written with.
pub(super) fn names_of(insn: Insn) -> Vec<&'static str> {
    names(insn)
}

/// What instructions of a sort do, in a word or two.
pub(super) fn group(insn: Insn) -> &'static str {
    match insn.row().format {
        Format::Branch => "branches",
        Format::Jump => "jumps and calls",
        Format::Store => "stores",
        Format::Csr | Format::CsrConstant => "control registers",
        Format::Fence | Format::Fixed => "system",
        Format::Upper => "constants",
        _ => match insn.op() {
            Op::Jalr => "jumps and calls",
            Op::Lb | Op::Lh | Op::Lw | Op::Lbu | Op::Lhu => "loads",
            Op::Mul | Op::Mulh | Op::Mulhsu | Op::Mulhu => "products",
            Op::Div | Op::Divu | Op::Rem | Op::Remu => "quotients",
            Op::Sll | Op::Srl | Op::Sra | Op::Slli | Op::Srli | Op::Srai => "shifts",
            _ => "sums and bits",
        },
    }
}

fn decoded(address: Addr, code: [u32; 2]) -> Option<Insn> {
    address.is_multiple_of(4).then(|| decode(code[0]))?
}

impl Machine {
    pub(crate) fn register_uses(&self, from: Addr, to: Addr, is_label: &dyn Fn(Addr) -> bool) -> Uses {
        let mut uses = Uses::default();
        let mut at = from;
        while at < to {
            if let Some(insn) = self.decoded_at(at) {
                let (rd, rs1) = (1 << insn.rd & !1, 1 << insn.rs1 & !1);
                match insn.row().format {
                    Format::Store => uses.addresses |= rs1,
                    Format::Upper if insn.op() == Op::Auipc => uses.labels |= rd,
                    _ if insn.op() == Op::Jalr => uses.addresses |= rs1,
                    Format::Load => uses.addresses |= rs1,
                    Format::Immediate if insn.rs1 != 0 && is_label(Addr(insn.value)) => uses.labels |= rd,
                    _ => {}
                }
                match insn.op() {
                    Op::Lb | Op::Lbu => uses.characters |= rd,
                    Op::Sb => uses.characters |= 1 << insn.rs2 & !1,
                    _ => {}
                }
            }
            at = at.saturating_add(4);
        }
        uses.characters &= !uses.addresses;
        uses
    }

    pub(crate) fn code_at(&self, address: Addr) -> [u32; 2] {
        [self.memory.word(address.0), 0]
    }

    pub(super) fn decoded_at(&self, address: Addr) -> Option<Insn> {
        decoded(address, self.code_at(address))
    }

    pub(crate) fn instruction_at(&self, address: Addr) -> Option<InsnInfo> {
        self.instruction_of(address, self.code_at(address))
    }

    pub(crate) fn instruction_of(&self, address: Addr, code: [u32; 2]) -> Option<InsnInfo> {
        let insn = decoded(address, code)?;
        let call = (insn.op() == Op::Ecall).then(|| self.state.cpu.registers[A7]);
        let code = [code[0], 0];
        let mut uses = insn.uses();
        // What the host serves next takes what its number says, and leaves a result.
        let is_served = self.state.cpu.control.mtvec == 0 && address.0 == self.state.cpu.pc;
        if let Some(call) = call.filter(|_| is_served).and_then(|number| TARGET.call(number)) {
            uses.reads |= call.takes.iter().map(|(register, _)| 1 << register.0).fold(0, |all, one| all | one);
            uses.writes |= if call.is_own { 0b11 << A0 } else { 1 << A0 };
        }
        Some(InsnInfo {
            address,
            length: 4,
            code,
            names: names_of(insn),
            group: group(insn),
            uses,
            call,
            sort: sort(insn),
        })
    }

    pub(crate) fn text_of(&self, insn: &InsnInfo, name: &dyn Fn(Addr) -> Option<String>) -> String {
        decoded(insn.address, insn.code).map_or_else(String::new, |decoded| text(decoded, insn.address, name))
    }

    pub(crate) fn may_execute(&self, address: Addr) -> bool {
        self.memory.attributes(address.0) & EXECUTE != 0
    }

    /// The number of the system call that is the next instruction, if it is one that the host serves.
    pub(super) fn call_next(&self) -> Option<u32> {
        let insn = self.decoded_at(self.pc())?;
        (insn.op() == Op::Ecall && self.state.cpu.control.mtvec == 0).then(|| self.state.cpu.registers[A7])
    }

    pub(crate) fn access_at(&self, address: Addr) -> Option<Access> {
        self.access_of(self.decoded_at(address)?)
    }

    pub(super) fn access_of(&self, insn: Insn) -> Option<Access> {
        let kind = match insn.row().format {
            Format::Store => AccessKind::Write,
            Format::Load if insn.op() != Op::Jalr => AccessKind::Read,
            _ => return None,
        };
        let address = self.state.cpu.registers[usize::from(insn.rs1 & 31)].wrapping_add(insn.value);
        Some(Access { address: Addr(address), bytes: width(insn.op()).0, kind })
    }

    pub(crate) fn way_at(&self, address: Addr) -> Option<(u32, Way)> {
        let insn = self.decoded_at(address)?;
        let name = |register: u8| if register == 0 { "0" } else { TARGET.register_name(Reg(register)) };
        let way = match insn.leads(address) {
            Leads::On => Way::On,
            Leads::To(to) => Way::To(to),
            Leads::Either(to) => {
                let (sign, opposite, how) = match insn.op() {
                    Op::Beq => ("=", "\u{2260}", ""),
                    Op::Bne => ("\u{2260}", "=", ""),
                    Op::Blt => ("<", "\u{2265}", ""),
                    Op::Bge => ("\u{2265}", "<", ""),
                    Op::Bltu => ("<", "\u{2265}", ", unsigned"),
                    _ => ("\u{2265}", "<", ", unsigned"),
                };
                let said = |sign: &str| format!("{} {sign} {}{how}", name(insn.rs1), name(insn.rs2));
                Way::Either(to, said(sign), said(opposite))
            }
            Leads::Call(to) => Way::Call(to),
            Leads::Away if insn.op() == Op::Mret || insn.rs1 == RA => Way::Back,
            Leads::Away => Way::ByRegister(Reg(insn.rs1)),
        };
        Some((4, way))
    }

    pub(crate) fn computation_at(&self, address: Addr) -> Option<(Computation, u32, u32)> {
        let insn = self.decoded_at(address)?;
        let one = self.state.cpu.registers[usize::from(insn.rs1 & 31)];
        let second = self.state.cpu.registers[usize::from(insn.rs2 & 31)];
        let other = if insn.row().format == Format::Registers { second } else { insn.value };
        Some(match insn.op() {
            Op::Add | Op::Addi => (Computation::Add, one, other),
            Op::Sub => (Computation::Subtract, one, other),
            Op::Sll | Op::Slli => (Computation::ShiftLeft, one, other & 31),
            Op::Srl | Op::Srli => (Computation::ShiftRight, one, other & 31),
            Op::Sra | Op::Srai => (Computation::ShiftSigned, one, other & 31),
            _ => return None,
        })
    }

    /// The code word of the instruction at an address, field by field; digits are those of its bits.
    pub(crate) fn fields_at(&self, address: Addr) -> Option<Vec<Field>> {
        let insn = self.decoded_at(address)?;
        let word = self.code_at(address)[0];
        let bits =
            |from: u32, to: u32| (from..=to).rev().map(|bit| if word >> bit & 1 != 0 { '1' } else { '0' }).collect();
        let register = |code: u8| TARGET.register_name(Reg(code)).to_owned();
        let field = |(from, to), meaning, value| Field { digits: bits(from, to), meaning, value };
        let signed = |value: u32| value.cast_signed().to_string();
        let leads = || TARGET.marked_address(Addr(address.0.wrapping_add(insn.value)));
        let kind = field((12, 14), "funct3, which of a kind", insn.row().name.to_owned());
        let opcode = field((0, 6), "opcode, what sort", group(insn).to_owned());
        let rd = field((7, 11), "rd, written", register(insn.rd));
        let rs1 = field((15, 19), "rs1, read", register(insn.rs1));
        let rs2 = || field((20, 24), "rs2, read", register(insn.rs2));
        Some(match insn.row().format {
            Format::Registers => {
                vec![field((25, 31), "funct7, which of a kind", String::new()), rs2(), rs1, kind, rd, opcode]
            }
            Format::Immediate | Format::Load => {
                vec![field((20, 31), "constant", signed(insn.value)), rs1, kind, rd, opcode]
            }
            Format::Shift => {
                let count = field((20, 24), "count", insn.value.to_string());
                vec![field((25, 31), "funct7, which of a kind", String::new()), count, rs1, kind, rd, opcode]
            }
            Format::Store => {
                let offset = field((25, 31), "offset, high", signed(insn.value));
                vec![offset, rs2(), rs1, kind, field((7, 11), "offset, low", String::new()), opcode]
            }
            Format::Branch => {
                let distance = field((25, 31), "distance, high", format!("{}, to {}", signed(insn.value), leads()));
                vec![distance, rs2(), rs1, kind, field((7, 11), "distance, low", String::new()), opcode]
            }
            Format::Upper => vec![field((12, 31), "upper 20 bits", TARGET.marked(insn.value)), rd, opcode],
            Format::Jump => {
                vec![field((12, 31), "distance", format!("{}, to {}", signed(insn.value), leads())), rd, opcode]
            }
            Format::Csr | Format::CsrConstant => {
                let number = u16::try_from(insn.value).unwrap_or(0);
                let name = wendax_isa::rv32::csr_name(number).unwrap_or_default();
                let given = if insn.row().format == Format::Csr {
                    rs1
                } else {
                    field((15, 19), "constant", insn.rs1.to_string())
                };
                vec![field((20, 31), "control register", name), given, kind, rd, opcode]
            }
            Format::Fence => vec![field((20, 31), "before and behind", String::new()), rs1, kind, rd, opcode],
            Format::Fixed => vec![field((7, 31), "which", insn.row().name.to_owned()), opcode],
        })
    }

    /// The code between two addresses names device registers.
    pub(crate) fn names_devices(&self, from: Addr, to: Addr) -> bool {
        let mut at = from;
        while at < to {
            let touches = self.decoded_at(at).is_some_and(|insn| {
                let is_access = matches!(insn.row().format, Format::Load | Format::Store);
                is_access && insn.op() != Op::Jalr && insn.rs1 == 0 && insn.value >= DEVICE_START
            });
            if touches {
                return true;
            }
            at = at.saturating_add(4);
        }
        false
    }
}

/// What an instruction is for.
fn sort(insn: Insn) -> Sort {
    let base = (insn.rs1 != 0).then_some(Reg(insn.rs1));
    match (insn.op(), insn.row().format) {
        (Op::Jal, _) if insn.rd == RA => Sort::Call,
        (Op::Jalr, _) if insn.rd == 0 && insn.rs1 == RA => Sort::Return,
        (Op::Jalr, _) if insn.rd != 0 => Sort::Call,
        (Op::Jal | Op::Jalr, _) => Sort::Jump,
        (Op::Mret, _) => Sort::HandlerReturn,
        (Op::Lui | Op::Auipc, _) => Sort::Constant,
        (Op::Addi, _) if base.is_none() => Sort::Constant,
        (Op::Addi, _) if insn.value == 0 => Sort::Copy,
        (Op::Add, _) if base.is_none() || insn.rs2 == 0 => Sort::Copy,
        (Op::Xor | Op::Sub, _) if insn.rs1 == insn.rs2 => Sort::Constant,
        (Op::Addi | Op::Add | Op::Sub, _) => Sort::Sum,
        (Op::Beq | Op::Bne, _) => Sort::Branch(Order::Same),
        (Op::Blt | Op::Bge, _) => Sort::Branch(Order::Signed),
        (Op::Bltu | Op::Bgeu, _) if insn.rs2 == 0 => Sort::Branch(Order::AboveZero),
        (Op::Bltu | Op::Bgeu, _) => Sort::Branch(Order::Unsigned),
        (_, Format::Load) => Sort::Load(base),
        (_, Format::Store) => Sort::Store(base, Reg(insn.rs2)),
        _ => Sort::Other,
    }
}
