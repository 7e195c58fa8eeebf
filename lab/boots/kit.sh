#!/bin/bash
# Makes the disk of one system with its loader: kit.sh SYSTEM_FOLDER PARTS_FOLDER CHAIN ARCH CONSOLE OUT
# OUT gets disk.raw (partition 1 boot, still empty; partition 2 root), the folder boot that becomes partition 1, vmlinuz and initrd.img.
# What a boot changes is done by case.sh. Neither mounts FAT, which a small kernel may not know.
set -e
system=$1 parts=$2 chain=$3 arch=$4 console=$5 out=$6
mkdir -p "$out/boot"
cp "$system/vmlinuz" "$out/vmlinuz"
if [ -f "$system/initrd.img" ]; then cp "$system/initrd.img" "$out/initrd.img"; fi
size=$(stat -c %s "$system/root.ext4")
boot=192
truncate -s $(((1 + boot) * 1048576 + size + 1048576)) "$out/disk.raw"
type=c
case $chain in grub-efi | boot-menu | efi) type=ef ;; esac
printf 'label: dos\nlabel-id: 0x0badcafe\nstart=2048,size=%s,type=%s,bootable\nstart=%s,type=83\n' $((boot * 2048)) $type $(((1 + boot) * 2048)) | sfdisk -q "$out/disk.raw"
dd if="$system/root.ext4" of="$out/disk.raw" bs=1M seek=$((1 + boot)) conv=notrunc,sparse 2>/dev/null
[ "$chain" = kernel ] && exit 0
b=$out/boot
cp "$out/vmlinuz" "$b/"
if [ -f "$out/initrd.img" ]; then cp "$out/initrd.img" "$b/"; fi
modules="part_msdos part_gpt fat ext2 normal linux echo configfile search search_label search_fs_uuid serial terminal ls cat test all_video"
case $chain in
  grub)
    mkdir -p "$b/grub"
    cp -r /usr/lib/grub/i386-pc "$b/grub/"
    rm -f "$b"/grub/i386-pc/*.{image,img,exec} 2>/dev/null || true
    grub-mkimage -O i386-pc -p '(hd0,msdos1)/grub' -o "$out/core.img" biosdisk part_msdos fat
    dd if=/usr/lib/grub/i386-pc/boot.img of="$out/disk.raw" bs=440 count=1 conv=notrunc 2>/dev/null
    dd if="$out/core.img" of="$out/disk.raw" bs=512 seek=1 conv=notrunc 2>/dev/null
    ;;
  grub-efi)
    mkdir -p "$b/EFI/BOOT" "$b/grub"
    if [ "$arch" = arm64 ]; then
      grub-mkimage -d "$parts/bookworm-arm64-grub-efi-arm64-bin/usr/lib/grub/arm64-efi" -O arm64-efi -p /grub -o "$b/EFI/BOOT/BOOTAA64.EFI" $modules
    else
      grub-mkimage -O x86_64-efi -p /grub -o "$b/EFI/BOOT/BOOTX64.EFI" $modules
    fi
    ;;
  boot-menu)
    mkdir -p "$b/EFI/BOOT" "$b/loader/entries"
    if [ "$arch" = arm64 ]; then
      cp "$parts/trixie-arm64-systemd-boot-efi/usr/lib/systemd/boot/efi/systemd-bootaa64.efi" "$b/EFI/BOOT/BOOTAA64.EFI"
    else
      cp /usr/lib/systemd/boot/efi/systemd-bootx64.efi "$b/EFI/BOOT/BOOTX64.EFI"
    fi
    printf 'timeout 1\ndefault orchard\n' >"$b/loader/loader.conf"
    ;;
  syslinux)
    dd if=/usr/lib/syslinux/mbr/mbr.bin of="$out/disk.raw" bs=440 count=1 conv=notrunc 2>/dev/null
    cp /usr/lib/syslinux/modules/bios/{ldlinux.c32,libutil.c32} "$b/" 2>/dev/null || true
    ;;
esac
exit 0
