//! Blocks without labels against a model: random programs of `when`, `otherwise`, `cycle` and `leave` are run on the
//! machine and worked out in Rust, and what they counted must be the same. The same programs written with labels and
//! jumps must assemble to the same cells.

use crate::common::{assembled, told};
use plain_byte::assembler::{Options, Texts, assemble};
use plain_byte::processor::{InstructionSet, i8080, mos6502};
use plain_byte::session::{Limits, Session};
use proptest::prelude::*;
use std::fmt::Write;

/// A statement. Every statement leaves its number in the record when it is carried out.
#[derive(Debug, Clone)]
enum Statement {
    /// Adds 1 to a counter.
    Count(u8),
    /// `when COND … otherwise …`, the condition a comparison of a counter with a number.
    When {
        counter: u8,
        than: u8,
        condition: Condition,
        then: Vec<Statement>,
        otherwise: Option<Vec<Statement>>,
    },
    /// A cycle of at most so many turns; it may be left early, in the middle of a turn.
    Cycle {
        turns: u8,
        before: Vec<Statement>,
        leave: Option<(u8, u8, Condition)>,
        behind: Vec<Statement>,
        until: bool,
    },
}

#[derive(Debug, Clone, Copy)]
enum Condition {
    Equal,
    NotEqual,
    Less,
    NotLess,
}

impl Condition {
    /// The words for it after a comparison.
    const fn word(self, mos: bool) -> &'static str {
        match self {
            Condition::Equal if mos => "EQ",
            Condition::NotEqual if mos => "ne",
            Condition::Less if mos => "cc",
            Condition::NotLess if mos => "cs",
            Condition::Equal => "z",
            Condition::NotEqual => "ne",
            Condition::Less => "c",
            Condition::NotLess => "NC",
        }
    }

    /// The jump that is taken where it holds, and the one where it does not.
    const fn jumps(self) -> (&'static str, &'static str) {
        match self {
            Condition::Equal => ("jz", "jnz"),
            Condition::NotEqual => ("jnz", "jz"),
            Condition::Less => ("jc", "jnc"),
            Condition::NotLess => ("jnc", "jc"),
        }
    }

    const fn holds(self, left: u8, right: u8) -> bool {
        match self {
            Condition::Equal => left == right,
            Condition::NotEqual => left != right,
            Condition::Less => left < right,
            Condition::NotLess => left >= right,
        }
    }
}

const COUNTERS: u8 = 4;

fn condition() -> impl Strategy<Value = Condition> {
    prop_oneof![
        Just(Condition::Equal),
        Just(Condition::NotEqual),
        Just(Condition::Less),
        Just(Condition::NotLess)
    ]
}

fn statements(depth: u32) -> BoxedStrategy<Vec<Statement>> {
    let count = (0..COUNTERS).prop_map(Statement::Count);
    if depth == 0 {
        return proptest::collection::vec(count, 0..3).boxed();
    }
    let comparison = || (0..COUNTERS, 0u8..6, condition());
    let when = (comparison(), statements(depth - 1), proptest::option::of(statements(depth - 1))).prop_map(
        |((counter, than, condition), then, otherwise)| Statement::When {
            counter,
            than,
            condition,
            then,
            otherwise,
        },
    );
    let cycle = (
        1u8..4,
        statements(depth - 1),
        proptest::option::of(comparison()),
        statements(depth - 1),
        any::<bool>(),
    )
        .prop_map(|(turns, before, leave, behind, until)| Statement::Cycle {
            turns,
            before,
            leave,
            behind,
            until,
        });
    proptest::collection::vec(prop_oneof![2 => count, 2 => when, 1 => cycle], 0..4).boxed()
}

/// Carries statements out on the counters.
fn carry_out(statements: &[Statement], counters: &mut [u8; COUNTERS as usize]) {
    for statement in statements {
        match statement {
            Statement::Count(counter) => {
                counters[usize::from(*counter)] = counters[usize::from(*counter)].wrapping_add(1);
            }
            Statement::When { counter, than, condition, then, otherwise } => {
                if condition.holds(counters[usize::from(*counter)], *than) {
                    carry_out(then, counters);
                } else if let Some(otherwise) = otherwise {
                    carry_out(otherwise, counters);
                }
            }
            Statement::Cycle { turns, before, leave, behind, .. } => {
                for _ in 0..*turns {
                    carry_out(before, counters);
                    if let Some((counter, than, condition)) = leave
                        && condition.holds(counters[usize::from(*counter)], *than)
                    {
                        break;
                    }
                    carry_out(behind, counters);
                }
            }
        }
    }
}

/// Writes statements as source: with blocks, or with labels and jumps.
struct Writer {
    text: String,
    /// For the 6502, where a branch does not reach far.
    mos: bool,
    blocks: bool,
    labels: u32,
    /// Cells for the turns that are left, one for each cycle.
    cycles: u32,
}

impl Writer {
    fn line(&mut self, line: &str) {
        let _ = writeln!(self.text, "        {line}");
    }

    fn label(&mut self) -> u32 {
        self.labels += 1;
        self.labels
    }

    fn put(&mut self, label: u32) {
        let _ = writeln!(self.text, "label{label}:");
    }

    fn compare(&mut self, counter: u8, than: u8) {
        self.line(&format!("lda counters + {counter}"));
        self.line(&format!("{} {than}", if self.mos { "cmp #" } else { "cpi" }));
    }

