//! What the editor asks for, and what it gets: the answers of the library in the words of the protocol.

use super::editor::{Places, Server, diagnostic};
use super::pages::directive_uri;
use super::places::{Lines, file_of, uri_of};
use lsp_server::ErrorCode;
use lsp_types::request::{self, Request as _};
use lsp_types::*;
use plain_byte::assembler::Loader;
use plain_byte::language::{self, Branch, Call, CompletionKind, NamedKind, WordKind};
use serde::de::DeserializeOwned;
use serde_json::Value;
use std::collections::HashMap;

/// Why there is no answer.
pub struct NoAnswer {
    pub code: ErrorCode,
    pub message: String,
}

type Answer = Result<Value, NoAnswer>;

/// Kinds of words, as the protocol calls them.
pub const WORD_KINDS: &[(WordKind, &str)] = &[
    (WordKind::Instruction, "keyword"),
    (WordKind::Directive, "modifier"),
    (WordKind::Macro, "macro"),
    (WordKind::Label, "function"),
    (WordKind::Constant, "enumMember"),
    (WordKind::Variable, "variable"),
    (WordKind::Register, "parameter"),
    (WordKind::Board, "property"),
    (WordKind::Number, "number"),
    (WordKind::Text, "string"),
    (WordKind::Comment, "comment"),
];

type Asked = fn(&mut Server, Value) -> Answer;

/// Every request that is answered.
const REQUESTS: &[(&str, Asked)] = &[
    (request::HoverRequest::METHOD, |server, asked| answer(asked, |asked| server.hover(asked))),
    (request::GotoDefinition::METHOD, |server, asked| answer(asked, |asked| server.definition(asked))),
    (request::References::METHOD, |server, asked| answer(asked, |asked| server.references(asked))),
    (request::DocumentHighlightRequest::METHOD, |server, asked| {
        answer(asked, |asked| server.highlights(asked))
    }),
    (request::DocumentSymbolRequest::METHOD, |server, asked| answer(asked, |asked| server.symbols(asked))),
    (request::WorkspaceSymbolRequest::METHOD, |server, asked| {
        answer(asked, |asked| server.all_symbols(asked))
    }),
    (request::Completion::METHOD, |server, asked| answer(asked, |asked| server.complete(asked))),
    (request::SignatureHelpRequest::METHOD, |server, asked| answer(asked, |asked| server.signature(asked))),
    (request::CodeActionRequest::METHOD, |server, asked| answer(asked, |asked| server.actions(asked))),
    (request::CodeLensRequest::METHOD, |server, asked| answer(asked, |asked| server.lenses(asked))),
    (request::ExecuteCommand::METHOD, |server, asked| server.execute(read(asked)?)),
    ("workspace/textDocumentContent", |server, asked| answer(asked, |asked| server.page(asked))),
    (request::PrepareRenameRequest::METHOD, |server, asked| answer(asked, |asked| server.renamable(asked))),
    (request::Rename::METHOD, Server::rename),
    (request::Formatting::METHOD, |server, asked| answer(asked, |asked| server.format(asked))),
    (request::RangeFormatting::METHOD, |server, asked| answer(asked, |asked| server.format_range(asked))),
    (request::OnTypeFormatting::METHOD, |server, asked| answer(asked, |asked| server.format_typed(asked))),
    (request::FoldingRangeRequest::METHOD, |server, asked| answer(asked, |asked| server.folds(asked))),
    (request::SelectionRangeRequest::METHOD, |server, asked| answer(asked, |asked| server.selections(asked))),
    (request::InlayHintRequest::METHOD, |server, asked| answer(asked, |asked| server.hints(asked))),
    (request::SemanticTokensFullRequest::METHOD, |server, asked| answer(asked, |asked| server.words(asked))),
    (request::DocumentLinkRequest::METHOD, |server, asked| answer(asked, |asked| server.links(asked))),
    (request::CallHierarchyPrepare::METHOD, |server, asked| answer(asked, |asked| server.routine(asked))),
    (request::CallHierarchyIncomingCalls::METHOD, |server, asked| {
        answer(asked, |asked| server.callers(asked))
    }),
    (request::CallHierarchyOutgoingCalls::METHOD, |server, asked| {
        answer(asked, |asked| server.callees(asked))
    }),
];

fn read<T: DeserializeOwned>(asked: Value) -> Result<T, NoAnswer> {
    serde_json::from_value(asked).map_err(|wrong| NoAnswer {
        code: ErrorCode::InvalidParams,
        message: format!("what is asked for cannot be read: {wrong}"),
    })
}

