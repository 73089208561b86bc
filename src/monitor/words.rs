//! The words, with what they do and an example each.

use super::{Complaint, Done, Host, Monitor};
use crate::processor::{InstructionSet, Role};
use crate::text::{Text, Tone};

/// A word of the monitor.
#[derive(Debug)]
pub struct Word {
    /// The word.
    pub name: &'static str,
    /// How it is written.
    pub form: &'static str,
    /// What it does.
    pub meaning: &'static str,
    /// Lines to try.
    pub examples: &'static [&'static str],
    pub(super) run: fn(&mut Monitor, &str, &mut dyn Host) -> Done,
}

const fn word(
    name: &'static str,
    form: &'static str,
    meaning: &'static str,
    examples: &'static [&'static str],
    run: fn(&mut Monitor, &str, &mut dyn Host) -> Done,
) -> Word {
    Word { name, form, meaning, examples, run }
}

/// Every word, in the order `help` shows them.
#[rustfmt::skip]
pub const WORDS: &[Word] = &[
    word("registers", "registers",                    "shows registers, flags, lamps and time", &["registers"], Monitor::registers),
    word("set",       "set NAME = VALUE, …",          "sets registers, flags, switches, or the values a port reads in turn", &["set {register} = 12h, {flag} = 1", "set switches = 10101010b", "set port 20h = 1, 2, 3"], Monitor::set),
    word("memory",    "memory [FIRST..LAST] [RADIX]", "shows cells; RADIX is hex, decimal, octal, binary or characters; alone it goes on", &["memory 4100h..411Fh", "memory table decimal", "memory"], Monitor::memory),
    word("put",       "put ADDRESS = CELL, …",        "sets cells; texts in double quotes", &["put 4100h = 7, 0FFh, \"fog\""], Monitor::put),
    word("code",      "code ADDRESS [INSTRUCTION]",   "puts instructions in; alone it asks line by line until an empty one", &["code 4000h {instruction}", "code 4000h"], Monitor::code),
    word("list",      "list [FIRST..LAST]",           "lists instructions with their source; alone it goes on", &["list", "list 4000h", "list start..done"], Monitor::list),
    word("step",      "step [COUNT] [inside]",        "executes one instruction, or so many, and shows what changed; what the firmware does for the program is part of it, unless it is to be seen from inside", &["step", "step 5", "step inside"], Monitor::step),
    word("over",      "over",                         "as step, but a subroutine runs as a whole", &["over"], Monitor::over),
    word("out",       "out",                          "runs to the end of the subroutine", &["out"], Monitor::out),
    word("back",      "back [COUNT] | back to PLACE | stop | hazard | interrupt | input | change EXPRESSION", "takes back the last instruction, or so many, and what was changed by hand since; goes back to where a register, a cell, a port was written last, to the last breakpoint or condition, hazard, interrupt, thing done by hand, or change of an expression", &["back", "back 10", "back to {register}", "back to cell 4100h", "back to stack", "back to stop", "back to change cell 4100h & 1"], Monitor::back),
    word("forth",     "forth [COUNT]",                "does again what was taken back, with all that was done by hand", &["forth", "forth 10"], Monitor::forth),
    word("moment",    "moment [NUMBER | cycle NUMBER | start | end]", "goes to a moment of the run, by instructions or cycles; alone it says where the machine stands", &["moment 120", "moment cycle 5000", "moment start", "moment end", "moment"], Monitor::moment),
    word("why",       "why PLACE [deep COUNT]",       "explains a value: by which instruction it came to be, from what, and so on to its beginning", &["why {register}", "why cell 4100h deep 40", "why port 20h", "why stack"], Monitor::why),
    word("writers",   "writers PLACE [last COUNT]",   "lists who wrote something, with times and values, the last one first", &["writers cell 4100h", "writers {register} last 40"], Monitor::writers),
    word("run",       "run [ADDRESS]",                "runs from here, or from an address, to the next stop", &["run", "run 4000h"], Monitor::run),
    word("until",     "until ADDRESS | hazard",       "runs to an address, or to the next hazard", &["until done", "until hazard"], Monitor::until),
    word("stop",      "stop at ADDRESS [when CONDITION] [after COUNT] | stop when CONDITION", "sets a breakpoint, which may ask for a condition and let some arrivals pass, or a condition to stop at anywhere; alone it lists them", &["stop at loop", "stop at loop when {register} > 7 after 3", "stop when {register} == 0 && {flag} == 1", "stop when cell 4100h > 7", "stop"], Monitor::stop),
    word("watch",     "watch EXPRESSION",             "shows a value at every stop", &["watch {register}", "watch cell count"], Monitor::watch),
    word("forget",    "forget ADDRESS | EXPRESSION | all", "takes away a breakpoint, a watch or a condition by what it says, or all of them", &["forget loop", "forget {register}", "forget all"], Monitor::forget),
    word("load",      "load FILE [at ADDRESS]",       "loads a program: source, Intel HEX, or raw bytes at an address", &["load tide.asm", "load tide.bin at 4000h"], Monitor::load),
    word("save",      "save FILE FIRST..LAST",        "saves cells as Intel HEX or raw bytes, by the ending of the name", &["save tide.hex 4000h..40FFh"], Monitor::save),
    word("fill",      "fill FIRST..LAST = CELL, …",   "fills a range with cells, again and again", &["fill 4100h..41FFh = 0"], Monitor::fill),
    word("copy",      "copy FIRST..LAST to ADDRESS",  "copies a range; the two may overlap", &["copy 4000h..400Fh to 5000h"], Monitor::copy),
    word("find",      "find FIRST..LAST = CELL, …",   "finds cells in a range", &["find 4000h..7FFFh = 0CDh", "find 0..7FFh = \"ok\""], Monitor::find),
    word("compare",   "compare FIRST..LAST with ADDRESS", "shows the cells that differ between two ranges", &["compare 4000h..400Fh with 5000h"], Monitor::compare),
    word("value",     "value EXPRESSION",             "shows a value in every notation", &["value {register}", "value 0FFh - 'A'"], Monitor::value),
    word("radix",     "radix [hex | decimal | octal | habit]", "says how numbers without a mark are read; alone it shows which", &["radix hex", "radix habit"], Monitor::choose_radix),
    word("type",      "type \"TEXT\"",                "types characters at the console; \\r and \\n are keys too", &["type \"7\\r\""], Monitor::type_text),
    word("reset",     "reset",                        "presses the reset key: the processor starts again, memory stays", &["reset"], Monitor::reset),
    word("interrupt", "interrupt NAME",               "presses an interrupt key", &["interrupt {input}"], Monitor::interrupt),
    word("explain",   "explain [ADDRESS]",            "says what the instruction does, and what it would change now", &["explain"], Monitor::explain),
    word("history",   "history [COUNT]",              "shows the last instructions that led here", &["history", "history 30"], Monitor::history),
    word("hazards",   "hazards",                      "lists what is probably a mistake: values nothing has set, changed code, stray returns", &["hazards"], Monitor::hazards),
    word("help",      "help [WORD]",                  "lists the words, or explains one with an example", &["help stop"], Monitor::help),
    word("quit",      "quit",                         "leaves", &["quit"], |_, _, _| Ok(Text::new())),
];

