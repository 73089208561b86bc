//! Another build in the place of the one that is being debugged: what was set up stays.

use super::Debugger;
use super::case_list::CaseList;
use crate::session::{Guard, Session};
use crate::text::Text;

/// A line with a breakpoint.
struct KeptLine {
    file: String,
    number: usize,
    /// What stands there.
    text: String,
    /// Which of the instructions that the line made.
    place: usize,
}

/// A breakpoint as it is found again in another build.
struct Kept {
    /// Its line; `None` where no source is known.
    line: Option<KeptLine>,
    address: u32,
    guard: Option<Guard>,
}

impl Debugger {
    /// Goes on with another build of the program, from its beginning: breakpoints stay at their lines, wherever these stand now, and conditions, watches, open lines
    /// and the cursor stay, too. A line that has no instruction any more loses its breakpoint.
    pub fn exchange(&mut self, session: Session) {
        let kept: Vec<Kept> = self.session().breakpoints().iter().map(|&at| self.kept(at)).collect();
        let conditions = self.session().conditions().to_vec();
        self.monitor.exchange(session);
        let mut lost = 0;
        for Kept { line, address, guard } in kept {
            let found = match &line {
                Some(line) => self.found_again(line),
                None => Some(address),
            };
            let Some(address) = found else {
                lost += 1;
                continue;
            };
            let session = self.monitor.session_mut();
            match guard {
                Some(guard) => session.guard_breakpoint(address, guard),
                None => _ = session.add_breakpoint(address),
            }
        }
        for condition in conditions {
            self.monitor.session_mut().add_condition(condition);
        }
        self.changes.clear();
        self.strip = super::Strip::default();
        self.cases = self.cases.take().map(CaseList::without_results);
        self.is_running = false;
        self.note_before();
        self.home();
        self.look_at_board();
        let lost = match lost {
            0 => String::new(),
            1 => "; 1 breakpoint stood in a line that has no instruction any more".to_string(),
            count => format!("; {count} breakpoints stood in lines that have no instruction any more"),
        };
        self.said = Text::plain(format!("built again; the program stands at its beginning{lost}"));
    }

    /// The address at a line of another build: the nearest one that says the same, or the one of the same number.
    fn found_again(&self, line: &KeptLine) -> Option<u32> {
        let made = self.session().code_by_line(&line.file);
        let text = self.session().text(&line.file)?;
        let says_same = |row: &(usize, &str)| row.1.trim() == line.text && made.contains_key(&row.0);
        let same = text.lines().enumerate().map(|(at, text)| (at + 1, text)).filter(says_same);
        let nearest = same.map(|row| row.0).min_by_key(|number| number.abs_diff(line.number));
        let all = made.get(&nearest.unwrap_or(line.number))?;
        all.get(line.place).or(all.first()).copied()
    }

    fn kept(&self, address: u32) -> Kept {
        let session = self.session();
        let line = session.line_of(address).map(|line| {
            let (file, number) = line.written_at();
            let made = self.session().code_by_line(file);
            let place = made.get(&number).and_then(|all| all.iter().position(|&at| at == address));
            let text = session.text(file).and_then(|text| text.lines().nth(number - 1)).unwrap_or_default();
            KeptLine {
                file: file.to_string(),
                number,
                text: text.trim().to_string(),
                place: place.unwrap_or(0),
            }
        });
        Kept { line, address, guard: session.guard(address).cloned() }
    }

    /// Says something that is no answer to a key.
    pub fn say(&mut self, text: Text) {
        self.said = text;
    }
}
