//! `serve language`: the Language Server Protocol over standard input and output.

use super::can::capabilities;
use super::frames;
use super::pages;
use super::places::{Counts, Lines, file_of, uri_of};
use super::texts::Texts;
use super::trials::Trials;
use crate::open;
use crate::project;
use crate::say::Failure;
use crossbeam_channel::{Receiver, Sender};
use lsp_server::{Connection, ErrorCode, Message, Notification, Request, RequestId, Response};
use lsp_types::notification::{Notification as _, PublishDiagnostics};
use lsp_types::request::Request as _;
use lsp_types::*;
use plain_byte::diagnostic::Severity;
use plain_byte::language::Analysis;
use plain_byte::report::Policy;
use plain_byte::workspace::Target;
use serde::de::DeserializeOwned;
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::panic::{AssertUnwindSafe, catch_unwind};

fn broken(error: impl std::fmt::Display) -> Failure {
    Failure::input(format!("the editor: {error}"), "start the server from an editor")
}

pub fn run() -> Result<(), Failure> {
    let (connection, far) = Connection::memory();
    let reader = std::thread::spawn(move || read_all(&far.sender));
    let writer = std::thread::spawn(move || write_all(&far.receiver));
    let told = converse(&connection);
    // The writer ends when nobody can send any more; the reader waits for what may never come.
    drop(connection);
    let _ = writer.join();
    match reader.is_finished().then(|| reader.join()) {
        Some(Ok(Some(why))) => Err(broken(why)),
        _ => told,
    }
}

/// Takes messages in until there are no more; why, where that is not their end.
fn read_all(sender: &Sender<Message>) -> Option<String> {
    let mut input = std::io::BufReader::new(std::io::stdin());
    loop {
        let message = match frames::read(&mut input) {
            Ok(Some(message)) => message,
            Ok(None) => return None,
            Err(failure) => return Some(failure.sentence()),
        };
        match serde_json::from_value::<Message>(message) {
            Ok(message) => sender.send(message).ok()?,
            Err(_) => return Some("this is not a message of the protocol".to_string()),
        }
    }
}

fn write_all(receiver: &Receiver<Message>) {
    let mut output = std::io::stdout();
    for message in receiver {
        let Ok(mut message) = serde_json::to_value(message) else { continue };
        message["jsonrpc"] = "2.0".into();
        if frames::write(&mut output, &message).is_err() {
            return;
        }
    }
}

fn converse(connection: &Connection) -> Result<(), Failure> {
    let (id, offered) = connection.initialize_start().map_err(broken)?;
    let can = EditorCan::of(&offered);
    let offered: InitializeParams = serde_json::from_value(offered).map_err(broken)?;
    let encodings = offered.capabilities.general.and_then(|general| general.position_encodings);
    let counts_bytes = encodings.is_some_and(|all| all.contains(&PositionEncodingKind::UTF8));
    let counts = if counts_bytes { Counts::Bytes } else { Counts::Utf16 };
    let mut answer = serde_json::json!({
        "capabilities": capabilities(match counts {
            Counts::Bytes => PositionEncodingKind::UTF8,
            Counts::Utf16 => PositionEncodingKind::UTF16,
        }),
        "serverInfo": { "name": "plainbyte", "version": env!("CARGO_PKG_VERSION") },
    });
    answer["capabilities"]["workspace"]["textDocumentContent"]["schemes"] =
        serde_json::json!([pages::SCHEME]);
    connection.initialize_finish(id, answer).map_err(broken)?;
    let mut server = Server::new(counts, can);
    server.serve(connection)
}

/// What the editor says that it can.
#[derive(Debug, Clone, Copy, Default)]
pub struct EditorCan {
    /// It opens pages that have no file.
    pub pages: bool,
    /// It opens a text when it is asked to.
    pub shows: bool,
    /// A completion may have places to fill in.
    pub fills_in: bool,
    /// It asks for lenses anew when it is told to.
    pub refreshes: bool,
}

impl EditorCan {
    fn of(offered: &serde_json::Value) -> Self {
        let can = |path: &str| {
            let value = offered["capabilities"].pointer(path);
            value.is_some_and(|value| !value.is_null() && value != false)
        };
        Self {
            pages: can("/workspace/textDocumentContent"),
            shows: can("/window/showDocument/support"),
            fills_in: can("/textDocument/completion/completionItem/snippetSupport"),
            refreshes: can("/workspace/codeLens/refreshSupport"),
        }
    }
}

/// Programs beyond so many are not looked at, nor texts that are longer than this many bytes: the memory of the server has an end.
const MOST_PROGRAMS: usize = 64;
const LONGEST_TEXT: usize = 16 << 20;

