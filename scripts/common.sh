# What ./start and ./test share: packages, the Rust toolchain, a private PostgreSQL.
# Sourced by bash with `set -euo pipefail`; the callers stand in the checkout.

# What the program is built with: a C compiler, and CBC, which solves the integer programmes.
BUILD_PACKAGES=(gcc libc6-dev ca-certificates pkg-config coinor-libcbc-dev)

say() { printf '%s\n' "$*"; }
fail() { printf '%s\n' "$*" >&2; exit 1; }

# need_packages PACKAGE...: installs Debian packages, or says how.
need_packages() {
  local missing=() package
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
  done
  [ ${#missing[@]} -eq 0 ] && return
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
      as_root=(sudo -n)
    else
      fail "Missing packages. Install them with: sudo apt-get update && sudo apt-get install -y ${missing[*]}"
    fi
  fi
  say "Installing ${missing[*]} ..."
  "${as_root[@]}" apt-get update -q >/dev/null || fail "apt-get update failed; see its message above."
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}" >/dev/null \
    || fail "apt-get could not install: ${missing[*]}"
}

# need_rust: cargo of at least the version in Cargo.toml.
need_rust() {
  [ -f "$HOME/.cargo/env" ] && . "$HOME/.cargo/env"
  local wanted found
  wanted=$(sed -n 's/^rust-version = "\(.*\)"/\1/p' Cargo.toml)
  if ! command -v cargo >/dev/null && apt-cache show rustup >/dev/null 2>&1; then
    need_packages rustup
    rustup default stable >/dev/null 2>&1 || fail "rustup could not install the Rust toolchain."
  fi
  command -v cargo >/dev/null || fail "Rust $wanted or newer is missing, and this Debian has no rustup package. Install the toolchain with rustup, then start again."
  found=$(cargo --version | sed 's/^cargo \([0-9.]*\).*/\1/')
  [ "$(printf '%s\n%s\n' "$wanted" "$found" | sort -V | head -n 1)" = "$wanted" ] \
    || fail "Rust $wanted or newer is needed, and cargo is $found. Update it with: rustup update stable"
}

# pg_programs: the folder of the newest PostgreSQL programs.
pg_programs() {
  local newest
  newest=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1)
  [ -n "$newest" ] || fail "PostgreSQL is not installed. Install it with: sudo apt-get install -y postgresql"
  printf '%s' "$newest"
}

