"""Reads an ELF program, an ELF object, Intel HEX and S-records with general libraries, and tells what is in them as
JSON, for the test beside this to compare with what was meant."""
import json
import sys

import bincopy
from elftools.elf.elffile import ELFFile
from intelhex import IntelHex


def lines_of(elf):
    dwarf = elf.get_dwarf_info(relocate_dwarf_sections=False)
    found = []
    for unit in dwarf.iter_CUs():
        program = dwarf.line_program_for_CU(unit)
        files = program["file_entry"]
        version = program["version"]
        last = None
        for entry in program.get_entries():
            state = entry.state
            if state is None:
                continue
            if last is not None and state.address > last.address:
                name = files[last.file if version >= 5 else last.file - 1].name
                found.append([last.address, state.address - last.address, name.decode(), last.line, bool(last.is_stmt)])
            last = None if state.end_sequence else state
    return found


def elf(path):
    with open(path, "rb") as file:
        elf = ELFFile(file)
        symbols = elf.get_section_by_name(".symtab")
        return {
            "class": elf.elfclass,
            "little": elf.little_endian,
            "machine": elf["e_machine"] if isinstance(elf["e_machine"], int) else str(elf["e_machine"]),
            "type": elf["e_type"],
            "entry": elf["e_entry"],
            "segments": [
                [s["p_vaddr"], s["p_memsz"], s.data().hex(), s["p_flags"]] for s in elf.iter_segments("PT_LOAD")
            ],
            "symbols": sorted(
                [s.name, s["st_value"], s["st_info"]["bind"], str(s["st_shndx"])] for s in symbols.iter_symbols() if s.name
            ),
            "relocations": [
                [section.name, r["r_offset"], r["r_info_type"], symbols.get_symbol(r["r_info_sym"]).name, r["r_addend"]]
                for section in elf.iter_sections("SHT_RELA")
                if not section.name.startswith(".rela.debug")
                for r in section.iter_relocations()
            ],
            "lines": lines_of(elf),
        }


def hexadecimal(path):
    image = IntelHex(path)
    other = bincopy.BinFile(path)
    return {
        "entry": image.start_addr["EIP"],
        "segments": [[start, end, bytes(image.tobinarray(start=start, end=end - 1)).hex()] for start, end in image.segments()],
        "same": [[s.minimum_address, bytes(s.data).hex()] for s in other.segments],
    }


def srecords(path):
    image = bincopy.BinFile(path)
    return {
        "entry": image.execution_start_address,
        "header": image.header,
        "segments": [[s.minimum_address, bytes(s.data).hex()] for s in image.segments],
    }


program, object_file, hex_file, srec_file = sys.argv[1:]
print(json.dumps({"program": elf(program), "object": elf(object_file), "hex": hexadecimal(hex_file), "srec": srecords(srec_file)}))
