//! Numbers of 16 bits (IEEE 754 binary16), the shortest form of a number with a fraction in CBOR. Its own few lines,
//! because a crate for it costs every game four crates.

/// How the 10 bits of a fraction become the 23 of a number of 32 bits.
const WIDER: u32 = 13;
/// The unit of the last place of the smallest numbers: 2^-24.
const SMALLEST: f32 = 1.0 / 16_777_216.0;

/// Returns the 16 bits that mean the number exactly; `None` if it needs more.
pub(super) fn of(number: f32) -> Option<u16> {
    let bits = number.to_bits();
    let sign = (bits >> 16) & 0x8000;
    let exponent = (bits >> 23) & 0xff;
    let fraction = bits & 0x7f_ffff;
    let narrow = match exponent {
        // Infinities, and NaN, which saves never have.
        0xff => 0x7c00 | u32::from(fraction != 0) << 9,
        // Exponents from -14 to 15.
        113..=142 => (exponent - 112) << 10 | fraction >> WIDER,
        // Below: a multiple of the smallest number, or 0.
        _ => {
            let units = number.abs() / SMALLEST;
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "the last lines check whether something is lost"
            )]
            let units = if units < 1024.0 { units as u32 } else { return None };
            units
        }
    };
    let narrow = u16::try_from(sign | narrow).ok()?;
    (self::number(narrow).to_bits() == bits).then_some(narrow)
}

/// Returns the number that 16 bits mean.
pub(super) fn number(bits: u16) -> f32 {
    let sign = u32::from(bits & 0x8000) << 16;
    let (exponent, fraction) = (u32::from(bits >> 10 & 0x1f), bits & 0x3ff);
    let magnitude = match exponent {
        0 => return f32::from_bits(sign | (f32::from(fraction) * SMALLEST).to_bits()),
        0x1f => 0xff << 23,
        exponent => (exponent + 112) << 23,
    };
    f32::from_bits(sign | magnitude | u32::from(fraction) << WIDER)
}
