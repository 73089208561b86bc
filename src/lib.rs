//! Assembles, runs and explains programs for vintage processors and trainer boards.
//!
//! Today there are the Intel 8080, 8085 and 8086, Zilog Z80 and eZ80, MOS 6502 and 65C02, DEC PDP-8 and PDP-10. The command
//! `plainbyte` is a thin layer over this crate.
//!
//! # From source to result
//!
//! [`assembler::assemble`] turns source text into an [`assembler::Assembly`]: the [`image::Image`], symbols, lines, and
//! everything there is to tell as [`diagnostic::Diagnostic`] values. Nothing is printed; whoever calls decides how to show
//! it. A [`session::Session`] puts the program into a board and runs it.
//!
//! ```
//! use plain_byte::assembler::{Options, Texts, assemble};
//! use plain_byte::session::{Limits, Session, Stop};
//!
//! let source = "
//!         cpu 8085
//!         org 4000h
//! start:  lxi h, heights          ; the highest of three tides
//!         mov a, m
//!         mvi b, 2
//! next:   inx h
//!         cmp m
//!         jnc lower
//!         mov a, m
//! lower:  dcr b
//!         jnz next
//!         sta highest
//!         hlt
//! heights: db 31, 45, 38
//! highest: ds 1
//! ";
//! let assembly = assemble("tide.asm", &mut Texts::one("tide.asm", source), &Options::default());
//! assert!(assembly.succeeded());
//!
//! let mut session = Session::shipped("plover")?;
//! session.load_assembly(&assembly)?;
//! assert_eq!(session.run(Limits::none()), Stop::Halt);
//! assert_eq!(session.evaluate("cell highest").unwrap(), 45);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # Any state, one step, everything read back
//!
//! Registers and flags go by name, cells by address, ports by the values that wait there. A [`session::Step`] tells exactly
//! what one instruction changed.
//!
//! ```
//! use plain_byte::processor::find;
//! use plain_byte::session::{Change, Session};
//!
//! let mut session = Session::bare(find("8080")?)?;
//! session.put(0x100, &[0x86])?;                   // ADD M
//! session.set("PC", 0x100)?;
//! session.set("HL", 0x2000)?;
//! session.set("A", 0xF0)?;
//! session.put(0x2000, &[0x20])?;
//! let step = session.step();
//! assert_eq!((session.get("A"), session.get("CY"), step.cycles), (Some(0x10), Some(1), 7));
//! assert!(step.changes.contains(&Change::Flag { name: "CY", after: true }));
//! assert_eq!(step.reads, [(0x2000, 0x20)]);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # What goes wrong is data
//!
//! ```
//! use plain_byte::assembler::{Options, Texts, assemble};
//!
//! let options = Options::default().cpu("8085")?;
//! let assembly = assemble("slip.asm", &mut Texts::one("slip.asm", "        mvo a, 5\n"), &options);
//! let first = &assembly.diagnostics[0];
//! assert_eq!(first.message, "`mvo` is not an instruction of the 8085");
//! assert_eq!(first.help, "did you mean `mov`?");
//! assert_eq!(assembly.sources.place(first.span).column, 9);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! ```
//! use plain_byte::assembler::{Options, Texts, assemble};
//!
//! let options = Options::default().cpu("z80")?;
//! let assembly = assemble("slip.asm", &mut Texts::one("slip.asm", "        ld a, lamp\n"), &options);
//! print!("{}", assembly.sources.draw(&assembly.diagnostics[0]));     // the line, underlined, and what to do
//! # assert!(assembly.sources.draw(&assembly.diagnostics[0]).contains("        ld a, lamp\n"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! # What is not here
//!
//! A chip of your own goes into a machine by [`machine::Fitting`], a processor by [`machine::Machine::with_processor`] or
//! [`with_word_processor`](machine::Machine::with_word_processor), a program from anywhere by [`image::Image::from_bytes`]. An image format
//! of your own is an [`image::Format`], which a source asks for where [`assembler::Options::format`] names it. You drive the machine in
//! slices of your own by [`machine::Machine::run`] and look at it between them. The examples `chip`, `processor` and `format` do all of it.
//!
//! # Where to look
//!
//! | module | what it holds |
//! | --- | --- |
//! | [`assembler`] | source to program: [`assembler::assemble`], [`assembler::Formula`] for a single expression |
//! | [`session`] | a program being run and watched: steps, stops, going back, [`session::cases`] |
//! | [`workspace`] | a program as it is named, the project file, a new project |
//! | [`link`] | the board's end of a debug link |
//! | [`monitor`] | the machine monitor's words over a session |
//! | [`debug`] | a program being debugged, as a screen shows it |
//! | [`panel`] | the operator's panel of a board, and its scripts |
//! | [`report`] | [`report::chart`], disassembly, facts of images and boards, toned [`text::Text`] |
//! | [`machine`] | boards, memory, chips; what a session runs |
//! | [`boards`] | the boards that travel inside the library |
//! | [`image`] | programs as files |
//! | [`routines`] | routines to include: printing, numbers, dumps |
//! | [`processor`] | instruction sets: tables, encoding, decoding, executors |
//! | [`diagnostic`], [`number`] | errors with places; notations |

pub mod assembler;
pub mod boards;
pub mod debug;
pub mod demos;
pub mod language;
pub mod link;
pub mod monitor;
pub mod panel;
pub mod prom;
pub mod report;
pub mod routines;
pub mod session;
pub mod sound;
pub mod workspace;

#[doc(inline)]
pub use plain_byte_core::{cassette, diagnostic, image, machine, number, processor, text, transfer};
