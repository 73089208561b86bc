//! Source text to program: lexer, expressions, directives, layout, listing, diagnostics.
//!
//! The source is walked once. Every line is read, its cells are put out, and what needs a symbol from further down is
//! patched at the end. Only where the layout itself depends on such a symbol is the walk repeated (see `settle`). A wrong line is reported and takes its cells all the same, so that one mistake brings one
//! message. Nothing here knows an executor: the tables of [`processor`] are all that is read.

mod layout;
mod notation;
mod output;
mod read;
mod value;

pub use layout::parts::{Part, PartKind};
pub use layout::region::Region;
pub use notation::pdp8::PoolCell;
pub use notation::translate::{Translation, translate};
pub use output::line::{Line, LineKind};
pub use output::listing::{ListingOptions, kind_name, line_map, segment_totals};
pub use read::data::ImageRequest;
pub use read::expression::CodeRange;
pub use read::lexer;
pub use value::formula::{Environment, Formula, NoNames};
pub use value::symbols::{SymbolId, SymbolKind, SymbolView, Symbols, Uses};

/// The names of the directives.
pub fn directive_names() -> impl Iterator<Item = &'static str> {
    read::directive::DIRECTIVES.iter().map(|row| row.0)
}

use crate::diagnostic::{Diagnostic, Problem, Severity, Sources, Span};
use crate::image::{Format, Image, Overlap, SetRange, Start};
use crate::processor::{self, InstructionSet, UnknownProcessor};
use read::parser::MOST_COUNTED;
use std::collections::HashMap;
use value::symbols::SymbolKind as Kind;

/// A text that a [`Loader`] found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Loaded {
    /// The name by which it is shown, and by which its own includes are found.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// Where source texts come from. The library opens no files itself.
pub trait Loader {
    /// The full name of `name` as seen from the text `from`.
    fn resolve(&self, name: &str, from: Option<&str>) -> String;

    /// Reads a text.
    ///
    /// # Errors
    /// The [`Problem`] in a phrase: `there is no such file`.
    fn load(&mut self, name: &str, from: Option<&str>) -> Result<Loaded, Problem>;
}

/// Texts in memory, by name.
#[derive(Debug, Clone, Default)]
pub struct Texts(pub HashMap<String, Vec<u8>>);

impl Texts {
    /// A single text.
    pub fn one(name: &str, text: impl Into<Vec<u8>>) -> Self {
        Self(HashMap::from([(name.to_string(), text.into())]))
    }
}

impl Loader for Texts {
    fn resolve(&self, name: &str, _: Option<&str>) -> String {
        name.to_string()
    }

    fn load(&mut self, name: &str, _: Option<&str>) -> Result<Loaded, Problem> {
        let bytes = self.0.get(name).cloned().ok_or("there is no such text")?;
        Ok(Loaded { name: name.to_string(), bytes })
    }
}

/// What is decided outside the source.
#[derive(Debug, Clone, Default)]
pub struct Options {
    set: Option<&'static InstructionSet>,
    defines: Vec<(String, i64)>,
    board: Vec<(String, i64)>,
    origin: u32,
    moved: Option<(i64, Vec<i64>)>,
    formats: Vec<&'static Format>,
}

impl Options {
    /// The processor, where the source does not choose one with `cpu`.
    ///
    /// # Errors
    /// [`UnknownProcessor`] with the names there are.
    pub fn cpu(self, name: &str) -> Result<Self, UnknownProcessor> {
        Ok(Self { set: Some(processor::find(name)?), ..self })
    }

    /// The same, where the set is at hand.
    #[must_use]
    pub fn set(self, set: &'static InstructionSet) -> Self {
        Self { set: Some(set), ..self }
    }

    /// Defines a symbol from outside.
    #[must_use]
    pub fn define(mut self, name: &str, value: i64) -> Self {
        self.defines.push((name.to_string(), value));
        self
    }

    /// Names that the board gives, in any case, for what the source uses and does not define. With `board.` in front a name is always
    /// the board's.
    #[must_use]
    pub fn names(mut self, names: impl IntoIterator<Item = (String, i64)>) -> Self {
        self.board.extend(names);
        self
    }

    /// The location before any `org`.
    #[must_use]
    pub fn origin(self, origin: u32) -> Self {
        Self { origin, ..self }
    }

    /// A format that `image` knows beside ours.
    #[must_use]
    pub fn format(mut self, format: &'static Format) -> Self {
        self.formats.push(format);
        self
    }

