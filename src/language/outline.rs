//! How a text is built: the tree of its names, stretches that fold, what a selection may grow to, texts that it reads.

use super::line::{Parts, Stretch};
use super::{Analysis, Named, NamedKind, Range};
use crate::assembler::LineKind;

/// A name of a text with the names inside of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Branch {
    /// The name.
    pub named: Named,
    /// What belongs to it: of a routine up to the next one.
    pub extent: Range,
    /// Names inside: local labels of a routine, everything of a space.
    pub inside: Vec<Branch>,
}

/// Words that open a stretch, and those that close it.
const PAIRS: &[(&[&str], &[&str])] = &[
    (&["macro", ".macro"], &["endm", ".endm"]),
    (&["if", ".if", "ifdef", "ifndef"], &["endif", ".endif", "endc"]),
    (&["copies"], &["endcopies"]),
    (&["space"], &["endspace"]),
    (&["cycle"], &["endcycle"]),
    (&["when"], &["endwhen"]),
];

impl Analysis {
    /// The names that a text defines, local labels inside of what they belong to, and spaces with what they hold.
    pub fn outline(&self, file: &str) -> Vec<Branch> {
        let Some((_, text)) = self.text(file) else { return Vec::new() };
        let range =
            |stretch: Stretch| Range { file: file.to_string(), start: stretch.start, end: stretch.end };
        let pairs = pairs(text);
        let extent = |at: usize| {
            let own = pairs.iter().find(|pair| (pair.0.whole.start..=pair.0.whole.end).contains(&at));
            own.map(|(open, close)| range(open.whole.start..close.whole.end))
        };
        let spaces = pairs.iter().filter(|pair| pair.0.is(text, &["space"])).filter_map(|(open, _)| {
            let name = open.operands.first()?.clone();
            let (kind, value) = (NamedKind::Space, String::new());
            Some(Named { name: text.get(name.clone())?.to_string(), kind, range: range(name), value })
        });
        // What a macro wrote out is not a name of the text.
        let names = self.names_in(file).into_iter().filter(|one| !one.name.contains('@'));
        let branch = |named: Named| {
            let has_lines = matches!(named.kind, NamedKind::Macro | NamedKind::Space);
            let extent = extent(named.range.start).filter(|_| has_lines);
            Branch { extent: extent.unwrap_or(named.range.clone()), named, inside: Vec::new() }
        };
        let mut all: Vec<Branch> = spaces.chain(names).map(branch).collect();
        all.sort_by_key(|one| (one.extent.start, std::cmp::Reverse(one.extent.end)));
        nest(text, all, text.len())
    }

    /// Stretches that can be folded: from the line of the first byte to that of the last.
    pub fn folds(&self, file: &str) -> Vec<Range> {
        let Some((_, text)) = self.text(file) else { return Vec::new() };
        let range =
            |stretch: Stretch| Range { file: file.to_string(), start: stretch.start, end: stretch.end };
        let mut all: Vec<Range> =
            pairs(text).into_iter().map(|(open, close)| range(open.whole.start..close.whole.end)).collect();
        // Several lines of comment.
        let mut open: Option<Stretch> = None;
        let is_comment = |line: &Parts| line.tokens.is_empty() && line.comment.is_some();
        for line in Parts::all(text) {
            match (is_comment(&line), &mut open) {
                (true, Some(open)) => open.end = line.whole.end,
                (true, None) => open = Some(line.whole.clone()),
                (false, _) => all.extend(open.take().map(range)),
            }
        }
        all.extend(open.map(range));
        fn extents(branches: &[Branch], all: &mut Vec<Range>) {
            for branch in branches {
                all.push(branch.extent.clone());
                extents(&branch.inside, all);
            }
        }
        extents(&self.outline(file), &mut all);
        all.retain(|one| text[one.start..one.end].contains('\n'));
        all.sort();
        all.dedup();
        all
    }

