//! The panel on the screen: lamps and digits above, what they say in the middle, keys and actions below; the console to the
//! right, or below on narrow terminals; board, state, speed and time in the last line.

use super::keys::{Key, Keys};
use super::operator::{Speed, State};
use super::places::{Places, lower};
use super::{front, lights, text_screen};
use plain_byte::machine::{Deck, Machine};
use plain_byte::number::{clock_text, thousands, time_text};
use plain_byte::panel::{Action, Panel, View, glyphs, processor_text};
use plain_byte::text::{Text, Tone};
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Position, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, BorderType, Clear, Paragraph, Wrap};

pub const AMBER: Color = Color::Rgb(0xFF, 0xB0, 0x40);
pub const SLATE: Color = Color::Rgb(0x1C, 0x22, 0x2B);
pub const TEXT: Color = Color::Rgb(0xD8, 0xDE, 0xE6);
pub const FAINT: Color = Color::Rgb(0x7A, 0x86, 0x96);
pub const LINE: Color = Color::Rgb(0x45, 0x50, 0x60);
/// The back of a digit, and a segment that is not lit.
const GLASS: Color = Color::Rgb(0x12, 0x16, 0x1C);
const UNLIT: Color = Color::Rgb(0x2A, 0x30, 0x38);

/// What the processor holds takes so many columns at most.
const PROCESSOR: u16 = 74;
/// A drive's light is lit for this part of a second.
const DRIVE_LIGHT: u64 = 4;

/// What a click on the screen means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Spot {
    Key(String),
    /// A switch of a front panel, by its bit.
    Switch(u8),
    /// A switch that the program reads: the row's name, and its bit.
    ProgramSwitch(String, u8),
    Act(Action),
    /// A key of the recorder.
    Deck(Deck),
    Start,
    Run,
    Step,
    Slower,
    Faster,
    Type,
    Help,
    Quit,
}

/// Where everything was drawn, for the mouse.
#[derive(Debug, Default)]
pub struct Screen {
    pub spots: Vec<(Rect, Spot)>,
}

pub fn faint() -> Style {
    Style::new().fg(FAINT)
}

/// What is lit for so small a part of the time is still seen: a single cycle of a long loop.
const SEEN: f32 = 0.0005;

/// True for a light that is seen to be lit.
pub fn is_lit(bright: f32) -> bool {
    bright >= SEEN
}

/// A colour between a glimmer and amber. Five steps at least can be told apart, and the least of them is brighter than what is dark.
pub fn glow(bright: f32) -> Color {
    // The eye sees much of little light.
    let steps = (bright.sqrt() * 8.0).ceil() / 8.0;
    let mix = |dark: u8, light: u8| (f32::from(dark) + (f32::from(light) - f32::from(dark)) * steps) as u8;
    Color::Rgb(mix(0x78, 0xFF), mix(0x58, 0xB0), mix(0x30, 0x40))
}

impl Screen {
    /// What stands at a place of the screen.
    pub fn spot(&self, column: u16, row: u16) -> Option<Spot> {
        let at = Position::new(column, row);
        self.spots.iter().rev().find(|(area, _)| area.contains(at)).map(|(_, spot)| spot.clone())
    }

