//! What a declaration means by default.

use keblin_schema::Value;
use keblin_schema::model::{AfterLast, OnDeath, OnReset, OnRetry, Resume, Scope};
use keblin_schema::survival::{Fate, Row, fate, is_override};

#[test]
fn the_smallest_declaration_is_four_lines() {
    let text = "game = 'otter'\nversion = 1\n[fields]\ncoppers = { type = 'int', scope = 'profile' }\n";
    let parsed = keblin_schema::parse("progress.toml", text).unwrap();
    assert!(parsed.findings.list().is_empty());
    let schema = parsed.declaration;
    assert_eq!(schema.fields[0].default, Value::Int(0));
    assert_eq!((schema.resume, schema.after_last), (Resume::Checkpoint, AfterLast::Map));
    assert!(schema.lives.is_none() && schema.levels.is_empty() && schema.difficulties.is_empty());
}

#[test]
fn every_field_has_exactly_one_default_and_records_start_unset() {
    let text = r#"
        game = "otter"
        version = 1
        [fields]
        said = { type = "int", scope = "profile", default = 7 }
        number = { type = "int", scope = "profile" }
        flag = { type = "bool", scope = "profile", keep = "once" }
        clock = { type = "time", scope = "profile" }
        word = { type = "text", scope = "profile", max_len = 8 }
        best = { type = "int", scope = "profile", keep = "highest", min = 0 }
        fastest = { type = "time", scope = "profile", keep = "lowest", min = "1ms" }
    "#;
    let schema = keblin_schema::parse("progress.toml", text).unwrap().declaration;
    let defaults: Vec<String> = schema.fields.iter().map(|field| field.default.to_string()).collect();
    assert_eq!(defaults, ["7", "0", "false", "0s", "\"\"", "unset", "unset"]);
}

#[test]
fn a_field_that_says_nothing_lives_as_its_scope_does() {
    let text = "game = 'otter'\nversion = 1\n[fields]\na = { type = 'int', scope = 'level' }\n\
                b = { type = 'int', scope = 'run' }\nc = { type = 'int', scope = 'profile' }\n[[levels]]\nid = 'x'\n";
    let schema = keblin_schema::parse("progress.toml", text).unwrap().declaration;
    let words = |scope| schema.fields.iter().find(|field| field.scope == scope).unwrap().survival;
    let (level, run) = (words(Scope::Level), words(Scope::Run));
    assert_eq!((level.on_death, level.on_retry), (OnDeath::Stays, OnRetry::Entry));
    assert_eq!((level.on_level, level.on_new_run), (OnReset::Default, OnReset::Default));
    assert_eq!((run.on_level, run.on_new_run), (OnReset::Stays, OnReset::Default));
    for field in &schema.fields {
        for &moment in Row::ALL {
            assert!(!is_override(&schema, field, moment), "{} {moment:?}", field.name);
            if field.scope == Scope::Profile {
                let fate_then = if moment == Row::Erase { Fate::Default } else { Fate::Stays };
                assert_eq!(fate(&schema, field, moment), fate_then);
            }
        }
    }
}
