//! A practice taken in: everything is read, counted and held to its checksum before anything is stored; then every row passes through
//! the types that will read it later, in one transaction. Whatever does not fit is named by its table, row and field, and nothing is in.

use std::{
    collections::{BTreeMap, HashMap, HashSet},
    fs::File,
    io::{self, BufReader, BufWriter, Read, Seek, SeekFrom, Write},
    panic::AssertUnwindSafe,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
};

use actix_web::http::StatusCode;
use futures_util::{FutureExt, future::LocalBoxFuture};
use impulso_core::{catalogue::Protocol, strap_bytes::to_hex};
use impulso_formats::practice::{self, FIRST_FORMAT, Fault};
use impulso_store::{
    CoachId, Error as StoreError, PersonId, PracticeId, RunId, Scope, Store,
    audit::{self, Action, Subject},
    everything::{self, TABLES},
    protocols, runs, visits,
};
use serde::Serialize;
use serde_json::{Value, json, value::RawValue};
use sha2::{Digest, Sha256};
use utoipa::ToSchema;
use uuid::Uuid;

use super::{Entry, archive, archive::Archive, place::no_room, rows::Rows};
use crate::{ApiError, ApiResult, auth, dossier::Dossier, scoring, settings::ClockRate, shelf::Shelf, view, visiting};

/// So many rows go in at once, and so many bytes of them.
const ROWS_AT_ONCE: usize = 500;
const BYTES_AT_ONCE: usize = 1024 * 1024;
/// So many faults are named.
const FAULTS_MAX: usize = 20;
/// The tables that a file of the first release has besides: what follows from others.
const FOLLOWS: &str = "repeats";

/// What came of taking a practice in.
#[derive(Debug, Serialize, ToSchema)]
pub struct Imported {
    /// How many rows.
    pub rows: usize,
    /// How many people.
    pub people: usize,
    /// How many photographs.
    pub photos: usize,
    /// Whether what is here now is exactly what was in the file, by checksum; unknown for a file of the first release.
    pub identical: Option<bool>,
}

/// What ends an import.
#[derive(Debug)]
enum Stop {
    Faults(Vec<Fault>),
    Api(ApiError),
}

impl From<Fault> for Stop {
    fn from(fault: Fault) -> Self {
        Self::Faults(vec![fault])
    }
}

impl From<ApiError> for Stop {
    fn from(error: ApiError) -> Self {
        Self::Api(error)
    }
}

impl From<StoreError> for Stop {
    fn from(error: StoreError) -> Self {
        Self::Api(error.into())
    }
}

impl From<io::Error> for Stop {
    fn from(error: io::Error) -> Self {
        tracing::error!(%error, "the place for imported files");
        Self::Api(no_room())
    }
}

impl From<Stop> for ApiError {
    fn from(stop: Stop) -> Self {
        let faults = match stop {
            Stop::Api(error) => return error,
            Stop::Faults(faults) => faults,
        };
        let first = faults.first().map(ToString::to_string).unwrap_or_default();
        let more = match faults.len() {
            0 | 1 => String::new(),
            many if many >= FAULTS_MAX => format!(" And at least {} more.", many - 1),
            many => format!(" And {} more.", many - 1),
        };
        let mut error = Self::new(StatusCode::UNPROCESSABLE_ENTITY, "bad_value", format!("{first}.{more} Nothing was imported."));
        error.field = Some("file".into());
        error.detail = Some(json!({ "faults": faults }));
        error
    }
}

/// Opens a client's page as the interface does.
pub type Open = for<'s> fn(&'s mut Scope, PersonId) -> LocalBoxFuture<'s, ApiResult<()>>;

/// Takes a file into a practice that has nothing yet: all of it or nothing. Runs to its end on the calling thread, which is none that
/// answers requests; `open` opens a client's page; `given_up` ends it early.
///
/// # Errors
/// 422 with what does not fit; 503 where the database is away.
pub async fn import(
    store: &Store,
    practice: PracticeId,
    coach: CoachId,
    file: File,
    open: Open,
    given_up: Arc<AtomicBool>,
) -> ApiResult<Imported> {
    Ok(Import { store, practice, coach, open, given_up }.run(file).await?)
}

struct Import<'s> {
    store: &'s Store,
    practice: PracticeId,
    coach: CoachId,
    open: Open,
    given_up: Arc<AtomicBool>,
}

/// What is read of a file: its rows by table, each table in a file of its own.
struct ReadFile {
    spools: BTreeMap<String, Spool>,
    archive: Option<Archive>,
    whole: Option<Entry>,
}

