//! The PC-style board: boot services, disk services and the resident prompt, as programs and an operator meet them.

use plain_byte::assembler::{Assembly, Options, Texts, assemble};
use plain_byte::machine::Event;
use plain_byte::machine::services::dos::{Floppy, LoadFault};
use plain_byte::machine::services::{FileName, Volume};
use plain_byte::session::{Limits, OpenError, Program, Session, Stop, find_board};

fn assembled(source: &str) -> Assembly {
    let options = Options::default().cpu("8086").expect("a processor");
    let assembly = assemble("test.asm", &mut Texts::one("test.asm", source), &options);
    assert!(assembly.succeeded(), "{source}\n{}", crate::common::told(&assembly));
    assembly
}

fn volume(files: &[(&str, &str)], writable: bool) -> Volume {
    let mut volume = Volume::new(Volume::CAPACITY, writable);
    files.iter().for_each(|(name, text)| volume.add(name, text.as_bytes().to_vec()).expect("it has room"));
    volume
}

/// A program of the disk, started with words after its name.
fn started(source: &str, words: &[&str], volume: Volume) -> Result<Session, OpenError> {
    let found = find_board("petrel", None, &mut Texts::default()).expect("a board");
    let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
    let words: Vec<String> = words.iter().map(|word| word.to_string()).collect();
    let program = Program::from_assembly(&assembled(source));
    session.start_transient(&found, &mut Texts::default(), program, &words, volume)?;
    Ok(session)
}

/// A COM program with the usual way out: `out` writes AL as two hex digits, `end` ends.
fn com(body: &str) -> String {
    format!(
        "        org 100h
{body}
end:    mov ax, 4C00h
        int 21h
out:    push ax
        push bx
        push cx
        push dx
        mov bx, digits
        mov ah, al
        mov cl, 4
        shr al, cl
        xlat
        mov dl, al
        mov al, ah
        and al, 0Fh
        xlat
        mov bl, al
        mov ah, 2
        int 21h
        mov dl, bl
        mov ah, 2
        int 21h
        pop dx
        pop cx
        pop bx
        pop ax
        ret
outw:   xchg al, ah
        call out
        xchg al, ah
        jmp out
digits: db \"0123456789ABCDEF\"
"
    )
    .replace("out:", "put_hex:")
    .replace("outw:", "put_word:")
    .replace("call outw", "call put_word")
    .replace("call out", "call put_hex")
    .replace("jmp out", "jmp put_hex")
}

fn output(session: &Session) -> String {
    String::from_utf8_lossy(session.machine().output()).into_owned()
}

const LIMIT: u64 = 60_000_000;

fn limits() -> Limits {
    Limits::none().rest().cycles(LIMIT)
}

