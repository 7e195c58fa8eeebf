namespace Buttonhook.Core;

/// <summary>What a processor understands; written as in Debian's port names.</summary>
public enum InstructionSet
{
    /// <summary>32-bit ARM, version 7 with hardware floating point.</summary>
    Armhf,

    /// <summary>64-bit ARM.</summary>
    Arm64,

    /// <summary>64-bit RISC-V.</summary>
    Riscv64,

    /// <summary>x86-64.</summary>
    Amd64,
}

/// <summary>Words for instruction sets.</summary>
public static class InstructionSets
{
    /// <summary>The plain name ("64-bit ARM").</summary>
    public static string Words(this InstructionSet set) =>
        set switch
        {
            InstructionSet.Armhf => "32-bit ARM",
            InstructionSet.Arm64 => "64-bit ARM",
            InstructionSet.Riscv64 => "64-bit RISC-V",
            _ => "x86-64",
        };

    /// <summary>Whether a kernel for <paramref name="kernel"/> starts on this processor: only its own set, since loaders refuse a 32-bit kernel on 64-bit ARM.</summary>
    public static bool Starts(this InstructionSet processor, InstructionSet kernel) => processor == kernel;
}
