//! The flow chart as a picture.

use super::layout::{Part, Routine, Side};
use super::{FlowChart, Node, Shape};
use crate::report::program::picture::{Ground, Ink, Picture, cut, letter};

const SIZE: f64 = 11.0;
const LINE: f64 = 15.0;
const PAD: f64 = 7.0;
const GAP: f64 = 26.0;
const LANE: f64 = 15.0;
/// From a box to its first lane: room for a word.
const FIRST: f64 = 25.0;
/// A routine higher than this goes on in the next column.
const TALL: f64 = 700.0;
const MARGIN: f64 = 24.0;
/// The most letters of a line in a box.
const WIDEST: usize = 42;
/// Columns stand side by side up to this width.
const PAGE: f64 = 1240.0;

/// Where a routine stands and how large it is.
struct Column<'r> {
    part: &'r Part,
    boxes: Vec<(f64, f64)>,
    width: f64,
    inner: f64,
    height: f64,
}

fn height(node: &Node) -> f64 {
    node.lines.len() as f64 * LINE + 2.0 * PAD + if node.shape == Shape::Decision { 4.0 } else { 0.0 }
}

/// Room above a box: for its label.
fn above(node: &Node) -> f64 {
    if node.label.is_some() { LINE } else { 0.0 }
}

/// The lines of a box, each with its comment.
fn lines_of(node: &Node) -> impl Iterator<Item = (String, String)> {
    let width = node.lines.iter().map(|line| line.text.chars().count()).max().unwrap_or(0);
    node.lines.iter().map(move |line| {
        if line.comment.is_empty() || width + 4 > WIDEST {
            return (cut(&line.text, WIDEST), String::new());
        }
        (format!("{:width$}  ", line.text), cut(&line.comment, WIDEST - width - 2))
    })
}

impl<'r> Column<'r> {
    fn of(part: &'r Part) -> Self {
        let mut boxes = Vec::new();
        let mut letters = 14;
        let routine: &Routine = &part.routine;
        // A line that comes in from another column needs room above the first box.
        let mut y = if part.stubs.iter().any(|stub| !stub.out && stub.node == 0) { GAP } else { 0.0 };
        for node in &routine.nodes {
            boxes.push((y + above(node), height(node)));
            y += above(node) + height(node) + GAP;
            for (text, comment) in lines_of(node) {
                let room = if node.shape == Shape::Decision { 4 } else { 0 };
                letters = letters.max(text.chars().count() + comment.chars().count() + room);
            }
        }
        let inner = letters as f64 * letter(SIZE) + 2.0 * PAD + 6.0;
        let side = |lanes: usize| if lanes > 0 { lanes as f64 * LANE + FIRST } else { 12.0 };
        let stub = if part.stubs.is_empty() { 0.0 } else { 2.0 * LANE };
        Self {
            part,
            boxes,
            width: side(routine.left) + inner + side(routine.right).max(FIRST + stub),
            inner,
            height: y - GAP,
        }
    }

    fn left(&self) -> f64 {
        let lanes = self.part.routine.left;
        if lanes > 0 { lanes as f64 * LANE + FIRST } else { 12.0 }
    }
}

impl FlowChart {
    /// The chart in SVG: the routines side by side, as many as fit into the width of a screen.
    pub fn svg(&self, ground: Ground) -> String {
        let parts: Vec<Part> = self
            .routines
            .iter()
            .flat_map(|routine| routine.fold(TALL, |node| above(node) + height(node) + GAP))
            .collect();
        let columns: Vec<Column<'_>> = parts.iter().map(Column::of).collect();
        let (mut places, mut x, mut y, mut tall, mut wide) =
            (Vec::new(), MARGIN, MARGIN + 30.0, 0.0f64, 0.0f64);
        // A short routine stands below another where there is room in the column.
        let mut column_width = 0.0f64;
        let mut below = y;
        let limit = columns.iter().map(|column| column.height).fold(0.0, f64::max);
        for column in &columns {
            let fits_below = below > y && below - y + column.height <= limit;
            if fits_below {
                places.push((x, below));
            } else {
                if column_width > 0.0 {
                    x += column_width + 22.0;
                }
                if x + column.width > PAGE && x > MARGIN {
                    (x, y) = (MARGIN, y + tall + 40.0);
                    tall = 0.0;
                }
                column_width = 0.0;
                below = y;
                places.push((x, y));
            }
            column_width = column_width.max(column.width);
            below += column.height + 34.0;
            tall = tall.max(below - 34.0 - y);
            wide = wide.max(x + column_width);
        }
        let mut picture = Picture::new(ground, (wide + MARGIN).max(640.0), y + tall + MARGIN + 20.0);
        picture.text((MARGIN, MARGIN + 8.0), 15.0, Ink::Plain, "start", &self.title);
        for (column, &(x, y)) in columns.iter().zip(&places) {
            draw(&mut picture, column, x, y);
        }
        picture.finish()
    }
}

