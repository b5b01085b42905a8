//! Pictures as pages of a PDF: text is text, with the font inside. The same pictures give the same bytes.
//!
//! The fonts are prepared: `fonts/make` cuts out of them what drawings may show, and compresses it as a PDF holds it. Signs
//! they do not have are shown as `?`.

use crate::look::Look;
use crate::scene::{ADVANCE, Anchor, Area, Ink, Item, Point, Scene, Stroke};
use crate::svg::arrow_head;
use pdf_writer::types::{CidFontType, FontFlags, SystemInfo, UnicodeCmap};
use pdf_writer::{Content, Filter, Finish, Name, Pdf, Rect, Ref, Str, TextStr};
use unicode_width::UnicodeWidthChar;

/// Points of a unit: there are 72 to an inch, and 96 units.
const POINT: f32 = 0.75;
/// A page is at most so large, in units: A3 on its side, which printers take to A4 well enough.
const LARGEST: Point = (1587.4, 1122.6);
/// So much of a picture that goes over several pages stands on both of two.
const OVERLAP: f32 = 40.0;
/// Content is compressed so much: more takes longer and gains little.
const LEVEL: u8 = 6;

/// Why a PDF could not be made.
#[derive(Debug)]
pub struct PdfError(String);

impl std::fmt::Display for PdfError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "the PDF could not be made: {}", self.0)
    }
}

impl std::error::Error for PdfError {}

/// A font as `fonts/make` prepares it.
struct Prepared {
    name: &'static str,
    /// The length of the font file, then the file compressed.
    file: &'static [u8],
    /// Each sign with its glyph, in order of signs.
    glyphs: &'static [u8],
    /// The box that all glyphs lie in, in thousandths of the size.
    bounds: [i16; 4],
}

const FONTS: [Prepared; 2] = [
    Prepared {
        name: "WNDXAA+DejaVuSansMono",
        file: include_bytes!("../fonts/mono.ttf.z"),
        glyphs: include_bytes!("../fonts/mono.map"),
        bounds: [-196, -280, 646, 981],
    },
    Prepared {
        name: "WNDXAB+DejaVuSansMono-Bold",
        file: include_bytes!("../fonts/mono-bold.ttf.z"),
        glyphs: include_bytes!("../fonts/mono-bold.map"),
        bounds: [-243, -272, 711, 1000],
    },
];

/// The pair of two numbers that stands at an index of a table.
fn pair(table: &[u8], index: usize) -> Option<(u16, u16)> {
    let bytes = table.get(4 * index..4 * index + 4)?;
    Some((u16::from_le_bytes([bytes[0], bytes[1]]), u16::from_le_bytes([bytes[2], bytes[3]])))
}

impl Prepared {
    /// The glyph of a sign.
    fn glyph(&self, sign: char) -> Option<u16> {
        let wanted = u16::try_from(u32::from(sign)).ok()?;
        let (mut from, mut to) = (0, self.glyphs.len() / 4);
        while from < to {
            let middle = usize::midpoint(from, to);
            let (known, glyph) = pair(self.glyphs, middle)?;
            match known.cmp(&wanted) {
                std::cmp::Ordering::Equal => return Some(glyph),
                std::cmp::Ordering::Less => from = middle + 1,
                std::cmp::Ordering::Greater => to = middle,
            }
        }
        None
    }

