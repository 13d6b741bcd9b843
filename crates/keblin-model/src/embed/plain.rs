//! Numbers, texts and lists, as the bytes of a declaration.

use std::ops::Range;
use std::sync::Arc;

use minicbor::{Decoder, Encoder};

use super::Embed;

/// Items that CBOR has. Writing to memory cannot fail.
macro_rules! items {
    ($($kind:ty: $item:ident),*) => {$(
        impl Embed for $kind {
            fn write(&self, to: &mut Encoder<Vec<u8>>) {
                let _cannot_fail = to.$item(*self);
            }

            fn read(from: &mut Decoder<'_>) -> Option<$kind> {
                from.$item().ok()
            }
        }
    )*};
}
items!(bool: bool, u8: u8, u16: u16, u32: u32, u64: u64, i64: i64, f32: f32, f64: f64);

impl Embed for usize {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        u64::try_from(*self).unwrap_or(u64::MAX).write(to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<usize> {
        usize::try_from(u64::read(from)?).ok()
    }
}

impl Embed for String {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        let _cannot_fail = to.str(self);
    }

    fn read(from: &mut Decoder<'_>) -> Option<String> {
        from.str().ok().map(str::to_string)
    }
}

impl Embed for Arc<str> {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        let _cannot_fail = to.str(self);
    }

    fn read(from: &mut Decoder<'_>) -> Option<Arc<str>> {
        from.str().ok().map(Arc::from)
    }
}

impl<T: Embed> Embed for Option<T> {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        self.is_some().write(to);
        self.iter().for_each(|held| held.write(to));
    }

    fn read(from: &mut Decoder<'_>) -> Option<Option<T>> {
        if bool::read(from)? { T::read(from).map(Some) } else { Some(None) }
    }
}

fn write_all<T: Embed>(items: &[T], to: &mut Encoder<Vec<u8>>) {
    items.len().write(to);
    items.iter().for_each(|item| item.write(to));
}

impl<T: Embed> Embed for Vec<T> {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        write_all(self, to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<Vec<T>> {
        let len = usize::read(from)?;
        let mut items = Vec::with_capacity(len.min(from.input().len()));
        for _ in 0..len {
            items.push(T::read(from)?);
        }
        Some(items)
    }
}

impl<T: Embed> Embed for Box<[T]> {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        write_all(self, to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<Box<[T]>> {
        Vec::read(from).map(Vec::into_boxed_slice)
    }
}

impl<T: Embed> Embed for Arc<[T]> {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        write_all(self, to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<Arc<[T]>> {
        Vec::read(from).map(Arc::from)
    }
}

impl<T: Embed, const N: usize> Embed for [T; N] {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        self.iter().for_each(|item| item.write(to));
    }

    fn read(from: &mut Decoder<'_>) -> Option<[T; N]> {
        let items: Vec<T> = (0..N).map_while(|_| T::read(from)).collect();
        items.try_into().ok()
    }
}

/// Boxed and shared: as what they hold.
macro_rules! holding {
    ($($name:ident),*) => {$(
        impl<T: Embed> Embed for $name<T> {
            fn write(&self, to: &mut Encoder<Vec<u8>>) {
                T::write(self, to);
            }

            fn read(from: &mut Decoder<'_>) -> Option<$name<T>> {
                T::read(from).map($name::new)
            }
        }
    )*};
}
holding!(Box, Arc);

impl<A: Embed, B: Embed> Embed for (A, B) {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        self.0.write(to);
        self.1.write(to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<(A, B)> {
        Some((A::read(from)?, B::read(from)?))
    }
}

impl<A: Embed, B: Embed, C: Embed> Embed for (A, B, C) {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        self.0.write(to);
        self.1.write(to);
        self.2.write(to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<(A, B, C)> {
        Some((A::read(from)?, B::read(from)?, C::read(from)?))
    }
}

impl Embed for Range<usize> {
    fn write(&self, to: &mut Encoder<Vec<u8>>) {
        (self.start, self.end).write(to);
    }

    fn read(from: &mut Decoder<'_>) -> Option<Range<usize>> {
        <(usize, usize)>::read(from).map(|(start, end)| start..end)
    }
}
