//! Expressions over a moment of a run: those of the language, with registers, memory and whatever else the moment
//! knows by a name.
//!
//! `wagons + 4`, `r1 * 2`, `[r6 + 2]` (the word there), `byte [text]`, `'H'`, `sizeof(wagons)`, `signed(r1) < 0`,
//! comparisons and logic as in sources. A text is read once ([`ValueExpression`]), its names are looked up once
//! ([`ValueExpression::bind`]), and what comes of that can be asked of many moments, fast enough for a condition met at
//! every step. Nothing here knows what a register is: what is known only at a moment goes by a number of the scope's
//! own.

use crate::expr::{Binary, EvalError, Unary, Value, numbers, unary};
use crate::lexer::{Kind, Lexer, Mark, Token};
use crate::problems::Problems;
use smallvec::SmallVec;
use std::borrow::Cow;
use wendax_image::{Bits, Home, Stay, TypeId, TypeKind, Variable, Variables};
use wendax_isa::{Addr, Reg, Target};
use wendax_source::{FileId, Span, nearest};

/// Expressions nested deeper are refused.
const DEEPEST: usize = 64;

/// What a name means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Named {
    /// A value that stays: a label, a constant.
    Value(i64),
    /// Something that has a value at a moment only; the scope's own number for it.
    Live(u32),
}

/// A variable that a compiler told of, as it is known where an expression is read.
#[derive(Debug, Clone)]
pub struct Typed<'a> {
    /// It.
    pub variable: Cow<'a, Variable>,
    /// Those of its program, with their types.
    pub all: &'a Variables,
    /// The machine of that.
    pub target: &'static Target,
    /// The scope's own number for the address of the next instruction, and for a register.
    pub next: u32,
    /// See `next`.
    pub register: fn(Reg) -> u32,
}

/// Where names mean something.
pub trait Scope {
    /// The variable that a name means, when a compiler told of one.
    fn variable(&self, _: &str) -> Option<Typed<'_>> {
        None
    }
    /// Why a name that is known somewhere means nothing here.
    fn why_unknown(&self, _: &str) -> Option<String> {
        None
    }
    /// What a name means; `None` when nothing has this name.
    fn named(&self, name: &str) -> Option<Named>;
    /// How many bytes stand behind a label.
    fn size_of(&self, name: &str) -> Option<i64>;
}

/// What an expression can ask of a moment.
pub trait Moment {
    /// The value of something live, by the number its scope gave it.
    fn live(&self, number: u32) -> i64;
    /// The word at an address, or why there is none.
    fn word(&self, address: i64) -> Result<i64, String>;
    /// The byte at an address, or why there is none.
    fn byte(&self, address: i64) -> Result<i64, String>;
    /// The number of 1, 2, 4 or 8 bytes at an address, the low one first, or why there is none.
    fn number(&self, address: i64, bytes: u32) -> Result<i64, String> {
        let byte = |offset: u32| self.byte(address.wrapping_add(offset.into()));
        (0..bytes.min(8)).try_fold(0, |number, offset| Ok(number | byte(offset)? << (8 * offset)))
    }
    /// A word read as a signed number.
    fn signed(&self, word: i64) -> i64;
}

/// What is wrong with an expression, or why it has no value now.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct ValueError {
    /// What was expected, or what is missing.
    pub message: String,
    /// The byte of the text it is about.
    pub at: usize,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Step {
    Number(i64),
    Name(String, usize),
    /// A part of a variable, or what it leads to.
    Path(Path),
    SizeOf(String, usize),
    Word(usize),
    Byte(usize),
    Signed,
    Unary(Unary),
    Binary(Binary, usize),
    /// `&&` or `||` behind its left side: when that decides, so many steps are passed over.
    Decide(Binary, usize),
    /// Behind its right side: whether that is true.
    Truth,
    Defined(String),
}

/// A variable with what is said of it: `wagons[2].load`, `*first`, `&total`.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Path {
    name: String,
    at: usize,
    parts: Vec<Part>,
    /// What it leads to is meant, so many times.
    leads: usize,
    /// Its address is meant.
    is_address: bool,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Part {
    /// The element of a number.
    Index(Vec<Step>, usize),
    /// The member of a name.
    Member(String, usize),
}

/// An expression as it was read, in postfix order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ValueExpression {
    steps: Vec<Step>,
}

/// How much of memory a place is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Width {
    /// A word of the machine.
    Word,
    /// So many bytes.
    Bytes(u32),
}

