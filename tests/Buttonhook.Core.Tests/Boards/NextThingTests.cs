using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Guiding;
using Buttonhook.Core.Matching;
using Buttonhook.Core.Preparing;

namespace Buttonhook.Core.Tests.Boards;

public class NextThingTests
{
    private static readonly Proof Written = new(CardState.Written, null, false);

    private static NextThing Next(Board board, BootState? boot, WorkStep step = WorkStep.Boot, Proof? proof = null) =>
        NextThings.For(
            step,
            board,
            Bench.Catalogue,
            Matcher.Match(board, Bench.Catalogue, new Dictionary<string, BootRecord>(), Wish.Usual(board)),
            boot,
            proof ?? Written
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
            Template.Plain(cause.Check!.What),
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

    [Theory]
    [InlineData(CardState.Chosen, "Prepare and write the card")]
    [InlineData(CardState.BeingWritten, "Wait for the card")]
    [InlineData(CardState.HalfWritten, "Write the card again")]
    public void What_was_merely_chosen_or_half_written_is_not_on_the_card(CardState card, string title)
    {
        foreach (var step in Enum.GetValues<WorkStep>())
        {
            var next = Next(Ready, null, step, new(card, null, false));
            Assert.Equal((NextAction.Open, "prepare", title), (next.Action, next.Target, next.Title));
            Assert.DoesNotContain(next.Why, w => w.Contains("is on the card,") || w.Contains("read back equal"));
        }
    }

    [Theory]
    [InlineData(CardState.Written, "was written to the card and read back equal")]
    [InlineData(CardState.Told, "is on the card, as you say")]
    [InlineData(CardState.Seen, "started from this card before")]
    public void How_it_is_known_that_the_image_is_on_the_card_is_said(CardState card, string says) =>
        Assert.Contains(says, Next(Ready, null, WorkStep.Boot, new(card, null, false)).Why[0]);

    [Fact]
    public void After_the_card_come_wires_and_supply_then_power()
    {
        Assert.Equal("connect", Next(Ready, null, WorkStep.Prepare).Target);
        Assert.Equal(NextAction.StartBoot, Next(Ready, null, WorkStep.Connect).Action);
        Assert.Equal("Open the console", Next(Ready with { Simulated = false }, null, WorkStep.Connect).Label);
    }

    [Fact]
    public void A_half_written_card_is_told_even_behind_a_good_boot() =>
        Assert.Equal(
            "Write the card again",
            Next(
                Ready,
                new(false, true, Outcome.ReachedLogin, Stage.Login, null, 41, false, false),
                WorkStep.Keep,
                new(CardState.HalfWritten, "It was stopped.", true)
            ).Title
        );

    [Fact]
    public void A_cut_capture_asks_for_a_whole_one_and_for_no_correction()
    {
        var next = Next(Ready, new(false, true, Outcome.Cut, Stage.Kernel, null, null, false, false));
        Assert.Equal(NextAction.StartBoot, next.Action);
        Assert.Contains("says nothing of the board", next.Why[0]);
    }

    [Fact]
    public void A_supply_that_is_enough_on_paper_and_sagged_in_the_log_is_not_enough()
    {
        var next = Next(Ready, null, WorkStep.Boot, Written with { Sag = new(3, 12, 4.41) });
        Assert.Equal("Look at the cable and its contacts", next.Title);
        Assert.StartsWith("Enough on paper, yet 4.41 V arrived (boot 3, line 12): cable or contacts.", next.Why[0]);
        var weak = Next(Ready, Failed with { Top = Cause("supply-too-weak") });
        Assert.Contains(weak.Why, w => w.StartsWith("On paper the supply is enough", StringComparison.Ordinal));
    }

    [Fact]
    public void With_an_image_it_is_booted() =>
        Assert.Equal((NextAction.StartBoot, "Boot Quince"), (Next(Ready, null).Action, Next(Ready, null).Title));

    [Fact]
    public void A_weak_supply_comes_before_power()
    {
        var next = Next(
            Ready with
            {
                Connected = Ready.Connected with { Parts = ["ssd", "stick", "fan", "frost-probes"], SupplyId = "usb-5v-2a5" },
            },
            null
        );
        Assert.StartsWith("Needs 3.0 A at the board; this supply gives 2.5 A.", next.Why[0]);
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
        Assert.Equal("", Next(Ready, good, WorkStep.Keep).Label);
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
