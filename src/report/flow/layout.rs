//! Where the lines of a routine run: straight down, or in lanes beside the boxes, so that no two lie on each other.

use super::{Node, Way};

/// The side of the boxes a line runs on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Side {
    /// Straight to the next box.
    Down,
    /// Back, on the left.
    Left(usize),
    /// Ahead, on the right.
    Right(usize),
}

/// A line of the chart.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Line {
    pub from: usize,
    pub to: usize,
    pub words: &'static str,
    pub side: Side,
}

/// A routine with its boxes from top to bottom and its lines.
#[derive(Debug)]
pub(crate) struct Routine {
    pub nodes: Vec<Node>,
    pub lines: Vec<Line>,
    pub left: usize,
    pub right: usize,
}

impl Routine {
    pub fn new(nodes: Vec<Node>, ways: Vec<Way>) -> Self {
        let mut lines: Vec<Line> = ways
            .into_iter()
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
        Self { nodes, lines, left: left.len(), right: right.len() }
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
