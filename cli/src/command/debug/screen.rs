//! The screen of the debugger: the source at the left; registers, stack and memory at the right, the board below them; what was said, the
//! strip of time, and where the machine stands.

use super::work::{Over, Work};
use super::{board, overlay};
use crate::command::panel::{AMBER, FAINT, LINE, SLATE, TEXT, toned};
use plain_byte::debug::{MarkKind, View};
use plain_byte::number::{clock_text, thousands, time_text};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Position, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Borders, Paragraph, Wrap};

/// The line that comes next.
const NEXT: Color = Color::Rgb(0x3A, 0x30, 0x1C);

/// What a click on the screen means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Spot {
    /// A place of the strip, in thousandths.
    Strip(u64),
    /// A line so far from the cursor.
    Line(i64),
}

/// Where things were drawn, for the mouse.
#[derive(Debug, Default)]
pub struct Screen {
    strip: Rect,
    source: Rect,
    cursor: Option<u16>,
    /// Rows of the memory pane.
    pub memory: usize,
}

fn faint() -> Style {
    Style::new().fg(FAINT)
}

pub fn live(changed: bool) -> Style {
    if changed { Style::new().fg(AMBER).add_modifier(Modifier::BOLD) } else { Style::new() }
}

/// The value that the cursor stands on.
fn at(is_cursor: bool, style: Style) -> Style {
    if is_cursor { style.bg(NEXT).add_modifier(Modifier::BOLD | Modifier::UNDERLINED) } else { style }
}

impl Screen {
    /// What stands at a place of the screen.
    pub fn spot(&self, column: u16, row: u16) -> Option<Spot> {
        let at = Position::new(column, row);
        if self.strip.contains(at) {
            let width = u64::from(self.strip.width.max(2) - 1);
            return Some(Spot::Strip(u64::from(column - self.strip.x) * 1000 / width));
        }
        let cursor = self.cursor.filter(|_| self.source.contains(at))?;
        Some(Spot::Line(i64::from(row) - i64::from(self.source.y + cursor)))
    }

    pub fn draw(&mut self, frame: &mut Frame<'_>, work: &Work) {
        let whole = frame.area();
        frame.render_widget(Block::new().style(Style::new().bg(SLATE).fg(TEXT)), whole);
        let said = (whole.height / 4).clamp(4, 12);
        let [main, told, strip, status] = Layout::vertical([
            Constraint::Min(6),
            Constraint::Length(said),
            Constraint::Length(3),
            Constraint::Length(1),
        ])
        .areas(whole);
        let right = right_width(whole.width);
        let [left, right] = Layout::horizontal([Constraint::Min(30), Constraint::Length(right)]).areas(main);
        let stack = usize::from((main.height / 3).clamp(3, 9));
        let view = work.debugger.view(usize::from(left.height.saturating_sub(1)), 16, stack);
        match work.board {
            true => {
                let inner = titled(frame, left, &work.debugger.session().machine().board().name);
                (self.source, self.cursor) = (Rect::default(), None);
                board::draw(frame, inner, work);
            }
            false => self.source(frame, left, &view, work),
        }
        self.memory = state(frame, right, &view, work);
        said_lines(frame, told, work);
        self.strip(frame, strip, &view);
        status_line(frame, status, &view, work);
        match &work.over {
            Over::Nothing => {}
            Over::Help => overlay::help(frame, whole),
            Over::Cases(rows, at) => overlay::cases(frame, whole, rows, *at),
        }
    }

