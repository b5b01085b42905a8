//! Lines in the way of other assemblers, told as what they would be here.
//!
//! Only lines with which something is wrong come here, so nothing of this costs right programs anything, and nothing of it
//! decides what a line is: it only finds better words for what was told already. Most of it looks at the line as text.

use super::Parser;
use crate::codes::{self, CodeInfo};
use crate::dialect::{other_instruction, without_counterpart};
use crate::directives::directive;
use crate::expr::Step;
use crate::lexer::comment_start;
use crate::mnemonics::{mnemonic, register};
use crate::problems::diagnostic;
use crate::texts::Texts;
use rustc_hash::FxHashSet;
use wendax_isa::w16::call_by_name;
use wendax_source::{Diagnostic, Edit, Grade, MemoryFiles, Severity, Sources, Span};

/// What is told of a line: where in it, in words, what is right, and what can be put in its place.
struct Told {
    info: CodeInfo,
    range: std::ops::Range<usize>,
    message: String,
    right: Option<String>,
    fix: Option<(std::ops::Range<usize>, String)>,
}

impl Told {
    fn new(range: std::ops::Range<usize>, message: impl Into<String>) -> Self {
        Self { info: codes::STRAY, range, message: message.into(), right: None, fix: None }
    }

    fn right(mut self, form: impl Into<String>) -> Self {
        self.right = Some(form.into());
        self
    }

    fn fix(mut self, range: std::ops::Range<usize>, text: impl Into<String>) -> Self {
        self.fix = Some((range, text.into()));
        self
    }
}

/// A line without its labels and its comment, in pieces.
struct Line<'l> {
    /// The whole line.
    text: &'l str,
    /// Where the statement begins and ends in it.
    from: usize,
    to: usize,
    /// Its first word, in lower case.
    word: String,
    /// Where its operands begin.
    operands: usize,
}

impl<'l> Line<'l> {
    fn of(text: &'l str) -> Option<Self> {
        let to = text[..comment_start(text, crate::syntax::Syntax::W16)].trim_end().len();
        let mut from = text[..to].len() - text[..to].trim_start().len();
        let is_name = |c: char| c.is_alphanumeric() || matches!(c, '_' | '@');
        while let Some(colon) = text[from..to].find(':') {
            let label = text[from..from + colon].trim_end();
            if label.is_empty() || !label.chars().all(is_name) || label.starts_with(|c: char| c.is_ascii_digit()) {
                break;
            }
            from += colon + 1;
            from += text[from..to].len() - text[from..to].trim_start().len();
        }
        if from >= to {
            return None;
        }
        let length = text[from..to].find([' ', '\t', ',']).unwrap_or(to - from);
        let operands = from + length + (text[from + length..to].len() - text[from + length..to].trim_start().len());
        Some(Self { text, from, to, word: text[from..from + length].to_ascii_lowercase(), operands })
    }

    /// The label right before the statement, and where it begins.
    fn label(&self) -> Option<(usize, &'l str)> {
        let before = self.text[..self.from].trim_end().strip_suffix(':')?;
        let name = before.rsplit([':', ' ', '\t']).next().filter(|name| is_name(name))?;
        Some((before.len() - name.len(), name))
    }

    /// The first word as it is written.
    fn first(&self) -> std::ops::Range<usize> {
        self.from..self.from + self.word.len()
    }

    fn whole(&self) -> std::ops::Range<usize> {
        self.from..self.to
    }

    /// What stands behind the first word.
    fn rest(&self) -> &'l str {
        &self.text[self.operands..self.to]
    }

    /// The operands with where each stands, cut at commas outside of brackets and quotes.
    fn parts(&self) -> Vec<(std::ops::Range<usize>, &'l str)> {
        let mut parts = Vec::new();
        let (mut depth, mut quote, mut start) = (0i32, None, self.operands);
        for (at, c) in self.text[..self.to].char_indices().filter(|(at, _)| *at >= self.operands) {
            match c {
                '"' | '\'' if quote == Some(c) => quote = None,
                '"' | '\'' if quote.is_none() => quote = Some(c),
                _ if quote.is_some() => {}
                '[' | '(' | '{' => depth += 1,
                ']' | ')' | '}' => depth -= 1,
                ',' if depth <= 0 => {
                    parts.push(start..at);
                    start = at + 1;
                }
                _ => {}
            }
        }
        parts.push(start..self.to);
        let trimmed = |range: std::ops::Range<usize>| {
            let text = &self.text[range.clone()];
            let from = range.start + text.len() - text.trim_start().len();
            let text = text.trim();
            (from..from + text.len(), text)
        };
        parts.into_iter().map(trimmed).filter(|(_, text)| !text.is_empty()).collect()
    }
}

fn is_register(text: &str) -> bool {
    register(text).is_some()
}

fn is_name(text: &str) -> bool {
    text.starts_with(|c: char| c.is_alphabetic() || c == '_') && text.chars().all(|c| c.is_alphanumeric() || c == '_')
}

