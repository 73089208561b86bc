//! What a person reads: about a program as it stands ([`chart`], [`disassemble`], [`inspect`], [`sizes`] and the like), and about one
//! that runs (trace lines, cards, explanations).

pub(crate) mod live;
pub mod page;
pub(crate) mod program;

pub use live::{
    Coverage, Fault, Grade, Radix, Suite, Tracer, describe, explain, explain_branch, final_card, flags_text,
    flame, folded, grades, grades_csv, grades_html, hazards, junit, list_line, memory_in, memory_text,
    registers_card, results, tap, wall, why, writers, written_at,
};
pub use program::{
    BlankCard, Block, Card, CardRow, CassetteFacts, Content, Dependent, DisassembledLine, Exit, Follow,
    Ground, Grouping, Inspection, LabelSize, LoopSize, LooseFacts, Lost, LostTo, MOST_DIFFERENCES, Measured,
    Measuring, NO_LABEL, NotMoved, PADDING, Policy, Position, ProgramFacts, Question, Reach, RegionFacts,
    Runs, SegmentFacts, Sizes, TooLong, UnknownWarning, VectorFacts, WARNINGS, blocks, blocks_of,
    board_facts, card, cassette, cassette_facts, chart, chip_place, disassemble, disassembly_source, escaped,
    exe_header, flow, holes, inspect, notations, position, quiz, quiz_sheet, quiz_text, reach, rom_labels,
    rom_set, sizes, source_lines, starts, warn, wave, wave_stretch,
};
