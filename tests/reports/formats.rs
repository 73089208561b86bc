//! Every format of images: there and back, what it is on paper, what damage it refuses, and a second opinion where the
//! machine has one.

use plain_byte::image::{
    FORMATS, Format, Image, Place, ReadError, Segment, Settings, boot, com, data_lines, hex, prefixed, raw,
    roms, srec, sums,
};
use proptest::prelude::*;
use std::fmt::Write as _;
use std::process::Command;

fn image(pieces: &[(u32, &[u64])]) -> Image {
    let pieces = pieces.iter().map(|&(start, cells)| Segment { start, cells: cells.to_vec() }).collect();
    Image::from_pieces(8, pieces).expect("it fits").0
}

fn settings(format: &Format, list: &[(&str, i64)]) -> Settings {
    let mut settings = Settings::default();
    for &(name, value) in list {
        settings.set(format, name, value).expect(name);
    }
    settings
}

/// The only file of a written image.
fn written(format: &Format, image: &Image, list: &[(&str, i64)]) -> Result<Vec<u8>, String> {
    let files = format.write(image, &settings(format, list)).map_err(|error| error.to_string())?;
    assert_eq!((files.len(), files[0].suffix.as_str()), (1, ""), "{}", format.name);
    Ok(files.into_iter().next().expect("one file").bytes)
}

fn told(errors: &[ReadError]) -> String {
    errors.iter().map(ReadError::to_string).collect::<Vec<_>>().join("\n")
}

/// An S-record with its length and sum put in.
fn record(kind: char, digits: &str) -> String {
    let length = digits.len() / 2 + 1;
    let mut sum = length as u8;
    for at in (0..digits.len()).step_by(2) {
        sum = sum.wrapping_add(u8::from_str_radix(&digits[at..at + 2], 16).expect("digits"));
    }
    format!("S{kind}{length:02X}{digits}{:02X}\n", !sum)
}

