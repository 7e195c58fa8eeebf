using System.Text;
using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>Boots of one image on one revision.</summary>
/// <param name="LoginSeconds">From power to the login, each good boot with times, in ascending order.</param>
public sealed record PairCount(string Image, string Board, int Boots, int Good, int Degraded, IReadOnlyList<double> LoginSeconds);

/// <summary>A cause that was met.</summary>
/// <param name="Boots">In how many boots it led.</param>
/// <param name="Fixes">What was noted against it, with how often a later boot proved it.</param>
public sealed record CauseCount(string Id, string Name, int Boots, IReadOnlyList<FixCount> Fixes);

/// <summary>Something that was noted against a cause.</summary>
public sealed record FixCount(string Text, int Times, int Proven);

/// <summary>A card, supply or adapter, and how the boots with it ended.</summary>
/// <param name="Kind">card, supply or adapter.</param>
public sealed record PartCount(string Kind, string Name, int Boots, int Failed);

/// <summary>How fast the cards that were written in one slot were, oldest first, in MB a second.</summary>
/// <param name="Slower">Whether the newest is slower than two thirds of the fastest before it.</param>
public sealed record CardSpeeds(string Slot, IReadOnlyList<double> Written, bool Slower);

/// <summary>What the bench has learnt.</summary>
/// <param name="Counted">How many boots are counted; cut and garbled captures count for nothing.</param>
/// <param name="Told">What other benches told, which counts less than what was seen here.</param>
public sealed record Statistics(
    int Counted,
    IReadOnlyList<PairCount> Pairs,
    IReadOnlyList<CauseCount> Causes,
    IReadOnlyList<PartCount> Parts,
    IReadOnlyList<CardSpeeds> Cards,
    IReadOnlyList<Experience> Told
);

/// <summary>Statistics.</summary>
public static class StatisticsEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapStatistics(this RouteGroupBuilder api)
    {
        api.MapGet("/statistics", View).Produces<Statistics>();
        api.MapGet(
            "/experience.yaml",
            (string? from, string? model, Experiences experiences) =>
            {
                var shared = experiences.Share(from, model is { Length: > 0 } ? model : null);
                return shared.Value is { } pack
                    ? Results.File(Encoding.UTF8.GetBytes(pack.Write()), "application/yaml", "buttonhook-learnt.yaml")
                    : shared.Problem!.Answer();
            }
        );
        api.MapPost("/experience/look", (CardFileInput file, Experiences experiences) => Told(experiences.Look(file.Name, file.Yaml)))
            .Produces<TakenExperience>();
        api.MapPost("/experience/take", (CardFileInput file, Experiences experiences) => Told(experiences.Take(file.Name, file.Yaml)))
            .Produces<TakenExperience>();
    }

    private static IResult Told(Answer<TakenExperience> told) => told.Value is { } taken ? Results.Ok(taken) : told.Problem!.Answer();

    private static Statistics View(
        BootStore boots,
        PreparationStore preparations,
        BenchViews views,
        Catalogue catalogue,
        Cards cards,
        RuleBookIndex rules
    )
    {
        var counted = boots.Counted();
        var pairs = counted
            .Where(b => b.ImageId is not null)
            .GroupBy(b => (b.ImageId, b.ModelId, b.RevisionId))
            .Select(g => new PairCount(
                catalogue.Image(g.Key.ImageId)?.Title ?? g.Key.ImageId!,
                $"{catalogue.Model(g.Key.ModelId)?.Name ?? g.Key.ModelId}, rev {g.Key.RevisionId}",
                g.Count(),
                g.Count(b => b.Good),
                g.Count(b => b.Outcome == Outcome.Degraded),
                [.. g.Where(b => b.Good).Select(b => b.LoginSeconds).OfType<double>().Order()]
            ))
            .OrderByDescending(p => p.Boots)
            .ToList();
        var fixes = views.Fixes().ToLookup(f => f.Change.CauseId);
        var causes = counted
            .Select(b => b.TopCause)
            .Where(c => c is not (null or "none" or "something-else"))
            .Concat(fixes.Select(f => f.Key))
            .Distinct()
            .Select(id => new CauseCount(
                id!,
                rules.Book.Cause(id!)?.Name ?? id!,
                counted.Count(b => b.TopCause == id),
                [.. fixes[id!].GroupBy(f => f.Change.Text).Select(g => new FixCount(g.Key, g.Count(), g.Count(f => f.Proven)))]
            ))
            .OrderByDescending(c => c.Boots)
            .ThenBy(c => c.Name, StringComparer.Ordinal)
            .ToList();
        IEnumerable<PartCount> Parts(string kind, Func<Connected, string?> name) =>
            counted
                .Where(b => b.Connected is not null)
                .Select(b => (Name: name(b.Connected!), Failed: !b.Good))
                .Where(b => b.Name is not null)
                .GroupBy(b => b.Name!)
                .Select(g => new PartCount(kind, g.Key, g.Count(), g.Count(b => b.Failed)))
                .OrderByDescending(p => p.Failed);
        return new(
            counted.Count,
            pairs,
            causes,
            [
                .. Parts("card", c => c.CardGb is { } gb ? $"{gb} GB card" : null),
                .. Parts("supply", c => catalogue.Supply(c.SupplyId)?.Name),
                .. Parts("adapter", c => catalogue.Adapter(c.AdapterId)?.Name),
            ],
            [
                .. preparations
                    .WrittenSpeeds()
                    .GroupBy(w => w.Slot)
                    .Select(g =>
                    {
                        var speeds = g.Select(w => Math.Round(w.BytesPerSecond / 1e6, 1)).ToList();
                        return new CardSpeeds(g.Key, speeds, speeds.Count > 1 && speeds[^1] < speeds.Take(speeds.Count - 1).Max() * 2 / 3);
                    }),
            ],
            cards.Added.Experiences
        );
    }
}
