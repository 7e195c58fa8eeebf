using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>The EFI program on the removable path of a partition, and what it starts: told from the program itself.</summary>
internal sealed class EfiPrograms : ILoaderWay
{
    private const int MostChained = 4;

    /// <summary>Where firmware looks on a medium that it knows nothing of (UEFI specification, 3.5.1.1).</summary>
    public static string RemovablePath(InstructionSet set) => $"/EFI/BOOT/BOOT{ShortName(set).ToUpperInvariant()}.EFI";

    /// <summary>What firmware and boot menus call a processor (UEFI specification, 3.5.1.1).</summary>
    public static string ShortName(InstructionSet set) =>
        set switch
        {
            InstructionSet.Arm64 => "aa64",
            InstructionSet.Armhf => "arm",
            InstructionSet.Riscv64 => "riscv64",
            _ => "x64",
        };

    /// <inheritdoc/>
    public Taken? Follow(Passage passage, Volume from)
    {
        var path = RemovablePath(passage.Board.Architecture);
        return from.Tree!.Read(path) is { } bytes ? Start(passage, from, path, bytes, 0) : (Taken?)null;
    }

    /// <summary>Starts one program as firmware, or another program, would.</summary>
    public static Taken Start(Passage passage, Volume from, string path, byte[] bytes, int depth)
    {
        var where = from.Name(path);
        if (EfiProgram.Read(bytes) is not { } program)
            return new Break(CauseIds.NoBootMedium, "The EFI loader is no EFI program.", "Copy the loader again.", where);
        if (program.Kind == EfiKind.Kernel)
            return Kernel(passage, where, bytes);
        if (program.Fault is { } fault)
            return new Break(
                program.Kind == EfiKind.UnifiedKernel ? CauseIds.KernelCorrupt : CauseIds.NoBootMedium,
                $"The EFI program cannot start: {fault}.",
                "Copy it again.",
                where
            );
        if (program.Architecture != passage.Board.Architecture)
            return new Break(
                program.Kind == EfiKind.UnifiedKernel ? CauseIds.KernelWrongArchitecture : CauseIds.NoBootMedium,
                $"The EFI program is for {program.Architecture?.Words() ?? "another processor"}, the board is {passage.Board.Architecture.Words()}: its firmware does not start it.",
                "Use the one for this instruction set.",
                where
            );
        switch (program.Kind)
        {
            case EfiKind.EntryMenu:
                return EntryFiles.Follow(passage, from);
            case EfiKind.Grub:
                return GrubFiles.From(passage, from, program.GrubPrefix);
            case EfiKind.UnifiedKernel:
                return UnifiedKernel.Take(passage, from, path, program);
            case EfiKind.Shim when depth < MostChained:
                var next = $"{path[..(path.LastIndexOf('/') + 1)]}grub{ShortName(passage.Board.Architecture)}.efi";
                passage.Found.Add(("The first EFI program checks signatures and starts the one beside it.", where));
                return from.Tree!.Read(next) is { } second
                    ? Start(passage, from, next, second, depth + 1)
                    : new Break(
                        CauseIds.SecondLoaderMissing,
                        $"The EFI program that it starts, {next}, is not there.",
                        "Put it there, or install the loader again.",
                        from.Name(next)
                    );
            default:
                // A program that nothing here knows may still be one that finds the usual files.
                var grub = GrubFiles.From(passage, from, null);
                return grub.Handover is not null
                    ? grub
                    : new Break(
                        null,
                        "What the EFI program does cannot be told from it, and no configuration that is known here lies on the image.",
                        "Start it, or look what its maker says.",
                        where
                    );
        }
    }

    /// <summary>A kernel that firmware starts by itself: without boot variables it gets no command line and no initial file system.</summary>
    private static Taken Kernel(Passage passage, string where, byte[] bytes)
    {
        var (kernel, broken) = passage.Kernel(bytes, where);
        passage.Found.Add(("The firmware starts the kernel itself, without any loader.", where));
        passage.Notes.Add(("No loader hands it a command line; it has what was built into it, which cannot be told from here.", where));
        passage.CommandLine = "";
        return new(
            new(where, "", kernel, where, null, null, null, passage.Board.Architecture != InstructionSet.Amd64),
            broken is null ? [] : [broken]
        );
    }
}
