using System.Formats.Tar;
using System.IO.Compression;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Images;
using Buttonhook.Core.Tests;

namespace Buttonhook.App.Tests;

/// <summary>Device trees are found wherever people have them.</summary>
public sealed class TreeSourcesTests : InFolder
{
    private static byte[] Tree(string model) => new TreeMaker().Text("/", "model", model).Text("/", "compatible", "orchard,board").Blob();

    private static byte[] Tar(params (string Name, byte[] Bytes)[] files)
    {
        using var into = new MemoryStream();
        using (var tar = new TarWriter(into, TarEntryFormat.Ustar, true))
            foreach (var (name, bytes) in files)
                tar.WriteEntry(new UstarTarEntry(TarEntryType.RegularFile, name) { DataStream = new MemoryStream(bytes) });
        return into.ToArray();
    }

    private static byte[] Gzip(byte[] bytes)
    {
        using var into = new MemoryStream();
        using (var gzip = new GZipStream(into, CompressionLevel.Fastest, true))
            gzip.Write(bytes);
        return into.ToArray();
    }

    private static byte[] Package(params (string Name, byte[] Bytes)[] members)
    {
        using var into = new MemoryStream();
        into.Write("!<arch>\n"u8);
        foreach (var (name, bytes) in members)
        {
            into.Write(Encoding.ASCII.GetBytes($"{name, -16}{"0", -12}{"0", -6}{"0", -6}{"100644", -8}{bytes.Length, -10}`\n"));
            into.Write(bytes);
            if (bytes.Length % 2 == 1)
                into.WriteByte((byte)'\n');
        }
        return into.ToArray();
    }

    private static readonly byte[] Kernel = Package(
        ("debian-binary", "2.0\n"u8.ToArray()),
        ("control.tar.gz", Gzip(Tar(("./control", "Package: linux-image-x\nArchitecture: arm64\nDescription: x\n"u8.ToArray())))),
        (
            "data.tar.gz",
            Gzip(
                Tar(
                    ("./boot/vmlinuz", new byte[70_000]),
                    ("./usr/lib/linux-image-x/orchard/pomona.dtb", Tree("Pomona 3")),
                    ("./usr/lib/linux-image-x/orchard/quince.dtb", Tree("Quince"))
                )
            )
        )
    );

    [Fact]
    public void Trees_are_found_in_a_package_a_folder_an_archive_and_alone()
    {
        (string?, string?)[] Found(string path) =>
            [.. TreeSources.Facts(path, [], [], default).Value!.Select(f => (f.Source[folder.Length..], f.Model))];
        Assert.Equal(
            [
                ("/k.deb:usr/lib/linux-image-x/orchard/pomona.dtb", "Pomona 3"),
                ("/k.deb:usr/lib/linux-image-x/orchard/quince.dtb", "Quince"),
            ],
            Found(File("k.deb", Kernel))
        );
        Assert.Equal("arm64", TreeSources.Facts(Path.Combine(folder, "k.deb"), [], [], default).Value![0].Architecture);
        Assert.Equal([("/t.tar.gz:a.dtb", "A")], Found(File("t.tar.gz", Gzip(Tar(("a.dtb", Tree("A")), ("readme.txt", [1]))))));
        Assert.Equal([("/t.tar:a.dtb", "A")], Found(File("t.tar", Tar(("a.dtb", Tree("A"))))));
        File("trees/b.dtb", Tree("B"));
        File("trees/deeper/c.dtb", Tree("C"));
        Assert.Equal([("/trees/b.dtb", "B"), ("/trees/deeper/c.dtb", "C")], Found(Path.Combine(folder, "trees")));
        Assert.Equal([("/trees/b.dtb", "B")], Found(Path.Combine(folder, "trees/b.dtb")));
        var fit = new TreeMaker()
            .Text("/", "description", "kernel")
            .Text("/images/fdt-1", "type", "flat_dt")
            .Bytes("/images/fdt-1", "data", Tree("D"));
        Assert.Equal([("/f.itb:/images/fdt-1", "D")], Found(File("f.itb", fit.Blob())));
    }

    [Fact]
    public void What_holds_no_tree_and_what_is_cut_off_are_told_and_an_overlay_is_no_board()
    {
        string Told(string path)
        {
            var notes = new List<string>();
            var answer = TreeSources.Facts(path, [], notes, default);
            Assert.Null(answer.Value);
            return answer.Problem!.ToString();
        }
        Assert.Contains("has none", Told(File("empty.tar", Tar(("readme.txt", [1])))));
        Assert.Contains("cut off", Told(File("cut.deb", Kernel[..300])));
        Assert.Contains("readable to its end", Told(File("cut.tar.gz", Gzip(Tar(("a.dtb", Tree("A"))))[..120])));
        Assert.Contains("device tree", Told(File("overlay.dtb", new TreeMaker().Text("/fragment@0/__overlay__", "status", "okay").Blob())));
        Assert.Contains("There is none at", Told(Path.Combine(folder, "nowhere")));
        // One damaged tree among others harms only itself.
        var notes = new List<string>();
        File("mixed/a.dtb", Tree("A")[..60]);
        File("mixed/b.dtb", Tree("B"));
        Assert.Equal("B", Assert.Single(TreeSources.Facts(Path.Combine(folder, "mixed"), [], notes, default).Value!).Model);
        Assert.Contains("a.dtb cannot be read", Assert.Single(notes));
    }

    [Fact]
    public async Task The_command_prints_one_object_a_tree()
    {
        var (code, output, _) = await CommandLineTests.Run("cards", "from", File("k.deb", Kernel), File("x.dtb", Tree("X")), "--json");
        Assert.Equal(0, code);
        using var answer = JsonDocument.Parse(output);
        var first = answer.RootElement[0];
        Assert.Equal(3, answer.RootElement.GetArrayLength());
        Assert.EndsWith("pomona.dtb", first.GetProperty("source").GetString());
        Assert.Equal(JsonValueKind.Null, first.GetProperty("console").ValueKind);
        Assert.Equal(JsonValueKind.Null, first.GetProperty("memoryMiB").ValueKind);
        Assert.Equal(JsonValueKind.Null, first.GetProperty("power").ValueKind);
        Assert.Contains("console", first.GetProperty("unknown").EnumerateArray().Select(u => u.GetString()));
        var (failed, _, error) = await CommandLineTests.Run("cards", "from", File("empty.tar", Tar(("readme.txt", [1]))));
        Assert.Equal(1, failed);
        Assert.Contains("device trees", error);
    }
}
