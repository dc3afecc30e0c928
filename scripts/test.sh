# The tests, on a PostgreSQL and databases of their own. The last line is `N passed, N failed`.

PASSED=0
FAILED=0
RESULTS=$LOCAL/run/results

run_tests() {
  local part=${1:-all} postgres_was_up=no
  # What runs for minutes does not earn back what it costs to watch how it runs, nor to map what it compiles twice.
  export DOTNET_TieredPGO=0 DOTNET_EnableWriteXorExecute=0
  need_tools
  pg_use_test_cluster
  pg_answers && postgres_was_up=yes
  pg_ensure
  [[ $postgres_was_up == yes ]] || step "Removing what an earlier run left" drop_test_databases
  ROSTRUM_TEST_POSTGRES=$(pg_connection postgres)
  export ROSTRUM_TEST_POSTGRES
  rm -rf "$RESULTS" && mkdir -p "$RESULTS"
  case $part in
    all) test_all ;;
    long) export ROSTRUM_TEST_LONG=yes FORMULA_CASES=${FORMULA_CASES:-6000}; test_all; test_chaos; test_workflow_chaos ;;
    chaos) build_application; test_chaos; test_workflow_chaos ;;
    chaos-runs) build_application; test_workflow_chaos ;;
    core) build_and_run core ;;
    web) my_up; build_assets; build_and_run web ;;
    sources) my_up; build_and_run sources ;;
    e2e) my_up; need_chromium; build_assets; build_application; run_suites e2e ;;
    *) fail "usage: ./rostrum test [core|sources|web|e2e|chaos|chaos-runs|long]" ;;
  esac
  [[ $postgres_was_up == yes ]] || pg_stop >/dev/null
  [[ $part == chaos* ]] || slowest
  printf '\n%s passed, %s failed\n' "$PASSED" "$FAILED"
  ((FAILED == 0 && PASSED > 0))
}

test_all() {
  # What lies below the pages is built while the rest is installed. What is wrong with it, the application's build says.
  is_built || KEEP_COMPILER=yes build_projects src/Rostrum.Store src/Rostrum.Sources src/Rostrum.StandIns >"$LOCAL/run/below.log" 2>&1 </dev/null &
  local below=$!
  my_up
  need_chromium
  build_assets
  wait "$below" || true
  KEEP_COMPILER=yes build_application
  # Two lanes for two cores: the browser waits for the application as often as the other suites wait for their databases. Its stories are
  # the longer lane and need the application alone, so that the other tests are built beside them.
  run_suites "build core sources web" e2e
}

my_up() {
  my_ensure
  ldap_ensure
  trap 'my_remove; ldap_stop' EXIT
  ldap_environment
  ROSTRUM_TEST_MARIADB=$(my_connection)
  export ROSTRUM_TEST_MARIADB
}

drop_test_databases() {
  local name
  for name in $(pg_sql postgres "SELECT datname FROM pg_database WHERE datname LIKE 'test\\_%'"); do
    pg_sql postgres "DROP DATABASE \"$name\" WITH (FORCE)"
  done
}

build_and_run() {
  step "Building $(suite_project "$1")" build_projects "tests/$(suite_project "$1")"
  run_suites "$1"
}

# Runs lanes beside one another, and the suites of a lane one after the other: run_suites "core web" e2e
run_suites() {
  local lane suite lanes=()
  for lane in "$@"; do
    (for suite in $lane; do run_suite "$suite"; done) &
    lanes+=($!)
  done
  wait "${lanes[@]}" || true
  for suite in ${*/build/}; do report "$suite"; done
}

suite_project() { printf 'Rostrum.%s.Tests' "${1^}"; }

# Leaves the suite's log, its counts ("passed failed seconds") and the time of each of its tests ("seconds name").
run_suite() {
  local started=$SECONDS
  if [[ $1 == build ]]; then step "Building the tests" build_projects Rostrum.Tests.slnf; return; fi
  if [[ $1 == e2e ]]; then run_e2e; else run_dotnet "$1"; fi
  printf '%s %s\n' "$(node scripts/test-results.mjs "$RESULTS" "$1")" "$((SECONDS - started))" >"$RESULTS/$1.counts"
  printf '%-46s %6s s\n' "$1 ended" "$((SECONDS - started))"
}

