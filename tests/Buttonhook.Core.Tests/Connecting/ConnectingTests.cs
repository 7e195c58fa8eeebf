using Buttonhook.Core.Boards;
using Buttonhook.Core.Connecting;

namespace Buttonhook.Core.Tests.Connecting;

public class ConnectingTests
{
    private static readonly ConsoleAdapter Logic = new("a", "The adapter", [ConsoleLevel.Logic33], 1_500_000);
    private static readonly ConsoleAdapter Rs232 = new("b", "The adapter", [ConsoleLevel.Rs232], 921_600);

    private static ConsolePort Port(ConsoleLevel level, int speed = 115200) => new("ttyS0", speed, level, "header", "1", "2", "3");

    [Fact]
    public void Data_wires_are_crossed_and_no_supply_wire_is_named()
    {
        var wiring = ConsoleWires.Check(Logic, Port(ConsoleLevel.Logic33));
        Assert.True(wiring.MayBeWired);
        Assert.Equal(
            [("ground", "ground, 1"), ("transmit", "receive, 3"), ("receive", "transmit, 2")],
            wiring.Wires.Select(w => (w.From, w.To))
        );
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
        var verdict = SupplyCheck.Check(new("s", "s", volts, amps), null, [], new(5, 2.5, 1, 4.75, "c", false));
        Assert.Equal((enough, text), (verdict.Enough, verdict.Text));
    }

    private static readonly PowerInput Need = new(5, 2, 0.6, 4.75, "USB-C", false, 1.2);

    private static SupplyVerdict Verdict(string supply, string? cable, params string[] parts) =>
        SupplyCheck.Check(new(32, false, true, supply, null, cable, parts), Need, Bench.Catalogue);

    [Fact]
    public void A_thin_cable_is_told_with_its_volts_and_the_better_one()
    {
        // 0.0175 ohm mm² a metre, 2 m there and back over 0.08 mm²: 0.875 ohm, and 0.06 of plugs.
        var verdict = Verdict("usb-5v-3a", "usb-long-thin");
        Assert.False(verdict.Enough);
        Assert.Equal(0.935, verdict.CableOhms!.Value, 3);
        Assert.Equal(5.1 - 2 * 0.935, verdict.VoltsAtBoard!.Value, 3);
        Assert.Equal("3.23 V arrive at the board, it needs 4.75 V: the cable loses 1.87 V at 2.0 A.", verdict.Text);
        Assert.Equal("Take this cable: 0.5 m, thick (0.5 mm²). Then 4.97 V arrive.", verdict.Change);
    }

    [Fact]
    public void What_is_not_asked_for_is_not_given()
    {
        var verdict = Verdict("usb-5v-5a", null, "ssd", "fan");
        Assert.Equal(3, verdict.GivesAmps);
        Assert.Contains("3.0 A of its 5.0 A, since this board does not ask for more", verdict.Text);
        Assert.Equal(5, SupplyCheck.Check(Bench.Catalogue.Supply("usb-5v-5a"), null, [], Need with { Negotiates = true }).GivesAmps);
    }

    [Fact]
    public void The_biggest_consumer_and_the_cheapest_change_are_named()
    {
        var verdict = Verdict("usb-5v-3a", null, "disk", "keyboard");
        Assert.Equal(["The board while it boots", "Spinning disk", "Keyboard and mouse"], verdict.Consumers.Select(c => c.Name));
        Assert.StartsWith("Needs 4.0 A at the board; this supply gives 3.0 A.", verdict.Text);
        Assert.Equal("Feed this part from its own supply: Spinning disk, 1.8 A.", verdict.Change);
        Assert.Equal(
            "The USB sockets give 1.2 A together; ssd, usb stick, keyboard and mouse take 1.3 A.",
            SupplyCheck
                .Check(
                    new("s", "s", 5, 9),
                    null,
                    [.. Bench.Catalogue.Parts.Where(p => p.Id is "ssd" or "stick" or "keyboard").Reverse()],
                    Need
                )
                .Text
        );
        Assert.Equal("Take this supply: 5 V, 2.5 A with USB-C.", Verdict("usb-5v-1a", null).Change);
        Assert.Null(Verdict("usb-5v-3a", "usb-short").Change);
    }

    [Fact]
    public void A_supply_with_another_plug_is_not_enough_and_never_offered()
    {
        Assert.Equal("This supply ends in micro USB; the board takes USB-C.", Verdict("usb-5v-2a", null).Text);
        foreach (var supply in Bench.Catalogue.Supplies)
            Assert.DoesNotContain("micro USB", Verdict(supply.Id, null).Change ?? "");
    }

