# A PostgreSQL of the repository's own: data below .local/postgres, loopback only, a generated password.
# The tests have another one, below .local/test-postgres, whose data need not survive a power cut.

PG=$LOCAL/postgres

pg_use_test_cluster() { PG=$LOCAL/test-postgres; }

# PostgreSQL refuses to run as root: there it runs as the user that Debian's package makes.
pg_run() {
  if ((EUID == 0)); then
    id postgres >/dev/null 2>&1 || useradd --system --home-dir /nonexistent --shell /usr/sbin/nologin postgres
    (cd / && setpriv --reuid=postgres --regid="$(id -g postgres)" --clear-groups "$@")
  else
    "$@"
  fi
}

# The data folder: .local/postgres/data, or, where the other user cannot reach that, a folder that it can.
pg_data() {
  if [[ -e $PG/folder ]]; then cat "$PG/folder"; return; fi
  mkdir -p "$PG"
  local folder=$PG/data
  if ((EUID == 0)); then
    chmod 711 "$LOCAL" "$PG"
    pg_run test -x "$PG" || folder=$(mktemp -d /var/tmp/rostrum-XXXXXXXX)/data
  fi
  printf '%s\n' "$folder" | tee "$PG/folder"
}

pg_init() {
  local data fresh
  data=$(pg_data)
  [[ -e $data/PG_VERSION ]] && return
  fresh=$data.new
  rm -rf "$fresh" && mkdir -p "$fresh"
  [[ -s $PG/password ]] || (umask 077 && random_secret >"$PG/password")
  cp "$PG/password" "$fresh.password"
  if ((EUID == 0)); then
    chmod 711 "$(dirname "$data")"
    chown postgres "$fresh" "$fresh.password"
  fi
  chmod 700 "$fresh"
  pg_run "$(postgres_bin)/initdb" -D "$fresh" -U rostrum -A scram-sha-256 --pwfile="$fresh.password" \
    -E UTF8 --locale=C.UTF-8 --no-sync
  rm -f "$fresh.password"
  cat >>"$fresh/postgresql.conf" <<'EOF'
listen_addresses = '127.0.0.1'
unix_socket_directories = ''
shared_buffers = 256MB
max_connections = 200
EOF
  [[ $PG != */test-postgres ]] || printf '%s = off\n' fsync synchronous_commit full_page_writes >>"$fresh/postgresql.conf"
  mv "$fresh" "$data"
}

pg_answers() {
  [[ -s $PG/port ]] && "$(postgres_bin)/pg_isready" -q -h 127.0.0.1 -p "$(<"$PG/port")" -d postgres &&
    [[ -e $(pg_data)/postmaster.pid ]]
}

# After a power cut the lock file names a process that is gone, or by now another program's.
pg_clear_lock() {
  local lock pid
  lock=$(pg_data)/postmaster.pid
  [[ -e $lock ]] || return 0
  pid=$(head -n 1 "$lock")
  if ! grep -qs '^State:[[:space:]]*[^ZX]' "/proc/$pid/status" || ! grep -qa postgres "/proc/$pid/cmdline"; then
    rm -f "$lock"
  fi
}

pg_start() {
  pg_init
  pg_answers && return
  pg_clear_lock
  local port
  port=$(free_port "$([[ -s $PG/port ]] && cat "$PG/port" || basename "$PG" | sed 's/^postgres$/5480/; s/^test-.*/5580/')")
  printf '%s\n' "$port" >"$PG/port"
  pg_run setsid "$(postgres_bin)/pg_ctl" -D "$(pg_data)" -w -t 60 -l "$(pg_data)/server.log" -o "-p $port" start ||
    { tail -n 20 "$(pg_data)/server.log"; return 1; }
}

pg_stop() {
  [[ -e $(pg_data)/postmaster.pid ]] || return 0
  pg_run "$(postgres_bin)/pg_ctl" -D "$(pg_data)" -m fast -w stop || true
}

# A connection string in the form that Npgsql reads: pg_connection DATABASE
pg_connection() {
  printf 'Host=127.0.0.1;Port=%s;Username=rostrum;Password=%s;Database=%s' "$(<"$PG/port")" "$(<"$PG/password")" "$1"
}

pg_sql() {
  PGPASSWORD=$(<"$PG/password") psql -X -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "$(<"$PG/port")" -U rostrum -d "$1" -Atc "$2"
}

pg_ensure() {
  step "Starting PostgreSQL" pg_start
}
