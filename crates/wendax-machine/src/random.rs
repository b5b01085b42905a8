//! Random numbers: splitmix64 (Steele, Lea, Flood, "Fast splittable pseudorandom number generators", 2014).

/// What the counter goes on by.
const ON: u64 = 0x9E37_79B9_7F4A_7C15;

/// Moves a generator on; returns a number below `bound` (0: below 65,536).
pub(crate) fn next_below(state: &mut u64, bound: u32) -> u32 {
    *state = state.wrapping_add(ON);
    let high = mixed(*state) >> 32;
    let range = if bound == 0 { 0x1_0000 } else { u64::from(bound) };
    u32::try_from(high * range >> 32).unwrap_or(0)
}

/// The number by chance of an index, from 0: the same for the same seed, everywhere.
pub fn by_chance(seed: u64, index: u64) -> u64 {
    mixed(seed.wrapping_add(ON.wrapping_mul(index.wrapping_add(1))))
}

fn mixed(state: u64) -> u64 {
    let mixed = (state ^ state >> 30).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    let mixed = (mixed ^ mixed >> 27).wrapping_mul(0x94D0_49BB_1331_11EB);
    mixed ^ mixed >> 31
}
