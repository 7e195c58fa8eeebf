using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>What signals are computed from: marks of the last attempt and measures of the capture.</summary>
internal sealed record SignalInput(
    IReadOnlyList<MarkHit> Marks,
    int AttemptCount,
    bool Silent,
    int LastTextLine,
    LineVerdict Line,
    bool TimesBroken,
    int WholeTimes
);

/// <summary>Observations that no single line shows: an absence, an order, a measure. The rule book names them in <c>signal</c> and <c>when</c>.</summary>
public static class Signals
{
    /// <summary>Nothing arrived at all.</summary>
    public const string NoOutput = "no-output";

    /// <summary>The loader handed over and nothing came after.</summary>
    public const string SilentAfterLoader = "silent-after-loader";

    /// <summary>The same stages again and again.</summary>
    public const string Rebooting = "rebooting";

    internal const string RootNamedMissing = "root-named-missing";
    internal const string OtherNamedMissing = "other-named-missing";
    internal const string RootMountFailed = "root-mount-failed";
    internal const string BootMountFailed = "boot-mount-failed";
    internal const string OtherMountFailed = "other-mount-failed";
    internal const string RescueWithoutRoot = "rescue-without-root";
    internal const string KernelNotFetched = "kernel-not-fetched";
    internal const string InitrdNotFetched = "initrd-not-fetched";
    internal const string TreeNotFetched = "tree-not-fetched";
    internal const string ModelsDiffer = "models-differ";
    internal const string RestartArmed = "restart-armed";
    internal const string RestartUnsaid = "restart-unsaid";
    internal const string SameEndAgain = "same-end-again";
    internal const string LoginReached = "login-reached";

    internal const string TypedUnheard = "typed-unheard";
    internal const string LightWentOut = "light-went-out";
    internal const string RootNeverCame = "root-never-came";

    internal const string Jumped = "jumped";

    internal const string NoLoginPrompt = "no-login-prompt";

    /// <summary>The output ends on the way.</summary>
    internal static readonly string[] Stalled = ["kernel-stalled", "services-stalled", "root-stalled"];

    /// <summary>What only the end of the output says: nothing when it was the capture that ended.</summary>
    internal static readonly string[] OfTheEnd =
    [
        .. Stalled,
        NoOutput,
        SilentAfterLoader,
        NoLoginPrompt,
        RootNeverCame,
        Jumped,
        "stuck-after-firmware",
        "never-left-loader",
        "loader-gave-up",
        "nothing-found",
        "medium-without-boot-files",
    ];

    /// <summary>All names that the rule book may use, with their meaning.</summary>
    public static IReadOnlyDictionary<string, string> All { get; } =
        new Dictionary<string, string>
        {
            [NoOutput] = "not one byte arrived",
            [SilentAfterLoader] = "the loader hands over and nothing comes after it",
            [Rebooting] = "the same stages come again and again",
            ["speed-wrong"] = "the bytes look like text sent at another rate",
            ["levels-inverted"] = "the bytes look like text with swapped levels",
            ["frame-wrong"] = "text is readable once the top bit is taken off, and that bit is a parity",
            ["line-noise"] = "single bytes among readable text are wrong",
            ["bytes-lost"] = "kernel times are cut or doubled although every byte is readable",
            ["autoboot-stopped"] = "the count-down is followed at once by the loader's prompt",
            ["loader-gave-up"] = "the loader ended at its prompt, in network boot or in a shell",
            ["prompt-untried"] = "the loader waits at its prompt, and tried nothing before",
            ["nothing-found"] = "no medium that the loader tried had anything on it",
            ["medium-without-boot-files"] = "a partition was searched and no boot configuration was found on it",
            ["root-arg-absent"] = "the kernel command line names no root",
            ["init-arg"] = "the kernel command line names its own first program",
            ["initrd-used"] = "an initial file system is in use",
            ["kernel-stalled"] = "kernel output stops in the middle, without a panic",
            ["services-stalled"] = "services were starting and the output stops",
            [NoLoginPrompt] = "the system says that it is up, and no login comes",
            ["short-memory"] = "the kernel found less than 200 MiB",
            ["many-attempts"] = "more than one attempt in this capture",
            ["root-stalled"] = "the root is mounted, nothing failed, and the output ends",
            ["stuck-after-firmware"] = "the firmware starts from the disk and nothing comes after",
            [RootNeverCame] = "the kernel waits for the root and nothing comes after",
            ["logged-in"] = "somebody logged in",
            ["network-tried"] = "somebody logged in and tried the network",
            ["never-left-loader"] = "no kernel was started",
            ["kernel-started"] = "a kernel was started",
            ["services-reached"] = "the root is mounted and the first program runs",
            [LoginReached] = "the login was reached",
            ["medium-read"] = "files were read from a medium",
            ["ends-at-prompt"] = "it ends at a prompt",
            [RootNamedMissing] = "the device that root= names never came",
            [OtherNamedMissing] = "a device never came that is not the root",
            [RootMountFailed] = "the root could not be mounted",
            [BootMountFailed] = "the boot partition could not be mounted",
            [OtherMountFailed] = "something other than the root could not be mounted",
            [RescueWithoutRoot] = "a rescue shell before any root was mounted",
            ["no-disk-seen"] = "the kernel says a lot, and names no card and no disk",
            [KernelNotFetched] = "a kernel was asked for over the network and did not come",
            [InitrdNotFetched] = "an initial file system was asked for over the network and did not come",
            [TreeNotFetched] = "a device tree was asked for over the network and did not come",
            [ModelsDiffer] = "loader and kernel name different boards",
            [RestartArmed] = "it restarts without a word while a watchdog is armed",
            [RestartUnsaid] = "it restarts without a word",
            [Jumped] = "the loader jumps to where nothing answers",
            ["address-came"] = "an address came, or was set",
            ["network-carried"] = "a link came up, or an address came",
            ["network-missed"] = "the system waited for a network device that did not come",
            ["root-read-only-by-design"] = "the root is of a kind that is only read",
            [TypedUnheard] = "keys were typed and nothing came back",
            [LightWentOut] = "somebody saw the light go out again",
            ["no-light"] = "somebody saw no light at all",
            ["gets-hot"] = "somebody felt that the processor gets hot",
            ["screen-dark"] = "somebody saw that the screen stays dark",
            ["screen-out-of-range"] = "somebody read on the screen that it cannot show this",
            ["usb-unseen"] = "somebody saw that the computer finds no USB device",
            [SameEndAgain] = "the same last word comes again and again",
        };

