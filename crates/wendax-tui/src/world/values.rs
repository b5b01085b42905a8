//! What people write where a step, an address or a value is asked for.

use super::World;
use super::names::names_of;
use super::stops::Place;
use wendax_language::{BoundValue, ValueError};
use wendax_machine::{Addr, CellState, Event, Reg, RegionKind, StepNo};
use wendax_session::{At, Dropped, Session, State, StopAt, Thing, Where, region_name};

/// What the memory pane shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Lens {
    /// From the start of the data on.
    Data,
    /// From an address on.
    At(Addr),
    /// Around what a register points to.
    Register(Reg),
    /// From a label on, wherever it moves.
    Label(String),
}

impl World {
    /// `120`, or `+3` and `-3` from the present step.
    pub(crate) fn step_asked_for(&self, text: &str) -> Result<StepNo, String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        let (now, end) = (session.now(), session.end());
        let clean = text.replace('_', "");
        let digits = clean.trim_start_matches(['+', '-']);
        let number: u64 =
            digits.parse().map_err(|_| format!("`{text}` is no step number; write 120, or +3 and -3 from here"))?;
        let step = match clean.chars().next() {
            Some('+') => now.saturating_add(number),
            Some('-') => {
                now.checked_sub(number).ok_or_else(|| format!("there are only {now} steps before this one"))?
            }
            _ => StepNo(number),
        };
        if step > end && matches!(session.state(), State::Finished(_)) {
            return Err(format!("the program ended after step {end}; there is no step {step}"));
        }
        if step < session.oldest() {
            return Err(format!("the past before step {} is no longer kept", session.oldest()));
        }
        Ok(step)
    }

    /// A moment of the run that is there, in words, with what it is called: a pin, a step, `start`, `end`, the `entry` of the
    /// present routine, the same place one `round` earlier.
    pub(crate) fn moment_beside(&self, text: &str) -> Result<(StepNo, String), String> {
        let session = self.asked()?;
        let word = text.trim();
        if let Some(pin) = session.pins().iter().find(|pin| pin.name == word) {
            return Ok((pin.step, format!("{} (step {})", pin.name, pin.step)));
        }
        match word {
            "start" => Ok((session.oldest(), "the start".to_owned())),
            "end" => Ok((session.end(), "the end".to_owned())),
            "entry" => {
                let frame = session.machine().frames().last().ok_or("no routine was entered here")?;
                Ok((frame.step + 1, "the entry of the routine".to_owned()))
            }
            "round" => {
                let step = session.last_arrival(session.machine().pc()).ok_or("this place was not come to before")?;
                Ok((step, "one round earlier".to_owned()))
            }
            _ => {
                let is_number = word.trim_start_matches(['+', '-']).starts_with(|sign: char| sign.is_ascii_digit());
                let known: Vec<&str> = session.pins().iter().map(|pin| pin.name.as_str()).collect();
                let pins = if known.is_empty() { "there are no pins yet".to_owned() } else { known.join(", ") };
                if !is_number {
                    return Err(format!("`{word}` is no pin ({pins}), step, start, end, entry or round"));
                }
                let step = self.step_asked_for(word)?;
                if step > session.end() {
                    Err(format!("the run has come to step {}", session.end()))
                } else {
                    Ok((step, String::new()))
                }
            }
        }
    }

    /// A moment in words: a step, `start`, `now`, `end`. The end is where the run will have come to.
    pub(crate) fn moment_asked_for(&self, text: &str) -> Result<StepNo, String> {
        let session = self.asked()?;
        match text.trim() {
            "start" => Ok(session.oldest()),
            "now" => Ok(session.now()),
            "end" => Ok(StepNo::LAST),
            word => {
                let number = word.replace(['_', ' '], "").parse().map(StepNo);
                number.map_err(|_| format!("`{word}` is no step: a number, start, now or end"))
            }
        }
    }

    /// The run that what is written is asked of.
    fn asked(&self) -> Result<&Session, String> {
        self.walk.session.as_ref().ok_or_else(|| "there is no program yet".to_owned())
    }

    /// An expression with its names looked up.
    pub(crate) fn read_value(&self, text: &str) -> Result<BoundValue, String> {
        names_of(self.asked()?).read(text).map_err(told)
    }

    /// The value of an expression now.
    pub(crate) fn value_of(&self, text: &str) -> Result<i64, String> {
        self.read_value(text)?.value(&At::new(self.asked()?.machine())).map_err(told)
    }

    pub(crate) fn lens_for(&self, text: &str) -> Result<Lens, String> {
        let session = self.walk.session.as_ref().ok_or("there is no program yet")?;
        if text.is_empty() {
            return Ok(Lens::Data);
        }
        if let Some(register) = session.machine().target().register(text) {
            return Ok(Lens::Register(register));
        }
        match session.image().symbols_named(text).len() {
            0 => {}
            1 => return Ok(Lens::Label(text.to_owned())),
            // What it means here stays shown, also where another file means something else by it.
            _ => return self.address(text).map(Lens::At),
        }
        let regions = session.machine().regions();
        let region = regions.iter().find(|region| region_name(region.kind).eq_ignore_ascii_case(text));
        match region {
            Some(region) if region.kind == RegionKind::Stack => {
                Ok(Lens::Register(session.machine().target().roles.stack))
            }
            Some(region) => Ok(Lens::At(region.start)),
            None if text.eq_ignore_ascii_case("heap") => {
                Err("the program has no heap yet: it asks for memory first".to_owned())
            }
            None => self.address(text).map(Lens::At),
        }
    }

    /// An address by an expression, or the instruction of a line: `main.asm:12`.
    pub(crate) fn address(&self, text: &str) -> Result<Addr, String> {
        if let Some((file, line)) = text.rsplit_once(':')
            && let Ok(line) = line.trim().parse::<u32>()
        {
            let named = |name: &str| name == file || name.rsplit('/').next() == Some(file);
            let document = self.documents.iter().find(|(_, document)| named(&document.name));
            let (document, _) = document.ok_or_else(|| format!("no file of the program is named `{file}`"))?;
            let place = Place::Line { document, line: (line as usize).saturating_sub(1) };
            return self
                .address_of(&place)
                .ok_or_else(|| format!("there is no instruction on line {line} or below it"));
        }
        let value = self.value_of(text)?;
        let mask = self.asked()?.machine().target().address_mask();
        if !(0..=i64::from(mask)).contains(&value) {
            return Err(format!("addresses go from 0 to 0x{mask:X}, and this is {value}"));
        }
        Addr::try_from(value).map_err(|error| error.to_string())
    }

    /// `r1 = 5`, `[r6 + 2] = 'H'`, `total = total + 1`, `byte [text] = 0`, `Z = 1`: a register, a flag, or memory.
    pub(crate) fn set_value(&mut self, text: &str) -> Result<Dropped, String> {
        const ENDED: &str = "the program has ended; go back a step, and set it there";
        const FORM: &str = "write `{argument} = 5`, `total = 0x30` for a word of memory, or `byte [total] = 7`";
        let target = self.program.assembly.image.target;
        let (mut place, mut value) = assignment(text).ok_or_else(|| target.spoken(FORM))?;
        // What was proposed may stand before a whole assignment.
        if let Some(whole) = assignment(value) {
            (place, value) = whole;
        }
        let value = self.value_of(value)?;
        let place = self.place_to_set(place)?;
        let session = self.walk.session.as_mut().ok_or("there is no program yet")?;
        let target = session.machine().target();
        let bits = match place {
            Settable::Flag(_) => 1,
            Settable::Memory(_, bytes) if bytes > target.word_bytes() => {
                return Err("a word is set by hand at most: name a part of it".to_owned());
            }
            Settable::Memory(_, bytes) => 8 * bytes,
            Settable::Register(_) => target.word_bits,
        };
        if value < -(1 << (bits - 1)) || value >= 1 << bits {
            let are = if bits == 1 { "bit" } else { "bits" };
            return Err(format!("{value} does not fit {bits} {are}"));
        }
        let value = u32::try_from(value & i64::from(target.word_mask())).unwrap_or(0);
        let mut dropped = Dropped::default();
        match place {
            Settable::Register(register) => {
                dropped = session.edit(Event::SetRegister(register, value)).ok_or(ENDED)?;
            }
            Settable::Flag(bit) => {
                let flags = session.machine().flags();
                let flags = if value & 1 == 0 { flags & !bit } else { flags | bit };
                dropped = session.edit(Event::SetFlags(flags)).ok_or(ENDED)?;
            }
            Settable::Memory(address, count) => {
                for offset in 0..count {
                    let cell = session.machine().cell(address + offset);
                    if !matches!(cell, CellState::Known | CellState::NeverWritten) {
                        let more = if target.device(address).is_some() {
                            "a device register, which the program writes; levers are moved with 0 to 9 where the board is shown"
                        } else {
                            "no memory of the program"
                        };
                        return Err(format!("{} cannot be set: it is {more}", target.marked_address(address + offset)));
                    }
                }
                for (offset, byte) in (0..count).zip(value.to_le_bytes()) {
                    let more = session.edit(Event::SetByte(address + offset, byte.into())).ok_or(ENDED)?;
                    // What lay ahead went with the first byte.
                    if offset == 0 {
                        dropped = more;
                    }
                }
            }
        }
        Ok(dropped)
    }

    /// What is to be set: `r1`, `Z`, `total`, `[r6 + 2]`, `byte total`, `byte [text]`.
    pub(super) fn place_to_set(&self, text: &str) -> Result<Settable, String> {
        let session = self.asked()?;
        let target = session.machine().target();
        if let Some(register) = target.register(text) {
            return Ok(Settable::Register(register));
        }
        if let Some(flag) = target.flags.iter().find(|flag| text.len() == 1 && text.starts_with(flag.name)) {
            return Ok(Settable::Flag(flag.bit));
        }
        if text.eq_ignore_ascii_case("pc") {
            return Err("pc is not set by hand: go to a line with `.` or to a step with `t`".to_owned());
        }
        if matches!(text, "step" | "cycles") && session.image().symbol(text).is_none() {
            return Err(format!("{text} is not set by hand: `t` goes to a step, and what lies between them is done"));
        }
        // `byte total` is a place too, though no value.
        let read = self.read_value(text);
        let now = At::new(session.machine());
        if let Some(place) = read.ok().and_then(|read| read.place(&now)) {
            let (address, width) = place.map_err(told)?;
            let address =
                Addr::try_from(address & i64::from(target.address_mask())).map_err(|error| error.to_string())?;
            return Ok(Settable::Memory(address, width.bytes(target.word_bytes())));
        }
        let (is_byte, rest) = match text.strip_prefix("byte ") {
            Some(rest) => (true, rest.trim()),
            None => (false, text),
        };
        self.address(rest).map(|address| Settable::Memory(address, if is_byte { 1 } else { target.word_bytes() }))
    }

    /// Something that can be written and read, by a value that is a place now.
    pub(crate) fn thing_asked_for(&self, text: &str) -> Result<Thing, String> {
        let session = self.asked()?;
        let names = names_of(session);
        let target = session.machine().target();
        if let Some(place) = names.read(text).ok().and_then(|value| value.place(&At::new(session.machine()))) {
            let (address, width) = place.map_err(told)?;
            let address =
                Addr::try_from(address & i64::from(target.address_mask())).map_err(|error| error.to_string())?;
            return Ok(Thing::Cells(address, address + width.bytes(target.word_bytes())));
        }
        let place = StopAt::read(&format!("change {text}"), &names, session.sources()).map_err(told)?.place;
        if let Where::Touched(_, thing) = place {
            return Ok(thing);
        }
        let right = target.spoken("{argument}, {flags}Z, {end}total, [{kept} + 4], byte [text]");
        Err(format!("`{text}` is nothing that is written and read: {right}"))
    }

    /// Names that begin so and can stand in an expression, for those who write one.
    pub(crate) fn names_beginning(&self, text: &str) -> Vec<String> {
        let Ok(session) = self.asked() else { return Vec::new() };
        let target = session.machine().target();
        let registers = target.registers().map(|(_, info)| info.name.to_owned());
        let labels = session.image().symbols.iter().map(|symbol| symbol.name.clone());
        let variables = session.image().variables.names().map(str::to_owned);
        let mut names: Vec<String> =
            registers.chain(labels).chain(variables).filter(|name| name.starts_with(text) && name != text).collect();
        names.sort_unstable();
        names.dedup();
        names
    }
}

/// Something that can be set by hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Settable {
    Register(Reg),
    /// By its bit.
    Flag(u32),
    /// From an address on, so many bytes.
    Memory(Addr, u32),
}

/// The two sides of the `=` that is none of `==`, `<=`, `>=` and `!=`.
pub(super) fn assignment(text: &str) -> Option<(&str, &str)> {
    let bytes = text.as_bytes();
    let is_alone = |at: usize| {
        let before = at.checked_sub(1).and_then(|at| bytes.get(at));
        bytes[at] == b'=' && bytes.get(at + 1) != Some(&b'=') && !matches!(before, Some(b'=' | b'<' | b'>' | b'!'))
    };
    let at = (0..bytes.len()).find(|&at| is_alone(at))?;
    Some((text[..at].trim(), text[at + 1..].trim()))
}

fn told(error: ValueError) -> String {
    error.message
}