    pub fn draw(&mut self, frame: &mut Frame<'_>, panel: &Panel, view: &View, keys: &Keys, state: &State) {
        self.spots.clear();
        let whole = frame.area();
        frame.render_widget(Block::new().style(Style::new().bg(SLATE).fg(TEXT)), whole);
        let [main, actions, status] =
            Layout::vertical([Constraint::Min(0), Constraint::Length(1), Constraint::Length(1)]).areas(whole);
        let places = Places::of(panel, view, state.typing, main);
        if let Some(area) = places.console {
            self.console(frame, area, panel, state);
        }
        if let (Some(area), Some(picture)) = (places.screen, &view.screen) {
            text_screen::draw(frame, area, picture);
        }
        lights::draw(frame, inset(lower(places.lights, 1)), (panel, view), places.tall);
        digits_and_lamps(frame, places.digits, view, state.goes);
        let reading =
            Paragraph::new(reading_lines(panel, view, state, places.reading.width)).wrap(Wrap { trim: true });
        frame.render_widget(reading, inset(places.reading));
        let below = lower(places.below, self.recorder(frame, inset(places.below), panel, view));
        let used = match panel.has_front() {
            true => front::controls(self, frame, inset(below), panel, (view, state.chosen)),
            false => {
                let used = front::switches(self, frame, inset(below), panel, (view, state.chosen));
                // Where there is room, a line is kept free.
                let used = if used > 0 && below.height > 6 { used + 1 } else { used };
                used + self.keypad(frame, lower(below, used), keys, state)
            }
        };
        // What the processor holds can be read only while it does not run.
        let slow = matches!(state.speed, Speed::Steps(_));
        if !state.running || !panel.is_running() || state.stopped.is_some() || slow {
            let area = inset(lower(below, used + 1));
            let lines = usize::from(area.height).min(16);
            // A head without what belongs below it says nothing.
            if lines >= 4 {
                let area = Rect { width: area.width.min(PROCESSOR), ..area };
                let text = processor_text(panel.session(), lines, area.width.into());
                frame.render_widget(Paragraph::new(toned(&text)), area);
            }
        } else {
            let area = inset(lower(below, used + 1));
            // A head without what belongs below it says nothing.
            if area.height >= 3 {
                let area = Rect { width: area.width.min(PROCESSOR), ..area };
                let lately = Paragraph::new(toned(&state.lately)).wrap(Wrap { trim: false });
                frame.render_widget(lately, area);
            }
        }
        self.actions(frame, actions, panel, state);
        status_line(frame, status, panel, state);
        if state.help {
            help(frame, whole, keys, panel);
        }
    }

    fn console(&self, frame: &mut Frame<'_>, area: Rect, panel: &Panel, state: &State) {
        let place = state.console.as_ref().map_or(String::new(), |place| format!(" at {place}"));
        let keys = if state.typing { "keys go here, Tab back" } else { "Tab to type" };
        let title = format!(" console{place} — {keys} ");
        let border = if state.typing { AMBER } else { LINE };
        let block = Block::bordered()
            .border_type(BorderType::Rounded)
            .border_style(Style::new().fg(border))
            .title(Span::styled(title, faint()));
        let inner = block.inner(area);
        frame.render_widget(block, area);
        let output = String::from_utf8_lossy(panel.session().machine().output()).replace('\r', "");
        let width = usize::from(inner.width.max(1));
        let mut lines: Vec<String> = Vec::new();
        for line in output.split('\n') {
            let characters: Vec<char> = line.chars().filter(|c| !c.is_control()).collect();
            if characters.is_empty() {
                lines.push(String::new());
            }
            lines.extend(characters.chunks(width).map(|part| part.iter().collect::<String>()));
        }
        let skip = lines.len().saturating_sub(usize::from(inner.height));
        let shown: Vec<Line<'_>> = lines.into_iter().skip(skip).map(Line::from).collect();
        frame.render_widget(Paragraph::new(shown), inner);
    }

    /// The recorder: what it does, and its keys; gives the lines that they take.
    fn recorder(&mut self, frame: &mut Frame<'_>, area: Rect, panel: &Panel, view: &View) -> u16 {
        let Some((recorder, words)) = panel.session().machine().recorder().zip(view.tape.as_ref()) else {
            return 0;
        };
        let line = Line::from(vec![Span::styled("cassette ", faint()), Span::raw(words.clone())]);
        frame.render_widget(line, Rect { height: 1, ..area }.intersection(area));
        let mut x = area.x;
        for (key, name) in Deck::ALL {
            let width = name.len() as u16 + 2;
            let place = Rect::new(x, area.y + 1, width, 1).intersection(area);
            let is_down = recorder.deck() == key;
            let style = match is_down {
                true => Style::new().fg(AMBER).add_modifier(Modifier::BOLD),
                false => Style::new().fg(TEXT),
            };
            let (open, close) = if is_down { ("▐", "▌") } else { ("[", "]") };
            let cap = Line::from(vec![
                Span::styled(open, faint()),
                Span::styled(name, style),
                Span::styled(close, faint()),
            ]);
            frame.render_widget(cap, place);
            self.spots.push((place, Spot::Deck(key)));
            x += width + 1;
        }
        3
    }

