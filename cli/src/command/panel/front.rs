//! Switches on the screen, and a front panel's actions.

use super::lights::Extent;
use super::screen::{FAINT, LINE, Screen, Spot, TEXT, faint};
use plain_byte::number::digits;
use plain_byte::panel::{ACTIONS, Action, Panel, View, group};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Paragraph};

/// The key behind each action: letters that are no hex digits.
const KEYS: &[(Action, char)] = &[
    (Action::Load, 'l'),
    (Action::LoadFields, 'm'),
    (Action::Examine, 'v'),
    (Action::ExamineNext, 'x'),
    (Action::Deposit, 'u'),
    (Action::DepositNext, 't'),
    (Action::Start, 's'),
    (Action::Continue, 'k'),
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
    let mut lines = vec!["digits go into the switches".to_string()];
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

/// The rows of switches, those of the front panel first; gives the lines that they take.
pub fn switches(
    screen: &mut Screen,
    frame: &mut Frame<'_>,
    area: Rect,
    panel: &Panel,
    (view, chosen): (&View, usize),
) -> u16 {
    let extent = Extent::of_switches(panel, view, area.width);
    let radix = panel.session().processor().habit().table_radix();
    let programs = panel.program_switches();
    let own = panel.switches();
    let several = programs.len() + usize::from(own.is_some()) > 1;
    let mut lines = 0;
    let mut line = || {
        lines += 1;
        Rect::new(area.x, area.y + lines - 1, area.width, 1).intersection(area)
    };
    if let Some((value, count)) = own {
        let chosen = several && chosen == 0;
        let row = Switches { name: "switches", value, count: count.into(), chosen, spot: &Spot::Switch };
        row.draw(screen, frame, line(), extent, radix);
    }
    for (at, (name, value)) in programs.iter().enumerate() {
        let spot = |bit| Spot::ProgramSwitch(name.clone(), bit);
        let chosen = several && chosen == at + 1;
        let row = Switches { name, value: *value, count: 8, chosen, spot: &spot };
        row.draw(screen, frame, line(), extent, radix);
    }
    lines
}

/// Switches and actions of a front panel; gives the lines that they take.
pub fn controls(
    screen: &mut Screen,
    frame: &mut Frame<'_>,
    area: Rect,
    panel: &Panel,
    (view, chosen): (&View, usize),
) -> u16 {
    let used = switches(screen, frame, area, panel, (view, chosen)) + 1;
    let area = Rect { y: area.y + used, height: area.height.saturating_sub(used), ..area };
    let set = panel.session().processor();
    let fields = set.register("DF").is_some();
    let list = ACTIONS.iter().filter(|row| fields || row.1 != Action::LoadFields);
    let wide = 18;
    let across = (area.width / wide).clamp(1, 4);
    let tall = if area.height >= 3 * 13u16.div_ceil(across) { 3 } else { 1 };
    let mut lines = 0;
    for (at, (words, action, _)) in list.enumerate() {
        let (column, line) = (at as u16 % across, at as u16 / across);
        let place =
            Rect::new(area.x + column * wide, area.y + line * tall, wide - 1, tall).intersection(area);
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
        lines = used + (line + 1) * tall;
    }
    lines
}
