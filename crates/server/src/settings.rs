//! What the operator can set.

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
    /// How many times faster than real time a run's clock passes.
    #[cfg(feature = "test-clock")]
    #[arg(long, env = "IMPULSO_CLOCK_RATE", default_value_t = 1.0)]
    pub clock_rate: f64,
}

impl Settings {
    /// How fast a run's clock passes: 1 in every build but the test build.
    pub fn clock_rate(&self) -> f64 {
        #[cfg(feature = "test-clock")]
        return self.clock_rate;
        #[cfg(not(feature = "test-clock"))]
        1.0
    }
}
