using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Connecting;

/// <summary>One wire: from a terminal of the adapter to one of the board.</summary>
public sealed record Wire(string From, string To, string Why);

/// <summary>A pin as it is drawn: its place in the row of its end, what it is, the colour of its wire (null: not known), and the wire that it carries (index, -1 for none).</summary>
/// <param name="Leave">Why it stays free, or null when it carries a wire or nothing needs to be said.</param>
public sealed record DrawnPin(string Name, string? Colour, int Wire, string? Leave);

/// <summary>How an adapter goes onto a board: the wires, or why not.</summary>
/// <param name="Refused">The reason why this pairing must not be wired, or null.</param>
/// <param name="Measure">What must be measured first because nobody knows it, or null.</param>
/// <param name="Caution">What can be hurt at this step; null when it is refused anyway.</param>
/// <param name="Notes">What to mind, in the order of the hands.</param>
/// <param name="AdapterPins">The adapter's own row, in its own order.</param>
/// <param name="BoardPins">The header's own row, in its own order.</param>
public sealed record Wiring(
    string? Refused,
    string? Measure,
    string? Caution,
    IReadOnlyList<Wire> Wires,
    IReadOnlyList<string> Notes,
    IReadOnlyList<DrawnPin> AdapterPins,
    IReadOnlyList<DrawnPin> BoardPins
)
{
    /// <summary>True when it may be wired.</summary>
    [System.Text.Json.Serialization.JsonIgnore]
    public bool MayBeWired => Refused is null && Measure is null;
}

/// <summary>Console wiring: ground to ground, data crossed, never a supply wire; levels must be equal, and a level that nobody knows is measured first.</summary>
public static class ConsoleWires
{
    /// <summary>The wiring of this adapter to this console.</summary>
    public static Wiring Check(ConsoleAdapter adapter, ConsolePort port)
    {
        if (Levels(adapter, port) is { } harm)
            return Not(harm);
        if (port.Speed is { } speed && speed > adapter.MaxSpeed)
            return Not($"{adapter.Name} reaches {adapter.MaxSpeed} bits a second; this console runs at {speed}.");
        if (port.Speed is { } rate && ConsoleSpeed.Of(adapter, rate) is { Reads: false } off)
            return Not($"{adapter.Name} cannot make this rate. {off.Text}");
        var logic = port.Level != ConsoleLevel.Rs232;
        string Own(string name, string pin) => adapter.Connector == "nine-pin" ? $"{name}, {pin}" : name;
        if (port.Level == ConsoleLevel.Unknown || port.Pins is null)
            return new(null, Measure(port), "The wrong level or pin destroys the board's pin or the adapter.", [], [], [], []);
        IReadOnlyList<Wire> wires =
        [
            new(Own("ground", "5"), $"ground, {port.Ground}", "both ends need the same zero"),
            new(Own("transmit", "3"), $"receive, {port.Receive}", "what you type"),
            new(Own("receive", "2"), $"transmit, {port.Transmit}", "what the board prints"),
        ];
        var notes = new List<string>();
        if (port.Speed is null)
            notes.Add("Its speed is not known: begin with 115200; the true one is told from what arrives.");
        if (adapter.Levels.Count > 1)
            notes.Add(
                $"Set the adapter's jumper to {Volts(port.Level)} before you connect it, and measure its transmit wire: {string.Join(", ", adapter.Levels.Where(l => l != port.Level).Select(l => AtJumper(l, port.Level)))}."
            );
        if (logic)
        {
            var supply = (adapter.Pins ?? []).FirstOrDefault(p => p.Carries == "supply");
            notes.Add(
                supply is null
                    ? "Leave a supply wire off, if the adapter has one: the board has its own supply."
                    : $"Leave the adapter's supply wire off ({supply.Name}{(supply.Colour is { } c ? $", {c}" : "")}): the board has its own supply, and two supplies feed each other."
            );
            notes.Add("Open the console before power: an empty window is right until then.");
        }
        else
        {
            notes.Add("Two RS-232 ports are both terminals: use a null-modem cable, which crosses the data wires.");
            notes.Add("With a straight cable nothing at all appears.");
        }
        return new(null, null, CautionFor(port.Level), wires, notes, AdapterRow(adapter), BoardRow(port));
    }

    /// <summary>What to measure when pins or level are not known, in the order in which it is safe.</summary>
    private static string Measure(ConsolePort port)
    {
        var pins = port.Pins is null
            ? "Nobody knows which pins carry this console. Power off: the ground pin is the one that a meter's beeper joins with the metal of a socket. "
                + "Power on: transmit is the pin that stands at a steady voltage against ground and flickers while the board starts. "
            : "";
        var level =
            port.Level == ConsoleLevel.Unknown
                ? "Nobody knows at which level this console speaks. Before you connect it, measure its transmit pin against ground with a meter, board on: "
                    + "1.8, 3.3 or 5 V is logic of that level, minus 3 to minus 15 V is RS-232. "
                : "";
        return $"{pins}{level}Then put it into the board's profile.";
    }

