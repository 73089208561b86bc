//! What a screen shows, and how it is made out of memory: characters, their colours, the cursor and the border.

use crate::image::Cell;

/// A colour: its name, and how much red, green and blue.
pub type Colour = (&'static str, [u8; 3]);

/// The colours of `text-screen`.
pub const OWN_COLOURS: [Colour; 16] = [
    ("night", [0x0B, 0x0E, 0x14]),
    ("slate", [0x2B, 0x35, 0x42]),
    ("rock", [0x5C, 0x66, 0x73]),
    ("fog", [0xA4, 0xAE, 0xB8]),
    ("chalk", [0xF2, 0xF0, 0xE8]),
    ("lamp", [0xFF, 0xB0, 0x40]),
    ("sand", [0xD9, 0xC4, 0x94]),
    ("rust", [0xB4, 0x5A, 0x2E]),
    ("port", [0xD5, 0x3E, 0x4F]),
    ("thrift", [0xDC, 0x8C, 0xB4]),
    ("dusk", [0x7A, 0x5C, 0xA8]),
    ("deep", [0x1F, 0x4E, 0x8C]),
    ("sky", [0x63, 0xB3, 0xED]),
    ("shallow", [0x2A, 0x9D, 0x9F]),
    ("kelp", [0x5B, 0x7A, 0x3A]),
    ("starboard", [0x3F, 0xC2, 0x7A]),
];

/// Three bits of red, green and blue and one of brightness, as the four lines of a digital colour monitor carry them.
pub const LINE_COLOURS: [Colour; 16] = [
    ("black", [0x0B, 0x0E, 0x14]),
    ("blue", [0x24, 0x45, 0x9E]),
    ("green", [0x2E, 0x8B, 0x57]),
    ("cyan", [0x2A, 0x9D, 0x9F]),
    ("red", [0xB3, 0x36, 0x3E]),
    ("magenta", [0x8C, 0x4A, 0x9E]),
    ("brown", [0xA8, 0x70, 0x2A]),
    ("grey", [0xB6, 0xBC, 0xC2]),
    ("dark grey", [0x5C, 0x66, 0x73]),
    ("bright blue", [0x63, 0x9A, 0xF2]),
    ("bright green", [0x5F, 0xD3, 0x8D]),
    ("bright cyan", [0x66, 0xD9, 0xE0]),
    ("bright red", [0xF0, 0x6A, 0x6A]),
    ("bright magenta", [0xDC, 0x8C, 0xD0]),
    ("yellow", [0xFF, 0xD3, 0x5C]),
    ("white", [0xF6, 0xF4, 0xEE]),
];

/// The characters of `text-screen`: 32 signs of our own, ASCII, a block at its end, and all of them once more.
pub const OWN_SIGNS: [char; 256] = {
    let mut characters = [' '; 256];
    let own: [char; 32] = [
        '·', '●', '○', '◆', '▲', '▼', '◀', '▶', '←', '→', '↑', '↓', '─', '│', '┌', '┐', '└', '┘', '├', '┤',
        '┬', '┴', '┼', '▀', '▄', '▌', '▐', '░', '▒', '▓', '≈', '°',
    ];
    let mut code = 0;
    while code < 256 {
        let low = code & 0x7F;
        characters[code] = if low < 32 { own[low] } else { low as u8 as char };
        code += 1;
    }
    (characters[127], characters[255]) = ('█', '█');
    characters
};

/// Code page 437, with the signs of its control codes.
#[rustfmt::skip]
pub const CODE_PAGE_437: [char; 256] = [
    ' ', '☺', '☻', '♥', '♦', '♣', '♠', '•', '◘', '○', '◙', '♂', '♀', '♪', '♫', '☼',
    '►', '◄', '↕', '‼', '¶', '§', '▬', '↨', '↑', '↓', '→', '←', '∟', '↔', '▲', '▼',
    ' ', '!', '"', '#', '$', '%', '&', '\'', '(', ')', '*', '+', ',', '-', '.', '/',
    '0', '1', '2', '3', '4', '5', '6', '7', '8', '9', ':', ';', '<', '=', '>', '?',
    '@', 'A', 'B', 'C', 'D', 'E', 'F', 'G', 'H', 'I', 'J', 'K', 'L', 'M', 'N', 'O',
    'P', 'Q', 'R', 'S', 'T', 'U', 'V', 'W', 'X', 'Y', 'Z', '[', '\\', ']', '^', '_',
    '`', 'a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i', 'j', 'k', 'l', 'm', 'n', 'o',
    'p', 'q', 'r', 's', 't', 'u', 'v', 'w', 'x', 'y', 'z', '{', '|', '}', '~', '⌂',
    'Ç', 'ü', 'é', 'â', 'ä', 'à', 'å', 'ç', 'ê', 'ë', 'è', 'ï', 'î', 'ì', 'Ä', 'Å',
    'É', 'æ', 'Æ', 'ô', 'ö', 'ò', 'û', 'ù', 'ÿ', 'Ö', 'Ü', '¢', '£', '¥', '₧', 'ƒ',
    'á', 'í', 'ó', 'ú', 'ñ', 'Ñ', 'ª', 'º', '¿', '⌐', '¬', '½', '¼', '¡', '«', '»',
    '░', '▒', '▓', '│', '┤', '╡', '╢', '╖', '╕', '╣', '║', '╗', '╝', '╜', '╛', '┐',
    '└', '┴', '┬', '├', '─', '┼', '╞', '╟', '╚', '╔', '╩', '╦', '╠', '═', '╬', '╧',
    '╨', '╤', '╥', '╙', '╘', '╒', '╓', '╫', '╪', '┘', '┌', '█', '▄', '▌', '▐', '▀',
    'α', 'ß', 'Γ', 'π', 'Σ', 'σ', 'µ', 'τ', 'Φ', 'Θ', 'Ω', 'δ', '∞', 'φ', 'ε', '∩',
    '≡', '±', '≥', '≤', '⌠', '⌡', '÷', '≈', '°', '∙', '·', '√', 'ⁿ', '²', '■', ' ',
];

/// A character on the screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Glyph {
    /// Its code as it stands in memory.
    pub code: u8,
    /// As it looks.
    pub sign: char,
    /// The colour of its strokes, 0 to 15, an inverted one's too.
    pub ink: u8,
    /// The colour after them.
    pub ground: u8,
    /// It blinks.
    pub blinks: bool,
    /// It is in the dark half of its blinking.
    pub is_dark: bool,
}

