//! The command-line tool: passes the arguments and the terminal to [`keblin_cli::run`], and returns its exit code.

#![expect(
    clippy::disallowed_methods,
    reason = "this is the command line: arguments and environment come in here"
)]

use std::io::{IsTerminal, stderr, stdout};
use std::process::ExitCode;

use keblin_cli::{Look, run};

fn main() -> ExitCode {
    // Lines much longer than a hundred columns are hard to read on any terminal.
    let width = terminal_size::terminal_size().map_or(80, |(width, _)| usize::from(width.0)).min(100);
    let is_set = |name| std::env::var_os(name).is_some_and(|value| !value.is_empty());
    let color = !is_set("NO_COLOR") && (stdout().is_terminal() || is_set("CLICOLOR_FORCE"));
    let look = Look { width, color, watched: stderr().is_terminal() };
    // Standard error is not locked: the progress bar draws there from other threads.
    let code = run(std::env::args_os(), &mut stdout().lock(), &mut stderr(), look);
    ExitCode::from(code)
}
