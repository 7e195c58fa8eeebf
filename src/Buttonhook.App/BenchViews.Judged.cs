using Buttonhook.App.Consoles;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>What a boot says together with what is known from elsewhere.</summary>
public sealed partial class BenchViews
{
    /// <summary>Log odds of what a dry boot of the very card found.</summary>
    private const double DryBootOdds = 3;

    /// <summary>Log odds of a supply that is not enough on paper: prints are read wrongly, and boards need less than they name.</summary>
    private const double SupplyOdds = 1.5;

    /// <summary>Log odds of a cause that was confirmed once before on the same board, and on another one with the same revision or image.</summary>
    private const double SameBoardOdds = 1.1,
        AlikeOdds = 0.7,
        ToldOdds = 0.4;

    /// <summary>The diagnosis of a boot: what its log says, what bench, card and earlier boots tell, what a person found by looking, and what later boots proved. Null when there is no such boot.</summary>
    public Diagnosis? DiagnosisOf(string bootId) =>
        boots.Find(bootId) is { } boot ? DiagnosisOf(boot, KnownOf(boot), boots.Answers(bootId)) : null;

    private Diagnosis? DiagnosisOf(Boot boot, IReadOnlyList<KnownBefore> known, IReadOnlyDictionary<string, CheckAnswer> answers) =>
        captures
            .With(boot.Id, r => r.Diagnosis)
            ?.Knowing(known, captures.Book)
            .Answered(answers)
            .Settled(Confirmed().Where(c => c.Boot.Id == boot.Id).DistinctBy(c => c.CauseId).ToDictionary(c => c.CauseId, c => c.Says));

    private sealed record ConfirmedCause(Boot Boot, string CauseId, string Says);

    private List<ConfirmedCause>? confirmed;

    /// <summary>Causes that a later boot confirmed: its fix was noted after a boot that showed it, and the next one passed that stage.</summary>
    private List<ConfirmedCause> Confirmed() =>
        confirmed ??= [
            .. boards
                .All()
                .Where(b => b.Changes.Count > 0)
                .SelectMany(bench =>
                {
                    var all = captures.Of(bench.Board.Id);
                    return bench.Changes.Select(change =>
                        ProvenIn(change, bench, all) is { } good
                        && all.Where(b => b.CardNumber == bench.CardNumber && b.StartedAt <= change.MadeAt).MaxBy(b => b.Number)
                            is { } failed
                            ? new ConfirmedCause(
                                failed,
                                change.CauseId,
                                $"Confirmed: {change.Text.TrimEnd('.')}, and boot {good.Number} went on."
                            )
                            : null
                    );
                })
                .OfType<ConfirmedCause>(),
        ];

    /// <summary>What is known of the causes of a boot from elsewhere than its log; nothing for one that reached the login.</summary>
    private List<KnownBefore> KnownOf(Boot boot)
    {
        if (boards.Find(boot.BoardId) is not { } bench || catalogue.Model(boot.ModelId) is not { } model)
            return [];
        // Bench and card as they are now tell of the boots since the last change only.
        var known =
            boot.CardNumber == bench.CardNumber && boot.ModelId == bench.Board.ModelId && !(bench.ChangedAt > boot.StartedAt)
                ? KnownNow(bench, model)
                : [];
        // Lists ask this of every failed boot: a log is opened where its summary says that it may tell.
        if (captures.Summary(boot) is { } said && ConsoleTold.Concerns(said.Outcome, said.LastStage))
            known.AddRange(captures.With(boot.Id, r => ConsoleTold.Of(r, model.Console)) ?? []);
        var before = Confirmed().Where(c => c.Boot.Id != boot.Id && c.Boot.StartedAt < boot.StartedAt).ToList();
        foreach (var cause in before.GroupBy(c => c.CauseId))
        {
            if (cause.Where(c => c.Boot.BoardId == boot.BoardId).ToList() is { Count: > 0 } own)
                known.Add(
                    new(
                        cause.Key,
                        SameBoardOdds,
                        $"this board had it before: boot {string.Join(", ", own.Select(c => c.Boot.Number).Order())}"
                    )
                );
            var alike = cause
                .Where(c => c.Boot.BoardId != boot.BoardId)
                .Select(c =>
                    c.Boot.ModelId == boot.ModelId && c.Boot.RevisionId == boot.RevisionId ? "this revision"
                    : boot.ImageId is not null && c.Boot.ImageId == boot.ImageId ? "this image"
                    : null
                )
                .OfType<string>()
                .ToList();
            if (alike.Count > 0)
                known.Add(new(cause.Key, AlikeOdds, $"{alike.Count} other boot{(alike.Count == 1 ? "" : "s")} with {alike[0]} had it"));
        }
        known.AddRange(ToldOf(boot));
        return known;
    }

