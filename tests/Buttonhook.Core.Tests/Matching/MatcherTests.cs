using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Matching;

public class MatcherTests
{
    private static readonly Dictionary<string, BootRecord> None = [];

    private static Match Of(Board board, string image) =>
        Matcher.Match(board, Bench.Catalogue, None, Wish.Usual(board)).Single(m => m.Image.Id == image);

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
        foreach (var match in Matcher.Match(Bench.Board(model.Id), Bench.Catalogue, None, Wish.Usual(Bench.Board(model.Id))))
            Assert.Equal(match.Reasons.Select(r => r.Bearing).Order(), match.Reasons.Select(r => r.Bearing));
    }

    [Fact]
    public void Real_boots_decide_inside_a_group()
    {
        var board = Bench.Board("quill-v");
        var records = new Dictionary<string, BootRecord> { ["tallow-4-minimal-riscv64"] = new([new(Nearness.Board, 20, 20)], 14, 20) };
        var best = Matcher.Match(board, Bench.Catalogue, records, Wish.Usual(board))[0];
        Assert.Equal("tallow-4-minimal-riscv64", best.Image.Id);
    }

    [Theory]
    [InlineData(DryVerdict.DoesNotBoot, false, Verdict.WillNotStart, "Dry boot: /init is gone. Put it back.")]
    [InlineData(DryVerdict.DoesNotBoot, true, Verdict.FitsAfterChange, "Dry boot: /init is gone. Put it back.")]
    [InlineData(DryVerdict.CannotTell, false, Verdict.Unproven, "Dry boot: /init is gone.")]
    [InlineData(DryVerdict.Boots, false, Verdict.Fits, "The dry boot of its file reaches the login on this board.")]
    public void What_the_dry_boot_of_the_file_found_is_the_first_reason(DryVerdict played, bool edit, Verdict verdict, string first)
    {
        var image = Bench.ImageFor("quill-v");
        var step = new DryStep(
            "first program",
            Stage.Root,
            played == DryVerdict.CannotTell ? LinkResult.CannotTell : LinkResult.Failed,
            "/init is gone.",
            null,
            played == DryVerdict.DoesNotBoot ? "init-missing" : null,
            "Put it back.",
            edit ? new FileEdit(1, "/a", 1, null, "b") : null
        );
        var dry = new DryBoot(played, played == DryVerdict.Boots ? [] : [step]);
        var board = Bench.Board("quill-v", "B");
        var match = Matcher
            .Match(board, Bench.Catalogue, None, Wish.Usual(board), new Dictionary<string, DryBoot> { [image.Id] = dry })
            .Single(m => m.Image.Id == image.Id);
        Assert.Equal((verdict, first), (match.Verdict, match.Reasons[0].Text));
    }

    [Fact]
    public void Images_that_share_a_name_are_told_apart_everywhere()
    {
        var image = Inspected("Riscv64");
        ImageProfile Own(string id, string path, string? sum) => image with { Id = id, Path = path, Sha256 = sum };
        var catalogue = Bench.With(
            [],
            [
                Own("a", "/images/fallow-a.img.xz", new string('a', 64)),
                Own("b", "/images/fallow-b.img.xz", new string('b', 64)),
                Own("c", "/images/old/fallow-b.img.xz", new string('c', 64)),
                Own("d", "/images/old/fallow-b.img.xz", new string('c', 64)),
            ]
        );
        var titles = catalogue.Images.Select(i => (i.InstructionSet, i.Title)).ToList();
        Assert.Equal(titles.Count, titles.Distinct().Count());
        Assert.Equal("Fallow 12 server (fallow-a.img.xz, aaaaaa)", catalogue.Image("a")!.Title);
        Assert.Equal("Tallow 4 minimal", catalogue.Image("tallow-4-minimal-riscv64")!.Title);
    }

    private static ImageProfile Inspected(string set, params string[] trees) =>
        Bench.ImageFor("quill-v") with
        {
            Id = "inspected",
            Supports = [],
            Trees = [.. trees.Order(StringComparer.Ordinal)],
            InstructionSet = Enum.Parse<InstructionSet>(set),
        };

    private static Match With(ImageProfile image, Board board, Wish? wish = null) =>
        Matcher.Match(board, Bench.With([], [image]), None, wish ?? Wish.Usual(board)).Single(m => m.Image.Id == image.Id);

    [Fact]
    public void The_tree_of_this_revision_on_an_inspected_image_fits()
    {
        var match = With(Inspected("Riscv64", "windle,vane-3", "quillon,quill-v-b", "quillon,quill-v-a"), Bench.Board("quill-v", "B"));
        Assert.Equal(Verdict.Fits, match.Verdict);
        Assert.Contains(match.Reasons, r => r.Text == "Carries the device tree of this very revision (quillon,quill-v-b).");
    }

    [Fact]
    public void The_tree_of_an_older_revision_only_is_unproven_with_what_changed_since()
    {
        var match = With(Inspected("Riscv64", "quillon,quill-v-a"), Bench.Board("quill-v", "B"));
        Assert.Equal(Verdict.Unproven, match.Verdict);
        Assert.Equal(
            "Carries the device tree of revision A only. What changed since: another memory, which older loaders cannot start.",
            match.Reasons[0].Text
        );
    }

    [Fact]
    public void Another_makers_tree_with_this_processor_is_unproven_with_what_will_be_missing()
    {
        var match = With(Inspected("Riscv64", "windle,vane-3"), Bench.Board("quill-v"));
        Assert.Equal(Verdict.Unproven, match.Verdict);
        Assert.Equal(
            "Carries the device tree of Windle Vane 3, which has the same processor. Expect to miss: display, second Ethernet socket, the right lights.",
            match.Reasons[0].Text
        );
    }

    [Fact]
    public void Trees_for_other_processors_only_will_not_start()
    {
        var match = With(Inspected("Riscv64", "someone,else"), Bench.Board("quill-v"));
        Assert.Equal(Verdict.WillNotStart, match.Verdict);
        Assert.Contains("Its only device tree (someone,else) is not for Quill V", match.Reasons[0].Text);
    }

    [Theory]
    [InlineData("5.15.90", Verdict.WillNotStart)]
    [InlineData("6.0.1", Verdict.WillNotStart)]
    [InlineData("6.1.0", Verdict.Fits)]
    [InlineData("6.12-next", Verdict.Fits)]
    public void An_old_kernel_line_does_not_start_a_new_revision(string kernel, Verdict verdict)
    {
        var match = With(Inspected("Riscv64", "quillon,quill-v-b") with { Kernel = kernel }, Bench.Board("quill-v", "B"));
        Assert.Equal(verdict, match.Verdict);
        Assert.Contains(match.Reasons, r => r.Rule == "kernel-line" && r.Text.Contains(kernel));
    }

    [Fact]
    public void Flash_later_needs_flash_that_is_large_enough()
    {
        var wish = new Wish(false, true, StorageLayout.FlashLater);
        Assert.Equal(Verdict.WillNotStart, With(Bench.ImageFor("quill-v") with { Id = "x" }, Bench.Board("quill-v"), wish).Verdict);
        var small = With(Bench.ImageFor("core-4") with { Id = "x" }, Bench.Board("core-4"), wish);
        Assert.Contains(small.Reasons, r => r.Text == "Fits into the soldered flash of 16 GB with room for updates.");
        var large = With(Bench.ImageFor("core-4") with { Id = "x", ExpandedBytes = 13L << 30 }, Bench.Board("core-4"), wish);
        Assert.Contains(large.Reasons, r => r is { Rule: "layout", Bearing: Bearing.Stops });
    }

    [Fact]
    public void A_root_named_by_device_is_a_change_behind_a_menu_and_on_an_ssd()
    {
        foreach (var layout in new[] { StorageLayout.BootMenu, StorageLayout.LoaderOnCard })
        {
            var match = With(
                Bench.ImageFor("quill-v") with
                {
                    Id = "x",
                    RootBy = "device",
                },
                Bench.Board("quill-v"),
                new(false, true, layout)
            );
            Assert.Contains(match.Reasons, r => r is { Rule: "layout", Bearing: Bearing.Change } && r.Text.Contains("PARTUUID"));
        }
    }

    [Fact]
    public void What_is_wanted_changes_the_order()
    {
        var board = Bench.Board("quill-v", "A");
        List<string> Order(Wish wish) => [.. Matcher.Match(board, Bench.Catalogue, None, wish).Select(m => m.Image.Id)];
        var kept = Order(new(false, true, StorageLayout.OneCard));
        Assert.NotEqual(kept, Order(new(false, false, StorageLayout.OneCard)));
        Assert.NotNull(Bench.Catalogue.Image(kept[0])!.LongTermUntil);
        Assert.Null(Bench.Catalogue.Image(Order(new(false, false, StorageLayout.OneCard))[0])!.LongTermUntil);
        Assert.True(
            Order(new(true, true, StorageLayout.OneCard)).IndexOf("fallow-12-desktop-riscv64") < kept.IndexOf("fallow-12-desktop-riscv64")
        );
    }

    [Fact]
    public void Boots_count_less_the_further_away_they_are()
    {
        var board = Bench.Board("quill-v", "B");
        BootTally Tally(string id, string model, string revision) => new("image", id, model, revision, 10, 10, 20, 30);
        double Lower(BootTally tally) => BootRecord.Of(board, Bench.Catalogue, [tally])["image"].LowerEnd;
        var own = Lower(Tally("id", "quill-v", "B"));
        var revision = Lower(Tally("other", "quill-v", "B"));
        var model = Lower(Tally("other", "quill-v", "A"));
        var processor = Lower(Tally("other", "vane-3", "1"));
        Assert.True(own > revision && revision > model && model > processor && processor > 0.1);
        Assert.Empty(BootRecord.Of(board, Bench.Catalogue, [Tally("other", "spindle-2", "1.3")]));
    }

    [Fact]
    public void Times_and_counts_come_from_this_revision_only()
    {
        var record = BootRecord.Of(
            Bench.Board("quill-v", "B"),
            Bench.Catalogue,
            [new("image", "id", "quill-v", "B", 2, 3, 20, 30), new("image", "z", "quill-v", "A", 5, 5, 1, 2)]
        )["image"];
        Assert.Equal((2, 3, 20, 30), (record.Successes, record.Tries, record.FastestSeconds, record.SlowestSeconds));
        Assert.Equal([Nearness.Board, Nearness.Model], record.Near.Select(n => n.Nearness));
    }
}
