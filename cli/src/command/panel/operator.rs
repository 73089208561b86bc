//! Somebody works the panel at a terminal: the machine runs for the time that passes, keys and clicks come between, and sixty times a
//! second everything is drawn.

use super::keys::Keys;
use super::lately::Lately;
use super::screen::{Screen, Spot};
use super::{drawing, front, picture};
use crate::arguments::PanelArguments;
use crate::command::cassette;
use crate::disk;
use crate::files;
use crate::record;
use crate::say::Failure;
use crate::serial::Far;
use crate::terminal::{Shows, Taken};
use crossterm::event::{
    self, Event as Input, KeyCode, KeyEventKind, KeyModifiers, MouseButton, MouseEventKind,
};
use plain_byte::machine::{Deck, Event};
use plain_byte::panel::{Action, Panel, View};
use plain_byte::report::Tracer;
use plain_byte::session::Stop;
use plain_byte::text::Text;
use std::time::{Duration, Instant};

/// How fast the machine runs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Speed {
    /// So many instructions a second.
    Steps(u32),
    /// The clock divided by so much.
    Clock(u32),
    /// As fast as this computer can.
    Most,
}

/// From slow to fast.
const SPEEDS: &[Speed] = &[
    Speed::Steps(2),
    Speed::Steps(10),
    Speed::Steps(100),
    Speed::Clock(1000),
    Speed::Clock(100),
    Speed::Clock(10),
    Speed::Clock(1),
    Speed::Most,
];

const REAL: usize = 6;

/// A frame of the screen: sixty a second.
const FRAME: Duration = Duration::from_nanos(16_666_667);

/// What a slice takes where the machine runs as fast as it can.
const SLICE: Duration = Duration::from_millis(1);

/// So often a second an action is repeated where no number of instructions is chosen.
const FAST_REPEAT: f64 = 300.0;

/// Keys of the keypad stay down for so long, since a terminal does not tell when they are let go.
const HELD: Duration = Duration::from_millis(70);

/// What the screen shows besides the panel itself.
pub struct State {
    pub running: bool,
    pub speed: Speed,
    pub stopped: Option<String>,
    pub help: bool,
    /// What is typed goes to the console.
    pub typing: bool,
    /// Keys that are down: their legends.
    pub down: Vec<String>,
    /// What the operator did last.
    pub said: String,
    /// Where the far end of the serial line is.
    pub console: Option<String>,
    /// What a running machine did in the last second.
    pub lately: Text,
    /// A name that is being typed, and what it is for.
    pub asks: Option<(Asks, String)>,
    /// The row of switches that digits go into: those of the panel, or one that the program reads.
    pub chosen: usize,
    /// The machine runs: it is not paused, and at a front panel somebody started it.
    pub goes: bool,
}

struct Operator {
    panel: Panel,
    keys: Keys,
    state: State,
    place: usize,
    /// Keys that are down until then.
    held: Vec<(String, Instant)>,
    /// Waiting to be pressed.
    queue: Vec<String>,
    /// When the next one may be.
    free_at: Instant,
    /// Parts of an instruction or a cycle that are still owed.
    owed: f64,
    /// Cycles of a slice, where the machine runs as fast as it can.
    slice: u64,
    /// What drawing the last frame took.
    drawing: Duration,
    /// The far end of the serial line, and how much of the output it was sent.
    far: Option<Far>,
    sent: usize,
    /// A picture is wanted.
    picture: bool,
    /// The last second, and the frame that it was told in last.
    lately: (Lately, u32),
    /// The names of the tape in the reader and of the file for what was punched.
    files: (String, String),
    /// The name of the cassette in the recorder.
    cassette: String,
    quit: bool,
}

/// What a name is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Asks {
    /// The tape that is put into the reader.
    Tape,
    /// The file for what the punch has punched.
    Punched,
    /// The cassette that is put into the recorder.
    Cassette,
    /// The file for what is on the cassette.
    Recorded,
    /// A key of the recorder, by its first letters.
    Deck,
}

impl Asks {
    /// The question, as the reading line has it.
    pub fn words(self) -> &'static str {
        match self {
            Asks::Tape => "tape for the reader",
            Asks::Punched => "file for the punched tape",
            Asks::Cassette => "cassette for the recorder, a WAV file; a name that is new is a new cassette",
            Asks::Recorded => "WAV file for what is on the cassette",
            Asks::Deck => "key of the recorder: play, record, rewind, wind, stop, zero",
        }
    }
}

