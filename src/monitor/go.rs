//! Words that let the machine go, stop it, and go back.

use super::{Complaint, Done, Host, Monitor};
use crate::assembler::Formula;
use crate::number::digits;
use crate::processor::InstructionSet;
use crate::report::Tracer;
use crate::report::list_line;
use crate::session::{Guard, Hazard, Limits, Moment, Step, Stop};
use crate::text::{Text, Tone};

/// The value of an expression in the digits of the processor's people: as wide as a cell where it fits in one, else as an address.
pub fn spell_value(set: &InstructionSet, value: i64) -> String {
    let small = (0..=set.last_cell() as i64).contains(&value);
    let bits = if small { set.cell_bits() } else { set.address_bits() };
    digits(value as u64 & ((1 << bits) - 1), set.habit().table_radix(), bits)
}

/// A watched expression.
pub(crate) struct Watched<'a> {
    pub text: &'a str,
    /// Its value in the digits of the processor's people, and as a number; or why it has none.
    pub value: Result<(String, i64), String>,
}

impl Monitor {
    /// The instruction at the program counter, and the watched values.
    pub(super) fn here(&self) -> Text {
        let mut text = Text::new();
        let machine = self.session.machine();
        list_line(&self.session, machine.halted_at().unwrap_or(machine.place()), &mut text);
        let radix = self.session.processor().habit().table_radix();
        let name = if radix == 8 { "octal" } else { "hex" };
        for Watched { text: watch, value } in self.watched() {
            let shown = match value {
                Ok((digits, decimal)) => format!("{name} {digits}  decimal {decimal}"),
                Err(wrong) => wrong,
            };
            text.line().tone(Tone::Faint, format!("  {watch} ")).tone(Tone::Live, shown);
        }
        text
    }