impl Import<'_> {
    async fn run(self, file: File) -> Result<Imported, Stop> {
        let mut read = read(file)?;
        self.go_on()?;
        let mut scope = self.store.long_scope(self.practice).await?;
        everything::lock(&mut scope).await?;
        if everything::is_begun(&mut scope).await? {
            let message = "Import needs an empty practice, and this one has records already. Set up a new practice and import it there.";
            return Err(ApiError::from(impulso_core::InputError::new(impulso_core::Code::NotApplicable, "file", message)).into());
        }
        let mut checks = Rows::new(Shelf::of(&mut scope).await?, auth::today(&mut scope).await?);
        let mut taken = Imported { rows: 0, people: 0, photos: read.archive.as_ref().map_or(0, Archive::photos), identical: None };
        let mut pictures = 0;
        for (table, _) in TABLES {
            let Some(mut spool) = read.spools.remove(table) else { continue };
            let columns = everything::columns(&mut scope, table).await?;
            let (mut faults, mut row) = (Vec::new(), 0);
            while let Some(texts) = spool.next()? {
                self.go_on()?;
                let of_runs = protocols_of(&mut scope, table, &texts).await?;
                let mut fit = Vec::with_capacity(texts.len());
                let mut scores = Vec::new();
                for text in &texts {
                    row += 1;
                    let one = AssertUnwindSafe(|| checks.row(table, text, &columns, &of_runs, &mut scores));
                    let checked = std::panic::catch_unwind(one).unwrap_or_else(|_| Err((String::new(), "it can't be read".into())));
                    match checked {
                        Ok(mut checked) => {
                            if table == "photos"
                                && let Err(fault) = picture(&mut checked, read.archive.as_mut(), row)
                            {
                                faults.push(fault);
                            }
                            fit.extend(checks.is_kept(table, &checked).then_some(checked));
                        }
                        Err((field, why)) => faults.push(Fault::of_row(table, row, &field, why)),
                    }
                    if faults.len() >= FAULTS_MAX {
                        return Err(Stop::Faults(faults));
                    }
                }
                if !faults.is_empty() {
                    continue;
                }
                pictures += if table == "photos" { fit.len() } else { 0 };
                taken.rows += texts.len();
                self.put(&mut scope, table, row - texts.len(), &fit).await?;
                if table == "results" {
                    self.put(&mut scope, "scores", 0, &scores).await?;
                }
                if table == "scores" {
                    hold_to_readings(&mut scope, &checks, &texts, row - texts.len()).await?;
                }
            }
            if !faults.is_empty() {
                return Err(Stop::Faults(faults));
            }
            match table {
                "people" => taken.people = row,
                "protocols" | "batteries" => checks.shelf = Shelf::of(&mut scope).await?,
                _ => {}
            }
        }
        if read.archive.is_some() && pictures != taken.photos {
            return Err(Fault::whole("photos", "the archive has pictures that no row names").into());
        }
        taken.photos = pictures;
        scoring::recount_repeats(&mut scope).await?;
        self.read_again(&mut scope).await?;
        taken.identical = match &read.whole {
            Some(whole) => Some(as_it_is(&mut scope).await? == whole.sha256),
            None => None,
        };
        let detail = json!({ "rows": taken.rows, "people": taken.people });
        audit::record(&mut scope, self.coach, Action::PracticeImported, Subject::thing("practice", Uuid::nil()), detail).await?;
        self.go_on()?;
        scope.commit().await?;
        Ok(taken)
    }

    /// Ends it where whoever asked for it has gone.
    fn go_on(&self) -> Result<(), Stop> {
        if self.given_up.load(Ordering::Relaxed) { Err(ApiError::too_slow().into()) } else { Ok(()) }
    }

    async fn put(&self, scope: &mut Scope, table: &str, before: usize, rows: &[Value]) -> Result<(), Stop> {
        if rows.is_empty() {
            return Ok(());
        }
        match everything::put(scope, self.coach, table, rows).await? {
            None => Ok(()),
            Some((n, why)) => Err(Fault::of_row(table, before + n + 1, "", why).into()),
        }
    }

    /// Opens everything once as its page will: every run is folded, every client's page and every visit worked out.
    async fn read_again(&self, scope: &mut Scope) -> Result<(), Stop> {
        let mut behind = None;
        loop {
            let keys = everything::runs_after(scope, behind, 500).await?;
            let Some(last) = keys.last() else { break };
            behind = Some(*last);
            for id in &keys {
                self.go_on()?;
                let opened = AssertUnwindSafe(async {
                    let run = runs::get(scope, RunId(*id)).await?;
                    view::view(scope, run, ClockRate(1.0)).await
                });
                readable("runs", *id, opened.catch_unwind().await)?;
            }
        }
        let mut behind = None;
        loop {
            let keys = everything::people_after(scope, behind, 500).await?;
            let Some(last) = keys.last() else { return Ok(()) };
            behind = Some(*last);
            for id in &keys {
                self.go_on()?;
                let opened = AssertUnwindSafe(async {
                    let of = Dossier::of(scope, PersonId(*id)).await?;
                    for visit in visits::of_person(scope, PersonId(*id), 500).await? {
                        visiting::page(scope, &of, &visit, None).await?;
                    }
                    (self.open)(scope, PersonId(*id)).await
                });
                readable("people", *id, opened.catch_unwind().await)?;
            }
        }
    }
}