fn give_back() {
    let _ = crossterm::execute!(
        std::io::stdout(),
        crossterm::event::DisableMouseCapture,
        crossterm::cursor::Show
    );
    // Where the terminal is gone there is nothing to restore, and nobody to tell.
    let _ = ratatui::try_restore();
}

/// The full screen, until the operator leaves it.
pub fn operate(panel: Panel, far: Option<Far>, arguments: &PanelArguments) -> Result<(), Failure> {
    let mut operator = Operator::new(panel, far);
    operator.files =
        (arguments.tape.clone().unwrap_or_default(), arguments.punch.clone().unwrap_or_default());
    operator.cassette = arguments.cassette.clone().unwrap_or_default();
    let operated = at_the_panel(&mut operator);
    let kept = super::keep_cassette(operator.panel.session().machine(), arguments.cassette.as_deref());
    // Whatever ended it, what the program has changed is written back.
    let punched = match (&arguments.punch, operator.panel.session().machine().punched()) {
        (Some(file), Some(tape)) => files::must_write(file, tape),
        _ => Ok(()),
    };
    operated.and(punched).and(kept).and(record::keep(operator.panel.session(), &arguments.target.record))
}

fn at_the_panel(operator: &mut Operator) -> Result<(), Failure> {
    let taken = Taken::new(give_back, Shows::Picture)?;
    // It is given back above. Dropped, it would tell on a terminal that is gone that it is gone, and panic.
    let mut terminal = std::mem::ManuallyDrop::new(ratatui::init());
    crossterm::execute!(std::io::stdout(), crossterm::event::EnableMouseCapture)?;
    let mut screen = Screen::default();
    let mut view = operator.panel.since();
    let mut last = Instant::now();
    let mut due = last + FRAME;
    while !operator.quit && !taken.is_ended() {
        let begin = Instant::now();
        operator.release(begin);
        operator.run(begin - last, due);
        operator.talk();
        operator.keep_in_mind();
        disk::look(operator.panel.session());
        last = begin;
        let drawing = Instant::now();
        if operator.panel.has_front() || operator.state.running {
            let seen = operator.panel.since();
            view = seen.behind(&view);
        } else {
            operator.panel.hold(&mut view);
        }
        terminal.draw(|frame| screen.draw(frame, &operator.panel, &view, &operator.keys, &operator.state))?;
        if std::mem::take(&mut operator.picture) {
            let size = terminal.size()?;
            operator.save_picture(&view, (size.width, size.height));
        }
        operator.drawing = drawing.elapsed().min(FRAME / 2);
        operator.listen(&screen, due)?;
        // A frame that came late is not caught up with.
        due = (due + FRAME).max(Instant::now());
    }
    Ok(())
}

impl Operator {
    fn new(panel: Panel, far: Option<Far>) -> Self {
        let keys = Keys::new(&panel);
        let types = panel.session().machine().takes_typing();
        let state = State {
            // A program waits at its start for whoever will look.
            running: panel.program_start().is_none() || panel.has_front(),
            speed: SPEEDS[REAL],
            stopped: None,
            help: false,
            typing: types && keys.is_empty() && !panel.has_front(),
            down: Vec::new(),
            said: far.as_ref().map_or(String::new(), |far| format!("console at {}", far.title)),
            console: far.as_ref().map(|far| far.title.clone()),
            lately: Text::new(),
            asks: None,
            // Without a front panel, digits go into the first row that the program reads.
            chosen: usize::from(!panel.has_front()),
            goes: panel.is_running(),
        };
        Self {
            panel,
            keys,
            state,
            place: REAL,
            held: vec![],
            queue: vec![],
            free_at: Instant::now(),
            owed: 0.0,
            slice: 100_000,
            drawing: Duration::ZERO,
            far,
            sent: 0,
            picture: false,
            lately: (Lately::default(), 0),
            files: (String::new(), String::new()),
            cassette: String::new(),
            quit: false,
        }
    }

    /// Looks at the running machine, and tells now and then what it does: numbers that change with every frame cannot be read.
    fn keep_in_mind(&mut self) {
        let (lately, frame) = &mut self.lately;
        lately.look(&self.panel, self.state.goes);
        *frame += 1;
        if *frame % 30 == 0 || !self.state.goes {
            self.state.lately = lately.text(&self.panel);
        }
    }

