using System.CommandLine;
using System.Runtime.InteropServices;
using System.Text.Json;
using Buttonhook.App.Boards;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>capture: a console into the journal without the page, through the running server when there is one.</summary>
internal static class CaptureCommand
{
    /// <summary>Exit codes beside 0 (what was waited for came), 1 (the boot failed) and 2 (wrong usage).</summary>
    internal const int TimeRanOut = 3,
        NotCaptured = 4,
        EndedBySignal = 130;
    private static readonly TimeSpan LookEvery = TimeSpan.FromMilliseconds(150);

    /// <summary>A silence that "until quiet" takes for one when no good boot tells, in seconds.</summary>
    private const double LongQuiet = 30;

    /// <summary>Garbage that goes on for so long is a failed boot, in seconds.</summary>
    private const double LongGarbage = 10;

    internal sealed record Wish(
        string Device,
        int? Speed,
        string? Frame,
        string? Board,
        double? Seconds,
        string Until,
        bool Json,
        string Data
    );

    /// <summary>The command.</summary>
    public static Command Make()
    {
        var device = new Argument<string>("DEVICE") { Description = "A serial port, tcp:HOST:PORT, rfc2217:HOST:PORT, or simulated." };
        var speed = new Option<int?>("--speed") { Description = "Bits a second; without it the board's own." };
        var frame = new Option<string?>("--frame") { Description = "Data bits, parity and stop bits: 8N1." };
        var board = new Option<string?>("--board") { Description = "Id or nickname of the board." };
        var seconds = new Option<double?>("--seconds") { Description = "Ends with 3 when nothing came of it by then." };
        var until = new Option<string>("--until")
        {
            Description = "login, quiet, or a text of a line.",
            DefaultValueFactory = _ => "login",
        };
        var command = new Command("capture", "Capture a console without the page.")
        {
            device,
            speed,
            frame,
            board,
            seconds,
            until,
            CommandOptions.Json,
            CommandOptions.Data,
        };
        command.SetAction(
            (parse, _) =>
                UntilSignalled(token =>
                    WithBoot(
                        new(
                            parse.GetValue(device)!,
                            parse.GetValue(speed),
                            parse.GetValue(frame),
                            parse.GetValue(board),
                            parse.GetValue(seconds),
                            parse.GetValue(until)!,
                            parse.GetValue(CommandOptions.Json),
                            parse.GetValue(CommandOptions.Data) ?? BenchOptions.UsualFolder
                        ),
                        Watch,
                        token
                    )
                )
        );
        return command;
    }

    /// <summary>Does the work with a token that Ctrl+C, SIGTERM or a closed terminal cancels once: the capture is ended in order. A second one ends the program at once.</summary>
    internal static async Task<int> UntilSignalled(Func<CancellationToken, Task<int>> work)
    {
        using var ended = new CancellationTokenSource();
        void Signalled(PosixSignalContext signal)
        {
            signal.Cancel = !ended.IsCancellationRequested;
            // Whoever waits for the token goes on elsewhere: a signal's own thread is given back at once.
            _ = Task.Run(ended.Cancel);
        }
        using var interrupt = PosixSignalRegistration.Create(PosixSignal.SIGINT, Signalled);
        using var terminate = PosixSignalRegistration.Create(PosixSignal.SIGTERM, Signalled);
        using var hangUp = PosixSignalRegistration.Create(PosixSignal.SIGHUP, Signalled);
        try
        {
            return await work(ended.Token);
        }
        catch (OperationCanceledException) when (ended.IsCancellationRequested)
        {
            // It was ended before a capture had begun.
            return EndedBySignal;
        }
    }

    /// <summary>What is done with a boot that has begun.</summary>
    internal delegate Task<int> Work(HttpClient http, BootView begun, Wish wish, CancellationToken token);

    /// <summary>Begins a capture through the running server, or one of its own, and does the work with it; gives an exit code.</summary>
    internal static async Task<int> WithBoot(Wish wish, Work work, CancellationToken token)
    {
        if (wish.Seconds is <= 0)
            return Say(new Problem("--seconds should be above 0.", $"It is {wish.Seconds}.", "Leave it out to wait without end."), Wrong);
        if (DataFolder.AddressOf(wish.Data) is { } running)
            return await Through(running, wish, work, token);
        var held = HeldBench.Open(wish.Data, false);
        if (held.Value is null)
            return Say(held.Problem!, NotCaptured);
        using var bench = held.Value;
        Scratch.Begin(wish.Data);
        // No server runs: one that nobody else is told of does the same work, and ends with the command.
        await using var app = BenchApp.Build(new(wish.Data, "http://127.0.0.1:0", false), bench.Database, bench.Known, ownSignals: false);
        Demo.Adopt(bench.Database, bench.Known, TimeProvider.System);
        await app.StartAsync(token);
        try
        {
            return await Through(app.Urls.First(), wish, work, token);
        }
        finally
        {
            await app.StopAsync(CancellationToken.None);
        }
    }

