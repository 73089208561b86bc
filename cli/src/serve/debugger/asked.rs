//! What a client asks for, as JSON; what is left out has its usual value.

use serde::Deserialize;
use serde_json::Value;

/// How a program is begun.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Launch {
    /// Source or image; the project's where nothing is said.
    pub program: Option<String>,
    /// The folder that names are looked for in.
    pub cwd: Option<String>,
    pub cpu: Option<String>,
    pub board: Option<String>,
    pub at: Option<String>,
    /// `NAME=VALUE`.
    pub define: Vec<String>,
    pub without: Vec<String>,
    /// What is typed at the console at once.
    pub input: Option<String>,
    pub stop_on_entry: bool,
    pub no_debug: bool,
    /// A debug link: the board at its other end is debugged.
    pub link: Option<String>,
}

#[derive(Debug, Clone, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Source {
    pub name: Option<String>,
    pub path: Option<String>,
    pub source_reference: Option<u64>,
}

/// A breakpoint of any kind.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Break {
    pub line: usize,
    /// A label or an address, of one of these.
    pub name: String,
    pub instruction_reference: String,
    pub offset: i64,
    /// Of data: the address, as `dataBreakpointInfo` gave it.
    pub data_id: String,
    pub access_type: Option<String>,
    pub condition: Option<String>,
    pub hit_condition: Option<String>,
    pub log_message: Option<String>,
}

/// Every argument that some request has.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(rename_all = "camelCase", default)]
pub struct Asked {
    pub source: Source,
    pub source_reference: u64,
    pub breakpoints: Vec<Break>,
    pub filters: Vec<String>,
    pub granularity: Option<String>,
    pub start_frame: usize,
    pub levels: usize,
    pub variables_reference: u64,
    pub start: usize,
    pub count: i64,
    pub name: String,
    pub value: String,
    pub expression: String,
    pub context: Option<String>,
    pub text: String,
    pub column: usize,
    pub line: usize,
    pub memory_reference: String,
    pub offset: i64,
    pub instruction_offset: i64,
    pub instruction_count: usize,
    pub data: String,
    pub target_id: u64,
    #[serde(rename = "linesStartAt1")]
    pub lines_start_at_1: Option<bool>,
    #[serde(rename = "columnsStartAt1")]
    pub columns_start_at_1: Option<bool>,
    pub supports_progress_reporting: bool,
    pub arguments: Option<Value>,
}
