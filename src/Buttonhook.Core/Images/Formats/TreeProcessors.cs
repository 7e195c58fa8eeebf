namespace Buttonhook.Core.Images.Formats;

/// <summary>Tells the instruction set from the processors of a device tree (names of the kernel's binding arm/cpus.yaml, and riscv/cpus.yaml).</summary>
public static class TreeProcessors
{
    /// <summary>Arm's own cores of version 7 and up that know no 64-bit state (Arm's reference manuals).</summary>
    public static IReadOnlySet<string> OnlyArmhf { get; } =
        new HashSet<string>
        {
            "arm,cortex-a5",
            "arm,cortex-a7",
            "arm,cortex-a8",
            "arm,cortex-a9",
            "arm,cortex-a12",
            "arm,cortex-a15",
            "arm,cortex-a17",
            "arm,cortex-a32",
        };

    // Others of version 7.
    private static readonly string[] Seven =
    [
        "arm,armv7",
        "brcm,brahma-b15",
        "marvell,pj4",
        "marvell,sheeva-v7",
        "qcom,krait",
        "qcom,scorpion",
    ];

    // 32-bit cores before version 7.
    private static readonly string[] Before =
    [
        "arm,arm7",
        "arm,arm9",
        "arm,arm10",
        "arm,arm11",
        "arm,sa1",
        "arm,fa5",
        "arm,fa6",
        "faraday,fa5",
        "faraday,fa6",
        "marvell,feroceon",
        "marvell,mohawk",
        "marvell,xsc3",
        "marvell,xscale",
        "marvell,sheeva-v5",
        "marvell,88fr",
        "intel,sa1",
        "intel,xsc",
    ];

    // 64-bit cores that a prefix of the others does not tell.
    private static readonly string[] Eight =
    [
        "arm,armv8",
        "arm,neoverse",
        "arm,cortex-x",
        "apple,",
        "brcm,brahma-b53",
        "brcm,vulcan",
        "cavium,",
        "nvidia,tegra132-denver",
        "nvidia,tegra186-denver",
        "nvidia,denver",
        "nvidia,tegra194-carmel",
        "nvidia,carmel",
        "qcom,kryo",
        "qcom,oryon",
        "samsung,mongoose",
        "samsung,exynos-m",
        "hisilicon,tsv",
        "phytium,",
        "ampere,",
        "fujitsu,",
        "apm,",
        "amd,",
    ];

    /// <summary>arm64, armhf, armel, riscv64, or null when the processors do not tell.</summary>
    public static string? ArchitectureOf(DeviceTree tree)
    {
        foreach (var node in tree.Find("/cpus")?.Children ?? [])
        {
            if ((node.Text("riscv,isa") ?? node.Text("riscv,isa-base")) is { } isa)
                return isa.StartsWith("rv64", StringComparison.Ordinal) ? "riscv64" : null;
            foreach (var core in node.Compatible)
            {
                if (core == "riscv")
                    return "riscv64";
                bool Is(string[] names) => names.Any(n => core.StartsWith(n, StringComparison.Ordinal));
                if (Is(Eight))
                    return "arm64";
                if (OnlyArmhf.Contains(core) || Is(Seven))
                    return "armhf";
                if (Is(Before))
                    return "armel";
                // Cortex-A34 and up, less those of the first list.
                if (
                    core.StartsWith("arm,cortex-a", StringComparison.Ordinal)
                    && int.TryParse(new string([.. core["arm,cortex-a".Length..].TakeWhile(char.IsAsciiDigit)]), out var number)
                    && number >= 34
                )
                    return "arm64";
            }
        }
        return null;
    }
}
