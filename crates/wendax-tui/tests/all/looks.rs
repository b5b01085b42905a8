//! How everything looks at the sizes people have, on both grounds and with few colours: styles, not signs alone.

use crate::common::{DEMO, Stage};
use ratatui::buffer::Buffer;
use ratatui::style::{Color, Modifier};
use wendax_machine::Settings;
use wendax_tui::{App, Colours, Look, Theme};

const SIZES: [(u16, u16); 6] = [(230, 60), (160, 50), (120, 30), (100, 30), (80, 24), (60, 16)];
const THEMES: [(Look, Colours); 5] = [
    (Look::Dark, Colours::Full),
    (Look::Light, Colours::Full),
    (Look::Dark, Colours::Indexed),
    (Look::Dark, Colours::Sixteen),
    (Look::Light, Colours::None),
];

fn stage(theme: (Look, Colours), (width, height): (u16, u16)) -> Stage {
    let theme = Theme { look: theme.0, colours: theme.1 };
    Stage::with(App::new(Some("/yard/weigh.asm".to_owned()), DEMO, Settings::default(), theme)).sized(width, height)
}

/// The row and column at which a text begins.
#[track_caller]
fn find(stage: &mut Stage, text: &str) -> (u16, u16) {
    let buffer = stage.buffer();
    for y in 0..buffer.area.height {
        let row: Vec<String> = (0..buffer.area.width).map(|x| buffer[(x, y)].symbol().to_owned()).collect();
        for x in 0..row.len() {
            if row[x..].concat().starts_with(text) {
                return (u16::try_from(x).expect("small"), y);
            }
        }
    }
    panic!("`{text}` is not on\n{}", stage.screen());
}

/// A cell stands out from the one beside it by its ground or by being reversed.
fn stands_out(buffer: &Buffer, x: u16, y: u16) -> bool {
    let ground = |x: u16| (buffer[(x, y)].bg, buffer[(x, y)].modifier & (Modifier::REVERSED | Modifier::UNDERLINED));
    ground(x) != ground(x + 1) || x > 0 && ground(x) != ground(x - 1)
}

#[test]
fn the_present_line_is_a_band_over_all_of_the_source() {
    for theme in THEMES {
        let mut stage = stage(theme, (160, 50));
        stage.keys("Right Right");
        let (x, y) = find(&mut stage, "▌");
        let buffer = stage.buffer();
        let ground = |x: u16, y: u16| (buffer[(x, y)].bg, buffer[(x, y)].modifier.contains(Modifier::REVERSED));
        let band = ground(x, y);
        assert!((x..70).all(|x| ground(x, y) == band), "{theme:?}: the band has gaps");
        assert_ne!(ground(x, y + 1), band, "{theme:?}: the line below is none of it");
    }
}

#[test]
fn caret_selection_and_matches_are_seen_in_every_theme() {
    for theme in THEMES {
        let mut stage = stage(theme, (120, 30));
        stage.keys("l").text("20").keys("Enter e Home");
        let (x, y) = find(&mut stage, "mov   r0, prompt");
        assert!(stands_out(&stage.buffer(), x, y), "{theme:?}: the caret");
        stage.keys("Shift-Right Shift-Right Shift-Right");
        let buffer = stage.buffer();
        let style = |x: u16| (buffer[(x, y)].bg, buffer[(x, y)].fg, buffer[(x, y)].modifier & Modifier::REVERSED);
        assert!((x..x + 2).all(|at| style(at).2 == style(x).2), "{theme:?}: the selection is one");
        assert!(stands_out(&buffer, x, y), "{theme:?}: the selection");
        stage.keys("Esc").text("/prompt");
        let (x, y) = find(&mut stage, "prompt");
        assert!(stage.buffer()[(x, y)].modifier.contains(Modifier::UNDERLINED), "{theme:?}: a match");
    }
}

