using System.Text;
using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Tests.Boards;

public class IdentificationTests
{
    private static Identified Tell(string? mark = null, string? text = null) =>
        Identification.Tell(new(mark, text, null), Bench.Catalogue, Knowledge.Rules).Value!;

    [Fact]
    public void The_mark_alone_tells_the_revision_whatever_its_spelling()
    {
        foreach (var model in Bench.Catalogue.Models)
        foreach (var revision in model.Revisions)
        {
            var best = Tell(mark: revision.Mark.ToLowerInvariant().Replace(" ", "-")).Candidates[0];
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
        Assert.Contains("QUILL-V A: Quill V, revision A", told.Next.Answers);
        Assert.InRange(told.Next.Bits, 0.9, 1.1);
    }

    [Fact]
    public void A_board_without_a_card_stays_unknown() => Assert.True(Tell("XYZ-9000").Unknown > 0.8);

    [Fact]
    public void Text_of_a_running_system_is_understood()
    {
        var best = Tell(text: "thornlea,spindle-2-r13\nMemTotal:        1948208 kB\n").Candidates[0];
        Assert.Equal(("spindle-2", "1.3", 2048), (best.ModelId, best.RevisionId, best.MemoryMiB));
    }

    [Fact]
    public void Probabilities_add_up_to_one()
    {
        var told = Identification
            .Tell(new("QUILL-V B", "Model: Thornlea Spindle 2 rev 1.3\n", null), Bench.Catalogue, Knowledge.Rules)
            .Value!;
        Assert.InRange(told.Candidates.Sum(c => c.Probability) + told.Unknown, 0.9, 1.0001);
    }

    [Fact]
    public void No_clue_and_a_broken_device_tree_are_problems()
    {
        Assert.NotNull(Identification.Tell(new(null, " ", null), Bench.Catalogue, Knowledge.Rules).Problem);
        Assert.Contains(
            "not those of a device tree",
            Identification.Tell(new(null, null, [1, 2, 3]), Bench.Catalogue, Knowledge.Rules).Problem!.Came
        );
    }
}
