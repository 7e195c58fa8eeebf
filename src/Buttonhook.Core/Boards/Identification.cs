using System.Globalization;
using System.Text;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Boards;

/// <summary>What is known of an unknown board; null where nothing is.</summary>
/// <param name="Mark">What is printed on it.</param>
/// <param name="Text">A console log, or text pasted from a running system (dmesg, /proc/device-tree/model, compatible names, /proc/meminfo).</param>
/// <param name="Tree">A device tree blob.</param>
public sealed record BoardClues(string? Mark, string? Text, byte[]? Tree);

/// <summary>One thing that a source says about a candidate.</summary>
/// <param name="Source">mark, log or device tree.</param>
/// <param name="For">Whether it speaks for the candidate.</param>
public sealed record BoardReason(string Source, string Text, bool For);

/// <summary>A board that it could be, with its probability (all of them and the unknown one add up to 1).</summary>
public sealed record BoardCandidate(
    string ModelId,
    string Name,
    string RevisionId,
    int? MemoryMiB,
    double Probability,
    IReadOnlyList<BoardReason> Reasons
);

/// <summary>The look that tells most: where to look, what the answers would mean, and how much is expected to be learnt, in bits.</summary>
public sealed record NextLook(string Where, IReadOnlyList<string> Answers, double Bits);

/// <summary>The candidates, most probable first; the chance that it is a board without a card; sources that contradict each other; the next look, or null when nothing would tell more.</summary>
public sealed record Identified(
    IReadOnlyList<BoardCandidate> Candidates,
    double Unknown,
    IReadOnlyList<string> Contradictions,
    NextLook? Next
);

/// <summary>Tells which board it is: log odds of what each source says, for every revision of every model (naive Bayes with an equal prior).</summary>
public static class Identification
{
    private const double UnknownOdds = 1;
    private const double Clear = 3;
    private const double SmallestShown = 0.02;

    private sealed record Hypothesis(BoardModel Model, Revision Revision)
    {
        public Dictionary<string, double> Odds { get; } = [];
        public List<BoardReason> Reasons { get; } = [];
        public double Sum => Odds.Values.Sum();

        public void Say(string source, double odds, string text)
        {
            Odds[source] = Odds.GetValueOrDefault(source) + odds;
            Reasons.Add(new(source, text, odds > 0));
        }
    }

    /// <summary>Identifies a board; a device tree that cannot be read, or no clue at all, is a problem.</summary>
    public static Answer<Identified> Tell(BoardClues clues, Catalogue catalogue, RuleBookIndex rules)
    {
        if (string.IsNullOrWhiteSpace(clues.Mark) && string.IsNullOrWhiteSpace(clues.Text) && clues.Tree is null)
            return new Problem(
                "There should be a mark, a text or a device tree.",
                "There is none.",
                "Look at the board, or paste its boot log."
            );
        DeviceTree? tree = null;
        if (clues.Tree is { } blob)
            try
            {
                tree = DeviceTree.Read(blob);
            }
            catch (UnreadableException e)
            {
                return new Problem(
                    "The device tree should be readable.",
                    $"It is not: {e.Message}.",
                    "Copy it again, for instance from /sys/firmware/fdt."
                );
            }
        var all = catalogue.Models.SelectMany(m => m.Revisions.Select(r => new Hypothesis(m, r))).ToList();
        long? memory = null;
        if (clues.Mark is { Length: > 0 } mark)
            foreach (var h in all)
                ByMark(h, mark);
        if (clues.Text is { Length: > 0 } text)
        {
            var facts = LogDiagnosis.Of(Encoding.UTF8.GetBytes(text), rules).Reading.Facts;
            memory = facts.MemoryBytes ?? MemoryOf(text);
            foreach (var h in all)
                ByText(h, text, facts);
        }
        if (tree is not null)
            foreach (var h in all)
                ByTree(h, tree);
        var total = all.Sum(h => Math.Exp(h.Sum)) + Math.Exp(UnknownOdds);
        var ranked = all.Select(h => (Hypothesis: h, Probability: Math.Exp(h.Sum) / total)).OrderByDescending(h => h.Probability).ToList();
        var candidates = ranked
            .Where(h => h.Probability >= SmallestShown)
            .Select(h => new BoardCandidate(
                h.Hypothesis.Model.Id,
                $"{h.Hypothesis.Model.Maker} {h.Hypothesis.Model.Name}{(h.Hypothesis.Model.Carrier is { } carrier ? $" on {carrier}" : "")}, revision {h.Hypothesis.Revision.Id}",
                h.Hypothesis.Revision.Id,
                Memory(h.Hypothesis.Model, memory),
                h.Probability,
                h.Hypothesis.Reasons
            ))
            .ToList();
        return new Identified(candidates, Math.Exp(UnknownOdds) / total, Contradictions(all), Look(ranked));
    }

