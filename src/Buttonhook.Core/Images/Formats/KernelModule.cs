using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>What a kernel module says of itself in its section .modinfo (include/linux/moduleparam.h).</summary>
/// <param name="Depends">Modules that must be loaded before it.</param>
/// <param name="Version">The kernel that it was made for, as <c>uname -r</c> tells; null when it does not say.</param>
/// <param name="Architecture">The instruction set that it is for; null when it cannot be read.</param>
/// <param name="Firmware">Files that it asks for, below /lib/firmware.</param>
internal sealed record KernelModule(
    IReadOnlyList<string> Depends,
    string? Version,
    InstructionSet? Architecture,
    IReadOnlyList<string> Firmware
)
{
    /// <summary>The name of a module by its file, in the spelling of the kernel (underscores).</summary>
    public static string NameOf(string file)
    {
        var name = file[(file.LastIndexOf('/') + 1)..];
        return (name.IndexOf(".ko", StringComparison.Ordinal) is > 0 and var end ? name[..end] : name).Replace('-', '_');
    }

    /// <summary>Reads a module, packed or not; one that cannot be read says nothing.</summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    public static KernelModule Read(byte[] file, Func<Stream, Stream?> unpack)
    {
        if (!Elf.Is(file) && file.Length > 8)
            file = Packed.AsFar(new MemoryStream(file, false), unpack).Bytes;
        return Of(file);
    }

    /// <summary>Reads a module that is not packed.</summary>
    public static KernelModule Of(ReadOnlySpan<byte> file) =>
        Elf.Is(file)
            ? new(
                [.. Values(file, "depends").SelectMany(v => v.Split(',', StringSplitOptions.RemoveEmptyEntries)).Distinct()],
                Values(file, "vermagic").FirstOrDefault()?.Split(' ')[0],
                Elf.Read(file),
                [.. Values(file, "firmware").Distinct()]
            )
            : new([], null, null, []);

    private static List<string> Values(ReadOnlySpan<byte> file, string key)
    {
        var found = new List<string>();
        var mark = Encoding.ASCII.GetBytes($"{key}=");
        for (var at = 0; file[at..].IndexOf(mark) is >= 0 and var next; at += next + mark.Length)
        {
            var start = at + next;
            // Entries stand one behind another, parted by zeros.
            if (start > 0 && file[start - 1] == 0)
                found.Add(Field.Text(file.Slice(start + mark.Length, Math.Min(4096, file.Length - start - mark.Length))));
        }
        return found;
    }
}
