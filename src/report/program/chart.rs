//! The opcode chart: everything the table knows about each opcode, in the notations people look it up in.

use crate::assembler::{Options, Texts, assemble};
use crate::number::digits;
use crate::processor::{
    Decoded, InstructionSet, PREFIX_CLOCKS, PREFIXES, Prefix, Row, Shape, Suffix, decode,
};
use crate::text::{Text, Tone};
use serde::Serialize;
use std::borrow::Cow;

pub use super::operand_byte::operand_byte;

/// One opcode.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Entry {
    /// The first cell.
    pub opcode: u64,
    /// In hex.
    pub hex: String,
    /// In octal.
    pub octal: String,
    /// The instruction with its registers in place: `MOV B, C`; operands that follow are named: `MVI B, data8`.
    pub instruction: String,
    /// Length in cells.
    pub cells: usize,
    /// Cycles: `7`, or `7/10` where a condition decides.
    pub cycles: String,
    /// The least cycles that it takes.
    pub cycles_least: u64,
    /// The most.
    pub cycles_most: u64,
    /// What happens to the flags, by name: `S* Z* AC1 P* CY0`; empty where nothing does.
    pub flags: String,
    /// What it does.
    pub meaning: Cow<'static, str>,
}

/// Every opcode of a set, in order.
pub fn entries(set: &'static InstructionSet) -> Vec<Entry> {
    if set.is_word_machine() {
        // A form to a row: a word has too many values to show each.
        return set.own_rows().map(|row| entry(set, row.value, row)).collect();
    }
    let mut all: Vec<Entry> = set.every_opcode().map(|one| entry(set, one.value, one.row)).collect();
    if let Some(modes) = set.modes {
        all.extend(modes.suffixes.iter().map(|suffix| suffix_entry(set, suffix)));
        all.sort_by_key(|entry| entry.opcode);
    }
    if set.table.opcodes.operand.is_some() {
        all.extend(PREFIXES.iter().map(|prefix| prefix_entry(set, prefix)));
        all.sort_by_key(|entry| entry.opcode);
    }
    all
}

/// A cell that changes the instruction after it.
fn prefix_entry(set: &InstructionSet, prefix: &'static Prefix) -> Entry {
    Entry {
        opcode: prefix.cell,
        hex: spelled(set, prefix.cell, 16),
        octal: spelled(set, prefix.cell, 8),
        instruction: prefix.name.to_string(),
        cells: 1,
        cycles: PREFIX_CLOCKS.to_string(),
        cycles_least: PREFIX_CLOCKS.into(),
        cycles_most: PREFIX_CLOCKS.into(),
        flags: String::new(),
        meaning: Cow::Borrowed(prefix.meaning),
    }
}

/// A cell that gives the instruction after it widths of its own.
fn suffix_entry(set: &InstructionSet, suffix: &Suffix) -> Entry {
    let bits = |long: bool| if long { 24 } else { 16 };
    let (data, words) = (bits(suffix.long_data), bits(suffix.long_words));
    Entry {
        opcode: suffix.cell,
        hex: spelled(set, suffix.cell, 16),
        octal: spelled(set, suffix.cell, 8),
        instruction: suffix.names[0].to_string(),
        cells: 1,
        cycles: "1".to_string(),
        cycles_least: 1,
        cycles_most: 1,
        flags: String::new(),
        meaning: format!("suffix: the next instruction has data of {data} bits and in it words of {words}")
            .into(),
    }
}

