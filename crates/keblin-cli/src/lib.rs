//! The command-line tool of Keblin, as a library: arguments in, text or JSON and an exit code out. Only this crate
//! prints, reads arguments or looks at the terminal.

/// Commands and their arguments.
mod args;

/// Files named on the command line.
mod files;

/// One file per command.
mod cmd;

/// The page of `keblin report`.
#[cfg(feature = "report")]
mod report;

/// How output looks.
mod out;

use std::ffi::OsString;
use std::io::{self, Write};

use clap::FromArgMatches;

pub use out::Look;

use args::{Args, Command};
use out::Console;

/// Everything was fine.
pub const EXIT_FINE: u8 = 0;

/// Something was found.
pub const EXIT_FINDINGS: u8 = 1;

/// The command could not do its work.
pub const EXIT_NOT_DONE: u8 = 2;

/// The result of a command.
enum Outcome {
    Fine,
    Findings,
}

/// Why a command could not do its work.
enum Trouble {
    /// In words for a person.
    Told(String),
    /// The output failed.
    Output(io::Error),
}

impl Trouble {
    /// Its words.
    fn into_text(self) -> String {
        match self {
            Trouble::Told(text) => text,
            Trouble::Output(error) => error.to_string(),
        }
    }

    /// Keeps the result for one of many files; trouble is noted, and the others continue.
    fn put_by<T>(done: Result<T, Trouble>, troubles: &mut Vec<Trouble>) -> Option<T> {
        done.map_err(|trouble| troubles.push(trouble)).ok()
    }

    /// Reports what failed for some of many files, after the others are done.
    fn of_some(troubles: Vec<Trouble>) -> Result<(), Trouble> {
        let told: Vec<String> = troubles
            .into_iter()
            .filter_map(|trouble| if let Trouble::Told(text) = trouble { Some(text) } else { None })
            .collect();
        if told.is_empty() { Ok(()) } else { Err(Trouble::Told(told.join("\nkeblin: "))) }
    }
}

impl From<io::Error> for Trouble {
    fn from(error: io::Error) -> Trouble {
        Trouble::Output(error)
    }
}

/// Runs the tool: output goes to `out`, errors to `err`, and the exit code is returned.
pub fn run(
    args: impl IntoIterator<Item = OsString>,
    out: &mut dyn Write,
    err: &mut dyn Write,
    look: Look,
) -> u8 {
    let args = Args::grouped().try_get_matches_from(args).and_then(|found| Args::from_arg_matches(&found));
    let args = match args {
        Ok(args) => args,
        Err(error) => {
            let plain = error.render().to_string();
            // The arguments may hold anything, so they are printed without colours.
            let is_plain = plain == out::screened(&plain);
            let text = match look.color && is_plain {
                true => error.render().ansi().to_string(),
                false => out::screened(&plain),
            };
            let to: &mut dyn Write = if error.use_stderr() { err } else { out };
            // If the output is closed, nobody can read a message.
            let _ = write!(to, "{text}");
            return if error.use_stderr() { EXIT_NOT_DONE } else { EXIT_FINE };
        }
    };
    let mut console = Console::new(out, look, args.json);
    let outcome = match &args.command {
        Command::New { folder } => cmd::new::run(&mut console, &args, folder),
        Command::Check { before } => cmd::check::run(&mut console, &args, before.as_deref()),
        Command::Survival { proof } => cmd::survival::run(&mut console, &args, *proof),
        Command::Levels => cmd::levels::run(&mut console, &args),
        Command::Show { file, watch: true, .. } => cmd::show::watch(&mut console, &args, file),
        Command::Show { file, state, .. } => cmd::show::run(&mut console, &args, file, *state),
        Command::Compare { files, states } => cmd::compare::run(&mut console, &args, files, states),
        Command::Reconcile { ours, theirs, to } => {
            let asked = cmd::reconcile::Asked { ours, theirs, to };
            cmd::reconcile::run(&mut console, &args, &asked)
        }
        Command::Export { file, state, to } => {
            cmd::exchange::run_export(&mut console, &args, file, *state, to.as_deref())
        }
        Command::Import { file, to } => cmd::exchange::run_import(&mut console, &args, file, to),
        Command::Schema { .. } => cmd::exchange::run_schema(&mut console, &args),
        Command::Set { file, values, key } => {
            cmd::set::run(&mut console, &args, file, values, key.as_deref())
        }
        Command::Verify { files, key, set_aside } => {
            cmd::verify::run(&mut console, &args, files, (key.as_deref(), *set_aside))
        }
        #[cfg(feature = "report")]
        Command::Report { saves, to, csv, key } => {
            let asked = cmd::report::Asked { saves, to, csv: csv.as_deref(), key: key.as_deref() };
            cmd::report::run(&mut console, &args, &asked)
        }
        #[cfg(not(feature = "report"))]
        Command::Report { .. } => {
            let why = "this build of the tool cannot make reports: build it with its default features";
            Err(Trouble::Told(why.to_string()))
        }
        Command::Freeze => cmd::freeze::run(&mut console, &args),
        Command::Migrate { files, write, key } => {
            cmd::migrate::run(&mut console, &args, files, *write, key.as_deref())
        }
        Command::Salvage { file, to } => cmd::salvage::run(&mut console, &args, file, to),
        Command::Why { what, on, save } => {
            cmd::why::run(&mut console, &args, what, on.as_deref(), save.as_deref())
        }
        Command::Rehearse { files, steps } => cmd::rehearse::run(&mut console, &args, files, *steps),
        Command::Explore { from, moves, states, steps, seconds, versions, coverage, accept, to } => {
            let asked = cmd::explore::Asked {
                from: from.as_deref(),
                moves: moves.as_deref(),
                states: *states,
                steps: *steps,
                seconds: *seconds,
                versions: *versions,
                coverage: *coverage,
                accept: accept.as_deref(),
                to: to.as_deref(),
            };
            cmd::explore::run(&mut console, &args, &asked)
        }
        Command::Demo => cmd::demo::run(&mut console),
    };
    let outcome = outcome.and_then(|outcome| Ok(console.flush().map(|()| outcome)?));
    match outcome {
        Ok(Outcome::Fine) => EXIT_FINE,
        Ok(Outcome::Findings) => EXIT_FINDINGS,
        Err(Trouble::Told(what)) => {
            let what = out::screened(&format!("keblin: {what}"));
            let _ = writeln!(err, "{}", out::wrapped(&what, look.width, ""));
            EXIT_NOT_DONE
        }
        // A closed pipe has read all it wanted.
        Err(Trouble::Output(error)) if error.kind() == io::ErrorKind::BrokenPipe => EXIT_NOT_DONE,
        Err(Trouble::Output(error)) => {
            let _ = writeln!(err, "keblin: the output could not be written: {error}");
            EXIT_NOT_DONE
        }
    }
}
