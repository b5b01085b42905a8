//! Laying out a directed graph in layers, with edges that run around everything.
//!
//! Blocks stand in layers, an edge goes from the bottom of one to the top of another through channels between the layers.
//! Within a layer an edge has a lane of its own beside the blocks; within a channel it turns on a track of its own. Edges
//! that lead back run up in lanes like others run down. So what always holds: blocks do not overlap, no edge runs through
//! a block, labels stand below their block, each in its own room, and no track runs through one.
//!
//! Many long edges to one block share a trunk: lanes of which there is one in each layer, which each of them joins where
//! it comes to the first. What lanes cost is bounded: of too many, the longest edges are left open below their block.
//!
//! Units are whole and small: cells of a terminal, or some points of a drawing. Order and place within a layer are found
//! by averages of neighbours; the places then are the best there are for an order (least squares, by pooling). No library
//! found does the way of edges, which is most of it.

use std::collections::{BTreeMap, BTreeSet};

/// A block: its width and height.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Block {
    /// Its width.
    pub width: i32,
    /// Its height.
    pub height: i32,
}

/// An edge between blocks, by their indices.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Edge {
    /// Where it begins.
    pub from: usize,
    /// Where it ends.
    pub to: usize,
    /// The width of its label; 0 for none.
    pub label: i32,
}

/// Distances.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pitch {
    /// Between two lanes, and from a block to what is beside it.
    pub lane: i32,
    /// Between two tracks.
    pub track: i32,
    /// The height of a label.
    pub label: i32,
}

/// The way of an edge.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Route {
    /// Its corners, from the bottom of its block on.
    pub points: Vec<(i32, i32)>,
    /// Where the last of them lies.
    pub end: End,
    /// Where its label begins: the left upper corner.
    pub label: Option<(i32, i32)>,
}

/// Where the way of an edge ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum End {
    /// At the top of the other block.
    #[default]
    Block,
    /// On the trunk with this number, which leads on to the other block.
    Trunk(usize),
    /// Right below its own block: there are more and longer edges than lanes can be laid for.
    Open,
}

/// The way that many edges to one block have in common.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Trunk {
    /// Its corners, from where the first edge joins to the top of the block.
    pub points: Vec<(i32, i32)>,
    /// The edges that join it.
    pub edges: Vec<usize>,
}

impl Trunk {
    fn line(&self) -> Line<'_> {
        Line { points: &self.points, edges: self.edges.clone(), has_head: true }
    }
}

/// Where everything has come to stand.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Laid {
    /// The left upper corner of each block, and its width, which may be more than was asked for.
    pub blocks: Vec<(i32, i32, i32)>,
    /// The way of each edge.
    pub routes: Vec<Route>,
    /// What some of them share.
    pub trunks: Vec<Trunk>,
    /// How far all of it goes.
    pub size: (i32, i32),
}

/// A line of a drawing: a way or a trunk.
#[derive(Debug, Clone)]
pub struct Line<'a> {
    /// Its corners.
    pub points: &'a [(i32, i32)],
    /// The edges that run along it.
    pub edges: Vec<usize>,
    /// It ends with the head of an arrow; others run into a trunk.
    pub has_head: bool,
}

impl Laid {
    /// All lines, the trunks last, so that they lie over what joins them.
    pub fn lines(&self) -> impl Iterator<Item = Line<'_>> {
        let ways = self.routes.iter().enumerate().map(|(edge, route)| Line {
            points: &route.points,
            edges: vec![edge],
            has_head: !matches!(route.end, End::Trunk(_)),
        });
        ways.chain(self.trunks.iter().map(Trunk::line))
    }

    /// A note about the drawing, with what is to be said of ways that are left open.
    pub fn noted(&self, note: impl Into<String>) -> String {
        let mut note = note.into();
        let open = self.left_open();
        if !open.is_empty() {
            note.push_str("; ");
            note.push_str(&open);
        }
        note
    }

    /// That ways are left open, in words; empty when none is.
    pub fn left_open(&self) -> String {
        match self.routes.iter().filter(|route| route.end == End::Open).count() {
            0 => String::new(),
            count => format!("the {count} longest ways are cut off below their blocks"),
        }
    }
}