fn entry(set: &'static InstructionSet, opcode: u64, row: &'static Row) -> Entry {
    let mut cells = set.opcode_cells(opcode);
    cells.resize(row.cells().max(cells.len()), 0);
    // After an operand byte the form tells more than one of its values.
    let by_form = set.is_word_machine() || is_with_operand(set, row);
    let decoded = if by_form { None } else { decode(set, &cells, 0).ok().flatten() };
    let opcode = if set.table.opcodes.operand.is_some() { opcode & 0xFFFF } else { opcode };
    let (hex, octal) = (spelled_row(set, opcode, row, 16), spelled_row(set, opcode, row, 8));
    // What people ask for is the first cell.
    let opcode = if is_with_operand(set, row) { opcode >> 8 } else { opcode };
    Entry {
        opcode,
        hex,
        octal,
        instruction: written(row, decoded),
        cells: row.cells(),
        cycles: set.timing(row).to_string(),
        cycles_least: set.timing(row).range().0,
        cycles_most: set.timing(row).range().1,
        flags: flags(set, row),
        meaning: decoded.map_or(Cow::Borrowed(row.meaning), |one| one.meaning()),
    }
}

/// True where the opcode's second cell is an operand byte.
fn is_with_operand(set: &InstructionSet, row: &Row) -> bool {
    set.table.opcodes.operand.is_some() && row.opcode_cells == 2 && row.mask & 7 != 7
}

/// The opcode of a row; of an operand byte the middle three bits where they belong to the opcode, else `r`.
fn spelled_row(set: &InstructionSet, opcode: u64, row: &Row, radix: u32) -> String {
    if !is_with_operand(set, row) {
        return spelled(set, opcode, radix);
    }
    let first = digits(opcode >> 8 & 0xFF, radix, set.cell_bits());
    if row.mask & 0x38 == 0x38 { format!("{first} /{}", opcode >> 3 & 7) } else { format!("{first} /r") }
}

/// The opcode in a radix: a word as it is, bytes one by one, with the place of an operand that stands between them.
fn spelled(set: &InstructionSet, opcode: u64, radix: u32) -> String {
    if set.is_word_machine() {
        return digits(opcode, radix, set.cell_bits());
    }
    let mut bytes: Vec<String> =
        opcode_bytes(opcode).map(|byte| digits(byte, radix, set.cell_bits())).collect();
    if bytes.len() == 3 {
        bytes.insert(2, "d".to_string());
    }
    bytes.join(" ")
}

/// The bytes of an opcode in decimal.
fn decimal(opcode: u64) -> String {
    let mut bytes: Vec<String> = opcode_bytes(opcode).map(|byte| byte.to_string()).collect();
    if bytes.len() == 3 {
        bytes.insert(2, "d".to_string());
    }
    bytes.join(" ")
}

/// The cells of an opcode in one number.
fn opcode_bytes(opcode: u64) -> impl Iterator<Item = u64> {
    let used = (64 - opcode.leading_zeros()).div_ceil(8).max(1);
    (0..used).rev().map(move |at| opcode >> (8 * at) & 0xFF)
}

/// The instruction with the names of its opcode in place.
fn written(row: &Row, decoded: Option<Decoded>) -> String {
    let Some(decoded) = decoded else { return row.form().trim_start().to_string() };
    let operands = row.operands.iter().zip(decoded.operands).map(|(shape, value)| operand(*shape, value));
    let operands: Vec<String> = operands.collect();
    format!("{} {}", row.mnemonic, operands.join(", ")).trim_end().to_string()
}

fn operand(shape: Shape, value: u64) -> String {
    match shape {
        Shape::Name { names, .. } => names.list[value as usize].to_string(),
        Shape::Indexed { names, .. } => format!("{}+d", names.list[(value >> 8) as usize]),
        Shape::Within(within) if matches!(within.inner, Shape::Name { .. } | Shape::Indexed { .. }) => {
            format!("{}{}{}", within.open, operand(within.inner, value), within.close)
        }
        Shape::Digit { .. } => value.to_string(),
        Shape::Vector => format!("{value:02X}h"),
        other => other.place().to_string(),
    }
}

fn flags(set: &InstructionSet, row: &Row) -> String {
    // Nobody reads a list of so many names.
    if set.flags().len() > 6 && set.flag_effect(row).bytes().all(|mark| mark == b'*') {
        return "all*".to_string();
    }
    let marks = set.flag_effect(row).chars().zip(set.flags());
    let told = marks.filter(|(mark, _)| *mark != '-').map(|(mark, flag)| format!("{}{mark}", flag.name));
    told.collect::<Vec<_>>().join(" ")
}

