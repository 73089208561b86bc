//! The chips, each on its own against what its data sheet says of the registers.

use plain_byte::machine::chip::{
    Chip, Interrupting, Mc6850, Mos6522, Mos6532, Ns16550, Pin, Pins, Screen, Serial, TextScreen, Z8430,
    Z8440,
};
use proptest::prelude::*;

const ORB: u32 = 0;
const ORA: u32 = 1;
const DDRB: u32 = 2;
const DDRA: u32 = 3;
const T1CL: u32 = 4;
const T1CH: u32 = 5;
const T1LL: u32 = 6;
const T1LH: u32 = 7;
const T2CL: u32 = 8;
const T2CH: u32 = 9;
const SR: u32 = 10;
const ACR: u32 = 11;
const PCR: u32 = 12;
const IFR: u32 = 13;
const IER: u32 = 14;
const ORA_PLAIN: u32 = 15;

const PA0: Pin = Pin { port: 0, bit: 0 };
const PB6: Pin = Pin { port: 1, bit: 6 };
const PB7: Pin = Pin { port: 1, bit: 7 };

fn via(settings: &[(u32, u64)]) -> Mos6522 {
    let mut via = Mos6522::default();
    for &(register, value) in settings {
        assert!(via.write(register, value, 0));
    }
    via
}

fn at(via: &mut Mos6522, register: u32, now: u64) -> u64 {
    via.read(register, now).expect("every register can be read")
}

#[test]
fn ports_put_out_where_they_are_told_and_read_the_pins_elsewhere() {
    let mut via = via(&[(DDRA, 0x0F), (DDRB, 0xF0), (ORA, 0x35), (ORB, 0x53)]);
    assert_eq!((at(&mut via, DDRA, 1), at(&mut via, DDRB, 1)), (0x0F, 0xF0));
    // What nobody drives is high; an output has its own level.
    assert_eq!((at(&mut via, ORA, 2), at(&mut via, ORB, 2)), (0xF5, 0x5F));
    via.drive(Pin { port: 0, bit: 7 }, Some(false), 3);
    via.drive(Pin { port: 0, bit: 0 }, Some(false), 3);
    via.drive(Pin { port: 1, bit: 1 }, Some(false), 3);
    assert_eq!((at(&mut via, ORA_PLAIN, 4), at(&mut via, ORB, 4)), (0x75, 0x5D));
    via.drive(Pin { port: 0, bit: 7 }, None, 5);
    assert_eq!(at(&mut via, ORA_PLAIN, 6), 0xF5);
    assert_eq!(
        (via.level(PA0), via.level(Pin { port: 0, bit: 1 }), via.level(PB6)),
        (Some(true), Some(false), Some(true))
    );
    assert_eq!(via.level(Pin { port: 0, bit: 7 }), None, "an input gives no level");
    via.reset(7);
    assert_eq!((at(&mut via, DDRA, 8), at(&mut via, ORB, 8)), (0, 0xFD));
}

#[test]
fn timer_1_ends_when_it_should_and_once_or_again_and_again() {
    for (acr, count) in [(0x00u64, 5u64), (0x40, 5), (0x00, 0), (0x40, 0x1234), (0xC0, 3)] {
        let mut via = via(&[(ACR, acr), (IER, 0xC0), (T1CL, count & 0xFF)]);
        via.write(T1CH, count >> 8, 10);
        assert_eq!(
            at(&mut via, T1CH, 11) << 8 | count & 0xFF,
            count,
            "the first cycle shows the whole count"
        );
        let ends = 10 + count + 2;
        assert_eq!(via.next(), Some(ends), "acr {acr:02X}, {count}");
        assert_eq!(at(&mut via, IFR, ends - 1), 0);
        assert_eq!(via.requests(), None);
        if acr & 0x80 != 0 {
            assert_eq!(via.level(PB7), Some(false), "PB7 is low while it counts");
        }
        assert_eq!(at(&mut via, IFR, ends), 0xC0, "acr {acr:02X}, {count}");
        assert_eq!(via.requests(), Some(ends - 1));
        // Reading the low half takes the flag away.
        at(&mut via, T1CL, ends + 1);
        assert_eq!((at(&mut via, IFR, ends + 1), via.requests()), (0, None));
        let again = if acr & 0x40 == 0 { None } else { Some(ends + count + 2) };
        assert_eq!(via.next(), again, "acr {acr:02X}, {count}");
        if acr & 0x80 != 0 {
            assert_eq!(via.level(PB7), Some(true));
            via.advance(ends + count + 2);
            assert_eq!(via.level(PB7), Some(false), "and turns at every end");
        }
    }
    // The latches are read where they are written, and a new latch counts from the next round on.
    let mut via = via(&[(ACR, 0x40), (T1LL, 0x34), (T1LH, 0x12), (T1CL, 4), (T1CH, 0)]);
    assert_eq!((at(&mut via, T1LL, 1), at(&mut via, T1LH, 1)), (4, 0));
    via.write(T1LL, 9, 2);
    assert_eq!(at(&mut via, IFR, 5) & 0x40, 0);
    assert_eq!(at(&mut via, IFR, 6) & 0x40, 0x40);
    via.write(IFR, 0x40, 7);
    assert_eq!((at(&mut via, IFR, 16) & 0x40, at(&mut via, IFR, 17) & 0x40), (0, 0x40));
}

