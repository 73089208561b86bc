//! The conversation: requests and their answers, the run between them, and what is told unasked.

use super::asked::{Asked, Launch};
use super::breaks::Breaks;
use crate::arguments::TargetArguments;
use crate::files::Files;
use crate::say::Failure;
use crate::serve::frames;
use crate::{link, open, project};
use plain_byte::machine::Event;
use plain_byte::monitor::{Monitor, Reply};
use plain_byte::session::{HAZARDS, Limits, Moment, Session, Stop};
use serde_json::{Value, json};
use std::io::Write;

/// Cycles of a slice of a run, between which requests are answered.
const SLICE: u64 = 2_000_000;

/// Whether the conversation goes on.
pub enum Goes {
    On,
    Away,
}

/// What a request comes to.
pub type Done = Result<Value, String>;

pub struct Adapter {
    output: Box<dyn Write>,
    number: u64,
    is_gone: bool,
    launch: Option<(Launch, TargetArguments)>,
    pub(super) monitor: Option<Monitor>,
    pub(super) breaks: Breaks,
    /// Lines and columns count from 0 or from 1.
    pub(super) first_line: usize,
    pub(super) first_column: usize,
    is_configured: bool,
    /// The client shows how far something is that takes long.
    pub(super) wants_progress: bool,
    /// A run goes on, and whether this is its first slice.
    running: Option<bool>,
    /// Bytes of the console's output that were told.
    told: usize,
    /// What is told of the hazard that it stands in front of.
    pub(super) exception: Option<String>,
}

type Answer = fn(&mut Adapter, &Asked) -> Done;

/// Every request that wants no more than its arguments.
const REQUESTS: &[(&str, Answer)] = &[
    ("setBreakpoints", Adapter::set_breakpoints),
    ("setFunctionBreakpoints", Adapter::set_function_breakpoints),
    ("setInstructionBreakpoints", Adapter::set_instruction_breakpoints),
    ("dataBreakpointInfo", Adapter::data_breakpoint_info),
    ("setDataBreakpoints", Adapter::set_data_breakpoints),
    ("setExceptionBreakpoints", Adapter::set_exception_breakpoints),
    ("breakpointLocations", Adapter::breakpoint_locations),
    ("threads", |_, _| Ok(json!({ "threads": [{ "id": 1, "name": "processor" }] }))),
    ("stackTrace", Adapter::stack_trace),
    ("scopes", Adapter::scopes),
    ("variables", Adapter::variables),
    ("setVariable", Adapter::set_variable),
    ("setExpression", Adapter::set_expression),
    ("evaluate", Adapter::evaluate),
    ("completions", Adapter::completions),
    ("readMemory", Adapter::read_memory),
    ("writeMemory", Adapter::write_memory),
    ("disassemble", Adapter::disassemble),
    ("source", Adapter::source_text),
    ("loadedSources", Adapter::loaded_sources),
    ("gotoTargets", Adapter::goto_targets),
    ("exceptionInfo", Adapter::exception_info),
];

impl Adapter {
    pub fn new(output: Box<dyn Write>) -> Self {
        Self {
            output,
            number: 0,
            is_gone: false,
            launch: None,
            monitor: None,
            breaks: Breaks::default(),
            first_line: 1,
            first_column: 1,
            is_configured: false,
            wants_progress: false,
            running: None,
            told: 0,
            exception: None,
        }
    }

    /// With a session that was opened elsewhere.
    pub fn over(monitor: Monitor, output: Box<dyn Write>) -> Self {
        Self { monitor: Some(monitor), is_configured: true, ..Self::new(output) }
    }

    pub fn is_running(&self) -> bool {
        self.running.is_some()
    }

    /// The client takes nothing any more.
    pub fn is_gone(&self) -> bool {
        self.is_gone
    }

    pub(super) fn session(&mut self) -> Result<&mut Session, String> {
        Ok(self.monitor()?.session_mut())
    }

    pub(super) fn monitor(&mut self) -> Result<&mut Monitor, String> {
        self.monitor.as_mut().ok_or_else(|| "no program is launched".to_string())
    }

    fn send(&mut self, mut message: Value) {
        self.number += 1;
        message["seq"] = self.number.into();
        self.is_gone |= frames::write(&mut self.output, &message).is_err();
    }

    pub(super) fn tell(&mut self, event: &str, body: Value) {
        let mut message = json!({ "type": "event", "event": event });
        if !body.is_null() {
            message["body"] = body;
        }
        self.send(message);
    }

