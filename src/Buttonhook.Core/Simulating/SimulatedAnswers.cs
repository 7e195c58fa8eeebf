using System.Text;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Simulating;

/// <summary>What a simulated board answers to the commands that questions are asked with, as its fault has it; the same in an initial file system, a rescue shell and after a login.</summary>
internal static partial class SimulatedAnswers
{
    /// <summary>The answers to a line of several commands with marks between them; null when there is no mark, so that the usual answer counts.</summary>
    /// <param name="one">Answers one command; null when it restarts the board.</param>
    public static string? Marked(string line, Func<string, string?> one)
    {
        if (!line.Contains("echo bh:$((", StringComparison.Ordinal))
            return null;
        var text = new StringBuilder();
        foreach (var part in line.Split(';').Select(p => p.Trim()))
            text.Append(
                Sum().Match(part) is { Success: true } sum
                    ? $"bh:{int.Parse(sum.Groups[1].Value) * int.Parse(sum.Groups[2].Value)}{sum.Groups[3].Value}\r\n"
                    : one(part)
            );
        return text.ToString();
    }

    /// <summary>The answer of a running kernel's shell; null for a command that is not known here.</summary>
    /// <param name="initial">Whether the root is not mounted.</param>
    public static string? Linux(string command, SimulationPlan plan, bool initial)
    {
        bool Has(string fault) => plan.FaultId == fault;
        var disk = plan.Disk;
        return command switch
        {
            "cat /proc/cmdline" => $"{plan.CommandLine}\r\n",
            "cat /proc/partitions" =>
                $"major minor  #blocks  name\r\n\r\n 179        0   31166976 {disk}\r\n 179        1     262144 {plan.PartitionOf(1)}\r\n 179        2   30900736 {plan.PartitionOf(2)}\r\n",
            "blkid" =>
                $"/dev/{plan.PartitionOf(1)}: LABEL=\"BOOT\" UUID=\"{SimulationPlan.BootUuid}\" TYPE=\"vfat\" PARTUUID=\"{plan.DiskId}-01\"\r\n/dev/{plan.PartitionOf(2)}: LABEL=\"rootfs\" UUID=\"{SimulationPlan.RootUuid}\" TYPE=\"ext4\" PARTUUID=\"{plan.Image?.RootPartUuid ?? $"{plan.DiskId}-02"}\"\r\n",
            "cat /proc/filesystems" => "nodev\tproc\r\nnodev\ttmpfs\r\n\text4\r\n\tvfat\r\n",
            "ls /sys/block" => $"loop0  {disk}  ram0\r\n",
            "cat /proc/net/dev" => "Inter-|   Receive\r\n    lo:       0       0\r\n  eth0:    1204      12\r\n",
            "cat /proc/device-tree/model" => $"{plan.Model.Name}\r\n",
            _ when command.StartsWith("e2fsck -n ", StringComparison.Ordinal) => Has(CauseIds.ImageTruncated)
                ? "The filesystem size (according to the superblock) is 972800 blocks\r\nThe physical size of the device is 611328 blocks\r\nEither the superblock or the partition table is likely to be corrupt!\r\nAbort? no\r\n"
                : "rootfs: clean, 24512/120960 files, 402211/483328 blocks\r\n",
            _ when command.StartsWith("dmesg | grep", StringComparison.Ordinal) => Kernel(command, plan, disk),
            _ when command.StartsWith("cat /sys/block/", StringComparison.Ordinal) => "0\r\n",
            _ when initial => null,
            "df -P /" => Has(CauseIds.DiskFull)
                ? $"Filesystem     1024-blocks    Used Available Capacity Mounted on\r\n/dev/{plan.PartitionOf(2)}     3722576 3722576         0     100% /\r\n"
                : $"Filesystem     1024-blocks    Used Available Capacity Mounted on\r\n/dev/{plan.PartitionOf(2)}    30408704 1990144  28418560       7% /\r\n",
            "systemctl --failed --no-legend --plain --no-pager" => Has(CauseIds.ServiceFailed)
                ? "frost-sensor.service loaded failed failed Frost sensor\r\n"
            : Has(CauseIds.FstabDeviceMissing) ? "srv-frost.mount loaded failed failed /srv/frost\r\n"
            : "",
            _ when command.StartsWith("journalctl -b -u ", StringComparison.Ordinal) =>
                "frost-sensor: error: cannot open /dev/i2c-1: No such file or directory\r\nfrost-sensor.service: Main process exited, code=exited, status=1/FAILURE\r\n",
            _ when command.StartsWith("ls -l /dev/disk/by-label/FROSTLOG", StringComparison.Ordinal) =>
                "ls: cannot access '/dev/disk/by-label/FROSTLOG': No such file or directory\r\n",
            "cat /proc/device-tree/model /sys/class/dmi/id/product_name" =>
                $"{plan.Model.Name}\r\ncat: /sys/class/dmi/id/product_name: No such file or directory\r\n",
            "uname -r" => $"{plan.Image?.Kernel}\r\n",
            "cat /etc/os-release" => $"PRETTY_NAME=\"{plan.Image?.Title}\"\r\nID=orchard\r\n",
            "df -hP /" => $"Filesystem      Size  Used Avail Use% Mounted on\r\n/dev/{plan.PartitionOf(2)}   29G  1.9G   27G   7% /\r\n",
            "cat /proc/meminfo" => $"MemTotal:        {plan.MemoryMiB * 1000} kB\r\nMemFree:         {plan.MemoryMiB * 800} kB\r\n",
            "ip -o address" =>
                $"1: lo    inet 127.0.0.1/8 scope host lo\r\n2: eth0    inet {SimulatedShell.Address(plan)}/24 brd 10.20.0.255 scope global eth0\r\n",
            "date -u +%Y-%m-%dT%H:%M" => plan.Now is { } now ? $"{now.UtcDateTime:yyyy-MM-ddTHH:mm}\r\n" : "1970-01-01T00:03\r\n",
            "timedatectl" => "               Local time: n/a\r\n                Time zone: Etc/UTC (UTC, +0000)\r\n",
            "ip -br link" =>
                "lo               UNKNOWN        00:00:00:00:00:00 <LOOPBACK,UP,LOWER_UP>\r\neth0             UP             02:11:22:33:44:55 <BROADCAST,MULTICAST,UP,LOWER_UP>\r\n",
            "ip -br address" => Has(CauseIds.NetworkNoLease)
                ? "lo               UNKNOWN        127.0.0.1/8\r\neth0             UP             fe80::11:22ff:fe33:4455/64\r\n"
                : $"lo               UNKNOWN        127.0.0.1/8\r\neth0             UP             {SimulatedShell.Address(plan)}/24\r\n",
            "cat /sys/class/thermal/thermal_zone0/temp" => "47200\r\n",
            "date -u +%Y" => plan.Now is { } today ? $"{today.UtcDateTime.Year}\r\n" : "1970\r\n",
            "iw reg get" => "global\r\ncountry 00: DFS-UNSET\r\n",
            "cat /etc/hostname" => $"{plan.Host}\r\n",
            _ when command.StartsWith("grep -F -e 127.0.1.1", StringComparison.Ordinal) => $"127.0.1.1\t{plan.Host}\r\n",
            _ => null,
        };
    }

