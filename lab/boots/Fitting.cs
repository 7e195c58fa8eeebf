using System.Globalization;
using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Lab;

/// <summary>Fits the weights of the rule book to logs with truth (regularised likelihood), and judges them by systems that were left out.</summary>
internal static class Fitting
{
    /// <summary>How hard a weight is held at what the book says: one log that speaks against it moves it by about this share.</summary>
    private const double Hold = 0.6;
    private const double Step = 0.06;
    private const int Rounds = 70;

    /// <summary>A log as the ranking sees it.</summary>
    internal sealed record Seen(LabLog Log, Diagnoser.Observed Observed);

    /// <summary>Reads the logs, each with what the good boots of the other systems print.</summary>
    public static List<Seen> See(IEnumerable<LabLog> logs, IReadOnlyList<LabLog> raw, RuleBookIndex index)
    {
        var shapes = Shapes(raw);
        var known = raw.Select(l => l.System).Distinct().ToDictionary(s => s, s => index.With(Known(shapes, s)));
        return
        [
            .. logs.AsParallel()
                .AsOrdered()
                .WithDegreeOfParallelism(2)
                .Select(l =>
                {
                    return new Seen(l, Diagnoser.Observe(LogDiagnosis.Read(l.Log, known[l.System]).Look()));
                }),
        ];
    }

    /// <summary>The shapes that the good boots of each system print.</summary>
    private static List<(string System, HashSet<long> Shapes)> Shapes(IReadOnlyList<LabLog> raw) =>
        [
            .. raw.Where(l => l.Cause == "none")
                .GroupBy(l => l.System)
                .Select(g =>
                    (
                        g.Key,
                        g.SelectMany(l =>
                            {
                                var log = new ConsoleLog();
                                log.Append(l.Log, -1);
                                return LogAlignment.Shapes(log);
                            })
                            .Where(s => s != 0)
                            .ToHashSet()
                    )
                ),
        ];

    private static KnownShapes Known(List<(string System, HashSet<long> Shapes)> shapes, string? without) =>
        new(shapes.Where(s => s.System != without).SelectMany(s => s.Shapes).CountBy(s => s).Select(s => (s.Key, s.Value)));

    /// <summary>What all good boots print, as the data file keeps it.</summary>
    public static KnownShapes Known(IReadOnlyList<LabLog> raw) => Known(Shapes(raw), null);

    /// <summary>The weights under which the truth of these logs is likeliest, held to those of the book.</summary>
    public static Weights Fit(IReadOnlyList<Seen> seen, RuleBookIndex index, Weights start)
    {
        var now = new Weights(start);
        var rules = index.Rules;
        var steps = new double[rules.Count + 4];
        // Systems that gave many logs do not outvote the others.
        var share = seen.GroupBy(s => s.Log.System).ToDictionary(g => g.Key, g => Math.Min(1, 14.0 / g.Count()));
        for (var round = 0; round < Rounds; round++)
        {
            Array.Clear(steps);
            foreach (var one in seen)
                Push(one, now, share[one.Log.System], steps);
            var step = Step * (1 - 0.8 * round / Rounds);
            foreach (var rule in rules)
            {
                var pull = steps[rule.Number] - Hold * (now[rule] - start[rule]);
                now[rule] = Math.Clamp(now[rule] + step * Math.Clamp(pull, -4, 4), 0, 8);
            }
            now.SomethingElse = Moved(now.SomethingElse, start.SomethingElse, steps[^4], step, 0.5, 5);
            // Beyond this, one plain line (a refused login) would no longer count against a clean boot.
            now.Clean = Moved(now.Clean, start.Clean, steps[^3], step, 1, 4.4);
            now.Explained = Moved(now.Explained, start.Explained, steps[^2], step, 1, 8);
            now.Login = Moved(now.Login, start.Login, steps[^1], step, 0, 6);
        }
        return now;
    }

