using System.Globalization;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Connecting;

/// <summary>Whether a supply is enough for a board, with the margin.</summary>
public sealed record SupplyVerdict(bool Enough, string Text);

/// <summary>Supply against need, in volts and amperes at the board.</summary>
public static class SupplyCheck
{
    /// <summary>The verdict as a sentence with the numbers in it; a missing supply is not enough.</summary>
    public static SupplyVerdict Check(Supply? supply, PowerInput need)
    {
        static string N(double value) => value.ToString("0.0", CultureInfo.InvariantCulture);
        if (supply is null)
            return new(false, $"Needs {N(need.Volts)} V and {N(need.Amps)} A at the board; no supply is chosen.");
        if (Math.Abs(supply.Volts - need.Volts) > 0.3)
            return new(false, $"Needs {N(need.Volts)} V; this supply gives {N(supply.Volts)} V. Do not plug it in.");
        var margin = supply.Amps - need.Amps;
        return margin < 0
            ? new(false, $"Needs {N(need.Amps)} A at the board; this supply gives {N(supply.Amps)} A.")
            : new(true, $"Needs {N(need.Amps)} A at the board; this supply gives {N(supply.Amps)} A, {N(margin)} A to spare.");
    }
}
