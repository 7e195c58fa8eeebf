using System.Text;
using Buttonhook.Core;
using Buttonhook.Core.Images.Formats;
using Buttonhook.Core.Images.Loaders;
using Buttonhook.Hardware.Cards;

namespace Buttonhook.App.Images;

/// <summary>Makes an unpacked copy of an image with lines of its text files changed; the image itself stays as it is.</summary>
public static class MendedCopy
{
    private const int LargestText = 16 << 20;

    /// <summary>Makes the copy; a problem, and no copy, when it cannot be made, when a line is not as it was seen, or when what was written cannot be read back.</summary>
    /// <param name="edits">The changes, in the order in which they are made.</param>
    /// <param name="progress">Hears how many bytes of the image's file have been read.</param>
    public static async Task<Problem?> Make(
        string from,
        string to,
        IReadOnlyList<FileEdit> edits,
        DateTime now,
        CancellationToken token,
        Action<long>? progress = null
    )
    {
        if (edits.Count == 0)
            return new(
                "The dry boot should name lines to change.",
                "It names none that a change of a line would mend.",
                "Do what it says by hand, or get another image."
            );
        if (File.Exists(to))
            return new("The copy should get a name of its own.", $"{to} is there already.", "Name another file, or remove it.");
        var opened = PackedImage.Open(from, token, progress);
        if (opened.Value is not { } packed)
            return opened.Problem;
        var whole = false;
        try
        {
            using (packed)
            {
                Directory.CreateDirectory(Path.GetDirectoryName(Path.GetFullPath(to))!);
                await using (var file = new FileStream(to, FileMode.CreateNew, FileAccess.ReadWrite, FileShare.Read, 1 << 16))
                {
                    if (await Copy(packed, file, token) is { } stopped)
                        return stopped;
                }
            }
            var problem = Change(to, edits, now);
            whole = problem is null;
            return problem;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or UnreadableException)
        {
            return new("The copy should be written whole.", e.Message, "Look at the room on the disk and who may write there.");
        }
        finally
        {
            if (!whole)
                File.Delete(to);
        }
    }

    /// <summary>Copies; zeros become holes, so that the copy takes the room of what is in it.</summary>
    private static async Task<Problem?> Copy(PackedImage packed, FileStream file, CancellationToken token)
    {
        if (await packed.Pump(long.MaxValue, (piece, at) => Holes.Write(file, piece.Span, at), token) is { } stopped)
            return stopped;
        file.SetLength(packed.ExpandedBytes);
        return null;
    }

    private static Problem? Change(string path, IReadOnlyList<FileEdit> edits, DateTime now)
    {
        var onExt = new List<(long At, string Path, byte[] Content, string Mode)>();
        using (var file = new FileStream(path, FileMode.Open, FileAccess.ReadWrite, FileShare.ReadWrite))
        {
            var bytes = WritableBytes.Of(file);
            var table = PartitionTable.Read(bytes);
            foreach (var here in edits.GroupBy(e => (e.Partition, e.Path)))
            {
                var name = $"p{here.Key.Partition}:{here.Key.Path}";
                if (table.Partitions.FirstOrDefault(p => p.Number == here.Key.Partition) is not { } partition)
                    return Gone(name, "the partition is not there");
                var part = bytes.Part(partition.StartBytes, partition.LengthBytes);
                var (tree, kind, _) = FileTree.Open(part);
                if (tree is null || (kind != "vfat" && !kind!.StartsWith("ext", StringComparison.Ordinal)))
                    return Gone(name, $"files of {kind ?? "this partition"} are not changed here");
                if (tree.Read(here.Key.Path, LargestText) is not { } content)
                    return Gone(name, "the file is not there");
                var text = Encoding.UTF8.GetString(content);
                foreach (var edit in here)
                    if (edit.Apply(text) is { } changed)
                        text = changed;
                    else
                        return Gone(name, $"line {edit.Line} does not hold “{edit.Before}”");
                var after = Encoding.UTF8.GetBytes(text);
                if (kind == "vfat")
                    new FatWriter(part, now).Write(here.Key.Path, after);
                else
                    onExt.Add((partition.StartBytes, here.Key.Path, after, tree.Find(here.Key.Path)!.IsExecutable ? "0755" : "0644"));
            }
        }
        foreach (var group in onExt.GroupBy(f => f.At))
            if (ExtFiles.Write(path, group.Key, [.. group.Select(f => (f.Path, f.Content, f.Mode))]) is { } refused)
                return refused;
        return null;
    }

    private static Problem Gone(string name, string why) =>
        new(
            $"{name} should be as it was seen, to be changed.",
            $"It is not: {why}.",
            "Look into the image again, or change the file by hand."
        );
}
