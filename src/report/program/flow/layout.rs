//! Where the lines of a routine run: straight down, or in lanes beside the boxes, so that no two lie on each other.

use super::{Node, Way};

/// The side of the boxes a line runs on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Side {
    /// Straight to the next box.
    Down,
    /// Back, on the left.
    Left(usize),
    /// Ahead, on the right.
    Right(usize),
}

/// A line of the chart.
#[derive(Debug, Clone, Copy)]
pub(super) struct Line {
    pub from: usize,
    pub to: usize,
    pub words: &'static str,
    pub side: Side,
}

/// A routine with its boxes from top to bottom and its lines.
#[derive(Debug)]
pub(super) struct Routine {
    pub nodes: Vec<Node>,
    /// As they were found.
    pub ways: Vec<Way>,
    pub lines: Vec<Line>,
    pub left: usize,
    pub right: usize,
}

impl Routine {
    pub fn new(nodes: Vec<Node>, ways: Vec<Way>) -> Self {
        let mut lines: Vec<Line> = ways
            .iter()
            .copied()
            .map(|Way { from, to, words }| {
                let side = match to {
                    _ if to == from + 1 => Side::Down,
                    _ if to > from => Side::Right(0),
                    _ => Side::Left(0),
                };
                Line { from, to, words, side }
            })
            .collect();
        // Short lines lie next to the boxes, longer ones around them.
        let mut order: Vec<usize> = (0..lines.len()).collect();
        order.sort_by_key(|&at| lines[at].from.abs_diff(lines[at].to));
        let (mut left, mut right): (Vec<Vec<usize>>, Vec<Vec<usize>>) = (Vec::new(), Vec::new());
        for at in order {
            let is_left = match lines[at].side {
                Side::Down => continue,
                Side::Left(_) => true,
                Side::Right(_) => false,
            };
            let lanes = if is_left { &mut left } else { &mut right };
            let lane = lane_for(lanes, &lines, at);
            lines[at].side = if is_left { Side::Left(lane) } else { Side::Right(lane) };
        }
        Self { nodes, ways, lines, left: left.len(), right: right.len() }
    }
}

/// Where a line was cut because the routine goes on in the next column.
#[derive(Debug, Clone)]
pub(super) struct Stub {
    pub node: usize,
    /// The letter that is the same at both ends.
    pub letter: char,
    pub words: &'static str,
    /// True where the line comes out of the box.
    pub out: bool,
}

/// A routine, or a piece of one that goes on in the next column.
#[derive(Debug)]
pub(super) struct Part {
    pub routine: Routine,
    pub stubs: Vec<Stub>,
}

impl Routine {
    /// How many lines go across the gap in front of each box.
    fn crossed(&self) -> Vec<usize> {
        let mut changes = vec![0isize; self.nodes.len() + 2];
        for line in &self.lines {
            changes[line.from.min(line.to) + 1] += 1;
            changes[line.from.max(line.to) + 1] -= 1;
        }
        let mut open = 0;
        let count = |change: isize| {
            open += change;
            usize::try_from(open).unwrap_or_default()
        };
        changes.into_iter().map(count).collect()
    }

    /// Cuts a routine into pieces of about the same height, where the fewest lines are cut. `height` tells how high a box
    /// is with the gap after it.
    pub fn fold(&self, most: f64, height: impl Fn(&Node) -> f64) -> Vec<Part> {
        let heights: Vec<f64> = self.nodes.iter().map(height).collect();
        let total: f64 = heights.iter().sum();
        let pieces = (total / most).ceil().max(1.0);
        let crossed = self.crossed();
        let mut cuts = vec![0];
        for piece in 1..pieces as usize {
            let ideal = total * piece as f64 / pieces;
            let mut y = 0.0;
            let mut best: Option<(f64, usize)> = None;
            for at in 1..heights.len() {
                y += heights[at - 1];
                // A line cut is worth so much of the difference in height.
                let cost = (y - ideal).abs() / most + 0.12 * crossed[at] as f64;
                if at > cuts[cuts.len() - 1] && best.is_none_or(|(least, _)| cost < least) {
                    best = Some((cost, at));
                }
            }
            cuts.extend(best.map(|(_, at)| at));
        }
        cuts.push(self.nodes.len());
        let mut letters = 'A'..='Z';
        let mut cut: Vec<(usize, usize, &'static str, char)> = Vec::new();
        let part_of = |node: usize| cuts.partition_point(|&at| at <= node);
        for line in &self.lines {
            if part_of(line.from) != part_of(line.to) {
                // Lines to the same box share a letter.
                let known = cut.iter().find(|one| one.1 == line.to).map(|one| one.3);
                let letter = known.unwrap_or_else(|| letters.next().unwrap_or('?'));
                cut.push((line.from, line.to, line.words, letter));
            }
        }
        cuts.windows(2)
            .map(|bounds| {
                let (first, end) = (bounds[0], bounds[1]);
                let inside = |node: usize| (first..end).contains(&node);
                let ways = self.lines.iter().filter(|line| inside(line.from) && inside(line.to));
                let ways =
                    ways.map(|line| Way { from: line.from - first, to: line.to - first, words: line.words });
                let mut stubs = Vec::new();
                for &(from, to, words, letter) in &cut {
                    if inside(from) {
                        stubs.push(Stub { node: from - first, letter, words, out: true });
                    }
                    if inside(to) && !stubs.iter().any(|one: &Stub| !one.out && one.letter == letter) {
                        stubs.push(Stub { node: to - first, letter, words: "", out: false });
                    }
                }
                Part { routine: Routine::new(self.nodes[first..end].to_vec(), ways.collect()), stubs }
            })
            .collect()
    }
}

/// The first lane in which the line meets no other; lines with the same end may share one.
fn lane_for(lanes: &mut Vec<Vec<usize>>, lines: &[Line], at: usize) -> usize {
    let span = |line: &Line| (line.from.min(line.to), line.from.max(line.to));
    let (first, last) = span(&lines[at]);
    let meets = |&other: &usize| {
        let (from, to) = span(&lines[other]);
        from <= last && first <= to && lines[other].to != lines[at].to
    };
    let free = lanes.iter().position(|lane| !lane.iter().any(meets));
    let lane = free.unwrap_or_else(|| {
        lanes.push(Vec::new());
        lanes.len() - 1
    });
    lanes[lane].push(at);
    lane
}
