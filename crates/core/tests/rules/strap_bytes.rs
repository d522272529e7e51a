//! The strap's parser against the published layout and against a general-purpose library.

use impulso_core::strap_bytes::parse_hex;
use serde_json::Value;
use test_case::test_case;

/// Worked from the table of the characteristic: flags, rate, energy, intervals. Source: Bluetooth SIG, Heart Rate Service
/// 1.0, 2011.
#[test_case("0048", 72, None, None, &[]; "8-bit rate, nothing else")]
#[test_case("01480a", 0x0a48, None, None, &[]; "16-bit rate is little-endian")]
#[test_case("0448", 72, Some(false), None, &[]; "contact supported, not detected")]
#[test_case("0648", 72, Some(true), None, &[]; "contact supported and detected")]
#[test_case("0248", 72, None, None, &[]; "the detected bit means nothing without support")]
#[test_case("084890 01", 72, None, Some(400), &[]; "energy expended in kJ")]
#[test_case("1048 0004 0002", 72, None, None, &[1000.0, 500.0]; "1024 is one second")]
#[test_case("1e48 9001 0004", 72, Some(true), Some(400), &[1000.0]; "all of them")]
fn the_published_layout(hex: &str, bpm: u16, contact: Option<bool>, energy: Option<u16>, rr: &[f64]) {
    let heard = parse_hex(&hex.replace(' ', "")).unwrap();
    assert_eq!((heard.bpm, heard.contact, heard.energy_kj, heard.rr_ms.as_slice()), (Some(bpm), contact, energy, rr));
}

/// 120 notifications as the Python library `bluetooth-sig` 0.6.0 reads them (its Heart Rate Measurement characteristic),
/// written down once; random flags, rates, energies and intervals.
#[test]
fn the_reference_library_reads_the_same() {
    let vectors: Vec<Value> = serde_json::from_str(include_str!("data/heart_rate_vectors.json")).unwrap();
    assert_eq!(vectors.len(), 120);
    for vector in vectors {
        let heard = parse_hex(vector["bytes"].as_str().unwrap()).unwrap();
        assert_eq!(heard.bpm.map(u64::from), vector["bpm"].as_u64(), "{vector}");
        assert_eq!(heard.energy_kj.map(u64::from), vector["energy"].as_u64(), "{vector}");
        let contact = match vector["contact"].as_str().unwrap() {
            "DETECTED" => Some(true),
            "NOT_DETECTED" => Some(false),
            _ => None,
        };
        assert_eq!(heard.contact, contact, "{vector}");
        let intervals: Vec<f64> = vector["rr"].as_array().unwrap().iter().map(|s| s.as_f64().unwrap() * 1000.0).collect();
        assert_eq!(heard.rr_ms, intervals, "{vector}");
    }
}
