using System.Diagnostics;
using Buttonhook.App.Consoles;
using Buttonhook.App.Diagnosing;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>One observation of a cause, as the rule book page shows it.</summary>
/// <param name="Name">Its name, by which it is switched off.</param>
/// <param name="Observes">The words that must stand in the line, or what is computed from the whole log.</param>
/// <param name="Weight">Log odds in use.</param>
/// <param name="With">In how many logs of the lab it was met with the cause; null when it was never met.</param>
/// <param name="Without">In how many without it.</param>
/// <param name="OwnId">Of a rule that the person added; null for a shipped one.</param>
public sealed record ObservationRow(
    string Name,
    string Observes,
    string? Regex,
    string? Not,
    string? Says,
    bool Against,
    double Weight,
    int? With,
    int? Without,
    bool Off,
    string? OwnId
);

/// <summary>A cause as the rule book page lists it.</summary>
public sealed record RuleRow(
    string Id,
    string Name,
    Stage Stage,
    string LooksLike,
    string Check,
    string Fix,
    IReadOnlyList<ObservationRow> Observations,
    QuestionRow Question
);

/// <summary>The question of a cause as the rule book page lists it.</summary>
/// <param name="Look">How a person finds out; null where the question says it.</param>
/// <param name="Answers">What can be answered, in words.</param>
/// <param name="Commands">What the board itself is asked with; empty when it cannot answer.</param>
/// <param name="Worth">How many times likelier an answer that finds the cause is where it is so.</param>
public sealed record QuestionRow(
    string? Look,
    IReadOnlyList<string> Answers,
    IReadOnlyList<string> Commands,
    double Worth,
    WorthSource Source
);

/// <summary>The words of a rule that is tried.</summary>
public sealed record RuleTry(string Find, string? Regex, string? Not);

/// <summary>Where a tried rule would fire.</summary>
/// <param name="Times">How many lines of the log.</param>
public sealed record RuleHit(string BootId, string BoardId, int Number, int Line, string Text, int Times);

/// <summary>What trying a rule gave.</summary>
/// <param name="Looked">How many logs were looked at, the newest first.</param>
/// <param name="Of">How many there are.</param>
public sealed record RuleTried(IReadOnlyList<RuleHit> Hits, int Looked, int Of);

/// <summary>A shipped rule that is switched off or on.</summary>
public sealed record RuleSwitch(string Name, bool Off);

/// <summary>Rules that are taken in.</summary>
public sealed record RuleFile(string Yaml);

/// <summary>How far the kept logs are judged by the rules as they are now.</summary>
public sealed record RuleState(int Judged, int Of, int Own, int Off, Problem? Trouble);

/// <summary>The rule book.</summary>
public static class RuleEndpoints
{
    /// <summary>A try answers within this time, with as many logs as it came to.</summary>
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(4);
    private const int MostHits = 40;

    /// <summary>Adds the routes.</summary>
    public static void MapRules(this RouteGroupBuilder api)
    {
        api.MapGet("/rules", (RuleBooks books) => Rows(books));
        api.MapGet(
            "/rules/state",
            (RuleBooks books, Captures captures) =>
                new RuleState(captures.JudgedNow.Done, captures.JudgedNow.Of, books.Own.Rules.Count, books.Own.Off.Count, books.Trouble)
        );
        api.MapPost("/rules/try", Try).Produces<RuleTried>();
        api.MapPut("/rules/own/{id}", Keep).Produces(StatusCodes.Status204NoContent);
        api.MapDelete(
                "/rules/own/{id}",
                (string id, RuleBooks books) =>
                    Done(
                        books.Own.Rules.All(r => r.Id != id)
                            ? new("This rule should be there.", "It is not.", "Load the page again.")
                            : books.Change(own => own with { Rules = [.. own.Rules.Where(r => r.Id != id)] })
                    )
            )
            .Produces(StatusCodes.Status204NoContent);
        api.MapPut("/rules/off", Switch).Produces(StatusCodes.Status204NoContent);
        api.MapGet("/rules/own.yaml", (RuleBooks books) => Results.Text(DataFile.Write(books.Own), "application/yaml"))
            .Produces<string>(contentType: "application/yaml");
        api.MapPost("/rules/import", (RuleFile file, RuleBooks books) => Done(books.Import(file.Yaml)))
            .Produces(StatusCodes.Status204NoContent);
    }

    private static IResult Done(Problem? problem) => problem is null ? Results.NoContent() : problem.Answer();

