# Sourced by ./trochos: installs what a call needs, once, and is quick afterwards.
# Four stages, each holding the one before: core (compute), gather (live devices), server (up),
# dev (test).

say() { printf 'trochos: %s\n' "$*" >&2; }

die() { say "$*"; exit 2; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null; then sudo "$@"
  else die "$* needs root. Run it as root, or install sudo."
  fi
}

debian() { # debian PACKAGE FILE_THAT_SHOWS_IT
  [ -e "$2" ] && return
  command -v apt-get >/dev/null || die "The Debian package $1 is missing, and apt-get is not here. Install $1 yourself."
  say "installing $1 (Debian package)"
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$1" >"$root/.state/apt.log" 2>&1 ||
    { as_root apt-get update -qq >>"$root/.state/apt.log" 2>&1 &&
      as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$1" >>"$root/.state/apt.log" 2>&1; } ||
    die "Installing $1 failed. The reason is at the end of .state/apt.log."
}

real_networks() { # what tests on real routers and kernels need; without it these are left out
  local package file
  while read -r package file; do
    [ -e "$file" ] && continue
    command -v apt-get >/dev/null || return 0
    say "installing $package (Debian package, for tests on real routers)"
    as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$package" \
      </dev/null >"$root/.state/apt.log" 2>&1 ||
      { as_root apt-get update -qq </dev/null >>"$root/.state/apt.log" 2>&1 &&
        as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$package" \
          </dev/null >>"$root/.state/apt.log" 2>&1; } ||
      say "installing $package failed (see .state/apt.log): tests that need it are left out"
  done <<'LIST'
frr /usr/lib/frr/zebra
nftables /usr/sbin/nft
keepalived /usr/sbin/keepalived
iputils-ping /usr/bin/ping
iproute2 /usr/bin/ip
libyang2-tools /usr/bin/yanglint
LIST
}

find_python() {
  local candidate
  for candidate in python3.11 python3 python3.12 python3.13; do
    if command -v "$candidate" >/dev/null &&
      "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      echo "$candidate"
      return
    fi
  done
}

python_stage() { # python_stage STAGE: the packages of requirements/STAGE.lock
  local stamp="$root/.state/$1.ok" lock="$root/requirements/$1.lock" python
  [ -e "$stamp" ] && [ ! "$lock" -nt "$stamp" ] && [ -x "$root/.venv/bin/python" ] && return
  if [ ! -x "$root/.venv/bin/python" ]; then
    python=$(find_python)
    [ -n "$python" ] || die "Python 3.11 or newer is missing. Install the Debian package python3."
    "$python" -c 'import ensurepip' 2>/dev/null || debian python3-venv /nonexistent
    say "making a Python environment in .venv"
    "$python" -m venv "$root/.venv"
  fi
  say "installing Python packages ($1), about a minute the first time"
  "$root/.venv/bin/python" -m pip install -q --disable-pip-version-check --require-hashes -r "$lock" \
    >"$root/.state/pip.log" 2>&1 || die "Installing Python packages failed. The reason is at the end of .state/pip.log."
  touch "$stamp"
}

front_end() {
  local web="$root/web" bin="$root/.venv/bin" stamp="$root/.state/web.ok" packages="$root/.state/npm.ok"
  if [ ! -d "$web/node_modules" ] || [ ! -e "$packages" ] || [ "$web/package-lock.json" -nt "$packages" ]; then
    say "installing front-end packages"
    (cd "$web" && PATH="$bin:$PATH" npm ci --no-audit --no-fund) >"$root/.state/npm.log" 2>&1 ||
      die "Installing front-end packages failed. The reason is at the end of .state/npm.log."
    touch "$packages"
  fi
  if [ ! -e "$web/dist/index.html" ] || [ ! -e "$stamp" ] ||
    [ -n "$(find "$web/src" "$web/index.html" "$web/vite.config.ts" "$packages" -newer "$stamp" -print -quit)" ]; then
    say "building the front end"
    (cd "$web" && PATH="$bin:$PATH" npm run build) >"$root/.state/build.log" 2>&1 ||
      die "Building the front end failed. The reason is at the end of .state/build.log."
    # Kept beside the files, so that they are sent small.
    "$bin/python" -m whitenoise.compress -q "$web/dist" >>"$root/.state/build.log" 2>&1 ||
      die "Compressing the front end failed. The reason is at the end of .state/build.log."
    touch "$stamp"
  fi
}

stage() {
  case "$1" in
    core | gather)
      [ -e "$root/.state/server.ok" ] || [ -e "$root/.state/dev.ok" ] || python_stage "$1"
      ;;
    server)
      debian postgresql /usr/lib/postgresql
      [ -e "$root/.state/dev.ok" ] || python_stage server
      front_end
      ;;
    dev)
      debian postgresql /usr/lib/postgresql
      debian chromium /usr/bin/chromium
      real_networks
      python_stage dev
      front_end
      ;;
  esac
}

need() {
  mkdir -p "$root/.state" 2>/dev/null || die "The folder $root cannot be written. Move the project to a folder of yours."
  if { [ "$1" = core ] || [ "$1" = gather ]; } && [ -x "$root/.venv/bin/python" ]; then
    local lock locks="dev server gather"
    [ "$1" = gather ] || locks="$locks core"
    for lock in $locks; do
      [ -e "$root/.state/$lock.ok" ] && [ ! "$root/requirements/$lock.lock" -nt "$root/.state/$lock.ok" ] && return
    done
  fi
  exec 9>"$root/.state/install.lock"
  flock -n 9 || { say "another call is installing, waiting for it"; flock 9; }
  stage "$1"
  # What is started from here must not hold the lock.
  exec 9>&-
}
