using System.Text;
using Buttonhook.App.Keeping;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

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
        api.MapPost("/experience/look", (ProfileFileInput file, Experiences experiences) => Told(experiences.Look(file.Name, file.Yaml)))
            .Produces<TakenExperience>();
        api.MapPost("/experience/take", (ProfileFileInput file, Experiences experiences) => Told(experiences.Take(file.Name, file.Yaml)))
            .Produces<TakenExperience>();
    }

    private static IResult Told(Answer<TakenExperience> told) => told.Value is { } taken ? Results.Ok(taken) : told.Problem!.Answer();

    private static Statistics View(
        BootStore boots,
        PreparationStore preparations,
        Fixes fixes,
        Catalogue catalogue,
        Profiles profiles,
        RuleBookIndex rules
    ) =>
        Statistics.Of(
            boots.Counted(),
            [.. fixes.All()],
            [.. preparations.WrittenSpeeds().GroupBy(w => w.Slot).Select(g => CardSpeeds.Of(g.Key, g.Select(w => w.BytesPerSecond)))],
            profiles.Added.Experiences,
            catalogue,
            rules.Book
        );
}
