using Buttonhook.Core.Boards;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Matching;

namespace Buttonhook.Core.Tests.Matching;

/// <summary>What is not known is never taken for good: less knowledge never turns a warning into an all-clear.</summary>
public class UnknownTests
{
    private static readonly (string Fact, Func<BoardProfile, BoardProfile> Without)[] Facts =
    [
        ("processor", m => m with { Processor = null }),
        ("instruction set", m => m with { InstructionSet = null }),
        ("boot media", m => m with { BootMedia = [] }),
        ("loader", m => m with { Loader = null }),
        ("console device", m => m with { Console = m.Console with { Device = null } }),
        ("console speed", m => m with { Console = m.Console with { Speed = null } }),
        ("console level", m => m with { Console = m.Console with { Level = ConsoleLevel.Unknown } }),
        ("supply", m => m with { Power = PowerInput.Nothing }),
        ("banner", m => m with { Banner = null }),
        ("device-tree names", m => m with { Revisions = [.. m.Revisions.Select(r => r with { Compatible = null })] }),
        ("marks", m => m with { Revisions = [.. m.Revisions.Select(r => r with { Mark = null, Where = null })] }),
        ("memory", m => m),
    ];

    public static TheoryData<string> Names => [.. Facts.Select(f => f.Fact)];

    private static Catalogue With(BoardProfile model) =>
        new(
            [.. Bench.Catalogue.Models.Where(m => m.Id != model.Id), model],
            Bench.Catalogue.Images,
            Bench.Catalogue.Supplies,
            Bench.Catalogue.Adapters,
            Bench.Catalogue.Codes,
            Bench.Catalogue.Cables,
            Bench.Catalogue.Parts,
            Bench.Catalogue.MeasuredCards
        );

    [Theory]
    [MemberData(nameof(Names))]
    public void A_fact_that_is_taken_away_never_turns_a_warning_into_an_all_clear(string fact)
    {
        var without = Facts.Single(f => f.Fact == fact).Without;
        foreach (var model in Bench.Catalogue.Models)
        foreach (var revision in model.Revisions)
        {
            var board = Bench.Board(model.Id, revision.Id);
            var less = fact == "memory" ? board with { MemoryMiB = null } : board;
            Dictionary<string, Verdict> Verdicts(Board of, Catalogue catalogue) =>
                Matcher
                    .Match(of, catalogue, BootRecord.Of(of, catalogue, []), Wish.Usual(of))
                    .ToDictionary(m => m.Image.Id, m => m.Verdict);
            var known = Verdicts(board, Bench.Catalogue);
            var unknown = Verdicts(less, With(without(model)));
            Assert.All(
                known,
                k =>
                    Assert.False(
                        k.Value != Verdict.Fits && unknown[k.Key] == Verdict.Fits,
                        $"{k.Key} on {model.Id} {revision.Id} without {fact}"
                    )
            );
        }
    }

    private static readonly (string Fact, Func<ImageProfile, ImageProfile> Without)[] ImageFacts =
    [
        ("flavour", i => i with { Flavour = null }),
        ("kernel", i => i with { Kernel = "" }),
        ("least memory", i => i with { MinimumMemoryMiB = null }),
        ("all memory", i => i with { MinimumMemoryMiB = null, ComfortableMemoryMiB = null }),
        ("console speed", i => i with { ConsoleSpeed = null }),
        ("network at first boot", i => i with { NeedsNetworkAtFirstBoot = null }),
        ("screen at first boot", i => i with { NeedsScreenAtFirstBoot = null }),
        ("growing", i => i with { GrowsAtFirstBoot = null }),
        ("media", i => i with { BootMedia = [] }),
        ("boards", i => i with { Supports = [] }),
        ("times", i => i with { FirstBootSeconds = [] }),
    ];

    public static TheoryData<string> ImageNames => [.. ImageFacts.Select(f => f.Fact)];

    /// <summary>What only a maker knows is not made up from an image, and its absence is no all-clear where the presence of it was a warning.</summary>
    [Theory]
    [MemberData(nameof(ImageNames))]
    public void A_fact_that_an_image_card_lacks_never_turns_a_warning_into_an_all_clear(string fact)
    {
        var without = ImageFacts.Single(f => f.Fact == fact).Without;
        // What asks for a connection at the first boot is a wish of the image that only its maker can tell; not knowing it is said elsewhere.
        var told = new[] { "network at first boot", "screen at first boot" };
        foreach (var model in Bench.Catalogue.Models)
        foreach (var image in Bench.Catalogue.Images)
        foreach (var memory in new[] { 256, 4096 })
        {
            var board = Bench.Board(model.Id, model.Revisions[^1].Id) with { MemoryMiB = memory };
            Match Of(ImageProfile of)
            {
                of = of with { Id = "tried" };
                var catalogue = Bench.With([], [of]);
                return Matcher
                    .Match(board, catalogue, BootRecord.Of(board, catalogue, []), Wish.Usual(board))
                    .Single(m => m.Image.Id == of.Id);
            }
            var (known, unknown) = (Of(image), Of(without(image)));
            var onlyTold = known.Reasons.Where(r => r.Bearing <= Bearing.Change).All(r => r.Rule == "first-boot");
            if (told.Contains(fact) && onlyTold)
                continue;
            Assert.False(
                known.Verdict != Verdict.Fits && unknown.Verdict == Verdict.Fits,
                $"{image.Id} on {model.Id} with {memory} MiB without {fact}: {string.Join(" ", known.Reasons.Select(r => r.Text))}"
            );
        }
    }

    [Fact]
    public void A_board_of_which_nothing_is_known_neither_fits_nor_is_refused_and_each_reason_names_what_is_missing()
    {
        var model = ProfileDraft.From(new("LQ5 R2", null, null, null, []), Knowledge.Rules).Value!.Card;
        var board = new Board(
            "id",
            "Damson",
            model.Id,
            model.Revisions[0].Id,
            null,
            new(32, false, true, null, null),
            ["mark"],
            null,
            [],
            false
        );
        var catalogue = Bench.With([model], []);
        var matches = Matcher.Match(board, catalogue, BootRecord.Of(board, catalogue, []), Wish.Usual(board));
        Assert.All(matches, m => Assert.Equal(Verdict.Unproven, m.Verdict));
        Assert.All(matches, m => Assert.Contains(m.Reasons, r => r.Text.StartsWith("Cannot tell without", StringComparison.Ordinal)));
    }

    [Theory]
    [InlineData("distro")]
    [InlineData("efi")]
    public void A_dry_boot_without_console_memory_or_loader_says_that_it_cannot_tell(string loader)
    {
        var disk = ImageBytes.Of(ImageMaker.Disk(ImageMaker.Fat(ImageMaker.BootFiles()), ImageMaker.Ext(ImageMaker.RootFiles())));
        var board = new DryBoard(InstructionSet.Arm64, loader, "sd", "ttyAMA0", 115_200, 1024, [], "");
        var known = DryBoot.Play(disk, board, ImageMaker.Unpack).Verdict;
        foreach (var less in new[] { board with { ConsoleDevice = null }, board with { MemoryMiB = null }, board with { Loader = null } })
        {
            var verdict = DryBoot.Play(disk, less, ImageMaker.Unpack).Verdict;
            Assert.NotEqual(DryVerdict.Boots, verdict);
            if (known == DryVerdict.Boots)
                Assert.Equal(DryVerdict.CannotTell, verdict);
        }
    }
}
