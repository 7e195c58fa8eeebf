#!/bin/bash
# Fetches what the lab needs beside its systems into FOLDER/parts: parts.sh FOLDER
set -e
out=$1/parts
mkdir -p "$out"
mirror=http://deb.debian.org/debian
fetch() { # SUITE ARCH PACKAGE: unpacks the package into its own folder
  local to=$out/$1-$2-$3
  [ -d "$to" ] && return
  local list=$out/$1-$2.packages
  [ -f "$list" ] || curl -sf "$mirror/dists/$1/main/binary-$2/Packages.xz" | xz -dc >"$list"
  local file
  file=$(awk -v p="$3" '$1 == "Package:" { is = $2 == p } is && $1 == "Filename:" { f = $2 } END { print f }' "$list")
  curl -sf "$mirror/$file" -o "$out/x.deb"
  mkdir -p "$to"
  dpkg-deb -x "$out/x.deb" "$to"
  rm "$out/x.deb"
}
for arch in amd64 i386 arm64 armhf ppc64el s390x mips64el mipsel; do fetch bookworm "$arch" busybox-static; done
fetch trixie riscv64 busybox-static
fetch bookworm arm64 grub-efi-arm64-bin
fetch trixie arm64 systemd-boot-efi
fetch bookworm all u-boot-qemu 2>/dev/null || fetch bookworm amd64 u-boot-qemu
fetch sid all u-boot-qemu 2>/dev/null || fetch sid amd64 u-boot-qemu
cat >"$out/other.dts" <<'D'
/dts-v1/;
/ {
	model = "Hedge Board Two";
	compatible = "orchard,hedge-two";
	#address-cells = <2>;
	#size-cells = <2>;
	memory@90000000 { device_type = "memory"; reg = <0 0x90000000 0 0x4000000>; };
	cpus {
		#address-cells = <1>;
		#size-cells = <0>;
		cpu@0 { device_type = "cpu"; compatible = "orchard,hedge"; reg = <0>; };
	};
	chosen { };
};
D
dtc -q -I dts -O dtb -o "$out/other.dtb" "$out/other.dts"
echo ready
