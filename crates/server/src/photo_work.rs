//! Where photographs are opened: few at a time, for each may take hundreds of megabytes; whoever comes when many wait is asked to come
//! back.

use std::sync::Arc;

use actix_web::{http::StatusCode, web};
use impulso_formats::photo::{self, Photo};
use tokio::{sync::Semaphore, time};

use crate::{ApiError, ApiResult, settings::limits};

/// The places where photographs are opened, and the queue before them.
#[derive(Debug)]
pub struct PhotoWork {
    places: Arc<Semaphore>,
    queue: Arc<Semaphore>,
}

impl Default for PhotoWork {
    fn default() -> Self {
        Self { places: Arc::new(Semaphore::new(limits::PHOTOS_AT_ONCE)), queue: Arc::new(Semaphore::new(limits::PHOTOS_WAITING)) }
    }
}

impl PhotoWork {
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

#[cfg(test)]
mod tests {
    use super::*;

    /// A picture that is looked at, let through to the queue, and too small to be kept.
    fn picture() -> web::BytesMut {
        let mut bytes = std::io::Cursor::new(Vec::new());
        image::DynamicImage::new_rgb8(8, 8).write_to(&mut bytes, image::ImageFormat::Png).unwrap();
        web::BytesMut::from(&bytes.into_inner()[..])
    }

    #[actix_web::test]
    async fn few_are_opened_at_once_some_wait_and_the_rest_is_asked_to_come_back() {
        let work = PhotoWork::default();
        let held = work.places.clone().acquire_many_owned(u32::try_from(limits::PHOTOS_AT_ONCE).unwrap()).await.unwrap();
        let waiting: Vec<_> = (0..limits::PHOTOS_WAITING).map(|_| Box::pin(work.write_anew(picture()))).collect();
        let mut all = futures_util::future::join_all(waiting);
        let now = time::timeout(std::time::Duration::from_millis(50), &mut all).await;
        assert!(now.is_err(), "nobody gets a place while it is held");
        let sent_away = work.write_anew(picture()).await.unwrap_err();
        assert_eq!((sent_away.code.as_str(), sent_away.retry_after_s()), ("busy", Some(5)));
        let refused = work.write_anew(web::BytesMut::from(&b"%PDF-1.7"[..])).await.unwrap_err();
        assert_eq!(refused.code, "bad_value", "what is no picture waits for nobody");
        drop((held, all));
        assert_eq!(work.write_anew(picture()).await.unwrap_err().code, "out_of_range", "opened, and too small");
    }
}
