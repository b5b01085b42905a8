//! Rows of a table changed in its text: cells set and taken away, rows made, copied and removed. What else stands in the
//! text, remarks and blanks among it, stays.

use toml_edit::{ArrayOfTables, DocumentMut, Item, Key, Table, Value};
use wendax_source::toml_text;

/// Cells of a row: keys with their values as they are written.
pub type RowCells = Vec<(String, String)>;

/// The rows of a text, as far as they are written as `[[row]]`; none where it is no TOML.
pub fn rows(text: &str) -> Vec<RowCells> {
    let Ok(document) = text.parse::<DocumentMut>() else { return Vec::new() };
    let Some(rows) = document.get("row").and_then(Item::as_array_of_tables) else { return Vec::new() };
    let cell = |(key, item): (&str, &Item)| Some((key.to_owned(), written(item)?));
    rows.iter().map(|row| row.iter().filter_map(cell).collect()).collect()
}

/// A value on one line.
fn written(item: &Item) -> Option<String> {
    let mut value = item.clone().into_value().ok()?;
    value.decor_mut().clear();
    let text = value.to_string();
    // A text of several lines is written with signs for their ends.
    match value.as_str() {
        Some(plain) if text.contains('\n') => Some(toml_text(plain)),
        _ => Some(text.split('\n').map(str::trim).collect::<Vec<_>>().join(" ").trim().to_owned()),
    }
}

/// Changes the rows of a text.
fn changed(text: &str, change: impl FnOnce(&mut ArrayOfTables) -> Result<(), String>) -> Result<String, String> {
    let mut document: DocumentMut =
        text.parse().map_err(|error: toml_edit::TomlError| format!("the table is no TOML: {}", error.message()))?;
    let rows = document.entry("row").or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
    let rows = rows.as_array_of_tables_mut().ok_or("rows that are written as [[row]] can be changed here")?;
    change(rows)?;
    Ok(document.to_string())
}

fn row(rows: &mut ArrayOfTables, index: usize) -> Result<&mut Table, String> {
    rows.get_mut(index).ok_or_else(|| "there is no such row".to_owned())
}

/// Sets a cell: `key = value`, as it is written in a table.
///
/// # Errors
///
/// What is wrong with it.
pub fn set(text: &str, index: usize, cell: &str) -> Result<String, String> {
    let (key, value) = read_cell(cell)?;
    changed(text, |rows| {
        let row = row(rows, index)?;
        match row.get_mut(&key).and_then(Item::as_value_mut) {
            Some(old) => {
                let decor = old.decor().clone();
                *old = value;
                *old.decor_mut() = decor;
            }
            None => {
                row.insert(&key, Item::Value(value));
            }
        }
        Ok(())
    })
}

fn read_cell(cell: &str) -> Result<(String, Value), String> {
    let wrong = |why: &str| format!("a cell is a key with its value, as in typed = \"120\\n\": {why}");
    let one: DocumentMut = cell
        .parse()
        .map_err(|error: toml_edit::TomlError| wrong(error.message().lines().next().unwrap_or_default()))?;
    let mut members = one.iter();
    let (Some((key, item)), None) = (members.next(), members.next()) else {
        return Err(wrong("one key at a time"));
    };
    let value = item.clone().into_value().map_err(|_| wrong("there is no value"))?;
    Ok((key.to_owned(), value))
}

/// Takes a cell away.
///
/// # Errors
///
/// There is no such row.
pub fn unset(text: &str, index: usize, key: &str) -> Result<String, String> {
    changed(text, |rows| {
        row(rows, index)?.remove(key);
        Ok(())
    })
}

/// Adds a row at the end.
///
/// # Errors
///
/// A value is none.
pub fn add(text: &str, cells: &RowCells) -> Result<String, String> {
    let is_empty = text.trim().is_empty();
    let mut table = Table::new();
    for (key, value) in cells {
        let value: Value =
            value.parse().map_err(|error: toml_edit::TomlError| format!("{key}: {}", error.message()))?;
        table.insert_formatted(&Key::new(key), Item::Value(value));
    }
    changed(text, |rows| {
        if !is_empty {
            table.decor_mut().set_prefix("\n");
        }
        rows.push(table);
        Ok(())
    })
}

/// Copies a row to the end, under a name of its own.
///
/// # Errors
///
/// There is no such row.
pub fn copy(text: &str, index: usize) -> Result<String, String> {
    let all = rows(text);
    let mut cells = all.get(index).cloned().ok_or("there is no such row")?;
    let known: Vec<&String> = all.iter().flatten().filter(|(key, _)| key == "name").map(|(_, value)| value).collect();
    if let Some((_, name)) = cells.iter_mut().find(|(key, _)| key == "name") {
        let plain: String =
            name.parse::<Value>().ok().and_then(|value| value.as_str().map(str::to_owned)).unwrap_or_default();
        let names = (2..).map(|number| toml_text(&format!("{plain} {number}")));
        // There are more numbers than rows.
        *name = names.into_iter().find(|name| !known.contains(&name)).unwrap_or_default();
    }
    add(text, &cells)
}

/// Removes a row.
///
/// # Errors
///
/// There is no such row.
pub fn remove(text: &str, index: usize) -> Result<String, String> {
    changed(text, |rows| {
        row(rows, index)?;
        rows.remove(index);
        Ok(())
    })
}

/// A cell that holds a text.
pub fn cell(key: &str, text: &str) -> (String, String) {
    (key.to_owned(), toml_text(text))
}
