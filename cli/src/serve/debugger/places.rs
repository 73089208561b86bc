//! Where things are: frames, texts, instructions, and where one can go.

use super::adapter::{Adapter, Done};
use super::asked::{Asked, Source};
use plain_byte::session::Session;
use serde_json::{Value, json};

/// Instructions in front of a place are looked for from so many cells before it.
const LONGEST: u32 = 8;

/// A number with `0x` in front, as references are written.
pub fn number_of(text: &str) -> Option<u32> {
    let digits = text.strip_prefix("0x").or(text.strip_prefix("0X"));
    digits.map_or_else(|| text.parse().ok(), |digits| u32::from_str_radix(digits, 16).ok())
}

/// The name of a text as the session knows it.
pub fn file_of(source: &Source, session: Option<&mut Session>) -> String {
    let path = source.path.clone().or(source.name.clone()).unwrap_or_default();
    let Some(session) = session else { return path };
    let whole = |name: &str| std::path::absolute(name).ok();
    let named = texts(session);
    if let Some(at) = source.source_reference.and_then(|number| number.checked_sub(1))
        && let Some(name) = named.get(at as usize)
    {
        return name.clone();
    }
    let same = named.iter().find(|name| whole(name) == whole(&path));
    same.cloned().unwrap_or(path)
}

/// The names of every text in memory.
fn texts(session: &Session) -> Vec<String> {
    let programs = session.texts_and_programs();
    programs.iter().flat_map(|one| one.texts().map(|text| text.0.to_string())).collect()
}

/// A text as the client gets it: a file, or a number to ask for it by.
fn source(session: &Session, file: &str) -> Value {
    let name = std::path::Path::new(file).file_name().map_or(file.into(), |name| name.to_string_lossy());
    let path = std::path::absolute(file).ok().filter(|path| path.is_file());
    match path {
        Some(path) => json!({ "name": name, "path": path }),
        None => {
            let number = texts(session).iter().position(|one| one == file).map_or(0, |at| at + 1);
            json!({ "name": name, "sourceReference": number, "presentationHint": "deemphasize" })
        }
    }
}

impl Adapter {
    pub(super) fn stack_trace(&mut self, asked: &Asked) -> Done {
        let (first_line, first_column) = (self.first_line, self.first_column);
        let session = self.session()?;
        let frames = session.frames(256);
        let total = frames.len();
        let levels = if asked.levels == 0 { total } else { asked.levels };
        let labels = session.labels();
        let body = frames.iter().enumerate().skip(asked.start_frame).take(levels).map(|(number, frame)| {
            // Of what waits, the call is shown.
            let at = frame.call.unwrap_or(frame.place);
            let routine = labels.range(..=at).rev().find(|row| !row.1.contains('.'));
            let name = match routine {
                Some((&start, name)) if start == at => (*name).to_string(),
                Some((&start, name)) if at - start < 0x1000 => format!("{name} + {}", at - start),
                _ => session.machine().spell(at),
            };
            let mut body = json!({ "id": number + 1, "name": name, "line": 0, "column": first_column,
                "instructionPointerReference": format!("0x{at:x}") });
            if let Some(line) = session.line_of(at) {
                let (file, number) = line.written_at();
                body["source"] = source(session, file);
                body["line"] = json!(number - 1 + first_line);
            }
            body
        });
        let body: Vec<Value> = body.collect();
        Ok(json!({ "stackFrames": body, "totalFrames": total }))
    }

    pub(super) fn source_text(&mut self, asked: &Asked) -> Done {
        let wanted = asked.source.source_reference.unwrap_or(asked.source_reference);
        let session = self.session()?;
        let name = texts(session).get((wanted as usize).wrapping_sub(1)).cloned();
        let text = name.and_then(|name| session.text(&name).map(String::from));
        text.map(|content| json!({ "content": content })).ok_or_else(|| "there is no such text".to_string())
    }

    pub(super) fn loaded_sources(&mut self, _: &Asked) -> Done {
        let session = self.session()?;
        let sources: Vec<Value> = texts(session).iter().map(|file| source(session, file)).collect();
        Ok(json!({ "sources": sources }))
    }

