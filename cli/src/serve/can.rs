//! What the server for editors can do, as the protocol says it.

use super::answers::WORD_KINDS;
use super::trials::COMMANDS;
use lsp_types::*;

pub fn capabilities(encoding: PositionEncodingKind) -> ServerCapabilities {
    let legend = SemanticTokensLegend {
        token_types: WORD_KINDS.iter().map(|row| SemanticTokenType::new(row.1)).collect(),
        token_modifiers: vec![SemanticTokenModifier::DECLARATION, SemanticTokenModifier::READONLY],
    };
    let words = SemanticTokensOptions {
        legend,
        full: Some(SemanticTokensFullOptions::Bool(true)),
        range: Some(false),
        ..SemanticTokensOptions::default()
    };
    ServerCapabilities {
        position_encoding: Some(encoding),
        text_document_sync: Some(TextDocumentSyncCapability::Options(TextDocumentSyncOptions {
            open_close: Some(true),
            change: Some(TextDocumentSyncKind::INCREMENTAL),
            save: Some(TextDocumentSyncSaveOptions::Supported(true)),
            ..TextDocumentSyncOptions::default()
        })),
        hover_provider: Some(true.into()),
        definition_provider: Some(OneOf::Left(true)),
        references_provider: Some(OneOf::Left(true)),
        document_highlight_provider: Some(OneOf::Left(true)),
        document_symbol_provider: Some(OneOf::Left(true)),
        workspace_symbol_provider: Some(OneOf::Left(true)),
        code_action_provider: Some(CodeActionProviderCapability::Options(CodeActionOptions {
            code_action_kinds: Some(vec![CodeActionKind::QUICKFIX, CodeActionKind::REFACTOR_REWRITE]),
            ..CodeActionOptions::default()
        })),
        code_lens_provider: Some(CodeLensOptions { resolve_provider: Some(false) }),
        document_formatting_provider: Some(OneOf::Left(true)),
        document_range_formatting_provider: Some(OneOf::Left(true)),
        document_on_type_formatting_provider: Some(DocumentOnTypeFormattingOptions {
            first_trigger_character: "\n".to_string(),
            more_trigger_character: None,
        }),
        execute_command_provider: Some(ExecuteCommandOptions {
            commands: COMMANDS.iter().map(|name| (*name).to_string()).collect(),
            work_done_progress_options: WorkDoneProgressOptions::default(),
        }),
        rename_provider: Some(OneOf::Right(RenameOptions {
            prepare_provider: Some(true),
            work_done_progress_options: WorkDoneProgressOptions::default(),
        })),
        signature_help_provider: Some(SignatureHelpOptions {
            trigger_characters: Some(vec![" ".to_string(), ",".to_string()]),
            ..SignatureHelpOptions::default()
        }),
        completion_provider: Some(CompletionOptions {
            trigger_characters: Some(vec![".".to_string()]),
            ..CompletionOptions::default()
        }),
        call_hierarchy_provider: Some(CallHierarchyServerCapability::Simple(true)),
        document_link_provider: Some(DocumentLinkOptions {
            resolve_provider: Some(false),
            work_done_progress_options: WorkDoneProgressOptions::default(),
        }),
        folding_range_provider: Some(true.into()),
        selection_range_provider: Some(true.into()),
        inlay_hint_provider: Some(OneOf::Left(true)),
        semantic_tokens_provider: Some(words.into()),
        ..ServerCapabilities::default()
    }
}
