//! The command line.

use crate::run::orders::Turn;
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;
use wendax_draw::Drawing;
use wendax_isa::{Addr, Target, target_named, targets};
use wendax_project::{Limits, Seal};

const EXAMPLES: &str = "Examples:\n  \
    wendax new yard            make a project that runs, in a folder yard\n  \
    wendax yard                open the bench on a project; wendax weights.asm on a source\n  \
    wendax demo                list the demos, and open one in a copy of its own\n  \
    wendax run weights.asm     run it with console on standard input and output\n  \
    wendax build weights.asm   assemble it to weights.elf\n  \
    wendax try                 run the tables of trials here\n  \
    wendax image weights.elf   show what is in an image\n  \
    wendax format weights.asm  put it in columns\n  \
    wendax guide djnz          say what a word means";

/// A terminal workbench for assembly: write, assemble as you type, walk the program in both directions.
#[derive(Debug, Parser)]
#[command(
    version,
    after_help = EXAMPLES,
    after_long_help = format!("{EXAMPLES}\n\n{}", crate::status::help())
)]
pub(crate) struct Cli {
    /// The project, source or image to open; when left out the project here, or a new text
    pub(crate) file: Option<PathBuf>,
    /// Arguments for the program, behind `--`
    #[arg(last = true)]
    pub(crate) arguments: Vec<String>,
    /// The folder the program may read and write files in; else as the manifest says, else it may not
    #[arg(long, value_name = "DIR")]
    pub(crate) files: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
    /// Dark or light ground; without it as the settings say
    #[arg(long, value_enum, global = true)]
    pub(crate) look: Option<Look>,
    /// Write what the tool does to this file, for a report of trouble
    #[arg(long, value_name = "FILE", global = true)]
    pub(crate) log: Option<PathBuf>,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Look {
    Dark,
    Light,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Open a demo in a copy of its own
    #[command(
        after_help = "Examples:\n  wendax demo                lists them, and asks which\n  wendax demo first          the first steps of someone new, shown as you take them\n  wendax demo derailed/pops  one of several programs"
    )]
    Demo {
        /// Which one; they are listed when it is left out
        name: Option<String>,
        /// Open it as it ships, in a copy of its own beside what was made of it before
        #[arg(long)]
        fresh: bool,
    },
    /// Make a project that runs, in a folder of its own
    #[command(after_help = "Examples:\n  wendax new yard")]
    New {
        /// The folder, new or empty
        folder: PathBuf,
        /// The machine it is for: W16 when left out, or RV32
        #[arg(long, value_name = "MACHINE", value_parser = machine)]
        target: Option<&'static Target>,
    },
    /// Assemble and link to an image, an object or a library
    Build(Build),
    /// Show what is in an image, or write it in another form
    Image(ImageOptions),
    /// Put sources in columns; the code they become stays the same
    Format(FormatOptions),
    /// Say what a word means: an instruction, directive, system call, register, flag, device register, trap, problem, topic
    #[command(
        after_help = "Examples:\n  wendax guide djnz\n  wendax guide put_text W031 numbers\n  wendax guide            all words"
    )]
    Guide {
        /// The words; all there are when left out
        words: Vec<String>,
        /// The machine they are of: W16 when left out, or RV32
        #[arg(long, value_name = "MACHINE", value_parser = machine)]
        target: Option<&'static Target>,
    },
    /// Run a project, source or image with console on standard input and output
    Run(Box<Run>),
    /// Say what runs cost, and set several side by side
    Tally(Box<Tally>),
    /// Draw a program or a run, as SVG or PDF
    Draw(Box<Draw>),
    /// Make one document of a program: listing, how it was run, output, tally, drawings, problems
    Report(Box<Report>),
    /// Tell the questions of an exercise with the answers that its program gives
    Exercise(ExerciseOptions),
    /// Run a table of trials: what is given, what is expected; or one table against many programs
    Try(Try),
    /// Be a board that is not there in earnest: take a program over a line, run it, show lamps and digits
    Board(Board),
    /// Load a program to a board, run it there, and be its console
    Send(Send),
    /// Write a file of settings with what each means, or say what is wrong with the one there is
    #[command(after_help = "Examples:\n  wendax settings\n  wendax settings --print")]
    Settings {
        /// Print what would be written
        #[arg(long)]
        print: bool,
    },
    /// Write completions for a shell to standard output
    #[command(after_help = "Examples:\n  wendax completions bash > ~/.local/share/bash-completion/completions/wendax")]
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
    /// Write the manual pages: to a folder, or the first one to standard output
    #[command(after_help = "Examples:\n  wendax manpages ~/.local/share/man/man1\n  wendax manpages | man -l -")]
    Manpages {
        /// The folder; it must be there
        folder: Option<PathBuf>,
    },
}

