using System.Globalization;
using System.Text.RegularExpressions;
using Buttonhook.Core.Consoles;

namespace Buttonhook.Core.Diagnosing;

/// <summary>
/// Reads a capture as it grows: finds the rule book's patterns line by line (each line once) and computes attempts, stages, outcome
/// and facts from what was found. A live board and a stored log go through the same reader.
/// </summary>
public sealed partial class BootReader
{
    /// <summary>How many hits of one pattern are kept in one capture; a log that repeats a line for ever stays small.</summary>
    private const int KeptHits = 200;

    /// <summary>How much of a wrongly received capture is read once more without its top bits: its stages, not its length, are asked.</summary>
    private const int MostWithoutTopBit = 1 << 20;

    /// <summary>Beyond so many hits the middle is forgotten: the first restarts and the newest ones tell all there is to tell.</summary>
    private const int MostHits = 12_000;
    private readonly RuleBook book;
    private readonly LineScanner scanner;
    private readonly List<Hit> hits = [];
    private readonly Dictionary<int, int> hitCounts = [];
    private readonly HashSet<int> stageMarksSeen = [];
    private readonly LineQuality quality = new();
    private readonly int evidenceOffset;
    private readonly int harmlessOffset;
    private int scannedLines;
    private int brokenTimes;
    private int wholeTimes;
    private int lastTextLine;
    private string lastText = "";
    private (long Length, Ending Ending, (BootReading Reading, Diagnosis Diagnosis) Answer)? said;

    /// <summary>Prepares a reader for one capture.</summary>
    /// <param name="again">Reads pieces that were stored again, for captures longer than memory; null keeps all in memory.</param>
    public BootReader(RuleBookIndex index, Func<int, int, IEnumerable<StoredPiece>>? again = null)
    {
        Log = new(again);
        book = index.Book;
        scanner = index.Scanner;
        evidenceOffset = index.EvidenceOffset;
        harmlessOffset = index.HarmlessOffset;
        Index = index;
    }

    /// <summary>The rule book in use.</summary>
    public RuleBookIndex Index { get; }

    /// <summary>What is known of the end of the capture; that of a file until somebody says more.</summary>
    public Ending Ending { get; set; } = Ending.OfFile;

    /// <summary>The capture itself.</summary>
    public ConsoleLog Log { get; }

    /// <summary>Adds bytes that arrived (milliseconds after power, or -1 when unknown) and reads the lines that they complete.</summary>
    public void Add(ReadOnlySpan<byte> piece, int milliseconds)
    {
        Log.Append(piece, milliseconds);
        quality.Add(piece);
        while (scannedLines < Log.CompleteLines)
            ScanLine(++scannedLines, hits);
    }

    private void ScanLine(int number, List<Hit> into)
    {
        var text = Log.Text(number);
        if (text.Length == 0)
            return;
        if (!string.IsNullOrWhiteSpace(text))
            (lastTextLine, lastText) = (number, text);
        if (LooksLikeTime().IsMatch(text))
        {
            if (WholeTime().IsMatch(text))
                wholeTimes++;
            else
                brokenTimes++;
        }
        var before = into.Count;
        scanner.Scan(text, number, into);
        for (var i = into.Count - 1; i >= before; i--)
            if (!IsWorthKeeping(into[i]))
                into.RemoveAt(i);
        Stamp(into, before, number);
        if (into.Count > MostHits)
            into.RemoveRange(MostHits / 4, MostHits / 2);
    }

    /// <summary>Notes on the hits from one on when their line arrived.</summary>
    private void Stamp(List<Hit> into, int from, int line)
    {
        if (into.Count == from)
            return;
        var arrived = Log.Arrival(line) + Log.PowerAt;
        for (var i = from; i < into.Count; i++)
            into[i] = into[i] with { Milliseconds = arrived };
    }

