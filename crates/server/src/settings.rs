//! What the operator can set, and every limit the server holds a caller to.

use std::net::IpAddr;

use clap::Args;

/// Settings of `impulso serve`.
#[derive(Debug, Clone, Args)]
pub struct Settings {
    /// Connection of the application's role.
    #[arg(long, env = "IMPULSO_DATABASE_URL", hide_env_values = true)]
    pub database_url: String,
    /// Port on the loopback address.
    #[arg(long, env = "IMPULSO_PORT", default_value_t = 8420)]
    pub port: u16,
    /// File that holds the cookie key; made when missing. Without it sessions end with the server.
    #[arg(long, env = "IMPULSO_KEY_FILE")]
    pub key_file: Option<std::path::PathBuf>,
    /// Minutes a session lasts after its last use.
    #[arg(long, env = "IMPULSO_SESSION_MINUTES", default_value_t = 12 * 60)]
    pub session_minutes: i64,
    /// Names this server is reached by, beside the loopback ones, separated by commas: that of the TLS proxy in front.
    #[arg(long, env = "IMPULSO_HOSTS", value_delimiter = ',')]
    pub hosts: Vec<String>,
    /// Address of the proxy in front. A caller's address is read from `X-Forwarded-For` only where the proxy says it.
    #[arg(long, env = "IMPULSO_PROXY")]
    pub proxy: Option<IpAddr>,
    /// Reached over TLS: cookies are then sent over nothing else.
    #[arg(long, env = "IMPULSO_TLS", default_value_t = false)]
    pub tls: bool,
    /// How many passwords are checked at once; each takes 19 MiB.
    #[arg(long, env = "IMPULSO_PASSWORD_CHECKS", default_value_t = 2)]
    pub password_checks: usize,
    /// How many practices one address may found in an hour.
    #[arg(long, env = "IMPULSO_FOUNDINGS_AN_HOUR", default_value_t = 10)]
    pub foundings_an_hour: u32,
    /// Open files of the server, to allow fewer than the system does; live channels take half of them.
    #[arg(long, env = "IMPULSO_OPEN_FILES")]
    pub open_files: Option<u64>,
    /// How many times faster than real time a run's clock passes.
    #[cfg(feature = "test-clock")]
    #[arg(long, env = "IMPULSO_CLOCK_RATE", default_value_t = 1.0)]
    pub clock_rate: f64,
}

impl Settings {
    /// The settings of a server that nothing was set for.
    pub fn of(database_url: &str) -> Self {
        Self {
            database_url: database_url.to_owned(),
            port: 8420,
            key_file: None,
            session_minutes: 12 * 60,
            hosts: Vec::new(),
            proxy: None,
            tls: false,
            password_checks: 2,
            foundings_an_hour: 10,
            open_files: None,
            #[cfg(feature = "test-clock")]
            clock_rate: 1.0,
        }
    }

    /// How fast a run's clock passes: 1 in every build but the test build.
    pub fn clock_rate(&self) -> ClockRate {
        #[cfg(feature = "test-clock")]
        return ClockRate(self.clock_rate);
        #[cfg(not(feature = "test-clock"))]
        ClockRate(1.0)
    }
}

/// How fast a run's clock passes; 1 outside the test build.
#[derive(Debug, Clone, Copy)]
pub struct ClockRate(pub f64);

/// What a caller is held to. Limits of the job itself stand in the core: `run::check`, `text`, `units`.
pub mod limits {
    use std::time::Duration;

