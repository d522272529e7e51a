//! Bodies and texts as they come in: read within a time and a size, and cleaned once for every field of every route.
//!
//! A NUL or another control character, as a bad copy leaves it behind, is no text: it is taken out before anything reads it.
//! A database would refuse the whole entry for it.

use std::{borrow::Cow, future::Future, ops::Deref, pin::Pin, sync::Arc};

use actix_web::{
    FromRequest, HttpMessage, HttpRequest,
    dev::Payload,
    http::{StatusCode, header},
    web::{self, BytesMut},
};
use futures_util::StreamExt;
use impulso_core::text;
use serde::de::DeserializeOwned;
use serde_json::Value;
use tokio::{io::AsyncWriteExt, sync::Semaphore, time};

use crate::{
    ApiError,
    auth::SignedIn,
    settings::limits,
    transfer::place::{no_room, place},
};

/// A body in JSON, of at most so many bytes.
#[derive(Debug)]
pub struct Json<T, const MOST: usize = { limits::BODY_BYTES }>(pub T);

impl<T, const MOST: usize> Json<T, MOST> {
    /// What it says.
    pub fn into_inner(self) -> T {
        self.0
    }
}

impl<T, const MOST: usize> Deref for Json<T, MOST> {
    type Target = T;
    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: DeserializeOwned, const MOST: usize> FromRequest for Json<T, MOST> {
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
            let bytes = arrived(announced, payload, MOST, too_large::<MOST>).await?;
            if depth(&bytes) > limits::BODY_DEPTH {
                return Err(ApiError::unreadable(&format!("it is nested more than {} deep", limits::BODY_DEPTH)));
            }
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

/// A practice's file as it comes in: written to the disk piece by piece, unread.
#[derive(Debug)]
pub struct Upload(pub std::fs::File);

impl FromRequest for Upload {
    type Error = ApiError;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiError>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let (announced, payload) = (announced(request), payload.take());
        // Nobody fills the disk who is not signed in.
        let who = SignedIn::from_request(request, &mut Payload::None);
        let uploads = request.app_data::<web::Data<Uploads>>().cloned();
        Box::pin(async move {
            who.await?;
            let busy = || {
                ApiError::new(StatusCode::SERVICE_UNAVAILABLE, "busy", "Several files are being sent. Try again in a minute.")
                    .retry_after(60)
            };
            let _turn = uploads.ok_or_else(busy)?.0.clone().try_acquire_owned().map_err(|_| busy())?;
            if announced.is_some_and(|length| length as u64 > limits::IMPORT_BYTES) {
                return Err(file_too_large());
            }
            time::timeout(limits::IMPORT_TAKES, stored(payload)).await.map_err(|_| too_slow())?.map(Self)
        })
    }
}

/// So many files come in at once.
#[derive(Debug)]
pub struct Uploads(Arc<Semaphore>);

impl Default for Uploads {
    fn default() -> Self {
        Self(Arc::new(Semaphore::new(limits::UPLOADS_AT_ONCE)))
    }
}

async fn stored(mut payload: Payload) -> Result<std::fs::File, ApiError> {
    let no_room = |error: std::io::Error| {
        tracing::error!(%error, "the place for imported files");
        no_room()
    };
    let mut file = tokio::fs::File::from_std(place()?);
    let mut length = 0;
    while let Some(chunk) = time::timeout(limits::BODY_TAKES, payload.next()).await.map_err(|_| too_slow())? {
        let chunk = chunk.map_err(|_| broken_off())?;
        length += chunk.len() as u64;
        if length > limits::IMPORT_BYTES {
            return Err(file_too_large());
        }
        file.write_all(&chunk).await.map_err(no_room)?;
    }
    file.flush().await.map_err(no_room)?;
    Ok(file.into_std().await)
}

fn file_too_large() -> ApiError {
    let message = format!("This file has more than {} MB, the most that is imported at once.", limits::IMPORT_BYTES / 1024 / 1024);
    ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, "too_large", message)
}

fn too_slow() -> ApiError {
    ApiError::new(StatusCode::REQUEST_TIMEOUT, "too_slow", "The entry took too long to arrive. Send it again.")
}

fn broken_off() -> ApiError {
    ApiError::new(StatusCode::BAD_REQUEST, "broken_off", "The entry did not arrive whole. Send it again.")
}

fn announced(request: &HttpRequest) -> Option<usize> {
    request.headers().get(header::CONTENT_LENGTH).and_then(|l| l.to_str().ok()?.parse().ok())
}

