//! The results of a group visit as a list: names × readings, pasted, from a file or from paper; and the same list given back.

use std::collections::{BTreeMap, BTreeSet};

use actix_web::{get, http::StatusCode, post, web};
use impulso_core::{
    Code, InputError,
    battery::Slot,
    catalogue::Protocol,
    consent::ConsentKind,
    done::{self, Done},
    group_visit::Presence,
    person::Weighed,
    results_list::{self, ListColumn, RESULTS_MAX, ReadingTries},
    run::event::Conditions,
    units::Units,
    visit::{self, Stand, VisitEvent},
};
use impulso_store::{
    PersonId, ResultId, Scope,
    group_visits::{self, GroupVisit, OnRoll},
    groups::{self, Member},
    people::{self, Person},
    results::{self, Stored},
    visits,
};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

use super::{
    consents,
    group_visit_page::{GroupVisitPage, page},
    group_visits::own_visit,
};
use crate::{
    ApiError, ApiResult,
    auth::{self, SignedIn},
    body::Json,
    recording::{self, Typed},
    settings::limits,
    shelf::Shelf,
};

/// So many faults are named at once.
const FAULTS_MAX: usize = 300;

/// The results of a group visit as a list.
#[derive(Serialize, ToSchema)]
pub struct GroupSheet {
    /// The tests whose results can stand in a list.
    pub tests: Vec<SheetTest>,
    /// Everybody who belongs to the group, by number, then by name.
    pub lines: Vec<SheetLine>,
}

/// A test of the list.
#[derive(Serialize, ToSchema)]
pub struct SheetTest {
    /// Its place in the battery.
    pub place: usize,
    pub protocol: String,
    pub name: String,
    pub columns: Vec<ListColumn>,
}

/// Somebody of the list.
#[derive(Serialize, ToSchema)]
pub struct SheetLine {
    pub person: Uuid,
    pub name: String,
    pub number: Option<u16>,
    /// Units that their numbers are shown and typed in.
    pub units: Units,
    /// Why nothing can be typed for them.
    pub out: Option<String>,
    /// What they have, test by test.
    pub tests: Vec<SheetCells>,
}

/// What somebody has in a test.
#[derive(Serialize, ToSchema)]
pub struct SheetCells {
    pub place: usize,
    /// Whether it is done in this visit: its result is corrected on its own page.
    pub done: bool,
    /// Which of the test's columns are theirs: one who does it another way has another.
    pub asked: Vec<bool>,
    /// Tries by column, as they are stored.
    pub tries: Vec<Vec<Option<f64>>>,
}

/// Results to store, all of them or none.
#[derive(Deserialize, ToSchema)]
pub struct SheetForm {
    pub results: Vec<SheetResult>,
    /// The body masses on record are used although some are old.
    #[serde(default)]
    pub keep_mass: bool,
}

/// One test of one person.
#[derive(Deserialize, ToSchema)]
pub struct SheetResult {
    /// Made by the screen: the same again is the same result.
    pub id: Uuid,
    pub person: Uuid,
    pub place: usize,
    pub cells: Vec<ReadingTries>,
}

/// What is wrong with one of the results.
#[derive(Debug, Serialize)]
pub struct SheetFault {
    pub person: Uuid,
    pub place: usize,
    /// The reading, where it is one.
    pub field: Option<String>,
    pub message: String,
}

