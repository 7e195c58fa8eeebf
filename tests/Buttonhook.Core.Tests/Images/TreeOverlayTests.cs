using System.Diagnostics;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Overlays are laid over trees as the system's own tool does it (fdtoverlay of dtc), where that is there.</summary>
public sealed class TreeOverlayTests : IDisposable
{
    private readonly string folder = Directory.CreateTempSubdirectory("buttonhook-").FullName;

    public void Dispose() => Directory.Delete(folder, true);

    private const string Board = """
        /dts-v1/;
        / {
          model = "Ladle Quince 5"; compatible = "ladle,quince-5";
          #address-cells = <1>; #size-cells = <1>;
          aliases { serial0 = &uart0; };
          chosen { stdout-path = "serial0:115200n8"; };
          soc {
            #address-cells = <1>; #size-cells = <1>;
            uart0: serial@1000 { compatible = "ns16550a"; reg = <0x1000 0x100>; interrupt-parent = <&intc>; };
            uart2: serial@3000 { compatible = "ns16550a"; reg = <0x3000 0x100>; status = "disabled"; };
            intc: interrupt-controller@2000 { reg = <0x2000 0x100>; };
          };
        };
        """;

    private const string Uart = """
        /dts-v1/; /plugin/;
        &uart2 { status = "okay"; pins = <&two>; current-speed = <1500000>; };
        &{/} { leds { compatible = "gpio-leds"; two: frost { label = "frost"; near = <&two>, <&uart0>; }; }; };
        &{/chosen} { stdout-path = "serial2:1500000n8"; };
        &{/aliases} { serial2 = "/soc/serial@3000"; };
        """;

    private const string Second = """
        /dts-v1/; /plugin/;
        &two { label = "frost warning"; under = <&uart2>; };
        """;

    private static bool HasTools => File.Exists("/usr/bin/dtc") && File.Exists("/usr/bin/fdtoverlay");

    private byte[] Compile(string source)
    {
        var path = Path.Combine(folder, Guid.NewGuid().ToString("N"));
        File.WriteAllText(path + ".dts", source);
        Run("dtc", "-q", "-@", "-I", "dts", "-O", "dtb", "-o", path + ".dtb", path + ".dts");
        return File.ReadAllBytes(path + ".dtb");
    }

    private static string Run(string tool, params string[] words)
    {
        using var process = Process.Start(
            new ProcessStartInfo(tool, words) { RedirectStandardOutput = true, RedirectStandardError = true }
        )!;
        var text = process.StandardOutput.ReadToEnd();
        var errors = process.StandardError.ReadToEnd();
        process.WaitForExit();
        return process.ExitCode == 0 ? text : throw new InvalidOperationException($"{tool}: {errors}");
    }

    private string Put(byte[] bytes)
    {
        var path = Path.Combine(folder, Guid.NewGuid().ToString("N"));
        File.WriteAllBytes(path, bytes);
        return path;
    }

    /// <summary>A tree as sorted text.</summary>
    private string Source(byte[] blob) => Run("dtc", "-q", "-s", "-I", "dtb", "-O", "dts", Put(blob));

    private static byte[] Lay(byte[] tree, byte[] overlay)
    {
        var laid = TreeOverlay.Lay(tree, overlay, "o.dtbo");
        Assert.True(laid.Value is not null, laid.Problem?.ToString());
        return laid.Value;
    }

    [Fact]
    public void What_comes_out_is_what_the_systems_tool_makes_of_it()
    {
        Assert.SkipUnless(HasTools, "dtc and fdtoverlay are not there");
        var (board, uart, second) = (Compile(Board), Compile(Uart), Compile(Second));
        var ours = Lay(Lay(board, uart), second);
        var theirs = Path.Combine(folder, "theirs");
        Run("fdtoverlay", "-i", Put(board), "-o", theirs, Put(uart), Put(second));
        Assert.Equal(Source(File.ReadAllBytes(theirs)), Source(ours));
        var tree = DeviceTree.Read(ours);
        Assert.Equal("serial2:1500000n8", tree.Text("/chosen", "stdout-path"));
        Assert.Equal("frost warning", tree.Text("/leds/frost", "label"));
        Assert.True(tree.Find("/soc/serial@3000")!.IsOn);
    }

