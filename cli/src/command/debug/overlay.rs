//! What lies over the debugger's screen: its keys, and the list of cases.

use super::keys::KEYS;
use crate::command::panel::{AMBER, FAINT, LINE, SLATE, TEXT};
use plain_byte::debug::CaseRow;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Clear, Paragraph};

fn faint() -> Style {
    Style::new().fg(FAINT)
}

/// A box in the middle of the screen with a name; the room inside.
fn framed(frame: &mut Frame<'_>, whole: Rect, (width, height): (u16, u16), name: &str) -> Rect {
    let (width, height) = (width.min(whole.width), height.min(whole.height));
    let area = Rect::new((whole.width - width) / 2, (whole.height - height) / 2, width, height);
    frame.render_widget(Clear, area);
    let block = Block::bordered()
        .border_style(Style::new().fg(LINE))
        .title(Span::styled(format!(" {name} "), faint()))
        .style(Style::new().bg(SLATE).fg(TEXT));
    let inner = block.inner(area);
    frame.render_widget(block, area);
    inner
}

pub fn help(frame: &mut Frame<'_>, whole: Rect) {
    let rows = KEYS.iter().map(|(keys, does)| {
        Line::from(vec![Span::styled(format!(" {keys:11} "), Style::new().fg(AMBER)), Span::raw(*does)])
    });
    let inner = framed(frame, whole, (80, KEYS.len() as u16 + 2), "keys");
    frame.render_widget(Paragraph::new(rows.collect::<Vec<_>>()), inner);
}

/// The lines that a case takes.
fn lines_of(row: &CaseRow) -> usize {
    1 + usize::from(!row.differences.is_empty())
}

/// The cases, those that fail first, with the first difference of each.
pub fn cases(frame: &mut Frame<'_>, whole: Rect, rows: &[CaseRow], at: usize) {
    let failed = rows.iter().filter(|row| !row.passed).count();
    let name = match failed {
        0 => format!("{} cases pass", rows.len()),
        failed => format!("{failed} of {} cases fail", rows.len()),
    };
    let lines: usize = rows.iter().map(lines_of).sum();
    let height = (lines as u16 + 4).min(whole.height.saturating_sub(2));
    let inner = framed(frame, whole, (whole.width.saturating_sub(8).min(100), height), &name);
    let lines = rows.iter().enumerate().flat_map(|(number, row)| {
        let mark = if row.passed { "  passed " } else { "✗ failed " };
        let arrow = if number == at { "›" } else { " " };
        let style = match (number == at, row.passed) {
            (true, _) => Style::new().fg(AMBER).add_modifier(Modifier::BOLD),
            (false, true) => faint(),
            (false, false) => Style::new(),
        };
        let chosen = if row.is_chosen { "  (being debugged)" } else { "" };
        let first = Line::from(vec![
            Span::styled(format!("{arrow}{mark}"), style),
            Span::styled(row.name.clone(), style),
            Span::styled(chosen, faint()),
        ]);
        let second = row.differences.first().map(|one| Line::from(format!("           {one}")));
        [Some(first), second].into_iter().flatten()
    });
    let lines: Vec<Line<'_>> = lines.collect();
    let before: usize = rows[..at.min(rows.len())].iter().map(lines_of).sum();
    let room = usize::from(inner.height.saturating_sub(1));
    let skip = (before + 2).saturating_sub(room);
    let list = Rect { height: inner.height.saturating_sub(1), ..inner };
    frame.render_widget(Paragraph::new(lines.into_iter().skip(skip).collect::<Vec<_>>()), list);
    let foot = Rect { y: inner.bottom().saturating_sub(1), height: 1, ..inner };
    let words = " Enter prepares the case · ↑ ↓ · any other key closes the list";
    frame.render_widget(Paragraph::new(Span::styled(words, faint())), foot.intersection(inner));
}