/// The list of a group visit.
#[utoipa::path(tag = "groups", operation_id = "group_sheets_get", responses((status = 200, body = GroupSheet), (status = 404, body = ApiError)))]
#[get("/group-visits/{id}/sheet")]
pub async fn get(who: SignedIn, id: web::Path<Uuid>) -> ApiResult<web::Json<GroupSheet>> {
    let mut scope = who.scope().await?;
    let shelf = Shelf::of(&mut scope).await?;
    let of = Sheet::load(&mut scope, &shelf, *id).await?;
    let visits: Vec<(PersonId, &str)> =
        of.members.iter().flat_map(|m| of.tests.iter().map(|(_, slot, _)| (m.person, slot.protocol.as_str()))).collect();
    let history = results::of_protocols(&mut scope, &visits).await?;
    let columns: Vec<Vec<ListColumn>> = of.tests.iter().map(|(_, slot, protocol)| of.all_columns(protocol, slot)).collect();
    let mut lines = Vec::new();
    for member in &of.members {
        let Some(person) = of.people.get(&member.person) else { continue };
        let stands = of.stands(member.person);
        let tests = of
            .tests
            .iter()
            .zip(&columns)
            .map(|((place, slot, protocol), all)| {
                let before = history.get(&(member.person, slot.protocol.clone())).map(Vec::as_slice).unwrap_or_default();
                let conditions = of.conditions(protocol, slot, person, member, before);
                let own = results_list::columns(protocol, &conditions, &slot.takes);
                let stand = stands.places.get(*place);
                let result = stand.and_then(|s| s.tries.last()).and_then(|id| before.iter().find(|r| r.id == *id));
                SheetCells {
                    place: *place,
                    done: stand.is_some_and(|s| s.stand == Stand::Done),
                    asked: all.iter().map(|c| own.iter().any(|o| o.input == c.input && o.side == c.side)).collect(),
                    tries: all.iter().map(|c| result.map(|r| results_list::tries(c, &r.inputs)).unwrap_or_default()).collect(),
                }
            })
            .collect();
        lines.push(SheetLine {
            person: member.person.0,
            name: member.name.clone(),
            number: member.number,
            units: person.profile.units,
            out: of.out(member),
            tests,
        });
    }
    let tests = of
        .tests
        .iter()
        .zip(columns)
        .map(|((place, slot, protocol), columns)| SheetTest {
            place: *place,
            protocol: protocol.id.clone(),
            name: visit::variant_name(Some(protocol), slot),
            columns,
        })
        .collect();
    Ok(web::Json(GroupSheet { tests, lines }))
}

/// Stores the results of a list, all of them or none: each in the visit of whose it is. Who was not called yet is called here.
#[utoipa::path(tag = "groups", operation_id = "group_sheets_keep", responses((status = 200, body = GroupVisitPage), (status = 404, body = ApiError), (status = 422, body = ApiError)))]
#[post("/group-visits/{id}/sheet")]
pub async fn keep(
    who: SignedIn,
    id: web::Path<Uuid>,
    form: Json<SheetForm, { limits::LIST_BYTES }>,
) -> ApiResult<web::Json<GroupVisitPage>> {
    let form = form.into_inner();
    if form.results.len() > RESULTS_MAX {
        let message = format!("These are {} results; {RESULTS_MAX} is the most at once. Store them in parts.", form.results.len());
        return Err(InputError::new(Code::OutOfRange, "results", message).into());
    }
    let mut scope = who.scope().await?;
    group_visits::lock(&mut scope, *id).await?;
    let shelf = Shelf::of(&mut scope).await?;
    let mut of = Sheet::load(&mut scope, &shelf, *id).await?;
    if of.visit.closed_at.is_some() {
        return Err(InputError::new(Code::OutOfRange, "visit", "This group visit is over. Begin a new one.").into());
    }
    let (results, faults) = of.build(&mut scope, form).await?;
    if !faults.is_empty() {
        let count = faults.len();
        let more = if count > 1 { format!(" And {} more.", count - 1) } else { String::new() };
        let mut error =
            ApiError::new(StatusCode::UNPROCESSABLE_ENTITY, "bad_value", format!("{}{more} Nothing was stored.", faults[0].message));
        error.detail = Some(json!({ "faults": faults.iter().take(FAULTS_MAX).collect::<Vec<_>>() }));
        return Err(error);
    }
    let (places, results): (Vec<usize>, Vec<Stored>) = results.into_iter().unzip();
    let people: Vec<PersonId> = results.iter().map(|r| r.person).collect();
    consents::require(&mut scope, &people, ConsentKind::Testing).await?;
    of.call(&mut scope, &who, &results).await?;
    recording::keep_all(&mut scope, who.coach, &results).await?;
    let mut events: Vec<(Uuid, Uuid, VisitEvent)> = Vec::with_capacity(results.len());
    for (place, result) in places.iter().zip(&results) {
        let own = of.roll.iter().find(|r| r.person == result.person).and_then(|r| r.visit).ok_or_else(ApiError::not_found)?;
        events.push((own, result.id, VisitEvent::Done { place: *place, result: result.id }));
    }
    visits::append_all(&mut scope, &events).await?;
    let shown = page(&mut scope, &shelf, *id).await?;
    scope.commit().await?;
    Ok(web::Json(shown))
}

