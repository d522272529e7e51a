//! The notifications of a chest strap: bytes of the Heart Rate Measurement characteristic to what they say, and back.
//!
//! Layout: a byte of flags, the rate in 8 or 16 bits, then energy expended and the intervals between beats where the flags
//! say so; little-endian. Source: Bluetooth SIG, Heart Rate Service 1.0, 2011; characteristic 0x2A37.

use crate::strap::Heard;

const RATE_IS_16_BIT: u8 = 0b0_0001;
const CONTACT_DETECTED: u8 = 0b0_0010;
const CONTACT_SUPPORTED: u8 = 0b0_0100;
const HAS_ENERGY: u8 = 0b0_1000;
const HAS_INTERVALS: u8 = 0b1_0000;
/// Bits that the published layout leaves for later.
const RESERVED: u8 = 0b1110_0000;
/// Intervals come in units of 1/1024 s.
const INTERVALS_PER_S: f64 = 1024.0;

/// Why bytes are not a heart-rate notification.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Malformed {
    /// Nothing was sent.
    #[error("The strap sent an empty notification.")]
    Empty,
    /// Ends inside a field.
    #[error("The strap’s notification ends inside {0}.")]
    Short(&'static str),
    /// Goes on after the last field.
    #[error("The strap’s notification has {0} bytes too many.")]
    Long(usize),
    /// Flags that mean nothing yet.
    #[error("The strap’s notification has flags nobody has defined ({0:#04x}).")]
    UnknownFlags(u8),
    /// Not hexadecimal digits in pairs.
    #[error("The notification did not arrive as hexadecimal digits.")]
    NotHex,
}

/// Reads hexadecimal digits as the floor forwards them.
///
/// # Errors
/// [`Malformed`], with the reason.
pub fn parse_hex(digits: &str) -> Result<Heard, Malformed> {
    let nibble = |b: u8| (b as char).to_digit(16).and_then(|d| u8::try_from(d).ok()).ok_or(Malformed::NotHex);
    let pairs = digits.as_bytes().chunks(2);
    let bytes: Vec<u8> = pairs
        .map(|pair| match pair {
            [high, low] => Ok(nibble(*high)? << 4 | nibble(*low)?),
            _ => Err(Malformed::NotHex),
        })
        .collect::<Result<_, _>>()?;
    parse(&bytes)
}

/// Reads one notification.
///
/// # Errors
/// [`Malformed`], with the reason.
pub fn parse(bytes: &[u8]) -> Result<Heard, Malformed> {
    let (&flags, mut rest) = bytes.split_first().ok_or(Malformed::Empty)?;
    if flags & RESERVED != 0 {
        return Err(Malformed::UnknownFlags(flags));
    }
    let mut word = |what: &'static str| {
        let (field, after) = rest.split_first_chunk::<2>().ok_or(Malformed::Short(what))?;
        rest = after;
        Ok(u16::from_le_bytes(*field))
    };
    let bpm = if flags & RATE_IS_16_BIT != 0 {
        word("the heart rate")?
    } else {
        let (&rate, after) = rest.split_first().ok_or(Malformed::Short("the heart rate"))?;
        rest = after;
        u16::from(rate)
    };
    let mut word = |what: &'static str| {
        let (field, after) = rest.split_first_chunk::<2>().ok_or(Malformed::Short(what))?;
        rest = after;
        Ok(u16::from_le_bytes(*field))
    };
    let energy_kj = if flags & HAS_ENERGY != 0 { Some(word("the energy")?) } else { None };
    let mut rr_ms = Vec::new();
    if flags & HAS_INTERVALS != 0 {
        let (pairs, odd) = rest.as_chunks::<2>();
        if !odd.is_empty() {
            return Err(Malformed::Short("an interval between beats"));
        }
        rr_ms = pairs.iter().map(|p| f64::from(u16::from_le_bytes(*p)) * 1000.0 / INTERVALS_PER_S).collect();
    } else if !rest.is_empty() {
        return Err(Malformed::Long(rest.len()));
    }
    let contact = (flags & CONTACT_SUPPORTED != 0).then_some(flags & CONTACT_DETECTED != 0);
    Ok(Heard { bpm: Some(bpm), contact, energy_kj, rr_ms, rejected: None })
}

/// Writes a notification, as a simulated strap sends it: 8 bits where the rate fits.
pub fn encode(heard: &Heard) -> Vec<u8> {
    let bpm = heard.bpm.unwrap_or_default();
    let mut flags = if bpm > u16::from(u8::MAX) { RATE_IS_16_BIT } else { 0 };
    flags |= match heard.contact {
        Some(true) => CONTACT_SUPPORTED | CONTACT_DETECTED,
        Some(false) => CONTACT_SUPPORTED,
        None => 0,
    };
    flags |= if heard.energy_kj.is_some() { HAS_ENERGY } else { 0 };
    flags |= if heard.rr_ms.is_empty() { 0 } else { HAS_INTERVALS };
    let mut bytes = vec![flags];
    match u8::try_from(bpm) {
        Ok(short) => bytes.push(short),
        Err(_) => bytes.extend(bpm.to_le_bytes()),
    }
    bytes.extend(heard.energy_kj.iter().flat_map(|e| e.to_le_bytes()));
    bytes.extend(heard.rr_ms.iter().flat_map(|ms| ((ms * INTERVALS_PER_S / 1000.0).round() as u16).to_le_bytes()));
    bytes
}

/// Bytes as hexadecimal digits.
pub fn to_hex(bytes: &[u8]) -> String {
    bytes.iter().flat_map(|b| [b >> 4, b & 0xf]).filter_map(|nibble| char::from_digit(u32::from(nibble), 16)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use test_case::test_case;

    #[test_case("", Malformed::Empty; "nothing")]
    #[test_case("00", Malformed::Short("the heart rate"); "no rate")]
    #[test_case("0180", Malformed::Short("the heart rate"); "half a 16-bit rate")]
    #[test_case("0880aa", Malformed::Short("the energy"); "half an energy")]
    #[test_case("1080aabbcc", Malformed::Short("an interval between beats"); "half an interval")]
    #[test_case("0080ff", Malformed::Long(1); "a byte too many")]
    #[test_case("2080", Malformed::UnknownFlags(0x20); "a reserved flag")]
    #[test_case("0x80", Malformed::NotHex; "not digits")]
    #[test_case("008", Malformed::NotHex; "half a byte")]
    fn malformed_bytes_are_rejected_with_the_reason(hex: &str, why: Malformed) {
        assert_eq!(parse_hex(hex).unwrap_err(), why);
    }

    proptest! {
        #[test]
        fn what_is_written_is_read(bpm: u16, contact: Option<bool>, energy_kj: Option<u16>, rr in proptest::collection::vec(0u16.., 0..6)) {
            let rr_ms: Vec<f64> = rr.into_iter().map(|n| f64::from(n) * 1000.0 / 1024.0).collect();
            let heard = Heard { bpm: Some(bpm), contact, energy_kj, rr_ms, rejected: None };
            prop_assert_eq!(parse_hex(&to_hex(&encode(&heard))).unwrap(), heard);
        }

        #[test]
        fn no_bytes_make_it_fall_over(bytes in proptest::collection::vec(any::<u8>(), 0..4000)) {
            let _ = parse(&bytes);
        }
    }
}
