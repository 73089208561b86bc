//! Sheets of conversions: the same seed gives the same sheet, and every answer is right.

use plain_byte::processor;
use plain_byte::report::{quiz, quiz_sheet, quiz_text};

/// What a question asks, worked out in another way.
fn answer(asks: &str, radix: u32, bits: u32) -> Option<String> {
    let digits = (bits as usize).div_ceil(if radix == 8 { 3 } else { 4 });
    let spelt = |value: u64| match radix {
        8 => format!("{value:0digits$o}"),
        _ => format!("{value:0digits$X}h"),
    };
    let number = |text: &str| {
        let text = text.trim_end_matches(" octal").trim_start_matches('$').trim_start_matches("0x");
        u64::from_str_radix(text.trim_end_matches('h'), radix).ok()
    };
    let name = if radix == 8 { "octal" } else { "hex" };
    if let Some(value) = asks.strip_suffix(" with a sign, in decimal") {
        return Some(format!("-{}", (1u64 << bits) - number(value)?));
    }
    if let Some(value) = asks.strip_suffix(" in decimal") {
        return number(value).map(|value| value.to_string());
    }
    if let Some(value) = asks.strip_suffix(" in binary") {
        return number(value).map(|value| format!("{value:0width$b}", width = bits as usize));
    }
    if let Some(rest) = asks.strip_prefix('-') {
        let (value, _) = rest.split_once(" in ")?;
        return Some(spelt((1u64 << bits) - value.parse::<u64>().ok()?));
    }
    if let Some(rest) = asks.strip_prefix("the code of the character ") {
        return rest.chars().next().map(|sign| spelt(sign as u64));
    }
    if let Some(rest) = asks.strip_prefix("the high and the low byte of ") {
        let value: u64 = rest.split(',').next()?.parse().ok()?;
        return Some(format!("{:02X}h and {:02X}h", value / 256, value % 256));
    }
    if let Some(value) = asks.strip_suffix(" plus 1, in octal") {
        return value.parse::<u64>().ok().map(|value| spelt((value + 1) % (1 << bits)));
    }
    let value = asks.strip_suffix(&format!(" in {name}"))?;
    let is_binary = value.len() == bits as usize && value.chars().all(|digit| digit == '0' || digit == '1');
    let value = if is_binary { u64::from_str_radix(value, 2).ok() } else { value.parse().ok() };
    value.map(spelt)
}

#[test]
fn every_answer_is_right_and_every_question_comes_once() {
    for (name, radix, bits) in [
        (None, 16, 8),
        (Some("8085"), 16, 8),
        (Some("6502"), 16, 8),
        (Some("8086"), 16, 8),
        (Some("pdp8"), 8, 12),
    ] {
        let set = name.map(|name| processor::find(name).expect("a processor"));
        for seed in 0..40 {
            let questions = quiz(set, 50, seed);
            assert_eq!((questions.len(), &questions), (50, &quiz(set, 50, seed)));
            for (at, one) in questions.iter().enumerate() {
                assert_eq!(
                    answer(&one.asks, radix, bits).as_ref(),
                    Some(&one.answer),
                    "{name:?}, {seed}: {}",
                    one.asks
                );
                assert!(!questions[..at].contains(one), "{}", one.asks);
            }
        }
    }
    assert_ne!(quiz(None, 10, 1), quiz(None, 10, 2));
    let questions = quiz(None, 4, 1);
    let (asked, told) =
        (quiz_text(&questions, 1, false).to_string(), quiz_text(&questions, 1, true).to_string());
    assert!(questions.iter().all(|one| asked.contains(&one.asks) && told.contains(&one.answer)));
    let (blank, solved) = (quiz_sheet(&questions, 1, false), quiz_sheet(&questions, 1, true));
    assert!(
        !blank.contains(&format!(">{}<", questions[0].answer))
            && solved.contains(&format!(">{}<", questions[0].answer))
    );
}
