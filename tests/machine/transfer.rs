//! Sending over a line: XMODEM against a receiver that is written here and a line that damages and loses, lines against their echo,
//! and both against the resident monitor of a board.

use plain_byte::machine::Event;
use plain_byte::session::{Limits, Session};
use plain_byte::transfer::{
    BlockSize, EchoSender, RecordReceiver, SendError, Sender, Step, XmodemReceiver, XmodemSender, crc16,
};
use proptest::prelude::*;
use proptest::test_runner::TestCaseError;

/// A receiver by the protocol's description.
#[derive(Default)]
struct Receiver {
    by_crc: bool,
    taken: Vec<u8>,
    number: u8,
    done: bool,
}

impl Receiver {
    /// What it answers to all that one step of the sender put on the line.
    fn answer(&mut self, bytes: &[u8]) -> Vec<u8> {
        match bytes {
            [4] => {
                self.done = true;
                vec![6]
            }
            [head @ (1 | 2), number, complement, rest @ ..] => {
                let size = if *head == 1 { 128 } else { 1024 };
                let check = if self.by_crc { 2 } else { 1 };
                if *number != !*complement || rest.len() != size + check {
                    return vec![0x15];
                }
                let (data, sum) = rest.split_at(size);
                let right = match self.by_crc {
                    true => sum == crc16(data).to_be_bytes(),
                    false => sum[0] == data.iter().fold(0u8, |sum, byte| sum.wrapping_add(*byte)),
                };
                if !right {
                    return vec![0x15];
                }
                if *number == self.number.wrapping_add(1) {
                    self.number = *number;
                    self.taken.extend(data);
                }
                vec![6]
            }
            _ => vec![0x15],
        }
    }
}

proptest! {
    #[test]
    fn a_file_arrives_whole_over_a_line_that_damages_and_loses(
        data in proptest::collection::vec(any::<u8>(), 0..3000),
        by_crc in any::<bool>(),
        large in any::<bool>(),
        harm in proptest::collection::vec(0u8..12, 0..60),
    ) {
        let size = if large { BlockSize::Large } else { BlockSize::Small };
        let mut sender = XmodemSender::new(data.clone(), size);
        let mut receiver = Receiver { by_crc, ..Receiver::default() };
        let mut harm = harm.into_iter();
        sender.take(if by_crc { b'C' } else { 0x15 });
        let mut silent = 0;
        loop {
            match sender.step() {
                Step::Send(mut bytes) => {
                    let harm = harm.next();
                    // One answer in six is lost, one block in six damaged, never ten in a row.
                    if harm == Some(0) && bytes.len() > 1 {
                        let at = bytes.len() / 2;
                        bytes[at] ^= 0x10;
                    }
                    let answer = receiver.answer(&bytes);
                    if harm == Some(1) {
                        sender.silence();
                        continue;
                    }
                    answer.into_iter().for_each(|byte| sender.take(byte));
                }
                Step::Wait => {
                    silent += 1;
                    prop_assert!(silent < 100);
                    sender.silence();
                }
                Step::Done => break,
                Step::Failed(error) => prop_assert!(false, "{}", error),
            }
        }
        prop_assert!(receiver.done);
        prop_assert_eq!(sender.progress(), (data.len(), data.len()));
        let (file, fill) = receiver.taken.split_at(data.len());
        prop_assert_eq!(file, &data[..]);
        prop_assert!(fill.len() < 128 && fill.iter().all(|&byte| byte == 0x1A));
    }
}

#[test]
fn a_transfer_ends_where_the_far_side_does_not_want_it() {
    let mut sender = XmodemSender::new(vec![1; 300], BlockSize::Small);
    assert_eq!(sender.step(), Step::Wait);
    sender.silence();
    assert_eq!(
        (sender.step(), sender.step()),
        (Step::Send(vec![0x18, 0x18]), Step::Failed(SendError::NoAnswer))
    );
    // Cancelled half-way: a single CAN is noise, two in a row are meant.
    let mut sender = XmodemSender::new(vec![1; 300], BlockSize::Small);
    for byte in [b'x', b'C', 0x18, 6, 0x18, 0x18] {
        sender.take(byte);
    }
    assert_eq!(sender.progress(), (128, 300));
    let steps: Vec<Step> = (0..2).map(|_| sender.step()).collect();
    assert_eq!(steps.last(), Some(&Step::Failed(SendError::Cancelled)));
    // Refused again and again.
    let mut sender = XmodemSender::new(vec![1; 300], BlockSize::Small);
    sender.take(b'C');
    let refused = (0..40).find_map(|_| match sender.step() {
        Step::Failed(error) => Some(error),
        _ => {
            sender.take(0x15);
            None
        }
    });
    assert_eq!(refused, Some(SendError::Refused { block: 1, times: 10 }));
    // Whatever comes, it ends or waits.
    for byte in 0..=255u8 {
        let mut sender = XmodemSender::new(vec![1; 10], BlockSize::Large);
        for _ in 0..50 {
            sender.take(byte);
            sender.step();
            sender.silence();
        }
    }
}

