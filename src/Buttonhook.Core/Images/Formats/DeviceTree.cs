namespace Buttonhook.Core.Images.Formats;

/// <summary>What a flattened device tree says (Devicetree Specification 0.4, chapter 5): properties by path of their node.</summary>
public sealed class DeviceTree
{
    private const int Deepest = 64;
    private const int Most = 200_000;
    private readonly byte[] blob;
    private readonly Dictionary<string, TreeNode> nodes = [];
    private readonly List<TreeNode> inOrder = [];

    private DeviceTree(byte[] blob) => this.blob = blob;

    /// <summary>Reads a blob; one that is damaged throws <see cref="UnreadableException"/> with the reason.</summary>
    public static DeviceTree Read(ReadOnlySpan<byte> blob)
    {
        if (blob.Length < 40 || Field.B32(blob, 0) != 0xD00DFEED)
            throw new UnreadableException("its first bytes are not those of a device tree");
        var total = Field.B32(blob, 4);
        if (total > blob.Length)
            throw new UnreadableException($"it should have {total} bytes and has {blob.Length}");
        var tree = new DeviceTree(blob.ToArray());
        tree.ReadNodes();
        return tree;
    }

    private void ReadNodes()
    {
        var strings = (int)Field.B32(blob, 12);
        var at = (int)Field.B32(blob, 8);
        var names = new Dictionary<int, string>();
        var path = new Stack<TreeNode>();
        var steps = 0;
        while (true)
        {
            if (++steps > Most)
                throw new UnreadableException("it has more than 200,000 parts");
            var token = Field.B32(blob, at);
            at += 4;
            switch (token)
            {
                case 1: // a node begins
                    var name = Field.Text(Rest(blob, at));
                    at = Align(at + name.Length + 1);
                    if (path.Count > Deepest)
                        throw new UnreadableException("its nodes lie too deep");
                    path.Push(Node(name, path.Count == 0 ? null : path.Peek()));
                    break;
                case 2: // a node ends
                    if (!path.TryPop(out _))
                        throw new UnreadableException("a node ends that did not begin");
                    if (path.Count == 0)
                        return;
                    break;
                case 3: // a property
                    int length = (int)Field.B32(blob, at),
                        nameAt = (int)Field.B32(blob, at + 4);
                    if (path.Count == 0 || length < 0 || at + 8 + (long)length > blob.Length)
                        throw new UnreadableException("a property lies beyond the end");
                    if (!names.TryGetValue(nameAt, out var property))
                        names[nameAt] = property = Field.Text(Rest(blob, strings + nameAt));
                    path.Peek().Place(property, at + 8, length);
                    at = Align(at + 8 + length);
                    break;
                case 4:
                    break;
                default:
                    throw new UnreadableException($"an unknown token stands at byte {at - 4}");
            }
        }
    }

    private TreeNode Node(string name, TreeNode? parent)
    {
        var path =
            parent is null ? "/"
            : parent.Path == "/" ? "/" + name
            : $"{parent.Path}/{name}";
        if (nodes.TryGetValue(path, out var known))
            return known;
        var node = new TreeNode(blob, path, parent is null ? "" : name, parent);
        nodes[path] = node;
        inOrder.Add(node);
        return node;
    }

    private static ReadOnlySpan<byte> Rest(ReadOnlySpan<byte> blob, int at) =>
        at >= 0 && at < blob.Length ? blob[at..] : throw new UnreadableException("a name lies beyond the end");

    private static int Align(int at) => (at + 3) & ~3;

    /// <summary>A property's bytes, or null.</summary>
    public byte[]? Property(string node, string name) => nodes.GetValueOrDefault(node)?.Bytes(name);

    /// <summary>A property as text, or null.</summary>
    public string? Text(string node, string name) => nodes.GetValueOrDefault(node)?.Text(name);

    /// <summary>All nodes in the order in which they stand, the root first.</summary>
    public IReadOnlyList<TreeNode> Nodes => inOrder;

    /// <summary>The node with this path, or null.</summary>
    public TreeNode? Find(string path) => nodes.GetValueOrDefault(path);

    /// <summary>The names under which /aliases knows a node, in their order.</summary>
    public IReadOnlyList<string> AliasesOf(TreeNode node)
    {
        aliases ??= (Find("/aliases")?.Properties ?? []).ToLookup(name => Text("/aliases", name)!);
        return [.. aliases[node.Path]];
    }

    private ILookup<string, string>? aliases;

    /// <summary>The number of the alias that begins with a word ("serial2" for "serial"), or null.</summary>
    public int? AliasNumber(TreeNode node, string word)
    {
        foreach (var alias in AliasesOf(node))
            if (alias.StartsWith(word, StringComparison.Ordinal) && int.TryParse(alias.AsSpan(word.Length), out var number) && number >= 0)
                return number;
        return null;
    }

    /// <summary>The paths of all nodes.</summary>
    public IEnumerable<string> Paths => nodes.Keys;

    /// <summary>The paths of the children of a node.</summary>
    public IEnumerable<string> Children(string node) => nodes.GetValueOrDefault(node)?.Children.Select(c => c.Path) ?? [];

    /// <summary>The model of the board, or null.</summary>
    public string? Model => Text("/", "model");

    /// <summary>The names that the board goes by, most exact first.</summary>
    public IReadOnlyList<string> Compatible => Names("/");

    private IReadOnlyList<string> Names(string node) => nodes.GetValueOrDefault(node)?.Compatible ?? [];

    /// <summary>The only instruction set that its processors have, or null when they tell none or could run more than one.</summary>
    public InstructionSet? OnlySet
    {
        get
        {
            var cores = Children("/cpus").SelectMany(c => Names(c)).ToList();
            return cores.Contains("riscv") ? InstructionSet.Riscv64
                : cores.Exists(TreeProcessors.OnlyArmhf.Contains) ? InstructionSet.Armhf
                : null;
        }
    }

    /// <summary>How many hosts for cards and soldered flash are switched on in it (bindings of mmc-controller.yaml).</summary>
    public int CardHosts =>
        nodes.Keys.Count(n =>
            Names(n)
                .Any(c =>
                    c.Contains("sdhci", StringComparison.Ordinal)
                    || c.Contains("dw-mshc", StringComparison.Ordinal)
                    || c.EndsWith("mmc", StringComparison.Ordinal)
                ) && Text(n, "status") is null or "okay" or "ok"
        );

    /// <summary>Whether it tells the kernel which console to use.</summary>
    public bool HasConsole =>
        Property("/chosen", "stdout-path") is { Length: > 1 } || Property("/chosen", "linux,stdout-path") is { Length: > 1 };
}
