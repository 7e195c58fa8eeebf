#!/bin/bash
# Makes the files of one boot out of its kit, in the current folder. What is done comes in the environment: WORDS is the command line,
# CHAIN, ARCH, NO_INITRD; IN_ROOT, IN_BOOT, AT_DISK, AT_INITRD are shell of the case; T is the console, N the disk's node.
set -e
kit=$1
export D=$PWD/disk.raw I=$PWD/initrd.img K=$PWD/vmlinuz S=$(((1 + 192) * 1048576))
[ -n "$NO_DISK" ] || cp --sparse=always "$kit/disk.raw" "$D"
cp "$kit/vmlinuz" "$K"
if [ -f "$kit/initrd.img" ]; then cp "$kit/initrd.img" "$I"; fi
if [ -n "$AT_INITRD" ]; then eval "$AT_INITRD"; fi
[ -n "$NO_DISK" ] && exit 0
if [ -n "$IN_ROOT" ]; then
  mkdir -p mnt
  loop=$(losetup --show -f -o "$S" "$D")
  mount "$loop" mnt
  failed=0
  (cd mnt && eval "$IN_ROOT") || failed=$?
  sync -f mnt
  umount mnt || { sleep 1; umount mnt; }
  losetup -d "$loop"
  [ $failed = 0 ] || exit $failed
fi
if [ "$CHAIN" != kernel ]; then
  cp -r "$kit/boot" boot
  cd boot
  initrd=
  if [ -f "$I" ] && [ -z "$NO_INITRD" ]; then initrd=1; fi
  case $CHAIN in
    extlinux | syslinux)
      c=syslinux.cfg
      if [ "$CHAIN" = extlinux ]; then mkdir -p extlinux && c=extlinux/extlinux.conf; fi
      {
        if [ "$CHAIN" = syslinux ]; then printf 'serial 0 115200\n'; fi
        printf 'default orchard\nprompt 0\ntimeout 20\nlabel orchard\n  menu label Orchard\n  kernel /vmlinuz\n'
        if [ -n "$initrd" ]; then printf '  initrd /initrd.img\n'; fi
        if [ "$CHAIN" = extlinux ]; then printf '  #fdt /dtb/board.dtb\n'; fi
        printf '  append %s\n' "$WORDS"
      } >$c
      ;;
    script)
      {
        printf 'echo Orchard boot script\nsetenv bootargs %s\nload ${devtype} ${devnum}:1 ${kernel_addr_r} /vmlinuz\nload ${devtype} ${devnum}:1 ${ramdisk_addr_r} /initrd.img\nsetenv isize ${filesize}\n#tree load ${devtype} ${devnum}:1 ${fdt_addr_r} /dtb/board.dtb && setenv fdtcontroladdr ${fdt_addr_r}\n' "$WORDS"
        if [ "$ARCH" = armhf ]; then printf 'bootz'; else printf 'booti'; fi
        printf ' ${kernel_addr_r} ${ramdisk_addr_r}:${isize} ${fdtcontroladdr}\n'
      } >boot.cmd
      mkimage -A "${UARCH:-arm64}" -T script -C none -d boot.cmd boot.scr >/dev/null
      ;;
    grub | grub-efi)
      mkdir -p grub
      out=console
      if [ "$CHAIN" = grub ]; then out=serial; fi
      {
        printf 'serial --unit=0 --speed=115200\nterminal_input serial console\nterminal_output %s\nset timeout=2\nmenuentry "Orchard" {\n  echo Loading the orchard system\n  linux /vmlinuz %s\n' $out "$WORDS"
        if [ -n "$initrd" ]; then printf '  initrd /initrd.img\n'; fi
        printf '}\n'
      } >grub/grub.cfg
      ;;
    boot-menu)
      {
        printf 'title Orchard\nlinux /vmlinuz\n'
        if [ -n "$initrd" ]; then printf 'initrd /initrd.img\n'; fi
        printf 'options %s\n' "$WORDS"
      } >loader/entries/orchard.conf
      ;;
    efi) printf 'fs0:\r\nvmlinuz initrd=\\initrd.img %s\r\n' "$WORDS" >startup.nsh ;;
  esac
  if [ -n "$IN_BOOT" ]; then eval "$IN_BOOT"; fi
  cd ..
  truncate -s 192M boot.fat
  mkfs.vfat -F 16 -n BOOT -i 0badf00d boot.fat >/dev/null
  mcopy -s -i boot.fat boot/* :: 2>/dev/null
  if [ "$CHAIN" = syslinux ]; then syslinux --install boot.fat; fi
  dd if=boot.fat of="$D" bs=1M seek=1 conv=notrunc 2>/dev/null
  rm -rf boot boot.fat
fi
if [ -n "$AT_DISK" ]; then eval "$AT_DISK"; fi
exit 0
