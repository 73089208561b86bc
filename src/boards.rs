//! The boards that travel inside the library, with the sources of their resident firmware.
//!
//! To add a board: its description and firmware in `boards/`, and a row in [`BOARDS`].

/// A shipped text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Shipped {
    /// The board's name.
    pub name: &'static str,
    /// The description, TOML.
    pub description: &'static str,
    /// The sources of its firmware by the names that the description gives them.
    pub sources: &'static [(&'static str, &'static str)],
    /// What a new project may begin with, the usual kind first; none where that is the processor's own.
    pub starters: &'static [BoardStarter],
}

/// A program and its case table for a new project, with `{name}`, `{board}` and `{processor}` to be filled in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BoardStarter {
    /// Which kind of program it is, where a board runs several; empty otherwise.
    pub kind: &'static str,
    /// The source.
    pub source: &'static str,
    /// The case table.
    pub cases: &'static str,
    /// The kind of image that is written, and the ending of its file, where that is not the processor's usual one.
    pub output: Option<(&'static str, &'static str)>,
}

const fn only(source: &'static str, cases: &'static str) -> BoardStarter {
    BoardStarter { kind: "", source, cases, output: None }
}

const PETREL_CASES: &str = include_str!("../boards/petrel.start.cases.toml");

/// What the disk systems of all boards have in common.
const DISK_SERVICES: (&str, &str) = ("disk-services.asm", include_str!("../boards/disk-services.asm"));

/// What the boards with a 6502 and a cassette interface have in common.
const CASSETTE_6502: (&str, &str) = ("cassette-6502.asm", include_str!("../boards/cassette-6502.asm"));

/// Every shipped board. The board `bare` needs no description: see [`Board::bare`](crate::machine::Board::bare).
pub const BOARDS: &[Shipped] = &[
    Shipped {
        name: "plover",
        description: include_str!("../boards/plover.toml"),
        sources: &[("plover.asm", include_str!("../boards/plover.asm"))],
        starters: &[only(
            include_str!("../boards/plover.start.asm"),
            include_str!("../boards/plover.start.cases.toml"),
        )],
    },
    Shipped {
        name: "tern",
        description: include_str!("../boards/tern.toml"),
        sources: &[("tern.asm", include_str!("../boards/tern.asm")), CASSETTE_6502],
        starters: &[],
    },
    Shipped {
        name: "puffin",
        description: include_str!("../boards/puffin.toml"),
        sources: &[],
        starters: &[BoardStarter {
            // A chip is burnt from bare bytes.
            output: Some(("raw", "bin")),
            ..only(
                include_str!("../boards/puffin.start.asm"),
                include_str!("../boards/puffin.start.cases.toml"),
            )
        }],
    },
    Shipped {
        name: "fulmar",
        description: include_str!("../boards/fulmar.toml"),
        sources: &[
            ("fulmar.asm", include_str!("../boards/fulmar.asm")),
            ("fulmar-tape.asm", include_str!("../boards/fulmar-tape.asm")),
            CASSETTE_6502,
        ],
        starters: &[only(
            include_str!("../boards/fulmar.start.asm"),
            include_str!("../boards/fulmar.start.cases.toml"),
        )],
    },
    Shipped {
        name: "gannet",
        description: include_str!("../boards/gannet.toml"),
        sources: &[("gannet-disk.asm", include_str!("../boards/gannet-disk.asm")), DISK_SERVICES],
        starters: &[only(
            include_str!("../boards/gannet.start.asm"),
            include_str!("../boards/gannet.start.cases.toml"),
        )],
    },
    Shipped {
        name: "petrel",
        description: include_str!("../boards/petrel.toml"),
        sources: &[
            ("petrel.asm", include_str!("../boards/petrel.asm")),
            ("petrel-screen.asm", include_str!("../boards/petrel-screen.asm")),
            ("petrel-keys.asm", include_str!("../boards/petrel-keys.asm")),
            ("petrel-calls.asm", include_str!("../boards/petrel-calls.asm")),
            ("petrel-prompt.asm", include_str!("../boards/petrel-prompt.asm")),
            ("petrel-tape.asm", include_str!("../boards/petrel-tape.asm")),
        ],
        starters: &[
            BoardStarter {
                kind: "com",
                source: include_str!("../boards/petrel.start.asm"),
                cases: PETREL_CASES,
                output: None,
            },
            BoardStarter {
                kind: "exe",
                source: include_str!("../boards/petrel.exe.asm"),
                cases: PETREL_CASES,
                output: None,
            },
            BoardStarter {
                kind: "boot",
                source: include_str!("../boards/petrel.boot.asm"),
                cases: PETREL_CASES,
                output: None,
            },
        ],
    },
    Shipped { name: "heron", description: include_str!("../boards/heron.toml"), sources: &[], starters: &[] },
    Shipped {
        name: "osprey",
        description: include_str!("../boards/osprey.toml"),
        sources: &[],
        starters: &[],
    },
    Shipped {
        name: "dunlin",
        description: include_str!("../boards/dunlin.toml"),
        sources: &[],
        starters: &[only(
            include_str!("../boards/dunlin.start.asm"),
            include_str!("../boards/dunlin.start.cases.toml"),
        )],
    },
    Shipped {
        name: "curlew",
        description: include_str!("../boards/curlew.toml"),
        sources: &[
            ("curlew.asm", include_str!("../boards/curlew.asm")),
            ("curlew-give.asm", include_str!("../boards/curlew-give.asm")),
            ("curlew-tape.asm", include_str!("../boards/curlew-tape.asm")),
            ("curlew-disk.asm", include_str!("../boards/curlew-disk.asm")),
            DISK_SERVICES,
        ],
        starters: &[
            only(
                include_str!("../boards/curlew.start.asm"),
                include_str!("../boards/curlew.start.cases.toml"),
            ),
            BoardStarter {
                kind: "com",
                ..only(
                    include_str!("../boards/curlew.com.asm"),
                    include_str!("../boards/curlew.com.cases.toml"),
                )
            },
        ],
    },
];

/// A shipped board by its name.
pub fn find(name: &str) -> Option<&'static Shipped> {
    BOARDS.iter().find(|board| board.name.eq_ignore_ascii_case(name))
}
