//! What runs cost as bars: by routine, sort of instruction and line; of one run or of several beside each other.

use crate::chart::{axis, share};
use crate::plan::SMALL;
use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length, text_width};
use std::collections::BTreeMap;
use wendax_session::{LineTally, Tally, group_sums, grouped};

/// Bars of a part, at most.
const MOST: usize = 14;
/// The room of the longest bar.
const BAR: f32 = 420.0;

/// The fillings of bars that stand beside each other: told apart without colours by their edge and filling.
fn style(index: usize) -> (Option<Ink>, Option<Stroke>) {
    match index % 4 {
        0 => (Some(Ink::Time), None),
        1 => (Some(Ink::Raised), Some(Stroke::thin(Ink::Place).wide(1.4))),
        2 => (Some(Ink::Fresh), None),
        _ => (Some(Ink::Ground), Some(Stroke::thin(Ink::Quiet).dashed())),
    }
}

/// What bars are drawn of: names and cycles.
type Bars<'b> = dyn Fn(&Tally) -> Vec<(String, u64)> + 'b;

/// The charts of tallies.
pub fn tallies(tallies: &[&Tally]) -> Scene {
    let note = match tallies {
        [only] => format!("{} cycles, {} steps", grouped(only.cycles), grouped(only.steps())),
        several => format!("{} runs beside each other", several.len()),
    };
    let mut scene = Scene::new("tally", &note);
    let mut y = TOP;
    if tallies.len() > 1 {
        for (index, tally) in tallies.iter().enumerate() {
            let (fill, edge) = style(index);
            scene.rectangle(Area { x: MARGIN, y: y + 2.0, width: 22.0, height: 10.0 }, fill, edge);
            let text = format!("{}  {} cycles", tally.name, grouped(tally.cycles));
            scene.put((MARGIN + 30.0, y + 11.0), &text, Ink::Text);
            y += LINE;
        }
        y += 8.0;
    }
    let routines = |tally: &Tally| -> Vec<(String, u64)> {
        tally.routines.iter().map(|one| (one.name.clone(), one.own_cycles)).collect()
    };
    let groups = |tally: &Tally| -> Vec<(String, u64)> {
        group_sums(&tally.kinds).into_iter().map(|(name, _, cycles)| (name, cycles)).collect()
    };
    let several = tallies.iter().any(|tally| tally.lines.iter().any(|line| line.file != tally.lines[0].file));
    let lines = |tally: &Tally| -> Vec<(String, u64)> {
        let mut lines: Vec<(String, u64)> =
            tally.lines.iter().map(|line| (line_name(line, several), line.cycles)).collect();
        lines.sort_by_key(|line| std::cmp::Reverse(line.1));
        lines
    };
    let parts: [(&str, &Bars<'_>); 3] =
        [("own cycles by routine", &routines), ("cycles by sort of instruction", &groups), ("cycles by line", &lines)];
    for (title, list) in parts {
        y = bars(&mut scene, y, title, tallies, list);
    }
    if let [only] = tallies {
        y = depths(&mut scene, y, only);
    }
    scene.reach((0.0, y));
    scene.finished()
}

/// A line by its number, with its file where there are several, and its text without the blanks that put it in columns.
fn line_name(line: &LineTally, several: bool) -> String {
    let words: Vec<&str> = line.text.split(';').next().unwrap_or(&line.text).split_whitespace().collect();
    let text: String = words.join(" ").chars().take(34).collect();
    let file = if several { format!("{}:", line.file) } else { String::new() };
    format!("{file}{}  {text}", line.line)
}

fn bars(scene: &mut Scene, top: f32, title: &str, tallies: &[&Tally], list: &Bars<'_>) -> f32 {
    let lists: Vec<Vec<(String, u64)>> = tallies.iter().map(|tally| list(tally)).collect();
    let mut names: Vec<(&str, u64)> = Vec::new();
    let mut places: BTreeMap<&str, usize> = BTreeMap::new();
    for (name, value) in lists.iter().flatten() {
        let place = *places.entry(name).or_insert(names.len());
        match names.get_mut(place) {
            Some(known) => known.1 = known.1.max(*value),
            None => names.push((name, *value)),
        }
    }
    names.retain(|name| name.1 > 0);
    names.sort_by_key(|name| std::cmp::Reverse(name.1));
    let (count, most) = (names.len(), names.first().map_or(0, |name| name.1));
    names.truncate(MOST);
    if names.is_empty() {
        return top;
    }
    scene.put((MARGIN, top + 12.0), title, Ink::Text).bold();
    let widest = names.iter().map(|name| text_width(name.0, SIZE)).fold(0.0, f32::max);
    let left = MARGIN + widest + 12.0;
    let high = 13.0 * length(tallies.len());
    let mut y = top + 22.0;
    for (name, _) in &names {
        scene.put((MARGIN, y + high / 2.0 + 4.0), name, Ink::Text);
        for (index, list) in lists.iter().enumerate() {
            let value = list.iter().find(|one| one.0 == *name).map_or(0, |one| one.1);
            let (fill, edge) = style(index);
            let y = y + 13.0 * length(index);
            let width = share(value, most) * BAR;
            scene.rectangle(Area { x: left, y: y + 1.5, width: width.max(0.5), height: 10.0 }, fill, edge);
            let whole = tallies[index].cycles.max(1);
            let percent = (value * 2000 / whole).div_ceil(2);
            let text = format!("{}  {}.{} %", grouped(value), percent / 10, percent % 10);
            scene.write((left + width + 6.0, y + 10.5), Anchor::Start, &text, Ink::Quiet, SMALL);
        }
        y += high + 4.0;
    }
    if count > names.len() {
        let text = format!("\u{2026} {} more", count - names.len());
        scene.write((left, y + 10.0), Anchor::Start, &text, Ink::Faint, SMALL);
        y += 14.0;
    }
    y + 16.0
}

/// The depth of the stack over time.
fn depths(scene: &mut Scene, top: f32, tally: &Tally) -> f32 {
    const WIDTH: f32 = 700.0;
    const HIGH: f32 = 70.0;
    let stack = &tally.stack;
    if stack.deepest == 0 {
        return top;
    }
    scene.put((MARGIN, top + 12.0), "depth of the stack over time", Ink::Text).bold();
    let text = format!("{} bytes at most, first at step {}", stack.deepest, grouped(stack.step.0));
    scene.put((MARGIN + 240.0, top + 12.0), &text, Ink::Quiet);
    let base = top + 26.0 + HIGH;
    let steps = tally.steps().max(1);
    let mut points = vec![(MARGIN, base)];
    for (index, depth) in (0u64..).zip(&stack.depths) {
        let x = |at: u64| MARGIN + share((at * stack.width).min(steps), steps) * WIDTH;
        let y = base - share(u64::from(*depth), stack.deepest.into()) * HIGH;
        points.extend([(x(index), y), (x(index + 1), y)]);
    }
    points.push((MARGIN + WIDTH, base));
    scene.items.push(crate::scene::Item::Surface { points: points.clone(), fill: Ink::Raised });
    scene.path(points, Stroke::thin(Ink::Place), false);
    axis(scene, base + 2.0, WIDTH, (tally.from.0, tally.to.0), "steps");
    base + 30.0
}
