//! A class: one table tried on many programs, a line for each program and a column for each row.

use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, fitted, length, text_width};
use wendax_session::{counted, grouped};
use wendax_trials::{Class, Mark};

/// Letters of a name, at most.
const NAME: usize = 28;
/// Letters of what is first to be said of a program, at most.
const FIRST: usize = 90;
/// Letters of what a row is called, at most.
const ROW: usize = 70;
/// Where the names of rows begin, right of their numbers.
const NAMES: f32 = MARGIN + 34.0;
/// The width of a column.
const COLUMN: f32 = 26.0;

/// Rows by programs; what each program failed by first stands beside it.
pub fn class(class: &Class, table: &str) -> Scene {
    let mut scene = Scene::new(table, &class.sum());
    let mut y = TOP + LINE;
    if !class.about.is_empty() {
        scene.put((MARGIN, y), &fitted(&class.about, 120), Ink::Quiet);
        y += LINE + 6.0;
    }
    // The rows by number, since their names have no room over narrow columns.
    let wide = class.rows.iter().map(|(row, _)| text_width(&fitted(row, ROW), SIZE)).fold(0.0, f32::max);
    for (number, (row, points)) in (1..).zip(&class.rows) {
        scene.write((MARGIN + 24.0, y), Anchor::End, &format!("{number}"), Ink::Faint, SIZE);
        scene.put((NAMES, y), &fitted(row, ROW), Ink::Text);
        let passed = class.hand_ins.iter().filter(|it| it.mark(number - 1) == Mark::Passed).count();
        let points =
            if *points == 0 { String::new() } else { format!("   {}", counted((*points).into(), "point", "points")) };
        let text = format!("{passed} of {}{points}", class.hand_ins.len());
        scene.put((NAMES + wide + 24.0, y), &text, Ink::Quiet);
        y += LINE;
    }
    y += LINE;
    let wide = |name: &str| text_width(&fitted(name, NAME), SIZE);
    let left = MARGIN + class.hand_ins.iter().map(|it| wide(&it.name)).fold(60.0, f32::max) + 16.0;
    let points = left + COLUMN * length(class.rows.len()) + 56.0;
    for number in 1..=class.rows.len() {
        let x = left + COLUMN * (length(number) - 0.5);
        scene.write((x, y), Anchor::Middle, &number.to_string(), Ink::Faint, SIZE);
    }
    scene.write((points, y), Anchor::End, "points", Ink::Faint, SIZE);
    y += 6.0;
    for hand_in in &class.hand_ins {
        let base = y + 15.0;
        scene.put((MARGIN, base), &fitted(&hand_in.name, NAME), Ink::Text);
        for row in 0..class.rows.len() {
            let area = Area { x: left + COLUMN * length(row) + 2.0, y: y + 2.0, width: COLUMN - 4.0, height: 17.0 };
            let middle = (area.x + area.width / 2.0, base);
            match hand_in.mark(row) {
                Mark::Passed => {
                    scene.rectangle(area, Some(Ink::Raised), None);
                    scene.write(middle, Anchor::Middle, &Mark::Passed.sign().to_string(), Ink::Agreement, SIZE);
                }
                Mark::Failed => {
                    scene.rectangle(area, None, Some(Stroke::thin(Ink::Trouble)));
                    scene.write(middle, Anchor::Middle, &Mark::Failed.sign().to_string(), Ink::Trouble, SIZE);
                }
                Mark::NotRun => {
                    scene.rectangle(area, None, Some(Stroke::thin(Ink::Faint).dashed()));
                    scene.write(middle, Anchor::Middle, &Mark::NotRun.sign().to_string(), Ink::Faint, SIZE);
                }
            }
        }
        scene.write((points, base), Anchor::End, &grouped(hand_in.points()), Ink::Text, SIZE);
        let first = match hand_in.found() {
            None => String::new(),
            Some((None, why)) => why,
            Some((Some(row), why)) => format!("{}: {why}", row + 1),
        };
        scene.put((points + 18.0, base), &fitted(&first, FIRST), Ink::Quiet);
        y += 21.0;
    }
    for alike in &class.alike {
        y += LINE;
        scene.put((MARGIN, y), &class.alike_words(alike), Ink::Time);
    }
    scene.reach((MARGIN + text_width(&class.sum(), SIZE), y));
    scene.finished()
}
