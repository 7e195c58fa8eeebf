#!/bin/bash
# Makes one system of the table beside it: system.sh NAME FOLDER. Leaves FOLDER/NAME.img. Needs root, debootstrap, the emulator with OVMF.
# What belongs to the disk (boot loader, initial file system, LVM) is made by the distribution's own tools in the emulator, at its first start.
set -e
here=$(cd "$(dirname "$0")" && pwd)
name=$1 folder=$2
read -r _ suite init fs table interfaces options packages < <(grep -E "^$name +" "$here/systems")
out=$folder/$name
[ -f "$out.img" ] && exit 0
"$here/base.sh" "$suite" "$folder"
root=$out.root
umount -l "$root/proc" 2>/dev/null || true
rm -rf "$root" "$out.new"
cp -a --reflink=auto "$folder/base-$suite" "$root"
mount -t proc proc "$root/proc"
trap 'umount -l "$root/proc" 2>/dev/null || true' EXIT
inside() { DEBIAN_FRONTEND=noninteractive LC_ALL=C chroot "$root" "$@"; }
has() { [[ ,$options, = *,$1,* ]]; }
case $init in
  sysvinit) packages+=" sysvinit-core sysv-rc systemd-sysv-" ;;
  openrc) packages+=" sysvinit-core openrc systemd-sysv-" ;;
esac
[ "$fs" = btrfs ] && packages+=" btrfs-progs"
inside apt-get install -y --no-install-recommends --allow-remove-essential $packages >"$out.log" 2>&1
[ "$init" = systemd ] || [ "$init" = busybox ] || inside apt-get purge -y systemd >>"$out.log" 2>&1 || true
echo orchard >"$root/etc/hostname"
printf '127.0.0.1\tlocalhost\n127.0.1.1\torchard\n' >"$root/etc/hosts"
printf 'PRETTY_NAME="Fallow %s"\nNAME="Fallow"\nVERSION_ID="%s"\nID=fallow\nID_LIKE=debian\n' "$name" "$suite" >"$root/usr/lib/os-release"
[ -d "$root/etc/network" ] && printf 'auto lo\niface lo inet loopback\nsource /etc/network/interfaces.d/*\n' >"$root/etc/network/interfaces"
has root && echo 'root:orchard' | inside chpasswd -c SHA512
if has user; then
  inside useradd -m -s /bin/bash -G sudo,adm,dialout keeper
  echo 'keeper:orchard' | inside chpasswd
  printf 'keeper ALL=(ALL) NOPASSWD: ALL\n' >"$root/etc/sudoers.d/keeper" 2>/dev/null || true
fi
has nohostkeys && rm -f "$root"/etc/ssh/ssh_host_*
case $init in
  systemd)
    if ! [[ $packages = *ifupdown* ]]; then inside systemctl enable systemd-networkd >>"$out.log" 2>&1; fi
    [[ $packages = *cloud-init* ]] && printf 'datasource_list: [ NoCloud, None ]\n' >"$root/etc/cloud/cloud.cfg.d/90_lab.cfg"
    ;;
  sysvinit | openrc) printf 'S0:2345:respawn:/sbin/getty -L ttyS0 115200 vt100\n' >>"$root/etc/inittab" ;;
  busybox)
    rm -rf "$root"/usr/lib/systemd "$root"/etc/systemd "$root"/sbin/init "$root"/usr/sbin/init "$root"/etc/pam.d
    ln -sf /bin/busybox "$root/sbin/init"
    for a in passwd getty login adduser addgroup deluser ip udhcpc hostname su vi df mount umount date chpasswd mdev syslogd reboot poweroff halt; do
      for d in bin sbin usr/bin usr/sbin; do rm -f "$root/$d/$a"; done
      ln -s /bin/busybox "$root/bin/$a"
    done
    rm -f "$root"/usr/sbin/{useradd,usermod,groupmod,groupadd,userdel} "$root"/usr/bin/{sudo,apt,apt-get,bash,perl} "$root"/bin/bash
    ln -sf busybox "$root/bin/sh"
    rm -f "$root"/etc/shadow- "$root"/etc/passwd-
    printf 'root:x:0:0:root:/root:/bin/sh\n' >"$root/etc/passwd"
    mkdir -p "$root/etc/init.d"
    printf '#!/bin/sh\nmount -t proc proc /proc; mount -t sysfs sysfs /sys; mount -t tmpfs tmpfs /run; mkdir -p /dev/pts; mount -t devpts devpts /dev/pts\nmount -o remount,rw /\nhostname -F /etc/hostname\nip link set lo up\nfor s in /etc/init.d/S[0-9]*; do [ -x "$s" ] && "$s" start; done\n' >"$root/etc/init.d/rcS"
    chmod 755 "$root/etc/init.d/rcS"
    printf '::sysinit:/etc/init.d/rcS\nttyS0::respawn:/bin/getty -L ttyS0 115200 vt100\n::ctrlaltdel:/bin/reboot\n::shutdown:/bin/umount -a -r\n' >"$root/etc/inittab"
    ;;
esac
words="console=ttyS0,115200 panic=10"
[ "$interfaces" = eth0 ] && words+=" net.ifnames=0"
mkdir -p "$root/etc/default/grub.d"
printf 'GRUB_CMDLINE_LINUX="%s"\nGRUB_CMDLINE_LINUX_DEFAULT=""\nGRUB_TIMEOUT=2\nGRUB_TERMINAL="serial console"\nGRUB_SERIAL_COMMAND="serial --unit=0 --speed=115200"\nGRUB_DISABLE_OS_PROBER=true\n' "$words" >"$root/etc/default/grub"
rm -f "$root/usr/sbin/policy-rc.d" "$root"/var/cache/apt/archives/*.deb "$root"/var/lib/apt/lists/*_*
umount -l "$root/proc"
"$here/disk.sh" "$name" "$root" "$fs" "$table" "$(has cidata && echo CIDATA || echo BOOT)" "$out.new" >>"$out.log" 2>&1
rm -rf "$root"
mv "$out.new" "$out.img"
