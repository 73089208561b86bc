//! Pairs of hex digits, as the line formats have them.

/// `00` to `FF`.
const PAIRS: [[u8; 2]; 256] = {
    let mut pairs = [[0; 2]; 256];
    let digits = b"0123456789ABCDEF";
    let mut byte = 0;
    while byte < 256 {
        pairs[byte] = [digits[byte >> 4], digits[byte & 15]];
        byte += 1;
    }
    pairs
};

/// The value of each digit, 0FFh for what is none.
const VALUES: [u8; 256] = {
    let mut values = [0xFF; 256];
    let mut byte = 0;
    while byte < 256 {
        values[byte] = match byte as u8 {
            digit @ b'0'..=b'9' => digit - b'0',
            digit @ b'A'..=b'F' => digit - b'A' + 10,
            digit @ b'a'..=b'f' => digit - b'a' + 10,
            _ => 0xFF,
        };
        byte += 1;
    }
    values
};

/// The most bytes that a line of any format here has.
pub(super) const MOST: usize = 261;

/// A line being put together: a mark, pairs of digits, and the sum of their bytes.
pub(super) struct Line {
    text: [u8; 2 * MOST + 4],
    length: usize,
    pub sum: u8,
}

impl Line {
    pub fn begin(mark: &[u8]) -> Self {
        let mut line = Self { text: [0; 2 * MOST + 4], length: mark.len(), sum: 0 };
        line.text[..mark.len()].copy_from_slice(mark);
        line
    }

    /// Adds a byte of the head or the checksum.
    #[inline]
    pub fn byte(&mut self, byte: u8) {
        self.text[self.length..self.length + 2].copy_from_slice(&PAIRS[usize::from(byte)]);
        self.length += 2;
        self.sum = self.sum.wrapping_add(byte);
    }

    /// Adds the low byte of each cell.
    #[inline]
    pub fn cells(&mut self, cells: &[u64]) {
        let mut sum = self.sum;
        let place = &mut self.text[self.length..self.length + 2 * cells.len()];
        for (pair, &cell) in place.chunks_exact_mut(2).zip(cells) {
            pair.copy_from_slice(&PAIRS[usize::from(cell as u8)]);
            sum = sum.wrapping_add(cell as u8);
        }
        self.length += 2 * cells.len();
        self.sum = sum;
    }

    pub fn end(mut self, file: &mut Vec<u8>) {
        self.text[self.length] = b'\n';
        file.extend_from_slice(&self.text[..=self.length]);
    }
}

/// What is wrong with the digits of a line.
pub(super) enum BadDigits {
    /// No digit, at this place.
    NoDigit(usize),
    /// A digit without its other half.
    Half,
    /// More bytes than any line has.
    TooLong,
}

/// Reads pairs of digits; the bytes stand in `bytes` and their number is returned.
#[inline]
pub(super) fn read_pairs(digits: &[u8], bytes: &mut [u8; MOST]) -> Result<usize, BadDigits> {
    let count = digits.len() / 2;
    if count > MOST {
        return Err(BadDigits::TooLong);
    }
    let mut bad = 0;
    for (byte, pair) in bytes.iter_mut().zip(digits.chunks_exact(2)) {
        let (high, low) = (VALUES[usize::from(pair[0])], VALUES[usize::from(pair[1])]);
        bad |= high | low;
        *byte = high << 4 | low & 15;
    }
    if bad > 15 || digits.len() % 2 == 1 {
        return Err(explain(digits));
    }
    Ok(count)
}

#[cold]
fn explain(digits: &[u8]) -> BadDigits {
    let wrong = digits.iter().position(|&digit| VALUES[usize::from(digit)] == 0xFF);
    wrong.map_or(BadDigits::Half, BadDigits::NoDigit)
}
