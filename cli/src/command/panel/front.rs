//! A front panel on the screen: rows of lights above, switches and the operator's actions below.

use super::screen::{FAINT, LINE, Screen, Spot, TEXT, faint, glow};
use plain_byte::number::digits;
use plain_byte::panel::{ACTIONS, Action, Panel, Row, View, group};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Paragraph};

/// The key behind each action.
const KEYS: &[(Action, char)] = &[
    (Action::Load, 'l'),
    (Action::LoadFields, 'f'),
    (Action::Examine, 'e'),
    (Action::ExamineNext, 'x'),
    (Action::Deposit, 'd'),
    (Action::DepositNext, 't'),
    (Action::Start, 's'),
    (Action::Continue, 'c'),
    (Action::Stop, 'p'),
    (Action::Single, 'i'),
    (Action::Repeat, 'o'),
    (Action::Reset, 'r'),
    (Action::Power, 'w'),
];

/// The action behind a letter.
pub fn action(letter: char) -> Option<Action> {
    KEYS.iter().find(|row| row.1 == letter.to_ascii_lowercase()).map(|row| row.0)
}

/// What the keys do, for the help: a line each, or in few lines three beside each other without words about them.
pub fn help(panel: &Panel, few: bool) -> Vec<String> {
    let set = panel.session().processor();
    let shown = ACTIONS.iter().filter(|row| row.1 != Action::LoadFields || set.register("DF").is_some());
    let keyed = shown.map(|(words, action, what)| {
        let key = KEYS.iter().find(|row| row.0 == *action).map_or(' ', |row| row.1);
        (format!("{key}  {words:14}"), *what)
    });
    let mut lines = vec![match set.habit.table_radix() {
        8 => "digits go into the switches".to_string(),
        _ => "digits go into the switches, A to F as capitals".to_string(),
    }];
    if !panel.program_switches().is_empty() {
        lines.push("g  digits go into the program switches, and back".to_string());
    }
    if few {
        let keys: Vec<String> = keyed.map(|row| row.0).collect();
        lines.extend(keys.chunks(3).map(|part| part.concat()));
    } else {
        lines.extend(keyed.map(|(key, what)| format!("{key}{what}")));
    }
    lines
}

/// Where the rows of lights and switches begin and how far they reach.
#[derive(Debug, Clone, Copy)]
struct Extent {
    /// Columns of the names.
    label: u16,
    /// Columns of the longest row.
    width: u16,
    /// Columns of a light: with a blank where there is room.
    step: usize,
}

impl Extent {
    fn of(panel: &Panel, view: &View, room: u16) -> Self {
        let long = || view.rows.iter().filter(is_long);
        let programs = panel.program_switches();
        // In front of one of several rows of switches stands a mark.
        let switches = programs.iter().map(|row| row.0.chars().count() + 1);
        let names = long().map(|row| row.name.chars().count()).chain(switches);
        let label = names.max().unwrap_or(0).max("switches".len()) as u16 + 1;
        let most = long().max_by_key(|row| row.lights.len());
        let said = most.and_then(Row::digits).map_or(0, |digits| digits.len() as u16);
        let (count, group) = most.map_or((1, 3), |row| (row.lights.len(), row.group()));
        let reach = |step| Self { label, width: 0, step }.reach(count, group);
        let step = if label + BESIDE + reach(2) + said <= room { 2 } else { 1 };
        Self { label, width: reach(step), step }
    }

    /// The column of each light, from the row's left end.
    fn columns(self, count: usize, group: usize) -> impl Iterator<Item = u16> {
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
    fn left(self, count: usize, group: usize) -> u16 {
        self.label + 2 + self.width - self.reach(count, group)
    }

    /// Where the digits stand.
    fn digits(self) -> u16 {
        self.label + BESIDE + self.width
    }
}

/// Blanks between names, lights and digits.
const BESIDE: u16 = 4;

/// The columns that the rows take with a blank between all lights.
pub fn wanted_width(panel: &Panel, view: &View) -> u16 {
    let extent = Extent::of(panel, view, u16::MAX);
    let said = view.rows.iter().filter_map(Row::digits).map(|digits| digits.len()).max().unwrap_or(0);
    extent.digits() + said as u16 + 2
}

/// Rows of a few lights stand side by side in a line of their own.
const FEW: usize = 3;

fn is_long(row: &&Row) -> bool {
    row.lights.len() > FEW
}

/// Lines that the lights take in so many columns, `tall` for each row.
pub fn light_lines(panel: &Panel, view: &View, tall: u16, width: u16) -> u16 {
    let long = view.rows.iter().filter(is_long).count() as u16;
    let few = few_lines(view, Extent::of(panel, view, width), width).len() as u16;
    // Where there is room, a line is kept free below.
    if view.rows.is_empty() { 0 } else { long * tall + few + tall - 1 }
}

fn light(bright: f32) -> Span<'static> {
    let lit = bright >= 0.06;
    Span::styled(if lit { "●" } else { "○" }, Style::new().fg(if lit { glow(bright) } else { LINE }))
}

/// The rows of lights, with what they say where they stand still.
pub fn lights(frame: &mut Frame<'_>, area: Rect, (panel, view): (&Panel, &View), tall: u16) {
    let extent = Extent::of(panel, view, area.width);
    let label = extent.label;
    let mut y = area.y;
    for row in view.rows.iter().filter(is_long) {
        let name = Line::styled(format!("{:>1$}", row.name, usize::from(label)), Style::new().fg(TEXT));
        frame.render_widget(name, Rect::new(area.x, y, label, 1).intersection(area));
        // Lights stand under each other by their weight.
        let left = area.x + extent.left(row.lights.len(), row.group());
        for (x, &bright) in extent.columns(row.lights.len(), row.group()).zip(&row.lights) {
            frame.render_widget(light(bright), Rect::new(left + x, y, 1, 1).intersection(area));
        }
        let said = Line::styled(row.digits().unwrap_or_default(), faint());
        let place = Rect::new(area.x + extent.digits(), y, 24, 1);
        frame.render_widget(said, place.intersection(area));
        y += tall;
    }
    for line in few_lines(view, extent, area.width) {
        frame.render_widget(line, Rect::new(area.x, y, area.width, 1).intersection(area));
        y += 1;
    }
}

