//! `burn`: a programmer for memory chips that live in files.

use super::build::parse_output;
use super::rom_set;
use crate::arguments::{BurnArguments, BurnDeed};
use crate::chips::load;
use crate::files::{self, Outputs};
use crate::open;
use crate::paint;
use crate::say::Failure;
use crate::signals;
use indicatif::ProgressBar;
use plain_byte::diagnostic::nearest;
use plain_byte::image::{Format, Image, Segment, raw, sums};
use plain_byte::number::thousands;
use plain_byte::prom::{Chip, Kind, Landing, Programming, Refusal, landing, part, parts};
use plain_byte::report::inspect;
use plain_byte::text::{Text, Tone};
use std::io::{BufRead, IsTerminal, Write};

/// Bytes at the end of a chip that are shown.
const LAST: usize = 16;
/// Differences beyond these are counted.
const MOST_SHOWN: usize = 8;

pub fn run(arguments: &BurnArguments) -> Result<(), Failure> {
    if arguments.deed == BurnDeed::Parts {
        return list(arguments);
    }
    if arguments.deed == BurnDeed::Set {
        return rom_set::run(arguments);
    }
    let file = chip_file(arguments)?;
    let wants_image = matches!(arguments.deed, BurnDeed::Program | BurnDeed::Verify);
    if arguments.image.is_some() != wants_image {
        let (problem, help) = match wants_image {
            true => {
                ("no image is named", "name it after the chip: `plainbyte burn program fog.chip fog.hex`")
            }
            false => ("only `program` and `verify` take an image", "leave it out"),
        };
        return Err(Failure::usage(problem, help));
    }
    match arguments.deed {
        BurnDeed::New => new(arguments, &file),
        BurnDeed::Program => program(arguments, &file, load(&file)?),
        BurnDeed::Verify => verify(arguments, load(&file)?),
        BurnDeed::Blank => blank(arguments, &load(&file)?),
        BurnDeed::Erase => erase(arguments, &file, load(&file)?),
        BurnDeed::Lock => lock(arguments, &file, load(&file)?),
        BurnDeed::Read => read(arguments, &load(&file)?),
        BurnDeed::Identify | BurnDeed::Parts | BurnDeed::Set => identify(arguments, &load(&file)?),
    }
}

fn refused(refusal: Refusal) -> Failure {
    Failure::input(refusal.problem, refusal.help)
}

/// The file of the chip, whose ending may be left out.
fn chip_file(arguments: &BurnArguments) -> Result<String, Failure> {
    let name = arguments.chip.as_ref();
    let name = name.ok_or_else(|| {
        Failure::usage("no chip is named", "name its file: `plainbyte burn identify fog.chip`")
    })?;
    let has_ending = std::path::Path::new(name).extension().is_some();
    match arguments.deed == BurnDeed::New && !has_ending {
        true => Ok(format!("{name}.chip")),
        false => Ok(files::find(name, &["chip"])),
    }
}

/// The time of day, as it is noted on a chip: year, month, day, hour and minute of UTC.
pub fn now() -> String {
    let seconds =
        std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).map_or(0, |since| since.as_secs());
    let (days, rest) = ((seconds / 86_400) as i64, seconds % 86_400);
    // Days since the first of March of the year 0, in eras of 400 years.
    let shifted = days + 719_468;
    let (era, of_era) = (shifted.div_euclid(146_097), shifted.rem_euclid(146_097));
    let year = (of_era - of_era / 1_460 + of_era / 36_524 - of_era / 146_096) / 365;
    let of_year = of_era - (365 * year + year / 4 - year / 100);
    let month = (5 * of_year + 2) / 153;
    let day = of_year - (153 * month + 2) / 5 + 1;
    let (month, year) = (if month < 10 { month + 3 } else { month - 9 }, year + era * 400);
    let year = year + i64::from(month <= 2);
    format!("{year:04}-{month:02}-{day:02} {:02}:{:02}", rest / 3600, rest % 3600 / 60)
}

fn save(file: &str, mut chip: Chip, what: impl Into<String>) -> Result<Chip, Failure> {
    chip.note(now(), what);
    Outputs::replacing(file, chip.to_file().as_bytes())?;
    Ok(chip)
}

fn kind_text(kind: Kind) -> &'static str {
    match kind {
        Kind::Uv => "erased by ultraviolet light",
        Kind::Eeprom => "any byte can be written",
        Kind::Flash => "erased by sectors",
        Kind::PageFlash => "sectors written as a whole",
    }
}

