using System.Text.Json;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Core.Tests.Diagnosing;

/// <summary>Real console logs, each with what was broken on purpose; all of them where the collection stands beside the project, a dozen of them in a lone clone.</summary>
public class RealLogTests(ITestOutputHelper output)
{
    private sealed record Truth(string Outcome, string? LastStage, string Cause, string[] Accept, string[]? AcceptOutcome);

    private static IEnumerable<string> Cases()
    {
        var beside = Path.Combine(Knowledge.Root, "../shared/bootlogs");
        var folder = Directory.Exists(beside) ? beside : Path.Combine(Knowledge.Root, "tests/logs");
        return Directory.GetDirectories(folder).Where(d => File.Exists(Path.Combine(d, "truth.json"))).Order();
    }

    [Fact]
    public void The_right_cause_stands_first_and_no_good_boot_is_accused()
    {
        var options = new JsonSerializerOptions { PropertyNamingPolicy = JsonNamingPolicy.SnakeCaseLower };
        int right = 0,
            outcomes = 0,
            stages = 0,
            total = 0;
        var accused = new List<string>();
        foreach (var folder in Cases())
        {
            using var document = JsonDocument.Parse(File.ReadAllText(Path.Combine(folder, "truth.json")));
            var root = document.RootElement;
            var truth = root.Deserialize<Truth>(options)!;
            var acceptOutcome = root.TryGetProperty("acceptOutcome", out var list)
                ? list.EnumerateArray().Select(e => e.GetString()!).ToArray()
                : [truth.Outcome];
            var (_, diagnosis) = LogDiagnosis.Of(File.ReadAllBytes(Path.Combine(folder, "console.log")), Knowledge.Rules);
            var top = diagnosis.Causes[0];
            var kebab = JsonSerializer.Serialize(diagnosis.Outcome, DataFile.Json).Trim('"');
            var stage = diagnosis.LastStage is null ? null : JsonSerializer.Serialize(diagnosis.LastStage, DataFile.Json).Trim('"');
            var good = truth.Accept.Contains(top.Id);
            right += good ? 1 : 0;
            outcomes += acceptOutcome.Contains(kebab) ? 1 : 0;
            stages += stage == truth.LastStage ? 1 : 0;
            total++;
            if (truth.Cause == "none" && top.Id != "none")
                accused.Add(Path.GetFileName(folder));
            output.WriteLine(
                $"{(good ? "right" : "WRONG")} {(acceptOutcome.Contains(kebab) ? "      " : "OUTCOME")} {(stage == truth.LastStage ? "     " : "STAGE")} {Path.GetFileName(folder), -34} {truth.Cause, -26} {string.Join(", ", diagnosis.Causes.Take(3).Select(c => $"{c.Id} {c.Probability:0.00}"))} | {kebab}/{truth.Outcome} {stage}/{truth.LastStage}"
            );
        }
        output.WriteLine($"{right} of {total} causes, {outcomes} outcomes, {stages} last stages");
        Assert.Empty(accused);
        Assert.True(right == total, $"{right} of {total} causes");
        Assert.True(outcomes == total, $"{outcomes} of {total} outcomes");
    }
}
