using System.Text.Json.Serialization;
using Buttonhook.Core.Boards;
using Buttonhook.Core.Images.Formats;

namespace Buttonhook.Core.Images.Loaders;

/// <summary>The minimal board profile that a dry boot needs.</summary>
/// <param name="Loader">distro (extlinux.conf or a boot script), efi, bios, or keyvalue (key=value configuration with a one-line command line); null when nobody knows.</param>
/// <param name="ConsoleDevice">Null when nobody knows; so are speed and memory.</param>
/// <param name="BootMedium">sd, usb or virtio: decides what the disk is called.</param>
/// <param name="Compatible">Device-tree names of the board; empty when not known.</param>
/// <param name="Firmware">Free text.</param>
/// <param name="FirstLoader">What its boot ROM expects on a card, or null when that is not known.</param>
/// <param name="MediumIsGuess">Whether nobody knows what it starts from, and a card is taken for it.</param>
/// <param name="Entry">The entry of the loader's menu that a person takes, from 1, and no other; null when nobody does.</param>
public sealed record DryBoard(
    InstructionSet Architecture,
    string? Loader,
    string BootMedium,
    string? ConsoleDevice,
    int? ConsoleSpeed,
    int? MemoryMiB,
    IReadOnlyList<string> Compatible,
    string Firmware,
    FirstLoaderPlace? FirstLoader = null,
    int? Entry = null,
    bool MediumIsGuess = false
)
{
    /// <summary>The word that puts the console on the kernel's command line; null when the device is not known.</summary>
    [JsonIgnore]
    public string? ConsoleArgument => ConsoleDevice is null ? null : KernelCommandLine.ConsoleWord(ConsoleDevice, ConsoleSpeed);
}

/// <summary>A second medium beside the one that a board starts from.</summary>
/// <param name="Kind">usb or ssd: decides what the disk is called.</param>
public sealed record DryDrive(ImageBytes Bytes, string Kind);
