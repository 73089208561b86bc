//! The command line: every command with its options, help and an example.

use crate::command;
use crate::files;
use crate::json;
use crate::paint;
use crate::say::Failure;
use crate::serial::Place;
use clap::builder::TypedValueParser;
use clap::{Arg, ArgMatches, Args, Command, FromArgMatches};
use std::ffi::OsString;

type Runner = fn(&ArgMatches) -> Result<(), Failure>;

/// A command of `plainbyte`.
struct Entry {
    name: &'static str,
    about: &'static str,
    example: &'static str,
    augment: fn(Command) -> Command,
    run: Runner,
}

macro_rules! entry {
    ($name:literal, $arguments:ty, $run:path, $about:literal, $example:literal) => {
        Entry {
            name: $name,
            about: $about,
            example: $example,
            augment: <$arguments as Args>::augment_args,
            run: |matches| $run(&<$arguments as FromArgMatches>::from_arg_matches(matches).map_err(broken)?),
        }
    };
}

fn broken(error: clap::Error) -> Failure {
    Failure::usage(error.to_string(), "")
}

/// Every command, in the order of the help.
const COMMANDS: &[Entry] = &[
    entry!(
        "build",
        BuildArguments,
        command::build::run,
        "Assemble a source and write its image, listing and symbols",
        "plainbyte build tides.asm --output hex:tides.hex --listing tides.lst"
    ),
    entry!(
        "run",
        RunArguments,
        command::run::run,
        "Run a program and show what it did",
        "plainbyte run divide.asm --board plover --trace --show nights..left\n  plainbyte run --board dunlin --offer-link tcp:4000 --console stdio\n  plainbyte run night-log.asm --link tcp:4000"
    ),
    entry!(
        "new",
        NewArguments,
        command::new::run,
        "Begin a project: a small program for a board, with a case table",
        "plainbyte new beacon --board plover"
    ),
    entry!(
        "monitor",
        MonitorArguments,
        command::monitor::run,
        "Look, step and change with the machine monitor",
        "plainbyte monitor divide.asm --board plover\n  echo 'step 3' | plainbyte monitor divide.asm --board plover\n  plainbyte monitor night-log.asm --link tcp:4000"
    ),
    entry!(
        "debug",
        DebugArguments,
        command::debug::run,
        "Find out why at the full screen: source, registers, memory, and the whole run as a strip of time",
        "plainbyte debug tides.asm --board plover\n  plainbyte debug tides --board plover --keys 'r{Left}w' --picture tides.png"
    ),
    entry!(
        "panel",
        PanelArguments,
        command::panel::run,
        "Work a board at its panel: keys, digits, lamps, console",
        "plainbyte panel --board tern\n  plainbyte panel --board tern --script demo/lamp-character.panel\n  plainbyte panel --board fulmar --picture fulmar.png\n  plainbyte panel log.asm --board puffin --console pty"
    ),
    entry!(
        "disassemble",
        DisassembleArguments,
        command::disassemble::run,
        "Turn an image back into source text",
        "plainbyte disassemble tides.hex --cpu 8085"
    ),
    entry!(
        "inspect",
        InspectArguments,
        command::inspect::run,
        "Show where an image's cells are and what they hold: map, vectors, sums",
        "plainbyte inspect tides.hex --cpu 8085"
    ),
    entry!(
        "convert",
        ConvertArguments,
        command::convert::run,
        "Turn an image into another form",
        "plainbyte convert tides.hex --output raw,first=0,length=2000h,fill=0FFh:tides.bin\n  plainbyte convert even.bin odd.bin --lanes 2 --output hex:both.hex"
    ),
    entry!(
        "chart",
        ChartArguments,
        command::chart::run,
        "Show the opcode chart, whole or in part",
        "plainbyte chart 8085 mvi\n  plainbyte chart 8085 40h..4Fh\n  plainbyte chart 8085 --map"
    ),
    entry!(
        "value",
        ValueArguments,
        command::value::run,
        "Show a value in every notation",
        "plainbyte value 0B7h\n  plainbyte value \"'A' + 10\"\n  plainbyte value -- -2"
    ),
    entry!(
        "card",
        CardArguments,
        command::card::run,
        "Make the card to key a program in from, with the switches drawn",
        "plainbyte card lamps.asm\n  plainbyte card lamps.asm --output lamps-card.svg\n  plainbyte card boats.asm --board tern --output boats.panel"
    ),
    entry!(
        "flow",
        FlowArguments,
        command::flow::run,
        "Draw the flow chart of a program",
        "plainbyte flow tides.asm\n  plainbyte flow tides.asm --output tides-flow.png --dark"
    ),
    entry!(
        "report",
        ReportArguments,
        command::report::run,
        "Make a page of a program and its run, to hand in or to project",
        "plainbyte report divide\n  plainbyte report passages --case \"three boats\" --output passages.html"
    ),
    entry!(
        "cases",
        CasesArguments,
        command::cases::run,
        "Run the case table of a program",
        "plainbyte cases demo/divide\n  plainbyte cases divide --folder submissions --html grades.html --csv grades.csv"
    ),
    entry!(
        "replay",
        ReplayArguments,
        command::replay::run,
        "Play a recorded run again, and find where it goes another way",
        "plainbyte run log.asm --board puffin --cycles 400000 --record log.jsonl\n  plainbyte replay log.jsonl"
    ),
    entry!(
        "boards",
        BoardsArguments,
        command::boards::run,
        "List the boards, or show what one has",
        "plainbyte boards plover\n  plainbyte boards plover --toml > mine.toml"
    ),
    entry!(
        "burn",
        BurnArguments,
        command::burn::run,
        "Program memory chips that live in files: blank check, program, verify, erase, read",
        "plainbyte burn new fog.chip --part 27256\n  plainbyte burn program fog.chip fog.hex --base 8000h\n  plainbyte burn verify fog.chip fog.hex --base 8000h\n  plainbyte burn read fog.chip -o raw:fog.bin"
    ),
    entry!(
        "send",
        SendArguments,
        command::send::run,
        "Send an image to a board over a serial line",
        "plainbyte send tides.hex --to /dev/ttyUSB0 --baud 38400 --verify\n  plainbyte send clock.asm --board curlew --to tcp:4000 --by xmodem --blocks 1024 --go"
    ),
    entry!(
        "receive",
        ReceiveArguments,
        command::receive::run,
        "Take an image from a board over a serial line",
        "plainbyte receive --from /dev/ttyUSB0,baud=38400 --range 1000h..11FFh --output hex:back.hex\n  plainbyte receive --from tcp:4000 --by hex --range 0100h..02FFh --output raw:back.bin\n  plainbyte receive --ports"
    ),
    entry!(
        "serve",
        ServeArguments,
        crate::serve::run,
        "Answer an editor: mistakes while one types, meanings, places, what may come next; debug in it",
        "plainbyte serve language\n  plainbyte serve debugger\n  plainbyte serve debugger --listen 127.0.0.1:4711\n  plainbyte serve remote watches --board petrel --listen 127.0.0.1:1234"
    ),
    entry!(
        "explain",
        ExplainArguments,
        command::explain::run,
        "Say what a code of an error or a warning means, and what to do",
        "plainbyte explain undefined-symbol\n  plainbyte explain"
    ),
    entry!(
        "completions",
        CompletionsArguments,
        command::shell::completions,
        "Print what a shell needs to complete commands, options, boards and files",
        "plainbyte completions bash > ~/.local/share/bash-completion/completions/plainbyte"
    ),
    entry!(
        "manuals",
        ManualsArguments,
        command::shell::manuals,
        "Write the manual pages of all commands into a folder",
        "plainbyte manuals ~/.local/share/man/man1"
    ),
    entry!(
        "demo",
        DemoArguments,
        command::demo::run,
        "Take a short tour on the programs that travel with the command",
        "plainbyte demo\n  plainbyte demo divide\n  plainbyte demo --all"
    ),
];