#[test]
fn timer_2_counts_cycles_or_pulses() {
    let mut timed = via(&[(IER, 0xA0), (T2CL, 7), (T2CH, 0)]);
    assert_eq!((at(&mut timed, T2CL, 1), at(&mut timed, T2CL, 3), timed.next()), (7, 5, Some(9)));
    assert_eq!((at(&mut timed, IFR, 8), at(&mut timed, IFR, 9)), (0, 0xA0));
    // It counts on after its end, and does not ask again.
    assert_eq!((at(&mut timed, T2CL, 12), at(&mut timed, T2CH, 12)), (0xFC, 0xFF));
    assert_eq!((at(&mut timed, IFR, 70_000), timed.next()), (0, None));
    let mut pulses = via(&[(ACR, 0x20), (T2CL, 3), (T2CH, 0)]);
    for pulse in 1..=3u64 {
        assert_eq!(at(&mut pulses, IFR, 100 * pulse) & 0x20, 0, "before pulse {pulse}");
        pulses.drive(PB6, Some(false), 100 * pulse + 1);
        pulses.drive(PB6, Some(true), 100 * pulse + 2);
    }
    assert_eq!(at(&mut pulses, IFR, 400) & 0x20, 0x20);
}

#[test]
fn the_shift_register_takes_its_pace_from_the_mode() {
    // Mode, cycles a bit.
    for (mode, pace) in [(0b110u64, 2u64), (0b101, 2 * (5 + 2)), (0b010, 2), (0b001, 14)] {
        let mut via = via(&[(ACR, mode << 2), (T2CL, 5), (T2CH, 0), (IER, 0x84)]);
        via.write(SR, 0b1011_0001, 20);
        assert_eq!(via.next(), Some(20 + pace), "mode {mode:03b}");
        assert_eq!(at(&mut via, IFR, 20 + 8 * pace - 1) & 4, 0, "mode {mode:03b}");
        assert_eq!(at(&mut via, IFR, 20 + 8 * pace) & 4, 4, "mode {mode:03b}");
        // What went out came round; what came in was a line that nobody drives.
        let expected = if mode & 4 != 0 { 0b1011_0001 } else { 0xFF };
        assert_eq!(at(&mut via, SR, 20 + 8 * pace + 1), expected, "mode {mode:03b}");
        assert_eq!(at(&mut via, IFR, 20 + 8 * pace + 1) & 4, 0, "reading begins anew");
    }
    // Under CB1 each rising edge moves a bit.
    let mut outside = via(&[(ACR, 0b011 << 2)]);
    outside.write(SR, 0, 1);
    for (bit, level) in [true, false, true, true, false, false, true, false].into_iter().enumerate() {
        let now = 10 * (bit as u64 + 1);
        outside.set_line(1, 1, level, now);
        outside.set_line(1, 0, false, now + 1);
        outside.set_line(1, 0, true, now + 2);
    }
    assert_eq!(at(&mut outside, IFR, 200) & 4, 4);
    assert_eq!(at(&mut outside, SR, 201), 0b1011_0010);
    // Free running, the same eight bits for ever, and no flag.
    let mut free = via(&[(ACR, 0b100 << 2), (T2CL, 0), (T2CH, 0), (SR, 0x0F)]);
    free.advance(4 * 8 * 1_000_000);
    assert_eq!((at(&mut free, SR, 4 * 8 * 1_000_000), at(&mut free, IFR, 4 * 8 * 1_000_000) & 4), (0x0F, 0));
}

