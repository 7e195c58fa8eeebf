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

    internal const string RootNeverCame = "root-never-came";

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
        };

    internal static HashSet<string> Of(SignalInput input)
    {
        var (marks, attempts, silent, lastText, line, timesBroken, wholeTimes) = input;
        var set = new HashSet<string>();
        bool Has(string name) => marks.Any(m => m.Mark.Name == name);
        int LastOf(string name) => marks.LastOrDefault(m => m.Mark.Name == name)?.Line ?? 0;
        void When(string name, bool condition)
        {
            if (condition)
                set.Add(name);
        }
        var stage = Attempts.LastStage(marks);
        var ended = marks.Any(m => m.Mark.Ends);
        var command = marks.LastOrDefault(m => m.Values.ContainsKey("cmdline"))?.Values["cmdline"] ?? "";
        var arguments = command.Split(' ');
        var inLoader = stage is null or <= Stage.SecondLoader;
        When(NoOutput, silent);
        When("speed-wrong", line.Fault == LineFault.Speed);
        When("levels-inverted", line.Fault == LineFault.Inverted);
        When("frame-wrong", line.Fault == LineFault.Frame);
        When("line-noise", line.Fault == LineFault.Noise);
        When("bytes-lost", timesBroken && line.Fault == LineFault.None);
        When(SilentAfterLoader, inLoader && Has("handover") && LastOf("handover") >= lastText);
        var prompt = marks.FirstOrDefault(m => m.Mark.Name == "loader-prompt")?.Line ?? int.MaxValue;
        var countdown = LastOf("countdown");
        var tried = marks.Any(m => m.Mark.Name is "medium-tried" or "medium-read" or "netboot" && m.Line > countdown && m.Line < prompt);
        When("autoboot-stopped", countdown > 0 && prompt < int.MaxValue && prompt >= countdown && !tried);
        var gaveUp = inLoader && (ended || Has("netboot")) && !set.Contains("autoboot-stopped");
        When("loader-gave-up", gaveUp);
        When("nothing-found", gaveUp && !Has("medium-read") && !Has("partition-searched"));
        When("medium-without-boot-files", gaveUp && !Has("medium-read") && Has("partition-searched"));
        When("root-arg-absent", command.Length > 0 && !arguments.Any(a => a.StartsWith("root=", StringComparison.Ordinal)));
        When(
            "init-arg",
            arguments.Any(a =>
                a.StartsWith("init=", StringComparison.Ordinal)
                || (a.StartsWith("rdinit=", StringComparison.Ordinal) && a != "rdinit=/init")
            )
        );
        When("initrd-used", Has("initrd"));
        When("kernel-stalled", stage == Stage.Kernel && !ended);
        When("services-stalled", stage == Stage.Services && !ended);
        When(NoLoginPrompt, stage is Stage.Root or Stage.Services && !ended && Has("system-up"));
        When(
            "short-memory",
            marks.Any(m =>
                m.Values.TryGetValue("memory", out var text) && text.EndsWith('K') && long.TryParse(text[..^1], out var k) && k < 200 * 1024
            )
        );
        When("many-attempts", attempts > 1);
        When("root-stalled", stage == Stage.Root && !ended && Has("root-mounted"));
        When("stuck-after-firmware", inLoader && LastOf("disk-start") > 0 && LastOf("disk-start") >= lastText);
        When(RootNeverCame, stage == Stage.Kernel && Has("waits-for-root"));
        var login = marks.FirstOrDefault(m => m.Mark.Name == "login")?.Line ?? int.MaxValue;
        When("logged-in", LastOf("logged-in") > login || LastOf("shell") > login);
        When("network-tried", Has("network-tried"));
        When("never-left-loader", inLoader && !Has("handover"));
        return set;
    }
}