fn list(arguments: &BurnArguments) -> Result<(), Failure> {
    if arguments.json {
        let rows: Vec<_> = parts()
            .iter()
            .map(|one| serde_json::json!({ "name": one.name, "bytes": one.bytes, "sheet": one.sheet }))
            .collect();
        return super::print_json(&serde_json::json!({ "parts": rows }));
    }
    let mut text = Text::new();
    for one in parts() {
        text.line().tone(Tone::Strong, format!("{:8}", one.name));
        text.put(format!("{:>8} bytes  {:27}  ", thousands(one.bytes.into()), kind_text(one.kind)));
        text.tone(Tone::Faint, &one.sheet);
    }
    Ok(paint::show(&text)?)
}

fn new(arguments: &BurnArguments, file: &str) -> Result<(), Failure> {
    let Some(name) = &arguments.part else {
        return Err(Failure::usage(
            "a new chip is of some part",
            "say which: `--part 27256`; `plainbyte burn parts` lists them",
        ));
    };
    let part = part(name).ok_or_else(|| {
        let near = nearest(name, parts().iter().map(|one| one.name.as_str()));
        let help = near.map_or("`plainbyte burn parts` lists them".to_string(), |near| {
            format!("did you mean `{near}`?")
        });
        Failure::usage(format!("there is no part `{name}` here"), help)
    })?;
    if std::path::Path::new(file).exists() {
        return Err(Failure::input(format!("{file} exists already"), "choose another name"));
    }
    let mut chip = Chip::new(part);
    chip.set_label(arguments.label.clone().unwrap_or_default());
    chip.note(now(), "taken out of its tube");
    files::must_write(file, chip.to_file().as_bytes())?;
    shown(arguments, &chip, &format!("{file}: a new {}, {} bytes", part.name, thousands(part.bytes.into())))
}

/// What a person is told at the end, or the state of the chip as JSON.
fn shown(arguments: &BurnArguments, chip: &Chip, sentence: &str) -> Result<(), Failure> {
    if arguments.json {
        return super::print_json(&facts(chip));
    }
    Ok(paint::report(&Text::plain(sentence))?)
}

fn facts(chip: &Chip) -> serde_json::Value {
    let sums = sums(chip.cells());
    let done: Vec<_> =
        chip.deeds().iter().map(|one| serde_json::json!({ "when": one.when, "what": one.what })).collect();
    serde_json::json!({
        "part": chip.part().name, "bytes": chip.part().bytes, "label": chip.label(), "blank": chip.first_written().is_none(),
        "erased": chip.erased(), "programmed": chip.programmed(), "locked": chip.is_locked(),
        "sum": sums.sum, "crc32": sums.crc32, "done": done,
    })
}

fn identify(arguments: &BurnArguments, chip: &Chip) -> Result<(), Failure> {
    if arguments.json {
        return super::print_json(&facts(chip));
    }
    let part = chip.part();
    let mut text = Text::new();
    text.line().tone(Tone::Strong, &part.name).put(format!(
        "  {} bytes, {}",
        thousands(part.bytes.into()),
        kind_text(part.kind)
    ));
    text.line().tone(Tone::Faint, format!("  {}", part.sheet));
    match part.signature {
        Some([maker, device]) => {
            text.line().put(format!("  it answers with maker {maker:02X}h, device {device:02X}h"))
        }
        None => text.line().put("  it has no signature to answer with: what is printed on it counts"),
    };
    if !chip.label().is_empty() {
        text.line().put(format!("  label: {}", chip.label()));
    }
    let sums = sums(chip.cells());
    match chip.first_written() {
        None => text.line().put("  blank"),
        Some(at) => text
            .line()
            .put(format!("  written from {at:04X}h on, sum {:04X}h, CRC-32 {:08X}h", sums.sum, sums.crc32)),
    };
    let times = |count: u32, what: &str| match count {
        1 => format!("{what} once"),
        count => format!("{what} {count} times"),
    };
    text.line().put(format!(
        "  {}, {}",
        times(chip.programmed(), "programmed"),
        times(chip.erased(), "erased")
    ));
    if chip.is_worn() {
        text.tone(Tone::Wrong, format!("; its data sheet promises {}", thousands(part.erasures.into())));
    }
    if chip.is_locked() {
        text.line().put("  locked against writing");
    }
    for deed in chip.deeds() {
        text.line().tone(Tone::Faint, format!("  {}  {}", deed.when, deed.what));
    }
    Ok(paint::show(&text)?)
}

