using System.Globalization;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Simulating;

/// <summary>What happens after the output of a step.</summary>
internal enum Then
{
    /// <summary>The next step.</summary>
    Continue,

    /// <summary>A key may stop the loader here.</summary>
    Countdown,

    /// <summary>The loader's prompt.</summary>
    LoaderPrompt,

    /// <summary>A rescue shell of the initial file system.</summary>
    RescueShell,

    /// <summary>Emergency mode.</summary>
    Emergency,

    /// <summary>The login prompt.</summary>
    Login,

    /// <summary>Starts again from power.</summary>
    Restart,

    /// <summary>Nothing more.</summary>
    Silence,
}

/// <summary>Text that appears a while after the step before, in board time.</summary>
internal sealed record Step(int DelayMilliseconds, string Text, Then Then = Then.Continue);

/// <summary>
/// Writes the boot of one board and image as timed text: the strings are those of the real loader, kernel and user space, the names
/// are ours. A fault changes the text where it strikes.
/// </summary>
internal sealed class BootScript
{
    private readonly List<Step> steps = [];
    private readonly SimulationPlan plan;
    private readonly Random random;
    private readonly double boardPace;
    private double kernelClock;

    private BootScript(SimulationPlan plan)
    {
        this.plan = plan;
        random = new Random(plan.Seed);
        boardPace = 0.88 + random.NextDouble() * 0.3;
    }

    private bool Has(string fault) => plan.FaultId == fault;

    private BoardModel Model => plan.Model;
    private string Host => plan.Host;
    private bool IsPc => Model.InstructionSet == InstructionSet.Amd64;
    private string Disk => IsPc ? "sda" : "mmcblk0";
    private string Partition => IsPc ? "sda2" : "mmcblk0p2";

    /// <summary>The steps of one boot.</summary>
    public static IReadOnlyList<Step> For(SimulationPlan plan)
    {
        var script = new BootScript(plan);
        script.Play();
        return script.steps;
    }

    private void Play()
    {
        if (IsPc ? PcLoaders() : BoardLoaders())
            return;
        if (Has("console-arg-missing"))
        {
            steps.Add(new(200, "", Then.Silence));
            return;
        }
        if (Kernel())
            return;
        if (Root())
            return;
        if (Services())
            return;
        Login();
    }

    private void Say(int delay, string text) => steps.Add(new(Jitter(delay), text + "\r\n"));

    private void End(Then then, string text = "", int delay = 30) => steps.Add(new(Jitter(delay), text, then));

    /// <summary>Every boot has its own pace, and every step differs a little.</summary>
    private int Jitter(int delay) => Math.Max(1, (int)(delay * boardPace * (0.93 + random.NextDouble() * 0.14)));

    private void K(int delay, string text)
    {
        var wait = Jitter(delay);
        kernelClock += wait / 1000.0;
        steps.Add(new(wait, $"[{kernelClock.ToString("0.000000", CultureInfo.InvariantCulture), 12}] {text}\r\n"));
    }

    private string Banner => Model.Banner ?? Model.FullName;

    private string MemoryWords => Sizes.Binary((long)plan.MemoryMiB << 20).Replace(".0", "", StringComparison.Ordinal);

    private string KernelVersion => plan.Image?.Kernel ?? "6.6.30";

    private string RootArgument => Has("root-not-found") ? "5e1c04aa-02" : plan.Image!.RootPartUuid;

    private string CommandLine =>
        $"root=PARTUUID={RootArgument} ro rootwait{(Has("console-arg-missing") ? " console=tty0" : $" console={plan.Console.Device},{plan.Console.Speed}n8")}";

