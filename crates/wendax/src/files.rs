//! Reading and writing files: whole or not at all.

use crate::Failure;
use std::io::{Read, Write};
use std::path::Path;

/// The bytes of a file.
pub(crate) fn read(path: &Path) -> Result<Vec<u8>, Failure> {
    /// Larger files are no source or image of a machine with 64 KiB.
    const LARGEST: u64 = 1 << 28;
    let tell = |why: &dyn std::fmt::Display| Failure::usage(format!("{}: {why}", path.display()));
    let file = std::fs::File::open(path).map_err(|error| tell(&plain(&error)))?;
    if file.metadata().is_ok_and(|metadata| metadata.is_dir()) {
        return Err(tell(&"this is a folder; name a file in it"));
    }
    let mut bytes = Vec::new();
    file.take(LARGEST + 1).read_to_end(&mut bytes).map_err(|error| tell(&plain(&error)))?;
    if bytes.len() as u64 > LARGEST {
        return Err(tell(&"this is larger than 256 MiB, which no source or image is"));
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
            text: format!("{place}:{line}: the byte {byte:02X} is no UTF-8; save the source as UTF-8"),
            status: 3,
        }
    })
}

/// Writes a file whole or not at all, by way of a new file beside it. The permissions of an existing file
/// are kept, and a link goes on pointing to it.
pub(crate) fn write(path: &Path, bytes: &[u8]) -> Result<(), std::io::Error> {
    let target = std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let special = std::fs::metadata(&target).is_ok_and(|metadata| !metadata.is_file());
    if special {
        return std::fs::write(&target, bytes);
    }
    let folder = target.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut file = tempfile::Builder::new().prefix(".wendax-").tempfile_in(folder)?;
    file.write_all(bytes)?;
    file.as_file().sync_all()?;
    let permissions = match std::fs::metadata(&target) {
        Ok(metadata) => metadata.permissions(),
        Err(_) => fresh_permissions(folder)?,
    };
    file.as_file().set_permissions(permissions)?;
    file.persist(&target).map_err(|error| error.error)?;
    Ok(())
}

/// The permissions a new file gets in a folder.
fn fresh_permissions(folder: &Path) -> Result<std::fs::Permissions, std::io::Error> {
    // Only the system knows; a file made and removed at once tells.
    let probe = tempfile::Builder::new().prefix(".wendax-").make_in(folder, |path| std::fs::File::create_new(path))?;
    Ok(probe.as_file().metadata()?.permissions())
}

/// Writes to a file, or to standard output for `-`.
pub(crate) fn write_to(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    let done = if path.as_os_str() == "-" {
        let mut out = std::io::stdout().lock();
        out.write_all(bytes).and_then(|()| out.flush())
    } else {
        write(path, bytes)
    };
    done.map_err(|error| Failure::usage(format!("{}: {}", path.display(), plain(&error))))
}

/// What an error of the system means, in plain words where they are known.
pub(crate) fn plain(error: &std::io::Error) -> String {
    match error.kind() {
        std::io::ErrorKind::NotFound => "there is no such file or folder".to_owned(),
        std::io::ErrorKind::PermissionDenied => "the system does not allow it".to_owned(),
        std::io::ErrorKind::IsADirectory => "this is a folder".to_owned(),
        std::io::ErrorKind::StorageFull => "there is no room left on the disk".to_owned(),
        _ => error.to_string(),
    }
}
