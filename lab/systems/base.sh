#!/bin/bash
# Makes the root that systems of one suite begin from, kernel and loader included: base.sh SUITE FOLDER. Needs root and debootstrap.
set -e
suite=$1 folder=$2
root=$folder/base-$suite
[ -f "$root.done" ] && exit 0
umount -l "$root/proc" 2>/dev/null || true
rm -rf "$root"
mirror=http://deb.debian.org/debian
debootstrap --variant=minbase --include=systemd-sysv,udev,kmod,e2fsprogs,iproute2,procps,dbus "$suite" "$root" "$mirror" >"$root.log" 2>&1
mount -t proc proc "$root/proc"
trap 'umount -l "$root/proc" 2>/dev/null || true' EXIT
printf '#!/bin/sh\nexit 101\n' >"$root/usr/sbin/policy-rc.d"
chmod 755 "$root/usr/sbin/policy-rc.d"
printf 'Acquire::Check-Valid-Until "false";\n' >"$root/etc/apt/apt.conf.d/lab"
printf 'path-exclude=/usr/share/doc/*\npath-exclude=/usr/share/man/*\n' >"$root/etc/dpkg/dpkg.cfg.d/lab"
DEBIAN_FRONTEND=noninteractive LC_ALL=C chroot "$root" sh -c '
  apt-get update &&
  apt-get install -y --no-install-recommends linux-image-amd64 initramfs-tools grub-efi-amd64 dosfstools zstd' >>"$root.log" 2>&1
modules=$(echo "$root"/lib/modules/*/kernel)
rm -rf "$modules"/sound "$modules"/drivers/{gpu,media,infiniband,iio,staging,isdn,bluetooth,hwmon} "$modules"/drivers/net/{wireless,can,dsa,phy,usb,fddi,wwan,hamradio}
find "$modules/drivers/net/ethernet" -name '*.ko*' ! -path '*/intel/e1000*' ! -path '*realtek*' -delete
chroot "$root" sh -c 'depmod $(ls /lib/modules); update-initramfs -u -k all' >>"$root.log" 2>&1
rm -rf "$root"/usr/share/{doc,man}/*
touch "$root.done"
