using Buttonhook.App.Consoles;
using Buttonhook.App.Preparing;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What is to do after the first login of a board.</summary>
/// <param name="BootId">The boot whose console shows it; null before one reached the login.</param>
/// <param name="Live">Whether its console can be typed to.</param>
/// <param name="Host">The host name that the board should have.</param>
public sealed record FirstLoginView(string? BootId, bool Live, string? User, string Host, IReadOnlyList<LoginTask> Tasks);

/// <summary>Whether a person says that a task was done.</summary>
public sealed record TaskTold(bool Done);

/// <summary>Two pasted lists of neighbours or leases.</summary>
/// <param name="BoardId">The board that is looked for, or null.</param>
public sealed record NetworkLists(string Before, string After, string? BoardId);

/// <summary>What a program that connects said.</summary>
public sealed record NetworkMessage(string Text);

/// <summary>After the first login: what to set, and where the board is on the network.</summary>
public static class FirstLoginEndpoints
{
    /// <summary>Adds the routes.</summary>
    public static void MapFirstLogin(this RouteGroupBuilder api)
    {
        api.MapGet("/boards/{id}/first-login", View).Produces<FirstLoginView>();
        api.MapPut("/boards/{id}/first-login/{task}", Tell).Produces(StatusCodes.Status204NoContent);
        api.MapPost("/network/lists", Lists).Produces<FoundDevices>();
        api.MapPost("/network/message", Message).Produces<ConnectTrouble>().Produces(StatusCodes.Status204NoContent);
    }

    private static IResult View(
        string id,
        BoardStore boards,
        BootStore boots,
        MoveStore moves,
        PreparationStore preparations,
        Captures captures,
        Catalogue catalogue,
        ProfileStore inspected,
        KnowledgeFiles knowledge,
        Preparing.CardWriter writer
    )
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        var (set, _, version) = preparations.Of(id);
        var image = catalogue.Image(bench.Board.ImageId);
        var user = image?.DefaultUser is { Length: > 0 } shipped ? shipped : null;
        var host = set.HostName ?? FirstBootCheck.HostNameOf(bench.Board.Nickname);
        var boot = boots
            .Of(id)
            .FirstOrDefault(b =>
                b.CardNumber == bench.CardNumber && captures.With(b.Id, r => r.Reading) is { } reading && Login(reading) is not null
            );
        if (boot is null)
            return Results.Ok(new FirstLoginView(null, false, user, host, []));
        var wish = new LoginWish(
            user,
            version > 0 ? set : null,
            host,
                // A copy beside the image is as large as the image; the card that it is put on is another.
                writer.Of(id)
                    is { CardBytes: { } measured } write
                && write.SlotId != CardSlots.CopyId
                && write.CardNumber == bench.CardNumber
                    ? measured
                : bench.Board.Connected.CardGb is { } gb ? Sizes.CardBytes(gb)
                : null,
            bench.Board.Connected.Screen,
            boot.StartedAt,
            inspected.Found(bench.Board.ImageId ?? "")?.FirstBoot?.Users.Where(u => u.Password != "locked").Select(u => u.Name).ToList()
        );
        var told = moves.Told(id, bench.CardNumber);
        var tasks = captures.With(boot.Id, r => FirstLogin.Of(wish, knowledge.Commands, r.Log, Login(r.Reading)!.Line, told)) ?? [];
        return Results.Ok(new FirstLoginView(boot.Id, captures.Running(boot.Id) is not null, user, host, tasks));
    }

    /// <summary>The first login of a capture: what was done behind it stays done when the board starts again.</summary>
    private static StageReached? Login(BootReading reading) =>
        reading.Attempts.SelectMany(a => a.Stages).Concat(reading.StageLines).Where(s => s.Stage == Stage.Login).MinBy(s => s.Line);

    private static IResult Tell(string id, string task, TaskTold input, BoardStore boards, MoveStore moves, TimeProvider clock)
    {
        if (boards.Find(id) is not { } bench)
            return Problems.Missing("This board");
        if (task.Length > 60)
            return new Problem("A task has a short name.", $"This one has {task.Length} letters.", "Reload the page.").Answer();
        moves.Tell(id, bench.CardNumber, task, input.Done, clock.GetUtcNow());
        return Results.NoContent();
    }

    private static IResult Lists(NetworkLists input, BoardStore boards, BootStore boots, PreparationStore preparations, Captures captures)
    {
        if (input.Before.Length > Neighbours.Longest || input.After.Length > Neighbours.Longest)
            return new Problem(
                $"A list has up to {Neighbours.Longest} letters.",
                "One has more.",
                "Paste the lines of this network alone."
            ).Answer();
        var bench = input.BoardId is { } id ? boards.Find(id) : null;
        var newest = bench is null ? null : boots.Of(bench.Board.Id).FirstOrDefault();
        var own = newest is null ? [] : captures.With(newest.Id, r => r.Reading.Facts.Addresses) ?? [];
        var host = bench is null ? null : preparations.Of(bench.Board.Id).Set.HostName ?? FirstBootCheck.HostNameOf(bench.Board.Nickname);
        return Results.Ok(Neighbours.Compare(input.Before, input.After, host, own, [.. Sharing.Addresses().Select(a => a.ToString())]));
    }

    private static IResult Message(NetworkMessage input) =>
        input.Text.Length > Neighbours.Longest
            ? new Problem("A message has up to 200,000 letters.", "This one has more.", "Paste its last lines.").Answer()
        : Neighbours.Trouble(input.Text) is { } trouble ? Results.Ok(trouble)
        : Results.NoContent();
}