/// Reads what is asked, and writes the answer.
fn answer<T: DeserializeOwned, A: serde::Serialize>(asked: Value, find: impl FnOnce(T) -> A) -> Answer {
    Ok(serde_json::to_value(find(read(asked)?)).unwrap_or_default())
}

impl Server {
    /// Answers a request.
    pub fn answer(&mut self, method: &str, asked: Value) -> Answer {
        match REQUESTS.iter().find(|row| row.0 == method) {
            Some((_, find)) => find(self, asked),
            None => Err(NoAnswer {
                code: ErrorCode::MethodNotFound,
                message: format!("there is no request `{method}` here"),
            }),
        }
    }

    pub fn text(&mut self, file: &str) -> String {
        let loaded = self.texts.load(file, None).map(|loaded| loaded.bytes).unwrap_or_default();
        String::from_utf8_lossy(&loaded).into_owned()
    }

    /// The file and the byte that are asked about.
    fn place(&mut self, asked: &TextDocumentPositionParams) -> Option<(String, usize)> {
        let file = file_of(&asked.text_document.uri)?;
        let offset = self.counts.offset(&self.text(&file), asked.position);
        Some((file, offset))
    }

    fn location(&mut self, at: &language::Range) -> Option<Location> {
        let text = self.text(&at.file);
        Some(Location { uri: uri_of(&at.file)?, range: self.counts.range(&text, at.start, at.end) })
    }

