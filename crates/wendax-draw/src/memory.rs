//! All of memory: regions and labels with their sizes, what is used and left, what was touched how often.

use crate::chart::share;
use crate::plan::SMALL;
use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, fitted, length};
use wendax_image::Symbol;
use wendax_isa::Addr;
use wendax_machine::{CellState, Region, RegionKind};
use wendax_session::{Session, Tally, grouped, region_name};

/// Labels drawn of a region, at most.
const MOST: usize = 60;

/// A part of a region: from a label to the next.
struct Part {
    name: String,
    from: Addr,
    to: Addr,
}

/// The map of a program's memory at the present moment; counts come from a tally of its run.
pub fn memory(session: &Session, tally: Option<&Tally>) -> Scene {
    const STRIP: f32 = 46.0;
    const NAME: f32 = 190.0;
    const BAR: f32 = 150.0;
    let machine = session.machine();
    let target = machine.target();
    let regions = machine.regions();
    let mapped: u64 = regions.iter().map(|region| u64::from(region.length)).sum();
    let whole = target.memory_size();
    // Names stand behind addresses, which may be long.
    let name_at = 28.0 + 7.0 * length(target.hex_address(Addr(0)).len());
    let note =
        format!("{} of {} bytes are mapped, at step {}", grouped(mapped), grouped(whole), grouped(session.now().0));
    let mut scene = Scene::new("memory", &note);
    let left = MARGIN + STRIP + 60.0;
    let mut y = TOP;
    let mut boxes: Vec<(Region, f32, f32)> = Vec::new();
    let mut before = Addr(0);
    let (touch, most) = touches(tally);
    for region in &regions {
        if region.start > before {
            let text = format!(
                "{} \u{2013} {}   no memory, {} bytes",
                target.marked_address(before),
                target.marked_address(Addr(region.start.0 - 1)),
                grouped((region.start - before).into())
            );
            scene.put((left, y + LINE - 4.0), &text, Ink::Faint);
            y += LINE + 4.0;
        }
        before = region.end();
        let parts = parts(session, region);
        let rows = parts.len().min(MOST);
        let high = LINE * length(rows + 1) + 14.0;
        let area = Area { x: left, y, width: NAME + BAR + 430.0, height: high };
        scene.rectangle(area, Some(Ink::Raised), Some(Stroke::thin(Ink::Rule)));
        boxes.push((*region, y, high));
        scene.put((left + 10.0, y + LINE), region_name(region.kind), Ink::Place).bold();
        let range = format!(
            "{} \u{2013} {}   {} bytes, {} of them with a value",
            target.marked_address(region.start),
            target.marked_address(region.last()),
            grouped(region.length.into()),
            grouped(known(session, region.start, region.end()))
        );
        scene.put((left + 90.0, y + LINE), &range, Ink::Text);
        for (row, part) in parts.iter().take(rows).enumerate() {
            let y = y + LINE * length(row + 2);
            scene.put((left + 10.0, y), &target.hex_address(part.from), Ink::Faint);
            scene.put((left + name_at, y), &fitted(&part.name, 22), Ink::Text);
            let bytes = part.to - part.from;
            let at = left + NAME + 30.0;
            let width = share(bytes.into(), region.length.into()) * BAR;
            if region.kind != RegionKind::Devices {
                let used = share(known(session, part.from, part.to), bytes.into()) * width;
                let all = Area { x: at, y: y - 9.0, width: width.max(1.0), height: 9.0 };
                scene.rectangle(all, None, Some(Stroke::thin(Ink::Quiet)));
                if used > 0.0 {
                    scene.rectangle(Area { width: used, ..all }, Some(Ink::Quiet), None);
                }
            }
            let text = format!("{} bytes", grouped(bytes.into()));
            scene.write((at + BAR + 90.0, y), Anchor::End, &text, Ink::Quiet, SIZE);
            if let Some(tally) = tally {
                let (read, written) = touch(part.from, part.to);
                let ran = ran(tally, part.from, part.to);
                let at = at + BAR + 110.0;
                let mut words = Vec::new();
                if ran > 0 {
                    words.push(format!("{} instructions ran", grouped(ran)));
                }
                if read + written > 0 {
                    words.push(format!("read {}, written {}", grouped(read), grouped(written)));
                }
                let is_idle = words.is_empty();
                let idle = if region.kind == RegionKind::Code { "never ran" } else { "not touched" };
                let text = if is_idle { idle.to_owned() } else { words.join(", ") };
                scene.put((at, y), &text, if is_idle { Ink::Faint } else { Ink::Text });
                let bar = share(read + written, most) * 100.0;
                if bar > 0.0 {
                    scene.rectangle(Area { x: at, y: y + 2.5, width: bar, height: 2.0 }, Some(Ink::Time), None);
                }
            }
        }
        if parts.len() > rows {
            let text = format!("\u{2026} {} more labels", parts.len() - rows);
            scene.put((left + name_at, y + high + 12.0), &text, Ink::Faint);
            y += LINE;
        }
        y += high + 8.0;
    }
    strip(&mut scene, &boxes, (TOP, y - 8.0), left, whole);
    scene.finished()
}

