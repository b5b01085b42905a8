//! What things are called in words, once for screens, command line and editor services.
//!
//! Everything here is told from data that `effects`, `session` and the image hold; nothing is computed anew.

use crate::effects::{Effects, FileChange};
use crate::held::{cell, typed_words};
use crate::instruction::instruction_text;
use crate::journey::State;
use crate::numbers::counted;
use crate::session::{ByHand, Dropped, Session};
use crate::stops::Thing;
use std::fmt::Write as _;
use wendax_image::Image;
use wendax_isa::Target;
use wendax_isa::{Addr, DeviceKind, Reg};
use wendax_machine::{Awaited, Came, Event, FileDeed, FileMode, Interrupt, LEVERS, StepKind, Writer};

/// An address with its name: `0x0310 (total)`.
pub fn place(image: &Image, target: &Target, address: Addr) -> String {
    let hex = target.marked_address(address);
    match image.place_name(address) {
        Some(name) => format!("{hex} ({name})"),
        None => hex,
    }
}

/// That a register is read which was never set: as the warning has it while writing.
pub(crate) fn never_set_words(register: &str, value: &str) -> String {
    format!("nothing sets `{register}` before it is read: it holds {value} by chance")
}

/// The line an address belongs to: `line 12`, or `totals.asm:12` when it is another file's than that of the present
/// instruction.
pub fn line_words(session: &Session, address: Addr) -> Option<String> {
    let line = session.image().line_at(address)?;
    let here = session.image().line_at(session.present_address()).map(|line| line.span.file);
    let file = session.sources().get(line.span.file).map_or("", |file| file.name());
    let name = file.rsplit('/').next().unwrap_or(file);
    let other = here.is_some_and(|here| here != line.span.file) && !name.is_empty();
    Some(if other { format!("{name}:{}", line.line) } else { format!("line {}", line.line) })
}

/// An instruction as it is written, and its line: "`ret` on line 12".
pub(crate) fn told(session: &Session, address: Addr) -> String {
    let text = instruction_text(session, address);
    let line = line_words(session, address);
    match (text, line) {
        (Some(text), Some(line)) => format!("`{text}` on {line}"),
        (Some(text), None) => format!("`{text}` at {}", session.machine().target().marked_address(address)),
        (None, Some(line)) => line,
        (None, None) => format!("what stood at {}", session.machine().target().marked_address(address)),
    }
}

/// The lines some addresses belong to: `line 3`, `lines 3 to 7`, or the addresses where there are no lines.
pub fn lines_words(session: &Session, addresses: &[Addr]) -> String {
    let lines: Vec<u32> =
        addresses.iter().filter_map(|&at| session.image().line_at(at)).map(|line| line.line).collect();
    match (lines.iter().min(), lines.iter().max(), addresses) {
        (Some(first), Some(last), _) if first == last => format!("line {first}"),
        (Some(first), Some(last), _) => format!("lines {first} to {last}"),
        (_, _, [first, .., last]) => {
            let target = session.machine().target();
            format!("{} to {}", target.marked_address(*first), target.marked_address(*last))
        }
        (_, _, [only]) => session.machine().target().marked_address(*only),
        _ => String::new(),
    }
}

/// What the program is doing, beyond what its name says: which lines repeat, what it waits for. Empty where there is
/// nothing to add.
pub fn state_words(session: &Session) -> String {
    let round = |period: u64| {
        let lines = lines_words(session, session.round());
        if period == 1 {
            format!("{lines} jumps to itself")
        } else {
            format!("{lines} repeat one state every {period} steps")
        }
    };
    match *session.state() {
        State::Circling { period } => format!("{} for ever", round(period)),
        State::Idle { period, awaited } => format!("waits for {}: {}", awaited_words(awaited), round(period)),
        _ => String::new(),
    }
}

/// What a program waits for.
pub(crate) fn awaited_words(awaited: Awaited) -> &'static str {
    match (awaited.console, awaited.levers) {
        (true, true) => "a key or a lever",
        (false, true) => "a lever",
        _ => "a key",
    }
}

