//! The listing, the totals, and the symbol and line maps.

use crate::assembler::{Assembly, Line, LineKind, SymbolKind, SymbolView};
use crate::diagnostic::Span;
use crate::number::{digits, push_blanks, push_decimal, push_digits, thousands};
use crate::processor::{Timing, decode};
use serde::Serialize;
use std::fmt::{self, Write};

/// What a listing shows.
#[derive(Debug, Clone, Copy)]
pub struct ListingOptions {
    symbols: bool,
}

impl Default for ListingOptions {
    fn default() -> Self {
        Self { symbols: true }
    }
}

impl ListingOptions {
    /// Whether the symbol table and the totals stand at the end.
    #[must_use]
    pub fn symbols(self, symbols: bool) -> Self {
        Self { symbols }
    }
}

/// Cells to a line.
const CELLS: usize = 4;
/// Uses of a symbol that are shown; the rest is counted.
const MOST_USES: usize = 24;
/// What a row has in front of its source line, more or less.
const COLUMNS: usize = 48;
/// Cells shown of one source line; the rest is counted.
const MOST_CELLS: usize = 64;

struct Writer<'a, W> {
    assembly: &'a Assembly,
    next: usize,
    numbers: &'a LineNumbers,
    out: &'a mut W,
    /// The row being put together.
    row: String,
    /// Columns of the address.
    address_width: usize,
    /// Columns of a full row of cells, each with its blank.
    cells_width: usize,
    /// How a cell and an address are written.
    radix: u32,
    cell_bits: u8,
    address_bits: u8,
}

impl Assembly {
    /// Writes the listing: address, cells, cycles, line number and source line; then symbols and totals.
    ///
    /// # Errors
    /// Only those of `out`.
    pub fn write_listing(&self, options: ListingOptions, out: &mut impl Write) -> fmt::Result {
        let set = self.set;
        let (radix, cell_bits, address_bits) =
            set.map_or((16, 8, 16), |set| (set.habit().table_radix(), set.cell_bits(), set.number_bits()));
        let width = |bits| digits(0, radix, bits).len();
        let (address_width, cells_width) = (width(address_bits), CELLS * (width(cell_bits) + 1));
        let cycles = set.map_or("cycles", |set| set.identity.cycle_name);
        writeln!(out, "{:address_width$}  {:cells_width$} {cycles:>8}   line  source", "addr", "cells")?;
        let row = String::with_capacity(256);
        let numbers = LineNumbers::new(self);
        let mut writer = Writer {
            assembly: self,
            next: 0,
            numbers: &numbers,
            out,
            row,
            address_width,
            cells_width,
            radix,
            cell_bits,
            address_bits,
        };
        if self.sources.get(0).is_some() {
            writer.source(0, "  ", 0)?;
        }
        self.write_pool(out)?;
        if options.symbols {
            self.write_symbols(&numbers, out)?;
            self.write_totals(out)?;
        }
        Ok(())
    }

    /// The listing as text.
    pub fn listing(&self) -> String {
        let sources: usize = self.sources.iter().map(|source| source.text.len()).sum();
        let mut text =
            String::with_capacity(sources + (self.lines.len() + self.symbols.list.len()) * COLUMNS);
        let _ = self.write_listing(ListingOptions::default(), &mut text);
        text
    }

