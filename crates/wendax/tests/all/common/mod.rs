//! The real program in a real terminal: tmux gives it one, types keys, and reads the screen.

use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

/// Runs in a folder with something typed; exit status, standard output and standard error.
pub(crate) fn run(folder: &Path, arguments: &[&str], typed: &str) -> (i32, String, String) {
    let mut command = assert_cmd::Command::new(env!("CARGO_BIN_EXE_wendax"));
    let output = command.current_dir(folder).args(arguments).write_stdin(typed).output().expect("it runs");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (output.status.code().unwrap_or(-1), text(&output.stdout), text(&output.stderr))
}

/// How long a screen may take to show what is expected; generous, for slow machines under load.
const PATIENCE: Duration = Duration::from_secs(20);

/// A terminal of its own, on a tmux server of its own.
pub(crate) struct Screen {
    socket: String,
}

impl Screen {
    /// Starts `wendax` with these arguments; `home` is where it keeps what is its own.
    pub(crate) fn start(home: &Path, arguments: &str, width: u16, height: u16) -> Self {
        static NEXT: AtomicU32 = AtomicU32::new(0);
        let number = NEXT.fetch_add(1, Ordering::Relaxed);
        let screen = Self { socket: format!("wendax-test-{}-{number}", std::process::id()) };
        let program = env!("CARGO_BIN_EXE_wendax");
        let home = home.display();
        // The status stays on the screen when the program has ended, and the shell keeps the terminal.
        let command = format!(
            "HOME={home} XDG_DATA_HOME={home}/data XDG_STATE_HOME={home}/.local/state XDG_CONFIG_HOME={home}/.config {program} {arguments}; echo \"ended with $?\"; stty -a | grep -c ' echo '; exec cat"
        );
        let (width, height) = (width.to_string(), height.to_string());
        let done =
            screen.tmux(&["-f", "/dev/null", "new-session", "-d", "-x", &width, "-y", &height, "sh", "-c", &command]);
        assert!(done.status.success(), "tmux: {}", String::from_utf8_lossy(&done.stderr));
        screen
    }

    fn tmux(&self, arguments: &[&str]) -> Output {
        let output = Command::new("tmux").args(["-L", &self.socket]).args(arguments).output();
        output.expect("tmux is installed: ./test sees to it")
    }

    /// Presses keys by their tmux names. What begins with a colon is a command of the palette by its words:
    /// `:clear_all_stops`.
    pub(crate) fn keys(&self, names: &str) {
        for name in names.split_whitespace() {
            match name.strip_prefix(':').filter(|words| !words.is_empty()) {
                Some(words) => {
                    self.tmux(&["send-keys", ":"]);
                    self.text(&words.replace('_', " "));
                    self.tmux(&["send-keys", "Enter"]);
                }
                None => drop(self.tmux(&["send-keys", name])),
            }
        }
    }

    /// Types a text as it stands.
    pub(crate) fn text(&self, text: &str) {
        self.tmux(&["send-keys", "-l", text]);
    }

    /// What is on the screen.
    pub(crate) fn read(&self) -> String {
        String::from_utf8_lossy(&self.tmux(&["capture-pane", "-p"]).stdout).into_owned()
    }

    /// Waits until the screen shows a text.
    #[track_caller]
    pub(crate) fn shows(&self, wanted: &str) -> String {
        let begun = Instant::now();
        loop {
            let screen = self.read();
            if screen.contains(wanted) {
                return screen;
            }
            assert!(begun.elapsed() < PATIENCE, "`{wanted}` does not come up on\n{screen}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Waits until something holds.
    #[track_caller]
    pub(crate) fn until(&self, what: &str, holds: impl Fn() -> bool) {
        let begun = Instant::now();
        while !holds() {
            assert!(begun.elapsed() < PATIENCE, "it does not come about that {what}:\n{}", self.read());
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Kills the program in the terminal with a signal.
    pub(crate) fn kill(&self, signal: &str) {
        let pid =
            String::from_utf8_lossy(&self.tmux(&["display-message", "-p", "#{pane_pid}"]).stdout).trim().to_owned();
        let children = Command::new("pgrep").args(["-P", &pid, "wendax"]).output().expect("pgrep is there");
        let child = String::from_utf8_lossy(&children.stdout).trim().to_owned();
        let done = Command::new("kill").args([&format!("-{signal}"), &child]).status().expect("kill is there");
        assert!(done.success(), "no process to kill below {pid}");
    }

    /// Closes the terminal, as a user closes a window.
    pub(crate) fn close(&self) {
        self.tmux(&["kill-session"]);
    }
}

/// Waits until something holds.
#[track_caller]
pub(crate) fn until(what: &str, holds: impl Fn() -> bool) {
    let begun = Instant::now();
    while !holds() {
        assert!(begun.elapsed() < PATIENCE, "it does not come about that {what}");
        std::thread::sleep(Duration::from_millis(5));
    }
}

/// Interrupts a program as Ctrl-C does, as soon as it looks out for that.
#[track_caller]
pub(crate) fn interrupt(child: &std::process::Child) {
    let looks_out = || {
        let status = std::fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap_or_default();
        let caught = status.lines().find_map(|line| line.strip_prefix("SigCgt:"));
        // The second bit is that of the interrupt.
        caught.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).is_some_and(|mask| mask & 2 != 0)
    };
    until("the program looks out for signals", looks_out);
    let done = Command::new("kill").args(["-INT", &child.id().to_string()]).status();
    assert!(done.expect("kill is there").success());
}

/// A home with a source in it.
pub(crate) fn home(text: &str) -> (tempfile::TempDir, PathBuf) {
    let home = tempfile::tempdir().expect("a folder");
    let file = home.path().join("gate.asm");
    std::fs::write(&file, text).expect("written");
    (home, file)
}

/// How many unsaved texts are kept below a home.
pub(crate) fn count_kept(home: &Path) -> usize {
    std::fs::read_dir(home.join("data/wendax/unsaved")).map_or(0, Iterator::count)
}

/// Unsaved text that holds this was kept below a home.
pub(crate) fn is_kept(home: &Path, text: &str) -> bool {
    let Ok(entries) = std::fs::read_dir(home.join("data/wendax/unsaved")) else { return false };
    // A file that is being written has no name of its own yet, and is gone with who writes it.
    let whole = entries.flatten().filter(|entry| !entry.file_name().to_string_lossy().starts_with('.'));
    let mut texts = whole.filter_map(|entry| std::fs::read_to_string(entry.path()).ok());
    texts.any(|kept| kept.contains(text))
}

impl Drop for Screen {
    fn drop(&mut self) {
        self.tmux(&["kill-server"]);
    }
}