    pub(super) fn say(&mut self, category: &str, text: &str) {
        self.tell("output", json!({ "category": category, "output": text }));
    }

    fn answer(&mut self, request: &Value, done: Done) {
        let command = request["command"].clone();
        let message = match done {
            Ok(body) => {
                json!({ "type": "response", "request_seq": request["seq"], "success": true, "command": command, "body": body })
            }
            Err(message) => {
                json!({ "type": "response", "request_seq": request["seq"], "success": false, "command": command, "message": message,
                "body": { "error": { "id": 1, "format": message, "showUser": true } } })
            }
        };
        self.send(message);
    }

    /// Takes a message.
    pub fn take(&mut self, message: &Value) -> Goes {
        if message["type"] != "request" {
            return Goes::On;
        }
        let arguments = match &message["arguments"] {
            Value::Null => json!({}),
            other => other.clone(),
        };
        let command = message["command"].as_str().unwrap_or_default();
        let asked: Asked = match serde_json::from_value(arguments.clone()) {
            Ok(asked) => asked,
            Err(wrong) => {
                self.answer(message, Err(format!("`{command}`: {wrong}")));
                return Goes::On;
            }
        };
        if let Some((_, find)) = REQUESTS.iter().find(|row| row.0 == command) {
            let done = find(self, &asked);
            self.answer(message, done);
            return Goes::On;
        }
        match command {
            "initialize" => {
                self.first_line = usize::from(asked.lines_start_at_1 != Some(false));
                self.first_column = usize::from(asked.columns_start_at_1 != Some(false));
                self.wants_progress = asked.supports_progress_reporting;
                self.answer(message, Ok(capabilities()));
            }
            "launch" | "attach" => {
                let begun = serde_json::from_value(arguments).map_err(|wrong| wrong.to_string());
                let begun = begun.and_then(|launch| self.begin(launch));
                let is_there = begun.is_ok();
                self.answer(message, begun.map(|()| Value::Null));
                if is_there {
                    self.tell("initialized", Value::Null);
                    self.go_if_ready();
                }
            }
            "configurationDone" => {
                self.is_configured = true;
                self.answer(message, Ok(Value::Null));
                self.go_if_ready();
            }
            "restart" => {
                let again = asked.arguments.and_then(|one| serde_json::from_value(one).ok());
                let launch = again.or(self.launch.as_ref().map(|row| row.0.clone())).unwrap_or_default();
                let done = self.begin(launch).map(|()| Value::Null);
                self.answer(message, done);
                self.is_configured = true;
                self.go_if_ready();
            }
            "disconnect" | "terminate" => {
                self.answer(message, Ok(Value::Null));
                self.running = None;
                self.tell("terminated", Value::Null);
                if command == "disconnect" {
                    return Goes::Away;
                }
            }
            "pause" => {
                self.answer(message, Ok(Value::Null));
                if self.running.take().is_some() {
                    self.stopped("pause", "stopped by the operator", None);
                }
            }
            _ => self.moves(message, command, &asked),
        }
        Goes::On
    }

    /// Requests that move the machine: each is answered at once, and where it stands is told after that.
    fn moves(&mut self, message: &Value, command: &str, asked: &Asked) {
        let by_line = asked.granularity.as_deref() != Some("instruction");
        let known = ["continue", "next", "stepIn", "stepOut", "stepBack", "reverseContinue", "goto"];
        if !known.contains(&command) {
            return self.answer(message, Err(format!("there is no request `{command}` here")));
        }
        if let Err(no) = self.session() {
            return self.answer(message, Err(no));
        }
        if self.running.is_some() {
            return self.answer(message, Err("the machine runs; pause it first".to_string()));
        }
        if command == "goto" {
            let done = self.go_to(asked.target_id);
            let is_done = done.is_ok();
            self.answer(message, done);
            if is_done {
                self.stopped("goto", "the next instruction was chosen", None);
            }
            return;
        }
        self.answer(
            message,
            Ok(if command == "continue" { json!({ "allThreadsContinued": true }) } else { Value::Null }),
        );
        match command {
            "continue" => self.running = Some(true),
            "reverseContinue" => self.run_back(),
            "stepBack" => self.step_back(by_line),
            _ => self.step(command, by_line),
        }
    }

