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
/// <param name="Locale">As the board said it when somebody asked.</param>
/// <param name="Keyboard">The layout, likewise.</param>
/// <param name="KeysOf">The user whose public keys the first boot took.</param>
/// <param name="RemoteLogin">That a server for remote logins was started, or listens.</param>
/// <param name="Interface">The interface that the newest address belongs to.</param>
/// <param name="CardSize">As the kernel counts the card.</param>
/// <param name="RootSize">Of the root file system, as it was grown or asked for.</param>
/// <param name="FirstBootEnd">That the steps of the first boot came to their end; null when one failed.</param>
public sealed partial record RunFacts(
    Said? CommandLine,
    Said? Mounted,
    Said? User,
    Said? TimeZone,
    Said? Heat,
    Said? Locale = null,
    Said? Keyboard = null,
    Said? KeysOf = null,
    Said? RemoteLogin = null,
    Said? Interface = null,
    Said? CardSize = null,
    Said? RootSize = null,
    Said? FirstBootEnd = null
)
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
        Said? locale = null,
            keyboard = null,
            keys = null,
            remote = null,
            wire = null,
            card = null,
            size = null,
            ended = null;
        var failed = false;
        var hottest = double.MinValue;
        for (var line = 1; line <= Math.Min(log.LineCount, MostLines); line++)
        {
            var text = log.Text(line);
            if (KernelCommandLine.Printed(text) is { } c)
            {
                command = new(c, line);
                // A new kernel: what is mounted is told anew.
                mounted = null;
            }
            else if (mounted is null && RootMounted().Match(text) is { Success: true } m)
                mounted = new("/dev/" + m.Groups["device"].Value, line);
            else if (Prompt().Match(text) is { Success: true } p)
                user = new(p.Groups[1].Value, line);
            else if (Zone().Match(text) is { Success: true } z)
                zone = new(z.Groups["zone"].Value, line);
            else if (LocaleOf().Match(text) is { Success: true } l)
                locale = new(l.Groups[1].Value, line);
            else if (KeyboardOf().Match(text) is { Success: true } k)
                keyboard = new(k.Groups[1].Value, line);
            else if (Keys().Match(text) is { Success: true } a)
                keys = new(a.Groups[1].Value, line);
            else if (RemoteServer().IsMatch(text))
                remote ??= new("on", line);
            else if (Wire().Match(text) is { Success: true } w && w.Groups["name"].Value != "lo")
                wire = new(w.Groups["name"].Value, line);
            else if (Card().Match(text) is { Success: true } s)
                card = new(s.Groups[1].Value, line);
            else if (RootSizeOf().Match(text) is { Success: true } r)
                size = new(r.Groups["size"].Value, line);
            else if (FirstBootEnded().IsMatch(text))
                ended = new("came to its end", line);
            else if (FirstBootFailed().IsMatch(text))
                failed = true;
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
        return new(command, mounted, user, zone, heat, locale, keyboard, keys, remote, wire, card, size, failed ? null : ended);
    }

    // What file systems say when they are mounted (fs/ext4/super.c, fs/xfs/xfs_mount.c, fs/btrfs/disk-io.c, fs/f2fs/super.c), and the kernel
    // itself when it mounts the root (init/do_mounts.c).
    [GeneratedRegex(
        @"EXT4-fs \((?<device>[\w-]+)\): mounted filesystem|XFS \((?<device>[\w-]+)\): Ending clean mount|BTRFS info \(device (?<device>[\w-]+).*\): (?:using|disk space|enabling)|F2FS-fs \((?<device>[\w-]+)\): Mounted with|VFS: Mounted root \(\w+ filesystem\).* on device (?<device>[\w:-]+)|/dev/(?<device>[\w-]+): clean, \d+/\d+ files"
    )]
    private static partial Regex RootMounted();

    [GeneratedRegex(@"^([a-z_][\w-]*)@[\w-]+:[~/]\S*[$#]")]
    private static partial Regex Prompt();

    // timedatectl(1); what the link /etc/localtime names; /etc/timezone is a name alone and cannot be told from other words.
    [GeneratedRegex(@"Time zone: (?<zone>[A-Z][\w+/-]+)|(?:^|-> )\S*/zoneinfo/(?<zone>[A-Z][\w+/-]+)$")]
    private static partial Regex Zone();

    // locale.conf(5), and localectl(1).
    [GeneratedRegex(@"^(?:System Locale: |\s*System Locale: )?LANG=""?([A-Za-z][\w.@-]+)""?$")]
    private static partial Regex LocaleOf();

    // keyboard(5), and localectl(1).
    [GeneratedRegex(@"^\s*(?:XKBLAYOUT=""?|X11 Layout: )([a-z]{2,3})\b")]
    private static partial Regex KeyboardOf();

    // What cloud-init prints when it has put public keys down (cloudinit/config/cc_ssh_authkey_fingerprints.py).
    [GeneratedRegex(@"Authorized keys from \S+ for user ([a-z_][\w-]*)")]
    private static partial Regex Keys();

    // systemd and sysvinit of the usual servers, and ss(8).
    [GeneratedRegex(
        @"Started \S*(?:ssh|dropbear)\S*|Starting OpenBSD Secure Shell server: sshd\.|Starting (?:sshd|dropbear).*(?:OK|done)|^(?:tcp\s+)?LISTEN\s.*:22\s"
    )]
    private static partial Regex RemoteServer();

    // ip(8) on one line and in short; the table of cloud-init; networkd, dhcpcd, and NetworkManager.
    [GeneratedRegex(
        @"^\d+: (?<name>\S+)\s+inet \d|^(?<name>[a-z]\S*)\s+UP\s+\d+\.|ci-info: \|\s*(?<name>[a-z]\S*)\s*\|\s*True\s*\|\s*\d+\.\d|\b(?<name>[a-z]\w+): (?:DHCPv4 address \d|leased \d)|dhcp4 \((?<name>\w+)\):.*\baddress=\d"
    )]
    private static partial Regex Wire();

    // drivers/mmc/core/block.c.
    [GeneratedRegex(@"mmcblk\d+: mmc\S+ .*?(\d+(?:\.\d+)? [KMGT]iB)")]
    private static partial Regex Card();

    // systemd-growfs(8), and df(1) of the root in its POSIX form.
    [GeneratedRegex(@"Successfully resized ""/"" to (?<size>[\d.]+[KMGT])|^/dev/\S+\s+(?<size>[\d.]+[KMGT])\s+\S+\s+\S+\s+\d+%\s+/$")]
    private static partial Regex RootSizeOf();

    // cloud-init, and the script that is put onto systems without it.
    [GeneratedRegex(@"Cloud-init v\. \S+ finished at|firstboot: all steps are done")]
    private static partial Regex FirstBootEnded();

    [GeneratedRegex(
        @"Failed to run module scripts|Failed running /var/lib/cloud/\S*scripts|Running module scripts\S* .* failed|firstboot: FAILED"
    )]
    private static partial Regex FirstBootFailed();

    [GeneratedRegex(
        @"(?:temp(?:erature)?|Core 0|CPU)[^0-9+]{0,12}\+?(?<degrees>\d{1,3}(?:\.\d+)?) ?(?:°|'|deg(?:rees)? ?)?C\b",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex Temperature();
}
