//! A practice taken out: written into the archive as it comes from the database, and sent as it is written.

use std::{
    io::{self, Write},
    pin::pin,
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};

use actix_web::web::Bytes;
use futures_util::{Stream, TryStreamExt, stream};
use impulso_core::{
    catalogue::{Condition, ConditionKind},
    comparability,
    inputs::Inputs,
    person::Facts,
    quantity, range, reading,
    run::event::Conditions,
    self_report,
    test_record::TestRecord,
    units::Units,
};
use impulso_formats::{practice::FORMAT, table};
use impulso_store::{
    PersonId, PracticeId, Scope, Store,
    everything::{self, Measure},
    people,
    results::StoredFacts,
};
use tokio::{runtime::Handle, sync::mpsc, time};
use uuid::Uuid;
use zip::{CompressionMethod, ZipWriter, write::SimpleFileOptions};

use super::{CSV, Entry, Hashing, MANIFEST, ROWS, photo_name};
use crate::{
    shelf::Shelf,
    transfer::turns::ExportTurn,
    visiting::{self, InVisitOf},
};

/// So much is gathered before it is sent, bytes.
const GATHERED: usize = 128 * 1024;
/// So many pieces wait for whoever receives them.
const WAITING: usize = 4;
/// Whoever takes nothing for so long has gone.
const STALLED: Duration = Duration::from_mins(1);

/// What is written and not sent yet.
#[derive(Debug, Clone, Default)]
struct Outbox(Arc<Mutex<Vec<u8>>>);

impl Outbox {
    fn take(&self, at_least: usize) -> Option<Bytes> {
        let mut held = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        (held.len() >= at_least && !held.is_empty()).then(|| Bytes::from(std::mem::take(&mut *held)))
    }
}

