//! Any lines as a record: it is refused with a line, or played, and never goes on for ever.

use plain_byte::session::{Begin, Line, RECORD_VERSION, Replayed, Session};

const BOARDS: [&str; 6] = ["plover", "puffin", "tern", "heron", "osprey", "curlew"];

/// Longer runs are not what is tried.
const LONGEST: u64 = 50_000;

/// Tries it.
pub fn run(bytes: &[u8]) {
    let Some((&board, text)) = bytes.split_first() else { return };
    let board = BOARDS[usize::from(board) % BOARDS.len()];
    let mut session = Session::shipped(board).expect("it opens");
    let begin = Line::Begin(Begin {
        record: RECORD_VERSION,
        board: board.to_string(),
        processor: session.processor().name().to_string(),
        without: Vec::new(),
    });
    let short = |line: &Line| match line {
        Line::Done { cycle, .. } => *cycle < LONGEST,
        Line::Mark(mark) => mark.cycle < LONGEST,
        _ => true,
    };
    let read =
        text.split(|&byte| byte == b'\n').take(40).filter_map(|line| serde_json::from_slice(line).ok());
    let lines: Vec<Line> = std::iter::once(begin).chain(read.filter(short)).collect();
    session.record(board, &[], 1000);
    match session.replay(&lines, &mut || true) {
        Replayed::Impossible { line, why } => assert!(line < lines.len() && !why.is_empty()),
        Replayed::Differs(difference) => {
            assert!(difference.line < lines.len() && !difference.what.is_empty());
        }
        _ => {}
    }
    // What it did is a record that plays.
    let mut again = Session::shipped(board).expect("it opens");
    let replayed = again.replay(&session.recorded(), &mut || true);
    assert!(matches!(replayed, Replayed::Same { .. }), "{replayed:?}");
}
