#!/bin/bash
# Writes core/zone/vendor.txt from the CLDR's table of vendor zone names (Debian's
# unicode-cldr-core): "name <tab> IANA zone", also for the names that are shown to people.
set -eu -o pipefail
cd "$(dirname "$0")/.."
table=${1:-/usr/share/unicode/cldr/common/supplemental/windowsZones.xml}
[ -r "$table" ] || { echo "$table is not there: install unicode-cldr-core" >&2; exit 1; }
{
	echo "# Vendor zone names and the IANA zones they stand for, by the Unicode CLDR's windowsZones.xml."
	echo "# Copyright 1991-2013 Unicode, Inc., under the Unicode licence. Made by scripts/vendor-zones.sh."
	sed -n -E \
		-e 's/^[[:space:]]*<!-- \([^)]*\) (.*) -->[[:space:]]*$/shown \1/p' \
		-e 's/^.*<mapZone other="([^"]*)" territory="001" type="([^" ]*).*$/zone \1\t\2/p' "$table" |
		sed -e 's/&amp;/\&/g' |
		awk '/^shown / { shown = substr($0, 7); next }
		     { line = substr($0, 6); print line; split(line, part, "\t"); if (shown != "" && shown != part[1]) print shown "\t" part[2]; shown = "" }' |
		LC_ALL=C sort -u
} > core/zone/vendor.txt
