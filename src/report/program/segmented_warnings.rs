//! Warnings about programs for processors with segments and services behind interrupts.

use super::program_end::KnownCall;
use super::warnings::Finder;
use crate::assembler::{Line, SymbolKind};
use crate::diagnostic::Span;
use crate::processor::{Decoded, Flow, NumberOf, Shape, Size};

/// The registers that a LOOP counts in.
const COUNTER: [&str; 3] = ["CX", "CL", "CH"];

/// Interrupts by their numbers in hex, as people read them in books.
const USUAL: [u64; 8] = [10, 11, 12, 13, 14, 16, 20, 21];

impl Finder<'_> {
    pub(super) fn segmented(&mut self) {
        if !self.set.is_segmented() {
            return;
        }
        let code: Vec<(u32, Decoded)> = self.reach.instructions().collect();
        self.decimal_interrupts(&code);
        self.marked_texts(&code);
        self.loop_counters(&code);
        self.data_segment(&code);
        self.deaf_waiting(&code);
        self.sizes_of_operands(&code);
    }

    /// The line of an instruction, where it is one of the program's own.
    fn own_line(&self, address: u32) -> Option<Line> {
        self.lines.get(&address).filter(|line| matches!(line.kind.cells(), Some((_, 1..)))).map(|line| **line)
    }

    /// The text of a line's statement.
    fn text(&self, line: &Line) -> String {
        let span = self.statement(line);
        let text = self.assembly.sources.get(span.source).map_or("", |source| source.text.as_str());
        text.get(span.start as usize..span.end as usize).unwrap_or_default().to_string()
    }

    /// `int 21` where `int 21h` is meant.
    fn decimal_interrupts(&mut self, code: &[(u32, Decoded)]) {
        for (address, decoded) in code.iter().filter(|(_, one)| one.row.mnemonic == "INT") {
            let Some(line) = self.own_line(*address) else { continue };
            let number = decoded.operands[0];
            let text = self.text(&line);
            let written = text.split_whitespace().next_back().unwrap_or_default();
            if USUAL.contains(&number) && written == number.to_string() {
                let message =
                    format!("interrupt {number} is {number:X}h; the services are known by hex numbers");
                let help = format!("write `int {number}h` where that is meant, else `int {number:02X}h`");
                self.warn("decimal-interrupt", self.statement(&line), message, help);
            }
        }
    }

    /// Call 9 writes up to `$`: the text that DX leads to must have one before the next label.
    fn marked_texts(&mut self, code: &[(u32, Decoded)]) {
        let labels: Vec<u32> = {
            let labels = self.assembly.symbols.iter().filter(|symbol| symbol.kind == SymbolKind::Label);
            let mut labels: Vec<u32> = labels.filter_map(|symbol| symbol.address()).collect();
            labels.sort_unstable();
            labels
        };
        let mut call = KnownCall::default();
        let mut text: Option<u64> = None;
        let mut next = None;
        let mut told = Vec::new();
        for (address, decoded) in code {
            if next != Some(*address) || self.reach.is_target(*address) {
                (call, text) = (KnownCall::default(), None);
            }
            next = Some(address + decoded.cells() as u32);
            if decoded.row.mnemonic == "INT" && decoded.operands[0] == 0x21 && call.is(9) {
                // In a program in segments the text may be in another one: only where there is one segment it is known.
                if let Some(offset) = text.filter(|_| self.assembly.image.extent() == 0) {
                    let first = offset as u32;
                    let end = labels.iter().find(|&&label| label > first).copied();
                    let cells = self.assembly.image.cells_at(first, 0x1_0000);
                    let shown = cells.iter().take(end.map_or(usize::MAX, |end| (end - first) as usize));
                    if !cells.is_empty() && !shown.clone().any(|&cell| cell == u64::from(b'$')) {
                        told.push((*address, first));
                    }
                }
            }
            match (decoded.row.mnemonic, register(decoded, 0), number(decoded, 1)) {
                ("MOV", Some("DX"), Some(value)) => text = Some(value),
                ("LEA", Some("DX"), _) => text = None,
                (_, Some("DX" | "DL" | "DH"), _) => text = None,
                _ => {}
            }
            call.follow(decoded);
        }
        for (address, first) in told {
            let (Some(line), Some(data)) = (self.own_line(address), self.line_at(first).copied()) else {
                continue;
            };
            let message = "this writes a text up to `$`, and the text has none".to_string();
            let help = "end the text with \"$\"";
            let label = Some((self.statement(&data), "the text"));
            self.warn_with("text-end", self.statement(&line), message, help, label);
        }
    }

    /// What LOOP counts is changed inside the loop, and not kept on the stack.
    fn loop_counters(&mut self, code: &[(u32, Decoded)]) {
        for (at, decoded) in code.iter().filter(|(_, one)| one.row.mnemonic.starts_with("LOOP")) {
            let Some(top) = decoded.goes_to().filter(|top| top <= at) else { continue };
            let mut kept = 0u32;
            for (address, inside) in code.iter().filter(|(address, _)| (top..*at).contains(address)) {
                let first = register(inside, 0);
                match (inside.row.mnemonic, first) {
                    ("PUSH", Some("CX")) => kept += 1,
                    ("POP", Some("CX")) if kept > 0 => kept -= 1,
                    (mnemonic, Some(name)) if COUNTER.contains(&name) && kept == 0 && changes(mnemonic) => {
                        let Some(line) = self.own_line(*address) else { continue };
                        let counts = self.own_line(*at).map(|line| self.statement(&line));
                        let label = counts.map(|span| (span, "this counts CX down"));
                        let message = format!("{name} is changed inside a loop that counts in CX");
                        let help = "use another register, or keep CX by `push cx` and `pop cx` around it";
                        self.warn_with("loop-counter", self.statement(&line), message, help, label);
                        break;
                    }
                    _ => {}
                }
            }
        }
    }

    /// In an EXE program DS leads to the prefix until the program sets it.
    fn data_segment(&mut self, code: &[(u32, Decoded)]) {
        let sets_ds = |one: &Decoded| {
            register(one, 0) == Some("DS") && matches!(one.row.mnemonic, "MOV" | "POP")
                || one.row.mnemonic == "LDS"
        };
        if self.assembly.image.extent() == 0 || code.iter().any(|(_, one)| sets_ds(one)) {
            return;
        }
        let by_ds = |one: &Decoded| {
            let operands = one.row.operands.iter().zip(one.operands);
            let in_memory =
                operands.clone().find(|(shape, _)| matches!(shape, Shape::Memory(_) | Shape::Direct(_)));
            // The prefix is asked for by its places below 100h.
            in_memory
                .is_some_and(|(_, value)| value >> 16 == 6 && value & 0xFFFF >= 0x100 || self.is_label(value))
                && one.prefixes.segment.is_none()
                && one.row.mnemonic != "LEA"
        };
        let first = code.iter().find(|(_, one)| by_ds(one)).map(|(address, _)| *address);
        let Some(line) = first.and_then(|address| self.own_line(address)) else { return };
        let message =
            "the program reads its data, and DS still leads to the prefix in front of it".to_string();
        let help = "begin with `mov ax, seg NAME` and `mov ds, ax`, NAME a label of the data";
        self.warn("data-segment", self.statement(&line), message, help);
    }

    /// True where a direct place is that of a label.
    fn is_label(&self, place: u64) -> bool {
        let is_direct = place >> 16 == 6;
        let of_data = |symbol: &crate::assembler::SymbolView<'_>| {
            symbol.kind == SymbolKind::Label && symbol.unit > 0 && symbol.value == (place & 0xFFFF) as i64
        };
        is_direct && self.assembly.symbols.iter().any(|symbol| of_data(&symbol))
    }

    /// Interrupts are shut out, and a loop looks at cells that only an interrupt would change. A service lets them in by itself.
    fn deaf_waiting(&mut self, code: &[(u32, Decoded)]) {
        let mut shut = None;
        for (at, (address, decoded)) in code.iter().enumerate() {
            match decoded.row.mnemonic {
                "CLI" => shut = Some(*address),
                "STI" | "POPF" => shut = None,
                _ => {}
            }
            let top = decoded.goes_to().filter(|top| top <= address);
            if let (Some(shut), Some(top)) = (shut, top) {
                let first = code[..=at].partition_point(|(address, _)| *address < top);
                let told = waits_for_a_cell(&code[first..=at]);
                if let (Some(looks), Some(shuts)) =
                    (told.and_then(|at| self.own_line(at)), self.own_line(shut))
                {
                    let label = Some((self.statement(&shuts), "interrupts are disabled here"));
                    let message = "a loop waits for this cell to change while interrupts are disabled, and nothing else changes it";
                    let help = "enable interrupts with `sti` before the loop";
                    self.warn_with("deaf-waiting", self.statement(&looks), message.to_string(), help, label);
                }
            }
            // What follows is come to from elsewhere.
            if matches!(decoded.row.flow, Flow::Jump | Flow::Return) {
                shut = None;
            }
        }
    }

    /// A label of bytes taken for a word, or the reverse.
    fn sizes_of_operands(&mut self, code: &[(u32, Decoded)]) {
        for (address, decoded) in code {
            let Some(size) = decoded.row.operands.iter().find_map(|shape| match shape {
                Shape::Memory(size) | Shape::Direct(size) => Some(*size),
                _ => None,
            }) else {
                continue;
            };
            let Some(line) = self.own_line(*address) else { continue };
            let text = self.text(&line);
            let Some((before, behind)) = text.split_once('[') else { continue };
            let name = behind.split(']').next().unwrap_or_default().trim();
            let says = |word: &str| before.to_ascii_lowercase().split_whitespace().any(|one| one == word);
            if says("ptr") || says("byte") || says("word") || says("dword") {
                continue;
            }
            let symbol = self.assembly.symbols.iter().find(|symbol| symbol.name == name && symbol.unit > 0);
            let Some(symbol) = symbol else { continue };
            let (laid, taken) = match (symbol.unit, size) {
                (1, Size::Word) => ("bytes (`db`)", "word"),
                (2, Size::Byte) => ("words (`dw`)", "byte"),
                _ => continue,
            };
            let message = format!(
                "`{name}` is laid down as {laid}, and {} takes a {taken} of it",
                decoded.row.mnemonic
            );
            let help = format!("write `{taken} ptr [{name}]` where that is meant");
            let label: Option<(Span, &str)> = Some((symbol.defined, "it stands here"));
            self.warn_with("operand-size", self.statement(&line), message, help, label);
        }
    }
}