/// The help of the whole command.
///
/// PERF: laid out here, since the layout of the argument parser takes more instructions than all the rest of the start.
fn overview() -> String {
    let mut text = String::with_capacity(2048);
    text.push_str(
        "Assembles, runs and explains programs for vintage processors and trainer boards\n\nUsage: plainbyte <COMMAND>\n\nCommands:\n",
    );
    for entry in COMMANDS {
        text.push_str("  ");
        text.push_str(entry.name);
        text.extend(std::iter::repeat_n(' ', 13 - entry.name.len().min(12)));
        text.push_str(entry.about);
        text.push('\n');
    }
    text.push_str(
        "\nOptions:\n  -q, --quiet          Say nothing but results and errors\n      --one-line       A message a line, `file:line:column: error[code]: …`, for editors and scripts\n      --color <WHEN>   Colours: auto, always or never\n  -h, --help           Print help\n  -V, --version        Print version\n\nExamples:\n  plainbyte demo\n  plainbyte run divide.asm --board plover --trace\n\n`plainbyte help COMMAND` shows a command's options with an example.\nExit status: 0 done, 1 the program or the input is wrong, 2 the command line is wrong,\n3 a run reached its limit before its end.\n",
    );
    text
}

/// The whole command line. The options of a command are only made when it is the one that is meant.
pub fn command() -> Command {
    let mut all = Command::new("plainbyte")
        .version(env!("CARGO_PKG_VERSION"))
        .about("Assembles, runs and explains programs for vintage processors and trainer boards")
        .override_help(overview())
        .subcommand_required(true)
        .arg_required_else_help(true)
        .disable_help_subcommand(true)
        .args(manners());
    for entry in COMMANDS {
        let sub = Command::new(entry.name)
            .about(entry.about)
            .after_help(format!("Example:\n  {}", entry.example))
            .defer(entry.augment);
        all = all.subcommand(sub);
    }
    all
}

/// Options that do not go together, and why.
const APART: &[(&[&str], &[&str], &str)] = &[
    (
        &["--json"],
        &["--sizes", "--against"],
        "the sizes are a table to be read; --symbols has what a script needs",
    ),
    (&["--json"], &["--csv", "--map"], "each of them is a form of its own for the same chart"),
    (&["--csv"], &["--map"], "a map is drawn for people, CSV is for programs"),
    (
        &[
            "--trace",
            "--trace-from",
            "--trace-to",
            "--trace-most",
            "--trace-last",
            "--trace-large",
            "--inside",
        ],
        &["--console", "--offer-link"],
        "the console and the trace would be written into each other",
    ),
    (
        &["--watch"],
        &[
            "--console",
            "--offer-link",
            "--trace",
            "--trace-from",
            "--trace-to",
            "--trace-most",
            "--trace-last",
            "--trace-large",
            "--inside",
        ],
        "--watch runs the program again and again, and shows its end each time",
    ),
    (&["--record"], &["--link", "--offer-link"], "what happens at the other end of a link is not known here"),
    (
        &["--sizes"],
        &["--console", "--watch", "--link"],
        "for the times the instructions are executed one by one, which is no time to type",
    ),
    (
        &["--script", "--picture"],
        &["--console"],
        "a script presses the keys itself, and nobody looks at its console",
    ),
    (&["--all"], &["--entry"], "--all takes every cell for an instruction, whatever leads there"),
    (
        &["--mnemonics"],
        &["--from", "--at", "--lanes"],
        "--mnemonics rewrites a source, the others are for images",
    ),
];

/// Why options that were given do not go together, where somebody said so.
pub fn why_not_together(error: &clap::Error) -> Option<&'static str> {
    use clap::error::{ContextKind, ContextValue};
    let named = |kind| -> Vec<String> {
        match error.get(kind) {
            Some(ContextValue::String(one)) => vec![one.clone()],
            Some(ContextValue::Strings(several)) => several.clone(),
            _ => vec![],
        }
    };
    let option = |text: &String| text.split([' ', '[', '=']).next().unwrap_or_default().to_string();
    let one: Vec<String> = named(ContextKind::InvalidArg).iter().map(option).collect();
    let other: Vec<String> = named(ContextKind::PriorArg).iter().map(option).collect();
    let has = |list: &[&str], names: &[String]| names.iter().any(|name| list.contains(&name.as_str()));
    let apart = |row: &&(&[&str], &[&str], &str)| {
        has(row.0, &one) && has(row.1, &other) || has(row.1, &one) && has(row.0, &other)
    };
    APART.iter().find(apart).map(|row| row.2)
}

