//! Words that go to moments of the past, and that find out why.

use super::{Complaint, Done, Host, Monitor};
use crate::assembler::Formula;
use crate::report;
use crate::session::{Moment, NoMoment, Whereabouts};
use crate::text::{Text, Tone};

/// So many writers are shown where nobody asks for another number.
const WRITERS: usize = 16;
/// So many links of a chain.
const LINKS: usize = 16;

impl From<NoMoment> for Complaint {
    fn from(error: NoMoment) -> Self {
        Self::new(error.to_string(), "`moment` shows where the machine stands, and how far one can go")
    }
}

impl Monitor {
    /// What a board at the other end of a link has done it keeps no account of.
    pub(super) fn has_past(&self) -> Result<(), Complaint> {
        if self.session.machine().is_linked() {
            let help = "`reset` and `run` begin anew; without --link the monitor goes back";
            return Err(Complaint::new(NoMoment::Linked.to_string(), help));
        }
        Ok(())
    }

    /// Where the machine stands in the run, in a line.
    fn moment_line(&self) -> Text {
        let Moment { cycle, instructions } = self.session.moment();
        let last = self.session.known().map(|known| known.1).filter(|_| self.session.is_in_the_past());
        let words = match last {
            Some(last) => {
                format!(
                    "after instruction {instructions} of {}, at cycle {cycle} of {}",
                    last.instructions, last.cycle
                )
            }
            None => {
                format!("after instruction {instructions}, at cycle {cycle}: the run has come no further")
            }
        };
        Text::toned(Tone::Faint, words)
    }

    fn there(&mut self) -> Text {
        self.next_list = None;
        let mut text = self.moment_line();
        text.append(self.here());
        text
    }

    pub(super) fn back(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        if let Some(to) = rest.strip_prefix("to ") {
            return self.back_to(to.trim(), host);
        }
        let count = self.count(rest)?;
        self.has_past()?;
        let gone = self.session.back(count as usize);
        self.next_list = None;
        let mut text = Text::new();
        if (gone as u64) < count {
            let words = if gone == 0 {
                "this is the beginning".to_string()
            } else {
                format!("{gone} back, to the beginning")
            };
            text.line().tone(Tone::Faint, words);
        }
        text.append(self.here());
        Ok(text)
    }

    fn back_to(&mut self, to: &str, host: &mut dyn Host) -> Done {
        self.has_past()?;
        let never = |what: String| Complaint::new(what, "`moment start` goes to the beginning");
        if to == "stop" {
            if self.session.breakpoints().is_empty() && self.session.conditions().is_empty() {
                let help = "set one with `stop at ADDRESS` or `stop when CONDITION`";
                return Err(Complaint::new("there are no breakpoints and no conditions", help));
            }
            if !self.session.back_to_stop(&mut || host.go_on()) {
                return Err(never("the run has not come to a breakpoint or a condition before".to_string()));
            }
            return Ok(self.there());
        }
        if to == "input" {
            let found = self.session.back_to_act();
            return if found {
                Ok(self.there())
            } else {
                Err(never("nothing was done by hand before".to_string()))
            };
        }
        if to == "interrupt" {
            let found = self.session.back_to_interrupt(&mut || host.go_on());
            return if found {
                Ok(self.there())
            } else {
                Err(never("no interrupt was taken before".to_string()))
            };
        }
        if to == "hazard" {
            let found = self.session.back_to_hazard(&mut || host.go_on());
            let found = found.ok_or_else(|| never("there was no hazard before".to_string()))?;
            let mut text = report::hazards(&self.session, &[found]);
            text.append(self.there());
            return Ok(text);
        }
        if let Some(expression) = to.strip_prefix("change ") {
            let formula = Formula::parse(expression, Some(self.session.processor()))?;
            if !self.session.back_to_change(&formula, &mut || host.go_on())? {
                return Err(never(format!("{} has always been so", formula.text())));
            }
            return Ok(self.there());
        }
        let of = self.session.whereabouts(to)?;
        match self.session.back_to_writer(&of, &mut || host.go_on()) {
            Some(_) => Ok(self.there()),
            None => Err(never(format!("nothing has written {to} since the program began"))),
        }
    }

