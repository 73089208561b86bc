//! What people who come from the Z80 write on the eZ80, and what they want.

use crate::processor::Mistake;

/// What to write instead.
pub fn advice(mistake: &Mistake<'_>) -> Option<String> {
    match *mistake {
        Mistake::RegisterForNumber { mnemonic: "LD", at: 1, text } if text.len() == 1 => {
            let register = text.to_lowercase();
            Some(format!("the opcode of `ld {register}, {register}` is a suffix here; write `nop`"))
        }
        _ => None,
    }
}
