//! Warnings: what assembles and is probably not meant. Everything is found on the assembled program: which instructions
//! execution reaches, what it meets, what the board has at the addresses used.

use super::policy::{Policy, is_silenced, known};
use super::reach::{LostTo, Reach, reach};
use crate::assembler::{Assembly, Line, LineKind, SymbolKind, SymbolView, Uses};
use crate::diagnostic::{Diagnostic, Severity, Span};
use crate::image::{Image, boot, com};
use crate::machine::Board;
use crate::processor::{Flow, InstructionSet, Shape};
use std::collections::{BTreeMap, HashMap, HashSet};

/// More warnings than this are not worth reading.
const MOST: usize = 200;

/// Adds the warnings of a program to what there is to tell about it. `board` is the board it is for, with the image of
/// its firmware.
pub fn warn(assembly: &mut Assembly, board: Option<(&Board, Option<&Image>)>, policy: &Policy) {
    let Some(set) = assembly.set.filter(|_| assembly.succeeded() && !assembly.image.is_empty()) else {
        return;
    };
    if Policy::has(&policy.allowed, "all") {
        return;
    }
    policy.settle(&mut assembly.diagnostics, &assembly.sources);
    let found = Finder::new(assembly, set, board).find();
    for mut one in found {
        if Policy::has(&policy.allowed, one.code) {
            continue;
        }
        if Policy::has(&policy.denied, one.code) {
            one.severity = Severity::Error;
        }
        assembly.diagnostics.push(one);
    }
    assembly.diagnostics.sort_by_key(|one| (one.span.source, one.span.start));
}

pub(super) struct Finder<'a> {
    pub(super) assembly: &'a Assembly,
    pub(super) set: &'static InstructionSet,
    pub(super) board: Option<(&'a Board, Option<&'a Image>)>,
    pub(super) reach: Reach<'a>,
    pub(super) entries: Vec<u32>,
    /// The line whose cells begin at an address.
    pub(super) lines: BTreeMap<u32, &'a Line>,
    pub(super) uses: Uses,
    pub(super) found: Vec<Diagnostic>,
}

impl<'a> Finder<'a> {
    fn new(
        assembly: &'a Assembly,
        set: &'static InstructionSet,
        board: Option<(&'a Board, Option<&'a Image>)>,
    ) -> Self {
        let lines: BTreeMap<u32, &Line> = assembly
            .lines
            .iter()
            .filter(|line| line.kind.cells().is_some())
            .map(|line| (line.address, line))
            .collect();
        let entries = entries(assembly, set, &lines);
        let reach = reach(set, &assembly.image, &entries);
        let uses = assembly.symbols.uses();
        Self { assembly, set, board, reach, entries, lines, uses, found: Vec::new() }
    }

    fn find(mut self) -> Vec<Diagnostic> {
        self.no_memory();
        self.runs_astray();
        self.unreachable();
        self.labels();
        self.operands();
        self.outputs();
        self.stack_and_texts();
        self.fixed_stack();
        self.vectors();
        self.segmented();
        self.traps();
        self.found
    }

    pub(super) fn warn(&mut self, code: &'static str, span: Span, message: String, help: impl Into<String>) {
        self.warn_with(code, span, message, help, None);
    }

    pub(super) fn warn_with(
        &mut self,
        code: &'static str,
        span: Span,
        message: String,
        help: impl Into<String>,
        label: Option<(Span, &str)>,
    ) {
        debug_assert!(known(code).is_ok());
        let sources = &self.assembly.sources;
        if self.found.len() >= MOST || is_silenced(sources, sources.origin(span), code) {
            return;
        }
        let mut one = Diagnostic::warning(code, span, message, help);
        if let Some((span, text)) = label {
            one = one.with_label(span, text);
        }
        self.found.push(sources.outside(one));
    }

