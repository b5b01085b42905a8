//! A routine as blocks and the ways between them.

use crate::layered::{Block, Edge, Laid, lay_out};
use crate::plan::{PITCH, SMALL, place, size, units};
use crate::scene::{Area, Ink, LINE, SIZE, Scene, Stroke, length, text_width};
use wendax_isa::{Addr, Target};
use wendax_session::{Flow, FlowBlock, FlowEdge, counted, grouped};

/// Of a longer block only the beginning and the end are drawn, so many lines of each.
const MOST_LINES: usize = 16;
const SHOWN: usize = 6;

/// A block's lines as they are drawn: address and text, or that some are left out.
fn lines_of(target: &Target, block: &FlowBlock) -> Vec<(String, String)> {
    let line = |line: &wendax_session::FlowLine| (target.hex_address(line.address), line.text.clone());
    if block.lines.len() <= MOST_LINES {
        return block.lines.iter().map(line).collect();
    }
    let (first, last) = (&block.lines[..SHOWN], &block.lines[block.lines.len() - SHOWN..]);
    let left_out = block.lines.len() - 2 * SHOWN;
    let gap = (String::new(), format!("\u{2026} {left_out} more instructions"));
    first.iter().map(line).chain([gap]).chain(last.iter().map(line)).collect()
}

fn label(edge: &FlowEdge) -> String {
    edge.words(" \u{d7}")
}

fn size_of(target: &Target, block: &FlowBlock) -> (f32, f32) {
    let lines = lines_of(target, block);
    let head = text_width(&head_of(block), SIZE);
    let widest = lines.iter().map(|(_, text)| text_width(text, SIZE) + room_for_address(target)).fold(head, f32::max);
    (widest + 20.0, length(lines.len() + 1) * LINE + 10.0)
}

fn head_of(block: &FlowBlock) -> String {
    match block.times {
        Some(times) => format!("{}   {} \u{d7}", block.name, grouped(times)),
        None => block.name.clone(),
    }
}

/// Room for the address before an instruction.
fn room_for_address(target: &Target) -> f32 {
    text_width(&target.hex_address(Addr(0)), SIZE) + 13.0
}

/// Where blocks and ways of a routine come to lie, in units of some points.
fn lay_flow_out(flow: &Flow) -> Laid {
    let blocks: Vec<Block> = flow
        .blocks
        .iter()
        .map(|block| {
            let (width, height) = size_of(flow.target, block);
            Block { width: units(width), height: units(height) }
        })
        .collect();
    let edges: Vec<Edge> = flow
        .edges
        .iter()
        .map(|edge| Edge { from: edge.from, to: edge.to, label: units(text_width(&label(edge), SMALL)) })
        .collect();
    lay_out(&blocks, &edges, PITCH)
}

/// The drawing of a routine: the block that is next stands out, and the way that is gone from it now. How wide a way is says
/// how often it was gone.
pub fn flow(flow: &Flow, present: Option<usize>, way: Option<usize>) -> Scene {
    let blocks = flow.blocks.iter().filter(|block| !block.lines.is_empty()).count();
    let laid = lay_flow_out(flow);
    let mut scene =
        Scene::new(format!("flow of {}", flow.name), &laid.noted(counted(blocks as u64, "block", "blocks")));
    let most = flow.most();
    for line in laid.lines() {
        let is_gone = way.is_some_and(|way| line.edges.contains(&way));
        let ink = if is_gone { Ink::Time } else { Ink::Quiet };
        let stroke = match flow.along(&line.edges) {
            Some(0) if !is_gone => Stroke::thin(Ink::Faint).dashed(),
            Some(times) if times * 4 >= most => Stroke::thin(ink).wide(2.6),
            Some(times) if times * 40 >= most => Stroke::thin(ink).wide(1.7),
            _ => Stroke::thin(ink).wide(1.0),
        };
        scene.path(line.points.iter().map(|&point| place(point)).collect(), stroke, line.has_head);
    }
    for (edge, route) in flow.edges.iter().zip(&laid.routes) {
        if let Some(at) = route.label {
            let (x, y) = place(at);
            let ink = if edge.times == Some(0) { Ink::Faint } else { Ink::Quiet };
            scene.write((x, y + 12.0), crate::scene::Anchor::Start, &label(edge), ink, SMALL);
        }
    }
    for (index, (block, &(x, y, width))) in flow.blocks.iter().zip(&laid.blocks).enumerate() {
        let (x, y) = place((x, y));
        let (_, height) = size_of(flow.target, block);
        let area = Area { x, y, width: size(width), height: size(units(height)) };
        let never = block.times == Some(0);
        let is_outside = block.lines.is_empty();
        let edge = match () {
            () if present == Some(index) => Stroke::thin(Ink::Time).wide(2.5),
            () if is_outside || never => Stroke::thin(Ink::Faint).dashed(),
            () => Stroke::thin(Ink::Rule),
        };
        scene.rectangle(area, (!is_outside).then_some(Ink::Raised), Some(edge));
        let ink = if never { Ink::Faint } else { Ink::Place };
        scene.put((x + 9.0, y + LINE), &block.name, ink).bold();
        if let Some(times) = block.times {
            let (text, ink) = match times {
                0 => ("never".to_owned(), Ink::Trouble),
                times => (format!("{} \u{d7}", grouped(times)), Ink::Quiet),
            };
            let at = (x + area.width - 9.0, y + LINE);
            scene.write(at, crate::scene::Anchor::End, &text, ink, SIZE);
        }
        for (row, (address, text)) in lines_of(flow.target, block).iter().enumerate() {
            let y = y + LINE * length(row + 2);
            scene.put((x + 9.0, y), address, Ink::Faint);
            let ink = if never || address.is_empty() { Ink::Faint } else { Ink::Text };
            scene.put((x + 9.0 + room_for_address(flow.target), y), text, ink);
        }
    }
    scene.finished()
}
