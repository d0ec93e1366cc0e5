#!/usr/bin/env bash
# packaging/release.sh VERSION: stamps a version and today's date into the package, the changelog, the metainfo and the manual page.
# The notes stand in CHANGELOG.md already, under "## VERSION, unreleased".
set -euo pipefail
cd "$(dirname "$0")/.."
version=${1:?which version, like 0.2.0}
date=$(date +%F)
[[ $version =~ ^[0-9]+\.[0-9]+\.[0-9]+$ ]] || { echo "$version is no version; write it like 0.2.0" >&2; exit 2; }
grep -q "^## $version, unreleased$" CHANGELOG.md || { echo "CHANGELOG.md has no '## $version, unreleased' with its notes" >&2; exit 1; }
[ -z "$(git status --porcelain)" ] || { echo "something is not committed" >&2; exit 1; }
sed -i "s/^## $version, unreleased$/## $version, $date/" CHANGELOG.md
sed -i "s/^__version__ = .*/__version__ = \"$version\"/" src/bathyx/__init__.py
sed -i "s/^DATE = \"[0-9-]*\"/DATE = \"$date\"/" tools/shell_files.py
note=$(awk "/^## $version,/{on=1; next} /^## /{on=0} on && /^- /{sub(/^- /, \"\"); print; exit}" CHANGELOG.md | sed 's/[;.]$//; s/&/\&amp;/g; s/</\&lt;/g')
sed -i "0,/<releases>/s|<releases>|<releases>\n    <release version=\"$version\" date=\"$date\" type=\"stable\">\n      <description>\n        <p>${note:-See the changelog.}.</p>\n      </description>\n    </release>|" \
  share/metainfo/example.bathyx.Bathyx.metainfo.xml
./run docs
git diff --stat
echo "Look it over, run the tests, commit it, and tag it v$version."
