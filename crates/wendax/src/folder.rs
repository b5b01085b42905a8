//! The folder of a program's files, on disk.
//!
//! Whatever a path says, nothing outside the folder is touched: it is an open capability, and paths are resolved below
//! it by the library made for that. Links, folders, devices and the like are refused besides, and so are the files the
//! program is made of. What is written is written whole or not at all, and nothing that someone else has written
//! meanwhile is written over. What a run found at first is kept, so that a branch of it finds the same, and what a branch
//! no longer writes becomes what it was.

use crate::files::plain;
use cap_std::ambient_authority;
use cap_std::fs::{Dir, MetadataExt, OpenOptions, OpenOptionsExt};
use rustix::fs::{Access, AtFlags, FlockOperation, Mode, OFlags};
use std::collections::BTreeMap;
use std::io::{ErrorKind, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use wendax_machine::{Files, Found, MOST_BYTES};

/// A file as the system knows it.
type Identity = (u64, u64);

/// What a file holds, or that there is none.
type Content = Option<Arc<Vec<u8>>>;

/// The folder a run reads and writes files in.
#[derive(Debug)]
pub(crate) struct Folder {
    dir: Dir,
    path: PathBuf,
    /// Files of the program itself.
    own: Vec<PathBuf>,
    /// What was found at each path at first.
    found: BTreeMap<Arc<str>, Found>,
    /// What lies there by our own doing.
    written: BTreeMap<Arc<str>, Arc<Vec<u8>>>,
}

impl Folder {
    /// Opens a folder; `own` are the files that no program may touch.
    pub(crate) fn open(path: &Path, own: Vec<PathBuf>) -> Result<Self, String> {
        let told = |error: std::io::Error| match error.kind() {
            ErrorKind::NotFound => {
                format!("{}: there is no such folder for the program's files; make it", path.display())
            }
            ErrorKind::NotADirectory => format!("{}: this is no folder", path.display()),
            _ => format!("{}: {}", path.display(), plain(&error)),
        };
        let dir = Dir::open_ambient_dir(path, ambient_authority()).map_err(told)?;
        Ok(Self { dir, path: path.to_owned(), own, found: BTreeMap::new(), written: BTreeMap::new() })
    }

    /// Another run begins: it finds what lies there now.
    pub(crate) fn begin(&mut self) {
        self.found.clear();
        self.written.clear();
    }

    /// The run has looked for or written this file.
    pub(crate) fn knows(&self, place: &Path) -> bool {
        let Ok(whole) = std::fs::canonicalize(place) else { return false };
        let is_it = |path: &Arc<str>| std::fs::canonicalize(self.path.join(&**path)).is_ok_and(|known| known == whole);
        self.found.keys().any(is_it)
    }

    /// What a run finds at a path.
    pub(crate) fn find(&mut self, path: &Arc<str>) -> Found {
        if let Some(found) = self.found.get(path) {
            return found.clone();
        }
        let found = match self.look(path) {
            Ok(Some(bytes)) if self.is_locked(path) => Found::Locked(bytes),
            Ok(Some(bytes)) => Found::Bytes(bytes),
            Ok(None) => Found::Nothing,
            Err(found) => found,
        };
        self.found.insert(Arc::clone(path), found.clone());
        found
    }

    /// The file at a path is protected from being written: nobody may, or we may not. The system lets the owner of a
    /// folder replace any file in it, and some users write everything; protecting a file is still meant so.
    fn is_locked(&self, path: &str) -> bool {
        let Ok((dir, name)) = self.parent(path) else { return false };
        let is_for_nobody = dir.symlink_metadata(name).is_ok_and(|data| data.permissions().readonly());
        is_for_nobody || rustix::fs::accessat(&dir, name, Access::WRITE_OK, AtFlags::empty()).is_err()
    }

    /// The folder that a path leads to, and the name in it. Each folder on the way is opened below the one before, and
    /// none of them is a link.
    fn parent<'a>(&self, path: &'a str) -> std::io::Result<(Dir, &'a str)> {
        let mut dir = self.dir.try_clone()?;
        let mut rest = path;
        while let Some((part, behind)) = rest.split_once('/') {
            if dir.symlink_metadata(part)?.is_symlink() {
                return Err(std::io::Error::from(ErrorKind::PermissionDenied));
            }
            dir = dir.open_dir(part)?;
            rest = behind;
        }
        Ok((dir, rest))
    }

    /// What lies at a path now; why it is no file that may be touched.
    fn look(&self, path: &str) -> Result<Content, Found> {
        let (dir, name) = self.parent(path).map_err(|error| match error.kind() {
            ErrorKind::NotFound | ErrorKind::NotADirectory => Found::NoFolder,
            _ => Found::NotAllowed,
        })?;
        match dir.symlink_metadata(name) {
            Ok(metadata) if metadata.is_file() && !self.is_own((metadata.dev(), metadata.ino())) => {}
            Ok(_) => return Err(Found::NotAllowed),
            Err(error) if error.kind() == ErrorKind::NotFound => return Ok(None),
            Err(_) => return Err(Found::NotAllowed),
        }
        // What it is may have changed since: a pipe must not be waited for.
        let nonblock = OFlags::NONBLOCK.bits().cast_signed();
        let mut options = OpenOptions::new();
        options.read(true).custom_flags(nonblock);
        let file = match dir.open_with(name, &options) {
            Ok(file) => file,
            Err(error) if error.kind() == ErrorKind::NotFound => return Ok(None),
            Err(error) if error.kind() == ErrorKind::PermissionDenied => return Err(Found::NotAllowed),
            Err(_) => return Err(Found::Failed),
        };
        if !file.metadata().is_ok_and(|metadata| metadata.is_file()) {
            return Err(Found::NotAllowed);
        }
        let mut bytes = Vec::new();
        file.take(MOST_BYTES as u64 + 1).read_to_end(&mut bytes).map_err(|_| Found::Failed)?;
        if bytes.len() > MOST_BYTES { Err(Found::TooLarge) } else { Ok(Some(bytes.into())) }
    }

    fn is_own(&self, identity: Identity) -> bool {
        use std::os::unix::fs::MetadataExt;
        let of = |path: &PathBuf| std::fs::metadata(path).map(|data| (data.dev(), data.ino()));
        self.own.iter().any(|path| of(path).is_ok_and(|own| own == identity))
    }

    /// Has the folder hold what a branch has written and closed, and otherwise what it held before. Tells what could
    /// not be done.
    pub(crate) fn keep(&mut self, files: &Files) -> Vec<String> {
        let mut wanted: BTreeMap<Arc<str>, Content> = BTreeMap::new();
        for path in self.written.keys() {
            if let Some(found) = self.found.get(path) {
                wanted.insert(Arc::clone(path), content(found));
            }
        }
        for (path, bytes) in files.to_keep() {
            wanted.insert(Arc::clone(path), Some(Arc::clone(bytes)));
        }
        let mut told = Vec::new();
        for (path, wanted) in wanted {
            if let Err(why) = self.put(&path, wanted) {
                told.push(format!("{path} was not written: {why}"));
            }
        }
        told
    }

    fn put(&mut self, path: &Arc<str>, wanted: Content) -> Result<(), String> {
        let before = match (self.written.get(path), self.found.get(path)) {
            (Some(written), _) => Some(Arc::clone(written)),
            (None, found) => found.and_then(content),
        };
        if before == wanted {
            return Ok(());
        }
        let (dir, name) = self.parent(path).map_err(|error| plain(&error))?;
        let _lock = lock(&dir);
        match self.look(path) {
            Ok(now) if now == before && !self.is_locked(path) => {}
            Ok(now) if now == before && now.is_some() => return Err("it is protected from being written".to_owned()),
            Ok(now) if now == before => {}
            Ok(_) => return Err("someone else has changed it since the program opened it".to_owned()),
            Err(_) => return Err("what lies there now is no plain file of the folder".to_owned()),
        }
        let tell = |error: std::io::Error| plain(&error);
        match &wanted {
            Some(bytes) => write_whole(&dir, name, bytes).map_err(tell)?,
            None => dir.remove_file(name).map_err(tell)?,
        }
        let is_first = self.found.get(path).map(content) == Some(wanted.clone());
        match wanted.filter(|_| !is_first) {
            Some(bytes) => self.written.insert(Arc::clone(path), bytes),
            None => self.written.remove(path),
        };
        Ok(())
    }
}

