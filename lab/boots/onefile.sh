#!/bin/bash
# Makes an initial file system of one program: onefile.sh BUSYBOX OTHER_BUSYBOX CONSOLE OUT
set -e
t=$(mktemp -d)
mkdir -p "$t"/{bin,sbin,dev,proc,sys,etc,tmp}
cp "$1" "$t/bin/busybox"
cp "$2" "$t/bin/other"
for a in sh mount getty login init true false tail cat grep sleep mdev ifconfig udhcpc ping echo uname dmesg ip modprobe; do ln -s busybox "$t/bin/$a"; done
for a in init getty; do ln -s ../bin/busybox "$t/sbin/$a"; done
cat >"$t/init" <<'I'
#!/bin/sh
mount -t proc proc /proc; mount -t sysfs sys /sys; mount -t devtmpfs dev /dev
exec /sbin/init
I
cat >"$t/etc/rcS" <<'I'
#!/bin/sh
echo "Starting system log daemon: OK"
grep -q lab=crash /proc/cmdline && echo c >/proc/sysrq-trigger
grep -q lab=eat /proc/cmdline && tail /dev/zero
echo "Welcome to the frost sentinel"
I
chmod 755 "$t/init" "$t/etc/rcS"
printf '::sysinit:/etc/rcS\n%s::respawn:/sbin/getty -L %s 115200 vt100\n' "$3" "$3" >"$t/etc/inittab"
echo 'root::0:0:root:/:/bin/sh' >"$t/etc/passwd"
echo sentinel >"$t/etc/hostname"
mknod -m 600 "$t/dev/console" c 5 1
(cd "$t" && find . | cpio -o -H newc --quiet | gzip -9) >"$4"
rm -rf "$t"
