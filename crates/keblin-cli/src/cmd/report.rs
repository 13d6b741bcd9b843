//! `keblin report`: writes one HTML page about the declaration, a save, or many saves. Many saves are added up on all
//! cores.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use keblin::save::{SaveFile, SealKey};
use keblin::verify::verify_sealed;
use keblin::{Findings, Parsed, Schema};
use rayon::prelude::*;
use serde_json::json;

use super::verify::progress_bar;
use crate::args::Args;
use crate::out::writers::Written;
use crate::out::{Console, counted, shown, when};
use crate::report::{About, CSV_HEAD, Declared, Figures, MARK, Player, as_csv, as_json, page};
use crate::{Outcome, Trouble, files};

/// How many files one core adds up before its figures join the others.
const AT_ONCE: usize = 256;

/// What the command was asked to do.
pub(crate) struct Asked<'a> {
    pub(crate) saves: &'a [PathBuf],
    pub(crate) to: &'a Path,
    pub(crate) csv: Option<&'a Path>,
    pub(crate) key: Option<&'a Path>,
}

pub(crate) fn run(console: &mut Console<'_>, args: &Args, asked: &Asked<'_>) -> Result<Outcome, Trouble> {
    let named: Vec<&Path> = asked.saves.iter().map(PathBuf::as_path).collect();
    let path = files::schema_path(args, &named)?;
    let is_one = matches!(named.as_slice(), [] | [_]) && !named.iter().any(|file| file.is_dir());
    if let Some(csv) = asked.csv.filter(|_| is_one) {
        let why = "the figures are those of many saves; name several, or a folder of them";
        return Err(Trouble::Told(format!("{}: {why}", shown(csv))));
    }
    let (all, key) = (files::with_past(&path)?, asked.key.map(files::key).transpose()?);
    let Parsed { schema, findings, of_past, .. } = Schema::parse_with_past(&all).map_err(|findings| {
        let count = counted(findings.list().len(), "finding");
        Trouble::Told(format!("{}: {count}; see `keblin check`", shown(&path)))
    })?;
    let schema = Arc::new(schema);
    let mut troubles = Vec::new();
    let about = match named.as_slice() {
        [] => About::Declaration,
        [file] if is_one => About::Player(Box::new(player(file, &schema, key.as_ref())?)),
        _ => {
            let saves = files::saves_of_players(asked.saves, &mut troubles);
            let figures = figures(console, &saves, &schema, key.as_ref(), &mut troubles);
            About::Players(Box::new(figures))
        }
    };
    let findings: Vec<&Findings> = [&findings].into_iter().chain(&of_past).collect();
    let declared = Declared { schema: &schema, files: &all, findings };
    let page = page(&declared, &about, &when(files::now_unix_ms()));
    files::renew(asked.to, page.as_bytes(), MARK)?;
    if let (Some(csv), About::Players(figures)) = (asked.csv, &about) {
        let table = as_csv(&schema, figures).map_err(|error| Trouble::Told(error.to_string()))?;
        files::renew(csv, &table, CSV_HEAD)?;
    }
    if console.json {
        let figures =
            if let About::Players(figures) = &about { as_json(&schema, figures) } else { json!(null) };
        console.json_object(&json!({
            "game": schema.game.as_str(),
            "version": schema.version,
            "page": asked.to.display().to_string(),
            "len_bytes": page.len(),
            "figures": figures,
        }))?;
    } else {
        let what = match &about {
            About::Declaration => "the declaration".to_string(),
            About::Player(player) => format!("the declaration and {}", player.file),
            About::Players(figures) => format!("the declaration and {}", counted(figures.saves, "save")),
        };
        console.paragraph(&format!("{}: {} bytes, about {what}", shown(asked.to), page.len()), "    ")?;
    }
    Trouble::of_some(troubles)?;
    Ok(Outcome::Fine)
}

/// Opens one save.
fn player(file: &Path, schema: &Arc<Schema>, key: Option<&SealKey>) -> Result<Player, Trouble> {
    let bytes = files::save(file)?;
    let save = verify_sealed(&bytes, schema, key)
        .map_err(|error| Trouble::Told(format!("{}: {error}", shown(file))))?;
    let (head, findings) = (save.head().clone(), save.findings().to_vec());
    let written = Written::of(save.snapshot(), file);
    Ok(Player { file: shown(file), progress: save.into_progress(), head, findings, written })
}

/// Adds up many saves. Settings of devices are left out: they have no progress.
fn figures(
    console: &Console<'_>,
    saves: &[PathBuf],
    schema: &Arc<Schema>,
    key: Option<&SealKey>,
    troubles: &mut Vec<Trouble>,
) -> Figures {
    let bar = progress_bar(console, saves.len());
    let now = files::now_unix_ms();
    let of_some = |some: &[PathBuf]| {
        let (mut figures, mut troubles) = (Figures::new(schema), Vec::new());
        for path in some {
            if let Some(bytes) = Trouble::put_by(files::save(path), &mut troubles) {
                add(&mut figures, &bytes, schema, key, now);
            }
            bar.inc(1);
        }
        (figures, troubles)
    };
    let added = saves.par_chunks(AT_ONCE).map(of_some).reduce(
        || (Figures::new(schema), Vec::new()),
        |(mut all, mut troubles), (figures, more)| {
            all.merge(figures);
            troubles.extend(more);
            (all, troubles)
        },
    );
    bar.finish_and_clear();
    troubles.extend(added.1);
    added.0
}

fn add(figures: &mut Figures, bytes: &[u8], schema: &Arc<Schema>, key: Option<&SealKey>, now_unix_ms: u64) {
    let save = match verify_sealed(bytes, schema, key) {
        Ok(save) => save,
        Err(_) if keblin::save::read(bytes).is_ok_and(|read: SaveFile<'_>| read.is_device()) => return,
        Err(error) => {
            *figures.unopened.entry(error.fault.code().as_str()).or_default() += 1;
            return;
        }
    };
    let codes: BTreeSet<&'static str> = save.findings().iter().map(|finding| finding.code.as_str()).collect();
    codes.into_iter().for_each(|code| *figures.findings.entry(code).or_default() += 1);
    let head = save.head().clone();
    figures.add(&save.into_progress(), &head, now_unix_ms);
}
