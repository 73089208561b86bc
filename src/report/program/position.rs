//! Whether a program can run elsewhere: it is assembled again at other addresses, and the cells are compared.

use crate::assembler::{Assembly, Loader, Options, assemble};
use crate::number::thousands;
use crate::report::{DisassembledLine, source_lines};
use crate::text::{Text, Tone};
use serde::Serialize;

/// An instruction or a piece of data that depends on where the program stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Dependent {
    /// Address of the line's first cell.
    pub address: u32,
    /// Addresses of the cells that depend.
    pub cells: Vec<u32>,
    /// The line.
    pub text: String,
    /// The label that stands there.
    pub label: Option<String>,
}

/// Where a program can run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Runs {
    /// No cell depends on the address.
    Anywhere,
    /// Only moves by whole pages of 100h leave the cells as they are.
    Pages,
    /// Only where it was assembled.
    Here,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Position {
    /// Where it was assembled.
    pub first: u32,
    /// The distances it was moved by.
    pub moved: Vec<i64>,
    /// Cells in all.
    pub cells: usize,
    /// Lines with cells that depend on the address.
    pub dependent: Vec<Dependent>,
    /// Where it can run.
    pub runs: Runs,
}

/// Why nothing could be compared.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotMoved {
    /// There is no program.
    #[error("the program has no cells")]
    Empty,
    /// It does not assemble at another address, or comes out in another form.
    #[error("the program does not come out the same at any other address{}", .0.as_ref().map(|why| format!(": {why}")).unwrap_or_default())]
    Changes(Option<String>),
}

/// Assembles the program again, moved by a page and by a single cell, and compares.
///
/// # Errors
/// [`NotMoved`] where there is nothing to compare.
pub fn position(
    name: &str,
    loader: &mut dyn Loader,
    options: &Options,
    assembly: &Assembly,
) -> Result<Position, NotMoved> {
    let (first, last) = assembly.image.bounds().ok_or(NotMoved::Empty)?;
    let room = assembly.set.map_or(0xFFFF, |set| set.last_address());
    let mut depends = vec![false; assembly.image.cells()];
    let (mut moved, mut why, mut pages) = (Vec::new(), None, false);
    for distance in [0x100i64, 1] {
        // Where there is no room above, it goes down.
        let fits = |by: i64| i64::from(first) + by >= 0 && i64::from(last) + by <= i64::from(room);
        let Some(by) = [distance, -distance].into_iter().find(|&by| fits(by)) else { continue };
        let other = assemble(name, loader, &options.clone().moved(by, &assembly.places));
        if let Some(error) =
            other.diagnostics.iter().find(|one| one.severity == crate::diagnostic::Severity::Error)
        {
            why.get_or_insert(error.message.clone());
            continue;
        }
        let same_form = other.image.segments().len() == assembly.image.segments().len()
            && other.image.segments().iter().zip(assembly.image.segments()).all(|(other, own)| {
                i64::from(other.start) == i64::from(own.start) + by && other.cells.len() == own.cells.len()
            });
        if !same_form {
            continue;
        }
        moved.push(by);
        let cells = |assembly: &Assembly| -> Vec<u64> {
            assembly.image.segments().iter().flat_map(|one| one.cells.iter().copied()).collect()
        };
        let differs: Vec<bool> =
            cells(assembly).iter().zip(&cells(&other)).map(|(own, other)| own != other).collect();
        pages |= distance == 0x100 && !differs.contains(&true);
        depends.iter_mut().zip(&differs).for_each(|(depends, differs)| *depends |= differs);
    }
    if moved.is_empty() {
        return Err(NotMoved::Changes(why));
    }
    let addresses: Vec<u32> = assembly
        .image
        .segments()
        .iter()
        .flat_map(|one| one.start..=(one.end() - 1) as u32)
        .zip(&depends)
        .filter(|(_, depends)| **depends)
        .map(|(address, _)| address)
        .collect();
    let runs = match (addresses.is_empty(), pages) {
        (true, _) => Runs::Anywhere,
        (false, true) => Runs::Pages,
        (false, false) => Runs::Here,
    };
    let dependent = source_lines(assembly).iter().filter_map(|line| dependent(line, &addresses)).collect();
    Ok(Position { first, moved, cells: assembly.image.cells(), dependent, runs })
}

fn dependent(line: &DisassembledLine, addresses: &[u32]) -> Option<Dependent> {
    let end = line.address.saturating_add(line.cells.len() as u32);
    let range = addresses.partition_point(|&at| at < line.address)..addresses.partition_point(|&at| at < end);
    let cells = addresses[range].to_vec();
    (!cells.is_empty()).then(|| Dependent {
        address: line.address,
        cells,
        text: line.text.clone(),
        label: line.label.clone(),
    })
}

impl Position {
    /// The report, addresses as `show` writes them.
    pub fn text(&self, show: &dyn Fn(u32) -> String) -> Text {
        let mut text = Text::new();
        let count: usize = self.dependent.iter().map(|one| one.cells.len()).sum();
        text.line().tone(Tone::Strong, match self.runs {
            Runs::Anywhere => "the program can run anywhere: no cell depends on its address".to_string(),
            Runs::Pages => format!(
                "the program can run at any distance of whole pages (100h): {} in {} depend only on the place in the page",
                counted(count, "cell"),
                counted(self.dependent.len(), "line")
            ),
            Runs::Here => format!(
                "the program runs only at {}: {} of {} depend on the address, in {}",
                show(self.first),
                thousands(count as u64),
                counted(self.cells, "cell"),
                counted(self.dependent.len(), "line")
            ),
        });
        let moves: Vec<String> =
            self.moved.iter().map(|&by| show((i64::from(self.first) + by) as u32)).collect();
        text.line().tone(
            Tone::Faint,
            format!("assembled at {} and again at {}", show(self.first), moves.join(" and ")),
        );
        if self.dependent.is_empty() {
            return text;
        }
        text.line().tone(Tone::Faint, "  addr  cells        line");
        for one in &self.dependent {
            let (first, last) = (one.cells[0], one.cells[one.cells.len() - 1]);
            let cells = if first == last { show(first) } else { format!("{}..{}", show(first), show(last)) };
            text.line().put(format!("  {}  ", show(one.address))).tone(Tone::Live, format!("{cells:11}"));
            let label = one.label.as_ref().map(|label| format!("{label}: ")).unwrap_or_default();
            text.tone(Tone::Faint, format!("  {label}")).put(one.text.clone());
        }
        text
    }
}

fn counted(count: usize, what: &str) -> String {
    format!("{} {what}{}", thousands(count as u64), if count == 1 { "" } else { "s" })
}