    /// Builds and loads the program.
    fn begin(&mut self, launch: Launch) -> Result<(), String> {
        if let Some(folder) = &launch.cwd {
            std::env::set_current_dir(folder).map_err(|error| format!("`{folder}`: {error}"))?;
        }
        let mut target = TargetArguments {
            cpu: launch.cpu.clone(),
            board: launch.board.clone(),
            at: launch.at.clone(),
            define: launch.define.clone(),
            without: launch.without.clone(),
            ..TargetArguments::default()
        };
        let told = |failure: Failure| failure.sentence();
        let session = match (&launch.link, &launch.program) {
            (Some(place), Some(program)) => link::loaded(program, &target, place, None).map_err(told)?,
            (Some(place), None) => link::open(place, None).map_err(told)?,
            (None, program) => {
                // What is not a program of the project's stands by its whole name, as the client names its lines.
                let program = project::program(program.as_ref(), &mut target).map_err(told)?;
                let whole =
                    std::path::absolute(&program).ok().and_then(|path| path.to_str().map(String::from));
                open::again(&whole.unwrap_or(program), &target).map_err(told)?
            }
        };
        self.running = None;
        self.told = session.machine().output().len();
        let mut monitor = Monitor::new(session);
        monitor.session_mut().deny_hazards(&self.breaks.hazards);
        if let Some(typed) = &launch.input {
            monitor
                .session_mut()
                .happen(Event::Typed(typed.clone().into_bytes()))
                .map_err(|error| error.to_string())?;
        }
        self.monitor = Some(monitor);
        self.launch = Some((launch, target));
        let breaks = self.breaks.clone();
        let changed = breaks.put(self.session()?);
        self.breaks = breaks;
        for body in changed {
            self.tell("breakpoint", json!({ "reason": "changed", "breakpoint": body }));
        }
        Ok(())
    }

    fn go_if_ready(&mut self) {
        let Some((launch, _)) = &self.launch else { return };
        let (entry, is_new) = (launch.stop_on_entry || launch.link.is_some(), self.running.is_none());
        if self.is_configured && self.monitor.is_some() && is_new {
            match entry {
                true => self.stopped("entry", "the program begins", None),
                false => self.running = Some(true),
            }
        }
    }

    /// What the console has printed since.
    fn tell_output(&mut self) {
        let before = self.told;
        let Ok(session) = self.session() else { return };
        let output = session.machine().output();
        let now = output.len();
        let new = String::from_utf8_lossy(output.get(before..).unwrap_or_default()).into_owned();
        self.told = now;
        if !new.is_empty() {
            self.say("stdout", &new);
        }
    }

    /// The machine stands: why is told, and what that is in words.
    pub(super) fn stopped(&mut self, reason: &str, words: &str, ids: Option<Vec<u64>>) {
        self.running = None;
        self.exception = (reason == "exception").then(|| words.to_string());
        self.tell_output();
        let mut body = json!({ "reason": reason, "description": words, "text": words, "threadId": 1, "allThreadsStopped": true });
        if let Some(ids) = ids {
            body["hitBreakpointIds"] = json!(ids);
        }
        self.tell("stopped", body);
    }

    /// The next slice of a run.
    pub fn run_on(&mut self) {
        let Some(is_first) = self.running else { return };
        let Ok(session) = self.session() else { return };
        let begin = session.moment();
        let limits = Limits::none().back().cycles(SLICE).continued(!is_first);
        let stop = session.run_while(limits, &mut |_| true);
        self.running = Some(false);
        if self.stopped_on_the_way(begin) {
            return;
        }
        self.tell_output();
        if stop != Stop::Cycles {
            self.ended(&stop);
        }
    }

    /// A hazard that is denied, or a use of a cell or a register that somebody waits for, came first.
    pub(super) fn stopped_on_the_way(&mut self, begin: Moment) -> bool {
        let (stops, uses) = (self.breaks.accesses(), self.breaks.register_uses());
        let Ok(monitor) = self.monitor() else { return false };
        let accessed = monitor.session_mut().first_access(begin.cycle, &stops);
        let used = monitor.session_mut().first_register_use(begin.cycle, &uses);
        let first = accessed.iter().map(|one| one.begin.cycle).chain(used.iter().map(|one| one.begin)).min();
        if let Some(Ok(text)) = monitor.stop_at_denied(begin, &mut Files)
            && first.is_none_or(|first| monitor.session().moment().cycle <= first)
        {
            let words = text.to_string();
            self.say("console", &words);
            self.stopped("exception", words.lines().next().unwrap_or_default(), None);
            return true;
        }
        let (Some(first), Ok(session)) = (first, self.session()) else { return false };
        let did = |is_write| if is_write { "was written" } else { "was read" };
        let (end, words, access, register) = match (accessed, used) {
            (Some(one), _) if one.begin.cycle == first => {
                let (name, value) = (session.cell_name(one.address), session.processor().cell(one.value));
                let words = format!("`{name}` {}: {value}", did(one.is_write));
                (one.end, words, Some(one.address), None)
            }
            (_, Some(one)) => {
                let name = self.breaks.register_uses().swap_remove(one.stop).name;
                let words = format!("`{name}` {}: {}", did(one.is_write), one.value);
                (one.end, words, None, Some(one.stop))
            }
            _ => return false,
        };
        let Ok(session) = self.session() else { return false };
        if session.go_to_cycle(end).is_err() {
            return false;
        }
        let mut ids = access.map_or(Vec::new(), |address| self.breaks.ids_of_access(address));
        ids.extend(register.map(|stop| self.breaks.id_of_register(stop)));
        self.stopped("data breakpoint", &words, Some(ids));
        true
    }

