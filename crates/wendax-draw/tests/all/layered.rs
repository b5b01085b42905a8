//! What always holds of a graph that was laid out, on random graphs: nothing overlaps, and edges run around blocks.

use proptest::prelude::*;
use wendax_draw::{Block, Edge, End, Laid, Pitch, lay_out};

const PITCH: Pitch = Pitch { lane: 2, track: 2, label: 2 };

/// A rectangle: left, top, right, bottom.
type Rectangle = (i32, i32, i32, i32);

fn meet(one: Rectangle, other: Rectangle) -> bool {
    one.0 < other.2 && other.0 < one.2 && one.1 < other.3 && other.1 < one.3
}

/// Whether a place lies on a line of corners.
fn lies_on(points: &[(i32, i32)], (x, y): (i32, i32)) -> bool {
    points.windows(2).any(|pair| {
        let ((x1, y1), (x2, y2)) = (pair[0], pair[1]);
        (x1.min(x2)..=x1.max(x2)).contains(&x) && (y1.min(y2)..=y1.max(y2)).contains(&y)
    })
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
        let arrives = |last: (i32, i32)| last.1 == to.1 && (to.0..to.2).contains(&last.0);
        let ends_well = match route.end {
            End::Block => arrives(last),
            End::Open => false,
            End::Trunk(trunk) => {
                let trunk = &laid.trunks[trunk];
                trunk.edges.contains(&index)
                    && lies_on(&trunk.points, last)
                    && trunk.points.last().copied().is_some_and(arrives)
            }
        };
        if !ends_well {
            return Some(format!("edge {index} does not come to its block"));
        }
    }
    for (index, line) in laid.lines().enumerate() {
        for pair in line.points.windows(2) {
            let (a, b) = (pair[0], pair[1]);
            if a.0 != b.0 && a.1 != b.1 {
                return Some(format!("line {index} runs askew"));
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
                return Some(format!("line {index} runs through block {block}: {a:?} {b:?}"));
            }
        }
    }
    for (index, (edge, route)) in edges.iter().zip(&laid.routes).enumerate() {
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
    for (index, line) in laid.lines().enumerate() {
        for pair in line.points.windows(2) {
            let (a, b) = (pair[0], pair[1]);
            let line = (a.0.min(b.0), a.1.min(b.1), a.0.max(b.0), a.1.max(b.1));
            let crosses = |label: &Rectangle| {
                line.0 < label.2 && line.2 > label.0 && line.1 < label.3 && line.3 > label.1
                    || line.0 == line.2 && line.0 > label.0 && line.0 < label.2 && line.1 < label.3 && line.3 > label.1
            };
            if labels.iter().any(crosses) {
                return Some(format!("line {index} runs through a label"));
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

/// Blocks below each other, each of which leads to the next one, and edges besides.
fn tower(count: usize, more: impl Iterator<Item = (usize, usize)>) -> (Vec<Block>, Vec<Edge>) {
    let edge = |(from, to)| Edge { from, to, label: 3 };
    let edges = (1..count).map(|to| (to - 1, to)).chain(more).map(edge).collect();
    (vec![Block { width: 10, height: 3 }; count], edges)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn many_edges_to_few_blocks_share_what_leads_there(
        count in 10usize..40,
        targets in proptest::collection::vec(0usize..40, 1..3),
        edges in proptest::collection::vec((0usize..40, 0usize..3), 20..80),
    ) {
        let more = edges.iter().map(|&(from, to)| (from % count, targets[to % targets.len()] % count));
        let (blocks, edges) = tower(count, more);
        let laid = lay_out(&blocks, &edges, PITCH);
        let why = wrong(&blocks, &edges, &laid);
        prop_assert!(why.is_none(), "{}", why.unwrap_or_default());
        // Each edge runs along one line at its beginning, and along at most one more.
        let trunks = laid.lines().filter(|line| line.edges.len() > 1).count();
        prop_assert_eq!(trunks, laid.trunks.len());
        for (index, route) in laid.routes.iter().enumerate() {
            let sharing = laid.trunks.iter().filter(|trunk| trunk.edges.contains(&index)).count();
            prop_assert_eq!(sharing, usize::from(matches!(route.end, End::Trunk(_))));
        }
    }
}

#[test]
fn a_thousand_edges_to_one_block_are_as_wide_as_one() {
    let (blocks, edges) = tower(1001, (0..999).map(|from| (from, 1000)));
    let laid = lay_out(&blocks, &edges, PITCH);
    assert_eq!(laid.trunks.len(), 1);
    assert_eq!(laid.trunks[0].edges.len(), 999);
    assert!(laid.size.0 < 40, "{:?}", laid.size);
    let (blocks, edges) = tower(1001, (1..1000).map(|from| (from, 0)));
    let laid = lay_out(&blocks, &edges, PITCH);
    assert_eq!(laid.trunks[0].edges.len(), 999, "those that lead back share one as well");
    assert_eq!(laid.left_open(), "");
}

#[test]
fn more_ways_than_there_are_lanes_for_are_cut_off_and_counted() {
    let count = 2000;
    let (blocks, edges) = tower(count, (0..count / 2).map(|from| (from, count - 1 - from)));
    let laid = lay_out(&blocks, &edges, PITCH);
    let open: Vec<usize> = (0..edges.len()).filter(|&edge| laid.routes[edge].end == End::Open).collect();
    assert_eq!(laid.left_open(), format!("the {} longest ways are cut off below their blocks", open.len()));
    let length = |edge: usize| edges[edge].to - edges[edge].from;
    let drawn = (0..edges.len()).filter(|edge| !open.contains(edge)).map(length).max();
    assert!(!open.is_empty() && open.iter().map(|&edge| length(edge)).min() > drawn, "the longest are cut off");
    for &edge in &open {
        let (x, y, width) = laid.blocks[edges[edge].from];
        let [first, last] = laid.routes[edge].points[..] else { panic!("{:?}", laid.routes[edge]) };
        assert_eq!((first.1, last.0), (y + 3, first.0));
        assert!((x..x + width).contains(&first.0) && last.1 > first.1);
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