/// A group visit with everything that a list of it needs.
struct Sheet<'s> {
    visit: GroupVisit,
    tests: Vec<(usize, Slot, &'s Protocol)>,
    members: Vec<Member>,
    roll: Vec<OnRoll>,
    people: BTreeMap<PersonId, Person>,
    events: BTreeMap<Uuid, Vec<VisitEvent>>,
}

impl<'s> Sheet<'s> {
    async fn load(scope: &mut Scope, shelf: &'s Shelf, id: Uuid) -> ApiResult<Self> {
        let visit = group_visits::get(scope, id).await?;
        let tests = visit.battery.tests.iter().enumerate().filter_map(|(place, slot)| {
            let protocol = shelf.find(&slot.protocol).ok().filter(|p| p.suits_list())?;
            Some((place, slot.clone(), protocol))
        });
        let tests = tests.collect();
        let members: Vec<Member> = groups::members(scope, visit.group).await?.into_iter().filter(|m| m.left_on.is_none()).collect();
        let ids: Vec<Uuid> = members.iter().map(|m| m.person.0).collect();
        let people = people::several(scope, &ids).await?.into_iter().map(|p| (p.id, p)).collect();
        let roll = group_visits::roll(scope, id).await?;
        let events = group_visits::events(scope, id).await?;
        Ok(Self { visit, tests, members, roll, people, events })
    }

    fn stands(&self, person: PersonId) -> visit::VisitState {
        let own = self.roll.iter().find(|r| r.person == person).and_then(|r| r.visit);
        visit::fold(&self.visit.battery, own.and_then(|v| self.events.get(&v)).into_iter().flatten())
    }

    /// Why nothing can be written down for somebody.
    fn out(&self, member: &Member) -> Option<String> {
        let line = self.roll.iter().find(|r| r.person == member.person)?;
        match line.presence {
            Presence::Here => None,
            Presence::Absent => Some(format!("{} is absent. Call {} here first.", member.name, member.name)),
            Presence::NotTesting => Some(format!("{} is not tested today. Call {} here first.", member.name, member.name)),
        }
    }

    /// Every column that somebody may have: by what all share, and by what each has of their own.
    fn all_columns(&self, protocol: &Protocol, slot: &Slot) -> Vec<ListColumn> {
        let shared = |own: &Conditions| visit::conditions(protocol, None, None, Some((slot, &self.visit.conditions)), own);
        let mut all = results_list::columns(protocol, &shared(&Conditions::new()), &slot.takes);
        for member in self.members.iter().filter(|m| !m.set_up.is_empty()) {
            for column in results_list::columns(protocol, &shared(&member.set_up), &slot.takes) {
                if !all.iter().any(|c| c.input == column.input && c.side == column.side) {
                    all.push(column);
                }
            }
        }
        all
    }

    /// What a test starts from for somebody.
    fn conditions(&self, protocol: &Protocol, slot: &Slot, person: &Person, member: &Member, before: &[Stored]) -> Conditions {
        let last = done::last_scored(before.iter().map(|r| -> &Done { &r.done }), &protocol.id).map(|r| &r.conditions);
        visit::conditions(protocol, person.profile.sex, last, Some((slot, &self.visit.conditions)), &member.set_up)
    }

