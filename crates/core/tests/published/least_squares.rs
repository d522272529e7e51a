//! The line through the stages against a reference library for simple linear regression (the `linreg` crate), on random
//! points and on stages as they come from a cycle.

use impulso_core::estimate::cycle::least_squares;
use proptest::prelude::*;

proptest! {
    #[test]
    fn agrees_with_the_reference_library(points in proptest::collection::vec((100.0..190.0f64, 10.0..60.0f64), 2..8)) {
        let (xs, ys): (Vec<f64>, Vec<f64>) = points.iter().copied().unzip();
        let spread = xs.iter().copied().fold(f64::MIN, f64::max) - xs.iter().copied().fold(f64::MAX, f64::min);
        prop_assume!(spread > 1.0);
        let (slope, intercept): (f64, f64) = linreg::linear_regression(&xs, &ys).unwrap();
        let (ours, at_zero) = least_squares(&points).unwrap();
        let near = |a: f64, b: f64| (a - b).abs() <= 1e-8 * (1.0 + a.abs().max(b.abs()));
        prop_assert!(near(ours, slope) && near(at_zero, intercept), "{ours} {slope} {at_zero} {intercept}");
    }
}

#[test]
fn no_line_through_one_heart_rate() {
    assert_eq!(least_squares(&[(120.0, 18.0), (120.0, 22.0)]), None);
}
