//! `wendax send`: loads a program to a board, runs it there, and is its console.

use crate::cli::Send;
use crate::files::print;
use crate::out::{tell, tell_rendered};
use crate::port::{self, Port};
use crate::{Failure, program, status};
use std::io::{IsTerminal, Read};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{TryRecvError, channel};
use wendax_board::{Ended, SendError, Sender};
use wendax_image::Image;

pub(crate) fn run(options: &Send) -> Result<u8, Failure> {
    let how = program::How {
        at: options.at,
        target: options.target,
        belongs: program::Belongs::ToProject,
        seal: options.opening.bounds.seal(None),
        telling: program::Telling::of(&options.opening),
    };
    let program = program::load(program::here(options.file.as_deref())?, &how)?;
    let port = port::open(&options.port, options.baud).map_err(Failure::usage)?;
    let mut sender = Sender::new(port);
    let is_seen = std::io::stderr().is_terminal();
    let failed = |error: SendError| told(&options.port, &error);
    let progress = |done: usize, all: usize| {
        if is_seen {
            tell_rendered(&format!("\rsent {done} of {all} records"));
        }
        true
    };
    sender.load(program.image(), progress).map_err(failed)?;
    let bytes: usize = program.image().segments.iter().map(|part| part.bytes.len()).sum();
    let lead = if is_seen { "\r" } else { "" };
    tell_rendered(lead);
    tell(&format!("{bytes} bytes sent to {} and checked\n", options.port));
    if options.load_only {
        return Ok(0);
    }
    sender.start().map_err(failed)?;
    console(&mut sender).map_err(|failure| match failure {
        Trouble::Port(error) => told(&options.port, &error),
        Trouble::Output(failure) => failure,
    })
}

fn told(port: &str, error: &SendError) -> Failure {
    let status = match error {
        SendError::NoAnswer | SendError::NoBoard(_) | SendError::OtherBoard { .. } => status::WAITING,
        SendError::Port(_) | SendError::Refused { .. } | SendError::Differs { .. } | SendError::NotRun(_) => {
            status::NO_OUTPUT
        }
    };
    Failure { status, is_about_output: true, ..Failure::usage(format!("{port}: {error}")) }
}

/// Sends a program and starts it; for the bench.
pub(crate) fn send(image: &Image, port: &str) -> Result<String, String> {
    let tell = |error: SendError| format!("{port}: {error}");
    let mut sender = Sender::new(port::open(port, crate::cli::BAUD)?);
    sender.load(image, |_, _| true).map_err(tell)?;
    sender.start().map_err(tell)?;
    Ok(format!("the program was sent to {port}, checked, and runs there; wendax send is its console"))
}

enum Trouble {
    Port(SendError),
    Output(Failure),
}

impl From<SendError> for Trouble {
    fn from(error: SendError) -> Self {
        Self::Port(error)
    }
}

/// The console of the program that runs on the board, up to its end.
fn console(sender: &mut Sender<Box<dyn Port>>) -> Result<u8, Trouble> {
    let stop = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        // A second one ends us, should the board not answer.
        let _ = signal_hook::flag::register_conditional_shutdown(signal, status::INTERRUPTED.into(), Arc::clone(&stop));
        let _ = signal_hook::flag::register(signal, Arc::clone(&stop));
    }
    let (typed, come) = channel();
    std::thread::spawn(move || {
        let mut input = std::io::stdin().lock();
        loop {
            let mut bytes = vec![0; 1024];
            let read = input.read(&mut bytes).unwrap_or(0);
            bytes.truncate(read);
            if typed.send(bytes).is_err() || read == 0 {
                return;
            }
        }
    });
    let (mut is_open, mut was_stopped) = (true, false);
    loop {
        if stop.load(Ordering::Relaxed) && !was_stopped {
            was_stopped = true;
            sender.stop()?;
        }
        match come.try_recv() {
            Ok(bytes) if bytes.is_empty() => {
                is_open = false;
                sender.end_input()?;
            }
            Ok(bytes) => sender.type_input(&bytes)?,
            Err(TryRecvError::Disconnected) if is_open => {
                is_open = false;
                sender.end_input()?;
            }
            Err(_) => {}
        }
        let (printed, ended) = sender.listen()?;
        print(&printed).map_err(Trouble::Output)?;
        match ended {
            None => {}
            Some(_) if was_stopped => return Ok(status::INTERRUPTED),
            Some(Ended::Status(status)) => return Ok(status.to_le_bytes()[0]),
            Some(Ended::Otherwise(words)) => {
                tell(&format!("on the board: {words}\n"));
                return Ok(status::FAULT);
            }
        }
    }
}
