using Buttonhook.App.Endpoints;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Practising;
using Buttonhook.Core.Simulating;
using Buttonhook.Storage;

namespace Buttonhook.App.Keeping;

/// <summary>Plays rounds of practice: nothing of them touches the bench.</summary>
public sealed class Practices(
    PracticeStore store,
    BoardStore boards,
    KnowledgeFiles knowledge,
    Catalogue catalogue,
    RuleBookIndex rules,
    TimeProvider clock
)
{
    /// <summary>Longer than any simulated boot, in milliseconds.</summary>
    private const int LongEnough = 400_000;

    /// <summary>How long one looks at a console that says nothing more, in milliseconds.</summary>
    private const int LooksOn = 30_000;

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
                    r.Shortest?.Minutes ?? r.Minutes,
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
        var possible = Possible(on);
        if (input.FaultId is { } wanted && !possible.Contains(wanted))
            return new Problem("The fault should be one that this board can have.", $"{NameOf(wanted)} is none.", "Choose another one.");
        var past = store.All();
        var fault = input.FaultId is { } hidden ? Book.Fault(hidden) : Practice.Draw(Book, input.Level, past, possible, dice.NextDouble());
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
        return View(Keep(round));
    }

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

    private HashSet<string> Possible(On on)
    {
        var model = catalogue.Model(on.Board.ModelId)!;
        // A loader that can be stopped by a key, and one that trains memory, are those of boards.
        return
        [
            .. Book
                .Faults.Select(f => f.Id)
                .Where(id =>
                    model.InstructionSet != InstructionSet.Amd64
                    || id is not ("dram-init-failed" or "autoboot-interrupted" or "dtb-missing")
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
                    ? new PracticeStep(PracticeKind.Look, look.Id, look.Minutes, look.Tells.GetValueOrDefault(round.FaultId, look.Usual))
                    : new Problem("This can be looked at.", $"There is no look {lookId}.", "Choose one of the list.")
        );

    /// <summary>Applies power and reads the console.</summary>
    public Answer<PracticeRoundView> Boot(string id) =>
        Step(
            id,
            round =>
            {
                var (read, seconds) = Played(round, round.FaultId);
                return new PracticeStep(PracticeKind.Boot, "", Cost(seconds), Told(read));
            }
        );

    /// <summary>Mends something: the right one ends the round with a good boot, a wrong one costs a boot.</summary>
    public Answer<PracticeRoundView> Mend(string id, string faultId) =>
        Step(
            id,
            round =>
            {
                if (Book.Fault(faultId) is null)
                    return new Problem("One of the faults is mended.", $"There is no {faultId}.", "Choose one of the list.");
                var right = faultId == round.FaultId;
                var (read, seconds) = Played(round, right ? null : round.FaultId);
                return new PracticeStep(
                    PracticeKind.Mend,
                    faultId,
                    Cost(seconds),
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

    /// <summary>Stores a round; one that is over with its shortest way, which is played once.</summary>
    private PracticeRound Keep(PracticeRound round)
    {
        var kept = round is { Won: not null, Shortest: null } ? round with { Shortest = ShortestOf(round) } : round;
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
        return View(Keep(round.With(next, clock.GetUtcNow())));
    }

    private static int Cost(int seconds) => PracticeRound.BootMinutes + (int)Math.Ceiling(seconds / 60.0);

    private static string Told(ReadCapture read) =>
        read.Log.LineCount == 0 || read.Reading.LastStage is null && read.Reading.Outcome != Outcome.Garbled
            ? "The console shows nothing that can be read as a boot."
            : $"{Words.Of(read.Reading.Outcome, read.Reading.LastStage)}.";

    private SimulationPlan PlanOf(PracticeRound round, string? fault)
    {
        var model = catalogue.Model(round.ModelId)!;
        var board = new Board(
            "practice",
            round.Nickname,
            round.ModelId,
            round.RevisionId,
            round.MemoryMiB,
            new(32, false, true, null, null),
            [],
            round.ImageId,
            [],
            true
        );
        return new(board, model, catalogue.Image(round.ImageId), fault, model.Console.Speed ?? 115_200, round.Seed, true, "sentinel");
    }

    private (ReadCapture Read, int Seconds) Played(PracticeRound round, string? fault)
    {
        var pieces = new SimulatedBoard(PlanOf(round, fault)).Advance(LongEnough);
        var reader = new BootReader(rules);
        reader.Log.CountFrom(0, TimeOrigin.Power);
        foreach (var piece in pieces)
            reader.Add(piece.Bytes, piece.Milliseconds);
        reader.Ending = new(CaptureEnd.Person, LooksOn);
        return (reader.Result(), ((reader.Log.LastArrival ?? 0) + LooksOn) / 1000);
    }

    private ShortestWay ShortestOf(PracticeRound round)
    {
        if (catalogue.Model(round.ModelId) is null)
            return new(round.Minutes, "The board of this round is no longer in the catalogue.", []);
        var (read, seconds) = Played(round, round.FaultId);
        return Practice.Shortest(Book, round.FaultId, read.Diagnosis, Cost(seconds));
    }

    private PracticeRoundView View(PracticeRound round)
    {
        var model = catalogue.Model(round.ModelId);
        var over = round.Won is not null;
        // The same board boots the same way each time, until it is mended.
        var logs = new Dictionary<bool, IReadOnlyList<string>>();
        IReadOnlyList<string> LogOf(bool mended)
        {
            if (!logs.TryGetValue(mended, out var lines))
            {
                var log = Played(round, mended ? null : round.FaultId).Read.Log;
                logs[mended] = lines = [.. Enumerable.Range(1, log.LineCount).Select(log.Text)];
            }
            return lines;
        }
        return new(
            round.Id,
            round.Nickname,
            model is null
                ? round.ModelId
                : $"{model.FullName}, revision {round.RevisionId}{(round.MemoryMiB is { } mib ? $", {Sizes.Memory(mib)}" : "")}, with {catalogue.Image(round.ImageId)?.Title ?? round.ImageId}. It was written and put in, and does not come up as it should.",
            round.Level,
            round.ByPerson,
            round.Minutes,
            PracticeRound.MostMinutes,
            PracticeRound.BootMinutes + 1,
            [.. round.Steps.Select(s => Shown(round, s, LogOf))],
            [.. Book.Looks.Select(l => new PracticeChoice(l.Id, l.Name, l.Minutes))],
            [
                .. Book
                    .Faults.Select(f => new PracticeChoice(f.Id, f.Mend, PracticeRound.BootMinutes + 1))
                    .OrderBy(m => m.Name, StringComparer.Ordinal),
            ],
            round.Won,
            over ? NameOf(round.FaultId) : null,
            round.Shortest,
            over ? Better(round) : null
        );
    }

    private PracticeStepView Shown(PracticeRound round, PracticeStep step, Func<bool, IReadOnlyList<string>> logOf)
    {
        var right = step.Kind == PracticeKind.Mend ? step.Of == round.FaultId : (bool?)null;
        var log = step.Kind != PracticeKind.Look && catalogue.Model(round.ModelId) is not null ? logOf(right == true) : null;
        var name = step.Kind switch
        {
            PracticeKind.Look => Book.Look(step.Of)?.Name ?? step.Of,
            PracticeKind.Mend => Book.Fault(step.Of)?.Mend ?? step.Of,
            _ => "Power, and the console",
        };
        return new(step.Kind, name, step.Minutes, step.Tells, log, right);
    }

    /// <summary>How the newest three rounds of a level went against those before.</summary>
    private string? Better(PracticeRound round)
    {
        var same = store
            .All()
            .Where(r => r.Won is not null && r.Level == round.Level)
            .Select(r => r.Minutes - (r.Shortest?.Minutes ?? r.Minutes))
            .ToList();
        if (same.Count < 4)
            return null;
        var (now, before) = (same.Take(3).Average(), same.Skip(3).Average());
        return $"Your last three rounds of this level took {now:0} min more than the shortest way; those before took {before:0} min more.";
    }
}
