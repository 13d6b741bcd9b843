//! The command line: commands and their arguments.

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
    /// The declaration. Default: progress.toml next to or above the files you name, then here or above
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
    /// Check the declaration, and report everything found with its place
    Check {
        /// Also report what differs from an earlier declaration
        #[arg(long, value_name = "FILE")]
        before: Option<PathBuf>,
    },
    /// Print which event does what to which field
    Survival,
    /// Print the contents of a save
    Show {
        /// The save
        file: PathBuf,
    },
    /// Verify saves: every digest, every type, and whether the values fit together
    Verify {
        /// Saves, or folders of saves
        #[arg(required = true)]
        files: Vec<PathBuf>,
        /// The game's key for seals, as a file of its bytes
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
    },
    /// Freeze this version's shape so that its saves stay loadable
    Freeze,
    /// Show what saves of earlier versions become, and migrate them with --write
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
    /// Explain why a level or an unlock is locked, or what a finding code means
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
    /// Play a made-up game in a temporary folder, and explain each step
    Demo,
}
