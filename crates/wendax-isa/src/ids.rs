//! Numbers that mean a place: an address, a register, a step of a run.
//!
//! They are types of their own so that none is taken for another, or for a word of the program. Each shows its number
//! to who asks for it (`.0`); arithmetic is only what makes sense between them: a distance added to an address is an
//! address, the difference of two is a distance. Nothing here knows how wide the addresses of a machine are:
//! [`crate::Target::address_mask`] does.

use serde::{Deserialize, Serialize};
use std::fmt;
use std::ops::{Add, AddAssign, Sub};

macro_rules! places {
    ($($(#[$doc:meta])* $name:ident($raw:ident), formatted as $($format:ident)+;)+) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
        #[serde(transparent)]
        pub struct $name(pub $raw);

        impl $name {
            /// The first there is.
            pub const FIRST: Self = Self(0);
            /// The last there can be.
            pub const LAST: Self = Self($raw::MAX);

            /// The place so far before this one, or the first one there is.
            #[must_use]
            pub fn saturating_sub(self, distance: $raw) -> Self {
                Self(self.0.saturating_sub(distance))
            }

            /// The place so far before this one, if there is one.
            #[must_use]
            pub fn checked_sub(self, distance: $raw) -> Option<Self> {
                self.0.checked_sub(distance).map(Self)
            }

            /// The place so far behind this one, or the last one there can be.
            #[must_use]
            pub fn saturating_add(self, distance: $raw) -> Self {
                Self(self.0.saturating_add(distance))
            }
        }

        impl Add<$raw> for $name {
            type Output = Self;

            /// Behind the last there can be there is none.
            #[inline]
            fn add(self, distance: $raw) -> Self {
                Self(self.0.saturating_add(distance))
            }
        }

        impl AddAssign<$raw> for $name {
            #[inline]
            fn add_assign(&mut self, distance: $raw) {
                self.0 = self.0.saturating_add(distance);
            }
        }

        impl Sub<$raw> for $name {
            type Output = Self;

            #[inline]
            fn sub(self, distance: $raw) -> Self {
                Self(self.0 - distance)
            }
        }

        impl Sub for $name {
            type Output = $raw;

            #[inline]
            fn sub(self, earlier: Self) -> $raw {
                self.0 - earlier.0
            }
        }

        $(impl fmt::$format for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::$format::fmt(&self.0, f)
            }
        })+
    )+};
}

places! {
    /// An address in memory.
    Addr(u32), formatted as UpperHex;
    /// A moment of a run: how many steps were taken before it, from 0.
    StepNo(u64), formatted as Display;
}

impl Addr {
    /// The address as an index.
    pub fn index(self) -> usize {
        self.0 as usize
    }

    /// The addresses from this one up to another, which is not among them.
    pub fn up_to(self, end: Self) -> impl Iterator<Item = Self> {
        (self.0..end.0).map(Self)
    }

    /// It is a multiple of so many bytes.
    pub fn is_multiple_of(self, bytes: u32) -> bool {
        self.0.is_multiple_of(bytes)
    }

    /// The first multiple of so many bytes that does not lie before it.
    #[must_use]
    pub fn next_multiple_of(self, bytes: u32) -> Self {
        Self(self.0.next_multiple_of(bytes))
    }
}

impl From<u16> for Addr {
    #[inline]
    fn from(address: u16) -> Self {
        Self(address.into())
    }
}

impl From<Addr> for i64 {
    fn from(address: Addr) -> Self {
        address.0.into()
    }
}

impl TryFrom<i64> for Addr {
    type Error = std::num::TryFromIntError;

    fn try_from(value: i64) -> Result<Self, Self::Error> {
        u32::try_from(value).map(Self)
    }
}

/// A register: where it stands in [`crate::Target::registers`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Reg(pub u8);

impl Reg {
    /// The register as an index.
    pub fn index(self) -> usize {
        self.0.into()
    }

    /// Its place in a word that has one bit for each register; none for registers from 32 on.
    pub fn bit(self) -> u32 {
        1u32.checked_shl(self.0.into()).unwrap_or(0)
    }

    /// The register at an index of [`crate::Target::registers`], of which there are at most 256.
    #[inline]
    pub fn at(index: usize) -> Self {
        Self(u8::try_from(index).unwrap_or(u8::MAX))
    }
}
