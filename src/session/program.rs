//! A program as a session knows it: the image, and, where it was assembled here, its source and symbols.

use crate::assembler::{Assembly, LineKind, Region, Symbols, statement};
use crate::diagnostic::{Source, Sources, Span};
use crate::image::Image;
use crate::machine::StopMap;
use crate::processor::InstructionSet;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A program, with its source where that is known.
#[derive(Debug, Clone)]
pub struct Program {
    /// Its cells.
    pub image: Image,
    /// Its symbols.
    pub symbols: Symbols,
    /// What it was assembled for, where it was assembled here.
    pub set: Option<&'static InstructionSet>,
    lines: BTreeMap<u32, SourceLine>,
    /// The instructions of each text by the lines that somebody wrote.
    code_by_line: BTreeMap<String, LineCode>,
    /// Cells that are reserved: how many from an address on.
    reserved: BTreeMap<u32, u32>,
    labels: BTreeMap<u32, String>,
    /// The stretches of memory that it names.
    pub regions: Vec<Region>,
    /// The texts that it was assembled from.
    texts: Vec<(String, Arc<String>)>,
}

/// A source line that made cells.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceLine {
    /// The text's name.
    pub file: String,
    /// The line, from 1.
    pub number: usize,
    /// The line without its label, comment and outer blanks.
    pub text: String,
    /// How many cells it made.
    pub cells: u32,
    /// True for an instruction, false for data.
    pub code: bool,
    /// What its comment allows: codes of warnings and hazards.
    pub allows: Vec<String>,
    /// Its comment says that what it lays down is constant.
    pub is_constant: bool,
    /// The text and the line that wrote it out, where that is another one: the call of a macro, the beginning of what is copied.
    pub call: Option<(String, usize)>,
}

/// The addresses of the instructions that each line of a text made, itself or by what it wrote out.
pub type LineCode = BTreeMap<usize, Vec<u32>>;

impl SourceLine {
    /// The text and the line that somebody wrote: of what a macro wrote out, its call.
    pub fn written_at(&self) -> (&str, usize) {
        self.call.as_ref().map_or((&self.file, self.number), |(file, number)| (file, *number))
    }
}

impl Program {
    /// A program without source.
    pub fn from_image(image: Image) -> Self {
        Self {
            image,
            symbols: Symbols::default(),
            set: None,
            lines: BTreeMap::new(),
            code_by_line: BTreeMap::new(),
            reserved: BTreeMap::new(),
            labels: BTreeMap::new(),
            regions: Vec::new(),
            texts: Vec::new(),
        }
    }

    /// The texts that it was assembled from, by their names: the main one first.
    pub fn texts(&self) -> impl Iterator<Item = (&str, &str)> {
        self.texts.iter().map(|(name, text)| (name.as_str(), text.as_str()))
    }

    /// The addresses of its cells.
    pub(super) fn addresses(&self) -> StopMap {
        let segments = self.image.segments().iter();
        segments.flat_map(|one| (0..one.cells.len() as u32).map(|at| one.start + at)).collect()
    }

    /// A program that was assembled without errors.
    pub fn from_assembly(assembly: &Assembly) -> Self {
        let mut lines = BTreeMap::new();
        let mut reserved = BTreeMap::new();
        let mut numbers: Vec<(Vec<u32>, &str)> = Vec::new();
        for source in assembly.sources.iter() {
            let text = if source.expansion.is_some() { &[] } else { source.text.as_bytes() };
            let breaks = memchr::memchr_iter(b'\n', text).map(|at| at as u32).collect();
            numbers.push((breaks, &source.name));
        }
        let said: Vec<Vec<Said>> = assembly.sources.iter().map(|source| said(&source.text)).collect();
        for line in &assembly.lines {
            if let LineKind::Reserved(count) = line.kind {
                reserved.insert(line.address, count);
            }
            let Some((count, row)) = line.kind.cells() else { continue };
            let Some(source) = assembly.sources.get(line.source) else { continue };
            let rest = source.text.get(line.start as usize..).unwrap_or_default();
            let whole = rest.lines().next().unwrap_or_default();
            let place = assembly.sources.origin(line.span());
            let (breaks, file) = &numbers[place.source as usize];
            let number = breaks.partition_point(|&at| at < place.start) + 1;
            let mut allows = allowed(whole);
            let around =
                said[place.source as usize].iter().filter(|one| (one.first..=one.last).contains(&number));
            allows.extend(around.clone().map(|one| one.word.clone()));
            let is_constant = row == 0 && (says_constant(whole) || around.into_iter().any(Said::is_constant));
            lines.insert(
                line.address,
                SourceLine {
                    file: (*file).to_string(),
                    number,
                    text: statement(whole),
                    cells: count,
                    code: row > 0,
                    allows,
                    is_constant,
                    call: outermost(&assembly.sources, line.source).map(|span| {
                        let (breaks, file) = &numbers[span.source as usize];
                        ((*file).to_string(), breaks.partition_point(|&at| at < span.start) + 1)
                    }),
                },
            );
        }
        let labels = assembly
            .symbols
            .labels()
            .into_iter()
            .map(|(address, name)| (address, name.to_string()))
            .collect();
        let texts = assembly.sources.iter().filter(|source| source.expansion.is_none());
        Self {
            image: assembly.image.clone(),
            symbols: assembly.symbols.moved(0),
            set: assembly.set,
            code_by_line: code_by_line(&lines),
            lines,
            reserved,
            labels,
            regions: assembly.regions.clone(),
            texts: texts.map(|source| (source.name.clone(), Arc::clone(&source.text))).collect(),
        }
    }

