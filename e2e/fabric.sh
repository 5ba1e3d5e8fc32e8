#!/usr/bin/env bash
# A data hall of network namespaces: two leaves, a border and a spine that run Debian's routing daemons (package frr) over links of the kernel's, hosts behind
# the leaves, and a customer's router behind the border.
# Each leaf is reached by SSH (Debian's sshd) on loopback.
#   e2e/fabric.sh FOLDER
# Prints "ready", then for each leaf a line "ADDRESS PORT FINGERPRINT"; then takes lines, each a function below, answered by "done" and its exit code.
# Ends everything when the input ends, and leaves nothing behind. Needs root: nodes are namespaces of their own.
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/../setup/parts.sh"
RUN=$1 LEAVES="leaf1 leaf2 border1" NODES="leaf1 leaf2 border1 spine1 a1 a2 b1 b2 out1" ENGINEER=engineer SSH_PORT=8222
[ "$(id -u)" = 0 ] || die "namespaces need root"
for package in frr iproute2 iputils-ping openssh-server socat python3-minimal procps; do
  dpkg-query -W -f='${Status}' $package 2>/dev/null | grep -q 'ok installed' || wanted+=" $package"
done
[ -z "${wanted:-}" ] || install_packages $wanted
unshare --mount --net --uts true 2>/dev/null || die "this machine does not let root make namespaces"

rm -rf "$RUN"; mkdir -p "$RUN" /run/sshd /var/run/frr; chmod 755 "$RUN"
secret_file "$RUN/password"
declare -A PID

on() { local node=$1; shift; nsenter -t "${PID[$node]}" -m -n -u -- "$@" </dev/null; }

node() { # name: its namespaces, with folders of its own for what the daemons and iproute2 keep
  local d=$RUN/$1
  mkdir -p "$d"/frr "$d"/etc; chown frr:frr "$d"/frr "$d"/etc
  sed "/^$ENGINEER:/d" /etc/passwd >"$d/passwd"; sed "/^$ENGINEER:/d" /etc/shadow >"$d/shadow"; chmod 600 "$d/shadow"
  echo "$ENGINEER:x:0:0::/root:$ROOT/models/dialects/frr/host/command-line" >>"$d/passwd"
  echo "$ENGINEER:$(openssl passwd -6 -stdin <"$RUN/password"):20000:0:99999:7:::" >>"$d/shadow"
  setsid unshare --mount --net --uts --propagation private sh -c '
    hostname "$2"
    mount --bind "$1/frr" /var/run/frr; mount --bind "$1/etc" /etc/frr
    mount --bind "$1/passwd" /etc/passwd; mount --bind "$1/shadow" /etc/shadow
    mkdir -p /run/netns; mount -t tmpfs none /run/netns
    : >"$1/up"; exec sleep infinity' sh "$d" "$1" >/dev/null 2>&1 </dev/null &
  PID[$1]=$!
  until [ -e "$d/up" ]; do kill -0 "${PID[$1]}" 2>/dev/null || die "no namespaces for $1"; sleep 0.02; done
  on "$1" ip link set lo up
}

wire() { # node link node link: with frames long enough for VXLAN between routers
  nsenter -t "${PID[$1]}" -n -- ip link add "$2" mtu "${5:-1500}" type veth peer name "$4" mtu "${5:-1500}" netns "${PID[$3]}"
  on "$1" ip link set "$2" up; on "$3" ip link set "$4" up
}

start_daemon() { # node daemon
  local further=
  [ "$2" != zebra ] || further=--vrfwnetns
  on "$1" "/usr/lib/frr/$2" -d -u frr -g frr --vty_socket /var/run/frr -i "/var/run/frr/$2.pid" -A 127.0.0.1 $further >>"$RUN/$1/log" 2>&1
}
boot() { on "$1" vtysh -b >>"$RUN/$1/log" 2>&1; }
kill_daemon() { kill -9 "$(cat "$RUN/$1/frr/$2.pid")"; }

router() { # node loopback
  on "$1" sysctl -qw net.ipv4.ip_forward=1 net.ipv6.conf.all.forwarding=1
  on "$1" ip address add "$2/32" dev lo
  echo 'service integrated-vtysh-config' >"$RUN/$1/etc/vtysh.conf"
  cat >"$RUN/$1/etc/frr.conf"; chown frr:frr "$RUN/$1/etc/frr.conf"
  for daemon in zebra staticd ospfd bgpd; do start_daemon "$1" $daemon; done
  boot "$1"
}

