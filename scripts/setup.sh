#!/usr/bin/env bash
# Installs, from Debian's packages, the programs that the named purpose needs and that are
# missing. Nothing is touched when everything is there, so it costs nothing to call each time.
#   scripts/setup.sh demo   what running the application needs
#   scripts/setup.sh test   what the tests need on top of that
set -euo pipefail
purpose=${1:-demo}

missing=()
need() { # command, package
	command -v "$1" >/dev/null 2>&1 || missing+=("$2")
}
need ffmpeg ffmpeg
need sndfile-info sndfile-programs
need make make
if ! ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1; then missing+=(postgresql); fi
if [ "$purpose" = test ]; then
	need sox sox
	need openssl openssl
	need flac flac
	need pdftotext poppler-utils
	need chromium chromium
	need jq jq
	need curl curl
	need gcc gcc # for the race detector
	[ -e /usr/include/stdlib.h ] || missing+=(libc6-dev)
fi
[ ${#missing[@]} -gt 0 ] || exit 0

if [ "$(id -u)" = 0 ]; then as_root=(env); elif command -v sudo >/dev/null 2>&1; then as_root=(sudo env); else
	echo "setup: missing ${missing[*]}, and neither root nor sudo is at hand to install them." >&2
	echo "setup: as root, run: apt-get install ${missing[*]}" >&2
	exit 1
fi
echo "setup: installing ${missing[*]} from Debian's packages" >&2
apt() { "${as_root[@]}" DEBIAN_FRONTEND=noninteractive apt-get -qq -o DPkg::Lock::Timeout=120 "$@" >/dev/null; }
apt update
if [[ " ${missing[*]} " == *" postgresql "* ]]; then
	# The application keeps its own database folder: no system-wide cluster is wanted.
	apt install -y --no-install-recommends postgresql-common
	"${as_root[@]}" sed -i 's/^#\?create_main_cluster.*/create_main_cluster = false/' /etc/postgresql-common/createcluster.conf
fi
apt install -y --no-install-recommends "${missing[@]}"
