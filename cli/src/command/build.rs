//! `build`: a source to its image, listing and symbols.

use super::print_json;
use crate::arguments::BuildArguments;
use crate::files::{self, Files, Outputs};
use crate::json::{self, Told};
use crate::open;
use crate::paint;
use crate::project;
use crate::say::Failure;
use crate::signals;
use crate::watch::Watcher;
use plain_byte::assembler::{Assembly, ImageRequest, NoNames, Options, assemble, line_map};
use plain_byte::diagnostic::nearest;
use plain_byte::image::{FORMATS, Format, Image, Segment, Settings, Written, sums};
use plain_byte::number::{clock_text, counted, thousands};
use plain_byte::report::sizes;
use plain_byte::text::{Text, Tone};
use plain_byte::workspace::{Prepared, Target};
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::Path;

pub fn run(arguments: &BuildArguments) -> Result<(), Failure> {
    if !arguments.watch {
        return once(arguments);
    }
    signals::listen();
    let mut watcher = Watcher::new()?;
    loop {
        paint::clear()?;
        // What is wrong is told and waited for to be mended.
        if let Err(failure) = once(arguments) {
            failure.tell();
        }
        watcher.follow()?;
        if !watcher.wait() {
            return Ok(());
        }
    }
}

/// Builds what the arguments, and the project where no source is named, say.
fn once(arguments: &BuildArguments) -> Result<(), Failure> {
    let mut arguments = arguments.clone();
    let source = match &arguments.source {
        Some(source) => {
            let name = files::find(source, &["asm"]);
            if let Some(found) = project::of(&name) {
                found.purpose(&mut arguments);
            }
            name
        }
        None => {
            let found = project::find()?;
            found.build(&mut arguments);
            found.path(&found.project.source)
        }
    };
    build(&arguments, &source)
}

fn build(arguments: &BuildArguments, name: &str) -> Result<(), Failure> {
    let wanted = arguments.output.iter().map(|output| parse_output(output)).collect::<Result<Vec<_>, _>>()?;
    let policy = open::policy(&arguments.warnings)?;
    let target = Target {
        processor: open::cpu_option(arguments.cpu.as_deref())?,
        board: arguments.board.clone(),
        without: arguments.without.clone(),
        define: open::defines(&arguments.define)?,
        at: arguments.at.clone(),
    };
    let Prepared { options, board, .. } = open::prepare(&target)?;
    let mut assembly = assemble(name, &mut Files, &options);
    assembly.outputs = wanted.iter().map(|output| output.format).collect();
    open::warn(&mut assembly, board.as_ref(), &policy);
    open::tell(&assembly);
    if !assembly.succeeded() {
        if arguments.json {
            print_json(&Built::of(&assembly))?;
        }
        return Err(Failure::Said(1));
    }
    // Everything is made before anything is written.
    let mut files = Outputs::default();
    let mut chips = Vec::new();
    let asked = assembly.images.iter().map(|one| asked_for(&assembly, one)).collect::<Result<Vec<_>, _>>()?;
    for output in wanted.into_iter().chain(asked) {
        let made = output.files(&assembly.image)?;
        if output.format.name == "roms" {
            // What the programmer of the chip shows, to compare with.
            chips.extend(made.iter().map(|(file, bytes)| (file.clone(), sums_of(bytes))));
        }
        made.into_iter().for_each(|(file, bytes)| files.add(file, bytes));
    }
    if let Some(file) = &arguments.listing {
        files.add(file, assembly.listing());
    }
    if let Some(file) = &arguments.symbols {
        files.add(file, symbols_json(&assembly));
    }
    if let Some(file) = &arguments.depends {
        let made: Vec<String> = files.names().map(String::from).collect();
        files.add(file, rule(name, &made, &files::read_so_far()));
    }
    if arguments.json && files.prints() {
        let help = "nothing was written; give the output a file, or leave --json out";
        return Err(Failure::usage("an output and the result would both go to standard output", help));
    }
    files.write()?;
    if arguments.json {
        print_json(&Built::of(&assembly))?;
    }
    if !arguments.json && !files.prints() {
        let sums = |file: &str| chips.iter().find(|chip| chip.0 == file).map(|chip| chip.1.clone());
        paint::report(&summary(name, &assembly, files.names().map(|file| (file, sums(file)))))?;
    }
    let clock = board.as_ref().map(|found| found.board.clock);
    measure(arguments, &assembly, &options, clock)
}

