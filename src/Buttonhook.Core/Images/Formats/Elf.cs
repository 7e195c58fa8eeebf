namespace Buttonhook.Core.Images.Formats;

/// <summary>The instruction set of a program (System V ABI, ELF header).</summary>
internal static class Elf
{
    public static InstructionSet? Read(ReadOnlySpan<byte> head) =>
        head.Length < 20 || Field.B32(head, 0) != 0x7F454C46
            ? null
            : Field.U16(head, 18) switch
            {
                40 => InstructionSet.Armhf,
                183 => InstructionSet.Arm64,
                243 => InstructionSet.Riscv64,
                62 => InstructionSet.Amd64,
                _ => null,
            };

    /// <summary>The program that loads it with its libraries (PT_INTERP); null for one that needs none, or when it is not told in these bytes.</summary>
    public static string? Interpreter(ReadOnlySpan<byte> head)
    {
        if (!Is(head) || head.Length < 64)
            return null;
        var wide = head[4] == 2;
        long table = wide ? (long)Field.U64(head, 32) : Field.U32(head, 28);
        int size = Field.U16(head, wide ? 54 : 42),
            count = Field.U16(head, wide ? 56 : 44);
        for (var k = 0; k < Math.Min(count, 64) && size >= 32; k++)
        {
            var at = table + k * size;
            if (at < 0 || at + size > head.Length)
                return null;
            if (Field.U32(head, (int)at) != 3)
                continue;
            long from = wide ? (long)Field.U64(head, (int)at + 8) : Field.U32(head, (int)at + 4),
                length = wide ? (long)Field.U64(head, (int)at + 32) : Field.U32(head, (int)at + 16);
            return from > 0 && length is > 1 and < 4096 && from + length <= head.Length
                ? Field.Text(head.Slice((int)from, (int)length))
                : null;
        }
        return null;
    }

    /// <summary>The libraries that a program of 64 bits needs (DT_NEEDED), and the folders that it names for them itself (DT_RUNPATH, DT_RPATH); empty when that cannot be read.</summary>
    /// <param name="file">The whole program.</param>
    public static (IReadOnlyList<string> Needed, IReadOnlyList<string> Folders) Libraries(byte[] file)
    {
        try
        {
            return Is(file) && file.Length > 64 && file[4] == 2 ? Dynamic(file) : ([], []);
        }
        catch (UnreadableException)
        {
            return ([], []);
        }
    }

    private static (IReadOnlyList<string>, IReadOnlyList<string>) Dynamic(byte[] file)
    {
        var rows = new List<(uint Type, long At, ulong Address, long Size)>();
        for (var k = 0; k < Math.Min((int)Field.U16(file, 56), 64); k++)
        {
            var at = (int)Math.Min(Field.U64(file, 32), int.MaxValue / 2) + k * Field.U16(file, 54);
            rows.Add((Field.U32(file, at), (long)Field.U64(file, at + 8), Field.U64(file, at + 16), (long)Field.U64(file, at + 32)));
        }
        var values = new List<(ulong Tag, ulong Value)>();
        foreach (var (_, at, _, size) in rows.Where(r => r.Type == 2).Take(1))
            for (var o = 0L; o < Math.Min(size, 1 << 16) && at + o < int.MaxValue; o += 16)
                values.Add((Field.U64(file, (int)(at + o)), Field.U64(file, (int)(at + o) + 8)));
        var names = values.FirstOrDefault(v => v.Tag == 5).Value;
        var load = rows.FirstOrDefault(r => r.Type == 1 && names >= r.Address && names < r.Address + (ulong)r.Size);
        if (load.Type != 1)
            return ([], []);
        var start = load.At + (long)(names - load.Address);
        string Text(ulong offset) =>
            start + (long)offset is var at && at >= 0 && at < file.Length
                ? Field.Text(file.AsSpan((int)at, (int)Math.Min(4096, file.Length - at)))
                : throw new UnreadableException("a name lies beyond the end");
        return (
            [.. values.Where(v => v.Tag == 1).Select(v => Text(v.Value))],
            [.. values.Where(v => v.Tag is 15 or 29).SelectMany(v => Text(v.Value).Split(':'))]
        );
    }

    public static bool Is(ReadOnlySpan<byte> head) => head.Length >= 20 && Field.B32(head, 0) == 0x7F454C46;
}