fn blank(arguments: &BurnArguments, chip: &Chip) -> Result<(), Failure> {
    match chip.first_written() {
        None => shown(arguments, chip, "the chip is blank"),
        Some(at) => Err(Failure::input(
            format!("the chip is not blank: the cell {at:04X}h holds {:02X}h", chip.cells()[at as usize]),
            "erase it: `plainbyte burn erase CHIP`",
        )),
    }
}

/// An address on the command line.
fn address(name: &str, text: Option<&str>) -> Result<Option<u32>, Failure> {
    let Some(text) = text else { return Ok(None) };
    let value = open::number(name, text, None, &plain_byte::assembler::NoNames)?;
    let wrong =
        || Failure::usage(format!("{name} {text} is not an address"), "give an address such as 0F000h");
    u32::try_from(value).map(Some).map_err(|_| wrong())
}

/// The image, and where it comes to lie in the chip.
fn placed(arguments: &BurnArguments, chip: &Chip) -> Result<(String, Image, Landing), Failure> {
    let name = files::find(arguments.image.as_deref().unwrap_or_default(), open::IMAGE_ENDINGS);
    let at = address("--at", arguments.at.as_deref())?;
    let image = open::image(&name, at, 0)?;
    let base = address("--base", arguments.base.as_deref())?;
    let mut landing = landing(&image, chip.part().bytes, base).map_err(refused)?;
    let ending = std::path::Path::new(&name).extension().and_then(|one| one.to_str()).unwrap_or_default();
    let has_addresses = Format::of_ending(ending).is_some_and(|format| *format != raw::FORMAT);
    if !has_addresses && at.is_none() && landing.bytes.len() != chip.cells().len() {
        let doubt = "the file has no addresses, and does not fill the chip; it would stand at its beginning, `--at` says otherwise";
        landing.doubts.push(doubt.to_string());
    }
    Ok((name, image, landing))
}

fn program(arguments: &BurnArguments, file: &str, mut chip: Chip) -> Result<(), Failure> {
    let (name, image, landing) = placed(arguments, &chip)?;
    let plan = Programming::plan(&chip, &landing.bytes).map_err(refused)?;
    let mut text = Text::new();
    let (first, last) = landing.places;
    let count = thousands(landing.bytes.len() as u64);
    text.line().tone(Tone::Strong, &name).put(format!(
        ": {count} bytes at {:04X}..{:04X} go to the places {first:04X}..{last:04X} of the {}",
        landing.base + first,
        landing.base + last,
        chip.part().name
    ));
    text.line().tone(Tone::Faint, format!("  {} cells change", thousands(plan.changes as u64)));
    for doubt in &landing.doubts {
        text.line().tone(Tone::Live, format!("  {doubt}"));
    }
    if !arguments.json {
        paint::report(&text)?;
    }
    if !landing.doubts.is_empty() && !arguments.sure && !agrees()? {
        return Err(Failure::input(
            "nothing was burnt",
            "say `--base ADDRESS` for where the chip begins in memory, or `--sure`",
        ));
    }
    let bar = if std::io::stderr().is_terminal() {
        ProgressBar::new(plan.pages() as u64)
    } else {
        ProgressBar::hidden()
    };
    let ran = plan.run(&mut chip, &mut |done| {
        bar.set_position(done as u64);
        !signals::was_stopped()
    });
    bar.finish_and_clear();
    let what = match &ran {
        Ok(()) => format!("programmed {count} bytes at {first:04X}h from {name}"),
        Err(broken) => broken.problem.clone(),
    };
    let chip = save(file, chip, what)?;
    ran.map_err(refused)?;
    let wrong = Programming::differences(&chip, &landing.bytes);
    if let Some(failure) = differing(&wrong) {
        return Err(failure);
    }
    if arguments.json {
        return super::print_json(&facts(&chip));
    }
    let mut text = Text::plain(format!("{file}: burnt and read back the same"));
    // What a person looks at twice: the end of the chip, where vectors stand.
    let end = &chip.cells()[chip.cells().len() - LAST..];
    let bytes: Vec<String> = end.iter().map(|byte| format!("{byte:02X}")).collect();
    text.line().tone(Tone::Faint, format!("  {:04X}: ", chip.cells().len() - LAST)).put(bytes.join(" "));
    let set = match (&arguments.cpu, &arguments.board) {
        (Some(cpu), _) => Some(open::cpu(cpu)?),
        (None, Some(board)) => Some(open::board(board, None)?.board.set),
        _ => None,
    };
    for vector in set.map(|set| inspect(&image, Some(set), &[]).vectors).unwrap_or_default() {
        let text_of = if vector.empty { "nothing".to_string() } else { vector.text };
        text.line().tone(Tone::Faint, format!("  {:10}", vector.name)).put(text_of);
    }
    Ok(paint::report(&text)?)
}