#[test]
fn control_lines_raise_flags_on_their_edge_and_shake_hands() {
    // PCR, line, the level that counts, flag.
    for (pcr, port, line, level, flag) in [
        (0x00u64, 0, 0, false, 0x02u64),
        (0x01, 0, 0, true, 0x02),
        (0x00, 0, 1, false, 0x01),
        (0x04, 0, 1, true, 0x01),
        (0x00, 1, 0, false, 0x10),
        (0x10, 1, 0, true, 0x10),
        (0x20, 1, 1, false, 0x08),
        (0x60, 1, 1, true, 0x08),
    ] {
        let mut via = via(&[(PCR, pcr)]);
        via.set_line(port, line, !level, 1);
        via.write(IFR, 0x7F, 2);
        via.set_line(port, line, level, 3);
        assert_eq!(at(&mut via, IFR, 4), flag, "pcr {pcr:02X}, port {port}, line {line}");
        // Touching the port takes the flag away, but for the independent inputs.
        at(&mut via, if port == 0 { ORA } else { ORB }, 5);
        let independent = line == 1 && matches!(pcr >> (4 * port + 1) & 7, 1 | 3);
        assert_eq!(at(&mut via, IFR, 6), if independent { flag } else { 0 }, "pcr {pcr:02X}");
    }
    // Read handshake on port A: taken by the program, given by the far side.
    let mut shake = via(&[(PCR, 0x08)]);
    assert!(shake.second_line(0));
    at(&mut shake, ORA, 10);
    assert!(!shake.second_line(0));
    shake.set_line(0, 0, false, 20);
    assert!(shake.second_line(0));
    // Pulse output on port B lasts a cycle; only a write makes it.
    let mut pulse = via(&[(PCR, 0xA0)]);
    pulse.write(ORB, 1, 10);
    assert!(!pulse.second_line(1));
    pulse.advance(12);
    assert!(pulse.second_line(1));
    for (pcr, level) in [(0x0Cu64, false), (0x0E, true)] {
        assert_eq!(via(&[(PCR, pcr)]).second_line(0), level);
    }
    // A latched port shows the pins as they were at the edge.
    let mut latched = via(&[(ACR, 0x01)]);
    latched.drive(PA0, Some(false), 1);
    latched.set_line(0, 0, false, 2);
    latched.drive(PA0, Some(true), 3);
    assert_eq!(
        (at(&mut latched, ORA_PLAIN, 4), at(&mut latched, ORA, 5), at(&mut latched, ORA, 6)),
        (0xFE, 0xFE, 0xFF)
    );
}

#[test]
fn enables_are_set_and_cleared_by_bit_7_and_the_line_follows() {
    let mut via = via(&[(IER, 0x7F), (IER, 0x82)]);
    assert_eq!(at(&mut via, IER, 1), 0x82);
    via.set_line(0, 0, false, 2);
    assert_eq!((at(&mut via, IFR, 3), via.requests().is_some()), (0x82, true));
    via.write(IER, 0x02, 4);
    assert_eq!((at(&mut via, IER, 5), at(&mut via, IFR, 5), via.requests()), (0x80, 0x02, None));
    via.write(IER, 0xC2, 6);
    assert!(via.requests().is_some());
    via.write(IFR, 0x02, 7);
    assert_eq!((at(&mut via, IFR, 8), via.requests()), (0, None));
}

/// Twelve cycles a bit at a divide by 16.
fn acia() -> Mc6850 {
    let mut acia = Mc6850::new(768_000, Some(1_024_000));
    assert_eq!(acia.read(0, 0), Some(0), "nothing before the master reset");
    assert!(!acia.write(1, 0x41, 0));
    acia.write(0, 0x03, 1);
    acia.write(0, 0x15, 2);
    acia
}

#[test]
fn the_6850_sends_and_receives_at_the_time_of_its_format() {
    // Control word, bits of a character with start and stop.
    for (control, bits, mask) in
        [(0x15u64, 10u64, 0xFFu64), (0x11, 11, 0xFF), (0x01, 11, 0x7F), (0x09, 10, 0x7F), (0x1D, 11, 0xFF)]
    {
        let mut acia = acia();
        acia.write(0, control, 3);
        let character = 12 * bits;
        assert_eq!(acia.read(0, 4), Some(2));
        acia.write(1, 0xC1, 10);
        assert_eq!(acia.read(0, 11), Some(2), "the shift register took it");
        acia.write(1, 0x42, 12);
        assert_eq!(acia.read(0, 13), Some(0), "now both are full");
        assert_eq!(acia.read(0, 10 + character - 1), Some(0));
        assert_eq!(acia.read(0, 10 + character), Some(2));
        acia.advance(10 + 2 * character - 1);
        assert_eq!(acia.take_received(), [(0xC1 & mask) as u8], "control {control:02X}");
        acia.advance(10 + 2 * character);
        assert_eq!(acia.take_received(), [0x42]);
        acia.type_in(&[0xF1, 0x32], 2000);
        assert_eq!((acia.read(0, 2000 + character - 1), acia.read(0, 2000 + character)), (Some(2), Some(3)));
        // The next one is sent when the first was taken, so that none is lost.
        assert_eq!((acia.read(0, 5000), acia.waiting()), (Some(3), 1));
        assert_eq!((acia.read(1, 5001), acia.read(0, 5002)), (Some(0xF1 & mask), Some(2)));
        assert_eq!((acia.read(0, 5001 + character), acia.read(1, 5001 + character)), (Some(3), Some(0x32)));
    }
}

