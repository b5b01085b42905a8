//! Prompts, as one table: by which command each is asked for, what stands at its head, what may be written, what stands
//! there at first, and what is done with what was written. A prompt costs its row here.
//!
//! A row: its name, its command as in `commands.rs` (none for what is asked on the way to something else), its head,
//! what may be written, in brackets what it is besides, what stands there `first`, what is done to `take` an answer. With
//! what cannot be, the prompt stays and says why.

use crate::actions::{Action, Ask, File, Look};
use crate::app::App;
use crate::keys::{Binding, Context};
use crate::message::Effect;
use crate::panes::{PaneId, PaneState};
use crate::sheet::Sheet;
use crate::world::drawings::Wanted;
use wendax_draw::Drawing;
use wendax_session::{Command, Thing};

/// What a prompt is besides.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Trait {
    /// What is asked for is written with values: names are completed in it.
    Values,
    /// It writes a text, or makes one: nothing of that is done to an image.
    Writes,
}

/// A prompt.
pub(crate) struct Prompt {
    pub(crate) ask: Ask,
    /// The command that asks it.
    pub(crate) command: Option<Binding>,
    /// What may be written.
    pub(crate) hint: &'static str,
    pub(crate) traits: &'static [Trait],
    /// What stands there at first.
    pub(crate) first: fn(&App) -> String,
    /// What is done with what was written.
    pub(crate) take: fn(&mut App, &str, &mut Vec<Effect>) -> Result<(), String>,
}

macro_rules! prompts {
    ($($ask:ident $([$($context:ident)*] $($key:literal)* => $name:literal / $words:literal $(@ $short:literal)?)?,
        $head:literal: $hint:literal $([$($trait:ident)*])?, first $first:expr, take $take:expr;)*) => {
        $(pub(crate) const $ask: Ask = Ask($head);)*

        /// All of them.
        pub(crate) const PROMPTS: &[Prompt] = &[$(Prompt {
            ask: $ask,
            command: [$(Some(Binding {
                keys: &[$($key),*],
                contexts: &[$(Context::$context),*],
                action: Action::Look(Look::Ask($ask)),
                short: concat!($($short)?),
                name: $name,
                words: $words,
            }),)? None][0],
            hint: $hint,
            traits: &[$($(Trait::$trait),*)?],
            first: $first,
            take: $take,
        }),*];
    };
}

/// Nothing stands there at first.
const NOTHING: fn(&App) -> String = |_| String::new();

