//! What somebody may want done to a text: a mistake mended, a line made quiet, a number written otherwise, a number or lines given a name.
//! Each is tried before it is offered: a mistake is gone with it, or the program is the same to the last cell.

use super::line::{Parts, Stretch};
use super::{Analysis, Edit, Range, Told};
use crate::assembler::lexer::Kind;
use crate::assembler::{Formula, Loader, NoNames};
use crate::diagnostic::Severity;

/// Something that may be done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fix {
    /// What it does: ``write `horn` ``.
    pub title: String,
    /// The changes.
    pub edits: Vec<Edit>,
    /// What it mends; `None` where nothing is wrong.
    pub mends: Option<Told>,
    /// It is what most people would choose.
    pub preferred: bool,
}

/// A number is worth a name where it stands so often.
const OFTEN: usize = 2;
/// So many lines are worth a macro.
const MACRO_LINES: std::ops::RangeInclusive<usize> = 2..=64;

/// What stands between backticks in a sentence.
fn written(sentence: &str) -> impl Iterator<Item = &str> {
    sentence.split('`').skip(1).step_by(2)
}

impl Analysis {
    /// What mends the mistakes in a stretch of a text, as their help says, and what makes warnings there quiet.
    pub fn fixes(&self, at: &Range, loader: &mut dyn Loader) -> Vec<Fix> {
        let Some((_, text)) = self.text(&at.file) else { return Vec::new() };
        let near = |told: &Told| {
            let line = Parts::at(text, told.range.start).whole;
            told.range.file == at.file && line.start <= at.end && at.start <= line.end.max(told.range.end)
        };
        let mut all: Vec<Fix> = Vec::new();
        for told in self.diagnostics().into_iter().filter(near) {
            let fixes = written(&told.help).filter_map(|new| {
                let ways = self.ways(text, &told, new);
                let edits = ways.into_iter().find(|edits| self.mends(&told, edits, loader))?;
                let title = format!("write `{}`", edits[0].text.trim());
                Some(Fix { title, edits, mends: Some(told.clone()), preferred: false })
            });
            let mut fixes: Vec<Fix> = fixes.collect();
            if let [one] = fixes.as_mut_slice() {
                one.preferred = true;
            }
            all.extend(fixes);
            all.extend(self.quiet(text, &told, loader));
        }
        all.dedup_by(|one, other| one.edits == other.edits);
        all
    }

    /// The places where what the help says may go: what is marked, the whole statement, a line in front of it or in front of everything.
    fn ways(&self, text: &str, told: &Told, new: &str) -> Vec<Vec<Edit>> {
        if new.is_empty() || new.contains('…') {
            return Vec::new();
        }
        let (file, parts) = (&told.range.file, Parts::at(text, told.range.start));
        let marked = told.range.start..told.range.end;
        let indent = "        ";
        let first = new.split_whitespace().next().unwrap_or_default();
        let mut ways = Vec::new();
        if first.eq_ignore_ascii_case("cpu") {
            let cpu = Parts::all(text).find(|line| line.is(text, &["cpu"]));
            ways.push(match cpu.and_then(|line| line.statement()) {
                Some(statement) => vec![Edit::of(file, statement, new)],
                None => vec![Edit::of(file, 0..0, format!("{indent}{new}\n"))],
            });
            return ways;
        }
        if first.eq_ignore_ascii_case("org") && new.contains(' ') {
            let behind = Parts::all(text).find(|line| line.is(text, &["cpu"])).map(|line| line.whole.end + 1);
            let at = behind.filter(|&at| at <= text.len()).unwrap_or(0);
            ways.push(vec![Edit::of(file, at..at, format!("{indent}{new}\n"))]);
            return ways;
        }
        if !marked.is_empty() {
            ways.push(vec![Edit::of(file, marked, new)]);
        }
        if let Some(statement) = parts.statement() {
            ways.push(vec![Edit::of(file, statement, new)]);
        }
        ways
    }

    /// A comment that lets a warning be.
    fn quiet(&self, text: &str, told: &Told, loader: &mut dyn Loader) -> Option<Fix> {
        if told.severity != Severity::Warning {
            return None;
        }
        let (file, parts) = (&told.range.file, Parts::at(text, told.range.start));
        let line = text.get(parts.whole.clone())?;
        let end = parts.whole.start + line.trim_end().len();
        let mark = if parts.comment.is_some() { "," } else { " ;" };
        let edits = vec![Edit::of(file, end..end, format!("{mark} allow {}", told.code))];
        let title = format!("allow `{}` in this line", told.code);
        let is_quiet = self.mends(told, &edits, loader);
        is_quiet.then(|| Fix { title, edits, mends: Some(told.clone()), preferred: false })
    }

    /// What a stretch of a text may be turned into while the program stays the same: numbers in other notations, a name for a number
    /// that stands in several places, a macro for whole lines.
    pub fn refactorings(&self, at: &Range, loader: &mut dyn Loader) -> Vec<Fix> {
        let Some((_, text)) = self.text(&at.file) else { return Vec::new() };
        let mut all = self.notations(text, at);
        all.extend(self.name_for_number(text, at));
        all.extend(self.macro_for_lines(text, at));
        all.retain(|fix| self.stays(&fix.edits, loader));
        all
    }

