using System.Text;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Tests.Consoles;

public class LineQualityTests
{
    private static readonly byte[] BootText = Encoding.ASCII.GetBytes(
        string.Concat(
            Enumerable
                .Range(0, 120)
                .Select(i =>
                    $"[    {i / 8}.{i * 12345 % 1000000:000000}] module{i}: registered new driver at 0x{i * 4096:x8}, irq {i}\r\nStarting service number {i}: OK\r\n"
                )
        )
    );

    public static TheoryData<int, int> RatePairs()
    {
        var pairs = new TheoryData<int, int>();
        foreach (var send in (int[])[9600, 57600, 115200, 921600, 1_500_000])
        foreach (var receive in (int[])[9600, 38400, 115200, 460800, 1_500_000])
            if (send != receive && send < 30 * receive) // beyond that a receiver finds no start bit at all
                pairs.Add(send, receive);
        return pairs;
    }

    private static LineVerdict Judge(byte[] bytes)
    {
        var quality = new LineQuality();
        quality.Add(bytes);
        return quality.Judge();
    }

    [Theory]
    [MemberData(nameof(RatePairs))]
    public void Text_at_another_rate_is_a_speed_fault(int send, int receive) =>
        Assert.Equal(LineFault.Speed, Judge(LineModel.Receive(BootText, send, receive)).Fault);

    [Theory]
    [InlineData(1)]
    [InlineData(3)]
    [InlineData(8)]
    public void Text_with_swapped_levels_is_an_inversion(int gap) =>
        Assert.Equal(LineFault.Inverted, Judge(LineModel.Receive(BootText, 115200, 115200, inverted: true, gap)).Fault);

    [Fact]
    public void Text_at_the_right_rate_arrives_unchanged_and_is_no_fault()
    {
        var received = LineModel.Receive(BootText, 115200, 115200);
        Assert.Equal(BootText, received);
        Assert.Equal(LineFault.None, Judge(received).Fault);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    public void Seven_bits_with_parity_are_a_frame_fault(int odd)
    {
        var bytes = BootText.Select(b => (byte)(b | ((int.PopCount(b) + odd) % 2) << 7)).ToArray();
        Assert.Equal(LineFault.Frame, Judge(bytes).Fault);
    }

    [Fact]
    public void One_wrong_byte_in_a_hundred_is_noise()
    {
        var random = new Random(7);
        var bytes = BootText.Select(b => random.Next(100) == 0 ? (byte)(b ^ 0x80) : b).ToArray();
        Assert.Equal(LineFault.Noise, Judge(bytes).Fault);
    }

    [Fact]
    public void The_board_rate_is_told_from_the_garbage()
    {
        var verdict = Judge(LineModel.Receive(BootText, 1_500_000, 115_200));
        Assert.InRange(verdict.RateRatio, 10, 16);
    }

    [Theory]
    [InlineData(200)]
    [InlineData(5_000)]
    [InlineData(300_000)]
    public void Random_and_packed_bytes_are_no_console_text_and_have_no_speed(int length)
    {
        for (var seed = 0; seed < 20; seed++)
        {
            var bytes = new byte[length];
            new Random(seed).NextBytes(bytes);
            Assert.Equal(LineFault.NoText, Judge(bytes).Fault);
        }
        using var packed = new MemoryStream();
        using (var gzip = new System.IO.Compression.GZipStream(packed, System.IO.Compression.CompressionLevel.Optimal))
            gzip.Write(BootText);
        Assert.Equal(LineFault.NoText, Judge(packed.ToArray()).Fault);
    }

    [Fact]
    public void Too_few_bytes_are_not_judged() => Assert.Equal(LineFault.None, Judge([0xFF, 0x80, 0x00, 0xFE]).Fault);

    [Fact]
    public void Frames_that_firmware_draws_are_text() =>
        Assert.Equal(
            LineFault.None,
            Judge([.. BootText[..4000], 0xDA, .. Enumerable.Repeat((byte)0xC4, 76), 0xBF, .. "\r\n"u8, 0xB3, .. "menu"u8, 0xB3]).Fault
        );

    [Fact]
    public void Letters_of_other_languages_are_text() =>
        Assert.Equal(LineFault.None, Judge(Encoding.UTF8.GetBytes(string.Concat(Enumerable.Repeat("Größe … été ✓ 東京\n", 30)))).Fault);
}
