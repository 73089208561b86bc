//! Boards: memory, bus, chips, lines, clock. A machine knows no assembler; its firmware comes to it as an image.
//!
//! A machine is deterministic: the same image and the same events at the same cycles give the same run. It has no
//! clock of its own, prints nothing and never sleeps.

pub mod board;
pub mod chip;
mod cores;
mod disks;
mod event;
mod fitting;
mod io;
mod line;
mod mark;
mod naming;
mod part;
mod run;
pub mod services;
mod snapshot;

pub use board::{
    Bank, Board, BoardName, ChipAt, ChipPlace, Console, DigitsPlace, DiskServices, Firmware, FrontPlace,
    GivenText, Input, InterruptLine, Key, KeyboardPlace, Keying, KeypadPlace, LightRow, NameKind, NoSocket,
    Place, Routine, Shows, Unmapped, VERSION, Wiring,
};
pub use cores::bus::{Access, Missing, Noted};
pub use cores::{Core, Word};
pub use event::Event;
pub use fitting::Fitting;
pub use io::{Fitted, PortWrite};

pub use cores::linked::{LINK_VERSION, Link, MOST_CELLS as MOST_LINK_CELLS};
pub use cores::memory::{Area, MemoryKind};
pub use cores::observe::{Callback, Seen, SeenRow, StopMap, Watching};
pub use cores::trail::{
    CODE_CELL, Done, QUIET_CODE, QUIET_READ, QUIET_WRITE, TrailCallback, TrailMarks, TrailRow, What,
};
pub use line::SerialLine;
pub use mark::{Hash, Mark};
pub use snapshot::{Records, Snapshot};

pub use run::Stopped;

pub use part::{
    Deck, Digits, Keyboard, Keypad, Lamp, LampChange, Recorder, RecorderPlace, Speaker, Stepper, Tone, Wire,
    lit_segments, read_segments,
};

use crate::image::Image;
use crate::processor::{Context, InstructionSet, Processor, Role, Window};
use io::Io;
use services::dos::Dos;
use services::{Service, Volume};
use std::collections::VecDeque;
use std::sync::Arc;

/// A program that does not fit the board's memory.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum LoadError {
    /// Cells where no memory is.
    #[error(
        "the program has cells from {first} to {last}, where the board {board} has no memory; it has {memory}"
    )]
    NoMemory {
        /// First such address.
        first: String,
        /// Last address of that segment.
        last: String,
        /// The board.
        board: String,
        /// Its memory in words.
        memory: String,
    },
    /// Cells of another width.
    #[error("the program has cells of {program} bits, and the board {board} has cells of {machine}")]
    CellBits {
        /// The program's.
        program: u8,
        /// The board's.
        machine: u8,
        /// The board.
        board: String,
    },
}

/// A machine: a processor, memory and what is around it.
#[derive(Debug, Clone)]
pub struct Machine {
    /// Copies share it.
    board: Arc<Board>,
    core: Box<dyn Core>,
    io: Io,
    events: VecDeque<(u64, Event)>,
    output: Vec<u8>,
    service: Option<Box<dyn Service>>,
    stops_at_rest: bool,
    /// The program is known to go on by itself up to this cycle, as long as nothing comes from outside.
    busy_until: u64,
}

impl Machine {
    /// Builds the machine of a board, switched on and reset. `None` where the processor cannot be run yet.
    pub fn new(board: &Board) -> Option<Self> {
        Self::fitted(board, Vec::new())
    }

    /// The same with chips of one's own beside those of the board.
    pub fn fitted(board: &Board, fittings: Vec<Fitting>) -> Option<Self> {
        let io = Self::io_of(board, fittings)?;
        let core = cores::make(board.set, board.memory.clone(), &io.spaces())?;
        Some(Self::switched_on(board, core, io))
    }

