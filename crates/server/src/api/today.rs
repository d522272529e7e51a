//! Today: whom do I test now, who is due, what needs a look. And the search behind `/`.

use actix_web::{get, web};
use chrono::{DateTime, Days, NaiveDate, Utc};
use impulso_core::{catalogue, done::Stop, text};
use impulso_store::{group_visits, groups, people, results, retests, runs, self_entries, visits};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

use super::{
    group_visits::GroupVisitLine,
    groups::GroupLine,
    library::{self, LibraryLine},
    people::PersonLine,
};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    planning::RetestLine,
    settings::limits,
    shelf::Shelf,
    visiting::VisitLine,
};

/// Today's page.
#[derive(Serialize, ToSchema)]
pub struct TodayPage {
    /// Visits that are under way or were left open.
    pub open_visits: Vec<VisitLine>,
    /// Group visits that are under way or were left open.
    pub open_group_visits: Vec<GroupVisitLine>,
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
    /// What to set up for everybody who is due today, each thing once.
    pub set_up: Vec<SetUp>,
    /// In the next seven days.
    pub soon: Vec<RetestLine>,
    /// Stopped early in the last two weeks.
    pub stopped: Vec<StoppedLine>,
    /// How many results that clients took of themselves wait to be looked at, in words; nothing where none does.
    pub from_afar: Option<String>,
    /// What is not among the lines above.
    pub more: TodayMore,
    /// How many people the practice has.
    pub people: i64,
    /// How many of them are made up.
    pub made_up: usize,
}

/// A thing to have ready today.
#[derive(Serialize, ToSchema)]
pub struct SetUp {
    /// What.
    pub what: String,
    /// What is said of it: how high, how long, where it stands.
    pub details: Vec<String>,
    /// For whom.
    pub people: Vec<String>,
}

/// How much more there is than is shown, in words: `12`, `192 or more`; a page away.
#[derive(Serialize, ToSchema)]
pub struct TodayMore {
    pub late: Option<String>,
    /// Due today.
    pub due: Option<String>,
    /// In the next seven days.
    pub soon: Option<String>,
    /// Whether more tests were stopped early than are shown.
    pub stopped: bool,
    /// Whether more runs are open than are shown.
    pub open_runs: bool,
    /// Whether more visits are open than are shown.
    pub open_visits: bool,
}

/// A run begun and not closed.
#[derive(Serialize, ToSchema)]
pub struct OpenRun {
    pub id: Uuid,
    pub name: String,
    /// The protocol's display name.
    pub protocol_name: String,
    /// Since when.
    pub since: DateTime<Utc>,
}