    /// The same program, every address that the source gives for the location moved by so many cells. `places` are
    /// those of the program where it stands: [`Assembly::places`].
    #[must_use]
    pub fn moved(self, by: i64, places: &[i64]) -> Self {
        let origin = u32::try_from(i64::from(self.origin).saturating_add(by)).unwrap_or(self.origin);
        Self { origin, moved: Some((by, places.to_vec())), ..self }
    }
}

/// What assembling came to.
#[derive(Debug, Clone)]
pub struct Assembly {
    /// The processor of the program; `None` where no instruction and no choice of one was met.
    pub set: Option<&'static InstructionSet>,
    /// The program. Meaningful where there are no errors.
    pub image: Image,
    /// Every symbol.
    pub symbols: Symbols,
    /// What each source line did, in the order of reading.
    pub lines: Vec<Line>,
    /// The stretches of memory that the source names.
    pub regions: Vec<Region>,
    /// The parts of the program, in the order in which they stand.
    pub parts: Vec<Part>,
    /// The files that the source asks for.
    pub images: Vec<ImageRequest>,
    /// Formats of files that are asked for besides, which warnings look at, too.
    pub outputs: Vec<&'static Format>,
    /// The addresses given by `org`, `pad` and `region`, in order.
    pub places: Vec<i64>,
    /// The values that `let` gave, one after the other.
    pub settings: Vec<i64>,
    /// The cells that stand for literals and links, by address.
    pub pool: Vec<PoolCell>,
    /// The texts that were read.
    pub sources: Sources,
    /// Everything there is to tell, in the order of the source.
    pub diagnostics: Vec<Diagnostic>,
    /// Errors that were counted and not kept, where there were very many.
    pub more_errors: usize,
}

impl Assembly {
    /// True where there is a program.
    pub fn succeeded(&self) -> bool {
        self.errors() == 0
    }

    /// How many errors there are.
    pub fn errors(&self) -> usize {
        self.diagnostics.iter().filter(|one| one.severity == Severity::Error).count() + self.more_errors
    }
}

/// Assembles the text `name` and all it includes.
///
/// ```
/// use plain_byte::assembler::{Options, Texts, assemble};
///
/// let source = "        cpu 8085\n        org 4000h\n        mvi a, 12h\n        hlt\n";
/// let assembly = assemble("lamp.asm", &mut Texts::one("lamp.asm", source), &Options::default());
/// assert!(assembly.succeeded());
/// assert_eq!(assembly.image.segments()[0].cells, [0x3E, 0x12, 0x76]);
/// ```
pub fn assemble(name: &str, loader: &mut dyn Loader, options: &Options) -> Assembly {
    let mut before = None;
    for walk in 1.. {
        let mut parser = read::parser::Parser::new(loader);
        parser.layout.settling = layout::settle::Settling::new(walk, before.take(), options.moved.clone());
        if let Some(set) = options.set {
            parser.choose(set);
            // A choice in the source comes before this one when the program is named.
            parser.first_set = None;
        }
        parser.formats = &options.formats;
        parser.board = &options.board;
        parser.set_location(options.origin.into());
        for (name, value) in &options.defines {
            let symbol = parser.values.symbols.intern(name);
            let symbol = parser.values.symbols.get_mut(symbol);
            (symbol.kind, symbol.value) = (Kind::Given, *value);
        }
        parser.file(name, None);
        parser.finish();
        if !parser.is_unsettled(walk) {
            return finished(parser, options);
        }
        before = Some(parser.into_walk());
    }
    unreachable!("the last walk is always taken")
}

