#!/usr/bin/env bash
# ./run deb: builds dist/bathyx_VERSION_ARCH.deb from the tree. What Debian has too old or not at all lies in a folder of the
# package's own, /usr/lib/bathyx/python, as requirements-run.lock pins it. Needs the system's python3 (with venv), dpkg-deb.
set -euo pipefail
cd "$(dirname "$0")/.."
id=example.bathyx.Bathyx
bin=${BATHYX_VENV:-.venv}/bin
version=$("$bin/python" -c 'import bathyx; print(bathyx.__version__)')
arch=$(dpkg --print-architecture)
python=/usr/bin/python3
minor=$($python -c 'import sys; print(f"{sys.version_info[0]}.{sys.version_info[1]}")')
$python -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Bathyx needs Python 3.11; this system's python3 is $minor" >&2; exit 1; }
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
root=$work/bathyx_${version}_$arch
own=$root/usr/lib/bathyx/python
mkdir -p "$own" "$root/DEBIAN" "$root/usr/bin" "$root/usr/share/doc/bathyx" "$root/usr/share/lintian/overrides"

# Built by the system's Python: what is compiled has to fit it.
$python -m venv "$work/venv"
"$work/venv/bin/python" -m pip install -q --disable-pip-version-check --no-compile --target "$own" -r requirements-run.lock
"$bin/python" -m build -q --wheel --no-isolation -o "$work/wheel" . >/dev/null
"$work/venv/bin/python" -m pip install -q --disable-pip-version-check --no-compile --no-deps --target "$own" "$work"/wheel/*.whl
rm -rf build

# What does not run: tests, headers, compilers' files, and of Qt what no window of Bathyx loads.
rm -rf "$own"/bin "$own"/Cython "$own"/cython* "$own"/Cython-* "$own"/pyximport "$own"/share
find "$own" -depth -type d \( -name __pycache__ -o -name tests -o -name test \) -exec rm -rf {} +
find "$own" -type f \( -name '*.pyi' -o -name '*.pxd' -o -name '*.pyx' -o -name '*.h' -o -name '*.c' -o -name '*.cpp' -o -name '*.a' \) -delete
qt=$own/PyQt6/Qt6
rm -rf "$qt"/qml "$qt"/qsci "$qt"/translations "$own"/PyQt6/uic "$own"/PyQt6/lupdate "$own"/PyQt6/bindings
for part in 3DAnimation Bluetooth Designer Help Lottie Multimedia Nfc Positioning Qml Quick RemoteObjects Sensors SerialPort ShaderTools \
  Spatial Sql StateMachine Test TextToSpeech Web LabsQml LabsAnimation LabsFolder LabsSettings LabsWavefront LabsPlatform LabsSharedImage FFmpeg; do
  rm -f "$qt"/lib/libQt6"$part"* "$own"/PyQt6/Qt"$part"*.so
done
rm -rf "$own"/reportlab/fonts "$own"/pip "$own"/fontTools/ttLib/tables/*.txt
grep -rlZ '^#!' "$own" --include='*.py' | xargs -0 -r sed -i '1s/^#!.*$//'  # modules, not programs
rm -f "$qt"/lib/libav*.so* "$qt"/lib/libsw*.so*
rm -rf "$qt"/plugins/{assetimporters,designer,multimedia,position,qmllint,qmltooling,scxmldatamodel,sensors,sqldrivers,texttospeech,webview,renderers,geometryloaders,sceneparsers,qmlls}
find "$root" -type f -exec chmod 644 {} +
find "$root" -type d -exec chmod 755 {} +

cat > "$root/usr/bin/bathyx" <<EOF
#!$python
import sys

sys.path.insert(0, "/usr/lib/bathyx/python")
from bathyx.cli import main

sys.exit(main())
EOF
chmod 755 "$root/usr/bin/bathyx"
cp -r share/applications share/icons share/mime share/metainfo share/man share/bash-completion "$root/usr/share/"
mkdir -p "$root/usr/share/zsh/vendor-completions"
cp share/zsh/site-functions/_bathyx "$root/usr/share/zsh/vendor-completions/"
gzip -9n "$root/usr/share/man/man1/bathyx.1"
find "$root/usr/share" -type f -exec chmod 644 {} +
find "$root/usr/share" -type d -exec chmod 755 {} +

cp packaging/debian/copyright "$root/usr/share/doc/bathyx/copyright"
date=$(date -R -d "${SOURCE_DATE:-$(sed -n 's/^## [0-9.]*, \([0-9-]*\)$/\1/p' CHANGELOG.md | head -1)}")
{ echo "bathyx ($version) unstable; urgency=medium"; echo; echo "  * See CHANGELOG.md of the source."; echo
  echo " -- The makers of Bathyx <makers@bathyx.example>  $date"; } | gzip -9n > "$root/usr/share/doc/bathyx/changelog.gz"
cp packaging/debian/lintian-overrides "$root/usr/share/lintian/overrides/bathyx"
cp packaging/debian/postinst packaging/debian/prerm "$root/DEBIAN/"
chmod 644 "$root/usr/share/doc/bathyx"/* "$root/usr/share/lintian/overrides/bathyx"
chmod 755 "$root/DEBIAN/postinst" "$root/DEBIAN/prerm"
next="3.$(( ${minor#3.} + 1 ))"
size=$(du -sk --exclude=DEBIAN "$root" | cut -f1)
cat > "$root/DEBIAN/control" <<EOF
Package: bathyx
Version: $version
Section: science
Priority: optional
Architecture: $arch
Maintainer: The makers of Bathyx <makers@bathyx.example>
Installed-Size: $size
Depends: python3 (>= $minor), python3 (<< $next), $(paste -sd, packaging/debian/depends | sed 's/,/, /g')
Recommends: shared-mime-info, xdg-utils
Suggests: postgresql
Homepage: https://bathyx.example/
Description: workbench for custom fuel and fluid tanks
 Bathyx takes a tank from a tape measure to a signed test record: it fits a
 measured space, works out what the tank holds level and on a slope, places
 baffles and fittings by rule, unfolds flat patterns with their bends, and
 keeps the weld log and the pressure test of each tank.
 .
 Local codes and licensed practice come first.
EOF
mkdir -p dist
(cd "$root" && find usr -type f -print0 | sort -z | xargs -0 md5sum > DEBIAN/md5sums)
dpkg-deb --root-owner-group -Zxz --build "$root" "dist/bathyx_${version}_$arch.deb"
echo "dist/bathyx_${version}_$arch.deb: $(du -m "dist/bathyx_${version}_$arch.deb" | cut -f1) MB, installed $((size / 1024)) MB"
if command -v lintian >/dev/null; then lintian --allow-root --fail-on error,warning "dist/bathyx_${version}_$arch.deb"; fi
