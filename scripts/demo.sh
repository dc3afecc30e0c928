# The demo: the ferry company's own database, and Rostrum's records about it.

STANDINS=src/Rostrum.StandIns/bin/Release/net10.0/Rostrum.StandIns.dll

fleet_password() {
  [[ -s $LOCAL/run/fleet.password ]] || (umask 077 && random_secret >"$LOCAL/run/fleet.password")
  cat "$LOCAL/run/fleet.password"
}

fleet_connection() {
  printf 'Host=127.0.0.1;Port=%s;Username=ferries;Password=%s;Database=fleet' "$(<"$PG/port")" "$(fleet_password)"
}

# Rostrum's own records belong to a role that may do nothing else in this cluster.
store_connection() {
  printf 'Host=127.0.0.1;Port=%s;Username=rostrum_store;Password=%s;Database=%s' "$(<"$PG/port")" "$(store_password)" "$1"
}

store_password() {
  [[ -s $PG/store.password ]] || (umask 077 && random_secret >"$PG/store.password")
  cat "$PG/store.password"
}

store_role() {
  pg_sql postgres "DO \$\$ BEGIN CREATE ROLE rostrum_store LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE; EXCEPTION WHEN duplicate_object THEN NULL; END \$\$"
  pg_sql postgres "ALTER ROLE rostrum_store PASSWORD '$(store_password)'"
}

has_database() { [[ $(pg_sql postgres "SELECT 1 FROM pg_database WHERE datname = '$1'") == 1 ]]; }

# The company's database belongs to a person of the company's: Rostrum connects as that one, not as its own.
load_fleet() {
  pg_sql postgres "DROP DATABASE IF EXISTS fleet_loading WITH (FORCE)"
  pg_sql postgres "DO \$\$ BEGIN CREATE ROLE ferries LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END \$\$"
  pg_sql postgres "ALTER ROLE ferries PASSWORD '$(fleet_password)'"
  pg_sql postgres "CREATE DATABASE fleet_loading OWNER ferries"
  ROSTRUM_FLEET=$(fleet_connection | sed 's/Database=fleet$/Database=fleet_loading/') dotnet "$STANDINS" fleet || return
  mkdir -p "$LOCAL/files"
  dotnet "$STANDINS" dues "$LOCAL/files/dues.db" || return
  pg_sql postgres "ALTER DATABASE fleet_loading RENAME TO fleet"
}

# The crew office's database is there where MariaDB is installed.
crew_up() {
  have mariadbd || return 0
  my_answers || step "Starting MariaDB" my_start
  [[ -e $MY/crew.loaded ]] || step "Loading the demo's crew database" load_crew
}

load_crew() {
  ROSTRUM_CREW=$(my_connection crew) dotnet "$STANDINS" crew && touch "$MY/crew.loaded"
}

load_records() {
  pg_sql postgres "DROP DATABASE IF EXISTS rostrum_loading WITH (FORCE)"
  store_role
  pg_sql postgres "CREATE DATABASE rostrum_loading OWNER rostrum_store"
  (web_environment && ROSTRUM_STORE=$(store_connection rostrum_loading) && export ROSTRUM_STORE && cd src/Rostrum.Web && dotnet bin/Release/net10.0/Rostrum.Web.dll load-demo) || return
  pg_sql postgres "ALTER DATABASE rostrum_loading RENAME TO rostrum"
}

# Records from before that role was made are the demo's, and are loaded anew.
drop_records_of_others() {
  [[ $(pg_sql postgres "SELECT 1 FROM pg_database WHERE datname = 'rostrum' AND pg_get_userbyid(datdba) <> 'rostrum_store'") != 1 ]] ||
    pg_sql postgres "DROP DATABASE rostrum WITH (FORCE)"
}

load_demo() {
  drop_records_of_others
  has_database fleet || step "Loading the demo's fleet database" load_fleet
  crew_up
  has_database rostrum || step "Loading the demo's people and apps" load_records
}

# Rostrum without the demo: a store of its own beside the demo's, in which the first visitor with the link becomes owner.
EMPTY_STORE=rostrum_empty

empty_store() {
  store_role
  has_database "$EMPTY_STORE" || pg_sql postgres "CREATE DATABASE $EMPTY_STORE OWNER rostrum_store"
}

first_owner() {
  (web_environment && cd src/Rostrum.Web && dotnet bin/Release/net10.0/Rostrum.Web.dll first-owner)
}

demo_sign_ins() {
  printf 'Sign in as one of these; the password is %s for all of them.\n' "harbour-light-42"
  sed -n 's/^| `\(.*\)` | \(.*\) | \(.*\) |$/  \1|\2|\3/p' demo/people.md | awk -F'|' '{ printf "%-12s %-18s %s\n", $1, $2, $3 }'
}

reset() {
  need_tools
  pg_ensure
  build_application
  local was_up=no
  web_pid >/dev/null && was_up=yes
  web_stop
  step "Dropping the demo" drop_demo
  standin_stop harbour
  harbour_up
  post_up
  gatehouse_up
  signal_up
  load_demo
  [[ $was_up == no ]] || step "Starting the application" web_start
}

drop_demo() {
  rm -f "$MY/crew.loaded"
  pg_sql postgres "DROP DATABASE IF EXISTS fleet WITH (FORCE)"
  pg_sql postgres "DROP DATABASE IF EXISTS rostrum WITH (FORCE)"
}
