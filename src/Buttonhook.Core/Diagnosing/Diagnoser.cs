using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>
/// Ranks causes by adding up log odds of what was observed (naive Bayes with fitted weights), with corrections for what depends on each
/// other: what one line says is said once, further observations of a cause count half of the one before, and what an earlier cause
/// explains, or what a reached login contradicts, loses.
/// </summary>
internal static partial class Diagnoser
{
    private const double SmallestShown = 0.01;

    /// <summary>From this share on nobody is told that the log is new: what was found does not hang on it.</summary>
    public const double Solved = 0.9;

    /// <summary>Log odds from which a cause is taken to explain what comes later, or to degrade a boot.</summary>
    private const double SolidOdds = 3;

    /// <summary>Log odds from which lines alone are taken for proof.</summary>
    private const double ProvenOdds = 4;

    /// <summary>What comes of a cause may be said a few lines before the cause itself is.</summary>
    private const int LinesOfOneMoment = 5;

    /// <summary>Log odds from which one line shows a fault by itself.</summary>
    private const double LineOdds = 3;

    /// <summary>No log proves a cause beyond this (1 %): so much at least stays with something else.</summary>
    public const double Doubt = 0.01;

    /// <summary>What the ranking is computed from: the causes that something speaks for, and how the boot ended.</summary>
    internal sealed record Observed(IReadOnlyList<Candidate> Candidates, Outcome Outcome, bool MerelyEnds, bool IsNew);

    /// <summary>What a log of a kind that was never met leaves to something else, in log odds: half of the causes there were not met either.</summary>
    private const double NewOdds = 1.2;

    /// <summary>What speaks for and against each cause in a capture, whatever it weighs.</summary>
    public static Observed Observe(CaptureLook look) =>
        new(
            Found(look),
            look.Reading.Outcome,
            look.Reading is { Outcome: Outcome.Stopped, Waiting: false } && !look.Ending.Measured,
            look.Shapes.Novelty.IsNew
        );

    /// <summary>The log odds of each cause, of none and of something else, and the outcome that follows.</summary>
    public static (List<(string Id, double Odds, Candidate? Of)> Scores, Outcome Outcome, HashSet<Candidate> Explained) Score(
        Observed observed,
        Weights weights
    )
    {
        var reached = observed.Outcome is Outcome.ReachedLogin;
        var found = observed.Candidates.ToList();
        var odds = found.ToDictionary(f => f, f => f.Odds(weights, reached));
        var explained = new HashSet<Candidate>();
        foreach (var cause in found.Where(f => odds[f] >= SolidOdds))
        foreach (var later in found)
            if (
                cause != later
                && cause.FirstLine <= later.FirstLine + LinesOfOneMoment
                && (cause.Cause.Explains ?? []).Contains(later.Cause.Id)
            )
                explained.Add(later);
        var degraded = reached && found.Exists(f => f.Cause.Degrades && odds[f] >= SolidOdds);
        // A capture that ended on the way accuses nobody, unless lines of it prove what stopped the board before. A file that merely ends,
        // with nothing that stands for an end and nothing that explains one, ended on the way too.
        var cut =
            (observed.Outcome is Outcome.Cut || observed.MerelyEnds && found.Count == 0)
            && !found.Exists(f => !f.Cause.Degrades && !explained.Contains(f) && odds[f] >= ProvenOdds);
        if (cut)
            found.RemoveAll(f => odds[f] < ProvenOdds);
        var outcome =
            degraded ? Outcome.Degraded
            : cut ? Outcome.Cut
            : observed.Outcome is Outcome.Cut ? Outcome.Stopped
            : observed.Outcome;
        var scores = found.Select(f => (f.Cause.Id, odds[f] - (explained.Contains(f) ? weights.Explained : 0), (Candidate?)f)).ToList();
        if (reached)
            scores.Add((RuleBook.None, degraded ? weights.Clean - 6 : weights.Clean, null));
        scores.Add((RuleBook.SomethingElse, reached && !degraded ? -1 : weights.SomethingElse + (observed.IsNew ? NewOdds : 0), null));
        return (scores, outcome, explained);
    }