#[test]
fn the_6850_asks_for_interrupts_as_it_is_told() {
    let mut acia = acia();
    assert_eq!(acia.requests(), None);
    // Transmit interrupts: at once, since it is empty.
    acia.write(0, 0x35, 10);
    assert!(acia.requests().is_some());
    acia.write(1, 1, 20);
    acia.write(1, 2, 21);
    assert_eq!((acia.requests(), acia.next()), (None, Some(20 + 120)));
    acia.advance(140);
    assert_eq!(acia.requests(), Some(139));
    assert_eq!(acia.read(0, 141), Some(0x82));
    // Receive interrupts.
    acia.write(0, 0x95, 1000);
    assert_eq!(acia.requests(), None);
    acia.type_in(b"k", 1000);
    assert_eq!(acia.next(), Some(1120));
    assert_eq!((acia.read(0, 1120), acia.requests()), (Some(0x83), Some(1119)));
    assert_eq!((acia.read(1, 1121), acia.requests()), (Some(u64::from(b'k')), None));
    acia.write(0, 3, 1200);
    assert_eq!(acia.read(0, 1201), Some(0));
}

#[test]
fn the_6532_times_intervals_as_its_sheet_draws_them() {
    // The sheet's own example: 52 by 8; what it shows after so many cycles.
    let mut riot = Mos6532::default();
    riot.write(0x9D, 52, 1000);
    for (behind, count) in [(213, 25), (415, 0)] {
        assert_eq!(riot.clone().read(0x8C, 1000 + behind), Some(count), "{behind}");
    }
    assert_eq!((riot.next(), riot.clone().read(0x85, 1415)), (Some(1416), Some(0)));
    assert_eq!((riot.read(0x85, 1416), riot.requests()), (Some(0x80), Some(1415)));
    // From there on it counts every cycle: 84 further it shows 255 - 84.
    assert_eq!(riot.read(0x8C, 1500), Some(171));
    assert_eq!((riot.read(0x85, 1501), riot.requests()), (Some(0), None));
    for (register, prescale) in [(0x94u32, 1u64), (0x95, 8), (0x96, 64), (0x97, 1024)] {
        let mut riot = Mos6532::default();
        riot.write(register, 200, 10);
        assert_eq!(riot.read(0x85, 10 + 200 * prescale - 1), Some(0), "by {prescale}");
        assert_eq!(riot.read(0x85, 10 + 200 * prescale), Some(0x80), "by {prescale}");
        assert_eq!((riot.next(), riot.requests()), (None, None), "without line 3 it asks for nothing");
        riot.restart(10 + 200 * prescale + 5);
        assert_eq!(riot.read(0x84, 0), Some(250), "a new count of cycles changes nothing");
    }
}

#[test]
fn the_6532_has_ram_ports_and_an_edge() {
    let mut riot = Mos6532::default();
    for at in 0..128 {
        riot.write(at, u64::from(at) ^ 0x5A, 0);
    }
    assert!((0..128).all(|at| riot.read(at, 1) == Some(u64::from(at) ^ 0x5A)));
    riot.write(0x81, 0x0F, 2);
    riot.write(0x80, 0x05, 2);
    riot.write(0x83, 0xFF, 2);
    riot.write(0x82, 0x81, 2);
    assert_eq!(
        (riot.read(0x80, 3), riot.read(0x82, 3), riot.read(0x81, 3)),
        (Some(0xF5), Some(0x81), Some(0x0F))
    );
    assert_eq!(
        (riot.level(PA0), riot.level(PB7), riot.level(Pin { port: 0, bit: 7 })),
        (Some(true), Some(true), None)
    );
    // The edge of PA7 that was asked for, with and without an interrupt.
    let pa7 = Pin { port: 0, bit: 7 };
    for (register, edge, asks) in
        [(0x84u32, false, false), (0x85, true, false), (0x86, false, true), (0x87, true, true)]
    {
        riot.write(register, 0, 10);
        riot.read(0x85, 10);
        riot.drive(pa7, Some(!edge), 11);
        riot.read(0x85, 11);
        riot.drive(pa7, Some(edge), 12);
        assert_eq!(riot.requests().is_some(), asks, "{register:02X}");
        assert_eq!(
            (riot.read(0x85, 13), riot.read(0x85, 14)),
            (Some(0x40), Some(0)),
            "reading takes it away"
        );
    }
    riot.reset(20);
    assert_eq!((riot.read(0x81, 21), riot.read(5, 21)), (Some(0), Some(0x5F)), "a reset leaves the RAM");
}