/// What the server knows: texts as they stand in the editor, and the programs that they belong to.
pub struct Server {
    pub counts: Counts,
    pub can: EditorCan,
    pub texts: Texts,
    pub trials: Trials,
    /// Programs whose cases were run, by their main texts.
    pub had_cases: BTreeSet<String>,
    /// What is to be sent, and the number of the last request among it.
    outbox: Vec<Message>,
    asked: i32,
    /// What is known of each program, by the file of its main text.
    programs: BTreeMap<String, Analysis>,
    /// The files of which the editor was told something.
    told: BTreeSet<String>,
    /// Texts that have changed since the programs were looked at.
    changed: BTreeSet<String>,
    /// Texts that were saved since.
    saved: BTreeSet<String>,
    /// What came and is not done yet.
    waiting: VecDeque<Message>,
    /// The editor has told the server to end.
    is_ending: bool,
}

impl Server {
    pub fn new(counts: Counts, can: EditorCan) -> Self {
        Self {
            counts,
            can,
            texts: Texts::default(),
            trials: Trials::default(),
            had_cases: BTreeSet::new(),
            outbox: Vec::new(),
            asked: 0,
            programs: BTreeMap::new(),
            told: BTreeSet::new(),
            changed: BTreeSet::new(),
            saved: BTreeSet::new(),
            waiting: VecDeque::new(),
            is_ending: false,
        }
    }

    pub fn serve(&mut self, connection: &Connection) -> Result<(), Failure> {
        loop {
            // Everything that has come is there before anything is done, so that what was taken back meanwhile is not done at all.
            for message in std::mem::take(&mut self.outbox) {
                connection.sender.send(message).map_err(broken)?;
            }
            self.waiting.extend(connection.receiver.try_iter());
            let Some(message) = self.waiting.pop_front() else {
                if !self.changed.is_empty() {
                    self.look(connection)?;
                    continue;
                }
                match connection.receiver.recv() {
                    Ok(message) => self.waiting.push_back(message),
                    Err(_) => return Ok(()),
                }
                continue;
            };
            match message {
                Message::Request(request) if self.is_cancelled(&request.id) => {
                    let message = "the request was cancelled".to_string();
                    let answer = Response::new_err(request.id, ErrorCode::RequestCanceled as i32, message);
                    connection.sender.send(answer.into()).map_err(broken)?;
                }
                Message::Request(request) => {
                    let is_shutdown = request.method == request::Shutdown::METHOD;
                    if !self.changed.is_empty() && !is_shutdown {
                        self.look(connection)?;
                    }
                    let answer = match (is_shutdown, self.is_ending) {
                        (true, _) => Response::new_ok(request.id, serde_json::Value::Null),
                        (false, false) => self.reply(request),
                        (false, true) => {
                            let message = "the server was told to end".to_string();
                            Response::new_err(request.id, ErrorCode::InvalidRequest as i32, message)
                        }
                    };
                    self.is_ending |= is_shutdown;
                    connection.sender.send(answer.into()).map_err(broken)?;
                }
                Message::Notification(notification) if notification.method == notification::Exit::METHOD => {
                    return Ok(());
                }
                Message::Notification(notification) => {
                    if let Some(file) = self.note(notification) {
                        self.changed.insert(file);
                    }
                }
                Message::Response(_) => {}
            }
        }
    }

    /// True where the editor has taken a request back that was not answered yet.
    fn is_cancelled(&self, id: &RequestId) -> bool {
        self.waiting.iter().any(|message| match message {
            Message::Notification(Notification { method, params })
                if method == notification::Cancel::METHOD =>
            {
                let id_of =
                    params.get("id").cloned().and_then(|id| serde_json::from_value::<RequestId>(id).ok());
                id_of.as_ref() == Some(id)
            }
            _ => false,
        })
    }

