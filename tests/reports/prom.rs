//! Memory chips: what a programmer may do to them, what stays, and the files they live in.

use plain_byte::image::{Image, Segment};
use plain_byte::prom::{
    Chip, ChipError, Kind, PARTS_TABLE, Programming, ReadBack, RomSet, landing, part, parts,
};
use plain_byte::report::{rom_labels, rom_set};
use proptest::prelude::*;

fn image(start: u32, cells: &[u64]) -> Image {
    let pieces = vec![Segment { start, cells: cells.to_vec() }];
    Image::from_pieces(8, pieces).expect("an image").0
}

#[test]
fn the_table_of_parts_is_whole() {
    assert_eq!(parts().len(), PARTS_TABLE.matches("[[part]]").count());
    for one in parts() {
        assert_eq!(part(&one.name.to_lowercase()), Some(one));
        assert!(one.bytes.is_power_of_two() && one.erasures >= 100 && !one.sheet.is_empty(), "{}", one.name);
        assert_eq!(one.kind == Kind::Uv, one.page == 0, "{}", one.name);
        assert!(one.page == 0 || one.bytes % one.page == 0, "{}", one.name);
        // A 27256 has 256 kilobits.
        let digits: String =
            one.name.chars().skip_while(char::is_ascii_digit).skip_while(|c| !c.is_ascii_digit()).collect();
        let kilobits = if digits.is_empty() {
            one.name[2..].parse::<u32>().ok()
        } else {
            digits.trim_start_matches('0').parse().ok()
        };
        let kilobytes = match kilobits {
            Some(8) => 1,
            Some(10) => 128,
            Some(40) => 512,
            Some(other) => other / 8,
            None => 0,
        };
        assert_eq!(one.bytes, kilobytes * 1024, "{}", one.name);
    }
}

