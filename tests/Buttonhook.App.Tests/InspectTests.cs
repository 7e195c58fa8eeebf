using System.Diagnostics;
using System.IO.Compression;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Images;
using Buttonhook.Hardware;

namespace Buttonhook.App.Tests;

public sealed class InspectTests : InFolder
{
    /// <summary>A disk with one partition and nothing in it.</summary>
    private static byte[] Disk()
    {
        var disk = new byte[2 << 20];
        disk[446 + 4] = 0x83;
        disk[446 + 9] = 8; // starts at sector 2048
        disk[446 + 13] = 8; // and has 2048 sectors
        disk[510] = 0x55;
        disk[511] = 0xAA;
        return disk;
    }

    private static byte[] Gzip(byte[] bytes)
    {
        using var into = new MemoryStream();
        using (var gzip = new GZipStream(into, CompressionLevel.Fastest, true))
            gzip.Write(bytes);
        return into.ToArray();
    }

    private static byte[] Zip(byte[] bytes, string name)
    {
        using var into = new MemoryStream();
        using (var archive = new ZipArchive(into, ZipArchiveMode.Create, true))
        using (var entry = archive.CreateEntry(name).Open())
            entry.Write(bytes);
        return into.ToArray();
    }

    [Fact]
    public async Task An_image_that_was_unpacked_to_be_looked_at_is_not_unpacked_again_to_be_written()
    {
        using var kept = new Unpacked(TimeProvider.System);
        var path = File("a.img.gz", Gzip(Disk()));
        Assert.Null(PackedImage.OpenUnpacked(path, kept, default));
        Assert.NotNull(ImageFiles.Inspect(path, null, [], null, default, kept: kept).Value);
        for (var time = 0; time < 2; time++)
        {
            using var image = PackedImage.OpenUnpacked(path, kept, default)!;
            using var whole = new MemoryStream();
            Assert.Null(await image.Pump(ImageFiles.Largest, (piece, _) => whole.Write(piece.Span), default));
            Assert.Equal((PackedImage.Raw, (long)Disk().Length), (image.Compression, image.SizeBytes));
            Assert.Equal(Disk(), whole.ToArray());
        }
        // Another content under the same name is another image.
        System.IO.File.WriteAllBytes(path, Gzip(new byte[4 << 20]));
        Assert.Null(PackedImage.OpenUnpacked(path, kept, default));
    }

    [Fact]
    public void Packed_images_are_read_like_the_image_itself()
    {
        var raw = ImageFiles.Inspect(File("a.img", Disk()), null, [], null, default).Value!;
        var gz = ImageFiles.Inspect(File("a.img.gz", Gzip(Disk())), null, [], null, default).Value!;
        var zip = ImageFiles.Inspect(File("a.zip", Zip(Disk(), "../../outside.img")), null, [], null, default).Value!;
        Assert.Equal(["none", "gz", "zip"], new[] { raw, gz, zip }.Select(i => i.Compression));
        Assert.All([gz, zip], i => Assert.Equal((raw.ExpandedBytes, raw.PartitionTable), (i.ExpandedBytes, i.PartitionTable)));
        Assert.All([gz, zip], i => Assert.Equal(JsonSerializer.Serialize(raw.Partitions), JsonSerializer.Serialize(i.Partitions)));
        Assert.False(System.IO.File.Exists(Path.Combine(folder, "../../outside.img")));
    }

    [Fact]
    public void A_packed_image_that_is_cut_off_or_damaged_is_refused_in_words()
    {
        // Bytes that do not compress, so that a cut falls into the middle.
        var disk = Disk();
        new Random(5).NextBytes(disk.AsSpan(4096));
        var packed = Gzip(disk);
        for (var i = packed.Length / 2; i < packed.Length / 2 + 400; i++)
            packed[i] = 0;
        var problem = ImageFiles.Inspect(File("a.img.gz", packed), null, [], null, default).Problem!;
        Assert.Matches("does not, near byte [0-9]+ of it: ", problem.Came);
        Assert.Contains("empty", ImageFiles.Inspect(File("b.img", []), null, [], null, default).Problem!.Came);
        Assert.Contains(
            "should be a file that can be read",
            ImageFiles.Inspect(Path.Combine(folder, "none.img"), null, [], null, default).Problem!.Expected
        );
    }

