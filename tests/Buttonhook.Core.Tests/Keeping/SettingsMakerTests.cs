using System.Text.Json;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Simulating;

namespace Buttonhook.Core.Tests.Keeping;

public class SettingsMakerTests
{
    private static readonly DateTimeOffset At = new(2026, 3, 14, 6, 30, 0, TimeSpan.Zero);

    private static Answer<WorkingSettings> Settings(string? fault = null)
    {
        var plan = Bench.Plan("quill-v", fault);
        var reader = new BootReader(Knowledge.Rules);
        foreach (var piece in new SimulatedBoard(plan).Advance(400_000))
            reader.Add(piece.Bytes, piece.Milliseconds);
        var board = plan.Board with { Changes = ["The card | was pushed home."] };
        return SettingsMaker.From(board, Bench.Catalogue, plan.Image!.Id, reader.Read(), "/dev/ttyUSB0 at 115200 8N1", "abc", At);
    }

    [Fact]
    public void A_boot_that_reached_the_login_fills_everything_in()
    {
        var settings = Settings().Value!;
        Assert.Equal("Quillon", settings.Maker);
        Assert.Equal("Fallow 12 server", settings.Image);
        Assert.Equal("6.6.30-riscv64", settings.Kernel);
        Assert.Equal("mmcblk0p2", settings.RootDevice);
        Assert.Equal("quince", settings.Hostname);
        Assert.StartsWith("10.20.0.", Assert.Single(settings.Addresses));
        Assert.Contains(settings.StageTimes, s => s.Stage == Core.Consoles.Stage.Login && s.Seconds > 5);
    }

    [Fact]
    public void A_boot_that_stopped_gives_no_settings_and_says_where_it_ended() =>
        Assert.Contains("ended at root", Settings("root-not-found").Problem!.ToString());

    [Fact]
    public void Json_comes_back_equal()
    {
        var settings = Settings().Value!;
        var json = JsonSerializer.Serialize(settings, DataFile.Json);
        Assert.Equal(json, JsonSerializer.Serialize(JsonSerializer.Deserialize<WorkingSettings>(json, DataFile.Json), DataFile.Json));
        Assert.Contains("\"format\":\"buttonhook.working-settings/1\"", json);
    }

    [Fact]
    public void Markdown_holds_the_table_the_times_and_the_changes()
    {
        var text = SettingsMaker.Markdown(Settings().Value! with { Notes = "Northern <hedge>" }, 2);
        Assert.StartsWith("# Quince: working settings, version 2\n", text);
        Assert.Contains("| card | 32 GB card, 29.1 GiB |", text);
        Assert.Contains("- The card \\| was pushed home.", text);
        Assert.Contains("Northern &lt;hedge>", text);
    }
}
