using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Matching;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>What this bench learnt, for another one, and what others told it.</summary>
public sealed class Experiences(
    BootStore boots,
    Fixes fixes,
    Profiles profiles,
    KnowledgeFiles knowledge,
    RuleBookIndex rules,
    TimeProvider clock
)
{
    private const int LongestName = 80;

    /// <summary>What was learnt, with the cards of the boards and images that it is about; a problem without boots that count, or without a name.</summary>
    /// <param name="from">How this bench is to be called.</param>
    /// <param name="modelId">One model, or null for all.</param>
    public Answer<ProfilePack> Share(string? from, string? modelId)
    {
        if (from?.Trim() is not { Length: > 0 and <= LongestName } name)
            return new Problem(
                $"The bench should have a name of 1 to {LongestName} letters, by which others know where this is from.",
                string.IsNullOrWhiteSpace(from) ? "It has none." : $"This one has {from.Trim().Length}.",
                "Give it one; it need not be yours."
            );
        var pairs = PairExperience
            .Of(boots.Counted(), [.. fixes.All()], rules.Book)
            .Where(p => modelId is null || p.Model == modelId)
            .ToList();
        if (pairs.Count == 0)
            return new Problem(
                "There should be boots that count.",
                modelId is null ? "There is none yet." : $"There is none of {profiles.Catalogue.Model(modelId)?.Name ?? modelId}.",
                "Boot a board first."
            );
        // What others told is theirs to pass on.
        var ids = pairs.Select(p => p.Model).Concat(pairs.Select(p => p.Image).OfType<string>()).ToHashSet();
        var pack = profiles.Export([.. ids.Where(i => profiles.Catalogue.Model(i) is not null || profiles.Catalogue.Image(i) is not null)]);
        return pack.Value is { } all
            ? all with
            {
                Experiences = [Experience.Of(name, DateOnly.FromDateTime(clock.GetUtcNow().UtcDateTime), pairs)],
            }
            : pack;
    }

    /// <summary>What a file would change here; a file that is none is a problem.</summary>
    public Answer<TakenExperience> Look(string name, string yaml)
    {
        var read = ProfilePack.Read(name, yaml, knowledge.Schemas);
        return read.Value is { } pack ? Would(pack) : read.Problem!;
    }

    /// <summary>Takes a file over; what it changed.</summary>
    public Answer<TakenExperience> Take(string name, string yaml)
    {
        var looked = Look(name, yaml);
        return looked.Value is null ? looked
            : profiles.Import(name, yaml).Problem is { } problem ? problem
            : looked;
    }

    private TakenExperience Would(ProfilePack pack)
    {
        var now = profiles.Catalogue;
        static string Of<T>(string title, T card, T? here)
            where T : class =>
            here is null ? $"{title}: new"
            : DataFile.Write(card) == DataFile.Write(here) ? $"{title}: as it is here"
            : $"{title}: takes the place of the one that is here";
        return new(
            [
                .. pack.Boards.Select(b => Of($"Board profile {b.FullName}", b, now.Model(b.Id))),
                .. pack.Images.Select(i =>
                    Of($"Image profile {i.Title}", i, now.Image(i.Id) is { } here ? here with { Path = null } : null)
                ),
                .. pack.Codes.Select(c => Of($"Revision code {c.Name}", c, now.Codes.FirstOrDefault(h => h.Id == c.Id))),
            ],
            [
                .. pack.Experiences.Select(e => new ToldExperience(
                    e,
                    profiles.Added.Experiences.FirstOrDefault(o => o.Id == e.Id) is { } known
                        ? $"takes the place of what {known.From} told on {known.Made:yyyy-MM-dd}"
                        : "new"
                )),
            ]
        );
    }

    /// <summary>What other benches told, for the ranking of images.</summary>
    public static IEnumerable<BootTally> Tallies(ProfilePack added) =>
        from e in added.Experiences
        from p in e.Pairs
        where p.Image is not null
        select new BootTally(
            p.Image!,
            BootTally.Elsewhere,
            p.Model,
            p.Revision,
            Math.Min(p.Successes, p.Tries),
            p.Tries,
            p.FastestSeconds,
            p.SlowestSeconds
        );
}

/// <summary>What another bench tells, and what it would mean here.</summary>
/// <param name="Says">As the end of a sentence.</param>
public sealed record ToldExperience(Experience Experience, string Says);

/// <summary>What a file of another bench brings.</summary>
/// <param name="Cards">Each card with what it would do here.</param>
public sealed record TakenExperience(IReadOnlyList<string> Cards, IReadOnlyList<ToldExperience> Told);
