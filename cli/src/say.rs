//! Failures, and the one place where they are told.

use crate::paint;
use plain_byte::diagnostic::{Diagnostic, Sources};

/// Why a command could not do what was asked.
#[derive(Debug)]
pub enum Failure {
    /// A sentence and what to do; exit status 1, or 2 where the command line is wrong.
    Message { message: String, help: String, status: u8 },
    /// Places in texts.
    Places { sources: Sources, diagnostics: Vec<Diagnostic>, more: usize, status: u8 },
    /// Everything was said already.
    Said(u8),
    /// Whoever read the output went away.
    Closed,
}

impl Failure {
    /// Something is wrong with the program or the input.
    pub fn input(message: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Message { message: message.into(), help: help.into(), status: 1 }
    }

    /// A run reached its limit before its end.
    pub fn limit(message: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Message { message: message.into(), help: help.into(), status: 3 }
    }

    /// Something is wrong with the command line.
    pub fn usage(message: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Message { message: message.into(), help: help.into(), status: 2 }
    }

    /// A diagnostic whose span lies in a single text, such as an expression on the command line.
    pub fn in_text(name: &str, text: &str, diagnostic: Diagnostic, status: u8) -> Self {
        let mut sources = Sources::default();
        sources.add(name, text, None);
        Self::Places { sources, diagnostics: vec![diagnostic], more: 0, status }
    }

    /// What is wrong, in a sentence.
    pub fn sentence(&self) -> String {
        match self {
            Self::Message { message, .. } => message.clone(),
            Self::Places { diagnostics, .. } => {
                diagnostics.first().map(|one| one.message.clone()).unwrap_or_default()
            }
            Self::Said(_) => String::new(),
            Self::Closed => "whoever read it went away".to_string(),
        }
    }

    /// Says it on standard error and returns the exit status.
    pub fn tell(self) -> u8 {
        match self {
            Self::Message { message, help, status } => {
                paint::complain_with(if status == 2 { "usage" } else { "input" }, &message, &help);
                status
            }
            Self::Places { sources, diagnostics, more, status } => {
                paint::diagnostics(&sources, &diagnostics, more);
                status
            }
            Self::Said(status) => status,
            Self::Closed => 0,
        }
    }
}

impl From<std::io::Error> for Failure {
    fn from(error: std::io::Error) -> Self {
        if error.kind() == std::io::ErrorKind::BrokenPipe {
            return Self::Closed;
        }
        Self::input(format!("the output cannot be written: {error}"), "check the disk and the terminal")
    }
}
