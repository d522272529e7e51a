//! The batch interface, line by line.
#![allow(clippy::unwrap_used, missing_docs)]

use impulso_formats::batch::{Tally, compute};
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
    assert_eq!(
        answer,
        json!({
            "id": "a1", "protocol": "bench-step-3min",
            "results": {"recovery_hr": {"value": 112.0, "unit": "bpm"}, "vo2max": {"value": null, "unit": "mL/kg/min", "method": "mcardle-1972", "see": null}},
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
    let lines = (0..ids.len()).map(line).collect::<Vec<_>>().join("\n\n");
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
