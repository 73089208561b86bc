//! Source text to tokens, by hand: a class table for the first byte, runs for the rest, `memchr` for comments.
//!
//! PERF: a table of byte classes and explicit runs take about 0.8 of the time of a generated lexer on the same text
//! (`cargo bench --bench assemble`). Tokens carry no value; the parser reads the numbers it needs.

/// What a token is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
#[repr(u8)]
pub enum Kind {
    /// A name, a mnemonic, a directive; may begin with a point.
    Name,
    /// A number in any notation that begins with a digit, or `$` with hex digits.
    Number,
    /// A text in double or single quotes, the quotes included.
    Text,
    /// A text whose closing quote is missing.
    OpenText,
    /// The end of a line.
    Line,
    /// The end of the source.
    End,
    /// `$` alone.
    Here,
    Comma,
    Colon,
    Open,
    Close,
    Plus,
    Minus,
    Star,
    Slash,
    Percent,
    Tilde,
    Not,
    And,
    AndAnd,
    Or,
    OrOr,
    Caret,
    Less,
    LessEqual,
    ShiftLeft,
    Greater,
    GreaterEqual,
    ShiftRight,
    Equal,
    EqualEqual,
    NotEqual,
    Hash,
    /// A byte that no token begins with.
    Bad,
}

/// A token: what it is and where, in bytes from the start of the source.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Token {
    /// What it is.
    pub kind: Kind,
    /// First byte.
    pub start: u32,
    /// After the last byte.
    pub end: u32,
}

/// Cuts a source text into tokens. The last one is [`Kind::End`], again and again.
#[derive(Debug, Clone)]
pub struct Lexer<'a> {
    bytes: &'a [u8],
    at: usize,
}

const BLANK: u8 = 1;
const LETTER: u8 = 2;
const DIGIT: u8 = 4;
const HEX: u8 = 8;
/// Letters, digits and what else may stand inside a name.
const WORD: u8 = 16;

/// The classes of every byte.
const CLASS: [u8; 256] = {
    let mut class = [0; 256];
    let mut at = 0;
    while at < 256 {
        let byte = at as u8;
        class[at] = match byte {
            b' ' | b'\t' | b'\r' => BLANK,
            b'A'..=b'F' | b'a'..=b'f' => LETTER | HEX | WORD,
            b'G'..=b'Z' | b'g'..=b'z' | b'_' | b'?' | b'@' => LETTER | WORD,
            b'0'..=b'9' => DIGIT | HEX | WORD,
            b'.' => WORD,
            _ => 0,
        };
        at += 1;
    }
    class
};

/// The kind that a byte begins, where a single byte decides.
const STARTS: [Kind; 256] = {
    let mut kinds = [Kind::Bad; 256];
    let mut at = 0;
    while at < 256 {
        let byte = at as u8;
        kinds[at] = match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'_' | b'?' | b'@' | b'.' => Kind::Name,
            b'0'..=b'9' => Kind::Number,
            b'"' | b'\'' => Kind::Text,
            b'\n' => Kind::Line,
            b'$' => Kind::Here,
            b',' => Kind::Comma,
            b':' => Kind::Colon,
            b'(' => Kind::Open,
            b')' => Kind::Close,
            b'+' => Kind::Plus,
            b'-' => Kind::Minus,
            b'*' => Kind::Star,
            b'/' => Kind::Slash,
            b'%' => Kind::Percent,
            b'~' => Kind::Tilde,
            b'!' => Kind::Not,
            b'&' => Kind::And,
            b'|' => Kind::Or,
            b'^' => Kind::Caret,
            b'<' => Kind::Less,
            b'>' => Kind::Greater,
            b'=' => Kind::Equal,
            b'#' => Kind::Hash,
            _ => Kind::Bad,
        };
        at += 1;
    }
    kinds
};