/// All of memory to scale, and lines to where each region is told of.
fn strip(scene: &mut Scene, boxes: &[(Region, f32, f32)], (top, bottom): (f32, f32), left: f32, whole: u64) {
    const WIDTH: f32 = 40.0;
    let at = |address: Addr| top + share(address.0.into(), whole) * (bottom - top);
    scene.rectangle(
        Area { x: MARGIN, y: top, width: WIDTH, height: bottom - top },
        None,
        Some(Stroke::thin(Ink::Rule).dashed()),
    );
    for (region, y, high) in boxes {
        let (from, to) = (at(region.start), at(region.end()));
        let area = Area { x: MARGIN, y: from, width: WIDTH, height: (to - from).max(1.5) };
        scene.rectangle(area, Some(Ink::Place), Some(Stroke::thin(Ink::Ground)));
        let middle = f32::midpoint(from, to);
        scene.line((MARGIN + WIDTH, middle), (left, y + high / 2.0), Stroke::thin(Ink::Rule));
    }
    scene.write((MARGIN, bottom + 14.0), Anchor::Start, "to scale", Ink::Quiet, SMALL);
}

/// The parts of a region: what each label stands for; what lies before the first is nameless.
fn parts(session: &Session, region: &Region) -> Vec<Part> {
    if region.kind == RegionKind::Devices {
        let target = session.machine().target();
        let devices = target.devices.iter();
        let size = target.word_bytes();
        let part = |device: &wendax_isa::DeviceRegister| Part {
            name: device.name.to_owned(),
            from: device.address,
            to: device.address + size,
        };
        return devices.map(part).collect();
    }
    let inside = |at: &Addr| region.contains(*at);
    let mut labels: Vec<(Addr, &str)> = session
        .image()
        .labels()
        .filter(|label: &&Symbol| !label.is_private())
        .filter_map(|label| Some((label.address()?, label.name.as_str())))
        .filter(|(at, _)| inside(at))
        .collect();
    labels.sort_unstable();
    labels.dedup_by_key(|label| label.0);
    let ends: Vec<Addr> = labels.iter().skip(1).map(|label| label.0).chain([region.end()]).collect();
    let parts = labels.iter().zip(ends).map(|(&(from, name), to)| Part { name: name.to_owned(), from, to });
    parts.collect()
}

/// Cells of a range that have a value.
fn known(session: &Session, from: Addr, to: Addr) -> u64 {
    from.up_to(to).filter(|&at| matches!(session.machine().cell(at), CellState::Known | CellState::Device)).count()
        as u64
}

/// How often a range was read and written, and the most of any label.
fn touches(tally: Option<&Tally>) -> (impl Fn(Addr, Addr) -> (u64, u64), u64) {
    let labels = tally.map(|tally| tally.labels.clone()).unwrap_or_default();
    let most = labels.iter().map(|label| label.read + label.written).max().unwrap_or(0);
    let of = move |from: Addr, to: Addr| {
        let inside = labels.iter().filter(|label| (from..to).contains(&label.address));
        inside.fold((0, 0), |sum, label| (sum.0 + label.read, sum.1 + label.written))
    };
    (of, most)
}

/// Instructions carried out in a range.
fn ran(tally: &Tally, from: Addr, to: Addr) -> u64 {
    tally.places.iter().filter(|place| (from..to).contains(&place.address)).map(|place| place.times).sum()
}
