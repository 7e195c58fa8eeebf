using System.Buffers.Binary;
using System.Text;

namespace Buttonhook.Core.Tests;

/// <summary>Writes flattened device trees (Devicetree Specification 0.4, chapter 5), which FIT images are too.</summary>
public sealed class TreeMaker
{
    private readonly SortedDictionary<string, List<(string Name, byte[] Value)>> nodes = new(StringComparer.Ordinal) { [""] = [] };

    public TreeMaker Bytes(string node, string name, byte[] value)
    {
        var path = "";
        foreach (var part in node.Split('/', StringSplitOptions.RemoveEmptyEntries))
            nodes.TryAdd(path += "/" + part, []);
        nodes[path].Add((name, value));
        return this;
    }

    public TreeMaker Text(string node, string name, string text) => Bytes(node, name, Encoding.ASCII.GetBytes(text + "\0"));

    public TreeMaker Cell(string node, string name, uint number)
    {
        var value = new byte[4];
        BinaryPrimitives.WriteUInt32BigEndian(value, number);
        return Bytes(node, name, value);
    }

    public byte[] Blob()
    {
        using var structure = new MemoryStream();
        var names = new List<string>();
        void Padded(byte[] bytes)
        {
            structure.Write(bytes);
            structure.Write(new byte[-bytes.Length & 3]);
        }
        void Node(string path)
        {
            Word(structure, 1);
            Padded(Encoding.ASCII.GetBytes(path[(path.LastIndexOf('/') + 1)..] + "\0"));
            foreach (var (name, value) in nodes[path])
            {
                if (!names.Contains(name))
                    names.Add(name);
                Word(structure, 3);
                Word(structure, (uint)value.Length);
                Word(structure, (uint)names.TakeWhile(n => n != name).Sum(n => n.Length + 1));
                Padded(value);
            }
            foreach (var child in nodes.Keys.Where(k => k.Length > path.Length && k[..k.LastIndexOf('/')] == path))
                Node(child);
            Word(structure, 2);
        }
        Node("");
        Word(structure, 9);
        var text = Encoding.ASCII.GetBytes(string.Concat(names.Select(n => n + "\0")));
        using var blob = new MemoryStream();
        var length = (uint)structure.Length;
        foreach (
            var number in (uint[])[0xD00DFEED, 56 + length + (uint)text.Length, 56, 56 + length, 40, 17, 16, 0, (uint)text.Length, length]
        )
            Word(blob, number);
        blob.Write(new byte[16]);
        blob.Write(structure.ToArray());
        blob.Write(text);
        return blob.ToArray();
    }

    private static void Word(Stream into, uint number)
    {
        Span<byte> bytes = stackalloc byte[4];
        BinaryPrimitives.WriteUInt32BigEndian(bytes, number);
        into.Write(bytes);
    }
}
