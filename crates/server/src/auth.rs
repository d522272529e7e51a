//! Who is asking: the coach who is signed in, the browser that signed in before, the address a request comes from.

use std::{future::Future, net::IpAddr, pin::Pin};

use actix_session::{Session, SessionExt};
use actix_web::{
    FromRequest, HttpRequest, HttpResponse,
    cookie::{Cookie, CookieJar, Key, SameSite, time::Duration},
    dev::Payload,
    http::StatusCode,
    web,
};
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use impulso_store::{CoachId, PracticeId, Scope, Store, practices};
use sha2::{Digest, Sha512};
use uuid::Uuid;

use crate::{ApiError, ApiResult};

/// A coach who is signed in.
#[derive(Debug, Clone)]
pub struct SignedIn {
    /// Who.
    pub coach: CoachId,
    pub practice: PracticeId,
    /// The session's own name, which is no secret.
    pub sid: Option<Uuid>,
    store: Store,
}

impl SignedIn {
    /// A transaction on behalf of the coach's practice.
    pub async fn scope(&self) -> ApiResult<Scope> {
        Ok(self.store.scope(self.practice).await?)
    }

    /// The database, for work that goes on after the answer has begun.
    pub fn store(&self) -> Store {
        self.store.clone()
    }
}

impl FromRequest for SignedIn {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiError>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let (who, lacks) = whoever(request);
        Box::pin(async move {
            let who = who?;
            if lacks {
                return Err(ApiError::new(
                    StatusCode::FORBIDDEN,
                    "second_factor_required",
                    "This practice asks every coach for a second factor. Set yours up first.",
                ));
            }
            Ok(who)
        })
    }
}

/// A coach who is signed in and may still have to set up the second factor that the practice asks for.
#[derive(Debug, Clone)]
pub struct Entering(pub SignedIn);

impl FromRequest for Entering {
    type Error = ApiError;
    type Future = std::future::Ready<Result<Self, ApiError>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        std::future::ready(whoever(request).0.map(Self))
    }
}

/// In a session that lacks the second factor the practice asks for.
const LACKS: &str = "lacks_second_factor";

/// Reads the coach of a session, and if the second factor is still missing.
fn whoever(request: &HttpRequest) -> (ApiResult<SignedIn>, bool) {
    let session = request.get_session();
    let store = request.app_data::<web::Data<Store>>().map(|s| s.get_ref().clone());
    let id = |key: &str| session.get::<String>(key).ok().flatten().and_then(|text| text.parse::<Uuid>().ok());
    let who = match (id("coach"), id("practice"), store) {
        (Some(coach), Some(practice), Some(store)) => {
            Ok(SignedIn { coach: CoachId(coach), practice: PracticeId(practice), sid: id("sid"), store })
        }
        _ => Err(ApiError::signed_out()),
    };
    (who, lacks_second_factor(&session))
}

/// True if a session lacks the second factor that the practice asks for.
pub fn lacks_second_factor(session: &Session) -> bool {
    session.get::<String>(LACKS).ok().flatten().is_some()
}

/// The second factor is set up: the session opens everything from now on.
pub fn is_whole(session: &Session) {
    session.remove(LACKS);
}

/// Lets a coach in: a fresh session key, so that an older one is worth nothing. `lacks`: the second factor that the practice asks for is
/// not set up yet, and the session opens nothing else.
///
/// # Errors
/// When the session cannot be written.
pub fn let_in(session: &Session, coach: CoachId, practice: PracticeId, lacks: bool) -> ApiResult<()> {
    session.renew();
    let keep = |key: &str, id: String| session.insert(key, id).map_err(|_| ApiError::unavailable());
    is_whole(session);
    if lacks {
        keep(LACKS, "yes".to_owned())?;
    }
    keep("coach", coach.to_string())?;
    keep("practice", practice.to_string())?;
    keep("sid", Uuid::new_v4().to_string())
}

/// The address a request comes from: that of the connection, or what the named proxy says it is.
#[derive(Debug, Clone)]
pub struct Caller(pub String);

