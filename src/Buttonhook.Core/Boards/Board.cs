namespace Buttonhook.Core.Boards;

/// <summary>One physical board on the bench.</summary>
/// <param name="MemoryMiB">Null when nobody knows how much is fitted.</param>
/// <param name="ToldBy">How its identity is known: mark, loader, person; several may agree.</param>
/// <param name="ImageId">The image chosen for it, or null.</param>
/// <param name="Changes">What was changed on its card so far, in order, in plain words.</param>
public sealed record Board(
    string Id,
    string Nickname,
    string ModelId,
    string RevisionId,
    int? MemoryMiB,
    Connected Connected,
    IReadOnlyList<string> ToldBy,
    string? ImageId,
    IReadOnlyList<string> Changes,
    bool Simulated
);

/// <summary>What is connected to a board; null means nothing there.</summary>
/// <param name="CardGb">The label on the card in GB.</param>
/// <param name="SupplyId">A supply of the catalogue.</param>
/// <param name="AdapterId">A console adapter of the catalogue.</param>
/// <param name="CableId">The supply cable, a cable of the catalogue; null when the supply has its own.</param>
/// <param name="Parts">Ids of parts that the board feeds.</param>
public sealed record Connected(
    int? CardGb,
    bool Screen,
    bool Network,
    string? SupplyId,
    string? AdapterId,
    string? CableId = null,
    IReadOnlyList<string>? Parts = null
);

/// <summary>A card as it was measured: the gigabytes on its label, and the bytes that it holds.</summary>
/// <param name="Source">Where that is known from.</param>
public sealed record MeasuredCard(int LabelGb, long Bytes, string Source);

/// <summary>A power supply: volts and rated amperes.</summary>
/// <param name="Plug">What it ends in, as board profiles name their sockets; null when that is not known.</param>
/// <param name="AmpsUntilAsked">What it gives to a board that does not agree with it by power delivery; null when it gives all of it to everyone.</param>
public sealed record Supply(string Id, string Name, double Volts, double Amps, double? AmpsUntilAsked = null, string? Plug = null);

/// <summary>A supply cable: length in metres, copper of one wire in square millimetres, and the resistance of its plugs in ohms.</summary>
public sealed record SupplyCable(string Id, string Name, double Metres, double SquareMillimetres, double PlugOhms);

/// <summary>A part that the board feeds: amperes when it starts, and whether it hangs on a USB socket.</summary>
public sealed record FedPart(string Id, string Name, double Amps, bool OnUsb);

/// <summary>A console adapter: the levels it speaks and the highest rate in bits per second that it reaches.</summary>
/// <param name="Connector">Its plug: loose wires, or nine-pin.</param>
/// <param name="Clocks">What it divides to get a rate, each way that it has; null when that is not known.</param>
/// <param name="Pins">Its pins in their order; null when nobody noted it.</param>
public sealed record ConsoleAdapter(
    string Id,
    string Name,
    IReadOnlyList<ConsoleLevel> Levels,
    int MaxSpeed,
    string Connector = "loose wires",
    IReadOnlyList<AdapterClock>? Clocks = null,
    IReadOnlyList<AdapterPin>? Pins = null
);

/// <summary>One way of an adapter to make a rate: a base in bits a second over a divisor.</summary>
/// <param name="Step">The finest step of the divisor: 1, or 0.125 for one with eighths.</param>
/// <param name="Least">The smallest divisor.</param>
/// <param name="Most">The largest divisor.</param>
public sealed record AdapterClock(double Base, double Step, double Least, double Most)
{
    /// <summary>The rate that it makes nearest to a wanted one, in bits a second.</summary>
    public double Nearest(int wanted) => Base / Math.Clamp(Math.Round(Base / wanted / Step) * Step, Least, Most);
}

/// <summary>The chip of a USB adapter, told by the ids that it carries.</summary>
/// <param name="Usb">Vendor and product as the system gives them ("0403:6001").</param>
/// <param name="MaxSpeed">What every such chip reaches, in bits a second.</param>
/// <param name="Clocks">As of an adapter; as the kernel's driver for these ids computes a rate.</param>
public sealed record AdapterChip(IReadOnlyList<string> Usb, int MaxSpeed, IReadOnlyList<AdapterClock>? Clocks);

/// <summary>A pin or wire of an adapter, in the order of its row.</summary>
/// <param name="Name">As it is printed or usually called.</param>
/// <param name="Colour">The colour of its wire, or null.</param>
/// <param name="Carries">ground, transmit, receive, supply, or other.</param>
public sealed record AdapterPin(string Name, string? Colour, string Carries);
