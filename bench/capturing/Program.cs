// Captures eight pseudo-terminals at once, searches many logs, opens a long one and lists a full bench; prints each figure beside a plain
// program that does the bare minimum of it in the same run. Run: dotnet run -c Release --project bench/capturing -- [seconds] [MiB of logs]
using System.Diagnostics;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Buttonhook.Hardware;

var seconds = args.Length > 0 ? int.Parse(args[0]) : 60;
var mebibytes = args.Length > 1 ? int.Parse(args[1]) : 1024;
var folder = Directory.CreateTempSubdirectory("buttonhook-capturing-").FullName;
Console.WriteLine($"{"", -52}{"Buttonhook", 14}{"plain", 14}{"ratio", 9}");
try
{
    await Eight();
    await Logs();
    await FullBench();
}
finally
{
    Directory.Delete(folder, true);
}

void Row(string what, double ours, double plain, string unit) =>
    Console.WriteLine($"{what, -52}{$"{ours:0.###} {unit}", 14}{$"{plain:0.###} {unit}", 14}{ours / Math.Max(1e-9, plain), 9:0.0}");

void Fact(string what, string value) => Console.WriteLine($"{what, -52}{value, 14}");

static byte[] Line(int n) =>
    Encoding.ASCII.GetBytes(
        $"[{n / 1000.0, 12:0.000000}] mmc0: new high speed SDHC card at address {n % 9973:x4}, orchard sentinel {n}\r\n"
    );

// Eight lines at 1.5 Mbit/s: 150,000 bytes a second each.
async Task Eight()
{
    var data = Path.Combine(folder, "eight");
    using var server = await Server.Up(data);
    var lines = Enumerable.Range(0, 8).Select(_ => new PseudoTerminal(_ => { })).ToList();
    var boots = new List<string>();
    foreach (var line in lines)
        boots.Add(await server.Capture(await server.Board($"b{boots.Count}"), line.Path));
    var before = server.Processor;
    var sent = new (byte[] Hash, long Bytes)[8];
    var memory = new List<long>();
    var running = lines
        .Select(
            (line, n) =>
                Task.Run(async () =>
                {
                    using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
                    var clock = Stopwatch.StartNew();
                    long printed = 0;
                    var count = 0;
                    while (clock.Elapsed.TotalSeconds < seconds)
                    {
                        while (printed < clock.Elapsed.TotalSeconds * 150_000)
                        {
                            var bytes = Line(count++);
                            line.Print(bytes);
                            hash.AppendData(bytes);
                            printed += bytes.Length;
                        }
                        await Task.Delay(5);
                    }
                    sent[n] = (hash.GetHashAndReset(), printed);
                })
        )
        .ToList();
    for (var i = 0; i < seconds; i++)
    {
        await Task.Delay(1000);
        memory.Add(server.Memory);
    }
    await Task.WhenAll(running);
    await Task.Delay(500);
    var used = server.Processor - before;
    var same = 0;
    long lost = 0;
    for (var n = 0; n < 8; n++)
    {
        var log = await server.Http.GetByteArrayAsync($"/api/boots/{boots[n]}/log");
        if (SHA256.HashData(log).AsSpan().SequenceEqual(sent[n].Hash))
            same++;
        lost += sent[n].Bytes - log.Length;
    }
    foreach (var boot in boots)
        await server.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { });
    foreach (var line in lines)
        line.Dispose();
    Fact($"eight lines, {seconds} s: logs equal to what was sent", $"{same} of 8, {lost} bytes lost");
    Fact("  processor, cores in all", $"{used.TotalSeconds / seconds:0.00}");
    Fact("  memory after a third, at the end, MiB", $"{memory[memory.Count / 3] >> 20}, {memory[^1] >> 20}");
    await server.End(15);
}

async Task Logs()
{
    var data = Path.Combine(folder, "logs");
    var raw = Directory.CreateDirectory(Path.Combine(folder, "raw")).FullName;
    const int each = 60;
    string last = "";
    using (var server = await Server.Up(data))
    {
        var board = await server.Board("drawer");
        for (var n = 0; n < Math.Max(1, mebibytes / each); n++)
        {
            var log = new MemoryStream();
            for (var i = 0; log.Length < each << 20; i++)
                log.Write(Line(i + n * 7_000_000));
            log.Write(Encoding.ASCII.GetBytes($"blossom{n} frost alarm\r\n"));
            await File.WriteAllBytesAsync(Path.Combine(raw, $"{n}.log"), log.ToArray());
            var answer = await server.Http.PostAsync($"/api/boards/{board}/logs?name={n}.log", new ByteArrayContent(log.ToArray()));
            last = (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetString()!;
        }
        var indexing = Stopwatch.StartNew();
        while ((await Found(server, "blossom0")) == 0)
            await Task.Delay(500);
        Fact($"{mebibytes} MiB of logs: until the last word is taken up, s", $"{indexing.Elapsed.TotalSeconds:0}");
    }
    using var again = await Server.Up(data);
    // What is read once by a start is not what is measured.
    await again.Http.GetStringAsync("/api/bench");
    foreach (var words in (string[])["blossom0 frost", "sentinel 7000123", "card"])
    {
        var times = new List<double>();
        for (var i = 0; i < 7; i++)
        {
            var clock = Stopwatch.StartNew();
            await Found(again, words);
            times.Add(clock.Elapsed.TotalMilliseconds);
        }
        var grep = Stopwatch.StartNew();
        using (var plain = Process.Start(new ProcessStartInfo("grep", ["-rhF", "-m5", words, raw]) { RedirectStandardOutput = true })!)
        {
            await plain.StandardOutput.ReadToEndAsync();
            await plain.WaitForExitAsync();
        }
        Row($"  first results for \"{words}\"", times.Order().ElementAt(3), grep.Elapsed.TotalMilliseconds, "ms");
    }
    var opening = Stopwatch.StartNew();
    var view = await again.Http.GetFromJsonAsync<JsonElement>($"/api/boots/{last}");
    var total = view.GetProperty("lineCount").GetInt32();
    var page = await again.Http.GetFromJsonAsync<JsonElement>($"/api/boots/{last}/lines?from={total - 40}&count=41");
    opening.Stop();
    if (!page.GetProperty("lines")[40].GetProperty("text").GetString()!.StartsWith("blossom", StringComparison.Ordinal))
        throw new InvalidOperationException("the end of the log is another one");
    var tail = Stopwatch.StartNew();
    using (
        var plain = Process.Start(new ProcessStartInfo("tail", ["-n", "41", Path.Combine(raw, "0.log")]) { RedirectStandardOutput = true })!
    )
    {
        await plain.StandardOutput.ReadToEndAsync();
        await plain.WaitForExitAsync();
    }
    Row("  a 60 MiB log, opened until its end is there", opening.Elapsed.TotalMilliseconds, tail.Elapsed.TotalMilliseconds, "ms");
}

static async Task<int> Found(Server server, string words) =>
    (await server.Http.GetFromJsonAsync<JsonElement>($"/api/logs/found?text={Uri.EscapeDataString(words)}"))
        .GetProperty("logs")
        .GetArrayLength();

async Task FullBench()
{
    var data = Path.Combine(folder, "bench");
    using (var server = await Server.Up(data))
        for (var n = 0; n < 40; n++)
        {
            var log = new MemoryStream();
            for (var i = 0; log.Length < 5 << 20; i++)
                log.Write(Line(i));
            await server.Http.PostAsync($"/api/boards/{await server.Board($"b{n}")}/logs?name=a.log", new ByteArrayContent(log.ToArray()));
        }
    using var again = await Server.Up(data);
    async Task<double> Median(string path)
    {
        var times = new List<double>();
        for (var i = 0; i < 21; i++)
        {
            var clock = Stopwatch.StartNew();
            await again.Http.GetStringAsync(path);
            times.Add(clock.Elapsed.TotalMilliseconds);
        }
        return times.Order().ElementAt(10);
    }
    Row("the bench with 40 boards, a 5 MiB log each", await Median("/api/bench"), await Median("/api/share"), "ms");
    Fact("  memory at rest, MiB", $"{again.Memory >> 20}");
}
