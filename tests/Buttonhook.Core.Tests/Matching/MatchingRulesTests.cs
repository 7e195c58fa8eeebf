using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Preparing;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Matching;

/// <summary>One change in the image, the board or the wish, and the reason that it brings.</summary>
public class MatchingRulesTests
{
    private static readonly Board Board = Bench.Board("quill-v", "B");
    private static readonly ImageProfile Image = Bench.ImageFor("quill-v") with { Id = "x" };
    private static readonly Wish Wish = new(false, true, StorageLayout.OneCard);

    private static Match Of(ImageProfile? image = null, Board? board = null, Wish? wish = null, IReadOnlyList<BoardProfile>? more = null) =>
        Matcher
            .Match(board ?? Board, Bench.With(more ?? [], [image ?? Image]), new Dictionary<string, BootRecord>(), wish ?? Wish)
            .Single(m => m.Image.Id == "x");

    private static readonly Dictionary<string, (Func<Match> Match, string Rule, Bearing Bearing, string Text)> Cases = new()
    {
        ["an installer behind a menu"] = (
            () => Of(Image with { Kind = "installer" }, wish: Wish with { Layout = StorageLayout.BootMenu }),
            "layout",
            Bearing.Change,
            "An installer takes the whole card"
        ),
        ["a loader without a menu"] = (
            () => Of(Image with { Chain = "keyvalue" }, wish: Wish with { Layout = StorageLayout.BootMenu }),
            "layout",
            Bearing.Change,
            "Its loader has no menu"
        ),
        ["how many fit behind a menu"] = (
            () => Of(Image with { ExpandedBytes = 3_000_000_000 }, wish: Wish with { Layout = StorageLayout.BootMenu }),
            "layout",
            Bearing.Note,
            "7 of this size fit behind one menu on the 32 GB card."
        ),
        ["a menu on a card that nobody named"] = (
            () => Of(board: Bench.Board("quill-v", "B", card: null), wish: Wish with { Layout = StorageLayout.BootMenu }),
            "layout",
            Bearing.Note,
            "Say which card"
        ),
        ["a loader on the card"] = (
            () => Of(wish: Wish with { Layout = StorageLayout.LoaderOnCard }),
            "layout",
            Bearing.Good,
            "The card keeps only loader, kernel and initial files (256 MiB is plenty)"
        ),
        ["an old kernel for this revision"] = (
            () => Of(Image with { Kernel = "5.4.0" }),
            "kernel-line",
            Bearing.Stops,
            "needs kernel 6.1 or newer; this image has 5.4.0."
        ),
        ["a kernel that is new enough"] = (
            () => Of(Image with { Kernel = "6.1" }),
            "kernel-line",
            Bearing.Good,
            "Kernel 6.1 is new enough"
        ),
        ["a revision that nobody has tried"] = (
            () => Of(Image with { Supports = [new("quill-v", ["A"], null, null)] }),
            "revision",
            Bearing.Unproven,
            "Made for revision A; nobody has said that revision B starts."
        ),
        ["a known gap on this revision"] = (
            () => Of(Image with { Supports = [new("quill-v", ["B"], null, "The second light stays dark.")] }),
            "revision",
            Bearing.Note,
            "The second light stays dark."
        ),
        ["another processor"] = (
            () => Of(Image with { Supports = [new("spindle-2", ["1.3"], null, null)] }),
            "revision",
            Bearing.Stops,
            "Made for Spindle 2; its loader does not know the"
        ),
        ["no device tree at all"] = (
            () => Of(Image with { Supports = [], Trees = [] }),
            "revision",
            Bearing.Unproven,
            "it starts if this board's loader hands over its own"
        ),
        ["another medium"] = (
            () => Of(Image with { BootMedia = ["network"] }),
            "boot-medium",
            Bearing.Stops,
            "Starts from network; this board looks at"
        ),
        ["no card in the board"] = (
            () => Of(board: Bench.Board("quill-v", "B", card: null)),
            "boot-medium",
            Bearing.Change,
            "No card is in this board yet."
        ),
        ["a card without room for updates"] = (
            () => Of(Image with { ExpandedBytes = 7_500_000_000, RecommendedCardGb = 16 }, Bench.Board("quill-v", "B", card: 8)),
            "card-size",
            Bearing.Change,
            "the 8 GB card is too small, 16 GB is right."
        ),
        ["a card with room"] = (() => Of(), "card-size", Bearing.Good, "stay free."),
        ["little memory"] = (() => Of(Image with { ComfortableMemoryMiB = 1 << 20 }), "memory", Bearing.Note, "1024 GB is comfortable."),
        ["too little memory"] = (() => Of(Image with { MinimumMemoryMiB = 1 << 20 }), "memory", Bearing.Stops, "Needs 1024 GB of memory"),
        ["another console"] = (
            () => Of(Image with { ConsoleDevice = "ttyAMA9", ConsoleSpeed = 9600 }),
            "console",
            Bearing.Change,
            "Its console is ttyAMA9 at 9600"
        ),
        ["the board's console"] = (() => Of(), "console", Bearing.Good, "Serial login on by default."),
        ["a desktop without a screen"] = (
            () => Of(Image with { Flavour = "desktop" }),
            "outputs",
            Bearing.Note,
            "Wants a screen; none is connected."
        ),
        ["every output dark"] = (
            () => Of(Image with { OutputsOn = [] }, wish: Wish with { Screen = true }),
            "outputs",
            Bearing.Change,
            "Leaves every video output dark"
        ),
        ["questions on a screen"] = (
            () => Of(Image with { NeedsScreenAtFirstBoot = true }),
            "first-boot",
            Bearing.Change,
            "Asks its first questions on a screen"
        ),
        ["packages without a network"] = (
            () => Of(Image with { NeedsNetworkAtFirstBoot = true }, Board with { Connected = Board.Connected with { Network = false } }),
            "first-boot",
            Bearing.Change,
            "Fetches packages at its first boot"
        ),
        ["a root that grows"] = (
            () => Of(Image with { GrowsAtFirstBoot = true, FirstBootSeconds = [60, 190] }),
            "first-boot",
            Bearing.Note,
            "allow 4 min."
        ),
        ["a password that must be changed"] = (
            () => Of(Image with { PasswordChangeForced = true }),
            "first-boot",
            Bearing.Note,
            "The first login asks for a new password."
        ),
        ["a long life"] = (() => Of(Image with { LongTermUntil = 2031 }), "long-term", Bearing.Good, "Kept up to date until 2031."),
        ["an age that is known"] = (
            () => Of(Image with { LongTermUntil = null, SystemDate = "2024-02-29" }),
            "long-term",
            Bearing.Note,
            "Put together on 2024-02-29."
        ),
        ["no long life"] = (
            () => Of(Image with { LongTermUntil = null, SystemDate = null }),
            "long-term",
            Bearing.Note,
            "Not a long-term release."
        ),
    };

