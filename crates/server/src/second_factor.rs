//! The second factor: six digits that a phone works out from a shared secret and the time (RFC 6238, SHA-1, steps of 30 s), and recovery
//! codes for whoever lost the phone. Each code is good for one sign-in.

use impulso_store::access::SecondFactor;
use qrcode::{Color, QrCode};
use rand::{RngExt, rngs::ThreadRng};
use serde::Serialize;
use sha2::{Digest, Sha256};
use totp_rs::{Algorithm, Builder, Secret, Totp};
use utoipa::ToSchema;

/// Bytes of a secret: as many as the hash has (RFC 4226, section 4).
const SECRET_BYTES: usize = 20;
const DIGITS: u8 = 6;
const STEP_S: u64 = 30;
/// So many steps early or late a phone's clock may be.
const SKEW: u16 = 1;
/// Recovery codes that are made at once.
const RECOVERY_CODES: usize = 10;
/// Letters and digits of a recovery code, without those that look alike.
const LETTERS: &[u8] = b"abcdefghjkmnpqrstuvwxyz23456789";
/// Letters of a recovery code: 50 bits.
const RECOVERY_LENGTH: usize = 10;

/// Secret for a phone, as a drawn code and in letters.
#[derive(Debug, Serialize, ToSchema)]
pub struct SecondFactorSetUp {
    /// The secret in letters, for whoever cannot scan.
    pub secret: String,
    /// Text of the drawn code.
    pub address: String,
    /// Modules along an edge of the drawn code, with the quiet zone around it.
    pub size: usize,
    /// The dark modules as the path of an SVG, a module one unit.
    pub path: String,
}

fn totp(secret: &[u8], account: &str, practice: &str) -> Totp {
    // A colon separates the parts of the address, so no part contains one.
    let part = |text: &str| text.replace(':', " ");
    Builder::new()
        .with_algorithm(Algorithm::SHA1)
        .with_digits(DIGITS)
        .with_skew(SKEW)
        .with_step_duration(STEP_S)
        .with_secret(Secret::from(secret))
        .with_account_name(part(account))
        .with_issuer(Some(format!("Impulso {}", part(practice))))
        .build_noncompliant()
}

/// A new secret.
pub fn secret() -> Vec<u8> {
    let mut dice = rand::rng();
    (0..SECRET_BYTES).map(|_| dice.random()).collect()
}

/// Shows a secret to a phone. The phone names `account` and `practice` beside the code.
pub fn set_up(secret: &[u8], account: &str, practice: &str) -> SecondFactorSetUp {
    let address = totp(secret, account, practice).to_url().unwrap_or_default();
    let (size, path) = drawn(&address);
    SecondFactorSetUp { secret: Secret::from(secret).to_base32(), address, size, path }
}

/// A text as a code that a camera reads: modules along an edge, and the dark ones as a path. Four modules around it stay light.
fn drawn(text: &str) -> (usize, String) {
    const QUIET: usize = 4;
    let Ok(code) = QrCode::new(text) else { return (0, String::new()) };
    let width = code.width();
    let dark = |(k, color): (usize, Color)| (color == Color::Dark).then(|| format!("M{} {}h1v1h-1z", k % width + QUIET, k / width + QUIET));
    (width + 2 * QUIET, code.to_colors().into_iter().enumerate().filter_map(dark).collect())
}

/// The step whose code this is, where it is one of now and newer than the last that was used.
pub fn step_of(secret: &[u8], code: &str, last: i64, now_s: u64) -> Option<i64> {
    let digits: String = code.chars().filter(char::is_ascii_digit).collect();
    let step = totp(secret, "", "").check(&digits, now_s).and_then(|step| i64::try_from(step).ok())?;
    (step > last).then_some(step)
}

/// Uses a code up, of the phone or for recovery. Says whether it was good.
pub fn use_code(factor: &mut SecondFactor, code: &str, now_s: u64) -> bool {
    if let Some(step) = factor.secret.as_deref().and_then(|secret| step_of(secret, code, factor.step, now_s)) {
        factor.step = step;
        return true;
    }
    let hash = hashed(code);
    let left = factor.recovery.len();
    factor.recovery.retain(|known| *known != hash);
    factor.secret.is_some() && factor.recovery.len() < left
}

