//! Memory chips: what a programmer may do to them, what stays, and the files they live in.

use plain_byte::image::{Image, Segment};
use plain_byte::prom::{Chip, ChipError, Kind, PARTS_TABLE, Programming, landing, part, parts};
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
        (0x400, None, 0, 0x401, Err("it takes a chip of 2048 bytes")),
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
    assert!(broken("\"2716\"", "\"2708\"").to_string().contains("no row of cells of a 2708"));
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
