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
use wendax_source::{FileId, Span};

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

/// Where names mean something.
pub trait Scope {
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

/// An expression as it was read, in postfix order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ValueExpression {
    steps: Vec<Step>,
    /// It is a place in memory by itself: `[…]` or `byte […]` with nothing around it.
    place: Option<Place>,
}

/// How much of memory a place is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Word,
    Byte,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Bound {
    Number(i64),
    Live(u32),
    Word(usize),
    Byte(usize),
    Signed,
    Unary(Unary),
    Binary(Binary, usize),
    Decide(Binary, usize),
    Truth,
}

/// An expression whose names are known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BoundValue {
    steps: Vec<Bound>,
    place: Option<Place>,
}

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
        let place = match reader.steps.last() {
            Some(Step::Word(_)) => Some(Place::Word),
            Some(Step::Byte(_)) => Some(Place::Byte),
            _ => None,
        };
        let rest = reader.peek().map(|token| (token.start as usize, &text[token.start as usize..token.end as usize]));
        Ok((Self { steps: reader.steps, place }, rest))
    }

    /// The same with every name looked up.
    pub fn bind(&self, scope: &impl Scope) -> Result<BoundValue, ValueError> {
        let unknown = |name: &str, at: usize| ValueError { message: format!("nothing here has the name `{name}`"), at };
        let bound = |step: &Step| {
            Ok(match step {
                Step::Number(value) => Bound::Number(*value),
                Step::Name(name, at) => match scope.named(name).ok_or_else(|| unknown(name, *at))? {
                    Named::Value(value) => Bound::Number(value),
                    Named::Live(number) => Bound::Live(number),
                },
                Step::SizeOf(name, at) => Bound::Number(scope.size_of(name).ok_or_else(|| unknown(name, *at))?),
                Step::Word(at) => Bound::Word(*at),
                Step::Byte(at) => Bound::Byte(*at),
                Step::Signed => Bound::Signed,
                Step::Unary(operator) => Bound::Unary(*operator),
                Step::Binary(operator, at) => Bound::Binary(*operator, *at),
                Step::Decide(operator, count) => Bound::Decide(*operator, *count),
                Step::Truth => Bound::Truth,
                Step::Defined(name) => Bound::Number(scope.named(name).is_some().into()),
            })
        };
        let steps = self.steps.iter().map(bound).collect::<Result<_, _>>()?;
        Ok(BoundValue { steps, place: self.place })
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

    /// The address of the place in memory it is by itself, and whether that is one byte; `None` when it is a value only.
    pub fn place(&self, moment: &impl Moment) -> Option<Result<(i64, bool), ValueError>> {
        let place = self.place?;
        let address = evaluate(&self.steps[..self.steps.len() - 1], moment);
        Some(address.map(|address| (address, place == Place::Byte)))
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
        Self { steps: self.steps, place: None }
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
                Bound::Word(_) | Bound::Byte(_) => {
                    let bytes = if matches!(step, Bound::Word(_)) { word_bytes } else { 1 };
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
            Kind::Name | Kind::Local => {
                self.at += 1;
                self.name(self.spelling(token), at)?;
            }
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
            Kind::Directive | Kind::Numbered | Kind::Text | Kind::Mark(_) | Kind::Bad => {
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
        self.steps.push(Step::Name(whole, at));
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
        assert_eq!(place("[r1 + 2]"), Some(Ok((8, false))));
        assert_eq!(place("byte [wagons]"), Some(Ok((0x300, true))));
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
