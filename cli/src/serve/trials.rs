//! Lenses above lines, and what they do when they are chosen: runs, cases, hazards of the last run, what macros wrote.

use super::answers::NoAnswer;
use super::editor::Server;
use super::pages;
use super::places::{Lines, file_of};
use crate::files::table_beside;
use lsp_server::ErrorCode;
use lsp_types::*;
use plain_byte::language::{RoutineHint, Trial};
use plain_byte::session::cases::Outcome;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::time::{Duration, Instant};

/// What the editor may ask to be done.
pub const COMMANDS: [&str; 4] = [RUN, CASES, HAZARD, WRITTEN];
const RUN: &str = "plain-byte.run";
const CASES: &str = "plain-byte.cases";
const HAZARD: &str = "plain-byte.hazard";
const WRITTEN: &str = "plain-byte.written";

/// A run from a lens has so many cycles, and so much time.
const CYCLES: u64 = 200_000_000;
const TIME: Duration = Duration::from_secs(2);

/// What the last runs came to, by the main text of each program, until one of its texts is changed.
#[derive(Default)]
pub struct Trials {
    runs: BTreeMap<String, Result<Trial, String>>,
    cases: BTreeMap<String, Result<Vec<Outcome>, String>>,
}

impl Trials {
    /// The program is another one now.
    pub fn forget(&mut self, main: &str) {
        self.runs.remove(main);
        self.cases.remove(main);
    }
}

fn times(count: u64, one: &str, many: &str) -> String {
    if count == 1 { format!("1 {one}") } else { format!("{count} {many}") }
}

fn run_title(run: Option<&Result<Trial, String>>) -> String {
    match run {
        None => "run".to_string(),
        Some(Err(why)) => format!("run: {why}"),
        Some(Ok(trial)) => {
            let hazards = match trial.hazards.len() as u64 {
                0 => "no hazard".to_string(),
                count => times(count, "hazard", "hazards"),
            };
            format!("run: {} · {} · {hazards}", trial.reason, times(trial.cycles, "cycle", "cycles"))
        }
    }
}

fn cases_title(cases: Option<&Result<Vec<Outcome>, String>>) -> String {
    match cases {
        None => "cases".to_string(),
        Some(Err(why)) => format!("cases: {why}"),
        Some(Ok(all)) => {
            let failed: Vec<&str> =
                all.iter().filter(|one| !one.passed).map(|one| one.name.as_str()).collect();
            match failed.first() {
                None => format!("cases: {} passed", all.len()),
                Some(first) => format!("cases: {} of {} failed, `{first}` first", failed.len(), all.len()),
            }
        }
    }
}

impl Server {
    pub(super) fn lenses(&mut self, asked: CodeLensParams) -> Vec<CodeLens> {
        let uri = asked.text_document.uri;
        let Some(file) = file_of(&uri) else { return Vec::new() };
        let text = self.text(&file);
        let lines = Lines::of(self.counts, &text);
        let Some(program) = self.program_of(&file) else { return Vec::new() };
        let lens = |start: usize, title: String, command: &str, arguments: Option<Vec<Value>>| CodeLens {
            range: lines.range(start, start),
            command: Some(Command { title, command: command.to_string(), arguments }),
            data: None,
        };
        let own = || Some(vec![json!(uri)]);
        let mut all = Vec::new();
        if let Some(entry) = program.entry().filter(|entry| entry.file == file) {
            all.push(lens(entry.start, run_title(self.trials.runs.get(program.name())), RUN, own()));
            if std::path::Path::new(&table_beside(program.name())).is_file() {
                let title = cases_title(self.trials.cases.get(program.name()));
                all.push(lens(entry.start, title, CASES, own()));
            }
        }
        // It tells, and does nothing when it is chosen.
        let tells = |hint: RoutineHint| lens(hint.range.start, hint.text, "", None);
        all.extend(program.routine_hints(&file).into_iter().map(tells));
        if let Some(Ok(trial)) = self.trials.runs.get(program.name()) {
            let here = trial.hazards.iter().filter(|one| one.file.as_deref() == Some(file.as_str()));
            all.extend(here.filter_map(|one| {
                let start = lines.start_of(one.line?.checked_sub(1)?)?;
                let title = format!("hazard {}: {}", one.code, one.message);
                Some(lens(start, title, HAZARD, Some(vec![json!(format!("{}; {}", one.message, one.help))])))
            }));
        }
        all.extend(program.written_out(&file).into_iter().map(|one| {
            let title = format!("wrote {}", times(one.text.lines().count() as u64, "line", "lines"));
            let line = lines.position(one.call.start).line;
            lens(one.call.start, title, WRITTEN, Some(vec![json!(uri), json!(line)]))
        }));
        all
    }

