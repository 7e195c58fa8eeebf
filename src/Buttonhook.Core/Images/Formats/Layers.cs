using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>Volumes inside of a partition: LVM2 and md, as far as one disk holds them whole; a LUKS container is recognised and stays closed.</summary>
public static class Layers
{
    /// <summary>Names as libblkid gives them.</summary>
    public const string Lvm = "LVM2_member",
        Luks = "crypto_LUKS",
        Raid = "linux_raid_member";

    private const uint RaidMagic = 0xA92B4EFC;
    private const int MostMetadata = 16 << 20;

    /// <summary>Which layer begins here, or null.</summary>
    public static string? KindOf(ImageBytes bytes)
    {
        var head = bytes.At(0, 8192);
        if (head.Length < 8192)
            return null;
        if (head is [(byte)'L', (byte)'U', (byte)'K', (byte)'S', 0xBA, 0xBE, ..])
            return Luks;
        if (LabelAt(head) is not null)
            return Lvm;
        return RaidAt(bytes) is not null ? Raid : null;
    }

    /// <summary>The volumes inside of a layer: name below /dev, bytes (null when this disk does not hold them whole), and why not.</summary>
    public static IEnumerable<(string Name, ImageBytes? Bytes, string? Because)> Inside(ImageBytes bytes, string? kind) =>
        kind switch
        {
            Lvm => Logical(bytes),
            Raid => Mirrored(bytes),
            _ => [],
        };

    /// <summary>The label of a physical volume stands in one of the first four sectors (lib/format_text/layout.h of LVM2).</summary>
    private static int? LabelAt(byte[] head)
    {
        for (var at = 0; at < 2048; at += 512)
            if (head.AsSpan(at).StartsWith("LABELONE"u8) && head.AsSpan(at + 24).StartsWith("LVM2 001"u8))
                return at;
        return null;
    }

    private static IEnumerable<(string, ImageBytes?, string?)> Logical(ImageBytes bytes)
    {
        var head = bytes.At(0, 8192);
        var at = LabelAt(head)!.Value;
        var header = (int)Math.Min(at + (long)Field.U32(head, at + 20), head.Length);
        if (header + 40 > head.Length)
            throw new UnreadableException("the label of the volume group is damaged");
        var id = Encoding.ASCII.GetString(head, header, 32);
        var next = header + 40;
        while (Field.U64(head, next) != 0)
            next += 16; // data areas
        next += 16;
        var area = (long)Field.U64(head, next);
        var mda = bytes.Exactly(area, 512);
        if (!mda.AsSpan(4, 16).SequenceEqual(" LVM2 x[5A%r0N*>"u8))
            throw new UnreadableException("the metadata of the volume group are damaged");
        long size = (long)Field.U64(mda, 32),
            from = (long)Field.U64(mda, 40),
            length = (long)Field.U64(mda, 48);
        if (length is <= 0 or > MostMetadata || from < 512 || from >= size)
            throw new UnreadableException("the metadata of the volume group are damaged");
        // The text runs in a circle behind the header.
        var first = (int)Math.Min(length, size - from);
        var text = (byte[])[.. bytes.Exactly(area + from, first), .. bytes.At(area + 512, (int)length - first)];
        var (group, tree) = LvmText.Read(Encoding.UTF8.GetString(text));
        var extent = (long)(tree.Number("extent_size") ?? 0) * 512;
        var mine = tree.Child("physical_volumes")?.Children.FirstOrDefault(c => c.Value.Text("id")?.Replace("-", "") == id);
        if (extent == 0 || mine is not { Value: { } volume, Key: { } key })
            throw new UnreadableException("the metadata of the volume group do not name this partition");
        var data = (long)(volume.Number("pe_start") ?? 0) * 512;
        foreach (var (name, logical) in tree.Child("logical_volumes")?.Children ?? [])
        {
            var pieces = new List<(long Start, long Length, long From)>();
            string? why = null;
            foreach (var segment in logical.Children.Values)
            {
                var start = (long)(segment.Number("start_extent") ?? 0) * extent;
                var count = (long)(segment.Number("extent_count") ?? 0) * extent;
                if (segment.Text("type") != "striped" || segment.Number("stripe_count") != 1)
                    why = $"it is of type {segment.Text("type")}, which is not read here";
                else if (segment.List("stripes") is not [var on, var place] || on != key || !long.TryParse(place, out var extents))
                    why = "a part of it lies on another disk";
                else
                    pieces.Add((start, count, data + extents * extent));
            }
            yield return why is null && pieces.Count > 0
                ? ($"{group}/{name}", new Pieces(bytes, pieces), null)
                : ($"{group}/{name}", null, why ?? "it is empty");
        }
    }

