using System.Buffers.Binary;
using System.Text;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Keeping;

namespace Buttonhook.Core.Tests.Boards;

public class ProfileDraftTests
{
    [Fact]
    public void The_processor_text_of_a_running_system_names_the_board()
    {
        const string text =
            "processor\t: 0\nBogoMIPS\t: 108.00\nCPU architecture: 8\n\nHardware\t: SP2\nRevision\t: c4013\nSerial\t\t: 1000\nModel\t\t: Thornlea Spindle 2 Rev 1.3\n";
        var draft = ProfileDraft.From(new(null, null, text, null, []), Knowledge.Rules).Value!;
        Assert.Equal(("Thornlea", "Spindle 2", "1.3"), (draft.Card.Maker, draft.Card.Name, draft.Card.Revisions[0].Id));
        Assert.Equal(ConsoleLevel.Unknown, draft.Card.Console.Level);
        var told = Identification.Tell(new(null, null, text, null, []), Bench.Catalogue, Knowledge.Rules).Value!;
        Assert.Equal(("spindle-2", "1.3"), (told.Candidates[0].ModelId, told.Candidates[0].RevisionId));
    }

    /// <summary>A flattened device tree (Devicetree Specification 0.4, chapter 5) of nodes written as path and properties.</summary>
    public static byte[] Tree(params (string Path, (string Name, byte[] Value)[] Properties)[] nodes)
    {
        using var structure = new MemoryStream();
        using var strings = new MemoryStream();
        void Word(uint value)
        {
            Span<byte> bytes = stackalloc byte[4];
            BinaryPrimitives.WriteUInt32BigEndian(bytes, value);
            structure.Write(bytes);
        }
        void Pad()
        {
            while (structure.Length % 4 != 0)
                structure.WriteByte(0);
        }
        void Begin(string name)
        {
            Word(1);
            structure.Write(Encoding.ASCII.GetBytes(name + '\0'));
            Pad();
        }
        void Properties(string path)
        {
            foreach (var (name, value) in nodes.Where(n => n.Path == path).SelectMany(n => n.Properties))
            {
                Word(3);
                Word((uint)value.Length);
                Word((uint)strings.Length);
                strings.Write(Encoding.ASCII.GetBytes(name + '\0'));
                structure.Write(value);
                Pad();
            }
        }
        void Children(string path)
        {
            foreach (var child in nodes.Select(n => n.Path).Where(p => p != "/" && p[..Math.Max(1, p.LastIndexOf('/'))] == path).Distinct())
            {
                Begin(child[(child.LastIndexOf('/') + 1)..]);
                Properties(child);
                Children(child);
                Word(2);
            }
        }
        Begin("");
        Properties("/");
        Children("/");
        Word(2);
        Word(9);
        var head = new byte[56];
        void Head(int at, long value) => BinaryPrimitives.WriteUInt32BigEndian(head.AsSpan(at), (uint)value);
        Head(0, 0xD00DFEED);
        Head(4, 56 + structure.Length + strings.Length);
        Head(8, 56);
        Head(12, 56 + structure.Length);
        Head(16, 40);
        Head(20, 17);
        Head(24, 16);
        Head(32, strings.Length);
        Head(36, structure.Length);
        return [.. head, .. structure.ToArray(), .. strings.ToArray()];
    }

    public static byte[] Text(params string[] words) => Encoding.ASCII.GetBytes(string.Join('\0', words) + '\0');

    private static byte[] Cells(params uint[] cells)
    {
        var bytes = new byte[cells.Length * 4];
        for (var i = 0; i < cells.Length; i++)
            BinaryPrimitives.WriteUInt32BigEndian(bytes.AsSpan(i * 4), cells[i]);
        return bytes;
    }

    public static byte[] Quince { get; } =
        Tree(
            (
                "/",
                [
                    ("model", Text("Ladle Quince 5 rev 2")),
                    ("compatible", Text("ladle,quince-5", "ladle,lq55")),
                    ("#address-cells", Cells(2)),
                    ("#size-cells", Cells(2)),
                ]
            ),
            ("/cpus", []),
            ("/cpus/cpu@0", [("compatible", Text("arm,cortex-a55"))]),
            ("/memory@0", [("reg", Cells(0, 0, 0, 0x7C000000))]),
            ("/aliases", [("serial2", Text("/soc/serial@ff1a0000"))]),
            ("/chosen", [("stdout-path", Text("serial2:1500000n8"))]),
            ("/soc", []),
            ("/soc/serial@ff1a0000", [("compatible", Text("snps,dw-apb-uart"))]),
            ("/soc/ethernet@fe010000", [("phy-mode", Text("rgmii"))]),
            ("/soc/ethernet@fe020000", [("phy-mode", Text("rgmii")), ("status", Text("disabled"))]),
            ("/soc/usb@fd000000", [("dr_mode", Text("host"))]),
            ("/hdmi", [("compatible", Text("hdmi-connector"))]),
            ("/leds", []),
            ("/leds/work", [("label", Text("green")), ("gpios", Cells(1, 2)), ("linux,default-trigger", Text("mmc0"))])
        );

