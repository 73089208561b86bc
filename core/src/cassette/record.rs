//! Blocks of bytes on a cassette: a name, addresses, numbers and sums, so that a worn tape is read as far as it goes, and nothing is
//! taken for what it is not. `docs/tape.md` has the form.

use super::hear::Heard;
use super::tone::Baud;
use crate::image::sums;

/// What every block begins with.
pub const SIGN: [u8; 2] = [0xA5, 0x5A];
/// Bytes of a name.
pub const NAME: usize = 16;
/// Bytes of a program in a block, where nobody wants another number.
pub const PER_BLOCK: usize = 128;
/// No start address.
const NOWHERE: u32 = 0xFF_FFFF;
/// Of a block besides what it carries: its sign, kind, number, length and sum.
const AROUND: usize = 2 + 1 + 2 + 1 + 2;

/// What a block is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Kind {
    /// The first one of a record: its name, its addresses, how many blocks follow.
    Header,
    /// Bytes at an address.
    Data,
    /// The last one: a sum of all data.
    End,
}

impl Kind {
    const ALL: [(Self, u8); 3] = [(Self::Header, b'H'), (Self::Data, b'D'), (Self::End, b'E')];

    fn byte(self) -> u8 {
        Self::ALL.iter().find(|row| row.0 == self).map_or(0, |row| row.1)
    }

    fn of(byte: u8) -> Option<Self> {
        Self::ALL.iter().find(|row| row.1 == byte).map(|row| row.0)
    }
}

/// A block as it goes over the tape.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// What it is for.
    pub kind: Kind,
    /// Its place in the record, from 0.
    pub number: u16,
    /// What it carries, 1 to 256 bytes.
    pub carried: Vec<u8>,
}

impl Block {
    /// Its bytes, from the sign to the sum.
    pub fn bytes(&self) -> Vec<u8> {
        let mut bytes = SIGN.to_vec();
        bytes.push(self.kind.byte());
        bytes.extend(self.number.to_le_bytes());
        bytes.push(self.carried.len() as u8);
        bytes.extend(&self.carried);
        let sum = sums(&bytes[2..]).crc16;
        bytes.extend(sum.to_le_bytes());
        bytes
    }
}

/// What a header says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Header {
    /// The name, of at most 16 characters.
    pub name: String,
    /// The first address.
    pub first: u32,
    /// Where the program starts.
    pub start: Option<u32>,
    /// How many bytes all blocks have together.
    pub bytes: u32,
    /// How many blocks of data there are.
    pub blocks: u16,
}

fn three(value: u32) -> [u8; 3] {
    let [low, middle, high, _] = value.to_le_bytes();
    [low, middle, high]
}

fn of_three(bytes: &[u8]) -> u32 {
    bytes.iter().take(3).rev().fold(0, |value, &byte| value << 8 | u32::from(byte))
}

impl Header {
    fn carried(&self) -> Vec<u8> {
        let mut bytes: Vec<u8> = self
            .name
            .chars()
            .map(|c| if (' '..='~').contains(&c) { c as u8 } else { b'?' })
            .take(NAME)
            .collect();
        bytes.resize(NAME, b' ');
        bytes.push(1);
        bytes.extend(three(self.first));
        bytes.extend(three(self.start.unwrap_or(NOWHERE)));
        bytes.extend(three(self.bytes));
        bytes.extend(self.blocks.to_le_bytes());
        bytes
    }

    /// What a block carries, as a header.
    pub fn of(carried: &[u8]) -> Option<Self> {
        let [name @ .., _, _, _, _, _, _, _, _, _, _, _, _] = carried else { return None };
        let rest = &carried[name.len()..];
        if name.len() != NAME || rest[0] != 1 {
            return None;
        }
        Some(Self {
            name: String::from_utf8_lossy(name).trim_end().to_string(),
            first: of_three(&rest[1..]),
            start: Some(of_three(&rest[4..])).filter(|&start| start != NOWHERE),
            bytes: of_three(&rest[7..]),
            blocks: u16::from_le_bytes([rest[10], rest[11]]),
        })
    }
}

/// A stretch of memory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stretch {
    /// Its first address.
    pub first: u32,
    /// Its bytes.
    pub bytes: Vec<u8>,
}

