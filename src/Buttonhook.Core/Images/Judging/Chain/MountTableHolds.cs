using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;

namespace Buttonhook.Core.Images.Judging.Chain;

/// <summary>What the mount table names is on the image, mount by mount, with what each missing one costs (fstab(5), systemd.mount(5)).</summary>
internal sealed class MountTableHolds : ILink
{
    public string Name => "mount table";

    /// <summary>One line of it.</summary>
    private sealed record Entry(string Device, string Point, string Kind, string Options, int Line)
    {
        private IEnumerable<string> Words => Options.Split(',');

        public bool IsSwap => Kind == "swap";

        public bool IsRoot => Point == "/";

        /// <summary>Whether nothing waits for it at the start.</summary>
        public bool IsLater => Words.Any(o => o is "noauto" or "nofail" or "x-systemd.automount");

        public bool IsMountedByNeed => Words.Contains("x-systemd.automount");

        /// <summary>How long systemd waits for it (systemd.mount(5), x-systemd.device-timeout; 90 s by itself).</summary>
        public string Wait =>
            Words.LastOrDefault(o => o.StartsWith("x-systemd.device-timeout=", StringComparison.Ordinal)) is not { } set ? "90 s"
            : set.Split('=')[1] is "0" or "infinity" ? "for ever"
            : set.Split('=')[1];
    }

    public void Check(DryRun run)
    {
        var (volume, tree) = (run.Root!, run.Tree!);
        var (broken, later) = (false, false);
        foreach (var entry in Entries(Encoding.UTF8.GetString(tree.Read("/etc/fstab", 1 << 20) ?? [])))
        {
            var at = $"{volume.Name("/etc/fstab")}:{entry.Line}";
            if (entry.IsMountedByNeed && tree.HasSystemd && Undriven(run, "autofs4"))
            {
                broken = true;
                run.Fail(
                    Stage.Services,
                    CauseIds.FstabDeviceMissing,
                    $"The mount table has {entry.Point} mounted when it is needed, which takes the driver autofs4, and this kernel has none: systemd gives a shell for repairs (emergency mode) instead of the system.",
                    "Install the modules of this kernel, or take x-systemd.automount out.",
                    at,
                    FileEdit.At(at, "x-systemd.automount", "nofail")
                );
                continue;
            }
            var named = Wrong(run, entry);
            var slip = named is null ? Misspelt(run, entry) : null;
            if ((named ?? slip?.Text) is not { } wrong)
                continue;
            if (entry.IsLater)
            {
                later = true;
                run.Pass(Stage.Services, $"{wrong}; nothing waits for it, the start goes on without it.", at);
                continue;
            }
            broken = true;
            var (costs, stops) = Costs(entry, tree.HasSystemd, wrong.Contains("which no partition", StringComparison.Ordinal));
            var text = $"{wrong}: {costs}.";
            var edit =
                slip is { } known ? FileEdit.At(at, entry.Options, known.Right)
                : entry.IsRoot ? null
                : FileEdit.At(at, entry.Options, $"{entry.Options},nofail");
            if (stops)
                run.Fail(Stage.Services, CauseIds.FstabDeviceMissing, text, "Take the line out, correct it, or add nofail.", at, edit);
            else
                run.Warn(Stage.Services, CauseIds.FstabDeviceMissing, text, "Take the line out, correct it, or add nofail.", at, edit);
        }
        if (!broken)
            run.Pass(
                Stage.Services,
                later ? "Every other device of the mount table is there." : "Every device of the mount table is there.",
                volume.Name("/etc/fstab")
            );
    }

