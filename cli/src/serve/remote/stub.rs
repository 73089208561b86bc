//! Requests of a general debugger and their answers, over a session.

use super::Line;
use super::packets::{self, Incoming, hex};
use super::target::Described;
use crate::files::Files;
use plain_byte::monitor::{Monitor, Reply};
use plain_byte::session::{AccessStop, Accessed, Limits, Session, Stop};

/// Cycles of a slice of a run, between which an interrupt is looked for.
const SLICE: u64 = 2_000_000;
/// Bytes of text in a packet of console output.
const CHUNK: usize = 0x1000;

/// Whether the conversation goes on.
pub enum Goes {
    On,
    Away,
}

pub struct Stub<'m> {
    monitor: &'m mut Monitor,
    output: Line,
    target: Described,
    /// Packets are acknowledged.
    acknowledges: bool,
    last: Vec<u8>,
    /// A run goes on, and whether this is its first slice.
    running: Option<bool>,
    accesses: Vec<(u8, AccessStop)>,
    /// The answer to `?`.
    why: String,
    told: usize,
}

/// What a request is answered with; `None` where the answer comes later.
type Said = Option<String>;

fn number(text: &str) -> Option<u64> {
    u64::from_str_radix(text, 16).ok()
}

/// Two numbers with a comma between.
fn pair(text: &str) -> Option<(u64, u64)> {
    let (first, second) = text.split_once(',')?;
    Some((number(first)?, number(second)?))
}

const WRONG: &str = "E01";

impl<'m> Stub<'m> {
    pub fn new(monitor: &'m mut Monitor, output: Line) -> Self {
        let session = monitor.session();
        let (target, told) = (Described::of(session), session.machine().output().len());
        let why = "T05thread:1;".to_string();
        Self {
            monitor,
            output,
            target,
            acknowledges: true,
            last: Vec::new(),
            running: None,
            accesses: Vec::new(),
            why,
            told,
        }
    }

    pub fn is_running(&self) -> bool {
        self.running.is_some()
    }

    fn session(&mut self) -> &mut Session {
        self.monitor.session_mut()
    }

    fn raw(&mut self, bytes: &[u8]) -> Goes {
        match self.output.write_all(bytes).and_then(|()| self.output.flush()) {
            Ok(()) => Goes::On,
            Err(_) => Goes::Away,
        }
    }

    fn send(&mut self, text: &[u8]) -> Goes {
        self.last = text.to_vec();
        match packets::write(&mut self.output, text) {
            Ok(()) => Goes::On,
            Err(_) => Goes::Away,
        }
    }

    pub fn take(&mut self, incoming: Incoming) -> Goes {
        match incoming {
            Incoming::End => Goes::Away,
            Incoming::Broken if self.acknowledges => self.raw(b"-"),
            Incoming::Broken => Goes::On,
            Incoming::Again => {
                let last = self.last.clone();
                self.send(&last)
            }
            Incoming::Interrupt => match self.running.take() {
                Some(_) => self.stopped("T02thread:1;".to_string()),
                None => Goes::On,
            },
            Incoming::Packet(text) => {
                if self.acknowledges
                    && let Goes::Away = self.raw(b"+")
                {
                    return Goes::Away;
                }
                self.answer(&text)
            }
        }
    }

    /// The machine stands: why is said, and what its console has printed before.
    fn stopped(&mut self, why: String) -> Goes {
        self.running = None;
        self.tell_output();
        self.why.clone_from(&why);
        self.send(why.as_bytes())
    }

    fn tell_output(&mut self) {
        let output = self.monitor.session().machine().output();
        let new = output.get(self.told..).unwrap_or_default().to_vec();
        self.told = output.len();
        self.say(&new);
    }

    /// Text for the debugger's console.
    fn say(&mut self, text: &[u8]) {
        for part in text.chunks(CHUNK) {
            // Whoever is gone shows at the answer.
            let _ = self.send(format!("O{}", hex(part)).as_bytes());
        }
    }

