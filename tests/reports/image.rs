//! Images and their formats: there and back, and every damage told with its line.

use plain_byte::image::{FORMATS, Format, Image, Place, ReadError, Segment, Settings, Start, hex, raw};
use proptest::prelude::*;

fn line(digits: &str) -> String {
    let bytes: Vec<u8> = (0..digits.len() / 2)
        .map(|at| u8::from_str_radix(&digits[2 * at..2 * at + 2], 16).expect("hex digits"))
        .collect();
    let sum = bytes.iter().fold(0u8, |sum, byte| sum.wrapping_sub(*byte));
    format!(":{digits}{sum:02X}\n")
}

fn told(file: &str) -> String {
    match hex::read(file.as_bytes()) {
        Ok(image) => format!("read: {image:X?}"),
        Err(errors) => errors.iter().map(ReadError::to_string).collect::<Vec<_>>().join("\n"),
    }
}

#[test]
fn intel_hex_is_written_as_its_makers_describe_it() {
    let pieces = vec![
        Segment { start: 0x4000, cells: (0..18).collect() },
        Segment { start: 0xFFFE, cells: vec![1, 2, 3, 4] },
        Segment { start: 0x12_3456, cells: vec![0xAA] },
    ];
    let (mut image, overlaps) = Image::from_pieces(8, pieces).expect("it fits");
    assert!(overlaps.is_empty());
    image.set_entry(Some(0x4002));
    let file = String::from_utf8(hex::write(&image, &Settings::default()).expect("it can be written"))
        .expect("text");
    insta::assert_snapshot!(file);
    assert_eq!(hex::read(file.as_bytes()), Ok(image));
}

