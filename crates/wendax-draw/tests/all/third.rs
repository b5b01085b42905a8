//! A machine that there is not, of 24 bits, whose words and addresses fit nothing by chance: what is written, put in tables, read
//! from files and drawn goes by what the target says, and by no machine that there is.

use crate::common::{texts, wrong};
use proptest::prelude::*;
use std::borrow::Cow;
use std::sync::LazyLock;
use wendax_draw::{Picture, calls, data, tallies, tree};
use wendax_image::{
    Image, NumberForm, Rights, Segment, Stay, Symbol, SymbolKind, TypeId, TypeKind, Variable, Variables, from_hex,
    from_srecord, to_hex, to_srecord,
};
use wendax_isa::{Addr, MemoryMap, Target, rv32};
use wendax_language::{Moment, Named, Scope, Typed, ValueExpression};
use wendax_machine::StepNo;
use wendax_session::{Cells, Held, Reading, RoutineTally, Shown, Tally};
use wendax_source::{FileId, Sources, Span};

static THIRD: LazyLock<Target> = LazyLock::new(|| Target {
    name: "T24",
    word_bits: 24,
    address_bits: 24,
    code_align: 3,
    map: MemoryMap {
        vectors_end: Addr(0),
        code_start: Addr(0x1000),
        page: 0x100,
        stack_start: Addr(0xF0_0000),
        stack_end: Addr(0xF8_0000),
        devices_start: Addr(0xFF_FE00),
        programs: &[(Addr(0x1000), Addr(0xF0_0000))],
        most: 0x10_0000,
    },
    ..rv32::TARGET
});

fn cells(parts: &[u32], values: &[u32], is_signed: bool) -> Cells {
    let values = values.iter().map(|value| Some(*value)).collect();
    Cells { address: Addr(0x1234), parts: parts.to_vec(), values, is_signed }
}

#[test]
fn words_are_as_long_as_its_own() {
    let rows = |cells| Shown::Value(Reading::Cells(cells)).lines("loads", &THIRD);
    assert_eq!(rows(cells(&[3], &[0x7F_FFFF, 0x80_0000, 0xFF_FFFF], true))[1], "   0  8388607 -8388608     -1");
    assert_eq!(rows(cells(&[3], &[1, 0xAB_CDEF], false)), ["loads, at 0x001234", "   0  000001 ABCDEF"]);
    assert_eq!(rows(cells(&[3, 1], &[5, 0xFE, 0xFF_FFFF, 1], true))[1..], ["   0       5 FE", "   1      -1 01"]);
    assert_eq!(cells(&[3, 1], &[0; 4], true).address_of(3), Addr(0x1234 + 7));
    let stack = Shown::Stack(vec![
        (Addr(0xF7_FFFD), Some(0x1203), "way back".to_owned()),
        (Addr(0xF8_0000), None, String::new()),
    ]);
    assert_eq!(stack.lines("stack", &THIRD), ["F7FFFD  001203  way back", "F80000  ····"]);
    let registers = Shown::Registers(vec![("a0", Some(0xFF_FFFE)), ("a1", None)]);
    assert_eq!(registers.lines("registers", &THIRD), ["a0  FFFFFE      -2   a1  ····"]);
}

/// A program with names and room, far apart.
fn image(at: u32, bytes: &[u8]) -> Image {
    let segment = |start, bytes: &[u8], rights| Segment { start, bytes: bytes.to_vec(), reserved: false, rights };
    let symbol = |name: &str, value: u32, kind| Symbol {
        name: name.to_owned(),
        value: value.into(),
        kind,
        span: Span::new(FileId(0), 0, 0),
        is_global: true,
        bytes: 0,
    };
    let mut image = Image::new(&THIRD);
    image.entry = Addr(0x1200);
    image.segments =
        vec![segment(Addr(0x1200), &[1, 2, 3, 4, 5, 6], Rights::CODE), segment(Addr(at), bytes, Rights::DATA)];
    image.symbols = vec![
        symbol("main", 0x1200, SymbolKind::Code),
        symbol("wagons", at, SymbolKind::Data),
        symbol("LIMIT", 7, SymbolKind::Constant),
    ];
    image
}

/// What compilers tell of may have a fraction, in either width.
#[test]
fn fractions_are_shown_as_numbers() {
    let told = |held| Shown::Value(Reading::Held(Addr(0x1234), held)).lines("share", &THIRD);
    assert_eq!(told(Held::Fraction("0.25".to_owned())), ["share = 0.25"]);
    let parts = Held::Parts(vec![
        ("a".to_owned(), Held::Fraction("-1.5".to_owned())),
        ("long".to_owned(), Held::Text("coal".to_owned())),
    ]);
    assert_eq!(told(parts), ["share, at 0x001234", "  a     -1.5", "  long  \"coal\""]);
}

#[test]
fn tables_have_its_digits() {
    let image = image(0x12_3456, &[7; 9]);
    let (sources, _) = Sources::single("yard.asm", "");
    let map = wendax_asm::memory_map(&image);
    let symbols = wendax_asm::symbol_table(&sources, &image, wendax_asm::SymbolOrder::Address);
    for wanted in ["001200", "123456", "F00000"] {
        assert!(map.contains(wanted), "{wanted}: {map}");
    }
    assert!(symbols.contains("123456") && symbols.contains("001200"), "{symbols}");
    // A digit more or less on one of the lines would put its columns elsewhere.
    let columns: Vec<usize> = map.lines().filter_map(|line| line.find("  ")).collect();
    assert!(columns.windows(2).filter(|pair| pair[0] != pair[1]).count() <= 2, "{map}");
    assert_eq!(image.place_name(Addr(0x12_3459)).as_deref(), Some("wagons + 3"));
}

struct Memory(Vec<u8>, Variables);

