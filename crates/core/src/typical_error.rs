//! How much does a measure move when nothing has changed?
//!
//! Typical error TE, in this order: SD of differences / √2 from the practice's own repeats; a figure the practice typed in, with
//! its source; a publication; the error of the readings carried through the equation ([`mod@measurement_error`]). The smallest detectable
//! change at 95 % is 1.96 × √2 × TE; beyond √2 × TE a change is possible.

use serde::{Deserialize, Serialize};

use crate::{
    catalogue::{Citation, Protocol, SourceKind},
    comparability::{Point, unlike},
    measurement_error, norms,
    person::{Facts, Sex},
    quantity, self_report,
    test_record::TestRecord,
    units::{Units, rounded},
};

/// The fewest pairs of repeats that give a typical error of one's own.
pub const OWN_PAIRS: i64 = 10;

/// Tests of one person this close together are repeats, days: too close for training to have changed much. Common
/// practice.
pub const REPEAT_DAYS: i64 = 10;

/// A practice's own repeats of a measure: what is known of the differences between comparable tests of one person that
/// follow each other within [`REPEAT_DAYS`]. Sums, so that a test more costs one addition.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize)]
pub struct Repeats {
    /// How many pairs.
    pub pairs: i64,
    /// Sum of the differences, later minus earlier, in the measure's unit.
    pub sum: f64,
    pub sum_of_squares: f64,
}

impl Repeats {
    /// The repeats among one person's results of a measure, which are in the order they were taken.
    pub fn among(protocol: &Protocol, points: &[Point<'_>]) -> Self {
        let is_measured = |pair: &&[Point<'_>]| !pair.iter().any(|p| self_report::is_apart(&p.conditions));
        points
            .windows(2)
            .filter(is_measured)
            .filter(|pair| {
                (1..=REPEAT_DAYS).contains(&(pair[1].on - pair[0].on).num_days()) && unlike(protocol, &pair[0], &pair[1]).is_empty()
            })
            .map(|pair| pair[1].value - pair[0].value)
            .collect()
    }

    /// Both together.
    #[must_use]
    pub fn with(self, more: Self) -> Self {
        Self { pairs: self.pairs + more.pairs, sum: self.sum + more.sum, sum_of_squares: self.sum_of_squares + more.sum_of_squares }
    }

    /// What has to be added to `before` to have this.
    #[must_use]
    pub fn since(self, before: Self) -> Self {
        Self { pairs: self.pairs - before.pairs, sum: self.sum - before.sum, sum_of_squares: self.sum_of_squares - before.sum_of_squares }
    }

    /// Sample standard deviation of the differences, in the measure's unit; needs two pairs.
    fn std_dev(self) -> f64 {
        let n = self.pairs as f64;
        ((self.sum_of_squares - self.sum * self.sum / n).max(0.0) / (n - 1.0)).sqrt()
    }
}

impl FromIterator<f64> for Repeats {
    fn from_iter<T: IntoIterator<Item = f64>>(differences: T) -> Self {
        differences.into_iter().fold(Self::default(), |r, d| Self {
            pairs: r.pairs + 1,
            sum: r.sum + d,
            sum_of_squares: r.sum_of_squares + d * d,
        })
    }
}

/// How much a measure moves when nothing has changed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TypicalError {
    /// In the quantity's unit.
    pub value: f64,
    /// Smallest detectable change at 95 %.
    pub detectable: f64,
    /// A change beyond this is possible.
    pub possible: f64,
    pub rests_on: RestsOn,
    /// Where it comes from, in words.
    pub basis: String,
    /// The publication, where it is one.
    pub source: Option<Citation>,
    /// The smallest change that is known to matter to people, where one is: never a bound by itself, shown beside the other.
    pub important: Option<Important>,
}

impl TypicalError {
    /// The same in the units a person thinks in: for a page alone, never for a comparison.
    #[must_use]
    pub fn shown_in(self, key: &str, units: Units) -> Self {
        let of = |value: f64| quantity::in_units(key, value, units).0;
        let important = self.important.map(|i| Important { value: of(i.value), ..i });
        Self { value: of(self.value), detectable: of(self.detectable), possible: of(self.possible), important, ..self }
    }
}

/// What a typical error rests on, surest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum RestsOn {
    /// The practice's own repeats.
    Repeats,
    /// A figure the practice typed in.
    Typed,
    Publication,
    /// Common practice, with no publication.
    CommonPractice,
    /// The error of the readings, carried through the equation: calculated, not measured.
    Readings,
}

