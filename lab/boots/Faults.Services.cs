namespace Buttonhook.Lab;

internal static partial class Faults
{
    private static Typing[] LoggedIn(params string[] commands) =>
        [new("login: ", "root\r"), new("assword: ", "orchard\r"), .. commands.Select(c => new Typing("# ", c + "\r"))];

    private static IEnumerable<Case> Services(Kit kit)
    {
        if (!Whole(kit))
            yield break;
        var systemd = kit.Is("systemd");
        string[] missing =
        [
            "Timed out waiting for device",
            "Dependency failed for",
            "can't find",
            "does not exist",
            "special device",
            "emergency mode",
            "unable to resolve",
            "No such file",
            "mount: ",
            "fsck.*(failed|error)",
        ];
        Case Table(string name, string shell, string words = "ro") =>
            new(
                $"table-names-{name}",
                "fstab-device-missing",
                systemd ? [Stopped] : [Degraded, Login, Stopped],
                missing,
                new()
                {
                    InRoot = shell,
                    Most = 170,
                    Quiet = systemd ? 95 : 25,
                    Words = words,
                }
            );
        yield return Table("uuid", "echo 'UUID=99999999-aaaa-4bbb-8ccc-dddddddddddd /srv ext4 defaults 0 2' >>etc/fstab; mkdir -p srv");
        yield return new(
            "service-fails",
            "service-failed",
            [Degraded, Login],
            kit.Is("systemd") ? ["Failed to start", "failed", "FAIL"] : ["sentinel", "FAIL", "ERROR"],
            new() { InRoot = Start(kit, "sentinel", "echo sentinel: no sensor on this bus; exit 1") }
        );
        yield return new(
            "no-login",
            "getty-missing",
            ["silent", Stopped],
            [],
            new()
            {
                InRoot = systemd
                    ? "for t in ttyS0 ttyAMA0 hvc0 ttysclp0; do ln -sf /dev/null etc/systemd/system/serial-getty@$t.service; done; ln -sf /dev/null etc/systemd/system/console-getty.service"
                    : "sed -i '/getty/d' etc/inittab 2>/dev/null; rm -rf etc/sv/getty-* etc/service/getty-* etc/runit/runsvdir/default/getty-*; true",
                Quiet = kit.Machine.Slow > 1 ? 40 : 25,
                Most = 150,
            }
        );
        if (kit.Machine.Slow > 1)
            yield break;
        yield return Table("node", "echo '/dev/sdx3 /var/orchard ext4 defaults 0 2' >>etc/fstab; mkdir -p var/orchard", "ro quiet");
        yield return Table(
            "label",
            "echo 'LABEL=HARVEST /mnt vfat defaults 0 0' >>etc/fstab",
            "ro systemd.default_timeout_start_sec=20 systemd.log_color=0"
        );
        yield return new(
            "shell-server-fails",
            "service-failed",
            [Degraded, Login],
            ["[Ff]ailed", "FAIL", "ERROR", "Bad configuration"],
            new() { InRoot = "echo 'Nonsense yes' >>etc/ssh/sshd_config", Words = "ro quiet" }
        );
        yield return new(
            "service-gone",
            "service-failed",
            [Degraded, Login],
            ["Failed", "failed", "FAIL", "ERROR", "not found"],
            new()
            {
                InRoot = systemd
                    ? Start(kit, "watering", "exit 0") + "rm usr/local/bin/watering"
                    : Start(kit, "watering", "/usr/sbin/watering --daemon || { echo Starting watering: FAIL; exit 1; }"),
            }
        );
        if (kit.Made.EndsWith("cloud", StringComparison.Ordinal))
            foreach (
                var (name, data) in new[]
                {
                    ("run", "runcmd:\n- [water-the-rows, --now]\n"),
                    ("packages", "packages:\n- sentinel-drivers\n"),
                    ("words", "hostname: fallow\n  users: [keeper\n"),
                }
            )
                yield return new(
                    $"settings-fail-{name}",
                    "first-boot-script-failed",
                    [Degraded, Login],
                    [
                        "Failed running",
                        "Failed to (run|install)",
                        "Failed loading yaml",
                        "\\.(py|sh)\\[WARNING\\]",
                        "[Ff]ail.*(runcmd|scripts|package)",
                    ],
                    new()
                    {
                        InRoot = Seed(data),
                        Most = 150,
                        Quiet = 25,
                        AfterLogin = 25,
                    },
                    ["service-failed"]
                );
        if (systemd)
        {
            yield return new(
                "growing-fails",
                "rootfs-not-expanded",
                [Degraded, Login],
                ["[Ff]ailed", "resize", "growpart", "Bad magic"],
                new()
                {
                    InRoot =
                        "printf '#!/bin/sh\\nresize2fs /dev/null\\n' >usr/local/bin/grow-root; chmod 755 usr/local/bin/grow-root; printf '[Unit]\\nDescription=Grow the root file system\\n[Service]\\nType=oneshot\\nExecStart=/usr/local/bin/grow-root\\nStandardOutput=journal+console\\nStandardError=journal+console\\n[Install]\\nWantedBy=multi-user.target\\n' >etc/systemd/system/grow-root.service; ln -sf ../grow-root.service etc/systemd/system/multi-user.target.wants/grow-root.service",
                },
                ["service-failed"]
            );
            yield return new(
                "first-boot-fails",
                "first-boot-script-failed",
                [Degraded, Login],
                ["[Ff]ailed", "first", "unknown"],
                new()
                {
                    InRoot =
                        "printf '#!/bin/sh\\nset -e\\nhostnamectl set-hostnaame $1\\n' >usr/local/bin/first-boot; chmod 755 usr/local/bin/first-boot; printf '[Unit]\\nDescription=First boot settings\\n[Service]\\nType=oneshot\\nExecStart=/usr/local/bin/first-boot\\nStandardOutput=journal+console\\nStandardError=journal+console\\n[Install]\\nWantedBy=multi-user.target\\n' >etc/systemd/system/first-boot.service; ln -sf ../first-boot.service etc/systemd/system/multi-user.target.wants/first-boot.service",
                },
                ["service-failed"]
            );
            yield return new(
                "boot-partition-gone",
                "fstab-device-missing",
                [Stopped],
                missing,
                new()
                {
                    InRoot = "echo 'UUID=DEAD-BEEF /boot vfat defaults 0 2' >>etc/fstab",
                    Most = 170,
                    Quiet = 95,
                }
            );
            yield return new(
                "wrong-type-in-table",
                "fstab-type-wrong",
                [Stopped, Degraded],
                [
                    "wrong fs type",
                    "Failed to mount",
                    "Dependency failed",
                    "unknown filesystem",
                    "emergency mode",
                    "bad superblock",
                    "Can't find",
                ],
                new()
                {
                    InRoot = $"mkdir -p srv; echo '/dev/{kit.Part(1)} /srv ext4 defaults 0 0' >>etc/fstab",
                    Most = 120,
                    Quiet = 40,
                },
                ["rootfs-corrupt", "fstab-device-missing"]
            );
        }
    }