fn draw(picture: &mut Picture, column: &Column<'_>, x: f64, y: f64) {
    let left = x + column.left();
    let right = left + column.inner;
    let centre = left + column.inner / 2.0;
    let routine = &column.part.routine;
    // Where lines join the way into a box.
    let merge_at = |node: usize| y + column.boxes[node].0 - above(&routine.nodes[node]) - GAP * 0.38;
    let out_at = |node: usize| {
        let (top, high) = column.boxes[node];
        match routine.nodes[node].shape {
            Shape::Decision => y + top + high / 2.0,
            _ => y + top + high - 8.0,
        }
    };
    for line in &routine.lines {
        let (top, high) = column.boxes[line.from];
        let target = y + column.boxes[line.to].0;
        match line.side {
            Side::Down => {
                picture.line(&[(centre, y + top + high), (centre, target)], Ink::Faint, 1.2, true);
                picture.text((centre + 5.0, y + top + high + 10.0), 9.5, Ink::Faint, "start", line.words);
            }
            Side::Left(lane) | Side::Right(lane) => {
                let is_right = matches!(line.side, Side::Right(_));
                let lanes = FIRST + lane as f64 * LANE;
                let (edge, beside) = if is_right { (right, right + lanes) } else { (left, left - lanes) };
                let (out, merge) = (out_at(line.from), merge_at(line.to));
                let ink = if is_right { Ink::Faint } else { Ink::Accent };
                let way = [(edge, out), (beside, out), (beside, merge), (centre, merge), (centre, target)];
                picture.line(&way, ink, 1.2, true);
                let (at, anchor) = if is_right { (right + 3.0, "start") } else { (left - 3.0, "end") };
                picture.text((at, out - 4.0), 9.5, Ink::Faint, anchor, line.words);
            }
        }
    }
    for stub in &column.part.stubs {
        let (at, merge, target) = (right + FIRST + 8.0, merge_at(stub.node), y + column.boxes[stub.node].0);
        let (top, high) = column.boxes[stub.node];
        let is_last = stub.node + 1 == routine.nodes.len();
        let circle = if stub.out && is_last && stub.words != "yes" {
            // It goes on at the top of the next column.
            let low = y + top + high + GAP * 0.7;
            picture.line(&[(centre, y + top + high), (centre, low)], Ink::Faint, 1.2, false);
            picture.text((centre + 5.0, y + top + high + 10.0), 9.5, Ink::Faint, "start", stub.words);
            (centre, low + 8.0)
        } else if stub.out {
            let out = out_at(stub.node);
            picture.line(&[(right, out), (at, out)], Ink::Faint, 1.2, false);
            picture.text((right + 3.0, out - 4.0), 9.5, Ink::Faint, "start", stub.words);
            (at + 8.0, out)
        } else {
            picture.line(&[(at, merge), (centre, merge), (centre, target)], Ink::Faint, 1.2, true);
            (at + 8.0, merge)
        };
        picture.rect((circle.0 - 9.0, circle.1 - 9.0), (18.0, 18.0), 9.0, Ink::AccentFill, Some(Ink::Accent));
        picture.text((circle.0, circle.1 + 4.0), SIZE, Ink::Plain, "middle", &stub.letter.to_string());
    }
    for (node, &(top, high)) in routine.nodes.iter().zip(&column.boxes) {
        draw_node(picture, node, (left, y + top), (column.inner, high));
    }
}

fn draw_node(picture: &mut Picture, node: &Node, (x, y): (f64, f64), (w, h): (f64, f64)) {
    match node.shape {
        Shape::Start | Shape::End => picture.rect((x, y), (w, h), h / 2.0, Ink::Fill, Some(Ink::Plain)),
        Shape::Process => picture.rect((x, y), (w, h), 2.0, Ink::Fill, Some(Ink::Plain)),
        Shape::Call => {
            picture.rect((x, y), (w, h), 2.0, Ink::Fill, Some(Ink::Plain));
            for at in [x + 5.0, x + w - 5.0] {
                picture.line(&[(at, y), (at, y + h)], Ink::Plain, 1.0, false);
            }
        }
        Shape::Decision => {
            let tip = 12.0;
            let middle = y + h / 2.0;
            let points = [
                (x, middle),
                (x + tip, y),
                (x + w - tip, y),
                (x + w, middle),
                (x + w - tip, y + h),
                (x + tip, y + h),
            ];
            picture.polygon(&points, Ink::AccentFill, Ink::Accent);
        }
    }
    if let Some(label) = &node.label {
        // Beside the line that comes in.
        let room = (w / 2.0 / letter(SIZE)) as usize;
        picture.text((x + 2.0, y - 4.0), SIZE, Ink::Accent, "start", &cut(&format!("{label}:"), room));
    }
    let centred = matches!(node.shape, Shape::Start | Shape::End | Shape::Decision);
    let first = y + (h - node.lines.len() as f64 * LINE) / 2.0 + LINE * 0.76;
    for (at, (text, comment)) in lines_of(node).enumerate() {
        let base = first + at as f64 * LINE;
        if centred {
            picture.text((x + w / 2.0, base), SIZE, Ink::Plain, "middle", &text);
        } else {
            let from = x + PAD + if node.shape == Shape::Call { 5.0 } else { 0.0 };
            picture.text((from, base), SIZE, Ink::Plain, "start", &text);
            let behind = from + text.chars().count() as f64 * letter(SIZE);
            picture.text((behind, base), SIZE, Ink::Faint, "start", &comment);
        }
    }
}
