//! One source text after parsing: statements, names and expressions in flat tables. This is the object, as
//! the linker takes it; `elf` writes it to a file and makes it from one again.
//!
//! Statements are kept apart by section, each list in the order of the text. Only `layout` gives them
//! addresses, so that forms can be chosen when everything is known. A unit never changes after parsing, which
//! lets `assembler` keep those of files that did not change.

use crate::expansion::Expansions;
use crate::expr::{Expr, Names, Scope, Step, SymbolId, Value, evaluate};
use crate::problems::Problems;
use crate::rv32;
use crate::syntax::Syntax;
use rustc_hash::FxHashMap;
use wendax_isa::w16::Row;
use wendax_source::{Diagnostic, FileId, Span};

/// A section of a unit, by its number.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct SectionId(pub(crate) u32);

impl SectionId {
    /// What `.code` opens.
    pub(crate) const CODE: Self = Self(0);
    /// What `.data` opens.
    pub(crate) const DATA: Self = Self(1);
}

/// What may be done with a section, and where it goes in memory: in this order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) enum SectionKind {
    /// Read and executed.
    Code,
    /// Read.
    Constants,
    /// Read and written.
    Data,
    /// Read and written, zero at the start, not kept in files.
    Zeroed,
}

impl SectionKind {
    pub(crate) const WORDS: [(Self, &'static str); 3] =
        [(Self::Code, "code"), (Self::Data, "data"), (Self::Zeroed, "zeroed")];

    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Code => "code",
            Self::Constants => "read-only data",
            Self::Data => "data",
            Self::Zeroed => "zeroed",
        }
    }
}

#[derive(Debug)]
pub(crate) struct Section {
    pub(crate) name: String,
    pub(crate) kind: SectionKind,
    /// Where it was named first; `None` for the two that are always there.
    pub(crate) span: Option<Span>,
    pub(crate) statements: Vec<Statement>,
}

/// What a name was defined as.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Definition {
    /// Stands before statement `statement` of its section.
    Label { section: SectionId, statement: u32 },
    /// Given by `.equ`.
    Constant(Expr),
    /// Defined in another file, says `.extern`.
    Extern,
}

#[derive(Debug)]
pub(crate) struct Name {
    /// Where its definition stands, without colon.
    pub(crate) span: Span,
    /// What a name with `@` is private to.
    pub(crate) owner: Scope,
    pub(crate) definition: Definition,
    /// Where it is used first, in the order of the text.
    pub(crate) used: Option<Span>,
    /// Where it is made known to other files.
    pub(crate) global: Option<Span>,
}

/// An instruction with the encodings it may take.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Instruction {
    /// The shortest encoding.
    pub(crate) short: &'static Row,
    /// The one that takes every value, when there are two.
    pub(crate) long: Option<&'static Row>,
    pub(crate) a: u8,
    pub(crate) b: u8,
    pub(crate) value: Option<Expr>,
}

impl Instruction {
    /// The encoding to take.
    pub(crate) fn row(&self, lengthened: bool) -> &'static Row {
        self.long.filter(|_| lengthened).unwrap_or(self.short)
    }
}

#[derive(Debug, Clone)]
pub(crate) enum What {
    Instruction(Instruction),
    /// One of RV32, as it is written.
    Rv32(rv32::Instruction),
    /// Several pushes or pops, by their code words, in the order they run.
    Words(Vec<u16>),
    /// A list of values of so many bytes each, 1, 2, 4 or 8: a range of [`Unit::values`].
    Values {
        width: u32,
        from: u32,
        to: u32,
    },
    /// The bytes of texts or of a file: a range of [`Unit::bytes`].
    Bytes {
        from: u32,
        to: u32,
    },
    /// Bytes out of an object file with what is to be put into them: ranges of [`Unit::bytes`] and
    /// [`Unit::patches`].
    Object {
        bytes: (u32, u32),
        patches: (u32, u32),
    },
    Space {
        count: Expr,
        fill: Option<Expr>,
    },
    Align {
        to: Expr,
        fill: Option<Expr>,
    },
    Org(Expr),
}