impl Parser<'_> {
    /// The text that is being read defines a macro of this name somewhere.
    fn defines_macro(&mut self, name: &str) -> bool {
        let text = self.block.text;
        let known = self.macros_of.get_or_insert_with(|| (text, FxHashSet::default()));
        if !std::ptr::eq(known.0, text) || known.1.is_empty() {
            let defined = text.lines().filter_map(|line| {
                let mut words = line.split_whitespace();
                words.next().filter(|word| word.eq_ignore_ascii_case(".macro"))?;
                words.next()
            });
            // With one that no macro has, so that this is asked once.
            *known = (text, defined.chain([""]).collect());
        }
        known.1.contains(name)
    }

    /// Something is wrong with the line that was just read: it is told as what it is elsewhere, where that is known.
    /// `problems` and `steps` are how many there were before it.
    pub(super) fn retell(&mut self, start: usize, end: usize, (problems, steps): (usize, usize)) {
        let text = self.block.text[start..end].trim_end_matches('\r');
        // What a source says itself, and what files do, is right as it is told.
        let first = self.unit.problems.list().get(problems).map(|found| found.code);
        let is_own = [codes::OWN_ERROR, codes::OWN_ASSERT, codes::FILE, codes::ENDLESS, codes::TWICE, codes::NO_ROOM];
        if self.block.text.len() < end || first.is_none_or(|first| is_own.iter().any(|info| info.code == first)) {
            return;
        }
        if self.texts.is_trial {
            return;
        }
        let Some(line) = Line::of(text).filter(|line| !self.macros.contains_key(&text[line.first()])) else { return };
        let told = self.homoglyph(&line);
        let told = if told.is_none() { self.of_a_macro(&line) } else { told };
        let Some(told) = told.or_else(|| self.elsewhere(&line)) else {
            self.one_cause(start + line.from, problems);
            return self.only_what_leads_on(start, end, problems);
        };
        let span = |range: std::ops::Range<usize>| self.place(start + range.start..start + range.end);
        let mut found = diagnostic(told.info, span(told.range), told.message);
        if let Some(form) = told.right {
            found = found.with_expected(form);
        }
        if let Some((range, text)) = told.fix {
            let title = match text.trim() {
                "" if text.is_empty() => "take it away".to_owned(),
                "" => "put it on a line of its own".to_owned(),
                right => format!("write `{right}`"),
            };
            found = found.with_change(Grade::Guess, title, vec![Edit { span: span(range), text }]);
        }
        if matches!(line.word.as_str(), ".equ" | ".let")
            && let Some(name) = self.tokens.iter().find(|token| token.kind == crate::lexer::Kind::Name)
        {
            // What it would have been is no cause of its own where it is used.
            let name = self.spelling(self.span(*name));
            self.told.insert(name);
        }
        self.retold(found, problems, steps);
    }

    fn retold(&mut self, found: Diagnostic, problems: usize, steps: usize) {
        self.unit.problems.truncate(problems);
        // Names of a line that is wrong anyhow are not looked up: one cause gives one problem.
        self.unit.steps[steps..].fill(Step::Unknown);
        self.report(found);
    }

    /// When the first word of a line is none of the language, what stands behind it is wrong for that reason.
    fn one_cause(&mut self, from: usize, problems: usize) {
        let start = self.place(from..from).start;
        let told = self.unit.problems.since_mut(problems);
        let is_word = |found: &Diagnostic| {
            let is_unknown = [codes::UNKNOWN_MNEMONIC.code, codes::UNKNOWN_DIRECTIVE.code].contains(&found.code);
            let is_certain = found.fix.as_ref().is_some_and(|fix| fix.grade == Grade::Certain);
            is_unknown && !is_certain && found.primary.span.start == start
        };
        if let Some(at) = told.iter().position(is_word) {
            told.swap(0, at);
            self.unit.problems.truncate(problems + 1);
        }
    }

    /// Of what is offered for a line, what leads to another line that cannot be read is taken away: what would be right is
    /// said instead.
    fn only_what_leads_on(&mut self, start: usize, end: usize, problems: usize) {
        let base = self.place(start..start).start;
        let text = &self.block.text[start..end];
        let (file, length) = (self.block.file, self.unit.problems.list().len());
        for at in problems..length {
            let found = &self.unit.problems.list()[at];
            let Some(fix) = &found.fix else { continue };
            // Of several certain mistakes each one alone leads to a line with the others.
            if fix.grade == Grade::Certain && length > problems + 1 {
                continue;
            }
            let is_here = |edit: &Edit| {
                edit.span.file == file && edit.span.start >= base && (edit.span.end - base) as usize <= text.len()
            };
            if !fix.edits.iter().all(is_here) {
                continue;
            }
            let mut edits: Vec<&Edit> = fix.edits.iter().collect();
            edits.sort_by_key(|edit| std::cmp::Reverse(edit.span.start));
            let mut mended = text.to_owned();
            for edit in edits {
                mended.replace_range((edit.span.start - base) as usize..(edit.span.end - base) as usize, &edit.text);
            }
            let is_known = Line::of(&mended).is_some_and(|line| {
                self.macros.contains_key(&mended[line.first()])
                    // With the comma that was missing there are as many operands as it takes: what they are comes next.
                    || found.code == codes::MISSING_COMMA.code
                        && mnemonic(&line.word)
                            .is_some_and(|known| known.rows.iter().any(|row| row.operands.len() == line.parts().len()))
            });
            if is_known || can_be_read(&mended, fix.grade == Grade::Certain) {
                continue;
            }
            let word = Line::of(&mended).map(|line| line.word.clone()).unwrap_or_default();
            let found = &mut self.unit.problems.since_mut(at)[0];
            found.fix = None;
            if !found.expected.is_empty() {
                continue;
            }
            // A word that people know from elsewhere leads to the forms it has here; one that is only spelled alike does not.
            let is_unknown = found.code == codes::UNKNOWN_MNEMONIC.code;
            let is_meant = Line::of(text)
                .is_some_and(|line| other_instruction(&line.word).is_some_and(|ours| ours == word) || !is_unknown);
            found.expected = match (mnemonic(&word), directive(&word)) {
                (Some(known), _) if is_meant => known.forms(),
                (_, Some(info)) => vec![info.form.to_owned()],
                _ => vec!["an instruction of the table, such as mov, add, ldw, stw, cmp, jz, call".to_owned()],
            };
        }
    }

    /// A letter of another script that only looks like one of the language's words.
    fn homoglyph(&self, line: &Line<'_>) -> Option<Told> {
        let (at, odd, plain) =
            line.text[line.from..line.to].char_indices().find_map(|(at, c)| Some((line.from + at, c, latin(c)?)))?;
        let begins = line.text[..at].trim_end_matches(|c: char| c.is_alphanumeric() || c == '_').len();
        let length = line.text[begins..].find(|c: char| !c.is_alphanumeric() && c != '_');
        let ends = length.map_or(line.text.len(), |length| begins + length);
        let word = &line.text[begins..ends];
        let mended: String = word.chars().map(|c| latin(c).unwrap_or(c)).collect();
        let is_known = is_register(&mended) || mnemonic(&mended).is_some() || self.plain.contains_key(mended.as_str());
        let message = format!("`{odd}` (U+{:04X}) in `{word}` only looks like `{plain}`", u32::from(odd));
        is_known.then(|| Told::new(begins..ends, message).right(mended.clone()).fix(begins..ends, mended))
    }

    /// Macros by another case, above their definition, and parameters in other forms.
    fn of_a_macro(&mut self, line: &Line<'_>) -> Option<Told> {
        let written = &line.text[line.first()];
        if mnemonic(written).is_none() && directive(written).is_none() {
            if let Some(known) = self.macros.keys().find(|known| known.eq_ignore_ascii_case(written)) {
                let message = format!("`{written}` is no instruction; the macro is `{known}`: names differ by case");
                let told = Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) };
                return Some(told.fix(line.first(), *known));
            }
            if self.defines_macro(written) {
                let message =
                    format!("the macro `{written}` is defined below: a macro is there from its definition on");
                let told = Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) };
                return Some(
                    told.right(format!("`.macro {written}` above its first use, or in a file included there")),
                );
            }
        }
        let number = self.block.expansion?;
        let definition = self.unit.expansions.list.get(number as usize)?.definition;
        let found = self.macros.values().find(|known| known.span == definition)?;
        let names = found.parameter_names();
        for (range, part) in line.parts() {
            let bare = part.trim_start_matches(['\\', '%', '$', '&', '#']);
            let by_number = bare.parse::<usize>().ok().filter(|_| bare.len() < part.len());
            let by_number = by_number.and_then(|number| names.get(number.checked_sub(1)?));
            let name = names.iter().find(|name| **name == bare).or(by_number);
            if let Some(name) = name {
                let message = format!("`{name}` is a parameter of `{}`, and stands in braces", found.name);
                return Some(Told::new(range.clone(), message).fix(range, format!("{{{name}}}")));
            }
        }
        None
    }

    fn elsewhere(&self, line: &Line<'_>) -> Option<Told> {
        let (text, rest) = (line.text, line.rest());
        let parts = line.parts();
        statement(line, rest, &parts)
            .or_else(|| conditional(line))
            .or_else(|| loads_and_stores(line, &parts))
            .or_else(|| calls_of_functions(line, rest))
            .or_else(|| sizes(line, rest))
            .or_else(|| self.operands_elsewhere(line, &parts))
            .or_else(|| self.number_label(line, &parts))
            .or_else(|| left_over(line, text))
    }

    /// What stands behind a word that is known: of another the word is what is wrong.
    fn operands_elsewhere(&self, line: &Line<'_>, parts: &[(std::ops::Range<usize>, &str)]) -> Option<Told> {
        let word = line.word.as_str();
        if mnemonic(word).is_none() && directive(word).is_none() && other_instruction(word).is_none() {
            return None;
        }
        addresses(line, parts)
            .or_else(|| three_operands(line, parts))
            .or_else(|| marked_registers(line, parts))
            .or_else(|| parts.iter().find_map(|(range, part)| value(range, part, word)))
    }

    /// `1:` and `jnz 1b`.
    fn number_label(&self, line: &Line<'_>, parts: &[(std::ops::Range<usize>, &str)]) -> Option<Told> {
        let statement = &line.text[line.whole()];
        let digits = statement.len() - statement.trim_start_matches(|c: char| c.is_ascii_digit()).len();
        if digits > 0 && statement[digits..].trim_start().starts_with(':') {
            let name = &statement[..digits];
            let message = format!("`{name}` is no name: labels of a few lines have a name behind `@`");
            let range = line.from..line.from + digits;
            return Some(
                Told { info: codes::NUMBER, ..Told::new(range.clone(), message) }.fix(range, format!("@l{name}")),
            );
        }
        let [.., (range, last)] = parts else { return None };
        let number = last.strip_suffix(['b', 'f']).filter(|number| number.bytes().all(|b| b.is_ascii_digit()))?;
        let is_jump = line.word.starts_with('j') || matches!(line.word.as_str(), "call" | "djnz");
        let message = format!("`{last}` names no label: labels of a few lines have a name behind `@`");
        (is_jump && !number.is_empty()).then(|| {
            Told { info: codes::NUMBER, ..Told::new(range.clone(), message) }.fix(range.clone(), format!("@l{number}"))
        })
    }
}

