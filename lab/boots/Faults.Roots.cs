namespace Buttonhook.Lab;

internal static partial class Faults
{
    private static readonly string[] NoFileSystem =
    [
        "bad superblock",
        "Can't find ext4",
        "Invalid argument",
        "unknown filesystem",
        "Type of root file system is unknown",
        "can't read superblock",
        "Bad magic",
        "Structure needs cleaning",
        "wrong fs type",
        "Failed to mount",
        "EXT4-fs.*(error|corrupt|bad|failed)",
        "checksum",
        "does not exist",
        "UNEXPECTED INCONSISTENCY",
        "No filesystem could mount",
        "Gave up",
        "error while loading",
        "cannot open shared",
        "invalid ELF",
        "file too short",
        "symbol lookup",
        "Attempted to kill init",
    ];

    private static IEnumerable<Case> Roots(Kit kit)
    {
        if (!Whole(kit))
            yield break;
        yield return new(
            "superblock-zeroed",
            "rootfs-corrupt",
            [Stopped, "rebooting"],
            NoFileSystem,
            // Label and backups stay, so it is found by its node; only its first block is gone.
            new()
            {
                Root = $"root=/dev/{kit.Part(2)}",
                AtDisk = "dd if=/dev/zero of=$D bs=1024 seek=$((S / 1024 + 1)) count=2 conv=notrunc 2>/dev/null",
                Most = 80,
                Quiet = 36,
            },
            ["rootfs-unsupported", "root-not-found"]
        );
        yield return new(
            "library-cut",
            "rootfs-corrupt",
            [Stopped, "rebooting"],
            [
                "file too short",
                "invalid ELF",
                "error while loading",
                "symbol lookup",
                "cannot open shared",
                "Attempted to kill init",
                "EXT4-fs error",
            ],
            new()
            {
                InRoot =
                    "f=$(ls -d usr/lib/*/libc.so.6 lib/*/libc.so.6 2>/dev/null | head -1); cp $(readlink -f $f) x; truncate -s 900 x; cat x >$f",
                Quiet = 30,
            },
            ["init-crashed"]
        );
        yield return new(
            "features-of-tomorrow",
            "rootfs-unsupported",
            [Stopped, "rebooting"],
            ["unsupported optional features", "Invalid argument", "wrong fs type", "Failed to mount"],
            new()
            {
                Root = $"root=/dev/{kit.Part(2)}",
                AtDisk =
                    "dd if=$D of=x bs=1M skip=$((S / 1048576)) 2>/dev/null; debugfs -w -R 'set_super_value feature_incompat 0x40002c2' x 2>/dev/null >/dev/null; dd if=x of=$D bs=1M seek=$((S / 1048576)) conv=notrunc 2>/dev/null; rm x",
                Quiet = 36,
                Most = 80,
            },
            ["rootfs-corrupt"]
        );
        yield return new(
            "first-program-gone",
            "init-missing",
            [Stopped, "rebooting"],
            [
                "No init found",
                "doesn't have requested",
                "No working init",
                "run-init",
                "Cannot find init",
                "Failed to execute",
                "can't execute",
                "Failed to switch root",
                "os-release file is missing",
            ],
            new()
            {
                InRoot = "rm -f sbin/init usr/sbin/init lib/systemd/systemd usr/lib/systemd/systemd etc/init bin/init bin/sh usr/bin/sh",
                Quiet = 30,
            }
        );
        yield return new(
            "first-program-of-others",
            "init-wrong-architecture",
            [Stopped, "rebooting"],
            ["error -8", "Exec format error", "exec format error"],
            new()
            {
                InRoot =
                    "rm -f sbin/init usr/sbin/init; cp $OTHER usr/sbin/init; chmod 755 usr/sbin/init; for f in lib/systemd/systemd usr/lib/systemd/systemd bin/sh usr/bin/sh bin/dash usr/bin/dash bin/bash usr/bin/bash; do [ -e $f ] && { rm $f; cp $OTHER $f; }; done; true",
                Quiet = 30,
            },
            ["init-missing"]
        );
        yield return new(
            "first-program-ends",
            "init-crashed",
            [Stopped, "rebooting"],
            ["Attempted to kill init"],
            new() { InRoot = "rm -f sbin/init; printf '#!/bin/sh\\necho going\\nexit 3\\n' >sbin/init; chmod 755 sbin/init", Quiet = 25 }
        );
        if (kit.Machine.Slow > 1)
            yield break;
        yield return new(
            "disk-cut",
            "image-truncated",
            [Stopped, "rebooting", Login, Degraded],
            [
                "beyond EOD",
                "beyond end of device",
                "exceeds size of device",
                "according to the superblock",
                "partition table is likely",
                "bad geometry",
                "Alternate GPT header",
                "I/O error",
                "Failed to mount",
            ],
            new()
            {
                AtDisk = "truncate -s $((S + ($(stat -c %s $D) - S) * 7 / 10 / 1048576 * 1048576)) $D",
                Most = 80,
                Quiet = 36,
            },
            ["rootfs-corrupt", "medium-io-errors"]
        );
        foreach (var (name, sector) in new[] { ("early", 2), ("middle", 9000), ("late", 200000) })
            yield return new(
                $"read-errors-{name}",
                "medium-io-errors",
                [Stopped, "rebooting", Degraded, Login],
                [
                    "I/O error",
                    "failed command: READ",
                    "Medium Error",
                    "Unrecovered read",
                    "error -",
                    "critical (medium|target)",
                    "Buffer I/O",
                ],
                new()
                {
                    Drive =
                        "driver=raw,if=none,id=d0,cache.direct=off,file.driver=blkdebug,file.config=BLKDEBUG,file.image.driver=file,file.image.filename={0},rerror=report,werror=report",
                    More = $"ERRORS={sector}",
                    Most = 90,
                    Quiet = 36,
                },
                ["rootfs-corrupt"]
            );
        yield return new(
            "write-protected",
            "medium-read-only",
            [Degraded, Login, Stopped],
            [
                "Read-only file system",
                "write-protected",
                @"\(ro\)",
                "read-only mode",
                "ount read-only",
                "cannot remount",
                "Write Protect is on",
                "Failed to start.*ount Root",
            ],
            new() { Drive = "file={0},format=raw,if=none,id=d0,readonly=on", Quiet = 30 }
        );
        yield return new(
            "check-by-hand",
            "fs-check-needed",
            [Stopped, Degraded, "rebooting"],
            ["RUN fsck MANUALLY", "requires a manual fsck", "UNEXPECTED INCONSISTENCY", "status code 4", "File System Check"],
            new()
            {
                Words = "ro fsck.mode=force forcefsck",
                AtDisk =
                    "dd if=$D of=x bs=1M skip=$((S / 1048576)) 2>/dev/null; for f in /usr/share/common-licenses /etc/cron.daily /usr/share/perl5; do debugfs -w -R \"clri $f\" x; done >/dev/null 2>&1; debugfs -w -R 'set_super_value state 2' x >/dev/null 2>&1; dd if=x of=$D bs=1M seek=$((S / 1048576)) conv=notrunc 2>/dev/null; rm x",
                Most = 80,
                Quiet = 36,
            },
            ["rootfs-corrupt"]
        );
        yield return new(
            "disk-full",
            "disk-full",
            [Degraded, Login],
            ["No space left", "100%", "disk full"],
            new()
            {
                InRoot =
                    "rm -f etc/ssh/ssh_host_*; dd if=/dev/zero of=var/fill bs=64k 2>/dev/null; dd if=/dev/zero of=var/fill2 bs=1k 2>/dev/null; true",
                Typing = [new("login: ", "root\r"), new("assword: ", "orchard\r"), new("# ", "echo x >/var/log/x; df -h /\r")],
                AfterLogin = 4,
                Quiet = 12,
            },
            ["service-failed"]
        );
        if (kit.Is("systemd", "sysvinit", "openrc", "runit"))
            yield return new(
                "crash",
                "kernel-oops",
                [Stopped, "rebooting"],
                Crashed,
                new() { InRoot = Start(kit, "crash", "echo c >/proc/sysrq-trigger"), Quiet = 20 }
            );
        yield return new(
            "crash-loop",
            "kernel-oops",
            ["rebooting"],
            Crashed,
            new()
            {
                Words = "ro panic=2",
                InRoot = Start(kit, "crash", "echo c >/proc/sysrq-trigger"),
                Most = 40,
                Quiet = 30,
                AfterLogin = 90,
            }
        );
        yield return new(
            "watchdog",
            "watchdog-reset",
            ["rebooting", Login, Stopped],
            ["watchdog did not stop", "i6300|iTCO|watchdog"],
            new()
            {
                More = "-device i6300esb -action watchdog=reset",
                InRoot = Start(kit, "guard", "modprobe i6300esb heartbeat=6; sleep 1; echo x >/dev/watchdog; sleep 40"),
                Most = 60,
                Quiet = 30,
                AfterLogin = 90,
            }
        );
        yield return new(
            "watchdog-quiet",
            "watchdog-reset",
            ["rebooting", Login, Stopped],
            ["watchdog"],
            new()
            {
                Words = "ro loglevel=6",
                More = "-device i6300esb -action watchdog=reset",
                InRoot = Start(
                    kit,
                    "guard",
                    "modprobe i6300esb heartbeat=4; sleep 1; echo keeper: watchdog armed, 4 s >/dev/console; echo x >/dev/watchdog; sleep 40"
                ),
                Most = 50,
                Quiet = 30,
                AfterLogin = 90,
            }
        );
    }