run_dotnet() {
  dotnet test "tests/$(suite_project "$1")" -c Release --no-build --nologo --logger "trx;LogFileName=$1.trx" --results-directory "$RESULTS" \
    >"$RESULTS/$1.log" 2>&1 </dev/null || true
}

report() {
  local passed failed seconds
  read -r passed failed seconds <"$RESULTS/$1.counts"
  PASSED=$((PASSED + passed))
  FAILED=$((FAILED + failed))
  printf '%-46s %6s s   %s passed, %s failed\n' "$1" "$seconds" "$passed" "$failed"
  if ((failed > 0)); then grep -vE "^(info|warn):" "$RESULTS/$1.log" | tail -n 200 >&2; fi
}

slowest() {
  printf '\nThe ten slowest tests:\n'
  # Reads to the end: a reader that stops early kills the sorter with SIGPIPE, and the run with it.
  sort -rn "$RESULTS"/*.times | awk 'NR <= 10 { seconds = $1; $1 = ""; printf "%7.1f s %s\n", seconds, $0 }'
}

# The browser's stories run two at a time, each worker with an application and databases of its own: copies of ones that are made once.
E2E_WORKERS=2

run_e2e() {
  local worker
  (
    export ASPNETCORE_ENVIRONMENT=Production ROSTRUM_E2E_REPORT=$RESULTS/e2e.json ROSTRUM_E2E_WORKERS=$E2E_WORKERS
    export ROSTRUM_ADDRESSES='' ROSTRUM_FLEETS='' pids=''
    workspace_key
    ROSTRUM_GATEHOUSE=http://127.0.0.1:$(free_port)
    export ROSTRUM_GATEHOUSE
    ROSTRUM_SIGNAL=http://127.0.0.1:$(free_port)
    export ROSTRUM_SIGNAL
    trap 'kill $pids 2>/dev/null; wait $pids' EXIT
    dotnet "$STANDINS" signal "$ROSTRUM_SIGNAL" &
    pids+=" $!"
    wait_until 60 curl -fsS -o /dev/null "$ROSTRUM_SIGNAL/"
    e2e_databases
    ROSTRUM_E2E_HARBOUR=http://127.0.0.1:$(free_port)
    export ROSTRUM_E2E_HARBOUR
    dotnet "$STANDINS" harbour "$ROSTRUM_E2E_HARBOUR" &
    pids+=" $!"
    dotnet "$STANDINS" gatehouse "$ROSTRUM_GATEHOUSE" &
    pids+=" $!"
    wait_until 60 curl -fsS -o /dev/null "$ROSTRUM_GATEHOUSE/.well-known/openid-configuration"
    for ((worker = 0; worker < E2E_WORKERS; worker++)); do e2e_application "$worker"; done
    npx --no-install playwright test ${E2E_ONLY:-} -c tests/e2e/playwright.config.mjs || true
  ) >"$RESULTS/e2e.log" 2>&1 </dev/null || true
}

e2e_databases() {
  local worker name
  for name in fleet store; do
    pg_sql postgres "DROP DATABASE IF EXISTS test_e2e_$name WITH (FORCE)"
    pg_sql postgres "CREATE DATABASE test_e2e_$name"
  done
  ROSTRUM_FLEET=$(pg_connection test_e2e_fleet) dotnet "$STANDINS" fleet
  if [[ -n ${ROSTRUM_TEST_MARIADB:-} ]]; then
    export ROSTRUM_CREW="$ROSTRUM_TEST_MARIADB;Database=crew"
    dotnet "$STANDINS" crew
  fi
  (
    ROSTRUM_FLEET=$(pg_connection test_e2e_fleet) ROSTRUM_STORE=$(pg_connection test_e2e_store)
    export ROSTRUM_FLEET ROSTRUM_STORE
    cd src/Rostrum.Web && dotnet bin/Release/net10.0/Rostrum.Web.dll load-demo
  )
  for ((worker = 0; worker < E2E_WORKERS; worker++)); do
    for name in fleet store; do
      pg_sql postgres "DROP DATABASE IF EXISTS test_e2e_$name$worker WITH (FORCE)"
      pg_sql postgres "CREATE DATABASE test_e2e_$name$worker TEMPLATE test_e2e_$name"
    done
    pg_sql "test_e2e_store$worker" "UPDATE sources SET database = 'test_e2e_fleet$worker' WHERE name = 'Fleet'"
  done
}

# Sets pids, ROSTRUM_ADDRESSES and ROSTRUM_FLEETS.
e2e_application() {
  local address
  address=http://127.0.0.1:$(free_port)
  (
    ROSTRUM_FLEET=$(pg_connection "test_e2e_fleet$1") ROSTRUM_STORE=$(pg_connection "test_e2e_store$1")
    export ROSTRUM_FLEET ROSTRUM_STORE
    # What is used for some minutes is compiled once: a second time, for speed, would take a sixth of what it uses of the processor.
    export DOTNET_TC_CallCounting=0
    cd src/Rostrum.Web && exec dotnet bin/Release/net10.0/Rostrum.Web.dll --urls "$address"
  ) >"$LOCAL/run/e2e-web$1.log" 2>&1 </dev/null &
  pids+=" $!"
  wait_until 60 curl -fsS -o /dev/null "$address/health"
  ROSTRUM_ADDRESSES+="$address "
  ROSTRUM_FLEETS+="$(pg_connection "test_e2e_fleet$1") "
}

# Runs the application over the stories' databases and kills it again and again: keep_killing PORT PID-FILE SECONDS. It lives SECONDS to
# twice that; without a port each start has one of its own.
keep_killing() {
  local seconds=${CHAOS_SECONDS:-$3}
  export ASPNETCORE_ENVIRONMENT=Production
  ROSTRUM_FLEET=$(pg_connection test_e2e_fleet0) ROSTRUM_STORE=$(pg_connection test_e2e_store0)
  export ROSTRUM_FLEET ROSTRUM_STORE
  cd src/Rostrum.Web
  while :; do
    dotnet bin/Release/net10.0/Rostrum.Web.dll --urls "http://127.0.0.1:${1:-$(free_port)}" >/dev/null 2>&1 &
    printf '%s\n' $! >"$2"
    sleep "$((seconds + RANDOM % $3)).$((RANDOM % 10))"
    kill -9 $! 2>/dev/null
    wait $! 2>/dev/null || true
  done
}

# While the application is killed every six to twelve seconds, somebody adds records: each is there once in the end.
CHAOS_RECORDS=${CHAOS_RECORDS:-200}
CHAOS_BULKS=5
CHAOS_ROWS=${CHAOS_ROWS:-20000}

test_chaos() {
  local port killer failed=0 started=$SECONDS
  workspace_key
  (E2E_WORKERS=1; e2e_databases) >"$RESULTS/chaos.log" 2>&1
  port=$(free_port)
  keep_killing "$port" "$RESULTS/chaos.pid" 6 &
  killer=$!
  node tests/chaos/inserts.mjs "http://127.0.0.1:$port" "$CHAOS_RECORDS" "Chaos record" "$CHAOS_BULKS" || failed=1
  node tests/chaos/import.mjs "http://127.0.0.1:$port" "$CHAOS_ROWS" "Chaos yard" || failed=1
  kill "$killer" 2>/dev/null; wait "$killer" 2>/dev/null || true
  kill -9 "$(<"$RESULTS/chaos.pid")" 2>/dev/null || true
  local added
  added=$(pg_sql test_e2e_fleet0 "SELECT count(*) || ' ' || count(DISTINCT title) FROM defects WHERE title LIKE 'Chaos record %'")
  printf 'chaos: of %s records %s are there (all, different), %s s\n' "$CHAOS_RECORDS" "$added" "$((SECONDS - started))"
  [[ $added == "$CHAOS_RECORDS $CHAOS_RECORDS" ]] || failed=1
  local doubled
  doubled=$(pg_sql test_e2e_fleet0 "SELECT count(*) || ' ' || count(*) FILTER (WHERE coalesce(actual_cost, -1) = $CHAOS_BULKS) FROM defects WHERE title LIKE 'Chaos record %'")
  printf 'chaos: of the records changed %s times in bulk (all, as often as they should be): %s\n' "$CHAOS_BULKS" "$doubled"
  [[ $doubled == "$CHAOS_RECORDS $CHAOS_RECORDS" ]] || failed=1
  local imported
  imported=$(pg_sql test_e2e_fleet0 "SELECT count(*) || ' ' || count(DISTINCT budget) FROM dockings WHERE yard = 'Chaos yard'")
  printf 'chaos: of %s rows imported (all, different): %s\n' "$CHAOS_ROWS" "$imported"
  [[ $imported == "$CHAOS_ROWS $CHAOS_ROWS" ]] || failed=1
  if ((failed)); then FAILED=$((FAILED + 1)); else PASSED=$((PASSED + 1)); fi
  test_bad_requests "$port"
  test_log_after_chaos
}

# What was saved while nodes were killed stands in the logbook, each once, and its chain holds.
test_log_after_chaos() {
  local entries verified failed=0
  entries=$(pg_sql test_e2e_store0 "SELECT count(*) || ' ' || count(DISTINCT key) FROM log_entries WHERE title LIKE 'Chaos record %' AND kind = 'added'")
  verified=$(cd src/Rostrum.Web && ROSTRUM_FLEET=$(pg_connection test_e2e_fleet0) ROSTRUM_STORE=$(pg_connection test_e2e_store0) dotnet bin/Release/net10.0/Rostrum.Web.dll verify-log) || failed=1
  printf 'chaos: of %s records added the logbook has %s (entries, records); %s\n' "$CHAOS_RECORDS" "$entries" "$verified"
  [[ $entries == "$CHAOS_RECORDS $CHAOS_RECORDS" ]] || failed=1
  if ((failed)); then FAILED=$((FAILED + 1)); else PASSED=$((PASSED + 1)); fi
}

# Two workers are killed again and again while they carry a thousand runs on: each thing that a run does outside is done once.
test_workflow_chaos() {
  local started=$SECONDS runs=${CHAOS_RUNS:-1000} failed=0 killers=() pids=() worker fleet signal
  workspace_key
  ROSTRUM_SIGNAL=http://127.0.0.1:$(free_port)
  export ROSTRUM_SIGNAL
  dotnet "$STANDINS" signal "$ROSTRUM_SIGNAL" >/dev/null 2>&1 &
  pids+=($!)
  wait_until 60 curl -fsS -o /dev/null "$ROSTRUM_SIGNAL/"
  (E2E_WORKERS=1; e2e_databases) >"$RESULTS/workflow-chaos.log" 2>&1
  fleet=$(pg_sql test_e2e_store0 "SELECT d.id FROM datasets d WHERE d.definition->>'name' = 'defects'")
  signal=$(pg_sql test_e2e_store0 "SELECT id FROM sources WHERE name = 'Signal room'")
  sed "s/DEFECTS/$fleet/g; s/SIGNAL/$signal/g; s/RUNS/$runs/g" tests/chaos/runs.sql >"$RESULTS/runs.sql"
  pg_sql test_e2e_store0 "$(<"$RESULTS/runs.sql")"
  for worker in 1 2; do
    keep_killing "" "$RESULTS/workflow-chaos.$worker.pid" 8 &
    killers+=($!)
  done
  until [[ $(pg_sql test_e2e_store0 "SELECT count(*) FROM workflow_runs WHERE status IN ('Ready', 'Waiting')") == 0 ]]; do
    ((SECONDS - started < 1500)) || { failed=1; break; }
    sleep 1
  done
  kill "${killers[@]}" 2>/dev/null; wait "${killers[@]}" 2>/dev/null || true
  for worker in 1 2; do kill -9 "$(<"$RESULTS/workflow-chaos.$worker.pid")" 2>/dev/null || true; done
  local done_runs records messages
  done_runs=$(pg_sql test_e2e_store0 "SELECT count(*) FROM workflow_runs WHERE status = 'Done'")
  records=$(pg_sql test_e2e_fleet0 "SELECT count(*) || ' ' || count(DISTINCT title) FROM defects WHERE reported_by = 'chaos' AND state = 'closed'")
  messages=$(curl -fsS "$ROSTRUM_SIGNAL/messages" | node -e 'const all = JSON.parse(require("fs").readFileSync(0)); console.log(all.length, new Set(all.map(one => one.text)).size, all.reduce((sum, one) => sum + one.calls, 0))')
  kill "${pids[@]}" 2>/dev/null || true
  printf 'chaos: of %s runs %s are done; records, different: %s; messages, different, calls: %s; %s s\n' "$runs" "$done_runs" "$records" "$messages" "$((SECONDS - started))"
  [[ $done_runs == "$runs" && $records == "$runs $runs" && $messages == "$runs $runs "* ]] || failed=1
  if ((failed)); then FAILED=$((FAILED + 1)); else PASSED=$((PASSED + 1)); fi
}

# Requests that nothing should be asked for: none may end in a fault.
test_bad_requests() {
  local failed=0
  (
    export ASPNETCORE_ENVIRONMENT=Production
    ROSTRUM_FLEET=$(pg_connection test_e2e_fleet0) ROSTRUM_STORE=$(pg_connection test_e2e_store0)
    export ROSTRUM_FLEET ROSTRUM_STORE
    cd src/Rostrum.Web && exec dotnet bin/Release/net10.0/Rostrum.Web.dll --urls "http://127.0.0.1:$1"
  ) >"$RESULTS/bad-requests.log" 2>&1 </dev/null &
  local pid=$!
  wait_until 60 curl -fsS -o /dev/null "http://127.0.0.1:$1/health"
  node tests/chaos/requests.mjs "http://127.0.0.1:$1" || failed=1
  kill "$pid"; wait "$pid" 2>/dev/null || true
  if ((failed)); then FAILED=$((FAILED + 1)); else PASSED=$((PASSED + 1)); fi
}

run_bench() {
  need_tools
  have wrk || step "Installing wrk" debian_install wrk
  pg_ensure
  build_application
  export ROOT LOCAL
  [[ ${1:-} != sources ]] || { bench_sources; return; }
  [[ ${1:-} != pages ]] || { bench_pages; return; }
  [[ ${1:-} != runs ]] || { bench_runs; return; }
  [[ ${1:-} != saves ]] || { bench_saves; return; }
  bash bench/run.sh
  ROSTRUM_BENCH=$(pg_connection bench_fleet) dotnet run --project bench/Rostrum.Bench.Sql -c Release
  bench_sources
  bench_pages
  bench_runs
  bench_saves
  dotnet run --project bench/Rostrum.Bench.Formulas -c Release -- --artifacts "$LOCAL/run/benchmarks"
}

# A set of a thousand changed rows, and the same by hand; what the logbook adds to a save, and the undo of ten thousand changes.
bench_saves() {
  has_database bench_saves || pg_sql postgres "CREATE DATABASE bench_saves"
  ROSTRUM_BENCH=$(pg_connection bench_saves) dotnet run --project bench/Rostrum.Bench.Saves -c Release
  workspace_key
  (E2E_WORKERS=1; e2e_databases) >"$LOCAL/run/bench-saves.log" 2>&1
  ROSTRUM_FLEET=$(pg_connection test_e2e_fleet0) ROSTRUM_STORE=$(pg_connection test_e2e_store0) ASPNETCORE_ENVIRONMENT=Production \
    dotnet run --project bench/Rostrum.Bench.Logbook -c Release
}

# A thousand runs of three steps by one node, and the same by hand over Hangfire and HttpClient, in turn.
bench_runs() {
  local runs=${BENCH_RUNS:-1000} signal pid began took fleet source
  step "Building what is written by hand" build_projects bench/Rostrum.Bench.Runs
  workspace_key
  signal=http://127.0.0.1:$(free_port)
  ROSTRUM_SIGNAL=$signal
  export ROSTRUM_SIGNAL
  dotnet "$STANDINS" signal "$signal" >/dev/null 2>&1 &
  pid=$!
  wait_until 60 curl -fsS -o /dev/null "$signal/"
  (E2E_WORKERS=1; e2e_databases) >"$RESULTS/bench-runs.log" 2>&1
  for round in 1 2; do
    pg_sql postgres "DROP DATABASE IF EXISTS bench_hangfire WITH (FORCE)"
    pg_sql postgres "CREATE DATABASE bench_hangfire"
    took=$(dotnet bench/Rostrum.Bench.Runs/bin/Release/net10.0/Rostrum.Bench.Runs.dll "$(pg_connection bench_hangfire)" "$(pg_connection test_e2e_fleet0)" "$signal" "$runs")
    awk -v runs="$runs" -v took="$took" 'BEGIN { printf "by hand over Hangfire: %d runs of three steps in %.1f s, %.0f steps a second\n", runs, took, 3 * runs / took }'
    fleet=$(pg_sql test_e2e_store0 "SELECT d.id FROM datasets d WHERE d.definition->>'name' = 'defects'")
    source=$(pg_sql test_e2e_store0 "SELECT id FROM sources WHERE name = 'Signal room'")
    pg_sql test_e2e_store0 "DELETE FROM workflow_runs; DELETE FROM workflows WHERE name = 'bench'"
    sed "s/DEFECTS/$fleet/g; s/SIGNAL/$source/g; s/RUNS/$runs/g" bench/runs.sql >"$RESULTS/bench-runs.sql"
    pg_sql test_e2e_store0 "$(<"$RESULTS/bench-runs.sql")"
    (
      ROSTRUM_FLEET=$(pg_connection test_e2e_fleet0) ROSTRUM_STORE=$(pg_connection test_e2e_store0) ASPNETCORE_ENVIRONMENT=Production
      export ROSTRUM_FLEET ROSTRUM_STORE ASPNETCORE_ENVIRONMENT
      cd src/Rostrum.Web && exec dotnet bin/Release/net10.0/Rostrum.Web.dll --urls "http://127.0.0.1:$(free_port)"
    ) >"$RESULTS/bench-runs-web.log" 2>&1 </dev/null &
    local web=$!
    until [[ $(pg_sql test_e2e_store0 "SELECT count(*) FROM workflow_runs WHERE ended_at IS NULL") == 0 ]]; do sleep 0.2; done
    kill "$web"; wait "$web" 2>/dev/null || true
    pg_sql test_e2e_store0 "SELECT format('Rostrum: %s runs of three steps in %s s, %s steps a second, %s done',
      count(*), round(extract(epoch FROM max(ended_at) - min(begun_at)), 1), round(3 * count(*) / extract(epoch FROM max(ended_at) - min(begun_at))),
      count(*) FILTER (WHERE status = 'Done')) FROM workflow_runs"
  done
  kill "$pid"
}

bench_sources() {
  my_up
  ROSTRUM_BENCH_MARIADB=$ROSTRUM_TEST_MARIADB ROSTRUM_BENCH_POSTGRES=$(pg_connection postgres) \
    dotnet run --project bench/Rostrum.Bench.Sources -c Release
}

# List pages of other databases than PostgreSQL, whose tables the benchmark before makes where they are not there.
bench_pages() {
  need_chromium
  my_up
  export ROSTRUM_BENCH_MARIADB=$ROSTRUM_TEST_MARIADB ROSTRUM_BENCH_SQLITE=/tmp/rostrum_bench.db
  local kind
  for kind in sqlite mariadb; do BENCH_ONLY=$kind BENCH_ROUNDS=5 dotnet run --project bench/Rostrum.Bench.Sources -c Release >/dev/null; done
  workspace_key
  (E2E_WORKERS=1; e2e_databases) >"$LOCAL/run/bench-pages.log" 2>&1
  step "Building the pages written by hand" build_projects bench/Rostrum.Bench.Peer
  bash bench/pages.sh
}
