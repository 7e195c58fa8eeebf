// Matches one board against many images, and tells one board among many, with cards copied from those that ship.
// Prints the median of eleven runs and the ratio to a tenth of the cards. Run: dotnet run -c Release --project bench/knowing
using System.Diagnostics;
using System.Globalization;
using Buttonhook.App;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;
using Buttonhook.Core.Matching;

var known = KnowledgeFiles.Read().Value!;
var shipped = known.Catalogue;

Catalogue Many(int models, int images) =>
    new(
        [.. Enumerable.Range(0, models).Select(i => Model(i))],
        [.. Enumerable.Range(0, images).Select(i => shipped.Images[i % shipped.Images.Count] with { Id = $"image-{i}" })],
        shipped.Supplies,
        shipped.Adapters,
        shipped.Codes,
        shipped.Cables,
        shipped.Parts,
        shipped.MeasuredCards
    );

BoardProfile Model(int i)
{
    var card = shipped.Models[i % shipped.Models.Count];
    return i < shipped.Models.Count
        ? card
        : card with
        {
            Id = $"{card.Id}-{i}",
            Name = $"{card.Name} {i}",
            Banner = $"{card.Banner} {i}",
            Revisions = [.. card.Revisions.Select(r => r with { Mark = $"{r.Mark}-{i}", Compatible = $"{r.Compatible}-{i}", Codes = [] })],
        };
}

double Median(Action work)
{
    for (var i = 0; i < 30; i++)
        work();
    var times = Enumerable
        .Range(0, 11)
        .Select(_ =>
        {
            var from = Stopwatch.GetTimestamp();
            work();
            return Stopwatch.GetElapsedTime(from).TotalMilliseconds;
        })
        .Order()
        .ToList();
    return times[5];
}

void Print(string name, double all, double tenth) =>
    Console.WriteLine(string.Create(CultureInfo.InvariantCulture, $"{name}: {all:F1} ms; {all / tenth:F1} times a tenth of them"));

var board = new Board("id", "Quince", "quill-v", "B", 4096, new(32, false, true, "usb-5v-3a", "usb-33"), ["mark"], null, [], false);
double Match(int images)
{
    var catalogue = Many(shipped.Models.Count, images);
    return Median(() => Matcher.Match(board, catalogue, new Dictionary<string, BootRecord>(), Wish.Usual(board)));
}

double Tell(int models)
{
    var catalogue = Many(models, 1);
    var clues = new BoardClues("SP2 v1.3", "c4023", "Model: Thornlea Spindle 2 rev 1.3\nDRAM:  2 GiB\n", null, []);
    return Median(() => Identification.Tell(clues, catalogue, known.Rules));
}

Print("match one board, 10,000 images", Match(10_000), Match(1_000));
Print("tell one board among 2,000", Tell(2_000), Tell(200));
