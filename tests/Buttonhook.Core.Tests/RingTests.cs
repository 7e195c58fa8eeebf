using System.Text.RegularExpressions;
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

    /// <summary>Which room of the core knows which, besides what lies in Core itself; a folder inside a room belongs to it, but for the three of Images.</summary>
    private static readonly Dictionary<string, string[]> Knows = new()
    {
        ["Consoles"] = [],
        ["Images.Formats"] = [],
        ["Boards"] = [],
        ["Images"] = ["Boards", "Images.Formats"],
        ["Images.Loaders"] = ["Boards", "Images.Formats"],
        ["Images.Judging"] = ["Boards", "Consoles", "Images", "Images.Formats", "Images.Loaders"],
        ["Connecting"] = ["Boards", "Images"],
        ["Diagnosing"] = ["Boards", "Consoles"],
        ["Asking"] = ["Consoles", "Diagnosing"],
        ["Identifying"] = ["Boards", "Diagnosing", "Images", "Images.Formats"],
        ["Preparing"] = ["Boards", "Images", "Images.Formats", "Images.Judging", "Images.Loaders"],
        ["Matching"] = ["Boards", "Connecting", "Images", "Images.Judging", "Preparing"],
        ["Keeping"] = ["Boards", "Connecting", "Consoles", "Diagnosing", "Images", "Preparing"],
        ["Simulating"] = ["Boards", "Connecting", "Consoles", "Images", "Preparing"],
        ["Practising"] = ["Consoles", "Diagnosing", "Simulating"],
        ["Guiding"] = ["Boards", "Connecting", "Consoles", "Diagnosing", "Images", "Matching", "Preparing"],
    };

    private static IEnumerable<(string File, string Text)> Sources() =>
        Directory
            .GetFiles(Path.Combine(Knowledge.Root, "src/Buttonhook.Core"), "*.cs", SearchOption.AllDirectories)
            .Where(f => !f.Contains("/obj/") && !f.Contains("/bin/"))
            .Select(f => (Path.GetRelativePath(Path.Combine(Knowledge.Root, "src/Buttonhook.Core"), f), File.ReadAllText(f)));

    private static string Room(string name)
    {
        while (name.Length > 0 && !Knows.ContainsKey(name))
            name = name.LastIndexOf('.') is >= 0 and var end ? name[..end] : "";
        return name;
    }

    [Fact]
    public void A_room_of_the_core_knows_those_of_the_table_and_no_other()
    {
        // A using that nothing needs does not build; a name that is written out counts as well.
        var rooms = string.Join('|', Knows.Keys.OrderByDescending(k => k.Length).Select(Regex.Escape));
        var sources = Sources()
            .Select(s =>
                (Room: Room(Path.GetDirectoryName(s.File)!.Replace('/', '.')), Text: Regex.Replace(s.Text, "(?m)^namespace .*$", ""))
            )
            .ToList();
        var known = sources
            .SelectMany(s =>
                Regex
                    .Matches(
                        s.Text,
                        $@"(?m)^using Buttonhook\.Core\.([\w.]+);|(?<![\w.""/])(?:Buttonhook\.)?(?:Core\.)?({rooms})\.(?=[A-Z])"
                    )
                    .Select(m => (From: s.Room, To: Room(m.Groups[1].Value + m.Groups[2].Value)))
            )
            .Where(k => k.From != k.To)
            .ToHashSet();
        // What lies inside a room sees it without a using: there the names of its types count.
        foreach (var inner in Knows.Keys.Where(k => k.Contains('.')))
        {
            var outer = Room(inner[..inner.LastIndexOf('.')]);
            var types = sources
                .Where(s => s.Room == outer)
                .SelectMany(s =>
                    Regex.Matches(s.Text, @"(?m)^(?:public|internal) .*?\b(?:class|record struct|record|struct|enum|interface) (\w+)")
                )
                .Select(m => m.Groups[1].Value);
            var named = new Regex($@"(?<![\w.])(?:{string.Join('|', types)})\b");
            if (sources.Any(s => s.Room == inner && named.IsMatch(s.Text)))
                known.Add((inner, outer));
        }
        Assert.Equal(
            Knows.SelectMany(k => k.Value.Select(to => $"{k.Key} -> {to}")).Order(StringComparer.Ordinal),
            known.Select(k => $"{k.From} -> {k.To}").Order(StringComparer.Ordinal)
        );
    }

    [Fact]
    public void No_room_of_the_core_comes_back_to_itself()
    {
        foreach (var room in Knows.Keys)
        {
            var seen = new HashSet<string>();
            var ahead = new Queue<string>(Knows[room]);
            while (ahead.TryDequeue(out var next))
                if (seen.Add(next))
                    foreach (var further in Knows[next])
                        ahead.Enqueue(further);
            Assert.DoesNotContain(room, seen);
        }
    }

    [Fact]
    public void A_namespace_is_a_folder()
    {
        foreach (var (file, text) in Sources())
        {
            var folder = Path.GetDirectoryName(file)!.Replace('/', '.');
            Assert.Contains(folder.Length == 0 ? "namespace Buttonhook.Core;" : $"namespace Buttonhook.Core.{folder};", text);
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
        foreach (var (file, text) in Sources())
        foreach (var word in forbidden)
            Assert.False(Regex.IsMatch(text, $@"(?<!\w){Regex.Escape(word)}"), $"{word} in {file}");
    }
}