/// New recovery codes and their hashes.
pub fn recovery() -> (Vec<String>, Vec<Vec<u8>>) {
    let mut dice: ThreadRng = rand::rng();
    let mut letters = || char::from(LETTERS[dice.random_range(0..LETTERS.len())]);
    let mut code = || {
        let plain: String = (0..RECOVERY_LENGTH).map(|_| letters()).collect();
        format!("{}-{}", &plain[..RECOVERY_LENGTH / 2], &plain[RECOVERY_LENGTH / 2..])
    };
    let codes: Vec<String> = (0..RECOVERY_CODES).map(|_| code()).collect();
    let kept = codes.iter().map(|c| hashed(c)).collect();
    (codes, kept)
}

/// A recovery code as it is kept, however it was typed.
fn hashed(code: &str) -> Vec<u8> {
    let plain: String = code.to_lowercase().chars().filter(char::is_ascii_alphanumeric).collect();
    Sha256::digest(plain.as_bytes()).to_vec()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// RFC 6238, appendix B, the rows of SHA-1: the last six of their eight digits, which is what six digits are of the same number.
    #[test]
    fn the_codes_are_those_of_the_standards_test_vectors() {
        let secret = b"12345678901234567890";
        let vectors = [
            (59, "287082"),
            (1_111_111_109, "081804"),
            (1_111_111_111, "050471"),
            (1_234_567_890, "005924"),
            (2_000_000_000, "279037"),
            (20_000_000_000, "353130"),
        ];
        for (at, code) in vectors {
            assert_eq!(totp(secret, "", "").generate(at).to_string(), code, "{at}");
            assert_eq!(step_of(secret, code, 0, at), Some(at as i64 / 30), "{at}");
            // A step early and late, and no more.
            assert!(step_of(secret, code, 0, at + 30).is_some() && step_of(secret, code, 0, at + 90).is_none(), "{at}");
        }
    }

    #[test]
    fn a_code_is_good_once_and_an_older_one_is_not_after_it() {
        let mut factor = SecondFactor { secret: Some(b"12345678901234567890".to_vec()), ..SecondFactor::default() };
        assert!(use_code(&mut factor, " 050 471 ", 1_111_111_111));
        assert!(!use_code(&mut factor, "050471", 1_111_111_112));
        assert!(!use_code(&mut factor, "081804", 1_111_111_112), "the one before it");
        assert!(!use_code(&mut factor, "", 1_111_111_200) && !use_code(&mut factor, "000000000", 1_111_111_200));
    }

    #[test]
    fn each_recovery_code_is_good_once_however_it_is_typed() {
        let (codes, kept) = recovery();
        let mut factor = SecondFactor { secret: Some(secret()), recovery: kept, ..SecondFactor::default() };
        assert_eq!(codes.iter().collect::<std::collections::BTreeSet<_>>().len(), 10);
        assert!(use_code(&mut factor, &format!(" {} ", codes[3].to_uppercase().replace('-', " ")), 0));
        assert!(!use_code(&mut factor, &codes[3], 0));
        assert_eq!(factor.recovery.len(), 9);
        let mut none = SecondFactor { recovery: factor.recovery.clone(), ..SecondFactor::default() };
        assert!(!use_code(&mut none, &codes[4], 0), "without a second factor there is nothing to recover");
    }

    #[test]
    fn the_drawn_code_holds_the_secret_and_names_the_practice() {
        let shown = set_up(b"12345678901234567890", "ada@example.org", "Hall: east");
        assert_eq!(shown.secret, "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ");
        assert!(shown.address.starts_with("otpauth://totp/") && shown.address.contains(&shown.secret), "{}", shown.address);
        assert!(shown.size > 30 && shown.path.starts_with("M4 4h1v1h-1z"), "a corner of it is dark, behind four light ones");
    }
}