    /// The keys; gives the lines that they take.
    fn keypad(&mut self, frame: &mut Frame<'_>, area: Rect, keys: &Keys, state: &State) -> u16 {
        let area = inset(area);
        let wide: u16 = 9;
        let tall: u16 = if area.height >= keys.pad.len() as u16 * 3 { 3 } else { 2 };
        for (row, keys) in keys.pad.iter().enumerate() {
            for (column, key) in keys.iter().enumerate() {
                let Some(key) = key else { continue };
                let place =
                    Rect::new(area.x + column as u16 * wide, area.y + row as u16 * tall, wide - 1, tall);
                self.cap(frame, place.intersection(area), key, state);
            }
        }
        let left = area.x + keys.pad.iter().map(|row| last_key(row)).max().unwrap_or(0) as u16 * wide;
        let (mut x, mut y) = (area.x, area.y);
        for (at, key) in keys.others.iter().enumerate() {
            let width = key.legend.len() as u16 + 7;
            let place = if keys.pad.is_empty() {
                if x > area.x && x + width > area.right() {
                    (x, y) = (area.x, y + tall);
                }
                Rect::new(x, y, width, tall)
            } else {
                Rect::new(left + 1, area.y + at as u16 * tall, width, tall)
            };
            x += width + 1;
            self.cap(frame, place.intersection(area), key, state);
        }
        let rows = if keys.pad.is_empty() { 0 } else { keys.pad.len().max(keys.others.len()) as u16 * tall };
        rows.max(if keys.pad.is_empty() && !keys.others.is_empty() { y + tall - area.y } else { 0 })
    }

    /// A key: its legend, and what reaches it.
    fn cap(&mut self, frame: &mut Frame<'_>, area: Rect, key: &Key, state: &State) {
        if area.is_empty() {
            return;
        }
        let down = state.down.contains(&key.legend);
        let style =
            if down { Style::new().fg(AMBER).add_modifier(Modifier::BOLD) } else { Style::new().fg(TEXT) };
        let mut spans = vec![Span::styled(key.legend.clone(), style)];
        if !key.reached.eq_ignore_ascii_case(&key.legend) {
            spans.push(Span::styled(format!(" {}", key.reached), faint()));
        }
        let border = if down { AMBER } else { LINE };
        let block = Block::bordered().border_type(BorderType::Rounded).border_style(Style::new().fg(border));
        if area.height >= 3 {
            frame.render_widget(Paragraph::new(Line::from(spans)).centered().block(block), area);
        } else {
            let mut framed = vec![Span::styled("[", faint())];
            framed.extend(spans);
            framed.push(Span::styled("]", faint()));
            frame.render_widget(Paragraph::new(Line::from(framed)), area);
        }
        self.spots.push((area, Spot::Key(key.legend.clone())));
    }

    /// The actions, the same on every board and always in the same place.
    fn actions(&mut self, frame: &mut Frame<'_>, area: Rect, panel: &Panel, state: &State) {
        let machine = panel.session().machine();
        let mut list = Vec::new();
        if state.typing {
            // The keys of one letter mean themselves.
            let at = if machine.has_keyboard() { "go to the keyboard" } else { "go to the console" };
            list.push(("keys", at, Spot::Type));
        } else {
            list.push(("Space", if state.goes { "pause" } else { "run" }, Spot::Run));
            list.push((".", "step", Spot::Step));
            list.push(("-", "slower", Spot::Slower));
            list.push(("+", "faster", Spot::Faster));
        }
        if machine.takes_typing() {
            list.push(("Tab", if state.typing { "panel keys" } else { "type" }, Spot::Type));
        }
        if panel.program_start().is_some() {
            list.push(("^G", "start", Spot::Start));
        }
        list.push(("F1", "help", Spot::Help));
        list.push(("Esc", "quit", Spot::Quit));
        let mut x = area.x + 1;
        for (key, word, spot) in list {
            let width = (key.len() + word.len() + 1) as u16;
            let place = Rect::new(x, area.y, width, 1).intersection(area);
            let key_style = Style::new().fg(TEXT).add_modifier(Modifier::BOLD);
            let line =
                Line::from(vec![Span::styled(key, key_style), Span::styled(format!(" {word}"), faint())]);
            frame.render_widget(line, place);
            self.spots.push((place, spot));
            x += width + 2;
        }
    }
}

