//! What a condition asks, in terms of what was compared: `A below 12` in place of `there was a carry`.
//!
//! Only where the instruction that set the flags stands in front of it and says what they mean; elsewhere the flag is told.

use crate::processor::{Decoded, Flow};

/// How two values stand to each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Relation {
    /// The same.
    Equal,
    /// Not the same.
    NotEqual,
    /// Smaller, as numbers without a sign.
    Below,
    /// The opposite.
    NotBelow,
    /// Larger, as numbers without a sign.
    Above,
    /// The opposite.
    NotAbove,
    /// Smaller, as numbers with a sign.
    Less,
    /// The opposite.
    NotLess,
    /// Larger, as numbers with a sign.
    Greater,
    /// The opposite.
    NotGreater,
}

impl Relation {
    /// The words between the two.
    pub fn words(self) -> &'static str {
        match self {
            Relation::Equal => "equal to",
            Relation::NotEqual => "not equal to",
            Relation::Below => "below",
            Relation::NotBelow => "not below",
            Relation::Above => "above",
            Relation::NotAbove => "not above",
            Relation::Less => "less than",
            Relation::NotLess => "not less than",
            Relation::Greater => "greater than",
            Relation::NotGreater => "not greater than",
        }
    }

    /// What holds where this does not.
    #[must_use]
    pub fn opposite(self) -> Self {
        match self {
            Relation::Equal => Relation::NotEqual,
            Relation::NotEqual => Relation::Equal,
            Relation::Below => Relation::NotBelow,
            Relation::NotBelow => Relation::Below,
            Relation::Above => Relation::NotAbove,
            Relation::NotAbove => Relation::Above,
            Relation::Less => Relation::NotLess,
            Relation::NotLess => Relation::Less,
            Relation::Greater => Relation::NotGreater,
            Relation::NotGreater => Relation::Greater,
        }
    }
}

/// What a condition asks of two values.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Comparison {
    /// The first value, as it is written.
    pub left: String,
    /// How it stands to the other where the condition holds.
    pub relation: Relation,
    /// The other value; `0` where one value alone is looked at.
    pub right: String,
    /// The first value is gone: what was subtracted from it has taken its place.
    pub was: bool,
}

impl Comparison {
    /// As a question without its mark: `A below heights`.
    pub fn words(&self) -> String {
        let was = if self.was { "was " } else { "" };
        match (self.relation, self.right.as_str()) {
            (Relation::Equal, "0") => format!("{} = 0", self.left),
            (Relation::NotEqual, "0") => format!("{} not 0", self.left),
            (relation, right) => format!("{} {was}{} {right}", self.left, relation.words()),
        }
    }
}

/// What a condition means after a comparison, by its words in the table. The carry of the 6502 says the opposite of the others'.
fn relation(condition: &str, borrows: bool) -> Option<Relation> {
    Some(match condition {
        "the result was zero" | "it was equal, or the result was zero" => Relation::Equal,
        "the result was not zero" | "it was not equal, or the result was not zero" => Relation::NotEqual,
        "there was a carry" if borrows => Relation::Below,
        "there was no carry" if borrows => Relation::NotBelow,
        "there was a carry" => Relation::NotBelow,
        "there was no carry" => Relation::Below,
        "it was below, or there is a carry" => Relation::Below,
        "it was not below, or there is no carry" => Relation::NotBelow,
        "it was above" => Relation::Above,
        "it was below or equal" => Relation::NotAbove,
        "it was less" => Relation::Less,
        "it was not less" => Relation::NotLess,
        "it was greater" => Relation::Greater,
        "it was less or equal" => Relation::NotGreater,
        _ => return None,
    })
}

/// What the condition of a branch asks, where the instruction that set its flags is known: `setter`, which is written `text`.
pub fn comparison(setter: &Decoded, text: &str, branch: &Decoded) -> Option<Comparison> {
    let set = setter.set;
    let relation =
        relation(branch.condition()?, set.register("X").is_none() || set.register("IX").is_some())?;
    let (mnemonic, operands) = text.split_once(char::is_whitespace).unwrap_or((text, ""));
    let operands: Vec<&str> = split(operands);
    let name = |text: &str| match text.to_ascii_lowercase().as_str() {
        "m" | "(hl)" => "the cell at HL".to_string(),
        short if short.len() <= 2 && set.register(short).is_some() => short.to_ascii_uppercase(),
        _ => text.strip_prefix('#').unwrap_or(text).trim().to_string(),
    };
    let is_zero = matches!(relation, Relation::Equal | Relation::NotEqual);
    let compared = |left: String, right: String, was: bool| Some(Comparison { left, relation, right, was });
    let zero = |left: String| if is_zero { compared(left, "0".to_string(), false) } else { None };
    match (mnemonic.to_ascii_uppercase().as_str(), operands.as_slice()) {
        ("CMP" | "CP", [left, right]) => compared(name(left), name(right), false),
        ("CMP" | "CPI" | "CP", [right]) => compared("A".to_string(), name(right), false),
        ("CPX", [right]) => compared("X".to_string(), name(right), false),
        ("CPY", [right]) => compared("Y".to_string(), name(right), false),
        // The difference is 0 where both were equal.
        ("SUB" | "SUI", [right]) => compared("A".to_string(), name(right), true),
        ("SUB", [left, right]) => compared(name(left), name(right), true),
        ("ORA" | "ANA" | "OR" | "AND", [own])
            if own.eq_ignore_ascii_case("a") && setter.set.register("X").is_none() =>
        {
            zero("A".to_string())
        }
        ("OR" | "AND" | "TEST", [left, right]) if left.eq_ignore_ascii_case(right) => zero(name(left)),
        ("DCR" | "INR" | "DEC" | "INC", [own]) => zero(name(own)),
        ("DEX" | "INX", []) => zero("X".to_string()),
        ("DEY" | "INY", []) => zero("Y".to_string()),
        ("LDA", [from]) if setter.set.register("X").is_some() && setter.set.register("IX").is_none() => {
            zero(name(from))
        }
        ("LDX" | "LDY", [from]) => zero(name(from)),
        _ => None,
    }
}

/// Operands with commas between, those in parentheses left alone.
fn split(text: &str) -> Vec<&str> {
    let (mut parts, mut begin, mut depth) = (Vec::new(), 0, 0);
    for (at, letter) in text.char_indices() {
        match letter {
            '(' | '[' => depth += 1,
            ')' | ']' => depth -= 1,
            ',' if depth == 0 => {
                parts.push(text[begin..at].trim());
                begin = at + 1;
            }
            _ => {}
        }
    }
    parts.push(text[begin..].trim());
    parts.retain(|part| !part.is_empty());
    parts
}

/// The last instruction that changed a flag which a branch looks at, by its place; `None` where something else may have come between.
pub fn setter(instructions: &[(u32, Decoded)], branch: &Decoded) -> Option<usize> {
    let condition = branch.condition()?;
    let is_carry = condition.contains("carry") && !condition.contains("below");
    let set = branch.set;
    let place = set.flags().iter().position(|flag| match is_carry {
        true => flag.name.starts_with('C'),
        false => flag.name.starts_with('Z'),
    })?;
    for (at, (_, decoded)) in instructions.iter().enumerate().rev() {
        let effect = decoded.set.flag_effect(decoded.row).chars().nth(place);
        if effect.is_none_or(|effect| effect != '-') {
            return effect.is_some_and(|effect| effect == '*').then_some(at);
        }
        if !matches!(decoded.row.flow, Flow::On | Flow::Branch) {
            return None;
        }
    }
    None
}