    pub(super) fn goto_targets(&mut self, asked: &Asked) -> Done {
        let (first_line, by) = (self.first_line, 1 - self.first_line);
        let session = self.session()?;
        let file = file_of(&asked.source, Some(session));
        let target = session.code_by_line(&file).range(asked.line + by..).next();
        let targets: Vec<Value> = target
            .and_then(|(line, addresses)| Some((line, *addresses.first()?)))
            .map(|(line, at)| {
                json!({ "id": at, "label": session.cell_name(at), "line": line - 1 + first_line,
                    "instructionPointerReference": format!("0x{at:x}") })
            })
            .into_iter()
            .collect();
        Ok(json!({ "targets": targets }))
    }

    pub(super) fn go_to(&mut self, target: u64) -> Done {
        let session = self.session()?;
        session.go_to(target as i64).map_err(|error| error.to_string())?;
        Ok(Value::Null)
    }

    pub(super) fn disassemble(&mut self, asked: &Asked) -> Done {
        let first_line = self.first_line;
        let session = self.session()?;
        let set = session.processor();
        let last = set.last_address();
        let base = number_of(&asked.memory_reference).ok_or("this is not an address")?;
        let base = (i64::from(base) + asked.offset) as u32 & last;
        let cells_at = |at: u32| session.instruction_at(at).1.len().max(1) as u32;
        // Instructions in front: the longest way from further up that meets the place exactly.
        let wanted = asked.instruction_offset.min(0).unsigned_abs() as usize;
        let mut before: Vec<u32> = Vec::new();
        if wanted > 0 {
            let far = base.saturating_sub(LONGEST * (wanted as u32 + 4));
            for start in far..=base {
                let (mut at, mut way) = (start, Vec::new());
                while at < base {
                    way.push(at);
                    at = at.saturating_add(cells_at(at));
                }
                if at == base && way.len() >= wanted.min((base - far) as usize / 2) {
                    before = way;
                    break;
                }
            }
        }
        let mut all: Vec<Option<u32>> = Vec::new();
        let missing = wanted.saturating_sub(before.len());
        all.extend(std::iter::repeat_n(None, missing));
        all.extend(before.iter().skip(before.len().saturating_sub(wanted)).map(|&at| Some(at)));
        let mut at = Some(base);
        let count = asked.instruction_count.min(10_000);
        while all.len() < count + asked.instruction_offset.max(0) as usize {
            all.push(at);
            at = at.and_then(|at| at.checked_add(cells_at(at))).filter(|&at| at <= last);
        }
        let label = |at: u64| session.label(at as u32).map(String::from);
        let rows = all.into_iter().skip(asked.instruction_offset.max(0) as usize).take(count).map(|at| {
            let Some(at) = at else {
                return json!({ "address": "0x0", "instruction": "", "presentationHint": "invalid" });
            };
            let (decoded, cells) = session.instruction_at(at);
            let bytes: Vec<String> = cells.iter().map(|&cell| set.cell(cell)).collect();
            let text = decoded.map_or_else(|| format!("db {}", bytes.join(", ")), |one| one.text(set, &label));
            let mut row = json!({ "address": format!("0x{at:x}"), "instructionBytes": bytes.join(" "), "instruction": text });
            if let Some(name) = session.label(at) {
                row["symbol"] = json!(name);
            }
            if let Some(line) = session.line_of(at) {
                let (file, number) = line.written_at();
                row["location"] = source(session, file);
                row["line"] = json!(number - 1 + first_line);
            }
            row
        });
        Ok(json!({ "instructions": rows.collect::<Vec<_>>() }))
    }

    /// The hazard in front of which the machine stands; its words begin with its code.
    pub(super) fn exception_info(&mut self, _: &Asked) -> Done {
        let words = self.exception.as_ref().ok_or("the machine does not stand at a hazard")?;
        let (code, words) = words
            .strip_prefix("hazard[")
            .and_then(|rest| rest.split_once("]: "))
            .unwrap_or(("hazard", words));
        Ok(json!({ "exceptionId": code, "description": words, "breakMode": "always" }))
    }
}
