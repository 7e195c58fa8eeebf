using Buttonhook.Core.Boards;
using Buttonhook.Core.Preparing;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Preparing;

public class CardPlanTests
{
    [Theory]
    [InlineData(64, "58.2 GiB")]
    [InlineData(8, "7.3 GiB")]
    public void A_label_is_less_than_it_says_in_binary_units(int label, string binary) =>
        Assert.Equal(binary, Sizes.Binary(Sizes.CardBytes(label)));

    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(4)]
    [InlineData(8)]
    [InlineData(16)]
    [InlineData(32)]
    [InlineData(64)]
    [InlineData(128)]
    [InlineData(256)]
    public void The_room_of_an_ext4_is_that_of_the_real_tool_within_one_in_a_hundred(int gigabytes)
    {
        Assert.SkipUnless(File.Exists("/usr/sbin/mke2fs") && File.Exists("/usr/sbin/dumpe2fs"), "e2fsprogs is not there");
        var bytes = (long)(gigabytes * 1e9 * 0.977) / 4096 * 4096;
        var path = Path.GetTempFileName();
        try
        {
            using (var file = File.OpenWrite(path))
                file.SetLength(bytes);
            Run("/usr/sbin/mke2fs", $"-q -F -t ext4 {path}");
            var told = Run("/usr/sbin/dumpe2fs", $"-h {path}")
                .Split('\n')
                .Select(l => l.Split(':', 2))
                .Where(p => p.Length == 2)
                .ToDictionary(p => p[0], p => p[1].Trim());
            var room = (long.Parse(told["Free blocks"]) - long.Parse(told["Reserved block count"])) * long.Parse(told["Block size"]);
            Assert.InRange(CardPlan.Usable(bytes), room * 0.99, room * 1.01);
        }
        finally
        {
            File.Delete(path);
        }
    }

    private static string Run(string tool, string arguments)
    {
        using var process = System.Diagnostics.Process.Start(
            new System.Diagnostics.ProcessStartInfo(tool, arguments) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return output;
    }

    [Fact]
    public void A_label_is_a_band_from_measured_cards()
    {
        var band = CardBand.Of([new(8, 7_945_689_497, "a"), new(64, 62_534_724_157, "b"), new(64, 8_000_000_000, "a false one")]);
        Assert.Equal((2, "7.3 GiB", "7.4 GiB"), (band.Cards, Sizes.Binary(band.LeastBytes(8)), Sizes.Binary(band.MostBytes(8))));
        Assert.Equal(new CardBand(0.9, 1, 0), CardBand.Of([]));
    }

    [Property]
    public bool Parts_add_up_to_the_card_when_the_image_fits(PositiveInt gigabytes)
    {
        var plan = CardPlan.For(Bench.ImageFor("quill-v"), gigabytes.Get % 2048 + 1, Bench.Catalogue.CardBand);
        return !plan.Fits || (plan.ImageBytes + plan.FreeBytes == plan.CardBytes && plan.HasRoom == (plan.FreeBytes >= plan.UpdateBytes));
    }
}