/// A change that matters to people.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Important {
    /// In the quantity's unit.
    pub value: f64,
    /// Who says so.
    pub source: Citation,
}

/// A typical error that a practice typed in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct TypedError {
    /// In the quantity's unit.
    pub value: f64,
    /// Who says so, in the practice's words.
    pub source: String,
}

/// What a practice knows of a measure by itself.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Own {
    pub repeats: Repeats,
    /// What it typed in.
    pub typed: Option<TypedError>,
}

impl TypicalError {
    fn new(value: f64, rests_on: RestsOn, basis: String, source: Option<Citation>) -> Self {
        let spread = std::f64::consts::SQRT_2 * value;
        Self { value, detectable: 1.96 * spread, possible: spread, rests_on, basis, source, important: None }
    }

    /// From the practice's own repeats. `None` with fewer than [`OWN_PAIRS`].
    pub fn from_repeats(repeats: Repeats) -> Option<Self> {
        (repeats.pairs >= OWN_PAIRS).then(|| {
            let value = repeats.std_dev() / std::f64::consts::SQRT_2;
            Self::new(value, RestsOn::Repeats, format!("from {} pairs of repeats in this practice", repeats.pairs), None)
        })
    }

    /// From a publication; `value` is what a percentage is of.
    pub fn from_publication(protocol: &Protocol, quantity: &str, facts: &Facts, value: Option<f64>) -> Option<Self> {
        Self::from_table(protocol, quantity, facts.sex).or_else(|| {
            let known = measurement_error::published(protocol, quantity, facts, value)?;
            let rests_on = match known.source.kind {
                SourceKind::CommonPractice => RestsOn::CommonPractice,
                SourceKind::Published => RestsOn::Publication,
            };
            Some(Self::new(known.value, rests_on, known.basis, Some(known.source)))
        })
    }

    /// From what the protocol's rule says of a publication; needs the sex the table's spread is split by.
    fn from_table(protocol: &Protocol, quantity: &str, sex: Option<Sex>) -> Option<Self> {
        let rule = protocol.change_rule(quantity)?;
        let (reliability, sex) = (rule.reliability?, sex?);
        let sd_of_rate = norms::table(rule.sd_from_table.as_deref()?)?.implied_sd(&Facts { sex: Some(sex), ..Facts::default() })?;
        let equation = protocol.scoring.iter().find(|s| s.quantity == quantity)?.equation;
        let sd = equation.moves_by(sd_of_rate, sex)?;
        let value = sd * (1.0 - reliability).sqrt();
        let unit = quantity::unit(quantity);
        let basis = format!(
            "SD {} {unit} among {} and a test-retest correlation of {reliability}: {} × √(1 − {reliability}) = {} {unit}",
            rounded(sd, 1),
            sex.plural(),
            rounded(sd, 1),
            rounded(value, 2)
        );
        Some(Self::new(value, RestsOn::Publication, basis, rule.source.clone()))
    }

    /// From what the practice typed in.
    fn from_typed(typed: &TypedError) -> Self {
        let source = Citation { citation: typed.source.clone(), kind: SourceKind::Published, recalled: false };
        Self::new(typed.value, RestsOn::Typed, "typed in by this practice".into(), Some(source))
    }

    /// From the readings of a record.
    fn from_readings(record: &TestRecord, quantity: &str) -> Option<Self> {
        let value = measurement_error::propagated(record, quantity)?;
        let basis = "calculated from the reading error; not measured in people".to_owned();
        Some(Self::new(value, RestsOn::Readings, basis, None))
    }

