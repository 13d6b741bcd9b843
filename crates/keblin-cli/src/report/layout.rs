//! Boxes and arrows in layers, from top to bottom: takes sizes and arrows, and returns places and curves.
//!
//! The layout crate places boxes, not arrows. So an arrow that passes other layers is led through a small box of its own
//! in each of them, which is not drawn.

use std::collections::BTreeMap;

use rust_sugiyama::configure::Config;
use rust_sugiyama::from_vertices_and_edges;

/// The room between two boxes, in pixels.
const GAP: f64 = 34.0;

/// How wide a drawing should be at the most, in pixels. A part that hangs together is not broken.
const MAX_WIDTH: f64 = 1150.0;

/// The size of a box that an arrow passes through, in pixels.
const PASSAGE: Spot = (6.0, 6.0);

/// More arrows than this cannot be followed by anybody; those that others imply are left out first.
const MAX_ARROWS: usize = 250;

/// A place or a size in a drawing, in pixels.
pub(super) type Spot = (f64, f64);

/// An arrow from one box to another, by their positions.
pub(super) type Arrow = (usize, usize);

/// Boxes and arrows that were laid out.
#[derive(Default)]
pub(super) struct Drawing {
    /// By box: its middle.
    pub(super) boxes: Vec<Spot>,
    /// The arrows that are drawn, each with the middles of what it passes, from its start to its end.
    pub(super) arrows: Vec<(Arrow, Vec<Spot>)>,
    /// How wide and high it is.
    pub(super) size: Spot,
}

/// Lays out boxes, given by their sizes, with arrows from one box to another. The arrows must not go round in a circle.
pub(super) fn laid_out(sizes: &[Spot], arrows: &[Arrow]) -> Drawing {
    let arrows = drawn(arrows);
    let layers = layers(&placed(sizes, &arrows));
    let mut all = sizes.to_vec();
    let ways: Vec<Vec<usize>> = arrows
        .iter()
        .map(|(from, to)| {
            let layer = |of: &usize| layers.get(of).copied().unwrap_or(0);
            let between = layer(to).saturating_sub(layer(from)).saturating_sub(1);
            let passages = all.len()..all.len() + between;
            all.extend(passages.clone().map(|_| PASSAGE));
            std::iter::once(*from).chain(passages).chain([*to]).collect()
        })
        .collect();
    let steps =
        ways.iter().flat_map(|way| way.windows(2).filter_map(|step| Some((*step.first()?, *step.last()?))));
    let mut drawing = side_by_side(&all, placed(&all, &steps.collect::<Vec<_>>()));
    let at = |index: &usize| drawing.boxes.get(*index).copied().unwrap_or_default();
    let curves = ways.iter().map(|way| way.iter().map(at).collect());
    drawing.arrows = arrows.iter().copied().zip(curves).collect();
    drawing.boxes.truncate(sizes.len());
    drawing
}

/// Returns the arrows that are drawn: all of them, as long as they can be followed.
fn drawn(arrows: &[Arrow]) -> Vec<Arrow> {
    if arrows.len() <= MAX_ARROWS {
        return arrows.to_vec();
    }
    let mut after = BTreeMap::<usize, Vec<usize>>::new();
    arrows.iter().for_each(|(from, to)| after.entry(*from).or_default().push(*to));
    let next = |from: &usize| after.get(from).map_or(&[][..], Vec::as_slice);
    let is_implied = |(from, to): &Arrow| {
        let mut reached = std::collections::BTreeSet::new();
        let mut waiting: Vec<usize> = next(from).iter().copied().filter(|over| over != to).collect();
        while let Some(at) = waiting.pop() {
            waiting.extend(next(&at).iter().copied().filter(|next| reached.insert(*next)));
        }
        reached.contains(to)
    };
    let plain: Vec<Arrow> = arrows.iter().copied().filter(|arrow| !is_implied(arrow)).collect();
    if plain.len() <= MAX_ARROWS { plain } else { Vec::new() }
}

/// Some boxes that arrows connect, each with its middle.
type Group = Vec<(usize, Spot)>;

/// Places boxes: one group for all that are connected.
fn placed(sizes: &[Spot], arrows: &[Arrow]) -> Vec<Group> {
    let number = |index: usize| u32::try_from(index).unwrap_or(u32::MAX);
    let boxes: Vec<(u32, Spot)> =
        sizes.iter().enumerate().map(|(index, size)| (number(index), *size)).collect();
    let arrows: Vec<(u32, u32)> = arrows.iter().map(|(from, to)| (number(*from), number(*to))).collect();
    let config = Config { vertex_spacing: GAP, dummy_vertices: false, ..Config::default() };
    let mut groups: Vec<Group> =
        from_vertices_and_edges(&boxes, &arrows, &config).into_iter().map(|(group, ..)| group).collect();
    // In the order of the declaration.
    groups.sort_by_key(|group| group.iter().map(|(index, _)| *index).min());
    groups
}

/// Returns the layer of each box, from the top.
fn layers(groups: &[Group]) -> BTreeMap<usize, usize> {
    let mut layers = BTreeMap::new();
    for group in groups {
        let mut tops: Vec<f64> = group.iter().map(|(_, (_, y))| *y).collect();
        tops.sort_by(f64::total_cmp);
        tops.dedup();
        let layer = |y: f64| tops.iter().take_while(|top| **top < y).count();
        layers.extend(group.iter().map(|(index, (_, y))| (*index, layer(*y))));
    }
    layers
}

/// Moves groups next to each other, and under each other where a row is full.
fn side_by_side(sizes: &[Spot], groups: Vec<Group>) -> Drawing {
    let mut drawing = Drawing { boxes: vec![(0.0, 0.0); sizes.len()], ..Drawing::default() };
    let (mut left, mut top, mut height) = (0.0, 0.0, 0.0);
    for group in groups {
        let size = |index: &usize| sizes.get(*index).copied().unwrap_or_default();
        let side = |sign: f64, pick: fn(Spot) -> f64| {
            group.iter().map(move |(index, middle)| pick(*middle) + sign * pick(size(index)) / 2.0)
        };
        let least = |pick| side(-1.0, pick).fold(f64::INFINITY, f64::min);
        let most = |pick| side(1.0, pick).fold(f64::NEG_INFINITY, f64::max);
        let corner = (least(|spot| spot.0), least(|spot| spot.1));
        let (wide, high) = (most(|spot| spot.0) - corner.0, most(|spot| spot.1) - corner.1);
        if left > 0.0 && left + wide > MAX_WIDTH {
            (left, top, height) = (0.0, top + height + GAP, 0.0);
        }
        for (index, (x, y)) in &group {
            let moved = (x - corner.0 + left, y - corner.1 + top);
            drawing.boxes.get_mut(*index).into_iter().for_each(|place| *place = moved);
        }
        height = f64::max(height, high);
        drawing.size = (f64::max(drawing.size.0, left + wide), f64::max(drawing.size.1, top + high));
        left += wide + GAP;
    }
    drawing
}