    private static string Plain(string text) => new([.. text.ToUpperInvariant().Where(char.IsAsciiLetterOrDigit)]);

    private static void ByMark(Hypothesis h, string mark)
    {
        var (seen, printed) = (Plain(mark), Plain(h.Revision.Mark));
        if (seen == printed)
            h.Say("mark", 6, $"“{h.Revision.Mark}” is printed on this revision.");
        else if (h.Model.Revisions.Any(r => Plain(r.Mark) == seen))
            h.Say("mark", -2, $"Revision {h.Revision.Id} carries “{h.Revision.Mark}”.");
        else if (
            seen.Length >= 3
            && (printed.StartsWith(seen, StringComparison.Ordinal) || seen.StartsWith(printed, StringComparison.Ordinal))
        )
            h.Say("mark", 3, $"“{h.Revision.Mark}” begins like it.");
        else if (seen.Contains(Plain(h.Model.Name), StringComparison.Ordinal))
            h.Say("mark", 2, $"It names {h.Model.Name}.");
        else
            h.Say("mark", -3, $"“{h.Revision.Mark}” should be printed.");
    }

    private static void ByText(Hypothesis h, string text, Facts facts)
    {
        var names = text.Contains(h.Model.Banner, StringComparison.OrdinalIgnoreCase);
        if (names)
            h.Say("log", 4, $"It names {h.Model.Banner}.");
        else if (facts.Board is { } other)
            h.Say("log", -3, $"It names {other}.");
        if (names && RevisionIn(text, h.Model) is { } revision)
            h.Say("log", revision == h.Revision.Id ? 3 : -3, $"It says revision {revision}.");
        var compatible = h
            .Model.Revisions.Where(r => text.Contains(r.Compatible, StringComparison.Ordinal))
            .OrderByDescending(r => r.Compatible.Length)
            .FirstOrDefault();
        if (compatible is not null)
            h.Say(
                "log",
                compatible.Compatible == h.Revision.Compatible ? 4 : -1,
                $"It carries the device-tree name {compatible.Compatible}."
            );
        var set = facts.Architecture;
        if (set is not null && Enum.TryParse<InstructionSet>(set, true, out var architecture))
            h.Say("log", architecture == h.Model.InstructionSet ? 1 : -6, $"The kernel runs on {architecture.Words()}.");
        if ((facts.MemoryBytes ?? MemoryOf(text)) is { } bytes)
            h.Say("log", Memory(h.Model, bytes) is not null ? 0.5 : -2, $"It has {Sizes.Binary(bytes)} of memory.");
    }

    private static void ByTree(Hypothesis h, DeviceTree tree)
    {
        if (tree.Compatible.Contains(h.Revision.Compatible))
            h.Say("device tree", tree.Compatible[0] == h.Revision.Compatible ? 6 : 3, $"It is for {h.Revision.Compatible}.");
        else if (h.Model.Revisions.Any(r => tree.Compatible.Contains(r.Compatible)))
            h.Say("device tree", 1, $"It is for another revision of {h.Model.Name}.");
        else if (tree.Model is { } model && model.Contains(h.Model.Banner, StringComparison.OrdinalIgnoreCase))
            h.Say("device tree", 3, $"Its model is {model}.");
        else
            h.Say("device tree", -3, $"It is for {tree.Model ?? string.Join(", ", tree.Compatible)}.");
    }

