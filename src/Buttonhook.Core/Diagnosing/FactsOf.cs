using System.Globalization;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Diagnosing;

/// <summary>Takes what a log tells about board and system out of the lines that were recognised.</summary>
internal static partial class FactsOf
{
    /// <summary>The facts in these marks: of board, system and names the last that was said, of processor and memory the first.</summary>
    public static Facts Marks(IReadOnlyList<MarkHit> marks)
    {
        string? Last(string name) => marks.LastOrDefault(m => m.Values.ContainsKey(name))?.Values[name];
        string? First(string name) => marks.FirstOrDefault(m => m.Values.ContainsKey(name))?.Values[name];
        var medium = Last("medium") ?? KernelCommandLine.RootOf(Last("cmdline"));
        return new(
            Architecture(First("architecture")),
            Last("board"),
            Memory(First("memory")) ?? Memory(First("managed")),
            Last("kernel"),
            Last("os"),
            medium,
            Last("hostname"),
            [.. marks.Where(m => m.Values.ContainsKey("address")).Select(m => m.Values["address"]).Distinct()],
            Memory(First("managed"))
        );
    }

    private static string? Architecture(string? word) =>
        word?.ToLowerInvariant() switch
        {
            null => null,
            "aarch64" or "arm64" => "arm64",
            "x86_64" or "x86-64" or "amd64" => "amd64",
            "riscv64" or "riscv" => "riscv64",
            var w when w.StartsWith("arm", StringComparison.Ordinal) => "armhf",
            var w => w,
        };

    /// <summary>"512 MiB", "2 GiB", "163840K" in bytes; null for anything else.</summary>
    private static long? Memory(string? text)
    {
        if (text is null || MemorySize().Match(text) is not { Success: true } match)
            return null;
        var number = double.Parse(match.Groups[1].Value, CultureInfo.InvariantCulture);
        return (long)(
            number
            * match.Groups[2].Value switch
            {
                "G" => 1L << 30,
                "M" => 1L << 20,
                "K" => 1L << 10,
                _ => 1,
            }
        );
    }

    [GeneratedRegex(@"^(\d{1,9}(?:\.\d{1,9})?)\s*([KMG]?)")]
    private static partial Regex MemorySize();
}
