//! What the fuzzer does with bytes, and a bounded test with mutated ones. The first byte says what the others are: a whole
//! file, or a part of one that gets matching digests, so that the code after the digests is reached.

use std::sync::{Arc, LazyLock};

use keblin::Schema;
use keblin::save::{Stamp, read, write};
use keblin::verify::{check, examine, salvage, verify};

use crate::forged::Forge;

static SCHEMA: LazyLock<Arc<Schema>> = LazyLock::new(|| {
    let parsed = Schema::parse("every_type.toml", include_str!("../data/golden/every_type.toml"));
    Arc::new(parsed.unwrap_or_else(|findings| panic!("{findings}")).schema)
});

static GOLDEN: &[u8] = include_bytes!("../data/golden/format_1_every_type.keblin");

/// How many ways there are to take bytes.
pub(crate) const WAYS: u8 = 6;

/// Reads bytes in every way there is. Whether they were a save.
pub(crate) fn look(data: &[u8]) -> bool {
    let Some((way, data)) = data.split_first() else { return false };
    let file = read(GOLDEN).unwrap_or_else(|error| panic!("{error}"));
    let body = |index: usize| file.sections.get(index).map_or(&[][..], |section| section.body);
    let mut forge = Forge::of("reed_bed");
    let bytes = match way % WAYS {
        0 => data.to_vec(),
        1 => {
            forge.section("profile", true, 0, data).section("run", true, 0, body(1)).state(1, 1).bytes.clone()
        }
        2 => {
            forge.section("profile", true, 0, body(0)).section("run", true, 0, data).state(1, 1).bytes.clone()
        }
        3 => forge.section("device", true, 0, data).state(1, 1).bytes.clone(),
        4 => {
            forge.section("profile", true, 0, body(0)).section("run", true, 0, body(1));
            forge.block("picture", "section", false, data).state(1, 1).bytes.clone()
        }
        _ => forge.state_of(data).bytes.clone(),
    };
    let schema = &*SCHEMA;
    drop(examine(&bytes, schema));
    drop(salvage(&bytes, schema));
    let checked = check(&bytes, schema, None);
    let save = match verify(&bytes, schema) {
        Ok(save) => save,
        Err(error) => {
            assert_eq!(checked, Err(error), "a check reports something else than reading");
            return false;
        }
    };
    assert_eq!(checked.as_deref(), Ok(save.findings()), "a check reports something else than reading");
    // What was read is written and read again as the same, and the same bytes come of it from then on.
    let stamp = Stamp::first(1, "fuzz");
    let again = write(save.snapshot(), &stamp);
    let reread = verify(&again, schema).unwrap_or_else(|error| panic!("{error}"));
    assert!(reread.snapshot() == save.snapshot(), "what was written reads as something else");
    assert!(write(reread.snapshot(), &stamp) == again, "the same snapshot gives other bytes");
    drop(save.into_progress());
    true
}