    /// Does what a lens, or the editor's own menu, asks for.
    pub(super) fn execute(&mut self, asked: ExecuteCommandParams) -> Result<Value, NoAnswer> {
        let wrong = |message: &str| NoAnswer { code: ErrorCode::InvalidParams, message: message.to_string() };
        if asked.command == HAZARD {
            let told = asked.arguments.first().and_then(Value::as_str).unwrap_or_default().to_string();
            self.show(MessageType::WARNING, told);
            return Ok(Value::Null);
        }
        let uri = asked.arguments.first().cloned().and_then(|uri| serde_json::from_value::<Uri>(uri).ok());
        let file = uri.as_ref().and_then(file_of).ok_or_else(|| wrong("name the text by its URI"))?;
        let main = self.program_of(&file).map(|one| one.name().to_string());
        let main = main.ok_or_else(|| wrong("this text belongs to no program that is open"))?;
        match asked.command.as_str() {
            RUN => Ok(self.run_program(&main)),
            CASES => Ok(self.run_cases(&main)),
            WRITTEN => {
                let line = asked.arguments.get(1).and_then(Value::as_u64).unwrap_or(0) as u32;
                let uri = pages::written_uri(&file, line);
                let page = self.page(pages::TextAsked { uri: uri.clone() });
                match (self.can.shows, page) {
                    (true, Some(_)) => self.open_page(uri),
                    (false, Some(page)) => self.show(MessageType::INFO, page.text),
                    (_, None) => self.show(MessageType::INFO, "this line wrote nothing out".to_string()),
                }
                Ok(Value::Null)
            }
            other => {
                Err(wrong(&format!("there is no command `{other}` here; there are {}", COMMANDS.join(", "))))
            }
        }
    }

    fn run_program(&mut self, main: &str) -> Value {
        let mut texts = self.texts.clone();
        let end = Instant::now() + TIME;
        let Some(program) = self.program_of(main) else { return Value::Null };
        let run = program.run(&mut texts, CYCLES, &mut || Instant::now() < end);
        let title = run_title(Some(&run));
        let (kind, result) = match &run {
            Err(why) => (MessageType::ERROR, json!({ "error": why })),
            Ok(trial) => {
                let output = String::from_utf8_lossy(&trial.output).into_owned();
                let kind = if trial.is_end && trial.hazards.is_empty() {
                    MessageType::INFO
                } else {
                    MessageType::WARNING
                };
                let result = json!({ "stop": trial.stop, "cycles": trial.cycles, "instructions": trial.instructions,
                    "output": output, "hazards": trial.hazards });
                (kind, result)
            }
        };
        let output = result["output"].as_str().filter(|text| !text.is_empty());
        let stop = result["stop"].as_str().map_or(String::new(), |stop| format!("; {stop}"));
        let output = output.map_or(String::new(), |output| format!("\n{output}"));
        self.show(kind, format!("{title}{stop}{output}"));
        self.trials.runs.insert(main.to_string(), run);
        self.refresh();
        result
    }

    fn run_cases(&mut self, main: &str) -> Value {
        let table = table_beside(main);
        let mut texts = self.texts.clone();
        let read = match texts.open.get(&table) {
            Some(text) => Ok(text.clone()),
            None => std::fs::read_to_string(&table).map_err(|error| format!("`{table}`: {error}")),
        };
        let Some(program) = self.program_of(main) else { return Value::Null };
        let cases = read.and_then(|table| program.run_cases(&table, &mut texts));
        let title = cases_title(Some(&cases));
        let (kind, result) = match &cases {
            Err(why) => (MessageType::ERROR, json!({ "error": why })),
            Ok(all) if all.iter().all(|one| one.passed) => (MessageType::INFO, json!({ "cases": all })),
            Ok(all) => (MessageType::WARNING, json!({ "cases": all })),
        };
        let first = cases.iter().flatten().find(|one| !one.passed).and_then(|one| one.differences.first());
        self.show(kind, first.map_or(title.clone(), |first| format!("{title}: {first}")));
        self.had_cases.insert(main.to_string());
        self.trials.cases.insert(main.to_string(), cases);
        self.refresh();
        result
    }

    /// A text was saved: cases that were run before are run again.
    pub(super) fn saved(&mut self, file: &str) {
        let Some(main) = self.program_of(file).map(|one| one.name().to_string()) else { return };
        if self.had_cases.contains(&main) {
            self.run_cases(&main);
        }
    }
}
