//! The hand tool of Keblin, as a library: arguments in, text or JSON and an exit code out. The only place of the
//! project that prints, reads arguments or looks at the terminal.

/// What can be asked on the command line.
mod args;

/// Files named on the command line.
mod files;

/// One file a command.
mod cmd;

/// How things look.
mod out;

use std::ffi::OsString;
use std::io::{self, Write};

use clap::Parser;

pub use out::Look;

use args::{Args, Command};
use out::Console;

/// Everything was fine.
pub const EXIT_FINE: u8 = 0;

/// Something was found.
pub const EXIT_FINDINGS: u8 = 1;

/// It could not be done.
pub const EXIT_NOT_DONE: u8 = 2;

/// What a command came to.
enum Outcome {
    Fine,
    Findings,
}

/// Why a command could not be done.
enum Trouble {
    /// In words for a person.
    Told(String),
    /// The output failed.
    Output(io::Error),
}

impl Trouble {
    /// What was done for one of many files; trouble is put by, and the others go on.
    fn put_by<T>(done: Result<T, Trouble>, troubles: &mut Vec<Trouble>) -> Option<T> {
        done.map_err(|trouble| troubles.push(trouble)).ok()
    }

    /// What some of many files could not be done for, once all others were.
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

/// Runs the tool: output to `out`, what went wrong to `err`, and the exit code back.
pub fn run(
    args: impl IntoIterator<Item = OsString>,
    out: &mut dyn Write,
    err: &mut dyn Write,
    look: Look,
) -> u8 {
    let args = match Args::try_parse_from(args) {
        Ok(args) => args,
        Err(error) => {
            let plain = error.render().to_string();
            // What was typed may hold anything; our own colours are left out then.
            let is_plain = plain == out::screened(&plain);
            let text = match look.color && is_plain {
                true => error.render().ansi().to_string(),
                false => out::screened(&plain),
            };
            let to: &mut dyn Write = if error.use_stderr() { err } else { out };
            // A closed output leaves nothing to tell and nobody to tell it to.
            let _ = write!(to, "{text}");
            return if error.use_stderr() { EXIT_NOT_DONE } else { EXIT_FINE };
        }
    };
    let mut console = Console::new(out, look, args.json);
    let outcome = match &args.command {
        Command::Check { before } => cmd::check::run(&mut console, &args, before.as_deref()),
        Command::Survival => cmd::survival::run(&mut console, &args),
        Command::Show { file } => cmd::show::run(&mut console, &args, file),
        Command::Verify { files, key } => cmd::verify::run(&mut console, &args, files, key.as_deref()),
        Command::Freeze => cmd::freeze::run(&mut console, &args),
        Command::Migrate { files, write, key } => {
            cmd::migrate::run(&mut console, &args, files, *write, key.as_deref())
        }
        Command::Salvage { file, to } => cmd::salvage::run(&mut console, &args, file, to),
        Command::Why { what, on, save } => {
            cmd::why::run(&mut console, &args, what, on.as_deref(), save.as_deref())
        }
        Command::Rehearse { files, steps } => cmd::rehearse::run(&mut console, &args, files, *steps),
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
        // A pipe that was closed has read all it wanted.
        Err(Trouble::Output(error)) if error.kind() == io::ErrorKind::BrokenPipe => EXIT_NOT_DONE,
        Err(Trouble::Output(error)) => {
            let _ = writeln!(err, "keblin: the output could not be written: {error}");
            EXIT_NOT_DONE
        }
    }
}
