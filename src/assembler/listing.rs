//! The listing, the totals, and the symbol and line maps.

use super::{Assembly, Line, LineKind, SymbolKind};
use crate::number::thousands;
use crate::processor::InstructionSet;
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
/// Cells shown of one source line; the rest is counted.
const MOST_CELLS: usize = 64;

struct Writer<'a, W> {
    assembly: &'a Assembly,
    /// The pieces in the image, found by address.
    set: Option<&'static InstructionSet>,
    next: usize,
    out: &'a mut W,
    cells_width: usize,
}

impl Assembly {
    /// Writes the listing: address, cells, cycles, line number and source line; then symbols and totals.
    ///
    /// # Errors
    /// Only those of `out`.
    pub fn write_listing(&self, options: ListingOptions, out: &mut impl Write) -> fmt::Result {
        let set = self.set;
        let cell_width = set.map_or(2, |set| set.cell(0).len()) + 1;
        let mut writer = Writer { assembly: self, set, next: 0, out, cells_width: CELLS * cell_width };
        let cycles = set.map_or("cycles", |set| set.cycle_name);
        let address_width = writer.address_width();
        let cells_width = writer.cells_width;
        writeln!(writer.out, "{:address_width$}  {:cells_width$} {cycles:>8}   line  source", "addr", "cells")?;
        if self.sources.get(0).is_some() {
            writer.source(0, 0)?;
        }
        if options.symbols {
            self.write_symbols(out)?;
            self.write_totals(out)?;
        }
        Ok(())
    }

    /// The listing as text.
    pub fn listing(&self) -> String {
        let mut text = String::new();
        let _ = self.write_listing(ListingOptions::default(), &mut text);
        text
    }

    fn write_symbols(&self, out: &mut impl Write) -> fmt::Result {
        let mut symbols: Vec<_> = self.symbols.iter().collect();
        if symbols.is_empty() {
            return Ok(());
        }
        symbols.sort_by_key(|symbol| symbol.name);
        let uses = self.symbols.uses();
        let width = symbols.iter().map(|symbol| symbol.name.chars().count()).max().unwrap_or(0).clamp(6, 32);
        writeln!(out, "\n{:width$}  {:>6}  kind      defined  used in lines", "symbol", "value")?;
        for symbol in symbols {
            let value = self.shown(symbol.value);
            let kind = kind_name(symbol.kind);
            let defined = match symbol.kind {
                SymbolKind::Given => "outside".to_string(),
                _ => self.sources.place(symbol.defined).line.to_string(),
            };
            let mut lines: Vec<_> =
                uses[symbol.id.0 as usize].iter().take(24).map(|span| self.sources.place(*span).line).collect();
            lines.dedup();
            let lines: Vec<_> = lines.iter().map(usize::to_string).collect();
            let lines = if lines.is_empty() { "-".to_string() } else { lines.join(" ") };
            writeln!(out, "{:width$}  {value:>6}  {kind:8}  {defined:>7}  {lines}", symbol.name)?;
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
        let total = self.image.cells() as u64;
        writeln!(out, "{} cells in all", thousands(total))
    }

    fn shown(&self, value: i64) -> String {
        match self.set {
            Some(set) if value >= 0 => set.address(value as u64),
            _ => value.to_string(),
        }
    }
}

/// What a symbol is, in a word.
pub fn kind_name(kind: SymbolKind) -> &'static str {
    match kind {
        SymbolKind::Label => "label",
        SymbolKind::Constant | SymbolKind::Waiting(_) => "constant",
        SymbolKind::Variable => "variable",
        SymbolKind::Given => "given",
        SymbolKind::Undefined | SymbolKind::Broken => "unknown",
    }
}

