using Buttonhook.Core.Images;

namespace Buttonhook.Core.Simulating;

/// <summary>What the loaders print, of boards and of a PC.</summary>
internal sealed partial class PrintedBoot
{
    // Each part answers true when the boot ends in it.
    private bool BoardLoaders() => FirstLoader() || SecondLoader() || Countdown() || NoMedium() || Extlinux(plan.Image!);

    private bool FirstLoader()
    {
        if (Model.Hidden.Contains("first-loader"))
            return false;
        Say(350, $"\r\nU-Boot SPL 2024.01 (Mar 02 2026 - 09:14:55 +0000)");
        if (Has(CauseIds.DramInitFailed))
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
        return false;
    }

    private bool SecondLoader()
    {
        Say(600, $"\r\nU-Boot 2024.01 (Mar 02 2026 - 09:14:55 +0000) {Banner}\r\n");
        Say(40, $"CPU:   {Model.Processor ?? Model.Name}");
        Say(5, $"Model: {Banner} rev {plan.Board.RevisionId}");
        if (Has(CauseIds.DramInitFailed))
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
        return false;
    }

    /// <summary>The seconds in which a key stops the loader.</summary>
    private bool Countdown()
    {
        steps.Add(new(20, "Hit any key to stop autoboot:  2 ", Then.Countdown));
        if (Has(CauseIds.AutobootInterrupted))
        {
            End(Then.LoaderPrompt, "\r\n=> ", 400);
            return true;
        }
        steps.Add(new(1000, "\b\b\b 1 ", Then.Countdown));
        steps.Add(new(1000, "\b\b\b 0 \r\n", Then.Countdown));
        return false;
    }

    private bool NoMedium()
    {
        if (!Has(CauseIds.NoBootMedium) && plan.Image is not null)
            return false;
        Say(700, "Card did not respond to voltage select! : -110");
        Say(30, "starting USB...\r\nNo working controllers found");
        Say(200, "BOOTP broadcast 1");
        Say(900, "BOOTP broadcast 2");
        Say(1500, "BOOTP broadcast 3");
        Say(3000, "\r\nRetry time exceeded; starting again");
        End(Then.LoaderPrompt, "=> ");
        return true;
    }

    private bool Extlinux(ImageProfile image)
    {
        Say(120, "switch to partitions #0, OK\r\nmmc0 is current device");
        Say(60, "Scanning mmc 0:1...");
        Say(90, "Found /extlinux/extlinux.conf\r\nRetrieving file: /extlinux/extlinux.conf");
        if (plan.Menu is { Count: > 1 } menu)
        {
            Say(20, "Systems on this card");
            for (var n = 0; n < menu.Count; n++)
                Say(4, $"{n + 1}:\t{menu[n].Image.Title}");
            steps.Add(new(10, "Enter choice: ", Then.Menu));
            steps.Add(new(plan.MenuMilliseconds, ""));
        }
        return Label(image, 1);
    }

    /// <summary>What U-Boot loads for a label of extlinux.conf.</summary>
    private bool Label(ImageProfile image, int entry)
    {
        Say(20, $"{entry}:\t{image.Title}");
        Say(10, $"Retrieving file: {Folder(entry)}/initrd.img");
        Say(700, $"Retrieving file: {Folder(entry)}/vmlinuz");
        if (Has(CauseIds.BootFilesMissing))
        {
            Say(60, $"** Unable to read file {Folder(entry)}/vmlinuz **\r\nSkipping l0 for failure retrieving kernel");
            return LoaderGivesUp();
        }
        Say(600, $"append: {CommandLine}");
        var tree = $"/dtbs/{TreeOf(plan)}";
        Say(40, $"Retrieving file: {tree}");
        if (Has(CauseIds.DtbMissing))
        {
            Say(60, $"** Unable to read file {tree} **\r\nSkipping l0 for failure retrieving FDT");
            return LoaderGivesUp();
        }
        if (Has(CauseIds.KernelWrongArchitecture))
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

    /// <summary>The file name of the device tree of a board.</summary>
    internal static string TreeOf(SimulationPlan plan) =>
        $"{plan.Model.Revision(plan.Board.RevisionId)?.Compatible?.Replace(',', '-') ?? plan.Model.Id}.dtb";

    private string Folder(int entry) => plan.Menu is null ? "" : $"/system-{entry}";

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
        if (Has(CauseIds.NoBootMedium) || plan.Image is null)
        {
            Say(2500, "Booting from Hard Disk...\r\nBoot failed: could not read the boot disk");
            End(Then.Silence, "No bootable device.\r\n");
            return true;
        }
        Say(900, "Booting from Hard Disk...\r\nGRUB loading.\r\nWelcome to GRUB!\r\n");
        var many = plan.Menu is { Count: > 1 };
        steps.Add(
            new(
                400,
                $"\x1b[0m                  GNU GRUB  version 2.06\r\n\r\n{string.Concat((plan.Menu ?? []).Select((e, n) => $" {(n == 0 ? '*' : ' ')}{e.Image.Title}\r\n"))}   The highlighted entry will be executed automatically in {(many ? 5 : 2)}s.\r\n",
                many ? Then.Menu : Then.Countdown
            )
        );
        if (Has(CauseIds.AutobootInterrupted))
        {
            End(Then.LoaderPrompt, "grub> ", 400);
            return true;
        }
        steps.Add(new(many ? plan.MenuMilliseconds : 2000, ""));
        return GrubEntry();
    }

    /// <summary>What GRUB loads for an entry.</summary>
    private bool GrubEntry()
    {
        Say(10, $"  Booting `{plan.Image!.Title}'\r\n\r\nLoading Linux {KernelVersion} ...");
        if (Has(CauseIds.BootFilesMissing) || Has(CauseIds.KernelWrongArchitecture))
        {
            Say(
                200,
                Has(CauseIds.BootFilesMissing) ? $"error: file `/boot/vmlinuz-{KernelVersion}' not found." : "error: invalid magic number."
            );
            Say(20, "Loading initial ramdisk ...\r\nerror: you need to load the kernel first.\r\n");
            End(Then.LoaderPrompt, "Press any key to continue...", 100);
            return true;
        }
        Say(900, "Loading initial ramdisk ...");
        return false;
    }
}