impl Scope for Memory {
    fn variable(&self, name: &str) -> Option<Typed<'_>> {
        let variable = Cow::Borrowed(self.1.named(name, Addr(0))?);
        Some(Typed { variable, all: &self.1, target: &THIRD, next: 0, register: |register| register.0.into() })
    }

    fn named(&self, _: &str) -> Option<Named> {
        None
    }

    fn size_of(&self, _: &str) -> Option<i64> {
        None
    }
}

impl Moment for Memory {
    fn live(&self, _: u32) -> i64 {
        0
    }

    fn word(&self, address: i64) -> Result<i64, String> {
        self.number(address, THIRD.word_bytes())
    }

    fn byte(&self, address: i64) -> Result<i64, String> {
        let byte = usize::try_from(address).ok().and_then(|at| self.0.get(at));
        byte.map(|byte| i64::from(*byte)).ok_or_else(|| "nothing there".to_owned())
    }

    fn signed(&self, word: i64) -> i64 {
        THIRD.signed(u32::try_from(word).unwrap_or(0)).into()
    }
}

#[test]
fn values_take_words_and_addresses_of_its_length() {
    let everywhere =
        |address| vec![Stay { from: Addr(0), to: Addr(u32::MAX), place: wendax_image::Home::At(Addr(address)) }];
    let kinds = vec![
        TypeKind::Number(2, NumberForm::Signed),
        TypeKind::Pointer(Some(TypeId(0))),
        TypeKind::Array(TypeId(1), 2),
    ];
    let list = vec![Variable {
        name: "places".to_owned(),
        of: TypeId(2),
        scope: vec![],
        stays: everywhere(2),
        is_parameter: false,
    }];
    // Two addresses of three bytes each, the second one of which leads to -2.
    let memory = Memory(vec![0, 0, 9, 0, 0, 10, 0, 0, 0, 0, 0xFE, 0xFF], Variables::new(kinds, list));
    let value = |text: &str| ValueExpression::read(text).and_then(|read| read.bind(&memory)?.value(&memory));
    assert_eq!(value("places[1]"), Ok(10));
    assert_eq!(value("*places[1]"), Ok(-2));
    assert_eq!(value("sizeof(places)"), Ok(6));
    assert_eq!(value("[9] >> 8"), Ok(0xFFFE));
    assert_eq!(value("signed([9])"), Ok(i64::from(0xFF_FE00 - 0x100_0000)));
}

fn routine(name: &str, address: u32, calls: u64) -> RoutineTally {
    RoutineTally {
        name: name.to_owned(),
        address: Addr(address),
        calls,
        own_steps: 9,
        own_cycles: 12,
        all_steps: 20,
        all_cycles: 31,
        dearest: None,
        callees: Vec::new(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Drawings have room for its digits, whatever stands in them.
    #[test]
    fn drawings_have_room_for_its_digits(
        values in prop::collection::vec(0..0x100_0000_u32, 1..40),
        parts in prop::sample::select(vec![vec![1], vec![3], vec![3, 1], vec![1, 1, 3], vec![2]]),
        is_signed in any::<bool>(), address in 0..0xFF_FF00_u32,
    ) {
        let whole = values.len().div_ceil(parts.len()) * parts.len();
        let values: Vec<u32> = values.iter().cycle().take(whole).zip(parts.iter().cycle())
            .map(|(value, size)| value & (0xFF_FFFF >> (8 * (3 - size)))).collect();
        let cells = Cells { address: Addr(address), ..cells(&parts, &values, is_signed) };
        let picture = |words: &str| Picture { step: StepNo(7), words: words.to_owned(), reading: Reading::Cells(cells.clone()) };
        for pictures in [vec![picture("")], vec![picture("before"), picture("behind")]] {
            let scene = data("loads", &pictures, &THIRD);
            prop_assert_eq!(wrong(&scene), None);
            prop_assert!(texts(&scene).contains(&format!("{address:06X}").as_str()), "{:?}", texts(&scene));
        }
        let tally = Tally {
            name: "yard".to_owned(),
            machine: "T24".to_owned(),
            routines: vec![routine("main", 0x1200, 0), routine("weigh", address, 3)],
            cycles: 31,
            ..Tally::default()
        };
        for scene in [tallies(&[&tally]), calls(&tally), tree(&tally)] {
            prop_assert_eq!(wrong(&scene), None);
        }
    }

    /// What goes into files of records comes out again, with three bytes of an address.
    #[test]
    fn records_take_its_addresses(at in 0x2000..0xE0_0000_u32, bytes in prop::collection::vec(any::<u8>(), 1..300)) {
        let image = image(at, &bytes);
        for loaded in [from_hex(&THIRD, &to_hex(&image)), from_srecord(&THIRD, &to_srecord(&image, "yard"))] {
            let loaded = loaded.expect("it is read").image;
            prop_assert_eq!(loaded.target.name, "T24");
            let all = |image: &Image| -> Vec<(u32, u8)> {
                image.segments.iter().flat_map(|part| (part.start.0..).zip(part.bytes.iter().copied())).collect()
            };
            prop_assert_eq!(all(&loaded), all(&image));
            prop_assert_eq!(loaded.entry, image.entry);
        }
    }
}

#[test]
fn what_lies_outside_of_its_memory_is_refused() {
    let mut far = image(0xE0_0000, &[1, 2, 3]);
    far.segments[1].start = Addr(0x0200_0000);
    assert!(from_srecord(&THIRD, &to_srecord(&far, "yard")).is_err(), "that many addresses there are not");
    assert!(from_hex(&THIRD, &to_hex(&far)).is_err());
    far.segments[1].start = Addr(0xF0_0000);
    assert!(from_hex(&THIRD, &to_hex(&far)).is_err(), "that is the stack's");
}
