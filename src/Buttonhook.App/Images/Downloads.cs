using System.Buffers.Binary;
using System.Collections.Concurrent;
using System.Security.Cryptography;
using Buttonhook.Core;
using Buttonhook.Core.Images;
using Buttonhook.Core.Keeping;
using Buttonhook.Hardware;
using Buttonhook.Storage;

namespace Buttonhook.App.Images;

/// <summary>A file of a watched folder that may be looked into.</summary>
/// <param name="Looks">What its first bytes say that it is.</param>
/// <param name="ImageId">The image of the shelf whose file it is, or null.</param>
public sealed record DownloadedFile(string Path, string Name, long Bytes, DateTimeOffset ChangedAt, string Looks, string? ImageId);

/// <summary>A watched folder.</summary>
/// <param name="Problem">Why it cannot be looked into, or null.</param>
public sealed record WatchedFolder(string Path, IReadOnlyList<DownloadedFile> Files, Problem? Problem);

/// <summary>An image of the shelf whose file is not where it was.</summary>
/// <param name="Looking">Whether it is being looked for the first time; else it was not found, and is looked for again while somebody asks.</param>
public sealed record MissingFile(string ImageId, string Title, string Path, bool Looking);

/// <summary>The watched folders, and the images whose files are not where they were.</summary>
public sealed record DownloadsView(IReadOnlyList<WatchedFolder> Folders, IReadOnlyList<MissingFile> Missing);

/// <summary>Folders where a person keeps downloads: what lies there, and files that moved, found again by size and sum. Nothing is copied.</summary>
public sealed class Downloads(FolderStore folders, Profiles profiles, TimeProvider clock) : IDisposable
{
    private const int MostListed = 100;
    private const int MostSearched = 20_000;
    private const int Depth = 3;
    private static readonly TimeSpan Arriving = TimeSpan.FromSeconds(4);
    private readonly ConcurrentDictionary<(string, long, DateTime), string> sums = new();
    private readonly CancellationTokenSource stop = new();
    private readonly ConcurrentDictionary<string, byte> searched = new();
    private int looking;

    /// <summary>Watches a folder; what is no folder that may be listed is a problem.</summary>
    public Problem? Watch(string path)
    {
        if (!System.IO.Path.IsPathRooted(path) || FileKinds.Of(path).Kind != FileKind.Folder)
            return new(
                "A folder is named by its whole path on this computer.",
                $"{path} is none.",
                "Begin with a slash, such as /home/you/Downloads."
            );
        var full = System.IO.Path.TrimEndingDirectorySeparator(System.IO.Path.GetFullPath(path));
        if (full is "/" || full.StartsWith("/proc", StringComparison.Ordinal) || full.StartsWith("/sys", StringComparison.Ordinal))
            return new("A folder of downloads holds files of a person.", $"{full} does not.", "Name a folder in your home.");
        if (List(full).Problem is { } problem)
            return problem;
        folders.Add(full, clock.GetUtcNow());
        searched.Clear();
        return null;
    }

    /// <summary>What lies in the watched folders now; files that moved are looked for in the background.</summary>
    public DownloadsView Look()
    {
        var images = profiles.Catalogue.Images.Where(i => i.Path is not null).ToList();
        var missing = images.Where(i => FileKinds.Of(i.Path!).Kind == FileKind.Missing).ToList();
        var byPath = images.DistinctBy(i => i.Path).ToDictionary(i => i.Path!, i => i.Id);
        if (missing.Count > 0 && Interlocked.Exchange(ref looking, 1) == 0)
            _ = Task.Run(() =>
            {
                try
                {
                    FindAgain(missing);
                    foreach (var image in missing.Where(i => profiles.Catalogue.Image(i.Id)?.Path == i.Path))
                        searched[image.Id] = 0;
                }
                finally
                {
                    Volatile.Write(ref looking, 0);
                }
            });
        return new(
            [
                .. folders
                    .All()
                    .Select(f =>
                    {
                        var (files, problem) = List(f);
                        return new WatchedFolder(
                            f,
                            [.. files.Select(file => file with { ImageId = byPath.GetValueOrDefault(file.Path) })],
                            problem
                        );
                    }),
            ],
            [.. missing.Select(i => new MissingFile(i.Id, i.Title, i.Path!, !searched.ContainsKey(i.Id)))]
        );
    }

