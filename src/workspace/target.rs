//! A program as it is named, and the processor and the board that it is for.

use super::fits;
use crate::assembler::{Assembly, Formula, Loader, NoNames, Options, assemble};
use crate::diagnostic::{Diagnostic, Problem};
use crate::image::{Format, Image, ReadError, Settings, boot, hex, raw};
use crate::machine::NoSocket;
use crate::processor::InstructionSet;
use crate::prom;
use crate::session::{Found, OpenError, find_board};

/// What is said about a program beside its name. What is left out follows from the rest.
#[derive(Debug, Clone, Default)]
pub struct Target {
    /// The processor, where somebody asks for one.
    pub processor: Option<&'static InstructionSet>,
    /// The board, by its name or by the file of its description.
    pub board: Option<String>,
    /// Memories of the board that are left out.
    pub without: Vec<String>,
    /// Where the program goes, where it does not say: an expression.
    pub at: Option<String>,
    /// Symbols to define.
    pub define: Vec<(String, i64)>,
}

/// A program as it was named.
#[derive(Debug)]
pub enum Program {
    /// It was assembled, with or without errors.
    Assembled(Box<Assembly>),
    /// It was read.
    Image(Image),
}

/// A program, and what it is for as far as somebody says so.
#[derive(Debug)]
pub struct Resolved {
    /// The program.
    pub program: Program,
    /// The processor that was asked for, the board's, or the one that the source chooses, in this order.
    pub processor: Option<&'static InstructionSet>,
    /// The board, where one other than `bare` is named.
    pub board: Option<Found>,
}

/// What is known of a program before anybody looks at it.
#[derive(Debug)]
pub struct Prepared {
    /// What the assembler is told.
    pub options: Options,
    /// The processor that was asked for, else the board's.
    pub processor: Option<&'static InstructionSet>,
    /// The board, where one other than `bare` is named.
    pub board: Option<Found>,
    /// The address that was given.
    pub at: Option<u32>,
}

