using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;

namespace Buttonhook.App;

/// <summary>The data files that ship with the application, read and checked at start.</summary>
public sealed record KnowledgeFiles(Catalogue Catalogue, RuleBookIndex Rules, DemoBench Demo)
{
    private sealed record Parts(IReadOnlyList<Supply> Supplies, IReadOnlyList<ConsoleAdapter> Adapters);

    /// <summary>Reads <c>data/</c> beside the program; a file that does not match its schema is a problem that names the place.</summary>
    public static Answer<KnowledgeFiles> Read(string? folder = null)
    {
        var data = folder ?? Path.Combine(AppContext.BaseDirectory, "data");
        string Schema(string name) => File.ReadAllText(Path.Combine(data, "schemas", $"{name}.schema.json"));
        IEnumerable<(string Name, string Yaml)> Files(string kind) =>
            Directory
                .GetFiles(Path.Combine(data, kind), "*.yaml")
                .Order(StringComparer.Ordinal)
                .Select(f => (Path.GetFileName(f), File.ReadAllText(f)));

        var models = new List<BoardModel>();
        foreach (var (name, yaml) in Files("boards"))
        {
            var read = DataFile.Read<BoardModel>(name, yaml, Schema("board"));
            if (read.Value is not { } model)
                return read.Problem!;
            models.Add(model);
        }
        var images = new List<ImageCard>();
        foreach (var (name, yaml) in Files("images"))
        {
            var read = DataFile.Read<ImageCard>(name, yaml, Schema("image"));
            if (read.Value is not { } image)
                return read.Problem!;
            images.Add(image);
        }
        var parts = DataFile.Read<Parts>("parts.yaml", File.ReadAllText(Path.Combine(data, "bench/parts.yaml")), Schema("parts"));
        if (parts.Value is not { } bench)
            return parts.Problem!;
        var demo = DataFile.Read<DemoBench>("demo.yaml", File.ReadAllText(Path.Combine(data, "bench/demo.yaml")), Schema("demo"));
        if (demo.Value is not { } boards)
            return demo.Problem!;
        var book = RuleBook.Read(Files("rulebook"), Schema("rulebook"));
        return book.Value is { } rules
            ? new KnowledgeFiles(new(models, images, bench.Supplies, bench.Adapters), new(rules), boards)
            : book.Problem!;
    }
}

/// <summary>The boards of the demo and the boots that they have behind them.</summary>
public sealed record DemoBench(IReadOnlyList<DemoBoard> Boards);

/// <summary>One demo board.</summary>
public sealed record DemoBoard(
    string Id,
    string Nickname,
    string ModelId,
    string RevisionId,
    int MemoryMiB,
    Connected Connected,
    IReadOnlyList<string> ToldBy,
    IReadOnlyList<DemoBoot> Boots,
    IReadOnlyList<DemoHistory>? History,
    string? Fault
);

/// <summary>One past boot of a demo board.</summary>
public sealed record DemoBoot(int HoursAgo, string? Image, bool First, string? Fault, string? Keep);

/// <summary>Boots of an image on this board's revision before its present card.</summary>
public sealed record DemoHistory(string Image, int Good, string? Fault, int Bad);