/// Options of every command.
fn manners() -> [Arg; 3] {
    [
        Arg::new("quiet")
            .long("quiet")
            .short('q')
            .global(true)
            .action(clap::ArgAction::SetTrue)
            .help("Say nothing but results and errors"),
        Arg::new("one-line")
            .long("one-line")
            .global(true)
            .action(clap::ArgAction::SetTrue)
            .help("A message a line, `file:line:column: error[code]: …`, for editors and scripts"),
        Arg::new("color")
            .long("color")
            .global(true)
            .value_name("WHEN")
            .value_parser(["auto", "always", "never"])
            .help("Colours: auto, which is at a terminal and without NO_COLOR; always; never")
            .hide_possible_values(true),
    ]
}

/// `help COMMAND` is `COMMAND --help`.
pub fn with_help(mut line: Vec<OsString>) -> Vec<OsString> {
    if line.get(1).is_some_and(|word| word == "help") {
        line.remove(1);
        line.truncate(2);
        line.push("--help".into());
    }
    line
}

/// Runs the command that was chosen.
pub fn run(matches: &ArgMatches) -> Result<(), Failure> {
    let Some((name, matches)) = matches.subcommand() else { return Err(Failure::Said(2)) };
    let is_set = |name: &str| matches.try_get_one::<bool>(name).ok().flatten() == Some(&true);
    paint::behave(
        is_set("quiet"),
        is_set("one-line"),
        matches.get_one::<String>("color").map(String::as_str),
    );
    json::begin(name, is_set("json"));
    match COMMANDS.iter().find(|entry| entry.name == name) {
        Some(entry) => {
            if matches.try_get_one::<bool>("outside").ok().flatten() == Some(&true) {
                files::allow_outside();
            }
            (entry.run)(matches)
        }
        None => Err(Failure::Said(2)),
    }
}

// What a source may do.
#[derive(Debug, Clone, Default, Args)]
pub struct SourceArguments {
    /// Let a source name files outside the folder of its project, or else outside its own
    #[arg(long)]
    outside: bool,
}

// Where a run went, and what that took.
#[derive(Debug, Clone, Default, Args)]
pub struct CoverageArguments {
    /// Show beside the source how often each line ran, the cycles that it took, and conditions that went one way only
    #[arg(long)]
    pub coverage: bool,
    /// Write that into a file as LCOV, which editors and coverage tools read
    #[arg(long, value_name = "FILE")]
    pub lcov: Option<String>,
    /// Write the cycles of each chain of calls into a file, a line each
    #[arg(long, value_name = "FILE")]
    pub stacks: Option<String>,
    /// Draw the chains of calls, each as wide as its time, into a file ending in .svg or .png
    #[arg(long, value_name = "FILE")]
    pub flame: Option<String>,
}

impl CoverageArguments {
    /// True where anything of it is wanted.
    pub fn is_wanted(&self) -> bool {
        self.coverage || self.lcov.is_some() || self.stacks.is_some() || self.flame.is_some()
    }
}

#[derive(Debug, Args)]
pub struct CompletionsArguments {
    /// The shell
    #[arg(value_enum, value_name = "SHELL")]
    pub shell: clap_complete::Shell,
}

#[derive(Debug, Args)]
pub struct ManualsArguments {
    /// The folder; it is made where there is none
    #[arg(value_name = "FOLDER")]
    pub folder: std::path::PathBuf,
}

// What to do with warnings.
#[derive(Debug, Clone, Default, Args)]
pub struct WarningArguments {
    /// Make a kind of warning or hazard an error (docs/warnings.md has the codes); `all` means every kind
    #[arg(long, value_name = "CODE")]
    pub deny: Vec<String>,
    /// Leave a kind of warning or hazard out; `all` means every kind
    #[arg(long, value_name = "CODE")]
    pub allow: Vec<String>,
    #[command(flatten)]
    pub source: SourceArguments,
}

// What a program is for. (A comment for documentation would become the help of every command that has these.)
#[derive(Debug, Clone, Default, Args)]
pub struct TargetArguments {
    /// Processor, where neither the source nor the board names it: 8080, 8085, 8085u, 6502, 65c02, 6502u, z80, z80u, ez80,
    /// ez80adl (the eZ80 in ADL mode), pdp8, pdp10, 8086, 8088 or 8086u
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Board: a shipped one (see `plainbyte boards`) or a description of your own ending in .toml
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// Leave out a memory that the board can do without
    #[arg(long, value_name = "MEMORY")]
    pub without: Vec<String>,
    /// Put a chip into the socket of a memory that the board names: a file of `burn`, or an image; several with commas between are side
    /// by side, the even one first
    #[arg(long, value_name = "MEMORY=FILE")]
    pub chip: Vec<String>,
    /// Address of a raw image, or of a source before its first `org`
    #[arg(long, value_name = "ADDRESS")]
    pub at: Option<String>,
    /// Define a symbol from outside
    #[arg(long, short = 'D', value_name = "NAME=VALUE")]
    pub define: Vec<String>,
    #[command(flatten)]
    pub disk: DiskArguments,
    #[command(flatten)]
    pub record: RecordArguments,
    #[command(flatten)]
    pub warnings: WarningArguments,
}

// What is written down of a run.
#[derive(Debug, Clone, Default, Args)]
pub struct RecordArguments {
    /// Write down what is done to the board, with marks of its state: `plainbyte replay FILE` plays it again anywhere
    #[arg(long, value_name = "FILE")]
    pub record: Option<String>,
    /// Cycles from one mark to the next; 1 000 000 where nothing is said
    #[arg(long, value_name = "N", requires = "record", value_parser = clap::value_parser!(u64).range(1..))]
    pub record_every: Option<u64>,
}

// The disk of a program that runs on disk-system services.
#[derive(Debug, Clone, Default, Args)]
pub struct DiskArguments {
    /// Folder whose files are on the disk of a program for the disk system; names of eight characters and three
    #[arg(long, value_name = "FOLDER")]
    pub disk: Option<String>,
    /// File with the floppy disk in the drive of a board that has one: a whole disk, or its boot sector
    #[arg(long, value_name = "FILE")]
    pub drive: Option<String>,
    /// Let the program change the files in that folder, or that floppy disk
    #[arg(long)]
    pub writable: bool,
    #[arg(skip)]
    pub words: Vec<String>,
}

