using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Keeping;

/// <summary>What a bench learnt of boots, in numbers and in the words of the rule book: nothing of it names a person, a board of theirs, or a network.</summary>
/// <param name="Format">Always <see cref="ExperienceFormat"/>.</param>
/// <param name="Id">Small letters, digits and dashes; a newer one with the same id takes its place.</param>
/// <param name="From">Which bench it comes from, as its owner wants it called.</param>
/// <param name="Made">The day it was written.</param>
public sealed record Experience(string Format, string Id, string From, DateOnly Made, IReadOnlyList<PairExperience> Pairs)
{
    /// <summary>The format that every document names in its first line.</summary>
    public const string ExperienceFormat = "buttonhook.experience/1";

    /// <summary>An experience of today; its id comes from the name of the bench.</summary>
    public static Experience Of(string from, DateOnly made, IReadOnlyList<PairExperience> pairs) =>
        new(ExperienceFormat, IdOf(from), from, made, pairs);

    private static string IdOf(string from)
    {
        var letters = string.Join(
            '-',
            new string([.. from.ToLowerInvariant().Select(c => char.IsAsciiLetterOrDigit(c) ? c : ' ')]).Split(
                ' ',
                StringSplitOptions.RemoveEmptyEntries
            )
        );
        return letters.Length == 0 ? "bench"
            : char.IsAsciiDigit(letters[0]) ? $"bench-{letters}"
            : letters;
    }
}

/// <summary>The boots of one image on one revision of a board.</summary>
/// <param name="Image">Null for boots whose image is not known.</param>
/// <param name="FastestSeconds">From power to the login, of the good ones; null when that is not known.</param>
public sealed record PairExperience(
    string Model,
    string Revision,
    string? Image,
    int Tries,
    int Successes,
    int? FastestSeconds,
    int? SlowestSeconds,
    IReadOnlyList<CauseExperience> Causes
)
{
    /// <summary>What boots that count and what was noted against their causes tell, by pair.</summary>
    public static IReadOnlyList<PairExperience> Of(IReadOnlyList<CountedBoot> counted, IReadOnlyList<NotedFix> fixes, RuleBook rules)
    {
        var noted = fixes.ToLookup(f => (f.ModelId, f.RevisionId, f.ImageId));
        return
        [
            .. counted
                .GroupBy(b => (b.ModelId, b.RevisionId, b.ImageId))
                .Select(g =>
                {
                    var times = g.Where(b => b.Good).Select(b => b.LoginSeconds).OfType<double>().ToList();
                    return new PairExperience(
                        g.Key.ModelId,
                        g.Key.RevisionId,
                        g.Key.ImageId,
                        g.Count(),
                        g.Count(b => b.Good),
                        times.Count == 0 ? null : (int)Math.Round(times.Min()),
                        times.Count == 0 ? null : (int)Math.Round(times.Max()),
                        [
                            .. g.Select(b => b.TopCause)
                                .Concat(noted[g.Key].Select(f => f.CauseId))
                                .Where(c => c is not null && rules.Cause(c) is not null)
                                .Distinct()
                                .Select(c => new CauseExperience(
                                    c!,
                                    g.Count(b => b.TopCause == c),
                                    [
                                        .. noted[g.Key]
                                            .Where(f => f.CauseId == c)
                                            .GroupBy(f => WordsOf(rules.Cause(c!), f.Text))
                                            .Select(f => new FixExperience(f.Key, f.Count(), f.Count(x => x.Proven))),
                                    ]
                                )),
                        ]
                    );
                }),
        ];
    }

    /// <summary>A fix in the words of the rule book; what a person wrote in words of their own stays here.</summary>
    private static string WordsOf(Cause? cause, string text)
    {
        const string own = "A change that the person put in their own words, which are not passed on.";
        if (cause?.Correction is not { } template)
            return own;
        var fixedPart = template.Split('{')[0];
        return fixedPart.Length > 0 && text.StartsWith(fixedPart, StringComparison.Ordinal) ? Template.Plain(template) : own;
    }
}

/// <summary>A cause that led in boots, and what mended it.</summary>
public sealed record CauseExperience(string Cause, int Boots, IReadOnlyList<FixExperience> Fixes);

/// <summary>A fix as the rule book words it, how often it was noted, and how often a later boot proved it.</summary>
public sealed record FixExperience(string Text, int Times, int Proven);
