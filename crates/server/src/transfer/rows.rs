//! Each row of a file, held to the type that will read it: first every field to its column, then the whole to the core.

use std::collections::{BTreeMap, HashMap, HashSet};

use chrono::{DateTime, Datelike, NaiveDate, Utc};
use impulso_core::{
    InputError,
    battery::Battery,
    catalogue::{self, Protocol},
    consent::ConsentKind,
    goal::{Goal, MILESTONES_MAX, TOTAL},
    group,
    group_visit::{self, Presence},
    inputs::Inputs,
    life_event::LifeEventKind,
    person::{self, Sex},
    plan::RetestRule,
    points::ScoringTable,
    readiness,
    run::view::Rehearsal,
    run::{Event, Setup, check, event::Conditions},
    squad::GroupMark,
    text,
    units::{BodyMass, Height, Units},
    visit::VisitEvent,
};
use impulso_store::{
    everything::{Column, LEFT_OUT},
    protocols,
    results::{Done, Stop, StoredFacts},
    versions::Change,
};
use serde::de::DeserializeOwned;
use serde_json::{Map, Value, json};
use uuid::Uuid;

use crate::shelf::Shelf;

/// What is wrong with a field.
type Wrong = (String, String);

/// The deepest a document in a row is nested, its longest list and name, and its largest number. Whole numbers of an older file may be
/// larger than every reader of JSON keeps.
const DEPTH_MAX: usize = 40;
const LIST_MAX: usize = 20_000;
const KEY_MAX: usize = 200;
const NUMBER_MAX: f64 = 1e15;
/// The most protocols and batteries of a practice's own, each.
const OWN_MAX: usize = 300;
/// The years that a moment may lie in.
const YEARS: std::ops::RangeInclusive<i32> = 1850..=2299;

/// Checks rows, and knows what those before them brought.
pub struct Rows {
    /// The protocols and batteries of the practice so far.
    pub shelf: Shelf,
    /// Results that were stopped or are void: they have no scores, whatever an older file says.
    pub unscored: HashSet<Uuid>,
    /// Results whose method is not known here any more: their scores are taken as they are.
    pub uncomputed: HashSet<Uuid>,
    today: NaiveDate,
    born: HashMap<Uuid, NaiveDate>,
    events: HashMap<Uuid, u32>,
    own: usize,
    /// Who belongs to which group, and which numbers are worn there.
    belongs: HashSet<(Uuid, Uuid)>,
    shirts: HashSet<(Uuid, i64)>,
}

impl Rows {
    /// Nothing came yet.
    pub fn new(shelf: Shelf, today: NaiveDate) -> Self {
        Self {
            shelf,
            uncomputed: HashSet::new(),
            today,
            born: HashMap::new(),
            events: HashMap::new(),
            own: 0,
            unscored: HashSet::new(),
            belongs: HashSet::new(),
            shirts: HashSet::new(),
        }
    }

    /// Whether a checked row goes in; what follows from another row is made anew.
    pub fn is_kept(&self, table: &str, row: &Value) -> bool {
        table != "scores" || uuid(row, "result_id").is_ok_and(|id| self.uncomputed.contains(&id))
    }

    /// A row as it goes in. Of a result its scores are worked out beside it.
    ///
    /// # Errors
    /// The field, where it is one, and what is wrong with it.
    pub fn row(
        &mut self,
        table: &str,
        text: &str,
        columns: &BTreeMap<String, Column>,
        of_runs: &HashMap<Uuid, Protocol>,
        scores: &mut Vec<Value>,
    ) -> Result<Value, Wrong> {
        let row: Value = serde_json::from_str(text).map_err(|e| whole(format!("this can't be read: {e}")))?;
        let Value::Object(mut row) = row else { return Err(whole("this is not a row")) };
        let said = first_scores(table, &mut row);
        fields(table, &row, columns)?;
        let mut row = Value::Object(row);
        match table {
            "people" => self.person(&mut row)?,
            "protocols" => self.protocol(&row)?,
            "batteries" => self.battery(&row)?,
            "scoring_tables" => self.scoring_table(&row)?,
            "pass_marks" => self.pass_mark(&row)?,
            "typed_errors" => self.typed_error(&row)?,
            "groups" => group_row(&row)?,
            "group_members" => self.member(&row)?,
            "happenings" => life_event(&row)?,
            "goals" => self.goal(&row)?,
            "consents" => self.consent(&row)?,
            "photos" => self.on(&row)?,
            "readiness_checks" => self.readiness(&row)?,
            "visits" => self.visit(&row)?,
            "group_marks" => typed::<GroupMark>(&row, "body")?.check().map_err(|e| wrong("body", e.message))?,
            "group_visits" => group_visit(&row)?,
            "group_visit_people" => on_roll(&row)?,
            "visit_events" => typed::<VisitEvent>(&row, "body").map(|_| ())?,
            "runs" => run(&row)?,
            "run_performers" => performer(&row)?,
            "run_events" => self.event(&row)?,
            "result_versions" => self.version(&row)?,
            "results" => scores.extend(self.result(&row, of_runs, said)?),
            "retest_plans" => typed::<RetestRule>(&row, "rule").map(|_| ())?,
            _ => {}
        }
        Ok(row)
    }

