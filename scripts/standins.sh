# The simulated outside services that run beside the demo.

HARBOUR=http://127.0.0.1:${ROSTRUM_HARBOUR_PORT:-$((PORT + 10))}

# The post room takes the demo's mail at one port, and shows it at the next.
POST_PORT=${ROSTRUM_POST_PORT:-$((PORT + 11))}
POST=http://127.0.0.1:$((POST_PORT + 1))

# The gatehouse is the demo's identity provider.
GATEHOUSE=http://127.0.0.1:${ROSTRUM_GATEHOUSE_PORT:-$((PORT + 13))}

# The signal room takes the demo's chat messages.
SIGNAL=http://127.0.0.1:${ROSTRUM_SIGNAL_PORT:-$((PORT + 14))}

standin_start() { # standin_start NAME URL-THAT-ANSWERS ARGUMENT...
  local name=$1 answers=$2
  shift 2
  setsid dotnet "$STANDINS" "$name" "$@" >>"$LOCAL/run/$name.log" 2>&1 </dev/null &
  disown $!
  printf '%s\n' $! >"$LOCAL/run/$name.pid"
  wait_until 30 curl -fsS -o /dev/null "$answers"
}

standin_up() { # standin_up WORDS NAME URL-THAT-ANSWERS ARGUMENT...
  curl -fsS -o /dev/null "$3" 2>/dev/null || step "Starting the $1" standin_start "${@:2}"
}

standin_stop() {
  [[ -s $LOCAL/run/$1.pid ]] || return 0
  kill "$(<"$LOCAL/run/$1.pid")" 2>/dev/null || true
  rm -f "$LOCAL/run/$1.pid"
}

harbour_up() { standin_up "harbour office" harbour "$HARBOUR/openapi.json" "$HARBOUR"; }
post_up() { standin_up "post room" post "$POST/" "$POST_PORT" "$POST"; }
gatehouse_up() { standin_up gatehouse gatehouse "$GATEHOUSE/.well-known/openid-configuration" "$GATEHOUSE"; }

signal_up() { standin_up "signal room" signal "$SIGNAL/" "$SIGNAL"; }

standins_stop() {
  local name
  for name in harbour post gatehouse signal; do standin_stop "$name"; done
}