/// What a program may open.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct Bounds {
    /// The program opens nothing but its own folder, whatever its manifest and its links say
    #[arg(long, conflicts_with = "reach")]
    pub(crate) sealed: bool,
    /// A folder outside of the project's that its manifest may name in `reach` and `files`; several may be given
    #[arg(long, value_name = "DIR")]
    pub(crate) reach: Vec<PathBuf>,
}

impl Bounds {
    /// What the program may open; the folder for its files is given too, or not.
    pub(crate) fn seal(&self, files: Option<&PathBuf>) -> Seal {
        Seal { is_whole: self.sealed, allowed: self.reach.clone(), files_given: files.is_some(), most_bytes: None }
    }
}

/// How a program is opened, and what is told of it.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct Opening {
    #[command(flatten)]
    pub(crate) bounds: Bounds,
    /// Warnings count as problems
    #[arg(long)]
    pub(crate) strict: bool,
    /// Tell also of what is meant so, by remarks and by the manifest, with why
    #[arg(long)]
    pub(crate) meant: bool,
    /// How problems are written
    #[arg(long, value_enum, default_value_t)]
    pub(crate) problems: Problems,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax exercise first.exercise.toml    each question with its answer, for who teaches\n  \
    wendax first.exercise.toml             the bench, asking them")]
