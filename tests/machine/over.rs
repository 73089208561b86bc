//! Steps over calls and out of routines, on every processor: what they execute, what they tell, and that going back takes the whole.

use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::machine::Event;
use plain_byte::processor::find;
use plain_byte::session::{Change, Session, Step, Stop};

fn bare(cpu: &str, source: &str) -> Session {
    let source = format!("        cpu {cpu}\n{source}");
    let assembly = assemble("test.asm", &mut Texts::one("test.asm", source.as_str()), &Options::default());
    assert!(assembly.succeeded(), "{source}: {:?}", assembly.diagnostics);
    let mut session = Session::bare(find(cpu).expect("a processor")).expect("it opens");
    session.load_assembly(&assembly).expect("it fits");
    session
}

fn place(session: &Session, label: &str) -> u32 {
    session.evaluate(label).expect(label) as u32
}

/// Programs with a call at `call`, and `behind` where it comes back: calls of calls, itself, one that comes back one further, jumps
/// through a register, restarts and software interrupts. `inner` is a place in the middle of the routine.
const PROGRAMS: &[(&str, &str)] = &[
    (
        "8080",
        "        org 100h\nhere:   call work\nafter: hlt\nwork:   mvi b, 3\ninner:  nop\nloop:   push b\n        call deep\n        pop b\n        dcr b\n        jnz loop\n        ret\ndeep:   inr c\n        rz\n        ret\n        entry here\n",
    ),
    (
        "8085",
        "        org 100h\nhere:   rst 2\nafter: hlt\n        org 10h\nwork:   mvi b, 3\ninner:  inr b\n        ret\n        entry here\n",
    ),
    (
        "8085",
        "        org 100h\nhere:   call work\nafter: hlt\nwork:   inr b\ninner:  mov a, b\n        cpi 5\n        rz\n        call work\n        inr c\n        ret\n        entry here\n",
    ),
    (
        "z80",
        "        org 100h\n        or 1\nhere:   call nz, work\nafter: halt\nwork:   ld hl, deep\ninner:  push hl\n        ret\ndeep:   inc b\n        ret\n        entry here-2\n",
    ),
    (
        "ez80adl",
        "        org 100h\nhere:   call work\nafter: halt\nwork:   ld b, 3\ninner:  inc b\n        ret\n        entry here\n",
    ),
    (
        "6502",
        "        org 200h\nhere:   jsr work\nafter: jmp after\nwork:   ldx #3\ninner:  dex\n        bne inner\n        jsr deep\n        rts\ndeep:   iny\n        rts\n        entry here\n",
    ),
    (
        "6502",
        "        org 200h\nhere:   brk\n        db 0\nafter: jmp after\nwork:   inx\ninner:  iny\n        rti\n        org 0FFFEh\n        dw work\n        entry here\n",
    ),
    (
        "pdp8",
        "        org 200\nhere:   jms work\nafter: hlt\nwork:   dw 0\n        cla\ninner:  iac\n        jms deep\n        jmp i work\ndeep:   dw 0\n        iac\n        jmp i deep\n        entry here\n",
    ),
    (
        "pdp8",
        "        org 200\nhere:   jms work\n        hlt\nafter: hlt\nwork:   dw 0\n        cla\ninner:  isz work\n        jmp i work\n        entry here\n",
    ),
    (
        "pdp10",
        "        org 100\n        move 17, stack\nhere:   pushj 17, work\nafter: halt after\nwork:   movei 1, 3\ninner:  pushj 17, deep\n        sojg 1, inner\n        popj 17,\ndeep:   aos count\n        popj 17,\nstack:  dw 1000\ncount:  dw 0\n        entry here-1\n",
    ),
    (
        "pdp10",
        "        org 100\n        movei 1, 4\n        move 17, stack\nhere:   pushj 17, work\nafter: halt after\nwork:   movei 3, 1\ninner:  sojle 1, done\n        pushj 17, work\ndone:   popj 17,\nstack:  dw 1000\n        entry here-2\n",
    ),
    (
        "pdp10",
        "        org 100\nhere:   jsp 2, work\nafter: halt after\nwork:   movei 1, 3\ninner:  jsr deep\n        jrst (2)\ndeep:   dw 0\n        aos 3\n        jrst @deep\n        entry here\n",
    ),
];

fn state(session: &Session) -> (Vec<u64>, Vec<u64>) {
    let machine = session.machine();
    let registers = (0..machine.set().registers().len()).map(|place| machine.register(place)).collect();
    (
        registers,
        (0..0x300).map(|at| machine.cell(at)).chain([machine.cycles(), machine.instructions()]).collect(),
    )
}

fn to(session: &mut Session, label: &str) {
    let address = place(session, label);
    session.run(plain_byte::session::Limits::none().until(address));
    assert_eq!(session.machine().place(), address);
}