    /// <summary>Banners always; a stage mark once an attempt unless it carries facts or ends the boot; anything else 200 times.</summary>
    private bool IsWorthKeeping(Hit hit)
    {
        if (hit.Pattern < evidenceOffset && book.Marks[hit.Pattern] is var mark)
        {
            if (mark.Banner)
            {
                stageMarksSeen.Clear();
                return true;
            }
            if (mark.Stage is not null && !mark.Ends && hit.Values.Count == 0)
                return stageMarksSeen.Add(hit.Pattern);
        }
        return (hitCounts[hit.Pattern] = hitCounts.GetValueOrDefault(hit.Pattern) + 1) <= KeptHits;
    }

    /// <summary>The capture as far as it was read.</summary>
    public ReadCapture Result()
    {
        var (reading, diagnosis) = Diagnose();
        return new(reading, diagnosis, Log, Ending);
    }

    /// <summary>What the capture says so far, an unfinished last line included.</summary>
    public BootReading Read() => Diagnose().Reading;

    /// <summary>The reading and the diagnosis of it; asked again before anything arrived, it is the same answer and costs nothing.</summary>
    public (BootReading Reading, Diagnosis Diagnosis) Diagnose()
    {
        if (
            said is { } before
            && before.Length == Log.Length
            && before.Ending.How == Ending.How
            && before.Ending.ProvesSilence == Ending.ProvesSilence
        )
            return before.Answer;
        var look = Look();
        var answer = (look.Reading, Diagnoser.Diagnose(book, look));
        said = (Log.Length, Ending, answer);
        return answer;
    }

    private CaptureLook Look()
    {
        var all = hits;
        var (last, lastLine) = (lastTextLine, lastText);
        if (Log.LineCount > scannedLines)
        {
            all = [.. hits];
            var text = Log.Text(Log.LineCount);
            if (!string.IsNullOrWhiteSpace(text))
                (last, lastLine) = (Log.LineCount, text);
            scanner.Scan(text, Log.LineCount, all);
            Stamp(all, hits.Count, Log.LineCount);
        }
        var marks = all.Where(h => h.Pattern < evidenceOffset)
            .Select(h => new MarkHit(book.Marks[h.Pattern], h.Line, h.Text, h.Values, h.Milliseconds))
            .ToList();
        var line = quality.Judge();
        var timesBroken = brokenTimes >= 4 && brokenTimes > 0.03 * (brokenTimes + wholeTimes);
        var attempts = Attempts.Split(marks, Log.LineCount);
        var final = attempts[^1];
        var inFinal = marks.Where(m => m.Line >= final.First).ToList();
        var stages = Attempts.Stages(inFinal, Log.PowerAt, final.First);
        var signals = Signals.Of(new(inFinal, attempts.Count, Log.Length == 0, last, line, timesBroken, wholeTimes));
        var rebooting = Attempts.IsLoop(attempts, marks);
        var outcome =
            line.Fault is LineFault.Speed or LineFault.Inverted or LineFault.Frame or LineFault.Noise or LineFault.NoText ? Outcome.Garbled
            : rebooting ? Outcome.Rebooting
            : Attempts.OutcomeOf(inFinal, signals);
        if (rebooting)
        {
            signals.Add(Signals.Rebooting);
            inFinal = marks;
        }
        var waiting =
            inFinal.Count > 0 && (inFinal.Any(m => m.Mark.Ends && m.Line >= last - 40) || inFinal.Any(m => m.Mark.Stage == Stage.Login));
        var cut = outcome is Outcome.Stopped or Outcome.Silent && !waiting && IsCut(signals);
        if (cut)
        {
            outcome = Outcome.Cut;
            signals.ExceptWith(Signals.OfTheEnd);
        }
        var stage = line.Fault switch
        {
            LineFault.Speed or LineFault.Inverted or LineFault.NoText => null,
            LineFault.Frame => WithoutTopBit().LastStage,
            _ => Attempts.LastStage(inFinal),
        };
        var rows = attempts
            .Select(
                (a, i) =>
                {
                    var own = marks.Where(m => m.Line >= a.First && m.Line <= a.Last).ToList();
                    var ended = i == attempts.Count - 1 ? outcome : Attempts.OutcomeOf(own, []);
                    return new Attempt(
                        i + 1,
                        a.First,
                        a.Last,
                        ended == Outcome.Rebooting ? Outcome.Stopped : ended,
                        Attempts.LastStage(own)
                    );
                }
            )
            .ToList();
        var from = rebooting ? 1 : final.First;
        var evidence = all.Where(h => h.Pattern >= evidenceOffset && h.Pattern < harmlessOffset && h.Line >= from).ToList();
        var harmless = all.Where(h => h.Pattern >= harmlessOffset).ToList();
        var reading = new BootReading(
            outcome,
            stage,
            waiting || rebooting,
            rows,
            stages,
            FactsIn(marks),
            line,
            Log.LongestQuiet(inFinal.FirstOrDefault(m => m.Mark.Stage == Stage.Login)?.Line)
        );
        return new CaptureLook(Index, Ending, reading, evidence, harmless, signals, inFinal, last, lastLine);
    }

