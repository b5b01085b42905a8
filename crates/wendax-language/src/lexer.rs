//! A line of text to tokens.
//!
//! Works on one line at a time, so that what is wrong on a line never reaches the next. Tokens tile the
//! line but for blanks and the comment. Nothing here knows what a name means.

use crate::codes;
use crate::dialect::plain_sign;
use crate::problems::{Problems, diagnostic};
use crate::syntax::Syntax;
use wendax_isa::Target;
use wendax_source::{Diagnostic, Edit, FileId, Grade, Span};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A name, mnemonic or register.
    Name,
    /// A name after `@`.
    Local,
    /// A name after a dot.
    Directive,
    Number(i64),
    /// `1b`, `1f`: a label of that number, the nearest one behind or ahead.
    Numbered,
    /// A character constant.
    Char(i64),
    /// A text; its span holds the quotes.
    Text,
    Mark(Mark),
    /// Something reported already; the line is not looked at further.
    Bad,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    Comma,
    Colon,
    Open,
    Close,
    ParenOpen,
    ParenClose,
    Plus,
    Minus,
    Star,
    Slash,
    Percent,
    And,
    Or,
    Xor,
    Not,
    Left,
    Right,
    Equals,
    BraceOpen,
    BraceClose,
    AndAlso,
    OrElse,
    Bang,
    SameAs,
    NotSame,
    Less,
    LessOrSame,
    Greater,
    GreaterOrSame,
}

#[derive(Debug, Clone, Copy)]
pub struct Token {
    pub kind: Kind,
    pub start: u32,
    pub end: u32,
}

#[derive(Debug)]
pub struct Lexer<'a> {
    syntax: Syntax,
    pub file: FileId,
    pub text: &'a str,
    /// Where in the file the text begins.
    base: usize,
    /// Where in the text the next token may begin.
    at: usize,
    /// Where the line ends.
    end: usize,
}

/// Characters a name may begin with and go on with.
fn begins_name(c: char) -> bool {
    c.is_ascii_alphabetic() || c == '_' || !c.is_ascii() && c.is_alphabetic()
}

fn in_name(c: char) -> bool {
    c.is_ascii_alphanumeric() || c == '_' || !c.is_ascii() && c.is_alphanumeric()
}

impl<'a> Lexer<'a> {
    /// For the line `start..end` of a text that begins at byte `base` of its file.
    pub fn line(file: FileId, base: u32, text: &'a str, start: usize, end: usize) -> Self {
        Self { syntax: Syntax::default(), file, text, base: base as usize, at: start, end }
    }

    /// In this machine's way of writing.
    #[must_use]
    pub fn of(self, syntax: Syntax) -> Self {
        Self { syntax, ..self }
    }

    fn span(&self, start: usize, end: usize) -> Span {
        Span::new(self.file, self.base + start, self.base + end)
    }

