//! One source text after parsing: statements, names and expressions in flat tables.
//!
//! Statements are kept apart by section, each list in the order of the text. Only `layout` gives them
//! addresses.

use crate::expr::{Expr, Names, Step, SymbolId};
use crate::problems::Problems;
use wendax_isa::w16::Row;
use wendax_source::{FileId, Span};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Section {
    Code,
    Data,
}

/// What a name was defined as.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Definition {
    /// Stands before statement `statement` of its section.
    Label { section: Section, statement: u32 },
    /// Given by `.equ`.
    Constant(Expr),
}

#[derive(Debug)]
pub(crate) struct Name {
    /// Where its definition stands, without colon.
    pub(crate) span: Span,
    /// The label that a local label belongs to.
    pub(crate) owner: Option<SymbolId>,
    pub(crate) definition: Definition,
    pub(crate) used: bool,
    /// Its value, once layout knows it.
    pub(crate) value: Option<i64>,
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
    /// Layout found that the short one does not do.
    pub(crate) lengthened: bool,
}

impl Instruction {
    /// The encoding it has by now.
    pub(crate) fn row(&self) -> &'static Row {
        self.long.filter(|_| self.lengthened).unwrap_or(self.short)
    }
}

#[derive(Debug, Clone)]
pub(crate) enum What {
    Instruction(Instruction),
    /// Several pushes or pops, by their code words, in the order they run.
    Words(Vec<u16>),
    /// A list of values of so many bytes each: a range of [`Unit::values`].
    Values {
        width: u32,
        from: u32,
        to: u32,
    },
    /// The bytes of texts: a range of [`Unit::bytes`].
    Bytes {
        from: u32,
        to: u32,
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

#[derive(Debug, Clone)]
pub(crate) struct Statement {
    pub(crate) what: What,
    pub(crate) span: Span,
    /// Its line, from 1.
    pub(crate) line: u32,
}

#[derive(Debug)]
pub(crate) struct Unit {
    pub(crate) file: FileId,
    pub(crate) code: Vec<Statement>,
    pub(crate) data: Vec<Statement>,
    pub(crate) names: Vec<Name>,
    pub(crate) steps: Vec<Step>,
    pub(crate) values: Vec<Expr>,
    pub(crate) bytes: Vec<u8>,
    pub(crate) entry: Option<(Expr, Span)>,
    pub(crate) problems: Problems,
    /// Spellings of the names, in the order of `names`.
    pub(crate) spellings: Vec<String>,
}

impl Unit {
    pub(crate) fn new(file: FileId) -> Self {
        Self {
            file,
            code: Vec::new(),
            data: Vec::new(),
            names: Vec::new(),
            steps: Vec::new(),
            values: Vec::new(),
            bytes: Vec::new(),
            entry: None,
            problems: Problems::default(),
            spellings: Vec::new(),
        }
    }

    pub(crate) fn steps(&self, expr: Expr) -> &[Step] {
        &self.steps[expr.start as usize..expr.end as usize]
    }

    pub(crate) fn section(&self, section: Section) -> &[Statement] {
        match section {
            Section::Code => &self.code,
            Section::Data => &self.data,
        }
    }

    pub(crate) fn name(&self, id: SymbolId) -> &Name {
        &self.names[id.0 as usize]
    }
}

impl Names for Unit {
    fn value(&self, symbol: SymbolId) -> Option<i64> {
        self.name(symbol).value
    }
}
