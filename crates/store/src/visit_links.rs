//! A client's own links to what a visit taught. The token itself is kept nowhere.

use chrono::{DateTime, Utc};
use uuid::Uuid;

use crate::{
    CoachId, Error, PracticeId, Result, Scope, Store,
    error::{read, write},
};

/// A link as it is kept.
#[derive(Debug, Clone)]
pub struct Link {
    pub id: Uuid,
    /// The places of the battery that it shows.
    pub places: Vec<usize>,
    /// Whether it shows photographs.
    pub photos: bool,
    /// Whether it shows remarks, flags and how the tests were done.
    pub remarks: bool,
    /// When it was made.
    pub created_at: DateTime<Utc>,
    /// Until when it opens.
    pub expires_at: DateTime<Utc>,
    /// When it was withdrawn.
    pub withdrawn_at: Option<DateTime<Utc>>,
}

/// What a token opens.
#[derive(Debug, Clone)]
pub struct Opened {
    /// Whose.
    pub practice: PracticeId,
    pub visit: Uuid,
    /// What of it.
    pub places: Vec<usize>,
    /// Whether it shows photographs.
    pub photos: bool,
    /// Whether it shows remarks, flags and how the tests were done.
    pub remarks: bool,
    /// Until when.
    pub expires_at: DateTime<Utc>,
}

/// Keeps a link; `token` is a SHA-256 of what is handed out.
pub async fn add(scope: &mut Scope, coach: CoachId, visit: Uuid, link: &Link, token: &[u8; 32]) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into visit_links (practice_id, id, visit_id, token_hash, places, photos, remarks, created_by, expires_at) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)",
        practice,
        link.id,
        visit,
        token.as_slice(),
        write("places", &link.places)?,
        link.photos,
        link.remarks,
        coach.0,
        link.expires_at
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// A visit's links, the latest first.
pub async fn of_visit(scope: &mut Scope, visit: Uuid) -> Result<Vec<Link>> {
    let practice = scope.practice_id();
    let rows = sqlx::query!(
        "select id, places, photos, remarks, created_at, expires_at, withdrawn_at from visit_links where practice_id = $1 and visit_id = $2
         order by created_at desc",
        practice,
        visit
    )
    .fetch_all(scope.db())
    .await?;
    rows.into_iter()
        .map(|r| {
            Ok(Link {
                id: r.id,
                places: read("places", r.places)?,
                photos: r.photos,
                remarks: r.remarks,
                created_at: r.created_at,
                expires_at: r.expires_at,
                withdrawn_at: r.withdrawn_at,
            })
        })
        .collect()
}

/// Withdraws a link; from now on it opens nothing.
///
/// # Errors
/// [`Error::NotFound`].
pub async fn withdraw(scope: &mut Scope, id: Uuid) -> Result<()> {
    let practice = scope.practice_id();
    let done = sqlx::query!(
        "update visit_links set withdrawn_at = coalesce(withdrawn_at, now()) where practice_id = $1 and id = $2",
        practice,
        id
    )
    .execute(scope.db())
    .await?;
    if done.rows_affected() == 0 { Err(Error::NotFound) } else { Ok(()) }
}

/// What a token opens, while its link holds.
pub async fn open(store: &Store, token: &[u8; 32]) -> Result<Option<Opened>> {
    let found = store.soon(sqlx::query!(
        r#"select practice_id as "practice_id!", visit_id as "visit_id!", places as "places!", photos as "photos!", remarks as "remarks!", expires_at as "expires_at!"
           from visit_link_lookup($1)"#,
        token.as_slice()
    )
    .fetch_optional(store.pool())).await?;
    found
        .map(|f| {
            Ok(Opened {
                practice: PracticeId(f.practice_id),
                visit: f.visit_id,
                places: read("places", f.places)?,
                photos: f.photos,
                remarks: f.remarks,
                expires_at: f.expires_at,
            })
        })
        .transpose()
}
