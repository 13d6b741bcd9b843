//! Saves as JSON: nothing is lost on the way there and back, another validator accepts what is exported by the JSON
//! Schema, and refuses what was damaged by hand.

use std::fs;
use std::path::Path;
use std::sync::Arc;

use keblin::save::json::{export, import, json_schema};
use keblin::save::{Stamp, write};
use keblin::verify::verify;
use keblin::{Progress, Schema};
use serde_json::{Value as Json, json};

use crate::tables::fen_post;

fn golden(name: &str) -> std::path::PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../data/golden").join(name)
}

fn every_type() -> Arc<Schema> {
    let text = fs::read_to_string(golden("every_type.toml")).unwrap();
    Arc::new(Schema::parse("every_type.toml", &text).unwrap().schema)
}

/// Every golden save of a slot, exported.
fn exported(schema: &Arc<Schema>) -> Vec<(String, Json)> {
    let mut found = Vec::new();
    for entry in fs::read_dir(golden("")).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_str().unwrap().to_string();
        if path.extension().is_some_and(|ending| ending == "keblin") && !name.contains("device") {
            let save =
                verify(&fs::read(&path).unwrap(), schema).unwrap_or_else(|error| panic!("{name}: {error}"));
            found.push((name, export(save.snapshot(), save.stamp())));
        }
    }
    assert!(found.len() >= 6);
    found
}

#[test]
fn a_save_is_the_same_after_it_was_exported_and_imported() {
    let schema = every_type();
    for (name, json) in exported(&schema) {
        let save = verify(&fs::read(golden(&name)).unwrap(), &schema).unwrap();
        // As text, as a tool would write it.
        let read: Json = serde_json::from_str(&serde_json::to_string_pretty(&json).unwrap()).unwrap();
        let (snapshot, stamp) = import(&read, &schema).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert!(snapshot == *save.snapshot(), "{name}: {:?}", save.snapshot().differences(&snapshot));
        assert_eq!(snapshot.picture(), save.snapshot().picture(), "{name}");
        assert_eq!(stamp, *save.stamp(), "{name}");
        assert_eq!(export(&snapshot, &stamp), json, "{name}");
    }
}

#[test]
fn what_a_smaller_build_does_not_know_is_exported_and_comes_back() {
    let schema = every_type();
    let text = fs::read_to_string(golden("every_type.toml")).unwrap();
    let text = text.replace("walked = { type = \"float\", scope = \"profile\", keep = \"sum\" }\n", "");
    let small = Arc::new(Schema::parse("every_type.toml", &text).unwrap().schema);
    let bytes = fs::read(golden("format_1_every_type.keblin")).unwrap();
    let save = verify(&bytes, &small).unwrap();
    let json = export(save.snapshot(), save.stamp());
    assert!(
        json["profile"]["fields"]["walked"]["cbor"].is_string(),
        "{}",
        json["profile"]["fields"]["walked"]
    );
    let (snapshot, stamp) = import(&json, &small).unwrap();
    let walked = |bytes: &[u8]| {
        let save = verify(bytes, &schema).unwrap().into_progress();
        save.get(schema.field::<f64>("walked").unwrap())
    };
    assert!((walked(&write(&snapshot, &stamp)) - walked(&bytes)).abs() < f64::EPSILON);
    assert!(jsonschema::validator_for(&json_schema(&small)).unwrap().is_valid(&json));
}

#[test]
fn another_validator_accepts_what_is_exported() {
    for schema in [every_type(), fen_post()] {
        let rules = json_schema(&schema);
        assert!(jsonschema::meta::is_valid(&rules));
        let validator = jsonschema::validator_for(&rules).unwrap();
        let first = export(&Progress::new(Arc::clone(&schema)).snapshot(), &Stamp::first(1, "quit"));
        let mut all = vec![("first".to_string(), first)];
        if schema.game.as_str() == "reed_bed" {
            all.extend(exported(&schema));
        }
        for (name, json) in all {
            let errors: Vec<String> = validator
                .iter_errors(&json)
                .map(|error| format!("{}: {error}", error.instance_path))
                .collect();
            assert!(errors.is_empty(), "{name}: {errors:?}");
        }
    }
}