    fn source(&mut self, frame: &mut Frame<'_>, area: Rect, view: &View, work: &Work) {
        let name = if view.file.is_empty() { "what memory holds" } else { &view.file };
        let case = work.debugger.chosen_case().map_or(String::new(), |case| format!(" · case `{case}`"));
        let inner = titled(frame, area, &format!("{name}{case}"));
        self.source = inner;
        self.cursor = view.source.iter().position(|row| row.is_cursor).map(|at| at as u16);
        let room = usize::from(inner.width).saturating_sub(7);
        let lines = view.source.iter().map(|row| {
            let mark = if row.has_stop { "●" } else { " " };
            let arrow = match (row.is_next, row.is_cursor) {
                (true, _) => "▸",
                (_, true) => "›",
                _ => " ",
            };
            let ground = if row.is_next { Style::new().bg(NEXT) } else { Style::new() };
            let number = match row.is_written {
                true => format!("     {:>6}  ", row.number),
                false => format!("{:>4} ", row.number),
            };
            let text = match row.is_next {
                true => Style::new().fg(AMBER).add_modifier(Modifier::BOLD),
                false if row.has_code => Style::new(),
                false => faint(),
            };
            Line::from(vec![
                Span::styled(format!("{mark}{arrow}"), Style::new().fg(AMBER)),
                Span::styled(number, faint()),
                Span::styled(row.text.clone(), text),
                Span::styled(
                    folds(row.folds, room.saturating_sub(row.text.chars().count())),
                    Style::new().fg(AMBER),
                ),
            ])
            .style(ground)
        });
        frame.render_widget(Paragraph::new(lines.collect::<Vec<_>>()), inner);
    }

    fn strip(&mut self, frame: &mut Frame<'_>, area: Rect, view: &View) {
        let inner = Rect::new(area.x + 1, area.y, area.width.saturating_sub(2), area.height);
        self.strip = inner;
        let (marks, now) = view.strip.columns(inner.width.into(), view.now.0);
        let signs: String = marks.iter().map(|mark| sign(*mark)).collect();
        frame.render_widget(Paragraph::new(signs).style(Style::new().fg(AMBER)), Rect { height: 1, ..inner });
        let line: String =
            (0..usize::from(inner.width)).map(|at| if at <= now { '━' } else { '─' }).collect();
        let place = Rect { y: inner.y + 1, height: 1, ..inner };
        frame.render_widget(Paragraph::new(line).style(Style::new().fg(LINE)), place);
        let at = Rect::new(inner.x + now as u16, inner.y + 1, 1, 1).intersection(inner);
        frame.render_widget(Paragraph::new("◆").style(Style::new().fg(AMBER)), at);
        let legend = "· output  ○ lamp  ! interrupt  ▿ by hand  ▪ stood  ▲ hazard";
        frame.render_widget(
            Paragraph::new(legend).style(faint()),
            Rect { y: inner.y + 2, height: 1, ..inner },
        );
    }
}

/// The width of the panes at the right.
fn right_width(whole: u16) -> u16 {
    if whole >= 110 { 50 } else { 34 }
}

/// Rows of memory that are seen on any screen.
pub const LEAST_MEMORY: usize = 2;

/// The columns of the memory pane on a screen so wide.
pub fn memory_width(whole: u16) -> usize {
    usize::from(right_width(whole)) - 1
}

/// What a line wrote out, as a number after it.
fn folds(count: usize, room: usize) -> String {
    let whole = match count {
        0 => return String::new(),
        1 => "  ⋯1 instruction".to_string(),
        count => format!("  ⋯{count} instructions"),
    };
    if whole.chars().count() <= room { whole } else { format!("  ⋯{count}") }
}

fn sign(mark: Option<MarkKind>) -> char {
    match mark {
        None => ' ',
        Some(MarkKind::Output) => '·',
        Some(MarkKind::Lamp) => '○',
        Some(MarkKind::Interrupt) => '!',
        Some(MarkKind::Hand) => '▿',
        Some(MarkKind::Stop) => '▪',
        Some(MarkKind::Hazard) => '▲',
        Some(_) => '?',
    }
}

/// A pane with its name above, and a line to its left where it does not stand at the edge.
fn titled(frame: &mut Frame<'_>, area: Rect, name: &str) -> Rect {
    let borders = if area.x > 0 { Borders::TOP | Borders::LEFT } else { Borders::TOP };
    let block = Block::new()
        .borders(borders)
        .border_type(BorderType::Plain)
        .border_style(Style::new().fg(LINE))
        .title(Span::styled(format!(" {name} "), faint()));
    let inner = block.inner(area);
    frame.render_widget(block, area);
    inner
}

