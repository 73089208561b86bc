//! An image format of one's own: written, asked for in a source, read back. `cargo run --example format`.
//!
//! The lamp cards of Skerrow Rock: a line to a cell, its address and eight holes, `o` where one is punched.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::image::{Format, Image, Place, ReadError, Segment, Settings, WriteError, Written};
use std::error::Error;

static LAMP_CARD: Format = Format {
    name: "lamp-card",
    about: "a line of eight holes to a cell",
    tape: false,
    endings: &["card"],
    settings: &[],
    write,
    read,
};

fn write(image: &Image, _: &Settings) -> Result<Vec<Written>, WriteError> {
    if image.cell_bits() != 8 {
        return Err(WriteError::Refused("a lamp card has room for eight holes in a line".to_string()));
    }
    let mut card = String::new();
    for segment in image.segments() {
        for (address, cell) in (segment.start..).zip(&segment.cells) {
            let holes: String =
                (0..8).rev().map(|bit| if cell >> bit & 1 == 0 { '.' } else { 'o' }).collect();
            card += &format!("{address:04X} {holes}\n");
        }
    }
    Ok(Written::only(card.into_bytes()))
}

fn read(file: &[u8], _: &Settings) -> Result<Image, Vec<ReadError>> {
    let wrong = |line: usize, problem: &str| ReadError {
        place: Place::Line(line + 1),
        problem: problem.to_string(),
        help: "write an address and eight holes: 0100 ..oo..oo".to_string(),
    };
    let cell = |(number, line): (usize, &str)| {
        let (address, holes) = line.split_once(' ').ok_or_else(|| wrong(number, "there are no holes"))?;
        let start = u32::from_str_radix(address, 16).map_err(|_| wrong(number, "there is no address"))?;
        if holes.len() != 8 || !holes.bytes().all(|hole| matches!(hole, b'.' | b'o')) {
            return Err(wrong(number, "the holes are not eight"));
        }
        let cell = holes.bytes().fold(0, |cell, hole| cell << 1 | u64::from(hole == b'o'));
        Ok(Segment { start, cells: vec![cell] })
    };
    let text = str::from_utf8(file).map_err(|error| vec![wrong(0, &error.to_string())])?;
    let pieces: Result<Vec<Segment>, ReadError> = text.lines().enumerate().map(cell).collect();
    let image = Image::from_pieces(8, pieces.map_err(|error| vec![error])?);
    image.map(|(image, _)| image).map_err(|error| vec![wrong(0, &error.to_string())])
}

/// What the example says.
pub fn example() -> Result<String, Box<dyn Error>> {
    let source = "        cpu 8080
        org 100h
        image lamp-card, \"flash.card\"
        mvi a, 0F0h
        out 10h
        hlt
";
    let options = Options::default().format(&LAMP_CARD);
    let assembly = assemble("flash.asm", &mut Texts::one("flash.asm", source), &options);
    let mut told = String::new();
    for asked in &assembly.images {
        let written = asked.format.write(&assembly.image, &asked.settings)?;
        told += &format!("{}:\n{}", asked.file, str::from_utf8(&written[0].bytes)?);
        let back =
            asked.format.read(&written[0].bytes, &asked.settings).map_err(|errors| errors[0].clone())?;
        assert_eq!(back.segments(), assembly.image.segments());
    }
    let torn = LAMP_CARD.read(b"0100 ..oo..oo\n0101 ..oo\n", &Settings::default());
    told += &format!("a torn card: {}\n", torn.expect_err("four holes are missing")[0]);
    Ok(told)
}

#[allow(dead_code)]
fn main() -> Result<(), Box<dyn Error>> {
    print!("{}", example()?);
    Ok(())
}
