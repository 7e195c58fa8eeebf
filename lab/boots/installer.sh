#!/bin/bash
# Fetches an installer as its distribution packages it: installer.sh NAME SUITE ARCH FOLDER leaves FOLDER/NAME/{vmlinuz,initrd.img}.
set -e
name=$1 suite=$2 arch=$3 out=$4/$1
[ -f "$out/done" ] && exit 0
mkdir -p "$out/x"
mirror=http://deb.debian.org/debian
file=$(curl -sf "$mirror/dists/$suite/main/binary-all/Packages.xz" | xz -dc |
  awk -v p="^debian-installer-[0-9]+-netboot-$arch\$" '$1 == "Package:" { is = $2 ~ p } is && $1 == "Filename:" { f = $2 } END { print f }')
[ -n "$file" ] || file=$(curl -sf "$mirror/dists/$suite/main/binary-$arch/Packages.xz" | xz -dc |
  awk -v p="^debian-installer-[0-9]+-netboot-$arch\$" '$1 == "Package:" { is = $2 ~ p } is && $1 == "Filename:" { f = $2 } END { print f }')
curl -sf "$mirror/$file" -o "$out/x.deb"
dpkg-deb -x "$out/x.deb" "$out/x"
# The one that draws with letters.
cp "$(find "$out/x" -path '*text*' \( -name linux -o -name vmlinuz \) -type f | head -1)" "$out/vmlinuz"
cp "$(find "$out/x" -path '*text*' -name initrd.gz -type f | head -1)" "$out/initrd.img"
rm -rf "$out/x" "$out/x.deb"
touch "$out/done"