    /// The largest body, bytes: a run's whole history fits many times over.
    pub const BODY_BYTES: usize = 512 * 1024;
    /// The same of a list of results.
    pub const LIST_BYTES: usize = 3 * 1024 * 1024;
    /// The largest photograph, bytes; the screen makes them much smaller.
    pub const PHOTO_BYTES: usize = 12 * 1024 * 1024;
    /// The largest file of a practice that comes in, bytes. It lies on the disk, never in memory.
    pub const IMPORT_BYTES: u64 = 4 * 1024 * 1024 * 1024;
    /// How long such a file may take to arrive.
    pub const IMPORT_TAKES: Duration = Duration::from_mins(30);
    /// So many such files come in at once; one of them is read at a time.
    pub const UPLOADS_AT_ONCE: usize = 3;
    /// So many practices are taken out at once.
    pub const EXPORTS_AT_ONCE: usize = 3;
    /// The most brackets a body in JSON may have open at once.
    pub const BODY_DEPTH: usize = 40;
    /// How long a request may take, where it is not a practice taken out or in: whoever waits longer has given up.
    pub const REQUEST_TAKES: Duration = Duration::from_secs(25);
    /// How long a body may take to arrive.
    pub const BODY_TAKES: Duration = Duration::from_secs(15);
    /// How long a request's head may take.
    pub const HEAD_TAKES: Duration = Duration::from_secs(10);
    /// Tries to sign in to one account, a minute, from browsers that never did.
    pub const SIGN_INS_OF_ACCOUNT: u32 = 10;
    /// Tries to sign in from one address, a minute, to whatever account.
    pub const SIGN_INS_OF_ADDRESS: u32 = 60;
    /// Tries to sign in from a browser that has signed in to this account before, a minute. Nobody else can use them up.
    pub const SIGN_INS_OF_DEVICE: u32 = 30;
    /// Codes of a second factor that one browser, or all strange browsers of one account, may try in an hour.
    pub const SECOND_FACTORS: u32 = 20;
    /// A link for a new password opens for so long, minutes.
    pub const PASSWORD_LINK_MIN: i64 = 60;
    /// Coaches that one coach may add, an hour: each costs a hash of a password, and says whether an address is taken.
    pub const COACHES_AN_HOUR: u32 = 20;
    /// Coaches added from one address, an hour, by whomever.
    pub const COACHES_OF_ADDRESS: u32 = 60;
    /// Tries of join codes that nobody was let in by yet, from one address, a second.
    pub const CODES_OF_ADDRESS: u32 = 10;
    /// New phones at one join code from one address, a second: a class that begins.
    pub const PHONES_OF_CODE: u32 = 10;
    /// So many join codes that were right are remembered.
    pub const CODES_KNOWN: usize = 4_096;
    /// Tries of a join code that lead nowhere, from one address, a minute.
    pub const WRONG_CODES_OF_ADDRESS: u32 = 20;
    /// What one partner's phone may send, requests a second: faster than a hand taps.
    pub const SENT_BY_PARTNER: u32 = 10;
    /// What all partners of one run may send from one address, requests a second: a class behind one access point.
    pub const SENT_BY_CLASS: u32 = 100;
    /// Live channels of one process, at the most; never more than half of the files it may have open.
    pub const CHANNELS: usize = 20_000;
    /// Of one account: a place with some hundred runs open.
    pub const CHANNELS_OF_ACCOUNT: usize = 512;
    /// Of one account on one run or page: its screens.
    pub const CHANNELS_OF_ACCOUNT_HERE: usize = 24;
    /// Of one partner's phone.
    pub const CHANNELS_OF_PARTNER: usize = 4;
    /// Of one run: forty performers, their partners and their coaches, twice.
    pub const CHANNELS_OF_RUN: usize = 256;
    /// From one address: several classes behind one access point.
    pub const CHANNELS_OF_ADDRESS: usize = 2_048;
    /// Files a process keeps for itself, beside those of callers: the database, the log, photographs on their way.
    pub const FILES_KEPT: u64 = 128;
    /// So many keys a limit tells apart; beyond that, some share.
    pub const RATE_KEYS: usize = 20_000;
    /// How many requests wait for a password check before the next is sent away.
    pub const PASSWORDS_WAITING: usize = 32;
    /// How long one waits.
    pub const PASSWORD_PATIENCE: Duration = Duration::from_secs(5);
    /// A screen whose clock is this far from the server's has its events moved onto the server's, s.
    pub const CLOCK_OFF_S: i64 = 30;
    /// A run that was set up on a screen without a network is sent at most so many days later.
    pub const SET_UP_AGO_DAYS: i64 = 7;
    /// Partners may count so long after the counting's own end, minutes.
    pub const COUNT_OPEN_MIN: i64 = 10;
    /// A partner's phone that has been silent so long may be replaced by another, s.
    pub const PARTNER_SILENT_S: i64 = 60;
    /// Photographs opened at once; each may take some hundred megabytes.
    pub const PHOTOS_AT_ONCE: usize = 1;
    /// How many wait for that before the next is sent away.
    pub const PHOTOS_WAITING: usize = 24;
    /// How long one waits.
    pub const PHOTO_PATIENCE: Duration = Duration::from_secs(15);
    /// What all open runs may take in memory, bytes.
    pub const RUNS_BYTES: usize = 96 * 1024 * 1024;
    /// People a search shows; where there are more it says so.
    pub const FOUND: i64 = 8;
    /// Lines of a page of retests, and of who did what.
    pub const PAGE: i64 = 25;
    /// Lines of each list on Today; the rest is counted and a page away.
    pub const TODAY_LINES: i64 = 8;
    /// Visits of a list; where there are more it says so.
    pub const VISITS: i64 = 20;
    /// Counted no further than this: "200 or more" says enough.
    pub const COUNTED: i64 = 200;

    /// A count as it is said, where counting stopped at [`COUNTED`]; `less` of it are not meant.
    pub fn counted(all: i64, less: i64) -> String {
        if all >= COUNTED { format!("{} or more", COUNTED - less) } else { (all - less).to_string() }
    }
}
