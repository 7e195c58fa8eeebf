using System.Text;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App;

/// <summary>A diagnosis as plain lines for a terminal.</summary>
public static class DiagnosisText
{
    private const int MostOfOtherHalf = 3;

    /// <summary>The outcome, the causes with the lines that prove them, the next check and the fix.</summary>
    public static string Of(Diagnosis diagnosis)
    {
        string Name(string id) => diagnosis.Causes.FirstOrDefault(c => c.Id == id)?.Name ?? id;
        var text = new StringBuilder();
        text.AppendLine(
            StageWords.Of(diagnosis.Outcome, diagnosis.LastStage)
                + (diagnosis.Attempts.Count > 1 ? $", {diagnosis.Attempts.Count} attempts." : ".")
        );
        if (diagnosis.MendInOrder is { Count: > 1 } faults)
            text.AppendLine($"{faults.Count} faults; mend them in this order: {string.Join(", then ", faults.Select(Name))}.");
        foreach (var cause in diagnosis.Causes)
        {
            text.AppendLine().AppendLine($"{cause.Probability * 100, 3:0} %  {cause.Name} ({cause.Id})");
            foreach (var line in cause.Evidence.Take(6))
                text.AppendLine(line.Line > 0 ? $"       line {line.Line}: {line.Text.Trim()}" : $"       {line.Says}");
            foreach (var line in cause.Against.Take(3))
                text.AppendLine($"       against, line {line.Line}: {line.Text.Trim()}");
            foreach (var later in cause.LedTo ?? [])
                text.AppendLine($"       led to, line {later.Line}: {later.Text.Trim()}");
            if (cause.StateSays is { } state)
                text.AppendLine($"       {state}");
            text.AppendLine($"       fix: {cause.Fix}");
            if (cause.Caution is { } caution)
                text.AppendLine($"       caution: {caution}");
        }
        foreach (var remark in diagnosis.Remarks ?? [])
            text.AppendLine()
                .AppendLine($"Remark, line {remark.Line}: {remark.Text.Trim()}")
                .AppendLine($"       {remark.Why} {remark.ToDo}");
        if (diagnosis.IfStill is { } still)
        {
            text.AppendLine()
                .AppendLine(
                    $"The log ends here, and does not say whether the board went on. If it stood still: {StageWords.Of(still.Outcome, diagnosis.LastStage)}, and then"
                );
            foreach (var cause in still.Causes.Take(MostOfOtherHalf))
                text.AppendLine($"{cause.Probability * 100, 3:0} %  {cause.Name} ({cause.Id})");
            text.AppendLine("       If you know how long nothing came, say so: --listened SECONDS");
        }
        if (diagnosis.NewToMe is { } fresh)
        {
            text.AppendLine()
                .AppendLine(
                    $"New to me: {fresh.Novel} of {fresh.Lines} lines stand in no boot that was learnt from, so take this with care."
                );
            foreach (var line in fresh.First.Take(3))
                text.AppendLine($"       line {line.Line}: {line.Text.Trim()}");
        }
        text.AppendLine().AppendLine($"Next: {diagnosis.NextCheck.What} {diagnosis.NextCheck.Why}");
        return text.ToString().TrimEnd();
    }
}