/// The registers of the text screen, as its own page in docs/boards.md tells them.
#[test]
fn a_screen_tells_when_its_picture_is_complete_and_which_line_it_draws() {
    const PICTURE: u64 = 312 * 64;
    let mut screen = TextScreen::default();
    let at = |screen: &mut TextScreen, register, now| screen.read(register, now).expect("a register");
    assert_eq!((at(&mut screen, 4, 0), at(&mut screen, 4, 127), at(&mut screen, 4, 128)), (0, 0, 1));
    assert_eq!((at(&mut screen, 3, 256 * 64 - 1), at(&mut screen, 3, 256 * 64)), (0, 0x80));
    assert_eq!((at(&mut screen, 4, PICTURE - 1), at(&mut screen, 4, PICTURE)), (155, 0));
    assert_eq!((screen.next(), screen.requests()), (None, None), "nobody asked to be told");
    // Asking for the interrupt while the flag is set brings it at once; the 1 in bit 7 clears it until the next picture.
    screen.write(3, 1, PICTURE + 10);
    assert_eq!(screen.requests(), Some(PICTURE + 9));
    screen.write(3, 0x81, PICTURE + 20);
    assert_eq!((screen.requests(), screen.next()), (None, Some(PICTURE + 256 * 64)));
    screen.advance(PICTURE + 256 * 64);
    assert_eq!((screen.requests(), screen.next()), (Some(PICTURE + 256 * 64 - 1), None));
    screen.write(0, 0x1B, PICTURE + 256 * 64);
    assert_eq!(at(&mut screen, 0, PICTURE + 256 * 64), 0x0B, "a colour has four bits");
    assert_eq!((screen.read(7, 0), screen.write(4, 0, 0), screen.write(9, 0, 0)), (None, false, false));
    screen.reset(PICTURE * 2);
    assert_eq!((screen.requests(), at(&mut screen, 0, PICTURE * 2)), (None, 0x0B), "reset keeps the picture");
}

#[test]
fn a_picture_has_memory_in_its_colours_and_the_border_line_by_line() {
    let mut screen = TextScreen::default();
    for (register, value) in [(1, 0x40), (2, 0x48), (5, 41), (6, 0x80)] {
        assert!(screen.write(register, value, 0));
    }
    // Lines 100 and on are in another colour, and from line 200 on in a third one.
    screen.write(0, 5, 64 * 100);
    screen.write(0, 11, 64 * 200);
    let cell = |at: u32| match at {
        0x4000 => 0x41,
        0x4001 => 0x42 | 0x80,
        0x4029 => 1,
        0x4800 | 0x4801 => 0xB4,
        _ => 0x20,
    };
    let picture = screen.raster(64 * 312).picture(cell);
    assert_eq!(picture.lines()[..2], ["AB".to_string(), " ●".to_string()]);
    let colours = |at: usize| (picture.glyphs[at].ink, picture.glyphs[at].ground);
    assert_eq!((colours(0), colours(1)), ((4, 11), (11, 4)), "bit 7 exchanges them");
    assert_eq!((picture.cursor, picture.cursor_lit, picture.glyphs.len()), (Some(41), true, 960));
    let changes: Vec<(usize, u8)> = (1..256)
        .filter(|&at| picture.border[at] != picture.border[at - 1])
        .map(|at| (at, picture.border[at]))
        .collect();
    assert_eq!((picture.border[0], changes), (0, vec![(100, 5), (200, 11)]));
    assert!(!screen.raster(64 * 312 * 16).picture(cell).cursor_lit, "it blinks");
    // A whole picture later all of it has the last colour.
    let border = screen.raster(64 * 312 * 2 - 1).picture(cell).border;
    assert!(border.iter().all(|&colour| colour == 11));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]
    #[test]
    fn a_screen_is_the_same_however_time_passes(
        writes in proptest::collection::vec((0u32..7, any::<u8>(), 1u64..9000), 1..8),
        restart in any::<bool>(),
    ) {
        let (mut quick, mut slow) = (TextScreen::default(), TextScreen::default());
        let (mut now, mut gone) = (0, 0);
        for (register, value, wait) in writes {
            for cycle in 1..=wait {
                slow.advance(now + cycle + gone);
            }
            now += wait;
            prop_assert_eq!(quick.write(register, value.into(), now), slow.write(register, value.into(), now + gone));
            if restart && value & 3 == 0 {
                quick.restart(now);
                (now, gone) = (0, now + gone);
            }
            prop_assert!(quick.next().is_none_or(|next| next > now));
            prop_assert_eq!(quick.next().map(|next| next + gone), slow.next());
        }
        for register in 0..7 {
            prop_assert_eq!(quick.read(register, now), slow.read(register, now + gone), "register {}", register);
        }
        prop_assert_eq!(quick.raster(now), slow.raster(now + gone));
        prop_assert_eq!(quick.requests().is_some(), slow.requests().is_some());
    }
}

