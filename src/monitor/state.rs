//! Words that look at the machine's state and change it by hand.

use super::{Complaint, Done, Host, Monitor, sides, split_commas};
use crate::machine::Event;
use crate::number::Notations;
use crate::number::time_text;
use crate::processor::Window;
use crate::report::chip_place;
use crate::report::notations;
use crate::report::{Radix, memory_in, memory_text, registers_card};
use crate::text::{Text, Tone};

/// More matches or differences than this are counted and not shown.
const MOST_SHOWN: usize = 32;

impl Monitor {
    pub(super) fn registers(&mut self, _: &str, _: &mut dyn Host) -> Done {
        let machine = self.session.machine();
        let mut text = registers_card(machine, usize::MAX);
        for fitted in machine.chips() {
            let Some((what, value)) = fitted.seen() else { continue };
            text.line().tone(Tone::Faint, format!("{:11}", fitted.place.name));
            let set = self.session.processor();
            text.put(format!(
                "binary {value:08b}  {} {}  ({what} at {})",
                if set.habit().table_radix() == 8 { "octal" } else { "hex" },
                set.cell(value),
                chip_place(set, fitted.place.at)
            ));
        }
        let cycles = machine.cycles();
        text.line().tone(Tone::Faint, "time       ").put(format!(
            "{cycles} {}, {}",
            machine.set().identity.cycle_name,
            time_text(cycles, machine.board().clock)
        ));
        Ok(text)
    }

    pub(super) fn set(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let form = "set a = 12h, cy = 1";
        if let Some(port) = rest.strip_prefix("port ") {
            let (port, values) = sides(port, "set port 20h = 1, 2, 3")?;
            let event = Event::Port(self.address_of(&port)?, self.cells_of(&values)?);
            self.session.happen(event)?;
            return Ok(Text::new());
        }
        // Every value is computed before any is set.
        let mut settings = Vec::new();
        for part in split_commas(rest) {
            let (name, value) = sides(part, form)?;
            let value = self.value_of(&value)?;
            settings.push((name, value));
        }
        for (name, value) in &settings {
            match self.session.machine().has_switches(name) {
                true => _ = self.session.cell_of(*value)?,
                false => self.session.can_set(name, *value)?,
            }
        }
        for (name, value) in settings {
            if self.session.machine().has_switches(&name) {
                let value = self.session.cell_of(value)?;
                self.session.happen(Event::Switches(name, value))?;
            } else {
                self.session.set(&name, value)?;
            }
        }
        self.next_list = None;
        Ok(Text::new())
    }

    pub(super) fn memory(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let set = self.session.processor();
        let last = set.last_address();
        // Eight lines, and sixteen of four words.
        let shown = if set.cell_bits() == 36 { 63 } else { 127 };
        let mut rest = rest.trim();
        let mut radix = Radix::Habit;
        let word = rest.rsplit(char::is_whitespace).next().unwrap_or_default().to_lowercase();
        let named = Radix::NAMES.iter().find(|(name, _)| word.len() >= 2 && name.starts_with(&word));
        if let Some((_, named)) = named.filter(|_| self.session.get(&word).is_none()) {
            radix = *named;
            rest = rest[..rest.len() - word.len()].trim_end();
        }
        if set.is_segmented() && !rest.is_empty() {
            self.memory_window = match rest.split_once(':') {
                Some((segment, _)) => {
                    let base = self.address_of(&format!("{segment}:0"))?;
                    Some(Window::of_segment(set, base >> set.cells.segment_shift))
                }
                None => None,
            };
        }
        let (first, last) = if rest.is_empty() {
            (self.next_memory, self.next_memory.saturating_add(shown).min(last))
        } else if rest.contains("..") {
            self.range_of(rest)?
        } else {
            let first = self.address_of(rest)?;
            (first, first.saturating_add(shown).min(last))
        };
        self.next_memory = last.wrapping_add(1) & self.session.processor().last_address();
        Ok(memory_in(self.session.machine(), self.memory_window, (first, last), radix))
    }

    pub(super) fn put(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let (address, cells) = sides(rest, "put 4100h = 7, 0FFh, \"fog\"")?;
        let (address, cells) = (self.address_of(&address)?, self.cells_of(&cells)?);
        self.session.put(address, &cells)?;
        let last = address + cells.len() as u32 - 1;
        Ok(memory_text(self.session.machine(), address, last, Radix::Habit))
    }

    pub(super) fn fill(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let (range, cells) = sides(rest, "fill 4100h..41FFh = 0")?;
        let ((first, last), cells) = (self.range_of(&range)?, self.cells_of(&cells)?);
        let count = (last - first + 1) as usize;
        let filled: Vec<u64> = cells.iter().copied().cycle().take(count).collect();
        self.session.put(first, &filled)?;
        Ok(Text::plain(format!("{count} cells filled")))
    }