/// How many columns of a row have keys.
fn last_key(row: &[Option<Key>]) -> usize {
    row.iter().rposition(Option::is_some).map_or(0, |at| at + 1)
}

/// A report's lines in the panel's colours.
pub fn toned(text: &Text) -> Vec<Line<'static>> {
    let style = |tone: Tone| match tone {
        Tone::Plain => Style::new(),
        Tone::Faint => faint(),
        Tone::Strong => Style::new().add_modifier(Modifier::BOLD),
        Tone::Live | Tone::Wrong => Style::new().fg(AMBER),
    };
    let line = |pieces: &[(Tone, String)]| {
        Line::from_iter(pieces.iter().map(|(tone, piece)| Span::styled(piece.clone(), style(*tone))))
    };
    text.lines().map(line).collect()
}

/// A blank to the left and to the right.
fn inset(area: Rect) -> Rect {
    Rect::new(area.x + 1, area.y, area.width.saturating_sub(2), area.height)
}

/// Digits drawn in segments, lamps below.
pub fn digits_and_lamps(frame: &mut Frame<'_>, area: Rect, view: &View, goes: bool) {
    let mut y = area.y + 1;
    for (_, row) in &view.digits {
        let back = Rect::new(area.x + 1, y, (row.len() as u16 * 8 + 2).min(area.width), 7).intersection(area);
        frame.render_widget(Block::new().style(Style::new().bg(GLASS)), back);
        for (at, digit) in row.iter().enumerate() {
            // The cell and the address stand apart.
            let gap = if at + 4 >= row.len() { 2 } else { 0 };
            segments(
                frame,
                Rect::new(area.x + 2 + at as u16 * 8 + gap, y + 1, 7, 5).intersection(area),
                digit,
            );
        }
        y += 7;
    }
    let area = Rect::new(area.x, y, area.width, area.bottom().saturating_sub(y));
    if area.height >= 3 {
        large_lamps(frame, area, view, goes);
    } else {
        small_lamps(frame, area, view, goes);
    }
}

/// What a lamp says: how much of the time it is lit, or, where nothing goes on, whether it is.
fn lamp_words(bright: f32, goes: bool) -> String {
    match (goes, is_lit(bright)) {
        (true, true) if bright < 0.01 => "under 1 %".to_string(),
        (true, _) => format!("{:.0} %", bright * 100.0),
        (false, true) => "lit".to_string(),
        (false, false) => "dark".to_string(),
    }
}

/// The width of a lamp's name with what it says.
fn lamp_width(view: &View) -> u16 {
    let longest = view.lamps.iter().map(|lamp| lamp.0.chars().count()).max().unwrap_or(0);
    longest as u16 + 11
}

/// Lamps side by side in columns, as many rows as there is room: filled where they are lit, hollow where not.
fn large_lamps(frame: &mut Frame<'_>, area: Rect, view: &View, goes: bool) {
    let wide = 8 + lamp_width(view) + 1;
    let across = (area.width.saturating_sub(1) / wide).max(1);
    for (at, (name, bright)) in view.lamps.iter().enumerate() {
        let (x, y) = (area.x + 1 + at as u16 % across * wide, area.y + at as u16 / across * 3);
        let colour = if is_lit(*bright) { glow(*bright) } else { LINE };
        let bulb = Rect::new(x, y, 7, 3).intersection(area);
        let block = Block::bordered().border_type(BorderType::Rounded).border_style(Style::new().fg(colour));
        let inner = block.inner(bulb);
        frame.render_widget(block, bulb);
        if is_lit(*bright) {
            frame.render_widget(Block::new().style(Style::new().bg(colour)), inner);
        }
        let words = Line::from(vec![
            Span::raw(name.clone()),
            Span::styled(format!("  {}", lamp_words(*bright, goes)), faint()),
        ]);
        let width = words.width() as u16;
        frame.render_widget(words, Rect::new(x + 8, y + 1, width, 1).intersection(area));
    }
}