/// Whose line an address is: of the newer kind one household has 2⁶⁴ of them, and they count as one.
fn line_of(address: IpAddr) -> String {
    match address.to_canonical() {
        IpAddr::V6(six) => {
            let [a, b, c, d, ..] = six.segments();
            format!("{a:x}:{b:x}:{c:x}:{d:x}::/64")
        }
        four @ IpAddr::V4(_) => four.to_string(),
    }
}

/// The proxy in front, where the operator named one.
#[derive(Debug, Clone, Copy)]
pub struct Proxy(pub Option<IpAddr>);

impl FromRequest for Caller {
    type Error = ApiError;
    type Future = std::future::Ready<Result<Self, ApiError>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let peer = request.peer_addr().map(|a| a.ip());
        let proxy = request.app_data::<web::Data<Proxy>>().and_then(|p| p.0);
        let forwarded = || {
            // The last one is what the proxy itself saw; those before it anybody may have written.
            let said = request.headers().get_all("x-forwarded-for").last()?.to_str().ok()?;
            said.rsplit(',').next()?.trim().parse::<IpAddr>().ok()
        };
        let address = peer.filter(|p| proxy != Some(*p)).or_else(forwarded).or(peer);
        std::future::ready(Ok(Self(address.map(line_of).unwrap_or_default())))
    }
}

/// Cookies that say only "this browser was here before", signed with a key of their own.
#[derive(Clone)]
pub struct DeviceCookies {
    key: Key,
    secure: bool,
}

/// The browser that signed in to an account before.
const DEVICE: &str = "impulso_device";
/// The phone that joined a run by its code.
const PARTNER: &str = "impulso_partner";

impl DeviceCookies {
    /// DeviceCookies under a key derived from the session's.
    pub fn new(session_key: &Key, secure: bool) -> Self {
        let derived = Sha512::new().chain_update(b"impulso devices").chain_update(session_key.master()).finalize();
        Self { key: Key::from(&derived), secure }
    }

    fn read(&self, request: &HttpRequest, name: &str) -> Option<String> {
        let mut jar = CookieJar::new();
        jar.add_original(request.cookie(name)?);
        jar.signed(&self.key).get(name).map(|c| c.value().to_owned())
    }

    fn write(&self, name: &'static str, value: String, path: String, lasts: Option<Duration>) -> Cookie<'static> {
        let mut cookie = Cookie::build(name, value).path(path).http_only(true).same_site(SameSite::Strict).secure(self.secure).finish();
        cookie.set_max_age(lasts);
        let mut jar = CookieJar::new();
        jar.signed_mut(&self.key).add(cookie.clone());
        jar.get(name).cloned().unwrap_or(cookie)
    }

    /// The device that has signed in to this account before, by a name of its own.
    pub fn device_of(&self, request: &HttpRequest, coach: Option<CoachId>) -> Option<String> {
        let said = self.read(request, DEVICE)?;
        let (account, device) = said.split_once('.')?;
        (account == coach?.to_string()).then(|| device.to_owned())
    }

    /// The cookie of a device that has just signed in.
    pub fn device(&self, coach: CoachId) -> Cookie<'static> {
        self.write(DEVICE, format!("{coach}.{}", Uuid::new_v4()), "/api/session".into(), Some(Duration::days(365)))
    }

    /// The partner behind a request, where the phone was let in by this code.
    pub fn partner_of(&self, request: &HttpRequest, code: &str) -> Option<String> {
        let said = self.read(request, PARTNER)?;
        let (of, partner) = said.split_once('.')?;
        (of == code).then(|| partner.to_owned())
    }

    /// A new partner, let in by a code, and the cookie that says so.
    pub fn partner(&self, code: &str) -> (String, Cookie<'static>) {
        let partner = Uuid::new_v4().to_string();
        (partner.clone(), self.write(PARTNER, format!("{code}.{partner}"), "/api/join".into(), None))
    }
}

/// An answer with a cookie beside it.
pub fn with_cookie(mut answer: HttpResponse, cookie: &Cookie) -> HttpResponse {
    // Only a value with a line break in it could fail, and none has.
    if let Err(error) = answer.add_cookie(cookie) {
        tracing::error!(%error, "cookie");
    }
    answer
}

/// Which day it is for the practice.
pub async fn today(scope: &mut Scope) -> ApiResult<NaiveDate> {
    Ok(day_of(scope, Utc::now()).await?)
}

