//! What is on a tape, put together from everything that was heard of it: both channels, both speeds, several recordings.

use super::hear::{DOUBTFUL, Heard};
use super::record::{Block, Found, Header, Kind, Stretch, find};
use super::tone::Baud;
use crate::image::sums;
use std::collections::BTreeMap;

/// A channel of a recording, heard to its end.
#[derive(Debug, Clone)]
pub struct Hearing {
    /// Samples a second.
    pub rate: u32,
    /// How many there are.
    pub samples: u64,
    /// The bytes of each speed.
    pub heard: [(Baud, Vec<Heard>); 2],
}

/// A program on the tape.
#[derive(Debug, Clone, PartialEq)]
pub struct Record {
    /// What its header says; `None` where that was not heard.
    pub header: Option<Header>,
    /// What was read of it, in the order of its blocks, joined where they touch.
    pub stretches: Vec<Stretch>,
    /// The numbers of blocks that cannot be read.
    pub missing: Vec<u16>,
    /// Every block was read, and the sum of all agrees where the end was heard.
    pub is_whole: bool,
    /// The sum of all data was there and is right.
    pub is_checked: bool,
    /// Where it begins and ends, in seconds of the first recording that has it.
    pub seconds: (f64, f64),
    /// Its blocks as they were heard best, with their places in seconds.
    pub blocks: Vec<(f64, Found)>,
}

/// Bytes that are in no block.
#[derive(Debug, Clone, PartialEq)]
pub struct Loose {
    /// How fast they come.
    pub baud: Baud,
    /// The second at which they begin.
    pub second: f64,
    /// The bytes.
    pub bytes: Vec<u8>,
    /// The places of those that may be wrong.
    pub doubtful: Vec<usize>,
    /// How fast the tape ran.
    pub speed: f32,
    /// How loud it was.
    pub level: f32,
}

/// What is on a tape.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Tape {
    /// Programs, in their order.
    pub records: Vec<Record>,
    /// Bytes in no block, in their order.
    pub loose: Vec<Loose>,
}

/// A part of one hearing that belongs to one program.
#[derive(Debug, Clone)]
struct Part {
    rate: u32,
    found: Vec<Found>,
}

impl Part {
    fn blocks(&self) -> impl Iterator<Item = &Block> {
        self.found.iter().filter_map(|one| one.block.as_ref())
    }

    fn of(&self, kind: Kind) -> Option<&Block> {
        self.blocks().find(|one| one.kind == kind)
    }

    /// True where both are the same program: they share a block that says enough.
    fn is_like(&self, other: &Self) -> bool {
        let (own, theirs) = (self.of(Kind::Header), other.of(Kind::Header));
        if let (Some(own), Some(theirs)) = (own, theirs) {
            return own == theirs;
        }
        self.blocks().any(|one| other.blocks().any(|two| one == two))
    }
}

/// Cuts what was found in one hearing into programs: a header begins one, and so does a number that is lower than the one before.
fn parts(hearing: &Hearing) -> Vec<Part> {
    let mut found: Vec<Found> = hearing.heard.iter().flat_map(|(baud, heard)| find(*baud, heard)).collect();
    found.sort_by_key(|one| one.at.0);
    // What one speed makes of the other's tones is not a block.
    let good: Vec<(u64, u64)> = found.iter().filter(|one| one.block.is_some()).map(|one| one.at).collect();
    found.retain(|one| one.block.is_some() || !good.iter().any(|at| at.0 <= one.at.0 && one.at.0 <= at.1));
    let mut parts: Vec<Part> = Vec::new();
    let mut last: Option<u16> = None;
    for one in found {
        let number = one.block.as_ref().map(|block| block.number);
        let begins = number.is_some_and(|number| number == 0 || last.is_some_and(|last| number < last));
        if parts.is_empty() || begins {
            parts.push(Part { rate: hearing.rate, found: Vec::new() });
        }
        last = number.or(last).filter(|_| !begins || number.is_some());
        if let Some(part) = parts.last_mut() {
            part.found.push(one);
        }
    }
    parts
}

