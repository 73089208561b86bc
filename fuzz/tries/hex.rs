//! Any bytes as Intel HEX: they are refused with lines, or read, and what is read comes back from what it is written as.

use plain_byte::image::{Place, Settings, hex};

/// Tries it.
pub fn run(bytes: &[u8]) {
    match hex::read(bytes) {
        Ok(image) if image.is_empty() => {}
        Ok(image) => {
            let written = hex::write(&image, &Settings::default()).expect("what was read can be written");
            let again = hex::read(&written).expect("what was written can be read");
            assert_eq!(again.segments(), image.segments());
            assert_eq!(again.start(), image.start());
        }
        Err(errors) => {
            assert!(!errors.is_empty() && errors.iter().all(|error| error.place != Place::Line(0)))
        }
    }
}
