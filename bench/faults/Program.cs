// Does harm to the running program for a number of minutes and prints what was tried, what failed and what was lost.
// Run: dotnet run -c Release --project bench/faults -- [minutes] [seed] [one harm by its name, as often as a hundred times]; ends with 1 when anything failed.
using System.Diagnostics;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using Buttonhook.App;
using Buttonhook.Core;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Judging;
using Buttonhook.Core.Keeping;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware;

var minutes = args.Length > 0 ? double.Parse(args[0], System.Globalization.CultureInfo.InvariantCulture) : 2;
var seed = args.Length > 1 ? int.Parse(args[1]) : Environment.TickCount & 0xFFFFFF;
Console.WriteLine($"{minutes} minutes, seed {seed}");
var random = new Random(seed);
var table = new List<(string What, int Tried, int Failed, long Lost)>();
var folder = Directory.CreateTempSubdirectory("buttonhook-faults-").FullName;
var slowestEnd = 0L;
try
{
    var only = args.Length > 2 ? args[2] : null;
    var share = TimeSpan.FromMinutes(only is null ? minutes / 13 : minutes);
    var persons = new Persons(folder, random);
    await For("kill in a capture", share, () => Ended(9));
    await For("stop in a capture", share, () => Ended(15));
    await For("port vanishes", share, Vanish);
    await For("flood", share, Flood);
    await For("twenty starts at once", share, Race);
    await For("foreign page", share, Foreign);
    await For("a person's folder", share, persons.OwnFolder);
    await For("pipes for files", share, persons.Pipes);
    await For("Ctrl+C in a capture", share, persons.Interrupted);
    await For("kill in a restore", share, persons.Restored);
    await For("kill in a batch", share, persons.Batched);
    if (only is null or "mutated requests")
        await new Requests(folder, random, minutes).Run(share, table);
    if (only is null)
        Mutations(share);
}
finally
{
    Directory.Delete(folder, true);
}
Console.WriteLine($"{"", -28}{"tried", 10}{"failed", 10}{"bytes lost", 12}");
foreach (var (what, tried, failed, lost) in table)
    Console.WriteLine($"{what, -28}{tried, 10}{failed, 10}{lost, 12}");
Console.WriteLine($"the slowest end of a flood took {slowestEnd} ms");
return table.Exists(r => r.Failed > 0) ? 1 : 0;

// Repeats one harm for its share of the time; a harm gives the bytes that it lost, or throws what went wrong.
async Task For(string what, TimeSpan time, Func<Task<long>> harm)
{
    if (args.Length > 2 && args[2] != what)
        return;
    var (tried, failed, lost) = (0, 0, 0L);
    var clock = Stopwatch.StartNew();
    do
    {
        tried++;
        try
        {
            lost += await harm();
        }
        catch (Exception e)
        {
            failed++;
            Console.WriteLine($"FAULT {what}: {e.Message}");
        }
    } while (clock.Elapsed < time && (args.Length < 3 || tried < 100));
    table.Add((what, tried, failed, lost));
}

static void Demand(bool condition, string what)
{
    if (!condition)
        throw new InvalidOperationException(what);
}

// A capture at the rate of a fast serial line is ended by a signal; what is stored must be the beginning of what was sent.
async Task<long> Ended(int signal)
{
    var data = Path.Combine(folder, Guid.NewGuid().ToString("N"));
    using var line = new PseudoTerminal(_ => { });
    long sent = 0;
    string boot;
    using (var server = await Server.Up(data))
    {
        boot = await server.Capture(await server.Board("Quince"), line.Path);
        var until = Stopwatch.StartNew();
        var length = random.Next(100, 900);
        while (until.ElapsedMilliseconds < length)
        {
            sent += line.Print(Numbered(sent, 640));
            await Task.Delay(4);
        }
        if (signal != 9)
            await Task.Delay(100);
        var took = await server.End(signal);
        Demand(signal == 9 || took.TotalSeconds < 1.5, $"the stop took {took.TotalSeconds:0.0} s");
    }
    // Nobody may hear the rest that the terminal still holds: what is compared is what was stored before.
    line.Clear();
    using var again = await Server.Up(data);
    var log = await again.Http.GetByteArrayAsync($"/api/boots/{boot}/log");
    // The port is still there: the capture goes on by itself behind a marked gap.
    line.Print("and on"u8);
    var on = await again.Until(boot, v => v.GetProperty("byteCount").GetInt64() == log.Length + 6);
    Demand(on.GetProperty("live").GetBoolean(), "the capture does not go on");
    Demand(
        on.GetProperty("events").EnumerateArray().Select(e => e.GetProperty("kind").GetString()).SequenceEqual(["gap", "back"]),
        "the gap is not marked"
    );
    Demand(log.AsSpan().SequenceEqual(Numbered(0, log.Length)), "stored bytes differ");
    Demand(signal == 9 || log.Length == sent, $"{sent - log.Length} bytes lost in a stop");
    Demand(sent - log.Length < 150_000 / 4, $"{sent - log.Length} bytes lost, more than 250 ms");
    Directory.Delete(data, true);
    return sent - log.Length;
}

