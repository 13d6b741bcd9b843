//! The command line: commands and their arguments.

use std::path::PathBuf;

use clap::{CommandFactory, Parser, Subcommand};

/// Checks a game's declared progress, and reads, verifies and rehearses its saves.
#[derive(Debug, Parser)]
#[command(
    name = "keblin",
    version,
    max_term_width = 80,
    subcommand_required = true,
    arg_required_else_help = true
)]
pub(crate) struct Args {
    /// The declaration. Default: progress.toml next to or above the files you name, then here or above
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) schema: Option<PathBuf>,

    /// Print JSON instead of text
    #[arg(long, global = true)]
    pub(crate) json: bool,

    #[command(subcommand)]
    pub(crate) command: Command,
}

/// The commands by what people do. Every command is in one group; a test checks that.
const GROUPS: [(&str, &[&str]); 4] = [
    ("Declare", &["new", "check", "survival", "levels", "why", "schema"]),
    ("Look at saves", &["show", "compare", "verify", "report", "export", "salvage", "reconcile"]),
    ("Versions", &["freeze", "migrate"]),
    ("Test", &["rehearse", "explore", "set", "import", "demo"]),
];

/// How the help begins, before the commands.
const HELP: &str = "{about}\n\n{usage-heading} {usage}\n\n{before-help}Options:\n{options}";

