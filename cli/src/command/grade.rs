//! `cases --folder`: one table over many programs, a row for each.

use super::cases::{asked, hazard_policy, judge, target};
use super::print_json;
use crate::arguments::{CasesArguments, TargetArguments};
use crate::files::{self, Outputs};
use crate::open;
use crate::paint;
use crate::say::Failure;
use crate::signals;
use indicatif::ProgressBar;
use plain_byte::report::{Fault, Grade, Policy, Suite, grades, grades_csv, grades_html, junit};
use plain_byte::session::cases::Cases;
use std::io::IsTerminal;
use std::panic::AssertUnwindSafe;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

/// A program that is tried: whose it is, its file, and the folder that it may read from.
struct Submission {
    name: String,
    file: Result<PathBuf, String>,
    folder: PathBuf,
}

/// Endings of programs, the one that is looked for first in front.
const ENDINGS: &[&str] = &["asm", "hex", "com", "exe", "bin", "srec", "wav"];
/// Folders with more programs are no class.
const MOST: usize = 10_000;

pub fn run(folder: &str, arguments: &CasesArguments) -> Result<(), Failure> {
    let [table] = arguments.files.as_slice() else {
        return Err(Failure::usage(
            "one table is run over a folder",
            "name it: `plainbyte cases TABLE --folder FOLDER`",
        ));
    };
    let prints = [&arguments.junit, &arguments.csv, &arguments.html]
        .into_iter()
        .flatten()
        .filter(|file| *file == "-")
        .count();
    if prints + usize::from(arguments.json) > 1 {
        return Err(Failure::usage(
            "two results would both go to standard output",
            "give one of them a file",
        ));
    }
    let table = files::find_table(table);
    let (mut cases, _) = asked(&table, arguments)?;
    if let Some(most) = arguments.most_cycles {
        cases = cases.at_most(most);
    }
    let submissions = submissions(folder)?;
    let target = target(&table, &cases, arguments);
    // What is wrong with the board or the table is nobody's mistake but ours.
    open::empty(target.board.as_deref().unwrap_or("bare"), &target)?;
    let policy = hazard_policy(arguments)?;
    let rows = all(&submissions, arguments, &|one| graded(one, &cases, &target, policy.as_ref()))?;
    told(&table, &rows, arguments, prints > 0)?;
    if rows.iter().all(Grade::is_right) { Ok(()) } else { Err(Failure::Said(1)) }
}

/// Tries every program, several at once; the rows stand in the order of names.
fn all(
    submissions: &[Submission],
    arguments: &CasesArguments,
    graded: &(dyn Fn(&Submission) -> Grade + Sync),
) -> Result<Vec<Grade>, Failure> {
    signals::listen();
    let jobs = arguments
        .jobs
        .map_or_else(|| std::thread::available_parallelism().map_or(1, usize::from), usize::from);
    let bar = match std::io::stderr().is_terminal() {
        true => ProgressBar::new(submissions.len() as u64),
        false => ProgressBar::hidden(),
    };
    let (next, done) = (AtomicUsize::new(0), Mutex::new(Vec::new()));
    std::thread::scope(|scope| {
        for _ in 0..jobs.min(submissions.len()) {
            scope.spawn(|| {
                while !signals::was_stopped() {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some(one) = submissions.get(at) else { return };
                    // A bad program never stops the others, whatever it finds out about us.
                    let grade = std::panic::catch_unwind(AssertUnwindSafe(|| graded(one)));
                    let grade = grade.unwrap_or_else(|_| {
                        let file = one.file.as_ref().map(|file| file.to_string_lossy().into_owned());
                        Grade::fault(
                            &one.name,
                            &file.unwrap_or_default(),
                            0,
                            Fault::Unusable,
                            "this is a fault of Plain Byte; please report it",
                        )
                    });
                    if let Ok(mut done) = done.lock() {
                        done.push((at, grade));
                    }
                    bar.inc(1);
                }
            });
        }
    });
    bar.finish_and_clear();
    let mut done = done.into_inner().unwrap_or_default();
    if signals::was_stopped() {
        let message = format!("{} of {} programs were tried", done.len(), submissions.len());
        return Err(Failure::input(message, "nothing was written"));
    }
    done.sort_by_key(|row| row.0);
    Ok(done.into_iter().map(|row| row.1).collect())
}

fn told(table: &str, rows: &[Grade], arguments: &CasesArguments, prints: bool) -> Result<(), Failure> {
    let mut outputs = Outputs::default();
    if let Some(file) = &arguments.csv {
        outputs.add(file, grades_csv(rows));
    }
    if let Some(file) = &arguments.html {
        outputs.add(file, grades_html(table, rows));
    }
    if let Some(file) = &arguments.junit {
        let missing: Vec<[String; 1]> = rows
            .iter()
            .map(|row| [format!("{}: {}", row.verdict(), row.first.as_deref().unwrap_or_default())])
            .collect();
        let suites: Vec<Suite<'_>> = rows
            .iter()
            .zip(&missing)
            .map(|(row, missing)| Suite {
                name: &row.name,
                cases: &row.outcomes,
                missing: if row.fault.is_some() { missing } else { &[] },
            })
            .collect();
        outputs.add(file, junit(&suites));
    }
    if arguments.json {
        print_json(&serde_json::json!({ "table": table, "programs": rows }))?;
    } else if !prints {
        paint::show(&grades(table, rows))?;
    }
    outputs.write()
}

