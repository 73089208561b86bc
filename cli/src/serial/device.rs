//! Serial devices: their settings, how they are opened, and what to do where they cannot be.

use crate::say::Failure;
use serialport::{DataBits, ErrorKind, FlowControl, Parity, SerialPort, SerialPortType, StopBits};
use std::io::{Read, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// A reader looks so often whether it is still wanted.
const LOOKS: Duration = Duration::from_millis(50);
/// A write to a line that takes nothing for so long has failed: the far side holds it up by its flow control.
const HELD_UP: Duration = Duration::from_secs(10);
/// DTR is low for so long where it resets a board.
const RESETS: Duration = Duration::from_millis(100);
/// The board has so long to come up then.
const COMES_UP: Duration = Duration::from_millis(500);

/// What is done with the DTR line when a device is opened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Dtr {
    AsItIs,
    On,
    Off,
    /// Off for a moment, and on again.
    Reset,
}

/// A device with its settings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Device {
    /// Its name: `/dev/ttyUSB0`, `COM3`.
    pub name: String,
    baud: u32,
    bits: DataBits,
    parity: Parity,
    stop: StopBits,
    flow: FlowControl,
    dtr: Dtr,
}

const SETTINGS: &str = "baud=9600, bits=5 to 8, parity=none, even or odd, stop=1 or 2, flow=none, rts-cts or xon-xoff, dtr=on, off or reset";

impl std::str::FromStr for Device {
    type Err = String;

    /// A name, and settings with commas in front: `/dev/ttyUSB0,baud=19200,flow=rts-cts`.
    fn from_str(text: &str) -> Result<Self, String> {
        let mut parts = text.split(',');
        let mut device = Self {
            name: parts.next().unwrap_or_default().to_string(),
            baud: 9600,
            bits: DataBits::Eight,
            parity: Parity::None,
            stop: StopBits::One,
            flow: FlowControl::None,
            dtr: Dtr::AsItIs,
        };
        for part in parts {
            let wrong = || format!("`{part}` is not a setting of a serial line; there are {SETTINGS}");
            match part.split_once('=').ok_or_else(wrong)? {
                ("baud", baud) => {
                    device.baud =
                        baud.parse().ok().filter(|baud| (1..=4_000_000).contains(baud)).ok_or_else(wrong)?;
                }
                ("bits", "5") => device.bits = DataBits::Five,
                ("bits", "6") => device.bits = DataBits::Six,
                ("bits", "7") => device.bits = DataBits::Seven,
                ("bits", "8") => device.bits = DataBits::Eight,
                ("parity", "none") => device.parity = Parity::None,
                ("parity", "even") => device.parity = Parity::Even,
                ("parity", "odd") => device.parity = Parity::Odd,
                ("stop", "1") => device.stop = StopBits::One,
                ("stop", "2") => device.stop = StopBits::Two,
                ("flow", "none") => device.flow = FlowControl::None,
                ("flow", "rts-cts") => device.flow = FlowControl::Hardware,
                ("flow", "xon-xoff") => device.flow = FlowControl::Software,
                ("dtr", "on") => device.dtr = Dtr::On,
                ("dtr", "off") => device.dtr = Dtr::Off,
                ("dtr", "reset") => device.dtr = Dtr::Reset,
                _ => return Err(wrong()),
            }
        }
        Ok(device)
    }
}

impl Device {
    /// The same at another speed.
    pub fn at(mut self, baud: Option<u32>) -> Self {
        self.baud = baud.unwrap_or(self.baud);
        self
    }

    /// Opens it: what is read, and what is written.
    pub fn open(&self) -> Result<(Reader, Writer), Failure> {
        let opened = serialport::new(&self.name, self.baud)
            .data_bits(self.bits)
            .parity(self.parity)
            .stop_bits(self.stop)
            .flow_control(self.flow)
            .timeout(LOOKS)
            .open();
        let mut port = opened.map_err(|error| self.unopened(&error))?;
        let lines = |error: serialport::Error| {
            Failure::input(format!("{} has no DTR line: {error}", self.name), "leave the setting `dtr` out")
        };
        match self.dtr {
            Dtr::AsItIs => {}
            Dtr::On => port.write_data_terminal_ready(true).map_err(lines)?,
            Dtr::Off => port.write_data_terminal_ready(false).map_err(lines)?,
            Dtr::Reset => {
                port.write_data_terminal_ready(false).map_err(lines)?;
                std::thread::sleep(RESETS);
                port.write_data_terminal_ready(true).map_err(lines)?;
                std::thread::sleep(COMES_UP);
            }
        }
        let reading = port.try_clone().map_err(|error| self.unopened(&error))?;
        let is_over = Arc::new(AtomicBool::new(false));
        Ok((Reader { port: reading, is_over: Arc::clone(&is_over) }, Writer { port, is_over }))
    }