    private static IEnumerable<Entry> Entries(string text)
    {
        var lines = text.Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            var words = lines[i].Split([' ', '\t', '\r'], StringSplitOptions.RemoveEmptyEntries);
            if (
                words.Length >= 3
                && !words[0].StartsWith('#')
                && (words[0].Contains('=') || words[0].StartsWith("/dev/", StringComparison.Ordinal))
            )
                yield return new(words[0], words[1], words[2], words.Length > 3 ? words[3] : "defaults", i + 1);
        }
    }

    /// <summary>What is wrong with a line, as the begin of a sentence; null when nothing is, or it cannot be told.</summary>
    private static string? Wrong(DryRun run, Entry entry)
    {
        var device = run.Device(entry.Device);
        if (device.Elsewhere is not null || device.Needs is not null)
            return null;
        // The root of a live system, or one under a layer, is mounted already and by nobody's line.
        if (
            entry.IsRoot
            && (run.Arguments.Has("boot") || run.Arguments.Words.Any(w => w.StartsWith("overlayroot", StringComparison.Ordinal)))
        )
            return null;
        if (device.Volume is not { } there)
            return $"The mount table names {entry.Device} for {entry.Point}, which no partition of this image has";
        var kind = there.Tree?.Kind ?? there.Kind;
        if (entry.IsRoot || kind is null || entry.Kind is "auto" or "none" || entry.IsSwap)
            return null;
        if (
            entry.Kind != kind
            && !(entry.Kind == "msdos" && kind == "vfat")
            && !(entry.Kind.StartsWith("ext", StringComparison.Ordinal) && kind.StartsWith("ext", StringComparison.Ordinal))
        )
            return $"The mount table mounts {entry.Device} at {entry.Point} as {entry.Kind}, and it is {kind}";
        return Undriven(run, kind)
            ? $"The mount table mounts {entry.Device} at {entry.Point}, and for {kind} there is no driver of this kernel on the root"
            : null;
    }

    /// <summary>An option that no mount takes, where it is a usual one with a letter wrong: the mount of a real file system is refused for it (mount(8)).</summary>
    private static (string Text, string Right)? Misspelt(DryRun run, Entry entry)
    {
        if (run.Device(entry.Device) is not { Volume: not null } || entry.IsSwap)
            return null;
        foreach (var option in entry.Options.Split(',').Select(o => o.Split('=')[0].TrimEnd('\r')))
            if (
                option.Length >= 4
                && !UsualOptions.Contains(option)
                && UsualOptions.FirstOrDefault(u => u.Length >= 4 && IsOneSlip(option, u)) is { } meant
            )
                return (
                    $"The mount table mounts {entry.Device} at {entry.Point} with the option {option}, which no mount knows ({meant} is meant)",
                    string.Join(
                        ',',
                        entry
                            .Options.Split(',')
                            .Select(o => o.StartsWith(option, StringComparison.Ordinal) ? meant + o[option.Length..] : o)
                    )
                );
        return null;
    }

    private static readonly string[] UsualOptions =
    [
        "defaults",
        "noatime",
        "nodiratime",
        "relatime",
        "norelatime",
        "strictatime",
        "lazytime",
        "auto",
        "noauto",
        "nofail",
        "exec",
        "noexec",
        "suid",
        "nosuid",
        "user",
        "nouser",
        "users",
        "owner",
        "group",
        "async",
        "sync",
        "dirsync",
        "remount",
        "errors",
        "discard",
        "nodiscard",
        "commit",
        "data",
        "umask",
        "dmask",
        "fmask",
        "utf8",
        "codepage",
        "iocharset",
        "shortname",
        "barrier",
        "nobarrier",
        "journal_checksum",
        "compress",
        "subvol",
        "subvolid",
        "space_cache",
        "size",
        "mode",
        "_netdev",
    ];

    /// <summary>Whether one letter more, one less, another one, or two that changed places make one word of the other.</summary>
    internal static bool IsOneSlip(string one, string other)
    {
        if (one == other || Math.Abs(one.Length - other.Length) > 1)
            return false;
        var at = 0;
        while (at < one.Length && at < other.Length && one[at] == other[at])
            at++;
        var (left, right) = (one[at..], other[at..]);
        return one.Length == other.Length
                ? left[1..] == right[1..] || left.Length > 1 && left[0] == right[1] && left[1] == right[0] && left[2..] == right[2..]
            : left.Length > right.Length ? left[1..] == right
            : left == right[1..];
    }

    /// <summary>Whether a driver is neither in the kernel nor among the modules of its version on the root; where the version's list of modules is missing it is not known.</summary>
    private static bool Undriven(DryRun run, string module)
    {
        if (run.Handover!.Kernel.Version is not { } version || run.Handover.Kernel.HasBuiltIn(Drivers.Marker(module)) != false)
            return false;
        if (run.Tree!.List("/lib/modules") is not { Count: > 0 } versions || run.Initial?.HasModule(module) == true)
            return false;
        if (!versions.Contains(version))
            return true;
        if (run.Tree.Read($"/lib/modules/{version}/modules.dep") is not { } list)
            return false;
        var named = Encoding
            .UTF8.GetString(list)
            .Split('\n')
            .Select(l => l.Split(':')[0])
            .FirstOrDefault(f => KernelModule.NameOf(f) == module);
        return named is null || run.Tree.Find($"/lib/modules/{version}/{named}") is null;
    }

    /// <summary>What a line that cannot be mounted costs.</summary>
    private static (string Words, bool Stops) Costs(Entry entry, bool systemd, bool missing)
    {
        if (!systemd)
            return ("the mount fails and the start goes on without it", false);
        var waits = missing ? $"systemd waits {entry.Wait} for it" : "the mount fails at once";
        if (entry.IsRoot)
            return (
                "the root is mounted already, but it is not mounted again with the options of this line, and may stay read-only",
                false
            );
        if (entry.IsSwap)
            return ($"{waits} and goes on without it", entry.Wait == "for ever" && missing);
        return (
            missing && entry.Wait == "for ever"
                ? "systemd waits for it without end"
                : $"{waits}, then gives a shell for repairs (emergency mode) instead of the system",
            true
        );
    }
}