    /// The cells of the pools.
    fn write_pool(&self, out: &mut impl Write) -> fmt::Result {
        let Some(set) = self.set.filter(|_| !self.pool.is_empty()) else { return Ok(()) };
        writeln!(out, "\npool")?;
        for cell in &self.pool {
            let what = if cell.link { "link to another page" } else { "literal" };
            let near = |symbol: &SymbolView<'_>| {
                symbol.value >= 0 && symbol.value as u64 & set.last_cell() == cell.value
            };
            let label =
                self.symbols.iter().find(|one| cell.link && one.kind == SymbolKind::Label && near(one));
            let name = label.map_or(String::new(), |label| format!(", {}", label.name));
            writeln!(out, "{}  {}  {what}{name}", set.address(cell.address.into()), set.cell(cell.value))?;
        }
        Ok(())
    }

    fn write_symbols(&self, numbers: &LineNumbers, out: &mut impl Write) -> fmt::Result {
        // PERF: most names are told apart by their first eight letters, which need no look into the names' text.
        let first = |name: &str| {
            name.bytes().chain(std::iter::repeat(0)).take(8).fold(0, |key, byte| key << 8 | u64::from(byte))
        };
        let mut keyed: Vec<_> = self.symbols.iter().map(|symbol| (first(symbol.name), symbol)).collect();
        if keyed.is_empty() {
            return Ok(());
        }
        keyed.sort_unstable_by(|(one, left), (other, right)| {
            one.cmp(other).then_with(|| left.name.cmp(right.name))
        });
        let symbols: Vec<_> = keyed.into_iter().map(|(_, symbol)| symbol).collect();
        let uses = self.symbols.uses();
        let mut row = String::new();
        let width = symbols.iter().map(|symbol| symbol.name.chars().count()).max().unwrap_or(0).clamp(6, 32);
        writeln!(out, "\n{:width$}  {:>6}  kind      defined  used in lines", "symbol", "value")?;
        for symbol in symbols {
            row.clear();
            row.push_str(symbol.name);
            pad_to(&mut row, width + 2);
            let value = self.shown(symbol.value);
            pad_to(&mut row, (width + 8).saturating_sub(value.len()));
            row.push_str(&value);
            row.push_str("  ");
            row.push_str(kind_name(symbol.kind));
            pad_to(&mut row, width + 20);
            let place = |span: Span| numbers.line(self.sources.origin(span)) as u64;
            match symbol.kind {
                SymbolKind::Given | SymbolKind::Board => row.push_str("outside"),
                _ => push_decimal(&mut row, place(symbol.defined), 7),
            }
            row.push(' ');
            push_uses(&mut row, uses.of(symbol.id), place);
            row.push('\n');
            out.write_str(&row)?;
        }
        Ok(())
    }

    fn write_totals(&self, out: &mut impl Write) -> fmt::Result {
        writeln!(out)?;
        for total in segment_totals(self) {
            let (first, last) = (self.shown(total.first.into()), self.shown(total.last.into()));
            let (cells, code, data) = (total.cells, total.code, total.data);
            writeln!(
                out,
                "{first}..{last}  {} cells: {} of instructions, {} of data",
                thousands(cells),
                thousands(code),
                thousands(data)
            )?;
        }
        for part in self.parts.iter().filter(|part| part.cells > 0) {
            let (first, last) = (self.shown(part.base.into()), self.shown(part.end() as i64 - 1));
            let (cells, s) = (thousands(part.cells.into()), if part.cells == 1 { "" } else { "s" });
            writeln!(out, "{first}..{last}  part {}: {cells} cell{s}", part.title())?;
        }
        let total = self.image.cells() as u64;
        writeln!(out, "{} cells in all", thousands(total))
    }

    fn shown(&self, value: i64) -> String {
        match self.set {
            Some(set) if value >= 0 => set.number(value as u32, 0),
            _ => value.to_string(),
        }
    }
}

/// Blanks up to a column; a row that is there already gets none.
fn pad_to(row: &mut String, column: usize) {
    let missing = column.saturating_sub(row.len());
    push_blanks(row, missing);
}

fn push_uses(row: &mut String, uses: &[Span], line: impl Fn(Span) -> u64) {
    let mut last = 0;
    for line in uses.iter().take(MOST_USES).map(|&span| line(span)) {
        if line != std::mem::replace(&mut last, line) {
            row.push(' ');
            push_decimal(row, line, 0);
        }
    }
    match (uses.len(), uses.len().saturating_sub(MOST_USES)) {
        (0, _) => row.push_str(" -"),
        (_, 0) => {}
        (_, more) => row.push_str(&format!(" and {more} more")),
    }
}

