using Buttonhook.Core.Diagnosing;
using FsCheck;
using FsCheck.Fluent;
using FsCheck.Xunit;

namespace Buttonhook.Core.Tests.Diagnosing;

public class TriageTests
{
    private static readonly Triage Triage = Core
        .Diagnosing.Triage.Read(
            File.ReadAllText(Path.Combine(Knowledge.Data, "knowledge/triage.yaml")),
            File.ReadAllText(Path.Combine(Knowledge.Root, "docs/formats/triage.schema.json"))
        )
        .Value!;

    [Fact]
    public void Every_cause_is_one_of_the_rule_book_and_every_answer_names_known_causes()
    {
        foreach (var cause in Triage.Causes.Where(c => c.Id != RuleBook.SomethingElse))
            Assert.NotNull(Knowledge.Rules.Book.Cause(cause.Id));
        var known = Triage.Causes.Select(c => c.Id).Append("other").ToHashSet();
        Assert.All(Triage.Questions.SelectMany(q => q.Answers).SelectMany(a => a.Likely.Keys), id => Assert.Contains(id, known));
    }

    [Fact]
    public void Answers_of_a_cause_add_up_to_about_one()
    {
        foreach (var question in Triage.Questions)
        foreach (var cause in Triage.Causes)
            Assert.InRange(question.Answers.Sum(a => a.With(cause.Id)), 0.6, 1.4);
    }

    [Fact]
    public void The_first_look_is_a_safe_one() => Assert.Null(Triage.After(new Dictionary<string, string>()).Next!.Question.Caution);

    [Theory]
    [InlineData("no-power", "light=dark volts=none")]
    [InlineData("module-not-seated", "light=goes-out seated=clicked")]
    [InlineData("boot-switch-usb", "light=on activity=steady switch=usb")]
    [InlineData("display-mode-unsupported", "light=on activity=blinks screen=range")]
    [InlineData("console-not-wired", "light=on activity=blinks wires=yes")]
    [InlineData("supply-too-weak", "light=flickers volts=low")]
    [InlineData("no-boot-medium", "light=on activity=steady card=empty pushed=no")]
    [InlineData("usb-data-missing", "light=on usb=unseen wires=no")]
    public void What_was_seen_leads_to_its_cause(string cause, string seen)
    {
        var answers = seen.Split(' ').Select(p => p.Split('=')).ToDictionary(p => p[0], p => p[1]);
        Assert.Equal(cause, Triage.After(answers).Causes[0].Id);
    }

    /// <summary>Whatever is answered: shares add up to one, nothing is asked twice, and it comes to an end.</summary>
    [Property(MaxTest = 300)]
    public Property Any_row_of_answers_ends() =>
        Prop.ForAll(
            Gen.Choose(0, 3).ArrayOf(20).ToArbitrary(),
            choices =>
            {
                var answers = new Dictionary<string, string>();
                for (var i = 0; i < 20; i++)
                {
                    var triaged = Triage.After(answers);
                    if (Math.Abs(triaged.Causes.Sum(c => c.Probability) - 1) > 1e-9)
                        return false;
                    if (triaged.Next is not { } next)
                        return true;
                    if (answers.ContainsKey(next.Question.Id))
                        return false;
                    answers[next.Question.Id] = next.Question.Answers[choices[i] % next.Question.Answers.Count].Id;
                }
                return answers.Count <= Triage.Questions.Count;
            }
        );

    /// <summary>A person who answers as a board with the cause does gets it named within six looks.</summary>
    [Fact]
    public void The_likeliest_answers_lead_to_each_cause_within_six_looks()
    {
        foreach (var cause in Triage.Causes.Where(c => c.Prior >= 4 && c.Id != RuleBook.SomethingElse))
        {
            var answers = new Dictionary<string, string>();
            for (var i = 0; i < 6 && Triage.After(answers).Next is { } next; i++)
                answers[next.Question.Id] = next.Question.Answers.MaxBy(a => a.With(cause.Id))!.Id;
            Assert.Contains(cause.Id, Triage.After(answers).Causes.Take(3).Select(c => c.Id));
        }
    }
}
