using System.CommandLine;
using System.Reflection;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Hardware;
using Buttonhook.Storage;

namespace Buttonhook.App;

/// <summary>The command line: serve, demo, diagnose. Wrong usage answers one line and 2.</summary>
public static class CommandLine
{
    private const int Wrong = 2;
    private const int Failed = 1;

    /// <summary>Runs one command and gives its exit code.</summary>
    public static async Task<int> Run(string[] arguments)
    {
        // The OpenAPI tool starts the program with arguments of its own and takes the application before it runs.
        if (IsOpenApiTool)
        {
            var scratch = Directory.CreateTempSubdirectory("buttonhook-openapi-").FullName;
            AppDomain.CurrentDomain.ProcessExit += (_, _) => Directory.Delete(scratch, recursive: true);
            return await Serve(new(scratch, BenchOptions.UsualUrl, false));
        }

        var data = new Option<string?>("--data") { Description = "Folder for the database." };
        var urls = new Option<string>("--urls")
        {
            Description = "Loopback address to serve at.",
            DefaultValueFactory = _ => BenchOptions.UsualUrl,
        };
        var pace = new Option<double>("--pace")
        {
            Description = "How many times faster than real simulated boards run.",
            DefaultValueFactory = _ => 1,
        };
        var devices = new Option<bool>("--card-devices")
        {
            Description = "Let real removable devices of this computer be written. Writing erases them.",
        };
        var serve = new Command("serve", "Serve with your own data.") { data, urls, pace, devices };
        serve.SetAction(
            (parse, _) =>
                Serve(
                    new(
                        parse.GetValue(data) ?? BenchOptions.UsualFolder,
                        parse.GetValue(urls)!,
                        false,
                        parse.GetValue(pace),
                        parse.GetValue(devices)
                    )
                )
        );
        var demo = new Command("demo", "Serve with the demo bench.") { data, urls, pace, devices };
        demo.SetAction(
            (parse, _) =>
                Serve(
                    new(
                        parse.GetValue(data) ?? Path.Combine(BenchOptions.UsualFolder, "demo"),
                        parse.GetValue(urls)!,
                        true,
                        parse.GetValue(pace),
                        parse.GetValue(devices)
                    )
                )
        );
        var log = new Argument<string>("LOG") { Description = "A console log, or - for standard input." };
        var json = new Option<bool>("--json") { Description = "Print the answer as JSON." };
        var diagnose = new Command("diagnose", "Tell why a boot failed from its console log.") { log, json };
        diagnose.SetAction((parse, token) => Diagnose(parse.GetValue(log)!, parse.GetValue(json), token));

        var image = new Argument<string>("IMAGE") { Description = "An image, raw or packed as gz, xz, zst, bz2, zip or 7z." };
        var board = new Option<string?>("--board") { Description = "Board to dry-boot it on: an id of the catalogue, or a JSON file." };
        var sum = new Option<string?>("--sum") { Description = "SHA-256 that the download should have, or a file of sums." };
        var mend = new Option<string?>("--mend")
        {
            Description = "Write a copy in which every line is changed that the dry boot names, and look into that.",
        };
        var inspect = new Command("inspect", "Look into an image and tell whether it boots.") { image, board, sum, mend, json, data };
        inspect.SetAction(
            (parse, token) =>
                Task.FromResult(
                    Inspect(
                        parse.GetValue(image)!,
                        parse.GetValue(board),
                        parse.GetValue(sum),
                        parse.GetValue(mend),
                        parse.GetValue(json),
                        parse.GetValue(data),
                        token
                    )
                )
        );

        var mark = new Option<string?>("--mark") { Description = "What is printed on the board." };
        var code = new Option<string?>("--code") { Description = "A revision code in hexadecimal." };
        var text = new Option<string?>("--log") { Description = "A console log, or text of a running system." };
        var tree = new Option<string?>("--dtb") { Description = "A device tree blob." };
        var seen = new Option<string[]>("--seen") { Description = "An answer to a look, as LOOK=ANSWER; may be repeated." };
        var identify = new Command("identify", "Tell which board it is.") { mark, code, text, tree, seen, json, data };
        identify.SetAction(parse =>
            Identify(
                parse.GetValue(mark),
                parse.GetValue(code),
                parse.GetValue(text),
                parse.GetValue(tree),
                parse.GetValue(seen) ?? [],
                parse.GetValue(json),
                parse.GetValue(data)
            )
        );

        var draft = new Command("draft", "Draft a board card from a device tree, a log or text.") { mark, text, tree };
        draft.SetAction(parse => DraftCard(parse.GetValue(mark), parse.GetValue(text), parse.GetValue(tree)));
        var file = new Argument<string>("FILE") { Description = "Cards as YAML documents." };
        var check = new Command("check", "Check a file of cards.") { file };
        check.SetAction(parse => CheckCards(parse.GetValue(file)!));
        var import = new Command("import", "Add a file of cards to your own.") { file, data };
        import.SetAction(parse => ImportCards(parse.GetValue(file)!, parse.GetValue(data)));
        var ids = new Argument<string[]>("ID")
        {
            Description = "Ids of cards; none for all that you added.",
            Arity = ArgumentArity.ZeroOrMore,
        };
        var export = new Command("export", "Print cards as YAML.") { ids, data };
        export.SetAction(parse => ExportCards(parse.GetValue(ids) ?? [], parse.GetValue(data)));
        var sources = new Argument<string[]>("SOURCE")
        {
            Description = "Images packed or not, device trees, folders, Debian packages, archives.",
            Arity = ArgumentArity.OneOrMore,
        };
        var overlays = new Option<string[]>("--overlay") { Description = "An overlay (.dtbo) to lay over each tree; may be given again." };
        var from = new Command("from", "Tell what device trees say about their boards.") { sources, overlays, json };
        from.SetAction(
            (parse, token) =>
                Task.FromResult(TreeCards.Print(parse.GetValue(sources)!, parse.GetValue(overlays) ?? [], parse.GetValue(json), token))
        );
        var cards = new Command("cards", "Draft, check, import and export cards, and read them from device trees.")
        {
            draft,
            check,
            import,
            export,
            from,
        };

        var root = new RootCommand("Buttonhook brings boards up.") { serve, demo, diagnose, inspect, identify, cards };
        var parsed = root.Parse(arguments);
        if (parsed.Errors.Count > 0 || arguments.Length == 0)
        {
            Console.Error.WriteLine(
                $"buttonhook: {(arguments.Length == 0 ? "a command is missing" : parsed.Errors[0].Message.TrimEnd('.'))}; ./buttonhook help lists them."
            );
            return Wrong;
        }
        try
        {
            return await parsed.InvokeAsync(
                new InvocationConfiguration
                {
                    EnableDefaultExceptionHandler = false,
                    // The server ends itself in order; everything else may end at once.
                    ProcessTerminationTimeout = null,
                }
            );
        }
        catch (Exception e) when (e is not OperationCanceledException)
        {
            return Say(
                new Problem(
                    "This should have worked.",
                    $"Inside Buttonhook: {e.Message}",
                    "Nothing was changed; keep the file that led here."
                ),
                Failed
            );
        }
    }

