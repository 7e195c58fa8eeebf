using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Diagnosing;

public class ChecksTests
{
    private static RankedCause Cause(string id, double share, int minutes = 2) =>
        new(id, $"name of {id}", share, [], [], $"look at {id}", minutes, $"mend {id}", null, null, Question: $"check-{id}");

    /// <summary>A book with one yes-or-no question for each cause that the tests name.</summary>
    private static readonly RuleBook Book = new(
        [],
        [],
        [],
        Asked: [.. new[] { "a", "b", "c0", "c1", "c2", "c3", "c4", "c5" }.Select(id => Question.Made(id, new($"look at {id}", 2)))]
    );

    private static Diagnosis Of(params (string Id, double Share)[] causes)
    {
        var all = causes.Select(c => Cause(c.Id, c.Share)).ToList();
        return new(
            Outcome.Stopped,
            Stage.Root,
            [],
            all,
            [],
            Checks.Next(all, false, false, Book),
            new(null, null, null, null, null, null, null, [])
        );
    }

    private static Diagnosis Answered(Diagnosis diagnosis, string id, CheckAnswer answer) =>
        diagnosis.Answered(new Dictionary<string, CheckAnswer> { [id] = answer }, Book);

    [Fact]
    public void What_was_so_confirms_and_leaves_nothing_to_ask()
    {
        var told = Answered(Of(("a", 0.6), ("b", 0.38), ("something-else", 0.02)), "b", CheckAnswer.Yes);
        Assert.Equal("b", told.Causes[0].Id);
        Assert.InRange(told.Causes[0].Probability, 0.9, 0.99);
        Assert.Equal(CheckAnswer.Yes, told.Causes[0].Answer);
        Assert.Null(told.NextCheck.CauseId);
        Assert.Equal("mend b", told.NextCheck.What);
    }

    [Fact]
    public void What_was_not_so_clears_and_the_next_check_is_of_another_cause()
    {
        var diagnosis = Of(("a", 0.7), ("b", 0.28), ("something-else", 0.02));
        Assert.Equal("a", diagnosis.NextCheck.CauseId);
        var told = Answered(diagnosis, "a", CheckAnswer.No);
        Assert.Equal("b", told.Causes[0].Id);
        Assert.Equal("b", told.NextCheck.CauseId);
        Assert.Contains("name of b", told.NextCheck.Why);
    }

    [Fact]
    public void Who_cannot_look_changes_no_share_and_is_asked_the_next_one()
    {
        var diagnosis = Of(("a", 0.7), ("b", 0.28), ("something-else", 0.02));
        var told = Answered(diagnosis, "a", CheckAnswer.Unseen);
        Assert.Equal(diagnosis.Causes.Select(c => c.Probability), told.Causes.Select(c => Math.Round(c.Probability, 12)));
        Assert.Equal("b", told.NextCheck.CauseId);
    }

    [Fact]
    public void When_every_check_is_answered_that_is_said()
    {
        var diagnosis = Of(("a", 0.98), ("something-else", 0.02));
        var told = Answered(diagnosis, "a", CheckAnswer.No);
        Assert.Null(told.NextCheck.CauseId);
        Assert.Equal("Every other check was answered.", told.NextCheck.Why);
    }

    [Fact]
    public void What_each_answer_would_change_is_told_before()
    {
        var check = Of(("a", 0.6), ("b", 0.38), ("something-else", 0.02)).NextCheck;
        Assert.Equal(
            [
                ("confirmed", "name of a stands at 98 %."),
                ("cleared", "name of b leads with 92 %."),
                (Question.Unseen, "It is not asked again."),
            ],
            check.Answers!.Select(a => (a.Id, a.Then))
        );
    }

