# Builds, and skips what is up to date: a build that has nothing to do takes seconds that `up` need not spend.

newer_than() { # newer_than STAMP PATH…: is there a file newer than the stamp?
  local stamp=$1
  shift
  [[ ! -e $stamp ]] || [[ -n $(find "$@" \( -name bin -o -name obj -o -name built -o -name node_modules \) -prune -o -type f -newer "$stamp" -print -quit) ]]
}

build_assets() {
  need_npm
  # shellcheck disable=SC2046
  newer_than "$LOCAL/run/assets.stamp" src/Rostrum.Web/assets package-lock.json $(find src/Rostrum.Web -name '*.scss') || [[ ! -d src/Rostrum.Web/wwwroot/built ]] || return 0
  step "Building the browser's assets" node src/Rostrum.Web/assets/build.mjs
  touch "$LOCAL/run/assets.stamp"
}

is_built() {
  ! newer_than "$LOCAL/run/build.stamp" src demo Directory.Build.props Directory.Packages.props && [[ -e src/Rostrum.Web/bin/Release/net10.0/Rostrum.Web.dll ]]
}

build_application() {
  build_assets
  is_built && return
  step "Building the application" build_projects src/Rostrum.Web src/Rostrum.StandIns
  touch "$LOCAL/run/build.stamp"
}

# Only the answers go to standard output.
formula() {
  need_tools >&2
  build_application >&2
  exec dotnet src/Rostrum.Web/bin/Release/net10.0/Rostrum.Web.dll formula "$@"
}

# A compiler that stays from project to project need not be compiled itself again and again: two thirds of the time. It is ended with the
# last of them, or by whoever says KEEP_COMPILER=yes.
build_projects() {
  local project failed=no
  for project in "$@"; do
    DOTNET_TieredPGO=0 dotnet build "$project" -c Release -v quiet -nodeReuse:false -p:UseSharedCompilation=true || { failed=yes; break; }
  done
  [[ ${KEEP_COMPILER:-no} == yes ]] || dotnet build-server shutdown --vbcscompiler >/dev/null 2>&1 || true
  [[ $failed == no ]]
}