    /// <summary>
    /// Whether the capture ended and not the board: it did not listen into a silence that says something; or, of a file, its last line is
    /// not whole, or it ends on the way with nothing that stands for an end.
    /// </summary>
    private bool IsCut(HashSet<string> signals) =>
        Ending.Measured ? !Ending.ProvesSilence
        : Log.Length == 0 ? false
        : Log.LineCount > Log.CompleteLines && Log.Text(Log.LineCount).Length > 0
            || signals.Overlaps(Signals.Stalled) && !signals.Contains(Signals.RootNeverCame) && !signals.Contains(Signals.NoLoginPrompt);

    /// <summary>The same capture with the parity bit taken off each byte: what a rightly set receiver would have read.</summary>
    private BootReading WithoutTopBit()
    {
        var plain = new BootReader(Index);
        foreach (var page in Log.Everything())
        {
            if (plain.Log.Length > MostWithoutTopBit)
                break;
            var bytes = page.ToArray();
            foreach (ref var b in bytes.AsSpan())
                b &= 0x7F;
            plain.Add(bytes, -1);
        }
        return plain.Read();
    }

    private static Facts FactsIn(List<MarkHit> marks)
    {
        string? Last(string name) => marks.LastOrDefault(m => m.Values.ContainsKey(name))?.Values[name];
        string? First(string name) => marks.FirstOrDefault(m => m.Values.ContainsKey(name))?.Values[name];
        var medium =
            Last("medium")
            ?? marks
                .Select(m => m.Values.GetValueOrDefault("cmdline"))
                .LastOrDefault(c => c is not null)
                ?.Split(' ')
                .LastOrDefault(a => a.StartsWith("root=", StringComparison.Ordinal))
                ?[5..];
        return new(
            Architecture(First("architecture")),
            Last("board"),
            Memory(First("memory")),
            Last("kernel"),
            Last("os"),
            medium,
            Last("hostname"),
            [.. marks.Where(m => m.Values.ContainsKey("address")).Select(m => m.Values["address"]).Distinct()]
        );
    }

    private static string? Architecture(string? word) =>
        word?.ToLowerInvariant() switch
        {
            null => null,
            "aarch64" or "arm64" => "arm64",
            "x86_64" or "x86-64" or "amd64" => "amd64",
            "riscv64" or "riscv" => "riscv64",
            var w when w.StartsWith("arm", StringComparison.Ordinal) => "armhf",
            var w => w,
        };

    /// <summary>"512 MiB", "2 GiB", "163840K" in bytes; null for anything else.</summary>
    private static long? Memory(string? text)
    {
        if (text is null || MemorySize().Match(text) is not { Success: true } match)
            return null;
        var number = double.Parse(match.Groups[1].Value, CultureInfo.InvariantCulture);
        return (long)(
            number
            * match.Groups[2].Value switch
            {
                "G" => 1L << 30,
                "M" => 1L << 20,
                "K" => 1L << 10,
                _ => 1,
            }
        );
    }

