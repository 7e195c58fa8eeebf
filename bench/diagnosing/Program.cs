// Reads long and short logs, live lines and ten thousand kept logs, and prints each figure beside a plain program that does the bare minimum
// of it in the same run. Run: dotnet run -c Release --project bench/diagnosing -- LOGS [MiB] [kept logs]
// LOGS is a folder with console logs, in folders or not, or lab/boots/boots.tar.br; wants rg, and ./buttonhook built before.
using System.Diagnostics;
using System.Formats.Tar;
using System.IO.Compression;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Buttonhook.App;
using Buttonhook.Core.Diagnosing;

if (args.Length == 0)
{
    Console.Error.WriteLine("Expected: LOGS [MiB of a long log] [kept logs]");
    return 2;
}
var logs = LogsOf(args[0]);
var mebibytes = args.Length > 1 ? int.Parse(args[1]) : 57;
var kept = args.Length > 2 ? int.Parse(args[2]) : 10_000;
var program = Path.GetFullPath(Path.Combine(AppContext.BaseDirectory, "../../../../../buttonhook"));
var folder = Directory.CreateTempSubdirectory("buttonhook-diagnosing-").FullName;
Console.WriteLine($"{"", -52}{"Buttonhook", 14}{"plain", 14}{"ratio", 9}");
try
{
    Long();
    Short();
    Live();
    await Kept();
}
finally
{
    Directory.Delete(folder, true);
}
return 0;

