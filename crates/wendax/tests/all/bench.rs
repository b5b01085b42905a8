//! The real program driven through a terminal: a first walk from end to end, and what happens to unsaved
//! text when it is killed.

use crate::common::{Screen, home, is_kept};
use std::fs;

#[test]
fn a_first_walk_from_end_to_end() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("scale.asm");
    fs::write(&file, "start:  mov   r0, prompt\n        sys   put_text\n        sys   get_int\n        sys   put_int\n        sys   exit\n.data\nprompt: .asciz \"tare? \"\n").expect("written");
    let screen = Screen::start(home.path(), &file.display().to_string(), 150, 45);
    screen.shows("ready");
    // A faulty line, its problem, its fix.
    screen.keys("Down Down Down e Home Enter Up");
    screen.text("        add   r0 5");
    screen.shows("W010 a comma is missing after `r0`");
    screen.shows("1 problem in the text");
    screen.keys("C-t");
    screen.shows("add   r0, 5");
    screen.keys("Escape");
    screen.shows("ready");
    // A breakpoint, on to it, with input on the way.
    screen.text("/put_int");
    screen.keys("Enter b");
    screen.shows("◆");
    screen.text("g");
    screen.shows("waiting for input");
    screen.text("37");
    screen.keys("Enter");
    screen.shows("paused: breakpoint");
    screen.shows("tare? 37");
    // Back over the addition and on again.
    screen.keys("Left");
    screen.shows("r0 becomes 37 + 5 = 42");
    screen.text("g");
    screen.shows("paused: breakpoint");
    screen.text("g");
    screen.shows("finished, status 42");
    screen.shows("42");
    // Saving and leaving.
    screen.keys("C-s");
    screen.shows("saved as");
    screen.text("q");
    let end = screen.shows("ended with 0");
    assert!(!end.contains("registers"), "the terminal is as it was before:\n{end}");
    assert!(fs::read_to_string(&file).expect("it is there").contains("add   r0, 5"));
}

#[test]
fn unsaved_text_is_asked_for_when_leaving() {
    let (home, file) = home("start:  jmp start\n");
    let screen = Screen::start(home.path(), &file.display().to_string(), 100, 30);
    screen.shows("ready");
    screen.text("e; changed");
    screen.keys("Escape");
    screen.shows("unsaved");
    screen.text("q");
    screen.shows("Not saved: ");
    screen.keys("Escape");
    screen.text("q");
    screen.text("d");
    screen.shows("ended with 0");
    assert_eq!(fs::read_to_string(&file).expect("it is there"), "start:  jmp start\n");
    let again = Screen::start(home.path(), &file.display().to_string(), 100, 30);
    let start = again.shows("ready");
    assert!(!start.contains("recovered"), "what was dropped on purpose stays dropped:\n{start}");
}

#[test]
fn unsaved_text_survives_being_killed() {
    for (signal, restored) in [("KILL", false), ("TERM", true), ("HUP", true)] {
        let (home, file) = home("start:  jmp start\n");
        let screen = Screen::start(home.path(), &file.display().to_string(), 100, 30);
        screen.shows("ready");
        screen.text("e; worth keeping");
        screen.shows("; worth keeping");
        if signal == "KILL" {
            // Nothing can be done after this signal, so the text has to be kept before.
            screen.until("the text is kept", || is_kept(home.path(), "worth keeping"));
        }
        screen.kill(signal);
        let end = screen.shows("ended with");
        assert!(!restored || !end.contains("registers"), "{signal}: the terminal is as it was:\n{end}");
        let again = Screen::start(home.path(), &file.display().to_string(), 100, 30);
        again.shows("; worth keeping");
        again.shows("recovered");
        again.keys("C-s");
        again.shows("saved as");
        assert!(fs::read_to_string(&file).expect("it is there").starts_with("; worth keeping"));
        again.text("q");
        again.shows("ended with 0");
    }
}