    /// The machine of a board around a processor of one's own, with cells of eight bits: its set is the board's, and what it does is
    /// `P`. `None` where the board names a part that is not here.
    pub fn with_processor<P>(board: &Board, fittings: Vec<Fitting>) -> Option<Self>
    where
        P: Processor<Cell = u8> + 'static,
    {
        let io = Self::io_of(board, fittings)?;
        let core = cores::bytes::<P>(board.set, board.memory.clone(), &io.spaces());
        Some(Self::switched_on(board, core, io))
    }

    /// The same for a word machine with `N` cells, a power of two: a cell of `P` is a `u16` or a `u64`.
    pub fn with_word_processor<P, const N: usize>(board: &Board, fittings: Vec<Fitting>) -> Option<Self>
    where
        P: Processor + 'static,
        P::Cell: Word,
    {
        let io = Self::io_of(board, fittings)?;
        let core = cores::words::<P, N>(board.set, board.memory.clone(), &io.spaces());
        Some(Self::switched_on(board, core, io))
    }

    fn switched_on(board: &Board, core: Box<dyn Core>, io: Io) -> Self {
        let mut machine = Self { io, ..Self::with_core(board, core) };
        if board.disk == Some(DiskServices::Resident) {
            machine.install(Box::new(Dos::new(Volume::new(Volume::CAPACITY, false))));
        }
        machine.fill_memory();
        machine.power_on();
        machine.choose_mode(board.set.modes.is_some_and(|modes| modes.long));
        machine
    }

    /// A machine around a processor that is there already, without chips.
    fn with_core(board: &Board, core: Box<dyn Core>) -> Self {
        Self {
            board: Arc::new(board.clone()),
            core,
            io: Io::new(board.unmapped, board.set.cells.last_port),
            events: VecDeque::new(),
            output: Vec::new(),
            service: None,
            stops_at_rest: false,
            busy_until: 0,
        }
    }

    /// What is around the processor, not switched on.
    fn io_of(board: &Board, fittings: Vec<Fitting>) -> Option<Io> {
        let mut io = Io::new(board.unmapped, board.set.cells.last_port);
        for place in &board.chips {
            let registers = chip::part(&place.part)?.registers;
            io.fit(place, registers, chip::make(place, board.clock)?);
        }
        for Fitting { place, registers, chip } in fittings {
            io.fit(&place, registers, chip);
        }
        for &(from, to) in &board.wires {
            io.wire(from, to);
        }
        // Lines that rest high or low do so from the beginning.
        io.relay(0);
        for lamp in &board.lamps {
            io.lamps.push(Lamp::new(lamp.name.clone(), lamp.wire, lamp.active));
        }
        for place in &board.digits {
            let DigitsPlace { name, segments, select, count } = place.clone();
            io.digits.push(Digits::new(name, segments, select, count));
        }
        for place in &board.keypads {
            let KeypadPlace { name, select, rows, legends } = place.clone();
            io.keypads.push(Keypad::new(name, select, rows, legends));
        }
        io.keyboard = board.keyboard.as_ref().map(|place| {
            let KeyboardPlace { keypad, shift, makes } = place.clone();
            Keyboard::new(keypad, shift, makes, board.clock)
        });
        io.stepper = board.stepper;
        io.speaker = board.speaker.clone().map(Speaker::new);
        io.recorder = board.recorder.map(|place| Recorder::new(place, board.clock));
        Some(io)
    }

    /// RAM as it is when the power comes on.
    fn fill_memory(&mut self) {
        if self.board.power_on == 0 {
            return;
        }
        for area in self.areas().to_vec().iter().filter(|area| area.kind == MemoryKind::Ram) {
            self.core.fill(area.first, area.last, self.board.power_on);
        }
    }

    /// Chooses the mode with the long words, or the other one, where the processor has two.
    pub fn choose_mode(&mut self, long: bool) {
        if let Some(modes) = self.set().in_mode(long).modes
            && let Some(place) = self.set().register(modes.register.0)
        {
            self.core.set_register(place, modes.register.1);
        }
    }

    /// The board it was built from.
    pub fn board(&self) -> &Board {
        &self.board
    }

