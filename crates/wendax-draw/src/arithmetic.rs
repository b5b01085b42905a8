//! An addition, a subtraction or a shift in columns of bits, with what is carried and the flags they make.

use crate::scene::{Anchor, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length};
use wendax_machine::Computation;
use wendax_session::Sum;

/// Where bits stand.
struct Columns {
    bits: u32,
    left: f32,
}

/// The width of a bit.
const CELL: f32 = 24.0;

impl Columns {
    /// The middle of a bit: from the right, in groups of four.
    fn x(&self, place: u32) -> f32 {
        let from_left = (self.bits - 1 - place) as usize;
        self.left + length(from_left) * CELL + length(from_left / 4) * 8.0 + CELL / 2.0
    }

    fn right(&self) -> f32 {
        self.x(0) + CELL / 2.0
    }

    /// A row of bits with its name before it and a note behind it.
    fn row(&self, scene: &mut Scene, y: f32, name: &str, value: u32, ink: impl Fn(u32) -> Ink) {
        scene.write((self.left - 36.0, y), Anchor::End, name, Ink::Quiet, SIZE);
        for place in 0..self.bits {
            let bit = Sum::bit(value, place).to_string();
            scene.write((self.x(place), y), Anchor::Middle, &bit, ink(place), 14.0);
        }
        scene.put((self.right() + 14.0, y), &told(value, self.bits), Ink::Quiet);
    }
}

/// A word as a number without and with a sign, and in hexadecimal.
fn told(value: u32, bits: u32) -> String {
    let signed = wendax_isa::sign_extended(value, bits);
    let width = (bits / 4) as usize;
    let signed = if signed < 0 { format!(", signed {signed}") } else { String::new() };
    format!("{value}{signed}, {value:0width$X}")
}

/// The drawing of it.
pub fn arithmetic(sum: &Sum) -> Scene {
    let sign = match sum.operation {
        Computation::Add => "+",
        Computation::Subtract => "\u{2212}",
        Computation::ShiftLeft => "<<",
        Computation::ShiftRight => ">>",
        Computation::ShiftSigned => ">> with the sign",
    };
    let mut scene = Scene::new(format!("{} {sign} {}", sum.one, sum.other), &format!("in {} bits", sum.bits));
    let columns = Columns { bits: sum.bits, left: MARGIN + 110.0 };
    let y = match sum.operation {
        Computation::Add | Computation::Subtract => carried(&mut scene, &columns, sum, sign),
        Computation::ShiftLeft | Computation::ShiftRight | Computation::ShiftSigned => {
            shifted(&mut scene, &columns, sum)
        }
    };
    for (index, text) in flag_words(sum).iter().enumerate() {
        scene.put((MARGIN, y + LINE * length(index + 1)), text, Ink::Text);
    }
    scene.finished()
}

/// A sum in columns; returns how far down it goes.
fn carried(scene: &mut Scene, columns: &Columns, sum: &Sum, sign: &str) -> f32 {
    let mut y = TOP + LINE;
    let name = if sum.operation == Computation::Add { "carried" } else { "borrowed" };
    scene.write((columns.left - 36.0, y), Anchor::End, name, Ink::Faint, SIZE);
    for (place, _) in (0..=sum.bits).zip(sum.carries()).filter(|(_, carry)| *carry) {
        let x = if place == sum.bits { columns.x(sum.bits - 1) - CELL } else { columns.x(place) };
        scene.write((x, y), Anchor::Middle, "1", Ink::Time, 11.0);
    }
    for (name, value) in [("", sum.one), (sign, sum.other)] {
        y += LINE + 6.0;
        columns.row(scene, y, name, value, |_| Ink::Text);
    }
    scene.line((columns.left - 48.0, y + 8.0), (columns.right(), y + 8.0), Stroke::thin(Ink::Text));
    y += LINE + 12.0;
    columns.row(scene, y, "=", sum.result(), |_| Ink::Text);
    y + 14.0
}

/// A shift: where bits go, and what comes in; returns how far down it goes.
fn shifted(scene: &mut Scene, columns: &Columns, sum: &Sum) -> f32 {
    const BETWEEN: f32 = 34.0;
    let by = sum.other;
    let is_left = sum.operation == Computation::ShiftLeft;
    let y = TOP + LINE;
    columns.row(scene, y, "", sum.one, |_| Ink::Text);
    // Where the lowest and the highest bit that stay go.
    let stays = sum.bits - 1 - by;
    let ways = if is_left { [(0, by), (stays, sum.bits - 1)] } else { [(by, 0), (sum.bits - 1, stays)] };
    for (from, to) in ways {
        let points = vec![(columns.x(from), y + 5.0), (columns.x(to), y + BETWEEN - 12.0)];
        scene.path(points, Stroke::thin(Ink::Time), true);
    }
    let came = |place: u32| if is_left { place < by } else { place >= sum.bits - by };
    let name = format!("{} {by}", if is_left { "left" } else { "right" });
    columns.row(scene, y + BETWEEN, &name, sum.result(), |place| if came(place) { Ink::Fresh } else { Ink::Text });
    for place in (0..sum.bits).filter(|&place| came(place)) {
        let x = columns.x(place);
        scene.line((x - 6.0, y + BETWEEN + 4.0), (x + 6.0, y + BETWEEN + 4.0), Stroke::thin(Ink::Fresh));
    }
    y + BETWEEN + 14.0
}

/// What each flag becomes, and why.
fn flag_words(sum: &Sum) -> [String; 4] {
    let flags = sum.flags();
    let carry = match (sum.operation, flags.carry) {
        (Computation::Subtract, Some(true)) => "C = 1: a borrow was needed, so the first is less, unsigned",
        (Computation::Subtract, _) => "C = 0: no borrow was needed",
        (Computation::Add, Some(true)) => "C = 1: a carry leaves the highest place, so unsigned there is no room",
        (Computation::Add, _) => "C = 0: nothing leaves the highest place",
        (_, Some(true)) => "C = 1: the last bit that left is 1",
        (_, Some(false)) => "C = 0: the last bit that left is 0",
        (_, None) => "C stays as it was: nothing left",
    };
    let overflow = match (sum.operation, flags.overflow) {
        (Computation::Add, true) => "V = 1: both have one sign and the result the other, so signed there is no room",
        (Computation::Subtract, true) => {
            "V = 1: the signs differ and the result has not that of the first: no room, signed"
        }
        (Computation::Add | Computation::Subtract, false) => "V = 0: as signed numbers the result is right",
        (_, _) => "V = 0: always, of a shift",
    };
    let zero = if flags.zero { "Z = 1: the result is zero" } else { "Z = 0: the result is not zero" };
    let negative = if flags.negative { "N = 1: its highest bit is 1" } else { "N = 0: its highest bit is 0" };
    [carry, zero, negative, overflow].map(str::to_owned)
}
