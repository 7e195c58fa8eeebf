using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>What a log tells that commands and readings of questions need, by name.</summary>
public static partial class AskFacts
{
    /// <summary>Lines in which the loader's medium and the command line are looked for, from the end.</summary>
    private const int LinesBack = 3000;

    /// <summary>The facts of a log and its diagnosis; what is not told is not in it.</summary>
    /// <param name="console">The console that the board profile names ("ttyS0"); null when it names none.</param>
    public static Dictionary<string, string> Of(ConsoleLog log, Diagnosis diagnosis, string? console)
    {
        var facts = new Dictionary<string, string>();
        foreach (var cause in diagnosis.Causes.Where(c => c.Values is not null))
        foreach (var (name, value) in cause.Values!)
            facts.TryAdd(name, value);
        string? command = null;
        var told = new Dictionary<string, string>();
        for (var line = log.LineCount; line > 0 && line > log.LineCount - LinesBack; line--)
        {
            var text = log.Text(line);
            if (!facts.ContainsKey("partition") && LoaderMedium().Match(text) is { Success: true } medium)
            {
                // The newest medium counts; its partition may stand in an earlier line of the same one.
                facts.TryAdd("medium", medium.Groups[1].Value.ToLowerInvariant());
                facts.TryAdd("number", medium.Groups[2].Value);
                if (
                    medium.Groups[3].Success
                    && facts["medium"].Equals(medium.Groups[1].Value, StringComparison.OrdinalIgnoreCase)
                    && facts["number"] == medium.Groups[2].Value
                )
                    facts["partition"] = medium.Groups[3].Value;
            }
            else if (Told().Match(text) is { Success: true } one)
                told.TryAdd(one.Groups["device"].Value, text);
            else
                command ??= KernelCommandLine.Printed(text);
        }
        if (KernelCommandLine.RootOf(command) is { } root)
            facts["root"] = root;
        LearnRoots(told, facts);
        if (console is not null)
            facts["console"] = console;
        // What the kernel itself starts when nothing else is named (init/main.c).
        facts.TryAdd("init", "/sbin/init");
        return Derived(facts);
    }

    /// <summary>Learns from what blkid printed which partition could be the root, and whether the one that root= names is there. Of several that could be, none is.</summary>
    /// <param name="told">By device, the newest line that tells a file system of Linux on it.</param>
    private static void LearnRoots(Dictionary<string, string> told, Dictionary<string, string> facts)
    {
        var named = facts.GetValueOrDefault("root", "");
        var id = Identifier().Match(named) is { Success: true } known ? known.Groups["id"].Value : "";
        if (
            id.Length > 0
            && told.FirstOrDefault(p => p.Key == named || p.Value.Contains($"\"{id}\"", StringComparison.OrdinalIgnoreCase))
                is { Key: { } there }
        )
        {
            facts["rootthere"] = there;
            return;
        }
        var labelled = told.Where(p => RootLabel().IsMatch(p.Value)).ToList();
        if ((labelled.Count > 0 ? labelled : [.. told]) is not [var (found, line)])
            return;
        facts["rootfound"] = found;
        // In the form in which the root is named now, when the board told it.
        var form = named.Split('=') is [var kind, _] ? kind : "";
        facts["rootas"] =
            form.Length > 0 && Regex.Match(line, $"(?:^| ){form}=\"([^\"]+)\"") is { Success: true } same
                ? $"{form}={same.Groups[1].Value}"
                : found;
    }

    [GeneratedRegex(@"^(?<device>/dev/(?!loop|ram|zram|sr)[A-Za-z0-9/_-]+): .*\bTYPE=""(?:ext[234]|btrfs|xfs|f2fs)""")]
    private static partial Regex Told();

    [GeneratedRegex(@"(?i)\bLABEL=""[^""]*root")]
    private static partial Regex RootLabel();

    /// <summary>The facts with those that follow from others.</summary>
    public static Dictionary<string, string> Derived(IReadOnlyDictionary<string, string> known)
    {
        var facts = new Dictionary<string, string>(known);
        if (facts.TryGetValue("root", out var root) && Identifier().Match(root) is { Success: true } id)
            facts["rootid"] = id.Groups["id"].Value;
        if (facts.TryGetValue("rootdevice", out var device) && Disk().Match(device) is { Success: true } disk)
            facts["rootdisk"] = disk.Groups["disk"].Value;
        if (facts.TryGetValue("file", out var file) && file.Length > 0)
        {
            var path = file.StartsWith('/') ? file : "/" + file;
            facts["folder"] = path[..(path.LastIndexOf('/') + 1)];
            facts["leaf"] = path[(path.LastIndexOf('/') + 1)..];
        }
        if (facts.TryGetValue("device", out var named) && DeviceFile(named) is { } at)
            facts["devicefile"] = at;
        // The console says /dev/disk/by-label/X where the mount table says LABEL=X.
        if (named is not null && Identifier().Match(named) is { Success: true } written)
            facts["deviceid"] = written.Groups["id"].Value;
        return facts;
    }

    private static string? DeviceFile(string named)
    {
        if (named.StartsWith("/dev/", StringComparison.Ordinal))
            return named;
        var parts = named.Split('=', 2);
        return parts is [("UUID" or "PARTUUID" or "LABEL" or "PARTLABEL"), { Length: > 0 } id]
            ? $"/dev/disk/by-{parts[0].ToLowerInvariant()}/{id.Trim('"')}"
            : null;
    }

    [GeneratedRegex(@"(?i)\b(mmc|usb|virtio|nvme|scsi|sata|ide|ahci)\s?(\d{1,2})(?::(\d{1,2}))?\b(?=\.\.\.|[: ]|$)")]
    private static partial Regex LoaderMedium();

    [GeneratedRegex(@"^(?:UUID=|PARTUUID=|LABEL=|PARTLABEL=|/dev/disk/by-[a-z]+/|/dev/)?""?(?<id>[\w.:-]+)""?$")]
    private static partial Regex Identifier();

    [GeneratedRegex(@"^/dev/(?<disk>(?:mmcblk|nvme\d+n)\d+)p\d+$|^/dev/(?<disk>[a-z]+)\d+$")]
    private static partial Regex Disk();
}
