using System.Text.RegularExpressions;
using Buttonhook.Core;
using Buttonhook.Hardware;

namespace Buttonhook.App.Images;

/// <summary>The published SHA-256 of a download: a bare sum, lines of sums as sha256sum(1) writes them, or the path of a file of such lines.</summary>
public static partial class Checksum
{
    private const int LargestSums = 1 << 20;

    [GeneratedRegex(@"\A[0-9a-f]{64}\z", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Bare();

    /// <summary>Whether what is given for a sum is the path of a file.</summary>
    public static bool NamesFile(string? published) =>
        published?.Trim() is { Length: > 0 } text
        && !text.Contains('\n')
        && !Bare().IsMatch(text)
        && FileKinds.Of(text).Kind is not FileKind.Missing;

    /// <summary>The sum that is published for a file, in small letters; a problem when the text holds none for it.</summary>
    public static Answer<string> For(string published, string path)
    {
        var text = published.Trim();
        if (NamesFile(text))
        {
            if (FileKinds.NotRegular(text, "A file of sums") is { } other)
                return other;
            if (new FileInfo(text).Length > LargestSums)
                return new Problem(
                    "A file of sums is short.",
                    $"{text} has {Sizes.Binary(new FileInfo(text).Length)}.",
                    "Name the file of sums, not the image."
                );
            text = File.ReadAllText(text).Trim();
        }
        if (Bare().IsMatch(text))
            return text.ToLowerInvariant();
        var name = Path.GetFileName(path);
        var found = text.Split('\n')
            .Select(l => l.Split([' ', '*', '\t', '\r'], StringSplitOptions.RemoveEmptyEntries))
            .FirstOrDefault(w => w.Length >= 2 && Bare().IsMatch(w[0]) && Path.GetFileName(w[^1]) == name);
        return found is not null
            ? found[0].ToLowerInvariant()
            : new Problem(
                $"A published sum has 64 hexadecimal digits, alone or before the name {name}.",
                text.Length <= 80 ? $"“{text}” is none." : "This text has no such line.",
                "Copy the SHA-256 line for this very file from the page that you downloaded it from."
            );
    }

    /// <summary>The problem when a file does not have the published sum; null when it has.</summary>
    public static Problem? Compare(string published, string path, string sum) =>
        For(published, path) is var answer && answer.Value is not { } wanted ? answer.Problem
        : wanted == sum ? null
        : new Problem(
            "The checksum of the download should be the published one.",
            $"It is {sum}, published is {wanted}.",
            "Download the image again; do not write this one."
        );
}