    private (IReadOnlyList<DownloadedFile> Files, Problem? Problem) List(string folder)
    {
        try
        {
            var list = new List<DownloadedFile>();
            foreach (var file in new DirectoryInfo(folder).EnumerateFiles().OrderByDescending(f => f.LastWriteTimeUtc))
            {
                if (list.Count == MostListed)
                    break;
                if (FileKinds.Of(file.FullName).Kind == FileKind.Regular && Looks(file) is { } looks)
                    list.Add(new(file.FullName, file.Name, file.Length, file.LastWriteTimeUtc, looks, null));
            }
            return (list, null);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return ([], new($"{folder} should be a folder that can be listed.", e.Message, "Look at its name and who may read it."));
        }
    }

    /// <summary>What a file is by its first bytes; null for what is nothing of this bench.</summary>
    private string? Looks(FileInfo file)
    {
        Span<byte> head = stackalloc byte[520];
        try
        {
            using var handle = File.OpenHandle(file.FullName, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
            head = head[..RandomAccess.Read(handle, head, 0)];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return null;
        }
        // Signatures as the formats define them.
        var looks =
            head.StartsWith((ReadOnlySpan<byte>)[0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z', 0]) ? "packed with xz"
            : head.StartsWith((ReadOnlySpan<byte>)[0x1F, 0x8B]) ? "packed with gzip"
            : head.StartsWith((ReadOnlySpan<byte>)[0x28, 0xB5, 0x2F, 0xFD]) ? "packed with zstd"
            : head.StartsWith("BZh"u8) ? "packed with bzip2"
            : head.StartsWith("PK\x3\x4"u8) ? "a zip archive"
            : head.StartsWith((ReadOnlySpan<byte>)[(byte)'7', (byte)'z', 0xBC, 0xAF, 0x27, 0x1C]) ? "a 7z archive"
            : head.StartsWith("!<arch>\ndebian"u8) ? "a package"
            : head.Length >= 4 && BinaryPrimitives.ReadUInt32BigEndian(head) == 0xD00DFEED ? "a device tree, or a packed kernel with one"
            : head.Length >= 512 && head[510] == 0x55 && head[511] == 0xAA ? "an image"
            : null;
        return looks is not null && clock.GetUtcNow() - file.LastWriteTimeUtc < Arriving ? $"{looks}; it is still arriving" : looks;
    }

    /// <summary>Looks for files of the same size where downloads lie and near the old place, and takes the one with the same sum.</summary>
    private void FindAgain(IReadOnlyList<ImageProfile> missing)
    {
        var wanted = missing.Where(i => i.Sha256 is not null).ToLookup(i => i.DownloadBytes);
        var places = folders.All().Concat(missing.Select(i => System.IO.Path.GetDirectoryName(i.Path)!)).Distinct().Where(Directory.Exists);
        var options = new EnumerationOptions
        {
            RecurseSubdirectories = true,
            MaxRecursionDepth = Depth,
            IgnoreInaccessible = true,
            AttributesToSkip = FileAttributes.ReparsePoint | FileAttributes.Device,
        };
        foreach (var file in places.SelectMany(p => new DirectoryInfo(p).EnumerateFiles("*", options)).Take(MostSearched))
            try
            {
                if (!wanted.Contains(file.Length) || FileKinds.Of(file.FullName).Kind != FileKind.Regular)
                    continue;
                var sum = Sum(file);
                foreach (var image in wanted[file.Length].Where(i => i.Sha256 == sum))
                    Took(image, file.FullName);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                // It went away, or is nobody's business.
            }
            catch (OperationCanceledException)
            {
                return;
            }
    }

    private string Sum(FileInfo file)
    {
        var key = (file.FullName, file.Length, file.LastWriteTimeUtc);
        if (sums.TryGetValue(key, out var known))
            return known;
        using var stream = file.OpenRead();
        var buffer = new byte[1 << 20];
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        for (int count; (count = stream.Read(buffer)) > 0; )
        {
            stop.Token.ThrowIfCancellationRequested();
            hash.AppendData(buffer.AsSpan(0, count));
        }
        return sums[key] = Convert.ToHexStringLower(hash.GetHashAndReset());
    }

    private void Took(ImageProfile image, string path)
    {
        // Another change may have been faster.
        if (profiles.Catalogue.Image(image.Id) is not { } now || now.Path != image.Path)
            return;
        using var acting = EditScope.Begin(clock.GetUtcNow());
        EditScope.Say($"The file of {image.Title} was found again at {path}, by its size and sum; it was at {image.Path}.");
        profiles.Add(ProfilePack.Empty with { Images = [now with { Path = path }] });
        searched.TryRemove(image.Id, out _);
    }

    /// <inheritdoc/>
    public void Dispose() => stop.Cancel();
}
