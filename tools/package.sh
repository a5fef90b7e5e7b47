#!/usr/bin/env bash
# Makes what people install, from a checkout: wheel and sdist, a tarball and a .deb with everything inside (interpreter, Qt,
# fonts, examples, guides, licences, machine code of the kernels). Needs dpkg-deb and xz.
#   tools/package.sh [FOLDER]     where they are written (dist)
#   PARTS="wheel tarball deb"     which of them
set -eu
here="$(cd "$(dirname "$0")/.." && pwd)"
source "$here/tools/setup.sh"
"$venv/bin/python" -m pip install -q --disable-pip-version-check -r "$here/requirements-package.txt"
out="$(mkdir -p "${1:-$here/dist}" && cd "${1:-$here/dist}" && pwd)"
parts="${PARTS:-wheel tarball deb}"
version="$(sed -n 's/__version__ = "\(.*\)"/\1/p' "$here/src/gelande/version.py")"
work="$(mktemp -d)"
[ -n "${KEEP:-}" ] || trap 'rm -rf "$work"' EXIT
export PYTHONPATH= SOURCE_DATE_EPOCH="$(git -C "$here" log -1 --format=%ct 2>/dev/null || date +%s)"

if [[ $parts == *wheel* ]]; then
  echo "Wheel and sdist"
  cp -r "$here" "$work/source" && rm -rf "$work/source/.venv" "$work/source/build" "$work/source/dist"
  "$venv/bin/python" -m build --no-isolation --outdir "$out" "$work/source" >"$work/build.log" 2>&1 || { tail -20 "$work/build.log"; exit 1; }
  "$venv/bin/twine" check "$out/gelande-$version"*
fi
[[ $parts == *tarball* || $parts == *deb* ]] || exit 0

tree="$work/dist/gelande"
echo "The program with its interpreter"
PYTHONPATH="$here/src" "$venv/bin/pyinstaller" --noconfirm --distpath "$work/dist" --workpath "$work/work" "$here/tools/package/gelande.spec" \
  >"$work/pack.log" 2>&1 || { tail -20 "$work/pack.log"; exit 1; }
"$venv/bin/python" "$here/tools/package/licences.py" "$tree/_internal/licences"
# only these: libraries that a wheel has patched do not load any more once they are stripped
strip --strip-unneeded "$tree/_internal/llvmlite/binding/libllvmlite.so" "$tree"/_internal/libpython3*.so*

echo "Machine code of the kernels"
code="$tree/_internal/kernels-code"
HOME="$work/home" NUMBA_CACHE_DIR="$work/code" GELANDE_STATE="$work/state" "$tree/gelande" prepare >/dev/null
mkdir "$code"
cp "$work/code"/kernels_*/*.nb? "$code/"
echo "$version, x86-64-v3, $(date -u -d "@$SOURCE_DATE_EPOCH" +%F)" >"$code/made.txt"

if [[ $parts == *tarball* ]]; then
  echo "Tarball"
  cp "$here/tools/package/README.txt" "$tree/README.txt"
  tar -C "$work/dist" --sort=name --owner=0 --group=0 --numeric-owner -cf - gelande | xz -T0 -2 >"$out/gelande-$version-linux-x86_64.tar.xz"
  rm "$tree/README.txt"
fi
if [[ $parts == *deb* ]]; then
  echo ".deb"
  root="$work/deb"
  mkdir -p "$root/usr/lib" "$root/usr/bin" "$root/usr/share/doc/gelande" "$root/usr/share/lintian/overrides" "$root/DEBIAN"
  mv "$tree" "$root/usr/lib/gelande"
  ln -s ../lib/gelande/gelande "$root/usr/bin/gelande"
  libraries="$(PYTHONPATH="$here/src" "$venv/bin/python" "$here/tools/package/share.py" "$root/usr/share")"
  cp "$here/tools/package/copyright" "$root/usr/share/doc/gelande/copyright"
  cp "$here/tools/package/lintian-overrides" "$root/usr/share/lintian/overrides/gelande"
  printf 'gelande (%s) stable; urgency=low\n\n  * See CHANGELOG.md.\n\n -- The Gelande founders <founders@gelande.invalid>  %s\n' \
    "$version" "$(date -u -R -d "@$SOURCE_DATE_EPOCH")" | gzip -9n >"$root/usr/share/doc/gelande/changelog.gz"
  size="$(du -sk "$root/usr" | cut -f1)"
  sed -e "s/@VERSION@/$version/" -e "s/@SIZE@/$size/" -e "s/@LIBRARIES@/$libraries/" "$here/tools/package/control" >"$root/DEBIAN/control"
  find "$root/usr" -type d -exec chmod 755 {} + -o -type f -exec chmod 644 {} +
  find "$root/usr/lib/gelande" -name '*.so*' -type f -exec chmod 644 {} +
  chmod 755 "$root/usr/lib/gelande/gelande"
  (cd "$root" && find usr -type f -print0 | sort -z | xargs -0 md5sum >DEBIAN/md5sums)
  dpkg-deb --root-owner-group -Zxz -z2 --build "$root" "$out/gelande_${version}_amd64.deb" >/dev/null
fi
ls -l "$out"