/// Entries that fit several words: together an instruction (`mov a,b`) or the cells of one opcode (`CBh 27h`), else each by itself.
///
/// # Errors
/// [`NotInChart`], which says what can be asked.
pub fn select_all(set: &'static InstructionSet, words: &[String]) -> Result<Vec<Entry>, NotInChart> {
    let whole = words.join(" ");
    if let Some(found) = instruction(set, &whole).or_else(|| cells(set, words)) {
        return Ok(found);
    }
    let mut entries = Vec::new();
    for word in words {
        // Another name of a mnemonic, by itself.
        let other = set.hints.other_mnemonics.iter().find(|row| row.0.eq_ignore_ascii_case(word));
        entries.extend(select(set, other.map_or(word.as_str(), |row| row.1))?);
    }
    Ok(entries)
}

/// A whole instruction as it is written.
fn instruction(set: &'static InstructionSet, text: &str) -> Option<Vec<Entry>> {
    let mut words = text.split_whitespace();
    let mnemonic = words.next()?;
    let is_own =
        words.next().is_some() && set.own_rows().any(|row| row.mnemonic.eq_ignore_ascii_case(mnemonic));
    let other = set.hints.other_mnemonics.iter().find(|row| row.0.eq_ignore_ascii_case(mnemonic));
    if !is_own && other.is_none() {
        return None;
    }
    let assembled = |names: &[(String, i64)]| {
        let options = Options::default().set(set).names(names.iter().cloned());
        assemble("chart", &mut Texts::one("chart", format!(" {text}\n")), &options)
    };
    let mut assembly = assembled(&[]);
    // A name that is defined nowhere stands for any number: an address, or one of eight bits.
    let undefined = assembly.diagnostics.iter().filter(|one| one.code == "undefined-symbol");
    let names: Vec<String> = undefined.map(|one| assembly.sources.text(one.span).to_string()).collect();
    for value in [0x1234, 5] {
        if !assembly.succeeded() && !names.is_empty() {
            assembly = assembled(&names.iter().map(|name| (name.clone(), value)).collect::<Vec<_>>());
        }
    }
    let cells = assembly.image.segments().first().filter(|_| assembly.succeeded())?.cells.clone();
    let found = set.opcode(&cells).ok().flatten()?;
    let value = if set.is_word_machine() { found.row.value } else { found.value };
    Some(vec![entry(set, value, found.row)])
}

/// The cells of an opcode one by one, in hex or in any notation.
fn cells(set: &'static InstructionSet, words: &[String]) -> Option<Vec<Entry>> {
    if words.len() < 2 || set.is_word_machine() {
        return None;
    }
    let read = |text: &String| {
        let hex = u64::from_str_radix(text.trim_end_matches(['h', 'H']).trim_start_matches('$'), 16).ok();
        hex.or_else(|| crate::number::parse(text, 16).ok()).filter(|&cell| cell < 0x100)
    };
    let mut bytes = words.iter().map(read).collect::<Option<Vec<u64>>>()?;
    // Where each of them is an opcode of its own, they were asked for one by one.
    let is_prefix = |cell: u64| set.table.opcodes.pages.iter().any(|page| u64::from(page.prefix) == cell);
    if !is_prefix(bytes[0]) {
        return None;
    }
    bytes.resize(bytes.len().max(4), 0);
    let found = set.opcode(&bytes).ok().flatten()?;
    Some(vec![entry(set, found.value, found.row)])
}

/// A prefix by its name: `cb`, `0CBh`, `ddcb`.
pub fn prefix(set: &InstructionSet, text: &str) -> Option<u64> {
    let digits = text.trim_end_matches(['h', 'H']).trim_start_matches("0x").trim_start_matches('$');
    let value = u64::from_str_radix(digits, 16).ok()?;
    set.table.opcodes.pages.iter().map(|page| u64::from(page.prefix)).find(|&prefix| prefix == value)
}