/// More long edges than these to one block share a trunk: side by side they would be a band that nobody can follow.
const SEVERAL: usize = 6;

/// So many lanes are laid at most. No routine that people write comes near; laying them takes a third of a second.
const MOST_LANES: usize = 100_000;

/// The edges that come to a block in one line: one, or many that share a trunk.
#[derive(Debug)]
struct Bundle {
    to: usize,
    is_back: bool,
    edges: Vec<usize>,
    /// The layers that it passes, where there are any.
    layers: std::ops::Range<usize>,
    /// Its lane in each of them.
    lanes: Vec<usize>,
}

impl Bundle {
    /// Its lane in a layer, when it passes that.
    fn lane_in(&self, layer: usize) -> Option<usize> {
        layer.checked_sub(self.layers.start).and_then(|place| self.lanes.get(place)).copied()
    }

    /// The lane that an edge joins whose block is in a layer.
    fn joined_from(&self, layer: usize) -> Option<usize> {
        self.lane_in(self.layer_from(layer))
    }

    /// The layer in which an edge joins whose block is in one: those that lead back beside it, others below.
    fn layer_from(&self, layer: usize) -> usize {
        if self.is_back { layer } else { layer + 1 }
    }

    /// The layer in which the first of its edges joins it.
    fn start(&self) -> usize {
        if self.is_back { self.layers.end.saturating_sub(1) } else { self.layers.start }
    }

    /// How far down its edges join it in a layer, by where channels and layers begin: those that lead back come from below.
    fn joined_at(&self, layer: usize, channels: &[i32], layers: &[i32]) -> i32 {
        if self.is_back { channels[layer + 1] } else { layers[layer] }
    }

    fn is_shared(&self) -> bool {
        self.edges.len() > 1
    }
}

/// What stands in a layer: a block, or the lane of an edge.
#[derive(Debug, Clone, Copy)]
struct Element {
    block: Option<usize>,
    layer: usize,
    width: i32,
    x: i32,
    /// It belongs to an edge that leads back.
    is_back: bool,
}

/// Which side of a channel a piece of an edge comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Side {
    Above,
    Below,
}

/// A piece of an edge within a channel.
#[derive(Debug, Clone, Copy)]
struct Piece {
    from: (Side, i32),
    to: (Side, i32),
    track: Option<usize>,
}

/// Pieces by channel: channel n lies above layer n, the last one below all.
struct Channels(Vec<Vec<Piece>>);

impl Channels {
    /// Adds a piece; returns where it is.
    fn add(&mut self, channel: usize, from: (Side, i32), to: (Side, i32)) -> (usize, usize) {
        self.0[channel].push(Piece { from, to, track: None });
        (channel, self.0[channel].len() - 1)
    }
}

struct Graph<'a> {
    blocks: &'a [Block],
    edges: &'a [Edge],
    pitch: Pitch,
    elements: Vec<Element>,
    /// Elements of each layer from left to right.
    layers: Vec<Vec<usize>>,
    /// The edges that leave each block.
    outs: Vec<Vec<usize>>,
    /// What comes to blocks.
    bundles: Vec<Bundle>,
    /// The bundle of each edge; none for those left open.
    bundle_of: Vec<Option<usize>>,
    /// Neighbours of each element in the layer above and in the one below.
    above: Vec<Vec<usize>>,
    below: Vec<Vec<usize>>,
}

/// Lays out blocks and edges. Edges to blocks that are not there are left without a way.
pub fn lay_out(blocks: &[Block], edges: &[Edge], pitch: Pitch) -> Laid {
    if blocks.is_empty() {
        return Laid { routes: vec![Route::default(); edges.len()], ..Laid::default() };
    }
    let mut graph = Graph::new(blocks, edges, pitch);
    graph.order();
    graph.place();
    graph.route()
}

