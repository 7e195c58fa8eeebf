using System.IO.Hashing;
using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>One partition: number from 1, place in bytes, type (MBR byte as two hex digits, or GPT type), and the id that <c>PARTUUID=</c> names.</summary>
public sealed record Partition(int Number, long StartBytes, long LengthBytes, string Type, string PartUuid, string? Name, bool Bootable)
{
    /// <summary>The first byte after it.</summary>
    public long EndBytes => StartBytes + LengthBytes;
}

/// <summary>A partition table: mbr, gpt or none.</summary>
/// <param name="FirstCopyDamaged">The first GPT is damaged and the second one was read: loaders go on with that one, the kernel does only with <c>gpt</c> on its command line.</param>
/// <param name="Hybrid">Partitions that an MBR beside the GPT names too: EFI firmware, U-Boot and the kernel read the GPT, loaders that know only an MBR read these.</param>
/// <param name="UsableEndBytes">Where the space ends that a GPT promises; 0 for other tables. A disk that ends before it is refused by loaders and kernel.</param>
public sealed record PartitionTable(
    string Kind,
    IReadOnlyList<Partition> Partitions,
    IReadOnlyList<string> Notes,
    bool FirstCopyDamaged = false,
    long UsableEndBytes = 0,
    IReadOnlyList<Partition>? Hybrid = null
)
{
    private const int Sector = 512;
    private const int MostEntries = 1024;

    /// <summary>The type of an EFI system partition (UEFI specification, 5.3.3).</summary>
    public const string EfiSystem = "c12a7328-f81f-11d2-ba4b-00a0c93ec93b";

    /// <summary>Reads the table of an image; damaged entries are left out with a note. MBR with logical partitions, and GPT (UEFI 5.3).</summary>
    public static PartitionTable Read(ImageBytes image)
    {
        var notes = new List<string>();
        var first = image.At(0, Sector);
        if (first.Length < Sector || first[510] != 0x55 || first[511] != 0xAA)
            return new("none", [], notes);
        // A boot sector of a bare file system ends in the same mark; a table says of each partition whether it is marked, and nothing else
        // (block/partitions/msdos.c of Linux).
        for (var i = 0; i < 4; i++)
            if (first[446 + i * 16] is not (0 or 0x80))
                return new("none", [], notes);
        // A protective entry may stand in any row (is_pmbr_valid in block/partitions/efi.c); others beside it make the table a hybrid one.
        if (!Enumerable.Range(0, 4).Any(i => first[450 + i * 16] == 0xEE))
            return Mbr(image, first, notes);
        var hybrid = Mbr(image, first, []).Partitions.Where(p => p.Type != "ee").ToList();
        if (hybrid.Count > 0)
            notes.Add("Beside its GPT it has an MBR with partitions of its own (a hybrid one): firmware that knows both reads the GPT.");
        return Gpt(image, notes) with { Hybrid = hybrid };
    }

    private static PartitionTable Mbr(ImageBytes image, byte[] first, List<string> notes)
    {
        var disk = Field.U32(first, 440).ToString("x8");
        var list = new List<Partition>();
        long extended = 0;
        for (var i = 0; i < 4; i++)
        {
            var (type, start, length, boot) = Entry(first, i);
            if (type == 0 || length == 0)
                continue;
            if (type is 0x05 or 0x0F or 0x85)
                extended = start;
            else
                list.Add(new(i + 1, start, length, type.ToString("x2"), $"{disk}-{i + 1:x2}", null, boot));
        }
        // Logical partitions: a chain of tables, each relative to the extended one.
        var seen = new HashSet<long>();
        var number = 5;
        for (var at = extended; at != 0 && seen.Add(at) && number < 5 + 128; number++)
        {
            var table = image.At(at, Sector);
            if (table.Length < Sector || table[510] != 0x55 || table[511] != 0xAA)
            {
                notes.Add($"The chain of logical partitions breaks at byte {at}.");
                break;
            }
            var (type, start, length, boot) = Entry(table, 0);
            if (type != 0 && length != 0)
                list.Add(new(number, at + start, length, type.ToString("x2"), $"{disk}-{number:x2}", null, boot));
            var (nextType, next, _, _) = Entry(table, 1);
            at = nextType == 0 ? 0 : extended + next;
        }
        return new("mbr", list, notes);
    }

    private static (byte Type, long Start, long Length, bool Boot) Entry(byte[] table, int index)
    {
        var at = 446 + index * 16;
        return (table[at + 4], (long)Field.U32(table, at + 8) * Sector, (long)Field.U32(table, at + 12) * Sector, table[at] == 0x80);
    }

    /// <summary>The header of a GPT when it is in order: signature, its checksum and that of the entries (UEFI 5.3.2).</summary>
    private static byte[]? Header(ImageBytes image, long at)
    {
        var header = image.At(at, 92);
        if (header.Length < 92 || !header.AsSpan(0, 8).SequenceEqual("EFI PART"u8))
            return null;
        var size = Field.U32(header, 12);
        var whole = size is >= 92 and <= Sector ? image.At(at, (int)size) : [];
        if (whole.Length < size || whole.Length == 0)
            return null;
        Array.Clear(whole, 16, 4);
        if (Crc32.HashToUInt32(whole) != Field.U32(header, 16))
            return null;
        var bytes = (long)Field.U32(header, 80) * Field.U32(header, 84);
        if (bytes is <= 0 or > MostEntries * 4096L)
            return header;
        var entries = image.At((long)Math.Min(Field.U64(header, 72), long.MaxValue / 1024) * Sector, (int)bytes);
        return entries.Length == bytes && Crc32.HashToUInt32(entries) == Field.U32(header, 88) ? header : null;
    }

    private static PartitionTable Gpt(ImageBytes image, List<string> notes)
    {
        var header = Header(image, Sector);
        var damaged = header is null;
        if (header is null)
        {
            header = Header(image, (image.Length / Sector - 1) * Sector);
            if (header is null)
                return new("gpt", [], ["The protective table promises a GPT, but no header in order is there."]);
            notes.Add("The first GPT is damaged; the second one is used.");
        }
        var table = (long)Math.Min(Field.U64(header, 72), long.MaxValue / 1024) * Sector;
        int count = (int)Math.Min(Field.U32(header, 80), MostEntries),
            size = (int)Field.U32(header, 84);
        if (size is < 128 or > 4096)
            return new("gpt", [], [$"An entry of the GPT has {size} bytes, which cannot be."]);
        var backup = (long)Math.Min(Field.U64(header, 32), long.MaxValue / 1024) * Sector;
        if (!image.At(backup, 8).AsSpan().SequenceEqual("EFI PART"u8))
            notes.Add("The second GPT header at the end is missing.");
        var list = new List<Partition>();
        for (var i = 0; i < count; i++)
        {
            var entry = image.At(table + (long)i * size, 128);
            if (entry.Length < 128)
                break;
            var type = new Guid(entry.AsSpan(0, 16));
            if (type == Guid.Empty)
                continue;
            var (start, last) = (Field.U64(entry, 32), Field.U64(entry, 40));
            if (last < start || last > long.MaxValue / 1024)
            {
                notes.Add($"Entry {i + 1} of the GPT ends before it begins.");
                continue;
            }
            list.Add(
                new(
                    i + 1,
                    (long)start * Sector,
                    (long)(last - start + 1) * Sector,
                    type.ToString(),
                    new Guid(entry.AsSpan(16, 16)).ToString(),
                    Encoding.Unicode.GetString(entry, 56, 72).TrimEnd('\0'),
                    (Field.U64(entry, 48) & 4) != 0
                )
            );
        }
        return new("gpt", list, notes, damaged, ((long)Math.Min(Field.U64(header, 48), long.MaxValue / 1024) + 1) * Sector);
    }
}
