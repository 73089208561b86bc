//! The cases of the program's table: how each goes, and one of them to be debugged.

use super::Debugger;
use crate::monitor::Complaint;
use crate::session::Session;
use crate::session::cases::{Cases, Outcome};
use crate::text::Text;

/// The case table of a program.
#[derive(Debug, Clone)]
pub(super) struct CaseList {
    cases: Cases,
    /// The session as it is before any case.
    fresh: Session,
    /// How each went, in the order of the table; empty where they have not been run.
    outcomes: Vec<Outcome>,
    /// The case that is being debugged.
    chosen: Option<String>,
}

impl CaseList {
    /// The same table for another build: it has to be run again.
    pub fn without_results(mut self) -> Self {
        self.outcomes.clear();
        self.chosen = None;
        self
    }
}

/// A case as the list shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CaseRow {
    /// Its name.
    pub name: String,
    /// It passed.
    pub passed: bool,
    /// What was not as expected, each a sentence.
    pub differences: Vec<String>,
    /// It is the one that is being debugged.
    pub is_chosen: bool,
}

impl Debugger {
    /// The table whose cases can be debugged; `fresh` is the session as its program is loaded.
    pub fn set_cases(&mut self, cases: Cases, fresh: Session) {
        self.cases = Some(CaseList { cases, fresh, outcomes: Vec::new(), chosen: None });
    }

    /// True where there is a case table.
    pub fn has_cases(&self) -> bool {
        self.cases.is_some()
    }

    /// The case that is being debugged.
    pub fn chosen_case(&self) -> Option<&str> {
        self.cases.as_ref()?.chosen.as_deref()
    }

    /// Every case and how it goes, those that fail first. They are run where that has not been done.
    ///
    /// # Errors
    /// There is no table, or it makes no sense for the program.
    pub fn case_rows(&mut self) -> Result<Vec<CaseRow>, Complaint> {
        let nothing = || {
            let help = "a table beside the program is called as it is, with the ending .cases.toml";
            Complaint::new("the program has no case table", help)
        };
        let list = self.cases.as_mut().ok_or_else(nothing)?;
        if list.outcomes.is_empty() {
            list.outcomes = list.cases.run(&list.fresh).map_err(Complaint::from)?;
        }
        let mut rows: Vec<CaseRow> = list
            .outcomes
            .iter()
            .map(|one| CaseRow {
                name: one.name.clone(),
                passed: one.passed,
                differences: one.differences.clone(),
                is_chosen: list.chosen.as_ref() == Some(&one.name),
            })
            .collect();
        rows.sort_by_key(|row| row.passed);
        Ok(rows)
    }

    /// Prepares a case of the list: the program stands at its beginning, with what the case gives it.
    pub(super) fn start_case(&mut self, number: usize) -> Result<Option<Text>, Complaint> {
        let rows = self.case_rows()?;
        let help = format!("there are {} cases", rows.len());
        let row = rows.get(number).ok_or_else(|| Complaint::new("there is no such case", help))?;
        let Some(list) = &self.cases else { return Ok(None) };
        let only =
            list.cases.clone().only(&row.name).map_err(|_| Complaint::new("there is no such case", ""))?;
        let (session, _) = only.begin_first(list.fresh.clone())?;
        self.exchange_keeping(session);
        if let Some(list) = &mut self.cases {
            list.chosen = Some(row.name.clone());
        }
        let mut text = Text::plain(format!("case `{}`: the program stands at its beginning", row.name));
        for difference in &row.differences {
            text.line().tone(crate::text::Tone::Wrong, format!("  {difference}"));
        }
        if row.passed {
            text.line().tone(crate::text::Tone::Faint, "  it passes");
        }
        Ok(Some(text))
    }

    /// Another session of the same build; how the cases went stays.
    fn exchange_keeping(&mut self, session: Session) {
        let cases = self.cases.take();
        self.exchange(session);
        self.cases = cases;
    }
}
