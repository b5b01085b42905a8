//! Which routine calls which, and the calls of one run over time.

use crate::chart::{axis, share};
use crate::layered::{Block, Edge, lay_out};
use crate::plan::{PITCH, SMALL, place, size, units};
use crate::scene::{Anchor, Area, Ink, LINE, MARGIN, SIZE, Scene, Stroke, TOP, length, text_width};
use std::collections::BTreeMap;
use wendax_session::{RoutineTally, Tally, grouped};

fn lines_of(routine: &RoutineTally, whole: u64) -> [String; 2] {
    let share = |part: u64| (part * 100).checked_div(whole).unwrap_or(0);
    [
        format!("own {} cycles, {} %", grouped(routine.own_cycles), share(routine.own_cycles)),
        format!("with calls {}, {} %", grouped(routine.all_cycles), share(routine.all_cycles)),
    ]
}

/// Which routine called which in a run, with counts and cycles.
pub fn calls(tally: &Tally) -> Scene {
    // What ran in no routine comes first, so that it stands at the top.
    let mut order: Vec<&RoutineTally> = tally.routines.iter().collect();
    order.sort_by_key(|routine| (routine.calls > 0, std::cmp::Reverse(routine.all_cycles)));
    // Of one name the first.
    let index: BTreeMap<&str, usize> =
        order.iter().enumerate().rev().map(|(index, routine)| (routine.name.as_str(), index)).collect();
    let mut edges = Vec::new();
    let mut labels = Vec::new();
    for (from, routine) in order.iter().enumerate() {
        for callee in &routine.callees {
            let Some(&to) = index.get(callee.name.as_str()) else { continue };
            let text = format!("{} \u{d7}  {} cycles", grouped(callee.times), grouped(callee.cycles));
            edges.push(Edge { from, to, label: units(text_width(&text, SMALL)) });
            labels.push(text);
        }
    }
    let widest = |routine: &&RoutineTally| {
        let lines = lines_of(routine, tally.cycles);
        let head = format!("{}   {} \u{d7}", routine.name, grouped(routine.calls));
        lines.iter().map(|line| text_width(line, SIZE)).fold(text_width(&head, SIZE), f32::max) + 20.0
    };
    let high = 3.0 * LINE + 16.0;
    let blocks: Vec<Block> =
        order.iter().map(|routine| Block { width: units(widest(routine)), height: units(high) }).collect();
    let laid = lay_out(&blocks, &edges, PITCH);
    let note = format!("{} routines, {} cycles", tally.routines.len(), grouped(tally.cycles));
    let mut scene = Scene::new("calls", &laid.noted(note));
    for line in laid.lines() {
        let stroke = Stroke::thin(Ink::Time).wide(1.2);
        scene.path(line.points.iter().map(|&point| place(point)).collect(), stroke, line.has_head);
    }
    for (route, text) in laid.routes.iter().zip(&labels) {
        if let Some(at) = route.label {
            let (x, y) = place(at);
            scene.write((x, y + 12.0), Anchor::Start, text, Ink::Quiet, SMALL);
        }
    }
    for (routine, &(x, y, width)) in order.iter().zip(&laid.blocks) {
        let (x, y) = place((x, y));
        let area = Area { x, y, width: size(width), height: size(units(high)) };
        scene.rectangle(area, Some(Ink::Raised), Some(Stroke::thin(Ink::Rule)));
        scene.put((x + 9.0, y + LINE), &routine.name, Ink::Place).bold();
        if routine.calls > 0 {
            let text = format!("{} \u{d7}", grouped(routine.calls));
            scene.write((x + area.width - 9.0, y + LINE), Anchor::End, &text, Ink::Quiet, SIZE);
        }
        for (row, text) in lines_of(routine, tally.cycles).iter().enumerate() {
            scene.put((x + 9.0, y + LINE * length(row + 2)), text, Ink::Text);
        }
        // A bar of its own part below.
        if tally.cycles > 0 {
            let part = share(routine.own_cycles, tally.cycles) * (area.width - 18.0);
            let bar = Area { x: x + 9.0, y: y + area.height - 8.0, width: part, height: 4.0 };
            scene.rectangle(bar, Some(Ink::Time), None);
        }
    }
    scene.finished()
}

/// The calls of one run over time: from left to right steps, from top to bottom depth.
pub fn tree(tally: &Tally) -> Scene {
    const WIDTH: f32 = 1100.0;
    const HIGH: f32 = 22.0;
    let steps = tally.steps().max(1);
    let note = match tally.stretches.len() {
        0 | 1 => format!("{} steps, no call", grouped(tally.steps())),
        count => format!("{} steps, {} drawn", grouped(tally.steps()), calls_words(count as u64 - 1)),
    };
    let mut scene = Scene::new("calls over time", &note);
    let x = |step: u64| MARGIN + share(step.saturating_sub(tally.from.0), steps) * WIDTH;
    // What is thinner than a line is drawn as one for all beside it.
    let mut drawn: Vec<f32> = Vec::new();
    let mut deepest = 0;
    for stretch in &tally.stretches {
        let (from, to) = (x(stretch.from.0), x(stretch.to.0));
        if drawn.len() <= stretch.depth {
            drawn.resize(stretch.depth + 1, f32::NEG_INFINITY);
        }
        if to - from < 0.6 && to - drawn[stretch.depth] < 0.6 {
            continue;
        }
        drawn[stretch.depth] = to;
        deepest = deepest.max(stretch.depth);
        let y = TOP + length(stretch.depth) * HIGH;
        let area = Area { x: from, y, width: (to - from).max(0.6), height: HIGH - 2.0 };
        let is_wide = area.width > 6.0;
        let fill = if stretch.depth % 2 == 0 { Ink::Raised } else { Ink::Ground };
        let edge = is_wide.then(|| Stroke::thin(Ink::Rule));
        scene.rectangle(area, Some(if is_wide { fill } else { Ink::Rule }), edge);
        let Some(routine) = tally.routines.get(stretch.routine) else { continue };
        let steps = grouped(stretch.to - stretch.from);
        for text in [format!("{}  {steps} steps", routine.name), routine.name.clone()] {
            if text_width(&text, SMALL) + 8.0 <= area.width {
                scene.write((from + 4.0, y + 14.0), Anchor::Start, &text, Ink::Text, SMALL);
                break;
            }
        }
    }
    let below = TOP + length(deepest + 1) * HIGH + 8.0;
    axis(&mut scene, below, WIDTH, (tally.from.0, tally.to.0), "steps");
    scene.finished()
}

fn calls_words(count: u64) -> String {
    if count == 1 { "1 call is".to_owned() } else { format!("{} calls are", grouped(count)) }
}
