//! Puts the application together and serves it on the loopback address.

use std::{io, path::Path};

use actix_session::{SessionMiddleware, config::PersistentSession};
use actix_web::{
    App, HttpServer,
    cookie::{Key, SameSite, time::Duration},
    middleware::Compress,
    web,
};
use impulso_store::Store;
use tracing_actix_web::TracingLogger;
use utoipa_actix_web::AppExt;

use crate::{
    app,
    auth::Brake,
    error::{ApiError, unreadable},
    intake::Intake,
    live::Hub,
    recall::Recall,
    session_store::PostgresSessions,
    settings::Settings,
    statics,
};

/// How fast a run's clock passes; 1 outside the test build.
#[derive(Debug, Clone, Copy)]
pub struct ClockRate(pub f64);

/// The largest body accepted, bytes: a run's whole history fits many times over.
const BODY_MAX: usize = 512 * 1024;

/// Serves until told to stop.
///
/// # Errors
/// When the port is taken or the key file cannot be used.
pub async fn serve(settings: Settings) -> io::Result<()> {
    tracing_subscriber::fmt()
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
    let clock_rate = ClockRate(settings.clock_rate());
    let brake = web::Data::new(Brake::default());
    let hub = Hub::default();
    tokio::spawn(hub.clone().follow(store.clone(), clock_rate));
    let intake = web::Data::new(Intake { hub: hub.clone(), recall: Recall::default(), rate: clock_rate });
    let hub = web::Data::new(hub);
    let server = HttpServer::new(move || {
        let sessions = SessionMiddleware::builder(PostgresSessions(store.clone()), key.clone())
            .cookie_name("impulso".into())
            .cookie_secure(false)
            .cookie_http_only(true)
            .cookie_same_site(SameSite::Strict)
            .session_lifecycle(
                PersistentSession::default()
                    .session_ttl(ttl)
                    .session_ttl_extension_policy(actix_session::config::TtlExtensionPolicy::OnEveryRequest),
            )
            .build();
        App::new()
            .into_utoipa_app()
            .app_data(web::Data::new(store.clone()))
            .app_data(web::Data::new(clock_rate))
            .app_data(brake.clone())
            .app_data(hub.clone())
            .app_data(intake.clone())
            .app_data(web::JsonConfig::default().limit(BODY_MAX).error_handler(|e, _| unreadable(&e.into()).into()))
            .app_data(web::PathConfig::default().error_handler(|_, _| ApiError::not_found().into()))
            .app_data(web::QueryConfig::default().error_handler(|e, _| unreadable(&e.into()).into()))
            .service(utoipa_actix_web::scope::scope("/api").configure(app::routes))
            .into_app()
            .default_service(web::get().to(statics::file))
            .wrap(sessions)
            .wrap(app::headers())
            .wrap(Compress::default())
            .wrap(TracingLogger::default())
    })
    .workers(2)
    .shutdown_timeout(2)
    .listen(listener)?
    .run();
    Ok(server)
}

fn cookie_key(file: Option<&Path>) -> io::Result<Key> {
    let Some(file) = file else { return Ok(Key::generate()) };
    match std::fs::read(file) {
        Ok(bytes) if bytes.len() >= 64 => Ok(Key::from(&bytes)),
        Ok(_) => Err(io::Error::other(format!("{} holds no usable key; remove it and start again", file.display()))),
        Err(_) => {
            let key = Key::generate();
            write_private(file, key.master())?;
            Ok(key)
        }
    }
}

fn write_private(file: &Path, bytes: &[u8]) -> io::Result<()> {
    use std::{io::Write, os::unix::fs::OpenOptionsExt};
    std::fs::OpenOptions::new().write(true).create_new(true).mode(0o600).open(file)?.write_all(bytes)
}