impl Args {
    /// Returns the command line, with the commands in groups in its help.
    pub(crate) fn grouped() -> clap::Command {
        let command = Args::command();
        let mut help = String::new();
        for (heading, names) in GROUPS {
            help += &format!("{heading}:\n");
            for name in names {
                let about = command.find_subcommand(name).and_then(clap::Command::get_about);
                help += &format!("  {name:<10} {}\n", about.map(ToString::to_string).unwrap_or_default());
            }
            help.push('\n');
        }
        command.help_template(HELP).before_help(help.trim_end().to_string())
    }
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Write the first files of a game: declaration, rehearsal, and a program
    ///
    /// Nothing that is there is overwritten.
    New {
        /// The game's folder, which may be there already
        folder: PathBuf,
    },
    /// Check the declaration, and report everything found with its place
    Check {
        /// Also report what differs from an earlier declaration
        #[arg(long, value_name = "FILE")]
        before: Option<PathBuf>,
    },
    /// Print which event does what to which field
    Survival {
        /// Also try every cell on a keeper with files in memory
        #[arg(long)]
        proof: bool,
    },
    /// Print the levels with their chapters, stars, constants and rules
    Levels,
    /// Print the contents of a save
    Show {
        /// The save
        file: PathBuf,
        /// Show an earlier save in the file, by its number
        #[arg(long, value_name = "N")]
        state: Option<u64>,
        /// Print it again each time the file changes, until the command is stopped
        #[arg(long, conflicts_with = "state")]
        watch: bool,
    },
    /// Print what differs between two saves
    Compare {
        /// Two saves, or one with --state
        #[arg(required = true, num_args = 1..=2)]
        files: Vec<PathBuf>,
        /// Use the save of this number in the first file; a second --state is for the second file
        #[arg(long = "state", value_name = "N")]
        states: Vec<u64>,
    },
    /// Make one save of two that have diverged, with an account of it
    Reconcile {
        /// The first save; it is only read
        ours: PathBuf,
        /// The second save; it is only read
        theirs: PathBuf,
        /// The new file
        #[arg(long, value_name = "FILE")]
        to: PathBuf,
    },
    /// Change values of a save, to make one for a test
    ///
    /// The old file is kept in `aside`, and the new one is marked as made by a tool.
    Set {
        /// The save
        file: PathBuf,
        /// Values with names as in rules: oil=30, levels.brook.stars=2, furthest=brook
        #[arg(required = true, value_name = "NAME=VALUE")]
        values: Vec<String>,
        /// The game's key for seals, as a file of its bytes
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
    },
    /// Check that saves are intact, and that their values fit together
    Verify {
        /// Saves, or folders of saves
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// The game's key for seals, as a file of its bytes
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
        /// While you develop: set saves aside that another declaration of the
        /// same version has written
        #[arg(long)]
        set_aside: bool,
    },
    /// Write one HTML page about the declaration, a save, or many saves
    ///
    /// The page needs no network. A report that is there is made again; no
    /// other file is overwritten.
    Report {
        /// One save; or several, or folders of saves, for figures of all of
        /// them. Default: the declaration alone
        saves: Vec<PathBuf>,
        /// The page
        #[arg(long, value_name = "FILE", default_value = "report.html")]
        to: PathBuf,
        /// Also write the figures of many saves to this file, as a table
        #[arg(long, value_name = "FILE")]
        csv: Option<PathBuf>,
        /// The game's key for seals, as a file of its bytes
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
    },
    /// Print a save as JSON, without loss
    Export {
        /// The save
        file: PathBuf,
        /// Export an earlier save in the file, by its number
        #[arg(long, value_name = "N")]
        state: Option<u64>,
        /// Write it to this new file instead
        #[arg(long, value_name = "FILE")]
        to: Option<PathBuf>,
    },
    /// Make a save from exported JSON
    Import {
        /// The JSON
        file: PathBuf,
        /// The new save, marked as made by a tool
        #[arg(long, value_name = "FILE")]
        to: PathBuf,
    },
    /// Print the JSON Schema of the game's saves
    Schema {
        /// As JSON Schema, draft 2020-12
        #[arg(long, required = true)]
        json_schema: bool,
    },
    /// Freeze this version's shape so that its saves stay loadable
    Freeze,
    /// Show what saves of earlier versions become; --write migrates them
    Migrate {
        /// Saves, or folders of saves
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// Write the migrated saves; the originals are kept in `aside`
        #[arg(long)]
        write: bool,
        /// The game's key for seals, as a file of its bytes
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
    },
    /// Recover the intact sections of a save without an intact state
    Salvage {
        /// The damaged save; it is only read
        file: PathBuf,
        /// The new file for the recovered save
        #[arg(long, value_name = "FILE")]
        to: PathBuf,
    },
    /// Explain why something is locked, or what a finding code means
    Why {
        /// A level, an unlock, or a finding code such as never_opens
        what: String,
        /// The difficulty (default: the one last chosen)
        #[arg(long, value_name = "DIFFICULTY")]
        on: Option<String>,
        /// Evaluate against this save (default: a fresh profile)
        #[arg(long, value_name = "FILE")]
        save: Option<PathBuf>,
    },
    /// Run rehearsals, each on an in-memory slot of its own
    Rehearse {
        /// Rehearsals, or folders of them (default: `rehearsals` next to the declaration)
        files: Vec<PathBuf>,
        /// Print every step and what it changed
        #[arg(long)]
        steps: bool,
    },
    /// Play all sequences of events that matter, and show the shortest that loses something
    ///
    /// What a player can do is in `moves.txt` next to the declaration, if it is there.
    Explore {
        /// A rehearsal or a save to start from (default: the first launch)
        #[arg(long, value_name = "FILE")]
        from: Option<PathBuf>,
        /// What a player can do (default: `moves.txt` next to the declaration)
        #[arg(long, value_name = "FILE")]
        moves: Option<PathBuf>,
        /// The most states of each question (default: 100000)
        #[arg(long, value_name = "N")]
        states: Option<usize>,
        /// The most steps of a way (default: 60)
        #[arg(long, value_name = "N")]
        steps: Option<usize>,
        /// Stop after this time; the result then depends on the machine
        #[arg(long, value_name = "N")]
        seconds: Option<u64>,
        /// Also try what the steps make of saves of earlier versions
        #[arg(long)]
        versions: bool,
        /// Print what was reached, and what was not
        #[arg(long)]
        coverage: bool,
        /// What is known: lines of `CODE WHAT: REASON`
        #[arg(long, value_name = "FILE")]
        accept: Option<PathBuf>,
        /// Write a rehearsal for each promise that is not kept into this folder
        #[arg(long, value_name = "FOLDER")]
        to: Option<PathBuf>,
    },
    /// Play a made-up game in a temporary folder, and explain each step
    Demo,
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    use super::{Args, GROUPS};

    #[test]
    fn every_command_is_in_one_group() {
        let grouped: Vec<&str> = GROUPS.iter().flat_map(|(_, names)| names.iter().copied()).collect();
        for command in Args::command().get_subcommands() {
            let times = grouped.iter().filter(|name| **name == command.get_name()).count();
            assert_eq!(times, 1, "{}", command.get_name());
        }
    }
}
