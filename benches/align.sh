#!/usr/bin/env bash
# Aligning an install on a host beside `lftp mirror` over the same line with as many connections, in one run:
# 5,000 small files, then one of 1 GiB, to loopback SFTP (OpenSSH) and FTP (ProFTPD). Needs root, for the servers.
# usage: benches/align.sh [SMALL_FILES] [LARGE_MIB]
set -euo pipefail
cd "$(dirname "$0")/.."
small=${1:-5000} large=${2:-1024} lines=8 tries=${TRIES:-3}
for program in lftp sshd proftpd ftpasswd ssh-keygen; do
  command -v "$program" >/dev/null || { echo "skipped: $program is not installed"; exit 0; }
done
[ -n "${KANON:-}" ] || cargo build --release --locked --quiet
kanon=${KANON:-$PWD/target/release/kanon}
room=$(mktemp -d)
trap 'kill $(jobs -p) 2>/dev/null || true; rm -rf "$room"' EXIT
ssh_port=2${RANDOM:0:3}1 ftp_port=2${RANDOM:0:3}2

ssh-keygen -q -t ed25519 -N '' -f "$room/host"; ssh-keygen -q -t ed25519 -N '' -f "$room/guest"
mkdir -p /run/sshd "$room/work"
cat > "$room/sshd" <<END
Port $ssh_port
ListenAddress 127.0.0.1
HostKey $room/host
AuthorizedKeysFile $room/guest.pub
StrictModes no
UsePAM no
PidFile none
PermitRootLogin yes
Subsystem sftp internal-sftp
MaxStartups 50
END
"$(command -v sshd)" -D -f "$room/sshd" 2>/dev/null &
printf 'secret' | ftpasswd --passwd --name ines --uid 0 --gid 0 --home "$room" --shell /bin/sh --file "$room/users" --stdin >/dev/null 2>&1
chmod 600 "$room/users"
cat > "$room/proftpd" <<END
ServerType standalone
DefaultServer on
Port $ftp_port
DefaultAddress 127.0.0.1
User root
Group root
RootLogin on
RequireValidShell off
UseReverseDNS off
WtmpLog none
TransferLog none
SystemLog $room/log
PidFile $room/pid
ScoreboardFile none
DelayEngine off
MaxInstances 60
AuthOrder mod_auth_file.c
AuthUserFile $room/users
AllowOverwrite on
END
proftpd -n -q -c "$room/proftpd" 2>/dev/null &
sleep 1

cd "$room/work"
cat > rulebook.toml <<'END'
format = "kanon-rulebook/1"
game   = "Ashmere Reach"
[[shelf]]
name  = "holds"
holds = "folders"
in    = { server = "holds", client = "holds" }
[shelf.mod]
id = { file-name = '(?<id>.+)' }
END
finger=$(ssh-keygen -l -f "$room/host.pub" | cut -d' ' -f2)
for which in sftp ftp; do
  mkdir -p "$room/$which"
  at="sftp://root@127.0.0.1:$ssh_port$room/$which/kanon\"
key = \"$room/guest\"
host-key = \"$finger"
  [ $which = ftp ] && at="ftp://ines@127.0.0.1:$ftp_port$room/$which/kanon"
  cat > "$which.toml" <<END
format = "kanon/1"
name = "Bench"
rulebook = "rulebook.toml"
[install.model]
role = "server"
at = "model"
[install.host]
role = "client"
at = "$at"
END
done
export KANON_PASSWORD=secret
sftp_of="set sftp:connect-program 'ssh -a -x -i $room/guest -o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null -o LogLevel=ERROR'; open -u root, sftp://127.0.0.1:$ssh_port"
ftp_of="set ftp:ssl-allow no; open -u ines,secret ftp://127.0.0.1:$ftp_port"

seconds() { local t0 t1; t0=$(date +%s%N); "$@" >/dev/null; t1=$(date +%s%N); echo $(( (t1 - t0) / 1000000 )); }
best() { sort -n | head -1; }
round() { # name
  for which in sftp ftp; do
    cp "$which.toml" kanon.toml
    rm -rf .kanon canon.json; "$kanon" adopt model -q >/dev/null || true; "$kanon" seal -q >/dev/null
    # The administrator's own copy was measured before; a stamp is believed once it is two seconds old.
    sleep 3; "$kanon" check model -q >/dev/null || true
    open=$sftp_of; [ $which = ftp ] && open=$ftp_of
    : > ours; : > theirs
    for _ in $(seq "$tries"); do
      rm -rf "$room/$which"; mkdir -p "$room/$which/kanon/holds" "$room/$which/lftp"
      seconds lftp -c "$open; mirror -R --parallel=$lines $PWD/model/holds $room/$which/lftp/holds" >> theirs
      seconds "$kanon" align host --yes -q >> ours
      diff -rq model/holds "$room/$which/kanon/holds" && diff -rq model/holds "$room/$which/lftp/holds"
    done
    awk -v what="$1 over $which" -v ours="$(best < ours)" -v theirs="$(best < theirs)" \
      'BEGIN { printf "%-34s kanon align %7.2f s   lftp mirror %7.2f s   ratio %.2f\n", what, ours / 1000, theirs / 1000, ours / theirs }'
  done
}

echo "$(nproc) cores; $lines connections each; best of $tries; kanon plans, journals, sends, and looks again"
mkdir -p model/holds
for ((i = 0; i < small / 10; i++)); do
  mkdir -p "model/holds/hold-$i"
  for ((j = 0; j < 10; j++)); do head -c $((500 + (i * 37 + j * 101) % 3000)) /dev/urandom > "model/holds/hold-$i/part-$j.bin"; done
done
round "$small small files"
rm -rf model/holds; mkdir -p model/holds/great
head -c "$large"M /dev/urandom > model/holds/great/hull.bin
round "one file of $large MiB"