/// Of two broken hearings of a block, its surer bytes; the block where their sum is right.
fn mended(one: &Found, other: &Found) -> Option<Block> {
    if one.heard.len() != other.heard.len() || one.heard.len() < 8 {
        return None;
    }
    let surer = one.heard.iter().zip(&other.heard).map(|(a, b)| if a.1 >= b.1 { a.0 } else { b.0 });
    let bytes: Vec<u8> = surer.collect();
    let heard = |byte: &u8| Heard { byte: *byte, at: 0, speed: 1.0, level: 1.0, sure: 1.0, is_framed: true };
    let heard: Vec<Heard> = bytes.iter().map(heard).collect();
    find(one.baud, &heard).into_iter().find_map(|one| one.block)
}

/// Puts what was heard together.
pub fn gather(hearings: &[Hearing]) -> Tape {
    let mut groups: Vec<Vec<Part>> = Vec::new();
    for hearing in hearings {
        // Each program of a hearing belongs to another group.
        let mut taken: Vec<usize> = Vec::new();
        for part in parts(hearing) {
            let fits = |(at, group): &(usize, &Vec<Part>)| {
                !taken.contains(at) && group.iter().any(|one| one.is_like(&part))
            };
            match groups.iter().enumerate().find(fits).map(|row| row.0) {
                Some(at) => {
                    taken.push(at);
                    groups[at].push(part);
                }
                None => {
                    taken.push(groups.len());
                    groups.push(vec![part]);
                }
            }
        }
    }
    let mut records: Vec<Record> = groups.iter().filter_map(|group| record(group)).collect();
    records.sort_by(|one, other| one.seconds.0.total_cmp(&other.seconds.0));
    Tape { records, loose: hearings.first().map_or(Vec::new(), loose) }
}

/// A program out of what was heard of it.
fn record(group: &[Part]) -> Option<Record> {
    let mut good: BTreeMap<u16, (f64, Found)> = BTreeMap::new();
    let mut refused: Vec<u16> = Vec::new();
    let second = |part: &Part, at: u64| at as f64 / f64::from(part.rate);
    for part in group {
        for one in &part.found {
            let Some(block) = &one.block else { continue };
            match good.get(&block.number) {
                // Two sums that are right and two contents: nobody knows which it is.
                Some((_, other)) if other.block.as_ref() != Some(block) => refused.push(block.number),
                Some((_, other)) if other.sure >= one.sure => {}
                _ => _ = good.insert(block.number, (second(part, one.at.0), one.clone())),
            }
        }
    }
    let broken: Vec<(&Part, &Found)> = group
        .iter()
        .flat_map(|part| part.found.iter().filter(|one| one.block.is_none()).map(move |one| (part, one)))
        .collect();
    for (at, (part, one)) in broken.iter().enumerate() {
        for (_, other) in &broken[at + 1..] {
            if let Some(block) = mended(one, other).filter(|block| !good.contains_key(&block.number)) {
                good.insert(
                    block.number,
                    (second(part, one.at.0), Found { block: Some(block), ..(*one).clone() }),
                );
            }
        }
    }
    refused.iter().for_each(|number| _ = good.remove(number));
    let of =
        |kind: Kind| good.values().filter_map(|row| row.1.block.as_ref()).find(|block| block.kind == kind);
    let header = of(Kind::Header).and_then(|block| Header::of(&block.carried));
    let end = of(Kind::End).filter(|block| block.carried.len() == 4);
    let told = end.map(|block| u16::from_le_bytes([block.carried[2], block.carried[3]]));
    let data: BTreeMap<u16, &Block> = good
        .values()
        .filter_map(|row| row.1.block.as_ref())
        .filter(|block| block.kind == Kind::Data && block.carried.len() > 3)
        .map(|block| (block.number, block))
        .collect();
    if good.is_empty() && broken.iter().all(|row| row.1.heard.len() < 16) {
        return None;
    }
    let count =
        header.as_ref().map(|one| one.blocks).or(told).unwrap_or(data.keys().last().copied().unwrap_or(0));
    let missing: Vec<u16> = (1..=count).filter(|number| !data.contains_key(number)).collect();
    let mut stretches: Vec<Stretch> = Vec::new();
    for block in data.values() {
        let first = block.carried[..3].iter().rev().fold(0u32, |value, &byte| value << 8 | u32::from(byte));
        match stretches.last_mut() {
            Some(last) if u64::from(last.first) + last.bytes.len() as u64 == u64::from(first) => {
                last.bytes.extend(&block.carried[3..]);
            }
            _ => stretches.push(Stretch { first, bytes: block.carried[3..].to_vec() }),
        }
    }
    let all: Vec<u8> = stretches.iter().flat_map(|one| one.bytes.iter().copied()).collect();
    let sum = sums(&all).crc16;
    let agrees = end.map(|block| u16::from_le_bytes([block.carried[0], block.carried[1]]) == sum);
    let is_whole = missing.is_empty() && agrees != Some(false) && (header.is_some() || told.is_some());
    let places = || group[0].found.iter().map(|one| second(&group[0], one.at.0));
    let ends = || group[0].found.iter().map(|one| second(&group[0], one.at.1));
    let mut blocks: Vec<(f64, Found)> = good.into_values().collect();
    let lost = group[0].found.iter().filter(|one| one.block.is_none());
    let lost: Vec<(f64, Found)> = lost.map(|one| (second(&group[0], one.at.0), one.clone())).collect();
    if !missing.is_empty() || header.is_none() {
        blocks.extend(lost);
    }
    blocks.sort_by(|one, other| one.0.total_cmp(&other.0));
    Some(Record {
        header,
        stretches,
        is_checked: is_whole && agrees == Some(true),
        is_whole,
        missing,
        seconds: (places().fold(f64::MAX, f64::min), ends().fold(0.0, f64::max)),
        blocks,
    })
}

