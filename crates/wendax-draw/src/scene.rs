//! A picture as data: boxes, lines and texts in a plane whose unit is a ninety-sixth of an inch, from the top left.
//!
//! Everything that is drawn is made of these, and `svg` and `pdf` write them without knowing what they mean. Letters all
//! have one width, so that the room a text takes is known before it is drawn.

use unicode_width::UnicodeWidthStr;

/// A text as it can be drawn: what moves a cursor or is no letter becomes a sign that takes its place.
pub(crate) fn legible(text: &str) -> String {
    // The last two are no characters, and nothing that holds them is XML.
    let is_none = |c: char| c.is_control() || matches!(c, '\u{fffe}' | '\u{ffff}');
    text.chars().map(|c| if is_none(c) { '\u{b7}' } else { c }).collect()
}

/// The size letters have unless said otherwise.
pub(crate) const SIZE: f32 = 12.0;
/// The width of a letter as a part of its size: that of the font that is used.
pub(crate) const ADVANCE: f32 = 1233.0 / 2048.0;
/// From one line of text to the next.
pub(crate) const LINE: f32 = 17.0;

/// The width of a text.
pub fn text_width(text: &str, size: f32) -> f32 {
    length(text.width()) * ADVANCE * size
}

/// A text in at most so many letters.
pub(crate) fn fitted(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        return text.to_owned();
    }
    text.chars().take(most - 1).chain(['\u{2026}']).collect()
}

/// A count as a length.
#[expect(clippy::cast_precision_loss, reason = "counts of what is drawn are small")]
pub(crate) fn length(count: usize) -> f32 {
    count as f32
}

/// What is said by a colour; never by the colour alone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ink {
    /// The ground.
    Ground,
    /// What lies on the ground.
    Raised,
    /// Text.
    Text,
    /// Text that matters less.
    Quiet,
    /// Text that matters least.
    Faint,
    /// Thin lines.
    Rule,
    /// Time, and what is dear.
    Time,
    /// Places: labels, addresses.
    Place,
    /// What is new.
    Fresh,
    /// What is wrong.
    Trouble,
    /// What agrees.
    Agreement,
    /// A colour that something else has chosen.
    Given(u8, u8, u8),
}

/// How a line is drawn.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stroke {
    /// Its colour.
    pub ink: Ink,
    /// Its width.
    pub width: f32,
    /// It is broken.
    pub is_dashed: bool,
}

impl Stroke {
    /// A thin line.
    pub fn thin(ink: Ink) -> Self {
        Self { ink, width: 1.0, is_dashed: false }
    }

    /// The same, broken.
    #[must_use]
    pub fn dashed(self) -> Self {
        Self { is_dashed: true, ..self }
    }

    /// The same, so wide.
    #[must_use]
    pub fn wide(self, width: f32) -> Self {
        Self { width, ..self }
    }
}

/// Which end of a text its place is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Anchor {
    /// Its beginning.
    Start,
    /// Its middle.
    Middle,
    /// Its end.
    End,
}

/// A place.
pub type Point = (f32, f32);

/// A rectangle.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Area {
    /// Its left side.
    pub x: f32,
    /// Its upper side.
    pub y: f32,
    /// Its width.
    pub width: f32,
    /// Its height.
    pub height: f32,
}

impl Area {
    /// Two rectangles have more than an edge in common.
    pub fn meets(&self, other: &Self) -> bool {
        /// What is lost in adding up.
        const CLOSE: f32 = 0.01;
        self.x + CLOSE < other.x + other.width
            && other.x + CLOSE < self.x + self.width
            && self.y + CLOSE < other.y + other.height
            && other.y + CLOSE < self.y + self.height
    }
}

/// Something drawn.
#[derive(Debug, Clone, PartialEq)]
pub enum Item {
    /// A rectangle.
    Box {
        /// Where.
        area: Area,
        /// What it is filled with.
        fill: Option<Ink>,
        /// Its edge.
        edge: Option<Stroke>,
    },
    /// A line through points.
    Path {
        /// The points.
        points: Vec<Point>,
        /// How it is drawn.
        stroke: Stroke,
        /// It ends in the head of an arrow.
        has_arrow: bool,
    },
    /// A surface between points.
    Surface {
        /// The points.
        points: Vec<Point>,
        /// What it is filled with.
        fill: Ink,
    },
    /// A text.
    Text {
        /// Where its base line is.
        at: Point,
        /// Which end of it that is.
        anchor: Anchor,
        /// The text.
        text: String,
        /// Its colour.
        ink: Ink,
        /// Its size.
        size: f32,
        /// Its letters are bold.
        is_bold: bool,
    },
}

