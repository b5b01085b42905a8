//! Pages of text and pictures for a document: an A4 page after the other, with a foot that says which.
//!
//! What goes in is a list of parts in order; what comes out is a picture for each page, which `pdf` writes like any other.

use crate::scene::{ADVANCE, Anchor, Ink, Item, Point, Scene, Stroke, legible, length, text_width};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// A page, in units.
const PAGE: Point = (793.7, 1122.5);
const EDGE: f32 = 56.0;
/// The size of text, and from one line to the next.
const TEXT: f32 = 10.0;
const HIGH: f32 = 14.0;
/// The height of the head of a section.
const HEAD: f32 = 44.0;

/// A part of a document.
#[derive(Debug, Clone, PartialEq)]
pub enum Part {
    /// The title, and lines below it.
    Title(String, Vec<String>),
    /// The head of a section; it stays with what follows.
    Head(String),
    /// A paragraph, wrapped.
    Text(String),
    /// Lines that keep their blanks; what is too long goes on in the next line.
    Lines(Vec<String>),
    /// A picture, made smaller where it has to be.
    Picture(Scene),
}

/// Text is at least so large.
const LEAST: f32 = 7.0;

/// Letters of a size that go into a line.
fn letters(size: f32) -> usize {
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a line has some hundred letters")]
    let count = ((PAGE.0 - 2.0 * EDGE) / (ADVANCE * size)) as usize;
    count
}

/// The size at which the longest of some lines has room, if there is one.
fn size_for(lines: &[String]) -> f32 {
    let longest = lines.iter().map(|line| wide(&spread(line))).max().unwrap_or(0).max(1);
    ((PAGE.0 - 2.0 * EDGE) / (length(longest) * ADVANCE)).clamp(LEAST, TEXT)
}

struct Pages {
    title: String,
    done: Vec<Scene>,
    page: Scene,
    y: f32,
}

/// The pages of a document.
pub fn pages(title: &str, parts: &[Part]) -> Vec<Scene> {
    let mut pages = Pages { title: title.to_owned(), done: Vec::new(), page: empty(title), y: EDGE };
    for (index, part) in parts.iter().enumerate() {
        match part {
            Part::Title(text, lines) => {
                pages.paragraph(text, Ink::Text, 18.0, true);
                pages.y += 8.0;
                for line in lines {
                    pages.paragraph(line, Ink::Quiet, TEXT, false);
                }
                pages.y += 12.0;
            }
            Part::Head(text) => {
                // Room for the head and some of what follows.
                let next = match parts.get(index + 1) {
                    Some(Part::Picture(scene)) => scene.size.1 * scale(scene),
                    _ => 3.0 * HIGH,
                };
                pages.room(HEAD + next);
                if pages.y > EDGE {
                    pages.y += 10.0;
                }
                pages.paragraph(text, Ink::Text, 13.0, true);
                let y = pages.y + 3.0;
                pages.page.items.push(Item::Path {
                    points: vec![(EDGE, y), (PAGE.0 - EDGE, y)],
                    stroke: Stroke::thin(Ink::Rule),
                    has_arrow: false,
                });
                pages.y += 12.0;
            }
            Part::Text(text) => {
                pages.paragraph(text, Ink::Text, TEXT, false);
                pages.y += 6.0;
            }
            Part::Lines(lines) => {
                let size = size_for(lines);
                for line in lines {
                    for piece in cut(line, letters(size)) {
                        pages.text(&piece, Ink::Text, size, false);
                    }
                }
                pages.y += 6.0;
            }
            Part::Picture(scene) => pages.picture(scene),
        }
    }
    pages.finish()
}

fn empty(title: &str) -> Scene {
    Scene { title: legible(title), size: PAGE, items: Vec::new() }
}

/// How much a picture is made smaller to have room on a page.
fn scale(scene: &Scene) -> f32 {
    let wide = (PAGE.0 - 2.0 * EDGE) / scene.size.0;
    let high = (PAGE.1 - 2.0 * EDGE - HEAD - 12.0) / scene.size.1;
    wide.min(high).min(0.85)
}