    /// <summary>A root, or the way to one: live systems and roots of a server are found otherwise (live-boot(7), initramfs-tools(7), nfsroot of the kernel).</summary>
    private static bool NamesRoot(string argument) => RootArguments.Any(a => argument.StartsWith(a, StringComparison.Ordinal));

    /// <summary>Lines with a kernel's time from which on a kernel is not quiet: what it found it has named.</summary>
    private const int Talkative = 150;

    /// <summary>Roots of a server (Documentation/admin-guide/nfs/nfsroot.rst of the kernel; initramfs-tools(7), dracut.cmdline(7)).</summary>
    private static readonly string[] NetworkRoots =
    [
        "nfsroot=",
        "root=/dev/nfs",
        "root=nfs",
        "boot=nfs",
        "netroot=",
        "root=nbd",
        "root=/dev/nbd",
        "nbdroot=",
        "root=iscsi",
        "root=dhcp",
        "iscsi_",
        "ISCSI_",
        "rd.iscsi",
    ];

    private static bool IsNetworkRoot(string argument) => NetworkRoots.Any(a => argument.StartsWith(a, StringComparison.Ordinal));

    private static readonly string[] RootArguments = ["root=", "boot=", "nfsroot=", "netroot="];

    internal static SignalSet Of(SignalInput input)
    {
        var (marks, attempts, silent, lastText, line, timesBroken, wholeTimes) = input;
        var set = new SignalSet();
        bool Has(string name) => marks.Any(m => m.Mark.Name == name);
        MarkHit? Last(params string[] names) => marks.LastOrDefault(m => names.Contains(m.Mark.Name));
        int LastOf(string name) => Last(name)?.Line ?? 0;
        void When(string name, bool condition, MarkHit? shows = null)
        {
            if (condition)
                set.Add(name, shows);
        }
        var stage = Attempts.LastStage(marks);
        var ended = marks.Any(m => m.Mark.Ends);
        var commandLine = Attempts.CommandLineOf(marks);
        var command = commandLine?.Values["cmdline"] ?? "";
        var arguments = command.Split(' ');
        var inLoader = stage is null or <= Stage.SecondLoader;
        When(NoOutput, silent);
        When("speed-wrong", line.Fault == LineFault.Speed);
        When("levels-inverted", line.Fault == LineFault.Inverted);
        When("frame-wrong", line.Fault == LineFault.Frame);
        When("line-noise", line.Fault == LineFault.Noise);
        When("bytes-lost", timesBroken && line.Fault == LineFault.None);
        When(SilentAfterLoader, inLoader && Has("handover") && LastOf("handover") >= lastText, Last("handover"));
        var prompt = marks.FirstOrDefault(m => m.Mark.Name == "loader-prompt")?.Line ?? int.MaxValue;
        var countdown = LastOf("countdown");
        var tried = marks.Any(m =>
            m.Mark.Name is "medium-tried" or "medium-read" or "netboot"
            && m.Line < prompt
            // A menu that moves its cursor counts down and starts in one line.
            && (m.Line > countdown || m.Line == countdown && m.Mark.Name == "medium-tried")
        );
        When("autoboot-stopped", countdown > 0 && prompt < int.MaxValue && prompt >= countdown && !tried, Last("countdown"));
        var gaveUp = inLoader && (ended || Has("netboot")) && !set.Contains("autoboot-stopped");
        var gaveUpAt = Last("loader-prompt", "firmware-gave-up", "netboot");
        When("loader-gave-up", gaveUp, gaveUpAt);
        var searched = Has("medium-tried") || Has("netboot") || Has("firmware-gave-up") || Has("firmware-stage");
        var nothing = gaveUp && !Has("medium-read") && !Has("partition-searched");
        When("nothing-found", nothing && searched && gaveUpAt is not null, gaveUpAt);
        When("prompt-untried", nothing && Has("loader-prompt") && !searched && !Has("fetch"), Last("loader-prompt"));
        When("medium-without-boot-files", gaveUp && !Has("medium-read") && Has("partition-searched"), Last("partition-searched"));
        When("root-arg-absent", command.Length > 0 && !arguments.Any(NamesRoot), commandLine);
        When(
            "init-arg",
            arguments.Any(a =>
                a.StartsWith("init=", StringComparison.Ordinal)
                || (a.StartsWith("rdinit=", StringComparison.Ordinal) && a != "rdinit=/init")
            ),
            commandLine
        );
        When("initrd-used", Has("initrd"));
        When("kernel-stalled", stage == Stage.Kernel && !ended);
        When("services-stalled", stage == Stage.Services && !ended);
        When(NoLoginPrompt, stage is Stage.Root or Stage.Services && !ended && Has("system-up"), Last("system-up"));
        // A root of a server wants no disk.
        When("no-disk-seen", !arguments.Any(IsNetworkRoot) && stage >= Stage.Kernel && wholeTimes >= Talkative && !Has("disk-seen"));
        When(
            "short-memory",
            marks.Any(m =>
                m.Values.TryGetValue("managed", out var text)
                && text.EndsWith('K')
                && long.TryParse(text[..^1], out var k)
                && k < 200 * 1024
            )
        );
        When("many-attempts", attempts > 1);
        When(Jumped, inLoader && LastOf("jump") > 0 && LastOf("jump") >= lastText, Last("jump"));
        // An address that a board gives itself came from nobody (RFC 3927).
        var address = marks.FirstOrDefault(m =>
            m.Mark.Stage == Stage.Network && !m.Values.GetValueOrDefault("address", "").StartsWith("169.254.", StringComparison.Ordinal)
        );
        When("address-came", address is not null, address);
        When("network-carried", address is not null || Has("link-up"), address ?? Last("link-up"));
        When("network-missed", Has("network-missed"), Last("network-missed"));
        When("root-read-only-by-design", Has("root-read-only"), Last("root-read-only"));
        When("root-stalled", stage == Stage.Root && !ended && Has("root-mounted"));
        When("stuck-after-firmware", inLoader && LastOf("disk-start") > 0 && LastOf("disk-start") >= lastText, Last("disk-start"));
        When(RootNeverCame, stage == Stage.Kernel && Has("waits-for-root"), Last("waits-for-root"));
        var login = marks.FirstOrDefault(m => m.Mark.Name == "login")?.Line ?? int.MaxValue;
        When("logged-in", LastOf("logged-in") > login || LastOf("shell") > login);
        When("network-tried", Has("network-tried"));
        When("never-left-loader", inLoader && !Has("handover"), gaveUpAt ?? Last("jump"));
        // A loader says that it hands over also when it has nothing to hand over to, and complains behind it.
        When(
            "kernel-started",
            !inLoader || set.Contains(SilentAfterLoader),
            marks.FirstOrDefault(m => m.Mark.Stage == Stage.Kernel) ?? Last("handover")
        );
        When("services-reached", stage >= Stage.Services, marks.FirstOrDefault(m => m.Mark.Stage == Stage.Services));
        When(LoginReached, stage >= Stage.Login, marks.FirstOrDefault(m => m.Mark.Stage == Stage.Login));
        When("medium-read", Has("medium-read"), Last("medium-read"));
        var end = marks.LastOrDefault(m => m.Mark.Ends && m.Mark.Stage != Stage.Login);
        When("ends-at-prompt", end?.Mark.Name is "loader-prompt" or "rescue-shell" or "emergency" && end.Line >= lastText - 3, end);
        return set;
    }
}

/// <summary>The signals of a capture, each with the line that shows it best (null when none does).</summary>
internal sealed class SignalSet
{
    private readonly Dictionary<string, MarkHit?> all = [];
    private readonly Dictionary<string, string> seen = [];

    /// <summary>Notes a signal that a person saw, in the person's words.</summary>
    public void Add(string name, string words)
    {
        all.TryAdd(name, null);
        seen[name] = words;
    }

    /// <summary>Notes a signal; what shows it first stays.</summary>
    public void Add(string name, MarkHit? shows = null)
    {
        if (!all.TryGetValue(name, out var before) || before is null)
            all[name] = shows;
    }

    public bool Contains(string name) => all.ContainsKey(name);

    public bool ContainsAny(IEnumerable<string> names) => names.Any(all.ContainsKey);

    public void Remove(IEnumerable<string> names)
    {
        foreach (var name in names)
            all.Remove(name);
    }

    /// <summary>Line and text that show it; 0 and nothing when none does.</summary>
    public (int Line, string Text) Shown(string name) =>
        all.GetValueOrDefault(name) is { } mark ? (mark.Line, mark.Text) : (0, seen.GetValueOrDefault(name, ""));
}
