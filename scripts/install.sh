# Installs what is missing: Debian packages when we are root or have sudo, npm packages always.

as_root() {
  if ((EUID == 0)); then "$@"
  elif have sudo && sudo -n true 2>/dev/null; then sudo -n "$@"
  else return 1
  fi
}

debian_install() {
  as_root true || fail "missing: $*. Install them (apt-get install $*), or run this as root."
  have apt-get || fail "missing: $*. This machine has no apt-get; install them by hand."
  # Debian's PostgreSQL package would otherwise start a cluster of its own.
  if [[ $* == *postgresql* && ! -e /etc/postgresql-common/createcluster.conf ]]; then
    as_root mkdir -p /etc/postgresql-common
    echo 'create_main_cluster = false' | as_root tee /etc/postgresql-common/createcluster.conf >/dev/null
  fi
  as_root apt-get update -qq || true
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends \
    -o Dpkg::Options::=--force-confold "$@"
}

postgres_bin() {
  local folder
  for folder in $(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V -r) /usr/local/pgsql/bin; do
    [[ -x $folder/initdb && -x $folder/postgres ]] && { printf '%s\n' "$folder"; return; }
  done
  have initdb && dirname "$(readlink -f "$(command -v initdb)")"
}

need_tools() {
  have dotnet && [[ $'\n'$(dotnet --list-sdks) == *$'\n10.'* ]] || fail "missing: the .NET 10 SDK (dotnet on the PATH)"
  have node && (($(node -p 'process.versions.node.split(".")[0]') >= 20)) || fail "missing: Node.js 20 or later"
  have npm || fail "missing: npm"
  have curl || step "Installing curl" debian_install curl
  [[ -n $(postgres_bin) ]] || step "Installing PostgreSQL" debian_install postgresql postgresql-contrib
}

need_chromium() {
  have chromium-headless-shell || step "Installing Chromium" debian_install chromium-headless-shell
}

need_npm() {
  [[ node_modules/.package-lock.json -nt package-lock.json && node_modules/.package-lock.json -nt package.json ]] && return
  step "Installing npm packages" npm ci --no-audit --no-fund
  touch node_modules/.package-lock.json
}