    /// <summary>"… rev 1.3" behind the name of a model.</summary>
    private static string? RevisionIn(string text, BoardModel model)
    {
        var at = text.IndexOf(model.Banner + " rev ", StringComparison.OrdinalIgnoreCase);
        if (at < 0)
            return null;
        var rest = text.AsSpan(at + model.Banner.Length + 5);
        var end = rest.IndexOfAny(" \t\r\n,)");
        return (end < 0 ? rest : rest[..end]).ToString();
    }

    /// <summary>"MemTotal: 3884 kB" as a running system prints it.</summary>
    private static long? MemoryOf(string text)
    {
        var at = text.IndexOf("MemTotal:", StringComparison.Ordinal);
        if (at < 0)
            return null;
        var digits = new string([.. text.Skip(at + 9).SkipWhile(c => c == ' ').TakeWhile(char.IsAsciiDigit)]);
        return long.TryParse(digits, NumberStyles.None, CultureInfo.InvariantCulture, out var kib) ? kib * 1024 : null;
    }

    /// <summary>The size sold that fits what a system sees: it keeps up to an eighth back.</summary>
    private static int? Memory(BoardModel model, long? bytes) =>
        bytes is null
            ? (model.MemoryMiB.Count == 1 ? model.MemoryMiB[0] : null)
            : model.MemoryMiB.Where(m => bytes <= m * Sizes.MiB && bytes > m * Sizes.MiB * 7 / 8).Select(m => (int?)m).FirstOrDefault();

    /// <summary>Sources that each point clearly to a board, and not to the same one.</summary>
    private static List<string> Contradictions(List<Hypothesis> all)
    {
        var sources = all.SelectMany(h => h.Odds.Keys).Distinct().ToList();
        var says = sources
            .Select(s => (Source: s, Best: all.MaxBy(h => h.Odds.GetValueOrDefault(s))!))
            .Where(s => s.Best.Odds.GetValueOrDefault(s.Source) >= Clear)
            .ToList();
        return
        [
            .. says.SelectMany((a, i) => says.Skip(i + 1).Select(b => (a, b)))
                .Where(p => p.b.Best.Odds.GetValueOrDefault(p.a.Source) < p.a.Best.Odds[p.a.Source] - Clear)
                .Select(p => $"The {p.a.Source} says {Title(p.a.Best)}, the {p.b.Source} says {Title(p.b.Best)}."),
        ];
    }

    private static string Title(Hypothesis h) => $"{h.Model.Name}, revision {h.Revision.Id}";

    /// <summary>The look whose answer is expected to take away most doubt (expected information, Shannon 1948).</summary>
    private static NextLook? Look(List<(Hypothesis Hypothesis, double Probability)> ranked)
    {
        var left = ranked.Where(h => h.Probability >= SmallestShown).ToList();
        (string Where, Func<Hypothesis, string> Answer)[] looks =
        [
            .. left.Select(l => l.Hypothesis.Revision.Where)
                .Distinct()
                .Select(w => (w, (Func<Hypothesis, string>)(h => h.Revision.Where == w ? h.Revision.Mark : "nothing"))),
            ("The power socket", h => $"{h.Model.Power.Connector}, {h.Model.Power.Volts} V"),
            ("The video sockets", h => h.Model.VideoOutputs.Count == 0 ? "none" : string.Join(" and ", h.Model.VideoOutputs)),
            ("The console pins", h => h.Model.Console.Pins),
        ];
        var total = left.Sum(l => l.Probability);
        static double Entropy(IEnumerable<double> parts)
        {
            var list = parts.ToList();
            var sum = list.Sum();
            return list.Where(p => p > 0).Sum(p => -p / sum * Math.Log2(p / sum));
        }
        if (left.Count < 2)
            return null;
        var best = looks
            .Select(look =>
            {
                var groups = left.GroupBy(l => look.Answer(l.Hypothesis)).ToList();
                var after = groups.Sum(g => g.Sum(x => x.Probability) / total * Entropy(g.Select(x => x.Probability)));
                return new NextLook(
                    look.Where,
                    [.. groups.Select(g => $"{g.Key}: {string.Join(" or ", g.Select(x => Title(x.Hypothesis)))}")],
                    Math.Round(Entropy(left.Select(l => l.Probability)) - after, 2)
                );
            })
            .MaxBy(l => l.Bits)!;
        return best.Bits < 0.05 ? null : best;
    }
}