/// What a new branch left behind; empty when nothing.
pub fn dropped_words(dropped: Dropped) -> String {
    let parts = [
        (dropped.steps, "step", "steps"),
        (dropped.typed as u64, "input", "inputs"),
        (dropped.edits as u64, "change by hand", "changes by hand"),
    ];
    let parts: Vec<String> =
        parts.iter().filter(|(count, ..)| *count > 0).map(|(count, one, many)| counted(*count, one, many)).collect();
    if parts.is_empty() {
        String::new()
    } else {
        format!("a new branch begins here; dropped ahead: {}", parts.join(", "))
    }
}

/// A change by hand: `r0 was 120, set by hand to 5`.
pub fn by_hand_words(session: &Session, change: &ByHand) -> String {
    let target = session.machine().target();
    if let (Event::Levers(now), Some(was)) = (&change.event, change.was) {
        return lever_words(was, *now);
    }
    if let Event::SetRegister(register, value) = change.event {
        let (was, now) = register_words(session, register, change.was, value);
        return format!("{} was {was}, set by hand to {now}", target.register_name(register));
    }
    if let Event::SetFlags(now) = &change.event {
        let was = change.was.unwrap_or(0);
        let told = target.flags.iter().filter(|flag| (was ^ now) & flag.bit != 0).map(|flag| {
            let is = |flags: u32| u8::from(flags & flag.bit != 0);
            format!("{} was {}, set by hand to {}", flag.name, is(was), is(*now))
        });
        let told: Vec<String> = told.collect();
        return if told.is_empty() { "the flags stay as they are".to_owned() } else { told.join("; ") };
    }
    let (name, new) = match change.event {
        Event::SetByte(address, value) => (format!("[{}]", target.marked_address(address)), value.to_string()),
        Event::Levers(levers) => ("the levers".to_owned(), target.marked(levers)),
        // The former was told above, and the others are no changes by hand.
        Event::SetRegister(..) | Event::SetFlags(_) | Event::Typed(_) | Event::InputEnds => return String::new(),
        Event::Clock(_) | Event::Waited | Event::File(..) => return String::new(),
    };
    let was = match (change.was, &change.event) {
        (None, _) => "not set".to_owned(),
        (Some(was), Event::Levers(_)) => target.marked(was),
        (Some(was), _) => was.to_string(),
    };
    let verb = if matches!(change.event, Event::Levers(_)) { "were" } else { "was" };
    format!("{name} {verb} {was}, set by hand to {new}")
}

/// Levers that were moved: `lever 4 moved up`.
fn lever_words(was: u32, now: u32) -> String {
    let moved = (0..LEVERS).filter(|number| (was ^ now) >> number & 1 != 0);
    let words: Vec<String> = moved
        .map(|number| format!("lever {number} moved {}", if now >> number & 1 != 0 { "up" } else { "down" }))
        .collect();
    if words.is_empty() { "the levers stay as they are".to_owned() } else { words.join(", ") }
}

/// What came from outside did to a device register: `lever 4 moved up`, `console state 0x0002 → 0x0003`.
pub(crate) fn came_words(target: &Target, came: &Came) -> String {
    if target.device(came.address).is_some_and(|device| device.kind == DeviceKind::Levers) {
        return lever_words(came.old, came.new);
    }
    let name = device_name(target, came.address);
    format!("{name} {} → {}", target.marked(came.old), target.marked(came.new))
}

pub(crate) fn device_name(target: &Target, address: Addr) -> String {
    target.device(address).map_or_else(|| target.marked_address(address), |device| device.name.to_owned())
}

/// A word where it stands among decimal numbers: with its value as a signed number when that is another one.
pub fn number_words(target: &Target, value: u32) -> String {
    let signed = target.signed(value);
    if signed < 0 { format!("{value} ({signed})") } else { value.to_string() }
}

