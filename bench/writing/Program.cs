// Writes a packed image onto a file-backed card and reads it back, in turn with the system's own xz -dc | dd with the same flush.
// Prints the seconds of each pair, the median ratio (theirs / ours, higher is better) and the peak memory.
// Run: dotnet run -c Release --project bench/writing [IMAGE.xz]; without one, 400 MiB of /usr/lib and 200 MiB of zeros are packed first.
using System.Diagnostics;
using System.Globalization;
using Buttonhook.App;
using Buttonhook.App.Images;
using Buttonhook.App.Preparing;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Preparing;
using Buttonhook.Hardware.Cards;

var folder = Directory.CreateTempSubdirectory("buttonhook-bench-").FullName;
try
{
    var image = args.FirstOrDefault() ?? Path.Combine(folder, "image.xz");
    if (args.Length == 0)
        Shell($"{{ tar -cf - /usr/lib 2>/dev/null | head -c 400M; head -c 200M /dev/zero; }} | xz -1 -T0 > '{image}'");
    var ratios = new List<double>();
    for (var round = 0; round < 3; round++)
    {
        var theirs = Timed(() => Shell($"xz -dc '{image}' | dd of='{folder}/theirs.img' bs=1M conv=fsync status=none"));
        File.Delete(Path.Combine(folder, "theirs.img"));
        double wrote = 0;
        var ours = Timed(() =>
        {
            using var card = new SimulatedCard(Path.Combine(folder, "ours.img"), new(32, null, null, null, null, 1e9));
            using var packed = PackedImage.Open(image, CancellationToken.None).Value!;
            var copy = new CardCopy(card, _ => { });
            wrote = Timed(() => Check(copy.Write(packed, CancellationToken.None).GetAwaiter().GetResult()));
            Check(copy.Compare(CancellationToken.None));
        });
        File.Delete(Path.Combine(folder, "ours.img"));
        ratios.Add(theirs / ours);
        Console.WriteLine(
            string.Create(
                CultureInfo.InvariantCulture,
                $"xz | dd {theirs:F1} s; written {wrote:F1} s, with reading back {ours:F1} s; ratio {theirs / ours:F2}"
            )
        );
    }
    ratios.Sort();
    Console.WriteLine(
        string.Create(
            CultureInfo.InvariantCulture,
            $"median ratio {ratios[1]:F2}; peak memory {Process.GetCurrentProcess().PeakWorkingSet64 / (1 << 20)} MiB"
        )
    );

    var known = KnowledgeFiles.Read().Value!;
    var texts = new ImageTexts(
        new Dictionary<string, string> { ["/extlinux/extlinux.conf"] = "label x\n\tlinux /Image\n\tappend root=LABEL=x rootwait\n" },
        "/boot",
        "BOOT",
        true,
        true
    );
    var set = FirstBoot.Usual with
    {
        HostName = "frost-north",
        User = "warden",
        PasswordHash = "$6$x$y",
        RemoteLogin = true,
        TimeZone = "Europe/Lisbon",
        Packages = ["i2c-tools"],
    };
    var console = known.Catalogue.Models[0].Console;
    void Render()
    {
        var files = FirstBootFiles.Render(set, known.Recipes, texts, console);
        foreach (var file in files.Files)
            TextDifference.Of(file.Before ?? "", file.After);
        FirstBootCheck.Of(set, [], known.Names);
    }
    for (var i = 0; i < 200; i++)
        Render();
    var times = Enumerable.Range(0, 21).Select(_ => Timed(Render) * 1000).Order().ToList();
    Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"render, compare and check all first-boot files: {times[10]:F2} ms"));
}
finally
{
    Directory.Delete(folder, true);
}

static double Timed(Action work)
{
    var from = Stopwatch.GetTimestamp();
    work();
    return Stopwatch.GetElapsedTime(from).TotalSeconds;
}

static void Check(Buttonhook.Core.Problem? problem)
{
    if (problem is not null)
        throw new InvalidOperationException(problem.ToString());
}

static void Shell(string command)
{
    using var process = Process.Start("sh", ["-c", command]);
    process.WaitForExit();
}
