//! Laying out a directed graph in layers, with edges that run around everything.
//!
//! Blocks stand in layers, an edge goes from the bottom of one to the top of another through channels between the layers.
//! Within a layer an edge has a lane of its own beside the blocks; within a channel it turns on a track of its own. Edges
//! that lead back run up in lanes like others run down. So what always holds: blocks do not overlap, no edge runs through
//! a block, labels stand below their block, each in its own room, and no track runs through one.
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
    /// Its corners, from the bottom of one block to the top of the other.
    pub points: Vec<(i32, i32)>,
    /// Where its label begins: the left upper corner.
    pub label: Option<(i32, i32)>,
}

/// Where everything has come to stand.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Laid {
    /// The left upper corner of each block, and its width, which may be more than was asked for.
    pub blocks: Vec<(i32, i32, i32)>,
    /// The way of each edge.
    pub routes: Vec<Route>,
    /// How far all of it goes.
    pub size: (i32, i32),
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

struct Graph<'a> {
    blocks: &'a [Block],
    edges: &'a [Edge],
    pitch: Pitch,
    is_back: Vec<bool>,
    elements: Vec<Element>,
    /// Elements of each layer from left to right.
    layers: Vec<Vec<usize>>,
    /// For each edge its lanes, from the upper layer to the lower one.
    lanes: Vec<Vec<usize>>,
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
        let (is_back, layers_of) = layering(blocks.len(), edges);
        let count = layers_of.iter().max().map_or(1, |last| last + 1);
        let mut graph = Self {
            blocks,
            edges,
            pitch,
            is_back,
            elements: Vec::new(),
            layers: vec![Vec::new(); count],
            lanes: vec![Vec::new(); edges.len()],
            above: Vec::new(),
            below: Vec::new(),
        };
        for (block, &layer) in layers_of.iter().enumerate() {
            let width = graph.width_of(block);
            graph.add(Element { block: Some(block), layer, width, x: 0, is_back: false });
        }
        for (index, edge) in there(edges, blocks.len()) {
            let (from, to) = (layers_of[edge.from], layers_of[edge.to]);
            let is_back = graph.is_back[index];
            let layers: Vec<usize> = if is_back { (to..=from).collect() } else { (from + 1..to).collect() };
            let lane = |layer| Element { block: None, layer, width: 1, x: 0, is_back };
            let lanes: Vec<usize> = layers.into_iter().map(|layer| graph.add(lane(layer))).collect();
            for pair in lanes.windows(2) {
                graph.connect(pair[0], pair[1]);
            }
            if !is_back {
                graph.connect(edge.from, lanes.first().copied().unwrap_or(edge.to));
                if let Some(&last) = lanes.last() {
                    graph.connect(last, edge.to);
                }
            }
            graph.lanes[index] = lanes;
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

    /// Room for a block's text, the edges that come and go, and their labels.
    fn width_of(&self, block: usize) -> i32 {
        let there = || there(self.edges, self.blocks.len()).map(|(_, edge)| edge);
        let ins = there().filter(|edge| edge.to == block).count();
        let outs: Vec<i32> = there().filter(|edge| edge.from == block).map(|edge| self.slot(edge.label)).collect();
        let out = match outs.as_slice() {
            [only] => 2 * only,
            all => all.iter().sum(),
        };
        let ins = (i32::try_from(ins).unwrap_or(i32::MAX / 8) + 1) * self.pitch.lane;
        self.blocks[block].width.max(ins).max(out)
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

    /// Where edges leave and enter blocks: for each edge the place below its block and the one above the other.
    fn ports(&self) -> Vec<(i32, i32)> {
        let mut ports = vec![(0, 0); self.edges.len()];
        let mut outs: Vec<Vec<usize>> = vec![Vec::new(); self.blocks.len()];
        let mut ins = outs.clone();
        for (index, edge) in there(self.edges, self.blocks.len()) {
            outs[edge.from].push(index);
            ins[edge.to].push(index);
        }
        for block in 0..self.blocks.len() {
            let Element { x, width, .. } = self.elements[block];
            let leads = |&index: &usize| {
                let lanes = &self.lanes[index];
                let next = if self.is_back[index] { lanes.last() } else { lanes.first() };
                self.centre(next.copied().unwrap_or(self.edges[index].to))
            };
            let comes = |&index: &usize| {
                let lanes = &self.lanes[index];
                let last = if self.is_back[index] { lanes.first() } else { lanes.last() };
                self.centre(last.copied().unwrap_or(self.edges[index].from))
            };
            outs[block].sort_by(|one, other| leads(one).total_cmp(&leads(other)).then(one.cmp(other)));
            ins[block].sort_by(|one, other| comes(one).total_cmp(&comes(other)).then(one.cmp(other)));
            match outs[block].as_slice() {
                [only] => ports[*only].0 = x + width / 2,
                several => {
                    let needed: i32 = several.iter().map(|&index| self.slot(self.edges[index].label)).sum();
                    let spare = (width - needed) / i32::try_from(several.len().max(1)).unwrap_or(1);
                    let mut at = x;
                    for &index in several {
                        ports[index].0 = at + self.pitch.lane.min(spare / 2 + self.pitch.lane);
                        at += self.slot(self.edges[index].label) + spare;
                    }
                }
            }
            let count = i32::try_from(ins[block].len()).unwrap_or(i32::MAX / 8) + 1;
            for (place, &index) in (1..).zip(&ins[block]) {
                ports[index].1 = x + place * width / count;
            }
        }
        ports
    }

    fn route(&self) -> Laid {
        let ports = self.ports();
        let count = self.layers.len();
        // Channel n lies above layer n; the last one below all.
        let mut channels: Vec<Vec<Piece>> = vec![Vec::new(); count + 1];
        let mut ways: Vec<Vec<(usize, usize)>> = vec![Vec::new(); self.edges.len()];
        let x_of = |element: usize| self.elements[element].x;
        let mut add = |way: &mut Vec<(usize, usize)>, channel: usize, from, to| {
            channels[channel].push(Piece { from, to, track: None });
            way.push((channel, channels[channel].len() - 1));
        };
        for (index, edge) in there(self.edges, self.blocks.len()) {
            let (leaves, enters) = ports[index];
            let (from, to) = (self.elements[edge.from].layer, self.elements[edge.to].layer);
            let way = &mut ways[index];
            let lanes = &self.lanes[index];
            if self.is_back[index] {
                let lane = |place: usize| x_of(lanes[place]);
                add(way, from + 1, (Side::Above, leaves), (Side::Above, lane(lanes.len() - 1)));
                for place in (1..lanes.len()).rev() {
                    add(way, to + place, (Side::Below, lane(place)), (Side::Above, lane(place - 1)));
                }
                add(way, to, (Side::Below, lane(0)), (Side::Below, enters));
            } else {
                let mut at = leaves;
                for (place, &next) in lanes.iter().enumerate() {
                    add(way, from + 1 + place, (Side::Above, at), (Side::Below, x_of(next)));
                    at = x_of(next);
                }
                add(way, to, (Side::Above, at), (Side::Below, enters));
            }
        }
        let tracks: Vec<usize> = channels.iter_mut().map(|pieces| assign_tracks(pieces)).collect();
        let labels = self.labels();
        let (tops, channel_tops, height) = self.heights(&tracks, &labels);
        let track_y = |channel: usize, track: usize| {
            channel_tops[channel]
                + labels[channel]
                + self.pitch.track * i32::try_from(track + 1).unwrap_or(i32::MAX / 8)
        };
        let mut laid = Laid { blocks: Vec::new(), routes: Vec::new(), size: (0, height) };
        for block in 0..self.blocks.len() {
            let Element { x, width, layer, .. } = self.elements[block];
            laid.blocks.push((x, tops[layer], width));
            laid.size.0 = laid.size.0.max(x + width);
        }
        laid.routes = vec![Route::default(); self.edges.len()];
        for (index, edge) in there(self.edges, self.blocks.len()) {
            let (leaves, enters) = ports[index];
            let bottom = tops[self.elements[edge.from].layer] + self.blocks[edge.from].height;
            let mut points = vec![(leaves, bottom)];
            for &(channel, piece) in &ways[index] {
                let piece = &channels[channel][piece];
                if let Some(track) = piece.track {
                    let y = track_y(channel, track);
                    points.extend([(piece.from.1, y), (piece.to.1, y)]);
                }
            }
            points.push((enters, tops[self.elements[edge.to].layer]));
            let points = straightened(points);
            let right = points.iter().map(|point| point.0).max().unwrap_or(0);
            laid.size.0 = laid.size.0.max(right + 1);
            laid.routes[index] = Route { points, label: (edge.label > 0).then_some((leaves + 1, bottom)) };
        }
        laid
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
                y += labels[channel] + self.pitch.track * i32::try_from(count + 1).unwrap_or(i32::MAX / 8);
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

/// Which edges lead back, and the layer of each block: below all that lead to it by other edges.
fn layering(count: usize, edges: &[Edge]) -> (Vec<bool>, Vec<usize>) {
    let mut outs: Vec<Vec<usize>> = vec![Vec::new(); count];
    for (index, edge) in there(edges, count) {
        outs[edge.from].push(index);
    }
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
    let mut below: BTreeMap<i32, usize> = BTreeMap::new();
    for (index, piece) in pieces.iter().enumerate().filter(|(_, piece)| turns(piece)) {
        for pin in [piece.from, piece.to].into_iter().filter(|pin| pin.0 == Side::Below) {
            below.insert(pin.1, index);
        }
    }
    let mut later: Vec<Vec<usize>> = vec![Vec::new(); pieces.len()];
    let mut waits = vec![0usize; pieces.len()];
    for (index, piece) in pieces.iter().enumerate().filter(|(_, piece)| turns(piece)) {
        for pin in [piece.from, piece.to].into_iter().filter(|pin| pin.0 == Side::Above) {
            if let Some(&other) = below.get(&pin.1).filter(|&&other| other != index) {
                later[index].push(other);
                waits[other] += 1;
            }
        }
    }
    let mut todo: BTreeSet<usize> = (0..pieces.len()).filter(|&index| turns(&pieces[index])).collect();
    let mut least = vec![0usize; pieces.len()];
    let mut tracks: Vec<Vec<(i32, i32)>> = Vec::new();
    while let Some(&first) = todo.first() {
        // A ring of pieces that wait for each other is begun anywhere: then two lines share a little way.
        let index = todo.iter().copied().find(|&index| waits[index] == 0).unwrap_or(first);
        todo.remove(&index);
        let (one, other) = (pieces[index].from.1, pieces[index].to.1);
        let span = (one.min(other), one.max(other));
        let is_free = |track: &Vec<(i32, i32)>| track.iter().all(|used| used.1 < span.0 || span.1 < used.0);
        let track = (least[index]..tracks.len()).find(|&track| is_free(&tracks[track])).unwrap_or_else(|| {
            let fresh = tracks.len().max(least[index]);
            tracks.resize(fresh + 1, Vec::new());
            fresh
        });
        tracks[track].push(span);
        pieces[index].track = Some(track);
        for next in std::mem::take(&mut later[index]) {
            waits[next] = waits[next].saturating_sub(1);
            least[next] = least[next].max(track + 1);
        }
    }
    tracks.len()
}

/// The corners without points on a straight way.
fn straightened(points: Vec<(i32, i32)>) -> Vec<(i32, i32)> {
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
