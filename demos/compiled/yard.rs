//! The heaviest of some wagons, found by halves: a program that a compiler made of another language.
#![feature(no_core, lang_items, rustc_attrs, arbitrary_self_types)]
#![no_core]
#![no_main]
#![allow(internal_features)]

#[no_mangle]
pub extern "C" fn heavier(one: u32, other: u32) -> u32 {
    if one < other {
        return other;
    }
    one
}

#[no_mangle]
pub extern "C" fn heaviest(from: u32, to: u32) -> u32 {
    if to - from == 1 {
        return weight(from);
    }
    let middle = from + (to - from >> 1);
    let left = heaviest(from, middle);
    let right = heaviest(middle, to);
    heavier(left, right)
}

/// How heavy a wagon is.
#[no_mangle]
pub extern "C" fn weight(wagon: u32) -> u32 {
    (wagon * 37 & 31) + 20
}

#[rustc_builtin_macro]
macro_rules! global_asm {
    () => {};
}
global_asm!(
    ".globl _start",
    "_start: li a0, 0",
    "li a1, 8",
    "call heaviest",
    "li a7, 0x1013",
    "ecall",
    "li a0, 0",
    "li a7, 93",
    "ecall"
);

// What such a program needs of the language where nothing is given.
#[lang = "pointee_sized"]
pub trait PointeeSized {}
#[lang = "meta_sized"]
pub trait MetaSized: PointeeSized {}
#[lang = "sized"]
pub trait Sized: MetaSized {}
#[lang = "copy"]
pub trait Copy {}
impl Copy for u32 {}
impl Copy for bool {}
macro_rules! operation {
    ($lang:literal $name:ident $method:ident $sign:tt) => {
        #[lang = $lang]
        pub trait $name<R = Self> {
            type Output;
            fn $method(self, other: R) -> Self::Output;
        }
        impl $name for u32 {
            type Output = u32;
            #[inline(always)]
            fn $method(self, other: u32) -> u32 {
                self $sign other
            }
        }
    };
}
operation!("add" Add add +);
operation!("sub" Sub sub -);
operation!("mul" Mul mul *);
operation!("shr" Shr shr >>);
operation!("bitand" BitAnd bitand &);
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
impl PartialOrd for u32 {
    #[inline(always)]
    fn lt(&self, other: &u32) -> bool {
        *self < *other
    }
}