/// What a symbol is, in a word.
pub fn kind_name(kind: SymbolKind) -> &'static str {
    match kind {
        SymbolKind::Label => "label",
        SymbolKind::Constant | SymbolKind::Waiting(_) => "constant",
        SymbolKind::Variable => "variable",
        SymbolKind::Given => "given",
        SymbolKind::Board => "board",
        SymbolKind::Macro(_) => "macro",
        SymbolKind::Undefined | SymbolKind::Broken => "unknown",
    }
}

impl<W: Write> Writer<'_, W> {
    /// Lists a source from its first line to its last; the line records come in the same order. `mark` tells included
    /// lines (`+`) and lines that were written out (`>`).
    fn source(&mut self, source: u32, mark: &'static str, depth: usize) -> fmt::Result {
        let Some(text) = self.assembly.sources.get(source) else { return Ok(()) };
        let expansion = text.expansion.is_some();
        let mut start = 0;
        let whole = text.text.as_str();
        let ends = memchr::memchr_iter(b'\n', whole.as_bytes()).map(|at| at + 1);
        let last = (!whole.is_empty() && !whole.ends_with('\n')).then_some(whole.len());
        for (number, end) in ends.chain(last).enumerate() {
            let line = &whole[start..end];
            let line_text = line.trim_ascii_end();
            let mut number = number + 1;
            if expansion {
                // The line of the macro that this one was copied from.
                let at = start as u32;
                number = self.numbers.line(self.assembly.sources.origin(Span { source, start: at, end: at }));
            }
            let mut first = true;
            let mut inner = None;
            // A line has more than one record where a label stands before data and the like.
            while let Some(&record) = self.assembly.lines.get(self.next)
                && record.source == source
                && (record.start as usize) < start + line.len()
            {
                self.next += 1;
                match record.kind {
                    LineKind::Include(text) => inner = Some((text, "+ ")),
                    LineKind::Expansion(text) => inner = Some((text, "> ")),
                    _ => {}
                }
                self.line(&record, number, if first { line_text } else { "" }, mark)?;
                first = false;
                if inner.is_some() {
                    break;
                }
            }
            if first {
                self.bare(number, line_text, mark)?;
            }
            if let Some((inner, mark)) = inner
                && inner > source
                && depth < 256
            {
                self.source(inner, mark, depth + 1)?;
            }
            start += line.len();
        }
        Ok(())
    }

    fn bare(&mut self, number: usize, text: &str, mark: &'static str) -> fmt::Result {
        self.row.clear();
        self.finish(number, text, mark)
    }

    /// Fills the row up to a column.
    #[inline]
    fn pad(&mut self, column: usize, from: usize) {
        let length = self.row.len() - from;
        push_blanks(&mut self.row, column.saturating_sub(length));
    }

    /// Adds line number and source text and writes the row.
    fn finish(&mut self, number: usize, text: &str, mark: &'static str) -> fmt::Result {
        self.pad(self.address_width + 2 + self.cells_width + 1 + 8, 0);
        self.row.push(' ');
        push_decimal(&mut self.row, number as u64, 6);
        if !text.is_empty() {
            self.row.push_str(mark);
            self.row.push_str(text);
        } else {
            self.row.push_str(mark.trim_ascii_end());
        }
        self.row.push('\n');
        self.out.write_str(&self.row)
    }

    /// Begins a row with an address.
    fn begin(&mut self, address: u64) {
        self.row.clear();
        push_digits(&mut self.row, address, self.radix, self.address_bits);
        self.row.push_str("  ");
    }

    fn cells(&mut self, cells: &[u64]) {
        for (at, &cell) in cells.iter().enumerate() {
            if at > 0 {
                self.row.push(' ');
            }
            push_digits(&mut self.row, cell, self.radix, self.cell_bits);
        }
    }

    /// The T-states of a row of the table.
    fn timing(&mut self, timing: Timing, from: usize) {
        self.pad(self.cells_width + 1, from);
        let marks = timing.marks();
        let width =
            if timing.is_conditional() { 8 - 1 - decimal_width(timing.taken) } else { 8 } - marks.len();
        push_decimal(&mut self.row, timing.base.into(), width);
        if timing.is_conditional() {
            self.row.push('/');
            push_decimal(&mut self.row, timing.taken.into(), 0);
        }
        self.row.push_str(marks);
    }

    /// A line that stands for an instruction: the line, then the instruction.
    fn generated(&mut self, (address, base): (u32, u32), count: u32, row: u16, number: usize) -> fmt::Result {
        self.begin((address - base).into());
        let from = self.row.len();
        let cells = self.assembly.image.cells_at(address, count as usize);
        self.cells(cells);
        let mut text = String::new();
        if let Some((set, timing)) = self.assembly.set_at(address).zip(self.assembly.timing_at(address, row))
        {
            self.timing(timing, from);
            let decoded = decode(set, cells, address).ok().flatten();
            text =
                decoded.map_or(String::new(), |decoded| format!("        {}", decoded.text(set, &|_| None)));
        }
        self.finish(number, &text, "> ")
    }

    fn line(&mut self, record: &Line, number: usize, text: &str, mark: &'static str) -> fmt::Result {
        if let LineKind::Generated { count, row } = record.kind {
            if !text.is_empty() {
                self.bare(number, text, mark)?;
            }
            return self.generated((record.address, record.base), count, row, number);
        }
        self.begin((record.address - record.base).into());
        let from = self.row.len();
        let kind = match record.kind {
            LineKind::Padding(count) => LineKind::Cells { count, row: 0 },
            other => other,
        };
        match kind {
            LineKind::Cells { count, row } => {
                let shown = (count as usize).min(MOST_CELLS);
                let cells = self.assembly.image.cells_at(record.address, shown);
                let (first, rest) = cells.split_at(cells.len().min(CELLS));
                self.cells(first);
                if let Some(timing) = self.assembly.timing_at(record.address, row) {
                    self.timing(timing, from);
                }
                self.finish(number, text, mark)?;
                for (at, chunk) in rest.chunks(CELLS).enumerate() {
                    self.begin(u64::from(record.address - record.base) + ((at + 1) * CELLS) as u64);
                    self.cells(chunk);
                    self.row.push('\n');
                    self.out.write_str(&self.row)?;
                }
                if count as usize > shown {
                    writeln!(
                        self.out,
                        "{:width$}  … {} more",
                        "",
                        count as usize - shown,
                        width = self.address_width
                    )?;
                }
                Ok(())
            }
            LineKind::Reserved(count) => {
                self.row.push('(');
                push_decimal(&mut self.row, count.into(), 0);
                self.row.push_str(" free)");
                self.finish(number, text, mark)
            }
            LineKind::Mode(name) => {
                self.row.push('(');
                self.row.push_str(name);
                self.row.push_str(" mode)");
                self.finish(number, text, mark)
            }
            LineKind::Value(_) | LineKind::Setting(_) => {
                let value = match record.kind {
                    LineKind::Value(symbol) => {
                        self.assembly.symbols.value(self.assembly.symbols.name(symbol))
                    }
                    LineKind::Setting(at) => self.assembly.settings.get(at as usize).copied(),
                    _ => None,
                };
                let value = value.map_or("?".to_string(), |value| self.assembly.shown(value));
                self.row.clear();
                self.pad(self.address_width + 2, 0);
                self.row.push_str("= ");
                self.row.push_str(&value);
                self.finish(number, text, mark)
            }
            LineKind::Location
            | LineKind::Padding(_)
            | LineKind::Include(_)
            | LineKind::Expansion(_)
            | LineKind::Generated { .. } => self.finish(number, text, mark),
        }
    }
}

