//! Where photographs are opened: few at a time, for each may take hundreds of megabytes; whoever comes when many wait is asked to come
//! back.

use std::sync::Arc;

use actix_web::{http::StatusCode, web};
use impulso_formats::photo::{self, Photo};
use tokio::{sync::Semaphore, time};

use crate::{ApiError, ApiResult, settings::limits};

/// The places where photographs are opened, and the queue before them.
#[derive(Debug)]
pub struct Darkroom {
    places: Arc<Semaphore>,
    queue: Arc<Semaphore>,
}

impl Default for Darkroom {
    fn default() -> Self {
        Self { places: Arc::new(Semaphore::new(limits::PHOTOS_AT_ONCE)), queue: Arc::new(Semaphore::new(limits::PHOTOS_WAITING)) }
    }
}

impl Darkroom {
    /// Opens a picture and writes it anew, in its turn.
    ///
    /// # Errors
    /// As [`photo::write_anew`]; 503 where many wait.
    pub async fn write_anew(&self, bytes: web::BytesMut) -> ApiResult<Photo> {
        let busy = || {
            ApiError::new(StatusCode::SERVICE_UNAVAILABLE, "busy", "Many photographs are coming in. Send this one again in a few seconds.")
                .retry_after(5)
        };
        // What is no picture, or too large a one, needs no place.
        photo::look(&bytes)?;
        let queued = self.queue.clone().try_acquire_owned().map_err(|_| busy())?;
        let place = time::timeout(limits::PHOTO_PATIENCE, self.places.clone().acquire_owned()).await;
        let place = place.ok().and_then(Result::ok).ok_or_else(busy)?;
        drop(queued);
        // The place is held by the work itself: a caller who hangs up does not free it.
        let written = web::block(move || {
            let _place = place;
            photo::write_anew(&bytes)
        });
        Ok(written.await.map_err(|_| ApiError::unavailable())??)
    }
}