    fn rest(&self) -> &'a str {
        &self.text[self.at..self.end]
    }

    /// All tokens of the line, into `tokens`.
    pub fn run(&mut self, tokens: &mut Vec<Token>, problems: &mut Problems) {
        tokens.clear();
        while let Some(first) = self.skip_blanks() {
            let start = self.at;
            if self.syntax.is_remark(first) {
                break;
            }
            let kind = self.token(first, tokens.is_empty(), problems);
            let offset = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
            tokens.push(Token { kind, start: offset(self.base + start), end: offset(self.base + self.at) });
            if kind == Kind::Bad {
                break;
            }
        }
    }

    fn skip_blanks(&mut self) -> Option<char> {
        let bytes = self.text.as_bytes();
        while self.at < self.end && matches!(bytes[self.at], b' ' | b'\t' | b'\r') {
            self.at += 1;
        }
        if self.at == 0 && self.rest().starts_with('\u{feff}') {
            self.at = '\u{feff}'.len_utf8();
            return self.skip_blanks();
        }
        self.rest().chars().next()
    }

    fn take_while(&mut self, wanted: impl Fn(char) -> bool) -> &'a str {
        let rest = self.rest();
        let length = rest.find(|c| !wanted(c)).unwrap_or(rest.len());
        self.at += length;
        &rest[..length]
    }

    /// Signs that names are made of.
    fn name(&mut self) -> &'a str {
        let start = self.at;
        let bytes = &self.text.as_bytes()[..self.end];
        let syntax = self.syntax;
        while bytes
            .get(self.at)
            .is_some_and(|&byte| byte.is_ascii_alphanumeric() || byte == b'_' || syntax.in_name(byte))
        {
            self.at += 1;
        }
        if bytes.get(self.at).is_some_and(|byte| !byte.is_ascii()) {
            self.take_while(|c| in_name(c) || u8::try_from(c).is_ok_and(|c| syntax.in_name(c)));
        }
        &self.text[start..self.at]
    }

    fn token(&mut self, first: char, opens_line: bool, problems: &mut Problems) -> Kind {
        match first {
            '0'..='9' => self.number(opens_line, problems),
            '\'' => self.char(problems),
            '"' => self.quoted(problems),
            '@' | '.' => {
                let start = self.at;
                self.at += 1;
                let is_here = first == '.' && self.syntax.in_name(b'.');
                if self.name().is_empty() && !is_here {
                    self.at = start;
                    return self.stray(first, problems);
                }
                if first == '@' { Kind::Local } else { Kind::Directive }
            }
            c if begins_name(c) || c == '$' && self.syntax.in_name(b'$') => {
                self.name();
                Kind::Name
            }
            _ => self.mark(first, opens_line, problems),
        }
    }

    fn mark(&mut self, first: char, opens_line: bool, problems: &mut Problems) -> Kind {
        let rest = self.rest();
        if rest.starts_with("//") || rest.starts_with("/*") || (opens_line && matches!(first, '#' | '*' | '!' | '|')) {
            return self.other_comment(first, problems);
        }
        let (mark, length) = match first {
            ',' => (Mark::Comma, 1),
            ':' => (Mark::Colon, 1),
            '[' => (Mark::Open, 1),
            ']' => (Mark::Close, 1),
            '(' => (Mark::ParenOpen, 1),
            ')' => (Mark::ParenClose, 1),
            '+' => (Mark::Plus, 1),
            '-' => (Mark::Minus, 1),
            '*' => (Mark::Star, 1),
            '/' => (Mark::Slash, 1),
            '%' => (Mark::Percent, 1),
            '{' => (Mark::BraceOpen, 1),
            '}' => (Mark::BraceClose, 1),
            '&' if rest.starts_with("&&") => (Mark::AndAlso, 2),
            '|' if rest.starts_with("||") => (Mark::OrElse, 2),
            '&' => (Mark::And, 1),
            '|' => (Mark::Or, 1),
            '^' => (Mark::Xor, 1),
            '~' => (Mark::Not, 1),
            '=' if rest.starts_with("==") => (Mark::SameAs, 2),
            '=' => (Mark::Equals, 1),
            '!' if rest.starts_with("!=") => (Mark::NotSame, 2),
            '!' => (Mark::Bang, 1),
            '<' if rest.starts_with("<<") => (Mark::Left, 2),
            '<' if rest.starts_with("<=") => (Mark::LessOrSame, 2),
            '<' => (Mark::Less, 1),
            '>' if rest.starts_with(">>") => (Mark::Right, 2),
            '>' if rest.starts_with(">=") => (Mark::GreaterOrSame, 2),
            '>' => (Mark::Greater, 1),
            '#' | '$' => return self.prefixed(first, problems),
            _ => return self.stray(first, problems),
        };
        self.at += length;
        Kind::Mark(mark)
    }

    fn stray(&mut self, first: char, problems: &mut Problems) -> Kind {
        let span = self.span(self.at, self.at + first.len_utf8());
        if let Some(plain) = plain_sign(first) {
            problems.push(self.lookalike(first, plain));
            self.at = self.end;
            return Kind::Bad;
        }
        self.at += first.len_utf8();
        let shown = if first.is_control() { format!("U+{:04X}", u32::from(first)) } else { format!("`{first}`") };
        problems.push(diagnostic(codes::STRAY, span, format!("{shown} does not belong here")).with_expected(
            "names, numbers, `[ ] ( ) , :`, the operators `+ - * / % & | ^ ~ << >> == != < <= > >= && || !`, and comments \
             after `;`",
        ));
        Kind::Bad
    }

    /// A sign that only looks like one of the language; all of them on the line are mended at once.
    fn lookalike(&self, first: char, plain: &str) -> Diagnostic {
        let span = self.span(self.at, self.at + first.len_utf8());
        let number = u32::from(first);
        let (seen, right) = match (plain, first.is_whitespace()) {
            ("", _) => (format!("an invisible sign (U+{number:04X}) stands here"), "nothing in its place".to_owned()),
            (" ", _) | (_, true) => {
                (format!("this blank is no plain one but U+{number:04X}"), "a plain blank".to_owned())
            }
            _ => (format!("`{first}` (U+{number:04X}) only looks like `{plain}`"), format!("`{plain}`")),
        };
        let found = diagnostic(codes::STRAY, span, seen).with_expected(right);
        match odd_signs(self.rest()) {
            Some((signs, grade)) => {
                let edits = signs.into_iter().map(|(at, c, plain)| Edit {
                    span: self.span(self.at + at, self.at + at + c.len_utf8()),
                    text: plain.to_owned(),
                });
                found.with_change(grade, "write plain signs on this line", edits.collect())
            }
            None => found,
        }
    }

    /// `#define NAME value`.
    fn define(&mut self, problems: &mut Problems) -> Kind {
        let line = self.rest().trim_end();
        let span = self.span(self.at, self.at + line.len());
        let found =
            diagnostic(codes::OTHER_COMMENT, span, "`#define` is not known here").with_expected(".equ NAME, value");
        let mut words = line.splitn(3, [' ', '\t']).skip(1);
        problems.push(match (words.next(), words.next()) {
            (Some(name), Some(value)) if !name.contains('(') && !name.is_empty() => {
                let right = format!(".equ {name}, {}", value.trim());
                found.with_guess(format!("write `{right}`"), span, right)
            }
            _ => found,
        });
        self.at = self.end;
        Kind::Bad
    }

    fn other_comment(&mut self, first: char, problems: &mut Problems) -> Kind {
        if self.rest().starts_with("#define") {
            return self.define(problems);
        }
        let mark = if first == '/' { &self.rest()[..2] } else { &self.rest()[..1] };
        let span = self.span(self.at, self.at + mark.len());
        // The other marks mean other things as well, and a value behind a value may be divided by it.
        let grade = if mark == "//" && !self.may_divide() { Grade::Certain } else { Grade::Guess };
        problems.push(
            diagnostic(codes::OTHER_COMMENT, span, format!("`{mark}` does not begin a comment here"))
                .with_expected("; a comment goes from the semicolon to the end of the line")
                .with_change(grade, "begin the comment with `;`", vec![Edit { span, text: ";".to_owned() }]),
        );
        self.at = self.end;
        Kind::Bad
    }

    /// What stands before and behind this `//` are values, which another dialect would divide.
    fn may_divide(&self) -> bool {
        let line = self.text[..self.at].rfind('\n').map_or(0, |end| end + 1);
        let before = self.text[line..self.at].trim_end();
        let ends_value = before.ends_with(|c: char| c.is_alphanumeric() || matches!(c, '_' | ')' | '\''));
        let word = before.rsplit(|c: char| !c.is_alphanumeric() && c != '_').next().unwrap_or_default();
        if !ends_value || crate::mnemonics::register(word).is_some() {
            return false;
        }
        let behind = self.rest()[2..].trim_start();
        let name: String = behind.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
        let is_defined = || {
            let defines = |text: &str| {
                let rest = text.trim_start();
                let rest = rest.strip_prefix(".equ").or(rest.strip_prefix(".let")).map_or(rest, str::trim_start);
                rest.strip_prefix(name.as_str()).is_some_and(|rest| rest.trim_start().starts_with([':', ',', '=']))
            };
            !name.is_empty() && self.text.lines().any(defines)
        };
        behind.starts_with(|c: char| c.is_ascii_digit() || matches!(c, '(' | '-' | '~' | '\'')) || is_defined()
    }

    /// `#5`, `$FF`: a number with a mark in front that is not needed, or a comment.
    fn prefixed(&mut self, first: char, problems: &mut Problems) -> Kind {
        let start = self.at;
        self.at += 1;
        let word = self.name().to_owned();
        let hex = first == '$' && !word.is_empty() && word.bytes().all(|b| b.is_ascii_hexdigit());
        if !hex && word.parse::<u32>().is_err() && !word.starts_with("0x") {
            self.at = start;
            return if first == '#' { self.other_comment(first, problems) } else { self.stray(first, problems) };
        }
        let span = self.span(start, self.at);
        let right = if hex { format!("0x{word}") } else { word.clone() };
        let grade = if hex { Grade::Guess } else { Grade::Certain };
        problems.push(
            diagnostic(codes::OTHER_NUMBER, span, format!("numbers are written without `{first}`"))
                .with_expected("255  0xFF  0b1111_1111  'c'")
                .with_change(grade, format!("write `{right}`"), vec![Edit { span, text: right.clone() }]),
        );
        Kind::Bad
    }

    fn number(&mut self, opens_line: bool, problems: &mut Problems) -> Kind {
        let start = self.at;
        let word = self.name();
        let span = self.span(start, self.at);
        if self.syntax.has_numbered_labels() {
            let digits =
                word.strip_suffix(['b', 'f']).filter(|digits| digits.bytes().all(|digit| digit.is_ascii_digit()));
            if digits.is_some_and(|digits| !digits.is_empty()) {
                return Kind::Numbered;
            }
        } else if opens_line && self.rest().trim_start_matches([' ', '\t']).starts_with(':') {
            let found =
                diagnostic(codes::NUMBER, span, format!("`{word}` is no name: names do not begin with a digit"));
            problems.push(found.with_expected("a letter or `_` first, then letters, digits and `_`"));
            return Kind::Bad;
        }
        match read_number(word) {
            Ok(value) => Kind::Number(value),
            Err(NumberError::TooLarge) => {
                problems.push(
                    diagnostic(codes::NUMBER, span, format!("`{word}` is too large for any use here"))
                        .with_expected(largest(self.syntax)),
                );
                Kind::Bad
            }
            Err(NumberError::Digits(base)) => {
                let mut found = diagnostic(codes::NUMBER, span, format!("`{word}` is no {base} number"));
                let digits = word.strip_suffix(['b', 'B']).unwrap_or_default();
                if digits.len() > 1 && digits.bytes().all(|byte| matches!(byte, b'0' | b'1')) {
                    let right = format!("0b{digits}");
                    let found = diagnostic(codes::OTHER_NUMBER, span, "binary numbers begin with 0b");
                    problems.push(found.with_guess(format!("write it as `{right}`"), span, right));
                    return Kind::Bad;
                }
                if let Some(right) = hexadecimal_of(word).filter(|_| base == "decimal") {
                    let grade = if word.ends_with(['h', 'H']) { Grade::Certain } else { Grade::Guess };
                    found = diagnostic(codes::OTHER_NUMBER, span, "hexadecimal numbers begin with 0x").with_change(
                        grade,
                        format!("write it as `{right}`"),
                        vec![Edit { span, text: right }],
                    );
                }
                problems.push(found.with_expected("255  0xFF  0b1111_1111  'c'  (with `_` between digits)"));
                Kind::Bad
            }
        }
    }

    fn char(&mut self, problems: &mut Problems) -> Kind {
        let start = self.at;
        self.at += 1;
        let value = match self.rest().chars().next() {
            None | Some('\'') => None,
            Some('\\') => match self.escape(problems) {
                Some(value) => Some(value),
                None => return Kind::Bad,
            },
            Some(c) => {
                self.at += c.len_utf8();
                Some(u32::from(c))
            }
        };
        match value {
            Some(value) if self.rest().starts_with('\'') => {
                self.at += 1;
                Kind::Char(i64::from(value))
            }
            _ => {
                let span = self.span(start, self.at);
                let found =
                    diagnostic(codes::UNTERMINATED, span, "a character constant is one character between quotes");
                let found = found.with_expected("'a'  '\\n'  '\\''  \"a longer text\"");
                // A longer text between single quotes.
                let line = self.text[..start].rfind('\n').map_or(0, |at| at + 1);
                let takes_text = self.text[line..start].contains('.');
                let length = self.text[start + 1..self.end].find('\'').filter(|length| *length > 1 && takes_text);
                problems.push(match length {
                    Some(length) => {
                        let text = &self.text[start + 1..=start + length];
                        let whole = self.span(start, start + length + 2);
                        let right = format!("\"{text}\"");
                        found.with_guess(format!("write {right}"), whole, right)
                    }
                    None => found,
                });
                self.at = self.end;
                Kind::Bad
            }
        }
    }

    fn quoted(&mut self, problems: &mut Problems) -> Kind {
        let start = self.at;
        self.at += 1;
        loop {
            self.take_while(|c| c != '"' && c != '\\');
            match self.rest().chars().next() {
                Some('"') => {
                    self.at += 1;
                    return Kind::Text;
                }
                Some(_) => {
                    if self.escape(problems).is_none() {
                        return Kind::Bad;
                    }
                }
                None => {
                    let end = start + self.text[start..self.end].trim_end().len();
                    let found = diagnostic(codes::UNTERMINATED, self.span(start, end), "this text has no closing `\"`");
                    let place = self.span(end, end);
                    problems.push(found.with_expected("\"text\" on one line").with_guess(
                        "close it at the end of the line",
                        place,
                        "\"",
                    ));
                    return Kind::Bad;
                }
            }
        }
    }

    /// Reads the escape that begins here.
    fn escape(&mut self, problems: &mut Problems) -> Option<u32> {
        let start = self.at;
        let (value, length) = read_escape(self.rest(), self.syntax);
        self.at += length;
        let octal: String =
            self.text[start + 1..self.end].chars().take(3).take_while(|c| ('0'..='7').contains(c)).collect();
        if value == Some(0) && octal.len() > 1 && !self.syntax.has_octal_escapes() {
            let span = self.span(start, start + 1 + octal.len());
            let code = u32::from_str_radix(&octal, 8).unwrap_or(0) & 0xFF;
            let found = diagnostic(
                codes::LOOKS_OCTAL,
                span,
                format!("`\\{octal}` is a NUL and `{}`: escapes here are not octal", &octal[1..]),
            );
            problems.push(found.with_guess(format!("write `\\x{code:02X}`"), span, format!("\\x{code:02X}")));
        }
        if value.is_none() {
            let span = self.span(start, self.at);
            let found = diagnostic(codes::ESCAPE, span, format!("`{}` is no escape", &self.text[start..self.at]));
            problems.push(found.with_expected("\\n \\r \\t \\0 \\\\ \\' \\\" \\x41"));
        }
        value
    }
}

