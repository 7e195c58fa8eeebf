using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>One node of a device tree, with the properties that stand in it.</summary>
public sealed class TreeNode
{
    private readonly byte[] blob;
    private readonly List<(string Name, int At, int Length)> properties = [];
    private readonly List<TreeNode> children = [];

    internal TreeNode(byte[] blob, string path, string name, TreeNode? parent)
    {
        this.blob = blob;
        (Path, Name, Parent) = (path, name, parent);
        parent?.children.Add(this);
    }

    /// <summary>One that stands twice counts as it stands last.</summary>
    internal void Place(string name, int at, int length) => properties.Add((name, at, length));

    private int IndexOf(string property)
    {
        for (var i = properties.Count - 1; i >= 0; i--)
            if (ReferenceEquals(properties[i].Name, property) || properties[i].Name == property)
                return i;
        return -1;
    }

    /// <summary>Its path from the root ("/soc/serial@1000").</summary>
    public string Path { get; }

    /// <summary>Its name with the unit address ("serial@1000"); empty for the root.</summary>
    public string Name { get; }

    /// <summary>Its name without the unit address ("serial").</summary>
    public string Kind => kind ??= Name.IndexOf('@') is >= 0 and var at ? Name[..at] : Name;
    private string? kind;

    /// <summary>The node it stands in; null for the root.</summary>
    public TreeNode? Parent { get; }

    /// <summary>The nodes in it, in their order.</summary>
    public IReadOnlyList<TreeNode> Children => children;

    /// <summary>Whether a property stands in it, empty or not.</summary>
    public bool Has(string property) => IndexOf(property) >= 0;

    /// <summary>The names of its properties.</summary>
    public IEnumerable<string> Properties => properties.Select(p => p.Name).Distinct();

    private ReadOnlySpan<byte> Span(string property) =>
        IndexOf(property) is >= 0 and var i ? blob.AsSpan(properties[i].At, properties[i].Length) : default;

    /// <summary>A property's bytes, or null.</summary>
    public byte[]? Bytes(string property) => Has(property) ? Span(property).ToArray() : null;

    /// <summary>A property as text up to its first zero byte, or null.</summary>
    public string? Text(string property) => Has(property) ? Field.Text(Span(property)) : null;

    /// <summary>A property as a list of texts; empty when it is not there.</summary>
    public IReadOnlyList<string> Texts(string property) =>
        Has(property) ? Encoding.ASCII.GetString(Span(property)).Split('\0', StringSplitOptions.RemoveEmptyEntries) : [];

    /// <summary>The first cell of a property, or null when it has none.</summary>
    public uint? Number(string property) => Span(property) is { Length: >= 4 } b ? Field.B32(b, 0) : null;

    /// <summary>The cells of a property; empty when it is not there.</summary>
    public IReadOnlyList<uint> Numbers(string property)
    {
        var bytes = Span(property);
        var numbers = new uint[bytes.Length / 4];
        for (var i = 0; i < numbers.Length; i++)
            numbers[i] = Field.B32(bytes, i * 4);
        return numbers;
    }

    /// <summary>What it is compatible with, the most exact first.</summary>
    public IReadOnlyList<string> Compatible => compatible ??= Texts("compatible");
    private IReadOnlyList<string>? compatible;

    /// <summary>Whether it and all that it stands in are switched on (Devicetree Specification 0.4, 2.3.4: status).</summary>
    public bool IsOn => isOn ??= Text("status") is null or "okay" or "ok" && (Parent is null || Parent.IsOn);
    private bool? isOn;
}