/// A test stopped early.
#[derive(Serialize, ToSchema)]
pub struct StoppedLine {
    pub result: Uuid,
    /// Whose.
    pub person: Uuid,
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

#[derive(Serialize, ToSchema)]
pub struct Found {
    pub people: Vec<PersonLine>,
    /// Whether more people have names like this than are here.
    pub more_people: bool,
    pub tests: Vec<LibraryLine>,
    /// Groups by their name.
    pub groups: Vec<GroupLine>,
}

/// Whom do I test now, who is due, what needs a look.
#[utoipa::path(tag = "today", operation_id = "today_show", responses((status = 200, body = TodayPage), (status = 401, body = ApiError)))]
#[get("/today")]
pub async fn show(who: SignedIn) -> ApiResult<web::Json<TodayPage>> {
    let mut scope = who.scope().await?;
    let today = auth::today(&mut scope).await?;
    let week = today + Days::new(7);
    let shelf = Shelf::of(&mut scope).await?;
    let (first, last) = retests::EVER;
    let spans = [(first, today.pred_opt().unwrap_or(first)), (today, today), (today.succ_opt().unwrap_or(last), week)];
    let mut parts = Vec::with_capacity(spans.len());
    for span in spans {
        let found = retests::open(&mut scope, span, None, limits::TODAY_LINES).await?;
        let all = match found.len() as i64 {
            n if n < limits::TODAY_LINES => n,
            _ => retests::count_open(&mut scope, span, limits::COUNTED).await?,
        };
        parts.push((found.into_iter().map(|r| RetestLine::new(r, &shelf, today)).collect::<Vec<_>>(), all));
    }
    let (soon, due, late) = (parts.pop().unwrap_or_default(), parts.pop().unwrap_or_default(), parts.pop().unwrap_or_default());
    let mut open_runs: Vec<OpenRun> = runs::open(&mut scope, limits::TODAY_LINES + 1)
        .await?
        .into_iter()
        .map(|r| OpenRun { id: r.id.0, name: open_name(&r), protocol_name: r.protocol, since: r.created_at })
        .collect();
    let mut stopped: Vec<StoppedLine> = results::stopped_since(&mut scope, today - Days::new(14), limits::TODAY_LINES + 1)
        .await?
        .into_iter()
        .map(|r| StoppedLine {
            result: r.id.0,
            person: r.person.0,
            name: r.person_name,
            protocol_name: shelf.name(&r.protocol_id),
            on: r.on,
            sentence: Stop::sentence(&r.stopped),
            note: r.stopped.note,
        })
        .collect();
    let from_afar = self_entries::count_waiting(&mut scope, limits::COUNTED).await?;
    let people = people::count(&mut scope).await?;
    let made_up = people::made_up(&mut scope).await?.len();
    let shown = limits::TODAY_LINES as usize;
    let rest = |(lines, all): &(Vec<RetestLine>, i64)| {
        let shown = lines.len() as i64;
        (*all > shown).then(|| limits::counted(*all, shown))
    };
    let open_group_visits = group_visits::open(&mut scope, limits::VISITS).await?.into_iter().map(Into::into).collect();
    let mut visits = visits::open(&mut scope, limits::VISITS + 1).await?;
    let more = TodayMore {
        late: rest(&late),
        due: rest(&due),
        soon: rest(&soon),
        stopped: stopped.len() > shown,
        open_runs: open_runs.len() > shown,
        open_visits: visits.len() > limits::VISITS as usize,
    };
    stopped.truncate(shown);
    open_runs.truncate(shown);
    visits.truncate(limits::VISITS as usize);
    let open_visits = visits.into_iter().map(|(v, name)| VisitLine::new(&v, Some(name))).collect();
    Ok(web::Json(TodayPage {
        open_visits,
        open_group_visits,
        today,
        sentence: sentence(&open_runs, (&late.0, late.1), (&due.0, due.1), soon.1, stopped.len(), more.stopped, people),
        open_runs,
        late: late.0,
        set_up: set_up(&due.0, &shelf),
        due: due.0,
        soon: soon.0,
        stopped,
        from_afar: (from_afar > 0).then(|| limits::counted(from_afar, 0)),
        more,
        people,
        made_up,
    }))
}

/// People and tests by what was typed.
#[utoipa::path(tag = "today", operation_id = "today_search", params(SearchQuery), responses((status = 200, body = Found), (status = 401, body = ApiError)))]
#[get("/search")]
pub async fn search(who: SignedIn, query: web::Query<SearchQuery>) -> ApiResult<web::Json<Found>> {
    let mut scope = who.scope().await?;
    let today = auth::today(&mut scope).await?;
    let key = text::search_key(&query.q);
    let mut found = people::list(&mut scope, &query.q, None, limits::FOUND + 1).await?;
    let more_people = found.len() > limits::FOUND as usize;
    found.truncate(limits::FOUND as usize);
    let shelf = Shelf::of(&mut scope).await?;
    let tests =
        shelf.all().map(library::line).filter(|l| !key.is_empty() && key.split(' ').all(|word| l.searched.contains(word))).collect();
    let groups = if key.is_empty() { Vec::new() } else { groups::list(&mut scope, query.q.trim()).await? };
    let groups = groups.into_iter().take(limits::FOUND as usize).map(GroupLine::from).collect();
    Ok(web::Json(Found { groups, people: found.into_iter().map(|p| super::people::line(p, &shelf, today)).collect(), more_people, tests }))
}

/// What the tests that are due need, each thing once, with whom it is for and what is said of it.
fn set_up(due: &[RetestLine], shelf: &Shelf) -> Vec<SetUp> {
    let mut all: Vec<SetUp> = Vec::new();
    for line in due {
        let tests: Vec<&str> = match shelf.battery(&line.protocol) {
            Some(battery) => battery.tests.iter().map(|t| t.protocol.as_str()).collect(),
            None => vec![&line.protocol],
        };
        for (thing, details) in tests.into_iter().filter_map(|id| shelf.find(id).ok()).flat_map(catalogue::things) {
            let place = all.iter().position(|s| s.what == thing).unwrap_or_else(|| {
                all.push(SetUp { what: thing, details: Vec::new(), people: Vec::new() });
                all.len() - 1
            });
            let set_up = &mut all[place];
            set_up.details.extend(details.into_iter().filter(|d| !set_up.details.contains(d)).collect::<Vec<_>>());
            if !set_up.people.contains(&line.name) {
                set_up.people.push(line.name.clone());
            }
        }
    }
    // What belongs to no thing comes last.
    all.sort_by_key(|s| s.what == catalogue::ALSO);
    all
}

fn open_name(run: &runs::Open) -> String {
    if run.performers == 1 { run.name.clone() } else { format!("{} performers", run.performers) }
}

/// The day in a sentence: names while they are few, numbers when they are many. Lines come with how many there are in all.
fn sentence(
    open: &[OpenRun],
    late: (&[RetestLine], i64),
    due: (&[RetestLine], i64),
    soon: i64,
    stopped: usize,
    stopped_more: bool,
    people: i64,
) -> String {
    if people == 0 {
        return "Nobody is here yet. Add your first client.".to_owned();
    }
    let many = |n: i64| limits::counted(n, 0);
    let who = |(lines, all): (&[RetestLine], i64)| match lines {
        [one] if all == 1 => format!("{} is", one.name),
        [one, two] if all == 2 => format!("{} and {} are", one.name, two.name),
        _ => format!("{} people are", many(all)),
    };
    let mut said = Vec::new();
    match open {
        [] => {}
        [run] => said.push(format!("{}’s test is still open.", run.name)),
        several => said.push(format!("{} tests are still open.", several.len())),
    }
    said.push(if due.1 == 0 { "Nobody is due today.".to_owned() } else { format!("{} due today.", who(due)) });
    match late {
        ([], _) => {}
        ([one], 1) => said.push(format!("{} is {}.", one.name, one.spoken)),
        _ => said.push(format!("{} late.", who(late))),
    }
    if soon > 0 {
        said.push(format!("{} more this week.", many(soon)));
    }
    if stopped > 0 {
        let tests = text::plural(stopped as i64, "test");
        said.push(format!("{}{tests} stopped early in the last two weeks.", if stopped_more { "More than " } else { "" }));
    }
    said.join(" ")
}