/// What is made from what, as a rule for make: files that are gone do not end it.
fn rule(source: &str, made: &[String], read: &[String]) -> String {
    let escaped = |name: &String| name.replace('$', "$$").replace('#', "\\#").replace(' ', "\\ ");
    let joined = |names: &mut dyn Iterator<Item = String>| names.collect::<Vec<_>>().join(" ");
    let made = match made {
        // Where nothing is written the rule is of what would be.
        [] => vec![std::path::Path::new(source).with_extension("").to_string_lossy().into_owned()],
        made => made.to_vec(),
    };
    let mut text =
        format!("{}: {}\n", joined(&mut made.iter().map(escaped)), joined(&mut read.iter().map(escaped)));
    read.iter().skip(1).for_each(|name| text += &format!("\n{}:\n", escaped(name)));
    text
}

/// Sizes and times, alone or beside those of another version.
fn measure(
    arguments: &BuildArguments,
    assembly: &Assembly,
    options: &Options,
    clock: Option<u64>,
) -> Result<(), Failure> {
    if !arguments.sizes && arguments.against.is_none() {
        return Ok(());
    }
    let own = sizes(assembly);
    let mut text = Text::new();
    if arguments.sizes {
        text.line();
        if let Some(clock) = clock {
            text.tone(Tone::Faint, format!("times at {}", clock_text(clock))).line();
        }
        text.append(own.text(clock));
    }
    if let Some(old) = &arguments.against {
        let old = open::source(&files::find(old, &["asm"]), options, None, &open::no_warnings())?;
        text.line().append(own.against(&sizes(&old)));
    }
    Ok(paint::show(&text)?)
}

/// A file to be written.
pub struct Output {
    pub format: &'static Format,
    pub settings: Settings,
    pub file: String,
}

impl Output {
    /// The names and bytes of its files; most formats have one.
    pub fn files(&self, image: &Image) -> Result<Vec<(String, Vec<u8>)>, Failure> {
        let written = self.format.write(image, &self.settings).map_err(|error| {
            let help = "`plainbyte build --help` lists the kinds with their settings";
            Failure::input(format!("{} is not written: {error}", self.file), help)
        })?;
        let name = |one: &Written| match self.file.rsplit_once('.') {
            Some((stem, ending)) if !ending.contains('/') => format!("{stem}{}.{ending}", one.suffix),
            _ => format!("{}{}", self.file, one.suffix),
        };
        Ok(written.into_iter().map(|one| (name(&one), one.bytes)).collect())
    }
}

/// A file that the source asks for; it stands beside the source that names it.
fn asked_for(assembly: &Assembly, request: &ImageRequest) -> Result<Output, Failure> {
    let origin = assembly.sources.origin(request.span);
    let source = assembly.sources.get(origin.source).map_or("", |source| source.name.as_str());
    let beside = Path::new(source).parent().unwrap_or(Path::new(""));
    let path = beside.join(&request.file);
    let file = path.to_string_lossy().into_owned();
    files::must_lie_below(&path).map_err(|problem| {
        Failure::input(format!("{source} asks for the image {file}: {problem}"), "nothing was written")
    })?;
    Ok(Output { format: request.format, settings: named(request.settings.clone(), &file), file })
}

fn kinds() -> String {
    FORMATS.iter().map(|one| one.name).collect::<Vec<_>>().join(", ")
}

/// There is no such kind of file.
pub fn no_kind(kind: &str) -> Failure {
    let help = match nearest(kind, FORMATS.iter().map(|one| one.name)) {
        Some(near) => format!("did you mean `{near}`?"),
        None => format!("write KIND:FILE; the kinds are {}", kinds()),
    };
    Failure::usage(format!("there is no kind of file `{kind}`"), help)
}

/// `KIND:FILE`, with settings after the kind: `raw,fill=0,length=2000h:tides.bin`.
pub fn parse_output(output: &str) -> Result<Output, Failure> {
    let wrong =
        |message: String| Failure::usage(message, format!("write KIND:FILE; the kinds are {}", kinds()));
    let (kind, file) =
        output.split_once(':').ok_or_else(|| wrong(format!("`{output}` does not say which kind of file")))?;
    if file.is_empty() {
        return Err(wrong(format!("`{output}` names no file")));
    }
    let (format, settings) = kind_of(kind)?;
    Ok(Output { format, settings: named(settings, file), file: file.to_string() })
}