/// Lamps in lines, side by side where there are several.
fn small_lamps(frame: &mut Frame<'_>, area: Rect, view: &View, goes: bool) {
    let wide = 3 + lamp_width(view) + 1;
    let across = (area.width / wide).max(1);
    for (at, (name, bright)) in view.lamps.iter().enumerate() {
        let (x, y) = (area.x + at as u16 % across * wide, area.y + at as u16 / across);
        let lit = is_lit(*bright);
        let line = Line::from(vec![
            Span::styled(
                if lit { " ● " } else { " ○ " },
                Style::new().fg(if lit { glow(*bright) } else { FAINT }),
            ),
            Span::raw(name.clone()),
            Span::styled(format!("  {}", lamp_words(*bright, goes)), faint()),
        ]);
        frame.render_widget(line, Rect::new(x, y, wide, 1).intersection(area));
    }
}

/// One digit in seven columns and five lines.
fn segments(frame: &mut Frame<'_>, area: Rect, digit: &[f32; 8]) {
    let bars = [
        (0, 1, 0, "━━━"),
        (5, 0, 1, "┃"),
        (1, 4, 1, "┃"),
        (6, 1, 2, "━━━"),
        (4, 0, 3, "┃"),
        (2, 4, 3, "┃"),
        (3, 1, 4, "━━━"),
        (7, 5, 4, "●"),
    ];
    for (segment, x, y, mark) in bars {
        let bright = digit[segment];
        // Digits that come in turn leave a glimmer in the others, which is none of theirs.
        let dark = bright < 0.02;
        let colour = if dark { UNLIT } else { glow(bright) };
        let weight = if dark { Modifier::empty() } else { Modifier::BOLD };
        let mark = match (segment, dark) {
            (7, true) => "·",
            _ => mark,
        };
        let place = Rect::new(area.x + x, area.y + y, mark.chars().count() as u16, 1).intersection(area);
        frame
            .render_widget(Span::styled(mark, Style::new().fg(colour).bg(GLASS).add_modifier(weight)), place);
    }
}

/// A drive's light stays on for a moment after each access.
fn drive_light(machine: &Machine) -> Option<Span<'static>> {
    let access = machine.drive_access();
    let recent = access.filter(|access| machine.cycles() - access.at < machine.board().clock / DRIVE_LIGHT);
    let Some(access) = recent else {
        return machine.floppy().map(|_| Span::styled("   ○ drive", faint()));
    };
    let does = if access.writes { "writes" } else { "reads" };
    let text = match access.sector {
        Some((track, _, _)) => format!("   ● {does} track {track}"),
        None => format!("   ● {does} the disk"),
    };
    Some(Span::styled(text, Style::new().fg(AMBER)))
}

/// What the lights say in words and numbers.
fn reading_lines(panel: &Panel, view: &View, state: &State, width: u16) -> Vec<Line<'static>> {
    let machine = panel.session().machine();
    let set = machine.set();
    let mut first = Vec::new();
    for (name, row) in &view.digits {
        first.push(Span::styled(format!("{name} "), faint()));
        first.push(Span::raw(format!("{}   ", glyphs(row))));
    }
    // At a front panel the operator looks where the address lights say.
    let pc = panel.shown_address();
    // Where it waits for an interrupt, it stands at the instruction that says so.
    let pc = machine.halted_at().filter(|_| !machine.set().stops_for_operator()).unwrap_or(pc);
    let (decoded, cells) = plain_byte::session::instruction_at(machine, pc);
    let text = decoded.map_or(String::new(), |one| {
        one.text(set, &|address| panel.session().label(address as u32).map(String::from))
    });
    first.push(Span::styled("at ", faint()));
    let cells: Vec<String> = cells.iter().map(|&cell| set.cell(cell)).collect();
    let cells = if panel.has_front() { format!("{}  ", cells.join(" ")) } else { String::new() };
    first.push(Span::raw(format!("{} {cells}{text}", machine.spell(pc))));
    let pitch = machine.speaker().and_then(|speaker| speaker.pitch(machine.cycles(), machine.board().clock));
    if let Some(hertz) = pitch {
        first.push(Span::styled(format!("   ♪ {hertz} Hz"), Style::new().fg(AMBER)));
    }
    first.extend(drive_light(machine));
    let second = match (&state.asks, &state.stopped) {
        (Some((asks, name)), _) => format!("{}: {name}▏  Enter takes it, Escape does not", asks.words()),
        (None, Some(words)) => words.clone(),
        (None, None) if panel.is_at_start() && state.said.is_empty() => {
            let (start, label) = (machine.spell(pc), panel.session().label(pc));
            format!("Ctrl+G starts the program, at {}", label.map_or(start, String::from))
        }
        (None, None) => state.said.clone(),
    };
    let mut lines = vec![Line::from(first), Line::styled(second, faint())];
    lines.extend(lights::reading(panel, view, width.saturating_sub(2)));
    lines
}