    /// <summary>Shell that makes a program of the system's start, in the manner of its init.</summary>
    private static string Start(Kit kit, string name, string script, bool late = false)
    {
        var file =
            $"printf '#!/bin/sh\\n### BEGIN INIT INFO\\n# Provides: {name}\\n# Required-Start: $local_fs\\n# Required-Stop:\\n# Default-Start: 2 3 4 5\\n# Default-Stop:\\n### END INIT INFO\\n{script.Replace("'", "'\\''").Replace("%", "%%")}\\n'";
        return kit.Init switch
        {
            "systemd" =>
                $"printf '#!/bin/sh\\n{script.Replace("'", "'\\''").Replace("%", "%%")}\\n' >usr/local/bin/{name}; chmod 755 usr/local/bin/{name}; printf '[Unit]\\nDescription=Frost sentinel {name}\\n[Service]\\nType=oneshot\\nExecStart=/usr/local/bin/{name}\\n[Install]\\nWantedBy=multi-user.target\\n' >etc/systemd/system/{name}.service; mkdir -p etc/systemd/system/multi-user.target.wants; ln -sf ../{name}.service etc/systemd/system/multi-user.target.wants/{name}.service\n",
            "runit" =>
                $"mkdir -p etc/rc2.d etc/rcS.d; {file} >etc/init.d/{name}; chmod 755 etc/init.d/{name}; ln -sf ../init.d/{name} etc/rcS.d/S99{name}\n",
            _ =>
                $"{file} >etc/init.d/{name}; chmod 755 etc/init.d/{name}; ln -sf ../init.d/{name} etc/rc2.d/S99{name}; [ -d etc/runlevels/default ] && {{ printf '#!/sbin/openrc-run\\nstart() {{\\n{script.Replace("'", "'\\''").Replace("%", "%%")}\\n}}\\n' >etc/init.d/{name}; ln -sf /etc/init.d/{name} etc/runlevels/default/{name}; rm -f etc/rc2.d/S99{name}; }}; true\n",
        };
    }
}
