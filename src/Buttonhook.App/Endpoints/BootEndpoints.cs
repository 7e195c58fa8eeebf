using System.Text;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Consoles;
using Buttonhook.Hardware;
using Buttonhook.Storage;
using Microsoft.AspNetCore.Http.Features;

namespace Buttonhook.App.Endpoints;

/// <summary>Where the console of a boot comes from.</summary>
/// <param name="Source">"simulated", or the path of a serial port.</param>
/// <param name="Speed">Bits per second; null takes the board's own.</param>
public sealed record BootStart(string Source, int? Speed);

/// <summary>A serial port that can be captured.</summary>
/// <param name="BoardId">The simulated board behind it, or null for a real port.</param>
/// <param name="Adapter">What the adapter calls itself, or null.</param>
/// <param name="Usb">The ids of the adapter (vendor:product), or null.</param>
public sealed record PortChoice(string Path, string Name, string? BoardId, string? Adapter = null, string? Usb = null);

/// <summary>What is typed to the board, exactly.</summary>
public sealed record Typed(string Text);

/// <summary>Whether power is applied or taken.</summary>
public sealed record PowerMark(bool On);

/// <summary>What a person saw or did.</summary>
public sealed record NoteInput(string Text);

/// <summary>A boot in a list.</summary>
public sealed record BootRow(
    string Id,
    string BoardId,
    int Number,
    string? ImageTitle,
    string Source,
    DateTimeOffset StartedAt,
    string Word,
    string? TopCause
);

