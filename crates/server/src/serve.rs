//! Puts the application together and serves it on the loopback address.

use std::{io, path::Path};

use actix_session::{SessionMiddleware, config::PersistentSession};
use actix_web::{
    App, HttpServer,
    cookie::{Key, SameSite, time::Duration},
    middleware::{Compress, from_fn},
    web,
};
use impulso_store::Store;
use tracing_actix_web::TracingLogger;
use utoipa_actix_web::AppExt;

use crate::{
    app,
    auth::{DeviceCookies, Proxy},
    body::Uploads,
    channels::{Bounds, Channels},
    error::ApiError,
    intake::Intake,
    live::Hub,
    middleware::{self, Hosts},
    passwords::Passwords,
    photo_work::PhotoWork,
    rate_limit::RateLimits,
    run_cache::RunCache,
    session_store::{Known, PostgresSessions},
    settings::{Settings, limits},
    transfer::turns::Transfers,
};

/// Threads that answer. More than cores, so that one that works long leaves others to the rest.
const WORKERS: usize = 6;

/// Serves until told to stop.
///
/// # Errors
/// When the port is taken or the key file cannot be used.
pub async fn serve(settings: Settings) -> io::Result<()> {
    tracing_subscriber::fmt()
        .log_internal_errors(false)
        .with_env_filter(tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "warn".into()))
        .with_writer(io::stderr)
        .init();
    let store = Store::connect_lazy(&settings.database_url).map_err(io::Error::other)?;
    let listener = std::net::TcpListener::bind(("127.0.0.1", settings.port))?;
    run(listener, store, &settings)?.await
}

/// The server on a listener that is already bound.
///
/// # Errors
/// When the listener or the key file cannot be used.
pub fn run(listener: std::net::TcpListener, store: Store, settings: &Settings) -> io::Result<actix_web::dev::Server> {
    let key = cookie_key(settings.key_file.as_deref())?;
    let ttl = Duration::minutes(settings.session_minutes);
    let rate = settings.clock_rate();
    let files = open_files().min(settings.open_files.unwrap_or(u64::MAX));
    let lasts = std::time::Duration::from_secs(60 * settings.session_minutes.max(1).unsigned_abs());
    let hub = Hub::new(lasts, Channels::new(Bounds::of_files(files)));
    let known = Known::default();
    let cache = RunCache::default();
    tokio::spawn(hub.clone().follow(store.clone(), rate, known.clone(), cache.clone()));
    tokio::spawn(hub.clone().tell(store.clone()));
    let intake = web::Data::new(Intake { hub: hub.clone(), cache, rate });
    let hub = web::Data::new(hub);
    let marks = web::Data::new(DeviceCookies::new(&key, settings.tls));
    let rates = web::Data::new(RateLimits::new(settings));
    let passwords = web::Data::new(Passwords::new(settings.password_checks));
    let photo_work = web::Data::new(PhotoWork::default());
    let transfers = web::Data::new(Transfers::default());
    let uploads = web::Data::new(Uploads::default());
    let proxy = web::Data::new(Proxy(settings.proxy));
    let hosts = web::Data::new(Hosts(settings.hosts.clone()));
    let tls = settings.tls;
    let server = HttpServer::new(move || {
        let sessions = SessionMiddleware::builder(PostgresSessions { store: store.clone(), known: known.clone(), ttl }, key.clone())
            .cookie_name("impulso".into())
            .cookie_secure(tls)
            .cookie_http_only(true)
            .cookie_same_site(SameSite::Strict)
            .session_lifecycle(
                PersistentSession::default()
                    .session_ttl(ttl)
                    .session_ttl_extension_policy(actix_session::config::TtlExtensionPolicy::OnEveryRequest),
            )
            .build();
        // Only the interface knows sessions: the front end comes up while the database is away.
        let api = utoipa_actix_web::scope::scope("/api")
            .configure(app::routes)
            .map(|scope| scope.wrap(sessions).wrap(from_fn(middleware::sessions_away)).wrap(app::private()));
        App::new()
            .into_utoipa_app()
            .app_data(web::Data::new(store.clone()))
            .app_data(web::Data::new(rate))
            .app_data(web::Data::new(known.clone()))
            .app_data(rates.clone())
            .app_data(passwords.clone())
            .app_data(photo_work.clone())
            .app_data(transfers.clone())
            .app_data(uploads.clone())
            .app_data(marks.clone())
            .app_data(proxy.clone())
            .app_data(hosts.clone())
            .app_data(hub.clone())
            .app_data(intake.clone())
            .app_data(web::PathConfig::default().error_handler(|_, _| ApiError::not_found().into()))
            .app_data(web::QueryConfig::default().error_handler(|e, _| ApiError::bad_address(&e.to_string()).into()))
            .service(api)
            .into_app()
            .default_service(web::route().to(middleware::fallback))
            .wrap(from_fn(middleware::guard))
            .wrap(from_fn(middleware::watch))
            .wrap(app::headers(tls))
            .wrap(Compress::default())
            .wrap(TracingLogger::<middleware::Quiet>::new())
    })
    .workers(WORKERS)
    // Beyond these a connection waits until another ends, and the process keeps files for its own work.
    .max_connections(usize::try_from(files - limits::FILES_KEPT.min(files / 4)).unwrap_or(usize::MAX).clamp(WORKERS, 100_000) / WORKERS)
    // An answer goes out as it is written: waiting to fill a packet costs a slow client forty milliseconds.
    .tcp_nodelay(true)
    .client_request_timeout(limits::HEAD_TAKES)
    // Whoever hangs up waits for no answer: what was being done for it is dropped.
    .h1_allow_half_closed(false)
    .shutdown_timeout(2)
    .listen(listener)?
    .run();
    Ok(server)
}

/// Raises the limit of open files as far as the system allows, and returns it.
fn open_files() -> u64 {
    rlimit::increase_nofile_limit(u64::MAX).unwrap_or(1024)
}

fn cookie_key(file: Option<&Path>) -> io::Result<Key> {
    let Some(file) = file else { return Ok(Key::generate()) };
    if !file.exists() {
        make_key(file)?;
    }
    match std::fs::read(file)? {
        bytes if bytes.len() >= 64 => Ok(Key::from(&bytes)),
        _ => Err(io::Error::other(format!("{} holds no usable key; remove it and start again", file.display()))),
    }
}

/// Makes a key file, whole or not at all; of several processes that start at once the first one's key is everyone's.
fn make_key(file: &Path) -> io::Result<()> {
    use std::{io::Write, os::unix::fs::OpenOptionsExt};
    let draft = file.with_extension(format!("{}.new", std::process::id()));
    std::fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&draft)?.write_all(Key::generate().master())?;
    let linked = std::fs::hard_link(&draft, file);
    std::fs::remove_file(&draft)?;
    match linked {
        Err(error) if error.kind() != io::ErrorKind::AlreadyExists => Err(error),
        _ => Ok(()),
    }
}