impl<'a> Lexer<'a> {
    /// Starts at the beginning of a text of less than 4 GiB.
    pub fn new(text: &'a str) -> Self {
        Self { bytes: text.as_bytes(), at: 0 }
    }

    #[inline(always)]
    fn peek(&self) -> u8 {
        self.bytes.get(self.at).copied().unwrap_or(0)
    }

    #[inline(always)]
    fn run(&mut self, class: u8) {
        while let Some(&byte) = self.bytes.get(self.at)
            && CLASS[usize::from(byte)] & class != 0
        {
            self.at += 1;
        }
    }

    /// The next token.
    #[inline(always)]
    pub fn token(&mut self) -> Token {
        self.run(BLANK);
        if self.peek() == b';' {
            self.skip_line();
        }
        let start = self.at;
        let Some(&byte) = self.bytes.get(start) else {
            return Token { kind: Kind::End, start: start as u32, end: start as u32 };
        };
        self.at += 1;
        let mut kind = STARTS[usize::from(byte)];
        match kind {
            Kind::Number => self.run(WORD),
            Kind::Name => {
                self.run(WORD);
                if self.peek() == b'\'' {
                    self.second_register(start);
                }
            }
            Kind::Comma
            | Kind::Line
            | Kind::Colon
            | Kind::Open
            | Kind::Close
            | Kind::Plus
            | Kind::Minus
            | Kind::Hash => {}
            Kind::Text => kind = self.text(byte),
            Kind::Here if CLASS[usize::from(self.peek())] & HEX != 0 => {
                self.run(WORD);
                kind = Kind::Number;
            }
            Kind::Bad if byte >= 0x80 || byte == 0 => self.bad(),
            Kind::Bad => {}
            _ => kind = self.operator(byte, kind),
        }
        Token { kind, start: start as u32, end: self.at as u32 }
    }

    /// Goes to a place in the text.
    pub(crate) fn go_to(&mut self, at: u32) {
        self.at = at as usize;
    }

    /// Moves to the end of the line without looking at what is there.
    #[inline]
    pub fn skip_line(&mut self) {
        let rest = &self.bytes[self.at..];
        self.at += memchr::memchr(b'\n', rest).unwrap_or(rest.len());
    }

    /// The Z80's second AF has an apostrophe, which belongs to its name.
    #[cold]
    fn second_register(&mut self, start: usize) {
        if self.bytes[start..self.at].eq_ignore_ascii_case(b"AF") {
            self.at += 1;
        }
    }

    fn operator(&mut self, first: u8, single: Kind) -> Kind {
        let double = match (first, self.peek()) {
            (b'&', b'&') => Kind::AndAnd,
            (b'|', b'|') => Kind::OrOr,
            (b'<', b'<') => Kind::ShiftLeft,
            (b'<', b'=') => Kind::LessEqual,
            (b'>', b'>') => Kind::ShiftRight,
            (b'>', b'=') => Kind::GreaterEqual,
            (b'=', b'=') => Kind::EqualEqual,
            (b'!', b'=') => Kind::NotEqual,
            _ => return single,
        };
        self.at += 1;
        double
    }

    fn text(&mut self, quote: u8) -> Kind {
        while let Some(&byte) = self.bytes.get(self.at) {
            match byte {
                b'\n' => return Kind::OpenText,
                b'\\' if self.bytes.get(self.at + 1).is_some_and(|&next| next != b'\n') => self.at += 2,
                _ => self.at += 1,
            }
            if byte == quote {
                // A quote that is doubled stands for itself.
                if self.peek() != quote {
                    return Kind::Text;
                }
                self.at += 1;
            }
        }
        Kind::OpenText
    }

    /// A run of bytes that belong to no token: the rest of a character, or many bad bytes as one error.
    fn bad(&mut self) {
        while let Some(&byte) = self.bytes.get(self.at)
            && (byte >= 0x80 || byte == 0)
        {
            self.at += 1;
        }
    }
}
