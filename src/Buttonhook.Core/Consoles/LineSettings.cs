using System.Globalization;

namespace Buttonhook.Core.Consoles;

/// <summary>The bit behind the data bits of each byte, or none.</summary>
public enum Parity
{
    /// <summary>No parity bit.</summary>
    None,

    /// <summary>The number of ones is even.</summary>
    Even,

    /// <summary>The number of ones is odd.</summary>
    Odd,
}

/// <summary>How one end tells the other to wait.</summary>
public enum FlowControl
{
    /// <summary>It does not.</summary>
    None,

    /// <summary>By the wires RTS and CTS.</summary>
    Hardware,

    /// <summary>By the bytes XOFF (0x13) and XON (0x11).</summary>
    Software,
}

/// <summary>How a serial line is set.</summary>
/// <param name="Speed">Bits a second, 50 to 4,000,000.</param>
/// <param name="DataBits">7 or 8.</param>
/// <param name="StopBits">1 or 2.</param>
public sealed record LineSettings(
    int Speed,
    int DataBits = 8,
    Parity Parity = Parity.None,
    int StopBits = 1,
    FlowControl Flow = FlowControl.None
)
{
    /// <summary>The slowest and the fastest line that is opened, in bits a second.</summary>
    public const int Slowest = 50,
        Fastest = 4_000_000;

    /// <summary>Data bits, parity and stop bits in the usual three letters ("8N1").</summary>
    public string Frame => string.Create(CultureInfo.InvariantCulture, $"{DataBits}{Parity.ToString()[0]}{StopBits}");

    /// <summary>"115200 8N1", with the flow control where there is one.</summary>
    public override string ToString() =>
        string.Create(
            CultureInfo.InvariantCulture,
            $"{Speed} {Frame}{Flow switch { FlowControl.Hardware => ", RTS/CTS", FlowControl.Software => ", XON/XOFF", _ => "" }}"
        );

    /// <summary>Settings of a speed and a frame such as 8N1, 7E1 or 8N2 (null: 8N1); a problem for anything else.</summary>
    public static Answer<LineSettings> Of(int speed, string? frame = null, FlowControl flow = FlowControl.None)
    {
        if (speed is < Slowest or > Fastest)
            return new Problem(
                "A console runs at 50 to 4,000,000 bits a second.",
                $"{speed} is outside.",
                "Take the speed on the board profile."
            );
        frame ??= "8N1";
        Parity? parity =
            frame.Length != 3
                ? null
                : char.ToUpperInvariant(frame[1]) switch
                {
                    'N' => Parity.None,
                    'E' => Parity.Even,
                    'O' => Parity.Odd,
                    _ => null,
                };
        return parity is not null && frame[0] is '7' or '8' && frame[2] is '1' or '2'
            ? new LineSettings(speed, frame[0] - '0', parity.Value, frame[2] - '0', flow)
            : new Problem(
                "A frame is told as data bits, parity and stop bits, such as 8N1, 7E1 or 8O2.",
                $"It is {frame}.",
                "Most boards want 8N1."
            );
    }
}
