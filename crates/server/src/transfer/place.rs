//! Where a file stands while it is read.

use std::fs::File;

use actix_web::http::StatusCode;

use crate::{ApiError, ApiResult};

/// A file that came in, on the disk and nowhere else: it has no name, and is gone with the request.
pub fn place() -> ApiResult<File> {
    tempfile::tempfile().map_err(|error| {
        tracing::error!(%error, "the place for imported files");
        no_room()
    })
}

/// There is no room for the file while it is read.
pub fn no_room() -> ApiError {
    ApiError::new(
        StatusCode::SERVICE_UNAVAILABLE,
        "no_room",
        "The server has no room for this file at the moment. Nothing was imported; tell whoever runs the server.",
    )
    .retry_after(60)
}