pub(crate) struct ExerciseOptions {
    /// The file, which ends in .exercise.toml
    pub(crate) file: PathBuf,
    /// A JSON object on each line
    #[arg(long)]
    pub(crate) json: bool,
    #[command(flatten)]
    pub(crate) opening: Opening,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax try                                        the tables of trials here: trials.toml, *.trials.toml\n  \
    wendax try axles.trials.toml                      what failed first, with where it began\n  \
    wendax try --form junit -o build/trials.xml       for a build server; also json, tap, markdown\n  \
    wendax try marks.trials.toml class/*              the same for each program of a class, sealed\n  \
    wendax try marks.trials.toml class/* --csv marks.csv --page marks.svg --each told\n\n\
    The exit status is 0 when all rows passed, 120 when one failed.")]
pub(crate) struct Try {
    /// A table, or a folder with tables; those here when left out
    pub(crate) table: Option<PathBuf>,
    /// Programs that the table is tried on in place of its own: projects, sources, images, or folders with one source. Each
    /// is sealed: it opens nothing but its own folder
    pub(crate) programs: Vec<PathBuf>,
    /// How what came of it is written
    #[arg(long, value_enum, default_value_t)]
    pub(crate) form: TrialForm,
    /// Where that goes; standard output when left out
    #[arg(short, long, value_name = "OUT")]
    pub(crate) output: Option<PathBuf>,
    /// Only rows of this name; several may be given
    #[arg(long, value_name = "NAME")]
    pub(crate) row: Vec<String>,
    /// Runs at once; as many as the machine has cores when left out
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=256))]
    pub(crate) threads: Option<u16>,
    /// Of many programs: a table of rows by programs as CSV
    #[arg(long, value_name = "FILE", requires = "programs")]
    pub(crate) csv: Option<PathBuf>,
    /// Of many programs: the same as a page to look at: .svg, .pdf or .md
    #[arg(long, value_name = "FILE", requires = "programs")]
    pub(crate) page: Option<PathBuf>,
    /// Of many programs: what came of each, in a file of its own in this folder
    #[arg(long, value_name = "DIR", requires = "programs")]
    pub(crate) each: Option<PathBuf>,
    /// Of many programs: tell which are alike by so many of 100 or more, names and registers aside
    #[arg(long, value_name = "N", default_value_t = 80, value_parser = clap::value_parser!(u8).range(1..=100))]
    pub(crate) alike: u8,
    #[command(flatten)]
    pub(crate) opening: Opening,
}

/// How what came of trials is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub(crate) enum TrialForm {
    /// For people, what failed first
    #[default]
    Text,
    /// A JSON object on each line
    Json,
    /// XML for build servers
    Junit,
    /// The Test Anything Protocol
    Tap,
    /// A table in Markdown
    Markdown,
}

impl From<TrialForm> for wendax_trials::ReportForm {
    fn from(form: TrialForm) -> Self {
        match form {
            TrialForm::Text => Self::Text,
            TrialForm::Json => Self::Json,
            TrialForm::Junit => Self::Junit,
            TrialForm::Tap => Self::Tap,
            TrialForm::Markdown => Self::Markdown,
        }
    }
}

/// How problems are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub(crate) enum Problems {
    /// Text for people
    #[default]
    Text,
    /// A JSON object on each line
    Json,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax build                                      the project here, to build/NAME.elf\n  \
    wendax build weights.asm                          writes weights.elf\n  \
    wendax build weights.asm -o - --format hex        Intel HEX on standard output\n  \
    wendax build weights.asm --listing weights.lst --symbols - --map -\n  \
    wendax build print.asm read.asm -o lib/io.a       a library of two objects\n  \
    wendax build weights.asm --fix                    mends what is certain first\n  \
    wendax build weights.asm --show-fixes             shows what that would change\n\n\
    Problems go to standard error; with one, nothing is written and the exit status is 111.")]
pub(crate) struct Build {
    /// A project, or sources, objects and libraries to be linked; - is a source on standard input. The project here when
    /// left out
    pub(crate) files: Vec<PathBuf>,
    /// Where the image goes; - is standard output
    #[arg(short, long, value_name = "OUT")]
    pub(crate) output: Option<PathBuf>,
    /// The form of the image; else as the ending of OUT says, else ELF
    #[arg(long, value_enum)]
    pub(crate) format: Option<Format>,
    /// The machine that sources are for which do not say so themselves: W16 or RV32
    #[arg(long, value_name = "MACHINE", value_parser = machine)]
    pub(crate) target: Option<&'static Target>,
    /// Apply the certain fixes to the sources first: those that leave fewer problems and bring none
    #[arg(long)]
    pub(crate) fix: bool,
    /// Show what --fix would change, as a unified diff, and do nothing else
    #[arg(long, conflicts_with = "fix")]
    pub(crate) show_fixes: bool,
    #[command(flatten)]
    pub(crate) opening: Opening,
    /// Where a listing goes; - is standard output
    #[arg(long, value_name = "FILE")]
    pub(crate) listing: Option<PathBuf>,
    /// Where the table of names goes; - is standard output
    #[arg(long, value_name = "FILE")]
    pub(crate) symbols: Option<PathBuf>,
    /// How the table of names is sorted
    #[arg(long, value_enum, default_value_t = Order::Address)]
    pub(crate) order: Order,
    /// Where the map of memory goes, with sizes and what is left; - is standard output
    #[arg(long, value_name = "FILE")]
    pub(crate) map: Option<PathBuf>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// ELF program with names and DWARF lines
    Elf,
    /// ELF object of one source, to be linked
    Object,
    /// Archive of objects; of it only what is used is linked
    Library,
    /// Intel HEX
    Hex,
    /// S-records
    Srec,
    /// Raw bytes from the lowest address to the highest
    Bin,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Order {
    /// By address or value, constants last
    Address,
    /// By name
    Name,
}

impl From<Order> for wendax_asm::SymbolOrder {
    fn from(order: Order) -> Self {
        match order {
            Order::Address => Self::Address,
            Order::Name => Self::Name,
        }
    }
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax image weights.elf                     map, names, and code with labels\n  \
    wendax image weights.hex --show code         only the code\n  \
    wendax image weights.elf --format srec -o weights.srec")]
pub(crate) struct ImageOptions {
    /// An image: ELF, Intel HEX, S-records or raw; or a source or project
    pub(crate) file: PathBuf,
    /// What to show: all but lines when left out
    #[arg(long, value_enum, value_delimiter = ',')]
    pub(crate) show: Vec<Show>,
    /// How names are sorted
    #[arg(long, value_enum, default_value_t = Order::Address)]
    pub(crate) order: Order,
    /// Write it in this form instead
    #[arg(long, value_enum)]
    pub(crate) format: Option<Format>,
    /// Where it goes; standard output when left out
    #[arg(short, long, value_name = "OUT")]
    pub(crate) output: Option<PathBuf>,
    /// Where a raw image lies: 512, 0x0200
    #[arg(long, value_name = "ADDR", value_parser = address)]
    pub(crate) at: Option<Addr>,
    /// The machine that a source or an image is for which does not say so itself: W16 or RV32
    #[arg(long, value_name = "MACHINE", value_parser = machine)]
    pub(crate) target: Option<&'static Target>,
    #[command(flatten)]
    pub(crate) opening: Opening,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Show {
    /// What lies where, and what is left
    Map,
    /// The names
    Symbols,
    /// The code, disassembled with labels
    Code,
    /// The sources with addresses and code
    Lines,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax format weights.asm\n  \
    wendax format --check          the project here; status 111 when something would change")]
pub(crate) struct FormatOptions {
    /// Sources, or a project; the project here when left out
    pub(crate) files: Vec<PathBuf>,
    /// Change nothing, but tell what would be changed
    #[arg(long)]
    pub(crate) check: bool,
    /// The machine that sources are for which do not say so themselves: W16 or RV32
    #[arg(long, value_name = "MACHINE", value_parser = machine)]
    pub(crate) target: Option<&'static Target>,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    printf '120\\n99\\n0\\n' | wendax run weights.asm\n  \
    wendax run weights.asm --steps 100000 --state end.json -- first second\n  \
    wendax run weights.bin --at 0x0200\n  \
    wendax run --input loads.txt                 the project here, typed input from a file\n  \
    wendax run signals.asm --events hand.jsonl   levers and keys from a file, no hands needed\n  \
    wendax run list.asm --files yard             the program reads and writes files in yard\n  \
    wendax run weights.asm --until twice --show 'registers, weights as bytes 32' --until '1 step' --show registers\n  \
    wendax run weights.asm --each 'change total' --show '[total], r1' --json --shows totals.jsonl\n  \
    wendax run weights.asm --tally - --coverage weights.info\n\n\
    The exit status is the low byte of the program's own, or one from 110 on: see `wendax --help`. With --status tool\n\
    the program's is left out, so that no program can be taken for the tool. --state says both.")]
pub(crate) struct Run {
    /// A project, a source or an image in any form, - a source on standard input; the project here when left out
    pub(crate) file: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) conditions: Conditions,
    /// Write the tones of the run as a sound file (.wav)
    #[arg(long, value_name = "FILE")]
    pub(crate) tones: Option<PathBuf>,
    /// Where the state at the end goes, as JSON; - is standard output
    #[arg(long, value_name = "FILE")]
    pub(crate) state: Option<PathBuf>,
    /// Go on until something and stop there: a label, main.asm:12, change total, when r1 == 5, print "x", 3 steps. Several
    /// are gone to one after the other; what --show behind one names is shown there
    #[arg(long, value_name = "STOP")]
    pub(crate) until: Vec<String>,
    /// Whenever this is met, show what --show behind it names, and go on
    #[arg(long, value_name = "STOP")]
    pub(crate) each: Vec<String>,
    /// The run must come to this before it ends, else the exit status is 118
    #[arg(long, value_name = "STOP")]
    pub(crate) must: Vec<String>,
    /// The run must not come to this: it ends there, with exit status 118
    #[arg(long, value_name = "STOP")]
    pub(crate) never: Vec<String>,
    /// What is shown at the --until or --each before it, else at the start: registers, flags, stack 4, last 5, r1,
    /// [total] as signed, weights as words 6, text as text
    #[arg(long, value_name = "WHAT")]
    pub(crate) show: Vec<String>,
    /// Show each moment as a JSON object on a line
    #[arg(long, requires = "show")]
    pub(crate) json: bool,
    /// Where what is shown goes, - is standard output; else standard error
    #[arg(long, value_name = "FILE", requires = "show")]
    pub(crate) shows: Option<PathBuf>,
    /// What the exit status tells: that of the program where it ended by itself, or only how the tool got on (0 then)
    #[arg(long, value_enum, default_value_t)]
    pub(crate) status: Of,
    /// Write every step to this file: text, or by its ending .csv or .jsonl; - is standard output, when the program has
    /// ended or stopped
    #[arg(long, value_name = "FILE")]
    pub(crate) trail: Option<PathBuf>,
    /// Of the trail only the steps this stop is met by: in weigh, op push, change total, call
    #[arg(long, value_name = "STOP", requires = "trail")]
    pub(crate) trail_only: Option<String>,
    /// Those that say where to stop and what to show, in the order they stand in.
    #[arg(skip)]
    pub(crate) orders: Vec<Turn>,
    /// Write what the run cost to this file: a table for people, or by its ending .json (to be kept and compared) or .csv; - is
    /// standard output, when the program has ended or stopped
    #[arg(long, value_name = "FILE")]
    pub(crate) tally: Option<PathBuf>,
    /// In the tally, measure each passage from a place to another: 'weigh to weigh@done', 'main.asm:12 to main.asm:20'
    #[arg(long, value_name = "FROM to TO", requires = "tally")]
    pub(crate) span: Vec<String>,
    /// Write which lines ran, and how often, in the LCOV format, for editors and build servers
    #[arg(long, value_name = "FILE")]
    pub(crate) coverage: Option<PathBuf>,
    /// Look through the run for what looks wrong, and write that with where it began: text, or by its ending .jsonl; - is
    /// standard error
    #[arg(long, value_name = "FILE")]
    pub(crate) cautions: Option<PathBuf>,
    /// Tell what differs between two moments of the run, and who changed it: a step, `start`, `end`, a label, any stop
    #[arg(long, num_args = 2, value_names = ["MOMENT", "MOMENT"])]
    pub(crate) compare: Vec<String>,
    /// Where that goes: text, or by its ending .json; - is standard output; else standard error
    #[arg(long, value_name = "FILE", requires = "compare")]
    pub(crate) compared: Option<PathBuf>,
    /// The exit status is 119 when there is a caution
    #[arg(long)]
    pub(crate) cautions_fail: bool,
}

/// Whose exit status is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub(crate) enum Of {
    /// The low byte of the program's, where it ended by itself; else how the run ended, from 110 on
    #[default]
    Program,
    /// 0 where the program ended by itself, whatever with; else how the run ended, from 110 on
    Tool,
}

/// What a run is begun with.
#[derive(Debug, Clone, Args)]
pub(crate) struct Conditions {
    /// Stop after so many steps; else as the manifest says
    #[arg(long, value_name = "N", value_parser = count)]
    pub(crate) steps: Option<u64>,
    /// Stop after so many seconds on the program's clock; else as the manifest says
    #[arg(long, value_name = "N", value_parser = count)]
    pub(crate) seconds: Option<u64>,
    /// Stop when so much has been used: steps, seconds (on the program's clock), host (seconds on the host's), output and
    /// files (bytes printed and written), code (bytes; more is not run), memory (MiB of the host's), history (MiB of the
    /// past that is kept). Else as the manifest says
    #[arg(long = "limit", value_name = "NAME=N", value_parser = limit)]
    pub(crate) limits: Vec<(String, u64)>,
    /// The program's clock: the host's, or one made of its cycles; else as the manifest says, else the host's
    #[arg(long, value_enum)]
    pub(crate) clock: Option<ClockKind>,
    /// Where the random numbers begin, 0 to 18446744073709551615; else as the manifest says, else 0
    #[arg(long, value_name = "N", value_parser = count, allow_hyphen_values = true)]
    pub(crate) seed: Option<u64>,
    /// What is typed comes from this file, - is standard input. When left out: standard input where something is piped
    /// or redirected to it, else as the manifest says, else standard input
    #[arg(long, value_name = "FILE")]
    pub(crate) input: Option<PathBuf>,
    /// The folder the program may read and write files in; else as the manifest says, else it may not
    #[arg(long, value_name = "DIR")]
    pub(crate) files: Option<PathBuf>,
    /// What comes from outside by itself: typed text, levers, the end of input, at moments this file names; see
    /// docs/events.md. Without --input nothing else is typed then
    #[arg(long, value_name = "FILE")]
    pub(crate) events: Option<PathBuf>,
    /// Where a raw image is loaded and begins: 512, 0x0200
    #[arg(long, value_name = "ADDR", value_parser = address)]
    pub(crate) at: Option<Addr>,
    /// The machine that a source or an image is for which does not say so itself: W16 or RV32
    #[arg(long, value_name = "MACHINE", value_parser = machine)]
    pub(crate) target: Option<&'static Target>,
    #[command(flatten)]
    pub(crate) opening: Opening,
    /// Arguments of the program; else as the manifest says
    #[arg(last = true)]
    pub(crate) arguments: Vec<String>,
}

impl Conditions {
    /// Something is asked for that only a run has.
    pub(crate) fn is_about_a_run(&self) -> bool {
        let numbers = self.steps.is_some() || self.seconds.is_some() || self.seed.is_some() || !self.limits.is_empty();
        let files = [&self.input, &self.files, &self.events].into_iter().any(Option::is_some);
        numbers || files || self.clock.is_some() || self.at.is_some() || !self.arguments.is_empty()
    }
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax report weights.asm -o weights.pdf --title 'Wagon weights' --author 'R. Ostrey'\n  \
    wendax report -o report.md                            the project here; pictures lie beside it as .svg\n  \
    wendax report sidings.asm -o sidings.pdf --draw flow=insert_sort --draw calls --moment 'enter insert_sort' -- insert")]
pub(crate) struct Report {
    /// A project, a source or an image; the project here when left out
    pub(crate) file: Option<PathBuf>,
    /// Where it goes: .pdf or .md
    #[arg(short, long, value_name = "OUT")]
    pub(crate) output: PathBuf,
    /// What it is headed by; else as the manifest says, else the program's name
    #[arg(long, value_name = "TEXT")]
    pub(crate) title: Option<String>,
    /// Who made it; else as the manifest says
    #[arg(long, value_name = "TEXT")]
    pub(crate) author: Option<String>,
    /// A drawing: flow=ROUTINE, calls, tree, memory, stack, tally, run, data='weights as words 6'. Several may be given; calls and
    /// tally when none is
    #[arg(long, value_name = "DRAWING")]
    pub(crate) draw: Vec<String>,
    /// A moment whose registers, flags and stack are shown: a step or a stop such as 'enter weigh'
    #[arg(long, value_name = "MOMENT")]
    pub(crate) moment: Vec<String>,
    /// Do not run the program: only the listing and what is wrong with it
    #[arg(long)]
    pub(crate) unrun: bool,
    #[command(flatten)]
    pub(crate) conditions: Conditions,
}

/// A drawing by its word.
fn drawing() -> impl TypedValueParser<Value = Drawing> {
    let words = Drawing::ALL.map(|(_, word, what)| PossibleValue::new(word).help(what));
    PossibleValuesParser::new(words).map(|word| Drawing::named(&word).unwrap_or(Drawing::Flow))
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax draw flow weights.asm --of weigh -o weigh.svg\n  \
    wendax draw calls weights.asm -o calls.pdf            with --input, --events and arguments as `wendax run` takes them\n  \
    wendax draw stack weights.asm --moment 'enter weigh' -o stack.svg\n  \
    wendax draw data sidings.asm --of 'wagons as words 24' --moment start --moment end -o train.svg\n  \
    wendax draw instruction weights.asm --of main.asm:12 -o code.svg\n  \
    wendax draw arithmetic --of '40000 + 40000' -o sum.svg\n  \
    wendax draw run signals.asm --of lamps --of r7 --steps 200000 -o run.vcd\n  \
    wendax draw tally before.json after.json -o both.pdf\n  \
    wendax draw screen weights.asm --moment 12 --moment 13 --of registers -o before-and-after.svg")]
pub(crate) struct Draw {
    /// What is drawn
    #[arg(value_parser = drawing())]
    pub(crate) what: Drawing,
    /// A project, a source or an image; of `tally` also tallies kept as .json. The project here when left out
    pub(crate) things: Vec<PathBuf>,
    /// Of what: a routine (flow), an instruction by its label or line, data as --show takes it, a pane (screen), something
    /// followed through the run (run), 120 + 40000 (arithmetic)
    #[arg(long, value_name = "WHAT", allow_hyphen_values = true)]
    pub(crate) of: Vec<String>,
    /// At which moment: a step, start, end, or a stop such as 'enter weigh'; several for data and screen. The end of the run
    /// when left out
    #[arg(long, value_name = "MOMENT")]
    pub(crate) moment: Vec<String>,
    /// Columns and rows of the screen; 160x50 when left out
    #[arg(long, value_name = "COLUMNSxROWS")]
    pub(crate) size: Option<String>,
    /// Do not run the program: what is drawn is how it stands before its first step
    #[arg(long)]
    pub(crate) unrun: bool,
    /// Where it goes: .svg, .pdf, for run also .vcd; - is standard output, as SVG
    #[arg(short, long, value_name = "OUT")]
    pub(crate) output: PathBuf,
    #[command(flatten)]
    pub(crate) conditions: Conditions,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax tally sidings.asm                     runs it, and says what that cost\n  \
    wendax tally before.json after.json          two that were kept with `wendax run --tally before.json`\n  \
    wendax tally shift.asm swap.asm --input loads.txt\n  \
    wendax tally sidings.asm --each 10 --each 100 --each 1000     how it grows with its argument\n  \
    wendax tally sidings.asm --each-input small.txt --each-input large.txt")]
pub(crate) struct Tally {
    /// Tallies that were kept as .json, or programs that are run to be measured: sources, images, projects; the project
    /// here when left out
    pub(crate) things: Vec<PathBuf>,
    /// Run the program with these arguments (in one text, split as a shell does), once for each --each: how its cost grows
    #[arg(long, value_name = "ARGUMENTS", conflicts_with = "each_input", allow_hyphen_values = true)]
    pub(crate) each: Vec<String>,
    /// Run the program with this file as what is typed, once for each --each-input
    #[arg(long, value_name = "FILE")]
    pub(crate) each_input: Vec<PathBuf>,
    /// Measure each passage from a place to another too
    #[arg(long, value_name = "FROM to TO")]
    pub(crate) span: Vec<String>,
    /// Rows of each table; 0 for all
    #[arg(long, value_name = "N", default_value_t = 12)]
    pub(crate) rows: usize,
    /// Where it goes: a table for people, or by its ending .csv or .json (of one tally); standard output when left out
    #[arg(short, long, value_name = "OUT")]
    pub(crate) output: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) conditions: Conditions,
}

/// Signs a second on a serial port, unless told otherwise.
pub(crate) const BAUD: u32 = 115_200;

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax board                         listens on a pseudo-terminal, and says which\n  \
    wendax board --listen 127.0.0.1:4000")]
pub(crate) struct Board {
    /// Listen on a socket of this machine, such as 127.0.0.1:4000; 0 as the number takes a free one
    #[arg(long, value_name = "ADDRESS", conflicts_with = "port")]
    pub(crate) listen: Option<String>,
    /// Listen on a serial port; without either on a new pseudo-terminal
    #[arg(long, value_name = "PORT")]
    pub(crate) port: Option<String>,
    /// Signs a second on a serial port
    #[arg(long, value_name = "N", default_value_t = BAUD)]
    pub(crate) baud: u32,
    /// The machine it is: W16 when left out, or RV32
    #[arg(long, value_name = "MACHINE", value_parser = machine)]
    pub(crate) target: Option<&'static Target>,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax send signals.asm --port /dev/pts/7\n  \
    wendax send build/yard.hex --port /dev/ttyUSB0 --baud 9600\n  \
    wendax send --port 127.0.0.1:4000 --load-only")]
pub(crate) struct Send {
    /// A project, a source or an image in any form; the project here when left out
    pub(crate) file: Option<PathBuf>,
    /// Where the board is: a serial port, the other end of a pseudo-terminal, or an address such as 127.0.0.1:4000
    #[arg(long, value_name = "PORT")]
    pub(crate) port: String,
    /// Signs a second on a serial port
    #[arg(long, value_name = "N", default_value_t = BAUD)]
    pub(crate) baud: u32,
    /// Load and check it, and do not run it
    #[arg(long)]
    pub(crate) load_only: bool,
    /// Where a raw image lies: 512, 0x0200
    #[arg(long, value_name = "ADDR", value_parser = address)]
    pub(crate) at: Option<Addr>,
    /// The machine that a source or an image is for which does not say so itself: W16 or RV32
    #[arg(long, value_name = "MACHINE", value_parser = machine)]
    pub(crate) target: Option<&'static Target>,
    #[command(flatten)]
    pub(crate) opening: Opening,
}

impl Cli {
    /// Reads the command line; options that are carried out in turn keep their order.
    pub(crate) fn read(words: &[std::ffi::OsString]) -> Result<Self, clap::Error> {
        let matches = <Self as clap::CommandFactory>::command().try_get_matches_from(words)?;
        let mut cli = <Self as clap::FromArgMatches>::from_arg_matches(&matches)?;
        if let (Some(Command::Run(run)), Some(matches)) = (&mut cli.command, matches.subcommand_matches("run")) {
            let mut orders: Vec<(usize, Turn)> = Vec::new();
            let mut take = |name: &str, texts: &[String], order: fn(String) -> Turn| {
                let places = matches.indices_of(name).into_iter().flatten();
                orders.extend(places.zip(texts.iter().cloned().map(order)));
            };
            take("until", &run.until, Turn::Until);
            take("each", &run.each, Turn::Each);
            take("show", &run.show, Turn::Show);
            take("must", &run.must, Turn::Must);
            take("never", &run.never, Turn::Never);
            orders.sort_by_key(|(place, _)| *place);
            run.orders = orders.into_iter().map(|(_, order)| order).collect();
        }
        Ok(cli)
    }
}

/// Where a program's time comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ClockKind {
    /// The host's clock
    Host,
    /// A clock of 1000 cycles a millisecond; waiting takes no time
    Virtual,
}

/// A number as in sources and manifests: decimal, 0x, 0b, with _ between digits.
fn number(text: &str) -> Option<u64> {
    let clean = text.replace('_', "").to_ascii_lowercase();
    let digits = |digits: &str, base| u64::from_str_radix(digits, base).ok().filter(|_| !digits.starts_with('+'));
    match (clean.strip_prefix("0x"), clean.strip_prefix("0b")) {
        (Some(hex), _) => digits(hex, 16),
        (None, Some(binary)) => digits(binary, 2),
        (None, None) => digits(&clean, 10),
    }
}

fn count(text: &str) -> Result<u64, String> {
    number(text).ok_or_else(|| format!("expected a number from 0 to {}, such as 100_000 or 0xFF", u64::MAX))
}

/// `host=10`.
fn limit(text: &str) -> Result<(String, u64), String> {
    let wrong = || format!("expected one of {}, such as host=10", Limits::names().collect::<Vec<_>>().join(", "));
    let (name, value) = text.split_once('=').ok_or_else(wrong)?;
    if Limits::default().by_name(name).is_none() {
        return Err(wrong());
    }
    Ok((name.to_owned(), count(value)?))
}

impl Conditions {
    /// What the run may use.
    pub(crate) fn limits(&self) -> Limits {
        let mut limits = Limits { steps: self.steps, seconds: self.seconds, ..Limits::default() };
        for (name, value) in &self.limits {
            if let Some(limit) = limits.by_name(name) {
                *limit = Some(*value);
            }
        }
        limits
    }
}

fn address(text: &str) -> Result<Addr, String> {
    let listed = text.len() > 1 && text.starts_with('0') && text.bytes().all(|byte| byte.is_ascii_hexdigit());
    if listed {
        return Err(format!("addresses in hexadecimal, as listings print them, begin with 0x: write 0x{text}"));
    }
    let value = number(text).and_then(|value| u32::try_from(value).ok()).map(Addr);
    // Whether it lies in memory is judged when it is known which machine it is.
    let value = value.filter(|value| value.is_multiple_of(2));
    value.ok_or_else(|| "expected an even address, such as 0x0200".to_owned())
}

fn machine(text: &str) -> Result<&'static Target, String> {
    target_named(text)
        .ok_or_else(|| format!("expected {}", targets().map(|target| target.name.to_ascii_lowercase()).join(" or ")))
}

/// A first word that is no file and no command, but near to one: what it was probably meant to be.
pub(crate) fn near_command(words: &[std::ffi::OsString]) -> Option<(String, String)> {
    let command = <Cli as clap::CommandFactory>::command();
    let takes_value = |option: &std::ffi::OsString| {
        let name = option.to_string_lossy();
        let known =
            |argument: &&clap::Arg| name.strip_prefix("--").is_some_and(|name| argument.get_long() == Some(name));
        command.get_arguments().find(known).is_some_and(|argument| argument.get_action().takes_values())
    };
    let mut first = None;
    let mut is_value = false;
    for word in words.iter().skip(1) {
        if !is_value && !word.to_string_lossy().starts_with('-') {
            first = Some(word);
            break;
        }
        // What stands behind an option is its value, whatever it looks like.
        is_value = !is_value && takes_value(word);
    }
    let first = first?;
    let name = first.to_str()?;
    let is_path = name.contains(['/', '.']) || std::path::Path::new(name).exists();
    let known = || command.get_subcommands().map(clap::Command::get_name);
    if is_path || known().any(|known| known == name) || name == "help" {
        return None;
    }
    Some((name.to_owned(), wendax_source::nearest(name, known())?.to_owned()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_near_a_command_are_told_and_files_are_not() {
        let near = |words: &[&str]| {
            let words: Vec<_> = std::iter::once("wendax").chain(words.iter().copied()).map(Into::into).collect();
            near_command(&words).map(|(_, command)| command)
        };
        assert_eq!(near(&["rnu", "x.asm"]).as_deref(), Some("run"));
        assert_eq!(near(&["bild"]).as_deref(), Some("build"));
        assert_eq!(near(&["--look", "dark"]), None, "a value of an option may be anything");
        for words in [&["run", "x"][..], &["run.asm"], &["./rnu"], &["/tmp"], &["weighbridge"], &[]] {
            assert_eq!(near(words), None, "{words:?}");
        }
    }
}
