using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Images;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>Where the console of a boot comes from.</summary>
/// <param name="Source">As <see cref="Sources"/> reads it: "simulated", a device path, "tcp:HOST:PORT", "rfc2217:HOST:PORT", "browser:NAME", "replay:BOOT".</param>
/// <param name="Speed">Bits per second; null takes the board's own.</param>
/// <param name="Frame">Data bits, parity, stop bits; null: 8N1.</param>
/// <param name="Pace">Of a replay: how many times faster than it was; null: 1.</param>
public sealed record BootStart(string Source, int? Speed, string? Frame = null, FlowControl? Flow = null, double? Pace = null);

/// <summary>A serial port that can be captured.</summary>
/// <param name="BoardId">The simulated board behind it, or null for a real port.</param>
/// <param name="Adapter">What the adapter calls itself, or null.</param>
/// <param name="Usb">The ids of the adapter (vendor:product), or null.</param>
/// <param name="ById">The link that stays the same when it is plugged in elsewhere, or null.</param>
/// <param name="Appeared">When it was plugged in, of one that was just now; else null.</param>
public sealed record PortChoice(
    string Path,
    string Name,
    string? BoardId,
    string? Adapter = null,
    string? Usb = null,
    string? ById = null,
    DateTimeOffset? Appeared = null
);

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
    string? TopCause,
    string ModelId,
    string RevisionId,
    string? ImageId,
    Outcome? Outcome,
    Stage? LastStage
);

/// <summary>Boot: captures from a simulated board, a serial port or a log file.</summary>
public static class BootEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapBoots(this RouteGroupBuilder api)
    {
        api.MapGet("/ports", Ports);
        api.MapPost("/boards/{id}/boots", Start).Produces<BootView>();
        api.MapGet("/boards/{id}/boots", (string id, BootStore boots, Catalogue catalogue) => Rows(boots.Of(id), catalogue));
        api.MapGet("/boots", (BootStore boots, Catalogue catalogue) => Rows(boots.Newest(MostRows), catalogue));
        api.MapGet(
                "/boots/{id}",
                (string id, BootViews views) => views.Boot(id) is { } view ? Results.Ok(view) : Problems.Missing("This boot")
            )
            .Produces<BootView>();
        api.MapPost("/boots/{id}/power", Power).Produces<BootView>();
        api.MapPost("/boots/{id}/end", End).Produces<BootView>();
        api.MapPost("/boots/{id}/notes", Note).Produces<BootView>();
    }

    /// <summary>More logs than a person reads as a list; older ones are found by their words.</summary>
    private const int MostRows = 2000;

    private static List<BootRow> Rows(IReadOnlyList<Boot> boots, Catalogue catalogue) =>
        [
            .. boots.Select(b => new BootRow(
                b.Id,
                b.BoardId,
                b.Number,
                catalogue.Image(b.ImageId)?.Title,
                b.Source,
                b.StartedAt,
                b.Word,
                b.TopCause,
                b.ModelId,
                b.RevisionId,
                b.ImageId,
                b.Outcome,
                b.LastStage
            )),
        ];

    /// <summary>The ports to choose from; those of simulated boards are made when they are asked for first.</summary>
    /// <param name="real">Whether only those of this computer are asked for.</param>
    private static List<PortChoice> Ports(
        BoardStore boards,
        SimulatedTerminals terminals,
        SimulatedBridges bridges,
        PortWatch watch,
        bool real = false
    )
    {
        var simulated = real ? [] : boards.All().Where(b => b.Board.Simulated).Select(b => b.Board).ToList();
        return
        [
            .. watch
                .Ports()
                .Select(p => new PortChoice(
                    p.Port.Path,
                    p.Port.Name is { } name ? $"{name}, {p.Port.Path}" : p.Port.Path,
                    null,
                    p.Port.Name,
                    p.Port.Usb,
                    p.Port.ById,
                    p.Appeared
                )),
            .. simulated
                .Select(b => (Board: b, Path: terminals.PathOf(b.Id)))
                .Select(b => new PortChoice(b.Path, $"{b.Board.Nickname} simulated, {b.Path}", b.Board.Id)),
            .. simulated
                .Select(b => (Board: b, Path: $"rfc2217:{bridges.AddressOf(b.Id)}"))
                .Select(b => new PortChoice(b.Path, $"{b.Board.Nickname} simulated, behind a bridge", b.Board.Id)),
        ];
    }

    private static async Task<IResult> Start(
        string id,
        BootStart start,
        BoardStore boards,
        BootViews views,
        Captures captures,
        Catalogue catalogue,
        Sources sources,
        SimulatedBoots simulated,
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
        var line = LineSettings.Of(speed, start.Frame, start.Flow ?? FlowControl.None);
        if (line.Value is not { } set)
            return line.Problem!.Answer();
        var seed = clock.GetUtcNow().Millisecond + bench.CardNumber * 1000;
        var made = sources.Of(start.Source, set, bench, b => simulated.Plan(b, seed), start.Pace ?? 1);
        if (made.Value is not { } source)
            return made.Problem!.Answer();
        var begun = await captures.Start(bench, source);
        return begun.Value is { } boot ? Results.Ok(views.Boot(boot.Id)) : begun.Problem!.Answer();
    }

    /// <summary>Power is applied, or taken, now: a mark in the same time line; times count from power applied.</summary>
    private static async Task<IResult> Power(string id, PowerMark power, Captures captures, BootStore boots, BootViews views)
    {
        if (boots.Find(id) is null)
            return Problems.Missing("This boot");
        if (captures.Running(id) is not { Live: true } capture)
            return new Problem(
                "Power is marked while the console is captured.",
                "This capture has ended.",
                "Open the console again."
            ).Answer(StatusCodes.Status409Conflict);
        capture.Power(power.On);
        await capture.Written();
        return Results.Ok(views.Boot(id));
    }

    private static async Task<IResult> End(string id, Captures captures, BootStore boots, BootViews views, SimulatedTerminals terminals)
    {
        if (boots.Find(id) is not { } boot)
            return Problems.Missing("This boot");
        await captures.EndOn(boot.BoardId);
        terminals.PowerOff(boot.BoardId);
        return Results.Ok(views.Boot(id));
    }

    private static async Task<IResult> Note(string id, NoteInput note, BootStore boots, Captures captures, BootViews views)
    {
        if (boots.Find(id) is null)
            return Problems.Missing("This boot");
        if (string.IsNullOrWhiteSpace(note.Text) || note.Text.Length > 200)
            return new Problem(
                "A mark has 1 to 200 letters.",
                $"This one has {note.Text.Length}.",
                "Say in a few words what you saw."
            ).Answer();
        if (captures.Running(id) is { Live: true } capture && capture.Mark(note.Text.Trim()))
        {
            await capture.Written();
            if (!capture.Live)
            {
                await captures.SummedUp(id);
                captures.ReadAgain(id);
            }
        }
        else
        {
            await captures.SummedUp(id);
            // Behind the last byte, in the time that the bytes have.
            boots.Append(id, [new JournalEvent(boots.LastMoment(id), EventKind.Mark, note.Text.Trim(), boots.LogBytes(id))]);
            captures.ReadAgain(id);
        }
        return Results.Ok(views.Boot(id));
    }
}