/// Rows of a few lights side by side, in as many lines as they take.
fn few_lines(view: &View, extent: Extent, width: u16) -> Vec<Line<'static>> {
    let head = |word: &str| Span::raw(format!("{:>1$}  ", word, usize::from(extent.label)));
    if view.rows.iter().all(|row| is_long(&row)) {
        return Vec::new();
    }
    let mut lines = vec![Line::from(head("status"))];
    for row in view.rows.iter().filter(|row| !is_long(row)) {
        let mut spans: Vec<Span<'_>> = row.lights.iter().map(|&bright| light(bright)).collect();
        spans.push(Span::raw(format!(" {}  ", row.name)));
        // A single light says all by itself.
        if let Some(digits) = row.digits().filter(|_| row.lights.len() > 1) {
            spans.push(Span::styled(format!("{digits}  "), faint()));
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

/// A row of switches.
struct Switches<'s> {
    name: &'s str,
    value: u64,
    count: usize,
    /// Digits go here.
    chosen: bool,
    spot: &'s dyn Fn(u8) -> Spot,
}

impl Switches<'_> {
    fn draw(&self, screen: &mut Screen, frame: &mut Frame<'_>, area: Rect, extent: Extent, radix: u32) {
        let (label, group, count) = (extent.label, group(radix), self.count);
        let mark = if self.chosen { "▸" } else { "" };
        let name = format!("{:>1$}", format!("{mark}{}", self.name), usize::from(label));
        frame.render_widget(Line::raw(name), Rect::new(area.x, area.y, label, 1).intersection(area));
        let left = area.x + extent.left(count, group);
        for (at, x) in extent.columns(count, group).enumerate() {
            let bit = count - 1 - at;
            let up = self.value >> bit & 1 == 1;
            let style =
                if up { Style::new().fg(TEXT).add_modifier(Modifier::BOLD) } else { Style::new().fg(FAINT) };
            let place = Rect::new(left + x, area.y, 1, 1).intersection(area);
            frame.render_widget(Span::styled(if up { "▲" } else { "▽" }, style), place);
            screen.spots.push((place, (self.spot)(bit as u8)));
        }
        let said = digits(self.value, radix, count as u8);
        let place = Rect::new(area.x + extent.digits(), area.y, 30, 1);
        frame.render_widget(Line::raw(said), place.intersection(area));
    }
}

/// Switches and actions; gives the lines that they take.
pub fn controls(
    screen: &mut Screen,
    frame: &mut Frame<'_>,
    area: Rect,
    panel: &Panel,
    (view, chosen): (&View, usize),
) -> u16 {
    let Some((value, count)) = panel.switches() else { return 0 };
    let set = panel.session().processor();
    let extent = Extent::of(panel, view, area.width);
    let radix = set.habit.table_radix();
    let programs = panel.program_switches();
    let several = !programs.is_empty();
    let line = |at: usize| Rect::new(area.x, area.y + at as u16, area.width, 1).intersection(area);
    let entry = Switches {
        name: "switches",
        value,
        count: count.into(),
        chosen: several && chosen == 0,
        spot: &Spot::Switch,
    };
    entry.draw(screen, frame, line(0), extent, radix);
    for (at, (name, value)) in programs.iter().enumerate() {
        let spot = |bit| Spot::ProgramSwitch(name.clone(), bit);
        let row = Switches { name, value: *value, count: 8, chosen: chosen == at + 1, spot: &spot };
        row.draw(screen, frame, line(at + 1), extent, radix);
    }
    let area = Rect::new(
        area.x,
        area.y + programs.len() as u16,
        area.width,
        area.height.saturating_sub(programs.len() as u16),
    );
    let fields = set.register("DF").is_some();
    let list = ACTIONS.iter().filter(|row| fields || row.1 != Action::LoadFields);
    let wide = 18;
    let across = (area.width / wide).clamp(1, 4);
    let tall = if area.height >= 2 + 3 * 13u16.div_ceil(across) { 3 } else { 1 };
    let mut lines = 0;
    for (at, (words, action, _)) in list.enumerate() {
        let (column, line) = (at as u16 % across, at as u16 / across);
        let place =
            Rect::new(area.x + column * wide, area.y + 2 + line * tall, wide - 1, tall).intersection(area);
        let key = KEYS.iter().find(|row| row.0 == *action).map_or(' ', |row| row.1);
        let spans = Line::from(vec![
            Span::styled((*words).to_string(), Style::new().fg(TEXT)),
            Span::styled(format!(" {key}"), faint()),
        ]);
        if tall == 3 {
            let block =
                Block::bordered().border_type(BorderType::Rounded).border_style(Style::new().fg(LINE));
            frame.render_widget(Paragraph::new(spans).centered().block(block), place);
        } else {
            let mut framed = vec![Span::styled("[", faint())];
            framed.extend(spans);
            framed.push(Span::styled("]", faint()));
            frame.render_widget(Paragraph::new(Line::from(framed)), place);
        }
        screen.spots.push((place, Spot::Act(*action)));
        lines = programs.len() as u16 + 2 + (line + 1) * tall;
    }
    lines
}
