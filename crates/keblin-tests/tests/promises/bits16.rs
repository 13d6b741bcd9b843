//! Numbers of 16 bits, next to another implementation. The file is taken as it is, because nothing outside the library calls it.

use half::f16;
use proptest::prelude::*;

#[path = "../../../keblin/src/save/bits16.rs"]
mod ours;

#[test]
fn all_16_bits_mean_what_they_mean_elsewhere() {
    for bits in 0..=u16::MAX {
        let (here, there) = (ours::number(bits), f16::from_bits(bits).to_f32());
        if there.is_nan() {
            assert!(here.is_nan(), "{bits:#06x}");
            continue;
        }
        assert_eq!(here.to_bits(), there.to_bits(), "{bits:#06x}");
        assert_eq!(ours::of(here), Some(bits), "{bits:#06x}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(20_000))]
    #[test]
    fn a_number_that_needs_more_bits_keeps_them(bits in any::<u32>(), few in 0_u32..24) {
        // Few bits of the fraction, so that about half of the numbers fit.
        let number = f32::from_bits(bits >> few << few);
        prop_assume!(!number.is_nan());
        let theirs = f16::from_f32(number);
        let fits = theirs.to_f32().to_bits() == number.to_bits();
        prop_assert_eq!(ours::of(number), fits.then_some(theirs.to_bits()));
    }
}
