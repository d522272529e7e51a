//! What every request passes before a handler sees it.

use std::{
    pin::Pin,
    sync::LazyLock,
    task::{Context, Poll},
};

use actix_web::{
    Error, HttpRequest, HttpResponse, ResponseError,
    body::MessageBody,
    dev::{ResourceDef, ServiceRequest, ServiceResponse},
    http::{
        Method, StatusCode,
        header::{self, AcceptEncoding, Encoding, Header},
    },
    middleware::Next,
    web,
};

use impulso_store::hang_up;
use tracing::Span;
use tracing_actix_web::RootSpanBuilder;

use crate::{ApiError, auth::Proxy, docs, settings::limits, statics};

/// The names this server answers to.
#[derive(Debug, Clone)]
pub struct Hosts(pub Vec<String>);

impl Hosts {
    fn know(&self, host: &str) -> bool {
        let name = match host.strip_prefix('[') {
            Some(six) => six.split(']').next().unwrap_or_default(),
            None => host.split(':').next().unwrap_or_default(),
        };
        ["localhost", "127.0.0.1", "::1"].contains(&name) || self.0.iter().any(|h| h.eq_ignore_ascii_case(name))
    }
}

/// Answers only to its own names, and lets no control character through in a path or a query.
///
/// # Errors
/// What comes after it.
pub async fn guard(request: ServiceRequest, next: Next<impl MessageBody + 'static>) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let known = request.app_data::<web::Data<Hosts>>().is_none_or(|hosts| hosts.know(&host(&request)));
    if !known {
        let error = ApiError::new(
            StatusCode::MISDIRECTED_REQUEST,
            "unknown_host",
            "This server does not know that name. Whoever runs it can add the name to IMPULSO_HOSTS.",
        );
        return Ok(request.into_response(error.error_response()).map_into_right_body());
    }
    if has_control(request.path()) || has_control(request.query_string()) {
        let error = ApiError::bad_address("an address holds no control characters");
        return Ok(request.into_response(error.error_response()).map_into_right_body());
    }
    Ok(next.call(request).await?.map_into_left_body())
}

/// The name a request came under: what the browser asked for. What a proxy says of it counts only where the operator named the proxy.
fn host(request: &ServiceRequest) -> String {
    let proxy = request.app_data::<web::Data<Proxy>>().and_then(|p| p.0);
    if proxy.is_some() && request.peer_addr().map(|a| a.ip()) == proxy {
        return request.connection_info().host().to_owned();
    }
    let asked = request.headers().get(header::HOST).and_then(|h| h.to_str().ok()).map(str::to_owned);
    asked.or_else(|| request.uri().authority().map(ToString::to_string)).unwrap_or_default()
}

/// A request that is given up drops its work at once, and what the database still does for it is ended.
///
/// # Errors
/// 503 where it takes longer than [`limits::REQUEST_TAKES`].
pub async fn watch(request: ServiceRequest, next: Next<impl MessageBody + 'static>) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let is_long = LONG.contains(&request.path());
    let work = Watched { work: Some(Box::pin(next.call(request))) };
    if is_long {
        return work.await;
    }
    tokio::time::timeout(limits::REQUEST_TAKES, work).await.unwrap_or_else(|_| Err(ApiError::too_slow().into()))
}

/// What may take as long as it takes: a practice that comes in.
const LONG: [&str; 1] = ["/api/practice/import"];

/// Work that knows whether it was given up.
struct Watched<F> {
    work: Option<Pin<Box<F>>>,
}

impl<F: Future> Future for Watched<F> {
    type Output = F::Output;

    fn poll(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<F::Output> {
        let Some(work) = self.work.as_mut() else { return Poll::Pending };
        let done = work.as_mut().poll(context);
        if done.is_ready() {
            self.work = None;
        }
        done
    }
}

impl<F> Drop for Watched<F> {
    fn drop(&mut self) {
        if let Some(work) = self.work.take() {
            hang_up::hang_up(work);
        }
    }
}

/// How a request is written into the log: by its route, never by the address that was asked for. A name that was searched, a join
/// code and a client's link are nobody's business.
#[derive(Debug, Clone, Copy, Default)]
pub struct Quiet;

impl RootSpanBuilder for Quiet {
    fn on_request_start(request: &ServiceRequest) -> Span {
        let route = ROUTES.iter().find(|(route, _, _)| route.is_match(request.path())).map_or("other", |(_, path, _)| path.as_str());
        tracing::info_span!("request", method = %request.method(), route, status = tracing::field::Empty)
    }