    /// Writes the font into a document, under five references from `first` on.
    fn write(&self, pdf: &mut Pdf, first: Ref) {
        let at = |number: i32| Ref::new(first.get() + number);
        let info = SystemInfo { registry: Str(b"Adobe"), ordering: Str(b"Identity"), supplement: 0 };
        let name = Name(self.name.as_bytes());
        pdf.type0_font(first)
            .base_font(name)
            .encoding_predefined(Name(b"Identity-H"))
            .descendant_font(at(1))
            .to_unicode(at(3));
        let mut font = pdf.cid_font(at(1));
        font.subtype(CidFontType::Type2).base_font(name).system_info(info).font_descriptor(at(2));
        // Readers there are take a whole number only as the width of all glyphs; the list has it exactly.
        let width = ADVANCE * 1000.0;
        font.default_width(width.round()).cid_to_gid_map_predefined(Name(b"Identity"));
        font.widths().same(0, u16::MAX, width);
        font.finish();
        let bounds = self.bounds.map(f32::from);
        let mut descriptor = pdf.font_descriptor(at(2));
        descriptor.name(name).flags(FontFlags::FIXED_PITCH | FontFlags::SYMBOLIC);
        descriptor.bbox(Rect::new(bounds[0], bounds[1], bounds[2], bounds[3])).italic_angle(0.0);
        descriptor.ascent(928.0).descent(-236.0).cap_height(729.0).stem_v(80.0).font_file2(at(4));
        descriptor.finish();
        let mut signs = UnicodeCmap::<u16>::new(Name(b"signs"), info);
        let mut seen = std::collections::BTreeSet::new();
        for (sign, glyph) in (0..self.glyphs.len() / 4).filter_map(|index| pair(self.glyphs, index)) {
            // A glyph that several signs share is read as the first of them.
            if let Some(sign) = char::from_u32(sign.into()).filter(|_| seen.insert(glyph)) {
                signs.pair(glyph, sign);
            }
        }
        pdf.cmap(at(3), signs.finish().as_slice());
        let (length, file) = self.file.split_at(4);
        let length = u32::from_le_bytes([length[0], length[1], length[2], length[3]]);
        let mut stream = pdf.stream(at(4), file);
        stream.filter(Filter::FlateDecode);
        stream.pair(Name(b"Length1"), i32::try_from(length).unwrap_or(i32::MAX));
    }
}

