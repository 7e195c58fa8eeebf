using Buttonhook.Core.Boards;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Preparing;

/// <summary>How systems lie on their media, how long a card takes, what a recipe is for.</summary>
public class LayoutPlanTests
{
    private static readonly ImageProfile Image = Bench.ImageFor("core-4") with { ExpandedBytes = 2_000_000_000, GrowsAtFirstBoot = false };

    private static LayoutPlan Plan(
        StorageLayout layout,
        ImageProfile? image = null,
        int? card = 16,
        long recovery = 0,
        string model = "core-4"
    ) =>
        LayoutPlan
            .All(image ?? Image, Bench.Board(model, card: card), Bench.Catalogue.Model(model)!, recovery, Bench.Catalogue.CardBand)
            .Single(p => p.Layout == layout);

    [Fact]
    public void Each_layout_is_planned_once() =>
        Assert.Equal(
            Enum.GetValues<StorageLayout>().Order(),
            LayoutPlan
                .All(Image, Bench.Board("core-4"), Bench.Catalogue.Model("core-4")!, 0, Bench.Catalogue.CardBand)
                .Select(p => p.Layout)
                .Order()
        );

    [Fact]
    public void Without_a_socket_for_it_nothing_is_planned_on_an_SSD()
    {
        var bare = Bench.Catalogue.Model("core-4")! with { BootMedia = ["card"], Ports = [] };
        var plan = LayoutPlan
            .All(Image, Bench.Board("core-4"), bare, 0, Bench.Catalogue.CardBand)
            .Single(p => p.Layout == StorageLayout.LoaderOnCard);
        Assert.Contains("This board has no socket for an SSD or a USB stick.", plan.Against);
        Assert.Empty(plan.Steps);
        Assert.All(plan.Parts, p => Assert.Equal("card", p.Medium));
    }

    [Fact]
    public void One_system_takes_the_image_and_room_for_updates()
    {
        var plan = Plan(StorageLayout.OneCard);
        Assert.Equal([2_000_000_000, 1L << 30], plan.Parts.Select(p => p.Bytes));
        Assert.Empty(plan.Against);
        Assert.Equal("That is 2.9 GiB; the card holds 1.8 GiB.", Assert.Single(Plan(StorageLayout.OneCard, card: 2).Against));
        Assert.Equal(LayoutPlan.CardUnknown, Assert.Single(Plan(StorageLayout.OneCard, card: null).Against));
    }

    [Fact]
    public void A_recovery_partition_stands_at_the_end_and_stops_growth()
    {
        var plan = Plan(StorageLayout.OneCard, Image with { GrowsAtFirstBoot = true }, recovery: 4L << 30);
        Assert.Equal(("Recovery, at the end", 4L << 30), (plan.Parts[^1].Name, plan.Parts[^1].Bytes));
        Assert.StartsWith("Stop the root from growing", plan.Steps[0]);
        Assert.DoesNotContain(Plan(StorageLayout.OneCard, recovery: 4L << 30).Steps, s => s.StartsWith("Stop", StringComparison.Ordinal));
        Assert.NotEmpty(Plan(StorageLayout.OneCard, recovery: 12L << 30).Against);
    }

    [Theory]
    [InlineData(4, 1, "Only 1 of this size fits beside the menu with room for updates; a smaller second one may.")]
    [InlineData(8, 2, null)]
    [InlineData(128, 3, null)] // more fit than an MBR has primary partitions for
    [InlineData(null, 0, "Only 0 of this size fits beside the menu with room for updates; a smaller second one may.")]
    public void A_menu_takes_as_many_as_fit_behind_its_loader(int? card, int systems, string? against)
    {
        var plan = Plan(StorageLayout.BootMenu, card: card);
        Assert.Equal(systems, plan.Parts.Count(p => p.Name.StartsWith("System", StringComparison.Ordinal)));
        Assert.Equal(against, plan.Against.SingleOrDefault());
    }

    [Fact]
    public void What_cannot_stand_behind_a_menu_says_so()
    {
        Assert.Contains("An installer takes the whole card.", Plan(StorageLayout.BootMenu, Image with { Kind = "installer" }).Against);
        Assert.Contains("An installer chooses its own disk.", Plan(StorageLayout.LoaderOnCard, Image with { Kind = "installer" }).Against);
    }