    private static bool IsOpenApiTool => Assembly.GetEntryAssembly()?.GetName().Name == "GetDocument.Insider";

    private static async Task<int> Serve(BenchOptions options)
    {
        if (Security.EndPoint(options.Url).Problem is { } wrong)
            return Say(wrong, Wrong);
        if (options.Pace is < 0.1 or > 1000)
            return Say(new Problem("--pace should be 0.1 to 1000.", $"It is {options.Pace}.", "Leave it out for real time."), Wrong);
        var knowledge = KnowledgeFiles.Read(options.Demo || DataFolder.IsDemo(options.DataFolder) || IsOpenApiTool);
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        DataFolder.ForOwnerAlone();
        var holding = DataFolder.Hold(options.DataFolder);
        if (holding.Value is not { } held)
            return Say(holding.Problem!, Failed);
        using var folder = held;
        var opened = Database.Open(Path.Combine(options.DataFolder, "buttonhook.db"));
        if (opened.Value is not { } database)
            return Say(opened.Problem!, Failed);
        using var file = database;
        try
        {
            Scratch.Begin(options.DataFolder);
            return await Served(options, database, known);
        }
        catch (OperationCanceledException)
        {
            // It was stopped while it started.
            return 0;
        }
        catch (Exception e) when (FullDisk.Is(e))
        {
            return Say(
                new Problem(
                    $"There should be room on the disk of {options.DataFolder}.",
                    "It is full.",
                    "Make room and start again; what was stored before is kept."
                ),
                Failed
            );
        }
    }

