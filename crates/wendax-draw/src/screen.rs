//! A screen of cells as a picture: its signs stay text.

use crate::scene::{Anchor, Area, Ink, Item, MARGIN, Scene, Stroke, legible, length};
use unicode_width::UnicodeWidthStr;

/// A run of signs of one look in a row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Run {
    /// The column it begins in.
    pub column: usize,
    /// Its signs.
    pub text: String,
    /// Red, green and blue of the signs.
    pub ink: (u8, u8, u8),
    /// Of their ground, where it is another than the screen's.
    pub ground: Option<(u8, u8, u8)>,
    /// The signs are bold.
    pub is_bold: bool,
    /// There is a line below them.
    pub is_underlined: bool,
}

/// A screen.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Grid {
    /// What it shows, in a few words.
    pub title: String,
    /// Columns and rows.
    pub size: (usize, usize),
    /// Its ground.
    pub ground: (u8, u8, u8),
    /// The runs of each row.
    pub rows: Vec<Vec<Run>>,
}

/// The size of signs, and from one row to the next.
const SIGN: f32 = 13.0;
const HIGH: f32 = 16.0;

/// The drawing of one or several screens, one below the other.
pub fn screen(grids: &[Grid]) -> Scene {
    let title = grids.first().map_or(String::new(), |grid| legible(&grid.title));
    let mut scene = Scene { title, size: (0.0, 0.0), items: Vec::new() };
    let wide = crate::scene::ADVANCE * SIGN;
    let mut top = MARGIN;
    for grid in grids {
        if grids.len() > 1 {
            scene.put((MARGIN, top + 10.0), &grid.title, Ink::Text).bold();
            top += 20.0;
        }
        let area = Area {
            x: MARGIN,
            y: top,
            width: length(grid.size.0) * wide + 16.0,
            height: length(grid.size.1) * HIGH + 12.0,
        };
        let given = |(red, green, blue)| Ink::Given(red, green, blue);
        scene.rectangle(area, Some(given(grid.ground)), Some(Stroke::thin(Ink::Rule)));
        for (row, runs) in grid.rows.iter().enumerate() {
            let y = top + 6.0 + length(row) * HIGH;
            for run in runs {
                let x = MARGIN + 8.0 + length(run.column) * wide;
                let width = length(run.text.width()) * wide;
                if let Some(ground) = run.ground {
                    // A little wider, so that nothing of the ground shows between two of them.
                    let area = Area { x, y, width: width + 0.4, height: HIGH + 0.4 };
                    scene.rectangle(area, Some(given(ground)), None);
                }
                if run.is_underlined {
                    let y = y + HIGH - 2.0;
                    scene.line((x, y), (x + width, y), Stroke::thin(given(run.ink)));
                }
                pieces(&mut scene, run, x, y + 12.0, wide);
            }
        }
        top += area.height + MARGIN;
    }
    scene.size = (scene.size.0 + MARGIN, scene.size.1 + MARGIN);
    scene
}

/// Writes a run, words with their own places, so that letters of another width move nothing.
fn pieces(scene: &mut Scene, run: &Run, x: f32, y: f32, wide: f32) {
    let mut at = 0;
    let legible = legible(&run.text);
    for piece in legible.split_inclusive("  ") {
        let text = piece.trim_end_matches(' ');
        let blanks = text.len() - text.trim_start_matches(' ').len();
        if !text.is_empty() {
            scene.items.push(Item::Text {
                at: (x + length(at + blanks) * wide, y),
                anchor: Anchor::Start,
                text: text.trim_start_matches(' ').to_owned(),
                ink: Ink::Given(run.ink.0, run.ink.1, run.ink.2),
                size: SIGN,
                is_bold: run.is_bold,
            });
        }
        at += piece.width();
    }
}
