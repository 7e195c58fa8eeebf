using System.Diagnostics;
using System.Text;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Tests.Images;

/// <summary>What is written is read back by the reader here, and the system's own checker finds nothing wrong.</summary>
public sealed class FatWriterTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-fat-").FullName;

    public void Dispose() => Directory.Delete(folder, true);

    private FileStream Disk(long bytes)
    {
        var file = new FileStream(Path.Combine(folder, "disk.img"), FileMode.Create, FileAccess.ReadWrite, FileShare.ReadWrite);
        file.SetLength(bytes);
        return file;
    }

    private static readonly DateTime Stamp = new(2026, 3, 4, 5, 6, 8);

    /// <summary>fsck.vfat (dosfstools), which tests/run installs.</summary>
    private void Check()
    {
        var start = new ProcessStartInfo("/usr/sbin/fsck.vfat", ["-n", "-v", Path.Combine(folder, "disk.img")])
        {
            RedirectStandardOutput = true,
        };
        using var fsck = Process.Start(start)!;
        var said = fsck.StandardOutput.ReadToEnd();
        fsck.WaitForExit();
        Assert.True(fsck.ExitCode == 0, said);
    }

    [Theory]
    [InlineData(8)]
    [InlineData(64)]
    [InlineData(600)]
    public void A_new_file_system_takes_files_of_every_name_and_size(int mebibytes)
    {
        using var file = Disk((long)mebibytes << 20);
        var bytes = WritableBytes.Of(file);
        FatFormat.Make(bytes, "FROST", 0x12345678, 8192);
        var fat = new FatWriter(bytes, Stamp);
        var random = new Random(mebibytes);
        var written = new Dictionary<string, byte[]>(StringComparer.OrdinalIgnoreCase);
        foreach (
            var name in new[]
            {
                "/cmdline.txt",
                "/CONFIG.TXT",
                "/ssh",
                "/Mixed Case name.conf",
                "/extlinux/extlinux.conf",
                "/loader/entries/fallow-6.6.30-generic.conf",
                "/a.b.c.d",
                "/größer.txt",
                "/.hidden",
                "/verylongname-verylongname-verylongname-verylongname.dtb",
            }.Concat(Enumerable.Range(0, 60).Select(i => $"/overlays/frost-probe-number-{i}.dtbo"))
        )
        {
            var content = new byte[random.Next(0, 40_000)];
            random.NextBytes(content);
            fat.Write(name, content);
            written[name] = content;
        }
        fat.Write("/cmdline.txt", "root=LABEL=x\n"u8);
        written["/cmdline.txt"] = "root=LABEL=x\n"u8.ToArray();
        Assert.True(fat.Delete("/ssh"));
        written.Remove("/ssh");
        Assert.False(fat.Delete("/ssh"));
        file.Flush();
        Check();
        var tree = FileTree.Open(bytes).Tree!;
        Assert.Equal("FROST", tree.Label);
        Assert.Equal("1234-5678", tree.Uuid);
        foreach (var (name, content) in written)
            Assert.Equal(content, tree.Read(name));
        Assert.Null(tree.Find("/ssh"));
        Assert.Contains("Mixed Case name.conf", tree.List("/"));
        Assert.Contains("cmdline.txt", tree.List("/"));
        Assert.Equal(60, tree.List("/overlays").Count);
    }

    [Fact]
    public void A_file_system_of_the_system_is_changed_in_place()
    {
        using var file = Disk(40 << 20);
        using (var mkfs = Process.Start("/usr/sbin/mkfs.vfat", ["-F", "32", Path.Combine(folder, "disk.img")]))
            mkfs.WaitForExit();
        var bytes = WritableBytes.Of(file);
        var fat = new FatWriter(bytes, Stamp);
        var free = fat.FreeBytes;
        for (var i = 0; i < 40; i++)
            fat.Write("/config.txt", Encoding.ASCII.GetBytes(new string('x', i * 500)));
        fat.Write("/config.txt", []);
        Assert.Equal(free, fat.FreeBytes);
        file.Flush();
        Check();
    }

    [Fact]
    public void A_full_volume_is_told_and_stays_whole()
    {
        using var file = Disk(6 << 20);
        var bytes = WritableBytes.Of(file);
        FatFormat.Make(bytes, "FULL", 1, 0);
        var fat = new FatWriter(bytes, Stamp);
        fat.Write("/keep.txt", "kept"u8);
        var e = Assert.Throws<IOException>(() => fat.Write("/large.bin", new byte[7 << 20]));
        Assert.Contains("full", e.Message);
        Assert.Throws<IOException>(() => fat.Write("/bad|name", "x"u8));
        file.Flush();
        Check();
        Assert.Equal("kept"u8.ToArray(), FileTree.Open(bytes).Tree!.Read("/keep.txt"));
    }

    [Fact]
    public void A_damaged_volume_never_crashes_the_writer()
    {
        using var file = Disk(8 << 20);
        var bytes = WritableBytes.Of(file);
        FatFormat.Make(bytes, "DAMAGED", 1, 0);
        new FatWriter(bytes, Stamp).Write("/a/b/c.txt", new byte[9000]);
        var good = bytes.At(0, 8 << 20);
        var random = new Random(4);
        for (var round = 0; round < 300; round++)
        {
            var bad = good.ToArray();
            for (var i = random.Next(1, 20); i > 0; i--)
                bad[random.Next(4) == 0 ? random.Next(62) : random.Next(200_000)] = (byte)random.Next(256);
            try
            {
                var fat = new FatWriter(WritableBytes.Of(new MemoryStream(bad)), Stamp);
                fat.Write("/a/b/c.txt", new byte[5000]);
                fat.Write("/new file.txt", new byte[50]);
            }
            catch (Exception e) when (e is IOException or UnreadableException) { }
        }
    }
}