    /// What a selection at an offset may grow to: the word, the operand, the statement, the line, the routine, the text.
    pub fn selections(&self, file: &str, offset: usize) -> Vec<Range> {
        let Some((_, text)) = self.text(file) else { return Vec::new() };
        let parts = Parts::at(text, offset);
        let holds = |stretch: &Stretch| (stretch.start..=stretch.end).contains(&offset);
        let token = parts.tokens.iter().map(|one| one.start as usize..one.end as usize).find(holds);
        let operand = parts.operands.iter().find(|one| holds(one)).cloned();
        let statement = parts.statement().filter(holds);
        let mut all: Vec<Stretch> =
            [token, operand, statement, Some(parts.whole.clone())].into_iter().flatten().collect();
        fn around(branches: &[Branch], offset: usize, all: &mut Vec<Stretch>) {
            for branch in branches.iter().filter(|one| (one.extent.start..=one.extent.end).contains(&offset))
            {
                around(&branch.inside, offset, all);
                all.push(branch.extent.start..branch.extent.end);
            }
        }
        around(&self.outline(file), offset, &mut all);
        all.push(0..text.len());
        // Each holds the one before.
        let mut grown: Vec<Stretch> = Vec::new();
        for one in all {
            if grown.last().is_none_or(|last| one.start <= last.start && last.end <= one.end && one != *last)
            {
                grown.push(one);
            }
        }
        grown
            .into_iter()
            .map(|one| Range { file: file.to_string(), start: one.start, end: one.end })
            .collect()
    }

    /// The texts that a text reads: where each is named, and the name of its file.
    pub fn links(&self, file: &str) -> Vec<(Range, String)> {
        let Some((source, text)) = self.text(file) else { return Vec::new() };
        let lines = self.assembly.lines.iter().filter(|line| line.source == source);
        let includes = lines.filter_map(|line| {
            let LineKind::Include(other) = line.kind else { return None };
            let name = Parts::at(text, line.start as usize).operands.first()?.clone();
            let range = Range { file: file.to_string(), start: name.start, end: name.end };
            Some((range, self.assembly.sources.get(other)?.name.clone()))
        });
        includes.collect()
    }
}

/// Lines that open a stretch with those that close it.
fn pairs(text: &str) -> Vec<(Parts, Parts)> {
    let mut open: Vec<(usize, Parts)> = Vec::new();
    let mut all = Vec::new();
    for line in Parts::all(text).filter(|line| line.word.is_some()) {
        let is = |words: &[&str]| line.is(text, words);
        if let Some(kind) = PAIRS.iter().position(|pair| is(pair.0)) {
            open.push((kind, line));
        } else if let Some(kind) = PAIRS.iter().position(|pair| is(pair.1))
            && let Some(at) = open.iter().rposition(|one| one.0 == kind)
        {
            let (_, begin) = open.remove(at);
            all.push((begin, line));
        }
    }
    all
}

/// Puts names into those that they belong to; `end` is where the last of them ends.
fn nest(text: &str, flat: Vec<Branch>, end: usize) -> Vec<Branch> {
    let mut all: Vec<Branch> = Vec::new();
    let mut flat = flat.into_iter().peekable();
    while let Some(mut branch) = flat.next() {
        let is_space = branch.named.kind == NamedKind::Space;
        let is_label = branch.named.kind == NamedKind::Label && !is_local(&branch.named);
        let mut inside = Vec::new();
        while let Some(next) = flat.peek() {
            let belongs = match is_space {
                true => next.extent.start < branch.extent.end,
                false => is_label && is_local(&next.named),
            };
            if !belongs {
                break;
            }
            inside.extend(flat.next());
        }
        if is_label {
            let next = flat.peek().map_or(end, |next| Parts::at(text, next.extent.start).whole.start);
            let extent = text[..next.max(branch.extent.end)].trim_end().len();
            branch.extent.end = extent.max(branch.extent.end);
        }
        let last = branch.extent.end;
        branch.inside = nest(text, inside, last);
        all.push(branch);
    }
    all
}

fn is_local(named: &Named) -> bool {
    let local = named.range.end - named.range.start < named.name.len();
    named.kind == NamedKind::Label && local && !named.name.contains('@')
}
