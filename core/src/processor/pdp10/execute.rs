//! The executor: one loop, an arm for each operation, flags and program counter in locals.
//!
//! Accumulators are the first cells of memory and stay there. Operations that are rare or long are told apart by functions of their
//! own ([`Cpu::seldom`]).

use super::fixed::*;
use super::seldom::After;
use super::table::ROWS;
use super::{BIS, Cpu, HALF, HALF_SIGN, INDEX, LEFT, PDL_OVERFLOW, SIGN, WORD};
use crate::processor::{Bus, Exit, Tally, Watch, unlikely};

/// An address.
pub(super) const RIGHT: u32 = 0o777777;
/// The bits of the accumulator's number.
const BITS: u64 = 0o17 << 23;
/// The address is in the cell that is named.
pub(super) const INDIRECT: u64 = 1 << 22;

/// What an operation adds to the tally, from the table.
const STEP: [i64; 512] = {
    let mut steps = [Tally::step(40); 512];
    let mut operation = 0;
    while operation < 512 {
        // The last accumulator's number has no name of its own.
        let row = INDEX[operation << 4 | 0o17];
        if row != 0 {
            steps[operation] = Tally::step(ROWS[row as usize - 1].timing[0].base);
        }
        operation += 1;
    }
    steps
};

/// What each cell on the way to an address adds, in tenths of a microsecond.
pub(super) const LINK: u8 = 10;

/// More cells than this on the way to an address, or instructions that execute others, come round again.
pub(super) const LONGEST_CHAIN: u32 = 1 << 18;

/// Why the inner loop ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Left {
    /// At the limit, or where interrupts may come from here on.
    Looks,
    /// To the caller.
    Exit(Exit),
}

/// The right half.
#[inline(always)]
pub(super) fn address(word: u64) -> u32 {
    word as u32 & RIGHT
}

/// A half in its place; the other one is filled with its sign.
#[inline(always)]
fn extended(half: u64, sign: u64, other: u64) -> u64 {
    if half & sign != 0 { half | other } else { half }
}

impl Cpu {
    /// Runs until `now` has reached `limit` or there is another reason to return: interrupts in front of stretches of instructions.
    ///
    /// PERF: in one file with the loop, so that both come into one part of the compiled crate and the compiler sees that nobody else
    /// calls it.
    pub(super) fn run_until<B: Bus<Cell = u64>, W: Watch>(
        &mut self,
        bus: &mut B,
        watch: &mut W,
        limit: u64,
    ) -> Exit {
        self.halt = None;
        while self.now < limit {
            // An overflow may ask after any instruction.
            let watched = self.interrupts.on && self.apr & 7 != 0;
            let limit = if watched { self.now + 1 } else { limit };
            let channel = self.next_channel();
            let left = match channel {
                Some(channel) => self.interrupt(bus, watch, channel),
                None => self.execute(bus, watch, limit, None),
            };
            match left {
                // An interrupt's own jump leads away from where it was taken.
                Left::Exit(Exit::Idle) if channel.is_some() || self.next_channel().is_some() => {}
                Left::Exit(exit) => return exit,
                _ => {}
            }
        }
        Exit::Limit
    }

