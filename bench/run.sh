#!/usr/bin/env bash
# The list page over a million sailings: Rostrum against a page written by hand with Dapper, in turn, in one run.
# Called by `./rostrum bench`, which has started PostgreSQL and built the application. BENCH_SECONDS a measurement, BENCH_ROUNDS of them.
set -euo pipefail
seconds=${BENCH_SECONDS:-6}
rounds=${BENCH_ROUNDS:-3}
for part in steps install postgres build application demo; do
  # shellcheck source=/dev/null
  source "scripts/$part.sh"
done

workspace_key

make_million() {
  pg_sql postgres "CREATE DATABASE bench_fleet"
  ROSTRUM_FLEET=$(pg_connection bench_fleet) dotnet "$STANDINS" fleet
  pg_sql bench_fleet "INSERT INTO sailings (route_code, vessel, departs, arrives_planned, arrives_actual, state, foot_passengers, cars, fare_revenue, cancellation_reason)
    SELECT s.route_code, s.vessel, s.departs - n * interval '366 days', s.arrives_planned - n * interval '366 days', s.arrives_actual - n * interval '366 days', s.state, s.foot_passengers, s.cars, s.fare_revenue, s.cancellation_reason
    FROM sailings s, generate_series(1, 30) n LIMIT 1000000 - (SELECT count(*) FROM sailings)"
  pg_sql bench_fleet "VACUUM (ANALYZE) sailings"
}

make_records() {
  pg_sql postgres "DROP DATABASE IF EXISTS bench_store WITH (FORCE)"
  pg_sql postgres "CREATE DATABASE bench_store"
  (cd src/Rostrum.Web && ROSTRUM_STORE=$(pg_connection bench_store) ROSTRUM_FLEET=$(pg_connection bench_fleet) dotnet bin/Release/net10.0/Rostrum.Web.dll load-demo)
}

has_database bench_fleet || step "Making a million sailings" make_million
step "Loading the demo's apps over them" make_records
step "Building the page written by hand" build_projects bench/Rostrum.Bench.Peer

ours=$(free_port 0)
theirs=$(free_port 0)
export ASPNETCORE_ENVIRONMENT=Production
(cd src/Rostrum.Web && ROSTRUM_STORE=$(pg_connection bench_store) exec dotnet bin/Release/net10.0/Rostrum.Web.dll --urls "http://127.0.0.1:$ours") >"$LOCAL/run/bench-rostrum.log" 2>&1 </dev/null &
ours_pid=$!
started=${EPOCHREALTIME/[^0-9]/}
wait_until 60 curl -fsS -o /dev/null "http://127.0.0.1:$ours/health"
start_ms=$(((${EPOCHREALTIME/[^0-9]/} - started) / 1000))
(cd bench/Rostrum.Bench.Peer && ROSTRUM_BENCH=$(pg_connection bench_fleet) exec dotnet bin/Release/net10.0/Rostrum.Bench.Peer.dll --urls "http://127.0.0.1:$theirs") >"$LOCAL/run/bench-peer.log" 2>&1 </dev/null &
theirs_pid=$!
trap 'kill $ours_pid $theirs_pid 2>/dev/null' EXIT
wait_until 60 curl -fsS -o /dev/null "http://127.0.0.1:$theirs/sailings"

memory() { awk '/^VmRSS/ { printf "%d", $2 / 1024 }' "/proc/$1/status"; }

jar=$LOCAL/run/bench.cookies
cookie_of() { # cookie_of PERSON
  local token
  rm -f "$jar"
  token=$(curl -sS -c "$jar" "http://127.0.0.1:$ours/sign-in" | sed -n 's/.*__RequestVerificationToken" type="hidden" value="\([^"]*\)".*/\1/p' | head -n 1)
  curl -sS -o /dev/null -b "$jar" -c "$jar" --data-urlencode "UserName=$1" --data-urlencode "Password=harbour-light-42" --data-urlencode "__RequestVerificationToken=$token" "http://127.0.0.1:$ours/sign-in"
  awk '$6 == "rostrum" { print "rostrum=" $7 }' "$jar"
}

agent=$(cookie_of pia)
engineer=$(cookie_of egil)
builder=$(cookie_of bea)
export BENCH_COOKIE=$builder
rest=$(memory $ours_pid)

list=http://127.0.0.1:$ours/apps/timetable/sailings
hand=http://127.0.0.1:$theirs/sailings
# The address that "Further" gives on page 9,999 carries the place where it ended; a typed page number does not.
further=$(curl -sS -b "$jar" "$list?sailings.page=9999" | sed -n 's/.*rel="next" href="\([^"]*\)".*/\1/p' | sed 's/&amp;/\&/g' | head -n 1)
printf 'weight of the first page: Rostrum %s bytes, by hand %s bytes\n\n' "$(curl -sS -b "$jar" "$list" | wc -c)" "$(curl -sS "$hand" | wc -c)"

