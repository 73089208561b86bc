//! Any program over any control blocks on a disk, any far side of a transfer, any text in other mnemonics.

use plain_byte::assembler::{Texts, translate};
use plain_byte::image::Image;
use plain_byte::machine::services::transient::{FileChange, Volume};
use plain_byte::processor::find;
use plain_byte::session::{Limits, Program, Session, find_board};
use plain_byte::transfer::{BlockSize, EchoSender, Sender, XmodemSender};

thread_local! {
    static CURLEW: Session = Session::shipped("curlew").expect("a board");
}

/// Calls of the disk system with control blocks made of the bytes, then the bytes as a program.
fn on_disk(data: &[u8]) {
    let mut code = Vec::new();
    for pair in data.chunks_exact(2).take(40) {
        // ld de, block; ld c, call; call 5
        let block = 0x2000 + 36 * u16::from(pair[1] & 7);
        code.extend([0x11, block as u8, (block >> 8) as u8, 0x0E, 13 + pair[0] % 28, 0xCD, 5, 0]);
    }
    code.extend(data.iter().take(600));
    code.resize(0x2000 - 0x100, 0);
    code.extend(data.iter().rev().chain(b"\0LOG     TXT").take(0x1000));
    let cells = code.into_iter().map(u64::from).collect();
    let found = find_board("curlew", None, &mut Texts::default()).expect("a board");
    let mut session = CURLEW.with(Clone::clone);
    let mut volume = Volume::new(4096, !data.len().is_multiple_of(3));
    volume.add("log.txt", data.to_vec()).ok();
    volume.add("oil", vec![1; 300]).ok();
    let program = Program::from_image(Image::from_cells(8, 0x100, cells).expect("it fits"));
    // Longer ones are refused.
    let words = [String::from_utf8_lossy(&data[..data.len().min(40)]).into_owned()];
    session.start_transient(&found, &mut Texts::default(), program, &words, volume).expect("it starts");
    session.run(Limits::none().cycles(300_000));
    for change in session.machine().disk().expect("a disk").changes() {
        let (FileChange::Write(name, _) | FileChange::Unfinished(name, _) | FileChange::Remove(name)) =
            change;
        assert!(!name.contains(['/', '\\', ':']) && !name.starts_with('.') && !name.is_empty(), "{name}");
    }
}

fn over_a_line(data: &[u8]) {
    let mut xmodem = XmodemSender::new(data.to_vec(), BlockSize::Large);
    let mut echo = EchoSender::new(&String::from_utf8_lossy(data), 0, data.len().is_multiple_of(2));
    for sender in [&mut xmodem as &mut dyn Sender, &mut echo] {
        for &byte in data {
            sender.step();
            if byte == 0xFF { sender.silence() } else { sender.take(byte & 0x1F) }
        }
        let (done, all) = sender.progress();
        assert!(done <= all);
    }
}

/// Tries it.
pub fn run(data: &[u8]) {
    on_disk(data);
    over_a_line(data);
    if let Ok(text) = std::str::from_utf8(data) {
        let (old, new) = (find("8085").expect("a processor"), find("z80").expect("a processor"));
        assert_eq!(translate(text, old, new).text.lines().count(), text.lines().count());
    }
}
