//! RateLimits on what can be tried too often: each counts by one kind of key and remembers a bounded number of them.

use std::{
    num::{NonZeroU32, NonZeroUsize},
    sync::{
        Mutex, PoisonError,
        atomic::{AtomicUsize, Ordering},
    },
};

use actix_web::http::StatusCode;
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use lru::LruCache;
use sha2::{Digest, Sha256};

use crate::{
    ApiError, ApiResult,
    settings::{Settings, limits},
};

/// The first bytes of a hash: a key costs the same however long what was typed is.
type Key = [u8; 16];

#[derive(Debug)]
pub struct RateLimit {
    limiter: DefaultKeyedRateLimiter<Key>,
    since_tidied: AtomicUsize,
    wait_s: u16,
    message: &'static str,
}

impl RateLimit {
    fn new(quota: Quota, wait_s: u16, message: &'static str) -> Self {
        Self { limiter: RateLimiter::keyed(quota), since_tidied: AtomicUsize::new(0), wait_s, message }
    }

    fn a_minute(tries: u32, message: &'static str) -> Self {
        Self::new(Quota::per_minute(at_least_one(tries)), 60, message)
    }

    fn an_hour(tries: u32, message: &'static str) -> Self {
        Self::new(Quota::per_hour(at_least_one(tries)), 600, message)
    }

    fn a_second(tries: u32, burst: u32, message: &'static str) -> Self {
        Self::new(Quota::per_second(at_least_one(tries)).allow_burst(at_least_one(burst)), 2, message)
    }

    /// Counts a try.
    ///
    /// # Errors
    /// 429 with when to come back, where there were too many.
    pub fn count(&self, key: &str) -> ApiResult<()> {
        self.tidy();
        self.limiter
            .check_key(&self.key(key))
            .map_err(|_| ApiError::new(StatusCode::TOO_MANY_REQUESTS, "too_many_tries", self.message).retry_after(self.wait_s))
    }

    /// The key as it is kept. Beyond [`limits::RATE_KEYS`] only a thousand more are told apart.
    fn key(&self, text: &str) -> Key {
        let whole = hashed(text);
        if self.limiter.len() < limits::RATE_KEYS {
            return whole;
        }
        let mut key = Key::default();
        key[0] = whole[0];
        key[1] = whole[1] & 0b11;
        key
    }

    /// Forgets keys that are as good as new, now and then.
    fn tidy(&self) {
        if self.since_tidied.fetch_add(1, Ordering::Relaxed) >= limits::RATE_KEYS / 4 {
            self.since_tidied.store(0, Ordering::Relaxed);
            self.limiter.retain_recent();
            self.limiter.shrink_to_fit();
        }
    }

    #[cfg(test)]
    fn keys(&self) -> usize {
        self.limiter.len()
    }
}

/// Join codes that were right, the latest of them.
#[derive(Debug)]
pub struct KnownCodes(Mutex<LruCache<Key, ()>>);

impl Default for KnownCodes {
    fn default() -> Self {
        Self(Mutex::new(LruCache::new(NonZeroUsize::new(limits::CODES_KNOWN).unwrap_or(NonZeroUsize::MIN))))
    }
}

impl KnownCodes {
    /// Remembers a code that is right.
    pub fn learn(&self, code: &str) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).put(hashed(code), ());
    }

    /// Whether it was right before.
    pub fn know(&self, code: &str) -> bool {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&hashed(code)).is_some()
    }
}

fn hashed(text: &str) -> Key {
    let mut key = Key::default();
    key.copy_from_slice(&Sha256::digest(text.as_bytes())[..16]);
    key
}

fn at_least_one(n: u32) -> NonZeroU32 {
    NonZeroU32::new(n).unwrap_or(NonZeroU32::MIN)
}

