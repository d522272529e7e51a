//! What every request passes before a handler sees it.

use std::sync::LazyLock;

use actix_web::{
    Error, HttpRequest, HttpResponse, ResponseError,
    body::MessageBody,
    dev::{ResourceDef, ServiceRequest, ServiceResponse},
    http::{Method, StatusCode, header},
    middleware::Next,
    web,
};

use crate::{ApiError, docs, statics};

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
    let known = request.app_data::<web::Data<Hosts>>().is_none_or(|hosts| hosts.know(request.connection_info().host()));
    if !known {
        let error = ApiError::new(
            StatusCode::MISDIRECTED_REQUEST,
            "unknown_host",
            "This server does not go by that name. Whoever runs it adds the name to IMPULSO_HOSTS.",
        );
        return Ok(request.into_response(error.error_response()).map_into_right_body());
    }
    if has_control(request.path()) || has_control(request.query_string()) {
        let error = ApiError::unreadable("an address holds no control characters");
        return Ok(request.into_response(error.error_response()).map_into_right_body());
    }
    Ok(next.call(request).await?.map_into_left_body())
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

/// The documented paths and what may be asked of each.
static ROUTES: LazyLock<Vec<(ResourceDef, Vec<String>)>> =
    LazyLock::new(|| docs::paths().into_iter().map(|(path, methods)| (ResourceDef::new(path), methods)).collect());

/// Everything no route takes: another method of a path there is, a path of the interface there is not, or the front end.
pub async fn fallback(request: HttpRequest) -> HttpResponse {
    let path = request.path();
    let allowed = if path.starts_with("/api/") {
        match ROUTES.iter().find(|(route, _)| route.is_match(path)) {
            Some((_, methods)) => methods.join(", "),
            None => return ApiError::not_found().error_response(),
        }
    } else if request.method() == Method::GET || request.method() == Method::HEAD {
        return statics::file(path);
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
    fn an_encoded_control_character_is_seen() {
        assert!(has_control("/api/people?q=%00") && has_control("a%1Fb") && has_control("%7F"));
        assert!(!has_control("/people?q=%C3%A9%20x") && !has_control("100%"));
    }
}
