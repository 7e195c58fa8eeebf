namespace Buttonhook.Core.Simulating;

/// <summary>What the kernel prints, up to its first program.</summary>
internal sealed partial class PrintedBoot
{
    private bool Kernel()
    {
        KernelBanner();
        KernelCore();
        InitialFiles();
        if (SupplySags())
            return true;
        Storage();
        return FirstProgram();
    }

    private void KernelBanner()
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
    }

    private void KernelCore()
    {
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
    }

    private void InitialFiles()
    {
        K(240, "Trying to unpack rootfs image as initramfs...");
        if (Has(CauseIds.InitrdCorrupt))
            K(500, "Initramfs unpacking failed: uncompression error");
        else if (Has(CauseIds.OutOfMemory))
            K(500, "Initramfs unpacking failed: write error");
        K(420, "Freeing initrd memory: 31420K");
        K(180, $"{plan.Console.Device}: 115200 baud, irq = 23, base_baud = 1500000");
        K(150, "random: crng init done");
        K(260, "usb 1-1: new high-speed USB device number 2 using xhci-hcd");
    }

    private bool SupplySags()
    {
        if (Has(CauseIds.SupplyTooWeak))
        {
            K(300, "wlan0: radio on");
            K(40, "hwmon hwmon1: Under-voltage detected! 4.41 V at the board, 4.63 V wanted");
            steps.Add(new(350, "", Then.Restart));
            return true;
        }
        return false;
    }

    private void Storage()
    {
        if (plan.MovedTo is { } moved)
        {
            K(
                300,
                moved.StartsWith("nvme", StringComparison.Ordinal) ? "nvme nvme0: pci function 0000:01:00.0"
                    : moved.StartsWith("sd", StringComparison.Ordinal) ? "scsi host0: usb-storage 2-1:1.0"
                    : "mmc1: new HS400 MMC card at address 0001"
            );
            K(
                60,
                $" {moved}: {string.Join(' ', Enumerable.Range(1, plan.RootNumber).Select(n => char.IsAsciiDigit(moved[^1]) ? $"p{n}" : $"{moved}{n}"))}"
            );
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
            if (Has(CauseIds.ImageTruncated))
                K(6, "mmcblk0: p2 size 61440000 extends beyond EOD, truncated");
        }
    }

    private bool FirstProgram()
    {
        K(380, "clk: Disabling unused clocks");
        K(90, "Freeing unused kernel memory: 6464K");
        K(40, "Run /init as init process");
        if (Has(CauseIds.InitrdCorrupt))
        {
            K(5, "Failed to execute /init (error -26)");
            K(12, "Kernel panic - not syncing: No working init found.  Try passing init= option to kernel.");
            K(3, "CPU: 0 PID: 1 Comm: swapper/0 Not tainted");
            K(3, "---[ end Kernel panic - not syncing: No working init found. ]---");
            End(Then.Silence);
            return true;
        }
        if (Has(CauseIds.OutOfMemory))
        {
            Say(60, "mount: mounting tmpfs on /run failed: No such file or directory");
            K(40, "Kernel panic - not syncing: Attempted to kill init! exitcode=0x0000ff00");
            K(3, "---[ end Kernel panic - not syncing: Attempted to kill init! exitcode=0x0000ff00 ]---");
            End(Then.Silence);
            return true;
        }
        return false;
    }
}
