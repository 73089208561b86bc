//! What an editor asks of a source: what is wrong, what a name means, where it stands, what may come next. Answers, and no protocol; who
//! asks, and how, is no matter of this module. Places are files and byte offsets.
//!
//! ```
//! use plain_byte::assembler::Texts;
//! use plain_byte::language::Analysis;
//! use plain_byte::report::Policy;
//! use plain_byte::workspace::Target;
//!
//! let source = "        cpu 8085\n        org 4000h\nstart:  lda nights\n        hlt\nnights: db 12\n";
//! let mut texts = Texts::one("oil.asm", source);
//! let analysis = Analysis::of("oil.asm", &Target::default(), &Policy::default(), &mut texts)?;
//! assert!(analysis.diagnostics().is_empty());
//! let used = source.find("nights").unwrap();
//! let defined = analysis.definition("oil.asm", used).unwrap();
//! assert_eq!(&source[defined.start..defined.end], "nights");
//! # Ok::<(), plain_byte::workspace::TargetError>(())
//! ```

mod calls;
mod complete;
mod edit;
mod expansion;
mod fixes;
mod grammar;
mod hints;
mod hover;
mod layout;
mod line;
mod names;
mod outline;
mod pages;
mod rename;
mod tokens;
mod trial;

pub use calls::{Call, Form, Forms};
pub use complete::{Completion, CompletionKind};
pub use edit::{Edit, edited};
pub use expansion::Written;
pub use fixes::Fix;
pub use grammar::grammar;
pub use hints::{LineHint, RoutineHint};
pub use layout::columns;
pub use names::{Named, NamedKind};
pub use outline::Branch;
pub use pages::{code_page, codes, directive_page};
pub use rename::NoRename;
pub use tokens::{Word, WordKind};
pub use trial::Trial;

use crate::assembler::{Assembly, Loader};
use crate::diagnostic::{Severity, Span};
use crate::processor::InstructionSet;
use crate::report::{Policy, warn};
use crate::session::{Found, firmware_image};
use crate::workspace::{Program, Resolved, Target, TargetError};

/// A stretch of a text, in bytes.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Range {
    /// The name of the text.
    pub file: String,
    /// Where it begins.
    pub start: usize,
    /// Where it ends.
    pub end: usize,
}

/// Something to tell about a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Told {
    /// Where.
    pub range: Range,
    /// How bad it is.
    pub severity: Severity,
    /// The code of its kind, which `docs/errors.md` and `docs/warnings.md` explain.
    pub code: &'static str,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub help: String,
    /// Other places that matter, and what is there.
    pub related: Vec<(Range, String)>,
}

/// A program with its texts as they are now, looked at.
#[derive(Debug)]
pub struct Analysis {
    name: String,
    target: Target,
    policy: Policy,
    assembly: Box<Assembly>,
    set: Option<&'static InstructionSet>,
    board: Option<Found>,
}

impl Analysis {
    /// Assembles a program for a target, its texts taken from a loader, and warns.
    ///
    /// # Errors
    /// There is no such board, or the target is wrong otherwise. What is wrong in the texts is told by [`diagnostics`](Self::diagnostics).
    pub fn of(
        name: &str,
        target: &Target,
        policy: &Policy,
        loader: &mut dyn Loader,
    ) -> Result<Self, TargetError> {
        let Resolved { program, processor, board } = target.prepare(loader)?.assembled(name, loader);
        let Program::Assembled(mut assembly) = program else { unreachable!("a source was assembled") };
        let fits = |found: &&Found| assembly.set.is_none_or(|set| found.board.set.runs(set));
        let found = board.as_ref().filter(fits);
        let firmware = found.and_then(|found| firmware_image(found, loader));
        warn(&mut assembly, found.map(|found| (&found.board, firmware.as_ref())), policy);
        let (name, target, policy) = (name.to_string(), target.clone(), policy.clone());
        Ok(Self { name, target, policy, assembly, set: processor, board })
    }

    /// The name of its main text.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The names of the texts that were read.
    pub fn texts(&self) -> impl Iterator<Item = &str> {
        let own = self.assembly.sources.iter().filter(|source| source.expansion.is_none());
        own.map(|source| source.name.as_str())
    }

    /// The processor of the program, where it is known.
    pub fn processor(&self) -> Option<&'static InstructionSet> {
        self.set
    }

    /// A text that was read.
    fn text(&self, file: &str) -> Option<(u32, &str)> {
        let sources = self.assembly.sources.iter().enumerate();
        let mut own = sources.filter(|(_, source)| source.expansion.is_none() && source.name == file);
        own.next().map(|(at, source)| (at as u32, source.text.as_str()))
    }

    /// Where somebody wrote what a span is about.
    fn range(&self, span: Span) -> Range {
        let Span { source, start, end } = self.assembly.sources.origin(span);
        let file = self.assembly.sources.get(source).map_or(String::new(), |one| one.name.clone());
        Range { file, start: start as usize, end: end.max(start) as usize }
    }

    /// Everything there is to tell, in the order of the source.
    pub fn diagnostics(&self) -> Vec<Told> {
        let told = self.assembly.diagnostics.iter().map(|one| {
            let one = self.assembly.sources.outside(one.clone());
            Told {
                range: self.range(one.span),
                severity: one.severity,
                code: one.code,
                related: one
                    .labels
                    .iter()
                    .map(|label| (self.range(label.span), label.text.clone()))
                    .collect(),
                message: one.message,
                help: one.help,
            }
        });
        told.collect()
    }
}

/// So many cells, in words.
fn cells_text(count: u64) -> String {
    if count == 1 { "1 cell".to_string() } else { format!("{count} cells") }
}

/// The word at an offset, or right in front of it: where it begins and ends.
fn word_at(text: &str, offset: usize) -> Option<(usize, usize)> {
    let is_part = |c: char| c.is_ascii_alphanumeric() || "_.?@$'".contains(c);
    let offset = offset.min(text.len());
    if !text.is_char_boundary(offset) {
        return None;
    }
    let start = text[..offset].rfind(|c| !is_part(c)).map_or(0, |at| at + 1);
    let start = (start..=offset).find(|&at| text.is_char_boundary(at))?;
    let end = text[offset..].find(|c| !is_part(c)).map_or(text.len(), |at| offset + at);
    (start < end).then_some((start, end))
}

/// The line around an offset: where it begins, and its text.
fn line_at(text: &str, offset: usize) -> (usize, &str) {
    let offset = offset.min(text.len());
    let start = text.as_bytes()[..offset].iter().rposition(|&byte| byte == b'\n').map_or(0, |at| at + 1);
    let end =
        text.as_bytes()[offset..].iter().position(|&byte| byte == b'\n').map_or(text.len(), |at| offset + at);
    (start, text.get(start..end).unwrap_or_default())
}
