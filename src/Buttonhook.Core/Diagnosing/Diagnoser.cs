using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>
/// Ranks causes by adding up log odds of what was observed (naive Bayes), with one correction from practice: when the earliest
/// abnormal line belongs to a cause that explains a later one, the later one is a consequence and loses.
/// </summary>
internal static partial class Diagnoser
{
    private const double SomethingElseOdds = 2;
    private const double CleanOdds = 4;
    private const double ExplainedLoss = 5;
    private const double SmallestShown = 0.01;

    /// <summary>Log odds from which lines alone are taken for proof.</summary>
    private const double ProvenOdds = 4;

    /// <summary>No log proves a cause beyond this (1 %): so much at least stays with something else.</summary>
    public const double Doubt = 0.01;

    public static Diagnosis Diagnose(RuleBook book, CaptureLook look)
    {
        var reading = look.Reading;
        var found = Found(look);
        foreach (var cause in found.Where(f => f.Odds >= 3).ToList())
        foreach (var later in found)
            if (cause != later && (cause.Cause.Explains ?? []).Contains(later.Cause.Id) && cause.FirstLine <= later.FirstLine)
                later.Explained = true;
        var reached = reading.Outcome is Outcome.ReachedLogin;
        var degraded = reached && found.Any(f => f.Cause.Degrades && !f.Explained && f.Odds >= 3);
        // A capture that ended on the way accuses nobody, unless lines of it prove what stopped the board before. A file that merely ends,
        // with nothing that stands for an end and nothing that explains one, ended on the way too.
        var merelyEnds = reading.Outcome is Outcome.Stopped && !reading.Waiting && !look.Ending.Measured;
        var cut =
            (reading.Outcome is Outcome.Cut || merelyEnds && found.Count == 0)
            && !found.Any(f => !f.Cause.Degrades && !f.Explained && f.Odds >= ProvenOdds);
        if (cut)
            found.RemoveAll(f => f.Odds < ProvenOdds);
        var outcome =
            degraded ? Outcome.Degraded
            : cut ? Outcome.Cut
            : reading.Outcome is Outcome.Cut ? Outcome.Stopped
            : reading.Outcome;
        var scores = found.Select(f => (f.Cause.Id, Odds: f.Odds - (f.Explained ? ExplainedLoss : 0))).ToList();
        if (reached)
            scores.Add((RuleBook.None, degraded ? CleanOdds - 6 : CleanOdds));
        scores.Add((RuleBook.SomethingElse, reached && !degraded ? -1 : SomethingElseOdds));
        var sum = scores.Sum(s => Math.Exp(s.Odds));
        var ranked = scores
            .Select(s => (s.Id, Probability: Math.Exp(s.Odds) / sum))
            .Where(s => s.Probability >= SmallestShown || s.Id == RuleBook.SomethingElse)
            .ToList();
        ranked = [.. ranked.Select(s => (s.Id, s.Id == RuleBook.SomethingElse ? Math.Max(s.Probability, Doubt) : s.Probability))];
        var shown = ranked.Sum(s => s.Probability);
        var causes = ranked
            .Select(s => Describe(s.Id, s.Probability / shown, found, look, cut))
            .OrderByDescending(c => c.Probability)
            .ToList();
        var harmless = look
            .HarmlessHits.Select(h => new HarmlessLine(h.Line, h.Text, book.Harmless[h.Pattern - look.Index.HarmlessOffset].Why))
            .DistinctBy(h => h.Line)
            .ToList();
        return new(
            outcome,
            reading.LastStage,
            reading.Attempts,
            causes,
            harmless,
            Checks.Next(causes, cut, reading.Line.Fault == LineFault.NoText),
            reading.Facts
        );
    }

    private sealed class Candidate(Cause cause)
    {
        public Cause Cause { get; } = cause;
        public List<double> Weights { get; } = [];
        public double Loss { get; set; }

        /// <summary>Observations of one cause are not independent: each further one counts half of the one before.</summary>
        public double Odds => Cause.Prior - Loss + Weights.OrderDescending().Select((w, i) => w * Math.Pow(0.5, i)).Sum();

        public void Weigh(EvidenceRule rule)
        {
            if (rule.For)
                Weights.Add(rule.Evidence.Weight);
            else
                Loss += rule.Evidence.Weight;
        }

        public bool Explained { get; set; }
        public int FirstLine { get; set; } = int.MaxValue;
        public List<EvidenceLine> For { get; } = [];
        public List<EvidenceLine> Against { get; } = [];
        public Dictionary<string, string> Values { get; } = [];
    }