    /// What is left of the frame is spent waiting for the operator.
    fn listen(&mut self, screen: &Screen, due: Instant) -> Result<(), Failure> {
        while event::poll(due.saturating_duration_since(Instant::now()))? {
            match event::read()? {
                Input::Key(key) if key.kind != KeyEventKind::Release => self.key(key.code, key.modifiers),
                Input::Mouse(mouse) if mouse.kind == MouseEventKind::Down(MouseButton::Left) => {
                    if let Some(spot) = screen.spot(mouse.column, mouse.row) {
                        self.spot(spot);
                    }
                }
                _ => {}
            }
        }
        Ok(())
    }

    /// Lets the machine run for the real time that has passed; as fast as it can, until there is just time to draw before
    /// `due`.
    fn run(&mut self, elapsed: Duration, due: Instant) {
        self.state.goes = self.state.running && self.panel.is_running();
        if self.panel.repeats().is_some() {
            self.repeat(elapsed);
        }
        if !self.state.goes {
            return;
        }
        let clock = self.panel.session().machine().board().clock as f64;
        let elapsed = elapsed.min(Duration::from_millis(100)).as_secs_f64();
        let stop = match self.state.speed {
            Speed::Steps(rate) => {
                self.owed += elapsed * f64::from(rate);
                while self.owed >= 1.0 {
                    self.owed -= 1.0;
                    self.panel.session_mut().step();
                    if self.panel.session().machine().halted_at().is_some() && self.panel.has_front() {
                        let _ = self.panel.act(Action::Stop);
                        break;
                    }
                }
                Stop::Cycles
            }
            Speed::Clock(divisor) => {
                self.owed += elapsed * clock / f64::from(divisor);
                let cycles = self.owed.floor();
                self.owed -= cycles;
                if cycles < 1.0 { Stop::Cycles } else { self.panel.pass(cycles as u64) }
            }
            Speed::Most => {
                let mut stop = Stop::Cycles;
                while stop == Stop::Cycles {
                    let begin = Instant::now();
                    if begin + self.drawing + SLICE > due {
                        break;
                    }
                    stop = self.panel.pass(self.slice);
                    // Slices that cost little and still end in time.
                    let took = begin.elapsed();
                    self.slice = if took < SLICE / 2 { self.slice * 2 } else { self.slice };
                    self.slice = if took > SLICE { self.slice / 2 } else { self.slice }.clamp(1000, 1 << 24);
                }
                stop
            }
        };
        if stop != Stop::Cycles {
            let set = self.panel.session().processor();
            self.state.stopped = Some(stop.words(set));
            // Where the machine waits for an interrupt, the next key may bring it.
            self.state.running = self.panel.has_front() || matches!(stop, Stop::Halt | Stop::Endless);
        } else {
            self.state.stopped = None;
        }
    }

    /// Does the action again that is repeated, as often as the speed says.
    fn repeat(&mut self, elapsed: Duration) {
        let rate = match self.state.speed {
            Speed::Steps(rate) => f64::from(rate),
            Speed::Clock(_) => FAST_REPEAT,
            Speed::Most => 10.0 * FAST_REPEAT,
        };
        self.owed += elapsed.min(Duration::from_millis(100)).as_secs_f64() * rate;
        while self.owed >= 1.0 {
            self.owed -= 1.0;
            if let Err(problem) = self.panel.repeat_once() {
                self.state.said = problem.to_string();
                return;
            }
        }
    }

    /// What the console says goes to the far end of the line, and what is typed there comes.
    fn talk(&mut self) {
        let Some(far) = &mut self.far else { return };
        let output = self.panel.session().machine().output();
        far.send(&output[self.sent.min(output.len())..]);
        self.sent = output.len();
        let typed = far.typed();
        if !typed.is_empty() {
            let _ = self.panel.session_mut().happen(Event::Typed(typed));
        }
    }

    /// Lets keys go whose time is over, and presses the next one that waits. The program after the keys sees one only once
    /// the one before was up for a while.
    fn release(&mut self, now: Instant) {
        let (ended, held): (Vec<_>, Vec<_>) = self.held.drain(..).partition(|(_, until)| *until <= now);
        self.held = held;
        for (legend, _) in ended {
            let _ = self.panel.press(&legend, false);
            self.state.down.retain(|other| *other != legend);
            self.free_at = now + HELD;
        }
        if self.held.is_empty() && !self.queue.is_empty() && self.free_at <= now {
            let legend = self.queue.remove(0);
            self.press(&legend, now);
        }
    }

