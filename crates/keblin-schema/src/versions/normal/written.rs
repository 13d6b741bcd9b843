//! Values as a declaration writes them, the reverse of `parse::value`.

use crate::value::Value;

/// A text in quotes.
pub(crate) fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            '\n' => out += "\\n",
            '\t' => out += "\\t",
            c if c.is_control() => out += &format!("\\u{:04X}", u32::from(c)),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

/// Returns a value; `None` for values that cannot be written in TOML: unset, and bytes.
pub(crate) fn literal(value: &Value) -> Option<String> {
    Some(match value {
        Value::Bool(_) | Value::Int(_) | Value::Float(_) => value.to_string(),
        Value::Time(_) | Value::Date(_) | Value::Instant(_) => quoted(&value.to_string()),
        Value::Text(text) | Value::Id { name: text, .. } => quoted(text),
        Value::Vec2(parts) => row(parts.iter().map(|part| Some(part.to_string())))?,
        Value::Vec3(parts) => row(parts.iter().map(|part| Some(part.to_string())))?,
        Value::Quat(parts) => row(parts.iter().map(|part| Some(part.to_string())))?,
        Value::List(items) => row(items.iter().map(literal))?,
        Value::Set(items) => row(items.iter().map(literal))?,
        Value::Map(entries) => {
            let entries = entries.iter().map(|(key, value)| {
                let key = key.as_text().map_or_else(|| key.to_string(), ToString::to_string);
                Some(format!("{} = {}", quoted(&key), literal(value)?))
            });
            table(entries.collect::<Option<Vec<_>>>()?)
        }
        Value::Shape(members) => {
            // Bytes, and ids without a default, always start with the same value.
            let said =
                members.iter().filter_map(|(name, value)| Some(format!("{name} = {}", literal(value)?)));
            table(said.collect())
        }
        Value::Unset | Value::Bytes(_) | Value::Opaque(_) | Value::Best(_) | Value::Object(_) => return None,
    })
}

fn row(items: impl Iterator<Item = Option<String>>) -> Option<String> {
    Some(format!("[{}]", items.collect::<Option<Vec<_>>>()?.join(", ")))
}

fn table(entries: Vec<String>) -> String {
    if entries.is_empty() { "{}".to_string() } else { format!("{{ {} }}", entries.join(", ")) }
}