    [Theory]
    [InlineData(0.99)]
    [InlineData(0.9999)]
    public void What_a_look_cleared_never_leads_and_what_it_found_does(double share)
    {
        var diagnosis = Of(("a", share * 0.98), ("b", (1 - share) * 0.98), ("something-else", 0.02));
        var cleared = Answered(diagnosis, "a", CheckAnswer.No);
        Assert.NotEqual("a", cleared.Causes[0].Id);
        var found = Answered(diagnosis, "b", CheckAnswer.Yes);
        Assert.Equal("b", found.Causes[0].Id);
        Assert.True(found.Causes[0].Probability > 0.45);
    }

    [Fact]
    public void A_look_that_contradicts_a_proving_line_says_so()
    {
        var line = new EvidenceLine(23, "PARTUUID=5e1c04aa-02 does not exist", "the root is not there");
        var all = new[] { Cause("a", 0.95) with { Evidence = [line] }, Cause("something-else", 0.05) };
        var diagnosis = Of(("a", 1)) with { Causes = all };
        var told = Answered(diagnosis, "a", CheckAnswer.No).Settled(new Dictionary<string, string>(), Book);
        var refuted = told.Causes.Single(c => c.Id == "a");
        Assert.Equal(CauseState.Refuted, refuted.State);
        Assert.Contains("Line 23 says the opposite", refuted.StateSays);
        Assert.NotEqual("a", told.Causes[0].Id);
    }

    [Property]
    public bool No_answers_bring_a_cleared_cause_to_the_top(FsCheck.PositiveInt[] weights, CheckAnswer[] answers)
    {
        var given = weights.Take(6).Select(w => (double)w.Get).Append(1).ToList();
        var causes = given.Select((w, n) => (n == given.Count - 1 ? "something-else" : $"c{n}", w / given.Sum())).ToArray();
        var told = Of(causes).Answered(answers.Take(6).Select((a, n) => ($"c{n}", a)).ToDictionary(a => a.Item1, a => a.Item2), Book);
        return told.Causes[0].Answer != CheckAnswer.No;
    }

    [Fact]
    public void An_answer_to_a_cause_that_is_not_there_changes_nothing()
    {
        var diagnosis = Of(("a", 0.98), ("something-else", 0.02));
        Assert.Same(diagnosis, Answered(diagnosis, "z", CheckAnswer.Yes));
    }

    [Property]
    public bool Shares_add_up_to_one_and_something_else_keeps_its_doubt(FsCheck.PositiveInt[] weights, CheckAnswer[] answers)
    {
        var given = weights.Take(6).Select(w => (double)w.Get).OrderDescending().Append(0.5).ToList();
        var sum = given.Sum();
        var causes = given.Select((w, n) => (n == given.Count - 1 ? "something-else" : $"c{n}", w / sum)).ToArray();
        var told = Of(causes).Answered(answers.Take(6).Select((a, n) => ($"c{n}", a)).ToDictionary(a => a.Item1, a => a.Item2), Book);
        var doubt = told.Causes.First(c => c.Id == "something-else").Probability;
        return Math.Abs(told.Causes.Sum(c => c.Probability) - 1) < 1e-9
            && told.Causes.Zip(told.Causes.Skip(1)).All(p => p.First.Probability >= p.Second.Probability)
            && (doubt >= 0.0099 || causes[^1].Item2 < 0.0099 && told.Causes.All(c => c.Answer is null));
    }

    [Fact]
    public void Equal_lines_are_counted_whatever_the_kernel_s_clock_said()
    {
        var reader = new BootReader(Knowledge.Rules);
        var log = string.Concat(
            Enumerable.Range(1, 9).Select(n => $"[    {n}.000000] hwmon hwmon1: Under-voltage detected! 4.41 V at the board\r\n")
        );
        reader.Add(System.Text.Encoding.ASCII.GetBytes(log), -1);
        var (_, diagnosis) = reader.Diagnose();
        var supply = diagnosis.Causes.First(c => c.Id == "supply-too-weak");
        Assert.Equal(9, supply.Evidence.First(e => e.Line == 1).Times);
        Assert.Equal([1, 2, 3, 4, 5, 6], supply.Evidence.Where(e => e.Line > 0).Select(e => e.Line).Distinct());
    }
}
