//! Files by handles.

use super::{Answer, Dos, FileName, Frame, Otherwise, Refused, WhyNot, fault};

/// Handles of a program.
pub(super) const HANDLES: usize = 20;
/// What can be open at a time.
const MOST_OPEN: usize = 40;

/// What a handle leads to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum What {
    Console,
    /// Takes everything and gives nothing.
    Nothing,
    Serial,
    Printer,
    File {
        name: FileName,
        at: u32,
        reads: bool,
        writes: bool,
    },
}

/// Something open, and how many handles it has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) struct Opened {
    pub what: What,
    pub handles: u32,
}

/// What is open from the beginning: handles 0 to 4 of the prompt.
pub(super) fn devices() -> Vec<Option<Opened>> {
    let device = |what, handles| Some(Opened { what, handles });
    vec![device(What::Console, 3), device(What::Serial, 1), device(What::Printer, 1)]
}

/// The handles that a program is born with: what they lead to among what is open.
pub(super) fn first_handles() -> [Option<u8>; HANDLES] {
    let mut handles = [None; HANDLES];
    for (handle, open) in [0, 0, 0, 1, 2].into_iter().enumerate() {
        handles[handle] = Some(open);
    }
    handles
}

fn device(path: &[u8]) -> Option<What> {
    let stem: Vec<u8> = path.iter().copied().take_while(|&byte| byte != b'.').collect();
    Some(match stem.to_ascii_uppercase().as_slice() {
        b"CON" => What::Console,
        b"NUL" => What::Nothing,
        b"AUX" | b"COM1" => What::Serial,
        b"PRN" | b"LPT1" => What::Printer,
        _ => return None,
    })
}

impl Dos {
    /// True where a handle leads to a file.
    pub(super) fn is_file(&mut self, handle: u16) -> bool {
        self.opened(handle).is_ok_and(|opened| matches!(opened.what, What::File { .. }))
    }

    fn opened(&mut self, handle: u16) -> Answer<&mut Opened> {
        let place = self.process().handles.get(usize::from(handle)).copied().flatten();
        let opened = place.and_then(|place| self.open.get_mut(usize::from(place))?.as_mut());
        Ok(opened.ok_or(Refused::Handle)?)
    }

    /// A new handle for something open, by its place.
    fn new_handle(&mut self, place: u8) -> Answer<u16> {
        let handles = &mut self.process_mut().handles;
        let free = handles.iter().position(Option::is_none).ok_or(Refused::Handles)?;
        handles[free] = Some(place);
        Ok(free as u16)
    }

    /// Opens something, with a handle for it.
    fn open_handle(&mut self, what: What) -> Answer<u16> {
        let place = self.open.iter().position(Option::is_none).unwrap_or(self.open.len());
        if place >= MOST_OPEN {
            return Err(Refused::Handles.into());
        }
        let handle = self.new_handle(place as u8)?;
        let opened = Some(Opened { what, handles: 1 });
        if place == self.open.len() {
            self.open.push(opened);
        } else {
            self.open[place] = opened;
        }
        Ok(handle)
    }

    /// Takes a handle away; what has none any more is closed.
    pub(super) fn close_handle(&mut self, handle: usize) -> Answer {
        let place =
            self.process_mut().handles.get_mut(handle).and_then(Option::take).ok_or(Refused::Handle)?;
        let Some(slot) = self.open.get_mut(usize::from(place)) else { return Ok(()) };
        let Some(opened) = slot else { return Ok(()) };
        opened.handles -= 1;
        if opened.handles == 0 {
            if let What::File { name, writes: true, .. } = opened.what {
                self.volume.close(name);
            }
            *slot = None;
        }
        Ok(())
    }

    /// Gives what is open another handle.
    pub(super) fn share(&mut self, place: u8) {
        if let Some(Some(opened)) = self.open.get_mut(usize::from(place)) {
            opened.handles += 1;
        }
    }