#[test]
fn s_records_are_written_as_their_maker_describes_them() {
    type Row<'a> = (&'a [(u32, &'a [u64])], Option<u32>, &'a str);
    let rows: &[Row<'_>] = &[
        (&[(0x100, &[1, 2, 3])], None, "S0030000FC\nS1060100010203F2\nS5030001FB\nS9030100FB\n"),
        (&[(0xFFFF, &[1, 2])], Some(0x1_0000), "S0030000FC\nS20600FFFF0102F8\nS5030001FB\nS804010000FA\n"),
        (&[(0x100_0000, &[0xAA])], None, "S0030000FC\nS30601000000AA4E\nS5030001FB\nS70501000000F9\n"),
    ];
    for &(pieces, entry, expected) in rows {
        let mut image = image(pieces);
        image.set_entry(entry);
        let file = written(&srec::FORMAT, &image, &[]).expect("it fits");
        assert_eq!(String::from_utf8(file.clone()).expect("text"), expected);
        image.set_entry(entry.or(image.bounds().map(|(first, _)| first)));
        assert_eq!(srec::read(&file), Ok(image));
    }
    let short = written(&srec::FORMAT, &image(&[(0, &[1, 2, 3])]), &[("record", 2)]).expect("it fits");
    assert_eq!(String::from_utf8_lossy(&short).matches("S1").count(), 2);
}

#[test]
fn damaged_s_records_are_told_with_their_line() {
    let good = record('1', "010055");
    let end = record('9', "0100");
    let rows = [
        ("no record", format!("hello\n{end}")),
        ("no digit", format!("{}{end}", good.replace("55", "5G"))),
        ("half a byte", format!("S1040100550\n{end}")),
        ("unknown type", format!("{}{end}", record('4', "010055"))),
        ("too short", format!("S10201FC\n{end}")),
        ("wrong length", format!("{}{end}", good.replace("S104", "S105"))),
        ("wrong sum", format!("{}{end}", good.replace("55A5", "55A6"))),
        ("a count with data", format!("{}{end}", record('5', "000155"))),
        ("wrong count", format!("{good}{}{end}", record('5', "0002"))),
        ("past the end", format!("{}{end}", record('1', "FFFF0102"))),
        ("twice", format!("{good}{good}{end}")),
        ("after the end", format!("{good}{end}{good}")),
        ("no end", good.clone()),
        ("very long", format!("S1{}\n{end}", "00".repeat(300))),
    ];
    let mut text = String::new();
    for (name, file) in rows {
        let errors = srec::read(file.as_bytes()).expect_err(name);
        let _ = writeln!(text, "{name}: {}", told(&errors));
    }
    insta::assert_snapshot!(text);
}

#[test]
fn raw_files_have_the_length_and_the_fill_that_is_wanted() {
    let two = image(&[(0x4000, &[1, 2]), (0x4004, &[5])]);
    type Row<'a> = (&'a [(&'a str, i64)], Result<&'a [u8], &'a str>);
    let rows: &[Row<'_>] = &[
        (&[], Ok(&[1, 2, 0xFF, 0xFF, 5])),
        (&[("fill", 0)], Ok(&[1, 2, 0, 0, 5])),
        (&[("length", 6), ("fill", 7)], Ok(&[1, 2, 7, 7, 5, 7])),
        (&[("first", 0x3FFE)], Ok(&[0xFF, 0xFF, 1, 2, 0xFF, 0xFF, 5])),
        (
            &[("length", 4)],
            Err("the file holds 4 bytes from 4000h on, and the program has cells at 4004h to 4004h"),
        ),
        (
            &[("first", 0x4001)],
            Err("the file holds 4 bytes from 4001h on, and the program has cells at 4000h to 4001h"),
        ),
    ];
    for &(list, expected) in rows {
        let file = written(&raw::FORMAT, &two, list);
        assert_eq!(file.as_deref(), expected.map_err(String::from).as_ref().map(|bytes| *bytes), "{list:?}");
    }
    assert_eq!(raw::read(&[1, 2], 0x100), Ok(image(&[(0x100, &[1, 2])])));
}

#[test]
fn com_programs_stand_at_100h() {
    let program = image(&[(0x100, &[0x3E, 1]), (0x104, &[0xC9])]);
    assert_eq!(written(&com::FORMAT, &program, &[]), Ok(vec![0x3E, 1, 0, 0, 0xC9]));
    let back = com::read(&[0x3E, 1, 0, 0, 0xC9]).expect("a program");
    assert_eq!((back.entry(), back.cells(), back.bounds()), (Some(0x100), 5, Some((0x100, 0x104))));
    let mut elsewhere = program.clone();
    elsewhere.set_entry(Some(0x101));
    // A forgotten origin is told by a warning; what is written would start.
    let forgotten = image(&[(0, &[0xB0, 0x4C]), (3, &[0xC3])]);
    assert_eq!(written(&com::FORMAT, &forgotten, &[]), Ok(vec![0xB0, 0x4C, 0, 0xC3]));
    for (program, problem) in [
        (image(&[(0x100, &[1]), (0x1_0000, &[1])]), "the program has cells at 10000h to 10000h"),
        (elsewhere, "starts at 100h, and this one starts at 101h"),
    ] {
        let error = written(&com::FORMAT, &program, &[]).expect_err(problem);
        assert!(error.contains(problem), "{error}");
    }
    assert!(com::read(&vec![0; 0xFF00]).is_ok());
    assert_eq!(com::read(&vec![0; 0xFF01]).expect_err("too long")[0].place, Place::Byte(0xFF00));
}

#[test]
fn boot_sectors_are_signed_and_never_longer() {
    let of = |cells: usize| Image::from_cells(8, 0x7C00, vec![0x90; cells]).expect("it fits");
    let sector = written(&boot::FORMAT, &of(3), &[]).expect("it fits");
    assert_eq!(
        (sector.len(), &sector[..4], &sector[510..]),
        (512, &[0x90, 0x90, 0x90, 0][..], &[0x55, 0xAA][..])
    );
    let filled = written(&boot::FORMAT, &of(3), &[("fill", 0xF6)]).expect("it fits");
    assert_eq!(&filled[508..], &[0xF6, 0xF6, 0x55, 0xAA]);
    assert!(written(&boot::FORMAT, &of(510), &[]).is_ok());
    for cells in [511, 512, 600] {
        let error = written(&boot::FORMAT, &of(cells), &[]).expect_err("too long");
        assert!(error.starts_with(&format!("the program is {cells} bytes long")), "{error}");
    }
    // A program that brings the signature itself is right as it is.
    let mut cells = vec![0x90; 510];
    cells.extend([0x55, 0xAA]);
    let signed = Image::from_cells(8, 0x7C00, cells).expect("it fits");
    let sector = written(&boot::FORMAT, &signed, &[]).expect("it fits");
    assert_eq!(boot::read(&sector, 0x7C00), Ok(signed));
    let damaged = |change: &dyn Fn(&mut Vec<u8>)| {
        let mut sector = sector.clone();
        change(&mut sector);
        told(&boot::read(&sector, 0).expect_err("damaged"))
    };
    assert!(damaged(&|sector| sector.truncate(100)).starts_with("byte 100: the file has 100 bytes"));
    assert!(damaged(&|sector| sector.push(0)).starts_with("byte 512: the file has 513 bytes"));
    assert!(damaged(&|sector| sector[511] = 0).starts_with("byte 510: 55h 00h stands in place"));
}

#[test]
fn prefixed_files_begin_with_their_address() {
    let program = image(&[(0x1234, &[1]), (0x1236, &[3])]);
    assert_eq!(written(&prefixed::FORMAT, &program, &[("fill", 9)]), Ok(vec![0x34, 0x12, 1, 9, 3]));
    assert_eq!(prefixed::read(&[0x34, 0x12, 1, 9, 3]), Ok(image(&[(0x1234, &[1, 9, 3])])));
    assert!(written(&prefixed::FORMAT, &image(&[(0x1_0000, &[1])]), &[]).is_err());
    for (file, place) in [(&[][..], 0), (&[1][..], 1), (&[0xFF, 0xFF, 1, 2][..], 3)] {
        assert_eq!(prefixed::read(file).expect_err("damaged")[0].place, Place::Byte(place));
    }
    assert_eq!(prefixed::read(&[1, 2]), Ok(Image::new(8).expect("it fits")));
}

#[test]
fn data_lines_are_a_program_that_checks_itself() {
    let program = image(&[(16384, &[62, 18, 118]), (20000, &(0..40).collect::<Vec<u64>>())]);
    let listing = written(&data_lines::FORMAT, &program, &[("line", 100), ("step", 5), ("width", 40)]);
    let listing = String::from_utf8(listing.expect("it fits")).expect("text");
    insta::assert_snapshot!(listing);
    assert!(listing.lines().filter(|line| line.contains(" DATA ")).all(|line| line.len() <= 40));
    assert_eq!(data_lines::read(listing.as_bytes()), Ok(program));
    // A listing typed by a person: small letters, blanks, no line numbers.
    let typed = b"data 100, 2\n data 7,\t8\nDATA 0,0,15\n";
    assert_eq!(data_lines::read(typed), Ok(image(&[(100, &[7, 8])])));
    let long = Image::from_cells(8, 0, vec![200; 60_000]).expect("it fits");
    let error =
        written(&data_lines::FORMAT, &long, &[("width", 20), ("step", 10)]).expect_err("too many lines");
    assert!(error.contains("BASIC counts to 32767"), "{error}");
}

#[test]
fn mistyped_data_lines_are_told_with_their_line() {
    let rows = [
        ("no data", "10 PRINT\n"),
        ("no number", "10 DATA 1,1\n20 DATA 6x\n"),
        ("nothing", "10 DATA 1,1,,2\n"),
        ("negative", "10 DATA -1,1\n"),
        ("no byte", "10 DATA 100,1\n20 DATA 256\n30 DATA 0,0,0\n"),
        ("cut off in a block", "10 DATA 100,3\n20 DATA 1,2\n"),
        ("cut off after a block", "10 DATA 100,1,7\n"),
        ("no sum", "10 DATA 100,1,7,0,0\n"),
        ("wrong sum", "10 DATA 100,1,7\n20 DATA 0,0,8\n"),
        ("more after", "10 DATA 100,1,7,0,0,7,1\n"),
        ("no memory", "10 DATA 99999999,1,7\n"),
        ("huge", "10 DATA 1,99999999999999999999\n"),
        ("twice", "10 DATA 100,2,1,2\n20 DATA 101,1,3,0,0,6\n"),
    ];
    let mut text = String::new();
    for (name, listing) in rows {
        let _ = writeln!(text, "{name}: {}", told(&data_lines::read(listing.as_bytes()).expect_err(name)));
    }
    insta::assert_snapshot!(text);
}

#[test]
fn rom_sets_are_split_and_put_together() {
    let program = Image::from_cells(8, 0, (0..10).collect()).expect("it fits");
    let names = |list: &[(&str, i64)]| -> Vec<(String, Vec<u8>)> {
        let files = roms::write(&program, &settings(&roms::FORMAT, list)).expect("it fits");
        files.into_iter().map(|file| (file.suffix, file.bytes)).collect()
    };
    assert_eq!(
        names(&[("size", 4), ("fill", 0)]),
        [
            ("-0".to_string(), vec![0, 1, 2, 3]),
            ("-1".to_string(), vec![4, 5, 6, 7]),
            ("-2".to_string(), vec![8, 9, 0, 0])
        ]
    );
    assert_eq!(
        names(&[("size", 8), ("lanes", 2)]),
        [
            ("-even".to_string(), vec![0, 2, 4, 6, 8, 255, 255, 255]),
            ("-odd".to_string(), vec![1, 3, 5, 7, 9, 255, 255, 255])
        ]
    );
    let suffixes: Vec<String> = names(&[("size", 2), ("lanes", 3)]).into_iter().map(|file| file.0).collect();
    assert_eq!(suffixes, ["-0-lane0", "-0-lane1", "-0-lane2", "-1-lane0", "-1-lane1", "-1-lane2"]);
    assert_eq!(names(&[("size", 16)])[0].0, "", "one chip keeps the name");
    let whole = |lanes: usize, chips: &[(String, Vec<u8>)]| {
        let chips: Vec<Vec<u8>> = chips.iter().map(|chip| chip.1.clone()).collect();
        roms::join(&chips, lanes, 0).map(|image| image.cells_at(0, 10).to_vec())
    };
    for (lanes, list) in
        [(1, [("size", 4), ("lanes", 1)]), (2, [("size", 8), ("lanes", 2)]), (3, [("size", 2), ("lanes", 3)])]
    {
        assert_eq!(whole(lanes, &names(&list)), Ok((0..10).collect()), "{lanes} lanes");
    }
    for (chips, lanes, problem) in [
        (vec![], 1, "0 files"),
        (vec![vec![1], vec![2], vec![3]], 2, "3 files are no whole number of rows of 2"),
        (vec![vec![1], vec![2, 3]], 2, "chips side by side have 1 and 2 bytes"),
    ] {
        assert!(told(&roms::join(&chips, lanes, 0).expect_err(problem)).contains(problem));
    }
    assert!(roms::write(&program, &settings(&roms::FORMAT, &[("size", 1)])).is_ok());
    let long = Image::from_cells(8, 0, vec![0; 257]).expect("it fits");
    assert!(roms::write(&long, &settings(&roms::FORMAT, &[("size", 1)])).is_err());
    assert!(
        told(&roms::FORMAT.read(&[1], &Settings::default()).expect_err("several")).contains("several files")
    );
}

#[test]
fn formats_and_settings_are_known_by_name() {
    let names: Vec<&str> = FORMATS.iter().map(|format| format.name).collect();
    assert_eq!(
        names,
        [
            "raw",
            "hex",
            "srec",
            "com",
            "exe",
            "boot",
            "prefixed",
            "data-lines",
            "roms",
            "ptape",
            "read-in",
            "block-tape",
            "cassette"
        ]
    );
    for format in FORMATS {
        assert_eq!(Format::named(&format.name.to_uppercase()), Some(*format));
        assert!(!format.about.is_empty());
        for ending in format.endings {
            assert_eq!(Format::of_ending(ending), Some(*format), "{ending}");
        }
        // Every setting it names can be made, at both ends of its range and not beyond.
        for name in format.settings {
            let &(_, least, most, _) =
                plain_byte::image::SETTINGS.iter().find(|row| row.0 == *name).expect("a known setting");
            let set = |value| Settings::default().set(format, name, value);
            assert!(set(least).is_ok() && set(most).is_ok(), "{name}");
            assert!(set(least - 1).is_err() && set(most + 1).is_err(), "{name}");
        }
        let empty = format
            .write(&Image::new(8).expect("it fits"), &Settings::default())
            .expect_err("empty")
            .to_string();
        assert_eq!(empty, "the program has no cells, so there is nothing to write");
        let (other, told) = match format.name {
            "ptape" | "read-in" => (8, "the format holds words of 12 bits, and the program has cells of 8"),
            "block-tape" => (12, "the format holds words of 36 bits, and the program has cells of 12"),
            _ => (12, "the format holds cells of 8 bits, and the program has cells of 12"),
        };
        let image = Image::from_cells(other, 0, vec![1]).expect("it fits");
        assert_eq!(format.write(&image, &Settings::default()).expect_err("other cells").to_string(), told);
    }
    let wrong = |name| Settings::default().set(&raw::FORMAT, name, 1).expect_err(name);
    assert_eq!(wrong("lenght").help, "did you mean `length`?");
    assert_eq!(wrong("colour").help, "it has first, length, fill");
    assert_eq!(Settings::default().set(&com::FORMAT, "size", 1).expect_err("size").help, "it has fill");
}

#[test]
fn sums_are_those_of_the_books() {
    let known = sums(b"123456789");
    assert_eq!((known.sum, known.crc16, known.crc32), (0x1DD, 0x31C3, 0xCBF4_3926));
    assert_eq!((sums(&[]).sum, sums(&[]).crc16, sums(&[]).crc32), (0, 0, 0));
    assert_eq!(sums(&[0xFF; 300]).sum, (0xFFu32 * 300) as u16);
}

/// Converts a file with binutils' `objcopy`; `None` where the machine has none.
fn objcopy(from: &str, to: &str, bytes: &[u8]) -> Option<Vec<u8>> {
    let folder = std::env::temp_dir().join(format!("plain-byte-{}-{from}-{to}", std::process::id()));
    std::fs::create_dir_all(&folder).ok()?;
    let (input, output) = (folder.join("in"), folder.join("out"));
    std::fs::write(&input, bytes).ok()?;
    let ran = Command::new("objcopy").args(["-I", from, "-O", to]).arg(&input).arg(&output).output();
    let converted = ran.ok().filter(|ran| ran.status.success()).and_then(|_| std::fs::read(&output).ok());
    let _ = std::fs::remove_dir_all(&folder);
    converted
}

#[test]
fn objcopy_reads_what_is_written_and_writes_what_is_read() {
    if Command::new("objcopy").arg("--version").output().is_err() {
        eprintln!("skipped: this machine has no objcopy to compare with");
        return;
    }
    let cells: Vec<u64> = (0..1000u64).map(|at| at * at % 251).collect();
    for pieces in [
        vec![(0u32, &cells[..])],
        vec![(0x100, &cells[..5]), (0x4000, &cells[..]), (0xFFF0, &cells[..16])],
        vec![(0xFFF8, &cells[..100]), (0x12_3456, &cells[..7])],
    ] {
        let program = image(&pieces);
        let to_raw = settings(&raw::FORMAT, &[("fill", 0)]);
        let bytes = raw::write(&program, &to_raw).expect("it fits");
        let no = Settings::default();
        let ours = [
            ("ihex", hex::write(&program, &no).expect("it fits")),
            ("srec", srec::write(&program, &no).expect("it fits")),
        ];
        for (name, file) in &ours {
            let theirs = objcopy(name, "binary", file).expect(name);
            assert_eq!(theirs, bytes, "{name} as objcopy reads it");
            // There and back through the other format.
            let other = if *name == "ihex" { "srec" } else { "ihex" };
            let converted = objcopy(name, other, file).expect(other);
            let read = if other == "srec" { srec::read(&converted) } else { hex::read(&converted) };
            let read = read.unwrap_or_else(|errors| panic!("{other}: {}", told(&errors)));
            assert_eq!(read.segments(), program.segments(), "{other} as objcopy writes it");
        }
    }
}

prop_compose! {
    /// An image of bytes below 64K.
    fn any_image()(
        pieces in proptest::collection::vec((0u32..0xF000, proptest::collection::vec(0u64..=255, 1..80)), 1..6),
        entry in proptest::option::of(0u32..0xFFFF),
    ) -> Image {
        let pieces = pieces.into_iter().map(|(start, cells)| Segment { start, cells }).collect();
        let mut image = Image::from_pieces(8, pieces).expect("it fits").0;
        image.set_entry(entry);
        image
    }
}

/// True where every cell of one image stands in the other.
fn holds(whole: &Image, part: &Image) -> bool {
    part.segments().iter().all(|segment| {
        (segment.start..).zip(&segment.cells).all(|(address, &cell)| whole.cell(address) == Some(cell))
    })
}

proptest! {
    #[test]
    fn images_come_back_from_every_format(image in any_image(), record in 1u32..=250, width in 20u32..=250, fill in any::<u8>()) {
        let lines = settings(&hex::FORMAT, &[("record", record.into())]);
        let start = image.start();
        let read = hex::read(&hex::write(&image, &lines).expect("it fits")).expect("it is right");
        prop_assert_eq!((read.segments(), read.start()), (image.segments(), start));
        let read = srec::read(&srec::write(&image, &lines).expect("it fits")).expect("it is right");
        prop_assert_eq!((read.segments(), read.start()), (image.segments(), start));
        let listing = data_lines::write(&image, &settings(&data_lines::FORMAT, &[("width", width.into()), ("step", 1)]));
        let read = data_lines::read(&listing.expect("it fits")).expect("it is right");
        prop_assert_eq!(read.segments(), image.segments());
        let filled = settings(&raw::FORMAT, &[("fill", fill.into())]);
        let read = prefixed::read(&prefixed::write(&image, &filled).expect("it fits")).expect("it is right");
        prop_assert!(holds(&read, &image));
        let (first, _) = image.bounds().expect("cells");
        let read = raw::read(&raw::write(&image, &filled).expect("it fits"), first).expect("it fits");
        prop_assert!(holds(&read, &image));
    }

    #[test]
    fn rom_sets_come_back(image in any_image(), size in 300u32..5000, lanes in 1u32..=4) {
        let set = settings(&roms::FORMAT, &[("size", size.into()), ("lanes", lanes.into())]);
        let chips = roms::write(&image, &set).expect("it fits");
        prop_assert!(chips.iter().all(|chip| chip.bytes.len() == size as usize));
        let chips: Vec<Vec<u8>> = chips.into_iter().map(|chip| chip.bytes).collect();
        let (first, _) = image.bounds().expect("cells");
        prop_assert!(holds(&roms::join(&chips, lanes as usize, first).expect("it is whole"), &image));
    }

    /// A single changed byte of a line format is always noticed: it is read as something else, or refused.
    #[test]
    fn a_changed_digit_never_passes(image in any_image(), at in any::<prop::sample::Index>(), digit in 0usize..16) {
        for format in [&hex::FORMAT, &srec::FORMAT] {
            let mut file = written(format, &image, &[]).expect("it fits");
            let places: Vec<usize> = (0..file.len()).filter(|&at| file[at].is_ascii_hexdigit()).collect();
            let place = places[at.index(places.len())];
            let new = b"0123456789ABCDEF"[digit];
            // The digit after S is the type; the rest is summed.
            if file[place] == new || place > 0 && file[place - 1] == b'S' {
                continue;
            }
            file[place] = new;
            prop_assert!(format.read(&file, &Settings::default()).is_err(), "{}", String::from_utf8_lossy(&file));
        }
    }

    /// Any bytes at all are read or refused with a place and with what to do.
    #[test]
    fn any_file_is_answered(bytes in proptest::collection::vec(any::<u8>(), 0..600), text in "[S0-9A-F:DAT, \n]{0,300}") {
        for format in FORMATS {
            for file in [bytes.as_slice(), text.as_bytes()] {
                match format.read(file, &Settings::default()) {
                    Ok(image) => prop_assert!(image.segments().iter().all(|one| one.cells.iter().all(|&cell| cell <= 255))),
                    Err(errors) => prop_assert!(!errors.is_empty() && errors.iter().all(|one| !one.help.is_empty())),
                }
            }
        }
    }
}
