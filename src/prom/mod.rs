//! Memory chips out of the machine: a programmer's parts, and chips that live in files.
//!
//! A [`Chip`] does what the real one does: a bit that was burnt to 0 stays so until the chip is erased, sectors are erased whole, wear is
//! counted, and programming that breaks off leaves what was burnt so far.
//!
//! ```
//! use plain_byte::prom::{Chip, Programming, part};
//!
//! let mut chip = Chip::new(part("2716").unwrap());
//! let bytes = [(0u32, 0x3E), (1, 0x0F)];
//! let plan = Programming::plan(&chip, &bytes)?;
//! assert_eq!(plan.changes, 2);
//! plan.run(&mut chip, &mut |_| true)?;
//! assert_eq!(&chip.cells()[..3], &[0x3E, 0x0F, 0xFF]);
//! // A bit cannot be burnt back to 1.
//! assert!(Programming::plan(&chip, &[(0, 0x7F)]).is_err());
//! # Ok::<(), plain_byte::prom::Refusal>(())
//! ```

mod chip;
mod file;
mod part;
mod program;
mod set;

pub use chip::{Chip, Deed};
pub use file::{ChipError, image_of};
pub use part::{Kind, PARTS_TABLE, Part, part, parts};
pub use program::{Landing, Programming, Refusal, landing};
pub use set::{ReadBack, RomSet, SetBank, SetChip};