    /// The source lines that made cells, by their addresses.
    pub fn lines(&self) -> impl Iterator<Item = (u32, &SourceLine)> {
        self.lines.iter().map(|(&address, line)| (address, line))
    }

    /// The instructions of a text by its lines; `None` where no instruction comes from it.
    pub fn code_by_line(&self, text: &str) -> Option<&LineCode> {
        self.code_by_line.get(text)
    }

    /// The lines of data, and what they lay down or reserve: the first address of each, and how many cells.
    pub(crate) fn data(&self) -> impl Iterator<Item = (u32, u32)> {
        let laid = self.lines.iter().filter(|row| !row.1.code).map(|(&at, line)| (at, line.cells));
        laid.chain(self.reserved.iter().map(|(&at, &count)| (at, count))).filter(|row| row.1 > 0)
    }

    /// The first address after the data that a line lays down or reserves at an address; `None` where none does.
    pub fn data_end(&self, address: u32) -> Option<u32> {
        let cells = match self.lines.get(&address) {
            Some(line) if line.code => return None,
            Some(line) => line.cells,
            None => *self.reserved.get(&address)?,
        };
        address.checked_add(cells).filter(|_| cells > 0)
    }

    /// Other cells with what is known of these; a source line counts only where its cells are the same.
    pub(super) fn with_image(self, image: Image) -> Self {
        Self { image, ..self }
    }

    /// The same program so many cells further on in memory.
    #[must_use]
    pub fn moved(self, by: u32, segment_shift: u8) -> Self {
        let further = |address: u32| address.wrapping_add(by);
        let lines: BTreeMap<u32, SourceLine> =
            self.lines.into_iter().map(|(address, line)| (further(address), line)).collect();
        Self {
            image: self.image.moved(by, segment_shift),
            symbols: self.symbols.moved(by),
            set: self.set,
            code_by_line: code_by_line(&lines),
            lines,
            reserved: self.reserved.into_iter().map(|(address, count)| (further(address), count)).collect(),
            labels: self.labels.into_iter().map(|(address, name)| (further(address), name)).collect(),
            regions: self.regions.into_iter().map(|one| one.moved(by)).collect(),
            texts: self.texts,
        }
    }

    /// The source line whose cells begin at an address.
    pub fn line(&self, address: u32) -> Option<&SourceLine> {
        self.lines.get(&address)
    }

    /// The source line that made the cell at an address.
    pub fn line_of_cell(&self, address: u32) -> Option<&SourceLine> {
        let (&first, line) = self.lines.range(..=address).next_back()?;
        (address - first < line.cells).then_some(line)
    }

    /// The label at an address.
    pub fn label(&self, address: u32) -> Option<&str> {
        self.labels.get(&address).map(String::as_str)
    }
}

fn code_by_line(lines: &BTreeMap<u32, SourceLine>) -> BTreeMap<String, LineCode> {
    let mut all: BTreeMap<String, LineCode> = BTreeMap::new();
    for (&address, line) in lines.iter().filter(|row| row.1.code) {
        let (text, number) = line.written_at();
        match all.get_mut(text) {
            Some(made) => made.entry(number).or_default().push(address),
            None => _ = all.insert(text.to_string(), LineCode::from([(number, vec![address])])),
        }
    }
    all
}

/// The call that an expansion was written out for, in the end.
fn outermost(sources: &Sources, source: u32) -> Option<Span> {
    let mut call = None;
    let mut at = source;
    while let Some(Source { expansion: Some(_), included: Some(span), .. }) = sources.get(at) {
        call = Some(*span);
        at = span.source;
    }
    call
}

/// Lines of which a comment says something: the code of a hazard that is allowed in them, or that they are constant.
struct Said {
    word: String,
    first: usize,
    last: usize,
}

/// What the comment of a line calls data that stays as it is.
const CONSTANT: &str = "constant";

impl Said {
    fn is_constant(&self) -> bool {
        self.word == CONSTANT
    }
}

/// The stretches of a text from `; allow CODE from here` to `; allow CODE to here`, or to its end, and those from `; constant from here`.
fn said(text: &str) -> Vec<Said> {
    let mut all: Vec<Said> = Vec::new();
    for (number, line) in text.lines().enumerate().filter(|(_, line)| line.contains(" here")) {
        let constant = says_constant(line).then(|| CONSTANT.to_string());
        for word in allowed(line).into_iter().chain(constant) {
            if line.contains(&format!("{word} from here")) {
                all.push(Said { word, first: number + 1, last: usize::MAX });
            } else if line.contains(&format!("{word} to here"))
                && let Some(open) = all.iter_mut().rfind(|one| one.word == word && one.last == usize::MAX)
            {
                open.last = number + 1;
            }
        }
    }
    all
}

/// The codes that the comment of a line allows.
fn allowed(line: &str) -> Vec<String> {
    let words: Vec<&str> = words_of_comment(line).collect();
    words.windows(2).filter(|pair| pair[0] == "allow").map(|pair| pair[1].to_string()).collect()
}

/// True where the comment of a line begins with the word for what stays as it is.
fn says_constant(line: &str) -> bool {
    words_of_comment(line).next().is_some_and(|word| word.trim_end_matches(['.', ':']) == CONSTANT)
}

fn words_of_comment(line: &str) -> impl Iterator<Item = &str> {
    let comment = line.split_once(';').map_or("", |halves| halves.1);
    comment.split([' ', ',', '\t']).filter(|word| !word.is_empty())
}