/// The panes at the right, each with a line for its name: registers whole, what is watched, the stack and the board as far as there is room
/// beside memory, which has two lines at least.
fn panes(area: Rect, registers: usize, [watched, stack, board]: [usize; 3]) -> [Rect; 5] {
    let registers = (registers as u16 + 1).min((area.height * 3 / 4).max(3));
    let mut left = area.height - registers;
    let memory = 3.min(left);
    left -= memory;
    let mut part = |lines: usize, share: u16| {
        let wanted = if lines > 0 { lines as u16 + 1 } else { 0 };
        let given = wanted.min(share.max(2)).min(left);
        let given = if given < 2 { 0 } else { given };
        left -= given;
        given
    };
    let board = part(board, area.height / 4 + 1);
    let watched = part(watched, area.height / 5 + 1);
    let stack = part(stack, area.height / 4 + 1);
    let memory = memory + left;
    Layout::vertical([registers, watched, stack, memory, board].map(Constraint::Length)).areas(area)
}

/// Registers, stack, memory, and the board; how many rows of memory there are.
fn state(frame: &mut Frame<'_>, area: Rect, view: &View, work: &Work) -> usize {
    let (mut registers, counter, flags) = register_lines(view, area.width.saturating_sub(2).into());
    let most = if work.board { 0 } else { usize::from(area.height / 4).max(3) };
    let board = board::lines(work, most);
    let [registers_area, watched_area, stack_area, memory_area, board_area] =
        panes(area, registers.len(), [view.watched.len(), view.stack.len(), board.len()]);
    let (watched, stack) = (watched_area.height, stack_area.height);
    let inner = titled(frame, registers_area, "registers");
    let room = usize::from(inner.height);
    if registers.len() > room {
        // The program counter and the flags stay in sight, and what the cursor stands on.
        let counter = registers.remove(counter);
        let flags = registers.split_off(registers.len() - flags);
        let head: Vec<Line<'_>> = std::iter::once(counter).chain(flags).collect();
        let left = room.saturating_sub(head.len());
        let is_cursor = |line: &Line<'_>| line.spans.iter().any(|span| span.style.bg == Some(NEXT));
        let at = registers.iter().position(is_cursor).unwrap_or(0);
        registers.drain(..(at + 1).saturating_sub(left));
        registers.splice(..0, head);
    }
    frame.render_widget(Paragraph::new(registers), inner);
    if watched > 0 {
        let inner = titled(frame, watched_area, "watched");
        let rows = view.watched.iter().map(|one| {
            let mark = if one.changed { "•" } else { " " };
            Line::from(vec![
                Span::styled(format!("{mark}{} = {}", one.text, one.value), live(one.changed)),
                Span::styled(format!("  {}", one.decimal), faint()),
            ])
        });
        frame.render_widget(Paragraph::new(rows.collect::<Vec<_>>()), inner);
    }
    if stack > 0 {
        let inner = titled(frame, stack_area, "stack");
        let rows = view.stack.iter().map(|row| {
            Line::from(vec![
                Span::styled(format!("{:>5} ", row.address), faint()),
                Span::raw(format!("{:5} ", row.value)),
                Span::styled(row.what.clone(), Style::new().add_modifier(Modifier::BOLD)),
            ])
        });
        frame.render_widget(Paragraph::new(rows.collect::<Vec<_>>()), inner);
    }
    let inner = titled(frame, memory_area, "memory");
    frame.render_widget(Paragraph::new(memory_lines(view, inner.width.into())), inner);
    let rows = inner.height.into();
    if board_area.height > 0 {
        let inner = titled(frame, board_area, &work.debugger.session().machine().board().name);
        frame.render_widget(Paragraph::new(board), inner);
    }
    rows
}

/// Registers and flags; the line of the program counter, and how many lines of flags there are.
fn register_lines(view: &View, width: usize) -> (Vec<Line<'static>>, usize, usize) {
    let mut lines: Vec<Vec<Span<'static>>> = vec![Vec::new()];
    let (mut used, mut counter) = (0, 0);
    for one in &view.registers {
        let mark = if one.changed { "•" } else { " " };
        let text = format!("{mark}{:>2} {} ", one.name, one.value);
        let decimal = format!("{:>3}  ", one.decimal);
        let length = text.chars().count() + decimal.chars().count();
        if used > 0 && used + length > width {
            lines.push(Vec::new());
            used = 0;
        }
        used += length;
        if one.is_counter {
            counter = lines.len() - 1;
        }
        let line = lines.last_mut().expect("there is one");
        line.push(Span::styled(text, at(one.is_cursor, live(one.changed))));
        line.push(Span::styled(decimal, faint()));
    }
    let of_registers = lines.len();
    lines.push(vec![Span::raw(" ")]);
    let mut used = 1;
    for one in &view.flags {
        let mark = if one.changed { "•" } else { " " };
        let text = format!("{mark}{}={}", one.name, one.value);
        used += text.chars().count();
        if used > width {
            lines.push(vec![Span::raw(" ")]);
            used = 1 + text.chars().count();
        }
        let line = lines.last_mut().expect("there is one");
        line.push(Span::styled(text, at(one.is_cursor, live(one.changed))));
    }
    let flags = lines.len() - of_registers;
    (lines.into_iter().map(Line::from).collect(), counter, flags)
}

