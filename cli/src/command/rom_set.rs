//! `burn set`: the chips of a whole board.

use super::{burn, drawing};
use crate::arguments::BurnArguments;
use crate::chips::{bytes_of, sides};
use crate::files::{self, Outputs};
use crate::open;
use crate::paint;
use crate::say::Failure;
use plain_byte::diagnostic::Problem;
use plain_byte::image::Image;
use plain_byte::number::thousands;
use plain_byte::prom::{ReadBack, RomSet};
use plain_byte::report;
use plain_byte::text::{Text, Tone};
use std::path::Path;

pub fn run(arguments: &BurnArguments) -> Result<(), Failure> {
    let Some(name) = &arguments.chip else {
        return Err(Failure::usage("no set is named", "name its file: `plainbyte burn set horn.roms.toml`"));
    };
    let name = files::find(name, &["roms.toml", "toml"]);
    let text = String::from_utf8(files::must_read(&name)?).map_err(|_| {
        Failure::input(format!("{name} is not text"), "docs/burn.md describes the file of a set")
    })?;
    let folder = Path::new(&name).parent().map(Path::to_path_buf).unwrap_or_default();
    let mut image = |file: &str| -> Result<Image, Problem> {
        let path = folder.join(file).to_string_lossy().into_owned();
        open::image(&path, None, 0).map_err(|failure| failure.sentence().into())
    };
    let set = RomSet::read(&text, &mut image)
        .map_err(|refusal| Failure::input(format!("{name}: {}", refusal.problem), refusal.help))?;
    let mut outputs = Outputs::default();
    if let Some(folder) = &arguments.folder {
        std::fs::create_dir_all(folder).map_err(|error| {
            Failure::input(format!("{folder} cannot be made: {error}"), "name another folder")
        })?;
        for chip in &set.chips {
            outputs.add(
                Path::new(folder).join(format!("{}.bin", chip.socket)).to_string_lossy(),
                chip.cells.as_slice(),
            );
        }
    }
    outputs.write()?;
    // What was just written may be compared, too.
    let compared = compared(&set, arguments)?;
    if let Some(file) = &arguments.labels {
        let day = burn::now();
        drawing::save(file, &report::rom_labels(&set, day.split(' ').next().unwrap_or_default()))?;
    }
    let differs = compared.iter().any(|row| row.1 != ReadBack::Same);
    if arguments.json {
        super::print_json(&facts(&set, &compared))?;
    } else {
        let mut text = report::rom_set(&set);
        for (socket, read) in &compared {
            told(&mut text, socket, read);
        }
        let labels = arguments.labels.iter().map(String::as_str);
        for file in outputs.names().chain(labels) {
            text.line().tone(Tone::Faint, "  wrote ").put(file);
        }
        paint::show(&text)?;
    }
    if differs { Err(Failure::Said(1)) } else { Ok(()) }
}

/// What was read from the chips, each held against the set.
fn compared(set: &RomSet, arguments: &BurnArguments) -> Result<Vec<(String, ReadBack)>, Failure> {
    let mut compared = Vec::new();
    for pair in &arguments.compare {
        let (socket, file) = sides("--compare", pair, "--compare U4=read.bin")?;
        let size = set.chips.iter().find(|chip| chip.socket == socket).map_or(0, |chip| chip.part.bytes);
        let read = set.compare(socket, &bytes_of(file, size)?).ok_or_else(|| {
            let sockets: Vec<&str> = set.chips.iter().map(|chip| chip.socket.as_str()).collect();
            Failure::usage(
                format!("the set has no socket `{socket}`"),
                format!("it has {}", sockets.join(", ")),
            )
        })?;
        compared.push((socket.to_string(), read));
    }
    Ok(compared)
}

fn told(text: &mut Text, socket: &str, read: &ReadBack) {
    text.line().tone(Tone::Strong, format!("{socket}  "));
    match read {
        ReadBack::Same => text.put("holds what it should"),
        ReadBack::Blank => text.tone(Tone::Wrong, "is blank"),
        ReadBack::Swapped(other) => text.tone(Tone::Wrong, format!("holds what belongs into {other}")),
        ReadBack::Size(bytes) => {
            text.tone(Tone::Wrong, format!("has {} bytes: it is another part", thousands(*bytes as u64)))
        }
        ReadBack::Differs(places) => {
            let first = places.iter().take(report::MOST_DIFFERENCES);
            let first: Vec<String> = first
                .map(|(at, is, should)| format!("{at:04X}h holds {is:02X}h in place of {should:02X}h"))
                .collect();
            let more = places.len().saturating_sub(report::MOST_DIFFERENCES);
            let more = if more > 0 { format!(", and {more} more") } else { String::new() };
            text.tone(Tone::Wrong, format!("differs: {}{more}", first.join(", ")))
        }
    };
}

fn facts(set: &RomSet, compared: &[(String, ReadBack)]) -> serde_json::Value {
    let chips = set.chips.iter().map(|chip| {
        let banks = chip.banks.iter().map(|bank| {
            serde_json::json!({
                "image": bank.image, "cells": [bank.cells.0, bank.cells.1],
                "addresses": [bank.addresses.0, bank.addresses.1], "lane": bank.lane.0, "lanes": bank.lane.1,
                "used": bank.used,
            })
        });
        let banks: Vec<_> = banks.collect();
        serde_json::json!({ "socket": chip.socket, "part": chip.part.name, "used": chip.used(), "sums": chip.sums(), "banks": banks })
    });
    let chips: Vec<_> = chips.collect();
    let compared = compared.iter().map(|(socket, read)| {
        let (found, places) = match read {
            ReadBack::Same => ("same".to_string(), 0),
            ReadBack::Blank => ("blank".to_string(), 0),
            ReadBack::Swapped(other) => (format!("chip of {other}"), 0),
            ReadBack::Size(bytes) => (format!("{} bytes", thousands(*bytes as u64)), 0),
            ReadBack::Differs(places) => ("differs".to_string(), places.len()),
        };
        serde_json::json!({ "socket": socket, "found": found, "places": places })
    });
    let compared: Vec<_> = compared.collect();
    serde_json::json!({ "name": set.name, "sums": set.sums(), "chips": chips, "compared": compared })
}
