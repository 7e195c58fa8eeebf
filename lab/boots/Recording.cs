using System.Diagnostics;
using System.Text;
using Buttonhook.Hardware;

namespace Buttonhook.Lab;

/// <summary>What is typed at the console: behind this text, these words.</summary>
internal sealed record Typing(string Behind, string Words, int Times = 1);

/// <summary>Something done to the running machine through the emulator's monitor: behind this text on the console, this command.</summary>
internal sealed record Doing(string Behind, string Command);

/// <summary>A boot as it was recorded.</summary>
/// <param name="Log">Its bytes.</param>
/// <param name="Times">Milliseconds and the place of the first byte of each piece.</param>
/// <param name="Ended">How the recording ended: login, quiet, exit, time.</param>
internal sealed record Recorded(byte[] Log, List<(int Milliseconds, int At)> Times, string Ended);

/// <summary>Starts a machine with its console on a pseudo-terminal and keeps every byte with its time.</summary>
internal static class Recording
{
    public static async Task<Recorded> Of(
        IReadOnlyList<string> command,
        string folder,
        IReadOnlyList<Typing> typing,
        IReadOnlyList<Doing> doing,
        double most,
        double quiet,
        double afterLogin,
        CancellationToken token
    )
    {
        var log = new MemoryStream();
        var times = new List<(int, int)>();
        var clock = Stopwatch.StartNew();
        long last = 0;
        var begun = new Lock();
        using var console = new PseudoTerminal(bytes =>
        {
            lock (begun)
            {
                last = clock.ElapsedMilliseconds;
                times.Add(((int)last, (int)log.Length));
                log.Write(bytes);
            }
        });
        var start = new ProcessStartInfo(command[0])
        {
            WorkingDirectory = folder,
            RedirectStandardError = true,
            RedirectStandardInput = true,
            RedirectStandardOutput = true,
        };
        foreach (var word in command.Skip(1))
            start.ArgumentList.Add(word);
        foreach (
            var word in (string[])
                [
                    "-display",
                    "none",
                    "-chardev",
                    $"serial,id=console,path={console.Path}",
                    "-serial",
                    "chardev:console",
                    "-monitor",
                    "stdio",
                ]
        )
            start.ArgumentList.Add(word);
        using var machine = Process.Start(start)!;
        _ = machine.StandardOutput.ReadToEndAsync(token);
        var errors = machine.StandardError.ReadToEndAsync(token);
        // A machine that has to wait for the processor is neither quiet nor slow: what it waited is taken off.
        double Waited()
        {
            try
            {
                return Directory
                        .GetDirectories($"/proc/{machine.Id}/task")
                        .Max(t =>
                            long.Parse(
                                File.ReadAllText(Path.Combine(t, "schedstat")).Split(' ')[1],
                                System.Globalization.CultureInfo.InvariantCulture
                            )
                        ) / 1e6;
            }
            catch (IOException)
            {
                return 0;
            }
        }
        double waitedAtLast = 0;
        var ended = "time";
        var typed = 0;
        var done = 0;
        var from = 0;
        var acted = 0;
        var seen = 0L;
        try
        {
            while (true)
            {
                await Task.Delay(100, token);
                var waited = Waited();
                if (clock.Elapsed.TotalMilliseconds - waited > most * 1000)
                    break;
                string text;
                long since;
                lock (begun)
                {
                    text = Encoding.Latin1.GetString(log.GetBuffer(), 0, (int)log.Length);
                    since = clock.ElapsedMilliseconds - last;
                }
                if (machine.HasExited)
                {
                    ended = "exit";
                    break;
                }
                if (done < doing.Count && text.IndexOf(doing[done].Behind, acted, StringComparison.Ordinal) is >= 0 and var place)
                {
                    acted = place + doing[done].Behind.Length;
                    machine.StandardInput.WriteLine(doing[done++].Command);
                    machine.StandardInput.Flush();
                }
                if (typed < typing.Count)
                {
                    if (text.IndexOf(typing[typed].Behind, from, StringComparison.Ordinal) is >= 0 and var found)
                    {
                        from = found + typing[typed].Behind.Length;
                        await Task.Delay(300, token);
                        for (var i = 0; i < typing[typed].Times; i++)
                        {
                            console.Print(Encoding.Latin1.GetBytes(typing[typed].Words));
                            await Task.Delay(60, token);
                        }
                        typed++;
                        continue;
                    }
                }
                else if (text.LastIndexOf(" login: ", StringComparison.Ordinal) is >= 0 && since > afterLogin * 1000)
                {
                    ended = "login";
                    break;
                }
                if (log.Length != seen)
                    (seen, waitedAtLast) = (log.Length, waited);
                since -= (long)(waited - waitedAtLast);
                // A machine that has hardly said anything may still be at unpacking its kernel.
                if (since > quiet * 1000 * (seen < 3000 && text.Contains("Decompress", StringComparison.Ordinal) | seen < 200 ? 2.5 : 1))
                {
                    ended = "quiet";
                    break;
                }
            }
        }
        finally
        {
            if (!machine.HasExited)
                machine.Kill();
            await machine.WaitForExitAsync(CancellationToken.None);
        }
        await Task.Delay(150, token);
        lock (begun)
        {
            if (log.Length == 0 && machine.ExitCode is not (0 or 137) && ended == "exit")
                throw new InvalidOperationException($"{string.Join(' ', command)}: {errors.Result}");
            return new(log.ToArray(), times, ended);
        }
    }
}
