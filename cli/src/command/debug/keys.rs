//! Keys of the debugger, at a terminal and from a script.

use crate::say::Failure;
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use plain_byte::debug::{Debugger, Deed, Pane};

/// A key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Key {
    Letter(char),
    Enter,
    Escape,
    Erase,
    Complete,
    Up,
    Down,
    PageUp,
    PageDown,
    Left,
    Right,
    Home,
    End,
}

/// The names of keys in a script, in braces.
const NAMES: &[(&str, Key)] = &[
    ("Enter", Key::Enter),
    ("Esc", Key::Escape),
    ("Backspace", Key::Erase),
    ("Tab", Key::Complete),
    ("Up", Key::Up),
    ("Down", Key::Down),
    ("PageUp", Key::PageUp),
    ("PageDown", Key::PageDown),
    ("Left", Key::Left),
    ("Right", Key::Right),
    ("Home", Key::Home),
    ("End", Key::End),
];

/// Keys with what they do, as the help shows them.
pub const KEYS: &[(&str, &str)] = &[
    ("s  o  u", "step; over a call; out of the routine"),
    ("b  f", "back an instruction; forth again"),
    ("r  R", "run to the next stop (any key stops it); back to the last one"),
    ("g", "go at the board's own speed; keys go to its console, Esc stops"),
    ("c  C", "to the line of the cursor; back to the last time it came next"),
    ("p  P", "a breakpoint at the cursor (right click), or none; with a condition"),
    ("w", "why: where the value at the cursor, or of its line, comes from"),
    ("e", "watch that value, or stop watching it"),
    ("m", "show what a macro or a block wrote out, or hide it"),
    ("Tab", "to registers, memory, the source; Enter changes a value there"),
    ("z  x", "takes the last change in place back; memory in another radix"),
    ("h", "to the first hazard (a likely mistake), and to the next"),
    ("← →", "along the strip of time, a hundredth each (click it)"),
    ("Home  End", "to the beginning of the run, to its end"),
    ("↑ ↓", "the cursor, PageUp and PageDown, too; . to what comes next"),
    ("n  v", "the next text of the program; the board in place of the source"),
    ("l  B", "the list of cases; build again (a save does so by itself)"),
    (": or Enter", "a line in the monitor's words: set a = 5, why nights, help"),
    ("?  q", "this help; leave"),
];

/// What is being typed.
#[derive(Debug, Clone, Default)]
pub struct Typing {
    pub line: String,
    /// It is a value for what the cursor stands on.
    pub is_value: bool,
}

/// What came of a key.
pub enum Pressed {
    Nothing,
    Deed(Deed),
    Help,
    /// The list of cases.
    Cases,
    /// The board in place of the source, or no more.
    Board,
    /// Build again.
    Again,
    /// Run, at the board's own speed or as fast as this computer can.
    Run {
        real: bool,
    },
    Quit,
}

/// The keys of a script: letters as they are, others by name in braces, blanks inside a line that is typed.
pub fn script(text: &str) -> Result<Vec<Key>, Failure> {
    let (mut keys, mut rest) = (Vec::new(), text);
    while let Some(first) = rest.chars().next() {
        let named = rest.strip_prefix('{').and_then(|inner| inner.split_once('}'));
        match named {
            Some((name, behind)) => {
                let key = NAMES.iter().find(|row| row.0.eq_ignore_ascii_case(name));
                let key = key.ok_or_else(|| {
                    let names: Vec<&str> = NAMES.iter().map(|row| row.0).collect();
                    Failure::usage(
                        format!("there is no key {{{name}}}"),
                        format!("there are {}", names.join(", ")),
                    )
                })?;
                keys.push(key.1);
                rest = behind;
            }
            None => {
                keys.push(Key::Letter(first));
                rest = &rest[first.len_utf8()..];
            }
        }
    }
    Ok(keys)
}

/// A key as a terminal sends it.
pub fn of_terminal(key: KeyEvent) -> Option<Key> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return match key.code {
            KeyCode::Char('c' | 'd') => Some(Key::Letter('q')),
            _ => None,
        };
    }
    Some(match key.code {
        KeyCode::Char(letter) => Key::Letter(letter),
        KeyCode::Enter => Key::Enter,
        KeyCode::Esc => Key::Escape,
        KeyCode::Backspace => Key::Erase,
        KeyCode::Tab => Key::Complete,
        KeyCode::Up => Key::Up,
        KeyCode::Down => Key::Down,
        KeyCode::PageUp => Key::PageUp,
        KeyCode::PageDown => Key::PageDown,
        KeyCode::Left => Key::Left,
        KeyCode::Right => Key::Right,
        KeyCode::Home => Key::Home,
        KeyCode::End => Key::End,
        _ => return None,
    })
}

