//! A program that trials are made with: what a run of it, or of one of its routines, begins with.
//!
//! A run of a routine begins with a call of it that stands in a place of its own behind the program, and is over when it comes
//! back there; registers that routines keep hold numbers that nobody else has.

use crate::table::{Cells, Chosen, Form, Limits, Row, Text};
use serde_json::Value;
use std::sync::{Arc, OnceLock};
use wendax_image::{Image, Rights, Segment};
use wendax_isa::{Addr, Reg, StepNo, Target};
use wendax_machine::{Clock, Event, Settings};
use wendax_session::{At, Names, Script, Session};
use wendax_source::{Sources, meant, nearest};

/// Bytes that the past of one run may take; over it its beginning is forgotten.
const BUDGET: usize = 32 << 20;

/// A program that was made.
#[derive(Debug, Clone)]
pub struct Subject {
    pub(crate) image: Arc<Image>,
    pub(crate) sources: Sources,
}

/// A run that is ready to begin.
#[derive(Debug, Clone)]
pub(crate) struct Begun {
    pub(crate) session: Session,
    /// Of a routine: where it comes back to.
    pub(crate) back: Option<Addr>,
    /// Of a routine: registers it has to give back, with what they hold.
    pub(crate) kept: Vec<(Reg, u32)>,
    /// The cells a routine may change.
    pub(crate) own: Vec<(Addr, Addr)>,
}

impl Subject {
    /// A program with the texts it was made of.
    pub fn new(image: impl Into<Arc<Image>>, sources: Sources) -> Self {
        Self { image: image.into(), sources }
    }

    /// The machine it is for.
    pub fn target(&self) -> &'static Target {
        self.image.target
    }

    /// Bytes of its code.
    pub(crate) fn code(&self) -> u64 {
        let code = self.image.segments.iter().filter(|part| part.rights.execute);
        code.map(|part| part.bytes.len() as u64).sum()
    }

    /// What a call of a routine needs: the program with a place to come back to, and that place.
    pub(crate) fn stage(&self, routine: Option<&str>) -> Result<Stage, String> {
        let Some(routine) = routine else {
            return Ok(Stage::new(Arc::clone(&self.image), None, UNSEEN));
        };
        let names = Names::new(&self.image, self.image.target, self.image.entry);
        let Ok(entry) = names.label(routine) else {
            return Err(format!(
                "`{routine}` is a label of several files, and not clear: `.global {routine}` in one of them makes it that one"
            ));
        };
        let Some(entry) = entry else {
            let labels = self.image.labels().filter(|label| !label.is_private()).map(|label| label.name.as_str());
            let near = meant(nearest(routine, labels));
            return Err(format!("there is no label `{routine}` in this program{near}"));
        };
        if !self.image.is_code(entry) {
            return Err(format!("`{routine}` is no routine: no code stands there"));
        }
        let mut image = Image::clone(&self.image);
        let place = free_place(&mut image).ok_or("the program leaves no room for a place to call it from")?;
        let mut bytes = (image.target.call_code)(place, entry);
        let back = place + u32::try_from(bytes.len()).unwrap_or(0);
        // What stands there is never run.
        bytes.resize(bytes.len() + image.target.longest_code as usize, 0);
        image.add(Segment { start: place, bytes, reserved: false, rights: Rights::CODE });
        image.entry = place;
        Ok(Stage::new(Arc::new(image), Some(back), UNSEEN))
    }
}

/// Bytes of a call and of what follows it, at most.
const LENGTH: u32 = 16;

/// A place for a call that the program leaves free: where a part of it ends well before the next one begins, or behind the last
/// one, and the heap begins behind that then. Machines keep tables up to the last place of code, so it is near by.
fn free_place(image: &mut Image) -> Option<Addr> {
    // Who runs past the end of code comes to where nothing is, not to this.
    let behind = |part: &Segment| Addr(part.end().0.next_multiple_of(LENGTH)) + LENGTH;
    let map = &image.target.map;
    let between = image.segments.windows(2).filter(|pair| pair[0].rights.execute).find_map(|pair| {
        let at = behind(&pair[0]);
        (at + 2 * LENGTH <= pair[1].start && pair[1].start <= image.heap_start).then_some(at)
    });
    between.or_else(|| {
        let last = image.segments.iter().filter(|part| part.end() <= map.stack_start).max_by_key(|part| part.start)?;
        let at = behind(last);
        let is_free = at + 2 * LENGTH <= map.stack_start && map.holds(at, LENGTH.into());
        if is_free {
            image.heap_start = at + 2 * LENGTH;
        }
        is_free.then_some(at)
    })
}

