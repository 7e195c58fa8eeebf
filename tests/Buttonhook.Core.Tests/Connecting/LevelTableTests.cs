using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;

namespace Buttonhook.Core.Tests.Connecting;

/// <summary>Every pair of what an adapter speaks and what a console is, with its verdict and its reason.</summary>
public class LevelTableTests
{
    private const ConsoleLevel V18 = ConsoleLevel.Logic18;
    private const ConsoleLevel V33 = ConsoleLevel.Logic33;
    private const ConsoleLevel V5 = ConsoleLevel.Logic5;
    private const ConsoleLevel Rs = ConsoleLevel.Rs232;
    private const ConsoleLevel No = ConsoleLevel.Unknown;

    public static TheoryData<ConsoleLevel[], ConsoleLevel, string, string> Pairs =>
        new()
        {
            { [V18], V18, "wire", "More than 1.8 V on this pin destroys the board" },
            { [V18], V33, "refuse", "3.3 V from the board destroy an adapter for 1.8 V" },
            { [V18], V5, "refuse", "5 V from the board destroy an adapter for 1.8 V" },
            { [V18], Rs, "refuse", "RS-232 destroys the adapter" },
            { [V33], V18, "refuse", "3.3 V on a pin for 1.8 V destroys it" },
            { [V33], V33, "wire", "5 V logic or RS-232 on this pin destroys the board" },
            { [V33], V5, "refuse", "5 V from the board destroy an adapter for 3.3 V" },
            { [V33], Rs, "refuse", "RS-232 destroys the adapter" },
            { [V5], V18, "refuse", "5 V on a pin for 1.8 V destroys it" },
            { [V5], V33, "refuse", "5 V on a pin for 3.3 V destroys it" },
            { [V5], V5, "wire", "RS-232 on this pin destroys the board" },
            { [V5], Rs, "refuse", "RS-232 destroys the adapter" },
            { [Rs], V18, "refuse", "RS-232 destroys a logic pin" },
            { [Rs], V33, "refuse", "RS-232 destroys a logic pin" },
            { [Rs], V5, "refuse", "RS-232 destroys a logic pin" },
            { [Rs], Rs, "wire", "up to 15 V" },
            {
                [V18, V33],
                V18,
                "wire",
                "Set the adapter's jumper to 1.8 V before you connect it, and measure its transmit wire: at 3.3 V it destroys this pin"
            },
            {
                [V18, V33],
                V33,
                "wire",
                "Set the adapter's jumper to 3.3 V before you connect it, and measure its transmit wire: at 1.8 V nothing can be read"
            },
            { [V18, V33], V5, "refuse", "5 V from the board destroy an adapter for 3.3 V" },
            { [V18, V33], Rs, "refuse", "RS-232 destroys the adapter" },
            { [V33, V5], V18, "refuse", "5 V on a pin for 1.8 V destroys it" },
            { [V33, V5], V33, "wire", "at 5 V it destroys this pin" },
            { [V33, V5], V5, "wire", "at 3.3 V nothing can be read" },
            { [V18], No, "measure", "measure its transmit pin" },
            { [V33], No, "measure", "measure its transmit pin" },
            { [V5], No, "measure", "measure its transmit pin" },
            { [Rs], No, "measure", "measure its transmit pin" },
            { [No], V33, "refuse", "Nobody knows what the adapter speaks" },
        };

    [Theory]
    [MemberData(nameof(Pairs))]
    public void Every_pair_has_its_verdict_and_its_reason(ConsoleLevel[] adapter, ConsoleLevel port, string verdict, string reason)
    {
        var wiring = ConsoleWires.Check(new("a", "The adapter", adapter, 3_000_000), new("ttyS0", 115200, port, "header", "6", "8", "10"));
        Assert.Equal(
            verdict,
            wiring.Refused is not null ? "refuse"
                : wiring.Measure is not null ? "measure"
                : "wire"
        );
        Assert.Equal(verdict == "wire", wiring.MayBeWired);
        Assert.Equal(verdict == "wire", wiring.Wires.Count == 3);
        Assert.Contains(reason, string.Join(' ', [wiring.Refused ?? "", wiring.Measure ?? "", wiring.Caution ?? "", .. wiring.Notes]));
    }

    [Fact]
    public void No_pair_of_levels_is_missing_from_the_table()
    {
        var levels = Enum.GetValues<ConsoleLevel>();
        foreach (var adapter in levels.Where(l => l != No))
        foreach (var port in levels)
            Assert.Contains(Pairs, p => p.Data.Item1 is [var one] && one == adapter && p.Data.Item2 == port);
    }

    [Fact]
    public void The_supply_wire_is_named_and_stays_off_and_pins_keep_their_own_order()
    {
        var wiring = ConsoleWires.Check(Bench.Catalogue.Adapter("usb-33")!, new("ttyS0", 115200, V33, "header", "6", "8", "10"));
        Assert.Contains(wiring.Notes, n => n.Contains("(5 V, red)"));
        Assert.Equal(["GND", "CTS", "5 V", "TXD", "RXD", "RTS"], wiring.AdapterPins.Select(p => p.Name));
        Assert.Equal([0, -1, -1, 1, 2, -1], wiring.AdapterPins.Select(p => p.Wire));
        Assert.Equal("leave it off", wiring.AdapterPins[2].Leave);
        Assert.Equal(["6 ground", "8 transmit", "10 receive"], wiring.BoardPins.Select(p => p.Name));
        Assert.Equal([0, 2, 1], wiring.BoardPins.Select(p => p.Wire));
    }
}
