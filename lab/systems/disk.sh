#!/bin/bash
# Makes the disk of a system: disk.sh NAME ROOT FS TABLE LABEL OUT. The root goes into partition 2; an emulated machine that starts from a copy
# of it then installs the boot loader, the initial file system and the menu with the distribution's own tools.
set -e
name=$1 root=$2 fs=$3 table=$4 label=$5 out=$6
kernel=$(ls -v "$root"/boot/vmlinuz-* | tail -n 1) initrd=$(ls -v "$root"/boot/initrd.img-* | tail -n 1)
used=$(($(du -sm "$root" | cut -f1) + 260))
# Made from a folder, btrfs wants room for all of it twice.
[ "$fs" = btrfs ] && used=$((used + 500))
esp=64
rm -f "$out"
truncate -s $((1 + esp + used + 2))M "$out"
if [ "$table" = gpt ]; then
  printf 'label: gpt\nstart=2048,size=%s,type=U,name=boot\nstart=%s,size=%s,type=L,name=root\n' $((esp * 2048)) $(((1 + esp) * 2048)) $((used * 2048)) | sfdisk -q "$out"
else
  printf 'label: dos\nstart=2048,size=%s,type=ef,bootable\nstart=%s,size=%s,type=83\n' $((esp * 2048)) $(((1 + esp) * 2048)) $((used * 2048)) | sfdisk -q "$out"
fi
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
truncate -s ${esp}M "$work/esp"
mkfs.vfat -n "$label" "$work/esp" >/dev/null
dd if="$work/esp" of="$out" bs=1M seek=1 conv=notrunc,sparse status=none
truncate -s ${used}M "$work/fs"
case $fs in
  btrfs) mkfs.btrfs -q -L rootfs -b ${used}M --rootdir "$root" "$work/fs" ;;
  *) mke2fs -q -F -t ext4 -L rootfs -d "$root" "$work/fs" ;;
esac
if [ "$fs" = lvm ]; then source=/dev/vdb; else dd if="$work/fs" of="$out" bs=1M seek=$((1 + esp)) conv=notrunc,sparse status=none; source=/dev/vda2; fi
cat >"$work/finish" <<F
#!/bin/sh
export PATH=/usr/sbin:/usr/bin:/sbin:/bin
mount -t proc proc /proc; mount -t sysfs sysfs /sys; mount -t devtmpfs dev /dev 2>/dev/null; mount -t tmpfs tmpfs /run
modprobe vfat; modprobe nls_ascii; modprobe nls_cp437; modprobe btrfs; modprobe dm_mod
set -ex
target=/
case $fs in
  lvm)
    pvcreate -ff -y /dev/vda2; vgcreate orchard /dev/vda2; lvcreate -y -Zn -Wn -l 95%FREE -n root orchard; vgscan --mknodes; vgchange -ay orchard; vgmknodes
    mkfs.ext4 -q -F -L rootfs /dev/orchard/root; mount /dev/orchard/root /mnt
    (cd / && cp -ax bin boot etc home lib lib64 media opt root sbin srv tmp usr var /mnt/); mkdir -p /mnt/mnt /mnt/dev /mnt/proc /mnt/sys /mnt/run; target=/mnt
    for d in proc sys dev run; do mount --bind /\$d /mnt/\$d; done
    spec=/dev/mapper/orchard-root ;;
  *) mount -o remount,rw / ; spec=UUID=\$(blkid -s UUID -o value /dev/vda2) ;;
esac
mkdir -p \$target/boot/efi
mount /dev/vda1 \$target/boot/efi
type=$fs; [ \$type = lvm ] && type=ext4
printf '%s / %s defaults 0 1\nUUID=%s /boot/efi vfat umask=0077 0 1\n' "\$spec" "\$type" "\$(blkid -s UUID -o value /dev/vda1)" >\$target/etc/fstab
chroot \$target grub-install --target=x86_64-efi --efi-directory=/boot/efi --removable --no-nvram
rm -f \$target/sbin/finish
chroot \$target update-grub
sync
umount \$target/boot/efi
cat \$target/etc/fstab
echo LAB FINISHED
set +e
sync; echo 1 >/proc/sys/kernel/sysrq; echo s >/proc/sysrq-trigger; echo u >/proc/sysrq-trigger; sleep 2; echo o >/proc/sysrq-trigger; sleep 30
F
chmod 755 "$work/finish"
put() { case $fs in btrfs) m=$(mktemp -d); mount -o loop,offset=$(((1 + esp) * 1048576)) "$out" "$m"; cp "$work/finish" "$m/usr/sbin/finish"; umount "$m"; rmdir "$m" ;; lvm) debugfs -w -R "write $work/finish /usr/sbin/finish" "$work/fs"; debugfs -w -R "sif /usr/sbin/finish mode 0100755" "$work/fs" ;; *) e2cp_finish ;; esac; }
e2cp_finish() { debugfs -w -R "write $work/finish /usr/sbin/finish" "$out?offset=$(((1 + esp) * 1048576))"; debugfs -w -R "sif /usr/sbin/finish mode 0100755" "$out?offset=$(((1 + esp) * 1048576))"; }
put 2>/dev/null
more=
[ "$fs" = lvm ] && more="-drive file=$work/fs,format=raw,if=virtio"
# LAB_ACCEL=kvm where that works; a device that is there is no proof that it does.
timeout 1800 qemu-system-x86_64 -accel "${LAB_ACCEL:-tcg}" -m 1024 -display none -monitor none -serial stdio -nic none -no-reboot -kernel "$kernel" -initrd "$initrd" \
  -drive file="$out",format=raw,if=virtio $more -append "root=$source rw console=ttyS0 panic=-1 init=/usr/sbin/finish" </dev/null | tee "$work/console" | tail -n 60
grep -q 'LAB FINISHED' "$work/console"