    [Fact]
    public void The_loader_alone_leaves_the_card_small_and_the_system_elsewhere()
    {
        var plan = Plan(StorageLayout.LoaderOnCard, card: 1);
        Assert.Empty(plan.Against);
        Assert.Equal(["card", "ssd"], plan.Parts.Select(p => p.Medium).Take(2).Select(m => m is "usb" ? "ssd" : m));
        Assert.Contains(plan.Steps, s => s.Contains("PARTUUID"));
    }

    [Fact]
    public void Flash_is_planned_where_there_is_some_that_is_large_enough()
    {
        Assert.Empty(Plan(StorageLayout.FlashLater).Against);
        Assert.Contains("This board has no soldered flash.", Plan(StorageLayout.FlashLater, model: "quill-v").Against);
        var large = Plan(StorageLayout.FlashLater, Image with { ExpandedBytes = 14_000_000_000 }, card: 64);
        Assert.StartsWith("The flash holds", Assert.Single(large.Against));
    }

    [Property]
    public bool A_card_twice_as_large_takes_at_least_as_much(PositiveInt megabytes, PositiveInt card)
    {
        var image = Image with { ExpandedBytes = megabytes.Get % 40_000 * 1_000_000L };
        var gb = card.Get % 256 + 1;
        return Enum.GetValues<StorageLayout>()
            .All(layout =>
                Plan(layout, image, gb * 2).Against.Count <= Plan(layout, image, gb).Against.Count
                && Plan(layout, image, gb).Parts.All(p => p.Bytes >= 0)
            );
    }

    // --- sizes and times
    [Property]
    public bool The_smallest_and_the_right_card_hold_what_they_are_named_for(PositiveInt megabytes)
    {
        var bytes = megabytes.Get % 900_000 * 1_000_000L;
        var (smallest, right) = (SoldSizes.SmallestGb(bytes), SoldSizes.RecommendedGb(bytes));
        var below = SoldSizes.All.LastOrDefault(gb => gb < smallest);
        return Sizes.CardBytes(smallest) >= bytes
            && Sizes.CardBytes(below) < Math.Max(bytes, 1)
            && right >= smallest
            && (right == 1024 || Sizes.CardBytes(right) >= bytes + SoldSizes.UpdateRoom(bytes));
    }

    [Property]
    public bool A_file_system_leaves_less_than_it_is_given_and_more_when_it_is_given_more(PositiveInt size) =>
        CardPlan.Usable(size.Get * 1_000_000L) is > 0 and var usable
        && usable < size.Get * 1_000_000L
        && usable <= CardPlan.Usable((size.Get + 1L) * 1_000_000L);

    [Fact]
    public void Times_come_from_the_classes_until_there_are_own_writes()
    {
        var image = Image with { DownloadBytes = 62_500_000, Path = null };
        Assert.Equal(new(10, 200, 100, "the card", 0), CardTimes.For(image, []));
        Assert.Equal(0, CardTimes.For(image with { Path = "/here.img" }, []).DownloadSeconds);
        Assert.Equal("the network", CardTimes.For(image with { DownloadBytes = 20_000_000_000 }, []).SlowestLink);
        var learnt = CardTimes.For(image, [(40e6, 80e6), (50e6, 100e6), (1e6, 2e6)]);
        Assert.Equal(new(10, 50, 25, "your card and reader", 3), learnt);
    }

    // --- recipes
    private static Recipe Recipe(string[]? boards = null, string[]? systems = null, string[]? works = null, string[]? fails = null) =>
        new(Format, "lamp", "Lamp", "", new(boards ?? [], systems ?? [], works ?? [], fails ?? []), []);

    private const string Format = Core.Preparing.Recipe.FileFormat;