    // The loaders answer true when the boot ends in them.
    private bool BoardLoaders()
    {
        if (!Model.Hidden.Contains("first-loader"))
        {
            Say(350, $"\r\nU-Boot SPL 2024.01 (Mar 02 2026 - 09:14:55 +0000)");
            if (Has("dram-init-failed"))
            {
                Say(400, $"{Model.Name} loader for revision {Model.Revisions[0].Id}: unknown board revision {plan.Board.RevisionId}");
                Say(600, "DDR4 training failed on channel 0, byte lane 1");
                Say(20, "DRAM init failed: -110");
                End(Then.Silence, "### ERROR ### Please RESET the board ###\r\n");
                return true;
            }
            Say(180, $"Training memory ... {MemoryWords}, ok");
            if (Model.InstructionSet == InstructionSet.Riscv64)
            {
                Say(120, "\r\nOpenSBI v1.4");
                Say(10, $"Platform Name             : {Banner}");
            }
            Say(90, "Trying to boot from MMC1");
        }
        Say(600, $"\r\nU-Boot 2024.01 (Mar 02 2026 - 09:14:55 +0000) {Banner}\r\n");
        Say(40, $"CPU:   {Model.Processor ?? Model.Name}");
        Say(5, $"Model: {Banner} rev {plan.Board.RevisionId}");
        if (Has("dram-init-failed"))
        {
            Say(900, "DRAM:  0 Bytes");
            End(Then.Silence, "### ERROR ### Please RESET the board ###\r\n");
            return true;
        }
        Say(30, $"DRAM:  {MemoryWords}");
        Say(80, "Core:  63 devices, 21 uclasses, devicetree: separate");
        Say(60, "MMC:   mmc@4020000: 0");
        Say(40, "Loading Environment from FAT... *** Warning - bad CRC, using default environment\r\n");
        Say(5, "In:    serial\r\nOut:   serial\r\nErr:   serial");
        Say(250, "Net:   eth0: ethernet@5020000");
        steps.Add(new(20, "Hit any key to stop autoboot:  2 ", Then.Countdown));
        if (Has("autoboot-interrupted"))
        {
            End(Then.LoaderPrompt, "\r\n=> ", 400);
            return true;
        }
        steps.Add(new(1000, "\b\b\b 1 ", Then.Countdown));
        steps.Add(new(1000, "\b\b\b 0 \r\n", Then.Countdown));
        if (Has("no-boot-medium") || plan.Image is null)
        {
            Say(700, "Card did not respond to voltage select! : -110");
            Say(30, "starting USB...\r\nNo working controllers found");
            Say(200, "BOOTP broadcast 1");
            Say(900, "BOOTP broadcast 2");
            Say(1500, "BOOTP broadcast 3");
            Say(3000, "\r\nRetry time exceeded; starting again");
            End(Then.LoaderPrompt, "=> ");
            return true;
        }
        Say(120, "switch to partitions #0, OK\r\nmmc0 is current device");
        Say(60, "Scanning mmc 0:1...");
        Say(90, "Found /extlinux/extlinux.conf\r\nRetrieving file: /extlinux/extlinux.conf");
        Say(20, $"1:\t{plan.Image.Title}");
        Say(10, "Retrieving file: /initrd.img");
        Say(700, "Retrieving file: /vmlinuz");
        if (Has("boot-files-missing"))
        {
            Say(60, "** Unable to read file /vmlinuz **\r\nSkipping l0 for failure retrieving kernel");
            return LoaderGivesUp();
        }
        Say(600, $"append: {CommandLine}");
        var tree = $"/dtbs/{Model.Revision(plan.Board.RevisionId)?.Compatible?.Replace(',', '-') ?? Model.Id}.dtb";
        Say(40, $"Retrieving file: {tree}");
        if (Has("dtb-missing"))
        {
            Say(60, $"** Unable to read file {tree} **\r\nSkipping l0 for failure retrieving FDT");
            return LoaderGivesUp();
        }
        if (Has("kernel-wrong-architecture"))
        {
            Say(
                30,
                Model.InstructionSet switch
                {
                    InstructionSet.Armhf => "zimage: Bad magic!",
                    InstructionSet.Riscv64 => "Bad Linux RISCV Image magic!",
                    _ => "Bad Linux ARM64 Image magic!",
                }
            );
            return LoaderGivesUp();
        }
        Say(50, "## Flattened Device Tree blob at 48000000\r\n   Booting using the fdt blob at 0x48000000");
        Say(120, "   Loading Ramdisk to 7d6af000, end 7ddab42d ... OK");
        Say(30, "\r\nStarting kernel ...\r\n");
        return false;
    }

    private bool LoaderGivesUp()
    {
        Say(20, "EXTLINUX FAILED: continuing...");
        Say(400, "BOOTP broadcast 1");
        Say(1200, "BOOTP broadcast 2");
        Say(3000, "\r\nRetry time exceeded; starting again");
        End(Then.LoaderPrompt, "=> ");
        return true;
    }