impl<'a> Graph<'a> {
    fn new(blocks: &'a [Block], edges: &'a [Edge], pitch: Pitch) -> Self {
        let outs = outs(blocks.len(), edges);
        let (is_back, layers_of) = layering(&outs, edges);
        let count = layers_of.iter().max().map_or(1, |last| last + 1);
        let bundles = bundles(blocks.len(), edges, &is_back, &layers_of);
        let mut bundle_of = vec![None; edges.len()];
        for (number, bundle) in bundles.iter().enumerate() {
            bundle.edges.iter().for_each(|&edge| bundle_of[edge] = Some(number));
        }
        let mut graph = Self {
            blocks,
            edges,
            pitch,
            elements: Vec::new(),
            layers: vec![Vec::new(); count],
            outs,
            bundles: Vec::new(),
            bundle_of,
            above: Vec::new(),
            below: Vec::new(),
        };
        let mut ins = vec![0; blocks.len()];
        for bundle in &bundles {
            ins[bundle.to] += 1;
        }
        for (block, &layer) in layers_of.iter().enumerate() {
            let width = graph.width_of(block, ins[block]);
            graph.add(Element { block: Some(block), layer, width, x: 0, is_back: false });
        }
        for mut bundle in bundles {
            let lane = |layer| Element { block: None, layer, width: 1, x: 0, is_back: bundle.is_back };
            bundle.lanes = bundle.layers.clone().map(|layer| graph.add(lane(layer))).collect();
            for pair in bundle.lanes.windows(2) {
                graph.connect(pair[0], pair[1]);
            }
            if !bundle.is_back {
                // A trunk and the blocks whose edges join it do not go out of their ways for each other.
                if let [edge] = bundle.edges[..] {
                    graph.connect(edges[edge].from, bundle.lanes.first().copied().unwrap_or(bundle.to));
                }
                if let Some(&last) = bundle.lanes.last() {
                    graph.connect(last, bundle.to);
                }
            }
            graph.bundles.push(bundle);
        }
        graph
    }

    fn add(&mut self, element: Element) -> usize {
        self.elements.push(element);
        self.above.push(Vec::new());
        self.below.push(Vec::new());
        self.layers[element.layer].push(self.elements.len() - 1);
        self.elements.len() - 1
    }

    fn connect(&mut self, upper: usize, lower: usize) {
        self.below[upper].push(lower);
        self.above[lower].push(upper);
    }

    /// Room for a block's text, the lines that come, the edges that go, and their labels.
    fn width_of(&self, block: usize, ins: i32) -> i32 {
        let outs = self.outs[block].iter().map(|&edge| self.slot(self.edges[edge].label));
        let out = match self.outs[block].as_slice() {
            [_] => 2 * outs.sum::<i32>(),
            _ => outs.sum(),
        };
        self.blocks[block].width.max((ins + 1) * self.pitch.lane).max(out)
    }

    /// The room below a block for an edge with a label so wide.
    fn slot(&self, label: i32) -> i32 {
        label + 2 * self.pitch.lane
    }

    // ---- the order within layers

    fn order(&mut self) {
        const ROUNDS: usize = 6;
        let mut index = vec![0.0f64; self.elements.len()];
        for round in 0..ROUNDS {
            let down = round % 2 == 0;
            let count = self.layers.len();
            for step in 0..count {
                self.order_layer(if down { step } else { count - 1 - step }, down, &mut index);
            }
        }
    }