    private static async Task<int> Served(BenchOptions options, Database database, KnowledgeFiles known)
    {
        await using var app = BenchApp.Build(options, database, known);
        if (options.Demo)
        {
            DataFolder.MarkDemo(options.DataFolder);
            Demo.Fill(known, database, TimeProvider.System);
        }
        else
            Demo.Adopt(database, known, TimeProvider.System);
        if (!IsOpenApiTool)
            app.Lifetime.ApplicationStarted.Register(() =>
                Console.WriteLine($"Buttonhook is at {app.Urls.FirstOrDefault() ?? options.Url}")
            );
        try
        {
            await app.RunAsync();
            return 0;
        }
        catch (IOException e)
        {
            return Say(
                new Problem(
                    $"{options.Url} should be free.",
                    (e.InnerException?.Message ?? e.Message) + ".",
                    "End the other program, or use another port with --urls."
                ),
                Failed
            );
        }
    }

    private static async Task<int> Diagnose(string path, bool asJson, CancellationToken token)
    {
        byte[] bytes;
        try
        {
            if (path == "-")
            {
                using var memory = new MemoryStream();
                await Console.OpenStandardInput().CopyToAsync(memory, token);
                bytes = memory.ToArray();
            }
            else
            {
                if (FileKinds.Of(path).Kind == FileKind.Regular && new FileInfo(path).Length is > Consoles.LogFiles.Largest and var length)
                    return Say(Consoles.LogFiles.TooLarge(length, Consoles.LogFiles.Largest), Failed);
                var read = InputFiles.Bytes(path, "LOG", Consoles.LogFiles.Largest);
                if (read.Value is null)
                    return Say(read.Problem!, Failed);
                bytes = read.Value;
            }
        }
        catch (IOException e)
        {
            return Say(new Problem("LOG should be readable.", e.Message, "Look at what is piped in."), Failed);
        }
        if (Consoles.LogFiles.OtherKind(bytes) is { } kind)
            return Say(
                new Problem("LOG should be text as a serial port gives it.", $"{path} is {kind}.", "Unpack it, or choose the log itself."),
                Failed
            );
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var (_, diagnosis) = LogDiagnosis.Of(bytes, known.Rules);
        Console.WriteLine(asJson ? JsonSerializer.Serialize(diagnosis, Indented) : DiagnosisText.Of(diagnosis));
        return 0;
    }