    fn on_request_end<B: MessageBody>(span: Span, outcome: &Result<ServiceResponse<B>, Error>) {
        let status = match outcome {
            Ok(answer) => answer.response().status(),
            Err(error) => error.as_response_error().status_code(),
        };
        span.record("status", status.as_u16());
    }
}

/// Whether an address holds an encoded control character.
fn has_control(encoded: &str) -> bool {
    encoded
        .as_bytes()
        .windows(3)
        .any(|w| w[0] == b'%' && matches!(w[1], b'0' | b'1') && w[2].is_ascii_hexdigit() || w.eq_ignore_ascii_case(b"%7f"))
}

/// A session that cannot be looked up is a database that is away, told in the one error shape.
///
/// # Errors
/// 503.
pub async fn sessions_away(request: ServiceRequest, next: Next<impl MessageBody>) -> Result<ServiceResponse<impl MessageBody>, Error> {
    next.call(request).await.map_err(|error| {
        tracing::warn!(%error, "session");
        ApiError::unavailable().into()
    })
}

/// The documented paths, each as it is written, and what may be asked of it.
static ROUTES: LazyLock<Vec<(ResourceDef, String, Vec<String>)>> =
    LazyLock::new(|| docs::paths().into_iter().map(|(path, methods)| (ResourceDef::new(path.as_str()), path, methods)).collect());

/// Everything no route takes: another method of a path there is, a path of the interface there is not, or the front end.
pub async fn fallback(request: HttpRequest) -> HttpResponse {
    let path = request.path();
    let allowed = if path.starts_with("/api/") {
        match ROUTES.iter().find(|(route, _, _)| route.is_match(path)) {
            Some((_, _, methods)) => methods.join(", "),
            None => return ApiError::not_found().error_response(),
        }
    } else if request.method() == Method::GET || request.method() == Method::HEAD {
        let takes = AcceptEncoding::parse(&request).ok();
        let takes_brotli =
            takes.is_some_and(|t| t.negotiate([Encoding::brotli(), Encoding::identity()].iter()) == Some(Encoding::brotli()));
        return statics::file(path, takes_brotli);
    } else {
        "GET, HEAD".to_owned()
    };
    let error = ApiError::new(StatusCode::METHOD_NOT_ALLOWED, "wrong_method", format!("This address takes {allowed}."));
    let mut answer = error.error_response();
    if let Ok(value) = allowed.parse() {
        answer.headers_mut().insert(header::ALLOW, value);
    }
    answer
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_server_answers_to_its_own_names_and_to_no_other() {
        let hosts = Hosts(vec!["tests.example".into()]);
        for known in ["localhost:8420", "127.0.0.1:8420", "[::1]:8420", "tests.example", "TESTS.example:443"] {
            assert!(hosts.know(known), "{known}");
        }
        for unknown in ["evil.example", "localhost.evil.example", "127.0.0.1.evil.example", ""] {
            assert!(!hosts.know(unknown), "{unknown}");
        }
    }

    #[test]
    fn a_forwarded_name_counts_only_from_the_named_proxy() {
        let asked = |proxy: Option<&str>| {
            let request = actix_web::test::TestRequest::default()
                .peer_addr("10.0.0.1:4000".parse().unwrap())
                .insert_header((header::HOST, "tests.example"))
                .insert_header(("x-forwarded-host", "evil.example"))
                .app_data(web::Data::new(Proxy(proxy.map(|p| p.parse().unwrap()))));
            host(&request.to_srv_request())
        };
        assert_eq!((asked(None).as_str(), asked(Some("10.0.0.2")).as_str()), ("tests.example", "tests.example"));
        assert_eq!(asked(Some("10.0.0.1")), "evil.example", "what the proxy says is the operator's to see to");
    }

    #[test]
    fn an_encoded_control_character_is_seen() {
        assert!(has_control("/api/people?q=%00") && has_control("a%1Fb") && has_control("%7F"));
        assert!(!has_control("/people?q=%C3%A9%20x") && !has_control("100%"));
    }
}