/// The value of the escape at the start of `text`, if it is one, and its length in bytes.
fn read_escape(text: &str, syntax: Syntax) -> (Option<u32>, usize) {
    if syntax.has_octal_escapes() {
        let digits = text.bytes().skip(1).take(3).take_while(|digit| matches!(digit, b'0'..=b'7')).count();
        if let Some(value) = text.get(1..=digits).and_then(|digits| u32::from_str_radix(digits, 8).ok()) {
            return (Some(value).filter(|value| *value < 256), 1 + digits);
        }
        if let Some((_, value)) = [("\\b", 8), ("\\f", 12), ("\\v", 11)].iter().find(|(word, _)| text.starts_with(word))
        {
            return (Some(*value), 2);
        }
    }
    let mut chars = text.chars();
    chars.next();
    let Some(letter) = chars.next() else { return (None, text.len().min(1)) };
    let value = match letter {
        'n' => 10,
        'r' => 13,
        't' => 9,
        '0' => 0,
        '\\' | '\'' | '"' => u32::from(letter),
        'x' => {
            let digits = text.get(2..4).unwrap_or_default();
            let value = digits.bytes().all(|b| b.is_ascii_hexdigit()).then(|| u32::from_str_radix(digits, 16).ok());
            return (value.flatten(), if digits.is_empty() { 2 } else { 4 });
        }
        _ => return (None, 1 + letter.len_utf8()),
    };
    (Some(value), 2)
}

