//! Regions: stretches of memory, or ROM chips, that a program must stay inside.

use crate::assembler::output::line::LineKind;
use crate::assembler::read::lexer::Kind;
use crate::assembler::read::parser::{Cursor, Parser};
use crate::diagnostic::{Diagnostic, Span, nearest};
use crate::image::{Image, Segment};
use serde::Serialize;

/// A stretch of memory that the source names.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Region {
    /// Its name.
    pub name: String,
    /// First address.
    pub first: u32,
    /// Last address.
    pub last: u32,
    /// What stands in its unused cells; `None` where they are no part of the image.
    pub fill: Option<u64>,
    /// Where it is declared.
    #[serde(skip)]
    pub defined: Span,
    /// The location after what was put into it so far.
    #[serde(skip)]
    pub next: u32,
    /// The first line that went past its end.
    #[serde(skip)]
    overflow: Option<Span>,
    #[serde(skip)]
    extent: u64,
}

impl Region {
    /// The same so many cells further on.
    #[must_use]
    pub fn moved(self, by: u32) -> Self {
        Self { first: self.first.wrapping_add(by), last: self.last.wrapping_add(by), ..self }
    }

    /// True where an address is in it.
    pub fn contains(&self, address: u32) -> bool {
        (self.first..=self.last).contains(&address)
    }
}

/// The regions of a source, and which of them the location is in.
#[derive(Default)]
pub(crate) struct Regions {
    pub list: Vec<Region>,
    current: Option<usize>,
}

