using System.Formats.Tar;
using System.IO.Compression;
using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Identifying;
using Buttonhook.Core.Images;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Hardware;

namespace Buttonhook.App.Images;

/// <summary>A device tree that was found in a source, and what the package around it was built for, or null.</summary>
public sealed record FoundTree(string Source, byte[] Blob, string? Architecture)
{
    /// <summary>The name of the file in a source.</summary>
    public static string FileOf(string source) => source[(source.LastIndexOfAny(['/', ':']) + 1)..];
}

/// <summary>
/// Finds device trees wherever people have them, by content: a blob, a folder, a Debian package (deb(5)), an archive, a fit image, an image
/// of a disk, packed or not.
/// </summary>
public static class TreeSources
{
    private const int LargestTree = 4 << 20;
    private const int MostTrees = 20_000;

    /// <summary>Reads all trees of a source; a problem when it holds none. What could not be read of it is told to <paramref name="notes"/>.</summary>
    /// <param name="overlays">What is laid over each of its trees; one that it does not fit is told to the notes and left out.</param>
    public static Answer<IReadOnlyList<TreeFacts>> Facts(
        string path,
        IReadOnlyList<FoundTree> overlays,
        ICollection<string> notes,
        CancellationToken token
    )
    {
        var found = Find(path, notes, token);
        if (found.Value is not { } trees)
            return found.Problem!;
        if (overlays.Count > 0)
        {
            var laid = new List<FoundTree>();
            foreach (var tree in trees.Where(t => !IsOverlay(t.Blob)))
                if (With(tree, overlays) is var with && with.Value is { } changed)
                    laid.Add(changed);
                else
                    notes.Add($"{tree.Source}: {with.Problem}");
            trees = laid;
        }
        var unread = new List<string>();
        var facts = Read(trees, unread, token);
        foreach (var note in unread)
            notes.Add(note);
        return facts.Count > 0
            ? new Answer<IReadOnlyList<TreeFacts>>(facts, null)
            : new Problem(
                "There should be a device tree of a board.",
                $"{path} has none that can be read{(unread.Count > 0 ? $": {unread[0]}" : ".")}",
                "Take another file, for instance the package of the kernel, or /sys/firmware/fdt from the running board."
            );
    }

    /// <summary>Reads trees that were found, several at a time; overlays are left out, and what cannot be read is told to <paramref name="notes"/>.</summary>
    public static IReadOnlyList<TreeFacts> Read(IReadOnlyList<FoundTree> trees, ICollection<string> notes, CancellationToken token)
    {
        var unread = new System.Collections.Concurrent.ConcurrentQueue<string>();
        var facts = trees.AsParallel().AsOrdered().WithCancellation(token).Select(t => Read(t, unread)).OfType<TreeFacts>().ToList();
        foreach (var note in unread)
            notes.Add(note);
        return facts;
    }

    private static TreeFacts? Read(FoundTree found, System.Collections.Concurrent.ConcurrentQueue<string> notes)
    {
        try
        {
            var tree = DeviceTree.Read(found.Blob);
            if (TreeOverlay.IsOverlay(tree))
                return null;
            return TreeReader.Read(tree, found.Source, found.Architecture);
        }
        catch (UnreadableException e)
        {
            notes.Enqueue($"{found.Source} cannot be read: {e.Message}.");
            return null;
        }
    }

    /// <summary>Those of the found trees that are overlays: they change other trees and are no boards.</summary>
    public static IReadOnlyList<FoundTree> Overlays(IReadOnlyList<FoundTree> trees) => [.. trees.Where(t => IsOverlay(t.Blob))];

    private static bool IsOverlay(byte[] blob)
    {
        try
        {
            return TreeOverlay.IsOverlay(DeviceTree.Read(blob));
        }
        catch (UnreadableException)
        {
            return false;
        }
    }

    /// <summary>A tree with overlays laid over it in their order, told by all their files.</summary>
    public static Answer<FoundTree> With(FoundTree tree, IReadOnlyList<FoundTree> overlays)
    {
        foreach (var overlay in overlays)
        {
            var name = FoundTree.FileOf(overlay.Source);
            var laid = TreeOverlay.Lay(tree.Blob, overlay.Blob, name);
            if (laid.Value is not { } blob)
                return laid.Problem!;
            tree = new($"{tree.Source} + {name}", blob, tree.Architecture);
        }
        return tree;
    }

    private static bool IsNamedTree(string name) =>
        name.EndsWith(".dtb", StringComparison.OrdinalIgnoreCase) || name.EndsWith(".dtbo", StringComparison.OrdinalIgnoreCase);

