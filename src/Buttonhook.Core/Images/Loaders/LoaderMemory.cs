using System.Globalization;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>The memory into which a loader puts files, by address: what lies where, and what was written over.</summary>
internal sealed class LoaderMemory
{
    private sealed record Piece(Loaded Held, ulong? At)
    {
        public ulong End => (At ?? 0) + (ulong)Held.Bytes.Length;
    }

    private readonly Dictionary<string, Piece> pieces = [];
    private readonly Dictionary<string, (Loaded By, ulong At, string Where)> spoiled = [];

    /// <summary>A number as loaders read it: in base 16, with or without 0x; null for other texts.</summary>
    public static ulong? Number(string text) =>
        ulong.TryParse(
            text.StartsWith("0x", StringComparison.OrdinalIgnoreCase) ? text.AsSpan(2) : text,
            NumberStyles.HexNumber,
            CultureInfo.InvariantCulture,
            out var number
        )
            ? number
            : null;

    /// <summary>Puts a file at an address. What lay there is written over; where an address stands for something that only the board knows, nothing is computed.</summary>
    /// <param name="where">The line that loads it.</param>
    public void Put(string address, Loaded file, string where)
    {
        var piece = new Piece(file, Number(address));
        foreach (var (key, other) in pieces)
            if (key != address && piece.At is { } at && other.At is { } from && at < other.End && from < piece.End && file.Bytes.Length > 0)
                spoiled[key] = (file, at, where);
        pieces[address] = piece;
        spoiled.Remove(address);
    }

    /// <summary>Takes what lies at an address away: a load that failed leaves nothing to be relied on.</summary>
    public void Take(string address) => pieces.Remove(address);

    /// <summary>What lies at an address, or null.</summary>
    public Loaded? this[string address] => pieces.GetValueOrDefault(address)?.Held;

    /// <summary>Changes what lies at an address without moving it.</summary>
    public void Change(string address, byte[] bytes)
    {
        if (pieces.GetValueOrDefault(address) is { } piece)
            pieces[address] = piece with { Held = piece.Held with { Bytes = bytes } };
    }

    /// <summary>The link that breaks because something that is needed was written over; null when it is whole.</summary>
    /// <param name="what">What it is, in words.</param>
    public Break? Spoiled(string address, string cause, string what)
    {
        if (!spoiled.TryGetValue(address, out var by) || pieces.GetValueOrDefault(address) is not { At: { } at } piece)
            return null;
        return new(
            cause,
            $"The {what} lies at 0x{at:x} to 0x{piece.End - 1:x}, and {by.By.Where} is loaded to 0x{by.At:x}, into it: {Sizes.Binary((long)Math.Min(piece.End - by.At, (ulong)by.By.Bytes.Length))} of it are written over.",
            "Load one of them to an address behind the other's end.",
            by.Where
        );
    }

    /// <summary>The link that breaks because a packed kernel is unpacked over what it needs: into its buffer first, and from there to where it was loaded (cmd/booti.c); null when nothing is hit.</summary>
    /// <param name="buffer">The address of the buffer.</param>
    /// <param name="bytes">How many bytes the kernel has once unpacked.</param>
    public Break? Unpacked(
        string kernel,
        string buffer,
        long bytes,
        IEnumerable<(string Address, string Cause, string What)> needed,
        string where
    )
    {
        foreach (var start in (ulong?[])[Number(buffer), pieces.GetValueOrDefault(kernel)?.At])
        foreach (var (address, cause, what) in needed)
            if (
                start is { } from
                && pieces.GetValueOrDefault(address) is { At: { } at } piece
                && at < from + (ulong)bytes
                && from < piece.End
            )
                return new(
                    cause,
                    $"The kernel is unpacked to 0x{from:x} to 0x{from + (ulong)bytes - 1:x}, over the {what} at 0x{at:x}.",
                    $"Load the {what} elsewhere, or set kernel_comp_addr_r to free memory.",
                    where
                );
        return null;
    }

    /// <summary>
    /// The link that breaks because the kernel, once it is put where it runs, lies over what it needs; null when nothing does or it cannot be computed. An
    /// Image runs at a multiple of 2 MiB plus its offset: near where it was loaded when its flags allow that, or at the start of the memory (arch/arm/lib/image.c of U-Boot).
    /// </summary>
    /// <param name="memoryStart">Where the board's memory begins, or null when that is not known.</param>
    public Break? Covered(
        string kernel,
        byte[] image,
        IEnumerable<(string Address, string Cause, string What)> needed,
        ulong? memoryStart,
        string where
    )
    {
        if (image.Length < 64 || Field.U32(image, 0x38) != 0x644D5241 || pieces.GetValueOrDefault(kernel)?.At is not { } loaded)
            return null;
        ulong offset = Field.U64(image, 8),
            size = Field.U64(image, 16),
            flags = Field.U64(image, 24);
        if (size == 0 || ((flags & 8) == 0 && memoryStart is null))
            return null;
        var from = (((flags & 8) != 0 ? loaded - Math.Min(offset, loaded) : memoryStart!.Value) + 0x1FFFFF & ~0x1FFFFFUL) + offset;
        foreach (var (address, cause, what) in needed)
            if (pieces.GetValueOrDefault(address) is { At: { } at } piece && at < from + size && from < piece.End)
                return new(
                    cause,
                    $"The kernel takes 0x{from:x} to 0x{from + size - 1:x} once it runs (its header says {Sizes.Binary((long)size)}), and the {what} was loaded to 0x{at:x}, inside of that.",
                    $"Load the {what} to 0x{from + size + 0xFFFFF & ~0xFFFFFUL:x} or behind.",
                    where
                );
        return null;
    }
}