    fn press(&mut self, legend: &str, now: Instant) {
        if self.panel.press(legend, true).is_ok() {
            self.state.said = format!("pressed {legend}");
            self.state.down.push(legend.to_string());
            self.held.push((legend.to_string(), now + HELD));
        }
    }

    fn tap(&mut self, legend: String) {
        // Whoever presses a key of the board before the program is started wants the board itself.
        self.state.running |= self.panel.is_at_start();
        self.queue.push(legend);
    }

    /// An action of a front panel.
    fn act(&mut self, action: Action) {
        self.state.running = true;
        self.state.stopped = None;
        self.owed = 0.0;
        // What the instruction changes is told as a trace tells it.
        let step = (action == Action::Single).then(|| self.panel.session().preview());
        self.state.said = match self.panel.act(action) {
            Ok(()) if action == Action::Repeat => match self.panel.repeats() {
                Some(what) => format!("repeats {}; + and - change the speed", what.words()),
                None => "no longer repeats".to_string(),
            },
            Ok(()) => match step {
                Some(step) => {
                    Tracer::default().line(self.panel.session(), &step).to_string().trim().to_string()
                }
                None => action.words().to_string(),
            },
            Err(problem) => problem.to_string(),
        };
    }

    /// The program begins anew.
    fn start(&mut self) {
        // What it has written to a disk is kept.
        let _ = disk::save(self.panel.session());
        self.owed = 0.0;
        match self.panel.start_program() {
            Ok(()) => {
                (self.state.running, self.state.stopped, self.sent) = (true, None, 0);
                self.state.said = "started the program".to_string();
            }
            Err(problem) => self.state.said = problem.to_string(),
        }
    }

    fn switch(&mut self, value: u64) {
        if self.panel.set_switches(value) {
            let (set, count) =
                (self.panel.session().processor(), self.panel.switches().map_or(0, |row| row.1));
            self.state.said = format!("switches {}", set.habit().plain(value, count));
        }
    }

    /// Sets a row of switches that the program reads.
    fn program_switch(&mut self, name: &str, value: u64) {
        let set = self.panel.session().processor();
        self.state.said = format!("{name} {}", set.cell(value));
        let event = Event::Switches(name.to_string(), value);
        if let Err(error) = self.panel.session_mut().happen(event) {
            self.state.said = error.to_string();
        }
    }

    /// The next row of switches is the one that digits go into.
    fn choose(&mut self) {
        let rows = self.panel.program_switches().len();
        let first = usize::from(!self.panel.has_front());
        self.state.chosen = if self.state.chosen < rows { self.state.chosen + 1 } else { first };
    }

    /// A digit goes into the switches from the right; what leaves them on the left is gone.
    fn digit(&mut self, digit: u32) {
        let set = self.panel.session().processor();
        let radix = set.habit().table_radix();
        if digit >= radix {
            return;
        }
        self.change_switches(|value, radix| value * radix + u64::from(digit));
    }

    /// Changes the row of switches that digits go into; what leaves it on the left is gone.
    fn change_switches(&mut self, change: impl Fn(u64, u64) -> u64) {
        let radix = self.panel.session().processor().habit().table_radix().into();
        let changed =
            |value: u64, count: u8| change(value, radix) & (u64::MAX >> (64 - u32::from(count.clamp(1, 63))));
        let chosen = self.state.chosen.checked_sub(1);
        match chosen.and_then(|at| self.panel.program_switches().into_iter().nth(at)) {
            Some((name, value)) => self.program_switch(&name, changed(value, 8)),
            None => {
                if let Some((value, count)) = self.panel.switches() {
                    self.switch(changed(value, count));
                }
            }
        }
    }

    fn step(&mut self) {
        if self.panel.has_front() {
            return self.act(Action::Single);
        }
        self.state.running = false;
        self.state.stopped = None;
        let step = self.panel.session_mut().step();
        let session = self.panel.session();
        self.state.said = Tracer::default().line(session, &step).to_string().trim().to_string();
    }

    /// Writes what is seen into a file of a name that is free.
    fn save_picture(&mut self, view: &View, size: (u16, u16)) {
        let board = &self.panel.session().machine().board().name;
        let name = |number: u32| format!("{board}-{number}.png");
        let free = (1..1000).map(name).find(|name| !std::path::Path::new(name).exists());
        let Some(file) = free else { return };
        let drawn = picture::of_state(&self.panel, view, &self.keys, &self.state, size);
        self.state.said = match drawing::save(&file, &drawn) {
            Ok(()) => format!("wrote {file}"),
            Err(failure) => failure.sentence(),
        };
    }

