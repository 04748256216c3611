#!/usr/bin/env bash
# Installs the package in dist/ into a clean Debian in a folder, starts the program there, and removes the package again.
# Takes root, debootstrap and a few minutes; it is no part of the suite.
set -euo pipefail
cd "$(dirname "$0")/.."

suite=${1:-bookworm}
root=$(mktemp -d)
cleanup() {
  umount -q "$root/proc" || true
  rm -rf --one-file-system "$root"
}
trap cleanup EXIT
debootstrap --variant=minbase "$suite" "$root" >/dev/null
[ -f /etc/apt/sources.list ] && cp /etc/apt/sources.list "$root/etc/apt/" || true
cp -r /etc/apt/sources.list.d /etc/apt/apt.conf.d "$root/etc/apt/" 2>/dev/null || true
cp /etc/resolv.conf "$root/etc/" 2>/dev/null || true
mount -t proc proc "$root/proc"
cp dist/zesty-abacus_*.deb "$root/srv/"
inside() { chroot "$root" env DEBIAN_FRONTEND=noninteractive HOME=/root QT_QPA_PLATFORM=offscreen "$@"; }
inside apt-get update -qq
inside sh -c 'apt-get install -y -qq --no-install-recommends /srv/zesty-abacus_*.deb' >/dev/null
inside zesty-abacus --version
inside zesty-abacus demo /srv/yuzu --length 4s
inside sh -c 'zesty-abacus decode /srv/yuzu --library /srv/yuzu 2>/dev/null | head -3'
# the window stands, with the demo in it
inside timeout 25 zesty-abacus --demo || [ $? = 124 ]
test -f "$root/usr/share/applications/zesty-abacus.desktop" -a -f "$root/usr/share/man/man1/zesty-abacus.1.gz"
inside apt-get remove -y -qq zesty-abacus >/dev/null
test ! -e "$root/opt/zesty-abacus/lib/zesty_abacus" -a ! -e "$root/usr/bin/zesty-abacus"
echo "installed, started and removed in a clean $suite"
