//! Outcomes of case tables for whoever collects results: JUnit XML, and the Test Anything Protocol (version 14).

use crate::session::cases::Outcome;

/// A table and what came of its cases.
#[derive(Debug, Clone, Copy)]
pub struct Suite<'a> {
    /// The table's file.
    pub name: &'a str,
    /// Its cases.
    pub cases: &'a [Outcome],
    /// What no case reaches, where the table demands full coverage.
    pub missing: &'a [String],
}

impl Suite<'_> {
    /// Every case and every line that is missed: its name, what is wrong with it, and what it took.
    fn rows(&self) -> Vec<(String, Vec<String>, u64, u64)> {
        let cases = self.cases.iter().map(|one| {
            let wrong = match (one.passed, one.differences.is_empty()) {
                (true, _) => Vec::new(),
                (false, false) => one.differences.clone(),
                (false, true) => vec![one.stop.clone()],
            };
            (one.name.clone(), wrong, one.cycles, one.instructions)
        });
        let missing = self
            .missing
            .iter()
            .map(|one| ("coverage".to_string(), vec![format!("not covered: {one}")], 0, 0));
        cases.chain(missing).collect()
    }
}

/// A text as XML has it, and HTML; what XML has no sign for is left out.
pub(super) fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for sign in text.chars() {
        match sign {
            '&' => out += "&amp;",
            '<' => out += "&lt;",
            '>' => out += "&gt;",
            '"' => out += "&quot;",
            '\n' => out += "&#10;",
            '\t' => out.push(' '),
            sign if sign < ' ' || ('\u{FFFE}'..='\u{FFFF}').contains(&sign) => {}
            sign => out.push(sign),
        }
    }
    out
}

/// The outcomes as JUnit XML. Times are not told: emulated cycles are in the properties of each case.
pub fn junit(suites: &[Suite<'_>]) -> String {
    let rows: Vec<_> = suites.iter().map(|suite| (suite, suite.rows())).collect();
    let failures =
        |rows: &[(String, Vec<String>, u64, u64)]| rows.iter().filter(|row| !row.1.is_empty()).count();
    let tests: usize = rows.iter().map(|row| row.1.len()).sum();
    let failed: usize = rows.iter().map(|row| failures(&row.1)).sum();
    let mut out = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuites tests=\"{tests}\" failures=\"{failed}\">\n"
    );
    for (suite, rows) in &rows {
        let name = escaped(suite.name);
        out += &format!(
            "  <testsuite name=\"{name}\" tests=\"{}\" failures=\"{}\">\n",
            rows.len(),
            failures(rows)
        );
        for (case, wrong, cycles, instructions) in rows {
            out += &format!("    <testcase name=\"{}\" classname=\"{name}\">\n", escaped(case));
            out += &format!(
                "      <properties>\n        <property name=\"cycles\" value=\"{cycles}\"/>\n        <property name=\"instructions\" value=\"{instructions}\"/>\n      </properties>\n"
            );
            if let Some(first) = wrong.first() {
                out += &format!(
                    "      <failure message=\"{}\">{}</failure>\n",
                    escaped(first),
                    escaped(&wrong.join("\n"))
                );
            }
            out += "    </testcase>\n";
        }
        out += "  </testsuite>\n";
    }
    out + "</testsuites>\n"
}

/// The outcomes in the Test Anything Protocol.
pub fn tap(suites: &[Suite<'_>]) -> String {
    let count: usize = suites.iter().map(|suite| suite.rows().len()).sum();
    let mut out = format!("TAP version 14\n1..{count}\n");
    let mut number = 0;
    // A description ends at a `#`.
    let plain = |text: &str| text.replace('\\', "\\\\").replace('#', "\\#").replace('\n', " ");
    for suite in suites {
        for (case, wrong, ..) in suite.rows() {
            number += 1;
            let ok = if wrong.is_empty() { "ok" } else { "not ok" };
            out += &format!("{ok} {number} - {}: {}\n", plain(suite.name), plain(&case));
            if !wrong.is_empty() {
                out += "  ---\n  differences:\n";
                wrong.iter().for_each(|one| out += &format!("    - {one:?}\n"));
                out += "  ...\n";
            }
        }
    }
    out
}