    /// The watched expressions with what they are now.
    pub(crate) fn watched(&self) -> impl Iterator<Item = Watched<'_>> {
        let set = self.session.processor();
        self.watches.iter().map(move |watch| {
            let spelt = |value: i64| (spell_value(set, value), value);
            let value = watch.value(&self.session).map(spelt).map_err(|wrong| wrong.message);
            Watched { text: watch.text(), value }
        })
    }

    fn stopped(&mut self, stop: &Stop) -> Text {
        self.next_list = None;
        let set = self.session.processor();
        let at = self.session.stopped_at(stop);
        let mut text = Text::new();
        text.line().put("stopped at ").tone(Tone::Strong, self.session.machine().spell(at));
        text.put(format!(": {}", stop.words(set)));
        text.append(self.here());
        text
    }

    pub(super) fn count(&self, rest: &str) -> Result<u64, Complaint> {
        if rest.is_empty() {
            return Ok(1);
        }
        match self.value_of(rest)? {
            count @ 1..=65_536 => Ok(count as u64),
            count => Err(Complaint::new(
                format!("{count} times is not possible"),
                "give a count from 1 to 65536; `run` and `until` go further",
            )),
        }
    }

    pub(super) fn step(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        // What the firmware does for the program belongs to the instruction that calls it.
        let words = rest.strip_suffix("inside").map(str::trim_end);
        let count = self.count(words.unwrap_or(rest))?;
        let mut text = Text::new();
        for number in 0..count {
            let executed = self.session.machine().instructions() + 1;
            let step = match words {
                Some(_) => self.session.step(),
                None => self.session.step_whole(),
            };
            if !step.nothing_done() {
                text.append(Tracer::from_number(executed).line(&self.session, &step));
            }
            if let Some(stop) = step.stop {
                text.append(self.stopped(&stop));
                return Ok(text);
            }
            if number % 256 == 255 && !host.go_on() {
                break;
            }
        }
        self.next_list = None;
        text.append(self.here());
        Ok(text)
    }

    pub(super) fn over(&mut self, _: &str, host: &mut dyn Host) -> Done {
        let begin = self.session.moment();
        let step = self.session.over(&mut |_| host.go_on());
        self.stop_at_denied(begin, host).unwrap_or_else(|| Ok(self.leapt(step)))
    }

    pub(super) fn out(&mut self, _: &str, host: &mut dyn Host) -> Done {
        let begin = self.session.moment();
        let step = self.session.out(&mut |_| host.go_on());
        self.stop_at_denied(begin, host).unwrap_or_else(|| Ok(self.leapt(step)))
    }

    /// What a step, or several made one, did, and where the machine stands now.
    fn leapt(&mut self, step: Step) -> Text {
        let mut text = Text::new();
        if !step.nothing_done() {
            text.append(self.step_line(&step));
        }
        self.next_list = None;
        text.append(match step.stop {
            Some(stop) => self.stopped(&stop),
            None => self.here(),
        });
        text
    }

    pub(super) fn run(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        if !rest.is_empty() {
            let address = self.address_of(rest)?;
            self.session.set_place(address);
        }
        self.go(Limits::none().back(), host)
    }

    pub(super) fn until(&mut self, rest: &str, host: &mut dyn Host) -> Done {
        if rest == "hazard" {
            return self.until_hazard(host);
        }
        let address = self.address_of(rest)?;
        self.go(Limits::none().back().until(address), host)
    }

    /// Runs to the next stop, and goes back to the first hazard on the way there.
    fn until_hazard(&mut self, host: &mut dyn Host) -> Done {
        self.has_past()?;
        let begin = self.session.moment();
        let mut text = self.go(Limits::none().back(), host)?;
        if let Some(found) = self.first_hazard(begin, host, &|_| true) {
            return self.at_hazard(found);
        }
        text.line().tone(Tone::Faint, "there was no hazard on the way");
        Ok(text)
    }

    /// The first hazard since a moment; where the machine stood at one already, the next.
    fn first_hazard(
        &mut self,
        begin: Moment,
        host: &mut dyn Host,
        counts: &dyn Fn(&Hazard) -> bool,
    ) -> Option<Hazard> {
        let end = self.session.moment();
        let found = self.session.hazards(&mut || host.go_on());
        let is_next = |one: &Hazard| {
            one.moment >= begin && Some(one.moment) != self.at_hazard && one.moment < end && counts(one)
        };
        found.into_iter().filter(is_next).min_by_key(|one| one.moment)
    }

    /// Goes back to a hazard and tells it.
    fn at_hazard(&mut self, found: Hazard) -> Done {
        self.session.go_to_cycle(found.moment.cycle)?;
        self.at_hazard = Some(found.moment);
        let mut text = crate::report::hazards(&self.session, &[found]);
        text.append(self.here());
        Ok(text)
    }

    /// Goes back to the first hazard since a moment that is denied, and tells it. `None` where there was none.
    pub fn stop_at_denied(&mut self, begin: Moment, host: &mut dyn Host) -> Option<Result<Text, Complaint>> {
        let denied = self.session.denied_hazards().to_vec();
        if denied.is_empty() {
            return None;
        }
        let is_denied = |one: &Hazard| denied.iter().any(|code| code == one.code || code == "all");
        let found = self.first_hazard(begin, host, &is_denied)?;
        Some(self.at_hazard(found))
    }

    fn go(&mut self, limits: Limits, host: &mut dyn Host) -> Done {
        let begin = self.session.moment();
        let before = self.session.machine().output().len();
        let stop = self.session.run_while(limits, &mut |_| host.go_on());
        let mut text = Text::new();
        if let Some(said) = self.stop_at_denied(begin, host) {
            return said;
        }
        let output = self.session.machine().output().get(before..).unwrap_or_default();
        if !output.is_empty() {
            text.append(Text::plain(String::from_utf8_lossy(output)));
        }
        text.append(self.stopped(&stop));
        Ok(text)
    }

    pub(super) fn stop(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let set = self.session.processor();
        let mut text = Text::new();
        if let Some(address) = rest.strip_prefix("at ") {
            let (address, guard) = self.guarded(address)?;
            let has_guard = guard.condition.is_some() || guard.passes > 0;
            let stands = self.session.breakpoints().contains(&address);
            let words = if has_guard || !stands {
                "a breakpoint stands at"
            } else {
                "a breakpoint stands already at"
            };
            match has_guard {
                true => self.session.guard_breakpoint(address, guard),
                false => _ = self.session.add_breakpoint(address),
            }
            text.line().put(format!("{words} ")).tone(Tone::Strong, self.session.machine().spell(address));
            text.put(self.guard_words(address));
        } else if let Some(condition) = rest.strip_prefix("when ") {
            let formula = Formula::parse(condition, Some(set))?;
            formula.value(&self.session)?;
            text.line().put(format!("the run will stop when {} holds", formula.text()));
            self.session.add_condition(formula);
        } else if rest.is_empty() {
            for &address in self.session.breakpoints() {
                let label = self.session.label(address).map(|label| format!("  {label}")).unwrap_or_default();
                text.line().put("at ").tone(Tone::Strong, self.session.machine().spell(address)).put(label);
                text.put(self.guard_words(address));
            }
            for condition in self.session.conditions() {
                text.line().put(format!("when {}", condition.text()));
            }
            if text.is_empty() {
                text.line().tone(Tone::Faint, "there are no breakpoints and no conditions");
            }
        } else {
            let help = "write `stop at ADDRESS` or `stop when CONDITION`";
            return Err(Complaint::new("`at` or `when` is missing", help));
        }
        Ok(text)
    }

    /// An address, and after it what its breakpoint asks: `again when a > 7 after 3`.
    fn guarded(&self, text: &str) -> Result<(u32, Guard), Complaint> {
        let mut guard = Guard::default();
        let mut rest = text;
        if let Some((before, passes)) = rest.rsplit_once(" after ") {
            let number = self.value_of(passes)?;
            let help = "write `stop at ADDRESS after COUNT`";
            guard.passes = u32::try_from(number)
                .map_err(|_| Complaint::new(format!("{number} is not a count"), help))?;
            rest = before;
        }
        if let Some((before, condition)) = rest.split_once(" when ") {
            let formula = Formula::parse(condition, Some(self.session.processor()))?;
            formula.value(&self.session)?;
            guard.condition = Some(formula);
            rest = before;
        }
        Ok((self.address_of(rest.trim())?, guard))
    }

    /// What a breakpoint asks, as it is told.
    fn guard_words(&self, address: u32) -> String {
        let Some(guard) = self.session.guard(address) else { return String::new() };
        let condition = guard.condition.as_ref().map_or(String::new(), |one| format!(" when {}", one.text()));
        let passes = if guard.passes > 0 { format!(" after {}", guard.passes) } else { String::new() };
        format!("{condition}{passes}")
    }

    pub(super) fn watch(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let formula = Formula::parse(rest, Some(self.session.processor()))?;
        formula.value(&self.session)?;
        self.watches.push(formula);
        Ok(self.here())
    }

    pub(super) fn forget(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        if rest == "all" {
            for address in self.session.breakpoints().to_vec() {
                self.session.remove_breakpoint(address);
            }
            self.session.clear_conditions();
            self.watches.clear();
            return Ok(Text::plain("no breakpoints, conditions or watches are left"));
        }
        if let Some(at) = self.watches.iter().position(|watch| watch.text().eq_ignore_ascii_case(rest)) {
            self.watches.remove(at);
            return Ok(Text::plain(format!("{rest} is no longer watched")));
        }
        let condition = rest.strip_prefix("when ").unwrap_or(rest);
        if self.session.remove_condition(condition) {
            return Ok(Text::plain(format!("the run no longer stops when {condition} holds")));
        }
        let address = self.address_of(rest)?;
        if self.session.remove_breakpoint(address) {
            return Ok(Text::new());
        }
        let place = self.session.machine().spell(address);
        Err(Complaint::new(
            format!("there is no breakpoint at {place}"),
            "`stop` lists them, a watch is forgotten by what it says; `forget all` clears all",
        ))
    }

    pub(super) fn history(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        self.has_past()?;
        let count = if rest.is_empty() { 10 } else { self.count(rest)? };
        let steps = self.session.history(count as usize);
        let mut text = Text::new();
        let executed = steps.iter().filter(|step| step.instruction.is_some()).count() as u64;
        let first = (self.session.machine().instructions() + 1).saturating_sub(executed);
        let mut tracer = Tracer::from_number(first);
        for step in &steps {
            text.append(tracer.line(&self.session, step));
        }
        if steps.is_empty() {
            text.line().tone(Tone::Faint, "nothing has been executed yet");
        }
        text.append(self.here());
        Ok(text)
    }
}
