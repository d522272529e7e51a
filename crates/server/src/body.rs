//! Bodies and texts as they come in: read within a time and a size, and cleaned once for every field of every route.
//!
//! A NUL or another control character, as a bad copy leaves it behind, is no text: it is taken out before anything reads it.
//! A database would refuse the whole entry for it.

use std::{future::Future, ops::Deref, pin::Pin};

use actix_web::{
    FromRequest, HttpMessage, HttpRequest,
    dev::Payload,
    http::{StatusCode, header},
    web::BytesMut,
};
use futures_util::StreamExt;
use impulso_core::text;
use serde::de::DeserializeOwned;
use serde_json::Value;
use tokio::time;

use crate::{ApiError, settings::limits};

/// A body in JSON.
#[derive(Debug)]
pub struct Json<T>(pub T);

impl<T> Json<T> {
    /// What it says.
    pub fn into_inner(self) -> T {
        self.0
    }
}

impl<T> Deref for Json<T> {
    type Target = T;
    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: DeserializeOwned> FromRequest for Json<T> {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiError>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let is_json = request.mime_type().ok().flatten().is_some_and(|m| m.subtype() == "json" || m.suffix().is_some_and(|s| s == "json"));
        let announced = announced(request);
        let payload = payload.take();
        Box::pin(async move {
            if !is_json {
                return Err(ApiError::new(
                    StatusCode::UNSUPPORTED_MEDIA_TYPE,
                    "not_json",
                    "Send this as JSON, with the content type application/json.",
                ));
            }
            let bytes = arrived(announced, payload, limits::BODY_BYTES, too_large).await?;
            parse(&bytes).map(Self)
        })
    }
}

/// A photograph as it comes in, unread.
#[derive(Debug)]
pub struct Picture(pub BytesMut);

impl FromRequest for Picture {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiError>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let arriving = arrived(announced(request), payload.take(), limits::PHOTO_BYTES, picture_too_large);
        Box::pin(async move { arriving.await.map(Self) })
    }
}

/// A practice's file as it comes in, unread.
#[derive(Debug)]
pub struct File(pub BytesMut);

impl FromRequest for File {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiError>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let arriving = arrived(announced(request), payload.take(), limits::PRACTICE_BYTES, file_too_large);
        Box::pin(async move { arriving.await.map(Self) })
    }
}

fn file_too_large() -> ApiError {
    let message = format!("This file has more than {} MB, the most that is taken in at once.", limits::PRACTICE_BYTES / 1024 / 1024);
    ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, "too_large", message)
}

fn announced(request: &HttpRequest) -> Option<usize> {
    request.headers().get(header::CONTENT_LENGTH).and_then(|l| l.to_str().ok()?.parse().ok())
}

/// A body that is no longer than `most` and came in time.
async fn arrived(announced: Option<usize>, payload: Payload, most: usize, too_large: fn() -> ApiError) -> Result<BytesMut, ApiError> {
    if announced.is_some_and(|length| length > most) {
        return Err(too_large());
    }
    let late = |_| ApiError::new(StatusCode::REQUEST_TIMEOUT, "too_slow", "The entry took too long to arrive. Send it again.");
    time::timeout(limits::BODY_TAKES, read(payload, most, too_large)).await.map_err(late)?
}

async fn read(mut payload: Payload, most: usize, too_large: fn() -> ApiError) -> Result<BytesMut, ApiError> {
    let mut bytes = BytesMut::new();
    while let Some(chunk) = payload.next().await {
        let chunk =
            chunk.map_err(|_| ApiError::new(StatusCode::BAD_REQUEST, "broken_off", "The entry broke off on its way. Send it again."))?;
        if bytes.len() + chunk.len() > most {
            return Err(too_large());
        }
        bytes.extend_from_slice(&chunk);
    }
    Ok(bytes)
}

fn picture_too_large() -> ApiError {
    let message =
        format!("This picture has more than {} MB. Make it smaller, or take it with this page.", limits::PHOTO_BYTES / 1024 / 1024);
    ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, "too_large", message)
}

fn too_large() -> ApiError {
    let message = format!("This is more than {} kB, the most that is taken at once. Shorten it.", limits::BODY_BYTES / 1024);
    ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, "too_large", message)
}

/// Reads a body. Only one that spells out a control character is read twice.
fn parse<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, ApiError> {
    let read = if bytes.windows(4).any(|w| w == br"\u00") {
        serde_json::from_slice(bytes).map(cleaned).and_then(serde_json::from_value)
    } else {
        serde_json::from_slice(bytes)
    };
    read.map_err(|e| ApiError::unreadable(&e.to_string()))
}

fn cleaned(value: Value) -> Value {
    match value {
        Value::String(s) => Value::String(text::clean(&s)),
        Value::Array(all) => all.into_iter().map(cleaned).collect(),
        Value::Object(all) => all.into_iter().map(|(k, v)| (text::clean(&k), cleaned(v))).collect(),
        other => other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    #[test]
    fn control_characters_are_taken_out_of_every_text_and_nothing_else_is_touched() {
        let read: BTreeMap<String, Vec<String>> = parse(br#"{"a\u0000b":["line\none\u0007 and\u0000 two","\\u0000 as typed"]}"#).unwrap();
        assert_eq!(read["ab"], ["line\none and two", "\\u0000 as typed"]);
        let error = parse::<Vec<u8>>(b"[\"\\u0000\"]").unwrap_err();
        assert_eq!(error.code, "bad_json");
    }
}
