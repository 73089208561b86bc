//! Colours for editors that take a grammar of patterns, made from the tables: a new processor is coloured at once.

use crate::assembler::directive_names;
use crate::processor;
use std::collections::BTreeSet;

/// Words as a pattern, the longest first, so that none hides another that it begins.
fn any_of(words: BTreeSet<String>) -> String {
    let mut words: Vec<String> = words.into_iter().collect();
    words.sort_by_key(|word| (std::cmp::Reverse(word.len()), word.clone()));
    words.join("|")
}

/// The grammar for every processor, in the open form of patterns with names of scopes: a JSON document.
pub fn grammar() -> String {
    let mut mnemonics = BTreeSet::new();
    let mut registers = BTreeSet::new();
    for set in processor::ALL {
        mnemonics.extend(set.own_rows().map(|row| row.mnemonic.to_ascii_lowercase()));
        let names = set.registers().iter().map(|one| one.name.to_ascii_lowercase());
        registers.extend(names.filter(|name| name.chars().all(|c| c.is_ascii_alphanumeric())));
    }
    mnemonics.retain(|word| !word.is_empty() && word.chars().all(|c| c.is_ascii_alphanumeric()));
    let directives: BTreeSet<String> = directive_names().map(String::from).collect();
    let word = |words: String| format!("(?i)(?<![\\w.])({words})(?![\\w.])");
    let matches = [
        ("comment.line.semicolon", ";.*$".to_string()),
        ("string.quoted.double", "\"[^\"]*(\"|$)".to_string()),
        ("string.quoted.single", "'[^']*('|$)".to_string()),
        ("entity.name.function", "(?i)^\\s*[a-z_?@.][\\w?@.]*(?=:)".to_string()),
        ("entity.name.constant", "(?i)^[a-z_?@][\\w?@.]*(?=\\s+(equ|let)\\b|\\s*=)".to_string()),
        ("keyword.control.directive", word(any_of(directives))),
        ("keyword.mnemonic", word(any_of(mnemonics))),
        (
            "constant.numeric",
            word("\\$[0-9a-f]+|0x[0-9a-f]+|0b[01]+|0o[0-7]+|[0-9][0-9a-f]*h|[0-9]+".to_string()),
        ),
        ("variable.language.register", word(any_of(registers))),
    ];
    // All of it is ASCII, whose texts are written in Rust as in JSON.
    let patterns =
        matches.iter().map(|(name, pattern)| format!("    {{ \"name\": {name:?}, \"match\": {pattern:?} }}"));
    let patterns: Vec<String> = patterns.collect();
    format!(
        "{{\n  \"name\": \"Plain Byte assembly\",\n  \"scopeName\": \"source.plain-byte\",\n  \"fileTypes\": [\"asm\"],\n  \"patterns\": [\n{}\n  ]\n}}\n",
        patterns.join(",\n")
    )
}
