//! The project around the command: `plainbyte.toml` in this folder or in one above it.

use crate::arguments::{BuildArguments, RunArguments, TargetArguments, WarningArguments};
use crate::files;
use crate::paint;
use crate::platform;
use crate::say::Failure;
use plain_byte::workspace::{FILE, Project};
use std::path::{Path, PathBuf};

/// A project file with the folder it stands in.
pub struct Found {
    pub project: Project,
    folder: PathBuf,
}

/// The project of this folder, if it has one.
pub fn look() -> Result<Option<Found>, Failure> {
    let here = std::env::current_dir().unwrap_or_default();
    let mut above = PathBuf::new();
    for folder in here.ancestors() {
        let file = folder.join(FILE);
        if file.is_file() {
            if above.as_os_str().is_empty() {
                return read(&above).map(Some);
            }
            // What somebody else left further up is not what this folder is about.
            if !platform::is_own(&file) {
                let message =
                    format!("{} belongs to somebody else, and is not followed from below", file.display());
                return Err(Failure::usage(message, "name the program, or go to the project's folder"));
            }
            // The commands look more than once.
            static SAID: std::sync::Once = std::sync::Once::new();
            SAID.call_once(|| paint::note(&format!("this is the project of {}", file.display())));
            return read(&above).map(Some);
        }
        above.push("..");
    }
    Ok(None)
}

/// The project of this folder, which is needed.
pub fn find() -> Result<Found, Failure> {
    look()?.ok_or_else(|| {
        let message = format!("no program is named, and there is no {FILE} in this folder or above it");
        Failure::usage(message, "name a source or an image, or begin a project with `plainbyte new NAME`")
    })
}

fn read(folder: &Path) -> Result<Found, Failure> {
    let file = folder.join(FILE).to_string_lossy().into_owned();
    let text = String::from_utf8_lossy(&files::must_read(&file)?).into_owned();
    let project = Project::parse(&text).map_err(|wrong| Failure::in_text(&file, &text, *wrong, 1))?;
    files::note(&file);
    Ok(Found { project, folder: folder.to_path_buf() })
}

impl Found {
    /// A file of the project as seen from here.
    pub fn path(&self, name: &str) -> String {
        self.folder.join(name).to_string_lossy().into_owned()
    }

    fn board(&self) -> Option<String> {
        let board = self.project.board.as_ref()?;
        Some(if board.ends_with(".toml") { self.path(board) } else { board.clone() })
    }

    fn defines(&self) -> Vec<String> {
        self.project.define.iter().map(|(name, value)| format!("{name}={value}")).collect()
    }

    fn warnings(&self, warnings: &mut WarningArguments) {
        warnings.allow.extend(self.project.allow.iter().cloned());
        warnings.deny.extend(self.project.deny.iter().cloned());
    }

    /// What the project says about a program to be run, where the command line says nothing.
    pub fn target(&self, target: &mut TargetArguments) {
        target.cpu = target.cpu.take().or(self.project.processor.clone());
        target.board = target.board.take().or(self.board());
        target.without.extend(self.project.without.iter().cloned());
        let given = std::mem::replace(&mut target.define, self.defines());
        target.define.extend(given);
        self.warnings(&mut target.warnings);
    }

    /// What it says about a run, where the command line says nothing; what is set there comes later and counts.
    pub fn run(&self, arguments: &mut RunArguments) {
        let project = &self.project;
        let before = |given: &mut Vec<String>, own: &[String]| _ = given.splice(0..0, own.iter().cloned());
        before(&mut arguments.set, &project.set);
        before(&mut arguments.port, &project.port);
        before(&mut arguments.press, &project.press);
        before(&mut arguments.show, &project.show);
        arguments.input = arguments.input.take().or(project.input.clone());
        arguments.until = arguments.until.take().or(project.until.clone());
        arguments.cycles = arguments.cycles.take().or(project.cycles.clone());
        arguments.hazards |= project.hazards;
    }

    /// The same for a build, with the files that it writes.
    pub fn build(&self, arguments: &mut BuildArguments) {
        self.purpose(arguments);
        if arguments.output.is_empty() {
            let with_folder = |output: &String| match output.split_once(':') {
                Some((kind, file)) => format!("{kind}:{}", self.path(file)),
                None => output.clone(),
            };
            arguments.output = self.project.outputs.iter().map(with_folder).collect();
        }
        let file = |name: &Option<String>| name.as_ref().map(|name| self.path(name));
        arguments.listing = arguments.listing.take().or(file(&self.project.listing));
        arguments.symbols = arguments.symbols.take().or(file(&self.project.symbols));
    }

    /// What a build is for.
    pub fn purpose(&self, arguments: &mut BuildArguments) {
        arguments.cpu = arguments.cpu.take().or(self.project.processor.clone());
        arguments.board = arguments.board.take().or(self.board());
        arguments.without.extend(self.project.without.iter().cloned());
        let given = std::mem::replace(&mut arguments.define, self.defines());
        arguments.define.extend(given);
        self.warnings(&mut arguments.warnings);
    }
}

/// The project whose source is named, so that what it says of processor, board and symbols holds for it.
pub fn of(name: &str) -> Option<Found> {
    let file = Path::new(&files::find(name, &["asm"])).canonicalize().ok()?;
    let folder = file.ancestors().skip(1).find(|folder| folder.join(FILE).is_file())?;
    let here = std::env::current_dir().ok()?;
    // It is the project that a command without a name would take.
    if !here.starts_with(folder) || !platform::is_own(&folder.join(FILE)) {
        return None;
    }
    let up: PathBuf = here.strip_prefix(folder).ok()?.components().map(|_| "..").collect();
    let found = read(&up).ok()?;
    let own = Path::new(&found.path(&found.project.source)).canonicalize().ok()?;
    (own == file).then_some(found)
}

/// The program that is named, or the project's.
pub fn program(named: Option<&String>, target: &mut TargetArguments) -> Result<String, Failure> {
    if let Some(name) = named {
        if let Some(found) = of(name) {
            found.target(target);
        }
        return Ok(name.clone());
    }
    let found = find()?;
    found.target(target);
    Ok(found.path(&found.project.source))
}
