using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Keeping;

namespace Buttonhook.App.Endpoints;

/// <summary>A file of cards as text.</summary>
public sealed record ProfileFileInput(string Name, string Yaml);

/// <summary>How many cards of each kind were added.</summary>
public sealed record ProfilesAdded(IReadOnlyList<string> Boards, IReadOnlyList<string> Images, IReadOnlyList<string> Codes);

/// <summary>Board profiles, image profiles and revision codes: drafting, adding, taking away, export and import.</summary>
public static class ProfileEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapProfiles(this RouteGroupBuilder api)
    {
        api.MapGet("/profiles", (Profiles profiles) => Names(profiles.Added));
        api.MapPost("/profiles/drafts", Draft).Produces<ProfileDraft>();
        api.MapPost("/profiles/boards", AddBoard).Produces<ProfilesAdded>();
        api.MapPost("/profiles/imports", Import).Produces<ProfilesAdded>();
        api.MapGet("/profiles/export", Export);
    }

    private static ProfilesAdded Names(ProfilePack pack) =>
        new([.. pack.Boards.Select(b => b.Id)], [.. pack.Images.Select(i => i.Id)], [.. pack.Codes.Select(c => c.Id)]);

    private static IResult Draft(CluesInput input, RuleBookIndex rules)
    {
        var clues = input.Clues();
        if (clues.Value is not { } given)
            return clues.Problem!.Answer();
        var draft = ProfileDraft.From(given, rules);
        return draft.Value is { } card ? Results.Ok(card) : draft.Problem!.Answer();
    }

    /// <summary>A card from the form goes the way of a file, so that the published schema checks it.</summary>
    private static IResult AddBoard(BoardProfile drafted, Profiles profiles)
    {
        var card = drafted with { Id = ProfileDraft.IdOf(drafted.Maker, drafted.Name) };
        if (profiles.Catalogue.Model(card.Id) is not null)
            return new Problem(
                "A new card should have an id of its own.",
                $"{card.Id} is in the catalogue.",
                "Give it another name, or export that card, change it and import it."
            ).Answer(StatusCodes.Status409Conflict);
        return Added(profiles.Import("The profile", DataFile.Write(card)));
    }

    private static IResult Import(ProfileFileInput input, Profiles profiles, NamedPaths paths, HttpContext context) =>
        Added(
            profiles.Import(
                input.Name,
                input.Yaml,
                pack => pack.Images.Select(i => i.Path is { } path ? paths.Against(context, path) : null).FirstOrDefault(p => p is not null)
            )
        );

    private static IResult Added(Answer<ProfilePack> added) => added.Value is { } pack ? Results.Ok(Names(pack)) : added.Problem!.Answer();

    private static IResult Export(string? ids, Profiles profiles)
    {
        var exported = profiles.Export((ids ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries));
        return exported.Value is { } pack
            ? Results.File(
                Encoding.UTF8.GetBytes(pack.Write()),
                "application/yaml",
                pack.Count == 1 ? $"{ids}.yaml" : "buttonhook-profiles.yaml"
            )
            : exported.Problem!.Answer();
    }
}