/// The programs of a folder: each source or image in it, and the program of each folder in it.
fn submissions(folder: &str) -> Result<Vec<Submission>, Failure> {
    let unreadable = |error: std::io::Error| {
        Failure::input(format!("{folder} cannot be read: {error}"), "name the folder with the programs")
    };
    let mut all = Vec::new();
    let mut entries: Vec<PathBuf> =
        std::fs::read_dir(folder).map_err(unreadable)?.flatten().map(|entry| entry.path()).collect();
    entries.sort();
    // Of one name the source comes first, and an image beside it is its output.
    for path in &entries {
        let Some(name) =
            path.file_name().and_then(|name| name.to_str()).filter(|name| !name.starts_with('.'))
        else {
            continue;
        };
        if path.is_dir() {
            all.push(Submission { name: name.to_string(), file: program_in(path), folder: path.clone() });
        } else if let Some(rank) = rank(path) {
            let is_output =
                ENDINGS[..rank].iter().any(|ending| entries.contains(&path.with_extension(ending)));
            if !is_output {
                let stem = path.file_stem().and_then(|stem| stem.to_str()).unwrap_or(name).to_string();
                // It has no folder of its own, and nothing beside it is its own.
                all.push(Submission { name: stem, file: Ok(path.clone()), folder: path.clone() });
            }
        }
    }
    match all.len() {
        0 => Err(Failure::input(format!("{folder} has no programs"), "a source ends in .asm")),
        1..=MOST => Ok(all),
        many => Err(Failure::input(
            format!("{folder} has {many} programs"),
            format!("{MOST} are tried at once at most"),
        )),
    }
}

fn rank(path: &Path) -> Option<usize> {
    let ending = path.extension()?.to_str()?.to_ascii_lowercase();
    ENDINGS.iter().position(|one| *one == ending)
}

/// The one program of a folder: a source before an image; of several sources the one that is called `main`, or as the folder.
fn program_in(folder: &Path) -> Result<PathBuf, String> {
    let entries = std::fs::read_dir(folder).map_err(|error| error.to_string())?;
    let mut found: Vec<(usize, PathBuf)> =
        entries.flatten().filter_map(|entry| Some((rank(&entry.path())?, entry.path()))).collect();
    found.sort();
    let Some(best) = found.first().map(|row| row.0) else {
        return Err("there is no program in its folder".to_string());
    };
    let best: Vec<&PathBuf> = found.iter().filter(|row| row.0 == best).map(|row| &row.1).collect();
    let named = |name: &str| {
        best.iter().find(|path| path.file_stem().is_some_and(|stem| stem.eq_ignore_ascii_case(name)))
    };
    let own = folder.file_name().and_then(|name| name.to_str()).unwrap_or_default();
    match best.as_slice() {
        [one] => Ok((*one).clone()),
        several => named("main").or_else(|| named(own)).map(|path| (*path).clone()).ok_or_else(|| {
            let names: Vec<String> = several
                .iter()
                .filter_map(|path| path.file_name())
                .map(|name| name.to_string_lossy().into_owned())
                .collect();
            format!("several could be meant: {}", names.join(", "))
        }),
    }
}

fn graded(one: &Submission, cases: &Cases, target: &TargetArguments, policy: Option<&Policy>) -> Grade {
    let fault = |file: &str, fault, first: String| Grade::fault(&one.name, file, cases.len(), fault, first);
    let path = match &one.file {
        Ok(path) => path.to_string_lossy().into_owned(),
        Err(problem) => return fault("", Fault::NoProgram, problem.clone()),
    };
    let opened = files::only_below(&one.folder, || open::again(&path, target));
    let session = match opened {
        Ok(session) => session,
        Err(Failure::Places { sources, diagnostics, more, .. }) => {
            let Some(first) = diagnostics.first() else {
                return fault(&path, Fault::Unusable, "it has a mistake without a place".to_string());
            };
            let place = format!("line {}", sources.place(first.span).line);
            let others = diagnostics.len() + more - 1;
            let others = if others > 0 { format!("; {others} more") } else { String::new() };
            return fault(&path, Fault::NotAssembled, format!("{place}: {}{others}", first.message));
        }
        Err(other) => return fault(&path, Fault::Unusable, other.sentence()),
    };
    let played = match cases.play(&session) {
        Ok(played) => played,
        Err(wrong) => return fault(&path, Fault::NotThere, wrong.message.clone()),
    };
    let outcomes = played.into_iter().map(|(mut outcome, mut session)| {
        if let Some(policy) = policy {
            judge(&mut outcome, &mut session, policy);
        }
        outcome
    });
    Grade::of(&one.name, &path, outcomes.collect())
}
