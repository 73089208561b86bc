//! `send`: an image to a board at the end of a serial line, as Intel HEX with its echo or by XMODEM.
//!
//! A transfer that breaks off leaves a note beside the image, by which `--resume` goes on where the far side last said that it had
//! everything.

use crate::arguments::{By, SendArguments};
use crate::far_side::FarSide;
use crate::files;
use crate::open;
use crate::paint;
use crate::say::Failure;
use crate::serial::Far;
use crate::serial::log::Log;
use crate::signals;
use indicatif::{ProgressBar, ProgressStyle};
use plain_byte::image::{Image, Settings, hex};
use plain_byte::number::counted;
use plain_byte::text::{Text, Tone};
use plain_byte::transfer::{BlockSize, EchoSender, Sender, Step, XmodemSender, crc16};
use serde::{Deserialize, Serialize};
use std::time::{Duration, Instant};

/// A line that says nothing for so long has said everything.
const QUIET: Duration = Duration::from_millis(400);

/// How long the far side has for an answer to a word.
const ANSWER: Duration = Duration::from_secs(3);

/// What a broken attempt leaves after.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Unsent {
    /// Of the whole image, so that another one is not mistaken for it.
    crc: u16,
    by: String,
    /// Which stretch of the image, or 0.
    stretch: usize,
    /// Bytes of it, or lines of the text, that have arrived.
    done: usize,
}

/// A stretch of the image.
struct Stretch {
    first: u32,
    bytes: Vec<u8>,
}

impl Stretch {
    /// A word for the far side, with addresses in the places for them.
    fn word(&self, text: &str, skipped: usize, entry: u32) -> String {
        let last = self.first as usize + self.bytes.len() - 1;
        // Small letters: a capital C that is echoed would be taken for a receiver that asks.
        text.replace("{first}", &format!("{:04x}", self.first as usize + skipped))
            .replace("{last}", &format!("{last:04x}"))
            .replace("{entry}", &format!("{entry:04x}"))
    }
}

pub fn run(arguments: &SendArguments) -> Result<(), Failure> {
    signals::listen();
    let looked = open::look(&arguments.what, open::Plain::Source)?;
    let (name, image) = (looked.name.clone(), looked.image().clone());
    let stretches = stretches(&name, &image)?;
    let note = format!("{name}.unsent");
    let crc = crc16(&stretches.iter().flat_map(|one| one.bytes.iter().copied()).collect::<Vec<u8>>());
    let begin = resumed(arguments, &note, crc)?;
    let log = arguments.log.as_deref().map(Log::open).transpose()?;
    let mut line = FarSide::open(&arguments.to, arguments.baud, log.as_ref())?;
    // A receiver that waits already, to which nothing is typed, has asked for the first block.
    if arguments.words.as_deref() != Some("") {
        line.drain(Duration::from_millis(50));
    }
    let sent = match arguments.by {
        By::Hex => by_hex(arguments, &image, &mut line, begin.as_ref()),
        By::Xmodem => by_xmodem(arguments, &image, &stretches, &mut line, begin.as_ref()),
    };
    if let Err(Broken { error, stretch, done }) = sent {
        let unsent = Unsent { crc, by: by_name(arguments.by), stretch, done };
        let mut help = "look at the line, its speed and what the far side waits for".to_string();
        if stretch + done > 0 {
            let text = serde_json::to_string(&unsent).unwrap_or_default();
            files::Outputs::replacing(&note, text.as_bytes())?;
            help = "the same command with --resume goes on from there".to_string();
        }
        return Err(Failure::input(format!("{name}: {error}"), help));
    }
    let _ = std::fs::remove_file(&note);
    let entry = image.entry().unwrap_or(stretches[0].first);
    if arguments.verify {
        verify(&name, &stretches, &mut line, entry)?;
    }
    if arguments.go {
        line.write(format!("{}\r", stretches[0].word("go {entry}", 0, entry)).as_bytes())?;
    }
    if arguments.stay {
        return stay(&name, &mut line);
    }
    let mut text = Text::new();
    let bytes: usize = stretches.iter().map(|one| one.bytes.len()).sum();
    if arguments.json {
        let places: Vec<_> = stretches
            .iter()
            .map(|one| serde_json::json!({ "start": one.first, "bytes": one.bytes.len() }))
            .collect();
        return super::print_json(
            &serde_json::json!({ "sent": bytes, "stretches": places, "verified": arguments.verify }),
        );
    }
    text.line().tone(Tone::Strong, &name).put(format!(": {} sent", counted(bytes, "byte")));
    for one in &stretches {
        let last = one.first as usize + one.bytes.len() - 1;
        text.put(format!(", {:04X}..{last:04X}", one.first));
    }
    if arguments.verify {
        text.put(", and read back the same");
    }
    Ok(paint::show(&text)?)
}

