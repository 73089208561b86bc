//! `explain`: what a code of an error or a warning means.

use crate::arguments::ExplainArguments;
use crate::paint;
use crate::say::Failure;
use plain_byte::diagnostic::nearest;
use plain_byte::language::codes;
use plain_byte::text::{Text, Tone};

pub fn run(arguments: &ExplainArguments) -> Result<(), Failure> {
    let Some(code) = &arguments.code else {
        if arguments.json {
            let codes: Vec<_> =
                codes().map(|(code, text)| serde_json::json!({ "code": code, "text": text })).collect();
            return super::print_json(&serde_json::json!({ "codes": codes }));
        }
        let mut text = Text::new();
        text.line().tone(Tone::Faint, "codes of errors and warnings; `plainbyte explain CODE` says more");
        for (code, section) in codes() {
            let first = section.split(". ").next().unwrap_or_default().replace('\n', " ");
            let first = paint::cut(first.trim_end_matches('.'), 90);
            text.line().tone(Tone::Strong, format!("{code:20}")).put(first);
        }
        return Ok(paint::show(&text)?);
    };
    let asked = code.trim_start_matches("error[").trim_start_matches("warning[").trim_end_matches(']');
    let found: Vec<_> = codes().filter(|section| section.0.eq_ignore_ascii_case(asked)).collect();
    if found.is_empty() {
        let near = nearest(asked, codes().map(|section| section.0));
        let help = match near {
            Some(near) => format!("did you mean `{near}`?"),
            None => "`plainbyte explain` lists the codes".to_string(),
        };
        return Err(Failure::usage(format!("there is no error or warning `{asked}`"), help));
    }
    if arguments.json {
        let (code, text) = found[0];
        return super::print_json(&serde_json::json!({ "code": code, "text": text }));
    }
    let mut text = Text::new();
    for (code, section) in found {
        text.line().tone(Tone::Strong, code).line();
        for paragraph in section.split("\n\n") {
            // A page of the documentation is set anew for the width at hand.
            text.line();
            match paragraph.starts_with("```") || paragraph.starts_with("- ") {
                true => _ = text.put(paragraph),
                false => _ = text.put(paint::filled(&paragraph.replace('\n', " "))),
            }
        }
    }
    Ok(paint::show(&text)?)
}
