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
    (Action::Reset, 'r'),
    (Action::Power, 'w'),
];

/// The action behind a letter.
pub fn action(letter: char) -> Option<Action> {
    KEYS.iter().find(|row| row.1 == letter.to_ascii_lowercase()).map(|row| row.0)
}

/// What the keys do, for the help.
pub fn help() -> Vec<String> {
    let words = ACTIONS.iter().map(|(words, action, what)| {
        let key = KEYS.iter().find(|row| row.0 == *action).map_or(' ', |row| row.1);
        format!("{key}  {words:13} {what}")
    });
    words.collect()
}

/// The column of each light, from the row's left end.
fn columns(count: usize, group: usize) -> impl Iterator<Item = u16> {
    // The first group may have fewer.
    (0..count).map(move |at| {
        let from_right = count - 1 - at;
        let gaps = (count - 1) / group - from_right / group;
        (2 * at + gaps) as u16
    })
}

/// Rows of a few lights stand side by side in a line of their own.
const FEW: usize = 3;

fn is_long(row: &&Row) -> bool {
    row.lights.len() > FEW
}

/// Lines that the lights take, `tall` for each row.
pub fn light_lines(view: &View, tall: u16) -> u16 {
    let long = view.rows.iter().filter(is_long).count() as u16;
    if view.rows.is_empty() { 0 } else { (long + 1) * tall }
}

/// Where the lights begin and how far they reach: the columns of the names, and those of the longest row.
fn extent(view: &View) -> (u16, u16) {
    let long = || view.rows.iter().filter(is_long);
    let label =
        long().map(|row| row.name.chars().count()).max().unwrap_or(0).max("switches".len()) as u16 + 1;
    let reach = |row: &Row| columns(row.lights.len(), row.group()).last().unwrap_or(0) + 1;
    (label, long().map(reach).max().unwrap_or(1))
}

fn light(bright: f32) -> Span<'static> {
    let lit = bright >= 0.06;
    Span::styled(if lit { "●" } else { "○" }, Style::new().fg(if lit { glow(bright) } else { LINE }))
}

/// The rows of lights, with what they say where they stand still.
pub fn lights(frame: &mut Frame<'_>, area: Rect, view: &View, tall: u16) {
    let (label, width) = extent(view);
    let mut y = area.y;
    for row in view.rows.iter().filter(is_long) {
        let name = Line::styled(format!("{:>1$}", row.name, usize::from(label)), Style::new().fg(TEXT));
        frame.render_widget(name, Rect::new(area.x, y, label, 1).intersection(area));
        // Lights stand under each other by their weight.
        let own = columns(row.lights.len(), row.group()).last().unwrap_or(0) + 1;
        let left = area.x + label + 2 + width - own;
        for (x, &bright) in columns(row.lights.len(), row.group()).zip(&row.lights) {
            frame.render_widget(light(bright), Rect::new(left + x, y, 1, 1).intersection(area));
        }
        let said = Line::styled(row.digits().unwrap_or_default(), faint());
        let place = Rect::new(area.x + label + 4 + width, y, 24, 1);
        frame.render_widget(said, place.intersection(area));
        y += tall;
    }
    let mut few = vec![Span::raw(" ".repeat(usize::from(label) - "status".len())), Span::raw("status  ")];
    for row in view.rows.iter().filter(|row| !is_long(row)) {
        few.extend(row.lights.iter().map(|&bright| light(bright)));
        few.push(Span::raw(format!(" {}  ", row.name)));
        // A single light says all by itself.
        if let Some(digits) = row.digits().filter(|_| row.lights.len() > 1) {
            few.push(Span::styled(format!("{digits}  "), faint()));
        }
    }
    frame.render_widget(Line::from(few), Rect::new(area.x, y, area.width, 1).intersection(area));
}

/// Switches and actions; gives the lines that they take.
pub fn controls(screen: &mut Screen, frame: &mut Frame<'_>, area: Rect, panel: &Panel, view: &View) -> u16 {
    let Some((value, count)) = panel.switches() else { return 0 };
    let set = panel.session().processor();
    let group = group(set.habit.table_radix());
    let count = usize::from(count);
    let (label, width) = extent(view);
    let name = Line::raw(format!("{:>1$}", "switches", usize::from(label)));
    frame.render_widget(name, Rect::new(area.x, area.y, label, 1).intersection(area));
    let left = area.x + label + 1 + width - columns(count, group).last().unwrap_or(0);
    for (at, x) in columns(count, group).enumerate() {
        let bit = count - 1 - at;
        let up = value >> bit & 1 == 1;
        let style =
            if up { Style::new().fg(TEXT).add_modifier(Modifier::BOLD) } else { Style::new().fg(FAINT) };
        let place = Rect::new(left + x, area.y, 1, 1).intersection(area);
        frame.render_widget(Span::styled(if up { "▲" } else { "▽" }, style), place);
        screen.spots.push((place, Spot::Switch(bit as u8)));
    }
    let end = area.x + label + 4 + width;
    let said = digits(value, set.habit.table_radix(), count as u8);
    frame.render_widget(Line::raw(said), Rect::new(end, area.y, 30, 1).intersection(area));
    // The actions, six to a line.
    let fields = set.register("DF").is_some();
    let list = ACTIONS.iter().filter(|row| fields || row.1 != Action::LoadFields);
    let wide = 18;
    let across = (area.width / wide).clamp(1, 4);
    let tall = if area.height >= 2 + 3 * 12u16.div_ceil(across) { 3 } else { 1 };
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
        lines = 2 + (line + 1) * tall;
    }
    lines
}
