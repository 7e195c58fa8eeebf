using Buttonhook.Core.Consoles;
using Buttonhook.Core.Keeping;

namespace Buttonhook.Lab;

/// <summary>What can be broken in a system of the lab, one thing at a time, and what the whole ones look like.</summary>
internal static partial class Faults
{
    private static readonly Lazy<CommandBook> Book = new(() =>
    {
        var folder = AppContext.BaseDirectory;
        while (!Directory.Exists(Path.Combine(folder, "data/knowledge")))
            folder = Path.GetDirectoryName(folder) ?? throw new DirectoryNotFoundException("data/knowledge");
        return Core
            .Keeping.CommandBook.Read(
                "first-login.yaml",
                File.ReadAllText(Path.Combine(folder, "data/knowledge/commands/first-login.yaml")),
                File.ReadAllText(Path.Combine(folder, "docs/formats/commands.schema.json"))
            )
            .Value!;
    });

    private const string Login = "reached-login";
    private const string Degraded = "degraded";
    private const string Stopped = "stopped";

    /// <summary>What a kernel says of an initial file system that is none.</summary>
    private static readonly string[] BadInitrd =
    [
        "Initramfs unpacking failed",
        "junk",
        "rootfs image is not initramfs",
        "decompress",
        "invalid magic",
        "broken padding",
    ];

    /// <summary>What a kernel says of a crash that was asked for.</summary>
    private static readonly string[] Crashed =
    [
        "sysrq.*[Tt]rigger.*crash",
        "Unable to handle kernel",
        "Oops",
        "BUG:",
        "NULL pointer",
        "Kernel panic",
    ];

    /// <summary>In a file, a hang without a word and a capture that ended are the same.</summary>
    private static readonly string[] Silent = ["something-else"];

    public static IEnumerable<Case> Of(Kit kit)
    {
        var some =
            kit.Is("installer") ? [.. Installer(kit), .. Kernel(kit).Where(c => OfInstaller.Contains(c.Name))]
            : kit.Chain == "kernel" ? [.. Good(kit), .. Kernel(kit), .. Roots(kit), .. Services(kit), .. People(kit)]
            : (Case[])[.. Good(kit).Take(2), .. Loaders(kit)];
        return some;
    }

    /// <summary>Shell that turns a login on at the console, for inits that do not do it by themselves.</summary>
    public static string Getty(Kit kit) =>
        kit.Init switch
        {
            "sysvinit" or "openrc" => "echo \"T0:23:respawn:/sbin/getty -L $T 115200 vt100\" >>etc/inittab\n",
            "runit" =>
                "mkdir -p etc/sv/getty-$T; printf '#!/bin/sh\\nexec /sbin/getty -L %s 115200 vt100\\n' $T >etc/sv/getty-$T/run; chmod 755 etc/sv/getty-$T/run; for d in etc/service etc/runit/runsvdir/default; do [ -d $d ] && ln -sf /etc/sv/getty-$T $d/getty-$T; done; true\n",
            _ => "",
        } + (kit.Made.EndsWith("cloud", StringComparison.Ordinal) ? Seed("runcmd:\n- echo The orchard is awake\n") : "");

    /// <summary>Shell that gives cloud-init its data from the disk, as an image on a card has it.</summary>
    private static string Seed(string data) =>
        "mkdir -p var/lib/cloud/seed/nocloud; printf 'instance-id: orchard-1\\nlocal-hostname: bramley\\n' >var/lib/cloud/seed/nocloud/meta-data; "
        + $"printf '#cloud-config\\nlocale: false\\nchpasswd: {{expire: false}}\\n{data.Replace("\n", "\\n", StringComparison.Ordinal)}' >var/lib/cloud/seed/nocloud/user-data\n";

    private static bool Whole(Kit kit) => kit.Init is not ("busybox" or "installer");

    /// <summary>What is broken in an installer, of what is broken in a system of one file.</summary>
    private static readonly string[] OfInstaller =
    [
        "first-program-gone",
        "initrd-holes",
        "no-initrd",
        "no-initrd-no-root",
        "first-program-ends",
        "hang-early",
        "hang-late",
    ];

