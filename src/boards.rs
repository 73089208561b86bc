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
    /// The program and the case table of a new project, with `{name}`, `{board}` and `{processor}` to be filled in;
    /// `None` for those of the processor.
    pub starter: Option<(&'static str, &'static str)>,
}

/// What the disk systems of all boards have in common.
const DISK_SERVICES: (&str, &str) = ("disk-services.asm", include_str!("../boards/disk-services.asm"));

/// Every shipped board. The board `bare` needs no description: see [`Board::bare`](crate::machine::Board::bare).
pub const BOARDS: &[Shipped] = &[
    Shipped {
        name: "plover",
        description: include_str!("../boards/plover.toml"),
        sources: &[("plover.asm", include_str!("../boards/plover.asm"))],
        starter: Some((
            include_str!("../boards/plover.start.asm"),
            include_str!("../boards/plover.start.cases.toml"),
        )),
    },
    Shipped {
        name: "tern",
        description: include_str!("../boards/tern.toml"),
        sources: &[("tern.asm", include_str!("../boards/tern.asm"))],
        starter: None,
    },
    Shipped {
        name: "puffin",
        description: include_str!("../boards/puffin.toml"),
        sources: &[],
        starter: Some((
            include_str!("../boards/puffin.start.asm"),
            include_str!("../boards/puffin.start.cases.toml"),
        )),
    },
    Shipped {
        name: "fulmar",
        description: include_str!("../boards/fulmar.toml"),
        sources: &[("fulmar.asm", include_str!("../boards/fulmar.asm"))],
        starter: Some((
            include_str!("../boards/fulmar.start.asm"),
            include_str!("../boards/fulmar.start.cases.toml"),
        )),
    },
    Shipped {
        name: "gannet",
        description: include_str!("../boards/gannet.toml"),
        sources: &[("gannet-disk.asm", include_str!("../boards/gannet-disk.asm")), DISK_SERVICES],
        starter: None,
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
        ],
        starter: None,
    },
    Shipped { name: "heron", description: include_str!("../boards/heron.toml"), sources: &[], starter: None },
    Shipped {
        name: "osprey",
        description: include_str!("../boards/osprey.toml"),
        sources: &[],
        starter: None,
    },
    Shipped {
        name: "dunlin",
        description: include_str!("../boards/dunlin.toml"),
        sources: &[],
        starter: Some((
            include_str!("../boards/dunlin.start.asm"),
            include_str!("../boards/dunlin.start.cases.toml"),
        )),
    },
    Shipped {
        name: "curlew",
        description: include_str!("../boards/curlew.toml"),
        sources: &[
            ("curlew.asm", include_str!("../boards/curlew.asm")),
            ("curlew-disk.asm", include_str!("../boards/curlew-disk.asm")),
            DISK_SERVICES,
        ],
        starter: Some((
            include_str!("../boards/curlew.start.asm"),
            include_str!("../boards/curlew.start.cases.toml"),
        )),
    },
];

/// A shipped board by its name.
pub fn find(name: &str) -> Option<&'static Shipped> {
    BOARDS.iter().find(|board| board.name.eq_ignore_ascii_case(name))
}