/// The blocks of a program: a header, its data, an end.
pub fn blocks(name: &str, stretches: &[Stretch], start: Option<u32>, per_block: usize) -> Vec<Block> {
    let per_block = per_block.clamp(1, 253);
    let data = stretches.iter().flat_map(|one| {
        one.bytes.chunks(per_block).enumerate().map(move |(at, bytes)| {
            let mut carried = three(one.first + (at * per_block) as u32).to_vec();
            carried.extend(bytes);
            carried
        })
    });
    let data: Vec<Vec<u8>> = data.collect();
    let header = Header {
        name: name.to_string(),
        first: stretches.first().map_or(0, |one| one.first),
        start,
        bytes: stretches.iter().map(|one| one.bytes.len() as u32).sum(),
        blocks: data.len() as u16,
    };
    let all: Vec<u8> = stretches.iter().flat_map(|one| one.bytes.iter().copied()).collect();
    let mut end = sums(&all).crc16.to_le_bytes().to_vec();
    end.extend((data.len() as u16).to_le_bytes());
    let mut blocks = vec![Block { kind: Kind::Header, number: 0, carried: header.carried() }];
    let carried = data.into_iter().map(|carried| (Kind::Data, carried)).chain([(Kind::End, end)]);
    blocks.extend(carried.enumerate().map(|(at, (kind, carried))| Block {
        kind,
        number: at as u16 + 1,
        carried,
    }));
    blocks
}

/// A block that was heard, or the place of one that cannot be read.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    /// The block; `None` where its sum is wrong.
    pub block: Option<Block>,
    /// How fast its bytes come.
    pub baud: Baud,
    /// The sample at which it begins, and the one after it.
    pub at: (u64, u64),
    /// How fast the tape ran, as a share of what it should.
    pub speed: f32,
    /// How loud it was, from 0 to 1.
    pub level: f32,
    /// How sure its least sure bit is.
    pub sure: f32,
    /// How many bytes of it are doubtful.
    pub doubtful: usize,
    /// Its bytes as they were heard, from the sign on, with how sure each is.
    pub heard: Vec<(u8, f32)>,
}

/// The blocks in bytes that were heard, in their order. A block whose sign was heard and whose sum is wrong is told, too.
pub fn find(baud: Baud, heard: &[Heard]) -> Vec<Found> {
    let mut all = Vec::new();
    let mut at = 0;
    while at + AROUND <= heard.len() {
        let byte = |by: usize| heard.get(at + by).map(|one| one.byte);
        if byte(0) != Some(SIGN[0]) || byte(1) != Some(SIGN[1]) {
            at += 1;
            continue;
        }
        let kind = byte(2).and_then(Kind::of);
        let length = byte(5).map_or(256, |length| if length == 0 { 256 } else { usize::from(length) });
        let end = (at + AROUND + length).min(heard.len());
        let bytes: Vec<u8> = heard[at..end].iter().map(|one| one.byte).collect();
        let is_whole = bytes.len() == AROUND + length;
        let (inner, sum) = bytes.split_at(bytes.len().saturating_sub(2));
        let is_right = is_whole && sums(&inner[2..]).crc16.to_le_bytes() == *sum;
        let block = kind.filter(|_| is_right).map(|kind| Block {
            kind,
            number: u16::from_le_bytes([bytes[3], bytes[4]]),
            carried: bytes[6..6 + length].to_vec(),
        });
        if block.is_none() && kind.is_none() {
            at += 1;
            continue;
        }
        let part = &heard[at..end];
        let mean = |of: fn(&Heard) -> f32| part.iter().map(of).sum::<f32>() / part.len() as f32;
        let is_doubtful = |one: &&Heard| one.sure < super::hear::DOUBTFUL || !one.is_framed;
        all.push(Found {
            baud,
            at: (heard[at].at, heard[end - 1].at),
            speed: mean(|one| one.speed),
            level: mean(|one| one.level),
            sure: part.iter().map(|one| one.sure).fold(1.0, f32::min),
            doubtful: part.iter().filter(is_doubtful).count(),
            heard: part.iter().map(|one| (one.byte, one.sure)).collect(),
            block: block.clone(),
        });
        // Where the block is broken, the next one may begin in it.
        at = if block.is_some() { end } else { at + 2 };
    }
    all
}
