//! A run over time: the depth of calls with what happened, and chosen things as levels; the same as a value change dump.

use crate::chart::{axis, share};
use crate::plan::SMALL;
use crate::scene::{Anchor, Ink, Item, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length, text_width};
use wendax_isa::StepNo;
use wendax_session::{Happening, Level, Session, What, forgotten_happenings, grouped, happenings};

/// The room of time.
const WIDTH: f32 = 1040.0;

/// The drawing of a run and of things followed through it, which are known up to a moment.
pub fn run(session: &Session, levels: &[Level], known: StepNo) -> Scene {
    let (from, to) = (session.oldest(), session.end());
    let mut note = format!("{} steps", grouped(to - from));
    // The cycles of all of it are those of its end.
    if session.now() == to {
        note = format!("{note}, {} cycles", grouped(session.machine().cycles()));
    }
    if known < to {
        note = format!("{note}; {}", too_much_changes(known));
    }
    match forgotten_happenings(session) {
        0 => {}
        1 => note.push_str("; one earlier line or interrupt is not drawn"),
        count => note.push_str(&format!("; {} earlier lines and interrupts are not drawn", grouped(count))),
    }
    let mut scene = Scene::new("run", &note);
    let steps = (to - from).max(1);
    let x = |step: StepNo| MARGIN + share(step.0.saturating_sub(from.0), steps) * WIDTH;
    let mut y = ribbon(&mut scene, session, TOP);
    y = marks(&mut scene, session, y, &x);
    axis(&mut scene, y + 4.0, WIDTH, (from.0, to.0), "steps");
    y += 38.0;
    for level in levels {
        y = chart(&mut scene, level, y, known, &x);
    }
    scene.finished()
}

/// That what is followed is known only up to a moment.
pub fn too_much_changes(known: StepNo) -> String {
    format!("too much changes: what is followed is not known behind step {}", grouped(known.0))
}

/// How deep calls were.
fn ribbon(scene: &mut Scene, session: &Session, top: f32) -> f32 {
    const COLUMNS: usize = 520;
    const HIGH: f32 = 56.0;
    let columns = session.ribbon().columns(session.end(), COLUMNS);
    let deepest = columns.iter().copied().max().unwrap_or(0).max(1);
    scene.put((MARGIN, top + 10.0), &format!("depth of calls, {deepest} at most"), Ink::Quiet);
    let base = top + 18.0 + HIGH;
    let wide = WIDTH / length(COLUMNS);
    let mut points = vec![(MARGIN, base)];
    for (index, depth) in columns.iter().enumerate() {
        // Outside of calls there is a thin line too.
        let y = base - share(u64::from(*depth), deepest.into()) * (HIGH - 3.0) - 3.0;
        let x = MARGIN + length(index) * wide;
        points.extend([(x, y), (x + wide, y)]);
    }
    points.push((MARGIN + WIDTH, base));
    scene.items.push(Item::Surface { points: points.clone(), fill: Ink::Raised });
    scene.path(points, Stroke::thin(Ink::Time), false);
    base + 4.0
}

/// What happened, each kind in a row of its own.
fn marks(scene: &mut Scene, session: &Session, top: f32, x: &dyn Fn(StepNo) -> f32) -> f32 {
    const KINDS: [(What, &str, &str); 6] = [
        (What::Stop, "\u{25c6}", "stopped"),
        (What::Typed, "\u{25b8}", "typed"),
        (What::ByHand, "\u{270e}", "by hand"),
        (What::Fault, "\u{2715}", "failed"),
        (What::Interrupt, "!", "interrupts"),
        (What::Printed, "\u{25aa}", "printed"),
    ];
    let all = happenings(session);
    let mut y = top;
    for (what, sign, name) in KINDS {
        let here: Vec<&Happening> = all.iter().filter(|happening| happening.what == what).collect();
        if here.is_empty() {
            continue;
        }
        y += LINE;
        scene.write((MARGIN + WIDTH + 12.0, y), Anchor::Start, &format!("{name} ({})", here.len()), Ink::Quiet, SMALL);
        let mut last = f32::NEG_INFINITY;
        for happening in here {
            let at = x(happening.step);
            // What would lie over the one before is seen there.
            if at - last < 4.0 {
                continue;
            }
            last = at;
            let ink = if what == What::Fault { Ink::Trouble } else { Ink::Place };
            scene.write((at, y), Anchor::Middle, sign, ink, SIZE);
        }
    }
    y
}