#[test]
fn lines_are_held_against_their_echo() {
    let mut sender = EchoSender::new("one\ntwo\nthree\n", 1, true);
    assert_eq!((sender.step(), sender.step()), (Step::Send(b"two\r\n".to_vec()), Step::Wait));
    b"tw".iter().for_each(|&byte| sender.take(byte));
    assert_eq!((sender.step(), sender.line()), (Step::Wait, 1));
    b"o\r\n".iter().for_each(|&byte| sender.take(byte));
    assert_eq!((sender.step(), sender.progress()), (Step::Send(b"three\r\n".to_vec()), (2, 3)));
    b"thR".iter().for_each(|&byte| sender.take(byte));
    let wrong = SendError::Echo { sent: "three".into(), came: "thR".into() };
    assert_eq!((sender.step(), sender.line()), (Step::Failed(wrong.clone()), 2));
    assert_eq!(wrong.to_string(), "`three` came back as `thR`");
    // Silence in the middle of a line, and at its beginning.
    for (came, error) in
        [(&b""[..], SendError::NoAnswer), (b"o", SendError::Echo { sent: "one".into(), came: "o".into() })]
    {
        let mut sender = EchoSender::new("one", 0, true);
        sender.step();
        came.iter().for_each(|&byte| sender.take(byte));
        sender.silence();
        assert_eq!(sender.step(), Step::Failed(error));
    }
    // Without an echo nothing is waited for.
    let mut sender = EchoSender::new("one\ntwo", 0, false);
    assert_eq!(sender.step(), Step::Send(b"one\r\n".to_vec()));
    assert_eq!(sender.step(), Step::Send(b"two\r\n".to_vec()));
    assert_eq!(sender.step(), Step::Done);
}

/// The sender against the board's monitor, both on the same clock.
fn to_curlew(word: &str, sender: &mut dyn Sender) -> (Step, Session) {
    let mut session = Session::shipped("curlew").expect("a board");
    session.happen(Event::Typed(word.as_bytes().to_vec())).expect("a console");
    session.run(Limits::none().cycles(400_000));
    // What it says to its word is no answer to the sender, but for the last character, which asks.
    let mut seen = session.machine().output().len().saturating_sub(1);
    let per_millisecond = session.machine().board().clock / 1000;
    let mut quiet = 0;
    loop {
        match sender.step() {
            Step::Send(bytes) => _ = session.happen(Event::Typed(bytes)),
            Step::Wait => {
                session.run(Limits::none().cycles(per_millisecond));
                let output = session.machine().output();
                quiet = if output.len() > seen { 0 } else { quiet + 1 };
                output[seen..].iter().for_each(|&byte| sender.take(byte));
                seen = output.len();
                if quiet > sender.patience() {
                    sender.silence();
                }
            }
            end => return (end, session),
        }
    }
}

#[test]
fn the_resident_monitor_takes_what_is_sent() {
    let file: Vec<u8> = (0..2500u32).map(|at| (at * 31 + at / 256) as u8).collect();
    let cells = |session: &Session| -> Vec<u8> {
        (0x8000..0x8000 + 2500).map(|at| session.machine().cell(at) as u8).collect()
    };
    for size in [BlockSize::Small, BlockSize::Large] {
        let (end, session) = to_curlew("receive 8000\r", &mut XmodemSender::new(file.clone(), size));
        assert_eq!((end, cells(&session) == file), (Step::Done, true), "{size:?}");
    }
    let image =
        plain_byte::image::Image::from_cells(8, 0x8000, file.iter().map(|&byte| byte.into()).collect())
            .expect("it fits");
    let written =
        plain_byte::image::hex::FORMAT.write(&image, &Default::default()).expect("it can be written");
    let text = String::from_utf8(written[0].bytes.clone()).expect("a text");
    let (end, session) = to_curlew("load\r", &mut EchoSender::new(&text, 0, true));
    assert_eq!((end, cells(&session) == file), (Step::Done, true));
}