    private static List<RuleRow> Rows(RuleBooks books)
    {
        var off = books.Own.Off.ToHashSet();
        IEnumerable<ObservationRow> Of(Cause cause, IReadOnlyList<Evidence>? evidence, bool against) =>
            (evidence ?? []).Select(e =>
            {
                var name = OwnRules.NameOf(cause.Id, e, against);
                var fitted = books.Shipped.Fitted(cause.Id, e, against);
                return new ObservationRow(
                    name,
                    e.Find ?? Signals.All[e.Signal!],
                    e.Regex,
                    e.Not,
                    e.Says,
                    against,
                    fitted?.Weight ?? e.Weight,
                    fitted?.With,
                    fitted?.Without,
                    off.Contains(name),
                    null
                );
            });
        return
        [
            .. books.Shipped.Book.Causes.Select(c => new RuleRow(
                c.Id,
                c.Name,
                c.Stage,
                c.LooksLike,
                Template.Plain(c.Check!.What),
                Template.Plain(c.Fix),
                [
                    .. Of(c, c.Evidence, false),
                    .. Of(c, c.Against, true),
                    .. books
                        .Own.Rules.Where(r => r.CauseId == c.Id)
                        .Select(r => new ObservationRow(
                            r.Id,
                            r.Find,
                            r.Regex,
                            r.Not,
                            r.Says,
                            r.Against,
                            r.Weight,
                            null,
                            null,
                            false,
                            r.Id
                        )),
                ],
                RowOf(books.Shipped.Book.Question(c.Check.QuestionId!)!)
            )),
        ];
    }

    private static IResult Try(RuleTry rule, BootStore boots, Captures captures, RuleBooks books, CancellationToken stop)
    {
        if (
            OwnRules.Mistake(
                new("try", books.Shipped.Book.Causes[0].Id, rule.Find, rule.Regex, rule.Not, 1, false, null),
                books.Shipped.Book
            ) is
            { } mistake
        )
            return mistake.Answer();
        var scanner = new LineScanner([new(rule.Find, rule.Regex, rule.Not)]);
        var clock = Stopwatch.StartNew();
        var all = boots.Ended().OrderByDescending(b => b.StartedAt).ToList();
        var hits = new List<RuleHit>();
        var looked = 0;
        foreach (var boot in all)
        {
            if (clock.Elapsed > Patience || hits.Count >= MostHits)
                break;
            stop.ThrowIfCancellationRequested();
            looked++;
            var hit = captures.With(
                boot.Id,
                r =>
                {
                    var found = new List<Hit>();
                    for (var line = 1; line <= r.Log.LineCount && clock.Elapsed < Patience; line++)
                        scanner.Scan(r.Log.Text(line), line, found);
                    return found.Count == 0
                        ? Nothing
                        : new RuleHit(boot.Id, boot.BoardId, boot.Number, found[0].Line, found[0].Text, found.Count);
                }
            );
            if (hit is not null && hit != Nothing)
                hits.Add(hit);
        }
        return Results.Ok(new RuleTried(hits, looked, all.Count));
    }

    private static readonly RuleHit Nothing = new("", "", 0, 0, "", 0);

    private static IResult Keep(string id, OwnRule rule, RuleBooks books) =>
        Done(
            books.Change(own =>
            {
                var whole = rule with
                {
                    Id = id,
                    Find = rule.Find.Trim(),
                    Regex = Given(rule.Regex),
                    Not = Given(rule.Not),
                    Says = Given(rule.Says),
                };
                return OwnRules.Mistake(whole, books.Shipped.Book) is { } mistake
                    ? mistake
                    : own with
                    {
                        Rules = [.. own.Rules.Where(r => r.Id != id), whole],
                    };
            })
        );

    private static string? Given(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();

    private static IResult Switch(RuleSwitch change, RuleBooks books) =>
        Done(
            books.Change(own =>
                OwnRules.NamesIn(books.Shipped.Book).Contains(change.Name)
                    ? own with
                    {
                        Off = change.Off ? [.. own.Off.Append(change.Name).Distinct()] : [.. own.Off.Where(n => n != change.Name)],
                    }
                    : new Problem("A rule of the shipped book is switched.", $"“{change.Name}” is none.", "Load the page again.")
            )
        );

    private static QuestionRow RowOf(Question question) =>
        new(
            question.Look is { } look ? Template.Plain(look) : null,
            [.. question.Results.Select(r => r.Says)],
            [.. (question.Ways ?? []).Select(w => w.Type)],
            question.Worth,
            question.Source
        );
}
