using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Tests;

/// <summary>settings, backup and restore at the command line, on a bench of their own.</summary>
[Trait("Length", "long")]
public sealed class SettingsCommandTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-settings-").FullName;

    public SettingsCommandTests()
    {
        using var database = Database.Open(Path.Combine(folder, "buttonhook.db")).Value!;
        new BoardStore(database).Save(
            new("a", "Quince", "quill-v", "B", 4096, new(32, false, true, null, null), ["mark"], null, [], true),
            null
        );
        var store = new SettingsStore(database);
        store.Keep("a", null, Settings("6.6.30"), DateTimeOffset.UnixEpoch, "a test");
        store.Keep("a", null, Settings("6.6.31"), DateTimeOffset.UnixEpoch, "a test");
    }

    private static WorkingSettings Settings(string kernel) =>
        new(
            WorkingSettings.FormatName,
            "Quince",
            [
                new("image.name", "Image", "Fallow 12", Standing.Claimed, "x"),
                new("system.kernel", "Kernel", kernel, Standing.Proven, "the log", 33),
            ],
            [],
            null,
            "wall",
            null,
            null
        );

    private Task<(int Code, string Out, string Error)> Run(params string[] arguments) =>
        CommandLineTests.Run([.. arguments, "--data", folder]);

    [Fact]
    public async Task They_are_listed_shown_and_compared()
    {
        var list = await Run("settings", "list");
        Assert.Contains("Quince:2  1970-01-01 00:00  Fallow 12  from a test", list.Out);
        Assert.Contains("| Kernel | 6.6.31 | proven, line 33 |", (await Run("settings", "show", "quince")).Out);
        Assert.Contains("| Kernel | 6.6.30 |", (await Run("settings", "show", "a:1")).Out);
        var diff = await Run("settings", "diff", "quince:1", "quince:2");
        Assert.Equal((1, "Kernel: 6.6.30 before, 6.6.31 now."), (diff.Code, diff.Out.Trim()));
        Assert.Equal(0, (await Run("settings", "diff", "quince", "quince:2")).Code);
    }

    [Theory]
    [InlineData("--json")]
    [InlineData("--short")]
    public async Task What_is_exported_comes_back(string form)
    {
        var file = Path.Combine(folder, "out");
        File.WriteAllText(file, (await Run("settings", "export", "quince:1", form)).Out);
        var look = await Run("settings", "import", file, "--look");
        Assert.Equal(0, look.Code);
        Assert.StartsWith("Against version 2:\nKernel: 6.6.31 before, 6.6.30 now.", look.Out.ReplaceLineEndings("\n"));
        Assert.DoesNotContain("Kept", look.Out);
        Assert.Contains("Kept as version 3 of Quince.", (await Run("settings", "import", file)).Out);
    }

    [Theory]
    [InlineData("nothing", "A board called nothing should be on the bench.")]
    [InlineData("quince:9", "Quince should have a version 9. It has 2.")]
    public async Task What_is_not_there_is_said(string board, string says)
    {
        var answer = await Run("settings", "show", board);
        Assert.Equal(1, answer.Code);
        Assert.Contains(says, answer.Error);
    }

    [Fact]
    public async Task An_empty_folder_and_a_file_that_is_none_are_said()
    {
        Assert.Contains("should hold a bench", (await CommandLineTests.Run("settings", "list", "--data", "/nowhere")).Error);
        Assert.Contains("should hold a bench", (await CommandLineTests.Run("backup", "/tmp/x.zip", "--data", "/nowhere")).Error);
        var file = Path.Combine(folder, "none");
        File.WriteAllText(file, "hello");
        Assert.Contains("begins with", (await Run("settings", "import", file)).Error);
    }

    [Fact]
    public async Task A_backup_goes_out_and_comes_back_and_nothing_is_written_over()
    {
        var file = Path.Combine(folder, "backup.zip");
        Assert.Contains("Images and written cards are not in it.", (await Run("backup", file)).Out);
        var again = await Run("backup", file);
        Assert.Equal(1, again.Code);
        Assert.Contains("should be a new file", again.Error);
        var empty = Path.Combine(folder, "empty");
        Assert.Equal(0, (await CommandLineTests.Run("restore", file, "--data", empty)).Code);
        Assert.Contains("Quince:2", (await CommandLineTests.Run("settings", "list", "--data", empty)).Out);
        var over = await CommandLineTests.Run("restore", file, "--data", empty);
        Assert.Equal((1, true), (over.Code, over.Error.Contains("--replace", StringComparison.Ordinal)));
        Assert.Contains("What was there before is in", (await CommandLineTests.Run("restore", file, "--replace", "--data", empty)).Out);
    }

    public void Dispose() => Directory.Delete(folder, true);
}
