//! Rows of lights on the screen: a row a line at a front panel, where switches stand below them; two side by side on other boards, where
//! there are many.

use super::screen::{LINE, TEXT, faint, glow, is_lit};
use plain_byte::panel::{Panel, Row, View};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};

/// Where the rows of lights and switches begin and how far they reach.
#[derive(Debug, Clone, Copy)]
pub struct Extent {
    /// Columns of the names.
    pub label: u16,
    /// Columns of the longest row.
    width: u16,
    /// Columns of a light: with a blank where there is room.
    step: usize,
    /// Columns of the digits after the lights; 0 where there is no room for them.
    said: u16,
    /// Rows side by side.
    across: u16,
}

/// Blanks between names, lights and digits, and between rows side by side.
const BESIDE: u16 = 4;

/// So many rows fit one below the other.
const FEW_ROWS: usize = 4;

impl Extent {
    /// The widest that fits into so many columns, with as few lines as can be.
    pub fn of(panel: &Panel, view: &View, room: u16) -> Self {
        let sides = if panel.has_front() || long(view).count() <= FEW_ROWS { 1 } else { 2 };
        let tries = [(sides, 2, true), (sides, 1, true), (sides, 1, false), (1, 1, true), (1, 1, false)];
        let found = tries.map(|form| Self::with(panel, view, form));
        found.into_iter().find(|extent| extent.whole() <= room).unwrap_or(found[found.len() - 1])
    }

    /// For the switches: those of a front panel stand below its lights.
    pub fn of_switches(panel: &Panel, view: &View, room: u16) -> Self {
        if panel.has_front() {
            return Self::of(panel, view, room);
        }
        let names = panel.program_switches();
        let label = names.iter().map(|row| row.0.chars().count()).max().unwrap_or(0) as u16 + 2;
        let extent = Self { label, width: 0, step: 2, said: 2, across: 1 };
        Self { width: extent.reach(8, view.rows.first().map_or(4, Row::group)), ..extent }
    }

    fn with(panel: &Panel, view: &View, (across, step, says): (u16, usize, bool)) -> Self {
        // In front of one of several rows of switches stands a mark.
        let programs = panel.program_switches();
        let switches = programs.iter().map(|row| row.0.chars().count() + 1);
        let switches = switches.chain(panel.switches().map(|_| "switches".len()));
        // Switches stand below the lights where those are one below the other.
        let switches = switches.filter(|_| across == 1);
        let names = long(view).map(|row| row.name.chars().count()).chain(switches);
        let label = names.max().unwrap_or(0) as u16 + 1;
        let most = long(view).max_by_key(|row| row.lights.len());
        let said = most.filter(|_| says).map_or(0, |row| row.digit_count() as u16);
        let (count, group) = most.map_or((8, 4), |row| (row.lights.len(), row.group()));
        let mut extent = Self { label, width: 0, step, said, across };
        extent.width = extent.reach(count, group);
        extent
    }

    /// The columns of a row with its name and its digits.
    fn one(self) -> u16 {
        let said = if self.said > 0 { self.said + BESIDE / 2 } else { 0 };
        self.label + BESIDE / 2 + self.width + said
    }

    /// The columns of all rows that stand side by side.
    fn whole(self) -> u16 {
        self.across * self.one() + (self.across - 1) * BESIDE
    }

    /// The column of each light, from the row's left end.
    pub fn columns(self, count: usize, group: usize) -> impl Iterator<Item = u16> {
        // The first group may have fewer.
        (0..count).map(move |at| {
            let from_right = count - 1 - at;
            let gaps = (count - 1) / group - from_right / group;
            (self.step * at + gaps) as u16
        })
    }

    /// The columns of a row.
    fn reach(self, count: usize, group: usize) -> u16 {
        self.columns(count, group).last().unwrap_or(0) + 1
    }

    /// Where a row begins that ends below the others.
    pub fn left(self, count: usize, group: usize) -> u16 {
        (self.label + BESIDE / 2 + self.width).saturating_sub(self.reach(count, group))
    }

    /// Where the digits stand.
    pub fn digits(self) -> u16 {
        self.label + BESIDE + self.width
    }
}

fn long(view: &View) -> impl Iterator<Item = &Row> {
    view.rows.iter().filter(|row| !row.is_short())
}