// A program that is looked at and not run.
#[derive(Debug, Clone, Default, Args)]
pub struct ProgramArguments {
    /// Source or image; the ending may be left out, `-` is standard input. Without one, the program of plainbyte.toml
    #[arg(value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    /// Processor, where neither the source nor the board names it
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Board the program is for; gives processor, load address and names
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// Address of a raw image, or of a source before its first `org`
    #[arg(long, value_name = "ADDRESS")]
    pub at: Option<String>,
    /// Define a symbol from outside
    #[arg(long, short = 'D', value_name = "NAME=VALUE")]
    pub define: Vec<String>,
    #[command(flatten)]
    pub source: SourceArguments,
}

#[derive(Debug, Clone, Args)]
pub struct BuildArguments {
    /// Source; the ending .asm may be left out, `-` is standard input. Without one, what plainbyte.toml says is built
    #[arg(value_name = "SOURCE")]
    pub source: Option<String>,
    /// Processor, where the source does not name it with `cpu`
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Board the program is for; gives processor, load address and names
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// Address of the source before its first `org`
    #[arg(long, value_name = "ADDRESS")]
    pub at: Option<String>,
    /// Leave out a memory that the board can do without
    #[arg(long, value_name = "MEMORY")]
    pub without: Vec<String>,
    /// Define a symbol from outside
    #[arg(long, short = 'D', value_name = "NAME=VALUE")]
    pub define: Vec<String>,
    #[command(flatten)]
    pub warnings: WarningArguments,
    /// Write an image: its kind, with settings after commas, a colon, and the file. Kinds: raw, hex, srec, com, boot,
    /// prefixed, data-lines, roms, ptape, read-in, block-tape, cassette; settings: first, length, fill, record, line, step, width, size,
    /// lanes; of a cassette baud, rate, bits, level, leader, gap, square, record, bare
    #[arg(long, short = 'o', value_name = "KIND:FILE")]
    pub output: Vec<String>,
    /// Write the listing; `-` is standard output
    #[arg(long, short = 'l', value_name = "FILE")]
    pub listing: Option<String>,
    /// Write symbols and line map as JSON; `-` is standard output
    #[arg(long, value_name = "FILE")]
    pub symbols: Option<String>,
    /// Write which files the outputs are made from, as a rule for make; `-` is standard output
    #[arg(long, value_name = "FILE")]
    pub depends: Option<String>,
    /// Show the size and time of every label and every loop
    #[arg(long)]
    pub sizes: bool,
    /// Compare sizes and times with another version of the source
    #[arg(long, value_name = "SOURCE")]
    pub against: Option<String>,
    /// Print the result as JSON
    #[arg(long, short = 'j', conflicts_with_all = ["sizes", "against"])]
    pub json: bool,
    /// Stay, and build again whenever a file is saved
    #[arg(long, short = 'w')]
    pub watch: bool,
}

