//! Reading and writing files: whole or not at all.

use crate::{Failure, out};
use std::fs::File;
use std::io::{BufWriter, Read, Write};
use std::path::{Path, PathBuf};
pub(crate) use wendax_project::plain_error as plain;

/// The bytes of a file, or of standard input for `-`.
pub(crate) fn read(path: &Path) -> Result<Vec<u8>, Failure> {
    /// Larger files are no source or image of a machine with 64 KiB.
    const LARGEST: u64 = 1 << 28;
    tracing::debug!(path = %path.display(), "reads");
    let tell = |why: &dyn std::fmt::Display| Failure::usage(format!("{}: {why}", path.display()));
    if path.as_os_str() == "-" {
        return read_all(std::io::stdin().lock(), LARGEST)
            .map_err(|why| Failure::usage(format!("standard input: {why}")));
    }
    let file = File::open(path).map_err(|error| tell(&plain(&error)))?;
    if file.metadata().is_ok_and(|metadata| metadata.is_dir()) {
        return Err(tell(&"this is a folder; name a file in it"));
    }
    read_all(file, LARGEST).map_err(|why| tell(&why))
}

/// All bytes there are, at most so many.
fn read_all(from: impl Read, most: u64) -> Result<Vec<u8>, String> {
    let mut bytes = Vec::new();
    from.take(most + 1).read_to_end(&mut bytes).map_err(|error| plain(&error))?;
    if bytes.len() as u64 > most {
        return Err("this is larger than 256 MiB".to_owned());
    }
    Ok(bytes)
}

/// A text in UTF-8, or where it is none.
pub(crate) fn text_of(path: &Path, bytes: Vec<u8>) -> Result<String, Failure> {
    String::from_utf8(bytes).map_err(|error| {
        let valid = error.utf8_error().valid_up_to();
        let before = &error.as_bytes()[..valid];
        let line = before.split(|&byte| byte == b'\n').count();
        let byte = error.as_bytes().get(valid).copied().unwrap_or(0);
        let place = path.display();
        Failure {
            text: format!("{place}:{line}: the byte 0x{byte:02X} is no UTF-8; save it as UTF-8"),
            status: crate::status::PROBLEMS,
            is_about_output: false,
            is_rendered: false,
        }
    })
}

/// Writes a file whole or not at all, by way of a new file beside it. The permissions of an existing file
/// are kept, and a link goes on pointing to it.
pub(crate) fn write(path: &Path, bytes: &[u8]) -> Result<(), std::io::Error> {
    tracing::debug!(path = %path.display(), bytes = bytes.len(), "writes");
    let mut stream = Stream::to_file(path)?;
    stream.write_all(bytes)?;
    stream.finish()
}

/// What is written as it comes, and is there whole once it is finished, or not at all. Standard output and devices get it
/// at once.
pub(crate) struct Stream(To);

enum To {
    Once(Box<dyn Write>),
    Whole { file: BufWriter<tempfile::NamedTempFile>, target: PathBuf },
}

impl Stream {
    /// To a file, or to standard output for `-`.
    pub(crate) fn new(place: &Path) -> Result<Self, Failure> {
        if place.as_os_str() == "-" {
            return Ok(Self(To::Once(Box::new(BufWriter::new(out::Out)))));
        }
        Self::to_file(place).map_err(|error| cannot_write(&place.display().to_string(), &error))
    }

    fn to_file(path: &Path) -> std::io::Result<Self> {
        let target = std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
        let metadata = std::fs::metadata(&target).ok();
        if metadata.as_ref().is_some_and(std::fs::Metadata::is_dir) {
            return Err(std::io::Error::from(std::io::ErrorKind::IsADirectory));
        }
        if metadata.is_some_and(|metadata| !metadata.is_file()) {
            let file = File::options().write(true).open(&target)?;
            return Ok(Self(To::Once(Box::new(BufWriter::new(file)))));
        }
        let folder = target.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let file = tempfile::Builder::new().prefix(".wendax-").tempfile_in(folder)?;
        Ok(Self(To::Whole { file: BufWriter::with_capacity(1 << 16, file), target }))
    }

    /// All of it is there.
    pub(crate) fn finish(self) -> std::io::Result<()> {
        let (file, target) = match self.0 {
            To::Once(mut to) => return to.flush(),
            To::Whole { file, target } => (file.into_inner().map_err(std::io::IntoInnerError::into_error)?, target),
        };
        file.as_file().sync_all()?;
        let folder = target.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let permissions = match std::fs::metadata(&target) {
            Ok(metadata) => metadata.permissions(),
            Err(_) => fresh_permissions(folder)?,
        };
        file.as_file().set_permissions(permissions)?;
        file.persist(&target).map_err(|error| error.error)?;
        Ok(())
    }
}

impl Write for Stream {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        match &mut self.0 {
            To::Once(to) => to.write(bytes),
            To::Whole { file, .. } => file.write(bytes),
        }
    }

    fn flush(&mut self) -> std::io::Result<()> {
        match &mut self.0 {
            To::Once(to) => to.flush(),
            To::Whole { file, .. } => file.flush(),
        }
    }
}

/// A file is there, and its permissions let nobody write it.
pub(crate) fn is_locked(path: &Path) -> bool {
    std::fs::metadata(path).is_ok_and(|data| data.is_file() && data.permissions().readonly())
}