    fn member(&mut self, row: &Value) -> Result<(), Wrong> {
        typed::<Option<Conditions>>(row, "set_up")?;
        let joined = person::day(day(row, "joined_on")?, "joined_on").map_err(said)?;
        if !row["left_on"].is_null() && person::day(day(row, "left_on")?, "left_on").map_err(said)? < joined {
            return Err(wrong("left_on", "it ends before it begins"));
        }
        if let Some(number) = row["number"].as_i64() {
            group::number(&number.to_string()).map_err(said)?;
        }
        if let Some(playing) = row["playing_group"].as_str() {
            group::playing_group(playing).map_err(said)?;
        }
        // Of those who belong to it today nobody is in a group twice, and no number is worn by two.
        let (of, person) = (uuid(row, "group_id")?, uuid(row, "person_id")?);
        if row["left_on"].is_null() {
            if !self.belongs.insert((of, person)) {
                return Err(wrong("person_id", "this client is in the group twice"));
            }
            if row["number"].as_i64().is_some_and(|n| !self.shirts.insert((of, n))) {
                return Err(wrong("number", "another member of the group wears this number"));
            }
        }
        Ok(())
    }

    fn person(&mut self, row: &mut Value) -> Result<(), Wrong> {
        let name = string(row, "name")?;
        if text::name(name, "name").map_err(said)? != name {
            return Err(wrong("name", "it has spaces or signs that a name doesn't have"));
        }
        row["name_key"] = json!(text::name_key(string(row, "name")?));
        typed::<Option<Sex>>(row, "sex")?;
        typed::<Units>(row, "units")?;
        let born = day(row, "born")?;
        person::age_on(born, self.today).map_err(|e| wrong("born", e.message))?;
        if let Some(cm) = row["height_cm"].as_f64() {
            Height::new(cm).map_err(|e| wrong("height_cm", e.message))?;
        }
        if let Some(kg) = row["mass_kg"].as_f64() {
            BodyMass::new(kg).map_err(|e| wrong("mass_kg", e.message))?;
        }
        self.born.insert(uuid(row, "id")?, born);
        Ok(())
    }

    fn counted(&mut self) -> Result<(), Wrong> {
        self.own += 1;
        if self.own > 2 * OWN_MAX {
            return Err(whole(format!("more than {OWN_MAX} tests and batteries of its own are more than a practice has")));
        }
        Ok(())
    }

    fn protocol(&mut self, row: &Value) -> Result<(), Wrong> {
        self.counted()?;
        let protocol = protocols::sound(row["body"].clone()).map_err(|e| wrong("body", reason(&e)))?;
        if protocol.id != string(row, "id")? || catalogue::find(&protocol.id).is_ok() {
            return Err(wrong("id", "it isn't the id of a practice's own test"));
        }
        text::name(&protocol.name, "body").map(|_| ()).map_err(said)
    }

    fn battery(&mut self, row: &Value) -> Result<(), Wrong> {
        self.counted()?;
        let battery: Battery = typed(row, "battery")?;
        if battery.id != string(row, "id")? {
            return Err(wrong("id", "it isn't the battery's id"));
        }
        battery.check(&|id: &str| self.shelf.find(id)).map_err(|e| wrong("battery", e.message))?;
        match &battery.scoring {
            Some(table) => self.table(&battery, table, "battery"),
            None => Ok(()),
        }
    }

    fn table(&self, battery: &Battery, table: &ScoringTable, field: &str) -> Result<(), Wrong> {
        table.check(&battery.protocols(&|id: &str| self.shelf.find(id))).map_err(|e| wrong(field, e.message))
    }

