//! The batch interface, line by line.
#![allow(clippy::unwrap_used)]

use std::io::{BufRead, BufReader, Write};

use impulso_formats::batch::{LINE_MAX, Tally, compute};
use serde_json::{Value, json};
use test_case::test_case;

fn run(lines: &str) -> (Vec<Value>, Tally) {
    let mut out = Vec::new();
    let tally = compute(lines.as_bytes(), &mut out).unwrap();
    (String::from_utf8(out).unwrap().lines().map(|l| serde_json::from_str(l).unwrap()).collect(), tally)
}

const EXAMPLE: &str = r#"{"id":"a1","protocol":"bench-step-3min","on":"2026-11-23","person":{"sex":"male","born":"1990-04-02","age_years":36,"mass_kg":80,"height_cm":180,"resting_hr":60,"hr_max":188},"inputs":{"pulse_count":28,"pulse_window_s":15,"bench_cm":41.3},"options":{"hr_max_method":"fox"}}"#;

#[test]
fn a_line_is_answered_in_full() {
    let (answers, tally) = run(EXAMPLE);
    assert_eq!(tally, Tally { computed: 1, failed: 0 });
    let mut answer = answers[0].clone();
    let vo2max = answer["results"]["vo2max"]["value"].take();
    assert!((vo2max.as_f64().unwrap() - 64.29).abs() < 1e-9);
    // 8.2 % of 64.29 reach −9.545 and +11.210 (× e^±(1.96 × 0.082)). At 36 the equation's students are 14 years younger: age 14 × 0.7 × 0.9 × 0.42
    // = 3.704 downwards alone, others 2.2. √(9.545² + 7.261² + 4.312²) = 12.744 and √(11.210² + 4.312²) = 12.011.
    let range = answer["results"]["vo2max"]["range95"].take();
    assert!((range[0].as_f64().unwrap() - 51.546).abs() < 0.01 && (range[1].as_f64().unwrap() - 76.301).abs() < 0.01, "{range}");
    let parts = answer["results"]["vo2max"]["range_parts"].take();
    for (key, sd) in [("published", 5.27178), ("age", 3.7044), ("others", 2.2)] {
        assert!((parts[key].as_f64().unwrap() - sd).abs() < 1e-6, "{parts}");
    }
    assert_eq!(
        answer,
        json!({
            "id": "a1", "protocol": "bench-step-3min",
            "results": {"recovery_hr": {"value": 112.0, "unit": "bpm"}, "vo2max": {"value": null, "unit": "mL/kg/min", "method": "mcardle-1972", "see": null, "range95": null, "range_parts": null}},
            "norms": {
                "vo2max": {"table": "vo2max-percentiles-treadmill", "percentile": null, "bound": "above_95", "category": null,
                           "population": "measured on a treadmill; men and women without known cardiovascular disease, United States"},
                "recovery_hr": {"table": "bench-step-percentiles", "percentile": 100, "bound": null, "category": null, "population": "college age, about 17 to 25 years"}
            },
            "flags": [{"code": "outside_population", "field": "age_years",
                       "message": "The table for recovery heart rate describes college age, about 17 to 25 years; this client is 36, read the percentile as a rough guide only."}]
        })
    );
}

fn with(person: &Value, inputs: &Value) -> String {
    json!({"id": 1, "protocol": "bench-step-3min", "on": "2026-11-23", "person": person, "inputs": inputs}).to_string()
}

