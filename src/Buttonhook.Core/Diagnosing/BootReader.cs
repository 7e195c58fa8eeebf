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

    /// <summary>Patterns of which one more says nothing: marks of a stage that was reached, until the next banner, and what was met very often.</summary>
    private readonly bool[] passOver;
    private readonly List<int> stageMarksSeen = [];
    private LineQuality quality = new();
    private readonly List<int> triedAt = [];
    private int? lostAt;
    private readonly KernelClock clock = new();
    private readonly ShapeWatch shapes;
    private readonly SeenByEyes seen;
    private readonly int evidenceOffset;
    private readonly int harmlessOffset;
    private readonly List<int> powered = [];
    private int scannedLines;
    private int brokenTimes;
    private int wholeTimes;
    private int lastTextLine;
    private char[] buffer = new char[512];
    private readonly List<int> literalsFound = [];
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
        passOver = new bool[index.Scanner.Count];
        shapes = new(index.Shapes);
        seen = new(book);
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
        if (milliseconds >= 0)
            seen.Hear(milliseconds);
        while (scannedLines < Log.CompleteLines)
            ScanLine(++scannedLines, milliseconds);
    }

    /// <summary>Takes what happened beside the bytes, in the order in which it happened.</summary>
    public void Note(JournalEvent happened)
    {
        said = null;
        seen.Note(
            happened,
            happened.Kind is EventKind.Typed or EventKind.Secret
                && Prompts.Echoes(Log.LineCount > Log.CompleteLines ? Log.Text(Log.LineCount) : "")
        );
        switch (happened.Kind)
        {
            case EventKind.Power:
                powered.Add(Math.Max(1, Log.LineCount));
                if (happened.Text == JournalEvent.PowerApplied)
                    Log.CountFrom(happened.Milliseconds, TimeOrigin.Power);
                break;
            case EventKind.Tried:
                triedAt.Add(Math.Max(1, Log.LineCount));
                break;
            case EventKind.Gap:
                lostAt = happened.Milliseconds;
                break;
            case EventKind.Back when lostAt is { } from:
                Log.NoteGap(from, happened.Milliseconds);
                lostAt = null;
                break;
            case EventKind.Line:
                // What came through the line as it was before says nothing of the line as it is.
                quality = new();
                Log.NoteLine();
                brokenTimes = wholeTimes = 0;
                break;
        }
    }

    private void ScanLine(int number, int milliseconds)
    {
        var text = Log.Text(number, ref buffer);
        if (text.Length == 0)
            return;
        var time = KernelClock.TimeOf(text);
        clock.Watch(time, number, Log.Text);
        if (!text.IsWhiteSpace())
            lastTextLine = number;
        if (time is not null)
            wholeTimes++;
        else if (MayHoldTime(text) && LooksLikeTime().IsMatch(text))
            brokenTimes++;
        shapes.Watch(text, number);
        if (ahead is not null)
            ahead.Take(text, number, milliseconds);
        else
            Find(text, number, null);
    }

    /// <summary>Keeps what the rule book knows of a line.</summary>
    /// <param name="arrived">When it arrived, in milliseconds from the begin of the capture, -1 without times; null to ask the log.</param>
    private void Find(ReadOnlySpan<char> text, int number, int? arrived)
    {
        var before = hits.Count;
        scanner.Scan(text, number, hits, literalsFound, passOver);
        for (var i = hits.Count - 1; i >= before; i--)
            if (!IsWorthKeeping(hits[i], arrived))
                hits.RemoveAt(i);
        if (hits.Count > before)
            Stamp(hits, before, Arrived(number, arrived));
        if (hits.Count > MostHits)
            hits.RemoveRange(MostHits / 4, MostHits / 2);
    }

    private int? Arrived(int line, int? known) => known < 0 ? null : known ?? Log.Arrival(line) + Log.PowerAt;

    /// <summary>Notes on the hits from one on when their line arrived.</summary>
    private static void Stamp(List<Hit> into, int from, int? arrived)
    {
        for (var i = from; i < into.Count; i++)
            into[i] = into[i] with { Milliseconds = arrived };
    }

    /// <summary>Banners always; a stage mark once an attempt unless it carries facts or ends the boot; anything else 200 times.</summary>
    private bool IsWorthKeeping(Hit hit, int? arrived)
    {
        if (hit.Pattern < evidenceOffset && book.Marks[hit.Pattern] is var mark)
        {
            if (mark.Banner)
            {
                if (mark.Stage == Stage.FirstLoader && Arrived(hit.Line, arrived) is { } first)
                    CountFromLoader(first);
                foreach (var seen in stageMarksSeen)
                    passOver[seen] = false;
                stageMarksSeen.Clear();
                return true;
            }
            if (mark.Stage is not null && !mark.Ends && hit.Values.Count == 0)
            {
                passOver[hit.Pattern] = true;
                stageMarksSeen.Add(hit.Pattern);
                return true;
            }
        }
        var times = hitCounts[hit.Pattern] = hitCounts.GetValueOrDefault(hit.Pattern) + 1;
        passOver[hit.Pattern] = times >= KeptHits;
        return times <= KeptHits;
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
        var look = Look(Ending);
        var answer = (look.Reading, WithOtherHalf(Diagnoser.Diagnose(book, look)));
        said = (Log.Length, Ending, answer);
        return answer;
    }

    /// <summary>Whether the board stood still behind the last byte of a file the file does not tell: what it would be then belongs to the answer.</summary>
    private Diagnosis WithOtherHalf(Diagnosis told)
    {
        if (Ending.Measured || told.Outcome != Outcome.Cut)
            return told;
        var still = Diagnoser.Diagnose(book, Look(Ending.Still));
        return still.Outcome == Outcome.Cut ? told : told with { IfStill = new(still.Outcome, still.Causes) };
    }

    internal CaptureLook Look() => Look(Ending);

    private CaptureLook Look(Ending end)
    {
        Settle();
        var all = hits;
        var (last, lastLine) = (lastTextLine, lastTextLine > 0 ? Log.Text(lastTextLine) : "");
        if (Log.LineCount > scannedLines)
        {
            all = [.. hits];
            var text = Log.Text(Log.LineCount);
            if (!string.IsNullOrWhiteSpace(text))
                (last, lastLine) = (Log.LineCount, text);
            scanner.Scan(text, Log.LineCount, all);
            Stamp(all, hits.Count, Log.Arrival(Log.LineCount) + Log.PowerAt);
        }
        var marks = Attempts.OfEmergency([
            .. all.Where(h => h.Pattern < evidenceOffset)
                .Select(h => new MarkHit(book.Marks[h.Pattern], h.Line, h.Text, h.Values, h.Milliseconds)),
        ]);
        var line = quality.Judge();
        var timesBroken = brokenTimes >= 4 && brokenTimes > 0.03 * (brokenTimes + wholeTimes);
        var attempts = Attempts.Split(marks, clock.Falls, Log.LineCount, Log.Text);
        var final = attempts[^1];
        var inFinal = Attempts.Between(marks, final.First, int.MaxValue);
        // The capture ended in the middle of the next try: what can be judged is the one before, if that came to an end.
        if (end.How != CaptureEnd.Live && attempts.Count > 1 && !inFinal.Exists(m => m.Mark.Ends))
        {
            var before = Attempts.Between(marks, attempts[^2].First, final.First - 1);
            if (before.Exists(m => m.Mark is { Ends: true, Stage: not Stage.Login }))
            {
                (final, inFinal) = (attempts[^2], before);
                last = final.Last;
                while (last > final.First && string.IsNullOrWhiteSpace(Log.Text(last)))
                    last--;
                lastLine = Log.Text(last);
            }
        }
        if (WaitsAtEnd.Prompt(Log, last, inFinal) is { } prompt)
        {
            inFinal.Add(prompt);
            marks.Insert(Attempts.From(marks, last + 1), prompt);
        }
        inFinal = WaitsAtEnd.WithInitialSystem(inFinal);
        var stages = Attempts.Stages(inFinal, Log, final.First);
        var signals = Signals.Of(new(inFinal, attempts.Count, Log.Length == 0, last, line, timesBroken, wholeTimes));
        seen.Add(signals, end.QuietMilliseconds);
        Deductions.Add(signals, inFinal, marks, [.. attempts.Select(a => a.First)], powered);
        var rebooting = Attempts.IsLoop(attempts, marks) || signals.Contains(Signals.SameEndAgain);
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
        var cut = outcome is Outcome.Stopped or Outcome.Silent && !waiting && IsCut(signals, end);
        if (cut)
        {
            outcome = Outcome.Cut;
            signals.Remove(Signals.OfTheEnd);
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
                    var own = Attempts.Between(marks, a.First, a.Last);
                    var ended = i == attempts.Count - 1 ? outcome : Attempts.OutcomeOf(own, new());
                    return new Attempt(
                        i + 1,
                        a.First,
                        a.Last,
                        ended == Outcome.Rebooting ? Outcome.Stopped : ended,
                        Attempts.LastStage(own),
                        Attempts.Stages(own, Log, a.First),
                        triedAt.Exists(l => l >= a.First && l <= a.Last),
                        powered.Exists(l => Math.Abs(l - a.First) <= 1)
                    );
                }
            )
            .ToList();
        var from = rebooting ? 1 : final.First;
        var evidence = TypedWords.Without(
            all.Where(h => h.Pattern >= evidenceOffset && h.Pattern < harmlessOffset && h.Line >= from).ToList(),
            marks,
            Log.Text
        );
        var harmless = all.Where(h => h.Pattern >= harmlessOffset).ToList();
        var reading = new BootReading(
            outcome,
            stage,
            waiting || rebooting,
            rows,
            stages,
            FactsOf.Marks(marks),
            line,
            Log.LongestQuiet(inFinal.FirstOrDefault(m => m.Mark.Stage == Stage.Login)?.Line),
            Log.Origin == TimeOrigin.Power || attempts.Count > 1 || marks.Any(m => m.Mark.Stage <= Stage.Kernel),
            triedAt.Exists(l => l >= final.First)
        );
        return new CaptureLook(Index, end, reading, evidence, harmless, signals, inFinal, last, lastLine, shapes);
    }

    /// <summary>
    /// Whether the capture ended and not the board: it did not listen into a silence that says something; or, of a file, its last line is
    /// not whole, or it ends on the way with nothing that stands for an end.
    /// </summary>
    private bool IsCut(SignalSet signals, Ending end) =>
        end.Measured ? !end.ProvesSilence
        : Log.Length == 0 ? false
        : Log.LineCount > Log.CompleteLines && Log.Text(Log.LineCount).Length > 0
            || signals.ContainsAny(Signals.Stalled) && !signals.Contains(Signals.RootNeverCame) && !signals.Contains(Signals.NoLoginPrompt);

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

    /// <summary>Whether a point stands where that of a kernel's time would.</summary>
    private static bool MayHoldTime(ReadOnlySpan<char> text) => text[..Math.Min(text.Length, 20)].Contains('.');

    /// <summary>A kernel time, whole or with one bracket lost; a number without any bracket is somebody else's stamp.</summary>
    [GeneratedRegex(@"^(?:\S?\[\s{0,5}\d{1,4}\.\d{3,}.? |\S{0,2}\s{0,5}\d{1,4}\.\d{3,}\] )")]
    private static partial Regex LooksLikeTime();
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
    SignalSet Signals,
    IReadOnlyList<MarkHit> Marks,
    int LastTextLine,
    string LastText,
    ShapeWatch Shapes
);
