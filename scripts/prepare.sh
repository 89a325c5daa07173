# Shared by ./start and ./test: what must be installed and built. Sourced from the checkout's top.
say() { printf '\033[1m%s\033[0m\n' "$*"; }

as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi; }

# need_package COMMAND-TEST PACKAGE...: installs Debian packages unless the test succeeds.
need_package() {
  local test=$1
  shift
  if eval "$test" >/dev/null 2>&1; then return; fi
  say "Installing $* from Debian's packages"
  as_root apt-get update -qq
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

pg_bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1; }

need_postgres() { need_package '[ -x "$(pg_bin)/postgres" ]' postgresql; }
need_chromium() { need_package 'command -v chromium' chromium; }

# Exactly the locked versions, only when the lock has changed.
need_modules() {
  local stamp=node_modules/.amber-lock
  if [ ! -f "$stamp" ] || ! cmp -s package-lock.json "$stamp"; then
    say 'Installing npm packages'
    npm ci --loglevel=error
    cp package-lock.json "$stamp"
  fi
}

# Builds what has changed since the last build.
need_build() {
  local stamp=node_modules/.amber-built
  if [ -f "$stamp" ] && [ -z "$(find packages apps demo bench tsconfig*.json \( -name node_modules -o -name dist \) -prune -o -type f -newer "$stamp" -print -quit)" ]; then return; fi
  say 'Building'
  local begun=node_modules/.amber-building
  touch "$begun"
  npx tsc -b
  npm run --silent build -w apps/web
  mv "$begun" "$stamp"
}

free_port() { node -e 'const s=require("net").createServer();s.listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})'; }

# start_cluster DIR: a database cluster on loopback in DIR, whose role may make further databases; prints its URL.
start_cluster() { node scripts/cluster.mjs start "$1" --createdb; }
stop_cluster() { node scripts/cluster.mjs stop "$1" >/dev/null 2>&1 || true; }
