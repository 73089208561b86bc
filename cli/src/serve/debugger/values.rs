//! Values: registers, flags, cells by their labels, the stack, lamps; memory as bytes; expressions and the monitor's words.

use super::adapter::{Adapter, Done};
use super::asked::Asked;
use super::places::number_of;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use plain_byte::monitor::spell_value;
use plain_byte::number::digits;
use plain_byte::processor::Role;
use plain_byte::session::Session;
use serde_json::{Value, json};

/// What there is to look into, in this order; the number of each is its place, from 1.
const SCOPES: &[(&str, Rows)] = &[
    ("registers", registers),
    ("flags", flags),
    ("cells", cells),
    ("stack", stack),
    ("chips", chips),
    ("lamps", lamps),
    ("time", time),
];

/// Rows of a scope: name, value, and what may be asked of it besides.
type Rows = fn(&Session) -> Vec<Row>;

struct Row {
    name: String,
    value: String,
    /// An expression that gives it.
    expression: Option<String>,
    /// The address that its memory begins at.
    memory: Option<u32>,
}

/// Cells of a label that are shown.
const SHOWN: u32 = 16;
/// Words of the stack that are shown.
const STACK: usize = 64;

fn spelt(session: &Session, value: u64, bits: u8) -> String {
    let radix = session.processor().habit().table_radix();
    format!("{} ({value})", digits(value, radix, bits))
}

fn registers(session: &Session) -> Vec<Row> {
    let machine = session.machine();
    let all = session.processor().registers().iter().enumerate();
    let shown = all.filter(|(_, one)| !matches!(one.role, Role::Pair | Role::Internal | Role::Line));
    let row = |(place, one): (usize, &plain_byte::processor::Register)| Row {
        name: one.name.to_string(),
        value: spelt(session, machine.register(place), one.bits),
        expression: Some(one.name.to_lowercase()),
        memory: None,
    };
    shown.map(row).collect()
}

fn flags(session: &Session) -> Vec<Row> {
    let set = session.processor();
    let value = set.flags_register().map_or(0, |place| session.machine().register(place));
    let row = |one: &plain_byte::processor::Flag| Row {
        name: one.name.to_string(),
        value: u8::from(value & one.mask != 0).to_string(),
        expression: Some(format!("flag {}", one.name.to_lowercase())),
        memory: None,
    };
    set.flags().iter().map(row).collect()
}

/// The data that the program names.
fn cells(session: &Session) -> Vec<Row> {
    let Some(program) = session.program() else { return Vec::new() };
    let is_code = |address: u32| program.line(address).is_some_and(|line| line.code);
    let data = program.symbols.labels().into_iter().filter(|row| !is_code(row.0));
    let row = |(address, name): (u32, &str)| {
        let count = program.data_end(address).map_or(1, |end| (end - address).clamp(1, SHOWN));
        let values: Vec<String> =
            (address..address + count).map(|at| session.processor().cell(session.cell(at))).collect();
        let value = match count {
            1 => spelt(session, session.cell(address), session.processor().cell_bits()),
            _ => values.join(" "),
        };
        Row { name: name.to_string(), value, expression: Some(format!("cell {name}")), memory: Some(address) }
    };
    data.map(row).collect()
}

fn stack(session: &Session) -> Vec<Row> {
    let set = session.processor();
    let row = |word: plain_byte::session::StackWord| {
        let mut value =
            digits(word.value, set.habit().table_radix(), set.cell_bits().saturating_mul(word.cells as u8));
        if let Some(back) = word.back {
            value += &format!(" return to {}", session.cell_name(back));
        } else if let Some(line) = word.by.and_then(|by| session.line_of(by)) {
            value += &format!(" {}, line {}", line.text, line.written_at().1);
        }
        Row {
            name: session.machine().spell(word.address),
            value,
            expression: None,
            memory: Some(word.address),
        }
    };
    session.stack_words(STACK).into_iter().map(row).collect()
}

/// A value that only looks.
fn shown(name: String, value: String) -> Row {
    Row { name, value, expression: None, memory: None }
}