/// A line has the form of one of the language, whatever its names mean; `by_mending`: or gets it by what is certain.
fn can_be_read(line: &str, by_mending: bool) -> bool {
    /// Of these numbers are kinds of problems about form.
    const LAST: u16 = 19;
    let (sources, file) = Sources::single("", format!("_:\n{line}\n"));
    let mut texts = Texts::of(sources);
    texts.is_trial = true;
    let (unit, _) = super::parse(&mut texts, file, &MemoryFiles::default(), crate::syntax::Syntax::W16);
    let is_mended =
        |found: &Diagnostic| by_mending && found.fix.as_ref().is_some_and(|fix| fix.grade == Grade::Certain);
    let is_fine = |found: &Diagnostic| found.severity != Severity::Problem || found.code.0 > LAST || is_mended(found);
    unit.problems.list().iter().all(is_fine)
}

/// Whole statements: sections, conditions, files, places.
fn statement(line: &Line<'_>, rest: &str, parts: &[(std::ops::Range<usize>, &str)]) -> Option<Told> {
    let whole = line.whole();
    let say = |message: String| Told { info: codes::UNKNOWN_DIRECTIVE, ..Told::new(whole.clone(), message) };
    let first = parts.first().map_or("", |(_, part)| *part);
    let section = |word: &str| match word.trim_matches(['.', ':', '"']).to_ascii_lowercase().as_str() {
        "text" | "code" => Some(".code"),
        "data" | "rodata" => Some(".data"),
        _ => None,
    };
    match line.word.as_str() {
        "section" | "segment" | ".section" | ".segment" => {
            let ours = section(first).filter(|_| first.starts_with('.') || !line.word.starts_with('.'))?;
            return Some(say(format!("this section is begun by `{ours}`")).fix(whole.clone(), ours));
        }
        "data" | "code" | "text" | "data:" | ".data:" | ".code:" | ".text:" if rest.is_empty() => {
            let ours = section(&line.word)?;
            return Some(say(format!("this section is begun by `{ours}`")).fix(whole.clone(), ours));
        }
        "#include" | "%include" | "include" | "!include" | "#import" => {
            let name = first.trim_matches(['"', '<', '>', '\'']);
            return Some(
                say("a file is included by `.include`".to_owned()).fix(whole.clone(), format!(".include \"{name}\"")),
            );
        }
        "#if" | "%if" | "#elif" | "%elif" | "#else" | "%else" | "#endif" | "%endif" | "#ifdef" | "%ifdef"
        | "#ifndef" => {
            let ours = match line.word.trim_start_matches(['#', '%']) {
                "if" => format!(".if {rest}"),
                "elif" => format!(".elseif {rest}"),
                "else" => ".else".to_owned(),
                "ifdef" => format!(".if defined({rest})"),
                "ifndef" => format!(".if !defined({rest})"),
                _ => ".endif".to_owned(),
            };
            return Some(say("conditions are directives".to_owned()).fix(whole.clone(), ours));
        }
        "*" if rest.starts_with('=') => {
            let to = rest.trim_start_matches('=').trim();
            return Some(
                say("the next address is chosen by `.org`".to_owned()).fix(whole.clone(), format!(".org {to}")),
            );
        }
        ".p2align" => {
            let power: u32 = first.parse().ok().filter(|power| *power < 16)?;
            let message = format!("`.p2align {power}` is an alignment by {}", 1u32 << power);
            return Some(say(message).fix(whole.clone(), format!(".align {}", 1u32 << power)));
        }
        ".comm" | ".lcomm" | "resb" | "resw" | ".res" | ".resb" => {
            return Some(say("room is kept by `.space`, in bytes".to_owned()).right("NAME: .space n"));
        }
        ".def" | ".define" | ".defc" => {
            return Some(say("a constant is defined by `.equ`".to_owned()).right(".equ NAME, value"));
        }
        "sys" if first.len() > 2 && first.starts_with('"') => {
            let name = first.trim_matches('"');
            let range = parts.first()?.0.clone();
            let message = "a call is named without quotes";
            return Some(Told::new(range.clone(), message).fix(range, name));
        }
        ".global" | ".globl" | ".extern" if first.ends_with(':') => {
            let message = "a name is made known without the colon of its label";
            let ours = if line.word == ".extern" { ".extern" } else { ".global" };
            let right = format!("{ours} {}", first.trim_end_matches(':'));
            return Some(Told::new(whole.clone(), message).fix(whole.clone(), right));
        }
        ".byte" | ".word" => {
            let at = line.text[line.whole()].to_ascii_lowercase().find(" dup")?;
            let count = line.text[line.operands..line.from + at].trim();
            let fill = line.text[line.from + at + 4..line.to].trim().trim_matches(['(', ')']).trim();
            let bytes = if line.word == ".word" { format!("2 * {count}") } else { count.to_owned() };
            let told = say("many equal values are `.space`, or a `.repeat`".to_owned());
            return Some(if line.word == ".byte" || fill == "0" || fill == "?" {
                let fill = if fill == "?" { "0" } else { fill };
                told.fix(whole.clone(), format!(".space {bytes}, {fill}"))
            } else {
                told.right(format!(".repeat {count}\n.word {fill}\n.endrepeat"))
            });
        }
        "push" | "pop" if rest.starts_with('{') => {
            let names = rest.trim_matches(['{', '}', ' ']).split([',', '-']).map(str::trim);
            let strange: Vec<&str> = names.filter(|name| !is_register(name)).collect();
            let [strange, ..] = strange.as_slice() else { return None };
            let message = format!("a list of registers stands without braces, and `{strange}` is no register");
            return Some(Told::new(whole.clone(), message).right("push r4-r6, fp"));
        }
        "rol" | "ror" => {
            let right = "rlc and rrc turn through C by one place; a turn of the word alone is a shift, and `adc d, 0` or `or` for the bit that left";
            let message = format!("there is no `{}`", line.word);
            return Some(Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) }.right(right));
        }
        "jnb" | "bnb" => return Some(instead(line, "jgeu")),
        "movsx" => {
            let [(_, to), (_, from)] = parts else { return Some(instead(line, "extb")) };
            let told = Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(whole.clone(), "there is no `movsx`") };
            return Some(told.fix(whole, format!("mov {to}, {from}\n        extb {to}")));
        }
        "push" | "pop" | "stmfd" | "ldmfd" | "stmdb" | "ldmia" | "stmia" | "ldmdb"
            if mnemonic(&line.word).is_none() && rest.ends_with('}') =>
        {
            return Some(no_such(line, "push r4-r6, fp and pop r4-r6, fp take several registers"));
        }
        ".include" | ".embed" | ".incbin" if !first.starts_with('"') && !first.is_empty() && parts.len() == 1 => {
            let name = first.trim_matches(['<', '>', '\'']);
            let is_path = !name.is_empty() && !name.contains(['"', '\\', ' ', '{']);
            let told = Told::new(parts.first()?.0.clone(), "the name of a file stands between quotes");
            let range = told.range.clone();
            return is_path.then(|| told.fix(range, format!("\"{name}\"")));
        }
        ".import" | "import" if first.starts_with('"') => {
            let told = say("a file is included by `.include`".to_owned());
            return Some(told.fix(whole, format!(".include {first}")));
        }
        "equ" | ".equ" | "=" if line.label().is_some() => {
            let (from, name) = line.label()?;
            let range = from..line.to;
            let told = Told {
                info: codes::UNKNOWN_DIRECTIVE,
                ..Told::new(range.clone(), "the name of a constant is no label: it stands behind `.equ`")
            };
            return Some(told.fix(range, format!(".equ {name}, {}", rest.trim_start_matches(',').trim())));
        }
        "call" | "jmp" if first.len() > 2 && first.starts_with(['"', '\'']) && first.ends_with(['"', '\'']) => {
            let name = first.trim_matches(['"', '\'']);
            let range = parts.first()?.0.clone();
            let told = Told::new(range.clone(), "a label is named without quotes");
            return is_name(name).then(|| told.fix(range, name));
        }
        "call" | "jmp" if first.starts_with('*') && !first[1..].trim().is_empty() => {
            let (range, name) = (parts.first()?.0.clone(), first[1..].trim());
            let told = Told::new(range.clone(), "what is jumped to is written without `*`");
            return (is_name(name) || is_register(name)).then(|| told.fix(range, name));
        }
        _ => {}
    }
    if let Some(right) = without_counterpart(&line.word).filter(|_| mnemonic(&line.word).is_none()) {
        return Some(no_such(line, right));
    }
    // `r1 += 5`, `r1++`.
    let (register, sign) = line.text[line.whole()].split_at(line.word.find(['+', '-']).unwrap_or(line.word.len()));
    let sign = sign.trim_start();
    if is_register(register)
        && let Some(adds) = sign.chars().next().filter(|c| matches!(c, '+' | '-')).map(|c| c == '+')
    {
        let value = sign[1..].trim_start().strip_prefix('=').map(str::trim).filter(|value| !value.is_empty());
        let right = match (adds, value) {
            (true, Some(value)) => format!("add {register}, {value}"),
            (false, Some(value)) => format!("sub {register}, {value}"),
            (true, None) => format!("inc {register}"),
            (false, None) => format!("dec {register}"),
        };
        let told = Told {
            info: codes::UNKNOWN_MNEMONIC,
            ..Told::new(whole.clone(), "a register is changed by an instruction")
        };
        return Some(told.fix(whole, right));
    }
    // `movl $5, %eax`.
    if let Some(base) = line.word.strip_suffix(['b', 'w', 'l', 'q']).filter(|base| mnemonic(base).is_some())
        && mnemonic(&line.word).is_none()
        && rest.contains('%')
    {
        let message = format!(
            "`{}` is no instruction: sizes have no endings, registers no mark, and the destination comes first",
            line.word
        );
        let told = Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) };
        return Some(told.right(mnemonic(base)?.forms().join("  ")));
    }
    // `beqz r1, there`.
    if let Some(condition) = line.word.strip_prefix('b').and_then(|word| word.strip_suffix('z'))
        && let [(_, one), (_, to)] = parts
    {
        let jump = match condition {
            "eq" => "jeq",
            "ne" => "jne",
            "lt" => "jlt",
            "ge" => "jge",
            _ => return None,
        };
        return Some(
            Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(whole.clone(), format!("there is no `{}`", line.word)) }
                .fix(whole, format!("cmp {one}, 0\n        {jump} {to}")),
        );
    }
    None
}

