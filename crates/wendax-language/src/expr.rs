//! Expressions, kept as postfix code in one flat table.
//!
//! Postfix, so that evaluating needs no recursion however long a line is. A name is kept as where it
//! stands; `parser` turns it into a symbol when the whole text has been read.
//!
//! A [`Value`] is a number, or, while an object is written whose place is not known yet, a number of bytes
//! behind a base. Linking gives every base its address, so that all values are numbers then.

use crate::lexer::Mark;
use smallvec::SmallVec;
use wendax_source::Span;

/// A name of a unit, by its number in order of definition.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct SymbolId(pub u32);

/// What a name beginning with `@` is private to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Scope {
    /// Nothing: the name is plain, or stands before any label.
    Unit,
    /// The plain label above it.
    Label(SymbolId),
    /// An unfolded macro or round of a repeat, by its number.
    Expansion(u32),
    /// Nothing, and nobody names it so: a label that is a number, of which there may be many, or a section of an object.
    Numbered,
}

/// One expression: a piece of the table, and where it stands in the text.
#[derive(Debug, Clone, Copy)]
pub struct Expr {
    pub start: u32,
    pub end: u32,
    pub span: Span,
}

#[derive(Debug, Clone, Copy)]
pub enum Step {
    Number(i64),
    /// A name not looked up yet, and what it is private to.
    Name(Span, Scope),
    Symbol(SymbolId),
    /// How many bytes stand behind a label, by a name not looked up yet.
    SizeOfName(Span, Scope),
    SizeOf(SymbolId),
    /// A name that is defined nowhere; reported already.
    Unknown,
    Here,
    Unary(Unary),
    Binary(Binary, Span),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unary {
    Minus,
    Not,
    /// `!`: 1 for 0, else 0.
    Bang,
    High,
    Low,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Binary {
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
    Equal,
    NotEqual,
    Less,
    LessOrEqual,
    Greater,
    GreaterOrEqual,
    AndAlso,
    OrElse,
}

impl Binary {
    /// It gives true or false.
    pub fn compares(self) -> bool {
        matches!(
            self,
            Self::Equal | Self::NotEqual | Self::Less | Self::LessOrEqual | Self::Greater | Self::GreaterOrEqual
        )
    }

    /// The operator that a mark is.
    pub fn of(mark: Mark) -> Option<Self> {
        Some(match mark {
            Mark::Star => Self::Multiply,
            Mark::Slash => Self::Divide,
            Mark::Percent => Self::Remainder,
            Mark::Plus => Self::Add,
            Mark::Minus => Self::Subtract,
            Mark::Left => Self::Left,
            Mark::Right => Self::Right,
            Mark::And => Self::And,
            Mark::Xor => Self::Xor,
            Mark::Or => Self::Or,
            Mark::SameAs => Self::Equal,
            Mark::NotSame => Self::NotEqual,
            Mark::Less => Self::Less,
            Mark::LessOrSame => Self::LessOrEqual,
            Mark::Greater => Self::Greater,
            Mark::GreaterOrSame => Self::GreaterOrEqual,
            Mark::AndAlso => Self::AndAlso,
            Mark::OrElse => Self::OrElse,
            _ => return None,
        })
    }

    /// How tightly it binds; higher is tighter. All associate to the left.
    pub fn precedence(self) -> u8 {
        match self {
            Self::Multiply | Self::Divide | Self::Remainder => 9,
            Self::Add | Self::Subtract => 8,
            Self::Left | Self::Right => 7,
            Self::And => 6,
            Self::Xor => 5,
            Self::Or => 4,
            Self::Equal | Self::NotEqual => 3,
            Self::Less | Self::LessOrEqual | Self::Greater | Self::GreaterOrEqual => 3,
            Self::AndAlso => 2,
            Self::OrElse => 1,
        }
    }
}

/// What an address counts from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash, PartialOrd, Ord)]
pub struct Base(pub u32);

impl Base {
    /// Address 0: the value is a plain number.
    pub const ZERO: Self = Self(0);
}

/// Which part of an address that is not known yet is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Part {
    #[default]
    Whole,
    High,
    Low,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Value {
    pub base: Base,
    /// [`Part::Whole`] for all plain numbers.
    pub part: Part,
    /// Bytes behind the base.
    pub offset: i64,
}

impl Value {
    pub fn number(offset: i64) -> Self {
        Self { offset, ..Self::default() }
    }

    pub fn address(base: Base, offset: i64) -> Self {
        Self { base, part: Part::Whole, offset }
    }

    /// The number it is, if its place is known.
    pub fn as_number(self) -> Option<i64> {
        (self.base == Base::ZERO).then_some(self.offset)
    }
}

/// Why an expression has no value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EvalError {
    /// Something in it is wrong and was reported where it stands.
    Reported,
    /// A divisor, here, is zero.
    Division(Span),
    /// A shift, here, by so many places.
    Shift(Span, i64),
    /// An intermediate value leaves 64 bits.
    Overflow,
    /// It computes with an address that only linking knows.
    Unplaced,
    /// A byte is taken of something that is no word.
    NoWord(i64),
}

/// Values of names, as far as known.
pub trait Names {
    /// The value of a symbol; `None` when it has none, which has been reported.
    fn value(&self, symbol: SymbolId) -> Option<Value>;
    /// How many bytes stand behind a label.
    fn size(&self, symbol: SymbolId) -> Option<i64>;
}

/// The value of postfix code; `here` is the address of its statement.
pub fn evaluate(steps: &[Step], names: &impl Names, here: Value) -> Result<Value, EvalError> {
    match steps {
        [Step::Number(value)] => return Ok(Value::number(*value)),
        [Step::Symbol(symbol)] => return names.value(*symbol).ok_or(EvalError::Reported),
        _ => {}
    }
    if let Some(value) = at_once(steps, names, here) {
        return Ok(value);
    }
    // What has no value stays on the stack until it is known whether it is needed: `defined(N) && N > 5`.
    let mut stack: SmallVec<[Result<Value, EvalError>; 8]> = SmallVec::new();
    // The parser only writes balanced code, so a missing operand has been reported.
    for step in steps {
        let value = match *step {
            Step::Number(value) => Ok(Value::number(value)),
            Step::Symbol(symbol) => names.value(symbol).ok_or(EvalError::Reported),
            Step::SizeOf(symbol) => names.size(symbol).map(Value::number).ok_or(EvalError::Reported),
            Step::Name(..) | Step::SizeOfName(..) | Step::Unknown => Err(EvalError::Reported),
            Step::Here => Ok(here),
            Step::Unary(operator) => stack.pop().ok_or(EvalError::Reported)?.and_then(|value| unary(operator, value)),
            Step::Binary(operator, span) => {
                let right = stack.pop().ok_or(EvalError::Reported)?;
                let left = stack.pop().ok_or(EvalError::Reported)?;
                decided(operator, left).map_or_else(|| binary(operator, left?, right?, span), Ok)
            }
        };
        stack.push(value);
    }
    stack.pop().ok_or(EvalError::Reported)?
}

/// The value of postfix code in which everything has one, as nearly always.
fn at_once(steps: &[Step], names: &impl Names, here: Value) -> Option<Value> {
    const DEEPEST: usize = 8;
    let mut stack = [here; DEEPEST];
    let mut depth = 0;
    for step in steps {
        let value = match *step {
            Step::Number(value) => Value::number(value),
            Step::Symbol(symbol) => names.value(symbol)?,
            Step::SizeOf(symbol) => Value::number(names.size(symbol)?),
            Step::Here => here,
            Step::Unary(operator) => {
                depth = usize::checked_sub(depth, 1)?;
                unary(operator, stack[depth]).ok()?
            }
            Step::Binary(operator, span) => {
                depth = usize::checked_sub(depth, 2)?;
                binary(operator, stack[depth], stack[depth + 1], span).ok()?
            }
            Step::Name(..) | Step::SizeOfName(..) | Step::Unknown => return None,
        };
        *stack.get_mut(depth)? = value;
        depth += 1;
    }
    stack.get(depth.checked_sub(1)?).copied()
}

/// What a left side alone decides: 0 for `&&`, anything else for `||`.
fn decided(operator: Binary, left: Result<Value, EvalError>) -> Option<Value> {
    let is_true = left.ok()?.as_number()? != 0;
    match operator {
        Binary::AndAlso if !is_true => Some(Value::number(0)),
        Binary::OrElse if is_true => Some(Value::number(1)),
        _ => None,
    }
}

pub fn unary(operator: Unary, value: Value) -> Result<Value, EvalError> {
    if value.base != Base::ZERO {
        return match (operator, value.part) {
            (Unary::High, Part::Whole) => Ok(Value { part: Part::High, ..value }),
            (Unary::Low, Part::Whole) => Ok(Value { part: Part::Low, ..value }),
            _ => Err(EvalError::Unplaced),
        };
    }
    let value = value.offset;
    if matches!(operator, Unary::High | Unary::Low) && !(-0x8000..=0xFFFF).contains(&value) {
        return Err(EvalError::NoWord(value));
    }
    let result = match operator {
        Unary::Minus => value.checked_neg().ok_or(EvalError::Overflow)?,
        Unary::Not => !value,
        Unary::Bang => (value == 0).into(),
        Unary::High => value >> 8 & 0xFF,
        Unary::Low => value & 0xFF,
    };
    Ok(Value::number(result))
}

fn binary(operator: Binary, left: Value, right: Value, span: Span) -> Result<Value, EvalError> {
    if left.base == Base::ZERO && right.base == Base::ZERO {
        return numbers(operator, left.offset, right.offset, span).map(Value::number);
    }
    if left.part != Part::Whole || right.part != Part::Whole {
        return Err(EvalError::Unplaced);
    }
    let offset = numbers(operator, left.offset, right.offset, span);
    match operator {
        Binary::Add if right.base == Base::ZERO => Ok(Value::address(left.base, offset?)),
        Binary::Add if left.base == Base::ZERO => Ok(Value::address(right.base, offset?)),
        Binary::Subtract if right.base == Base::ZERO => Ok(Value::address(left.base, offset?)),
        // Differences and comparisons of two places with one base do not depend on it.
        Binary::Subtract | Binary::Equal | Binary::NotEqual | Binary::Less if left.base == right.base => {
            offset.map(Value::number)
        }
        Binary::LessOrEqual | Binary::Greater | Binary::GreaterOrEqual if left.base == right.base => {
            offset.map(Value::number)
        }
        _ => Err(EvalError::Unplaced),
    }
}

pub fn numbers(operator: Binary, left: i64, right: i64, span: Span) -> Result<i64, EvalError> {
    let shift = u32::try_from(right).ok().filter(|&by| by < 64);
    let value = match operator {
        Binary::Multiply => left.checked_mul(right),
        Binary::Divide | Binary::Remainder if right == 0 => return Err(EvalError::Division(span)),
        Binary::Divide => left.checked_div(right),
        Binary::Remainder => left.checked_rem(right),
        Binary::Add => left.checked_add(right),
        Binary::Subtract => left.checked_sub(right),
        Binary::Left | Binary::Right if shift.is_none() => return Err(EvalError::Shift(span, right)),
        Binary::Left => {
            shift.map(|by| (left << by, by)).filter(|(value, by)| value >> by == left).map(|(value, _)| value)
        }
        Binary::Right => shift.map(|by| left >> by),
        Binary::And => Some(left & right),
        Binary::Xor => Some(left ^ right),
        Binary::Or => Some(left | right),
        Binary::Equal => Some((left == right).into()),
        Binary::NotEqual => Some((left != right).into()),
        Binary::Less => Some((left < right).into()),
        Binary::LessOrEqual => Some((left <= right).into()),
        Binary::Greater => Some((left > right).into()),
        Binary::GreaterOrEqual => Some((left >= right).into()),
        Binary::AndAlso => Some((left != 0 && right != 0).into()),
        Binary::OrElse => Some((left != 0 || right != 0).into()),
    };
    value.ok_or(EvalError::Overflow)
}
