//! What sets each part to work. **A new chip comes here first.**

/// Any value, or a small one, in a recipe.
pub const ANY: u16 = 0x100;
pub const FEW: u16 = 0x101;

/// Writes to registers, by their offset from the chip's first one.
pub type Recipe = &'static [(u32, u16)];

/// For each part what sets its timers, lines and interrupts to work, and what it takes otherwise. On word machines an offset is
/// the device and 8 times it the function: `device << 3 | function`.
pub const RECIPES: &[(&str, &[Recipe])] = &[
    ("8212", &[&[(0, ANY)], &[(0, FEW)]]),
    (
        "6522",
        &[
            &[(11, 0x40), (4, ANY), (5, FEW), (14, 0xC0)],
            &[(14, 0xC0), (4, ANY), (5, FEW)],
            &[(11, 0xC0), (2, 0xFF), (4, ANY), (5, FEW), (14, 0xC0)],
            &[(2, 0x80), (11, 0x80), (4, ANY), (5, 0)],
            &[(14, 0xA0), (8, ANY), (9, FEW)],
            &[(8, ANY), (11, 0x14), (14, 0x84), (10, ANY)],
            &[(11, 0x10), (8, FEW), (10, ANY)],
            &[(11, 0x20), (8, FEW), (9, 0), (14, 0xA0)],
            &[(12, ANY), (14, 0x9F), (0, ANY), (1, ANY)],
            &[(14, 0x7F)],
            &[(11, ANY)],
        ],
    ),
    (
        "6532",
        &[
            &[(0x9C, ANY)],
            &[(0x9D, FEW)],
            &[(0x9E, FEW)],
            &[(0x95, ANY)],
            &[(0x87, 0), (0x81, 0x80), (0x80, 0x80), (0x80, 0)],
            &[(0x81, 0xFF), (0x80, ANY)],
            &[(0, ANY)],
        ],
    ),
    (
        "6850",
        &[
            &[(0, 3), (0, 0x15), (1, ANY)],
            &[(0, 3), (0, 0x94), (1, ANY)],
            &[(0, 3), (0, 0xB4), (1, ANY)],
            &[(0, 3), (0, 0x35), (1, ANY), (1, ANY)],
            &[(0, ANY)],
        ],
    ),
    (
        "16550",
        &[
            &[(3, 0x83), (0, FEW), (1, 0), (3, 0x03), (1, 0x01)],
            &[(3, 0x83), (0, 1), (1, 0), (3, 0x03), (2, 0x41), (1, 0x03), (0, ANY)],
            &[(2, 0x81), (1, 0x0F), (0, ANY), (0, ANY)],
            &[(4, 0x10), (1, 0x05), (0, ANY)],
            &[(1, 0x02), (0, ANY)],
            &[(1, ANY)],
        ],
    ),
    (
        "Z8430",
        &[
            &[(0, 0x10), (0, 0x85), (0, FEW)],
            &[(0, 0x18), (1, 0xA5), (1, FEW)],
            &[(2, 0xD5), (2, FEW)],
            &[(0, 0x20), (3, 0x95), (3, ANY)],
            &[(1, 0x8D), (1, FEW)],
            &[(0, 0x03)],
        ],
    ),
    (
        "Z8440",
        &[
            &[(2, 4), (2, 0x04), (2, 3), (2, 0xC1), (2, 5), (2, 0x68), (2, 1), (2, 0x1A), (0, ANY), (0, ANY)],
            &[(3, 2), (3, 0x20), (3, 1), (3, 0x04), (2, 4), (2, 0x44), (2, 3), (2, 0xC1), (2, 1), (2, 0x10)],
            &[(2, 5), (2, 0x68), (0, ANY)],
            &[(2, 1), (2, ANY)],
            &[(2, 0x18)],
        ],
    ),
    ("text-screen", &[&[(3, 0x81)], &[(3, 0x80)], &[(0, ANY)], &[(5, ANY), (6, 0x80)]]),
    ("paper-tape-8", &[&[(1, 1)], &[(0, ANY)]]),
    ("disk-link", &[&[(0, FEW)]]),
    (
        "teleprinter",
        &[
            &[(0o14, ANY)],
            &[(0o16, ANY)],
            &[(0o05, 1)],
            &[(0o05, 0)],
            &[(0o12, 0)],
            &[(0o10, 0)],
            &[(0o06, 0)],
        ],
    ),
    ("paper-tape", &[&[(0o04, 0)], &[(0o06, 0)], &[(0o14, ANY)], &[(0o16, ANY)], &[(0o00, 0)], &[(0o10, 0)]]),
    ("teleprinter-36", &[&[(1, 0o7), (0, ANY)], &[(1, 0o3)], &[(1, 0o2405)], &[(0, ANY)]]),
    (
        "paper-tape-36",
        &[&[(1, 0o53), (0, ANY)], &[(1, 0o07), (0, ANY)], &[(5, 0o64)], &[(5, 0o27)], &[(0, ANY)]],
    ),
];
