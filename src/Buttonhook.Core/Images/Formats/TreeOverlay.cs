using System.Buffers.Binary;
using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>Lays an overlay over a device tree, as loaders do (Documentation/devicetree/overlay-notes.rst of the kernel; the order of steps is that of libfdt's fdt_overlay_apply).</summary>
public static class TreeOverlay
{
    private const int LongestTarget = 4096;

    private sealed class Node(string name)
    {
        public string Name => name;
        public List<(string Name, byte[] Value)> Properties { get; } = [];
        public List<Node> Children { get; } = [];

        public byte[]? this[string property] => Properties.FirstOrDefault(p => p.Name == property).Value;

        public void Set(string property, byte[] value)
        {
            var at = Properties.FindIndex(p => p.Name == property);
            if (at >= 0)
                Properties[at] = (property, value);
            else
                Properties.Add((property, value));
        }

        public Node? Child(string called) => Children.Find(c => c.Name == called);

        public IEnumerable<Node> All => Children.SelectMany(c => c.All).Prepend(this);

        public uint? Handle =>
            (this["phandle"] ?? this["linux,phandle"]) is { Length: 4 } bytes ? BinaryPrimitives.ReadUInt32BigEndian(bytes) : null;
    }

    /// <summary>Whether a tree is an overlay: it changes other trees and is no board.</summary>
    public static bool IsOverlay(DeviceTree tree) => tree.Nodes[0].Children.Any(c => c.Children.Any(o => o.Name == "__overlay__"));

    /// <summary>The tree with the overlay laid over it, as a blob; a problem when either is damaged, or when the overlay names what the tree has not.</summary>
    /// <param name="name">What the overlay is called, for the words of a problem.</param>
    public static Answer<byte[]> Lay(byte[] tree, byte[] overlay, string name)
    {
        try
        {
            var (below, above) = (Of(DeviceTree.Read(tree)), Of(DeviceTree.Read(overlay)));
            if (above.Children.All(f => f.Child("__overlay__") is null))
                return new Problem(
                    "An overlay has fragments that change another tree.",
                    $"{name} has none.",
                    "Choose an overlay, such as a .dtbo file."
                );
            if (Merge(below, above, name) is { } problem)
                return problem;
            return Blob(below);
        }
        catch (UnreadableException e)
        {
            return new Problem("A device tree and its overlay should be readable.", $"{name}: {e.Message}.", "Get the file again.");
        }
    }

    private static Node Of(DeviceTree tree)
    {
        Node Copy(TreeNode node)
        {
            var copy = new Node(node.Name);
            foreach (var property in node.Properties)
                copy.Properties.Add((property, node.Bytes(property)!));
            copy.Children.AddRange(node.Children.Select(Copy));
            return copy;
        }
        return Copy(tree.Nodes[0]);
    }

    private static Problem? Merge(Node below, Node above, string name)
    {
        // Handles of the overlay move above those of the tree, with all that refers to them.
        var delta = below.All.Max(n => n.Handle is { } h and not uint.MaxValue ? h : 0);
        foreach (var node in above.All)
        foreach (var property in (string[])["phandle", "linux,phandle"])
            if (node[property] is { Length: 4 } handle)
                BinaryPrimitives.WriteUInt32BigEndian(handle, BinaryPrimitives.ReadUInt32BigEndian(handle) + delta);
        if (above.Child("__local_fixups__") is { } local)
            Move(above, local, delta);
        if (above.Child("__fixups__") is { } fixups)
            foreach (var (label, places) in fixups.Properties)
                if (Resolve(below, above, label, places, name) is { } problem)
                    return problem;
        foreach (var fragment in above.Children)
        {
            if (fragment.Child("__overlay__") is not { } content)
                continue;
            var target =
                fragment["target"] is { Length: >= 4 } handle
                    ? below.All.FirstOrDefault(n => n.Handle == BinaryPrimitives.ReadUInt32BigEndian(handle))
                : fragment["target-path"] is { } path ? Find(below, Text(path))
                : null;
            if (target is null)
                return new(
                    "What an overlay changes should be in the device tree.",
                    $"{name} changes {(fragment["target-path"] is { } at ? Text(at) : "a node that it names by a handle")}, and this tree has no such node.",
                    "Take the tree that the overlay was made for."
                );
            Put(content, target);
            Symbols(below, above, fragment, target);
        }
        return null;
    }

    private static string Text(byte[] bytes) => Encoding.ASCII.GetString(bytes).TrimEnd('\0');

    /// <summary>Adds to every handle that __local_fixups__ points at; its nodes mirror those of the overlay.</summary>
    private static void Move(Node node, Node fixups, uint delta)
    {
        foreach (var (property, places) in fixups.Properties)
            if (node[property] is { } value)
                for (var i = 0; i + 4 <= places.Length; i += 4)
                {
                    var at = BinaryPrimitives.ReadUInt32BigEndian(places.AsSpan(i));
                    if (at + 4L > value.Length)
                        throw new UnreadableException("a reference in it lies beyond its property");
                    var cell = value.AsSpan((int)at, 4);
                    BinaryPrimitives.WriteUInt32BigEndian(cell, BinaryPrimitives.ReadUInt32BigEndian(cell) + delta);
                }
        foreach (var child in fixups.Children)
            if (node.Child(child.Name) is { } same)
                Move(same, child, delta);
    }

    /// <summary>Writes the handle of a labelled node of the tree wherever the overlay refers to it ("path:property:offset").</summary>
    private static Problem? Resolve(Node below, Node above, string label, byte[] places, string name)
    {
        if (below.Child("__symbols__") is not { } symbols)
            return new(
                "A tree that overlays are laid over keeps its labels (dtc -@).",
                $"This one has none, and {name} names {label}.",
                "Take a tree that was compiled with its labels."
            );
        if (symbols[label] is not { } path || Find(below, Text(path)) is not { } target)
            return new(
                "What an overlay names should be in the device tree.",
                $"{name} names {label}, which this tree has not.",
                "Take the tree that the overlay was made for."
            );
        if (target.Handle is not { } handle)
        {
            // dtc -@ gives every labelled node a handle; one that was made otherwise gets it now.
            handle = below.All.Concat(above.All).Max(n => n.Handle ?? 0) + 1;
            var bytes = new byte[4];
            BinaryPrimitives.WriteUInt32BigEndian(bytes, handle);
            target.Set("phandle", bytes);
        }
        foreach (var place in Text(places).Split('\0', StringSplitOptions.RemoveEmptyEntries))
        {
            if (
                place.Split(':') is not [var node, var property, var offset]
                || !uint.TryParse(offset, out var at)
                || Find(above, node)?[property] is not { } value
                || at + 4L > value.Length
            )
                throw new UnreadableException($"its reference {place} cannot be followed");
            BinaryPrimitives.WriteUInt32BigEndian(value.AsSpan((int)at), handle);
        }
        return null;
    }

    /// <summary>The node at a path, or behind an alias; null when there is none.</summary>
    private static Node? Find(Node root, string path)
    {
        if (path.Length > LongestTarget)
            return null;
        if (!path.StartsWith('/'))
        {
            var alias = path.Split('/')[0];
            if (root.Child("aliases")?[alias] is not { } full || Text(full) is not ['/', ..] at)
                return null;
            path = at + path[alias.Length..];
        }
        var node = root;
        foreach (var part in path.Split('/', StringSplitOptions.RemoveEmptyEntries))
        {
            // A name without its unit address finds the first one of that name.
            if ((node.Child(part) ?? node.Children.Find(c => c.Name.Split('@')[0] == part)) is not { } next)
                return null;
            node = next;
        }
        return node;
    }

    private static void Put(Node from, Node onto)
    {
        foreach (var (property, value) in from.Properties)
            onto.Set(property, value);
        foreach (var child in from.Children)
        {
            if (onto.Child(child.Name) is not { } same)
                onto.Children.Add(same = new(child.Name));
            Put(child, same);
        }
    }

    /// <summary>Labels of the overlay become labels of the tree, so that another overlay may be laid on top.</summary>
    private static void Symbols(Node below, Node above, Node fragment, Node target)
    {
        if (above.Child("__symbols__") is not { } labels || below.Child("__symbols__") is not { } known)
            return;
        var prefix = $"/{fragment.Name}/__overlay__";
        foreach (var (label, path) in labels.Properties)
            if (Text(path) is var at && (at == prefix || at.StartsWith(prefix + "/", StringComparison.Ordinal)))
                known.Set(
                    label,
                    Encoding.ASCII.GetBytes(
                        PathOf(below, target) is var to && to == "/" && at.Length > prefix.Length
                            ? at[prefix.Length..] + "\0"
                            : to + at[prefix.Length..] + "\0"
                    )
                );
    }

    private static string PathOf(Node root, Node wanted)
    {
        string? Under(Node node, string path) =>
            node == wanted
                ? path
                : node.Children.Select(c => Under(c, path == "/" ? "/" + c.Name : $"{path}/{c.Name}")).FirstOrDefault(p => p is not null);
        return Under(root, "/")!;
    }

    /// <summary>Writes a tree (Devicetree Specification 0.4, chapter 5, version 17); the memory reservations are not kept.</summary>
    private static byte[] Blob(Node root)
    {
        using var structure = new MemoryStream();
        var names = new Dictionary<string, int>();
        using var strings = new MemoryStream();
        void Word(Stream into, uint number)
        {
            Span<byte> bytes = stackalloc byte[4];
            BinaryPrimitives.WriteUInt32BigEndian(bytes, number);
            into.Write(bytes);
        }
        void Padded(ReadOnlySpan<byte> bytes)
        {
            structure.Write(bytes);
            structure.Write(new byte[-bytes.Length & 3]);
        }
        void Write(Node node)
        {
            Word(structure, 1);
            Padded(Encoding.ASCII.GetBytes(node.Name + "\0"));
            foreach (var (name, value) in node.Properties)
            {
                if (!names.TryGetValue(name, out var at))
                {
                    names[name] = at = (int)strings.Length;
                    strings.Write(Encoding.ASCII.GetBytes(name + "\0"));
                }
                Word(structure, 3);
                Word(structure, (uint)value.Length);
                Word(structure, (uint)at);
                Padded(value);
            }
            foreach (var child in node.Children)
                Write(child);
            Word(structure, 2);
        }
        Write(root);
        Word(structure, 9);
        const uint header = 40;
        const uint reservations = 16;
        var (nodes, text) = ((uint)structure.Length, (uint)strings.Length);
        const uint start = header + reservations;
        using var blob = new MemoryStream();
        foreach (var number in (uint[])[0xD00DFEED, start + nodes + text, start, start + nodes, header, 17, 16, 0, text, nodes])
            Word(blob, number);
        blob.Write(new byte[reservations]);
        structure.WriteTo(blob);
        strings.WriteTo(blob);
        return blob.ToArray();
    }
}
