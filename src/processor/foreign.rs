//! Mnemonics of other processors, so that one met in a source text can be answered with what to write here.

use super::InstructionSet;

/// A mnemonic that belongs to other processors.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Foreign {
    /// The mnemonic.
    pub mnemonic: &'static str,
    /// Whose it is.
    pub owner: &'static str,
    /// What this processor has instead.
    pub instead: &'static str,
}

pub(super) const fn of(mnemonic: &'static str, owner: &'static str, instead: &'static str) -> Foreign {
    Foreign { mnemonic, owner, instead }
}

/// The foreign mnemonic of that name, capitals or not, as a set's people would meet it.
pub fn foreign(set: &InstructionSet, name: &str) -> Option<&'static Foreign> {
    let name = name.to_ascii_uppercase();
    set.foreign.binary_search_by(|row| row.mnemonic.cmp(name.as_str())).ok().map(|at| &set.foreign[at])
}

#[cfg(test)]
mod tests {
    #[test]
    fn the_lists_are_sorted_and_foreign() {
        for set in super::super::ALL {
            assert!(set.foreign.is_sorted_by(|a, b| a.mnemonic < b.mnemonic), "{}", set.name);
            let own = |row: &super::Foreign| set.own_rows().any(|one| one.mnemonic == row.mnemonic);
            let wrong = set.foreign.iter().find(|row| own(row) && !row.owner.contains("65C02"));
            assert_eq!(wrong, None, "{}", set.name);
        }
    }
}
