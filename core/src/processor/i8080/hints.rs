//! What people who come from other processors write on the 8080, and what they want.

use crate::processor::{Mistake, MistakeKind};

/// What to write instead.
pub fn advice(mistake: &Mistake<'_>) -> Option<String> {
    match *mistake {
        Mistake::NoSuchName { mnemonic, at, text, kind, names } => {
            no_such_name(mnemonic, at, text, kind, names)
        }
        Mistake::RegisterForNumber { mnemonic, .. } => {
            let form = register_form(mnemonic)?;
            Some(format!("{form} is the form for registers; a number such as 0Bh begins with a digit"))
        }
    }
}

fn no_such_name(
    mnemonic: &str,
    at: usize,
    text: &str,
    kind: MistakeKind,
    names: &[&'static str],
) -> Option<String> {
    let is = |name: &str| text.eq_ignore_ascii_case(name);
    if is("M") && names.contains(&"A") {
        return Some("there is no such move within memory; go through a register".to_string());
    }
    let pair = ["BC", "DE", "HL"]
        .into_iter()
        .find(|pair| is(pair))
        .map(|pair| &pair[..1])
        .or(is("AF").then_some("PSW"));
    let takes_pairs = names.iter().any(|name| ["SP", "PSW"].contains(name));
    if let Some(own) = pair.filter(|_| !takes_pairs && names.contains(&"A")) {
        let (high, low) = text.split_at(1);
        let (high, low, other) = (high.to_lowercase(), low.to_lowercase(), own.to_lowercase());
        return Some(format!(
            "a pair takes two instructions here, one for {high} and one for {low}; LXI {other} loads one with a number"
        ));
    }
    if pair.is_some_and(|own| names.contains(&own)) {
        return None;
    }
    if names.contains(&"M") && kind == MistakeKind::Bracket {
        return Some(
            "the cell at HL is written `m`; the cell at BC or DE is reached by LDAX and STAX".to_string(),
        );
    }
    if mnemonic == "MOV" && at == 1 && kind != MistakeKind::Register {
        let cell =
            if kind == MistakeKind::Number { String::new() } else { format!(", for a cell `lda {text}`") };
        return Some(format!("MOV copies registers; for a number write `mvi …, {text}`{cell}"));
    }
    ((is("H") || is("HL")) && names == ["B", "D"])
        .then(|| "for the cell at HL write `mov a, m` or `mov m, a`".to_string())
}

/// The mnemonic that does with a register what an immediate one does with a number.
fn register_form(mnemonic: &str) -> Option<&'static str> {
    Some(match mnemonic {
        "MVI" => "MOV",
        "ADI" => "ADD",
        "ACI" => "ADC",
        "SUI" => "SUB",
        "SBI" => "SBB",
        "ANI" => "ANA",
        "XRI" => "XRA",
        "ORI" => "ORA",
        "CPI" => "CMP",
        _ => return None,
    })
}