/// The terminal of the far side, until somebody ends it or the line is closed.
fn stay(name: &str, line: &mut FarSide) -> Result<(), Failure> {
    paint::note(&format!("{name} is sent; this is the far side's terminal now"));
    let mut here = Far::here()?;
    let mut is_open = true;
    // Where nothing more is typed, what the far side still says is waited for.
    while !signals::was_stopped() && !here.is_ended() {
        match here.typed_within(Duration::from_millis(10)) {
            Some(typed) if !typed.is_empty() => line.write(&typed)?,
            Some(_) => {}
            None => is_open = false,
        }
        let patience = if is_open { Duration::from_millis(10) } else { QUIET };
        let mut said = Vec::new();
        let ended = loop {
            match line.take(if said.is_empty() { patience } else { Duration::ZERO }) {
                Ok(Some(byte)) => said.push(byte),
                Ok(None) => break false,
                Err(_) => break true,
            }
        };
        here.send(&said);
        if ended || !is_open && said.is_empty() {
            break;
        }
    }
    here.close();
    Ok(())
}

fn by_name(by: By) -> String {
    match by {
        By::Hex => "hex".to_string(),
        By::Xmodem => "xmodem".to_string(),
    }
}

/// The image as stretches of bytes.
fn stretches(name: &str, image: &Image) -> Result<Vec<Stretch>, Failure> {
    if image.cell_bits() != 8 || image.segments().is_empty() {
        return Err(Failure::input(
            format!("{name} has no bytes to send"),
            "name an image of a byte machine",
        ));
    }
    let stretch = |start: u32, cells: &[u64]| Stretch {
        first: start,
        bytes: cells.iter().map(|&cell| cell as u8).collect(),
    };
    Ok(image.segments().iter().map(|one| stretch(one.start, &one.cells)).collect())
}

/// Where a broken attempt has come to.
fn resumed(arguments: &SendArguments, note: &str, crc: u16) -> Result<Option<Unsent>, Failure> {
    if !arguments.resume {
        return Ok(None);
    }
    let none = |why: &str| {
        Failure::input(format!("there is nothing to go on with: {why}"), "send it from the beginning")
    };
    let text = std::fs::read_to_string(note).map_err(|_| none("no attempt was broken off"))?;
    let unsent: Unsent = serde_json::from_str(&text).map_err(|_| none("its note cannot be read"))?;
    if unsent.crc != crc {
        return Err(none("the image is another one now"));
    }
    if unsent.by != by_name(arguments.by) {
        return Err(none(&format!("it was sent with --by {}", unsent.by)));
    }
    Ok(Some(unsent))
}

/// A transfer that broke off, and how far it had come.
struct Broken {
    error: String,
    stretch: usize,
    done: usize,
}

fn by_hex(
    arguments: &SendArguments,
    image: &Image,
    line: &mut FarSide,
    begin: Option<&Unsent>,
) -> Result<(), Broken> {
    let broken = |error: String, done| Broken { error, stretch: 0, done };
    let written =
        hex::FORMAT.write(image, &Settings::default()).map_err(|error| broken(error.to_string(), 0))?;
    let text = String::from_utf8_lossy(&written[0].bytes).into_owned();
    let from = begin.map_or(0, |unsent| unsent.done);
    prepare(arguments.words.as_deref().unwrap_or("load"), line).map_err(|error| broken(error, from))?;
    let mut sender = EchoSender::new(&text, from, !arguments.no_echo);
    let pace = Duration::from_millis(arguments.pace);
    drive(&mut sender, line, [pace, give_up(arguments)], "lines")
        .map_err(|error| broken(error, sender.line()))?;
    // What the far side says to it is the answer to its end.
    line.drain(QUIET);
    Ok(())
}

