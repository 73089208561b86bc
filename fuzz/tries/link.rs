//! Any bytes over the debug link, to the board and from it: nothing panics, answers are whole lines, nothing grows without end.

use plain_byte::diagnostic::Problem;
use plain_byte::link::LinkServer;
use plain_byte::machine::Link;
use plain_byte::session::{Limits, Session};
use std::collections::VecDeque;

/// A far side that says whatever is there.
#[derive(Debug)]
struct Answers(VecDeque<String>);

impl Link for Answers {
    fn ask(&mut self, _: &str) -> Result<String, Problem> {
        self.0.pop_front().ok_or_else(|| "nothing more".into())
    }
}

/// Tries it.
pub fn run(data: &[u8]) {
    let mut session = Session::shipped("dunlin").expect("a board");
    let mut server = LinkServer::default();
    for piece in data.chunks(97) {
        let said = server.feed(&mut session, piece);
        assert!(said.is_empty() || said.ends_with('\n'));
        if let Some(answer) = server.go_on(&mut session, 2_000) {
            assert!(answer.starts_with("stopped ") && answer.ends_with('\n'));
        }
    }
    // The same bytes as answers, behind a greeting that is right or their own.
    let text = String::from_utf8_lossy(data);
    let mut answers: VecDeque<String> = text.lines().map(String::from).collect();
    if data.first().is_some_and(|first| first & 1 == 0) {
        let registers = "ok A=1 PC=100 cycles=5 instructions=2";
        for line in [registers, "ok ram:0-7FFFF", "ok link=1 board=dunlin cpu=ez80 clock=1000"] {
            answers.push_front(line.to_string());
        }
    }
    if let Ok(mut far) = Session::linked(Box::new(Answers(answers))) {
        let _ = far.put(0x100, &[1, 2, 3]);
        let _ = (far.cell(0x100), far.step(), far.set("ADL", 1));
        let _ = far.run(Limits::none().cycles(1_000).until(0x200));
        far.reset();
        let _ = far.machine().link_failure();
    }
}