impl Pages {
    /// Begins a new page when so much has no room on this one.
    fn room(&mut self, height: f32) {
        if self.y + height > PAGE.1 - EDGE && self.y > EDGE {
            let page = std::mem::replace(&mut self.page, empty(&self.title));
            self.done.push(page);
            self.y = EDGE;
        }
    }

    fn paragraph(&mut self, text: &str, ink: Ink, size: f32, is_bold: bool) {
        for line in wrapped(text, letters(size)) {
            self.text(&line, ink, size, is_bold);
        }
    }

    fn text(&mut self, text: &str, ink: Ink, size: f32, is_bold: bool) {
        let high = HIGH * size / TEXT;
        self.room(high);
        self.y += high;
        let text = legible(text);
        let at = (EDGE, self.y - high * 0.25);
        self.page.items.push(Item::Text { at, anchor: Anchor::Start, text, ink, size, is_bold });
    }

    fn picture(&mut self, scene: &Scene) {
        let scale = scale(scene);
        self.room(scene.size.1 * scale);
        let (x, y) = (EDGE, self.y);
        self.page.items.extend(scene.items.iter().map(|item| moved(item, scale, (x, y))));
        self.y += scene.size.1 * scale + 10.0;
    }

    fn finish(mut self) -> Vec<Scene> {
        self.done.push(self.page);
        let count = self.done.len();
        // What the foot has room for beside the number.
        let title = legible(&cut(&self.title, 100).swap_remove(0));
        for (number, page) in (1..).zip(&mut self.done) {
            let text = format!("{title}   {number} of {count}");
            let at = (PAGE.0 - EDGE - text_width(&text, 8.0), PAGE.1 - EDGE / 2.0);
            page.items.push(Item::Text { at, anchor: Anchor::Start, text, ink: Ink::Faint, size: 8.0, is_bold: false });
        }
        self.done
    }
}

/// Something drawn, smaller and elsewhere.
fn moved(item: &Item, scale: f32, (x, y): Point) -> Item {
    let place = |point: &Point| (x + point.0 * scale, y + point.1 * scale);
    match item {
        Item::Box { area, fill, edge } => {
            let (left, top) = place(&(area.x, area.y));
            let area = crate::scene::Area { x: left, y: top, width: area.width * scale, height: area.height * scale };
            Item::Box { area, fill: *fill, edge: edge.map(|edge| edge.wide(edge.width * scale)) }
        }
        Item::Path { points, stroke, has_arrow } => Item::Path {
            points: points.iter().map(place).collect(),
            stroke: stroke.wide(stroke.width * scale),
            has_arrow: *has_arrow,
        },
        Item::Surface { points, fill } => Item::Surface { points: points.iter().map(place).collect(), fill: *fill },
        Item::Text { at, anchor, text, ink, size, is_bold } => Item::Text {
            at: place(at),
            anchor: *anchor,
            text: text.clone(),
            ink: *ink,
            size: size * scale,
            is_bold: *is_bold,
        },
    }
}

/// A paragraph in lines of at most so many cells.
fn wrapped(text: &str, most: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split_whitespace() {
        let line = lines.last().map_or(0, |line| wide(line));
        if line > 0 && line + 1 + wide(word) > most {
            lines.push(String::new());
        }
        if let Some(line) = lines.last_mut() {
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
    }
    lines.iter().flat_map(|line| cut(line, most)).collect()
}

/// Tabs as blanks.
fn spread(line: &str) -> String {
    line.replace('\t', "        ")
}

/// The cells of a text, once it is legible.
fn wide(text: &str) -> usize {
    legible(text).width()
}

/// A line in pieces of at most so many cells; those behind the first begin with a sign.
fn cut(line: &str, most: usize) -> Vec<String> {
    const AGAIN: &str = "\u{21b3} ";
    let mut pieces = vec![String::new()];
    let mut at = 0;
    for letter in legible(&spread(line)).chars() {
        let cells = letter.width().unwrap_or(0);
        if at + cells > most {
            pieces.push(AGAIN.to_owned());
            at = AGAIN.width();
        }
        at += cells;
        pieces.last_mut().into_iter().for_each(|piece| piece.push(letter));
    }
    pieces
}
