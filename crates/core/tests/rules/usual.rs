//! Every number that is typed has a usual range, so that a slip is asked about where it is made.

use impulso_core::catalogue::{self, InputKind};

#[test]
fn every_number_of_every_test_has_a_usual_range() {
    let mut without = Vec::new();
    for protocol in catalogue::all() {
        for input in protocol.inputs.iter().filter(|i| i.kind == InputKind::Number && i.one_of.is_empty()) {
            if input.usual.is_none() {
                without.push(format!("{}.{}", protocol.id, input.key));
            }
        }
    }
    assert!(without.is_empty(), "say what is usual, `usual = {{ from = …, to = … }}`: {without:?}");
}

#[test]
fn the_example_of_every_test_is_usual() {
    for protocol in catalogue::all() {
        let Some(example) = &protocol.example else { continue };
        for input in protocol.inputs.iter().filter(|i| i.usual.is_some()) {
            let usual = input.usual.unwrap();
            let values = example.inputs.value(&input.key);
            let odd = values.into_iter().flat_map(|v| v.numbers().to_vec()).find(|n| !(usual.from..=usual.to).contains(n));
            assert_eq!(odd, None, "{}: {}", protocol.id, input.key);
        }
    }
}
