//! The words, with what they do and an example each.

use super::{Complaint, Done, Host, Monitor};
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
    word("set",       "set NAME = VALUE, …",          "sets registers, flags, switches, or the values a port reads in turn", &["set a = 12h, cy = 1", "set switches = 10101010b", "set port 20h = 1, 2, 3"], Monitor::set),
    word("memory",    "memory [FIRST..LAST] [RADIX]", "shows cells; RADIX is hex, decimal, octal, binary or characters; alone it goes on", &["memory 4100h..411Fh", "memory table decimal", "memory"], Monitor::memory),
    word("put",       "put ADDRESS = CELL, …",        "sets cells; texts in double quotes", &["put 4100h = 7, 0FFh, \"fog\""], Monitor::put),
    word("code",      "code ADDRESS [INSTRUCTION]",   "puts instructions in; alone it asks line by line until an empty one", &["code 4000h mvi a, 5", "code 4000h"], Monitor::code),
    word("list",      "list [FIRST..LAST]",           "lists instructions with their source; alone it goes on", &["list", "list 4000h", "list start..done"], Monitor::list),
    word("step",      "step [COUNT]",                 "executes one instruction, or so many, and shows what changed", &["step", "step 5"], Monitor::step),
    word("over",      "over",                         "as step, but a subroutine runs as a whole", &["over"], Monitor::over),
    word("out",       "out",                          "runs to the end of the subroutine", &["out"], Monitor::out),
    word("back",      "back [COUNT]",                 "takes back the last instruction, or so many, and what was changed by hand since", &["back", "back 10"], Monitor::back),
    word("run",       "run [ADDRESS]",                "runs from here, or from an address, to the next stop", &["run", "run 4000h"], Monitor::run),
    word("until",     "until ADDRESS",                "runs to an address", &["until done"], Monitor::until),
    word("stop",      "stop at ADDRESS | stop when CONDITION", "sets a breakpoint, or a condition to stop at; alone it lists them", &["stop at loop", "stop when a == 0 && cy == 1", "stop when cell 4100h > 7", "stop"], Monitor::stop),
    word("watch",     "watch EXPRESSION",             "shows a value at every stop", &["watch hl", "watch cell count"], Monitor::watch),
    word("forget",    "forget ADDRESS | forget all",  "takes away a breakpoint, or every breakpoint, condition and watch", &["forget loop", "forget all"], Monitor::forget),
    word("load",      "load FILE [at ADDRESS]",       "loads a program: source, Intel HEX, or raw bytes at an address", &["load tide.asm", "load tide.bin at 4000h"], Monitor::load),
    word("save",      "save FILE FIRST..LAST",        "saves cells as Intel HEX or raw bytes, by the ending of the name", &["save tide.hex 4000h..40FFh"], Monitor::save),
    word("fill",      "fill FIRST..LAST = CELL, …",   "fills a range with cells, again and again", &["fill 4100h..41FFh = 0"], Monitor::fill),
    word("copy",      "copy FIRST..LAST to ADDRESS",  "copies a range; the two may overlap", &["copy 4000h..400Fh to 5000h"], Monitor::copy),
    word("find",      "find FIRST..LAST = CELL, …",   "finds cells in a range", &["find 4000h..7FFFh = 0CDh", "find 0..7FFh = \"ok\""], Monitor::find),
    word("compare",   "compare FIRST..LAST with ADDRESS", "shows the cells that differ between two ranges", &["compare 4000h..400Fh with 5000h"], Monitor::compare),
    word("value",     "value EXPRESSION",             "shows a value in every notation", &["value hl", "value 0FFh - 'A'"], Monitor::value),
    word("type",      "type \"TEXT\"",                "types characters at the console; \\r and \\n are keys too", &["type \"7\\r\""], Monitor::type_text),
    word("reset",     "reset",                        "presses the reset key: the processor starts again, memory stays", &["reset"], Monitor::reset),
    word("interrupt", "interrupt NAME",               "presses an interrupt key", &["interrupt rst7.5"], Monitor::interrupt),
    word("explain",   "explain [ADDRESS]",            "says what the instruction does, and what it would change now", &["explain"], Monitor::explain),
    word("history",   "history [COUNT]",              "shows the last instructions that led here", &["history", "history 30"], Monitor::history),
    word("help",      "help [WORD]",                  "lists the words, or explains one with an example", &["help stop"], Monitor::help),
    word("quit",      "quit",                         "leaves", &["quit"], |_, _, _| Ok(Text::new())),
];

impl Monitor {
    fn help(&mut self, rest: &str, _: &mut dyn Host) -> Result<Text, Complaint> {
        let mut text = Text::new();
        if rest.is_empty() {
            for word in WORDS {
                text.line().tone(Tone::Strong, format!("{:11}", word.name)).put(word.meaning);
            }
            text.line().tone(
                Tone::Faint,
                "any beginning of a word will do that fits only one; numbers are written 0FFh, 255, $FF,",
            );
            text.line().tone(
                Tone::Faint,
                "1010b; addresses may be labels, `$` is the program counter; `;` begins a comment",
            );
            return Ok(text);
        }
        let word = super::find(rest)?;
        text.line().tone(Tone::Strong, word.form);
        text.line().put(format!("  {}", word.meaning));
        for example in word.examples {
            text.line().tone(Tone::Faint, "  example  ").put(*example);
        }
        Ok(text)
    }
}
