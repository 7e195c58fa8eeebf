using System.Collections.Concurrent;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Core.Keeping;
using Buttonhook.Storage;

namespace Buttonhook.App.Consoles;

/// <summary>Boots that ended: as they were kept, or read anew.</summary>
public sealed partial class Captures
{
    /// <summary>Uses what a boot says, running or not, while nobody else does; null when there is no such boot.</summary>
    public T? With<T>(string bootId, Func<ReadCapture, T> use)
        where T : class
    {
        if (running.TryGetValue(bootId, out var capture))
            lock (capture.Reader)
            {
                capture.Listen();
                return use(capture.Reader.Result());
            }
        try
        {
            return WithKept(bootId, use);
        }
        catch (DamagedPageException e)
        {
            if (boots.Find(bootId) is { } boot)
                ReadDamaged(boot, e.Page);
            return WithKept(bootId, use);
        }
    }

    /// <summary>The device that the root was mounted from in a boot, as its log says; null when it does not, or when there is no such boot.</summary>
    public Said? MountedIn(string bootId) => With(bootId, r => RunFacts.Of(r.Log))?.Mounted;

    /// <summary>Waits, up to ten seconds, until a capture that ends is summed up: what is noted then stands behind its last byte.</summary>
    public async Task SummedUp(string bootId)
    {
        for (var n = 0; n < 1000 && running.ContainsKey(bootId); n++)
            await Task.Delay(10);
    }

    /// <summary>Boots of which something was noted while their captures ended, behind what their readers heard.</summary>
    private readonly ConcurrentDictionary<string, byte> notedLate = new();

    /// <summary>Reads a boot once more, of which something was noted behind its end; while its capture is still summed up, that comes as soon as it is over.</summary>
    public void ReadAgain(string bootId)
    {
        if (running.ContainsKey(bootId))
        {
            notedLate[bootId] = 0;
            // Either its end finds this note, or it is over by now.
            if (running.ContainsKey(bootId))
                return;
        }
        notedLate.TryRemove(bootId, out _);
        if (boots.Find(bootId) is not { } boot)
            return;
        ReadAnew(boot);
        Forget(bootId);
        toTell[bootId] = 0;
    }

    /// <summary>Counts what made kept readings old: one that was begun before is not remembered.</summary>
    private int generation;

    /// <summary>Forgets what a boot said, or what all said, once the store has it anew; who reads the old one meanwhile does not bring it back.</summary>
    private void Forget(string? bootId)
    {
        lock (read)
        {
            generation++;
            if (bootId is null)
            {
                read.Clear();
                beingRead.Clear();
                return;
            }
            beingRead.TryRemove(bootId, out _);
            if (read.FirstOrDefault(r => r.Id == bootId) is { Read: not null } known)
                read.Remove(known);
        }
    }

    /// <summary>Reads what is left of a log that was damaged since it was kept, and notes the damage.</summary>
    private void ReadDamaged(Boot boot, LogPage page)
    {
        var missing = false;
        ReadAnew(boot, () => missing = true);
        Forget(boot.Id);
        if (!missing)
            boots.NoteChanged(boot.Id, page);
        toTell[boot.Id] = 0;
        Console.Error.WriteLine($"buttonhook: {boots.Find(boot.Id)?.EndedWhy} (boot {boot.Number}, {boot.Source})");
    }

    private T? WithKept<T>(string bootId, Func<ReadCapture, T> use)
        where T : class
    {
        if (Kept(bootId) is not { } read)
            return null;
        lock (read)
            return use(read);
    }

    /// <summary>What a boot that does not run says: from memory, as it was kept, or read now; one computation serves all who ask at once.</summary>
    private ReadCapture? Kept(string bootId)
    {
        int begun;
        lock (read)
        {
            if (read.FirstOrDefault(r => r.Id == bootId).Read is { } known)
                return known;
            begun = generation;
        }
        if (boots.Find(bootId) is not { } boot)
            return null;
        var reading = beingRead.GetOrAdd(bootId, _ => new(() => FromStore(boot) ?? ReadAnew(boot)));
        try
        {
            var answer = reading.Value;
            lock (read)
            {
                if (begun == generation && !read.Any(r => r.Id == bootId))
                    read.AddFirst((bootId, answer));
                while (read.Count > KeptReadings)
                    read.RemoveLast();
            }
            return answer;
        }
        finally
        {
            beingRead.TryRemove(bootId, out _);
        }
    }

    private Func<int, int, IEnumerable<StoredPiece>> Again(string bootId) => (first, most) => StillThere(bootId, first, most);

    /// <summary>What lies on a damaged page is missing; the log that asks compares.</summary>
    private IEnumerable<StoredPiece> StillThere(string bootId, int first, int most)
    {
        using var pieces = boots.Pieces(bootId, first, most).GetEnumerator();
        while (true)
        {
            try
            {
                if (!pieces.MoveNext())
                    yield break;
            }
            catch (DamagedLogException)
            {
                yield break;
            }
            yield return pieces.Current;
        }
    }

