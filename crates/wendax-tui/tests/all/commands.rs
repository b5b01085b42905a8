//! The table of commands and keys.

use Context::{Console, Walk, Write as Writing};
use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use wendax_tui::inside::{action_for, commands, event_of, key_name, prompt_heads, shown_key};
use wendax_tui::{Action, Context, Edit, File, Travel, bindings, keys_document};

#[track_caller]
fn each_once(names: impl Iterator<Item = &'static str>, of: &str) {
    let mut names: Vec<&str> = names.collect();
    names.sort_unstable();
    let all = names.clone();
    names.dedup();
    assert_eq!(names, all, "{of}");
}

#[test]
fn what_is_shown_of_a_key_leads_back_to_it() {
    for key in bindings().flat_map(|binding| binding.keys) {
        let event = event_of(&shown_key(key)).unwrap_or_else(|| panic!("{key}"));
        assert_eq!(key_name(event), *key);
    }
    assert_eq!(event_of("↑ ↓"), None);
    assert_eq!(event_of(""), None);
}

#[test]
fn no_key_means_two_things_in_one_context() {
    for context in Context::ALL {
        let bound = bindings().filter(|binding| binding.is_of(context));
        each_once(bound.flat_map(|binding| binding.keys_in(context)), context.title());
    }
}

#[test]
fn signs_are_text_where_text_is_taken() {
    let key = |code, modifiers| KeyEvent::new(code, modifiers);
    let q = key(KeyCode::Char('q'), KeyModifiers::NONE);
    let quit = Some(Action::File(File::Quit));
    assert_eq!(action_for(q, &[Walk]), quit);
    assert_eq!(action_for(q, &[Writing]), None);
    assert_eq!(action_for(q, &[Console, Walk]), None, "not even in the context behind");
    assert_eq!(action_for(key(KeyCode::Char('q'), KeyModifiers::CONTROL), &[Writing]), quit);
    assert_eq!(action_for(key(KeyCode::Char('G'), KeyModifiers::SHIFT), &[Walk]), Some(Action::Travel(Travel::GoBack)));
    assert_eq!(action_for(key(KeyCode::Left, KeyModifiers::SHIFT), &[Writing]), Some(Action::Edit(Edit::SelectLeft)));
}

/// Nobody learns a hundred keys: what one act can do has one, pages share one, the rest is the palette's.
#[test]
fn sixty_keys_are_enough_for_walking() {
    let contexts = [Walk, Context::List, Context::Page];
    let mut keys: Vec<&str> = contexts
        .iter()
        .flat_map(|context| bindings().filter(|binding| binding.is_of(*context)).flat_map(|it| it.keys_in(*context)))
        .filter(|key| !["Ctrl-", "Shift-", "Backtab"].iter().any(|held| key.starts_with(held)))
        .collect();
    keys.sort_unstable();
    keys.dedup();
    assert!(keys.len() <= 60, "{}: {keys:?}", keys.len());
}

#[test]
fn what_the_table_offers_has_names_of_its_own() {
    each_once(commands().map(|binding| binding.name), "commands");
    each_once(prompt_heads(), "a prompt is known by what stands at its head");
}

#[test]
fn the_document_holds_todays_keys() {
    let text = include_str!("../../../../docs/keys.md");
    assert!(text == keys_document(), "run `cargo run -p wendax-tui --example keys`");
}