/// Which day a moment belongs to in the practice's time zone.
pub async fn day_of(scope: &mut Scope, moment: DateTime<Utc>) -> impulso_store::Result<NaiveDate> {
    Ok(moment.with_timezone(&zone(scope).await?).date_naive())
}

/// The moments a day begins and ends in a time zone.
pub fn moments(zone: Tz, on: NaiveDate) -> Option<(DateTime<Utc>, DateTime<Utc>)> {
    let begin = |on: NaiveDate| on.and_time(chrono::NaiveTime::MIN).and_local_timezone(zone).earliest().map(|t| t.with_timezone(&Utc));
    begin(on).zip(on.succ_opt().and_then(begin))
}

/// The moments at which a day of the practice begins and ends.
pub async fn day_bounds(scope: &mut Scope, on: NaiveDate) -> impulso_store::Result<(DateTime<Utc>, DateTime<Utc>)> {
    let zone = zone(scope).await?;
    let midnight = on.and_time(chrono::NaiveTime::MIN).and_utc();
    Ok(moments(zone, on).unwrap_or((midnight, midnight + chrono::TimeDelta::days(1))))
}

/// The practice's time zone.
pub async fn zone(scope: &mut Scope) -> impulso_store::Result<Tz> {
    Ok(practices::get(scope).await?.time_zone.parse().unwrap_or(Tz::UTC))
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::test::TestRequest;

    fn caller(proxy: Option<&str>, peer: &str, forwarded: &[&str]) -> String {
        let mut request = TestRequest::default()
            .peer_addr(format!("{peer}:4000").parse().unwrap())
            .app_data(web::Data::new(Proxy(proxy.map(|p| p.parse().unwrap()))));
        for line in forwarded {
            request = request.append_header(("x-forwarded-for", *line));
        }
        Caller::from_request(&request.to_http_request(), &mut Payload::None).into_inner().unwrap().0
    }

    #[test]
    fn a_callers_address_is_believed_only_of_the_named_proxy() {
        assert_eq!(caller(None, "10.0.0.7", &["1.2.3.4"]), "10.0.0.7");
        assert_eq!(caller(Some("10.0.0.1"), "10.0.0.7", &["1.2.3.4"]), "10.0.0.7");
        assert_eq!(caller(Some("10.0.0.1"), "10.0.0.1", &["6.6.6.6, 1.2.3.4"]), "1.2.3.4");
        assert_eq!(caller(Some("10.0.0.1"), "10.0.0.1", &["6.6.6.6", "1.2.3.4"]), "1.2.3.4");
        assert_eq!(caller(Some("10.0.0.1"), "10.0.0.1", &["no address"]), "10.0.0.1");
    }

    #[test]
    fn a_household_of_the_newer_addresses_is_one_caller() {
        let through = |address: &str| caller(Some("10.0.0.1"), "10.0.0.1", &[address]);
        assert_eq!(through("2001:db8:1:2::1"), through("2001:db8:1:2:ffff:ffff:ffff:ffff"));
        assert_ne!(through("2001:db8:1:2::1"), through("2001:db8:1:3::1"));
        assert_eq!(through("::ffff:1.2.3.4"), "1.2.3.4", "an old address written as a new one");
    }

    #[test]
    fn a_mark_holds_for_its_account_and_only_as_it_was_signed() {
        let devices = DeviceCookies::new(&Key::generate(), true);
        let coach = CoachId(Uuid::from_u128(5));
        let cookie = devices.device(coach);
        assert!(cookie.secure() == Some(true) && cookie.http_only() == Some(true));
        let sent = |cookie: Cookie<'static>| TestRequest::default().cookie(cookie).to_http_request();
        assert!(devices.device_of(&sent(cookie.clone()), Some(coach)).is_some());
        assert!(devices.device_of(&sent(cookie.clone()), Some(CoachId(Uuid::from_u128(6)))).is_none());
        assert!(devices.device_of(&sent(Cookie::new(DEVICE, format!("{coach}.x"))), Some(coach)).is_none(), "not signed");
        assert!(DeviceCookies::new(&Key::generate(), true).device_of(&sent(cookie), Some(coach)).is_none(), "signed by another");
    }
}