/// A program as a row runs it.
#[derive(Debug, Clone)]
pub(crate) struct Stage {
    image: Arc<Image>,
    back: Option<Addr>,
    /// Steps that a piece of the ribbon stands for.
    ribbon: u64,
    /// A run before its first step.
    first: OnceLock<Session>,
}

impl Stage {
    fn new(image: Arc<Image>, back: Option<Addr>, ribbon: u64) -> Self {
        Self { image, back, ribbon, first: OnceLock::new() }
    }
}

/// Of runs that nobody sees, the depth of calls is noted for so many steps at once.
const UNSEEN: u64 = 1 << 20;

impl Stage {
    /// The same for a run that is walked through.
    pub(crate) fn seen(&self) -> Self {
        Self::new(Arc::clone(&self.image), self.back, 1)
    }

    /// A run of a row, with these of its values, before its first step.
    pub(crate) fn begin(
        &self,
        subject: &Subject,
        row: &Row,
        chosen: &Chosen,
        limits: &Limits,
    ) -> Result<Begun, String> {
        let given = &row.given;
        let settings = Settings {
            arguments: given.arguments.iter().map(|text| text.with(chosen).into_bytes()).collect(),
            seed: given.seed,
            clock: Clock::Cycles,
            has_folder: !given.files.is_empty() || !row.expected.writes.is_empty(),
            ..Settings::default()
        };
        if settings.arguments.iter().any(|argument| argument.contains(&0)) {
            return Err("an argument holds a NUL, which ends it".to_owned());
        }
        // Most runs of a row are given the same settings: a run that has not begun is copied then.
        let made = || {
            Session::new(Arc::clone(&self.image), settings.clone())
                .with_sources(subject.sources.clone())
                .noting_depth_each(self.ribbon)
                .stopping_when_idle()
                .judging_the_start()
                .stopping_after_output(limits.output)
                .stopping_after_steps(StepNo(limits.steps))
                .stopping_after_milliseconds(limits.seconds.saturating_mul(1000))
                .with_budget(BUDGET)
        };
        let first = self.first.get_or_init(made);
        let mut session = if *first.machine().settings() == settings { first.clone() } else { made() };
        let (mut kept, mut own) = (Vec::new(), Vec::new());
        if self.back.is_some() {
            kept = call(&mut session, &given.with, chosen)?;
        }
        for (name, value) in &given.set {
            let target = session.machine().target();
            let register = target.register(name);
            let register =
                register.ok_or_else(|| format!("`set`: there is no register `{name}` on {}", target.name))?;
            let value = number(&session, value, chosen)?;
            session.edit(Event::SetRegister(register, word(target, value)));
            if let Some(known) = kept.iter_mut().find(|(kept, _)| *kept == register) {
                known.1 = word(target, value);
            }
        }
        for cells in &given.memory {
            own.push(put(&mut session, cells, chosen)?);
        }
        // In this order: what is compared with a reference comes first.
        for text in row.expected.leaves.iter().map(|cells| &cells.at).chain(&row.expected.touches) {
            own.push(extent(&session, text, chosen)?);
        }
        if !given.events.is_empty() {
            let lines: Vec<String> = given.events.iter().map(|event| with(event, chosen).to_string()).collect();
            let script = Script::read(&lines.join("\n"), &session);
            session.set_script(script.map_err(|error| format!("`events`, number {}: {}", error.line, error.message))?);
        }
        match &given.typed {
            Some(content) => {
                session.type_input(&content.with(chosen));
                session.end_input();
            }
            None if given.events.is_empty() && row.strike.is_none() => {
                session.end_input();
            }
            None => {}
        }
        Ok(Begun { session, back: self.back, kept, own })
    }
}

/// An event with the values of a run in it: a text that is a value alone is a number.
fn with(event: &Value, chosen: &Chosen) -> Value {
    match event {
        Value::String(text) => {
            let alone = text.strip_prefix('{').and_then(|text| text.strip_suffix('}'));
            match alone.and_then(|name| chosen.get(name.trim())) {
                Some(number) => Value::from(*number),
                None => Value::from(Text::plain(text).with(chosen)),
            }
        }
        Value::Array(list) => list.iter().map(|value| with(value, chosen)).collect(),
        Value::Object(members) => {
            Value::Object(members.iter().map(|(name, value)| (name.clone(), with(value, chosen))).collect())
        }
        Value::Null | Value::Bool(_) | Value::Number(_) => event.clone(),
    }
}

