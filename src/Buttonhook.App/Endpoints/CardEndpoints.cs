using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App.Endpoints;

/// <summary>A file of cards as text.</summary>
public sealed record CardFileInput(string Name, string Yaml);

/// <summary>How many cards of each kind were added.</summary>
public sealed record CardsAdded(IReadOnlyList<string> Boards, IReadOnlyList<string> Images, IReadOnlyList<string> Codes);

/// <summary>Board cards, image cards and revision codes: drafting, adding, taking away, export and import.</summary>
public static class CardEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapCards(this RouteGroupBuilder api)
    {
        api.MapGet("/cards", (Cards cards) => Names(cards.Added));
        api.MapPost("/cards/drafts", Draft).Produces<CardDraft>();
        api.MapPost("/cards/boards", AddBoard).Produces<CardsAdded>();
        api.MapPost("/cards/imports", Import).Produces<CardsAdded>();
        api.MapGet("/cards/export", Export);
    }

    private static CardsAdded Names(CardPack pack) =>
        new([.. pack.Boards.Select(b => b.Id)], [.. pack.Images.Select(i => i.Id)], [.. pack.Codes.Select(c => c.Id)]);

    private static IResult Draft(CluesInput input, RuleBookIndex rules)
    {
        var clues = input.Clues();
        if (clues.Value is not { } given)
            return clues.Problem!.Answer();
        var draft = CardDraft.From(given, rules);
        return draft.Value is { } card ? Results.Ok(card) : draft.Problem!.Answer();
    }

    /// <summary>A card from the form goes the way of a file, so that the published schema checks it.</summary>
    private static IResult AddBoard(BoardModel drafted, Cards cards)
    {
        var card = drafted with { Id = CardDraft.IdOf(drafted.Maker, drafted.Name) };
        if (cards.Catalogue.Model(card.Id) is not null)
            return new Problem(
                "A new card should have an id of its own.",
                $"{card.Id} is in the catalogue.",
                "Give it another name, or export that card, change it and import it."
            ).Answer(StatusCodes.Status409Conflict);
        return Added(cards.Import("The card", DataFile.Write(card)));
    }

    private static IResult Import(CardFileInput input, Cards cards, NamedPaths paths, HttpContext context) =>
        Added(
            cards.Import(
                input.Name,
                input.Yaml,
                pack => pack.Images.Select(i => i.Path is { } path ? paths.Against(context, path) : null).FirstOrDefault(p => p is not null)
            )
        );

    private static IResult Added(Answer<CardPack> added) => added.Value is { } pack ? Results.Ok(Names(pack)) : added.Problem!.Answer();

    private static IResult Export(string? ids, Cards cards)
    {
        var exported = cards.Export((ids ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries));
        return exported.Value is { } pack
            ? Results.File(
                Encoding.UTF8.GetBytes(pack.Write()),
                "application/yaml",
                pack.Count == 1 ? $"{ids}.yaml" : "buttonhook-cards.yaml"
            )
            : exported.Problem!.Answer();
    }
}
