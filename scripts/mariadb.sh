# A MariaDB for the tests: a fresh server each run, loopback only, a generated password, gone with the run.

MY_FOLDER=

# MariaDB refuses to run as root: there it runs as the user that Debian's package would make.
my_run() {
  if ((EUID == 0)); then
    id mysql >/dev/null 2>&1 || useradd --system --home-dir /nonexistent --shell /usr/sbin/nologin mysql
    (cd / && setpriv --reuid=mysql --regid="$(id -g mysql)" --clear-groups "$@")
  else
    "$@"
  fi
}

my_start() {
  local port password
  MY_FOLDER=$(mktemp -d /var/tmp/rostrum-XXXXXXXX)
  echo "$MY_FOLDER" >"$LOCAL/run/mariadb.folder"
  port=$(free_port 0)
  password=$(random_secret)
  printf "CREATE USER rostrum@'127.0.0.1' IDENTIFIED BY '%s';\nGRANT ALL ON *.* TO rostrum@'127.0.0.1' WITH GRANT OPTION;\n" "$password" >"$MY_FOLDER/init.sql"
  if ((EUID == 0)); then
    my_run true
    chown mysql "$MY_FOLDER" "$MY_FOLDER/init.sql"
  fi
  chmod 600 "$MY_FOLDER/init.sql"
  my_run "$(command -v mariadb-install-db)" --no-defaults --datadir="$MY_FOLDER/data" --auth-root-authentication-method=normal --skip-test-db >"$MY_FOLDER/install.log"
  my_run setsid mariadbd --no-defaults --datadir="$MY_FOLDER/data" --socket="$MY_FOLDER/socket" --pid-file="$MY_FOLDER/pid" \
    --bind-address=127.0.0.1 --port="$port" --skip-name-resolve --init-file="$MY_FOLDER/init.sql" --innodb-flush-log-at-trx-commit=0 \
    --character-set-server=utf8mb4 --collation-server=utf8mb4_general_ci --default-time-zone=+00:00 >"$LOCAL/run/mariadb.log" 2>&1 </dev/null &
  wait_until 60 my_answers "$port" || { tail -n 20 "$LOCAL/run/mariadb.log"; return 1; }
  printf 'Server=127.0.0.1;Port=%s;User ID=rostrum;Password=%s' "$port" "$password" >"$LOCAL/run/mariadb.connection"
}

my_answers() { [[ -e $MY_FOLDER/pid ]] && (exec 3<>"/dev/tcp/127.0.0.1/$1"); }

my_stop() {
  MY_FOLDER=$(cat "$LOCAL/run/mariadb.folder" 2>/dev/null) || return 0
  local pid
  pid=$(cat "$MY_FOLDER/pid" 2>/dev/null) && kill "$pid" && wait_until 20 test ! -e "$MY_FOLDER/pid"
  rm -rf "$MY_FOLDER" "$LOCAL/run/mariadb.folder" "$LOCAL/run/mariadb.connection"
}

my_ensure() {
  have mariadbd || step "Installing MariaDB" debian_install mariadb-server-core mariadb-client-core
  my_stop
  step "Starting MariaDB" my_start
}
