//! Live channels, counted: each keeps a connection and a file of the process for hours. One account, one phone, one run and one address
//! hold so many and no more, and all of them together leave enough files for requests.

use std::sync::{
    Arc, Mutex, MutexGuard, PoisonError,
    atomic::{AtomicU64, Ordering},
};

use actix_web::http::StatusCode;
use impulso_store::{CoachId, PracticeId, runs::Partner};
use tokio::sync::Notify;
use uuid::Uuid;

use crate::{ApiError, ApiResult, settings::limits};

/// Owner of a channel.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Who {
    Coach(CoachId),
    Partner(Partner),
}

/// A channel to open: its owner, its run or page, its address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listener {
    pub who: Who,
    /// The run, or the person whose page it is.
    pub to: (PracticeId, Uuid),
    /// The address, as the rate limits count it.
    pub address: String,
}

/// Channels that may be open at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bounds {
    /// Of all callers together.
    pub all: usize,
    pub of_account: usize,
    /// Of one account on one run or page.
    pub of_account_here: usize,
    pub of_partner: usize,
    pub of_run: usize,
    pub of_address: usize,
}

impl Bounds {
    /// Bounds for a process that may have so many files open: half of them, divided so that no caller has most of it.
    pub fn of_files(files: u64) -> Self {
        let all = usize::try_from(files / 2).unwrap_or(usize::MAX).clamp(16, limits::CHANNELS);
        Self {
            all,
            of_account: limits::CHANNELS_OF_ACCOUNT.min(all / 4),
            of_account_here: limits::CHANNELS_OF_ACCOUNT_HERE,
            of_partner: limits::CHANNELS_OF_PARTNER,
            of_run: limits::CHANNELS_OF_RUN.min(all / 4),
            of_address: limits::CHANNELS_OF_ADDRESS.min(all / 2),
        }
    }
}

#[derive(Debug)]
struct Open {
    nth: u64,
    listener: Listener,
    end: Arc<Notify>,
}

/// The channels that are open in this process, the oldest first.
#[derive(Debug, Clone)]
pub struct Channels {
    open: Arc<Mutex<Vec<Open>>>,
    next: Arc<AtomicU64>,
    bounds: Bounds,
}

/// The place of one open channel; free again once it is dropped.
#[must_use]
#[derive(Debug)]
pub struct Slot {
    nth: u64,
    channels: Channels,
    /// Notified when a newer channel needs this place.
    pub end: Arc<Notify>,
}

impl Drop for Slot {
    fn drop(&mut self) {
        self.channels.lock().retain(|o| o.nth != self.nth);
    }
}

impl Channels {
    /// None is open yet.
    pub fn new(bounds: Bounds) -> Self {
        Self { open: Arc::default(), next: Arc::default(), bounds }
    }

    fn lock(&self) -> MutexGuard<'_, Vec<Open>> {
        self.open.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Opens one more channel. At its own bound a caller loses its oldest channel; at a bound that others fill it is refused.
    ///
    /// # Errors
    /// 429 where a run, an address or the process holds as many as it may and none of them is the caller's.
    pub fn open(&self, listener: Listener) -> ApiResult<Slot> {
        let Bounds { all, of_account, of_account_here, of_partner, of_run, of_address } = self.bounds;
        let mut open = self.lock();
        let own = |o: &Open| o.listener.who == listener.who;
        let here = |o: &Open| o.listener.to == listener.to;
        let near = |o: &Open| o.listener.address == listener.address;
        let (mine, mine_here) = match listener.who {
            Who::Coach(_) => (of_account, of_account_here),
            Who::Partner(_) => (of_partner, of_partner),
        };
        give_way(&mut open, mine_here, |o| own(o) && here(o), own);
        give_way(&mut open, mine, own, own);
        let is_free =
            give_way(&mut open, of_run, here, own) && give_way(&mut open, of_address, near, own) && give_way(&mut open, all, |_| true, own);
        if !is_free {
            let message = "Too many screens listen at once. This one looks for news every two seconds instead; nothing is lost.";
            return Err(ApiError::new(StatusCode::TOO_MANY_REQUESTS, "too_many_channels", message).retry_after(30));
        }
        let slot = Slot { nth: self.next.fetch_add(1, Ordering::Relaxed), channels: self.clone(), end: Arc::default() };
        open.push(Open { nth: slot.nth, listener, end: slot.end.clone() });
        Ok(slot)
    }