fn by_xmodem(
    arguments: &SendArguments,
    image: &Image,
    stretches: &[Stretch],
    line: &mut FarSide,
    begin: Option<&Unsent>,
) -> Result<(), Broken> {
    let size = if arguments.blocks == 1024 { BlockSize::Large } else { BlockSize::Small };
    let words = arguments.words.as_deref().unwrap_or("receive {first}");
    let entry = image.entry().unwrap_or(stretches[0].first);
    let (skip, done) = begin.map_or((0, 0), |unsent| (unsent.stretch, unsent.done));
    for (number, stretch) in stretches.iter().enumerate().skip(skip) {
        let done = if number == skip { done.min(stretch.bytes.len() - 1) } else { 0 };
        let broken = |error: String, more: usize| Broken { error, stretch: number, done: done + more };
        if done > 0 && !words.contains("{first}") {
            let error = "a receiver that is not told an address begins at the beginning".to_string();
            return Err(broken(error, 0));
        }
        if !words.is_empty() {
            let word = stretch.word(words, done, entry);
            line.write(format!("{word}\r").as_bytes()).map_err(|error| broken(error.sentence(), 0))?;
        }
        let mut sender = XmodemSender::new(stretch.bytes[done..].to_vec(), size);
        drive(&mut sender, line, [Duration::ZERO, give_up(arguments)], "bytes")
            .map_err(|error| broken(error, sender.progress().0))?;
        line.drain(QUIET * 5);
    }
    Ok(())
}

/// Types a word and waits until the far side has said what it says to it.
fn prepare(word: &str, line: &mut FarSide) -> Result<(), String> {
    if !word.is_empty() {
        line.write(format!("{word}\r").as_bytes()).map_err(|error| error.sentence())?;
        line.drain(QUIET);
    }
    Ok(())
}

/// A transfer in which nothing moves for so long is over.
fn give_up(arguments: &SendArguments) -> Duration {
    Duration::from_secs(arguments.give_up)
}

/// Does what a sender says until it is done.
pub fn drive(
    sender: &mut dyn Sender,
    line: &mut FarSide,
    [pace, give_up]: [Duration; 2],
    what: &str,
) -> Result<(), String> {
    let bar = ProgressBar::new(sender.progress().1 as u64);
    // How much will come is not known to who receives it.
    let template = match sender.progress().1 {
        0 => format!("{{spinner}} {{pos}} {what}, {{elapsed}}"),
        _ => format!("{{bar:40}} {{pos}} of {{len}} {what}, {{eta}} left"),
    };
    if let Ok(style) = ProgressStyle::with_template(&template) {
        bar.set_style(style);
    }
    let mut moved = (sender.progress().0, Instant::now());
    let result = loop {
        let done = sender.progress().0;
        bar.set_position(done as u64);
        if done != moved.0 {
            moved = (done, Instant::now());
        } else if moved.1.elapsed() > give_up {
            break Err(format!("nothing more was taken for {} s", give_up.as_secs()));
        }
        if signals::was_stopped() {
            break Err("the operator stopped it".to_string());
        }
        match sender.step() {
            Step::Send(bytes) => {
                if let Err(error) = line.write(&bytes) {
                    break Err(error.sentence());
                }
                std::thread::sleep(pace);
            }
            Step::Wait => match line.take(Duration::from_millis(sender.patience())) {
                Ok(Some(byte)) => sender.take(byte),
                Ok(None) => sender.silence(),
                Err(error) => break Err(error.sentence()),
            },
            Step::Done => break Ok(()),
            Step::Failed(error) => break Err(error.to_string()),
        }
    };
    bar.finish_and_clear();
    result
}

/// Asks the far side for a checksum of each stretch.
fn verify(name: &str, stretches: &[Stretch], line: &mut FarSide, entry: u32) -> Result<(), Failure> {
    for stretch in stretches {
        let word = stretch.word("crc {first} {last}", 0, entry);
        line.write(format!("{word}\r").as_bytes())?;
        let answer = String::from_utf8_lossy(&line.answer(ANSWER, QUIET)?).into_owned();
        // After the echo of the word.
        let words = answer.split_once('\n').map_or("", |(_, answer)| answer).split_whitespace();
        let found =
            words.clone().find_map(|word| u16::from_str_radix(word, 16).ok().filter(|_| word.len() == 4));
        let own = crc16(&stretch.bytes);
        match found {
            Some(crc) if crc == own => {}
            Some(crc) => {
                let message = format!(
                    "{name}: what stands at {:04X} on the far side is not what was sent: its CRC is {crc:04X}, wanted {own:04X}",
                    stretch.first
                );
                return Err(Failure::input(message, "send it again, slower"));
            }
            None => {
                let message = format!("{name}: the far side gave no CRC to `{word}`");
                return Err(Failure::input(message, "leave --verify out where its monitor has no such word"));
            }
        }
    }
    Ok(())
}