fn instead(line: &Line<'_>, ours: &str) -> Told {
    let message = format!("`{}` is no instruction", line.word);
    Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) }.fix(line.first(), ours)
}

fn no_such(line: &Line<'_>, right: &str) -> Told {
    let message = format!("`{}` is no instruction", line.word);
    Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) }.right(right)
}

/// `addne r1, 5`: an instruction with a condition in its word.
fn conditional(line: &Line<'_>) -> Option<Told> {
    const CONDITIONS: [(&str, &str); 10] = [
        ("eq", "jne"),
        ("ne", "jeq"),
        ("lt", "jge"),
        ("ge", "jlt"),
        ("gt", "jle"),
        ("le", "jgt"),
        ("mi", "jge"),
        ("pl", "jlt"),
        ("cs", "jnc"),
        ("cc", "jc"),
    ];
    if mnemonic(&line.word).is_some() || line.word.starts_with(['j', 'b']) || other_instruction(&line.word).is_some() {
        return None;
    }
    let (condition, jump) = CONDITIONS.iter().find(|(ending, _)| line.word.ends_with(ending))?;
    let base = line.word.strip_suffix(condition)?;
    let ours = mnemonic(base).map(|known| known.name).or_else(|| other_instruction(base))?;
    let message = format!("`{}` is no instruction: only jumps ask for flags", line.word);
    let told = Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) };
    Some(told.right(format!("{jump} @past, then {ours}, then @past:")))
}

