//! Each equation with the numbers in it, as it is shown behind “why”.

use crate::{
    estimate::{Equation, Working, compute::named, cycle, row, step},
    pulse,
    test_record::{Outcome, TestRecord},
    units::rounded,
};

impl Equation {
    /// The equation of `quantity` with a record's numbers in it. `None` where a number it needs is missing.
    pub fn working(self, quantity: &str, record: &TestRecord, outcome: &Outcome) -> Option<Working> {
        let facts = &record.facts;
        let of = |key: &str| outcome.result(key).map(|e| e.value);
        let given = |key: &str| record.inputs.get(key);
        let result = of(quantity);
        let shown = |digits: usize| result.map(|v| rounded(v, digits));
        let work = |formula: String, filled: String, symbols: &str| Some(Working { formula, filled, symbols: symbols.into() });
        match self {
            Self::Formula => {
                let scoring = record.protocol.scoring.iter().find(|s| s.quantity == quantity)?;
                let formula = scoring.formula_for(facts.sex)?;
                let as_measured = scoring.side.as_deref().map_or(quantity, |side| quantity.trim_end_matches(side).trim_end_matches('.'));
                if formula.to_string() == as_measured {
                    return Self::AsMeasured.working(quantity, record, outcome);
                }
                let input = |name: &str| record.protocol.input(crate::quantity::base(name));
                let label = |name: &str| match input(name) {
                    Some(input) => input.label.to_lowercase(),
                    // The person's own, where the test does not measure one: a jump's height goes by the same key.
                    None if name == "height_cm" && record.protocol.scored(name).is_none() => "height".to_owned(),
                    None => crate::quantity::label(name).into_owned(),
                };
                let so_far: Vec<_> = outcome.results.iter().map(|(q, e)| (*q, *e)).collect();
                let filled = formula.filled(&|name| named(name, scoring.side.as_deref(), record, &so_far));
                let (name, value) = (crate::quantity::label(quantity), crate::quantity::with_unit(quantity, result?));
                let unit = |name: &str| {
                    let unit = input(name).map_or_else(|| crate::quantity::unit(name), |i| &i.unit);
                    if unit.is_empty() { label(name) } else { format!("{} in {unit}", label(name)) }
                };
                let mut names = formula.names();
                names.dedup();
                let symbols = names.into_iter().map(unit).collect::<Vec<_>>().join(", ");
                work(format!("{name} = {}", formula.printed(&label)), format!("{name} = {filled} = {value}"), &symbols)
            }
            Self::CountToRate | Self::MinuteCount => {
                let hr = rounded(step::recovery_hr(record.protocol, record.inputs).ok()?.value(), 1);
                let window = given("pulse_window_s").or_else(|| record.protocol.count().map(|c| f64::from(c.window_s)));
                match (self, given("pulse_count"), window) {
                    (Self::CountToRate, Some(beats), Some(window)) => work(
                        "HR = beats × 60 / window".into(),
                        format!("HR = {} × 60 / {} = {hr} bpm", rounded(pulse::whole_beats(beats), 0), rounded(window, 0)),
                        "beats counted in the window, half a beat rounded up; window in seconds",
                    ),
                    _ => work("HR as counted over a full minute".into(), format!("HR = {hr} bpm"), "HR: heart rate in recovery, bpm"),
                }
            }
            Self::AsMeasured => work("as measured".into(), crate::quantity::with_unit(quantity, result?), "the reading itself"),
            Self::LapDistance => match (given("laps"), given("lap_m")) {
                (Some(laps), Some(lap)) => {
                    let (laps, lap, extra) = (rounded(laps, 1), rounded(lap, 1), rounded(given("extra_m").unwrap_or(0.0), 1));
                    work(
                        "distance = laps × lap + part of a lap".into(),
                        format!("distance = {laps} × {lap} + {extra} = {} m", shown(1)?),
                        "lap and part of a lap in metres",
                    )
                }
                _ => work("as measured".into(), format!("{} m", shown(1)?), "the reading itself"),
            },
            Self::ShuttleSpeed => {
                work("speed of the last completed level".into(), format!("{} km/h", shown(1)?), "from the protocol’s schedule")
            }
            Self::ShuttleDistance => {
                work("distance up to the last completed shuttle".into(), format!("{} m", shown(0)?), "from the protocol’s schedule")
            }
            Self::ClampedMean => work(
                format!("{} = mean over the stage without its first minute", crate::quantity::label(quantity)),
                format!("{} = {}", crate::quantity::label(quantity), crate::quantity::with_unit(quantity, result?)),
                "from the recording, dropouts left out; power, heart rate and cadence of every stage alike",
            ),
            Self::RecoveryAfterClamp => work(
                "HRR60 = last heart rate of the last stage − the one 60 s later".into(),
                format!("HRR60 = {} bpm", shown(0)?),
                "both from the recording, bpm",
            ),
            Self::McArdle1972 => {
                let sex = facts.sex?;
                let (intercept, slope) = step::bench_step_line(sex);
                let hr = rounded(step::recovery_hr(record.protocol, record.inputs).ok()?.value(), 1);
                work(
                    format!("VO₂max = {intercept} − {slope} × HR ({})", sex.plural()),
                    format!("VO₂max = {intercept} − {slope} × {hr} = {} mL/kg/min", shown(2)?),
                    "HR: heart rate 5 to 20 s after stopping, bpm",
                )
            }
            Self::Astrand1960 | Self::AcsmStepAstrand1960 => self.single_stage_working(quantity, record, result?),
            Self::Golding2000 => {
                let line = outcome.line.as_ref()?;
                let (slope, intercept) = (line.slope?, line.intercept?);
                let (slope, intercept) = (rounded(slope, 4), rounded(intercept, 2));
                work(
                    "VO₂ of a stage = 1.8 × load / mass + 7; VO₂max = a + b × HRmax".into(),
                    format!(
                        "VO₂max = {intercept} + {slope} × {} = {} mL/kg/min (HRmax {})",
                        rounded(line.hr_max, 1),
                        shown(2)?,
                        line.hr_max_method.formula()
                    )
                    .replace("+ −", "− "),
                    "load in kgm/min, mass in kg; a and b: least squares through the stages that count, VO₂ on heart rate",
                )
            }
            Self::Hagerman1984 => {
                let ((intercept, slope), mass) = row::line_of(record).ok()?;
                work(
                    format!("VO₂max = ({intercept} − {slope} × min) × 1000 / mass"),
                    format!(
                        "VO₂max = ({intercept} − {slope} × {}) × 1000 / {} = {} mL/kg/min",
                        rounded(of("time_s")? / 60.0, 3),
                        rounded(mass, 1),
                        shown(2)?
                    ),
                    "min: time for 2000 m in minutes; mass in kg; the line is chosen by sex, mass and training",
                )
            }
            Self::Hagerman1984Inverse => {
                if given("time_s").is_some() {
                    work("as measured".into(), crate::quantity::with_unit(quantity, result?), "the reading itself")
                } else {
                    let ((intercept, slope), mass) = row::line_of(record).ok()?;
                    work(
                        format!("min = ({intercept} − VO₂max × mass / 1000) / {slope}"),
                        format!(
                            "min = ({intercept} − {} × {} / 1000) / {slope} = {}",
                            rounded(given("vo2max")?, 1),
                            rounded(mass, 1),
                            crate::quantity::shown("time_s", result?)
                        ),
                        "the time that a known VO₂max suggests",
                    )
                }
            }
        }
    }

