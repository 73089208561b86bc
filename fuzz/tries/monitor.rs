//! Any lines typed at the monitor, with any program in memory.

use super::two;
use plain_byte::assembler::{Loaded, Loader};
use plain_byte::diagnostic::Problem;
use plain_byte::image::Image;
use plain_byte::monitor::{Host, Monitor};
use plain_byte::session::Session;

/// No files, and little patience.
struct Nobody(u32);

impl Loader for Nobody {
    fn resolve(&self, name: &str, _: Option<&str>) -> String {
        name.to_string()
    }
    fn load(&mut self, _: &str, _: Option<&str>) -> Result<Loaded, Problem> {
        Err("there is no such file".into())
    }
}

impl Host for Nobody {
    fn write(&mut self, _: &str, _: &[u8]) -> Result<(), Problem> {
        Err("nothing can be written".into())
    }
    fn go_on(&mut self) -> bool {
        self.0 = self.0.saturating_sub(1);
        self.0 > 0
    }
}

/// Tries it.
pub fn run(bytes: &[u8]) {
    let Some((program, lines)) = two(bytes) else { return };
    let mut session = Session::shipped("plover").expect("it opens");
    let cells = program.iter().take(256).map(|&byte| byte.into()).collect();
    if session.load(Image::from_cells(8, 0x4000, cells).expect("it fits")).is_err() {
        return;
    }
    let mut monitor = Monitor::new(session);
    let mut host = Nobody(8);
    for line in lines.lines().take(8) {
        let _ = (monitor.complete(line), monitor.line(line, &mut host), monitor.prompt());
    }
}