    private static double Moved(double now, double start, double pull, double step, double least, double most) =>
        Math.Clamp(now + step * Math.Clamp(pull - Hold * (now - start), -4, 4), least, most);

    /// <summary>Adds the slope of one log's likelihood to each number.</summary>
    private static void Push(Seen one, Weights weights, double share, double[] steps)
    {
        var (scores, _, _) = Diagnoser.Score(one.Observed, weights);
        var most = scores.Max(s => s.Odds);
        var sum = scores.Sum(s => Math.Exp(s.Odds - most));
        var right = scores.Where(s => one.Log.Accept.Contains(s.Id)).ToList();
        // What nothing speaks for is something else, as far as this log goes.
        if (right.Count == 0)
            right = [.. scores.Where(s => s.Id == RuleBook.SomethingElse)];
        var rightSum = right.Sum(s => Math.Exp(s.Odds - most));
        var reached = one.Observed.Outcome is Outcome.ReachedLogin;
        foreach (var score in scores)
        {
            var p = Math.Exp(score.Odds - most);
            var slope = share * ((right.Contains(score) ? p / rightSum : 0) - p / sum);
            if (Math.Abs(slope) < 1e-4)
                continue;
            if (score.Of is not { } cause)
            {
                steps[^(score.Id == RuleBook.SomethingElse ? 4 : 3)] += slope;
                continue;
            }
            foreach (var (rule, part) in cause.Shares(weights))
                steps[rule.Number] += slope * part;
            if (cause.Contradicted(reached))
                steps[^1] -= slope;
            if (score.Odds < cause.Odds(weights, reached) - 1e-9)
                steps[^2] -= slope;
        }
    }

    /// <summary>How well logs are read: shares of 1, and how true the probabilities are.</summary>
    internal sealed class Table
    {
        public int Logs { get; private set; }
        public int First { get; private set; }
        public int InThree { get; private set; }
        public int Outcomes { get; private set; }
        public int Faults { get; private set; }
        public int Proven { get; private set; }
        public int Good { get; private set; }
        public int Accused { get; private set; }
        public double Brier { get; private set; }
        public (int Logs, double Said, int Right)[] Bins { get; } = new (int, double, int)[10];
        public List<string> Wrong { get; } = [];

        public void Take(Seen seen, Weights weights)
        {
            var (scores, outcome, _) = Diagnoser.Score(seen.Observed, weights);
            var most = scores.Max(s => s.Odds);
            var sum = scores.Sum(s => Math.Exp(s.Odds - most));
            var ranked = scores.OrderByDescending(s => s.Odds).Select(s => (s.Id, P: Math.Exp(s.Odds - most) / sum, s.Of)).ToList();
            var top = ranked[0];
            var right = seen.Log.Accept.Contains(top.Id);
            Logs++;
            First += right ? 1 : 0;
            InThree += ranked.Take(3).Any(r => seen.Log.Accept.Contains(r.Id)) ? 1 : 0;
            var kebab = System.Text.Json.JsonSerializer.Serialize(outcome, Core.DataFile.Json).Trim('"');
            var ends = seen.Log.Outcomes.Contains(kebab);
            Outcomes += ends ? 1 : 0;
            if (seen.Log.KeyLines.Count > 0 && seen.Log.Cause != "none")
            {
                Faults++;
                if (right && top.Of is { } cause && cause.For.Exists(e => seen.Log.KeyLines.Contains(e.Line)))
                    Proven++;
            }
            if (seen.Log.Cause is "none" or "something-else")
            {
                Good++;
                Accused += top.Id is not (RuleBook.None or RuleBook.SomethingElse) ? 1 : 0;
            }
            var p = Math.Min(top.P, 0.99);
            Brier += Math.Pow(p - (right ? 1 : 0), 2);
            var bin = Math.Min(9, (int)(p * 10));
            Bins[bin] = (Bins[bin].Logs + 1, Bins[bin].Said + p, Bins[bin].Right + (right ? 1 : 0));
            if (!right || !ends)
                Wrong.Add(
                    $"{(right ? "     " : "WRONG")} {(ends ? "       " : "OUTCOME")} {seen.Log.Name, -58} {seen.Log.Cause, -24} {string.Join(", ", ranked.Take(3).Select(r => $"{r.Id} {r.P.ToString("0.00", CultureInfo.InvariantCulture)}"))} | {kebab} for {string.Join('/', seen.Log.Outcomes)}"
                );
        }