proptest! {
    /// Whatever is written and whenever, time that passes at once ends as time that passes cycle by cycle; the next event is
    /// never in the past, and a new beginning of the count changes nothing but the numbers.
    #[test]
    fn a_chip_is_the_same_however_time_passes(
        writes in proptest::collection::vec((0u32..16, any::<u8>(), 1u64..300), 1..40),
        jump in 1u64..5000,
        restart in any::<bool>(),
    ) {
        let (mut quick, mut slow) = (Mos6522::default(), Mos6522::default());
        let (mut now, mut gone) = (0, 0);
        for (register, value, wait) in writes {
            for cycle in 1..=wait {
                slow.advance(now + cycle + gone);
            }
            now += wait;
            quick.write(register, value.into(), now);
            slow.write(register, value.into(), now + gone);
            if restart && value & 3 == 0 {
                quick.restart(now);
                (now, gone) = (0, now + gone);
            }
            prop_assert!(quick.next().is_none_or(|next| next > now));
        }
        for cycle in 1..=jump {
            slow.advance(now + cycle + gone);
        }
        now += jump;
        for register in [13, 14, 0, 5, 4, 9, 8, 11, 12, 10] {
            prop_assert_eq!(quick.read(register, now), slow.read(register, now + gone), "register {}", register);
        }
        prop_assert_eq!((quick.level(PB7), quick.second_line(1)), (slow.level(PB7), slow.second_line(1)));
        prop_assert_eq!(quick.requests().is_some(), slow.requests().is_some());
    }
}

#[test]
fn the_ctc_times_counts_and_interrupts_in_its_order() {
    // Control word, time constant, cycles of a round.
    for (control, constant, period) in
        [(0x85u64, 10u64, 160u64), (0xA5, 2, 512), (0x85, 0, 4096), (0xA5, 255, 65_280)]
    {
        let mut ctc = Z8430::default();
        assert!(ctc.write(0, 0xE8, 0) && !ctc.write(1, 0xE8, 0), "only channel 0 takes the vector");
        ctc.write(2, control, 10);
        ctc.write(2, constant, 100);
        assert_eq!(ctc.next(), Some(100 + period));
        assert_eq!(ctc.read(2, 100), Some(constant), "256 is seen as 0");
        assert_eq!(ctc.read(2, 100 + period - 1), Some(1));
        ctc.advance(100 + period);
        assert_eq!((ctc.requests(), ctc.read(2, 100 + period)), (Some(100 + period), Some(constant)));
        assert_eq!(ctc.acknowledge(100 + period), Some(0xEC), "the vector has the channel");
        assert_eq!((ctc.requests(), ctc.in_service()), (None, true));
        // Missed rounds are one request; it waits for the end of the routine.
        ctc.advance(100 + 5 * period);
        assert_eq!(ctc.requests(), None);
        ctc.end_of_interrupt(100 + 5 * period);
        assert_eq!(ctc.requests(), Some(100 + 2 * period));
        ctc.write(2, 0x03, 100 + 5 * period);
        assert_eq!((ctc.requests(), ctc.next()), (None, None), "a reset stops it");
    }
    // A counter takes the edges of its kind, and the higher channel goes first.
    let mut ctc = Z8430::default();
    ctc.write(0, 0x10, 0);
    for channel in [0, 3] {
        ctc.write(channel, 0xD5, 0);
        ctc.write(channel, 3, 0);
    }
    let mut at = 0;
    for edge in 0..6 {
        at += 10;
        for bit in [3, 0] {
            ctc.drive(Pin { port: 0, bit }, Some(edge % 2 == 1), at);
        }
    }
    assert_eq!((ctc.read(3, at), ctc.requests()), (Some(3), Some(60)));
    assert_eq!((ctc.acknowledge(at), ctc.acknowledge(at)), (Some(0x10), None));
    ctc.end_of_interrupt(at);
    assert_eq!(ctc.acknowledge(at), Some(0x16));
    // A timer that waits for its trigger.
    ctc.write(1, 0x0D, at);
    ctc.write(1, 4, at);
    ctc.drive(Pin { port: 0, bit: 1 }, Some(true), at);
    ctc.drive(Pin { port: 0, bit: 1 }, Some(false), at + 40);
    assert_eq!(ctc.read(1, at + 40 + 16), Some(3));
}