/// Something of an object file that only linking knows.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Patch {
    /// Bytes into its statement.
    pub(crate) at: u32,
    pub(crate) kind: PatchKind,
    pub(crate) value: Expr,
}

/// What is put into the bytes of an object.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum PatchKind {
    /// One byte, −128 to 255.
    Byte,
    /// Two bytes, low one first, −32768 to 65535.
    Word,
    /// One byte: the high one of a word.
    High,
    /// One byte: the low one of a word.
    Low,
    /// Four bytes, low one first.
    Address,
    /// A distance in an instruction of RV32, or a part of an address.
    Rv32(Rv32Patch),
}

/// What is put into instructions of RV32, as the psABI names it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Rv32Patch {
    /// The distance of a branch.
    Branch,
    /// The distance of `jal`.
    Jump,
    /// The distance that `auipc` and the `jalr` behind it go.
    Call,
    /// The upper 20 bits of an address, so that the lower 12 added give it.
    High,
    /// The lower 12 bits of an address, in a sum or a load.
    Low,
    /// The same in a store.
    LowOfStore,
}

/// The numbers of relocations in files: W16's are our own, those of RV32 the psABI's ("Relocations"). They do not change.
const W16_PATCHES: [(u32, PatchKind); 5] =
    [(1, PatchKind::Byte), (2, PatchKind::Word), (3, PatchKind::High), (4, PatchKind::Low), (5, PatchKind::Address)];
const RV32_PATCHES: [(u32, PatchKind); 8] = [
    (1, PatchKind::Address),
    (16, PatchKind::Rv32(Rv32Patch::Branch)),
    (17, PatchKind::Rv32(Rv32Patch::Jump)),
    (19, PatchKind::Rv32(Rv32Patch::Call)),
    // The older number of the same.
    (18, PatchKind::Rv32(Rv32Patch::Call)),
    (26, PatchKind::Rv32(Rv32Patch::High)),
    (27, PatchKind::Rv32(Rv32Patch::Low)),
    (28, PatchKind::Rv32(Rv32Patch::LowOfStore)),
];

impl PatchKind {
    fn known(syntax: Syntax) -> &'static [(u32, Self)] {
        match syntax {
            Syntax::W16 => &W16_PATCHES,
            Syntax::Rv32 => &RV32_PATCHES,
        }
    }

    /// Its number in files for a machine; `None` where the machine has nothing of the kind.
    pub(crate) fn number(self, syntax: Syntax) -> Option<u32> {
        Self::known(syntax).iter().find(|(_, kind)| *kind == self).map(|(number, _)| *number)
    }

    pub(crate) fn of(number: u32, syntax: Syntax) -> Option<Self> {
        Self::known(syntax).iter().find(|(known, _)| *known == number).map(|(_, kind)| *kind)
    }

    /// How many bytes it is put into.
    pub(crate) fn length(self) -> u32 {
        match self {
            Self::Byte | Self::High | Self::Low => 1,
            Self::Word => 2,
            Self::Rv32(Rv32Patch::Call) => 8,
            Self::Address | Self::Rv32(_) => 4,
        }
    }
}

#[derive(Debug, Clone)]
pub(crate) struct Statement {
    pub(crate) what: What,
    /// The statement in the text a person wrote: of unfolded lines, what was unfolded.
    pub(crate) span: Span,
    /// The line of `span`, from 1.
    pub(crate) line: u32,
    /// The line it was unfolded to, when it was.
    pub(crate) unfolded: Option<Span>,
}

/// A claim to be checked when all addresses are known.
#[derive(Debug)]
pub(crate) struct Claim {
    pub(crate) expr: Expr,
    pub(crate) text: Option<String>,
    /// Where it stands among statements, for `here`.
    pub(crate) section: SectionId,
    pub(crate) statement: u32,
}

