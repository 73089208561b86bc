//! The operator's panel of a board: keys and buttons are pressed, digits and lamps are looked at, as a person would. It has
//! no terminal of its own; the command draws it, and a [`Script`] works it without one.

mod digits;
mod front;
mod lights;
mod recorder;
mod script;
mod start;

pub use digits::{drawn, glyphs};
pub use front::{ACTIONS, Action, NoEffect};
pub use lights::{Row, group};
pub use recorder::time_on_tape;
pub use script::{Files, NoFiles, Ran, Script};

use crate::machine::Machine;
use crate::machine::chip::Picture;
use crate::report::{list_line, registers_card, written_at};
use crate::session::{Limits, Session, StateError, Stop, instruction_at};
use crate::text::{Text, Tone};

/// For so long a key is held, and let go before the next one.
const TAP_MS: u64 = 60;

/// For so long a look at the panel takes: what flickers faster is seen as one.
pub(crate) const LOOK_MS: u64 = 30;

/// A panel with the machine behind it.
#[derive(Debug, Clone)]
pub struct Panel {
    session: Session,
    /// The last look: cycles that each segment and each lamp was lit up to then, and the cycle.
    before: Lit,
    /// The rows of lights since the last look.
    lights: lights::Lights,
    /// The front panel.
    front: Option<front::Front>,
    /// The session as it was when the panel was opened, with a program at its start.
    fresh: Option<Box<Session>>,
}

/// What a look at the panel shows.
#[derive(Debug, Clone, PartialEq)]
pub struct View {
    /// For each row of digits its name, and of each digit how bright its segments are, 0 to 1: a to g, the point.
    pub digits: Vec<(String, Vec<[f32; 8]>)>,
    /// For each lamp its name and how bright it is, 0 to 1.
    pub lamps: Vec<(String, f32)>,
    /// The text screen.
    pub screen: Option<Picture>,
    /// The rows of lights.
    pub rows: Vec<Row>,
    /// What the cassette recorder does, where a tape is in it.
    pub tape: Option<String>,
    /// The machine stood still: the rows show what it holds.
    pub still: bool,
}

impl Panel {
    /// A panel in front of a session.
    pub fn new(session: Session) -> Self {
        let board = session.machine().board();
        let front = board.front.map(|_| front::Front::default());
        let lights = lights::Lights::new(board.lights.len());
        let fresh = session.program().map(|_| Box::new(session.clone()));
        let mut panel = Self { session, before: Lit::default(), lights, front, fresh };
        if panel.front.is_some() {
            panel.stopped();
        }
        panel.mark();
        panel
    }

    /// The session after it.
    pub fn session(&self) -> &Session {
        &self.session
    }

    /// The session after it, to be changed.
    pub fn session_mut(&mut self) -> &mut Session {
        &mut self.session
    }

    /// Lets the machine run for so many cycles.
    pub fn pass(&mut self, cycles: u64) -> Stop {
        if self.session.machine().board().lights.is_empty() && self.front.is_none() {
            self.session.run(Limits::none().cycles(cycles))
        } else {
            self.pass_lit(cycles)
        }
    }

    fn cycles_in(&self, milliseconds: u64) -> u64 {
        (self.session.machine().board().clock * milliseconds / 1000).max(1)
    }

    /// The legends of every key and button there is.
    pub fn keys(&self) -> Vec<String> {
        let board = self.session.machine().board();
        let pads = board.keypads.iter().flat_map(|pad| pad.legends.iter().flatten());
        let jumper = |legend: &&String| board.jumpers.iter().any(|jumper| jumper.1 == **legend);
        let pads = pads.filter(|legend| !legend.is_empty() && !jumper(legend)).cloned();
        let buttons = board.buttons.iter().map(|button| button.name.clone());
        pads.chain(buttons).chain(board.keys.iter().map(|key| key.name.clone())).collect()
    }

    /// Presses a key or a button, or lets it go.
    ///
    /// # Errors
    /// [`StateError`] where there is none of that legend.
    pub fn press(&mut self, legend: &str, down: bool) -> Result<(), StateError> {
        let Some(event) = self.session.machine().key_event(legend, down) else { return Ok(()) };
        self.session.happen(event)
    }