proptest! {
    /// Whatever a line does to single blocks and answers, a file that is taken is the one that was sent, or it is told that it was not.
    #[test]
    fn a_file_is_taken_whole_over_a_line_that_damages_and_loses(
        data in proptest::collection::vec(any::<u8>(), 1..3000),
        large in any::<bool>(),
        harm in proptest::collection::vec(0u8..14, 0..60),
    ) {
        let size = if large { BlockSize::Large } else { BlockSize::Small };
        let (mut sender, mut receiver) = (XmodemSender::new(data.clone(), size), XmodemReceiver::new());
        let mut harm = harm.into_iter();
        let mut quiet = 0;
        loop {
            let mut moved = false;
            match receiver.step() {
                Step::Send(bytes) => {
                    moved = true;
                    // An answer is lost now and then; a cancel is not.
                    if harm.next() != Some(0) {
                        bytes.into_iter().for_each(|byte| sender.take(byte));
                    }
                }
                Step::Done => break,
                Step::Failed(error) => return Err(TestCaseError::fail(error.to_string())),
                Step::Wait => {}
            }
            if let Step::Send(mut bytes) = sender.step() {
                moved = true;
                match harm.next() {
                    Some(1) if bytes.len() > 9 => bytes[9] ^= 0x40,
                    Some(2) => bytes.truncate(bytes.len() / 2),
                    Some(3) => bytes.clear(),
                    _ => {}
                }
                bytes.into_iter().for_each(|byte| receiver.take(byte));
            }
            if moved {
                quiet = 0;
            } else {
                quiet += 1;
                prop_assert!(quiet < 200, "nothing moves");
                // Who has less patience speaks first.
                if receiver.patience() <= sender.patience() { receiver.silence() } else { sender.silence() }
            }
        }
        let (file, fill) = receiver.data().split_at(data.len());
        prop_assert_eq!(file, &data[..]);
        prop_assert!(fill.len() < 128 && fill.iter().all(|&byte| byte == 0x1A));
    }

    /// Nothing that a far side says brings a receiver down, and it comes to an end.
    #[test]
    fn a_receiver_takes_anything(said in proptest::collection::vec(any::<u8>(), 0..600)) {
        for mut receiver in [Box::new(XmodemReceiver::new()) as Box<dyn Sender>, Box::new(RecordReceiver::hex()), Box::new(RecordReceiver::srec())] {
            said.iter().for_each(|&byte| receiver.take(byte));
            let mut steps = 0;
            while !matches!(receiver.step(), Step::Done | Step::Failed(_)) {
                receiver.silence();
                steps += 1;
                prop_assert!(steps < 100);
            }
        }
    }
}

#[test]
fn a_receiver_asks_and_gives_up() {
    let mut receiver = XmodemReceiver::new();
    let mut asked = Vec::new();
    let end = loop {
        match receiver.step() {
            Step::Send(bytes) => asked.extend(bytes),
            Step::Wait => receiver.silence(),
            end => break end,
        }
    };
    // Six times for a CRC, six times for a checksum.
    assert_eq!(
        (asked.as_slice(), end),
        (&b"CCCCCC\x15\x15\x15\x15\x15\x15\x18\x18"[..], Step::Failed(SendError::NoAnswer))
    );
    // A block by checksum, then a block that is neither the next nor the one before.
    let mut receiver = XmodemReceiver::new();
    (0..6).for_each(|_| receiver.silence());
    let block = |number: u8| [&[1, number, !number][..], &[7; 128], &[0x80]].concat();
    block(1).into_iter().for_each(|byte| receiver.take(byte));
    assert_eq!((receiver.step(), receiver.data().len()), (Step::Send(vec![6]), 128));
    block(4).into_iter().for_each(|byte| receiver.take(byte));
    assert_eq!(
        (receiver.step(), receiver.step()),
        (Step::Send(vec![0x18, 0x18]), Step::Failed(SendError::Lost { block: 2 }))
    );
}

/// What the board's monitor sends comes as it stands in memory, by both words.
#[test]
fn the_resident_monitor_gives_what_is_asked_for() {
    let wanted: Vec<u8> = (0xE000..0xE155)
        .map(|at| Session::shipped("curlew").expect("a board").machine().cell(at) as u8)
        .collect();
    let mut receiver = XmodemReceiver::new();
    let (end, _) = to_curlew("give e000 e154\r", &mut receiver);
    assert_eq!(end, Step::Done);
    assert_eq!(receiver.data()[..wanted.len()], wanted);
    assert!(receiver.data()[wanted.len()..].iter().all(|&byte| byte == 0x1A));
    let mut receiver = RecordReceiver::hex();
    // What it says to its word belongs to the records.
    let mut session = Session::shipped("curlew").expect("a board");
    session.happen(Event::Typed(b"hex e000 e154\r".to_vec())).expect("a console");
    session.run(Limits::none().cycles(3_000_000));
    session.machine().output().iter().for_each(|&byte| receiver.take(byte));
    assert_eq!(receiver.step(), Step::Done, "{}", receiver.text());
    let image = plain_byte::image::Format::named("hex")
        .expect("a form")
        .read(receiver.text().as_bytes(), &plain_byte::image::Settings::default());
    let image = image.expect("records");
    let cells: Vec<u8> = image.segments()[0].cells.iter().map(|&cell| cell as u8).collect();
    assert_eq!((image.segments()[0].start, cells), (0xE000, wanted));
}