impl Width {
    /// In bytes, of a machine whose words have so many.
    pub fn bytes(self, of_word: u32) -> u32 {
        match self {
            Self::Word => of_word,
            Self::Bytes(bytes) => bytes,
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Bound {
    Number(i64),
    Live(u32),
    Word(usize),
    Byte(usize),
    /// A number of a program's type.
    Load(Load, usize),
    /// A variable that lies elsewhere from place to place: what it is, or with no way to load it where it lies.
    Moving(Box<Moving>, Option<Load>),
    Signed,
    Unary(Unary),
    Binary(Binary, usize),
    Decide(Binary, usize),
    Truth,
}

/// How a number of a program's type is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Load {
    bytes: u32,
    is_signed: bool,
    bits: Option<Bits>,
}

impl Load {
    /// The number that so many low bytes are.
    fn of(self, word: i64) -> i64 {
        let (first, count) = self.bits.map_or((0, self.bytes * 8), |bits| (bits.first, bits.count));
        let unused = 64_u32.saturating_sub(count).min(63);
        let word = word.checked_shr(first).unwrap_or(0) << unused;
        if self.is_signed { word >> unused } else { (word.cast_unsigned() >> unused).cast_signed() }
    }
}

/// A number of a program's type at an address: so many bytes, read with a sign or not, or only some bits of what lies there.
pub fn load(
    moment: &impl Moment,
    address: i64,
    bytes: u32,
    is_signed: bool,
    bits: Option<Bits>,
) -> Result<i64, String> {
    // Of bits only the bytes that hold them are looked at.
    let bytes = bits.map_or(bytes, |bits| (bits.first + bits.count).div_ceil(8));
    Ok(Load { bytes, is_signed, bits }.of(moment.number(address, bytes)?))
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Moving {
    name: String,
    at: usize,
    /// With the scope's number of the register that each place goes by.
    stays: Vec<(Stay, Option<u32>)>,
    scope: Vec<(Addr, Addr)>,
    next: u32,
    mask: u32,
}

/// An expression whose names are known.
#[derive(Debug, Clone)]
pub struct BoundValue {
    steps: Vec<Bound>,
    /// The address of what it is by itself, when it is a place in memory with nothing around it.
    place: Option<(Vec<Bound>, Width)>,
    /// The type of what it is, when it is a variable or a part of one with nothing around it.
    of: Option<TypeId>,
}

impl PartialEq for BoundValue {
    fn eq(&self, other: &Self) -> bool {
        self.steps == other.steps && self.of == other.of
    }
}

impl Eq for BoundValue {}

/// What an expression's value hangs on.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Hangs {
    /// What is live, by number.
    pub lives: Vec<u32>,
    /// Memory: first address and how many bytes.
    pub cells: Vec<(i64, u32)>,
    /// Memory at addresses that are themselves known only at a moment.
    pub on_any_memory: bool,
}

/// Where a text goes on behind a value, and its first word there; `None` at its end.
pub type Rest<'a> = Option<(usize, &'a str)>;

impl ValueExpression {
    /// Reads a text.
    pub fn read(text: &str) -> Result<Self, ValueError> {
        let (value, rest) = Self::read_part(text)?;
        match rest {
            Some((at, word)) => Err(ValueError { message: format!("`{word}` does not belong to a value"), at }),
            None => Ok(value),
        }
    }

    /// Reads as much of a text as is a value; also returns where something else begins, and its first word.
    pub fn read_part(text: &str) -> Result<(Self, Rest<'_>), ValueError> {
        let (mut tokens, mut problems) = (Vec::new(), Problems::default());
        // Some signs mean another thing at the beginning of a line, which this is not.
        let line = format!("({text}");
        Lexer::line(FileId(0), 0, &line, 0, line.len()).run(&mut tokens, &mut problems);
        if let Some(problem) = problems.list().first() {
            let at = (problem.primary.span.start as usize).saturating_sub(1);
            return Err(ValueError { message: problem.message.clone(), at });
        }
        tokens.remove(0);
        for token in &mut tokens {
            (token.start, token.end) = (token.start - 1, token.end - 1);
        }
        let mut reader = Reader { text, tokens: &tokens, at: 0, steps: Vec::new(), depth: 0 };
        reader.binary(0)?;
        let rest = reader.peek().map(|token| (token.start as usize, &text[token.start as usize..token.end as usize]));
        Ok((Self { steps: reader.steps }, rest))
    }

    /// The same with every name looked up.
    pub fn bind(&self, scope: &impl Scope) -> Result<BoundValue, ValueError> {
        let mut binder = Binder { scope, out: Vec::new() };
        let of = binder.steps(&self.steps)?;
        let steps = binder.out;
        let place = match (self.steps.as_slice(), steps.last()) {
            ([.., Step::Word(_) | Step::Byte(_)], Some(last)) => {
                let width = if matches!(last, Bound::Byte(_)) { Width::Bytes(1) } else { Width::Word };
                Some((steps[..steps.len() - 1].to_vec(), width))
            }
            ([Step::Name(..) | Step::Path(_)], _) if of.is_some() => {
                Binder { scope, out: Vec::new() }.place(&self.steps)
            }
            _ => None,
        };
        Ok(BoundValue { steps, place, of })
    }

    /// The one name it is, when it is nothing else.
    pub fn name(&self) -> Option<&str> {
        match self.steps.as_slice() {
            [Step::Name(name, _)] => Some(name),
            _ => None,
        }
    }
}

impl BoundValue {
    /// Its value at a moment.
    pub fn value(&self, moment: &impl Moment) -> Result<i64, ValueError> {
        evaluate(&self.steps, moment)
    }

