//! The files of a new project.

use super::project::{FILE, VERSION};
use crate::assembler::{Options, Texts, assemble};
use crate::boards;
use crate::machine::Board;
use crate::processor::InstructionSet;

/// The files of a new project, by name: the project file, a small program for the board and the processor, and its cases.
///
/// `board_name` is the board as it is named in the project. The processor is the board's, another that fits its socket, or one
/// whose programs the board's runs. `kind` is one of the board's [`starters`](crate::boards::Shipped::starters), where it has several.
///
/// ```
/// use plain_byte::session::find_board;
/// use plain_byte::workspace::starter;
///
/// let found = find_board("plover", None, &mut plain_byte::assembler::Texts::default())?;
/// let files = starter("beacon", "plover", &found.board, found.board.set, None);
/// assert_eq!(files[1].0, "beacon.asm");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn starter(
    name: &str,
    board_name: &str,
    board: &Board,
    set: &'static InstructionSet,
    kind: Option<&str>,
) -> Vec<(String, String)> {
    let fill = |text: &str| {
        text.replace("{name}", name).replace("{board}", board_name).replace("{processor}", set.name())
    };
    let starter = set.hints.starter;
    // The board's own program where the processor has its instructions, else the one that any board can run.
    let shipped = boards::find(board_name).filter(|_| fits(board.set, set));
    let own = shipped.and_then(|shipped| match kind {
        Some(kind) => shipped.starters.iter().find(|one| one.kind == kind),
        None => shipped.starters.first(),
    });
    let own = own
        .map(|one| (fill(one.source), one.cases, one.output))
        .filter(|(source, ..)| assembles(source, board));
    let (source, cases, output) = own.unwrap_or_else(|| {
        let source = fill(starter.program);
        // Where a board has its RAM, the program goes.
        let load = set.habit().literal(board.load.into(), set.address_bits());
        let is_bare = board_name.eq_ignore_ascii_case("bare");
        let moved = source.replace(starter.origin, &format!("org {load}"));
        (if is_bare { source } else { moved }, starter.cases, None)
    });
    let (kind, ending) = output.unwrap_or(starter.output);
    // A source that asks for its file itself needs no other.
    let asks = source.lines().any(|line| line.trim_start().starts_with("image "));
    let output = if asks { String::new() } else { format!("\"{kind}:{name}.{ending}\"") };
    // What stands in the socket is told where it is not what the board comes with.
    let processor = match board.set.runs(set) || is_other_mode(board.set, set) {
        true => String::new(),
        false => format!("processor = \"{}\"\n", set.name()),
    };
    let board_line = format!("board = \"{board_name}\"\n");
    let cases = fill(cases).replace(&board_line, &format!("{processor}{board_line}"));
    let project = format!(
        "version = {VERSION}\nsource = \"{name}.asm\"\n{processor}{board_line}outputs = [{output}]\nlisting = \"{name}.lst\"\ncases = [\"{name}.cases.toml\"]\n"
    );
    let asked = source.lines().find_map(|line| line.trim_start().strip_prefix("image "));
    let file = match asked.and_then(|line| line.split('"').nth(1)) {
        Some(file) => file.to_string(),
        None => format!("{name}.{ending}"),
    };
    let readme = readme(name, board_name, board, &format!("`{file}` and the listing"));
    vec![
        (FILE.to_string(), project),
        (format!("{name}.asm"), source),
        (format!("{name}.cases.toml"), cases),
        ("README.md".to_string(), readme),
    ]
}

/// True where a processor fits the socket of a board that comes with another one: it is of the same family.
pub fn fits(own: &'static InstructionSet, other: &'static InstructionSet) -> bool {
    std::ptr::eq(own.rows(), other.rows()) || is_other_mode(own, other)
}

fn is_other_mode(own: &'static InstructionSet, other: &'static InstructionSet) -> bool {
    own.modes.is_some_and(|modes| std::ptr::eq(modes.other, other))
}

fn assembles(source: &str, board: &Board) -> bool {
    let options = Options::default().names(board.symbols());
    assemble("starter", &mut Texts::one("starter", source), &options).succeeded()
}

/// What the folder holds and what to do with it, in five lines.
fn readme(name: &str, board_name: &str, board: &Board, file: &str) -> String {
    let title = &board.title;
    let look = if board.front.is_some() || !board.chips.is_empty() {
        "`plainbyte panel` works the board by hand"
    } else {
        "`plainbyte monitor` looks inside"
    };
    format!(
        "# {name}\n\n\
         A program for the board `{board_name}`: {title}.\n\
         `plainbyte run` runs it, and `plainbyte run --watch` again whenever you save `{name}.asm`; {look}.\n\
         `plainbyte cases` tries the table `{name}.cases.toml`; `plainbyte build` writes {file}.\n"
    )
}