/// A program is called as its file is.
fn named(settings: Settings, file: &str) -> Settings {
    match Path::new(file).file_stem() {
        Some(stem) => settings.named(stem.to_string_lossy()),
        None => settings,
    }
}

/// A kind of file with settings after commas: `raw,fill=0`.
pub fn kind_of(text: &str) -> Result<(&'static Format, Settings), Failure> {
    let (kind, list) = text.split_once(',').unwrap_or((text, ""));
    let format = Format::named(kind).ok_or_else(|| no_kind(kind))?;
    let mut settings = Settings::default();
    for setting in list.split(',').filter(|setting| !setting.is_empty()) {
        let Some((name, value)) = setting.split_once('=') else {
            return Err(Failure::usage(
                format!("`{setting}` has no value"),
                "write settings as NAME=VALUE: raw,fill=0,length=2000h:tides.bin",
            ));
        };
        let value = open::number("--output", value, None, &NoNames)?;
        settings.set(format, name, value).map_err(|error| Failure::usage(error.problem, error.help))?;
    }
    Ok((format, settings))
}

/// The size of a file and its sums.
pub fn sums_of(bytes: &[u8]) -> String {
    let sums = sums(bytes);
    let size = thousands(bytes.len() as u64);
    format!("  {size} bytes, sum {:04X}h, CRC-32 {:08X}h", sums.sum, sums.crc32)
}

fn summary<'f>(
    name: &str,
    assembly: &Assembly,
    written: impl Iterator<Item = (&'f str, Option<String>)>,
) -> Text {
    let mut text = Text::new();
    let segments = assembly.image.segments();
    let show =
        |address: u64| assembly.set.map_or_else(|| format!("{address:04X}"), |set| set.address(address));
    let places: Vec<String> =
        segments.iter().map(|one| format!("{}..{}", show(one.start.into()), show(one.end() - 1))).collect();
    text.line().tone(Tone::Strong, name);
    match places.len() {
        0 => text.put(": no cells"),
        _ => text.put(format!(": {} at {}", counted(assembly.image.cells(), "cell"), places.join(", "))),
    };
    if let Some(start) = assembly.image.start() {
        text.put(format!(", start {}", show(start.into())));
    }
    for (file, sums) in written {
        text.line().tone(Tone::Faint, "  wrote ").put(file).tone(Tone::Faint, sums.unwrap_or_default());
    }
    text
}

#[derive(Serialize)]
struct Built<'a> {
    cell_bits: u8,
    entry: Option<u32>,
    segments: &'a [Segment],
    symbols: BTreeMap<&'a str, i64>,
    diagnostics: Vec<Told>,
}

impl<'a> Built<'a> {
    fn of(assembly: &'a Assembly) -> Self {
        let diagnostics = assembly.diagnostics.iter().map(|one| Told::of(&assembly.sources, one));
        Self {
            cell_bits: assembly.image.cell_bits(),
            entry: assembly.image.start(),
            segments: if assembly.succeeded() { assembly.image.segments() } else { &[] },
            symbols: assembly.symbols.iter().map(|symbol| (symbol.name, symbol.value)).collect(),
            diagnostics: diagnostics.collect(),
        }
    }
}

/// Symbols with their places, and which cells each source line made.
fn symbols_json(assembly: &Assembly) -> String {
    let uses = assembly.symbols.uses();
    let symbols: Vec<_> = assembly
        .symbols
        .iter()
        .map(|symbol| {
            let place = assembly.sources.place(symbol.defined);
            let file = assembly.sources.get(symbol.defined.source).map_or("", |source| &source.name);
            serde_json::json!({
                "name": symbol.name,
                "value": symbol.value,
                "kind": plain_byte::assembler::kind_name(symbol.kind),
                "file": file,
                "line": place.line,
                "uses": uses.of(symbol.id).len(),
            })
        })
        .collect();
    let map = serde_json::json!({ "symbols": symbols, "lines": line_map(assembly) });
    format!("{}\n", json::versioned("build", &map))
}