impl<W: Write> Writer<'_, W> {
    fn address_width(&self) -> usize {
        self.set.map_or(4, |set| set.address(0).len())
    }

    /// Lists a source from its first line to its last; the line records come in the same order.
    fn source(&mut self, source: u32, depth: usize) -> fmt::Result {
        let Some(text) = self.assembly.sources.get(source) else { return Ok(()) };
        let mut start = 0;
        for (number, line) in text.text.split_inclusive('\n').enumerate() {
            let line_text = line.trim_end();
            let mut first = true;
            let mut included = None;
            // A line has more than one record where a label stands before data and the like.
            while let Some(&record) = self.assembly.lines.get(self.next)
                && record.source == source
                && (record.start as usize) < start + line.len()
            {
                self.next += 1;
                if let LineKind::Include(inner) = record.kind {
                    included = Some(inner);
                }
                self.line(&record, number + 1, if first { line_text } else { "" }, depth)?;
                first = false;
                if included.is_some() {
                    break;
                }
            }
            if first {
                self.bare(number + 1, line_text, depth)?;
            }
            if let Some(inner) = included
                && inner > source
                && depth < 64
            {
                self.source(inner, depth + 1)?;
            }
            start += line.len();
        }
        Ok(())
    }

    fn bare(&mut self, number: usize, text: &str, depth: usize) -> fmt::Result {
        let width = self.address_width() + 2 + self.cells_width + 1 + 8;
        self.numbered(&format_args!("{:width$}", ""), number, text, depth)
    }

    fn numbered(&mut self, head: &dyn fmt::Display, number: usize, text: &str, depth: usize) -> fmt::Result {
        let inside = if depth > 0 { '+' } else { ' ' };
        if text.is_empty() {
            writeln!(self.out, "{head} {number:>6}{inside}")
        } else {
            writeln!(self.out, "{head} {number:>6}{inside} {text}")
        }
    }

    fn line(&mut self, record: &Line, number: usize, text: &str, depth: usize) -> fmt::Result {
        let Self { set, cells_width, .. } = *self;
        let width = self.address_width();
        let address = |address: u64| set.map_or_else(|| format!("{address:04X}"), |set| set.address(address));
        let here = address(record.address.into());
        match record.kind {
            LineKind::Cells { count, row, .. } => {
                let shown = (count as usize).min(MOST_CELLS);
                let cells: Vec<String> = (0..shown)
                    .map(|at| match self.assembly.image.cell(record.address + at as u32) {
                        Some(cell) => set.map_or_else(|| format!("{cell:02X}"), |set| set.cell(cell)),
                        None => "??".to_string(),
                    })
                    .collect();
                let cycles = match (set, row.checked_sub(1)) {
                    (Some(set), Some(row)) => set.timing(&set.rows[usize::from(row)]).to_string(),
                    _ => String::new(),
                };
                let mut chunks = cells.chunks(CELLS);
                let first = chunks.next().unwrap_or_default().join(" ");
                self.numbered(&format_args!("{here}  {first:cells_width$} {cycles:>8}"), number, text, depth)?;
                for (at, chunk) in chunks.enumerate() {
                    let here = address(u64::from(record.address) + ((at + 1) * CELLS) as u64);
                    writeln!(self.out, "{here}  {}", chunk.join(" "))?;
                }
                if count as usize > shown {
                    writeln!(self.out, "{:width$}  … {} more", "", count as usize - shown)?;
                }
                Ok(())
            }
            LineKind::Reserved(count) => {
                let cells = format!("({count} free)");
                self.numbered(&format_args!("{here}  {cells:cells_width$} {:8}", ""), number, text, depth)
            }
            LineKind::Value(symbol) => {
                let name = self.assembly.symbols.name(symbol);
                let value = self.assembly.symbols.value(name).map_or("?".to_string(), |v| self.assembly.shown(v));
                let cells = format!("= {value}");
                self.numbered(&format_args!("{:width$}  {cells:cells_width$} {:8}", "", ""), number, text, depth)
            }
            LineKind::Location | LineKind::Include(_) => {
                self.numbered(&format_args!("{here}  {:cells_width$} {:8}", "", ""), number, text, depth)
            }
        }
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
        if let LineKind::Cells { count, row: 1.., .. } = line.kind {
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
    let mut numbers = LineNumbers::new(assembly);
    let lines = assembly.lines.iter().filter_map(|line| match line.kind {
        LineKind::Cells { count: count @ 1.., row, .. } => {
            let (file, number) = numbers.of(line.source, line.start);
            Some(MappedLine { address: line.address, cells: count, file, line: number, code: row > 0 })
        }
        _ => None,
    });
    lines.collect()
}

/// Line starts of each source, looked up by bisection.
struct LineNumbers {
    starts: Vec<(String, Vec<u32>)>,
}

impl LineNumbers {
    fn new(assembly: &Assembly) -> Self {
        let starts = assembly.sources.iter().map(|source| {
            let breaks = memchr::memchr_iter(b'\n', source.text.as_bytes()).map(|at| at as u32);
            (source.name.clone(), breaks.collect())
        });
        Self { starts: starts.collect() }
    }

    fn of(&mut self, source: u32, start: u32) -> (String, usize) {
        let (name, breaks) = &self.starts[source as usize];
        (name.clone(), breaks.partition_point(|&at| at < start) + 1)
    }
}
