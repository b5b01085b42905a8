//! Expressions, kept as postfix code in one flat table.
//!
//! Postfix, so that evaluating needs no recursion however long a line is. A name is kept as where it
//! stands; `parser` turns it into a symbol when the whole text has been read.

use wendax_source::Span;

/// A name of the text, by its number in order of definition.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) struct SymbolId(pub(crate) u32);

/// One expression: a piece of the table, and where it stands in the text.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Expr {
    pub(crate) start: u32,
    pub(crate) end: u32,
    pub(crate) span: Span,
}

#[derive(Debug, Clone, Copy)]
pub(crate) enum Step {
    Number(i64),
    /// A name not looked up yet, and the label its `@` belongs to.
    Name(Span, Option<SymbolId>),
    Symbol(SymbolId),
    /// A name that is defined nowhere; reported already.
    Unknown,
    Here,
    Unary(Unary),
    Binary(Binary, Span),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Unary {
    Minus,
    Not,
    High,
    Low,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Binary {
    Multiply,
    Divide,
    Remainder,
    Add,
    Subtract,
    Left,
    Right,
    And,
    Xor,
    Or,
}

impl Binary {
    /// How tightly it binds; higher is tighter. All associate to the left.
    pub(crate) fn precedence(self) -> u8 {
        match self {
            Self::Multiply | Self::Divide | Self::Remainder => 6,
            Self::Add | Self::Subtract => 5,
            Self::Left | Self::Right => 4,
            Self::And => 3,
            Self::Xor => 2,
            Self::Or => 1,
        }
    }
}

/// Why an expression has no value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum EvalError {
    /// Something in it is wrong and was reported where it stands.
    Reported,
    /// A divisor, here, is zero.
    Division(Span),
    /// An intermediate value leaves 64 bits.
    Overflow,
}

/// Values of names, as far as known.
pub(crate) trait Names {
    /// The value of a symbol; `None` when it has none, which has been reported.
    fn value(&self, symbol: SymbolId) -> Option<i64>;
}

/// The value of postfix code; `here` is the address of its statement.
pub(crate) fn evaluate(steps: &[Step], names: &impl Names, here: i64) -> Result<i64, EvalError> {
    if let [Step::Number(value)] = steps {
        return Ok(*value);
    }
    let mut stack: Vec<i64> = Vec::with_capacity(8);
    // The parser only writes balanced code, so a missing operand has been reported.
    for step in steps {
        let value = match *step {
            Step::Number(value) => value,
            Step::Symbol(symbol) => names.value(symbol).ok_or(EvalError::Reported)?,
            Step::Name(..) | Step::Unknown => return Err(EvalError::Reported),
            Step::Here => here,
            Step::Unary(operator) => unary(operator, stack.pop().ok_or(EvalError::Reported)?)?,
            Step::Binary(operator, span) => {
                let right = stack.pop().ok_or(EvalError::Reported)?;
                let left = stack.pop().ok_or(EvalError::Reported)?;
                binary(operator, left, right, span)?
            }
        };
        stack.push(value);
    }
    stack.pop().ok_or(EvalError::Reported)
}

fn unary(operator: Unary, value: i64) -> Result<i64, EvalError> {
    match operator {
        Unary::Minus => value.checked_neg().ok_or(EvalError::Overflow),
        Unary::Not => Ok(!value),
        Unary::High => Ok(value >> 8 & 0xFF),
        Unary::Low => Ok(value & 0xFF),
    }
}

fn binary(operator: Binary, left: i64, right: i64, span: Span) -> Result<i64, EvalError> {
    let shift = u32::try_from(right).ok().filter(|&by| by < 64);
    let value = match operator {
        Binary::Multiply => left.checked_mul(right),
        Binary::Divide | Binary::Remainder if right == 0 => return Err(EvalError::Division(span)),
        Binary::Divide => left.checked_div(right),
        Binary::Remainder => left.checked_rem(right),
        Binary::Add => left.checked_add(right),
        Binary::Subtract => left.checked_sub(right),
        Binary::Left => shift.and_then(|by| left.checked_mul(1i64.checked_shl(by)?)),
        Binary::Right => shift.map(|by| left >> by),
        Binary::And => Some(left & right),
        Binary::Xor => Some(left ^ right),
        Binary::Or => Some(left | right),
    };
    value.ok_or(EvalError::Overflow)
}
