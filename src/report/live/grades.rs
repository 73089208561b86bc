//! One case table over many programs: what each came to, as a person reads it, as CSV and as a page.

use super::outcomes::escaped;
use crate::number::{counted, thousands};
use crate::session::cases::Outcome;
use crate::text::{Text, Tone};
use serde::Serialize;
use std::fmt::Write;

/// Why a program could not be tried at all.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Fault {
    /// There is no program, or several, where one is looked for.
    NoProgram,
    /// It cannot be read, or does not fit the board.
    Unusable,
    /// It has mistakes.
    NotAssembled,
    /// The table asks for something that it does not have, such as a label.
    NotThere,
}

impl Fault {
    fn words(&self) -> &'static str {
        match self {
            Self::NoProgram => "no program",
            Self::Unusable => "cannot be used",
            Self::NotAssembled => "did not assemble",
            Self::NotThere => "lacks a name",
        }
    }
}

/// A program, and what the table says of it.
#[derive(Debug, Clone, Serialize)]
pub struct Grade {
    /// Whose it is: its folder's or its file's name.
    pub name: String,
    /// The file, as it is named from the folder of all.
    pub file: String,
    /// Why it could not be tried.
    pub fault: Option<Fault>,
    /// What is wrong with it, in a sentence: of the fault, or the first difference.
    pub first: Option<String>,
    /// The case that failed first.
    pub case: Option<String>,
    /// How many cases it passed.
    pub passed: usize,
    /// How many there are.
    pub cases: usize,
    /// Cases that came to the limit of their cycles.
    pub unended: usize,
    /// The codes of hazards, each once, in the order of cases.
    pub hazards: Vec<String>,
    /// The cycles of its longest case.
    pub longest: u64,
    /// Every case.
    pub outcomes: Vec<Outcome>,
}

impl Grade {
    /// One that could not be tried.
    pub fn fault(name: &str, file: &str, cases: usize, fault: Fault, first: impl Into<String>) -> Self {
        Self {
            name: name.to_string(),
            file: file.to_string(),
            fault: Some(fault),
            first: Some(first.into()),
            case: None,
            passed: 0,
            cases,
            unended: 0,
            hazards: Vec::new(),
            longest: 0,
            outcomes: Vec::new(),
        }
    }

    /// One that was tried.
    pub fn of(name: &str, file: &str, outcomes: Vec<Outcome>) -> Self {
        let failed = outcomes.iter().find(|one| !one.passed);
        let mut hazards: Vec<String> = Vec::new();
        for one in outcomes.iter().flat_map(|one| &one.hazards) {
            if !hazards.iter().any(|code| code == one.code) {
                hazards.push(one.code.to_string());
            }
        }
        Self {
            name: name.to_string(),
            file: file.to_string(),
            fault: None,
            first: failed.map(|one| one.differences.first().cloned().unwrap_or_else(|| one.stop.clone())),
            case: failed.map(|one| one.name.clone()),
            passed: outcomes.iter().filter(|one| one.passed).count(),
            cases: outcomes.len(),
            unended: outcomes.iter().filter(|one| one.stop == "cycles").count(),
            hazards,
            longest: outcomes.iter().map(|one| one.cycles).max().unwrap_or(0),
            outcomes,
        }
    }

    /// It passed every case.
    pub fn is_right(&self) -> bool {
        self.fault.is_none() && self.passed == self.cases
    }

    /// What it came to, in a word or two.
    pub fn verdict(&self) -> &'static str {
        match &self.fault {
            Some(fault) => fault.words(),
            None if self.is_right() => "passed",
            None if self.unended > 0 => "never ended",
            None => "failed",
        }
    }

    /// What is wrong first: the case, and the difference.
    fn wrong(&self) -> String {
        match (&self.case, &self.first) {
            (Some(case), Some(first)) => format!("{case}: {first}"),
            (None, Some(first)) => first.clone(),
            _ => String::new(),
        }
    }
}

/// A row for each program.
pub fn grades(table: &str, rows: &[Grade]) -> Text {
    let mut text = Text::new();
    let wide = rows.iter().map(|row| row.name.chars().count()).max().unwrap_or(0).clamp(7, 32);
    text.line().tone(Tone::Strong, table).put(format!(", {}", counted(rows.len(), "program")));
    let head = format!(
        "  {:wide$}  {:16}  {:>7}  {:>11}  {}",
        "program", "result", "passed", "longest", "hazards, and what is wrong first"
    );
    text.line().tone(Tone::Faint, head);
    for row in rows {
        text.line().put(format!("  {:wide$}  ", row.name));
        let tone = if row.is_right() { Tone::Plain } else { Tone::Wrong };
        text.tone(tone, format!("{:16}", row.verdict()));
        let passed =
            if row.fault.is_some() { String::new() } else { format!("{}/{}", row.passed, row.cases) };
        let longest = if row.longest > 0 { thousands(row.longest) } else { String::new() };
        text.put(format!("  {passed:>7}  {longest:>11}  "));
        if !row.hazards.is_empty() {
            text.tone(Tone::Faint, format!("[{}] ", row.hazards.join(", ")));
        }
        text.put(row.wrong());
    }
    let right = rows.iter().filter(|row| row.is_right()).count();
    text.line().tone(Tone::Faint, format!("  {right} of {} passed everything", rows.len()));
    text
}

