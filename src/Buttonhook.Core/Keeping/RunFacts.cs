using System.Globalization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Keeping;

/// <summary>Something that a log says, and the line that says it.</summary>
public sealed record Said(string Value, int Line);

/// <summary>What a log says of a run beyond what a diagnosis needs; what it does not say is null. Of what it says several times the last counts, for a capture may hold several boots.</summary>
/// <param name="CommandLine">As the kernel reported it.</param>
/// <param name="Mounted">The device that the root file system was really mounted from.</param>
/// <param name="User">Who logged in, as the prompt of the shell says.</param>
/// <param name="TimeZone">As the board said it when somebody asked.</param>
/// <param name="Heat">The hottest reading in °C.</param>
public sealed partial record RunFacts(Said? CommandLine, Said? Mounted, Said? User, Said? TimeZone, Said? Heat)
{
    /// <summary>Lines that are read: as far as a first boot reaches.</summary>
    private const int MostLines = 20_000;

    /// <summary>Reads a log, up to its first 20,000 lines.</summary>
    public static RunFacts Of(ConsoleLog log)
    {
        Said? command = null,
            mounted = null,
            user = null,
            zone = null,
            heat = null;
        var hottest = double.MinValue;
        for (var line = 1; line <= Math.Min(log.LineCount, MostLines); line++)
        {
            var text = log.Text(line);
            if (CommandLineOf().Match(text) is { Success: true } c)
            {
                command = new(c.Groups[1].Value.Trim(), line);
                // A new kernel: what is mounted is told anew.
                mounted = null;
            }
            else if (mounted is null && RootMounted().Match(text) is { Success: true } m)
                mounted = new("/dev/" + m.Groups["device"].Value, line);
            else if (Prompt().Match(text) is { Success: true } p)
                user = new(p.Groups[1].Value, line);
            else if (Zone().Match(text) is { Success: true } z)
                zone = new(z.Groups[1].Value, line);
            if (
                Temperature().Match(text) is { Success: true } t
                && double.TryParse(t.Groups["degrees"].Value, NumberStyles.Float, CultureInfo.InvariantCulture, out var degrees)
                && degrees is > 0 and < 130
                && degrees > hottest
            )
            {
                hottest = degrees;
                heat = new(string.Create(CultureInfo.InvariantCulture, $"{degrees:0.#} °C"), line);
            }
        }
        return new(command, mounted, user, zone, heat);
    }

    // Documentation/admin-guide/kernel-parameters: "Kernel command line:" of all machines; x86 prints it without the first word as well.
    [GeneratedRegex(@"(?:Kernel command line|\] Command line): (.+)$")]
    private static partial Regex CommandLineOf();

    // What file systems say when they are mounted (fs/ext4/super.c, fs/xfs/xfs_mount.c, fs/btrfs/disk-io.c, fs/f2fs/super.c), and the kernel
    // itself when it mounts the root (init/do_mounts.c).
    [GeneratedRegex(
        @"EXT4-fs \((?<device>[\w-]+)\): mounted filesystem|XFS \((?<device>[\w-]+)\): Ending clean mount|BTRFS info \(device (?<device>[\w-]+).*\): (?:using|disk space|enabling)|F2FS-fs \((?<device>[\w-]+)\): Mounted with|VFS: Mounted root \(\w+ filesystem\).* on device (?<device>[\w:-]+)|/dev/(?<device>[\w-]+): clean, \d+/\d+ files"
    )]
    private static partial Regex RootMounted();

    [GeneratedRegex(@"^([a-z_][\w-]*)@[\w-]+:[~/]\S*[$#]")]
    private static partial Regex Prompt();

    // timedatectl(1).
    [GeneratedRegex(@"Time zone: ([A-Z][\w+/-]+)")]
    private static partial Regex Zone();

    [GeneratedRegex(
        @"(?:temp(?:erature)?|Core 0|CPU)[^0-9+]{0,12}\+?(?<degrees>\d{1,3}(?:\.\d+)?) ?(?:°|'|deg(?:rees)? ?)?C\b",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex Temperature();
}