        public string Row(string name)
        {
            string Share(int part, int of) => of == 0 ? "-" : $"{(100.0 * part / of).ToString("0.0", CultureInfo.InvariantCulture)} %";
            return $"| {name} | {Logs} | {Share(First, Logs)} | {Share(InThree, Logs)} | {Share(Proven, Faults)} | {Share(Outcomes, Logs)} | {Accused} of {Good} | {(Brier / Math.Max(1, Logs)).ToString("0.000", CultureInfo.InvariantCulture)} |";
        }

        public static string Head =>
            "| weights | logs | right first | in three | proving line | outcome | good or cut boots accused | Brier |\n|---|---|---|---|---|---|---|---|";

        public string Calibration()
        {
            var text = new StringBuilder("| said | logs | mean of what was said | right |\n|---|---|---|---|\n");
            for (var i = 0; i < 10; i++)
                if (Bins[i].Logs > 0)
                    text.AppendLine(
                        CultureInfo.InvariantCulture,
                        $"| {i * 10} to {i * 10 + 10} % | {Bins[i].Logs} | {100 * Bins[i].Said / Bins[i].Logs:0} % | {100.0 * Bins[i].Right / Bins[i].Logs:0} % |"
                    );
            return text.ToString();
        }
    }

    /// <summary>The book's own weights, and the fitted ones judged only by systems that were left out of the fit.</summary>
    public static (Table Book, Table Fitted) LeaveOneOut(
        IReadOnlyList<Seen> seen,
        IReadOnlyList<Seen> all,
        RuleBookIndex index,
        Weights start
    )
    {
        var book = new Table();
        foreach (var one in seen)
            book.Take(one, start);
        var systems = seen.Select(s => s.Log.System).Distinct().ToList();
        var fits = systems
            .AsParallel()
            .AsOrdered()
            .WithDegreeOfParallelism(2)
            .Select(system => (System: system, Weights: Fit([.. all.Where(s => s.Log.System != system)], index, start)))
            .ToList();
        var fitted = new Table();
        foreach (var (system, weights) in fits)
        foreach (var one in seen.Where(s => s.Log.System == system))
            fitted.Take(one, weights);
        return (book, fitted);
    }

    /// <summary>What the data file keeps: each weight that moved, with how often its observation was met with and without its cause.</summary>
    public static List<FittedWeight> Kept(IReadOnlyList<Seen> seen, RuleBookIndex index, Weights start, Weights fitted)
    {
        var kept = new List<FittedWeight>
        {
            new(Weights.General[0], "", false, Math.Round(fitted.SomethingElse, 2), 0, 0),
            new(Weights.General[1], "", false, Math.Round(fitted.Clean, 2), 0, 0),
            new(Weights.General[2], "", false, Math.Round(fitted.Explained, 2), 0, 0),
            new(Weights.General[3], "", false, Math.Round(fitted.Login, 2), 0, 0),
        };
        foreach (var rule in index.Rules)
        {
            var met = seen.Where(s => s.Observed.Candidates.Any(c => c.Rules.Exists(r => r.Rule == rule))).ToList();
            var with = met.Count(s => s.Log.Accept.Contains(rule.Cause.Id));
            if (met.Count > 0)
                kept.Add(new(rule.Cause.Id, rule.Evidence.Key, !rule.For, Math.Round(fitted[rule], 2), with, met.Count - with));
        }
        return kept;
    }
}