/// A thing's values over time: of one bit as a line that is low or high, of more as stretches with the value in them.
fn chart(scene: &mut Scene, level: &Level, top: f32, end: StepNo, x: &dyn Fn(StepNo) -> f32) -> f32 {
    const HIGH: f32 = 18.0;
    let count = level.changes.len().saturating_sub(1);
    let changes = if count == 1 { "change" } else { "changes" };
    let head = format!("{}   {} {changes}", level.name, grouped(count as u64));
    scene.put((MARGIN, top + 10.0), &head, Ink::Place);
    let bits: Vec<u32> = if level.bits > 1 && single_bits(level) { used_bits(level) } else { Vec::new() };
    let mut y = top + 16.0;
    if level.bits == 1 {
        return line(scene, level, None, y, end, x) + 10.0;
    }
    if !bits.is_empty() {
        for bit in bits {
            scene.write((MARGIN + WIDTH + 12.0, y + 12.0), Anchor::Start, &format!("bit {bit}"), Ink::Quiet, SMALL);
            y = line(scene, level, Some(bit), y, end, x);
        }
        return y + 10.0;
    }
    let digits = (level.bits / 4).max(1) as usize;
    let mut drawn = f32::NEG_INFINITY;
    for (index, &(step, value)) in level.changes.iter().enumerate() {
        let to = x(level.changes.get(index + 1).map_or(end, |next| next.0));
        let from = x(step);
        // What is thinner than a line is drawn as one for all beside it.
        if to - drawn < 1.0 && index + 1 < level.changes.len() {
            continue;
        }
        let from = from.max(drawn);
        drawn = to;
        if to - from < 4.0 {
            scene.line((from, y), (from, y + HIGH), Stroke::thin(Ink::Quiet));
            continue;
        }
        let slant = 2.0;
        let middle = y + HIGH / 2.0;
        let upper = vec![(from, middle), (from + slant, y), (to - slant, y), (to, middle)];
        let lower = vec![(from, middle), (from + slant, y + HIGH), (to - slant, y + HIGH), (to, middle)];
        scene.path(upper, Stroke::thin(Ink::Quiet), false);
        scene.path(lower, Stroke::thin(Ink::Quiet), false);
        let text = format!("{value:0digits$X}");
        if text_width(&text, SMALL) + 8.0 <= to - from {
            scene.write((f32::midpoint(from, to), y + 13.0), Anchor::Middle, &text, Ink::Text, SMALL);
        }
    }
    y + HIGH + 14.0
}

/// One bit as a line that is low or high.
fn line(scene: &mut Scene, level: &Level, bit: Option<u32>, top: f32, end: StepNo, x: &dyn Fn(StepNo) -> f32) -> f32 {
    const HIGH: f32 = 12.0;
    let is_high = |value: u64| bit.map_or(value, |bit| value >> bit & 1) != 0;
    let y = |value: u64| if is_high(value) { top + 2.0 } else { top + 2.0 + HIGH };
    let mut points: Vec<(f32, f32)> = Vec::new();
    for &(step, value) in &level.changes {
        let at = x(step);
        if let Some(&(_, before)) = points.last() {
            if (before - y(value)).abs() < 0.1 {
                continue;
            }
            points.push((at, before));
        }
        points.push((at, y(value)));
    }
    if let Some(&(_, last)) = points.last() {
        points.push((x(end), last));
    }
    scene.path(points, Stroke::thin(Ink::Time).wide(1.4), false);
    top + HIGH + 8.0
}

/// Its bits are things of their own, such as lamps and levers: it has no more than one or two of them on at a time, or is
/// called so.
fn single_bits(level: &Level) -> bool {
    ["lamps", "levers"].iter().any(|name| level.name.to_ascii_lowercase().contains(name))
}

/// The bits that ever change.
fn used_bits(level: &Level) -> Vec<u32> {
    let changed = level.changes.windows(2).fold(0, |sum, pair| sum | (pair[0].1 ^ pair[1].1));
    (0..level.bits).filter(|bit| changed >> bit & 1 != 0).collect()
}

/// Things over time as a value change dump (IEEE 1364): a step is one unit of time.
/// They are known up to a moment, which a comment says when that is not the end of the run.
pub fn to_vcd(levels: &[Level], known: StepNo, end: StepNo) -> std::io::Result<Vec<u8>> {
    use vcd::{SimulationCommand, TimescaleUnit, Value, VarType, Writer};
    let mut out = Vec::new();
    let mut writer = Writer::new(&mut out);
    writer.comment("a unit of time is one step of the run")?;
    if known < end {
        writer.comment(&too_much_changes(known))?;
    }
    writer.timescale(1, TimescaleUnit::NS)?;
    writer.add_module("run")?;
    let mut codes = Vec::new();
    for level in levels {
        let name: String = level.name.chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
        codes.push(writer.add_var(VarType::Wire, level.bits, &name, None)?);
    }
    writer.upscope()?;
    writer.enddefinitions()?;
    let mut changes: Vec<(StepNo, usize, u64)> = Vec::new();
    for (index, level) in levels.iter().enumerate() {
        changes.extend(level.changes.iter().map(|&(step, value)| (step, index, value)));
    }
    changes.sort_by_key(|change| (change.0, change.1));
    let first = changes.first().map(|change| change.0);
    let mut now = None;
    for (step, index, value) in changes {
        if now != Some(step) {
            if now.is_some() && now == first {
                writer.end()?;
            }
            writer.timestamp(step.0)?;
            if Some(step) == first {
                writer.begin(SimulationCommand::Dumpvars)?;
            }
            now = Some(step);
        }
        let bits = levels[index].bits;
        let values: Vec<Value> =
            (0..bits).rev().map(|bit| if value >> bit & 1 == 0 { Value::V0 } else { Value::V1 }).collect();
        if let [only] = values.as_slice() {
            writer.change_scalar(codes[index], *only)?;
        } else {
            writer.change_vector(codes[index], values)?;
        }
    }
    if now.is_some() && now == first {
        writer.end()?;
    }
    writer.timestamp(known.0)?;
    Ok(out)
}
