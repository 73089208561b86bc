//! Where the bands of the panel stand: lights, the line that reads them, switches and actions below; the console to the right of all of
//! them, beside the switches where long rows of lights need the whole width, or below on narrow terminals.

use super::{lights, text_screen};
use plain_byte::panel::{Panel, View};
use ratatui::layout::{Constraint, Layout, Rect};

/// From here on a terminal is wide enough for a console beside the panel.
const WIDE: u16 = 100;

/// Columns of the controls where a console stands beside them.
const CONTROLS: u16 = 62;

/// The same with a front panel, which has four actions side by side.
const FRONT_CONTROLS: u16 = 76;

/// A console has so many columns beside the lights, or it stands below them: at a front panel, and elsewhere, where people work at it.
const CONSOLE: (u16, u16) = (30, 66);

/// What stands where.
pub struct Places {
    pub lights: Rect,
    /// Digits and lamps.
    pub digits: Rect,
    pub reading: Rect,
    /// Switches, keys and actions.
    pub below: Rect,
    pub console: Option<Rect>,
    pub screen: Option<Rect>,
    /// Lines of a row of lights.
    pub tall: u16,
}

impl Places {
    /// The places in an area above the lines that are the same on every board.
    pub fn of(panel: &Panel, view: &View, typing: bool, area: Rect) -> Self {
        let has_console = panel.session().machine().board().console.is_some() && view.screen.is_none();
        let is_front = panel.has_front();
        let wanted = lights::wanted_width(panel, view) + 2;
        let long = wanted + if is_front { CONSOLE.0 } else { CONSOLE.1 } > area.width;
        let wide = area.width >= WIDE;
        let mut places = if let Some(picture) = &view.screen {
            let beside = if wide { text_screen::whole(picture).0 } else { text_screen::least(picture) };
            let [left, right] =
                Layout::horizontal([Constraint::Min(0), Constraint::Length(beside)]).areas(area);
            Self { screen: Some(right), ..Self::bands(panel, view, left, area.height) }
        } else if wide && !long && has_console {
            let own = match is_front {
                true if area.width >= 110 => FRONT_CONTROLS,
                true => CONTROLS,
                false => (wanted + 2).max(CONTROLS),
            };
            let [left, right] =
                Layout::horizontal([Constraint::Length(own), Constraint::Min(30)]).areas(area);
            Self { console: Some(right), ..Self::bands(panel, view, left, area.height) }
        // A front panel needs the room of a narrow terminal: the console comes while somebody types.
        } else if !wide && has_console && (!is_front || typing) {
            let [above, below] =
                Layout::vertical([Constraint::Min(10), Constraint::Percentage(45)]).areas(area);
            Self { console: Some(below), ..Self::bands(panel, view, above, area.height) }
        } else {
            Self::bands(panel, view, area, area.height)
        };
        if wide && long && has_console {
            places.console_beside_controls(panel);
        }
        places
    }

    fn bands(panel: &Panel, view: &View, area: Rect, height: u16) -> Self {
        let tall = if height >= 34 { 2 } else { 1 };
        let rows = lights::light_lines(panel, view, tall, area.width.saturating_sub(2));
        let digits = u16::from(!view.digits.is_empty()) * 7;
        // Where there is room a lamp is three lines high.
        let lamps = match view.lamps.len() as u16 {
            0 => 0,
            _ if height >= 28 => 3,
            count => count.min(4),
        };
        let [lights, reading, below] = Layout::vertical([
            Constraint::Length(rows + digits + lamps + 1),
            Constraint::Length(3),
            Constraint::Min(0),
        ])
        .areas(area);
        Self { lights, digits: lower(lights, rows), reading, below, console: None, screen: None, tall }
    }

    fn console_beside_controls(&mut self, panel: &Panel) {
        let own = if panel.has_front() { FRONT_CONTROLS } else { CONTROLS };
        let [left, right] =
            Layout::horizontal([Constraint::Length(own), Constraint::Min(20)]).areas(self.below);
        if panel.has_front() {
            // Its switches stand below the lights, across the whole width.
            self.console = Some(lower(right, panel.program_switches().len() as u16 + 2));
        } else {
            (self.console, self.below) = (Some(right), left);
        }
    }
}

/// What is left of an area below so many lines.
pub fn lower(area: Rect, lines: u16) -> Rect {
    let lines = lines.min(area.height);
    Rect { y: area.y + lines, height: area.height - lines, ..area }
}
