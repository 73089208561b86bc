//! Panel scripts: one operator action a line, in the panel's own words.
//!
//! ```text
//! press 0 3 0 0 LOOK      ; keys, one after the other
//! hold button             ; and let go
//! release button
//! wait 500ms              ; or 2s, 40us, or a number of cycles
//! type "7\r"              ; at the console
//! see digits "A90300"     ; a point stands after its digit: "4.2"
//! see lamp lit            ; or dark; or see NAME lit
//! see output "fog"        ; the end of what the console has
//! see screen "ready"      ; somewhere in a line of the screen
//! see border lamp         ; the colour around it
//! switches 7300           ; of a front panel, or of the only row: what they say, in the habitual radix
//! switches program switches 0F ; a row of switches that the program reads, by its name
//! load                    ; and every other action: examine, examine next, deposit, deposit next, start, continue, stop, single,
//! single                  ; repeat, reset, load fields, power
//! start program           ; the one that the panel was opened with, from its beginning
//! repeat 4 examine next   ; an action several times
//! see accumulator 0014    ; a row of lights
//! tape "log.ptape"        ; puts a paper tape into the reader
//! punched "count.tape"    ; takes what the punch has punched into a file
//! cassette "fog.wav"      ; puts a cassette into the recorder, `blank` a new one
//! recorder play           ; its keys: play, record, rewind, wind, stop, zero
//! see counter "0:37.2"    ; what its counter shows; `motor` and `level` are lamps
//! recorded "new.wav"      ; keeps what is on its tape in a file
//! show                    ; draws the panel
//! picture "tern.png"      ; a picture of it in a file
//! ```

use super::{Panel, front, glyphs, recorder};
use crate::cassette::Signal;
use crate::diagnostic::{Diagnostic, Problem, Span, nearest};
use crate::machine::chip::{LINE_COLOURS, OWN_COLOURS, Picture};
use crate::machine::{Deck, Event};
use crate::number::cycles_of;
use crate::text::{Text, Tone};

/// A script that was read.
#[derive(Debug, Clone)]
pub struct Script {
    lines: Vec<(Action, String, Span)>,
}

#[derive(Debug, Clone)]
enum Action {
    Press(Vec<String>),
    Hold(String, bool),
    Wait(String),
    Type(String),
    SeeDigits(String),
    SeeLamp(String, bool),
    SeeOutput(String),
    SeeScreen(String),
    SeeBorder(&'static str),
    SeeRow(String, String),
    Switches(String),
    Front(front::Action, u32),
    StartProgram,
    Tape(String),
    Punched(String),
    Cassette(String),
    Recorded(String),
    Recorder(Deck),
    SeeCounter(String),
    Show,
    Picture(String),
}

/// The files that a script names.
pub trait Files {
    /// Takes a picture of the panel into a file.
    ///
    /// # Errors
    /// A sentence that says why it could not.
    fn picture(&mut self, panel: &mut Panel, file: &str) -> Result<(), Problem>;
    /// The tape in a file.
    ///
    /// # Errors
    /// A sentence that says why there is none.
    fn tape(&mut self, file: &str) -> Result<Vec<u8>, Problem>;
    /// Keeps a tape that was punched in a file.
    ///
    /// # Errors
    /// A sentence that says why it could not.
    fn punched(&mut self, file: &str, tape: &[u8]) -> Result<(), Problem>;
    /// The cassette that was recorded in a file.
    ///
    /// # Errors
    /// A sentence that says why there is none.
    fn cassette(&mut self, file: &str) -> Result<Signal, Problem> {
        Err(format!("there is no `{file}` here").into())
    }
    /// Keeps what is on a cassette in a file.
    ///
    /// # Errors
    /// A sentence that says why it could not.
    fn recorded(&mut self, _file: &str, _tape: &Signal) -> Result<(), Problem> {
        Ok(())
    }
}

/// No files: pictures and punched tapes are thrown away, and there is no tape to be read.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoFiles;

impl Files for NoFiles {
    fn picture(&mut self, _: &mut Panel, _: &str) -> Result<(), Problem> {
        Ok(())
    }

