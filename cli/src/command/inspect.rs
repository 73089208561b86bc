//! `inspect`: the facts of an image.

use super::{cassette, drawing, print_json};
use crate::arguments::InspectArguments;
use crate::files::{self, Files};
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::assembler::Assembly;
use plain_byte::image::Format;
use plain_byte::report::{
    Ground, cassette as told, cassette_facts, exe_header, holes, inspect, position, wave, wave_stretch,
};
use plain_byte::workspace::{Program, Target};

pub fn run(arguments: &InspectArguments) -> Result<(), Failure> {
    if let Some(name) = arguments.what.program.as_ref().map(|name| files::find(name, &["wav"]))
        && cassette::is_recording(&name)
    {
        let (recording, tape) = cassette::hear(std::slice::from_ref(&name))?;
        if let Some(file) = &arguments.wave {
            let wrong = |text: &String| {
                Failure::usage(
                    format!("--time {text} is not a time"),
                    "write seconds, or minutes and seconds: 1:04.5",
                )
            };
            let asked = arguments
                .time
                .as_ref()
                .map(|text| cassette::second(text).ok_or_else(|| wrong(text)))
                .transpose()?;
            let second = asked.unwrap_or_else(|| cassette::worth_seeing(&tape));
            let (from, to) = wave_stretch(second);
            let (samples, rate) = cassette::samples(&name, from, to)?;
            return drawing::write(file, &wave(&samples, rate, from, second, Ground::Print));
        }
        if arguments.json {
            return print_json(&serde_json::json!({ "tape": cassette_facts(&recording, &tape) }));
        }
        return Ok(paint::show(&told(&recording, &tape))?);
    }
    if arguments.wave.is_some() {
        return Err(Failure::usage("only a recording has a wave", "name a WAV file"));
    }
    // What has no ending is an image here.
    let looked = open::look(&arguments.what, open::Plain::SourceByEnding)?;
    let is_source = matches!(looked.program, Program::Assembled(_));
    if arguments.moved && !is_source {
        return Err(Failure::usage(
            "--moved needs a source, since an image cannot be assembled again",
            "name the .asm file",
        ));
    }
    let set = looked.set;
    let (name, target) = (&looked.name, &looked.target);
    let facts = match &looked.program {
        Program::Assembled(assembly) if arguments.moved => {
            return moved(arguments, name, target, assembly);
        }
        Program::Assembled(assembly) => inspect(&assembly.image, set, &assembly.regions),
        Program::Image(image) => inspect(image, set, &[]),
    };
    if arguments.json {
        return print_json(&facts);
    }
    let mut text = plain_byte::text::Text::new();
    if let Some(header) =
        (!is_source).then(|| files::must_read(name)).transpose()?.and_then(|file| exe_header(&file))
    {
        text.append(header);
    }
    text.append(facts.text(set));
    let ending = std::path::Path::new(name).extension().map(|ending| ending.to_string_lossy().into_owned());
    let is_tape = ending.as_deref().and_then(Format::of_ending).is_some_and(|format| format.tape);
    if is_tape || arguments.holes {
        let most = if arguments.holes { usize::MAX } else { FRAMES };
        text.append(holes(&files::must_read(name)?, most));
    }
    Ok(paint::show(&text)?)
}

/// Which cells depend on the address.
fn moved(
    arguments: &InspectArguments,
    name: &str,
    target: &Target,
    assembly: &Assembly,
) -> Result<(), Failure> {
    let options = open::prepare(target)?.options;
    let position = position(name, &mut Files, &options, assembly).map_err(|error| {
        Failure::input(error.to_string(), "look for `align`, and for addresses that must not move")
    })?;
    if arguments.json {
        return print_json(&position);
    }
    let show = |address: u32| {
        assembly.set.map_or_else(|| format!("{address:04X}"), |set| set.address(address.into()))
    };
    Ok(paint::show(&position.text(&show))?)
}

/// Frames of a tape that are drawn unasked.
const FRAMES: usize = 128;
