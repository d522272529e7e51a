//! Today: whom do I test now, who is due, what needs a look. And the search behind `/`.

use actix_web::{get, web};
use chrono::{DateTime, Days, NaiveDate, Utc};
use impulso_core::text;
use impulso_store::{
    people, results,
    retests::{self, Filter},
    runs,
};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{
    library::{self, LibraryLine},
    people::PersonLine,
    results::stop_sentence,
    retests::RetestLine,
};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    shelf::Shelf,
};

/// Today's page.
#[derive(Serialize, ToSchema)]
pub struct TodayPage {
    /// The day.
    pub today: NaiveDate,
    /// What the day looks like, in a sentence.
    pub sentence: String,
    /// Runs begun and not closed.
    pub open_runs: Vec<OpenRun>,
    /// Late, the longest first.
    pub late: Vec<RetestLine>,
    /// Due today.
    pub due: Vec<RetestLine>,
    /// In the next seven days.
    pub soon: Vec<RetestLine>,
    /// Stopped early in the last two weeks.
    pub stopped: Vec<StoppedLine>,
    /// How many people the practice has.
    pub people: i64,
}

/// A run begun and not closed.
#[derive(Serialize, ToSchema)]
pub struct OpenRun {
    /// Key.
    pub id: Uuid,
    /// Name.
    pub name: String,
    /// The protocol's display name.
    pub protocol_name: String,
    /// Since when.
    pub since: DateTime<Utc>,
}

/// A test stopped early.
#[derive(Serialize, ToSchema)]
pub struct StoppedLine {
    /// The result.
    pub result: Uuid,
    /// Whose.
    pub person: Uuid,
    /// Name.
    pub name: String,
    /// The protocol's display name.
    pub protocol_name: String,
    /// The day.
    pub on: NaiveDate,
    /// How it ended.
    pub sentence: String,
    /// What was added.
    pub note: Option<String>,
}

/// What is looked for.
#[derive(Deserialize, IntoParams)]
pub struct SearchQuery {
    /// The beginning of a name, or a word of a test or its citation.
    #[serde(default)]
    pub q: String,
}

/// What was found.
#[derive(Serialize, ToSchema)]
pub struct Found {
    /// People.
    pub people: Vec<PersonLine>,
    /// Tests.
    pub tests: Vec<LibraryLine>,
}

/// Whom do I test now, who is due, what needs a look.
#[utoipa::path(tag = "today", operation_id = "today_show", responses((status = 200, body = TodayPage), (status = 401, body = ApiError)))]
#[get("/today")]
pub async fn show(who: SignedIn) -> ApiResult<web::Json<TodayPage>> {
    let mut scope = who.scope().await?;
    let today = auth::today(&mut scope).await?;
    let week = today + Days::new(7);
    let shelf = Shelf::of(&mut scope).await?;
    let open = retests::list(&mut scope, Filter { until: Some(week), open_only: true, ..Filter::default() }).await?;
    let (mut late, mut due, mut soon) = (vec![], vec![], vec![]);
    for line in open.into_iter().map(|r| RetestLine::new(r, &shelf, today)) {
        match line.due_on.cmp(&today) {
            std::cmp::Ordering::Less => late.push(line),
            std::cmp::Ordering::Equal => due.push(line),
            std::cmp::Ordering::Greater => soon.push(line),
        }
    }
    let open_runs: Vec<OpenRun> = runs::open(&mut scope)
        .await?
        .into_iter()
        .map(|r| OpenRun { id: r.id.0, name: open_name(&r), protocol_name: r.protocol, since: r.created_at })
        .collect();
    let stopped: Vec<StoppedLine> = results::since(&mut scope, today - Days::new(14))
        .await?
        .into_iter()
        .filter_map(|r| {
            let stop = r.stopped?;
            Some(StoppedLine {
                result: r.id.0,
                person: r.person.0,
                name: r.person_name,
                protocol_name: shelf.name(&r.protocol_id),
                on: r.on,
                sentence: stop_sentence(&stop),
                note: stop.note,
            })
        })
        .collect();
    let people = people::count(&mut scope).await?;
    Ok(web::Json(TodayPage {
        today,
        sentence: sentence(&open_runs, &late, &due, soon.len(), stopped.len(), people),
        open_runs,
        late,
        due,
        soon,
        stopped,
        people,
    }))
}

/// People and tests by what was typed.
#[utoipa::path(tag = "today", operation_id = "today_search", params(SearchQuery), responses((status = 200, body = Found), (status = 401, body = ApiError)))]
#[get("/search")]
pub async fn search(who: SignedIn, query: web::Query<SearchQuery>) -> ApiResult<web::Json<Found>> {
    let mut scope = who.scope().await?;
    let today = auth::today(&mut scope).await?;
    let key = text::search_key(&query.q);
    let found = people::list(&mut scope, &query.q, None, 8).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let tests =
        shelf.all().map(library::line).filter(|l| !key.is_empty() && key.split(' ').all(|word| l.searched.contains(word))).collect();
    Ok(web::Json(Found { people: found.into_iter().map(|p| super::people::line(p, &shelf, today)).collect(), tests }))
}

fn open_name(run: &runs::Open) -> String {
    if run.performers == 1 { run.name.clone() } else { format!("{} performers", run.performers) }
}

/// The day in a sentence: names while they are few, numbers when they are many.
fn sentence(open: &[OpenRun], late: &[RetestLine], due: &[RetestLine], soon: usize, stopped: usize, people: i64) -> String {
    if people == 0 {
        return "Nobody is here yet. Add your first client.".to_owned();
    }
    let who = |lines: &[RetestLine]| match lines {
        [one] => format!("{} is", one.name),
        [one, two] => format!("{} and {} are", one.name, two.name),
        many => format!("{} people are", many.len()),
    };
    let mut said = Vec::new();
    match open {
        [] => {}
        [run] => said.push(format!("{}’s test is still open.", run.name)),
        many => said.push(format!("{} tests are still open.", many.len())),
    }
    said.push(if due.is_empty() { "Nobody is due today.".to_owned() } else { format!("{} due today.", who(due)) });
    match late {
        [] => {}
        [one] => said.push(format!("{} is {}.", one.name, one.spoken)),
        many => said.push(format!("{} late.", who(many))),
    }
    if soon > 0 {
        said.push(format!("{soon} more this week."));
    }
    if stopped > 0 {
        said.push(format!("{} stopped early in the last two weeks.", text::plural(stopped as i64, "test")));
    }
    said.join(" ")
}
