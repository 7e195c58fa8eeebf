using Buttonhook.Core;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Practising;
using Buttonhook.Core.Preparing;

namespace Buttonhook.App;

/// <summary>The data files that ship with the application, read and checked at start.</summary>
/// <param name="FileSchemas">The published rules of first-boot files, by file name.</param>
public sealed record KnowledgeFiles(
    Catalogue Catalogue,
    RuleBookIndex Rules,
    DemoBench Demo,
    ProfileSchemas Schemas,
    IReadOnlyList<FirstLoaderSign> Signs,
    IReadOnlyList<Recipe> Recipes,
    string RecipeSchema,
    IReadOnlyDictionary<string, string> FileSchemas,
    RealNames Names,
    IReadOnlyList<WaitingWork> Works,
    string OwnRulesSchema,
    Triage Triage,
    CommandBook Commands,
    PracticeBook Practice,
    TrialBook Trials
)
{
    /// <summary>Good boots of the lab.</summary>
    public GoodBoots GoodBoots { get; } =
        new(() => Path.Combine(Shipped, "knowledge/good-boots.tar.br") is var path && File.Exists(path) ? File.OpenRead(path) : null);

    private static readonly string Shipped = Path.Combine(AppContext.BaseDirectory, "data");

    private sealed record Waiting(IReadOnlyList<WaitingWork> Works);

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

        var schemas = new ProfileSchemas(Schema("board"), Schema("image"), Schema("revision-code"), Schema("experience"));
        var cards = ProfilePack.Empty;
        foreach (var (name, yaml) in Files("boards").Concat(Files("images")).Concat(Files("codes")))
        {
            var read = ProfilePack.Read(name, yaml, schemas);
            if (read.Value is not { } pack)
                return read.Problem!;
            cards = new([.. cards.Boards, .. pack.Boards], [.. cards.Images, .. pack.Images], [.. cards.Codes, .. pack.Codes], []);
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
        var work = DataFile.Read<Waiting>("work.yaml", File.ReadAllText(Path.Combine(data, "knowledge/work.yaml")), Schema("work"));
        if (work.Value is not { } waiting)
            return work.Problem!;
        var triage = Triage.Read(File.ReadAllText(Path.Combine(data, "knowledge/triage.yaml")), Schema("triage"));
        if (triage.Value is not { } looks)
            return triage.Problem!;
        var commands = new List<KnownCommand>();
        foreach (var (name, yaml) in Files("commands"))
        {
            var read = CommandBook.Read(name, yaml, Schema("commands"));
            if (read.Value is not { } more)
                return read.Problem!;
            commands.AddRange(more.Commands);
        }
        var practice = PracticeBook.Read(File.ReadAllText(Path.Combine(data, "knowledge/practice.yaml")), Schema("practice"));
        if (practice.Value is not { } exercises)
            return practice.Problem!;
        var book = ReadRules(folder);
        if (book.Value is not { } rules)
            return book.Problem!;
        var tried = TrialBook.Read(Files("trials"), Schema("trials"), rules.Book);
        return tried.Value is { } trials
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
                rules,
                boards,
                schemas,
                first,
                recipes,
                Schema("recipe"),
                new Dictionary<string, string> { ["user-data"] = Schema("cloud-config"), ["network-config"] = Schema("network-config") },
                new(Names("time-zones"), Names("countries")),
                waiting.Works,
                Schema("own-rules"),
                looks,
                new(commands),
                exercises,
                trials
            )
            : tried.Problem!;
    }

    private static readonly string CheckedFile = Path.Combine(Shipped, "knowledge", "rules.checked.json"),
        CheckedQuestions = Path.Combine(Shipped, "knowledge", "questions.checked.json");

    /// <summary>Writes the shipped rules down as they were read, so that a start need not check them again; what is newer than that is read from its own files.</summary>
    public static Problem? Check()
    {
        File.Delete(CheckedFile);
        File.Delete(CheckedQuestions);
        var read = ReadRules();
        if (read.Value is not { } rules)
            return read.Problem;
        File.WriteAllText(
            CheckedQuestions,
            System.Text.Json.JsonSerializer.Serialize(rules.Book.Questions, CheckedRulesJson.Default.IReadOnlyListQuestion)
        );
        File.WriteAllText(
            CheckedFile,
            System.Text.Json.JsonSerializer.Serialize(
                new(rules.Book with { Asked = null }, rules.AllFitted),
                CheckedRulesJson.Default.CheckedRules
            )
        );
        return null;
    }

    private static CheckedRules? Checked()
    {
        try
        {
            var written = File.GetLastWriteTimeUtc(CheckedFile);
            var newest = Directory
                .GetFiles(Path.Combine(Shipped, "knowledge/rulebook"))
                .Concat(Directory.GetFiles(Path.Combine(Shipped, "knowledge/questions")))
                .Append(Path.Combine(Shipped, "knowledge/fitted.yaml"))
                .Max(File.GetLastWriteTimeUtc);
            if (!File.Exists(CheckedFile) || newest > written)
                return null;
            var asked = Task.Run(() =>
                System.Text.Json.JsonSerializer.Deserialize(
                    File.ReadAllBytes(CheckedQuestions),
                    CheckedRulesJson.Default.IReadOnlyListQuestion
                )
            );
            var read = System.Text.Json.JsonSerializer.Deserialize(File.ReadAllBytes(CheckedFile), CheckedRulesJson.Default.CheckedRules);
            var questions = asked.GetAwaiter().GetResult();
            return read is null ? null : read with { Book = read.Book with { Asked = questions } };
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or System.Text.Json.JsonException)
        {
            return null;
        }
    }

    private static Answer<RuleBookIndex> Index(RuleBook book, IReadOnlyList<FittedWeight> fitted, Task<Answer<KnownShapes>> reading)
    {
        var shapes = reading.GetAwaiter().GetResult();
        return shapes.Value is { } known ? new RuleBookIndex(book, fitted, known) : shapes.Problem!;
    }

    /// <summary>The published schema of a file format, by its name ("working-settings").</summary>
    public static string SchemaOf(string name) => File.ReadAllText(Path.Combine(Shipped, "schemas", $"{name}.schema.json"));

    /// <summary>The rule book alone with what was fitted to the lab, which is all that reading a log needs.</summary>
    public static Answer<RuleBookIndex> ReadRules(string? folder = null)
    {
        var data = folder ?? Shipped;
        // Beside the rules: a command that reads a short log is mostly this.
        var shapes = Task.Run(() => KnownShapes.Read(File.ReadAllText(Path.Combine(data, "knowledge/shapes.tsv"))));
        if (folder is null && Checked() is { } before)
            return Index(before.Book, before.Fitted, shapes);
        string Schema(string name) => File.ReadAllText(Path.Combine(data, "schemas", $"{name}.schema.json"));
        var asked = QuestionBook.Read(
            Directory
                .GetFiles(Path.Combine(data, "knowledge/questions"), "*.yaml")
                .Order(StringComparer.Ordinal)
                .Select(f => (Path.GetFileName(f), File.ReadAllText(f))),
            Schema("questions")
        );
        if (asked.Value is not { } questions)
            return asked.Problem!;
        var book = RuleBook.Read(
            Directory
                .GetFiles(Path.Combine(data, "knowledge/rulebook"), "*.yaml")
                .Order(StringComparer.Ordinal)
                .Select(f => (Path.GetFileName(f), File.ReadAllText(f))),
            Schema("rulebook"),
            shipped: folder is null,
            questions
        );
        if (book.Value is not { } rules)
            return book.Problem!;
        var fitted = FittedRules.Read(File.ReadAllText(Path.Combine(data, "knowledge/fitted.yaml")), Schema("fitted"));
        return fitted.Value is { } weights ? Index(rules, weights.Fitted, shapes) : fitted.Problem!;
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