    private static async Task<int> Through(string url, Wish wish, Work work, CancellationToken token)
    {
        using var http = new HttpClient { BaseAddress = new Uri(url), Timeout = TimeSpan.FromSeconds(30) };
        try
        {
            var board = await BoardOf(http, wish, token);
            if (board.Value is not { } id)
                return Say(board.Problem!, board.Problem!.Expected.StartsWith("--board", StringComparison.Ordinal) ? Wrong : NotCaptured);
            var begun = await http.PostAsJsonAsync(
                $"/api/boards/{id}/boots",
                new
                {
                    source = wish.Device,
                    speed = wish.Speed,
                    frame = wish.Frame,
                },
                // What was asked for is known, whatever comes: a capture that nobody knows of would never be ended.
                CancellationToken.None
            );
            if (!begun.IsSuccessStatusCode)
                return Say(await ProblemOf(begun, CancellationToken.None), NotCaptured);
            var view = (await begun.Content.ReadFromJsonAsync<BootView>(DataFile.Json, CancellationToken.None))!;
            return await work(http, view, wish, token);
        }
        catch (HttpRequestException e)
        {
            return Say(new Problem($"Buttonhook at {url} should answer.", e.Message, "Check whether it still runs."), NotCaptured);
        }
    }

    internal static async Task<Problem> ProblemOf(HttpResponseMessage answer, CancellationToken token) =>
        await answer.Content.ReadFromJsonAsync<Problem>(DataFile.Json, token)
        ?? new("This should have worked.", $"The server answers {(int)answer.StatusCode}.", "Try again.");

    /// <summary>The board that is named; the only one; or, on an empty bench, one of which nothing is known yet.</summary>
    private static async Task<Answer<string>> BoardOf(HttpClient http, Wish wish, CancellationToken token)
    {
        var bench = (await http.GetFromJsonAsync<List<BoardSummary>>("/api/bench", DataFile.Json, token))!;
        if (wish.Board is { } named)
            return bench.FirstOrDefault(b => b.Id == named || b.Nickname.Equals(named, StringComparison.OrdinalIgnoreCase)) is { } board
                ? board.Id
                : new Problem(
                    "--board should be the id or the nickname of a board on the bench.",
                    $"{named} is none.",
                    bench.Count == 0 ? "The bench is empty." : $"There are {string.Join(", ", bench.Take(20).Select(b => b.Nickname))}."
                );
        if (bench.Count == 1)
            return bench[0].Id;
        if (bench.Count > 1)
            return new Problem(
                "--board should say which board this is.",
                "It is not given.",
                $"There are {string.Join(", ", bench.Take(20).Select(b => b.Nickname))}."
            );
        var arrived = await http.PostAsJsonAsync(
            "/api/imports",
            new Endpoints.ImportInput(null, "a board that is not known yet"),
            DataFile.Json,
            token
        );
        var arrival = await arrived.Content.ReadFromJsonAsync<JsonElement>(token);
        var put = await http.PostAsJsonAsync(
            $"/api/imports/{arrival.GetProperty("id").GetString()}/board",
            new Endpoints.ImportedBoard("unknown", null, "a board that is not known yet", null),
            DataFile.Json,
            token
        );
        return put.IsSuccessStatusCode
            ? (await put.Content.ReadFromJsonAsync<JsonElement>(token)).GetProperty("board").GetProperty("id").GetString()!
            : await ProblemOf(put, token);
    }