/// The prefixes of a set, with commas between.
pub fn prefixes(set: &InstructionSet) -> String {
    let names = set
        .table
        .opcodes
        .pages
        .iter()
        .map(|page| spelled(set, page.prefix.into(), 16).replace([' ', 'd'], ""));
    names.collect::<Vec<_>>().join(", ")
}

/// Entries that fit what was asked: a mnemonic or its beginning, an opcode, or a range of opcodes `40h..4Fh`.
///
/// # Errors
/// [`NotInChart`], which says what can be asked.
pub fn select(set: &'static InstructionSet, asked: &str) -> Result<Vec<Entry>, NotInChart> {
    let all = entries(set);
    let upper = asked.to_uppercase();
    let first_word = |entry: &Entry| entry.instruction.split(' ').next().unwrap_or_default().to_string();
    let exact: Vec<Entry> = all.iter().filter(|entry| first_word(entry) == upper).cloned().collect();
    if !exact.is_empty() {
        return Ok(exact);
    }
    let read = |text: &str| crate::number::parse(text, set.habit().default_radix());
    if let Some((first, last)) = asked.split_once("..")
        && let (Ok(first), Ok(last)) = (read(first), read(last))
    {
        return Ok(all.into_iter().filter(|entry| (first..=last).contains(&entry.opcode)).collect());
    }
    if let Ok(word) = read(asked)
        && set.is_word_machine()
    {
        return word_entries(set, word, asked);
    }
    if let Ok(opcode) = read(asked) {
        // Digits alone may be meant as hex just as well.
        let as_hex = asked
            .bytes()
            .all(|byte| byte.is_ascii_digit())
            .then(|| u64::from_str_radix(asked, 16).ok())
            .flatten();
        let is_meant = |entry: &Entry| entry.opcode == opcode || Some(entry.opcode) == as_hex;
        let found: Vec<Entry> = all.into_iter().filter(is_meant).collect();
        if found.is_empty() && set.table.opcodes.pages.iter().any(|page| u64::from(page.prefix) == opcode) {
            // A prefix: what may follow it.
            return Ok(entries(set).into_iter().filter(|entry| entry.opcode >> 8 == opcode).collect());
        }
        if found.is_empty() {
            return Err(NotInChart::Opcode { asked: asked.to_string(), processor: set.name() });
        }
        return Ok(found);
    }
    let same = |entry: &Entry| entry.instruction.starts_with(&upper);
    let starting: Vec<Entry> = all.iter().filter(|entry| same(entry)).cloned().collect();
    if !starting.is_empty() {
        return Ok(starting);
    }
    // Digits that only hex has are meant as hex.
    if let Ok(opcode) = u64::from_str_radix(asked, 16)
        && !set.is_word_machine()
        && asked.parse::<u64>().is_err()
    {
        return select(set, &format!("0{opcode:X}h"));
    }
    let known = set.own_rows().map(|row| row.mnemonic);
    let near = crate::diagnostic::nearest(asked, known);
    Err(NotInChart::Instruction { asked: asked.to_string(), processor: set.name(), near })
}

/// What was asked for stands nowhere in the chart.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NotInChart {
    /// A number that is not an opcode.
    #[error("{asked} is not an opcode of the {processor}")]
    Opcode {
        /// What was asked for.
        asked: String,
        /// The processor.
        processor: &'static str,
    },
    /// A word that is not an instruction.
    #[error("{asked} is not an instruction of the {processor}")]
    Word {
        /// What was asked for.
        asked: String,
        /// The processor.
        processor: &'static str,
    },
    /// A name that no instruction begins with.
    #[error("the {processor} has no instruction `{asked}`; {}", hint(*.near))]
    Instruction {
        /// What was asked for.
        asked: String,
        /// The processor.
        processor: &'static str,
        /// The mnemonic that is nearest.
        near: Option<&'static str>,
    },
}

fn hint(near: Option<&str>) -> String {
    match near {
        Some(near) => format!("did you mean {near}?"),
        None => "ask for a mnemonic, an opcode such as 3Eh, or a range such as 40h..4Fh".to_string(),
    }
}