    pub(super) fn forth(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let count = self.count(rest)?;
        self.has_past()?;
        let gone = self.session.forth(count as usize);
        let mut text = Text::new();
        if (gone as u64) < count {
            let words = match gone {
                0 => "the run has not gone further than this; `step` and `run` go on".to_string(),
                gone => format!("{gone} forth, to where the run has come"),
            };
            text.line().tone(Tone::Faint, words);
        }
        text.append(self.there());
        Ok(text)
    }

    pub(super) fn moment(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        self.has_past()?;
        let number = |text: &str| {
            let help = "write `moment 120`, `moment cycle 5000`, `moment start` or `moment end`; \
                        the numbers are those of a trace, decimal";
            let plain: String = text.chars().filter(|&c| c != '_').collect();
            plain.trim().parse::<u64>().map_err(|_| Complaint::new(format!("`{text}` is not a moment"), help))
        };
        let known = self.session.known();
        match (rest, known) {
            ("", _) => {}
            ("start" | "end", None) => return Err(NoMoment::Nothing.into()),
            ("start", Some((first, _))) => _ = self.session.go_to_cycle(first.cycle)?,
            ("end", Some((_, last))) => _ = self.session.go_to_cycle(last.cycle)?,
            (rest, _) => match rest.strip_prefix("cycle ") {
                Some(cycle) => _ = self.session.go_to_cycle(number(cycle)?)?,
                None => _ = self.session.go_to_instruction(number(rest)?)?,
            },
        }
        Ok(self.there())
    }

    /// What is asked for, and a number after a word.
    fn asked<'t>(&self, rest: &'t str, word: &str, usual: usize) -> Result<(&'t str, usize), Complaint> {
        if rest.is_empty() {
            let help =
                "name a register, a flag, a label, `cell ADDRESS`, `port N`, `screen ROW COLUMN` or `stack`";
            return Err(Complaint::new("what is to be found is missing", help));
        }
        match rest.rsplit_once(&format!(" {word} ")) {
            None => Ok((rest, usual)),
            Some((of, count)) => Ok((of.trim(), self.count(count.trim())? as usize)),
        }
    }

    fn bits_of(&self, of: &Whereabouts) -> u8 {
        let set = self.session.processor();
        match of {
            Whereabouts::Register(name) => match set.named(name) {
                Some(crate::processor::Named::Register(place)) => set.registers()[place].bits,
                _ => 1,
            },
            _ => set.cell_bits(),
        }
    }

    pub(super) fn writers(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        self.has_past()?;
        let (named, most) = self.asked(rest, "last", WRITERS)?;
        let of = self.session.whereabouts(named)?;
        let found = self.session.writers(&of, most, &mut || host.go_on());
        let mut text = report::writers(&self.session, self.bits_of(&of), &found);
        let words = match found.len() {
            0 => format!("nothing has written {named} since the program began"),
            count if count == most => {
                format!("these are the last {count}; `writers {named} last 100` shows more")
            }
            1 => "written once".to_string(),
            count => format!("written {count} times"),
        };
        text.line().tone(Tone::Faint, words);
        Ok(text)
    }

    pub(super) fn why(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        self.has_past()?;
        let (named, depth) = self.asked(rest, "deep", LINKS)?;
        let of = self.session.whereabouts(named)?;
        let chains = self.session.why(&of, depth, &mut || host.go_on());
        Ok(report::why(&self.session, &chains))
    }

    pub(super) fn hazards(&mut self, _: &str, host: &mut dyn Host) -> Done {
        self.has_past()?;
        let found = self.session.hazards(&mut || host.go_on());
        let mut text = report::hazards(&self.session, &found);
        let words = match found.len() {
            0 => "no hazards so far".to_string(),
            1 => "1 hazard; `back to hazard` goes there, `explain CODE` of the command says more".to_string(),
            count => {
                format!("{count} hazards; `back to hazard` goes to the last one, `moment NUMBER` to each")
            }
        };
        text.line().tone(Tone::Faint, words);
        Ok(text)
    }
}