    /// Orders a layer by its neighbours in the one before; `index` has room for the place of each element.
    fn order_layer(&mut self, layer: usize, down: bool, index: &mut [f64]) {
        let near = match (down, layer) {
            (true, 0) => None,
            (true, layer) => Some(layer - 1),
            (false, layer) => Some(layer + 1).filter(|&next| next < self.layers.len()),
        };
        for at in [Some(layer), near].into_iter().flatten() {
            for (place, &element) in self.layers[at].iter().enumerate() {
                index[element] = float(place);
            }
        }
        let key = |&element: &usize| {
            let near = if down { &self.above[element] } else { &self.below[element] };
            let key = mean(near.iter().map(|&near| index[near])).unwrap_or(index[element]);
            // Lanes that lead back keep to the right of what they lead around.
            (if self.elements[element].is_back { key + 0.5 } else { key }, element)
        };
        let mut keyed: Vec<(f64, usize)> = self.layers[layer].iter().map(key).collect();
        keyed.sort_by(|one, other| one.0.total_cmp(&other.0).then(one.1.cmp(&other.1)));
        self.layers[layer] = keyed.into_iter().map(|(_, element)| element).collect();
    }

    // ---- places within layers

    fn place(&mut self) {
        const ROUNDS: usize = 10;
        for layer in 0..self.layers.len() {
            let mut x = 0;
            for &element in &self.layers[layer] {
                self.elements[element].x = x;
                x += self.elements[element].width + self.pitch.lane;
            }
        }
        for round in 0..ROUNDS {
            let down = round % 2 == 0;
            let count = self.layers.len();
            for step in 0..count {
                self.place_layer(if down { step } else { count - 1 - step }, down);
            }
        }
        let least = self.elements.iter().map(|element| element.x).min().unwrap_or(0);
        self.elements.iter_mut().for_each(|element| element.x -= least);
    }

    fn centre(&self, element: usize) -> f64 {
        let Element { x, width, .. } = self.elements[element];
        f64::from(x) + f64::from(width) / 2.0
    }

    /// The places nearest to the averages of the neighbours that keep order and distance.
    fn place_layer(&mut self, layer: usize, down: bool) {
        let mut offset = 0.0;
        // Runs of elements that stand as close as they may: the sum of weights, that of places times weights, how many.
        let mut runs: Vec<(f64, f64, usize)> = Vec::new();
        let mut offsets = Vec::new();
        for &element in &self.layers[layer] {
            let Element { width, x, block, .. } = self.elements[element];
            let near = if down { &self.above[element] } else { &self.below[element] };
            let wanted = mean(near.iter().map(|&near| self.centre(near)));
            let wanted = wanted.map_or(f64::from(x), |centre| centre - f64::from(width) / 2.0);
            // A lane that goes straight on reads best.
            let weight = if near.is_empty() {
                0.2
            } else if block.is_none() {
                4.0
            } else {
                1.0
            };
            runs.push((weight, weight * (wanted - offset), 1));
            while let [.., before, last] = runs.as_slice()
                && before.1 / before.0 > last.1 / last.0
            {
                let merged = (before.0 + last.0, before.1 + last.1, before.2 + last.2);
                runs.truncate(runs.len() - 2);
                runs.push(merged);
            }
            offsets.push(offset);
            offset += f64::from(width + self.pitch.lane);
        }
        let places = runs.iter().flat_map(|&(weight, sum, count)| std::iter::repeat_n(sum / weight, count));
        let mut least = i32::MIN;
        for ((place, offset), &element) in places.zip(offsets).zip(&self.layers[layer]) {
            let x = rounded(place + offset).max(least);
            self.elements[element].x = x;
            least = x + self.elements[element].width + self.pitch.lane;
        }
    }

    // ---- edges

