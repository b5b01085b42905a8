//! The command line.

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

/// A terminal workbench for assembly: write, assemble as you type, walk the program in both directions.
#[derive(Debug, Parser)]
#[command(
    version,
    args_conflicts_with_subcommands = true,
    after_help = "Examples:\n  \
        wendax weights.asm         open the bench on a source\n  \
        wendax demo                open a demo in a copy of its own\n  \
        wendax run weights.asm     run it with console on standard input and output\n  \
        wendax build weights.asm   assemble it to weights.bin\n  \
        wendax guide djnz          say what a word means\n\n\
        Exit status: the program's own (run), 0 done, 2 wrong use, 3 problems in the source,\n\
        4 the program failed, 5 it was stopped before its end."
)]
pub(crate) struct Cli {
    /// The source to open, or an image, shown as its disassembly; a new text when left out
    pub(crate) file: Option<PathBuf>,
    /// Dark or light ground
    #[arg(long, value_enum, default_value_t = Look::Dark, global = true)]
    pub(crate) look: Look,
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
    #[command(after_help = "Examples:\n  wendax demo\n  wendax demo weighbridge")]
    Demo {
        /// Which one; weighbridge when left out
        name: Option<String>,
    },
    /// Assemble a source to an image
    Build(Build),
    /// Say what a word means: an instruction, directive, system call, register, flag, device register, problem
    #[command(
        after_help = "Examples:\n  wendax guide djnz\n  wendax guide put_text W031\n  wendax guide            all words"
    )]
    Guide {
        /// The words; all there are when left out
        words: Vec<String>,
    },
    /// Run a source or an image with console on standard input and output
    Run(Run),
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    wendax build weights.asm                          writes weights.bin\n  \
    wendax build weights.asm -o - --format hex        Intel HEX on standard output\n  \
    wendax build weights.asm --listing weights.lst    and a listing\n  \
    wendax build weights.asm --fix                    mends what can be mended first\n\n\
    Problems go to standard error; with one, nothing is written and the exit status is 3.")]
pub(crate) struct Build {
    /// The source
    pub(crate) file: PathBuf,
    /// Where the image goes; - is standard output
    #[arg(short, long, value_name = "OUT")]
    pub(crate) output: Option<PathBuf>,
    /// The form of the image
    #[arg(long, value_enum, default_value_t = Format::Bin)]
    pub(crate) format: Format,
    /// Apply the known fixes to the source first
    #[arg(long)]
    pub(crate) fix: bool,
    /// Where a listing goes; - is standard output
    #[arg(long, value_name = "FILE")]
    pub(crate) listing: Option<PathBuf>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// Raw bytes from the lowest address to the highest
    Bin,
    /// Intel HEX
    Hex,
}

#[derive(Debug, Args)]
#[command(after_help = "Examples:\n  \
    printf '120\\n99\\n0\\n' | wendax run weights.asm\n  \
    wendax run weights.asm --steps 100000 --state end.json -- first second\n  \
    wendax run weights.bin --at 0x0200\n\n\
    Exit status: the low byte of the program's own; 3 problems in the source; 4 the program failed or\n\
    repeats one state for ever; 5 stopped before its end, by --steps or a brk.")]
pub(crate) struct Run {
    /// A source, a raw image or an Intel HEX image
    pub(crate) file: PathBuf,
    /// Stop after so many steps
    #[arg(long, value_name = "N")]
    pub(crate) steps: Option<u64>,
    /// Where the random numbers begin
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub(crate) seed: u64,
    /// Where a raw image is loaded and begins: 512, 0x0200
    #[arg(long, value_name = "ADDR", value_parser = address)]
    pub(crate) at: Option<u32>,
    /// Where the state at the end goes, as JSON; - is standard output
    #[arg(long, value_name = "FILE")]
    pub(crate) state: Option<PathBuf>,
    /// Arguments of the program
    #[arg(last = true)]
    pub(crate) arguments: Vec<String>,
}

fn address(text: &str) -> Result<u32, String> {
    let clean = text.replace('_', "");
    let value = match clean.strip_prefix("0x").or_else(|| clean.strip_prefix("0X")) {
        Some(hex) => u32::from_str_radix(hex, 16).ok(),
        None => clean.parse().ok(),
    };
    let value = value.filter(|&value| value <= 0xFFFF && value % 2 == 0);
    value.ok_or_else(|| "expected an even address up to 0xFFFE, such as 0x0200".to_owned())
}
