//! Any panel script, and any cells in the RAM of a board: an operator who presses what he likes.

use super::two;
use plain_byte::panel::{Action, NoFiles, Panel, Script};
use plain_byte::session::Session;

/// Boards with an address of RAM or ROM where a program may stand.
const BOARDS: [(&str, u32); 8] = [
    ("tern", 0x0200),
    ("puffin", 0xFE00),
    ("fulmar", 0x1000),
    ("gannet", 0),
    ("heron", 0),
    ("osprey", 0),
    ("curlew", 0x0100),
    ("dunlin", 0),
];

/// Tries it.
pub fn run(bytes: &[u8]) {
    let Some((&board, bytes)) = bytes.split_first() else { return };
    let Some((cells, text)) = two(bytes) else { return };
    let (board, first) = BOARDS[usize::from(board) % BOARDS.len()];
    let mut session = Session::shipped(board).expect("it opens");
    // Words of any width out of bytes: the next one comes into each.
    let last = session.processor().last_cell();
    let word = |bytes: &[u8]| bytes.iter().fold(0u64, |word, &byte| word << 8 | u64::from(byte)) & last;
    let wide = usize::from(session.processor().cell_bits()).div_ceil(8);
    let cells: Vec<u64> = cells.windows(wide).take(512).map(word).collect();
    if session.put(first, &cells).is_err() {
        return;
    }
    // Few lines and short waits: time on the board is time here.
    let lines = text.lines().filter(|line| !line.contains("wait")).take(4);
    let text: String = lines.flat_map(|line| [line.chars().take(40).collect(), "\n".to_string()]).collect();
    if let Ok(script) = Script::parse(&text) {
        let mut panel = Panel::new(session);
        // A front panel is started by an operator.
        if panel.act(Action::Continue).is_ok() {
            panel.pass(20_000);
        }
        let _ = script.run(&mut panel, &mut NoFiles);
        let _ = panel.look().text().to_string();
    }
}