    /// Builds every result; what is wrong is said of each. Those that are stored already are passed over.
    async fn build(&self, scope: &mut Scope, form: SheetForm) -> ApiResult<(Vec<(usize, Stored)>, Vec<SheetFault>)> {
        let wanted: Vec<(PersonId, &str)> = form
            .results
            .iter()
            .filter_map(|r| Some((PersonId(r.person), self.tests.iter().find(|(place, ..)| *place == r.place)?.1.protocol.as_str())))
            .collect();
        let history = results::of_protocols(scope, &wanted).await?;
        let known: BTreeSet<Uuid> = history.values().flatten().map(|r| r.id).collect();
        let at = if self.visit.on == auth::today(scope).await? {
            None
        } else {
            Some(self.visit.created_at.with_timezone(&auth::zone(scope).await?).format("%H:%M").to_string())
        };
        let (mut built, mut faults, mut seen) = (Vec::new(), Vec::new(), BTreeSet::new());
        for result in form.results.into_iter().filter(|r| !known.contains(&r.id)) {
            let (id, place) = (PersonId(result.person), result.place);
            let fault = |e: InputError| SheetFault { person: id.0, place, field: e.field, message: e.message };
            let whole = |message: String| SheetFault { person: id.0, place, field: None, message };
            let Some(member) = self.members.iter().find(|m| m.person == id) else { return Err(ApiError::not_found()) };
            let (Some(person), Some((_, slot, protocol))) = (self.people.get(&id), self.tests.iter().find(|(p, ..)| *p == place)) else {
                return Err(ApiError::not_found());
            };
            let units = person.profile.units;
            if let Some(why) = self.out(member) {
                faults.push(whole(why));
                continue;
            }
            if !seen.insert((id, place)) {
                faults.push(whole(format!("{} stands twice for {}.", member.name, protocol.name)));
                continue;
            }
            match self.stands(id).places.get(place).map(|p| p.stand) {
                Some(Stand::Done) => {
                    faults
                        .push(whole(format!("{} has a result of {} in this visit already. Correct it there.", member.name, protocol.name)));
                    continue;
                }
                Some(Stand::Running) => {
                    faults.push(whole(format!("{} is running for {}: end it on the floor.", protocol.name, member.name)));
                    continue;
                }
                _ => {}
            }
            let before = history.get(&(id, slot.protocol.clone())).map(Vec::as_slice).unwrap_or_default();
            let inputs = match results_list::inputs(protocol, &result.cells) {
                Ok(inputs) => inputs,
                Err(e) => {
                    faults.push(fault(e.in_units(units)));
                    continue;
                }
            };
            let typed = Typed {
                on: self.visit.on,
                at: at.clone(),
                inputs,
                stages: Vec::new(),
                series_csv: None,
                conditions: self.conditions(protocol, slot, person, member, before),
                hr_max_method: None,
                ceiling: None,
                resting_hr: None,
                hr_max: None,
                weighed: Weighed { mass: String::new(), keep_mass: form.keep_mass },
                remark: None,
            };
            match recording::build(scope, protocol, person, ResultId(result.id), typed, None).await {
                Ok(stored) => built.push((place, stored)),
                Err(e) if e.is_the_clients() => {
                    let e = e.in_units(units);
                    faults.push(SheetFault { person: id.0, place, field: e.field, message: format!("{}: {}", member.name, e.message) });
                }
                Err(e) => return Err(e),
            }
        }
        Ok((built, faults))
    }

    /// Calls everybody here who has a result and was not called, and gives each a visit.
    async fn call(&mut self, scope: &mut Scope, who: &SignedIn, results: &[Stored]) -> ApiResult<()> {
        let people: BTreeSet<PersonId> = results.iter().map(|r| r.person).collect();
        for person in people {
            if self.roll.iter().any(|r| r.person == person && r.visit.is_some()) {
                continue;
            }
            group_visits::call(scope, self.visit.id, person, Presence::Here, None).await?;
            own_visit(scope, who.coach, &self.visit, person, self.visit.on).await?;
        }
        self.roll = group_visits::roll(scope, self.visit.id).await?;
        Ok(())
    }
}