    [FsCheck.Xunit.Property]
    public bool More_parts_never_make_a_supply_enough(bool[] taken, bool one)
    {
        var parts = Bench.Catalogue.Parts.Where((_, i) => i < taken.Length && taken[i]).ToList();
        var supply = Bench.Catalogue.Supply(one ? "usb-5v-3a" : "usb-5v-5a");
        var cable = Bench.Catalogue.Cables[1];
        var with = SupplyCheck.Check(supply, cable, parts, Need);
        var without = SupplyCheck.Check(supply, cable, [.. parts.Skip(1)], Need);
        return with.Enough != true || without.Enough == true;
    }

    /// <summary>A need with some of its figures taken away.</summary>
    private static PowerInput Without(PowerInput need, int left) =>
        need with
        {
            Volts = (left & 1) == 0 ? null : need.Volts,
            Amps = (left & 2) == 0 ? null : need.Amps,
            MinimumVolts = (left & 4) == 0 ? null : need.MinimumVolts,
            Connector = (left & 8) == 0 ? null : need.Connector,
            Negotiates = (left & 16) == 0 ? null : need.Negotiates,
            UsbAmps = (left & 32) == 0 ? null : need.UsbAmps,
        };

    [FsCheck.Xunit.Property(MaxTest = 2000)]
    public bool Taking_a_figure_away_never_makes_a_supply_enough(byte left, byte which, byte cable, bool[] taken)
    {
        var parts = Bench.Catalogue.Parts.Where((_, i) => i < taken.Length && taken[i]).ToList();
        var supplies = Bench.Catalogue.Supplies;
        var cables = Bench.Catalogue.Cables;
        foreach (var model in Bench.Catalogue.Models)
        {
            var supply = which % (supplies.Count + 1) is var s && s < supplies.Count ? supplies[s] : null;
            var over = cable % (cables.Count + 1) is var c && c < cables.Count ? cables[c] : null;
            var known = SupplyCheck.Check(supply, over, parts, model.Power);
            var less = SupplyCheck.Check(supply, over, parts, Without(model.Power, left));
            if (less.Enough == true && known.Enough != true)
                return false;
            // What cannot be told says which fact would tell it.
            if (less.Enough is null != less.Missing is not null)
                return false;
        }
        return true;
    }

    [Fact]
    public void A_supply_of_an_unknown_need_is_neither_enough_nor_refused_and_the_safe_way_is_said()
    {
        var board = Bench.Board("quill-v").Connected with { SupplyId = "usb-5v-3a", Parts = [] };
        var verdict = SupplyCheck.Check(board, PowerInput.Nothing with { Hint = "12 V, since a regulator says so" }, Bench.Catalogue);
        Assert.Null(verdict.Enough);
        Assert.Contains("Cannot tell without the volts", verdict.Text);
        Assert.Contains("A hint, no proof: 12 V", verdict.Text);
        Assert.Contains("start with nothing attached", verdict.Change);
        var wrong = SupplyCheck.Check(board, PowerInput.Nothing with { Volts = 12 }, Bench.Catalogue);
        Assert.False(wrong.Enough);
        var amps = SupplyCheck.Check(board, PowerInput.Nothing with { Volts = 5 }, Bench.Catalogue);
        Assert.Equal("the amperes that the board takes", amps.Missing);
    }

    [Fact]
    public void Pins_and_levels_that_nobody_knows_are_measured_before_anything_is_connected()
    {
        var adapter = Bench.Catalogue.Adapter("usb-33")!;
        var nothing = ConsoleWires.Check(adapter, ConsolePort.Nothing);
        Assert.False(nothing.MayBeWired);
        Assert.Contains("which pins carry this console", nothing.Measure);
        Assert.Contains("measure its transmit pin", nothing.Measure);
        var port = Port(ConsoleLevel.Logic33, 115200);
        Assert.True(ConsoleWires.Check(adapter, port).MayBeWired);
        Assert.False(ConsoleWires.Check(adapter, port with { Receive = null }).MayBeWired);
        var slow = ConsoleWires.Check(adapter, port with { Speed = null });
        Assert.True(slow.MayBeWired);
        Assert.Contains(slow.Notes, n => n.Contains("speed is not known"));
    }

    [Theory]
    [InlineData(115200, 115385, true)]
    [InlineData(921600, 750000, false)]
    [InlineData(1500000, 1500000, true)]
    public void A_rate_is_what_the_divisor_gives(int wanted, int achieved, bool reads)
    {
        var adapter = Bench.Catalogue.Adapter("usb-18-33")!;
        var speed = ConsoleSpeed.Of(adapter, wanted);
        Assert.Equal(achieved, speed.Achieved!.Value, 1.0);
        Assert.Equal(reads, speed.Reads);
        Assert.Equal(wanted / 10.0, speed.BytesPerSecond);
        if (!reads)
            Assert.Contains("18.6 % off", ConsoleWires.Check(adapter, Port(ConsoleLevel.Logic33, wanted)).Refused);
    }