impl Item {
    /// The rectangle around a text; none of others.
    pub fn text_area(&self) -> Option<Area> {
        let Self::Text { at, anchor, text, size, .. } = self else { return None };
        let width = text_width(text, *size);
        let x = match anchor {
            Anchor::Start => at.0,
            Anchor::Middle => at.0 - width / 2.0,
            Anchor::End => at.0 - width,
        };
        Some(Area { x, y: at.1 - size * 0.8, width, height: *size })
    }
}

/// A picture.
#[derive(Debug, Clone, PartialEq)]
pub struct Scene {
    /// What it shows, in a few words.
    pub title: String,
    /// Its size.
    pub size: Point,
    /// What is drawn, what lies below first.
    pub items: Vec<Item>,
}

/// The margin around a picture.
pub(crate) const MARGIN: f32 = 20.0;
/// Where what is drawn begins below the head.
pub(crate) const TOP: f32 = MARGIN + 38.0;

impl Scene {
    /// An empty picture with a head: its title, and what else is to be said of all of it.
    pub fn new(title: impl Into<String>, note: &str) -> Self {
        let title = legible(&title.into());
        let mut scene = Self { title: title.clone(), size: (0.0, 0.0), items: Vec::new() };
        scene.put((MARGIN, MARGIN + 12.0), &title, Ink::Text).bold();
        let end = MARGIN + text_width(&title, SIZE) + 18.0;
        scene.put((end, MARGIN + 12.0), note, Ink::Quiet);
        scene
    }

    /// Writes a text from a place on, at its base line.
    pub fn put(&mut self, at: Point, text: &str, ink: Ink) -> Written<'_> {
        self.write(at, Anchor::Start, text, ink, SIZE)
    }

    /// Writes a text.
    pub fn write(&mut self, at: Point, anchor: Anchor, text: &str, ink: Ink, size: f32) -> Written<'_> {
        self.items.push(Item::Text { at, anchor, text: legible(text), ink, size, is_bold: false });
        let right = self.items.last().and_then(Item::text_area).map_or(at.0, |area| area.x + area.width);
        self.reach((right, at.1));
        Written(self)
    }

    /// Draws a rectangle.
    pub fn rectangle(&mut self, area: Area, fill: Option<Ink>, edge: Option<Stroke>) {
        self.items.push(Item::Box { area, fill, edge });
        self.reach((area.x + area.width, area.y + area.height));
    }

    /// Draws a line through points.
    pub fn path(&mut self, points: Vec<Point>, stroke: Stroke, has_arrow: bool) {
        for &point in &points {
            self.reach(point);
        }
        self.items.push(Item::Path { points, stroke, has_arrow });
    }

    /// Draws a line from one place to another.
    pub fn line(&mut self, from: Point, to: Point, stroke: Stroke) {
        self.path(vec![from, to], stroke, false);
    }

    /// The picture is at least so large that this place is in it.
    pub fn reach(&mut self, (x, y): Point) {
        self.size = (self.size.0.max(x), self.size.1.max(y));
    }

    /// The picture is finished: what is drawn has its margin, and the head its rule.
    #[must_use]
    pub fn finished(mut self) -> Self {
        self.size = (self.size.0 + MARGIN, self.size.1 + MARGIN);
        let y = MARGIN + 22.0;
        let rule = Item::Path {
            points: vec![(MARGIN, y), (self.size.0 - MARGIN, y)],
            stroke: Stroke::thin(Ink::Rule),
            has_arrow: false,
        };
        self.items.insert(0, rule);
        self
    }
}

/// A text that was just written.
pub struct Written<'a>(&'a mut Scene);

impl Written<'_> {
    /// Makes its letters bold.
    pub fn bold(self) {
        if let Some(Item::Text { is_bold, .. }) = self.0.items.last_mut() {
            *is_bold = true;
        }
    }
}

impl std::fmt::Debug for Written<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Written")
    }
}