fn status_line(frame: &mut Frame<'_>, area: Rect, panel: &Panel, state: &State) {
    let machine = panel.session().machine();
    let board = machine.board();
    let speed = match state.speed {
        Speed::Steps(rate) => format!("{rate} instructions a second"),
        Speed::Clock(1) => "real time".to_string(),
        Speed::Clock(divisor) => format!("{divisor} times slower"),
        Speed::Most => "as fast as it can".to_string(),
    };
    let word = match (&state.stopped, state.running) {
        (Some(_), _) => "■ stopped",
        (None, true) if !state.goes => "■ stopped",
        (None, true) => "▶ running",
        (None, false) => "‖ paused",
    };
    let style = Style::new().bg(LINE).fg(TEXT);
    let cycles = machine.cycles();
    let line = Line::from(vec![
        Span::styled(format!(" {} ", board.name), Style::new().add_modifier(Modifier::BOLD)),
        Span::styled(format!("{word}  "), Style::new().fg(if state.goes { AMBER } else { TEXT })),
        Span::raw(format!(
            "{} {}  {speed}  {} {}  {}",
            board.set.name(),
            clock_text(board.clock),
            thousands(cycles),
            board.set.identity.cycle_name,
            time_text(cycles, board.clock)
        )),
    ]);
    frame.render_widget(Paragraph::new(line).style(style), area);
}

fn help(frame: &mut Frame<'_>, whole: Rect, keys: &Keys, panel: &Panel) {
    let mut lines = vec![
        Line::styled("The keys, the same on every board", Style::new().add_modifier(Modifier::BOLD)),
        Line::from("Space  run or pause        .  one instruction"),
        Line::from("-  +   slower, faster      Esc  quit"),
        Line::from("Ctrl+G the program from its beginning"),
        Line::from("Ctrl+P a picture of this in a file"),
    ];
    let machine = panel.session().machine();
    if machine.recorder().is_some() {
        lines.push(Line::from("Ctrl+T a cassette for the recorder  Ctrl+O keeps it"));
        lines.push(Line::from("Ctrl+R the recorder's keys"));
    }
    if machine.punched().is_some() {
        lines.push(Line::from("Ctrl+T a tape for the reader  Ctrl+O the punched one"));
    }
    if panel.has_front() || !panel.program_switches().is_empty() {
        lines.push(Line::from("Backspace  a switch digit back   Delete  all down"));
    }
    if panel.session().machine().takes_typing() {
        lines.push(Line::from("Tab    type at the console or keyboard, and back"));
    }
    if panel.has_front() {
        lines.push(Line::from(""));
        lines.push(Line::styled("The front panel", Style::new().add_modifier(Modifier::BOLD)));
        lines.extend(front::help(panel, whole.height < 30).into_iter().map(Line::from));
    }
    let rows = panel.program_switches().len();
    if !panel.has_front() && keys.pad.is_empty() && rows > 0 {
        lines.push(Line::from("digits go into the switches that the program reads"));
        if rows > 1 {
            lines.push(Line::from("g      the next row of switches"));
        }
    }
    if !keys.pad.is_empty() {
        lines.push(Line::from(""));
        lines.push(Line::styled(
            "The keypad: digits are themselves",
            Style::new().add_modifier(Modifier::BOLD),
        ));
        let named = keys.pad.iter().flatten().flatten().filter(|key| key.legend.len() > 1);
        let named: Vec<String> = named.map(|key| format!("{} {}", key.reached, key.legend)).collect();
        lines.extend(named.chunks(4).map(|part| Line::from(part.join("   "))));
    }
    if !keys.others.is_empty() {
        let others: Vec<String> =
            keys.others.iter().map(|key| format!("{} {}", key.reached, key.legend)).collect();
        lines.push(Line::from(others.join("   ")));
    }
    lines.push(Line::from(""));
    lines.push(Line::styled("Everything can be clicked, too. Any key closes this.", faint()));
    // What is too tall for the screen stands in two columns.
    let room = usize::from(whole.height.saturating_sub(2)).max(1);
    let columns = lines.len().div_ceil(room).clamp(1, 2) as u16;
    let tall = lines.len().div_ceil(usize::from(columns));
    let (width, height) = ((56 * columns).min(whole.width), (tall as u16 + 2).min(whole.height));
    let area =
        Rect::new(whole.x + (whole.width - width) / 2, whole.y + (whole.height - height) / 2, width, height);
    frame.render_widget(Clear, area);
    let block = Block::bordered()
        .border_type(BorderType::Rounded)
        .border_style(Style::new().fg(AMBER))
        .style(Style::new().bg(SLATE).fg(TEXT))
        .title(" help ");
    let inner = block.inner(area);
    frame.render_widget(block, area);
    let rest = lines.split_off(tall.min(lines.len()));
    let half = inner.width / columns;
    frame.render_widget(Paragraph::new(lines), Rect { width: half, ..inner });
    frame.render_widget(Paragraph::new(rest), Rect { x: inner.x + half, width: inner.width - half, ..inner });
}

