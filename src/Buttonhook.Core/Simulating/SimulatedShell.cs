using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Simulating;

/// <summary>What a simulated board answers when somebody types: at the loader's prompt, in a rescue shell, and after login.</summary>
internal static class SimulatedShell
{
    /// <summary>The address a simulated board gets, stable for its nickname.</summary>
    public static string Address(SimulationPlan plan) => $"10.20.0.{20 + plan.Board.Nickname.Sum(c => c) % 200}";

    /// <summary>The answer to a command after login; null when it ends the session with a restart, an empty text for an empty line.</summary>
    public static string? Answer(string command, SimulationPlan plan, string commandLine)
    {
        var host = plan.Host;
        var machine = plan.Model.InstructionSet switch
        {
            InstructionSet.Armhf => "armv7l",
            InstructionSet.Arm64 => "aarch64",
            InstructionSet.Riscv64 => "riscv64",
            _ => "x86_64",
        };
        var root = plan.Model.InstructionSet == InstructionSet.Amd64 ? "/dev/sda2" : "/dev/mmcblk0p2";
        var card = Sizes.CardBytes(plan.Board.Connected.CardGb ?? 32) / Sizes.GiB;
        return command.Trim() switch
        {
            "" => "",
            "reboot" or "sudo reboot" => null,
            "uname -a" => $"Linux {host} {plan.Image?.Kernel} #1 SMP {machine} GNU/Linux\r\n",
            "hostname" => $"{host}\r\n",
            "cat /proc/cmdline" => $"{commandLine}\r\n",
            "ip -br addr" or "ip addr" =>
                $"lo               UNKNOWN        127.0.0.1/8\r\neth0             UP             {Address(plan)}/24\r\n",
            "df -h /" or "df -h" => plan.FaultId == "disk-full"
                ? $"Filesystem      Size  Used Avail Use% Mounted on\r\n{root}   3.6G  3.6G     0 100% /\r\n"
                : $"Filesystem      Size  Used Avail Use% Mounted on\r\n{root}   {card}G  1.9G  {card - 2}G  7% /\r\n",
            "free" or "free -m" =>
                $"               total        used        free\r\nMem:        {plan.Board.MemoryMiB, 8}         118    {plan.Board.MemoryMiB - 118, 8}\r\n",
            "help" => "Try uname -a, hostname, cat /proc/cmdline, ip -br addr, df -h /, free, reboot, exit.\r\n",
            var other => $"-sh: {other.Split(' ')[0]}: not found\r\n",
        };
    }

    /// <summary>The answer at the loader's prompt; null when it goes on booting.</summary>
    public static string? LoaderAnswer(string command, SimulationPlan plan, string commandLine) =>
        command.Trim() switch
        {
            "boot" or "reset" or "run bootcmd" => null,
            "" => "",
            "printenv bootargs" or "printenv" => $"bootargs={commandLine}\r\nbootdelay=2\r\n",
            "version" => "U-Boot 2024.01\r\n",
            "mmc list" => "mmc@4020000: 0\r\n",
            "help" => "boot, reset, printenv, version, mmc list\r\n",
            var other => $"Unknown command '{other.Split(' ')[0]}' - try 'help'\r\n",
        };

    /// <summary>The answer in the rescue shell of the initial file system.</summary>
    public static string? RescueAnswer(string command, SimulationPlan plan, string commandLine) =>
        command.Trim() switch
        {
            "" => "",
            "exit" or "reboot" => null,
            "cat /proc/cmdline" => $"{commandLine}\r\n",
            "blkid" =>
                $"/dev/mmcblk0p1: LABEL=\"BOOT\" TYPE=\"vfat\" PARTUUID=\"{plan.Image?.RootPartUuid[..8]}-01\"\r\n/dev/mmcblk0p2: LABEL=\"rootfs\" TYPE=\"ext4\" PARTUUID=\"{plan.Image?.RootPartUuid}\"\r\n",
            "help" => "Try blkid, cat /proc/cmdline, exit.\r\n",
            var other => $"sh: {other.Split(' ')[0]}: not found\r\n",
        };
}
