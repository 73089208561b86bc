//! `serve language`: the Language Server Protocol over standard input and output.

use super::places::{Counts, file_of, uri_of};
use super::texts::Texts;
use crate::open;
use crate::project;
use crate::say::Failure;
use lsp_server::{Connection, ErrorCode, Message, Notification, Request, Response};
use lsp_types::notification::{Notification as _, PublishDiagnostics};
use lsp_types::*;
use plain_byte::diagnostic::Severity;
use plain_byte::language::{Analysis, CompletionKind, NamedKind};
use plain_byte::report::Policy;
use plain_byte::workspace::Target;
use serde::de::DeserializeOwned;
use std::collections::{BTreeMap, BTreeSet};

fn broken(error: impl std::fmt::Display) -> Failure {
    Failure::input(format!("the editor: {error}"), "start the server from an editor")
}

pub fn run() -> Result<(), Failure> {
    let (connection, threads) = Connection::stdio();
    let (id, offered) = connection.initialize_start().map_err(broken)?;
    let offered: InitializeParams = serde_json::from_value(offered).map_err(broken)?;
    let encodings = offered.capabilities.general.and_then(|general| general.position_encodings);
    let counts_bytes = encodings.is_some_and(|all| all.contains(&PositionEncodingKind::UTF8));
    let counts = if counts_bytes { Counts::Bytes } else { Counts::Utf16 };
    let answer = serde_json::json!({
        "capabilities": capabilities(counts),
        "serverInfo": { "name": "plainbyte", "version": env!("CARGO_PKG_VERSION") },
    });
    connection.initialize_finish(id, answer).map_err(broken)?;
    let mut server =
        Server { counts, texts: Texts::default(), programs: BTreeMap::new(), told: BTreeSet::new() };
    server.serve(&connection)?;
    // The threads end when nobody can send any more.
    drop(connection);
    threads.join().map_err(broken)
}

fn capabilities(counts: Counts) -> ServerCapabilities {
    let encoding = match counts {
        Counts::Bytes => PositionEncodingKind::UTF8,
        Counts::Utf16 => PositionEncodingKind::UTF16,
    };
    ServerCapabilities {
        position_encoding: Some(encoding),
        text_document_sync: Some(TextDocumentSyncKind::INCREMENTAL.into()),
        hover_provider: Some(true.into()),
        definition_provider: Some(OneOf::Left(true)),
        references_provider: Some(OneOf::Left(true)),
        document_symbol_provider: Some(OneOf::Left(true)),
        completion_provider: Some(CompletionOptions::default()),
        ..ServerCapabilities::default()
    }
}

/// What the server knows: texts as they stand in the editor, and the programs that they belong to.
struct Server {
    counts: Counts,
    texts: Texts,
    /// What is known of each program, by the file of its main text.
    programs: BTreeMap<String, Analysis>,
    /// The files of which the editor was told something.
    told: BTreeSet<String>,
}

impl Server {
    fn serve(&mut self, connection: &Connection) -> Result<(), Failure> {
        let mut is_stale = false;
        loop {
            // Texts that change while others wait are looked at once, with the last change.
            let message = match connection.receiver.try_recv() {
                Ok(message) => message,
                Err(_) => {
                    if std::mem::take(&mut is_stale) {
                        self.look(connection)?;
                    }
                    match connection.receiver.recv() {
                        Ok(message) => message,
                        Err(_) => return Ok(()),
                    }
                }
            };
            match message {
                Message::Request(request) => {
                    if connection.handle_shutdown(&request).map_err(broken)? {
                        return Ok(());
                    }
                    if std::mem::take(&mut is_stale) {
                        self.look(connection)?;
                    }
                    connection.sender.send(self.answer(request).into()).map_err(broken)?;
                }
                Message::Notification(notification) => is_stale |= self.note(notification),
                Message::Response(_) => {}
            }
        }
    }