/// Every limit of this process.
#[derive(Debug)]
pub struct RateLimits {
    /// Signing in to an account from a browser that never did.
    pub account: RateLimit,
    /// Signing in from an address.
    pub address: RateLimit,
    /// Signing in to an account from a browser that has before.
    pub device: RateLimit,
    /// Codes of a second factor, by browser or account.
    pub second_factor: RateLimit,
    /// Founding practices from an address.
    pub founding: RateLimit,
    /// Adding coaches, by the coach who adds them.
    pub coaches: RateLimit,
    /// Adding coaches, by address.
    pub coaches_of_address: RateLimit,
    /// Trying join codes and clients’ links from an address.
    pub code: RateLimit,
    /// Trying join codes and links that are none.
    pub wrong_code: RateLimit,
    /// New phones at a join code that is right, from an address.
    pub phones: RateLimit,
    /// Codes that somebody was let in by: a class that knows its code does not stand in line behind one who guesses.
    pub codes: KnownCodes,
    /// What one partner sends.
    pub partner: RateLimit,
    /// What all partners of a run send from one address.
    pub class: RateLimit,
}

impl RateLimits {
    /// RateLimits as the settings have them.
    pub fn new(settings: &Settings) -> Self {
        let wait = "Too many tries. Wait a minute, then try again.";
        let adding = "Many coaches were added within the hour. Wait a while, then add the next.";
        let slow = "Too much was sent at once. It goes on in a moment; nothing is lost.";
        Self {
            account: RateLimit::a_minute(limits::SIGN_INS_OF_ACCOUNT, wait),
            address: RateLimit::a_minute(limits::SIGN_INS_OF_ADDRESS, wait),
            device: RateLimit::a_minute(limits::SIGN_INS_OF_DEVICE, wait),
            second_factor: RateLimit::an_hour(limits::SECOND_FACTORS, "Too many codes were tried. Wait ten minutes, then try again."),
            founding: RateLimit::new(
                Quota::per_hour(at_least_one(settings.foundings_an_hour)),
                3600,
                "Several practices were set up from here within the hour. Try again later, or sign in to one of them.",
            ),
            coaches: RateLimit::an_hour(limits::COACHES_AN_HOUR, adding),
            coaches_of_address: RateLimit::an_hour(limits::COACHES_OF_ADDRESS, adding),
            code: RateLimit::a_second(limits::CODES_OF_ADDRESS, 120, "Too many tries. Wait a moment, then type the code again."),
            phones: RateLimit::a_second(limits::PHONES_OF_CODE, 120, "Many phones join at this moment. This one tries again by itself."),
            codes: KnownCodes::default(),
            wrong_code: RateLimit::a_minute(limits::WRONG_CODES_OF_ADDRESS, wait),
            partner: RateLimit::a_second(limits::SENT_BY_PARTNER, 60, slow),
            class: RateLimit::a_second(limits::SENT_BY_CLASS, 400, slow),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_limit_holds_one_key_and_lets_others_pass() {
        let rates = RateLimits::new(&Settings::of(""));
        let passed = (0..30).filter(|_| rates.account.count("ada@example.org").is_ok()).count();
        assert_eq!(passed, limits::SIGN_INS_OF_ACCOUNT as usize);
        assert!(rates.account.count("bo@example.org").is_ok());
        assert_eq!(rates.account.count("ada@example.org").unwrap_err().retry_after_s(), Some(60));
    }

    /// The keys of an attack: each new, each as long as a body may be. Kept as they were they took gigabytes.
    #[test]
    fn any_number_of_keys_of_any_length_are_a_bounded_number_of_bytes() {
        let rates = RateLimits::new(&Settings::of(""));
        let long = "x".repeat(1_000);
        for k in 0..limits::RATE_KEYS + 4_000 {
            let _ = rates.account.count(&format!("{k}{long}"));
        }
        assert!(rates.account.keys() <= limits::RATE_KEYS + 1024, "{}", rates.account.keys());
        assert_eq!(size_of::<Key>(), 16);
    }
}