    pub(super) fn copy(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let (range, to) = two(rest, "to", "copy 4000h..400Fh to 5000h")?;
        let ((first, last), to) = (self.range_of(range)?, self.address_of(to)?);
        let cells: Vec<u64> = (first..=last).map(|at| self.session.cell(at)).collect();
        self.session.put(to, &cells)?;
        Ok(Text::plain(format!("{} cells copied", cells.len())))
    }

    pub(super) fn find(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let (range, cells) = sides(rest, "find 4000h..7FFFh = 0CDh")?;
        let ((first, last), wanted) = (self.range_of(&range)?, self.cells_of(&cells)?);
        let held: Vec<u64> = (first..=last).map(|at| self.session.cell(at)).collect();
        let found: Vec<u32> = held
            .windows(wanted.len().max(1))
            .enumerate()
            .filter(|(_, cells)| *cells == wanted)
            .map(|(at, _)| first + at as u32)
            .collect();
        let mut text = Text::new();
        for &at in found.iter().take(MOST_SHOWN) {
            let label = self.session.label(at).map(|label| format!("  {label}")).unwrap_or_default();
            text.line().tone(Tone::Strong, self.session.machine().spell(at)).put(label);
        }
        let more = found.len().saturating_sub(MOST_SHOWN);
        let words = match (found.len(), more) {
            (0, _) => "not found".to_string(),
            (count, 0) => format!("{count} found"),
            (count, more) => format!("{count} found, {more} of them not shown"),
        };
        text.line().tone(Tone::Faint, words);
        Ok(text)
    }

    pub(super) fn compare(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let (range, with) = two(rest, "with", "compare 4000h..400Fh with 5000h")?;
        let ((first, last), with) = (self.range_of(range)?, self.address_of(with)?);
        let set = self.session.processor();
        let mut text = Text::new();
        let mut different = 0;
        for at in 0..=last - first {
            let (one, other) = (first + at, with.wrapping_add(at) & set.last_address());
            let (left, right) = (self.session.cell(one), self.session.cell(other));
            if left != right {
                different += 1;
                if different <= MOST_SHOWN {
                    text.line()
                        .tone(Tone::Strong, self.session.machine().spell(one))
                        .put(format!(" {}", set.cell(left)));
                    text.put("   ").tone(Tone::Strong, self.session.machine().spell(other));
                    text.put(format!(" {}", set.cell(right)));
                }
            }
        }
        let words = match different {
            0 => "no cell differs".to_string(),
            1 => "1 cell differs".to_string(),
            count => format!("{count} cells differ"),
        };
        text.line().tone(Tone::Faint, words);
        Ok(text)
    }

    pub(super) fn value(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let value = self.value_of(rest)?;
        let set = self.session.processor();
        let word = Notations::of_word(value, set.cell_bits()).filter(|_| set.is_word_machine());
        Ok(notations(&word.unwrap_or_else(|| Notations::of(value))))
    }

    pub(super) fn choose_radix(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        const RADIXES: [(&str, Option<u32>); 4] =
            [("hex", Some(16)), ("decimal", Some(10)), ("octal", Some(8)), ("habit", None)];
        if !rest.is_empty() {
            let lower = rest.to_lowercase();
            let named = RADIXES.iter().find(|(name, _)| name.starts_with(&lower));
            let help = "write `radix hex`, `radix decimal`, `radix octal` or `radix habit`";
            let (_, radix) = named
                .ok_or_else(|| Complaint::new(format!("`{rest}` is not a radix to type numbers in"), help))?;
            self.radix = *radix;
        }
        let radix = self.radix.unwrap_or(self.session.processor().habit().default_radix());
        let name = RADIXES.iter().find(|row| row.1 == Some(radix)).map_or("decimal", |row| row.0);
        Ok(Text::plain(format!("numbers without a mark are {name}")))
    }

    pub(super) fn type_text(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let inner = rest.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
        let Some(inner) = inner.filter(|inner| !inner.is_empty()) else {
            return Err(Complaint::new("a text in double quotes is wanted", "write `type \"7\\r\"`"));
        };
        let text = inner.replace("\\r", "\r").replace("\\n", "\n").replace("\\\"", "\"");
        self.session.happen(Event::Typed(text.into_bytes()))?;
        Ok(Text::new())
    }

    pub(super) fn reset(&mut self, _: &str, _: &mut dyn Host) -> Done {
        self.session.reset();
        self.next_list = None;
        Ok(self.here())
    }

    pub(super) fn interrupt(&mut self, rest: &str, _: &mut dyn Host) -> Done {
        let name = rest.to_uppercase().replace(' ', "");
        self.session.happen(Event::Interrupt(name.clone()))?;
        Ok(Text::plain(format!("{name} is requested; it is taken when the program allows it")))
    }
}

/// `RANGE to ADDRESS` and the like.
fn two<'t>(text: &'t str, between: &str, form: &str) -> Result<(&'t str, &'t str), Complaint> {
    text.split_once(&format!(" {between} "))
        .ok_or_else(|| Complaint::new(format!("`{between}` is missing"), format!("write `{form}`")))
}