    fn tape(&mut self, file: &str) -> Result<Vec<u8>, Problem> {
        Err(format!("there is no `{file}` here").into())
    }

    fn punched(&mut self, _: &str, _: &[u8]) -> Result<(), Problem> {
        Ok(())
    }
}

/// How a script went.
#[derive(Debug, Clone)]
pub struct Ran {
    /// Every action, and what was seen.
    pub text: Text,
    /// How many looks saw something else than was wanted.
    pub failed: usize,
}

const WORDS: &[(&str, &str)] = &[
    ("press", "press KEY KEY …"),
    ("hold", "hold KEY"),
    ("release", "release KEY"),
    ("wait", "wait 500ms"),
    ("type", "type \"text\""),
    ("see", "see digits \"A90300\", see lamp lit, see output \"text\", see screen \"text\", see border lamp"),
    ("switches", "switches 7300"),
    ("start program", "start program"),
    ("repeat", "repeat 4 examine next"),
    ("tape", "tape \"FILE\""),
    ("punched", "punched \"FILE\""),
    ("cassette", "cassette \"FILE.wav\", cassette blank"),
    ("recorder", "recorder play, record, rewind, wind, stop or zero"),
    ("recorded", "recorded \"FILE.wav\""),
    ("show", "show"),
    ("picture", "picture \"FILE.png\""),
];

fn wrong(span: Span, message: impl Into<String>, help: impl Into<String>) -> Diagnostic {
    Diagnostic::error("panel", span, message, help)
}

/// The text between double quotes, with `\r`, `\n`, `\"` and `\\`.
fn quoted(text: &str) -> Option<String> {
    let inner = text.trim().strip_prefix('"')?.strip_suffix('"')?;
    let mut out = String::new();
    let mut chars = inner.chars();
    while let Some(c) = chars.next() {
        out.push(match c {
            '\\' => match chars.next()? {
                'r' => '\r',
                'n' => '\n',
                other => other,
            },
            other => other,
        });
    }
    Some(out)
}

/// The line without its comment; a semicolon in quotes is none.
fn without_comment(line: &str) -> &str {
    let (mut inside, mut escaped) = (false, false);
    for (at, c) in line.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if inside => escaped = true,
            '"' => inside = !inside,
            ';' if !inside => return &line[..at],
            _ => {}
        }
    }
    line
}

impl Script {
    /// Reads a script.
    ///
    /// # Errors
    /// Every line that makes no sense; spans point into `text` as source 0.
    pub fn parse(text: &str) -> Result<Self, Vec<Diagnostic>> {
        let (mut lines, mut errors) = (Vec::new(), Vec::new());
        let mut start = 0;
        for line in text.split_inclusive('\n') {
            let body = without_comment(line).trim_end();
            let lead = body.len() - body.trim_start().len();
            let span = Span { source: 0, start: (start + lead) as u32, end: (start + body.len()) as u32 };
            start += line.len();
            let body = body.trim_start();
            if body.is_empty() {
                continue;
            }
            match action(body, span) {
                Ok(action) => lines.push((action, body.to_string(), span)),
                Err(error) => errors.push(error),
            }
        }
        if errors.is_empty() { Ok(Self { lines }) } else { Err(errors) }
    }