#[test]
fn unsaved_text_survives_a_closed_terminal() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("new.asm");
    let screen = Screen::start(home.path(), &file.display().to_string(), 100, 30);
    screen.shows("write");
    screen.text("halt ; never saved");
    screen.shows("never saved");
    screen.close();
    screen.until("the text is kept", || is_kept(home.path(), "never saved"));
    let again = Screen::start(home.path(), &file.display().to_string(), 100, 30);
    again.shows("never saved");
    again.shows("recovered");
}

#[test]
fn a_program_at_full_speed_is_paused_by_a_key() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("spin.asm");
    fs::write(&file, "start:  add r1, 1\n        adc r2, 0\n        adc r3, 0\n        jmp start\n").expect("written");
    let screen = Screen::start(home.path(), &file.display().to_string(), 100, 30);
    screen.shows("ready");
    screen.text("g");
    screen.shows("running");
    screen.keys("Space");
    screen.shows("paused: as asked");
    screen.keys("Left");
    screen.shows("paused: stepped");
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn the_demo_opens_in_a_copy_of_its_own_each_time_it_was_changed() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = Screen::start(home.path(), "demo weighbridge", 150, 45);
    screen.shows("weighbridge.asm");
    screen.shows("ready");
    screen.text("e; mine");
    screen.keys("C-s");
    screen.shows("saved as");
    screen.keys("Escape");
    screen.text("q");
    screen.shows("ended with 0");
    let again = Screen::start(home.path(), "demo weighbridge", 150, 45);
    again.shows("weighbridge-2/weighbridge.asm");
    again.shows("ready");
}

#[test]
fn an_image_opens_as_its_disassembly() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("scale.hex");
    fs::write(&file, ":0402000015300200B3\n:0400000500000200F5\n:00000001FF\n").expect("written");
    let screen = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    screen.shows("mov r1, 5");
    screen.text("g");
    screen.shows("finished, status 0");
    screen.text("e");
    screen.shows("it can be walked, but not written");
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn a_terminal_too_small_says_so_and_works_when_it_grows() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = Screen::start(home.path(), "demo weighbridge", 50, 10);
    screen.shows("a little more room");
    screen.text("q");
    screen.shows("ended with 0");
}

/// A project of two sources in a folder.
fn project(home: &std::path::Path) -> std::path::PathBuf {
    let folder = home.join("yard");
    fs::create_dir_all(&folder).expect("made");
    fs::write(folder.join("wendax.toml"), "entry = \"start\"\n").expect("written");
    let main = "        .extern weigh\n        .macro TWICE r\n        add   {r}, {r}\n        inc   {r}\n        .endmacro\nstart:  TWICE r1\n        call  weigh\n        sys   exit\n";
    fs::write(folder.join("main.asm"), main).expect("written");
    fs::write(folder.join("scale.asm"), "        .global weigh\nweigh:  mov   r0, 7\n        ret\n").expect("written");
    folder
}

