//! Cassettes: whatever was written comes back through worn tapes, and what does not is told, never taken for something else.

use plain_byte::cassette::{
    Baud, Stretch, Tape, Tones, Wave, Writing, is_wav, listen, read, write, write_wav,
};
use plain_byte::image::{Format, Image, Settings};
use proptest::prelude::*;

/// Noise that is the same every time.
struct Noise(u64);

impl Noise {
    fn even(&mut self) -> f32 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 40) as f32 / (1u64 << 24) as f32
    }

    /// With a spread of 1, nearly as a bell.
    fn bell(&mut self) -> f32 {
        ((0..6).map(|_| self.even()).sum::<f32>() - 3.0) * 2f32.sqrt()
    }
}

/// What may happen to a recording.
#[derive(Debug, Clone)]
enum Damage {
    /// It runs so much faster, and wavers by so much.
    Speed(f64, f64),
    /// Noise of a share of the level.
    Noise(f32),
    /// Hum of a share of the level.
    Hum(f32),
    /// Nothing above so many Hz, by a filter of the first order.
    Low(f32),
    /// Nothing below.
    High(f32),
    /// So many times as loud, and cut off.
    Clip(f32),
    /// So much more quiet, with 8 bits.
    Quiet(f32),
    /// Upside down.
    Turned,
    /// Pushed to one side.
    Aside(f32),
    /// So many clicks.
    Clicks(usize),
    /// Silence of so many milliseconds, at a share of the length.
    Out(f32, u32),
    /// The beginning is missing.
    Late(f32),
}

fn worn(mut samples: Vec<f32>, rate: u32, damage: &Damage, noise: &mut Noise) -> Vec<f32> {
    let per = |hertz: f32| 1.0 - (-std::f32::consts::TAU * hertz / rate as f32).exp();
    match damage {
        Damage::Speed(speed, waver) => {
            let (mut out, mut at, mut step) = (Vec::new(), 0.0f64, 0.0f64);
            while (at as usize) + 1 < samples.len() {
                let (part, here) = (at.fract() as f32, at as usize);
                out.push(samples[here] * (1.0 - part) + samples[here + 1] * part);
                // Slow wow, and flutter that is a third of it.
                let time = step / f64::from(rate) * std::f64::consts::TAU;
                at += speed + waver * (time * 0.9).sin() + waver / 3.0 * (time * 7.0).sin();
                step += 1.0;
            }
            return out;
        }
        Damage::Noise(share) => samples.iter_mut().for_each(|one| *one += share * 0.5 * noise.bell()),
        Damage::Hum(share) => {
            let step = std::f32::consts::TAU * 50.0 / rate as f32;
            samples.iter_mut().enumerate().for_each(|(at, one)| *one += share * (at as f32 * step).sin());
        }
        Damage::Low(hertz) => {
            let mut out = 0.0;
            samples.iter_mut().for_each(|one| {
                out += (*one - out) * per(*hertz);
                *one = out;
            });
        }
        Damage::High(hertz) => {
            let mut low = 0.0;
            samples.iter_mut().for_each(|one| {
                low += (*one - low) * per(*hertz);
                *one -= low;
            });
        }
        Damage::Clip(times) => samples.iter_mut().for_each(|one| *one = (*one * times).clamp(-0.9, 0.9)),
        Damage::Quiet(share) => {
            samples.iter_mut().for_each(|one| *one = (*one * share * 127.0).round() / 127.0)
        }
        Damage::Turned => samples.iter_mut().for_each(|one| *one = -*one),
        Damage::Aside(by) => samples.iter_mut().for_each(|one| *one = (*one + by).clamp(-0.8, 0.8)),
        Damage::Clicks(count) => {
            for _ in 0..*count {
                let at = (noise.even() * samples.len() as f32) as usize % samples.len();
                samples[at] = if noise.even() < 0.5 { 1.0 } else { -1.0 };
            }
        }
        Damage::Out(share, millis) => {
            let at = (share * samples.len() as f32) as usize;
            let end = (at + (rate / 1000 * millis) as usize).min(samples.len());
            samples[at..end].fill(0.0);
        }
        Damage::Late(share) => drop(samples.drain(..(share * samples.len() as f32) as usize)),
    }
    samples
}