    [GeneratedRegex(@"^([\d.]+)\s*([KMG]?)")]
    private static partial Regex MemorySize();

    /// <summary>A kernel time, whole or with one bracket lost; a number without any bracket is somebody else's stamp.</summary>
    [GeneratedRegex(@"^(?:\S?\[\s{0,5}\d{1,4}\.\d{3,}.? |\S{0,2}\s{0,5}\d{1,4}\.\d{3,}\] )")]
    private static partial Regex LooksLikeTime();

    [GeneratedRegex(@"^\[\s*\d+\.\d{6}\] ")]
    private static partial Regex WholeTime();
}

/// <summary>A mark that stood in a line.</summary>
/// <param name="Milliseconds">From the begin of the capture; null without times.</param>
public sealed record MarkHit(Mark Mark, int Line, string Text, IReadOnlyDictionary<string, string> Values, int? Milliseconds);

/// <summary>Everything the diagnoser needs of one capture.</summary>
internal sealed record CaptureLook(
    RuleBookIndex Index,
    Ending Ending,
    BootReading Reading,
    IReadOnlyList<Hit> EvidenceHits,
    IReadOnlyList<Hit> HarmlessHits,
    HashSet<string> Signals,
    IReadOnlyList<MarkHit> Marks,
    int LastTextLine,
    string LastText
);

/// <summary>A rule book with its patterns laid out for the scanner: marks first, then evidence, then harmless lines.</summary>
public sealed class RuleBookIndex
{
    /// <summary>Lays out and compiles the patterns of a book.</summary>
    public RuleBookIndex(RuleBook book)
    {
        Book = book;
        var evidence = book
            .Causes.SelectMany(c =>
                (c.Evidence ?? [])
                    .Select(e => new EvidenceRule(c, e, true))
                    .Concat((c.Against ?? []).Select(e => new EvidenceRule(c, e, false)))
            )
            .ToList();
        Evidence = [.. evidence.Where(e => e.Evidence.Find is not null)];
        Signalled = [.. evidence.Where(e => e.Evidence.Find is null)];
        EvidenceOffset = book.Marks.Count;
        HarmlessOffset = EvidenceOffset + Evidence.Count;
        version = new(() => VersionOf(book));
        Scanner = new(
            book.Marks.Select(m => (m.Find, m.Regex))
                .Concat(Evidence.Select(e => (e.Evidence.Find!, e.Evidence.Regex)))
                .Concat(book.Harmless.Select(h => (h.Find, h.Regex)))
        );
    }

    /// <summary>The book.</summary>
    public RuleBook Book { get; }

    /// <summary>Counts the changes of what the code says of the same bytes.</summary>
    private const string Code = "4";
    private readonly Lazy<long> version;

    /// <summary>Tells rules from others: what was read by rules of the same version is not read again. Never 0.</summary>
    public long Version => version.Value;

    private static long VersionOf(RuleBook book) =>
        (long)(
            System.IO.Hashing.XxHash3.HashToUInt64(
                System.Text.Encoding.UTF8.GetBytes(Code + System.Text.Json.JsonSerializer.Serialize(book, DataFile.Json))
            ) >> 1
        ) | 1;

    /// <summary>The scanner over all patterns.</summary>
    public LineScanner Scanner { get; }

    internal int EvidenceOffset { get; }
    internal int HarmlessOffset { get; }
    internal IReadOnlyList<EvidenceRule> Evidence { get; }
    internal IReadOnlyList<EvidenceRule> Signalled { get; }
}

/// <summary>One piece of evidence with the cause that it speaks for or against.</summary>
internal sealed record EvidenceRule(Cause Cause, Evidence Evidence, bool For);
