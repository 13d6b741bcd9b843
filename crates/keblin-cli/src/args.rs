//! What can be asked on the command line.

use std::path::PathBuf;

use clap::{Parser, Subcommand};

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
    /// The declaration; else progress.toml beside or above the file named, else here or above
    #[arg(long, global = true, value_name = "FILE")]
    pub(crate) schema: Option<PathBuf>,

    /// Print JSON instead of text
    #[arg(long, global = true)]
    pub(crate) json: bool,

    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Check the declaration: everything found, each with its place
    Check {
        /// Also say what is different from an earlier declaration
        #[arg(long, value_name = "FILE")]
        before: Option<PathBuf>,
    },
    /// Print which event does what to which field
    Survival,
    /// Print what a save holds
    Show {
        /// The save
        file: PathBuf,
    },
    /// Verify saves: every digest, every kind, and how the values fit
    Verify {
        /// The saves, or folders of them
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// The game's key for seals: its bytes, in a file
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
    },
    /// Keep the shape of this version, so that its saves can be opened for good
    Freeze,
    /// Bring saves of earlier versions to this one: say what becomes of each value
    Migrate {
        /// The saves, or folders of them
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// Do it: the earlier saves are kept in `aside`, beside the new ones
        #[arg(long)]
        write: bool,
        /// The game's key for seals: its bytes, in a file
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
    },
    /// Take what is whole out of a save of which no state is
    Salvage {
        /// The damaged save, which is left as it is
        file: PathBuf,
        /// Where to write what was found, as a save
        #[arg(long, value_name = "FILE")]
        to: PathBuf,
    },
    /// Say why a level or an unlock is locked, or what a finding's code means
    Why {
        /// A level, an unlock, or a code such as never_opens
        what: String,
        /// On this difficulty; else the one last chosen
        #[arg(long, value_name = "DIFFICULTY")]
        on: Option<String>,
        /// In this save; else as on the first launch
        #[arg(long, value_name = "FILE")]
        save: Option<PathBuf>,
    },
    /// Run rehearsals, each on a slot of its own in memory
    Rehearse {
        /// The rehearsals, or folders of them; else those in `rehearsals` beside the declaration
        files: Vec<PathBuf>,
        /// Print every step and what it changed
        #[arg(long)]
        steps: bool,
    },
    /// Play a made-up game in a temporary folder, saying what each step shows
    Demo,
}
