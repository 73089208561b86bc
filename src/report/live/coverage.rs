//! Coverage and time beside the source, as LCOV, and as chains of calls.

use crate::number::thousands;
use crate::session::{Counted, Profile, Program};
use crate::text::{Text, Tone};
use std::collections::BTreeMap;
use std::fmt::Write;

/// What a run did in each line of a program's texts that has instructions.
pub struct Coverage<'p> {
    program: &'p Program,
    /// By file and line.
    files: BTreeMap<&'p str, BTreeMap<usize, Covered>>,
    cycles: u64,
}

/// What a run did in a line.
#[derive(Debug, Clone, Default)]
struct Covered {
    times: u64,
    cycles: u64,
    /// The ways of each instruction with a condition that the line made.
    branches: Vec<[u64; 2]>,
    label: Option<String>,
}

impl<'p> Coverage<'p> {
    /// What a run of a program did, line by line.
    pub fn of(program: &'p Program, profile: &Profile) -> Self {
        let mut files: BTreeMap<&str, BTreeMap<usize, Covered>> = BTreeMap::new();
        for (address, line) in program.lines().filter(|row| row.1.code) {
            let covered = files.entry(&line.file).or_default().entry(line.number).or_default();
            covered.label = covered.label.take().or_else(|| program.label(address).map(str::to_string));
            let end = address + line.cells;
            for (_, counted) in profile.counted.range(address..end.max(address + 1)) {
                let Counted { times, cycles, ways } = *counted;
                covered.times = covered.times.max(times);
                covered.cycles += cycles;
                covered.branches.extend(ways);
            }
        }
        Self { program, files, cycles: profile.cycles() }
    }

    fn all(&self) -> impl Iterator<Item = &Covered> {
        self.files.values().flat_map(BTreeMap::values)
    }

    /// Lines with instructions that were executed, and how many there are.
    pub fn lines(&self) -> (usize, usize) {
        (self.all().filter(|one| one.times > 0).count(), self.all().count())
    }

    /// Branches that went both ways, and how many were reached.
    pub fn branches(&self) -> (usize, usize) {
        let both = |ways: &&[u64; 2]| !ways.contains(&0);
        (
            self.all().flat_map(|one| &one.branches).filter(both).count(),
            self.all().map(|one| one.branches.len()).sum(),
        )
    }

    /// True where every line was executed and every branch went both ways.
    pub fn is_full(&self) -> bool {
        let ((lines, all), (both, branches)) = (self.lines(), self.branches());
        lines == all && both == branches
    }

    /// What is missing, each a sentence: lines that were not reached, branches that went one way only.
    pub fn missing(&self) -> Vec<String> {
        let mut missing = Vec::new();
        for (file, lines) in &self.files {
            for (number, covered) in lines {
                if covered.times == 0 {
                    missing.push(format!("line {number} of {file} is never reached"));
                }
                for way in covered.branches.iter().filter_map(|ways| one_way(*ways)) {
                    missing.push(format!("the condition in line {number} of {file} {way}"));
                }
            }
        }
        missing
    }

    /// What of a line was executed and not tried both ways, each a sentence about its condition.
    pub fn untried(&self, file: &str, number: usize) -> Vec<String> {
        let line = self.files.get(file).and_then(|lines| lines.get(&number));
        let branches = line.filter(|one| one.times > 0).map_or(&[][..], |one| &one.branches[..]);
        branches.iter().filter_map(|ways| Some(format!("the condition {}", one_way(*ways)?))).collect()
    }

    /// Beside the source: how often each line ran, the cycles that it took, its share of the time, and how its branches went.
    pub fn text(&self) -> Text {
        let mut text = Text::new();
        for (name, source) in self.program.texts() {
            let Some(lines) = self.files.get(name) else { continue };
            if lines.values().all(|one| one.times == 0) && self.files.len() > 1 {
                continue;
            }
            text.line().tone(Tone::Strong, name.to_string());
            text.line().tone(Tone::Faint, format!("{:>10} {:>12}  {:14} line", "times", "cycles", "time"));
            for (at, line) in source.lines().enumerate() {
                self.line(at + 1, line.trim_end(), lines.get(&(at + 1)), &mut text);
            }
        }
        text.append(self.summary());
        text
    }

