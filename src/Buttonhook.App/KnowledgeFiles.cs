using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Preparing;

namespace Buttonhook.App;

/// <summary>The data files that ship with the application, read and checked at start.</summary>
/// <param name="FileSchemas">The published rules of first-boot files, by file name.</param>
public sealed record KnowledgeFiles(
    Catalogue Catalogue,
    RuleBookIndex Rules,
    DemoBench Demo,
    CardSchemas Schemas,
    IReadOnlyList<FirstLoaderSign> Signs,
    IReadOnlyList<Recipe> Recipes,
    string RecipeSchema,
    IReadOnlyDictionary<string, string> FileSchemas,
    RealNames Names
)
{
    private static readonly string Shipped = Path.Combine(AppContext.BaseDirectory, "data");

    private sealed record Loaders(IReadOnlyList<FirstLoaderSign> Signs);

    private sealed record Parts(
        IReadOnlyList<Supply> Supplies,
        IReadOnlyList<SupplyCable> Cables,
        [property: System.Text.Json.Serialization.JsonPropertyName("parts")] IReadOnlyList<FedPart> Fed,
        IReadOnlyList<ConsoleAdapter> Adapters,
        IReadOnlyList<MeasuredCard> MeasuredCards,
        IReadOnlyList<AdapterChip> Chips
    );

    /// <summary>Reads <c>data/</c> beside the program; a file that does not match its schema is a problem that names the place.</summary>
    /// <param name="withDemo">Whether the boards, images and parts that are invented for the demo belong to it; a bench of one's own has none of them.</param>
    public static Answer<KnowledgeFiles> Read(bool withDemo = true, string? folder = null)
    {
        var data = folder ?? Shipped;
        string[] rooms = withDemo ? ["knowledge", "demo"] : ["knowledge"];
        string Schema(string name) => File.ReadAllText(Path.Combine(data, "schemas", $"{name}.schema.json"));
        IReadOnlySet<string> Names(string name) => RealNames.Read(File.ReadAllText(Path.Combine(data, "knowledge/names", $"{name}.txt")));
        IEnumerable<(string Name, string Yaml)> Files(string kind) =>
            rooms
                .Select(room => Path.Combine(data, room, kind))
                .Where(Directory.Exists)
                .SelectMany(f => Directory.GetFiles(f, "*.yaml").Order(StringComparer.Ordinal))
                .Select(f => (Path.GetFileName(f), File.ReadAllText(f)));

        var schemas = new CardSchemas(Schema("board"), Schema("image"), Schema("revision-code"));
        var cards = new CardPack([], [], []);
        foreach (var (name, yaml) in Files("boards").Concat(Files("images")).Concat(Files("codes")))
        {
            var read = CardPack.Read(name, yaml, schemas);
            if (read.Value is not { } pack)
                return read.Problem!;
            cards = new([.. cards.Boards, .. pack.Boards], [.. cards.Images, .. pack.Images], [.. cards.Codes, .. pack.Codes]);
        }
        var loaders = ReadSigns(data);
        if (loaders.Value is not { } first)
            return loaders.Problem!;
        var bench = new Parts([], [], [], [], [], []);
        foreach (var room in rooms)
        {
            var parts = DataFile.Read<Parts>("parts.yaml", File.ReadAllText(Path.Combine(data, room, "parts.yaml")), Schema("parts"));
            if (parts.Value is not { } more)
                return parts.Problem!;
            bench = new(
                [.. bench.Supplies, .. more.Supplies],
                [.. bench.Cables, .. more.Cables],
                [.. bench.Fed, .. more.Fed],
                [.. bench.Adapters, .. more.Adapters],
                [.. bench.MeasuredCards, .. more.MeasuredCards],
                [.. bench.Chips, .. more.Chips]
            );
        }
        var boards = new DemoBench([]);
        if (withDemo)
        {
            var demo = DataFile.Read<DemoBench>("demo.yaml", File.ReadAllText(Path.Combine(data, "demo/demo.yaml")), Schema("demo"));
            if (demo.Value is null)
                return demo.Problem!;
            boards = demo.Value;
        }
        var recipes = new List<Recipe>();
        foreach (var (name, yaml) in Files("recipes"))
        {
            var read = DataFile.Read<Recipe>(name, yaml, Schema("recipe"));
            if (read.Value is not { } recipe)
                return read.Problem!;
            recipes.Add(recipe);
        }
        var book = RuleBook.Read(Files("rulebook"), Schema("rulebook"));
        return book.Value is { } rules
            ? new KnowledgeFiles(
                new(
                    cards.Boards,
                    cards.Images,
                    bench.Supplies,
                    bench.Adapters,
                    cards.Codes,
                    bench.Cables,
                    bench.Fed,
                    bench.MeasuredCards,
                    bench.Chips
                ),
                new(rules),
                boards,
                schemas,
                first,
                recipes,
                Schema("recipe"),
                new Dictionary<string, string> { ["user-data"] = Schema("cloud-config"), ["network-config"] = Schema("network-config") },
                new(Names("time-zones"), Names("countries"))
            )
            : book.Problem!;
    }

    /// <summary>The signs of first loaders alone, which is all that an inspection without a board needs.</summary>
    public static Answer<IReadOnlyList<FirstLoaderSign>> ReadSigns(string? folder = null)
    {
        var data = folder ?? Shipped;
        var loaders = DataFile.Read<Loaders>(
            "signs.yaml",
            File.ReadAllText(Path.Combine(data, "knowledge/loaders/signs.yaml")),
            File.ReadAllText(Path.Combine(data, "schemas/loaders.schema.json"))
        );
        return loaders.Value is { } read ? new Answer<IReadOnlyList<FirstLoaderSign>>(read.Signs, null) : loaders.Problem!;
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