/// A word as it stands in memory, and the operations that it is made of.
fn word_entries(set: &'static InstructionSet, word: u64, asked: &str) -> Result<Vec<Entry>, NotInChart> {
    let row = set.row_of(word).filter(|_| word <= set.last_cell());
    let row = row.ok_or_else(|| NotInChart::Word { asked: asked.to_string(), processor: set.name() })?;
    let mut cells = vec![0; row.cells()];
    cells[0] = word;
    let decoded = decode(set, &cells, 0).ok().flatten();
    let instruction = decoded.map_or_else(String::new, |decoded| decoded.text(set, &|_| None).to_uppercase());
    let mut found = vec![Entry { instruction, ..entry(set, word, row) }];
    if let Some(Shape::Micro(group)) = row.operands.first() {
        let operations = group.in_word(word).unwrap_or_default();
        let rows = operations.iter().filter_map(|one| set.own_rows().find(|row| row.mnemonic == one.name));
        found.extend(rows.map(|row| entry(set, row.value, row)));
    }
    Ok(found)
}

/// The entries as a table.
pub fn table(set: &InstructionSet, entries: &[Entry]) -> Text {
    let mut text = Text::new();
    let cycles = set.identity.cycle_name;
    let flags = entries.iter().map(|entry| entry.flags.len()).max().unwrap_or(0).max(5);
    let wide = entries.iter().map(|entry| entry.instruction.len()).max().unwrap_or(0).max(11);
    // The habitual radix stands first.
    let in_octal = set.habit().table_radix() == 8;
    let longest =
        |of: &dyn Fn(&Entry) -> String| entries.iter().map(|one| of(one).len()).max().unwrap_or(0).max(3);
    let decimal = |entry: &Entry| match set.is_word_machine() {
        true => entry.opcode.to_string(),
        false => match entry.hex.split_once(" /") {
            Some((_, operand)) => format!("{} /{operand}", entry.opcode),
            None => decimal(entry.opcode),
        },
    };
    let (hex_width, oct_width) = (longest(&|one| one.hex.clone()), longest(&|one| one.octal.clone()));
    let dec_width =
        longest(&decimal).max(if set.is_word_machine() { set.last_cell().to_string().len() } else { 3 });
    let (first, last) = if in_octal { ("oct", "hex") } else { ("hex", "oct") };
    let (first_width, last_width) = if in_octal { (oct_width, hex_width) } else { (hex_width, oct_width) };
    text.line().tone(
        Tone::Faint,
        format!(
            "{first:>first_width$}  {:>dec_width$}  {last:>last_width$}  {:wide$}  cells  {cycles:>8}  {:flags$}  what it does",
            "dec", "instruction", "flags"
        ),
    );
    for entry in entries {
        let dec = decimal(entry);
        let (first, last) = if in_octal { (&entry.octal, &entry.hex) } else { (&entry.hex, &entry.octal) };
        text.line().tone(Tone::Strong, format!("{first:>first_width$}"));
        text.put(format!("  {dec:>dec_width$}  {last:>last_width$}  "));
        text.tone(Tone::Strong, format!("{:wide$}", entry.instruction));
        text.put(format!("  {:>5}  {:>8}  {:flags$}  ", entry.cells, entry.cycles, entry.flags));
        text.tone(Tone::Faint, entry.meaning.as_ref());
    }
    if entries.iter().any(|entry| !entry.flags.is_empty()) {
        let undefined = entries.iter().any(|entry| entry.flags.contains('?'));
        let undefined = if undefined { ", ? as the maker does not say" } else { "" };
        let told =
            format!("flags: * by the result, 0 cleared, 1 set{undefined}; those not named stay as they are");
        text.line().tone(Tone::Faint, told);
    }
    let page = match set.is_word_machine() {
        true => "p 2 more where the pointer counts itself up, in cells 10 to 17",
        false => "p 1 more where a page is crossed",
    };
    let effective = "ea the clocks of the address, 5 to 12";
    let turns = "n the turns or the bits shifted";
    let marks = [('p', page), ('d', "d 1 more in decimal mode"), ('e', effective), ('n', turns)];
    let told = marks.iter().filter(|(mark, _)| entries.iter().any(|entry| entry.cycles.contains(*mark)));
    let told: Vec<&str> = told.map(|mark| mark.1).collect();
    if !told.is_empty() {
        text.line().tone(Tone::Faint, format!("{cycles}: {}", told.join(", ")));
    }
    text
}

