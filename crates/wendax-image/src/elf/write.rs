//! The form of an ELF file: sections, symbols and relocations to bytes.

use object::Endianness;
use object::elf;
use object::write::StringId;
use object::write::elf::{FileHeader, ProgramHeader, Rel, SectionHeader, SectionIndex, Sym, Writer};
use wendax_isa::Target;

/// A relocation of a section's byte, with its addend.
#[derive(Debug, Clone, Copy)]
pub struct Rela {
    /// The byte's place in its section.
    pub at: u32,
    /// Index among the symbols of the file.
    pub symbol: u32,
    /// Its number in the file.
    pub kind: u32,
    /// Added to the symbol's value.
    pub addend: i64,
}

/// A section of a file.
#[derive(Debug, Clone, Default)]
pub struct Section {
    /// Its name.
    pub name: String,
    /// `SHF_` flags.
    pub flags: u32,
    /// Where it is loaded.
    pub address: u32,
    /// In bytes; 0 and 1 are the same.
    pub align: u32,
    /// What is in it.
    pub bytes: Vec<u8>,
    /// Room that is not in the file, in bytes; then there are no bytes.
    pub room: Option<u32>,
    /// What has to be put into its bytes when it is linked.
    pub relocations: Vec<Rela>,
}

/// Where a symbol is at home.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Home {
    /// A section, by its index.
    Section(usize),
    /// A number, not an address.
    Absolute,
    /// In another file.
    Foreign,
}

/// A name in a file.
#[derive(Debug, Clone)]
pub struct Symbol {
    /// As written.
    pub name: String,
    /// Where it is at home.
    pub home: Home,
    /// Its address, its place in its section, or a number.
    pub value: u32,
    /// In bytes; 0 when it is not known.
    pub size: u32,
    /// Other files may use it.
    pub is_global: bool,
    /// `STT_` type.
    pub kind: u8,
}

/// What goes into a file. Local symbols come before global ones.
#[derive(Debug)]
pub struct Contents {
    /// The machine it is for.
    pub target: &'static Target,
    /// `ET_` type.
    pub kind: u16,
    /// The first instruction to run.
    pub entry: u32,
    /// In order.
    pub sections: Vec<Section>,
    /// In order, local ones first.
    pub symbols: Vec<Symbol>,
}

impl Contents {
    /// Nothing yet, for a machine.
    pub fn new(target: &'static Target) -> Self {
        Self { target, kind: elf::ET_NONE, entry: 0, sections: Vec::new(), symbols: Vec::new() }
    }

