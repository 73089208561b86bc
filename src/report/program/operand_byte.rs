//! The byte after an opcode that says where its operands are: addresses, registers, and the operations of a group.

use super::chart::{Entry, entries};
use crate::processor::{BASES, InstructionSet, Shape, effective_clocks, is_in_stack};
use crate::text::{Text, Tone};

/// Blanks in front of a register's or an address's column.
const WIDE: usize = 15;

/// Three tables: addresses by mode and lowest three bits with their clocks, registers by number, operations of each group.
///
/// `None` for a processor whose opcodes stand alone.
pub fn operand_byte(set: &'static InstructionSet) -> Option<Text> {
    set.table.opcodes.operand?;
    let mut text = Text::new();
    text.line().line().tone(Tone::Strong, "operand byte");
    text.put("  after an opcode with /: mode (2 bits), r or number after the / (3 bits), register or memory (3 bits)");
    addresses(set, &mut text);
    registers(set, &mut text);
    groups(set, &mut text);
    Some(text)
}

fn addresses(set: &InstructionSet, text: &mut Text) {
    let clocks = set.identity.cycle_name;
    let head = ["mode 00", "mode 01", "mode 10", "mode 11"].map(|mode| format!("{mode:WIDE$}")).concat();
    text.line().tone(Tone::Faint, format!("r/m  {head}ea of mode 00  01, 10  counted in"));
    let lists = ["r8", "r16"].map(|place| names(set, place));
    for (low, base) in BASES.iter().enumerate() {
        let operand = low as u64;
        let base = base.to_uppercase();
        let alone = if low == 6 { "[addr]".to_string() } else { format!("[{base}]") };
        let register = lists.iter().map(|list| list[low]).collect::<Vec<_>>().join(" ");
        let forms = [alone, format!("[{base}+n]"), format!("[{base}+nn]"), register];
        let forms = forms.map(|form| format!("{form:WIDE$}")).concat();
        let (own, more) = (effective_clocks(operand), effective_clocks(operand | 0x40));
        let segment = match (is_in_stack(operand), is_in_stack(operand | 0x40)) {
            (true, _) => "SS",
            (false, true) => "DS; SS with n, nn",
            _ => "DS",
        };
        text.line().tone(Tone::Strong, format!("{low:03b}  "));
        text.put(format!("{forms}{own:>13}  {more:>6}  {segment}"));
    }
    let told = format!("n a byte whose sign counts, nn two bytes; ea in {}", clocks.to_lowercase());
    text.line().tone(Tone::Faint, told);
}

fn registers(set: &InstructionSet, text: &mut Text) {
    let head = (0..8).map(|number| format!("{number:03b}  ")).collect::<String>();
    text.line().line().tone(Tone::Faint, format!("r    {head}"));
    for place in ["r8", "r16", "seg"] {
        text.line().tone(Tone::Strong, format!("{place:5}"));
        let names: String = names(set, place).iter().map(|name| format!("{name:5}")).collect();
        text.put(names);
    }
}

/// The registers that a place of a form stands for.
fn names(set: &InstructionSet, place: &str) -> &'static [&'static str] {
    let shapes = set.own_rows().flat_map(|row| row.operands);
    let mut lists = shapes.filter_map(|shape| match shape {
        Shape::Name { names, .. } if names.place == place => Some(names.list),
        _ => None,
    });
    lists.next().unwrap_or_default()
}

fn groups(set: &'static InstructionSet, text: &mut Text) {
    let all = entries(set);
    let numbered = |entry: &&Entry| entry.hex.contains(" /") && !entry.hex.ends_with('r');
    let mut opcodes: Vec<u64> = all.iter().filter(numbered).map(|entry| entry.opcode).collect();
    opcodes.dedup();
    let name = |opcode: u64, number: usize| {
        let end = format!(" /{number}");
        let found = all.iter().find(|entry| entry.opcode == opcode && entry.hex.ends_with(&end));
        found.map_or("·", |entry| entry.instruction.split(' ').next().unwrap_or_default())
    };
    let head = (0..8).map(|number| format!("/{number:<6}")).collect::<String>();
    text.line().line().tone(Tone::Faint, format!("     {head}"));
    for opcode in opcodes {
        text.line().tone(Tone::Strong, format!("{opcode:02X}   "));
        text.put((0..8).map(|number| format!("{:7}", name(opcode, number))).collect::<String>());
    }
}