#[cfg(test)]
mod tests {
    use super::*;
    use plain_byte::cassette::Signal;
    use plain_byte::machine::Event;
    use plain_byte::session::Session;
    use ratatui::Terminal;
    use ratatui::backend::TestBackend;
    use ratatui::buffer::Buffer;

    fn drawn(board: &str, size: (u16, u16), help: bool) -> (String, Screen) {
        let (buffer, screen) = buffer(board, size, help);
        let (width, height) = size;
        let lines = (0..height).map(|y| {
            let line: String = (0..width).map(|x| buffer[(x, y)].symbol()).collect();
            line.trim_end().to_string()
        });
        (lines.collect::<Vec<_>>().join("\n"), screen)
    }

    fn buffer(board: &str, size: (u16, u16), help: bool) -> (Buffer, Screen) {
        buffer_of(Session::shipped(board).expect("a board"), size, help)
    }

    fn buffer_of(session: Session, (width, height): (u16, u16), help: bool) -> (Buffer, Screen) {
        let mut panel = Panel::new(session);
        let view = panel.look();
        let keys = Keys::new(&panel);
        let state = State {
            running: true,
            speed: Speed::Clock(1),
            stopped: None,
            help,
            typing: false,
            down: vec!["RUN".to_string()],
            said: "pressed RUN".to_string(),
            console: None,
            asks: None,
            lately: Text::new(),
            chosen: usize::from(!panel.has_front()),
            goes: true,
        };
        let mut terminal = Terminal::new(TestBackend::new(width, height)).expect("a terminal");
        let mut screen = Screen::default();
        terminal.draw(|frame| screen.draw(frame, &panel, &view, &keys, &state)).expect("it draws");
        (terminal.backend().buffer().clone(), screen)
    }

    /// The text screen in its colours, and its border all around where there is room.
    #[test]
    fn a_text_screen_has_its_own_colours() {
        let (buffer, _) = buffer("fulmar", (128, 40), false);
        let at = |x: u16, y: u16| (buffer[(x, y)].symbol(), buffer[(x, y)].fg, buffer[(x, y)].bg);
        let (deep, slate, chalk) =
            (Color::Rgb(0x1F, 0x4E, 0x8C), Color::Rgb(0x2B, 0x35, 0x42), Color::Rgb(0xF2, 0xF0, 0xE8));
        let places = (0..40u16).flat_map(|y| (0..128u16).map(move |x| (x, y)));
        let count = |colour: Color| places.clone().filter(|&(x, y)| buffer[(x, y)].bg == colour).count();
        assert_eq!((count(deep), count(slate) + count(chalk)), (46 * 28 - 40 * 24, 40 * 24));
        let (x, y) = places.clone().find(|&(x, y)| at(x, y).2 == slate).expect("a character");
        assert_eq!((at(x, y), at(x + 1, y).0), (("f", chalk, slate), "u"));
        // After the sign of the prompt stands the cursor, ground and ink exchanged.
        assert_eq!((at(x, y + 3).0, at(x + 2, y + 3)), ("●", (" ", slate, chalk)));
    }

