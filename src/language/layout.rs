//! The columns of a source: labels at the edge, what is done in the ninth column, a blank after each comma, comments where they stand or
//! in the thirty-third column at least. The program stays the same.

use super::Edit;
use super::line::Parts;
use crate::assembler::lexer::Kind;

/// Columns in front of what a line does.
const STATEMENT: usize = 8;
/// Columns in front of a comment after a statement.
const COMMENT: usize = 32;

/// The changes that put the lines of a stretch into their columns, a change a line.
pub fn columns(file: &str, text: &str, stretch: std::ops::Range<usize>) -> Vec<Edit> {
    let lines =
        Parts::all(text).filter(|line| line.whole.end >= stretch.start && line.whole.start <= stretch.end);
    let edits = lines.filter_map(|line| {
        let old = text.get(line.whole.clone())?;
        let new = laid_out(text, &line)?;
        (new != old).then(|| Edit::of(file, line.whole, new))
    });
    edits.collect()
}

/// A line in its columns; `None` where it is not understood, so that it stays as it is.
fn laid_out(text: &str, line: &Parts) -> Option<String> {
    let old = text.get(line.whole.clone())?;
    let is_strange =
        |token: &crate::assembler::lexer::Token| matches!(token.kind, Kind::Bad | Kind::OpenText);
    if line.tokens.iter().any(is_strange)
        || line
            .tokens
            .first()
            .is_some_and(|token| matches!(token.kind, Kind::Slash | Kind::Star | Kind::Hash))
    {
        return None;
    }
    let Some(first) = line.tokens.first() else {
        // A comment alone stands where somebody put it.
        return Some(old.trim_end().to_string());
    };
    let mut new = String::new();
    let begin = first.start as usize;
    let word = line.word.clone().map_or(line.tokens.last()?.end as usize, |word| word.start);
    let labels = text.get(begin..word)?.trim();
    // A name at the edge without a colon is a label to the assembler's habits, and stays one.
    let is_at_edge = line.labels.is_empty() && begin == line.whole.start;
    new += labels;
    if let Some(statement) = line.statement() {
        let is_definition = !line.labels.is_empty() && !labels.ends_with(':');
        match (is_at_edge, new.is_empty()) {
            (true, _) => {}
            (_, false) if is_definition => new.push(' '),
            _ => {
                let columns = new.chars().count();
                let blanks = if columns + 1 > STATEMENT { 1 } else { STATEMENT - columns };
                new.extend(std::iter::repeat_n(' ', blanks));
            }
        }
        new += &spaced(text, line, statement);
    }
    if let Some(comment) = &line.comment {
        let was = text.get(line.whole.start..comment.start)?.chars().count();
        let least = new.chars().count() + 1;
        let column = if was >= least && !text[line.whole.start..comment.start].contains('\t') {
            was
        } else {
            least.max(COMMENT)
        };
        new.extend(std::iter::repeat_n(' ', column - new.chars().count()));
        new += text.get(comment.clone())?.trim_end();
    }
    Some(new)
}

/// A statement with a blank after each comma and one after what it does.
fn spaced(text: &str, line: &Parts, statement: super::line::Stretch) -> String {
    let mut new = String::new();
    let tokens: Vec<_> =
        line.tokens.iter().filter(|token| statement.contains(&(token.start as usize))).collect();
    let mut end = statement.start;
    for (at, token) in tokens.iter().enumerate() {
        let (start, stop) = (token.start as usize, token.end as usize);
        let between = text.get(end..start).unwrap_or_default();
        let after_comma = at > 0 && tokens[at - 1].kind == Kind::Comma;
        match at {
            0 => {}
            _ if token.kind == Kind::Comma => {}
            _ if after_comma => new.push(' '),
            _ if !between.is_empty() => new.push(' '),
            _ => {}
        }
        new += text.get(start..stop).unwrap_or_default();
        end = stop;
    }
    new
}