    /// Calls with handles, and those that name files.
    pub(super) fn file_call(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        match frame.ah() {
            0x3C => self.make(frame),
            0x3D => self.open_file(frame),
            0x3E => self.close_handle(frame.get("BX").into()),
            0x3F => self.read(frame),
            0x40 => self.write(frame),
            0x41 => {
                let name = Self::file_name(&frame.text("DS", "DX"))?;
                self.exists(name)?;
                self.writable(frame)?;
                self.volume.remove(name);
                Ok(())
            }
            0x42 => self.seek(frame),
            0x43 => self.attributes(frame),
            0x44 => self.device_call(frame),
            0x45 => {
                let handle = frame.get("BX");
                self.opened(handle)?;
                let place = self.process().handles[usize::from(handle)].ok_or(Refused::Handle)?;
                let new = self.new_handle(place)?;
                self.share(place);
                frame.set("AX", new);
                Ok(())
            }
            0x46 => self.same_handle(frame),
            0x56 => {
                let (from, to) = (frame.text("DS", "DX"), frame.text("ES", "DI"));
                let (from, to) = (Self::file_name(&from)?, Self::file_name(&to)?);
                self.exists(from)?;
                self.writable(frame)?;
                if self.volume.rename(from, to) { Ok(()) } else { Err(Refused::Denied.into()) }
            }
            _ => self.file_date(frame),
        }
    }

    fn exists(&self, name: FileName) -> Answer {
        self.volume.bytes(name).map(|_| ()).ok_or_else(|| Refused::File.into())
    }

    fn make(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let path = frame.text("DS", "DX");
        let what = match device(super::root_name(&path)?) {
            Some(device) => device,
            None => {
                let name = Self::file_name(&path)?;
                self.writable(frame)?;
                let stamp = self.clock.stamp(frame);
                self.volume.make(name);
                self.volume.set_stamp(name, stamp);
                What::File { name, at: 0, reads: true, writes: true }
            }
        };
        let handle = self.open_handle(what)?;
        frame.set("AX", handle);
        Ok(())
    }

    fn open_file(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let path = frame.text("DS", "DX");
        let what = match device(super::root_name(&path)?) {
            Some(device) => device,
            None => {
                let name = Self::file_name(&path)?;
                self.exists(name)?;
                let (reads, writes) = match frame.al() & 7 {
                    0 => (true, false),
                    1 => (false, true),
                    2 => (true, true),
                    _ => return Err(Refused::Denied.into()),
                };
                What::File { name, at: 0, reads, writes }
            }
        };
        let handle = self.open_handle(what)?;
        frame.set("AX", handle);
        Ok(())
    }

    fn read(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let count = frame.get("CX");
        let (segment, offset) = (frame.get("DS"), frame.get("DX"));
        let opened = *self.opened(frame.get("BX"))?;
        match opened.what {
            What::Console => frame.leave_to_firmware(),
            What::File { reads: false, .. } => return Err(Refused::Denied.into()),
            What::File { name, at, .. } => {
                let all = self.volume.bytes(name).unwrap_or_default();
                let from = (at as usize).min(all.len());
                let bytes = all[from..all.len().min(from + usize::from(count))].to_vec();
                frame.put_bytes(segment, offset, &bytes);
                if let What::File { at, .. } = &mut self.opened(frame.get("BX"))?.what {
                    *at += bytes.len() as u32;
                }
                frame.set("AX", bytes.len() as u16);
            }
            What::Nothing | What::Serial | What::Printer => frame.set("AX", 0),
        }
        Ok(())
    }

