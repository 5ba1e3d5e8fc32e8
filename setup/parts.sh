# What demo, verify and rilvan have in common: packages, building, a private PostgreSQL, the lab, the service.
# Sourced, not run. RUN is the folder of one installation: its store, keys, state and logs.

ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
BUILD=$ROOT/.build
# Models, dialects and the network that is played; another folder than the shipped one where it is set.
MODELS=${MODELS:-$ROOT/models}
# The first range of ports that a product may take; see take_ports.
PORTS=${PORTS:-8830}
PORTS_TAKEN=
PG_BIN=

say() { printf '%s\n' "$*"; }
die() { printf '%s: %s\n' "$(basename "$0")" "$*" >&2; exit 1; }

pg_bin() {
  local d
  for d in /usr/lib/postgresql/*/bin; do [ -x "$d/initdb" ] && PG_BIN=$d; done
  [ -n "$PG_BIN" ]
}

# install_packages PACKAGE …: from Debian, as root. None of them starts anything: a policy that says 101 prevents it.
install_packages() {
  say "installing $* …" >&2
  mkdir -p "$BUILD"
  local policy=/usr/sbin/policy-rc.d made=
  [ -e $policy ] || { printf '#!/bin/sh\nexit 101\n' >$policy; chmod 755 $policy; made=1; }
  { apt-get update && DEBIAN_FRONTEND=noninteractive apt-get install -y --no-install-recommends "$@"; } \
    >"$BUILD/packages.log" 2>&1 || { [ -z "$made" ] || rm -f $policy; die "apt-get failed, see $BUILD/packages.log"; }
  [ -z "$made" ] || rm -f $policy
}

# ensure_packages [chromium]: installs what is missing, as root; says what to install otherwise.
ensure_packages() {
  local missing=()
  command -v javac >/dev/null || missing+=(default-jdk-headless)
  command -v mvn >/dev/null || missing+=(maven)
  command -v node >/dev/null || missing+=(nodejs)
  command -v npm >/dev/null || missing+=(npm)
  command -v curl >/dev/null || missing+=(curl)
  pg_bin || missing+=(postgresql)
  if [ "${1:-}" = chromium ]; then
    command -v chromium >/dev/null || missing+=(chromium)
    command -v ssh >/dev/null || missing+=(openssh-client)
    command -v openssl >/dev/null || missing+=(openssl)
    command -v python3 >/dev/null || missing+=(python3)
  fi
  if [ ${#missing[@]} -gt 0 ]; then
    [ "$(id -u)" = 0 ] || die "these Debian packages are missing; install them and start again: apt-get install ${missing[*]}"
    install_packages "${missing[@]}"
    pg_bin || die "PostgreSQL was installed, but its programs are not in /usr/lib/postgresql"
  fi
  ensure_node
}

# ensure_node: the console is built with Node 20 or later. Where there is an earlier one, npm brings a later one into the build folder.
ensure_node() {
  export PATH=$BUILD/node/node_modules/node/bin:$PATH
  [ "$(node --version | tr -d v | cut -d. -f1)" -ge 20 ] && return 0
  say "installing a later Node …" >&2
  mkdir -p "$BUILD/node"
  npm install --prefix "$BUILD/node" --no-save --no-audit --no-fund node@22 >"$BUILD/node.log" 2>&1 || die "npm could not install a later Node, see $BUILD/node.log"
  hash -r
  [ "$(node --version | tr -d v | cut -d. -f1)" -ge 20 ] || die "the console is built with Node 20 or later; this is $(node --version)"
}

# build: everything but the tests, if anything has changed since the last time.
# With RILVAN_PACKAGED the packages are just made, and only have to be prepared.
build() {
  local stamp=$BUILD/built
  mkdir -p "$BUILD"
  if [ -n "${RILVAN_PACKAGED:-}" ]; then
    # Where several products start at the same time, one of them prepares what all of them run.
    (
      flock 9
      if [ ! -e "$stamp" ] || [ -n "$(find "$ROOT"/{lab,kit,cli,server}/target -maxdepth 1 -name '*.jar' -newer "$stamp" -print -quit)" ]; then
        prepare
        touch "$stamp"
      fi
    ) 9>"$BUILD/preparing.lock"
    return 0
  fi
  if [ -e "$stamp" ] && [ -e "$BUILD/cli.jsa" ] && [ -z "$(find "$ROOT"/pom.xml "$ROOT"/{core,protocol,lab,kit,cli,console,server} -newer "$stamp" -type f \
      -not -path '*/target/*' -not -path '*/node_modules/*' -print -quit)" ]; then
    return 0
  fi
  say "building …"
  (cd "$ROOT" && mvn -q -B -pl core,protocol,lab,kit,cli,console,server -DskipTests package) >"$BUILD/build.log" 2>&1 ||
    { tail -30 "$BUILD/build.log" >&2; die "the build failed, see $BUILD/build.log"; }
  prepare
  touch "$stamp"
}

# prepare: from built jars to what starts fast.
prepare() {
  rm -rf "$BUILD/server" "$BUILD"/archive/* "$BUILD/cli.jsa"
  java -Djarmode=tools -jar "$ROOT"/server/target/rilvan-server-*.jar extract --destination "$BUILD/server" >/dev/null
  mv "$BUILD"/server/rilvan-server-*.jar "$BUILD/server/server.jar"
  # New files, not new contents: what runs from the old ones goes on.
  cp --remove-destination "$ROOT"/cli/target/rilvan-cli-*-all.jar "$BUILD/cli.jar"
  cp --remove-destination "$ROOT"/lab/target/rilvan-lab-*-all.jar "$BUILD/lab.jar"
  cp --remove-destination "$ROOT"/kit/target/rilvan-kit-*-all.jar "$BUILD/kit.jar"
  # An archive of the command line's classes, so that it starts at once.
  java -Xshare:off -XX:DumpLoadedClassList="$BUILD/cli.classes" -cp "$BUILD/cli.jar" rilvan.cli.Rilvan order list --json >/dev/null 2>&1 || true
  java -Xshare:dump -XX:SharedClassListFile="$BUILD/cli.classes" -XX:SharedArchiveFile="$BUILD/cli.jsa" -cp "$BUILD/cli.jar" >/dev/null 2>&1 || true
}

# The command line, with the session of this installation.
rilvan() {
  java -XX:SharedArchiveFile="$BUILD/cli.jsa" -Xshare:auto -XX:TieredStopAtLevel=1 -Xlog:disable -cp "$BUILD/cli.jar" rilvan.cli.Rilvan "$@"
}

# The authoring commands, which work on files and need no service.
kit() {
  java -XX:TieredStopAtLevel=1 -Xshare:auto -Xlog:disable -jar "$BUILD/kit.jar" "$@"
}

# take_ports: a range of a hundred ports that no other product on this machine has, for as long as this shell lives. What it starts does not have the lock.
take_ports() {
  [ -z "$PORTS_TAKEN" ] || return 0
  until { exec 7>>"${TMPDIR:-/tmp}/rilvan-ports-$PORTS.lock"; } 2>/dev/null && flock -n 7; do PORTS=$((PORTS + 100)); done
  PORTS_TAKEN=1
}

free_port() { # from which on
  local port=$1
  while (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null || (exec 3<>"/dev/tcp/127.20.0.1/$port") 2>/dev/null; do port=$((port + 1)); done
  echo "$port"
}

as_store_user() {
  if [ "$(id -u)" = 0 ]; then
    setpriv --reuid=postgres --regid=postgres --init-groups --reset-env -- "$@" 7>&- 8>&-
  else
    "$@" 7>&- 8>&-
  fi
}

# Where we are root, the lab and the service run as a system user of their own, who may read no more than they need.
SERVICE_USER=rilvan

ensure_service_user() {
  [ "$(id -u)" != 0 ] || id -u "$SERVICE_USER" >/dev/null 2>&1 || useradd --system --no-create-home --shell /usr/sbin/nologin "$SERVICE_USER"
}

as_service_user() { # command …: in the place of this shell
  if [ "$(id -u)" = 0 ]; then
    exec setpriv --reuid="$SERVICE_USER" --regid="$SERVICE_USER" --init-groups --no-new-privs -- "$@" 7>&- 8>&-
  else
    exec "$@" 7>&- 8>&-
  fi
}

give_to_service_user() { # file or folder …
  [ "$(id -u)" != 0 ] || chown -R "$SERVICE_USER" "$@"
}

secret_file() { # file: a secret of its own, readable by its owner alone, if there is none yet
  [ -e "$1" ] || (umask 077; head -c 12 /dev/urandom | base64 | tr '+/' 'xy' >"$1")
}

# start_store: a private PostgreSQL on loopback. STORE_OPTIONS may hold further options.
start_store() {
  mkdir -p "$RUN"; chmod 711 "$RUN"
  secret_file "$RUN/store.password"
  take_ports
  STORE_PORT=$(free_port $((PORTS + 20)))
  if [ ! -e "$RUN/store/PG_VERSION" ]; then
    mkdir -p "$RUN/store"
    [ "$(id -u)" != 0 ] || chown postgres "$RUN/store"
    as_store_user test -x "$RUN/store" || die "the user postgres cannot enter $RUN; every folder above it must be searchable by others"
    # initdb reads the password as the store's user, who may not read ours.
    (umask 077; cp "$RUN/store.password" "$RUN/store.first")
    [ "$(id -u)" != 0 ] || chown postgres "$RUN/store.first"
    as_store_user "$PG_BIN/initdb" -D "$RUN/store" -U rilvan --auth=scram-sha-256 --encoding=UTF8 --locale=C.UTF-8 \
      --pwfile="$RUN/store.first" >"$RUN/store.log" 2>&1 || die "the store cannot be made, see $RUN/store.log"
    rm "$RUN/store.first"
  fi
  run_store
  secret_file "$RUN/owner.password"; secret_file "$RUN/service.password"
  make_roles
}

# make_roles: who owns the tables and migrates them, and who reads and writes rows only. The first user of the store, who may do anything, is
# used for nothing else.
make_roles() {
  # Passwords go by the environment, which no other user sees.
  PGPASSWORD=$(cat "$RUN/store.password") OWNER_PASSWORD=$(cat "$RUN/owner.password") SERVICE_PASSWORD=$(cat "$RUN/service.password") \
    "$PG_BIN/psql" -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p "$STORE_PORT" -U rilvan postgres -f "$ROOT/distribution/conf/roles.sql" >>"$RUN/store.log" 2>&1 || die "the roles of the store cannot be made, see $RUN/store.log"
}

# run_store: the store that is there, on the port it was given.
run_store() {
  as_store_user "$PG_BIN/pg_ctl" -D "$RUN/store" -w -o "-c listen_addresses=127.0.0.1 -c port=$STORE_PORT -c unix_socket_directories= ${STORE_OPTIONS:-}" \
    start >>"$RUN/store.log" 2>&1 </dev/null || die "the store does not start, see $RUN/store.log"
}

stop_store() {
  [ -z "${STORE_PORT:-}" ] || as_store_user "$PG_BIN/pg_ctl" -D "$RUN/store" -w -m fast stop >>"$RUN/store.log" 2>&1 || true
  STORE_PORT=
}

# start_lab: the simulated network of models/demo, on a free port. LAB_OPTIONS may hold further options.
start_lab() {
  secret_file "$RUN/lab.password"
  ensure_service_user
  mkdir -p "$RUN/lab"; chmod 700 "$RUN/lab"
  give_to_service_user "$RUN/lab" "$RUN/lab.password"
  DEVICE_PORT=$(free_port "$PORTS")
  LAB_PORT=$(free_port $((DEVICE_PORT + 1)))
  sed "s/port: 8830/port: $DEVICE_PORT/" "$MODELS/demo/network.yaml" >"$RUN/network.yaml"
  (as_service_user java -XX:TieredStopAtLevel=1 -Xmx1g -jar "$BUILD/lab.jar" --network "$RUN/network.yaml" --starts "$MODELS/demo/devices" \
    --families "$MODELS/dialects" --state "$RUN/lab" --password-file "$RUN/lab.password" --control-port "$LAB_PORT" ${LAB_OPTIONS:-}) \
    >"$RUN/lab.log" 2>&1 </dev/null &
  LAB_PID=$!
  export RILVAN_LAB=http://127.0.0.1:$LAB_PORT
  wait_for "$RILVAN_LAB/host-keys" $LAB_PID "$RUN/lab.log"
}

# start_service: the service itself, waiting until it is ready.
start_service() {
  launch_service
  wait_for "$RILVAN_SERVER/api/v1/health" $SERVICE_PID "$RUN/${SERVICE_NAME:-service}.log"
}

# launch_service: the service itself, without waiting. SERVICE_NAME distinguishes several instances on one store; SERVICE_WITH may hold a command that runs it.
launch_service() {
  [ -e "$RUN/rilvan.key" ] || (umask 077; head -c 32 /dev/urandom >"$RUN/rilvan.key")
  secret_file "$RUN/engineer.password"
  ensure_service_user
  mkdir -p "$BUILD/archive"
  touch "$RUN/log-heads.jsonl"
  give_to_service_user "$RUN/rilvan.key" "$RUN/log-heads.jsonl" "$BUILD/archive"
  SERVICE_PORT=${SERVICE_PORT:-$(free_port $((PORTS + 10)))}
  export SPRING_DATASOURCE_URL=jdbc:postgresql://${STORE_HOSTS:-127.0.0.1:$STORE_PORT}/postgres SPRING_DATASOURCE_USERNAME=rilvan_service SPRING_FLYWAY_USER=rilvan_owner
  SPRING_DATASOURCE_PASSWORD=$(cat "$RUN/service.password"); export SPRING_DATASOURCE_PASSWORD
  SPRING_FLYWAY_PASSWORD=$(cat "$RUN/owner.password"); export SPRING_FLYWAY_PASSWORD
  RILVAN_MANAGEMENT_PORT=$(free_port $((SERVICE_PORT + 40))); export RILVAN_MANAGEMENT_PORT
  export RILVAN_PORT=$SERVICE_PORT RILVAN_MODELS=$MODELS RILVAN_KEY_FILE=$RUN/rilvan.key RILVAN_LOG_HEADS_FILE=$RUN/log-heads.jsonl
  export RILVAN_FIRST_USER=engineer; RILVAN_FIRST_PASSWORD=$(cat "$RUN/engineer.password"); export RILVAN_FIRST_PASSWORD
  # Files for the moment, which a service that is killed leaves behind.
  local scratch=$RUN/${SERVICE_NAME:-service}.tmp
  rm -rf "$scratch"; mkdir "$scratch"
  give_to_service_user "$scratch"
  (cd "$BUILD/server" && RILVAN_SERVER_LIB=$BUILD/server RILVAN_STATE=$BUILD/archive SERVICE_JVM="-Djava.io.tmpdir=$scratch ${SERVICE_JVM:--XX:TieredStopAtLevel=1 -Xmx1g}" \
    as_service_user ${SERVICE_WITH:-} "$ROOT/distribution/bin/rilvan-service") \
    >>"$RUN/${SERVICE_NAME:-service}.log" 2>&1 </dev/null &
  SERVICE_PID=$!
  export RILVAN_SERVER=http://127.0.0.1:$SERVICE_PORT RILVAN_SESSION=$RUN/session
}

listens() { # pid port: whether it is this process that listens there, and no other that took the port in the same moment
  local inode
  for inode in $(awk -v port=":$(printf %04X "$2")" '$4 == "0A" && substr($2, length($2) - 4) == port { print $10 }' /proc/net/tcp /proc/net/tcp6 2>/dev/null); do
    [[ $(ls -l "/proc/$1/fd" 2>/dev/null) != *"socket:[$inode]"* ]] || return 0
  done
  return 1
}

wait_for() { # url pid log
  local tries=0 port=${1#http://*:}
  until listens "$2" "${port%%/*}" && curl -fs -o /dev/null "$1"; do
    kill -0 "$2" 2>/dev/null || { tail -20 "$3" >&2; die "what should answer at $1 has ended, see $3"; }
    tries=$((tries + 1)); [ $tries -lt 1800 ] || die "nothing answers at $1 after three minutes, see $3"
    sleep 0.1
  done
}

# is_own: whether a process is one that this shell has started; the number of one that has ended may be another process's by now.
is_own() { # pid
  [ -n "${1:-}" ] && [ "$(ps -o ppid= -p "$1" 2>/dev/null | tr -d ' ')" = "$$" ]
}

stop_process() { # pid
  is_own "${1:-}" || return 0
  kill "$1" 2>/dev/null || return 0
  wait "$1" 2>/dev/null || true
}

# load_demo: signs in, and the first time loads the network and the tenants, trusts its host keys and reads its devices.
load_demo() {
  rilvan sign-in --user engineer --password-file "$RUN/engineer.password" >/dev/null
  rilvan network load "$RUN/network.yaml" >/dev/null
  [ -e "$MODELS/demo/tenants.yaml" ] && rilvan tenant load "$MODELS/demo/tenants.yaml" >/dev/null
  [ -e "$RUN/loaded" ] && return 0
  rilvan network credential lab --user rilvan --password-file "$RUN/lab.password" >/dev/null
  rilvan lab host-keys | rilvan device trust - >/dev/null
  # Those that the lab plays; what else the network has is for whoever knows it. On a busy machine a device may not answer in time at first.
  local played; mapfile -t played < <(rilvan lab host-keys | cut -d ' ' -f 1)
  rilvan device read "${played[@]}" >/dev/null || rilvan device read "${played[@]}" >/dev/null || rilvan device read "${played[@]}" >"$RUN/read.log" ||
    { cat "$RUN/read.log" >&2; die "the devices of the lab could not be read, see $RUN/service.log"; }
  touch "$RUN/loaded"
}

start_all() {
  [ -n "${STORE_PORT:-}" ] || start_store
  ensure_service_user
  (as_service_user test -r "$MODELS/vocabulary.yaml") && (as_service_user test -r "$BUILD/lab.jar") ||
    die "the user $SERVICE_USER cannot read $MODELS or $BUILD; every folder above them must be searchable by others"
  start_lab
  start_service
  load_demo
}

stop_all() {
  stop_process "${SERVICE_PID:-}"; SERVICE_PID=
  stop_process "${LAB_PID:-}"; LAB_PID=
  stop_store
}