    #[test]
    fn the_panel_fits_a_small_terminal() {
        insta::assert_snapshot!("tern_80x24", drawn("tern", (80, 24), false).0);
        insta::assert_snapshot!("puffin_80x24", drawn("puffin", (80, 24), false).0);
        insta::assert_snapshot!("fulmar_80x24", drawn("fulmar", (80, 24), false).0);
        insta::assert_snapshot!("curlew_80x24", drawn("curlew", (80, 24), false).0);
        insta::assert_snapshot!("dunlin_80x24", drawn("dunlin", (80, 24), false).0);
        insta::assert_snapshot!("dunlin_128x40", drawn("dunlin", (128, 40), false).0);
        insta::assert_snapshot!("heron_80x24", drawn("heron", (80, 24), false).0);
        insta::assert_snapshot!("gannet_80x24", drawn("gannet", (80, 24), false).0);
        insta::assert_snapshot!("osprey_80x24", drawn("osprey", (80, 24), false).0);
        insta::assert_snapshot!("osprey_128x40", drawn("osprey", (128, 40), false).0);
        insta::assert_snapshot!("help_80x24", drawn("tern", (80, 24), true).0);
        insta::assert_snapshot!("dunlin_help_80x24", drawn("dunlin", (80, 24), true).0);
        insta::assert_snapshot!("gannet_help_80x24", drawn("gannet", (80, 24), true).0);
    }

    /// The recorder stands above the keys, and each of its own can be clicked.
    #[test]
    fn a_recorder_with_a_cassette_is_seen() {
        let mut session = Session::shipped("tern").expect("a board");
        session.happen(Event::Cassette(Signal::blank(60))).expect("it has one");
        session.happen(Event::Recorder(Deck::Record)).expect("it has one");
        let (buffer, screen) = buffer_of(session, (80, 40), false);
        let line = |y: u16| (0..80).map(|x| buffer[(x, y)].symbol()).collect::<String>();
        let row = (0..40).find(|&y| line(y).contains("▐record▌")).expect("its keys");
        assert!(line(row - 1).contains("cassette records, counter 0:00.0"), "{}", line(row - 1));
        assert!((0..40).any(|y| line(y).contains("motor  100 %")));
        let column = line(row).find("rewind").map(|at| line(row)[..at].chars().count()).expect("a key");
        assert_eq!(screen.spot(column as u16, row), Some(Spot::Deck(Deck::Rewind)));
    }

    #[test]
    fn no_size_is_too_small_to_be_drawn() {
        for size in [(1, 1), (2, 40), (40, 2), (10, 10), (79, 23), (300, 100)] {
            for board in
                ["tern", "puffin", "plover", "fulmar", "curlew", "dunlin", "heron", "gannet", "osprey"]
            {
                drawn(board, size, true);
            }
        }
    }

    #[test]
    fn every_key_and_action_can_be_clicked_where_it_is_drawn() {
        let (text, screen) = drawn("tern", (80, 24), false);
        for (word, spot) in [
            ("STEP s", Spot::Key("STEP".to_string())),
            ("STOP F2", Spot::Key("STOP".to_string())),
            ("pause", Spot::Run),
            ("slower", Spot::Slower),
            ("quit", Spot::Quit),
        ] {
            let (row, line) = text.lines().enumerate().find(|(_, line)| line.contains(word)).expect(word);
            let column = line[..line.find(word).expect(word)].chars().count();
            assert_eq!(screen.spot(column as u16, row as u16), Some(spot), "{word}");
        }
        assert_eq!(screen.spot(79, 0), None);
    }
}