#[test_case("{", "bad_json", None; "half an object")]
#[test_case("[1,2]", "bad_json", None; "an array")]
#[test_case("   ", "bad_json", None; "a blank line")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","protocol":"low-step-3min"}"#, "bad_json", None; "a key of the line twice")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","inputs":{"pulse_count":28,"pulse_count":35}}"#, "bad_json", None; "a reading twice")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","person":{"sex":"male","sex":"female"}}"#, "bad_json", None; "a fact twice")]
#[test_case(r#"{"id":1,"protocol":"multistage-cycle","inputs":{"stages":[{"load_kgm_min":150,"hr_2":98,"hr_2":120}]}}"#, "bad_json", None; "a minute twice")]
#[test_case(r#"{"id":1,"protocol":"cartwheel"}"#, "unknown_protocol", Some("protocol"); "no such protocol")]
#[test_case(r#"{"id":1}"#, "missing_input", Some("protocol"); "no protocol")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","shoes":1}"#, "unknown_field", Some("shoes"); "unknown key of the line")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","person":{"shoes":1}}"#, "unknown_field", Some("shoes"); "unknown fact")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","conditions":{"shoes":true}}"#, "unknown_field", Some("shoes"); "unknown condition")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","options":{"shoes":true}}"#, "unknown_field", Some("shoes"); "unknown option")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","options":{"hr_max_method":"guess"}}"#, "not_applicable", Some("hr_max_method"); "unknown method")]
#[test_case(r#"{"id":1,"protocol":"low-step-3min","inputs":{"pulse_count":28}}"#, "unknown_field", Some("pulse_count"); "another protocol's reading")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","person":{"sex":"male"}}"#, "missing_input", Some("pulse_count"); "no reading")]
#[test_case(r#"{"id":1,"protocol":"bench-step-3min","inputs":{"pulse_count":28}}"#, "needs_sex", Some("sex"); "no sex")]
fn a_line_that_cannot_be_computed_says_why(line: &str, code: &str, field: Option<&str>) {
    let (answers, tally) = run(line);
    assert_eq!(tally.failed, 1);
    assert_eq!((answers[0]["error"]["code"].as_str(), answers[0]["error"]["field"].as_str()), (Some(code), field), "{}", answers[0]);
    assert!(!answers[0]["error"]["message"].as_str().unwrap().is_empty());
}

#[test_case(&json!({"sex": "male", "mass_kg": 4}), "mass_kg"; "mass")]
#[test_case(&json!({"sex": "male", "height_cm": 300}), "height_cm"; "height")]
#[test_case(&json!({"sex": "male", "age_years": 3}), "age_years"; "age")]
#[test_case(&json!({"sex": "male", "resting_hr": 10}), "resting_hr"; "resting heart rate")]
#[test_case(&json!({"sex": "male", "born": "2027-01-01"}), "born"; "born tomorrow")]
fn a_slip_of_the_finger_is_caught(person: &Value, field: &str) {
    let (answers, _) = run(&with(person, &json!({"pulse_count": 28})));
    assert_eq!(
        (answers[0]["error"]["code"].as_str(), answers[0]["error"]["field"].as_str()),
        (Some("out_of_range"), Some(field)),
        "{}",
        answers[0]
    );
}