    fn answer(&mut self, packet: &[u8]) -> Goes {
        let text = String::from_utf8_lossy(packet).into_owned();
        match text.as_str() {
            "QStartNoAckMode" => {
                let goes = self.send(b"OK");
                self.acknowledges = false;
                return goes;
            }
            "D" | "D;1" => {
                // Whoever comes next finds it standing.
                let _ = self.send(b"OK");
                return Goes::Away;
            }
            "k" => return Goes::Away,
            _ => {}
        }
        if text.starts_with("vKill") {
            // Whoever has gone already needs no answer.
            let _ = self.send(b"OK");
            return Goes::Away;
        }
        match self.asked(&text, packet) {
            Some(said) => self.send(said.as_bytes()),
            None => Goes::On,
        }
    }

    /// Everything that is asked in words of one letter, and the longer ones.
    fn asked(&mut self, text: &str, packet: &[u8]) -> Said {
        let rest = text.get(1..).unwrap_or_default();
        match text.chars().next() {
            Some('?') => Some(self.why.clone()),
            Some('g') => {
                let all =
                    (0..self.target.count()).filter_map(|at| self.target.read(self.monitor.session(), at));
                Some(all.map(|bytes| hex(&bytes)).collect())
            }
            Some('G') => Some(self.set_all(rest)),
            Some('p') => {
                let value = number(rest).and_then(|at| self.target.read(self.monitor.session(), at as usize));
                Some(value.map_or(WRONG.to_string(), |bytes| hex(&bytes)))
            }
            Some('P') => Some(self.set_one(rest)),
            Some('m') => Some(self.memory(rest)),
            Some('M') => Some(self.put_hex(rest)),
            Some('X') => Some(self.put_bytes(packet)),
            Some('c' | 'C') => self.go(false),
            Some('s' | 'S') => self.go(true),
            Some('b') if rest == "s" => self.back(true),
            Some('b') if rest == "c" => self.back(false),
            Some('v') => self.long(text),
            Some('Z') => Some(self.stop_at(rest, true)),
            Some('z') => Some(self.stop_at(rest, false)),
            Some('H' | 'T') => Some("OK".to_string()),
            Some('q' | 'Q') => Some(self.query(text)),
            _ => Some(String::new()),
        }
    }

    fn set_all(&mut self, text: &str) -> String {
        let Some(all) = packets::bytes(text) else { return WRONG.to_string() };
        let mut rest = all.as_slice();
        for at in 0..self.target.count() {
            let length = self.target.read(self.monitor.session(), at).map_or(0, |bytes| bytes.len());
            let Some((bytes, more)) = rest.split_at_checked(length) else { return WRONG.to_string() };
            // What stays is not set: setting where the program is would be noted as done by hand.
            if self.target.read(self.monitor.session(), at).as_deref() != Some(bytes) {
                self.target.write(self.monitor.session_mut(), at, bytes);
            }
            rest = more;
        }
        "OK".to_string()
    }

    fn set_one(&mut self, text: &str) -> String {
        let parts = text.split_once('=').and_then(|(at, value)| Some((number(at)?, packets::bytes(value)?)));
        let done = parts
            .is_some_and(|(at, value)| self.target.write(self.monitor.session_mut(), at as usize, &value));
        if done { "OK" } else { WRONG }.to_string()
    }

    fn memory(&self, text: &str) -> String {
        let bytes = pair(text).and_then(|(at, count)| {
            self.target.memory(self.monitor.session(), at, (count as usize).min(packets::MOST / 4))
        });
        bytes.map_or(WRONG.to_string(), |bytes| hex(&bytes))
    }

