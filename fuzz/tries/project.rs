//! Any project file: it is read, or refused with a place inside it.

use plain_byte::workspace::Project;

/// Tries it.
pub fn run(bytes: &[u8]) {
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    match Project::parse(text) {
        Ok(project) => assert!(
            text.contains("version") && text.contains("source") && project.outputs.len() <= text.len()
        ),
        Err(wrong) => assert!(wrong.span.start <= wrong.span.end && wrong.span.end as usize <= text.len()),
    }
}
