using Buttonhook.Core.Boards;

namespace Buttonhook.Core.Images;

/// <summary>What a flattened device tree says (Devicetree Specification 0.4, chapter 5): properties by path of their node.</summary>
public sealed class DeviceTree
{
    private const int Deepest = 64;
    private readonly Dictionary<string, Dictionary<string, byte[]>> nodes;

    private DeviceTree(Dictionary<string, Dictionary<string, byte[]>> nodes) => this.nodes = nodes;

    /// <summary>Reads a blob; one that is damaged throws <see cref="UnreadableException"/> with the reason.</summary>
    public static DeviceTree Read(ReadOnlySpan<byte> blob)
    {
        if (blob.Length < 40 || Field.B32(blob, 0) != 0xD00DFEED)
            throw new UnreadableException("its first bytes are not those of a device tree");
        var total = Field.B32(blob, 4);
        if (total > blob.Length)
            throw new UnreadableException($"it should have {total} bytes and has {blob.Length}");
        var strings = (int)Field.B32(blob, 12);
        var at = (int)Field.B32(blob, 8);
        var nodes = new Dictionary<string, Dictionary<string, byte[]>>();
        var path = new Stack<string>();
        while (true)
        {
            var token = Field.B32(blob, at);
            at += 4;
            switch (token)
            {
                case 1: // a node begins
                    var name = Field.Text(Rest(blob, at));
                    at = Align(at + name.Length + 1);
                    if (path.Count > Deepest)
                        throw new UnreadableException("its nodes lie too deep");
                    path.Push(
                        path.Count == 0 ? "/"
                        : path.Peek() == "/" ? "/" + name
                        : $"{path.Peek()}/{name}"
                    );
                    nodes.TryAdd(path.Peek(), []);
                    break;
                case 2: // a node ends
                    if (!path.TryPop(out _))
                        throw new UnreadableException("a node ends that did not begin");
                    if (path.Count == 0)
                        return new(nodes);
                    break;
                case 3: // a property
                    int length = (int)Field.B32(blob, at),
                        nameAt = (int)Field.B32(blob, at + 4);
                    if (path.Count == 0 || length < 0 || at + 8 + (long)length > blob.Length)
                        throw new UnreadableException("a property lies beyond the end");
                    nodes[path.Peek()][Field.Text(Rest(blob, strings + nameAt))] = blob.Slice(at + 8, length).ToArray();
                    at = Align(at + 8 + length);
                    break;
                case 4:
                    break;
                default:
                    throw new UnreadableException($"an unknown token stands at byte {at - 4}");
            }
        }
    }

    private static ReadOnlySpan<byte> Rest(ReadOnlySpan<byte> blob, int at) =>
        at >= 0 && at < blob.Length ? blob[at..] : throw new UnreadableException("a name lies beyond the end");

    private static int Align(int at) => (at + 3) & ~3;

    /// <summary>A property's bytes, or null.</summary>
    public byte[]? Property(string node, string name) => nodes.GetValueOrDefault(node)?.GetValueOrDefault(name);

    /// <summary>A property as text, or null.</summary>
    public string? Text(string node, string name) => Property(node, name) is { } b ? Field.Text(b) : null;

    /// <summary>The paths of all nodes.</summary>
    public IEnumerable<string> Paths => nodes.Keys;

    /// <summary>The children of a node.</summary>
    public IEnumerable<string> Children(string node) =>
        nodes.Keys.Where(k =>
            k != node && k.StartsWith(node.TrimEnd('/') + "/", StringComparison.Ordinal) && k.LastIndexOf('/') == node.TrimEnd('/').Length
        );

    /// <summary>The model of the board, or null.</summary>
    public string? Model => Text("/", "model");

    /// <summary>The names that the board goes by, most exact first.</summary>
    public IReadOnlyList<string> Compatible => Names("/");

    private IReadOnlyList<string> Names(string node) =>
        Property(node, "compatible") is { } b
            ? [.. System.Text.Encoding.ASCII.GetString(b).Split('\0', StringSplitOptions.RemoveEmptyEntries)]
            : [];

    // Cores that know no 64-bit state (Arm's reference manuals; names as in the kernel's bindings, arm/cpus.yaml).
    private static readonly HashSet<string> OnlyArmhf =
    [
        "arm,cortex-a5",
        "arm,cortex-a7",
        "arm,cortex-a8",
        "arm,cortex-a9",
        "arm,cortex-a12",
        "arm,cortex-a15",
        "arm,cortex-a17",
        "arm,cortex-a32",
    ];

    /// <summary>The only instruction set that its processors have, or null when they tell none or could run more than one.</summary>
    public InstructionSet? OnlySet
    {
        get
        {
            var cores = Children("/cpus").SelectMany(c => Names(c)).ToList();
            return cores.Contains("riscv") ? InstructionSet.Riscv64
                : cores.Exists(OnlyArmhf.Contains) ? InstructionSet.Armhf
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
