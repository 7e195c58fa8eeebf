using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What follows from lines that stand far apart: what the command line asked for and what was missed, what loader and kernel call the board, how one attempt ended and the next began.</summary>
internal static partial class Deductions
{
    /// <summary>From this share of common words on, two names are taken for one board.</summary>
    private const double SameBoard = 0.34;

    /// <summary>Notes what it finds in <paramref name="set"/>.</summary>
    /// <param name="marks">Of the last attempt.</param>
    /// <param name="before">Of all attempts.</param>
    /// <param name="starts">First line of each attempt.</param>
    /// <param name="powered">Lines at which somebody took or applied power, as the journal of the capture tells.</param>
    public static void Add(
        SignalSet set,
        IReadOnlyList<MarkHit> marks,
        IReadOnlyList<MarkHit> before,
        IReadOnlyList<int> starts,
        IReadOnlyList<int> powered
    )
    {
        var root = Attempts.RootOf(marks);
        var kernel = marks.FirstOrDefault(m => m.Mark.Stage == Stage.Kernel)?.Line ?? int.MaxValue;
        var mounted = marks.FirstOrDefault(m => m.Mark.Name == "root-mounted")?.Line ?? int.MaxValue;
        var services = marks.FirstOrDefault(m => m.Mark.Stage == Stage.Services)?.Line ?? int.MaxValue;
        var login = marks.FirstOrDefault(m => m.Mark.Stage == Stage.Login)?.Line ?? int.MaxValue;
        foreach (var missing in marks.Where(m => m.Mark.Name == "device-missing" && m.Line > kernel && m.Line < login))
        {
            var device = missing.Values["device"];
            if (root is not null && Same(device, root))
                set.Add(Signals.RootNamedMissing, missing);
            else if (missing.Line > Math.Min(services, mounted) || root is not null && !Likely(device, root))
                set.Add(Signals.OtherNamedMissing, missing);
        }
        foreach (var failed in marks.Where(m => m.Mark.Name == "mount-failed"))
            set.Add(
                RootTarget().IsMatch(failed.Values["target"]) ? Signals.RootMountFailed
                    : BootTarget().IsMatch(failed.Values["target"]) ? Signals.BootMountFailed
                    : Signals.OtherMountFailed,
                failed
            );
        if (
            marks.LastOrDefault(m => m.Mark.Name == "rescue-shell") is { } shell
            && mounted == int.MaxValue
            && shell.Line < login
            && Attempts.LastStage(marks) >= Stage.Kernel
        )
            set.Add(Signals.RescueWithoutRoot, shell);
        if (
            marks.LastOrDefault(m => m.Mark.Name == "loader-model" && m.Line < kernel) is { } said
            && marks.FirstOrDefault(m => m.Mark.Name == "kernel-model") is { } is_
            && Alike(said.Values["board"], is_.Values["board"]) < SameBoard
        )
            set.Add(Signals.ModelsDiffer, is_);
        Fetches(set, marks);
        Restarts(set, before, starts, powered);
        Repeated(set, before);
    }

    /// <summary>A file that was asked for over the network and did not come. A loader asks for boot scripts that may be there as well: those say nothing.</summary>
    private static void Fetches(SignalSet set, IReadOnlyList<MarkHit> marks)
    {
        string? file = null;
        foreach (var mark in marks)
            if (mark.Mark.Name == "fetch")
                file = mark.Values["file"];
            else if (mark.Mark.Name == "fetch-failed" && file is not null)
            {
                if (InitialFiles().IsMatch(file))
                    set.Add(Signals.InitrdNotFetched, mark);
                else if (file.EndsWith(".dtb", StringComparison.OrdinalIgnoreCase))
                    set.Add(Signals.TreeNotFetched, mark);
                else if (Kernels().IsMatch(file))
                    set.Add(Signals.KernelNotFetched, mark);
                file = null;
            }
    }

    [GeneratedRegex(@"(initr|ramdisk)[^/]*$", RegexOptions.IgnoreCase)]
    private static partial Regex InitialFiles();

    [GeneratedRegex(@"^(?!.*\.(conf|cfg|scr|uimg)$).*(image|vmlinu|kernel|linux)[^/]*$", RegexOptions.IgnoreCase)]
    private static partial Regex Kernels();