#[test]
fn a_project_is_walked_from_file_to_file_written_and_saved() {
    let home = tempfile::tempdir().expect("a folder");
    let folder = project(home.path());
    let screen = Screen::start(home.path(), &folder.display().to_string(), 140, 40);
    screen.shows("add   r1, r1");
    screen.text(">>");
    screen.shows("paused: stepped");
    screen.text("R]]");
    screen.keys("Right");
    screen.shows("yard/scale.asm");
    screen.text("f");
    screen.shows("files of the program");
    screen.shows("manifest");
    screen.keys("Escape");
    // The walk has begun, so the changed program is not taken over before it is asked for.
    screen.text("e");
    screen.keys("Down Home Enter Up");
    screen.text("        add r0, 2");
    screen.keys("Escape");
    screen.shows("the walk shows an older text");
    screen.text("r");
    screen.shows("at the same place");
    screen.text("g");
    screen.shows("finished, status 9");
    screen.keys("C-s");
    screen.shows("saved as");
    assert!(fs::read_to_string(folder.join("scale.asm")).expect("it is there").contains("add r0, 2"));
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn files_changed_on_disk_come_in_and_are_never_overwritten() {
    let home = tempfile::tempdir().expect("a folder");
    let folder = project(home.path());
    let screen = Screen::start(home.path(), &folder.display().to_string(), 140, 40);
    screen.shows("ready");
    let path = folder.join("main.asm");
    let text = fs::read_to_string(&path).expect("it is there");
    fs::write(&path, text.replace("TWICE r1", "TWICE r2")).expect("written");
    screen.shows("add   r2, r2");
    screen.shows("changed by someone else");
    // A file nobody looks at is part of the program all the same.
    let scale = folder.join("scale.asm");
    screen.text("f");
    screen.shows("scale.asm");
    fs::write(&scale, "        .global weigh\n; one\n; two\n; three\nweigh:  mov   r0, 5\n        ret\n")
        .expect("written");
    screen.shows("7 lines");
    screen.keys("Escape");
    screen.text("g");
    screen.shows("finished, status 5");
    screen.text("Re");
    screen.keys("C-End");
    screen.text("; mine");
    screen.shows("; mine");
    fs::write(&path, text.replace("TWICE r1", "TWICE r3")).expect("written");
    screen.shows("both changes are in the text");
    screen.keys("C-s");
    screen.shows("saved as");
    let saved = fs::read_to_string(&path).expect("it is there");
    assert!(saved.contains("TWICE r3") && saved.contains("; mine"), "{saved}");
}

#[test]
fn unsaved_texts_of_all_files_survive() {
    let home = tempfile::tempdir().expect("a folder");
    let folder = project(home.path());
    let screen = Screen::start(home.path(), &folder.display().to_string(), 140, 40);
    screen.shows("ready");
    screen.text("e");
    screen.keys("C-Home");
    screen.text("; first ");
    screen.keys("C-o Down Enter C-Home");
    screen.text("; second ");
    screen.shows("; second");
    screen.kill("TERM");
    screen.shows("ended with");
    let again = Screen::start(home.path(), &folder.display().to_string(), 140, 40);
    again.shows("; second");
    again.shows("recovered");
    again.text("f");
    again.keys("Up Enter");
    again.shows("; first");
    again.keys("C-s");
    again.shows("saved as");
    assert!(fs::read_to_string(folder.join("scale.asm")).expect("it is there").starts_with("; second"));
}

#[test]
fn an_elf_program_brings_its_sources_back_and_without_them_is_disassembled() {
    let home = tempfile::tempdir().expect("a folder");
    let folder = project(home.path());
    let built = std::process::Command::new(env!("CARGO_BIN_EXE_wendax")).current_dir(&folder).arg("build").output();
    assert!(built.expect("it runs").status.success());
    let elf = folder.join("build/yard.elf");
    let screen = Screen::start(home.path(), &elf.display().to_string(), 140, 40);
    screen.shows("TWICE r1");
    screen.text("]]]");
    screen.keys("Left Right");
    screen.shows("yard.elf · main.asm");
    screen.text("e");
    screen.shows("it can be walked, but not written");
    screen.text("g");
    screen.shows("finished, status 7");
    screen.text("q");
    screen.shows("ended with 0");
    fs::remove_file(folder.join("scale.asm")).expect("it was there");
    let bare = Screen::start(home.path(), &elf.display().to_string(), 140, 40);
    bare.shows("shown without source: its source scale.asm: there is no such file");
    bare.shows("call weigh");
    bare.text("q");
    bare.shows("ended with 0");
}

#[test]
fn a_manifest_is_shown_mended_and_written_as_what_it_is() {
    let home = tempfile::tempdir().expect("a folder");
    let folder = project(home.path());
    fs::write(folder.join("wendax.toml"), "entri = \"start\"\n").expect("written");
    let screen = Screen::start(home.path(), &folder.display().to_string(), 140, 40);
    screen.shows("1 problem in the text");
    screen.text("N");
    screen.shows("W071 a manifest has no key `entri` here");
    screen.keys("C-t");
    screen.shows("ready");
    screen.text("e");
    screen.keys("C-b");
    screen.shows("a manifest is no source");
    screen.keys("C-k C-s");
    screen.shows("saved as");
    assert_eq!(fs::read_to_string(folder.join("wendax.toml")).expect("it is there"), "# entry = \"start\"\n");
}

#[test]
fn an_image_is_never_written_over_by_what_is_done_to_its_disassembly() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("scale.bin");
    let bytes = [0x15, 0x30, 0x02, 0x00];
    fs::write(&file, bytes).expect("written");
    let screen = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    screen.shows("mov r1, 5");
    for entry in ["comments", "paste", "cut", "columns", "take back"] {
        screen.text(":");
        screen.text(entry);
        screen.keys("Enter");
        screen.keys("Escape");
    }
    screen.text("q");
    screen.shows("ended with 0");
    assert_eq!(fs::read(&file).expect("it is there"), bytes);
}

