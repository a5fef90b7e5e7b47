# Sets up what is missing: system libraries and the Python environment; with kernels=yes also the compiled kernels, which
# the window prepares behind itself otherwise. Sourced by the start scripts.
# Says what it does; does nothing when everything is there.
set -eu
root="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
venv="$root/.venv"

need_packages=""
have_library() { ldconfig -p 2>/dev/null | grep -q "$1"; }
while read -r library package; do
  have_library "$library" || need_packages="$need_packages $package"
done <<'LIBRARIES'
libxcb-icccm.so.4 libxcb-icccm4
libxcb-keysyms.so.1 libxcb-keysyms1
libxcb-cursor.so.0 libxcb-cursor0
libxcb-shape.so.0 libxcb-shape0
libxcb-xkb.so.1 libxcb-xkb1
libxcb-image.so.0 libxcb-image0
libxcb-render-util.so.0 libxcb-render-util0
libxcb-xinerama.so.0 libxcb-xinerama0
libxkbcommon-x11.so.0 libxkbcommon-x11-0
libxkbcommon.so.0 libxkbcommon0
libEGL.so.1 libegl1
libGL.so.1 libgl1
libdbus-1.so.3 libdbus-1-3
libfontconfig.so.1 libfontconfig1
libglib-2.0.so.0 libglib2.0-0
libexpat.so.1 libexpat1
LIBRARIES
command -v Xvfb >/dev/null 2>&1 || need_packages="$need_packages xvfb"
if [ "${kernels:-no}" = yes ]; then # for the tests that read the window as a screen reader does
  [ -x /usr/libexec/at-spi-bus-launcher ] || need_packages="$need_packages at-spi2-core"
  command -v dbus-daemon >/dev/null 2>&1 || need_packages="$need_packages dbus"
fi

install_system() {
  local sudo=""
  [ "$(id -u)" = 0 ] || sudo="sudo"
  if ! command -v apt-get >/dev/null 2>&1 || { [ -n "$sudo" ] && ! command -v sudo >/dev/null 2>&1; }; then
    echo "Please install these system packages (Debian names) and start again:$*" >&2
    return 1
  fi
  echo "Installing system packages:$*"
  $sudo apt-get update -qq >/dev/null
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}
if [ -n "$need_packages" ]; then install_system $need_packages; fi

python="${PYTHON:-python3}"
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Gelande needs Python 3.11 or newer; set PYTHON to one." >&2; exit 2; }
if [ ! -x "$venv/bin/python" ]; then
  echo "Creating the Python environment in .venv"
  "$python" -m venv "$venv" 2>/dev/null || { install_system python3-venv; "$python" -m venv --clear "$venv"; }
fi
wanted="$(cat "$root/requirements.txt" "$root/requirements-dev.txt" | sha256sum | cut -d' ' -f1)"
if [ "$(cat "$venv/.wanted" 2>/dev/null || true)" != "$wanted" ]; then
  echo "Installing pinned packages"
  "$venv/bin/python" -m pip install -q --disable-pip-version-check -r "$root/requirements-dev.txt"
  echo "$wanted" > "$venv/.wanted"
fi
export PYTHONPATH="$root/src${PYTHONPATH:+:$PYTHONPATH}"
if [ "${kernels:-no}" = yes ]; then
  source_sum="$(cat "$root"/src/gelande/kernels/*.py | sha256sum | cut -d' ' -f1)"
  if [ "$(cat "$venv/.kernels" 2>/dev/null || true)" != "$source_sum" ]; then
    "$venv/bin/python" -m gelande prepare
    echo "$source_sum" > "$venv/.kernels"
  fi
fi