    fn faster(&mut self, by: isize) {
        self.place = self.place.saturating_add_signed(by).min(SPEEDS.len() - 1);
        self.state.speed = SPEEDS[self.place];
        self.owed = 0.0;
    }

    fn spot(&mut self, spot: Spot) {
        match spot {
            Spot::Deck(key) => self.state.said = self.press_deck(key),
            Spot::Key(legend) => self.tap(legend),
            Spot::Act(action) => self.act(action),
            Spot::Switch(bit) => {
                let value = self.panel.switches().map_or(0, |switches| switches.0);
                self.switch(value ^ 1 << bit);
            }
            Spot::ProgramSwitch(name, bit) => {
                let rows = self.panel.program_switches();
                if let Some((name, value)) = rows.into_iter().find(|row| row.0 == name) {
                    self.program_switch(&name, value ^ 1 << bit);
                }
            }
            Spot::Run if self.panel.has_front() => {
                self.act(if self.panel.is_running() { Action::Stop } else { Action::Continue });
            }
            Spot::Run => self.state.running = !self.state.running,
            Spot::Step => self.step(),
            Spot::Slower => self.faster(-1),
            Spot::Faster => self.faster(1),
            Spot::Type => self.state.typing = !self.state.typing,
            Spot::Start => self.start(),
            Spot::Help => self.state.help = !self.state.help,
            Spot::Quit => self.quit = true,
        }
    }

    fn key(&mut self, code: KeyCode, modifiers: KeyModifiers) {
        if self.state.help {
            self.state.help = false;
            return;
        }
        if self.state.asks.is_some() {
            return self.name(code, modifiers);
        }
        let types = self.panel.session().machine().takes_typing();
        match code {
            KeyCode::Char('t') if modifiers.contains(KeyModifiers::CONTROL) && self.has_recorder() => {
                self.state.asks = Some((Asks::Cassette, self.cassette.clone()));
            }
            KeyCode::Char('o') if modifiers.contains(KeyModifiers::CONTROL) && self.has_recorder() => {
                self.state.asks = Some((Asks::Recorded, self.cassette.clone()));
            }
            KeyCode::Char('r') if modifiers.contains(KeyModifiers::CONTROL) && self.has_recorder() => {
                self.state.asks = Some((Asks::Deck, String::new()));
            }
            KeyCode::Char('t') if modifiers.contains(KeyModifiers::CONTROL) => {
                self.state.asks = Some((Asks::Tape, self.files.0.clone()));
            }
            KeyCode::Char('o') if modifiers.contains(KeyModifiers::CONTROL) => {
                self.state.asks = Some((Asks::Punched, self.files.1.clone()));
            }
            KeyCode::Char('c' | 'q') if modifiers.contains(KeyModifiers::CONTROL) => self.quit = true,
            KeyCode::Char('p') if modifiers.contains(KeyModifiers::CONTROL) => self.picture = true,
            KeyCode::Char('g') if modifiers.contains(KeyModifiers::CONTROL) => self.start(),
            KeyCode::Esc => self.quit = true,
            KeyCode::Tab if types => self.state.typing = !self.state.typing,
            // A keyboard of the board's own with such keys takes them while one types at it.
            _ if self.state.typing && self.own_key(code).is_some() => {
                if let Some(legend) = self.own_key(code) {
                    self.tap(legend.to_string());
                }
            }
            KeyCode::F(1) => self.state.help = true,
            KeyCode::F(number) => {
                if let Some(legend) = self.keys.function(number) {
                    self.tap(legend);
                }
            }
            KeyCode::Up => self.tap("UP".to_string()),
            KeyCode::Down => self.tap("DOWN".to_string()),
            KeyCode::Left => self.tap("LEFT".to_string()),
            KeyCode::Right => self.tap("RIGHT".to_string()),
            KeyCode::Enter if self.state.typing => self.typed('\r'),
            KeyCode::Backspace if self.state.typing => self.typed('\x08'),
            KeyCode::Char(letter) if self.state.typing => self.typed(letter),
            KeyCode::Backspace => self.change_switches(|value, radix| value / radix),
            KeyCode::Delete => self.change_switches(|_, _| 0),
            KeyCode::Char(' ') => self.spot(Spot::Run),
            KeyCode::Char('.') => self.step(),
            KeyCode::Char('+' | '=') => self.faster(1),
            KeyCode::Char('-') => self.faster(-1),
            KeyCode::Char('?') => self.state.help = true,
            KeyCode::Char(letter) if self.panel.has_front() => {
                let radix = self.panel.session().processor().habit().table_radix();
                match (letter.to_digit(radix), front::action(letter)) {
                    (Some(digit), _) => self.digit(digit),
                    (None, Some(action)) => self.act(action),
                    _ if letter == 'g' => self.choose(),
                    _ => {}
                }
            }
            KeyCode::Char(letter) => match (self.keys.of(letter), letter.to_digit(16)) {
                (Some(legend), _) => self.tap(legend),
                (None, Some(digit)) => self.digit(digit),
                (None, None) if letter == 'g' => self.choose(),
                _ => {}
            },
            _ => {}
        }
    }