/// Faults in an exported save: where, what is put there, and whether `import` refuses it as well. What only breaks a
/// bound is imported and reported as a finding, as for any other save.
fn faults() -> Vec<(&'static str, Json, bool)> {
    vec![
        ("/json_format", json!(2), true),
        ("/game", json!("otter"), true),
        ("/version", json!(7), true),
        ("/save/number", json!(-1), true),
        ("/save/continues", json!(["abc"]), true),
        ("/save/editted", json!(true), true),
        ("/profil", json!({}), true),
        ("/profile/played", json!(31), true),
        ("/profile/played", json!("soon"), true),
        ("/profile/fields/coppers", json!("many"), true),
        ("/profile/fields/coppers", json!(1.5), true),
        ("/profile/fields/coppers", Json::Null, true),
        ("/profile/fields/coppers", json!(-3), false),
        ("/profile/fields/depth", json!(11), false),
        ("/profile/fields/leters", json!(3), true),
        ("/profile/fields/lamp", json!("torch"), true),
        ("/profile/fields/photo", json!("0g"), true),
        ("/profile/fields/photo", json!("abc"), true),
        ("/profile/fields/name", json!("a name that is longer than 24 characters"), false),
        ("/profile/fields/at", json!([1, 2, 3]), true),
        ("/profile/fields/lantern", json!({ "oli": 3 }), true),
        ("/profile/fields/splits", json!(["1s", 2]), true),
        ("/profile/fields/best_reeds", json!([3, 2, 1, 0]), true),
        ("/profile/fields/best_time/brook/calm", json!(90), true),
        ("/profile/levels/brook/calm/stars", json!(4), false),
        ("/profile/levels/brook/calm/finished", json!(1), true),
        ("/profile/told", json!([]), true),
        ("/run/run/visit/stay", json!("asleep"), true),
        ("/run/run/visit", json!(3), true),
        ("/areas/reeds", json!("xyz"), true),
        ("/picture", json!({ "bytes": "00" }), true),
    ]
}

/// Puts a value at a place, which may be new.
fn put(json: &mut Json, path: &str, value: Json) {
    let (parent, key) = path.rsplit_once('/').unwrap();
    json.pointer_mut(parent).unwrap_or_else(|| panic!("{path}"))[key] = value;
}

#[test]
fn a_fault_that_was_planted_is_refused_by_the_json_schema_and_by_the_import_with_its_path() {
    let schema = every_type();
    let validator = jsonschema::validator_for(&json_schema(&schema)).unwrap();
    let good =
        exported(&schema).into_iter().find(|(name, _)| name == "format_1_every_type.keblin").unwrap().1;
    let faults = faults();
    assert!(faults.len() >= 20);
    for (path, value, is_refused) in faults {
        let mut bad = good.clone();
        put(&mut bad, path, value.clone());
        assert!(!validator.is_valid(&bad), "{path} = {value}: the JSON Schema accepts it");
        match import(&bad, &schema) {
            Err(error) => {
                let dotted = path.trim_start_matches('/').replace('/', ".");
                assert!(is_refused, "{path} = {value}: {error}");
                assert!(
                    error.path.starts_with(&dotted) || error.path == "picture",
                    "{path} = {value}: {error}"
                );
            }
            Ok((snapshot, stamp)) => {
                assert!(!is_refused, "{path} = {value}: it was imported");
                let findings = verify(&write(&snapshot, &stamp), &schema).unwrap().findings().len();
                assert!(findings > 0, "{path} = {value}: nothing is reported");
            }
        }
    }
    let missing = {
        let mut bad = good.clone();
        bad["profile"].as_object_mut().unwrap().remove("fields");
        bad
    };
    assert!(!validator.is_valid(&missing));
    let error = import(&missing, &schema).unwrap_err();
    assert_eq!(error.to_string(), "profile.fields: expected this key, but it is missing");
    let near = {
        let mut bad = good;
        put(&mut bad, "/profile/fields/copers", json!(3));
        import(&bad, &schema).unwrap_err()
    };
    assert_eq!(near.to_string(), "profile.fields.copers: this key is not declared; did you mean `coppers`?");
}
