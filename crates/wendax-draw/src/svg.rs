//! Pictures as SVG. Texts stay texts; the same picture gives the same bytes.

use crate::look::Look;
use crate::scene::{Anchor, Item, Point, Scene, Stroke, text_width};
use svg::node::element::{Group, Path, Rectangle, Text, Title, path::Data};
use svg::{Document, Node};

/// The fonts a viewer may take: the one the drawings are made for, or another whose letters have one width.
const FONTS: &str = "'DejaVu Sans Mono', 'Liberation Mono', Menlo, Consolas, monospace";

/// A picture as the text of an SVG file.
pub fn to_svg(scene: &Scene, look: Look) -> String {
    let (width, height) = (round(scene.size.0), round(scene.size.1));
    let colour = |ink| hex(look.rgb(ink));
    let mut document = Document::new()
        .set("width", width)
        .set("height", height)
        .set("viewBox", (0, 0, width, height))
        .add(Title::new(scene.title.clone()));
    let ground = Rectangle::new().set("width", width).set("height", height);
    document.append(ground.set("fill", colour(crate::scene::Ink::Ground)));
    let mut group = Group::new().set("font-family", FONTS);
    for item in &scene.items {
        match item {
            Item::Box { area, fill, edge } => {
                let mut shape = Rectangle::new()
                    .set("x", round(area.x))
                    .set("y", round(area.y))
                    .set("width", round(area.width.max(0.0)))
                    .set("height", round(area.height.max(0.0)))
                    .set("fill", fill.map_or("none".to_owned(), colour));
                if let Some(edge) = edge {
                    shape = shape.set("stroke", colour(edge.ink)).set("stroke-width", round(edge.width));
                    if edge.is_dashed {
                        shape = shape.set("stroke-dasharray", "4 3");
                    }
                }
                group.append(shape);
            }
            Item::Path { points, stroke, has_arrow } => {
                group.append(line(points, *stroke, look));
                if *has_arrow && let Some(head) = arrow_head(points) {
                    group.append(Path::new().set("d", outline(&head)).set("fill", colour(stroke.ink)));
                }
            }
            Item::Surface { points, fill } => {
                group.append(Path::new().set("d", outline(points)).set("fill", colour(*fill)));
            }
            Item::Text { at, anchor, text, ink, size, is_bold } => {
                if text.trim().is_empty() {
                    continue;
                }
                let mut node = Text::new(kept(text))
                    .set("x", round(at.0))
                    .set("y", round(at.1))
                    .set("font-size", round(*size))
                    .set("fill", colour(*ink));
                match anchor {
                    Anchor::Start => {}
                    Anchor::Middle => node = node.set("text-anchor", "middle"),
                    Anchor::End => node = node.set("text-anchor", "end"),
                }
                if *is_bold {
                    node = node.set("font-weight", "bold");
                }
                // A viewer with another font keeps to the room there is.
                if text.chars().count() > 1 {
                    node =
                        node.set("textLength", round(text_width(text, *size))).set("lengthAdjust", "spacingAndGlyphs");
                }
                group.append(node);
            }
        }
    }
    format!("{}\n", document.add(group))
}

/// A text whose blanks all stay: viewers draw several as one.
fn kept(text: &str) -> String {
    text.replace("  ", " \u{a0}").replace("  ", " \u{a0}")
}

fn line(points: &[Point], stroke: Stroke, look: Look) -> Path {
    let path = Path::new()
        .set("d", through(points))
        .set("fill", "none")
        .set("stroke", hex(look.rgb(stroke.ink)))
        .set("stroke-width", round(stroke.width));
    if stroke.is_dashed { path.set("stroke-dasharray", "4 3") } else { path }
}

fn through(points: &[Point]) -> Data {
    points.iter().enumerate().fold(Data::new(), |data, (index, point)| {
        let place = (round(point.0), round(point.1));
        if index == 0 { data.move_to(place) } else { data.line_to(place) }
    })
}

fn outline(points: &[Point]) -> Data {
    through(points).close()
}

/// The three corners of the head of an arrow at the end of a line.
pub(crate) fn arrow_head(points: &[Point]) -> Option<[Point; 3]> {
    const LONG: f32 = 7.0;
    const HALF: f32 = 3.2;
    let (&(x, y), before) = points.split_last()?;
    let &(from_x, from_y) = before.iter().rev().find(|point| **point != (x, y))?;
    let (dx, dy) = (x - from_x, y - from_y);
    let size = dx.hypot(dy);
    let (dx, dy) = (dx / size, dy / size);
    let base = (x - dx * LONG, y - dy * LONG);
    Some([(x, y), (base.0 - dy * HALF, base.1 + dx * HALF), (base.0 + dy * HALF, base.1 - dx * HALF)])
}

/// Two digits behind the point are enough, and the same everywhere.
fn round(value: f32) -> f32 {
    (value * 100.0).round() / 100.0
}

fn hex((red, green, blue): (u8, u8, u8)) -> String {
    format!("#{red:02x}{green:02x}{blue:02x}")
}
