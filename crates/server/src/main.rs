//! The `impulso` command: serves the application, and does the core's work without a server.

use std::{
    io::{self, BufReader, BufWriter, Write},
    process::ExitCode,
};

use clap::{Parser, Subcommand};
use impulso::{
    api::password_links,
    demo, docs,
    recompute::{self, By},
    scoring, serve,
    settings::Settings,
};
use impulso_core::{Code, InputError, battery, catalogue};
use impulso_store::{Store, accounts};

/// Many short requests on several threads leave the system's allocator with gaps it does not give back; this one gives them back.
#[global_allocator]
static ALLOCATOR: tikv_jemallocator::Jemalloc = tikv_jemallocator::Jemalloc;

#[derive(Parser)]
#[command(name = "impulso", about = "Fitness testing from readiness to retest", version)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the application.
    Serve(Settings),
    /// Bring the database up to date.
    Migrate {
        /// Connection of the role that owns the database.
        #[arg(long, env = "IMPULSO_OWNER_URL", hide_env_values = true)]
        owner_url: String,
        /// As far as this version only: for a backup that is brought back.
        #[arg(long)]
        version: Option<i64>,
    },
    /// Print the versions of the database that this program knows, oldest first.
    Versions,
    /// Rebuild every stored score from its raw readings, and say what changed.
    Recompute {
        /// Connection of the role that owns the database.
        #[arg(long, env = "IMPULSO_OWNER_URL", hide_env_values = true)]
        owner_url: String,
        /// With today's protocols instead of those stored beside the results.
        #[arg(long)]
        today: bool,
    },
    /// Print a link with which a coach sets a new password, once, within an hour. The coach is signed out everywhere.
    ResetPassword {
        /// The coach's email address.
        email: String,
        /// Connection of the application's role.
        #[arg(long, env = "IMPULSO_DATABASE_URL", hide_env_values = true)]
        database_url: String,
        /// Address of the application.
        #[arg(long, env = "IMPULSO_ADDRESS", default_value = "http://127.0.0.1:8420")]
        address: String,
    },
    /// Load the demo practice, once.
    Demo {
        /// Connection of the application's role.
        #[arg(long, env = "IMPULSO_DATABASE_URL", hide_env_values = true)]
        database_url: String,
    },
    /// Compute tests: JSON Lines in, JSON Lines out.
    Compute,
    /// Print when each beep of a run to beeps sounds, as JSON Lines: seconds from the first start.
    Schedule {
        /// The protocol's id.
        protocol: String,
        /// The speed of the first stage, km/h; the protocol's first where nothing is said.
        #[arg(long, value_name = "SPEED_KMH")]
        from: Option<f64>,
    },
    /// Write the validation page and its pictures: simulated clients through every estimating protocol.
    Validate {
        /// The folder they go to.
        #[arg(long, default_value = "docs")]
        into: std::path::PathBuf,
    },
    /// Print the method pages as Markdown.
    Methods,
    /// Print the HTTP interface as OpenAPI.
    Openapi,
}

#[tokio::main]
async fn main() -> ExitCode {
    let unreadable = [catalogue::unreadable(), battery::unreadable()].concat();
    if !unreadable.is_empty() {
        eprintln!("These files of the library cannot be read:\n{}", unreadable.join("\n"));
        return ExitCode::FAILURE;
    }
    let done = match Cli::parse().command {
        Command::Compute => return compute(),
        Command::Schedule { protocol, from } => return schedule(&protocol, from),
        Command::Validate { into } => validate(&into).map_err(|e| format!("The validation page could not be written: {e}")),
        Command::Methods => {
            print!("{}", docs::methods());
            Ok(())
        }
        Command::Openapi => {
            println!("{}", docs::openapi());
            Ok(())
        }
        Command::Migrate { owner_url, version } => {
            tell();
            scoring::migrate(&owner_url, version).await.map_err(|e| format!("The database could not be brought up to date: {e}"))
        }
        Command::Versions => {
            for version in impulso_store::versions() {
                println!("{version}");
            }
            Ok(())
        }
        Command::Recompute { owner_url, today } => recompute_all(&owner_url, today).await,
        Command::ResetPassword { email, database_url, address } => reset_password(&email, &database_url, &address).await,
        Command::Demo { database_url } => load_demo(&database_url).await,
        Command::Serve(settings) => serve::serve(settings).await.map_err(|e| format!("The server stopped: {e}")),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("{message}");
            ExitCode::FAILURE
        }
    }
}