/// What opened, or the row that does not open as its page will.
fn readable<T>(table: &str, id: Uuid, opened: std::thread::Result<ApiResult<T>>) -> Result<(), Stop> {
    let why = match opened {
        Ok(Ok(_)) => return Ok(()),
        Ok(Err(error)) if error.is_the_databases() => return Err(error.into()),
        Ok(Err(error)) => format!("{id} can't be shown: {}", error.message),
        Err(_) => format!("{id} can't be shown"),
    };
    Err(Fault::whole(table, why).into())
}

/// Reads a file whole: an archive, or the one text of the first release. Nothing is stored yet.
fn read(mut file: File) -> Result<ReadFile, Stop> {
    let mut spools: BTreeMap<String, Spool> = BTreeMap::new();
    let mut keep = |table: &str, row: usize, text: &RawValue| -> Result<(), Fault> {
        if !(TABLES.iter().any(|(name, _)| *name == table) || table == FOLLOWS) {
            return Err(Fault::whole(&table.chars().take(60).collect::<String>(), "there is no such table"));
        }
        let full = |_| Fault::of_row(table, row, "", "the server has no room for this file");
        if !spools.contains_key(table) {
            spools.insert(table.to_owned(), Spool::new().map_err(full)?);
        }
        spools.get_mut(table).map_or(Ok(()), |spool| spool.keep(text.get())).map_err(full)
    };
    if archive::is_archive(&mut file)? {
        let mut archive = Archive::open(file)?;
        let whole = archive.rows(&mut keep)?;
        archive.csv()?;
        spools.values_mut().try_for_each(Spool::rewind)?;
        return Ok(ReadFile { spools, archive: Some(archive), whole: Some(whole) });
    }
    let head = practice::read(BufReader::new(file).take(archive::ROWS_BYTES), &mut keep)?;
    if head.format != FIRST_FORMAT {
        return Err(Fault::whole("the file", "it isn't an export of Impulso: choose the ZIP file that “Export practice” made").into());
    }
    spools.values_mut().try_for_each(Spool::rewind)?;
    if head.checksum.as_deref() != Some(first_checksum(&mut spools)?.as_str()) {
        return Err(Fault::whole("the file", "its checksum is another than it says: it was changed or damaged").into());
    }
    Ok(ReadFile { spools, archive: None, whole: None })
}

/// The checksum as the first release made it: over the tables in the order of their names, keys in order.
fn first_checksum(spools: &mut BTreeMap<String, Spool>) -> Result<String, Stop> {
    let mut hash = Sha256::new();
    // That release named every table, also one without rows.
    let names: std::collections::BTreeSet<&str> = TABLES.iter().map(|(name, _)| *name).chain([FOLLOWS]).collect();
    hash.update("{");
    for (k, name) in names.into_iter().enumerate() {
        hash.update(format!("{}\"{name}\":[", if k == 0 { "" } else { "," }));
        let mut nth = 0;
        let Some(spool) = spools.get_mut(name) else {
            hash.update("]");
            continue;
        };
        while let Some(texts) = spool.next()? {
            for text in texts {
                let row: Value = serde_json::from_str(&text).map_err(|e| Fault::of_row(name, nth + 1, "", e.to_string()))?;
                if nth > 0 {
                    hash.update(",");
                }
                hash.update(row.to_string());
                nth += 1;
            }
        }
        hash.update("]");
        spool.rewind()?;
    }
    hash.update("}");
    Ok(to_hex(&hash.finalize()))
}

/// The checksum of the practice as it stands, as an export would have it.
async fn as_it_is(scope: &mut Scope) -> Result<String, Stop> {
    let mut hash = Sha256::new();
    super::export::rows(scope, async |text| {
        hash.update(text);
        Ok(())
    })
    .await?;
    Ok(to_hex(&hash.finalize()))
}

/// A photograph's picture comes from the archive; in a file of the first release it stands in its row.
fn picture(row: &mut Value, archive: Option<&mut Archive>, nth: usize) -> Result<(), Fault> {
    let bad = |why: String| Fault::of_row("photos", nth, "jpeg", why);
    let id = row["id"].as_str().and_then(|id| id.parse::<Uuid>().ok()).unwrap_or_default();
    let jpeg = match archive {
        Some(archive) => archive.photo(id)?,
        None => from_hex(row["jpeg"].as_str().unwrap_or_default()).ok_or_else(|| bad("it has no picture".into()))?,
    };
    let size = impulso_formats::photo::check_kept(&jpeg).map_err(|e| bad(e.message))?;
    if (json!(size.0), json!(size.1)) != (row["width"].clone(), row["height"].clone()) {
        return Err(bad("its picture has another size".into()));
    }
    row["jpeg"] = json!(format!("\\x{}", to_hex(&jpeg)));
    Ok(())
}

