#!/usr/bin/env bash
# NETCONF agents of another make (Debian's netconfd, each behind an sshd of its own, on loopback) that hold the Quern modules.
#   e2e/agents.sh FOLDER NUMBER
# Prints "ready", then for each agent a line "PORT FINGERPRINT"; then takes lines, each a function below, answered by "done" and its
# exit code. Ends everything when the input ends. Needs root: each agent gets network and mount namespaces of its own.
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/../setup/parts.sh"
RUN=$1 COUNT=$2 FIRST=8300 AGENT_USER=rilvan-agent
[ "$(id -u)" = 0 ] || die "the agents need root"
declare -A AGENTS SSHDS

for package in netconfd openssh-server openssh-client iproute2; do
  dpkg-query -W -f='${Status}' $package 2>/dev/null | grep -q 'ok installed' || wanted+=" $package"
done
[ -z "${wanted:-}" ] || install_packages $wanted

rm -rf "$RUN"; mkdir -p "$RUN/empty" /run/sshd /root/.yuma; chmod 755 "$RUN"
id $AGENT_USER >/dev/null 2>&1 || useradd --system -M -d "$RUN" -s /bin/sh $AGENT_USER
secret_file "$RUN/password"
echo "$AGENT_USER:$(cat "$RUN/password")" | chpasswd
ssh-keygen -q -t ed25519 -N '' -f "$RUN/key"; cp "$RUN/key.pub" "$RUN/authorized_keys"

start_agent() { # agent: as after a power cut, with what it had saved
  local d=$RUN/$1 module modules=()
  mkdir -p "$d/yuma"
  rm -f "$d/socket"; : >"$d/log"
  for module in "$MODELS"/dialects/quern/yang/*.yang; do
    module=$(basename "$module" .yang)
    [ "$module" = quern-types ] || modules+=("--module=$module")
  done
  # It keeps what it saves in the home of root, and loads code for some modules where it finds any: each has its own of both.
  unshare --net --mount sh -c '
    ip link set lo up
    mount --bind "$1/yuma" /root/.yuma
    for code in /usr/lib/*/yuma; do [ ! -d "$code" ] || mount --bind "$2/empty" "$code"; done
    cd "$1"; shift 2; exec netconfd "$@"' sh "$d" "$RUN" --log-level=info --superuser=$AGENT_USER --port=$((FIRST + $1)) \
    --ncxserver-sockname="$d/socket" --modpath="$MODELS/dialects/quern/yang:/usr/share/yuma/modules" --target=candidate --with-startup=false \
    "${modules[@]}" >>"$d/log" 2>&1 </dev/null &
  AGENTS[$1]=$!
  until grep -q '^Running netconfd' "$d/log" && [ -S "$d/socket" ]; do
    kill -0 "${AGENTS[$1]}" 2>/dev/null || { tail -5 "$d/log" >&2; die "agent $1 does not start"; }
    sleep 0.1
  done
}

door() { # agent: its sshd
  local d=$RUN/$1
  ssh-keygen -q -t ecdsa -N '' -f "$d/host"
  cat >"$d/sshd_config" <<CONF
ListenAddress 127.0.0.1
Port $((FIRST + $1))
HostKey $d/host
PidFile none
AuthorizedKeysFile $RUN/authorized_keys
AllowUsers $AGENT_USER
PasswordAuthentication yes
UsePAM no
StrictModes no
MaxStartups 100:30:200
MaxSessions 50
Subsystem netconf "/usr/sbin/netconf-subsystem --ncxserver-sockname=$((FIRST + $1))@$d/socket"
CONF
  /usr/sbin/sshd -D -f "$d/sshd_config" -E "$d/sshd.log" &
  SSHDS[$1]=$!
}

break_agent() { kill -9 "${AGENTS[$1]}"; wait "${AGENTS[$1]}" 2>/dev/null || true; }

netconf() { # agent: the stock client, past the service
  ssh -F /dev/null -T -i "$RUN/key" -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o LogLevel=ERROR -p $((FIRST + $1)) -s $AGENT_USER@127.0.0.1 netconf
}
HELLO='<hello xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"><capabilities><capability>urn:ietf:params:netconf:base:1.0</capability></capabilities></hello>]]>]]>'
rpc() { printf '<rpc xmlns="urn:ietf:params:xml:ns:netconf:base:1.0" message-id="%s">%s</rpc>]]>]]>\n' "$1" "$2"; }

# What an agent runs, as a file.
holds() { { printf %s "$HELLO"; rpc 1 '<get-config><source><running/></source></get-config>'; rpc 2 '<close-session/>'; } | netconf "$1" >"$RUN/$1/running" 2>>"$RUN/$1/client.log"; }

# until_without TEXT AGENT: waits until what an agent runs does not say it any more. The agent's timers stop while it is asked often.
until_without() { holds "$2"; while grep -q "$1" "$RUN/$2/running"; do sleep 2; holds "$2"; done; }

hold() { # agent: somebody else has the candidate locked, until the function below
  rm -f "$RUN/typed"; mkfifo "$RUN/typed"
  netconf "$1" <"$RUN/typed" >"$RUN/$1/holder" 2>>"$RUN/$1/client.log" &
  exec 9>"$RUN/typed"
  # What comes together with the greeting it leaves lying until more comes.
  printf %s "$HELLO" >&9
  until grep -q '</hello>' "$RUN/$1/holder" 2>/dev/null; do sleep 0.1; done
  rpc 1 '<lock><target><candidate/></target></lock>' >&9
  until grep -q 'ok/>' "$RUN/$1/holder" 2>/dev/null; do sleep 0.1; done
}
release() { exec 9>&-; }

end() {
  local pid
  for pid in "${SSHDS[@]}" "${AGENTS[@]}"; do kill "$pid" 2>/dev/null || true; done
  wait
  userdel $AGENT_USER 2>/dev/null || true
  rmdir /root/.yuma 2>/dev/null || true
}
trap end EXIT

for agent in $(seq "$COUNT"); do
  start_agent "$agent"
  door "$agent"
done
say "ready"
for agent in $(seq "$COUNT"); do
  say "$((FIRST + agent)) $(ssh-keygen -lf "$RUN/$agent/host.pub" | cut -d' ' -f2)"
done
while read -r line; do
  code=0
  $line || code=$?
  say "done $code"
done
