//! The table of RV32IM, Zicsr and Zifencei: one row for each instruction, as the standard's listings have them.

/// How an instruction is laid out in its word, and what operands it is written with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Format {
    /// Three registers: `rd, rs1, rs2`.
    Registers,
    /// A constant of 12 bits with its sign: `rd, rs1, constant`.
    Immediate,
    /// A count of 5 bits: `rd, rs1, count`.
    Shift,
    /// As [`Self::Immediate`]; an address: `rd, offset(rs1)`.
    Load,
    /// An address whose offset lies in two pieces: `rs2, offset(rs1)`.
    Store,
    /// A distance of 13 bits, even: `rs1, rs2, label`.
    Branch,
    /// The upper 20 bits of a word: `rd, constant`.
    Upper,
    /// A distance of 21 bits, even: `rd, label`.
    Jump,
    /// A control and status register, and a register: `rd, csr, rs1`.
    Csr,
    /// The same with a constant of 5 bits in the register's place: `rd, csr, constant`.
    CsrConstant,
    /// What comes before and what after.
    Fence,
    /// Nothing more.
    Fixed,
}

/// What an instruction does; its operands are in [`super::Insn`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[expect(missing_docs, reason = "the table below says what each one does")]
pub enum Op {
    Lui,
    Auipc,
    Jal,
    Jalr,
    Beq,
    Bne,
    Blt,
    Bge,
    Bltu,
    Bgeu,
    Lb,
    Lh,
    Lw,
    Lbu,
    Lhu,
    Sb,
    Sh,
    Sw,
    Addi,
    Slti,
    Sltiu,
    Xori,
    Ori,
    Andi,
    Slli,
    Srli,
    Srai,
    Add,
    Sub,
    Sll,
    Slt,
    Sltu,
    Xor,
    Srl,
    Sra,
    Or,
    And,
    Fence,
    FenceI,
    Ecall,
    Ebreak,
    Csrrw,
    Csrrs,
    Csrrc,
    Csrrwi,
    Csrrsi,
    Csrrci,
    Mul,
    Mulh,
    Mulhsu,
    Mulhu,
    Div,
    Divu,
    Rem,
    Remu,
    Mret,
    Wfi,
}

/// A row of the table.
#[derive(Debug)]
pub struct Row {
    /// What it does.
    pub op: Op,
    /// How it is written.
    pub name: &'static str,
    /// How it is laid out.
    pub format: Format,
    /// The bits that are fixed.
    pub mask: u32,
    /// What they are.
    pub fixed: u32,
    /// What it does, in a line.
    pub meaning: &'static str,
}

impl Op {
    /// Its row of the table.
    pub fn row(self) -> &'static Row {
        rows().iter().find(|row| row.op == self).unwrap_or(&ROWS[0])
    }
}

impl Row {
    /// The groups of its bits as its format lays them out, the highest first, each with how many bits it has: fixed bits as
    /// 0 and 1, else the name of what stands there.
    pub fn parts(&self) -> Vec<(String, u32)> {
        const REGISTER: [&str; 3] = ["rd", "rs1", "rs2"];
        let [rd, rs1, rs2] = REGISTER;
        // What is fixed has no name.
        let parts: &[(&str, u32)] = match self.format {
            Format::Registers => &[("", 7), (rs2, 5), (rs1, 5), ("", 3), (rd, 5), ("", 7)],
            Format::Immediate | Format::Load => &[("imm[11:0]", 12), (rs1, 5), ("", 3), (rd, 5), ("", 7)],
            Format::Shift => &[("", 7), ("count", 5), (rs1, 5), ("", 3), (rd, 5), ("", 7)],
            Format::Store => &[("imm[11:5]", 7), (rs2, 5), (rs1, 5), ("", 3), ("imm[4:0]", 5), ("", 7)],
            Format::Branch => &[("imm[12|10:5]", 7), (rs2, 5), (rs1, 5), ("", 3), ("imm[4:1|11]", 5), ("", 7)],
            Format::Upper => &[("imm[31:12]", 20), (rd, 5), ("", 7)],
            Format::Jump => &[("imm[20|10:1|11|19:12]", 20), (rd, 5), ("", 7)],
            Format::Csr => &[("csr", 12), (rs1, 5), ("", 3), (rd, 5), ("", 7)],
            Format::CsrConstant => &[("csr", 12), ("imm", 5), ("", 3), (rd, 5), ("", 7)],
            Format::Fence => &[("fm", 4), ("before", 4), ("after", 4), (rs1, 5), ("", 3), (rd, 5), ("", 7)],
            Format::Fixed => &[("", 12), ("", 5), ("", 3), ("", 5), ("", 7)],
        };
        let mut top = 32;
        let mut texts = Vec::new();
        for (name, count) in parts {
            top -= count;
            let value = self.fixed >> top & ((1 << count) - 1);
            let fixed = format!("{value:0width$b}", width = *count as usize);
            texts.push((if name.is_empty() { fixed } else { (*name).to_owned() }, *count));
        }
        texts
    }
}