    /// <summary>The superblock of version 1 (drivers/md of Linux): at 4 KiB (1.2), or at the start (1.1).</summary>
    private static byte[]? RaidAt(ImageBytes bytes)
    {
        foreach (var at in (long[])[4096, 0])
            if (bytes.At(at, 256) is { Length: 256 } block && Field.U32(block, 0) == RaidMagic && Field.U32(block, 4) == 1)
                return block;
        return null;
    }

    private static IEnumerable<(string, ImageBytes?, string?)> Mirrored(ImageBytes bytes)
    {
        var block = RaidAt(bytes)!;
        var name = $"md/{Field.Text(block.AsSpan(32, 32)).Split(':')[^1]}";
        var level = (int)Field.U32(block, 0x48);
        yield return level == 1 || Field.U32(block, 0x5C) == 1
            ? (name, bytes.Slice((long)Field.U64(block, 0x80) * 512, (long)Field.U64(block, 0x88) * 512), null)
            : (name, null, $"it is an array of level {level} over {Field.U32(block, 0x5C)} disks");
    }

    private sealed class Pieces(ImageBytes whole, IReadOnlyList<(long Start, long Length, long From)> pieces) : ImageBytes
    {
        public override long Length { get; } = pieces.Max(p => p.Start + p.Length);

        public override int Read(long offset, Span<byte> into)
        {
            var done = 0;
            while (done < into.Length)
            {
                var at = offset + done;
                var piece = pieces.FirstOrDefault(p => at >= p.Start && at < p.Start + p.Length);
                if (piece.Length == 0)
                    break;
                var most = (int)Math.Min(into.Length - done, piece.Start + piece.Length - at);
                var read = whole.Read(piece.From + at - piece.Start, into.Slice(done, most));
                if (read == 0)
                    break;
                done += read;
            }
            return done;
        }
    }
}

/// <summary>The text in which LVM2 keeps its metadata (lib/format_text): sections in braces, numbers, quoted texts, lists in brackets.</summary>
internal sealed class LvmText
{
    private const int Deepest = 16;
    private readonly Dictionary<string, IReadOnlyList<string>> values = [];

    /// <summary>The sections inside of this one.</summary>
    public Dictionary<string, LvmText> Children { get; } = [];

    public LvmText? Child(string name) => Children.GetValueOrDefault(name);

    public string? Text(string name) => values.GetValueOrDefault(name) is [var one] ? one : null;

    public ulong? Number(string name) => ulong.TryParse(Text(name), out var number) ? number : null;

    public IReadOnlyList<string> List(string name) => values.GetValueOrDefault(name) ?? [];

    /// <summary>The volume group's name and its section; throws <see cref="UnreadableException"/> when there is none.</summary>
    public static (string Group, LvmText Section) Read(string text)
    {
        var tokens = Tokens(text);
        var at = 0;
        var top = Section(tokens, ref at, 0);
        return top.Children.FirstOrDefault() is { Value: { } section, Key: { } name }
            ? (name, section)
            : throw new UnreadableException("the metadata of the volume group are damaged");
    }

    private static LvmText Section(List<string> tokens, ref int at, int depth)
    {
        var section = new LvmText();
        while (at < tokens.Count && tokens[at] != "}")
        {
            var name = tokens[at++];
            var mark = at < tokens.Count ? tokens[at] : "";
            if (mark == "{" && depth < Deepest)
            {
                at++;
                section.Children[name] = Section(tokens, ref at, depth + 1);
                at++;
            }
            else if (mark == "=")
            {
                at++;
                var list = new List<string>();
                if (at < tokens.Count && tokens[at] == "[")
                {
                    for (at++; at < tokens.Count && tokens[at] != "]"; at++)
                        if (tokens[at] != ",")
                            list.Add(tokens[at].Trim('"'));
                    at++;
                }
                else if (at < tokens.Count)
                    list.Add(tokens[at++].Trim('"'));
                section.values[name] = list;
            }
        }
        return section;
    }

    private static List<string> Tokens(string text)
    {
        var tokens = new List<string>();
        for (var i = 0; i < text.Length; )
        {
            var c = text[i];
            if (c == '\0')
                break;
            if (c == '#')
                while (i < text.Length && text[i] != '\n')
                    i++;
            else if (char.IsWhiteSpace(c))
                i++;
            else if ("{}[]=,".Contains(c))
            {
                tokens.Add(c.ToString());
                i++;
            }
            else
            {
                var start = i;
                if (c == '"')
                    for (i++; i < text.Length && text[i] != '"'; i++)
                        i += text[i] == '\\' ? 1 : 0;
                else
                    while (i < text.Length && !char.IsWhiteSpace(text[i]) && !"{}[]=,#\0".Contains(text[i]))
                        i++;
                i = Math.Min(text.Length, c == '"' ? i + 1 : i);
                tokens.Add(text[start..i]);
            }
        }
        return tokens;
    }
}
