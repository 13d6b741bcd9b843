//! Programs of games, compiled against the very library that these tests were built with: nothing is built a second time for
//! them. Cargo says where that library is.

use std::env;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::OnceLock;

/// Returns the folder of the project.
pub(crate) fn workspace() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

/// Returns the library that the tests were built with, as a file. Cargo has just built it, so it only looks.
fn library() -> &'static Path {
    static FOUND: OnceLock<PathBuf> = OnceLock::new();
    FOUND.get_or_init(|| {
        let output = Command::new(env::var_os("CARGO").unwrap_or("cargo".into()))
            // The same packages as `cargo test`, so that cargo has the same features to build for.
            .args(["test", "--no-run", "--offline", "--message-format=json", "--test", "promises"])
            .current_dir(workspace())
            .output()
            .unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        let said = String::from_utf8(output.stdout).unwrap();
        let artifacts = said.lines().map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap());
        let text = |artifact: &serde_json::Value, at: &str| {
            artifact.pointer(at).and_then(|text| text.as_str().map(str::to_string))
        };
        let library = artifacts.into_iter().find(|artifact| {
            text(artifact, "/target/name").as_deref() == Some("keblin")
                && text(artifact, "/target/kind/0").as_deref() == Some("lib")
        });
        let library = library.unwrap();
        let files = (0..4).filter_map(|at| text(&library, &format!("/filenames/{at}")));
        files.into_iter().find(|file| file.ends_with(".rlib")).map(PathBuf::from).unwrap()
    })
}

/// Compiles the program of a package, as cargo would, from a folder, to which the paths in messages are relative; `how` are
/// further arguments of the compiler.
pub(crate) fn compile(package: &Path, program: &Path, from: &Path, how: &[&str]) -> Output {
    let library = library();
    Command::new(env::var_os("RUSTC").unwrap_or("rustc".into()))
        .args(["--edition=2024", "--crate-name=program", "--color=never"])
        .arg("--extern")
        .arg(format!("keblin={}", library.display()))
        .arg(format!("-Ldependency={}", library.parent().unwrap().display()))
        .args(how)
        .arg(program)
        .current_dir(from)
        .env("CARGO_MANIFEST_DIR", package)
        .output()
        .unwrap()
}
