using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Tests.Keeping;

public class SettingRowsTests
{
    private static (WorkingSettings Settings, Facts Facts, BootReader Reader) Booted()
    {
        var plan = Bench.Plan("quill-v");
        var reader = new BootReader(Knowledge.Rules);
        foreach (var piece in new SimulatedBoard(plan).Advance(400_000))
            reader.Add(piece.Bytes, piece.Milliseconds);
        var settings = SettingsMaker.From(
            plan.Board,
            Bench.Catalogue,
            plan.Image!.Id,
            reader.Read(),
            "a port",
            "abc",
            DateTimeOffset.UnixEpoch
        );
        return (settings.Value!, reader.Read().Facts, reader);
    }

    private static SettingRow Row(IReadOnlyList<SettingRow> rows, string name) => rows.First(r => r.Name == name);

    [Fact]
    public void What_the_log_shows_is_proven_by_its_line_and_the_rest_is_claimed()
    {
        var (settings, facts, reader) = Booted();
        int? LineOf(string text) =>
            Enumerable.Range(1, reader.Log.LineCount).Cast<int?>().FirstOrDefault(n => reader.Log.Text(n!.Value).Contains(text));
        var rows = SettingRows.Of(settings, facts, CardState.Seen, [], LineOf);
        var kernel = Row(rows, "Kernel");
        Assert.Equal(Standing.Proven, kernel.Standing);
        Assert.Contains("6.6.30-riscv64", reader.Log.Text(kernel.Line!.Value));
        Assert.Equal(Standing.Proven, Row(rows, "Addresses").Standing);
        Assert.Equal((Standing.Claimed, "as it was chosen"), (Row(rows, "Image").Standing, Row(rows, "Image").Source));
        Assert.Equal(Standing.Claimed, Row(rows, "Supply").Standing);
    }

    [Fact]
    public void An_image_that_was_written_here_is_proven()
    {
        var (settings, facts, _) = Booted();
        var row = Row(SettingRows.Of(settings, facts, CardState.Written, [], _ => null), "Image");
        Assert.Equal((Standing.Proven, "written here and read back equal"), (row.Standing, row.Source));
    }

    [Fact]
    public void What_differs_carries_both_sides_and_what_nobody_tells_is_not_known()
    {
        var (settings, facts, _) = Booted();
        var both = "Kernel: the bench says 6.6 (Fallow), the log says 5.10.";
        var rows = SettingRows.Of(
            settings with
            {
                Supply = null,
                Hostname = null,
            },
            facts with
            {
                Hostname = null,
            },
            CardState.Seen,
            [new("Kernel", both)],
            _ => null
        );
        Assert.Equal((Standing.Differs, both), (Row(rows, "Kernel").Standing, Row(rows, "Kernel").Source));
        Assert.Equal(Standing.Unknown, Row(rows, "Supply").Standing);
        Assert.Equal((Standing.Unknown, null), (Row(rows, "Host name").Standing, Row(rows, "Host name").Value));
    }
}