leaf() { # name loopback
  router "$1" "$2" <<CONF
frr defaults traditional
hostname $1
interface core-1
 ip ospf network point-to-point
 ip ospf hello-interval 1
 ip ospf dead-interval 20
exit
router ospf
 network 203.0.113.0/24 area 0
 network 192.0.2.128/27 area 0
exit
router bgp 64500
 bgp router-id $2
 no bgp default ipv4-unicast
 neighbor 203.0.113.100 remote-as 64500
 neighbor 203.0.113.100 update-source lo
 neighbor 203.0.113.100 timers connect 1
 address-family l2vpn evpn
  neighbor 203.0.113.100 activate
  advertise-all-vni
 exit-address-family
exit
CONF
  printf 'write memory\nexit\n' | nsenter -t "${PID[$1]}" -m -n -u -- "$ROOT/models/dialects/frr/host/command-line" >>"$RUN/$1/log" 2>&1
}

door() { # leaf address: its sshd, one process for each connection, from loopback into its namespaces
  local d=$RUN/$1
  ssh-keygen -q -t ecdsa -N '' -f "$d/host"
  cat >"$d/sshd_config" <<CONF
HostKey $d/host
PidFile none
AllowUsers $ENGINEER
PermitRootLogin yes
PasswordAuthentication yes
UsePAM no
StrictModes no
PrintMotd no
PrintLastLog no
CONF
  setsid socat "TCP4-LISTEN:$SSH_PORT,bind=$2,reuseaddr,fork" "EXEC:nsenter -t ${PID[$1]} -m -n -u -- /usr/sbin/sshd -i -f $d/sshd_config -E $d/sshd.log" >/dev/null 2>&1 </dev/null &
  DOORS+=" $!"
}

host() { # name leaf port address gateway
  wire "$2" "$3" "$1" eth0
  on "$1" ip address add "$4" dev eth0
  on "$1" ip route add default via "$5"
}

ping_from() { # host address [tries]: an answer within some seconds
  for try in $(seq "${3:-8}"); do on "$1" ping -c 1 -W 1 "$2" >/dev/null && return 0; done
  return 1
}
no_ping_from() { ! on "$1" ping -c 2 -i 0.3 -W 1 "$2" >/dev/null; }

# What the routers know of each other, as a file: for whoever asks why no route leads from one to another.
state() {
  local each
  for each in $LEAVES spine1; do
    echo "== $each"; on "$each" vtysh -c 'show ip ospf neighbor' -c 'show ip route' -c 'show bgp l2vpn evpn summary' -c 'show bgp nexthop' -c 'show evpn vni' || true
  done >"$RUN/state" 2>&1
}
# What a leaf shows, as a file; and what the kernel has on it.
holds() { on "$1" "$ROOT/models/dialects/frr/host/command-line" --show >"$RUN/$1/running"; }
bare() { [ "$(on "$1" ip -br link | wc -l)" = "$2" ] && [ -z "$(on "$1" ls /run/netns)" ]; }
# restart LEAF: as after a power cut of the host; its ports are there again, bare, and of links and namespaces nothing.
restart() {
  local d=$RUN/$1 each
  for each in bgpd ospfd staticd zebra; do kill -9 "$(cat "$d/frr/$each.pid")"; done
  for each in $(on "$1" ls /run/netns); do
    for port in access-1 access-2; do on "$1" ip -n "$each" link set $port netns "${PID[$1]}" 2>/dev/null || true; done
    on "$1" ip netns del "$each"
  done
  for each in $(on "$1" ip -br link | grep -oE '^[bvpq][0-9a-f]{10}'); do on "$1" ip link del "$each" 2>/dev/null || true; done
  for port in access-1 access-2; do
    ! on "$1" ip link show $port >/dev/null 2>&1 || { on "$1" ip address flush dev $port; on "$1" ip link set $port nomaster mtu 1500 alias '' up; }
  done
  [ -z "$(on "$1" ls /run/netns)" ] || return 1
  on "$1" "$ROOT/models/dialects/frr/host/command-line" --restore
  for each in zebra staticd ospfd bgpd; do start_daemon "$1" $each; done
  boot "$1"
}
# typed LEAF LINE ; LINE …: somebody changes the daemons there, and saves it.
typed() { local node=$1; shift; on "$node" vtysh -c 'configure terminal' -c "$(printf %s "$*" | sed 's/ ; /\n/g')" -c end -c 'write memory' >/dev/null 2>&1; }