/// A value of CSV, in quotes where it has to be (RFC 4180). What a table would take for a formula is a text.
fn csv(text: &str) -> String {
    let text = if text.starts_with(['=', '+', '-', '@', '\t', '\r']) {
        format!("'{text}")
    } else {
        text.to_string()
    };
    if text.contains([',', '"', '\n', '\r']) { format!("\"{}\"", text.replace('"', "\"\"")) } else { text }
}

/// The same as CSV (RFC 4180), a line for each program below one with the names of the columns.
pub fn grades_csv(rows: &[Grade]) -> String {
    let mut out =
        "program,file,result,passed,cases,never ended,longest,hazards,case,difference\r\n".to_string();
    for row in rows {
        let fields = [
            csv(&row.name),
            csv(&row.file),
            row.verdict().to_string(),
            row.passed.to_string(),
            row.cases.to_string(),
            row.unended.to_string(),
            row.longest.to_string(),
            csv(&row.hazards.join(" ")),
            csv(row.case.as_deref().unwrap_or_default()),
            csv(row.first.as_deref().unwrap_or_default()),
        ];
        out += &fields.join(",");
        out += "\r\n";
    }
    out
}

const STYLE: &str = "body{font:16px/1.45 system-ui,sans-serif;margin:2em auto;max-width:72em;padding:0 1em;color:#1c222b;background:#fff}
table{border-collapse:collapse;width:100%}th,td{text-align:left;padding:.35em .7em;border-bottom:1px solid #ccd2da;vertical-align:top}
td.n{text-align:right;font-variant-numeric:tabular-nums}td.bad{color:#a03a00;font-weight:600}td.bad::before{content:'✗ '}td.good::before{content:'✓ '}
details td{border:0}summary{cursor:pointer}.cells{display:flex;gap:.2em;flex-wrap:wrap}.cell{width:1.1em;text-align:center}
@media(prefers-color-scheme:dark){body{color:#d8dee6;background:#1c222b}th,td{border-color:#455060}td.bad{color:#ffb040}}
@media print{body{margin:0;max-width:none}details{display:none}tr{break-inside:avoid}}";

/// The same as a page of HTML that needs nothing else: a row for each program, its cases below it.
pub fn grades_html(table: &str, rows: &[Grade]) -> String {
    let right = rows.iter().filter(|row| row.is_right()).count();
    let mut out = format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>{0}</title><style>{STYLE}</style></head><body>\n<h1>{0}</h1>\n<p>{right} of {1} programs passed everything.</p>\n<table><thead><tr><th scope=\"col\">program</th><th scope=\"col\">result</th><th scope=\"col\">passed</th><th scope=\"col\">longest, in cycles</th><th scope=\"col\">hazards</th><th scope=\"col\">what is wrong first</th></tr></thead><tbody>\n",
        escaped(table),
        rows.len()
    );
    for row in rows {
        let class = if row.is_right() { "good" } else { "bad" };
        let passed =
            if row.fault.is_some() { String::new() } else { format!("{} of {}", row.passed, row.cases) };
        let longest = if row.longest > 0 { thousands(row.longest) } else { String::new() };
        let _ = write!(
            out,
            "<tr><th scope=\"row\">{}</th><td class=\"{class}\">{}</td><td class=\"n\">{passed}</td><td class=\"n\">{longest}</td><td>{}</td><td>{}",
            escaped(&row.name),
            row.verdict(),
            escaped(&row.hazards.join(", ")),
            escaped(&row.wrong())
        );
        if !row.outcomes.is_empty() {
            out += "<details><summary>every case</summary><table>";
            for one in &row.outcomes {
                let class = if one.passed { "good" } else { "bad" };
                let _ = write!(
                    out,
                    "<tr><td class=\"{class}\">{}</td><td class=\"n\">{}</td><td>{}</td></tr>",
                    escaped(&one.name),
                    thousands(one.cycles),
                    escaped(&one.differences.join("; "))
                );
            }
            out += "</table></details>";
        }
        out += "</td></tr>\n";
    }
    out += "</tbody></table>\n</body></html>\n";
    out
}
