using Buttonhook.Core.Boards;
using Buttonhook.Core.Matching;

namespace Buttonhook.Core.Tests.Matching;

public class MatcherTests
{
    private static Match Of(Board board, string image, BootRecord? record = null) =>
        Matcher
            .Match(board, Bench.Catalogue, i => i.Id == image ? record ?? BootRecord.Empty : BootRecord.Empty)
            .Single(m => m.Image.Id == image);

    [Fact]
    public void An_image_with_this_revision_and_room_fits()
    {
        var match = Of(Bench.Board("quill-v"), "fallow-12-server-riscv64");
        Assert.Equal(Verdict.Fits, match.Verdict);
        Assert.Contains(match.Reasons, r => r.Text == "Device tree for revision B on the image.");
    }

    [Fact]
    public void Another_instruction_set_will_not_start_and_says_so_alone()
    {
        var match = Of(Bench.Board("quill-v"), "fallow-12-server-arm64");
        Assert.Equal(Verdict.WillNotStart, match.Verdict);
        Assert.Equal("Kernel is for 64-bit ARM, this board is 64-bit RISC-V.", Assert.Single(match.Reasons).Text);
    }

    [Fact]
    public void An_older_revision_only_tells_why_it_matters()
    {
        var match = Of(Bench.Board("quill-v", "B"), "tallow-3-riscv64");
        Assert.Equal(Verdict.WillNotStart, match.Verdict);
        Assert.Equal("Knows revision A only: the loader cannot start the memory fitted from revision B on.", match.Reasons[0].Text);
        Assert.NotEqual(Verdict.WillNotStart, Of(Bench.Board("quill-v", "A"), "tallow-3-riscv64").Verdict);
    }

    [Fact]
    public void Another_makers_board_with_the_same_processor_is_unproven_with_what_is_missing()
    {
        var match = Of(Bench.Board("quill-v"), "hobble-3-vane");
        Assert.Equal(Verdict.Unproven, match.Verdict);
        Assert.Contains("same processor. Expect no display and a wrong light.", match.Reasons[0].Text);
    }

    [Theory]
    [InlineData(8, "Expands to 14.8 GiB; the 8 GB card holds 7.3 GiB. Use 16 GB or more.")]
    [InlineData(16, "Expands to 14.8 GiB; the 16 GB card holds 14.6 GiB. Use 16 GB or more.")]
    public void A_card_that_is_too_small_tells_both_sizes(int card, string reason)
    {
        var match = Of(Bench.Board("quill-v", card: card), "rookery-24-riscv64");
        Assert.Equal(Verdict.FitsAfterChange, match.Verdict);
        Assert.Equal(reason, match.Reasons[0].Text);
    }

    [Fact]
    public void No_console_is_a_change_with_the_words_to_add() =>
        Assert.Contains(
            Of(Bench.Board("spindle-2", screen: true), "fallow-12-desktop-arm64").Reasons,
            r => r is { Bearing: Bearing.Change, Text: "No serial console on its command line: add console=ttyS2,115200." }
        );

    [Fact]
    public void Too_little_memory_stops()
    {
        var board = Bench.Board("thimble") with { MemoryMiB = 128 };
        Assert.Equal(Verdict.WillNotStart, Of(board, "fallow-12-server-armhf").Verdict);
    }

    [Fact]
    public void The_worst_reason_comes_first_in_every_match()
    {
        foreach (var model in Bench.Catalogue.Models)
        foreach (var match in Matcher.Match(Bench.Board(model.Id), Bench.Catalogue, _ => BootRecord.Empty))
            Assert.Equal(match.Reasons.Select(r => r.Bearing).Order(), match.Reasons.Select(r => r.Bearing));
    }

    [Fact]
    public void Real_boots_decide_inside_a_group()
    {
        var board = Bench.Board("quill-v");
        var best = Matcher.Match(board, Bench.Catalogue, i => i.Id == "tallow-4-minimal-riscv64" ? new(20, 20, 14, 20) : BootRecord.Empty)[
            0
        ];
        Assert.Equal("tallow-4-minimal-riscv64", best.Image.Id);
    }
}