#[test]
fn signs_have_the_colour_of_what_they_say() {
    let mut stage = stage((Look::Dark, Colours::Full), (160, 50));
    stage.text("/inc   r7").keys("Enter b g").text("120\n");
    let (x, y) = find(&mut stage, "◆");
    let colour = |buffer: &Buffer, x: u16, y: u16| buffer[(x, y)].fg;
    let buffer = stage.buffer();
    assert_eq!(colour(&buffer, x, y), Color::Rgb(0xe0, 0x7f, 0x68), "a breakpoint is trouble");
    let (x, y) = find(&mut stage, "•r0");
    assert_eq!(colour(&buffer, x, y), Color::Rgb(0xc7, 0x9b, 0xd8), "what is fresh");
    let (x, y) = find(&mut stage, "120");
    assert_eq!(colour(&buffer, x, y), Color::Rgb(0xc7, 0x9b, 0xd8), "what was typed");
    stage.keys("e End").text(" 5");
    let (x, y) = find(&mut stage, "▲");
    assert_eq!(colour(&stage.buffer(), x, y), Color::Rgb(0xe0, 0x7f, 0x68), "a problem");
}

#[test]
fn the_account_is_whole_at_every_step_where_there_are_rows() {
    for size in &SIZES[..5] {
        let mut stage = stage(THEMES[0], *size);
        stage.keys("g").text("120\n99\n0\n").keys("Home");
        for step in 0..80 {
            let screen = stage.screen();
            assert!(!screen.contains("o shows all"), "{size:?}, step {step}\n{screen}");
            stage.keys("Right");
        }
    }
}

#[test]
fn every_sheet_fits_every_screen_and_says_how_it_is_left() {
    for size in SIZES {
        for (keys, head) in [
            (":", "palette"),
            ("f", "files of the program"),
            ("?", "guide"),
            ("=", "set"),
            ("/", "search"),
            ("l", "go to"),
            (":arguments", "arguments"),
            (":build", "build"),
            ("e x Esc q", "unsaved text"),
        ] {
            let mut stage = stage(THEMES[0], size);
            stage.keys(keys);
            let screen = stage.screen();
            assert!(screen.contains(&format!("▸{head}")), "{keys} at {size:?}\n{screen}");
            let last = screen.lines().last().unwrap_or_default();
            assert!(last.contains("Esc") || last.contains("Enter"), "{keys} at {size:?}\n{screen}");
        }
    }
}

#[test]
fn what_is_focused_is_always_there() {
    for size in SIZES {
        for pane in ["source", "next", "registers", "flags", "stack", "calls", "memory", "marks", "ribbon", "console"] {
            let mut stage = stage(THEMES[0], size);
            // By its own name: `next pane` is another command.
            stage.keys("Right Right :").text(&format!("pane: {pane}")).keys("Enter");
            let screen = stage.screen();
            let one_row = pane == "flags" && screen.contains("C 0");
            assert!(screen.contains(&format!("▸{pane}")) || one_row, "{pane} at {size:?}\n{screen}");
        }
    }
}

#[test]
fn line_numbers_are_there_at_every_size() {
    for size in SIZES {
        let mut stage = stage(THEMES[0], size);
        stage.keys("l").text("67").keys("Enter");
        let screen = stage.screen();
        let line = screen.lines().find(|line| line.contains("push")).unwrap_or_default();
        assert!(line.contains("67"), "{size:?}\n{screen}");
    }
}

#[test]
fn a_sheet_is_told_from_what_it_lies_over_and_its_quiet_words_stay_readable() {
    for theme in THEMES {
        let mut stage = stage(theme, (80, 24));
        stage.text(":");
        let (x, y) = find(&mut stage, "palette");
        let buffer = stage.buffer();
        let raised = buffer[(x, y + 1)].bg != buffer[(x, 3)].bg;
        let edged = (0..x).any(|x| buffer[(x, y + 1)].symbol() == "│");
        assert!(raised || edged, "{theme:?}: the sheet is seen");
        let dim = Modifier::DIM | Modifier::REVERSED;
        assert!(buffer.content.iter().all(|cell| !cell.modifier.contains(dim)), "{theme:?}: dim on a reversed ground");
    }
}