impl Write for Outbox {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

type Piece = io::Result<Bytes>;

/// A practice as an archive, piece by piece. One that breaks off has no end that an archive needs: it is no whole file to anybody.
/// `turn` is held for as long as it is written.
pub fn archive(store: Store, practice: PracticeId, turn: ExportTurn) -> impl Stream<Item = Piece> {
    written(async move |sender| {
        let _turn = turn;
        let mut scope = store.snapshot(practice).await.map_err(io::Error::other)?;
        let mut writer = Writer::new(sender.clone());
        writer.rows(&mut scope).await?;
        writer.photos(&mut scope).await?;
        writer.csv(&mut scope).await?;
        Box::pin(writer.close()).await
    })
}

/// Every measure of every result of a practice, or of one person, as CSV, piece by piece.
pub fn csv(store: Store, practice: PracticeId, person: Option<PersonId>) -> impl Stream<Item = Piece> {
    written(async move |sender| {
        let mut scope = store.snapshot(practice).await.map_err(io::Error::other)?;
        let mut outbox = Outbox::default();
        let out = outbox.clone();
        lines(&mut scope, person, async |line| {
            outbox.write_all(line.as_bytes())?;
            send(&out, sender, GATHERED).await
        })
        .await?;
        send(&out, sender, 1).await
    })
}

/// Runs what writes on a thread of its own; what it sends is the answer.
fn written<W>(write: W) -> impl Stream<Item = Piece>
where
    W: AsyncFnOnce(&mpsc::Sender<Piece>) -> io::Result<()> + Send + 'static,
{
    let (sender, receiver) = mpsc::channel(WAITING);
    let runtime = Handle::current();
    tokio::task::spawn_blocking(move || {
        runtime.block_on(async {
            if let Err(error) = write(&sender).await {
                tracing::warn!(%error, "a practice was not taken out to the end");
                // Nobody left to hear it is no failure.
                let _ = sender.send(Err(io::Error::other("the export broke off"))).await;
            }
        });
    });
    stream::unfold(receiver, |mut receiver| async move { Some((receiver.recv().await?, receiver)) })
}

async fn send(outbox: &Outbox, sender: &mpsc::Sender<Piece>, at_least: usize) -> io::Result<()> {
    let Some(piece) = outbox.take(at_least) else { return Ok(()) };
    match time::timeout(STALLED, sender.send(Ok(piece))).await {
        Ok(Ok(())) => Ok(()),
        _ => Err(io::Error::other("nobody takes it any more")),
    }
}

/// Every measure as lines of CSV, the head first.
async fn lines(scope: &mut Scope, person: Option<PersonId>, mut each: impl AsyncFnMut(String) -> io::Result<()>) -> io::Result<()> {
    let shelf = Shelf::of(scope).await.map_err(io::Error::other)?;
    let head = HEAD.map(str::to_owned).to_vec();
    each(table::write(std::iter::once(head))).await?;
    let of_visits = visiting::marked_results(scope, person).await.map_err(io::Error::other)?;
    // One client's file is in the units of that client's pages; a practice's is metric throughout, so that it can be summed up.
    let units = match person {
        Some(id) => people::get(scope, id).await.map_err(io::Error::other)?.profile.units,
        None => Units::Metric,
    };
    let mut measures = pin!(everything::measures(scope, person));
    let mut about: Option<(Uuid, About)> = None;
    while let Some(of) = measures.try_next().await.map_err(io::Error::other)? {
        // The measures of a result follow each other: what is told of it is worked out once.
        if about.as_ref().is_none_or(|(result, _)| *result != of.result) {
            about = Some((of.result, About::of(&of, &shelf, units)));
        }
        let Some((_, about)) = &about else { continue };
        each(table::write(std::iter::once(line(&of, about, of_visits.get(&of.result), units)))).await?;
    }
    Ok(())
}

/// What the columns of the CSV are called.
const HEAD: [&str; 18] = [
    "name",
    "sex",
    "age",
    "day",
    "visit",
    "test",
    "variant",
    "measure",
    "side",
    "value",
    "unit",
    "points",
    "source",
    "conditions",
    "remark",
    "range95_low",
    "range95_high",
    "group",
];

/// What is told of a result beside each of its measures.
struct About {
    sex: String,
    age: String,
    test: String,
    variant: String,
    conditions: String,
    remark: String,
    /// Both ends of the 95 % range of its VO2max, where that is an estimate, mL/kg/min.
    range: Option<(f64, f64)>,
}

impl About {
    fn of(of: &Measure, shelf: &Shelf, units: Units) -> Self {
        let protocol = shelf.find(&of.protocol).ok();
        let conditions: Conditions = serde_json::from_value(of.conditions.clone()).unwrap_or_default();
        let fact =
            |key: &str| of.facts.get(key).filter(|v| !v.is_null()).map(|v| v.to_string().trim_matches('"').to_owned()).unwrap_or_default();
        // What tells one variant of a test from another, and everything else that set-up asked.
        let recorded = protocol.iter().flat_map(|p| &p.conditions).filter(|c| conditions.contains_key(&c.key));
        let (variant, how): (Vec<&Condition>, Vec<&Condition>) =
            recorded.partition(|c| c.is_series || c.kind == ConditionKind::Choice && c.required);
        // What was seen and is no number, as where it gave way, stands with what was remarked.
        let inputs: Inputs = serde_json::from_value(of.inputs.clone()).unwrap_or_default();
        let seen = protocol.map(|p| reading::seen(p, &inputs, units)).unwrap_or_default();
        let seen = seen.into_iter().map(|l| format!("{}: {}", l.label, l.value));
        let facts = serde_json::from_value::<StoredFacts>(of.facts.clone()).map_or_else(|_| Facts::default(), Facts::from);
        let range = protocol
            .filter(|p| p.scored(range::QUANTITY).is_some())
            .and_then(|p| range::of_record(&TestRecord::under(p, facts, &inputs, &conditions)));
        let remarks = of.remarks.as_array().into_iter().flatten().filter_map(|r| r.as_str());
        let mark = self_report::words(&conditions).map(|words| format!("{}: {words}", self_report::LABEL));
        let said = |c: &&Condition| comparability::answer_in(c, conditions.get(&c.key), units);
        Self {
            sex: fact("sex"),
            age: fact("age"),
            test: shelf.name(&of.protocol),
            variant: variant.iter().map(said).collect::<Vec<_>>().join("; "),
            conditions: how.iter().map(|c| format!("{}: {}", c.label, said(c))).chain(mark).collect::<Vec<_>>().join("; "),
            remark: seen.chain(remarks.map(str::to_owned)).collect::<Vec<_>>().join("; "),
            range: range.map(|r| (r.low, r.high)),
        }
    }
}

/// A measure as a line, under [`HEAD`].
fn line(of: &Measure, about: &About, visit: Option<&InVisitOf>, units: Units) -> Vec<String> {
    let (value, other) = quantity::in_units(&of.quantity, of.value, units);
    let unit = if units == Units::Imperial && value != of.value { other } else { quantity::unit(&of.quantity) };
    let base = quantity::base(&of.quantity);
    let side = of.quantity.strip_prefix(base).unwrap_or_default().trim_start_matches('.');
    let end = |end: Option<f64>| end.filter(|_| of.quantity == range::QUANTITY).map(|v| format!("{v:.1}")).unwrap_or_default();
    vec![
        of.name.clone(),
        about.sex.clone(),
        about.age.clone(),
        of.on.to_string(),
        visit.map(|v| v.name.clone()).unwrap_or_default(),
        about.test.clone(),
        about.variant.clone(),
        quantity::label(base).into_owned(),
        side.to_owned(),
        // A millionth is finer than anything that is measured; what lies behind it comes from the arithmetic.
        ((value * 1e6).round() / 1e6).to_string(),
        unit.to_owned(),
        visit.and_then(|v| v.points).map(|p| p.to_string()).unwrap_or_default(),
        of.source.clone().unwrap_or_default(),
        about.conditions.clone(),
        about.remark.clone(),
        end(about.range.map(|r| r.0)),
        end(about.range.map(|r| r.1)),
        of.groups.clone().unwrap_or_default(),
    ]
}

/// The archive as it is written.
struct Writer {
    zip: ZipWriter<zip::write::StreamWriter<Outbox>>,
    outbox: Outbox,
    sender: mpsc::Sender<Piece>,
    entries: Vec<Entry>,
}

impl Writer {
    fn new(sender: mpsc::Sender<Piece>) -> Self {
        let outbox = Outbox::default();
        Self { zip: ZipWriter::new_stream(outbox.clone()), outbox, sender, entries: Vec::new() }
    }