#[test]
fn ids_come_back_unchanged_and_order_is_kept_around_errors() {
    let ids = [r#""x""#, "17", r#"{"a":[1,2.50]}"#, "null", r#""ü""#];
    let line = |k: usize| {
        format!("{{\"id\":{},\"protocol\":\"class-step-3min\",\"inputs\":{{\"pulse_count\":{}}}}}", ids[k], if k == 2 { 3 } else { 30 })
    };
    let lines = (0..ids.len()).map(line).collect::<Vec<_>>().join("\n");
    let mut out = Vec::new();
    let tally = compute(lines.as_bytes(), &mut out).unwrap();
    assert_eq!(tally, Tally { computed: 4, failed: 1 });
    let out = String::from_utf8(out).unwrap();
    for (line, id) in out.lines().zip(ids) {
        assert!(line.starts_with(&format!("{{\"id\":{id},\"protocol\":\"class-step-3min\"")), "{line}");
    }
}

#[test]
fn a_birth_date_and_a_test_day_give_the_age() {
    let (answers, _) = run(&with(&json!({"sex": "female", "born": "2005-11-24"}), &json!({"pulse_count": 37})));
    assert_eq!(answers[0]["flags"], json!([]), "20 on the day, inside both tables");
    assert_eq!(answers[0]["norms"]["recovery_hr"]["percentile"], json!(90));
}

#[test]
fn conditions_give_flags() {
    let line = r#"{"id":1,"protocol":"bench-step-3min","person":{"sex":"male","age_years":20},"inputs":{"pulse_count":30,"bench_cm":36},"conditions":{"warm_up":false,"heart_rate_drug":true}}"#;
    let codes: Vec<String> = run(line).0[0]["flags"].as_array().unwrap().iter().map(|f| f["code"].as_str().unwrap().to_owned()).collect();
    assert_eq!(codes, ["bench_differs", "warm_up_missing", "heart_rate_drug"]);
}

/// A line of a protocol with a man of 40, 80 kg.
fn of(protocol: &str, inputs: &Value, options: &Value) -> Value {
    let person = json!({"sex": "male", "age_years": 40, "mass_kg": 80});
    let line = json!({"id": 1, "protocol": protocol, "person": person, "inputs": inputs, "options": options}).to_string();
    run(&line).0.remove(0)
}

#[test_case("run-12min", &json!({"laps": 6, "lap_m": 400, "extra_m": 120}), 45.05, "cooper-1968"; "six laps of 400 m and 120 m")]
#[test_case("run-12min", &json!({"distance_m": 2520}), 45.05, "cooper-1968"; "the same distance given")]
#[test_case("row-2000m", &json!({"time_s": 422, "trained": true}), 64.375, "hagerman-1984"; "7:02 at 80 kg, trained")]
#[test_case("run-1-5mile", &json!({"time_s": 720}), 43.75, "acsm-run"; "twelve minutes")]
#[test_case("shuttle-recovery-1", &json!({"distance_m": 1500}), 49.0, "bangsbo-2008-level-1"; "1500 m of level 1")]
#[test_case("shuttle-20m", &json!({"level": 9, "shuttle": 4}), 47.598, "leger-1988"; "level 9")]
fn check_values(protocol: &str, inputs: &Value, vo2max: f64, method: &str) {
    let answer = of(protocol, inputs, &json!({}));
    let found = &answer["results"]["vo2max"];
    assert!((found["value"].as_f64().unwrap() - vo2max).abs() < 0.005, "{answer}");
    assert_eq!(found["method"], method);
}

#[test]
fn a_score_is_read_out_of_the_misses_and_nothing_completed_is_a_score() {
    let results = |protocol: &str, inputs: Value| of(protocol, &inputs, &json!({}))["results"].clone();
    let run = results("shuttle-20m", json!({"misses": [12, 70, 71], "miss_rule": "consecutive"}));
    assert_eq!(
        (&run["level"]["value"], &run["shuttle"]["value"], &run["distance_m"]["value"]),
        (&json!(8.0), &json!(10.0), &json!(1380.0))
    );
    assert_eq!(run, results("shuttle-20m", json!({"level": 8, "shuttle": 10})));
    let none = results("shuttle-recovery-1", json!({"misses": [1, 2]}));
    assert_eq!((&none["distance_m"]["value"], none.get("vo2max")), (&json!(0.0), None), "of nothing nothing is estimated");
    let interval = results("interval-30-15", json!({"misses": [60, 61], "start_kmh": 10}));
    assert_eq!(interval["speed_kmh"]["value"], 15.5);
}

#[test]
fn the_multistage_cycle_takes_its_ceiling_and_its_maximum_from_the_options() {
    let stages = json!({"stages": [{"load_kgm_min": 150, "hr_2": 104, "hr_3": 106}, {"load_kgm_min": 300, "hr_2": 118, "hr_3": 120}, {"load_kgm_min": 450, "hr_2": 132, "hr_3": 134}]});
    // VO2 13.75 and 17.125 at 120 and 134: 0.24107 a beat, 46 beats up to 180.
    let fox = of("multistage-cycle", &stages, &json!({}));
    assert!((fox["results"]["vo2max"]["value"].as_f64().unwrap() - (17.125 + 46.0 * 3.375 / 14.0)).abs() < 1e-9, "{fox}");
    let low = of("multistage-cycle", &stages, &json!({"ceiling_bpm": 125}));
    assert_eq!(low["results"], json!({}));
    assert_eq!(low["flags"][0]["code"], "too_few_stages");
    let women_only = of("multistage-cycle", &stages, &json!({"hr_max_method": "gulati"}));
    assert_eq!(women_only["error"]["code"], "not_applicable");
}

#[test_case("single-stage-cycle", &json!({"load_kgm_min": 600, "hr_5": 118, "hr_6": 120}), "hr_below_band"; "under 125")]
#[test_case("single-stage-cycle", &json!({"load_kgm_min": 900, "hr_5": 172, "hr_6": 174}), "hr_above_band"; "over 170")]
#[test_case("single-stage-cycle", &json!({"load_kgm_min": 600, "hr_5": 130, "hr_6": 138, "hr_7": 146}), "no_steady_state"; "never steady")]
#[test_case("single-stage-cycle", &json!({"load_kgm_min": 2000, "hr_5": 150, "hr_6": 152}), "wide_extrapolation"; "a load outside the scale")]
fn what_is_unusual_is_a_flag(protocol: &str, inputs: &Value, code: &str) {
    let answer = of(protocol, inputs, &json!({}));
    assert!(answer["results"]["vo2max"]["value"].is_number() && answer["flags"].to_string().contains(code), "{answer}");
}

#[test_case("multistage-cycle", &json!({}), "missing_input", "stages"; "no stages")]
#[test_case("multistage-cycle", &json!({"stages": [{"load_kgm_min": 9000, "hr_2": 120, "hr_3": 121}]}), "out_of_range", "stages"; "a load nobody turns")]
#[test_case("single-stage-cycle", &json!({"load_kgm_min": 600, "hr_5": 130}), "missing_input", "hr_6"; "minute 6 missing")]
#[test_case("mile-walk", &json!({"time_s": 870}), "missing_input", "hr_end"; "no heart rate")]
#[test_case("run-12min", &json!({"stages": []}), "missing_input", "distance_m"; "nothing at all")]
#[test_case("march-2min", &json!({"reps": 2000}), "out_of_range", "reps"; "two thousand knee lifts")]
#[test_case("shuttle-20m", &json!({"level": 3, "shuttle": 40}), "out_of_range", "shuttle"; "a shuttle the level does not have")]
#[test_case("shuttle-20m", &json!({"misses": [12]}), "missing_input", "stopped_after"; "a miss that ends nothing")]
#[test_case("interval-30-15", &json!({"misses": [4, 5], "start_kmh": 9.9}), "out_of_range", "start_kmh"; "a speed that is no stage")]
#[test_case("plank", &json!({"misses": [4, 5]}), "unknown_field", "misses"; "misses of a test without beeps")]
fn errors_name_the_field(protocol: &str, inputs: &Value, code: &str, field: &str) {
    let error = of(protocol, inputs, &json!({}))["error"].clone();
    assert_eq!((error["code"].as_str(), error["field"].as_str()), (Some(code), Some(field)), "{error}");
}

/// A ride with a line every ten seconds; `cut` ends the recording early.
fn ride(cut: u32, spoil: impl Fn(u32, &mut Value)) -> Value {
    let at = |t: u32| {
        let (watts, bpm) = match t {
            0..=360 => (120, 116),
            361..=720 => (190, 155),
            721..=900 => (240, 174),
            _ => (0, 135),
        };
        let mut sample = json!({"time_s": t, "power_w": watts, "hr_bpm": bpm, "cadence_rpm": 90});
        spoil(t, &mut sample);
        sample
    };
    let series: Vec<Value> = (1..=96).map(|k| 10 * k).filter(|t| *t <= cut).map(at).collect();
    json!({"id": "r", "protocol": "clamped-cycle", "on": "2026-11-23", "person": {"sex": "male", "age_years": 21},
           "inputs": {"series": series, "rpe_1": 10, "rpe_2": 14, "rpe_3": 17}})
}

#[test]
fn a_ride_gives_the_means_of_its_stages_and_the_recovery() {
    let (answers, tally) = run(&ride(960, |_, _| ()).to_string());
    assert_eq!(tally.failed, 0, "{}", answers[0]);
    let results = &answers[0]["results"];
    assert_eq!(results["mean_power_2"], json!({"value": 190.0, "unit": "W"}));
    assert_eq!(results["hrr60"], json!({"value": 39.0, "unit": "bpm"}));
    assert_eq!((&results["mean_cadence_3"]["value"], &results["rpe_3"]["value"]), (&json!(90.0), &json!(17.0)));
    assert_eq!(answers[0]["flags"], json!([]), "208 − 0.7 × 21 is 193.3: every stage was ridden at its target");
}

#[test]
fn a_stage_ridden_off_its_target_is_flagged_and_a_measured_maximum_moves_the_target() {
    let mut line = ride(960, |_, _| ());
    line["person"]["hr_max"] = json!(175);
    let (answers, _) = run(&line.to_string());
    let codes: Vec<&str> = answers[0]["flags"].as_array().unwrap().iter().map(|f| f["code"].as_str().unwrap()).collect();
    assert_eq!(codes, ["hr_above_band"; 3]);
    assert!(answers[0]["flags"][0]["message"].as_str().unwrap().contains("11 over its target of 105"), "{}", answers[0]["flags"]);
}

#[test_case(&ride(800, |_, _| ()), "missing_input", "series"; "broken off")]
#[test_case(&ride(900, |_, _| ()), "missing_input", "series"; "without the minute after")]
#[test_case(&ride(960, |_, s| { s["power_w"].take(); }), "missing_input", "series"; "no power at all")]
#[test_case(&ride(960, |t, s| if t == 500 { s["hr_bpm"] = json!(0) }), "out_of_range", "series"; "a dropout written as zero")]
#[test_case(&ride(960, |t, s| if t == 500 { s["time_s"] = json!(1) }), "out_of_range", "series"; "time that goes back")]
#[test_case(&ride(960, |t, s| if t == 500 { s["shoes"] = json!(1) }), "unknown_field", "shoes"; "an unknown column")]
fn a_recording_that_cannot_be_says_why(line: &Value, code: &str, field: &str) {
    let (answers, _) = run(&line.to_string());
    assert_eq!((answers[0]["error"]["code"].as_str(), answers[0]["error"]["field"].as_str()), (Some(code), Some(field)), "{}", answers[0]);
}

#[test]
fn a_dropout_is_left_out_of_the_means_and_another_protocol_takes_no_recording() {
    let (answers, _) = run(&ride(960, |t, s| {
        if (430..=500).contains(&t) {
            s["power_w"].take();
        }
    })
    .to_string());
    assert_eq!(answers[0]["results"]["mean_power_2"]["value"], 190.0);
    let mut other = ride(960, |_, _| ());
    other["protocol"] = json!("run-12min");
    other["inputs"].as_object_mut().unwrap().retain(|key, _| key == "series");
    assert_eq!(run(&other.to_string()).0[0]["error"]["field"], "series");
}

#[test]
fn a_blank_line_and_an_endless_one_have_their_answers_in_their_places() {
    let long = format!("{{\"id\":\"{}\"}}", "x".repeat(LINE_MAX));
    let (answers, tally) = run(&format!("{EXAMPLE}\n\n{long}\n{EXAMPLE}\n"));
    assert_eq!(tally, Tally { computed: 2, failed: 2 });
    assert_eq!((answers[1]["error"]["code"].as_str(), answers[3]["id"].as_str()), (Some("bad_json"), Some("a1")));
    assert!(answers[2]["error"]["message"].as_str().unwrap().contains("longer than"), "{}", answers[2]);
}

#[test_case(1; "a byte at a time")]
#[test_case(8192; "a page at a time")]
#[test_case(16_000_000; "all at once")]
fn answers_stand_in_the_order_of_their_lines_however_they_arrive(at_once: usize) {
    let lines: Vec<String> = (0..4000)
        .map(|k| {
            EXAMPLE
                .replacen("\"a1\"", &k.to_string(), 1)
                .replace("\"pulse_count\":28", if k % 7 == 0 { "\"pulse_count\":3" } else { "\"pulse_count\":28" })
        })
        .collect();
    let mut out = Vec::new();
    let tally = compute(BufReader::with_capacity(at_once, lines.join("\n").as_bytes()), &mut out).unwrap();
    assert_eq!(tally, Tally { computed: 3428, failed: 572 });
    let answers: Vec<Value> = String::from_utf8(out).unwrap().lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert_eq!(answers.len(), 4000);
    for (k, answer) in answers.iter().enumerate() {
        assert_eq!((answer["id"].as_u64(), answer.get("error").is_some()), (Some(k as u64), k % 7 == 0), "line {k}");
    }
}

#[test]
fn a_line_is_answered_before_the_next_is_waited_for() {
    let (mut ours, theirs) = std::io::pipe().unwrap();
    let (mut answers, mut back) = std::io::pipe().map(|(read, write)| (BufReader::new(read), write)).unwrap();
    let work = std::thread::spawn(move || compute(BufReader::new(&mut ours), &mut back).unwrap());
    let mut theirs = theirs;
    for _ in 0..3 {
        writeln!(theirs, "{EXAMPLE}").unwrap();
        let mut answer = String::new();
        answers.read_line(&mut answer).unwrap();
        assert!(answer.starts_with(r#"{"id":"a1""#), "{answer}");
    }
    drop(theirs);
    assert_eq!(work.join().unwrap(), Tally { computed: 3, failed: 0 });
}

fn plank(inputs: Value) -> Value {
    let line = json!({"id": 1, "protocol": "plank", "person": {"sex": "male", "age_years": 20}, "inputs": inputs});
    run(&line.to_string()).0.remove(0)
}

#[test]
fn a_plank_has_its_marks_its_percentile_and_its_pass_mark_where_they_hold() {
    let answer = plank(json!({"support": "forearm", "seconds": 123, "shake_s": 40, "break_s": 100}));
    assert_eq!(
        answer["results"],
        json!({"break_s": {"value": 100.0, "unit": "s"}, "shake_s": {"value": 40.0, "unit": "s"}, "seconds": {"value": 123.0, "unit": "s"}})
    );
    assert_eq!(
        answer["norms"]["seconds"],
        json!({"table": "plank-percentiles", "percentile": 60, "bound": null, "category": null,
               "population": "college students of 18 to 25, forearm plank to failure", "pass": {"mark": 120.0, "met": true}})
    );
    let zero = plank(json!({"support": "forearm", "seconds": 0}));
    assert_eq!((zero["results"]["seconds"]["value"].as_f64(), zero["norms"]["seconds"]["bound"].as_str()), (Some(0.0), Some("below_10")));
    for silent in [json!({"support": "straight_arm", "seconds": 123}), json!({"support": "forearm", "seconds": 30, "limit_s": 30})] {
        let answer = plank(silent);
        assert_eq!((&answer["norms"], &answer["flags"]), (&json!({}), &json!([])), "no standing, no flag");
    }
}

#[test_case(json!({"seconds": 10}), "missing_input", "support"; "without a required choice")]
#[test_case(json!({"support": "forearm"}), "missing_input", "seconds"; "without the time")]
#[test_case(json!({"support": "elbow", "seconds": 10}), "bad_value", "support"; "another choice")]
#[test_case(json!({"support": 1, "seconds": 10}), "bad_value", "support"; "a number for a choice")]
#[test_case(json!({"support": "forearm", "seconds": "long"}), "bad_value", "seconds"; "words for a number")]
#[test_case(json!({"support": "forearm", "seconds": [10, 12]}), "bad_value", "seconds"; "tries where there is one")]
#[test_case(json!({"support": "forearm", "seconds": {"left": 10}}), "bad_value", "seconds"; "a side where there is none")]
#[test_case(json!({"support": "forearm", "seconds": 14_400}), "out_of_range", "seconds"; "four hours")]
#[test_case(json!({"colour": "red"}), "unknown_field", "colour"; "a word under an unknown key")]
fn a_plank_that_cannot_be_says_why(inputs: Value, code: &str, field: &str) {
    let answer = plank(inputs);
    assert_eq!((answer["error"]["code"].as_str(), answer["error"]["field"].as_str()), (Some(code), Some(field)), "{answer}");
}
