//! Many saves: where players stop, stars and deaths, best values, versions and findings in use.

use keblin::Schema;
use maud::{Markup, html};

use super::figures::{AGES_DAYS, Figures, OfLevel, OfRecord};
use super::spread::Spread;
use super::words::{Section, safe, table};

/// How many bars a drawing of a spread has.
const BARS: u32 = 24;

/// The size of a bar in such a drawing, in pixels.
const BAR: [u64; 2] = [6, 28];

pub(super) fn sections(schema: &Schema, figures: &Figures) -> Vec<Section> {
    let mut all = vec![Section::new("saves", "The saves", saves(figures))];
    if !schema.levels.is_empty() {
        all.push(Section::new("stops", "Where players stop", stops(schema, figures)));
    }
    if !schema.unlocks.is_empty() {
        all.push(Section::new("have", "What players unlocked", unlocked(schema, figures)));
    }
    if !figures.records.is_empty() {
        all.push(Section::new("best", "Best values", best(figures)));
    }
    all
}

/// `12.3 %`, or nothing of nothing.
fn percent(count: usize, of: usize) -> String {
    if of == 0 { "–".to_string() } else { format!("{:.1}\u{a0}%", share(count, of)) }
}

#[expect(clippy::cast_precision_loss, reason = "a share of saves need not be exact")]
fn share(count: usize, of: usize) -> f64 {
    if of == 0 { 0.0 } else { 100.0 * count as f64 / of as f64 }
}

/// A share as a bar, with its number after it.
fn bar(count: usize, of: usize) -> Markup {
    html! {
        td.bars {
            span.bar style={ "width:" (format!("{:.1}", 0.5 * share(count, of))) "%" } {}
            " " (count) " " span.about { "(" (percent(count, of)) ")" }
        }
    }
}

fn counts(caption: &str, what: &str, counts: &[(String, usize)], of: usize) -> Markup {
    let rows = html! {
        tbody { @for (name, count) in counts { tr { th scope="row" { (name) } (bar(*count, of)) } } }
    };
    table(caption, &[what, "saves"], &rows)
}

fn saves(figures: &Figures) -> Markup {
    let Figures { saves, unopened, versions, findings, ages, played, .. } = figures;
    let failed: usize = unopened.values().sum();
    let of_ages = AGES_DAYS.iter().map(|days| match days {
        1 => "less than a day".to_string(),
        days => format!("less than {days} days"),
    });
    let ages: Vec<_> = of_ages.chain(["older".to_string()]).zip(ages.iter().copied()).collect();
    let versions: Vec<_> =
        versions.iter().map(|(version, count)| (format!("version {version}"), *count)).collect();
    let coded = |codes: &std::collections::BTreeMap<&str, usize>| {
        codes.iter().map(|(code, count)| ((*code).to_string(), *count)).collect::<Vec<_>>()
    };
    html! {
        dl.facts {
            div { dt { "opened" } dd { (saves) " of " (saves + failed) } }
            @if let Some(known) = played.known() {
                div { dt { "time in play, median" } dd { (played.unit.text(known.median)) } }
            }
        }
        h3 { "Versions" } (counts("Versions in use", "written with", &versions, *saves))
        h3 { "How old they are" } (counts("How old the saves are", "last saved", &ages, *saves))
        h3 { "What verifying found" }
        @if findings.is_empty() && unopened.is_empty() { p.good { "✓ Nothing." } }
        @if !findings.is_empty() { (counts("Findings in saves", "code", &coded(findings), *saves)) }
        @if !unopened.is_empty() {
            p { "Saves that could not be opened:" }
            (counts("Saves that could not be opened", "code", &coded(unopened), saves + failed))
        }
    }
}

fn stops(schema: &Schema, figures: &Figures) -> Markup {
    html! {
        @for (list, levels) in figures.levels.iter().enumerate() {
            @if figures.levels.len() > 1 {
                h3 { (schema.difficulties.get(list).map_or(String::new(), |name| name.to_string())) }
            }
            (funnel(schema, levels, figures.saves))
        }
        p.about {
            "Reached: entered at least once. Stopped: the furthest level that was reached, and not finished. "
            "Tries and deaths: the average of the saves that reached it. Stars: how many of those that finished it have as many."
        }
    }
}

fn funnel(schema: &Schema, levels: &[OfLevel], saves: usize) -> Markup {
    let most = schema.levels.iter().map(|level| level.stars).max().unwrap_or(0);
    let stars: Vec<String> = (0..=most).filter(|_| most > 0).map(|stars| format!("{stars}\u{a0}★")).collect();
    let rows = html! {
        tbody {
            @for (level, of) in schema.levels.iter().zip(levels) {
                tr {
                    th scope="row" { (safe(&level.title)) }
                    (bar(of.reached, saves))
                    td.number { (of.finished) " " span.about { "(" (percent(of.finished, of.reached)) ")" } }
                    td.number { (of.stopped) }
                    td.number { (average(of.attempts, of.reached)) }
                    td.number { (average(of.deaths, of.reached)) }
                    @for place in 0..stars.len() {
                        td.number { @if level.stars > 0 { @if let Some(count) = of.stars.get(place) { (count) } } }
                    }
                }
            }
        }
    };
    let heads = ["level", "reached", "finished", "stopped", "tries", "deaths"].into_iter();
    let heads: Vec<&str> = heads.chain(stars.iter().map(String::as_str)).collect();
    table("Where players stop", &heads, &rows)
}

#[expect(clippy::cast_precision_loss, reason = "an average need not be exact")]
fn average(sum: u64, of: usize) -> String {
    if of == 0 { "–".to_string() } else { format!("{:.1}", sum as f64 / of as f64) }
}

fn unlocked(schema: &Schema, figures: &Figures) -> Markup {
    let names = schema.unlocks.iter().map(|unlock| safe(&unlock.title));
    let have: Vec<_> = names.zip(figures.unlocks.iter().copied()).collect();
    counts("What players unlocked", "unlock", &have, figures.saves)
}

fn best(figures: &Figures) -> Markup {
    let rows = html! {
        tbody {
            @for OfRecord { name, spread, .. } in &figures.records {
                @if let Some(known) = spread.known() {
                    tr {
                        th scope="row" { (safe(name)) }
                        td.number { (known.count) }
                        @for number in [known.least, known.low, known.median, known.high, known.most] {
                            td.number { (spread.unit.text(number)) }
                        }
                        td { (drawn(spread, name)) }
                    }
                }
            }
        }
    };
    let heads = ["record", "saves", "least", "10 %", "half", "90 %", "most", "from the least to the most"];
    html! {
        (table("Best values", &heads, &rows))
        p.about { "10 %: a tenth of the saves has less. The numbers in the middle are exact to two digits." }
    }
}

/// A spread as bars.
fn drawn(spread: &Spread, name: &str) -> Markup {
    let counts = spread.parts(BARS);
    let most = counts.iter().copied().max().unwrap_or(0).max(1);
    let [width, height] = BAR;
    let bars = counts.iter().zip(0_u64..).filter(|(count, _)| **count > 0);
    html! {
        svg.spread role="img" width=(width * u64::from(BARS)) height=(height) aria-label={ "How " (safe(name)) " is spread" } {
            @for (count, index) in bars {
                @let tall = (count * height / most).max(1);
                rect x=(index * width) y=(height - tall) width=(width - 1) height=(tall) {}
            }
        }
    }
}