/// A body that is no longer than `most` and came in time.
async fn arrived(announced: Option<usize>, payload: Payload, most: usize, too_large: fn() -> ApiError) -> Result<BytesMut, ApiError> {
    if announced.is_some_and(|length| length > most) {
        return Err(too_large());
    }
    time::timeout(limits::BODY_TAKES, read(payload, most, too_large)).await.map_err(|_| too_slow())?
}

async fn read(mut payload: Payload, most: usize, too_large: fn() -> ApiError) -> Result<BytesMut, ApiError> {
    let mut bytes = BytesMut::new();
    while let Some(chunk) = payload.next().await {
        let chunk = chunk.map_err(|_| broken_off())?;
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

fn too_large<const MOST: usize>() -> ApiError {
    let message = format!("This is more than {} kB, the most that is taken at once. Shorten it.", MOST / 1024);
    ApiError::new(StatusCode::PAYLOAD_TOO_LARGE, "too_large", message)
}

/// How many brackets a text in JSON has open at once, at the most.
fn depth(bytes: &[u8]) -> usize {
    let (mut open, mut most, mut in_text, mut escaped) = (0_usize, 0, false, false);
    for byte in bytes {
        match byte {
            _ if escaped => escaped = false,
            b'\\' if in_text => escaped = true,
            b'"' => in_text = !in_text,
            b'[' | b'{' if !in_text => {
                open += 1;
                most = most.max(open);
            }
            b']' | b'}' if !in_text => open = open.saturating_sub(1),
            _ => {}
        }
    }
    most
}

/// Reads a body. Only one that spells out a control character is read twice.
fn parse<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, ApiError> {
    let bytes = &whole_letters(bytes);
    let read = if bytes.windows(4).any(|w| w == br"\u00") {
        serde_json::from_slice(bytes).map(cleaned).and_then(serde_json::from_value)
    } else {
        serde_json::from_slice(bytes)
    };
    read.map_err(|e| ApiError::unreadable(&e.to_string()))
}

/// A text may have been cut in the middle of a letter that is written as two halves, such as a sign of joy. Half a letter becomes the
/// sign for one that cannot be shown; nothing else of the entry is lost.
fn whole_letters(bytes: &[u8]) -> Cow<'_, [u8]> {
    const UNKNOWN: &[u8] = br"\ufffd";
    /// The half that stands at a place, where one does: the first, or the second.
    fn half(bytes: &[u8], at: usize) -> Option<bool> {
        let digits = bytes.get(at..at + 6)?.strip_prefix(br"\u")?;
        let code = u16::from_str_radix(std::str::from_utf8(digits).ok()?, 16).ok()?;
        (0xd800..=0xdfff).contains(&code).then_some(code < 0xdc00)
    }
    if !bytes.windows(3).any(|w| w[..2] == *br"\u" && w[2].eq_ignore_ascii_case(&b'd')) {
        return Cow::Borrowed(bytes);
    }
    let (mut whole, mut at) = (Vec::with_capacity(bytes.len()), 0);
    while at < bytes.len() {
        let taken = match half(bytes, at) {
            Some(true) if half(bytes, at + 6) == Some(false) => 12,
            Some(_) => {
                whole.extend_from_slice(UNKNOWN);
                at += 6;
                continue;
            }
            // What is escaped is passed over whole: of two backslashes the second begins nothing.
            None if bytes[at] == b'\\' => 2.min(bytes.len() - at),
            None => 1,
        };
        whole.extend_from_slice(&bytes[at..at + taken]);
        at += taken;
    }
    Cow::Owned(whole)
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

    #[test]
    fn half_a_letter_drops_nothing_but_itself() {
        let read = |text: &str| parse::<Vec<String>>(text.as_bytes()).unwrap();
        assert_eq!(read(r#"["pain \ud83c"]"#), ["pain \u{fffd}"]);
        assert_eq!(read(r#"["\udf89 x", "\uD83C\uDF89", "\\ud83c"]"#), ["\u{fffd} x", "🎉", "\\ud83c"]);
    }

    #[test]
    fn how_deep_a_body_is_counts_its_brackets_and_not_those_in_its_texts() {
        assert_eq!(depth(br#"{"a":[1,{"b":"[[[[{\"[["}],"c":[]}"#), 3);
        assert_eq!(depth("[".repeat(500_000).as_bytes()), 500_000);
    }
}