    fn statements(&mut self, statements: &[Statement]) {
        for statement in statements {
            match statement {
                Statement::Count(counter) if self.mos => {
                    self.line(&format!("inc counters + {counter}"));
                    if *counter == 3 {
                        // So much that blocks around it grow beyond what a branch reaches.
                        self.line("copies 60\n        nop\n        endcopies");
                    }
                }
                Statement::Count(counter) => {
                    self.line(&format!("lxi h, counters + {counter}"));
                    self.line("inr m");
                }
                Statement::When { counter, than, condition, then, otherwise } => {
                    self.compare(*counter, *than);
                    self.when(*condition, then, otherwise.as_deref());
                }
                Statement::Cycle { turns, before, leave, behind, until } => {
                    self.cycle(*turns, before, *leave, behind, *until);
                }
            }
        }
    }

    fn when(&mut self, condition: Condition, then: &[Statement], otherwise: Option<&[Statement]>) {
        let (skip, end) = (self.label(), self.label());
        if self.blocks {
            self.line(&format!("when {}", condition.word(self.mos)));
        } else {
            self.line(&format!("{} label{skip}", condition.jumps().1));
        }
        self.statements(then);
        if let Some(otherwise) = otherwise {
            if self.blocks {
                self.line("otherwise");
            } else {
                self.line(&format!("jmp label{end}"));
                self.put(skip);
            }
            self.statements(otherwise);
        }
        match (self.blocks, otherwise) {
            (true, _) => self.line("endwhen"),
            (false, Some(_)) => self.put(end),
            (false, None) => self.put(skip),
        }
    }

    fn cycle(
        &mut self,
        turns: u8,
        before: &[Statement],
        leave: Option<(u8, u8, Condition)>,
        behind: &[Statement],
        until: bool,
    ) {
        let (top, end) = (self.label(), self.label());
        let cell = self.cycles;
        self.cycles += 1;
        self.line(&format!("{} {turns}", if self.mos { "lda #" } else { "mvi a," }));
        self.line(&format!("sta turns + {cell}"));
        if self.blocks {
            self.line("cycle")
        } else {
            self.put(top)
        }
        self.statements(before);
        if let Some((counter, than, condition)) = leave {
            self.compare(counter, than);
            if self.blocks {
                self.line(&format!("leave {}", condition.word(self.mos)));
            } else {
                self.line(&format!("{} label{end}", condition.jumps().0));
            }
        }
        self.statements(behind);
        if self.mos {
            self.line(&format!("dec turns + {cell}"));
        } else {
            self.line(&format!("lxi h, turns + {cell}"));
            self.line("dcr m");
        }
        match (self.blocks, until) {
            (true, true) => self.line("endcycle nz"),
            (true, false) => {
                self.line("leave z");
                self.line("endcycle");
            }
            (false, true) => {
                self.line(&format!("jnz label{top}"));
                self.put(end);
            }
            (false, false) => {
                self.line(&format!("jz label{end}"));
                self.line(&format!("jmp label{top}"));
                self.put(end);
            }
        }
    }
}

fn source(statements: &[Statement], mos: bool, blocks: bool) -> String {
    let head = String::from(if mos { "        org 200h\n" } else { "        org 0\n" });
    let mut writer = Writer { text: head, mos, blocks, labels: 0, cycles: 0 };
    writer.statements(statements);
    let cycles = writer.cycles.max(1);
    writer.line(if mos { "jmp $" } else { "hlt" });
    let _ = write!(writer.text, "counters: db 0, 0, 0, 0\nturns:  ds {cycles}, 0\n");
    writer.text
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn blocks_do_what_they_say(program in statements(3)) {
        let with_blocks = source(&program, false, true);
        let assembly = assembled(&with_blocks);
        prop_assert!(assembly.succeeded(), "{}\n{with_blocks}", told(&assembly));
        let with_jumps = assembled(&source(&program, false, false));
        prop_assert!(with_jumps.succeeded(), "{}", told(&with_jumps));
        prop_assert_eq!(assembly.image.segments(), with_jumps.image.segments());
        runs(&program, &i8080::I8085, &with_blocks)?;
        let with_blocks = source(&program, true, true);
        for set in [&mos6502::MOS6502, &mos6502::C65C02] {
            runs(&program, set, &with_blocks)?;
        }
    }
}

/// Runs a program and compares what it counted.
fn runs(program: &[Statement], set: &'static InstructionSet, source: &str) -> Result<(), TestCaseError> {
    let assembly = assemble("blocks", &mut Texts::one("blocks", source), &Options::default().set(set));
    prop_assert!(assembly.succeeded(), "{}\n{source}", told(&assembly));
    let mut expected = [0; COUNTERS as usize];
    carry_out(program, &mut expected);
    let mut session = Session::bare(set).expect("the board opens");
    session.load_assembly(&assembly).expect("it fits");
    let stop = session.run(Limits::none().cycles(50_000_000));
    prop_assert!(stop.is_end(), "{stop:?}");
    for (counter, expected) in expected.iter().enumerate() {
        let name = format!("cell (counters + {counter})");
        let value = session.evaluate(&name).expect("a cell");
        prop_assert_eq!(
            value,
            i64::from(*expected),
            "counter {} on the {} of\n{}",
            counter,
            set.name(),
            source
        );
    }
    Ok(())
}