    /// Where edges leave blocks, for each edge, and where bundles enter them, for each of those.
    fn ports(&self) -> (Vec<i32>, Vec<i32>) {
        let (mut leaves, mut enters) = (vec![0; self.edges.len()], vec![0; self.bundles.len()]);
        let mut ins: Vec<Vec<usize>> = vec![Vec::new(); self.blocks.len()];
        for (number, bundle) in self.bundles.iter().enumerate() {
            ins[bundle.to].push(number);
        }
        for (block, ins) in ins.iter_mut().enumerate() {
            let Element { x, width, layer, .. } = self.elements[block];
            let leads = |&edge: &usize| {
                let lane = self.bundle_of[edge].and_then(|number| self.bundles[number].joined_from(layer));
                self.centre(lane.unwrap_or(self.edges[edge].to))
            };
            let comes = |&number: &usize| {
                let bundle = &self.bundles[number];
                let last = if bundle.is_back { bundle.lanes.first() } else { bundle.lanes.last() };
                self.centre(last.copied().unwrap_or(self.edges[bundle.edges[0]].from))
            };
            let mut outs = self.outs[block].clone();
            outs.sort_by(|one, other| leads(one).total_cmp(&leads(other)).then(one.cmp(other)));
            ins.sort_by(|one, other| comes(one).total_cmp(&comes(other)).then(one.cmp(other)));
            match outs.as_slice() {
                [only] => leaves[*only] = x + width / 2,
                several => {
                    let needed: i32 = several.iter().map(|&edge| self.slot(self.edges[edge].label)).sum();
                    let spare = (width - needed) / whole(several.len().max(1));
                    let mut at = x;
                    for &edge in several {
                        leaves[edge] = at + self.pitch.lane.min(spare / 2 + self.pitch.lane);
                        at += self.slot(self.edges[edge].label) + spare;
                    }
                }
            }
            let count = whole(ins.len()) + 1;
            for (place, &number) in (1..).zip(&*ins) {
                enters[number] = x + place * width / count;
            }
        }
        (leaves, enters)
    }

    fn route(&self) -> Laid {
        let (leaves, enters) = self.ports();
        let mut channels = Channels(vec![Vec::new(); self.layers.len() + 1]);
        let mut ways: Vec<Option<(usize, usize)>> = vec![None; self.edges.len()];
        let mut trunks: Vec<Vec<(usize, usize)>> = vec![Vec::new(); self.bundles.len()];
        let x_of = |lane: usize| self.elements[lane].x;
        for (index, edge) in there(self.edges, self.blocks.len()) {
            let Some(number) = self.bundle_of[index] else { continue };
            let bundle = &self.bundles[number];
            let layer = self.elements[edge.from].layer;
            let side = if bundle.is_back { Side::Above } else { Side::Below };
            let to = (side, bundle.joined_from(layer).map_or(enters[number], x_of));
            ways[index] = Some(channels.add(layer + 1, (Side::Above, leaves[index]), to));
            if bundle.edges.first() == Some(&index) {
                trunks[number] = self.trunk(bundle, enters[number], &mut channels);
            }
        }
        let tracks: Vec<usize> = channels.0.iter_mut().map(|pieces| assign_tracks(pieces)).collect();
        let labels = self.labels();
        let (tops, channel_tops, height) = self.heights(&tracks, &labels);
        let corners = |(channel, piece): (usize, usize)| {
            let piece: &Piece = &channels.0[channel][piece];
            let y = |track| channel_tops[channel] + labels[channel] + self.pitch.track * (whole(track) + 1);
            let turn = piece.track.map(|track| [(piece.from.1, y(track)), (piece.to.1, y(track))]);
            turn.into_iter().flatten()
        };
        let end_of = |number: usize| (enters[number], tops[self.elements[self.bundles[number].to].layer]);
        let mut laid = Laid { size: (0, height), ..Laid::default() };
        for block in 0..self.blocks.len() {
            let Element { x, width, layer, .. } = self.elements[block];
            laid.blocks.push((x, tops[layer], width));
            laid.size.0 = laid.size.0.max(x + width);
        }
        let mut number_of = vec![0; self.bundles.len()];
        for (number, bundle) in self.bundles.iter().enumerate().filter(|(_, bundle)| bundle.is_shared()) {
            number_of[number] = laid.trunks.len();
            let start = bundle.joined_at(bundle.start(), &channel_tops, &tops);
            let start = bundle.lane_in(bundle.start()).map(|lane| (x_of(lane), start));
            let points = trunks[number].iter().flat_map(|&piece| corners(piece));
            let points = straightened(start.into_iter().chain(points).chain([end_of(number)]));
            laid.trunks.push(Trunk { points, edges: bundle.edges.clone() });
        }
        laid.routes = vec![Route::default(); self.edges.len()];
        for (index, edge) in there(self.edges, self.blocks.len()) {
            let layer = self.elements[edge.from].layer;
            let leaves = leaves[index];
            let bottom = tops[layer] + self.blocks[edge.from].height;
            let label = (edge.label > 0).then_some((leaves + 1, bottom));
            let (Some(number), Some(way)) = (self.bundle_of[index], ways[index]) else {
                let points = vec![(leaves, bottom), (leaves, bottom + self.pitch.track)];
                laid.size.1 = laid.size.1.max(bottom + self.pitch.track);
                laid.routes[index] = Route { points, end: End::Open, label };
                continue;
            };
            let bundle = &self.bundles[number];
            let points = [(leaves, bottom)].into_iter().chain(corners(way));
            laid.routes[index] = if bundle.is_shared() {
                let layer = bundle.layer_from(layer);
                let joined =
                    bundle.lane_in(layer).map(|lane| (x_of(lane), bundle.joined_at(layer, &channel_tops, &tops)));
                Route { points: straightened(points.chain(joined)), end: End::Trunk(number_of[number]), label }
            } else {
                let rest = trunks[number].iter().flat_map(|&piece| corners(piece));
                Route { points: straightened(points.chain(rest).chain([end_of(number)])), end: End::Block, label }
            };
        }
        let points = laid
            .routes
            .iter()
            .flat_map(|route| &route.points)
            .chain(laid.trunks.iter().flat_map(|trunk| &trunk.points));
        laid.size.0 = points.map(|point| point.0 + 1).fold(laid.size.0, i32::max);
        laid
    }

