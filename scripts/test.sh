# The tests, on databases of their own. The last line is `N passed, N failed`.

PASSED=0
FAILED=0

run_tests() {
  local part=${1:-all} postgres_was_up=no
  need_tools
  pg_answers && postgres_was_up=yes
  pg_ensure
  ROSTRUM_TEST_POSTGRES=$(pg_connection postgres)
  export ROSTRUM_TEST_POSTGRES
  if [[ $part == all || $part == sources ]]; then
    my_ensure
    trap my_stop EXIT
    ROSTRUM_TEST_MARIADB=$(<"$LOCAL/run/mariadb.connection")
    export ROSTRUM_TEST_MARIADB
  fi
  build_assets
  case $part in
    all)
      step "Building everything" build_projects Rostrum.slnx
      touch "$LOCAL/run/build.stamp"
      run_dotnet Rostrum.Core.Tests
      run_dotnet Rostrum.Sources.Tests
      run_dotnet Rostrum.Web.Tests
      run_e2e
      ;;
    core) build_and_run Rostrum.Core.Tests ;;
    sources) build_and_run Rostrum.Sources.Tests ;;
    web) build_and_run Rostrum.Web.Tests ;;
    e2e) build_application; run_e2e ;;
    *) fail "usage: ./rostrum test [core|sources|web|e2e]" ;;
  esac
  [[ $postgres_was_up == yes ]] || pg_stop >/dev/null
  printf '\n%s passed, %s failed\n' "$PASSED" "$FAILED"
  ((FAILED == 0 && PASSED > 0))
}

build_and_run() {
  step "Building $1" build_projects "tests/$1"
  run_dotnet "$1"
}

run_dotnet() {
  local log=$LOCAL/run/$1.log started=$SECONDS passed failed
  dotnet test "tests/$1" -c Release --no-build --nologo >"$log" 2>&1 </dev/null || true
  passed=$(sed -n 's/.*Failed: *[0-9]*, Passed: *\([0-9]*\),.*/\1/p' "$log" | tail -n 1)
  failed=$(sed -n 's/.*Failed: *\([0-9]*\), Passed:.*/\1/p' "$log" | tail -n 1)
  report "$1" "${passed:-0}" "${failed:-1}" "$((SECONDS - started))" "$log"
}

report() {
  PASSED=$((PASSED + $2))
  FAILED=$((FAILED + $3))
  printf '%-46s %6s s   %s passed, %s failed\n' "$1" "$4" "$2" "$3"
  if (($3 > 0)); then grep -vE "^(info|warn):" "$5" | tail -n 200 >&2; fi
}

# An application of its own, on a free port, with the demo in databases of its own.
run_e2e() {
  need_chromium
  local started=$SECONDS log=$LOCAL/run/e2e.log report=$LOCAL/run/e2e.json port pid passed failed
  (
    export E2E=test_e2e_$$
    pg_sql postgres "CREATE DATABASE ${E2E}_fleet"
    pg_sql postgres "CREATE DATABASE ${E2E}_store"
    trap 'for name in fleet store; do pg_sql postgres "DROP DATABASE IF EXISTS ${E2E}_$name WITH (FORCE)"; done' EXIT
    ROSTRUM_FLEET=$(pg_connection "${E2E}_fleet")
    ROSTRUM_STORE=$(pg_connection "${E2E}_store")
    export ROSTRUM_FLEET ROSTRUM_STORE ASPNETCORE_ENVIRONMENT=Production ROSTRUM_E2E_REPORT=$report
    dotnet "$STANDINS" fleet
    cd src/Rostrum.Web
    dotnet bin/Release/net10.0/Rostrum.Web.dll load-demo
    port=$(free_port)
    export ROSTRUM_ADDRESS=http://127.0.0.1:$port
    dotnet bin/Release/net10.0/Rostrum.Web.dll --urls "$ROSTRUM_ADDRESS" >"$LOCAL/run/e2e-web.log" 2>&1 </dev/null &
    pid=$!
    cd "$ROOT"
    wait_until 60 curl -fsS -o /dev/null "$ROSTRUM_ADDRESS/health"
    rm -f "$report"
    npx --no-install playwright test ${E2E_ONLY:-} -c tests/e2e/playwright.config.mjs || true
    kill "$pid"
    wait "$pid" || true
  ) >"$log" 2>&1 </dev/null || true
  passed=$(node -p "JSON.parse(require('fs').readFileSync('$report')).stats.expected" 2>/dev/null || echo 0)
  failed=$(node -p "const s = JSON.parse(require('fs').readFileSync('$report')).stats; s.unexpected + s.flaky + JSON.parse(require('fs').readFileSync('$report')).errors.length" 2>/dev/null || echo 1)
  report "e2e" "$passed" "$failed" "$((SECONDS - started))" "$log"
}

run_bench() {
  need_tools
  have wrk || step "Installing wrk" debian_install wrk
  pg_ensure
  build_application
  export ROOT LOCAL
  bash bench/run.sh
  ROSTRUM_BENCH=$(pg_connection bench_fleet) dotnet run --project bench/Rostrum.Bench.Sql -c Release
  dotnet run --project bench/Rostrum.Bench.Formulas -c Release -- --artifacts "$LOCAL/run/benchmarks"
}