fn writing(baud: Baud, rate: u32) -> Writing {
    let tones = Tones { rate, baud, wave: Wave::Sine, level: 0.7 };
    Writing { tones, leader: 1.0, per_block: 48, ..Writing::default() }
}

fn bytes(count: usize, noise: &mut Noise) -> Vec<u8> {
    (0..count).map(|_| (noise.even() * 256.0) as u8).collect()
}

/// What is asked of every tape: the bytes, or the telling that they are not all there.
fn check(tape: &Tape, wanted: &[Stretch]) -> bool {
    let all: Vec<(u32, u8)> = wanted
        .iter()
        .flat_map(|one| one.bytes.iter().enumerate().map(move |(at, &byte)| (one.first + at as u32, byte)))
        .collect();
    for record in &tape.records {
        let read = record.stretches.iter().flat_map(|one| {
            one.bytes.iter().enumerate().map(move |(at, &byte)| (one.first + at as u32, byte))
        });
        let read: Vec<(u32, u8)> = read.collect();
        assert!(read.iter().all(|one| all.contains(one)), "a byte was read that nobody wrote");
        assert!(!record.is_whole || read == all, "it is said to be whole, and is not");
    }
    matches!(tape.records.as_slice(), [one] if one.is_whole && one.stretches == wanted)
}

/// Each alone, as far as it is promised, at both speeds and at two rates.
#[test]
fn every_damage_up_to_its_limit_is_read_through() {
    let table = [
        Damage::Speed(0.88, 0.0),
        Damage::Speed(1.12, 0.0),
        Damage::Speed(1.0, 0.03),
        Damage::Speed(0.95, 0.02),
        Damage::Noise(0.2),
        Damage::Hum(0.6),
        Damage::Low(300.0),
        Damage::High(1500.0),
        Damage::Clip(10.0),
        Damage::Quiet(0.1),
        Damage::Turned,
        Damage::Aside(0.4),
    ];
    for baud in Baud::ALL {
        for rate in [44_100, 11_025] {
            let mut noise = Noise(88_172_645_463_325_252);
            let wanted = [
                Stretch { first: 0x4000, bytes: bytes(150, &mut noise) },
                Stretch { first: 0x5000, bytes: vec![0, 0xFF, 0xA5, 0x5A] },
            ];
            let samples = write("FOG HORN", &wanted, Some(0x4000), &writing(baud, rate));
            for damage in &table {
                let tape = read(&[(rate, &worn(samples.clone(), rate, damage, &mut noise))]);
                assert!(check(&tape, &wanted), "{baud:?} at {rate}: {damage:?}: {tape:?}");
                let header = tape.records[0].header.as_ref().expect("a header");
                assert_eq!(
                    (header.name.as_str(), header.start, tape.records[0].is_checked),
                    ("FOG HORN", Some(0x4000), true)
                );
            }
        }
    }
}

