//! Who wrote what, and why, held against a second definition: a record of every step, and steps tried again with something changed.

use super::plan::{Plan, plans};
use plain_byte::machine::Machine;
use plain_byte::processor::Role;
use plain_byte::session::{Change, Limits, Origin, Session, Step, Whereabouts, Why, WriteKind};
use proptest::test_runner::{Config, RngAlgorithm, TestCaseError, TestRng, TestRunner};
use std::collections::BTreeMap;

/// Every register and flag by its name.
type State = BTreeMap<String, u64>;

fn state(machine: &Machine) -> State {
    let names = machine.set().state_names();
    names.filter_map(|name| machine.get(&name).map(|value| (name, value))).collect()
}

/// Every step of a run: what it did, and the state after it.
struct Record {
    begin: State,
    steps: Vec<(Step, State)>,
    /// How many instructions had been executed before each.
    counts: Vec<u64>,
}

impl Record {
    fn of(session: &Session, end: u64) -> Self {
        let mut session = session.clone();
        let (begin, mut steps, mut counts) = (state(session.machine()), Vec::new(), Vec::new());
        while session.machine().cycles() < end {
            let count = session.machine().instructions();
            let step = session.step_within(end - session.machine().cycles());
            let is_over = step.stop.is_some();
            if !step.nothing_done() {
                steps.push((step, state(session.machine())));
                counts.push(count);
            }
            if is_over {
                break;
            }
        }
        Self { begin, steps, counts }
    }

    /// The value of a name in front of a step.
    fn before(&self, step: usize, name: &str) -> Option<u64> {
        let state = step.checked_sub(1).map_or(&self.begin, |at| &self.steps[at].1);
        state.get(name).copied()
    }

    fn now(&self, name: &str) -> Option<u64> {
        self.before(self.steps.len(), name)
    }

    /// What was written to a cell, each time, the last one first: the address of the instruction, and the value.
    fn written(&self, cell: u32) -> Vec<(Option<u32>, u64)> {
        let of = |step: &Step| {
            step.changes.iter().rev().find_map(|change| match change {
                Change::Cell { address, after, took_effect: true, .. } if *address == cell => Some(*after),
                _ => None,
            })
        };
        let all = self.steps.iter().rev().filter_map(|(step, _)| Some((step, of(step)?)));
        all.map(|(step, value)| ((!step.interrupt).then_some(step.address), value)).collect()
    }
}

fn places(step: &Step) -> Vec<u32> {
    let cells = step.changes.iter().filter_map(|change| match change {
        Change::Cell { address, .. } | Change::Chip { address, .. } => Some(*address),
        _ => None,
    });
    cells.chain(step.reads.iter().map(|read| read.0)).collect()
}

/// What a chain says against the record.
fn check(why: &Why, record: &Record, session: &Session) -> Result<(), String> {
    let Whereabouts::Register(name) = &why.whereabouts else { return Ok(()) };
    let Some(now) = record.now(name) else { return Ok(()) };
    // A line of the board sets it, too.
    if name == "V" && session.processor().interrupts.inputs.contains(&"SO") {
        return Ok(());
    }
    let changed =
        (0..record.steps.len()).rev().find(|&at| record.before(at, name) != record.before(at + 1, name));
    if why.value != now {
        return Err(format!("{name} is {now}, not {}", why.value));
    }
    match &why.origin {
        Origin::Instruction { moment, step } => {
            let is_it =
                |at: &usize| record.counts[*at] == moment.instructions && !record.steps[*at].0.interrupt;
            let Some(at) = (0..record.steps.len()).find(is_it) else {
                return Err(format!("{moment:?} is none"));
            };
            if changed > Some(at) {
                return Err(format!(
                    "{name} was changed by {:X?} after {step:X?}",
                    record.steps[changed.unwrap_or(0)].0
                ));
            }
            inputs(why, at, record, session)
        }
        Origin::NeverSet if changed.is_some() => Err(format!("{name} was set")),
        _ => Ok(()),
    }
}