    [Fact]
    public void A_recipe_says_where_it_is_not_for()
    {
        Assert.Null(Recipe().Against("core-4", Image));
        Assert.Null(Recipe(["core-4"], [Image.Name]).Against("core-4", Image));
        Assert.Equal("Lamp is for other boards (quill-v, thimble).", Recipe(["quill-v", "thimble"]).Against("core-4", Image));
        Assert.Equal("Lamp is for other systems (Rookery).", Recipe(systems: ["Rookery"]).Against("core-4", Image));
        Assert.Equal($"Lamp is known to fail with release {Image.Version}.", Recipe(fails: [Image.Version]).Against("core-4", Image));
        Assert.True(Recipe(works: [Image.Version]).Proven(Image));
        Assert.False(Recipe(works: ["0"]).Proven(Image));
    }

    // --- files from an editor
    [Theory]
    [InlineData("cmdline.txt.txt", "cmdline.txt")]
    [InlineData("boot/SSH.TXT", "ssh")]
    [InlineData("ssh", null)]
    [InlineData("notes.txt", null)]
    public void An_ending_that_an_editor_hid_is_seen(string name, string? wanted) =>
        Assert.Equal(wanted, FileTraps.HiddenEnding(name, ["cmdline.txt", "ssh"]));

    [Theory]
    [InlineData("a\u201Cb\u201D", "Line 1 holds a bent double quote.", "a\"b\"\n")]
    [InlineData("a\u2019s", "Line 1 holds a bent single quote.", "a's\n")]
    [InlineData("a\nb\u00A0c\n", "Line 2 holds a blank that does not break.", "a\nb c\n")]
    [InlineData("\uFEFFa\n", "Line 1 holds a byte-order mark.", "a\n")]
    [InlineData("a\tb\n", "Line 1 holds a tab.", "a b\n")]
    [InlineData("a\r\nb\r\n", "Its lines end as on Windows", "a\nb\n")]
    [InlineData("a", "The last line has no end", "a\n")]
    [InlineData("a\u0007\n", "Line 1 holds a character that is no text.", "a\u0007\n")]
    [InlineData("x\u2014y\n", "Line 1 holds a long dash.", "x--y\n")]
    public void Each_trap_is_named_and_mended(string text, string trap, string clean)
    {
        var found = FileTraps.Check(System.Text.Encoding.UTF8.GetBytes(text), oneLine: false, keepTabs: false);
        Assert.Contains(found.Traps, t => t.Text.StartsWith(trap, StringComparison.Ordinal));
        Assert.Equal(clean, found.Clean);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Wide_characters_of_an_editor_are_read(bool little)
    {
        var encoding = little ? System.Text.Encoding.Unicode : System.Text.Encoding.BigEndianUnicode;
        var found = FileTraps.Check([.. encoding.GetPreamble(), .. encoding.GetBytes("root=a rw\n")], oneLine: true, keepTabs: false);
        Assert.Equal("root=a rw\n", found.Clean);
        Assert.Contains("UTF-16", Assert.Single(found.Traps).Text);
    }

    [Fact]
    public void A_command_line_is_one_line()
    {
        var found = FileTraps.Check("root=a  rw\nquiet\n"u8, oneLine: true, keepTabs: false);
        Assert.Equal("root=a rw quiet\n", found.Clean);
        Assert.Equal(2, found.Traps.Count);
    }

    [Property(MaxTest = 300)]
    public bool What_was_mended_has_nothing_left_to_mend(NonNull<string> text, bool oneLine, bool keepTabs)
    {
        var once = FileTraps.Check(System.Text.Encoding.UTF8.GetBytes(text.Get), oneLine, keepTabs);
        var twice = FileTraps.Check(System.Text.Encoding.UTF8.GetBytes(once.Clean), oneLine, keepTabs);
        return twice.Clean == once.Clean && twice.Traps.All(t => !t.Mended);
    }

    [Theory]
    [InlineData("quiet  splash", true)]
    [InlineData("\" \ta", false)]
    [InlineData("note=\"two  blanks\" quiet", false)]
    public void Two_blanks_are_a_trap_only_where_they_part_words(string text, bool trap) =>
        Assert.Equal(
            trap,
            FileTraps
                .Check(System.Text.Encoding.UTF8.GetBytes(text), oneLine: true, keepTabs: false)
                .Traps.Any(t => t.Text == "Two blanks stand together.")
        );
}