#[test]
fn a_file_that_is_deleted_or_made_meanwhile_is_told_and_not_lost() {
    let (home, file) = home("start:  jmp start\n");
    let screen = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    screen.shows("ready");
    fs::remove_file(&file).expect("it was there");
    screen.shows("no longer on disk");
    screen.text("q");
    screen.shows("Not saved: ");
    screen.text("s");
    screen.shows("ended with 0");
    assert_eq!(fs::read_to_string(&file).expect("it is there again"), "start:  jmp start\n");
    // A new text whose file someone else makes before it is saved.
    let file = home.path().join("new.asm");
    let screen = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    screen.shows("new.asm");
    screen.text("start: halt ; mine");
    screen.shows("; mine");
    fs::write(&file, "start: nop ; theirs\n").expect("written");
    screen.shows("changed on disk too");
    screen.keys("C-s");
    screen.shows("start: nop ; theirs");
    assert_eq!(fs::read_to_string(&file).expect("it is there"), "start: nop ; theirs\n");
    screen.text("k");
    screen.keys("C-s");
    screen.shows("saved as");
    assert!(fs::read_to_string(&file).expect("it is there").contains("; mine"), "it was decided so");
}

#[test]
fn recovered_text_is_assembled_and_does_not_undo_what_happened_to_its_file() {
    let (home, file) = home("start:  mov r0, 1\n\n\n\n        sys exit\n");
    let screen = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    screen.shows("ready");
    screen.text("e");
    screen.keys("C-End");
    screen.text("; mine");
    screen.shows("; mine");
    screen.kill("TERM");
    screen.shows("ended with");
    fs::write(&file, "start:  mov r0, 9\n\n\n\n        sys exit\n").expect("written");
    let again = Screen::start(home.path(), &file.display().to_string(), 120, 30);
    again.shows("both changes are in the text");
    again.shows("mov r0, 9");
    again.shows("ready");
    again.text("g");
    again.shows("finished, status 9");
}

#[test]
fn how_a_program_was_looked_at_is_there_again() {
    const W16: &str = "start:  nop\n        nop\n        mov   r0, open\n        sys   exit\n.data\nopen:   .word 7\n";
    const RV32: &str =
        ".target rv32\n_start: nop\n        nop\n        la    a0, open\n        sys   exit\n.data\nopen:   .word 7\n";
    for (text, mark, register, stack) in
        [(W16, "◆ 5", "r0", "1111 1110 0000 0000"), (RV32, "◆ 6", "a0", "0111 1111 1111 1111 1111 1111 1110 0000")]
    {
        let home = tempfile::tempdir().expect("a folder");
        let file = home.path().join("gate.asm");
        fs::write(&file, text).expect("written");
        let screen = Screen::start(home.path(), &file.display().to_string(), 140, 50);
        screen.shows("ready");
        screen.keys("Down Down");
        screen.text("b");
        screen.keys(":registers_in_binary");
        screen.text("v");
        screen.text(&format!("{register} as hex"));
        screen.keys("Enter");
        screen.shows("─ watches");
        screen.text("m");
        screen.text("open");
        screen.keys("Enter");
        screen.shows("▸memory");
        screen.text("q");
        screen.shows("ended with 0");
        // Two lines came above it meanwhile.
        fs::write(&file, format!("; one\n; two\n{text}")).expect("written");
        let again = Screen::start(home.path(), &file.display().to_string(), 140, 50);
        again.shows("▸memory");
        again.shows(mark);
        again.text("g");
        again.shows("paused: breakpoint");
        again.shows(stack);
        again.shows("─ watches");
        again.shows(&format!("{register} as hex"));
        again.text("q");
        again.shows("ended with 0");
        let own = |name: &str| name.starts_with('.') || ["gate.asm", "data"].contains(&name);
        let entries = fs::read_dir(home.path()).expect("a folder").filter_map(Result::ok);
        let others: Vec<_> =
            entries.map(|entry| entry.file_name()).filter(|name| !own(&name.to_string_lossy())).collect();
        assert!(others.is_empty(), "nothing lies beside the user's file: {others:?}");
    }
}

