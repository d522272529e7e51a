//! The activity log: who did what to whom, and when. Only ever added to; erasing a person takes the person out of it.

use chrono::{DateTime, Utc};
use strum::{EnumString, IntoStaticStr};
use uuid::Uuid;

use crate::{CoachId, PersonId, Result, Scope};

/// What was done; stored as its key.
#[derive(Debug, Clone, Copy, PartialEq, Eq, IntoStaticStr, EnumString)]
pub enum Action {
    #[strum(serialize = "person.added")]
    PersonAdded,
    #[strum(serialize = "person.changed")]
    PersonChanged,
    #[strum(serialize = "person.erased")]
    PersonErased,
    #[strum(serialize = "person.exported")]
    PersonExported,
    #[strum(serialize = "readiness.kept")]
    ReadinessKept,
    #[strum(serialize = "readiness.overruled")]
    ReadinessOverruled,
    #[strum(serialize = "run.set_up")]
    RunSetUp,
    #[strum(serialize = "run.discarded")]
    RunDiscarded,
    #[strum(serialize = "result.kept")]
    ResultKept,
    #[strum(serialize = "result.corrected")]
    ResultCorrected,
    #[strum(serialize = "result.voided")]
    ResultVoided,
    #[strum(serialize = "result.restored")]
    ResultRestored,
    #[strum(serialize = "result.moved")]
    ResultMoved,
    #[strum(serialize = "result.moved_away")]
    ResultMovedAway,
    #[strum(serialize = "retest.planned")]
    RetestPlanned,
    #[strum(serialize = "retest.skipped")]
    RetestSkipped,
    #[strum(serialize = "retest.unskipped")]
    RetestUnskipped,
    #[strum(serialize = "visit.begun")]
    VisitBegun,
    #[strum(serialize = "visit.closed")]
    VisitClosed,
    #[strum(serialize = "visit.shared")]
    VisitShared,
    #[strum(serialize = "visit.link_withdrawn")]
    VisitLinkWithdrawn,
    #[strum(serialize = "visit.self_link")]
    VisitSelfLink,
    #[strum(serialize = "visit.self_link_withdrawn")]
    VisitSelfLinkWithdrawn,
    #[strum(serialize = "battery.kept")]
    BatteryKept,
    #[strum(serialize = "battery.retired")]
    BatteryRetired,
    #[strum(serialize = "scoring.kept")]
    ScoringKept,
    #[strum(serialize = "scoring.applied_to_past")]
    ScoringAppliedToPast,
    #[strum(serialize = "practice.exported")]
    PracticeExported,
    #[strum(serialize = "practice.imported")]
    PracticeImported,
    #[strum(serialize = "practice.changed")]
    PracticeChanged,
    #[strum(serialize = "group.kept")]
    GroupKept,
    #[strum(serialize = "group.closed")]
    GroupClosed,
    #[strum(serialize = "group.joined")]
    GroupJoined,
    #[strum(serialize = "group.left")]
    GroupLeft,
    #[strum(serialize = "group.mark_set")]
    GroupMarkSet,
    #[strum(serialize = "group.mark_removed")]
    GroupMarkRemoved,
    #[strum(serialize = "group_visit.begun")]
    GroupVisitBegun,
    #[strum(serialize = "group_visit.conditions")]
    GroupVisitConditions,
    #[strum(serialize = "group_visit.closed")]
    GroupVisitClosed,
    #[strum(serialize = "goal.agreed")]
    GoalAgreed,
    #[strum(serialize = "goal.dropped")]
    GoalDropped,
    #[strum(serialize = "photo.kept")]
    PhotoKept,
    #[strum(serialize = "photo.removed")]
    PhotoRemoved,
    #[strum(serialize = "happening.noted")]
    HappeningNoted,
    #[strum(serialize = "happening.removed")]
    HappeningRemoved,
    #[strum(serialize = "pass_mark.set")]
    PassMarkSet,
    #[strum(serialize = "typical_error.typed")]
    TypicalErrorTyped,
    #[strum(serialize = "protocol.copied")]
    ProtocolCopied,
    #[strum(serialize = "made_up.loaded")]
    MadeUpLoaded,
    #[strum(serialize = "made_up.removed")]
    MadeUpRemoved,
    #[strum(serialize = "coach.added")]
    CoachAdded,
    #[strum(serialize = "coach.removed")]
    CoachRemoved,
    #[strum(serialize = "password.changed")]
    PasswordChanged,
    #[strum(serialize = "password.link")]
    PasswordLink,
    #[strum(serialize = "password.reset")]
    PasswordReset,
    #[strum(serialize = "second_factor.on")]
    SecondFactorOn,
    #[strum(serialize = "second_factor.off")]
    SecondFactorOff,
    #[strum(serialize = "second_factor.taken_off")]
    SecondFactorTakenOff,
    #[strum(serialize = "second_factor.recovery_codes")]
    RecoveryCodes,
    #[strum(serialize = "practice.handed_over")]
    PracticeHandedOver,
    #[strum(serialize = "consent.given")]
    ConsentGiven,
    #[strum(serialize = "consent.withheld")]
    ConsentWithheld,
    #[strum(serialize = "sessions.ended")]
    SessionsEnded,
    #[strum(serialize = "self_entry.taken")]
    SelfEntryTaken,
    #[strum(serialize = "self_entry.refused")]
    SelfEntryRefused,
}