    fn begin(&mut self, name: &str, method: CompressionMethod) -> io::Result<()> {
        let options = SimpleFileOptions::default().compression_method(method).large_file(true);
        self.zip.start_file(name, options).map_err(io::Error::other)
    }

    async fn sent(&self, at_least: usize) -> io::Result<()> {
        send(&self.outbox, &self.sender, at_least).await
    }

    async fn rows(&mut self, scope: &mut Scope) -> io::Result<()> {
        self.begin(ROWS, CompressionMethod::Deflated)?;
        let (outbox, sender) = (self.outbox.clone(), self.sender.clone());
        let mut file = Hashing::new(&mut self.zip);
        rows(scope, async |text| {
            file.write_all(text.as_bytes())?;
            send(&outbox, &sender, GATHERED).await
        })
        .await?;
        let entry = file.entry(ROWS);
        self.entries.push(entry);
        Ok(())
    }

    async fn photos(&mut self, scope: &mut Scope) -> io::Result<()> {
        let mut photos = pin!(everything::photos(scope));
        while let Some((id, jpeg)) = photos.try_next().await.map_err(io::Error::other)? {
            let name = photo_name(id);
            // A picture does not get smaller.
            self.begin(&name, CompressionMethod::Stored)?;
            let mut file = Hashing::new(&mut self.zip);
            file.write_all(&jpeg)?;
            let entry = file.entry(&name);
            self.entries.push(entry);
            self.sent(GATHERED).await?;
        }
        Ok(())
    }

    async fn csv(&mut self, scope: &mut Scope) -> io::Result<()> {
        self.begin(CSV, CompressionMethod::Deflated)?;
        let (outbox, sender) = (self.outbox.clone(), self.sender.clone());
        let mut file = Hashing::new(&mut self.zip);
        lines(scope, None, async |line| {
            file.write_all(line.as_bytes())?;
            send(&outbox, &sender, GATHERED).await
        })
        .await?;
        let entry = file.entry(CSV);
        self.entries.push(entry);
        Ok(())
    }

    /// The manifest, and the end that an archive needs.
    async fn close(mut self) -> io::Result<()> {
        self.begin(MANIFEST, CompressionMethod::Deflated)?;
        let manifest = serde_json::json!({ "format": FORMAT, "files": self.entries });
        serde_json::to_writer(&mut self.zip, &manifest).map_err(io::Error::other)?;
        self.zip.finish().map_err(io::Error::other)?;
        send(&self.outbox, &self.sender, 1).await
    }
}

/// Every row of the practice by its table, as one text in JSON, piece by piece.
///
/// # Errors
/// Where the database is away, or `each` is not taken any more.
pub async fn rows(scope: &mut Scope, mut each: impl AsyncFnMut(&str) -> io::Result<()>) -> io::Result<()> {
    each(&format!("{{\"format\":\"{FORMAT}\",\"tables\":{{")).await?;
    for (k, (name, order)) in everything::TABLES.into_iter().enumerate() {
        each(&format!("{}\n\"{name}\":[", if k == 0 { "" } else { "," })).await?;
        let mut rows = pin!(everything::rows(scope, name, order));
        let mut nth = 0;
        while let Some(row) = rows.try_next().await.map_err(io::Error::other)? {
            each(if nth == 0 { "\n" } else { ",\n" }).await?;
            each(&row).await?;
            nth += 1;
        }
        each("]").await?;
    }
    each("}}\n").await
}
