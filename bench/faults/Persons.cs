using System.Diagnostics;
using System.Net.Http.Json;
using System.Runtime.InteropServices;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Buttonhook.App;
using Buttonhook.Hardware;

/// <summary>Harms to what is a person's own: a folder with files, pipes in place of files, Ctrl+C, and a kill in the middle of a restore.</summary>
internal sealed partial class Persons(string folder, Random random)
{
    [LibraryImport("libc", EntryPoint = "kill")]
    private static partial int Signal(int process, int signal);

    [LibraryImport("libc", EntryPoint = "mkfifo", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int Pipe(string path, uint mode);

    private string Fresh(string what) => Path.Combine(folder, $"{what}-{Guid.NewGuid():N}");

    private static Process Run(params string[] arguments) =>
        Process.Start(
            new ProcessStartInfo("dotnet", [typeof(BenchApp).Assembly.Location, .. arguments])
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            }
        )!;

    private static void Demand(bool condition, string what)
    {
        if (!condition)
            throw new InvalidOperationException(what);
    }

    /// <summary>Names, rights and contents of all that lies in a folder.</summary>
    private static string Digest(string path) =>
        Convert.ToHexString(
            SHA256.HashData(
                Encoding.UTF8.GetBytes(
                    string.Concat(
                        Directory
                            .GetFileSystemEntries(path, "*", SearchOption.AllDirectories)
                            .Order(StringComparer.Ordinal)
                            .Select(f =>
                                $"{f} {File.GetUnixFileMode(f)} {(File.Exists(f) ? Convert.ToHexString(File.ReadAllBytes(f)) : "")}\n"
                            )
                    )
                )
            )
        );

    /// <summary>A person's folder is named for data.</summary>
    public async Task<long> OwnFolder()
    {
        var mine = Fresh("mine");
        foreach (var name in new[] { "scratch", "restoring", "images", "demo", "backing-up-1" }.OrderBy(_ => random.Next()).Take(3))
        {
            Directory.CreateDirectory(Path.Combine(mine, name));
            await File.WriteAllTextAsync(Path.Combine(mine, name, "mine.txt"), name);
        }
        await File.WriteAllTextAsync(Path.Combine(mine, "run.sh"), "#!/bin/sh\n");
        File.SetUnixFileMode(Path.Combine(mine, "run.sh"), UnixFileMode.UserRead | UnixFileMode.UserExecute | UnixFileMode.OtherExecute);
        var before = Digest(mine);
        string[] command = random.Next(3) switch
        {
            0 => ["serve", "--urls", "http://127.0.0.1:0", "--data", mine],
            1 => ["restore", Path.Combine(mine, "run.sh"), "--data", mine],
            _ => ["capture", "/dev/null", "--data", mine],
        };
        using var run = Run(command);
        await run.WaitForExitAsync().WaitAsync(TimeSpan.FromSeconds(60));
        Demand(run.ExitCode != 0, $"{command[0]} takes a person's folder");
        Demand(Digest(mine) == before, $"{command[0]} changed a person's folder");
        Directory.Delete(mine, true);
        return 0;
    }

    /// <summary>A pipe stands where a file should: it is told, nothing waits for it.</summary>
    public async Task<long> Pipes()
    {
        Directory.CreateDirectory(folder);
        var pipe = Fresh("pipe");
        Demand(Pipe(pipe, 0x180) == 0, "no pipe can be made");
        string[][] commands =
        [
            ["restore", pipe, "--data", Fresh("data")],
            ["diagnose", pipe],
            ["inspect", pipe],
            ["compare", pipe, pipe],
        ];
        var command = commands[random.Next(commands.Length)];
        using var run = Run(command);
        await run.WaitForExitAsync().WaitAsync(TimeSpan.FromSeconds(60));
        Demand(
            run.ExitCode != 0 && (await run.StandardError.ReadToEndAsync()).Contains("pipe"),
            $"{command[0]} does not tell that it is a pipe"
        );
        return 0;
    }

    /// <summary>Ctrl+C or SIGTERM ends the command in order: 130, a summary, all of it stored.</summary>
    public async Task<long> Interrupted()
    {
        var data = Fresh("interrupted");
        using var line = new PseudoTerminal(_ => { });
        // What runs in the background may have inherited that Ctrl+C is ignored.
        using var run = Process.Start(
            new ProcessStartInfo(
                "python3",
                [
                    "-c",
                    "import os,signal,sys; signal.signal(signal.SIGINT, signal.SIG_DFL); os.execvp(sys.argv[1], sys.argv[1:])",
                    "dotnet",
                    typeof(BenchApp).Assembly.Location,
                    "capture",
                    line.Path,
                    "--speed",
                    "115200",
                    "--data",
                    data,
                ]
            )
            {
                RedirectStandardOutput = true,
            }
        )!;
        Demand((await run.StandardOutput.ReadLineAsync())?.Contains("is captured") == true, "the capture does not begin");
        var text = Encoding.ASCII.GetBytes(string.Concat(Enumerable.Range(0, random.Next(1, 200)).Select(n => $"line {n:D6}\r\n")));
        var sent = line.Print(text);
        await Task.Delay(random.Next(300, 900));
        _ = Signal(run.Id, random.Next(2) == 0 ? 2 : 15);
        await run.WaitForExitAsync().WaitAsync(TimeSpan.FromSeconds(20));
        Demand(run.ExitCode == 130, $"it ended with {run.ExitCode}");
        Demand((await run.StandardOutput.ReadToEndAsync()).Contains("Ended by you."), "no summary");
        using var server = await Server.Up(data);
        var boot = (await server.Http.GetFromJsonAsync<JsonElement>("/api/boots"))[0].GetProperty("id").GetString();
        var log = await server.Http.GetByteArrayAsync($"/api/boots/{boot}/log");
        Demand(log.AsSpan().SequenceEqual(text.AsSpan(0, log.Length)), "stored bytes differ");
        return sent - log.Length;
    }

    /// <summary>A restore is killed at any moment: the next start has the bench of before or the restored one, whole.</summary>
    public async Task<long> Restored()
    {
        var (from, data) = (Fresh("from"), Fresh("restored"));
        var backup = Fresh("backup") + ".zip";
        using (var server = await Server.Up(from))
        {
            await server.Board("Pippin");
            await File.WriteAllBytesAsync(backup, await server.Http.GetByteArrayAsync("/api/backup.zip"));
        }
        using (var server = await Server.Up(data))
            await server.Board("Russet");
        using (var run = Run("restore", backup, "--replace", "--data", data))
        {
            await Task.Delay(random.Next(50, 900));
            run.Kill();
            await run.WaitForExitAsync();
        }
        using var again = await Server.Up(data);
        var bench = await again.Http.GetFromJsonAsync<JsonElement>("/api/bench");
        Demand(bench.GetArrayLength() == 1, $"{bench.GetArrayLength()} boards are on the bench");
        Demand(bench[0].GetProperty("nickname").GetString() is "Pippin" or "Russet", "it is another bench");
        Demand(!Directory.Exists(Path.Combine(data, "restoring")), "half a restore is left");
        return 0;
    }

    /// <summary>The server is killed at any moment of a batch of forty: all of it is there, or nothing, and then it can be begun again.</summary>
    public async Task<long> Batched()
    {
        var data = Fresh("batched");
        string source;
        var batch = new Func<string, object>(board => new
        {
            name = "Hedge",
            boardId = board,
            version = 1,
            boards = Enumerable.Range(1, 40).Select(n => new { nickname = $"Row {n}", host = $"row-{n}" }),
        });
        using (var server = await Server.Up(data))
        {
            source = await server.Board("Quince");
            await server.Record(source);
            var order = server.Http.PostAsJsonAsync($"/api/batches", batch(source));
            await Task.Delay(random.Next(1, 400));
            await server.End(9);
            await order.ContinueWith(_ => { });
        }
        using var again = await Server.Up(data);
        var boards = (await again.Http.GetFromJsonAsync<JsonElement>("/api/bench")).GetArrayLength();
        var batches = (await again.Http.GetFromJsonAsync<JsonElement>("/api/batches")).GetArrayLength();
        Demand((boards, batches) is (1, 0) or (41, 1), $"{boards} boards and {batches} batches are left");
        if (batches == 0)
            Demand(
                (await again.Http.PostAsJsonAsync("/api/batches", batch(source))).IsSuccessStatusCode,
                "the batch cannot be begun again"
            );
        Directory.Delete(data, true);
        return 0;
    }
}
