using System.Collections.Concurrent;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Practising;
using Buttonhook.Core.Simulating;

namespace Buttonhook.App.Keeping;

/// <summary>Plays the boots of rounds of practice, and keeps what the newest of them showed.</summary>
public sealed class PracticePlays(Catalogue catalogue, RuleBookIndex rules)
{
    /// <summary>Longer than any simulated boot, in milliseconds.</summary>
    private const int LongEnough = 400_000;

    /// <summary>How long one looks at a console that says nothing more before that says something, in milliseconds.</summary>
    private const int LooksOn = 65_000;

    private const int MostKept = 40;

    /// <summary>A boot of the board of a round; no two of it are the same to the millisecond.</summary>
    /// <param name="step">Which step of the round it is, from 0.</param>
    public (ReadCapture Read, int Seconds) Played(PracticeRound round, string? fault, int step)
    {
        var pieces = new SimulatedBoard(PlanOf(round, fault, step)).Advance(LongEnough);
        var reader = new BootReader(rules);
        reader.Log.CountFrom(0, TimeOrigin.Power);
        foreach (var piece in pieces)
            reader.Add(piece.Bytes, piece.Milliseconds);
        reader.Ending = new(CaptureEnd.Person, LooksOn);
        return (reader.Result(), ((reader.Log.LastArrival ?? 0) + LooksOn) / 1000);
    }

    private static readonly ConcurrentDictionary<
        (RuleBookIndex Rules, string Model, string Image),
        Lazy<IReadOnlyDictionary<string, BootSign>>
    > Signs = new();

    /// <summary>How the boot of each fault that its board can have reads.</summary>
    public IReadOnlyDictionary<string, BootSign> SignsOf(PracticeRound round, IEnumerable<string> possible)
    {
        if (Signs.Count > MostKept)
            Signs.Clear();
        return Signs
            .GetOrAdd(
                (rules, round.ModelId, round.ImageId),
                _ =>
                    new(() =>
                        possible
                            .Append(round.FaultId)
                            .Distinct()
                            .AsParallel()
                            .ToDictionary(f => f, f => BootSign.Of(Played(round, f, 0).Read))
                    )
            )
            .Value;
    }

    private static readonly ConcurrentDictionary<(string Round, int Step, bool Mended), IReadOnlyList<string>> Logs = new();

    /// <summary>What the console showed in a step.</summary>
    public IReadOnlyList<string> LogOf(PracticeRound round, int step, bool mended)
    {
        if (Logs.Count > MostKept)
            Logs.Clear();
        return Logs.GetOrAdd(
            (round.Id, step, mended),
            _ =>
            {
                var log = Played(round, mended ? null : round.FaultId, step).Read.Log;
                return [.. Enumerable.Range(1, log.LineCount).Select(log.Text)];
            }
        );
    }

    private SimulationPlan PlanOf(PracticeRound round, string? fault, int step)
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
        return new(
            board,
            model,
            catalogue.Image(round.ImageId),
            fault,
            model.Console.Speed ?? SimulationPlan.RehearsalSpeed,
            round.Seed + step,
            true,
            "sentinel"
        );
    }
}