# as_pg COMMAND...: PostgreSQL refuses to run as root, so root runs it as the postgres user.
as_pg() {
  if [ "$(id -u)" -eq 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi
}

# free_port FIRST: the first free port from FIRST on.
free_port() {
  local port=$1
  while (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do
    port=$((port + 1))
    [ "$port" -lt $(($1 + 200)) ] || fail "No free port between $1 and $port."
  done
  printf '%s' "$port"
}

# build_release: builds the program; on a terminal with Cargo's own progress, elsewhere with a line now and then.
build_release() {
  if [ -t 2 ]; then
    cargo build --release --bin barometer
  else
    cargo build --release --bin barometer 2>&1 \
      | awk '/^ *Compiling / { if (++built % 50 == 0) { print "  " built " crates compiled ..."; fflush() } next }
             /^ *(Download|Updating|Locking|Adding|Finished)/ { next } { print }'
  fi
}

# start_postgres FOLDER FIRST_PORT: a cluster of our own in FOLDER on loopback; sets DATABASE_SERVER
# to its address without a database, and STARTED_POSTGRES to FOLDER if this call started it.
start_postgres() {
  local folder=$1 programs port password
  programs=$(pg_programs)
  mkdir -p "$folder"
  [ "$(id -u)" -ne 0 ] || reachable_by_postgres "$folder"
  # The link that a closed place needs is itself out of reach.
  folder=$(readlink -f "$folder")
  # A folder without its last file is what an interrupted initdb left.
  if [ ! -f "$folder/ready" ]; then
    rm -rf "$folder/data"
    new_password "$folder/password"
    as_pg "$programs/initdb" -D "$folder/data" -U barometer --auth=scram-sha-256 --pwfile="$folder/password" --encoding=UTF8 --locale=C.UTF-8 >"$folder/initdb.log" 2>&1 \
      || fail "PostgreSQL could not be set up; see $folder/initdb.log"
    touch "$folder/ready"
  fi
  STARTED_POSTGRES=
  if ! as_pg "$programs/pg_ctl" -D "$folder/data" status >/dev/null 2>&1; then
    port=$(free_port "$2")
    echo "$port" >"$folder/port"
    as_pg "$programs/pg_ctl" -D "$folder/data" -w -t 60 -l "$folder/data/server.log" \
      -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' ${PG_EXTRA:-}" start >/dev/null 2>&1 \
      || fail "PostgreSQL did not start; see $folder/data/server.log"
    STARTED_POSTGRES=$folder
  fi
  port=$(cat "$folder/port" 2>/dev/null) || fail "PostgreSQL runs in $folder but its port is not known. Stop it, or begin anew with ./start --fresh"
  # A cluster of an earlier build asks for none.
  password=$(cat "$folder/password" 2>/dev/null || true)
  DATABASE_SERVER="postgres://barometer${password:+:$password}@127.0.0.1:$port"
}

# new_password FILE: a password that only this user, and PostgreSQL, can read.
new_password() {
  (umask 077 && od -An -N24 -tx1 /dev/urandom | tr -d ' \n' >"$1")
  [ "$(id -u)" -ne 0 ] || chown postgres: "$1"
}

stop_postgres() {
  as_pg "$(pg_programs)/pg_ctl" -D "$(readlink -f "$1")/data" -m fast -w stop >/dev/null 2>&1 || true
}

# The postgres user must be able to reach a folder that root made; where a checkout lies in a place
# closed to others, the data go to /var/lib instead and the folder keeps a link.
reachable_by_postgres() {
  local folder=$1 elsewhere
  if ! runuser -u postgres -- test -x "$(dirname "$folder")" 2>/dev/null && [ ! -L "$folder" ]; then
    elsewhere="/var/lib/barometer/$(printf '%s' "$folder" | md5sum | cut -c1-12)"
    mkdir -p "$elsewhere"
    rmdir "$folder" && ln -s "$elsewhere" "$folder"
  fi
  chown postgres: "$folder/"
}

# What stop_all ends, in the order in which it was started.
STARTED_PROCESSES=()

# start_server PROGRAM PORT: serves the demo and waits until it answers; sets `server` to its process.
start_server() {
  # In a session of its own, so that Ctrl-C reaches the script first and the server is stopped in order. What the C
  # library keeps of memory that is not used any more: docs/operating.md.
  MALLOC_ARENA_MAX=${MALLOC_ARENA_MAX:-2} MALLOC_MMAP_THRESHOLD_=${MALLOC_MMAP_THRESHOLD_:-4194304} \
    setsid "$1" serve --demo --listen "127.0.0.1:$2" &
  server=$!
  STARTED_PROCESSES+=("$server")
  local try
  for try in $(seq 100); do
    (exec 3<>"/dev/tcp/127.0.0.1/$2") 2>/dev/null && return
    kill -0 "$server" 2>/dev/null || break
    sleep 0.1
  done
  fail "Barometer did not start; see the message above."
}

# work_off PROGRAM DATABASE: does what is queued in a database and waits until all of it is over.
work_off() {
  DATABASE_URL="$DATABASE_SERVER/$2" setsid "$1" worker >/dev/null 2>&1 &
  local worker=$!
  STARTED_PROCESSES+=("$worker")
  local left="SELECT count(*) FROM runs WHERE ended_at IS NULL"
  until [ "$("$(pg_programs)/psql" -qAt "$DATABASE_SERVER/$2" -c "$left")" = 0 ]; do
    kill -0 "$worker" 2>/dev/null || fail "The worker ended before its work was done."
    sleep 1
  done
  kill "$worker"
  wait "$worker" || true
}

# start_switch PROGRAM PORT FOLDER OPTION...: the telephone switch stand-in with a token of its own; sets
# what the server needs to hear it.
start_switch() {
  local program=$1 port=$2 folder=$3
  shift 3
  mkdir -p "$folder"
  [ -s "$folder/token" ] || (umask 077 && od -An -N24 -tx1 /dev/urandom | tr -d ' \n' >"$folder/token")
  BAROMETER_SWITCH_TOKEN=$(cat "$folder/token")
  BAROMETER_SWITCH="http://127.0.0.1:$port"
  export BAROMETER_SWITCH_TOKEN BAROMETER_SWITCH
  setsid "$program" switch --listen "127.0.0.1:$port" --folder "$folder" "$@" &
  STARTED_PROCESSES+=("$!")
}

# stop_all: for a trap; stops the servers, the switches and the PostgreSQL that the script itself has started. The
# last first: a server that hears a switch goes before it.
stop_all() {
  trap - EXIT INT TERM
  local at
  for ((at = ${#STARTED_PROCESSES[@]} - 1; at >= 0; at--)); do
    kill -TERM "${STARTED_PROCESSES[at]}" 2>/dev/null || true
    wait "${STARTED_PROCESSES[at]}" 2>/dev/null || true
  done
  [ -z "${STARTED_POSTGRES:-}" ] || stop_postgres "$STARTED_POSTGRES"
}

# new_database NAME [LIKE]: an empty one in the server at DATABASE_SERVER, or a copy of the database LIKE, in the
# place of an earlier one.
new_database() {
  "$(pg_programs)/psql" -q "$DATABASE_SERVER/postgres" -c "SET client_min_messages = error" \
    -c "DROP DATABASE IF EXISTS $1 WITH (FORCE)" -c "CREATE DATABASE $1 TEMPLATE ${2:-template1}" || fail "The database $1 could not be created."
}

# make_database NAME: creates it in the server at DATABASE_SERVER unless it is there.
make_database() {
  local programs
  programs=$(pg_programs)
  if ! "$programs/psql" -qAt "$DATABASE_SERVER/postgres" -c "SELECT 1 FROM pg_database WHERE datname = '$1'" | grep -q 1; then
    "$programs/psql" -q "$DATABASE_SERVER/postgres" -c "CREATE DATABASE $1" || fail "The database $1 could not be created."
  fi
}