    public static Diagnosis Diagnose(RuleBook book, CaptureLook look)
    {
        var reading = look.Reading;
        var observed = Observe(look);
        var (scores, outcome, explained) = Score(observed, look.Index.Weights);
        var found = scores.Where(s => s.Of is not null).Select(s => s.Of!).ToList();
        var faults = outcome is Outcome.Cut or Outcome.Garbled ? [] : Faults(scores, explained, look.Index.Weights);
        var cut = outcome == Outcome.Cut;
        var sum = scores.Sum(s => Math.Exp(s.Odds));
        var ranked = scores
            .Select(s => (s.Id, Probability: Math.Exp(s.Odds) / sum))
            .Where(s => s.Probability >= SmallestShown || s.Id == RuleBook.SomethingElse || faults.Exists(f => f.Cause.Id == s.Id))
            .ToList();
        ranked = [.. ranked.Select(s => (s.Id, s.Id == RuleBook.SomethingElse ? Math.Max(s.Probability, Doubt) : s.Probability))];
        var shown = ranked.Sum(s => s.Probability);
        var causes = ranked
            .Select(s => Describe(s.Id, s.Probability / shown, found, look, cut) with { LedTo = LedTo(s.Id, found, explained, look) })
            .OrderByDescending(c => c.Probability)
            .ToList();
        Harmless RuleOf(Hit hit) => book.Harmless[hit.Pattern - look.Index.HarmlessOffset];
        var remarks = look
            .HarmlessHits.Where(h => RuleOf(h).ToDo is not null)
            .GroupBy(h => RuleOf(h).ToDo!)
            .Select(g => new Remark(g.First().Line, g.First().Text, RuleOf(g.First()).Why, g.Key, g.DistinctBy(h => h.Line).Count()))
            .OrderBy(r => r.Line)
            .ToList();
        var harmless = look
            .HarmlessHits.Where(h => RuleOf(h).ToDo is null)
            .Select(h => new HarmlessLine(h.Line, h.Text, RuleOf(h).Why))
            .Concat(look.Shapes.Harmless)
            .DistinctBy(h => h.Line)
            .OrderBy(h => h.Line)
            .ToList();
        return new(
            outcome,
            reading.LastStage,
            reading.Attempts,
            causes,
            harmless,
            Checks.Next(causes, cut, reading.Line.Fault == LineFault.NoText, book),
            reading.Facts,
            // A proof is one wherever it stands.
            reading.Line.Fault == LineFault.None
            && look.Shapes.Novelty.IsNew
            && (causes[0].Id == RuleBook.SomethingElse || causes[0].Probability < Solved)
                ? look.Shapes.Novelty
                : null,
            [.. faults.Select(f => f.Cause.Id)],
            Remarks: remarks
        );
    }

    /// <summary>
    /// Faults that each stand by themselves: proven by a line that no other of them needs, and not explained by one before. In the order in
    /// which they strike, which is that in which they must be mended; empty for less than two.
    /// </summary>
    private static List<Candidate> Faults(
        IReadOnlyList<(string Id, double Odds, Candidate? Of)> scores,
        HashSet<Candidate> explained,
        Weights weights
    )
    {
        var faults = new List<Candidate>();
        var taken = new HashSet<int>();
        foreach (var (_, odds, of) in scores.Where(s => s.Of is not null).OrderByDescending(s => s.Odds))
        {
            if (odds < SolidOdds || of!.Cause.Symptom || explained.Contains(of))
                continue;
            var proof = of!.Rules.Where(r => r.Rule.For && r.Line > 0 && weights[r.Rule] >= LineOdds).Select(r => r.Line).ToList();
            if (proof.Count == 0 || proof.Exists(taken.Contains))
                continue;
            taken.UnionWith(of.For.Select(e => e.Line));
            faults.Add(of);
        }
        return faults.Count < 2 ? [] : [.. faults.OrderBy(f => f.Cause.Stage).ThenBy(f => f.FirstLine)];
    }