/// Lamps and switches: each row as a whole, then one by one; and the lamps on pins.
fn lamps(session: &Session) -> Vec<Row> {
    let rows = session.machine().chips().iter().filter_map(|one| Some((one, one.seen()?)));
    let rows = rows.flat_map(|(one, (what, value))| {
        // A row that is called what it is needs no other name.
        let name = if one.place.name == what { String::new() } else { format!("{} ", one.place.name) };
        let whole = shown(format!("{name}{what}"), format!("{value:08b} ({value})"));
        let one_of = &what[..what.len() - if what == "switches" { 2 } else { 1 }];
        let state = |on: bool| match (what, on) {
            ("lamps", true) => "lit",
            ("lamps", false) => "dark",
            (_, true) => "up",
            (_, false) => "down",
        };
        let each = (0..8)
            .rev()
            .map(move |bit| shown(format!("{name}{one_of} {bit}"), state(value >> bit & 1 != 0).to_string()));
        std::iter::once(whole).chain(each).collect::<Vec<_>>()
    });
    let single = session
        .machine()
        .lamps()
        .iter()
        .map(|lamp| shown(lamp.name.clone(), if lamp.lit { "lit" } else { "dark" }.to_string()));
    rows.chain(single).collect()
}

/// The registers of its chips, as a program would read them now.
fn chips(session: &Session) -> Vec<Row> {
    let machine = session.machine();
    let bits = session.processor().cell_bits();
    let rows = machine.chips().iter().flat_map(|one| {
        let registers = one.registers(machine.cycles());
        registers
            .into_iter()
            .map(|(name, value)| shown(format!("{} {name}", one.place.name), spelt(session, value, bits)))
    });
    rows.collect()
}

fn time(session: &Session) -> Vec<Row> {
    let (now, known) = (session.moment(), session.known());
    let row = |name: &str, value: u64| shown(name.to_string(), value.to_string());
    let last = known.map_or(now, |known| known.1);
    vec![
        row("instructions", now.instructions),
        row("cycles", now.cycle),
        row("known up to instruction", last.instructions),
        row("known up to cycle", last.cycle),
    ]
}

impl Adapter {
    pub(super) fn scopes(&mut self, _: &Asked) -> Done {
        self.session()?;
        let scopes = SCOPES.iter().enumerate().map(|(at, (name, _))| {
            let mut scope = json!({ "name": name, "variablesReference": at + 1, "expensive": false });
            if *name == "registers" {
                scope["presentationHint"] = json!("registers");
            }
            scope
        });
        Ok(json!({ "scopes": scopes.collect::<Vec<_>>() }))
    }

    pub(super) fn variables(&mut self, asked: &Asked) -> Done {
        let session = self.session()?;
        let number = (asked.variables_reference as usize).wrapping_sub(1);
        let (_, rows) = SCOPES.get(number).ok_or("there are no such values")?;
        let mut all = rows(session);
        let count = if asked.count <= 0 { all.len() } else { asked.count as usize };
        let variables = all.drain(..).skip(asked.start).take(count).map(|row| {
            let mut one = json!({ "name": row.name, "value": row.value, "variablesReference": 0 });
            if let Some(expression) = row.expression {
                one["evaluateName"] = json!(expression);
            }
            if let Some(address) = row.memory {
                one["memoryReference"] = json!(format!("0x{address:x}"));
            }
            one
        });
        Ok(json!({ "variables": variables.collect::<Vec<_>>() }))
    }

    /// Sets what an expression names: a register, a flag, a cell.
    fn assign(&mut self, name: &str, value: &str) -> Done {
        let session = self.session()?;
        let value = session.evaluate(value).map_err(|wrong| format!("{}; {}", wrong.message, wrong.help))?;
        let plain = name.trim().trim_start_matches("flag ").to_string();
        match name.trim().strip_prefix("cell ") {
            Some(place) => {
                let at = session.evaluate(place).map_err(|wrong| wrong.message.clone())?;
                let cell = session.cell_of(value).map_err(|error| error.to_string())?;
                session.put(at as u32, &[cell]).map_err(|error| error.to_string())?;
            }
            None => session.set(&plain, value).map_err(|error| error.to_string())?,
        }
        let now = session.evaluate(name).map_err(|wrong| wrong.message.clone())?;
        Ok(json!({ "value": spelt(session, now as u64, session.processor().cell_bits()) }))
    }