/// The permissions a new file gets in a folder.
fn fresh_permissions(folder: &Path) -> Result<std::fs::Permissions, std::io::Error> {
    // Only the system knows; a file made and removed at once tells.
    let probe = tempfile::Builder::new().prefix(".wendax-").make_in(folder, |path| File::create_new(path))?;
    Ok(probe.as_file().metadata()?.permissions())
}

/// Nothing may be written over what is read, nor two things to one place. `outputs` are named by what asks for them;
/// texts may follow each other on standard output, and devices take everything.
pub(crate) fn keep_apart(read: &[PathBuf], outputs: &[(&str, &Path)]) -> Result<(), Failure> {
    let is_plain =
        |place: &Path| place.as_os_str() != "-" && std::fs::metadata(place).map_or(true, |data| data.is_file());
    for (index, (name, place)) in outputs.iter().enumerate().filter(|(_, (_, place))| is_plain(place)) {
        if read.iter().any(|read| same_file(place, read)) {
            let text = format!("{}: this was read, and {name} would overwrite it; name another file", place.display());
            return Err(Failure { is_about_output: true, ..Failure::usage(text) });
        }
        if let Some((other, _)) = outputs[..index].iter().find(|(_, other)| same_file(place, other)) {
            let text =
                format!("{}: {other} and {name} would both be written to it; name another file", place.display());
            return Err(Failure { is_about_output: true, ..Failure::usage(text) });
        }
    }
    if let Some((name, place)) = outputs.iter().find(|(_, place)| is_source_name(place)) {
        let text =
            format!("{}: this is named like a source, and {name} writes none; name another file", place.display());
        return Err(Failure { is_about_output: true, ..Failure::usage(text) });
    }
    Ok(())
}

/// The ending of the path is that of sources.
pub(crate) fn is_source_name(path: &Path) -> bool {
    let ending = path.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
    ["asm", "s", "inc"].iter().any(|known| ending.eq_ignore_ascii_case(known))
}

/// Both paths lead to one file, which need not be there yet.
pub(crate) fn same_file(one: &Path, other: &Path) -> bool {
    let whole = |path: &Path| {
        std::fs::canonicalize(path).or_else(|_| {
            let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
            let name = path.file_name().unwrap_or_default();
            std::fs::canonicalize(folder).map(|folder| folder.join(name))
        })
    };
    match (whole(one), whole(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => one == other,
    }
}

/// Writes to a file, or to standard output for `-`.
pub(crate) fn write_to(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    if path.as_os_str() == "-" {
        return print(bytes);
    }
    write(path, bytes).map_err(|error| cannot_write(&path.display().to_string(), &error))
}

/// Something could not be written.
pub(crate) fn cannot_write(what: &str, error: &std::io::Error) -> Failure {
    let text = format!("{what}: {}", plain(error));
    Failure { status: crate::status::NO_OUTPUT, is_about_output: true, ..Failure::usage(text) }
}

/// Writes to standard output. When that is full or nobody reads it, the exit status says so.
pub(crate) fn print(bytes: &[u8]) -> Result<(), Failure> {
    out::put(bytes).map_err(|error| {
        let nobody = error.kind() == std::io::ErrorKind::BrokenPipe;
        let text = if nobody { String::new() } else { format!("standard output: {}", plain(&error)) };
        Failure { status: crate::status::NO_OUTPUT, is_about_output: true, ..Failure::usage(text) }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn writing_keeps_permissions_and_links_and_leaves_nothing_beside() {
        use std::os::unix::fs::{PermissionsExt, symlink};
        let folder = tempfile::tempdir().unwrap();
        let (file, link) = (folder.path().join("gate.asm"), folder.path().join("link.asm"));
        fs::write(&file, "old").unwrap();
        fs::set_permissions(&file, fs::Permissions::from_mode(0o640)).unwrap();
        symlink(&file, &link).unwrap();
        write(&link, b"new").unwrap();
        assert!(fs::symlink_metadata(&link).unwrap().is_symlink());
        assert_eq!(fs::read_to_string(&file).unwrap(), "new");
        assert_eq!(fs::metadata(&file).unwrap().permissions().mode() & 0o777, 0o640);
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 2);
    }

    #[test]
    fn a_new_file_is_as_any_program_makes_it() {
        use std::os::unix::fs::PermissionsExt;
        let folder = tempfile::tempdir().unwrap();
        let (ours, plain) = (folder.path().join("ours"), folder.path().join("plain"));
        write(&ours, b"x").unwrap();
        fs::write(&plain, b"x").unwrap();
        let mode = |path: &Path| fs::metadata(path).unwrap().permissions().mode();
        assert_eq!(mode(&ours), mode(&plain));
    }

    #[test]
    fn what_cannot_be_written_leaves_the_old_file_alone() {
        let folder = tempfile::tempdir().unwrap();
        assert!(write(&folder.path().join("no/such/folder.asm"), b"x").is_err());
        assert!(write(folder.path(), b"x").is_err(), "a folder is no file");
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 0);
    }

    #[test]
    fn text_that_is_none_is_told_by_its_line() {
        let wrong = text_of(Path::new("a.asm"), b"nop\n\nn\xE9p".to_vec()).unwrap_err();
        assert_eq!(
            (wrong.text.as_str(), wrong.status),
            ("a.asm:3: the byte 0xE9 is no UTF-8; save it as UTF-8", crate::status::PROBLEMS)
        );
        assert_eq!(text_of(Path::new("a"), "ö".into()).unwrap(), "ö");
    }
}