    /// The address of the place in memory it is by itself, and how much lies there; `None` when it is a value only.
    pub fn place(&self, moment: &impl Moment) -> Option<Result<(i64, Width), ValueError>> {
        let (steps, width) = self.place.as_ref()?;
        Some(evaluate(steps, moment).map(|address| (address, *width)))
    }

    /// The type of what it is, when it is a variable or a part of one with nothing around it.
    pub fn of(&self) -> Option<TypeId> {
        self.of
    }

    /// It is true or false: a comparison, or made of such by `&&`, `||` and `!`.
    pub fn is_comparison(&self) -> bool {
        match self.steps.last() {
            Some(Bound::Binary(operator, _)) => operator.compares(),
            Some(Bound::Truth | Bound::Unary(Unary::Bang)) => true,
            _ => false,
        }
    }

    /// True when both are; the other one is looked at only when this one is.
    #[must_use]
    pub fn and(mut self, other: Self) -> Self {
        self.steps.push(Bound::Decide(Binary::AndAlso, other.steps.len() + 1));
        self.steps.extend(other.steps);
        self.steps.push(Bound::Truth);
        Self { steps: self.steps, place: None, of: None }
    }

    /// The one thing it is that is live, when it is nothing else.
    pub fn live(&self) -> Option<u32> {
        match self.steps.as_slice() {
            [Bound::Live(number)] => Some(*number),
            _ => None,
        }
    }

    /// What its value hangs on; words have so many bytes.
    pub fn hangs_on(&self, word_bytes: u32) -> Hangs {
        let mut hangs = Hangs::default();
        // The addresses that are known without a moment, as far as they are.
        let mut stack: Vec<Option<i64>> = Vec::new();
        for step in &self.steps {
            let value = match step {
                Bound::Number(value) => Some(*value),
                Bound::Live(number) => {
                    hangs.lives.push(*number);
                    None
                }
                Bound::Moving(moving, _) => {
                    hangs.lives.push(moving.next);
                    hangs.on_any_memory = true;
                    None
                }
                Bound::Word(_) | Bound::Byte(_) | Bound::Load(..) => {
                    let bytes = match step {
                        Bound::Word(_) => word_bytes,
                        Bound::Load(load, _) => load.bytes,
                        _ => 1,
                    };
                    match stack.pop().flatten() {
                        Some(address) => hangs.cells.push((address, bytes)),
                        None => hangs.on_any_memory = true,
                    }
                    None
                }
                Bound::Signed | Bound::Truth => {
                    stack.pop();
                    None
                }
                Bound::Decide(..) => {
                    stack.pop();
                    continue;
                }
                Bound::Unary(operator) => {
                    let value = stack.pop().flatten();
                    value.and_then(|value| unary(*operator, Value::number(value)).ok()?.as_number())
                }
                Bound::Binary(operator, _) => {
                    let (right, left) = (stack.pop().flatten(), stack.pop().flatten());
                    let span = Span::new(FileId(0), 0, 0);
                    left.zip(right).and_then(|(left, right)| numbers(*operator, left, right, span).ok())
                }
            };
            stack.push(value);
        }
        hangs
    }
}

fn evaluate(steps: &[Bound], moment: &impl Moment) -> Result<i64, ValueError> {
    let error = |message: String, at: usize| ValueError { message, at };
    let mut stack: SmallVec<[i64; 8]> = SmallVec::new();
    let mut next = 0;
    while let Some(step) = steps.get(next) {
        next += 1;
        // The reader writes balanced code only.
        let value = match step {
            Bound::Decide(operator, count) => {
                let is_true = stack.pop().unwrap_or(0) != 0;
                if is_true != (*operator == Binary::OrElse) {
                    continue;
                }
                next += count;
                is_true.into()
            }
            Bound::Truth => (stack.pop().unwrap_or(0) != 0).into(),
            Bound::Number(value) => *value,
            Bound::Live(number) => moment.live(*number),
            Bound::Word(at) => moment.word(stack.pop().unwrap_or(0)).map_err(|why| error(why, *at))?,
            Bound::Byte(at) => moment.byte(stack.pop().unwrap_or(0)).map_err(|why| error(why, *at))?,
            Bound::Load(load, at) => {
                let Load { bytes, is_signed, bits } = *load;
                let number = self::load(moment, stack.pop().unwrap_or(0), bytes, is_signed, bits);
                number.map_err(|why| error(why, *at))?
            }
            Bound::Moving(moving, load) => moving.value(*load, moment)?,
            Bound::Signed => moment.signed(stack.pop().unwrap_or(0)),
            Bound::Unary(operator) => {
                let value = unary(*operator, Value::number(stack.pop().unwrap_or(0)));
                value.ok().and_then(Value::as_number).ok_or_else(|| error("this leaves 64 bits".to_owned(), 0))?
            }
            Bound::Binary(operator, at) => {
                let (right, left) = (stack.pop().unwrap_or(0), stack.pop().unwrap_or(0));
                numbers(*operator, left, right, Span::new(FileId(0), *at, *at)).map_err(|why| {
                    let message = match why {
                        EvalError::Division(_) => "this divides by zero".to_owned(),
                        EvalError::Shift(_, by) => format!("a value cannot be shifted by {by}"),
                        EvalError::Overflow | EvalError::Reported | EvalError::Unplaced | EvalError::NoWord(_) => {
                            "this leaves 64 bits".to_owned()
                        }
                    };
                    error(message, *at)
                })?
            }
        };
        stack.push(value);
    }
    Ok(stack.pop().unwrap_or(0))
}

impl Moving {
    /// What the variable is at a moment, or where it lies then.
    fn value(&self, load: Option<Load>, moment: &impl Moment) -> Result<i64, ValueError> {
        let error = |message: String| ValueError { message, at: self.at };
        let name = &self.name;
        let next = Addr(u32::try_from(moment.live(self.next)).unwrap_or(u32::MAX));
        let stay = self.stays.iter().find(|(stay, _)| stay.from <= next && next < stay.to);
        let held = stay.and_then(|(_, register)| *register).map_or(0, |register| moment.live(register));
        let near = |more: i32| held.wrapping_add(more.into()) & i64::from(self.mask);
        let address = match stay.map(|(stay, _)| stay.place) {
            None if self.scope.iter().any(|(from, to)| (*from..*to).contains(&next)) => {
                return Err(error(format!("`{name}` is nowhere at this place: its value is not kept here")));
            }
            None => return Err(error(format!("`{name}` means nothing at this place: it belongs to another routine"))),
            Some(Home::Value(_, more)) => {
                let load = load.ok_or_else(|| error(format!("`{name}` lies in no memory at this place")))?;
                return Ok(load.of(near(more)));
            }
            Some(Home::Near(_, more)) => near(more),
            Some(Home::At(address)) => address.into(),
        };
        match load {
            Some(load) => Ok(load.of(moment.number(address, load.bytes).map_err(error)?)),
            None => Ok(address),
        }
    }
}

/// Looks names up and writes what is known then.
struct Binder<'a, S> {
    scope: &'a S,
    out: Vec<Bound>,
}