    /// Carries the script out, with the files that it names.
    ///
    /// # Errors
    /// A line that asks for what the board does not have; what stood above it is carried out.
    pub fn run(&self, panel: &mut Panel, files: &mut dyn Files) -> Result<Ran, Box<Diagnostic>> {
        let mut ran = Ran { text: Text::new(), failed: 0 };
        for (action, line, span) in &self.lines {
            ran.text.line().put(line.as_str());
            match action {
                Action::Picture(file) => files.picture(panel, file).map_err(|problem| {
                    let help = "the ending says what is drawn: .svg or .png";
                    Box::new(wrong(*span, format!("the picture is not written: {problem}"), help))
                })?,
                Action::Tape(file) => {
                    let tape = files.tape(file).map_err(|problem| no_tape(*span, problem))?;
                    let mounted = panel.session_mut().happen(Event::Tape(tape));
                    mounted.map_err(|error| no_tape(*span, error.to_string().into()))?;
                }
                Action::Punched(file) => {
                    let machine = panel.session().machine();
                    let none = || format!("the board {} has no punch", machine.board().name);
                    let tape = machine.punched().ok_or_else(|| no_tape(*span, none().into()))?;
                    files.punched(file, tape).map_err(|problem| no_tape(*span, problem))?;
                }
                Action::Cassette(_) | Action::Recorded(_) => {
                    cassette(action, panel, files).map_err(|problem| no_cassette(*span, &problem))?;
                }
                action => act(action, panel, *span, &mut ran)?,
            }
        }
        Ok(ran)
    }
}

/// Minutes of a new cassette.
const BLANK: u64 = 30;

fn cassette(action: &Action, panel: &mut Panel, files: &mut dyn Files) -> Result<(), Problem> {
    match action {
        Action::Cassette(file) => {
            let tape = match file.as_str() {
                "" => Signal::blank(BLANK * 60),
                file => files.cassette(file)?,
            };
            let inserted = panel.session_mut().happen(Event::Cassette(tape));
            inserted.map_err(|error| error.to_string().into())
        }
        Action::Recorded(file) => {
            let machine = panel.session().machine();
            let tape = machine.recorder().and_then(|recorder| recorder.tape(machine.cycles()));
            files.recorded(file, &tape.ok_or("no cassette is in the recorder")?)
        }
        _ => Ok(()),
    }
}

fn no_cassette(span: Span, problem: &Problem) -> Box<Diagnostic> {
    let help = "`plainbyte build --output cassette:FILE.wav` makes recordings; fulmar, tern, curlew and petrel have a recorder";
    Box::new(wrong(span, problem.to_string(), help))
}

fn no_tape(span: Span, problem: Problem) -> Box<Diagnostic> {
    Box::new(wrong(
        span,
        problem.to_string(),
        "`plainbyte build --output` makes tapes: `ptape:FILE`, `read-in:FILE`, `block-tape:FILE`",
    ))
}