    fn write(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let count = frame.get("CX");
        let opened = *self.opened(frame.get("BX"))?;
        match opened.what {
            What::Console => frame.leave_to_firmware(),
            What::File { writes: false, .. } => return Err(Refused::Denied.into()),
            What::File { name, at, .. } => {
                self.writable(frame)?;
                let bytes = frame.bytes(frame.get("DS"), frame.get("DX"), count);
                // Nothing written cuts the file off.
                let written = match count {
                    0 => self.volume.resize(name, at as usize),
                    _ => self.volume.write_at(name, at as usize, &bytes),
                };
                let done = match written {
                    Ok(true) => count,
                    Ok(false) => return Err(Refused::Denied.into()),
                    // A full disk takes none of it, which is no error.
                    Err(_) => 0,
                };
                let stamp = self.clock.stamp(frame);
                self.volume.set_stamp(name, stamp);
                if let What::File { at, .. } = &mut self.opened(frame.get("BX"))?.what {
                    *at += u32::from(done);
                }
                frame.set("AX", done);
            }
            What::Nothing => frame.set("AX", count),
            What::Serial | What::Printer => {
                return Err(Otherwise::Fault(fault(frame, WhyNot::NotCovered)));
            }
        }
        Ok(())
    }

    fn seek(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let distance = (u32::from(frame.get("CX")) << 16 | u32::from(frame.get("DX"))) as i32;
        let opened = *self.opened(frame.get("BX"))?;
        let What::File { name, at, .. } = opened.what else {
            frame.set("AX", 0);
            frame.set("DX", 0);
            return Ok(());
        };
        let from = match frame.al() {
            0 => 0,
            1 => at,
            2 => self.volume.bytes(name).map_or(0, <[u8]>::len) as u32,
            _ => return Err(Refused::Function.into()),
        };
        let new = from.wrapping_add_signed(distance);
        if let What::File { at, .. } = &mut self.opened(frame.get("BX"))?.what {
            *at = new;
        }
        frame.set("AX", new as u16);
        frame.set("DX", (new >> 16) as u16);
        Ok(())
    }

    fn attributes(&self, frame: &mut Frame<'_, '_>) -> Answer {
        let name = Self::file_name(&frame.text("DS", "DX"))?;
        self.exists(name)?;
        match frame.al() {
            0 => frame.set("CX", if self.volume.is_writable() { 0x20 } else { 0x21 }),
            1 => {}
            _ => return Err(Refused::Function.into()),
        }
        Ok(())
    }

    fn device_call(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let what = self.opened(frame.get("BX"))?.what;
        match frame.al() {
            0 => frame.set(
                "DX",
                match what {
                    What::Console => 0x80D3,
                    What::Nothing => 0x8084,
                    What::Serial | What::Printer => 0x80C0,
                    What::File { writes: true, .. } => 0x0000,
                    What::File { .. } => 0x0040,
                },
            ),
            1 => {}
            6 => {
                let is_at_end = match what {
                    What::File { name, at, .. } => {
                        at as usize >= self.volume.bytes(name).map_or(0, <[u8]>::len)
                    }
                    _ => false,
                };
                frame.set_low("AX", if is_at_end { 0 } else { 0xFF });
            }
            7 => frame.set_low("AX", 0xFF),
            _ => return Err(Refused::Function.into()),
        }
        Ok(())
    }

    fn same_handle(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let (from, to) = (frame.get("BX"), usize::from(frame.get("CX")));
        self.opened(from)?;
        let place = self.process().handles[usize::from(from)].ok_or(Refused::Handle)?;
        if to >= HANDLES {
            return Err(Refused::Handle.into());
        }
        if to != usize::from(from) {
            // What it led to before is closed.
            let _ = self.close_handle(to);
            self.process_mut().handles[to] = Some(place);
            self.share(place);
        }
        Ok(())
    }

    fn file_date(&mut self, frame: &mut Frame<'_, '_>) -> Answer {
        let What::File { name, .. } = self.opened(frame.get("BX"))?.what else {
            return Err(Refused::Handle.into());
        };
        match frame.al() {
            0 => {
                let (date, time) = self.volume.stamp(name);
                frame.set("DX", date);
                frame.set("CX", time);
            }
            1 => self.volume.set_stamp(name, (frame.get("DX"), frame.get("CX"))),
            _ => return Err(Refused::Function.into()),
        }
        Ok(())
    }
}
