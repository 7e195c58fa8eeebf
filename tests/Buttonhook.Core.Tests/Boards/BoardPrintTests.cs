using Buttonhook.Core.Identifying;
using FsCheck;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Boards;

public class BoardPrintTests
{
    [Theory]
    [InlineData("Quill V rev 1.2 2GB 5V/3A", "Quill V", "1.2", 2048, 5.0, 3.0)]
    [InlineData("LQ5 R2", "LQ5 R2", null, null, null, null)]
    [InlineData("Damson X1", "Damson X1", null, null, null, null)]
    [InlineData("Spindle 2 v1.3 512MB 12 V DC 1,5 A", "Spindle 2", "1.3", 512, 12.0, 1.5)]
    [InlineData("Costard Rev: B", "Costard", "B", null, null, null)]
    [InlineData("Pippin 4G 32GB eMMC", "Pippin", null, 4096, null, null)]
    [InlineData("Russet 16GB eMMC 2GB LPDDR4", "Russet", null, 2048, null, null)]
    [InlineData("Medlar 5V", "Medlar", null, null, 5.0, null)]
    [InlineData("rev 3", null, "3", null, null, null)]
    public void What_stands_on_a_board_is_read(string print, string? name, string? revision, int? memory, double? volts, double? amps) =>
        Assert.Equal(new BoardPrint(name, revision, memory, volts, amps), BoardPrint.Read(print));

    [Property]
    public bool No_print_throws_and_every_figure_is_possible(NonNull<string> print)
    {
        var read = BoardPrint.Read(print.Get);
        return read.MemoryMiB is null or > 0 && read.Volts is null or >= 0 && read.Name is null or { Length: > 0 };
    }
}