    public static TheoryData<string> Names => [.. Cases.Keys];

    [Theory]
    [MemberData(nameof(Names))]
    public void A_change_brings_its_reason(string name)
    {
        var (match, rule, bearing, text) = Cases[name];
        var reasons = match().Reasons;
        Assert.True(
            reasons.Any(r => r.Rule == rule && r.Bearing == bearing && r.Text.Contains(text, StringComparison.Ordinal)),
            string.Join('\n', reasons.Select(r => $"{r.Rule} {r.Bearing}: {r.Text}"))
        );
    }

    [Fact]
    public void Without_a_socket_for_it_the_system_cannot_lie_on_an_ssd()
    {
        var bare = Bench.Catalogue.Model("quill-v")! with { Id = "bare", BootMedia = ["card"], Ports = [] };
        var match = Of(
            Image with
            {
                Supports = [new("bare", ["B"], null, null)],
            },
            Board with
            {
                ModelId = "bare",
            },
            Wish with
            {
                Layout = StorageLayout.LoaderOnCard,
            },
            [bare]
        );
        Assert.Equal(Verdict.WillNotStart, match.Verdict);
        Assert.Equal("This board has no socket for an SSD or a USB stick.", match.Reasons[0].Text);
    }

    [Fact]
    public void A_model_that_is_not_in_the_catalogue_matches_nothing() =>
        Assert.Empty(Matcher.Match(Board with { ModelId = "nobody" }, Bench.Catalogue, new Dictionary<string, BootRecord>(), Wish));

