//! What always holds of a graph that was laid out, on random graphs: nothing overlaps, and edges run around blocks.

use proptest::prelude::*;
use wendax_draw::{Block, Edge, Laid, Pitch, lay_out};

const PITCH: Pitch = Pitch { lane: 2, track: 2, label: 2 };

/// A rectangle: left, top, right, bottom.
type Rectangle = (i32, i32, i32, i32);

fn meet(one: Rectangle, other: Rectangle) -> bool {
    one.0 < other.2 && other.0 < one.2 && one.1 < other.3 && other.1 < one.3
}

/// What is wrong with a layout, if something is.
fn wrong(blocks: &[Block], edges: &[Edge], laid: &Laid) -> Option<String> {
    let rectangles: Vec<Rectangle> =
        blocks.iter().zip(&laid.blocks).map(|(block, &(x, y, width))| (x, y, x + width, y + block.height)).collect();
    for (index, one) in rectangles.iter().enumerate() {
        if blocks[index].width > one.2 - one.0 {
            return Some(format!("block {index} has no room"));
        }
        if let Some(other) = rectangles[..index].iter().position(|other| meet(*one, *other)) {
            return Some(format!("blocks {other} and {index} overlap"));
        }
    }
    let mut labels: Vec<Rectangle> = Vec::new();
    for (index, (edge, route)) in edges.iter().zip(&laid.routes).enumerate() {
        let (from, to) = (rectangles[edge.from], rectangles[edge.to]);
        let (first, last) = (route.points[0], route.points[route.points.len() - 1]);
        if first.1 != from.3 || !(from.0..from.2).contains(&first.0) {
            return Some(format!("edge {index} does not begin below its block"));
        }
        if last.1 != to.1 || !(to.0..to.2).contains(&last.0) {
            return Some(format!("edge {index} does not end above its block"));
        }
        for pair in route.points.windows(2) {
            let (a, b) = (pair[0], pair[1]);
            if a.0 != b.0 && a.1 != b.1 {
                return Some(format!("edge {index} runs askew"));
            }
            // A line has no width: what it may not do is pass through the inside.
            let inside = |block: &Rectangle| {
                let (left, right) = (a.0.min(b.0), a.0.max(b.0));
                let (top, bottom) = (a.1.min(b.1), a.1.max(b.1));
                left < block.2 && right > block.0 && top < block.3 && bottom > block.1
                    || left == right && left > block.0 && left < block.2 && top < block.3 && bottom > block.1
                    || top == bottom && top > block.1 && top < block.3 && left < block.2 && right > block.0
            };
            if let Some(block) = rectangles.iter().position(inside) {
                return Some(format!("edge {index} runs through block {block}: {a:?} {b:?}"));
            }
        }
        if let Some((x, y)) = route.label {
            let label = (x, y, x + edge.label, y + PITCH.label);
            if labels.iter().any(|other| meet(*other, label)) {
                return Some(format!("the label of edge {index} lies over another one"));
            }
            if let Some(block) = rectangles.iter().position(|block| meet(*block, label)) {
                return Some(format!("the label of edge {index} lies over block {block}"));
            }
            labels.push(label);
        }
    }
    for (index, route) in laid.routes.iter().enumerate() {
        for pair in route.points.windows(2) {
            let (a, b) = (pair[0], pair[1]);
            let line = (a.0.min(b.0), a.1.min(b.1), a.0.max(b.0), a.1.max(b.1));
            let crosses = |label: &Rectangle| {
                line.0 < label.2 && line.2 > label.0 && line.1 < label.3 && line.3 > label.1
                    || line.0 == line.2 && line.0 > label.0 && line.0 < label.2 && line.1 < label.3 && line.3 > label.1
            };
            if labels.iter().any(crosses) {
                return Some(format!("edge {index} runs through a label"));
            }
        }
    }
    None
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn nothing_overlaps_and_edges_run_around_blocks(
        blocks in proptest::collection::vec((1i32..40, 1i32..9), 1..24),
        edges in proptest::collection::vec((0usize..24, 0usize..24, 0i32..12), 0..60),
    ) {
        let blocks: Vec<Block> = blocks.into_iter().map(|(width, height)| Block { width, height }).collect();
        let count = blocks.len();
        let edges: Vec<Edge> =
            edges.into_iter().map(|(from, to, label)| Edge { from: from % count, to: to % count, label }).collect();
        let laid = lay_out(&blocks, &edges, PITCH);
        let why = wrong(&blocks, &edges, &laid);
        prop_assert!(why.is_none(), "{}", why.unwrap_or_default());
        prop_assert_eq!(&laid, &lay_out(&blocks, &edges, PITCH), "the same graph is laid out in the same way");
    }
}

#[test]
fn a_straight_line_of_blocks_is_drawn_straight() {
    let blocks = vec![Block { width: 20, height: 3 }; 5];
    let edges: Vec<Edge> = (0..4).map(|from| Edge { from, to: from + 1, label: 0 }).collect();
    let laid = lay_out(&blocks, &edges, PITCH);
    assert!(laid.routes.iter().all(|route| route.points.len() == 2), "{laid:?}");
    assert!(laid.blocks.iter().all(|block| block.0 == laid.blocks[0].0));
}
