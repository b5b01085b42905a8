//! Prompts: what is asked for, and what may be written.

use super::sheet;
use crate::actions::{Ask, Drawing};
use crate::app::App;
use crate::cells::wrap;
use crate::parts::field::Field;
use crate::parts::pen::Pen;
use crate::theme::Ink;
use ratatui::layout::Rect;

impl Ask {
    /// What is asked for, and what may be written.
    fn words(self) -> (&'static str, &'static str) {
        match self {
            Self::MemoryAt => (
                "memory at",
                "a label, a register to follow, wagons + 4, [r1]; data, heap, stack, devices; empty for the data",
            ),
            Self::Value => ("set", "r1 = 5    Z = 1    total = total + 1    [r6 + 2] = 'H'    byte [text] = 0"),
            Self::Step => ("to step", "the number of a step, such as 120; +3 or -3 from here"),
            Self::Line => ("to line", "the number of a line"),
            Self::History => ("changes of", "r1, Z, total, [r6 + 2], byte [text], console_state"),
            Self::FindInMemory => (
                "find in memory",
                "a word: 560, total; a byte: byte 'x'; a text: \"yard\"; y finds it further on, z before",
            ),
            Self::SaveMemory => (
                "save memory",
                "weights as bytes 32 to part.bin; any form of a watch to a file of another name: weights as words 6 to part.txt",
            ),
            Self::SaveTrail => (
                "save the trail",
                "a file: text, or .csv or .jsonl by its ending; the steps the filter lets through, else all",
            ),
            Self::SaveEvents => (
                "save the events",
                "a file of events, .jsonl: what was typed and which levers were moved in this run, to come again",
            ),
            Self::OpenEvents => (
                "events from",
                "a file of events, as `wendax run --events` takes it; a run begins anew with it; empty for none",
            ),
            Self::Send => (
                "send to a board",
                "a port: /dev/ttyUSB0, /dev/pts/7, 127.0.0.1:4000; `wendax board` in another terminal says one",
            ),
            Self::Draw(what) => match what {
                Drawing::Data => (
                    "draw data",
                    "which, and a file: wagons as words 24 to data.svg; at several steps: wagons at 0, 400, now to data.svg",
                ),
                Drawing::Run => (
                    "draw the run",
                    "a file: .svg, .pdf, or .vcd for the values alone; things to be followed before it: lamps, r7 to run.svg",
                ),
                Drawing::Arithmetic => (
                    "draw arithmetic",
                    "a file: of the present instruction; or what is reckoned before it: 40000 + 40000 to sum.svg, 0x8005 >> 3 to \
                     shift.svg",
                ),
                Drawing::Flow => (
                    "draw the flow",
                    "a file, .svg or .pdf: the routine of the cursor, with how often its ways were gone",
                ),
                Drawing::Calls => {
                    ("draw the calls", "a file, .svg or .pdf: which routine calls which, with counts and cycles")
                }
                Drawing::Tree => ("draw the calls over time", "a file, .svg or .pdf"),
                Drawing::Memory => ("draw memory", "a file, .svg or .pdf: regions, labels, what is used and touched"),
                Drawing::Stack => ("draw the stack", "a file, .svg or .pdf: each word as it is now, frame by frame"),
                Drawing::Instruction => {
                    ("draw an instruction", "a file, .svg or .pdf: the code words of the line of the cursor")
                }
                Drawing::Screen => ("draw the screen", "a file, .svg or .pdf"),
                Drawing::Pane => ("draw the pane", "a file, .svg or .pdf: the pane in focus as it is"),
                Drawing::Change => (
                    "draw the pane before and after",
                    "a file, .svg or .pdf: the pane in focus before the last step, and now",
                ),
                Drawing::Tally => (
                    "draw the tally",
                    "a file, .svg or .pdf: what the run cost; beside a kept one when that is chosen with c",
                ),
            },
            Self::KeepTally => ("keep the tally as", "a name: c in the tally sets the present run beside it"),
            Self::SaveTally => (
                "save the tally",
                "a file: .json to be kept and compared, .csv for a table, .info for the lines that ran (LCOV), else text",
            ),
            Self::OpenTally => ("tally from", "a file that was saved as .json, here or by `wendax run --tally`"),
            Self::TallyPart => {
                ("measure only", "two moments: 100 to 2000, start to now, now to end; empty for all of the run")
            }
            Self::Span => (
                "measure passages",
                "from a place to another: weigh to weigh@done, main.asm:12 to main.asm:20; one place alone is from each \
                 time it is come to until the next",
            ),
            Self::SaveTones => ("save the tones", "a sound file: tones.wav"),
            Self::Watch => (
                "watch",
                "r1, [total] as signed, weights as words 6, name as text, [r6] as hex, list as records 4 of word byte byte; \
                 forms: hex signed unsigned binary char text bytes words addresses records",
            ),
            Self::TrailFilter => (
                "the trail shows only",
                "in weigh, main.asm:5 to main.asm:9 behind `in`, op push, call, change total, read r1, print, if r2 > 5 \
                 behind any; empty for all steps",
            ),
            Self::StopAt => (
                "stop at",
                "a label, main.asm:12, change total, write r1, read Z, call put_text, trap, print \"x\", enter or leave a \
                 routine, when r1 == 5; behind it: if r2 > 3, every 10, from 3, once, note r1, total",
            ),
            Self::StopRule => (
                "what is said of the stop",
                "if r1 > 5; from 3: from the third time on; every 10; once; note r1, total: note values instead of stopping",
            ),
            Self::Until => {
                ("on until", "when r1 == 5, change total, a label, leave weigh, print, call, main.asm:12, 30 steps")
            }
            Self::BackUntil => {
                ("back until", "when r1 == 5, change total, a label, enter weigh, print, call, main.asm:12, 30 steps")
            }
            Self::Search => ("search", "any text; nothing for the same once more, as n does"),
            Self::Replace => ("replace by", "what comes in the place of what was searched for"),
            Self::Rename => ("rename", "the name under the cursor gets this spelling wherever it stands, in all files"),
            Self::Arguments => (
                "arguments",
                "words for the program, as in a shell: \"a b\" is one; R starts a run with them; empty for none",
            ),
            Self::Input => (
                "typed input",
                "what is typed when the next run asks: \\n ends a line; R starts a run with it; empty for none",
            ),
            Self::Seed => ("seed", "a number: the same seed gives the same random numbers; R starts a run with it"),
            Self::Build => (
                "build",
                "a file: .elf .hex .srec .bin, or .lst for the listing, .sym for the symbols, .map for the map of memory",
            ),
            Self::NewFile => ("new file", "its name, counted from the folder of the program: gate.asm"),
            Self::NewProject => ("new project", "the name of a folder, which is made with a manifest and a source"),
            Self::SaveAs | Self::SaveAndLeave => ("save as", "the name of the file"),
        }
    }
}

pub(super) fn draw(app: &App, pen: &mut Pen<'_>, area: Rect, ask: Ask, field: &Field) {
    let (name, hint) = ask.words();
    let hint = match ask {
        _ if ask.takes_values() => match app.completions(&field.text()).as_slice() {
            [] => hint.to_owned(),
            names => format!("Tab: {}", names.join("  ")),
        },
        Ask::Search => app.search_words(&field.text()).unwrap_or_else(|| hint.to_owned()),
        _ => hint.to_owned(),
    };
    let hints = wrap(&hint, area.width.saturating_sub(8).min(92));
    let high = 3 + u16::try_from(hints.len()).unwrap_or(1);
    let inner = sheet(pen, area, (96, high), name, "");
    field.draw(pen, Rect { height: 1, ..inner }, Ink::Text, true);
    for (y, hint) in (inner.y + 1..inner.bottom()).zip(&hints) {
        pen.text(inner.x, y, inner.width, hint, Ink::Quiet);
    }
}
