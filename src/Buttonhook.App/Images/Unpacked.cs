namespace Buttonhook.App.Images;

/// <summary>
/// Keeps the image that was unpacked last for a while, so that writing it to a card does not unpack it once more. It lies in the scratch,
/// without a name, and is let go when another one is kept, when nobody asked for it for half an hour, and when the disk gets full.
/// </summary>
public sealed class Unpacked(TimeProvider clock) : IDisposable
{
    private static readonly TimeSpan KeptFor = TimeSpan.FromMinutes(30);
    private readonly Lock changing = new();
    private (string Path, long Bytes, DateTime ChangedAt) of;
    private FileStream? file;
    private ITimer? end;

    /// <summary>Takes an unpacked image over; the file is closed here later.</summary>
    public void Keep(string path, FileStream unpacked)
    {
        lock (changing)
        {
            LetGo();
            if (Scratch.NoRoom(0) is not null)
            {
                unpacked.Dispose();
                return;
            }
            of = NameOf(path);
            file = unpacked;
            end = clock.CreateTimer(_ => Forget(), null, KeptFor, Timeout.InfiniteTimeSpan);
        }
    }

    /// <summary>A stream of its own over the unpacked image of this file, as it is now; null when it is not here.</summary>
    public FileStream? Open(string path)
    {
        lock (changing)
        {
            if (file is null || of != NameOf(path))
                return null;
            end?.Change(KeptFor, Timeout.InfiniteTimeSpan);
            // The file has no name any more; its descriptor has (proc(5)).
            return new(
                $"/proc/self/fd/{file.SafeFileHandle.DangerousGetHandle()}",
                FileMode.Open,
                FileAccess.Read,
                FileShare.ReadWrite,
                1 << 16
            );
        }
    }

    /// <summary>Gives its room back.</summary>
    public void Forget()
    {
        lock (changing)
            LetGo();
    }

    private void LetGo()
    {
        end?.Dispose();
        file?.Dispose();
        (end, file) = (null, null);
    }

    private static (string, long, DateTime) NameOf(string path)
    {
        var info = new FileInfo(path);
        return (info.FullName, info.Exists ? info.Length : -1, info.LastWriteTimeUtc);
    }

    /// <inheritdoc/>
    public void Dispose() => Forget();
}