/// Sets registers as they are for a call; the registers that have to be given back, with what they hold.
fn call(session: &mut Session, with: &[Text], chosen: &Chosen) -> Result<Vec<(Reg, u32)>, String> {
    let target = session.machine().target();
    let roles = &target.roles;
    if with.len() > roles.arguments.len() {
        return Err(format!(
            "`with` has {} arguments; {} has registers for {}: set more by `memory`",
            with.len(),
            target.name,
            roles.arguments.len()
        ));
    }
    let values: Vec<u32> =
        with.iter().map(|text| Ok(word(target, number(session, text, chosen)?))).collect::<Result<_, String>>()?;
    // Nobody's numbers, so that one that was not given back is seen.
    let is_plain = |register: Reg| register != roles.stack && Some(register) != roles.link;
    let mut kept = Vec::new();
    for (register, _) in target.registers().filter(|(register, info)| info.kept && is_plain(*register)) {
        let value = word(target, 0x5EED_5A01 + 0x0101 * i64::from(register.0));
        session.edit(Event::SetRegister(register, value));
        kept.push((register, value));
    }
    kept.push((roles.stack, session.machine().stack_pointer().0));
    for (register, value) in roles.arguments.iter().zip(values) {
        session.edit(Event::SetRegister(*register, value));
    }
    Ok(kept)
}

/// A number as the machine's word has it.
pub(crate) fn word(target: &Target, value: i64) -> u32 {
    u32::try_from(value & i64::from(target.word_mask())).unwrap_or(0)
}

/// A value as it is at the present moment of a run.
pub(crate) fn number(session: &Session, text: &Text, chosen: &Chosen) -> Result<i64, String> {
    let text = text.with(chosen);
    let machine = session.machine();
    let names = Names::new(session.image(), machine.target(), session.image().entry);
    let value = names.read(&text).and_then(|value| value.value(&At::new(machine)));
    value.map_err(|error| format!("`{text}`: {}", error.message))
}

/// A place in memory.
pub(crate) fn address(session: &Session, text: &Text, chosen: &Chosen) -> Result<Addr, String> {
    let value = number(session, text, chosen)?;
    Ok(Addr(u32::try_from(value & i64::from(session.machine().target().address_mask())).unwrap_or(0)))
}

/// The cells that a label stands for, or the word at a place.
fn extent(session: &Session, text: &Text, chosen: &Chosen) -> Result<(Addr, Addr), String> {
    let target = session.machine().target();
    let names = Names::new(session.image(), target, session.image().entry);
    if let Some(extent) = names.extent(text.with(chosen).trim()) {
        return Ok(extent);
    }
    let at = address(session, text, chosen)?;
    Ok((at, at + target.word_bytes()))
}

/// The bytes that some cells are to hold.
pub(crate) fn bytes(session: &Session, cells: &Cells, chosen: &Chosen) -> Result<Vec<u8>, String> {
    let target = session.machine().target();
    let mut bytes = Vec::new();
    for text in &cells.values {
        match cells.form {
            Form::Text => {
                bytes.extend(text.with(chosen).into_bytes());
                bytes.push(0);
            }
            Form::Bytes => bytes.push(number(session, text, chosen)?.to_le_bytes()[0]),
            Form::Words => {
                let number = word(target, number(session, text, chosen)?);
                bytes.extend(number.to_le_bytes().into_iter().take(target.word_bytes() as usize));
            }
        }
    }
    Ok(bytes)
}

/// Puts what is given to memory; the cells that a routine may change by that: those of the label, and what was put there.
fn put(session: &mut Session, cells: &Cells, chosen: &Chosen) -> Result<(Addr, Addr), String> {
    let at = address(session, &cells.at, chosen)?;
    let bytes = bytes(session, cells, chosen)?;
    let label = extent(session, &cells.at, chosen)?;
    for (offset, byte) in (0..).zip(&bytes) {
        session.edit(Event::SetByte(at + offset, (*byte).into()));
    }
    let end = at + u32::try_from(bytes.len()).unwrap_or(u32::MAX);
    Ok((at, end.max(label.1)))
}
