//! `wendax board`: a board that is not there in earnest. It takes a program over a line, runs it at a million cycles a
//! second, and shows its lamps and digits; keys of the terminal move its levers.

use crate::cli::Board;
use crate::files::{cannot_write, plain, print};
use crate::port::{self, Listener};
use crate::{Failure, status};
use crossterm::event::{Event, KeyCode, KeyEventKind, KeyModifiers, poll, read};
use crossterm::terminal::{disable_raw_mode, enable_raw_mode};
use std::io::{IsTerminal, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use wendax_board::Device;
use wendax_machine::Board as Face;
use wendax_tui::board_face;

/// Between two drawings at the least: sixty a second at most.
const FRAME: Duration = Duration::from_millis(17);

/// Keys are read as they are struck, until this goes.
struct Keys;

impl Keys {
    fn new() -> Option<Self> {
        let is_terminal = std::io::stdin().is_terminal() && std::io::stdout().is_terminal();
        (is_terminal && enable_raw_mode().is_ok()).then_some(Self)
    }
}

impl Drop for Keys {
    fn drop(&mut self) {
        let _ = disable_raw_mode();
    }
}

pub(crate) fn run(options: &Board) -> Result<u8, Failure> {
    let (mut listener, name) = match (&options.listen, &options.port) {
        (Some(address), _) => Listener::socket(address).map_err(Failure::usage)?,
        (None, Some(name)) => (Listener::Open(port::open(name, options.baud).map_err(Failure::usage)?), name.clone()),
        (None, None) => Listener::terminal().map_err(Failure::usage)?,
    };
    print(format!("a board listens on {name}; wendax send FILE --port {name} loads a program to it\n").as_bytes())?;
    let stop = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        // Without it signals end the program as they always do.
        let _ = signal_hook::flag::register(signal, Arc::clone(&stop));
    }
    let keys = Keys::new();
    let mut shown = Shown { face: None, at: Instant::now(), in_place: keys.is_some() };
    let mut device = Device::new(options.target.unwrap_or(wendax_project::default_target()));
    let mut since = None;
    shown.draw(device.board())?;
    while !stop.load(Ordering::Relaxed) {
        let come = listener.read().map_err(|error| Failure::usage(format!("{name}: {}", plain(&error))))?;
        device.take(&come);
        // The program's time begins when it does.
        let begun = *since.get_or_insert_with(Instant::now);
        if device.is_running() {
            device.run_to(u64::try_from(begun.elapsed().as_millis()).unwrap_or(u64::MAX));
        } else {
            since = None;
        }
        let out = device.send();
        listener.write(&out).map_err(|error| cannot_write(&name, &error))?;
        if keys.is_some() && !obey_keys(&mut device) {
            break;
        }
        shown.draw(device.board())?;
    }
    drop(keys);
    Ok(if stop.load(Ordering::Relaxed) { status::INTERRUPTED } else { 0 })
}

/// Levers by the keys of the terminal; false when the board is to end.
fn obey_keys(device: &mut Device) -> bool {
    while poll(Duration::ZERO).unwrap_or(false) {
        let Ok(Event::Key(key)) = read() else { continue };
        if key.kind == KeyEventKind::Release {
            continue;
        }
        match key.code {
            KeyCode::Char('c') if key.modifiers.contains(KeyModifiers::CONTROL) => return false,
            KeyCode::Char('q') | KeyCode::Esc => return false,
            KeyCode::Char(sign) => {
                if let Some(number) = sign.to_digit(16) {
                    device.move_levers(device.board().levers ^ 1 << number);
                }
            }
            _ => {}
        }
    }
    true
}

/// What was shown last.
struct Shown {
    face: Option<Face>,
    at: Instant,
    /// It is drawn over what was drawn before; else each change is a line.
    in_place: bool,
}

impl Shown {
    fn draw(&mut self, board: &Face) -> Result<(), Failure> {
        let visible = |face: &Face| (face.lamps, face.levers, face.digits);
        let is_same = self.face.as_ref().is_some_and(|face| visible(face) == visible(board));
        if is_same || self.face.is_some() && self.at.elapsed() < FRAME {
            return Ok(());
        }
        let text = if self.in_place {
            let lines = board_face(board);
            let up = if self.face.is_some() { format!("\x1B[{}A", lines.len() + 1) } else { String::new() };
            let rows: Vec<String> = lines.iter().map(|line| format!("\r\x1B[K{line}\r\n")).collect();
            format!("{up}{}\r\x1B[K 0 to F move levers, q ends\r\n", rows.concat())
        } else {
            let digits = board.digits.map(|digit| format!("{digit:02X}")).join(" ");
            format!("lamps {:04X}  levers {:04X}  digits {digits}\n", board.lamps, board.levers)
        };
        (self.face, self.at) = (Some(board.clone()), Instant::now());
        let mut out = std::io::stdout();
        out.write_all(text.as_bytes()).and_then(|()| out.flush()).map_err(|error| cannot_write("the board", &error))
    }
}
