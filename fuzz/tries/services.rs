//! Calls of boot services and disk services with any registers, any file as an EXE program, any bytes as a disk in the drive.

use plain_byte::assembler::Texts;
use plain_byte::image::Image;
use plain_byte::machine::Event;
use plain_byte::machine::services::dos::Floppy;
use plain_byte::machine::services::{FileChange, Volume};
use plain_byte::session::{Limits, Program, Session, find_board};

thread_local! {
    static PETREL: Session = Session::shipped("petrel").expect("a board");
}

/// The interrupts that are called.
const INTERRUPTS: [u8; 8] = [0x21, 0x21, 0x21, 0x21, 0x10, 0x13, 0x16, 0x1A];

fn volume(data: &[u8]) -> Volume {
    let mut volume = Volume::new(1 << 16, !data.len().is_multiple_of(3));
    volume.add("log.txt", data.to_vec()).ok();
    volume.add("say.com", vec![0xB4, 0x4C, 0xCD, 0x21]).ok();
    volume
}

/// What was changed stays on the disk.
fn look(session: &Session) {
    for change in session.machine().disk().expect("a disk").changes() {
        let (FileChange::Write(name, _) | FileChange::Unfinished(name, _) | FileChange::Remove(name)) =
            change;
        assert!(!name.contains(['/', '\\', ':']) && !name.starts_with('.') && !name.is_empty(), "{name}");
    }
}

/// A program that loads its registers with the bytes and calls, again and again; behind it the bytes once more, as what it names.
fn calls(data: &[u8]) {
    let mut code = Vec::new();
    for chunk in data.chunks_exact(8).take(24) {
        for (register, pair) in [0xB8, 0xBB, 0xB9, 0xBA].into_iter().zip(chunk.chunks_exact(2)) {
            code.extend([register, pair[0], pair[1]]);
        }
        // mov si, dx; mov di, bx
        code.extend([0x89, 0xD6, 0x89, 0xDF]);
        code.extend([0xCD, INTERRUPTS[usize::from(chunk[7] >> 5)]]);
    }
    code.extend([0xB4, 0x4C, 0xCD, 0x21]);
    code.extend(data.iter().chain(b"\0log.txt\0SAY.COM\0*.*\0").take(0x2000));
    let found = find_board("petrel", None, &mut Texts::default()).expect("a board");
    let mut session = PETREL.with(Clone::clone);
    if let Ok(floppy) =
        Floppy::new(data.iter().copied().cycle().take(163_840).collect(), data.len().is_multiple_of(2))
    {
        session.insert_floppy(&floppy);
    }
    let cells = code.into_iter().map(u64::from).collect();
    let program = Program::from_image(Image::from_cells(8, 0x100, cells).expect("it fits"));
    let words = [String::from_utf8_lossy(data).into_owned()];
    if session.start_transient(&found, &mut Texts::default(), program, &words, volume(data)).is_err() {
        return;
    }
    session.happen(Event::Typed(b"lamp\r\r\r".to_vec())).expect("a keyboard");
    session.run(Limits::none().cycles(400_000).rest());
    look(&session);
}

/// The bytes behind the letters of an EXE program.
fn program(data: &[u8]) {
    let mut file = b"MZ".to_vec();
    file.extend(data);
    let mut session = PETREL.with(Clone::clone);
    session.put_disk(&volume(data));
    let mut machine = session.machine().clone();
    if let Some(Ok(start)) = machine.start_program(&file, "ANY.EXE", &[]) {
        assert!(start.base > start.prefix);
        machine.run(machine.cycles() + 50_000, plain_byte::machine::Watching::Nothing);
    }
}

/// Tries it.
pub fn run(data: &[u8]) {
    calls(data);
    program(data);
    let _ = Floppy::new(data.to_vec(), false).map(|floppy| floppy.bytes().len());
}