async Task<long> Vanish()
{
    using var server = await Server.Up(Path.Combine(folder, "vanish"));
    var board = await server.Board($"v{random.Next()}");
    long lost = 0;
    for (var i = 0; i < 5; i++)
    {
        var line = new PseudoTerminal(_ => { });
        var boot = await server.Capture(board, line.Path);
        var sent = line.Print(Numbered(0, 64_000));
        await Task.Delay(random.Next(100, 300));
        line.Dispose();
        var view = await server.Until(boot, v => v.GetProperty("waiting").ValueKind != JsonValueKind.Null);
        Demand(view.GetProperty("waiting").GetProperty("came").GetString()!.Contains("went away"), "the reason is another one");
        (await server.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { })).EnsureSuccessStatusCode();
        view = await server.Until(boot, v => !v.GetProperty("live").GetBoolean());
        lost += sent - view.GetProperty("byteCount").GetInt64();
    }
    // The answer that it ended comes before the port is given back, by milliseconds.
    Demand(await server.GivenBack(), $"{server.Terminals()} terminals stay open");
    return lost;
}

// Faster than any serial line: nothing that the terminal took may be lost, and ending must be answered.
async Task<long> Flood()
{
    using var server = await Server.Up(Path.Combine(folder, "flood"));
    using var line = new PseudoTerminal(_ => { });
    var boot = await server.Capture(await server.Board($"f{random.Next()}"), line.Path);
    long sent = 0;
    var clock = Stopwatch.StartNew();
    while (clock.ElapsedMilliseconds < 2000)
    {
        sent += line.Print(Numbered(sent, 64_000));
    }
    await server.Until(boot, v => v.GetProperty("byteCount").GetInt64() == sent);
    // The end is asked for while more is being printed; what was taken up to then is there.
    using var printing = new CancellationTokenSource();
    var more = Task.Run(() =>
    {
        for (var at = sent; !printing.IsCancellationRequested; )
            at += line.Print(Numbered(at, 4000));
    });
    await Task.Delay(500);
    var ending = Stopwatch.StartNew();
    (await server.Http.PostAsJsonAsync($"/api/boots/{boot}/end", new { })).EnsureSuccessStatusCode();
    ending.Stop();
    await printing.CancelAsync();
    await Task.WhenAny(more, Task.Delay(1000));
    slowestEnd = Math.Max(slowestEnd, ending.ElapsedMilliseconds);
    // Other suites run beside this; how fast it is stands in bench/capturing, here it may not hang.
    Demand(ending.ElapsedMilliseconds < 10_000, $"ending took {ending.ElapsedMilliseconds} ms");
    var log = await server.Http.GetByteArrayAsync($"/api/boots/{boot}/log");
    Demand(log.AsSpan().SequenceEqual(Numbered(0, log.Length)), "stored bytes differ");
    return Math.Max(0, sent - log.Length);
}

async Task<long> Race()
{
    using var server = await Server.Up(Path.Combine(folder, "race"));
    var board = await server.Board($"r{random.Next()}");
    using var line = new PseudoTerminal(_ => { });
    await Task.WhenAll(
        Enumerable
            .Range(0, 20)
            .Select(_ => server.Http.PostAsJsonAsync($"/api/boards/{board}/boots", new { source = line.Path, speed = 115200 }))
    );
    var live = 0;
    foreach (var boot in (await server.Http.GetFromJsonAsync<JsonElement>($"/api/boards/{board}/boots")).EnumerateArray())
        live += (await server.Http.GetFromJsonAsync<JsonElement>($"/api/boots/{boot.GetProperty("id").GetString()}"))
            .GetProperty("live")
            .GetBoolean()
            ? 1
            : 0;
    Demand(live == 1, $"{live} captures run");
    return 0;
}

async Task<long> Foreign()
{
    using var server = await Server.Up(Path.Combine(folder, "foreign"));
    foreach (var (name, value) in new[] { ("Origin", "http://orchard.example"), ("Host", "orchard.example"), ("Origin", "null") })
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, "/api/boards") { Content = new StringContent("{}") };
        request.Headers.TryAddWithoutValidation(name, value);
        Demand((int)(await server.Http.SendAsync(request)).StatusCode == 403, $"{name}: {value} is let in");
    }
    return 0;
}

