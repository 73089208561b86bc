//! The fields of a board description as they are written; unknown ones are refused.

use super::{Unmapped, Wiring};
use crate::machine::cores::memory::MemoryKind;
use serde::Deserialize;
use std::collections::BTreeMap;
use toml::Spanned;

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Description {
    pub(super) version: Spanned<i64>,
    pub(super) name: Spanned<String>,
    #[serde(default)]
    pub(super) title: String,
    pub(super) processor: Spanned<String>,
    pub(super) clock: Spanned<i64>,
    #[serde(default)]
    pub(super) unmapped: Unmapped,
    pub(super) load: Option<Spanned<i64>>,
    pub(super) start: Option<Spanned<i64>>,
    pub(super) power_on: Option<Spanned<i64>>,
    pub(super) lights: Option<Spanned<Vec<LightsDescription>>>,
    pub(super) bank: Option<Spanned<BankDescription>>,
    pub(super) disk: Option<Spanned<DiskDescription>>,
    pub(super) firmware: Option<FirmwareDescription>,
    pub(super) memory: Vec<Spanned<MemoryDescription>>,
    #[serde(default)]
    pub(super) chip: Vec<Spanned<ChipDescription>>,
    pub(super) console: Option<ConsoleDescription>,
    #[serde(default)]
    pub(super) key: Vec<Spanned<KeyDescription>>,
    #[serde(default)]
    pub(super) wire: Vec<Spanned<WireDescription>>,
    #[serde(default)]
    pub(super) lamp: Vec<Spanned<PinDescription>>,
    #[serde(default)]
    pub(super) button: Vec<Spanned<PinDescription>>,
    #[serde(default)]
    pub(super) digits: Vec<DigitsDescription>,
    #[serde(default)]
    pub(super) keypad: Vec<KeypadDescription>,
    pub(super) keyboard: Option<KeyboardDescription>,
    #[serde(default)]
    pub(super) jumper: Vec<JumperDescription>,
    pub(super) keying: Option<KeyingDescription>,
    pub(super) step: Option<StepDescription>,
    pub(super) speaker: Option<SpeakerDescription>,
    pub(super) recorder: Option<Spanned<RecorderDescription>>,
    pub(super) front: Option<FrontDescription>,
    #[serde(default)]
    pub(super) service: Vec<Spanned<ServiceDescription>>,
    #[serde(default)]
    pub(super) place: Vec<Spanned<PlaceDescription>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ServiceDescription {
    pub(super) name: String,
    pub(super) at: Spanned<i64>,
    #[serde(default)]
    pub(super) does: String,
    pub(super) text: Option<Spanned<String>>,
    #[serde(default)]
    pub(super) end: i64,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PlaceDescription {
    pub(super) name: Spanned<String>,
    pub(super) at: Spanned<i64>,
    #[serde(default)]
    pub(super) does: String,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct FirmwareDescription {
    pub(super) source: String,
    pub(super) ready: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct BankDescription {
    pub(super) first: i64,
    pub(super) last: i64,
    pub(super) count: Spanned<i64>,
    pub(super) latch: Spanned<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct DiskDescription {
    pub(super) services: Option<String>,
    #[serde(default)]
    pub(super) resident: bool,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct MemoryDescription {
    pub(super) kind: MemoryKind,
    pub(super) first: i64,
    pub(super) last: i64,
    pub(super) name: Option<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ChipDescription {
    pub(super) part: Spanned<String>,
    pub(super) name: Spanned<String>,
    pub(super) port: Option<Spanned<i64>>,
    pub(super) first: Option<Spanned<i64>>,
    pub(super) last: Option<Spanned<i64>>,
    pub(super) wiring: Option<Wiring>,
    pub(super) interrupt: Option<Spanned<String>>,
    pub(super) clock: Option<Spanned<i64>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PinDescription {
    pub(super) name: String,
    pub(super) pin: Spanned<String>,
    pub(super) active: Option<i64>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct WireDescription {
    pub(super) from: Spanned<String>,
    pub(super) to: Spanned<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct DigitsDescription {
    pub(super) name: String,
    pub(super) segments: Spanned<String>,
    pub(super) select: Spanned<Vec<String>>,
    pub(super) count: Spanned<i64>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct KeypadDescription {
    pub(super) name: String,
    pub(super) select: Spanned<Vec<String>>,
    pub(super) rows: Spanned<Vec<String>>,
    pub(super) legends: Spanned<Vec<Vec<String>>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct KeyboardDescription {
    pub(super) keypad: Spanned<String>,
    pub(super) shift: Spanned<String>,
    #[serde(default)]
    pub(super) makes: BTreeMap<String, Spanned<String>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct JumperDescription {
    pub(super) name: String,
    pub(super) closes: Spanned<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct KeyingDescription {
    pub(super) address: Spanned<String>,
    pub(super) data: Spanned<String>,
    pub(super) next: Option<Spanned<String>>,
    pub(super) up: Option<Spanned<String>>,
    pub(super) start: Spanned<String>,
    #[serde(default)]
    pub(super) number: NumberDescription,
}

/// Where the number stands that a key of a keypad takes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum NumberDescription {
    /// In front of the key.
    First,
    /// After it.
    #[default]
    Last,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct StepDescription {
    pub(super) pin: Spanned<String>,
    pub(super) active: Option<i64>,
    pub(super) input: Spanned<String>,
    pub(super) except: [i64; 2],
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct SpeakerDescription {
    pub(super) pins: Spanned<Vec<String>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RecorderDescription {
    pub(super) out: Option<Spanned<String>>,
    #[serde(rename = "in")]
    pub(super) input: Option<Spanned<String>>,
    pub(super) motor: Option<Spanned<String>>,
    pub(super) active: Option<Spanned<i64>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct FrontDescription {
    pub(super) switches: Option<Spanned<String>>,
    #[serde(default)]
    pub(super) looks_apart: bool,
    pub(super) lights: Spanned<Vec<LightsDescription>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct LightsDescription {
    pub(super) name: String,
    pub(super) shows: Spanned<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ConsoleDescription {
    pub(super) line: Spanned<String>,
    pub(super) baud: Option<Spanned<i64>>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct KeyDescription {
    pub(super) name: String,
    pub(super) input: Spanned<String>,
}