    private static Answer<Core.Images.DryBoard> Known(string boardWord, string? folder)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return knowledge.Problem!;
        var catalogue = CatalogueOf(known, folder);
        return catalogue.Value is { } all ? Images.DryBoards.Find(boardWord, all, known.Schemas) : catalogue.Problem!;
    }

    private static int Inspect(
        string path,
        string? boardWord,
        string? sum,
        string? mend,
        bool asJson,
        string? folder,
        CancellationToken token
    )
    {
        // What first loaders look like is read and checked while the image is looked into.
        var signs = Task.Run(() => KnowledgeFiles.ReadSigns());
        IReadOnlyList<Core.Images.FoundLoader> firstLoaders = [];
        Core.Images.DryBoard? board = null;
        if (boardWord is not null)
        {
            var named = Images.DryBoards.IsMinimal(boardWord) ? Images.DryBoards.Minimal(boardWord) : Known(boardWord, folder);
            if (named.Value is null)
                return Say(named.Problem!, Wrong);
            board = named.Value;
        }
        if (mend is not null && board is null)
            return Say(new("--mend needs a board to play the boot on.", "None is named.", "Name one with --board."), Wrong);
        Answer<Core.Images.Inspection> Look(string at, string? published) =>
            Images.ImageFiles.Inspect(
                at,
                board,
                [],
                published,
                token,
                look: (image, _) => firstLoaders = Core.Images.FirstLoaders.Find(image, signs.Result.Value ?? [])
            );
        var inspected = Look(path, sum);
        if (mend is not null && inspected.Value?.DryBoot is { } dry)
        {
            var edits = dry.Broken.Select(b => b.Edit).OfType<Core.Images.FileEdit>().Distinct().ToList();
            if (Images.MendedCopy.Make(path, mend, edits, DateTime.Now, token).GetAwaiter().GetResult() is { } unmended)
                return Say(unmended, Failed);
            foreach (var edit in edits)
                Console.Error.WriteLine(
                    $"buttonhook: changed p{edit.Partition}:{edit.Path}, line {edit.Line}: {edit.Before ?? "(end)"} -> {edit.After}"
                );
            inspected = Look(mend, null);
        }
        if (signs.Result.Problem is { } unreadable)
            return Say(unreadable, Failed);
        if (inspected.Value is not { } found)
        {
            // Programs get the same kind of answer for every file.
            if (asJson)
                Console.WriteLine(JsonSerializer.Serialize(Unreadable(inspected.Problem!, board), Indented));
            return Say(inspected.Problem!, Failed);
        }
        var inspection = found with { FirstLoaders = firstLoaders };
        Console.WriteLine(asJson ? JsonSerializer.Serialize(inspection, Indented) : Images.InspectionText.Of(inspection));
        return 0;
    }

    private static object Unreadable(Problem problem, Core.Images.DryBoard? board) =>
        new
        {
            format = "buttonhook.inspection/1",
            nature = Core.Images.FileNature.Of(problem),
            dryBoot = board is null ? null : Core.Images.DryBoot.Of(problem),
        };

    private static Answer<Core.Boards.BoardClues> Clues(string? mark, string? code, string? log, string? tree, string[] seen)
    {
        var looks = new List<Core.Boards.Seen>();
        foreach (var word in seen)
        {
            if (word.Split('=', 2) is not [var look, var answer])
                return new Problem(
                    "--seen should be LOOK=ANSWER, such as power=USB-C.",
                    $"It is {word}.",
                    "Take look and answer as identify prints them."
                );
            looks.Add(new(look, answer));
        }
        var text = log is null ? (Answer<string>?)null : InputFiles.Text(log, "--log", Consoles.LogFiles.Largest);
        var blob = tree is null ? (Answer<byte[]>?)null : InputFiles.Bytes(tree, "--dtb");
        if ((text?.Problem ?? blob?.Problem) is { } wrong)
            return wrong;
        return new Core.Boards.BoardClues(mark, code, text?.Value, blob?.Value, looks);
    }

    private static int DraftCard(string? mark, string? log, string? tree)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var clues = Clues(mark, null, log, tree, []);
        if (clues.Value is not { } given)
            return Say(clues.Problem!, Failed);
        var draft = Core.Boards.CardDraft.From(given, known.Rules);
        if (draft.Value is not { } made)
            return Say(draft.Problem!, Failed);
        foreach (var fact in made.Read)
            Console.WriteLine($"# read from {fact.From}: {fact.Field} is {fact.Value}");
        foreach (var question in made.Ask)
            Console.WriteLine($"# to fill in, {question.Field}: {question.Question}");
        Console.Write(DataFile.Write(made.Card));
        return 0;
    }

    private static int CheckCards(string path)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var text = InputFiles.Text(path, "FILE");
        if (text.Value is null)
            return Say(text.Problem!, Failed);
        var pack = Core.Boards.CardPack.Read(path, text.Value, known.Schemas);
        if (pack.Value is not { } good)
            return Say(pack.Problem!, Failed);
        Console.WriteLine($"{good.Boards.Count} boards, {good.Images.Count} images, {good.Codes.Count} revision codes, all in order.");
        return 0;
    }

    /// <summary>The cards of a data folder; those of the demo belong to the folder of the demo alone.</summary>
    private static Answer<Cards> OwnCards(string? folder)
    {
        var knowledge = KnowledgeFiles.Read(DataFolder.IsDemo(folder ?? BenchOptions.UsualFolder));
        if (knowledge.Value is not { } known)
            return knowledge.Problem!;
        DataFolder.ForOwnerAlone();
        var opened = Database.Open(Path.Combine(folder ?? BenchOptions.UsualFolder, "buttonhook.db"));
        return opened.Value is { } database
            ? new Cards(known, new CardStore(database), new PreparationStore(database), new PartStore(database), TimeProvider.System)
            : opened.Problem!;
    }

    /// <summary>The catalogue with the cards that a person added, where there are any: looking makes no data folder.</summary>
    private static Answer<Core.Boards.Catalogue> CatalogueOf(KnowledgeFiles known, string? folder)
    {
        if (folder is not null || File.Exists(Path.Combine(BenchOptions.UsualFolder, "buttonhook.db")))
        {
            var own = OwnCards(folder);
            return own.Value is { } cards ? cards.Catalogue : own.Problem!;
        }
        return known.Catalogue;
    }

    private static int ImportCards(string path, string? folder)
    {
        var text = InputFiles.Text(path, "FILE");
        if (text.Value is null)
            return Say(text.Problem!, Failed);
        var own = OwnCards(folder);
        if (own.Value is not { } cards)
            return Say(own.Problem!, Failed);
        using var acting = Acting.Begin(TimeProvider.System.GetUtcNow());
        var added = cards.Import(path, text.Value);
        if (added.Value is not { } pack)
            return Say(added.Problem!, Failed);
        Console.WriteLine($"Added {pack.Boards.Count} boards, {pack.Images.Count} images, {pack.Codes.Count} revision codes.");
        return 0;
    }

    private static int ExportCards(string[] ids, string? folder)
    {
        var own = OwnCards(folder);
        if (own.Value is not { } cards)
            return Say(own.Problem!, Failed);
        var exported = cards.Export(ids);
        if (exported.Value is not { } pack)
            return Say(exported.Problem!, Failed);
        Console.Write(pack.Write());
        return 0;
    }

    private static int Identify(string? mark, string? code, string? log, string? tree, string[] seen, bool asJson, string? folder)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var clues = Clues(mark, code, log, tree, seen);
        if (clues.Value is not { } given)
            return Say(clues.Problem!, Failed);
        var catalogue = CatalogueOf(known, folder);
        if (catalogue.Value is not { } all)
            return Say(catalogue.Problem!, Failed);
        var told = Core.Boards.Identification.Tell(given, all, known.Rules);
        if (told.Value is not { } identified)
            return Say(told.Problem!, Wrong);
        if (asJson)
        {
            Console.WriteLine(JsonSerializer.Serialize(identified, Indented));
            return 0;
        }
        foreach (var candidate in identified.Candidates)
        {
            Console.WriteLine(
                $"{candidate.Probability * 100, 3:0} %  {candidate.Name}{(candidate.MemoryMiB is { } m ? $", {Sizes.Memory(m)}" : "")}"
            );
            foreach (var reason in candidate.Reasons)
                Console.WriteLine($"       {(reason.For ? "for" : "against")}, {reason.Source}: {reason.Text}");
        }
        Console.WriteLine($"{identified.Unknown * 100, 3:0} %  a board that has no card here");
        if (identified.Code is { } decoded)
            Console.WriteLine(
                $"Code {decoded.Code}, {decoded.Scheme}: {string.Join(", ", decoded.Parts.Select(p => $"{p.Field} {p.Means}"))}"
            );
        foreach (var contradiction in identified.Contradictions)
            Console.WriteLine($"Contradiction: {contradiction}");
        if (identified.Next is { } next)
        {
            Console.WriteLine($"Look next: {next.Where}.");
            foreach (var answer in next.Answers)
                Console.WriteLine($"       --seen \"{next.Id}={answer.Answer}\" would say {string.Join(" or ", answer.Boards)}");
        }
        return 0;
    }

    private static readonly JsonSerializerOptions Indented = new(DataFile.Json)
    {
        WriteIndented = true,
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    private static int Say(Problem problem, int code)
    {
        Console.Error.WriteLine($"buttonhook: {problem}");
        return code;
    }
}