    /// Presses a key for a moment and lets it go.
    ///
    /// # Errors
    /// [`StateError`] where there is none of that legend.
    pub fn tap(&mut self, legend: &str) -> Result<(), StateError> {
        self.press(legend, true)?;
        self.pass(self.cycles_in(TAP_MS));
        self.press(legend, false)?;
        self.pass(self.cycles_in(TAP_MS));
        Ok(())
    }

    /// Lets the machine run until everything that was typed at its keyboard has been struck, and a moment more.
    pub(crate) fn pass_strokes(&mut self) {
        while self.session.machine().keys_waiting() > 0 {
            self.pass(self.cycles_in(LOOK_MS));
        }
        if self.session.machine().has_keyboard() {
            self.pass(self.cycles_in(2 * TAP_MS));
        }
    }

    fn mark(&mut self) {
        self.before = Lit::of(self.session.machine());
        self.lights.forget();
    }

    /// Looks for a moment, while the machine runs on.
    pub fn look(&mut self) -> View {
        self.mark();
        self.pass(self.cycles_in(LOOK_MS));
        self.since()
    }

    /// What was seen since the last look, averaged.
    pub fn since(&mut self) -> View {
        let seen = self.before.view(self.session.machine());
        let (rows, still) = self.rows();
        self.mark();
        View { rows, still, ..seen }
    }

    /// While the machine stands still, its lights show what it holds; digits and lamps stay in the view as bright as they were.
    pub fn hold(&mut self, view: &mut View) {
        self.lights.forget();
        (view.rows, view.still) = self.rows();
        // What it wrote last stands on the screen.
        view.screen = self.session.machine().screen();
    }
}

/// How long each segment and each lamp was lit up to a cycle.
#[derive(Debug, Clone, Default)]
struct Lit {
    digits: Vec<Vec<[u64; 8]>>,
    lamps: Vec<u64>,
    cycle: u64,
}

impl Lit {
    fn of(machine: &Machine) -> Self {
        let cycle = machine.cycles();
        let digits = machine.digits().iter().map(|row| row.all_lit_cycles(cycle)).collect();
        Self { digits, lamps: machine.lamps().iter().map(|lamp| lamp.lit_cycles(cycle)).collect(), cycle }
    }

    /// What was seen from then to where a machine stands now, averaged; without its rows of lights.
    fn view(&self, machine: &Machine) -> View {
        let now = machine.cycles();
        let passed = now.saturating_sub(self.cycle);
        let span = passed.max(1) as f32;
        let rows = machine.digits().iter().zip(&self.digits);
        let rows = rows.map(|(row, before)| (row.name.clone(), row.brightness(before, passed, now)));
        let lit = machine.lamps().iter().zip(&self.lamps).map(|(lamp, before)| {
            (lamp.name.clone(), (lamp.lit_cycles(now).saturating_sub(*before) as f32 / span).clamp(0.0, 1.0))
        });
        let (digits, mut lamps): (_, Vec<_>) = (rows.collect(), lit.collect());
        lamps.extend(recorder::lamps(machine));
        View {
            digits,
            lamps,
            screen: machine.screen(),
            rows: Vec::new(),
            tape: recorder::words(machine),
            still: true,
        }
    }
}

/// What somebody saw of a board from one moment of a run to a later one: digits, lamps and the screen. Where no time passed between,
/// a lamp is as it is.
pub fn seen(before: &Machine, now: &Machine) -> View {
    let mut view = Lit::of(before).view(now);
    if before.cycles() == now.cycles() {
        for ((_, bright), lamp) in view.lamps.iter_mut().zip(now.lamps()) {
            *bright = f32::from(u8::from(lamp.lit));
        }
    }
    view
}

impl View {
    /// What the eye sees when this view follows another one: brightness comes and goes over a few looks, so that what is lit
    /// in turn does not flicker.
    pub fn behind(mut self, before: &Self) -> Self {
        const KEPT: f32 = 0.75;
        let blend = |new: &mut f32, old: f32| *new = old * KEPT + *new * (1.0 - KEPT);
        for ((_, row), (_, old)) in self.digits.iter_mut().zip(&before.digits) {
            for (new, old) in row.iter_mut().flatten().zip(old.iter().flatten()) {
                blend(new, *old);
            }
        }
        for ((_, new), (_, old)) in self.lamps.iter_mut().zip(&before.lamps) {
            blend(new, *old);
        }
        for (row, old) in self.rows.iter_mut().zip(&before.rows).filter(|_| !self.still) {
            for (new, old) in row.lights.iter_mut().zip(&old.lights) {
                blend(new, *old);
            }
        }
        self
    }

