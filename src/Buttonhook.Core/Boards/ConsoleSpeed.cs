using System.Globalization;

namespace Buttonhook.Core.Boards;

/// <summary>The rate that an adapter really reaches for a console.</summary>
/// <param name="Achieved">Bits a second that its divisor gives; null when nothing tells what it divides.</param>
/// <param name="ErrorShare">How far that is off, as a share of the wanted rate; or null.</param>
/// <param name="Reads">Whether that is read well; null when it cannot be told.</param>
/// <param name="BytesPerSecond">Ten bits make a byte with 8N1.</param>
public sealed record ConsoleSpeed(double? Achieved, double? ErrorShare, double BytesPerSecond, bool? Reads, string Text)
{
    /// <summary>
    /// A byte of 8N1 is read well while its last bit is not half a bit off (less a sixteenth for finding its beginning): 7/16 in 9.5
    /// bits, 4.6 % for both ends together; a board's own clock may take 1.6 % of it, which leaves this share to the adapter.
    /// </summary>
    public const double Tolerance = 7.0 / 16 / 9.5 - 0.016;

    /// <summary>The nearest rate of this adapter.</summary>
    public static ConsoleSpeed Of(ConsoleAdapter adapter, int wanted)
    {
        static string Rate(double rate) => Math.Round(rate).ToString("#,0", CultureInfo.InvariantCulture);
        if (wanted > adapter.MaxSpeed)
            return new(
                null,
                null,
                wanted / 10.0,
                false,
                $"Reaches {Rate(adapter.MaxSpeed)} bits a second at most; this console runs at {Rate(wanted)}."
            );
        if (adapter.Clocks is not { Count: > 0 } clocks)
            return new(
                null,
                null,
                wanted / 10.0,
                null,
                $"How near it comes to {Rate(wanted)} bits a second is not known: nothing tells what its chip divides. Garbled text would show it."
            );
        var achieved = clocks.Select(c => c.Nearest(wanted)).MinBy(r => Math.Abs(r - wanted));
        var error = achieved / wanted - 1;
        var reads = Math.Abs(error) <= Tolerance;
        static string P(double share) => (share * 100).ToString("0.0", CultureInfo.InvariantCulture);
        return new(
            achieved,
            error,
            wanted / 10.0,
            reads,
            $"Reaches {Rate(achieved)} bits a second of {Rate(wanted)}, {P(Math.Abs(error))} % off; up to {P(Tolerance)} % is read well."
        );
    }
}
