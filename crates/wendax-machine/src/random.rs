//! Random numbers: splitmix64 (Steele, Lea, Flood, "Fast splittable pseudorandom number generators", 2014).

/// Moves a generator on; returns a number below `bound` (0: below 65,536).
pub(crate) fn next_below(state: &mut u64, bound: u32) -> u32 {
    *state = state.wrapping_add(0x9E37_79B9_7F4A_7C15);
    let mut mixed = *state;
    mixed = (mixed ^ mixed >> 30).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    mixed = (mixed ^ mixed >> 27).wrapping_mul(0x94D0_49BB_1331_11EB);
    let high = (mixed ^ mixed >> 31) >> 32;
    let range = if bound == 0 { 0x1_0000 } else { u64::from(bound) };
    u32::try_from(high * range >> 32).unwrap_or(0)
}