/// All opcodes of a byte-wide set in two blocks of sixteen rows, the low digit across.
///
/// With a prefix it is what follows that.
pub fn map(set: &'static InstructionSet, prefix: Option<u64>) -> Text {
    let mut all = entries(set);
    if let Some(prefix) = prefix {
        all.retain(|entry| entry.opcode >> 8 == prefix);
        all.iter_mut().for_each(|entry| entry.opcode &= 0xFF);
    }
    let page_behind = |opcode: u64| {
        let whole = prefix.map_or(opcode, |prefix| prefix << 8 | opcode);
        set.table.opcodes.pages.iter().any(|page| u64::from(page.prefix) == whole)
    };
    let short = |opcode: u64| -> String {
        let mut own = all.iter().filter(|entry| entry.opcode == opcode);
        let found = own.next();
        let name = |entry: &Entry| entry.instruction.split(' ').next().map(String::from);
        if found.is_some_and(|first| own.any(|other| name(other) != name(first))) {
            return "by operand".to_string();
        }
        let none = if page_behind(opcode) { format!("{opcode:02X} …") } else { "·".to_string() };
        let text = found.map_or(none, |entry| entry.instruction.replace(", ", ","));
        let places =
            [("data16", "nn"), ("data8", "n"), ("label", "a"), ("addr", "a"), ("port", "p"), ("zp", "z")];
        places.iter().fold(text, |text, (long, short)| text.replace(long, short))
    };
    let mut text = Text::new();
    let wide = (0..0x100).map(|opcode| short(opcode).chars().count() + 1).max().unwrap_or(0).max(11);
    for block in [0, 8] {
        text.line().tone(Tone::Faint, "    ");
        for low in block..block + 8 {
            text.tone(Tone::Faint, format!("{low:<wide$X}"));
        }
        for high in 0..16u64 {
            text.line().tone(Tone::Strong, format!("{high:X}0  "));
            for low in block..block + 8 {
                let opcode = high << 4 | low;
                let shown = short(opcode);
                let is_one = !shown.contains(['·', '…']);
                let tone = if is_one { Tone::Plain } else { Tone::Faint };
                text.tone(tone, format!("{shown:wide$}"));
            }
        }
    }
    text.line().tone(Tone::Faint, "n a byte, nn two, a an address, p a port; · no instruction");
    let list = prefixes(set);
    if !list.is_empty() && prefix.is_none() {
        let (name, first) = (set.name(), list.split(',').next().unwrap_or_default().to_lowercase());
        let text_of = format!("… goes on after the prefix: `plainbyte chart {name} --map {first}` ({list})");
        text.line().tone(Tone::Faint, text_of);
    }
    text
}

/// The entries as comma-separated values with a head line.
pub fn csv(set: &InstructionSet, entries: &[Entry]) -> String {
    let mut text = format!(
        "hex,decimal,octal,instruction,cells,{},flags,meaning\n",
        set.identity.cycle_name.to_lowercase()
    );
    let quoted = |field: &str| {
        if field.contains([',', '"']) {
            format!("\"{}\"", field.replace('"', "\"\""))
        } else {
            field.to_string()
        }
    };
    for entry in entries {
        let fields = [
            entry.hex.clone(),
            entry.opcode.to_string(),
            entry.octal.clone(),
            quoted(&entry.instruction),
            entry.cells.to_string(),
            entry.cycles.clone(),
            quoted(&entry.flags),
            quoted(&entry.meaning),
        ];
        text.push_str(&fields.join(","));
        text.push('\n');
    }
    text
}
