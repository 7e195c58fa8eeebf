using System.Security.Cryptography;
using System.Text;
using Buttonhook.Core;

namespace Buttonhook.App.Images;

/// <summary>An upload: how much of the file has arrived; its path once all of it has.</summary>
public sealed record UploadState(string Id, string Name, long TotalBytes, long ReceivedBytes, string? Path);

/// <summary>Image files that a browser sends piece by piece, straight to disk; a broken upload goes on where it stopped, also after a restart.</summary>
public sealed class Uploads(BenchOptions options)
{
    /// <summary>The largest file in bytes.</summary>
    public const long Largest = 8L << 30;

    private readonly string folder = Path.Combine(options.DataFolder, "images");
    private readonly Lock gate = new();
    private readonly HashSet<string> busy = [];

    private string Part(string id) => Path.Combine(folder, id + ".part");

    /// <summary>Begins an upload, or finds the one that was begun for the same file.</summary>
    /// <param name="stamp">When the file was last changed, as the browser tells: tells two files of one name apart.</param>
    public Answer<UploadState> Begin(string name, long total, long stamp)
    {
        if (total is <= 0 or > Largest)
            return new Problem(
                $"An upload may have up to {Sizes.Binary(Largest)}.",
                total <= 0 ? "This file is empty." : $"This one has {Sizes.Binary(total)}.",
                "Copy it onto this computer and name its path instead."
            );
        try
        {
            Directory.CreateDirectory(folder);
            var safe = Safe(name);
            var id = Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes($"{safe}\n{total}\n{stamp}")))[..24];
            var finished = Path.Combine(folder, $"{id[..8]}-{safe}");
            if (File.Exists(finished) && new FileInfo(finished).Length == total)
                return new UploadState(id, safe, total, total, finished);
            if (new DriveInfo(folder).AvailableFreeSpace is var free && free < total - Received(id))
                return new Problem(
                    $"{folder} should have room for {Sizes.Binary(total)}.",
                    $"{Sizes.Binary(free)} are free.",
                    "Make room, or start with --data on a larger disk."
                );
            File.WriteAllText(Part(id) + ".txt", $"{safe}\n{total}\n");
            using (File.Open(Part(id), FileMode.OpenOrCreate)) { }
            return new UploadState(id, safe, total, Received(id), null);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return new Problem($"{folder} should be writable.", e.Message, "Look at the disk and who may write there.");
        }
    }

    private long Received(string id) => File.Exists(Part(id)) ? new FileInfo(Part(id)).Length : 0;

    private static string Safe(string name)
    {
        var safe = new string([
            .. Path.GetFileName(name.Replace('\\', '/')).Select(c => char.IsAsciiLetterOrDigit(c) || c is '.' or '-' or '_' ? c : '-'),
        ]);
        return safe.Trim('.', '-') is { Length: > 0 } kept ? kept[..Math.Min(kept.Length, 100)] : "image";
    }

    private (string Name, long Total)? Begun(string id) =>
        id.All(char.IsAsciiHexDigitLower)
        && File.Exists(Part(id) + ".txt")
        && File.ReadAllLines(Part(id) + ".txt") is [var name, var total, ..]
            ? (name, long.Parse(total, System.Globalization.CultureInfo.InvariantCulture))
            : null;

    /// <summary>Appends a piece that begins at <paramref name="from"/>; what arrived before a break is kept. Null when no upload has this id.</summary>
    public async Task<Answer<UploadState>?> Append(string id, long from, Stream body, CancellationToken token)
    {
        if (Begun(id) is not var (name, total))
            return null;
        lock (gate)
            if (!busy.Add(id))
                return new Problem("One page should send a file.", "Another one is sending this file too.", "Close the other page.");
        try
        {
            await using (var file = new FileStream(Part(id), FileMode.Open, FileAccess.Write, FileShare.Read, 1 << 16))
            {
                if (from != file.Length)
                    return new Problem(
                        $"The next piece begins at byte {file.Length}.",
                        $"This one begins at {from}.",
                        "Choose the file again; it goes on where it stopped."
                    );
                file.Position = from;
                var buffer = new byte[1 << 18];
                int count;
                while ((count = await body.ReadAsync(buffer, token)) > 0)
                {
                    if (file.Position + count > total)
                        return new Problem($"{name} should have {total} bytes.", "More arrived.", "Choose the file again.");
                    await file.WriteAsync(buffer.AsMemory(0, count), CancellationToken.None);
                }
                await file.FlushAsync(CancellationToken.None);
            }
            if (Received(id) < total)
                return new UploadState(id, name, total, Received(id), null);
            var finished = Path.Combine(folder, $"{id[..8]}-{name}");
            File.Move(Part(id), finished, overwrite: true);
            File.Delete(Part(id) + ".txt");
            return new UploadState(id, name, total, total, finished);
        }
        catch (IOException e) when (e is not Microsoft.AspNetCore.Connections.ConnectionResetException)
        {
            return new Problem("The piece should be stored.", e.Message, "Make room on the disk; what arrived before is kept.");
        }
        finally
        {
            lock (gate)
                busy.Remove(id);
        }
    }

    /// <summary>Throws away what arrived; false when no upload has this id.</summary>
    public bool Cancel(string id)
    {
        if (Begun(id) is null)
            return false;
        File.Delete(Part(id));
        File.Delete(Part(id) + ".txt");
        return true;
    }
}