/// Asks whoever sits there; where nobody does, the answer is no.
fn agrees() -> Result<bool, Failure> {
    if !std::io::stdin().is_terminal() {
        return Ok(false);
    }
    eprint!("burn it all the same? [y/N] ");
    std::io::stderr().flush()?;
    let mut line = String::new();
    std::io::stdin().lock().read_line(&mut line)?;
    Ok(line.trim().eq_ignore_ascii_case("y"))
}

fn differing(wrong: &[(u32, u8, u8)]) -> Option<Failure> {
    let first: Vec<String> = wrong
        .iter()
        .take(MOST_SHOWN)
        .map(|(at, is, should)| format!("{at:04X}h holds {is:02X}h in place of {should:02X}h"))
        .collect();
    let more = wrong.len().saturating_sub(MOST_SHOWN);
    let more = if more > 0 { format!(", and {more} more") } else { String::new() };
    let help = "erase the chip and program it again; look at --base where everything differs";
    (!wrong.is_empty())
        .then(|| Failure::input(format!("the chip is not the same: {}{more}", first.join(", ")), help))
}

fn verify(arguments: &BurnArguments, chip: Chip) -> Result<(), Failure> {
    let (name, _, landing) = placed(arguments, &chip)?;
    match differing(&Programming::differences(&chip, &landing.bytes)) {
        Some(failure) => Err(failure),
        None => shown(
            arguments,
            &chip,
            &format!("the chip holds {name}: {} bytes the same", thousands(landing.bytes.len() as u64)),
        ),
    }
}

fn erase(arguments: &BurnArguments, file: &str, mut chip: Chip) -> Result<(), Failure> {
    let sector = address("--sector", arguments.sector.as_deref())?;
    let by_lamp = chip.part().kind == Kind::Uv;
    if by_lamp && sector.is_some() {
        return Err(Failure::input("the lamp shines on the whole chip", "leave --sector out"));
    }
    let minutes = arguments.minutes.unwrap_or(20);
    let done = if by_lamp { chip.expose(minutes) } else { chip.erase(sector) };
    if !done {
        let (problem, help) = match chip.is_locked() {
            true => {
                ("the chip is locked against writing", "unlock it first: `plainbyte burn lock CHIP --off`")
            }
            false => ("the chip has no such sector", "its sectors are in `plainbyte burn parts`"),
        };
        return Err(Failure::input(problem, help));
    }
    let what = match (by_lamp, sector) {
        (true, _) => format!("{minutes} minutes under the lamp"),
        (false, Some(at)) => format!("erased the sector of {at:04X}h"),
        (false, None) => "erased".to_string(),
    };
    let chip = save(file, chip, what)?;
    if by_lamp && chip.first_written().is_some() {
        let help = "leave it there longer: 20 minutes do";
        return Err(Failure::input("the chip is not blank yet: some bits came back, others not", help));
    }
    shown(
        arguments,
        &chip,
        &format!("{file}: {}", if sector.is_some() { "the sector is erased" } else { "blank" }),
    )
}

fn lock(arguments: &BurnArguments, file: &str, mut chip: Chip) -> Result<(), Failure> {
    if !chip.lock(!arguments.off) {
        let name = &chip.part().name;
        return Err(Failure::input(format!("a {name} has no lock"), "the 28C64, 28C256 and 29C256 have one"));
    }
    let what = if arguments.off { "unlocked" } else { "locked" };
    let chip = save(file, chip, what)?;
    shown(arguments, &chip, &format!("{file}: {what}"))
}

/// What the chip holds, as an image.
fn read(arguments: &BurnArguments, chip: &Chip) -> Result<(), Failure> {
    let base = address("--base", arguments.base.as_deref())?.unwrap_or(0);
    let cells = chip.cells().iter().map(|&byte| byte.into()).collect();
    let (image, _) = Image::from_pieces(8, vec![Segment { start: base, cells }])
        .map_err(|error| Failure::usage(error.to_string(), "give a lower --base"))?;
    if arguments.output.is_empty() {
        return Err(Failure::usage("nothing says what to write", "name it: `--output hex:read.hex`"));
    }
    let mut outputs = Outputs::default();
    for output in &arguments.output {
        parse_output(output)?
            .files(&image)?
            .iter()
            .for_each(|(file, bytes)| outputs.add(file, bytes.as_slice()));
    }
    outputs.write()?;
    match outputs.prints() {
        true => Ok(()),
        false => shown(arguments, chip, &format!("{} bytes read", thousands(chip.cells().len() as u64))),
    }
}