    private static IEnumerable<Case> People(Kit kit)
    {
        if (!Whole(kit) || kit.Machine.Slow > 1 && kit.Machine.Name is not ("arm64" or "riscv64"))
            yield break;
        Case Person(string name, string cause, string[] proof, string? inRoot, Setup setup, params string[] accept) =>
            new(name, cause, [Login, Degraded], proof, setup with { InRoot = inRoot, AfterLogin = 5, Quiet = 9, Most = 120 }, accept);
        yield return Person(
            "password-refused",
            "login-refused",
            ["Login incorrect"],
            null,
            new() { Typing = [new("login: ", "root\r"), new("assword: ", "frost\r"), new("ncorrect", "")] }
        );
        yield return Person(
            "password-must-change",
            "password-change-forced",
            ["required to change your password", "password has expired"],
            "chroot . chage -d 0 root || sed -i 's/^root:\\([^:]*\\):[0-9]*:/root:\\1:0:/' etc/shadow",
            new() { Typing = [new("login: ", "root\r"), new("assword: ", "orchard\r")] }
        );
        yield return Person(
            "name-of-one-file",
            "hostname-mismatch",
            ["unable to resolve host"],
            "echo bramley >etc/hostname",
            new() { NoNet = true, Typing = [new("login: ", "root\r"), new("assword: ", "orchard\r"), new("# ", "sudo true\r")] }
        );
        yield return Person(
            "no-card",
            "network-no-interface",
            ["Cannot find device", "does not exist", "No such device", "unreachable", "Failed to"],
            null,
            new() { NoNet = true, Typing = LoggedIn("ifup eth0; ip link show eth0; ping -c 1 10.0.2.2") }
        );
        yield return Person(
            "no-names",
            "name-not-resolved",
            ["[Nn]ame or service not known", "Temporary failure in name", "bad address", "Could not resolve"],
            "rm -f etc/resolv.conf; echo 'nameserver 10.0.2.77' >etc/resolv.conf; printf 'auto eth0\\niface eth0 inet static\\n address 10.0.2.15/24\\n gateway 10.0.2.2\\n' >>etc/network/interfaces",
            new() { Typing = LoggedIn("ping -c 1 -W 2 orchard.example") }
        );
        if (kit.Machine.Slow > 1)
            yield break;
        yield return Person(
            "root-may-not",
            "root-login-disabled",
            ["Login incorrect", "locked", "Access denied", "not allowed"],
            "chroot . passwd -l root",
            new() { Typing = [new("login: ", "root\r"), new("assword: ", "orchard\r"), new("ncorrect", "")] },
            "login-refused"
        );
        yield return Person(
            "key-of-an-earlier-board",
            "host-key-changed",
            ["REMOTE HOST IDENTIFICATION HAS CHANGED", "Host key verification failed", "Offending"],
            "mkdir -p root/.ssh run/sshd; echo \"localhost $(cut -d' ' -f1,2 etc/ssh/ssh_host_ed25519_key.pub)\" >root/.ssh/known_hosts; rm -f etc/ssh/ssh_host_ed25519_key*; ssh-keygen -q -t ed25519 -N '' -f etc/ssh/ssh_host_ed25519_key",
            new() { NoNet = true, Typing = LoggedIn("ssh -o BatchMode=yes localhost") }
        );
        yield return new(
            "disk-of-the-logs-full",
            "disk-full",
            [Degraded, Login],
            ["No space left", "100%", "disk full"],
            new()
            {
                InRoot = "echo 'tmpfs /var/log tmpfs size=16k,mode=755 0 0' >>etc/fstab",
                Typing = LoggedIn("dd if=/dev/zero of=/var/log/x bs=1k; df -h /var/log"),
                AfterLogin = 4,
                Quiet = 12,
            },
            ["service-failed"]
        );
        yield return Person(
            "no-cable",
            "network-no-link",
            ["NO-CARRIER", "Link is Down", "DOWN", "no carrier"],
            "printf 'auto eth0\\n' >>etc/network/interfaces",
            new()
            {
                Words = "ro net.ifnames=0",
                Doing = [new("Linux version", "set_link n0 off")],
                Typing = LoggedIn("ip link set eth0 up; sleep 1; ip -br link; ip addr show eth0"),
            }
        );
        yield return Person(
            "no-lease",
            "network-no-lease",
            ["No DHCPOFFERS", "timed out", "169\\.254\\.", "No lease", "no lease", "unspecific"],
            "printf 'auto eth0\\niface eth0 inet dhcp\\n' >>etc/network/interfaces",
            new()
            {
                Words = "ro net.ifnames=0",
                Net = "hubport,id=n0,hubid=3",
                Typing = LoggedIn("ip -br address"),
            }
        );
        yield return Person(
            "account-locked",
            "login-refused",
            ["Login incorrect", "locked", "not available"],
            "chroot . passwd -l root; chroot . passwd -l keeper",
            new() { Typing = [new("login: ", "root\r"), new("assword: ", "orchard\r"), new("ncorrect", "")] },
            "root-login-disabled"
        );
    }
}
