namespace Buttonhook.Core.Simulating;

/// <summary>What a simulated board answers when somebody types: at the loader's prompt, in a rescue shell, and after login.</summary>
internal static class SimulatedShell
{
    /// <summary>The address a simulated board gets, stable for its nickname.</summary>
    public static string Address(SimulationPlan plan) => $"10.20.0.{20 + plan.Board.Nickname.Sum(c => c) % 200}";

    /// <summary>The answer to a command after login; null when it ends the session with a restart, an empty text for an empty line.</summary>
    public static string? Answer(string command, SimulationPlan plan, string user)
    {
        if (SimulatedAnswers.Marked(command, c => Answer(c, plan, user)) is { } marked)
            return marked;
        if (SimulatedAnswers.Linux(command.Trim(), plan, initial: false) is { } told)
            return told;
        var host = plan.Host;
        var machine = plan.Model.InstructionSet switch
        {
            InstructionSet.Armhf => "armv7l",
            InstructionSet.Arm64 => "aarch64",
            InstructionSet.Riscv64 => "riscv64",
            _ => "x86_64",
        };
        var root = $"/dev/{plan.Partition}";
        var card = Sizes.CardBytes(plan.Board.Connected.CardGb ?? 32) / Sizes.GiB;
        if (Keeping(command, plan, user) is { } kept)
            return kept;
        return command.Trim() switch
        {
            "" => "",
            "reboot" or "sudo reboot" => null,
            "uname -a" => $"Linux {host} {plan.Image?.Kernel} #1 SMP {machine} GNU/Linux\r\n",
            "hostname" => $"{host}\r\n",
            "ip -br addr" or "ip addr" or "ip -br address 2>/dev/null || ip address" =>
                $"lo               UNKNOWN        127.0.0.1/8\r\neth0             UP             {Address(plan)}/24\r\n",
            "df -h /" or "df -h" or "LC_ALL=C df -hP /" => plan.FaultId == CauseIds.DiskFull
                ? $"Filesystem      Size  Used Avail Use% Mounted on\r\n{root}   3.6G  3.6G     0 100% /\r\n"
                : $"Filesystem      Size  Used Avail Use% Mounted on\r\n{root}   {card}G  1.9G  {card - 2}G  7% /\r\n",
            "free" or "free -m" =>
                $"               total        used        free\r\nMem:        {plan.Board.MemoryMiB, 8}         118    {plan.Board.MemoryMiB - 118, 8}\r\n",
            "help" => "Try uname -a, hostname, cat /proc/cmdline, ip -br addr, df -h /, free, reboot, exit.\r\n",
            var other => $"-sh: {other.Split(' ')[0]}: not found\r\n",
        };
    }

    /// <summary>What is printed behind the password of a new user that a command makes; empty for any other command.</summary>
    public static string UserMade(string command)
    {
        var at = command.LastIndexOf("&& id ", StringComparison.Ordinal);
        return at < 0 ? "" : $"uid=1001({command[(at + 6)..].Trim('\'', ' ')}) gid=1001\r\n";
    }

