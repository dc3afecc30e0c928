# One line a step, with its duration. A step's output goes to a log that is shown only when the step fails.

fail() { printf 'rostrum: %s\n' "$*" >&2; exit 1; }

step() {
  local title=$1 started=${EPOCHREALTIME/[^0-9]/} log
  shift
  log=$LOCAL/run/step.log
  if ! "$@" >"$log" 2>&1 </dev/null; then
    printf '%-46s failed\n' "$title"
    tail -n 40 "$log" >&2
    fail "could not: $title"
  fi
  printf '%-46s %6.1f s\n' "$title" "$(awk -v a="$started" -v b="${EPOCHREALTIME/[^0-9]/}" 'BEGIN { print (b - a) / 1e6 }')"
}

have() { command -v "$1" >/dev/null 2>&1; }

# Waits until a command succeeds: wait_until SECONDS COMMAND…
wait_until() {
  local until=$((SECONDS + $1))
  shift
  until "$@" >/dev/null 2>&1; do
    ((SECONDS < until)) || return 1
    sleep 0.1
  done
}

# A TCP port on loopback that nothing listens on: free_port [PREFERRED]
# Below those that the system gives to connections that go out.
free_port() {
  local port=${1:-0}
  while ((port == 0)) || (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do
    port=$((20000 + RANDOM % 12000))
  done
  printf '%s\n' "$port"
}

random_secret() { od -An -N24 -tx1 /dev/urandom | tr -d ' \n'; }