/// Pictures as a PDF, each on a page of its size; what is larger than a page goes over several, of which those are left out
/// that nothing stands on.
pub fn to_pdf(scenes: &[Scene], look: Look, author: Option<&str>) -> Result<Vec<u8>, PdfError> {
    /// References behind those of the document: of each font, then of pages.
    const FONTS_AT: i32 = 10;
    const PAGES_AT: i32 = 30;
    let (catalog, tree, information) = (Ref::new(1), Ref::new(2), Ref::new(3));
    let fonts = [Ref::new(FONTS_AT), Ref::new(FONTS_AT + 5)];
    let mut pdf = Pdf::new();
    pdf.catalog(catalog).pages(tree);
    let mut about = pdf.document_info(information);
    about.creator(TextStr("Wendax"));
    if let Some(first) = scenes.first() {
        about.title(TextStr(&first.title));
    }
    if let Some(author) = author {
        about.author(TextStr(author));
    }
    about.finish();
    let mut pages = Vec::new();
    let mut is_used = [false; 2];
    for scene in scenes {
        let parts = parts(scene.size);
        let is_whole = parts.len() == 1;
        for part in parts.iter().filter(|part| is_whole || scene.items.iter().any(|item| around(item).meets(part))) {
            if part.width <= 0.0 || part.height <= 0.0 {
                return Err(PdfError("a picture is empty".to_owned()));
            }
            let number =
                PAGES_AT + 2 * i32::try_from(pages.len()).map_err(|_| PdfError("it has too many pages".to_owned()))?;
            let (page, content) = (Ref::new(number), Ref::new(number + 1));
            let drawn = draw(scene, part, look, &mut is_used);
            let packed = miniz_oxide::deflate::compress_to_vec_zlib(&drawn, LEVEL);
            pdf.stream(content, &packed).filter(Filter::FlateDecode);
            let mut entry = pdf.page(page);
            entry.parent(tree).contents(content);
            entry.media_box(Rect::new(0.0, 0.0, part.width * POINT, part.height * POINT));
            let mut resources = entry.resources();
            resources.fonts().pair(Name(b"F0"), fonts[0]).pair(Name(b"F1"), fonts[1]);
            resources.finish();
            entry.finish();
            pages.push(page);
        }
    }
    let count = i32::try_from(pages.len()).map_err(|_| PdfError("it has too many pages".to_owned()))?;
    pdf.pages(tree).kids(pages).count(count);
    for ((font, place), _) in FONTS.iter().zip(fonts).zip(is_used).filter(|(_, is_used)| *is_used) {
        font.write(&mut pdf, place);
    }
    Ok(pdf.finish())
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

fn set_fill(content: &mut Content, look: Look, ink: Ink) {
    let [red, green, blue] = rgb(look, ink);
    content.set_fill_rgb(red, green, blue);
}

fn set_stroke(content: &mut Content, look: Look, stroke: Stroke) {
    let [red, green, blue] = rgb(look, stroke.ink);
    content.set_stroke_rgb(red, green, blue).set_line_width(stroke.width);
    content.set_dash_pattern(if stroke.is_dashed { [4.0, 3.0].as_slice() } else { &[] }.iter().copied(), 0.0);
}

fn rgb(look: Look, ink: Ink) -> [f32; 3] {
    let (red, green, blue) = look.rgb(ink);
    [red, green, blue].map(|part| f32::from(part) / 255.0)
}

fn shape(content: &mut Content, points: &[Point], is_closed: bool) -> bool {
    for (index, &(x, y)) in points.iter().enumerate() {
        if index == 0 {
            content.move_to(x, y);
        } else {
            content.line_to(x, y);
        }
    }
    if is_closed {
        content.close_path();
    }
    points.len() > 1
}

/// What a part of a picture is drawn by; the fonts it uses are noted.
fn draw(scene: &Scene, part: &Area, look: Look, is_used: &mut [bool; 2]) -> Vec<u8> {
    let mut content = Content::new();
    // The picture goes down from its upper left corner, a page up from its lower left one.
    content.transform([POINT, 0.0, 0.0, -POINT, -part.x * POINT, (part.y + part.height) * POINT]);
    set_fill(&mut content, look, Ink::Ground);
    content.rect(part.x, part.y, part.width, part.height).fill_nonzero();
    for item in scene.items.iter().filter(|item| around(item).meets(part)) {
        match item {
            Item::Box { area, fill, edge } => {
                if let Some(ink) = fill {
                    set_fill(&mut content, look, *ink);
                }
                if let Some(edge) = edge {
                    set_stroke(&mut content, look, *edge);
                }
                content.rect(area.x, area.y, area.width, area.height);
                match (fill, edge) {
                    (Some(_), Some(_)) => content.fill_nonzero_and_stroke(),
                    (Some(_), None) => content.fill_nonzero(),
                    (None, Some(_)) => content.stroke(),
                    (None, None) => content.end_path(),
                };
            }
            Item::Path { points, stroke, has_arrow } => {
                set_stroke(&mut content, look, *stroke);
                if shape(&mut content, points, false) {
                    content.stroke();
                } else {
                    content.end_path();
                }
                if *has_arrow && let Some(head) = arrow_head(points) {
                    set_fill(&mut content, look, stroke.ink);
                    shape(&mut content, &head, true);
                    content.fill_nonzero();
                }
            }
            Item::Surface { points, fill } => {
                set_fill(&mut content, look, *fill);
                shape(&mut content, points, true);
                content.fill_nonzero();
            }
            Item::Text { text, ink, size, is_bold, at, anchor } => {
                let Some(area) = item.text_area().filter(|_| !text.trim().is_empty()) else { continue };
                let x = if *anchor == Anchor::Start { at.0 } else { area.x };
                let font = usize::from(*is_bold);
                is_used[font] = true;
                set_fill(&mut content, look, *ink);
                write_text(&mut content, text, font, *size, (x, at.1));
            }
        }
    }
    content.finish().into_vec()
}

/// Writes a line of text: signs of no width with those before them, wide ones with room behind.
fn write_text(content: &mut Content, text: &str, font: usize, size: f32, (x, y): Point) {
    let name = if font == 0 { Name(b"F0") } else { Name(b"F1") };
    content.begin_text().set_font(name, size);
    // Upright again, which the picture is not.
    content.set_text_matrix([1.0, 0.0, 0.0, -1.0, x, y]);
    let mut positioned = content.show_positioned();
    let mut items = positioned.items();
    let mut run: Vec<u8> = Vec::new();
    for sign in text.chars() {
        let glyph = FONTS[font].glyph(sign).or_else(|| FONTS[font].glyph('?')).unwrap_or(0);
        run.extend(glyph.to_be_bytes());
        let wide = sign.width().unwrap_or(0);
        if wide != 1 {
            items.show(Str(&run));
            run.clear();
            // In thousandths, to the left.
            items.adjust(ADVANCE * 1000.0 * (1.0 - crate::scene::length(wide)));
        }
    }
    items.show(Str(&run));
    items.finish();
    positioned.finish();
    content.end_text();
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
