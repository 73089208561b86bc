//! Which key of the keyboard stands for which key of the panel.

use plain_byte::panel::Panel;

/// A key of the panel and how it is reached.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Key {
    pub legend: String,
    /// What is pressed at the keyboard: a letter, or `F2`.
    pub reached: String,
}

/// All keys but those of a keyboard that are typed: the keypad row by row, and the others behind function keys.
#[derive(Debug, Clone, Default)]
pub struct Keys {
    pub pad: Vec<Vec<Option<Key>>>,
    pub others: Vec<Key>,
}

impl Keys {
    pub fn new(panel: &Panel) -> Self {
        let machine = panel.session().machine();
        let board = machine.board();
        let all = panel.keys();
        let keyboard = board.keyboard.as_ref();
        let pads = || {
            board.keypads.iter().enumerate().filter(|(at, _)| keyboard.is_none_or(|one| one.keypad != *at))
        };
        let legends: Vec<&String> = pads()
            .flat_map(|(_, pad)| pad.legends.iter().flatten())
            .filter(|one| all.contains(one))
            .collect();
        let letters = assigned(&legends);
        let reached = |legend: &String| {
            let at = legends.iter().position(|other| *other == legend)?;
            Some(Key { legend: legend.clone(), reached: letters[at].map(String::from).unwrap_or_default() })
        };
        let rows = pads().flat_map(|(_, pad)| &pad.legends);
        let pad = rows.map(|row| row.iter().map(reached).collect()).collect();
        // What is typed needs no key here; of the keyboard only those that stand for no character do.
        let typed = |legend: &String| {
            let Some(keyboard) = keyboard else { return false };
            let makes = keyboard.makes.iter().find(|row| row.0 == *legend).and_then(|row| row.1.first());
            let is_its_own = board.keypads[keyboard.keypad].legends.iter().flatten().any(|one| one == legend);
            is_its_own && makes.is_none_or(|one| !one.is_ascii_control() || matches!(one, b'\r' | b'\x08'))
        };
        let others = all.iter().filter(|legend| !legends.contains(legend) && !typed(legend));
        let others = others
            .enumerate()
            .map(|(at, legend)| Key { legend: legend.clone(), reached: format!("F{}", at + 2) })
            .collect();
        Self { pad, others }
    }

    pub fn is_empty(&self) -> bool {
        self.pad.is_empty()
    }

    /// The panel's key behind a letter.
    pub fn of(&self, letter: char) -> Option<String> {
        let letter = letter.to_lowercase().to_string();
        let key = self.pad.iter().flatten().flatten().find(|key| key.reached == letter);
        key.map(|key| key.legend.clone())
    }

    /// The panel's key behind a function key.
    pub fn function(&self, number: u8) -> Option<String> {
        let reached = format!("F{number}");
        self.others.iter().find(|key| key.reached == reached).map(|key| key.legend.clone())
    }
}

/// A letter of its own for each legend: itself where it is a single one, else one that stands in it.
fn assigned(legends: &[&String]) -> Vec<Option<char>> {
    let choices: Vec<Vec<char>> = legends
        .iter()
        .map(|legend| {
            let letters: Vec<char> = legend.to_lowercase().chars().collect();
            // A hex digit stands for itself only.
            let free =
                |letter: &char| letters.len() == 1 || letter.is_alphabetic() && !letter.is_ascii_hexdigit();
            letters.iter().copied().filter(free).collect()
        })
        .collect();
    let mut owner: Vec<(char, usize)> = Vec::new();
    for legend in 0..legends.len() {
        claim(legend, &choices, &mut owner, &mut Vec::new());
    }
    (0..legends.len()).map(|legend| owner.iter().find(|row| row.1 == legend).map(|row| row.0)).collect()
}

/// Finds a letter for a legend; whoever has it looks for another one.
fn claim(
    legend: usize,
    choices: &[Vec<char>],
    owner: &mut Vec<(char, usize)>,
    tried: &mut Vec<char>,
) -> bool {
    // What is free first; then whoever has the last letter of it, since keys are known by their first.
    let is_free = |letter: &&char| owner.iter().all(|row| row.0 != **letter);
    let (free, others): (Vec<&char>, Vec<&char>) = choices[legend].iter().partition(is_free);
    for &letter in free.into_iter().chain(others.into_iter().rev()) {
        if tried.contains(&letter) {
            continue;
        }
        tried.push(letter);
        let holder = owner.iter().position(|row| row.0 == letter);
        match holder {
            None => {
                owner.push((letter, legend));
                return true;
            }
            Some(at) => {
                let other = owner[at].1;
                if claim(other, choices, owner, tried) {
                    owner.retain(|row| *row != (letter, other));
                    owner.push((letter, legend));
                    return true;
                }
            }
        }
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_key_has_a_letter_of_its_own() {
        let session = plain_byte::session::Session::shipped("tern").expect("a board");
        let keys = Keys::new(&Panel::new(session));
        let all: Vec<&Key> = keys.pad.iter().flatten().flatten().collect();
        assert_eq!(all.len(), 26);
        for key in &all {
            assert_eq!(key.reached.len(), 1, "{key:?}");
            let letter = key.reached.chars().next().unwrap_or_default();
            assert_eq!(keys.of(letter).as_deref(), Some(key.legend.as_str()));
        }
        assert_eq!(keys.of('A').as_deref(), Some("A"), "hex digits are themselves");
        let others: Vec<&str> = keys.others.iter().map(|key| key.legend.as_str()).collect();
        assert_eq!(others, ["STOP", "RESET"]);
        let session = plain_byte::session::Session::shipped("fulmar").expect("a board");
        let fulmar = Keys::new(&Panel::new(session));
        let legends: Vec<&str> = fulmar.others.iter().map(|key| key.legend.as_str()).collect();
        assert_eq!((fulmar.is_empty(), legends), (true, vec!["STOP", "CLEAR", "BREAK", "RESET"]));
        assert_eq!((keys.function(2).as_deref(), keys.function(9)), (Some("STOP"), None));
    }
}
