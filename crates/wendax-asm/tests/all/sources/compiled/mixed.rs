//! What a compiler puts out of everything that its language has for numbers, tables and choices: nothing of it is useful.
#![feature(no_core, lang_items, rustc_attrs, arbitrary_self_types, auto_traits)]
#![no_core]
#![no_main]
#![allow(internal_features)]

#[no_mangle]
pub static LOADS: [u32; 6] = [120, 99, 430, 0xFFFF_FFFF, 7, 0x8000_0000];
#[no_mangle]
pub static NAME: [u8; 7] = [79, 115, 116, 114, 101, 121, 0];
#[no_mangle]
pub static mut TOTAL: u32 = 5;
#[no_mangle]
pub static mut ROOM: [u32; 16] = [0; 16];
#[no_mangle]
pub static mut HANDLER: fn(u32) -> u32 = double;

extern "C" {
    fn elsewhere(value: u32) -> u32;
}

#[no_mangle]
pub fn double(value: u32) -> u32 {
    value << 1
}

#[no_mangle]
pub fn total(count: u32) -> u32 {
    let mut sum = 0;
    let mut at = 0;
    while at < count {
        sum = sum + unsafe { *((&LOADS as *const [u32; 6] as u32 + (at << 2)) as *const u32) };
        at = at + 1;
    }
    unsafe {
        TOTAL = TOTAL + sum;
    }
    sum
}

#[no_mangle]
pub fn letters() -> u32 {
    let mut at = &NAME as *const [u8; 7] as u32;
    let mut count = 0;
    while unsafe { *(at as *const u8) } as u32 != 0 {
        count = count + 1;
        at = at + 1;
    }
    count
}

#[no_mangle]
pub fn choose(which: u32, value: u32) -> u32 {
    match which {
        0 => value + 0x12345678,
        1 => value * 37,
        2 => value >> 3,
        3 => value & 0xFFF,
        4 => unsafe { elsewhere(value) },
        5 => value - 2048,
        6 => value | 0x800,
        7 => unsafe { HANDLER(value) },
        _ => 0xFFFF_F800,
    }
}

#[no_mangle]
pub fn signed(one: i32, other: i32) -> i32 {
    if one < other { one - other } else { one >> 31 }
}

#[no_mangle]
pub fn long(one: u64, other: u64) -> u64 {
    one * other + 0x1_0000_0001
}

#[no_mangle]
pub fn narrow(value: u32) -> i32 {
    (value as u8 as i8 as i32) + (value as u16 as i16 as i32)
}

#[no_mangle]
pub fn fill(value: u32) {
    let mut at = 0;
    while at < 16 {
        unsafe { *((&raw mut ROOM as u32 + (at << 2)) as *mut u32) = value + at };
        at = at + 1;
    }
}

// What such a program needs of the language where nothing is given.
#[lang = "pointee_sized"]
pub trait PointeeSized {}
#[lang = "meta_sized"]
pub trait MetaSized: PointeeSized {}
#[lang = "sized"]
pub trait Sized: MetaSized {}
#[lang = "copy"]
pub trait Copy {}
#[lang = "sync"]
pub unsafe auto trait Sync {}
#[lang = "drop_in_place"]
unsafe fn drop_in_place<T: PointeeSized>(at: *mut T) {
    drop_in_place(at)
}
macro_rules! operation {
    ($lang:literal $name:ident $method:ident $sign:tt $($kind:ident)*) => {
        #[lang = $lang]
        pub trait $name<R = Self> {
            type Output;
            fn $method(self, other: R) -> Self::Output;
        }
        $(impl $name for $kind {
            type Output = $kind;
            #[inline(always)]
            fn $method(self, other: $kind) -> $kind {
                self $sign other
            }
        })*
    };
}
operation!("add" Add add + u32 i32 u64);
operation!("sub" Sub sub - u32 i32);
operation!("mul" Mul mul * u32 u64);
operation!("bitand" BitAnd bitand & u32);
operation!("bitor" BitOr bitor | u32);
#[lang = "shr"]
pub trait Shr<R = Self> {
    type Output;
    fn shr(self, other: R) -> Self::Output;
}
impl Shr for u32 {
    type Output = u32;
    #[inline(always)]
    fn shr(self, other: u32) -> u32 {
        self >> other
    }
}
impl Shr for i32 {
    type Output = i32;
    #[inline(always)]
    fn shr(self, other: i32) -> i32 {
        self >> other
    }
}
#[lang = "shl"]
pub trait Shl<R = Self> {
    type Output;
    fn shl(self, other: R) -> Self::Output;
}
impl Shl for u32 {
    type Output = u32;
    #[inline(always)]
    fn shl(self, other: u32) -> u32 {
        self << other
    }
}
impl Copy for u32 {}
impl Copy for i32 {}
impl Copy for u64 {}
impl Copy for u8 {}
impl Copy for bool {}
impl<T: PointeeSized> Copy for *const T {}
impl<T: PointeeSized> Copy for *mut T {}
#[lang = "eq"]
pub trait PartialEq<R: PointeeSized = Self> {
    fn eq(&self, other: &R) -> bool;
    fn ne(&self, other: &R) -> bool;
}
impl PartialEq for u32 {
    #[inline(always)]
    fn eq(&self, other: &u32) -> bool {
        *self == *other
    }
    #[inline(always)]
    fn ne(&self, other: &u32) -> bool {
        *self != *other
    }
}
#[lang = "partial_ord"]
pub trait PartialOrd<R: PointeeSized = Self> {
    fn lt(&self, other: &R) -> bool;
}
macro_rules! ordered {
    ($($kind:ident)*) => {$(
        impl PartialOrd for $kind {
            #[inline(always)]
            fn lt(&self, other: &$kind) -> bool {
                *self < *other
            }
        }
    )*};
}
ordered!(u32 i32);
