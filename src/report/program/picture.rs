//! Pictures: a small builder of SVG with the family look, on white for printing and on slate for screens.

use std::fmt::Write as _;

/// The ground a picture is drawn on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Ground {
    /// White, for paper.
    #[default]
    Print,
    /// Dark slate.
    Screen,
}

/// What a mark is for; the ground decides its colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::report) enum Ink {
    Plain,
    Faint,
    Accent,
    /// The inside of a box.
    Fill,
    /// The inside of a box that matters.
    AccentFill,
    Ground,
}

impl Ground {
    const fn colour(self, ink: Ink) -> &'static str {
        match (self, ink) {
            (Ground::Print, Ink::Plain) => "#1b2429",
            (Ground::Print, Ink::Faint) => "#66737b",
            (Ground::Print, Ink::Accent) => "#a86400",
            (Ground::Print, Ink::Fill) => "#f4f6f7",
            (Ground::Print, Ink::AccentFill) => "#fdf1dc",
            (Ground::Print, Ink::Ground) => "#ffffff",
            (Ground::Screen, Ink::Plain) => "#e4e9ec",
            (Ground::Screen, Ink::Faint) => "#93a1aa",
            (Ground::Screen, Ink::Accent) => "#f0a830",
            (Ground::Screen, Ink::Fill) => "#2a353c",
            (Ground::Screen, Ink::AccentFill) => "#453a22",
            (Ground::Screen, Ink::Ground) => "#1d262c",
        }
    }
}

/// Width of a letter at a size; the typeface is of one width.
pub(in crate::report) const fn letter(size: f64) -> f64 {
    size * 0.602
}

/// An SVG being drawn.
pub(in crate::report) struct Picture {
    ground: Ground,
    width: f64,
    height: f64,
    body: String,
}

impl Picture {
    pub fn new(ground: Ground, width: f64, height: f64) -> Self {
        Self { ground, width, height, body: String::new() }
    }

    pub fn rect(
        &mut self,
        (x, y): (f64, f64),
        (w, h): (f64, f64),
        round: f64,
        fill: Ink,
        stroke: Option<Ink>,
    ) {
        let fill = self.ground.colour(fill);
        let stroke = stroke.map_or("none", |ink| self.ground.colour(ink));
        let _ = writeln!(
            self.body,
            r#"<rect x="{x:.1}" y="{y:.1}" width="{w:.1}" height="{h:.1}" rx="{round:.1}" fill="{fill}" stroke="{stroke}"/>"#
        );
    }

    /// A line through points; with an arrow at its end where wanted.
    pub fn line(&mut self, points: &[(f64, f64)], ink: Ink, width: f64, arrow: bool) {
        let colour = self.ground.colour(ink);
        let list: Vec<String> = points.iter().map(|(x, y)| format!("{x:.1},{y:.1}")).collect();
        let marker = if arrow { r#" marker-end="url(#arrow)""# } else { "" };
        let _ = writeln!(
            self.body,
            r#"<polyline points="{}" fill="none" stroke="{colour}" stroke-width="{width}" stroke-linejoin="round"{marker}/>"#,
            list.join(" ")
        );
    }

    pub fn polygon(&mut self, points: &[(f64, f64)], fill: Ink, stroke: Ink) {
        let (fill, stroke) = (self.ground.colour(fill), self.ground.colour(stroke));
        let list: Vec<String> = points.iter().map(|(x, y)| format!("{x:.1},{y:.1}")).collect();
        let _ =
            writeln!(self.body, r#"<polygon points="{}" fill="{fill}" stroke="{stroke}"/>"#, list.join(" "));
    }

    /// Text whose base line begins at a point; `anchor` is `start`, `middle` or `end`.
    pub fn text(&mut self, (x, y): (f64, f64), size: f64, ink: Ink, anchor: &str, text: &str) {
        let colour = self.ground.colour(ink);
        let _ = writeln!(
            self.body,
            r#"<text x="{x:.1}" y="{y:.1}" font-size="{size}" fill="{colour}" text-anchor="{anchor}" xml:space="preserve">{}</text>"#,
            escaped(text)
        );
    }

    pub fn finish(self) -> String {
        let Self { ground, width, height, body } = self;
        let (paper, ink) = (ground.colour(Ink::Ground), ground.colour(Ink::Faint));
        format!(
            concat!(
                r#"<svg xmlns="http://www.w3.org/2000/svg" width="{w:.0}" height="{h:.0}" viewBox="0 0 {w:.0} {h:.0}" font-family="Hack, 'DejaVu Sans Mono', monospace">"#,
                "\n",
                r#"<defs><marker id="arrow" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto"><path d="M0,0.6 L7.4,4 L0,7.4 z" fill="{ink}"/></marker></defs>"#,
                "\n",
                r#"<rect width="{w:.0}" height="{h:.0}" fill="{paper}"/>"#,
                "\n{body}</svg>\n"
            ),
            w = width,
            h = height,
            ink = ink,
            paper = paper,
            body = body
        )
    }
}

/// A text as it may stand in SVG.
pub fn escaped(text: &str) -> String {
    let mut escaped = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '<' => escaped.push_str("&lt;"),
            '>' => escaped.push_str("&gt;"),
            '&' => escaped.push_str("&amp;"),
            c if c.is_control() => escaped.push(' '),
            c => escaped.push(c),
        }
    }
    escaped
}

/// A text cut to so many letters, with a mark where it was cut.
pub(super) fn cut(text: &str, letters: usize) -> String {
    if text.chars().count() <= letters {
        return text.to_string();
    }
    text.chars().take(letters.saturating_sub(1)).chain(['…']).collect()
}