    /// <summary>Causes that other benches met with this revision or this image, and whose fix a later boot proved there.</summary>
    private IEnumerable<KnownBefore> ToldOf(Boot boot) =>
        cards
            .Added.Experiences.SelectMany(e =>
                e.Pairs.Select(p =>
                        (
                            Pair: p,
                            With: p.Model == boot.ModelId && p.Revision == boot.RevisionId ? "this revision"
                            : boot.ImageId is not null && p.Image == boot.ImageId ? "this image"
                            : null
                        )
                    )
                    .Where(p => p.With is not null)
                    .SelectMany(p =>
                        p.Pair.Causes.Where(c => c.Fixes.Any(f => f.Proven > 0))
                            .Select(c => (c.Cause, Says: $"{e.From} tells of it with {p.With}, and of a fix that a later boot proved"))
                    )
            )
            .Where(c => captures.Book.Cause(c.Cause) is not null)
            .DistinctBy(c => c.Cause)
            .Select(c => new KnownBefore(c.Cause, ToldOdds, c.Says));

    /// <summary>What the card and the supply of a board tell as they are now.</summary>
    private List<KnownBefore> KnownNow(BenchBoard bench, Core.Boards.BoardModel model)
    {
        var (broken, where) = Broken(bench);
        var known = broken
            .Where(s => s.Cause is not null)
            .DistinctBy(s => s.Cause)
            .Select(s => new KnownBefore(s.Cause!, DryBootOdds, $"the dry boot of {where} found it: {s.Text.TrimEnd('.')}"))
            .ToList();
        if (
            bench.Board.Connected.SupplyId is not null
            && Core.Connecting.SupplyCheck.Check(bench.Board.Connected, model.Power, catalogue) is { Enough: false } supply
        )
            known.Add(new("supply-too-weak", SupplyOdds, $"on paper the supply is not enough: {supply.Text.TrimEnd('.')}"));
        return known;
    }

    /// <summary>What is known of a board that says nothing, before anybody looks; nothing for a board that is not there.</summary>
    public IReadOnlyList<KnownBefore> KnownWithoutLog(string boardId)
    {
        if (boards.Find(boardId) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return [];
        var known = KnownNow(bench, model);
        var all = captures.Of(boardId);
        var proof = ProofOf(bench, all, StateOf(bench, OfThisCard(bench, all.FirstOrDefault())));
        if (proof.Card is Core.Boards.CardState.NoImage or Core.Boards.CardState.Chosen or Core.Boards.CardState.HalfWritten)
            known.Add(new("no-boot-medium", EmptyCardOdds, "nothing shows that its card was ever written whole"));
        if (all.Any(b => b.LastStage is not null && b.CardNumber == bench.CardNumber))
            known.Add(new("console-not-wired", -WiredOdds, "its console was read before, with this card"));
        return known;
    }

    /// <summary>Log odds of a card that was not written, and of a console that was read before.</summary>
    private const double EmptyCardOdds = 1.5,
        WiredOdds = 1.5;

    /// <summary>The lights of a board with what they mean, as its card tells.</summary>
    public IReadOnlyList<string> LightsOf(string boardId) =>
        boards.Find(boardId) is { } bench && catalogue.Model(bench.Board.ModelId) is { } model
            ?
            [
                .. model
                    .Lights.Where(l => l.Meaning is not null)
                    .Select(l =>
                        $"{(l.Colour is { } colour ? $"{colour} " : "")}{l.Name}{(l.Pattern is { } pattern ? $", {pattern}" : "")}: {l.Meaning}"
                    ),
            ]
            : [];
}
