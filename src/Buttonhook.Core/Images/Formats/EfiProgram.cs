using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>What an EFI program does, told from itself and never from its name.</summary>
public enum EfiKind
{
    /// <summary>Nothing in it tells.</summary>
    Unknown,

    /// <summary>GRUB: it carries its modules in a section of its own.</summary>
    Grub,

    /// <summary>A menu of boot entries (boot loader specification).</summary>
    EntryMenu,

    /// <summary>A unified kernel image: kernel, initial file system and command line in sections.</summary>
    UnifiedKernel,

    /// <summary>A kernel that firmware can start.</summary>
    Kernel,

    /// <summary>A first program that checks a signature and starts the next one beside it.</summary>
    Shim,
}

/// <summary>An EFI program (PE/COFF): for which processor, what it does, and its sections.</summary>
/// <param name="Architecture">Null for a processor that no board here has.</param>
/// <param name="Fault">Why firmware does not start it, or null.</param>
/// <param name="Sections">Name and content of each section, in their order; a name may stand several times.</param>
public sealed record EfiProgram(
    InstructionSet? Architecture,
    EfiKind Kind,
    string? Fault,
    IReadOnlyList<(string Name, ReadOnlyMemory<byte> Content)> Sections
)
{
    private const int MostSections = 96;

    /// <summary>Reads a program (PE format, "COFF file header" and "section table"); null when it is none.</summary>
    public static EfiProgram? Read(byte[] file)
    {
        if (file.Length < 0x40 || file[0] != 'M' || file[1] != 'Z')
            return null;
        try
        {
            var pe = Field.U32(file, 0x3C);
            if (pe > int.MaxValue || Field.U32(file, (int)pe) != 0x4550)
                return null;
            var set = Field.U16(file, (int)pe + 4) switch
            {
                0xAA64 => InstructionSet.Arm64,
                0x8664 => InstructionSet.Amd64,
                0x01C0 or 0x01C2 or 0x01C4 => InstructionSet.Armhf,
                0x5064 => InstructionSet.Riscv64,
                _ => (InstructionSet?)null,
            };
            var count = Math.Min((int)Field.U16(file, (int)pe + 6), MostSections);
            var table = (int)pe + 24 + Field.U16(file, (int)pe + 20);
            var sections = new List<(string, ReadOnlyMemory<byte>)>();
            // One that is cut off is still told by the sections that it should have.
            var names = new HashSet<string>();
            long end = 0;
            for (var at = table; at < table + count * 40; at += 40)
            {
                var name = Field.Text(file.AsSpan(at, 8));
                names.Add(name);
                // The smaller of the size in memory and the size in the file: what follows is filling.
                long size = Math.Min(Field.U32(file, at + 8), Field.U32(file, at + 16)),
                    from = Field.U32(file, at + 20);
                end = Math.Max(end, from + Field.U32(file, at + 16));
                if (from + size <= file.Length)
                    sections.Add((name, file.AsMemory((int)from, (int)size)));
            }
            var fault = end > file.Length ? $"it is cut off: its sections end at byte {end}, the file has {file.Length}" : null;
            return new(set, KindOf(file, names), fault, sections);
        }
        catch (UnreadableException)
        {
            return new(null, EfiKind.Unknown, "its header is damaged", []);
        }
        catch (ArgumentOutOfRangeException)
        {
            return new(null, EfiKind.Unknown, "its header is damaged", []);
        }
    }

    private static EfiKind KindOf(byte[] file, HashSet<string> names)
    {
        return names.Contains(".linux") || names.Contains(".osrel") && names.Contains(".cmdline") || names.Contains(".initrd")
                ? EfiKind.UnifiedKernel
            : names.Contains("mods") ? EfiKind.Grub
            // A later one puts its paths together as it runs; a section of its own names it, and a line for tools that look for it.
            : names.Contains(".sdmagic") && file.AsSpan().IndexOf("#### LoaderInfo: "u8) >= 0 && !names.Contains(".uname")
                ? EfiKind.EntryMenu
            : file.AsSpan().IndexOf(Encoding.Unicode.GetBytes("\\loader\\entries")) >= 0 ? EfiKind.EntryMenu
            : file.Length > 0x40 && Field.U32(file, 0x38) is 0x644D5241 or 0x05435352 ? EfiKind.Kernel
            : file.Length > 0x206 && Field.U32(file, 0x202) == 0x53726448 ? EfiKind.Kernel
            : file.Length > 0x28 && Field.U32(file, 0x24) == 0x016F2818 ? EfiKind.Kernel
            : names.Contains(".vendor_cert") || names.Contains(".vendor_") ? EfiKind.Shim
            : EfiKind.Unknown;
    }

    /// <summary>
    /// A unified kernel with several profiles as its stub starts it when nobody chooses: the sections before the first ".profile" hold for all,
    /// those behind it up to the next one take the place of theirs (UAPI specification "Unified Kernel Image", multi-profile). One without profiles is itself.
    /// </summary>
    public EfiProgram FirstProfile()
    {
        var list = Sections.ToList();
        var first = list.FindIndex(s => s.Name == ".profile");
        if (first < 0)
            return this;
        var next = list.FindIndex(first + 1, s => s.Name == ".profile");
        var own = list[first..(next < 0 ? list.Count : next)];
        return this with { Sections = [.. own, .. list[..first].Where(s => own.TrueForAll(o => o.Name != s.Name))] };
    }

    /// <summary>The content of the first section of a name, or null.</summary>
    public byte[]? Section(string name) => Sections.Any(s => s.Name == name) ? Sections.First(s => s.Name == name).Content.ToArray() : null;

    /// <summary>The text of a section up to its zero bytes and without the line end behind it, or null.</summary>
    public string? Text(string name) => Section(name) is { } bytes ? Encoding.UTF8.GetString(bytes).TrimEnd('\0', '\n', '\r', ' ') : null;

    /// <summary>The folder in which GRUB looks for its configuration, as its modules carry it (include/grub/kernel.h: "mimg", objects of type 3); null when it carries none.</summary>
    public string? GrubPrefix
    {
        get
        {
            if (Section("mods") is not { Length: > 24 } modules || !modules.AsSpan(0, 4).SequenceEqual("mimg"u8))
                return null;
            // Header of 64-bit programs: magic, padding, offset and size as 64-bit numbers.
            var at = (long)Field.U64(modules, 8);
            for (var n = 0; n < 4096 && at >= 0 && at + 8 <= modules.Length; n++)
            {
                var (type, size) = (Field.U32(modules, (int)at), Field.U32(modules, (int)at + 4));
                if (size < 8 || at + size > modules.Length)
                    return null;
                if (type == 3)
                    return Field.Text(modules.AsSpan((int)at + 8, (int)size - 8));
                at += size;
            }
            return null;
        }
    }
}