    /// Takes in what the editor tells; true where a text is another one then.
    fn note(&mut self, notification: Notification) -> bool {
        use notification::{DidChangeTextDocument, DidCloseTextDocument, DidOpenTextDocument};
        let Notification { method, params } = notification;
        match method.as_str() {
            DidOpenTextDocument::METHOD => {
                let Some(DidOpenTextDocumentParams { text_document }) = read(params) else { return false };
                let Some(file) = file_of(&text_document.uri) else { return false };
                self.texts.open.insert(file, text_document.text);
                true
            }
            DidChangeTextDocument::METHOD => {
                let Some(DidChangeTextDocumentParams { text_document, content_changes }) = read(params)
                else {
                    return false;
                };
                let Some(text) = file_of(&text_document.uri).and_then(|file| self.texts.open.get_mut(&file))
                else {
                    return false;
                };
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
                true
            }
            DidCloseTextDocument::METHOD => {
                let Some(DidCloseTextDocumentParams { text_document }) = read(params) else { return false };
                file_of(&text_document.uri).is_some_and(|file| self.texts.open.remove(&file).is_some())
            }
            _ => false,
        }
    }

    /// Looks at every program of which a text is open, and tells what is wrong.
    fn look(&mut self, connection: &Connection) -> Result<(), Failure> {
        self.programs.clear();
        let mut open: Vec<String> = self.texts.open.keys().cloned().collect();
        open.sort();
        for file in project_source().into_iter().chain(open) {
            if !self.programs.contains_key(&file)
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
        let mut all: BTreeMap<String, Vec<Diagnostic>> = BTreeMap::new();
        for analysis in self.programs.values() {
            analysis.texts().for_each(|text| _ = all.entry(text.to_string()).or_default());
            for told in analysis.diagnostics() {
                all.entry(told.range.file.clone()).or_default().push(self.told(&told));
            }
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
        Ok(())
    }

    fn analyse(&mut self, file: &str) -> Option<Analysis> {
        let target = target_of(file);
        Analysis::of(file, &target, &Policy::default(), &mut self.texts).ok()
    }

    fn text(&mut self, file: &str) -> String {
        use plain_byte::assembler::Loader;
        let loaded = self.texts.load(file, None).map(|loaded| loaded.bytes).unwrap_or_default();
        String::from_utf8_lossy(&loaded).into_owned()
    }

    fn told(&self, told: &plain_byte::language::Told) -> Diagnostic {
        let range = |at: &plain_byte::language::Range| {
            let text =
                self.texts.open.get(&at.file).cloned().or_else(|| std::fs::read_to_string(&at.file).ok());
            self.counts.range(&text.unwrap_or_default(), at.start, at.end)
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

    fn answer(&mut self, request: Request) -> Response {
        use request::{
            Completion, DocumentSymbolRequest, GotoDefinition, HoverRequest, References, Request as _,
        };
        let Request { id, method, params } = request;
        let answer = match method.as_str() {
            HoverRequest::METHOD => read(params).map(|asked| json(self.hover(asked))),
            GotoDefinition::METHOD => read(params).map(|asked| json(self.definition(asked))),
            References::METHOD => read(params).map(|asked| json(self.references(asked))),
            DocumentSymbolRequest::METHOD => read(params).map(|asked| json(self.symbols(asked))),
            Completion::METHOD => read(params).map(|asked| json(self.complete(asked))),
            _ => {
                let message = format!("there is no request `{method}` here");
                return Response::new_err(id, ErrorCode::MethodNotFound as i32, message);
            }
        };
        match answer {
            Some(answer) => Response::new_ok(id, answer),
            None => {
                let message = format!("what `{method}` asks for cannot be read");
                Response::new_err(id, ErrorCode::InvalidParams as i32, message)
            }
        }
    }

    /// The program that a text belongs to.
    fn program_of(&self, file: &str) -> Option<&Analysis> {
        self.programs
            .get(file)
            .or_else(|| self.programs.values().find(|one| one.texts().any(|text| text == file)))
    }

    /// The file and the byte that are asked about.
    fn place(&mut self, asked: &TextDocumentPositionParams) -> Option<(String, usize)> {
        let file = file_of(&asked.text_document.uri)?;
        let offset = self.counts.offset(&self.text(&file), asked.position);
        Some((file, offset))
    }

    fn location(&mut self, at: &plain_byte::language::Range) -> Option<Location> {
        let text = self.text(&at.file);
        Some(Location { uri: uri_of(&at.file)?, range: self.counts.range(&text, at.start, at.end) })
    }

    fn hover(&mut self, asked: HoverParams) -> Option<Hover> {
        let (file, offset) = self.place(&asked.text_document_position_params)?;
        let (range, value) = self.program_of(&file)?.hover(&file, offset)?;
        let range = self.location(&range)?.range;
        let contents = HoverContents::Markup(MarkupContent { kind: MarkupKind::Markdown, value });
        Some(Hover { contents, range: Some(range) })
    }

    fn definition(&mut self, asked: GotoDefinitionParams) -> Option<Location> {
        let (file, offset) = self.place(&asked.text_document_position_params)?;
        let range = self.program_of(&file)?.definition(&file, offset)?;
        self.location(&range)
    }

    fn references(&mut self, asked: ReferenceParams) -> Vec<Location> {
        let found = self.place(&asked.text_document_position).and_then(|(file, offset)| {
            Some(self.program_of(&file)?.references(&file, offset, asked.context.include_declaration))
        });
        found.unwrap_or_default().iter().filter_map(|range| self.location(range)).collect()
    }

    #[allow(deprecated)]
    fn symbols(&mut self, asked: DocumentSymbolParams) -> Vec<DocumentSymbol> {
        let Some(file) = file_of(&asked.text_document.uri) else { return Vec::new() };
        let names = self.program_of(&file).map(|one| one.names_in(&file)).unwrap_or_default();
        let text = self.text(&file);
        let symbol = |one: plain_byte::language::Named| {
            let range = self.counts.range(&text, one.range.start, one.range.end);
            DocumentSymbol {
                name: one.name,
                detail: Some(one.value).filter(|value| !value.is_empty()),
                kind: match one.kind {
                    NamedKind::Constant => SymbolKind::CONSTANT,
                    NamedKind::Variable => SymbolKind::VARIABLE,
                    NamedKind::Macro => SymbolKind::FUNCTION,
                    _ => SymbolKind::FIELD,
                },
                tags: None,
                deprecated: None,
                range,
                selection_range: range,
                children: None,
            }
        };
        names.into_iter().map(symbol).collect()
    }

    fn complete(&mut self, asked: CompletionParams) -> Vec<CompletionItem> {
        let found = self
            .place(&asked.text_document_position)
            .and_then(|(file, offset)| Some(self.program_of(&file)?.complete(&file, offset)));
        let item = |one: plain_byte::language::Completion| CompletionItem {
            label: one.text,
            kind: Some(match one.kind {
                CompletionKind::Instruction | CompletionKind::Directive => CompletionItemKind::KEYWORD,
                CompletionKind::Macro => CompletionItemKind::FUNCTION,
                CompletionKind::Register => CompletionItemKind::VARIABLE,
                CompletionKind::Label => CompletionItemKind::FIELD,
                _ => CompletionItemKind::CONSTANT,
            }),
            detail: Some(one.detail),
            ..CompletionItem::default()
        };
        found.unwrap_or_default().into_iter().map(item).collect()
    }
}

fn read<T: DeserializeOwned>(params: serde_json::Value) -> Option<T> {
    serde_json::from_value(params).ok()
}

/// The types of the protocol can be written as JSON.
fn json(value: impl serde::Serialize) -> serde_json::Value {
    serde_json::to_value(value).unwrap_or_default()
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