    private static async Task<int> Watch(HttpClient http, BootView begun, Wish wish, CancellationToken token)
    {
        var id = begun.Id;
        var clock = TimeProvider.System;
        var start = clock.GetTimestamp();
        Stage? said = null;
        string? hinted = null,
            trouble = null,
            typing = null;
        var searched = 0;
        var code = TimeRanOut;
        var why = "";
        var view = begun;
        void Tell(string text)
        {
            if (!wish.Json)
                Console.WriteLine($"{Words.Seconds(clock.GetElapsedTime(start).TotalSeconds), 10}  {text}");
        }
        Tell($"{begun.Source}: boot {begun.Number} is captured.");
        try
        {
            while (true)
            {
                view = (await http.GetFromJsonAsync<BootView>($"/api/boots/{id}", DataFile.Json, token))!;
                if (view.LastStage is { } stage && stage != said)
                {
                    said = stage;
                    Tell($"It reached {StageWords.Of(view.LastStage)}.");
                }
                if (view.Hint?.Says is { } hint && hint != hinted)
                    Tell(hinted = hint);
                if (view.Waiting?.ToString() is { } now && now != trouble)
                    Tell(trouble = now);
                if (view.Quiet?.Work?.Says is { } work && work != typing)
                    Tell(
                        $"{typing = work}; that takes up to {Words.Seconds(view.Quiet.Work.UsualSeconds)}.{(view.Quiet.Work.KeepPower ? " Do not take power." : "")}"
                    );
                if (
                    await Over(http, view, wish, () => searched, n => searched = n, clock.GetElapsedTime(start).TotalSeconds, token)
                    is var (ends, words)
                )
                {
                    (code, why) = (ends, words);
                    break;
                }
                if (!view.Live)
                {
                    (code, why) = (1, view.EndedWhy ?? "The capture ended.");
                    break;
                }
                if (wish.Seconds is { } most && clock.GetElapsedTime(start).TotalSeconds > most)
                {
                    why = $"{Words.Seconds(most)} are over.";
                    break;
                }
                await Task.Delay(LookEvery, token);
            }
        }
        catch (OperationCanceledException)
        {
            (code, why) = (EndedBySignal, Consoles.Capture.ByYou);
        }
        await http.PostAsync($"/api/boots/{id}/end", null, CancellationToken.None);
        view = (await http.GetFromJsonAsync<BootView>($"/api/boots/{id}", DataFile.Json, CancellationToken.None))!;
        var diagnosis = await http.GetFromJsonAsync<Diagnosis>($"/api/boots/{id}/diagnosis", DataFile.Json, CancellationToken.None);
        if (wish.Json)
            Console.WriteLine(
                JsonSerializer.Serialize(
                    new
                    {
                        exit = code,
                        why,
                        boot = view,
                        diagnosis,
                    },
                    Indented
                )
            );
        else
        {
            Tell(why);
            Console.WriteLine(DiagnosisText.Of(diagnosis!));
        }
        return code;
    }

    /// <summary>Whether what is waited for came, or cannot come any more; null while it goes on.</summary>
    private static async Task<(int Code, string Why)?> Over(
        HttpClient http,
        BootView view,
        Wish wish,
        Func<int> searched,
        Action<int> searchedNow,
        double seconds,
        CancellationToken token
    )
    {
        switch (wish.Until)
        {
            case "login":
                if (view.Settled && view.Outcome is Outcome.ReachedLogin or Outcome.Degraded)
                    return (0, view.Word + ".");
                break;
            case "quiet":
                if (view.Quiet is { } quiet && view.ByteCount > 0 && quiet.Seconds > Math.Max(quiet.WorrySeconds ?? LongQuiet, 2))
                    return (0, $"It has been quiet for {Words.Seconds(quiet.Seconds)}.");
                return null;
            default:
                while (searched() < view.LineCount)
                {
                    var page = (
                        await http.GetFromJsonAsync<Endpoints.LinesView>(
                            $"/api/boots/{view.Id}/lines?from={searched() + 1}&count=2000",
                            DataFile.Json,
                            token
                        )
                    )!;
                    if (page.Lines.FirstOrDefault(l => l.Text.Contains(wish.Until, StringComparison.Ordinal)) is { } found)
                        return (0, $"Line {found.Number}: {found.Text.Trim()}");
                    // The last line may still grow.
                    searchedNow(
                        page.Lines.Count == 0 ? view.LineCount : page.Lines[^1].Number - (page.Lines[^1].Number == page.Total ? 1 : 0)
                    );
                    if (page.Lines.Count < 2)
                        break;
                }
                break;
        }
        if (view.Settled && view.Outcome is Outcome.Stopped or Outcome.Rebooting && wish.Until == "login")
            return (1, view.Word + ".");
        if (view.Outcome == Outcome.Garbled && seconds > LongGarbage)
            return (1, view.Hint?.Says ?? "What arrives is no text.");
        if (view.Settled && view.Outcome == Outcome.Silent && view.ByteCount > 0)
            return (1, view.Word + ".");
        return null;
    }
}
