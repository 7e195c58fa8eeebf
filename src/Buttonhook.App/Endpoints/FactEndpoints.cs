using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Buttonhook.App.Boards;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;
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
        Profiles profiles,
        Database database,
        TimeProvider clock,
        IServiceProvider services
    )
    {
        if (boards.Find(id) is not { } bench || profiles.Catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var from = $"{ProfileFacts.ByPerson}, {clock.GetLocalNow():yyyy-MM-dd}";
        var facts = new List<ProfileFact>();
        foreach (var fact in told)
        {
            if (
                fact.WasUnknown
                && ProfileFacts.Fields.Contains(fact.Field)
                && !ProfileFacts.Unknown(model, bench.Board.RevisionId, fact.Field)
            )
                return new Problem(
                    $"{fact.Field} should still be unknown, as it was in this form.",
                    $"It was told elsewhere meanwhile, from: {model.SourceOf(fact.Field)}.",
                    "Nothing was overwritten. Look at the card; take that change back if it is wrong."
                ).Answer(StatusCodes.Status412PreconditionFailed);
            var value = ValueOf(fact);
            if (value.Problem is { } problem)
                return problem.Answer();
            if (
                Likely.TryGetValue(fact.Field, out var likely)
                && (value.Value is JsonArray { Count: 1 } several ? several[0] : value.Value) is JsonValue single
                && single.Deserialize<double>() is var number
                && (number < likely.Least || number > likely.Most)
            )
                return new Problem(
                    $"{fact.Field} should be from {likely.Least} to {likely.Most} {likely.Unit}.",
                    $"“{fact.Value.Trim()}” is not.",
                    "Read it once more from the board or its paper."
                ).Answer();
            facts.Add(new(fact.Field, value.Value, from));
        }
        if (facts.Count == 0)
            return new Problem("At least one fact is told.", "There is none.", "Fill in what you know.").Answer();
        using var unit = database.Begin();
        var changed = profiles.Set(
            model,
            bench.Board.RevisionId,
            facts,
            $"You said: {string.Join(", ", told.Select(f => $"{f.Field} {(f.Value.Length == 0 ? "not known" : f.Value)}"))}"
        );
        if (changed.Value is null)
            return changed.Problem!.Answer();
        // Memory that is told is that of the board in front of the person.
        if (facts.Find(f => f.Field == "memoryMiB")?.Value is JsonArray { Count: 1 } memory)
            boards.Save(bench.Board with { MemoryMiB = (int)memory[0]! }, bench.FaultId);
        unit.Commit();
        return Results.Ok(services.GetRequiredService<BoardViews>().Board(id));
    }

    /// <summary>What boards of this kind can have: a value outside is a slip of the hand (serial speeds as termios knows them; supplies of boards, not of machines).</summary>
    private static readonly Dictionary<string, (double Least, double Most, string Unit)> Likely = new()
    {
        ["console.speed"] = (50, 4_000_000, "bits a second"),
        ["memoryMiB"] = (1, 1 << 20, "MiB"),
        ["power.volts"] = (1.8, 60, "V"),
        ["power.minimumVolts"] = (1.8, 60, "V"),
        ["power.amps"] = (0.01, 50, "A"),
        ["power.usbAmps"] = (0, 50, "A"),
    };

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

    private static (Boot? Boot, ProfileDraft? Draft, IReadOnlyList<CardLesson> Lessons) Newest(
        BenchBoard bench,
        BoardProfile model,
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
            if (ProfileDraft.From(new(null, null, text.ToString(), null, []), rules).Value is { } draft)
                return (boot, draft, ProfileFacts.Lessons(model, bench.Board.RevisionId, draft));
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
        Profiles profiles,
        RuleBookIndex rules,
        Database database,
        IServiceProvider services
    )
    {
        if (boards.Find(id) is not { } bench || profiles.Catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        var (boot, draft, all) = Newest(bench, model, boots, rules);
        var lessons = all.Where(l => field is null ? l.Decides is null : l.Field == field).ToList();
        if (boot is null || lessons.Count == 0)
            return new Problem(
                "The log should teach something.",
                "It tells nothing that the board profile does not have already.",
                "No action needed."
            ).Answer();
        using var unit = database.Begin();
        var changed = profiles.Set(
            model,
            bench.Board.RevisionId,
            ProfileFacts.Of(lessons, draft!, $"boot {boot.Number}"),
            $"Boot {boot.Number} taught: {string.Join(", ", lessons.Select(l => $"{l.Field} {l.After}"))}"
        );
        if (changed.Value is not { } learnt)
            return changed.Problem!.Answer();
        // Memory that is fitted is a matter of this very board.
        if (bench.Board.MemoryMiB is null && learnt.MemoryMiB is [var only])
            boards.Save(bench.Board with { MemoryMiB = only }, bench.FaultId);
        unit.Commit();
        return Results.Ok(services.GetRequiredService<BoardViews>().Board(id));
    }
}
