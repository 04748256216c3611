#!/usr/bin/env bash
# Installs the wheel in dist/ into an environment of its own, away from the tree, and uses it there.
set -euo pipefail
cd "$(dirname "$0")/.."

wheel=$(readlink -f dist/zesty_abacus-*.whl)
size=$(stat -c %s "$wheel")
[ "$size" -lt $((15 << 20)) ] || { echo "the wheel has $size bytes, more than 15 MB" >&2; exit 1; }
place=$(mktemp -d)
trap 'rm -rf "$place"' EXIT
sed -n 's/^\([A-Za-z0-9_.-]*==[^ \\;]*\).*/\1/p' requirements.lock >"$place/constraints"
"${PYTHON:-python3}" -m venv "$place/venv"
"$place/venv/bin/pip" install -q --disable-pip-version-check -c "$place/constraints" "$wheel"
cd "$place"
export HOME=$place QT_QPA_PLATFORM=offscreen
venv/bin/zesty-abacus --version
venv/bin/zesty-abacus demo yuzu --length 4s
venv/bin/zesty-abacus decode yuzu --library yuzu -o values.parquet
venv/bin/zesty-abacus handover c --library yuzu -o code 2>/dev/null
venv/bin/python -c 'import zesty_abacus as za; print(len(za.open_capture("yuzu")), "frames")'
timeout 25 venv/bin/zesty-abacus --demo || [ $? = 124 ]
test -f venv/lib/python3*/site-packages/zesty_abacus/desk/pages/guide.md
test -f venv/share/applications/zesty-abacus.desktop -a -f venv/share/man/man1/zesty-abacus.1
echo "a wheel of $size bytes works without the tree"