#[derive(Debug)]
pub(crate) struct Unit {
    /// The machine it is written for.
    pub(crate) syntax: Syntax,
    pub(crate) file: FileId,
    pub(crate) sections: Vec<Section>,
    /// The sections of each name; of one name there may be some of several kinds.
    named_sections: FxHashMap<String, Vec<SectionId>>,
    pub(crate) names: Vec<Name>,
    pub(crate) steps: Vec<Step>,
    pub(crate) values: Vec<Expr>,
    pub(crate) bytes: Vec<u8>,
    pub(crate) patches: Vec<Patch>,
    pub(crate) claims: Vec<Claim>,
    pub(crate) entry: Option<(Expr, Span)>,
    pub(crate) problems: Problems,
    /// Warnings and hints, told when there is no problem.
    pub(crate) remarks: Vec<Diagnostic>,
    /// Names used and defined nowhere here, by where they stand.
    pub(crate) unknown: Vec<Span>,
    /// Names taken to be another file's because they are defined nowhere here, each with what is to be told when no file
    /// has it.
    pub(crate) trusted: Vec<(SymbolId, Diagnostic)>,
    /// Spellings of the names, in the order of `names`.
    pub(crate) spellings: Vec<String>,
    /// Of each label the statement the next plain label of its section stands before, in the order of `names`.
    pub(crate) ends: Vec<u32>,
    /// Values of constants made of numbers and such constants alone, in the order of `names`.
    pub(crate) fixed: Vec<Option<Value>>,
    /// Where constants stand among statements that are made of `here`.
    pub(crate) stands: FxHashMap<SymbolId, (SectionId, u32)>,
    pub(crate) expansions: Expansions,
    /// Paths of the files it includes.
    pub(crate) included: Vec<String>,
    /// Names of its macros.
    pub(crate) macros: Vec<String>,
}

impl Unit {
    pub(crate) fn new(syntax: Syntax, file: FileId, unfolded: FileId) -> Self {
        let mut unit = Self {
            syntax,
            file,
            sections: Vec::new(),
            named_sections: FxHashMap::default(),
            names: Vec::new(),
            steps: Vec::new(),
            values: Vec::new(),
            bytes: Vec::new(),
            patches: Vec::new(),
            claims: Vec::new(),
            entry: None,
            problems: Problems::default(),
            remarks: Vec::new(),
            unknown: Vec::new(),
            trusted: Vec::new(),
            spellings: Vec::new(),
            ends: Vec::new(),
            fixed: Vec::new(),
            stands: FxHashMap::default(),
            expansions: Expansions::new(unfolded),
            included: Vec::new(),
            macros: Vec::new(),
        };
        // The two that are always there: `SectionId::CODE` and `SectionId::DATA`.
        unit.add_section("code", SectionKind::Code, None);
        unit.add_section("data", SectionKind::Data, None);
        unit
    }

    /// Notes where the data of each label ends.
    pub(crate) fn find_ends(&mut self) {
        let mut ends = vec![0; self.names.len()];
        let mut next: Vec<u32> =
            self.sections.iter().map(|section| u32::try_from(section.statements.len()).unwrap_or(u32::MAX)).collect();
        // Labels before the same statement end at the same place.
        let mut same: Vec<(u32, u32)> = next.iter().map(|&end| (end, end)).collect();
        for (end, name) in ends.iter_mut().zip(&self.names).rev() {
            let Definition::Label { section, statement } = name.definition else { continue };
            let section = section.0 as usize;
            if statement < next[section] {
                same[section] = (statement, next[section]);
            }
            *end = if same[section].0 == statement { same[section].1 } else { next[section] };
            if name.owner == Scope::Unit {
                next[section] = next[section].min(statement);
            }
        }
        self.ends = ends;
    }

    /// Gives constants that depend on nothing but numbers their value, once for all times this unit is linked.
    pub(crate) fn fix_constants(&mut self) {
        struct Fixed<'u>(&'u [Option<Value>]);
        impl Names for Fixed<'_> {
            fn value(&self, symbol: SymbolId) -> Option<Value> {
                self.0[symbol.0 as usize]
            }

