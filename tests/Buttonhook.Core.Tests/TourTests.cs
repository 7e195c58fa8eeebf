using System.Text.RegularExpressions;

namespace Buttonhook.Core.Tests;

/// <summary>The tour of the code and the notes for those who carry it on name files that are there.</summary>
public partial class TourTests
{
    private static readonly string[] Passed = [".build", "bin", "obj", "node_modules", ".git"];

    private static IEnumerable<string> Files(string folder)
    {
        foreach (var path in Directory.EnumerateFileSystemEntries(folder).Where(p => !Passed.Contains(Path.GetFileName(p))))
        {
            yield return Path.GetRelativePath(Knowledge.Root, path);
            if (Directory.Exists(path))
                foreach (var inside in Files(path))
                    yield return inside;
        }
    }

    [Theory]
    [InlineData("docs/tour.md")]
    [InlineData("CONTRIBUTING.md")]
    public void Every_file_that_is_named_is_there(string document)
    {
        var all = Files(Knowledge.Root).Select(p => "/" + p).ToHashSet();
        var named = InTicks()
            .Matches(File.ReadAllText(Path.Combine(Knowledge.Root, document)))
            .Select(m => m.Groups[1].Value)
            .Where(n => IsFile().IsMatch(n) && !n.StartsWith("./", StringComparison.Ordinal) && !n.StartsWith('/'))
            .ToList();
        Assert.InRange(named.Count, 10, 500);
        var gone = named.Where(n => !all.Any(p => Is(p, n))).ToList();
        Assert.True(gone.Count == 0, string.Join(", ", gone));
    }

    private static bool Is(string path, string named) =>
        path.EndsWith("/" + Room().Replace(named.TrimEnd('/'), "Buttonhook.$1/"), StringComparison.Ordinal)
        || named.Contains('*') && Path.GetDirectoryName(named) is { } folder && path.EndsWith("/" + folder, StringComparison.Ordinal);

    [GeneratedRegex("`([^`\n]+)`")]
    private static partial Regex InTicks();

    /// <summary>A path, or a file by its ending; a route or a command is neither.</summary>
    [GeneratedRegex(@"^[\w./*-]+(?:/[\w.*-]*|\.(?:cs|ts|tsx|yaml|sql|md|json|tsv))$")]
    private static partial Regex IsFile();

    [GeneratedRegex("^(Core|App|Storage|Hardware)/")]
    private static partial Regex Room();
}
