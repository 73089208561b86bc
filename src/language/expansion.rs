//! What macros and repetitions wrote, as one text for each call.

use super::{Analysis, Range, line_at};

/// What a line wrote out by a macro or a repetition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// What was called: ``the macro `blink` ``.
    pub of: String,
    /// Where it was called.
    pub call: Range,
    /// The lines that it wrote, those of inner calls set in below the call.
    pub text: String,
}

/// Calls inside of calls beyond this many are left as they are.
const DEEPEST: usize = 16;

impl Analysis {
    /// What the lines of a text wrote out, in its order.
    pub fn written_out(&self, file: &str) -> Vec<Written> {
        let sources = self.assembly.sources.iter().enumerate();
        let calls = sources.filter_map(|(at, source)| {
            let (of, call) = (source.expansion.as_ref()?.of.to_string(), source.included?);
            let caller = self.assembly.sources.get(call.source)?;
            (caller.expansion.is_none() && caller.name == file).then(|| Written {
                of,
                call: self.range(call),
                text: self.lines_of(at as u32, 0),
            })
        });
        let mut all: Vec<Written> = calls.collect();
        all.sort_by_key(|one| one.call.start);
        // Of a call that wrote several times, the first stands for all.
        all.dedup_by(|one, first| one.call == first.call);
        all
    }

    /// The lines of an expansion, each followed by what it wrote itself.
    fn lines_of(&self, number: u32, depth: usize) -> String {
        let Some(source) = self.assembly.sources.get(number) else { return String::new() };
        let inner = self.assembly.sources.iter().enumerate();
        let inner: Vec<(u32, usize)> = inner
            .filter(|(_, one)| one.expansion.is_some())
            .filter_map(|(at, one)| {
                let call = one.included.filter(|call| call.source == number)?;
                Some((at as u32, line_at(&source.text, call.start as usize).0))
            })
            .collect();
        let (mut out, mut start) = (String::new(), 0);
        for line in source.text.split_inclusive('\n') {
            out += &"    ".repeat(depth);
            out += line.trim_end();
            out.push('\n');
            if depth < DEEPEST {
                let mut own = inner.iter().filter(|row| row.1 == start);
                own.next().into_iter().for_each(|row| out += &self.lines_of(row.0, depth + 1));
            }
            start += line.len();
        }
        out
    }

    /// What the line at an offset wrote out.
    pub fn written_at(&self, file: &str, offset: usize) -> Option<Written> {
        let (_, text) = self.text(file)?;
        let line = line_at(text, offset).0;
        self.written_out(file).into_iter().find(|one| line_at(text, one.call.start).0 == line)
    }
}
