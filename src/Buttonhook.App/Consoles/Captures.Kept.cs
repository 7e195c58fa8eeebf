using System.Collections.Concurrent;
using Buttonhook.Core;
using Buttonhook.Core.Consoles;
using Buttonhook.Core.Diagnosing;
using Buttonhook.Storage;
using Microsoft.AspNetCore.SignalR;

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

    /// <summary>Reads what is left of a log that was damaged since it was kept, and notes the damage.</summary>
    private void ReadDamaged(Boot boot, LogPage page)
    {
        lock (read)
            if (read.FirstOrDefault(r => r.Id == boot.Id) is { Read: not null } known)
                read.Remove(known);
        var missing = false;
        ReadAnew(boot, () => missing = true);
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
        lock (read)
            if (read.FirstOrDefault(r => r.Id == bootId).Read is { } known)
                return known;
        if (boots.Find(bootId) is not { } boot)
            return null;
        var reading = beingRead.GetOrAdd(bootId, _ => new(() => FromStore(boot) ?? ReadAnew(boot)));
        try
        {
            var answer = reading.Value;
            lock (read)
            {
                if (!read.Any(r => r.Id == bootId))
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
        boots.Reading(boot.Id, rules.Version) is { } kept
            ? new(kept.Reading, kept.Diagnosis, new(Again(boot.Id), kept.Pages) { PowerAt = boot.PowerAt }, EndOf(boot))
            : null;

    private Ending EndOf(Boot boot) =>
        boot.EndKind is { } kind and not CaptureEnd.Unknown ? new(kind, boot.EndQuiet, UsualQuiet(boot))
        : boot.EndedAt is null ? new(CaptureEnd.Server)
        : Ending.OfFile;

    /// <summary>Reads the whole log of a boot that has ended, and keeps what it says.</summary>
    private ReadCapture ReadAnew(Boot boot, Action? damaged = null)
    {
        var reader = new BootReader(rules, Again(boot.Id)) { Ending = EndOf(boot) };
        reader.Log.PowerAt = boot.PowerAt;
        try
        {
            foreach (var piece in boots.Pieces(boot.Id))
                reader.Add(piece.Bytes, piece.Milliseconds);
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
            boots.Keep(boot.Id, result, rules.Version);
        return result;
    }
}
