//! Serial lines and teleprinters.

pub(super) mod mc6850;
pub(super) mod ns16550;
pub(super) mod tap;
pub(super) mod teleprinter;
pub(super) mod teleprinter36;
pub(super) mod teletype;
pub(super) mod z8440;