    fn put_hex(&mut self, text: &str) -> String {
        let parts =
            text.split_once(':').and_then(|(place, bytes)| Some((pair(place)?, packets::bytes(bytes)?)));
        let done = parts.is_some_and(|((at, count), bytes)| {
            count as usize == bytes.len() && self.target.put(self.monitor.session_mut(), at, &bytes)
        });
        if done { "OK" } else { WRONG }.to_string()
    }

    fn put_bytes(&mut self, packet: &[u8]) -> String {
        let colon = packet.iter().position(|&byte| byte == b':');
        let parts = colon.and_then(|colon| {
            let place = std::str::from_utf8(&packet[1..colon]).ok()?;
            Some((pair(place)?, packet[colon + 1..].to_vec()))
        });
        let done = parts.is_some_and(|((at, count), bytes)| {
            count as usize == bytes.len()
                && (bytes.is_empty() || self.target.put(self.monitor.session_mut(), at, &bytes))
        });
        if done { "OK" } else { WRONG }.to_string()
    }

    fn go(&mut self, one: bool) -> Said {
        if !one {
            self.running = Some(true);
            return None;
        }
        let begin = self.session().moment();
        let step = self.session().step();
        let accesses = self.waited_for();
        let accessed = self.session().first_access(begin.cycle, &accesses);
        let why = match (accessed, step.stop) {
            (Some(accessed), _) => self.why_accessed(&accessed),
            _ => "T05thread:1;".to_string(),
        };
        _ = self.stopped(why);
        None
    }

    fn back(&mut self, one: bool) -> Said {
        let session = self.session();
        let gone = match one {
            true => session.back(1) > 0,
            false => session.back_to_stop(&mut || true),
        };
        if !gone
            && !one
            && let Some((first, _)) = session.known()
        {
            // The beginning is always known where anything is.
            let _ = session.go_to_cycle(first.cycle);
        }
        let why = match (gone, one) {
            (false, _) => "T05replaylog:begin;thread:1;",
            (true, false) => "T05swbreak:;thread:1;",
            (true, true) => "T05thread:1;",
        };
        _ = self.stopped(why.to_string());
        None
    }

    fn waited_for(&self) -> Vec<AccessStop> {
        self.accesses.iter().map(|row| row.1).collect()
    }

    fn why_accessed(&self, accessed: &Accessed) -> String {
        let at = self.target.address(accessed.address);
        let holds = |row: &&(u8, AccessStop)| (row.1.first..=row.1.last).contains(&accessed.address);
        let kind = match self.accesses.iter().find(holds).map(|row| row.0) {
            Some(b'3') => "rwatch",
            Some(b'4') => "awatch",
            _ => "watch",
        };
        format!("T05{kind}:{at:x};thread:1;")
    }

    /// The next slice of a run.
    pub fn run_on(&mut self) -> Goes {
        let is_first = self.running == Some(true);
        let accesses = self.waited_for();
        let session = self.session();
        let begin = session.moment();
        let stop = session.run_while(Limits::none().back().cycles(SLICE).continued(!is_first), &mut |_| true);
        let accessed = session.first_access(begin.cycle, &accesses);
        self.running = Some(false);
        if let Some(accessed) = accessed
            && self.session().go_to_cycle(accessed.end).is_ok()
        {
            let why = self.why_accessed(&accessed);
            return self.stopped(why);
        }
        match stop {
            Stop::Cycles => {
                self.tell_output();
                Goes::On
            }
            Stop::Breakpoint => self.stopped("T05swbreak:;thread:1;".to_string()),
            stop => {
                let words = format!("{}\n", stop.words(self.session().processor()));
                self.say(words.as_bytes());
                self.stopped("T05thread:1;".to_string())
            }
        }
    }

    fn long(&mut self, text: &str) -> Said {
        match text {
            "vCont?" => Some("vCont;c;C;s;S".to_string()),
            _ if text.starts_with("vCont;s") || text.starts_with("vCont;S") => self.go(true),
            _ if text.starts_with("vCont;c") || text.starts_with("vCont;C") => self.go(false),
            _ => Some(String::new()),
        }
    }