    fn notations(&self, text: &str, at: &Range) -> Vec<Fix> {
        let parts = Parts::at(text, at.start);
        let Some((number, value)) = self.number_at(text, &parts, at.start) else { return Vec::new() };
        let old = &text[number.clone()];
        let hex = self.set.map_or(format!("0x{value:x}"), |set| set.habit().literal(value, set.cell_bits()));
        let ways =
            [value.to_string(), hex, format!("0x{value:x}"), format!("0b{value:b}"), format!("0o{value:o}")];
        let mut seen: Vec<String> = vec![old.to_ascii_lowercase()];
        let mut all = Vec::new();
        for new in ways {
            if !seen.contains(&new.to_ascii_lowercase()) {
                seen.push(new.to_ascii_lowercase());
                let edits = vec![Edit::of(&at.file, number.clone(), new.clone())];
                all.push(Fix {
                    title: format!("write {old} as {new}"),
                    edits,
                    mends: None,
                    preferred: false,
                });
            }
        }
        all
    }

    /// The number at an offset of a line, and its value.
    fn number_at(&self, text: &str, parts: &Parts, offset: usize) -> Option<(Stretch, u64)> {
        let token = parts.tokens.iter().find(|token| {
            token.kind == Kind::Number && (token.start as usize..=token.end as usize).contains(&offset)
        })?;
        let number = token.start as usize..token.end as usize;
        let value = Formula::parse(text.get(number.clone())?, self.set).ok()?.value(&NoNames).ok()?;
        Some((number, u64::try_from(value).ok()?))
    }

    fn name_for_number(&self, text: &str, at: &Range) -> Option<Fix> {
        let parts = Parts::at(text, at.start);
        let (number, value) = self.number_at(text, &parts, at.start)?;
        let spelt = text[number].to_string();
        let name = format!("number_{value}");
        let is_it = |token: &&crate::assembler::lexer::Token| {
            token.kind == Kind::Number && text[token.start as usize..token.end as usize] == spelt
        };
        let lines: Vec<Parts> =
            Parts::all(text).filter(|line| line.labels.is_empty() || !line.is(text, &["equ", "="])).collect();
        let places = lines.iter().flat_map(|line| {
            line.tokens.iter().filter(is_it).map(|token| token.start as usize..token.end as usize)
        });
        let mut edits: Vec<Edit> = places.map(|place| Edit::of(&at.file, place, name.clone())).collect();
        if edits.len() < OFTEN {
            return None;
        }
        let title = format!("give {spelt} a name in its {} places: `{name}`", edits.len());
        let top = self.top(text);
        edits.push(Edit::of(&at.file, top..top, format!("{name} equ {spelt}\n")));
        Some(Fix { title, edits, mends: None, preferred: false })
    }

    /// Where definitions may stand: after the line that chooses the processor, or in front of the first line that does something.
    fn top(&self, text: &str) -> usize {
        let lines: Vec<Parts> = Parts::all(text).collect();
        let cpu = lines.iter().find(|line| line.is(text, &["cpu"])).map(|line| line.whole.end + 1);
        let first = lines.iter().find(|line| line.word.is_some() || !line.labels.is_empty());
        cpu.filter(|&at| at <= text.len()).or(first.map(|line| line.whole.start)).unwrap_or(0)
    }

    fn macro_for_lines(&self, text: &str, at: &Range) -> Option<Fix> {
        let first = Parts::at(text, at.start).whole.start;
        // A selection that ends at the beginning of a line does not have that line in it.
        let last = at.end.saturating_sub(usize::from(at.end > at.start && text[..at.end].ends_with('\n')));
        let end = Parts::at(text, last).whole.end;
        let body = text.get(first..end)?;
        let lines: Vec<Parts> =
            Parts::all(text).filter(|line| line.whole.start >= first && line.whole.end <= end).collect();
        let is_plain = |line: &Parts| line.labels.is_empty() && line.word.is_some();
        if at.start == at.end || !MACRO_LINES.contains(&lines.len()) || !lines.iter().all(is_plain) {
            return None;
        }
        let name =
            (1..).map(|number| format!("steps_{number}")).find(|name| !text.contains(name.as_str()))?;
        // Wherever the same lines stand.
        let mut edits: Vec<Edit> = Vec::new();
        let mut from = 0;
        while let Some(by) = text.get(from..).and_then(|rest| rest.find(body)) {
            let (start, end) = (from + by, from + by + body.len());
            let is_whole = text[..start].ends_with('\n')
                && matches!(text.as_bytes().get(end), None | Some(b'\n' | b'\r'));
            if is_whole {
                edits.push(Edit::of(&at.file, start..end, format!("        {name}")));
            }
            from = end.max(from + 1);
        }
        let times = edits.len();
        let top = self.top(text);
        edits.push(Edit::of(&at.file, top..top, format!("        macro {name}\n{body}\n        endm\n")));
        let places = if times == 1 { String::new() } else { format!(", in its {times} places") };
        Some(Fix {
            title: format!("make a macro of these lines{places}: `{name}`"),
            edits,
            mends: None,
            preferred: false,
        })
    }
}