/// What a key does, in a line that is being typed or outside of one.
pub fn pressed(typing: &mut Option<Typing>, key: Key, debugger: &Debugger) -> Pressed {
    if let Some(open) = typing {
        match key {
            Key::Letter(letter) => open.line.push(letter),
            Key::Erase => _ = open.line.pop(),
            Key::Complete if open.is_value => {}
            Key::Complete => complete(open, debugger),
            Key::Escape => *typing = None,
            Key::Enter => {
                let line = std::mem::take(&mut open.line);
                let is_value = open.is_value;
                *typing = None;
                return match line.trim() {
                    "" => Pressed::Nothing,
                    _ if is_value => Pressed::Deed(Deed::Change(line)),
                    "quit" | "exit" => Pressed::Quit,
                    "cases" => Pressed::Cases,
                    "build" => Pressed::Again,
                    "board" => Pressed::Board,
                    "go" => Pressed::Run { real: true },
                    _ => Pressed::Deed(Deed::Line(line)),
                };
            }
            _ => {}
        }
        return Pressed::Nothing;
    }
    let deed = match key {
        Key::Letter('s') => Deed::Step,
        Key::Letter('o') => Deed::Over,
        Key::Letter('u') => Deed::Out,
        Key::Letter('b') => Deed::Back,
        Key::Letter('f') => Deed::Forth,
        Key::Letter('r') => return Pressed::Run { real: false },
        Key::Letter('g') => return Pressed::Run { real: true },
        Key::Letter('l') => return Pressed::Cases,
        Key::Letter('v') => return Pressed::Board,
        Key::Letter('B') => return Pressed::Again,
        Key::Letter('P') => {
            let line = debugger.cursor_place().map(|place| format!("stop at {place} when "));
            *typing = line.map(|line| Typing { line, is_value: false });
            return Pressed::Nothing;
        }
        Key::Letter('e') => Deed::Watch,
        Key::Letter('m') => Deed::Unfold,
        Key::Letter('z') => Deed::Undo,
        Key::Letter('x') => Deed::Radix,
        Key::Complete => Deed::NextPane,
        Key::Letter('R') => Deed::RunBack,
        Key::Letter('c') => Deed::ToCursor,
        Key::Letter('C') => Deed::BackToCursor,
        Key::Letter('p') => Deed::Breakpoint,
        Key::Letter('w') => Deed::Why,
        Key::Letter('h') => Deed::Hazard,
        Key::Letter('n') => Deed::NextText,
        Key::Letter('.') => Deed::Home,
        Key::Left if debugger.pane() != Pane::Source => Deed::Sideways(-1),
        Key::Right if debugger.pane() != Pane::Source => Deed::Sideways(1),
        Key::Left => Deed::Along(-1),
        Key::Right => Deed::Along(1),
        Key::Home => Deed::Start,
        Key::End => Deed::End,
        Key::Up => Deed::Cursor(-1),
        Key::Down => Deed::Cursor(1),
        Key::PageUp => Deed::Cursor(-12),
        Key::PageDown => Deed::Cursor(12),
        Key::Letter('?') => return Pressed::Help,
        Key::Letter('q') => return Pressed::Quit,
        Key::Enter if debugger.pane() != Pane::Source => {
            *typing = Some(Typing { is_value: true, ..Typing::default() });
            return Pressed::Nothing;
        }
        Key::Letter(':') | Key::Enter => {
            *typing = Some(Typing::default());
            return Pressed::Nothing;
        }
        _ => return Pressed::Nothing,
    };
    Pressed::Deed(deed)
}

/// Completes what fits only one way, or as far as all agree.
fn complete(open: &mut Typing, debugger: &Debugger) {
    let (start, names) = debugger.complete(&open.line);
    let Some(first) = names.first() else { return };
    let shared = names.iter().fold(first.clone(), |shared, name| {
        let same = shared.chars().zip(name.chars()).take_while(|(one, other)| one == other);
        same.map(|row| row.0).collect()
    });
    if shared.len() >= open.line.len() - start {
        open.line.replace_range(start.., &shared);
        if names.len() == 1 {
            open.line.push(' ');
        }
    }
}
