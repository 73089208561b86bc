//! `receive`: what a board at the end of a serial line sends, by XMODEM or as records of text, into files.

use super::build::{parse_output, sums_of};
use super::send::drive;
use crate::arguments::{Gives, ReceiveArguments};
use crate::far_side::FarSide;
use crate::files::Outputs;
use crate::open;
use crate::paint;
use crate::say::Failure;
use crate::serial::device;
use crate::serial::log::Log;
use crate::signals;
use plain_byte::image::{Cell, Format, Image, Segment, Settings};
use plain_byte::number::counted;
use plain_byte::text::{Text, Tone};
use plain_byte::transfer::{RecordReceiver, XmodemReceiver};
use std::time::Duration;

/// Nothing typed at a monitor is waited for longer before the transfer begins.
const SETTLE: Duration = Duration::from_millis(50);

pub fn run(arguments: &ReceiveArguments) -> Result<(), Failure> {
    if arguments.ports {
        return ports(arguments.json);
    }
    signals::listen();
    let outputs =
        arguments.output.iter().map(|output| parse_output(output)).collect::<Result<Vec<_>, _>>()?;
    let range = arguments.range.as_deref().map(range).transpose()?;
    let words = words(arguments, range)?;
    let log = arguments.log.as_deref().map(Log::open).transpose()?;
    let place = arguments.from.as_deref().unwrap_or_default();
    let mut line = FarSide::open(place, arguments.baud, log.as_ref())?;
    if !words.is_empty() {
        line.drain(SETTLE);
        line.write(format!("{words}\r").as_bytes())?;
    }
    let image = received(arguments, range, &mut line)?;
    let mut files = Vec::new();
    for output in outputs {
        files.extend(output.files(&image)?);
    }
    let mut all = Outputs::default();
    files.iter().for_each(|(file, bytes)| all.add(file, bytes.as_slice()));
    all.write()?;
    if all.prints() {
        return Ok(());
    }
    if arguments.json {
        let names: Vec<&String> = files.iter().map(|row| &row.0).collect();
        return super::print_json(&serde_json::json!({ "files": names, "segments": image.segments() }));
    }
    let mut text = Text::new();
    let places: Vec<String> =
        image.segments().iter().map(|one| format!("{:04X}..{:04X}", one.start, one.end() - 1)).collect();
    text.line().tone(Tone::Strong, place).put(format!(
        ": {} received, {}",
        counted(image.cells(), "byte"),
        places.join(", ")
    ));
    for (file, bytes) in &files {
        text.line().tone(Tone::Faint, "  wrote ").put(file).tone(Tone::Faint, sums_of(bytes));
    }
    Ok(paint::report(&text)?)
}

/// The serial devices of this computer.
fn ports(json: bool) -> Result<(), Failure> {
    let ports = device::ports();
    if json {
        let list: Vec<_> =
            ports.iter().map(|(name, what)| serde_json::json!({ "name": name, "what": what })).collect();
        return super::print_json(&serde_json::json!({ "ports": list }));
    }
    let mut text = Text::new();
    if ports.is_empty() {
        text.line().put("no serial device is to be found here");
    }
    for (name, what) in ports {
        text.line().tone(Tone::Strong, format!("{name:16}")).put(format!("  {what}"));
    }
    Ok(paint::show(&text)?)
}

fn range(text: &str) -> Result<(u32, u32), Failure> {
    let wrong = || {
        Failure::usage(format!("--range {text} is not a stretch"), "write FIRST..LAST, such as 1000h..11FFh")
    };
    let (first, last) = text.split_once("..").ok_or_else(wrong)?;
    match (open::origin(Some(first), None)?, open::origin(Some(last), None)?) {
        (Some(first), Some(last)) if first <= last => Ok((first, last)),
        _ => Err(wrong()),
    }
}

/// What is typed at the far side's monitor.
fn words(arguments: &ReceiveArguments, range: Option<(u32, u32)>) -> Result<String, Failure> {
    let words = arguments.words.as_deref().unwrap_or(match arguments.by {
        Gives::Xmodem => "give {first} {last}",
        Gives::Hex => "hex {first} {last}",
        Gives::Srec => "srec {first} {last}",
    });
    let Some((first, last)) = range else {
        if words.contains("{first}") || words.contains("{last}") {
            let message = format!("`{words}` has places for addresses, and no addresses are given");
            return Err(Failure::usage(
                message,
                "give --range FIRST..LAST, or --type with other words, \"\" for none",
            ));
        }
        return Ok(words.to_string());
    };
    // Small letters: a capital C would ask a sender for a CRC.
    Ok(words.replace("{first}", &format!("{first:04x}")).replace("{last}", &format!("{last:04x}")))
}

/// The image that comes.
fn received(
    arguments: &ReceiveArguments,
    range: Option<(u32, u32)>,
    line: &mut FarSide,
) -> Result<Image, Failure> {
    let patience = [Duration::ZERO, Duration::from_secs(arguments.give_up)];
    let broken = |error: String| {
        let help = "nothing was written; look at the line, its speed and what the far side was told to send";
        Failure::input(format!("nothing whole was received: {error}"), help)
    };
    let records = |form: &str, text: &str| {
        let format = Format::named(form).ok_or_else(|| broken(format!("there is no form {form}")))?;
        format
            .read(text.as_bytes(), &Settings::default())
            .map_err(|errors| open::unreadable("what was received", &errors))
    };
    match arguments.by {
        Gives::Xmodem => {
            let mut receiver = XmodemReceiver::new();
            drive(&mut receiver, line, patience, "bytes").map_err(broken)?;
            let mut bytes = receiver.data().to_vec();
            let first = range.map_or(0, |range| range.0);
            if let Some((first, last)) = range {
                // The last block was filled up.
                bytes.truncate((last - first) as usize + 1);
                if bytes.len() <= (last - first) as usize {
                    return Err(broken(format!("it ends after {} bytes", bytes.len())));
                }
            } else {
                paint::note("the last block may be filled up; give --range to leave that out");
            }
            let cells: Vec<Cell> = bytes.into_iter().map(Cell::from).collect();
            if cells.is_empty() {
                return Err(broken("the file is empty".to_string()));
            }
            Image::from_pieces(8, vec![Segment { start: first, cells }])
                .map(|row| row.0)
                .map_err(|error| broken(error.to_string()))
        }
        Gives::Hex => {
            let mut receiver = RecordReceiver::hex();
            drive(&mut receiver, line, patience, "records").map_err(broken)?;
            records("hex", receiver.text())
        }
        Gives::Srec => {
            let mut receiver = RecordReceiver::srec();
            drive(&mut receiver, line, patience, "records").map_err(broken)?;
            records("srec", receiver.text())
        }
    }
}
