using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.App;

/// <summary>A diagnosis as plain lines for a terminal.</summary>
public static class DiagnosisText
{
    /// <summary>The outcome, the causes with the lines that prove them, the next check and the fix.</summary>
    public static string Of(Diagnosis diagnosis)
    {
        var text = new StringBuilder();
        text.AppendLine(
            Words.Of(diagnosis.Outcome, diagnosis.LastStage)
                + (diagnosis.Attempts.Count > 1 ? $", {diagnosis.Attempts.Count} attempts." : ".")
        );
        foreach (var cause in diagnosis.Causes)
        {
            text.AppendLine().AppendLine($"{cause.Probability * 100, 3:0} %  {cause.Name} ({cause.Id})");
            foreach (var line in cause.Evidence.Take(6))
                text.AppendLine(line.Line > 0 ? $"       line {line.Line}: {line.Text.Trim()}" : $"       {line.Says}");
            foreach (var line in cause.Against.Take(3))
                text.AppendLine($"       against, line {line.Line}: {line.Text.Trim()}");
            text.AppendLine($"       fix: {cause.Fix}");
            if (cause.Caution is { } caution)
                text.AppendLine($"       caution: {caution}");
        }
        text.AppendLine().AppendLine($"Next: {diagnosis.NextCheck.What} {diagnosis.NextCheck.Why}");
        return text.ToString().TrimEnd();
    }
}