fn memory_lines(view: &View, width: usize) -> Vec<Line<'static>> {
    let rows = view.memory.iter().map(|(address, cells)| {
        let mut spans = vec![Span::styled(format!("{address:>5} "), faint())];
        let each = cells.first().map_or(2, |cell| cell.value.len()) + 1;
        let before = address.chars().count().max(5) + 1;
        let room = width.saturating_sub(before) / each;
        for cell in cells.iter().take(room) {
            let mark = if cell.changed { "•" } else { " " };
            spans.push(Span::styled(format!("{mark}{}", cell.value), at(cell.is_cursor, live(cell.changed))));
        }
        if width >= before + cells.len() * (each + 1) + 2 {
            let signs: String = cells.iter().map(|cell| cell.character).collect();
            spans.push(Span::styled(format!("  {signs}"), faint()));
        }
        Line::from(spans)
    });
    rows.collect()
}

fn said_lines(frame: &mut Frame<'_>, area: Rect, work: &Work) {
    let inner = titled(frame, area, "");
    if let Some(typing) = &work.typing {
        let line = Line::from(vec![
            Span::styled(if typing.is_value { "value: " } else { ": " }, Style::new().fg(AMBER)),
            Span::raw(typing.line.clone()),
            Span::styled("▏", Style::new().fg(AMBER)),
        ]);
        frame.render_widget(Paragraph::new(line), Rect { height: 1, ..inner });
    }
    let below = u16::from(work.typing.is_some());
    let width = inner.width.saturating_sub(1);
    let rest = Rect { x: inner.x + 1, y: inner.y + below, width, height: inner.height.saturating_sub(below) };
    let lines = toned(work.debugger.said());
    let skip = lines.len().saturating_sub(rest.height.into());
    // A chain begins with what was asked for; of a listing the end is of interest.
    let lines: Vec<Line<'_>> = if skip > 0 && work.debugger.said().to_string().contains(" = ") {
        lines.into_iter().take(rest.height.into()).collect()
    } else {
        lines.into_iter().skip(skip).collect()
    };
    // A sentence goes on in the next line; what stands in columns does not.
    let is_sentence = lines.len() <= 2 && !work.debugger.said().to_string().contains("  ");
    let paragraph = Paragraph::new(lines);
    match is_sentence {
        true => frame.render_widget(paragraph.wrap(Wrap { trim: true }), rest),
        false => frame.render_widget(paragraph, rest),
    }
}

fn status_line(frame: &mut Frame<'_>, area: Rect, view: &View, work: &Work) {
    let machine = work.debugger.session().machine();
    let board = machine.board();
    let (cycle, instructions, _, last) = view.now;
    let place = match view.is_past {
        _ if work.running == Some(true) => "runs; keys go to the console, Esc stops".to_string(),
        _ if work.running.is_some() => "runs; any key stops".to_string(),
        true => format!("in the past: instruction {} of {}", thousands(instructions), thousands(last)),
        false => format!("{} instructions", thousands(instructions)),
    };
    let text = format!(
        " {} · {} · {place} · {} at {} ",
        board.name,
        board.set.name(),
        time_text(cycle, board.clock),
        clock_text(board.clock)
    );
    let keys = " s step · r run · b back · w why · ? keys ";
    let room = usize::from(area.width).saturating_sub(text.chars().count());
    let keys = if keys.chars().count() <= room { keys } else { " ? keys " };
    let gap = room.saturating_sub(keys.chars().count());
    let style = if view.is_past { Style::new().fg(AMBER) } else { Style::new() };
    let line =
        Line::from(vec![Span::styled(text, style), Span::raw(" ".repeat(gap)), Span::styled(keys, faint())]);
    frame.render_widget(Paragraph::new(line), area);
}