    /// Takes in what the editor tells; the text that is another one then.
    fn note(&mut self, notification: Notification) -> Option<String> {
        use notification::{
            DidChangeTextDocument, DidCloseTextDocument, DidOpenTextDocument, DidSaveTextDocument,
        };
        let Notification { method, params } = notification;
        match method.as_str() {
            DidOpenTextDocument::METHOD => {
                let DidOpenTextDocumentParams { text_document } = read(params)?;
                let file = file_of(&text_document.uri)?;
                self.texts.open.insert(file.clone(), text_document.text);
                Some(file)
            }
            DidChangeTextDocument::METHOD => {
                let DidChangeTextDocumentParams { text_document, content_changes } = read(params)?;
                let file = file_of(&text_document.uri)?;
                let text = self.texts.open.get_mut(&file)?;
                for change in content_changes {
                    match change.range {
                        Some(range) => {
                            let start = self.counts.offset(text, range.start);
                            let end = self.counts.offset(text, range.end).max(start);
                            text.replace_range(start..end, &change.text);
                        }
                        None => *text = change.text,
                    }
                }
                Some(file)
            }
            DidCloseTextDocument::METHOD => {
                let DidCloseTextDocumentParams { text_document } = read(params)?;
                let file = file_of(&text_document.uri)?;
                self.texts.open.remove(&file)?;
                self.programs.remove(&file);
                Some(file)
            }
            DidSaveTextDocument::METHOD => {
                self.programs.clear();
                let DidSaveTextDocumentParams { text_document, .. } = read(params)?;
                self.saved.extend(file_of(&text_document.uri));
                Some(String::new())
            }
            // Other files may have changed on the disk.
            notification::DidChangeWatchedFiles::METHOD => {
                self.programs.clear();
                Some(String::new())
            }
            _ => None,
        }
    }

    /// Looks at every program of which a text is open, and tells what is wrong.
    fn look(&mut self, connection: &Connection) -> Result<(), Failure> {
        let changed = std::mem::take(&mut self.changed);
        let trials = &mut self.trials;
        self.programs.retain(|main, one| {
            let stays = !one.texts().any(|text| changed.contains(text));
            if !stays {
                trials.forget(main);
            }
            stays
        });
        let mut left_out: Vec<String> = Vec::new();
        let mut open: Vec<String> = self.texts.open.keys().cloned().collect();
        open.sort();
        for file in project_source().into_iter().chain(open) {
            let is_part =
                self.programs.iter().any(|(main, one)| *main != file && one.texts().any(|text| text == file));
            let is_too_long = self.texts.open.get(&file).is_some_and(|text| text.len() > LONGEST_TEXT);
            if is_too_long || self.programs.len() >= MOST_PROGRAMS && !self.programs.contains_key(&file) {
                left_out.push(file);
                continue;
            }
            if !self.programs.contains_key(&file)
                && !is_part
                && let Some(analysis) = self.analyse(&file)
            {
                self.programs.insert(file, analysis);
            }
        }
        // What a program includes belongs to it, and is none of its own.
        let includes = |main: &str, file: &str| {
            main != file && self.programs.get(main).is_some_and(|one| one.texts().any(|text| text == file))
        };
        let is_part =
            |file: &&String| self.programs.keys().any(|main| includes(main, file) && !includes(file, main));
        let parts: Vec<String> = self.programs.keys().filter(is_part).cloned().collect();
        parts.iter().for_each(|file| _ = self.programs.remove(file));
        let names: BTreeSet<String> = self
            .programs
            .values()
            .flat_map(|one| one.texts().map(String::from).collect::<Vec<_>>())
            .collect();
        let texts: Vec<(String, String)> =
            names.into_iter().map(|name| (name.clone(), self.text(&name))).collect();
        let lines: Places<'_> =
            texts.iter().map(|(name, text)| (name.as_str(), Lines::of(self.counts, text))).collect();
        let mut all: BTreeMap<String, Vec<Diagnostic>> = BTreeMap::new();
        for analysis in self.programs.values() {
            analysis.texts().for_each(|text| _ = all.entry(text.to_string()).or_default());
            for told in analysis.diagnostics() {
                let mut one = diagnostic(&told, &lines);
                one.code_description = self.code_page(told.code);
                all.entry(told.range.file.clone()).or_default().push(one);
            }
        }
        for file in left_out {
            let why = format!(
                "this text is not looked at: the server keeps {MOST_PROGRAMS} programs, and texts of up to {} million characters; close others, or cut it into parts",
                LONGEST_TEXT >> 20
            );
            all.entry(file).or_default().push(Diagnostic {
                severity: Some(DiagnosticSeverity::INFORMATION),
                source: Some("plainbyte".to_string()),
                message: why,
                ..Diagnostic::default()
            });
        }
        let gone: Vec<String> = self.told.iter().filter(|file| !all.contains_key(*file)).cloned().collect();
        let now: BTreeSet<String> = all.keys().cloned().collect();
        for (file, diagnostics) in all.into_iter().chain(gone.into_iter().map(|file| (file, Vec::new()))) {
            let Some(uri) = uri_of(&file) else { continue };
            let params = PublishDiagnosticsParams { uri, diagnostics, version: None };
            let message = Notification::new(PublishDiagnostics::METHOD.to_string(), params);
            connection.sender.send(message.into()).map_err(broken)?;
        }
        self.told = now;
        for file in std::mem::take(&mut self.saved) {
            // A mistake in the running is no matter of the conversation.
            let _ = catch_unwind(AssertUnwindSafe(|| self.saved(&file)));
        }
        Ok(())
    }

