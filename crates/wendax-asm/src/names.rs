//! What the parsed units know of the names in their texts, for who asks by where they stand ([`Written`]).

use crate::Assembly;
use crate::unit::{Definition, SectionKind, Unit};
use std::sync::Arc;
use wendax_isa::Target;
use wendax_language::Written;
use wendax_source::{FileId, Sources};

impl Written for Assembly {
    fn target(&self) -> &'static Target {
        self.image.target
    }

    fn sources(&self) -> &Sources {
        &self.sources
    }

    fn files(&self) -> Vec<FileId> {
        let mut files: Vec<FileId> = Vec::new();
        for unit in &self.units {
            files.extend(unit_files(&self.sources, unit));
        }
        let mut known = Vec::new();
        files.retain(|file| {
            let fresh = !known.contains(file);
            known.push(*file);
            fresh
        });
        files
    }

    fn paths_around(&self) -> Vec<&str> {
        self.around.iter().flat_map(|paths| paths.iter().map(String::as_str)).collect()
    }

    fn files_that_share(&self, file: FileId, name: &str) -> Vec<FileId> {
        let of_unit = |unit: &Arc<Unit>| unit_files(&self.sources, unit);
        let own: Vec<&Arc<Unit>> = self.units.iter().filter(|unit| of_unit(unit).contains(&file)).collect();
        let is_shared = |unit: &Unit| {
            unit.symbols().any(|(id, known)| {
                unit.spelling(id) == name && (known.global.is_some() || matches!(known.definition, Definition::Extern))
            })
        };
        // A name in an included file is that of every unit that includes it.
        let shared = own.iter().any(|unit| is_shared(unit));
        let mut files: Vec<FileId> = Vec::new();
        for unit in &self.units {
            let here = own.iter().any(|known| Arc::ptr_eq(known, unit));
            if here || shared && is_shared(unit) {
                files.extend(of_unit(unit));
            }
        }
        if files.is_empty() {
            files.push(file);
        }
        files.sort_unstable();
        files.dedup();
        files
    }

    fn known_names(&self, file: FileId) -> Vec<(String, &'static str)> {
        let mut names = Vec::new();
        for unit in self.units.iter().filter(|unit| unit_files(&self.sources, unit).contains(&file)) {
            for (id, name) in unit.symbols().filter(|(id, _)| !unit.spelling(*id).contains('@')) {
                let what = match name.definition {
                    Definition::Label { section, .. } => match unit.section(section).kind {
                        SectionKind::Code => "a place in code",
                        _ => "a place in data",
                    },
                    Definition::Constant(_) => "a constant",
                    Definition::Extern => "a name of another file",
                };
                names.push((unit.spelling(id).to_owned(), what));
            }
            names.extend(unit.macros.iter().map(|name| (name.clone(), "a macro")));
        }
        names.sort();
        names.dedup();
        names
    }
}

fn unit_files(sources: &Sources, unit: &Unit) -> Vec<FileId> {
    let mut files = vec![unit.file];
    files.extend(unit.included.iter().filter_map(|path| sources.find(path)));
    files
}