#[derive(Debug, Args)]
pub struct NewArguments {
    /// The project's name, and the folder it is made in
    #[arg(value_name = "NAME")]
    pub name: String,
    /// The board it is for: a shipped one, `bare`, or a description of your own ending in .toml
    /// [default: plover, or one for the processor]
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// The processor, where it is not the board's own
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// The kind of program, where the board runs several: com, exe or boot on petrel
    #[arg(long, value_name = "KIND")]
    pub kind: Option<String>,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Speed {
    Real,
    Max,
}

// Which part of a run is traced.
#[derive(Debug, Clone, Args)]
pub struct TraceArguments {
    /// Show every instruction and what it changed; what the firmware does for the program is one line
    #[arg(long, short = 't')]
    pub trace: bool,
    /// Trace from where the run first comes to this place
    #[arg(long, value_name = "LABEL|ADDRESS")]
    pub trace_from: Option<String>,
    /// Trace until the run comes to this place, its instruction included; the run goes on
    #[arg(long, value_name = "LABEL|ADDRESS")]
    pub trace_to: Option<String>,
    /// Trace so many lines; the run goes on
    #[arg(long, value_name = "N")]
    pub trace_most: Option<usize>,
    /// Trace, and show the last so many lines
    #[arg(long, value_name = "N")]
    pub trace_last: Option<usize>,
    /// Trace in large figures for a wall: all registers and flags at every step; at a terminal Enter goes on, q ends the trace
    #[arg(long)]
    pub trace_large: bool,
    /// In a trace: show what the firmware does inside, instruction by instruction
    #[arg(long)]
    pub inside: bool,
}

impl TraceArguments {
    /// True where anything is to be traced.
    pub fn is_wanted(&self) -> bool {
        let Self { trace, trace_from, trace_to, trace_most, trace_last, trace_large, inside } = self;
        let part = trace_from.is_some() || trace_to.is_some() || trace_most.is_some() || trace_last.is_some();
        *trace || *inside || *trace_large || part
    }
}

#[derive(Debug, Clone, Args)]
pub struct RunArguments {
    /// Source or image; the ending may be left out, `-` is a source on standard input. Without one, the program of
    /// plainbyte.toml is run
    #[arg(value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    /// What is typed after the name of a program for the disk system
    #[arg(value_name = "WORD")]
    pub words: Vec<String>,
    #[command(flatten)]
    pub target: TargetArguments,
    /// Stop at a label or address, before the instruction there
    #[arg(long, value_name = "LABEL|ADDRESS")]
    pub until: Option<String>,
    /// Stop after so many clock cycles, or after a time of the machine: 20000, 20ms, 2s
    #[arg(long, value_name = "N|TIME")]
    pub cycles: Option<String>,
    /// Type this at the console; @FILE takes it from a file
    #[arg(long, short = 'i', value_name = "TEXT|@FILE")]
    pub input: Option<String>,
    /// How fast to run: real, as the board's clock, or max, as this computer can; max unless a console is attached
    #[arg(long, value_enum, hide_possible_values = true)]
    pub speed: Option<Speed>,
    /// Attach the board's serial line: stdio, every key as it is pressed; pty, a pseudo-terminal whose name is told;
    /// tcp:PORT, a port of this computer (0 for a free one); or a serial device with its settings, such as /dev/ttyUSB0,baud=19200
    #[arg(long, value_name = "WHERE", conflicts_with_all = ["trace", "trace_from", "trace_to", "trace_most", "trace_last", "trace_large", "inside", "watch"])]
    pub console: Option<Place>,
    /// Offer the board's debug link, so that --link of another command drives it: stdio, pty, tcp:PORT or unix:PATH
    #[arg(long, value_name = "WHERE", conflicts_with_all = ["trace", "trace_from", "trace_to", "trace_most", "trace_last", "trace_large", "inside", "watch", "json", "link", "record"])]
    pub offer_link: Option<Place>,
    #[command(flatten)]
    pub link: LinkArguments,
    #[command(flatten)]
    pub trace: TraceArguments,
    /// Write what the board's speaker played to a WAV file
    #[arg(long, value_name = "FILE")]
    pub sound: Option<String>,
    /// Set a register, a flag, switches, or cells from an address on, before the run
    #[arg(long, value_name = "REG=VALUE|ADDR=BYTES")]
    pub set: Vec<String>,
    /// Press a key or a button of the board at a time, or hold it from one time to another: cycles, `20ms` or `1.5s`
    #[arg(long, value_name = "NAME@TIME[..TIME]")]
    pub press: Vec<String>,
    /// Give values to a port, read in turn, the last one again and again
    #[arg(long, value_name = "PORT=VALUES")]
    pub port: Vec<String>,
    /// Put this paper tape into the board's reader
    #[arg(long, value_name = "FILE")]
    pub tape: Option<String>,
    /// Put this recording into the board's cassette recorder and press play; a file that is not there yet is a new cassette,
    /// on which the board records
    #[arg(long, value_name = "FILE.wav", conflicts_with = "link")]
    pub cassette: Option<String>,
    /// Write what the board's punch has punched into this file
    #[arg(long, value_name = "FILE")]
    pub punch: Option<String>,
    /// Show the size of every label and what the run took there; instructions are executed one by one for that
    #[arg(long, conflicts_with_all = ["console", "watch", "link", "json"])]
    pub sizes: bool,
    #[command(flatten)]
    pub coverage: CoverageArguments,
    /// Tell what the program did that it hardly means: it used what nothing had set, changed its own code, returned astray
    #[arg(long, conflicts_with_all = ["link", "offer_link"])]
    pub hazards: bool,
    /// Show cells at the end
    #[arg(long, value_name = "FIRST..LAST")]
    pub show: Vec<String>,
    /// Print the result as JSON
    #[arg(long, short = 'j', conflicts_with_all = ["trace", "trace_from", "trace_to", "trace_most", "trace_last", "trace_large", "inside", "watch"])]
    pub json: bool,
    /// Stay, and run again whenever a file is saved; while the new source has errors the last good program stays
    #[arg(long, short = 'w')]
    pub watch: bool,
}

// The board at the other end of a debug link.
#[derive(Debug, Clone, Default, Args)]
pub struct LinkArguments {
    /// Send the program to a board over its debug link and drive it there: a device, tcp:PORT, tcp:HOST:PORT, or
    /// exec:COMMAND for a command whose standard input and output are the link
    #[arg(long, value_name = "PLACE", conflicts_with = "record")]
    pub link: Option<String>,
    /// Keep what goes over the line in a file: when, in which direction, in hex and as characters
    #[arg(long, value_name = "FILE")]
    pub log: Option<String>,
}

#[derive(Debug, Args)]
pub struct MonitorArguments {
    /// Source or image to load; without one the program of plainbyte.toml, or nothing
    #[arg(value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    #[command(flatten)]
    pub target: TargetArguments,
    #[command(flatten)]
    pub link: LinkArguments,
}

#[derive(Debug, Args)]
pub struct ServeArguments {
    /// The protocol: `language` is the Language Server Protocol, `debugger` the Debug Adapter Protocol, `remote` the remote serial
    /// protocol of general debuggers
    #[arg(value_enum, value_name = "PROTOCOL")]
    pub server: Server,
    /// For `remote`: source or image; without one the program of plainbyte.toml
    #[arg(value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    #[command(flatten)]
    pub target: TargetArguments,
    /// Answer clients at this port of this machine, one after the other, instead of standard input and output
    #[arg(long, value_name = "ADDRESS:PORT")]
    pub listen: Option<String>,
}

/// Who is answered.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Server {
    /// An editor.
    Language,
    /// A debugger's screen.
    Debugger,
    /// A general debugger.
    Remote,
}

#[derive(Debug, Args)]
pub struct DebugArguments {
    /// Source or image; without one the program of plainbyte.toml
    #[arg(value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    #[command(flatten)]
    pub target: TargetArguments,
    /// Press these keys instead of opening the screen, and print what it shows then: letters as they are, others as {Enter}, {Left}, {Up}
    #[arg(long, value_name = "KEYS")]
    pub keys: Option<String>,
    /// The case table whose cases can be chosen; without one NAME.cases.toml beside the program
    #[arg(long, value_name = "FILE")]
    pub cases: Option<String>,
    /// Write a picture of the screen; a file ending in .png or .svg
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
    /// Size of what is printed or drawn, in columns and lines
    #[arg(long, value_name = "COLUMNSxLINES", default_value = "128x40")]
    pub size: String,
}