/// The columns that the rows take with a blank between all lights, or with digits where two stand side by side.
pub fn wanted_width(panel: &Panel, view: &View) -> u16 {
    let widest = Extent::of(panel, view, u16::MAX);
    if widest.across == 1 {
        widest.whole()
    } else {
        Extent::with(panel, view, (widest.across, 1, true)).whole()
    }
}

/// Lines that the lights take in so many columns, `tall` for each row.
pub fn light_lines(panel: &Panel, view: &View, tall: u16, width: u16) -> u16 {
    let extent = Extent::of(panel, view, width);
    let lines = (long(view).count() as u16).div_ceil(extent.across);
    let short = short_lines(view, extent, width).len() as u16;
    // Where there is room, a line is kept free below.
    if view.rows.is_empty() { 0 } else { lines * tall + short + tall - 1 }
}

fn light(bright: f32) -> Span<'static> {
    let lit = is_lit(bright);
    Span::styled(if lit { "●" } else { "○" }, Style::new().fg(if lit { glow(bright) } else { LINE }))
}

/// The rows of lights, with what they say where they stand still.
pub fn draw(frame: &mut Frame<'_>, area: Rect, (panel, view): (&Panel, &View), tall: u16) {
    let extent = Extent::of(panel, view, area.width);
    let mut lines = 0;
    for (at, row) in long(view).enumerate() {
        let (column, line) = (at as u16 % extent.across, at as u16 / extent.across);
        let (x, y) = (area.x + column * (extent.one() + BESIDE), area.y + line * tall);
        draw_row(frame, area, row, (x, y), extent);
        lines = (line + 1) * tall;
    }
    for (line, y) in short_lines(view, extent, area.width).into_iter().zip(area.y + lines..) {
        frame.render_widget(line, Rect::new(area.x, y, area.width, 1).intersection(area));
    }
}

fn draw_row(frame: &mut Frame<'_>, area: Rect, row: &Row, (x, y): (u16, u16), extent: Extent) {
    let label = extent.label;
    let name = Line::styled(format!("{:>1$}", row.name, usize::from(label)), Style::new().fg(TEXT));
    frame.render_widget(name, Rect::new(x, y, label, 1).intersection(area));
    // Lights stand under each other by their weight.
    let left = x + extent.left(row.lights.len(), row.group());
    for (column, &bright) in extent.columns(row.lights.len(), row.group()).zip(&row.lights) {
        frame.render_widget(light(bright), Rect::new(left + column, y, 1, 1).intersection(area));
    }
    if extent.said > 0 {
        let said = Line::styled(row.digits().unwrap_or_default(), faint());
        frame.render_widget(said, Rect::new(x + extent.digits(), y, extent.said, 1).intersection(area));
    }
}

/// What the lights say of a machine that stands still, as many as have room, where none of them has digits after it.
pub fn reading(panel: &Panel, view: &View, width: u16) -> Option<Line<'static>> {
    if !view.still || Extent::of(panel, view, width).said > 0 {
        return None;
    }
    let mut line = Line::default();
    for row in long(view) {
        let said = [
            Span::styled(format!("{} ", row.name), faint()),
            Span::raw(format!("{}  ", row.digits().unwrap_or_default())),
        ];
        if line.width() + said.iter().map(Span::width).sum::<usize>() > usize::from(width) + 2 {
            break;
        }
        line.spans.extend(said);
    }
    Some(line)
}

/// Rows of a few lights side by side, in as many lines as they take.
fn short_lines(view: &View, extent: Extent, width: u16) -> Vec<Line<'static>> {
    let label = usize::from(extent.label).max("status".len());
    let head = |word: &str| Span::raw(format!("{word:>label$}  "));
    if view.rows.iter().all(|row| !row.is_short()) {
        return Vec::new();
    }
    let mut lines = vec![Line::from(head("status"))];
    for row in view.rows.iter().filter(|row| row.is_short()) {
        let mut spans: Vec<Span<'_>> = row.lights.iter().map(|&bright| light(bright)).collect();
        spans.push(Span::raw(format!(" {}  ", row.name)));
        // A single light says all by itself.
        if row.lights.len() > 1 {
            let digits = row.digits().unwrap_or_default();
            spans.push(Span::styled(format!("{:1$}  ", digits, row.digit_count()), faint()));
        }
        let own: usize = spans.iter().map(Span::width).sum();
        if lines.last().is_some_and(|line| line.width() + own > usize::from(width)) {
            lines.push(Line::from(head("")));
        }
        if let Some(line) = lines.last_mut() {
            line.spans.extend(spans);
        }
    }
    lines
}