/// The bytes of a text token without its quotes, escapes resolved, appended to `out`. `text` comes from
/// a [`Kind::Text`] token, so every escape in it is right.
pub fn unescape(text: &str, syntax: Syntax, out: &mut Vec<u8>) {
    let rest = text.strip_prefix('"').unwrap_or(text);
    let mut rest = rest.strip_suffix('"').unwrap_or(rest);
    while let Some(at) = rest.find('\\') {
        out.extend_from_slice(&rest.as_bytes()[..at]);
        let (value, length) = read_escape(&rest[at..], syntax);
        out.push(value.and_then(|v| u8::try_from(v).ok()).unwrap_or(b'?'));
        rest = rest.get(at + length..).unwrap_or_default();
    }
    out.extend_from_slice(rest.as_bytes());
}

/// A sign that looks like one of the language: where it is, itself, and the one it looks like.
type OddSign = (usize, char, &'static str);

/// The signs of a line that only look like those of the language and are meant as such: what stands within texts and
/// characters stays, whatever their quotes look like. `None` where plain quotes would end a text too early.
fn odd_signs(rest: &str) -> Option<(Vec<OddSign>, Grade)> {
    /// Where a sign stands: in the text, or in a text or character that a plain quote or an odd one has opened.
    enum Within {
        Nothing,
        Plain(char),
        Odd(&'static str),
    }
    let mut signs = Vec::new();
    let mut within = Within::Nothing;
    let mut chars = rest.char_indices();
    while let Some((at, c)) = chars.next() {
        let plain = plain_sign(c);
        match within {
            Within::Nothing if c == ';' => break,
            Within::Nothing if matches!(c, '"' | '\'') => within = Within::Plain(c),
            Within::Nothing => {
                signs.extend(plain.map(|plain| (at, c, plain)));
                within = plain.filter(|plain| matches!(*plain, "\"" | "'")).map_or(Within::Nothing, Within::Odd);
            }
            Within::Plain(_) | Within::Odd(_) if c == '\\' => drop(chars.next()),
            Within::Plain(quote) if c == quote => within = Within::Nothing,
            Within::Odd(quote) if plain == Some(quote) => {
                signs.push((at, c, quote));
                within = Within::Nothing;
            }
            // Within odd quotes plain ones are part of the text.
            Within::Odd(quote) if quote.starts_with(c) => return None,
            Within::Plain(_) | Within::Odd(_) => {}
        }
    }
    let grade = if matches!(within, Within::Nothing) { Grade::Certain } else { Grade::Guess };
    Some((signs, grade))
}

/// What a word holds at most, in words.
fn largest(syntax: Syntax) -> String {
    let most = syntax.target().word_mask();
    format!("a word holds at most {most} (0x{most:X})")
}

enum NumberError {
    TooLarge,
    /// A digit does not belong to the base of this name.
    Digits(&'static str),
}

fn read_number(word: &str) -> Result<i64, NumberError> {
    let (base, name, digits) = match word.as_bytes() {
        [b'0', b'x' | b'X', ..] => (16, "hexadecimal", &word[2..]),
        [b'0', b'b' | b'B', ..] => (2, "binary", &word[2..]),
        _ => (10, "decimal", word),
    };
    let mut value: i64 = 0;
    let mut any = false;
    let mut large = false;
    // It stands between digits: behind the last one, another may be missing.
    if digits.ends_with('_') {
        return Err(NumberError::Digits(name));
    }
    for c in digits.chars().filter(|&c| c != '_') {
        let digit = c.to_digit(base).ok_or(NumberError::Digits(name))?;
        any = true;
        value = value * i64::from(base) + i64::from(digit);
        // Far above every range, and far below overflow.
        large |= value > 0xFFFF_FFFF;
        value = value.min(0xFFFF_FFFF);
    }
    match (any, large) {
        (false, _) => Err(NumberError::Digits(name)),
        (true, true) => Err(NumberError::TooLarge),
        (true, false) => Ok(value),
    }
}

/// If a word is a hexadecimal number without prefix, perhaps with an `h` behind it and a zero before its
/// first letter: with its prefix.
pub fn hexadecimal_of(word: &str) -> Option<String> {
    let marked = word.strip_suffix(['h', 'H']);
    let mut digits = marked.unwrap_or(word);
    if let Some(rest) = digits.strip_prefix('0').filter(|rest| rest.starts_with(|c: char| c.is_ascii_alphabetic())) {
        digits = rest;
    }
    let hex = (1..=4).contains(&digits.len()) && digits.bytes().all(|b| b.is_ascii_hexdigit());
    hex.then(|| format!("0x{}", digits.to_ascii_uppercase()))
}

/// The column, in signs, at which the comment of a line begins, when it has one.
pub fn comment_column(line: &str, target: &Target) -> Option<usize> {
    let at = comment_start(line, Syntax::of(target));
    (at < line.len()).then(|| line[..at].chars().count())
}

/// A number in the next of its forms: decimal, hexadecimal, binary and decimal again. `None` of what is no number.
pub fn other_form(word: &str) -> Option<String> {
    let value = read_number(word).ok()?;
    Some(match word.get(..2).unwrap_or_default().to_ascii_lowercase().as_str() {
        "0x" if value <= 0xFFFF => {
            let digits = format!("{value:b}");
            let groups: Vec<&str> = {
                let first = digits.len() % 4;
                let (head, tail) = digits.split_at(first);
                let tail = (0..tail.len() / 4).map(|at| &tail[4 * at..4 * at + 4]);
                Some(head).filter(|head| !head.is_empty()).into_iter().chain(tail).collect()
            };
            format!("0b{}", groups.join("_"))
        }
        "0x" | "0b" => value.to_string(),
        _ => format!("0x{value:X}"),
    })
}

/// Where the comment of a line begins, outside texts and characters; the end of the line when it has none.
pub fn comment_start(line: &str, syntax: Syntax) -> usize {
    let bytes = line.as_bytes();
    let mut quote = 0;
    let mut at = 0;
    while at < bytes.len() {
        match bytes[at] {
            byte if quote == 0 && syntax.is_remark(byte.into()) => return at,
            b'\\' if quote != 0 => at += 1,
            b @ (b'"' | b'\'') if quote == 0 => quote = b,
            b if b == quote => quote = 0,
            _ => {}
        }
        at += 1;
    }
    line.len()
}

/// What a piece of a line is, for colouring.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Lexeme {
    /// A mnemonic, or the name of a macro in its place.
    Mnemonic,
    /// A register, or `fl`.
    Register,
    /// A directive.
    Directive,
    /// The name of a label being defined.
    Definition,
    /// Any other name.
    Name,
    /// A number or character.
    Number,
    /// A text.
    Text,
    /// A comment.
    Comment,
    /// Operators and brackets.
    Mark,
}

/// The pieces of one line of a source for a machine with their byte ranges in it, for colouring; blanks are left out.
pub fn lexemes(line: &str, target: &Target) -> Vec<(std::ops::Range<usize>, Lexeme)> {
    let syntax = Syntax::of(target);
    let mut tokens: Vec<Token> = Vec::new();
    let mut more = Vec::new();
    let mut from = 0;
    while from < line.len() {
        Lexer::line(FileId(0), 0, line, from, line.len()).of(syntax).run(&mut more, &mut Problems::default());
        tokens.append(&mut more);
        // What follows a sign that was rejected is told apart all the same.
        match tokens.last() {
            Some(token) if token.kind == Kind::Bad && token.end as usize > from => from = token.end as usize,
            _ => break,
        }
    }
    let mut pieces = Vec::with_capacity(tokens.len() + 1);
    let mut end = 0;
    let mut opens = true;
    for (index, token) in tokens.iter().enumerate() {
        let range = token.start as usize..token.end as usize;
        let word = &line[range.clone()];
        let labels = tokens.get(index + 1).is_some_and(|next| next.kind == Kind::Mark(Mark::Colon));
        // What stands where an instruction does and is none calls a macro.
        let operates = opens;
        opens &= labels || token.kind == Kind::Mark(Mark::Colon);
        let lexeme = match token.kind {
            Kind::Name | Kind::Local if labels => Lexeme::Definition,
            Kind::Directive | Kind::Number(_) if labels && syntax.has_numbered_labels() => Lexeme::Definition,
            Kind::Name if operates || syntax.is_mnemonic(word) => Lexeme::Mnemonic,
            Kind::Name if syntax.register(word).is_some() => Lexeme::Register,
            Kind::Name | Kind::Local | Kind::Numbered => Lexeme::Name,
            Kind::Directive if !operates && syntax.has_numbered_labels() => Lexeme::Name,
            Kind::Directive => Lexeme::Directive,
            Kind::Number(_) | Kind::Char(_) => Lexeme::Number,
            Kind::Text => Lexeme::Text,
            Kind::Mark(_) | Kind::Bad => Lexeme::Mark,
        };
        end = range.end;
        pieces.push((range, lexeme));
    }
    if let Some(at) = line[end..].find(|sign| syntax.is_remark(sign)) {
        pieces.push((end + at..line.len(), Lexeme::Comment));
    }
    pieces
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_number_goes_round_its_forms_and_stays_the_same() {
        assert_eq!(other_form("300").as_deref(), Some("0x12C"));
        assert_eq!(other_form("0x12C").as_deref(), Some("0b1_0010_1100"));
        assert_eq!(other_form("0b1_0010_1100").as_deref(), Some("300"));
        for word in ["", "r1", "0xG", "total", "12a"] {
            assert_eq!(other_form(word), None, "{word}");
        }
        for value in [0u32, 1, 9, 255, 4096, 65535] {
            let mut word = value.to_string();
            for _ in 0..3 {
                word = other_form(&word).expect("a number");
                assert_eq!(read_number(&word).ok(), Some(i64::from(value)), "{word}");
            }
            assert_eq!(word, value.to_string());
        }
    }

    #[test]
    fn signs_behind_a_rejected_one_are_told_apart() {
        let words = |line: &'static str| -> Vec<(&str, Lexeme)> {
            lexemes(line, Syntax::W16.target()).into_iter().map(|(range, lexeme)| (&line[range], lexeme)).collect()
        };
        let found = words(" .word 33000, 40a0, 99 ; end");
        assert!(found.contains(&("99", Lexeme::Number)) && found.contains(&("; end", Lexeme::Comment)), "{found:?}");
        assert!(words(" push {first}-{last}").contains(&("last", Lexeme::Name)));
    }

    fn kinds(line: &str) -> (Vec<Kind>, usize) {
        let (mut tokens, mut problems) = (Vec::new(), Problems::default());
        Lexer::line(FileId(0), 0, line, 0, line.len()).run(&mut tokens, &mut problems);
        (tokens.iter().map(|t| t.kind).collect(), problems.list().len())
    }

    #[test]
    fn numbers_in_every_form() {
        for (text, value) in [("0", 0), ("65_535", 65535), ("0xfF", 255), ("0b1010_0001", 161), ("0X0010", 16)] {
            assert_eq!(kinds(text), (vec![Kind::Number(value)], 0), "{text}");
        }
        for (text, value) in [("'a'", 97), ("'\\n'", 10), ("'\\''", 39), ("'\\x7f'", 127), ("'ö'", 246), ("';'", 59)] {
            assert_eq!(kinds(text), (vec![Kind::Char(value)], 0), "{text}");
        }
        for text in [
            "0x",
            "0b2",
            "12a",
            "0xG",
            "99999999999999999999",
            "'ab'",
            "''",
            "'",
            "\"x",
            "\"\\q\"",
            "'\\x4'",
            "$FF",
            "?",
            "\0",
        ] {
            let (kinds, problems) = kinds(text);
            assert_eq!((kinds.last(), problems), (Some(&Kind::Bad), 1), "{text}");
        }
    }

    #[test]
    fn texts_lose_quotes_and_escapes_and_nothing_else() {
        for (text, bytes) in [
            (r#""""#, &b""[..]),
            (r#""a;b""#, b"a;b"),
            (r#""\"x\\""#, b"\"x\\"),
            (r#""\x00\t\0""#, b"\0\t\0"),
            ("\"ö\"", "ö".as_bytes()),
        ] {
            let mut out = Vec::new();
            assert_eq!(kinds(text), (vec![Kind::Text], 0), "{text}");
            unescape(text, Syntax::W16, &mut out);
            assert_eq!(out, bytes, "{text}");
        }
    }

    #[test]
    fn hexadecimal_lookalikes() {
        assert_eq!(hexadecimal_of("0ffh").as_deref(), Some("0xFF"));
        assert_eq!(hexadecimal_of("FF").as_deref(), Some("0xFF"));
        assert_eq!(hexadecimal_of("0FFFFh").as_deref(), Some("0xFFFF"));
        assert_eq!(hexadecimal_of("12345"), None);
        assert_eq!(hexadecimal_of("h"), None);
        assert_eq!(hexadecimal_of("axle"), None);
    }

    proptest::proptest! {
        #[test]
        fn tokens_never_overlap_and_stay_in_the_line(line in "[ -~öß\t\u{feff}]{0,60}") {
            let mut end = 0;
            for (range, _) in lexemes(&line, Syntax::W16.target()) {
                proptest::prop_assert!(range.start >= end && range.end <= line.len() && line.get(range.clone()).is_some());
                end = range.end;
            }
        }
    }
}
