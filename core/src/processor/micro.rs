//! Microinstructions: several operations that are written one after the other and stand in one word.

/// A group of operations whose bits may be put together in one word.
#[derive(Debug, PartialEq, Eq)]
pub struct Group {
    /// What the maker calls it.
    pub title: &'static str,
    /// The word without any operation.
    pub base: u64,
    /// The bits that operations use.
    pub bits: u64,
    /// The operations in the order in which they happen.
    pub operations: &'static [Operation],
    /// What goes together and what does not, for a message.
    pub rule: &'static str,
}

/// One operation of a group.
#[derive(Debug, PartialEq, Eq)]
pub struct Operation {
    /// The maker's mnemonic.
    pub name: &'static str,
    /// The bits that it decides about.
    pub mask: u64,
    /// What they are.
    pub value: u64,
    /// Whether a word in memory is shown with it; the others are ways to write several operations at once.
    pub shown: bool,
}

impl Group {
    /// An operation by its name, capitals or not.
    pub fn find(&self, name: &str) -> Option<&Operation> {
        self.operations.iter().find(|one| one.name.eq_ignore_ascii_case(name))
    }

    /// The operations in a word, in the order in which they happen. `None` where they cannot be told.
    pub fn in_word(&self, word: u64) -> Option<Vec<&Operation>> {
        self.accepts(word)
            .then(|| self.operations.iter().filter(|one| one.shown && word & one.mask == one.value).collect())
    }

    /// True where every bit of the word belongs to an operation that is shown.
    pub const fn accepts(&self, word: u64) -> bool {
        let mut covered = 0;
        let mut at = 0;
        while at < self.operations.len() {
            let one = &self.operations[at];
            if one.shown && word & one.mask == one.value {
                covered |= one.value;
            }
            at += 1;
        }
        covered == word & self.bits
    }
}
