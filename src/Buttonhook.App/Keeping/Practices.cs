using Buttonhook.App.Boards;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Practising;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>Plays rounds of practice: nothing of them touches the bench.</summary>
public sealed class Practices(
    PracticeStore store,
    BoardStore boards,
    KnowledgeFiles knowledge,
    BootStore boots,
    Catalogue catalogue,
    PracticePlays plays,
    TimeProvider clock
)
{
    private PracticeBook Book => knowledge.Practice;

    /// <summary>How practice stands.</summary>
    public PracticeView All()
    {
        var all = store.All();
        var past = all.Where(r => r.Won is not null).ToList();
        return new(
            all.FirstOrDefault(r => r.Won is null)?.Id,
            [
                .. past.Select(r => new PracticeRow(
                    r.Id,
                    r.Nickname,
                    NameOf(r.FaultId),
                    r.Level,
                    r.Won == true,
                    r.Minutes,
                    r.Judged?.Lost,
                    r.StartedAt
                )),
            ],
            [.. Practice.MixedUp(past).Select(m => new MixedUp(NameOf(m.Meant), NameOf(m.Was), m.Times))],
            [.. Book.Faults.Select(f => new FaultChoice(f.Id, NameOf(f.Id)))]
        );
    }

    private static string NameOf(string faultId) => SimulatedFaults.Find(faultId)?.Name ?? faultId;

    /// <summary>Begins a round on a board of the bench, or on one that is drawn.</summary>
    public Answer<PracticeRoundView> Begin(PracticeBegin input)
    {
        if (input.Level is < 1 or > 3)
            return new Problem("A level is 1 to 3.", $"It is {input.Level}.", "Choose one of the three.");
        var dice = Random.Shared;
        var drawn = BoardFor(input.BoardId, dice);
        if (drawn.Value is not { } on)
            return drawn.Problem!;
        var possible = Possible(on.Board.ModelId);
        if (input.FaultId is { } wanted && !possible.Contains(wanted))
            return new Problem("The fault should be one that this board can have.", $"{NameOf(wanted)} is none.", "Choose another one.");
        var past = store.All();
        var fault = input.FaultId is { } hidden
            ? Book.Fault(hidden)
            : Practice.Draw(Book, input.Level, Met(), past, possible, dice.NextDouble());
        if (fault is null)
            return new Problem(
                "A board of this level should have a fault to hide.",
                "This one has none.",
                "Choose another level or another board."
            );
        foreach (var open in past.Where(r => r.Won is null))
            Keep(open with { Won = false, EndedAt = clock.GetUtcNow() });
        var round = new PracticeRound(
            Guid.CreateVersion7(clock.GetUtcNow()).ToString("N"),
            on.Board.Nickname,
            on.Board.ModelId,
            on.Board.RevisionId,
            on.Board.MemoryMiB,
            on.ImageId,
            fault.Id,
            fault.Level,
            input.FaultId is not null,
            dice.Next(1, 1_000_000),
            [],
            clock.GetUtcNow(),
            null,
            null
        );
        // How the boots of the possible faults read is wanted when the round is over.
        _ = Task.Run(() => plays.SignsOf(round, Possible(round.ModelId)));
        return View(Keep(round));
    }

    /// <summary>How often boots of this bench failed by each cause.</summary>
    private Dictionary<string, int> Met() =>
        boots.Counted().Where(b => !b.Good).Select(b => b.TopCause).OfType<string>().CountBy(c => c).ToDictionary();

    private sealed record On(Board Board, string ImageId);

    private Answer<On> BoardFor(string? boardId, Random dice)
    {
        if (boardId is not null)
        {
            if (boards.Find(boardId) is not { } bench || catalogue.Model(bench.Board.ModelId) is null)
                return new Problem("This board should be on the bench.", "It is not there any more.", "Choose another one.");
            var image =
                catalogue.Image(bench.Board.ImageId)
                ?? catalogue.Images.FirstOrDefault(i => i.Supports.Any(s => s.Model == bench.Board.ModelId));
            return image is null
                ? new Problem(
                    "A board is practised on with an image for it.",
                    "None is chosen, and the shelf has none.",
                    "Choose one in Match."
                )
                : new On(bench.Board, image.Id);
        }
        var pairs = catalogue
            .Models.SelectMany(m => catalogue.Images.Where(i => i.Supports.Any(s => s.Model == m.Id)).Select(i => (Model: m, Image: i)))
            .ToList();
        if (pairs.Count == 0)
            return new Problem(
                "There should be a board and an image to practise with.",
                "The shelves are empty.",
                "Put a board on the bench and choose an image for it."
            );
        var (model, drawn) = pairs[dice.Next(pairs.Count)];
        return new On(
            new Board(
                "practice",
                "A board to practise with",
                model.Id,
                drawn.Supports.First(s => s.Model == model.Id).Revisions is [.., var last]
                    ? last
                    : model.Revisions.LastOrDefault()?.Id ?? "",
                model.MemoryMiB.Count > 0 ? model.MemoryMiB[^1] : null,
                new(32, false, true, null, null),
                [],
                drawn.Id,
                [],
                true
            ),
            drawn.Id
        );
    }

    private HashSet<string> Possible(string modelId)
    {
        var model = catalogue.Model(modelId)!;
        // A loader that can be stopped by a key, and one that trains memory, are those of boards.
        return
        [
            .. Book
                .Faults.Select(f => f.Id)
                .Where(id =>
                    model.InstructionSet != InstructionSet.Amd64
                    || id is not (CauseIds.DramInitFailed or CauseIds.AutobootInterrupted or CauseIds.DtbMissing)
                ),
        ];
    }

    /// <summary>One round, or null.</summary>
    public PracticeRoundView? Of(string id) => store.Find(id) is { } round ? View(round) : null;

    /// <summary>Looks at something or measures it.</summary>
    public Answer<PracticeRoundView> Look(string id, string lookId) =>
        Step(
            id,
            round =>
                Book.Look(lookId) is { } look
                    ? new PracticeStep(PracticeKind.Look, look.Id, look.Minutes, look.Shows(round.FaultId))
                    : new Problem("This can be looked at.", $"There is no look {lookId}.", "Choose one of the list.")
        );

    /// <summary>Applies power and reads the console.</summary>
    public Answer<PracticeRoundView> Boot(string id) =>
        Step(
            id,
            round =>
            {
                var (read, seconds) = plays.Played(round, round.FaultId, round.Steps.Count);
                return new PracticeStep(PracticeKind.Boot, "", PracticeRound.Cost(seconds), Told(read));
            }
        );

    /// <summary>Mends something, which takes what it takes, and boots: the right one ends the round with a good boot.</summary>
    public Answer<PracticeRoundView> Mend(string id, string faultId) =>
        Step(
            id,
            round =>
            {
                if (Book.Fault(faultId) is not { } mend)
                    return new Problem("One of the faults is mended.", $"There is no {faultId}.", "Choose one of the list.");
                var right = mend.Mends(round.FaultId);
                var (read, seconds) = plays.Played(round, right ? null : round.FaultId, round.Steps.Count);
                return new PracticeStep(
                    PracticeKind.Mend,
                    faultId,
                    mend.Minutes + PracticeRound.Cost(seconds),
                    right ? "That was it: it reached the login." : $"That was not it. {Told(read)}"
                );
            }
        );

    /// <summary>Ends a round without having found it.</summary>
    public Answer<PracticeRoundView> GiveUp(string id)
    {
        if (Going(id).Value is not { } round)
            return Going(id).Problem!;
        return View(Keep(round with { Won = false, EndedAt = clock.GetUtcNow() }));
    }

    /// <summary>Stores a round; one that is over is judged, once.</summary>
    private PracticeRound Keep(PracticeRound round)
    {
        var kept = round is { Won: not null, Judged: null } ? round with { Judged = Judge(round) } : round;
        store.Keep(kept);
        return kept;
    }

    private Answer<PracticeRound> Going(string id) =>
        store.Find(id) switch
        {
            null => new Problem("This round should be there.", "It is not.", "Begin another one."),
            { Won: not null } => new Problem("The round should go on.", "It is over.", "Begin another one."),
            var round => round,
        };

    private Answer<PracticeRoundView> Step(string id, Func<PracticeRound, Answer<PracticeStep>> step)
    {
        if (Going(id).Value is not { } round)
            return Going(id).Problem!;
        var done = step(round);
        if (done.Value is not { } next)
            return done.Problem!;
        return View(Keep(round.With(next, Mended(round, next) == true, clock.GetUtcNow())));
    }

    /// <summary>Whether a mending took the fault away; null for what was none.</summary>
    private bool? Mended(PracticeRound round, PracticeStep step) =>
        step.Kind == PracticeKind.Mend ? Book.Fault(step.Of)?.Mends(round.FaultId) == true : null;

    private static string Told(ReadCapture read) =>
        read.Log.LineCount == 0 || read.Reading.LastStage is null && read.Reading.Outcome != Outcome.Garbled
            ? "The console shows nothing that can be read as a boot."
            : $"{StageWords.Of(read.Reading.Outcome, read.Reading.LastStage)}.";

    private JudgedRound? Judge(PracticeRound round)
    {
        if (catalogue.Model(round.ModelId) is null)
            return null;
        var possible = plays.SignsOf(round, Possible(round.ModelId));
        var met = Met();
        // Who chose how hard it is knows which faults it may be; what another person hid may be any.
        var likely = possible
            .Keys.Where(f => f == round.FaultId || round.ByPerson || Book.Fault(f)?.Level == round.Level)
            .ToDictionary(f => f, f => Practice.MetWeight(f, met));
        var (read, seconds) = plays.Played(round, round.FaultId, 0);
        var alike = likely.Keys.Where(f => f != round.FaultId && possible[f] == possible[round.FaultId]).ToList();
        var lines = TellingLine.In(read, round.FaultId);
        return new(
            new PracticeJudge(Book, likely, possible, PracticeRound.Cost(seconds)).Of(round),
            Book.Told(round.FaultId, lines, alike, NameOf),
            lines
        );
    }

    private PracticeRoundView View(PracticeRound round)
    {
        var model = catalogue.Model(round.ModelId);
        var over = round.Won is not null;
        return new(
            round.Id,
            round.Nickname,
            model is null
                ? round.ModelId
                : $"{model.FullName}, revision {round.RevisionId}{(round.MemoryMiB is { } mib ? $", {Sizes.Memory(mib)}" : "")}, with {catalogue.Image(round.ImageId)?.Title ?? round.ImageId}. It was written and put in, and does not come up as it should.",
            round.Level,
            round.Minutes,
            PracticeRound.MostMinutes,
            PracticeRound.BootMinutes + 1,
            [.. round.Steps.Select((s, n) => Shown(round, s, n))],
            [.. Book.Looks.Select(l => new PracticeChoice(l.Id, l.Name, l.Minutes))],
            [
                .. Book
                    .Faults.Select(f => new PracticeChoice(f.Id, f.Mend, f.Minutes + PracticeRound.BootMinutes + 1))
                    .OrderBy(m => m.Name, StringComparer.Ordinal),
            ],
            round.Won,
            over ? NameOf(round.FaultId) : null,
            round.Judged,
            over ? Practice.Better([.. store.All().Where(r => r.Level == round.Level)]) : null
        );
    }

    private PracticeStepView Shown(PracticeRound round, PracticeStep step, int number)
    {
        var right = Mended(round, step);
        var log =
            step.Kind != PracticeKind.Look && catalogue.Model(round.ModelId) is not null ? plays.LogOf(round, number, right == true) : null;
        var name = step.Kind switch
        {
            PracticeKind.Look => Book.Look(step.Of)?.Name ?? step.Of,
            PracticeKind.Mend => Book.Fault(step.Of)?.Mend ?? step.Of,
            _ => "Power, and the console",
        };
        return new(step.Kind, name, step.Minutes, step.Tells, log, right);
    }
}