    /// <summary>What came of a cause: the causes that it explains and the line at which the boot ended.</summary>
    private static List<Consequence> LedTo(string id, List<Candidate> found, HashSet<Candidate> explained, CaptureLook look)
    {
        if (found.Find(f => f.Cause.Id == id) is not { } root)
            return [];
        var own = root.For.Select(e => e.Line).ToHashSet();
        var later = explained
            .Where(f => (root.Cause.Explains ?? []).Contains(f.Cause.Id))
            .SelectMany(
                f => f.For.Where(e => e.Line > root.FirstLine && !own.Contains(e.Line)).OrderBy(e => e.Line).Take(1),
                (f, e) => new Consequence(e.Line, e.Text, f.Cause.Name)
            )
            .ToList();
        if (
            look.Marks.LastOrDefault(m => m.Mark is { Ends: true, Stage: not Stage.Login }) is { } end
            && end.Line > root.FirstLine
            && !own.Contains(end.Line)
        )
            later.Add(new(end.Line, end.Text, null));
        return [.. later.DistinctBy(c => c.Line).OrderBy(c => c.Line)];
    }

    /// <summary>A cause that something speaks for.</summary>
    internal sealed class Candidate(Cause cause)
    {
        public Cause Cause { get; } = cause;

        /// <summary>What was observed, with the line that shows it first (0 for none).</summary>
        public List<(EvidenceRule Rule, int Line)> Rules { get; } = [];

        /// <summary>What the weightiest observation that says something of it says; null when none does.</summary>
        public string? Said(Func<Evidence, string?> of) =>
            Rules
                .Where(r => r.Rule.For)
                .OrderByDescending(r => r.Rule.Evidence.Weight)
                .Select(r => of(r.Rule.Evidence))
                .FirstOrDefault(said => said is not null);

        public int FirstLine { get; set; } = int.MaxValue;
        public List<EvidenceLine> For { get; } = [];
        public List<EvidenceLine> Against { get; } = [];
        public Dictionary<string, string> Values { get; } = [];

        /// <summary>What a line says is said once: of several rules that one line fulfils, the heaviest. Each further observation counts half of the one before.</summary>
        public IEnumerable<(EvidenceRule Rule, double Share)> Shares(Weights weights) =>
            Rules
                .Where(r => r.Rule.For)
                .GroupBy(r => r.Line > 0 ? r.Line : -1 - r.Rule.Number)
                .Select(g => g.MaxBy(r => weights[r.Rule]).Rule)
                .OrderByDescending(r => weights[r])
                .Select((r, i) => (r, Math.Pow(0.5, i)))
                .Concat(Rules.Where(r => !r.Rule.For).Select(r => (r.Rule, -1.0)));

        /// <summary>Whether a login that was reached speaks against it: it strikes earlier, and a boot does not go on with it.</summary>
        public bool Contradicted(bool reached) => reached && !Cause.Degrades && Cause.Stage < Stage.Login;

        public double Odds(Weights weights, bool reached) =>
            Cause.Prior + Shares(weights).Sum(s => weights[s.Rule] * s.Share) - (Contradicted(reached) ? weights.Login : 0);
    }