    private static List<Candidate> Found(CaptureLook look)
    {
        var index = look.Index;
        var candidates = new Dictionary<string, Candidate>();
        Candidate Of(Cause cause) => candidates.TryGetValue(cause.Id, out var c) ? c : candidates[cause.Id] = new(cause);
        foreach (var group in look.EvidenceHits.GroupBy(h => h.Pattern).OrderBy(g => g.Key))
        {
            var rule = index.Evidence[group.Key - index.EvidenceOffset];
            if (rule.Evidence.When is { } when && !look.Signals.Contains(when))
                continue;
            var candidate = Of(rule.Cause);
            candidate.Weigh(rule);
            var times = group.CountBy(h => Plain(h.Text)).ToDictionary();
            foreach (var hit in group.Take(6))
            {
                (rule.For ? candidate.For : candidate.Against).Add(new(hit.Line, hit.Text, rule.Evidence.Says, times[Plain(hit.Text)]));
                foreach (var (name, value) in hit.Values)
                    candidate.Values.TryAdd(name, value);
            }
            if (rule.For)
                candidate.FirstLine = Math.Min(candidate.FirstLine, group.First().Line);
        }
        foreach (var rule in index.Signalled)
        {
            if (!look.Signals.Contains(rule.Evidence.Signal!) || (rule.Evidence.When is { } when && !look.Signals.Contains(when)))
                continue;
            var candidate = Of(rule.Cause);
            candidate.Weigh(rule);
            var (line, text) = SignalLine(rule.Evidence.Signal!, look);
            (rule.For ? candidate.For : candidate.Against).Add(new(line, text, rule.Evidence.Says ?? Signals.All[rule.Evidence.Signal!]));
            if (rule.For)
                candidate.FirstLine = Math.Min(candidate.FirstLine, Math.Max(line, 1));
        }
        return [.. candidates.Values.Where(c => c.For.Count > 0)];
    }

    /// <summary>A line without the time that the kernel puts before it.</summary>
    private static string Plain(string text) => KernelTime().Replace(text, "").Trim();

    [GeneratedRegex(@"^\s*\[\s*\d+\.\d+\]\s?")]
    private static partial Regex KernelTime();

    /// <summary>The line that shows a signal best; 0 and nothing when none does.</summary>
    private static (int Line, string Text) SignalLine(string signal, CaptureLook look)
    {
        (int, string) Of(MarkHit? mark) => mark is null ? (0, "") : (mark.Line, mark.Text);
        (int, string) Last(params string[] names) => Of(look.Marks.LastOrDefault(m => names.Contains(m.Mark.Name)));
        return signal switch
        {
            "silent-after-loader" => Last("handover"),
            "autoboot-stopped" => Last("countdown"),
            "root-arg-absent" or "init-arg" => Of(look.Marks.LastOrDefault(m => m.Values.ContainsKey("cmdline"))),
            "medium-without-boot-files" => Last("partition-searched"),
            "loader-gave-up" or "nothing-found" or "never-left-loader" => Last("loader-prompt", "netboot"),
            "kernel-stalled" or "services-stalled" => (look.LastTextLine, look.LastText),
            "no-login-prompt" => Last("system-up"),
            "root-never-came" => Last("waits-for-root"),
            "rebooting" => Last("restarts"),
            _ => (0, ""),
        };
    }

    private static RankedCause Describe(string id, double probability, List<Candidate> found, CaptureLook look, bool cut)
    {
        if (id == RuleBook.None)
        {
            var login = look.Marks.Last(m => m.Mark.Stage == Stage.Login || m.Mark.Name == Attempts.InstallerScreen);
            return new(
                id,
                "Nothing wrong",
                probability,
                [
                    new(
                        login.Line,
                        login.Text,
                        login.Mark.Stage == Stage.Login ? "the login prompt is there" : "the installer waits for you"
                    ),
                ],
                [],
                "Log in and look at the addresses.",
                2,
                "Nothing to mend.",
                null,
                null
            );
        }
        if (id == RuleBook.SomethingElse && cut && found.Count == 0)
            return new(
                id,
                "Nothing to be told: the capture ended on the way",
                probability,
                [],
                [],
                "Capture it again, from before power until the login, or until it has been quiet for two minutes.",
                5,
                "Nothing to mend: up to here nothing is wrong.",
                null,
                null
            );
        if (id == RuleBook.SomethingElse && look.Reading.Line.Fault == LineFault.NoText)
            return new(
                id,
                "This is no console text",
                probability,
                [],
                [],
                "Look whether this is the right file, or whether the adapter's receive wire sits on the board's transmit pin.",
                2,
                "The bytes fit no speed that boards and adapters use, no swapped levels and no other frame.",
                null,
                null
            );
        if (id == RuleBook.SomethingElse)
            return new(
                id,
                "Something else",
                probability,
                [],
                [],
                "Boot again and compare where the two logs part.",
                5,
                "Keep this log with what you saw on the lights and the screen.",
                null,
                null
            );
        var candidate = found.First(f => f.Cause.Id == id);
        var cause = candidate.Cause;
        AddLineFacts(candidate, look);
        string? Fill(string? text) => text is null ? null : Template.Fill(text, candidate.Values);
        return new(
            id,
            cause.Name,
            probability,
            [.. candidate.For.DistinctBy(e => (e.Line, e.Line == 0 ? e.Says : null)).OrderBy(e => e.Line)],
            [.. candidate.Against.DistinctBy(e => (e.Line, e.Line == 0 ? e.Says : null)).OrderBy(e => e.Line)],
            Fill(cause.Check.What)!,
            cause.Check.Minutes,
            Fill(cause.Fix)!,
            Fill(cause.Correction),
            cause.Caution
        );
    }

    private static void AddLineFacts(Candidate candidate, CaptureLook look)
    {
        var ratio = look.Reading.Line.RateRatio;
        candidate.Values.TryAdd("ratio", ratio >= 1 ? $"{ratio:0.##} times as fast as" : $"{1 / ratio:0.##} times slower than");
        if (look.Marks.LastOrDefault(m => m.Values.ContainsKey("cmdline")) is { } command)
            if (command.Values["cmdline"].Split(' ').LastOrDefault(a => a.StartsWith("root=", StringComparison.Ordinal)) is { } root)
                candidate.Values.TryAdd("root", root[5..]);
    }
}
