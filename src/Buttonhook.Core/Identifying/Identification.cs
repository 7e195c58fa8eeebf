using System.Globalization;
using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Identifying;

/// <summary>Tells which board it is: log odds of what each source says, for every revision of every model (naive Bayes with an equal prior).</summary>
public static partial class Identification
{
    private const double UnknownOdds = 1;
    private const double Clear = 3;
    private const double SmallestShown = 0.02;

    private sealed record Hypothesis(BoardProfile Model, Revision Revision)
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

    /// <summary>Identifies a board; a device tree or a code that cannot be read, or no clue at all, is a problem.</summary>
    public static Answer<Identified> Tell(BoardClues clues, Catalogue catalogue, RuleBookIndex rules)
    {
        if (clues.IsEmpty)
            return new Problem(
                "There should be a mark, a code, a text, a device tree or something seen.",
                "There is none.",
                "Look at the board, or paste its boot log."
            );
        if (clues.ReadTree(out var tree) is { } unreadable)
            return unreadable;
        if (!string.IsNullOrWhiteSpace(clues.Code) && RevisionCodes.Number(clues.Code) is null)
            return new Problem(
                "A revision code is a hexadecimal number, such as c4013.",
                $"“{clues.Code}” is none.",
                "Copy it from the running system, or leave it out."
            );
        var all = catalogue.Models.SelectMany(m => m.Revisions.Select(r => new Hypothesis(m, r))).ToList();
        long? memory = null;
        if (clues.Mark is { Length: > 0 } mark)
        {
            var print = BoardPrint.Read(mark);
            memory = (long?)print.MemoryMiB * Sizes.MiB;
            foreach (var h in all)
                ByMark(h, mark, print);
        }
        if (clues.Text is { Length: > 0 } text)
        {
            var facts = LogDiagnosis.Of(Encoding.UTF8.GetBytes(text), rules).Reading.Facts;
            memory = facts.MemoryBytes ?? MemoryOf(text) ?? memory;
            var words = WordsOf(text);
            foreach (var h in all)
                ByText(h, text, words, facts);
        }
        var code = clues.Code is { Length: > 0 } typed ? typed : RevisionCodes.In(clues.Text ?? "", catalogue.Codes);
        CodeReading? reading = null;
        if (code is not null)
        {
            reading = RevisionCodes.Read(code, catalogue.Codes);
            foreach (var h in all)
                ByCode(h, code, reading);
        }
        if (tree is not null)
            foreach (var h in all)
                ByTree(h, tree);
        foreach (var seen in clues.Seen)
        foreach (var h in all)
            BySeen(h, seen);
        var total = all.Sum(h => Math.Exp(h.Sum)) + Math.Exp(UnknownOdds);
        var ranked = all.Select(h => (Hypothesis: h, Probability: Math.Exp(h.Sum) / total)).OrderByDescending(h => h.Probability).ToList();
        var candidates = ranked
            // What nothing speaks for is a stranger, however few others there are.
            .Where(h => h.Probability >= SmallestShown && h.Hypothesis.Reasons.Exists(r => r.For))
            .Select(h => new BoardCandidate(
                h.Hypothesis.Model.Id,
                $"{h.Hypothesis.Model.FullName}{(h.Hypothesis.Model.Carrier is { } carrier ? $" on {carrier}" : "")}, revision {h.Hypothesis.Revision.Id}",
                h.Hypothesis.Revision.Id,
                Memory(h.Hypothesis.Model, memory)
                    ?? (reading?.MemoryMiB is { } told && h.Hypothesis.Model.MemoryMiB.Contains(told) ? told : null),
                h.Probability,
                h.Hypothesis.Reasons
            ))
            .ToList();
        return new Identified(
            candidates,
            1 - candidates.Sum(c => c.Probability),
            Contradictions(all),
            reading,
            Look(ranked, [.. clues.Seen.Select(s => s.Look)])
        );
    }

