//! Another name for a label, a constant, a macro, a parameter or a space, wherever it stands.

use super::line::Parts;
use super::{Analysis, Edit, Range, word_at};
use crate::assembler::Loader;
use crate::assembler::lexer::{Kind, Lexer, Token};

/// Why a name cannot be another one: a sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct NoRename(pub String);

/// The last part of a name: of `night.count` the `count`.
fn stem(name: &str) -> &str {
    name.rsplit('.').next().unwrap_or(name)
}

impl Analysis {
    /// The part of a name at a place that would be another one; `None` where no name of the program stands there.
    pub fn renamable(&self, file: &str, offset: usize) -> Option<Range> {
        let (_, text) = self.text(file)?;
        let (start, end) = word_at(text, offset)?;
        // Of `night.count` the part that is pointed at.
        let word = &text[start..end];
        let from = word[..offset.clamp(start, end) - start].rfind('.').map_or(0, |at| at + 1);
        let to = word[from..].find('.').map_or(word.len(), |at| from + at);
        let range = Range { file: file.to_string(), start: start + from, end: start + to };
        let name = &word[from..to];
        let is_known = self.symbol_at(file, offset).is_some()
            || self.is_space(name)
            || self.macro_around(text, offset, name).is_some();
        (is_known && !name.is_empty()).then_some(range)
    }

    /// The changes that give what stands at a place another name. The program with them is the same to the last cell.
    ///
    /// # Errors
    /// No name stands there, the new one is none, or it is taken.
    pub fn rename(
        &self,
        file: &str,
        offset: usize,
        new: &str,
        loader: &mut dyn Loader,
    ) -> Result<Vec<Edit>, NoRename> {
        let no_name = || NoRename("no name of the program stands here".to_string());
        let range = self.renamable(file, offset).ok_or_else(no_name)?;
        let text = self.text(file).ok_or_else(no_name)?.1;
        let old = &text[range.start..range.end];
        let new = new.strip_prefix('.').unwrap_or(new);
        let token = Lexer::new(new).token();
        if token != (Token { kind: Kind::Name, start: 0, end: new.len() as u32 }) || new.contains('.') {
            return Err(NoRename(format!(
                "`{new}` is not a name: letters, digits and `_` make one, and a letter begins it"
            )));
        }
        let by_uses = self.references(file, offset, true).into_iter().filter_map(|place| {
            let written = self.text(&place.file)?.1.get(place.start..place.end)?;
            let end = place.start + written.len();
            let is_it = stem(written).eq_ignore_ascii_case(old);
            is_it.then(|| Edit::of(&place.file, end - old.len()..end, new))
        });
        let mut by_uses: Vec<Edit> = by_uses.collect();
        by_uses.sort_by(|one, other| one.range.cmp(&other.range));
        by_uses.dedup();
        if !by_uses.is_empty() && !self.is_space(old) && self.stays(&by_uses, loader) {
            return Ok(by_uses);
        }
        // Parameters and spaces are no symbols, and what nobody calls is not looked through: their words are.
        let by_words = match self.macro_around(text, offset, old) {
            Some(lines) => words(file, text, lines, old, new),
            None => {
                let texts: Vec<&str> = self.texts().collect();
                let of_text = |name: &&str| {
                    let text = self.text(name).map_or("", |row| row.1);
                    words(name, text, 0..text.len(), old, new)
                };
                texts.iter().flat_map(of_text).collect()
            }
        };
        if !by_words.is_empty() && self.stays(&by_words, loader) {
            return Ok(by_words);
        }
        Err(NoRename(format!(
            "`{old}` cannot be `{new}`: the program would be another one, since `{new}` means something already or `{old}` has other uses"
        )))
    }

    fn is_space(&self, name: &str) -> bool {
        let texts: Vec<&str> = self.texts().collect();
        texts.iter().any(|file| {
            let text = self.text(file).map_or("", |row| row.1);
            let opens = |line: &Parts| {
                line.is(text, &["space"])
                    && line
                        .operands
                        .first()
                        .and_then(|one| text.get(one.clone()))
                        .is_some_and(|one| one.eq_ignore_ascii_case(name))
            };
            Parts::all(text).any(|line| opens(&line))
        })
    }

    /// The lines of the macro around an offset that has a parameter of this name.
    fn macro_around(&self, text: &str, offset: usize, name: &str) -> Option<super::line::Stretch> {
        let mut begin = None;
        for line in Parts::all(text) {
            if line.is(text, &["macro"]) {
                begin = Some(line);
            } else if line.is(text, &["endm"])
                && let Some(header) = begin.take()
                && (header.whole.start..=line.whole.end).contains(&offset)
            {
                let head = header.tokens.iter().filter(|token| token.kind == Kind::Name).skip(2);
                let mut names = head.map(|token| &text[token.start as usize..token.end as usize]);
                return names
                    .any(|one| one.eq_ignore_ascii_case(name))
                    .then_some(header.whole.start..line.whole.end);
            }
        }
        None
    }
}

/// The changes of every word of a stretch that is a name, or a part of one.
fn words(file: &str, text: &str, stretch: super::line::Stretch, old: &str, new: &str) -> Vec<Edit> {
    let mut all = Vec::new();
    for line in
        Parts::all(text).filter(|line| line.whole.start >= stretch.start && line.whole.end <= stretch.end)
    {
        for token in line.tokens.iter().filter(|token| token.kind == Kind::Name) {
            let mut at = token.start as usize;
            for part in text[token.start as usize..token.end as usize].split('.') {
                if part.eq_ignore_ascii_case(old) {
                    all.push(Edit::of(file, at..at + part.len(), new));
                }
                at += part.len() + 1;
            }
        }
    }
    all
}
