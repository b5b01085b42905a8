//! Data in cells: bytes, words, a table or a text, with addresses, and arrows from words that point to cells shown; at one
//! moment or at several, numbered.

use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length, text_width};
use wendax_isa::{Addr, StepNo, Target};
use wendax_session::{Cells, Held, Reading};

/// Data at a moment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// The moment.
    pub step: StepNo,
    /// What it was come to by, in words; empty when there is nothing to say.
    pub words: String,
    /// What was there.
    pub reading: Reading,
}

/// The width of a cell of a word at least, and of a byte.
const WORD: f32 = 66.0;
const BYTE: f32 = 40.0;
const HIGH: f32 = 30.0;
/// Cells in a row.
const ACROSS: usize = 12;

/// The drawing of some data in several pictures.
pub fn data(name: &str, pictures: &[Picture], target: &Target) -> Scene {
    let note = match pictures {
        [only] => format!("at step {}", only.step),
        several => format!("at {} moments", several.len()),
    };
    let mut scene = Scene::new(name, &note);
    let mut y = TOP;
    let mut before: Option<&Cells> = None;
    for (index, picture) in pictures.iter().enumerate() {
        if pictures.len() > 1 {
            let words = if picture.words.is_empty() { String::new() } else { format!(": {}", picture.words) };
            scene.put((MARGIN, y + 12.0), &format!("{}   step {}{words}", index + 1, picture.step), Ink::Quiet);
            y += 24.0;
        }
        match &picture.reading {
            Reading::Cells(cells) => {
                y = grid(&mut scene, y, cells, before, (target, false));
                before = Some(cells);
            }
            Reading::Text(address, text) => {
                let values = text.bytes().map(|byte| Some(u32::from(byte))).collect();
                let cells = Cells { address: *address, parts: vec![1], values, is_signed: false };
                y = grid(&mut scene, y, &cells, before, (target, true));
            }
            Reading::Held(address, held) => {
                let Held::Parts(parts) = held else {
                    scene.put((MARGIN, y + LINE), &format!("{name} = {}", held.line()), Ink::Text);
                    y += LINE + 18.0;
                    continue;
                };
                scene.put((MARGIN, y + LINE), &format!("{name}, at {}", target.marked_address(*address)), Ink::Quiet);
                y += LINE;
                for (part, held) in parts {
                    scene.put((MARGIN + 18.0, y + LINE), &format!("{part} = {}", held.line()), Ink::Text);
                    y += LINE;
                }
            }
            Reading::Number(_, text) => {
                scene.put((MARGIN, y + LINE), &format!("{name} = {text}"), Ink::Text);
                y += LINE;
            }
            Reading::Nothing(why) => {
                scene.put((MARGIN, y + LINE), &format!("{name}: {why}"), Ink::Text);
                y += LINE;
            }
        }
        y += 18.0;
    }
    scene.finished()
}

/// Cells in rows; those that differ from before stand out. Returns how far down they go.
fn grid(scene: &mut Scene, top: f32, cells: &Cells, before: Option<&Cells>, (target, is_text): (&Target, bool)) -> f32 {
    let left = MARGIN + text_width(&target.hex_address(Addr::FIRST), SIZE) + 20.0;
    let size_of = |index: usize| cells.parts[index % cells.parts.len().max(1)];
    let across = match cells.parts.as_slice() {
        [1] => 16,
        // Wider ones are fewer in a row.
        [size] if *size > 2 => ACROSS / 2 + 2,
        [_] | [] => ACROSS,
        parts => parts.len(),
    };
    // As wide as its digits, or the longest number with its sign.
    let lowest = 1_i64 << (target.word_bits - 1);
    let longest = text_width(&target.hex(0), SIZE).max(text_width(&format!("-{lowest}"), SIZE)) + 16.0;
    let width_of = |index: usize| if size_of(index) == 1 { BYTE } else { longest.max(WORD) };
    // The rows are so far apart that arrows and addresses have room.
    let step = HIGH + 30.0;
    let place = |index: usize| {
        let (row, column) = (index / across, index % across);
        let x = left + (index - column..index).map(width_of).sum::<f32>();
        (x, top + length(row) * step)
    };
    let count = cells.values.len();
    for index in 0..count {
        let (x, y) = place(index);
        let (address, value) = (cells.address_of(index), cells.values[index]);
        let old = before.filter(|before| before.values.len() == count).map(|before| before.values[index]);
        let is_fresh = old.is_some_and(|old| old != value);
        let fill = if is_fresh { Ink::Raised } else { Ink::Ground };
        let edge = if is_fresh { Stroke::thin(Ink::Fresh).wide(2.0) } else { Stroke::thin(Ink::Rule) };
        let area = Area { x, y: y + 14.0, width: width_of(index), height: HIGH };
        scene.rectangle(area, Some(fill), Some(edge));
        if index % across == 0 {
            scene.put((MARGIN, y + 34.0), &target.hex_address(address), Ink::Place);
        }
        if across > 1 {
            let number = index.to_string();
            scene.write((x + width_of(index) / 2.0, y + 10.0), Anchor::Middle, &number, Ink::Faint, 9.0);
        }
        let byte = value.and_then(|value| u8::try_from(value).ok()).filter(|byte| is_text && byte.is_ascii_graphic());
        let text = byte
            .map_or_else(|| cells.words(index, value, target).trim().to_owned(), |byte| char::from(byte).to_string());
        let middle = x + width_of(index) / 2.0;
        scene.write((middle, y + 33.0), Anchor::Middle, &text, Ink::Text, SIZE).bold();
        if size_of(index) > 1
            && let Some(value) = value
        {
            // As bytes in the order they lie in.
            let bytes: Vec<String> =
                value.to_le_bytes().iter().take(size_of(index) as usize).map(|byte| format!("{byte:02X}")).collect();
            scene.write((middle, y + 54.0), Anchor::Middle, &bytes.join(" "), Ink::Faint, 9.0);
        }
    }
    arrows(scene, cells, &place, &width_of);
    top + length(count.div_ceil(across)) * step
}

/// Words that hold the address of a cell shown point to it.
fn arrows(scene: &mut Scene, cells: &Cells, place: &dyn Fn(usize) -> (f32, f32), width_of: &dyn Fn(usize) -> f32) {
    let count = cells.values.len();
    let at = |address: u32| (0..count).find(|&index| cells.address_of(index) == Addr(address));
    for index in (0..count).filter(|&index| cells.parts[index % cells.parts.len().max(1)] > 1) {
        let Some(to) = cells.values[index].and_then(at).filter(|&to| to != index) else { continue };
        let ((from_x, from_y), (to_x, to_y)) = (place(index), place(to));
        let (from_x, to_x) = (from_x + width_of(index) * 0.75, to_x + width_of(to) * 0.25);
        let (leaves, enters) = (from_y + 14.0, to_y + 14.0);
        let lane = leaves.min(enters) - 7.0;
        let points = if (from_y - to_y).abs() < 1.0 {
            vec![(from_x, leaves), (from_x, lane), (to_x, lane), (to_x, enters)]
        } else {
            vec![(from_x, from_y + 14.0 + HIGH), (to_x, to_y + 14.0)]
        };
        scene.path(points, Stroke::thin(Ink::Time), true);
    }
}
