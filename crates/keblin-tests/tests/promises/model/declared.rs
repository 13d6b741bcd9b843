//! Random declarations.

use std::fmt::Write;

use super::Dice;

/// Returns a declaration with most of what can be declared, at random.
pub(super) fn declaration(dice: &mut Dice) -> String {
    let levels = 2 + dice.roll(4);
    let mut text = format!(
        "game = 'random'\nversion = 1\ndifficulties = ['neap', 'spring']\nresume = '{}'\nafter_last = '{}'\n",
        dice.one(&["exact", "checkpoint"]),
        dice.one(&["map", "end_run"])
    );
    if dice.roll(2) == 0 {
        text += "level_facts_per = 'difficulty'\n";
    }
    if dice.roll(2) == 0 {
        text += "checkpoint_lasts = 'run'\n";
    }
    if dice.roll(3) > 0 {
        let at_zero = dice.one(&["end_run", "restart_level"]);
        write!(text, "[lives]\nfield = 'boats'\nat_zero = '{at_zero}'\n").unwrap();
    }
    text += "[fields]\nboats = { type = 'int', scope = 'run', default = 3, min = 0, on_death = 'stays', on_retry = 'stays' }\n\
             clock = { type = 'time', scope = 'level', counts = 'playing', on_death = 'stays', max = '1m' }\n\
             fastest = { type = 'time', scope = 'profile', keep = 'lowest', per = ['level', 'difficulty'], from = 'clock', \
             at = ['finish'], min = '1ms' }\n";
    for index in 0..3 + dice.roll(5) {
        let scopes = ["level", "run", "run", "profile", "device"];
        // The first one feeds the record, so it cannot be a setting.
        let scope = dice.one(if index == 0 { &scopes[..4] } else { &scopes });
        write!(text, "plain_{index}x = {{ type = 'int', scope = '{scope}', default = {}", dice.roll(5))
            .unwrap();
        if dice.roll(2) == 0 {
            write!(text, ", min = {}", -i64::try_from(dice.roll(4)).unwrap()).unwrap();
        }
        match dice.roll(3) {
            0 => write!(text, ", max = {}", 5 + dice.roll(20)).unwrap(),
            1 if index > 0 => write!(text, ", max = 'greatest(plain_{}x, 4) + 3'", dice.roll(index)).unwrap(),
            _ => {}
        }
        text += &survival(dice, scope);
    }
    for index in 0..dice.roll(6) {
        let kind = dice.one(&[
            "type = 'bool', default = true",
            "type = 'text', max_len = 9",
            "type = 'list', of = 'int', max_items = 3",
            "type = 'set', of = 'text', max_items = 3, max_len = 9",
            "type = 'map', key = 'int', of = 'bool', max_items = 3",
            "type = 'vec2'",
            "type = 'id', of = 'levels'",
            "type = 'float'",
        ]);
        let scope = dice.one(&["level", "run", "profile", "device"]);
        write!(text, "other_{index}x = {{ {kind}, scope = '{scope}'").unwrap();
        text += &survival(dice, scope);
    }
    text += "best = { type = 'int', scope = 'profile', keep = 'highest', from = 'plain_0x', at = ['run_end', 'finish'], max = 20 }\n\
             gained = { type = 'int', scope = 'profile', keep = 'sum', max = 100 }\n\
             least = { type = 'int', scope = 'run', keep = 'lowest', on_death = 'checkpoint' }\n"
        .replace("least =", "fewest =")
        .as_str();
    for level in 0..levels {
        write!(text, "[[levels]]\nid = 'level_{level}x'\nstars = {}\n", dice.roll(4)).unwrap();
        let fewest = usize::from(level == 0);
        let checkpoints: Vec<String> =
            (0..fewest + dice.roll(4)).map(|number| format!("'point_{number}x'")).collect();
        writeln!(text, "checkpoints = [{}]", checkpoints.join(", ")).unwrap();
        writeln!(text, "checkpoint_order = '{}'", dice.one(&["furthest", "latest"])).unwrap();
        match dice.roll(5) {
            0 if level > 0 => writeln!(text, "unlock = 'levels.level_{}x.finished'", level - 1).unwrap(),
            1 if level > 0 => writeln!(text, "unlock = 'totals.finished >= 1 || plain_0x > 6'").unwrap(),
            3 if level > 1 => writeln!(text, "unlock = 'unlocked.gift_{}x'", dice.roll(2)).unwrap(),
            2 if level > 0 => writeln!(text, "unlock = 'levels.level_0x.attempts + gained > 4'").unwrap(),
            _ => {}
        }
    }
    for index in 0..2 {
        let when = dice.one(&["plain_0x >= 5", "gained > 5", "plain_0x + gained == 9"]);
        let latch = dice.roll(2) == 0;
        write!(text, "[[unlocks]]\nid = 'gift_{index}x'\nwhen = '{when}'\nlatch = {latch}\n").unwrap();
    }
    for index in 0..4 {
        let when = dice.one(&[
            "unlocked.gift_1x",
            "plain_0x >= 6",
            "plain_1x == 0",
            "gained > 10 && plain_2x < 3",
            "clock > duration('9s')",
        ]);
        let again = dice.one(&["each_time", "level", "run", "profile"]);
        write!(text, "[[moments]]\nid = 'moment_{index}x'\nwhen = \"{when}\"\nagain = '{again}'\n").unwrap();
    }
    text
}

/// The survival words of a field of a scope, and the end of its line.
fn survival(dice: &mut Dice, scope: &str) -> String {
    if !["level", "run"].contains(&scope) {
        return " }\n".to_string();
    }
    let death = dice.one(&["stays", "checkpoint", "entry", "default"]);
    let retry = dice.one(&["stays", "entry", "default"]);
    let (level, new_run) = (dice.one(&["stays", "default"]), dice.one(&["stays", "default"]));
    format!(
        ", on_death = '{death}', on_retry = '{retry}', on_level = '{level}', on_new_run = '{new_run}' }}\n"
    )
}
