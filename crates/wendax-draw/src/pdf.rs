//! Pictures as pages of a PDF: text is text, with the letters it needs of the font inside. The same pictures give the
//! same bytes.

use crate::look::Look;
use crate::scene::{ADVANCE, Anchor, Area, Ink, Item, Point, Scene, Stroke};
use crate::svg::arrow_head;
use krilla::color::rgb;
use krilla::configure::Configuration;
use krilla::geom::{PathBuilder, Rect, Size, Transform};
use krilla::metadata::Metadata;
use krilla::num::NormalizedF32;
use krilla::page::PageSettings;
use krilla::paint::{Fill, FillRule, Stroke as PdfStroke, StrokeDash};
use krilla::surface::Surface;
use krilla::text::{Font, GlyphId, KrillaGlyph};
use krilla::{Document, SerializeSettings};
use skrifa::{FontRef, MetadataProvider};
use unicode_width::UnicodeWidthChar;

/// Points of a unit: there are 72 to an inch, and 96 units.
const POINT: f32 = 0.75;
/// A page is at most so large, in units: A3 on its side, which printers take to A4 well enough.
const LARGEST: Point = (1587.4, 1122.6);
/// So much of a picture that goes over several pages stands on both of two.
const OVERLAP: f32 = 40.0;

/// Why a PDF could not be made.
#[derive(Debug)]
pub struct PdfError(String);

impl std::fmt::Display for PdfError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "the PDF could not be made: {}", self.0)
    }
}

impl std::error::Error for PdfError {}

/// A font, to write with and to look letters up in.
struct Letters {
    font: Font,
    known: FontRef<'static>,
}

impl Letters {
    fn new(bytes: &'static [u8]) -> Result<Self, PdfError> {
        let font = Font::new(bytes.into(), 0).ok_or_else(|| PdfError("the font cannot be read".to_owned()))?;
        let known = FontRef::new(bytes).map_err(|error| PdfError(error.to_string()))?;
        Ok(Self { font, known })
    }

    fn glyphs(&self, text: &str) -> Vec<KrillaGlyph> {
        let map = self.known.charmap();
        let glyph = |(at, letter): (usize, char)| {
            let id = map.map(letter).or_else(|| map.map('?')).map_or(0, skrifa::GlyphId::to_u32);
            let wide = letter.width().unwrap_or(0);
            let advance = ADVANCE * crate::scene::length(wide);
            KrillaGlyph::new(GlyphId::new(id), advance, 0.0, 0.0, 0.0, at..at + letter.len_utf8(), None)
        };
        text.char_indices().map(glyph).collect()
    }
}

/// Pictures as a PDF, each on a page of its size; what is larger than a page goes over several.
pub fn to_pdf(scenes: &[Scene], look: Look, author: Option<&str>) -> Result<Vec<u8>, PdfError> {
    let settings = SerializeSettings { configuration: Configuration::default(), ..SerializeSettings::default() };
    let mut document = Document::new_with(settings);
    let mut metadata = Metadata::new().creator("Wendax".to_owned());
    if let Some(first) = scenes.first() {
        metadata = metadata.title(first.title.clone());
    }
    if let Some(author) = author {
        metadata = metadata.authors(vec![author.to_owned()]);
    }
    document.set_metadata(metadata);
    let letters = [Letters::new(dejavu::sans_mono::regular())?, Letters::new(dejavu::sans_mono::bold())?];
    for scene in scenes {
        for part in parts(scene.size) {
            let size = Size::from_wh(part.width * POINT, part.height * POINT)
                .ok_or_else(|| PdfError("a picture is empty".to_owned()))?;
            let mut page = document.start_page_with(PageSettings::new(size));
            let mut surface = page.surface();
            surface.push_transform(&Transform::from_row(POINT, 0.0, 0.0, POINT, -part.x * POINT, -part.y * POINT));
            draw(&mut surface, scene, &part, look, &letters);
            surface.pop();
            surface.finish();
            page.finish();
        }
    }
    document.finish().map_err(|error| PdfError(format!("{error:?}")))
}

/// The parts of a picture of this size that go onto pages, row by row.
fn parts((width, height): Point) -> Vec<Area> {
    let along = |whole: f32, most: f32| -> Vec<(f32, f32)> {
        let mut parts = Vec::new();
        let mut at = 0.0;
        while at + most < whole {
            parts.push((at, most));
            at += most - OVERLAP;
        }
        parts.push((at, whole - at));
        parts
    };
    let columns = along(width, LARGEST.0);
    let rows = along(height, LARGEST.1);
    rows.iter().flat_map(|&(y, height)| columns.iter().map(move |&(x, width)| Area { x, y, width, height })).collect()
}

