using System.Globalization;
using System.Text;
using Buttonhook.Core.Diagnosing;

namespace Buttonhook.Lab;

/// <summary>The fitted file as people read it.</summary>
internal static class Fitted
{
    public static void Write(string file, IReadOnlyList<FittedWeight> weights, int logs, int systems)
    {
        var text = new StringBuilder();
        text.AppendLine(
            CultureInfo.InvariantCulture,
            $"# What each observation of the rule book is worth, in log odds, fitted to {logs} logs of {systems} systems of the lab (lab/boots)."
        );
        text.AppendLine(
            "# with and without: in how many of them it was met with its cause, and without. Made by `./buttonhook lab fit`; not edited by hand."
        );
        text.AppendLine("fitted:");
        static string Quoted(string s) => $"'{s.Replace("'", "''")}'";
        foreach (var w in weights)
            text.AppendLine(
                CultureInfo.InvariantCulture,
                $"  - {{ cause: {w.Cause}, observation: {Quoted(w.Observation)}, against: {(w.Against ? "true" : "false")}, weight: {w.Weight}, with: {w.With}, without: {w.Without} }}"
            );
        File.WriteAllText(file, text.ToString());
    }
}
