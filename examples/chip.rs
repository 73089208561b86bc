//! A chip of one's own on a board, and a loop of one's own around the machine: `cargo run --example chip`.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::image::Cell;
use plain_byte::machine::chip::{Chip, Pin, Pins, facet};
use plain_byte::machine::{Board, Fitting, Machine, Stopped, Watching};
use plain_byte::processor::find;
use plain_byte::session::Session;
use std::error::Error;

/// The float of the tide gauge: it rises a step every thousand cycles up to the highest water, and asks for an interrupt there.
/// Reading its register takes the height, writing it sets the highest water.
#[derive(Debug, Clone)]
struct TideGauge {
    begin: u64,
    height: u8,
    highest: u8,
    asks: Option<u64>,
}

const STEP: u64 = 1000;

impl TideGauge {
    fn new() -> Self {
        Self { begin: 0, height: 0, highest: 200, asks: None }
    }
}

impl Chip for TideGauge {
    facet!(Pins, pins, pins_mut);

    fn read(&mut self, _: u32, now: u64) -> Option<Cell> {
        self.advance(now);
        self.asks = None;
        Some(self.height.into())
    }

    fn write(&mut self, _: u32, value: Cell, now: u64) -> bool {
        self.advance(now);
        (self.begin, self.height, self.highest) = (now, 0, value as u8);
        true
    }

    fn advance(&mut self, now: u64) {
        let steps = (now.saturating_sub(self.begin) / STEP).min(self.highest.into());
        if steps as u8 == self.highest && self.height < self.highest {
            self.asks = Some(self.begin + u64::from(self.highest) * STEP);
        }
        self.height = steps as u8;
    }

    /// It is seen from outside when it asks, and only then.
    fn next(&self) -> Option<u64> {
        (self.height < self.highest).then(|| self.begin + u64::from(self.highest) * STEP)
    }

    fn requests(&self) -> Option<u64> {
        self.asks
    }

    fn restart(&mut self, now: u64) {
        self.advance(now);
        self.begin = self.begin.saturating_sub(now);
        self.asks = self.asks.map(|_| 0);
    }

    fn copy(&self) -> Box<dyn Chip> {
        Box::new(self.clone())
    }
}

/// Its pin is high at high water, for a lamp.
impl Pins for TideGauge {
    fn level(&self, _: Pin) -> Option<bool> {
        Some(self.height == self.highest)
    }
}

const SOURCE: &str = "\
        cpu 8080
        org 0
        jmp start
        org 38h                 ; where the interrupt leads
        lda 8000h               ; the gauge, among the memory
        sta 100h
        hlt
start:  lxi sp, 200h
        mvi a, 25
        sta 8000h
        ei
wait:   jmp wait
";

pub(crate) fn example() -> Result<String, Box<dyn Error>> {
    let set = find("8080")?;
    let gauge = Fitting::in_memory("gauge", 0x8000..=0x80FF, TideGauge::new()).interrupting(set, "INTR");
    let mut machine = Machine::fitted(&Board::bare(set), vec![gauge]).ok_or("the 8080 runs here")?;
    let assembly = assemble("tide.asm", &mut Texts::one("tide.asm", SOURCE), &Options::default());
    if let Some(wrong) = assembly.diagnostics.first() {
        return Err(assembly.sources.draw(wrong).into());
    }
    machine.load(&assembly.image)?;
    // A frame of a picture, a network, a clock on the wall: whoever drives the machine says how far it goes at a time.
    let mut slices = 0;
    while let Stopped::Cycles = machine.run(machine.cycles() + 4000, Watching::Nothing) {
        slices += 1;
    }
    let mut text = format!("high water at cycle {} in slice {slices}\n", machine.cycles());
    // A session around it goes on from here: registers by name, steps, going back.
    let mut session = Session::from(machine);
    text += &format!("the gauge said {}\n", session.evaluate("cell 100h")?);
    session.set("PC", 0x38)?;
    let step = session.step();
    text += &format!("A is {} after {} cycles\n", session.get("A").unwrap_or_default(), step.cycles);
    Ok(text)
}

#[allow(dead_code)]
fn main() -> Result<(), Box<dyn Error>> {
    print!("{}", example()?);
    Ok(())
}
