//! A picture of the panel in SVG: what the terminal would show, cell by cell.

use super::keys::Keys;
use super::operator::{Speed, State};
use super::screen::{SLATE, Screen, TEXT};
use plain_byte::panel::{Panel, View};
use plain_byte::report::escaped;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::buffer::{Buffer, Cell};
use ratatui::style::{Color, Modifier};
use std::fmt::Write as _;

/// Dots of a cell.
const WIDE: f64 = 10.0;
const TALL: f64 = 20.0;
/// Letters of this size are as wide as a cell.
const SIZE: f64 = 16.6;
/// From the top of a cell to the line that letters stand on.
const BASE: f64 = 15.0;

/// The panel of a machine that nobody works at a terminal, drawn at a size in columns and lines.
pub fn of_panel(panel: &Panel, view: &View, (columns, lines): (u16, u16), stopped: Option<String>) -> String {
    let state = State {
        chosen: usize::from(!panel.has_front()),
        running: stopped.is_none(),
        speed: Speed::Clock(1),
        stopped,
        help: false,
        typing: false,
        down: Vec::new(),
        said: String::new(),
        console: None,
        asks: None,
        lately: plain_byte::text::Text::new(),
        goes: panel.is_running(),
    };
    of_state(panel, view, &Keys::new(panel), &state, (columns, lines))
}

/// The panel as its screen shows it.
pub fn of_state(
    panel: &Panel,
    view: &View,
    keys: &Keys,
    state: &State,
    (columns, lines): (u16, u16),
) -> String {
    // Drawing into memory cannot fail.
    let Ok(mut terminal) = Terminal::new(TestBackend::new(columns, lines));
    let Ok(_) = terminal.draw(|frame| Screen::default().draw(frame, panel, view, keys, state));
    svg(terminal.backend().buffer())
}

fn colour(wanted: Color, other: Color) -> String {
    let of = |colour| match colour {
        Color::Rgb(red, green, blue) => Some(format!("#{red:02x}{green:02x}{blue:02x}")),
        _ => None,
    };
    of(wanted).or_else(|| of(other)).unwrap_or_default()
}

/// Cells next to each other in a line that look alike.
fn runs(buffer: &Buffer, y: u16, same: impl Fn(&Cell, &Cell) -> bool) -> Vec<(u16, u16)> {
    let mut runs: Vec<(u16, u16)> = Vec::new();
    for x in 0..buffer.area.width {
        match runs.last_mut().filter(|run| same(&buffer[(run.0, y)], &buffer[(x, y)])) {
            Some(run) => run.1 = x + 1,
            None => runs.push((x, x + 1)),
        }
    }
    runs
}

/// What a screen shows, cell by cell.
pub fn svg(buffer: &Buffer) -> String {
    let (width, height) = (f64::from(buffer.area.width) * WIDE, f64::from(buffer.area.height) * TALL);
    let mut body = String::new();
    for y in 0..buffer.area.height {
        let top = f64::from(y) * TALL;
        for (from, to) in runs(buffer, y, |one, two| one.bg == two.bg) {
            let (x, wide) = (f64::from(from) * WIDE, f64::from(to - from) * WIDE);
            let fill = colour(buffer[(from, y)].bg, SLATE);
            let _ =
                writeln!(body, r#"<rect x="{x}" y="{top}" width="{wide}" height="{TALL}" fill="{fill}"/>"#);
        }
        for (from, to) in runs(buffer, y, |one, two| one.fg == two.fg && one.modifier == two.modifier) {
            let cells = (from..to).map(|x| (x, buffer[(x, y)].symbol())).filter(|(_, symbol)| *symbol != " ");
            let (mut places, mut text) = (String::new(), String::new());
            for (x, symbol) in cells {
                let _ = write!(places, "{} ", f64::from(x) * WIDE);
                text.push_str(&escaped(symbol));
            }
            if text.is_empty() {
                continue;
            }
            let fill = colour(buffer[(from, y)].fg, TEXT);
            let weight = if buffer[(from, y)].modifier.contains(Modifier::BOLD) { "bold" } else { "normal" };
            let base = top + BASE;
            let _ = writeln!(
                body,
                r#"<text x="{}" y="{base}" fill="{fill}" font-weight="{weight}">{text}</text>"#,
                places.trim_end()
            );
        }
    }
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" viewBox=\"0 0 {width} {height}\" \
         font-family=\"Hack, 'DejaVu Sans Mono', monospace\" font-size=\"{SIZE}\" shape-rendering=\"crispEdges\">\n{body}</svg>\n"
    )
}