fn from_hex(text: &str) -> Option<Vec<u8>> {
    let digits = text.strip_prefix("\\x")?.as_bytes();
    let digit = |d: u8| char::from(d).to_digit(16).and_then(|d| u8::try_from(d).ok());
    digits.chunks(2).map(|pair| Some(digit(*pair.first()?)? << 4 | digit(*pair.get(1)?)?)).collect()
}

/// The protocols that the runs of some results were done with.
async fn protocols_of(scope: &mut Scope, table: &str, texts: &[String]) -> Result<HashMap<Uuid, Protocol>, Stop> {
    #[derive(serde::Deserialize)]
    struct OfRun {
        run_id: Option<Uuid>,
    }
    if table != "results" {
        return Ok(HashMap::new());
    }
    let runs: HashSet<Uuid> = texts.iter().filter_map(|t| serde_json::from_str::<OfRun>(t).ok()?.run_id).collect();
    let stored = everything::protocols_of(scope, &runs.into_iter().collect::<Vec<_>>()).await?;
    Ok(stored.into_iter().filter_map(|(id, body)| Some((id, protocols::stored(body).ok()?))).collect())
}

/// Holds the scores of a file to what the readings give, where they are known to give anything.
async fn hold_to_readings(scope: &mut Scope, checks: &Rows, texts: &[String], before: usize) -> Result<(), Stop> {
    #[derive(serde::Deserialize)]
    struct Score {
        result_id: Uuid,
        quantity: String,
        value: f64,
    }
    let said: Vec<Score> = texts.iter().filter_map(|t| serde_json::from_str(t).ok()).collect();
    let results: HashSet<Uuid> = said.iter().map(|s| s.result_id).collect();
    let known = everything::scores_of(scope, &results.into_iter().collect::<Vec<_>>()).await?;
    let given: HashMap<(Uuid, &str), f64> = known.iter().map(|(id, q, v)| ((*id, q.as_str()), *v)).collect();
    let held = |s: &Score| !checks.uncomputed.contains(&s.result_id) && !checks.unscored.contains(&s.result_id);
    for (k, score) in said.iter().enumerate().filter(|(_, s)| held(s)) {
        let is = given.get(&(score.result_id, score.quantity.as_str())).copied();
        if is.is_none_or(|is| (is - score.value).abs() > 1e-9 * is.abs().max(1.0)) {
            let given = is.map_or_else(|| "nothing".to_owned(), |v| v.to_string());
            let why = format!("the file says {} {}, the readings give {given}", score.quantity, score.value);
            return Err(Fault::of_row("scores", before + k + 1, "value", why).into());
        }
    }
    Ok(())
}

/// Rows of a table, on the disk until their turn comes.
#[derive(Debug)]
struct Spool {
    file: File,
    writer: Option<BufWriter<File>>,
    reader: Option<BufReader<File>>,
}

impl Spool {
    fn new() -> io::Result<Self> {
        let file = tempfile::tempfile()?;
        Ok(Self { writer: Some(BufWriter::new(file.try_clone()?)), reader: None, file })
    }

    fn keep(&mut self, row: &str) -> io::Result<()> {
        let Some(writer) = &mut self.writer else { return Ok(()) };
        writer.write_all(&u32::try_from(row.len()).unwrap_or(u32::MAX).to_le_bytes())?;
        writer.write_all(row.as_bytes())
    }

    fn rewind(&mut self) -> io::Result<()> {
        if let Some(mut writer) = self.writer.take() {
            writer.flush()?;
        }
        self.file.seek(SeekFrom::Start(0))?;
        self.reader = Some(BufReader::new(self.file.try_clone()?));
        Ok(())
    }

    /// The next rows; nothing behind the last.
    fn next(&mut self) -> io::Result<Option<Vec<String>>> {
        let Some(reader) = &mut self.reader else { return Ok(None) };
        let (mut rows, mut bytes) = (Vec::new(), 0);
        while rows.len() < ROWS_AT_ONCE && bytes < BYTES_AT_ONCE {
            let mut length = [0; 4];
            match reader.read_exact(&mut length) {
                Err(end) if end.kind() == io::ErrorKind::UnexpectedEof => break,
                other => other?,
            }
            let mut row = vec![0; u32::from_le_bytes(length) as usize];
            reader.read_exact(&mut row)?;
            bytes += row.len();
            rows.push(String::from_utf8(row).map_err(io::Error::other)?);
        }
        Ok((!rows.is_empty()).then_some(rows))
    }
}