    fn scoring_table(&self, row: &Value) -> Result<(), Wrong> {
        let table: ScoringTable = typed(row, "body")?;
        let id = string(row, "battery_id")?;
        let battery = self.shelf.battery(id).ok_or_else(|| wrong("battery_id", "there is no such battery"))?;
        if row["version"].as_u64() != Some(u64::from(table.version)) {
            return Err(wrong("version", "it isn't the table's version"));
        }
        self.table(battery, &table, "body")
    }

    /// A measure that a test gives.
    fn measure(&self, row: &Value) -> Result<(), Wrong> {
        let protocol = self.shelf.find(string(row, "protocol_id")?).map_err(|e| wrong("protocol_id", e.message))?;
        let quantity = string(row, "quantity")?;
        let base = impulso_core::quantity::base(quantity);
        let gives = protocol.scoring.iter().any(|s| s.quantity == quantity || impulso_core::quantity::base(&s.quantity) == base);
        if gives { Ok(()) } else { Err(wrong("quantity", format!("{} doesn't give it", protocol.name))) }
    }

    fn pass_mark(&self, row: &Value) -> Result<(), Wrong> {
        self.measure(row)?;
        number(row, "mark", -1e6..=1e6)
    }

    fn typed_error(&self, row: &Value) -> Result<(), Wrong> {
        self.measure(row)?;
        number(row, "value", 1e-9..=1e6)
    }

    fn goal(&self, row: &Value) -> Result<(), Wrong> {
        let goal: Goal = typed(row, "goal")?;
        let known =
            if goal.quantity == TOTAL { self.shelf.battery(&goal.protocol).is_some() } else { self.shelf.find(&goal.protocol).is_ok() };
        if !known {
            return Err(wrong("goal", "its test isn't in the library"));
        }
        for on in [goal.from_on, goal.by].into_iter().chain(goal.milestones.iter().map(|m| m.on)) {
            person::day(on, "goal").map_err(said)?;
        }
        if goal.milestones.len() > MILESTONES_MAX || goal.from.abs().max(goal.to.abs()) > 1e6 {
            return Err(wrong("goal", "it has too many milestones or too large a number"));
        }
        text::note(goal.process.as_deref().unwrap_or_default(), "goal").map(|_| ()).map_err(said)
    }

    fn consent(&self, row: &Value) -> Result<(), Wrong> {
        self.on(row)?;
        typed::<ConsentKind>(row, "kind")?;
        text::name(string(row, "by_name")?, "by_name").map(|_| ()).map_err(said)
    }

    /// A day of a person that is not before the person's first.
    fn on(&self, row: &Value) -> Result<(), Wrong> {
        let on = day(row, "on_date")?;
        person::day(on, "on_date").map_err(said)?;
        match self.born.get(&uuid(row, "person_id")?) {
            None => Err(wrong("person_id", "this person isn't in the file")),
            Some(born) if on < *born || person::age_on(*born, on).is_err() => Err(wrong("on_date", "it is no day of this person's life")),
            Some(_) => Ok(()),
        }
    }

    fn readiness(&self, row: &Value) -> Result<(), Wrong> {
        self.on(row)?;
        readiness::check(&typed(row, "answers")?).map_err(|e| wrong("answers", e.message))?;
        typed::<readiness::Advice>(row, "advice").map(|_| ())
    }

    fn visit(&self, row: &Value) -> Result<(), Wrong> {
        self.on(row)?;
        let battery: Battery = typed(row, "battery")?;
        if battery.id != string(row, "battery_id")? {
            return Err(wrong("battery_id", "it isn't the battery's id"));
        }
        battery.check_size().map_err(|e| wrong("battery", e.message))?;
        typed::<Conditions>(row, "conditions").map(|_| ())
    }

    fn event(&mut self, row: &Value) -> Result<(), Wrong> {
        let event: Event = typed(row, "body")?;
        check::check_alone(&event).map_err(|e| wrong("body", e.message))?;
        let same = uuid(row, "id")? == event.id
            && uuid(row, "device")? == event.device
            && row["seq"].as_u64() == Some(u64::from(event.seq))
            // The column holds microseconds.
            && (moment(row, "wall")? - event.wall).num_microseconds().is_some_and(|off| off.abs() <= 1);
        if !same {
            return Err(wrong("body", "it is another event than its row says"));
        }
        let held = self.events.entry(uuid(row, "run_id")?).or_default();
        *held += 1;
        if *held as usize > check::EVENTS_MAX + check::DECISIONS_MAX {
            return Err(wrong("run_id", "this run has more events than a run takes"));
        }
        Ok(())
    }

