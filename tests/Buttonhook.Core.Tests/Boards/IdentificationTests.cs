using System.Text;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;

namespace Buttonhook.Core.Tests.Boards;

public class IdentificationTests
{
    private static Identified Tell(string? mark = null, string? text = null, string? code = null, params Seen[] seen) =>
        Identification.Tell(new(mark, code, text, null, seen), Bench.Catalogue, Knowledge.Rules).Value!;

    [Fact]
    public void The_mark_alone_tells_the_revision_whatever_its_spelling()
    {
        foreach (var model in Bench.Catalogue.Models)
        foreach (var revision in model.Revisions)
        {
            var best = Tell(mark: revision.Mark!.ToLowerInvariant().Replace(" ", "-")).Candidates[0];
            Assert.Equal((model.Id, revision.Id), (best.ModelId, best.RevisionId));
            Assert.True(best.Probability > 0.9);
        }
    }

    [Fact]
    public void The_log_of_each_board_tells_the_board_and_its_memory()
    {
        foreach (var model in new[] { "spindle-2", "quill-v", "core-4", "thimble", "bridle-x" })
        {
            var plan = Bench.Plan(model);
            var best = Tell(text: Encoding.UTF8.GetString(Bench.Log(plan))).Candidates[0];
            Assert.Equal((model, plan.Board.RevisionId, plan.Board.MemoryMiB), (best.ModelId, best.RevisionId, best.MemoryMiB));
        }
    }

    [Fact]
    public void Sources_that_disagree_are_shown_and_not_averaged_away()
    {
        var told = Tell("SP2 v1.1", Encoding.UTF8.GetString(Bench.Log(Bench.Plan("spindle-2"))));
        Assert.Equal("The mark says Spindle 2, revision 1.1, the log says Spindle 2, revision 1.3.", Assert.Single(told.Contradictions));
        Assert.True(told.Candidates.Count >= 2);
    }

    [Fact]
    public void When_two_revisions_remain_the_mark_is_the_next_look()
    {
        var told = Tell(text: "Model: Quillon Quill V\n");
        Assert.Equal(["A", "B"], told.Candidates.Take(2).Select(c => c.RevisionId).Order());
        Assert.Equal("On the back, beside the memory", told.Next!.Where);
        Assert.Contains(told.Next.Answers, a => a.Answer == "QUILL-V A" && a.Boards.SequenceEqual(["Quill V, revision A"]));
        Assert.InRange(told.Next.Bits, 0.9, 1.1);
    }

    [Fact]
    public void A_board_without_a_card_stays_unknown() => Assert.True(Tell("XYZ-9000").Unknown > 0.8);

    [Theory]
    [InlineData("XYZ-9000")]
    [InlineData("Orchard Desk mini PC 16GB 19V 3.4A")]
    [InlineData("Q")]
    public void What_nothing_speaks_for_is_not_offered(string print)
    {
        var told = Tell(print);
        Assert.Empty(told.Candidates);
        Assert.Equal(1, told.Unknown, 6);
        // Where few boards have a card, and no print of them is known, a stranger is one all the same.
        var few = new Catalogue(
            [.. Bench.Catalogue.Models.Take(2).Select(m => m with { Revisions = [.. m.Revisions.Select(r => r with { Mark = null })] })],
            [],
            [],
            [],
            [],
            [],
            [],
            []
        );
        var stranger = Identification.Tell(new(print, null, null, null, []), few, Knowledge.Rules).Value!;
        Assert.Empty(stranger.Candidates);
        Assert.Equal(1, stranger.Unknown, 6);
    }

    [Fact]
    public void A_print_with_revision_memory_and_supply_is_read()
    {
        var best = Tell("Quill V rev B 4GB 5V/3A").Candidates[0];
        Assert.Equal(("quill-v", "B", 4096), (best.ModelId, best.RevisionId, best.MemoryMiB));
        Assert.Equal(["It names Quill V.", "It says revision B.", "It says 4 GB."], best.Reasons.Select(r => r.Text));
        var unknown = Tell("Quill V rev 1.2 2GB 5V/3A").Candidates;
        Assert.All(unknown, c => Assert.Equal("quill-v", c.ModelId));
        Assert.All(unknown, c => Assert.Contains(c.Reasons, r => r.Text == "It says revision 1.2, which is not known of Quill V."));
        var card = ProfileDraft.From(new("Quill V rev 1.2 2GB 5V/3A", null, null, null, []), Knowledge.Rules).Value!.Card;
        Assert.Equal(("Quill V", "1.2", 5.0, 3.0), (card.Name, card.Revisions[0].Id, card.Power.Volts, card.Power.Amps));
        Assert.Equal([2048], card.MemoryMiB);
        Assert.Equal("the mark", card.Sources!["power.volts"]);
    }

    [Fact]
    public void Text_of_a_running_system_is_understood()
    {
        var best = Tell(text: "thornlea,spindle-2-r13\nMemTotal:        1948208 kB\n").Candidates[0];
        Assert.Equal(("spindle-2", "1.3", 2048), (best.ModelId, best.RevisionId, best.MemoryMiB));
    }

    [Fact]
    public void Probabilities_add_up_to_one()
    {
        var told = Tell("QUILL-V B", "Model: Thornlea Spindle 2 rev 1.3\n");
        Assert.InRange(told.Candidates.Sum(c => c.Probability) + told.Unknown, 0.9, 1.0001);
    }

    [Fact]
    public void No_clue_and_a_broken_device_tree_are_problems()
    {
        Assert.NotNull(Identification.Tell(new(null, null, " ", null, []), Bench.Catalogue, Knowledge.Rules).Problem);
        Assert.Contains(
            "not those of a device tree",
            Identification.Tell(new(null, null, null, [1, 2, 3], []), Bench.Catalogue, Knowledge.Rules).Problem!.Came
        );
    }

    [Fact]
    public void What_eyes_see_tells_two_revisions_apart_and_is_not_asked_again()
    {
        var open = Tell(text: "Model: Quillon Quill V\n");
        var told = Tell("", "Model: Quillon Quill V\n", null, new Seen(open.Next!.Id, "QUILL-V A"));
        Assert.Equal("A", told.Candidates[0].RevisionId);
        Assert.True(told.Candidates[0].Probability > 0.9);
        Assert.NotEqual(open.Next.Id, told.Next?.Id);
        Assert.Contains(told.Candidates[0].Reasons, r => r is { Source: "eyes", For: true });
    }

    [Fact]
    public void Eyes_alone_narrow_the_boards_down()
    {
        var told = Tell(seen: [new("power", "round plug, 12 V")]);
        Assert.Equal("bridle-x", told.Candidates[0].ModelId);
        Assert.DoesNotContain(told.Candidates, c => c.ModelId == "thimble");
    }

    [Fact]
    public void None_of_the_answers_speaks_against_all_of_them() =>
        Assert.True(
            Tell(text: "Model: Quillon Quill V\n", seen: new Seen("video", Identification.Nothing)).Unknown
                > Tell(text: "Model: Quillon Quill V\n").Unknown
        );
}