/// A project made in the bench is for the machine of the program that is looked at, and runs.
#[test]
fn a_new_project_is_for_the_present_machine() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("gate.asm");
    fs::write(&file, ".target rv32\n_start: li a0, 0\n        sys exit\n").expect("written");
    let screen = Screen::start(home.path(), &file.display().to_string(), 140, 40);
    screen.shows("RV32");
    screen.text(":new project");
    screen.keys("Enter");
    screen.shows("a source for this machine");
    screen.text(&home.path().join("yard").display().to_string());
    screen.keys("Enter");
    screen.shows("yard/src/main.asm");
    screen.shows("RV32");
    let manifest = fs::read_to_string(home.path().join("yard/wendax.toml")).expect("it is there");
    assert!(manifest.contains("target = \"rv32\""), "{manifest}");
    screen.text("g");
    screen.shows("total 219");
}

#[test]
fn what_the_shell_does_is_at_hand() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("echo.asm");
    fs::write(
        &file,
        "start:  mov r0, r1\n        ldw r0, [r0]\n        sys put_text\n        mov r0, 0\n        sys exit\n",
    )
    .expect("written");
    let screen = Screen::start(home.path(), &format!("{} -- north south", file.display()), 140, 40);
    screen.shows("ready");
    screen.keys(":arguments");
    screen.shows("north south");
    screen.keys("Escape");
    screen.keys(":build_elf");
    screen.shows("echo.elf");
    screen.keys("Enter");
    screen.shows("is written");
    assert!(fs::read(home.path().join("echo.elf")).expect("it is there").starts_with(b"\x7FELF"));
    screen.keys(":build_elf");
    screen.keys("C-u");
    screen.text(&home.path().join("echo.lst").display().to_string());
    screen.keys("Enter");
    screen.shows("echo.lst is written");
    assert!(fs::read_to_string(home.path().join("echo.lst")).expect("it is there").contains("put_text"));
    screen.text(":new project");
    screen.keys("Enter");
    screen.shows("which is made with a manifest");
    screen.text(&home.path().join("yard").display().to_string());
    screen.keys("Enter");
    screen.shows("yard/src/main.asm");
    screen.text("g");
    screen.shows("the first input was typed by wendax.toml");
    screen.text(":new file");
    screen.keys("Enter");
    screen.text("src/gate.asm");
    screen.keys("Enter");
    screen.text("gate:   ret");
    screen.keys("C-s");
    screen.shows("saved as");
    assert!(home.path().join("yard/src/gate.asm").is_file());
    screen.keys("Escape");
    screen.text("f");
    screen.shows("src/gate.asm");
}

#[test]
fn a_file_that_cannot_be_written_is_marked_and_said() {
    use std::os::unix::fs::PermissionsExt;
    let (home, file) = home("start:  jmp start\n");
    fs::set_permissions(&file, fs::Permissions::from_mode(0o444)).expect("set");
    let screen = Screen::start(home.path(), &file.display().to_string(), 140, 30);
    screen.shows("read-only");
    screen.text("e; mine");
    screen.keys("C-s");
    screen.shows("“save as” takes another name");
    fs::set_permissions(&file, fs::Permissions::from_mode(0o644)).expect("set");
    screen.keys("C-s");
    screen.shows("saved as");
    assert!(fs::read_to_string(&file).expect("it is there").starts_with("; mine"));
}