    private static void Restarts(SignalSet set, IReadOnlyList<MarkHit> marks, IReadOnlyList<int> starts, IReadOnlyList<int> powered)
    {
        for (var i = 0; i + 1 < starts.Count; i++)
        {
            // Whose power was cut did not restart by itself.
            if (powered.Any(p => p >= starts[i] && p <= starts[i + 1]))
                continue;
            var own = Attempts.Between(marks, starts[i], starts[i + 1] - 1);
            // Before the kernel, loaders restart for reasons of their own.
            if (!own.Exists(m => m.Mark.Stage == Stage.Kernel) || own.Exists(m => m.Mark.Name is "panic" or "restarts" or "halted"))
                continue;
            var next = Attempts.From(marks, starts[i + 1]) is var at && at < marks.Count ? marks[at] : own[^1];
            set.Add(own.FirstOrDefault(m => m.Mark.Name == "watchdog-armed") is null ? Signals.RestartUnsaid : Signals.RestartArmed, next);
        }
    }

    /// <summary>The same line that stands for an end, three times and with nothing of a login between: a loop without a banner.</summary>
    private static void Repeated(SignalSet set, IReadOnlyList<MarkHit> marks)
    {
        var ends = marks.Where(m => m.Mark.Ends && m.Mark.Name is "firmware-gave-up" or "panic").ToList();
        if (marks.Any(m => m.Mark.Stage == Stage.Login))
            return;
        if (ends.GroupBy(m => Diagnoser.Plain(m.Text)).FirstOrDefault(g => g.Count() >= 3) is { } again)
            set.Add(Signals.SameEndAgain, again.Last());
    }

    /// <summary>Whether a device in a message, perhaps shortened or escaped by systemd, is the one that root= names.</summary>
    public static bool Same(string device, string root)
    {
        var wanted = Core(root);
        var said = Core(device);
        if (wanted.Length < 3 || said.Length < 3)
            return false;
        if (said.Equals(wanted, StringComparison.OrdinalIgnoreCase))
            return true;
        foreach (var gap in (string[])["…", "..."])
            if (said.IndexOf(gap, StringComparison.Ordinal) is > 0 and var at)
                return wanted.StartsWith(said[..at], StringComparison.OrdinalIgnoreCase)
                    || Core(device[..device.IndexOf(gap, StringComparison.Ordinal)]) is { Length: >= 4 } head
                        && wanted.StartsWith(head, StringComparison.OrdinalIgnoreCase)
                    || said[(at + gap.Length)..] is { Length: >= 4 } tail
                        && wanted.EndsWith(Core(tail), StringComparison.OrdinalIgnoreCase);
        return false;
    }

    /// <summary>Whether the message may speak of the root although it calls it otherwise: a bare disk of it, or a name without any.</summary>
    private static bool Likely(string device, string root) => Core(root).StartsWith(Core(device), StringComparison.OrdinalIgnoreCase);

    /// <summary>The identifier or node in a device's name: behind UUID=, by-uuid/, /dev/ and their escaped forms.</summary>
    private static string Core(string device)
    {
        var plain = device.Replace(@"\x2d", "-", StringComparison.Ordinal).Trim('"', '\'', '.', ',', ':', ';', '(', ')');
        if (plain.EndsWith(".device", StringComparison.Ordinal))
            plain = plain[..^7].Replace("dev-disk-by-", "/dev/disk/by-", StringComparison.Ordinal);
        return Prefix().Replace(plain, "");
    }

    private static double Alike(string one, string other)
    {
        HashSet<string> Words(string name) => [.. Word().Matches(name.ToLowerInvariant()).Select(m => m.Value)];
        var (a, b) = (Words(one), Words(other));
        return a.Count == 0 || b.Count == 0 ? 1 : (double)a.Intersect(b).Count() / Math.Min(a.Count, b.Count);
    }

    [GeneratedRegex(
        @"^(block:)?(/dev/)?(disk/)?(by-(uuid|label|partuuid|partlabel|id|path)[/-])?((PART)?(UUID|LABEL)=|dev-)?""?(/dev/)?",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex Prefix();

    [GeneratedRegex(
        @"^[""']?(/|/sysroot|/root|/newroot|/new_root|/mnt/root|/rootfs|/run/rootfsbase|sysroot\.mount|Root File System|root file ?system|rootfs|Root)[""'.,]*$",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex RootTarget();

    [GeneratedRegex(@"^[""']?/?boot\b|^/efi\b|\bboot partition\b", RegexOptions.IgnoreCase)]
    private static partial Regex BootTarget();

    [GeneratedRegex(@"[a-z0-9]+")]
    private static partial Regex Word();
}
