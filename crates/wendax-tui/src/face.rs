//! The face of the board in signs: lamps, levers, digits. The pane draws it in colours, a terminal without the bench in
//! plain lines.

use wendax_machine::{Board, LEVERS};

/// A lamp, dark and lit; a lever, down and up.
pub(crate) const LAMP: [&str; 2] = ["∙", "●"];
pub(crate) const LEVER: [&str; 2] = ["▄", "▀"];

/// Cells for the names at the left.
pub(crate) const NAMES: u16 = 7;
/// Cells of a digit with its dot, and the blank behind.
pub(crate) const DIGIT: u16 = 5;

/// The cells of a digit's segments: the bit, where it is drawn, and its sign.
pub(crate) const SEGMENTS: [(u32, u16, u16, &str); 8] = [
    (0x01, 1, 0, "▄▄"),
    (0x02, 3, 1, "▐"),
    (0x04, 3, 2, "▐"),
    (0x08, 1, 2, "▄▄"),
    (0x10, 0, 2, "▌"),
    (0x20, 0, 1, "▌"),
    (0x40, 1, 1, "▄▄"),
    (0x80, 4, 2, "▖"),
];

/// The column of a lamp or lever: the highest bit at the left, a blank after each four.
pub(crate) fn place_of(x: u16, number: u32) -> u16 {
    let from_left = u16::try_from(LEVERS - 1 - number).unwrap_or(0);
    x + 1 + NAMES + from_left + from_left / 4
}

/// The face in lines of plain text.
pub fn board_face(board: &Board) -> Vec<String> {
    let wide = usize::from(place_of(0, 0)) + 8;
    let mut cells = vec![vec![' '; wide]; 6];
    let mut write = |x: u16, y: u16, text: &str| {
        for (sign, x) in text.chars().zip(usize::from(x)..) {
            if let Some(cell) = cells.get_mut(usize::from(y)).and_then(|row| row.get_mut(x)) {
                *cell = sign;
            }
        }
    };
    for (y, name) in [(0, "lamps"), (2, "levers"), (3, "digits")] {
        write(1, y, name);
    }
    for number in 0..LEVERS {
        let x = place_of(0, number);
        write(x, 0, LAMP[usize::from(board.lamps >> number & 1)]);
        write(x, 1, &format!("{number:X}"));
        write(x, 2, LEVER[usize::from(board.levers >> number & 1)]);
    }
    write(place_of(0, 0) + 2, 0, &format!("{:04X}", board.lamps));
    write(place_of(0, 0) + 2, 2, &format!("{:04X}", board.levers));
    for (segments, place) in board.digits.into_iter().zip(0..) {
        for (bit, right, down, sign) in SEGMENTS {
            if u32::from(segments) & bit != 0 {
                write(1 + NAMES + place * DIGIT + right, 3 + down, sign);
            }
        }
    }
    cells.into_iter().map(|row| row.into_iter().collect::<String>().trim_end().to_owned()).collect()
}