#[test]
fn settings_are_written_followed_and_told_when_wrong() {
    let (home, file) = home("start:  mov   r1, 5\n        jmp   start\n");
    let settings = home.path().join(".config/wendax/settings.toml");
    let run = |words: &[&str]| {
        let command = &mut std::process::Command::new(env!("CARGO_BIN_EXE_wendax"));
        command.env("HOME", home.path()).env_remove("XDG_CONFIG_HOME").args(words).output().expect("it runs")
    };
    assert!(run(&["settings"]).status.success());
    let written = fs::read_to_string(&settings).expect("it is there");
    assert_eq!(written.as_bytes(), run(&["settings", "--print"]).stdout);
    let changed = written
        .replace("registers-in-binary = false", "registers-in-binary = true")
        .replace("mouse = true", "mous = true");
    fs::write(&settings, changed).expect("written");
    let told = run(&["settings"]);
    assert!(String::from_utf8_lossy(&told.stdout).contains("there is no setting `mous`"), "{told:?}");
    assert_eq!(told.status.code(), Some(111));
    let screen = Screen::start(home.path(), &file.display().to_string(), 140, 30);
    screen.shows("there is no setting `mous`; `wendax settings` tells more");
    screen.shows("ready");
    screen.keys("Right");
    screen.shows("0000 0000 0000 0101");
}

#[test]
fn every_view_comes_up_in_a_real_terminal() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = Screen::start(home.path(), "demo weighbridge", 160, 50);
    screen.shows("ready");
    // The routine that sums the wagon: stack, calls, and what they say.
    screen.text("/wagon_weight:");
    screen.keys("Enter");
    screen.text(".");
    screen.shows("what you type goes to the program");
    for load in ["120", "99", "0"] {
        screen.text(load);
        screen.keys("Enter");
    }
    screen.shows("paused: at the line");
    screen.shows("back to line 50");
    screen.shows("way back from wagon_weight");
    // Each sheet, and back.
    screen.text("?");
    screen.shows("push: ");
    screen.keys("Tab Enter");
    screen.shows("about stack");
    screen.keys("BSpace");
    screen.shows("in your program, line 67");
    screen.keys("Escape");
    screen.text(":registers in binary");
    screen.shows("Registers in binary, or in decimal");
    screen.keys("Enter");
    screen.shows("registers show their bits");
    screen.text("f");
    screen.shows("files of the program");
    screen.keys("Escape");
    screen.until("the list goes", || !screen.read().contains("files of the program"));
    // The layouts, and the list of what happened.
    screen.keys(":show_to_others");
    screen.shows("for showing");
    screen.keys(":show_to_others");
    screen.text("oo");
    screen.text(":pane marks");
    screen.keys("Enter");
    screen.shows("▾ typed");
    screen.keys("C-Home Enter");
    screen.shows("step 1 of");
    // A search, a value by an expression, and both taken back.
    screen.text("/stw");
    screen.shows("2 places");
    screen.keys("Escape");
    screen.text("=r7 = axles + 2");
    screen.keys("Enter");
    screen.shows("set at this step");
    screen.keys("C-z");
    screen.shows("taken back: a value set by hand");
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn a_lever_a_lamp_and_a_file_in_a_real_terminal() {
    let home = tempfile::tempdir().expect("a folder");
    let screen = Screen::start(home.path(), "demo signals", 160, 50);
    screen.shows("what to try");
    screen.shows("ready");
    screen.keys("Escape");
    screen.text("/idle:");
    screen.keys("Enter");
    screen.text(".0");
    screen.shows("lever 0 is up");
    screen.text("4");
    screen.shows("the interrupt lever (A) comes before");
    screen.text("/show:");
    screen.keys("Enter");
    screen.text(".");
    screen.shows("show, line");
    screen.keys("Right Right Right");
    screen.shows("∙∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙●∙ 0002");
    screen.keys("Left");
    screen.shows("∙∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙∙∙ 0000");
    // In real time, live: the seconds run, and a lever answers.
    screen.text("Lk");
    screen.until("the timer has ticked", || screen.read().contains("●∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙●∙ 8002"));
    screen.text("4");
    screen.until("the signal has fallen", || {
        screen.read().contains("∙∙∙∙ ∙∙∙∙ ∙∙∙∙ 8000") || screen.read().contains("∙∙∙∙ ∙∙∙∙ ∙∙∙∙ ∙∙∙∙ 0000")
    });
    screen.keys("Space");
    screen.text("q");
    screen.shows("ended with 0");
    // A file: written, gone back over, written differently.
    let source = home.path().join("gate.asm");
    let text = "start:  mov r0, name\n        mov r1, 1\n        sys file_open\n        mov r6, r0\n        mov r1, text\n        \
                mov r2, 4\n        sys file_write\n        mov r0, r6\n        sys file_close\n        clr r0\n        sys exit\n        \
                .data\nname:   .asciz \"report.txt\"\ntext:   .ascii \"gate\"\n";
    fs::write(&source, text).expect("written");
    let folder = home.path().join("yard");
    fs::create_dir(&folder).expect("made");
    let screen = Screen::start(home.path(), &format!("{} --files {}", source.display(), folder.display()), 160, 50);
    screen.shows("ready");
    screen.text("g");
    screen.shows("finished, status 0");
    let report = folder.join("report.txt");
    screen.until("the file is there", || fs::read_to_string(&report).is_ok_and(|text| text == "gate"));
    screen.text("t2");
    screen.keys("Enter");
    screen.text("=byte [text] = 'l'");
    screen.keys("Enter");
    screen.until("it is as it was", || !report.exists());
    screen.text("g");
    screen.until("it is written differently", || fs::read_to_string(&report).is_ok_and(|text| text == "late"));
    screen.text("q");
    screen.shows("ended with 0");
}