/// What the steps of a path have led to: a value of a type, which is on the stack, or its address.
#[derive(Clone, Copy)]
struct Reached {
    of: TypeId,
    is_value: bool,
    bits: Option<Bits>,
}

impl<S: Scope> Binder<'_, S> {
    /// Some steps; the type of what they are when they are one variable or a part of one.
    fn steps(&mut self, steps: &[Step]) -> Result<Option<TypeId>, ValueError> {
        let mut places = Vec::with_capacity(steps.len());
        let mut of = None;
        let mut number = false;
        for step in steps {
            places.push(self.out.len());
            let before = std::mem::take(&mut number);
            match step {
                Step::Name(name, at) => {
                    let plain = Path { name: name.clone(), at: *at, parts: Vec::new(), leads: 0, is_address: false };
                    (of, number) = self.named(&plain, steps.len() == 1)?;
                }
                Step::Path(path) => (of, number) = self.named(path, steps.len() == 1)?,
                Step::Word(at) | Step::Byte(at) => {
                    if before {
                        let message = "this is a number and no place: its name alone is what it holds, with `&` before it \
                                       where it lies";
                        return Err(ValueError { message: message.to_owned(), at: *at });
                    }
                    self.out.push(if matches!(step, Step::Word(_)) { Bound::Word(*at) } else { Bound::Byte(*at) });
                }
                Step::Number(value) => self.out.push(Bound::Number(*value)),
                Step::SizeOf(name, at) => {
                    let bytes = match self.scope.variable(name) {
                        Some(typed) => Some(typed.all.bytes(typed.variable.of, typed.target).into()),
                        None => self.scope.size_of(name),
                    };
                    self.out.push(Bound::Number(bytes.ok_or_else(|| self.unknown(name, *at))?));
                }
                Step::Signed => self.out.push(Bound::Signed),
                Step::Unary(operator) => self.out.push(Bound::Unary(*operator)),
                Step::Binary(operator, at) => self.out.push(Bound::Binary(*operator, *at)),
                Step::Decide(operator, count) => self.out.push(Bound::Decide(*operator, *count)),
                Step::Truth => self.out.push(Bound::Truth),
                Step::Defined(name) => {
                    let is_known = self.scope.named(name).is_some() || self.scope.variable(name).is_some();
                    self.out.push(Bound::Number(is_known.into()));
                }
            }
        }
        places.push(self.out.len());
        // One step may have become several: what is passed over is counted anew.
        for (index, step) in steps.iter().enumerate() {
            if let Step::Decide(_, count) = step
                && let (Some(from), Some(to)) = (places.get(index), places.get(index + 1 + count))
                && let Some(Bound::Decide(_, passed)) = self.out.get_mut(*from)
            {
                *passed = to - from - 1;
            }
        }
        Ok(of.filter(|_| steps.len() == 1))
    }

    fn unknown(&self, name: &str, at: usize) -> ValueError {
        let why = self.scope.why_unknown(name);
        ValueError { message: why.unwrap_or_else(|| format!("nothing here has the name `{name}`")), at }
    }

    /// A name alone, or a path: its type, and whether it is a number and no address.
    fn named(&mut self, path: &Path, is_alone: bool) -> Result<(Option<TypeId>, bool), ValueError> {
        let Some(typed) = self.scope.variable(&path.name) else {
            let names =
                path.parts.iter().map(|part| if let Part::Member(name, _) = part { name.as_str() } else { "[" });
            let whole = std::iter::once(path.name.as_str()).chain(names).collect::<Vec<_>>().join(".");
            let named = self.scope.named(&whole).filter(|_| path.leads == 0);
            return match (named, path.parts.is_empty() && path.leads == 0) {
                (Some(Named::Value(value)), _) => {
                    self.out.push(Bound::Number(value));
                    Ok((None, false))
                }
                (Some(Named::Live(number)), _) if !path.is_address => {
                    self.out.push(Bound::Live(number));
                    Ok((None, false))
                }
                (Some(Named::Live(_)), _) => {
                    Err(ValueError { message: format!("`{whole}` lies in no memory"), at: path.at })
                }
                (None, true) => Err(self.unknown(&path.name, path.at)),
                (None, false) if self.scope.named(&path.name).is_none() => Err(self.unknown(&path.name, path.at)),
                (None, false) => {
                    let name = &path.name;
                    let message = format!(
                        "nothing is known of what `{name}` is made of; `[{name} + 4]` is the word 4 bytes behind it"
                    );
                    Err(ValueError { message, at: path.at })
                }
            };
        };
        let reached = self.path(path, &typed)?;
        if path.is_address {
            return Ok((None, false));
        }
        if !is_alone && matches!(typed.all.kind(reached.of), TypeKind::Fraction(_)) {
            let name = &path.name;
            let message =
                format!("`{name}` has a fraction: it is shown, and not reckoned with; `&{name}` is where it lies");
            return Err(ValueError { message, at: path.at });
        }
        let is_number = matches!(typed.all.kind(reached.of), TypeKind::Number(..) | TypeKind::Enumeration(..));
        self.load(reached, &typed, path.at);
        Ok((Some(reached.of), is_number))
    }

    /// Where something lies that is one variable or a part of one; `None` when it lies in no memory for sure, or is some bits.
    fn place(mut self, steps: &[Step]) -> Option<(Vec<Bound>, Width)> {
        let path = match steps {
            [Step::Name(name, at)] => {
                Path { name: name.clone(), at: *at, parts: Vec::new(), leads: 0, is_address: true }
            }
            [Step::Path(path)] if !path.is_address => Path { is_address: true, ..path.clone() },
            _ => return None,
        };
        let typed = self.scope.variable(&path.name)?;
        let reached = self.path(&path, &typed).ok().filter(|reached| reached.bits.is_none())?;
        Some((self.out, Width::Bytes(typed.all.bytes(reached.of, typed.target))))
    }

    /// The way that a path goes, up to the address of what it ends at, or to that itself when it lies in no memory.
    fn path(&mut self, path: &Path, typed: &Typed<'_>) -> Result<Reached, ValueError> {
        let Typed { variable, all, target, .. } = typed;
        let is_left = path.parts.is_empty() && path.leads == 0 && path.is_address;
        let load = all.number(variable.of, target).filter(|_| !is_left);
        let load = load.map(|(bytes, is_signed)| Load { bytes, is_signed, bits: None });
        let mut reached = Reached { of: variable.of, is_value: false, bits: None };
        if let Some(address) = variable.fixed() {
            self.out.push(Bound::Number(address.into()));
        } else {
            let number = |stay: &Stay| match stay.place {
                Home::Near(register, _) | Home::Value(Some(register), _) => Some((typed.register)(register)),
                Home::Value(None, _) | Home::At(_) => None,
            };
            let moving = Moving {
                name: variable.name.clone(),
                at: path.at,
                stays: variable.stays.iter().map(|stay| (*stay, number(stay))).collect(),
                scope: variable.scope.clone(),
                next: typed.next,
                mask: target.word_mask(),
            };
            self.out.push(Bound::Moving(Box::new(moving), load));
            reached.is_value = load.is_some();
        }
        for part in &path.parts {
            reached = match part {
                Part::Index(steps, at) => {
                    let element = self.element(reached, typed, *at, "has no elements")?;
                    self.steps(steps)?;
                    self.out.push(Bound::Number(all.bytes(element.of, target).into()));
                    self.out.push(Bound::Binary(Binary::Multiply, *at));
                    self.out.push(Bound::Binary(Binary::Add, *at));
                    element
                }
                Part::Member(name, at) => {
                    if matches!(all.kind(reached.of), TypeKind::Pointer(_)) {
                        reached = self.element(reached, typed, *at, "has no members")?;
                    }
                    let members = all.members(reached.of);
                    let Some(member) = members.iter().find(|member| member.name == *name) else {
                        let known: Vec<&str> = members.iter().map(|member| member.name.as_str()).collect();
                        let message = match nearest(name, known.iter().copied()) {
                            Some(near) => format!("it has no member `{name}`; there is `{near}`"),
                            None if known.is_empty() => {
                                format!("it is {} and has no members", all.words(reached.of))
                            }
                            None => format!("it has no member `{name}`; there are {}", known.join(" ")),
                        };
                        return Err(ValueError { message, at: *at });
                    };
                    self.out.push(Bound::Number(member.offset.into()));
                    self.out.push(Bound::Binary(Binary::Add, *at));
                    Reached { of: member.of, is_value: false, bits: member.bits }
                }
            };
        }
        for _ in 0..path.leads {
            reached = self.element(reached, typed, path.at, "is no address")?;
        }
        Ok(reached)
    }

    /// What an array or an address leads to: its address is on the stack then.
    fn element(
        &mut self,
        reached: Reached,
        typed: &Typed<'_>,
        at: usize,
        otherwise: &str,
    ) -> Result<Reached, ValueError> {
        let Some(of) = typed.all.element(reached.of) else {
            let message = format!("it is {} and {otherwise}", typed.all.words(reached.of));
            return Err(ValueError { message, at });
        };
        self.load(reached, typed, at);
        Ok(Reached { of, is_value: false, bits: None })
    }

    /// The number at the address on the stack, when what lies there is one.
    fn load(&mut self, reached: Reached, typed: &Typed<'_>, at: usize) {
        if let (Some((bytes, is_signed)), false) = (typed.all.number(reached.of, typed.target), reached.is_value) {
            // Of bits only the bytes that hold them are looked at.
            let bytes = reached.bits.map_or(bytes, |bits| (bits.first + bits.count).div_ceil(8));
            self.out.push(Bound::Load(Load { bytes, is_signed, bits: reached.bits }, at));
        }
    }
}