#[derive(Debug, Args)]
pub struct PanelArguments {
    /// Source or image to put into memory; without one the program of plainbyte.toml, or nothing
    #[arg(value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    #[command(flatten)]
    pub target: TargetArguments,
    /// Carry out a panel script instead of opening the screen; `-` is standard input
    #[arg(long, value_name = "FILE")]
    pub script: Option<String>,
    /// Write a picture of the panel at the end of the script, or of the board as it starts; a file ending in .png or .svg
    #[arg(long, value_name = "FILE")]
    pub picture: Option<String>,
    /// Put this paper tape into the board's reader; Ctrl+T at the panel puts another one in
    #[arg(long, value_name = "FILE")]
    pub tape: Option<String>,
    /// Put this recording into the board's cassette recorder and press play; a file that is not there yet is a new cassette,
    /// on which the board records
    #[arg(long, value_name = "FILE.wav")]
    pub cassette: Option<String>,
    /// Write what the board's punch has punched into this file at the end; Ctrl+O at the panel does it at once
    #[arg(long, value_name = "FILE")]
    pub punch: Option<String>,
    /// Size of pictures in columns and lines
    #[arg(long, value_name = "COLUMNSxLINES", default_value = "128x40")]
    pub size: String,
    /// Attach the board's serial line: pty, a pseudo-terminal whose name is told, or tcp:PORT, a port of this computer
    #[arg(long, value_name = "WHERE", conflicts_with_all = ["script", "picture"])]
    pub console: Option<Place>,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct DisassembleArguments {
    #[command(flatten)]
    pub what: ProgramArguments,
    /// Another address where execution may begin, such as an interrupt's
    #[arg(long, value_name = "ADDRESS")]
    pub entry: Vec<String>,
    /// Take every cell for an instruction, and not only those that execution reaches
    #[arg(long, conflicts_with = "entry")]
    pub all: bool,
    /// Print the lines as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct InspectArguments {
    #[command(flatten)]
    pub what: ProgramArguments,
    /// Assemble the source at other addresses as well, and show which cells depend on the address
    #[arg(long)]
    pub moved: bool,
    /// Draw the holes of every frame of a paper tape, whatever kind of file it is; the first ones of a tape are drawn
    /// unasked
    #[arg(long)]
    pub holes: bool,
    /// Draw the wave of a recording with the bytes that are heard, into a file ending in .svg or .png: round the first damage, or --time
    #[arg(long, value_name = "FILE")]
    pub wave: Option<String>,
    /// The place that --wave draws: seconds, or minutes and seconds
    #[arg(long, value_name = "M:SS.S", requires = "wave")]
    pub time: Option<String>,
    /// Print the facts as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct ConvertArguments {
    /// Images; endings may be left out. Several are put together. With --mnemonics a source
    #[arg(value_name = "IMAGE|SOURCE", required = true)]
    pub image: Vec<String>,
    /// Rewrite 8080 source in the mnemonics of this processor: z80. It assembles to the same bytes
    #[arg(long, value_name = "CPU", conflicts_with_all = ["from", "at", "lanes"])]
    pub mnemonics: Option<String>,
    /// Write an image: its kind, with settings after commas, a colon, and the file. Kinds: raw, hex, srec, com, boot,
    /// prefixed, data-lines, roms, ptape, read-in, block-tape, cassette; settings: first, length, fill, record, line, step, width, size,
    /// lanes; of a cassette baud, rate, bits, level, leader, gap, square, record, bare
    #[arg(long, short = 'o', value_name = "KIND:FILE", required_unless_present = "mnemonics")]
    pub output: Vec<String>,
    /// The kind of the images, where their ending does not tell, with settings after commas: cassette,program=2. Several
    /// recordings of one tape are put together
    #[arg(long, value_name = "KIND")]
    pub from: Option<String>,
    /// Address of images without addresses of their own
    #[arg(long, value_name = "ADDRESS")]
    pub at: Option<String>,
    /// Processor, whose people's way of writing numbers --at follows
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Board that images without addresses of their own are for; gives their address
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// The images are chips, so many side by side, the lowest lane first
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u8).range(1..=8))]
    pub lanes: Option<u8>,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct ChartArguments {
    /// Processor, where neither --cpu nor --board nor plainbyte.toml names it; then a mnemonic or its beginning, an instruction
    /// (`'mov a,b'`), an opcode (`CBh 27h`), or a range of opcodes (`40h..4Fh`)
    #[arg(value_name = "CPU|WHAT")]
    pub what: Vec<String>,
    /// Processor
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Board whose processor it is
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// All opcodes at a glance, the high digit down and the low one across; with a prefix, what follows it: z80 --map cb
    #[arg(long, conflicts_with_all = ["csv", "json"])]
    pub map: bool,
    /// As comma-separated values
    #[arg(long, conflicts_with = "json")]
    pub csv: bool,
    /// As JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct ValueArguments {
    /// An expression: numbers as 0FFh, 0xFF, $FF, 255, 1010b, 17o, 'A', with the operators of C, `low` and `high`
    #[arg(
        value_name = "EXPRESSION",
        required_unless_present = "quiz",
        conflicts_with = "quiz",
        allow_negative_numbers = true
    )]
    pub expression: Vec<String>,
    /// Ask so many conversions to practise instead, on a sheet
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=200))]
    pub quiz: Option<u16>,
    /// The sheet of that number: the same number gives the same questions
    #[arg(long, value_name = "N", requires = "quiz", default_value = "1")]
    pub seed: u64,
    /// The answers to that sheet
    #[arg(long, requires = "quiz")]
    pub answers: bool,
    /// Draw the sheet into this file, ending in .svg or .png, to print
    #[arg(long, short = 'o', value_name = "FILE", requires = "quiz")]
    pub output: Option<String>,
    /// Processor: on a word machine bare digits are octal, and the value is that of a word
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Board whose processor it is, and whose names the expression may have
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// Print the notations as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

// A program to be drawn, and how.
#[derive(Debug, Args)]
pub struct DrawingArguments {
    #[command(flatten)]
    pub what: ProgramArguments,
    /// Draw it into this file, ending in .svg or .png
    #[arg(long, short = 'o', value_name = "FILE")]
    pub output: Option<String>,
    /// Draw it on dark slate, for a screen; else on white, for paper
    #[arg(long, requires = "output")]
    pub dark: bool,
}

