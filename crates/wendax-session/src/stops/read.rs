//! Stops in words: `weigh if r1 > 560 from 3`, `change total`, `call put_text`, `when r7 == AXLES_MAX once`.
//!
//! A place, then what is said of it. The words are those of `docs/stops.md`; places and conditions are values of the
//! language. Nothing here runs.

use super::{NotedValue, StopAt, Thing, Times, Touch, Where};
use crate::cursor::Tail;
use crate::reader::{Nothing, Reader};
use crate::values::{self, Names, Sole};
use wendax_isa::Addr;
use wendax_language::{BoundValue, ValueError};
use wendax_source::{Sources, nearest};

/// Words that begin a place that is no instruction.
const KINDS: [&str; 12] =
    ["at", "in", "op", "read", "write", "change", "call", "trap", "interrupt", "print", "enter", "leave"];

/// Words that say something of a place.
const SAYINGS: &str = "`if` a condition, `from` or `every` a number, `once`, `note` values";

impl StopAt {
    /// Reads a stop; `sources` know the lines of files.
    pub fn read(text: &str, names: &Names<'_>, sources: &Sources) -> Result<Self, ValueError> {
        let mut reader = Reader::new(text, names);
        let place = reader.place(sources)?;
        reader.sayings(place)
    }

    /// What is said of a place that is known: `if r1 > 5 every 3`.
    pub fn read_rule(place: Where, text: &str, names: &Names<'_>) -> Result<Self, ValueError> {
        Reader::new(text, names).sayings(place)
    }
}

