//! What the screen is made of: cells, rows, lists, inks, faces.

use proptest::prelude::*;
use wendax_machine::Board;
use wendax_tui::inside::{
    Fit, Ink, Need, column_of, first_shown, fitted, in_lines, nearest_index, next_place, place_at, share, shown, width,
    without_first,
};
use wendax_tui::{Colours, Look, Theme, board_face};

#[test]
fn places_and_columns_lead_to_each_other() {
    // A letter with a mark of its own, a wide sign, a tab.
    let line = "e\u{301}日\tx";
    let columns: Vec<usize> = (0..=5).map(|place| column_of(line, place)).collect();
    assert_eq!(columns, [0, 0, 1, 3, 8, 9]);
    let places: Vec<usize> = [0, 1, 2, 3, 7, 8, 9].map(|column| place_at(line, column)).to_vec();
    assert_eq!(places, [0, 2, 2, 3, 3, 4, 5]);
    assert_eq!((next_place(line, 0, true), next_place(line, 2, false)), (Some(2), Some(0)), "marks stay on");
    assert_eq!((next_place(line, 5, true), next_place(line, 0, false)), (None, None));
    assert_eq!(
        (shown("\tx", 3), without_first("日本", 1), fitted("日本語", 5)),
        ("     x".into(), " 本".into(), "日本…".into())
    );
}

proptest! {
    #[test]
    fn what_fits_fits(text in "[ -~ö日\u{301}]{0,30}", room in 0u16..30) {
        prop_assert!(width(&fitted(&text, room)) <= room);
        let place = place_at(&text, room.into());
        prop_assert!(column_of(&text, place) <= usize::from(room) || place == 0);
    }
}

proptest! {
    /// No row is given twice, nobody gets more than they have a use for, the pane in focus is there, and one
    /// that is folded would not have fitted beside those that are needed more.
    #[test]
    fn rows_are_shared_by_need(height in 0u16..60, panes in proptest::collection::vec((1u16..12, 0u16..30, any::<bool>()), 1..7), focus in 0usize..7) {
        let wants: Vec<(Need, u8, bool)> = panes.iter().enumerate().map(|(index, &(least, more, is_either))| {
            let need = Need { least, most: least + more, is_either };
            (need, u8::try_from(index).unwrap(), index == focus)
        }).collect();
        let rows = share(height, &wants);
        prop_assert!(rows.iter().sum::<u16>() <= height);
        for (index, (need, _, in_focus)) in wants.iter().enumerate() {
            prop_assert!(rows[index] <= need.most);
            prop_assert!(rows[index] >= need.least || rows[index] == 0 || *in_focus);
            prop_assert!(!need.is_either || [0, need.least, need.most].contains(&rows[index]) || *in_focus);
            prop_assert!(!in_focus || rows[index] > 0 || height == 0);
            if rows[index] == 0 && height > 0 {
                let others = wants.iter().zip(&rows).filter(|((_, rank, focused), _)| *focused || *rank < wants[index].1);
                let before: u16 = others.map(|((need, ..), rows)| if need.is_either { *rows } else { need.least }).sum();
                prop_assert!(before + need.least > height);
            }
        }
    }
}

#[test]
fn changes_that_do_not_fit_are_counted_and_cut_with_a_sign() {
    let changes = ["r0 1 → 2".to_owned(), "r1 not set → 3".to_owned(), "C 0 → 1; nothing else".to_owned()];
    let whole = |lines: &[&str]| (lines.iter().map(|&line| line.to_owned()).collect::<Vec<_>>(), Fit::Whole);
    let cut = |lines: &[&str]| (whole(lines).0, Fit::Cut);
    assert_eq!(in_lines(&changes, 80, 1), whole(&["r0 1 → 2, r1 not set → 3, C 0 → 1; nothing else"]));
    assert_eq!(in_lines(&changes, 34, 1), cut(&["r0 1 → 2, r1 not set → 3 + 1 more"]));
    assert_eq!(in_lines(&changes, 26, 2), whole(&["r0 1 → 2, r1 not set → 3,", "C 0 → 1; nothing else"]));
    assert_eq!(in_lines(&changes[1..2], 10, 1), cut(&["r1 not se…"]));
    assert_eq!(in_lines(&[], 10, 2), whole(&[""]));
}

#[test]
fn the_chosen_entry_is_in_view() {
    for count in 0..40 {
        for rows in 1..12u16 {
            for chosen in 0..count {
                let from = first_shown(chosen, count, rows);
                assert!((from..from + usize::from(rows)).contains(&chosen) && from <= count.saturating_sub(1));
            }
        }
    }
}

#[test]
fn a_face_shows_what_is_lit() {
    let mut board = Board::default();
    (board.lamps, board.levers, board.digits) = (0x8001, 5, [0x3F, 0, 0, 0x86]);
    let face = board_face(&board).join("\n");
    assert_eq!(
        face,
        " lamps  ●∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙∙● 8001\n        FEDC BA98 7654 3210\n levers ▄▄▄▄ ▄▄▄▄ ▄▄▄▄ ▄▀▄▀ 0005\n \
         digits  ▄▄\n        ▌  ▐              ▐\n        ▌▄▄▐              ▐▖"
    );
}

/// The share of white light a colour gives back: relative luminance of WCAG 2.2.
fn luminance((red, green, blue): (u8, u8, u8)) -> f64 {
    let linear = |value: u8| {
        let value = f64::from(value) / 255.0;
        if value <= 0.04045 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
    };
    0.2126 * linear(red) + 0.7152 * linear(green) + 0.0722 * linear(blue)
}

/// What says something can be read on both grounds: 4.5 : 1 at least, as WCAG 2.2 has it for text (1.4.3).
#[test]
fn every_ink_can_be_read_on_both_grounds() {
    let inks = [Ink::Text, Ink::Quiet, Ink::Faint, Ink::Time, Ink::Place, Ink::Fresh, Ink::Trouble, Ink::Agreement];
    for look in [Look::Dark, Look::Light] {
        let theme = Theme { look, colours: Colours::Full };
        for (ink, raised) in inks.into_iter().flat_map(|ink| [(ink, false), (ink, true)]) {
            let (one, other) = (luminance(theme.rgb(ink)), luminance(theme.ground_rgb(raised)));
            let contrast = (one.max(other) + 0.05) / (one.min(other) + 0.05);
            assert!(contrast >= 4.5, "{look:?} {ink:?} on its ground, raised: {raised}: {contrast:.2}");
        }
    }
}

#[test]
fn indexed_colours_come_near() {
    assert_eq!(nearest_index((0, 0, 0)), 16);
    assert_eq!(nearest_index((255, 255, 255)), 231);
    assert_eq!(nearest_index((0x14, 0x17, 0x1c)), 234);
    assert_eq!(nearest_index((215, 135, 95)), 173);
}