    private bool PcLoaders()
    {
        Say(1500, $"\x1b[2J\x1b[1;1HUEFI firmware (version 4.2 built at 10:02:11 on Jan 12 2026)\r\n{Banner}");
        if (Has("no-boot-medium") || plan.Image is null)
        {
            Say(2500, "Booting from Hard Disk...\r\nBoot failed: could not read the boot disk");
            End(Then.Silence, "No bootable device.\r\n");
            return true;
        }
        Say(900, "Booting from Hard Disk...\r\nGRUB loading.\r\nWelcome to GRUB!\r\n");
        steps.Add(
            new(
                400,
                "\x1b[0m                  GNU GRUB  version 2.06\r\n\r\n   The highlighted entry will be executed automatically in 2s.\r\n",
                Then.Countdown
            )
        );
        if (Has("autoboot-interrupted"))
        {
            End(Then.LoaderPrompt, "grub> ", 400);
            return true;
        }
        Say(2000, $"  Booting `{plan.Image.Title}'\r\n\r\nLoading Linux {KernelVersion} ...");
        if (Has("boot-files-missing") || Has("kernel-wrong-architecture"))
        {
            Say(
                200,
                Has("boot-files-missing") ? $"error: file `/boot/vmlinuz-{KernelVersion}' not found." : "error: invalid magic number."
            );
            Say(20, "Loading initial ramdisk ...\r\nerror: you need to load the kernel first.\r\n");
            End(Then.LoaderPrompt, "Press any key to continue...", 100);
            return true;
        }
        Say(900, "Loading initial ramdisk ...");
        return false;
    }

    private bool Kernel()
    {
        Say(
            300,
            IsPc ? "[    0.000000] Command line: BOOT_IMAGE=/boot/vmlinuz" : "[    0.000000] Booting Linux on physical CPU 0x0000000000"
        );
        kernelClock = 0;
        var suffix = Model.InstructionSet switch
        {
            InstructionSet.Armhf => "armmp",
            InstructionSet.Arm64 => "arm64",
            InstructionSet.Riscv64 => "riscv64",
            _ => "amd64",
        };
        // Early lines carry no time of their own: the kernel has no clock yet.
        K(1, $"Linux version {KernelVersion}-{suffix} (build@orchard) (gcc 12.2.0) #1 SMP");
        K(1, $"Machine model: {Banner} rev {plan.Board.RevisionId}");
        K(1, "Zone ranges:\r\n[    0.000000]   DMA      [mem 0x0000000040000000-0x000000007fffffff]");
        K(1, "psci: probing for conduit method from DT.");
        K(2, $"Kernel command line: {CommandLine}");
        K(
            12,
            $"Memory: {(long)plan.MemoryMiB * 1024 * 93 / 100}K/{(long)plan.MemoryMiB * 1024}K available (13248K kernel code, 2806K rwdata, 6464K init)"
        );
        foreach (
            var (delay, line) in new[]
            {
                (15, "SLUB: HWalign=64, Order=0-3, MinObjects=0, CPUs=4, Nodes=1"),
                (20, "rcu: Hierarchical RCU implementation."),
                (30, "smp: Bringing up secondary CPUs ..."),
                (60, "smp: Brought up 1 node, 4 CPUs"),
                (110, "devtmpfs: initialized"),
                (120, "NET: Registered PF_NETLINK/PF_ROUTE protocol family"),
                (90, "iommu: Default domain type: Translated"),
                (140, "clocksource: Switched to clocksource arch_sys_counter"),
                (170, "NET: Registered PF_INET protocol family"),
            }
        )
            K(delay, line);
        K(240, "Trying to unpack rootfs image as initramfs...");
        if (Has("initrd-corrupt"))
            K(500, "Initramfs unpacking failed: uncompression error");
        else if (Has("out-of-memory"))
            K(500, "Initramfs unpacking failed: write error");
        K(420, "Freeing initrd memory: 31420K");
        K(180, $"{plan.Console.Device}: 115200 baud, irq = 23, base_baud = 1500000");
        K(150, "random: crng init done");
        K(260, "usb 1-1: new high-speed USB device number 2 using xhci-hcd");
        if (Has("supply-too-weak"))
        {
            K(300, "wlan0: radio on");
            K(40, "hwmon hwmon1: Under-voltage detected! 4.41 V at the board, 4.63 V wanted");
            steps.Add(new(350, "", Then.Restart));
            return true;
        }
        if (IsPc)
        {
            K(400, "ata1: SATA link up 6.0 Gbps (SStatus 133 SControl 300)");
            K(30, $"sd 0:0:0:0: [sda] {(plan.Board.Connected.CardGb ?? 32) * 1953125L} 512-byte logical blocks");
            K(25, " sda: sda1 sda2");
        }
        else
        {
            K(380, "mmc0: new high speed SDHC card at address aaaa");
            K(
                30,
                $"mmcblk0: mmc0:aaaa SL{plan.Board.Connected.CardGb}G {Sizes.Binary(Sizes.CardBytes(plan.Board.Connected.CardGb ?? 32))}"
            );
            K(20, " mmcblk0: p1 p2");
            if (Has("image-truncated"))
                K(6, "mmcblk0: p2 size 61440000 extends beyond EOD, truncated");
        }
        K(380, "clk: Disabling unused clocks");
        K(90, "Freeing unused kernel memory: 6464K");
        K(40, "Run /init as init process");
        if (Has("initrd-corrupt"))
        {
            K(5, "Failed to execute /init (error -26)");
            K(12, "Kernel panic - not syncing: No working init found.  Try passing init= option to kernel.");
            K(3, "CPU: 0 PID: 1 Comm: swapper/0 Not tainted");
            K(3, "---[ end Kernel panic - not syncing: No working init found. ]---");
            End(Then.Silence);
            return true;
        }
        if (Has("out-of-memory"))
        {
            Say(60, "mount: mounting tmpfs on /run failed: No such file or directory");
            K(40, "Kernel panic - not syncing: Attempted to kill init! exitcode=0x0000ff00");
            K(3, "---[ end Kernel panic - not syncing: Attempted to kill init! exitcode=0x0000ff00 ]---");
            End(Then.Silence);
            return true;
        }
        return false;
    }

