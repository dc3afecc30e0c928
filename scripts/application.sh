# Starting and stopping the application.

PORT=${ROSTRUM_PORT:-5080}
ADDRESS=http://127.0.0.1:$PORT
WEB=src/Rostrum.Web/bin/Release/net10.0/Rostrum.Web.dll

web_pid() {
  local pid
  pid=$(cat "$LOCAL/run/web.pid" 2>/dev/null) || return 1
  [[ -r /proc/$pid/cmdline ]] && grep -qa 'Rostrum.Web.dll' "/proc/$pid/cmdline" && printf '%s\n' "$pid"
}

STORE=rostrum

web_environment() {
  export ASPNETCORE_ENVIRONMENT=Production DOTNET_gcServer=0
  export ROSTRUM_STORE ROSTRUM_FLEET ROSTRUM_FILES=$LOCAL/files ROSTRUM_HARBOUR=$HARBOUR ROSTRUM_GATEHOUSE=$GATEHOUSE ROSTRUM_SIGNAL=$SIGNAL
  workspace_key
  ROSTRUM_STORE=$(store_connection "$STORE")
  ROSTRUM_FLEET=$(fleet_connection)
  export ROSTRUM_SMTP=smtp://127.0.0.1:$POST_PORT ROSTRUM_ADDRESS=$ADDRESS ROSTRUM_MAIL_FROM='Rostrum <rostrum@brackwater.example>'
  if [[ -e $MY/crew.loaded ]]; then export ROSTRUM_CREW && ROSTRUM_CREW=$(my_connection crew); fi
}

# The key stands outside the database whose secrets it protects.
workspace_key() {
  export ROSTRUM_KEY=$LOCAL/workspace.key
  [[ -s $ROSTRUM_KEY ]] || dotnet "$WEB" make-key "$ROSTRUM_KEY"
}

web_launch() { # web_launch PORT LOG: starts the application in the background and writes its pid
  web_environment
  (cd src/Rostrum.Web && exec setsid dotnet "bin/Release/net10.0/Rostrum.Web.dll" --urls "http://127.0.0.1:$1" >>"$2" 2>&1 </dev/null) &
}

web_start() {
  web_launch "$PORT" "$LOCAL/run/web.log"
  local pid=$!
  disown "$pid"
  printf '%s\n' "$pid" >"$LOCAL/run/web.pid"
  printf '%s\n' "$STORE" >"$LOCAL/run/web.store"
  wait_until 60 web_answers "$pid" || { tail -n 30 "$LOCAL/run/web.log"; return 1; }
}

web_answers() {
  kill -0 "$1" && curl -fsS -o /dev/null "$ADDRESS/health"
}

web_stop() {
  local pid
  pid=$(web_pid) || return 0
  kill "$pid" 2>/dev/null || true
  wait_until 15 bash -c "! kill -0 $pid" || kill -9 "$pid" 2>/dev/null || true
  rm -f "$LOCAL/run/web.pid"
}

up() {
  local detach=no empty=no
  while (($#)); do
    case $1 in
      --detach) detach=yes ;;
      --empty) empty=yes STORE=$EMPTY_STORE ;;
      *) fail "usage: ./rostrum up [--empty] [--detach]" ;;
    esac
    shift
  done
  need_tools
  local postgres_was_up=no
  pg_answers && postgres_was_up=yes
  pg_ensure
  build_application
  post_up
  gatehouse_up
  if [[ $empty == yes ]]; then
    step "Making an empty workspace" empty_store
  else
    harbour_up
    signal_up
    load_demo
  fi
  if web_pid >/dev/null && curl -fsS -o /dev/null "$ADDRESS/health" 2>/dev/null && [[ $LOCAL/run/web.pid -nt $LOCAL/run/build.stamp && $(cat "$LOCAL/run/web.store" 2>/dev/null) == "$STORE" ]]; then
    [[ $detach == yes ]] || printf 'The application is running already.\n'
    detach=yes
  else
    web_stop
    if (exec 3<>"/dev/tcp/127.0.0.1/$PORT") 2>/dev/null; then
      fail "port $PORT is taken by another program. Choose one: ROSTRUM_PORT=5081 ./rostrum up"
    fi
    step "Starting the application" web_start
  fi
  printf '\nRostrum answers at %s\n\n' "$ADDRESS"
  if [[ $empty == yes ]]; then
    first_owner | sed 's/^/The first to open this becomes owner: /'
  else
    demo_sign_ins
  fi
  printf '\nMail that Rostrum sends is shown at %s\n' "$POST"
  [[ $detach == yes ]] && return
  printf '\nCtrl+C stops it.\n'
  # shellcheck disable=SC2064
  trap "web_stop; standins_stop; [[ $postgres_was_up == yes ]] || pg_stop >/dev/null; exit 0" INT TERM
  while web_pid >/dev/null; do sleep 1 & wait $! || true; done
  tail -n 20 "$LOCAL/run/web.log" >&2
  [[ $postgres_was_up == yes ]] || pg_stop >/dev/null
  fail "the application ended by itself; its last words are above"
}

down() {
  step "Stopping the application" web_stop
  standins_stop
  my_stop
  step "Stopping PostgreSQL" pg_stop
}

# Apps as text files: the folders named are those where the command was called.
# Whether the chain of the logbook's entries holds, and where it breaks.
verify_log() {
  need_tools >&2
  build_application >&2
  pg_ensure >&2
  (web_environment && cd src/Rostrum.Web && exec dotnet "$ROOT/$WEB" verify-log)
}

app_files() {
  need_tools >&2
  build_application >&2
  case ${1:-} in
    export | import | diff)
      [[ ${1:-} == diff && $# -eq 3 ]] || { pg_ensure >&2; web_environment; }
      ;;
  esac
  (cd "$CALLED_FROM" && exec dotnet "$ROOT/$WEB" app "$@")
}
