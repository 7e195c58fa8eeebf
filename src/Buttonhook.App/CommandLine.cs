using System.CommandLine;
using System.Reflection;
using System.Text.Json;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
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
            return await Serve(
                new(Path.Combine(Path.GetTempPath(), $"buttonhook-openapi-{Environment.ProcessId}"), BenchOptions.UsualUrl, false)
            );

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
        var serve = new Command("serve", "Serve with your own data.") { data, urls, pace };
        serve.SetAction(
            (parse, _) => Serve(new(parse.GetValue(data) ?? BenchOptions.UsualFolder, parse.GetValue(urls)!, false, parse.GetValue(pace)))
        );
        var demo = new Command("demo", "Serve with the demo bench.") { data, urls, pace };
        demo.SetAction(
            (parse, _) =>
                Serve(
                    new(
                        parse.GetValue(data) ?? Path.Combine(BenchOptions.UsualFolder, "demo"),
                        parse.GetValue(urls)!,
                        true,
                        parse.GetValue(pace)
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
        var inspect = new Command("inspect", "Look into an image and tell whether it boots.") { image, board, sum, json };
        inspect.SetAction(
            (parse, token) =>
                Task.FromResult(Inspect(parse.GetValue(image)!, parse.GetValue(board), parse.GetValue(sum), parse.GetValue(json), token))
        );

        var mark = new Option<string?>("--mark") { Description = "What is printed on the board." };
        var text = new Option<string?>("--log") { Description = "A console log, or text of a running system." };
        var tree = new Option<string?>("--dtb") { Description = "A device tree blob." };
        var identify = new Command("identify", "Tell which board it is.") { mark, text, tree, json };
        identify.SetAction(parse => Identify(parse.GetValue(mark), parse.GetValue(text), parse.GetValue(tree), parse.GetValue(json)));

        var root = new RootCommand("Buttonhook brings boards up.") { serve, demo, diagnose, inspect, identify };
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
            return await parsed.InvokeAsync(new InvocationConfiguration { EnableDefaultExceptionHandler = false });
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
        if (Security.CheckUrl(options.Url) is { } wrong)
            return Say(wrong, Wrong);
        if (options.Pace is < 0.1 or > 1000)
            return Say(new Problem("--pace should be 0.1 to 1000.", $"It is {options.Pace}.", "Leave it out for real time."), Wrong);
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        var opened = Database.Open(Path.Combine(options.DataFolder, "buttonhook.db"));
        if (opened.Value is not { } database)
            return Say(opened.Problem!, Failed);
        await using var app = BenchApp.Build(options, database, known);
        if (options.Demo)
            Demo.Fill(known, database, TimeProvider.System);
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
            else if (new FileInfo(path) is { Exists: true, Length: > Consoles.LogFiles.Largest } large)
                return Say(Consoles.LogFiles.TooLarge(large.Length, Consoles.LogFiles.Largest), Failed);
            else
                bytes = await File.ReadAllBytesAsync(path, token);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return Say(new Problem("LOG should be a file that can be read.", e.Message, "Look at its name and who may read it."), Failed);
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

    private static int Inspect(string path, string? boardWord, string? sum, bool asJson, CancellationToken token)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        Core.Images.DryBoard? board = null;
        if (boardWord is not null)
        {
            var found = Images.DryBoards.Find(boardWord, known.Catalogue);
            if (found.Value is null)
                return Say(found.Problem!, Wrong);
            board = found.Value;
        }
        var inspected = Images.ImageFiles.Inspect(path, board, sum is not null, token);
        if (inspected.Value is not { } inspection)
            return Say(inspected.Problem!, Failed);
        if (
            sum is not null
            && Checksum(sum, path) is var wanted
            && !string.Equals(wanted, inspection.Sha256, StringComparison.OrdinalIgnoreCase)
        )
            return Say(
                new Problem(
                    "The checksum of the download should be the published one.",
                    wanted is null
                        ? $"{sum} has no line for {Path.GetFileName(path)}."
                        : $"It is {inspection.Sha256}, published is {wanted}.",
                    "Download the image again; do not write this one."
                ),
                Failed
            );
        Console.WriteLine(asJson ? JsonSerializer.Serialize(inspection, Indented) : Images.InspectionText.Of(inspection));
        return 0;
    }

    private static int Identify(string? mark, string? log, string? tree, bool asJson)
    {
        var knowledge = KnowledgeFiles.Read();
        if (knowledge.Value is not { } known)
            return Say(knowledge.Problem!, Failed);
        Answer<Core.Boards.Identified> told;
        try
        {
            var clues = new Core.Boards.BoardClues(
                mark,
                log is null ? null : File.ReadAllText(log),
                tree is null ? null : File.ReadAllBytes(tree)
            );
            told = Core.Boards.Identification.Tell(clues, known.Catalogue, known.Rules);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return Say(
                new Problem("--log and --dtb should be files that can be read.", e.Message, "Look at their names and who may read them."),
                Failed
            );
        }
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
        foreach (var contradiction in identified.Contradictions)
            Console.WriteLine($"Contradiction: {contradiction}");
        if (identified.Next is { } next)
            Console.WriteLine($"Look next: {next.Where}. {string.Join("; ", next.Answers)}.");
        return 0;
    }

    /// <summary>The sum itself, or the one for this file in a file of sums (sha256sum(1)); null when it has none.</summary>
    private static string? Checksum(string sum, string path)
    {
        if (!File.Exists(sum))
            return sum.Trim();
        var name = Path.GetFileName(path);
        return File.ReadLines(sum)
            .Select(l => l.Split([' ', '*'], StringSplitOptions.RemoveEmptyEntries))
            .FirstOrDefault(w => w.Length >= 2 && Path.GetFileName(w[^1]) == name)
            ?[0];
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