fn action(line: &str, span: Span) -> Result<Action, Diagnostic> {
    let (word, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
    let rest = rest.trim();
    let word = word.to_lowercase();
    if line.split_whitespace().map(str::to_lowercase).eq(["start", "program"]) {
        return Ok(Action::StartProgram);
    }
    if let Some(action) = front::Action::named(line) {
        return Ok(Action::Front(action, 1));
    }
    let Some((_, form)) = WORDS.iter().find(|row| row.0 == word) else {
        let words = || WORDS.iter().map(|row| row.0).chain(front::ACTIONS.iter().map(|row| row.0));
        let near = nearest(&line.to_lowercase(), words()).or_else(|| nearest(&word, words()));
        let list = || words().collect::<Vec<_>>().join(", ");
        let help = near
            .map_or_else(|| format!("the words are {}", list()), |near| format!("did you mean `{near}`?"));
        return Err(wrong(span, format!("`{word}` is not a word of the panel"), help));
    };
    let incomplete = || wrong(span, format!("`{line}` is not complete"), format!("write `{form}`"));
    let need = |text: &str| if text.is_empty() { Err(incomplete()) } else { Ok(text.to_string()) };
    Ok(match word.as_str() {
        "press" => {
            need(rest)?;
            Action::Press(rest.split_whitespace().map(String::from).collect())
        }
        "hold" => Action::Hold(need(rest)?, true),
        "release" => Action::Hold(need(rest)?, false),
        "wait" => Action::Wait(need(rest)?),
        "switches" => Action::Switches(need(rest)?),
        "repeat" => {
            let (count, action) = rest.split_once(char::is_whitespace).ok_or_else(incomplete)?;
            let action = front::Action::named(action).ok_or_else(incomplete)?;
            let count = count.parse().ok().filter(|count| (1..=10_000).contains(count)).ok_or_else(|| {
                wrong(span, format!("`{count}` is not a number of times"), "give 1 to 10000, in decimal")
            })?;
            Action::Front(action, count)
        }
        "type" => Action::Type(quoted(rest).ok_or_else(incomplete)?),
        "see" => see(rest).ok_or_else(incomplete)?,
        "tape" => Action::Tape(quoted(rest).filter(|file| !file.is_empty()).ok_or_else(incomplete)?),
        "punched" => Action::Punched(quoted(rest).filter(|file| !file.is_empty()).ok_or_else(incomplete)?),
        "cassette" if rest.eq_ignore_ascii_case("blank") => Action::Cassette(String::new()),
        "cassette" => Action::Cassette(quoted(rest).filter(|file| !file.is_empty()).ok_or_else(incomplete)?),
        "recorded" => Action::Recorded(quoted(rest).filter(|file| !file.is_empty()).ok_or_else(incomplete)?),
        "recorder" => Action::Recorder(Deck::named(rest).ok_or_else(incomplete)?),
        "picture" => Action::Picture(quoted(rest).filter(|file| !file.is_empty()).ok_or_else(incomplete)?),
        _ => Action::Show,
    })
}

fn see(rest: &str) -> Option<Action> {
    let (what, how) = rest.split_once(char::is_whitespace)?;
    match (what.to_lowercase().as_str(), how.trim()) {
        ("digits", how) => Some(Action::SeeDigits(quoted(how)?)),
        ("counter", how) => Some(Action::SeeCounter(quoted(how)?)),
        ("screen", how) => Some(Action::SeeScreen(quoted(how)?)),
        ("border", how) => {
            let mut known = OWN_COLOURS.iter().chain(&LINE_COLOURS);
            known.find(|colour| colour.0.eq_ignore_ascii_case(how)).map(|colour| Action::SeeBorder(colour.0))
        }
        ("output", how) => Some(Action::SeeOutput(quoted(how)?)),
        (_, "lit") => Some(Action::SeeLamp(what.to_string(), true)),
        (_, "dark") => Some(Action::SeeLamp(what.to_string(), false)),
        // A row's name may have two words.
        _ => {
            let (row, value) = rest.rsplit_once(char::is_whitespace)?;
            let is_number = value.chars().all(|c| c.is_ascii_hexdigit());
            is_number.then(|| Action::SeeRow(row.trim().to_string(), value.to_string()))
        }
    }
}

fn act(action: &Action, panel: &mut Panel, span: Span, ran: &mut Ran) -> Result<(), Box<Diagnostic>> {
    let keys = panel.keys().join(" ");
    let no_key = |error: crate::session::StateError| {
        Box::new(wrong(span, error.to_string(), format!("its keys are {keys}")))
    };
    match action {
        Action::Press(legends) => {
            for legend in legends {
                panel.tap(legend).map_err(no_key)?;
            }
        }
        Action::StartProgram => panel.start_program().map_err(|error| {
            Box::new(wrong(span, error.to_string(), "`plainbyte panel PROGRAM --script FILE` has one"))
        })?,
        Action::Hold(legend, down) => panel.press(legend, *down).map_err(no_key)?,
        Action::Wait(time) => {
            let clock = panel.session().machine().board().clock;
            let cycles = cycles_of(time, clock).ok_or_else(|| {
                Box::new(wrong(
                    span,
                    format!("`{time}` is not a time"),
                    "write cycles, or a time such as 500ms or 2s",
                ))
            })?;
            panel.pass(cycles);
        }
        Action::Type(text) => {
            let typed = Event::Typed(text.clone().into_bytes());
            let no_console = |error: crate::session::StateError| {
                Box::new(wrong(span, error.to_string(), "`plainbyte boards NAME` shows what the board has"))
            };
            panel.session_mut().happen(typed).map_err(no_console)?;
            panel.pass_strokes();
        }
        Action::SeeDigits(wanted) => {
            let view = panel.look();
            let Some((_, row)) = view.digits.first() else {
                return Err(Box::new(wrong(
                    span,
                    "the board has no digits",
                    "look at its lamps or its output",
                )));
            };
            compare(ran, wanted, &glyphs(row));
        }
        Action::SeeLamp(name, lit) => {
            let view = panel.look();
            let single = view.rows.iter().filter(|row| row.lights.len() == 1);
            let mut lamps: Vec<(&str, f32)> =
                view.lamps.iter().map(|(name, bright)| (name.as_str(), *bright)).collect();
            lamps.extend(single.map(|row| (row.name.as_str(), row.lights[0])));
            let Some((_, bright)) = lamps.iter().find(|lamp| lamp.0 == *name) else {
                let names: Vec<&str> = lamps.iter().map(|lamp| lamp.0).collect();
                let help = format!("its lamps are {}", names.join(", "));
                return Err(Box::new(wrong(span, format!("the board has no lamp `{name}`"), help)));
            };
            let word = |lit: bool| if lit { "lit" } else { "dark" };
            compare(ran, word(*lit), word(*bright >= 0.5));
        }
        Action::SeeRow(name, wanted) => see_row(panel, (name, wanted), span, ran)?,
        Action::Switches(text) if text.contains(char::is_whitespace) => program_switches(panel, text, span)?,
        Action::Switches(text) if !panel.has_front() => {
            // Where there is but one row, it need not be named.
            let mut rows = panel.program_switches().into_iter();
            match (rows.next(), rows.next()) {
                (Some((name, _)), None) => program_switches(panel, &format!("{name} {text}"), span)?,
                (None, _) => {
                    return Err(Box::new(wrong(span, "the board has no switches", "look at its keys")));
                }
                _ => program_switches(panel, text, span)?,
            }
        }
        Action::Switches(text) => {
            let (value, help) = value_of(panel, text, span)?;
            if !panel.set_switches(value) {
                let problem = format!("the switches cannot say {text}");
                return Err(Box::new(wrong(span, problem, help)));
            }
        }
        Action::Front(action, times) => {
            for _ in 0..*times {
                panel.act(*action).map_err(|problem| {
                    Box::new(wrong(
                        span,
                        problem.to_string(),
                        "`plainbyte boards NAME` shows what the board has",
                    ))
                })?;
            }
        }
        Action::SeeOutput(wanted) => {
            let output = panel.session().machine().output();
            let tail = &output[output.len().saturating_sub(wanted.len())..];
            compare(ran, wanted, &String::from_utf8_lossy(tail));
        }
        Action::SeeScreen(wanted) => {
            let picture = screen(panel, span)?;
            if picture.lines().iter().any(|line| line.contains(wanted.as_str())) {
                ran.text.tone(Tone::Faint, "   it is so");
            } else {
                ran.failed += 1;
                ran.text.tone(Tone::Wrong, "   the screen shows");
                for line in picture.lines().iter().filter(|line| !line.is_empty()) {
                    ran.text.line().put(format!("    {line}"));
                }
            }
        }
        Action::SeeBorder(wanted) => {
            let picture = screen(panel, span)?;
            compare(ran, wanted, picture.colour_name(picture.border_beside(0)));
        }
        Action::SeeCounter(wanted) => {
            let none = || no_cassette(span, &"no cassette is in a recorder".into());
            compare(ran, wanted, &recorder::counter(panel.session().machine()).ok_or_else(none)?);
        }
        Action::Recorder(key) => {
            panel.press_recorder(*key).map_err(|problem| no_cassette(span, &problem))?;
        }
        Action::Picture(_)
        | Action::Tape(_)
        | Action::Punched(_)
        | Action::Cassette(_)
        | Action::Recorded(_) => {}
        Action::Show => {
            let view = panel.look();
            ran.text.append(view.text());
        }
    }
    Ok(())
}

fn screen(panel: &mut Panel, span: Span) -> Result<Picture, Box<Diagnostic>> {
    let none = || Box::new(wrong(span, "the board has no screen", "look at its lamps, digits or output"));
    panel.look().screen.ok_or_else(none)
}

/// Sets a row of switches that the program reads, by its name.
fn program_switches(panel: &mut Panel, text: &str, span: Span) -> Result<(), Box<Diagnostic>> {
    let (name, value) = text.rsplit_once(char::is_whitespace).unwrap_or((text, ""));
    let name = name.trim();
    let names: Vec<String> = panel.program_switches().into_iter().map(|row| row.0).collect();
    let set = panel.session().processor();
    let problem = match crate::number::parse_digits(value, set.habit().table_radix()) {
        _ if !names.iter().any(|known| known == name) => format!("the board has no switches `{name}`"),
        Ok(value) if value <= 0xFF => {
            let event = Event::Switches(name.to_string(), value);
            return panel
                .session_mut()
                .happen(event)
                .map_err(|error| Box::new(wrong(span, error.to_string(), "look at the board")));
        }
        Ok(_) => format!("the switches cannot say {value}"),
        Err(error) => format!("`{value}` is not a position of switches: {error}"),
    };
    let help = match names.as_slice() {
        [] if !panel.has_front() => "look at its keys".to_string(),
        [] => "write `switches VALUE` for those of the panel".to_string(),
        [one] => format!("`{one}` are eight: give 0 to {}", set.habit().literal(0xFF, 8)),
        several => format!("there are eight of each: {}", several.join(", ")),
    };
    Err(Box::new(wrong(span, problem, help)))
}

/// A number as the board's people write it, and what the switches take.
fn value_of(panel: &Panel, text: &str, span: Span) -> Result<(u64, String), Box<Diagnostic>> {
    let Some((_, count)) = panel.switches() else {
        return Err(Box::new(wrong(span, "the board has no front panel", "look at its keys")));
    };
    let set = panel.session().processor();
    let most = set.habit().literal((1 << count) - 1, count);
    let help = format!("there are {count} of them: give 0 to {most}");
    let radix = set.habit().table_radix();
    match crate::number::parse_digits(text, radix) {
        Ok(value) => Ok((value, help)),
        Err(error) => {
            Err(Box::new(wrong(span, format!("`{text}` is not a position of switches: {error}"), help)))
        }
    }
}

fn see_row(
    panel: &mut Panel,
    (name, wanted): (&str, &str),
    span: Span,
    ran: &mut Ran,
) -> Result<(), Box<Diagnostic>> {
    let view = panel.look();
    let Some(row) = view.rows.iter().find(|row| row.name == *name) else {
        let names: Vec<&str> = view.rows.iter().map(|row| row.name.as_str()).collect();
        let help = match names.is_empty() {
            true => "write see digits, see lamp lit, see output, see screen or see border".to_string(),
            false => format!("its rows of lights are {}", names.join(", ")),
        };
        return Err(Box::new(wrong(span, format!("the board has no row of lights `{name}`"), help)));
    };
    let set = panel.session().processor();
    let value = row.lights.iter().fold(0, |value, &bright| value << 1 | u64::from(bright >= 0.5));
    let shown = crate::number::digits(value, set.habit().table_radix(), row.lights.len() as u8);
    let same =
        crate::number::parse_digits(wanted, set.habit().table_radix()).is_ok_and(|wanted| wanted == value);
    compare(ran, if same { &shown } else { wanted }, &shown);
    Ok(())
}

/// Notes what was seen where something else was wanted.
fn compare(ran: &mut Ran, wanted: &str, is: &str) {
    if wanted == is {
        ran.text.tone(Tone::Faint, "   it is so");
    } else {
        ran.failed += 1;
        ran.text.tone(Tone::Wrong, format!("   it shows {is:?}"));
    }
}