    /// <summary>What can be hurt when a console of this level is wired.</summary>
    public static string CautionFor(ConsoleLevel level) =>
        level switch
        {
            ConsoleLevel.Logic18 => "More than 1.8 V on this pin destroys the board: 3.3 V and 5 V logic and RS-232 alike.",
            ConsoleLevel.Logic33 => "5 V logic or RS-232 on this pin destroys the board.",
            ConsoleLevel.Logic5 => "RS-232 on this pin destroys the board; its 5 V destroy an adapter for 3.3 or 1.8 V.",
            ConsoleLevel.Rs232 => "RS-232 carries up to 15 V: it belongs on the nine-pin socket only.",
            _ => "The wrong level destroys the board's pin or the adapter: measure it first.",
        };

    /// <summary>Why these levels must not meet, or null. A pin stands its own supply and a few tenths of a volt more (absolute maximum ratings of logic), so the higher side harms the lower one.</summary>
    private static string? Levels(ConsoleAdapter adapter, ConsolePort port)
    {
        if (port.Level == ConsoleLevel.Unknown || adapter.Levels.Contains(port.Level))
            return null;
        var has = string.Join(" or ", adapter.Levels.Select(l => l.Words()));
        var what = $"{adapter.Name} speaks {has}; this console is {port.Level.Words()}.";
        if (port.Level == ConsoleLevel.Rs232)
            return $"{what} RS-232 destroys the adapter.";
        if (adapter.Levels.All(l => l == ConsoleLevel.Rs232))
            return $"{what} RS-232 destroys a logic pin.";
        var nearest = adapter.Levels.Where(l => l is not (ConsoleLevel.Rs232 or ConsoleLevel.Unknown)).Order().ToList();
        return nearest.Count == 0 ? $"{what} Nobody knows what the adapter speaks: measure its transmit wire first."
            : nearest[^1] > port.Level ? $"{what} {Volts(nearest[^1])} on a pin for {Volts(port.Level)} destroys it."
            : $"{what} {Volts(port.Level)} from the board destroy an adapter for {Volts(nearest[^1])}, and its own signal is too low to be read.";
    }

    private static string AtJumper(ConsoleLevel at, ConsoleLevel port) =>
        at > port
            ? $"at {Volts(at)} it destroys this pin"
            : $"at {Volts(at)} nothing can be read, and the board's {Volts(port)} may destroy the adapter";

    private static string Volts(ConsoleLevel level) =>
        level switch
        {
            ConsoleLevel.Logic18 => "1.8 V",
            ConsoleLevel.Logic33 => "3.3 V",
            ConsoleLevel.Logic5 => "5 V",
            _ => "RS-232",
        };

    private static Wiring Not(string why) => new(why, null, null, [], [], [], []);

    /// <summary>The pins of a nine-pin socket that carry ground, transmit and receive (EIA-574).</summary>
    private static readonly int[] NinePin = [5, 3, 2];

    private static readonly string[] Carried = ["ground", "transmit", "receive"];

    /// <summary>The adapter's pins in their own order; where nobody noted it, the three that matter.</summary>
    private static IReadOnlyList<DrawnPin> AdapterRow(ConsoleAdapter adapter) =>
        adapter.Pins is { Count: > 0 } pins
            ?
            [
                .. pins.Select(p => new DrawnPin(
                    p.Name,
                    p.Colour,
                    Array.IndexOf(Carried, p.Carries),
                    p.Carries == "supply" ? "leave it off" : null
                )),
            ]
            : [.. Carried.Select((c, i) => new DrawnPin(adapter.Connector == "nine-pin" ? $"{c}, {NinePin[i]}" : c, null, i, null))];

    /// <summary>The header's three pins in the order of their numbers, where they have numbers.</summary>
    private static IReadOnlyList<DrawnPin> BoardRow(ConsolePort port)
    {
        (string Name, string? Pin, int Wire)[] pins =
        [
            ("ground", port.Ground, 0),
            ("receive", port.Receive, 1),
            ("transmit", port.Transmit, 2),
        ];
        var ordered = pins.All(p => int.TryParse(p.Pin, out _)) ? pins.OrderBy(p => int.Parse(p.Pin!)).ToArray() : pins;
        return [.. ordered.Select(p => new DrawnPin($"{p.Pin} {p.Name}", null, p.Wire, null))];
    }
}