    /// An earlier version of a result.
    fn version(&self, row: &Value) -> Result<(), Wrong> {
        self.on(row)?;
        typed::<Inputs>(row, "inputs")?;
        typed::<Conditions>(row, "conditions")?;
        typed::<StoredFacts>(row, "facts")?;
        typed::<Option<Stop>>(row, "stopped")?;
        typed::<BTreeMap<String, f64>>(row, "scored")?;
        typed::<Option<Vec<String>>>(row, "remarks")?;
        typed::<Change>(row, "change").map(|_| ())
    }

    /// A result: its scores as its readings give them, held to those it brings itself in a file of the first release.
    fn result(
        &mut self,
        row: &Value,
        of_runs: &HashMap<Uuid, Protocol>,
        brought: Option<BTreeMap<String, f64>>,
    ) -> Result<Vec<Value>, Wrong> {
        self.on(row)?;
        let run: Option<Uuid> = typed(row, "run_id")?;
        let person = uuid(row, "person_id")?;
        let mut result = Done {
            id: uuid(row, "id")?,
            protocol_id: string(row, "protocol_id")?.to_owned(),
            method: string(row, "method")?.to_owned(),
            on: day(row, "on_date")?,
            taken_at: moment(row, "taken_at")?,
            inputs: typed::<Inputs>(row, "inputs")?,
            conditions: typed::<Conditions>(row, "conditions")?,
            facts: typed::<StoredFacts>(row, "facts")?.into(),
            stopped: typed::<Option<Stop>>(row, "stopped")?,
            voided: typed::<Option<bool>>(row, "voided")?.unwrap_or_default(),
            remarks: typed::<Option<Vec<String>>>(row, "remarks")?.unwrap_or_default(),
            computed: BTreeMap::new(),
        };
        if result.stopped.is_some() || result.voided {
            self.unscored.insert(result.id);
            return Ok(Vec::new());
        }
        let known = self.shelf.find(&result.protocol_id).map_err(|_| wrong("protocol_id", "this test isn't in the library"))?;
        let protocol = match run {
            Some(run) => Some(of_runs.get(&run).ok_or_else(|| wrong("run_id", "this run isn't in the file"))?),
            None => Some(known).filter(|p| p.method_version() == result.method),
        };
        let Some(protocol) = protocol else {
            self.uncomputed.insert(result.id);
            return Ok(Vec::new());
        };
        if protocol.id != result.protocol_id || protocol.method_version() != result.method {
            return Err(wrong("method", "its run was done by another"));
        }
        result.computed = result.scores(protocol).map_err(|e| wrong("inputs", e.message))?;
        result.report(protocol, &BTreeMap::new(), Units::Metric).map_err(|e| wrong("inputs", e.message))?;
        if let Some(brought) = brought {
            let same = |q: &String, v: &f64| result.computed.get(q).is_some_and(|is| (is - v).abs() <= 1e-9 * is.abs().max(1.0));
            if let Some((quantity, value)) = brought.iter().find(|(q, v)| !same(q, v)) {
                return Err(wrong("computed", format!("the file says {quantity} {value}, the readings give something else")));
            }
        }
        let score = |(quantity, value): (&String, &f64)| {
            json!({
                "result_id": result.id, "person_id": person, "protocol_id": result.protocol_id, "on_date": result.on,
                "quantity": quantity, "value": value
            })
        };
        Ok(result.computed.iter().map(score).collect())
    }
}

/// The scores that a result brought itself before they had a table of their own.
fn first_scores(table: &str, row: &mut Map<String, Value>) -> Option<BTreeMap<String, f64>> {
    let computed = (table == "results").then(|| row.remove("computed")).flatten()?;
    serde_json::from_value(computed).ok()
}

fn group_row(row: &Value) -> Result<(), Wrong> {
    let name = string(row, "name")?;
    if text::name(name, "name").map_err(said)? != name {
        return Err(wrong("name", "it has spaces or signs that a name doesn't have"));
    }
    Ok(())
}

