//! An instruction's code words, taken apart field by field.

use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length};
use wendax_isa::Addr;
use wendax_machine::Field;
use wendax_session::{Session, instruction_text};

/// Where the cells begin.
const UPPER: f32 = TOP + 14.0;

const HIGH: f32 = 40.0;

/// How the cells lie: of a digit of 4 bits each, in code words; or of a bit each, in fields with the numbers of their bits.
struct Layout {
    wide: f32,
    /// Which gap each cell stands behind.
    gaps: Vec<usize>,
    gap: f32,
}

impl Layout {
    fn of(fields: &[Field], is_bits: bool) -> Self {
        let cells = || fields.iter().enumerate().flat_map(|(at, field)| field.digits.chars().map(move |_| at));
        if is_bits {
            Self { wide: 24.0, gaps: cells().collect(), gap: 10.0 }
        } else {
            Self { wide: 74.0, gaps: cells().enumerate().map(|(cell, _)| cell / 4).collect(), gap: 24.0 }
        }
    }

    fn x(&self, cell: usize) -> f32 {
        let gaps = self.gaps.get(cell).copied().unwrap_or(0);
        MARGIN + length(cell) * self.wide + length(gaps) * self.gap
    }
}

/// The instruction at an address; `None` when there is none.
pub fn instruction(session: &Session, address: Addr) -> Option<Scene> {
    let machine = session.machine();
    let fields = machine.fields_at(address)?;
    let text = instruction_text(session, address).unwrap_or_default();
    let place = wendax_session::place(session.image(), machine.target(), address);
    let digits: String = fields.iter().map(|field| field.digits.as_str()).collect();
    let bytes = machine.way_at(address).map_or(0, |(bytes, _)| bytes);
    let is_bits = digits.len() == 8 * bytes as usize;
    let code = if is_bits { format!(", {}", machine.target().hex(machine.code_at(address)[0])) } else { String::new() };
    let mut scene = Scene::new(text, &format!("at {place}{code}"));
    let layout = Layout::of(&fields, is_bits);
    let x_of = |cell: usize| layout.x(cell);
    let digit_width = layout.wide;
    for (index, digit) in digits.chars().enumerate() {
        let x = x_of(index);
        scene.rectangle(
            Area { x, y: UPPER, width: digit_width, height: HIGH },
            Some(Ink::Raised),
            Some(Stroke::thin(Ink::Rule)),
        );
        let middle = x + digit_width / 2.0;
        if is_bits {
            scene.write((middle, UPPER + 26.0), Anchor::Middle, &digit.to_string(), Ink::Text, 18.0).bold();
            // The highest bit stands first; the ends of each field have their numbers.
            let (here, gap) = (digits.len() - 1 - index, |cell: Option<usize>| cell.and_then(|at| layout.gaps.get(at)));
            let is_end = gap(index.checked_sub(1)) != gap(Some(index)) || gap(Some(index + 1)) != gap(Some(index));
            if is_end {
                scene.write((middle, UPPER - 6.0), Anchor::Middle, &here.to_string(), Ink::Quiet, 10.0);
            }
            continue;
        }
        scene.write((middle, UPPER + 19.0), Anchor::Middle, &digit.to_string(), Ink::Text, 18.0).bold();
        let bits = digit.to_digit(16).map_or(String::new(), |digit| format!("{digit:04b}"));
        scene.write((middle, UPPER + 34.0), Anchor::Middle, &bits, Ink::Quiet, SIZE);
        if index % 4 == 0 {
            let word = format!("code word {}", index / 4 + 1);
            scene.write((x, UPPER - 6.0), Anchor::Start, &word, Ink::Faint, 10.0);
        }
    }
    // The first field's words stand lowest, so that lines to what stands below cross nothing.
    let mut at = 0;
    let mut y = UPPER + HIGH + 16.0 + LINE * length(fields.len());
    for field in &fields {
        let from = at;
        at += field.digits.len();
        let (left, right) = (x_of(from) + 4.0, x_of(at - 1) + digit_width - 4.0);
        let base = UPPER + HIGH + 5.0;
        scene.line((left, base), (right, base), Stroke::thin(Ink::Place).wide(2.0));
        scene.path(
            vec![(left + 8.0, base), (left + 8.0, y - 4.0), (left + 16.0, y - 4.0)],
            Stroke::thin(Ink::Rule),
            false,
        );
        scene.put((left + 22.0, y), &field.digits, Ink::Place).bold();
        let words = if field.value.is_empty() {
            field.meaning.to_owned()
        } else {
            format!("{}: {}", field.meaning, field.value)
        };
        scene.put((left + 22.0 + 14.0 + crate::scene::text_width(&field.digits, SIZE), y), &words, Ink::Text);
        y -= LINE;
    }
    if bytes > 0 {
        let text = format!("{bytes} bytes");
        scene.put((MARGIN, UPPER + HIGH + 44.0 + LINE * length(fields.len())), &text, Ink::Quiet);
    }
    Some(scene.finished())
}