    /// The pieces of a bundle's way from lane to lane and into its block.
    fn trunk(&self, bundle: &Bundle, enters: i32, channels: &mut Channels) -> Vec<(usize, usize)> {
        let x_of = |lane: usize| self.elements[lane].x;
        let (Some(&first), Some(&last)) = (bundle.lanes.first(), bundle.lanes.last()) else { return Vec::new() };
        let pairs = bundle.lanes.windows(2).zip(bundle.layers.start + 1..bundle.layers.end);
        if bundle.is_back {
            let up = pairs
                .rev()
                .map(|(pair, channel)| (channel, (Side::Below, x_of(pair[1])), (Side::Above, x_of(pair[0]))));
            let into = (bundle.layers.start, (Side::Below, x_of(first)), (Side::Below, enters));
            up.chain([into]).map(|(channel, from, to)| channels.add(channel, from, to)).collect()
        } else {
            let down =
                pairs.map(|(pair, channel)| (channel, (Side::Above, x_of(pair[0])), (Side::Below, x_of(pair[1]))));
            let into = (bundle.layers.end, (Side::Above, x_of(last)), (Side::Below, enters));
            down.chain([into]).map(|(channel, from, to)| channels.add(channel, from, to)).collect()
        }
    }

    /// The room for labels at the top of each channel.
    fn labels(&self) -> Vec<i32> {
        let mut labels = vec![0; self.layers.len() + 1];
        for (_, edge) in there(self.edges, self.blocks.len()).filter(|(_, edge)| edge.label > 0) {
            labels[self.elements[edge.from].layer + 1] = self.pitch.label;
        }
        labels
    }

    /// The upper side of each layer and of each channel, and the height of all.
    fn heights(&self, tracks: &[usize], labels: &[i32]) -> (Vec<i32>, Vec<i32>, i32) {
        let (mut tops, mut channels) = (Vec::new(), Vec::new());
        let mut y = 0;
        for (channel, &count) in tracks.iter().enumerate() {
            channels.push(y);
            let is_edge = channel == 0 || channel == self.layers.len();
            if count > 0 || !is_edge {
                y += labels[channel] + self.pitch.track * (whole(count) + 1);
            }
            if let Some(layer) = self.layers.get(channel) {
                tops.push(y);
                let blocks = layer.iter().filter_map(|&element| self.elements[element].block);
                y += blocks.map(|block| self.blocks[block].height).max().unwrap_or(0);
            }
        }
        (tops, channels, y)
    }
}