/// What a value was made from: each of it had its value, and nothing else matters.
fn inputs(why: &Why, at: usize, record: &Record, session: &Session) -> Result<(), String> {
    let Origin::Instruction { moment, .. } = &why.origin else { return Ok(()) };
    // Of a loop the first turn has made it from what follows, and the last one is told.
    if why.turns > 1 {
        return Ok(());
    }
    for one in &why.from {
        let expected = match &one.whereabouts {
            Whereabouts::Register(name) => record.before(at, name),
            Whereabouts::Cell(address) => {
                record.steps[at].0.reads.iter().find(|read| read.0 == *address).map(|read| read.1)
            }
            _ => None,
        };
        if expected.is_some_and(|value| value != one.value) {
            return Err(format!("{} was {expected:X?} before, not {:X}", one.name, one.value));
        }
    }
    if why.goes_on {
        return Ok(());
    }
    let mut there = session.clone();
    there.go_to_instruction(moment.instructions).map_err(|error| error.to_string())?;
    let plain = there.clone().step();
    if plain.interrupt {
        return Ok(());
    }
    let set = session.processor();
    for register in set.registers().iter().filter(|one| one.role == Role::Data && one.bits == 8) {
        let mut other = there.clone();
        let value = other.get(register.name).unwrap_or(0) ^ 0xFF;
        other.set(register.name, value as i64).map_err(|error| error.to_string())?;
        let step = other.step();
        let same_way = places(&step) == places(&plain) && step.next == plain.next && !step.interrupt;
        let matters = same_way && other.get(&why.name).is_some_and(|value| value != why.value);
        let is_told = why.from.iter().any(|one| one.name == register.name);
        let is_own = why.name == register.name && plain.instruction == step.instruction;
        if matters && !is_told && !is_own {
            return Err(format!("{} depends on {}: {plain:X?}", why.name, register.name));
        }
    }
    Ok(())
}

fn differences(plan: &Plan) -> Result<(), String> {
    let (mut session, source) = plan.session(None);
    let end = plan.limit.min(6000);
    let record = Record::of(&session, end);
    session.run(Limits::none().cycles(end));
    let told = |what: String| format!("{what}\n{source}");
    let is_cell = |step: &Step| places(step).into_iter().filter(|&cell| cell >= 16).collect::<Vec<_>>();
    let mut cells: Vec<u32> = record.steps.iter().rev().flat_map(|(step, _)| is_cell(step)).collect();
    cells.sort_unstable();
    cells.dedup();
    cells.retain(|&cell| !session.machine().is_chip(cell));
    for &cell in cells.iter().step_by(cells.len() / 4 + 1) {
        let found = session.writers(&Whereabouts::Cell(cell), usize::MAX, &mut || true);
        let by_machine = found.iter().filter(|one| one.by != WriteKind::Hand);
        let found: Vec<_> = by_machine.map(|one| (one.address, one.value)).collect();
        let expected = record.written(cell);
        if found != expected {
            return Err(told(format!("writers of {cell:X}: {found:X?}, and in the record {expected:X?}")));
        }
    }
    let registers =
        session.processor().registers().iter().filter(|one| matches!(one.role, Role::Data | Role::Cell));
    let names: Vec<String> = registers.map(|one| one.name.to_string()).take(6).collect();
    let set = session.processor();
    let flags = set.flags().iter().map(|flag| set.flag_name(flag)).take(2);
    for name in names.into_iter().chain(flags) {
        for why in session.why(&Whereabouts::Register(name), 3, &mut || true) {
            check(&why, &record, &session).map_err(|what| told(format!("{what}\n{why:X?}")))?;
        }
    }
    Ok(())
}

#[test]
fn causes_are_what_a_full_record_says() {
    let mut bytes = [0; 32];
    let seed = std::env::var("PLAIN_BYTE_SEED").ok().and_then(|seed| seed.parse::<u64>().ok()).unwrap_or(7);
    bytes[..8].copy_from_slice(&seed.to_le_bytes());
    let cases = std::env::var("PLAIN_BYTE_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(60);
    let config = Config { cases, failure_persistence: None, max_shrink_iters: 300, ..Config::default() };
    let mut runner = TestRunner::new_with_rng(config, TestRng::from_seed(RngAlgorithm::ChaCha, &bytes));
    let result = runner.run(&plans(), |plan| differences(&plan).map_err(TestCaseError::fail));
    result.unwrap_or_else(|error| panic!("{error}"));
}