fn decimal_width(value: u8) -> usize {
    match value {
        0..=9 => 1,
        10..=99 => 2,
        _ => 3,
    }
}

/// What stands in one segment of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct SegmentTotal {
    /// First address.
    pub first: u32,
    /// Last address.
    pub last: u32,
    /// Cells in all.
    pub cells: u64,
    /// Cells of instructions.
    pub code: u64,
    /// Other cells.
    pub data: u64,
}

/// Totals for each segment of the image.
pub fn segment_totals(assembly: &Assembly) -> Vec<SegmentTotal> {
    let mut totals: Vec<SegmentTotal> = assembly
        .image
        .segments()
        .iter()
        .map(|segment| SegmentTotal {
            first: segment.start,
            last: (segment.end() - 1) as u32,
            cells: segment.cells.len() as u64,
            code: 0,
            data: segment.cells.len() as u64,
        })
        .collect();
    for line in &assembly.lines {
        if let Some((count, 1..)) = line.kind.cells() {
            let after = totals.partition_point(|total| total.first <= line.address);
            if let Some(total) = after.checked_sub(1).and_then(|at| totals.get_mut(at)) {
                total.code += u64::from(count);
                total.data = total.data.saturating_sub(u64::from(count));
            }
        }
    }
    totals
}

/// A line of the line map: which cells a source line made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct MappedLine {
    /// First cell.
    pub address: u32,
    /// How many cells.
    pub cells: u32,
    /// The source file.
    pub file: String,
    /// The line in it, from 1.
    pub line: usize,
    /// True for an instruction, false for data.
    pub code: bool,
}

