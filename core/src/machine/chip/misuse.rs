//! What the data sheets of chips warn of.

use crate::image::Cell;

/// An access to a chip.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChipAccess {
    /// The register at an offset is read.
    Read(u32),
    /// The register at an offset is written.
    Write(u32, Cell),
    /// On a word machine: device `offset` is given a function.
    Transfer(u32, u32),
}

/// A use of a chip against its data sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Misuse {
    /// A character is written while the one before still waits to be sent, and is lost.
    TransmitterFull,
    /// A character is written before the chip is set up.
    NotSetUp,
    /// A character is printed while the one before is still being printed.
    StillPrinting,
    /// A frame is punched while the one before is still being punched.
    StillPunching,
    /// A counter has gone on between the reads of its two halves.
    TornCount,
    /// A counter is latched again while half of what was latched before is not read.
    HalfLatched,
    /// A port is written while its pins are inputs.
    PortIsInput,
}

impl Misuse {
    /// Every one, in the order of their numbers.
    pub const ALL: &[Self] = &[
        Self::TransmitterFull,
        Self::NotSetUp,
        Self::StillPrinting,
        Self::StillPunching,
        Self::TornCount,
        Self::HalfLatched,
        Self::PortIsInput,
    ];

    /// What is done, as it follows on an instruction.
    pub fn words(self) -> &'static str {
        match self {
            Self::TransmitterFull => {
                "writes a character while the one before still waits: one of them is lost"
            }
            Self::NotSetUp => "writes a character before the chip is set up: nothing is sent",
            Self::StillPrinting => {
                "prints a character while the one before is still being printed: it is spoilt"
            }
            Self::StillPunching => {
                "punches a frame while the one before is still being punched: it is spoilt"
            }
            Self::TornCount => "reads the high half of a count that has gone on since its low half was read",
            Self::HalfLatched => "latches a count while half of the last one is not read: the old one stays",
            Self::PortIsInput => "writes to a port whose pins are inputs: nothing comes out",
        }
    }

    /// What to do.
    pub fn help(self) -> &'static str {
        match self {
            Self::TransmitterFull => "wait until the status register says that the transmitter is empty",
            Self::NotSetUp => "write the control register first",
            Self::StillPrinting | Self::StillPunching => "wait until the device's flag says that it is ready",
            Self::TornCount => {
                "stop the counter, latch its count, or read until the high half is the same twice"
            }
            Self::HalfLatched => "read the low and the high half after each latch",
            Self::PortIsInput => "write the mode word first",
        }
    }
}
