using System.Globalization;
using System.Text.RegularExpressions;

namespace Buttonhook.Core.Boards;

/// <summary>Bits of a number, counted from the lowest (0), that must have one value.</summary>
public sealed record CodeCondition(int From, int Width, ulong Is);

/// <summary>What one value of a field stands for; null where it does not tell.</summary>
public sealed record CodeValue(ulong Is, string Means, string? Model, string? Revision, int? MemoryMiB);

/// <summary>A field of a code: its bits and what their values mean.</summary>
public sealed record CodeField(string Name, int From, int Width, IReadOnlyList<CodeValue> Values);

/// <summary>How a maker packs model, memory and revision into one number, as data; the file format is published in docs/formats.</summary>
/// <param name="Key">The word before the colon where a running system shows the code.</param>
/// <param name="Digits">Most hexadecimal digits.</param>
/// <param name="Conditions">Bits that every code of this kind has.</param>
public sealed record RevisionScheme(
    string Format,
    string Id,
    string Maker,
    string Name,
    string Key,
    int Digits,
    IReadOnlyList<CodeCondition> Conditions,
    IReadOnlyList<CodeField> Fields
)
{
    /// <summary>The name and version of the file format.</summary>
    public const string CodeFormat = "buttonhook.revision-code/1";
}

/// <summary>One field as read from a code; means is "not known here" for a value that the scheme does not have.</summary>
public sealed record CodePart(string Field, string Means);

/// <summary>A code as a scheme reads it.</summary>
/// <param name="ModelId">Null where no field tells; so too for revision and memory.</param>
public sealed record CodeReading(
    string Code,
    string Scheme,
    string? ModelId,
    string? RevisionId,
    int? MemoryMiB,
    IReadOnlyList<CodePart> Parts
);

/// <summary>Reads revision codes by the schemes of the catalogue.</summary>
public static partial class RevisionCodes
{
    [GeneratedRegex(
        @"^(?<key>[A-Za-z][A-Za-z ]*?)\s*:\s*(?:0x)?(?<code>[0-9a-fA-F]{1,16})\s*$",
        RegexOptions.Multiline | RegexOptions.CultureInvariant
    )]
    private static partial Regex KeyLine();

    /// <summary>A code as a person types it (with or without 0x, any case) as a number, or null.</summary>
    public static ulong? Number(string text)
    {
        var digits = text.Trim();
        if (digits.StartsWith("0x", StringComparison.OrdinalIgnoreCase))
            digits = digits[2..];
        return ulong.TryParse(digits, NumberStyles.AllowHexSpecifier, CultureInfo.InvariantCulture, out var number) ? number : null;
    }

    /// <summary>The code in pasted text, on a line with the key of a scheme ("Revision : c4013"), or null.</summary>
    public static string? In(string text, IReadOnlyList<RevisionScheme> schemes) =>
        schemes.Count == 0
            ? null
            : KeyLine()
                .Matches(text)
                .FirstOrDefault(m => schemes.Any(s => s.Key == m.Groups["key"].Value && m.Groups["code"].Length <= s.Digits))
                ?.Groups["code"]
                .Value;

    /// <summary>Reads a code by the first scheme whose conditions it meets, or null.</summary>
    public static CodeReading? Read(string code, IReadOnlyList<RevisionScheme> schemes)
    {
        if (Number(code) is not { } number)
            return null;
        foreach (var scheme in schemes)
        {
            if (number >= Limit(scheme.Digits) || scheme.Conditions.Any(c => Bits(number, c.From, c.Width) != c.Is))
                continue;
            var parts = scheme
                .Fields.Select(f => (Field: f.Name, Value: f.Values.FirstOrDefault(v => v.Is == Bits(number, f.From, f.Width))))
                .ToList();
            return new(
                number.ToString("x", CultureInfo.InvariantCulture),
                scheme.Name,
                parts.Select(p => p.Value?.Model).FirstOrDefault(m => m is not null),
                parts.Select(p => p.Value?.Revision).FirstOrDefault(r => r is not null),
                parts.Select(p => p.Value?.MemoryMiB).FirstOrDefault(m => m is not null),
                [.. parts.Select(p => new CodePart(p.Field, p.Value?.Means ?? "not known here"))]
            );
        }
        return null;
    }

    private static ulong Limit(int digits) => digits >= 16 ? ulong.MaxValue : 1UL << (digits * 4);

    /// <summary>Bits of a number; from 0 to 63, width 1 to 64.</summary>
    public static ulong Bits(ulong number, int from, int width) => (number >> from) & (width >= 64 ? ulong.MaxValue : (1UL << width) - 1);
}
