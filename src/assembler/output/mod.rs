//! What is told of a program beside its image: its lines, its diagnostics, the listing and its line map.

pub(super) mod line;
pub(super) mod listing;

use super::ImageRequest;
use super::SymbolId;
use super::read::directive::Demand;
use super::read::expression::Expression;
use crate::diagnostic::{Diagnostic, Span};
use line::Line;

/// What is told of the walk beside its cells.
#[derive(Default)]
pub(super) struct Record {
    pub lines: Vec<Line>,
    /// The values that variables were given.
    pub settings: Vec<i64>,
    pub diagnostics: Vec<Diagnostic>,
    /// Diagnostics that were not kept.
    pub more_errors: usize,
    pub entry: Option<(Expression, Option<SymbolId>, Span)>,
    pub demands: Vec<Demand>,
    /// Images that the source asks for.
    pub images: Vec<ImageRequest>,
}
