#!/usr/bin/env bash
# List pages over a million rows in SQLite and in MariaDB: Rostrum against pages written by hand with Dapper, in turn, in one run.
# Called by `./rostrum bench pages`, which has started the databases, made their tables and built both. ROSTRUM_BENCH_SQLITE names a file.
set -euo pipefail
seconds=${BENCH_SECONDS:-6}
rounds=${BENCH_ROUNDS:-3}
for part in steps install postgres build application demo; do
  # shellcheck source=/dev/null
  source "scripts/$part.sh"
done
workspace_key
ours=http://127.0.0.1:$(free_port 0)
theirs=http://127.0.0.1:$(free_port 0)
export ASPNETCORE_ENVIRONMENT=Production
(cd src/Rostrum.Web && ROSTRUM_FILES=$(dirname "$ROSTRUM_BENCH_SQLITE") ROSTRUM_FLEET=$(pg_connection test_e2e_fleet0) ROSTRUM_STORE=$(pg_connection test_e2e_store0) \
  exec dotnet bin/Release/net10.0/Rostrum.Web.dll --urls "$ours") >"$LOCAL/run/bench-rostrum.log" 2>&1 </dev/null &
ours_pid=$!
(cd bench/Rostrum.Bench.Peer && ROSTRUM_BENCH=$(pg_connection postgres) ROSTRUM_BENCH_SQLITE="Data Source=$ROSTRUM_BENCH_SQLITE" \
  ROSTRUM_BENCH_MARIADB="$ROSTRUM_BENCH_MARIADB;Database=rostrum_bench" exec dotnet bin/Release/net10.0/Rostrum.Bench.Peer.dll --urls "$theirs") >"$LOCAL/run/bench-peer.log" 2>&1 </dev/null &
theirs_pid=$!
trap 'kill $ours_pid $theirs_pid 2>/dev/null' EXIT
wait_until 60 curl -fsS -o /dev/null "$ours/health"
wait_until 60 curl -fsS -o /dev/null "$theirs/calls?of=sqlite"

value() { sed -n "s/.*$1=\([^;]*\).*/\1/p" <<<"$ROSTRUM_BENCH_MARIADB"; }
lists=("$(node bench/connect.mjs "$ours" "SQLite file" "File=$(basename "$ROSTRUM_BENCH_SQLITE")")")
lists+=("$(node bench/connect.mjs "$ours" "MySQL or MariaDB" "Host=$(value Server)" "Port=$(value Port)" Database=rostrum_bench "User=$(value 'User ID')" "Password=$(value Password)")")

jar=$LOCAL/run/bench.cookies
rm -f "$jar"
token=$(curl -sS -c "$jar" "$ours/sign-in" | sed -n 's/.*__RequestVerificationToken" type="hidden" value="\([^"]*\)".*/\1/p' | head -n 1)
curl -sS -o /dev/null -b "$jar" -c "$jar" --data-urlencode "UserName=bea" --data-urlencode "Password=harbour-light-42" --data-urlencode "__RequestVerificationToken=$token" "$ours/sign-in"
BENCH_COOKIE=$(awk '$6 == "rostrum" { print "rostrum=" $7 }' "$jar")
export BENCH_COOKIE

measure() { wrk -t1 -c8 -d"$2s" --timeout 30s -s bench/list-page.lua "$1" | sed -n 's/^RESULT //p'; }
at=0
for of in sqlite mariadb; do
  list="${lists[$at]}?calls.sort=-berthed"
  measure "$list" "${BENCH_WARM:-40}" >/dev/null
  measure "$theirs/calls?of=$of" "$((${BENCH_WARM:-40} / 2))" >/dev/null
  for ((round = 0; round < rounds; round++)); do
    printf '%s %s\n' "$(measure "$list" "$seconds")" "$(measure "$theirs/calls?of=$of" "$seconds")"
  done | sort -n | sed -n "$(((rounds + 1) / 2))p" |
    awk -v of="$of" '{ printf "list page over a million rows in %-8s Rostrum %6.1f req/s, p50 %5.1f ms; by hand %6.1f req/s, p50 %5.1f ms; ratio of throughput %.2f%s\n", of, $1, $2, $5, $6, $1 / $5, ($4 + $8 > 0 ? " (" $4 "+" $8 " failed)" : "") }'
  at=$((at + 1))
done