/// Locks a folder, so that looking and replacing are one thing for all who write this way: whoever comes second sees what
/// the first wrote. It is open again when what is returned goes. Where the system locks no folders, the look is all there
/// is.
fn lock(dir: &Dir) -> Option<rustix::fd::OwnedFd> {
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let folder = rustix::fs::openat(dir, ".", flags, Mode::empty()).ok()?;
    rustix::fs::flock(&folder, FlockOperation::LockExclusive).ok()?;
    Some(folder)
}

fn content(found: &Found) -> Content {
    match found {
        Found::Bytes(bytes) | Found::Locked(bytes) => Some(Arc::clone(bytes)),
        Found::Nothing | Found::NoFolder | Found::TooLarge | Found::NotAllowed | Found::Failed => None,
    }
}

/// Writes a file whole or not at all, by way of a new one beside it that takes its place.
fn write_whole(dir: &Dir, name: &str, bytes: &[u8]) -> std::io::Result<()> {
    static NUMBER: AtomicU32 = AtomicU32::new(0);
    let permissions = dir.metadata(name).map(|metadata| metadata.permissions()).ok();
    let number = NUMBER.fetch_add(1, Ordering::Relaxed);
    let beside = format!(".wendax-{}-{number}", std::process::id());
    let written = (|| {
        let mut file = dir.open_with(&beside, OpenOptions::new().write(true).create_new(true))?;
        file.write_all(bytes)?;
        if let Some(permissions) = permissions {
            file.set_permissions(permissions)?;
        }
        file.sync_all()?;
        dir.rename(&beside, dir, name)
    })();
    if written.is_err() {
        // It may not be there.
        let _ = dir.remove_file(&beside);
    }
    written
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;
    use std::os::unix::fs::symlink;
    use wendax_machine::{Event, Machine, Run, Settings, StepNo, Stop};

    /// Opens a path in a mode, writes three bytes to it when that is one for writing, and ends with what opening gave.
    fn program(path: &str, mode: u32) -> Machine {
        let text = format!(
            "start: mov r0, path\n mov r1, {mode}\n sys file_open\n jc done\n mov r6, r0\n mov r1, text\n mov r2, 3\n \
             sys file_write\n mov r0, r6\n sys file_close\n clr r0\ndone: sys exit\n.data\npath: .asciz \"{path}\"\n\
             text: .ascii \"new\"\n"
        );
        let (sources, file) = wendax_source::Sources::single("case", text);
        let image = wendax_asm::assemble(&sources, file).image;
        Machine::new(&image, Settings { has_folder: true, ..Settings::default() })
    }

    /// Runs a program in the folder; what it ended with, and what could not be kept.
    fn run(folder: &mut Folder, path: &str, mode: u32) -> (u32, Vec<String>) {
        let mut machine = program(path, mode);
        loop {
            match machine.run(Run::until(StepNo::LAST)) {
                Stop::Needs(_) => {
                    let wanted = machine.wanted_file().expect("a file is asked for");
                    let found = folder.find(&wanted);
                    machine.feed(&Event::File(wanted, found));
                }
                Stop::Finished(status) => return (status, folder.keep(machine.files())),
                other => panic!("{other:?}"),
            }
        }
    }

    fn yard() -> (tempfile::TempDir, Folder) {
        let around = tempfile::tempdir().unwrap();
        let inside = around.path().join("in");
        fs::create_dir_all(inside.join("sub")).unwrap();
        fs::write(around.path().join("out.txt"), "out").unwrap();
        fs::write(inside.join("main.asm"), "nop").unwrap();
        let folder = Folder::open(&inside, vec![inside.join("main.asm")]).unwrap();
        (around, folder)
    }

    const NOT_ALLOWED: u32 = 4;

    #[test]
    fn nothing_leads_out_of_the_folder() {
        let (around, mut folder) = yard();
        let inside = around.path().join("in");
        symlink("../out.txt", inside.join("link")).unwrap();
        symlink("..", inside.join("up")).unwrap();
        symlink("sub", inside.join("alias")).unwrap();
        symlink("nowhere", inside.join("dangling")).unwrap();
        let pipe = inside.join("pipe");
        assert!(std::process::Command::new("mkfifo").arg(&pipe).status().unwrap().success());
        fs::hard_link(inside.join("main.asm"), inside.join("same")).unwrap();
        let whole = around.path().join("out.txt").display().to_string();
        let paths = [
            "link",
            "up/out.txt",
            "alias/x",
            "dangling",
            "pipe",
            "sub",
            "../out.txt",
            "sub/../../out.txt",
            "same",
            "main.asm",
            &whole,
        ];
        for path in paths {
            for mode in 0..3 {
                assert_eq!(run(&mut folder, path, mode).0, NOT_ALLOWED, "{path} {mode}");
            }
        }
        assert_eq!(run(&mut folder, "none/x", 1).0, 3, "not found");
        assert_eq!(fs::read_to_string(around.path().join("out.txt")).unwrap(), "out");
        assert_eq!(fs::read_to_string(inside.join("main.asm")).unwrap(), "nop");
        assert_eq!(fs::read_dir(inside.join("sub")).unwrap().count(), 0);
        assert_eq!(fs::read_dir(around.path()).unwrap().count(), 2, "nothing new outside");
    }

    #[test]
    fn a_folder_that_becomes_a_link_meanwhile_leads_nowhere() {
        let (around, mut folder) = yard();
        let inside = around.path().join("in");
        let mut machine = program("sub/out.txt", 1);
        assert!(matches!(machine.run(Run::until(StepNo::LAST)), Stop::Needs(_)));
        let wanted = machine.wanted_file().unwrap();
        machine.feed(&Event::File(Arc::clone(&wanted), folder.find(&wanted)));
        machine.run(Run::until(StepNo::LAST));
        fs::remove_dir(inside.join("sub")).unwrap();
        symlink("..", inside.join("sub")).unwrap();
        assert_eq!(folder.keep(machine.files()).len(), 1);
        assert_eq!(fs::read_to_string(around.path().join("out.txt")).unwrap(), "out");
    }

    #[test]
    fn a_file_that_is_protected_stays_and_can_be_read() {
        use std::os::unix::fs::PermissionsExt;
        let (around, mut folder) = yard();
        let place = around.path().join("in/kept.txt");
        fs::write(&place, "old").unwrap();
        fs::set_permissions(&place, fs::Permissions::from_mode(0o444)).unwrap();
        assert_eq!(run(&mut folder, "kept.txt", 1).0, NOT_ALLOWED);
        assert_eq!(run(&mut folder, "kept.txt", 2).0, NOT_ALLOWED);
        assert_ne!(run(&mut folder, "kept.txt", 0).0, NOT_ALLOWED, "it may be read");
        // It was protected only once the program had opened it.
        let open = around.path().join("in/open.txt");
        fs::write(&open, "old").unwrap();
        let mut machine = program("open.txt", 1);
        assert!(matches!(machine.run(Run::until(StepNo::LAST)), Stop::Needs(_)));
        let wanted = machine.wanted_file().unwrap();
        machine.feed(&Event::File(Arc::clone(&wanted), folder.find(&wanted)));
        machine.run(Run::until(StepNo::LAST));
        fs::set_permissions(&open, fs::Permissions::from_mode(0o444)).unwrap();
        assert_eq!(folder.keep(machine.files()), ["open.txt was not written: it is protected from being written"]);
        assert_eq!(fs::read_to_string(&open).unwrap(), "old");
    }

    #[test]
    fn of_two_that_write_one_file_at_once_one_is_told() {
        for round in 0..20 {
            let (around, _) = yard();
            let inside = around.path().join("in");
            let place = inside.join("both.txt");
            fs::write(&place, "old").unwrap();
            let told: usize = std::thread::scope(|scope| {
                let barrier = Arc::new(std::sync::Barrier::new(2));
                let write = |inside: &Path| {
                    let (inside, barrier) = (inside.to_owned(), Arc::clone(&barrier));
                    scope.spawn(move || {
                        let mut folder = Folder::open(&inside, Vec::new()).unwrap();
                        let mut machine = program("both.txt", 2);
                        assert!(matches!(machine.run(Run::until(StepNo::LAST)), Stop::Needs(_)));
                        let wanted = machine.wanted_file().unwrap();
                        machine.feed(&Event::File(Arc::clone(&wanted), folder.find(&wanted)));
                        machine.run(Run::until(StepNo::LAST));
                        barrier.wait();
                        folder.keep(machine.files()).len()
                    })
                };
                [write(&inside), write(&inside)].map(|writer| writer.join().unwrap()).iter().sum()
            });
            assert_eq!((told, fs::read_to_string(&place).unwrap().as_str()), (1, "oldnew"), "round {round}");
        }
    }

    #[test]
    fn what_a_branch_no_longer_writes_is_as_it_was_and_what_others_write_stays() {
        let (around, mut folder) = yard();
        let report = around.path().join("in/report.txt");
        assert_eq!(run(&mut folder, "report.txt", 1), (0, Vec::new()));
        assert_eq!(fs::read_to_string(&report).unwrap(), "new");
        // Another branch of the same run finds what the first one found, and does not write it.
        assert_eq!(folder.find(&"report.txt".into()), Found::Nothing);
        assert_eq!(folder.keep(&Files::default()), Vec::<String>::new());
        assert!(!report.exists());
        // Another run appends to what is there then; someone else's words are not written over.
        folder.begin();
        fs::write(&report, "old ").unwrap();
        assert_eq!(run(&mut folder, "report.txt", 2).0, 0);
        assert_eq!(fs::read_to_string(&report).unwrap(), "old new");
        fs::write(&report, "mine").unwrap();
        assert_eq!(folder.keep(&Files::default()).len(), 1);
        assert_eq!(fs::read_to_string(&report).unwrap(), "mine");
        assert_eq!(fs::read_dir(around.path().join("in")).unwrap().count(), 3, "nothing is left beside");
    }
}
