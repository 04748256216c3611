#!/usr/bin/env bash
# Builds dist/zesty-abacus_VERSION_ARCH.deb out of the wheel in dist/: the program with all it needs in a folder of its own.
# The packages of Python are those of requirements.lock; Debian's own are too old for some of them.
set -euo pipefail
cd "$(dirname "$0")/.."

python=${PYTHON:-python3}
wheel=$(ls dist/zesty_abacus-*.whl)
version=$(basename "$wheel" | cut -d- -f2)
arch=$(dpkg --print-architecture)
tree=$(mktemp -d)
trap 'rm -rf "$tree"' EXIT
chmod 755 "$tree"

# only what the program needs at run time, in the versions of the lock
"$python" - >"$tree.constraints" <<'PY'
import re
text = open("requirements.lock").read()
print("\n".join(re.findall(r"^([A-Za-z0-9_.\[\]-]+==[^ \\;]+)", text, re.M)))
PY
"$python" -m pip install -q --disable-pip-version-check --no-compile --target "$tree/opt/zesty-abacus/lib" \
  -c "$tree.constraints" "$wheel"
rm -rf "$tree.constraints" "$tree/opt/zesty-abacus/lib/bin"
find "$tree" -name __pycache__ -prune -exec rm -rf {} +
find "$tree/opt" -name tests -type d -path '*/site-packages/*' -prune -exec rm -rf {} + 2>/dev/null || true
for package in numba scipy pyarrow numpy; do
  find "$tree/opt/zesty-abacus/lib/$package" -type d -name tests -prune -exec rm -rf {} +
done
# parts of Qt that no window of this program loads
rm -rf "$tree"/opt/zesty-abacus/lib/PyQt6/Qt6/{qml,lib/*Quick*,lib/*Qml*,lib/*Designer*,lib/*Pdf*,lib/*3D*,lib/*Multimedia*}
mv "$tree/opt/zesty-abacus/lib/share" "$tree/share.pip"
install -d "$tree/usr/bin" "$tree/usr/share/doc/zesty-abacus" "$tree/usr/share/mime/packages" "$tree/DEBIAN"
cp -r "$tree/share.pip"/{applications,metainfo,icons,man} "$tree/usr/share/"
rm -rf "$tree/share.pip"
gzip -9n "$tree/usr/share/man/man1/zesty-abacus.1"
install -m 644 release/zesty-abacus.mime.xml "$tree/usr/share/mime/packages/zesty-abacus.xml"
gzip -9nc CHANGELOG.md >"$tree/usr/share/doc/zesty-abacus/changelog.gz"
cat >"$tree/usr/share/doc/zesty-abacus/copyright" <<'TEXT'
Zesty Abacus is free software under the GNU General Public License, version 3 or later.
Packages of Python in /opt/zesty-abacus/lib are under licences of their own, in the folders *.dist-info.
TEXT

abi=$("$python" -c 'import sys; print(f"{sys.version_info.major}.{sys.version_info.minor}")')
cat >"$tree/usr/bin/zesty-abacus" <<TEXT
#!/bin/sh
# compiled kernels are kept where the user may write, not beside the code
export NUMBA_CACHE_DIR="\${NUMBA_CACHE_DIR:-\${XDG_CACHE_HOME:-\$HOME/.cache}/zesty-abacus/kernels}"
exec env PYTHONPATH=/opt/zesty-abacus/lib python$abi -s -m zesty_abacus "\$@"
TEXT
chmod 755 "$tree/usr/bin/zesty-abacus"
next=${abi%.*}.$((${abi#*.} + 1))
cat >"$tree/DEBIAN/control" <<TEXT
Package: zesty-abacus
Version: $version
Architecture: $arch
Maintainer: The engineers of Zesty Abacus <abacus@localhost>
Section: electronics
Priority: optional
Installed-Size: $(du -sk "$tree" | cut -f1)
Depends: python3 (>= $abi), python3 (<< $next), libegl1, libgl1, libdbus-1-3, libfontconfig1, libglib2.0-0, libxkbcommon0, libxkbcommon-x11-0, libxcb-cursor0, libxcb-icccm4, libxcb-image0, libxcb-keysyms1, libxcb-randr0, libxcb-render-util0, libxcb-shape0, libxcb-xinerama0, libxcb-xkb1
Recommends: fonts-inter, fonts-jetbrains-mono, gcc
Description: bit layouts, decoded captures and unknown fields
 A test engineer keeps a shared library of bit-level signal layouts for CAN,
 I2C, SPI, Modbus and radio frames, decodes logged captures against it, and
 works out what unknown bits of messages mean.
TEXT
dpkg-deb --root-owner-group -Zxz -z1 --build "$tree" "dist/zesty-abacus_${version}_$arch.deb" >/dev/null
ls -l "dist/zesty-abacus_${version}_$arch.deb"
