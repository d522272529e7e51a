# What script/start, script/test and the developer's helpers share. Source it; it only defines functions.

say() { printf '\033[1m%s\033[0m\n' "$*"; }
fail() { printf '%s\n' "$*" >&2; exit 1; }

# Runs a command as the user the database server may run as: root is not allowed to run PostgreSQL.
as_postgres() {
  if [ "$(id -u)" = 0 ]; then runuser -u postgres -- "$@"; else "$@"; fi
}

apt_install() {
  local sudo=""
  [ "$(id -u)" = 0 ] || sudo="sudo"
  say "Installing from Debian's packages: $*"
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get update -qq || fail "apt-get update failed; install $* by hand and start again."
  $sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@" >/dev/null || fail "Could not install $*; install it by hand and start again."
}

pg_bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1; }

ensure_postgres() {
  if [ -z "$(pg_bin)" ] || [ ! -x "$(pg_bin)/initdb" ]; then
    # Without this the package would create and start a cluster of its own.
    [ "$(id -u)" = 0 ] && mkdir -p /etc/postgresql-common && [ ! -e /etc/postgresql-common/createcluster.conf ] && echo "create_main_cluster = false" > /etc/postgresql-common/createcluster.conf
    apt_install postgresql
  fi
}

ensure_tool() { command -v "$1" >/dev/null 2>&1 || fail "$1 is missing: $2"; }

# Node modules as the lock file says, only when it changed. $1: the folder.
ensure_modules() {
  local mark="$1/node_modules/.lock-seen"
  if ! cmp -s "$1/package-lock.json" "$mark"; then
    say "Installing the Node modules of $1"
    (cd "$1" && PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD=1 npm ci --no-audit --no-fund --loglevel=error) || fail "npm ci failed in $1."
    cp "$1/package-lock.json" "$mark"
  fi
}

port_is_free() { ! (exec 3<>"/dev/tcp/127.0.0.1/$1") 2>/dev/null; }

# The first free port from $1 on. Ask below 32768: from there on the system lends ports to connections that go out, and a server
# cannot bind one of those, although nobody answers on it.
free_port() {
  local port=$1
  while ! port_is_free "$port"; do port=$((port + 1)); done
  echo "$port"
}

secret() {
  [ -s "$1" ] || (umask 077; od -An -tx1 -N24 /dev/urandom | tr -d ' \n' > "$1")
  cat "$1"
}

# Makes a private cluster in $1/postgres if there is none. Loopback only, passwords for everyone.
cluster_init() {
  local data=$1
  mkdir -p "$data/secrets"; chmod 700 "$data/secrets"
  secret "$data/secrets/admin" >/dev/null; secret "$data/secrets/owner" >/dev/null; secret "$data/secrets/app" >/dev/null
  [ -s "$data/postgres/PG_VERSION" ] && return 0
  say "Creating a private database cluster in $data/postgres"
  rm -rf "$data/postgres"; mkdir -p "$data/postgres"
  [ "$(id -u)" = 0 ] && { chown postgres "$data/postgres"; chmod a+x "$data"; }
  chmod 700 "$data/postgres"
  local pwfile; pwfile=$(mktemp); cat "$data/secrets/admin" > "$pwfile"
  [ "$(id -u)" = 0 ] && chown postgres "$pwfile"
  (cd / && as_postgres "$(pg_bin)/initdb" -D "$data/postgres" -U admin --pwfile="$pwfile" -A scram-sha-256 -E UTF8 --locale=C.UTF-8 >/dev/null) \
    || { rm -f "$pwfile"; fail "initdb failed for $data/postgres."; }
  rm -f "$pwfile"
}

# Starts the cluster of $1 on port $2; further arguments are settings (name=value).
cluster_start() {
  local data=$1 port=$2; shift 2
  local opts="-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories="
  for setting in "$@"; do opts="$opts -c $setting"; done
  (cd / && as_postgres "$(pg_bin)/pg_ctl" -D "$data/postgres" -l "$data/postgres/server.log" -o "$opts" -w -t 60 start >/dev/null) \
    || { tail -n 20 "$data/postgres/server.log" 2>/dev/null; fail "PostgreSQL did not start; its log is $data/postgres/server.log."; }
}

cluster_stop() {
  (cd / && as_postgres "$(pg_bin)/pg_ctl" -D "$1/postgres" -m fast -w stop >/dev/null 2>&1) || true
}

# psql, pg_dump and their like as the cluster's administrator. Passwords go by the environment, never on a command line,
# where anyone on the machine could read them. $1: the data, $2: the port, then the command.
as_admin() {
  local data=$1 port=$2; shift 2
  PGPASSWORD=$(cat "$data/secrets/admin") PGHOST=127.0.0.1 PGPORT=$port PGUSER=admin "$@"
}

# The same as the role that owns the database.
as_owner() {
  local data=$1 port=$2; shift 2
  PGPASSWORD=$(cat "$data/secrets/owner") PGHOST=127.0.0.1 PGPORT=$port PGUSER=impulso_owner "$@"
}

# The roles and the database: an owner that migrates and an application role that cannot bypass row-level security.
cluster_roles() {
  local data=$1 port=$2 database=$3
  IMPULSO_SECRETS="$data/secrets" as_admin "$data" "$port" psql -qX -v ON_ERROR_STOP=1 -d postgres -v db="$database" <<'SQL' >/dev/null || fail "The database roles could not be set up."
\set owner_pw `cat "$IMPULSO_SECRETS/owner"`
\set app_pw `cat "$IMPULSO_SECRETS/app"`
select 'create role impulso_owner login createdb nosuperuser nobypassrls' where not exists (select from pg_roles where rolname = 'impulso_owner') \gexec
select 'create role impulso_app login nosuperuser nobypassrls nocreatedb' where not exists (select from pg_roles where rolname = 'impulso_app') \gexec
alter role impulso_owner password :'owner_pw';
alter role impulso_app password :'app_pw';
-- What the application asks ends by itself: a statement that takes too long, a transaction that waits for nobody, a sort that fills
-- the disk. Work that is long by its nature asks for longer.
alter role impulso_app set statement_timeout = '15s';
alter role impulso_app set idle_in_transaction_session_timeout = '60s';
alter role impulso_app set temp_file_limit = '1GB';
select format('create database %I owner impulso_owner', :'db') where not exists (select from pg_database where datname = :'db') \gexec
SQL
}

# Where the data live: IMPULSO_DATA, or .data here, or /var/lib/impulso for root. Made where missing.
data_folder() {
  local data
  if [ -n "${IMPULSO_DATA:-}" ]; then data=$IMPULSO_DATA
  elif [ "$(id -u)" = 0 ]; then data=/var/lib/impulso
  else data=$PWD/.data; fi
  mkdir -p "$data"
  (cd "$data" && pwd)
}

owner_url() { echo "postgres://impulso_owner:$(cat "$1/secrets/owner")@127.0.0.1:$2/$3"; }
app_url() { echo "postgres://impulso_app:$(cat "$1/secrets/app")@127.0.0.1:$2/$3"; }