/// What each program does: its body, what is typed, what it shows.
const TRIES: &[(&str, &str, &str)] = &[
    // The console.
    ("mov ah, 1\nint 21h\nmov ah, 8\nint 21h\ncall out", "ab", "a62"),
    ("mov ah, 6\nmov dl, 0FFh\nint 21h\nlahf\nmov al, ah\nand al, 40h\ncall out", "", "40"),
    ("mov ah, 7\nint 21h\ncall out\nmov ah, 7\nint 21h\ncall out", "\x03x", "0378"),
    (
        "mov dx, 200h\nmov byte ptr [200h], 6\nmov ah, 0Ah\nint 21h\nmov al, [201h]\ncall out\nmov al, [203h]\ncall out",
        "lix\x08vel\r",
        "lix\x08 \x08vel\r0569",
    ),
    (
        "again: mov ah, 0Bh\nint 21h\nor al, al\njz again\ncall out\nmov ax, 0C08h\nint 21h\ncall out",
        "a",
        "FF",
    ),
    ("mov dl, 9\nmov ah, 2\nint 21h\nmov dl, 'x'\nmov ah, 2\nint 21h", "", "        x"),
    ("mov dx, t\nmov ah, 9\nint 21h\njmp end\nt: db \"fog\\r\\n$\"", "", "fog\r\n"),
    // Control C breaks, by the vector of 23h.
    ("mov ah, 1\nint 21h\nmov al, 99h\ncall out", "\x03", "^C\r\n"),
    (
        "mov dx, h\nmov ax, 2523h\nint 21h\nmov ah, 1\nint 21h\ncall out\njmp end\nh: mov dl, '!'\nmov ah, 2\nint 21h\niret",
        "\x03a",
        "^C\r\n!a61",
    ),
    // Vectors, version, drive, prefix.
    ("mov ax, 3521h\nint 21h\nmov ax, es\ncall outw", "", "F000"),
    ("mov ah, 30h\nint 21h\ncall outw\nmov ah, 19h\nint 21h\ncall out", "", "0A0200"),
    (
        "mov ah, 62h\nint 21h\nmov ax, ds\nsub ax, bx\ncall outw\nmov al, [80h]\ncall out\nmov al, [0]\ncall out",
        "",
        "000000CD",
    ),
    // Date and time, by the board's own clock.
    (
        "mov cx, 2024\nmov dx, 021Ch\nmov ah, 2Bh\nint 21h\ncall out\nmov cx, 173Bh\nmov dx, 3B63h\nmov ah, 2Dh\nint 21h\nw: mov ah, 2Ch\nint 21h\nor ch, ch\njnz w\nmov ah, 2Ah\nint 21h\ncall out\nmov ax, dx\ncall outw",
        "",
        "0004021D",
    ),
    (
        "mov cx, 2023\nmov dx, 021Dh\nmov ah, 2Bh\nint 21h\ncall out\nmov cx, 1800h\nmov ah, 2Dh\nint 21h\ncall out",
        "",
        "FFFF",
    ),
    // Memory: the program has all of it, gives some back, and asks again.
    (
        "mov bx, 10h\nmov ah, 48h\nint 21h\njnc bad\ncall outw\nmov bx, 1000h\nmov ah, 4Ah\nint 21h\njc bad\nmov bx, 20h\nmov ah, 48h\nint 21h\njc bad\nmov es, ax\nmov ah, 49h\nint 21h\njc bad\nmov ah, 49h\nint 21h\ncall outw\njmp end\nbad: mov al, 0EEh\ncall out",
        "",
        "00080009",
    ),
    // A header that the program has written over.
    (
        "mov bx, 1000h\nmov ah, 4Ah\nint 21h\nmov ax, ds\nadd ax, 1000h\nmov es, ax\nmov byte ptr es:[0], 'X'\nmov bx, 1\nmov ah, 48h\nint 21h\ncall outw",
        "",
        "0007",
    ),
    // The file calls answer what cannot be.
    (
        "mov dx, n\nmov ax, 3D00h\nint 21h\ncall outw\nmov bx, 99\nmov ah, 3Eh\nint 21h\ncall outw\nmov dx, p\nmov ax, 3D00h\nint 21h\ncall outw\nmov ah, 39h\nint 21h\ncall outw\njmp end\nn: db \"none.txt\", 0\np: db \"\\\\logs\\\\a.txt\", 0",
        "",
        "0002000600030003",
    ),
    ("mov dx, n\nmov ax, 3D00h\nint 21h\ncall outw\njmp end\nn: db \"l*.t?t\", 0", "", "0002"),
    // A key of the boot services, and its number.
    (
        "mov ah, 0\nint 16h\ncall outw\nmov ah, 1\nint 16h\nlahf\nmov al, ah\nand al, 40h\ncall out",
        "A",
        "1E4140",
    ),
    ("int 12h\ncall outw\nint 11h\ncall outw", "", "02800221"),
    ("mov ah, 0Fh\nint 10h\ncall outw\nmov al, bh\ncall out", "", "500300"),
    // The time of day goes on by ticks.
    (
        "mov ah, 0\nint 1Ah\nmov bx, dx\nw: int 1Ah\ncmp dx, bx\nje w\nsub dx, bx\nmov ax, dx\ncall outw",
        "",
        "0001",
    ),
    // 27h and 31h end, and RET does.
    ("mov dl, 'r'\nmov ah, 2\nint 21h\nret", "", "r"),
    ("int 20h", "", ""),
];

