using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Asking;

/// <summary>Reads the questions from their files and checks that what they would type reads only.</summary>
public static class QuestionBook
{
    private sealed record Part(IReadOnlyList<Question> Questions);

    /// <summary>The questions of some files; one that stands twice, a result that is not there, an expression that cannot be compiled or a command that is not known to read is a problem that names it.</summary>
    public static Answer<IReadOnlyList<Question>> Read(IEnumerable<(string Name, string Yaml)> files, string schema)
    {
        var all = new List<Question>();
        foreach (var (name, yaml) in files)
        {
            var read = DataFile.Read<Part>(name, yaml, schema);
            if (read.Value is not { } part)
                return read.Problem!;
            all.AddRange(part.Questions);
        }
        if (all.GroupBy(q => q.Id).FirstOrDefault(g => g.Count() > 1) is { } twice)
            return new Problem("Every question stands once.", $"{twice.Key} stands {twice.Count()} times.", "Keep one of them.");
        return all.Select(Mistake).FirstOrDefault(p => p is not null) is { } mistake ? mistake : all;
    }

    private static Problem? Mistake(Question question)
    {
        if (question.Results.Any(r => r.Id == Question.Unseen) || question.Results.DistinctBy(r => r.Id).Count() < question.Results.Count)
            return new($"{question.Id} should have results of different names.", "Two are the same, or one is “unseen”.", "Rename it.");
        if (question.Minutes is null && question.Ways is null or { Count: 0 })
            return new(
                $"{question.Id} should be answered by somebody.",
                "It has neither minutes for a person nor a way for the board.",
                "Add one."
            );
        foreach (var way in question.Ways ?? [])
        {
            var named = way.Reads.Select(r => r.Result).Append(way.Means).Concat(way.Otherwise is { } rest ? [rest] : []);
            if (named.FirstOrDefault(n => question.Result(n) is null) is { } unknown)
                return new($"A way of {question.Id} should read results that it has.", $"{unknown} is none.", "Correct the name.");
            foreach (var expression in way.Reads.SelectMany(r => new[] { r.Find, r.Takes }).OfType<string>())
                if (RuleBook.MistakeIn(question.Id, AnswerText.Filled(expression, null)!) is { } mistake)
                    return mistake;
            foreach (var at in way.At)
                if (SafeCommand.Fill(way.Type, Samples, at) is null)
                    return new(
                        $"{question.Id} should type a command that is known to read.",
                        $"“{way.Type}” is not on the list for {at}.",
                        "Take another one, or add it to the list with a test that it changes nothing."
                    );
        }
        return null;
    }

    private static readonly Dictionary<string, string> Samples = new()
    {
        ["medium"] = "mmc",
        ["number"] = "0",
        ["partition"] = "1",
        ["folder"] = "/boot",
        ["init"] = "/sbin/init",
        ["newroot"] = "/root",
        ["rootdevice"] = "/dev/mmcblk0p2",
        ["devicefile"] = "/dev/sda1",
        ["rootdisk"] = "mmcblk0",
        ["place"] = "(hd0,msdos1)",
        ["unit"] = "a.service",
    };
}