fn group_visit(row: &Value) -> Result<(), Wrong> {
    person::day(day(row, "on_date")?, "on_date").map_err(said)?;
    let battery: Battery = typed(row, "battery")?;
    if battery.id != string(row, "battery_id")? {
        return Err(wrong("battery_id", "it isn't the battery's id"));
    }
    battery.check_size().map_err(|e| wrong("battery", e.message))?;
    typed::<Conditions>(row, "conditions").map(|_| ())
}

fn on_roll(row: &Value) -> Result<(), Wrong> {
    let presence: Presence = typed(row, "presence")?;
    group_visit::reason(presence, "", row["reason"].as_str().unwrap_or_default()).map(|_| ()).map_err(|e| wrong("reason", e.message))
}

fn life_event(row: &Value) -> Result<(), Wrong> {
    let kind = string(row, "kind")?;
    if !LifeEventKind::ALL.iter().any(|k| k.name() == kind) {
        return Err(wrong("kind", "it is of no known kind"));
    }
    let from = person::day(day(row, "from_on")?, "from_on").map_err(said)?;
    if !row["until_on"].is_null() && person::day(day(row, "until_on")?, "until_on").map_err(said)? < from {
        return Err(wrong("until_on", "it ends before it begins"));
    }
    Ok(())
}

fn run(row: &Value) -> Result<(), Wrong> {
    let protocol = protocols::stored(row["protocol"].clone()).map_err(|e| wrong("protocol", reason(&e)))?;
    catalogue::check(&protocol).map_err(|e| wrong("protocol", e.message))?;
    if protocol.id != string(row, "protocol_id")? {
        return Err(wrong("protocol_id", "it isn't the test's id"));
    }
    if let Some(rehearsal) = typed::<Option<Rehearsal>>(row, "rehearsal")?
        && !(0.1..=8.0).contains(&rehearsal.rate)
    {
        return Err(wrong("rehearsal", "no rehearsal runs at this speed"));
    }
    Ok(())
}

fn performer(row: &Value) -> Result<(), Wrong> {
    text::name(string(row, "name")?, "name").map_err(said)?;
    typed::<Setup>(row, "setup").map(|_| ())
}

/// Every field is one of the table, of its column's type, and there where it must be.
fn fields(table: &str, row: &Map<String, Value>, columns: &BTreeMap<String, Column>) -> Result<(), Wrong> {
    for (name, value) in row {
        let in_first = table == "photos" && name == "jpeg" || table == "people" && name == "name_key";
        let Some(column) = columns.get(name).filter(|_| in_first || !LEFT_OUT.contains(&name.as_str())) else {
            return Err(wrong(&name.chars().take(60).collect::<String>(), "there is no such field"));
        };
        field(&column.kind, value, table == "photos" && name == "jpeg").map_err(|why| wrong(name, why))?;
        if value.is_null() && !column.may_be_null {
            return Err(wrong(name, "it is missing"));
        }
    }
    let ours = |name: &str| LEFT_OUT.contains(&name);
    match columns.iter().find(|(name, column)| !ours(name) && !column.may_be_null && !row.contains_key(*name)) {
        Some((name, _)) => Err(wrong(name, "it is missing")),
        None => Ok(()),
    }
}

fn field(kind: &str, value: &Value, is_picture: bool) -> Result<(), String> {
    let fits = match (kind, value) {
        (_, Value::Null) | ("boolean", Value::Bool(_)) => true,
        ("uuid", Value::String(s)) => s.parse::<Uuid>().is_ok_and(|id| id.to_string() == *s),
        ("date", Value::String(s)) => s.parse::<NaiveDate>().is_ok_and(|d| YEARS.contains(&d.year())),
        ("timestamp with time zone", Value::String(s)) => DateTime::parse_from_rfc3339(s).is_ok_and(|t| YEARS.contains(&t.year())),
        ("smallint", Value::Number(n)) => n.as_i64().is_some_and(|n| i16::try_from(n).is_ok()),
        ("integer", Value::Number(n)) => n.as_i64().is_some_and(|n| i32::try_from(n).is_ok()),
        ("bigint", Value::Number(n)) => n.as_i64().is_some(),
        ("double precision", Value::Number(n)) => n.as_f64().is_some_and(|n| n.abs() <= NUMBER_MAX),
        ("bytea", Value::String(s)) => is_picture || s.len() <= 200 && from_hex(s),
        ("text", Value::String(s)) => s.chars().count() <= text::NOTE_MAX && text::clean(s) == *s,
        ("jsonb", document) => return bounded(document, "", DEPTH_MAX),
        _ => false,
    };
    let expected = match kind {
        "uuid" => "a key",
        "date" => "a date",
        "timestamp with time zone" => "a date with a time",
        "boolean" => "yes or no",
        "text" => "a text that is not too long",
        "bytea" => "hexadecimal digits",
        _ => "a number in range",
    };
    if fits { Ok(()) } else { Err(format!("“{}” isn't {expected}", shortened(value))) }
}

