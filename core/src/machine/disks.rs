//! Services that a machine has been given, with their disk and their drive.

use super::Machine;
use super::services::dos::{Floppy, LoadFault, Start};
use super::services::transient::Disk;
use super::services::{Caller, DriveAccess, Service, Volume};

impl Machine {
    /// Puts a service behind the machine's door.
    pub fn install(&mut self, service: Box<dyn Service>) {
        self.service = Some(service);
    }

    /// Puts a disk into the machine's drive.
    pub fn insert_disk(&mut self, volume: Volume) {
        if let Some(service) = &mut self.service
            && service.put_disk(volume.clone())
        {
            return;
        }
        self.install(Box::new(Disk::new(volume)));
    }

    /// Puts a floppy disk into its drive. False where it has none.
    pub fn insert_floppy(&mut self, floppy: Floppy) -> bool {
        self.service.as_mut().is_some_and(|service| service.put_floppy(floppy))
    }

    /// The floppy disk in its drive.
    pub fn floppy(&self) -> Option<&Floppy> {
        self.service.as_ref()?.floppy()
    }

    /// What its drive did last.
    pub fn drive_access(&self) -> Option<DriveAccess> {
        self.service.as_ref()?.drive_access()
    }

    /// Starts a program by the bytes of its file, its name and the words after that: where it was put. `None` where the machine has no
    /// services that start programs.
    pub fn start_program(
        &mut self,
        file: &[u8],
        name: &str,
        words: &[String],
    ) -> Option<Result<Start, LoadFault>> {
        let started = self.service.as_mut()?.start(
            &mut Caller { core: self.core.as_mut(), put: None },
            file,
            name,
            words,
        )?;
        // It waits for nothing any more.
        self.core.set_place(self.core.place());
        Some(started)
    }

    /// What the program ended with that was started so.
    pub fn exit_code(&self) -> Option<u8> {
        self.service.as_ref()?.exit_code()
    }

    /// The files of the disk, where there is one.
    pub fn disk(&self) -> Option<&Volume> {
        self.service.as_ref()?.volume()
    }
}
