//! Exit statuses of the tool's own ends. They lie apart from those that programs use, so that a script can tell a program
//! that ended with 2 from one that was never run. `docs/command-line.md` has the same table.

/// Wrong use: an option that does not fit, a file that is not there or not what was asked for.
pub(crate) const WRONG_USE: u8 = 110;
/// Problems in the source, or an image that cannot be read.
pub(crate) const PROBLEMS: u8 = 111;
/// The program failed, and handles no such trap.
pub(crate) const FAULT: u8 = 112;
/// The program repeats one state for ever.
pub(crate) const CIRCLING: u8 = 113;
/// The program waits for what cannot come any more.
pub(crate) const WAITING: u8 = 114;
/// A limit was reached: steps, time, output.
pub(crate) const LIMIT: u8 = 115;
/// The program ran a `brk` that it does not handle.
pub(crate) const BRK: u8 = 116;
/// What was to be written could not be: standard output is full, or nobody reads it.
pub(crate) const NO_OUTPUT: u8 = 117;
/// The run did not come to an `--until` or a `--must`, or came to a `--never`.
pub(crate) const NOT_MET: u8 = 118;
/// Something in the run looks wrong, and `--cautions-fail` asks for that.
pub(crate) const CAUTIONS: u8 = 119;
/// A row of a table of trials failed.
pub(crate) const TRIALS: u8 = 120;
/// Interrupted by a signal, as shells say it (128 and the signal's number, POSIX.1-2017, 2.8.2).
pub(crate) const INTERRUPTED: u8 = 130;

/// The statuses in words, for the help and the documents.
pub(crate) const TABLE: &[(u8, &str)] = &[
    (0, "done; of `run` the program's own status"),
    (WRONG_USE, "wrong use: an option that does not fit, a file that is not there"),
    (PROBLEMS, "problems in the source, or an image that cannot be read"),
    (FAULT, "the program failed"),
    (CIRCLING, "the program repeats one state for ever"),
    (WAITING, "the program waits for what cannot come any more"),
    (LIMIT, "a limit was reached: steps, seconds, host, output, files, code, memory"),
    (BRK, "the program ran a brk"),
    (NO_OUTPUT, "standard output is full, or nobody reads it"),
    (NOT_MET, "the run did not come to an --until or a --must, or came to a --never"),
    (CAUTIONS, "there is a caution, and --cautions-fail was asked for"),
    (TRIALS, "a row of a table of trials failed"),
    (INTERRUPTED, "interrupted"),
];

/// The table as lines of a help text.
pub(crate) fn help() -> String {
    let rows = TABLE.iter().map(|(status, meaning)| format!("  {status:>3}  {meaning}\n"));
    format!("Exit status:\n{}", rows.collect::<String>())
}

#[cfg(test)]
mod tests {
    use super::TABLE;

    const PAGE: &str = include_str!("../../../docs/command-line.md");

    #[test]
    fn the_page_has_each_status_command_and_option() {
        for (status, meaning) in TABLE {
            let words = meaning.replace("a brk", "a `brk`");
            assert!(PAGE.contains(&format!("| {status} | {words}")), "{status}");
        }
        let command = <crate::cli::Cli as clap::CommandFactory>::command();
        for command in command.get_subcommands() {
            assert!(PAGE.contains(&format!("`wendax {}", command.get_name())), "{}", command.get_name());
            for option in command.get_arguments().filter_map(clap::Arg::get_long) {
                assert!(PAGE.contains(&format!("`--{option}")), "{} --{option}", command.get_name());
            }
        }
    }
}