#[test]
fn every_kind_of_record_is_read() {
    type Row<'a> = (&'a [&'a str], &'a [(u32, &'a [u64])], Option<u32>);
    let rows: &[Row] = &[
        (&["01010000AA"], &[(0x100, &[0xAA])], None),
        (&["020000021000", "01000500BB"], &[(0x1_0005, &[0xBB])], None),
        (&["020000040001", "01000500BB"], &[(0x1_0005, &[0xBB])], None),
        // Offsets wrap inside a segment of 64K, and run on after a linear base.
        (&["020000021000", "02FFFF001122"], &[(0x1_0000, &[0x22]), (0x1_FFFF, &[0x11])], None),
        (&["020000040001", "02FFFF001122"], &[(0x1_FFFF, &[0x11, 0x22])], None),
        (&["0400000312340005", "0101000001"], &[(0x100, &[1])], Some(0x1_2345)),
        (&["0400000500012345", "0101000001"], &[(0x100, &[1])], Some(0x1_2345)),
    ];
    for (records, segments, entry) in rows {
        let file: String = records.iter().map(|record| line(record)).chain([line("00000001")]).collect();
        let image = hex::read(file.as_bytes()).expect(&file);
        let found: Vec<(u32, &[u64])> =
            image.segments().iter().map(|one| (one.start, one.cells.as_slice())).collect();
        assert_eq!((found.as_slice(), image.entry()), (*segments, *entry), "{file}");
    }
    // A start in a segment stays one: the pair is not to be had from the address.
    let segmented = [line("0400000312340005"), line("0101000001"), line("00000001")].concat();
    let image = hex::read(segmented.as_bytes()).expect("a start in a segment");
    assert_eq!(image.entry_place(), Some(Start { base: 0x1_2340, offset: 5 }));
    let written = String::from_utf8(hex::write(&image, &Settings::default()).expect("bytes")).expect("text");
    assert!(written.contains(&line("0400000312340005")), "{written}");
    // The end record of old writers holds the start; line ends and blanks of any kind do no harm.
    let old = format!("{}\r\n\r\n  {}\x1A\n", line("0101000055").trim(), line("00123401").trim());
    let image = hex::read(old.as_bytes()).expect("an old file");
    assert_eq!((image.entry(), image.cell(0x100)), (Some(0x1234), Some(0x55)));
    let small = line("0101000055").to_lowercase() + &line("00000001").to_lowercase();
    assert!(hex::read(small.as_bytes()).is_ok());
}

#[test]
fn every_damage_is_told_with_its_line() {
    let good = line("0101000055");
    let end = line("00000001");
    let cases = [
        ("no colon", format!("{good}0101000055A8\n{end}")),
        ("no hex digit", format!("{}{end}", good.replace("55", "5G"))),
        ("half a byte", format!(":01010000550\n{end}")),
        ("too short", format!(":0101\n{end}")),
        ("length too large", format!(":0201000055A8\n{end}")),
        ("length too small", format!(":0001000055A9\n{end}")),
        ("wrong checksum", format!("{good}:0101000055A8\n{end}")),
        ("unknown record", format!("{}{end}", line("00000007"))),
        ("odd record", format!("{}{end}", line("0100000400"))),
        ("two of the same", format!("{good}{}{end}", line("0300FF00112233"))),
        ("after the end", format!("{good}{end}{good}")),
        ("no end", good.clone()),
        ("empty", String::new()),
        ("past the last address", format!("{}{}{end}", line("02000004FFFF"), line("02FFFF001122"))),
        ("two mistakes", format!("x\ny\n{end}")),
    ];
    let text: Vec<String> = cases.iter().map(|(name, file)| format!("{name}: {}", told(file))).collect();
    insta::assert_snapshot!(text.join("\n"));
    assert!(told(&"x\n".repeat(1000)).lines().count() <= 20, "many errors are cut off");
}

#[test]
fn a_file_cut_anywhere_is_refused() {
    let image = Image::from_cells(8, 0x4000, (0..40).collect()).expect("it fits");
    let file = hex::write(&image, &Settings::default()).expect("it can be written");
    for cut in 0..file.len() {
        let read = hex::read(&file[..cut]);
        // Without the last line end the file is whole.
        assert_eq!(read.is_ok(), cut == file.len() - 1, "cut at {cut}");
    }
    // A single changed byte is found, wherever it is.
    for at in 0..file.len() - 1 {
        for flip in [1u8, 0x10, 0x80] {
            let mut damaged = file.clone();
            damaged[at] ^= flip;
            if let Ok(read) = hex::read(&damaged) {
                // Capitals or not is no damage, and a byte of a line end may be any blank.
                assert_eq!(
                    read,
                    image,
                    "byte {at} changed by {flip:02X}h: {:?}",
                    String::from_utf8_lossy(&damaged)
                );
            }
        }
    }
}

#[test]
fn raw_fills_gaps_and_refuses_what_would_be_huge() {
    let two = |at: u32| {
        Image::from_pieces(
            8,
            vec![Segment { start: 0x10, cells: vec![1, 2] }, Segment { start: at, cells: vec![3] }],
        )
        .expect("it fits")
        .0
    };
    assert_eq!(raw::write(&two(0x14), &Settings::default()), Ok(vec![1, 2, 0xFF, 0xFF, 3]));
    insta::assert_snapshot!(raw::write(&two(0x200_0000), &Settings::default()).expect_err("too long"),
        @"a raw file from 10h to 2000000h would be 33554417 bytes; write `hex`, which keeps gaps short");
    insta::assert_snapshot!(raw::write(&Image::new(8).expect("it fits"), &Settings::default()).expect_err("empty"),
        @"the program has no cells, so there is nothing to write");
    insta::assert_snapshot!(hex::write(&Image::from_cells(12, 0, vec![0o7777]).expect("it fits"), &Settings::default()).expect_err("wide"),
        @"the format holds cells of 8 bits, and the program has cells of 12");
    assert_eq!(raw::read(&[7, 8], 0x100), Ok(Image::from_cells(8, 0x100, vec![7, 8]).expect("it fits")));
}

#[test]
fn kinds_are_known_by_name_and_by_ending() {
    let names = ["raw", "HEX", "wax", ""].map(|name| Format::named(name).is_some());
    let endings = ["bin", "ROM", "ihx", "asm"].map(|ending| Format::of_ending(ending).is_some());
    assert_eq!((names, endings), ([true, true, false, false], [true, true, true, false]));
}

#[test]
fn pieces_are_joined_and_overlaps_found() {
    let piece = |start: u32, count: usize| Segment { start, cells: vec![u64::from(start & 0xFF); count] };
    let (image, overlaps) =
        Image::from_pieces(8, vec![piece(0x20, 4), piece(0x10, 0x10), piece(0x40, 1)]).expect("it fits");
    assert!(overlaps.is_empty());
    assert_eq!(
        image.segments().iter().map(|one| (one.start, one.cells.len())).collect::<Vec<_>>(),
        [(0x10, 0x14), (0x40, 1)]
    );
    assert_eq!(
        (image.cell(0x0F), image.cell(0x1F), image.cell(0x20), image.cell(0x24)),
        (None, Some(0x10), Some(0x20), None)
    );
    assert_eq!(
        (image.cells_at(0x22, 9).len(), image.cells_at(0x24, 9).len(), image.bounds()),
        (2, 0, Some((0x10, 0x40)))
    );
    let (_, overlaps) =
        Image::from_pieces(8, vec![piece(0x10, 8), piece(0x30, 8), piece(0x14, 2), piece(0x2F, 2)])
            .expect("it fits");
    let found: Vec<_> = overlaps.iter().map(|one| (one.first, one.last, one.earlier, one.piece)).collect();
    assert_eq!(found, [(0x30, 0x30, 1, 3), (0x14, 0x15, 0, 2)].into_iter().rev().collect::<Vec<_>>());
}

prop_compose! {
    fn image()(pieces in proptest::collection::vec((0u32..0x2_0000, proptest::collection::vec(0u64..=255, 1..80)), 1..6), entry in proptest::option::of(0u32..0x2_0000)) -> Image {
        let pieces = pieces.into_iter().map(|(start, cells)| Segment { start, cells }).collect();
        let mut image = Image::from_pieces(8, pieces).expect("it fits").0;
        image.set_entry(entry.filter(|&entry| Some(entry) != image.bounds().map(|(first, _)| first)));
        image
    }
}

proptest! {
    #[test]
    fn hex_there_and_back(image in image()) {
        prop_assert_eq!(hex::read(&hex::write(&image, &Settings::default()).expect("it can be written")), Ok(image));
    }

    #[test]
    fn raw_there_and_back(cells in proptest::collection::vec(0u64..=255, 1..500), start in 0u32..0xF000) {
        let image = Image::from_cells(8, start, cells).expect("it fits");
        prop_assert_eq!(raw::read(&raw::write(&image, &Settings::default()).expect("it can be written"), start), Ok(image));
    }

    #[test]
    fn any_bytes_are_read_or_refused(file in proptest::collection::vec(any::<u8>(), 0..300), text in "[:0-9A-F\n]{0,200}") {
        for bytes in [file.as_slice(), text.as_bytes()] {
            if let Err(errors) = hex::read(bytes) {
                prop_assert!(!errors.is_empty() && errors.iter().all(|error| error.place != Place::Line(0) && !error.help.is_empty()));
            }
        }
    }

    /// Laying pieces over each other gives every address the cell of the last piece that has it.
    #[test]
    fn the_last_piece_wins(pieces in proptest::collection::vec((0u32..64, 1usize..20), 1..8)) {
        let made: Vec<Segment> = pieces.iter().enumerate().map(|(at, &(start, count))| Segment { start, cells: vec![at as u64; count] }).collect();
        let (image, overlaps) = Image::from_pieces(8, made.clone()).expect("it fits");
        let mut any = false;
        for address in 0..100u32 {
            let having: Vec<u64> = made.iter().filter(|one| (u64::from(one.start)..one.end()).contains(&u64::from(address))).map(|one| one.cells[0]).collect();
            prop_assert_eq!(image.cell(address).is_some(), !having.is_empty());
            any |= having.len() > 1;
        }
        prop_assert_eq!(any, !overlaps.is_empty());
    }
}

#[test]
fn images_and_settings_keep_what_they_promise() {
    let refused = [
        Image::new(0).map(|_| ()),
        Image::new(64).map(|_| ()),
        Image::from_cells(8, 0x100, vec![1, 0x1FF]).map(|_| ()),
        Image::from_cells(12, 0, vec![0o10000]).map(|_| ()),
        Image::from_pieces(8, vec![Segment { start: 0xFFFF_FFFF, cells: vec![1, 2] }]).map(|_| ()),
    ];
    let told: Vec<String> =
        refused.into_iter().map(|one| one.expect_err("it is wrong").to_string()).collect();
    insta::assert_snapshot!(told.join("\n"), @r"
    cells of 0 bits; an image has cells of 1 to 63
    cells of 64 bits; an image has cells of 1 to 63
    the cell at 101h is to be 1FFh, and a cell has 8 bits
    the cell at 0h is to be 1000h, and a cell has 12 bits
    2 cells from FFFFFFFFh on reach past the last address, FFFFFFFFh
    ");
    let last = Image::from_cells(8, 0xFFFF_FFFF, vec![1]).expect("the last cell");
    assert_eq!((last.bounds(), last.cell(0xFFFF_FFFF)), (Some((0xFFFF_FFFF, 0xFFFF_FFFF)), Some(1)));
    for format in FORMATS {
        let read = format.read(&[1; 300], &Settings::default().first(0xFFFF_FFF0));
        assert!(
            !matches!(read, Ok(image) if image.bounds().is_some_and(|(first, _)| first > 0xFFFF)),
            "{}",
            format.name
        );
    }
    // No value that a format could not work with gets into the settings.
    let mut settings = Settings::default();
    for value in [0, 256, -1, i64::MAX] {
        assert!(settings.set(&hex::FORMAT, "record", value).is_err());
    }
    assert_eq!((settings.get("record"), settings.set(&hex::FORMAT, "record", 1)), (None, Ok(())));
    assert_eq!(settings.get("record"), Some(1));
}
