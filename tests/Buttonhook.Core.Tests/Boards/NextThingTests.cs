using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Matching;

namespace Buttonhook.Core.Tests.Boards;

public class NextThingTests
{
    private static NextThing Next(Board board, BootState? boot, SeamStep step = SeamStep.Boot) =>
        NextThings.For(
            step,
            board,
            Bench.Catalogue,
            Matcher.Match(board, Bench.Catalogue, new Dictionary<string, BootRecord>(), Wish.Usual(board)),
            boot
        );

    private static readonly Board Ready = Bench.Board("spindle-2", image: "fallow-12-server-arm64");
    private static readonly BootState Failed = new(false, true, Outcome.Stopped, Stage.Root, Cause("root-not-found"), null, false, false);

    private static RankedCause Cause(string id)
    {
        var cause = Knowledge.Rules.Book.Cause(id)!;
        return new(
            id,
            cause.Name,
            0.91,
            [new(176, "a", null), new(178, "b", null)],
            [],
            Template.Plain(cause.Check.What),
            2,
            "Give the kernel another root; now.",
            cause.Correction,
            cause.Caution
        );
    }

    [Fact]
    public void Without_an_image_the_best_one_is_offered_with_sizes()
    {
        var next = Next(Bench.Board("quill-v"), null);
        Assert.Equal(NextAction.ChooseImage, next.Action);
        Assert.Equal("Take Fallow 12 server", next.Title);
        Assert.Contains(next.Why, w => w.Contains("expands to 3.7 GiB"));
    }

    [Fact]
    public void With_an_image_it_is_booted() =>
        Assert.Equal((NextAction.StartBoot, "Boot Quince"), (Next(Ready, null).Action, Next(Ready, null).Title));

    [Fact]
    public void A_weak_supply_comes_before_power()
    {
        var next = Next(Ready with { Connected = Ready.Connected with { SupplyId = "usb-5v-1a" } }, null);
        Assert.Equal("Use another supply", next.Title);
        Assert.Equal("Needs 1.6 A at the board; this supply gives 1.0 A.", next.Why[0]);
    }

    [Fact]
    public void A_level_that_destroys_comes_before_everything()
    {
        var next = Next(Ready with { Connected = Ready.Connected with { AdapterId = "usb-rs232", SupplyId = null } }, null);
        Assert.Contains("RS-232 destroys a logic pin.", next.Why[0]);
    }

    [Fact]
    public void After_a_failure_the_cause_is_corrected_with_its_lines_and_caution()
    {
        var next = Next(Ready, Failed);
        Assert.Equal((NextAction.Correct, "root-not-found"), (next.Action, next.Target));
        Assert.Equal("Root not found, 91 %. Lines 176 and 178 prove it.", next.Why[0]);
        Assert.NotNull(next.Caution);
    }

    [Fact]
    public void After_the_correction_it_is_booted_again() =>
        Assert.Equal("Boot again", Next(Ready, Failed with { Corrected = true }).Title);

    [Fact]
    public void A_login_is_kept_and_after_that_the_next_board_comes()
    {
        var good = new BootState(true, true, Outcome.ReachedLogin, Stage.Login, null, 41, false, false);
        Assert.Equal("Keep what worked", Next(Ready, good).Title);
        Assert.Equal("", Next(Ready, good, SeamStep.Keep).Label);
        Assert.Equal(NextAction.NewBoard, Next(Ready, good with { Kept = true }).Action);
    }

    [Fact]
    public void While_it_boots_there_is_nothing_to_press_beside_the_console() =>
        Assert.Equal("", Next(Ready, new(true, false, null, Stage.Kernel, null, null, false, false)).Label);

    [Fact]
    public void Every_failure_of_every_board_has_a_next_thing_with_words()
    {
        foreach (var cause in Knowledge.Rules.Book.Causes)
        {
            var next = Next(Ready, Failed with { Top = Cause(cause.Id) });
            Assert.False(string.IsNullOrWhiteSpace(next.Title));
            Assert.All(next.Why, w => Assert.DoesNotContain('{', w));
        }
    }
}