    fn hover(&mut self, asked: HoverParams) -> Option<Hover> {
        let (file, offset) = self.place(&asked.text_document_position_params)?;
        let program = self.program_of(&file)?;
        let (range, mut value) = program.hover(&file, offset)?;
        let page = program.directive_at(&file, offset).filter(|_| self.can.pages);
        value += &page.map_or(String::new(), |word| format!("\n\n[its page]({})", directive_uri(&word)));
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

    fn highlights(&mut self, asked: DocumentHighlightParams) -> Vec<DocumentHighlight> {
        let found = self.place(&asked.text_document_position_params).and_then(|(file, offset)| {
            let mut all = self.program_of(&file)?.references(&file, offset, true);
            all.retain(|one| one.file == file);
            Some(all)
        });
        let all = found.unwrap_or_default();
        all.iter()
            .filter_map(|one| Some(DocumentHighlight { range: self.location(one)?.range, kind: None }))
            .collect()
    }

    fn symbols(&mut self, asked: DocumentSymbolParams) -> Vec<DocumentSymbol> {
        let Some(file) = file_of(&asked.text_document.uri) else { return Vec::new() };
        let outline = self.program_of(&file).map(|one| one.outline(&file)).unwrap_or_default();
        let text = self.text(&file);
        let lines = Lines::of(self.counts, &text);
        outline.iter().map(|one| branch(&lines, one)).collect()
    }

    #[allow(deprecated)]
    fn all_symbols(&mut self, asked: WorkspaceSymbolParams) -> Vec<SymbolInformation> {
        let wanted = asked.query.to_lowercase();
        let names = self.programs().flat_map(|program| {
            let texts: Vec<String> = program.texts().map(String::from).collect();
            texts.iter().flat_map(|text| program.names_in(text)).collect::<Vec<_>>()
        });
        let mut names: Vec<language::Named> =
            names.filter(|one| one.name.to_lowercase().contains(&wanted)).collect();
        names.sort_by(|one, other| one.range.cmp(&other.range));
        names.dedup();
        let symbol = |one: &language::Named| {
            let location = self.location(&one.range)?;
            let (name, kind) = (one.name.clone(), symbol_kind(one.kind));
            Some(SymbolInformation {
                name,
                kind,
                tags: None,
                deprecated: None,
                location,
                container_name: None,
            })
        };
        names.iter().filter_map(symbol).collect()
    }

    fn complete(&mut self, asked: CompletionParams) -> Vec<CompletionItem> {
        let found = self
            .place(&asked.text_document_position)
            .and_then(|(file, offset)| Some(self.program_of(&file)?.complete(&file, offset)));
        let fills_in = self.can.fills_in;
        found.unwrap_or_default().into_iter().enumerate().map(|row| item(row, fills_in)).collect()
    }

    fn signature(&mut self, asked: SignatureHelpParams) -> Option<SignatureHelp> {
        let (file, offset) = self.place(&asked.text_document_position_params)?;
        let forms = self.program_of(&file)?.forms(&file, offset)?;
        let counts = |text: &str| text.encode_utf16().count() as u32;
        let signature = |one: &language::Form| {
            let operands = one.operands.iter().map(|&(start, end)| ParameterInformation {
                label: ParameterLabel::LabelOffsets([counts(&one.text[..start]), counts(&one.text[..end])]),
                documentation: None,
            });
            SignatureInformation {
                label: one.text.clone(),
                documentation: Some(Documentation::String(one.meaning.clone())),
                parameters: Some(operands.collect()),
                active_parameter: None,
            }
        };
        Some(SignatureHelp {
            signatures: forms.forms.iter().map(signature).collect(),
            active_signature: Some(forms.fits as u32),
            active_parameter: Some(forms.operand as u32),
        })
    }

    /// Changes as the protocol has them.
    fn edits(&mut self, edits: &[language::Edit]) -> WorkspaceEdit {
        // A file's URI is a string that never changes.
        #[allow(clippy::mutable_key_type)]
        let mut changes: HashMap<Uri, Vec<TextEdit>> = HashMap::new();
        for edit in edits {
            if let Some(Location { uri, range }) = self.location(&edit.range) {
                changes.entry(uri).or_default().push(TextEdit { range, new_text: edit.text.clone() });
            }
        }
        WorkspaceEdit { changes: Some(changes), ..WorkspaceEdit::default() }
    }

    fn actions(&mut self, asked: CodeActionParams) -> Vec<CodeAction> {
        let Some(file) = file_of(&asked.text_document.uri) else { return Vec::new() };
        let text = self.text(&file);
        let [start, end] = [asked.range.start, asked.range.end].map(|at| self.counts.offset(&text, at));
        let range = language::Range { file: file.clone(), start, end: end.max(start) };
        let wants = |kind: &CodeActionKind| {
            let only = asked.context.only.as_ref();
            only.is_none_or(|only| only.iter().any(|one| kind.as_str().starts_with(one.as_str())))
        };
        let mut texts = self.texts.clone();
        let mut all = Vec::new();
        if let Some(program) = self.program_of(&file) {
            if wants(&CodeActionKind::QUICKFIX) {
                all.extend(program.fixes(&range, &mut texts));
            }
            if wants(&CodeActionKind::REFACTOR_REWRITE) {
                all.extend(program.refactorings(&range, &mut texts));
            }
        }
        let places = Places::from([(file.as_str(), Lines::of(self.counts, &text))]);
        let action = |fix: language::Fix| CodeAction {
            kind: Some(match fix.mends {
                Some(_) => CodeActionKind::QUICKFIX,
                None => CodeActionKind::REFACTOR_REWRITE,
            }),
            diagnostics: fix.mends.as_ref().map(|told| vec![diagnostic(told, &places)]),
            edit: Some(self.edits(&fix.edits)),
            is_preferred: fix.preferred.then_some(true),
            title: fix.title,
            ..CodeAction::default()
        };
        all.into_iter().map(action).collect()
    }

    fn renamable(&mut self, asked: TextDocumentPositionParams) -> Option<Range> {
        let (file, offset) = self.place(&asked)?;
        let range = self.program_of(&file)?.renamable(&file, offset)?;
        Some(self.location(&range)?.range)
    }

    fn rename(&mut self, asked: Value) -> Answer {
        let mut refused = None;
        let told = answer(asked, |asked: RenameParams| {
            let (file, offset) = self.place(&asked.text_document_position)?;
            let mut texts = self.texts.clone();
            match self.program_of(&file)?.rename(&file, offset, &asked.new_name, &mut texts) {
                Ok(edits) => Some(self.edits(&edits)),
                Err(no) => {
                    refused = Some(no.to_string());
                    None
                }
            }
        })?;
        match refused {
            Some(message) => Err(NoAnswer { code: ErrorCode::RequestFailed, message }),
            None => Ok(told),
        }
    }

    fn columns(&mut self, uri: &Uri, between: Option<Range>) -> Vec<TextEdit> {
        let Some(file) = file_of(uri) else { return Vec::new() };
        let text = self.text(&file);
        let stretch = match between {
            Some(range) => self.counts.offset(&text, range.start)..self.counts.offset(&text, range.end),
            None => 0..text.len(),
        };
        let lines = Lines::of(self.counts, &text);
        let edit = |one: language::Edit| TextEdit {
            range: lines.range(one.range.start, one.range.end),
            new_text: one.text,
        };
        language::columns(&file, &text, stretch).into_iter().map(edit).collect()
    }

    fn format(&mut self, asked: DocumentFormattingParams) -> Vec<TextEdit> {
        self.columns(&asked.text_document.uri, None)
    }

    fn format_range(&mut self, asked: DocumentRangeFormattingParams) -> Vec<TextEdit> {
        self.columns(&asked.text_document.uri, Some(asked.range))
    }

    /// A line has been ended: it gets its columns.
    fn format_typed(&mut self, asked: DocumentOnTypeFormattingParams) -> Vec<TextEdit> {
        let at = asked.text_document_position;
        let line = Position { line: at.position.line.saturating_sub(1), character: 0 };
        self.columns(&at.text_document.uri, Some(Range { start: line, end: line }))
    }

    fn folds(&mut self, asked: FoldingRangeParams) -> Vec<FoldingRange> {
        let Some(file) = file_of(&asked.text_document.uri) else { return Vec::new() };
        let all = self.program_of(&file).map(|one| one.folds(&file)).unwrap_or_default();
        let text = self.text(&file);
        let lines = Lines::of(self.counts, &text);
        let fold = |one: language::Range| {
            let range = lines.range(one.start, one.end);
            let is_comment = text[one.start..].trim_start().starts_with(';');
            FoldingRange {
                start_line: range.start.line,
                end_line: range.end.line,
                kind: is_comment.then_some(FoldingRangeKind::Comment),
                ..FoldingRange::default()
            }
        };
        all.into_iter().map(fold).collect()
    }

    fn selections(&mut self, asked: SelectionRangeParams) -> Vec<SelectionRange> {
        let Some(file) = file_of(&asked.text_document.uri) else { return Vec::new() };
        let text = self.text(&file);
        let lines = Lines::of(self.counts, &text);
        let selection = |at: &Position| {
            let offset = self.counts.offset(&text, *at);
            let all = self.program_of(&file).map(|one| one.selections(&file, offset)).unwrap_or_default();
            let nothing = SelectionRange { range: Range { start: *at, end: *at }, parent: None };
            let grown = all.iter().rev().fold(None, |parent: Option<SelectionRange>, one| {
                Some(SelectionRange { range: lines.range(one.start, one.end), parent: parent.map(Box::new) })
            });
            grown.unwrap_or(nothing)
        };
        asked.positions.iter().map(selection).collect()
    }

    fn hints(&mut self, asked: InlayHintParams) -> Vec<InlayHint> {
        let Some(file) = file_of(&asked.text_document.uri) else { return Vec::new() };
        let text = self.text(&file);
        let [start, end] = [asked.range.start, asked.range.end].map(|at| self.counts.offset(&text, at));
        let all = self.program_of(&file).map(|one| one.line_hints(&file, start..end.max(start + 1)));
        let lines = Lines::of(self.counts, &text);
        let hint = |one: language::LineHint| InlayHint {
            position: lines.position(one.at),
            label: InlayHintLabel::String(one.text),
            kind: None,
            text_edits: None,
            tooltip: None,
            padding_left: Some(true),
            padding_right: Some(true),
            data: None,
        };
        all.unwrap_or_default().into_iter().map(hint).collect()
    }

    fn words(&mut self, asked: SemanticTokensParams) -> SemanticTokens {
        let file = file_of(&asked.text_document.uri).unwrap_or_default();
        let words = self.program_of(&file).map(|one| one.words(&file)).unwrap_or_default();
        let text = self.text(&file);
        let lines = Lines::of(self.counts, &text);
        let mut before = Position::default();
        let mut data = Vec::with_capacity(words.len());
        for word in words {
            let at = lines.position(word.start);
            let delta_line = at.line - before.line;
            let delta_start = if delta_line == 0 { at.character - before.character } else { at.character };
            let is_fixed = matches!(word.kind, WordKind::Constant | WordKind::Board);
            data.push(SemanticToken {
                delta_line,
                delta_start,
                length: lines.length(word.start, word.end),
                token_type: WORD_KINDS.iter().position(|row| row.0 == word.kind).unwrap_or(0) as u32,
                token_modifiers_bitset: u32::from(word.is_definition) | u32::from(is_fixed) << 1,
            });
            before = at;
        }
        SemanticTokens { result_id: None, data }
    }

    fn links(&mut self, asked: DocumentLinkParams) -> Vec<DocumentLink> {
        let Some(file) = file_of(&asked.text_document.uri) else { return Vec::new() };
        let links = self.program_of(&file).map(|one| one.links(&file)).unwrap_or_default();
        let link = |(range, to): &(language::Range, String)| {
            let range = self.location(range)?.range;
            Some(DocumentLink { range, target: uri_of(to), tooltip: None, data: None })
        };
        links.iter().filter_map(link).collect()
    }

    fn item(&mut self, (name, range): &(String, language::Range)) -> Option<CallHierarchyItem> {
        let Location { uri, range } = self.location(range)?;
        let (name, kind) = (name.clone(), SymbolKind::FUNCTION);
        Some(CallHierarchyItem {
            name,
            kind,
            tags: None,
            detail: None,
            uri,
            range,
            selection_range: range,
            data: None,
        })
    }

    fn routine(&mut self, asked: CallHierarchyPrepareParams) -> Option<Vec<CallHierarchyItem>> {
        let (file, offset) = self.place(&asked.text_document_position_params)?;
        let routine = self.program_of(&file)?.routine_at(&file, offset)?;
        Some(vec![self.item(&routine)?])
    }

    fn callers(&mut self, asked: CallHierarchyIncomingCallsParams) -> Vec<CallHierarchyIncomingCall> {
        let calls =
            file_of(&asked.item.uri).and_then(|file| Some(self.program_of(&file)?.callers(&asked.item.name)));
        let call = |one: Call| {
            let from_ranges =
                one.places.iter().filter_map(|place| Some(self.location(place)?.range)).collect();
            Some(CallHierarchyIncomingCall { from: self.item(&one.routine)?, from_ranges })
        };
        calls.unwrap_or_default().into_iter().filter_map(call).collect()
    }

    fn callees(&mut self, asked: CallHierarchyOutgoingCallsParams) -> Vec<CallHierarchyOutgoingCall> {
        let calls =
            file_of(&asked.item.uri).and_then(|file| Some(self.program_of(&file)?.callees(&asked.item.name)));
        let call = |one: Call| {
            let from_ranges =
                one.places.iter().filter_map(|place| Some(self.location(place)?.range)).collect();
            Some(CallHierarchyOutgoingCall { to: self.item(&one.routine)?, from_ranges })
        };
        calls.unwrap_or_default().into_iter().filter_map(call).collect()
    }
}

/// A completion, in the order in which they are told: what is nearest first.
fn item((number, one): (usize, language::Completion), fills_in: bool) -> CompletionItem {
    let mut item = CompletionItem {
        kind: Some(match one.kind {
            CompletionKind::Instruction | CompletionKind::Directive => CompletionItemKind::KEYWORD,
            CompletionKind::Form => CompletionItemKind::SNIPPET,
            CompletionKind::Macro => CompletionItemKind::FUNCTION,
            CompletionKind::Register => CompletionItemKind::VARIABLE,
            CompletionKind::Label => CompletionItemKind::FIELD,
            _ => CompletionItemKind::CONSTANT,
        }),
        detail: Some(one.detail),
        sort_text: Some(format!("{number:06}")),
        ..CompletionItem::default()
    };
    if one.kind == CompletionKind::Form && fills_in {
        item.insert_text = Some(with_holes(&one.text, &one.holes));
        item.insert_text_format = Some(InsertTextFormat::SNIPPET);
    } else if let Some(&(first, _)) = one.holes.first() {
        item.insert_text = Some(one.text[..first].to_string());
    }
    item.label = one.text;
    item
}

/// A text whose holes the editor goes through.
fn with_holes(text: &str, holes: &[(usize, usize)]) -> String {
    let plain = |part: &str| part.replace('\\', "\\\\").replace('$', "\\$").replace('}', "\\}");
    let (mut out, mut from) = (String::new(), 0);
    for (number, &(start, end)) in holes.iter().enumerate() {
        out += &plain(&text[from..start]);
        out += &format!("${{{}:{}}}", number + 1, plain(&text[start..end]));
        from = end;
    }
    out + &plain(&text[from..])
}

fn symbol_kind(kind: NamedKind) -> SymbolKind {
    match kind {
        NamedKind::Constant => SymbolKind::CONSTANT,
        NamedKind::Variable => SymbolKind::VARIABLE,
        NamedKind::Macro => SymbolKind::METHOD,
        NamedKind::Space => SymbolKind::NAMESPACE,
        _ => SymbolKind::FUNCTION,
    }
}

#[allow(deprecated)]
fn branch(lines: &Lines<'_>, one: &Branch) -> DocumentSymbol {
    let inside: Vec<DocumentSymbol> = one.inside.iter().map(|one| branch(lines, one)).collect();
    let named = &one.named;
    DocumentSymbol {
        name: named.name.clone(),
        detail: Some(named.value.clone()).filter(|value| !value.is_empty()),
        kind: symbol_kind(named.kind),
        tags: None,
        deprecated: None,
        range: lines.range(one.extent.start.min(named.range.start), one.extent.end.max(named.range.end)),
        selection_range: lines.range(named.range.start, named.range.end),
        children: (!inside.is_empty()).then_some(inside),
    }
}
