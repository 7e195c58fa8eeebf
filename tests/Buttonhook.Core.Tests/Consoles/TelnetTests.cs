using Buttonhook.Core.Consoles;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Consoles;

public sealed class TelnetTests
{
    [Property]
    public bool What_is_written_is_read_whatever_the_cut(byte[] data, int seed)
    {
        byte[] wire = [.. Telnet.Say(Telnet.Do, Telnet.ComPort), .. Telnet.Write(data), .. Telnet.Line(new(115200))];
        var (read, commands) = Cut(wire, seed);
        var whole = new Telnet().Read(wire);
        return read.SequenceEqual(data)
            && whole.Data.SequenceEqual(data)
            && commands
                .Select(c => (c.Verb, c.Option, Convert.ToHexString(c.Content)))
                .SequenceEqual(whole.Commands.Select(c => (c.Verb, c.Option, Convert.ToHexString(c.Content))));
    }

    [Property]
    public bool Any_bytes_at_all_are_read_without_a_throw_and_the_same_in_any_cut(byte[] wire, int seed) =>
        Cut(wire, seed).Read.SequenceEqual(new Telnet().Read(wire).Data);

    private static (byte[] Read, List<TelnetCommand> Commands) Cut(byte[] wire, int seed)
    {
        var random = new Random(seed);
        var telnet = new Telnet();
        var read = new List<byte>();
        var commands = new List<TelnetCommand>();
        for (var at = 0; at < wire.Length; )
        {
            var count = Math.Min(wire.Length - at, random.Next(1, 5));
            var (data, some) = telnet.Read(wire.AsSpan(at, count));
            read.AddRange(data);
            commands.AddRange(some);
            at += count;
        }
        return ([.. read], commands);
    }

    [Fact]
    public void A_line_is_set_as_the_standard_says()
    {
        // RFC 2217: SET-BAUDRATE in four bytes, network order; parity 3 is even; control 3 is hardware flow.
        var wire = Telnet.Line(new(255, 7, Parity.Even, 2, FlowControl.Hardware));
        Assert.Equal(
            "FFFA2C01000000FFFFFFF0" + "FFFA2C0207FFF0" + "FFFA2C0303FFF0" + "FFFA2C0402FFF0" + "FFFA2C0503FFF0",
            Convert.ToHexString(wire)
        );
    }

    [Theory]
    [InlineData(115200, "8N1", "115200 8N1")]
    [InlineData(9600, "7e1", "9600 7E1")]
    [InlineData(4_000_000, "8O2", "4000000 8O2")]
    public void A_line_is_told_in_three_letters(int speed, string frame, string said) =>
        Assert.Equal(said, LineSettings.Of(speed, frame).Value!.ToString());

    [Theory]
    [InlineData(49, "8N1")]
    [InlineData(4_000_001, "8N1")]
    [InlineData(9600, "9N1")]
    [InlineData(9600, "8M1")]
    [InlineData(9600, "8N3")]
    [InlineData(9600, "8N")]
    [InlineData(9600, "")]
    public void A_line_that_no_port_has_is_a_problem(int speed, string frame) => Assert.NotNull(LineSettings.Of(speed, frame).Problem);
}