#[test]
fn console_memory_and_clock_calls_do_what_they_say() {
    for (body, typed, shown) in TRIES {
        let mut session = started(&com(body), &[], volume(&[], false)).expect("it starts");
        if !typed.is_empty() {
            session.happen(Event::Typed(typed.as_bytes().to_vec())).expect("a keyboard");
        }
        let stop = session.run(limits());
        assert_eq!(output(&session), *shown, "{body}");
        let waits = body.contains("0C08h");
        assert_eq!(stop, if waits { Stop::Input } else { Stop::Ended }, "{body}");
    }
}

#[test]
fn files_are_read_and_written_by_handles_and_by_blocks() {
    let by_handles = com("
        mov dx, old
        mov ax, 3D02h
        int 21h
        mov bx, ax
        mov ax, 4202h           ; to the end
        xor cx, cx
        xor dx, dx
        int 21h
        call outw
        mov dx, more
        mov cx, 5
        mov ah, 40h
        int 21h
        mov ax, 4200h
        xor cx, cx
        mov dx, 2
        int 21h
        mov dx, 300h
        mov cx, 100
        mov ah, 3Fh
        int 21h
        call outw
        mov si, 300h
        mov cx, ax
        mov bx, 1               ; the console as a file
        mov dx, 300h
        mov ah, 40h
        int 21h
        mov ah, 3Ch             ; a new one, with a second handle
        xor cx, cx
        mov dx, new
        int 21h
        mov bx, ax
        mov ah, 45h
        int 21h
        call outw
        mov ah, 3Eh
        int 21h
        mov bx, 7
        mov dx, old
        mov cx, 7
        mov ah, 40h
        int 21h
        mov cx, 3
        mov bx, 7
        mov ah, 46h             ; handle 3 the same
        int 21h
        mov bx, 3
        mov dx, old
        mov cx, 1
        mov ah, 40h
        int 21h
        mov dx, new
        mov di, third
        mov ah, 56h
        int 21h
        jmp end
old:    db \"LOG.TXT\", 0
new:    db \"fresh.txt\", 0
third:  db \"A:third.txt\", 0
more:   db \"lamp!\"
");
    let by_blocks = com("
        mov dx, 5Ch             ; the block of the first word
        mov ah, 0Fh
        int 21h
        call out
        mov ax, [6Ch]           ; the low half of the file's size
        call outw
        mov dx, 400h
        mov ah, 1Ah
        int 21h
        mov word ptr [6Ah], 3   ; records of three bytes
        mov dx, 5Ch
        mov ah, 14h
        int 21h
        call out
        mov al, [400h]
        call out
        mov word ptr [7Dh], 1   ; the random record
        mov word ptr [7Fh], 0
        mov dx, 5Ch
        mov ah, 21h
        int 21h
        call out
        mov al, [400h]
        call out
        mov byte ptr [400h], '*'
        mov ah, 22h
        int 21h
        call out
        mov ah, 10h
        int 21h
        mov si, pattern
        mov di, 500h
        mov ax, 2901h
        int 21h
        call out
        mov dx, 500h
        mov ah, 11h
        int 21h
        call out
        mov al, [401h]
        call out
        mov ah, 12h
        int 21h
        call out
        jmp end
pattern: db \"  *.txt\", 13
");
    let listing = com("
first:  mov dx, pattern
        xor cx, cx
        mov ah, 4Eh
.next:  int 21h
        jc .end
        mov si, 9Eh
.letter: lodsb
        mov dl, al
        or al, al
        jz .more
        mov ah, 2
        int 21h
        jmp .letter
.more:  mov al, [9Ah]
        call out
        mov ah, 4Fh
        jmp .next
.end:   call outw
        jmp end
pattern: db \"*.T?T\", 0
");
    let files: &[(&str, &str)] = &[("log.txt", "fog at dawn"), ("oil.txt", "12"), ("map.com", "x")];
    for (source, words, shown, changed) in [
        (
            &by_handles,
            &[][..],
            "000B000Eg at dawnlamp!0007",
            &[("log.txt", "fog at dawnlamp!"), ("third.txt", "LOG.TXTL")][..],
        ),
        (&by_blocks, &["log.txt"], "00000B006600200001004C00", &[]),
        (&listing, &[], "LOG.TXT0BOIL.TXT020012", &[]),
    ] {
        let mut session = started(source, words, volume(files, true)).expect("it starts");
        let stop = session.run(limits());
        assert_eq!(output(&session), shown);
        if *source == by_blocks {
            let log = FileName::of_host("log.txt").expect("a name");
            assert_eq!(session.machine().disk().and_then(|disk| disk.bytes(log)), Some(&b"fog*at dawn"[..]));
        }
        assert_eq!(stop, Stop::Ended);
        let disk = session.machine().disk().expect("a disk");
        for (name, text) in changed {
            let name = FileName::of_host(name).expect("a name");
            assert_eq!(disk.bytes(name).map(String::from_utf8_lossy).as_deref(), Some(*text), "{name}");
        }
    }
    // What changes the disk ends the run where the disk may only be read.
    let mut session = started(&by_handles, &[], volume(files, false)).expect("it starts");
    let stop = session.run(limits());
    assert!(stop.words(session.processor()).contains("--writable"), "{stop:?}");
    assert!(session.machine().disk().is_some_and(|disk| disk.changes().is_empty()));
}

#[test]
fn what_the_services_remember_is_in_the_marks() {
    let mark = |body: &str| {
        let mut session = started(&com(body), &[], volume(&[("log.txt", "fog")], false)).expect("it starts");
        session.run(limits());
        session.machine().mark().disk
    };
    let verify = |on: u8| mark(&format!("mov ax, 2E0{on}h\nint 21h"));
    assert_eq!(verify(1), verify(1));
    assert_ne!(verify(0), verify(1));
    let open = "mov dx, n\nmov ax, 3D00h\nint 21h\njmp end\nn: db \"log.txt\", 0";
    assert_ne!(mark(open), mark(&open.replace("3D", "4E")));
}

/// Programs that do harm, and what comes of it: the end of the run in words.
const HARMFUL: &[(&str, &str)] = &[
    // The vectors written over, so that they lead to the cells at 0, and so that they lead nowhere.
    ("xor ax, ax\nmov es, ax\nmov di, ax\nmov cx, 8000h\nrep stosw\nint 21h", "waits for an interrupt"),
    (
        "xor ax, ax\nmov es, ax\nmov ax, 0F0FFh\nxor di, di\nmov cx, 200h\nrep stosw\nint 21h",
        "not an instruction",
    ),
    // A routine that calls itself by its interrupt, until its stack has come down to it.
    ("mov dx, a\nmov ax, 2560h\nint 21h\na: int 60h\njmp a", "not an instruction"),
    ("a: int 0\njmp a", "the limit of clocks"),
    ("xor dx, dx\ndiv dl", "has ended"),
];

#[test]
fn harm_comes_to_an_end() {
    for (body, told) in HARMFUL {
        let mut session = started(&com(body), &[], volume(&[], false)).expect("it starts");
        let stop = session.run(limits());
        let words = stop.words(session.processor());
        assert!(words.contains(told), "{body}: {words}");
    }
    // A tail has 126 characters at most, and names have no wild cards where one file is meant.
    let tail = com("mov al, [80h]\ncall out");
    let mut session = started(&tail, &[&"x".repeat(125)], volume(&[], false)).expect("it starts");
    session.run(limits());
    assert_eq!(output(&session), "7E");
    let refused = started(&tail, &[&"x".repeat(126)], volume(&[], false)).map(|_| ());
    assert!(refused.is_err_and(|error| error.to_string().contains("take 127 characters")));
}

#[test]
fn a_call_that_is_not_covered_says_which_it_is() {
    let mut session = started(&com("mov ah, 38h\nint 21h"), &[], volume(&[], false)).expect("it starts");
    let stop = session.run(limits());
    let words = stop.words(session.processor());
    assert!(words.contains("56") && words.contains("country"), "{words}");
}

#[test]
fn the_prompt_runs_programs_of_the_disk() {
    let found = find_board("petrel", None, &mut Texts::default()).expect("a board");
    let file = |source: &str| {
        let image = assembled(source).image;
        image.segments()[0].cells.iter().map(|&cell| cell as u8).collect::<Vec<u8>>()
    };
    let child =
        com("mov cl, [80h]\nmov ch, 0\nmov dx, 81h\nmov bx, 1\nmov ah, 40h\nint 21h\nmov ax, 4C2Ah\nint 21h");
    let parent = com("
        mov sp, stack_end
        mov bx, 40h             ; room for the other
        mov ah, 4Ah
        int 21h
        mov [block + 4], ds
        mov [block + 8], ds
        mov [block + 12], ds
        mov dx, name
        mov bx, block
        mov ax, 4B00h
        int 21h
        jnc fine
        jmp end
fine:   mov ah, 4Dh
        int 21h
        call outw
        jmp end
name:   db \"SAY.COM\", 0
block:  dw 0, tail, 0, 5Ch, 0, 6Ch, 0
tail:   db 4, \" lit\", 13
        ds 100, 0
stack_end:
");
    let mut disk = volume(&[("log.txt", "fog\r\n"), ("bad.exe", "MZ")], false);
    disk.add("say.com", file(&child)).expect("room");
    disk.add("both.com", file(&parent)).expect("room");
    let mut session = Session::open(&found, &mut Texts::default()).expect("it opens");
    session.put_disk(&disk);
    let typed = "files *.com\rshow log.txt\rSAY  out there\rlast\rboth\rbad\rnix\rclear\r";
    let mut keys = typed;
    // Somebody who types a line when the prompt waits.
    while !keys.is_empty() {
        let (line, rest) = keys.split_at(keys.find('\r').map_or(keys.len(), |at| at + 1));
        assert_eq!(session.run(limits()), Stop::Input, "{}", output(&session));
        session.happen(Event::Typed(line.as_bytes().to_vec())).expect("a keyboard");
        keys = rest;
    }
    assert_eq!(session.run(limits()), Stop::Input);
    let shown = output(&session).replace('\r', "");
    for (line, answer) in [
        ("files *.com", "BOTH.COM"),
        ("show log.txt", "fog"),
        ("SAY  out there", "  out there"),
        ("last", "It ended with 42"),
        ("both", " lit002A"),
        ("bad", "It is no program"),
        ("nix", "There is no such word"),
    ] {
        let at = shown.find(&format!("> {line}\n")).unwrap_or_else(|| panic!("{line}: {shown}"));
        let behind = &shown[at + line.len() + 3..];
        assert!(behind.starts_with(answer), "{line}: {behind:?}");
    }
    let picture = session.machine().screen().expect("a screen");
    assert_eq!(picture.lines()[0], ">", "the screen was cleared");
}

#[test]
fn a_disk_in_the_drive_is_booted_and_read_and_written() {
    let boot = "
        org 7C00h
start:  mov ah, 8
        int 13h
        mov al, dh
        call show
        mov ax, 0201h           ; the next sector
        mov cx, 2
        xor dx, dx
        mov bx, 7E00h
        int 13h
        mov al, [7E00h]
        call show
        mov ax, 0301h
        mov cx, 3
        xor dx, dx
        int 13h
        mov al, ah
        call show
        mov ax, 0201h
        mov cx, 0Ah             ; no such sector
        xor dx, dx
        int 13h
        mov al, ah
        call show
        mov ax, 0201h
        mov dx, 1               ; no such drive
        int 13h
        mov al, ah
        call show
stop:   jmp stop
show:   push cx
        add al, 'A'
        mov ah, 0Eh
        int 10h
        pop cx
        ret
        pad 7DFEh
        dw 0AA55h
        db 3
        pad 8000h
";
    let cells: Vec<u8> = assembled(boot).image.segments()[0].cells.iter().map(|&cell| cell as u8).collect();
    for (writable, wrote) in [(true, 'A'), (false, 'D')] {
        let mut bytes = cells.clone();
        bytes.resize(368_640, 0);
        let mut session = Session::shipped("petrel").expect("a board");
        assert!(session.insert_floppy(&Floppy::new(bytes, writable).expect("a disk")));
        assert_eq!(session.run(limits()), Stop::Endless);
        // The status of no drive, 80h, is after the letters.
        let letters: String = output(&session).chars().take(4).collect();
        assert_eq!(letters, format!("BD{wrote}E"));
        let floppy = session.machine().floppy().expect("a disk");
        assert_eq!((floppy.is_changed(), floppy.bytes()[1024] == 3), (writable, writable));
        let access = session.machine().drive_access().expect("it was used");
        let sector = if writable { 3 } else { 2 };
        assert_eq!((access.writes, access.sector), (writable, Some((0, 0, sector))));
    }
    for size in [511, 513, 0, 368_641] {
        let error = Floppy::new(vec![0; size], false).expect_err("no disk");
        assert!(error.to_string().starts_with(&format!("{size} bytes are no floppy disk")));
    }
    // Without a signature the prompt comes up.
    let mut session = Session::shipped("petrel").expect("a board");
    session.insert_floppy(&Floppy::new(vec![0; 512], false).expect("a disk"));
    assert_eq!(session.run(limits()), Stop::Input);
}

#[test]
fn exe_programs_are_started_in_their_segments_and_lies_are_refused() {
    let source = "
        stack 80h
        part data
there:  dw far_off, seg far_off
        part code
start:  mov ax, seg there
        mov ds, ax
        call dword ptr [there]
        mov ax, 4C05h
        int 21h
        part code second
far_off: mov ah, 2
        mov dl, 'x'
        int 21h
        retf
";
    let mut session = started(source, &[], volume(&[], false)).expect("it starts");
    assert_eq!((session.run(limits()), output(&session).as_str()), (Stop::Ended, "x"));
    assert_eq!(session.machine().exit_code(), Some(5));
    let image = assembled(source).image;
    let file = plain_byte::image::exe::write(&image, &Default::default()).expect("it fits");
    let sum = file.chunks(2).fold(0u16, |sum, pair| {
        sum.wrapping_add(u16::from(pair[0]) | u16::from(*pair.get(1).unwrap_or(&0)) << 8)
    });
    assert_eq!(sum, 0xFFFF, "the words of the file");
    let again = plain_byte::image::exe::read(&file).expect("it is one");
    assert_eq!((again.relocations().len(), again.entry_place().map(|one| one.offset)), (2, Some(0)));
    // Each lie, where it stands, and what is told.
    for (at, value, told) in [
        (0usize, 0x00u8, "letters MZ"),
        (3, 0x02, "make no sense as a size"),
        (4, 0xFF, "and the file has"),
        (8, 0x01, "a header of 16 bytes"),
        (24, 0x02, "do not lie in the header"),
        (29, 0xFF, "lies outside the program"),
        (23, 0x7F, "lies outside the program"),
    ] {
        let mut lie = file.clone();
        lie[at] = value;
        let errors = plain_byte::image::exe::read(&lie).expect_err("a lie");
        assert!(errors[0].problem.contains(told), "byte {at}: {:?}", errors[0]);
        for cut in 0..file.len() {
            assert!(plain_byte::image::exe::read(&file[..cut]).is_err(), "{cut} bytes of it");
        }
    }
    // Too much memory is asked for.
    let mut greedy = file;
    (greedy[10], greedy[11]) = (0xFF, 0xFF);
    let mut machine = session.machine().clone();
    let refused = machine.start_program(&greedy, "GREEDY.EXE", &[]);
    assert!(matches!(refused, Some(Err(LoadFault::Room { needed: 0x1_0000.., .. }))), "{refused:?}");
}