    private ReadCapture? FromStore(Boot boot) =>
        boots.Reading(boot.Id, Rules.Version) is { } kept
            ? new(kept.Reading, kept.Diagnosis, CountedFrom(boot, new(Again(boot.Id), kept.Pages)), EndOf(boot))
            : null;

    private static ConsoleLog CountedFrom(Boot boot, ConsoleLog log)
    {
        log.CountFrom(boot.PowerAt, boot.Origin ?? TimeOrigin.FirstByte);
        return log;
    }

    private Ending EndOf(Boot boot) =>
        boot.EndKind is { } kind and not CaptureEnd.Unknown ? new(kind, boot.EndQuiet, UsualQuiet(boot))
        : boot.EndedAt is null ? new(CaptureEnd.Server)
        : Ending.OfFile;

    /// <summary>One reads a boot anew at a time: who read it earlier must not write over what somebody read later.</summary>
    private readonly Lock[] readingAnew = [.. Enumerable.Range(0, 16).Select(_ => new Lock())];

    /// <summary>Reads the whole log of a boot that has ended, and keeps what it says.</summary>
    private ReadCapture ReadAnew(Boot boot, Action? damaged = null)
    {
        lock (readingAnew[(uint)boot.Id.GetHashCode(StringComparison.Ordinal) % (uint)readingAnew.Length])
            return ReadAlone(boot, damaged);
    }

    private ReadCapture ReadAlone(Boot boot, Action? damaged)
    {
        var reader = new BootReader(Rules, Again(boot.Id)) { Ending = EndOf(boot) };
        if (boot.Origin == TimeOrigin.Power)
            reader.Log.CountFrom(boot.PowerAt, TimeOrigin.Power);
        try
        {
            foreach (var entry in boots.Journal(boot.Id))
                if (entry.Event is { } happened)
                    reader.Note(happened);
                else
                    reader.Add(entry.Piece.Bytes, entry.Piece.Milliseconds);
        }
        catch (DamagedLogException e)
        {
            // What can be read is shown as a log that was cut there.
            reader.Ending = Ending.OfFile;
            damaged?.Invoke();
            boots.NoteDamage(boot.Id, e.ReadableBytes, e.DamagedFrom);
        }
        var result = reader.Result();
        if (boot.EndedAt is not null)
            boots.Keep(boot.Id, result, Rules.Version);
        return result;
    }

    /// <summary>Reads what these rules have not read yet, then looks whether every byte of every log can still be read.</summary>
    private void ReadAndCheck()
    {
        try
        {
            if (!JudgeOutOfDate())
                return;
            foreach (var boot in boots.Ended())
            {
                if (stop.IsCancellationRequested)
                    return;
                Check(boot);
            }
        }
        catch (Microsoft.Data.Sqlite.SqliteException)
        {
            // A full disk: the rest is made at the next start.
        }
    }

    /// <summary>How many of the logs that other rules had judged are judged by these, and how many there were; equal when all are.</summary>
    public (int Done, int Of) JudgedNow { get; private set; }

    /// <summary>Judges what was judged by other rules, the newest first; false when the program ends meanwhile.</summary>
    private bool JudgeOutOfDate()
    {
        var version = Rules.Version;
        var old = boots.OutOfDate(version);
        JudgedNow = (0, old.Count);
        foreach (var boot in old)
        {
            if (stop.IsCancellationRequested)
                return false;
            // The rules were changed once more: who changed them begins anew.
            if (Rules.Version != version)
                return true;
            Kept(boot.Id);
            toTell[boot.Id] = 0;
            JudgedNow = (JudgedNow.Done + 1, old.Count);
        }
        return true;
    }

    /// <summary>The rules were changed: what was read by the old ones is forgotten, and judged again behind the page.</summary>
    private void JudgeAgain()
    {
        Forget(null);
        background = Task.WhenAll(
            background,
            Task.Run(
                () =>
                {
                    try
                    {
                        JudgeOutOfDate();
                    }
                    catch (Microsoft.Data.Sqlite.SqliteException)
                    {
                        // A full or busy disk: it is judged when it is asked for.
                    }
                },
                CancellationToken.None
            )
        );
    }

    private void Check(Boot boot)
    {
        try
        {
            if (boots.Reading(boot.Id, Rules.Version) is { } kept)
                new ConsoleLog(Again(boot.Id), kept.Pages).Check(stop.Token);
        }
        catch (DamagedPageException e)
        {
            ReadDamaged(boot, e.Page);
        }
        catch (OperationCanceledException)
        {
            // The application stops; the next start checks again.
        }
    }
}