    /// Number of open channels.
    pub fn count(&self) -> usize {
        self.lock().len()
    }
}

/// Makes room for one more counted channel by ending the oldest of one's own. Returns false if it finds none.
fn give_way(open: &mut Vec<Open>, most: usize, counted: impl Fn(&Open) -> bool, own: impl Fn(&Open) -> bool) -> bool {
    if open.iter().filter(|o| counted(o)).count() < most {
        return true;
    }
    let Some(oldest) = open.iter().position(|o| counted(o) && own(o)) else { return false };
    open.remove(oldest).end.notify_one();
    true
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::VecDeque;

    fn bounds() -> Bounds {
        Bounds { all: 40, of_account: 10, of_account_here: 4, of_partner: 2, of_run: 12, of_address: 20 }
    }

    fn coach(n: u128, run: u128, address: &str) -> Listener {
        let to = (PracticeId(Uuid::nil()), Uuid::from_u128(run));
        Listener { who: Who::Coach(CoachId(Uuid::from_u128(n))), to, address: address.into() }
    }

    fn partner(n: u8, run: u128, address: &str) -> Listener {
        Listener { who: Who::Partner([n; 32]), ..coach(0, run, address) }
    }

    #[tokio::test]
    async fn a_callers_own_oldest_channel_gives_way_and_hears_of_it() {
        let channels = Channels::new(bounds());
        let mut held: VecDeque<Slot> = (0..4).map(|_| channels.open(coach(1, 1, "a")).unwrap()).collect();
        held.push_back(channels.open(coach(1, 1, "a")).unwrap());
        assert_eq!(channels.count(), 4);
        held.pop_front().unwrap().end.notified().await;
        // On other runs up to the account's own bound.
        held.extend((0..50).map(|k| channels.open(coach(1, 10 + k, "a")).unwrap()));
        assert_eq!(channels.count(), 10);
        drop(held);
        assert_eq!(channels.count(), 0);
    }

    #[test]
    fn nobody_pushes_out_somebody_else() {
        let channels = Channels::new(bounds());
        let class: Vec<Slot> = (0..12).map(|n| channels.open(partner(n, 1, "hall")).unwrap()).collect();
        assert_eq!(channels.open(partner(99, 1, "hall")).unwrap_err().retry_after_s(), Some(30));
        // One phone opens its page again.
        let _again = [channels.open(partner(3, 1, "hall")).unwrap(), channels.open(partner(3, 1, "hall")).unwrap()];
        assert_eq!(channels.count(), 12);
        // From one address no more than its share, from another one still some.
        let _more: Vec<Slot> = (20..28).map(|n| channels.open(partner(n, 2, "hall")).unwrap()).collect();
        assert!(channels.open(partner(30, 2, "hall")).is_err());
        assert!(channels.open(coach(1, 2, "elsewhere")).is_ok());
        drop(class);
    }

    #[test]
    fn half_of_the_files_are_kept_for_requests_and_no_account_holds_most_of_the_rest() {
        let small = Bounds::of_files(1024);
        assert_eq!((small.all, small.of_account, small.of_run, small.of_address), (512, 128, 128, 256));
        let large = Bounds::of_files(1 << 20);
        assert_eq!((large.all, large.of_account), (limits::CHANNELS, limits::CHANNELS_OF_ACCOUNT));
        assert!(Bounds::of_files(0).all >= 16);
    }
}