/// Opcode alone; opcode and funct3; opcode, funct3 and funct7; the whole word.
const OPCODE: u32 = 0x0000_007F;
const FUNCT3: u32 = 0x0000_707F;
const FUNCT7: u32 = 0xFE00_707F;
const WHOLE: u32 = u32::MAX;

macro_rules! table {
    ($($op:ident $name:literal $format:ident $mask:ident $fixed:literal $meaning:literal;)*) => {
        const ROWS: &[Row] = &[$(
            Row { op: Op::$op, name: $name, format: Format::$format, mask: $mask, fixed: $fixed, meaning: $meaning }
        ),*];
    };
}

table! {
    Lui    "lui"    Upper       OPCODE 0x0000_0037 "rd ← the constant in the upper 20 bits, zeros below";
    Auipc  "auipc"  Upper       OPCODE 0x0000_0017 "rd ← pc + the constant in the upper 20 bits";
    Jal    "jal"    Jump        OPCODE 0x0000_006F "rd ← the following address; jump";
    Jalr   "jalr"   Load        FUNCT3 0x0000_0067 "rd ← the following address; jump to rs1 + offset, its lowest bit cleared";
    Beq    "beq"    Branch      FUNCT3 0x0000_0063 "jump if rs1 = rs2";
    Bne    "bne"    Branch      FUNCT3 0x0000_1063 "jump if rs1 ≠ rs2";
    Blt    "blt"    Branch      FUNCT3 0x0000_4063 "jump if rs1 < rs2, signed";
    Bge    "bge"    Branch      FUNCT3 0x0000_5063 "jump if rs1 ≥ rs2, signed";
    Bltu   "bltu"   Branch      FUNCT3 0x0000_6063 "jump if rs1 < rs2, unsigned";
    Bgeu   "bgeu"   Branch      FUNCT3 0x0000_7063 "jump if rs1 ≥ rs2, unsigned";
    Lb     "lb"     Load        FUNCT3 0x0000_0003 "rd ← byte at the address, sign extended";
    Lh     "lh"     Load        FUNCT3 0x0000_1003 "rd ← half word at the address, sign extended";
    Lw     "lw"     Load        FUNCT3 0x0000_2003 "rd ← word at the address";
    Lbu    "lbu"    Load        FUNCT3 0x0000_4003 "rd ← byte at the address, zero extended";
    Lhu    "lhu"    Load        FUNCT3 0x0000_5003 "rd ← half word at the address, zero extended";
    Sb     "sb"     Store       FUNCT3 0x0000_0023 "byte at the address ← low byte of rs2";
    Sh     "sh"     Store       FUNCT3 0x0000_1023 "half word at the address ← low half of rs2";
    Sw     "sw"     Store       FUNCT3 0x0000_2023 "word at the address ← rs2";
    Addi   "addi"   Immediate   FUNCT3 0x0000_0013 "rd ← rs1 + constant";
    Slti   "slti"   Immediate   FUNCT3 0x0000_2013 "rd ← 1 if rs1 < constant, signed, else 0";
    Sltiu  "sltiu"  Immediate   FUNCT3 0x0000_3013 "rd ← 1 if rs1 < constant, unsigned, else 0";
    Xori   "xori"   Immediate   FUNCT3 0x0000_4013 "rd ← rs1 exclusive-or constant, bit by bit";
    Ori    "ori"    Immediate   FUNCT3 0x0000_6013 "rd ← rs1 or constant, bit by bit";
    Andi   "andi"   Immediate   FUNCT3 0x0000_7013 "rd ← rs1 and constant, bit by bit";
    Slli   "slli"   Shift       FUNCT7 0x0000_1013 "rd ← rs1 shifted left";
    Srli   "srli"   Shift       FUNCT7 0x0000_5013 "rd ← rs1 shifted right, zeros come in";
    Srai   "srai"   Shift       FUNCT7 0x4000_5013 "rd ← rs1 shifted right, the sign comes in";
    Add    "add"    Registers   FUNCT7 0x0000_0033 "rd ← rs1 + rs2";
    Sub    "sub"    Registers   FUNCT7 0x4000_0033 "rd ← rs1 − rs2";
    Sll    "sll"    Registers   FUNCT7 0x0000_1033 "rd ← rs1 shifted left by the low 5 bits of rs2";
    Slt    "slt"    Registers   FUNCT7 0x0000_2033 "rd ← 1 if rs1 < rs2, signed, else 0";
    Sltu   "sltu"   Registers   FUNCT7 0x0000_3033 "rd ← 1 if rs1 < rs2, unsigned, else 0";
    Xor    "xor"    Registers   FUNCT7 0x0000_4033 "rd ← rs1 exclusive-or rs2, bit by bit";
    Srl    "srl"    Registers   FUNCT7 0x0000_5033 "rd ← rs1 shifted right by the low 5 bits of rs2, zeros come in";
    Sra    "sra"    Registers   FUNCT7 0x4000_5033 "rd ← rs1 shifted right by the low 5 bits of rs2, the sign comes in";
    Or     "or"     Registers   FUNCT7 0x0000_6033 "rd ← rs1 or rs2, bit by bit";
    And    "and"    Registers   FUNCT7 0x0000_7033 "rd ← rs1 and rs2, bit by bit";
    Fence  "fence"  Fence       FUNCT3 0x0000_000F "accesses before it are done before those after it";
    FenceI "fence.i" Fence      FUNCT3 0x0000_100F "code that was written is what runs from here on";
    Ecall  "ecall"  Fixed       WHOLE  0x0000_0073 "call the environment";
    Ebreak "ebreak" Fixed       WHOLE  0x0010_0073 "break: pause, or the program's own handler";
    Csrrw  "csrrw"  Csr         FUNCT3 0x0000_1073 "rd ← csr; csr ← rs1";
    Csrrs  "csrrs"  Csr         FUNCT3 0x0000_2073 "rd ← csr; the bits of rs1 are set in csr";
    Csrrc  "csrrc"  Csr         FUNCT3 0x0000_3073 "rd ← csr; the bits of rs1 are cleared in csr";
    Csrrwi "csrrwi" CsrConstant FUNCT3 0x0000_5073 "rd ← csr; csr ← constant";
    Csrrsi "csrrsi" CsrConstant FUNCT3 0x0000_6073 "rd ← csr; the bits of the constant are set in csr";
    Csrrci "csrrci" CsrConstant FUNCT3 0x0000_7073 "rd ← csr; the bits of the constant are cleared in csr";
    Mul    "mul"    Registers   FUNCT7 0x0200_0033 "rd ← low word of rs1 × rs2";
    Mulh   "mulh"   Registers   FUNCT7 0x0200_1033 "rd ← high word of rs1 × rs2, both signed";
    Mulhsu "mulhsu" Registers   FUNCT7 0x0200_2033 "rd ← high word of rs1 × rs2, rs1 signed, rs2 unsigned";
    Mulhu  "mulhu"  Registers   FUNCT7 0x0200_3033 "rd ← high word of rs1 × rs2, both unsigned";
    Div    "div"    Registers   FUNCT7 0x0200_4033 "rd ← rs1 ÷ rs2, signed, toward zero; −1 when rs2 is 0";
    Divu   "divu"   Registers   FUNCT7 0x0200_5033 "rd ← rs1 ÷ rs2, unsigned; all ones when rs2 is 0";
    Rem    "rem"    Registers   FUNCT7 0x0200_6033 "rd ← remainder of rs1 ÷ rs2, signed; rs1 when rs2 is 0";
    Remu   "remu"   Registers   FUNCT7 0x0200_7033 "rd ← remainder of rs1 ÷ rs2, unsigned; rs1 when rs2 is 0";
    Mret   "mret"   Fixed       WHOLE  0x3020_0073 "return from a trap: to mepc, interrupts as before it";
    Wfi    "wfi"    Fixed       WHOLE  0x1050_0073 "wait until an interrupt comes";
}