    private bool Root()
    {
        Say(250, "Loading, please wait...");
        Say(600, "Begin: Loading essential drivers ... done.");
        Say(40, "Begin: Running /scripts/init-premount ... done.");
        Say(60, "Begin: Mounting root file system ... Begin: Running /scripts/local-top ... done.");
        if (Has("root-not-found"))
        {
            Say(20, "Begin: Running /scripts/local-premount ... done.");
            Say(30, "Begin: Waiting for root file system ... ");
            Say(30600, "done.");
            Say(30, "Gave up waiting for root file system device.  Common problems:");
            Say(9, " - Boot args (cat /proc/cmdline)");
            Say(3, "   - Check rootdelay= (did the system wait long enough?)");
            Say(3, " - Missing modules (cat /proc/modules; ls /dev)");
            Say(20, $"ALERT!  PARTUUID={RootArgument} does not exist.  Dropping to a shell!\r\n");
            End(Then.RescueShell, "(initramfs) ");
            return true;
        }
        Say(20, "Begin: Running /scripts/local-premount ... done.");
        Say(
            50,
            $"Begin: Will now check root file system ... fsck from util-linux 2.38.1\r\n[/sbin/fsck.ext4 (1) -- /dev/{Partition}] fsck.ext4 -a -C0 /dev/{Partition}"
        );
        if (Has("image-truncated"))
        {
            Say(
                700,
                "rootfs: The filesystem size (according to the superblock) is 972800 blocks\r\nThe physical size of the device is 611328 blocks"
            );
            Say(
                5,
                "Either the superblock or the partition table is likely to be corrupt!\r\n\r\nrootfs: UNEXPECTED INCONSISTENCY; RUN fsck MANUALLY."
            );
            Say(
                40,
                $"fsck exited with status code 4\r\ndone.\r\nFailure: File system check of the root filesystem failed\r\nThe root filesystem on /dev/{Partition} requires a manual fsck\r\n"
            );
            End(Then.RescueShell, "(initramfs) ");
            return true;
        }
        if (Has("medium-io-errors"))
        {
            K(900, $"mmc0: Timeout waiting for hardware interrupt.");
            K(600, $"I/O error, dev {Disk}, sector 586224 op 0x0:(READ) flags 0x80700 phys_seg 11 prio class 2");
            K(500, $"I/O error, dev {Disk}, sector 586232 op 0x0:(READ) flags 0x0 phys_seg 1 prio class 2");
        }
        Say(800, "rootfs: clean, 6612/57600 files, 64341/230400 blocks\r\ndone.");
        K(120, $"EXT4-fs ({Partition}): mounted filesystem with ordered data mode. Quota mode: none.");
        Say(40, "done.\r\nBegin: Running /scripts/local-bottom ... done.\r\nBegin: Running /scripts/init-bottom ... done.");
        if (!Has("medium-io-errors"))
            return false;
        K(400, $"I/O error, dev {Disk}, sector 586344 op 0x0:(READ) flags 0x0 phys_seg 1 prio class 2");
        K(60, "Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000007");
        K(3, "---[ end Kernel panic - not syncing: Attempted to kill init! exitcode=0x00000007 ]---");
        End(Then.Silence);
        return true;
    }

    private void Ok(int delay, string text) => Say(delay, $"[\x1b[0;32m  OK  \x1b[0m] {text}.");