/// The edges whose ends are blocks, with their numbers.
fn there(edges: &[Edge], blocks: usize) -> impl Iterator<Item = (usize, &Edge)> {
    edges.iter().enumerate().filter(move |(_, edge)| edge.from < blocks && edge.to < blocks)
}

/// The edges that leave each block.
fn outs(count: usize, edges: &[Edge]) -> Vec<Vec<usize>> {
    let mut outs: Vec<Vec<usize>> = vec![Vec::new(); count];
    for (index, edge) in there(edges, count) {
        outs[edge.from].push(index);
    }
    outs
}

/// What comes to the blocks: each edge for itself, or many long ones together; without those for which there is no room.
fn bundles(count: usize, edges: &[Edge], is_back: &[bool], layers_of: &[usize]) -> Vec<Bundle> {
    let layers = |index: usize| {
        let (from, to) = (layers_of[edges[index].from], layers_of[edges[index].to]);
        if is_back[index] { to..from + 1 } else { from + 1..to }
    };
    let mut long: BTreeMap<(usize, bool), usize> = BTreeMap::new();
    for (index, edge) in there(edges, count).filter(|&(index, _)| !layers(index).is_empty()) {
        *long.entry((edge.to, is_back[index])).or_default() += 1;
    }
    let mut bundles: Vec<Bundle> = Vec::new();
    let mut trunks: BTreeMap<(usize, bool), usize> = BTreeMap::new();
    for (index, edge) in there(edges, count) {
        let (layers, is_back) = (layers(index), is_back[index]);
        let key = (edge.to, is_back);
        let alone = Bundle { to: edge.to, is_back, edges: vec![index], layers: layers.clone(), lanes: Vec::new() };
        if layers.is_empty() || long.get(&key).is_none_or(|&several| several <= SEVERAL) {
            bundles.push(alone);
        } else if let Some(&trunk) = trunks.get(&key) {
            let trunk = &mut bundles[trunk];
            trunk.edges.push(index);
            trunk.layers = trunk.layers.start.min(layers.start)..trunk.layers.end.max(layers.end);
        } else {
            trunks.insert(key, bundles.len());
            bundles.push(alone);
        }
    }
    let mut by_length: Vec<usize> = (0..bundles.len()).collect();
    by_length.sort_by_key(|&number| bundles[number].layers.len());
    let mut lanes = 0;
    let mut has_room = vec![false; bundles.len()];
    for number in by_length {
        lanes += bundles[number].layers.len();
        has_room[number] = lanes <= MOST_LANES;
    }
    let mut has_room = has_room.into_iter();
    bundles.retain(|_| has_room.next() == Some(true));
    bundles
}

/// Which edges lead back, and the layer of each block: below all that lead to it by other edges.
fn layering(outs: &[Vec<usize>], edges: &[Edge]) -> (Vec<bool>, Vec<usize>) {
    let count = outs.len();
    let mut is_back = vec![false; edges.len()];
    // Not seen, on the way here, left.
    let mut state = vec![0u8; count];
    let mut order = Vec::new();
    for start in 0..count {
        if state[start] != 0 {
            continue;
        }
        state[start] = 1;
        let mut way = vec![(start, 0)];
        while let Some((block, next)) = way.last_mut() {
            let Some(&edge) = outs[*block].get(*next) else {
                state[*block] = 2;
                order.push(*block);
                way.pop();
                continue;
            };
            *next += 1;
            let to = edges[edge].to;
            match state[to] {
                0 => {
                    state[to] = 1;
                    way.push((to, 0));
                }
                1 => is_back[edge] = true,
                _ => {}
            }
        }
    }
    let mut layers = vec![0; count];
    for &block in order.iter().rev() {
        for &edge in outs[block].iter().filter(|&&edge| !is_back[edge]) {
            let to = edges[edge].to;
            layers[to] = layers[to].max(layers[block] + 1);
        }
    }
    (is_back, layers)
}