    /// <summary>The answers to what a first login and a move send; null for anything else.</summary>
    private static string? Keeping(string command, SimulationPlan plan, string user)
    {
        bool Has(string words) => command.Contains(words, StringComparison.Ordinal);
        string Word(string behind)
        {
            var at = command.IndexOf(behind, StringComparison.Ordinal) + behind.Length;
            return new([.. command.Skip(at).TakeWhile(c => char.IsLetterOrDigit(c) || c is '-' or '_' or '/')]);
        }
        return Has("/etc/hostname; hostname ") ? $"127.0.1.1 {Word("; hostname ")}\r\n"
            : Has("printf \"tools: user=") ? $"tools: user={user} sudo useradd adduser sshd systemctl apt-get iw root-free admin end\r\n"
            : Has("passwd -l ") ? $"{Word("passwd -l ")} is locked\r\n"
            : Has("PermitRootLogin no") ? "permitrootlogin no\r\n"
            : Has("iw reg set ") ? $"global\r\ncountry {Word("iw reg set ")}: DFS-ETSI\r\n"
            : Has("date -u +") ? (plan.Now is { } now ? $"{now.UtcDateTime:yyyy-MM-ddTHH:mm}\r\n" : "1970-01-01T00:03\r\n")
            : Has("apt-get -y upgrade")
                ? "Reading package lists... Done\r\n0 upgraded, 0 newly installed, 0 to remove and 0 not upgraded.\r\nthe package tool ended with 0\r\n"
            : Has("/sys/class/drm/") ? (plan.Board.Connected.Screen ? "1920x1080\r\n" : "no screen is seen here\r\n")
            : Has("look: begin") ? Disks(plan)
            : Answers.FirstOrDefault(a => Has($"echo \"{a}")) is { } answer
                ? $"{answer}{(answer.EndsWith(' ') ? Word($"echo \"{answer}") : "")}{After(command, answer)}\r\n"
            : Has("lsblk") ? "NAME        SIZE MODEL        MOUNTPOINTS\r\n"
            : null;
    }

    /// <summary>How the commands of a move end when they took (data/knowledge/commands/move.yaml); behind a blank stands a device.</summary>
    private static readonly string[] Answers =
    [
        "the table of ",
        "the loader is on ",
        "the file systems of ",
        "all files are on ",
        "the copy names its own file systems",
        "the menu of the copy is its own",
        "the copy is closed",
    ];

    private static string After(string command, string answer) =>
        answer switch
        {
            "the table of " => " is written",
            "the file systems of " => " are made",
            _ => "",
        };

    private static string Disks(SimulationPlan plan)
    {
        var card = Sizes.CardBytes(plan.Board.Connected.CardGb ?? 32);
        var text = new System.Text.StringBuilder("look: begin\r\n");
        void Disk(string name, long bytes, string model, string bus) =>
            text.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"NAME=\"{name}\" TYPE=\"disk\" SIZE=\"{bytes}\" RO=\"0\" FSTYPE=\"\" MOUNTPOINT=\"\" PKNAME=\"\" MODEL=\"{model}\" TRAN=\"{bus}\" PTTYPE=\"dos\" UUID=\"\" PARTUUID=\"\" PARTTYPE=\"\" LABEL=\"\"\r\n"
            );
        void Part(string name, string parent, long bytes, string kind, string mount, string uuid, string part, string type, string label) =>
            text.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"NAME=\"{name}\" TYPE=\"part\" SIZE=\"{bytes}\" RO=\"0\" FSTYPE=\"{kind}\" MOUNTPOINT=\"{mount}\" PKNAME=\"{parent}\" MODEL=\"\" TRAN=\"\" PTTYPE=\"dos\" UUID=\"{uuid}\" PARTUUID=\"{part}\" PARTTYPE=\"{type}\" LABEL=\"{label}\"\r\n"
            );
        var disk = plan.Partition.TrimEnd('0', '1', '2', '3', '4', '5', '6', '7', '8', '9').TrimEnd('p');
        Disk("mmcblk0", card, "", "");
        Part("mmcblk0p1", "mmcblk0", 256L << 20, "vfat", "/boot", SimulationPlan.BootUuid, $"{plan.DiskId}-01", "0xc", "BOOT");
        Part(
            "mmcblk0p2",
            "mmcblk0",
            card - (260L << 20),
            "ext4",
            disk == "mmcblk0" ? "/" : "",
            SimulationPlan.RootUuid,
            $"{plan.DiskId}-02",
            "0x83",
            "rootfs"
        );
        if (plan.Model.FlashGb is { } gb)
            Disk("mmcblk1", Sizes.CardBytes(gb), "", "");
        if (plan.Model.BootMedia.Contains("ssd"))
            Disk("nvme0n1", 128_035_676_160, "ORCHARD DRIVE", "nvme");
        return text.Append("start: mmcblk0p1 8192\r\nstart: mmcblk0p2 532480\r\n")
            .Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"look: root=/dev/{plan.Partition} type=ext4 options=rw,relatime used=2040109465\r\n"
            )
            .Append(
                $"fstab: UUID={SimulationPlan.RootUuid} / ext4 defaults 0 1\r\nfstab: UUID={SimulationPlan.BootUuid} /boot vfat defaults 0 2\r\n"
            )
            .Append(
                $"file: /boot/extlinux/extlinux.conf\r\ntool: sfdisk\r\ntool: wipefs\r\ntool: mkfs.ext4\r\ntool: mkfs.vfat\r\nlook: end\r\n"
            )
            .ToString();
    }

    /// <summary>The answer at the loader's prompt; null when it goes on booting.</summary>
    public static string? LoaderAnswer(string command, SimulationPlan plan) =>
        SimulatedAnswers.Loader(command.Trim(), plan) is { } told
            ? told
            : command.Trim() switch
            {
                "boot" or "reset" or "run bootcmd" => null,
                "" => "",
                "printenv" => $"bootargs={plan.CommandLine}\r\nbootdelay=2\r\n",
                "version" => "U-Boot 2024.01\r\n",
                "mmc list" => "mmc@4020000: 0\r\n",
                "help" => "boot, reset, printenv, version, mmc list\r\n",
                var other => $"Unknown command '{other.Split(' ')[0]}' - try 'help'\r\n",
            };

    /// <summary>The answer in the rescue shell of the initial file system.</summary>
    public static string? RescueAnswer(string command, SimulationPlan plan) =>
        SimulatedAnswers.Marked(command, c => RescueAnswer(c, plan)) is { } marked ? marked
        : SimulatedAnswers.Linux(command.Trim(), plan, initial: true) is { } told ? told
        : command.Trim() switch
        {
            "" => "",
            "exit" or "reboot" => null,
            "help" => "Try blkid, cat /proc/cmdline, exit.\r\n",
            var other => $"sh: {other.Split(' ')[0]}: not found\r\n",
        };
}
