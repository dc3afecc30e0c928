# MariaDB, loopback only, with a generated password. The tests have a fresh server each run, gone with the run; the demo has one that
# stays, where MariaDB is installed already.

MY=$LOCAL/mariadb

my_use_test_server() { MY=$LOCAL/test-mariadb; }

# MariaDB refuses to run as root: there it runs as the user that Debian's package would make.
my_run() {
  if ((EUID == 0)); then
    id mysql >/dev/null 2>&1 || useradd --system --home-dir /nonexistent --shell /usr/sbin/nologin mysql
    (cd / && setpriv --reuid=mysql --regid="$(id -g mysql)" --clear-groups "$@")
  else
    "$@"
  fi
}

# The data folder: where the other user can reach it.
my_folder() { cat "$MY/folder" 2>/dev/null; }

my_init() {
  local folder password
  mkdir -p "$MY"
  folder=$(mktemp -d /var/tmp/rostrum-XXXXXXXX)
  password=$(random_secret)
  printf "CREATE USER IF NOT EXISTS rostrum@'127.0.0.1' IDENTIFIED BY '%s';\nGRANT ALL ON *.* TO rostrum@'127.0.0.1' WITH GRANT OPTION;\n" "$password" >"$folder/init.sql"
  if ((EUID == 0)); then
    my_run true
    chown mysql "$folder" "$folder/init.sql"
  fi
  chmod 600 "$folder/init.sql"
  my_run "$(command -v mariadb-install-db)" --no-defaults --datadir="$folder/data" --auth-root-authentication-method=normal --skip-test-db >"$folder/install.log"
  (umask 077 && printf '%s' "$password" >"$MY/password")
  printf '%s\n' "$folder" >"$MY/folder"
}

my_start() {
  local port folder init=()
  [[ -d $(my_folder)/data ]] || my_init
  folder=$(my_folder)
  my_answers && return
  port=$(free_port "$(cat "$MY/port" 2>/dev/null || echo 0)")
  printf '%s\n' "$port" >"$MY/port"
  # The port answers before the file is read: it stays where it is.
  [[ ! -e $folder/init.sql ]] || init=(--init-file="$folder/init.sql")
  my_run setsid mariadbd --no-defaults --datadir="$folder/data" --socket="$folder/socket" --pid-file="$folder/pid" \
    --bind-address=127.0.0.1 --port="$port" --skip-name-resolve "${init[@]}" --innodb-flush-log-at-trx-commit=0 \
    --character-set-server=utf8mb4 --collation-server=utf8mb4_general_ci --default-time-zone=+00:00 >"$LOCAL/run/mariadb.log" 2>&1 </dev/null &
  wait_until 60 my_answers || { tail -n 20 "$LOCAL/run/mariadb.log"; return 1; }
}

# A connection string: my_connection [DATABASE]
my_connection() {
  printf 'Server=127.0.0.1;Port=%s;User ID=rostrum;Password=%s' "$(<"$MY/port")" "$(<"$MY/password")"
  [[ $# == 0 ]] || printf ';Database=%s' "$1"
}

my_answers() { [[ -e $(my_folder)/pid ]] && (exec 3<>"/dev/tcp/127.0.0.1/$(<"$MY/port")") 2>/dev/null; }

my_stop() {
  local folder pid
  folder=$(my_folder) || return 0
  pid=$(cat "$folder/pid" 2>/dev/null) && kill "$pid" 2>/dev/null && wait_until 20 test ! -e "$folder/pid"
  return 0
}

my_remove() {
  local folder
  my_stop
  folder=$(my_folder) || return 0
  rm -rf "$folder" "$MY"
}

# A fresh server for the tests.
my_ensure() {
  my_use_test_server
  have mariadbd || step "Installing MariaDB" debian_install mariadb-server-core mariadb-client-core
  my_remove
  step "Starting MariaDB" my_start
}
