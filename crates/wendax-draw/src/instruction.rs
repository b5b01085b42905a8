//! An instruction's code words, taken apart field by field.

use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length};
use wendax_isa::Addr;
use wendax_session::{Session, instruction_text};

/// Where the cells begin.
const UPPER: f32 = TOP + 14.0;

/// The instruction at an address; `None` when there is none.
pub fn instruction(session: &Session, address: Addr) -> Option<Scene> {
    const DIGIT: f32 = 74.0;
    const HIGH: f32 = 40.0;
    let machine = session.machine();
    let fields = machine.fields_at(address)?;
    let text = instruction_text(session, address).unwrap_or_default();
    let place = wendax_session::place(session.image(), machine.target(), address);
    let mut scene = Scene::new(text, &format!("at {place}"));
    let digits: String = fields.iter().map(|field| field.digits.as_str()).collect();
    // A gap between two code words.
    let x_of = |digit: usize| MARGIN + length(digit) * DIGIT + length(digit / 4) * 24.0;
    for (index, digit) in digits.chars().enumerate() {
        let x = x_of(index);
        scene.rectangle(
            Area { x, y: UPPER, width: DIGIT, height: HIGH },
            Some(Ink::Raised),
            Some(Stroke::thin(Ink::Rule)),
        );
        scene.write((x + DIGIT / 2.0, UPPER + 19.0), Anchor::Middle, &digit.to_string(), Ink::Text, 18.0).bold();
        let bits = digit.to_digit(16).map_or(String::new(), |digit| format!("{digit:04b}"));
        scene.write((x + DIGIT / 2.0, UPPER + 34.0), Anchor::Middle, &bits, Ink::Quiet, SIZE);
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
        let (left, right) = (x_of(from) + 4.0, x_of(at - 1) + DIGIT - 4.0);
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
    if let Some((bytes, _)) = machine.way_at(address) {
        let text = format!("{bytes} bytes");
        scene.put((MARGIN, UPPER + HIGH + 44.0 + LINE * length(fields.len())), &text, Ink::Quiet);
    }
    Some(scene.finished())
}