#[derive(Debug, Args)]
pub struct CardArguments {
    #[command(flatten)]
    pub drawing: DrawingArguments,
    /// Group the switches in threes, for those who read octal
    #[arg(long)]
    pub octal: bool,
    /// Draw the switches of every cell, also for a board whose keypad or front panel has its own way
    #[arg(long)]
    pub switches: bool,
    /// Make an empty card with room for so many cells, to write on: from --at on, or from where the board puts programs
    #[arg(long, value_name = "CELLS", conflicts_with = "program", value_parser = clap::value_parser!(u32).range(1..=4096))]
    pub blank: Option<u32>,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct FlowArguments {
    #[command(flatten)]
    pub drawing: DrawingArguments,
    /// Another address or label where execution may begin, such as an interrupt's
    #[arg(long, value_name = "ADDRESS|LABEL")]
    pub entry: Vec<String>,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct ReportArguments {
    /// Source or image; without one the program of plainbyte.toml
    #[arg(value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    #[command(flatten)]
    pub target: TargetArguments,
    /// Write the page into this file; NAME.html without it
    #[arg(long, short = 'o', value_name = "FILE.html")]
    pub output: Option<String>,
    /// The case table; the one beside the program without it
    #[arg(long, value_name = "FILE")]
    pub cases: Option<String>,
    /// The case whose run is shown; the first one of the table without it
    #[arg(long, value_name = "NAME", conflicts_with = "input")]
    pub case: Option<String>,
    /// Show a run without what a case gives, with this typed at the console
    #[arg(long, short = 'i', value_name = "TEXT")]
    pub input: Option<String>,
    /// Record so many cycles, or a time such as 20ms, where the run does not end before
    #[arg(long, value_name = "N|TIME")]
    pub cycles: Option<String>,
    /// Print what was written as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct CasesArguments {
    /// Case table, or the program it stands beside; the ending may be left out. Without one, those of plainbyte.toml are run
    #[arg(value_name = "FILE")]
    pub files: Vec<String>,
    /// Try another program with the table than the one it names
    #[arg(long, value_name = "SOURCE|IMAGE")]
    pub program: Option<String>,
    /// Try every program in a folder with the table: the sources and images in it, and a program of each folder in it. None reads anything
    /// outside its own folder
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["program", "coverage", "trace", "tap"])]
    pub folder: Option<String>,
    /// With --folder: how many programs are tried at once; as many as there are processors
    #[arg(long, value_name = "N", requires = "folder", value_parser = clap::value_parser!(u16).range(1..=256))]
    pub jobs: Option<u16>,
    /// With --folder: a case ends after so many cycles, whatever the table says
    #[arg(long, value_name = "N", requires = "folder")]
    pub most_cycles: Option<u64>,
    /// With --folder: write the rows as CSV; `-` is standard output
    #[arg(long, value_name = "FILE", requires = "folder")]
    pub csv: Option<String>,
    /// With --folder: write the rows as a page of HTML
    #[arg(long, value_name = "FILE", requires = "folder")]
    pub html: Option<String>,
    /// Run them on another board than the one it names
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// Run them on another processor that fits the board
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Run one case, by its name
    #[arg(long, value_name = "NAME")]
    pub only: Option<String>,
    #[command(flatten)]
    pub coverage: CoverageArguments,
    /// Tell what each case did that the program hardly means, and leave kinds of it out or make the case fail by --allow and --deny
    #[arg(long)]
    pub hazards: bool,
    /// Make a case fail that has this kind of hazard (docs/warnings.md has the codes); `all` means every kind
    #[arg(long, value_name = "CODE")]
    pub deny: Vec<String>,
    /// Leave a kind of hazard out; `all` means every kind
    #[arg(long, value_name = "CODE")]
    pub allow: Vec<String>,
    #[command(flatten)]
    pub trace: TraceArguments,
    /// Write the outcomes as JUnit XML, for whoever collects results; `-` is standard output
    #[arg(long, value_name = "FILE")]
    pub junit: Option<String>,
    /// Write the outcomes in the Test Anything Protocol; `-` is standard output
    #[arg(long, value_name = "FILE")]
    pub tap: Option<String>,
    /// Print the outcomes as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct ReplayArguments {
    /// The record, as --record of `run`, `monitor` or `panel` wrote it
    #[arg(value_name = "FILE")]
    pub record: String,
    /// The board, where it is not to be found under the name in the record
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// Print how it went as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct BoardsArguments {
    /// Board to show
    #[arg(value_name = "NAME")]
    pub name: Option<String>,
    /// Print the board's description, to begin one of your own
    #[arg(long, requires = "name")]
    pub toml: bool,
    /// Print as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

/// How an image is sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum By {
    /// Intel HEX, each line held against its echo.
    Hex,
    /// XMODEM, with a checksum or a CRC as the far side asks.
    Xmodem,
}

/// How an image is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Gives {
    /// XMODEM, with a CRC, or a checksum where the far side knows nothing else.
    Xmodem,
    /// Records of Intel HEX.
    Hex,
    /// S-records.
    Srec,
}

/// What is done to a chip.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum BurnDeed {
    /// Take a new chip.
    New,
    /// Say what it is and what was done to it.
    Identify,
    /// Look whether it is blank.
    Blank,
    /// Program an image into it.
    Program,
    /// Compare it with an image.
    Verify,
    /// Read it into a file.
    Read,
    /// Erase it.
    Erase,
    /// Lock it against writing.
    Lock,
    /// What goes into which chip of a set, in which order, with sums; labels to print; chips that were read back compared with it.
    Set,
    /// List the parts that are known.
    Parts,
}

