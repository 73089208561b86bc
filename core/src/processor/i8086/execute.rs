//! The run loop.
//!
//! PERF: an arm for every opcode, so that the loop is one jump table, prefixes in it, so that an instruction without one goes through it
//! once.

use super::Engine;
use super::alu::TRAP;
use super::stretch::{File, Flow, Left, Prefixes, Stretch};
use crate::processor::arms::each_opcode;
use crate::processor::prefix::PREFIX_CLOCKS;
use crate::processor::{Bus, Exit, Tally, Watch};

/// More prefixes than this go round the segment without end.
const MOST_PREFIXES: u32 = 0x1_0000;

impl Engine {
    /// Runs until `now` has reached `limit` or there is another reason to return: interrupts in front of stretches of instructions.
    pub(super) fn run_until<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Exit
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        while self.now < limit {
            let mut inner_limit = limit;
            let shadow = std::mem::take(&mut self.shadow);
            if shadow {
                inner_limit = self.now + 1;
            } else if self.interrupt(bus) {
                // The acknowledgement has changed what the chips ask for.
                if bus.attention() {
                    return Exit::Attention;
                }
                continue;
            }
            if self.halted {
                return Exit::Halt;
            }
            let traced = self.registers.flags & TRAP != 0;
            if traced {
                inner_limit = self.now + 1;
            }
            let left = self.execute(bus, watch, inner_limit);
            let is_done = !matches!(left, Left::Exit(exit) if exit.is_before());
            self.interrupts.trap |= traced && is_done && left != Left::Shadow;
            match left {
                Left::Limit => {}
                Left::Shadow => self.shadow = true,
                Left::Interrupt(number) => {
                    bus.goes_on(true);
                    self.enter(bus, number);
                    bus.goes_on(false);
                    if bus.attention() {
                        return Exit::Attention;
                    }
                }
                // What waits ends the waiting at once.
                Left::Exit(Exit::Halt | Exit::Idle)
                    if self.interrupts.is_acceptable(self.now, self.registers.flags) => {}
                Left::Looks if bus.attention() => return Exit::Attention,
                Left::Looks => {}
                Left::Exit(exit) => {
                    self.shadow = shadow && exit.is_before();
                    return exit;
                }
            }
        }
        Exit::Limit
    }

    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's.
    #[inline(never)]
    fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64) -> Left
    where
        B: Bus<Cell = u8>,
        W: Watch,
    {
        let tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);
        let mut file = File::new(self.registers);
        let model = [self.narrow, self.undocumented];
        let mut l = Stretch::new(&mut file, self.registers, bus, tally, model);
        l.prefixes = if self.repeats { Prefixes::AGAIN } else { Prefixes::NONE };
        macro_rules! leave {
            ($left:expr) => {{
                let left = $left;
                self.registers = l.registers();
                self.now = l.tally.now();
                self.instructions += l.tally.instructions();
                self.repeats = l.prefixes.are_paid();
                self.halted |= left == Left::Exit(Exit::Halt);
                W::after(local, l.tally);
                return left;
            }};
        }
        'instruction: while !l.tally.due() {
            if W::before(&mut local, l.next(), l.tally) {
                leave!(Left::Exit(Exit::Watched));
            }
            let start = l.ip;
            macro_rules! undo {
                ($exit:expr) => {{
                    l.ip = start;
                    if !l.prefixes.are_paid() {
                        l.tally.undo(Tally::more(PREFIX_CLOCKS) * i64::from(l.prefixes.number()));
                    }
                    l.prefixes = l.prefixes.taken_back();
                    leave!(Left::Exit($exit));
                }};
            }
            loop {
                l.look_ahead();
                let opcode = l.code_byte();
                // What stands after each opcode goes by what the opcode, a constant, says.
                macro_rules! arm {
                    ($code:literal) => {
                        match l.opcode::<$code>(start) {
                            Flow::Next => l.prefixes = Prefixes::NONE,
                            Flow::Again => l.prefixes = Prefixes::AGAIN,
                            Flow::Prefix => {
                                if !l.prefixes.are_paid() {
                                    l.spend(PREFIX_CLOCKS);
                                }
                                if l.prefixes.count() > MOST_PREFIXES {
                                    undo!(Exit::Chain);
                                }
                                continue;
                            }
                            Flow::Undefined => undo!(Exit::Undefined),
                            Flow::Leave(left) => {
                                l.prefixes = Prefixes::NONE;
                                leave!(left);
                            }
                        }
                    };
                }
                each_opcode!(opcode, arm);
                if B::WATCHED && l.bus.attention() {
                    leave!(Left::Exit(Exit::Attention));
                }
                continue 'instruction;
            }
        }
        leave!(Left::Limit)
    }
}
