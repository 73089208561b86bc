//! A program being debugged, as a screen shows it: the source with the line that comes next, what registers, stack and memory hold, and
//! the whole run as a strip of time. What is shown is data here; who draws it, and which keys there are, is no matter of this module.

mod case_list;
mod deeds;
mod exchange;
mod pane;
mod rows;
mod strip;
mod view;

pub use case_list::CaseRow;
pub use deeds::Deed;
pub use pane::Pane;
pub use strip::{Mark, MarkKind, Strip};
pub use view::{Cell, RegisterView, SourceRow, StackRow, View, Watched};

use crate::monitor::{Host, Monitor};
use crate::session::Session;
use crate::text::Text;
use case_list::CaseList;
use pane::Changed;
use rows::Cursor;
use std::collections::BTreeSet;

/// A program being debugged.
#[derive(Debug)]
pub struct Debugger {
    monitor: Monitor,
    /// Where the cursor stands in which text; `None` where there is no source.
    cursor: Option<Cursor>,
    /// Lines that show what they wrote out.
    open: BTreeSet<(String, usize)>,
    /// The pane of the cursor, the register that it stands on, and the cell.
    pane: Pane,
    register: usize,
    cell: u32,
    /// The radix of the memory pane, its width in columns and its rows.
    radix: u32,
    columns: usize,
    memory_rows: u32,
    /// A run goes on that somebody watches.
    is_running: bool,
    /// What was changed in place, the last one at the end.
    changes: Vec<Changed>,
    /// The values of the watches before the last deed.
    watched_before: Vec<Option<i64>>,
    /// The case table, and the case that is being run.
    cases: Option<CaseList>,
    /// Lamps and digits, as somebody saw them in the last moment.
    board: crate::panel::View,
    /// The registers as they were before the last deed.
    before: Vec<u64>,
    /// Cells before the last deed, where the memory pane shows them.
    cells_before: Vec<u64>,
    /// The first address of the memory pane.
    memory: u32,
    /// What was said last.
    said: Text,
    strip: Strip,
}

impl Debugger {
    /// A debugger over a session with a program.
    pub fn new(session: Session) -> Self {
        let memory = first_data(&session);
        let radix = session.processor().habit().table_radix();
        let board = crate::panel::seen(session.machine(), session.machine());
        let mut debugger = Self {
            monitor: Monitor::new(session),
            cursor: None,
            open: BTreeSet::new(),
            pane: Pane::Source,
            register: 0,
            cell: memory,
            radix,
            columns: 48,
            memory_rows: 2,
            is_running: false,
            changes: Vec::new(),
            watched_before: Vec::new(),
            cases: None,
            board,
            before: Vec::new(),
            cells_before: Vec::new(),
            memory,
            said: Text::new(),
            strip: Strip::default(),
        };
        debugger.home();
        debugger.before = debugger.registers();
        debugger.cells_before = debugger.cells();
        debugger
    }

    /// The session.
    pub fn session(&self) -> &Session {
        self.monitor.session()
    }

    /// What was said last.
    pub fn said(&self) -> &Text {
        &self.said
    }

    /// What may stand at the end of a line that is being typed.
    pub fn complete(&self, line: &str) -> (usize, Vec<String>) {
        self.monitor.complete(line)
    }

    fn registers(&self) -> Vec<u64> {
        let machine = self.session().machine();
        (0..machine.set().registers().len()).map(|place| machine.register(place)).collect()
    }

    /// Where execution stands: at a halt, the halt.
    fn place(&self) -> u32 {
        let machine = self.session().machine();
        machine.halted_at().unwrap_or(machine.place())
    }

    /// Does something; what came of it is said.
    pub fn act(&mut self, deed: &Deed, host: &mut dyn Host) {
        if deed.moves_machine() {
            self.note_before();
        }
        let done = self.try_to(deed, host);
        match done {
            Ok(Some(text)) => self.said = text,
            Ok(None) => {}
            Err(complaint) => {
                let mut text = Text::new();
                text.line().tone(crate::text::Tone::Wrong, complaint.message);
                text.put("; ").put(complaint.help);
                self.said = text;
            }
        }
        if deed.moves_machine() {
            self.home();
        }
        self.strip.follow(self.monitor.session_mut(), host);
        self.look_at_board();
    }

    /// What changes from here on is marked.
    fn note_before(&mut self) {
        self.before = self.registers();
        self.cells_before = self.cells();
        self.watched_before = self.watched_values();
    }

    /// What somebody saw of the board in the last moment of the machine's time.
    fn look_at_board(&mut self) {
        let machine = self.monitor.session().machine();
        if machine.lamps().is_empty() && machine.digits().is_empty() {
            self.board = crate::panel::seen(machine, machine);
            return;
        }
        let look = machine.board().clock * crate::panel::LOOK_MS / 1000;
        let begin = machine.cycles().saturating_sub(look);
        let before = self.monitor.session_mut().machine_at(begin);
        self.board = crate::panel::seen(&before, self.session().machine());
    }

    /// The board, as somebody sees it.
    pub fn board(&self) -> &crate::panel::View {
        &self.board
    }
}

/// The first data of a program that is not in its instructions: what somebody wants to see of memory at first.
fn first_data(session: &Session) -> u32 {
    let program = session.program();
    let labels = program.map(|program| program.symbols.labels()).unwrap_or_default();
    let is_data = |at: u32| program.and_then(|program| program.line(at)).is_none_or(|line| !line.code);
    let is_own = |at: &u32| session.machine().kind(*at).is_some() && is_data(*at);
    labels.into_keys().find(is_own).unwrap_or(session.machine().place())
}