#[test]
fn a_run_is_measured_drawn_and_compared_in_a_real_terminal() {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("gates.asm");
    let text = "start:  mov   r1, 3000\nouter:  mov   r0, 40\n        call  gate\n        djnz  r1, outer\n        clr   r0\n        sys   exit\n\
                gate:   mul   r2, r0\n@round: djnz  r0, @round\n        ret\n";
    fs::write(&file, text).expect("written");
    let screen = Screen::start(home.path(), &file.display().to_string(), 150, 45);
    screen.shows("ready");
    screen.text("g");
    screen.shows("finished, status 0");
    screen.text("P");
    screen.shows("lines          9 of 9 ran");
    screen.text("c");
    screen.shows("keep the tally as");
    screen.keys("C-u");
    screen.text("forty");
    screen.keys("Enter");
    screen.shows("kept as forty");
    // A flow with counts, and the way back.
    screen.keys("Escape");
    screen.text("PP");
    screen.shows("3 000×");
    screen.keys("Escape");
    // Drawn to a file, by the palette.
    let drawing = home.path().join("gates.svg");
    screen.text(":draw which routine");
    screen.keys("Enter C-u");
    screen.text(&drawing.display().to_string());
    screen.keys("Enter");
    screen.until("the drawing is written", || drawing.exists());
    assert!(fs::read_to_string(&drawing).expect("it is there").contains("gate"));
    // Another text, another run, and both side by side.
    screen.text("/40");
    screen.keys("Enter e End BSpace BSpace");
    screen.text("20");
    screen.keys("Escape");
    screen.shows("the walk shows an older text");
    // The whole number is assembled.
    screen.shows("2000 0014");
    screen.text("Rg");
    screen.shows("step 75 003 of 75 003");
    screen.keys(":tally_what_the_run");
    screen.shows("from 0 to 75 003");
    screen.text("c");
    screen.shows("beside forty");
    // Twenty rounds of two cycles less, three thousand times.
    screen.shows("\u{2212}120 000");
    screen.text("q");
    screen.keys("s");
    screen.shows("ended with 0");
}

#[test]
fn the_palette_shows_what_is_set_and_where() {
    let (home, file) = home("start:  halt\n");
    fs::create_dir_all(home.path().join(".config/wendax")).expect("made");
    fs::write(home.path().join(".config/wendax/settings.toml"), "wrap-lines = true\n").expect("written");
    let screen = Screen::start(home.path(), &file.display().to_string(), 120, 36);
    screen.shows("ready");
    screen.keys(":settings");
    screen.shows("wrap-lines is true");
    screen.shows("ground is terminal (else dark, light)");
    screen.shows("settings.toml");
    screen.keys("Escape");
    screen.text("q");
    screen.shows("ended with 0");
}
