//! Memory in blocks: in front of each a paragraph with M, or Z for the last one, the program that it belongs to, and its size.
//!
//! A program may have written over a header: then the call says that the blocks are broken.

use super::{Answer, Dos, Frame, Refused};

/// The header of the first block, and where memory ends, in paragraphs.
const FIRST: u16 = 0x0090;
const END: u16 = 0xA000;

const MORE: u8 = b'M';
const LAST: u8 = b'Z';

/// A block by its header.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Block {
    header: u16,
    owner: u16,
    size: u16,
    is_last: bool,
}

impl Block {
    fn read(frame: &Frame<'_, '_>, header: u16) -> Result<Self, Refused> {
        let at = Frame::address(header, 0);
        let is_last = match frame.byte(at) {
            MORE => false,
            LAST => true,
            _ => return Err(Refused::BlocksBroken),
        };
        let (owner, size) = (frame.word_at(at + 1), frame.word_at(at + 3));
        let end = u32::from(header) + 1 + u32::from(size);
        if end > END.into() || !is_last && end >= END.into() {
            return Err(Refused::BlocksBroken);
        }
        Ok(Self { header, owner, size, is_last })
    }

    fn write(self, frame: &mut Frame<'_, '_>) {
        let at = Frame::address(self.header, 0);
        frame.put(at, if self.is_last { LAST } else { MORE });
        frame.put_word_at(at + 1, self.owner);
        frame.put_word_at(at + 3, self.size);
    }

    fn next(self) -> Option<u16> {
        (!self.is_last).then(|| self.header + 1 + self.size)
    }

    /// Gives it so many paragraphs and makes a free block of the rest.
    fn cut(mut self, frame: &mut Frame<'_, '_>, size: u16) {
        if self.size > size {
            let header = self.header + 1 + size;
            let rest = Block { header, owner: 0, size: self.size - size - 1, is_last: self.is_last };
            rest.write(frame);
            (self.size, self.is_last) = (size, false);
        }
        self.write(frame);
    }
}

/// All of memory free.
pub(super) fn clear(frame: &mut Frame<'_, '_>) {
    Block { header: FIRST, owner: 0, size: END - FIRST - 1, is_last: true }.write(frame);
}

/// Every block in order; free ones that touch are joined.
fn all(frame: &mut Frame<'_, '_>) -> Result<Vec<Block>, Refused> {
    // Nobody has asked for memory yet.
    if frame.byte(Frame::address(FIRST, 0)) == 0 {
        clear(frame);
    }
    let mut blocks: Vec<Block> = Vec::new();
    let mut next = Some(FIRST);
    while let Some(header) = next {
        let block = Block::read(frame, header)?;
        next = block.next();
        match blocks.last_mut().filter(|last| last.owner == 0 && block.owner == 0) {
            Some(last) => {
                last.size += 1 + block.size;
                last.is_last = block.is_last;
                last.write(frame);
            }
            None => blocks.push(block),
        }
    }
    Ok(blocks)
}

/// So many paragraphs for a program: their segment, or how many there are at most in one block.
pub(super) fn allocate(
    frame: &mut Frame<'_, '_>,
    size: u16,
    owner: u16,
) -> Result<Result<u16, u16>, Refused> {
    let free: Vec<Block> = all(frame)?.into_iter().filter(|block| block.owner == 0).collect();
    let Some(&block) = free.iter().find(|block| block.size >= size) else {
        return Ok(Err(free.iter().map(|block| block.size).max().unwrap_or(0)));
    };
    Block { owner, ..block }.cut(frame, size);
    Ok(Ok(block.header + 1))
}

/// Says whose a block is.
pub(super) fn give(frame: &mut Frame<'_, '_>, segment: u16, owner: u16) {
    if let Ok(block) = Block::read(frame, segment.wrapping_sub(1)) {
        Block { owner, ..block }.write(frame);
    }
}

/// Frees every block of a program.
pub(super) fn free_all(frame: &mut Frame<'_, '_>, owner: u16) {
    for block in all(frame).unwrap_or_default() {
        if block.owner == owner {
            Block { owner: 0, ..block }.write(frame);
        }
    }
}

/// Gives a block another size; how much there is at most, where there is not so much.
pub(super) fn resize(frame: &mut Frame<'_, '_>, segment: u16, size: u16) -> Result<Result<(), u16>, Refused> {
    let blocks = all(frame)?;
    let at = blocks.iter().position(|block| block.header.wrapping_add(1) == segment && block.owner != 0);
    let block = blocks[at.ok_or(Refused::Block)?];
    let behind = at.and_then(|at| blocks.get(at + 1)).filter(|next| next.owner == 0);
    let whole = match behind {
        Some(next) => Block { size: block.size + 1 + next.size, is_last: next.is_last, ..block },
        None => block,
    };
    if whole.size < size {
        return Ok(Err(whole.size));
    }
    whole.cut(frame, size);
    Ok(Ok(()))
}

impl Dos {
    /// Calls 48h to 4Ah.
    pub(super) fn memory_call(&self, frame: &mut Frame<'_, '_>) -> Answer {
        let size = frame.get("BX");
        let owner = self.process().prefix;
        match frame.ah() {
            0x48 => match allocate(frame, size, owner)? {
                Ok(segment) => frame.set("AX", segment),
                Err(most) => {
                    frame.set("BX", most);
                    return Err(Refused::Memory.into());
                }
            },
            0x49 => {
                let segment = frame.get("ES");
                let blocks = all(frame)?;
                let is_it = |block: &&Block| block.header.wrapping_add(1) == segment && block.owner != 0;
                let block = *blocks.iter().find(is_it).ok_or(Refused::Block)?;
                Block { owner: 0, ..block }.write(frame);
            }
            _ => {
                let segment = frame.get("ES");
                if let Err(most) = resize(frame, segment, size)? {
                    frame.set("BX", most);
                    return Err(Refused::Memory.into());
                }
            }
        }
        Ok(())
    }
}