/// <summary>Boot: captures from a simulated board, a serial port or a log file.</summary>
public static class BootEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapBoots(this RouteGroupBuilder api)
    {
        api.MapGet("/ports", Ports);
        api.MapPost("/boards/{id}/boots", Start).Produces<BootView>();
        api.MapPost("/boards/{id}/logs", Drop).Produces<BootView>();
        api.MapGet("/boards/{id}/boots", (string id, BootStore boots, Catalogue catalogue) => Rows(boots.Of(id), catalogue));
        api.MapGet("/boots", (BootStore boots, Catalogue catalogue) => Rows(boots.Newest(200), catalogue));
        api.MapGet(
                "/boots/{id}",
                (string id, BenchViews views) => views.Boot(id) is { } view ? Results.Ok(view) : Problems.Missing("This boot")
            )
            .Produces<BootView>();
        api.MapGet("/boots/{id}/log", Log);
        api.MapPost("/boots/{id}/typed", Type);
        api.MapPost("/boots/{id}/power", Power).Produces<BootView>();
        api.MapPost("/boots/{id}/end", End).Produces<BootView>();
        api.MapPost("/boots/{id}/notes", Note).Produces<BootView>();
    }

    private static List<BootRow> Rows(IReadOnlyList<Boot> boots, Catalogue catalogue) =>
        [
            .. boots.Select(b => new BootRow(
                b.Id,
                b.BoardId,
                b.Number,
                catalogue.Image(b.ImageId)?.Title,
                b.Source,
                b.StartedAt,
                b.Outcome is { } outcome ? Words.Of(outcome, b.LastStage) : "Booting",
                b.TopCause
            )),
        ];

    private static List<PortChoice> Ports(BoardStore boards, SimulatedTerminals terminals) =>
        [
            .. SerialPorts
                .Present()
                .Select(p =>
                    SerialPorts.AdapterOf(p) is var (name, usb)
                        ? new PortChoice(p, $"{p}, {name}", null, name, usb)
                        : new PortChoice(p, p, null)
                ),
            .. boards
                .All()
                .Where(b => b.Board.Simulated)
                .Select(b => (b.Board, Path: terminals.PathOf(b.Board.Id)))
                .Select(b => new PortChoice(b.Path, $"{b.Path}, {b.Board.Nickname} simulated", b.Board.Id)),
        ];

    private static async Task<IResult> Start(
        string id,
        BootStart start,
        BoardStore boards,
        BenchViews views,
        Captures captures,
        Catalogue catalogue,
        SimulatedTerminals terminals,
        BenchOptions options,
        TimeProvider clock
    )
    {
        if (boards.Find(id) is not { } bench || catalogue.Model(bench.Board.ModelId) is not { } model)
            return Problems.Missing("This board");
        if ((start.Speed ?? model.Console.Speed) is not { } speed)
            return new Problem(
                "A console is opened at a speed.",
                $"Nothing tells the speed of {model.FullName}.",
                "Choose 115200 to begin with: what arrives tells the true one."
            ).Answer();
        if (speed is < 50 or > 4_000_000)
            return new Problem(
                "A console runs at 50 to 4,000,000 bits a second.",
                $"{speed} is outside.",
                "Take the speed on the board card."
            ).Answer();
        var seed = clock.GetUtcNow().Millisecond + bench.CardNumber * 1000;
        IConsoleSource source;
        string name;
        string? port = null;
        if (start.Source == "simulated")
        {
            if (!bench.Board.Simulated)
                return new Problem(
                    "A simulated boot needs a simulated board.",
                    $"{bench.Board.Nickname} is a real one.",
                    "Choose its serial port, or drop a log."
                ).Answer();
            source = new SimulatedSource(views.Plan(bench, seed, speed), options.Pace, clock);
            name = $"simulated board at {speed} 8N1";
        }
        else
        {
            if (!start.Source.StartsWith("/dev/", StringComparison.Ordinal) || start.Source.Contains("..", StringComparison.Ordinal))
                return new Problem(
                    "A serial port is named by its path under /dev.",
                    $"{start.Source} is not.",
                    "Choose one from the list, such as /dev/ttyUSB0."
                ).Answer();
            var behind = terminals.BoardAt(start.Source) is { } other ? boards.Find(other) : null;
            source = new TtySource(
                start.Source,
                speed,
                behind is null ? null : () => terminals.PowerOn(behind.Board.Id, views.Plan(behind, seed, speed)),
                clock
            );
            name = $"{start.Source} at {speed} 8N1";
            port = new FileInfo(start.Source) is { LinkTarget: not null } link ? link.ResolveLinkTarget(true)?.FullName : start.Source;
        }
        var begun = await captures.Start(bench, name, source, port);
        return begun.Value is { } boot ? Results.Ok(views.Boot(boot.Id)) : begun.Problem!.Answer();
    }

    private static async Task<IResult> Drop(
        string id,
        HttpContext context,
        BoardStore boards,
        BenchViews views,
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
        var stored = await captures.Store(
            bench,
            Path.GetFileName(name) is { Length: > 0 } file ? file[..Math.Min(file.Length, 120)] : "log file",
            LogFiles.Pieces(context.Request.BodyReader),
            LogFiles.Largest
        );
        return stored.Value is { } boot ? Results.Ok(views.Boot(boot.Id)) : stored.Problem!.Answer();
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

    private static IResult Log(string id, BootStore boots) =>
        boots.Find(id) is not { } boot
            ? Problems.Missing("This boot")
            : Results.Stream(
                async stream =>
                {
                    try
                    {
                        foreach (var piece in boots.Pieces(id))
                            await stream.WriteAsync(piece.Bytes);
                    }
                    catch (DamagedLogException e)
                    {
                        // What is left is given whole: a browser throws a broken download away. The page of the boot says that some is missing.
                        boots.NoteDamage(id, e.ReadableBytes, e.DamagedFrom);
                    }
                },
                "application/octet-stream",
                $"boot-{boot.Number}.log"
            );

    private static IResult Type(string id, Typed typed, Captures captures)
    {
        if (typed.Text.Length > 4096)
            return new Problem(
                "Up to 4096 characters can be typed at once.",
                $"These are {typed.Text.Length}.",
                "Type less at once."
            ).Answer();
        if (captures.Running(id) is not { Live: true } capture)
            return new Problem("The board should be on.", "This capture has ended.", "Boot it again.").Answer(
                StatusCodes.Status409Conflict
            );
        return capture.Type(Encoding.UTF8.GetBytes(typed.Text)) is { } problem ? problem.Answer() : Results.NoContent();
    }

    /// <summary>Power is applied, or taken, now: a mark in the same time line; times count from power applied.</summary>
    private static IResult Power(string id, PowerMark power, Captures captures, BootStore boots, BenchViews views)
    {
        if (boots.Find(id) is null)
            return Problems.Missing("This boot");
        if (captures.Running(id) is not { Live: true } capture)
            return new Problem(
                "Power is marked while the console is captured.",
                "This capture has ended.",
                "Open the console again."
            ).Answer(StatusCodes.Status409Conflict);
        if (power.On)
            capture.Power();
        boots.AddNote(id, new(capture.Now + capture.Reader.Log.PowerAt, power.On ? "Power applied" : "Power taken"));
        return Results.Ok(views.Boot(id));
    }

    private static async Task<IResult> End(string id, Captures captures, BootStore boots, BenchViews views, SimulatedTerminals terminals)
    {
        if (boots.Find(id) is not { } boot)
            return Problems.Missing("This boot");
        await captures.EndOn(boot.BoardId);
        terminals.PowerOff(boot.BoardId);
        return Results.Ok(views.Boot(id));
    }

    private static IResult Note(string id, NoteInput note, BootStore boots, Captures captures, BenchViews views)
    {
        if (boots.Find(id) is null)
            return Problems.Missing("This boot");
        if (string.IsNullOrWhiteSpace(note.Text) || note.Text.Length > 200)
            return new Problem(
                "A mark has 1 to 200 letters.",
                $"This one has {note.Text.Length}.",
                "Say in a few words what you saw."
            ).Answer();
        // Stored as the bytes are: from the begin of the capture.
        var now = captures.Running(id) is { } capture
            ? capture.Now + capture.Reader.Log.PowerAt
            : captures.With<object>(id, r => (r.Log.LastArrival ?? 0) + r.Log.PowerAt) as int? ?? 0;
        boots.AddNote(id, new(now, note.Text.Trim()));
        return Results.Ok(views.Boot(id));
    }
}
