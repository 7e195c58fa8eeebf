using System.Text;
using System.Text.Json;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>Logs of systems that the lab does not hold: prompts, ends, chains, networks (foreign.txt beside this file).</summary>
public class ForeignLogTests(ITestOutputHelper output)
{
    public sealed record Foreign(string Name, string[] Outcomes, string[] Causes, string[] Stages, string Proof, string Log);

    public static IReadOnlyList<Foreign> All { get; } = Read();

    public static TheoryData<string> Names => [.. All.Select(f => f.Name)];

    private static List<Foreign> Read()
    {
        var all = new List<Foreign>();
        var log = new StringBuilder();
        string[]? head = null;
        void Close()
        {
            if (head is null)
                return;
            var text = log.ToString().TrimEnd('\n').Replace("\\e", "\e").Replace("\\r", "\r");
            text = text.EndsWith('\\') ? text[..^1] : text + "\n";
            all.Add(new(head[0], head[1].Split(' '), head[2].Split(' '), head[3].Split(' '), head[4], text.Replace("\n", "\r\n")));
            log.Clear();
            head = null;
        }
        foreach (var line in File.ReadLines(Path.Combine(Knowledge.Root, "tests/Buttonhook.Core.Tests/Diagnosing/foreign.txt")))
            if (line.StartsWith("=== ", StringComparison.Ordinal))
            {
                Close();
                head = [.. line[4..].Split('|').Select(p => p.Trim())];
            }
            else if (line.StartsWith("# --- ", StringComparison.Ordinal))
                Close();
            else if (head is not null)
                log.Append(line).Append('\n');
        Close();
        return all;
    }

    private static string Kebab<T>(T value) => JsonSerializer.Serialize(value, DataFile.Json).Trim('"');

    [Theory]
    [MemberData(nameof(Names))]
    public void Is_read_as_what_it_is(string name)
    {
        var foreign = All.Single(f => f.Name == name);
        var (reading, told) = LogDiagnosis.Of(Encoding.UTF8.GetBytes(foreign.Log), Knowledge.Rules);
        // Whether a file that merely ends stands still is not in it: what it would be then is the other half of the answer.
        var (outcome, causes) =
            told.IfStill is { } still && !foreign.Outcomes.Contains("cut") ? (still.Outcome, still.Causes) : (told.Outcome, told.Causes);
        var top = causes[0];
        output.WriteLine(
            $"{told.Outcome}/{outcome} {told.LastStage}: {string.Join(", ", causes.Take(4).Select(c => $"{c.Id} {c.Probability:0.00}"))}"
        );
        foreach (var e in top.Evidence)
            output.WriteLine($"  {e.Line}: {e.Text} ({e.Says})");
        Assert.Contains(Kebab(outcome), foreign.Outcomes);
        Assert.Contains(top.Id, foreign.Causes);
        Assert.Contains(told.LastStage is { } stage ? Kebab(stage) : "none", foreign.Stages);
        if (foreign.Proof != "-")
            Assert.Contains(top.Evidence.Where(e => e.Line > 0), e => e.Text.Contains(foreign.Proof, StringComparison.OrdinalIgnoreCase));
        Assert.Equal(1, reading.Attempts.Count(a => a.Outcome != Outcome.Rebooting) is var n && told.Outcome == Outcome.Rebooting ? 1 : n);
    }
}