    /// The processor's instruction set, in the mode that it is in.
    pub fn set(&self) -> &'static InstructionSet {
        self.core.set()
    }

    /// Puts an image into memory, ROM included. Nothing is changed where it does not fit.
    ///
    /// # Errors
    /// [`LoadError`] tells the first stretch that has no memory.
    pub fn load(&mut self, image: &Image) -> Result<(), LoadError> {
        self.can_hold(image)?;
        for segment in image.segments() {
            for (at, &cell) in segment.cells.iter().enumerate() {
                self.core.put(segment.start + at as u32, cell);
            }
        }
        Ok(())
    }

    /// Looks whether an image fits into memory.
    ///
    /// # Errors
    /// As [`load`](Self::load).
    pub fn can_hold(&self, image: &Image) -> Result<(), LoadError> {
        let set = self.set();
        if image.cell_bits() != set.cell_bits() {
            let (program, machine, board) = (image.cell_bits(), set.cell_bits(), self.board.name.clone());
            return Err(LoadError::CellBits { program, machine, board });
        }
        for segment in image.segments() {
            let last = (segment.end() - 1) as u32;
            if let Some(first) = (segment.start..=last).find(|&address| self.kind(address).is_none()) {
                let areas = self.areas().iter().map(|area| {
                    let kind = area.kind.title();
                    format!("{kind} {} to {}", set.address(area.first.into()), set.address(area.last.into()))
                });
                return Err(LoadError::NoMemory {
                    first: set.address(first.into()),
                    last: set.address(last.into()),
                    board: self.board.name.clone(),
                    memory: areas.collect::<Vec<_>>().join(", "),
                });
            }
        }
        Ok(())
    }

    /// The reset line, for the processor and the chips.
    pub fn reset(&mut self) {
        self.core.reset();
        if let Some(start) = self.board.start {
            self.core.set_place(start);
        }
        self.io.reset_chips(self.core.now());
        self.choose_bank();
    }

    /// The power is switched off and on again: core and ROM keep what they hold, RAM is empty, and everything else begins anew.
    pub fn power(&mut self) {
        for area in self.areas().to_vec() {
            if area.kind == MemoryKind::Ram {
                self.core.fill(area.first, area.last, self.board.power_on);
            }
        }
        for (place, register) in self.set().registers().iter().enumerate() {
            if register.role != Role::Line {
                self.core.set_register(place, 0);
            }
        }
        self.reset();
    }

    /// The bank that the latch chooses comes into its stretch of addresses.
    fn choose_bank(&mut self) {
        if let Some(bank) = self.board.bank {
            self.core.choose_bank(bank, self.io.bank as u32);
        }
    }

    /// The chips as they are when the power comes on.
    fn power_on(&mut self) {
        if let Some(Console::Line(baud)) = self.board.console {
            self.io.line = Some(SerialLine::new(self.board.clock, baud));
        }
        for (_, closes) in &self.board.jumpers {
            for keypad in &mut self.io.keypads {
                keypad.press(closes, true);
            }
        }
        for button in &self.board.buttons {
            // A button that is not pressed leaves the pin to its pull-up, or pulls it down where pressing gives a 1.
            let level = button.active.then_some(false);
            self.io.chips[button.wire.chip].chip.drive(button.wire.pin, level, 0);
        }
        self.io.settle(0);
        self.io.lamp_changes.clear();
    }

    /// Cycles since power-on, or since [`clear_record`](Self::clear_record).
    pub fn cycles(&self) -> u64 {
        self.core.now()
    }

    /// Instructions since power-on, or since [`clear_record`](Self::clear_record).
    pub fn instructions(&self) -> u64 {
        self.core.instructions()
    }

    /// A register by its place in the instruction set's list.
    pub fn register(&self, place: usize) -> u64 {
        self.core.register(place)
    }

    /// Sets a register by its place.
    pub fn set_register(&mut self, place: usize, value: u64) {
        self.core.set_register(place, value);
    }

    /// The address of the next instruction.
    pub fn place(&self) -> u32 {
        self.core.place()
    }

    /// Goes on at an address.
    pub fn set_place(&mut self, address: u32) {
        self.core.set_place(address);
    }

    /// Where the program counts its places.
    pub fn window(&self) -> Window {
        self.core.window()
    }

    /// An address as it is told: where there are segments, in the one that begins next in front of it.
    pub fn spell(&self, address: u32) -> String {
        let set = self.set();
        let windows = self.core.segments();
        let nearest = windows.into_iter().filter(|window| window.contains(address));
        match nearest.min_by_key(|window| window.number(address)) {
            Some(window) => set.spell(address, window),
            None => set.address(address.into()),
        }
    }

    /// How an instruction at an address is read by the processor as it is now.
    pub fn context_at(&self, address: u32) -> Context {
        let (set, window) = (self.set(), self.window());
        if window.contains(address) { Context { set, window } } else { set.context(address) }
    }

    /// Where the halt stands that the processor waits in.
    pub fn halted_at(&self) -> Option<u32> {
        self.core.halted_at()
    }

    /// The address that the stack pointer means, where there is one.
    pub fn stack_place(&self) -> Option<u32> {
        self.core.stack_place()
    }

    /// The cell at an address.
    pub fn cell(&self, address: u32) -> u64 {
        self.core.cell(address)
    }

    /// Sets a cell, ROM or RAM. False, and nothing is changed, where there is no memory or a cell cannot hold the value.
    pub fn put(&mut self, address: u32, value: u64) -> bool {
        value <= self.set().last_cell() && self.core.put(address, value)
    }

    /// True where a chip answers at a memory address.
    pub fn is_chip(&self, address: u32) -> bool {
        self.io.is_space(address)
    }

    /// The stretches of its memory.
    pub fn areas(&self) -> &[Area] {
        self.core.areas()
    }

    /// What is at an address; `None` where no memory is.
    pub fn kind(&self, address: u32) -> Option<MemoryKind> {
        cores::memory::kind(self.core.areas(), address)
    }

    /// What was written to ports, in order.
    pub fn port_writes(&self) -> &[PortWrite] {
        &self.io.writes
    }

    /// How many writes to ports were too many to keep.
    pub fn port_writes_not_kept(&self) -> u64 {
        self.io.writes_not_kept
    }

    /// What the console has received so far.
    pub fn output(&self) -> &[u8] {
        &self.output
    }

    /// The tape that the punch has punched, where there is one.
    pub fn punched(&self) -> Option<&[u8]> {
        self.io.chips.iter().find_map(|one| one.chip.roll()).map(chip::Roll::punched)
    }

    /// The frames that the tape reader has still to read, where there is one.
    pub fn tape_left(&self) -> Option<usize> {
        self.io.chips.iter().find_map(|one| one.chip.roll()).map(chip::Roll::left)
    }

    /// Characters that wait to be typed at the console.
    pub fn input_waiting(&self) -> usize {
        let chips: usize = self.io.chips.iter().map(|fitted| fitted.chip.waiting()).sum();
        chips + self.keys_waiting() + self.io.line.as_ref().map_or(0, SerialLine::waiting)
    }

    /// Characters that wait to be typed on a keyboard.
    pub fn keys_waiting(&self) -> usize {
        let codes: usize =
            self.io.chips.iter().filter_map(|one| one.chip.keys()).map(|keys| keys.waiting()).sum();
        codes + self.io.keyboard.as_ref().map_or(0, Keyboard::waiting)
    }

    /// True where something from outside is due, or comes from a cassette that moves.
    pub fn has_events(&self) -> bool {
        !self.events.is_empty() || self.recorder().is_some_and(Recorder::moves)
    }

    /// True where a chip will do something by itself.
    pub fn chips_go_on(&self) -> bool {
        self.io.next().is_some()
    }

    /// True where there are keys to type on that make characters: of a matrix, or a keyboard that sends codes.
    pub fn has_keyboard(&self) -> bool {
        self.io.keyboard.is_some() || self.io.chips.iter().any(|one| one.chip.keys().is_some())
    }

    /// True where its keyboard makes the character; every one where it has a console and no keyboard.
    pub fn can_type(&self, character: u8) -> bool {
        let codes = self.io.chips.iter().find_map(|one| one.chip.keys());
        match (&self.io.keyboard, codes) {
            (Some(keyboard), _) => keyboard.keys(character).is_some(),
            (None, Some(keys)) => keys.makes(character),
            (None, None) => self.takes_typing(),
        }
    }

    /// True where a character typed at the console would ask for an interrupt.
    pub fn typing_interrupts(&self) -> bool {
        let Some(Console::Chip(chip)) = self.board.console else { return false };
        let Fitted { place, chip, .. } = &self.io.chips[chip];
        place.interrupt.is_some() && chip.would_interrupt()
    }

    /// The chips with their lamps and switches.
    pub fn chips(&self) -> &[Fitted] {
        &self.io.chips
    }

    /// The lamps on the pins of chips.
    pub fn lamps(&self) -> &[Lamp] {
        &self.io.lamps
    }

    /// The changes of those lamps, in order.
    pub fn lamp_changes(&self) -> &[LampChange] {
        &self.io.lamp_changes
    }

    /// The speaker, where there is one.
    pub fn speaker(&self) -> Option<&Speaker> {
        self.io.speaker.as_ref()
    }

    /// The cassette recorder, where there is an interface for one.
    pub fn recorder(&self) -> Option<&Recorder> {
        self.io.recorder.as_ref()
    }

    /// The digits.
    pub fn digits(&self) -> &[Digits] {
        &self.io.digits
    }

    /// The keypads.
    pub fn keypads(&self) -> &[Keypad] {
        &self.io.keypads
    }

    /// The keyboard.
    pub fn keyboard(&self) -> Option<&Keyboard> {
        self.io.keyboard.as_ref()
    }

    /// True where something can be typed: at a console or a keyboard.
    pub fn takes_typing(&self) -> bool {
        self.has_keyboard() || self.board.console.is_some()
    }

    /// How the screen is made, where the board has one.
    pub fn raster(&self) -> Option<chip::Raster> {
        self.io.chips.iter().find_map(|fitted| fitted.chip.raster(self.cycles()))
    }

    /// What the screen shows, where the board has one.
    pub fn screen(&self) -> Option<chip::Picture> {
        let raster = self.raster()?;
        Some(raster.picture(|address| self.cell(address)))
    }

    /// True where a chip has switches, or the board a button, of that name.
    pub fn has_switches(&self, name: &str) -> bool {
        let chip = |one: &&Fitted| one.place.name == name && one.chip.switches().is_some();
        self.io.chips.iter().any(|one| chip(&one)) || self.board.buttons.iter().any(|one| one.name == name)
    }

    /// What the lamps of a name show: the row of a chip, or 1 where a single lamp is lit.
    pub fn lamps_named(&self, name: &str) -> Option<u64> {
        let chip = self.io.chips.iter().find(|one| one.place.name == name);
        let single = || self.io.lamps.iter().find(|lamp| lamp.name == name).map(|lamp| u64::from(lamp.lit));
        chip.and_then(|one| one.chip.lamps()).or_else(single)
    }

    /// Counters to 0, console and port records empty: a program begins here.
    pub fn clear_record(&mut self) {
        let now = self.core.now();
        for fitted in &mut self.io.chips {
            fitted.chip.restart(now);
        }
        for lamp in &mut self.io.lamps {
            lamp.clear();
        }
        for digits in &mut self.io.digits {
            digits.clear();
        }
        if let Some(keyboard) = &mut self.io.keyboard {
            keyboard.restart(now);
        }
        if let Some(speaker) = &mut self.io.speaker {
            speaker.restart();
        }
        if let Some(recorder) = &mut self.io.recorder {
            recorder.restart(now);
        }
        self.io.lamp_changes.clear();
        self.busy_until = 0;
        self.core.restart();
        self.io.writes.clear();
        self.io.writes_not_kept = 0;
        self.output.clear();
        if let Some(Console::Line(baud)) = self.board.console {
            self.io.line = Some(SerialLine::new(self.board.clock, baud));
        }
        self.io.settle(0);
    }
}
