using Buttonhook.Core.Images.Formats;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Images;

/// <summary>Device trees: what was written is read back, and what is damaged is refused.</summary>
public class DeviceTreeTests
{
    private static readonly Gen<(string Node, string Name, byte[] Value)> Entry =
        from node in Gen.Elements("/", "/cpus", "/cpus/cpu@0", "/soc/serial@1000", "/soc", "/chosen")
        from name in Gen.Elements("compatible", "reg", "status", "x")
        from value in ArbMap.Default.GeneratorFor<byte[]>()
        select (node, name, value);

    [Property(MaxTest = 200)]
    public Property What_was_written_is_read_back() =>
        Prop.ForAll(
            Entry.ArrayOf().ToArbitrary(),
            given =>
            {
                var entries = given.DistinctBy(e => (e.Node, e.Name)).ToList();
                var tree = DeviceTree.Read(entries.Aggregate(new TreeMaker(), (t, e) => t.Bytes(e.Node, e.Name, e.Value)).Blob());
                return entries.All(e => tree.Property(e.Node, e.Name)!.SequenceEqual(e.Value))
                    && entries.All(e => tree.Paths.Contains(e.Node))
                    && tree.Property("/", "nothing") is null;
            }
        );

    [Property(MaxTest = 200)]
    public bool A_tree_that_is_cut_off_is_refused(PositiveInt cut)
    {
        var blob = new TreeMaker().Text("/", "model", "Pomona 3").Text("/chosen", "stdout-path", "serial0:115200n8").Blob();
        return Assert.Throws<UnreadableException>(() => DeviceTree.Read(blob.AsSpan(0, cut.Get % blob.Length))).Message.Length > 10;
    }

    [Fact]
    public void Names_models_and_consoles_are_told()
    {
        var tree = DeviceTree.Read(
            new TreeMaker()
                .Text("/", "model", "Pomona 3")
                .Text("/", "compatible", "orchard,pomona-3\0orchard,p3")
                .Text("/chosen", "stdout-path", "serial0:115200n8")
                .Blob()
        );
        Assert.Equal(("Pomona 3", true), (tree.Model, tree.HasConsole));
        Assert.Equal(["orchard,pomona-3", "orchard,p3"], tree.Compatible);
        Assert.False(DeviceTree.Read(new TreeMaker().Text("/", "model", "Bare").Blob()).HasConsole);
    }
}
