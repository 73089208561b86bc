//! A line of a source as somebody reads it: what it defines, what it does, with what, and what is said of it.

use crate::assembler::lexer::{Kind, Lexer, Token};

/// A stretch of a text, in bytes.
pub(super) type Stretch = std::ops::Range<usize>;

/// The parts of a line, where they stand in its text.
#[derive(Debug, Clone, Default)]
pub(super) struct Parts {
    /// The whole line, without its end.
    pub whole: Stretch,
    /// Names that it defines, in front of what it does.
    pub labels: Vec<Stretch>,
    /// The mnemonic, the directive or the macro.
    pub word: Option<Stretch>,
    /// What follows, cut at the commas that stand in no brackets.
    pub operands: Vec<Stretch>,
    /// What is said of it, its mark included.
    pub comment: Option<Stretch>,
    /// Every token.
    pub tokens: Vec<Token>,
}

fn stretch(token: &Token) -> Stretch {
    token.start as usize..token.end as usize
}

/// Directives that follow what they define without a colon.
const DEFINE: &[&str] = &["equ", "let", "macro"];

impl Parts {
    /// The line around an offset.
    pub fn at(text: &str, offset: usize) -> Self {
        let (start, line) = super::line_at(text, offset);
        Self::of(text, start..start + line.len())
    }

    /// A line of a text.
    pub fn of(text: &str, whole: Stretch) -> Self {
        let mut lexer = Lexer::new(text);
        lexer.go_to(whole.start as u32);
        let mut tokens = Vec::new();
        loop {
            let token = lexer.token();
            if matches!(token.kind, Kind::Line | Kind::End) || token.start as usize >= whole.end {
                break;
            }
            tokens.push(token);
        }
        let mut parts = Self { whole, ..Self::default() };
        let mut at = 0;
        while let [name, next, ..] = &tokens[at..]
            && name.kind == Kind::Name
        {
            let word = text.get(stretch(next)).unwrap_or_default();
            let defines = DEFINE[..2].iter().any(|one| word.eq_ignore_ascii_case(one));
            match next.kind {
                Kind::Colon => at += 2,
                Kind::Equal => at += 1,
                Kind::Name if defines => at += 1,
                _ => break,
            }
            parts.labels.push(stretch(name));
            if next.kind != Kind::Colon {
                break;
            }
        }
        if let Some(token) = tokens.get(at) {
            parts.word = Some(stretch(token));
            at += 1;
        }
        parts.operands = operands(&tokens[at.min(tokens.len())..]);
        let behind = tokens.last().map_or(parts.whole.start, |token| token.end as usize);
        let rest = text.get(behind..parts.whole.end).unwrap_or_default();
        parts.comment = rest.find(';').map(|by| behind + by..behind + rest.trim_end().len());
        parts.tokens = tokens;
        parts
    }

    /// Every line of a text.
    pub fn all(text: &str) -> impl Iterator<Item = Self> + '_ {
        let mut start = 0;
        text.split('\n').map(move |line| {
            let begin = start;
            start += line.len() + 1;
            Self::of(text, begin..begin + line.trim_end_matches('\r').len())
        })
    }

    /// What it does, as it is written.
    pub fn word<'t>(&self, text: &'t str) -> &'t str {
        self.word.clone().and_then(|word| text.get(word)).unwrap_or_default()
    }

    /// True where it does this.
    pub fn is(&self, text: &str, words: &[&str]) -> bool {
        let own = self.word(text);
        words.iter().any(|word| own.eq_ignore_ascii_case(word))
    }

    /// From the word to the end of what it works on.
    pub fn statement(&self) -> Option<Stretch> {
        let word = self.word.clone()?;
        let end = self.tokens.last().map_or(word.end, |token| token.end as usize);
        Some(word.start..end)
    }

    /// The number of the operand at an offset; `None` in front of the operands and in the comment.
    pub fn operand_at(&self, text: &str, offset: usize) -> Option<usize> {
        let word = self.word.clone()?;
        let is_behind = offset > word.end;
        let in_comment = self.comment.as_ref().is_some_and(|one| offset > one.start);
        if !is_behind || in_comment {
            return None;
        }
        let commas = self.tokens.iter().filter(|token| {
            token.kind == Kind::Comma && token.start as usize >= word.end && (token.start as usize) < offset
        });
        let depth_free = commas.filter(|comma| {
            let before = text.get(word.end..comma.start as usize).unwrap_or_default();
            before.matches('(').count() <= before.matches(')').count()
        });
        Some(depth_free.count())
    }
}

fn operands(tokens: &[Token]) -> Vec<Stretch> {
    let mut all: Vec<Stretch> = Vec::new();
    let (mut depth, mut open) = (0i32, false);
    for token in tokens {
        match token.kind {
            Kind::Comma if depth <= 0 => {
                if !open {
                    all.push(token.start as usize..token.start as usize);
                }
                open = false;
                continue;
            }
            Kind::Open => depth += 1,
            Kind::Close => depth -= 1,
            _ => {}
        }
        match all.last_mut().filter(|_| open) {
            Some(last) => last.end = token.end as usize,
            None => all.push(stretch(token)),
        }
        open = true;
    }
    all
}
