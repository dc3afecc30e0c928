# The simulated outside services that run beside the demo.

HARBOUR_PORT=${ROSTRUM_HARBOUR_PORT:-$((PORT + 10))}
HARBOUR=http://127.0.0.1:$HARBOUR_PORT

harbour_start() { # harbour_start URL PIDFILE
  setsid dotnet "$STANDINS" harbour "$1" >>"$LOCAL/run/harbour.log" 2>&1 </dev/null &
  disown $!
  printf '%s\n' $! >"$2"
  wait_until 30 curl -fsS -o /dev/null "$1/openapi.json"
}

harbour_up() {
  curl -fsS -o /dev/null "$HARBOUR/openapi.json" 2>/dev/null || step "Starting the harbour office" harbour_start "$HARBOUR" "$LOCAL/run/harbour.pid"
}

# The post room: takes the demo's mail, and shows it.
POST_PORT=${ROSTRUM_POST_PORT:-$((PORT + 11))}
POST=http://127.0.0.1:$((POST_PORT + 1))

post_start() {
  setsid dotnet "$STANDINS" post "$POST_PORT" "$POST" >>"$LOCAL/run/post.log" 2>&1 </dev/null &
  disown $!
  printf '%s\n' $! >"$LOCAL/run/post.pid"
  wait_until 30 curl -fsS -o /dev/null "$POST/"
}

post_up() {
  curl -fsS -o /dev/null "$POST/" 2>/dev/null || step "Starting the post room" post_start
}

post_stop() {
  [[ -s $LOCAL/run/post.pid ]] || return 0
  kill "$(<"$LOCAL/run/post.pid")" 2>/dev/null || true
  rm -f "$LOCAL/run/post.pid"
}

# The gatehouse: the demo's identity provider.
GATEHOUSE=http://127.0.0.1:${ROSTRUM_GATEHOUSE_PORT:-$((PORT + 13))}

gatehouse_start() { # gatehouse_start URL PIDFILE
  setsid dotnet "$STANDINS" gatehouse "$1" >>"$LOCAL/run/gatehouse.log" 2>&1 </dev/null &
  disown $!
  printf '%s\n' $! >"$2"
  wait_until 30 curl -fsS -o /dev/null "$1/.well-known/openid-configuration"
}

gatehouse_up() {
  curl -fsS -o /dev/null "$GATEHOUSE/.well-known/openid-configuration" 2>/dev/null ||
    step "Starting the gatehouse" gatehouse_start "$GATEHOUSE" "$LOCAL/run/gatehouse.pid"
}

gatehouse_stop() {
  [[ -s $LOCAL/run/gatehouse.pid ]] || return 0
  kill "$(<"$LOCAL/run/gatehouse.pid")" 2>/dev/null || true
  rm -f "$LOCAL/run/gatehouse.pid"
}

harbour_stop() {
  [[ -s $LOCAL/run/harbour.pid ]] || return 0
  kill "$(<"$LOCAL/run/harbour.pid")" 2>/dev/null || true
  rm -f "$LOCAL/run/harbour.pid"
}