#[test]
fn a_step_over_a_call_comes_back_behind_it_and_is_taken_back_whole() {
    for (cpu, source) in PROGRAMS {
        let mut session = bare(cpu, source);
        let (call, behind) = (place(&session, "here"), place(&session, "after"));
        while session.machine().place() != call {
            session.step();
        }
        let mut one_by_one = session.clone();
        let before = state(&session);
        let step = session.over(&mut |_| true);
        assert_eq!(
            (session.machine().place(), step.next, &step.stop),
            (behind, behind, &None),
            "{cpu}: {source}"
        );
        assert_eq!((step.address, step.interrupt), (call, false), "{cpu}");
        // It is the same as step by step, and it tells the sum of the steps.
        let mut cycles = 0;
        while one_by_one.machine().cycles() < session.machine().cycles() {
            cycles += one_by_one.step().cycles;
        }
        assert_eq!((state(&session), step.cycles), (state(&one_by_one), cycles), "{cpu}");
        for change in &step.changes {
            if let Change::Register { name, after, .. } = change {
                assert_eq!(session.get(name), Some(*after), "{cpu}");
            }
        }
        assert_eq!((session.back(1), state(&session)), (1, before), "{cpu}: it goes back whole");
        // What is no call is one step.
        let mut plain = one_by_one.clone();
        let (over, step) = (plain.over(&mut |_| true), one_by_one.step());
        assert_eq!((over.address, over.cycles), (step.address, step.cycles), "{cpu}");
    }
}

#[test]
fn out_leaves_the_routine_that_is_being_executed() {
    for (cpu, source) in PROGRAMS {
        let mut session = bare(cpu, source);
        to(&mut session, "inner");
        let before = state(&session);
        let step = session.out(&mut |_| true);
        assert_eq!(
            (session.machine().place(), &step.stop),
            (place(&session, "after"), &None),
            "{cpu}: {source}"
        );
        assert_eq!((session.back(1), state(&session)), (1, before), "{cpu}");
    }
}

#[test]
fn interrupts_on_the_way_are_part_of_it_and_the_console_is_told() {
    // An interrupt in the middle of the routine, on a machine with a stack and on one without.
    let with_stack = "        org 38h\n        inr d\n        ei\n        ret\n        org 100h\nstart:  lxi sp, 1000h\n        ei\nhere:   call work\nafter: hlt
work:   mvi b, 200\nloop:   dcr b\n        jnz loop\n        ret\n        entry start\n";
    let without = "        org 0\n        dw 0\n        jmp taken\n        org 20\nsaved:  dw 0\ncount:  dw 0\n        org 200\nstart:  cla\n        ion\nhere:   jms work\nafter: hlt
work:   dw 0\n        tad many\nloop:   isz turns\n        jmp loop\n        jmp i work\nmany:   dw 7000\nturns:  dw 7000
taken:  dca saved\n        isz count\n        cla\n        tad saved\n        ion\n        jmp i 0\n        entry start\n";
    for (cpu, source, input) in [("8080", with_stack, "INTR"), ("pdp8", without, "INT")] {
        for out in [false, true] {
            let mut session = bare(cpu, source);
            session.happen_at(1000, Event::Interrupt(input.into())).expect("an input");
            to(&mut session, if out { "loop" } else { "here" });
            let step: Step = if out { session.out(&mut |_| true) } else { session.over(&mut |_| true) };
            assert_eq!(
                (session.machine().place(), &step.stop),
                (place(&session, "after"), &None),
                "{cpu} {out}"
            );
            assert!(step.cycles > 1000);
            // A breakpoint in the interrupt's routine stops it there.
            let mut stopped = bare(cpu, source);
            stopped.happen_at(1000, Event::Interrupt(input.into())).expect("an input");
            to(&mut stopped, "here");
            stopped.add_breakpoint(if cpu == "8080" { 0x39 } else { place(&stopped, "taken") + 1 });
            assert_eq!(stopped.over(&mut |_| true).stop, Some(Stop::Breakpoint), "{cpu}");
        }
    }
    let mut board = Session::shipped("plover").expect("it opens");
    let source =
        "        org 4000h\nstart:  lxi h, words\n        call 48h\n        hlt\nwords:  db \"fog\", 0\n";
    let assembly =
        assemble("test", &mut Texts::one("test", source), &Options::default().cpu("8085").expect("one"));
    board.load_assembly(&assembly).expect("it fits");
    board.step();
    let step = board.over(&mut |_| true);
    let said: Vec<u8> = step
        .changes
        .iter()
        .flat_map(|change| match change {
            Change::Console { bytes } => bytes.clone(),
            _ => Vec::new(),
        })
        .collect();
    assert!(b"fog".starts_with(&said) && said.len() >= 2, "{said:?}");
    let operator = board.clone().out(&mut |_| false);
    assert!(operator.stop.is_some());
}