/// What is set aside is named on the way.
fn tell() {
    // Another listener may stand there already, in a test.
    let _ = tracing_subscriber::fmt().log_internal_errors(false).with_env_filter("error").with_writer(io::stderr).without_time().try_init();
}

fn validate(into: &std::path::Path) -> io::Result<()> {
    std::fs::create_dir_all(into.join("validation"))?;
    docs::validation().into_iter().try_for_each(|(name, content)| std::fs::write(into.join(name), content))
}

fn compute() -> ExitCode {
    let input = BufReader::with_capacity(1024 * 1024, io::stdin().lock());
    match impulso_formats::batch::compute(input, BufWriter::new(io::stdout().lock())) {
        Ok(tally) if tally.failed == 0 => ExitCode::SUCCESS,
        Ok(tally) => {
            eprintln!("{} of {} lines were not computed", tally.failed, tally.failed + tally.computed);
            ExitCode::from(1)
        }
        Err(error) => {
            eprintln!("The lines could not be read or written: {error}");
            ExitCode::from(2)
        }
    }
}

fn schedule(id: &str, from: Option<f64>) -> ExitCode {
    let beeps = catalogue::find(id).and_then(|protocol| match protocol.schedule() {
        Some(schedule) => schedule.beeps(from),
        None => Err(InputError::new(Code::NotApplicable, "protocol", format!("{} is not run to beeps.", protocol.name))),
    });
    let beeps = match beeps {
        Ok(beeps) => beeps,
        Err(error) => {
            eprintln!("{}", error.message);
            return ExitCode::from(2);
        }
    };
    let mut out = BufWriter::new(io::stdout().lock());
    let written = beeps.marks.iter().try_for_each(|mark| {
        serde_json::to_writer(&mut out, mark)?;
        out.write_all(b"\n")
    });
    match written.and_then(|()| out.flush()) {
        Ok(()) => ExitCode::SUCCESS,
        // Whoever reads has seen enough.
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("The lines could not be written: {error}");
            ExitCode::from(2)
        }
    }
}

async fn recompute_all(owner_url: &str, today: bool) -> Result<(), String> {
    tell();
    let by = if today { By::Today } else { By::Stored };
    let shown = |value: Option<f64>| value.map_or_else(|| "none".to_owned(), |v| v.to_string());
    let tell = |c: &recompute::Changed| println!("{} {} {}: {} -> {}", c.result, c.method, c.quantity, shown(c.was), shown(c.is));
    let tally = recompute::recompute(owner_url, by, tell).await.map_err(|e| format!("The scores could not be rebuilt: {e}"))?;
    println!("{} results looked at, {} rewritten, {} left as they are.", tally.looked_at, tally.rewritten, tally.left);
    if tally.set_aside > 0 {
        println!("{} stored things can't be read any more and are set aside; their practices name them.", tally.set_aside);
    }
    Ok(())
}

async fn reset_password(email: &str, database_url: &str, address: &str) -> Result<(), String> {
    let away = |e: impulso_store::Error| format!("The link could not be made: {e}");
    let store = Store::connect_lazy(database_url).map_err(|e| e.to_string())?;
    let found = accounts::credentials(&store, &email.trim().to_lowercase()).await.map_err(away)?;
    let Some(coach) = found else { return Err(format!("No coach signs in with {email}. Check the address.")) };
    let mut scope = store.scope(coach.practice).await.map_err(away)?;
    let made = password_links::make(&mut scope, coach.coach, None).await.map_err(away)?;
    scope.commit().await.map_err(away)?;
    println!("{}{}", address.trim_end_matches('/'), made.path);
    eprintln!("The link sets a new password once, until {} UTC. The coach is signed out everywhere.", made.until.format("%H:%M"));
    Ok(())
}

async fn load_demo(database_url: &str) -> Result<(), String> {
    let store = Store::connect_lazy(database_url).map_err(|e| e.to_string())?;
    match demo::load(&store, chrono::Utc::now()).await {
        Ok(true) => println!("The demo practice is loaded."),
        Ok(false) => println!("The demo practice is there already."),
        Err(error) => return Err(format!("The demo could not be loaded: {error}")),
    }
    Ok(())
}