/// Beginnings that fit several words, and which is meant: the one that is used most.
pub(super) const MEANT: &[(&str, &str)] = &[
    ("s", "step"),
    ("st", "step"),
    ("r", "run"),
    ("l", "list"),
    ("o", "over"),
    ("h", "help"),
    ("m", "memory"),
    ("w", "watch"),
    ("fo", "forget"),
    ("for", "forget"),
    ("?", "help"),
    ("exit", "quit"),
];

impl Monitor {
    /// An example in the processor's own words and notation.
    pub fn example(&self, form: &str) -> String {
        let set = self.session().processor();
        let register = set.registers().iter().find(|one| one.role == Role::Data).map_or("pc", |one| one.name);
        let flag = set.flags().last().map_or_else(|| register.to_string(), |flag| set.flag_name(flag));
        let input = set.interrupts.inputs.first().copied().unwrap_or_default();
        let text = form
            .replace("{register}", &register.to_lowercase())
            .replace("{flag}", &flag.to_lowercase())
            .replace("{input}", &input.to_lowercase())
            .replace("tide.hex", &format!("tide.{}", set.hints.starter.output.1))
            .replace("{instruction}", set.hints.example);
        numbers_in(set, &text)
    }

    fn help(&mut self, rest: &str, _: &mut dyn Host) -> Result<Text, Complaint> {
        let mut text = Text::new();
        if rest.is_empty() {
            for word in WORDS {
                text.line().tone(Tone::Strong, format!("{:11}", word.name)).put(word.meaning);
            }
            text.line().tone(
                Tone::Faint,
                "a beginning of a word will do; numbers are written 0FFh, 255, $FF, 1010b; addresses may be labels,",
            );
            text.line().tone(
                Tone::Faint,
                "`$` is the program counter; `;` begins a comment; an empty line does the last step again",
            );
            return Ok(text);
        }
        let word = super::find(rest)?;
        text.line().tone(Tone::Strong, word.form);
        text.line().put(format!("  {}", word.meaning));
        for example in word.examples {
            text.line().tone(Tone::Faint, "  example  ").put(self.example(example));
        }
        Ok(text)
    }
}

/// Numbers such as `4100h` as the processor's people write them; on small memories so far down that they are there.
fn numbers_in(set: &InstructionSet, text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find(|c: char| c.is_ascii_digit()) {
        let end =
            rest[at..].find(|c: char| !c.is_ascii_alphanumeric()).map_or(rest.len(), |length| at + length);
        let word = &rest[at..end];
        let stands_alone = !rest[..at].ends_with(|c: char| c.is_ascii_alphanumeric());
        let number = word.strip_suffix('h').and_then(|digits| u64::from_str_radix(digits, 16).ok());
        out.push_str(&rest[..at]);
        match number.filter(|_| stands_alone) {
            Some(number) if number > 0xFF => {
                out.push_str(&set.habit().literal(number & u64::from(set.last_address()), 16));
            }
            Some(number) => out.push_str(&set.habit().literal(number, 8)),
            None => out.push_str(word),
        }
        rest = &rest[end..];
    }
    out + rest
}