    pub(super) fn set_variable(&mut self, asked: &Asked) -> Done {
        let session = self.session()?;
        let (_, rows) = SCOPES
            .get((asked.variables_reference as usize).wrapping_sub(1))
            .ok_or("there are no such values")?;
        let row = rows(session).into_iter().find(|row| row.name == asked.name);
        let expression = row.and_then(|row| row.expression);
        let expression = expression.ok_or_else(|| format!("`{}` cannot be set", asked.name))?;
        self.assign(&expression, &asked.value)
    }

    pub(super) fn set_expression(&mut self, asked: &Asked) -> Done {
        self.assign(&asked.expression, &asked.value)
    }

    /// At the console a line of the monitor's; elsewhere an expression. A label alone means its cell there.
    pub(super) fn evaluate(&mut self, asked: &Asked) -> Done {
        if matches!(asked.context.as_deref(), Some("repl") | None) {
            return self.monitor_line(&asked.expression);
        }
        let session = self.session()?;
        let text = asked.expression.trim();
        let value = session.evaluate(text).map_err(|wrong| wrong.message.clone())?;
        let is_label = session.texts_and_programs().iter().any(|one| {
            one.symbols
                .find(text)
                .is_some_and(|symbol| symbol.address().is_some_and(|at| session.label(at).is_some()))
        });
        let set = session.processor();
        let mut result = format!("{} ({value})", spell_value(set, value));
        let mut body = json!({ "variablesReference": 0 });
        if is_label {
            result += &format!(", holds {}", set.cell(session.cell(value as u32)));
            body["memoryReference"] = json!(format!("0x{value:x}"));
        }
        body["result"] = json!(result);
        Ok(body)
    }

    pub(super) fn completions(&mut self, asked: &Asked) -> Done {
        let by = 1 - self.first_column;
        let monitor = self.monitor()?;
        let end = asked
            .text
            .char_indices()
            .nth((asked.column + by).saturating_sub(1))
            .map_or(asked.text.len(), |row| row.0);
        let line = &asked.text[..end];
        let (start, words) = monitor.complete(line);
        let length = line[start.min(line.len())..].chars().count();
        let at = line[..start.min(line.len())].chars().count();
        let targets: Vec<Value> =
            words.iter().map(|word| json!({ "label": word, "start": at, "length": length })).collect();
        Ok(json!({ "targets": targets }))
    }

    /// Bytes of a cell: one on byte machines, as many as it takes on others, the low one first.
    fn cell_bytes(session: &Session) -> i64 {
        i64::from(session.processor().cell_bits().div_ceil(8))
    }

    pub(super) fn read_memory(&mut self, asked: &Asked) -> Done {
        let session = self.session()?;
        let each = Self::cell_bytes(session);
        let base = i64::from(number_of(&asked.memory_reference).ok_or("this is not an address")?);
        let first = base + asked.offset.div_euclid(each);
        let last = i64::from(session.processor().last_address());
        let wanted = asked.count.clamp(0, 1 << 20) / each;
        let cells = (first.max(0)..(first + wanted).min(last + 1)).map(|at| session.cell(at as u32));
        let bytes: Vec<u8> =
            cells.flat_map(|cell| (0..each).map(move |by| (cell >> (8 * by)) as u8)).collect();
        let missing = asked.count.max(0) - bytes.len() as i64;
        Ok(
            json!({ "address": format!("0x{:x}", first.max(0)), "data": STANDARD.encode(&bytes), "unreadableBytes": missing }),
        )
    }

    pub(super) fn write_memory(&mut self, asked: &Asked) -> Done {
        let session = self.session()?;
        let each = Self::cell_bytes(session);
        let base = i64::from(number_of(&asked.memory_reference).ok_or("this is not an address")?);
        let first =
            u32::try_from(base + asked.offset.div_euclid(each)).map_err(|_| "this is not an address")?;
        let bytes = STANDARD.decode(&asked.data).map_err(|error| error.to_string())?;
        let cells = bytes.chunks(each as usize).map(|cell| {
            cell.iter().enumerate().fold(0u64, |value, (by, &byte)| value | u64::from(byte) << (8 * by))
        });
        let cells: Vec<u64> = cells.collect();
        session.put(first, &cells).map_err(|error| error.to_string())?;
        Ok(json!({ "bytesWritten": bytes.len() }))
    }
}
