using System.IO.Compression;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Storage;
using Microsoft.AspNetCore.Http.Features;

namespace Buttonhook.App.Endpoints;

/// <summary>Two logs beside each other.</summary>
/// <param name="LeftTotal">How many lines the left one has.</param>
/// <param name="FirstParting">The run in which they part first; null when they never do.</param>
public sealed record AlignedLogs(IReadOnlyList<AlignedRun> Runs, int LeftTotal, int RightTotal, int? FirstParting);

/// <summary>The log drawer: logs come in and go out in open forms, are searched, and laid beside each other.</summary>
public static class LogEndpoints
{
    private const int MostTogether = 500;
    private const int LongestWords = 200;
    private static readonly string[] Forms = ["raw", "text", "timed", "asciicast", "typescript", "original"];

    /// <summary>Adds the routes.</summary>
    public static void MapLogs(this RouteGroupBuilder api)
    {
        api.MapPost("/boards/{id}/logs", Drop).Produces<BootView>();
        api.MapPost("/boards/{id}/logs/together", DropTogether).DisableAntiforgery().Produces<BootView>();
        api.MapGet("/boots/{id}/log", Log);
        api.MapGet("/boots/{left}/beside/{right}", Beside).Produces<AlignedLogs>();
        api.MapGet("/logs/zip", Zip);
        api.MapGet("/logs/found", Find).Produces<FoundLogs>();
    }

    private static string NameOf(string? name) =>
        Path.GetFileName(name) is { Length: > 0 } file ? file[..Math.Min(file.Length, 120)] : "log file";

    private static async Task<IResult> Drop(
        string id,
        HttpContext context,
        BoardStore boards,
        BootViews views,
        Captures captures,
        string? name
    )
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        if (context.Request.ContentLength > LogFiles.Largest)
        {
            await Discard(context);
            return LogFiles.TooLarge(context.Request.ContentLength.Value, LogFiles.Largest).Answer(StatusCodes.Status413PayloadTooLarge);
        }
        context.Features.GetRequiredFeature<IHttpMaxRequestBodySizeFeature>().MaxRequestBodySize = null;
        var called = NameOf(name);
        var pieces = LogFiles.Pieces(context.Request.BodyReader).GetAsyncEnumerator();
        await using var reading = pieces;
        var begun = await pieces.MoveNextAsync();
        Answer<Boot> stored;
        if (begun && LogImport.IsSpecial(pieces.Current))
        {
            using var whole = new MemoryStream();
            do
            {
                whole.Write(pieces.Current);
                if (whole.Length > LogFiles.LargestWhole)
                    return LogFiles.TooLarge(whole.Length, LogFiles.LargestWhole).Answer();
            } while (await pieces.MoveNextAsync());
            stored = StoreAll(bench, [(called, whole.ToArray())], captures);
        }
        else
            stored = await captures.Store(bench, called, Whole(), LogFiles.Largest);
        return stored.Value is { } boot ? Results.Ok(views.Boot(boot.Id)) : stored.Problem!.Answer();

