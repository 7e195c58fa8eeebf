using System.Text;
using System.Text.Json.Nodes;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>A fact that a person tells of a board: a field of its card, and the value as text (empty: not known after all).</summary>
/// <param name="WasUnknown">Whether it was not known where it was told: then what somebody else told meanwhile is not overwritten.</param>
public sealed record ToldFact(string Field, string Value, bool WasUnknown = false);

/// <summary>What the newest log of a board would add to its card, or correct.</summary>
/// <param name="BootNumber">The boot; null when there is none.</param>
public sealed record Lessons(int? BootNumber, IReadOnlyList<CardLesson> Facts);

/// <summary>What is known of a board: told by a person, and taught by a log.</summary>
public static class FactEndpoints
{
    /// <summary>Logs are read for their first lines, where boards name themselves.</summary>
    private const int ReadBytes = 1 << 20;

    /// <summary>Adds the routes.</summary>
    public static void MapFacts(this RouteGroupBuilder api)
    {
        api.MapPost("/boards/{id}/facts", Tell).Produces<BoardView>();
        api.MapGet("/boards/{id}/lessons", Learn).Produces<Lessons>();
        api.MapPost("/boards/{id}/lessons", Take).Produces<BoardView>();
    }

    private static IResult Tell(
        string id,
        IReadOnlyList<ToldFact> told,
        BoardStore boards,
        Cards cards,
        TimeProvider clock,
        IServiceProvider services
    )
    {
        if (boards.Find(id) is not { } bench || cards.Catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var from = $"{CardFacts.ByPerson}, {clock.GetLocalNow():yyyy-MM-dd}";
        var facts = new List<CardFact>();
        foreach (var fact in told)
        {
            if (fact.WasUnknown && CardFacts.Fields.Contains(fact.Field) && !CardFacts.Unknown(model, bench.Board.RevisionId, fact.Field))
                return new Problem(
                    $"{fact.Field} should still be unknown, as it was in this form.",
                    $"It was told elsewhere meanwhile, from: {model.SourceOf(fact.Field)}.",
                    "Nothing was overwritten. Look at the card; take that change back if it is wrong."
                ).Answer(StatusCodes.Status412PreconditionFailed);
            var value = ValueOf(fact);
            if (value.Problem is { } problem)
                return problem.Answer();
            facts.Add(new(fact.Field, value.Value, from));
        }
        if (facts.Count == 0)
            return new Problem("At least one fact is told.", "There is none.", "Fill in what you know.").Answer();
        var changed = cards.Set(
            model,
            bench.Board.RevisionId,
            facts,
            $"You said: {string.Join(", ", told.Select(f => $"{f.Field} {(f.Value.Length == 0 ? "not known" : f.Value)}"))}"
        );
        return changed.Value is null ? changed.Problem!.Answer() : Results.Ok(services.GetRequiredService<BenchViews>().Board(id));
    }

    /// <summary>The value as the card's schema wants it, from what was typed.</summary>
    private static (JsonNode? Value, Problem? Problem) ValueOf(ToldFact fact)
    {
        var text = fact.Value.Trim();
        if (text.Length == 0)
            return (null, null);
        var invariant = System.Globalization.CultureInfo.InvariantCulture;
        Problem Number() => new("A number is told as a number.", $"“{text}” is none.", "Write digits, with a point before fractions.");
        return fact.Field switch
        {
            "console.speed" => int.TryParse(text, System.Globalization.NumberStyles.None, invariant, out var whole)
                ? (whole, null)
                : (null, Number()),
            "memoryMiB" => int.TryParse(text, System.Globalization.NumberStyles.None, invariant, out var size)
                ? (new JsonArray(size), null)
                : (null, Number()),
            "power.volts" or "power.amps" or "power.minimumVolts" or "power.usbAmps" => double.TryParse(
                text.Replace(',', '.'),
                System.Globalization.NumberStyles.AllowDecimalPoint,
                invariant,
                out var number
            )
                ? (number, null)
                : (null, Number()),
            "power.negotiates" => (text is "yes" or "true", null),
            "bootMedia" => (
                new JsonArray([
                    .. text.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Select(m => (JsonNode)m),
                ]),
                null
            ),
            _ => (text, null),
        };
    }

    private static (Boot? Boot, CardDraft? Draft, IReadOnlyList<CardLesson> Lessons) Newest(
        BenchBoard bench,
        BoardModel model,
        BootStore boots,
        RuleBookIndex rules
    )
    {
        foreach (var boot in boots.Of(bench.Board.Id).Take(5))
        {
            var text = new StringBuilder();
            foreach (var piece in boots.Pieces(boot.Id))
            {
                text.Append(Encoding.UTF8.GetString(piece.Bytes));
                if (text.Length > ReadBytes)
                    break;
            }
            if (CardDraft.From(new(null, null, text.ToString(), null, []), rules).Value is { } draft)
                return (boot, draft, CardFacts.Lessons(model, bench.Board.RevisionId, draft));
        }
        return (null, null, []);
    }

    private static IResult Learn(string id, BoardStore boards, BootStore boots, Catalogue catalogue, RuleBookIndex rules)
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var (boot, _, lessons) = Newest(bench, model, boots, rules);
        return Results.Ok(new Lessons(boot?.Number, lessons));
    }

    /// <summary>Takes what the newest log teaches; of what contradicts a person's word only the field that is named.</summary>
    private static IResult Take(
        string id,
        string? field,
        BoardStore boards,
        BootStore boots,
        Cards cards,
        RuleBookIndex rules,
        IServiceProvider services
    )
    {
        if (boards.Find(id) is not { } bench || cards.Catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var (boot, draft, all) = Newest(bench, model, boots, rules);
        var lessons = all.Where(l => field is null ? l.Decides is null : l.Field == field).ToList();
        if (boot is null || lessons.Count == 0)
            return new Problem(
                "The log should teach something.",
                "It tells nothing that the card does not say.",
                "Nothing is to be done."
            ).Answer();
        var changed = cards.Set(
            model,
            bench.Board.RevisionId,
            CardFacts.Of(lessons, draft!, $"boot {boot.Number}"),
            $"Boot {boot.Number} taught: {string.Join(", ", lessons.Select(l => $"{l.Field} {l.After}"))}"
        );
        if (changed.Value is not { } learnt)
            return changed.Problem!.Answer();
        // Memory that is fitted is a matter of this very board.
        if (bench.Board.MemoryMiB is null && learnt.MemoryMiB is [var only])
            boards.Save(bench.Board with { MemoryMiB = only }, bench.FaultId);
        return Results.Ok(services.GetRequiredService<BenchViews>().Board(id));
    }
}