    /// A message for whoever sits there.
    pub fn show(&mut self, typ: MessageType, message: String) {
        let params = ShowMessageParams { typ, message };
        let method = notification::ShowMessage::METHOD.to_string();
        self.outbox.push(Notification::new(method, params).into());
    }

    fn ask(&mut self, method: &str, params: impl serde::Serialize) {
        self.asked += 1;
        self.outbox.push(Request::new(self.asked.into(), method.to_string(), params).into());
    }

    /// The lenses are others now.
    pub fn refresh(&mut self) {
        if self.can.refreshes {
            self.ask(request::CodeLensRefresh::METHOD, ());
        }
    }

    /// Opens a page in the editor.
    pub fn open_page(&mut self, uri: String) {
        if self.can.shows {
            self.ask(
                request::ShowDocument::METHOD,
                serde_json::json!({ "uri": uri, "external": false, "takeFocus": true }),
            );
        }
    }

    /// Where the page of a code is, for an editor that opens it.
    fn code_page(&self, code: &str) -> Option<CodeDescription> {
        let href = pages::code_uri(code).parse().ok()?;
        self.can.pages.then_some(CodeDescription { href })
    }

    fn analyse(&mut self, file: &str) -> Option<Analysis> {
        let target = target_of(file);
        // A mistake in the looking is no matter of other texts.
        let texts = &mut self.texts;
        let looked =
            catch_unwind(AssertUnwindSafe(|| Analysis::of(file, &target, &Policy::default(), texts)));
        looked.ok()?.ok()
    }

    /// The program that a text belongs to.
    pub fn program_of(&self, file: &str) -> Option<&Analysis> {
        self.programs
            .get(file)
            .or_else(|| self.programs.values().find(|one| one.texts().any(|text| text == file)))
    }

    /// Every program that a text is open of.
    pub fn programs(&self) -> impl Iterator<Item = &Analysis> {
        self.programs.values()
    }

    /// Answers a request. What goes wrong in it is told, and no matter of the next one.
    fn reply(&mut self, Request { id, method, params }: Request) -> Response {
        let answer = catch_unwind(AssertUnwindSafe(|| self.answer(&method, params)));
        match answer {
            Ok(Ok(answer)) => Response::new_ok(id, answer),
            Ok(Err(no)) => Response::new_err(id, no.code as i32, no.message),
            Err(_) => {
                let message = format!("the server has a fault: `{method}` cannot be answered for this text");
                Response::new_err(id, ErrorCode::InternalError as i32, message)
            }
        }
    }
}

/// What is told, as the protocol has it.
pub fn diagnostic(told: &plain_byte::language::Told, lines: &Places<'_>) -> Diagnostic {
    let range = |at: &plain_byte::language::Range| {
        lines.get(at.file.as_str()).map_or(Range::default(), |lines| lines.range(at.start, at.end))
    };
    let related = told.related.iter().filter_map(|(at, message)| {
        let location = Location { uri: uri_of(&at.file)?, range: range(at) };
        Some(DiagnosticRelatedInformation { location, message: message.clone() })
    });
    let related: Vec<_> = related.collect();
    Diagnostic {
        range: range(&told.range),
        severity: Some(match told.severity {
            Severity::Error => DiagnosticSeverity::ERROR,
            Severity::Warning => DiagnosticSeverity::WARNING,
            Severity::Note => DiagnosticSeverity::INFORMATION,
        }),
        code: Some(NumberOrString::String(told.code.to_string())),
        source: Some("plainbyte".to_string()),
        message: match told.help.is_empty() {
            true => told.message.clone(),
            false => format!("{}\n{}", told.message, told.help),
        },
        related_information: (!related.is_empty()).then_some(related),
        ..Diagnostic::default()
    }
}

/// The lines of each text.
pub type Places<'t> = BTreeMap<&'t str, Lines<'t>>;

fn read<T: DeserializeOwned>(params: serde_json::Value) -> Option<T> {
    serde_json::from_value(params).ok()
}

/// The main text of the project of this folder.
fn project_source() -> Option<String> {
    let found = project::look().ok()??;
    let source = std::path::absolute(found.path(&found.project.source)).ok()?;
    source.to_str().map(String::from)
}

/// What a program is for: what the project says where it is the project's.
fn target_of(file: &str) -> Target {
    let mut arguments = crate::arguments::TargetArguments::default();
    if project_source().as_deref() == Some(file)
        && let Ok(Some(found)) = project::look()
    {
        found.target(&mut arguments);
    }
    open::target(&arguments).unwrap_or_default()
}
