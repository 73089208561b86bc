//! Checksums as ROM programmers and their people use them.

use crc::{CRC_16_XMODEM, CRC_32_ISO_HDLC, Crc};
use serde::Serialize;

const CRC_16: Crc<u16> = Crc::<u16>::new(&CRC_16_XMODEM);
const CRC_32: Crc<u32> = Crc::<u32>::new(&CRC_32_ISO_HDLC);

/// The sums of some bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
pub struct Sums {
    /// All bytes added, cut to sixteen bits.
    pub sum: u16,
    /// CRC-16 with the polynomial 1021h, starting from 0, as XMODEM has it.
    pub crc16: u16,
    /// CRC-32 as in ISO 3309 and in archives.
    pub crc32: u32,
}

/// The sums of bytes.
///
/// ```
/// let sums = plain_byte::image::sums(b"123456789");
/// assert_eq!((sums.sum, sums.crc16, sums.crc32), (0x1DD, 0x31C3, 0xCBF4_3926));
/// ```
pub fn sums(bytes: &[u8]) -> Sums {
    Sums {
        sum: bytes.iter().fold(0, |sum, &byte| sum.wrapping_add(byte.into())),
        crc16: CRC_16.checksum(bytes),
        crc32: CRC_32.checksum(bytes),
    }
}
