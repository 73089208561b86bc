//! The flow chart in letters.

use super::layout::{Routine, Side};
use super::{FlowChart, Node, Shape};
use crate::report::program::picture::cut;
use crate::text::{Text, Tone};

/// The most letters of a line in a box.
const WIDEST: usize = 46;
/// Columns of a lane.
const LANE: usize = 3;

impl FlowChart {
    /// How many characters the chart as text would have, the blanks between its boxes included.
    pub fn letters(&self) -> usize {
        let letters = |routine: &Routine| {
            let lines: usize = routine.nodes.iter().map(|node| node.lines.len() + 4).sum();
            lines * (routine.left * LANE + WIDEST + 4 + routine.right * LANE + 8)
        };
        self.routines.iter().map(letters).sum()
    }

    /// The chart as text, a routine below the other.
    pub fn text(&self) -> Text {
        let mut text = Text::toned(Tone::Strong, self.title.clone());
        for routine in &self.routines {
            text.line();
            let canvas = Canvas::of(routine);
            for row in canvas.rows {
                text.line();
                for run in row.chunk_by(|left, right| left.1 == right.1) {
                    text.tone(run[0].1, run.iter().map(|cell| cell.0).collect::<String>());
                }
            }
        }
        text
    }
}

/// The lines of a box, the comment after the instruction.
fn lines(node: &Node) -> Vec<(String, String)> {
    let width = node.lines.iter().map(|line| line.text.chars().count()).max().unwrap_or(0).min(WIDEST);
    let mut lines: Vec<(String, String)> = Vec::new();
    for line in &node.lines {
        let comment = if line.comment.is_empty() { String::new() } else { format!("  {}", line.comment) };
        let text = if comment.is_empty() { line.text.clone() } else { format!("{:width$}", line.text) };
        let text = cut(&text, WIDEST);
        let room = WIDEST - text.chars().count();
        lines.push((text, if room > 6 { cut(&comment, room) } else { String::new() }));
    }
    lines
}

struct Canvas {
    rows: Vec<Vec<(char, Tone)>>,
}

impl Canvas {
    fn of(routine: &Routine) -> Self {
        let all: Vec<Vec<(String, String)>> = routine.nodes.iter().map(lines).collect();
        let widest = |line: &(String, String)| line.0.chars().count() + line.1.chars().count();
        let inner = all.iter().flatten().map(widest).max().unwrap_or(0).max(12);
        let width = inner + 4;
        let left = routine.left * LANE + 1;
        let centre = left + width / 2;
        let mut canvas = Self { rows: Vec::new() };
        // Top and bottom row of each box; two rows lie between boxes.
        let mut places = Vec::new();
        let mut row = 0;
        for lines in &all {
            places.push((row, row + lines.len() + 1));
            row += lines.len() + 4;
        }
        let total = left + width + routine.right * LANE + 8;
        canvas.rows = vec![vec![(' ', Tone::Plain); total]; row.saturating_sub(2)];
        for ((node, lines), &(top, _)) in routine.nodes.iter().zip(&all).zip(&places) {
            canvas.node(node, lines, left, top, inner);
        }
        let is_down = |line: &&super::layout::Line| line.side == Side::Down;
        let came_down: Vec<usize> = routine.lines.iter().filter(is_down).map(|line| line.to).collect();
        let mut joined: Vec<usize> = Vec::new();
        for line in &routine.lines {
            let (_, bottom) = places[line.from];
            let (target, _) = places[line.to];
            match line.side {
                Side::Down => {
                    canvas.put(bottom + 1, centre, '│');
                    canvas.put(bottom + 2, centre, '▼');
                    canvas.write(bottom + 2, centre + 2, line.words, Tone::Faint);
                }
                Side::Right(lane) | Side::Left(lane) => {
                    let is_right = matches!(line.side, Side::Right(_));
                    let x =
                        if is_right { left + width + 1 + lane * LANE + 1 } else { left - 2 - lane * LANE };
                    let edge = if is_right { left + width - 1 } else { left };
                    let out = bottom - 1;
                    canvas.across(out, edge, x);
                    let merge = target.saturating_sub(2);
                    canvas.across(merge, centre, x);
                    let (top, low) = (out.min(merge), out.max(merge));
                    for at in top + 1..low {
                        canvas.put(at, x, '│');
                    }
                    let up = merge < out;
                    canvas.corner(out, x, up, is_right);
                    canvas.corner(merge, x, !up, is_right);
                    canvas.put(
                        merge,
                        if is_right { centre + 1 } else { centre - 1 },
                        if is_right { '◄' } else { '►' },
                    );
                    if came_down.contains(&line.to) || joined.contains(&line.to) {
                        canvas.put(merge, centre, '│');
                    } else {
                        // Nothing comes from above: the line turns down here.
                        joined.push(line.to);
                        canvas.write(merge, centre, if is_right { "┌" } else { "┐" }, Tone::Faint);
                    }
                    if target > 0 {
                        canvas.put(target - 1, centre, '▼');
                    }
                    let words = if is_right { edge + 2 } else { edge.saturating_sub(line.words.len() + 1) };
                    if line.words.len() + 1 < x.abs_diff(edge) {
                        canvas.write(out, words, line.words, Tone::Faint);
                    } else {
                        canvas.write(out.saturating_sub(1), words, line.words, Tone::Faint);
                    }
                }
            }
        }
        canvas
    }