    /// A key while the name of a file is typed: Enter takes it, Escape takes nothing.
    fn name(&mut self, code: KeyCode, modifiers: KeyModifiers) {
        let Some((asks, mut name)) = self.state.asks.take() else { return };
        match code {
            KeyCode::Esc => return,
            KeyCode::Char('c') if modifiers.contains(KeyModifiers::CONTROL) => return,
            KeyCode::Enter => return self.take_file(asks, name),
            KeyCode::Backspace => _ = name.pop(),
            KeyCode::Char(letter) if !modifiers.contains(KeyModifiers::CONTROL) => name.push(letter),
            _ => {}
        }
        self.state.asks = Some((asks, name));
    }

    fn take_file(&mut self, asks: Asks, name: String) {
        self.state.said = match asks {
            _ if name.is_empty() => "no file was named".to_string(),
            Asks::Tape => match files::read(&name) {
                Ok(tape) => match self.panel.session_mut().happen(Event::Tape(tape)) {
                    Ok(()) => format!("{name} is in the reader"),
                    Err(error) => error.to_string(),
                },
                Err(problem) => format!("{name} cannot be read: {problem}"),
            },
            Asks::Punched => match self.panel.session().machine().punched() {
                Some(tape) => match files::must_write(&name, tape) {
                    Ok(()) => format!("wrote {name}, {} frames", tape.len()),
                    Err(failure) => failure.sentence(),
                },
                None => "this board has no punch".to_string(),
            },
            Asks::Cassette => match cassette::insert(self.panel.session_mut(), &name) {
                Ok(()) => format!("{name} is in the recorder"),
                Err(failure) => failure.sentence(),
            },
            Asks::Recorded => match cassette::recorded(self.panel.session().machine()) {
                Some(wav) => match files::must_write(&name, &wav) {
                    Ok(()) => format!("wrote {name}"),
                    Err(failure) => failure.sentence(),
                },
                None => "nothing was recorded on a cassette".to_string(),
            },
            Asks::Deck => match deck(&name) {
                Some(key) => self.press_deck(key),
                None => format!("the recorder has no key `{name}`"),
            },
        };
        match asks {
            Asks::Tape => self.files.0 = name,
            Asks::Punched => self.files.1 = name,
            Asks::Cassette | Asks::Recorded => self.cassette = name,
            Asks::Deck => {}
        }
    }

    fn has_recorder(&self) -> bool {
        self.panel.session().machine().recorder().is_some()
    }

    /// Presses a key of the recorder; what is to be said of it.
    fn press_deck(&mut self, key: Deck) -> String {
        match self.panel.press_recorder(key) {
            Ok(()) => format!("pressed {}", key.name()),
            Err(problem) => problem.to_string(),
        }
    }

    /// The key of a board's own keyboard that a key without a character stands for.
    fn own_key(&self, code: KeyCode) -> Option<&'static str> {
        const FUNCTIONS: [&str; 10] = ["F1", "F2", "F3", "F4", "F5", "F6", "F7", "F8", "F9", "F10"];
        let legend = match code {
            KeyCode::F(number) => FUNCTIONS.get(usize::from(number).checked_sub(1)?).copied()?,
            KeyCode::Home => "HOME",
            KeyCode::End => "END",
            KeyCode::PageUp => "PAGE UP",
            KeyCode::PageDown => "PAGE DOWN",
            KeyCode::Insert => "INSERT",
            KeyCode::Delete => "DELETE",
            _ => return None,
        };
        self.panel.session().machine().has_key(legend).then_some(legend)
    }

    fn typed(&mut self, letter: char) {
        let mut bytes = [0; 4];
        let typed = Event::Typed(letter.encode_utf8(&mut bytes).as_bytes().to_vec());
        if let Err(error) = self.panel.session_mut().happen(typed) {
            self.state.said = error.to_string();
        }
    }
}