    /// <summary>An installer ends well where it asks its first question.</summary>
    private static IEnumerable<Case> Installer(Kit kit)
    {
        foreach (
            var (name, setup) in new (string, Setup)[]
            {
                ("boot", new() { Words = "---" }),
                ("quiet", new() { Words = "--- quiet" }),
                ("no-network", new() { NoNet = true, Words = "DEBIAN_FRONTEND=text" }),
                ("no-disk", new() { NoDisk = true, Words = "loglevel=7" }),
            }
        )
            yield return new($"good-{name}", "none", [Login], [], setup with { Root = "", Quiet = 20, Most = 90 });
    }

    private static IEnumerable<Case> Good(Kit kit)
    {
        Case Good(string name, Setup setup) => new($"good-{name}", "none", [Login], [], setup);
        yield return Good("boot", new());
        if (!Whole(kit))
        {
            yield return Good("quiet", new() { Words = "quiet" });
            yield return Good("no-disk", new() { NoDisk = true });
            yield return Good("loud", new() { Words = "ignore_loglevel initcall_debug=0 loglevel=8" });
            yield return Good("no-network", new() { NoNet = true });
            yield break;
        }
        yield return Good("quiet", new() { Words = "ro quiet" });
        if (kit.Machine.Slow > 1)
        {
            yield return Good("no-network", new() { NoNet = true, Words = "ro printk.time=0" });
            yield break;
        }
        yield return Good("splash", new() { Words = "ro quiet splash vt.global_cursor_default=0" });
        yield return Good("no-network", new() { NoNet = true });
        yield return Good("loud", new() { Words = "ro debug ignore_loglevel" });
        yield return Good("no-times", new() { Words = "ro printk.time=0" });
        yield return Good("early", new() { Words = "ro earlycon earlyprintk=ttyS0 keep_bootcon" });
        yield return Good(
            "first",
            new() { InRoot = "rm -f etc/ssh/ssh_host_*; : >etc/machine-id", Words = "ro systemd.condition-first-boot=no" }
        );
        yield return Good(
            "after-a-power-cut",
            new()
            {
                Doing = [new("login: ", "system_reset")],
                AfterLogin = 5,
                Most = 70,
            }
        );
        yield return Good("little-memory", new() { Memory = 400 });
        yield return Good(
            "no-swap-found",
            new() { InRoot = "echo 'UUID=11111111-2222-3333-4444-555555555555 none swap sw,nofail 0 0' >>etc/fstab" }
        );
        yield return Good("no-times-loud", new() { Words = "ro printk.time=0 loglevel=7", NoNet = true });
        yield return Good(
            "logged-in",
            new()
            {
                Typing = [new("login: ", "root\r"), new("assword: ", "orchard\r"), new("# ", "dmesg | tail -n 40\r")],
                AfterLogin = 4,
                Quiet = 4,
            }
        );
        // What the product sends after a first login; what it needs the network for is left out.
        var wish = new LoginWish("root", null, "sentinel", null, false, DateTimeOffset.UtcNow);
        yield return Good(
            "first-login",
            new()
            {
                Typing = LoggedIn([
                    .. Core
                        .Keeping.FirstLogin.Of(wish, Book.Value, new ConsoleLog(), 1, new HashSet<string>())
                        .Where(t =>
                            t is { Command: not null, Asks: null }
                            && t.Id != "updates"
                            && !t.Id.StartsWith("password", StringComparison.Ordinal)
                        )
                        .Select(t => t.Command!),
                ]),
                AfterLogin = 6,
                Quiet = 6,
                Most = 90,
            }
        );
        if (kit.Is("systemd"))
            yield return Good(
                "colourful-no",
                new()
                {
                    Words = "ro systemd.log_color=0 systemd.show_status=1",
                    Typing =
                    [
                        new("login: ", "root\r"),
                        new("assword: ", "orchard\r"),
                        new("# ", "ip -br address; journalctl -b | tail -n 60\r"),
                    ],
                    AfterLogin = 4,
                    Quiet = 5,
                }
            );
    }