/// Bytes in no block: stretches without a gap, of the speed that is surer there.
fn loose(hearing: &Hearing) -> Vec<Loose> {
    let rate = f64::from(hearing.rate);
    let mut all: Vec<(f32, f64, Loose)> = Vec::new();
    let mut taken: Vec<(f64, f64)> = Vec::new();
    for (baud, heard) in &hearing.heard {
        let found = find(*baud, heard);
        // A broken block is told with its program; what the other speed takes for one is short.
        let real = found.iter().filter(|one| one.block.is_some() || one.doubtful * 4 < one.heard.len());
        taken.extend(real.map(|one| (one.at.0 as f64 / rate, one.at.1 as f64 / rate)));
        // Eleven bits are a byte's; after more than two more the next one is of another stretch.
        let gap = (rate / f64::from(baud.bits()) * 24.0) as u64;
        for run in heard.chunk_by(|one, next| next.at - one.at < gap) {
            let framed = run.iter().filter(|one| one.is_framed).count();
            let sure = run.iter().map(|one| one.sure).sum::<f32>() / run.len() as f32;
            if run.len() < 4 || framed * 20 < run.len() * 19 || sure < DOUBTFUL {
                continue;
            }
            let mean = |of: fn(&Heard) -> f32| run.iter().map(of).sum::<f32>() / run.len() as f32;
            let is_doubtful = |one: &Heard| one.sure < DOUBTFUL || !one.is_framed;
            let (begin, end) = (run[0].at as f64 / rate, run[run.len() - 1].at as f64 / rate);
            all.push((
                sure,
                end,
                Loose {
                    baud: *baud,
                    second: begin,
                    bytes: run.iter().map(|one| one.byte).collect(),
                    doubtful: run
                        .iter()
                        .enumerate()
                        .filter(|row| is_doubtful(row.1))
                        .map(|row| row.0)
                        .collect(),
                    speed: mean(|one| one.speed),
                    level: mean(|one| one.level),
                },
            ));
        }
    }
    // The surest of what lies in the same time; nothing that is in a block.
    all.sort_by(|one, other| other.0.total_cmp(&one.0));
    let mut kept: Vec<Loose> = Vec::new();
    for (_, end, one) in all {
        let overlaps = taken.iter().any(|row| one.second <= row.1 && row.0 <= end);
        if !overlaps {
            taken.push((one.second, end));
            kept.push(one);
        }
    }
    kept.sort_by(|one, other| one.second.total_cmp(&other.second));
    kept
}