impl Action {
    /// The action that is stored under this key; nothing for one that is recorded no more.
    pub fn of(key: &str) -> Option<Self> {
        key.parse().ok()
    }

    fn key(self) -> &'static str {
        self.into()
    }
}

/// What an entry is about.
#[derive(Debug, Clone, Copy)]
pub struct Subject {
    /// The kind of thing, such as `run`.
    pub kind: &'static str,
    /// Which one.
    pub id: Uuid,
    /// Whose it is, where it is one client's.
    pub person: Option<PersonId>,
}

impl Subject {
    /// A client.
    pub const fn person(id: PersonId) -> Self {
        Self { kind: "person", id: id.0, person: Some(id) }
    }

    /// A thing of a client's.
    pub const fn of(kind: &'static str, id: Uuid, person: PersonId) -> Self {
        Self { kind, id, person: Some(person) }
    }

    /// A thing that is nobody's in particular.
    pub const fn thing(kind: &'static str, id: Uuid) -> Self {
        Self { kind, id, person: None }
    }
}

/// One line of the audit.
#[derive(Debug, Clone)]
pub struct Entry {
    /// Key; entries sort by it.
    pub id: Uuid,
    /// When.
    pub at: DateTime<Utc>,
    /// Who, by name.
    pub coach: Option<String>,
    /// The key of what was done.
    pub action: String,
    /// To what kind of thing.
    pub subject_kind: String,
    /// To which one.
    pub subject_id: Uuid,
    /// Whose it is.
    pub person: Option<Uuid>,
    /// The client's name today.
    pub person_name: Option<String>,
    /// The protocol it is about, where it is about one.
    pub protocol: Option<String>,
    /// The reason that was given, where one was.
    pub reason: Option<String>,
}

/// Which entries are asked for.
#[derive(Debug, Clone, Copy, Default)]
pub struct Filter {
    /// About one client.
    pub person: Option<PersonId>,
    pub coach: Option<CoachId>,
    /// Of one day, as the moments it begins and ends.
    pub day: Option<(DateTime<Utc>, DateTime<Utc>)>,
    /// Older than this entry.
    pub before: Option<Uuid>,
}

/// Adds a line, in the same transaction as what it tells of.
pub async fn record(scope: &mut Scope, coach: CoachId, action: Action, subject: Subject, detail: serde_json::Value) -> Result<()> {
    let practice = scope.practice_id();
    sqlx::query!(
        "insert into audit (id, practice_id, coach_id, action, subject_kind, subject_id, person_id, detail) values ($1, $2, $3, $4, $5, $6, $7, $8)",
        Uuid::now_v7(),
        practice,
        coach.0,
        action.key(),
        subject.kind,
        subject.id,
        subject.person.map(|p| p.0),
        detail
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// Adds a line for each of many things of clients' that the same was done to.
pub async fn record_all(scope: &mut Scope, coach: CoachId, action: Action, of: &[(Subject, serde_json::Value)]) -> Result<()> {
    let practice = scope.practice_id();
    let ids: Vec<Uuid> = of.iter().map(|_| Uuid::now_v7()).collect();
    let kinds: Vec<String> = of.iter().map(|(s, _)| s.kind.to_owned()).collect();
    let subjects: Vec<Uuid> = of.iter().map(|(s, _)| s.id).collect();
    let people: Vec<Option<Uuid>> = of.iter().map(|(s, _)| s.person.map(|p| p.0)).collect();
    let details: Vec<serde_json::Value> = of.iter().map(|(_, detail)| detail.clone()).collect();
    sqlx::query!(
        "insert into audit (id, practice_id, coach_id, action, subject_kind, subject_id, person_id, detail)
         select a.id, $1, $2, $3, a.kind, a.subject, a.person, a.detail
         from unnest($4::uuid[], $5::text[], $6::uuid[], $7::uuid[], $8::jsonb[]) as a (id, kind, subject, person, detail)",
        practice,
        coach.0,
        action.key(),
        &ids,
        &kinds,
        &subjects,
        &people as &[Option<Uuid>],
        &details
    )
    .execute(scope.db())
    .await?;
    Ok(())
}

/// The latest lines that the filter lets through.
pub async fn latest(scope: &mut Scope, filter: Filter, limit: i64) -> Result<Vec<Entry>> {
    let practice = scope.practice_id();
    let (from, until) = filter.day.unzip();
    Ok(sqlx::query_as!(
        Entry,
        r#"select a.id, a.at, c.name as "coach?", a.action, a.subject_kind, a.subject_id, a.person_id as person, p.name as "person_name?",
                  a.detail ->> 'protocol' as protocol, coalesce(a.detail ->> 'reason', a.detail ->> 'overrule_reason') as reason
           from audit a
           left join coaches c on c.practice_id = a.practice_id and c.id = a.coach_id
           left join people p on p.practice_id = a.practice_id and p.id = a.person_id
           where a.practice_id = $1
             and ($2::uuid is null or a.person_id = $2)
             and ($3::uuid is null or a.coach_id = $3)
             and ($4::timestamptz is null or a.at >= $4)
             and ($5::timestamptz is null or a.at < $5)
             and ($6::uuid is null or (a.at, a.id) < (select b.at, b.id from audit b where b.practice_id = $1 and b.id = $6))
           order by a.at desc, a.id desc limit $7"#,
        practice,
        filter.person.map(|p| p.0),
        filter.coach.map(|c| c.0),
        from,
        until,
        filter.before,
        limit
    )
    .fetch_all(scope.db())
    .await?)
}