/// Chip size and its beginning, the image's first address and its bytes; where it lands, or what helps.
type Row = (u32, Option<u32>, u32, usize, Result<(u32, u32), &'static str>);

#[test]
fn an_image_lands_in_a_chip_or_is_refused() {
    let table: &[Row] = &[
        (0x8000, Some(0x8000), 0xFFFC, 4, Ok((0x7FFC, 0x7FFF))),
        (0x8000, None, 0xFFFC, 4, Ok((0x7FFC, 0x7FFF))),
        (0x2000, None, 0x4000, 16, Ok((0, 15))),
        (0x2000, Some(0), 0x1FFE, 2, Ok((0x1FFE, 0x1FFF))),
        (0x2000, Some(0), 0x1FFE, 3, Err("goes past the chip's end")),
        (0x2000, Some(0), 0x8000, 3, Err("--base 8000h")),
        (0x2000, Some(0xE000), 0xDFFF, 1, Err("--base C000h")),
        (0x400, None, 0x3FF, 2, Err("goes past")),
        (0x400, None, 0, 0x401, Err("it takes a chip of 2 048 bytes")),
    ];
    for (size, base, start, count, wanted) in table {
        let landed = landing(&image(*start, &vec![1; *count]), *size, *base);
        match (landed, wanted) {
            (Ok(landed), Ok(places)) => assert_eq!((landed.places, landed.bytes.len()), (*places, *count)),
            (Err(refusal), Err(words)) => assert!(refusal.help.contains(words), "{refusal:?}"),
            (landed, _) => panic!("{size:X} {base:?} {start:X}: {landed:?}"),
        }
    }
    // What looks like a mistake is said.
    assert_eq!(
        landing(&image(0x4000, &[1]), 0x8000, Some(0x4000)).expect("it lies there").doubts,
        Vec::<String>::new()
    );
    assert_eq!(landing(&image(0x4100, &[1]), 0x2000, Some(0x4000)).expect("it lies there").doubts.len(), 1);
    let words = Image::from_cells(12, 0, vec![1]).expect("an image");
    assert!(landing(&words, 0x400, None).is_err());
}

#[test]
fn a_bit_that_is_burnt_stays_until_the_lamp_or_a_command() {
    for one in parts() {
        let mut chip = Chip::new(one);
        let bytes = [(0, 0x3E), (one.bytes - 1, 0x00)];
        let plan = Programming::plan(&chip, &bytes).expect("a blank chip takes everything");
        assert_eq!((plan.given, plan.changes), (2, 2));
        plan.run(&mut chip, &mut |_| true).expect("nobody breaks it off");
        assert!(Programming::differences(&chip, &bytes).is_empty());
        assert_eq!(chip.first_written(), Some(0));
        // More zeros always go; a one goes where the part can.
        assert!(Programming::plan(&chip, &[(0, 0x02)]).is_ok(), "{}", one.name);
        let back = Programming::plan(&chip, &[(0, 0x3F)]);
        let can = matches!(one.kind, Kind::Eeprom | Kind::PageFlash);
        assert_eq!(back.is_ok(), can, "{}", one.name);
        assert!(Programming::plan(&chip, &[(one.bytes, 0)]).is_err());
        let is_uv = one.kind == Kind::Uv;
        assert_eq!((chip.expose(3), chip.erase(Some(0))), (is_uv, !is_uv));
        match is_uv {
            // A lamp that was too short leaves something; long enough, nothing.
            true => {
                assert!(chip.first_written().is_some() && chip.cells()[0] & 0x3E == 0x3E);
                chip.expose(20);
                assert!(chip.first_written().is_none() && chip.erased() == 1);
            }
            false => {
                let left = if one.page == one.bytes { None } else { Some(one.bytes - 1) };
                assert_eq!(chip.first_written(), left, "{}: a sector alone is erased", one.name);
                assert!(chip.erase(None) && chip.first_written().is_none());
            }
        }
        assert_eq!(chip.lock(true), one.lock);
        assert_eq!(Programming::plan(&chip, &bytes).is_err(), one.lock);
    }
}

#[test]
fn programming_that_breaks_off_leaves_what_was_burnt() {
    let mut chip = Chip::new(part("28C64").expect("a part"));
    let bytes: Vec<(u32, u8)> = (0..256).map(|at| (at, 0xA0)).collect();
    let plan = Programming::plan(&chip, &bytes).expect("it goes");
    assert_eq!(plan.pages(), 4);
    let broken = plan.run(&mut chip, &mut |done| done < 2).expect_err("it is broken off");
    assert!(broken.problem.contains("after 2 of 4 pages"), "{broken:?}");
    assert_eq!(Programming::differences(&chip, &bytes).len(), 128);
    let plan = Programming::plan(&chip, &bytes).expect("it goes again");
    assert_eq!(plan.changes, 128);
    assert!(plan.run(&mut chip, &mut |_| true).is_ok());
}

#[test]
fn files_that_are_no_chips_are_told() {
    let mut chip = Chip::new(part("2716").expect("a part"));
    chip.set_label("FOG \"HORN\" 2");
    chip.note("2026-11-30 20:00", "taken out of its tube");
    let plan = Programming::plan(&chip, &[(5, 1), (2047, 2)]).expect("it goes");
    plan.run(&mut chip, &mut |_| true).expect("it is done");
    let file = chip.to_file();
    assert_eq!(Chip::from_file(&file), Ok(chip));
    let broken = |from: &str, to: &str| Chip::from_file(&file.replacen(from, to, 1)).expect_err(to);
    assert_eq!(broken("chip = 1", "chip = 7"), ChipError::Version(7));
    assert_eq!(broken("\"2716\"", "\"2717\""), ChipError::Part("2717".to_string()));
    assert!(broken("00000: FF", "00000: FE").to_string().contains("changed or cut"));
    assert!(broken("\"2716\"", "\"2708\"").to_string().contains("not a row of cells of a 2708"));
    assert!(matches!(broken("programmed", "burnt"), ChipError::Unreadable(_)));
    for end in 0..file.len() {
        if file.is_char_boundary(end) && file[end..].trim().len() > 1 {
            let cut = Chip::from_file(&file[..end]);
            // Nothing but what was done may be missing unseen.
            assert!(cut.is_err() || file[..end].contains("sum = "), "{end}: {cut:?}");
        }
    }
}

proptest! {
    /// Whatever is programmed where nothing refuses it, the chip holds it then; and the file of it comes back.
    #[test]
    fn what_is_programmed_is_there(
        which in 0..12usize,
        rounds in proptest::collection::vec((0..2000u32, proptest::collection::vec(any::<u8>(), 1..80)), 1..5),
    ) {
        let mut chip = Chip::new(&parts()[which % parts().len()]);
        for (start, bytes) in rounds {
            let bytes: Vec<(u32, u8)> = bytes.into_iter().enumerate().map(|(at, byte)| ((start + at as u32) % chip.part().bytes, byte)).collect();
            let before = chip.clone();
            match Programming::plan(&chip, &bytes) {
                Ok(plan) => {
                    plan.run(&mut chip, &mut |_| true).expect("nobody breaks it off");
                    prop_assert!(Programming::differences(&chip, &bytes).is_empty());
                }
                Err(_) => prop_assert_eq!(&before, &chip),
            }
        }
        prop_assert_eq!(Chip::from_file(&chip.to_file()), Ok(chip));
    }
}

/// The fog horn's board: two chips side by side, and one with two banks of another image.
const HORN: &str = "version = 1\nname = \"fog horn\"\npart = \"2716\"\n[[chip]]\nsocket = \"U4\"\nimage = \"horn\"\nbase = 0x8000\nlanes = 2\n[[chip]]\nsocket = \"U5\"\nimage = \"horn\"\nbase = 0x8000\nlanes = 2\nlane = 1\n[[chip]]\nsocket = \"U6\"\npart = \"2732\"\n[[chip.bank]]\nimage = \"day\"\nbase = 0xE000\nbytes = 0x800\n[[chip.bank]]\nimage = \"night\"\nbase = 0xE000\nat = 0x800\n";

fn horn(text: &str) -> Result<RomSet, plain_byte::prom::Refusal> {
    RomSet::read(text, &mut |name| match name {
        "horn" => Ok(image(0x8000, &(0..4096u64).map(|at| at * 7 % 251).collect::<Vec<_>>())),
        "day" => Ok(image(0xE010, &[1, 2, 3])),
        "night" => Ok(image(0xE7FC, &[4, 5, 6, 7])),
        _ => Err("it is not there".into()),
    })
}

#[test]
fn a_set_puts_every_byte_into_its_chip() {
    let set = horn(HORN).expect("it is right");
    let cells = |socket: usize| &set.chips[socket].cells;
    for at in 0..2048usize {
        assert_eq!(u64::from(cells(0)[at]), 2 * at as u64 * 7 % 251);
        assert_eq!(u64::from(cells(1)[at]), (2 * at as u64 + 1) * 7 % 251);
    }
    assert_eq!(
        (&cells(2)[0x10..0x13], &cells(2)[0xFFC..], cells(2)[0x13]),
        (&[1u8, 2, 3][..], &[4u8, 5, 6, 7][..], 0xFF)
    );
    insta::assert_snapshot!(rom_set(&set));
    let sheet = rom_labels(&set, "2026-11-30");
    for wanted in
        ["U4", "U5", "U6", "2732", "fog horn", "2026-11-30", &format!("{:08X}", set.chips[0].sums().crc32)]
    {
        assert!(sheet.contains(&format!(">{wanted}<")), "{wanted}");
    }
}

#[test]
fn a_chip_that_was_read_back_is_known() {
    let set = horn(HORN).expect("it is right");
    let mut worn = set.chips[0].cells.clone();
    worn[0x123] ^= 0x40;
    let is = worn[0x123];
    assert_eq!(set.compare("U4", &set.chips[0].cells), Some(ReadBack::Same));
    assert_eq!(set.compare("U4", &set.chips[1].cells), Some(ReadBack::Swapped("U5".to_string())));
    assert_eq!(set.compare("U4", &[0xFF; 2048]), Some(ReadBack::Blank));
    assert_eq!(set.compare("U4", &[0xFF; 1024]), Some(ReadBack::Size(1024)));
    assert_eq!(set.compare("U4", &worn), Some(ReadBack::Differs(vec![(0x123, is, is ^ 0x40)])));
    assert_eq!(set.compare("U9", &worn), None);
}

/// What is wrong in a set's file, what is said of it, and what to do.
#[test]
fn a_set_that_cannot_be_is_refused() {
    let table = [
        ("version = 1", "version = 2", "version 2 of a set's file is unknown", "docs/burn.md"),
        ("name =", "nane =", "unknown field `nane`", "docs/burn.md"),
        ("\"2716\"", "\"2715\"", "there is no part `2715` here", "burn parts"),
        ("part = \"2716\"\n", "", "the chip of U4 has no part", "write part"),
        ("\"U5\"", "\"U4\"", "two chips go into the socket U4", "socket of its own"),
        ("lane = 1", "lane = 2", "in the chip of U5 lane 2 of 2 does not exist", "the first lane is 0"),
        ("lane = 1", "lane = 0", "no chip takes the byte of horn at 8001", "add a chip for it"),
        (
            "image = \"horn\"\nbase = 0x8000",
            "image = \"horn\"\nbase = 0x9000",
            "nothing of horn goes into the chip of U4",
            "lies at 8000..8FFF",
        ),
        (
            "image = \"horn\"\nbase = 0x8000",
            "image = \"horn\"",
            "the chip of U4 does not say where it begins",
            "write base",
        ),
        ("image = \"horn\"\nbase = 0x8000", "base = 0x8000", "the chip of U4 has no image", "[[chip.bank]]"),
        ("\"day\"", "\"noon\"", "noon: it is not there", "name an image"),
        (
            "bytes = 0x800",
            "bytes = 0x900",
            "the cells 0800..08FF of night overlap those of day",
            "give the second one a higher `at`",
        ),
        ("at = 0x800", "at = 0x1000", "0 cells from 1000 on are not in a 2732 of 4096", "lower `at`"),
        ("[[chip]]", "[[chop]]", "unknown field `chop`", "docs/burn.md"),
    ];
    for (from, to, problem, help) in table {
        let refusal = horn(&HORN.replacen(from, to, 1)).expect_err(problem);
        assert!(refusal.problem.contains(problem) && refusal.help.contains(help), "{to}: {refusal:?}");
    }
    assert!(horn("version = 1").expect_err("no chip").problem.contains("the set has no chip"));
}