/// <summary>What a loader's own settings are on a board, as far as that is known.</summary>
internal static class LoaderSettings
{
    /// <summary>Where the memory of the emulator's machines begins (hw/arm/virt.c, hw/riscv/virt.c of QEMU); null for a real board, whose place is not known.</summary>
    public static ulong? MemoryStart(DryBoard board) =>
        board.BootMedium != "virtio" ? null
        : board.Architecture == InstructionSet.Riscv64 ? 0x80000000
        : 0x40000000;

    /// <summary>
    /// Variables that a script finds. The emulator's machines have their addresses in include/configs of U-Boot; on a real board an address is a name that stands for itself.
    /// </summary>
    public static Dictionary<string, string> Of(DryBoard board)
    {
        var names = (string[])
            [
                "kernel_addr_r",
                "ramdisk_addr_r",
                "fdt_addr_r",
                "fdt_addr",
                "fdtcontroladdr",
                "scriptaddr",
                "pxefile_addr_r",
                "fdtoverlay_addr_r",
            ];
        var known = new Dictionary<string, string>();
        foreach (var name in names)
            known[name] = $"<{name}>";
        if (board.BootMedium == "virtio")
            foreach (
                var (name, value) in board.Architecture == InstructionSet.Riscv64
                    ? new Dictionary<string, string>
                    {
                        ["kernel_addr_r"] = "0x84000000",
                        ["fdt_addr_r"] = "0x8c000000",
                        ["scriptaddr"] = "0x8c100000",
                        ["pxefile_addr_r"] = "0x8c200000",
                        ["ramdisk_addr_r"] = "0x8c300000",
                    }
                    : new Dictionary<string, string>
                    {
                        ["kernel_addr_r"] = "0x40400000",
                        ["ramdisk_addr_r"] = "0x44000000",
                        ["fdt_addr"] = "0x40000000",
                        ["scriptaddr"] = "0x40200000",
                        ["pxefile_addr_r"] = "0x40300000",
                    }
            )
                known[name] = value;
        // A board says in words what its loader has besides.
        foreach (var name in (string[])["kernel_comp_addr_r", "kernel_comp_size"])
            if (board.Firmware.Contains(name, StringComparison.Ordinal))
                known[name] = $"<{name}>";
        return known;
    }

    /// <summary>
    /// Why a packed Image cannot be started with booti, or null (cmd/booti.c of U-Boot: it unpacks gzip, bzip2, lzma, lzo, lz4 frames and zstd into the
    /// buffer that kernel_comp_addr_r and kernel_comp_size name, and refuses without them).
    /// </summary>
    public static Break? Unpacks(KernelFile kernel, IReadOnlyDictionary<string, string> variables, string where)
    {
        if (kernel.Kind == "zboot")
            return new(
                CauseIds.KernelCorrupt,
                "The kernel is an EFI program that unpacks itself: booti does not know it.",
                "Unpack it, or start it as an EFI program (bootefi).",
                where
            );
        if (kernel.Packing is not { } packing)
            return null;
        if (packing is "xz" or "lz4")
            return new(
                CauseIds.KernelCorrupt,
                packing == "lz4"
                    ? "The kernel is packed with lz4 in the legacy form, and this loader unpacks lz4 frames only."
                    : "The kernel is packed with xz, which this loader does not unpack.",
                "Unpack the kernel, or pack it with gzip.",
                where
            );
        string? Set(string name) => variables.TryGetValue(name, out var value) ? value : null;
        if (Set("kernel_comp_addr_r") is "" || Set("kernel_comp_size") is "")
            return new(
                CauseIds.KernelCorrupt,
                $"The kernel is packed ({packing}), and the buffer to unpack it in was cleared: booti asks for kernel_comp_addr_r and kernel_comp_size.",
                "Set both in the script, or unpack the kernel.",
                where
            );
        return Set("kernel_comp_addr_r") is not null && Set("kernel_comp_size") is not null
            ? null
            : new(
                null,
                $"The kernel is packed ({packing}): booti unpacks it only where the loader has kernel_comp_addr_r and kernel_comp_size set, and nobody knows that of this board.",
                "Unpack the kernel on the card, or set both in a boot script.",
                where
            );
    }
}
