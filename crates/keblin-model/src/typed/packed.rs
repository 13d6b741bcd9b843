//! Values of one width as bytes, little endian, as the columns of objects have them.

/// Types of one width, as in the columns of objects: little endian.
macro_rules! packed {
    ($($name:ident: $width:literal, $read:ty, $sound:expr, |$new:ident| $bytes:expr, |$held:ident| $value:expr;)*) => {$(
        macro_rules! $name {
            () => {
                #[inline]
                fn pack(values: impl Iterator<Item = Option<Self::Write>>) -> Option<Vec<u8>> {
                    let mut is_set = true;
                    let packed = values.map(|value| {
                        is_set &= value.is_some();
                        value.map_or([0; $width], |$new| $bytes)
                    });
                    let column = packed.collect::<Vec<[u8; $width]>>().into_flattened();
                    // A loop of its own looks at many numbers at once.
                    (is_set && $sound(&column)).then_some(column)
                }
                #[inline]
                fn unpack(column: &[u8], row: usize) -> Option<$read> {
                    let from = row * $width;
                    let $held: [u8; $width] = column.get(from..from + $width)?.try_into().ok()?;
                    Some($value)
                }
            };
        }
    )*};
}
packed! {
    pack_bool: 1, bool, any, |new| [u8::from(new)], |held| held != [0];
    pack_int: 8, i64, any, |new| new.to_le_bytes(), |held| i64::from_le_bytes(held);
    pack_time: 8, Time, any, |new| new.as_nanos().to_le_bytes(), |held| Time::from_nanos(i64::from_le_bytes(held));
    // Adding zero turns negative zero into zero.
    pack_float: 8, f64, finite_f64, |new| (new + 0.0).to_le_bytes(), |held| f64::from_le_bytes(held);
    pack_vec2: 8, [f32; 2], finite_f32, |new| pack_parts(new), |held| unpack_parts(&held);
    pack_vec3: 12, [f32; 3], finite_f32, |new| pack_parts(new), |held| unpack_parts(&held);
    pack_quat: 16, [f32; 4], finite_f32, |new| pack_parts(new), |held| unpack_parts(&held);
}

/// Any bytes are values of the type.
pub(super) fn any(_column: &[u8]) -> bool {
    true
}

/// Returns whether all numbers of 64 bits in a column are finite.
#[must_use]
pub fn finite_f64(column: &[u8]) -> bool {
    // Bits, and no early end, so that the compiler can look at several at once.
    let beyond = f64::INFINITY.to_bits();
    let is_beyond = |held: &[u8; 8]| u64::from_le_bytes(*held) & beyond == beyond;
    !column.as_chunks().0.iter().fold(false, |any, held| any | is_beyond(held))
}

/// Returns whether all numbers of 32 bits in a column are finite.
#[must_use]
pub fn finite_f32(column: &[u8]) -> bool {
    let beyond = f32::INFINITY.to_bits();
    let is_beyond = |held: &[u8; 4]| u32::from_le_bytes(*held) & beyond == beyond;
    !column.as_chunks().0.iter().fold(false, |any, held| any | is_beyond(held))
}

#[inline]
pub(super) fn pack_parts<const N: usize, const W: usize>(parts: [f32; N]) -> [u8; W] {
    let mut bytes = [0; W];
    for (to, part) in bytes.chunks_exact_mut(4).zip(parts) {
        to.copy_from_slice(&(part + 0.0).to_le_bytes());
    }
    bytes
}

#[inline]
pub(super) fn unpack_parts<const N: usize>(bytes: &[u8]) -> [f32; N] {
    let mut parts = [0.0; N];
    for (part, bytes) in parts.iter_mut().zip(bytes.chunks_exact(4)) {
        *part = bytes.try_into().map_or(0.0, f32::from_le_bytes);
    }
    parts
}