    /// The panel as text: digits drawn large, lamps below.
    pub fn text(&self) -> Text {
        let mut text = Text::new();
        for (_, row) in &self.digits {
            text.append(drawn(row));
        }
        for (name, bright) in &self.lamps {
            let lit = *bright >= 0.5;
            text.line().tone(if lit { Tone::Live } else { Tone::Faint }, if lit { "● " } else { "○ " });
            text.put(format!("{name}  {:3.0} %", bright * 100.0));
        }
        if let Some(words) = &self.tape {
            text.line().tone(Tone::Faint, "cassette  ").put(words.as_str());
        }
        let wide = self.rows.iter().map(|row| row.name.chars().count()).max().unwrap_or(0).max(12);
        for row in self.rows.iter().filter(|row| !row.is_short()) {
            text.line().put(format!("{:>wide$}  ", row.name));
            for (at, &bright) in row.lights.iter().enumerate() {
                let gap = at > 0 && (row.lights.len() - at).is_multiple_of(row.group());
                text.put(if gap { " " } else { "" });
                put_light(&mut text, bright);
            }
            if let Some(digits) = row.digits() {
                text.put(format!("  {digits}"));
            }
        }
        let mut short = self.rows.iter().filter(|row| row.is_short()).peekable();
        if short.peek().is_some() {
            text.line().put(format!("{:>wide$}  ", "status"));
        }
        for row in short {
            row.lights.iter().for_each(|&bright| put_light(&mut text, bright));
            text.put(format!(" {}  ", row.name));
        }
        if let Some(picture) = &self.screen {
            text.append(screen_text(picture));
        }
        text
    }
}

fn put_light(text: &mut Text, bright: f32) {
    let (tone, mark) = if bright >= 0.5 { (Tone::Live, "●") } else { (Tone::Faint, "○") };
    text.tone(tone, mark);
}

/// What a stopped processor holds, and the instructions that come next, in so many lines and columns; where those are few, the cells
/// are left out.
pub fn processor_text(session: &Session, lines: usize, columns: usize) -> Text {
    const NARROW: usize = 50;
    let machine = session.machine();
    let mut text = registers_card(machine, columns);
    text.line();
    // Where the operator lets it go on, that is after the halt.
    let halt = machine.halted_at().filter(|_| !machine.set().stops_for_operator());
    let mut address = halt.unwrap_or(machine.place());
    for _ in text.lines().count()..lines {
        if columns < NARROW {
            text.line().tone(Tone::Strong, machine.spell(address));
            text.put(format!("  {}", written_at(session, address)));
            let cells = instruction_at(machine, address).1.len() as u32;
            address = address.wrapping_add(cells) & machine.set().last_address();
        } else {
            address = list_line(session, address, &mut text);
        }
    }
    text
}

/// A text screen as text, in a frame that names the colour of its border.
pub fn screen_text(picture: &Picture) -> Text {
    let columns = picture.size.0;
    let mut text = Text::new();
    let colour = picture.colour_name(picture.border_beside(0));
    let edge = "─".repeat(columns);
    text.line().tone(Tone::Faint, format!("┌{edge}┐ border {colour}"));
    let lines = picture.lines();
    // A large screen ends with its last line that shows something, and one more.
    let shown = match picture.size.1 {
        0..=24 => lines.len(),
        rows => (lines.iter().rposition(|line| !line.is_empty()).map_or(0, |at| at + 1) + 1).min(rows),
    };
    for line in &lines[..shown] {
        text.line().tone(Tone::Faint, "│").put(format!("{line:columns$}")).tone(Tone::Faint, "│");
    }
    let rest = lines.len() - shown;
    let more = if rest > 0 { format!(" {rest} more lines are empty") } else { String::new() };
    text.line().tone(Tone::Faint, format!("└{edge}┘{more}"));
    text
}
