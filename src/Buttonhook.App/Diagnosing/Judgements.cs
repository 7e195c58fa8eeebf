using Buttonhook.App.Consoles;
using Buttonhook.App.Keeping;
using Buttonhook.App.Matching;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Diagnosing;

/// <summary>What a boot says together with what is known from elsewhere.</summary>
public sealed class Judgements(
    BoardStore boards,
    BootStore boots,
    Captures captures,
    Catalogue catalogue,
    BoardMatches matches,
    Fixes fixes,
    Profiles profiles
)
{
    /// <summary>The diagnosis of a boot: what its log says, what bench, card and earlier boots tell, what a person found by looking, and what later boots proved. Null when there is no such boot.</summary>
    public Diagnosis? Of(string bootId) =>
        boots.Find(bootId) is { } boot ? Of(boot, PriorsOf(boot), boots.Answers(bootId), boots.Results(bootId)) : null;

    private Diagnosis? Of(
        Boot boot,
        IReadOnlyList<Prior> priors,
        IReadOnlyDictionary<string, CheckAnswer> answers,
        IReadOnlyDictionary<string, string> told
    ) =>
        captures
            .With(boot.Id, r => r.Diagnosis)
            ?.Knowing(priors, captures.Book)
            .Answered(answers, captures.Book)
            .Told(told, captures.Book)
            .Settled(
                fixes.Confirmed().Where(c => c.Boot.Id == boot.Id).DistinctBy(c => c.CauseId).ToDictionary(c => c.CauseId, c => c.Says),
                captures.Book
            );

    /// <summary>The likeliest cause with what a person found by looking.</summary>
    public RankedCause? TopOf(Boot boot, BootSummary said)
    {
        // A boot that needs no mending is what its log says.
        if (said.Outcome is Outcome.ReachedLogin or Outcome.Cut)
            return said.Top;
        var (priors, answers, told) = (PriorsOf(boot), boots.Answers(boot.Id), boots.Results(boot.Id));
        return priors.Count + answers.Count + told.Count == 0 ? said.Top
            : Of(boot, priors, answers, told)?.Causes[0] is { Id: not (RuleBook.None or RuleBook.SomethingElse) } top ? top
            : null;
    }

    /// <summary>What is known of the causes of a boot from elsewhere than its log; nothing for one that reached the login.</summary>
    private List<Prior> PriorsOf(Boot boot)
    {
        if (boards.Find(boot.BoardId) is not { } bench || catalogue.Model(boot.ModelId) is not { } model)
            return [];
        // Bench and card as they are now tell of the boots since the last change only.
        var known =
            boot.CardNumber == bench.CardNumber && boot.ModelId == bench.Board.ModelId && !(bench.ChangedAt > boot.StartedAt)
                ? Now(bench, model)
                : [];
        // Lists ask this of every failed boot: a log is opened where its summary says that it may tell.
        if (captures.Summary(boot) is { } said && ConsoleTold.Concerns(said.Outcome, said.LastStage))
            known.AddRange(captures.With(boot.Id, r => ConsoleTold.Of(r, model.Console)) ?? []);
        var before = fixes.Confirmed().Where(c => c.Boot.Id != boot.Id && c.Boot.StartedAt < boot.StartedAt).ToList();
        foreach (var cause in before.GroupBy(c => c.CauseId))
        {
            if (cause.Where(c => c.Boot.BoardId == boot.BoardId).ToList() is { Count: > 0 } own)
                known.Add(Prior.OfSameBoard(cause.Key, own.Select(c => c.Boot.Number)));
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
                known.Add(Prior.OfAlike(cause.Key, alike.Count, alike[0]));
        }
        known.AddRange(ToldOf(boot));
        return known;
    }

    /// <summary>Causes that other benches met with this revision or this image, and whose fix a later boot proved there.</summary>
    private IEnumerable<Prior> ToldOf(Boot boot) =>
        profiles
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
                    .SelectMany(p => p.Pair.Causes.Where(c => c.Fixes.Any(f => f.Proven > 0)).Select(c => (c.Cause, e.From, With: p.With!)))
            )
            .Where(c => captures.Book.Cause(c.Cause) is not null)
            .DistinctBy(c => c.Cause)
            .Select(c => Prior.OfOtherBench(c.Cause, c.From, c.With));

    /// <summary>What the card and the supply of a board tell as they are now.</summary>
    public List<Prior> Now(BenchBoard bench, BoardProfile model)
    {
        var (broken, where) = matches.Broken(bench);
        var known = broken
            .Where(s => s.Cause is not null)
            .DistinctBy(s => s.Cause)
            .Select(s => Prior.OfDryBoot(s.Cause!, where, s.Text))
            .ToList();
        if (
            bench.Board.Connected.SupplyId is not null
            && SupplyCheck.Check(bench.Board.Connected, model.Power, catalogue) is { Enough: false } supply
        )
            known.Add(Prior.OfSupply(supply.Text));
        return known;
    }
}
