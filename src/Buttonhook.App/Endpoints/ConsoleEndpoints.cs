using System.Text;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Storage;

namespace Buttonhook.App.Endpoints;

/// <summary>What is typed to the board, exactly.</summary>
public sealed record Typed(string Text);

/// <summary>A command for a shell.</summary>
/// <param name="Anyway">Whether it is sent to a prompt that is not known for a shell's; never to a question for a secret.</param>
public sealed record CommandInput(string Text, bool Anyway = false);

/// <summary>A text that is typed slowly.</summary>
/// <param name="CharacterPause">Milliseconds behind each character, 0 to 1000.</param>
/// <param name="LinePause">Milliseconds behind each line, 0 to 10,000.</param>
public sealed record PasteInput(string Text, int CharacterPause, int LinePause);

/// <summary>How a line is to be set.</summary>
public sealed record LineInput(int Speed, string Frame, FlowControl Flow);

/// <summary>Which wires to raise or lower; null leaves one as it is.</summary>
public sealed record WiresInput(bool? Dtr, bool? Rts);

/// <summary>Who logs in; the password is typed and not kept.</summary>
public sealed record LoginInput(string User, string Password);

/// <summary>The password that the system wants changed, and the new one; both are typed and not kept.</summary>
public sealed record PasswordInput(string Old, string New);

/// <summary>The port that a page reads: how its line is set, and how many of its bytes are here.</summary>
public sealed record PagePort(LineSettings Line, long Received);

/// <summary>The console of a running boot: what goes to the board, and the line that it goes through.</summary>
public static class ConsoleEndpoints
{
    private const int MostTyped = 4096;
    private const int LongestPaste = 256 << 10;
    private const int CountdownSeconds = 180;
    private const int MostAtOnce = 1 << 20;

    /// <summary>Adds the routes.</summary>
    public static void MapConsoles(this RouteGroupBuilder api)
    {
        api.MapPost("/boots/{id}/typed", Type).Produces(StatusCodes.Status204NoContent);
        api.MapPost("/boots/{id}/command", Command).Produces(StatusCodes.Status204NoContent);
        api.MapPost("/boots/{id}/pasted", Paste).Produces<BootView>();
        api.MapPost("/boots/{id}/line", SetLine).Produces<BootView>();
        api.MapPost("/boots/{id}/wires", SetWires).Produces<BootView>();
        api.MapPost("/boots/{id}/break", Break).Produces<BootView>();
        api.MapPost(
                "/boots/{id}/loader-stop",
                (string id, Captures captures, BootViews views) =>
                    Do(id, captures, views, c => c.Run(SequenceRun.StopLoader(CountdownSeconds)))
            )
            .Produces<BootView>();
        api.MapPost(
                "/boots/{id}/login",
                (string id, LoginInput who, Captures captures, BootViews views) =>
                    who.User.Length is 0 or > 64 || who.Password.Length > 200
                        ? Task.FromResult(
                            new Problem(
                                "A name has 1 to 64 letters, a password up to 200.",
                                "These have not.",
                                "Look at the image's card."
                            ).Answer()
                        )
                        : Do(id, captures, views, c => c.Run(new LogIn(who.User, who.Password)))
            )
            .Produces<BootView>();
        api.MapPost(
                "/boots/{id}/password",
                (string id, PasswordInput words, Captures captures, BootViews views) =>
                    words.New.Length is 0 or > 200 || words.Old.Length > 200
                        ? Task.FromResult(
                            new Problem(
                                "A password has 1 to 200 letters.",
                                $"The new one has {words.New.Length}.",
                                "Choose a new one."
                            ).Answer()
                        )
                        : Do(id, captures, views, c => c.Run(new ChangePassword(words.Old, words.New)))
            )
            .Produces<BootView>();
        api.MapPost(
                "/boots/{id}/typing/end",
                (string id, Captures captures, BootViews views) =>
                    Do(
                        id,
                        captures,
                        views,
                        c =>
                        {
                            c.StopTyping();
                            return null;
                        }
                    )
            )
            .Produces<BootView>();
        api.MapGet("/boots/{id}/bytes", Bytes);
        api.MapGet("/boots/{id}/port", Port).Produces<PagePort>();
        api.MapPost("/boots/{id}/received", Received).Accepts<Stream>("application/octet-stream").Produces<PagePort>();
        api.MapGet(
                "/boards/{id}/sequences",
                (string id, BoardStore boards, SequenceStore sequences) =>
                    boards.Find(id) is null ? Problems.Missing("This board") : Results.Ok(sequences.Of(id))
            )
            .Produces<IReadOnlyList<Sequence>>();
        api.MapPut("/boards/{id}/sequences", Keep).Produces<IReadOnlyList<Sequence>>();
        api.MapDelete("/boards/{id}/sequences/{name}", Remove).Produces<IReadOnlyList<Sequence>>();
        api.MapPost("/boots/{id}/sequences/{name}", Run).Produces<BootView>();
    }

    private static IResult Ended() => Capture.IsOver.Answer(StatusCodes.Status409Conflict);

    private static async Task<IResult> Do(string id, Captures captures, BootViews views, Func<Capture, Problem?> act)
    {
        if (captures.Running(id) is not { Live: true, Ending: false } capture)
            return Ended();
        if (act(capture) is { } problem)
            return problem.Answer();
        await capture.Written();
        return Results.Ok(views.Boot(id));
    }

