using System.CommandLine;
using System.Text.Json;
using Buttonhook.App.Asking;
using Buttonhook.App.Consoles;
using Buttonhook.Core;
using Buttonhook.Core.Asking;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using static Buttonhook.App.Commands.Terminal;

namespace Buttonhook.App.Commands;

/// <summary>ask: asks the board that waits at a console, with commands that only read.</summary>
internal static class AskCommand
{
    private static readonly TimeSpan LookEvery = TimeSpan.FromMilliseconds(200);

    /// <summary>A console that has been quiet for so long waits, in seconds; one that never said anything is asked all the same.</summary>
    private const double Waits = 1.5,
        Silent = 4;

    private const double UsualSeconds = 180;

    /// <summary>The command.</summary>
    public static Command Make()
    {
        var device = new Argument<string>("DEVICE") { Description = "A serial port, tcp:HOST:PORT, rfc2217:HOST:PORT, or simulated." };
        var speed = new Option<int?>("--speed") { Description = "Bits a second; without it the board's own." };
        var board = new Option<string?>("--board") { Description = "Id or nickname of the board." };
        var seconds = new Option<double?>("--seconds") { Description = "Ends with 3 when nobody waits there by then; usually 180." };
        var command = new Command("ask", "Ask the board that waits at a console; only commands that read are typed.")
        {
            device,
            speed,
            board,
            seconds,
            CommandOptions.Json,
            CommandOptions.Data,
        };
        command.SetAction(
            (parse, _) =>
                CaptureCommand.UntilSignalled(token =>
                    CaptureCommand.WithBoot(
                        new(
                            parse.GetValue(device)!,
                            parse.GetValue(speed),
                            null,
                            parse.GetValue(board),
                            parse.GetValue(seconds),
                            "ask",
                            parse.GetValue(CommandOptions.Json),
                            parse.GetValue(CommandOptions.Data) ?? BenchOptions.UsualFolder
                        ),
                        Ask,
                        token
                    )
                )
        );
        return command;
    }

    private static async Task<int> Ask(HttpClient http, BootView begun, CaptureCommand.Wish wish, CancellationToken token)
    {
        var start = TimeProvider.System.GetTimestamp();
        double Seconds() => TimeProvider.System.GetElapsedTime(start).TotalSeconds;
        void Tell(string text)
        {
            if (!wish.Json)
                Console.WriteLine($"{Words.Seconds(Seconds()), 10}  {text}");
        }
        Tell($"{begun.Source}: boot {begun.Number} is captured.");
        var (code, says) = (CaptureCommand.TimeRanOut, "");
        AskedView? asked = null;
        try
        {
            (code, says) = await WaitFor(http, begun.Id, wish.Seconds ?? UsualSeconds, Seconds, token);
            if (code == 0)
                (code, says, asked) = await Round(http, begun.Id, Tell, token);
        }
        catch (OperationCanceledException)
        {
            (code, says) = (CaptureCommand.EndedBySignal, Consoles.Capture.ByYou);
        }
        await http.PostAsync($"/api/boots/{begun.Id}/end", null, CancellationToken.None);
        var diagnosis = (
            await http.GetFromJsonAsync<Diagnosis>($"/api/boots/{begun.Id}/diagnosis", DataFile.Json, CancellationToken.None)
        )!;
        if (code == 0 && !NextQuestion.Stands(diagnosis))
            code = 1;
        if (wish.Json)
            Console.WriteLine(
                JsonSerializer.Serialize(
                    new
                    {
                        exit = code,
                        says,
                        who = asked?.Who,
                        steps = asked?.Steps ?? [],
                        diagnosis,
                    },
                    Indented
                )
            );
        else
        {
            Tell(says);
            Console.WriteLine(DiagnosisText.Of(diagnosis));
        }
        return code;
    }

    /// <summary>Waits until the console is quiet; 0 when it is.</summary>
    private static async Task<(int Code, string Says)> WaitFor(
        HttpClient http,
        string id,
        double most,
        Func<double> seconds,
        CancellationToken token
    )
    {
        while (seconds() < most)
        {
            var view = (await http.GetFromJsonAsync<BootView>($"/api/boots/{id}", DataFile.Json, token))!;
            if (!view.Live)
                return (CaptureCommand.NotCaptured, view.EndedWhy ?? "The capture ended.");
            if (
                view.Quiet is { } quiet
                && quiet.Seconds > (view.Prompt.Trim().Length > 0 && view.Settled ? Waits : Silent)
                && seconds() > Silent
            )
                return (0, "");
            await Task.Delay(LookEvery, token);
        }
        return (CaptureCommand.TimeRanOut, $"The board printed for {Words.Seconds(most)}; nobody waited for a command.");
    }

    private static async Task<(int Code, string Says, AskedView? Asked)> Round(
        HttpClient http,
        string id,
        Action<string> tell,
        CancellationToken token
    )
    {
        var begun = await http.PostAsync($"/api/boots/{id}/asked", null, token);
        if (!begun.IsSuccessStatusCode)
            return (CaptureCommand.NotCaptured, (await CaptureCommand.ProblemOf(begun, token)).ToString(), null);
        var told = 0;
        while (true)
        {
            var asked = (await http.GetFromJsonAsync<AskedView>($"/api/boots/{id}/asked", DataFile.Json, token))!;
            foreach (var step in asked.Steps.Skip(told).TakeWhile(s => s.Says is not null))
            {
                told++;
                tell($"{step.Asks} {step.Command}");
                tell($"  {step.Says}{(step.Moved is { } moved ? $" ({moved})" : "")}");
            }
            if (asked.State is not SequenceState.Waiting)
                return (
                    asked.State switch
                    {
                        SequenceState.Done => 0,
                        SequenceState.TimedOut => CaptureCommand.TimeRanOut,
                        _ => CaptureCommand.NotCaptured,
                    },
                    asked.Says ?? "The capture ended.",
                    asked
                );
            await Task.Delay(LookEvery, token);
        }
    }
}