    /// <summary>The words of a text, so that thousands of boards are looked up without reading it again for each.</summary>
    private static HashSet<string> WordsOf(string text)
    {
        var words = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        var start = -1;
        for (var i = 0; i <= text.Length; i++)
        {
            var inside = i < text.Length && (char.IsAsciiLetterOrDigit(text[i]) || text[i] is ',' or '-' or '_' or '.' or '+');
            if (inside && start < 0)
                start = i;
            else if (!inside && start >= 0)
            {
                // A name may end a sentence, or stand in a list.
                words.Add(text[start..i]);
                words.Add(text[start..i].TrimEnd('.', ','));
                start = -1;
            }
        }
        return words;
    }

    private static bool Names(string text, HashSet<string> words, string name) =>
        name.Split(' ').All(words.Contains) && text.Contains(name, StringComparison.OrdinalIgnoreCase);

    private static void ByCode(Hypothesis h, string code, CodeReading? reading)
    {
        var number = RevisionCodes.Number(code);
        if (h.Revision.Codes.Any(c => RevisionCodes.Number(c) == number))
            h.Say("code", 6, $"Code {code} is this revision.");
        else if (reading?.ModelId is not { } model)
            h.Say("code", -1, $"Code {code} is not one of its codes.");
        else if (model != h.Model.Id)
            h.Say("code", -4, $"Code {code} is another model's ({reading.Scheme}).");
        else if (reading.RevisionId is { } revision)
            h.Say("code", revision == h.Revision.Id ? 6 : -2, $"Code {code} says revision {revision} ({reading.Scheme}).");
        else
            h.Say("code", 3, $"Code {code} says {h.Model.Name} ({reading.Scheme}).");
    }

    private static void BySeen(Hypothesis h, Seen seen)
    {
        if (Looks.Find(l => l.Fits(seen.Look)) is not { } look)
            return;
        var expected = look.Answer(h, seen.Look);
        h.Say(
            "eyes",
            expected == seen.Answer ? 2.5
                : seen.Answer == Nothing ? -2
                : -3,
            expected == seen.Answer ? $"It shows {Lower(expected)}, as seen." : $"It would show {Lower(expected)}."
        );
    }

    private static string Lower(string text) =>
        text.Length > 1 && char.IsLower(text[1]) ? char.ToLowerInvariant(text[0]) + text[1..] : text;

    private static string Plain(string text) => new([.. text.ToUpperInvariant().Where(char.IsAsciiLetterOrDigit)]);

    /// <summary>Whether some words begin a text, whole.</summary>
    private static bool Begins(string text, string words)
    {
        static string[] Split(string from) =>
            from.ToUpperInvariant().Split([' ', '-', '_', ',', '.', '/', '(', ')'], StringSplitOptions.RemoveEmptyEntries);
        var (all, some) = (Split(text), Split(words));
        return some.Length > 0 && some.Length <= all.Length && some.SequenceEqual(all[..some.Length]);
    }

    private static void ByMark(Hypothesis h, string mark, BoardPrint print)
    {
        var (seen, printed) = (Plain(mark), h.Revision.Mark is { } own ? Plain(own) : null);
        if (seen == printed)
            h.Say("mark", 6, $"“{h.Revision.Mark}” is printed on this revision.");
        else if (printed is not null && h.Model.Revisions.Any(r => r.Mark is { } other && Plain(other) == seen))
            h.Say("mark", -2, $"Revision {h.Revision.Id} carries “{h.Revision.Mark}”.");
        else if (seen.Length >= 3 && h.Revision.Mark is { } begun && (Begins(begun, mark) || Begins(mark, begun)))
            h.Say("mark", 3, $"“{h.Revision.Mark}” begins like it.");
        else if (print.Name is { } words && (Begins(words, h.Model.Name) || Begins(words, h.Model.FullName)))
            ByPrint(h, print);
        else if (printed is not null)
            h.Say("mark", -3, $"“{h.Revision.Mark}” should be printed.");
    }

