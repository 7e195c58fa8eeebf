using System.CommandLine;
using System.Text;
using System.Text.Json;
using Buttonhook.App.Consoles;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>compare: where a log parts from another one.</summary>
internal static class CompareCommand
{
    /// <summary>Ends with this when the logs part.</summary>
    private const int Parted = 1;

    /// <summary>The command.</summary>
    public static Command Make()
    {
        var a = new Argument<string>("A") { Description = "A console log, as a rule the failed one." };
        var b = new Argument<string>("B") { Description = "The log to lay beside it, as a rule a good one." };
        var command = new Command("compare", "Tell where a console log parts from another one.") { a, b, CommandOptions.Json };
        command.SetAction(parse => Compare(parse.GetValue(a)!, parse.GetValue(b)!, parse.GetValue(CommandOptions.Json)));
        return command;
    }

    private static int Compare(string a, string b, bool asJson)
    {
        var rules = KnowledgeFiles.ReadRules();
        if (rules.Value is not { } book)
            return Say(rules.Problem!, Failed);
        var logs = new List<ReadCapture>();
        foreach (var (path, name) in new[] { (a, "A"), (b, "B") })
        {
            var opened = LogFiles.Open(path, name);
            if (opened.Value is not { } log)
                return Say(opened.Problem!, Failed);
            logs.Add(LogDiagnosis.Read(log, book).Result());
        }
        var compared = LogComparison.Of(logs[0], logs[1]);
        Console.WriteLine(asJson ? JsonSerializer.Serialize(compared, Indented) : Text(compared));
        return compared.Parting is null ? 0 : Parted;
    }

    private static string Text(Compared compared)
    {
        if (compared.Parting is not { } parting)
            return "No line of either is missing in the other, times, numbers and order aside.";
        var text = new StringBuilder();
        text.AppendLine(
            parting switch
            {
                { Here: { } h, There: { } t } => $"They part at line {h.Line} of A and line {t.Line} of B.",
                { Here: { } h } => $"A has what B has not, from line {h.Line} on.",
                _ => $"B has what A has not, from line {parting.There!.Line} on.",
            }
        );
        void List(string title, IReadOnlyList<LineOf> lines, int count)
        {
            if (count == 0)
                return;
            text.AppendLine().AppendLine($"{title} ({count}):");
            foreach (var line in lines.Take(12))
                text.AppendLine($"  line {line.Line}: {line.Text.Trim()}");
        }
        List("Only in A", compared.New, compared.NewCount);
        List("Only in B", compared.Missing, compared.MissingCount);
        foreach (var stage in compared.Slower)
            text.AppendLine($"Slower in A: {StageWords.Of(stage.Stage)}, {stage.Here} s instead of {stage.There} s");
        return text.ToString().TrimEnd();
    }
}