    /// <summary>What the driver of Linux 6.1 for these ids computes for a rate, written down from its source.</summary>
    private static double AsTheDriver(string usb, int wanted)
    {
        switch (usb)
        {
            case "0403:6001":
                // Sixteenths of a bit at 48 MHz, in eighths of a divisor.
                return 48e6 / 16 / (Math.Round(48e6 / (2.0 * wanted)) / 8);
            case "10c4:ea60":
                var prescale = wanted <= 365 ? 4 : 1;
                return 48e6 / (2 * prescale * Math.Round(48e6 / (2.0 * prescale * wanted)));
            case "1a86:7523":
                var ps = 3;
                while (wanted <= 48_000_000 / ((1 << (11 - 3 * ps)) * 512))
                    ps--;
                int clock = 1 << (11 - 3 * ps),
                    divisor = 48_000_000 / (clock * wanted);
                if (divisor is < 9 or > 255)
                    (divisor, clock) = (divisor / 2, clock * 2);
                if (48e6 / (clock * divisor) - wanted >= wanted - 48e6 / (clock * (divisor + 1.0)))
                    divisor++;
                return 48e6 / (clock * (double)divisor);
            default:
                var (mantissa, exponent) = (384_000_000 / wanted, 0);
                for (; mantissa >= 512; exponent++)
                    mantissa /= 4;
                return 384e6 / mantissa / (1 << (2 * exponent));
        }
    }

    [Theory]
    [InlineData("0403:6001")]
    [InlineData("10c4:ea60")]
    [InlineData("1a86:7523")]
    [InlineData("067b:2303")]
    public void Known_chips_make_the_rates_that_their_drivers_compute(string usb)
    {
        var chip = Bench.Catalogue.Chips.Single(c => c.Usb.Contains(usb));
        var adapter = new ConsoleAdapter("own", "Grey cable", [ConsoleLevel.Logic33], chip.MaxSpeed, Clocks: chip.Clocks);
        foreach (var wanted in (int[])[300, 1200, 9600, 19200, 38400, 57600, 74880, 115200, 230400, 460800, 921600])
        {
            var speed = ConsoleSpeed.Of(adapter, wanted);
            // The nearest divisor is never farther off than the one that the driver picks.
            Assert.InRange(Math.Abs(speed.Achieved!.Value - wanted), 0, Math.Abs(AsTheDriver(usb, wanted) - wanted) + 1e-6);
            Assert.Equal(AsTheDriver(usb, wanted), speed.Achieved!.Value, wanted * 0.004);
            Assert.True(speed.Reads, $"{usb} {wanted}: {speed.Text}");
        }
        Assert.False(ConsoleSpeed.Of(adapter, 4_000_000).Reads);
    }

    [Fact]
    public void Of_an_adapter_whose_chip_is_not_known_the_rate_is_not_known_either()
    {
        var adapter = new ConsoleAdapter("own", "Grey cable", [ConsoleLevel.Logic33], 921_600);
        var speed = ConsoleSpeed.Of(adapter, 115_200);
        Assert.Equal((null, null), (speed.Achieved, speed.Reads));
        Assert.Contains("is not known", speed.Text);
        var wiring = ConsoleWires.Check(adapter, Port(ConsoleLevel.Logic33, 115_200));
        Assert.True(wiring.MayBeWired);
        Assert.False(ConsoleSpeed.Of(adapter, 1_500_000).Reads);
    }

    [Fact]
    public void What_to_do_before_power_is_made_for_the_board_and_its_parts()
    {
        foreach (var model in Bench.Catalogue.Models)
        {
            var board = Bench.Board(model.Id, screen: true);
            var list = BeforePower.List(board, model, Bench.ImageFor(model.Id), Bench.Catalogue);
            Assert.All(list, s => Assert.Matches("^[A-Z0-9].*\\.$", s.Text));
            Assert.Equal(list.Count, list.Select(s => s.Text).Distinct().Count());
            Assert.Contains(list, s => s.Text.StartsWith("Push the 32 GB card home"));
            Assert.Contains(list, s => s.Text.StartsWith($"Supply into the {model.Power.Connector} socket"));
            Assert.Contains("mains", list[^1].Caution ?? list[^2].Caution);
            Assert.DoesNotContain(list, s => s.Text.Contains("Set it for flash"));
            Assert.Equal(model.Switches.Count, list.Count(s => s.Text.Contains("Set it for")));
        }
    }
}