    private static ProfileDraft Draft(string? mark = null, string? text = null, byte[]? tree = null) =>
        ProfileDraft.From(new(mark, null, text, tree, []), Knowledge.Rules).Value!;

    [Fact]
    public void A_device_tree_tells_most_of_a_card_and_says_what_was_read_from_where()
    {
        var draft = Draft(tree: Quince);
        var card = draft.Card;
        Assert.Equal(("ladle-quince-5", "Ladle", "Quince 5"), (card.Id, card.Maker, card.Name));
        Assert.Equal((InstructionSet.Arm64, "LQ55"), (card.InstructionSet, card.Processor));
        Assert.Equal([2048], card.MemoryMiB);
        Assert.Equal(("2", "ladle,quince-5"), (card.Revisions[0].Id, card.Revisions[0].Compatible));
        Assert.Equal(("ttyS2", 1_500_000), (card.Console.Device, card.Console.Speed));
        Assert.Equal(["Ethernet", "USB"], card.Ports.Select(p => p.Name).Order());
        Assert.Equal("HDMI", Assert.Single(card.VideoOutputs).Name);
        Assert.Equal(new Light("green", null, "blinks while mmc0 is read or written", "green"), card.Lights[0]);
        // What a tree does not tell is not there, and nothing stands in for it.
        Assert.Equal(PowerInput.Nothing, card.Power);
        Assert.Equal((null, ConsoleLevel.Unknown, null), (card.Console.Where, card.Console.Level, card.Console.Pins));
        Assert.Equal((0, null, null), (card.BootMedia.Count, card.Loader, card.Revisions[0].Mark));
        Assert.Equal("device tree", card.SourceOf("memoryMiB"));
        Assert.Equal("device tree, /chosen stdout-path, alias serial2", card.SourceOf("console.speed"));
        Assert.All(draft.Read, f => Assert.StartsWith("device tree", f.From));
    }

    [Fact]
    public void Only_what_no_source_tells_is_asked()
    {
        var asked = Draft(mark: "LQ5 R2", tree: Quince).Ask.Select(q => q.Field).ToList();
        Assert.Equal(["pins", "power", "bootMedia"], asked);
    }

    [Fact]
    public void A_boot_log_alone_makes_a_card_too()
    {
        var plan = Bench.Plan("spindle-2");
        var draft = Draft(text: Encoding.UTF8.GetString(Bench.Log(plan)));
        Assert.Equal(("Thornlea", "Spindle 2"), (draft.Card.Maker, draft.Card.Name));
        Assert.Equal(InstructionSet.Arm64, draft.Card.InstructionSet);
        Assert.Null(draft.Card.Revisions[0].Compatible);
    }

    [Fact]
    public void What_is_printed_on_a_board_is_enough_for_a_card_of_which_nothing_else_is_known()
    {
        var card = Draft(mark: "LQ5 R2").Card;
        Assert.Equal(("lq5-r2", null, "LQ5 R2", ProfileDraft.NoRevision), (card.Id, card.Maker, card.Name, card.Revisions[0].Id));
        Assert.Equal((null, 0, null), (card.InstructionSet, card.MemoryMiB.Count, card.Console.Device));
        Assert.Single(ProfilePack.Read("draft.yaml", DataFile.Write(card), ProfilePackTests.Schemas).Value!.Boards);
    }

    [Fact]
    public void A_draft_fits_the_published_format_and_the_new_board_is_then_told()
    {
        var draft = Draft(mark: "LQ5 R2", tree: Quince);
        var pack = ProfilePack.Read("draft.yaml", DataFile.Write(draft.Card), ProfilePackTests.Schemas).Value!;
        var catalogue = Bench.With(pack.Boards, []);
        var told = Identification.Tell(new(null, null, null, Quince, []), catalogue, Knowledge.Rules).Value!;
        Assert.Equal("ladle-quince-5", told.Candidates[0].ModelId);
        Assert.True(told.Candidates[0].Probability > 0.9);
    }

    [Fact]
    public void Nothing_to_read_is_a_problem() =>
        Assert.Contains("names no board", ProfileDraft.From(new(null, null, "hello", null, []), Knowledge.Rules).Problem!.Came);
}
