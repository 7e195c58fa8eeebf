using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;

namespace Buttonhook.Core.Tests.Connecting;

public class ConnectingTests
{
    private static readonly ConsoleAdapter Logic = new("a", "The adapter", [ConsoleLevel.Logic33], 1_500_000);
    private static readonly ConsoleAdapter Rs232 = new("b", "The adapter", [ConsoleLevel.Rs232], 921_600);

    private static ConsolePort Port(ConsoleLevel level, int speed = 115200) => new("ttyS0", speed, level, "pins");

    [Fact]
    public void Data_wires_are_crossed_and_no_supply_wire_is_named()
    {
        var wiring = ConsoleWires.Check(Logic, Port(ConsoleLevel.Logic33));
        Assert.True(wiring.MayBeWired);
        Assert.Equal([("ground", "ground"), ("transmit", "receive"), ("receive", "transmit")], wiring.Wires.Select(w => (w.From, w.To)));
    }

    [Theory]
    [InlineData(ConsoleLevel.Logic18)]
    [InlineData(ConsoleLevel.Logic33)]
    [InlineData(ConsoleLevel.Logic5)]
    public void Rs232_on_a_logic_pin_is_refused(ConsoleLevel level) =>
        Assert.EndsWith("RS-232 destroys a logic pin.", ConsoleWires.Check(Rs232, Port(level)).Refused);

    [Fact]
    public void A_logic_adapter_on_rs232_is_refused() =>
        Assert.EndsWith("RS-232 destroys the adapter.", ConsoleWires.Check(Logic, Port(ConsoleLevel.Rs232)).Refused);

    [Fact]
    public void A_speed_beyond_the_adapter_is_refused_with_both_numbers() =>
        Assert.Equal(
            "The adapter reaches 921600 bits a second; this console runs at 1500000.",
            ConsoleWires.Check(Rs232, Port(ConsoleLevel.Rs232, 1_500_000)).Refused
        );

    [Theory]
    [InlineData(5, 3, true, "Needs 2.5 A at the board; this supply gives 3.0 A, 0.5 A to spare.")]
    [InlineData(5, 1, false, "Needs 2.5 A at the board; this supply gives 1.0 A.")]
    [InlineData(12, 3, false, "Needs 5.0 V; this supply gives 12.0 V. Do not plug it in.")]
    public void A_supply_is_judged_with_its_numbers(double volts, double amps, bool enough, string text)
    {
        var verdict = SupplyCheck.Check(new("s", "s", volts, amps), new(5, 2.5, "c"));
        Assert.Equal((enough, text), (verdict.Enough, verdict.Text));
    }
}