end() {
  local node pid
  kill $DOORS 2>/dev/null || true
  # All that runs in the namespaces of a node: the daemons, and sessions.
  for node in "${!PID[@]}"; do
    for pid in $(find -L /proc/[0-9]*/ns/uts -samefile "/proc/${PID[$node]}/ns/uts" 2>/dev/null | cut -d/ -f3); do kill -9 "$pid" 2>/dev/null || true; done
  done
  wait 2>/dev/null || true
}
DOORS=
trap end EXIT

for each in $NODES; do node "$each"; done
wire leaf1 core-1 spine1 core-1 9000; wire leaf2 core-1 spine1 core-2 9000; wire border1 core-1 spine1 core-3 9000
on leaf1 ip address add 192.0.2.128/31 dev core-1; on spine1 ip address add 192.0.2.129/31 dev core-1
on leaf2 ip address add 192.0.2.130/31 dev core-1; on spine1 ip address add 192.0.2.131/31 dev core-2
on border1 ip address add 192.0.2.132/31 dev core-1; on spine1 ip address add 192.0.2.133/31 dev core-3
leaf leaf1 203.0.113.101; leaf leaf2 203.0.113.102; leaf border1 203.0.113.103
router spine1 203.0.113.100 <<'CONF'
frr defaults traditional
hostname spine1
interface core-1
 ip ospf network point-to-point
 ip ospf hello-interval 1
 ip ospf dead-interval 20
exit
interface core-2
 ip ospf network point-to-point
 ip ospf hello-interval 1
 ip ospf dead-interval 20
exit
interface core-3
 ip ospf network point-to-point
 ip ospf hello-interval 1
 ip ospf dead-interval 20
exit
router ospf
 network 203.0.113.0/24 area 0
 network 192.0.2.128/27 area 0
exit
router bgp 64500
 bgp router-id 203.0.113.100
 no bgp default ipv4-unicast
 neighbor leaves peer-group
 neighbor leaves remote-as 64500
 neighbor leaves update-source lo
 bgp listen range 203.0.113.0/24 peer-group leaves
 address-family l2vpn evpn
  neighbor leaves activate
  neighbor leaves route-reflector-client
 exit-address-family
exit
CONF
host a1 leaf1 access-1 198.51.100.11/25 198.51.100.1; host b1 leaf1 access-2 198.51.100.11/25 198.51.100.1
host a2 leaf2 access-1 198.51.100.139/25 198.51.100.129; host b2 leaf2 access-2 198.51.100.12/25 198.51.100.1
on a1 ip address add 2001:db8:20:1::11/64 dev eth0 nodad; on a1 ip -6 route add default via 2001:db8:20:1::1
on a2 ip address add 2001:db8:20:2::11/64 dev eth0 nodad; on a2 ip -6 route add default via 2001:db8:20:2::1
# The customer's router announces a network of its own.
wire border1 access-1 out1 eth0
on out1 ip address add 192.0.2.65/31 dev eth0
on out1 ip address add 198.51.100.225/28 dev lo
router out1 203.0.113.200 <<'CONF'
frr defaults traditional
hostname out1
router bgp 64810
 bgp router-id 203.0.113.200
 no bgp ebgp-requires-policy
 neighbor 192.0.2.64 remote-as 64500
 neighbor 192.0.2.64 timers connect 1
 address-family ipv4 unicast
  network 198.51.100.224/28
 exit-address-family
exit
CONF
door leaf1 127.30.0.1; door leaf2 127.30.0.2; door border1 127.30.0.3
for each in $LEAVES; do
  for try in $(seq 100); do
    ! on "$each" vtysh -c 'show bgp l2vpn evpn summary' 2>/dev/null | grep -q '00:00:[0-9]' || continue 2
    sleep 0.1
  done
  die "$each has no session with spine1: $(tail -3 "$RUN/$each/log")"
done

say "ready"
number=0
for each in $LEAVES; do number=$((number + 1)); say "127.30.0.$number $SSH_PORT $(ssh-keygen -lf "$RUN/$each/host.pub" | cut -d' ' -f2)"; done
while read -r line; do
  code=0
  $line || code=$?
  say "done $code"
done