impl Parser<'_> {
    /// Takes over where memory or the region ends.
    pub(in crate::assembler) fn update_limit(&mut self) {
        let end = self.last_address() + 1;
        let region = self.layout.regions.current.map(|at| u64::from(self.layout.regions.list[at].last) + 1);
        self.layout.output.limit = region.map_or(end, |region| region.min(end));
    }

    /// Notes that the region is full; false where the location is in none.
    pub(in crate::assembler) fn region_overflows(&mut self, span: Span) -> bool {
        let Some(at) = self.layout.regions.current else { return false };
        self.layout.regions.list[at].overflow.get_or_insert(span);
        true
    }

    /// The location leaves the region it is in, for `org` and for other regions.
    pub(in crate::assembler) fn leave_region(&mut self) {
        if let Some(at) = self.layout.regions.current.take() {
            let region = &mut self.layout.regions.list[at];
            region.extent = region.extent.max(self.layout.location);
            region.next = u32::try_from(self.layout.location).unwrap_or(u32::MAX);
        }
    }

    /// `org` stays in the region where it leads into it, and leaves it otherwise.
    pub(in crate::assembler) fn org_and_regions(&mut self, address: u64) {
        let Some(at) = self.layout.regions.current else { return };
        let region = &mut self.layout.regions.list[at];
        region.extent = region.extent.max(self.layout.location);
        if !(u64::from(region.first)..=u64::from(region.last)).contains(&address) {
            self.leave_region();
        }
    }

    /// `region NAME, FIRST, LAST, FILL` declares a region and goes to its beginning; `region NAME` goes on in it.
    pub(in crate::assembler) fn region(&mut self, cursor: &mut Cursor<'_>, span: Span, line: u32) {
        let token = cursor.token;
        let place = cursor.span();
        let name = cursor.text(token).to_string();
        if token.kind != Kind::Name {
            let help = "write `region NAME, FIRST, LAST, FILL`";
            self.report(Diagnostic::error("region", place, "the region has no name", help));
            return cursor.skip_line();
        }
        cursor.next();
        let known = self.layout.regions.list.iter().position(|one| one.name == name);
        if cursor.at_line_end() {
            match known {
                Some(at) => self.enter(at),
                None => {
                    let names = self.layout.regions.list.iter().map(|one| one.name.as_str());
                    let help = match nearest(&name, names) {
                        Some(near) => format!("did you mean `{near}`?"),
                        None => format!("declare it: `region {name}, FIRST, LAST`"),
                    };
                    let message = format!("there is no region `{name}`");
                    self.report(Diagnostic::error("region", place, message, help));
                }
            }
            return self.record(span.source, line, self.layout.location, LineKind::Location);
        }
        let mut values = [None; 3];
        for (number, value) in values.iter_mut().enumerate() {
            if cursor.token.kind != Kind::Comma {
                if number == 2 {
                    continue;
                }
                let help = "write `region NAME, FIRST, LAST, FILL`; FILL may be left out";
                let message = format!("`region` wants the {} address", ["first", "last"][number]);
                self.report(Diagnostic::error("region", cursor.span(), message, help));
                return cursor.skip_line();
            }
            cursor.next();
            let expression = self.expression(cursor);
            *value = self.known(expression, "`region`");
            if number < 2 {
                *value = value.map(|address| self.layout.settling.place(address));
            } else if let Some(fill) = *value
                && !self.fits(fill, super::emit::Field::Cell, expression.span)
            {
                *value = None;
            }
        }
        let [Some(first), Some(last), fill] = values else { return };
        self.declare(
            name,
            (first, last),
            fill.map(|fill| super::emit::part(super::emit::Field::Cell, fill as u64, 0, self.cell_bits())),
            place,
            known,
        );
        self.record(span.source, line, self.layout.location, LineKind::Location);
    }

    fn declare(
        &mut self,
        name: String,
        (first, last): (i64, i64),
        fill: Option<u64>,
        span: Span,
        known: Option<usize>,
    ) {
        let show = |address: u32| {
            self.set.map_or_else(|| format!("{address:X}h"), |set| set.address(address.into()))
        };
        let end = self.last_address() as i64;
        if first < 0 || first > last || last > end {
            let message = format!("the region `{name}` from {first} to {last} is not a stretch of memory");
            let help = format!(
                "the first address comes before the last, and the last one there is {}",
                show(end as u32)
            );
            return self.report(Diagnostic::error("region", span, message, help));
        }
        let (first, last) = (first as u32, last as u32);
        if let Some(at) = known {
            let message = format!("the region `{name}` is declared twice");
            let error = Diagnostic::error(
                "region",
                span,
                message,
                format!("to go on in it, write `region {name}` alone"),
            );
            return self
                .report(error.with_label(self.layout.regions.list[at].defined, "the first declaration"));
        }
        let clash = self.layout.regions.list.iter().find(|one| one.first <= last && first <= one.last);
        if let Some(other) = clash {
            let (from, to) = (first.max(other.first), last.min(other.last));
            let message = format!(
                "the regions `{name}` and `{}` both have the cells {} to {}",
                other.name,
                show(from),
                show(to)
            );
            let error = Diagnostic::error("region", span, message, "move or shorten one of them");
            let error = error.with_label(other.defined, format!("`{}` is declared here", other.name));
            self.report(error);
        }
        self.layout.regions.list.push(Region {
            name,
            first,
            last,
            fill,
            defined: span,
            next: first,
            overflow: None,
            extent: 0,
        });
        self.enter(self.layout.regions.list.len() - 1);
    }

    fn enter(&mut self, at: usize) {
        self.leave_region();
        self.leave_part();
        self.layout.regions.current = Some(at);
        self.set_location(self.layout.regions.list[at].next.into());
    }

    /// Reports the regions that are too small, now that it is known by how much.
    pub(in crate::assembler) fn finish_regions(&mut self) {
        self.leave_region();
        for at in 0..self.layout.regions.list.len() {
            let region = &self.layout.regions.list[at];
            let (name, last) = (region.name.clone(), u64::from(region.last));
            if let Some(span) = region.overflow {
                let defined = region.defined;
                let over = region.extent.saturating_sub(last + 1);
                let last = self.set.map_or_else(|| format!("{last:X}h"), |set| set.address(last));
                let message = format!(
                    "the region `{name}` ends at {last}, and the program goes {over} cells past it from here on"
                );
                let error = Diagnostic::error(
                    "region-full",
                    span,
                    message,
                    "move something to another region, or make it larger",
                );
                self.report(error.with_label(defined, "the region is declared here"));
            }
        }
    }
}

/// The image with the unused cells of the filled regions filled.
pub(in crate::assembler) fn fill(image: Image, regions: &[Region]) -> Image {
    if regions.iter().all(|region| region.fill.is_none()) {
        return image;
    }
    let mut pieces: Vec<Segment> = image.segments().to_vec();
    for region in regions {
        let Some(fill) = region.fill else { continue };
        let first = u64::from(region.first);
        let end = u64::from(region.last) + 1;
        let mut at = first;
        let inside = image.segments().iter().filter(|one| one.end() > first && u64::from(one.start) < end);
        let mut gap = |from: u64, to: u64| {
            if from < to {
                pieces.push(Segment { start: from as u32, cells: vec![fill; (to - from) as usize] });
            }
        };
        for segment in inside {
            gap(at, u64::from(segment.start));
            at = segment.end();
        }
        gap(at, end);
    }
    let entry = image.entry();
    let (mut image, _) = Image::joined(image.cell_bits(), pieces);
    image.set_entry(entry);
    image
}