fn from_hex(text: &str) -> bool {
    text.strip_prefix("\\x").is_some_and(|digits| digits.len() % 2 == 0 && digits.bytes().all(|b| b.is_ascii_hexdigit()))
}

/// Holds a document to the depth, lengths and numbers of those that Impulso makes.
///
/// # Errors
/// Names the part that is too large.
fn bounded(document: &Value, at: &str, depth: usize) -> Result<(), String> {
    let refuse = |why: String| Err(if at.is_empty() { why } else { format!("{at}: {why}") });
    let within = |key: &str| if at.is_empty() { key.to_owned() } else { format!("{at}.{key}") };
    match document {
        Value::String(s) if s.chars().count() > text::NOTE_MAX => refuse(format!("the text is longer than {} characters", text::NOTE_MAX)),
        Value::String(s) if s.contains('\0') => refuse("the text has a character that no text holds".into()),
        Value::Number(n) if !n.is_i64() && !n.is_u64() && n.as_f64().is_none_or(|n| n.abs() > NUMBER_MAX) => {
            refuse(format!("the number {n} is too large"))
        }
        Value::Array(_) | Value::Object(_) if depth == 0 => refuse(format!("it is nested more than {DEPTH_MAX} levels deep")),
        Value::Array(all) if all.len() > LIST_MAX => refuse(format!("the list is longer than {LIST_MAX} entries")),
        Value::Object(all) if all.len() > LIST_MAX => refuse(format!("it has more than {LIST_MAX} fields")),
        Value::Array(all) => all.iter().enumerate().try_for_each(|(k, v)| bounded(v, &within(&(k + 1).to_string()), depth - 1)),
        Value::Object(all) => all.iter().try_for_each(|(key, v)| match key.len() {
            n if n > KEY_MAX => refuse(format!("a field’s name is longer than {KEY_MAX} characters")),
            _ => bounded(v, &within(key), depth - 1),
        }),
        Value::String(_) | Value::Number(_) | Value::Null | Value::Bool(_) => Ok(()),
    }
}

fn shortened(value: &Value) -> String {
    let text = value.as_str().map_or_else(|| value.to_string(), str::to_owned);
    let short: String = text.chars().filter(|c| !c.is_control()).take(40).collect();
    if short.len() < text.len() { format!("{short}…") } else { short }
}

fn wrong(field: &str, why: impl Into<String>) -> Wrong {
    (field.to_owned(), why.into())
}

fn whole(why: impl Into<String>) -> Wrong {
    (String::new(), why.into())
}

fn said(error: InputError) -> Wrong {
    (error.field.unwrap_or_default(), error.message)
}

/// Why something cannot be read, without what the store says around it.
fn reason(error: &impulso_store::Error) -> String {
    match error {
        impulso_store::Error::Unreadable { source, .. } => source.to_string(),
        other => other.to_string(),
    }
}

fn typed<T: DeserializeOwned>(row: &Value, field: &str) -> Result<T, Wrong> {
    T::deserialize(&row[field]).map_err(|e| wrong(field, format!("it can't be read: {e}")))
}

fn string<'r>(row: &'r Value, field: &str) -> Result<&'r str, Wrong> {
    row[field].as_str().ok_or_else(|| wrong(field, "it is missing"))
}

fn uuid(row: &Value, field: &str) -> Result<Uuid, Wrong> {
    typed(row, field)
}

fn day(row: &Value, field: &str) -> Result<NaiveDate, Wrong> {
    typed(row, field)
}

fn moment(row: &Value, field: &str) -> Result<DateTime<Utc>, Wrong> {
    typed(row, field)
}

fn number(row: &Value, field: &str, range: std::ops::RangeInclusive<f64>) -> Result<(), Wrong> {
    let fits = row[field].as_f64().is_some_and(|n| range.contains(&n));
    if fits { Ok(()) } else { Err(wrong(field, "this number can't be right")) }
}
