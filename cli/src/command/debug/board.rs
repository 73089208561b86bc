//! The board in the debugger: small beside the source, or large in its place.

use super::screen::live;
use super::work::Work;
use crate::command::panel::{digits_and_lamps, screen_size, text_screen};
use plain_byte::panel::glyphs;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

/// Lamps, digits and the end of what the console received, or the screen, in so many lines at most.
pub fn lines(work: &Work, most: usize) -> Vec<Line<'static>> {
    let machine = work.debugger.session().machine();
    let view = work.debugger.board();
    let mut lines: Vec<Line<'static>> = Vec::new();
    for (name, row) in &view.digits {
        let text = format!(" {}  ", glyphs(row));
        lines.push(Line::from(vec![Span::styled(text, live(true)), Span::raw(name.clone())]));
    }
    for (name, bright) in &view.lamps {
        let lit = *bright > 0.0;
        let sign = if lit { "●" } else { "○" };
        let mut spans = vec![Span::styled(format!(" {sign} "), live(lit)), Span::raw(name.clone())];
        if (0.01..0.99).contains(bright) {
            spans.push(Span::raw(format!("  {:.0} %", bright * 100.0)));
        }
        lines.push(Line::from(spans));
    }
    lines.extend(rows(work));
    let room = most.saturating_sub(lines.len());
    let all = match &view.screen {
        Some(picture) => picture.lines(),
        None => console(machine.output()),
    };
    let last = all.iter().rposition(|line| !line.trim().is_empty()).map_or(0, |at| at + 1);
    let shown = &all[last.saturating_sub(room)..last];
    lines.extend(shown.iter().map(|line| Line::from(format!(" {line}"))));
    lines.truncate(most);
    lines
}

/// Rows of lamps that chips drive.
fn rows(work: &Work) -> Vec<Line<'static>> {
    let machine = work.debugger.session().machine();
    let rows = machine.chips().iter().filter_map(|fitted| {
        let row = fitted.chip.lamps()?;
        let signs: String = (0..8).rev().map(|bit| if row >> bit & 1 == 1 { "● " } else { "○ " }).collect();
        let text = format!(" {signs} {}", fitted.place.name);
        Some(Line::from(Span::styled(text, live(row != 0))))
    });
    rows.collect()
}

fn console(output: &[u8]) -> Vec<String> {
    String::from_utf8_lossy(output).replace('\r', "").lines().map(String::from).collect()
}

/// The board in the place of the source.
pub fn draw(frame: &mut Frame<'_>, area: Rect, work: &Work) {
    let view = work.debugger.board();
    let machine = work.debugger.session().machine();
    let mut area = area;
    if let Some(picture) = &view.screen {
        let tall = screen_size(picture).1.min(area.height);
        text_screen(frame, Rect { height: tall, ..area }, picture);
        area = Rect { y: area.y + tall, height: area.height - tall, ..area };
    }
    if !view.digits.is_empty() || !view.lamps.is_empty() {
        let tall = (view.digits.len() as u16 * 8 + view.lamps.len() as u16 * 3 + 1).min(area.height);
        digits_and_lamps(frame, Rect { height: tall, ..area }, view, true);
        area = Rect { y: area.y + tall, height: area.height - tall, ..area };
    }
    let mut rest = rows(work);
    if view.screen.is_none() {
        let all = console(machine.output());
        let room = usize::from(area.height).saturating_sub(rest.len());
        rest.extend(all[all.len().saturating_sub(room)..].iter().map(|line| Line::from(format!(" {line}"))));
    }
    if rest.is_empty() && view.digits.is_empty() && view.lamps.is_empty() && view.screen.is_none() {
        rest.push(Line::from(" this board shows nothing but what its ports and registers hold"));
    }
    frame.render_widget(Paragraph::new(rest).style(Style::new()), area);
}