    private static Answer<IReadOnlyList<FoundTree>> Find(string path, ICollection<string> notes, CancellationToken token)
    {
        if (!Directory.Exists(path) && FileKinds.NotRegular(path, "SOURCE") is { } other)
            return other;
        return InContainer(path, token) ?? Image(path, notes, token);
    }

    /// <summary>
    /// All trees of a folder, a blob, a package or an archive, unread; a problem when it is one and holds none or cannot be read. Null when
    /// the file is of no such kind and may be an image.
    /// </summary>
    public static Answer<IReadOnlyList<FoundTree>>? InContainer(string path, CancellationToken token)
    {
        if (Directory.Exists(path))
            return Folder(path);
        try
        {
            using var file = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16);
            var head = new byte[8];
            head = head[..file.ReadAtLeast(head, 8, false)];
            file.Position = 0;
            if (head is [0xD0, 0x0D, 0xFE, 0xED, ..])
                return Blob(path, file);
            if (head.AsSpan().SequenceEqual("!<arch>\n"u8))
                return Package(path, file, token);
            if (head is [(byte)'P', (byte)'K', 3, 4, ..] && Zip(path) is { Count: > 0 } zipped)
                return zipped;
            using var content = ImageFiles.Unpack(file) ?? file;
            if (StartsAsTar(content, out var whole))
                return Archive(path, whole, null, token);
            return null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or InvalidDataException or EndOfStreamException)
        {
            return new Problem("The file should be readable to its end.", $"{path}: {e.Message}", "Get it again and compare its checksum.");
        }
    }

    /// <summary>All trees of an image that lies unpacked, named by its file.</summary>
    public static IReadOnlyList<FoundTree> InImage(string path, ImageBytes image, ICollection<string> notes) =>
        [.. ImageTrees.Of(image, ImageFiles.Unpack, notes).Select(t => new FoundTree($"{path}:{t.Where}", t.Blob, null))];

    private static Answer<IReadOnlyList<FoundTree>> Folder(string path)
    {
        var all = new EnumerationOptions { RecurseSubdirectories = true, IgnoreInaccessible = true };
        return Directory
            .EnumerateFiles(path, "*.dtb*", all)
            .Where(f => IsNamedTree(f) && FileKinds.Of(f).Kind == FileKind.Regular && new FileInfo(f).Length <= LargestTree)
            .Order(StringComparer.Ordinal)
            .Take(MostTrees)
            .Select(f => new FoundTree(f, File.ReadAllBytes(f), null))
            .ToList();
    }

    /// <summary>A tree, or a fit image with several (nodes of type flat_dt with their bytes in them).</summary>
    private static Answer<IReadOnlyList<FoundTree>> Blob(string path, FileStream file)
    {
        if (file.Length > 256 << 20)
            return new Problem(
                "A device tree is small.",
                $"{path} has {Sizes.Binary(file.Length)}.",
                "Check whether it is the right file."
            );
        var bytes = new byte[file.Length];
        file.ReadExactly(bytes);
        try
        {
            var tree = DeviceTree.Read(bytes);
            var inside = tree.Find("/images") is not { } images
                ? []
                : images
                    .Children.Where(i => i.Text("type") == "flat_dt" && i.Text("compression") is null or "none" && i.Has("data"))
                    .Select(i => new FoundTree($"{path}:{i.Path}", i.Bytes("data")!, null))
                    .ToList();
            return inside.Count > 0 ? inside : (List<FoundTree>)[new(path, bytes, null)];
        }
        catch (UnreadableException e)
        {
            return new Problem(
                "A device tree should be readable.",
                $"{path}: {e.Message}.",
                "Copy it again, for instance from /sys/firmware/fdt."
            );
        }
    }

    /// <summary>A Debian package: an ar archive with control.tar and data.tar, each packed on its own.</summary>
    private static Answer<IReadOnlyList<FoundTree>> Package(string path, FileStream file, CancellationToken token)
    {
        string? architecture = null;
        var header = new byte[60];
        file.Position = 8;
        while (file.ReadAtLeast(header, 60, false) == 60)
        {
            var name = Encoding.ASCII.GetString(header, 0, 16).Trim().TrimEnd('/');
            if (
                !long.TryParse(Encoding.ASCII.GetString(header, 48, 10).Trim(), out var length)
                || length < 0
                || file.Position + length > file.Length
            )
                break;
            var next = file.Position + length + (length & 1);
            if (name.StartsWith("control.tar", StringComparison.Ordinal) || name.StartsWith("data.tar", StringComparison.Ordinal))
            {
                using var member = new Window(file, file.Position, length);
                using var content = ImageFiles.Unpack(member) ?? member;
                if (name[0] == 'd')
                    return Archive(path, content, architecture, token);
                architecture = ControlField(content, "Architecture");
            }
            file.Position = next;
        }
        return new Problem(
            "A package should have its files in data.tar.",
            $"{path} has not: it is another kind of archive, or cut off.",
            "Get it again."
        );
    }

    private static string? ControlField(Stream control, string field)
    {
        using var tar = new TarReader(control, true);
        while (tar.GetNextEntry() is { } entry)
            if (entry.Name.TrimStart('.', '/') == "control" && entry.DataStream is { } data)
            {
                var value = new StreamReader(data)
                    .ReadToEnd()
                    .Split('\n')
                    .FirstOrDefault(l => l.StartsWith(field + ":", StringComparison.OrdinalIgnoreCase))
                    ?[(field.Length + 1)..].Trim();
                return value is "all" or "" ? null : value;
            }
        return null;
    }

    private static Answer<IReadOnlyList<FoundTree>> Archive(string path, Stream content, string? architecture, CancellationToken token)
    {
        var found = new List<FoundTree>();
        using var tar = new TarReader(content, true);
        while (tar.GetNextEntry() is { } entry)
        {
            token.ThrowIfCancellationRequested();
            if (entry.DataStream is not { } data || entry.Length > LargestTree || found.Count >= MostTrees || !IsNamedTree(entry.Name))
                continue;
            var bytes = new byte[entry.Length];
            data.ReadExactly(bytes);
            found.Add(new($"{path}:{Plain(entry.Name)}", bytes, architecture));
        }
        return found.Count > 0 ? found : None(path);
    }

    private static List<FoundTree> Zip(string path)
    {
        var found = new List<FoundTree>();
        using var zip = ZipFile.OpenRead(path);
        foreach (var entry in zip.Entries)
            if (IsNamedTree(entry.FullName) && entry.Length <= LargestTree && found.Count < MostTrees)
            {
                var bytes = new byte[entry.Length];
                using var data = entry.Open();
                data.ReadExactly(bytes);
                found.Add(new($"{path}:{Plain(entry.FullName)}", bytes, null));
            }
        return found;
    }

    /// <summary>Names in archives are shown, never used as paths.</summary>
    private static string Plain(string name) => name.StartsWith("./", StringComparison.Ordinal) ? name[2..] : name;

    private static Answer<IReadOnlyList<FoundTree>> Image(string path, ICollection<string> notes, CancellationToken token)
    {
        IReadOnlyList<FoundTree> found = [];
        var inspected = ImageFiles.Inspect(path, null, [], null, token, look: (bytes, _) => found = InImage(path, bytes, notes));
        if (inspected.Value is null)
            return inspected.Problem!;
        return found.Count > 0 ? new Answer<IReadOnlyList<FoundTree>>(found, null) : None(path);
    }

    /// <summary>What holds trees as a rule, and none now.</summary>
    public static Problem None(string path) =>
        new(
            "There should be device trees in it, files that end in .dtb.",
            $"{path} has none.",
            "Take the package of the kernel for this board, a folder of device trees, or a boot log."
        );

    private static bool StartsAsTar(Stream content, out Stream whole)
    {
        var head = new byte[512];
        var count = content.ReadAtLeast(head, head.Length, false);
        whole = new Prefixed(head[..count], content);
        return count == 512 && head.AsSpan(257, 5).SequenceEqual("ustar"u8);
    }

    /// <summary>A part of a file as a stream of its own.</summary>
    private sealed class Window(FileStream file, long start, long length) : Stream
    {
        private long at;

        public override int Read(byte[] into, int offset, int count) => Read(into.AsSpan(offset, count));

        public override int Read(Span<byte> into)
        {
            file.Position = start + at;
            var read = file.Read(into[..(int)Math.Min(into.Length, length - at)]);
            at += read;
            return read;
        }

        public override long Position
        {
            get => at;
            set => at = value;
        }

        public override bool CanRead => true;
        public override bool CanSeek => true;
        public override bool CanWrite => false;
        public override long Length => length;

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) =>
            at = origin switch
            {
                SeekOrigin.Begin => offset,
                SeekOrigin.Current => at + offset,
                _ => length + offset,
            };

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] from, int offset, int count) => throw new NotSupportedException();
    }

    /// <summary>Gives what was read ahead once more, then the rest.</summary>
    private sealed class Prefixed(byte[] head, Stream rest) : ForwardStream
    {
        private int at;

        public override int Read(Span<byte> into)
        {
            if (at >= head.Length)
                return rest.Read(into);
            var count = Math.Min(into.Length, head.Length - at);
            head.AsSpan(at, count).CopyTo(into);
            at += count;
            return count;
        }
    }
}