/// What a screen shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// Characters in a line, and lines.
    pub size: (usize, usize),
    /// The characters, line by line.
    pub glyphs: Vec<Glyph>,
    /// The colour of the border at each line of the picture that can be seen, from the top; one where it is the same at all.
    pub border: Vec<u8>,
    /// The place of the cursor among the characters.
    pub cursor: Option<usize>,
    /// True while it is to be seen; it blinks.
    pub cursor_lit: bool,
    /// Its colours.
    pub palette: &'static [Colour; 16],
}

/// Lines of the picture above the first one of text, where each has a colour of its own.
const ABOVE: isize = 32;

impl Picture {
    /// The lines as text, blanks at their ends left out.
    pub fn lines(&self) -> Vec<String> {
        let line = |glyphs: &[Glyph]| glyphs.iter().map(|glyph| glyph.sign).collect::<String>();
        self.glyphs.chunks(self.size.0.max(1)).map(|glyphs| line(glyphs).trim_end().to_string()).collect()
    }

    /// The border's colour beside a line of characters; those above have numbers below 0, those below go on.
    pub fn border_beside(&self, row: isize) -> u8 {
        let last = self.border.len().saturating_sub(1) as isize;
        self.border.get((ABOVE + row * 8 + 4).clamp(0, last) as usize).copied().unwrap_or_default()
    }

    /// The name of a colour.
    pub fn colour_name(&self, number: u8) -> &'static str {
        self.palette[usize::from(number & 15)].0
    }
}

/// What the colour cell of a character says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Colouring {
    /// Ink below, ground above; codes from 80h on have them exchanged.
    Inverting,
    /// Ink in bits 0 to 3, ground in 4 to 6, and bit 7 is the ground's brightness.
    Bright,
    /// The same, and bit 7 makes the character blink; `is_dark` in the half in which it is not to be seen.
    Blinking {
        /// It is not to be seen now.
        is_dark: bool,
    },
}

/// Where a screen takes its picture from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Raster {
    /// Characters in a line, and lines.
    pub size: (usize, usize),
    /// First address of its memory, and the mask of the offsets in it.
    pub memory: (u32, u32),
    /// Offset of the first character cell.
    pub cells: u32,
    /// Offset of the first colour cell.
    pub colours: u32,
    /// From one character, or colour, to the next.
    pub step: u32,
    /// What the colour cells say.
    pub colouring: Colouring,
    /// How the codes look.
    pub signs: &'static [char; 256],
    /// The colours.
    pub palette: &'static [Colour; 16],
    /// The character cell that the cursor stands in.
    pub cursor: Option<usize>,
    /// The cursor is in the lit half of its blinking.
    pub cursor_lit: bool,
    /// The colour of the border in each line of the picture, from above; one where it is the same in all.
    pub border: Vec<u8>,
}

impl Raster {
    /// The address of the cell that holds a character, by its row and column, both from 0.
    pub fn cell_at(&self, row: usize, column: usize) -> u32 {
        let (first, mask) = self.memory;
        first + ((self.cells + (row * self.size.0 + column) as u32 * self.step) & mask)
    }

    /// The picture, with memory as it is now.
    pub fn picture(self, cell: impl Fn(u32) -> Cell) -> Picture {
        let (first, mask) = self.memory;
        let get = |offset: u32| cell(first + (offset & mask)) as u8;
        let glyph = |at: u32| {
            let (code, colour) = (get(self.cells + at * self.step), get(self.colours + at * self.step));
            let (mut ink, mut ground) = (colour & 15, colour >> 4);
            let (mut blinks, mut is_dark) = (false, false);
            match self.colouring {
                Colouring::Inverting if code >= 0x80 => std::mem::swap(&mut ink, &mut ground),
                Colouring::Inverting | Colouring::Bright => {}
                Colouring::Blinking { is_dark: dark } => {
                    blinks = ground & 8 != 0;
                    is_dark = blinks && dark;
                    ground &= 7;
                }
            }
            Glyph { code, sign: self.signs[usize::from(code)], ink, ground, blinks, is_dark }
        };
        let (columns, rows) = self.size;
        let glyphs = (0..(columns * rows) as u32).map(glyph).collect();
        let Self { size, border, cursor, cursor_lit, palette, .. } = self;
        Picture { size, glyphs, border, cursor, cursor_lit, palette }
    }
}