    /// Why it cannot be opened, and what to do.
    fn unopened(&self, error: &serialport::Error) -> Failure {
        let Self { name, .. } = self;
        let there = std::path::Path::new(name).exists();
        let said = error.to_string().to_lowercase();
        match error.kind() {
            ErrorKind::InvalidInput => {
                let help = format!("choose other settings: {SETTINGS}");
                Failure::input(format!("{name} does not take these settings: {error}"), help)
            }
            _ if said.contains("busy") || said.contains("exclusive") => {
                let help = "close the other program first";
                Failure::input(format!("{name} is busy: another program has it open"), help)
            }
            ErrorKind::Io(std::io::ErrorKind::PermissionDenied) => {
                let help = "become a member of the group that the device belongs to, and log in again";
                Failure::input(format!("you have no permission to use {name}: {error}"), help)
            }
            _ if said.contains("not a typewriter") || said.contains("inappropriate ioctl") => {
                Failure::input(format!("{name} is not a serial line"), choice())
            }
            _ if there => Failure::input(format!("{name} cannot be opened: {error}"), choice()),
            _ => Failure::input(format!("there is no {name}; is it plugged in?"), choice()),
        }
    }
}

/// The devices there are, to choose from.
fn choice() -> String {
    let names: Vec<String> = ports().into_iter().map(|row| row.0).collect();
    match names.as_slice() {
        [] => "no serial device is to be found here; name a pseudo-terminal by its path, or tcp:PORT"
            .to_string(),
        names => format!("there are {}; tcp:PORT is a port of this computer", names.join(", ")),
    }
}

/// The serial devices of this computer, by their names, with what they are.
pub fn ports() -> Vec<(String, String)> {
    let mut ports: Vec<(String, String)> = serialport::available_ports()
        .unwrap_or_default()
        .into_iter()
        .map(|port| {
            let what = match port.port_type {
                SerialPortType::UsbPort(usb) => {
                    let words = [usb.manufacturer, usb.product].into_iter().flatten().collect::<Vec<_>>();
                    let name = if words.is_empty() { "USB".to_string() } else { words.join(" ") };
                    format!("{name} ({:04X}:{:04X})", usb.vid, usb.pid)
                }
                SerialPortType::PciPort => "built in".to_string(),
                SerialPortType::BluetoothPort => "Bluetooth".to_string(),
                SerialPortType::Unknown => String::new(),
            };
            (port.port_name, what)
        })
        .collect();
    ports.sort();
    ports
}

/// What comes from a device. It ends where the device goes, and where nobody writes to it any more.
pub struct Reader {
    port: Box<dyn SerialPort>,
    is_over: Arc<AtomicBool>,
}

impl Read for Reader {
    fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
        loop {
            if self.is_over.load(Ordering::Relaxed) {
                return Ok(0);
            }
            match self.port.read(bytes) {
                Err(error) if error.kind() == std::io::ErrorKind::TimedOut => {}
                other => return other,
            }
        }
    }
}

/// What goes to a device.
pub struct Writer {
    port: Box<dyn SerialPort>,
    is_over: Arc<AtomicBool>,
}

impl Drop for Writer {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
    }
}

impl Write for Writer {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let begin = std::time::Instant::now();
        loop {
            match self.port.write(bytes) {
                Err(error) if error.kind() == std::io::ErrorKind::TimedOut && begin.elapsed() < HELD_UP => {}
                Err(error) if error.kind() == std::io::ErrorKind::TimedOut => {
                    let why = "the far side has held the line up for 10 s by its flow control";
                    return Err(std::io::Error::new(std::io::ErrorKind::TimedOut, why));
                }
                other => return other,
            }
        }
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.port.flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settings_stand_behind_the_name() {
        let device: Device = "/dev/ttyS9,baud=1200,bits=7,parity=even,stop=2,flow=xon-xoff,dtr=reset"
            .parse()
            .expect("it reads");
        let wanted = (1200, DataBits::Seven, Parity::Even, StopBits::Two, FlowControl::Software, Dtr::Reset);
        let Device { name, baud, bits, parity, stop, flow, dtr } = device.clone();
        assert_eq!((name.as_str(), (baud, bits, parity, stop, flow, dtr)), ("/dev/ttyS9", wanted));
        assert_eq!(device.at(Some(300)).baud, 300);
        for wrong in ["baud", "baud=0", "baud=x", "bits=9", "parity=mark", "stop=3", "flow=any", "dtr=", ""] {
            let error = format!("/dev/ttyS9,{wrong}").parse::<Device>().expect_err(wrong);
            assert!(
                error.starts_with(&format!(
                    "`{wrong}` is not a setting of a serial line; there are baud=9600"
                )),
                "{error}"
            );
        }
    }
}
