using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>What the loaders and firmwares of boards do before any way begins: which partitions they look at, in which order, and for what.</summary>
internal static class BoardLoaders
{
    private static readonly ILoaderWay[] OfDistro = [new ExtlinuxMenu(), new ScriptFiles(), new EfiPrograms()];

    /// <summary>Follows the loader of a board through an image up to the kernel, or to where it breaks.</summary>
    public static Taken Follow(Passage passage) =>
        passage.Board.Loader switch
        {
            "efi" => Efi(passage),
            "bios" => Bios(passage),
            "keyvalue" => KeyValue(passage),
            _ => Distro(passage),
        };

    /// <summary>U-Boot with the "distro" order: bootable partitions, or the first one; extlinux.conf, then scripts, then EFI.</summary>
    private static Taken Distro(Passage passage)
    {
        var marked = passage.Volumes.Where(v => v.Partition.Bootable).ToList();
        var looked = marked.Count > 0 ? marked : [.. passage.Volumes.Where(v => v.Partition.Number == 1)];
        if (looked.Count == 0)
            return new Break(CauseIds.NoBootMedium, "There is no partition that the loader looks at.", "Write the image again.", null);
        Taken? first = null;
        foreach (var volume in looked.Where(v => v.Tree is not null))
        foreach (var way in OfDistro)
            if (way.Follow(passage, volume) is { } taken)
            {
                if (taken.Starts)
                    return taken;
                first ??= taken;
            }
        if (first is { } broken)
            return broken;
        var misplaced = passage
            .Volumes.Where(v => v.Tree is not null)
            .SelectMany(v =>
                (
                    (string[])
                        [
                            "/extlinux.conf",
                            "/boot/extlinux.conf",
                            "/extlinux/extlinux.conf",
                            "/boot/extlinux/extlinux.conf",
                            "/boot.scr",
                            "/boot/boot.scr",
                        ]
                )
                    .Where(p => v.Tree!.Find(p) is not null)
                    .Select(v.Name)
            )
            .FirstOrDefault();
        var unreadable = looked.FirstOrDefault(v => v.Tree is null);
        return misplaced is not null
            ? new Break(
                CauseIds.LoaderConfigMissing,
                $"A configuration lies at {misplaced}, where this loader does not look.",
                "Move it to /extlinux/extlinux.conf on the partition that is marked bootable, or mark its partition.",
                misplaced
            )
            : new Break(
                CauseIds.LoaderConfigMissing,
                unreadable is null
                    ? "No extlinux.conf and no boot script is where the loader looks."
                    : $"The partition where the loader looks cannot be read{(unreadable.Because is null ? "" : $": {unreadable.Because}")}.",
                "Put extlinux/extlinux.conf or boot.scr on the boot partition.",
                looked[0].Name("/")
            );
    }

    /// <summary>UEFI firmware without boot variables that are known: the removable path (UEFI specification, 3.5.1.1).</summary>
    private static Taken Efi(Passage passage)
    {
        var way = new EfiPrograms();
        var name = EfiPrograms.RemovablePath(passage.Board.Architecture);
        foreach (var volume in passage.Volumes.Where(v => v.Tree is { Kind: "vfat" }))
            if (way.Follow(passage, volume) is { } taken)
                return taken;
        var other = passage.Volumes.FirstOrDefault(v => v.Tree is { Kind: "vfat" });
        foreach (var set in Enum.GetValues<InstructionSet>())
            if (other?.Tree!.Find(EfiPrograms.RemovablePath(set)) is not null)
                return new Break(
                    CauseIds.NoBootMedium,
                    $"The EFI loader on it is for {set.Words()}, the board is {passage.Board.Architecture.Words()}.",
                    "Get the image for this instruction set.",
                    other.Name(EfiPrograms.RemovablePath(set))
                );
        return new Break(
            CauseIds.NoBootMedium,
            $"No EFI loader lies at {name}, where the firmware looks.",
            $"Put the loader at {name} on the EFI partition.",
            (other ?? passage.Volumes.FirstOrDefault())?.Name(name)
        );
    }

    /// <summary>PC firmware: boot code in the first sector, then GRUB.</summary>
    private static Taken Bios(Passage passage)
    {
        var code = passage.Image.At(0, 440);
        if (code.Length < 440 || code.AsSpan().IndexOfAnyExcept((byte)0) < 0)
            return new Break(CauseIds.NoBootMedium, "The first sector has no boot code.", "Install the loader on this disk.", "sector 0");
        if (code.AsSpan().IndexOf("GRUB"u8) >= 0)
        {
            var core = (long)Math.Min(Field.U64(code, 0x5C), int.MaxValue) * 512;
            if (core > 0 && passage.Image.At(core, 512).AsSpan().IndexOfAnyExcept((byte)0) < 0)
                return new Break(
                    CauseIds.SecondLoaderMissing,
                    "The boot code jumps to a sector where nothing is.",
                    "Install the loader on this disk.",
                    $"byte {core}"
                );
        }
        return GrubFiles.Anywhere(passage, "The loader finds no grub.cfg on any partition.");
    }

    /// <summary>This loader goes by the type in the table, not by what is on the partition.</summary>
    private static Taken KeyValue(Passage passage)
    {
        var boot = passage.Volumes.FirstOrDefault(v => v.Mapped is null && passage.InMbr(v)?.Type is "0b" or "0c" or "0e");
        if (boot?.Tree is not null)
            return new KeyValueFile().Follow(passage, boot)!.Value;
        var fat = passage.Volumes.FirstOrDefault(v => v.Tree is { Kind: "vfat" });
        return new Break(
            CauseIds.NoBootMedium,
            fat is null
                ? "There is no FAT partition for the loader."
                : $"The FAT partition has type {fat.Partition.Type}; this loader looks for 0b, 0c or 0e.",
            "Set the type of the boot partition to 0c.",
            fat is null ? null : $"partition table entry {fat.Partition.Number}"
        );
    }
}
