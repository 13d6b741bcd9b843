//! Values of one width as bytes, little endian, as the columns of objects have them.

/// Types of one width, as in the columns of objects: little endian.
macro_rules! packed {
    ($($name:ident: $width:literal, $read:ty, |$new:ident| $bytes:expr, |$held:ident| $value:expr;)*) => {$(
        macro_rules! $name {
            () => {
                #[inline]
                fn pack($new: &Self::Write, to: &mut Vec<u8>) -> bool {
                    let bytes: Option<[u8; $width]> = $bytes;
                    bytes.iter().for_each(|bytes| to.extend_from_slice(bytes));
                    bytes.is_some()
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
    pack_bool: 1, bool, |new| Some([u8::from(*new)]), |held| held != [0];
    pack_int: 8, i64, |new| Some(new.to_le_bytes()), |held| i64::from_le_bytes(held);
    pack_time: 8, Time, |new| Some(new.as_nanos().to_le_bytes()), |held| Time::from_nanos(i64::from_le_bytes(held));
    // Adding zero turns negative zero into zero.
    pack_float: 8, f64, |new| new.is_finite().then(|| (*new + 0.0).to_le_bytes()), |held| f64::from_le_bytes(held);
    pack_vec2: 8, [f32; 2], |new| pack_parts(new), |held| unpack_parts(&held);
    pack_vec3: 12, [f32; 3], |new| pack_parts(new), |held| unpack_parts(&held);
    pack_quat: 16, [f32; 4], |new| pack_parts(new), |held| unpack_parts(&held);
}

#[inline]
pub(super) fn pack_parts<const N: usize, const W: usize>(parts: &[f32; N]) -> Option<[u8; W]> {
    let mut bytes = [0; W];
    for (to, part) in bytes.chunks_exact_mut(4).zip(parts) {
        to.copy_from_slice(&(*part + 0.0).to_le_bytes());
    }
    parts.iter().all(|part| part.is_finite()).then_some(bytes)
}

#[inline]
pub(super) fn unpack_parts<const N: usize>(bytes: &[u8]) -> [f32; N] {
    let mut parts = [0.0; N];
    for (part, bytes) in parts.iter_mut().zip(bytes.chunks_exact(4)) {
        *part = bytes.try_into().map_or(0.0, f32::from_le_bytes);
    }
    parts
}
