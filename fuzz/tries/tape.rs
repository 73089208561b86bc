//! Any file as a recording, and any samples as a tape: nothing that is heard is called whole without its sum.

use plain_byte::cassette::{Signal, compare, gather, is_wav, listen, read};
use plain_byte::image::cassette::{damages, image_of};

/// Samples beyond this many make a try slow.
const MOST: usize = 60_000;

/// Tries it.
pub fn run(bytes: &[u8]) {
    let head = bytes.get(..MOST).unwrap_or(bytes);
    if let Ok((recording, hearings)) = listen(head, &mut |_| true) {
        assert!(is_wav(head) && recording.channels > 0);
        let tape = gather(&hearings);
        for record in &tape.records {
            assert!(record.is_whole || !damages(record).is_empty());
            let _ = image_of(record);
        }
    }
    // What the comparator of a board hears of it.
    if let Ok(signal) = compare(head, &mut |_| true) {
        let turns: Vec<u64> = signal.turns().collect();
        assert!(turns.is_sorted() && turns.last().is_none_or(|&last| last <= signal.length()));
        let kept = Vec::<u64>::from(signal.clone());
        assert_eq!(Signal::try_from(kept), Ok(signal));
    }
    // The same bytes as levels of a tone, held as long as a bit, and as samples.
    let held: Vec<f32> =
        bytes.iter().take(MOST / 9).flat_map(|&byte| [(f32::from(byte) - 128.0) / 128.0; 9]).collect();
    let plain: Vec<f32> = bytes.iter().take(MOST).map(|&byte| (f32::from(byte) - 128.0) / 128.0).collect();
    let tape = read(&[(11_025, &held), (44_100, &plain)]);
    for record in &tape.records {
        let _ = image_of(record);
    }
}
