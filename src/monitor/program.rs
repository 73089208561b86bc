//! Words that list, put in, load and save programs.

use super::{Complaint, Done, Host, Monitor};
use crate::assembler::{Options, SymbolKind, Texts, assemble};
use crate::diagnostic::{Problem, Severity};
use crate::image::{Format, Image, Segment, Settings, raw};
use crate::report::list_line;
use crate::report::{explain, explain_branch};
use crate::session::SessionError;
use crate::text::{Text, Tone};

/// Instructions that `list` shows at once.
const LINES: usize = 12;

impl Monitor {
    pub(super) fn list(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let pc = self.session.machine().place();
        let mut text = Text::new();
        let (mut at, last) = if rest.is_empty() {
            (self.next_list.unwrap_or(pc), None)
        } else if rest.contains("..") {
            let (first, last) = self.range_of(rest)?;
            (first, Some(last))
        } else {
            (self.address_of(rest)?, None)
        };
        for _ in 0..if last.is_some() { 4096 } else { LINES } {
            let next = list_line(&self.session, at, &mut text);
            let ended = last.is_some_and(|last| next > last) || next < at;
            at = next;
            if ended {
                break;
            }
        }
        self.next_list = Some(at);
        Ok(text)
    }

    pub(super) fn explain(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let address = if rest.is_empty() { self.session.machine().place() } else { self.address_of(rest)? };
        let mut text = explain(&self.session, address);
        if address == self.session.machine().place() && !self.session.machine().is_linked() {
            explain_branch(&mut self.session).into_iter().for_each(|asked| _ = text.append(asked));
        }
        Ok(text)
    }

    pub(super) fn code(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let (address, instruction) = rest.split_once(char::is_whitespace).unwrap_or((rest, ""));
        let address =
            if address.is_empty() { self.session.machine().place() } else { self.address_of(address)? };
        if instruction.trim().is_empty() {
            self.coding = Some(address);
            return Ok(Text::toned(Tone::Faint, "an instruction a line; an empty line ends"));
        }
        self.assemble_at(address, instruction).map(|(text, _)| text)
    }

    /// A line while instructions are put in.
    pub(super) fn code_line(&mut self, line: &str) -> Done {
        let Some(address) = self.coding else { return Ok(Text::new()) };
        if line.trim().is_empty() {
            self.coding = None;
            return Ok(Text::new());
        }
        let (text, next) = self.assemble_at(address, line)?;
        self.coding = Some(next);
        Ok(text)
    }

    fn assemble_at(&mut self, address: u32, line: &str) -> Result<(Text, u32), Complaint> {
        let set = self.session.processor();
        let mut options = Options::default().set(set).origin(address);
        for symbol in self.session.program().iter().flat_map(|program| program.symbols.iter()) {
            if symbol.kind != SymbolKind::Broken {
                options = options.define(symbol.name, symbol.value);
            }
        }
        options = options.names(self.session.machine().board().symbols());
        let assembly = assemble("line", &mut Texts::one("line", format!("        {line}\n")), &options);
        if let Some(wrong) = assembly.diagnostics.iter().find(|one| one.severity == Severity::Error) {
            return Err(Complaint::new(wrong.message.clone(), wrong.help.clone()));
        }
        if let Some(cell) = assembly.pool.first() {
            let shown = set.cell(cell.value);
            let message = format!("this needs a cell of its page's pool with {shown} in it");
            let help =
                "what is free in the page is not known here: `put` the value into a cell and name that";
            return Err(Complaint::new(message, help));
        }
        let cells: Vec<u64> = assembly.image.segments().iter().flat_map(|one| one.cells.clone()).collect();
        let start = assembly.image.bounds().map_or(address, |(first, _)| first);
        self.session.put(start, &cells)?;
        let mut text = Text::new();
        let end = start + cells.len() as u32;
        let mut at = start;
        while at < end {
            at = list_line(&self.session, at, &mut text).max(at + 1);
        }
        Ok((text, end & set.last_address()))
    }

    pub(super) fn load(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        let (name, at) = match rest.rsplit_once(" at ") {
            Some((name, at)) => (name.trim(), Some(self.address_of(at)?)),
            None => (rest, None),
        };
        let name = name.trim_matches('"');
        if name.is_empty() {
            return Err(Complaint::new("the name of a file is missing", "write `load tide.asm`"));
        }
        let loaded_error = |error: SessionError| Complaint::new(error.to_string(), "nothing was changed");
        let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending);
        if ending.eq_ignore_ascii_case("asm") {
            let board_load = self.session.machine().board().load;
            let board = self.session.machine().board().symbols();
            let options = Options::default()
                .set(self.session.processor())
                .origin(at.unwrap_or(board_load))
                .names(board);
            let assembly = assemble(name, host, &options);
            if let Some(wrong) = assembly.diagnostics.iter().find(|one| one.severity == Severity::Error) {
                let message = match assembly.sources.get(wrong.span.source) {
                    Some(source) => {
                        let line = assembly.sources.place(wrong.span).line;
                        format!("{}, line {line}: {}", source.name, wrong.message)
                    }
                    None => wrong.message.clone(),
                };
                return Err(Complaint::new(message, wrong.help.clone()));
            }
            self.session.load_assembly(&assembly).map_err(loaded_error)?;
        } else {
            let format = Format::of_ending(ending).unwrap_or(&raw::FORMAT);
            let unreadable = |problem: Problem| {
                Complaint::new(format!("{name} cannot be read: {problem}"), "check the name")
            };
            let file = host.load(name, None).map_err(unreadable)?;
            let place = at.unwrap_or(self.session.machine().board().load);
            let settings = Settings::default().first(place);
            let image = format.read(&file.bytes, &settings).map_err(|errors| {
                let first =
                    errors.first().map(|one| (format!("{}: {}", one.place, one.problem), one.help.clone()));
                let (message, help) = first.unwrap_or_default();
                Complaint::new(format!("{name}, {message}"), help)
            })?;
            self.session.load_with_symbols(image).map_err(loaded_error)?;
        }
        self.next_list = None;
        self.next_memory = self.session.machine().place();
        let cells = self.session.program().map_or(0, |program| program.image.cells());
        let mut text = Text::plain(format!("{cells} cells loaded"));
        text.append(self.here());
        Ok(text)
    }

    pub(super) fn save(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        let form = "write `save tide.hex 4000h..40FFh`";
        let (name, range) = rest
            .split_once(char::is_whitespace)
            .ok_or_else(|| Complaint::new("name and range are wanted", form))?;
        let (first, last) = self.range_of(range)?;
        let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending);
        // What the processor's people usually write has an ending of several formats.
        let (kind, usual) = self.session.processor().hints.starter.output;
        let by_habit = || Format::named(kind).filter(|_| ending.eq_ignore_ascii_case(usual));
        let Some(format) = Format::of_ending(ending).or_else(by_habit) else {
            let help = "end it in .hex for Intel HEX, in .bin for raw bytes";
            return Err(Complaint::new(format!("the ending of {name} names no format"), help));
        };
        let cells: Vec<u64> = (first..=last).map(|at| self.session.cell(at)).collect();
        let bits = self.session.processor().cell_bits();
        let (image, _) = Image::joined(bits, vec![Segment { start: first, cells }]);
        let files = format
            .write(&image, &Settings::default())
            .map_err(|error| Complaint::new(error.to_string(), form))?;
        for file in files {
            host.write(name, &file.bytes).map_err(|problem| {
                Complaint::new(format!("{name} cannot be written: {problem}"), "check the folder")
            })?;
        }
        Ok(Text::plain(format!("{} cells saved to {name}", last - first + 1)))
    }
}
