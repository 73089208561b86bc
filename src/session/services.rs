//! Services behind interrupts, told in words: what a call asks for, with its inputs, and what it came to.

use crate::machine::Machine;
use crate::number::character;
use crate::processor::Window;

/// A service by its interrupt and what AH holds; in braces stand registers and what they mean.
struct Service {
    interrupt: u8,
    call: Option<u8>,
    /// What it does.
    does: &'static str,
    /// What it came to; empty where nothing comes back.
    gives: &'static str,
}

const fn call(interrupt: u8, call: u8, does: &'static str, gives: &'static str) -> Service {
    Service { interrupt, call: Some(call), does, gives }
}

const fn whole(interrupt: u8, does: &'static str, gives: &'static str) -> Service {
    Service { interrupt, call: None, does, gives }
}

#[rustfmt::skip]
const SERVICES: &[Service] = &[
    call(0x10, 0x00, "sets screen mode {AL}", ""),
    call(0x10, 0x01, "sets the cursor's lines to {CH}..{CL}", ""),
    call(0x10, 0x02, "puts the cursor to line {DH}, column {DL}", ""),
    call(0x10, 0x03, "asks for the cursor", "line {DH}, column {DL}"),
    call(0x10, 0x05, "shows page {AL}", ""),
    call(0x10, 0x06, "moves lines {CH}..{DH}, columns {CL}..{DL} up by {AL}", ""),
    call(0x10, 0x07, "moves lines {CH}..{DH}, columns {CL}..{DL} down by {AL}", ""),
    call(0x10, 0x08, "reads the character at the cursor", "{AL:char} with attribute {AH}"),
    call(0x10, 0x09, "puts {CX} of {AL:char} with attribute {BL}", ""),
    call(0x10, 0x0A, "puts {CX} of {AL:char}", ""),
    call(0x10, 0x0B, "sets the border to {BL}", ""),
    call(0x10, 0x0E, "writes {AL:char}", ""),
    call(0x10, 0x0F, "asks for the screen's state", "mode {AL}, {AH} columns"),
    call(0x10, 0x13, "writes {CX} characters at {ES:BP} from line {DH}, column {DL}", ""),
    whole(0x11, "asks what is fitted", "{AX}"),
    whole(0x12, "asks for the memory", "{AX} K"),
    call(0x13, 0x00, "resets the drive", ""),
    call(0x13, 0x01, "asks how the drive did", "status {AH}"),
    call(0x13, 0x02, "reads {AL} sectors from track {CH}, side {DH}, sector {CL} to {ES:BX}", "{AL} read, status {AH}"),
    call(0x13, 0x03, "writes {AL} sectors to track {CH}, side {DH}, sector {CL} from {ES:BX}", "{AL} written, status {AH}"),
    call(0x13, 0x04, "verifies {AL} sectors from track {CH}, side {DH}, sector {CL}", "status {AH}"),
    call(0x13, 0x08, "asks for the form of drive {DL}", "last track {CH}, last sector {CL}, last side {DH}"),
    call(0x14, 0x00, "sets the serial line up by {AL}", "state {AH}"),
    call(0x14, 0x01, "sends {AL:char} on the serial line", "state {AH}"),
    call(0x14, 0x02, "receives from the serial line", "{AL:char}, state {AH}"),
    call(0x14, 0x03, "asks for the serial line's state", "{AH}"),
    call(0x16, 0x00, "waits for a key", "{AL:char}, key {AH}"),
    call(0x16, 0x01, "looks for a key", "{AX:key}"),
    call(0x16, 0x02, "asks for the shifts", "{AL}"),
    whole(0x19, "loads what is on the drive", ""),
    call(0x1A, 0x00, "asks for the time", "{DX} ticks, high word {CX}"),
    call(0x1A, 0x01, "sets the time to {DX} ticks, high word {CX}", ""),
    whole(0x20, "ends the program", ""),
    call(0x21, 0x00, "ends the program", ""),
    call(0x21, 0x01, "reads a key and shows it", "{AL:char}"),
    call(0x21, 0x02, "writes {DL:char}", ""),
    call(0x21, 0x06, "writes {DL:char}, or reads a key where it is FFh", ""),
    call(0x21, 0x07, "reads a key", "{AL:char}"),
    call(0x21, 0x08, "reads a key", "{AL:char}"),
    call(0x21, 0x09, "writes the text at DS:{DX} up to $", "{DS:DX:dollar}"),
    call(0x21, 0x0A, "reads a line to DS:{DX}", "{DS:DX:line}"),
    call(0x21, 0x0B, "asks whether a key waits", "{AL}"),
    call(0x21, 0x0C, "drops the keys that wait, and does call {AL}", ""),
    call(0x21, 0x0E, "chooses drive {DL}", "{AL} drives"),
    call(0x21, 0x0F, "opens the file of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x10, "closes the file of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x11, "searches by the block at DS:{DX}", "{AL}"),
    call(0x21, 0x12, "searches on", "{AL}"),
    call(0x21, 0x13, "deletes the files of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x14, "reads the next record of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x15, "writes the next record of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x16, "makes the file of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x19, "asks for the drive", "{AL}"),
    call(0x21, 0x1A, "sets the transfer area to DS:{DX}", ""),
    call(0x21, 0x21, "reads the random record of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x22, "writes the random record of the block at DS:{DX}", "{AL}"),
    call(0x21, 0x25, "sets vector {AL} to DS:{DX}", ""),
    call(0x21, 0x2A, "asks for the date", "year {CX:decimal}, month {DH:decimal}, day {DL:decimal}"),
    call(0x21, 0x2C, "asks for the time", "{CH:decimal}:{CL:decimal}, {DH:decimal} seconds"),
    call(0x21, 0x2F, "asks for the transfer area", "{ES:BX}"),
    call(0x21, 0x30, "asks for the version", "{AL:decimal}.{AH:decimal}"),
    call(0x21, 0x31, "ends the program with code {AL}, and {DX} paragraphs stay", ""),
    call(0x21, 0x35, "asks for vector {AL}", "{ES:BX}"),
    call(0x21, 0x36, "asks for the free space", "{BX:decimal} K"),
    call(0x21, 0x3C, "makes the file {DS:DX:zero}", "handle {AX:decimal}"),
    call(0x21, 0x3D, "opens the file {DS:DX:zero}", "handle {AX:decimal}"),
    call(0x21, 0x3E, "closes handle {BX:decimal}", ""),
    call(0x21, 0x3F, "reads {CX:decimal} bytes from handle {BX:decimal} to DS:{DX}", "{AX:decimal} read"),
    call(0x21, 0x40, "writes {CX:decimal} bytes at DS:{DX} to handle {BX:decimal}", "{AX:decimal} written"),
    call(0x21, 0x41, "deletes the file {DS:DX:zero}", ""),
    call(0x21, 0x42, "goes in handle {BX:decimal} by {DX}, way {AL}", "at {AX}"),
    call(0x21, 0x43, "asks for the attributes of {DS:DX:zero}", "{CX}"),
    call(0x21, 0x44, "asks about handle {BX:decimal}", "{DX}"),
    call(0x21, 0x47, "asks for the folder", ""),
    call(0x21, 0x48, "asks for {BX} paragraphs of memory", "segment {AX}"),
    call(0x21, 0x49, "frees the memory at segment {ES}", ""),
    call(0x21, 0x4A, "makes the memory at segment {ES} {BX} paragraphs long", ""),
    call(0x21, 0x4B, "runs the program {DS:DX:zero}", ""),
    call(0x21, 0x4C, "ends the program with code {AL:decimal}", ""),
    call(0x21, 0x4D, "asks what the last program ended with", "{AL:decimal}"),
    call(0x21, 0x4E, "searches for {DS:DX:zero}", "found"),
    call(0x21, 0x4F, "searches on", "found"),
    call(0x21, 0x56, "renames the file {DS:DX:zero}", ""),
    call(0x21, 0x62, "asks for its prefix", "segment {BX}"),
    whole(0x29, "writes {AL:char}", ""),
];

/// Why a call of interrupt 21h was refused, by what AX holds.
const REFUSED: &[(u64, &str)] = &[
    (1, "there is no such call"),
    (2, "there is no such file"),
    (3, "there is no such folder"),
    (4, "no handle is free"),
    (5, "it is not allowed"),
    (6, "the handle is not open"),
    (7, "the memory's headers are broken"),
    (8, "there is not so much memory"),
    (9, "there is no such block of memory"),
    (11, "it is not a program"),
    (15, "there is no such drive"),
    (18, "there are no more files"),
];

/// A text is shown up to so many characters.
const LONGEST_TEXT: u16 = 60;

/// A service that is about to be called.
#[derive(Debug, Clone)]
pub(super) struct Called {
    interrupt: u8,
    gives: &'static str,
    /// What it does, with its inputs.
    does: String,
    /// What `gives` names by a pointer is told by the registers of the call.
    before: Machine,
}

impl Called {
    /// The call of an interrupt, with the machine as it stands in front of it.
    pub(super) fn of(machine: &Machine, interrupt: u8) -> Self {
        let ah = (register(machine, "AX") >> 8) as u8;
        let found =
            SERVICES.iter().find(|one| one.interrupt == interrupt && one.call.is_none_or(|call| call == ah));
        let number = format!("{ah:02X}h: ");
        let does = match found {
            Some(one) if one.call.is_none() => filled(one.does, machine, machine),
            Some(one) => number + &filled(one.does, machine, machine),
            None => format!("{ah:02X}h"),
        };
        Self { interrupt, gives: found.map_or("", |one| one.gives), does, before: machine.clone() }
    }

    /// What was asked, as long as it has not come back.
    pub(super) fn asked(&self) -> String {
        self.does.clone()
    }

    /// The whole in words, once it has come back: `09h: writes the text at DS:0109 up to $ → "lamp lit"`.
    pub(super) fn words(&self, after: &Machine) -> String {
        let mut words = self.does.clone();
        let is_refused = flag(after, "CF") && matches!(self.interrupt, 0x13 | 0x21);
        let tells_by_carry = self.interrupt == 0x21
            && matches!(register(&self.before, "AX") >> 8, 0x38..=0x4B | 0x4E..=0x4F | 0x56..=0x57);
        if is_refused && tells_by_carry {
            let code = register(after, "AX");
            let why = REFUSED.iter().find(|one| one.0 == code).map_or("refused", |one| one.1);
            words += &format!(" → {why}");
        } else if !self.gives.is_empty() {
            words += &format!(" → {}", filled(self.gives, &self.before, after));
        }
        words
    }
}

fn register(machine: &Machine, name: &str) -> u64 {
    machine.set().register(name).map_or(0, |place| machine.register(place))
}

fn flag(machine: &Machine, name: &str) -> bool {
    let set = machine.set();
    let flags = set.flags_register().map_or(0, |place| machine.register(place));
    set.flags().iter().any(|flag| flag.name == name && flags & flag.mask != 0)
}

/// A register of sixteen bits, or half of one, with how many hex digits it has.
fn value(machine: &Machine, name: &str) -> (u64, usize) {
    let whole = |half: &str| register(machine, &format!("{}X", &half[..1]));
    match name.as_bytes() {
        [b'A'..=b'D', b'H'] => (whole(name) >> 8, 2),
        [b'A'..=b'D', b'L'] => (whole(name) & 0xFF, 2),
        _ => (register(machine, name), 4),
    }
}

/// A template with its places filled: pointers of the call, values of the machine as it is now.
fn filled(template: &str, called: &Machine, now: &Machine) -> String {
    let mut text = String::new();
    let mut rest = template;
    while let Some((head, tail)) = rest.split_once('{') {
        text.push_str(head);
        let Some((place, behind)) = tail.split_once('}') else { break };
        text.push_str(&shown(place, called, now));
        rest = behind;
    }
    text + rest
}

fn shown(place: &str, called: &Machine, now: &Machine) -> String {
    let parts: Vec<&str> = place.split(':').collect();
    match parts[..] {
        [name] => {
            let (value, digits) = value(now, name);
            format!("{value:0digits$X}")
        }
        [name, "decimal"] => value(now, name).0.to_string(),
        [name, "char"] => quoted_character(value(now, name).0 as u8),
        [_, "key"] if flag(now, "ZF") => "none".to_string(),
        [name, "key"] => {
            let key = value(now, name).0;
            format!("{}, key {:02X}", quoted_character(key as u8), key >> 8)
        }
        [segment, offset] => format!("{:04X}:{:04X}", register(now, segment), register(now, offset)),
        [segment, offset, how] => {
            let window = Window::of_segment(now.set(), register(called, segment) as u32);
            let first = register(called, offset) as u16;
            let cell = |at: u16| now.cell(window.address(first.wrapping_add(at).into())) as u8;
            text_of(how, cell)
        }
        _ => String::new(),
    }
}

fn text_of(how: &str, cell: impl Fn(u16) -> u8) -> String {
    let (from, most) = match how {
        // The length that came stands in front of a line.
        "line" => (2, u16::from(cell(1)).min(LONGEST_TEXT)),
        _ => (0, LONGEST_TEXT),
    };
    let end = |byte: u8| matches!((how, byte), ("dollar", b'$') | ("zero", 0));
    let bytes: Vec<u8> = (from..from + most).map(&cell).take_while(|&byte| !end(byte)).collect();
    let more = if how != "line" && bytes.len() == usize::from(LONGEST_TEXT) { "…" } else { "" };
    let text: String = bytes.iter().flat_map(|&byte| char::from(byte).escape_default()).collect();
    format!("\"{text}{more}\"")
}

/// What was shown, in quotes, up to so many characters.
pub(super) fn quoted(bytes: &[u8]) -> String {
    let shown = &bytes[..bytes.len().min(LONGEST_TEXT.into())];
    let text: String = shown.iter().flat_map(|&byte| char::from(byte).escape_default()).collect();
    let more = if bytes.len() > shown.len() { "…" } else { "" };
    format!("\"{text}{more}\"")
}

fn quoted_character(byte: u8) -> String {
    match byte {
        0x20..=0x7E => format!("'{}'", character(byte.into())),
        other => format!("{other:02X}"),
    }
}