/// Where a loop looks at memory, where it does nothing else but that.
fn waits_for_a_cell(code: &[(u32, Decoded)]) -> Option<u32> {
    let in_memory = |one: &Decoded, at: usize| {
        matches!(one.row.operands.get(at), Some(Shape::Memory(_) | Shape::Direct(_)))
    };
    let only_looks = |one: &Decoded| match one.row.mnemonic {
        "CMP" | "TEST" | "NOP" => true,
        "MOV" | "AND" | "OR" => !in_memory(one, 0),
        _ => matches!(one.row.flow, Flow::Branch | Flow::Jump),
    };
    let leaves = code.iter().any(|(_, one)| one.row.flow == Flow::Branch);
    let looks = code.iter().find(|(_, one)| in_memory(one, 0) || in_memory(one, 1));
    looks.filter(|_| leaves && code.iter().all(|(_, one)| only_looks(one))).map(|one| one.0)
}

/// The register that an operand is.
fn register(decoded: &Decoded, at: usize) -> Option<&'static str> {
    match decoded.row.operands.get(at)? {
        Shape::Name { names, .. } => names.list.get(decoded.operands[at] as usize).copied(),
        Shape::Fixed(name) => Some(name),
        _ => None,
    }
}

/// The number that an operand is.
fn number(decoded: &Decoded, at: usize) -> Option<u64> {
    match decoded.row.operands.get(at)? {
        Shape::Number(number) if number.of != NumberOf::Far => Some(decoded.operands[at]),
        _ => None,
    }
}

/// True for instructions that change their first operand.
fn changes(mnemonic: &str) -> bool {
    !matches!(
        mnemonic,
        "CMP" | "TEST" | "PUSH" | "OUT" | "JCXZ" | "DIV" | "IDIV" | "MUL" | "IMUL" | "CALL" | "JMP"
    )
}