/// The table.
pub fn rows() -> &'static [Row] {
    ROWS
}

impl Op {
    /// What instructions of its sort do, in a word or two.
    pub fn group(self) -> &'static str {
        match self {
            Self::Lui | Self::Auipc => "constants",
            Self::Jal | Self::Jalr => "jumps, calls",
            Self::Beq | Self::Bne | Self::Blt | Self::Bge | Self::Bltu | Self::Bgeu => "branches",
            Self::Lb | Self::Lh | Self::Lw | Self::Lbu | Self::Lhu => "loads",
            Self::Sb | Self::Sh | Self::Sw => "stores",
            Self::Addi | Self::Add | Self::Sub => "arithmetic",
            Self::Slti | Self::Sltiu | Self::Slt | Self::Sltu => "compare",
            Self::Xori | Self::Ori | Self::Andi | Self::Xor | Self::Or | Self::And => "bits",
            Self::Slli | Self::Srli | Self::Srai | Self::Sll | Self::Srl | Self::Sra => "shifts",
            Self::Mul | Self::Mulh | Self::Mulhsu | Self::Mulhu => "multiply, divide",
            Self::Div | Self::Divu | Self::Rem | Self::Remu => "multiply, divide",
            Self::Csrrw | Self::Csrrs | Self::Csrrc | Self::Csrrwi | Self::Csrrsi | Self::Csrrci => "control",
            Self::Fence | Self::FenceI | Self::Ecall | Self::Ebreak | Self::Mret | Self::Wfi => "system",
        }
    }
}
