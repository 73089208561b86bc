//! A text screen in its own colours, with as much of its border as there is room for.

use plain_byte::machine::chip::{Glyph, Picture};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Color, Style};
use ratatui::text::{Line, Span};

/// Columns and lines that the screen takes with its whole border.
pub fn whole(picture: &Picture) -> (u16, u16) {
    (picture.size.0 as u16 + 6, picture.size.1 as u16 + 4)
}

/// Columns that it takes at least.
pub fn least(picture: &Picture) -> u16 {
    picture.size.0 as u16 + 2
}

fn colour(picture: &Picture, number: u8) -> Color {
    let [red, green, blue] = picture.palette[usize::from(number & 15)].1;
    Color::Rgb(red, green, blue)
}

/// Draws the screen in the middle of an area. Where its lines do not fit, those about the cursor are seen.
pub fn draw(frame: &mut Frame<'_>, area: Rect, picture: &Picture) {
    let (columns, rows) = picture.size;
    let whole = whole(picture);
    let wide = area.width.min(whole.0);
    let side = wide.saturating_sub(columns as u16) / 2;
    let tall = area.height.min(whole.1);
    let above = tall.saturating_sub(rows as u16) / 2;
    let cursor = picture.cursor.map_or(0, |place| place / columns.max(1));
    let skip = (cursor + 1).saturating_sub(usize::from(tall));
    let left = area.x + (area.width - wide) / 2;
    let top = area.y + (area.height - tall) / 2;
    for y in 0..tall {
        let row = skip as isize + y as isize - above as isize;
        let border = Span::styled(
            " ".repeat(usize::from(side)),
            Style::new().bg(colour(picture, picture.border_beside(row))),
        );
        let mut spans = vec![border.clone()];
        match usize::try_from(row).ok().filter(|&row| row < rows) {
            Some(row) => spans.extend(characters(picture, row)),
            None => spans.push(Span::styled(" ".repeat(columns), border.style)),
        }
        spans.push(border);
        frame.render_widget(Line::from(spans), Rect::new(left, top + y, wide, 1).intersection(area));
    }
}

/// A line of characters, those of one colour together.
fn characters(picture: &Picture, row: usize) -> Vec<Span<'static>> {
    let columns = picture.size.0;
    let first = row * columns;
    let mut spans: Vec<Span<'static>> = Vec::new();
    for (at, glyph) in picture.glyphs[first..first + columns].iter().enumerate() {
        let &Glyph { sign, ink, ground, is_dark, .. } = glyph;
        let reversed = picture.cursor_lit && picture.cursor == Some(first + at);
        let (ink, ground) = if reversed { (ground, ink) } else { (ink, ground) };
        let style = Style::new().fg(colour(picture, ink)).bg(colour(picture, ground));
        let sign = if is_dark { ' ' } else { sign };
        match spans.last_mut().filter(|last| last.style == style) {
            Some(last) => last.content.to_mut().push(sign),
            None => spans.push(Span::styled(sign.to_string(), style)),
        }
    }
    spans
}