    // --- what holds for every image, board and wish
    private static readonly Gen<(ImageProfile Image, Wish Wish)> Any =
        from set in Gen.Elements(Enum.GetValues<InstructionSet>())
        from supports in Gen.Elements<IReadOnlyList<Supported>>([], [new("quill-v", ["A"], null, null)], Image.Supports)
        from trees in Gen.Elements<IReadOnlyList<string>>([], ["quillon,quill-v-a"], ["quillon,quill-v-b"], ["someone,else"])
        from kernel in Gen.Elements("5.4", "6.1.0", "6.12-rc3", "", "new", "99999999999.1")
        from size in Gen.Choose(1, 60)
        from memory in Gen.Elements(64, 4096, 1 << 20)
        from console in Gen.Elements<string?>(null, "ttyS0", "ttyAMA9")
        from root in Gen.Elements<string?>(null, "device", "partuuid")
        from media in Gen.Elements<IReadOnlyList<string>>(["card"], ["usb", "card"], ["network"])
        from layout in Gen.Elements(Enum.GetValues<StorageLayout>())
        from screen in Gen.Elements(true, false)
        from longTerm in Gen.Elements(true, false)
        select (
            Image with
            {
                InstructionSet = set,
                Supports = supports,
                Trees = trees,
                Kernel = kernel,
                ExpandedBytes = size * 1_000_000_000L,
                MinimumMemoryMiB = memory,
                ConsoleDevice = console,
                RootBy = root,
                BootMedia = media,
            },
            new Wish(screen, longTerm, layout)
        );

    [Property(MaxTest = 200)]
    public Property The_verdict_is_the_worst_reason_and_reasons_are_in_order() =>
        Prop.ForAll(
            Any.ToArbitrary(),
            any =>
            {
                var match = Of(any.Image, wish: any.Wish);
                var worst = match.Reasons.Select(r => r.Bearing).DefaultIfEmpty(Bearing.Note).Min();
                return match.Reasons.Select(r => r.Bearing).SequenceEqual(match.Reasons.Select(r => r.Bearing).Order())
                    && match.Verdict
                        == worst switch
                        {
                            Bearing.Stops => Verdict.WillNotStart,
                            Bearing.Unproven => Verdict.Unproven,
                            Bearing.Change => Verdict.FitsAfterChange,
                            _ => Verdict.Fits,
                        }
                    && match.Reasons.All(r => r.Text.Length > 10 && (r.Text[^1] is '.' || r.Rule == "console"));
            }
        );

    [Property(MaxTest = 200)]
    public Property A_larger_card_and_more_memory_never_make_it_worse() =>
        Prop.ForAll(
            Any.ToArbitrary(),
            Gen.Elements(4, 8, 16, 32, 64).ToArbitrary(),
            (any, card) =>
            {
                var small = Of(any.Image, Bench.Board("quill-v", "B", card), any.Wish);
                var large = Of(any.Image, Bench.Board("quill-v", "B", card * 2), any.Wish);
                var roomy = Of(any.Image, Bench.Board("quill-v", "B", card) with { MemoryMiB = 1 << 20 }, any.Wish);
                return large.Verdict <= small.Verdict && roomy.Verdict <= small.Verdict;
            }
        );
}