    /// Cells where the board has no memory: an error, since no run can begin with them.
    pub(super) fn no_memory(&mut self) {
        let Some((board, _)) = self.board else { return };
        let has = |at: u32| board.memory.iter().any(|area| (area.first..=area.last).contains(&at));
        let outside = self.lines.iter().find_map(|(&at, line)| {
            let (count, _) = line.kind.cells()?;
            (at..at.saturating_add(count)).find(|&at| !has(at)).map(|missing| (missing, **line))
        });
        let Some((missing, line)) = outside else { return };
        let areas = board.memory.iter().map(|area| {
            let (first, last) = (self.set.address(area.first.into()), self.set.address(area.last.into()));
            format!("{} {first} to {last}", area.kind.title())
        });
        let areas = areas.collect::<Vec<_>>().join(", ");
        let place = self.set.address(missing.into());
        let message = format!("{} has no memory at {place}; it has {areas}", board.name);
        let help = self
            .meant_origin(&line, has)
            .unwrap_or_else(|| "choose another origin, or another board".to_string());
        let (span, sources) = (self.statement(&line), &self.assembly.sources);
        if self.found.len() < MOST && !is_silenced(sources, sources.origin(span), "no-memory") {
            self.found.push(sources.outside(Diagnostic::error("no-memory", span, message, help)));
        }
    }

    /// The `org` in front of a line, where its digits lead to memory when they are read in hex.
    fn meant_origin(&self, line: &Line, has: impl Fn(u32) -> bool) -> Option<String> {
        let is_before = |one: &&Line| one.source == line.source && one.start <= line.start;
        let is_origin = |one: &&Line| is_before(one) && matches!(one.kind, LineKind::Location);
        let origin = self.assembly.lines.iter().rfind(is_origin)?;
        let span = self.statement(origin);
        let source = self.assembly.sources.get(span.source)?;
        let text = source.text.get(span.start as usize..span.end as usize)?;
        let digits = text
            .split_whitespace()
            .next_back()
            .filter(|word| word.bytes().all(|byte| byte.is_ascii_digit()))?;
        let hex = u32::from_str_radix(digits, 16).ok().filter(|&hex| has(hex))?;
        let literal = self.set.habit().literal(hex.into(), 16);
        (self.set.habit().default_radix() == 10)
            .then(|| format!("write `org {literal}`: `{digits}` is decimal"))
    }

    /// The statement of a line, without blanks and comment.
    pub(super) fn statement(&self, line: &Line) -> Span {
        let text = self.assembly.sources.get(line.source).map_or("", |source| source.text.as_str());
        let rest = text.get(line.start as usize..).unwrap_or_default();
        let line_text = rest.lines().next().unwrap_or_default();
        let end = line_text.find(';').unwrap_or(line_text.len());
        let end = line_text[..end].trim_end().len() as u32;
        Span { end: line.start + end.max(1), ..line.span() }
    }