void Row(string what, double ours, double plain, string unit) =>
    Console.WriteLine($"{what, -52}{$"{ours:0.###} {unit}", 14}{$"{plain:0.###} {unit}", 14}{ours / Math.Max(1e-9, plain), 9:0.0}");

void Fact(string what, string value) => Console.WriteLine($"{what, -52}{value, 14}");

static List<byte[]> LogsOf(string from)
{
    if (Directory.Exists(from))
        return [.. Directory.GetFiles(from, "*.log", SearchOption.AllDirectories).Order(StringComparer.Ordinal).Select(File.ReadAllBytes)];
    var logs = new List<byte[]>();
    using var tar = new TarReader(new BrotliStream(File.OpenRead(from), CompressionMode.Decompress));
    while (tar.GetNextEntry(true) is { } entry)
        if (entry.Name.EndsWith(".log", StringComparison.Ordinal))
        {
            using var bytes = new MemoryStream();
            entry.DataStream?.CopyTo(bytes);
            logs.Add(bytes.ToArray());
        }
    return logs;
}

// The time of the quickest of so many runs, and the most memory that any of them took, in MiB.
static (double Seconds, double Memory) Run(int times, string command, params string[] words)
{
    var (best, most) = (double.MaxValue, 0.0);
    for (var i = 0; i < times; i++)
    {
        var start = new ProcessStartInfo("/bin/bash") { RedirectStandardOutput = true, RedirectStandardError = true };
        foreach (var word in (string[])["-c", "\"$@\" >/dev/null 2>&1; true", "run", command, .. words])
            start.ArgumentList.Add(word);
        var clock = Stopwatch.StartNew();
        using var process = Process.Start(start)!;
        var peak = 0.0;
        var watch = Task.Run(async () =>
        {
            while (!process.HasExited)
            {
                peak = Math.Max(peak, Largest(process.Id));
                await Task.Delay(20);
            }
        });
        process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        best = Math.Min(best, clock.Elapsed.TotalSeconds);
        watch.Wait();
        most = Math.Max(most, peak);
    }
    return (best, most);
}

// The peak of the largest process below this one, in MiB.
static double Largest(int root)
{
    var most = 0.0;
    try
    {
        foreach (var child in File.ReadAllText($"/proc/{root}/task/{root}/children").Split(' ', StringSplitOptions.RemoveEmptyEntries))
        {
            var line = File.ReadLines($"/proc/{child}/status").FirstOrDefault(l => l.StartsWith("VmHWM", StringComparison.Ordinal));
            if (line is not null)
                most = Math.Max(most, double.Parse(line.Split(' ', StringSplitOptions.RemoveEmptyEntries)[1]) / 1024);
            most = Math.Max(most, Largest(int.Parse(child)));
        }
    }
    catch (IOException) { }
    return most;
}

void Long()
{
    var path = Path.Combine(folder, "long.log");
    using (var file = File.Create(path))
        for (var i = 0; file.Length < (long)mebibytes << 20; i++)
            file.Write(logs[i % logs.Count]);
    var literals = Path.Combine(folder, "literals");
    var book = KnowledgeFiles.Read(false).Value!.Rules.Book;
    File.WriteAllLines(
        literals,
        book.Marks.Select(m => m.Find)
            .Concat(book.Causes.SelectMany(c => (c.Evidence ?? []).Concat(c.Against ?? [])).Select(e => e.Find).OfType<string>())
            .Concat(book.Harmless.Select(h => h.Find))
            .Distinct()
    );
    // What was changed is built before anything is measured.
    Run(1, program, "build");
    var (ours, memory) = Run(3, program, "diagnose", path, "--json");
    var plain = Run(3, "rg", "-c", "-i", "-F", "-f", literals, path);
    var exact = Run(3, "rg", "-c", "-F", "-f", literals, path);
    Row($"{new FileInfo(path).Length / 1e6:0} MB end to end, beside rg -c -F -f", ours, exact.Seconds, "s");
    Row("  beside rg -c -i -F -f, which finds what is found here", ours, plain.Seconds, "s");
    Fact("  share of the rate of rg, %", $"{100 * exact.Seconds / ours:0.0}");
    Fact("  memory at its peak, MiB", $"{memory:0}");
}

void Short()
{
    var path = Path.Combine(folder, "short.log");
    File.WriteAllBytes(path, logs.Where(l => l.Length < 24_000).MaxBy(l => l.Length) ?? logs[0]);
    var ours = Run(10, program, "diagnose", path).Seconds;
    // A program that only starts and ends.
    var bare = Path.Combine(folder, "bare");
    Directory.CreateDirectory(bare);
    File.WriteAllText(
        Path.Combine(bare, "Bare.csproj"),
        "<Project Sdk=\"Microsoft.NET.Sdk\"><PropertyGroup><OutputType>Exe</OutputType><TargetFramework>net10.0</TargetFramework></PropertyGroup></Project>"
    );
    File.WriteAllText(Path.Combine(bare, "Program.cs"), "System.Console.WriteLine(\"bare\");");
    Run(1, "dotnet", "build", "-c", "Release", "-o", Path.Combine(bare, "out"), bare);
    var plain = Run(10, "dotnet", Path.Combine(bare, "out/Bare.dll")).Seconds;
    Row($"{new FileInfo(path).Length / 1000} kB at the command line, beside a bare program", ours, plain, "s");
}

void Live()
{
    var rules = KnowledgeFiles.Read(false).Value!.Rules;
    var lines = logs.SelectMany(Lines).Take(60_000).ToList();
    double Microseconds(Action<byte[]> each)
    {
        foreach (var line in lines)
            each(line);
        var clock = Stopwatch.StartNew();
        foreach (var line in lines)
            each(line);
        return clock.Elapsed.TotalMicroseconds / lines.Count;
    }
    var reader = new BootReader(rules);
    var ours = Microseconds(l => reader.Add(l, 1000));
    var letters = 0;
    var plain = Microseconds(l => letters += Encoding.UTF8.GetString(l).Length);
    Row("a live line, beside its text alone", ours, plain, "µs");
}

static IEnumerable<byte[]> Lines(byte[] log)
{
    for (var at = 0; at < log.Length; )
    {
        var end = log.AsSpan(at).IndexOf((byte)'\n');
        end = end < 0 ? log.Length : at + end + 1;
        yield return log[at..end];
        at = end;
    }
}

// A bench of forty boards at rest, then so many logs that a changed rule makes it judge again.
async Task Kept()
{
    using var server = await Server.Up(Path.Combine(folder, "kept"));
    var boards = new List<string>();
    for (var n = 0; n < 40; n++)
        boards.Add(await server.Board($"b{n}"));
    await Task.Delay(20_000);
    Fact("at rest with 40 boards, MiB", $"{server.Memory >> 20}");
    var small = logs.Where(l => l.Length < 40_000).ToList();
    for (var n = 0; n < kept; n++)
        (
            await server.Http.PostAsync($"/api/boards/{boards[n % 40]}/logs?name={n}.log", new ByteArrayContent(small[n % small.Count]))
        ).EnsureSuccessStatusCode();
    var rule = new
    {
        id = "bench",
        causeId = "service-failed",
        find = "sentinel of the bench",
        regex = (string?)null,
        not = (string?)null,
        weight = 1,
        against = false,
        says = (string?)null,
    };
    var before = server.Processor;
    var clock = Stopwatch.StartNew();
    (await server.Http.PutAsJsonAsync("/api/rules/own/bench", rule)).EnsureSuccessStatusCode();
    var slowest = 0.0;
    while (true)
    {
        var asked = Stopwatch.StartNew();
        var state = await server.Http.GetFromJsonAsync<JsonElement>("/api/rules/state");
        await server.Http.GetAsync("/api/bench");
        slowest = Math.Max(slowest, asked.Elapsed.TotalMilliseconds);
        if (state.GetProperty("of").GetInt32() >= kept && state.GetProperty("judged").GetInt32() >= state.GetProperty("of").GetInt32())
            break;
        await Task.Delay(200);
    }
    var took = clock.Elapsed.TotalSeconds;
    var reading = Stopwatch.StartNew();
    long bytes = 0;
    for (var n = 0; n < kept; n++)
        bytes += Encoding.UTF8.GetString(small[n % small.Count]).Length;
    Row($"{kept} kept logs judged again, beside their text alone", took, reading.Elapsed.TotalSeconds, "s");
    Fact("  processor, s", $"{(server.Processor - before).TotalSeconds:0}");
    Fact("  slowest answer meanwhile, ms", $"{slowest:0}");
    Fact("  memory behind it, MiB", $"{server.Memory >> 20}");
    await server.End(15);
}
