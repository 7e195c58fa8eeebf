using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Keeping;

public class ContradictionTests
{
    private static readonly Facts Nothing = new(null, null, null, null, null, null, null, []);

    private static IReadOnlyList<string> Of(Facts facts, string? host = "frost-north") =>
        [
            .. Contradictions
                .Of(
                    Bench.Board("quill-v", image: "fallow-12-server-riscv64"),
                    Bench.Catalogue.Model("quill-v")!,
                    Bench.Catalogue.Image("fallow-12-server-riscv64"),
                    host is null ? null : FirstBoot.Usual with { HostName = host },
                    facts
                )
                .Select(c => c.Says),
        ];

    [Fact]
    public void What_agrees_or_is_not_said_contradicts_nothing()
    {
        Assert.Empty(Of(Nothing));
        var image = Bench.Catalogue.Image("fallow-12-server-riscv64")!;
        Assert.Empty(
            Of(
                Nothing with
                {
                    Architecture = "riscv64",
                    Board = Bench.Catalogue.Model("quill-v")!.Banner + " rev B",
                    MemoryBytes = 7_900L << 20,
                    Kernel = image.Kernel + "-1-riscv64",
                    Hostname = "frost-north",
                    BootMedium = "/dev/mmcblk0p2",
                }
            )
        );
        Assert.Empty(Of(Nothing with { Hostname = "anything" }, host: null));
    }

    [Theory]
    [InlineData("Board", "another board")]
    [InlineData("Processor", "64-bit ARM")]
    [InlineData("Memory", "1.0 GiB")]
    [InlineData("Host name", "orchard")]
    [InlineData("Kernel", "4.19.0")]
    [InlineData("Root", "/dev/nvme0n1p2")]
    public void Each_thing_that_differs_is_told_with_both_sides(string what, string log)
    {
        var facts = what switch
        {
            "Board" => Nothing with { Board = log },
            "Processor" => Nothing with { Architecture = "arm64" },
            "Memory" => Nothing with { MemoryBytes = 1L << 30 },
            "Host name" => Nothing with { Hostname = log },
            "Kernel" => Nothing with { Kernel = log },
            _ => Nothing with { BootMedium = log },
        };
        var told = Assert.Single(Of(facts));
        Assert.StartsWith($"{what}: the bench says ", told);
        Assert.EndsWith($"the log says {log}.", told);
    }

    [Fact]
    public void An_address_and_a_time_zone_that_did_not_take_are_told()
    {
        var set = FirstBoot.Usual with { Address = new("eth0", "192.0.2.10/24", null, []), TimeZone = "Europe/Madrid" };
        var told = Contradictions.Of(
            Bench.Board("quill-v"),
            Bench.Catalogue.Model("quill-v")!,
            null,
            set,
            Nothing with
            {
                Addresses = ["192.0.2.44"],
            },
            new(null, null, null, new("Etc/UTC", 7), null)
        );
        Assert.Equal(
            [
                "Address: the bench says 192.0.2.10, the log says 192.0.2.44.",
                "Time zone: the bench says Europe/Madrid, the log says Etc/UTC.",
            ],
            told.Select(c => c.Says)
        );
        Assert.Empty(Contradictions.Of(Bench.Board("quill-v"), Bench.Catalogue.Model("quill-v")!, null, set, Nothing));
    }
}