/// Loads and stores by other words, with the destination first in both, or with what is no address.
fn loads_and_stores(line: &Line<'_>, parts: &[(std::ops::Range<usize>, &str)]) -> Option<Told> {
    if mnemonic(&line.word).is_some() {
        return None;
    }
    let bytes = line.word.ends_with('b') && line.word.len() > 2;
    let word = if bytes { line.word.trim_end_matches('b') } else { &line.word };
    let ours = other_instruction(&line.word).or_else(|| other_instruction(word))?;
    let [(_, one), (_, other)] = parts else { return None };
    let message = format!("`{}` is no instruction", line.word);
    let told = Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.whole(), message) };
    let is_address = |part: &str| part.starts_with('[') && part.ends_with(']');
    match ours {
        "stw" | "stb" if is_register(one) && is_address(other) && !other.contains(',') => {
            let ours = if bytes { "stb" } else { ours };
            let told =
                Told { message: format!("{}: here it is `{ours}`, with the address first", told.message), ..told };
            Some(told.fix(line.whole(), format!("{ours} {other}, {one}")))
        }
        "ldw" | "ldb" if bytes && is_register(one) && is_address(other) && !other.contains(',') => {
            let told = Told { message: format!("{}: here it is `ldb`", told.message), ..told };
            Some(told.fix(line.whole(), format!("ldb {one}, {other}")))
        }
        "ldw" if is_register(one) => {
            let value = other.trim_start_matches(['=', '#']);
            let is_value = value.parse::<u32>().is_ok() || value.len() < other.len() && is_name(value);
            let told = Told { message: format!("{}: a value comes into a register by `mov`", told.message), ..told };
            is_value.then(|| told.fix(line.whole(), format!("mov {one}, {value}")))
        }
        _ => None,
    }
}

