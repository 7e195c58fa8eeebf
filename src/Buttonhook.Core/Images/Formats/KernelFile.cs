using System.IO.Hashing;
using System.Security.Cryptography;
using System.Text;

namespace Buttonhook.Core.Images.Formats;

/// <summary>What a file that should be a kernel is.</summary>
/// <param name="Kind">Image, zImage, bzImage, ELF, legacy, FIT, or null when it is no kernel.</param>
/// <param name="Fault">Why it cannot start whatever the board, or null.</param>
/// <param name="Payload">The kernel itself without its wrapping, or null.</param>
/// <param name="FitRamDisk">The initial file system inside a FIT image.</param>
/// <param name="FitTree">The device tree inside a FIT image.</param>
public sealed record KernelFile(
    string? Kind,
    InstructionSet? Architecture,
    string? Version,
    string? Fault,
    byte[]? Payload,
    byte[]? FitRamDisk = null,
    byte[]? FitTree = null
)
{
    /// <summary>How the whole file is packed ("gzip", "zstd" …), so that the loader must unpack it; null when it is not.</summary>
    public string? Packing { get; init; }

    /// <summary>What a loader must know before it can place an Image: how much memory it takes from its start to its end (Documentation/arch/arm64/booting); null for other kinds.</summary>
    public long? MemoryBytes => Kind == "Image" && Payload is { } image ? Math.Max(image.Length, (long)Field.U64(image, 0x10)) : null;

    private const int Smallest = 0x240;

    /// <summary>A kernel that is not there: nothing is known of it.</summary>
    public static KernelFile Missing { get; } = new(null, null, null, "it is not there", null);

    /// <summary>
    /// Recognises a kernel by its header: ARM64 and RISC-V (Documentation/arch/arm64/booting, riscv/boot-image-header), ARM zImage
    /// (magic 0x016f2818), x86 (Documentation/arch/x86/boot), legacy and FIT images of U-Boot, and gzip around one of them.
    /// </summary>
    /// <param name="unpack">Unpacks a compressed stream by its magic, or gives null for a kind it does not know.</param>
    /// <param name="configuration">The configuration of a FIT image; null for its default.</param>
    public static KernelFile Identify(byte[] file, Func<Stream, Stream?> unpack, int depth = 0, string? configuration = null)
    {
        if (file.Length == 0)
            return Broken("it is empty");
        if (depth > 3)
            return Broken("it is wrapped too often");
        if (file.Length >= 64 && Field.B32(file, 0) == 0x27051956)
            return Legacy(file, unpack, depth);
        if (file.Length >= 40 && Field.B32(file, 0) == 0xD00DFEED)
            return Fit(file, unpack, depth, configuration);
        if (file.AsSpan().StartsWith("MZ\0\0zimg"u8))
            return Zboot(file, unpack, depth);
        if ((Packed.IsLz4Frame(file) ? "lz4 frame" : Packed.KindOf(file)) is { } packing)
            return UnpackAny(file, unpack) is { } inner
                ? Identify(inner, unpack, depth + 1) with
                {
                    Packing = packing,
                }
                : Broken("it does not decompress") with
                {
                    Packing = packing,
                };
        if (file.Length < Smallest)
            return Broken($"it has only {file.Length} bytes");
        if (Field.U32(file, 0x38) == 0x644D5241)
            return new(
                "Image",
                InstructionSet.Arm64,
                VersionIn(file),
                PeEnd(file) > file.Length ? CutOff(PeEnd(file), file.Length) : ShortImage(file, 0x10),
                file
            );
        if (Field.U32(file, 0x38) == 0x05435352)
            return new(
                "Image",
                InstructionSet.Riscv64,
                VersionIn(file),
                PeEnd(file) > file.Length ? CutOff(PeEnd(file), file.Length) : ShortImage(file, 0x10),
                file
            );
        if (Field.U32(file, 0x24) == 0x016F2818)
        {
            var size = (long)Field.U32(file, 0x2C) - Field.U32(file, 0x28);
            var (payload, damaged) = Inner(file, unpack);
            return new(
                "zImage",
                InstructionSet.Armhf,
                payload is null ? null : VersionIn(payload),
                size > file.Length ? CutOff(size, file.Length) : damaged,
                payload
            );
        }
        if (Field.U16(file, 0x1FE) == 0xAA55 && Field.U32(file, 0x202) == 0x53726448)
        {
            int setup = file[0x1F1] == 0 ? 4 : file[0x1F1];
            var size = (setup + 1) * 512L + Field.U32(file, 0x1F4) * 16L;
            var at = Field.U16(file, 0x20E) + 0x200;
            var version = at > 0x200 && at + 64 < file.Length ? Field.Text(file.AsSpan(at, 64)).Split(' ')[0] : null;
            var (payload, damaged) = PackedPart(file, (setup + 1) * 512, unpack) ?? Inner(file, unpack);
            return new("bzImage", InstructionSet.Amd64, version, size > file.Length ? CutOff(size, file.Length) : damaged, payload);
        }
        if (Elf.Read(file) is { } elf)
            return new("ELF", elf, VersionIn(file), null, file);
        return Broken("its first bytes are not those of a kernel");
    }

    /// <summary>Whether the kernel itself carries a driver, told by a string that only its code has; null when the kernel cannot be looked into.</summary>
    public bool? HasBuiltIn(string marker) => Payload is null ? null : Payload.AsSpan().IndexOf(Encoding.ASCII.GetBytes(marker)) >= 0;

    private static KernelFile Broken(string why) => new(null, null, null, why, null);

    private static string CutOff(long should, long has) => $"it is cut off: its header says {should} bytes, the file has {has}";

    /// <summary>An image whose file is much shorter than the memory it wants (which counts empty data too) was cut off.</summary>
    private static string? ShortImage(byte[] file, int at) =>
        (long)Field.U64(file, at) is var size && size > 0 && size < 1L << 32 && file.Length < size * 0.55
            ? CutOff(size, file.Length)
            : null;

    /// <summary>Where the last section of a PE header ends (kernels with an EFI stub carry one), or 0.</summary>
    private static long PeEnd(byte[] file)
    {
        try
        {
            var pe = (int)Field.U32(file, 0x3C);
            if (file[0] != 'M' || file[1] != 'Z' || Field.U32(file, pe) != 0x4550)
                return 0;
            int sections = Field.U16(file, pe + 6),
                table = pe + 24 + Field.U16(file, pe + 20);
            long end = 0;
            for (var i = 0; i < Math.Min(sections, 16); i++)
                end = Math.Max(end, (long)Field.U32(file, table + i * 40 + 16) + Field.U32(file, table + i * 40 + 20));
            return end;
        }
        catch (UnreadableException)
        {
            return 0;
        }
    }

    private static string? VersionIn(byte[] bytes)
    {
        var at = bytes.AsSpan().IndexOf("Linux version "u8);
        return at < 0 ? null : Encoding.ASCII.GetString(bytes.AsSpan(at + 14, Math.Min(80, bytes.Length - at - 14))).Split(' ', '\0')[0];
    }

    /// <summary>The packed kernel of a bzImage at the place that its header tells (Documentation/arch/x86/boot, "payload_offset", protocol 2.08 and newer); null where it tells none that unpacks.</summary>
    private static (byte[]? Kernel, string? Fault)? PackedPart(byte[] file, int start, Func<Stream, Stream?> unpack)
    {
        if (Field.U16(file, 0x206) < 0x208)
            return null;
        long at = start + (long)Field.U32(file, 0x248),
            length = Field.U32(file, 0x24C);
        if (length < 8 || at + length > file.Length)
            return null;
        var packed = file[(int)at..(int)(at + length)];
        if (Packed.KindOf(packed) is not { } packing)
            return null;
        // The build puts the unpacked size behind it, but for gzip, which ends in it (scripts/Makefile.lib, size_append).
        var unpacked = Field.U32(packed, packed.Length - 4);
        if (packing != "gzip")
            packed = packed[..^4];
        var (inner, _, fault) = Packed.Unpack(packed, 0, unpack, unpacked);
        return inner.Length > 1 << 20 ? (inner, fault is null ? null : "its packed part is damaged and does not unpack") : null;
    }

    /// <summary>A kernel that unpacks itself as an EFI program (drivers/firmware/efi/libstub/zboot-header.S): only EFI firmware starts it.</summary>
    private static KernelFile Zboot(byte[] file, Func<Stream, Stream?> unpack, int depth)
    {
        long at = Field.U32(file, 8),
            size = Field.U32(file, 12);
        var set = EfiProgram.Read(file)?.Architecture;
        if (at + size > file.Length)
            return new("zboot", set, null, CutOff(at + size, file.Length), null);
        var kernel = Identify(Packed.Unpack(file[(int)at..(int)(at + size)], 0, unpack).Bytes, unpack, depth + 1);
        return kernel with { Kind = "zboot", Architecture = kernel.Architecture ?? set, Packing = null };
    }

    /// <summary>Unpacks whole, lz4 in both its forms; null when it does not.</summary>
    private static byte[]? UnpackAny(byte[] file, Func<Stream, Stream?> unpack) =>
        Packed.IsLz4Frame(file) ? Packed.Lz4Frame(file)
        : Packed.KindOf(file) is "lz4" or "lzo"
            ? Packed.Unpack(file, 0, unpack) is (var inner, _, null) ? inner
                : null
        : Unpack(file, unpack);

    /// <summary>The compressed kernel inside a self-extracting one, by the first magic that unpacks, with what is wrong when it breaks off on the way.</summary>
    private static (byte[]? Kernel, string? Fault) Inner(byte[] file, Func<Stream, Stream?> unpack)
    {
        ReadOnlySpan<byte> gzip = [0x1F, 0x8B, 0x08],
            xz = [0xFD, (byte)'7', (byte)'z', (byte)'X', (byte)'Z', 0],
            zstd = [0x28, 0xB5, 0x2F, 0xFD],
            lz4 = [0x02, 0x21, 0x4C, 0x18];
        for (var at = 0x200; at < file.Length - 64; at++)
        {
            var here = file.AsSpan(at);
            var isXz = here.StartsWith(xz);
            if (
                (here.StartsWith(lz4) || here.StartsWith(Lzo.Magic)) && Packed.Unpack(file, at, unpack) is { Bytes.Length: > 1 << 20 } other
            )
                return (other.Bytes, null);
            if (!isXz && !here.StartsWith(gzip) && !here.StartsWith(zstd))
                continue;
            var end = isXz ? Packed.XzEnd(file, at) : null;
            // The kernel's build puts the unpacked size behind the packed part (scripts/Makefile.lib, size_append).
            var size = end is { } e && e + 4 <= file.Length ? Field.U32(file, e) : 0;
            var (inner, whole) = Packed.AsFar(new MemoryStream(file, at, (end ?? file.Length) - at, false), unpack, size);
            // Behind the packed part stand other bytes of the loader. Only where its end is known does an error in it mean damage.
            if (inner.Length > 1 << 20)
                return (inner, whole || end is null ? null : "its packed part is damaged and does not unpack");
        }
        return (null, null);
    }

    /// <summary>Unpacks whole; null when it does not.</summary>
    internal static byte[]? Unpack(byte[] bytes, Func<Stream, Stream?> unpack) =>
        Packed.AsFar(new MemoryStream(bytes, false), unpack) is (var inner, true) ? inner : null;

    private static KernelFile Legacy(byte[] file, Func<Stream, Stream?> unpack, int depth)
    {
        var legacy = LegacyImage.Read(file);
        if (legacy.Fault is { } fault)
            return Broken(fault);
        var inner = legacy.Compressed ? UnpackAny(legacy.Data, unpack) : legacy.Data;
        if (inner is null)
            return Broken("it does not decompress");
        var kernel = Identify(inner, unpack, depth + 1);
        return kernel.Kind is null
            ? new("legacy", legacy.Architecture, null, null, inner)
            : kernel with
            {
                Kind = "legacy",
                Packing = null,
            };
    }

    private static KernelFile Fit(byte[] file, Func<Stream, Stream?> unpack, int depth, string? wanted)
    {
        DeviceTree tree;
        try
        {
            tree = DeviceTree.Read(file);
        }
        catch (UnreadableException e)
        {
            return Broken(e.Message);
        }
        var configuration =
            "/configurations/"
            + (
                wanted ?? tree.Text("/configurations", "default") ?? tree.Children("/configurations").FirstOrDefault()?.Split('/')[^1] ?? ""
            );
        string? Node(string kind) => tree.Text(configuration, kind) is { } name ? $"/images/{name}" : null;
        if (Node("kernel") is not { } node)
            return Broken("it is no FIT image with a kernel");
        var parts = new Dictionary<string, byte[]>();
        foreach (var (kind, what) in ((string, string)[])[("kernel", "kernel"), ("ramdisk", "initial file system"), ("fdt", "device tree")])
            if (Node(kind) is { } at)
            {
                if (FitData(file, tree, at) is not { } part)
                    return Broken($"its {what} is not in it");
                if (!HashFits(tree, at, part))
                    return Broken($"the checksum of its {what} is wrong");
                parts[kind] = part;
            }
        var data = parts["kernel"];
        var inner = tree.Text(node, "compression") is "none" or null ? data : UnpackAny(data, unpack);
        if (inner is null)
            return Broken("its kernel does not decompress");
        return Identify(inner, unpack, depth + 1) with
        {
            Kind = "FIT",
            Packing = null,
            FitRamDisk = parts.GetValueOrDefault("ramdisk"),
            FitTree = parts.GetValueOrDefault("fdt"),
        };
    }

    /// <summary>The bytes of one image of a FIT: inside the tree, behind it, or at a place of the file (the FIT specification, "External data"); null when they are not there.</summary>
    private static byte[]? FitData(byte[] file, DeviceTree tree, string node)
    {
        if (tree.Property(node, "data") is { } inside)
            return inside;
        long? Cell(string name) => tree.Property(node, name) is { Length: 4 } b ? Field.B32(b, 0) : null;
        var behindTree = (Field.B32(file, 4) + 3L) & ~3L;
        var at = Cell("data-position") ?? behindTree + Cell("data-offset");
        return at is { } start && Cell("data-size") is { } size && start + size <= file.Length
            ? file[(int)start..(int)(start + size)]
            : null;
    }

    private static bool HashFits(DeviceTree tree, string node, byte[] data)
    {
        foreach (var hash in tree.Children(node).Where(c => c.Split('/')[^1].StartsWith("hash", StringComparison.Ordinal)))
        {
            var value = tree.Property(hash, "value");
            var computed = tree.Text(hash, "algo") switch
            {
                "sha512" => SHA512.HashData(data),
                "sha384" => SHA384.HashData(data),
                "sha256" => SHA256.HashData(data),
                "sha1" => SHA1.HashData(data),
                "md5" => MD5.HashData(data),
                "crc32" => Crc32.Hash(data).Reverse().ToArray(), // big-endian there
                _ => null,
            };
            if (value is not null && computed is not null && !computed.AsSpan().SequenceEqual(value))
                return false;
        }
        return true;
    }
}