    [Fact]
    public void What_the_tree_has_not_is_said_in_words()
    {
        Assert.SkipUnless(HasTools, "dtc and fdtoverlay are not there");
        var overlay = Compile("/dts-v1/; /plugin/; &uart9 { status = \"okay\"; };");
        Assert.Contains("uart9", TreeOverlay.Lay(Compile(Board), overlay, "o.dtbo").Problem!.Came);
        // A tree that was compiled without its labels.
        var bare = new TreeMaker().Text("/", "model", "Ladle Quince 5").Blob();
        Assert.Contains("dtc -@", TreeOverlay.Lay(bare, overlay, "o.dtbo").Problem!.Expected);
        var elsewhere = Compile("/dts-v1/; /plugin/; / { fragment@0 { target-path = \"/nowhere\"; __overlay__ { a; }; }; };");
        Assert.Contains("changes /nowhere", TreeOverlay.Lay(bare, elsewhere, "o.dtbo").Problem!.Came);
        Assert.Contains("has none", TreeOverlay.Lay(bare, bare, "o.dtbo").Problem!.Came);
    }

    [Fact]
    public void A_path_needs_no_labels_and_nothing_of_the_tree_is_lost()
    {
        var tree = new TreeMaker()
            .Text("/", "model", "Ladle Quince 5")
            .Text("/soc/serial@1000", "status", "disabled")
            .Cell("/soc/serial@1000", "phandle", 7)
            .Blob();
        var overlay = new TreeMaker()
            .Text("/fragment@0", "target-path", "/soc/serial@1000")
            .Text("/fragment@0/__overlay__", "status", "okay")
            .Text("/fragment@0/__overlay__/child", "label", "new")
            .Blob();
        Assert.True(TreeOverlay.IsOverlay(DeviceTree.Read(overlay)));
        Assert.False(TreeOverlay.IsOverlay(DeviceTree.Read(tree)));
        var laid = DeviceTree.Read(Lay(tree, overlay));
        Assert.Equal("Ladle Quince 5", laid.Model);
        Assert.Equal("okay", laid.Text("/soc/serial@1000", "status"));
        Assert.Equal(7u, laid.Find("/soc/serial@1000")!.Number("phandle"));
        Assert.Equal("new", laid.Text("/soc/serial@1000/child", "label"));
    }

    [Fact]
    public void Whatever_comes_is_laid_or_refused_in_words()
    {
        var random = new Random(27);
        var tree = new TreeMaker().Text("/", "model", "Ladle").Text("/__symbols__", "uart", "/soc").Cell("/soc", "phandle", 3).Blob();
        var overlay = new TreeMaker()
            .Cell("/fragment@0", "target", 0xFFFFFFFF)
            .Text("/fragment@0/__overlay__", "status", "okay")
            .Cell("/fragment@0/__overlay__", "phandle", 1)
            .Cell("/fragment@0/__overlay__", "near", 1)
            .Text("/__fixups__", "uart", "/fragment@0:target:0")
            .Cell("/__local_fixups__/fragment@0/__overlay__", "near", 0)
            .Blob();
        Assert.Equal("okay", DeviceTree.Read(Lay(tree, overlay)).Text("/soc", "status"));
        for (var round = 0; round < 20_000; round++)
        {
            var (a, b) = (tree.ToArray(), overlay.ToArray());
            for (var n = random.Next(1, 5); n > 0; n--)
            {
                var into = random.Next(3) == 0 ? a : b;
                into[random.Next(into.Length)] = (byte)random.Next(256);
            }
            if (TreeOverlay.Lay(a, b, "o.dtbo").Value is { } laid)
                Assert.NotEmpty(DeviceTree.Read(laid).Nodes);
        }
    }
}
