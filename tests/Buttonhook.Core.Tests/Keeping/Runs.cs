using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Tests.Keeping;

/// <summary>Boots of simulated boards with what a bench knows of them.</summary>
internal static class Runs
{
    public static readonly DateTimeOffset At = new(2026, 3, 14, 6, 30, 0, TimeSpan.Zero);
    public const string Sum = "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef";

    public static Run Of(string? fault = null, FirstBoot? set = null, CardState card = CardState.Seen, CardWrite? write = null)
    {
        var plan = Bench.Plan("quill-v", fault);
        var reader = new BootReader(Knowledge.Rules);
        foreach (var piece in new SimulatedBoard(plan).Advance(400_000))
            reader.Add(piece.Bytes, piece.Milliseconds);
        return new(
            plan.Board,
            plan.Model,
            Bench.Catalogue,
            plan.Image,
            card,
            write,
            set,
            [],
            [new("Card not pushed home", "The card | was pushed home.", 3), new("Root not found", "The identifier was mended.", null)],
            reader.Read(),
            reader.Log,
            "/dev/ttyUSB0 at 115200 8N1",
            Sum,
            At,
            ["The serial header, pin 1 at the corner"]
        );
    }

    public static WorkingSettings Settings() => SettingsMaker.From(Of()).Value!;
}
