#!/bin/bash
# Fetches a kernel alone: kernel.sh NAME SUITE ARCH PACKAGE_PATTERN FOLDER leaves FOLDER/NAME/vmlinuz.
set -e
name=$1 suite=$2 arch=$3 pattern=$4 out=$5/$1
[ -f "$out/done" ] && exit 0
mkdir -p "$out/x"
mirror=http://deb.debian.org/debian
list=$out/packages
curl -sf "$mirror/dists/$suite/main/binary-$arch/Packages.xz" | xz -dc >"$list"
# The package is called linux-binary where the image is only a name for it.
for kind in linux-binary linux-image linux-binary-unsigned linux-image-unsigned; do
  file=$(awk -v p="^$kind-[0-9].*$pattern\$" '$1 == "Package:" { is = $2 ~ p } is && $1 == "Filename:" { f = $2 } END { print f }' "$list")
  [ -z "$file" ] || break
done
curl -sf "$mirror/$file" -o "$out/x.deb"
dpkg-deb --fsys-tarfile "$out/x.deb" | tar -x -C "$out/x" --wildcards '*vmlinu[xz]*' '*bzImage*' 2>/dev/null || true
cp "$(find "$out/x" \( -name 'vmlinu*' -o -name 'bzImage*' \) -type f | head -1)" "$out/vmlinuz"
rm -rf "$out/x" "$out/x.deb" "$list"
touch "$out/done"