    fn line(&self, number: usize, line: &str, covered: Option<&Covered>, text: &mut Text) {
        text.line();
        let Some(Covered { times, cycles, branches, .. }) = covered else {
            text.tone(Tone::Faint, format!("{:>10} {:>12}  {:14} {number:>4}  {line}", "", "", ""));
            return;
        };
        if *times == 0 {
            text.tone(Tone::Wrong, format!("{:>10} {:>12}  {:14} ", "never", "", ""));
        } else {
            let share = *cycles as f64 / self.cycles.max(1) as f64;
            let bar = "█".repeat((share * BAR as f64).round() as usize);
            text.put(format!("{:>10} {:>12}  ", thousands(*times), thousands(*cycles)));
            text.tone(Tone::Live, format!("{bar:BAR$}")).put(format!(" {:>3.0}% ", share * 100.0));
        }
        text.tone(Tone::Faint, format!("{number:>4}  "));
        text.tone(if *times == 0 { Tone::Wrong } else { Tone::Plain }, line.to_string());
        for way in branches.iter().filter_map(|ways| one_way(*ways)).filter(|_| *times > 0) {
            text.tone(Tone::Live, format!("   ◂ the condition {way}"));
        }
    }

    /// How many lines and branches there are, and how many were reached.
    pub fn summary(&self) -> Text {
        let ((lines, all), (both, branches)) = (self.lines(), self.branches());
        let percent = 100 * lines / all.max(1);
        let mut text = Text::new();
        text.line().put(format!("{lines} of {all} lines with instructions were executed ({percent}%)"));
        text.put(match branches {
            0 => ", and no condition was looked at".to_string(),
            1 => format!(
                ", and the one condition went {}",
                if both == 1 { "both ways" } else { "one way only" }
            ),
            _ => format!(", and {both} of {branches} conditions went both ways"),
        });
        text
    }

    /// In the open format of coverage tools: lines, branches and labels of every file.
    pub fn lcov(&self) -> String {
        let mut out = String::from("TN:\n");
        for (file, lines) in &self.files {
            let _ = writeln!(out, "SF:{file}");
            let labels =
                lines.iter().filter_map(|(number, one)| Some((number, one.label.as_ref()?, one.times)));
            for (number, label, _) in labels.clone() {
                let _ = writeln!(out, "FN:{number},{label}");
            }
            for (_, label, times) in labels.clone() {
                let _ = writeln!(out, "FNDA:{times},{label}");
            }
            let hit = labels.clone().filter(|row| row.2 > 0).count();
            let _ = writeln!(out, "FNF:{}\nFNH:{hit}", labels.count());
            let (mut found, mut taken) = (0, 0);
            for (number, covered) in lines {
                for (block, ways) in covered.branches.iter().enumerate() {
                    for (way, times) in ways.iter().enumerate() {
                        let _ = writeln!(out, "BRDA:{number},{block},{way},{times}");
                        found += 1;
                        taken += usize::from(*times > 0);
                    }
                }
            }
            let _ = writeln!(out, "BRF:{found}\nBRH:{taken}");
            for (number, covered) in lines {
                let _ = writeln!(out, "DA:{number},{}", covered.times);
            }
            let reached = lines.values().filter(|one| one.times > 0).count();
            let _ = writeln!(out, "LF:{}\nLH:{reached}\nend_of_record", lines.len());
        }
        out
    }
}

/// Letters of the bar that shows a line's share of the time.
const BAR: usize = 8;

/// The way that a condition always went, where it went one way only.
fn one_way(ways: [u64; 2]) -> Option<&'static str> {
    match ways {
        [_, 0] => Some("always held"),
        [0, _] => Some("never held"),
        _ => None,
    }
}

/// The chains of calls with their cycles, a line each: names with `;` between, a blank, the number.
pub fn folded(profile: &Profile) -> String {
    profile.stacks.iter().map(|(chain, cycles)| format!("{chain} {cycles}\n")).collect()
}