    /// <summary>Sends a command where a shell waits for one; while something else waits, or the board is at work, it is held back and told.</summary>
    private static async Task<IResult> Command(string id, CommandInput command, Captures captures)
    {
        if (command.Text.Length is 0 or > MostTyped || command.Text.Any(char.IsControl))
            return new Problem(
                $"A command is one line of up to {MostTyped} letters.",
                "This one is not.",
                "Type it in the terminal."
            ).Answer();
        if (captures.Running(id) is not { Live: true } capture)
            return Ended();
        // What was sent a moment ago may still be at work.
        for (var n = 0; n < 40 && !Prompts.IsShell(capture.Prompt) && !Prompts.AsksForSecret(capture.Prompt) && capture.Live; n++)
            await Task.Delay(50);
        var waits = capture.Prompt.Trim();
        if (!Prompts.IsShell(capture.Prompt) && !(command.Anyway && waits.Length > 0 && !Prompts.AsksForSecret(capture.Prompt)))
            return new Problem(
                "A command goes to a shell that waits for one.",
                waits.Length == 0
                    ? "The board is at work, or silent."
                    : $"“{(waits.Length > 80 ? waits[..80] + " …" : waits)}” waits at the console.",
                waits.Length == 0
                    ? "Wait for the shell, or press Enter in the console; nothing was sent."
                    : "Answer that in the console first; nothing was sent."
            ).Answer(StatusCodes.Status409Conflict);
        return capture.Type(Encoding.UTF8.GetBytes(command.Text + "\r")) is { } problem ? problem.Answer() : Results.NoContent();
    }

    private static IResult Type(string id, Typed typed, Captures captures)
    {
        if (typed.Text.Length > MostTyped)
            return new Problem(
                $"Up to {MostTyped} characters can be typed at once.",
                $"These are {typed.Text.Length}.",
                "Paste it slowly instead."
            ).Answer();
        if (captures.Running(id) is not { Live: true } capture)
            return Ended();
        return capture.Type(Encoding.UTF8.GetBytes(typed.Text)) is { } problem ? problem.Answer() : Results.NoContent();
    }

    private static async Task<IResult> Paste(string id, PasteInput paste, Captures captures, BootViews views)
    {
        if (paste.Text.Length is 0 or > LongestPaste)
            return new Problem(
                $"A text that is pasted has 1 to {LongestPaste} characters.",
                $"This one has {paste.Text.Length}.",
                "Put a long one on the card as a file instead."
            ).Answer();
        if (paste.CharacterPause is < 0 or > 1000 || paste.LinePause is < 0 or > 10_000)
            return new Problem(
                "A character waits for 0 to 1000 milliseconds, a line for 0 to 10,000.",
                $"They should wait for {paste.CharacterPause} and {paste.LinePause}.",
                "Begin with 5 and 100."
            ).Answer();
        return await Do(id, captures, views, c => c.Paste(paste.Text, paste.CharacterPause, paste.LinePause));
    }

    private static async Task<IResult> SetLine(string id, LineInput line, Captures captures, BootViews views) =>
        LineSettings.Of(line.Speed, line.Frame, line.Flow) is var asked && asked.Value is { } set
            ? await Do(id, captures, views, c => c.Set(set))
            : asked.Problem!.Answer();

    private static Task<IResult> SetWires(string id, WiresInput wires, Captures captures, BootViews views) =>
        Do(id, captures, views, c => c.SetWires(wires.Dtr, wires.Rts));

    private static Task<IResult> Break(string id, Captures captures, BootViews views) => Do(id, captures, views, c => c.Break());

    /// <summary>The bytes of a boot from one on, exactly, at most a mebibyte at once; their number in all stands in the header Buttonhook-Bytes.</summary>
    private static IResult Bytes(string id, Captures captures, HttpContext context, long from = 0, int most = MostAtOnce)
    {
        var bytes = captures.With(
            id,
            r =>
            {
                context.Response.Headers["Buttonhook-Bytes"] = r.Log.Length.ToString(System.Globalization.CultureInfo.InvariantCulture);
                return r.Log.From(from, Math.Clamp(most, 1, MostAtOnce)).ToArray();
            }
        );
        return bytes is null ? Problems.Missing("This boot") : Results.Bytes(bytes, "application/octet-stream");
    }

    private static IResult Port(string id, Captures captures) =>
        captures.Running(id) is { Live: true, Source: BrowserSource source }
            ? Results.Ok(new PagePort(source.Line, source.Received))
            : Ended();

    private static async Task<IResult> Received(string id, long from, HttpContext context, Captures captures, CancellationToken token)
    {
        if (captures.Running(id) is not { Live: true, Ending: false, Source: BrowserSource source })
            return Ended();
        using var bytes = new MemoryStream();
        await context.Request.Body.CopyToAsync(bytes, token);
        return source.Take(from, bytes.ToArray()) is { } problem
            ? problem.Answer(StatusCodes.Status409Conflict)
            : Results.Ok(new PagePort(source.Line, source.Received));
    }

    private static IResult Keep(string id, Sequence sequence, BoardStore boards, SequenceStore sequences)
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        var checkedOne = Sequence.Checked(sequence);
        if (checkedOne.Value is not { } good)
            return checkedOne.Problem!.Answer();
        sequences.Keep(id, good);
        return Results.Ok(sequences.Of(id));
    }

    private static IResult Remove(string id, string name, BoardStore boards, SequenceStore sequences)
    {
        if (boards.Find(id) is null)
            return Problems.Missing("This board");
        sequences.Remove(id, name);
        return Results.Ok(sequences.Of(id));
    }

    private static async Task<IResult> Run(
        string id,
        string name,
        BootStore boots,
        Captures captures,
        SequenceStore sequences,
        BootViews views
    ) =>
        boots.Find(id) is { } boot && sequences.Of(boot.BoardId).FirstOrDefault(s => s.Name == name) is { } sequence
            ? await Do(id, captures, views, c => c.Run(new SequenceRun(sequence)))
            : Problems.Missing("This sequence");
}