/// `call start()`, `sys exit()`, `sys put text`, `bx lr`, `end start`.
fn calls_of_functions(line: &Line<'_>, rest: &str) -> Option<Told> {
    let range = line.operands..line.to;
    match line.word.as_str() {
        "call" | "jmp" | "sys" if rest.ends_with(')') => {
            let name = rest.strip_suffix(')')?.trim_end().strip_suffix('(')?.trim_end();
            let message = "nothing stands in parentheses behind a name: what a routine is given is in registers";
            is_name(name).then(|| Told::new(range.clone(), message).fix(range, name))
        }
        "sys" => {
            let joined = rest.split_whitespace().collect::<Vec<_>>().join("_");
            call_by_name(&joined).filter(|_| joined != rest)?;
            Some(Told::new(range.clone(), format!("the call is `{joined}`")).fix(range, joined))
        }
        "bx" if rest.eq_ignore_ascii_case("lr") => {
            let told = Told::new(line.whole(), "the way back lies on the stack, and `ret` takes it");
            Some(Told { info: codes::UNKNOWN_MNEMONIC, ..told }.fix(line.whole(), "ret"))
        }
        ".end" | "end" if is_name(rest) => {
            let told = Told::new(line.whole(), "a text ends by itself; where to begin is said by `.entry`");
            Some(Told { info: codes::UNKNOWN_DIRECTIVE, ..told }.fix(line.whole(), format!(".entry {rest}")))
        }
        _ => None,
    }
}

/// Sizes: endings of mnemonics, and words before operands.
fn sizes(line: &Line<'_>, rest: &str) -> Option<Told> {
    const SIZES: [&str; 8] = ["byte", "word", "dword", "ptr", "offset", "short", "near", "far"];
    if let Some((base, ending)) = line.word.split_once('.').filter(|(base, _)| !base.is_empty()) {
        let ours = match (base, ending) {
            ("ld" | "l" | "load" | "mov" | "move", "b")
                if rest.contains('[') && !rest.trim_start().starts_with('[') =>
            {
                "ldb"
            }
            ("ld" | "l" | "load" | "mov" | "move", "w" | "h")
                if rest.contains('[') && !rest.trim_start().starts_with('[') =>
            {
                "ldw"
            }
            ("st" | "s" | "store", "b") => "stb",
            ("st" | "s" | "store", "w" | "h") => "stw",
            (base, _) => mnemonic(base).map(|known| known.name)?,
        };
        let message = format!("sizes stand in the mnemonic, not behind a dot: `{ours}`");
        return Some(
            Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(line.first(), message) }.fix(line.first(), ours),
        );
    }
    mnemonic(&line.word)?;
    let mut at = line.operands;
    while at < line.to {
        let length = line.text[at..line.to].find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(line.to - at);
        let word = &line.text[at..at + length];
        let behind = line.text[at + length..line.to].trim_start();
        let goes_on = behind.starts_with(|c: char| c.is_alphanumeric() || matches!(c, '_' | '[' | '@'));
        if goes_on && SIZES.iter().any(|size| word.eq_ignore_ascii_case(size)) {
            let to = line.to - behind.len();
            return Some(match word.to_ascii_lowercase().as_str() {
                "offset" => Told::new(at..at + length, "a label is its address by itself").fix(at..to, ""),
                "short" | "near" | "far" => {
                    Told::new(at..at + length, "jumps take their shortest form by themselves").fix(at..to, "")
                }
                _ => Told::new(at..at + length, "sizes are in the mnemonic, not before operands")
                    .right("ldw and stw for a word, ldb and stb for a byte"),
            });
        }
        at += length.max(line.text[at..].chars().next().map_or(1, char::len_utf8));
    }
    None
}

/// Addresses that move, and numbers marked in them.
fn addresses(line: &Line<'_>, parts: &[(std::ops::Range<usize>, &str)]) -> Option<Told> {
    let elsewhere = other_instruction(&line.word).filter(|_| mnemonic(&line.word).is_none());
    let ours = elsewhere.or_else(|| mnemonic(&line.word).map(|known| known.name))?;
    let open = line.text[line.operands..line.to].find('[')? + line.operands;
    let close = line.text[open..line.to].find(']')? + open;
    let inner = line.text[open + 1..close].trim();
    let behind = line.text[close + 1..line.to].trim();
    let base = inner.split([',', '+', ' ']).next().unwrap_or_default();
    if is_register(base) && (behind.starts_with(['+', '!', '-']) || behind.starts_with(',') && parts.len() > 2) {
        let message = "an address does not move by itself";
        let step = behind.trim_matches([',', ' ', '!', '+']).trim_start_matches('#');
        let step = if step.parse::<u32>().is_ok() { step } else { "2" };
        return Some(
            Told::new(open..line.to, message).right(format!("[{base}], and `add {base}, {step}` in a line of its own")),
        );
    }
    if let Some((one, other)) = inner.split_once(',') {
        let other = other.trim().trim_start_matches('#');
        let right = format!("[{} + {other}]", one.trim());
        if elsewhere.is_some() {
            let whole = line.from..close + 1;
            let message = format!("`{}` is no instruction: here it is `{ours}`, and an address is a sum", line.word);
            let others = line.text[line.operands..open].trim().trim_end_matches(',');
            let right = if ours.starts_with("st") {
                format!("{ours} {right}, {others}")
            } else {
                format!("{ours} {others}, {right}")
            };
            return Some(Told { info: codes::UNKNOWN_MNEMONIC, ..Told::new(whole.clone(), message) }.fix(whole, right));
        }
        return Some(Told::new(open..close + 1, "an address is a sum, without a comma").fix(open..close + 1, right));
    }
    None
}