fn finished(mut parser: read::parser::Parser<'_>, options: &Options) -> Assembly {
    let set = parser.first_set.or(options.set);
    let sets = sets_of(&mut parser);
    let entry = entry_of(&mut parser);
    let relocations = parser.relocations();
    let (pieces, spans) = parser.take_pieces();
    let (image, overlaps) = Image::joined(set.map_or(8, |set| set.cell_bits()), pieces);
    for overlap in overlaps {
        parser.report(overlap_error(set, &overlap, &spans));
    }
    let mut image = layout::region::fill(image, &parser.layout.regions.list);
    image.note_sets(sets);
    image.set_entry_place(entry);
    image.set_relocations(relocations);
    if parser.parts_are_segments() {
        let parts = &parser.layout.parts.list;
        let stack = parts.iter().find(|part| part.kind == PartKind::Stack);
        image.set_stack(stack.map(|part| Start { base: part.base, offset: part.cells }));
        image.set_extent(parts.iter().map(Part::end).max().unwrap_or(0) as u32);
    }
    // The reset leads into a ROM where its pointer says.
    if image.entry().is_none() {
        image.set_entry(set.and_then(|set| image.reset_for(set)));
    }
    let read::parser::Parser { sources, values, layout, family, record, .. } = parser;
    let output::Record { lines, settings, mut diagnostics, more_errors, images, .. } = record;
    diagnostics.sort_by_key(|one| (one.span.source, one.span.start));
    if more_errors >= MOST_COUNTED
        && let Some(last) = diagnostics.last().map(|one| one.span)
    {
        // First, so that it is among those that are shown.
        let message = format!("there are more than {MOST_COUNTED} errors, and the rest is not read");
        diagnostics.insert(0, Diagnostic::error("too-many", last, message, "mend the first ones"));
    }
    let mut assembly = Assembly {
        set,
        image,
        symbols: values.symbols,
        lines,
        regions: layout.regions.list,
        parts: layout.parts.list,
        images,
        outputs: Vec::new(),
        places: layout.settling.places,
        settings,
        pool: family.pages.pool,
        sources,
        diagnostics,
        more_errors,
    };
    // The program is one of the processor, and of the mode, that it begins in.
    assembly.set = assembly.image.start().and_then(|start| assembly.set_at(start)).or(assembly.set);
    assembly
}

/// Where running starts: at the label after `entry`, else with the first part of code where there are segments.
fn entry_of(parser: &mut read::parser::Parser<'_>) -> Option<Start> {
    let first_code = |parser: &read::parser::Parser<'_>| {
        let part = parser.layout.parts.list.iter().find(|part| part.kind == PartKind::Code)?;
        parser.parts_are_segments().then_some(Start { base: part.base, offset: 0 })
    };
    let Some((entry, label, _)) = parser.record.entry.take() else { return first_code(parser) };
    let offset = parser.settled(entry).and_then(|entry| u32::try_from(entry).ok())?;
    let base = label.map_or(0, |label| parser.values.symbols.get(label).base);
    Some(Start { base, offset })
}

/// Which set each stretch of instructions is of, where there are several.
fn sets_of(parser: &mut read::parser::Parser<'_>) -> Vec<SetRange> {
    let mut sets = std::mem::take(&mut parser.family.sets);
    let chosen = &parser.family.chosen;
    let several = chosen.windows(2).any(|pair| pair[0].1 != pair[1].1);
    let ends = chosen.iter().skip(1).map(|next| next.0).chain([parser.record.lines.len()]);
    for (&(from, set), to) in chosen.iter().zip(ends).filter(|_| several) {
        for line in &parser.record.lines[from..to] {
            let (count, row) = line.kind.cells().unwrap_or_default();
            if row > 0 && set.modes.is_none() {
                sets.push(SetRange { first: line.address, end: line.address.saturating_add(count), set });
            }
        }
    }
    sets
}

fn overlap_error(set: Option<&'static InstructionSet>, overlap: &Overlap, spans: &[Span]) -> Diagnostic {
    let show = |address: u32| set.map_or_else(|| format!("{address:X}"), |set| set.address(address.into()));
    let message = format!("the cells {} to {} are written twice", show(overlap.first), show(overlap.last));
    let help = "move one of the two pieces with `org`";
    Diagnostic::error("overlap", spans[overlap.piece], message, help)
        .with_label(spans[overlap.earlier], "the other piece begins here")
}

/// The instruction of a source line: what stands after the labels and before the comment.
pub fn statement(line: &str) -> String {
    let mut text = line.trim_start();
    while let Some((head, rest)) = text.split_once(':') {
        let is_label =
            !head.is_empty() && head.chars().all(|c| c.is_ascii_alphanumeric() || "_?@.".contains(c));
        if !is_label {
            break;
        }
        text = rest.trim_start();
    }
    let mut quote = None;
    let mut end = text.len();
    for (at, c) in text.char_indices() {
        match (quote, c) {
            (None, ';') => {
                end = at;
                break;
            }
            (None, '"' | '\'') => quote = Some(c),
            (Some(open), c) if c == open => quote = None,
            _ => {}
        }
    }
    text[..end].split_whitespace().collect::<Vec<_>>().join(" ")
}