    /// <summary>A print that names the model, and may say more.</summary>
    private static void ByPrint(Hypothesis h, BoardPrint print)
    {
        h.Say("mark", 3, $"It names {h.Model.Name}.");
        if (print.Revision is { } revision)
        {
            var same = h.Revision.Id.Equals(revision, StringComparison.OrdinalIgnoreCase);
            var known = h.Model.Revisions.Any(r => r.Id.Equals(revision, StringComparison.OrdinalIgnoreCase));
            h.Say(
                "mark",
                same ? 3
                    : known ? -3
                    : -1,
                known ? $"It says revision {revision}." : $"It says revision {revision}, which is not known of {h.Model.Name}."
            );
        }
        if (print.MemoryMiB is { } memory && h.Model.MemoryMiB.Count > 0)
            h.Say("mark", h.Model.MemoryMiB.Contains(memory) ? 0.5 : -2, $"It says {Sizes.Memory(memory)}.");
    }

    private static void ByText(Hypothesis h, string text, HashSet<string> words, Facts facts)
    {
        var names = h.Model.Banner is { } banner && Names(text, words, banner);
        if (names)
            h.Say("log", 4, $"It names {h.Model.Banner}.");
        else if (facts.Board is { } other)
            h.Say("log", -3, $"It names {other}.");
        if (names && RevisionIn(text, h.Model) is { } revision)
            h.Say("log", revision == h.Revision.Id ? 3 : -3, $"It says revision {revision}.");
        var compatible = h
            .Model.Revisions.Where(r => r.Compatible is { } name && words.Contains(name))
            .OrderByDescending(r => r.Compatible!.Length)
            .FirstOrDefault();
        if (compatible is not null)
            h.Say(
                "log",
                compatible.Compatible == h.Revision.Compatible ? 4 : -1,
                $"It carries the device-tree name {compatible.Compatible}."
            );
        var set = facts.Architecture;
        if (set is not null && Enum.TryParse<InstructionSet>(set, true, out var architecture))
            h.Say(
                "log",
                h.Model.InstructionSet is null ? 0
                    : architecture == h.Model.InstructionSet ? 1
                    : -6,
                $"The kernel runs on {architecture.Words()}."
            );
        if ((facts.MemoryBytes ?? MemoryOf(text)) is { } bytes)
            h.Say(
                "log",
                h.Model.MemoryMiB.Count == 0 ? 0
                    : Memory(h.Model, bytes) is not null ? 0.5
                    : -2,
                $"It has {Sizes.Binary(bytes)} of memory."
            );
    }

    private static void ByTree(Hypothesis h, DeviceTree tree)
    {
        if (h.Revision.Compatible is { } own && tree.Compatible.Contains(own))
            h.Say("device tree", tree.Compatible[0] == own ? 6 : 3, $"It is for {own}.");
        else if (h.Model.Revisions.Any(r => r.Compatible is { } name && tree.Compatible.Contains(name)))
            h.Say("device tree", 1, $"It is for another revision of {h.Model.Name}.");
        else if (tree.Model is { } model && h.Model.Banner is { } banner && model.Contains(banner, StringComparison.OrdinalIgnoreCase))
            h.Say("device tree", 3, $"Its model is {model}.");
        else
            h.Say("device tree", -3, $"It is for {tree.Model ?? string.Join(", ", tree.Compatible)}.");
    }

    /// <summary>"… rev 1.3" behind the name of a model.</summary>
    private static string? RevisionIn(string text, BoardProfile model)
    {
        var before = model.Banner + " rev ";
        var at = model.Banner is null ? -1 : text.IndexOf(before, StringComparison.OrdinalIgnoreCase);
        if (at < 0)
            return null;
        var rest = text.AsSpan(at + before.Length);
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
    private static int? Memory(BoardProfile model, long? bytes) =>
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
}
