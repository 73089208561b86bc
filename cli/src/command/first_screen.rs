//! The first screen of the tour: what there is, by the boards it is for.

use plain_byte::text::{Text, Tone};

/// A program or a sitting of the tour.
pub struct Entry {
    pub board: String,
    pub name: &'static str,
    /// It is worked by hand at the panel.
    pub at_panel: bool,
}

/// Columns that the names take.
const WIDE: usize = 78;
/// Columns of a board's name.
const BOARD: usize = 9;

/// Every name, a board a line or more.
pub fn overview(entries: &[Entry]) -> Text {
    let mut text = Text::new();
    text.line().tone(Tone::Strong, "Skerrow Rock, a light station run by a cupboard full of old machines");
    let mut boards: Vec<&str> = Vec::new();
    for entry in entries {
        if !boards.contains(&entry.board.as_str()) {
            boards.push(&entry.board);
        }
    }
    for board in boards {
        text.line().tone(Tone::Live, format!("{board:BOARD$}"));
        let mut column = BOARD;
        for entry in entries.iter().filter(|entry| entry.board == board) {
            let name = if entry.at_panel { format!("{}*", entry.name) } else { entry.name.to_string() };
            if column + name.len() + 2 > WIDE {
                text.line().put(" ".repeat(BOARD));
                column = BOARD;
            }
            column += name.len() + 2;
            text.put(format!("{name}  "));
        }
    }
    text.line().tone(Tone::Faint, "* worked at the panel, from a script");
    text
}