    /// `Z` and `z`: a kind, an address, a length.
    fn stop_at(&mut self, text: &str, on: bool) -> String {
        let kind = text.bytes().next().unwrap_or(0);
        let place = text.get(2..).unwrap_or_default();
        let Some((at, length)) = pair(place.split(';').next().unwrap_or_default()) else {
            return WRONG.to_string();
        };
        let Some(cell) = self.target.cell(at) else { return WRONG.to_string() };
        match kind {
            b'0' | b'1' => {
                _ = match on {
                    true => self.session().add_breakpoint(cell),
                    false => self.session().remove_breakpoint(cell),
                }
            }
            b'2'..=b'4' => {
                let last = self.target.cell(at.saturating_add(length.max(1) - 1)).unwrap_or(cell);
                let stop = AccessStop { first: cell, last, reads: kind != b'2', writes: kind != b'3' };
                self.accesses.retain(|row| *row != (kind, stop));
                if on {
                    self.accesses.push((kind, stop));
                }
            }
            _ => return String::new(),
        }
        "OK".to_string()
    }

    fn query(&mut self, text: &str) -> String {
        let part = |whole: &str, rest: &str| match pair(rest) {
            Some((from, count)) => {
                let rest = whole.get(from as usize..).unwrap_or_default();
                let part = rest.get(..count as usize).unwrap_or(rest);
                format!("{}{part}", if part.len() < rest.len() { 'm' } else { 'l' })
            }
            None => WRONG.to_string(),
        };
        if let Some(rest) = text.strip_prefix("qXfer:features:read:target.xml:") {
            return part(&self.target.xml(self.monitor.session()), rest);
        }
        if let Some(rest) = text.strip_prefix("qXfer:memory-map:read::") {
            return part(&self.target.memory_map(self.monitor.session()), rest);
        }
        if let Some(words) = text.strip_prefix("qRcmd,") {
            return self.monitor_words(words);
        }
        if let Some(at) = text.strip_prefix("qMemoryRegionInfo:") {
            let region = number(at).map(|at| self.target.memory_region(self.monitor.session(), at));
            return region.unwrap_or_else(|| WRONG.to_string());
        }
        if let Some(at) = text.strip_prefix("qRegisterInfo") {
            let info = number(at).and_then(|at| self.target.register_info(at as usize));
            return info.unwrap_or_else(|| "E45".to_string());
        }
        match text.split([':', ',', ';']).next().unwrap_or_default() {
            "qSupported" => format!(
                "PacketSize={:x};QStartNoAckMode+;qXfer:features:read+;qXfer:memory-map:read+;ReverseStep+;ReverseContinue+;swbreak+;hwbreak+;vContSupported+",
                packets::MOST
            ),
            "qAttached" => "1".to_string(),
            "qC" => "QC1".to_string(),
            "qfThreadInfo" => "m1".to_string(),
            "qsThreadInfo" => "l".to_string(),
            "qHostInfo" | "qProcessInfo" => {
                let info = self.target.host_info(self.monitor.session());
                if text == "qProcessInfo" { format!("pid:1;{info}") } else { info }
            }
            _ => String::new(),
        }
    }

    /// A line of the monitor's, in hex digits.
    fn monitor_words(&mut self, words: &str) -> String {
        let Some(line) = packets::bytes(words).and_then(|bytes| String::from_utf8(bytes).ok()) else {
            return WRONG.to_string();
        };
        let said = match self.monitor.line(line.trim(), &mut Files) {
            Ok(Reply::Done(text)) => text.to_string(),
            Ok(Reply::Quit) => "the debugger ends the conversation: `detach`\n".to_string(),
            Err(no) if no.help.is_empty() => format!("{no}\n"),
            Err(no) => format!("{no}\n{}\n", no.help),
        };
        self.say(said.as_bytes());
        "OK".to_string()
    }
}
