using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>booti, bootz and bootm: the kernel, what is given to it, and whether all of it is whole where it was loaded.</summary>
internal sealed partial class BootScript
{
    /// <summary>Where something was loaded, and what it is; null when it is not given.</summary>
    private readonly record struct Given(string At, Loaded? Part);

    private void Boot(string[] words, string where)
    {
        var kernelAt = words.Length > 1 ? words[1].Split('#')[0] : variables.GetValueOrDefault("loadaddr", "");
        var configuration = words.Length > 1 && words[1].Split('#') is [_, var chosen, ..] ? chosen : null;
        if (memory[kernelAt] is not { } kernelFile)
        {
            broke ??= lost ?? new(CauseIds.BootFilesMissing, "No kernel was loaded.", "Correct the script.", where);
            return;
        }
        if (memory.Spoiled(kernelAt, CauseIds.KernelCorrupt, "kernel") is { } written)
        {
            broke ??= written;
            return;
        }
        var (kernel, broken) = passage.Kernel(kernelFile.Bytes, kernelFile.Where, configuration);
        broken ??= words[0] == "booti" ? LoaderSettings.Unpacks(kernel, variables, kernelFile.Where) : null;
        if (broken is not null)
        {
            broke ??= broken;
            return;
        }
        Given initial,
            own;
        if (kernel.Kind == "FIT" && words.Length == 2)
        {
            initial = new("", kernel.FitRamDisk is { } disk ? new(kernelFile.Where, disk) : null);
            own = new("", kernel.FitTree is { } blob ? new(kernelFile.Where, blob) : null);
        }
        else if (!TakeInitial(words, where, out initial) || !TakeTree(words, where, out own))
            return;
        if (own.Part is null && words.Length <= 3 && board.Architecture != InstructionSet.Amd64)
        {
            broke ??= new(
                CauseIds.DtbMissing,
                $"{words[0]} is given no device tree, and none is in the image: the loader cannot start the kernel without one.",
                "Name the address of a device tree behind the initial file system; ${fdtcontroladdr} is the loader's own.",
                where
            );
            return;
        }
        broke ??= Whole(words[0], kernelAt, kernel, initial, own, where);
        if (broke is not null)
            return;
        if (lost is not null)
            passage.Notes.Add((lost.Text, lost.Where));
        handover = new(where, variables["bootargs"], kernel, kernelFile.Where, initial.Part, null, own.Part, own.Part is null);
    }

    /// <summary>The initial file system of the third word; false when it is named and is not there.</summary>
    private bool TakeInitial(string[] words, string where, out Given initial)
    {
        initial = new("", null);
        if (words.Length <= 2 || words[2] == "-")
            return true;
        var at = words[2].Split(':')[0];
        initial = new(at, memory[at]);
        if (initial.Part is null)
        {
            broke ??= lost ?? new(CauseIds.InitrdMissing, "The initial file system was not loaded.", "Correct the script.", where);
            return false;
        }
        // Legacy images tell their own size; other ones are as long as the script says.
        if (
            words[0] == "bootm"
            || words[2].Contains(':')
            || Field.B32(initial.Part.Bytes.Length > 4 ? initial.Part.Bytes : new byte[4], 0) == 0x27051956
        )
            return true;
        broke ??= new(
            CauseIds.InitrdMissing,
            "The initial file system is named without its size, and it is no U-Boot image that tells it: the loader refuses it (Wrong Ramdisk Image Format).",
            "Write the address with :${filesize}, right after it was loaded.",
            where
        );
        return false;
    }

    /// <summary>The device tree of the fourth word, unless it is the loader's own; false when it is named and is not there.</summary>
    private bool TakeTree(string[] words, string where, out Given tree)
    {
        tree = new("", null);
        if (words.Length <= 3 || words[3] == variables["fdt_addr"] || words[3] == variables["fdtcontroladdr"])
            return true;
        tree = new(words[3], memory[words[3]]);
        if (tree.Part is not null)
            return true;
        broke ??= lost ?? new(CauseIds.DtbMissing, "The device tree was not loaded.", "Correct the script.", where);
        return false;
    }

    /// <summary>What of all that was loaded lies under something else by now.</summary>
    private Break? Whole(string command, string kernelAt, KernelFile kernel, Given initial, Given own, string where)
    {
        (string, string, string)[] needed =
        [
            (initial.At, CauseIds.InitrdCorrupt, "initial file system"),
            (own.At, CauseIds.DtbInvalid, "device tree"),
        ];
        return memory.Spoiled(initial.At, CauseIds.InitrdCorrupt, "initial file system")
            ?? memory.Spoiled(own.At, CauseIds.DtbInvalid, "device tree")
            ?? (
                command != "booti" || kernel.Payload is not { } image
                    ? null
                    : (
                        kernel.Packing is null
                            ? null
                            : memory.Unpacked(kernelAt, variables.GetValueOrDefault("kernel_comp_addr_r", ""), image.Length, needed, where)
                    ) ?? memory.Covered(kernelAt, image, needed, LoaderSettings.MemoryStart(board), where)
            )
            ?? (own.Part is null ? null : Links.OfTree(own.Part, board));
    }
}