#[test]
fn the_sio_sends_and_receives_at_the_time_of_its_format() {
    // WR4, WR3 and WR5, bits of a character doubled, what is sent of C1h and what comes of F1h.
    for (format, receiver, sender, halves, sent, came) in [
        (0x44u64, 0xC1u64, 0x68u64, 20u64, 0xC1u8, 0xF1u64),
        (0x45, 0x41, 0x28, 20, 0x41, 0xF1),
        (0x4C, 0x01, 0x08, 16, 0x01, 0xF1),
        (0x84, 0xC1, 0x68, 40, 0xC1, 0xF1),
    ] {
        let mut sio = Z8440::new(4_000_000, Some(64_000));
        assert!(!sio.write(0, 0xC1, 0), "the transmitter is off");
        for (register, value) in [(4, format), (3, receiver), (5, sender)] {
            sio.write(2, register, 0);
            sio.write(2, value, 0);
        }
        let character = halves * 16 * 4_000_000 / 64_000 / 2;
        assert_eq!(sio.read(2, 1), Some(0x2C), "empty, CTS and DCD");
        sio.write(0, 0xC1, 10);
        assert_eq!(sio.read(2, 11), Some(0x2C), "the shift register took it");
        sio.write(0, 0x02, 12);
        assert_eq!(sio.read(2, 13), Some(0x28));
        sio.write(2, 1, 13);
        assert_eq!(sio.read(2, 13), Some(0), "not all is sent");
        sio.advance(10 + character - 1);
        assert!(sio.take_received().is_empty());
        sio.advance(10 + 2 * character);
        assert_eq!(sio.take_received(), [sent, 0x02]);
        sio.type_in(&[0xF1, 0x32], 9000);
        assert_eq!(sio.read(2, 9000 + character - 1), Some(0x2C));
        assert_eq!((sio.read(2, 9000 + character), sio.waiting()), (Some(0x2D), 1));
        assert_eq!(sio.read(0, 9000 + character), Some(came), "format {format:02X}");
    }
}

#[test]
fn the_sio_interrupts_with_its_status_in_the_vector() {
    let mut sio = Z8440::new(1_000_000, Some(16_000));
    for (channel, pairs) in
        [(3, [(2u64, 0x40u64), (1, 0x04)]), (2, [(1, 0x12), (4, 0x44)]), (2, [(3, 0xC1), (5, 0x68)])]
    {
        for (register, value) in pairs {
            sio.write(channel, register, 0);
            sio.write(channel, value, 0);
        }
    }
    assert_eq!((sio.requests(), sio.would_interrupt()), (None, true));
    sio.write(0, 1, 100);
    assert_eq!(sio.requests(), Some(100), "the buffer is empty again");
    sio.type_in(b"k", 100);
    sio.advance(100 + 10_000);
    // The character goes first; what was sent is told after its routine.
    assert_eq!(sio.read(2, 10_101), Some(0x2F));
    assert_eq!(sio.acknowledge(10_101), Some(0x4C));
    assert_eq!((sio.requests(), sio.in_service()), (None, true));
    assert_eq!(sio.read(0, 10_102), Some(u64::from(b'k')));
    sio.end_of_interrupt(10_103);
    assert_eq!(sio.acknowledge(10_104), Some(0x48));
    // The end of an interrupt by command, and the pending one taken back.
    sio.write(2, 0x38, 10_105);
    assert_eq!((sio.requests(), sio.in_service()), (None, false));
    // Without the status in it the vector is as it was written.
    sio.write(3, 1, 10_106);
    sio.write(3, 0, 10_106);
    sio.write(3, 2, 10_107);
    assert_eq!(sio.read(3, 10_107), Some(0x40));
}

/// A 16550 whose characters of eight bits take 3840 cycles.
fn uart() -> Ns16550 {
    let mut uart = Ns16550::new(3_686_400, Some(1_843_200));
    for (register, value) in [(3, 0x83), (0, 12), (1, 0), (3, 0x03)] {
        assert!(uart.write(register, value, 0));
    }
    uart
}

