using System.Buffers.Binary;
using System.Diagnostics;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using Buttonhook.App.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Hardware;
using FsCheck.Xunit;

namespace Buttonhook.App.Tests;

/// <summary>Archives that are damaged, cut off or made to harm: a clear answer, in bounded time, and nothing outside the work folder.</summary>
public sealed class PackedImageTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public void Dispose() => Directory.Delete(folder, true);

    private string Write(string name, byte[] bytes)
    {
        var path = Path.Combine(folder, name);
        File.WriteAllBytes(path, bytes);
        return path;
    }

    private static byte[] Content(int seed = 3)
    {
        var bytes = new byte[300_000];
        var random = new Random(seed);
        random.NextBytes(bytes.AsSpan(100_000, 50_000));
        for (var i = 200_000; i < bytes.Length; i++)
            bytes[i] = (byte)(i / 700);
        return bytes;
    }

    /// <summary>The content packed by the system's own tool, or by .NET where that is the usual one.</summary>
    private string Packed(string kind, byte[] content)
    {
        var raw = Write("content.img", content);
        var path = Path.Combine(folder, $"content.{kind}");
        switch (kind)
        {
            case "gz":
                using (var gzip = new GZipStream(File.Create(path), CompressionLevel.Fastest))
                    gzip.Write(content);
                break;
            case "zip":
                using (var zip = ZipFile.Open(path, ZipArchiveMode.Create))
                    zip.CreateEntryFromFile(raw, "content.img");
                break;
            default:
                var tool = kind == "xz" ? new[] { "xz", "-1", "-c" } : ["bzip2", "-1", "-c"];
                using (var process = Process.Start(new ProcessStartInfo("sh", ["-c", $"{string.Join(' ', tool)} '{raw}' > '{path}'"]))!)
                    process.WaitForExit();
                break;
        }
        return path;
    }

    private static async Task<(byte[] Content, string? Problem, string Sum)> Read(string path, long most = 1 << 30)
    {
        var opened = PackedImage.Open(path, CancellationToken.None);
        if (opened.Value is not { } packed)
            return ([], opened.Problem!.ToString(), "");
        using (packed)
        {
            var content = new MemoryStream();
            var problem = await packed.Pump(
                most,
                (piece, at) =>
                {
                    Assert.Equal(content.Length, at);
                    content.Write(piece.Span);
                },
                CancellationToken.None
            );
            return (content.ToArray(), problem?.ToString(), problem is null ? packed.Sha256() : "");
        }
    }

    [Theory]
    [InlineData("gz")]
    [InlineData("xz")]
    [InlineData("zip")]
    public async Task What_was_packed_comes_back_and_the_sum_is_that_of_the_file(string kind)
    {
        var path = Packed(kind, Content());
        var read = await Read(path);
        Assert.Null(read.Problem);
        Assert.Equal(Content(), read.Content);
        Assert.Equal(Convert.ToHexStringLower(SHA256.HashData(File.ReadAllBytes(path))), read.Sum);
    }

    [Theory]
    [InlineData("")]
    [InlineData("z")]
    [InlineData("J")]
    public async Task One_image_in_a_tar_archive_is_taken_out_and_several_are_refused(string packing)
    {
        var raw = Write("sentinel.img", Content());
        Write("sentinel.img.sha256", "0123  sentinel.img\n"u8.ToArray());
        Write("other.img", Content(5));
        string Tar(string name, params string[] files)
        {
            using var tar = Process.Start("tar", [$"-c{packing}f", Path.Combine(folder, name), "-C", folder, .. files]);
            tar.WaitForExit();
            return Path.Combine(folder, name);
        }
        var one = await Read(Tar("one.tar", "sentinel.img.sha256", "sentinel.img"));
        Assert.Null(one.Problem);
        Assert.Equal(Content(), one.Content);
        Assert.Equal(Convert.ToHexStringLower(SHA256.HashData(File.ReadAllBytes(Path.Combine(folder, "one.tar")))), one.Sum);
        Assert.Contains("several images", (await Read(Tar("two.tar", "sentinel.img", "other.img"))).Problem);
        // Without an image it is what it is: the archive itself.
        var none = await Read(Tar("none.tar", "sentinel.img.sha256"));
        Assert.Null(none.Problem);
        Assert.Equal("ustar", System.Text.Encoding.ASCII.GetString(none.Content, 257, 5));
        Assert.True(new FileInfo(raw).Length > 0);
    }

    [Theory]
    [InlineData("gz")]
    [InlineData("xz")]
    [InlineData("zip")]
    public async Task Damage_anywhere_is_told_or_harmless(string kind)
    {
        var good = File.ReadAllBytes(Packed(kind, Content()));
        var random = new Random(11);
        for (var round = 0; round < 150; round++)
        {
            var bad = good.ToArray();
            for (var i = random.Next(1, 6); i > 0; i--)
                bad[random.Next(6, bad.Length)] = (byte)random.Next(256);
            if (random.Next(4) == 0)
                bad = bad[..random.Next(6, bad.Length)];
            var read = await Read(Write("bad." + kind, bad));
            if (read.Problem is { } problem)
                Assert.DoesNotContain("Exception", problem);
        }
    }

    [Fact]
    public async Task A_file_that_goes_on_and_on_is_stopped_at_the_limit()
    {
        var path = Packed("gz", new byte[40 << 20]);
        Assert.True(new FileInfo(path).Length < 1 << 20);
        var read = await Read(path, 8 << 20);
        Assert.Contains("goes on beyond that", read.Problem);
        Assert.True(read.Content.Length <= 8 << 20);
    }

    [Fact]
    public async Task Names_in_an_archive_are_never_paths()
    {
        // Two folders down, so that everything that ".." could reach is this test's own.
        var path = Path.Combine(Directory.CreateDirectory(Path.Combine(folder, "a/b")).FullName, "up.zip");
        using (var zip = ZipFile.Open(path, ZipArchiveMode.Create))
            foreach (var name in new[] { "../up.img", "/tmp/buttonhook-absolute.bin", "link" })
            {
                var entry = zip.CreateEntry(name);
                if (name == "link")
                    entry.ExternalAttributes = unchecked((int)0xA1FF0000);
                using var stream = entry.Open();
                stream.Write(name == "link" ? Encoding.ASCII.GetBytes("/etc/passwd") : Content());
            }
        var read = await Read(path);
        Assert.Equal(Content(), read.Content);
        Assert.False(File.Exists("/tmp/buttonhook-absolute.bin"));
        Assert.Equal([path], Directory.GetFiles(folder, "*", SearchOption.AllDirectories));
    }

    [Fact]
    public void Of_an_archive_with_several_images_it_is_not_guessed_which_is_meant()
    {
        var path = Path.Combine(folder, "two.zip");
        using (var zip = ZipFile.Open(path, ZipArchiveMode.Create))
            foreach (var name in new[] { "fallow/quince.img", "fallow/medlar.img", "readme.txt" })
            {
                using var stream = zip.CreateEntry(name).Open();
                stream.Write(Content());
            }
        var opened = PackedImage.Open(path, default);
        Assert.Contains("It holds 2: quince.img, medlar.img", opened.Problem!.Came);
        Assert.Null(opened.Value);
    }

    [Fact]
    public async Task A_reader_that_stops_ends_both_threads()
    {
        using var stop = new CancellationTokenSource();
        using var packed = PackedImage.Open(Packed("gz", Content()), stop.Token).Value!;
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() =>
            packed.Pump(1 << 30, (_, _) => stop.Cancel(), stop.Token).WaitAsync(TimeSpan.FromSeconds(20))
        );
    }

    [Theory]
    [InlineData("{0}", true)]
    [InlineData("{0}  other.img\n{1}  a.img\n", false)]
    [InlineData("{1} *other.img\n{0} *a.img\r\n", true)]
    public void A_published_sum_is_found_alone_or_in_lines(string text, bool agrees)
    {
        var sums = string.Format(null, text, new string('a', 64), new string('b', 64));
        Assert.Equal(agrees, Checksum.Compare(sums, "/x/a.img", new string('a', 64)) is null);
        Assert.Contains("64 hexadecimal digits", Checksum.For("12345", "/x/a.img").Problem!.Expected);
    }

    [Property(MaxTest = 60)]
    public bool A_gz_file_that_ends_too_early_is_told_wherever_it_ends(int seed)
    {
        var packed = File.ReadAllBytes(Packed("gz", Content(seed)));
        var cut = packed[..(18 + (int)((uint)seed % (uint)(packed.Length - 18)))];
        var into = new MemoryStream();
        using var stream = new GzStream(new MemoryStream(cut));
        return Assert.Throws<InvalidDataException>(() => stream.CopyTo(into)).Message.Contains("cut off");
    }

    [Fact]
    public void Gz_members_follow_one_another_and_what_comes_behind_is_passed_over()
    {
        var (first, second) = (Content(1), Content(2));
        var packed = (byte[])[.. File.ReadAllBytes(Packed("gz", first)), .. File.ReadAllBytes(Packed("gz", second))];
        foreach (
            var behind in (byte[][])
                [
                    [],
                    new byte[700],
                    [0x1F],
                    "behind"u8.ToArray(),
                ]
        )
        {
            var into = new MemoryStream();
            using (var stream = new GzStream(new MemoryStream([.. packed, .. behind])))
                stream.CopyTo(into);
            Assert.Equal((byte[])[.. first, .. second], into.ToArray());
        }
    }

    /// <summary>A self-extracting 32-bit ARM kernel: a head, its packed part, and the loader's own bytes behind that.</summary>
    private byte[] SelfExtracting(Action<byte[]> change)
    {
        var content = new byte[3 << 20];
        new Random(5).NextBytes(content);
        "Linux version 6.6.30-armhf (build@orchard)"u8.CopyTo(content.AsSpan(700));
        var packed = File.ReadAllBytes(Packed("xz", content));
        change(packed);
        var kernel = (byte[])[.. new byte[0x240], .. packed, 0, 0, 48, 0, .. Enumerable.Repeat((byte)0x5A, 300)];
        BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x24), 0x016F2818);
        BinaryPrimitives.WriteUInt32LittleEndian(kernel.AsSpan(0x2C), (uint)kernel.Length);
        return kernel;
    }

    [Fact]
    public void The_packed_part_of_a_kernel_is_unpacked_and_damage_in_it_is_told()
    {
        var good = KernelFile.Identify(SelfExtracting(_ => { }), ImageFiles.Unpack);
        Assert.Equal(("6.6.30-armhf", null), (good.Version, good.Fault));
        var damaged = KernelFile.Identify(SelfExtracting(p => p.AsSpan(p.Length - 200_000, 1000).Clear()), ImageFiles.Unpack);
        Assert.Contains("packed part", damaged.Fault);
    }
}