    fn put(&mut self, row: usize, column: usize, c: char) {
        if let Some(cell) = self.rows.get_mut(row).and_then(|row| row.get_mut(column)) {
            let merged = match (cell.0, c) {
                ('─', '│') | ('│', '─') => '┼',
                ('▼' | '◄' | '►', _) => cell.0,
                ('┼', '│' | '─') => '┼',
                ('┘' | '└' | '┴', '─') => '┴',
                ('┐' | '┌' | '┬', '─') => '┬',
                ('┘' | '┐' | '┤', '│') => '┤',
                ('└' | '┌' | '├', '│') => '├',
                (_, c) => c,
            };
            *cell = (merged, Tone::Faint);
        }
    }

    fn write(&mut self, row: usize, column: usize, text: &str, tone: Tone) {
        for (at, c) in text.chars().enumerate() {
            if let Some(cell) = self.rows.get_mut(row).and_then(|row| row.get_mut(column + at)) {
                *cell = (c, tone);
            }
        }
    }

    /// A horizontal line between two columns, without its ends.
    fn across(&mut self, row: usize, from: usize, to: usize) {
        for column in from.min(to) + 1..from.max(to) {
            self.put(row, column, '─');
        }
    }

    /// The corner of a line in its lane; where another line passes, the two meet.
    fn corner(&mut self, row: usize, column: usize, up: bool, is_right: bool) {
        let Some(cell) = self.rows.get_mut(row).and_then(|row| row.get_mut(column)) else { return };
        let corner = match (cell.0, up, is_right) {
            ('│' | '┤' | '├' | '┼', ..) => {
                if is_right {
                    '┤'
                } else {
                    '├'
                }
            }
            ('─' | '┴' | '┘' | '└', true, _) => '┴',
            ('─' | '┬' | '┐' | '┌', false, _) => '┬',
            (_, true, true) => '┘',
            (_, true, false) => '└',
            (_, false, true) => '┐',
            (_, false, false) => '┌',
        };
        *cell = (corner, Tone::Faint);
    }

    fn node(&mut self, node: &Node, lines: &[(String, String)], left: usize, top: usize, inner: usize) {
        let (corners, side) = match node.shape {
            Shape::Start | Shape::End => (['╭', '╮', '╰', '╯'], ['│', '│']),
            Shape::Process => (['┌', '┐', '└', '┘'], ['│', '│']),
            Shape::Call => (['╓', '╖', '╙', '╜'], ['║', '║']),
            Shape::Decision => (['╱', '╲', '╲', '╱'], ['<', '>']),
        };
        let tone = if node.shape == Shape::Decision { Tone::Live } else { Tone::Plain };
        let bottom = top + lines.len() + 1;
        let rule: String = "─".repeat(inner + 2);
        self.write(top, left, &format!("{}{rule}{}", corners[0], corners[1]), tone);
        self.write(bottom, left, &format!("{}{rule}{}", corners[2], corners[3]), tone);
        if let Some(label) = &node.label {
            self.write(top, left + 2, &format!(" {}: ", cut(label, inner.saturating_sub(4))), Tone::Strong);
        }
        let centred = matches!(node.shape, Shape::Start | Shape::End | Shape::Decision);
        for (at, (text, comment)) in lines.iter().enumerate() {
            let row = top + 1 + at;
            self.write(row, left, &side[0].to_string(), tone);
            self.write(row, left + inner + 3, &side[1].to_string(), tone);
            let width = text.chars().count() + comment.chars().count();
            let indent = if centred { (inner - width.min(inner)) / 2 } else { 0 };
            let strong = matches!(node.shape, Shape::Start | Shape::Call);
            self.write(row, left + 2 + indent, text, if strong { Tone::Strong } else { tone });
            self.write(row, left + 2 + indent + text.chars().count(), comment, Tone::Faint);
        }
    }
}