#[test]
fn the_16550_sends_and_receives_at_the_time_of_its_format() {
    // Line control, divisor, halves of bits of a character, what is sent of F1h.
    for (control, divisor, halves, sent) in [
        (0x03u64, 12u64, 20u64, 0xF1u8),
        (0x1B, 1, 22, 0xF1),
        (0x02, 2, 18, 0x71),
        (0x04, 3, 15, 0x11),
        (0x07, 256, 22, 0xF1),
    ] {
        let mut uart = uart();
        for (register, value) in [(3, control | 0x80), (0, divisor & 0xFF), (1, divisor >> 8), (3, control)] {
            uart.write(register, value, 0);
        }
        let character = halves * 16 * divisor;
        assert_eq!(uart.read(5, 1), Some(0x60));
        uart.write(0, 0xF1, 10);
        assert_eq!(uart.read(5, 11), Some(0x20), "the shift register took it");
        uart.write(0, 0x02, 12);
        assert_eq!(uart.read(5, 13), Some(0), "now both are full");
        assert_eq!((uart.read(5, 10 + character - 1), uart.read(5, 10 + character)), (Some(0), Some(0x20)));
        uart.advance(10 + 2 * character);
        assert_eq!((uart.take_received(), uart.read(5, 10 + 2 * character)), (vec![sent, 0x02], Some(0x60)));
        uart.type_in(&[0xF1, 0x02], 900_000);
        assert_eq!(
            (uart.read(5, 900_000 + character - 1), uart.read(5, 900_000 + character)),
            (Some(0x60), Some(0x61))
        );
        assert_eq!((uart.read(0, 990_000), uart.waiting()), (Some(u64::from(sent)), 0));
    }
    let mut uart = uart();
    for value in [0x5A, 0xA5] {
        uart.write(7, value, 5);
        assert_eq!(uart.read(7, 6), Some(value));
    }
    assert_eq!((uart.read(6, 7), uart.write(5, 0, 8), uart.write(6, 0, 8)), (Some(0xB0), false, false));
}

#[test]
fn the_16550_interrupts_in_its_order_and_its_fifos_hold_sixteen() {
    let mut uart = uart();
    uart.write(1, 0x03, 10);
    assert_eq!((uart.read(2, 11), uart.requests()), (Some(0x02), None), "empty, and told by the reading");
    assert_eq!(uart.read(2, 12), Some(0x01));
    // Eight characters are told together; what stays below that is told when it is forgotten.
    uart.write(2, 0x81, 20);
    uart.type_in(&[7; 10], 100);
    let character = 3840;
    uart.advance(100 + 7 * character);
    assert_eq!((uart.requests(), uart.read(5, 100 + 7 * character)), (None, Some(0x61)));
    uart.advance(100 + 8 * character);
    assert_eq!((uart.requests().is_some(), uart.read(2, 100 + 8 * character)), (true, Some(0xC4)));
    let at = 100 + 10 * character;
    (0..8).for_each(|_| assert_eq!(uart.read(0, at), Some(7)));
    assert_eq!((uart.read(2, at), uart.requests()), (Some(0xC1), None));
    assert_eq!(uart.next(), Some(at + 4 * character));
    uart.advance(at + 4 * character);
    assert_eq!(uart.read(2, at + 4 * character), Some(0xCC));
    assert_eq!(
        (uart.read(0, at + 4 * character), uart.read(2, at + 4 * character + 1)),
        (Some(7), Some(0xC1))
    );
    assert_eq!(uart.read(0, at + 4 * character + 2), Some(7));
    // The transmitter's FIFO takes sixteen beside what is on its way, and tells when the last one has left it.
    let at = 1_000_000;
    (0..17u64).for_each(|value| assert!(uart.write(0, value, at + value)));
    assert_eq!(uart.read(5, at + 20).map(|status| status & 0x60), Some(0));
    uart.advance(at + 16 * character);
    assert_eq!(uart.read(2, at + 16 * character), Some(0xC2));
    uart.advance(at + 17 * character);
    assert_eq!(uart.take_received(), (0..17).collect::<Vec<u8>>());
    // In the loop nothing goes out; a FIFO that is full keeps what it has, and the error goes first.
    let mut uart = uart_in_loop();
    (0..17).for_each(|value| assert!(uart.write(0, value, 3000 + value)));
    let end = 3000 + 18 * character;
    assert_eq!(
        (uart.read(2, end), uart.read(5, end), uart.read(2, end + 1)),
        (Some(0xC6), Some(0x63), Some(0xC4))
    );
    assert_eq!(
        (0..16).map(|_| uart.read(0, end + 2).unwrap_or(99)).collect::<Vec<_>>(),
        (0..16).collect::<Vec<_>>()
    );
    assert_eq!((uart.take_received(), uart.read(6, end + 3)), (vec![], Some(0x30)));
}

fn uart_in_loop() -> Ns16550 {
    let mut uart = uart();
    uart.read(0, 1);
    for (register, value) in [(2, 0xC1), (4, 0x13), (1, 0x05)] {
        uart.write(register, value, 2);
    }
    uart
}