fn damage() -> impl Strategy<Value = Damage> {
    prop_oneof![
        (0.80..1.20f64, 0.0..0.05f64).prop_map(|(speed, waver)| Damage::Speed(speed, waver)),
        (0.0..1.0f32).prop_map(Damage::Noise),
        (0.0..1.0f32).prop_map(Damage::Hum),
        (500.0..4000.0f32).prop_map(Damage::Low),
        (300.0..2500.0f32).prop_map(Damage::High),
        (1.0..30.0f32).prop_map(Damage::Clip),
        (0.01..1.0f32).prop_map(Damage::Quiet),
        Just(Damage::Turned),
        (-0.6..0.6f32).prop_map(Damage::Aside),
        (0..40usize).prop_map(Damage::Clicks),
        (0.0..1.0f32, 1..200u32).prop_map(|(share, millis)| Damage::Out(share, millis)),
        (0.0..0.9f32).prop_map(Damage::Late),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Whatever happens, nothing is read that nobody wrote, and nothing is called whole that is not.
    #[test]
    fn no_damage_is_taken_for_something_else(
        seed in 1..u64::MAX,
        count in 1..120usize,
        fast in any::<bool>(),
        damages in proptest::collection::vec(damage(), 0..4),
    ) {
        let mut noise = Noise(seed);
        let baud = if fast { Baud::B1200 } else { Baud::B300 };
        let wanted = [Stretch { first: 0x2000, bytes: bytes(count, &mut noise) }];
        let mut samples = write("LAMP", &wanted, None, &writing(baud, 22_050));
        for damage in &damages {
            samples = worn(samples, 22_050, damage, &mut noise);
        }
        let is_whole = check(&read(&[(22_050, &samples)]), &wanted);
        prop_assert!(is_whole || !damages.is_empty());
    }
}

#[test]
fn two_recordings_of_one_tape_are_put_together() {
    let mut noise = Noise(7);
    let rate = 22_050;
    let wanted = [Stretch { first: 0x300, bytes: bytes(400, &mut noise) }];
    let samples = write("TIDES", &wanted, None, &writing(Baud::B300, rate));
    let out = |share: f32, noise: &mut Noise| worn(samples.clone(), rate, &Damage::Out(share, 60), noise);
    let (first, second) = (out(0.4, &mut noise), out(0.7, &mut noise));
    let alone = read(&[(rate, &first)]);
    assert!(!check(&alone, &wanted) && alone.records[0].missing.len() == 1, "{alone:?}");
    // The other one began later, and runs faster.
    let second = worn(
        worn(second, rate, &Damage::Late(0.01), &mut noise),
        rate,
        &Damage::Speed(1.03, 0.0),
        &mut noise,
    );
    assert!(check(&read(&[(rate, &first), (rate, &second)]), &wanted));
    // The same block is broken in both, at other bytes: the surer ones together have the right sum.
    let brief = |second: f32| {
        let share = second * rate as f32 / samples.len() as f32;
        worn(samples.clone(), rate, &Damage::Out(share, 14), &mut Noise(1))
    };
    let (first, second) = (brief(3.9), brief(4.6));
    assert!([&first, &second].iter().all(|one| !check(&read(&[(rate, one.as_slice())]), &wanted)));
    assert!(check(&read(&[(rate, &first), (rate, &second)]), &wanted));
    // Begun in the middle: what is left has its addresses, and nobody calls it whole.
    let late = read(&[(rate, &worn(samples, rate, &Damage::Late(0.5), &mut noise))]);
    check(&late, &wanted);
    assert!(
        late.records[0].header.is_none()
            && !late.records[0].is_whole
            && !late.records[0].stretches.is_empty()
    );
}

#[test]
fn recordings_of_every_kind_are_listened_to() {
    let mut noise = Noise(99);
    let wanted = [Stretch { first: 0x4000, bytes: bytes(40, &mut noise) }];
    let samples = write("LOG", &wanted, None, &writing(Baud::B1200, 22_050));
    let heard = |file: &[u8]| {
        let (recording, hearings) = listen(file, &mut |_| true).expect("a recording");
        (recording, check(&plain_byte::cassette::gather(&hearings), &wanted))
    };
    for bits in [8, 16] {
        let file = write_wav(&samples, 22_050, bits);
        assert!(is_wav(&file));
        let (recording, is_whole) = heard(&file);
        assert_eq!((recording.bits, recording.samples, is_whole), (bits, samples.len() as u64, true));
        // Cut off, it is heard as far as it goes; a head that promises nothing is not believed.
        assert!(!heard(&file[..file.len() / 2]).1);
        let mut lies = file.clone();
        lies[40..44].fill(0xFF);
        assert!(heard(&lies).1, "{bits}");
    }
    // Two channels, one of them bad; a point, eight channels.
    for (channels, is_float) in [(2, false), (2, true), (8, true)] {
        let mut file = std::io::Cursor::new(Vec::new());
        let sample_format = if is_float { hound::SampleFormat::Float } else { hound::SampleFormat::Int };
        let bits_per_sample = if is_float { 32 } else { 24 };
        let spec = hound::WavSpec { channels, sample_rate: 22_050, bits_per_sample, sample_format };
        let mut writer = hound::WavWriter::new(&mut file, spec).expect("a file");
        for &sample in &samples {
            for channel in 0..channels {
                let value = if channel + 1 == channels { sample } else { noise.bell() * 0.2 };
                match is_float {
                    true => writer.write_sample(value).expect("it is taken"),
                    false => writer.write_sample((value * 8_000_000.0) as i32).expect("it is taken"),
                }
            }
        }
        writer.finalize().expect("a file");
        let (recording, is_whole) = heard(file.get_ref());
        assert_eq!((recording.channels, is_whole), (channels, true));
    }
    for wrong in [&b"RIFF"[..], b"", &write_wav(&samples, 100, 16), &write_wav(&samples, 22_050, 16)[..40]] {
        assert!(listen(wrong, &mut |_| true).is_err());
    }
}

#[test]
fn a_cassette_is_a_format_like_others() {
    let format = Format::named("cassette").expect("a format");
    let (mut image, _) = Image::from_pieces(
        8,
        vec![plain_byte::image::Segment { start: 0x4000, cells: (0..200).map(|one| one % 256).collect() }],
    )
    .expect("an image");
    image.set_entry(Some(0x4010));
    let set = |rows: &[(&str, i64)]| {
        let mut settings = Settings::default().named("fog horn");
        rows.iter().for_each(|(name, value)| settings.set(format, name, *value).expect("a setting"));
        settings
    };
    for rows in [
        &[("baud", 1200), ("leader", 5)][..],
        &[("bits", 8), ("rate", 11_025), ("square", 1), ("level", 30), ("record", 10), ("gap", 1)],
    ] {
        let file = format.write(&image, &set(rows)).expect("a file").remove(0).bytes;
        assert_eq!(format.read(&file, &Settings::default()).expect("an image"), image, "{rows:?}");
    }
    // Bytes alone have no address, and no start.
    let file = format.write(&image, &set(&[("bare", 1), ("baud", 1200)])).expect("a file").remove(0).bytes;
    let bare = format.read(&file, &Settings::default().first(0x4000)).expect("an image");
    assert_eq!((bare.segments(), bare.entry()), (image.segments(), None));
    // Two programs: one has to be chosen.
    let one = format.write(&image, &set(&[("baud", 1200)])).expect("a file").remove(0).bytes;
    let mut two = one[44..].to_vec();
    two.extend(&one[44..]);
    let samples: Vec<f32> = two
        .chunks_exact(2)
        .map(|pair| f32::from(i16::from_le_bytes([pair[0], pair[1]])) / 32_768.0)
        .collect();
    let file = write_wav(&samples, 44_100, 16);
    let errors = format.read(&file, &Settings::default()).expect_err("two programs");
    assert!(errors[0].help.contains("FOG HORN, FOG HORN"), "{errors:?}");
    assert_eq!(format.read(&file, &set(&[("program", 2)])).expect("an image"), image);
    assert!(format.read(&file, &set(&[("program", 3)])).is_err());
    for (rows, words) in [(&[("baud", 600)][..], "300 or 1200"), (&[("bits", 12)], "8 or 16")] {
        let error = format.write(&image, &set(rows)).expect_err("no such setting");
        assert!(error.to_string().contains(words), "{error}");
    }
    let (long, _) =
        Image::from_pieces(8, vec![plain_byte::image::Segment { start: 0, cells: vec![0; 300_000] }])
            .expect("an image");
    assert!(
        format
            .write(&long, &Settings::default())
            .is_err_and(|error| error.to_string().contains("minutes of tape"))
    );
}
