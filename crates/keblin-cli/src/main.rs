//! The hand tool: hands the arguments, the terminal and the exit code to [`keblin_cli::run`].

#![expect(
    clippy::disallowed_methods,
    reason = "this is the command line: arguments and environment come in here"
)]

use std::io::{IsTerminal, stderr, stdout};
use std::process::ExitCode;

use keblin_cli::{Look, run};

fn main() -> ExitCode {
    let width = terminal_size::terminal_size().map_or(80, |(width, _)| usize::from(width.0));
    let color = stdout().is_terminal() && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty());
    let code = run(std::env::args_os(), &mut stdout().lock(), &mut stderr().lock(), Look { width, color });
    ExitCode::from(code)
}