    /// The surest there is for a quantity of a record, whose value is known where it has one.
    pub fn best(record: &TestRecord, quantity: &str, value: Option<f64>, own: &Own) -> Option<Self> {
        let protocol = record.protocol;
        protocol.change_rule(quantity)?;
        let mut found = Self::from_repeats(own.repeats)
            .or_else(|| own.typed.as_ref().map(Self::from_typed))
            .or_else(|| Self::from_publication(protocol, quantity, &record.facts, value))
            .or_else(|| Self::from_readings(record, quantity))?;
        found.important = measurement_error::important(protocol, quantity).map(|(value, source)| Important { value, source });
        Some(found)
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::{
        catalogue,
        comparability::tests::{bench_step, point},
        inputs::Inputs,
        run::event::Answer,
    };

    pub(crate) fn published() -> TypicalError {
        TypicalError::from_publication(bench_step(), "recovery_hr", &man(), None).unwrap()
    }

    fn man() -> Facts {
        Facts { sex: Some(Sex::Male), ..Facts::default() }
    }

    #[test]
    fn the_published_error_of_the_bench_step() {
        let te = published();
        assert!((te.value - 19.2 * 0.08_f64.sqrt()).abs() < 1e-9, "{te:?}");
        assert!((te.detectable - 15.05).abs() < 0.01);
        let vo2 = TypicalError::from_publication(bench_step(), "vo2max", &man(), None).unwrap();
        assert!((vo2.value / te.value - 0.42).abs() < 1e-9);
        assert_eq!(TypicalError::from_publication(bench_step(), "recovery_hr", &Facts::default(), None), None);
        assert_eq!(TypicalError::from_publication(catalogue::find("low-step-3min").unwrap(), "recovery_hr", &man(), None), None);
    }

    #[test]
    fn ten_pairs_of_repeats_speak_for_the_practice() {
        let differences = [4.0, -4.0, 0.0, 8.0, -8.0, 4.0, -4.0, 0.0, 4.0, -4.0];
        assert_eq!(TypicalError::from_repeats(differences[..9].iter().copied().collect()), None);
        let inputs = Inputs::from_iter([("recovery_hr", 140.0)]);
        let record = TestRecord::of(bench_step(), man(), &inputs);
        let typed = Some(TypedError { value: 3.0, source: "our own pilot, 2024".into() });
        let best = |repeats: Repeats, typed| TypicalError::best(&record, "recovery_hr", Some(140.0), &Own { repeats, typed }).unwrap();
        assert_eq!(best(Repeats::default(), None).rests_on, RestsOn::Publication);
        let stated = best(differences[..9].iter().copied().collect(), typed.clone());
        assert_eq!((stated.rests_on, stated.value), (RestsOn::Typed, 3.0));
        let own = best(differences.into_iter().collect(), typed);
        // Sum of squares 224 around a mean of 0, nine degrees of freedom.
        assert!((own.value - (224.0_f64 / 9.0).sqrt() / 2.0_f64.sqrt()).abs() < 1e-9);
        assert!(own.basis.contains("10 pairs"));
    }

    #[test]
    fn a_test_between_two_takes_the_place_of_their_pair() {
        let day = |on: &str, value| Point { on: on.parse().unwrap(), ..point(value, &[]) };
        let (first, between, last) = (day("2026-03-01", 140.0), day("2026-03-05", 144.0), day("2026-03-09", 141.0));
        let before = Repeats::among(bench_step(), &[first.clone(), last.clone()]);
        let after = Repeats::among(bench_step(), &[first.clone(), between, last.clone()]);
        assert_eq!((before.pairs, before.sum), (1, 1.0));
        assert_eq!((after.pairs, after.sum, after.sum_of_squares), (2, 1.0, 25.0));
        assert_eq!(after.since(before), Repeats { pairs: 1, sum: 0.0, sum_of_squares: 24.0 });
        let later = day("2026-04-20", 120.0);
        let other_bench = Point { on: last.on, ..point(150.0, &[("bench_cm", Answer::Number(30.0))]) };
        assert_eq!(Repeats::among(bench_step(), &[last, later]).pairs, 0, "training lies between");
        assert_eq!(Repeats::among(bench_step(), &[first, other_bench]).pairs, 0, "not comparable");
    }

    proptest::proptest! {
        #[test]
        fn sums_give_the_spread_that_the_differences_give(differences in proptest::collection::vec(-60.0..60.0_f64, 10..60)) {
            use statrs::statistics::Statistics;
            let own = TypicalError::from_repeats(differences.iter().copied().collect()).unwrap();
            let reference = differences.std_dev() / 2.0_f64.sqrt();
            proptest::prop_assert!((own.value - reference).abs() < 1e-9 * reference.max(1.0));
        }
    }
}
