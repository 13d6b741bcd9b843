//! Saves as JSON: nothing is lost on the way there and back, the JSON Schema names all of it, and what was damaged by hand
//! is refused with its path. `.ci/check_json.py` gives the same to another validator.

use std::fs;
use std::path::Path;
use std::sync::Arc;

use keblin::Schema;
use keblin::save::json::{export, import, json_schema};
use keblin::save::write;
use keblin::verify::verify;
use serde_json::{Value as Json, json};

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
}

/// The faults that are planted in an exported save: where, what is put there, and whether `import` refuses it. What
/// only breaks a bound is imported and reported as a finding, as for any other save. CI gives the same faults to another
/// validator with the JSON Schema.
fn faults() -> Vec<(String, Json, bool)> {
    let text = fs::read_to_string(golden("../exchange/faults.json")).unwrap();
    let faults: Vec<Json> = serde_json::from_str(&text).unwrap();
    let fault = |fault: &Json| {
        let at = fault["at"].as_str().unwrap().to_string();
        (at, fault["value"].clone(), fault["import_refuses"].as_bool().unwrap())
    };
    faults.iter().map(fault).collect()
}

#[test]
fn the_json_schema_names_everything_that_is_exported_and_nothing_else() {
    // As a validator compares keys: every object of the export has its properties in the schema.
    fn compare(rule: &Json, json: &Json, path: &str) {
        let rule = rule.get("anyOf").map_or(rule, |rules| &rules[0]);
        let (Some(object), Some(properties)) = (json.as_object(), rule.get("properties")) else { return };
        for (key, json) in object {
            let inside = properties.get(key).unwrap_or_else(|| panic!("{path}.{key} is not in the schema"));
            compare(inside, json, &format!("{path}.{key}"));
        }
        // Most saves have no title, and are of this build.
        let is_rare = |key: &&String| ["title", "originals", "history"].contains(&key.as_str());
        for key in properties.as_object().unwrap().keys().filter(|key| !is_rare(key)) {
            assert!(object.contains_key(key), "{path}.{key} is not exported");
        }
    }
    let schema = every_type();
    for (name, json) in exported(&schema) {
        compare(&json_schema(&schema), &json, &name);
    }
}

/// Puts a value at a place, which may be new.
fn put(json: &mut Json, path: &str, value: Json) {
    let (parent, key) = path.rsplit_once('/').unwrap();
    json.pointer_mut(parent).unwrap_or_else(|| panic!("{path}"))[key] = value;
}

#[test]
fn a_fault_that_was_planted_is_refused_by_the_import_with_its_path() {
    let schema = every_type();
    let good =
        exported(&schema).into_iter().find(|(name, _)| name == "format_1_every_type.keblin").unwrap().1;
    let faults = faults();
    assert!(faults.len() >= 20);
    for (path, value, is_refused) in faults {
        let mut bad = good.clone();
        put(&mut bad, &path, value.clone());
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
    let error = import(&missing, &schema).unwrap_err();
    assert_eq!(error.to_string(), "profile.fields: expected this key, but it is missing");
    let near = {
        let mut bad = good;
        put(&mut bad, "/profile/fields/copers", json!(3));
        import(&bad, &schema).unwrap_err()
    };
    assert_eq!(near.to_string(), "profile.fields.copers: this key is not declared; did you mean `coppers`?");
}