    /// Runs instructions until `limit` or a reason to leave; interrupts are the caller's, who may hand in a word to be executed
    /// first.
    #[inline(never)]
    pub(super) fn execute<B, W>(&mut self, bus: &mut B, watch: &mut W, limit: u64, first: Option<u64>) -> Left
    where
        B: Bus<Cell = u64>,
        W: Watch,
    {
        let (mut pc, mut flags) = (self.registers.pc, self.registers.flags);
        let mut tally = Tally::new(self.now, limit);
        let mut local = watch.local(tally);

        macro_rules! keep {
            () => {{
                self.registers.pc = pc & RIGHT;
                self.registers.flags = flags;
                self.now = tally.now();
            }};
        }
        macro_rules! leave {
            ($left:expr) => {{
                keep!();
                self.instructions += tally.instructions();
                W::after(local, tally);
                return $left;
            }};
        }
        // The instruction stays the next one.
        macro_rules! stays {
            ($exit:expr) => {{
                if first.is_none() {
                    pc = pc.wrapping_sub(1);
                }
                leave!(Left::Exit($exit));
            }};
        }
        macro_rules! fetched {
            () => {{
                if tally.due() {
                    leave!(Left::Looks);
                }
                let here = pc & RIGHT;
                if W::before(&mut local, here, tally) {
                    unlikely();
                    leave!(Left::Exit(Exit::Watched));
                }
                pc = here + 1;
                bus.fetch(here)
            }};
        }
        let mut word = match first {
            Some(word) => word,
            None => fetched!(),
        };
        let mut links = 0;
        loop {
            let operation = (word >> 27) as usize & 0o777;
            tally.add(STEP[operation]);
            let mut e = address(word);
            if word & 0o37 << 18 != 0 {
                let index = (word >> 18) as u32 & 0o17;
                if index != 0 {
                    e = (e + address(bus.register(index))) & RIGHT;
                }
                if word & INDIRECT != 0 {
                    let steps;
                    (e, steps) = self.chain(bus, e, tally.now());
                    tally.add(Tally::more_of(u64::from(steps) * u64::from(LINK)));
                    if steps > LONGEST_CHAIN {
                        stays!(Exit::Chain);
                    }
                }
            }
            macro_rules! ac {
                () => {
                    (word >> 23) as u32 & 0o17
                };
            }
            // The accumulator after it.
            macro_rules! next {
                () => {
                    (ac!() + 1) & 0o17
                };
            }
            macro_rules! own {
                () => {
                    bus.register(ac!())
                };
            }
            macro_rules! set {
                ($accumulator:expr, $value:expr) => {{
                    let value = $value;
                    bus.set_register($accumulator, value)
                }};
            }
            macro_rules! load {
                () => {
                    bus.read(e, tally.now())
                };
            }
            macro_rules! store {
                ($value:expr) => {{
                    let value = $value;
                    bus.write(e, value, tally.now())
                }};
            }
            macro_rules! flagged {
                ($result:expr) => {{
                    let (value, set) = $result;
                    flags |= set;
                    value
                }};
            }
            macro_rules! negative {
                ($value:expr) => {
                    flagged!(subtract(0, $value))
                };
            }
            macro_rules! magnitude {
                ($value:expr) => {{
                    let value = $value;
                    if value & SIGN == 0 { value } else { negative!(value) }
                }};
            }
            // Where results go.
            macro_rules! to_accumulator {
                ($value:expr) => {
                    set!(ac!(), $value)
                };
            }
            macro_rules! to_cell {
                ($value:expr) => {
                    store!($value)
                };
            }
            macro_rules! to_both {
                ($value:expr) => {{
                    let value = $value;
                    store!(value);
                    set!(ac!(), value)
                }};
            }
            macro_rules! also_accumulator {
                ($value:expr) => {
                    if word & BITS != 0 {
                        set!(ac!(), $value);
                    }
                };
            }
            macro_rules! to_itself {
                ($value:expr) => {{
                    let value = $value;
                    store!(value);
                    also_accumulator!(value);
                }};
            }
            macro_rules! skip {
                () => {
                    pc += 1
                };
            }
            macro_rules! skip_if {
                ($holds:expr) => {
                    pc += u32::from($holds)
                };
            }
            macro_rules! go_if {
                ($holds:expr) => {
                    if $holds {
                        pc = e;
                    }
                };
            }
            macro_rules! half_to_itself {
                ($cell:ident, $value:expr) => {{
                    let $cell = load!();
                    to_itself!($value);
                }};
            }
            // Skips and jumps by what a word is, compared with zero: a comparison, or always, or never.
            macro_rules! holds {
                ($word:expr, if $always:literal) => {
                    $always
                };
                ($word:expr, $($than:tt)*) => {
                    signed($word) $($than)*
                };
            }
            macro_rules! skip_by_cell {
                ($($test:tt)*) => {{
                    let cell = load!();
                    also_accumulator!(cell);
                    skip_if!(holds!(cell, $($test)*));
                }};
            }
            macro_rules! skip_by_count {
                ($by:expr, $($test:tt)*) => {{
                    let sum = flagged!(add(load!(), $by, 0));
                    store!(sum);
                    also_accumulator!(sum);
                    skip_if!(holds!(sum, $($test)*));
                }};
            }
            macro_rules! jump_by_count {
                ($by:expr, $($test:tt)*) => {{
                    let sum = flagged!(add(own!(), $by, 0));
                    set!(ac!(), sum);
                    go_if!(holds!(sum, $($test)*));
                }};
            }
            // Bits of the accumulator are tested as they were, and changed.
            macro_rules! changed {
                (keep, $word:ident, $mask:ident) => {};
                (clear, $word:ident, $mask:ident) => {
                    set!(ac!(), $word & !$mask)
                };
                (turn, $word:ident, $mask:ident) => {
                    set!(ac!(), $word ^ $mask)
                };
                (set, $word:ident, $mask:ident) => {
                    set!(ac!(), $word | $mask)
                };
            }
            macro_rules! skipped {
                (never, $bits:expr) => {
                    _ = $bits
                };
                (always, $bits:expr) => {{
                    _ = $bits;
                    skip!();
                }};
                (zeros, $bits:expr) => {
                    skip_if!($bits == 0)
                };
                (ones, $bits:expr) => {
                    skip_if!($bits != 0)
                };
            }
            macro_rules! test_bits {
                ($mask:expr, $change:ident, $skip:ident) => {{
                    let (mask, word) = ($mask, own!());
                    changed!($change, word, mask);
                    skipped!($skip, word & mask);
                }};
            }
            // A stack counts both halves of its pointer; where the left one passes zero, it is full or empty.
            macro_rules! pushed {
                ($pointer:expr) => {{
                    let pointer = $pointer;
                    if pointer + BOTH_HALVES > WORD {
                        self.apr |= PDL_OVERFLOW;
                    }
                    (pointer + BOTH_HALVES) & WORD
                }};
            }
            macro_rules! popped {
                ($pointer:expr) => {{
                    let pointer = $pointer;
                    if pointer < BOTH_HALVES {
                        self.apr |= PDL_OVERFLOW;
                    }
                    pointer.wrapping_sub(BOTH_HALVES) & WORD
                }};
            }
            macro_rules! spends {
                ($places:expr) => {
                    tally.add(Tally::more_of(u64::from($places.unsigned_abs()) * 3 / 2))
                };
            }
            macro_rules! shift {
                ($how:ident) => {{
                    let places = places(e);
                    spends!(places);
                    set!(ac!(), $how(own!(), places));
                }};
            }
            macro_rules! shift_flagged {
                ($how:ident) => {{
                    let places = places(e);
                    spends!(places);
                    set!(ac!(), flagged!($how(own!(), places)));
                }};
            }
            macro_rules! double_shift {
                ($how:ident) => {{
                    let places = places(e);
                    spends!(places);
                    let (high, low) = $how((own!(), bus.register(next!())), places);
                    set!(ac!(), high);
                    set!(next!(), low);
                }};
            }
            macro_rules! double_shift_flagged {
                ($how:ident) => {{
                    let places = places(e);
                    spends!(places);
                    let (high, low) = flagged!($how((own!(), bus.register(next!())), places));
                    set!(ac!(), high);
                    set!(next!(), low);
                }};
            }
            match operation {
                0o200 => to_accumulator!(load!()),
                0o201 => to_accumulator!(u64::from(e)),
                0o202 => to_cell!(own!()),
                0o203 => to_itself!(load!()),
                0o204 => to_accumulator!(swapped(load!())),
                0o205 => to_accumulator!(swapped(u64::from(e))),
                0o206 => to_cell!(swapped(own!())),
                0o207 => to_itself!(swapped(load!())),
                0o210 => to_accumulator!(negative!(load!())),
                0o211 => to_accumulator!(negative!(u64::from(e))),
                0o212 => to_cell!(negative!(own!())),
                0o213 => to_itself!(negative!(load!())),
                0o214 => to_accumulator!(magnitude!(load!())),
                0o215 => to_accumulator!(u64::from(e)),
                0o216 => to_cell!(magnitude!(own!())),
                0o217 => to_itself!(magnitude!(load!())),
                0o270 => to_accumulator!(flagged!(add(own!(), load!(), 0))),
                0o271 => to_accumulator!(flagged!(add(own!(), u64::from(e), 0))),
                0o272 => to_cell!(flagged!(add(own!(), load!(), 0))),
                0o273 => to_both!(flagged!(add(own!(), load!(), 0))),
                0o274 => to_accumulator!(flagged!(subtract(own!(), load!()))),
                0o275 => to_accumulator!(flagged!(subtract(own!(), u64::from(e)))),
                0o276 => to_cell!(flagged!(subtract(own!(), load!()))),
                0o277 => to_both!(flagged!(subtract(own!(), load!()))),
                0o220 => to_accumulator!(flagged!(multiply_integer(own!(), load!()))),
                0o221 => to_accumulator!(flagged!(multiply_integer(own!(), u64::from(e)))),
                0o222 => to_cell!(flagged!(multiply_integer(own!(), load!()))),
                0o223 => to_both!(flagged!(multiply_integer(own!(), load!()))),
                0o240 => shift_flagged!(arithmetic),
                0o241 => shift!(rotated),
                0o242 => shift!(logical),
                0o243 => {
                    let word = own!();
                    let zeros = u64::from((word << 28).leading_zeros());
                    set!(next!(), if word == 0 { 0 } else { zeros });
                    go_if!(word != 0);
                }
                0o244 => double_shift_flagged!(arithmetic_double),
                0o245 => double_shift!(rotated_double),
                0o246 => double_shift!(logical_double),
                0o250 => {
                    let (word, cell) = (own!(), load!());
                    store!(word);
                    set!(ac!(), cell);
                }
                0o252 => {
                    set!(ac!(), add(own!(), BOTH_HALVES, 0).0);
                    go_if!(own!() & SIGN == 0);
                }
                0o253 => {
                    set!(ac!(), add(own!(), BOTH_HALVES, 0).0);
                    go_if!(own!() & SIGN != 0);
                }
                0o254 if word & BITS == 0 => {
                    let own = pc.wrapping_sub(1) & RIGHT;
                    pc = e;
                    if pc == own {
                        leave!(Left::Exit(Exit::Idle));
                    }
                }
                0o255 => {
                    // The accumulator's bits name the four flags in the places that they have.
                    let named = (word & BITS) << 9;
                    let set = flags & named;
                    flags &= !named;
                    go_if!(set != 0);
                }
                0o256 => {
                    links += 1;
                    if links > LONGEST_CHAIN {
                        stays!(Exit::Chain);
                    }
                    word = load!();
                    continue;
                }
                0o260 => {
                    set!(ac!(), pushed!(own!()));
                    bus.write(address(own!()), flags | u64::from(pc & RIGHT), tally.now());
                    flags &= !BIS;
                    pc = e;
                }
                0o261 => {
                    let cell = load!();
                    set!(ac!(), pushed!(own!()));
                    bus.write(address(own!()), cell, tally.now());
                }
                0o262 => {
                    let pointer = own!();
                    let cell = bus.read(address(pointer), tally.now());
                    store!(cell);
                    set!(ac!(), popped!(pointer));
                }
                0o263 => {
                    let cell = bus.read(address(own!()), tally.now());
                    set!(ac!(), popped!(own!()));
                    pc = address(cell);
                }
                0o264 => {
                    store!(flags | u64::from(pc & RIGHT));
                    flags &= !BIS;
                    pc = e + 1;
                }
                0o265 => {
                    set!(ac!(), flags | u64::from(pc & RIGHT));
                    flags &= !BIS;
                    pc = e;
                }
                0o266 => {
                    store!(own!());
                    set!(ac!(), u64::from(e) << 18 | u64::from(pc & RIGHT));
                    pc = e + 1;
                }
                0o267 => {
                    set!(ac!(), bus.read((own!() >> 18) as u32, tally.now()));
                    pc = e;
                }
                0o300 => {}
                0o301 => skip_if!(signed(own!()) < i64::from(e)),
                0o302 => skip_if!(signed(own!()) == i64::from(e)),
                0o303 => skip_if!(signed(own!()) <= i64::from(e)),
                0o304 => skip!(),
                0o305 => skip_if!(signed(own!()) >= i64::from(e)),
                0o306 => skip_if!(signed(own!()) != i64::from(e)),
                0o307 => skip_if!(signed(own!()) > i64::from(e)),
                0o310 => _ = load!(),
                0o311 => skip_if!(signed(own!()) < signed(load!())),
                0o312 => skip_if!(signed(own!()) == signed(load!())),
                0o313 => skip_if!(signed(own!()) <= signed(load!())),
                0o314 => skip_if!(load!() <= WORD),
                0o315 => skip_if!(signed(own!()) >= signed(load!())),
                0o316 => skip_if!(signed(own!()) != signed(load!())),
                0o317 => skip_if!(signed(own!()) > signed(load!())),
                0o320 => {}
                0o321 => go_if!(signed(own!()) < 0),
                0o322 => go_if!(signed(own!()) == 0),
                0o323 => go_if!(signed(own!()) <= 0),
                0o324 => pc = e,
                0o325 => go_if!(signed(own!()) >= 0),
                0o326 => go_if!(signed(own!()) != 0),
                0o327 => go_if!(signed(own!()) > 0),
                0o330 => skip_by_cell!(if false),
                0o331 => skip_by_cell!(< 0),
                0o332 => skip_by_cell!(== 0),
                0o333 => skip_by_cell!(<= 0),
                0o334 => skip_by_cell!(if true),
                0o335 => skip_by_cell!(>= 0),
                0o336 => skip_by_cell!(!= 0),
                0o337 => skip_by_cell!(> 0),
                0o340 => jump_by_count!(1, if false),
                0o341 => jump_by_count!(1, < 0),
                0o342 => jump_by_count!(1, == 0),
                0o343 => jump_by_count!(1, <= 0),
                0o344 => jump_by_count!(1, if true),
                0o345 => jump_by_count!(1, >= 0),
                0o346 => jump_by_count!(1, != 0),
                0o347 => jump_by_count!(1, > 0),
                0o350 => skip_by_count!(1, if false),
                0o351 => skip_by_count!(1, < 0),
                0o352 => skip_by_count!(1, == 0),
                0o353 => skip_by_count!(1, <= 0),
                0o354 => skip_by_count!(1, if true),
                0o355 => skip_by_count!(1, >= 0),
                0o356 => skip_by_count!(1, != 0),
                0o357 => skip_by_count!(1, > 0),
                0o360 => jump_by_count!(WORD, if false),
                0o361 => jump_by_count!(WORD, < 0),
                0o362 => jump_by_count!(WORD, == 0),
                0o363 => jump_by_count!(WORD, <= 0),
                0o364 => jump_by_count!(WORD, if true),
                0o365 => jump_by_count!(WORD, >= 0),
                0o366 => jump_by_count!(WORD, != 0),
                0o367 => jump_by_count!(WORD, > 0),
                0o370 => skip_by_count!(WORD, if false),
                0o371 => skip_by_count!(WORD, < 0),
                0o372 => skip_by_count!(WORD, == 0),
                0o373 => skip_by_count!(WORD, <= 0),
                0o374 => skip_by_count!(WORD, if true),
                0o375 => skip_by_count!(WORD, >= 0),
                0o376 => skip_by_count!(WORD, != 0),
                0o377 => skip_by_count!(WORD, > 0),
                0o400 => to_accumulator!(0),
                0o401 => to_accumulator!(0),
                0o402 => to_cell!(0),
                0o403 => to_both!(0),
                0o404 => to_accumulator!(own!() & load!()),
                0o405 => to_accumulator!(own!() & u64::from(e)),
                0o406 => to_cell!(own!() & load!()),
                0o407 => to_both!(own!() & load!()),
                0o410 => to_accumulator!((!own!() & load!()) & WORD),
                0o411 => to_accumulator!((!own!() & u64::from(e)) & WORD),
                0o412 => to_cell!((!own!() & load!()) & WORD),
                0o413 => to_both!((!own!() & load!()) & WORD),
                0o414 => to_accumulator!(load!()),
                0o415 => to_accumulator!(u64::from(e)),
                0o416 => to_cell!(load!()),
                0o417 => to_both!(load!()),
                0o420 => to_accumulator!((own!() & !load!()) & WORD),
                0o421 => to_accumulator!((own!() & !u64::from(e)) & WORD),
                0o422 => to_cell!((own!() & !load!()) & WORD),
                0o423 => to_both!((own!() & !load!()) & WORD),
                0o424 => to_accumulator!(own!()),
                0o425 => to_accumulator!(own!()),
                0o426 => to_cell!(own!()),
                0o427 => to_both!(own!()),
                0o430 => to_accumulator!(own!() ^ load!()),
                0o431 => to_accumulator!(own!() ^ u64::from(e)),
                0o432 => to_cell!(own!() ^ load!()),
                0o433 => to_both!(own!() ^ load!()),
                0o434 => to_accumulator!(own!() | load!()),
                0o435 => to_accumulator!(own!() | u64::from(e)),
                0o436 => to_cell!(own!() | load!()),
                0o437 => to_both!(own!() | load!()),
                0o440 => to_accumulator!((!own!() & !load!()) & WORD),
                0o441 => to_accumulator!((!own!() & !u64::from(e)) & WORD),
                0o442 => to_cell!((!own!() & !load!()) & WORD),
                0o443 => to_both!((!own!() & !load!()) & WORD),
                0o444 => to_accumulator!((!(own!() ^ load!())) & WORD),
                0o445 => to_accumulator!((!(own!() ^ u64::from(e))) & WORD),
                0o446 => to_cell!((!(own!() ^ load!())) & WORD),
                0o447 => to_both!((!(own!() ^ load!())) & WORD),
                0o450 => to_accumulator!((!own!()) & WORD),
                0o451 => to_accumulator!((!own!()) & WORD),
                0o452 => to_cell!((!own!()) & WORD),
                0o453 => to_both!((!own!()) & WORD),
                0o454 => to_accumulator!((!own!() | load!()) & WORD),
                0o455 => to_accumulator!((!own!() | u64::from(e)) & WORD),
                0o456 => to_cell!((!own!() | load!()) & WORD),
                0o457 => to_both!((!own!() | load!()) & WORD),
                0o460 => to_accumulator!((!load!()) & WORD),
                0o461 => to_accumulator!((!u64::from(e)) & WORD),
                0o462 => to_cell!((!load!()) & WORD),
                0o463 => to_both!((!load!()) & WORD),
                0o464 => to_accumulator!((own!() | !load!()) & WORD),
                0o465 => to_accumulator!((own!() | !u64::from(e)) & WORD),
                0o466 => to_cell!((own!() | !load!()) & WORD),
                0o467 => to_both!((own!() | !load!()) & WORD),
                0o470 => to_accumulator!((!own!() | !load!()) & WORD),
                0o471 => to_accumulator!((!own!() | !u64::from(e)) & WORD),
                0o472 => to_cell!((!own!() | !load!()) & WORD),
                0o473 => to_both!((!own!() | !load!()) & WORD),
                0o474 => to_accumulator!(WORD),
                0o475 => to_accumulator!(WORD),
                0o476 => to_cell!(WORD),
                0o477 => to_both!(WORD),
                0o500 => to_accumulator!(own!() & HALF | load!() & LEFT),
                0o501 => to_accumulator!(own!() & HALF | u64::from(e) & LEFT),
                0o502 => to_cell!(load!() & HALF | own!() & LEFT),
                0o503 => half_to_itself!(cell, cell & HALF | cell & LEFT),
                0o510 => to_accumulator!(load!() & LEFT),
                0o511 => to_accumulator!(u64::from(e) & LEFT),
                0o512 => to_cell!(own!() & LEFT),
                0o513 => half_to_itself!(cell, cell & LEFT),
                0o520 => to_accumulator!(load!() & LEFT | HALF),
                0o521 => to_accumulator!(u64::from(e) & LEFT | HALF),
                0o522 => to_cell!(own!() & LEFT | HALF),
                0o523 => half_to_itself!(cell, cell & LEFT | HALF),
                0o530 => to_accumulator!(extended(load!() & LEFT, SIGN, HALF)),
                0o531 => to_accumulator!(extended(u64::from(e) & LEFT, SIGN, HALF)),
                0o532 => to_cell!(extended(own!() & LEFT, SIGN, HALF)),
                0o533 => half_to_itself!(cell, extended(cell & LEFT, SIGN, HALF)),
                0o504 => to_accumulator!(own!() & HALF | load!() << 18 & LEFT),
                0o505 => to_accumulator!(own!() & HALF | u64::from(e) << 18 & LEFT),
                0o506 => to_cell!(load!() & HALF | own!() << 18 & LEFT),
                0o507 => half_to_itself!(cell, cell & HALF | cell << 18 & LEFT),
                0o514 => to_accumulator!(load!() << 18 & LEFT),
                0o515 => to_accumulator!(u64::from(e) << 18 & LEFT),
                0o516 => to_cell!(own!() << 18 & LEFT),
                0o517 => half_to_itself!(cell, cell << 18 & LEFT),
                0o524 => to_accumulator!(load!() << 18 & LEFT | HALF),
                0o525 => to_accumulator!(u64::from(e) << 18 & LEFT | HALF),
                0o526 => to_cell!(own!() << 18 & LEFT | HALF),
                0o527 => half_to_itself!(cell, cell << 18 & LEFT | HALF),
                0o534 => to_accumulator!(extended(load!() << 18 & LEFT, SIGN, HALF)),
                0o535 => to_accumulator!(extended(u64::from(e) << 18 & LEFT, SIGN, HALF)),
                0o536 => to_cell!(extended(own!() << 18 & LEFT, SIGN, HALF)),
                0o537 => half_to_itself!(cell, extended(cell << 18 & LEFT, SIGN, HALF)),
                0o540 => to_accumulator!(own!() & LEFT | load!() & HALF),
                0o541 => to_accumulator!(own!() & LEFT | u64::from(e) & HALF),
                0o542 => to_cell!(load!() & LEFT | own!() & HALF),
                0o543 => half_to_itself!(cell, cell & LEFT | cell & HALF),
                0o550 => to_accumulator!(load!() & HALF),
                0o551 => to_accumulator!(u64::from(e) & HALF),
                0o552 => to_cell!(own!() & HALF),
                0o553 => half_to_itself!(cell, cell & HALF),
                0o560 => to_accumulator!(load!() & HALF | LEFT),
                0o561 => to_accumulator!(u64::from(e) & HALF | LEFT),
                0o562 => to_cell!(own!() & HALF | LEFT),
                0o563 => half_to_itself!(cell, cell & HALF | LEFT),
                0o570 => to_accumulator!(extended(load!() & HALF, HALF_SIGN, LEFT)),
                0o571 => to_accumulator!(extended(u64::from(e) & HALF, HALF_SIGN, LEFT)),
                0o572 => to_cell!(extended(own!() & HALF, HALF_SIGN, LEFT)),
                0o573 => half_to_itself!(cell, extended(cell & HALF, HALF_SIGN, LEFT)),
                0o544 => to_accumulator!(own!() & LEFT | load!() >> 18),
                0o545 => to_accumulator!(own!() & LEFT | u64::from(e) >> 18),
                0o546 => to_cell!(load!() & LEFT | own!() >> 18),
                0o547 => half_to_itself!(cell, cell & LEFT | cell >> 18),
                0o554 => to_accumulator!(load!() >> 18),
                0o555 => to_accumulator!(u64::from(e) >> 18),
                0o556 => to_cell!(own!() >> 18),
                0o557 => half_to_itself!(cell, cell >> 18),
                0o564 => to_accumulator!(load!() >> 18 | LEFT),
                0o565 => to_accumulator!(u64::from(e) >> 18 | LEFT),
                0o566 => to_cell!(own!() >> 18 | LEFT),
                0o567 => half_to_itself!(cell, cell >> 18 | LEFT),
                0o574 => to_accumulator!(extended(load!() >> 18, HALF_SIGN, LEFT)),
                0o575 => to_accumulator!(extended(u64::from(e) >> 18, HALF_SIGN, LEFT)),
                0o576 => to_cell!(extended(own!() >> 18, HALF_SIGN, LEFT)),
                0o577 => half_to_itself!(cell, extended(cell >> 18, HALF_SIGN, LEFT)),
                0o600 => test_bits!(u64::from(e), keep, never),
                0o601 => test_bits!(u64::from(e) << 18, keep, never),
                0o602 => test_bits!(u64::from(e), keep, zeros),
                0o603 => test_bits!(u64::from(e) << 18, keep, zeros),
                0o604 => test_bits!(u64::from(e), keep, always),
                0o605 => test_bits!(u64::from(e) << 18, keep, always),
                0o606 => test_bits!(u64::from(e), keep, ones),
                0o607 => test_bits!(u64::from(e) << 18, keep, ones),
                0o610 => test_bits!(load!(), keep, never),
                0o611 => test_bits!(swapped(load!()), keep, never),
                0o612 => test_bits!(load!(), keep, zeros),
                0o613 => test_bits!(swapped(load!()), keep, zeros),
                0o614 => test_bits!(load!(), keep, always),
                0o615 => test_bits!(swapped(load!()), keep, always),
                0o616 => test_bits!(load!(), keep, ones),
                0o617 => test_bits!(swapped(load!()), keep, ones),
                0o620 => test_bits!(u64::from(e), clear, never),
                0o621 => test_bits!(u64::from(e) << 18, clear, never),
                0o622 => test_bits!(u64::from(e), clear, zeros),
                0o623 => test_bits!(u64::from(e) << 18, clear, zeros),
                0o624 => test_bits!(u64::from(e), clear, always),
                0o625 => test_bits!(u64::from(e) << 18, clear, always),
                0o626 => test_bits!(u64::from(e), clear, ones),
                0o627 => test_bits!(u64::from(e) << 18, clear, ones),
                0o630 => test_bits!(load!(), clear, never),
                0o631 => test_bits!(swapped(load!()), clear, never),
                0o632 => test_bits!(load!(), clear, zeros),
                0o633 => test_bits!(swapped(load!()), clear, zeros),
                0o634 => test_bits!(load!(), clear, always),
                0o635 => test_bits!(swapped(load!()), clear, always),
                0o636 => test_bits!(load!(), clear, ones),
                0o637 => test_bits!(swapped(load!()), clear, ones),
                0o640 => test_bits!(u64::from(e), turn, never),
                0o641 => test_bits!(u64::from(e) << 18, turn, never),
                0o642 => test_bits!(u64::from(e), turn, zeros),
                0o643 => test_bits!(u64::from(e) << 18, turn, zeros),
                0o644 => test_bits!(u64::from(e), turn, always),
                0o645 => test_bits!(u64::from(e) << 18, turn, always),
                0o646 => test_bits!(u64::from(e), turn, ones),
                0o647 => test_bits!(u64::from(e) << 18, turn, ones),
                0o650 => test_bits!(load!(), turn, never),
                0o651 => test_bits!(swapped(load!()), turn, never),
                0o652 => test_bits!(load!(), turn, zeros),
                0o653 => test_bits!(swapped(load!()), turn, zeros),
                0o654 => test_bits!(load!(), turn, always),
                0o655 => test_bits!(swapped(load!()), turn, always),
                0o656 => test_bits!(load!(), turn, ones),
                0o657 => test_bits!(swapped(load!()), turn, ones),
                0o660 => test_bits!(u64::from(e), set, never),
                0o661 => test_bits!(u64::from(e) << 18, set, never),
                0o662 => test_bits!(u64::from(e), set, zeros),
                0o663 => test_bits!(u64::from(e) << 18, set, zeros),
                0o664 => test_bits!(u64::from(e), set, always),
                0o665 => test_bits!(u64::from(e) << 18, set, always),
                0o666 => test_bits!(u64::from(e), set, ones),
                0o667 => test_bits!(u64::from(e) << 18, set, ones),
                0o670 => test_bits!(load!(), set, never),
                0o671 => test_bits!(swapped(load!()), set, never),
                0o672 => test_bits!(load!(), set, zeros),
                0o673 => test_bits!(swapped(load!()), set, zeros),
                0o674 => test_bits!(load!(), set, always),
                0o675 => test_bits!(swapped(load!()), set, always),
                0o676 => test_bits!(load!(), set, ones),
                0o677 => test_bits!(swapped(load!()), set, ones),
                _ => {
                    keep!();
                    let after = self.seldom(bus, word, e);
                    (pc, flags) = (self.registers.pc, self.registers.flags);
                    tally.add(Tally::more_of(self.now - tally.now()));
                    match after {
                        After::Next => {}
                        After::Execute(other) => {
                            links += 1;
                            if links > LONGEST_CHAIN {
                                stays!(Exit::Chain);
                            }
                            word = other;
                            continue;
                        }
                        After::Leave(left) => leave!(left),
                        After::Stays(Exit::Undefined) => {
                            tally.add(-STEP[operation]);
                            stays!(Exit::Undefined);
                        }
                        After::Stays(exit) => stays!(exit),
                    }
                }
            }
            if (B::WATCHED || operation >= 0o700) && bus.attention() {
                leave!(Left::Exit(Exit::Attention));
            }
            (word, links) = (fetched!(), 0);
        }
    }

    /// Follows a chain of cells to an address, from the first one on: the address, and how many cells stood on the way.
    #[cold]
    #[inline(never)]
    pub(super) fn chain<B: Bus<Cell = u64>>(&mut self, bus: &mut B, first: u32, now: u64) -> (u32, u32) {
        let (mut e, mut steps) = (first, 0);
        loop {
            let cell = bus.read(e, now);
            e = address(cell);
            let index = (cell >> 18) as u32 & 0o17;
            if index != 0 {
                e = (e + address(bus.register(index))) & RIGHT;
            }
            steps += 1;
            self.last = cell;
            if cell & INDIRECT == 0 || steps > LONGEST_CHAIN {
                return (e, steps);
            }
        }
    }
}