impl Reader<'_> {
    fn place(&mut self, sources: &Sources) -> Result<Where, ValueError> {
        let word = self.peek().to_ascii_lowercase();
        if word.is_empty() {
            return self
                .error("a place is missing: a label, `main.asm:12`, `change total`, `call put_text`, `when r1 == 5`");
        }
        if word == "when" {
            self.at += word.len();
            self.skip_blanks();
            let begin = self.at;
            let (value, text) = self.value()?;
            self.without_met(&value, begin)?;
            self.without_setting(&text)?;
            return Ok(Where::True(value));
        }
        // A label of such a name is meant as itself when nothing follows that belongs to the word.
        let is_kind = KINDS.contains(&word.as_str());
        let is_label = self.names.image().symbol(&word).is_some();
        if !is_kind || is_label && self.rest().trim() == word {
            return self.instruction(sources).map(Where::Address);
        }
        self.at += word.len();
        Ok(match word.as_str() {
            "read" => Where::Touched(Touch::Read, self.thing()?),
            "write" => Where::Touched(Touch::Write, self.thing()?),
            "change" => Where::Touched(Touch::Change, self.thing()?),
            "call" => Where::Call(self.named_number("call")?),
            "trap" => Where::Trap(self.named_number("trap")?),
            "interrupt" => Where::Interrupt(self.named_number("interrupt")?),
            "print" => Where::Printed(self.quoted()?),
            "in" => self.range(sources)?,
            "op" => {
                let name = self.peek().to_owned();
                if name.is_empty() {
                    return self.error("a mnemonic is missing: op add");
                }
                let lower = name.to_ascii_lowercase();
                let known = (self.names.target().mnemonics)();
                if !known.contains(&lower.as_str()) {
                    let meant = match nearest(&lower, known.iter().copied()) {
                        Some(near) => format!("`{near}`"),
                        None => known.join(" "),
                    };
                    return self.error(format!("no instruction is named `{name}`; there is {meant}"));
                }
                self.at += name.len();
                Where::Op(lower)
            }
            "enter" => Where::Entered(self.routine(sources)?),
            "leave" => Where::Left(self.routine(sources)?),
            _ => Where::Address(self.instruction(sources)?),
        })
    }

    /// A routine by an instruction in it, or what lies between two of them: `weigh`, `main.asm:5 to main.asm:9`.
    fn range(&mut self, sources: &Sources) -> Result<Where, ValueError> {
        self.skip_blanks();
        let begin = self.at;
        let image = self.names.image();
        let from = self.instruction(sources)?;
        if self.eat("to") {
            let last = self.instruction(sources)?;
            let end =
                image.line_at(last).map_or(last + self.names.target().code_align, |line| line.address + line.length);
            if end <= from {
                return Err(ValueError { message: "this lies before where it begins".to_owned(), at: begin });
            }
            return Ok(Where::Among(vec![(from, end)]));
        }
        match image.routine_around(from) {
            Some(routine) => Ok(Where::Among(routine.parts)),
            None => Err(ValueError { message: "no code of the program stands there".to_owned(), at: begin }),
        }
    }

    /// A routine by where it begins.
    fn routine(&mut self, sources: &Sources) -> Result<Addr, ValueError> {
        self.skip_blanks();
        let begin = self.at;
        let address = self.instruction(sources)?;
        if !self.names.image().is_code(address) {
            let message = "no code of the program stands there, so it is no routine".to_owned();
            return Err(ValueError { message, at: begin });
        }
        Ok(address)
    }

    /// An instruction by a value or a line of a file: `main.asm:12`.
    fn instruction(&mut self, sources: &Sources) -> Result<Addr, ValueError> {
        let word = self.peek().to_owned();
        if let Some((file, line)) = word.rsplit_once(':')
            && let Ok(line) = line.parse::<u32>()
        {
            let is_named = |name: &str| name == file || name.rsplit('/').next() == Some(file);
            let found = self
                .names
                .image()
                .lines
                .iter()
                .map(|line| line.span.file)
                .find(|&id| sources.get(id).is_some_and(|source| is_named(source.name())));
            let Some(id) = found else {
                return self.error(format!("no file of the program is named `{file}`"));
            };
            let Some(found) = self.names.image().code_from_line(id, line) else {
                return self.error(format!("there is no instruction on line {line} of {file} or below it"));
            };
            let (address, is_on) = (found.address, found.line);
            // A line of a macro or a repeat has its code under the line that asks for it, one that is left out has none.
            let source = sources.get(id);
            if let Some(other) = (line..is_on).find(|&n| source.is_some_and(|s| self.is_instruction(s.line(n)))) {
                return self.error(format!(
                    "line {other} of {file} became no instruction of its own: what a macro or a repeat writes stands under \
                     the line that asks for it, and what a condition leaves out stands nowhere"
                ));
            }
            self.at += word.len();
            return Ok(address);
        }
        self.address()
    }

    /// Whether what is written on a line begins, behind its labels, with the mnemonic of an instruction.
    fn is_instruction(&self, line: &str) -> bool {
        let mut words = line.split_whitespace().skip_while(|word| word.ends_with(':'));
        words.next().is_some_and(|word| (self.names.target().mnemonics)().contains(&&*word.to_ascii_lowercase()))
    }

    /// Something that can be touched: `r1`, `Z`, `total`, `[wagons + 4]`, `byte [text]`, `wagons to wagons + 3`.
    fn thing(&mut self) -> Result<Thing, ValueError> {
        self.skip_blanks();
        let begin = self.at;
        if self.rest().is_empty() {
            return self.error("what is touched is missing: a register, a flag, a label, `[address]`, `a to b`");
        }
        let (value, text) = self.value()?;
        let target = self.names.target();
        match values::sole(&value, target) {
            Sole::Register(register) => return Ok(Thing::Register(register)),
            Sole::Flag(bit) => return Ok(Thing::Flag(bit)),
            Sole::Other => {}
        }
        let moving = || ValueError {
            message: format!("`{text}` lies elsewhere at every moment; `when` stops at what a value becomes"),
            at: begin,
        };
        let hangs = value.hangs_on(target.word_bytes());
        if !hangs.lives.is_empty() || hangs.on_any_memory {
            return Err(moving());
        }
        let mask = i64::from(target.address_mask());
        let known = |value: i64| match Addr::try_from(value) {
            Ok(address) if value <= mask => Ok(address),
            _ => Err(ValueError {
                message: format!("addresses go from 0 to 0x{mask:X}, and this is {value}"),
                at: begin,
            }),
        };
        if let Some(place) = value.place(&Nothing) {
            let (address, width) = place.map_err(|_| moving())?;
            let start = known(address)?;
            return Ok(Thing::Cells(start, start + width.bytes(target.word_bytes())));
        }
        let start = known(value.value(&Nothing).map_err(|_| moving())?)?;
        if self.eat("to") {
            let last = self.address()?;
            if last < start {
                return Err(ValueError { message: "this lies before where it begins".to_owned(), at: begin });
            }
            return Ok(Thing::Cells(start, last + 1));
        }
        // A label stands for all that lies behind it.
        let extent = self.names.extent(&text).map(|(_, end)| end);
        Ok(Thing::Cells(start, extent.unwrap_or(start + target.word_bytes())))
    }

    /// The number of a call, trap or interrupt, by its name or as a number; none for any.
    fn named_number(&mut self, kind: &str) -> Result<Option<u32>, ValueError> {
        let word = self.peek().to_owned();
        if word.is_empty() || is_saying(&word) {
            return Ok(None);
        }
        // Interrupts are among the traps by their numbers, and come otherwise.
        let target = self.names.target();
        let fits = |number: u32| match kind {
            "call" => number <= target.calls.last().map_or(0, |call| call.number) | 0xFF,
            kind => target.entries(kind == "interrupt").iter().any(|(known, _)| *known == number),
        };
        let call = || target.calls.iter().find(|call| call.name.eq_ignore_ascii_case(&word));
        let is_interrupt = kind == "interrupt";
        let entry = |of_interrupts: bool| {
            let mut entries = target.entries(of_interrupts).into_iter();
            entries.find(|(_, name)| values::device_word(name).eq_ignore_ascii_case(&word)).map(|(number, _)| number)
        };
        let by_name = if kind == "call" { call().map(|call| call.number) } else { entry(is_interrupt) };
        if let Some(number) = entry(!is_interrupt).filter(|_| kind != "call" && by_name.is_none()) {
            let name = if is_interrupt { target.trap_name(number) } else { target.interrupt_name(number) };
            let other = if is_interrupt { "trap" } else { "interrupt" };
            return self.error(format!("{name} is no {kind}: `{other} {word}`"));
        }
        if let Some(number) = by_name {
            self.at += word.len();
            return Ok(Some(number));
        }
        let begin = self.at;
        let known: Vec<String> = if kind == "call" {
            target.calls.iter().map(|call| call.name.to_owned()).collect()
        } else {
            target.entries(kind == "interrupt").iter().map(|(_, name)| values::device_word(name)).collect()
        };
        if self.names.image().symbol(&word).is_some() {
            return self
                .error(format!("`{word}` is a name of the program's, and no {kind}; `enter {word}` stops there"));
        }
        let (value, text) = self.value().map_err(|_| {
            let meant = match nearest(&word, known.iter().map(String::as_str)) {
                Some(near) => format!("there is `{near}`"),
                None => format!("there are {}", known.join(" ")),
            };
            ValueError { message: format!("no {kind} is named `{word}`; {meant}"), at: begin }
        })?;
        match value.value(&Nothing).ok().and_then(|number| u32::try_from(number).ok()) {
            Some(number) if fits(number) => Ok(Some(number)),
            _ => {
                let message = format!("`{text}` is no number of a {kind}; there are {}", known.join(" "));
                Err(ValueError { message, at: begin })
            }
        }
    }

    /// A text in quotes, with `\n` and the like; none for any.
    fn quoted(&mut self) -> Result<Option<Vec<u8>>, ValueError> {
        self.skip_blanks();
        if !self.rest().starts_with('"') {
            return Ok(None);
        }
        let mut text = String::new();
        let mut signs = self.rest().char_indices().skip(1);
        while let Some((at, sign)) = signs.next() {
            match sign {
                '"' if text.is_empty() => return self.error("there is no text between these quotes"),
                '"' if text.len() > Tail::LONGEST => {
                    return self.error(format!("a text that is looked for has at most {} bytes", Tail::LONGEST));
                }
                '"' => {
                    self.at += at + 1;
                    return Ok(Some(text.into_bytes()));
                }
                '\\' => match signs.next() {
                    Some((_, 'n')) => text.push('\n'),
                    Some((_, 't')) => text.push('\t'),
                    Some((_, other)) => text.push(other),
                    None => break,
                },
                other => text.push(other),
            }
        }
        self.error("the quote that ends this text is missing")
    }

    fn without_met(&self, value: &BoundValue, at: usize) -> Result<(), ValueError> {
        if !values::asks_met(value) {
            return Ok(());
        }
        let message = "a condition cannot ask how often it was met; `from 3` and `every 3` do that".to_owned();
        Err(ValueError { message, at })
    }

    fn sayings(self, place: Where) -> Result<StopAt, ValueError> {
        // What is said of a place is said as things are called there.
        let names = place.code().map_or(*self.names, |at| self.names.at(at));
        self.with_names(&names).said(StopAt::plain(place))
    }

    fn said(mut self, mut stop: StopAt) -> Result<StopAt, ValueError> {
        loop {
            let word = self.peek().to_ascii_lowercase();
            match word.as_str() {
                "" => return Ok(stop),
                "if" => {
                    self.at += word.len();
                    self.skip_blanks();
                    let begin = self.at;
                    let (value, text) = self.value()?;
                    self.without_met(&value, begin)?;
                    self.without_setting(&text)?;
                    // Of several all have to be true.
                    stop.condition = Some(match stop.condition.take() {
                        Some(first) => first.and(value),
                        None => value,
                    });
                }
                "from" | "every" if stop.times != Times::Each => {
                    return self.error("of `from` and `every` one stands, and once".to_owned());
                }
                "from" => {
                    self.at += word.len();
                    stop.times = Times::From(self.number("from")?);
                }
                "every" => {
                    self.at += word.len();
                    stop.times = Times::Every(self.number("every")?);
                }
                "once" | "note" if word == "once" && stop.once || word == "note" && stop.note.is_some() => {
                    return self.error(format!("`{word}` was said already"));
                }
                "once" => {
                    self.at += word.len();
                    stop.once = true;
                }
                "note" => {
                    self.at += word.len();
                    stop.note = Some(self.noted()?);
                }
                _ => return self.error(format!("`{word}` says nothing of a stop; there are {SAYINGS}")),
            }
        }
    }

    /// Values with commas between them; or none.
    fn noted(&mut self) -> Result<Vec<NotedValue>, ValueError> {
        let mut values = Vec::new();
        let word = self.peek().to_owned();
        if word.is_empty() || is_saying(&word) {
            return Ok(values);
        }
        loop {
            let (value, text) = self.value()?;
            values.push(NotedValue { text, value });
            self.skip_blanks();
            if !self.rest().starts_with(',') {
                return Ok(values);
            }
            self.at += 1;
        }
    }
}

fn is_saying(word: &str) -> bool {
    ["if", "from", "every", "once", "note"].iter().any(|known| word.eq_ignore_ascii_case(known))
}
