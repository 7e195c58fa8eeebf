using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Connecting;

/// <summary>One wire: from a terminal of the adapter to one of the board.</summary>
public sealed record Wire(string From, string To, string Why);

/// <summary>How an adapter goes onto a board: the wires, or why not.</summary>
/// <param name="Refused">The reason why this pairing must not be wired, or null.</param>
/// <param name="Notes">What to mind.</param>
public sealed record Wiring(string? Refused, IReadOnlyList<Wire> Wires, IReadOnlyList<string> Notes)
{
    /// <summary>True when it may be wired.</summary>
    public bool MayBeWired => Refused is null;
}

/// <summary>Console wiring: ground to ground, data crossed, never a supply wire; levels must be equal.</summary>
public static class ConsoleWires
{
    /// <summary>The wiring of this adapter to this console.</summary>
    public static Wiring Check(ConsoleAdapter adapter, ConsolePort port)
    {
        if (!adapter.Levels.Contains(port.Level))
        {
            var has = string.Join(" or ", adapter.Levels.Select(l => l.Words()));
            var harm =
                adapter.Levels.Contains(ConsoleLevel.Rs232) && port.Level != ConsoleLevel.Rs232 ? " RS-232 destroys a logic pin."
                : port.Level == ConsoleLevel.Rs232 ? " RS-232 destroys the adapter."
                : "";
            return new($"{adapter.Name} speaks {has}; this console is {port.Level.Words()}.{harm}", [], []);
        }
        if (port.Speed > adapter.MaxSpeed)
            return new($"{adapter.Name} reaches {adapter.MaxSpeed} bits a second; this console runs at {port.Speed}.", [], []);
        if (ConsoleSpeed.Of(adapter, port.Speed) is { Reads: false } off)
            return new($"{adapter.Name} cannot make this rate. {off.Text}", [], []);
        string Own(string name, string pin) => adapter.Connector == "nine-pin" ? $"{name}, {pin}" : name;
        IReadOnlyList<Wire> wires =
        [
            new(Own("ground", "5"), $"ground, {port.Ground}", "both ends need the same zero"),
            new(Own("transmit", "3"), $"receive, {port.Receive}", "what you type"),
            new(Own("receive", "2"), $"transmit, {port.Transmit}", "what the board prints"),
        ];
        return port.Level == ConsoleLevel.Rs232
            ? new(
                null,
                wires,
                [
                    "Two RS-232 ports are both terminals: use a null-modem cable, which crosses the data wires.",
                    "With a straight cable nothing at all appears.",
                ]
            )
            : new(
                null,
                wires,
                [
                    "Leave the adapter's supply wire off: the board has its own supply.",
                    "Open the console before power: an empty window is right until then.",
                ]
            );
    }
}
