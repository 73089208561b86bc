//! Breakpoints as the client sets them, and where they stand in the program that is loaded.

use super::adapter::{Adapter, Done};
use super::asked::{Asked, Break};
use super::places::{file_of, number_of};
use plain_byte::assembler::Formula;
use plain_byte::session::{AccessStop, Guard, RegisterStop, Session, Whereabouts};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// In front of the name of a register, where the client keeps what a breakpoint waits for.
const REGISTER: &str = "register ";

/// Who set a breakpoint: lines of a text, names, instructions.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum Group {
    Lines(String),
    Names,
    Instructions,
}

/// A breakpoint, and where it stands.
#[derive(Debug, Clone)]
struct Set {
    id: u64,
    wanted: Break,
    address: Option<u32>,
    wrong: Option<String>,
}

#[derive(Debug, Clone, Default)]
pub struct Breaks {
    groups: BTreeMap<Group, Vec<Set>>,
    data: Vec<(u64, AccessStop)>,
    registers: Vec<(u64, RegisterStop)>,
    /// Kinds of hazards in front of which a run stops.
    pub hazards: Vec<String>,
    last: u64,
}

impl Breaks {
    /// Puts every breakpoint into a session, and gives what is to be told of each.
    pub fn put(&self, session: &mut Session) -> Vec<Value> {
        let mut own = self.clone();
        session.breakpoints().to_vec().iter().for_each(|&at| _ = session.remove_breakpoint(at));
        let mut told = Vec::new();
        for (group, all) in &mut own.groups {
            for one in all {
                one.settle(group, session);
                told.push(one.body(session));
            }
        }
        told
    }

    /// What the addresses are waited for.
    pub fn accesses(&self) -> Vec<AccessStop> {
        self.data.iter().map(|row| row.1).collect()
    }

    /// What the registers are waited for.
    pub fn register_uses(&self) -> Vec<RegisterStop> {
        self.registers.iter().map(|row| row.1.clone()).collect()
    }

    /// Who waits for a register.
    pub fn id_of_register(&self, stop: usize) -> u64 {
        self.registers.get(stop).map_or(0, |row| row.0)
    }

    pub fn ids_of_access(&self, address: u32) -> Vec<u64> {
        let holds = |row: &&(u64, AccessStop)| (row.1.first..=row.1.last).contains(&address);
        self.data.iter().filter(holds).map(|row| row.0).collect()
    }

    fn at(&self, address: u32) -> impl Iterator<Item = &Set> {
        self.groups.values().flatten().filter(move |one| one.address == Some(address))
    }

    pub fn ids_at(&self, address: u32) -> Vec<u64> {
        self.at(address).map(|one| one.id).collect()
    }

    /// What is logged at an address, where everything that stands there only logs.
    pub fn log_at(&self, address: u32) -> Option<String> {
        let texts: Option<Vec<&str>> =
            self.at(address).map(|one| one.wanted.log_message.as_deref()).collect();
        texts.filter(|texts| !texts.is_empty()).map(|texts| texts.join("\n"))
    }
}

impl Set {
    /// Finds where it stands, and puts it there.
    fn settle(&mut self, group: &Group, session: &mut Session) {
        (self.address, self.wrong) = match place(group, &self.wanted, session) {
            Ok(address) => (Some(address), None),
            Err(wrong) => (None, Some(wrong)),
        };
        let Some(address) = self.address else { return };
        match guard(&self.wanted, session) {
            Ok(Some(guard)) => session.guard_breakpoint(address, guard),
            Ok(None) => _ = session.add_breakpoint(address),
            Err(wrong) => (self.address, self.wrong) = (None, Some(wrong)),
        }
    }

    fn body(&self, session: &Session) -> Value {
        let mut body = json!({ "id": self.id, "verified": self.address.is_some() });
        if let Some(wrong) = &self.wrong {
            body["message"] = json!(wrong);
        }
        if let Some(address) = self.address {
            body["instructionReference"] = json!(format!("0x{address:x}"));
            if let Some(line) = session.line_of(address) {
                body["line"] = json!(line.written_at().1);
            }
        }
        body
    }
}

/// The address that a breakpoint means.
fn place(group: &Group, wanted: &Break, session: &Session) -> Result<u32, String> {
    match group {
        Group::Lines(file) => {
            let code = session.code_by_line(file);
            // A line without an instruction means the next one that has one.
            let found = code.range(wanted.line..).next().and_then(|row| row.1.first());
            found
                .copied()
                .ok_or_else(|| "no instruction of the program stands in this line or below it".to_string())
        }
        Group::Names => address_of(&wanted.name, session),
        Group::Instructions => {
            let base = number_of(&wanted.instruction_reference).ok_or("this is not an address")?;
            Ok((i64::from(base) + wanted.offset) as u32 & session.processor().last_address())
        }
    }
}

fn address_of(text: &str, session: &Session) -> Result<u32, String> {
    let value = session.evaluate(text).map_err(|wrong| wrong.message.clone())?;
    let last = i64::from(session.processor().last_address());
    if (0..=last).contains(&value) { Ok(value as u32) } else { Err(format!("{value} is not an address")) }
}

