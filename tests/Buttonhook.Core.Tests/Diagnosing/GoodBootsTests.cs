using System.Text;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Tests.Diagnosing;

public class GoodBootsTests
{
    private static readonly string Shipped = Path.Combine(Knowledge.Data, "knowledge/good-boots.tar.br");

    private static readonly Lazy<GoodBoots> Good = new(() => new(() => File.OpenRead(Shipped)));

    private static IReadOnlyList<(int, long, string)> Lines(byte[] log) =>
        LogComparison.LinesOf(LogDiagnosis.Read(log, Knowledge.Rules).Result());

    [Fact]
    public void One_boot_of_each_system_ships_and_all_of_them_are_good()
    {
        Assert.InRange(Good.Value.All.Count, 25, 200);
        Assert.Equal(Good.Value.All.Count, Good.Value.All.Select(g => g.System).Distinct().Count());
        Assert.All(Good.Value.All, g => Assert.Matches(@"^[a-z0-9-]+, Linux \d+\.\d+$", g.System));
        Assert.All(Good.Value.All, g => Assert.Contains(g.Lines, l => l.Text.Contains("Linux version", StringComparison.Ordinal)));
    }

    [Fact]
    public void A_boot_that_stopped_is_laid_beside_the_system_that_it_is()
    {
        var own = Good.Value.All.First(g => g.System.Contains("riscv64", StringComparison.Ordinal));
        var stopped = Encoding.UTF8.GetBytes(
            string.Join('\n', own.Lines.Take(80).Select(l => l.Text)) + "\nKernel panic - not syncing: frost\n"
        );
        var nearest = Good.Value.Nearest(Lines(stopped));
        Assert.Contains("riscv64", nearest!.System);
        Assert.Contains(LogComparison.Of(Lines(stopped), nearest.Lines, []).New, l => l.Text.Contains("frost", StringComparison.Ordinal));
    }

    [Fact]
    public void What_is_like_none_has_no_neighbour() =>
        Assert.Null(Good.Value.Nearest(Lines("an altogether other text\nof which no boot prints a line\n"u8.ToArray())));

    [Theory]
    [InlineData(null)]
    [InlineData("no archive at all")]
    public void A_file_that_is_not_there_or_damaged_holds_none(string? content) =>
        Assert.Empty(new GoodBoots(() => content is null ? null : new MemoryStream(Encoding.ASCII.GetBytes(content))).All);
}