measure() { # measure ADDRESS CONNECTIONS
  wrk -t1 -c"$2" -d"${seconds}s" --timeout 30s -s bench/list-page.lua "$1" | sed -n 's/^RESULT //p'
}

# Both are warm before the first figure: .NET compiles its hot paths a second time while they run.
start_page=http://127.0.0.1:$ours/apps/maintenance/today
wrk -t1 -c8 -d"${BENCH_WARM:-40}s" "$list" -H "Cookie: $BENCH_COOKIE" >/dev/null
wrk -t1 -c8 -d"${BENCH_WARM:-40}s" "$hand" >/dev/null
wrk -t1 -c8 -d"${BENCH_WARM:-40}s" --timeout 30s "$start_page" -H "Cookie: $engineer" >/dev/null
printf '%-34s %28s   %28s   %s\n' "" "Rostrum" "by hand" "ratio of"
printf '%-34s %28s   %28s   %s\n' "case" "req/s    p50 ms    p99 ms" "req/s    p50 ms    p99 ms" "throughput"
while IFS='|' read -r name ours_address theirs_address connections person; do
  BENCH_COOKIE=${person:-$builder}
  measure "$ours_address" "$connections" >/dev/null
  measure "$theirs_address" "$connections" >/dev/null
  : >"$LOCAL/run/bench.ours" >"$LOCAL/run/bench.theirs"
  for ((round = 0; round < rounds; round++)); do
    measure "$ours_address" "$connections" >>"$LOCAL/run/bench.ours"
    measure "$theirs_address" "$connections" >>"$LOCAL/run/bench.theirs"
  done
  paste -d' ' <(sort -n "$LOCAL/run/bench.ours" | sed -n "$(((rounds + 1) / 2))p") <(sort -n "$LOCAL/run/bench.theirs" | sed -n "$(((rounds + 1) / 2))p") |
    awk -v name="$name" '{ printf "%-34s %10.1f %8.1f %8.1f   %10.1f %8.1f %8.1f   %.2f%s\n", name, $1, $2, $3, $5, $6, $7, $1 / $5, ($4 + $8 > 0 ? "   (" $4 "+" $8 " failed)" : "") }'
done <<EOF
first page|$list|$hand|8
start page of ten panels|$start_page|http://127.0.0.1:$theirs/today?me=Egil%20Strand|8|$engineer
page of six charts|http://127.0.0.1:$ours/apps/maintenance/figures|http://127.0.0.1:$theirs/figures|4
first page, own port alone|$list|$hand?port=BRW|8|$agent
page 10,000 by "Further"|http://127.0.0.1:$ours$further|$hand?p=10000|2
page 10,000 by its number|$list?sailings.page=10000|$hand?p=10000|2
sorted by a column without index|$list?sailings.sort=-foot_passengers|$hand?sort=-foot_passengers|2
searched (kittiwake)|$list?sailings.q=kittiwake|$hand?q=kittiwake|4
searched, no match|$list?sailings.q=nothinglikethis|$hand?q=nothinglikethis|2
EOF
# An edit in Build: the builder's own time, from the request to the last byte, on the page with the most panels.
composer=http://127.0.0.1:$ours/build/apps/maintenance/pages/today
builder_jar=$LOCAL/run/bench.builder
cookie_of bea >/dev/null && cp "$jar" "$builder_jar"
token=$(curl -sS -b "$builder_jar" -c "$builder_jar" "$composer" | sed -n 's/.*RequestVerificationToken&quot;:&quot;\([^&]*\)&quot;.*/\1/p' | head -n 1)
edit() { # edit PANEL KEY VALUE
  curl -sS -o /dev/null -w '%{http_code} %{time_total}\n' -b "$builder_jar" -H "RequestVerificationToken: $token" -H 'HX-Request: true' --data-urlencode "set.$2=$3" --data 'revision=0' "$composer?panel=$1&part=appearance&handler=Set&key=$2&regardless=1"
}
for ((n = 0; n < 40; n++)); do edit to_do width $((3 + n % 2)) >/dev/null; done
for ((n = 0; n < 100; n++)); do edit to_do width $((3 + n % 2)); done | awk '$1 == 200 { print $2 * 1000 }' | sort -n |
  awk '{ times[NR] = $1 } END { printf "\nan edit on a page of ten panels: %d edits, p50 %.1f ms, p95 %.1f ms\n", NR, times[int((NR + 1) / 2)], times[int(NR * 0.95)] }'
printf '\nstart until it answers: %s ms; memory at rest %s MiB, after this load %s MiB\n' "$start_ms" "$rest" "$(memory $ours_pid)"