/// What was there and what is there now, in one base: addresses in hexadecimal when one of them is the address of a label or
/// `holds_address`, else numbers.
fn both_words(session: &Session, holds_address: bool, was: Option<u32>, now: u32) -> (String, String) {
    let target = session.machine().target();
    let is_address = holds_address || is_label(session, now) || was.is_some_and(|was| is_label(session, was));
    let words = |value: u32| if is_address { target.marked(value) } else { number_words(target, value) };
    (was.map_or("not set".to_owned(), words), words(now))
}

/// What a thing was and is, in one base: `120 → 0`, `0x0430 → 0x0300`; of what was never set it is said.
pub fn values_words(session: &Session, thing: Thing, was: Option<u32>, now: u32) -> (String, String) {
    let word = session.machine().target().word_bytes();
    match thing {
        Thing::Register(register) => register_words(session, register, was, now),
        Thing::Cells(from, to) if to - from == word => both_words(session, false, was, now),
        Thing::Flag(_) | Thing::Cells(..) => (was.map_or("not set".to_owned(), |was| was.to_string()), now.to_string()),
    }
}

/// The same for a register: some hold addresses by their role.
fn register_words(session: &Session, register: Reg, was: Option<u32>, now: u32) -> (String, String) {
    let roles = &session.machine().target().roles;
    both_words(session, [Some(roles.stack), roles.frame, roles.link].contains(&Some(register)), was, now)
}

/// A word is the address of a label, of one behind the vectors, where small numbers are no places any more.
fn is_label(session: &Session, word: u32) -> bool {
    let address = Addr(word);
    address >= session.machine().target().map.vectors_end && session.image().label_at(address).is_some()
}

/// What a step was when it was more than an instruction: `interrupt timer (8) → 0x0220 (tick)`.
fn kind_words(session: &Session, effects: &Effects) -> Option<String> {
    let target = session.machine().target();
    let handler = || place(session.image(), target, effects.next);
    match effects.kind {
        StepKind::Instruction | StepKind::Call(_) => None,
        StepKind::Interrupt(number) => Some(format!("interrupt {} → {}", target.interrupt_name(number), handler())),
        StepKind::Trap(number) => Some(format!("trap {} → {}", target.trap_name(number), handler())),
    }
}

