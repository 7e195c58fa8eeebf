#!/bin/bash
# Makes one system out of a distribution's packages: system.sh NAME ARCH SUITE INIT INITRAMFS KERNEL FOLDER [PACKAGE...]
# INIT is systemd, sysvinit, openrc or runit; INITRAMFS is initramfs-tools, dracut, tiny or none. Leaves FOLDER/NAME with
# root.ext4 (its root file system), vmlinuz and initrd.img. Needs root, debootstrap, e2fsprogs and, for a foreign machine, qemu-user-static.
set -e
name=$1 arch=$2 suite=$3 init=$4 initramfs=$5 kernel=$6 folder=$7
shift 7
out=$folder/$name
[ -f "$out/done" ] && exit 0
root=$out/root
umount -l "$root/proc" 2>/dev/null || true
rm -rf "$out"
mkdir -p "$root"
packages="udev kmod e2fsprogs iproute2 iputils-ping procps login passwd ifupdown sudo openssh-server cron"
case $init in
  systemd) packages+=" systemd-sysv dbus" ;;
  sysvinit) packages+=" sysvinit-core sysv-rc" ;;
  openrc) packages+=" sysvinit-core openrc" ;;
  runit) packages+=" runit-init" ;;
esac
case $suite in trixie | sid | forky) packages+=" dhcpcd-base" ;; *) packages+=" isc-dhcp-client" ;; esac
mirror=http://deb.debian.org/debian
debootstrap --arch="$arch" --variant=minbase --no-check-gpg "$suite" "$root" "$mirror" >"$out/log" 2>&1
cat >"$root/usr/sbin/policy-rc.d" <<'P'
#!/bin/sh
exit 101
P
chmod 755 "$root/usr/sbin/policy-rc.d"
echo 'Acquire::Check-Valid-Until "false";' >"$root/etc/apt/apt.conf.d/lab"
[[ $kernel = *@* ]] && echo "deb $mirror ${kernel#*@} main" >"$root/etc/apt/sources.list.d/more.list" && from="-t ${kernel#*@}" && kernel=${kernel%@*}
mount -t proc proc "$root/proc"
trap 'umount -l "$root/proc" 2>/dev/null || true' EXIT
inside() { DEBIAN_FRONTEND=noninteractive LC_ALL=C chroot "$root" "$@"; }
case $initramfs in none) tool= ;; tiny) tool=tiny-initramfs ;; *) tool=$initramfs ;; esac
{
  inside apt-get update
  if [ "$init" != systemd ]; then
    inside apt-get install -y --no-install-recommends --allow-remove-essential $packages || inside apt-get install -y --no-install-recommends -f
  else
    inside apt-get install -y --no-install-recommends $packages
  fi
  mkdir -p "$root/etc/initramfs-tools/conf.d" "$root/etc/dracut.conf.d"
  echo 'hostonly="no"' >"$root/etc/dracut.conf.d/lab.conf"
  inside apt-get install -y --no-install-recommends $from "$kernel" $tool "$@"
} >>"$out/log" 2>&1
echo orchard >"$root/etc/hostname"
printf '127.0.0.1 localhost\n127.0.1.1 orchard\n' >"$root/etc/hosts"
printf 'auto lo\niface lo inet loopback\nallow-hotplug eth0\n' >"$root/etc/network/interfaces"
printf '/dev/disk/by-label/labroot / ext4 errors=remount-ro 0 1\n' >"$root/etc/fstab"
inside sh -c 'echo root:orchard | chpasswd; useradd -m -s /bin/bash keeper; echo keeper:orchard | chpasswd; adduser keeper sudo || usermod -aG sudo keeper' >>"$out/log" 2>&1
rm -f "$root/usr/sbin/policy-rc.d"
umount -l "$root/proc"
cp -L "$(ls -v "$root"/boot/vmlinu[xz]-* | tail -1)" "$out/vmlinuz"
image=$(ls -v "$root"/boot/initrd.img-* 2>/dev/null | tail -1)
[ -n "$image" ] && cp "$image" "$out/initrd.img"
rm -rf "$root"/var/cache/apt/archives/*.deb "$root"/var/lib/apt/lists/* "$root"/boot/initrd.img-* "$root"/usr/share/doc/* "$root"/usr/share/man/* "$root"/usr/share/locale/*
size=$(($(du -sm "$root" | cut -f1) + 160))
mke2fs -q -t ext4 -L labroot -U 0c0ffee0-0000-4000-8000-0000000a0001 -d "$root" "$out/root.ext4" "${size}M" >>"$out/log" 2>&1
rm -rf "$root"
touch "$out/done"