    fn single_stage_working(self, quantity: &str, record: &TestRecord, result: f64) -> Option<Working> {
        let (sex, age) = (record.facts.sex?, record.facts.age?.value());
        let within = record.protocol.stages().map_or(5.0, |s| s.agree_within_bpm);
        let steady = cycle::steady(&record.inputs.minutes(), within)?;
        let mass = record.facts.mass.map(crate::units::BodyMass::value);
        let vo2 = if self == Self::Astrand1960 {
            cycle::nomogram_vo2(record.inputs.get("load_kgm_min")?).0
        } else {
            let steps = step::steps_a_minute(record.protocol, Some(sex))?;
            step::stepping_vo2(steps, record.inputs.get("bench_cm")? / 100.0) * mass? / 1000.0
        };
        let (max, rest) = cycle::nomogram_rates(sex);
        let per_mass = quantity == "vo2max";
        let (scale, unit) = if per_mass { (format!(" × 1000 / {}", rounded(mass?, 1)), "mL/kg/min") } else { (String::new(), "L/min") };
        Some(Working {
            formula: format!(
                "VO₂max = VO₂ × ({max} − {rest}) / (HR − {rest}) × factor for age{}",
                if per_mass { " × 1000 / mass" } else { "" }
            ),
            filled: format!(
                "VO₂max = {} × ({max} − {rest}) / ({} − {rest}) × {}{scale} = {} {unit}",
                rounded(vo2, 3),
                rounded(steady.bpm, 1),
                rounded(cycle::age_factor(age).0, 3),
                rounded(result, 2)
            ),
            symbols: format!(
                "VO₂: oxygen uptake of the work, L/min{}; HR: mean of minutes {} and {}",
                if self == Self::Astrand1960 {
                    ", read off the nomogram’s scale"
                } else {
                    " (0.2 f + 1.33 × 1.8 × H × f + 3.5, times mass)"
                },
                steady.minutes.0,
                steady.minutes.1
            ),
        })
    }
}
