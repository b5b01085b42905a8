//! What a compiler says of the instructions it used, in a section of attributes.
//!
//! The form is that of the RISC-V psABI ("ELF Object Files", attributes): the letter A, then parts by vendor, each with its
//! length; in them lists of attributes, each a number and a number or text. Attribute 5 is the set of instructions, as in
//! `rv32i2p1_m2p0`.

use object::elf::FileHeader32;
use object::read::elf::AttributeReader;
use object::{Endianness, Object, ObjectSection};
use wendax_isa::Target;

const SECTION: &str = ".riscv.attributes";
const VENDOR: &[u8] = b"riscv";
/// The attributes of the whole file.
const OF_FILE: u8 = 1;
/// Attribute of the set of instructions.
const ARCHITECTURE: u64 = 5;

/// What a file says it needs and a machine does not have; `None` when it says nothing of that, or nothing that can be read.
pub(super) fn missing(bytes: &[u8], target: &Target) -> Option<String> {
    if target.elf.sets.is_empty() {
        return None;
    }
    let file = object::read::elf::ElfFile32::<Endianness>::parse(bytes).ok()?;
    let data = file.section_by_name(SECTION)?.data().ok()?;
    let sets = architecture(data)?;
    let lacking = sets_of(&sets).into_iter().find(|set| !target.elf.sets.contains(&set.as_str()))?;
    Some(match lacking.as_str() {
        "c" | "zca" => "compressed instructions".to_owned(),
        "f" | "d" | "q" => "floating point".to_owned(),
        "a" | "zaamo" | "zalrsc" => "atomic instructions".to_owned(),
        "e" => "the small set of registers".to_owned(),
        other => format!("the instructions of `{other}`"),
    })
}

/// The text of the attribute that names the set of instructions.
fn architecture(data: &[u8]) -> Option<String> {
    type Section<'d> = object::read::elf::AttributesSection<'d, FileHeader32<Endianness>>;
    let mut vendors = Section::new(Endianness::Little, data).ok()?.subsections().ok()?;
    while let Ok(Some(part)) = vendors.next() {
        let mut lists = part.subsubsections();
        while let Ok(Some(list)) = lists.next() {
            if part.vendor() == VENDOR && list.tag() == OF_FILE {
                return within(list.attributes());
            }
        }
    }
    None
}

/// The same in a list of attributes: odd ones are texts, even ones numbers.
fn within(mut list: AttributeReader<'_>) -> Option<String> {
    while let Ok(Some(tag)) = list.read_tag() {
        if tag % 2 == 0 {
            list.read_integer().ok()?;
            continue;
        }
        let value = list.read_string().ok()?;
        if tag == ARCHITECTURE {
            return String::from_utf8(value.to_vec()).ok();
        }
    }
    None
}

/// The sets of instructions that a text as `rv32i2p1_m2p0_zicsr2p0` names, without their versions.
fn sets_of(text: &str) -> Vec<String> {
    let lower = text.to_ascii_lowercase();
    let known = lower.strip_prefix("rv32").unwrap_or(&lower);
    let mut sets = Vec::new();
    for piece in known.split('_').filter(|piece| !piece.is_empty()) {
        // Longer names stand alone, single letters may stand one behind the other.
        if piece.starts_with(['z', 's', 'x']) {
            let name = without_version(piece);
            sets.push(name.to_owned());
            continue;
        }
        let mut signs = piece.chars().peekable();
        while let Some(sign) = signs.next() {
            if sign == 'g' {
                sets.extend(["i", "m", "a", "f", "d"].map(str::to_owned));
            } else if sign.is_ascii_alphabetic() {
                sets.push(sign.to_string());
            }
            // Its version, as 2p1, if there is one.
            let mut has_digits = false;
            while let Some(next) = signs.peek().copied() {
                let is_part = next.is_ascii_digit() || has_digits && next == 'p';
                if !is_part {
                    break;
                }
                has_digits = true;
                signs.next();
            }
        }
    }
    sets
}

/// A long name without the version at its end.
fn without_version(name: &str) -> &str {
    let plain = name.trim_end_matches(|sign: char| sign.is_ascii_digit());
    match plain.strip_suffix('p') {
        Some(before) if before.ends_with(|sign: char| sign.is_ascii_digit()) && plain.len() < name.len() => {
            before.trim_end_matches(|sign: char| sign.is_ascii_digit())
        }
        _ if plain.len() < name.len() => plain,
        _ => name,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sets_are_told_apart() {
        assert_eq!(sets_of("rv32i2p1_m2p0_zicsr2p0"), ["i", "m", "zicsr"]);
        assert_eq!(sets_of("rv32imafdc"), ["i", "m", "a", "f", "d", "c"]);
        assert_eq!(sets_of("rv32im_zicsr_zifencei2p0_zmmul1p0"), ["i", "m", "zicsr", "zifencei", "zmmul"]);
        assert_eq!(sets_of("rv32e1p9"), ["e"]);
        assert_eq!(sets_of(""), [""; 0]);
    }

    #[test]
    fn the_set_is_found_among_the_attributes() {
        // Alignment of the stack 16, the set, nothing unaligned.
        let mut list = vec![4, 16, 5];
        list.extend(b"rv32i2p1_c2p0\0");
        list.extend([6, 0]);
        let mut data = b"A".to_vec();
        let file = 1 + 4 + list.len();
        let whole = 4 + VENDOR.len() + 1 + file;
        data.extend(u32::try_from(whole).unwrap().to_le_bytes());
        data.extend(b"riscv\0\x01");
        data.extend(u32::try_from(file).unwrap().to_le_bytes());
        data.extend(&list);
        assert_eq!(architecture(&data).as_deref(), Some("rv32i2p1_c2p0"));
        // Attributes of a section stand before those of the file.
        let mut before = data.clone();
        let of_section = [2, 8, 0, 0, 0, 1, 0, 0];
        before[1..5].copy_from_slice(&u32::try_from(whole + of_section.len()).unwrap().to_le_bytes());
        before.splice(11..11, of_section);
        assert_eq!(architecture(&before).as_deref(), Some("rv32i2p1_c2p0"));
        for end in 0..data.len() {
            let _ = architecture(&data[..end]);
        }
        for at in 0..data.len() {
            let mut other = data.clone();
            other[at] ^= 0xFF;
            let _ = architecture(&other);
        }
    }
}
