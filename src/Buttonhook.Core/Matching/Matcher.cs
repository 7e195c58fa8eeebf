using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;

namespace Buttonhook.Core.Matching;

/// <summary>Decides which images start on a board; each rule answers with reasons, the worst decides.</summary>
public static partial class Matcher
{
    private sealed record Pair(
        Board Board,
        BoardProfile Model,
        ImageProfile Image,
        Catalogue Catalogue,
        Wish Wish,
        IReadOnlyList<BoardProfile> Siblings,
        DryBoot? Dry
    );

    private static readonly IReadOnlyList<(string Rule, Func<Pair, IEnumerable<(Bearing, string)>> Says)> Rules =
    [
        ("instruction-set", InstructionSet),
        ("revision", Revision),
        ("dry-boot", Played),
        ("kernel-line", KernelLine),
        ("boot-medium", BootMedium),
        ("layout", Layouts),
        ("card-size", CardSize),
        ("memory", Memory),
        ("console", Console),
        ("outputs", Outputs),
        ("first-boot", FirstBoot),
        ("long-term", LongTerm),
    ];

    /// <summary>All images of the catalogue for this board and this wish, best first; a model that is not in the catalogue gives none.</summary>
    /// <param name="played">The dry boots of images on this board, by image, as far as their files were looked into.</param>
    public static IReadOnlyList<Match> Match(
        Board board,
        Catalogue catalogue,
        IReadOnlyDictionary<string, BootRecord> records,
        Wish wish,
        IReadOnlyDictionary<string, DryBoot>? played = null
    )
    {
        if (catalogue.Model(board.ModelId) is not { } model)
            return [];
        var siblings = catalogue.Models.Where(m => m.Processor is not null && m.Processor == model.Processor && m.Id != model.Id).ToList();
        return
        [
            .. catalogue
                .Images.AsParallel()
                .AsOrdered()
                .Select(image =>
                    One(
                        new(board, model, image, catalogue, wish, siblings, played?.GetValueOrDefault(image.Id)),
                        records.GetValueOrDefault(image.Id) ?? BootRecord.Empty
                    )
                )
                .Select(m => (Match: m, Worth: m.Verdict == Verdict.WillNotStart ? 0 : Worth(m, wish)))
                .AsSequential()
                .OrderBy(m => m.Match.Verdict)
                .ThenByDescending(m => m.Worth)
                .Select(m => m.Match),
        ];
    }

    private static Match One(Pair pair, BootRecord record)
    {
        var reasons = new List<Reason>();
        foreach (var (rule, says) in Rules)
        {
            foreach (var (bearing, text) in says(pair))
                reasons.Add(new(rule, bearing, text));
            // Nothing else matters for a processor or a revision that it is not made for.
            if (rule is "instruction-set" or "revision" && reasons.Exists(r => r.Bearing == Bearing.Stops))
                return new(pair.Image, Verdict.WillNotStart, [.. reasons.Where(r => r.Bearing == Bearing.Stops)], record);
        }
        var ordered = Ordered(reasons);
        var verdict = (ordered.Count == 0 ? (Bearing?)null : ordered[0].Bearing) switch
        {
            Bearing.Stops => Verdict.WillNotStart,
            Bearing.Unproven => Verdict.Unproven,
            Bearing.Change => Verdict.FitsAfterChange,
            _ => Verdict.Fits,
        };
        return new(pair.Image, verdict, ordered, record);
    }

    /// <summary>The worst first, else in the order of the rules.</summary>
    private static List<Reason> Ordered(List<Reason> reasons)
    {
        var ordered = new List<Reason>(reasons.Count);
        // What the file itself shows comes before what cards say of it.
        for (var bearing = Bearing.Stops; bearing <= Bearing.Note; bearing++)
            foreach (var seen in (bool[])[true, false])
            foreach (var reason in reasons)
                if (reason.Bearing == bearing && reason.Rule == "dry-boot" == seen)
                    ordered.Add(reason);
        return ordered;
    }

    /// <summary>Inside a group: the lower end of the record weighs most, then the care that is wanted, then the flavour that suits the screen, then what the layout asks.</summary>
    private static double Worth(Match match, Wish wish) =>
        match.Record.LowerEnd * 10
        + (match.Image.LongTermUntil is null == wish.LongTerm ? 0 : 1.5)
        + (match.Image.Flavour == "desktop" == wish.Screen ? 1.2 : 0)
        + (wish.LongTerm ? 0 : Newness(match.Image.Kernel))
        - match.Reasons.Count(r => r.Bearing is Bearing.Change) * 0.3
        - (match.Reasons.Any(r => r.Rule == "layout" && r.Bearing == Bearing.Note) ? 1 : 0);

    /// <summary>0 to 1: newer kernel lines are higher.</summary>
    private static double Newness(string kernel) => Line(kernel) is var (major, minor) ? Math.Min(1, (major * 20 + minor) / 200.0) : 0;

    /// <summary>Major and minor number of a kernel version; null where it does not begin with two numbers.</summary>
    private static (int Major, int Minor)? Line(ReadOnlySpan<char> version)
    {
        static int Digits(ReadOnlySpan<char> text) => text.IndexOfAnyExceptInRange('0', '9') is var end and >= 0 ? end : text.Length;
        var first = Digits(version);
        if (first == 0 || first >= version.Length || version[first] is not ('.' or '-'))
            return null;
        var rest = version[(first + 1)..];
        return
            int.TryParse(version[..first], System.Globalization.CultureInfo.InvariantCulture, out var major)
            && int.TryParse(rest[..Digits(rest)], System.Globalization.CultureInfo.InvariantCulture, out var minor)
            ? (major, minor)
            : null;
    }
}
