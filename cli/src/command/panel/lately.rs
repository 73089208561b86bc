//! What a running machine did in the last second: where it was most of the time, what of its registers rested, what it said last.

use plain_byte::machine::Machine;
use plain_byte::panel::Panel;
use plain_byte::processor::Role;
use plain_byte::text::{Text, Tone};
use std::collections::{BTreeMap, VecDeque};

/// Looks that are kept: those of a second.
const KEPT: usize = 60;
/// Places that are told.
const PLACES: usize = 4;

/// A look at the machine.
struct Look {
    place: u32,
    registers: Vec<u64>,
}

/// The last second.
#[derive(Default)]
pub struct Lately {
    looks: VecDeque<Look>,
    labels: Option<BTreeMap<u32, String>>,
}

impl Lately {
    /// Looks at the machine; nothing is kept of one that stands still.
    pub fn look(&mut self, panel: &Panel, goes: bool) {
        if !goes {
            self.looks.clear();
            return;
        }
        let machine = panel.session().machine();
        let registers = (0..machine.set().registers().len()).map(|place| machine.register(place)).collect();
        if self.looks.len() >= KEPT {
            self.looks.pop_front();
        }
        self.looks.push_back(Look { place: machine.place(), registers });
    }

    fn name(&self, machine: &Machine, place: u32) -> String {
        let below = self.labels.as_ref().and_then(|labels| labels.range(..=place).next_back());
        below.map_or_else(|| machine.spell(place), |(_, name)| name.clone())
    }

    /// What there is to tell.
    pub fn text(&mut self, panel: &Panel) -> Text {
        let mut text = Text::new();
        if self.looks.len() < KEPT / 2 {
            return text;
        }
        if self.labels.is_none() {
            let labels = panel.session().labels();
            self.labels = Some(labels.into_iter().map(|(at, name)| (at, name.to_string())).collect());
        }
        let machine = panel.session().machine();
        let mut places: BTreeMap<String, usize> = BTreeMap::new();
        for look in &self.looks {
            *places.entry(self.name(machine, look.place)).or_default() += 1;
        }
        let mut places: Vec<(String, usize)> = places.into_iter().collect();
        places.sort_by_key(|(name, count)| (std::cmp::Reverse(*count), name.clone()));
        text.line().tone(Tone::Faint, "in the last second");
        text.line().tone(Tone::Faint, "mostly in  ");
        for (name, count) in places.iter().take(PLACES) {
            text.tone(Tone::Strong, name.clone());
            text.tone(
                Tone::Faint,
                format!("  {} %   ", (count * 100 + self.looks.len() / 2) / self.looks.len()),
            );
        }
        let rests = |place: usize| {
            let first = self.looks.front().map(|look| look.registers[place]);
            self.looks.iter().all(|look| Some(look.registers[place]) == first)
        };
        let set = machine.set();
        let resting: Vec<String> = set
            .registers()
            .iter()
            .enumerate()
            .filter(|(place, register)| match register.role {
                Role::Data | Role::Stack => rests(*place),
                // Of many accumulators those are told that hold something.
                Role::Cell => rests(*place) && machine.register(*place) != 0,
                _ => false,
            })
            .map(|(place, register)| {
                format!("{}={}", register.name, set.habit().plain(machine.register(place), register.bits))
            })
            .collect();
        if !resting.is_empty() {
            text.line().tone(Tone::Faint, "unchanged  ").put(resting.join("  "));
        }
        let said = String::from_utf8_lossy(machine.output()).into_owned();
        if let Some(last) = said.lines().rev().find(|line| !line.trim().is_empty()) {
            text.line()
                .tone(Tone::Faint, "said last  ")
                .put(last.trim().chars().take(60).collect::<String>());
        }
        text
    }
}
