using System.Buffers.Binary;
using System.Text;

namespace Buttonhook.Core.Tests;

/// <summary>Writes EFI programs (PE/COFF) with sections, as much of them as loaders and readers look at.</summary>
public static class EfiMaker
{
    /// <summary>A program for a processor with these sections.</summary>
    public static byte[] Program(InstructionSet set, params (string Name, byte[] Content)[] sections)
    {
        const int header = 0x80,
            alignment = 512;
        var start = (header + 24 + 112 + sections.Length * 40 + alignment - 1) / alignment * alignment;
        using var file = new MemoryStream();
        var head = new byte[start];
        "MZ"u8.CopyTo(head);
        BinaryPrimitives.WriteUInt32LittleEndian(head.AsSpan(0x3C), header);
        BinaryPrimitives.WriteUInt32LittleEndian(head.AsSpan(header), 0x4550);
        BinaryPrimitives.WriteUInt16LittleEndian(
            head.AsSpan(header + 4),
            set switch
            {
                InstructionSet.Arm64 => 0xAA64,
                InstructionSet.Amd64 => 0x8664,
                InstructionSet.Riscv64 => 0x5064,
                _ => 0x01C2,
            }
        );
        BinaryPrimitives.WriteUInt16LittleEndian(head.AsSpan(header + 6), (ushort)sections.Length);
        BinaryPrimitives.WriteUInt16LittleEndian(head.AsSpan(header + 20), 112);
        file.Write(head);
        var at = header + 24 + 112;
        foreach (var (name, content) in sections)
        {
            var entry = head.AsSpan(at, 40);
            Encoding.ASCII.GetBytes(name).AsSpan().CopyTo(entry);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[8..], (uint)content.Length);
            var padded = (content.Length + alignment - 1) / alignment * alignment;
            BinaryPrimitives.WriteUInt32LittleEndian(entry[16..], (uint)padded);
            BinaryPrimitives.WriteUInt32LittleEndian(entry[20..], (uint)file.Length);
            file.Write(content);
            file.Write(new byte[padded - content.Length]);
            at += 40;
        }
        var bytes = file.ToArray();
        head.CopyTo(bytes, 0);
        return bytes;
    }

    /// <summary>The modules that GRUB carries, with the prefix in them.</summary>
    public static byte[] Grub(InstructionSet set = InstructionSet.Arm64, string? prefix = null)
    {
        using var modules = new MemoryStream();
        void Word(ulong number, int size)
        {
            Span<byte> bytes = stackalloc byte[8];
            BinaryPrimitives.WriteUInt64LittleEndian(bytes, number);
            modules.Write(bytes[..size]);
        }
        modules.Write("mimg"u8);
        Word(0, 4);
        Word(24, 8);
        Word(0, 8);
        Word(0, 4);
        Word(16, 4);
        modules.Write("a module"u8);
        if (prefix is not null)
        {
            var text = Encoding.ASCII.GetBytes(prefix + "\0");
            Word(3, 4);
            Word((ulong)(8 + text.Length), 4);
            modules.Write(text);
        }
        return Program(set, (".text", new byte[64]), ("mods", modules.ToArray()), (".reloc", new byte[16]));
    }

    /// <summary>A menu of boot entries.</summary>
    public static byte[] EntryMenu(InstructionSet set = InstructionSet.Arm64) =>
        Program(set, (".text", new byte[64]), (".data", Encoding.Unicode.GetBytes("\\loader\\entries")));

    /// <summary>A later menu of boot entries: no path stands in it; a section of its own and a line for tools tell what it is.</summary>
    public static byte[] LaterEntryMenu(InstructionSet set = InstructionSet.Arm64) =>
        Program(
            set,
            (".text", new byte[64]),
            (".sdmagic", "#### LoaderInfo: entry-menu 257.9 ####\0"u8.ToArray()),
            (".osrel", "ID=fallow\n"u8.ToArray())
        );

    /// <summary>A unified kernel.</summary>
    public static byte[] Unified(InstructionSet set, byte[] kernel, byte[]? initial, string? commandLine, params (string, byte[])[] more) =>
        Program(
            set,
            [
                (".osrel", Encoding.ASCII.GetBytes("PRETTY_NAME=\"Fallow 12 server\"\nID=fallow\nVERSION_ID=12\n")),
                .. commandLine is null ? [] : new[] { (".cmdline", Encoding.ASCII.GetBytes(commandLine + "\0")) },
                .. initial is null ? [] : new[] { (".initrd", initial) },
                (".linux", kernel),
                .. more,
            ]
        );
}