    /// Sections that are loaded, which programs list a second time.
    fn loaded(&self) -> impl Iterator<Item = usize> + '_ {
        let is_program = self.kind == elf::ET_EXEC;
        (0..self.sections.len()).filter(move |&index| is_program && self.sections[index].flags & elf::SHF_ALLOC != 0)
    }

    /// The file.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut writer = Writer::new(Endianness::Little, false, &mut bytes);
        let relocation_names: Vec<String> =
            self.sections.iter().map(|section| format!(".rela{}", section.name)).collect();
        let places = self.reserve(&mut writer, &relocation_names);
        // Writing fails only when the parts were not reserved in this order.
        self.write(&mut writer, &places).expect("all parts are written in the order they were reserved in");
        bytes
    }

    fn reserve<'a>(&'a self, writer: &mut Writer<'a>, relocation_names: &'a [String]) -> Places {
        let mut places = Places::default();
        writer.reserve_file_header();
        let loaded = u32::try_from(self.loaded().count()).unwrap_or(u32::MAX);
        if loaded > 0 {
            writer.reserve_program_headers(loaded);
        }
        writer.reserve_null_section_index();
        for section in &self.sections {
            places.names.push(writer.add_section_name(section.name.as_bytes()));
            places.indices.push(writer.reserve_section_index());
        }
        for (section, name) in self.sections.iter().zip(relocation_names) {
            if !section.relocations.is_empty() {
                places.relocation_names.push(writer.add_section_name(name.as_bytes()));
                writer.reserve_section_index();
            }
        }
        writer.reserve_symtab_section_index();
        writer.reserve_strtab_section_index();
        writer.reserve_shstrtab_section_index();
        writer.reserve_null_symbol_index();
        for symbol in &self.symbols {
            let name = (!symbol.name.is_empty()).then(|| writer.add_string(symbol.name.as_bytes()));
            places.symbol_names.push(name);
            writer.reserve_symbol_index(None);
        }
        for section in &self.sections {
            let align = section.align.max(1) as usize;
            places.offsets.push(if section.room.is_some() {
                writer.len()
            } else {
                writer.reserve(section.bytes.len(), align)
            });
        }
        for section in self.sections.iter().filter(|section| !section.relocations.is_empty()) {
            places.relocations.push(writer.reserve_relocations(section.relocations.len(), true));
        }
        writer.reserve_symtab();
        writer.reserve_strtab();
        writer.reserve_shstrtab();
        writer.reserve_section_headers();
        places
    }

    fn write(&self, writer: &mut Writer<'_>, places: &Places) -> object::write::Result<()> {
        writer.write_file_header(&FileHeader {
            os_abi: elf::ELFOSABI_NONE,
            abi_version: 0,
            e_type: self.kind,
            e_machine: self.target.elf.machine,
            e_entry: self.entry.into(),
            e_flags: 0,
        })?;
        if self.loaded().next().is_some() {
            writer.write_align_program_headers();
        }
        for index in self.loaded() {
            let section = &self.sections[index];
            let flag = |section_flag, flag| if section.flags & section_flag != 0 { flag } else { 0 };
            let stored = section.bytes.len() as u64;
            writer.write_program_header(&ProgramHeader {
                p_type: elf::PT_LOAD,
                p_flags: elf::PF_R | flag(elf::SHF_WRITE, elf::PF_W) | flag(elf::SHF_EXECINSTR, elf::PF_X),
                p_offset: places.offsets[index] as u64,
                p_vaddr: section.address.into(),
                p_paddr: section.address.into(),
                p_filesz: stored,
                p_memsz: stored + u64::from(section.room.unwrap_or(0)),
                p_align: 1,
            });
        }
        for section in self.sections.iter().filter(|section| section.room.is_none()) {
            writer.write_align(section.align.max(1) as usize);
            writer.write(&section.bytes);
        }
        for section in self.sections.iter().filter(|section| !section.relocations.is_empty()) {
            writer.write_align_relocation();
            for rela in &section.relocations {
                let rel =
                    Rel { r_offset: rela.at.into(), r_sym: rela.symbol, r_type: rela.kind, r_addend: rela.addend };
                writer.write_relocation(true, &rel);
            }
        }
        self.write_symbols(writer, places);
        writer.write_strtab();
        writer.write_shstrtab();
        self.write_section_headers(writer, places);
        Ok(())
    }

    fn write_symbols(&self, writer: &mut Writer<'_>, places: &Places) {
        writer.write_null_symbol();
        for (symbol, name) in self.symbols.iter().zip(&places.symbol_names) {
            let bind = if symbol.is_global { elf::STB_GLOBAL } else { elf::STB_LOCAL };
            let (section, st_shndx) = match symbol.home {
                Home::Section(index) => (Some(places.indices[index]), 0),
                Home::Absolute => (None, elf::SHN_ABS),
                Home::Foreign => (None, elf::SHN_UNDEF),
            };
            writer.write_symbol(&Sym {
                name: *name,
                section,
                st_info: (bind << 4) | symbol.kind,
                st_other: 0,
                st_shndx,
                st_value: symbol.value.into(),
                st_size: symbol.size.into(),
            });
        }
    }

    fn write_section_headers(&self, writer: &mut Writer<'_>, places: &Places) {
        writer.write_null_section_header();
        for (index, section) in self.sections.iter().enumerate() {
            writer.write_section_header(&SectionHeader {
                name: Some(places.names[index]),
                sh_type: if section.room.is_some() { elf::SHT_NOBITS } else { elf::SHT_PROGBITS },
                sh_flags: section.flags.into(),
                sh_addr: section.address.into(),
                sh_offset: places.offsets[index] as u64,
                sh_size: section.bytes.len() as u64 + u64::from(section.room.unwrap_or(0)),
                sh_link: 0,
                sh_info: 0,
                sh_addralign: section.align.max(1).into(),
                sh_entsize: 0,
            });
        }
        let symtab = writer.symtab_index();
        let with = self.sections.iter().enumerate().filter(|(_, section)| !section.relocations.is_empty());
        for (number, (index, section)) in with.enumerate() {
            writer.write_relocation_section_header(
                places.relocation_names[number],
                places.indices[index],
                symtab,
                places.relocations[number],
                section.relocations.len(),
                true,
            );
        }
        let locals = self.symbols.iter().filter(|symbol| !symbol.is_global).count();
        writer.write_symtab_section_header(u32::try_from(locals + 1).unwrap_or(u32::MAX));
        writer.write_strtab_section_header();
        writer.write_shstrtab_section_header();
    }
}

/// Where the parts of a file go.
#[derive(Default)]
struct Places {
    names: Vec<StringId>,
    indices: Vec<SectionIndex>,
    offsets: Vec<usize>,
    relocation_names: Vec<StringId>,
    relocations: Vec<usize>,
    symbol_names: Vec<Option<StringId>>,
}
