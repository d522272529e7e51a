//! Whatever comes in, one line in is one line out, and what is computed makes sense.
#![allow(clippy::unwrap_used)]

use impulso_formats::batch::compute;
use proptest::prelude::*;
use serde_json::{Value, json};

fn one(line: &str) -> Value {
    let mut out = Vec::new();
    compute(line.as_bytes(), &mut out).unwrap();
    let text = String::from_utf8(out).unwrap();
    assert_eq!(text.lines().count(), 1, "{text}");
    serde_json::from_str(&text).unwrap()
}

fn man(count: f64, age: u32) -> Value {
    one(&json!({"id": 0, "protocol": "bench-step-3min", "person": {"sex": "male", "age_years": age}, "inputs": {"pulse_count": count}})
        .to_string())
}

proptest! {
    #[test]
    fn nonsense_is_answered_with_an_error_in_its_place(text in "[^\\r\\n]{1,80}") {
        prop_assume!(!text.trim_ascii().is_empty());
        let answer = one(&text);
        prop_assert!(answer["error"]["code"].is_string() || answer["results"].is_object());
    }

    #[test]
    fn nearly_right_lines_never_break_it(key in "[a-z_]{1,12}", value in prop_oneof![Just(json!(null)), Just(json!("x")), Just(json!([1])), Just(json!({"a": 1})), any::<f64>().prop_map(|v| json!(v))]) {
        for part in ["person", "inputs", "options", "conditions"] {
            let mut line = json!({"id": 1, "protocol": "bench-step-3min", "person": {"sex": "male"}, "inputs": {"pulse_count": 30}});
            line[part][&key] = value.clone();
            let answer = one(&line.to_string());
            prop_assert!(answer["error"]["message"].is_string() || answer["results"].is_object());
            prop_assert_eq!(&answer["id"], &json!(1));
        }
    }

    #[test]
    fn every_possible_count_is_computed_and_every_other_refused(count in 0u32..=65) {
        let answer = man(f64::from(count), 20);
        let bpm = f64::from(count) * 4.0;
        if (25.0..=250.0).contains(&bpm) {
            prop_assert_eq!(answer["results"]["recovery_hr"]["value"].as_f64(), Some(bpm));
            let vo2max = answer["results"]["vo2max"]["value"].as_f64().unwrap();
            prop_assert!((vo2max - (111.33 - 0.42 * bpm)).abs() < 1e-9);
        } else {
            prop_assert_eq!(answer["error"]["code"].as_str(), Some("out_of_range"));
        }
    }

    #[test]
    fn fewer_beats_are_never_a_lower_standing(fewer in 7u32..60, more in 0u32..20, age in 20u32..79) {
        let rank = |answer: &Value, quantity: &str| {
            let norm = &answer["norms"][quantity];
            norm["percentile"].as_f64().unwrap_or(if norm["bound"].as_str().is_some_and(|b| b.starts_with("above")) { 101.0 } else { -1.0 })
        };
        let (a, b) = (man(f64::from(fewer), age), man(f64::from((fewer + more).min(62)), age));
        for quantity in ["vo2max", "recovery_hr"] {
            prop_assert!(rank(&a, quantity) >= rank(&b, quantity));
        }
    }
}
