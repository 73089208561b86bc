//! Going back over whatever was done by hand: registers, cells, switches, characters, interrupts, resets, the power.

use crate::common::session;
use plain_byte::machine::Event;
use plain_byte::session::{Limits, Session};
use proptest::prelude::*;

/// Counts what is typed and what interrupts, looks at the switches, and waits in halts.
const SOURCE: &str = "        org 4000h
start:  lxi sp, 7F00h\n        mvi a, 18h\n        sim\n        ei
again:  in 11h\n        out 10h\n        lxi h, 5000h\n        inr m\n        mov a, m\n        ani 7\n        jnz again
        hlt\n        jmp again
        org 0FFE4h\n        jmp taken\n        jmp taken\n        jmp taken
        org 4100h\ntaken:  push psw\n        push h\n        lxi h, 5001h\n        inr m\n        pop h\n        pop psw\n        ei\n        ret
        entry start\n";

/// Everything that a step can change.
fn state(session: &Session) -> (Vec<u64>, Vec<u64>, [u64; 2], usize) {
    let machine = session.machine();
    let registers = (0..machine.set().registers().len()).map(|place| machine.register(place)).collect();
    let cells = (0x5000..0x5010).chain(0x7E00..0x7F10).map(|at| machine.cell(at)).collect();
    let counts = [machine.cycles(), machine.instructions()];
    (registers, cells, counts, machine.port_writes().len() + machine.input_waiting())
}

/// Something done by hand, by its number.
fn act(session: &mut Session, which: u8, value: u8) {
    let now = session.machine().cycles();
    let input = ["RST5.5", "RST6.5", "RST7.5", "TRAP"][usize::from(value) % 4].to_string();
    match which % 8 {
        0 => session.set("B", value.into()),
        1 => session.set("CY", i64::from(value & 1)),
        2 => session.put(0x5002, &[value.into(), 7]),
        3 => session.happen(Event::Switches("switches".into(), value.into())),
        4 => session.happen(Event::Interrupt(input)),
        5 => session.happen_at(now + u64::from(value) * 9, Event::Interrupt(input)),
        6 => session.happen(Event::Typed(vec![value])),
        _ => {
            if value > 250 {
                session.reset();
                session.set_place(0x4000);
            }
            Ok(())
        }
    }
    .expect("it is possible");
}

proptest! {
    #[test]
    fn every_step_can_be_gone_back_to(
        rounds in proptest::collection::vec((1usize..9, any::<Option<(u8, u8)>>(), 0u64..400), 1..60),
        backs in proptest::collection::vec(1usize..40, 1..5),
    ) {
        let mut session = session("plover", SOURCE);
        // What was there in front of each step, everything done by hand before it included.
        let mut before = Vec::new();
        for (steps, by_hand, waits) in rounds {
            for _ in 0..steps {
                let here = state(&session);
                if !session.step_within(waits.max(1)).nothing_done() {
                    before.push(here);
                }
            }
            if let Some((which, value)) = by_hand {
                act(&mut session, which, value);
            }
        }
        for back in backs {
            let history = session.history(back).len();
            let here = (state(&session), session.moment(), session.is_in_the_past());
            let gone = session.back(back);
            prop_assert_eq!((gone, history), (back.min(before.len()), gone));
            // What was left can be gone back to, with all that was done by hand in between.
            let mut forth = session.clone();
            prop_assert_eq!(forth.forth(gone), gone);
            prop_assert_eq!(forth.moment().instructions, here.1.instructions);
            prop_assert_eq!(forth.go_to_cycle(here.1.cycle), Ok(here.1));
            prop_assert_eq!((state(&forth), forth.is_in_the_past()), (here.0, here.2));
            let there = before.split_off(before.len() - gone);
            if let Some(there) = there.first() {
                // Time that passed in a halt in front of it is taken back, too.
                let ((mut registers, cells, [cycles, count], seen), mut here) = (there.clone(), state(&session));
                if here.2[0] < cycles {
                    // So is a request that came while it waited: it comes again.
                    let pending = session.processor().register("IP").expect("a register");
                    (registers[pending], here.0[pending]) = (0, 0);
                }
                prop_assert_eq!((&here.0, &here.1, here.2[1], here.3), (&registers, &cells, count, seen));
            }
            let Some(next) = session.clone().step().instruction else { continue };
            // The future is as it was, until something else is done by hand.
            prop_assert!(next.cells() > 0);
            let here = state(&session);
            session.step();
            before.push(here);
        }
    }
}

#[test]
fn a_thousand_inputs_cost_nothing_of_the_past() {
    let mut session = session("plover", SOURCE);
    let mut steps = 0;
    for round in 0..1000u64 {
        session.happen(Event::Switches("switches".into(), round & 0xFF)).expect("it has them");
        session.happen(Event::Interrupt("RST6.5".into())).expect("an input");
        for _ in 0..20 {
            steps += usize::from(!session.step().nothing_done());
        }
    }
    let here = state(&session);
    assert_eq!(session.history(usize::MAX / 1000).len(), steps);
    assert_eq!(session.clone().back(steps), steps);
    assert_eq!((session.back(steps / 2), state(&session) != here), (steps / 2, true));
    // The inputs after that are undone: without them the machine stays in its halt.
    let end = session.machine().cycles();
    session.run(Limits::none().cycles(1_000_000));
    assert!(session.machine().cycles() <= end + 1_000_000 && session.machine().port_writes().len() < 20_000);
}