    /// The line that an address lies in.
    pub(super) fn line_at(&self, address: u32) -> Option<&'a Line> {
        let (&start, line) = self.lines.range(..=address).next_back()?;
        let (count, _) = line.kind.cells()?;
        (address - start < count).then_some(*line)
    }

    /// True where the line stands in the file that was named, and not in one that it includes.
    fn is_own(&self, span: Span) -> bool {
        self.assembly.sources.origin(span).source == 0
    }

    fn runs_astray(&mut self) {
        // Lines of data that are run, as instructions or as what is none.
        let stuck: HashSet<u32> = self.reach.lost.iter().map(|lost| lost.at).collect();
        let data: Vec<(u32, &Line)> = self
            .lines
            .iter()
            .filter(|(address, line)| {
                let is_run = self.reach.is_start(**address) || stuck.contains(*address);
                matches!(line.kind.cells(), Some((_, 0))) && is_run
            })
            .map(|(&address, &line)| (address, line))
            .collect();
        let mut behind = None;
        for (address, line) in data {
            let (count, _) = line.kind.cells().unwrap_or_default();
            // The first line of a stretch tells it all.
            if behind.replace(u64::from(address) + u64::from(count)) == Some(address.into()) {
                continue;
            }
            let before = address.checked_sub(1).and_then(|address| self.line_at(address));
            let before = before.filter(|line| matches!(line.kind.cells(), Some((_, 1..))));
            // After a stop it goes on only where the operator lets it.
            let stop = address.checked_sub(1).and_then(|at| self.reach.decode(at));
            if stop.is_some_and(|one| one.row.flow == Flow::Stop) && !self.reach.is_target(address) {
                continue;
            }
            let data = self.statement(line);
            if is_silenced(&self.assembly.sources, self.assembly.sources.origin(data), "runs-into-data") {
                continue;
            }
            // What is to be mended is the end of the instructions, not the data.
            match before.filter(|_| !self.reach.is_target(address)) {
                Some(before) => {
                    let message = "execution goes on after this instruction, into data".to_string();
                    let help =
                        "end the instructions with a jump, a return or a halt; or put the data elsewhere";
                    let label = Some((data, "the data"));
                    self.warn_with("runs-into-data", self.statement(before), message, help, label);
                }
                None => {
                    let from = self.reach.instructions().find(|(_, one)| one.goes_to() == Some(address));
                    let from = from.and_then(|(at, _)| self.line_at(at)).map(|line| self.statement(line));
                    let message = "execution comes to this data".to_string();
                    let help = "let the jump lead to instructions; data that is meant to run is silenced in its line";
                    let label = from.map(|span| (span, "from here"));
                    self.warn_with("runs-into-data", data, message, help, label);
                }
            }
        }
        for lost in self.reach.lost.clone() {
            let Some(line) = lost.from.and_then(|from| self.line_at(from)) else { continue };
            let falls = lost.from.and_then(|from| self.reach.decode(from).map(|one| (from, one)));
            // After a halt it goes on only where an interrupt comes.
            let falls = falls.is_some_and(|(from, one)| {
                !matches!(one.row.flow, Flow::Halt | Flow::Stop) && from + one.cells() as u32 == lost.at
            });
            if lost.what == LostTo::Outside && falls && matches!(line.kind.cells(), Some((_, 1..))) {
                let message =
                    "execution goes on after this instruction, where the program has nothing".to_string();
                let help = "end with a halt, a return or a jump";
                self.warn("runs-out", self.statement(line), message, help);
            }
        }
    }

    fn unreachable(&mut self) {
        let code: Vec<(u32, &Line)> = self
            .lines
            .iter()
            .filter(|(_, line)| matches!(line.kind.cells(), Some((_, 1..))))
            .map(|(&address, &line)| (address, line))
            .collect();
        let mut in_stretch = false;
        let mut before: Option<&Line> = None;
        for (address, line) in code {
            if self.reach.is_code(address) {
                in_stretch = false;
            } else if !std::mem::replace(&mut in_stretch, true) && self.is_own(line.span()) {
                let above = before.filter(|before| self.reach.is_start(before.address));
                let endless = above.filter(|above| {
                    let decoded = self.reach.decode(above.address);
                    decoded.and_then(|one| one.goes_to()) == Some(above.address)
                });
                let (label, help) = match (endless, above) {
                    (Some(above), _) => (
                        (self.statement(above), "this jump goes to itself"),
                        "move these lines above the endless jump",
                    ),
                    (None, Some(above)) => {
                        ((self.statement(above), "execution leaves here"), "remove them, or jump to them")
                    }
                    (None, None) => ((Span::default(), ""), "remove them, or jump to them"),
                };
                let message = "nothing leads to the instructions from here on".to_string();
                let label = (!label.1.is_empty()).then_some(label);
                self.warn_with("unreachable", self.statement(line), message, help, label);
            }
            before = Some(line);
        }
    }

    fn labels(&mut self) {
        let is_used = |symbol: &SymbolView<'_>| !self.uses.of(symbol.id).is_empty();
        let unused: Vec<SymbolView<'_>> = self
            .assembly
            .symbols
            .iter()
            .filter(|symbol| symbol.kind == SymbolKind::Label && symbol.defined.source == 0)
            .filter(|symbol| {
                !is_used(symbol) && !self.entries.iter().any(|&entry| symbol.address() == Some(entry))
            })
            .take(MOST)
            .collect();
        let mut told = Vec::new();
        for symbol in unused {
            let used = self.assembly.symbols.iter().take(20_000).filter(is_used);
            let near = used.map(|other| other.name).find(|other| is_one_off(symbol.name, other));
            let (code, message, help) = match near {
                Some(near) => (
                    "near-name",
                    format!("`{}` is never used, and `{near}` is nearly the same", symbol.name),
                    "if one of them is misspelt, mend it",
                ),
                None => (
                    "unused-label",
                    format!("the label `{}` is never used", symbol.name),
                    "remove it, or write `allow unused-label` in the line's comment",
                ),
            };
            told.push((code, symbol.defined, message, help));
        }
        for (code, span, message, help) in told {
            self.warn(code, span, message, help);
        }
    }

    /// Constants taken for addresses, and addresses for numbers.
    fn operands(&mut self) {
        let names: HashMap<(u32, u32), SymbolView<'_>> = self
            .assembly
            .symbols
            .iter()
            .flat_map(|symbol| {
                self.uses.of(symbol.id).iter().map(move |span| ((span.source, span.start), symbol))
            })
            .collect();
        let mut told: Vec<(&'static str, Span, String, &'static str)> = Vec::new();
        for (address, decoded) in self.reach.instructions() {
            let Some(line) =
                self.lines.get(&address).filter(|line| matches!(line.kind.cells(), Some((_, 1..))))
            else {
                continue;
            };
            let Some(shape) = decoded.row.operands.last().copied() else { continue };
            if !matches!(shape, Shape::ADDRESS | Shape::ADDRESS24 | Shape::DATA8) {
                continue;
            }
            let statement = self.statement(line);
            let text = self.assembly.sources.text(statement);
            // The operand is a name alone: nothing stands before it but the mnemonic, a register and a comma.
            let last = text.rfind([' ', ',', '\t']).map_or(0, |at| at + 1);
            let Some(symbol) = names.get(&(statement.source, statement.start + last as u32)) else {
                continue;
            };
            let span = Span { start: statement.start + last as u32, ..statement };
            if self.assembly.sources.text(span) != written(symbol.name, self.assembly.sources.text(span)) {
                continue;
            }
            let before = text[..last].trim_end().rsplit([' ', '\t', ',']).next().unwrap_or_default();
            let cut = before.eq_ignore_ascii_case("low") || before.eq_ignore_ascii_case("high");
            let name = symbol.name;
            match (shape, symbol.kind) {
                (
                    Shape::ADDRESS | Shape::ADDRESS24,
                    SymbolKind::Constant | SymbolKind::Given | SymbolKind::Board,
                ) if (0..0x100).contains(&symbol.value) => {
                    let message = format!(
                        "`{name}` is the constant {}, and {} takes the address of a cell",
                        symbol.value, decoded.row.mnemonic
                    );
                    told.push((
                        "constant-as-address",
                        span,
                        message,
                        "for the number itself use the immediate form, for a port IN or OUT",
                    ));
                }
                (Shape::DATA8, SymbolKind::Label) if !cut => {
                    let message = format!(
                        "`{name}` is the label of an address, and {} takes a number of 8 bits",
                        decoded.row.mnemonic
                    );
                    told.push(("address-as-number", span, message, "for what the cell holds load it first; for half of the address write `low` or `high`"));
                }
                _ => {}
            }
        }
        for (code, span, message, help) in told {
            self.warn(code, span, message, help);
        }
    }

    fn outputs(&mut self) {
        let Some((first, last)) = self.assembly.image.bounds() else { return };
        let own =
            self.assembly.images.iter().map(|one| (one.format.name, one.span, one.settings.get("first")));
        let start = self.assembly.image.start().and_then(|start| self.line_at(start));
        let top = start.or_else(|| self.lines.values().next().copied()).map(Line::span);
        let others = self.assembly.outputs.iter().filter_map(|format| Some((format.name, top?, None)));
        for (format, span, from) in own.chain(others).collect::<Vec<_>>() {
            match format {
                "com" => self.com_origin(first, span),
                "boot" if from.is_none() => self.boot_sector(first, last, span),
                _ => {}
            }
        }
    }

    fn com_origin(&mut self, first: u32, span: Span) {
        if self.assembly.image.start() == Some(com::ORIGIN) {
            return;
        }
        let message = format!(
            "a COM program is loaded at 100h, and this one is assembled for {}",
            self.set.address(first.into())
        );
        self.warn("com-origin", span, message, "write `org 100h` above the first instruction");
    }

    fn boot_sector(&mut self, first: u32, last: u32, span: Span) {
        if first != boot::ORIGIN {
            let message = format!(
                "a boot sector is loaded at 7C00h, and this one is assembled for {}",
                self.set.address(first.into())
            );
            self.warn("boot-origin", span, message, "write `org 7C00h` above the first instruction");
        }
        let length = (last - first) as usize + 1;
        let room = boot::SECTOR - boot::SIGNATURE.len();
        if length > room && length != boot::SECTOR {
            let message = format!(
                "the program is {length} bytes long, and a boot sector has room for {room} before its signature"
            );
            let help = "make it shorter, or load the rest from further sectors";
            self.warn("boot-size", span, message, help);
        }
    }
}