            fn size(&self, _: SymbolId) -> Option<i64> {
                None
            }
        }
        let mut fixed = vec![None; self.names.len()];
        // Most are defined before they are used; what is not is left to layout.
        for (index, name) in self.names.iter().enumerate() {
            let Definition::Constant(expr) = name.definition else { continue };
            let steps = self.steps(expr);
            if !steps.iter().any(|step| matches!(step, Step::Here)) {
                fixed[index] = evaluate(steps, &Fixed(&fixed), Value::number(0)).ok();
            }
        }
        self.fixed = fixed;
    }

    pub(crate) fn steps(&self, expr: Expr) -> &[Step] {
        &self.steps[expr.start as usize..expr.end as usize]
    }

    pub(crate) fn section(&self, section: SectionId) -> &Section {
        &self.sections[section.0 as usize]
    }

    pub(crate) fn name(&self, id: SymbolId) -> &Name {
        &self.names[id.0 as usize]
    }

    pub(crate) fn spelling(&self, id: SymbolId) -> &str {
        &self.spellings[id.0 as usize]
    }

    pub(crate) fn symbols(&self) -> impl Iterator<Item = (SymbolId, &Name)> {
        (0u32..).map(SymbolId).zip(&self.names)
    }

    /// The names other units can see.
    pub(crate) fn globals(&self) -> impl Iterator<Item = SymbolId> {
        self.symbols().filter(|(_, name)| name.global.is_some()).map(|(id, _)| id)
    }

    /// The sections with their numbers.
    pub(crate) fn section_list(&self) -> impl Iterator<Item = (SectionId, &Section)> {
        (0u32..).map(SectionId).zip(&self.sections)
    }

    /// The first section of a name.
    pub(crate) fn section_named(&self, name: &str) -> Option<SectionId> {
        self.named_sections.get(name)?.first().copied()
    }

    /// The section of a name and kind, which is added where it is not there yet.
    pub(crate) fn section_of_kind(&mut self, name: &str, kind: SectionKind, span: Option<Span>) -> SectionId {
        let named = self.named_sections.get(name).into_iter().flatten().copied();
        let known = named.into_iter().find(|&id| self.section(id).kind == kind);
        known.unwrap_or_else(|| self.add_section(name, kind, span))
    }

    /// Adds a section that is not there yet.
    pub(crate) fn add_section(&mut self, name: &str, kind: SectionKind, span: Option<Span>) -> SectionId {
        let id = SectionId(u32::try_from(self.sections.len()).unwrap_or(u32::MAX));
        self.sections.push(Section { name: name.to_owned(), kind, span, statements: Vec::new() });
        self.named_sections.entry(name.to_owned()).or_default().push(id);
        id
    }

    /// The only symbol an expression is made of.
    pub(crate) fn sole_symbol(&self, expr: Expr) -> Option<SymbolId> {
        match self.steps(expr) {
            [Step::Symbol(id)] => Some(*id),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use object::elf;

    #[test]
    fn relocations_of_rv32_have_the_numbers_of_the_psabi() {
        for (kind, number) in [
            (PatchKind::Address, elf::R_RISCV_32),
            (PatchKind::Rv32(Rv32Patch::Branch), elf::R_RISCV_BRANCH),
            (PatchKind::Rv32(Rv32Patch::Jump), elf::R_RISCV_JAL),
            (PatchKind::Rv32(Rv32Patch::Call), elf::R_RISCV_CALL_PLT),
            (PatchKind::Rv32(Rv32Patch::High), elf::R_RISCV_HI20),
            (PatchKind::Rv32(Rv32Patch::Low), elf::R_RISCV_LO12_I),
            (PatchKind::Rv32(Rv32Patch::LowOfStore), elf::R_RISCV_LO12_S),
        ] {
            assert_eq!(kind.number(Syntax::Rv32), Some(number), "{kind:?}");
            assert_eq!(PatchKind::of(number, Syntax::Rv32), Some(kind));
        }
        assert_eq!(PatchKind::Byte.number(Syntax::Rv32), None);
        for target in wendax_isa::targets() {
            assert_eq!(PatchKind::Address.number(Syntax::of(target)), Some(target.elf.whole));
        }
    }
}
