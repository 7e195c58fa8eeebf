using System.Net.Http.Json;
using System.Text.Json;
using Buttonhook.Core.Tests;

namespace Buttonhook.App.Tests;

/// <summary>Images lie where the person has them: folders are kept in view, and a file that moved is found again by its size and sum.</summary>
public sealed class DownloadTests : InFolder
{
    /// <summary>A file system is made anew each time; the same image is the same bytes.</summary>
    private readonly byte[] disk = ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(ImageMaker.RootFiles()));

    private string Image(string name, byte last = 0) => File(name, [.. disk[..^1], last]);

    private static async Task<JsonElement> Watch(RunningApp app, string path) =>
        await RunningApp.Json(await app.Http.PostAsJsonAsync("/api/downloads", new { path }));

    private static async Task<string> Shelve(RunningApp app, string path)
    {
        var state = await app.Inspected(path, null);
        return (await RunningApp.Json(await app.Http.PostAsync($"/api/inspections/{state.GetProperty("id").GetString()}/card", null)))
            .GetProperty("id")
            .GetString()!;
    }

    private static async Task<string?> PathOf(RunningApp app, string image) =>
        (await app.Get("/api/catalogue"))
            .GetProperty("images")
            .EnumerateArray()
            .Single(i => i.GetProperty("id").GetString() == image)
            .GetProperty("path")
            .GetString();

    [Fact]
    public async Task A_folder_shows_what_may_be_looked_into_by_its_content_and_what_still_arrives()
    {
        await using var app = await RunningApp.Start(own: true);
        var image = Image("orchard.bin");
        System.IO.File.SetLastWriteTimeUtc(image, DateTime.UtcNow.AddHours(-1));
        File("letter.txt", "Dear gardener"u8.ToArray());
        File("half.img.xz", [0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z', 0, 1, 2, 3]);
        // It grows all the while, however slow the machine is.
        System.IO.File.SetLastWriteTimeUtc(Path.Combine(folder, "half.img.xz"), DateTime.UtcNow.AddMinutes(2));
        var files = (await Watch(app, folder)).GetProperty("folders")[0].GetProperty("files");
        Assert.Equal(
            ["half.img.xz: packed with xz; it is still arriving", "orchard.bin: an image"],
            files.EnumerateArray().Select(f => $"{f.GetProperty("name").GetString()}: {f.GetProperty("looks").GetString()}")
        );
        var shelved = await Shelve(app, image);
        files = (await app.Get("/api/downloads")).GetProperty("folders")[0].GetProperty("files");
        Assert.Equal(shelved, files[1].GetProperty("imageId").GetString());

        Assert.True((await app.Http.DeleteAsync($"/api/downloads?path={Uri.EscapeDataString(folder)}")).IsSuccessStatusCode);
        Assert.Empty((await app.Get("/api/downloads")).GetProperty("folders").EnumerateArray());
        Assert.True(System.IO.File.Exists(image));
    }

    [Theory]
    [InlineData("Downloads", "is none")]
    [InlineData("/dev/null", "is none")]
    [InlineData("/nowhere/at/all", "is none")]
    [InlineData("/proc", "does not")]
    [InlineData("/", "does not")]
    public async Task What_is_no_folder_of_downloads_is_refused_in_words(string path, string why)
    {
        await using var app = await RunningApp.Start(own: true);
        var problem = await RunningApp.ProblemOf(await app.Http.PostAsJsonAsync("/api/downloads", new { path }), 422);
        Assert.Contains(why, problem.Came);
    }

    [Fact]
    public async Task A_file_that_moved_is_found_again_by_size_and_sum_and_another_of_the_same_size_is_not_taken_for_it()
    {
        await using var app = await RunningApp.Start(own: true);
        var old = Image("orchard.img");
        var image = await Shelve(app, old);
        var away = Directory.CreateDirectory(Path.Combine(folder, "kept", "images")).FullName;
        System.IO.File.Delete(old);
        Image("other.img", 1);
        var missing = (await app.Get("/api/downloads")).GetProperty("missing")[0];
        Assert.Equal(image, missing.GetProperty("imageId").GetString());
        await Wait.For(async () => !(await app.Get("/api/downloads")).GetProperty("missing")[0].GetProperty("looking").GetBoolean());
        Assert.Equal(old, await PathOf(app, image));
        // That it was not found stays said, although it is looked for again each time somebody asks.
        for (var i = 0; i < 5; i++)
            Assert.False((await app.Get("/api/downloads")).GetProperty("missing")[0].GetProperty("looking").GetBoolean());

        var moved = Image(Path.Combine("kept", "images", "renamed.bin"));
        await Wait.For(async () => (await app.Get("/api/downloads")).GetProperty("missing").GetArrayLength() == 0);
        Assert.Equal(moved, await PathOf(app, image));
        Assert.StartsWith(away, moved);
        var edit = (await app.Get("/api/edits"))[0].GetProperty("says").GetString()!;
        Assert.Contains($"was found again at {moved}, by its size and sum", edit);
    }
}