    private static IEnumerable<Case> Kernel(Kit kit)
    {
        var whole = Whole(kit);
        var initramfs = kit.Early == "initramfs-tools";
        var noRoot = new[]
        {
            @"ALERT!.*does not exist",
            "Gave up waiting for root",
            "VFS: Unable to mount root",
            "Cannot open root device",
            @"Timed out waiting for device.*(by-|vdb|sdz|nope|nvme9)",
            @"/dev/\S+.* does not exist",
            "dracut-initqueue.*timeout",
            "Warning: .*does not exist",
            "Waiting for root device",
            "Could not find.*root",
            "device not found",
            "Failed to start.*Wait",
            "unable to find root",
            @"root device \S+ not found",
            "Unable to find a medium containing a live",
        };
        Case NoRoot(string name, string root, string words = "ro") =>
            new(
                $"root-not-found-{name}",
                "root-not-found",
                [Stopped, "rebooting"],
                noRoot,
                new()
                {
                    Root = root,
                    Words = words,
                    Most = kit.Early == "dracut" ? 150 : 90,
                    Quiet = kit.Early == "dracut" ? 45 : 38,
                }
            );
        if (whole)
        {
            yield return NoRoot("uuid", "root=UUID=deadbeef-0000-4000-8000-00000000beef");
            if (kit.Machine.Slow == 1)
            {
                yield return NoRoot("node", $"root=/dev/{kit.Part(7)}", "ro quiet");
                yield return NoRoot("label", "root=LABEL=nope");
                yield return NoRoot("partuuid", "root=PARTUUID=12345678-09");
            }
            yield return new(
                "no-disk",
                "root-not-found",
                [Stopped, "rebooting"],
                noRoot,
                new()
                {
                    NoDisk = true,
                    Most = 120,
                    Quiet = 38,
                },
                ["card-not-detected", "no-boot-medium"]
            );
            if (kit.Early != "none")
                yield return new(
                    "no-initrd-no-driver",
                    "root-not-found",
                    [Stopped, "rebooting"],
                    noRoot,
                    new() { NoInitrd = true, Root = $"root=/dev/{kit.Part(2)}" },
                    ["initrd-missing", "rootfs-unsupported"]
                );
            yield return new(
                "initrd-cut",
                "initrd-corrupt",
                [Stopped, "rebooting", Login],
                BadInitrd,
                new() { AtInitrd = "truncate -s $(($(stat -c %s $I) * 6 / 10)) $I" }
            );
            yield return new(
                "initrd-holes",
                "initrd-corrupt",
                [Stopped, "rebooting", Login],
                BadInitrd,
                new()
                {
                    AtInitrd =
                        "s=$(stat -c %s $I); for i in 3 5 7; do dd if=/dev/urandom of=$I bs=4096 count=30 seek=$((s * i / 10 / 4096)) conv=notrunc 2>/dev/null; done",
                }
            );
            yield return new(
                "too-little-memory",
                "out-of-memory",
                [Stopped, "rebooting", "silent", Degraded],
                [
                    "Out of memory",
                    "oom-kill",
                    "write error",
                    "not enough memory",
                    "deadlocked on memory",
                    "page allocation failure",
                    "Cannot allocate memory",
                    "no killable",
                ],
                new()
                {
                    Memory =
                        kit.Made.Contains("dracut") || kit.Made.Contains("sid") ? 140
                        : kit.Machine.Name is "armhf" or "arm64" ? 112
                        : 104,
                    Most = 90,
                }
            );
            if (initramfs || kit.Early == "dracut")
                yield return new(
                    "init-named-wrongly",
                    "init-missing",
                    [Stopped, "rebooting", Login],
                    ["doesn't have requested", "/sbin/initt", "No working init", "No init found", "Cannot find init", "run-init"],
                    new() { Words = "ro init=/sbin/initt" }
                );
            yield return new(
                "no-root-word",
                "root-arg-missing",
                [Stopped, "rebooting"],
                [
                    "No root device",
                    "no root=",
                    "root= ",
                    "VFS: Unable to mount root",
                    "Gave up waiting for root",
                    "ALERT!.*does not exist",
                    "Cannot open root",
                    "root device",
                ],
                new()
                {
                    Root = "",
                    Most = 150,
                    Quiet = 40,
                },
                ["root-not-found"]
            );
        }
        else
        {
            yield return new(
                "first-program-gone",
                "init-missing",
                [Stopped, "rebooting"],
                ["VFS: Unable to mount root", "Failed to execute", "No working init", "Requested init", "check access for rdinit"],
                new() { Words = "rdinit=/bin/nope", Root = "" },
                ["root-arg-missing", "root-not-found"]
            );
            yield return new(
                "initrd-holes",
                "initrd-corrupt",
                [Stopped, "rebooting", Login],
                BadInitrd,
                new() { AtInitrd = "dd if=/dev/urandom of=$I bs=1024 count=200 seek=20 conv=notrunc 2>/dev/null" }
            );
            yield return new(
                "no-initrd",
                "root-not-found",
                [Stopped, "rebooting"],
                ["VFS: Unable to mount root", "Cannot open root device", "Please append a correct", "Waiting for root device"],
                new() { NoInitrd = true, Root = "root=/dev/vdq2" },
                ["initrd-missing"]
            );
            yield return new(
                "no-initrd-no-root",
                "root-arg-missing",
                [Stopped, "rebooting"],
                ["VFS: Unable to mount root", "Cannot open root device", "Please append a correct"],
                new() { NoInitrd = true, Root = "" },
                ["root-not-found", "initrd-missing"]
            );
            yield return new(
                "root-wait",
                "root-not-found",
                [Stopped, "silent"],
                ["Waiting for root device"],
                new()
                {
                    NoInitrd = true,
                    Root = "root=/dev/mmcblk3p2",
                    Words = "rootwait",
                },
                ["card-not-detected"]
            );
            yield return new(
                "first-program-ends",
                "init-crashed",
                [Stopped, "rebooting"],
                ["Attempted to kill init"],
                new() { Words = "rdinit=/bin/true" }
            );
            yield return new(
                "first-program-of-others",
                "init-wrong-architecture",
                [Stopped, "rebooting"],
                ["error -8", "Exec format error", "exec format"],
                new() { Words = "rdinit=/bin/other" }
            );
            yield return new("crash", "kernel-oops", [Stopped, "rebooting"], Crashed, new() { Words = "lab=crash" });
            yield return new(
                "crash-restarts",
                "kernel-oops",
                ["rebooting"],
                Crashed,
                new()
                {
                    Words = "lab=crash panic=2",
                    Most = 22,
                    Quiet = 20,
                    AfterLogin = 90,
                }
            );
            yield return new(
                "first-program-restarts",
                "init-crashed",
                ["rebooting"],
                ["Attempted to kill init"],
                new()
                {
                    Words = "rdinit=/bin/false panic=1",
                    Most = 22,
                    Quiet = 20,
                    AfterLogin = 90,
                }
            );
            yield return new(
                "memory-eaten",
                "out-of-memory",
                [Degraded, Stopped, Login, "rebooting"],
                ["Out of memory", "oom-kill", "no killable", "deadlocked"],
                new() { Words = "lab=eat", Memory = 192 }
            );
        }
        yield return new(
            "console-none",
            "console-arg-missing",
            ["silent", Login, Stopped, "cut"],
            [],
            new()
            {
                Console = "",
                Words = "ro quiet console=tty0",
                Quiet = 25,
            },
            // Without a loader that hands over, nothing tells it from a quiet boot or from a late capture.
            ["none", "something-else", "console-not-wired"]
        );
        Case Hang(string name, string behind) =>
            new(
                $"hang-{name}",
                "kernel-hang",
                [Stopped, "silent", "cut"],
                [],
                new()
                {
                    Doing = [new(behind, "stop")],
                    Quiet = 12,
                    Words = whole ? "ro" : "",
                },
                Silent
            );
        yield return Hang("early", " Memory: ");
        yield return Hang("late", "clocksource: Switched");
    }
}
