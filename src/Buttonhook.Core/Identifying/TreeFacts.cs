namespace Buttonhook.Core.Identifying;

/// <summary>What one device tree tells about its board. What it does not tell is null, empty, and named in <paramref name="Unknown"/>.</summary>
/// <param name="Source">The file it was read from; of one inside an archive, a package or an image the path in it behind a colon.</param>
/// <param name="Compatible">The names that the board goes by, the most exact first.</param>
/// <param name="Architecture">arm64, armhf, armel (ARM before version 7), riscv64 or amd64; null when its processors do not tell.</param>
/// <param name="MemoryMiB">The memory that the tree states; null when the loader fills it in.</param>
/// <param name="Media">Where a system can lie: slots, soldered memory, drives.</param>
/// <param name="Power">A hint only: a regulator that is named for its voltage says nothing of the socket.</param>
/// <param name="Unknown">What is missing, in words.</param>
public sealed record TreeFacts(
    string Source,
    string? Model,
    IReadOnlyList<string> Compatible,
    string? Architecture,
    TreeConsole? Console,
    int? MemoryMiB,
    IReadOnlyList<TreeMedium> Media,
    IReadOnlyList<TreeLight> Lights,
    IReadOnlyList<TreePort> Ports,
    TreePower? Power,
    IReadOnlyList<string> Unknown
);

/// <summary>The console as Linux names it.</summary>
/// <param name="Device">ttyS0, ttyAMA0, ttymxc1, …</param>
/// <param name="Speed">Bits a second; null when the tree does not say.</param>
/// <param name="From">The places in the tree that say so.</param>
public sealed record TreeConsole(string Device, int? Speed, string From);

/// <summary>A place for a system.</summary>
/// <param name="Kind">card (a slot), flash (soldered, eMMC), mmc (one of the two, the tree does not say which), nor, nand, sata, pcie.</param>
/// <param name="Device">Its name in Linux ("mmcblk1"); null where the order of finding decides.</param>
/// <param name="From">The node.</param>
public sealed record TreeMedium(string Kind, string? Device, string From);

/// <summary>A light.</summary>
/// <param name="Name">Its label, else the name of its node.</param>
/// <param name="Colour">As the tree or its name tells; null when neither does.</param>
/// <param name="Meaning">What makes it shine once the kernel runs; null when the tree does not say.</param>
/// <param name="From">The node.</param>
public sealed record TreeLight(string Name, string? Colour, string? Meaning, string From);

/// <summary>A port, a button or a radio that is switched on.</summary>
/// <param name="Kind">serial, ethernet, usb-host, usb-device, usb-either, video, sata, pcie, can, audio, wireless, bluetooth, button or watchdog.</param>
/// <param name="Device">Its name in Linux where it is fixed, or null.</param>
/// <param name="From">The node.</param>
public sealed record TreePort(string Kind, string Name, string? Device, string From);

/// <summary>A regulator that names the voltage of the input, and that voltage.</summary>
public sealed record TreePower(double HintVolts, string From);
