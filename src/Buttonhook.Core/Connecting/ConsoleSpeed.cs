using System.Globalization;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Connecting;

/// <summary>The rate that an adapter really reaches for a console.</summary>
/// <param name="Achieved">Bits a second that its divisor gives.</param>
/// <param name="ErrorShare">How far that is off, as a share of the wanted rate.</param>
/// <param name="BytesPerSecond">Ten bits make a byte with 8N1.</param>
public sealed record ConsoleSpeed(double Achieved, double ErrorShare, double BytesPerSecond, bool Reads, string Text)
{
    /// <summary>
    /// A byte of 8N1 is read well while its last bit is not half a bit off (less a sixteenth for finding its beginning): 7/16 in 9.5
    /// bits, 4.6 % for both ends together; a board's own clock may take 1.6 % of it, which leaves this share to the adapter.
    /// </summary>
    public const double Tolerance = 7.0 / 16 / 9.5 - 0.016;

    /// <summary>The nearest rate of this adapter.</summary>
    public static ConsoleSpeed Of(ConsoleAdapter adapter, int wanted)
    {
        var step = adapter.DivisorStep;
        var divisor = Math.Max(1, Math.Round(adapter.BaseSpeed / (double)wanted / step) * step);
        var achieved = adapter.BaseSpeed / divisor;
        var error = achieved / wanted - 1;
        var reads = Math.Abs(error) <= Tolerance;
        static string P(double share) => (share * 100).ToString("0.0", CultureInfo.InvariantCulture);
        return new(
            achieved,
            error,
            wanted / 10.0,
            reads,
            $"Reaches {Math.Round(achieved).ToString("#,0", CultureInfo.InvariantCulture)} bits a second of {wanted.ToString("#,0", CultureInfo.InvariantCulture)}, {P(Math.Abs(error))} % off; up to {P(Tolerance)} % is read well."
        );
    }
}
