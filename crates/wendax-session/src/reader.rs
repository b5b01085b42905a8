//! Reading words of a line from left to right: what stops and shows are written in. Places and values in it are
//! expressions of the language.

use crate::values::Names;
use wendax_isa::Addr;
use wendax_language::{BoundValue, ValueError, ValueExpression};

/// A line, and how far it was read.
pub(crate) struct Reader<'a> {
    text: &'a str,
    pub(crate) at: usize,
    pub(crate) names: &'a Names<'a>,
}

impl<'a> Reader<'a> {
    pub(crate) fn new(text: &'a str, names: &'a Names<'a>) -> Self {
        Self { text, at: 0, names }
    }

    /// The same with other names from here on.
    pub(crate) fn with_names<'b>(self, names: &'b Names<'b>) -> Reader<'b>
    where
        'a: 'b,
    {
        Reader { names, ..self }
    }

    pub(crate) fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    pub(crate) fn is_at_end(&mut self) -> bool {
        self.skip_blanks();
        self.rest().is_empty()
    }

    /// What was read since a place, without blanks around.
    pub(crate) fn text_from(&self, begin: usize) -> String {
        self.text[begin..self.at].trim().to_owned()
    }

    /// This sign, when it comes next.
    pub(crate) fn eat_sign(&mut self, sign: char) -> bool {
        self.skip_blanks();
        let is_there = self.rest().starts_with(sign);
        self.at += if is_there { sign.len_utf8() } else { 0 };
        is_there
    }

    /// This word, also with a comma right behind it, which stays.
    pub(crate) fn eat_word(&mut self, word: &str) -> bool {
        let is_there = self.peek().trim_end_matches(',').eq_ignore_ascii_case(word);
        self.at += if is_there { word.len() } else { 0 };
        is_there
    }

    /// A number, when one comes next.
    pub(crate) fn number_here(&mut self) -> Option<u32> {
        let text = self.peek().trim_end_matches(',').to_owned();
        let number = text.replace('_', "").parse().ok()?;
        self.at += text.len();
        Some(number)
    }

    pub(crate) fn skip_blanks(&mut self) {
        self.at += self.rest().len() - self.rest().trim_start().len();
    }

    /// The word that comes, up to a blank.
    pub(crate) fn peek(&mut self) -> &str {
        self.skip_blanks();
        let end = self.rest().find(|c: char| c.is_whitespace() || c == ',').unwrap_or(self.rest().len());
        &self.rest()[..end]
    }

    pub(crate) fn eat(&mut self, word: &str) -> bool {
        let is_there = self.peek().eq_ignore_ascii_case(word);
        if is_there {
            self.at += word.len();
        }
        is_there
    }

    pub(crate) fn error<T>(&self, message: impl Into<String>) -> Result<T, ValueError> {
        Err(ValueError { message: message.into(), at: self.at.min(self.text.len()) })
    }

    /// The value that comes, and its text.
    pub(crate) fn value(&mut self) -> Result<(BoundValue, String), ValueError> {
        self.skip_blanks();
        let begin = self.at;
        let shifted = |error: ValueError| ValueError { at: error.at + begin, ..error };
        // A text in quotes behind the value is none of it, and no sign of the language.
        let (read, rest) = ValueExpression::read_part(self.rest()).map_err(shifted)?;
        let length = rest.map_or(self.rest().len(), |(at, _)| at);
        let bound = read.bind(self.names).map_err(shifted)?;
        let text = self.rest()[..length].trim_end().to_owned();
        self.at += length;
        Ok((bound, text))
    }

    /// The address that comes: a value that is known without a moment.
    pub(crate) fn address(&mut self) -> Result<Addr, ValueError> {
        self.skip_blanks();
        let begin = self.at;
        let (value, text) = self.value()?;
        let machine_free = value.hangs_on(1);
        let hangs = !machine_free.lives.is_empty() || !machine_free.cells.is_empty() || machine_free.on_any_memory;
        let wrong = |message: String| Err(ValueError { message, at: begin });
        self.without_setting(&text)?;
        if value.is_comparison() {
            let meant = self.contents_of(&text);
            return wrong(format!("`{text}` is no place; `when {meant}` stops when that becomes true"));
        }
        if value.of().is_some() && hangs {
            return wrong(format!(
                "`{text}` is a variable: `change {text}` stops when it becomes another value, `&{text}` is where it lies"
            ));
        }
        if hangs {
            return wrong(format!(
                "`{text}` has another value at every moment; a place is a label, a number or a line"
            ));
        }
        let number = value.value(&Nothing)?;
        let mask = i64::from(self.names.target().address_mask());
        match Addr::try_from(number) {
            Ok(address) if number <= mask => Ok(address),
            _ => wrong(format!("addresses go from 0 to 0x{mask:X}, and this is {number}")),
        }
    }

    /// A value that `=` stands behind was to be compared.
    pub(crate) fn without_setting(&self, value: &str) -> Result<(), ValueError> {
        match self.rest().trim_start().strip_prefix('=') {
            Some(rest) => {
                let other = rest.split_whitespace().next().unwrap_or("5");
                let value = self.contents_of(value);
                self.error(format!("`=` compares nothing; `{value} == {other}` does"))
            }
            None => Ok(()),
        }
    }

    /// A text that begins with a label, with what lies there in its place.
    fn contents_of(&self, text: &str) -> String {
        let end = text.find(|sign: char| !(sign.is_alphanumeric() || matches!(sign, '_' | '@'))).unwrap_or(text.len());
        let (name, rest) = text.split_at(end);
        let is_label = self.names.image().symbol(name).is_some_and(|symbol| symbol.address().is_some());
        if is_label { format!("[{name}]{rest}") } else { text.to_owned() }
    }

    pub(crate) fn number(&mut self, word: &str) -> Result<u64, ValueError> {
        let text = self.peek().to_owned();
        match text.replace('_', "").parse() {
            Ok(number) if number > 0 => {
                self.at += text.len();
                Ok(number)
            }
            _ => self.error(format!("a number from 1 on belongs behind `{word}`: {word} 3")),
        }
    }
}

/// No moment: what is asked of it is asked of values that stay.
pub(crate) struct Nothing;

impl wendax_language::Moment for Nothing {
    fn live(&self, _: u32) -> i64 {
        0
    }

    fn word(&self, _: i64) -> Result<i64, String> {
        Err("this is known only while the program runs".to_owned())
    }

    fn byte(&self, address: i64) -> Result<i64, String> {
        self.word(address)
    }

    fn signed(&self, word: i64) -> i64 {
        word
    }
}