/// Which cells each source line made, in the order of reading.
pub fn line_map(assembly: &Assembly) -> Vec<MappedLine> {
    let numbers = LineNumbers::new(assembly);
    let lines = assembly.lines.iter().filter_map(|line| {
        let (count, row) = line.kind.cells()?;
        let place = assembly.sources.origin(line.span());
        let file = assembly.sources.get(place.source).map_or(String::new(), |source| source.name.clone());
        let number = numbers.line(place);
        Some(MappedLine { address: line.address, cells: count, file, line: number, code: row > 0 })
    });
    lines.collect()
}

/// Line breaks of each source.
struct LineNumbers {
    sources: Vec<Breaks>,
}

/// The line breaks of a source, and how many of them stand before each block of a kilobyte.
///
/// PERF: a bisection over a million breaks misses the cache at every step; inside a block it is five steps near each
/// other.
struct Breaks {
    breaks: Vec<u32>,
    before: Vec<u32>,
}

const BLOCK: u32 = 1024;

impl LineNumbers {
    fn new(assembly: &Assembly) -> Self {
        let sources = assembly.sources.iter().map(|source| {
            if source.expansion.is_some() {
                return Breaks { breaks: Vec::new(), before: Vec::new() };
            }
            let breaks: Vec<u32> =
                memchr::memchr_iter(b'\n', source.text.as_bytes()).map(|at| at as u32).collect();
            let mut before = Vec::with_capacity(source.text.len() / BLOCK as usize + 2);
            for (number, &at) in breaks.iter().enumerate() {
                while before.len() as u32 <= at / BLOCK {
                    before.push(number as u32);
                }
            }
            Breaks { breaks, before }
        });
        Self { sources: sources.collect() }
    }

    /// The line that a place in a file stands in, from 1.
    fn line(&self, Span { source, start, .. }: Span) -> usize {
        let Breaks { breaks, before } = &self.sources[source as usize];
        let block = (start / BLOCK) as usize;
        let first = before.get(block).map_or(breaks.len(), |&first| first as usize);
        let last = before.get(block + 1).map_or(breaks.len(), |&last| last as usize);
        first + breaks[first..last].partition_point(|&at| at < start) + 1
    }
}