    private static string Kernel(string command, SimulationPlan plan, string disk) =>
        command.Contains("truncated", StringComparison.Ordinal)
            ? plan.FaultId == CauseIds.ImageTruncated
                ? $"[    2.104402]  {disk}: p2 size 7782400 extends beyond EOD, truncated\r\n"
                : ""
            : plan.FaultId == CauseIds.MediumIoErrors
                ? $"[    9.412200] I/O error, dev {disk}, sector 812344 op 0x0:(READ)\r\n"
                : "";

    /// <summary>The answer of a loader's shell; null for a command that is not known here.</summary>
    public static string? Loader(string command, SimulationPlan plan)
    {
        if (command is "printenv bootargs")
            return $"bootargs={plan.CommandLine}\r\n";
        if (plan.FaultId == CauseIds.NoBootMedium || plan.Image is null)
            return command is "mmc info" ? "Card did not respond to voltage select! : -110\r\n"
                : command.StartsWith("part list ", StringComparison.Ordinal) || command.StartsWith("ls mmc ", StringComparison.Ordinal)
                    ? "Card did not respond to voltage select! : -110\r\n** Bad device specification mmc 0 **\r\n"
                : null;
        if (command is "mmc info")
            return "Device: mmc@4020000\r\nCapacity: 29.7 GiB\r\n";
        if (command.StartsWith("part list ", StringComparison.Ordinal))
            return $"\r\nPartition Map for mmc device 0  --   Partition Type: DOS\r\n\r\nPart\tStart Sector\tNum Sectors\tUUID\t\tType\r\n  1\t8192      \t524288    \t{plan.DiskId}-01\t0c Boot\r\n  2\t532480    \t61801472  \t{plan.Image.RootPartUuid}\t83\r\n";
        if (!command.StartsWith("ls mmc ", StringComparison.Ordinal))
            return null;
        if (command.EndsWith("/dtbs/", StringComparison.Ordinal))
            return $"    41230   {(plan.FaultId == CauseIds.DtbMissing ? "other-board.dtb" : PrintedBoot.TreeOf(plan))}\r\n\r\n1 file(s), 0 dir(s)\r\n\r\n";
        var kernel = plan.FaultId == CauseIds.BootFilesMissing ? "vmlinuz.old" : "vmlinuz";
        return $"            dtbs/\r\n            extlinux/\r\n 21123456   {kernel}\r\n  8123456   initrd.img\r\n\r\n2 file(s), 2 dir(s)\r\n\r\n";
    }

    [GeneratedRegex(@"^echo bh:\$\(\((\d+)\*(\d+)\)\)(:[\w.-]+)?$")]
    private static partial Regex Sum();
}
