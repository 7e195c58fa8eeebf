using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>A file or folder as its file system keeps it.</summary>
/// <param name="Mode">Type and permissions, as stat(2) tells them.</param>
/// <param name="Size">Bytes of its content.</param>
/// <param name="Modified">When it was last changed, or null where the file system does not tell.</param>
internal record FileNode(uint Mode, long Size, DateTimeOffset? Modified)
{
    public bool IsFolder => (Mode & 0xF000) == 0x4000;

    public bool IsFile => (Mode & 0xF000) == 0x8000;

    public bool IsLink => (Mode & 0xF000) == 0xA000;
}

/// <summary>A file system whose paths are walked name by name, links followed; a reader says what a folder holds and what a file is made of.</summary>
internal abstract class WalkedTree<TNode> : FileTree
    where TNode : FileNode
{
    private const int MostHops = 40;

    /// <summary>The folder at which paths begin.</summary>
    protected abstract TNode Root { get; }

    /// <summary>The names in a folder, "." and ".." left out, with what each leads to.</summary>
    protected abstract IEnumerable<(string Name, Func<TNode> Node)> Names(TNode folder);

    /// <summary>The first bytes of a file or the target of a link, at most <paramref name="most"/>.</summary>
    protected abstract byte[] Content(TNode node, long most);

    /// <summary>The entry of one name in a folder, or null; a reader that has an index may be quicker.</summary>
    protected virtual TNode? Entry(TNode folder, string name)
    {
        foreach (var (other, node) in Names(folder))
            if (other == name)
                return node();
        return null;
    }

    private TNode? Locate(string path, int hops = 0)
    {
        // Links in a circle lead nowhere, as for the kernel (ELOOP).
        if (hops > MostHops)
            return null;
        var parts = path.Split('/', StringSplitOptions.RemoveEmptyEntries);
        var at = Root;
        var walked = new List<string>();
        for (var k = 0; k < parts.Length; k++)
        {
            if (parts[k] == ".")
                continue;
            if (parts[k] == "..")
            {
                if (walked.Count > 0)
                    walked.RemoveAt(walked.Count - 1);
                return Locate(string.Join('/', [.. walked, .. parts[(k + 1)..]]), hops + 1);
            }
            if (!at.IsFolder || Entry(at, parts[k]) is not { } next)
                return null;
            at = next;
            if (at.IsLink)
            {
                var target = Encoding.UTF8.GetString(Content(at, 4096));
                var from = target.StartsWith('/') ? "" : string.Join('/', walked);
                return Locate($"{from}/{target}/{string.Join('/', parts[(k + 1)..])}", hops + 1);
            }
            walked.Add(parts[k]);
        }
        return at;
    }

    /// <inheritdoc/>
    public override TreeEntry? Find(string path) =>
        Locate(path) is { } n ? new(path, n.Size, n.IsFolder, (n.Mode & 0x49) != 0, n.Modified) : null;

    /// <inheritdoc/>
    public override bool IsLink(string path)
    {
        var slash = path.TrimEnd('/').LastIndexOf('/');
        return Locate(path[..Math.Max(0, slash)]) is { IsFolder: true } folder && Entry(folder, path[(slash + 1)..])?.IsLink == true;
    }

    /// <inheritdoc/>
    public override IReadOnlyList<string> List(string folder) =>
        Locate(folder) is { IsFolder: true } n ? [.. Names(n).Select(e => e.Name)] : [];

    /// <inheritdoc/>
    public override byte[]? Read(string path, int most = LargestFile) =>
        Locate(path) is { IsFile: true } n ? Content(n, Math.Min(most, LargestFile)) : null;
}
