# Pictures of the running application.

look() {
  [[ $# -ge 1 ]] || fail "usage: ./rostrum look PATH [--as PERSON|nobody] [--width N] [--height N] [--dark] [--full] [--click role:name] [--out FILE]"
  need_npm
  need_chromium
  curl -fsS -o /dev/null "$ADDRESS/health" 2>/dev/null || fail "the application is not running at $ADDRESS: ./rostrum up --detach"
  local path=$1 out=$LOCAL/look.png rest=()
  shift
  while (($#)); do
    case $1 in
      --out) out=$2; shift 2 ;;
      *) rest+=("$1"); shift ;;
    esac
  done
  node tests/e2e/tools/look.mjs "$ADDRESS" "$path" "$out" "${rest[@]}"
  printf '%s\n' "$out"
}

shots() {
  need_npm
  need_chromium
  curl -fsS -o /dev/null "$ADDRESS/health" 2>/dev/null || fail "the application is not running at $ADDRESS: ./rostrum up --detach"
  mkdir -p docs/screenshots
  step "Taking the pictures" node tests/e2e/tools/shots.mjs "$ADDRESS" docs/screenshots
}