#[derive(Debug, Args)]
pub struct BurnArguments {
    /// What to do
    #[arg(value_enum, value_name = "DEED")]
    pub deed: BurnDeed,
    /// The file that the chip lives in; its ending .chip may be left out. For `set` the file of the set, NAME.roms.toml
    #[arg(value_name = "CHIP")]
    pub chip: Option<String>,
    /// The image that is programmed or compared
    #[arg(value_name = "IMAGE")]
    pub image: Option<String>,
    /// The part number of a new chip: 2708 to 27512, 28C64, 28C256, 29C256, 29F010, 29F040
    #[arg(long, value_name = "PART")]
    pub part: Option<String>,
    /// What stands on the label of a new chip
    #[arg(long, value_name = "TEXT")]
    pub label: Option<String>,
    /// The address in memory that the chip's first cell has
    #[arg(long, value_name = "ADDRESS")]
    pub base: Option<String>,
    /// Address of an image without addresses of its own
    #[arg(long, value_name = "ADDRESS")]
    pub at: Option<String>,
    /// Burn also where something looks like a mistake
    #[arg(long)]
    pub sure: bool,
    /// Minutes under the lamp; 20 erase a chip
    #[arg(long, value_name = "N")]
    pub minutes: Option<u32>,
    /// Erase the sector of this place alone
    #[arg(long, value_name = "ADDRESS")]
    pub sector: Option<String>,
    /// Take the lock away
    #[arg(long)]
    pub off: bool,
    /// Write what was read: its kind, a colon, and the file
    #[arg(long, short = 'o', value_name = "KIND:FILE")]
    pub output: Vec<String>,
    /// Of a set: write each chip's bytes into this folder, SOCKET.bin
    #[arg(long, value_name = "FOLDER")]
    pub folder: Option<String>,
    /// Of a set: draw labels to print, a file ending in .svg or .png
    #[arg(long, value_name = "FILE")]
    pub labels: Option<String>,
    /// Of a set: compare what was read from the chip of a socket
    #[arg(long, value_name = "SOCKET=FILE")]
    pub compare: Vec<String>,
    /// Processor, whose vectors are shown after programming
    #[arg(long, short = 'c', value_name = "NAME")]
    pub cpu: Option<String>,
    /// Board, for the same
    #[arg(long, short = 'b', value_name = "NAME")]
    pub board: Option<String>,
    /// Print the state of the chip as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct SendArguments {
    #[command(flatten)]
    pub what: ProgramArguments,
    /// Where the far side is: a serial device, with settings such as /dev/ttyUSB0,baud=9600,parity=even,bits=7,stop=2,flow=rts-cts,dtr=reset;
    /// a pseudo-terminal, tcp:PORT of this computer or tcp:HOST:PORT
    #[arg(long, value_name = "WHERE")]
    pub to: String,
    /// How: hex, as Intel HEX with its echo checked, or xmodem
    #[arg(long, value_enum, default_value = "hex", hide_possible_values = true)]
    pub by: By,
    /// Bytes of a block with XMODEM: 128 or 1024
    #[arg(long, value_name = "BYTES", default_value = "128", value_parser = clap::builder::PossibleValuesParser::new(["128", "1024"]).map(|size| size.parse::<u32>().unwrap_or(128)))]
    pub blocks: u32,
    /// What is typed at the far side's monitor first, with {first}, {last} and {entry} for addresses; load or receive {first} where
    /// nothing else is said, and nothing for an empty text
    #[arg(long = "type", value_name = "TEXT")]
    pub words: Option<String>,
    /// Speed of a serial device
    #[arg(long, value_name = "N")]
    pub baud: Option<u32>,
    /// Keep what goes over the line in a file: when, in which direction, in hex and as characters
    #[arg(long, value_name = "FILE")]
    pub log: Option<String>,
    /// Wait so many milliseconds after each line of HEX
    #[arg(long, value_name = "MS", default_value = "0", hide_default_value = true)]
    pub pace: u64,
    /// Give up where nothing moves for so many seconds, whatever the far side says meanwhile
    #[arg(long, value_name = "SECONDS", default_value = "120", value_parser = clap::value_parser!(u64).range(1..=86_400))]
    pub give_up: u64,
    /// The far side does not echo HEX
    #[arg(long)]
    pub no_echo: bool,
    /// Go on with an attempt that was broken off
    #[arg(long)]
    pub resume: bool,
    /// Let the far side's monitor tell a CRC of what it has, with its word `crc`
    #[arg(long)]
    pub verify: bool,
    /// Start the program then, with the monitor's word `go`
    #[arg(long)]
    pub go: bool,
    /// Stay then as the far side's terminal: what it says is shown, what is typed goes there; Ctrl+\ ends it
    #[arg(long)]
    pub stay: bool,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct ReceiveArguments {
    /// Where the far side is: a serial device, with settings such as /dev/ttyUSB0,baud=9600,parity=even,bits=7,stop=2,flow=rts-cts,dtr=reset;
    /// a pseudo-terminal, tcp:PORT of this computer or tcp:HOST:PORT
    #[arg(long, value_name = "WHERE", required_unless_present = "ports")]
    pub from: Option<String>,
    /// How: xmodem, hex or srec
    #[arg(long, value_enum, default_value = "xmodem", hide_possible_values = true)]
    pub by: Gives,
    /// The stretch that is asked for; it stands in what is typed, and bytes beyond it are left out
    #[arg(long, value_name = "FIRST..LAST")]
    pub range: Option<String>,
    /// What is typed at the far side's monitor first, with {first} and {last} for addresses; `give {first} {last}`, `hex {first} {last}` or
    /// `srec {first} {last}` where nothing else is said, and nothing for an empty text
    #[arg(long = "type", value_name = "TEXT")]
    pub words: Option<String>,
    /// Write an image: its kind, with settings after commas, a colon, and the file, as `convert` does
    #[arg(long, short = 'o', value_name = "KIND:FILE", required_unless_present = "ports")]
    pub output: Vec<String>,
    /// Speed of a serial device
    #[arg(long, value_name = "N")]
    pub baud: Option<u32>,
    /// Keep what goes over the line in a file: when, in which direction, in hex and as characters
    #[arg(long, value_name = "FILE")]
    pub log: Option<String>,
    /// Give up where nothing moves for so many seconds, whatever the far side says meanwhile
    #[arg(long, value_name = "SECONDS", default_value = "120", value_parser = clap::value_parser!(u64).range(1..=86_400))]
    pub give_up: u64,
    /// List the serial devices of this computer
    #[arg(long)]
    pub ports: bool,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct ExplainArguments {
    /// Code of an error or a warning, as it stands in brackets; without one, all of them
    #[arg(value_name = "CODE")]
    pub code: Option<String>,
    /// Print the result as JSON
    #[arg(long, short = 'j')]
    pub json: bool,
}

#[derive(Debug, Args)]
pub struct DemoArguments {
    /// One program of the tour
    #[arg(value_name = "NAME")]
    pub name: Option<String>,
    /// The whole tour, one program after the other; at a terminal it waits for Enter between them
    #[arg(long, conflicts_with_all = ["name", "copy"])]
    pub all: bool,
    /// Write the demo programs into a folder, to try things on
    #[arg(long, value_name = "FOLDER")]
    pub copy: Option<String>,
}
