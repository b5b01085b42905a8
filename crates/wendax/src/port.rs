//! Ports to a board: serial ports by name, pseudo-terminals, and sockets of this machine. Reading gives up after a short
//! while, so that whoever has a port stays answerable.

use crate::files::plain;
use rustix::event::{PollFd, PollFlags, poll};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{OptionalActions, tcgetattr, tcsetattr};
use std::fs::File;
use std::io::{ErrorKind, Read, Write};
use std::net::{SocketAddr, TcpListener, TcpStream};
use std::path::Path;
use std::time::Duration;

/// Reading waits so long.
const SHORT: Duration = Duration::from_millis(10);

/// Something that is read and written, whatever is behind it.
pub(crate) trait Port: Read + Write + Send {}

impl<P: Read + Write + Send> Port for P {}

/// Opens the port a person names: `127.0.0.1:4000`, or a serial port by its path.
pub(crate) fn open(name: &str, baud: u32) -> Result<Box<dyn Port>, String> {
    if let Some(address) = socket(name)? {
        let stream =
            TcpStream::connect_timeout(&address, Duration::from_secs(2)).map_err(|error| match error.kind() {
                ErrorKind::ConnectionRefused => {
                    format!("{name}: nothing listens there; `wendax board --listen {name}` would")
                }
                _ => format!("{name}: {}", plain(&error)),
            })?;
        return socket_port(stream).map(|port| Box::new(port) as Box<dyn Port>).map_err(|error| plain(&error));
    }
    if !Path::new(name).exists() {
        let known = serialport::available_ports().unwrap_or_default();
        let known: Vec<String> = known.into_iter().map(|port| port.port_name).collect();
        let there =
            if known.is_empty() { "none is there".to_owned() } else { format!("there are {}", known.join(", ")) };
        return Err(format!("{name}: there is no such port; {there}"));
    }
    let port = serialport::new(name, baud).timeout(SHORT).open_native().map_err(|error| match error.kind() {
        serialport::ErrorKind::NoDevice => format!("{name}: this is no serial port, or someone else has it open"),
        serialport::ErrorKind::Io(ErrorKind::PermissionDenied) => {
            format!("{name}: the system does not let you use this port; being in the group that owns it helps")
        }
        _ => format!("{name}: it cannot be used as a serial port: {error}"),
    })?;
    Ok(Box::new(port))
}

/// An address of a socket of this machine, when the name is one.
fn socket(name: &str) -> Result<Option<SocketAddr>, String> {
    let Ok(address) = name.parse::<SocketAddr>() else { return Ok(None) };
    if !address.ip().is_loopback() {
        return Err(format!("{name}: only this machine's own address is taken, such as 127.0.0.1:{}", address.port()));
    }
    Ok(Some(address))
}

fn socket_port(stream: TcpStream) -> std::io::Result<TcpStream> {
    stream.set_read_timeout(Some(SHORT))?;
    stream.set_nodelay(true)?;
    Ok(stream)
}

/// Where a board listens.
pub(crate) enum Listener {
    /// A serial port, or the near end of a pseudo-terminal, which is always connected.
    Open(Box<dyn Port>),
    /// A socket, and who is connected to it.
    Socket(TcpListener, Option<TcpStream>),
}

impl Listener {
    /// A socket; also its address.
    pub(crate) fn socket(name: &str) -> Result<(Self, String), String> {
        let address = socket(name)?.ok_or_else(|| format!("{name}: expected an address such as 127.0.0.1:4000"))?;
        let listener = TcpListener::bind(address).map_err(|error| match error.kind() {
            ErrorKind::AddrInUse => format!("{name}: someone else listens there; choose another number"),
            _ => format!("{name}: {}", plain(&error)),
        })?;
        listener.set_nonblocking(true).map_err(|error| plain(&error))?;
        let address = listener.local_addr().map_or_else(|_| name.to_owned(), |address| address.to_string());
        Ok((Self::Socket(listener, None), address))
    }

    /// A pseudo-terminal; also the path of its other end.
    pub(crate) fn terminal() -> Result<(Self, String), String> {
        let (pair, name) = pseudo_terminal().map_err(|error| format!("no pseudo-terminal: {}", plain(&error)))?;
        Ok((Self::Open(Box::new(pair)), name))
    }

    /// What has come, at once or after a short while; nothing when nobody says anything.
    pub(crate) fn read(&mut self) -> std::io::Result<Vec<u8>> {
        let mut bytes = [0; 4096];
        let read = match self {
            Self::Open(port) => port.read(&mut bytes),
            Self::Socket(listener, stream) => {
                if stream.is_none() {
                    match listener.accept() {
                        Ok((come, _)) => {
                            come.set_nonblocking(false)?;
                            *stream = Some(socket_port(come)?);
                        }
                        Err(error) if error.kind() == ErrorKind::WouldBlock => {
                            std::thread::sleep(SHORT);
                            return Ok(Vec::new());
                        }
                        Err(error) => return Err(error),
                    }
                }
                let Some(open) = stream else { return Ok(Vec::new()) };
                match open.read(&mut bytes) {
                    // Whoever was there has gone.
                    Ok(0) => {
                        *stream = None;
                        return Ok(Vec::new());
                    }
                    Err(error) if matches!(error.kind(), ErrorKind::ConnectionReset | ErrorKind::BrokenPipe) => {
                        *stream = None;
                        return Ok(Vec::new());
                    }
                    other => other,
                }
            }
        };
        match read {
            Ok(count) => Ok(bytes[..count].to_vec()),
            Err(error) if is_quiet(&error) => Ok(Vec::new()),
            Err(error) => Err(error),
        }
    }

    /// Sends bytes, when someone is there to take them.
    pub(crate) fn write(&mut self, bytes: &[u8]) -> std::io::Result<()> {
        match self {
            Self::Open(port) => port.write_all(bytes),
            Self::Socket(_, stream) => {
                if let Some(open) = stream
                    && open.write_all(bytes).is_err()
                {
                    *stream = None;
                }
                Ok(())
            }
        }
    }
}

fn is_quiet(error: &std::io::Error) -> bool {
    matches!(error.kind(), ErrorKind::TimedOut | ErrorKind::WouldBlock | ErrorKind::Interrupted)
}

/// The near end of a pseudo-terminal.
struct Near {
    file: File,
    /// Kept open, so that the near end stays usable while nobody has the other one.
    _far: File,
}

fn pseudo_terminal() -> std::io::Result<(Near, String)> {
    let near = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY)?;
    grantpt(&near)?;
    unlockpt(&near)?;
    let name = ptsname(&near, Vec::new())?.to_string_lossy().into_owned();
    let far = File::options().read(true).write(true).open(&name)?;
    // Bytes go over it as they are.
    let mut modes = tcgetattr(&far)?;
    modes.make_raw();
    tcsetattr(&far, OptionalActions::Now, &modes)?;
    Ok((Near { file: File::from(near), _far: far }, name))
}

impl Read for Near {
    fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
        let timeout = rustix::event::Timespec { tv_sec: 0, tv_nsec: i64::from(SHORT.subsec_nanos()) };
        let ready = poll(&mut [PollFd::new(&self.file, PollFlags::IN)], Some(&timeout))?;
        if ready == 0 { Err(ErrorKind::TimedOut.into()) } else { self.file.read(bytes) }
    }
}

impl Write for Near {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.file.flush()
    }
}