/// `add r1, r2, r3`, `bne r1, r2, there`.
fn three_operands(line: &Line<'_>, parts: &[(std::ops::Range<usize>, &str)]) -> Option<Told> {
    let [(_, to), (_, one), (_, other)] = parts else { return None };
    let ours = mnemonic(&line.word).map(|known| known.name).or_else(|| other_instruction(&line.word))?;
    if ours.starts_with('j') {
        let message = "a jump looks at what a comparison before it found";
        let right = format!("cmp {to}, {one}\n        {ours} {other}");
        return Some(Told { info: codes::OPERANDS, ..Told::new(line.whole(), message) }.fix(line.whole(), right));
    }
    let computes =
        ["add", "adc", "sub", "sbc", "and", "or", "xor", "mul", "div", "mod", "shl", "shr", "asr"].contains(&ours);
    if !computes || !is_register(to) {
        return None;
    }
    let message = format!("`{ours}` takes two operands: the first is what it computes with, and gets the result");
    let told = Told { info: codes::OPERANDS, ..Told::new(line.whole(), message) };
    let other = other.trim_start_matches('#');
    if to.eq_ignore_ascii_case(one) {
        return Some(told.fix(line.whole(), format!("{ours} {to}, {other}")));
    }
    // What is computed with last must not have been written over by then.
    if to.eq_ignore_ascii_case(other) {
        return Some(
            told.right(format!("{ours} {one}, {other} where `{one}` may be lost; else by way of a third register")),
        );
    }
    Some(told.fix(line.whole(), format!("mov {to}, {one}\n        {ours} {to}, {other}")))
}

/// `add %r0, %r1`: all registers of the line have a mark.
fn marked_registers(line: &Line<'_>, parts: &[(std::ops::Range<usize>, &str)]) -> Option<Told> {
    let bare = |part: &str| part.trim_start_matches(['%', '$']).to_owned();
    let marked = parts.iter().filter(|(_, part)| is_register(&bare(part)) && bare(part) != **part).count();
    let right: Vec<String> = parts.iter().map(|(_, part)| bare(part)).collect();
    let range = line.operands..line.to;
    let is_all = mnemonic(&line.word).is_some() && marked > 1;
    is_all.then(|| Told::new(range.clone(), "registers are written without a mark").fix(range, right.join(", ")))
}

/// Marks before values, and words for what is a sign or a word here.
fn value(range: &std::ops::Range<usize>, part: &str, word: &str) -> Option<Told> {
    if let Some(right) = number_elsewhere(part) {
        let message = format!("numbers are written as `{right}`");
        return Some(Told { info: codes::OTHER_NUMBER, ..Told::new(range.clone(), message) }.fix(range.clone(), right));
    }
    let bare = part.trim_start_matches(['#', '$', '%', '=', '&', '<', '>']);
    let mark = &part[..part.len() - bare.len()];
    if !mark.is_empty() && (is_register(bare) || bare.eq_ignore_ascii_case("fl")) {
        let message = format!("registers are written without `{mark}`");
        return Some(Told::new(range.clone(), message).fix(range.clone(), bare));
    }
    if part == "$" || part == "." {
        return Some(Told::new(range.clone(), "the present address is `here`").fix(range.clone(), "here"));
    }
    for sign in ["$ -", "$-", ". -", ".-"] {
        if let Some(behind) = part.strip_prefix(sign) {
            let right = format!("here - {}", behind.trim());
            return Some(Told::new(range.clone(), "the present address is `here`").fix(range.clone(), right));
        }
    }
    for (names, ours) in [(["high", "%hi", "hi8", "hibyte"], "hi"), (["low", "%lo", "lo8", "lobyte"], "lo")] {
        let open = part.find('(').filter(|open| names.contains(&part[..*open].trim().to_ascii_lowercase().as_str()));
        if let Some(open) = open {
            let right = format!("{ours}{}", &part[open..]);
            return Some(
                Told::new(range.clone(), format!("that byte of a word is `{ours}(…)`")).fix(range.clone(), right),
            );
        }
    }
    let is_number = mark == "$" && bare.bytes().all(|b| b.is_ascii_hexdigit());
    if is_name(bare) && !mark.is_empty() && !is_number {
        let right = match mark {
            "<" => format!("lo({bare})"),
            ">" => format!("hi({bare})"),
            _ => bare.to_owned(),
        };
        let message = match mark {
            "<" | ">" => "the bytes of a word are `lo(…)` and `hi(…)`".to_owned(),
            _ => format!("a label is its address, without `{mark}`"),
        };
        return Some(Told::new(range.clone(), message).fix(range.clone(), right));
    }
    let local = part.split_once('@').filter(|(owner, local)| is_name(owner) && is_name(local));
    if let Some((_, local)) = local.filter(|_| mnemonic(word).is_some()) {
        let message = format!("`@{local}` belongs to another label, and is not reached from here");
        return Some(Told::new(range.clone(), message).right("a plain label where it is reached from elsewhere"));
    }
    let name_ends = bare.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(bare.len());
    if matches!(mark, "#" | "$" | "&" | "=") && is_name(&bare[..name_ends]) && !is_number {
        let message = format!("a label is its address, without `{mark}`");
        return Some(Told::new(range.clone(), message).fix(range.clone(), bare));
    }
    // `5 + r1`.
    let sum = part.split_once('+').map(|(one, other)| (one.trim(), other.trim()));
    if let Some((value, base)) = sum.filter(|(value, base)| is_register(base) && !is_register(value))
        && word == "mov"
    {
        let message = "a sum with a register is computed while the program runs";
        return Some(
            Told { info: codes::OPERANDS, ..Told::new(range.clone(), message) }
                .right(format!("lea d, [{base} + {value}]")),
        );
    }
    None
}

/// `x'FF'`, `h'FF`, `16#FF`, `0o17`: a number with its base before it.
fn number_elsewhere(part: &str) -> Option<String> {
    let (base, digits) = part.split_once(['\'', '#']).or_else(|| Some(("8", part.strip_prefix("0o")?)))?;
    let digits = digits.strip_suffix('\'').unwrap_or(digits);
    let base = match base.to_ascii_lowercase().as_str() {
        "x" | "h" | "16" => 16,
        "b" | "2" => 2,
        "d" | "10" => 10,
        "o" | "q" | "8" => 8,
        _ => return None,
    };
    let value = u16::from_str_radix(digits, base).ok()?;
    Some(match base {
        16 => format!("0x{value:X}"),
        2 => format!("0b{value:b}"),
        _ => value.to_string(),
    })
}