/// Where execution may begin: the entry, and every address of an instruction that the program keeps as a value.
fn entries(assembly: &Assembly, set: &'static InstructionSet, lines: &BTreeMap<u32, &Line>) -> Vec<u32> {
    let mut entries: Vec<u32> = assembly.image.start().into_iter().collect();
    let is_code =
        |address: u32| lines.get(&address).is_some_and(|line| matches!(line.kind.cells(), Some((_, 1..))));
    // A label that is used other than by a jump or a call may be reached through a register or a vector.
    let uses = assembly.symbols.uses();
    let mut taken = HashSet::new();
    for line in assembly.lines.iter() {
        let Some((_, row)) = line.kind.cells() else { continue };
        let own = assembly.set_at(line.address).unwrap_or(set);
        let row = usize::from(row).checked_sub(1).and_then(|row| own.rows().get(row));
        let is_transfer = row.is_some_and(|row| {
            row.operands.iter().any(|shape| shape.is_code() && !matches!(shape, Shape::Effective(_)))
        });
        if !is_transfer {
            taken.insert((line.source, line.start));
        }
    }
    let mut starts: HashMap<u32, Vec<u32>> = HashMap::new();
    for &(source, start) in &taken {
        starts.entry(source).or_default().push(start);
    }
    starts.values_mut().for_each(|list| list.sort_unstable());
    for symbol in assembly.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Label) {
        let Some(address) = symbol.address().filter(|&address| is_code(address)) else {
            continue;
        };
        let kept = uses.of(symbol.id).iter().any(|place| {
            let Some(list) = starts.get(&place.source) else { return false };
            let at = list.partition_point(|&start| start <= place.start);
            let text = assembly.sources.get(place.source).map_or("", |source| source.text.as_str());
            at > 0 && !text[list[at - 1] as usize..place.start as usize].contains('\n')
        });
        if kept {
            entries.push(address);
        }
    }
    // What stands apart was given its address by the author: a vector, a routine that others call.
    let mut end = None;
    for (&address, line) in lines {
        let (count, _) = line.kind.cells().unwrap_or_default();
        if end != Some(u64::from(address)) && is_code(address) {
            entries.push(address);
        }
        end = Some(u64::from(address) + u64::from(count));
    }
    entries
}

/// The last part of a symbol's full name, as long as what is written.
fn written<'n>(name: &'n str, text: &str) -> &'n str {
    name.get(name.len().saturating_sub(text.len())..).unwrap_or(name)
}

/// True where one letter is wrong, missing or added, or only capitals differ; digits do not count.
fn is_one_off(name: &str, other: &str) -> bool {
    if name.len() < 4 || name == other || name.len().abs_diff(other.len()) > 1 {
        return false;
    }
    if name.eq_ignore_ascii_case(other) {
        return true;
    }
    let letters = |name: &str| name.chars().filter(|c| !c.is_ascii_digit()).collect::<String>();
    strsim::osa_distance(name, other) == 1 && letters(name) != letters(other)
}
