//! The keys of the scan keyboard: what is printed on them, the number that each sends, and the characters that they make.

/// A key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ScanKey {
    /// What is printed on it.
    pub legend: &'static str,
    /// The number that it sends when it goes down; with bit 7 set when it comes up.
    pub code: u8,
    /// The characters that it makes alone and with a shift key.
    pub makes: Option<(u8, u8)>,
}

const fn plain(code: u8, legend: &'static str) -> ScanKey {
    ScanKey { legend, code, makes: None }
}

const fn makes(code: u8, legend: &'static str, alone: u8, shifted: u8) -> ScanKey {
    ScanKey { legend, code, makes: Some((alone, shifted)) }
}

/// The key with control and the one with shift.
pub const CONTROL: u8 = 29;
pub const SHIFT: u8 = 42;

/// Every key by its number.
#[rustfmt::skip]
pub const SCAN_KEYS: &[ScanKey] = &[
    makes(1, "ESC", 27, 27),
    makes(2, "1", b'1', b'!'),   makes(3, "2", b'2', b'@'),   makes(4, "3", b'3', b'#'),   makes(5, "4", b'4', b'$'),
    makes(6, "5", b'5', b'%'),   makes(7, "6", b'6', b'^'),   makes(8, "7", b'7', b'&'),   makes(9, "8", b'8', b'*'),
    makes(10, "9", b'9', b'('),  makes(11, "0", b'0', b')'),  makes(12, "-", b'-', b'_'),  makes(13, "=", b'=', b'+'),
    makes(14, "BACKSPACE", 8, 8), makes(15, "TAB", 9, 9),
    makes(16, "Q", b'q', b'Q'),  makes(17, "W", b'w', b'W'),  makes(18, "E", b'e', b'E'),  makes(19, "R", b'r', b'R'),
    makes(20, "T", b't', b'T'),  makes(21, "Y", b'y', b'Y'),  makes(22, "U", b'u', b'U'),  makes(23, "I", b'i', b'I'),
    makes(24, "O", b'o', b'O'),  makes(25, "P", b'p', b'P'),  makes(26, "[", b'[', b'{'),  makes(27, "]", b']', b'}'),
    makes(28, "ENTER", 13, 13),  plain(CONTROL, "CONTROL"),
    makes(30, "A", b'a', b'A'),  makes(31, "S", b's', b'S'),  makes(32, "D", b'd', b'D'),  makes(33, "F", b'f', b'F'),
    makes(34, "G", b'g', b'G'),  makes(35, "H", b'h', b'H'),  makes(36, "J", b'j', b'J'),  makes(37, "K", b'k', b'K'),
    makes(38, "L", b'l', b'L'),  makes(39, ";", b';', b':'),  makes(40, "'", b'\'', b'"'), makes(41, "`", b'`', b'~'),
    plain(SHIFT, "SHIFT"),       makes(43, "\\", b'\\', b'|'),
    makes(44, "Z", b'z', b'Z'),  makes(45, "X", b'x', b'X'),  makes(46, "C", b'c', b'C'),  makes(47, "V", b'v', b'V'),
    makes(48, "B", b'b', b'B'),  makes(49, "N", b'n', b'N'),  makes(50, "M", b'm', b'M'),  makes(51, ",", b',', b'<'),
    makes(52, ".", b'.', b'>'),  makes(53, "/", b'/', b'?'),  plain(54, "RIGHT SHIFT"),    plain(55, "PRINT"),
    plain(56, "ALT"),            makes(57, "SPACE", b' ', b' '), plain(58, "CAPS"),
    plain(59, "F1"), plain(60, "F2"), plain(61, "F3"), plain(62, "F4"), plain(63, "F5"),
    plain(64, "F6"), plain(65, "F7"), plain(66, "F8"), plain(67, "F9"), plain(68, "F10"),
    plain(69, "NUM"), plain(70, "SCROLL"),
    plain(71, "HOME"), plain(72, "UP"), plain(73, "PAGE UP"), plain(74, "PAD -"),
    plain(75, "LEFT"), plain(76, "PAD 5"), plain(77, "RIGHT"), plain(78, "PAD +"),
    plain(79, "END"), plain(80, "DOWN"), plain(81, "PAGE DOWN"), plain(82, "INSERT"), plain(83, "DELETE"),
];

/// The key with a legend.
pub fn by_legend(legend: &str) -> Option<&'static ScanKey> {
    SCAN_KEYS.iter().find(|key| key.legend.eq_ignore_ascii_case(legend))
}

/// The keys that are held down together to make a character, the last one the key itself.
pub fn for_character(character: u8) -> Option<(Option<u8>, u8)> {
    let character = if character == b'\n' { b'\r' } else { character };
    let find = |wanted: &dyn Fn((u8, u8)) -> bool| {
        SCAN_KEYS.iter().find(|key| key.makes.is_some_and(wanted)).map(|key| key.code)
    };
    if let Some(code) = find(&|makes| makes.0 == character) {
        return Some((None, code));
    }
    if let Some(code) = find(&|makes| makes.1 == character) {
        return Some((Some(SHIFT), code));
    }
    // A letter with the control key makes its number in the alphabet.
    let letter = (1..=26).contains(&character).then(|| character - 1 + b'a')?;
    find(&|makes| makes.0 == letter).map(|code| (Some(CONTROL), code))
}
