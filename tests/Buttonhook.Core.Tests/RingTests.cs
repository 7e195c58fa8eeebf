using System.Xml.Linq;

namespace Buttonhook.Core.Tests;

public class RingTests
{
    /// <summary>What each ring may use: projects further in, and packages.</summary>
    private static readonly Dictionary<string, string[]> May = new()
    {
        ["Buttonhook.Core"] = ["JsonSchema.Net", "K4os.Compression.LZ4", "System.IO.Hashing", "YamlDotNet"],
        ["Buttonhook.Storage"] = ["Buttonhook.Core", "Dapper", "Microsoft.Data.Sqlite"],
        ["Buttonhook.Hardware"] = ["Buttonhook.Core"],
    };

    [Fact]
    public void A_ring_knows_only_the_ones_inside_it()
    {
        foreach (var (ring, allowed) in May)
        {
            var project = XDocument.Load(Path.Combine(Knowledge.Root, $"src/{ring}/{ring}.csproj"));
            var used = project
                .Descendants()
                .Where(e => e.Name.LocalName is "ProjectReference" or "PackageReference" or "FrameworkReference")
                .Select(e => e.Attribute("Include")!.Value)
                .Select(name => name.EndsWith(".csproj", StringComparison.Ordinal) ? Path.GetFileNameWithoutExtension(name) : name);
            Assert.Empty(used.Except(allowed));
        }
    }

    [Fact]
    public void The_core_references_no_outer_assembly()
    {
        var names = typeof(DataFile).Assembly.GetReferencedAssemblies().Select(a => a.Name!);
        Assert.DoesNotContain(
            names,
            n =>
                n.StartsWith("Buttonhook")
                || n.StartsWith("Microsoft.AspNetCore")
                || n.Contains("Sqlite")
                || n == "Dapper"
                || n == "System.Net.Http"
        );
    }

    [Fact]
    public void The_core_has_no_clock_and_no_files_of_its_own()
    {
        var forbidden = new[]
        {
            "DateTime.Now",
            "DateTime.UtcNow",
            "DateTimeOffset.Now",
            "DateTimeOffset.UtcNow",
            "File.",
            "Directory.",
            "Console.Write",
            "Process.",
        };
        var sources = Directory
            .GetFiles(Path.Combine(Knowledge.Root, "src/Buttonhook.Core"), "*.cs", SearchOption.AllDirectories)
            .Where(f => !f.Contains("/obj/") && !f.Contains("/bin/"));
        foreach (var file in sources)
        foreach (var word in forbidden)
            Assert.False(
                System.Text.RegularExpressions.Regex.IsMatch(
                    File.ReadAllText(file),
                    $@"(?<!\w){System.Text.RegularExpressions.Regex.Escape(word)}"
                ),
                $"{word} in {file}"
            );
    }
}
