//! Text with tones: what a report says, and how loudly. Whoever shows it chooses the colours; without any it reads
//! just as well.

use std::fmt;

/// How a piece of text is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tone {
    /// As it is.
    Plain,
    /// There to be found when looked for.
    Faint,
    /// A heading or a name that leads.
    Strong,
    /// Live or changed.
    Live,
    /// Wrong.
    Wrong,
}

/// Lines of text in tones.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Text {
    lines: Vec<Vec<(Tone, String)>>,
}

impl Text {
    /// No lines.
    pub fn new() -> Self {
        Self::default()
    }

    /// A single plain line, or several where `text` has breaks.
    pub fn plain(text: impl AsRef<str>) -> Self {
        let lines = text.as_ref().lines().map(|line| vec![(Tone::Plain, line.to_string())]).collect();
        Self { lines }
    }

    /// A single line in a tone.
    pub fn toned(tone: Tone, text: impl Into<String>) -> Self {
        Self { lines: vec![vec![(tone, text.into())]] }
    }

    /// Begins a line.
    pub fn line(&mut self) -> &mut Self {
        self.lines.push(Vec::new());
        self
    }

    /// Adds a plain piece to the last line.
    pub fn put(&mut self, text: impl Into<String>) -> &mut Self {
        self.tone(Tone::Plain, text)
    }

    /// Adds a piece in a tone to the last line.
    pub fn tone(&mut self, tone: Tone, text: impl Into<String>) -> &mut Self {
        let text = text.into();
        if self.lines.is_empty() {
            self.line();
        }
        if let Some(line) = self.lines.last_mut().filter(|_| !text.is_empty()) {
            line.push((tone, text));
        }
        self
    }

    /// Adds the lines of another text.
    pub fn append(&mut self, other: Text) -> &mut Self {
        self.lines.extend(other.lines);
        self
    }

    /// The lines, each in pieces.
    pub fn lines(&self) -> impl Iterator<Item = &[(Tone, String)]> {
        self.lines.iter().map(Vec::as_slice)
    }

    /// True where there are no lines.
    pub fn is_empty(&self) -> bool {
        self.lines.is_empty()
    }
}

impl fmt::Display for Text {
    /// Without tones and without blanks at line ends; every line ends with a break.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for line in &self.lines {
            let line: String = line.iter().map(|(_, text)| text.as_str()).collect();
            writeln!(f, "{}", line.trim_end())?;
        }
        Ok(())
    }
}