        async IAsyncEnumerable<byte[]> Whole()
        {
            while (begun)
            {
                yield return pieces.Current;
                begun = await pieces.MoveNextAsync();
            }
        }
    }

    /// <summary>Several files that belong together, such as a typescript and its timing: a form with a file in each field.</summary>
    private static async Task<IResult> DropTogether(
        string id,
        IFormFileCollection files,
        BoardStore boards,
        BootViews views,
        Captures captures
    )
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        if (files.Sum(f => f.Length) is var all && all > LogFiles.LargestWhole)
            return LogFiles.TooLarge(all, LogFiles.LargestWhole).Answer(StatusCodes.Status413PayloadTooLarge);
        var read = new List<(string, byte[])>();
        foreach (var file in files)
        {
            using var bytes = new MemoryStream();
            await file.CopyToAsync(bytes);
            read.Add((NameOf(file.FileName), bytes.ToArray()));
        }
        var stored = StoreAll(bench, read, captures);
        return stored.Value is { } boot ? Results.Ok(views.Boot(boot.Id)) : stored.Problem!.Answer();
    }

    private static Answer<Boot> StoreAll(BenchBoard bench, List<(string Name, byte[] Bytes)> files, Captures captures)
    {
        var all = new List<(string Name, byte[] Bytes)>();
        foreach (var file in files)
            if (file.Bytes.AsSpan().StartsWith("PK\u0003\u0004"u8))
            {
                var unpacked = LogImport.Unzip(file.Bytes, LogFiles.LargestWhole);
                if (unpacked.Value is not { } inside)
                    return unpacked.Problem!;
                all.AddRange(inside);
            }
            else
                all.Add(file);
        return captures.Store(bench, LogImport.ReadTogether(all));
    }

    /// <summary>Reads a too large body away, up to 512 MiB, so that the page hears the answer instead of a broken connection.</summary>
    private static async Task Discard(HttpContext context)
    {
        context.Features.GetRequiredFeature<IHttpMaxRequestBodySizeFeature>().MaxRequestBodySize = null;
        if (context.Request.ContentLength > 512L << 20)
            return;
        var buffer = new byte[1 << 16];
        while (await context.Request.Body.ReadAsync(buffer) > 0) { }
    }

    private static IResult Log(string id, BootStore boots, Captures captures, string form = "raw")
    {
        if (boots.Find(id) is not { } boot)
            return Problems.Missing("This boot");
        if (!Forms.Contains(form))
            return new Problem(
                $"A log is saved as {string.Join(", ", Forms)}.",
                $"{form} is none of them.",
                "Choose one of these."
            ).Answer();
        if (form == "original")
            return boots.Original(id) is var (name, bytes)
                ? Results.Bytes(bytes, "application/octet-stream", name)
                : new Problem("The file that this log came as should be here.", "It came as it is.", "Save it as raw bytes.").Answer(404);
        return Results.Stream(
            stream => Write(boot, form, stream, boots, captures),
            form is "raw" ? "application/octet-stream"
                : form is "typescript" ? "application/zip"
                : form is "asciicast" ? "application/x-asciicast"
                : "text/plain; charset=utf-8",
            $"boot-{boot.Number}{EndingOf(form)}"
        );
    }

    private static string EndingOf(string form) =>
        form switch
        {
            "text" => ".txt",
            "timed" => "-timed.txt",
            "asciicast" => ".cast",
            "typescript" => "-typescript.zip",
            _ => ".log",
        };

    private static async Task Write(Boot boot, string form, Stream stream, BootStore boots, Captures captures)
    {
        try
        {
            switch (form)
            {
                case "raw":
                    foreach (var piece in boots.Pieces(boot.Id))
                        await stream.WriteAsync(piece.Bytes);
                    break;
                case "asciicast":
                    await LogExport.Cast(boots.Journal(boot.Id), boot.StartedAt, $"Boot {boot.Number}, {boot.Source}", stream);
                    break;
                default:
                    // These are written by calls that wait: into a file first, so that neither the log nor a thread waits for who reads it.
                    await using (var file = Scratch.File())
                    {
                        if (form == "typescript")
                            LogExport.Typescript(boots.Journal(boot.Id), boot.StartedAt, $"boot-{boot.Number}", file);
                        else
                            captures.With<object>(
                                boot.Id,
                                r =>
                                {
                                    if (form == "timed")
                                        LogExport.Timed(r.Log, file);
                                    else
                                        LogExport.Text(r.Log, file);
                                    return file;
                                }
                            );
                        file.Position = 0;
                        await file.CopyToAsync(stream);
                    }
                    break;
            }
        }
        catch (DamagedLogException e)
        {
            // What is left is given whole: a browser throws a broken download away. The page of the boot says that some is missing.
            boots.NoteDamage(boot.Id, e.ReadableBytes, e.DamagedFrom);
        }
    }

    /// <summary>Many logs as one zip, in one form, with a list of what they are.</summary>
    private static async Task<IResult> Zip(string ids, BootStore boots, BoardStore boards, Captures captures, string form = "raw")
    {
        var wanted = ids.Split(',', StringSplitOptions.RemoveEmptyEntries).Distinct().ToList();
        if (wanted.Count is 0 or > MostTogether || !Forms.Contains(form) || form == "original")
            return new Problem(
                $"1 to {MostTogether} logs are saved together, as {string.Join(", ", Forms.SkipLast(1))}.",
                $"These are {wanted.Count}, as {form}.",
                "Choose fewer, or another form."
            ).Answer();
        var all = wanted.Select(boots.Find).OfType<Boot>().ToList();
        if (all.Count == 0)
            return Problems.Missing("These logs");
        var file = Scratch.File();
        using (var zip = new ZipArchive(file, ZipArchiveMode.Create, leaveOpen: true))
        {
            var list = new System.Text.StringBuilder("file\tboard\tboot\tbegan\tsource\toutcome\tcause\n");
            foreach (var boot in all)
            {
                var board = boards.Find(boot.BoardId)?.Board.Nickname ?? "removed";
                var name =
                    string.Concat(board.Select(c => char.IsLetterOrDigit(c) || c is '-' or '_' ? c : '-'))
                    + $"-boot-{boot.Number}{EndingOf(form)}";
                list.Append(
                    System.Globalization.CultureInfo.InvariantCulture,
                    $"{name}\t{board}\t{boot.Number}\t{boot.StartedAt:O}\t{boot.Source.Replace('\t', ' ')}\t{boot.Outcome}\t{boot.TopCause}\n"
                );
                await using var entry = zip.CreateEntry(name, CompressionLevel.Fastest).Open();
                await Write(boot, form, entry, boots, captures);
            }
            await using var index = zip.CreateEntry("logs.tsv").Open();
            await index.WriteAsync(System.Text.Encoding.UTF8.GetBytes(list.ToString()));
        }
        file.Position = 0;
        return Results.Stream(file, "application/zip", "logs.zip");
    }

    private static IResult Find(
        string text,
        LogSearch search,
        CancellationToken stop,
        string? board = null,
        string? model = null,
        string? revision = null,
        string? image = null,
        Outcome? outcome = null,
        Stage? stage = null,
        string? cause = null
    ) =>
        text.Length is 0 or > LongestWords || LogWords.Terms(text).Count == 0
            ? new Problem(
                $"Logs are searched for words of 1 to {LongestWords} letters.",
                text.Length == 0 ? "There are none." : "There is no letter or digit in them, or they are more.",
                "Give a word that stands in the line."
            ).Answer()
            : Results.Ok(search.Find(text, new(board, model, revision, image, outcome?.ToString(), stage?.ToString(), cause), stop));

    private static IResult Beside(string left, string right, Captures captures)
    {
        // One after the other, so that no two logs are held at once.
        var mine = captures.With(left, r => LogAlignment.Shapes(r.Log));
        var other = captures.With(right, r => LogAlignment.Shapes(r.Log));
        if (mine is null || other is null)
            return Problems.Missing("These boots");
        var runs = LogAlignment.Of(mine, other);
        var parting = runs.Select((r, n) => (r, n)).Where(x => !x.r.Same).Select(x => (int?)x.n).FirstOrDefault();
        return Results.Ok(new AlignedLogs(runs, mine.Length, other.Length, parting));
    }
}
