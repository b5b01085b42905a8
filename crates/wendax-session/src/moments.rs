//! Everything that happened in a run, in order of time: where it stopped, what was typed and set by hand, faults,
//! interrupts that were taken, lines that were printed.

use crate::ribbon::MarkKind;
use crate::session::{ByHand, Session};
use crate::words::{by_hand_words, place};
use wendax_isa::StepNo;
use wendax_machine::{Event, Moment};
use wendax_source::shown_sign;

/// Signs of a printed line that are told.
const TOLD: usize = 120;

/// What kind of thing happened.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum What {
    /// The run stopped at a breakpoint.
    Stop,
    /// Something was typed, or the input ended.
    Typed,
    /// A person changed the state.
    ByHand,
    /// The program failed.
    Fault,
    /// An interrupt was taken.
    Interrupt,
    /// A line was printed.
    Printed,
    /// A person gave the moment a name.
    Pin,
}

/// Something that happened in a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Happening {
    /// The step before which it happened, or which did it.
    pub step: StepNo,
    /// What kind of thing it was.
    pub what: What,
    /// What it was, in words.
    pub text: String,
}

/// How many lines and interrupts there were before those that [`happenings`] tells; the trail has them, by `print` and
/// `interrupt`.
pub fn forgotten_happenings(session: &Session) -> u64 {
    session.left.moments().forgotten
}

/// Everything that happened on the branch a walk is on, in order of step, as far as it is kept.
pub fn happenings(session: &Session) -> Vec<Happening> {
    let mut all: Vec<Happening> =
        (0..session.left.moments().list.len()).flat_map(|index| told(session, index)).collect();
    for mark in session.marks() {
        let (what, text) = match mark.kind {
            MarkKind::Stop => (What::Stop, "stopped"),
            MarkKind::Fault => (What::Fault, "the program failed"),
            MarkKind::Input | MarkKind::Edit => continue,
        };
        let at = session
            .left
            .stopped_at(mark.step)
            .map(|address| place(session.image(), session.machine().target(), address));
        let text = at.map_or_else(|| text.to_owned(), |place| format!("{text} at {place}"));
        all.push(Happening { step: mark.step, what, text });
    }
    for entry in session.entries() {
        let (what, text) = match &entry.event {
            Event::Typed(bytes) => (What::Typed, shown(bytes)),
            Event::InputEnds => (What::Typed, "the input ended".to_owned()),
            event if event.is_edit() => {
                let change = ByHand { step: entry.step, event: event.clone(), was: entry.was };
                (What::ByHand, by_hand_words(session, &change))
            }
            _ => continue,
        };
        all.push(Happening { step: entry.step, what, text });
    }
    for pin in session.pins() {
        all.push(Happening { step: pin.step, what: What::Pin, text: pin.name.clone() });
    }
    all.sort_by_key(|happening| (happening.step, happening.what));
    all
}

/// A text with its line ends left out and cut where it gets long.
fn shown(bytes: &[u8]) -> String {
    let text = String::from_utf8_lossy(bytes);
    let line: String = text.trim_end_matches('\n').chars().take(TOLD).map(shown_sign).collect();
    if line.len() < text.trim_end_matches('\n').len() { line + "…" } else { line }
}

/// The interrupt, or the lines that began with what was printed.
fn told(session: &Session, index: usize) -> Vec<Happening> {
    match session.left.moments().list[index] {
        Moment::Interrupt { step, number } => {
            let name = session.machine().target().interrupt_name(number);
            vec![Happening { step, what: What::Interrupt, text: format!("interrupt {name}") }]
        }
        Moment::Line { step, position } => {
            // What was printed by this step reaches to where the next moment of output begins.
            let next = session.left.moments().list[index + 1..].iter().find_map(|next| match next {
                Moment::Line { position: at, .. } if *at > position => Some(*at),
                _ => None,
            });
            let output = session.output_from(position);
            let length = next.map_or(output.len(), |next| usize::try_from(next - position).unwrap_or(usize::MAX));
            let own = &output[..length.min(output.len())];
            // Entries stand in order of what had been printed by then.
            let entries = session.entries();
            let here = &entries[entries.partition_point(|entry| entry.printed < position)..];
            let mut here = here.iter().take_while(|entry| entry.printed == position);
            let is_start = position == 0
                || session.output_from(position - 1).first() == Some(&b'\n')
                || here.any(|entry| matches!(entry.event, Event::Typed(_)));
            let mut starts: Vec<usize> = if is_start { vec![0] } else { Vec::new() };
            starts.extend((0..own.len()).filter(|&at| own[at] == b'\n').map(|at| at + 1));
            let lines = starts.into_iter().filter(|&start| start < own.len()).filter_map(|start| {
                // A line goes on in what is printed later, up to its end or to where something is typed.
                let begins = position + start as u64;
                let behind = &entries[entries.partition_point(|entry| entry.printed <= begins)..];
                let typed = behind.iter().find(|entry| matches!(entry.event, Event::Typed(_)));
                let stops = typed.map_or(u64::MAX, |entry| entry.printed);
                let most = usize::try_from(stops - begins).unwrap_or(usize::MAX).min(TOLD * 4);
                let line = session.output_from(begins);
                let line = line[..line.len().min(most)].split(|&byte| byte == b'\n').next().unwrap_or_default();
                (!line.is_empty()).then(|| Happening { step, what: What::Printed, text: shown(line) })
            });
            lines.collect()
        }
    }
}