/// Why there is no program.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum TargetError {
    /// There is no such board, or its description is wrong.
    #[error(transparent)]
    Board(#[from] OpenError),
    /// A memory is to be left out that the board does not have.
    #[error(transparent)]
    Without(#[from] NoSocket),
    /// Memories are to be left out of no board.
    #[error("--without needs a board")]
    WithoutBoard,
    /// The address is not an expression.
    #[error("{text}: {wrong}")]
    Expression {
        /// What was written.
        text: String,
        /// What is wrong with it.
        wrong: Box<Diagnostic>,
    },
    /// The address is none of the processor's.
    #[error("{text}: {value} is not an address")]
    Address {
        /// What was written.
        text: String,
        /// Its value.
        value: i64,
        /// The processor, where it is known.
        processor: Option<&'static InstructionSet>,
    },
    /// The file cannot be read.
    #[error("{name} cannot be read: {problem}")]
    Unreadable {
        /// Its name.
        name: String,
        /// Why.
        problem: Problem,
    },
    /// The image is damaged.
    #[error("{name} is damaged in {} places", errors.len())]
    Damaged {
        /// Its name.
        name: String,
        /// Every place.
        errors: Vec<ReadError>,
    },
    /// The board has another processor in its socket.
    #[error("the board {board} has the {own}, and the {asked} does not fit its socket")]
    Socket {
        /// The board.
        board: String,
        /// Its processor.
        own: &'static str,
        /// The one that was asked for.
        asked: &'static str,
    },
}

impl Target {
    /// Reads or assembles the program of a file. What is wrong in a source stands in its [`Assembly`].
    ///
    /// # Errors
    /// [`TargetError`] where there is nothing to look at.
    pub fn resolve(&self, name: &str, loader: &mut dyn Loader) -> Result<Resolved, TargetError> {
        let prepared = self.prepare(loader)?;
        if is_source(name) { Ok(prepared.assembled(name, loader)) } else { prepared.read(name, loader) }
    }
}

impl Prepared {
    /// Assembles a source.
    pub fn assembled(self, name: &str, loader: &mut dyn Loader) -> Resolved {
        let Self { options, processor, board, .. } = self;
        let assembly = Box::new(assemble(name, loader, &options));
        let processor = processor.or(assembly.set);
        Resolved { program: Program::Assembled(assembly), processor, board }
    }

    /// Reads an image.
    ///
    /// # Errors
    /// [`TargetError::Unreadable`] and [`TargetError::Damaged`].
    pub fn read(self, name: &str, loader: &mut dyn Loader) -> Result<Resolved, TargetError> {
        let Self { processor, board, at, .. } = self;
        let load = board.as_ref().map_or(0, |found| found.board.load);
        let file = loader.load(name, None);
        let file = file.map_err(|problem| TargetError::Unreadable { name: name.to_string(), problem })?;
        let image = read_image(name, &file.bytes, at, load);
        let image = image.map_err(|errors| TargetError::Damaged { name: name.to_string(), errors })?;
        Ok(Resolved { program: Program::Image(image), processor, board })
    }
}

impl Target {
    /// What is known before a program is looked at: its board, its processor and what the assembler is told.
    ///
    /// # Errors
    /// [`TargetError`] where there is no such board, or the address is none.
    pub fn prepare(&self, loader: &mut dyn Loader) -> Result<Prepared, TargetError> {
        // `bare` waits for the processor that the source chooses.
        let named = self.board.as_deref().filter(|name| !name.eq_ignore_ascii_case("bare"));
        let mut board = named.map(|name| find_board(name, self.processor, loader)).transpose()?;
        self.leave_out(board.as_mut())?;
        let load = board.as_ref().map_or(0, |found| found.board.load);
        let processor = self.processor.or(board.as_ref().map(|found| found.board.set));
        let at = self.address(processor)?;
        let mut options = Options::default().origin(at.unwrap_or(load));
        if let Some(set) = processor {
            options = options.set(set);
        }
        options = options.names(board.iter().flat_map(|found| found.board.symbols()));
        for (name, value) in &self.define {
            options = options.define(name, *value);
        }
        Ok(Prepared { options, processor, board, at })
    }

    /// Takes the memories out of a board that are left out.
    ///
    /// # Errors
    /// [`TargetError::Without`] names one that it does not have.
    pub fn leave_out(&self, found: Option<&mut Found>) -> Result<(), TargetError> {
        match (found, self.without.as_slice()) {
            (_, []) => Ok(()),
            (None, _) => Err(TargetError::WithoutBoard),
            (Some(found), names) => {
                names.iter().try_for_each(|name| found.board.leave_out(name)).map_err(TargetError::Without)
            }
        }
    }

    /// The address that is given, on a processor where that is known.
    ///
    /// # Errors
    /// [`TargetError`] where it is none.
    pub fn address(&self, processor: Option<&'static InstructionSet>) -> Result<Option<u32>, TargetError> {
        let Some(text) = &self.at else { return Ok(None) };
        let wrong = |wrong| TargetError::Expression { text: text.clone(), wrong };
        let value =
            Formula::parse(text, processor).and_then(|formula| formula.value(&NoNames)).map_err(wrong)?;
        let last = processor.map_or(u32::MAX, InstructionSet::last_address);
        match u32::try_from(value) {
            Ok(address) if address <= last => Ok(Some(address)),
            _ => Err(TargetError::Address { text: text.clone(), value, processor }),
        }
    }

    /// The board for a program: the one that is named, with the processor that is asked for in its socket, or `bare`.
    ///
    /// # Errors
    /// [`TargetError`] where the processor does not fit, or none is known.
    pub fn board_for(&self, resolved: &mut Resolved, loader: &mut dyn Loader) -> Result<Found, TargetError> {
        let mut found = match resolved.board.take() {
            Some(found) => found,
            None => find_board("bare", resolved.processor, loader)?,
        };
        if let Some(asked) = self.processor {
            let own = found.board.set;
            if !fits(own, asked) {
                let board = found.board.name;
                return Err(TargetError::Socket { board, own: own.name(), asked: asked.name() });
            }
            found.board.set = asked;
        }
        Ok(found)
    }
}

/// True where the file is a source by its ending, or has an ending of no image format.
pub fn is_source(name: &str) -> bool {
    ending(name).is_none_or(|ending| Format::of_ending(ending).is_none() && ending != CHIP)
}

/// The ending of a file that a memory chip lives in.
const CHIP: &str = "chip";

fn ending(name: &str) -> Option<&str> {
    std::path::Path::new(name).extension()?.to_str()
}

/// Reads an image, whose format its name's ending tells. One without addresses stands at `at` where that is given, a raw one and a memory
/// chip else at `place`.
///
/// # Errors
/// Every place that is wrong.
pub fn read_image(name: &str, bytes: &[u8], at: Option<u32>, place: u32) -> Result<Image, Vec<ReadError>> {
    if ending(name) == Some(CHIP) {
        return prom::image_of(bytes, at.unwrap_or(place));
    }
    // A file without an ending that begins like Intel HEX is taken for it.
    let by_content = if bytes.starts_with(b":") { &hex::FORMAT } else { &raw::FORMAT };
    let format = ending(name).and_then(Format::of_ending).unwrap_or(by_content);
    // What is called an image of a disk and is larger than its first sector is a whole disk.
    let is_disk = *format == boot::FORMAT && bytes.len() != boot::SECTOR && ending(name) != Some("boot");
    let format = if is_disk { &raw::FORMAT } else { format };
    let first = at.or((*format == raw::FORMAT).then_some(place));
    let settings = first.map_or_else(Settings::default, |first| Settings::default().first(first));
    format.read(bytes, &settings)
}