fn fill(look: Look, ink: Ink) -> Fill {
    let (red, green, blue) = look.rgb(ink);
    Fill { paint: rgb::Color::new(red, green, blue).into(), opacity: NormalizedF32::ONE, rule: FillRule::NonZero }
}

fn stroke(look: Look, stroke: Stroke) -> PdfStroke {
    let (red, green, blue) = look.rgb(stroke.ink);
    PdfStroke {
        paint: rgb::Color::new(red, green, blue).into(),
        width: stroke.width,
        dash: stroke.is_dashed.then(|| StrokeDash { array: vec![4.0, 3.0], offset: 0.0 }),
        ..PdfStroke::default()
    }
}

fn shape(points: &[Point], is_closed: bool) -> Option<krilla::geom::Path> {
    let mut builder = PathBuilder::new();
    for (index, &(x, y)) in points.iter().enumerate() {
        if index == 0 {
            builder.move_to(x, y);
        } else {
            builder.line_to(x, y);
        }
    }
    if is_closed {
        builder.close();
    }
    builder.finish()
}

fn rectangle(area: &Area) -> Option<krilla::geom::Path> {
    let mut builder = PathBuilder::new();
    builder.push_rect(Rect::from_xywh(area.x, area.y, area.width, area.height)?);
    builder.finish()
}

fn draw(surface: &mut Surface<'_>, scene: &Scene, part: &Area, look: Look, letters: &[Letters; 2]) {
    if let Some(ground) = rectangle(part) {
        surface.set_stroke(None);
        surface.set_fill(Some(fill(look, Ink::Ground)));
        surface.draw_path(&ground);
    }
    for item in scene.items.iter().filter(|item| around(item).meets(part)) {
        match item {
            Item::Box { area, fill: inside, edge } => {
                surface.set_fill(inside.map(|ink| fill(look, ink)));
                surface.set_stroke(edge.map(|edge| stroke(look, edge)));
                if let Some(path) = rectangle(area) {
                    surface.draw_path(&path);
                }
            }
            Item::Path { points, stroke: line, has_arrow } => {
                surface.set_fill(None);
                surface.set_stroke(Some(stroke(look, *line)));
                if let Some(path) = shape(points, false) {
                    surface.draw_path(&path);
                }
                if *has_arrow && let Some(path) = arrow_head(points).and_then(|head| shape(&head, true)) {
                    surface.set_stroke(None);
                    surface.set_fill(Some(fill(look, line.ink)));
                    surface.draw_path(&path);
                }
            }
            Item::Surface { points, fill: inside } => {
                surface.set_stroke(None);
                surface.set_fill(Some(fill(look, *inside)));
                if let Some(path) = shape(points, true) {
                    surface.draw_path(&path);
                }
            }
            Item::Text { text, ink, size, is_bold, at, anchor } => {
                let Some(area) = item.text_area().filter(|_| !text.trim().is_empty()) else { continue };
                let x = if *anchor == Anchor::Start { at.0 } else { area.x };
                let letters = &letters[usize::from(*is_bold)];
                surface.set_stroke(None);
                surface.set_fill(Some(fill(look, *ink)));
                let glyphs = letters.glyphs(text);
                let start = krilla::geom::Point::from_xy(x, at.1);
                surface.draw_glyphs(start, &glyphs, letters.font.clone(), text, *size, false);
            }
        }
    }
}

/// The rectangle around something drawn, with its edge.
fn around(item: &Item) -> Area {
    let of_points = |points: &[Point]| {
        let least = |of: fn(&Point) -> f32| points.iter().map(of).fold(f32::INFINITY, f32::min);
        let most = |of: fn(&Point) -> f32| points.iter().map(of).fold(f32::NEG_INFINITY, f32::max);
        let (x, y) = (least(|point| point.0), least(|point| point.1));
        Area { x, y, width: most(|point| point.0) - x, height: most(|point| point.1) - y }
    };
    let area = match item {
        Item::Box { area, .. } => *area,
        Item::Path { points, .. } | Item::Surface { points, .. } => of_points(points),
        Item::Text { .. } => item.text_area().unwrap_or_default(),
    };
    Area { x: area.x - 4.0, y: area.y - 4.0, width: area.width + 8.0, height: area.height + 8.0 }
}