prompts! {
    MEMORY_AT [Walk] "m" => "Memory at a label, address or register"
        / "show examine dump view watch pointer variable array" @ "memory at",
        "memory at": "a label, a register to follow, wagons + 4, [{argument}]; data, heap, stack, devices; empty for the data" [Values],
        first NOTHING, take |app, text, _| {
            app.screen.lens = app.world.lens_for(text)?;
            *app.screen.panes.of_mut(PaneId::Memory) = PaneState::default();
            // What was asked for comes into view, and keys move in it.
            app.focus_on(PaneId::Memory);
            Ok(())
        };
    VALUE [Walk] "=" => "Set a register or memory cell" / "change value assign modify flag write poke" @ "set",
        "set": "{argument} = 5    {flags}Z = 1    {end}total = total + 1    [{kept} + 4] = 'H'    byte [text] = 0" [Values],
        first |app| app.thing_chosen().map_or(String::new(), |thing| format!("{} = ", app.settable_words(thing))),
        take |app, text, _| app.set_value(text);
    STEP [Walk] "t" => "To a step by its number" / "jump goto time number",
        "to step": "the number of a step, such as 120; +3 or -3 from here",
        first NOTHING, take |app, text, effects| {
            let step = app.world.step_asked_for(text)?;
            app.begin(Command::Seek(step), effects);
            Ok(())
        };
    GUESS, "what will it do?": "{argument} = 5, {flags}Z = 1, {end}[total] = 3, taken, not taken, prints \"x\"; several with commas; nothing \
            for only a step" [Values],
        first NOTHING, take |app, text, effects| {
            let because = app.world.walk.explanation.as_ref().and_then(|account| account.sentences.first().cloned());
            let verdict = if text.trim().is_empty() { None } else { Some(app.world.judge_guess(text)?) };
            app.begin(Command::Step, effects);
            let because = because.map_or(String::new(), |because| format!("; {because}"));
            match verdict {
                Some((true, _)) => app.screen.say(format!("right{because}")),
                Some((false, instead)) => app.screen.trouble(format!("wrong: {instead}{because}")),
                None => {}
            }
            Ok(())
        };
    EXERCISE [Walk] => "Exercise: answer the questions of a file about the program"
        / "quiz questions test learn teach lesson task homework",
        "exercise": "a file that ends in .exercise.toml; a run begins anew with what is typed there",
        first |app| app.first_exercise(),
        take |_, text, effects| {
            effects.push(Effect::ReadExercise(text.to_owned()));
            Ok(())
        };
    ANSWER, "your answer": "a value, taken or not taken, what is printed; ? for a hint" [Values],
        first NOTHING, take |app, text, effects| app.answer_exercise(text, effects);
    PIN [Walk] => "Pin this moment: give it a name"
        / "bookmark mark snapshot name remember moment",
        "pin this moment": "a word; in the differences and in the list of marks it stands for this moment",
        first |app| {
            let pins = app.session().map_or(0, |session| session.pins().len());
            format!("pin{}", pins + 1)
        },
        take |app, text, _| {
            let session = app.world.walk.session.as_mut().ok_or("there is no program yet")?;
            session.pin(text)?;
            let step = session.now();
            app.screen.say(format!("step {step} is {} now; “Compare” sets it beside another moment", text.trim()));
            Ok(())
        };
    NAME_RUN [Walk] => "Name it: the branch that is chosen, or the present one" / "rename label runs branches",
        "name the run": "a few words, by which the list of runs tells it",
        first |app| match app.screen.focus {
            PaneId::Runs => {
                let chosen = app.screen.panes.of(PaneId::Runs).chosen;
                app.world.other_runs().get(chosen).map_or(String::new(), |(_, run)| run.name.clone())
            }
            _ => app.world.walk.name.clone(),
        },
        take |app, text, _| {
            let chosen = app.screen.panes.of(PaneId::Runs).chosen;
            let name = match app.screen.focus {
                PaneId::Runs => app.world.other_run_mut(chosen).map(|run| &mut run.name),
                _ => Some(&mut app.world.walk.name),
            };
            text.trim().clone_into(name.ok_or("there is no other run")?);
            Ok(())
        };
    UNPIN [Walk] => "Take a pin away" / "bookmark delete remove moment",
        "take a pin away": "its name",
        first |app| {
            let now = app.session().map(|session| (session.now(), session.pins()));
            let here = now.and_then(|(now, pins)| pins.iter().find(|pin| pin.step == now).or(pins.last()));
            here.map_or(String::new(), |pin| pin.name.clone())
        },
        take |app, text, _| {
            let session = app.world.walk.session.as_mut().ok_or("there is no program yet")?;
            if session.unpin(text.trim()) { Ok(()) } else { Err(format!("no moment has the name `{}`", text.trim())) }
        };
    COMPARE [Walk] => "Compare this moment with another one" / "diff difference before after pin snapshot round routine changed",
        "compare with": "a pin, a step, start, end, entry (of the routine), round (the same place one round earlier)",
        first |app| {
            let pin = app.session().and_then(|session| session.pins().last());
            pin.map_or("start".to_owned(), |pin| pin.name.clone())
        },
        take |app, text, _| {
            let moment = app.world.moment_beside(text)?;
            app.compare_with(moment);
            app.world.walk.beside.is_entry = text.trim() == "entry";
            Ok(())
        };
    HISTORY [Walk] => "Changes of a register, a flag or a place in memory" / "history who wrote why story value",
        "changes of": "{argument}, {flags}Z, {end}total, [{kept} + 4], byte [text], console_state" [Values],
        first NOTHING, take |app, text, _| {
            let thing = app.world.thing_asked_for(text)?;
            app.show_history(thing);
            Ok(())
        };
    WATCH [Walk] "v" => "Watch a value: a register, an expression, an array as a table, a text"
        / "display inspect variable expression add array" @ "watch",
        "watch": "{argument}, [total] as signed, weights as words 6, name as text, [{kept}] as hex, list as records 4 of word byte \
            byte; forms: hex signed unsigned binary char text bytes words addresses records" [Values],
        first |app| match app.thing_chosen() {
            Some(thing) if app.screen.focus != PaneId::Watches => app.settable_words(thing),
            _ => String::new(),
        },
        take |app, text, _| {
            app.world.watch(text)?;
            app.screen.panes.of_mut(PaneId::Watches).chosen = app.world.watches.list.len().saturating_sub(1);
            Ok(())
        };
    STOP_AT [Walk] "a" => "Stop at anything: a label, a line, a change, a call, a value"
        / "stop breakpoint watchpoint halt address condition data note add",
        "stop at": "a label, main.asm:12, change total, write {argument}, {flags}read Z, {end}call put_text, trap, print \"x\", enter or leave a \
            routine, when {argument} == 5; behind it: if {other} > 3, every 10, from 3, once, note {argument}, total" [Values],
        first NOTHING, take |app, text, _| app.stop_at(text);
    STOP_RULE [Walk] => "Say more of the stop: a condition, a count, once, values to note"
        / "breakpoint if every hits edit conditional",
        "what is said of the stop": "if {argument} > 5; from 3: from the third time on; every 10; once; note {argument}, total: note values \
            instead of stopping" [Values],
        first |app| app.stop_meant().map_or(String::new(), |stop| stop.words.clone()),
        take |app, text, _| app.say_of_stop(text);
    UNTIL [Walk] "j" => "On until something: a value, a change, a line, a call, output"
        / "run until condition when change reach",
        "on until": "when {argument} == 5, change total, a label, leave weigh, print, call, main.asm:12, 30 steps" [Values],
        first |app| app.screen.until.clone(), take |app, text, effects| app.go_until(text, false, effects);
    BACK_UNTIL [Walk] "J" => "Back until something: a value, a change, a line, a call, output"
        / "reverse until condition when change",
        "back until": "when {argument} == 5, change total, a label, enter weigh, print, call, main.asm:12, 30 steps" [Values],
        first |app| app.screen.until.clone(), take |app, text, effects| app.go_until(text, true, effects);
    // ---- searching
    SEARCH, "search": "any text; Tab: whole words, or a regular expression; nothing for the same once more, as n does",
        first NOTHING, take |app, text, _| {
            if !text.is_empty() {
                text.clone_into(&mut app.screen.search.text);
            }
            app.search_on(true);
            Ok(())
        };
    REPLACE, "replace by": "what comes in the place of what was searched for, in this file; $1 is the first group of an expression" [Writes],
        first |app| app.screen.search.replacement.clone(), take |app, text, _| app.begin_replacing(text);
    RENAME, "rename": "the name under the cursor gets this spelling wherever it stands, in all files" [Writes],
        first NOTHING, take |app, text, _| app.rename(text);
    FIND_IN_MEMORY [Walk] => "Find in memory: a word, a byte, a text" / "search look value string bytes",
        "find in memory": "a word: 560, total; a byte: byte 'x'; a text: \"yard\"; n finds it further on" [Values],
        first |app| app.screen.memory_search.clone(), take |app, text, _| {
            text.clone_into(&mut app.screen.memory_search);
            app.find_in_memory(false)
        };
    TRAIL_FILTER [Walk] => "Trail: show only the steps of a routine, of a kind, that touch something"
        / "filter trace grep only restrict",
        "the trail shows only": "in weigh, main.asm:5 to main.asm:9 behind `in`, op add, call, change total, read {argument}, \
            print, if r2 > 5 behind any; empty for all steps" [Values],
        first |app| app.world.trail.filter.as_ref().map_or(String::new(), |(text, _)| text.clone()),
        take |app, text, _| {
            app.world.filter_trail(text)?;
            app.focus_on(PaneId::Trail);
            Ok(())
        };
    // ---- trials
    TABLE [Walk] => "Trials: take a table of them" / "tests open load file check rows",
        "table of trials": "a file that ends in .trials.toml, or trials.toml",
        first |app| app.first_table(), take |_, text, effects| {
            effects.push(Effect::ReadTable(text.to_owned()));
            Ok(())
        };
    ROW_OF_RUN [Walk] => "Trials: make a row of the present run" / "test case record add new expected",
        "a row of this run, called": "a name of its own: what came from outside is given, and what the run came to is expected",
        first |app| app.first_row_name("run"), take |app, text, effects| app.row_of_run(text, effects);
    NEW_ROW [Trials] "a" => "Trials: add a row" / "new test case empty" @ "add",
        "a new row, called": "a name of its own; its cells are set with e",
        first |app| app.first_row_name("row"), take |app, text, effects| app.new_row(text, effects);
    CELL [Trials] "e" => "Trials: set a cell of the row, or take it away" / "edit change key value expected given" @ "set a cell",
        "set a cell": "a key with its value, as in the file: typed = \"120\\n\"   prints = \"240\"   status = 0; a key alone takes it away",
        first |app| app.first_cell(), take |app, text, effects| app.set_cell(text, effects);
    // ---- the tally
    KEEP_TALLY [Tally] => "Tally: keep it under a name, to be compared" / "remember save name",
        "keep the tally as": "a name: c in the tally sets the present run beside it",
        first |app| format!("run {}", app.world.tallies.kept.len() + 1), take |app, text, _| app.keep_tally(text);
    SAVE_TALLY [Walk] => "Save the tally to a file" / "export profile coverage lcov csv json write",
        "save the tally": "a file: .json to be kept and compared, .csv for a table, .info for the lines that ran (LCOV), else \
            text",
        first |_| "tally.json".to_owned(), take |app, text, effects| {
            effects.push(app.tally_to_save(text)?);
            Ok(())
        };
    OPEN_TALLY [Walk] => "Tally: take one that was saved, to be compared" / "open load import profile compare",
        "tally from": "a file that was saved as .json, here or by `wendax run --tally`",
        first NOTHING, take |_, text, effects| {
            effects.push(Effect::ReadTally(text.to_owned()));
            Ok(())
        };
    TALLY_PART [Walk] => "Tally: measure only the part between two moments" / "range from to steps profile",
        "measure only": "two moments: 100 to 2000, start to now, now to end; empty for all of the run",
        first NOTHING, take |app, text, _| {
            app.world.measure_part(text)?;
            app.show_page(PaneId::Tally);
            Ok(())
        };
    SPAN [Walk] => "Measure each passage from a place to another"
        / "span time latency interval stopwatch how long cycles between profile",
        "measure passages": "from a place to another: weigh to weigh@done, main.asm:12 to main.asm:20; one place alone is \
            from each time it is come to until the next" [Values],
        first NOTHING, take |app, text, _| {
            app.world.measure_span(text)?;
            app.show_page(PaneId::Tally);
            app.screen.say("measured; x goes through the tables to the spans");
            Ok(())
        };
    // ---- the next run
    ARGUMENTS [Walk] => "Arguments for the next run" / "parameters command line words argv",
        "arguments": "words for the program, as in a shell: \"a b\" is one; R starts a run with them; empty for none",
        first |app| app.world.given_arguments(), take |app, text, _| {
            let words = shlex::split(text).ok_or("a quotation mark is not closed")?;
            app.world.given.arguments = Some(words.into_iter().map(String::into_bytes).collect());
            app.screen.say("the next run gets them: R starts it");
            Ok(())
        };
    INPUT [Walk] => "Typed input for the next run" / "stdin keyboard type",
        "typed input": "what is typed when the next run asks: \\n ends a line; R starts a run with it; empty for none",
        first |app| app.world.given_input(), take |app, text, _| {
            let typed = text.replace("\\n", "\n");
            let ends = typed.is_empty() || typed.ends_with('\n');
            app.world.given.typed = Some(if ends { typed } else { typed + "\n" }.into_bytes());
            app.screen.say("the next run gets it: R starts it");
            Ok(())
        };
    SEED [Walk] => "Seed of the random numbers for the next run" / "dice chance",
        "seed": "a number: the same seed gives the same random numbers; R starts a run with it",
        first |app| app.world.settings().seed.to_string(), take |app, text, _| {
            let seed = text.parse().map_err(|_| format!("`{text}` is no number from 0 on"))?;
            app.world.given.seed = Some(seed);
            app.screen.say("the next run gets it: R starts it");
            Ok(())
        };
    OPEN_EVENTS [Walk] => "Run with what comes from outside out of a file of events"
        / "play script keys levers input test import",
        "events from": "a file of events, as `wendax run --events` takes it; a run begins anew with it; empty for none",
        first |app| app.world.given.events.as_ref().map_or(String::new(), |(path, _)| path.clone()),
        take |app, text, effects| {
            if text.is_empty() {
                app.world.given.events = None;
                app.screen.say("nothing comes from a file in the next runs");
            } else {
                effects.push(Effect::ReadEvents(text.to_owned()));
            }
            Ok(())
        };
    // ---- files
    SAVE_AS [Walk] => "Save under another name" / "write file copy export as",
        "save as": "the name of the file" [Writes],
        first |app| app.path().unwrap_or_default().to_owned(), take |app, text, effects| app.save_as(text, effects);
    SAVE_AND_LEAVE, "save and quit": "the name of the file" [Writes],
        first |app| app.path().unwrap_or_default().to_owned(), take |app, text, effects| {
            app.save_as(text, effects)?;
            app.screen.sheet = Some(Sheet::Leaving);
            Ok(())
        };
    NEW_FILE [Walk] => "New file of the program" / "create add source",
        "new file": "its name, counted from the folder of the program: gate.asm" [Writes],
        first NOTHING, take |app, text, _| app.new_file(text);
    NEW_PROJECT [Walk] => "New project in a folder of its own" / "create start begin workspace",
        "new project": "the name of a folder, which is made with a manifest and a source for this machine",
        first NOTHING, take |_, text, effects| {
            if text.is_empty() {
                return Err("a project needs a folder of its own".to_owned());
            }
            effects.push(Effect::NewProject(text.to_owned()));
            Ok(())
        };
    BUILD [Walk] => "Build: ELF, HEX, S-records, raw bytes, listing, symbols or map, by the name's ending"
        / "export compile assemble link binary image listing print object output",
        "build": "a file: .elf .hex .srec .bin, or .lst for the listing, .sym for the symbols, .map for the map of memory",
        first |app| {
            let name = app.document().path.as_deref().unwrap_or("program.asm");
            format!("{}.elf", name.rsplit_once('.').map_or(name, |(name, _)| name))
        },
        take |app, text, effects| {
            app.when_ready(|_| effects.push(Effect::Build(text.to_owned())));
            Ok(())
        };
    SEND [Walk] => "Send the program to a board, and run it there"
        / "upload flash load serial port device usb hardware target",
        "send to a board": "a port: /dev/ttyUSB0, /dev/pts/7, 127.0.0.1:4000; `wendax board` in another terminal says one",
        first |app| app.screen.port.clone(), take |app, text, effects| {
            if text.is_empty() {
                return Err("a port is missing".to_owned());
            }
            app.when_ready(|app| {
                text.clone_into(&mut app.screen.port);
                app.screen.say(format!("sending to {text}"));
                effects.push(Effect::Send(text.to_owned()));
            });
            Ok(())
        };
    SAVE_MEMORY [Walk] => "Save a part of memory to a file" / "export dump write bytes binary text",
        "save memory": "weights as bytes 32 to part.bin; any form of a watch to a file of another name: weights as words 6 to \
            part.txt" [Values],
        first |app| match app.thing_chosen() {
            Some(Thing::Cells(from, _)) => format!("{} as bytes 32 to memory.bin", app.world.target().marked_address(from)),
            _ => String::new(),
        },
        take |app, text, effects| {
            effects.push(app.memory_to_save(text)?);
            Ok(())
        };
    SAVE_TRAIL [Walk] => "Save the trail to a file" / "export write trace steps csv json",
        "save the trail": "a file: text, or .csv or .jsonl by its ending; the steps the filter lets through, else all",
        first |_| "trail.txt".to_owned(), take |app, text, effects| app.save_trail(text, effects);
    SAVE_EVENTS [Walk] => "Save what came from outside as a file of events"
        / "record keys levers input replay test jsonl",
        "save the events": "a file of events, .jsonl: what was typed and which levers were moved in this run, to come again",
        first |_| "events.jsonl".to_owned(), take |app, text, effects| app.save_events(text, effects);
    SAVE_TONES [Walk] => "Save the tones as a sound file" / "wav audio music notes",
        "save the tones": "a sound file: tones.wav",
        first |_| "tones.wav".to_owned(), take |app, text, effects| {
            effects.push(app.tones_to_save(text)?);
            Ok(())
        };
    // ---- drawings
    DRAW_FLOW [Walk] => "Draw the flow of the routine, with counts" / "graph blocks control diagram svg pdf picture",
        "draw the flow": "a file, .svg or .pdf: the routine of the cursor, with how often its ways were gone",
        first |app| format!("flow-{}.svg", app.routine_here().unwrap_or_else(|| "routine".to_owned())),
        take |app, text, effects| app.begin_drawing(Drawing::Flow, text, effects);
    DRAW_CALLS [Walk] => "Draw which routine calls which" / "call graph diagram svg pdf picture",
        "draw the calls": "a file, .svg or .pdf: which routine calls which, with counts and cycles",
        first |_| "calls.svg".to_owned(), take |app, text, effects| app.begin_drawing(Drawing::Calls, text, effects);
    DRAW_TREE [Walk] => "Draw the calls of the run over time" / "call tree timeline svg pdf picture",
        "draw the calls over time": "a file, .svg or .pdf",
        first |_| "tree.svg".to_owned(), take |app, text, effects| app.begin_drawing(Drawing::Tree, text, effects);
    DRAW_MEMORY [Walk] => "Draw the map of memory" / "layout regions svg pdf picture",
        "draw memory": "a file, .svg or .pdf: regions, labels, what is used and touched",
        first |_| "memory.svg".to_owned(), take |app, text, effects| app.begin_drawing(Drawing::Memory, text, effects);
    DRAW_STACK [Walk] => "Draw the stack as it is" / "frames svg pdf picture",
        "draw the stack": "a file, .svg or .pdf: each word as it is now, frame by frame",
        first |_| "stack.svg".to_owned(), take |app, text, effects| app.begin_drawing(Drawing::Stack, text, effects);
    DRAW_INSTRUCTION [Walk] => "Draw the code words of the instruction, field by field"
        / "encoding opcode bits machine code svg pdf picture",
        "draw an instruction": "a file, .svg or .pdf: the code words of the line of the cursor",
        first |_| "instruction.svg".to_owned(),
        take |app, text, effects| app.begin_drawing(Drawing::Instruction, text, effects);
    DRAW_INSIDE [Walk] => "Draw what goes on inside of the next instruction, cycle by cycle"
        / "transfers datapath micro cycles svg pdf picture",
        "draw inside": "a file, .svg or .pdf: what goes from where to where until the next instruction is done",
        first |_| "inside.svg".to_owned(),
        take |app, text, effects| app.begin_drawing(Drawing::Inside, text, effects);
    DRAW_ARITHMETIC [Walk] => "Draw the arithmetic of the instruction in columns, or of any sum"
        / "addition subtraction shift carry binary svg pdf picture",
        "draw arithmetic": "a file: of the present instruction; or what is reckoned before it: 40000 + 40000 to sum.svg, \
            0x8005 >> 3 to shift.svg",
        first |_| "arithmetic.svg".to_owned(),
        take |app, text, effects| app.begin_drawing(Drawing::Arithmetic, text, effects);
    DRAW_DATA [Walk] => "Draw data in cells, at one moment or several"
        / "array table memory cells pointers svg pdf picture",
        "draw data": "which, and a file: wagons as words 24 to data.svg; at several steps: wagons at 0, 400, now to data.svg",
        first |app| {
            let thing = app.thing_chosen().map(|thing| app.thing_words(thing));
            format!("{} to data.svg", thing.filter(|text| !text.starts_with("byte ")).unwrap_or_default())
        },
        take |app, text, effects| app.begin_drawing(Drawing::Data, text, effects);
    DRAW_SCREEN [Walk] => "Draw the screen" / "screenshot bench capture svg pdf picture",
        "draw the screen": "a file, .svg or .pdf",
        first |_| "screen.svg".to_owned(), take |app, text, effects| app.begin_drawing(Drawing::Screen, text, effects);
    DRAW_PANE [Walk] => "Draw the pane in focus" / "screenshot capture svg pdf picture",
        "draw the pane": "a file, .svg or .pdf: the pane in focus as it is",
        first |app| format!("{}.svg", app.screen.focus.pane().name()),
        take |app, text, effects| app.begin_drawing(Wanted::Pane, text, effects);
    DRAW_CHANGE [Walk] => "Draw the pane in focus before the last step and now"
        / "screenshot compare change svg pdf picture",
        "draw the pane before and after": "a file, .svg or .pdf: the pane in focus before the last step, and now",
        first |app| format!("{}-before-and-after.svg", app.screen.focus.pane().name()),
        take |app, text, effects| app.begin_drawing(Wanted::Change, text, effects);
    DRAW_RUN [Walk] => "Draw the run over time, with things followed through it"
        / "waveform timeline levels lamps vcd logic svg pdf picture",
        "draw the run": "a file: .svg, .pdf, or .vcd for the values alone; things to be followed before it: lamps, r7 to run.svg",
        first |_| "run.svg".to_owned(), take |app, text, effects| app.begin_drawing(Drawing::Run, text, effects);
    DRAW_TALLY [Walk] => "Draw the tally as bars" / "chart cost profile svg pdf picture",
        "draw the tally": "a file, .svg or .pdf: what the run cost; beside a kept one when that is chosen with c",
        first |_| "tally.svg".to_owned(), take |app, text, effects| app.begin_drawing(Drawing::Tally, text, effects);
}

impl Ask {
    /// Its row in the table.
    pub(crate) fn prompt(self) -> &'static Prompt {
        // Each has one: they are made by the same macro.
        PROMPTS.iter().find(|prompt| prompt.ask == self).unwrap_or(&PROMPTS[0])
    }
}

impl Action {
    /// It writes a text, or to a file: nothing of that is done to an image.
    pub(crate) fn writes(self) -> bool {
        match self {
            Self::Edit(edit) => edit.writes(),
            Self::File(file) => file == File::Save,
            Self::Look(Look::Write) => true,
            Self::Look(Look::Ask(ask)) => ask.prompt().traits.contains(&Trait::Writes),
            Self::Look(_) | Self::Travel(_) | Self::Hand(_) | Self::Motion(_) | Self::Find(_) => false,
            Self::Reply(_) | Self::Talk(_) => false,
        }
    }
}