    [Fact]
    public void Nothing_is_left_in_the_work_folder()
    {
        // A process of its own, so that the work folder is nobody else's.
        var work = Directory.CreateDirectory(Path.Combine(folder, "work")).FullName;
        var start = new ProcessStartInfo(
            "dotnet",
            [Path.Combine(AppContext.BaseDirectory, "Buttonhook.App.dll"), "inspect", File("a.img.gz", Gzip(Disk()))]
        )
        {
            Environment = { ["TMPDIR"] = work },
            RedirectStandardOutput = true,
        };
        using var inspect = Process.Start(start)!;
        Assert.Contains("packed as gz", inspect.StandardOutput.ReadToEnd());
        inspect.WaitForExit();
        Assert.Equal(0, inspect.ExitCode);
        Assert.DoesNotContain(Directory.GetFileSystemEntries(work), e => e.EndsWith(".img", StringComparison.Ordinal));
    }

    [Fact]
    public void Xz_of_the_system_is_unpacked_and_damage_is_told()
    {
        var path = File("a.img", Disk());
        using (var xz = Process.Start("xz", ["-k", "-1", path]))
            xz.WaitForExit();
        Assert.Equal(2 << 20, ImageFiles.Inspect(path + ".xz", null, [], null, default).Value!.ExpandedBytes);
        var packed = System.IO.File.ReadAllBytes(path + ".xz");
        using var stream = new XzStream(new MemoryStream(packed, 0, packed.Length - 20));
        Assert.Throws<InvalidDataException>(() => stream.CopyTo(Stream.Null));
    }

    [Fact]
    public async Task The_page_and_the_command_line_tell_the_same_of_an_image_on_a_board()
    {
        await using var app = await RunningApp.Start();
        var path = File("a.img", Disk());
        var page = (await app.Inspected(path, await app.Board())).GetProperty("inspection");
        Assert.Equal("does-not-boot", page.GetProperty("dryBoot").GetProperty("verdict").GetString());
        var (_, printed, _) = await CommandLineTests.Run("inspect", path, "--board", "quill-v", "--json");
        var told = JsonSerializer.Deserialize<JsonElement>(printed);
        Assert.True(JsonElement.DeepEquals(page.GetProperty("dryBoot"), told.GetProperty("dryBoot")));
        var problem = await RunningApp.ProblemOf(
            await app.Http.PostAsJsonAsync(
                "/api/inspections",
                new
                {
                    path = "image.img",
                    boardId = (string?)null,
                    sum = (string?)null,
                }
            ),
            422
        );
        Assert.Contains("whole path", problem.Expected);
    }

    [Fact]
    public void A_board_card_in_a_file_is_checked()
    {
        var catalogue = KnowledgeFiles.Read().Value!.Catalogue;
        var good = File(
            "board.json",
            Encoding.UTF8.GetBytes(
                """{"architecture":"arm64","loader":"distro","bootMedium":"virtio","consoleDevice":"ttyAMA0","consoleSpeed":115200,"memoryMiB":512,"compatible":[],"firmware":"x"}"""
            )
        );
        Assert.Equal("ttyAMA0", DryBoards.Find(good, catalogue).Value!.ConsoleDevice);
        var bad = File("bad.json", Encoding.UTF8.GetBytes("""{"architecture":"arm64","loader":"magic"}"""));
        Assert.Contains("something is missing", DryBoards.Find(bad, catalogue).Problem!.Came);
        Assert.Contains("is neither", DryBoards.Find("nonsense", catalogue).Problem!.Came);
    }
}