/// A second instruction, or a remark, behind a whole one; quotes within a text.
fn left_over(line: &Line<'_>, text: &str) -> Option<Told> {
    if line.word.starts_with('.') {
        let open = line.rest().find('"')? + line.operands;
        let second = text[open + 1..line.to].find('"')? + open + 1;
        let behind = &text[second + 1..line.to];
        // `"say "hi""`: the quote in the middle is followed by letters at once.
        let last = line.to - 1;
        let is_torn =
            behind.starts_with(|c: char| c.is_alphanumeric()) && text[..line.to].ends_with('"') && last > second;
        return is_torn.then(|| {
            let inner = text[open + 1..last].replace('"', "\\\"");
            let message = "a quote within a text is written `\\\"`";
            Told { info: codes::MISSING_COMMA, ..Told::new(second..second + 1, message) }
                .fix(open..line.to, format!("\"{inner}\""))
        });
    }
    let known = mnemonic(&line.word)?;
    if known.rows.iter().all(|row| row.operands.is_empty()) {
        let range = line.operands..line.to;
        let rest = line.rest();
        let is_remark =
            rest.starts_with(char::is_alphabetic) && rest.split_whitespace().count() > 1 && !rest.contains([',', '[']);
        return is_remark.then(|| {
            Told { info: codes::OTHER_COMMENT, ..Told::new(range.clone(), "a remark begins with `;`") }
                .fix(range.start..range.start, "; ")
        });
    }
    line.parts().iter().find_map(|(range, _)| behind_operand(line, range.clone()))
}

/// What stands behind an operand, which ends at a blank outside of brackets and quotes.
fn behind_operand(line: &Line<'_>, last: std::ops::Range<usize>) -> Option<Told> {
    /// Operators by their words are told as such.
    const OPERATORS: [&str; 10] = ["mod", "div", "and", "or", "xor", "shl", "shr", "not", "eq", "ne"];
    let text = line.text;
    let is_last = last.end == line.to;
    let part = &text[last.clone()];
    let (mut depth, mut quote) = (0i32, None);
    let blank = part.char_indices().find_map(|(at, c)| {
        match c {
            '"' | '\'' if quote == Some(c) => quote = None,
            '"' | '\'' if quote.is_none() => quote = Some(c),
            '[' | '(' | '{' => depth += 1,
            ']' | ')' | '}' => depth -= 1,
            ' ' | '\t' if depth == 0 && quote.is_none() => return Some(at),
            _ => {}
        }
        None
    })?;
    let behind = part[blank..].trim_start();
    let from = last.start + part.len() - behind.len();
    let operand = part[..blank].trim();
    let is_operand =
        is_register(operand) || is_name(operand) || operand.ends_with(']') || operand.parse::<u32>().is_ok();
    let second = behind.split([' ', '\t']).next().unwrap_or_default();
    let third = behind[second.len()..].trim_start();
    let is_operator = OPERATORS.iter().any(|word| second.eq_ignore_ascii_case(word))
        && third.starts_with(|c: char| c.is_alphanumeric() || c == '(')
        && !is_register(third.split([' ', '\t']).next().unwrap_or_default());
    if !is_operand || is_register(second) || is_operator {
        return None;
    }
    if mnemonic(second).is_some() && behind.len() > second.len() {
        let message = "one instruction stands on a line";
        let edit = last.start + blank..from;
        return Some(Told { info: codes::EXTRA, ..Told::new(from..line.to, message) }.fix(edit, "\n        "));
    }
    if !is_last {
        return None;
    }
    let sign = second.chars().next()?;
    let is_remark = matches!(sign, '!' | '@' | '|' | '\\') && behind[sign.len_utf8()..].starts_with([' ', '\t'])
        || is_name(second) && behind.split_whitespace().count() > 1 && !behind.contains([',', '+', '*', '(', '[']);
    let skip = if matches!(sign, '!' | '@' | '|' | '\\') { sign.len_utf8() } else { 0 };
    is_remark.then(|| {
        Told { info: codes::OTHER_COMMENT, ..Told::new(from..line.to, "a remark begins with `;`") }
            .fix(from..from + skip, if skip > 0 { ";" } else { "; " })
    })
}

/// The Latin letter that a letter of another script looks like.
pub(super) fn latin(c: char) -> Option<char> {
    const PAIRS: &str = "аaеeоoрpсcуyхxіiјjѕsԁdһhМMВBЕEНHОOРPСCТTХXАAКKоoαaοoνvρpιiκkτtΑAΒBΕEΗHΙIΚKΜMΝNΟOΡPΤTΧXΥYΖZ";
    let letters: Vec<char> = PAIRS.chars().collect();
    letters.chunks(2).find(|pair| pair[0] == c).map(|pair| pair[1])
}

/// A line end of another kind: all of a text is one line then.
pub(super) fn has_bare_returns(text: &str) -> Option<usize> {
    let at = text.find('\r')?;
    let is_bare = text.as_bytes().get(at + 1).is_some_and(|next| *next != b'\n');
    (is_bare && !text.contains('\n')).then_some(at)
}

impl Parser<'_> {
    /// A word that would be a label without a colon, which is something known elsewhere.
    pub(super) fn retell_label(&mut self, start: usize, end: usize) {
        let text = self.block.text[start..end].trim_end_matches('\r');
        let Some(line) = Line::of(text) else { return };
        let Some(told) = statement(&line, line.rest(), &line.parts()).or_else(|| sizes(&line, line.rest())) else {
            return;
        };
        self.bare_labels.pop();
        let span = |range: std::ops::Range<usize>| self.place(start + range.start..start + range.end);
        let mut found = diagnostic(told.info, span(told.range), told.message);
        if let Some(form) = told.right {
            found = found.with_expected(form);
        }
        if let Some((range, text)) = told.fix {
            found = found.with_guess(format!("write `{text}`"), span(range), text);
        }
        self.report(found);
    }

    /// All of the text is one line, since its lines end with CR alone.
    pub(super) fn lines_end_otherwise(&mut self) -> bool {
        let Some(at) = has_bare_returns(self.block.text) else { return false };
        let span: Span = self.place(at..at + 1);
        let found = diagnostic(codes::STRAY, span, "the lines of this text end with CR (U+000D) alone");
        self.report(found.with_expected("lines that end with LF, or with CR LF; most editors save a text either way"));
        true
    }
}