/// Gives each piece that turns a track, such that none runs over another: pieces on one track lie apart, and where one
/// comes from above at the place at which another goes on below, it turns first. Returns how many tracks there are.
fn assign_tracks(pieces: &mut [Piece]) -> usize {
    let turns = |piece: &Piece| piece.from.1 != piece.to.1 || piece.from.0 == piece.to.0;
    let mut below: BTreeMap<i32, Vec<usize>> = BTreeMap::new();
    for (index, piece) in pieces.iter().enumerate().filter(|(_, piece)| turns(piece)) {
        for pin in [piece.from, piece.to].into_iter().filter(|pin| pin.0 == Side::Below) {
            below.entry(pin.1).or_default().push(index);
        }
    }
    let mut later: Vec<Vec<usize>> = vec![Vec::new(); pieces.len()];
    let mut waits = vec![0usize; pieces.len()];
    for (index, piece) in pieces.iter().enumerate().filter(|(_, piece)| turns(piece)) {
        for pin in [piece.from, piece.to].into_iter().filter(|pin| pin.0 == Side::Above) {
            for &other in below.get(&pin.1).into_iter().flatten().filter(|&&other| other != index) {
                later[index].push(other);
                waits[other] += 1;
            }
        }
    }
    let mut todo: BTreeSet<usize> = (0..pieces.len()).filter(|&index| turns(&pieces[index])).collect();
    let mut ready: BTreeSet<usize> = todo.iter().copied().filter(|&index| waits[index] == 0).collect();
    let mut least = vec![0usize; pieces.len()];
    // What is used of each track: where a stretch begins and where it ends.
    let mut tracks: Vec<BTreeMap<i32, i32>> = Vec::new();
    // A ring of pieces that wait for each other is begun anywhere: then two lines share a little way.
    while let Some(index) = ready.pop_first().or_else(|| todo.first().copied()) {
        todo.remove(&index);
        let (one, other) = (pieces[index].from.1, pieces[index].to.1);
        let span = (one.min(other), one.max(other));
        let is_free =
            |track: &BTreeMap<i32, i32>| track.range(..=span.1).next_back().is_none_or(|used| *used.1 < span.0);
        let track = (least[index]..tracks.len()).find(|&track| is_free(&tracks[track])).unwrap_or_else(|| {
            let fresh = tracks.len().max(least[index]);
            tracks.resize(fresh + 1, BTreeMap::new());
            fresh
        });
        tracks[track].insert(span.0, span.1);
        pieces[index].track = Some(track);
        for next in std::mem::take(&mut later[index]) {
            waits[next] = waits[next].saturating_sub(1);
            least[next] = least[next].max(track + 1);
            if waits[next] == 0 && todo.contains(&next) {
                ready.insert(next);
            }
        }
    }
    tracks.len()
}

/// The corners without points on a straight way.
fn straightened(points: impl Iterator<Item = (i32, i32)>) -> Vec<(i32, i32)> {
    let mut out: Vec<(i32, i32)> = Vec::new();
    for point in points {
        if out.last() == Some(&point) {
            continue;
        }
        if let [.., before, last] = out.as_slice()
            && (before.0 == last.0 && last.0 == point.0 || before.1 == last.1 && last.1 == point.1)
        {
            out.pop();
        }
        out.push(point);
    }
    out
}

/// A count as a length.
fn whole(count: usize) -> i32 {
    i32::try_from(count).unwrap_or(i32::MAX / 8)
}

fn mean(values: impl Iterator<Item = f64>) -> Option<f64> {
    let (sum, count) = values.fold((0.0, 0.0), |(sum, count), value| (sum + value, count + 1.0));
    (count > 0.0).then(|| sum / count)
}

#[expect(clippy::cast_precision_loss, reason = "places in a layer are small")]
fn float(place: usize) -> f64 {
    place as f64
}

#[expect(clippy::cast_possible_truncation, reason = "places are small, and what is not stays at the edge")]
fn rounded(value: f64) -> i32 {
    value.round() as i32
}