/// What a breakpoint asks before it stops.
fn guard(wanted: &Break, session: &Session) -> Result<Option<Guard>, String> {
    let text = |one: &Option<String>| one.clone().filter(|text| !text.trim().is_empty());
    let condition = match text(&wanted.condition) {
        Some(text) => {
            let formula = Formula::parse(&text, Some(session.processor())).map_err(|wrong| wrong.message)?;
            formula.value(session).map_err(|wrong| wrong.message.clone())?;
            Some(formula)
        }
        None => None,
    };
    let passes = match text(&wanted.hit_condition) {
        Some(text) => {
            let count: u32 = text
                .trim()
                .parse()
                .map_err(|_| format!("`{text}` is not a count: 3 stops at the third time"))?;
            count.saturating_sub(1)
        }
        None => 0,
    };
    Ok((condition.is_some() || passes > 0).then_some(Guard { condition, passes }))
}

impl Adapter {
    /// Other breakpoints of a group in place of those it had.
    fn replace(&mut self, group: Group, wanted: &[Break]) -> Done {
        let mut all = Vec::new();
        for one in wanted {
            self.breaks.last += 1;
            all.push(Set { id: self.breaks.last, wanted: one.clone(), address: None, wrong: None });
        }
        self.breaks.groups.insert(group.clone(), all);
        let mut breaks = std::mem::take(&mut self.breaks);
        let bodies = match self.session() {
            Ok(session) => {
                session.breakpoints().to_vec().iter().for_each(|&at| _ = session.remove_breakpoint(at));
                for (group, all) in &mut breaks.groups {
                    all.iter_mut().for_each(|one| one.settle(group, session));
                }
                breaks.groups[&group].iter().map(|one| one.body(session)).collect::<Vec<_>>()
            }
            // Before the program is there nothing is known of them.
            Err(_) => {
                breaks.groups[&group].iter().map(|one| json!({ "id": one.id, "verified": false })).collect()
            }
        };
        self.breaks = breaks;
        Ok(json!({ "breakpoints": bodies }))
    }

    pub(super) fn set_breakpoints(&mut self, asked: &Asked) -> Done {
        let file = file_of(&asked.source, self.session().ok());
        let by = 1 - self.first_line;
        let lines = asked.breakpoints.iter().map(|one| Break { line: one.line + by, ..one.clone() });
        self.replace(Group::Lines(file), &lines.collect::<Vec<_>>())
    }

    pub(super) fn set_function_breakpoints(&mut self, asked: &Asked) -> Done {
        self.replace(Group::Names, &asked.breakpoints)
    }

    pub(super) fn set_instruction_breakpoints(&mut self, asked: &Asked) -> Done {
        self.replace(Group::Instructions, &asked.breakpoints)
    }

    pub(super) fn set_exception_breakpoints(&mut self, asked: &Asked) -> Done {
        self.breaks.hazards.clone_from(&asked.filters);
        if let Ok(session) = self.session() {
            session.deny_hazards(&asked.filters);
        }
        Ok(Value::Null)
    }

    pub(super) fn data_breakpoint_info(&mut self, asked: &Asked) -> Done {
        let session = self.session()?;
        let name = if asked.name.is_empty() { &asked.expression } else { &asked.name };
        let mut info = match session.whereabouts(name.trim()) {
            Ok(Whereabouts::Cell(address)) => json!({
                "dataId": format!("0x{address:x}"),
                "description": format!("the cell {}", session.cell_name(address)),
            }),
            Ok(Whereabouts::Register(name)) => {
                json!({ "dataId": format!("{REGISTER}{name}"), "description": name })
            }
            _ => {
                let why = format!("`{name}` is not a cell and no register");
                return Ok(json!({ "dataId": null, "description": why }));
            }
        };
        info["accessTypes"] = json!(["read", "write", "readWrite"]);
        info["canPersist"] = json!(true);
        Ok(info)
    }

    pub(super) fn set_data_breakpoints(&mut self, asked: &Asked) -> Done {
        self.breaks.data.clear();
        self.breaks.registers.clear();
        let mut told = Vec::new();
        for one in &asked.breakpoints {
            let access = one.access_type.as_deref().unwrap_or("write");
            let (reads, writes) = (access != "write", access != "read");
            let id = self.breaks.last + 1;
            match (one.data_id.strip_prefix(REGISTER), number_of(&one.data_id)) {
                (Some(name), _) => {
                    self.breaks.registers.push((id, RegisterStop { name: name.to_string(), reads, writes }));
                }
                (None, Some(address)) => {
                    let stop = AccessStop { first: address, last: address, reads, writes };
                    self.breaks.data.push((id, stop));
                }
                (None, None) => {
                    let why = format!("`{}` is not a cell and no register", one.data_id);
                    told.push(json!({ "verified": false, "message": why }));
                    continue;
                }
            }
            self.breaks.last = id;
            told.push(json!({ "id": id, "verified": true }));
        }
        Ok(json!({ "breakpoints": told }))
    }

    pub(super) fn breakpoint_locations(&mut self, asked: &Asked) -> Done {
        let (first_line, by) = (self.first_line, 1 - self.first_line);
        let session = self.session()?;
        let file = file_of(&asked.source, Some(session));
        let lines = session.code_by_line(&file).range(asked.line + by..).take(1);
        let places: Vec<Value> = lines.map(|row| json!({ "line": row.0 - 1 + first_line })).collect();
        Ok(json!({ "breakpoints": places }))
    }
}