// Every parser gets mutated inputs: it answers or refuses in words, and never anything else.
void Mutations(TimeSpan time)
{
    var known = KnowledgeFiles.Read().Value!;
    var root = AppContext.BaseDirectory;
    while (!Directory.Exists(Path.Combine(root, "tests/logs")))
        root = Path.GetDirectoryName(root)!;
    var log = File.ReadAllBytes(Path.Combine(root, "tests/logs/arm64-good-first-boot-1/console.log"));
    var tree = File.ReadAllBytes(Path.Combine(root, "tests/browser/pip.dtb"));
    var card = Encoding.UTF8.GetBytes(new ProfilePack([known.Catalogue.Models[0]], [known.Catalogue.Images[0]], [], []).Write());
    var record = Encoding.UTF8.GetBytes(
        """{"format":"buttonhook.working-settings/2","nickname":"Quince","settings":[{"id":"image.name","name":"Image","value":"Fallow 12","standing":"proven","source":"the log"}],"files":[],"bench":null,"notes":"","logSha256":null,"bootedAt":null}"""
    );
    var rules = Encoding.UTF8.GetBytes(
        DataFile.Write(new OwnRules([new("mine", "root-not-found", "frost alarm", "^frost \\d+", null, 2, false, null)], []))
    );
    var disk = new byte[1 << 20];
    disk[510] = 0x55;
    disk[511] = 0xAA;
    disk[450] = 0x0C;
    disk[458] = 0x40;
    disk[454] = 0x20;
    var parsers = new (string What, byte[] Good, Action<byte[]> Parse)[]
    {
        ("device trees", tree, b => Refusable(() => DeviceTree.Read(b))),
        ("cards", card, b => ProfilePack.Read("card.yaml", Encoding.UTF8.GetString(b), known.Schemas)),
        ("logs", log[..6000], b => LogDiagnosis.Of(b, known.Rules)),
        (
            "images on a board",
            disk,
            b =>
                Inspection.Of(
                    ImageBytes.Of(b),
                    "none",
                    b.Length,
                    "",
                    Buttonhook.App.Images.DryBoards.Find(known.Catalogue.Models[0].Id, known.Catalogue).Value,
                    [],
                    Buttonhook.App.Images.ImageFiles.Unpack
                )
        ),
        ("records", record, b => SettingsReader.Read(Encoding.UTF8.GetString(b), KnowledgeFiles.SchemaOf("working-settings"))),
        ("rules", rules, b => OwnRules.Read(Encoding.UTF8.GetString(b), known.OwnRulesSchema, known.Rules.Book)),
        ("images", disk, b => Inspection.Of(ImageBytes.Of(b), "none", b.Length, "", null, [], Buttonhook.App.Images.ImageFiles.Unpack)),
        ("command lines", "root=LABEL=a console=ttyS0,115200 quiet"u8.ToArray(), b => FileTraps.Check(b, true, false)),
    };
    foreach (var (what, good, parse) in parsers)
    {
        var (tried, failed) = (0, 0);
        var clock = Stopwatch.StartNew();
        // In the long run each is tried twenty thousand times at least.
        while (clock.Elapsed < time / parsers.Length || minutes >= 10 && tried < 20_000)
        {
            var bytes = good.ToArray();
            for (var n = random.Next(1, 12); n > 0; n--)
                switch (random.Next(3))
                {
                    case 0:
                        bytes[random.Next(bytes.Length)] = (byte)random.Next(256);
                        break;
                    case 1:
                        bytes = bytes[..random.Next(1, bytes.Length + 1)];
                        break;
                    default:
                        var at = random.Next(bytes.Length);
                        random.NextBytes(bytes.AsSpan(at, Math.Min(4, bytes.Length - at)));
                        break;
                }
            tried++;
            try
            {
                parse(bytes);
            }
            catch (Exception e)
            {
                failed++;
                Console.WriteLine($"FAULT {what}: {e.GetType().Name}: {e.Message}");
            }
        }
        table.Add(($"mutated {what}", tried, failed, 0));
    }

    static void Refusable(Action read)
    {
        try
        {
            read();
        }
        catch (UnreadableException)
        {
            // That is the refusal in words.
        }
    }
}

// Text that tells its own place, so that a lost or changed byte is seen: numbered lines of 64 bytes.
static byte[] Numbered(long from, int count)
{
    var bytes = new byte[count];
    for (var i = 0; i < count; i++)
    {
        var at = from + i;
        var line = (at / 64).ToString("D12", System.Globalization.CultureInfo.InvariantCulture);
        bytes[i] = (at % 64) switch
        {
            < 12 and var column => (byte)line[(int)column],
            63 => (byte)'\n',
            var column => (byte)('a' + column % 26),
        };
    }
    return bytes;
}