    private bool Services()
    {
        var minimal = plan.Image!.Flavour == "minimal";
        var title = plan.Image.Title;
        if (minimal)
        {
            Say(600, "INIT: version 3.06 booting");
            Say(300, "Starting syslogd: OK");
            Say(250, "Starting klogd: OK");
        }
        else
        {
            K(700, $"systemd[1]: systemd 252 running in system mode");
            Say(60, $"\r\nWelcome to \x1b[1m{title}\x1b[0m!\r\n");
            K(50, $"systemd[1]: Hostname set to <{Host}>.");
            Ok(900, "Created slice \x1b[0;1;39msystem-seria…\x1b[0m - Slice /system/serial-getty");
            Ok(120, "Listening on \x1b[0;1;39msystemd-journald.socket\x1b[0m - Journal Socket");
            Say(90, "         Starting \x1b[0;1;39msystemd-journald.service\x1b[0m - Journal Service...");
            Ok(500, "Started \x1b[0;1;39msystemd-journald.service\x1b[0m - Journal Service");
        }
        if (plan.FirstBoot && plan.Image.GrowsAtFirstBoot == true)
        {
            Say(
                400,
                minimal
                    ? "Growing the root file system ..."
                    : "         Starting \x1b[0;1;39mgrow-root.service\x1b[0m - Grow Root File System..."
            );
            K(16000, $"EXT4-fs ({Partition}): resizing filesystem from 972800 to 7340032 blocks");
            if (!minimal)
                Ok(900, "Finished \x1b[0;1;39mgrow-root.service\x1b[0m - Grow Root File System");
        }
        if (Has("fstab-device-missing"))
        {
            Say(300, "         Expecting device \x1b[0;1;39mdev-disk-…\x1b[0m - /dev/disk/by-label/FROSTLOG...");
            for (var second = 10; second <= 90; second += 10)
                Say(
                    10000,
                    $"\x1b[K[\x1b[0;31m*\x1b[0;1;31m*\x1b[0m\x1b[0;31m*   \x1b[0m] Job dev-disk-by\\x2dlabel-FROST…start running ({(second < 60 ? $"{second}s" : $"1min {second - 60}s")} / 1min 30s)"
                );
            Say(
                500,
                "[\x1b[0;1;31m TIME \x1b[0m] Timed out waiting for device \x1b[0;1;39mdev-disk-…\x1b[0m - /dev/disk/by-label/FROSTLOG."
            );
            Say(10, "[\x1b[0;1;38;5;185mDEPEND\x1b[0m] Dependency failed for \x1b[0;1;39msrv-frost.mount\x1b[0m - /srv/frost.");
            Say(10, "[\x1b[0;1;38;5;185mDEPEND\x1b[0m] Dependency failed for \x1b[0;1;39mloca…s.target\x1b[0m - Local File Systems.");
            Say(
                200,
                "You are in emergency mode. After logging in, type \"journalctl -xb\" to view\r\nsystem logs, \"systemctl reboot\" to reboot, \"systemctl default\" or \"exit\"\r\nto boot into default mode."
            );
            End(Then.Emergency, "Give root password for maintenance\r\n(or press Control-D to continue): ");
            return true;
        }
        if (minimal)
            Say(300, "Mounting local file systems: OK");
        else
            Ok(600, "Reached target \x1b[0;1;39mlocal-fs.target\x1b[0m - Local File Systems");
        if (Has("disk-full"))
            Say(200, "/etc/rc.local: line 7: write error: No space left on device");
        if (minimal)
            Say(200, $"Starting network: {(Has("network-no-lease") ? "udhcpc: no lease, failing" : "OK")}");
        else
            Ok(500, "Started \x1b[0;1;39msystemd-networkd.service\x1b[0m - Network Configuration");
        if (Has("service-failed"))
            Say(
                600,
                minimal
                    ? "Starting frost-sentinel: FAIL"
                    : "[\x1b[0;1;31mFAILED\x1b[0m] Failed to start \x1b[0;1;39mfrost-sentinel.service\x1b[0m - Frost Sentinel.\r\nSee 'systemctl status frost-sentinel.service' for details."
            );
        if (!minimal)
        {
            Ok(700, "Reached target \x1b[0;1;39mmulti-user.target\x1b[0m - Multi-User System");
            if (plan.Image.Flavour == "desktop")
                Ok(2500, "Reached target \x1b[0;1;39mgraphical.target\x1b[0m - Graphical Interface");
        }
        Say(
            900,
            Has("network-no-lease") ? "eth0: 169.254.17.3 (nobody gave an address)" : $"My IP address is {SimulatedShell.Address(plan)}"
        );
        return false;
    }

    private void Login() => End(Then.Login, $"\r\n{plan.Image!.Title} {Host} {plan.Console.Device}\r\n\r\n{Host} login: ", 300);
}