struct Reader<'a> {
    text: &'a str,
    tokens: &'a [Token],
    at: usize,
    steps: Vec<Step>,
    depth: usize,
}

impl<'a> Reader<'a> {
    fn peek(&self) -> Option<Token> {
        self.tokens.get(self.at).copied()
    }

    fn spelling(&self, token: Token) -> &'a str {
        &self.text[token.start as usize..token.end as usize]
    }

    /// An error at the token that comes, or at the end.
    fn error(&self, message: impl Into<String>) -> ValueError {
        let at = self.peek().map_or(self.text.len(), |token| token.start as usize);
        ValueError { message: message.into(), at }
    }

    fn eat(&mut self, mark: Mark) -> bool {
        let is_there = self.peek().is_some_and(|token| token.kind == Kind::Mark(mark));
        self.at += usize::from(is_there);
        is_there
    }

    /// A primary, then operators that bind tighter than `above`.
    fn binary(&mut self, above: u8) -> Result<(), ValueError> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(self.error(format!("this is nested more than {DEEPEST} deep")));
        }
        self.primary()?;
        while let Some(token) = self.peek()
            && let Kind::Mark(mark) = token.kind
            && let Some(operator) = Binary::of(mark).filter(|operator| operator.precedence() > above)
        {
            self.at += 1;
            let decides = matches!(operator, Binary::AndAlso | Binary::OrElse);
            let place = self.steps.len();
            if decides {
                self.steps.push(Step::Decide(operator, 0));
            }
            self.binary(operator.precedence())?;
            if decides {
                self.steps.push(Step::Truth);
                self.steps[place] = Step::Decide(operator, self.steps.len() - place - 1);
            } else {
                self.steps.push(Step::Binary(operator, token.start as usize));
            }
        }
        self.depth -= 1;
        Ok(())
    }

    fn primary(&mut self) -> Result<(), ValueError> {
        let Some(token) = self.peek() else {
            return Err(self.error("a value is missing here: a number, a name, a register or `[address]`"));
        };
        let at = token.start as usize;
        match token.kind {
            Kind::Number(value) | Kind::Char(value) => {
                self.at += 1;
                self.steps.push(Step::Number(value));
            }
            Kind::Name | Kind::Local | Kind::Directive => {
                self.at += 1;
                self.name(self.spelling(token), at)?;
            }
            Kind::Mark(mark @ (Mark::Star | Mark::And)) => self.led(mark == Mark::And, at)?,
            Kind::Mark(Mark::Minus) => self.unary(Unary::Minus)?,
            Kind::Mark(Mark::Plus) => self.behind_sign()?,
            Kind::Mark(Mark::Not) => self.unary(Unary::Not)?,
            Kind::Mark(Mark::Bang) => self.unary(Unary::Bang)?,
            Kind::Mark(Mark::ParenOpen) => {
                self.at += 1;
                self.binary(0)?;
                self.close(Mark::ParenClose, ")")?;
            }
            Kind::Mark(Mark::Open) => self.memory(Step::Word(at))?,
            Kind::Numbered | Kind::Text | Kind::Mark(_) | Kind::Bad => {
                return Err(self.error(format!("a value is missing before `{}`", self.spelling(token))));
            }
        }
        Ok(())
    }

    fn unary(&mut self, operator: Unary) -> Result<(), ValueError> {
        self.behind_sign()?;
        self.steps.push(Step::Unary(operator));
        Ok(())
    }

    /// The value that a sign stands before.
    fn behind_sign(&mut self) -> Result<(), ValueError> {
        self.at += 1;
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(self.error(format!("this is nested more than {DEEPEST} deep")));
        }
        self.primary()?;
        self.depth -= 1;
        Ok(())
    }

    fn close(&mut self, mark: Mark, sign: &str) -> Result<(), ValueError> {
        if self.eat(mark) { Ok(()) } else { Err(self.error(format!("a `{sign}` is missing here"))) }
    }

    /// The rest of `[ address ]`.
    fn memory(&mut self, step: Step) -> Result<(), ValueError> {
        if !self.eat(Mark::Open) {
            return Err(self.error("`[` belongs here: byte [address]"));
        }
        self.binary(0)?;
        self.close(Mark::Close, "]")?;
        self.steps.push(step);
        Ok(())
    }

    fn name(&mut self, name: &str, at: usize) -> Result<(), ValueError> {
        let follows = |mark| self.peek().is_some_and(|token| token.kind == Kind::Mark(mark));
        let (opens, brackets) = (follows(Mark::ParenOpen), follows(Mark::Open));
        match name.to_ascii_lowercase().as_str() {
            "byte" if brackets => return self.memory(Step::Byte(at)),
            "word" if brackets => return self.memory(Step::Word(at)),
            "sizeof" if opens => {
                self.at += 1;
                let named = self.peek().filter(|token| matches!(token.kind, Kind::Name | Kind::Local));
                let Some(token) = named else { return Err(self.error("sizeof takes the name of a label")) };
                self.at += 1;
                self.steps.push(Step::SizeOf(self.spelling(token).to_owned(), at));
                return self.close(Mark::ParenClose, ")");
            }
            "defined" if opens => {
                self.at += 1;
                let named = self.peek().filter(|token| matches!(token.kind, Kind::Name | Kind::Local));
                let Some(token) = named else { return Err(self.error("defined takes a name")) };
                self.at += 1;
                self.steps.push(Step::Defined(self.spelling(token).to_owned()));
                return self.close(Mark::ParenClose, ")");
            }
            "here" => {
                let message = "`here` is the place of a line of the source; that of the next instruction is `pc`";
                return Err(ValueError { message: message.to_owned(), at });
            }
            function @ ("hi" | "lo" | "signed") if opens => {
                self.at += 1;
                self.binary(0)?;
                self.steps.push(match function {
                    "hi" => Step::Unary(Unary::High),
                    "lo" => Step::Unary(Unary::Low),
                    _ => Step::Signed,
                });
                return self.close(Mark::ParenClose, ")");
            }
            _ => {}
        }
        // `wagon@next` is one name, as it is in lists of names.
        let mut whole = name.to_owned();
        if let Some(token) = self.peek()
            && token.kind == Kind::Local
            && self.tokens.get(self.at - 1).is_some_and(|before| before.end == token.start)
        {
            whole.push_str(self.spelling(token));
            self.at += 1;
        }
        self.path(whole, at)
    }

    /// The token that comes stands right behind the one before it.
    fn is_adjacent(&self) -> bool {
        let before = self.at.checked_sub(1).and_then(|at| self.tokens.get(at));
        before.zip(self.peek()).is_some_and(|(before, token)| before.end == token.start)
    }

    /// A name with what is said of it right behind it: `wagons[2].load`, `first->load`.
    fn path(&mut self, name: String, at: usize) -> Result<(), ValueError> {
        let mut parts = Vec::new();
        while let Some(token) = self.peek().filter(|_| self.is_adjacent()) {
            let place = token.start as usize;
            let is =
                |offset: usize, kind: Kind| self.tokens.get(self.at + offset).is_some_and(|next| next.kind == kind);
            match token.kind {
                Kind::Mark(Mark::Open) => {
                    self.at += 1;
                    let outer = std::mem::take(&mut self.steps);
                    let read = self.binary(0).and_then(|()| self.close(Mark::Close, "]"));
                    let steps = std::mem::replace(&mut self.steps, outer);
                    read?;
                    parts.push(Part::Index(steps, place));
                }
                Kind::Directive => {
                    self.at += 1;
                    parts.push(Part::Member(self.spelling(token)[1..].to_owned(), place));
                }
                Kind::Mark(Mark::Minus) if is(1, Kind::Mark(Mark::Greater)) => {
                    if !is(2, Kind::Name) {
                        self.at += 2;
                        return Err(self.error("the name of a member belongs behind `->`"));
                    }
                    self.at += 3;
                    let name = self.tokens[self.at - 1];
                    parts.push(Part::Member(self.spelling(name).to_owned(), name.start as usize));
                }
                _ => break,
            }
        }
        self.steps.push(if parts.is_empty() {
            Step::Name(name, at)
        } else {
            Step::Path(Path { name, at, parts, leads: 0, is_address: false })
        });
        Ok(())
    }

    /// A variable behind `*`, which is what it leads to, or `&`, which is where it lies.
    fn led(&mut self, is_address: bool, at: usize) -> Result<(), ValueError> {
        self.at += 1;
        let mut leads = usize::from(!is_address);
        while !is_address && self.eat(Mark::Star) {
            leads += 1;
        }
        let Some(token) = self.peek().filter(|token| matches!(token.kind, Kind::Name)) else {
            return Err(self.error("the name of a variable belongs here"));
        };
        self.at += 1;
        self.path(self.spelling(token).to_owned(), token.start as usize)?;
        let path = match self.steps.pop() {
            Some(Step::Path(path)) => Path { leads, is_address, ..path },
            Some(Step::Name(name, _)) => Path { name, at, parts: Vec::new(), leads, is_address },
            _ => return Err(self.error("the name of a variable belongs here")),
        };
        self.steps.push(Step::Path(path));
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Yard;

    impl Scope for Yard {
        fn named(&self, name: &str) -> Option<Named> {
            match name {
                "r1" => Some(Named::Live(1)),
                "Z" => Some(Named::Live(2)),
                "wagons" => Some(Named::Value(0x300)),
                "wagon@next" => Some(Named::Value(0x220)),
                _ => None,
            }
        }

        fn size_of(&self, name: &str) -> Option<i64> {
            (name == "wagons").then_some(40)
        }
    }

    impl Moment for Yard {
        fn live(&self, number: u32) -> i64 {
            if number == 1 { 6 } else { 1 }
        }

        fn word(&self, address: i64) -> Result<i64, String> {
            if address == 1 { Err("odd".to_owned()) } else { Ok(address + 1) }
        }

        fn byte(&self, address: i64) -> Result<i64, String> {
            Ok(address & 0xFF)
        }

        fn signed(&self, word: i64) -> i64 {
            word - ((word & 0x8000) << 1)
        }
    }

    fn value(text: &str) -> Result<i64, ValueError> {
        ValueExpression::read(text)?.bind(&Yard)?.value(&Yard)
    }

    #[test]
    fn values_are_those_of_the_language_at_a_moment() {
        for (text, wanted) in [
            ("wagons + 4", 0x304),
            ("[r1]", 7),
            ("[wagons + r1 * 2] - 1", 0x30C),
            ("byte [wagons + 5]", 5),
            ("'H'", 72),
            ("-r1 + 0x10", 10),
            ("r1 == 6 && Z", 1),
            ("!(r1 > 7) || 1 / 1", 1),
            ("sizeof(wagons) / 8", 5),
            ("hi(wagons)", 3),
            ("wagon@next", 0x220),
            ("[[r1] + 1]", 9),
            ("signed(0xFFFE) < 0", 1),
            // What `&&` and `||` need not look at is not looked at.
            ("0 && 1 / 0", 0),
            ("r1 || 1 / 0 > 3", 1),
            ("r1 == 6 && (0 || 5)", 1),
            ("r1 == 5 || 0 && [1] || 7 == 7", 1),
            ("1 && 2 && 3 == 3", 1),
            ("+5 - +r1", -1),
            ("defined(wagons) + defined(wagon)", 1),
        ] {
            assert_eq!(value(text), Ok(wanted), "{text}");
        }
    }

    #[test]
    fn what_is_wrong_is_told_with_its_place() {
        for (text, at, words) in [
            ("wagon + 1", 0, "nothing here has the name `wagon`"),
            ("r1 +", 4, "a value is missing here"),
            ("[r1", 3, "a `]` is missing"),
            ("1 / (r1 - 6)", 2, "divides by zero"),
            ("[1]", 0, "odd"),
            ("r1 r1", 3, "`r1` does not belong to a value"),
            (", 1", 0, "a value is missing before `,`"),
            ("1 && 1 / 0", 7, "divides by zero"),
            ("1 << 63", 2, "leaves 64 bits"),
            ("here + 1", 0, "is `pc`"),
        ] {
            let error = value(text).unwrap_err();
            assert!(error.at == at && error.message.contains(words), "{text}: {error:?}");
        }
        let deep = "(".repeat(500);
        assert!(ValueExpression::read(&deep).unwrap_err().message.contains("nested"));
    }

    #[test]
    fn a_place_is_told_from_a_value() {
        let place = |text| ValueExpression::read(text).unwrap().bind(&Yard).unwrap().place(&Yard);
        assert_eq!(place("[r1 + 2]"), Some(Ok((8, Width::Word))));
        assert_eq!(place("byte [wagons]"), Some(Ok((0x300, Width::Bytes(1)))));
        assert_eq!(place("[r1] + 1"), None);
        assert_eq!(ValueExpression::read("r1").unwrap().name(), Some("r1"));
    }

    #[test]
    fn what_a_value_hangs_on_is_known_without_a_moment() {
        let hangs = |text| ValueExpression::read(text).unwrap().bind(&Yard).unwrap().hangs_on(2);
        let all = hangs("[wagons + 2 * 2] > r1 && byte [0x10]");
        assert_eq!((all.lives, all.cells), (vec![1], vec![(0x304, 2), (0x10, 1)]));
        assert!(!all.on_any_memory && hangs("[r1] == 0").on_any_memory);
    }

    #[test]
    fn a_value_can_stand_before_other_words() {
        let (_, rest) = ValueExpression::read_part("r1 == 5 from 3").unwrap();
        assert_eq!(rest, Some((8, "from")));
    }
}