    private static List<Candidate> Found(CaptureLook look)
    {
        var index = look.Index;
        var candidates = new Dictionary<string, Candidate>();
        Candidate Of(Cause cause) => candidates.TryGetValue(cause.Id, out var c) ? c : candidates[cause.Id] = new(cause);
        // The line from which a stage is reached; a later stage that is reached means that it was.
        int Reached(Stage stage) =>
            look
                .Reading.StageLines.Where(s => s.Stage >= stage && s.Stage != Stage.Network)
                .Select(s => s.Line)
                .DefaultIfEmpty(int.MaxValue)
                .Min();
        foreach (var all in look.EvidenceHits.GroupBy(h => h.Pattern).OrderBy(g => g.Key))
        {
            var rule = index.Evidence[all.Key - index.EvidenceOffset];
            if (rule.Evidence.When is { } when && !look.Signals.Contains(when))
                continue;
            var until = rule.Evidence.Until is { } end ? Reached(end) : int.MaxValue;
            var from = rule.Evidence.From is { } begin ? Reached(begin) : 0;
            // What good boots print is no evidence, however it sounds; under a condition it may be.
            var group = all.Where(h =>
                    h.Line < until && h.Line >= from && (rule.Evidence.When is not null || !rule.For || !look.Shapes.IsUsual(h.Line))
                )
                .ToList();
            if (group.Count == 0)
                continue;
            var candidate = Of(rule.Cause);
            candidate.Rules.Add((rule, group[0].Line));
            var times = group.CountBy(h => Plain(h.Text)).ToDictionary();
            foreach (var hit in group.Take(6))
            {
                (rule.For ? candidate.For : candidate.Against).Add(new(hit.Line, hit.Text, rule.Evidence.Says, times[Plain(hit.Text)]));
                foreach (var (name, value) in hit.Values)
                    candidate.Values.TryAdd(name, value);
            }
            if (rule.For)
                candidate.FirstLine = Math.Min(candidate.FirstLine, group[0].Line);
        }
        foreach (var rule in index.Signalled)
        {
            if (!look.Signals.Contains(rule.Evidence.Signal!) || (rule.Evidence.When is { } when && !look.Signals.Contains(when)))
                continue;
            var candidate = Of(rule.Cause);
            var (line, text) = SignalLine(rule.Evidence.Signal!, look);
            candidate.Rules.Add((rule, line));
            (rule.For ? candidate.For : candidate.Against).Add(new(line, text, rule.Evidence.Says ?? Signals.All[rule.Evidence.Signal!]));
            if (rule.For)
                candidate.FirstLine = Math.Min(candidate.FirstLine, Math.Max(line, 1));
        }
        return [.. candidates.Values.Where(c => c.For.Count > 0)];
    }

    /// <summary>A line without the time that the kernel puts before it.</summary>
    internal static string Plain(string text) => KernelTime().Replace(text, "").Trim();

    [GeneratedRegex(@"^\s*\[\s*\d+\.\d+\]\s?")]
    private static partial Regex KernelTime();

    /// <summary>The line that shows a signal best; 0 and nothing when none does.</summary>
    private static (int Line, string Text) SignalLine(string signal, CaptureLook look) =>
        signal is "kernel-stalled" or "services-stalled" ? (look.LastTextLine, look.LastText)
        : signal == Signals.Rebooting
            ? look.Marks.LastOrDefault(m => m.Mark.Name == "restarts") is { } restart ? (restart.Line, restart.Text)
                : (0, "")
        : look.Signals.Shown(signal);

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
                "No action needed.",
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
                "No action needed: up to here nothing is wrong.",
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
                "Check whether this is the right file, or whether the adapter's receive wire sits on the board's transmit pin.",
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
        if (look.Reading.Line.Says is { } likely && cause.Id is CauseIds.ConsoleSpeedMismatch or CauseIds.ConsoleInvertedLevel)
            candidate.For.Add(new(0, "", likely));
        var asked = candidate.Said(e => e.Question) is { } fitting ? look.Index.Book.Question(fitting) : null;
        string? Fill(string? text) => text is null ? null : Template.Fill(text, candidate.Values);
        return new(
            id,
            cause.Name,
            probability,
            [.. candidate.For.DistinctBy(e => (e.Line, e.Line == 0 ? e.Says : null)).OrderBy(e => e.Line)],
            [.. candidate.Against.DistinctBy(e => (e.Line, e.Line == 0 ? e.Says : null)).OrderBy(e => e.Line)],
            Fill(asked?.Asks ?? cause.Check!.What)!,
            asked?.Minutes ?? cause.Check!.Minutes,
            Fill(candidate.Said(e => e.Fix) ?? cause.Fix)!,
            Fill(candidate.Said(e => e.Correction) ?? cause.Correction),
            cause.Caution,
            ConsoleAtFault: cause.ConsoleAtFault,
            Question: asked?.Id ?? cause.Check!.QuestionId
        )
        {
            Values = candidate.Values,
        };
    }

    private static void AddLineFacts(Candidate candidate, CaptureLook look)
    {
        var ratio = look.Reading.Line.RateRatio;
        candidate.Values.TryAdd("ratio", ratio >= 1 ? $"{ratio:0.##} times as fast as" : $"{1 / ratio:0.##} times slower than");
        if (Attempts.RootOf(look.Marks) is { } root)
            candidate.Values.TryAdd("root", root);
    }
}