/// Every change of a step or stride, old and new, each in a few words.
pub fn change_words(session: &Session, effects: &Effects) -> Vec<String> {
    let target = session.machine().target();
    let mut changes: Vec<String> = effects.came.iter().map(|came| came_words(target, came)).collect();
    if effects.steps == 1 {
        changes.extend(kind_words(session, effects));
    }
    for change in &effects.registers {
        let name = target.register_name(change.register);
        let was = change.was_known.then_some(change.old);
        let (old, new) = register_words(session, change.register, was, change.new);
        let is_same = was == Some(change.new);
        changes.push(if is_same { format!("{name} {new} again") } else { format!("{name} {old} → {new}") });
    }
    if let Some(why) = failure(target, effects).filter(|_| effects.steps == 1) {
        changes.push(format!("the call failed: {why}"));
    }
    let stack = session.machine().stack_pointer();
    for change in &effects.memory {
        let end = change.address + u32::try_from(change.new.len()).unwrap_or(0);
        if effects.steps > 1
            && (target.map.stack_start..=stack).contains(&end)
            && change.address >= target.map.stack_start
        {
            changes.push(format!("{} left below sp", counted(change.new.len() as u64, "byte", "bytes")));
            continue;
        }
        let bytes = u32::try_from(change.new.len()).unwrap_or(1);
        // What stands in a frame has its names only while the routine is there that stored it.
        let is_here = effects.steps == 1 && effects.step + 1 == session.now();
        let next = if is_here { effects.pc } else { Addr::FIRST };
        let cell = cell(session, next, change.address, bytes);
        let of = cell.as_ref().and_then(|cell| cell.of);
        let name = cell.map_or_else(|| target.marked_address(change.address), |cell| cell.name);
        let word = target.word_bytes() as usize;
        let was = change.was_known.then(|| change.old_value(target));
        let (old, new) = match typed_words(session, of, change.new_value(target)) {
            Some(new) => {
                let old = was.and_then(|was| typed_words(session, of, was));
                (old.unwrap_or_else(|| "not set".to_owned()), new)
            }
            None => values_words(session, Thing::Cells(change.address, end), was, change.new_value(target)),
        };
        changes.push(match (change.new.len() > word, was == Some(change.new_value(target))) {
            (true, _) => format!("{} bytes at {name}", change.new.len()),
            (_, true) => format!("[{name}] {new} again"),
            (_, false) => format!("[{name}] {old} → {new}"),
        });
    }
    let is_entry = matches!(effects.kind, StepKind::Trap(_) | StepKind::Interrupt(_));
    for change in effects.devices.iter().filter(|change| !is_entry || change.old != change.new) {
        let name = device_name(target, change.address);
        changes.push(if change.old == change.new {
            format!("{name} {} again", target.marked(change.new))
        } else {
            format!("{name} {} → {}", target.marked(change.old), target.marked(change.new))
        });
    }
    for flag in target.flags {
        let (old, new) = (effects.flags.old & flag.bit != 0, effects.flags.new & flag.bit != 0);
        if old != new {
            changes.push(format!("{} {} → {}", flag.name, u8::from(old), u8::from(new)));
        }
    }
    if effects.printed > 0 {
        const SHOWN: usize = 12;
        let text: String = String::from_utf8_lossy(&effects.output).chars().take(SHOWN).collect();
        let mut words = format!("printed {text:?}");
        if effects.printed > text.len() as u64 {
            let _ = write!(words, "… ({} bytes)", effects.printed);
        }
        changes.push(words);
    }
    if effects.consumed > 0 {
        changes.push(format!("{} of input taken", counted(effects.consumed, "byte", "bytes")));
    }
    changes.extend(effects.file.as_ref().map(|(path, deed)| file_words(path, deed)));
    changes.extend(effects.files.iter().map(|(path, change)| match change {
        FileChange::Written(count) => format!("{path} written: it has {}", counted(*count as u64, "byte", "bytes")),
        FileChange::Opened => format!("{path} opened"),
        FileChange::Closed => format!("{path} closed"),
        FileChange::Moved(place) => format!("{path} goes on at {place}"),
    }));
    // A stride sounds as often as its steps did.
    let here = effects.step..effects.step + effects.steps;
    let tones = session.tones().iter().filter(|tone| effects.steps > 1 && here.contains(&tone.step)).count();
    changes.extend((tones > 0).then(|| counted(tones as u64, "tone", "tones")));
    changes.extend(effects.tone.map(|(hertz, milliseconds)| format!("sounded {}", tone_words(hertz, milliseconds))));
    if effects.expired {
        changes.push("the timer expired by itself".to_owned());
    }
    changes
}

/// How an interrupt stands: `may come`, `waits: interrupts are off since `di` on line 7`.
pub fn interrupt_words(session: &Session, interrupt: &Interrupt) -> String {
    let machine = session.machine();
    let target = machine.target();
    let allowed = machine.interrupts_allowed();
    let vector = || match target.map.vectors_end {
        Addr::FIRST => "mtvec".to_owned(),
        _ => format!("its vector at {}", target.marked_address(target.vector_of(interrupt.number))),
    };
    match (interrupt.asks, interrupt.handler) {
        (true, None) => format!("waits: it has no handler, since {} is 0", vector()),
        (true, Some(_)) if !allowed => format!("waits: interrupts are off{}", off_since(session)),
        (true, Some(_)) => {
            let urgent = machine.interrupts().into_iter().find(|other| other.asks && other.handler.is_some());
            match urgent.filter(|urgent| urgent.number != interrupt.number) {
                Some(urgent) => format!("waits: {} is more urgent", target.interrupt_name(urgent.number)),
                None => "comes next".to_owned(),
            }
        }
        (false, _) if !interrupt.is_on && target.map.vectors_end == Addr::FIRST => {
            "off: mie does not enable it".to_owned()
        }
        (false, _) if !interrupt.is_on => "off: its device does not ask".to_owned(),
        (false, None) => format!("may ask, and has no handler: {} is 0", vector()),
        (false, Some(_)) if allowed => "may come".to_owned(),
        (false, Some(_)) => format!("may ask; interrupts are off{}", off_since(session)),
    }
}