    /// A run has come to its end.
    pub(super) fn ended(&mut self, stop: &Stop) {
        let Ok(session) = self.session() else { return };
        let set = session.processor();
        let words = stop.words(set);
        let place = session.stopped_at(stop);
        match stop {
            Stop::Breakpoint => {
                if let Some(text) = self.breaks.log_at(place) {
                    let Ok(session) = self.session() else { return };
                    let told = filled_in(&text, session);
                    // What is logged goes by.
                    session.step();
                    self.say("console", &format!("{told}\n"));
                    return;
                }
                let ids = self.breaks.ids_at(place);
                self.stopped("breakpoint", &words, Some(ids));
            }
            Stop::Condition(_) => self.stopped("breakpoint", &words, None),
            Stop::Operator => self.stopped("pause", &words, None),
            _ => {
                let is_quiet = self.launch.as_ref().is_some_and(|row| row.0.no_debug);
                self.stopped("end", &words, None);
                if is_quiet {
                    self.tell("terminated", Value::Null);
                    self.tell("exited", json!({ "exitCode": 0 }));
                }
            }
        }
    }

    /// Carries out a line of the monitor's; what it moves is told.
    pub(super) fn monitor_line(&mut self, line: &str) -> Done {
        let monitor = self.monitor()?;
        let before = monitor.session().moment();
        let reply = monitor.line(line, &mut Files).map_err(|no| match no.help.is_empty() {
            true => no.to_string(),
            false => format!("{no}; {}", no.help),
        })?;
        let moved = monitor.session().moment() != before;
        let text = match reply {
            Reply::Done(text) => text.to_string(),
            Reply::Quit => "the client ends the conversation".to_string(),
        };
        if moved {
            self.stopped("step", line, None);
        } else {
            self.tell("invalidated", json!({ "areas": ["variables"] }));
        }
        Ok(json!({ "result": text.trim_end(), "variablesReference": 0 }))
    }
}

/// A text with the values of what stands in braces.
fn filled_in(text: &str, session: &Session) -> String {
    let (mut out, mut rest) = (String::new(), text);
    while let Some((before, after)) = rest.split_once('{') {
        out += before;
        let Some((expression, behind)) = after.split_once('}') else {
            out.push('{');
            rest = after;
            continue;
        };
        out += &match session.evaluate(expression) {
            Ok(value) => value.to_string(),
            Err(wrong) => format!("{{{}}}", wrong.message),
        };
        rest = behind;
    }
    out + rest
}

fn capabilities() -> Value {
    let filters: Vec<Value> = std::iter::once(("all", "every hazard"))
        .chain(HAZARDS.iter().copied())
        .map(|(code, words)| json!({ "filter": code, "label": code, "description": words, "default": false }))
        .collect();
    let can = [
        "ConfigurationDoneRequest",
        "FunctionBreakpoints",
        "ConditionalBreakpoints",
        "HitConditionalBreakpoints",
        "LogPoints",
        "InstructionBreakpoints",
        "DataBreakpoints",
        "StepBack",
        "SteppingGranularity",
        "SetVariable",
        "SetExpression",
        "EvaluateForHovers",
        "CompletionsRequest",
        "ReadMemoryRequest",
        "WriteMemoryRequest",
        "DisassembleRequest",
        "GotoTargetsRequest",
        "RestartRequest",
        "TerminateRequest",
        "LoadedSourcesRequest",
        "ExceptionInfoRequest",
        "BreakpointLocationsRequest",
    ];
    let mut all = json!({ "exceptionBreakpointFilters": filters });
    for what in can {
        all[format!("supports{what}")] = true.into();
    }
    all
}
