//! What comes of one try after the other, put together to an effect.

use super::atom::Atom;
use super::effect::{Effect, Inputs, MOST_ACCESSES, Outcome, kinds_of};
use crate::machine::{Access, Noted};
use crate::processor::{Decoded, Flow, Role};

/// So many flags an operation takes at most: a carry, and whether it counts in decimal.
const MOST_FLAGS: usize = 2;

/// What was changed between two tries.
#[derive(Clone, Copy)]
pub(super) enum Changed {
    Atom(usize),
    Access(usize),
}

impl Inputs {
    fn add(&mut self, changed: Changed) {
        match changed {
            Changed::Atom(at) => self.atoms |= 1 << at,
            Changed::Access(at) => self.accesses |= 1 << at,
        }
    }
}

/// An effect while it is being learnt.
#[derive(Default)]
pub(super) struct Learning {
    defines: u64,
    atoms: Vec<Inputs>,
    writes: Vec<Inputs>,
    address: Inputs,
    next: Inputs,
    /// Atoms that were kept in one of the states.
    kept: u64,
}

impl Learning {
    pub fn begin(&mut self, atoms: &[Atom], outcome: &Outcome) {
        self.atoms.resize(atoms.len(), Inputs::default());
        let written = written(&outcome.notes).count();
        self.writes.resize(self.writes.len().max(written), Inputs::default());
        for (at, atom) in atoms.iter().enumerate() {
            if (outcome.before[atom.place] ^ outcome.registers[atom.place]) & atom.mask != 0 {
                self.defines |= 1 << at;
            }
        }
    }

    pub fn compare(&mut self, atoms: &[Atom], outcome: &Outcome, changed: &Outcome, by: Changed) {
        if kinds_of(&outcome.notes) != kinds_of(&changed.notes) {
            return self.next.add(by);
        }
        if outcome.next != changed.next {
            self.next.add(by);
        }
        let addresses = |notes: &[Noted]| notes.iter().map(|note| note.address).collect::<Vec<_>>();
        if addresses(&outcome.notes) != addresses(&changed.notes) {
            self.address.add(by);
        }
        for (at, (one, other)) in written(&outcome.notes).zip(written(&changed.notes)).enumerate() {
            if one.value != other.value {
                self.writes[at].add(by);
            }
        }
        for (at, atom) in atoms.iter().enumerate() {
            let part = |registers: &[u64]| registers[atom.place] & atom.mask;
            let differs = part(&outcome.registers) != part(&changed.registers);
            let is_own = matches!(by, Changed::Atom(own) if own == at);
            let is_kept = |one: &Outcome| part(&one.before) == part(&one.registers);
            if is_own {
                let passes = is_kept(outcome) && is_kept(changed);
                match passes {
                    true => self.kept |= 1 << at,
                    false => self.defines |= 1 << at,
                }
                if differs && !passes {
                    self.atoms[at].add(by);
                }
            } else if differs {
                self.defines |= 1 << at;
                self.atoms[at].add(by);
            }
        }
    }

    pub fn finish(self, atoms: &[Atom], decoded: &Decoded) -> Effect {
        let Self { defines, atoms: mut inputs, writes, address, mut next, kept } = self;
        let is_defined = |at: &usize| defines >> at & 1 != 0;
        // What is kept in one state and not in another depends on what it was.
        for (at, inputs) in inputs.iter_mut().enumerate().filter(|(at, _)| kept >> at & 1 != 0) {
            inputs.atoms |= 1 << at;
        }
        // Some of what a flag or a condition depends on shows only where the result happens to be zero.
        let own = (0..inputs.len()).filter(is_defined);
        let results = own
            .filter(|&at| !atoms[at].is_flag && atoms[at].role != Role::Stack)
            .map(|at| inputs[at])
            .chain(writes.iter().copied());
        let mut all = results.fold(Inputs::default(), |all, one| all | one);
        if all.is_empty() {
            all = (0..inputs.len()).filter(is_defined).fold(all, |all, at| all | inputs[at]);
        }
        let flags = (0..atoms.len()).filter(|&at| atoms[at].is_flag && all.atoms >> at & 1 != 0);
        // What moves all flags together takes each from one place.
        let is_arithmetic = flags.count() <= MOST_FLAGS;
        let by_flag = decoded.set.flags().iter().zip(decoded.set.flag_effect(decoded.row).chars());
        for (flag, _) in by_flag.filter(|(_, how)| *how == '*' && is_arithmetic) {
            let same = |(_, atom): &(usize, &Atom)| atom.is_flag && atom.mask == flag.mask;
            if let Some((at, _)) = atoms.iter().enumerate().find(same).filter(|(at, _)| is_defined(at)) {
                inputs[at] = inputs[at] | all;
            }
        }
        let may_branch = matches!(decoded.row.flow, Flow::Branch | Flow::Skip | Flow::Repeat);
        if may_branch && next.is_empty() {
            next = all;
        }
        let stack = atoms.iter().position(|atom| atom.role == Role::Stack);
        let moves_stack = stack.is_some_and(|at| is_defined(&at) && address.atoms >> at & 1 != 0);
        let plain = (0..atoms.len()).filter(is_defined).all(|at| Some(at) == stack) && next.is_empty();
        let saves = moves_stack && plain && address.accesses == 0 && !writes.is_empty();
        let own = (0..inputs.len()).filter(is_defined).map(|at| inputs[at]).collect();
        let effect =
            Effect { defines, atoms: own, writes, address, next, saves, moves_stack, ..Effect::default() };
        effect.with_uses(atoms, decoded)
    }
}

fn written(notes: &[Noted]) -> impl Iterator<Item = &Noted> {
    notes.iter().filter(|note| matches!(note.access, Access::Write | Access::Out)).take(MOST_ACCESSES)
}