/// Who forbade interrupts.
fn off_since(session: &Session) -> String {
    let machine = session.machine();
    let Some(bit) = machine.target().interrupts_flag else { return String::new() };
    match machine.flag_writer(bit) {
        None => ", as at the start".to_owned(),
        Some(Writer::Person) => ", set by hand".to_owned(),
        Some(Writer::Entry(number)) => format!(" since the entry of {}", machine.target().trap_name(number)),
        Some(Writer::Instruction(address)) => format!(" since {}", told(session, address)),
    }
}

/// What was done with a file: `12 bytes written to report.txt at 40`.
pub fn file_words(path: &str, deed: &FileDeed) -> String {
    let bytes = |count: usize| counted(count as u64, "byte", "bytes");
    match deed {
        FileDeed::Opened(FileMode::Read) => format!("{path} opened to be read"),
        FileDeed::Opened(FileMode::Write) => format!("{path} opened to be written anew"),
        FileDeed::Opened(FileMode::Append) => format!("{path} opened to be written on"),
        FileDeed::Closed => format!("{path} closed"),
        FileDeed::Read(_, 0) => format!("nothing read: {path} is at its end"),
        FileDeed::Read(from, count) => format!("{} read from {path} at {from}", bytes(*count)),
        FileDeed::Written(from, count) => format!("{} written to {path} at {from}", bytes(*count)),
        FileDeed::Sought(place) => format!("{path} goes on at {place}"),
    }
}

/// A tone: `440 Hz (A4) for 200 ms`.
pub fn tone_words(hertz: u32, milliseconds: u32) -> String {
    match note_name(hertz) {
        Some(note) => format!("{hertz} Hz ({note}) for {milliseconds} ms"),
        None if hertz == 0 => format!("silence for {milliseconds} ms"),
        None => format!("{hertz} Hz for {milliseconds} ms"),
    }
}

/// The nearest note of the scale of equal temperament with A4 at 440 Hz (ISO 16), by name; none for what is no tone.
pub fn note_name(hertz: u32) -> Option<String> {
    const NAMES: [&str; 12] = ["C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B"];
    let halves = (f64::from(hertz) / 440.0).log2() * 12.0;
    if !(16..=20_000).contains(&hertz) {
        return None;
    }
    // A4 is the 57th half tone above C0.
    let place = (1..=130).min_by(|a, b| {
        let far = |place: i32| (f64::from(place - 57) - halves).abs();
        far(*a).total_cmp(&far(*b))
    })?;
    let name = NAMES[usize::try_from(place % 12).ok()?];
    Some(format!("{name}{}", place / 12))
}

/// Why a system call failed, if it did. Calls that say so with a negative number have the numbers of the open standard.
pub(crate) fn failure(target: &Target, effects: &Effects) -> Option<String> {
    let StepKind::Call(number) = effects.kind else { return None };
    effects.failed.then(|| {
        let value = |register: Option<&Reg>| {
            let change = register.and_then(|register| effects.register(*register));
            change.map_or(0, |change| change.new)
        };
        let results = target.roles.results;
        // Where there are no flags the code stands beside the result, or is it.
        if !target.flags.is_empty() {
            target.error(value(results.first())).to_owned()
        } else if target.call(number).is_some_and(|call| call.is_own) {
            target.error(value(results.get(1))).to_owned()
        } else {
            let number = value(results.first()).wrapping_neg();
            format!("{} ({number})", (target.errno)(number))
        }
    })
}