/// The key of the recorder whose legend begins so; where `record` is one of several, it is not meant: it would erase something.
fn deck(begin: &str) -> Option<Deck> {
    let begin = begin.trim().to_lowercase();
    let fits = |row: &&(Deck, &str)| !begin.is_empty() && row.1.starts_with(&begin);
    let found: Vec<Deck> = Deck::ALL.iter().filter(fits).map(|row| row.0).collect();
    found.iter().copied().find(|&key| key != Deck::Record || found.len() == 1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use plain_byte::panel::glyphs;
    use plain_byte::session::Session;

    /// Keys that come all at once, as from a paste, are pressed one after the other, and the trainer's monitor sees each.
    #[test]
    fn keys_that_come_at_once_are_pressed_in_turn() {
        let session = Session::shipped("tern").expect("a board");
        let mut operator = Operator::new(Panel::new(session), None);
        let letter_of = |operator: &Operator, legend: &str| {
            let all = operator.keys.pad.iter().flatten().flatten();
            all.clone().find(|key| key.legend == legend).map_or(String::new(), |key| key.reached.clone())
        };
        let (look, put) = (letter_of(&operator, "LOOK"), letter_of(&operator, "PUT"));
        for letter in format!("0030{look}a9{put}44{put}").chars() {
            operator.key(KeyCode::Char(letter), KeyModifiers::NONE);
        }
        let mut now = operator.free_at;
        for _ in 0..160 {
            operator.release(now);
            now += FRAME;
            operator.run(FRAME, now);
        }
        assert_eq!((operator.queue.len(), operator.state.down.len()), (0, 0));
        assert_eq!(operator.panel.session().machine().cell(0x30), 0xA9);
        assert_eq!(operator.panel.session().machine().cell(0x31), 0x44);
        assert_eq!(glyphs(&operator.panel.look().digits[0].1), "000032");
    }

    /// On a board without a keypad digits go into the switches that the program reads, and a click turns one of them.
    /// The recorder is worked by keys, also while one types at the board's own keyboard, and by clicks.
    #[test]
    fn the_recorder_has_its_keys() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("new.wav").to_string_lossy().into_owned();
        let mut operator = Operator::new(Panel::new(Session::shipped("fulmar").expect("a board")), None);
        assert!(operator.state.typing);
        let keys = |operator: &mut Operator, letter: char, text: &str| {
            operator.key(KeyCode::Char(letter), KeyModifiers::CONTROL);
            text.chars().for_each(|letter| operator.key(KeyCode::Char(letter), KeyModifiers::NONE));
            operator.key(KeyCode::Enter, KeyModifiers::NONE);
            operator.state.said.clone()
        };
        assert_eq!(keys(&mut operator, 'r', "play"), "no cassette is in the recorder");
        assert_eq!(keys(&mut operator, 'o', &file), "nothing was recorded on a cassette");
        operator.cassette.clear();
        assert_eq!(keys(&mut operator, 't', &file), format!("{file} is in the recorder"));
        let deck = |operator: &Operator| {
            operator.panel.session().machine().recorder().map(plain_byte::machine::Recorder::deck)
        };
        // A new cassette is recorded on; what is ambiguous is not `record`.
        assert_eq!(deck(&operator), Some(Deck::Record));
        for (typed, said, key) in [
            ("w", "pressed wind", Deck::Wind),
            ("r", "pressed rewind", Deck::Rewind),
            ("rec", "pressed record", Deck::Record),
            ("z", "pressed zero", Deck::Record),
            ("x", "the recorder has no key `x`", Deck::Record),
        ] {
            assert_eq!((keys(&mut operator, 'r', typed), deck(&operator)), (said.to_string(), Some(key)));
        }
        operator.spot(Spot::Deck(Deck::Stop));
        assert_eq!((operator.state.said.as_str(), deck(&operator)), ("pressed stop", Some(Deck::Stop)));
        // On a board without one the keys mean nothing of the kind.
        let mut puffin = Operator::new(Panel::new(Session::shipped("puffin").expect("a board")), None);
        puffin.key(KeyCode::Char('r'), KeyModifiers::CONTROL);
        assert!(puffin.state.asks.is_none());
    }

    #[test]
    fn digits_go_into_the_switches_of_a_board_without_a_keypad() {
        let mut operator = Operator::new(Panel::new(Session::shipped("curlew").expect("a board")), None);
        let switches = |operator: &Operator| operator.panel.program_switches()[0].1;
        operator.key(KeyCode::Char('7'), KeyModifiers::NONE);
        assert_eq!((switches(&operator), operator.state.typing), (0, true), "that was typed at the console");
        operator.key(KeyCode::Tab, KeyModifiers::NONE);
        for (letter, wanted) in [('1', 0x01), ('a', 0x1A), ('g', 0x1A), ('5', 0xA5), ('z', 0xA5)] {
            operator.key(KeyCode::Char(letter), KeyModifiers::NONE);
            assert_eq!(switches(&operator), wanted, "{letter}");
        }
        operator.spot(Spot::ProgramSwitch("switches".to_string(), 7));
        assert_eq!((switches(&operator), operator.state.said.as_str()), (0x25, "switches 25"));
    }

    /// Small letters are hex digits, too; Backspace takes one back and Delete all; a single step says what it changed; a name is asked
    /// for and its tape put in.
    #[test]
    fn a_front_panel_takes_hex_digits_in_any_case_and_takes_them_back() {
        let mut operator = Operator::new(Panel::new(Session::shipped("gannet").expect("a board")), None);
        let press = |operator: &mut Operator, code| operator.key(code, KeyModifiers::NONE);
        let switches = |operator: &Operator| operator.panel.switches().expect("a row").0;
        for (code, wanted) in [
            (KeyCode::Char('3'), 0x3),
            (KeyCode::Char('e'), 0x3E),
            (KeyCode::Char('D'), 0x3ED),
            (KeyCode::Char('c'), 0x3EDC),
            (KeyCode::Backspace, 0x3ED),
            (KeyCode::Backspace, 0x3E),
            (KeyCode::Char('u'), 0x3E),
            (KeyCode::Delete, 0),
        ] {
            press(&mut operator, code);
            assert_eq!(switches(&operator), wanted, "{code:?}");
        }
        assert_eq!(operator.panel.session().machine().cell(0), 0x3E, "it was deposited");
        press(&mut operator, KeyCode::Char('i'));
        assert!(operator.state.said.contains("mvi a, 00h"), "{}", operator.state.said);
        let folder = tempfile::tempdir().expect("a folder");
        let tape = folder.path().join("boats.tape");
        std::fs::write(&tape, [1, 2, 3]).expect("a tape");
        operator.key(KeyCode::Char('t'), KeyModifiers::CONTROL);
        for letter in tape.to_string_lossy().chars() {
            press(&mut operator, KeyCode::Char(letter));
        }
        press(&mut operator, KeyCode::Enter);
        assert!(operator.state.said.ends_with("is in the reader"), "{}", operator.state.said);
        operator.key(KeyCode::Char('o'), KeyModifiers::CONTROL);
        assert!(operator.state.asks.is_some());
        press(&mut operator, KeyCode::Esc);
        assert!(operator.state.asks.is_none() && !operator.quit);
    }

    #[test]
    fn speeds_go_from_single_instructions_to_as_fast_as_it_can() {
        let session = Session::shipped("puffin").expect("a board");
        let mut operator = Operator::new(Panel::new(session), None);
        operator.state.typing = false;
        let mut seen = vec![operator.state.speed];
        for _ in 0..9 {
            operator.key(KeyCode::Char('-'), KeyModifiers::NONE);
            seen.push(operator.state.speed);
        }
        assert_eq!((seen[0], seen[9]), (Speed::Clock(1), Speed::Steps(2)));
        let before = operator.panel.session().machine().instructions();
        for _ in 0..60 {
            operator.run(FRAME, Instant::now());
        }
        assert_eq!(
            operator.panel.session().machine().instructions() - before,
            2,
            "two instructions a second"
        );
        for _ in 0..9 {
            operator.key(KeyCode::Char('+'), KeyModifiers::NONE);
        }
        assert_eq!(operator.state.speed, Speed::Most);
        let before = operator.panel.session().machine().cycles();
        operator.run(FRAME, Instant::now() + Duration::from_millis(10));
        assert!(
            operator.panel.session().machine().cycles() - before > 20_000,
            "more than a frame of real time"
        );
        operator.key(KeyCode::Char(' '), KeyModifiers::NONE);
        operator.run(FRAME, Instant::now());
        assert!(!operator.state.running);
    }
}
